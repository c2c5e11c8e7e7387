"""One part over several jobs: what a step left is what the next begins with."""

import json
import shutil
import unittest
import zipfile
from contextlib import redirect_stderr, redirect_stdout
from io import BytesIO, StringIO
from pathlib import Path
from typing import Any

import numpy as np

from bluntmirror.cli import main
from bluntmirror.geometry.meshfile import read_mesh
from bluntmirror.job.route import open_route
from bluntmirror.rehearsal.routing import Handed, handed_on, read_handed, rehearse_step, write_handed
from demo.build import ROUTE_FAULTS

from .build import JOBS
from .shop import SHOP
from .test_machine import WithFolder

SLOT = (JOBS / "slot-clear" / "O1001.nc").read_text()
BLANK = {
    "name": "blank",
    "role": "stock",
    "mount": "table",
    "shape": {"type": "box", "size": [140, 100, 25]},
    "at": [0, 0, 52.5],
}
CARRIED = BLANK | {"shape": {"type": "carried", "step": "op10", "body": "blank"}, "turn": [180, 0, 0]}
ROUTE = {
    "format": "blunt-mirror/route@1", "name": "Both sides",
    "steps": [{"name": "op10", "job": "op10"}, {"name": "op20", "job": "op20"}],
}  # fmt: skip


