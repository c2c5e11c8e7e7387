"""What the rays tell of every tool's work, against the closed forms: area of the cut times feed, and handbook chip thinning."""

import itertools
import json
import math
import unittest
from typing import Any

import numpy as np

from bluntmirror.export.verdict import verdict_dict
from bluntmirror.geometry.mesh import box
from bluntmirror.job import open_job
from bluntmirror.job.models import ToolEntry
from bluntmirror.material.cut_kernel import CUT
from bluntmirror.material.stock import Batch, Stock, ToolSets, TurnedBatch
from bluntmirror.rehearsal import Rehearsal, rehearse
from bluntmirror.rehearsal.cutting import _across
from bluntmirror.tools import build_assembly

from .build import HEAD, JOBS, slot_job
from .test_lathe import Turning
from .test_machine import WithFolder

BODIES: list[dict[str, Any]] = json.loads((JOBS / "slot-clear" / "job.json").read_text())["bodies"]
# T1 of the slot job: end mill of 10 mm, 4 flutes, at S6000.
END = "G0 Z50.\nM5\nG91 G28 Z0.\nM30\n"


class AnySide(unittest.TestCase):
    """A cut is as deep, and as long, whichever side of the grid it comes from."""

    def test_from_each_side_of_a_cube_as_from_above(self) -> None:
        flat = {"type": "end-mill", "diameter": 6, "flute_length": 14, "reach": 40, "shank_diameter": 6}
        bull = flat | {"corner_radius": 1}
        taper = flat | {"type": "taper-mill", "tip_diameter": 4, "angle": 8}
        drill = flat | {"type": "drill", "point_angle": 118}
        n = 4
        start = np.array([[-20.0, 3, 7], [0.25, -1.0, 13.0], [-4, -18, 9], [20.0, 7.5, 10]])
        delta = np.array([[44.0, 0, 0], [0, 0, -5.0], [0, 36, 0], [-50.0, 4.0, 0]])
        for cutter in (flat, bull, taper, drill):
            tool = build_assembly(ToolEntry.model_validate({"number": 1, "cutter": cutter, "length": 80}))
            common = (np.zeros(n, np.int64), np.full(n, 1 << CUT), np.arange(n, dtype=np.int32))
            upright = Stock(box([24, 24, 24]), 0.5).cut(Batch(start, delta, *common), ToolSets.of([tool]))
            self.assertTrue((upright.stretch > 0).all() and (upright.engaged[[0, 2, 3]] < 1.0).all())
            for axes in itertools.permutations(range(3)):
                for sign in (1.0, -1.0):
                    turn = np.eye(3)[list(axes)]
                    turn[list(axes).index(2)] *= sign  # the tool looks along this axis of the grid
                    axis = np.tile(turn @ [0.0, 0.0, 1.0], (n, 1))
                    batch = TurnedBatch(start @ turn.T, delta @ turn.T, *common, axis, np.zeros((n, 3)))
                    told = Stock(box([24, 24, 24]), 0.5).cut(batch, ToolSets.of([tool], facets=True))
                    np.testing.assert_allclose(told.taken, upright.taken, rtol=2e-3)
                    np.testing.assert_allclose(told.stretch, upright.stretch, atol=2e-3)
                    np.testing.assert_allclose(told.engaged, upright.engaged, atol=1e-3)
                    self.assertEqual(float(_across(batch, np.array([1]))[0]), 0.0)  # down its own axis
                    np.testing.assert_allclose(
                        _across(batch, np.arange(n)), np.linalg.norm(delta[:, :2], axis=1), atol=1e-9
                    )

    def test_of_a_tool_that_leans_or_turns_no_depth_is_told(self) -> None:
        flat = {"type": "end-mill", "diameter": 6, "flute_length": 14, "reach": 40, "shank_diameter": 6}
        tool = build_assembly(ToolEntry.model_validate({"number": 1, "cutter": flat, "length": 80}))
        lean = np.array([[math.sin(0.3), 0.0, math.cos(0.3)], [0.0, 0.0, 1.0]])
        batch = TurnedBatch(
            np.array([[-20.0, -6, 9], [-20.0, 6, 9]]), np.array([[44.0, 0, 0]] * 2), np.zeros(2, np.int64), np.full(2, 1 << CUT), np.arange(2, dtype=np.int32),
            lean, np.array([[0.0, 0, 0], [0.02, 0, 0]]),
        )  # fmt: skip
        told = Stock(box([24, 24, 24]), 0.5).cut(batch, ToolSets.of([tool], facets=True))
        self.assertTrue((told.taken > 0).all())
        self.assertEqual((told.stretch.tolist(), told.engaged.tolist()), ([0.0, 0.0], [1.0, 1.0]))


