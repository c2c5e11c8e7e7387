"""Random programs through the compiled interpreter and the plain one: every column, state and finding is the same."""

from __future__ import annotations

import random

import numpy as np

from bluntmirror.findings import Docket
from bluntmirror.program import interpreter, run, text
from bluntmirror.program.control import Setup
from bluntmirror.program.interpreter import Interpreter
from bluntmirror.program.text import ProgramText


def random_program(rng: random.Random, lines: int) -> str:
    """Mostly plain blocks, with everything that must make the kernel hand over."""
    made = ["T1 M6\nG54 G43 H1 G0 X0 Y0 Z0 S1000 M3\nF100\nG1 X1"]
    for _ in range(lines):
        kind = rng.random()
        place = " ".join(f"{a}{rng.uniform(-20, 20):.3f}" for a in "XYZ" if rng.random() < 0.6)
        if kind < 0.78:
            made.append(place or "X0")
        elif kind < 0.88:
            made.append(f"{rng.choice(['G0', 'G1', 'G01', 'G90', 'G91 ', 'G1 F200', 'N5 G1'])}{place}")
        elif kind < 0.94:
            made.append(f"G{rng.choice([2, 3])} I{rng.uniform(-9, 9):.3f} J{rng.uniform(-9, 9):.3f}")
        else:
            made.append(rng.choice(OTHERS))
    return "\n".join(made)


OTHERS = [
    "(comment)", "M8", "S2000", "G4 P10", "G2 X1 Y1", "X1 X2", "G3 X5 R4", "F0", "", "G18", "G17", "G20", "G21", "/X3", "X[1+1]",
    "I3", "G91 G90 X1", "G43 H1", "G81 R2 Z-3", "G80", "G83 X1 R2 Z-3 Q1", "#1=#1+1", "G1 X#1", "G68 X0 Y0 R30", "G69", "G52 X1",
    "G41 D1 G1 X3 Y3", "G40 G1 X9", "G92 X0", "G51.1 X0", "G50.1", "G16", "G15", "M6 T2", "M6 T1", "G95", "G94 F90", "G61", "G64",
    "M5", "M3", "G55", "G54", "T1", "G28 Z0", "IF [#1 GT 3] THEN #1=0",
]  # fmt: skip


def setup() -> Setup:
    return Setup(("X", "Y", "Z"), {"G54": {"X": -300.0, "Y": -200.0, "Z": -500.0}}, {1: 90.0, 2: 75.0}, frozenset({1, 2}),
                 {1: {"X": 0.0, "Y": 0.0, "Z": 0.0}}, {}, radius_registers={1: 5.0, 2: 3.0})  # fmt: skip


def agree(program: str) -> int:
    """How many motions both ways give; raises AssertionError where they differ."""
    found = []
    for fast in (False, True):
        docket = Docket()
        reading = Interpreter(setup(), [ProgramText("a", program.encode())], docket, fast=fast)
        motions = reading.run().motions
        found.append((motions, list(docket), reading.control.modes(), reading.control.machine))
    (one, told, modes, stands), (other, told_other, modes_other, stands_other) = found
    assert told == told_other and modes == modes_other and stands == stands_other, program
    for column in ("kind", "line", "end", "feed", "rpm", "tool", "centre", "sweep", "plane"):
        assert np.array_equal(getattr(one, column), getattr(other, column)), (column, program)
    assert [one.snapshots[i] for i in one.snapshot] == [other.snapshots[i] for i in other.snapshot], program
    return len(one)


def agreement(programs: int, lines: int = 30) -> int:
    """Random programs both ways, the kernel entered for every run of plain blocks."""
    keep = interpreter.FAST_RUN, run.SCAN_FROM_LINES, text.SCAN_FROM_LINES
    interpreter.FAST_RUN, run.SCAN_FROM_LINES, text.SCAN_FROM_LINES = 2, 0, 0
    try:
        return sum(agree(random_program(random.Random(seed), lines)) for seed in range(programs))
    finally:
        interpreter.FAST_RUN, run.SCAN_FROM_LINES, text.SCAN_FROM_LINES = keep
