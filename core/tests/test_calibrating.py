"""Times learned from the floor, against measurements made up with known constants, and the law's closed forms."""

from __future__ import annotations

import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from bluntmirror.job import open_job
from bluntmirror.rehearsal import check_program
from bluntmirror.rehearsal.calibrating import (
    Constants,
    Measured,
    NotTold,
    Sample,
    fit,
    machine_with,
    read_measured,
    with_constants,
    worked_out,
)
from bluntmirror.rehearsal.result import Timed

from .build import JOBS

HEAD = "G17 G21 G40 G49 G80 G90\nG54\n"


def timed(folder: Path, program: str, change: float = 3.0) -> Timed:
    machine = json.loads((JOBS / "slot-clear" / "machine.json").read_text())
    machine["tool_change"] = {"seconds": change}
    tools = json.loads((JOBS / "slot-clear" / "tools.json").read_text())
    tools["tools"] = [{**tools["tools"][0], "number": number} for number in (1, 2, 3)]
    job = json.loads((JOBS / "slot-clear" / "job.json").read_text())
    for name, data in (("machine", machine), ("tools", tools), ("job", job)):
        (folder / f"{name}.json").write_text(json.dumps(data))
    (folder / "O1001.nc").write_text(program)
    return check_program(open_job(folder))


def many() -> str:
    """An operation of rapids, one of long cuts and square corners, one of very short blocks, and one that is nothing but a tool change."""
    lines = [HEAD + "T1 M6 (RAPIDS)", "S1000 M3", "G43 H1 Z100."]
    lines += [f"G0 X{x} Y{y}" for x in (-60, 60) for y in range(-50, 51, 4)]
    lines += ["T2 M6 (CORNERS)", "S1000 M3", "G43 H2 Z100.", "G1 F4000. X0. Y0."]
    lines += [f"G1 X{4 * (i // 2 % 20)} Y{4 * ((i + 1) // 2 % 20)}" for i in range(240)]
    lines += ["T3 M6 (SPLINE)", "S1000 M3", "G43 H3 Z100.", "G1 F3000. X40. Y0."]
    lines += [f"X{40 * math.cos(k / 150):.4f} Y{40 * math.sin(k / 150):.4f}" for k in range(1200)]
    lines += ["T1 M6 (LOOSE)", "G4 P500"]
    return "\n".join([*lines, "M30", ""])


MEASURES = ("cycle", "rapids", "corners", "spline", "loose", "T2", "T3")