class Milling(WithFolder):
    def run_with(self, program: str, limits: dict[str, Any] | None = None, **changes: Any) -> Rehearsal:
        job = slot_job(self.folder, HEAD + program + END, checks={"resolution": 0.5}, **changes)
        if limits is not None:
            tools = json.loads((self.folder / "tools.json").read_text())
            tools["tools"][0]["limits"] = limits
            (self.folder / "tools.json").write_text(json.dumps(tools))
            job = open_job(self.folder)
        return rehearse(job)

    def told(self, result: Rehearsal) -> dict[str, float | None]:
        tool = next(t for t in verdict_dict(result)["tools"] if t["number"] == 1)
        names = ("removal_rate", "depth_of_cut", "width_of_cut", "chip")
        return {name: tool[name] and tool[name]["most"] for name in names} | {"removed": tool["removed"]}

    def test_a_full_slot_and_a_pass_at_the_side(self) -> None:
        for width, depth in ((10.0, 5.0), (2.0, 8.0), (6.0, 3.0)):
            y = -50.0 - 5.0 + width  # the block's side is at −50
            program = f"G0 X-80. Y{y}\nZ{-depth}\nG1 X80. F1200\n"
            if width == 10.0:
                program = f"G0 X-80. Y0.\nZ{-depth}\nG1 X80. F1200\n"
            result = self.run_with(program)
            told = self.told(result)
            tooth = 1200 / (6000 * 4)
            share = width / 10.0
            chip = 2 * tooth * math.sqrt(share * (1 - share)) if share < 0.5 else tooth
            assert told["removal_rate"] and told["depth_of_cut"] and told["width_of_cut"] and told["chip"]
            self.assertAlmostEqual(told["removal_rate"], width * depth * 1200 / 1000, delta=0.05 * width * depth * 1.2)
            self.assertAlmostEqual(told["depth_of_cut"], depth, delta=1e-3)
            self.assertAlmostEqual(told["width_of_cut"], width, delta=0.05 * width)
            self.assertAlmostEqual(told["chip"], chip, delta=0.05 * chip)
            stock = result.stocks[0]
            self.assertAlmostEqual(
                told["removed"], stock.volume_before - stock.volume_after, delta=0.01 * width * depth * 140
            )

    def test_the_same_way_in_a_hundred_pieces_and_back_over_it_is_the_same_work(self) -> None:
        pieces = "".join(f"X{x:.2f}\n" for x in np.linspace(-80, 80, 101)[1:])
        whole = self.told(self.run_with("G0 X-80. Y-47.\nZ-4.\nG1 X80. F1200\n"))
        many = self.told(self.run_with(f"G0 X-80. Y-47.\nZ-4.\nG1 F1200\n{pieces}X-80.\n"))
        for name, value in whole.items():
            assert value is not None and many[name] is not None
            self.assertAlmostEqual(many[name], value, delta=0.06 * value, msg=name)

    def test_a_limit_is_told_at_the_line_that_passes_it(self) -> None:
        program = "G0 X-80. Y0.\nZ-2.\nG1 X80. F1200\nY-20. Z5.\nG0 X-80.\nZ-6.\nG1 X80. F1200\n"
        found = [f for f in self.run_with(program, {"removal_rate": 60}).findings if f.rule == "removal.rate"]
        self.assertEqual([(f.kind, f.severity, f.line) for f in found], [("program.data", "caution", 13)])
        self.assertAlmostEqual(found[0].amount, 10 * 6 * 1.2 - 60, delta=3)
        self.assertIn("83 % of the feed", found[0].remedy)
        self.assertEqual(
            [f for f in self.run_with(program, {"removal_rate": 75}).findings if f.rule == "removal.rate"], []
        )

    def test_what_it_weighs(self) -> None:
        bodies = json.loads(json.dumps(BODIES))
        bodies[1]["material"] = {"name": "aluminium", "density": 2.7}
        job = slot_job(self.folder, HEAD + "G0 X-80. Y0.\nZ-5.\nG1 X80. F1200\n" + END, bodies=bodies)
        stock = verdict_dict(rehearse(job))["stock"][0]
        volume = 140 * 100 * 25
        self.assertEqual(stock["material"], "aluminium")
        self.assertAlmostEqual(stock["mass_before"], volume * 2.7e-6, places=4)
        self.assertAlmostEqual(stock["mass_after"], (volume - 140 * 10 * 5) * 2.7e-6, delta=1e-4)


class OnALathe(Turning):
    def test_turned_down(self) -> None:
        # π (30² − 27²) times the feed of 0.2 mm a turn at 500 turns a minute.
        result = rehearse(self.job("T0101\nG97 S500 M3\nG0 X54. Z5.\nG1 Z-40. F0.2\nX64.\nG28 U0 W0\nM5\nM30\n"))
        told = result.engagements[1]
        area = math.pi * (30**2 - 27**2)
        self.assertAlmostEqual(told.rate.value, area * 0.2 * 500, delta=0.03 * area * 100)
        stock = result.stocks[0]
        self.assertAlmostEqual(told.taken, stock.volume_before - stock.volume_after, delta=0.01 * area * 40)
        self.assertEqual((told.depth.motion, told.width.motion), (-1, -1))


del Turning
