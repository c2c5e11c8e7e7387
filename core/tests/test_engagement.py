"""What the rays tell of every tool's work, against the closed forms: area of the cut times feed, and handbook chip thinning."""

import json
import math
from typing import Any

import numpy as np

from bluntmirror.export.verdict import verdict_dict
from bluntmirror.job import open_job
from bluntmirror.rehearsal import Rehearsal, rehearse

from .build import HEAD, JOBS, slot_job
from .test_lathe import Turning
from .test_machine import WithFolder

BODIES: list[dict[str, Any]] = json.loads((JOBS / "slot-clear" / "job.json").read_text())["bodies"]
# T1 of the slot job: end mill of 10 mm, 4 flutes, at S6000.
END = "G0 Z50.\nM5\nG91 G28 Z0.\nM30\n"


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
