"""The script desk through the API: checked while edited, explained, kept as a revision, rules of the house."""

import base64
import json
from typing import Any

import numpy as np

from jobs.models import Revision
from jobs.services import take_in_path

from .test_server import SLOT, WithShop


class Desk(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.revision = take_in_path(self.shop, self.ines, SLOT)
        self.address = f"/revisions/{self.revision.pk}/desk"
        self.desk = self.client.get(f"/api{self.address}").json()
        self.name = self.desk["programs"][0]["name"]
        self.text = self.desk["programs"][0]["text"]

    def post(self, address: str, **body: Any) -> Any:
        return self.client.post(f"/api{address}", json.dumps(body), content_type="application/json")

    def check(self, text: str, **more: Any) -> Any:
        return self.post(f"{self.address}/check", programs={self.name: text}, **more).json()

    def test_a_stranger_sees_and_changes_nothing(self) -> None:
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(f"/api{self.address}").status_code, 404)
        for what in ("check", "save"):
            self.assertEqual(self.post(f"{self.address}/{what}", programs={}).status_code, 404)
        self.assertEqual(self.post(f"{self.address}/block", program=self.name, line=1).status_code, 404)

    def test_an_edit_is_checked_and_its_fix_offered(self) -> None:
        self.assertEqual(self.check(self.text)["findings"], [])
        wrong = self.text.replace("G43 H1 ", "")
        (found,) = self.check(wrong)["findings"]
        self.assertEqual((found["rule"], found["severity"]), ("length.none", "stop"))
        lines = wrong.split("\n")
        (edit,) = found["fix"]["edits"]
        self.assertEqual(lines[edit["line"] - 1], edit["old"])
        lines[edit["line"] - 1] = edit["new"]
        self.assertEqual(self.check("\n".join(lines))["findings"], [])

    def test_a_long_program_is_taken_and_an_endless_one_refused(self) -> None:
        long = self.text.replace("M30", "\n".join(["(a long way round)"] * 150_000) + "\nM30")
        self.assertGreater(len(long), 2_500_000)
        self.assertEqual(self.check(long)["findings"], [])
        with self.settings(DATA_UPLOAD_MAX_MEMORY_SIZE=1_000_000):
            refused = self.post(f"{self.address}/check", programs={self.name: long})
        self.assertEqual((refused.status_code, "1 MB" in refused.json()["detail"]), (413, True))
        self.client.logout()
        self.assertEqual(self.post("/sign-in", name="x" * 100_000, password="").status_code, 413)

    def test_operations_and_the_path(self) -> None:
        made = self.check(self.text, path=True)
        (operation,) = made["operations"]
        self.assertEqual((operation["tool"], operation["depths"]), (1, [-5.0, -5.0]))
        self.assertTrue(made["path"]["whole"] and made["path"]["count"] >= 8)
        self.assertEqual((made["lacking"], made["unused"]), ([], []))

    def test_what_is_left_out_is_drawn_as_such(self) -> None:
        cut = next(i for i, row in enumerate(self.text.split("\n"), 1) if "X80." in row and "F" in row)
        job = self.desk["job"]
        job["switches"] = {"left_out": [{"program": self.name, "first": cut, "last": cut}]}
        path = self.check(self.text, path=True, job=job)["path"]
        pieces = np.frombuffer(base64.b64decode(path["skipped"]), np.float32).reshape(-1, 2, 3)
        self.assertEqual(
            np.round(pieces).tolist(), [[[-80, 0, 60], [80, 0, 60]]]
        )  # 5 below the datum, 65 over the table
        self.assertNotIn(cut, np.frombuffer(base64.b64decode(path["line"]), np.uint32))

    def test_a_block_in_words(self) -> None:
        line = next(i for i, row in enumerate(self.text.split("\n"), 1) if "X80." in row and "F" in row)
        told = self.post(f"{self.address}/block", programs={self.name: self.text}, program=self.name, line=line).json()
        self.assertIn("straight cut to X 80", told["said"][0])
        self.assertEqual((told["before"]["program"]["X"], told["after"]["program"]["X"]), (-80.0, 80.0))
        self.assertEqual(self.post(f"{self.address}/block", program="no.nc", line=1).status_code, 422)

    def test_saving_makes_a_revision_and_keeps_the_old_one(self) -> None:
        text = self.text.replace("F800.", "F700.")
        new = self.post(f"{self.address}/save", programs={self.name: text}, label="slower").json()
        self.assertEqual(new["number"], self.revision.number + 1)
        held = self.client.get(f"/api/revisions/{new['id']}/desk").json()["programs"][0]["text"]
        self.assertIn("F700.", held)
        self.assertIn("F800.", self.client.get(f"/api{self.address}").json()["programs"][0]["text"])
        self.assertEqual(self.post(f"{self.address}/save", programs={"../x.nc": "M30"}).status_code, 422)
        self.assertEqual(Revision.objects.filter(job=self.revision.job).count(), 2)

    def test_grids_are_checked_and_kept(self) -> None:
        job = {**self.desk["job"], "work_offsets": {}}
        self.assertEqual([f["rule"] for f in self.check(self.text, job=job)["findings"]], ["offset.unset"])
        tools = {**self.desk["tools"], "tools": []}
        found = self.check(self.text, tools=tools)
        self.assertEqual((found["lacking"], [f["rule"] for f in found["findings"]][:1]), ([1], ["tool.unknown"]))
        self.assertEqual(self.post(f"{self.address}/check", tools={"tools": [{"number": "x"}]}).status_code, 422)
        new = self.post(f"{self.address}/save", job=job, tools=self.desk["tools"]).json()
        self.assertEqual(self.client.get(f"/api/revisions/{new['id']}/desk").json()["job"]["work_offsets"], {})

    def test_rules_of_the_house(self) -> None:
        text = self.text.replace("M8", "M77", 1)
        self.assertEqual([f["rule"] for f in self.check(text)["findings"]], ["word.unknown"])

        def put(rule: str, setting: str) -> Any:
            body = json.dumps({"setting": setting})
            return self.client.put(f"/api/rules/{rule}", body, content_type="application/json")

        self.assertEqual(put("word.unknown", "off").status_code, 200)
        made = self.check(text)
        self.assertEqual((made["findings"], made["rules"]["off"]), ([], ["word.unknown"]))
        job = {**self.desk["job"], "checks": {**self.desk["job"].get("checks", {}), "rules": {"word.unknown": "stop"}}}
        self.assertEqual(
            [f["severity"] for f in self.check(text, job=job)["findings"]], ["stop"]
        )  # the job's own stands above
        self.assertEqual(put("arc.radii", "off").status_code, 422)
        self.assertEqual(put("no.such", "off").status_code, 422)
        self.assertEqual(put("word.unknown", "").status_code, 200)
        self.assertEqual([f["rule"] for f in self.check(text)["findings"]], ["word.unknown"])
        self.client.force_login(self.stranger)
        self.assertTrue(all(rule["setting"] == "" for rule in self.client.get("/api/rules").json()))
