"""Arms through the API: how one goes through a program, with other postures tried; and led by hand."""

import json
from typing import Any

from django.conf import settings

from jobs import setups
from jobs.models import Revision
from jobs.services import take_in_path

from .test_server import SLOT, WithShop

CELL = settings.ROOT / "demo" / "jobs" / "sensor-plate" / "1-as released"


class Arms(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.revision = take_in_path(self.shop, self.ines, CELL)

    def post(self, address: str, **body: Any) -> Any:
        return self.client.post(
            f"/api/revisions/{self.revision.pk}/{address}", json.dumps(body), content_type="application/json"
        )

    def test_the_way_of_its_joints_and_the_same_with_another_posture(self) -> None:
        told = self.post("desk/arm").json()
        self.assertEqual([joint["name"] for joint in told["joints"]], [f"J{n}" for n in range(1, 7)])
        self.assertEqual({len(told["time"]), len(told["singular"])}, {len(told["values"])})
        self.assertEqual([operation["name"] for operation in told["operations"]], ["T1", "TRIM THE EDGES", "DRILL"])
        first = told["stretches"][1]
        data = json.loads((CELL / "job.json").read_text())
        data["postures"] = [{"program": first["program"], "first": first["first"], "last": first["last"], "spin": 120}]
        tried = self.post("desk/arm", job=data).json()
        self.assertEqual(tried["postures"][0]["spin"], 120)
        self.assertNotEqual(tried["values"], told["values"])
        self.assertEqual(self.revision.job.revisions.count(), 1, "asking keeps nothing")
        data["postures"][0]["last"] = 1
        self.assertEqual(self.post("desk/arm", job=data).status_code, 422)

    def test_a_machine_without_one_says_so_and_strangers_see_nothing(self) -> None:
        self.client.force_login(self.stranger)
        self.assertEqual(self.post("desk/arm").status_code, 404)
        self.assertEqual(self.post("lead", values=[0] * 6, frame="tool").status_code, 404)
        self.client.force_login(self.ines)
        self.revision = take_in_path(self.shop, self.ines, SLOT)
        answer = self.post("desk/arm")
        self.assertEqual((answer.status_code, answer.json()["detail"]), (422, "this machine has no arm"))

    def test_led_by_hand_in_three_frames(self) -> None:
        values = [0, -35, 55, 0, -20, 0]
        for frame in ("base", "part", "tool"):
            moved = self.post("lead", values=values, frame=frame, shift=[0, 0, 5]).json()
            self.assertGreaterEqual(
                sum(abs(a - b) > 1e-3 for a, b in zip(values, moved["values"], strict=True)), 2, frame
            )
        there = self.post("lead", values=values, frame="tool", turn=[0, 0, 10]).json()["values"]
        back = self.post("lead", values=there, frame="tool", turn=[0, 0, -10]).json()["values"]
        self.assertTrue(all(abs(a - b) < 1e-6 for a, b in zip(values, back, strict=True)))
        far = self.post("lead", values=values, frame="base", shift=[5000, 0, 0])
        self.assertEqual(far.status_code, 422)
        self.assertIn("does not reach", far.json()["detail"])

    def test_a_line_more_on_the_desk_takes_postures_along(self) -> None:
        data = json.loads((CELL / "job.json").read_text())
        data["postures"] = [{"program": "P8301.nc", "first": 8, "last": 13, "spin": 0}]
        self.revision = setups.save(self.revision, data, None, self.ines, "a posture")
        text = (CELL / "P8301.nc").read_text().split("\n")
        longer = "\n".join([*text[:4], "(ONE LINE MORE)", *text[4:]])
        told = self.post("desk/arm", programs={"P8301.nc": longer}).json()
        self.assertEqual([(p["first"], p["last"]) for p in told["postures"]], [(9, 14)])
        kept = self.post("desk/save", programs={"P8301.nc": longer}, label="").json()
        data, _ = setups.job_data(Revision.objects.get(pk=kept["id"]))
        self.assertEqual([(p["first"], p["last"]) for p in data["postures"]], [(9, 14)])

    def test_how_many_postures_reach_each_place(self) -> None:
        told = self.post("reach", values=[0, -35, 55, 0, -20, 0], tool=1, body="blank").json()
        self.assertEqual({len(told["places"]), len(told["directions"])}, {len(told["count"])})
        self.assertEqual(
            (told["least"], round(told["mean"], 6)),
            (min(told["count"]), round(sum(told["count"]) / len(told["count"]), 6)),
        )
        self.assertEqual(self.post("reach", values=[0] * 6, body="moon").status_code, 422)
        beside = self.post("reach", values=[0, -35, 55, 0, -20, 0], tool=1, body="blank", shift=[400, 0, 0]).json()
        self.assertNotEqual(beside["count"], told["count"], "as it would be there")

    def test_a_line_that_brings_it_to_a_kept_pose(self) -> None:
        at = {f"J{n}": value for n, value in enumerate((0, -35, 55, 0, -20, 0), 1)}
        joints = self.post("desk/arm/block", program="P8301.nc", line=12, at=at).json()["block"]
        self.assertEqual(joints, "G0 J1=0 J2=-35 J3=55 J4=0 J5=-20 J6=0")
        straight = self.post("desk/arm/block", program="P8301.nc", line=12, at=at, feed=1500).json()["block"]
        self.assertRegex(straight, r"^G1 X\S+ Y\S+ Z\S+ I\S+ J\S+ K\S+ F1500$")
        early = self.post("desk/arm/block", program="P8301.nc", line=1, at=at, feed=1500)
        self.assertEqual(early.status_code, 422)
        self.assertIn("only a move of the joints can come first", early.json()["detail"])

    def test_where_the_work_would_stand_best(self) -> None:
        carried = self.post("stand", places=[[0, 0]])
        self.assertEqual(carried.status_code, 422)
        self.assertIn("the arm carries the work", carried.json()["detail"])
        self.revision = take_in_path(self.shop, self.ines, CELL.parent.parent / "long-fairing" / "1-as released")
        told = self.post("stand", places=[[0, 0]]).json()
        (stand,) = told["stands"]
        self.assertEqual((told["mount"], stand["lacking"], len(told["next"])), ("stand", [], 8))
        self.assertLess(0.0, stand["ease"])
        tried = [{"place": place, "missed": 1, "ease": 0} for place in told["next"]]
        after = self.post(
            "stand", places=[], tried=[{"place": [0, 0], "missed": 0, "ease": stand["ease"]}, *tried]
        ).json()["next"]
        self.assertTrue(after and all(max(abs(x), abs(y)) == 50 for x, y in after), "closer around what is best")
        there = self.post("stand/there", place=[-150, 0]).json()["job"]
        self.assertEqual(there["bodies"][0]["at"][0], -150)
        self.assertEqual(self.post("stand", job=there, places=[[150, 0]]).json()["stands"][0]["ease"], stand["ease"])
        self.assertEqual(self.post("stand", places=[[0, 0]] * 5).status_code, 422)
