"""Where the time goes: against a trapezoid of speed and the lengths in the program, and what could be saved."""

from __future__ import annotations

import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np

from bluntmirror.job import open_job
from bluntmirror.job.models import MachineCode, NamedSpindle
from bluntmirror.rehearsal import Rehearsal, check_program, rehearse
from bluntmirror.rehearsal.times import operation_times, savings

from .build import HEAD, slot_job
from .language import TURN_READY, lathe, read
from .shop import folders, rehearsed

END = "G0 Z20. M9\nM5\nG91 G28 Z0.\nM30\n"


def run(program: str) -> Rehearsal:
    with tempfile.TemporaryDirectory() as folder:
        return rehearse(slot_job(Path(folder), HEAD + program + END), filmed=False)


class Operations(unittest.TestCase):
    def test_every_second_is_in_one_kind_of_one_operation(self) -> None:
        for folder in folders():
            result = rehearsed(folder)
            rows = operation_times(result)
            for strand in result.strands:
                own = sum(row.seconds for row in rows if row.channel == strand.channel)
                moved = strand.reel.end_time - strand.reel.begin_time
                self.assertAlmostEqual(own, float(moved.sum()), places=6, msg=f"{folder} channel {strand.channel}")

    def test_in_material_by_the_length_that_the_tool_is_in_it(self) -> None:
        # A cutter of 10 goes into a blank of 140 at X −75 and is through when its middle is at X 70: 145 mm at 800 mm/min.
        result = run("X-90.\nG1 Z-5. F2000.\nX90. F800.\n")
        (row,) = operation_times(result)
        self.assertAlmostEqual(row.cutting, 145 / 800 * 60, delta=0.05 * 145 / 800 * 60)
        self.assertAlmostEqual(row.cutting + row.air, (180 / 800 + 25 / 2000) * 60 + row.late, delta=1e-6)
        self.assertEqual((row.change, row.dwell, row.waiting), (4.0, 0.0, 0.0))

    def test_what_acceleration_takes_is_late(self) -> None:
        # From rest to F and to rest again along 20 mm: L/v + v/a seconds (a trapezoid), at 100 mm/s and 4000 mm/s².
        result = check_program(self._checked("G61\nX-90.\nG1 X-70. F6000.\nX-90.\n"))
        (row,) = operation_times(result)
        self.assertAlmostEqual(row.late, 2 * 100.0 / 4000.0, delta=1e-6)

    def test_without_stock_all_feed_counts_as_cutting(self) -> None:
        (row,) = operation_times(check_program(self._checked("G1 X-50. F1000.\nG4 X2.\n")))
        self.assertEqual((row.air, round(row.dwell, 6)), (0.0, 2.0))

    def test_a_spindle_that_runs_up_and_coolant_take_what_the_machine_says(self) -> None:
        """Δn / ramp: 6000 at 4000 rev/min a second are 1.5 s up, as many down before M6 and at M5; S alone from 6000 to 2000 is 1 s,
        a reversal at 2000 is 1 s. Coolant on and off are half a second each; off where it is off is none."""
        with tempfile.TemporaryDirectory() as folder:
            program = HEAD + "M8\nS2000\nM4\nM9\nM9\nS6000 M3\nG91 G28 Z0.\nG90\nM6\nM5\nM30\n"
            plain = check_program(slot_job(Path(folder), program))
            place = Path(folder) / "machine.json"
            machine = json.loads(place.read_text())
            machine["spindle"]["ramp"], machine["coolant_seconds"] = 4000, 0.5
            place.write_text(json.dumps(machine))
            timed = check_program(open_job(Path(folder)))
        rows = operation_times(timed)
        self.assertEqual(
            [(round(row.spindle, 9), round(row.coolant, 9)) for row in rows], [(1.5 + 1.0 + 1.0 + 2.0, 1.0), (1.5, 0.0)]
        )
        self.assertAlmostEqual(timed.reel.seconds - plain.reel.seconds, 1.5 + 5.5 + 1.0)
        self.assertEqual([f.kind for f in timed.findings], [f.kind for f in plain.findings])
        self.assertEqual([row.spindle for row in operation_times(plain)], [0.0, 0.0])

    def test_under_surface_speed_a_spindle_runs_up_to_that_of_the_diameter(self) -> None:
        """n = 1000 v / (π d): at the diameter of 60 where the lead leaves the tool, π · 60 m/min are 1000 rev/min; on the way to 30 it
        follows to 2000, and from there it stops."""
        _, result, found = read(
            lathe(ramps={"": 500.0}), TURN_READY.replace("M3", "") + f"G96 S{math.pi * 60:.9f} M3\nG0 X30.\nM5\n"
        )
        self.assertEqual(found, [])
        self.assertEqual(list(result.spent.values()), ["spindle"] * 2)
        np.testing.assert_allclose(result.motions.seconds[list(result.spent)], [2.0, 4.0])

    def test_of_several_spindles_each_has_a_ramp_of_its_own(self) -> None:
        spindles = {
            n: NamedSpindle(name=n, turns="work", mount=n, ramp=ramp)
            for n, ramp in (("main", 1000.0), ("sub", 250.0), ("still", None))
        }
        codes = {f"M{60 + k}": MachineCode(does="spindle", spindle=name, turns=1) for k, name in enumerate(spindles)}
        setup = lathe(spindles=spindles, addressed="main", codes=codes, ramps={"main": 1000.0, "sub": 250.0})
        _, result, _ = read(setup, "G97 S1000 M3\nM61 S500\nM62 S500\nM60\nM5\n")
        np.testing.assert_allclose(result.motions.seconds[list(result.spent)], [1.0, 2.0, 1.0])

    def _checked(self, program: str):  # type: ignore[no-untyped-def]
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        return slot_job(Path(folder.name), HEAD + program + END)


class Savings(unittest.TestCase):
    def test_a_stretch_in_the_air_at_feed_is_told_with_what_a_rapid_would_save(self) -> None:
        # 200 mm at 600 mm/min: 20 s; at 400 mm/s a rapid takes half a second.
        result = run("X-90. Y-100.\nG1 X110. F600.\n")
        found = savings(result)
        self.assertEqual((found[0].kind, found[0].where.line), ("air", 8))
        self.assertAlmostEqual(found[0].seconds, 196 / 600 * 60 - 196 / 400 - 0.1, delta=0.05)

    def test_a_retract_far_above_everything_is_told_once_an_operation(self) -> None:
        # The blank's top is program zero; 2 mm above it is enough, 120 is 118 too much, up and down, at 300 mm/s.
        hole = "G0 Z120.\nX{}.\nZ3.\nG1 Z-2. F500.\n"
        found = [
            item
            for item in savings(run("Z3.\nG1 Z-2. F500.\n" + "".join(hole.format(x) for x in (10, 20, 30))))
            if item.kind == "high"
        ]
        self.assertEqual([(item.count, round(item.amount)) for item in found], [(3, 117)])
        self.assertAlmostEqual(found[0].seconds, 3 * 2 * 117 / 300, delta=0.01)

    def test_nothing_is_told_of_a_cut_or_of_a_low_retract(self) -> None:
        self.assertEqual(savings(run("G1 Z-2. F500.\nX60. F800.\nG0 Z3.\nX20.\nZ1.\nG1 Z-2.\n")), [])


class Opened(unittest.TestCase):
    def test_a_job_without_motions_has_no_operations(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            job = slot_job(Path(folder), "M30\n")
            self.assertEqual(operation_times(check_program(job)), [])
            self.assertEqual(savings(check_program(open_job(Path(folder)))), [])


if __name__ == "__main__":
    unittest.main()
