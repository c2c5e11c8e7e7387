"""The script desk through the API: checked while edited, explained, kept as a revision, rules of the house."""

import base64
import io
import json
import shutil
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from accounts.models import Organisation
from jobs import dropped
from jobs.models import Revision
from jobs.services import Refused, take_in_path

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

    def test_every_channel_has_its_operations_and_its_path(self) -> None:
        job = settings.ROOT / "demo" / "jobs" / "hydrophone-body" / "1-as released"
        revision = take_in_path(self.shop, self.ines, job)
        address = f"/revisions/{revision.pk}/desk/check"
        made = [self.post(address, programs={}, path=True, channel=channel).json() for channel in (1, 2)]
        named = {operation["program"]: [] for operation in made[0]["operations"]}
        for operation in made[0]["operations"]:
            named[operation["program"]].append(operation["tool"])
        self.assertEqual(named, {"O7101.nc": [1, 2, 4, 3, 4], "O7102.nc": [1, 2]})
        self.assertEqual([check["path"]["files"] for check in made], [["O7101.nc"], ["O7102.nc"]])
        self.assertNotEqual(made[0]["path"]["count"], made[1]["path"]["count"])

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
        self.assertEqual(self.post(f"{self.address}/save", programs={"../x.nc": "M30"}, anyway=True).status_code, 422)
        self.assertEqual(Revision.objects.filter(job=self.revision.job).count(), 2)

    def test_programs_come_and_go_and_go_out_as_files(self) -> None:
        job = self.desk["job"]
        job["programs"][0]["library"] = ["O7000.nc"]
        main = self.text.replace("M30", "M98 P7000\nM30")
        programs = {self.name: main, "O7000.nc": "O7000\nG0 Z50.\nM99\n"}
        checked = self.post(f"{self.address}/check", programs=programs, job=job).json()
        self.assertEqual(checked["findings"], [])
        lacking = self.post(f"{self.address}/check", programs={self.name: main}, job=job)
        self.assertEqual((lacking.status_code, "O7000.nc" in lacking.json()["detail"]), (422, True))
        new = self.post(f"{self.address}/save", programs=programs, job=job, label="retract called").json()
        address = f"/revisions/{new['id']}/desk"
        desk = self.client.get(f"/api{address}").json()
        self.assertEqual([(p["name"], p["main"]) for p in desk["programs"]], [(self.name, True), ("O7000.nc", False)])
        # A second channel's program, and the called one gone: its file goes too.
        self.assertEqual((desk["channels"], desk["dialects"][:2]), ([1], ["iso-mill", "iso-turn"]))
        job = desk["job"]
        job["programs"][0]["library"] = []
        gone = self.post(f"{address}/save", programs={self.name: self.text}, job=job).json()
        revision = Revision.objects.get(pk=gone["id"])
        with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
            self.assertNotIn("O7000.nc", bundle.namelist())
        # As a file, as it is on the desk, with the line ends of the file.
        out = self.post(f"{address}/program", programs={self.name: main}, program=self.name)
        self.assertEqual((out.content.decode(), f'filename="{self.name}"' in out["Content-Disposition"]), (main, True))
        for name in ("job.json", "../x.nc", "a/b.nc", " x.nc", "machine.stl", ""):
            job["programs"][0]["library"] = [name]
            self.assertEqual(
                self.post(f"{address}/save", programs={name: "M99"}, job=job, anyway=True).status_code, 422, name
            )

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


