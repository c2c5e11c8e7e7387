"""The open contract: the two worked jobs, and the command line's exit status, files and one-line errors."""

import copy
import csv
import importlib.util
import io
import json
import re
import struct
import subprocess
import sys
import tempfile
import unittest
import zipfile
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import jsonschema
import trimesh

from bluntmirror.cli import main
from bluntmirror.job.models import JobFile, MachineFile, ToolsFile, in_millimetres
from ops.command import CORE_WORDS

from .build import HEAD, JOBS, slot_job
from .channels import gripping
from .inches import files_in_inches


def run(*words: object) -> tuple[int, str, str]:
    out, err = io.StringIO(), io.StringIO()
    with redirect_stdout(out), redirect_stderr(err):
        code = main([str(word) for word in words])
    return code, out.getvalue(), err.getvalue()


class Words(unittest.TestCase):
    def test_the_one_command_passes_on_every_word_of_the_core(self) -> None:
        told = io.StringIO()
        with redirect_stdout(told), self.assertRaises(SystemExit):
            main(["--help"])
        self.assertEqual(re.findall(r"^    ([a-z]+)\b", told.getvalue(), re.M), list(CORE_WORDS))


class WorkedJobs(unittest.TestCase):
    def test_slot_clear(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            code, text, _ = run("verify", JOBS / "slot-clear", "--out", folder, "--format", "json")
            verdict = json.loads(text)
            self.assertEqual((code, verdict["verdict"], verdict["findings"]), (0, "clear", []))
            stock = verdict["stock"][0]
            # 140 × 10 × 5 mm removed of 140 × 100 × 25.
            self.assertAlmostEqual(stock["volume_before"], 350_000, places=2)
            self.assertAlmostEqual(stock["volume_after"], 343_000, places=2)
            limits = {a["axis"]: (a["min"], a["max"]) for a in verdict["axes"]}
            # X: G54 −305 − 80; Z: −535 + 92 − 5.
            self.assertEqual(limits, {"X": (-385, 0), "Y": (-205, 0), "Z": (-448, 0)})
            self.assertEqual(json.loads((Path(folder) / "verdict.json").read_text()), verdict)
            data = (Path(folder) / "stock.stl").read_bytes()
            self.assertEqual(len(data), 84 + 50 * struct.unpack_from("<I", data, 80)[0])
            with (Path(folder) / "trace.csv").open() as rows:
                table = list(csv.DictReader(rows))
            self.assertEqual([r["kind"] for r in table[:4]], ["toolchange", "rapid", "rapid", "feed"])
            cut = next(r for r in table if r["line"] == "10")
            self.assertEqual((float(cut["X"]), float(cut["Z"]), float(cut["feed"])), (-225, -448, 800))

    def test_slot_flawed(self) -> None:
        code, text, _ = run("verify", JOBS / "slot-flawed", "--format", "json")
        verdict = json.loads(text)
        self.assertEqual((code, verdict["verdict"]), (1, "stop"))
        program = (JOBS / "slot-flawed" / "O1001.nc").read_text().splitlines()
        told = {f["kind"]: f for f in verdict["findings"]}
        self.assertEqual(set(told), {"contact.rapid", "travel.over"})
        self.assertEqual(len(verdict["findings"]), 2)
        self.assertEqual(program[told["contact.rapid"]["line"] - 1], "N94 X-60.")
        self.assertAlmostEqual(told["contact.rapid"]["amount"], 2.0, places=3)
        self.assertEqual(program[told["travel.over"]["line"] - 1], "N98 G0 X-320. Y0.")
        self.assertAlmostEqual(told["travel.over"]["amount"], 15.0, places=6)

    def test_other_forms_carry_the_same_findings(self) -> None:
        _, sarif, _ = run("verify", JOBS / "slot-flawed", "--format", "sarif")
        results = json.loads(sarif)["runs"][0]["results"]
        self.assertEqual(sorted(r["ruleId"] for r in results), ["contact.rapid", "travel.over"])
        _, junit, _ = run("verify", JOBS / "slot-flawed", "--format", "junit")
        self.assertEqual(junit.count("<failure"), 2)


class Published(unittest.TestCase):
    def test_the_docs_say_what_the_code_does(self) -> None:
        path = Path(__file__).parents[2] / "docs" / "write.py"
        spec = importlib.util.spec_from_file_location("docs_write", path)
        assert spec and spec.loader
        module = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(module)
        for file, text in module.pages().items():
            self.assertEqual(file.read_text(encoding="utf-8"), text, f"{file.name}: run python docs/write.py")
        used: set[str] = set()
        for _, model in module.MODELS:  # a field that is not described raises
            module.described(model.model_json_schema(), used)
        self.assertEqual(set(module.described.__globals__["FIELDS"]), used, "descriptions of fields that no file has")

    def test_a_verdict_is_what_its_schema_says(self) -> None:
        schema = json.loads((Path(__file__).parents[2] / "docs" / "formats" / "verdict.schema.json").read_text())
        for job in ("slot-clear", "slot-flawed"):
            jsonschema.validate(json.loads(run("verify", JOBS / job, "--format", "json")[1]), schema)


class Inches(unittest.TestCase):
    """Every length of a file in inches is turned into millimetres, those that may be left out too."""

    MILL = {"diameter": 10, "flute_length": 20, "reach": 40, "shank_diameter": 12}
    TOOLS = [
        {"number": n, "length": 90, "cutter": cutter, "registers": {"H": 90, "D": 5}, "offset": [1, 2],
         "holder": {"segments": [{"diameter": 30, "to_diameter": 40, "length": 20}]}, "limits": {"feed_per_tooth": [0.01, 0.2]}}
        for n, cutter in enumerate([
            MILL | {"type": "end-mill", "corner_radius": 1}, MILL | {"type": "ball-mill"}, MILL | {"type": "drill", "point_angle": 118},
            MILL | {"type": "chamfer-mill", "tip_diameter": 1, "angle": 90}, MILL | {"type": "t-slot"}, MILL | {"type": "tap", "pitch": 1.5},
            MILL | {"type": "dovetail", "angle": 60}, MILL | {"type": "reamer"}, MILL | {"type": "profile", "profile": [[0, 0], [4, 2], [4, 20]]},
            {"type": "insert", "shape": "C", "inscribed_circle": 12.7, "nose_radius": 0.8, "lead_angle": 95},
            {"type": "groove", "width": 3, "nose_radius": 0.2, "reach": 14}, {"type": "thread-insert", "pitch": 2, "reach": 20},
        ], 1)
    ]  # fmt: skip
    SHAPES = [
        {"type": "revolve", "profile": [[0, 0], [10, 0], [10, 30]], "at": [1, 2, 3], "turn": [0, 90, 0]},
        {"type": "extrude", "outline": [[0, 0], [10, 0], [10, 30]], "height": 12}, {"type": "tube", "outer": 30, "inner": 10, "length": 50},
        {"type": "box", "size": [1, 2, 3]}, {"type": "cylinder", "diameter": 5, "length": 6},
    ]  # fmt: skip

    def same(self, one: Any, other: Any, place: str = "") -> None:
        if isinstance(one, dict):
            for key in one:
                self.same(one[key], other[key], f"{place}.{key}")
        elif isinstance(one, list | tuple):
            for i, (a, b) in enumerate(zip(one, other, strict=True)):
                self.same(a, b, f"{place}[{i}]")
        elif isinstance(one, float):
            self.assertAlmostEqual(one, other, places=9, msg=place)
        elif not place.endswith(".units"):
            self.assertEqual(one, other, place)

    def test_tools_and_shapes(self) -> None:
        job = {"format": "blunt-mirror/job@1", "name": "j", "machine": "m", "tools": "t", "programs": [{"main": "p"}],
               "bodies": [{"name": "vise", "role": "fixture", "mount": "table", "at": [4, 5, 6], "shapes": self.SHAPES}],
               "work_offsets": {"G54": {"X": -10, "B": 30}, "G55": {"datum": [1, 2, 3], "mount": "table"}},
               "checks": {"near": 2, "pairs": [{"between": ["vise", "tool"], "near": 0.5}]}}  # fmt: skip
        machine = gripping()
        machine["codes"]["M25"] = {"does": "push", "grip": "main chuck", "most": 60}
        machine["unit"] = {"label": "7", "work_offsets": {"G54": {"X": -100, "C": 45}}}
        tools = {"format": "blunt-mirror/tools@1", "tools": self.TOOLS}
        machine, tools, job = json.loads(json.dumps((machine, tools, job)))
        told = copy.deepcopy((machine, tools, job))
        files_in_inches(*told)
        for kind, own, inches in zip((MachineFile, ToolsFile, JobFile), (machine, tools, job), told, strict=True):
            self.same(
                in_millimetres(kind.model_validate(own), 1.0).model_dump(),
                in_millimetres(kind.model_validate(inches), 25.4).model_dump(),
            )


class Unreadable(unittest.TestCase):
    def setUp(self) -> None:
        keep = tempfile.TemporaryDirectory()
        self.addCleanup(keep.cleanup)
        self.folder = Path(keep.name)
        slot_job(self.folder, HEAD + "M30\n")

    def edit(self, file: str, old: str, new: str) -> None:
        path = self.folder / file
        self.assertIn(old, path.read_text())
        path.write_text(path.read_text().replace(old, new, 1))

    def refused(self, *says: str, path: Path | None = None) -> None:
        code, out, err = run("verify", path or self.folder)
        self.assertEqual((code, out), (2, ""))
        self.assertEqual(err.strip().count("\n"), 0, err)
        for word in says:
            self.assertIn(word, err)

    def test_missing_and_broken_files(self) -> None:
        self.refused("no such file", path=self.folder / "nothing")
        self.edit("job.json", '"O1001.nc"', '"O9.nc"')
        self.refused("O9.nc", "no such file")
        (self.folder / "job.json").write_text('{"format": ')
        self.refused("line 1", "not valid JSON")
        (self.folder / "job.json").write_bytes(b"\xff\xfe\x00")
        self.refused("job.json")

    def test_numbers_that_are_none(self) -> None:
        self.edit("job.json", '"resolution": 0.5', '"resolution": NaN')
        self.refused("NaN")
        self.edit("job.json", "NaN", "1e999")
        self.refused("checks.resolution")

    def test_a_field_that_the_format_lacks(self) -> None:
        self.edit("job.json", '"resolution"', '"resolutoin"')
        self.refused("checks.resolutoin", "no such field")

    def test_paths_that_leave_the_folder(self) -> None:
        self.edit("job.json", '"O1001.nc"', '"../O1001.nc"')
        self.refused("leaves the job folder")
        bundle = self.folder / "trick.zip"
        with zipfile.ZipFile(bundle, "w") as out:
            out.writestr("../evil.txt", "x")
        self.refused("leaves the job folder", path=bundle)
        self.assertFalse((self.folder.parent / "evil.txt").exists())

    def test_archives_that_swell(self) -> None:
        bundle = self.folder / "bomb.zip"
        with zipfile.ZipFile(bundle, "w", zipfile.ZIP_DEFLATED) as out:
            out.writestr("job.json", b" " * 30_000_000)
        self.refused("suspicious", path=bundle)

    def test_a_mesh_that_is_none(self) -> None:
        (self.folder / "part.stl").write_text("this is no mesh")
        data = json.loads((self.folder / "job.json").read_text())
        data["bodies"][0]["shape"] = {"type": "mesh", "file": "part.stl"}
        (self.folder / "job.json").write_text(json.dumps(data))
        self.refused("part.stl", "not an STL")

    def test_a_program_too_large(self) -> None:
        with (self.folder / "O1001.nc").open("wb") as out:
            out.truncate(200_000_000)
        self.refused("O1001.nc", "200 MB")

    def test_archives_and_meshes_that_break_their_readers(self) -> None:
        """Whatever a reader stumbles over is one line and exit 2."""
        bundle = self.folder / "job.zip"
        with zipfile.ZipFile(bundle, "w", zipfile.ZIP_DEFLATED) as out:
            out.writestr("job.json", json.dumps({"name": "x" * 500}))
        whole = bytearray(bundle.read_bytes())
        at = whole.index(b"job.json") + 8
        whole[at : at + 6] = b"\xff" * 6  # the deflated stream itself
        bundle.write_bytes(whole)
        code, _, said = run("verify", bundle)
        self.assertEqual((code, said.count("\n")), (2, 1), said)
        corners = [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, float("nan")]]
        xml = "".join(f'<vertex x="{x}" y="{y}" z="{z}"/>' for x, y, z in corners)
        rows = "".join(
            f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in ((0, 2, 1), (0, 1, 3), (1, 2, 3), (2, 0, 3))
        )
        model = (
            '<?xml version="1.0"?><model unit="millimeter" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">'
            f"<resources><object id='1' type='model'><mesh><vertices>{xml}</vertices><triangles>{rows}</triangles></mesh></object>"
            "</resources><build><item objectid='1'/></build></model>"
        )
        with zipfile.ZipFile(self.folder / "part.3mf", "w") as out:
            out.writestr("3D/3dmodel.model", model)
            out.writestr(
                "_rels/.rels", '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"/>'
            )
        solid = trimesh.creation.box([1, 1, 1])
        glb = bytearray(solid.export(file_type="glb"))
        glb[-24:-12] = b"\xff\xff\xff\x7f" * 3  # the indices' end or the vertices': either is nonsense
        (self.folder / "part.glb").write_bytes(glb)
        for name in ("part.3mf", "part.glb"):
            job = json.loads((self.folder / "job.json").read_text())
            job["bodies"][0] = {"name": "p", "role": "part", "mount": "table", "shape": {"type": "mesh", "file": name}}
            (self.folder / "job.json").write_text(json.dumps(job))
            self.refused(name)

    def test_places_are_named_as_people_name_them(self) -> None:
        self.edit("tools.json", '"diameter": 10', '"diameter": "ten"')
        self.refused("tools.json", "T1.cutter.diameter", "a number is needed here")

    def test_an_offset_of_an_axis_that_is_not_there(self) -> None:
        job = json.loads((self.folder / "job.json").read_text())
        job["work_offsets"] = {"G54": {"X": 0, "Q": 3}}
        (self.folder / "job.json").write_text(json.dumps(job))
        self.refused("work_offsets.G54", "no axis 'Q'")

    def test_names_that_spreadsheets_and_parsers_trip_over(self) -> None:
        job = json.loads((self.folder / "job.json").read_text())
        job["name"] = "Lid\x07\ud800"
        job["programs"][0]["main"] = '=1+1,"x".nc'
        (self.folder / "job.json").write_text(json.dumps(job))
        (self.folder / '=1+1,"x".nc').write_bytes((JOBS / "slot-clear" / "O1001.nc").read_bytes())
        _, text, _ = run("trace", self.folder)
        rows = list(csv.reader(io.StringIO(text)))
        self.assertEqual({len(row) for row in rows}, {10})
        self.assertEqual({row[1] for row in rows[1:]}, {'\'=1+1,"x".nc'})
        ElementTree.fromstring(run("check", self.folder, "--format", "junit")[1])

    def test_a_program_without_an_end_is_never_clear(self) -> None:
        whole = (JOBS / "slot-clear" / "O1001.nc").read_text()
        for text, severity, line in (
            ("", "stop", 1),
            ("%\nO1001\n%\n", "stop", 2),
            ("M30\n", "caution", 1),
            (whole[: whole.index("N80 X80.") + 6], "stop", whole[: whole.index("N80 X80.")].count("\n") + 1),  # a broken transfer
            (whole.replace("N140 M30", ""), "stop", 15),
        ):  # fmt: skip
            (self.folder / "O1001.nc").write_text(text)
            for word in ("check", "verify"):
                code, told, _ = run(word, self.folder, "--format", "json", "--fail-on", "caution")
                ends = [f for f in json.loads(told)["findings"] if f["kind"] == "program.end"]
                self.assertEqual((code, [f["severity"] for f in ends]), (1, [severity]), text[-30:])
                self.assertEqual(ends[0]["line"], line)

    def test_an_endless_program_is_a_finding(self) -> None:
        (self.folder / "O1001.nc").write_text("O1001\nM98 P1001\nM30\n")
        code, text, _ = run("check", self.folder, "--format", "json")
        self.assertEqual(code, 1)
        self.assertEqual([f["kind"] for f in json.loads(text)["findings"]], ["program.endless"])

    def test_a_zip_gives_what_its_folder_gives(self) -> None:
        bundle = self.folder / "job.zip"
        with zipfile.ZipFile(bundle, "w") as out:
            for name in ("job.json", "machine.json", "tools.json", "O1001.nc"):
                out.write(self.folder / name, f"inner/{name}")
        self.assertEqual(run("check", bundle)[:2], run("check", self.folder)[:2])


class Installed(unittest.TestCase):
    def test_the_core_needs_no_web(self) -> None:
        code = "import bluntmirror.cli, sys; sys.exit(any(m in sys.modules for m in ('django', 'celery', 'redis')))"
        self.assertEqual(subprocess.run([sys.executable, "-c", code]).returncode, 0)