class Routes(WithFolder):
    def step(self, name: str, *bodies: dict[str, Any], program: str = SLOT) -> Path:
        folder = self.folder / name
        shutil.copytree(JOBS / "slot-clear", folder)
        data = json.loads((folder / "job.json").read_text())
        data["bodies"] = [data["bodies"][0], *bodies]
        data["checks"]["resolution"] = 1.0
        (folder / "job.json").write_text(json.dumps(data))
        (folder / "O1001.nc").write_text(program)
        return folder

    def route(self, **changes: Any) -> Path:
        (self.folder / "route.json").write_text(json.dumps(ROUTE | changes))
        return self.folder

    def verify(self, path: Path, *more: str) -> tuple[int, str, str]:
        out, err = StringIO(), StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            status = main(["verify", str(path), *more])
        return status, out.getvalue(), err.getvalue()

    def test_who_cut_what_comes_along_through_every_step(self) -> None:
        self.step("op10", BLANK)
        self.step("op20", CARRIED)
        aside = {"shape": {"type": "carried", "step": "op20", "body": "blank"}, "turn": [0, 0, 90], "at": [0, 0, 52.5]}
        self.step("op30", BLANK | aside)
        self.route(steps=[{"name": name, "job": name} for name in ("op10", "op20", "op30")])
        route = open_route(self.folder)
        assert route
        handed: dict[tuple[str, str], Handed] = {}
        for number, name in enumerate(("op10", "op20", "op30")):
            taken = {key: handed[key] for key in route.carries[number]}
            job = route.open(number, {key: item.left for key, item in taken.items()})
            result = rehearse_step(job, taken, filmed=False)
            out = BytesIO()
            write_handed(out, handed_on(result, taken, name))
            out.seek(0)
            handed |= {(name, body): item for body, item in read_handed(out).items()}
        left = handed["op30", "blank"]
        self.assertEqual({cut.step for cut in left.cut.cuts}, {"op10", "op20", "op30"})
        slot = {i for i, line in enumerate(SLOT.splitlines(), 1) if line.startswith(("N", "G1", "X", "Z"))}
        self.assertTrue({cut.line for cut in left.cut.cuts} <= slot)
        self.assertEqual(
            {(cut.program, cut.tool, cut.name) for cut in left.cut.cuts}, {("O1001.nc", 1, "D10 end mill")}
        )
        # In the frame of op20's body, which has it upside down: op20's slot lies below, op10's above, and op30's across that.
        middle = left.left.triangles.mean(axis=1)
        step = np.array(["", *(cut.step for cut in left.cut.cuts)])[left.cut.of_face + 1]
        x, y, z = middle.T
        for name, floor in (
            ("op20", (np.abs(z + 7.5) < 0.1) & (np.abs(y) < 4) & (np.abs(x) < 60)), ("", np.abs(z - 12.5) < 0.01),
            ("op10", (np.abs(z - 7.5) < 0.1) & (np.abs(y) < 4) & (np.abs(x) > 6) & (np.abs(x) < 60)),
            ("op30", (np.abs(z - 7.5) < 0.1) & (np.abs(x) < 4) & (np.abs(y) > 6) & (np.abs(y) < 40)),
        ):  # fmt: skip
            self.assertGreater(floor.sum(), 20, name)
            self.assertEqual(set(step[floor].tolist()), {name})

    def test_the_second_side_begins_with_what_the_first_left(self) -> None:
        self.step("op10", BLANK)
        self.step("op20", CARRIED)
        out = self.folder / "out"
        status, text, _ = self.verify(self.route(), "--out", str(out), "--format", "json")
        self.assertEqual(status, 0, text)
        route = json.loads((out / "verdict.json").read_text())
        self.assertEqual(route, json.loads(text))
        self.assertEqual((route["format"], route["verdict"]), ("blunt-mirror/route-verdict@1", "clear"))
        self.assertEqual(
            [(s["name"], s["verdict"], s["findings"]) for s in route["steps"]],
            [("op10", "clear", 0), ("op20", "clear", 0)],
        )
        first, second = (json.loads((out / step / "verdict.json").read_text())["stock"][0] for step in ("op10", "op20"))
        # A slot of 10 × 5 through 140 from either side: 7000 mm³ each.
        self.assertAlmostEqual(first["volume_after"], 343_000, delta=1)
        self.assertAlmostEqual(second["volume_before"], 343_000, delta=1)
        self.assertAlmostEqual(second["volume_after"], 336_000, delta=1)
        left = read_mesh(out / "op20" / "stock.stl")
        self.assertAlmostEqual(left.volume, 336_000, delta=10)
        # Turned over about X: the first slot now lies below, its floor 5 above the bottom at z = 40.
        x, y, z = left.vertices.T
        below = left.vertices[(np.abs(x) < 69) & (np.abs(y) < 4) & (z < 50)]
        np.testing.assert_allclose(below[:, 2], 45.0, atol=0.02)

    def test_a_zip_and_the_file_itself_are_taken_too(self) -> None:
        self.step("op10", BLANK)
        self.step("op20", CARRIED)
        folder = self.route()
        with zipfile.ZipFile(self.folder.parent / f"{self.folder.name}.zip", "w") as bundle:
            for file in [*folder.rglob("*.json"), *folder.rglob("*.nc")]:
                bundle.write(file, file.relative_to(folder))
        try:
            for path in (self.folder.parent / f"{self.folder.name}.zip", folder / "route.json"):
                status, text, error = self.verify(path, "--format", "junit")
                self.assertEqual((status, text.count("<testsuite ")), (0, 2), error)
        finally:
            (self.folder.parent / f"{self.folder.name}.zip").unlink()

    def test_the_demo_shops_route(self) -> None:
        """Both sides of the lid: clear as released; flawed it is told by each fault once."""
        for revision, faults in (("1-as released", []), ("2-flawed", sorted(ROUTE_FAULTS["buoy-lid"].values()))):
            out = self.folder / revision
            with redirect_stdout(StringIO()), redirect_stderr(StringIO()):
                code = main(["verify", str(SHOP.parent / "routes" / "buoy-lid" / revision), "--out", str(out)])
            steps = [json.loads((out / step / "verdict.json").read_text()) for step in ("op10", "op20")]
            self.assertEqual([f["kind"] for f in steps[0]["findings"]], [])
            self.assertEqual([f["kind"] for f in steps[1]["findings"]], faults)
            self.assertEqual(code, 0)  # material left is a caution
            if not faults:
                # 21 mm of the 30 are left between the two faces; what the second side begins with is what the first left.
                before, after = steps[1]["stock"][0]["volume_before"], steps[0]["stock"][0]["volume_after"]
                self.assertAlmostEqual(before, after, delta=2e-4 * after)

    def test_what_the_first_side_took_of_the_part_is_its_gouge(self) -> None:
        self.step("op10", BLANK)
        # As a whole block the design lacks nothing of the second side but 2 mm on top; the first side's slot is in it.
        self.step("op20", CARRIED, BLANK | {"name": "part", "role": "design"}, program=SLOT.replace("Z-5.", "Z2."))
        out = self.folder / "out"
        status, text, _ = self.verify(self.route(), "--out", str(out))
        verdict = json.loads((out / "op20" / "verdict.json").read_text())
        self.assertEqual(status, 1)
        self.assertEqual([(f["kind"], f["line"]) for f in verdict["findings"]], [("material.gouge", 0)])
        self.assertIn("step 'op10' has taken", verdict["findings"][0]["message"])
        self.assertAlmostEqual(verdict["findings"][0]["amount"], 5.0, delta=0.02)
        self.assertAlmostEqual(verdict["stock"][0]["gouge_max"], 5.0, delta=0.02)
        self.assertIn("op20: STOP", text)

    def test_what_comes_of_a_stopped_step_is_rehearsed_and_stopped(self) -> None:
        self.step("op10", BLANK, program=SLOT.replace("G43 H1 Z20.", "Z20."))
        self.step("op20", CARRIED)
        self.step("op30", CARRIED | {"shape": {"type": "carried", "step": "op20", "body": "blank"}})
        out = self.folder / "out"
        steps = [*ROUTE["steps"], {"name": "op30", "job": "op30"}]  # type: ignore[misc]
        status, _, _ = self.verify(self.route(steps=steps), "--out", str(out))
        self.assertEqual(status, 1)
        for step in ("op20", "op30"):
            found = json.loads((out / step / "verdict.json").read_text())["findings"]
            self.assertIn(("check.limit", "stop"), [(f["kind"], f["severity"]) for f in found])

    def test_bad_routes_say_what_is_wrong_and_run_nothing(self) -> None:
        self.step("op10", BLANK)
        alone = self.step("op20", CARRIED)
        later = [{"name": "op20", "job": "op20"}, {"name": "op10", "job": "op10"}]
        for changes, said in (
            ({"steps": []}, "at least 1"), ({"steps": later}, "'op10' does not come before"),
            ({"steps": [ROUTE["steps"][0], ROUTE["steps"][0]]}, "two steps are called 'op10'"),  # type: ignore[index]
            ({"steps": [{"name": "a/b", "job": "op10"}]}, "no name that a folder can have"),
            ({"steps": [{"name": "a", "job": "../op10"}]}, "leaves the route's folder"),
            ({"steps": [{"name": "a", "job": "op99"}]}, "there is no job in 'op99'"),
            ({"steps": [{"name": "op1", "job": "op10"}, {"name": "op20", "job": "op20"}]}, "'op10' is none of the route's"),
        ):  # fmt: skip
            status, out, error = self.verify(self.route(**changes))
            self.assertEqual((status, out), (2, ""), error)
            self.assertIn(said, error)
            self.assertEqual(error.count("\n"), 1)
        status, _, error = self.verify(alone)
        self.assertEqual(status, 2)
        self.assertIn("bodies.blank: its stock is what 'op10' leaves of 'blank'", error)


if __name__ == "__main__":
    unittest.main()