class Files(WithShop):
    """What is kept is what was there, byte for byte, where it stood, and whose it was."""

    def job_of(self, raw: bytes, name: str = "nc/O1001.nc") -> Revision:
        folder = Path(tempfile.mkdtemp())
        shutil.copytree(SLOT, folder, dirs_exist_ok=True)
        (folder / "nc").mkdir(exist_ok=True)
        (folder / "O1001.nc").unlink()
        (folder / name).write_bytes(raw)
        data = json.loads((folder / "job.json").read_text())
        data["programs"][0]["main"] = name
        for key in ("machine", "tools"):
            (folder / data[key]).rename(folder / "nc" / data[key])
            data[key] = f"nc/{data[key]}"
        (folder / "job.json").write_text(json.dumps(data))
        return take_in_path(self.shop, self.ines, folder)

    def held(self, revision: Revision) -> dict[str, bytes]:
        with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
            return {name: bundle.read(name) for name in bundle.namelist()}

    def test_an_edit_in_a_subfolder_keeps_path_encoding_and_line_ends(self) -> None:
        raw = (
            (SLOT / "O1001.nc")
            .read_bytes()
            .replace(b"\r\n", b"\n")
            .replace(b"(SLOT 10 WIDE 5 DEEP)", b"(NUTE \xd8 10)\r")
        )
        revision = self.job_of(raw)
        desk = self.client.get(f"/api/revisions/{revision.pk}/desk").json()
        (program,) = desk["programs"]
        self.assertIn("NUTE \u00d8", program["text"])
        text = program["text"].replace("N80 X80. F800.", "N80 X80. F700.")
        body = {"programs": {"nc/O1001.nc": text}, "job": None, "tools": desk["tools"], "label": ""}
        answer = self.client.post(
            f"/api/revisions/{revision.pk}/desk/save", json.dumps(body), content_type="application/json"
        )
        made = self.held(Revision.objects.get(pk=answer.json()["id"]))
        self.assertEqual(made["nc/O1001.nc"], raw.replace(b"F800", b"F700"))
        self.assertEqual(set(made), set(self.held(revision)))
        cannot = {
            **body,
            "programs": {"nc/O1001.nc": text.replace("WIDE", "").replace("NUTE", "\u03bb")},
            "anyway": True,
        }
        refused = self.client.post(
            f"/api/revisions/{revision.pk}/desk/save", json.dumps(cannot), content_type="application/json"
        )
        self.assertEqual(refused.status_code, 422)

    def test_the_second_to_save_from_one_revision_is_asked(self) -> None:
        revision = take_in_path(self.shop, self.ines, SLOT)
        data = self.client.get(f"/api/revisions/{revision.pk}/desk").json()["job"]

        def save(near: float, **more: bool) -> int:
            changed = {**data, "checks": {**data["checks"], "near": near}}
            return self.client.post(
                f"/api/revisions/{revision.pk}/setup/save",
                json.dumps({"job": changed, **more}),
                content_type="application/json",
            ).status_code

        self.assertEqual([save(1.5), save(1.6), save(1.6, anyway=True)], [200, 409, 200])
        self.assertEqual(
            [r.parent_id for r in revision.job.revisions.order_by("number")], [None, revision.pk, revision.pk]
        )

    def test_names_are_exact_and_long_ones_refused(self) -> None:
        rows = []
        for name in ("Lid", "lid", "L\u00edd", "Lid ", "x" * 201):
            folder = Path(tempfile.mkdtemp())
            shutil.copytree(SLOT, folder, dirs_exist_ok=True)
            data = json.loads((folder / "job.json").read_text())
            (folder / "job.json").write_text(json.dumps({**data, "name": name}))
            if len(name) > 200:
                with self.assertRaises(Refused):
                    take_in_path(self.shop, self.ines, folder)
            else:
                rows.append(take_in_path(self.shop, self.ines, folder).job_id)
        self.assertEqual(len(set(rows)), 4)

    def test_files_dropped_on_a_setup_are_an_organisations_own(self) -> None:
        mine = take_in_path(self.shop, self.ines, SLOT)
        other = take_in_path(Organisation.objects.create(name="elsewhere"), self.ines, SLOT)
        self.assertEqual(mine.digest, other.digest)
        data = io.BytesIO()
        trimesh.creation.box([3, 4, 5]).export(data, file_type="stl")
        dropped.take(mine, "block.stl", data.getvalue())
        self.assertNotEqual(dropped.folder_of(mine), dropped.folder_of(other))
        self.assertFalse(dropped.folder_of(other).exists())
        shutil.rmtree(dropped.folder_of(mine))

    def test_a_job_goes_out_and_a_program_posted_again_comes_in(self) -> None:
        revision = self.job_of((SLOT / "O1001.nc").read_bytes())
        out = self.client.get(f"/api/revisions/{revision.pk}/archive")
        with zipfile.ZipFile(io.BytesIO(out.content)) as bundle:
            self.assertEqual(set(bundle.namelist()), set(self.held(revision)))
        again = (SLOT / "O1001.nc").read_bytes().replace(b"F800", b"F650")
        files = {"files": SimpleUploadedFile("o1001.nc", again)}
        answer = self.client.post(f"/api/revisions/{revision.pk}/programs", files).json()
        made = Revision.objects.get(pk=answer["revisions"][0]["id"])
        self.assertEqual((made.parent_id, self.held(made)["nc/O1001.nc"]), (revision.pk, again))
        single = self.client.get(f"/api/revisions/{made.pk}/files/nc/O1001.nc")
        self.assertEqual(single.content, again)
        self.client.logout()
        for address in (f"/api/revisions/{made.pk}/archive", f"/api/revisions/{made.pk}/files/nc/O1001.nc"):
            self.assertEqual(self.client.get(address).status_code, 401)