class Calibrating(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = tempfile.TemporaryDirectory()
        cls.timed = timed(Path(cls.folder.name), many())

    @classmethod
    def tearDownClass(cls) -> None:
        cls.folder.cleanup()

    def made_up(self, truth: Constants, noise: float, seed: int) -> list[Measured]:
        names = [Measured(what, 1.0) for what in MEASURES]
        told = worked_out(with_constants(self.timed, truth), names)
        told = told * (1.0 + noise * np.random.default_rng(seed).standard_normal(len(told)))
        return [Measured(what, float(value)) for what, value in zip(MEASURES, told, strict=True)]

    @settings(max_examples=5)
    @example(Constants(accel=1.0, corner=0.004, block=0.0156, change=2.0))  # the logarithm of a factor that is 1 is 0
    @given(
        st.builds(
            Constants,
            accel=st.floats(0.5, 1.5),
            corner=st.floats(0.002, 0.01),
            block=st.floats(0.009, 0.02),
            change=st.floats(2.0, 9.0),
        )
    )
    def test_known_constants_are_found_again(self, truth: Constants) -> None:
        found = fit([Sample(self.timed, tuple(self.made_up(truth, 0.0, 0)))])
        self.assertEqual(found.held, [])
        for name in ("accel", "corner", "block", "change"):
            self.assertAlmostEqual(
                getattr(found.after, name), getattr(truth, name), delta=0.03 * getattr(truth, name), msg=name
            )
        self.assertLess(found.spread, 0.002)

    def test_noise_stays_within_what_is_told_of_it(self) -> None:
        truth = Constants(0.7, 0.005, 0.01, 6.0)
        beyond = 0
        for seed in range(4):
            found = fit([Sample(self.timed, tuple(self.made_up(truth, 0.01, seed)))])
            self.assertLess(found.spread, 0.04)
            for name, sigma in found.unsure.items():
                beyond += abs(getattr(found.after, name) - getattr(truth, name)) > 3.0 * sigma + 0.01 * getattr(
                    truth, name
                )
        self.assertLessEqual(beyond, 2)  # of 16, at three standard deviations of few degrees of freedom

    def test_what_is_not_told_stays_as_it_was(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            plain = timed(Path(folder), HEAD + "T1 M6\nS1000 M3\nG43 H1 Z100.\nG1 F60. X50.\nX0.\nT2 M6\nM30\n")
        names = [Measured("cycle", 1.0), Measured("T1", 1.0)]
        told = worked_out(with_constants(plain, Constants(1.0, 0.004, 0.0, 9.0)), names)
        found = fit([Sample(plain, tuple(Measured(item.what, float(v)) for item, v in zip(names, told, strict=True)))])
        self.assertAlmostEqual(found.after.change, 9.0, delta=0.1)
        self.assertIn("block", found.held)
        self.assertEqual((found.after.block, found.after.corner), (0.0, 0.004))

    def test_two_that_do_the_same_to_all_that_was_measured_are_not_told_apart(self) -> None:
        """Without the change by itself, the times of three operations cannot tell four constants."""
        truth = Constants(0.7, 0.005, 0.01, 6.0)
        few = tuple(
            item for item in self.made_up(truth, 0.0, 0) if item.what in ("rapids", "corners", "spline", "T2", "T3")
        )
        found = fit([Sample(self.timed, few)])
        self.assertEqual(len(found.held), 1)
        self.assertEqual(getattr(found.after, found.held[0]), getattr(found.before, found.held[0]))

    def test_a_block_takes_at_least_its_time(self) -> None:
        """Closed form: n blocks of no length to speak of, run through, at block seconds each."""
        slow = with_constants(self.timed, Constants(1.0, 0.004, 0.02, 3.0))
        (row,) = worked_out(slow, [Measured("spline", 1.0)])
        self.assertAlmostEqual(row, 3.0 + 1200 * 0.02, delta=0.1 * 1200 * 0.02)

    def test_lines_as_they_are_pasted(self) -> None:
        self.assertEqual(
            read_measured("what,seconds\nT3, 1:34.5\ncycle,417.3\n"), [Measured("T3", 94.5), Measured("cycle", 417.3)]
        )
        self.assertEqual(read_measured("FACE\t57\n"), [Measured("FACE", 57.0)])
        for text, said in (
            ("T1,5\nT2,abc\n", "line 2"),
            ("cycle,-4", "no time"),
            ("", "no times"),
            ("a,b,c\nd,e,f", "line 2"),
        ):
            with self.assertRaisesRegex(NotTold, said):
                read_measured(text)
        with self.assertRaisesRegex(NotTold, "has no 'T9'"):
            worked_out(self.timed, [Measured("T9", 4.0)])

    def test_the_machine_keeps_them_and_its_jobs_are_timed_by_them(self) -> None:
        truth = Constants(0.5, 0.002, 0.01, 7.0)
        machine = machine_with(self.timed.job.machine, truth, 0.02, 7)
        assert machine.pace is not None
        self.assertEqual(
            (machine.pace.block_seconds, machine.pace.spread, machine.tool_change.seconds), (0.01, 0.02, 7.0)
        )
        with tempfile.TemporaryDirectory() as folder:
            job = timed(Path(folder), many()).job
            (Path(folder) / "machine.json").write_text(json.dumps(machine.model_dump(mode="json", exclude_none=True)))
            again = check_program(open_job(Path(folder)))
        del job
        names = [Measured(what, 1.0) for what in MEASURES]
        np.testing.assert_allclose(
            worked_out(again, names), worked_out(with_constants(self.timed, truth), names), rtol=1e-9
        )


if __name__ == "__main__":
    unittest.main()
