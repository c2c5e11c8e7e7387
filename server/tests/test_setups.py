"""Setting up, moving by hand and changing machines through the API: who may, what is refused, what is kept."""

import gc
import io
import json
import struct
import tempfile
import threading
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from bluntmirror.geometry.mesh import box
from bluntmirror.geometry.meshfile import write_stl
from jobs import setups
from jobs.models import LibraryFile, Revision
from jobs.services import keep_in_library, take_in_path

from .test_server import SLOT, WithShop

DEMO = settings.ROOT / "demo"


class Setups(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.revision = take_in_path(self.shop, self.ines, SLOT)
        self.machine = keep_in_library(
            self.shop, self.ines, "machine", (DEMO / "machines" / "vm5-22.json").read_bytes(), "vm5-22.json"
        )

    def post(self, address: str, **body: Any) -> Any:
        return self.client.post(f"/api{address}", json.dumps(body), content_type="application/json")

    def test_the_library_tells_its_machines_at_a_glance(self) -> None:
        (row,) = self.client.get("/api/library").json()
        self.assertEqual((row["glance"]["kind"], row["jobs"]), ("mill, three axes", 0))
        self.assertEqual([travel["axis"] for travel in row["glance"]["travels"]], ["X", "Y", "Z"])
        picture = self.client.get(f"/api/library/{row['id']}/picture")
        self.assertEqual((picture["Content-Type"], picture.content[:4]), ("image/png", b"\x89PNG"))
        # That of the job counts it, in inches, too; a table of tools has no kind.
        data = json.loads((SLOT / "machine.json").read_text())
        for axis in data["links"]:
            if axis.get("joint", {}).get("travel"):
                axis["joint"]["travel"] = [value / 25.4 for value in axis["joint"]["travel"]]
        inches = json.dumps(data | {"units": "inch", "tool_change": {}, "reference": {}}).encode()
        keep_in_library(self.shop, self.ines, "machine", inches, "machine.json")
        keep_in_library(self.shop, self.ines, "tools", (SLOT / "tools.json").read_bytes(), "tools.json")
        rows = {item["name"]: item for item in self.client.get("/api/library").json()}
        own = rows[data["name"]]
        self.assertEqual((own["jobs"], [round(t["least"]) for t in own["glance"]["travels"]]), (1, [-610, -410, -510]))
        self.assertEqual([item["glance"] for item in rows.values() if item["kind"] == "tools"], [None])

    def test_a_control_is_set_like_the_one_on_the_floor(self) -> None:
        address = f"/library/{self.machine.pk}/control"
        told = self.client.get(f"/api{address}").json()
        self.assertEqual((told["units"], told["axes"], told["control"]["gains"]), ("mm", ["Y", "X", "Z"], {"": None}))
        # As it is: the number there is.
        self.assertEqual(self.post(address, **told["control"]).json()["id"], self.machine.pk)
        mine = told["control"] | {
            "rapid": "straight", "gains": {"": 6000.0}, "coolant_seconds": 0.5, "change_at": {"Z": -1.0}, "since": "2026-11-30",
            "work_offsets": {"G55": {"X": -100.0}}, "reference": {"1": {"Z": 0.0}, "2": {"X": -5.0}}, "block_seconds": 0.002,
        }  # fmt: skip
        made = self.post(address, **mine).json()
        self.assertEqual((made["name"], made["number"]), (self.machine.name, 2))
        self.assertEqual(self.client.get(f"/api/library/{made['id']}/control").json()["control"], mine)
        kept = LibraryFile.objects.get(pk=made["id"]).data
        alike = {key for key in kept if kept[key] == self.machine.data.get(key)}
        self.assertEqual(
            set(kept) - alike, {"rapid", "spindle", "coolant_seconds", "tool_change", "reference", "pace", "unit"}
        )
        for wrong, says in (({"reference": {"1": {"Q": 1.0}}}, "no axis 'Q'"), ({"gains": {"left": 1.0}}, "spindles"),
                            ({"coolant_seconds": -1.0}, "coolant_seconds"), ({"reference": {"9": {"X": 1.0}}}, "reference")):  # fmt: skip
            answer = self.post(address, **(mine | wrong))
            self.assertEqual((answer.status_code, says in answer.json()["detail"]), (422, True), answer.json())

    def test_a_tool_and_a_fixture_kept_found_and_brought_onto_another_setup(self) -> None:
        write_stl(file := Path(self.enterContext(tempfile.TemporaryDirectory())) / "jaw.stl", box((30, 20, 10)))
        with file.open("rb") as model:
            dropped = self.client.post(f"/api/revisions/{self.revision.pk}/setup/files", {"file": model}).json()
        own = self.client.get(f"/api/revisions/{self.revision.pk}/setup").json()
        tool = own["tools"]["tools"][0] | {"registers": {"H": 95.0}, "station": 3}
        jaw = {"name": "soft jaw", "role": "fixture", "mount": "table", "at": [1, 2, 3], "present": [0, 1],
               "made_by": {"fixture": "", "measures": {"width": "odd"}},
               "shape": {"type": "mesh", "file": f"./{dropped['file']}"}}  # fmt: skip
        keep = f"/revisions/{self.revision.pk}/library"
        kept = {
            kind: self.post(f"{keep}/{kind}", data=data).json() for kind, data in (("tool", tool), ("fixture", jaw))
        }
        self.assertEqual(
            self.post(f"{keep}/fixture", data=jaw).json()["id"], kept["fixture"]["id"]
        )  # the same again is the one there is
        keep_in_library(self.shop, self.ines, "tools", (DEMO / "tools.json").read_bytes(), "tools.json")
        lost = jaw | {"shape": {"type": "mesh", "file": "no.stl"}}
        for kind, data, says in (
            ("fixture", jaw | {"role": "stock"}, "belongs to its job"), ("machine", jaw, "no single 'machine'"),
            ("tool", tool | {"length": -1}, "length"), ("fixture", lost, "no.stl"),
        ):  # fmt: skip
            answer = self.post(f"{keep}/{kind}", data=data)
            self.assertEqual((answer.status_code, says in answer.json()["detail"]), (422, True), answer.json())

        # Onto another setup, in another job: without what it had of its place, its model with it.
        other = take_in_path(self.shop, self.ines, DEMO / "jobs" / "buoy-lid" / "2-flawed")
        onto = f"/revisions/{other.pk}/setup/library"
        (row,) = self.client.get("/api/library/found/fixture?words=soft").json()["found"]
        body = self.post(f"{onto}/{row['item']}").json()
        self.assertEqual({"name", "role", "shape", "made_by"}, set(body))
        data = self.client.get(f"/api/revisions/{other.pk}/setup").json()["job"]
        data["bodies"].append(body | {"mount": "table", "at": [300, 150, 0]})
        saved = self.post(f"/revisions/{other.pk}/setup/save", job=data, label="with a jaw").json()
        with Revision.objects.get(pk=saved["revisions"][0]["id"]).archive.open("rb") as source:
            self.assertIn(body["shape"]["file"], zipfile.ZipFile(source).namelist())

        # Tools by every word asked for, in tables too; nothing of the control goes along.
        found = self.client.get("/api/library/found/tool?words=ball D20").json()
        crib = json.loads((DEMO / "tools.json").read_text())["tools"]
        balls = [t for t in crib if t["cutter"]["type"] == "ball-mill" and t["cutter"]["diameter"] == 20]
        self.assertEqual(
            (found["count"], {row["name"] for row in found["found"]}), (len(balls), {t["name"] for t in balls})
        )
        (row,) = [
            row
            for row in self.client.get(f"/api/library/found/tool?words={tool['name']}").json()["found"]
            if row["entry"] is None
        ]
        brought = self.post(f"{onto}/{row['item']}").json()
        self.assertEqual((brought["cutter"], {"registers", "station"} & set(brought)), (tool["cutter"], set()))
        self.assertEqual(self.post(f"{onto}/{kept['tool']['id']}?entry=0").status_code, 422)

    def model(self, response: Any) -> dict[str, Any]:
        data = b"".join(response) if response.streaming else response.content
        (length,) = struct.unpack("<I", data[:4])
        description: dict[str, Any] = json.loads(data[4 : 4 + length])
        last = max(description["arrays"].values(), key=lambda a: a["offset"])
        self.assertGreaterEqual(len(data) - 4 - length, last["offset"] + last["count"])
        return description

    def test_a_stranger_sees_and_changes_nothing(self) -> None:
        self.client.force_login(self.stranger)
        number, machine = self.revision.pk, self.machine.pk
        for address in (
            f"/revisions/{number}/setup",
            f"/library/{machine}/model",
            f"/library/{machine}/faults",
            f"/revisions/{number}/fit/{machine}",
        ):
            self.assertEqual(self.client.get(f"/api{address}").status_code, 404, address)
        self.assertEqual(self.post(f"/revisions/{number}/move", begin=[0, 0, 0], end=[0, 0, 0]).status_code, 404)
        self.assertEqual(self.post(f"/revisions/{number}/swap/{machine}").status_code, 404)

    def test_files_of_a_job_that_is_forgotten_are_gone(self) -> None:
        with mock.patch.multiple(setups, _jobs=setups.Kept(), _machines=setups.Kept()):
            job, machine = setups.opened(self.revision), setups.machine_alone(self.machine)
            other = setups.opened(
                self.revision, {**job.file.model_dump(mode="json", by_alias=True), "name": "with a name more"}
            )
            folders = [job.folder, machine.folder]
            self.assertEqual(other.folder, job.folder)
            setups._jobs.items.clear()
            del job, machine
            gc.collect()
            self.assertTrue(all(folder.is_dir() for folder in folders), "as long as anything made of them is in use")
            setups._machines.items.clear()
            del other
            gc.collect()
            self.assertEqual([folder for folder in folders if folder.exists()], [])

    def test_one_that_takes_long_to_open_holds_up_nobody_else(self) -> None:
        kept, begun, go_on, made = setups.Kept[str](), threading.Event(), threading.Event(), []

        def slow() -> str:
            begun.set()
            go_on.wait(60)
            made.append("slow")
            return "slow"

        threads = [threading.Thread(target=kept.get, args=("slow", slow)) for _ in range(3)]
        for thread in threads:
            thread.start()
        self.assertTrue(begun.wait(60))
        self.assertEqual(kept.get("other", lambda: "other"), "other")
        go_on.set()
        for thread in threads:
            thread.join(60)
        self.assertEqual((made, kept.get("slow", slow)), (["slow"], "slow"))  # made once
        with self.assertRaises(ZeroDivisionError):
            kept.get("broken", lambda: str(1 / 0))
        self.assertEqual((kept.get("broken", lambda: "whole"), kept.making), ("whole", {}))

    def test_a_job_is_opened_changed_and_kept_as_a_new_revision(self) -> None:
        setup = self.client.get(f"/api/revisions/{self.revision.pk}/setup").json()
        self.assertEqual(setup["offsets"][0]["values"], {"X": -305.0, "Y": -205.0, "Z": -535.0})
        job = setup["job"]
        job["bodies"][0]["at"] = [10, 0, 20]
        description = self.model(self.post(f"/revisions/{self.revision.pk}/setup/model", job=job))
        self.assertIn("stock", {body["role"] for body in description["bodies"]})
        at = f"/revisions/{self.revision.pk}/setup/save"
        saved = self.post(at, job=job | {"name": "another name"}, label="vise moved").json()
        self.assertEqual([(r["number"], r["label"]) for r in saved["revisions"]], [(2, "vise moved"), (1, "")])
        again = self.client.get(f"/api/revisions/{saved['revisions'][0]['id']}/setup").json()
        self.assertEqual((again["job"]["bodies"][0]["at"], again["job"]["name"]), ([10, 0, 20], setup["job_name"]))
        untouched = self.client.get(f"/api/revisions/{self.revision.pk}/setup").json()
        self.assertNotEqual(untouched["job"]["bodies"][0]["at"], [10, 0, 20])  # what was rehearsed never changes

    def test_each_spindle_and_channel_of_a_mill_turn_machine_is_set_up(self) -> None:
        job = settings.ROOT / "demo" / "jobs" / "hydrophone-body" / "1-as released"
        revision = take_in_path(self.shop, self.ines, job)
        setup = self.client.get(f"/api/revisions/{revision.pk}/setup").json()
        at = {(row["channel"], row["name"]): row["values"] for row in setup["offsets"]}
        self.assertEqual(set(at), {(0, "G54"), (0, "G55"), (2, "G54"), (2, "G55")})
        # The head's gauge point stands at x = 520, the turret's at 460; the two datums at 90 + 112 and 700 − 76.
        for (channel, name), gauge, datum in (
            ((0, "G54"), 520, 202),
            ((0, "G55"), 520, 624),
            ((2, "G54"), 460, 202),
            ((2, "G55"), 460, 624),
        ):
            self.assertAlmostEqual(at[channel, name]["Z"], datum - gauge, places=6)
        description = self.model(self.post(f"/revisions/{revision.pk}/setup/model", job=setup["job"]))
        self.assertEqual(
            description["gripped"], [{"body": "bar", "grip": "main chuck", "within": 28, "least": 15, "out": 112}]
        )
        axes = [axis["name"] for axis in description["axes"]]
        values = [{"Z1": -100.0, "Z2": -50.0}.get(axis, 0.0) for axis in axes]
        for channel, z in ((1, -100.0 - 120.0), (2, -50.0)):
            kept = self.post(
                f"/revisions/{revision.pk}/setup/offset-here", job=setup["job"], values=values, tool=4, channel=channel
            ).json()
            self.assertAlmostEqual(kept["Z"], z)
        self.assertEqual(
            self.post(
                f"/revisions/{revision.pk}/setup/offset-here", job=setup["job"], values=values, channel=3
            ).status_code,
            422,
        )

    def test_a_piece_is_handed_over_by_hand(self) -> None:
        folder = settings.ROOT / "demo" / "jobs" / "hydrophone-body" / "1-as released"
        revision = take_in_path(self.shop, self.ines, folder)
        job = self.client.get(f"/api/revisions/{revision.pk}/setup").json()["job"]
        description = self.model(self.post(f"/revisions/{revision.pk}/setup/model", job=job))
        axes, values = [axis["name"] for axis in description["axes"]], description["start"]
        held = None
        at = f"/revisions/{revision.pk}"
        for block in ("G0 W=-492.", "M168", "M69", "G0 W=0."):
            told = self.post(f"{at}/block", job=job, values=values, block=block, channel=2, held=held).json()
            self.assertEqual((told["touching"], told["near"]), ([], []), block)
            values, held = told["values"], told["held"] or held
        self.assertEqual(
            [(item["piece"], item["grips"], item["link"]) for item in held],
            [("bar", ["second chuck"], "second spindle")],
        )
        self.assertEqual(values[axes.index("W")], 0.0)
        held[0]["link"] = "nowhere"
        refused = self.post(f"{at}/move", job=job, begin=values, end=values, held=held)
        self.assertEqual((refused.status_code, refused.json()["detail"]), (422, "bar cannot be held so"))

    def test_a_job_in_inches_is_set_up_in_millimetres(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for file in SLOT.iterdir():
                (Path(folder) / file.name).write_bytes(file.read_bytes())
            job = json.loads((SLOT / "job.json").read_text())
            before = self.client.get(f"/api/revisions/{self.revision.pk}/setup").json()
            for body in job["bodies"]:
                body["at"] = [c / 25.4 for c in body["at"]]
                body["shape"]["size"] = [c / 25.4 for c in body["shape"]["size"]]
            job["work_offsets"]["G54"] = {axis: v / 25.4 for axis, v in job["work_offsets"]["G54"].items()}
            job |= {"name": "in inches", "units": "inch", "checks": {}}
            (Path(folder) / "job.json").write_text(json.dumps(job))
            inches = take_in_path(self.shop, self.ines, Path(folder))
        setup = self.client.get(f"/api/revisions/{inches.pk}/setup").json()
        self.assertEqual((setup["job"]["units"], setup["job"]["checks"]), ("mm", {}))
        for one, other in zip(setup["job"]["bodies"], before["job"]["bodies"], strict=True):
            for c, wanted in zip(
                [*one["at"], *one["shape"]["size"]], [*other["at"], *other["shape"]["size"]], strict=True
            ):
                self.assertAlmostEqual(c, wanted, places=9)
        self.assertEqual(setup["offsets"], before["offsets"])
        saved = self.post(f"/revisions/{inches.pk}/setup/save", job=setup["job"], tools=setup["tools"]).json()
        again = self.client.get(f"/api/revisions/{saved['revisions'][0]['id']}/setup").json()
        self.assertEqual(again["offsets"], before["offsets"])

    def test_picked_mated_repeated(self) -> None:
        at = f"/revisions/{self.revision.pk}/setup"
        model = self.model(self.post(f"{at}/model", job=None))
        self.assertEqual({m["name"] for m in model["mounts"]}, {"spindle", "table"})
        # Triangles of a box come in pairs of its faces; the fourth face is its top.
        tops = [
            self.post(f"{at}/pick", body=name, triangle=2, point=[0, 0, 0], kind="face", mount="table").json()
            for name in ("vise", "blank")
        ]
        self.assertTrue(all(abs(sum(c * c for c in top["direction"]) - 1) < 1e-9 for top in tops))
        faces = {}
        for body in ("vise", "blank"):
            for triangle in range(12):
                face = self.post(
                    f"{at}/pick", body=body, triangle=triangle, point=[0, 0, 0], kind="face", mount="table"
                ).json()
                faces[body, tuple(round(c) for c in face["direction"])] = face
        own, other = faces["blank", (0, 0, -1)], faces["vise", (0, 0, 1)]
        place = self.post(f"{at}/mate", body="blank", own=own, other=other, way="onto", gap=3.0).json()
        self.assertEqual(place["at"], [0, 0, 40 + 3 + 12.5])
        refused = self.post(
            f"{at}/mate", body="blank", own=own | {"kind": "corner", "direction": None}, other=other, way="onto"
        )
        self.assertEqual(refused.status_code, 422)
        self.assertIn("no direction", refused.json()["detail"])
        places = self.post(f"{at}/repeat", body="blank", count=3, step=150, direction=[1, 0, 0]).json()
        self.assertEqual([p["at"][0] for p in places], [0, 150, 300])
        self.assertIn(
            "flat",
            self.post(f"{at}/pick", body="vise", triangle=0, point=[0, 0, 0], kind="axis", mount="table").json()[
                "detail"
            ],
        )

    def test_fixtures_and_a_broken_setup(self) -> None:
        names = {entry["name"] for entry in self.client.get("/api/fixtures").json()}
        self.assertLessEqual(
            {
                "vise",
                "toe-clamp",
                "strap-clamp",
                "plate",
                "tombstone",
                "dovetail-grip",
                "chuck-hard",
                "chuck-soft",
                "collet",
                "steady",
                "bar",
                "tube",
            },
            names,
        )
        self.assertEqual(len(self.post("/fixtures/vise", measures={"opening": 70}).json()), 5)
        self.assertIn("opening", self.post("/fixtures/vise", measures={"opening": -1}).json()["detail"])
        job = self.client.get(f"/api/revisions/{self.revision.pk}/setup").json()["job"]
        job["bodies"][0]["mount"] = "moon"
        refused = self.post(f"/revisions/{self.revision.pk}/setup/model", job=job)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("no mount 'moon'", refused.json()["detail"])

    def test_moved_by_hand_into_a_contact_and_a_typed_block(self) -> None:
        at = f"/revisions/{self.revision.pk}"
        moved = self.post(f"{at}/move", begin=[-305, -205, 0], end=[-305, -205, -500], tool=1).json()
        self.assertEqual({moved["touching"][0]["a"], moved["touching"][0]["b"]}, {"T1 cutter", "blank"})
        self.assertAlmostEqual(moved["values"][2], -443.0, places=1)
        typed = self.post(f"{at}/block", values=[0, 0, 0], tool=1, block="G0 X-700.").json()
        self.assertEqual(typed["over"], [["X", 1005.0 - 610.0]] if typed["values"][0] == -1005 else [["X", 90.0]])
        self.assertEqual(self.post(f"{at}/move", begin=[0, 0], end=[0, 0]).status_code, 422)
        alone = self.post(f"/library/{self.machine.pk}/move", begin=[0, 0, 0], end=[-100, 0, -50]).json()
        self.assertEqual((alone["values"], alone["touching"]), ([-100, 0, -50], []))

    def test_another_machine_under_the_job(self) -> None:
        fits = {
            row["what"]: row
            for row in self.client.get(f"/api/revisions/{self.revision.pk}/fit/{self.machine.pk}").json()
        }
        self.assertTrue(fits["axes"]["fits"])
        self.assertFalse(fits["offset G54"]["fits"])  # typed as axis values of the other machine
        job = self.post(f"/revisions/{self.revision.pk}/swap/{self.machine.pk}").json()
        self.assertEqual(job["revisions"][0]["machine"], "VM-5 unit 22")
        made = Revision.objects.get(pk=job["revisions"][0]["id"])
        with made.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
            self.assertEqual(json.loads(bundle.read("machine.json"))["revision"], 1)

    def test_an_accessory_put_away_is_a_new_number_of_the_machine(self) -> None:
        item = keep_in_library(
            self.shop, self.ines, "machine", (DEMO / "machines" / "vm3-17.json").read_bytes(), "vm3-17.json"
        )
        before = self.model(self.client.get(f"/api/library/{item.pk}/model"))
        self.assertEqual(before["accessories"], [{"name": "tool setter", "on": True}])
        made = self.post(f"/library/{item.pk}/accessories", off=["tool setter"]).json()
        self.assertEqual((made["name"], made["number"]), (item.name, 2))
        after = self.model(self.client.get(f"/api/library/{made['id']}/model"))
        names = [{body["name"] for body in model["bodies"]} for model in (before, after)]
        self.assertEqual(names[0] - names[1], {"tool setter"})
        self.assertEqual(self.post(f"/library/{item.pk}/accessories", off=["wings"]).status_code, 422)

    def test_pairs_that_touch_at_rest_are_asked_about_once(self) -> None:
        machine = json.loads((DEMO / "machines" / "vm5-22.json").read_text())
        table = next(link for link in machine["links"] if link["name"] == "table")
        table["shapes"].append({"type": "box", "size": [20, 20, 2000], "at": [0, 0, 600]})  # a post into the head
        item = keep_in_library(self.shop, self.ines, "machine", json.dumps(machine).encode(), "vm5.json")
        pairs = [fault["pair"] for fault in self.client.get(f"/api/library/{item.pk}/faults").json()]
        self.assertTrue(pairs and all(pairs))
        made = self.post(f"/library/{item.pk}/meant", pairs=pairs).json()
        self.assertEqual((made["name"], made["number"]), (item.name, item.number + 1))
        self.assertEqual(self.client.get(f"/api/library/{made['id']}/faults").json(), [])
        self.assertEqual(self.post(f"/library/{item.pk}/meant", pairs=[["table", "nobody"]]).status_code, 422)

    def test_a_machine_with_meshes_and_one_from_urdf(self) -> None:
        machine = json.loads((DEMO / "machines" / "vm3-17.json").read_text())
        machine["links"][0]["shapes"] = [{"type": "mesh", "file": "bed.stl", "at": [0, 0, -600]}]
        stl = settings.VAR / "bed.stl"
        write_stl(stl, box([600, 400, 100]))
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as bundle:
            bundle.writestr("machine.json", json.dumps(machine))
            bundle.write(stl, "bed.stl")
        kept = keep_in_library(self.shop, self.ines, "machine", out.getvalue(), "vm3.zip")
        self.assertTrue(kept.meshes)
        self.model(self.client.get(f"/api/library/{kept.pk}/model"))
        alone = self.client.post("/api/library/machine", {"file": io.BytesIO(json.dumps(machine).encode())})
        self.assertIn("bed.stl", alone.json()["detail"])  # the mesh did not come with it
        urdf = self.client.get(f"/api/library/{self.machine.pk}/urdf").content
        back = keep_in_library(self.shop, self.ines, "machine", urdf, "machine.urdf")
        self.assertEqual(LibraryFile.objects.filter(name=back.name).count(), 2)
        self.assertEqual(self.client.get(f"/api/library/{back.pk}/faults").json(), [])

    def test_a_model_dropped_on_a_setup_is_a_body_at_once_and_stays_with_the_revision_that_holds_it(self) -> None:
        at = f"/revisions/{self.revision.pk}/setup"
        with tempfile.TemporaryDirectory() as folder:
            write_stl(Path(folder) / "a.stl", box((2, 3, 4)))
            data = (Path(folder) / "a.stl").read_bytes()

        def drop(name: str, content: bytes, **more: str) -> Any:
            return self.client.post(f"/api{at}/files", {"file": SimpleUploadedFile(name, content), **more})

        dropped = drop("../Clamp plate.stl", data).json()
        self.assertEqual((dropped["stem"], dropped["shapes"][0]["size"]), ("Clamp-plate", [2, 3, 4]))
        inches = drop("plate.stl", data, inches="true").json()
        self.assertEqual(inches["shapes"][0]["size"], [50.8, 76.2, 101.6])
        job = self.client.get(f"/api{at}").json()["job"]
        job["bodies"].append({"name": "plate", "role": "fixture", "mount": job["bodies"][0]["mount"],
                              "shape": {"type": "mesh", "file": inches["file"]}, "at": [300, 0, 60]})  # fmt: skip
        self.assertIn("plate", {body["name"] for body in self.model(self.post(f"{at}/model", job=job))["bodies"]})
        setups._jobs.items.clear()  # another server process, or one that has forgotten
        self.assertIn("plate", {body["name"] for body in self.model(self.post(f"{at}/model", job=job))["bodies"]})
        saved = self.post(f"{at}/save", job=job).json()
        kept = Revision.objects.get(pk=saved["revisions"][0]["id"])
        with kept.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
            self.assertIn(inches["file"], bundle.namelist())
            self.assertNotIn(dropped["file"], bundle.namelist())  # no body is made of it
        with mock.patch("jobs.dropped.shutil.copy", side_effect=OSError(28, "No space left on device")):
            self.assertIn("No space left", drop("b.stl", data).json()["detail"])
        for name, content, said in (
            ("a.stl", b"solid nothing", "no triangles"),
            ("a.dxf", b"x", "DXF"),
            ("a.exe", b"MZ", "not a mesh format"),
        ):
            answer = drop(name, content)
            self.assertEqual(answer.status_code, 422, name)
            self.assertIn(said, answer.json()["detail"])

    def test_a_tool_is_drawn_as_the_core_builds_it_or_its_fault_is_said(self) -> None:
        at = f"/revisions/{self.revision.pk}/setup/tool-picture"
        tool: dict[str, Any] = {
            "number": 9, "length": 100, "holder": {"segments": [{"diameter": 40, "length": 60}]},
            "cutter": {"type": "drill", "diameter": 10, "flute_length": 30, "reach": 40, "point_angle": 118},
        }  # fmt: skip
        parts = {part["part"]: part["points"] for part in self.post(at, tool=tool).json()["parts"]}
        self.assertEqual(set(parts), {"cutter", "shank", "holder"})
        # A 118° point is 0.3004·D high (handbooks, from memory).
        self.assertTrue(any(abs(x - 5) < 1e-9 and abs(h - 3.004) < 1e-3 for x, h in parts["cutter"]))
        self.assertEqual(max(h for _, h in parts["holder"]), 100)
        tool["cutter"]["flute_length"] = 60
        self.assertEqual(
            self.post(at, tool=tool).json(),
            {"parts": [], "fault": "flute_length must not exceed reach (tip to holder face)"},
        )
        tool["cutter"] = {"type": "insert", "shape": "C", "inscribed_circle": 12.7}
        tool["holder"] = {"shapes": [{"type": "box", "size": [20, 20, 40], "at": [0, 0, -20]}]}
        parts = {part["part"]: part["points"] for part in self.post(at, tool=tool).json()["parts"]}
        self.assertEqual(sorted(set(map(tuple, parts["holder"]))), [(-10, 60), (-10, 100), (10, 60), (10, 100)])
        tool["cutter"] = {"type": "drill"}
        self.assertIn("diameter", self.post(at, tool=tool).json()["fault"])
