"""A virtual control for tests of the language, and the book-keeping of which test shows which code.

Program zero with G54 and H1 is the machine's (−300, −200, −410) on the mill, (−100, −300) in X (as the slide's way) and Z on
the lathe. Expected values beside it are worked out by hand.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Callable
from typing import Any

import numpy as np

from bluntmirror.findings import Docket, Finding, Policy
from bluntmirror.job.models import MachineCode, Turret
from bluntmirror.program.control import Nose, Setup
from bluntmirror.program.dialect import Dialect, built_in
from bluntmirror.program.interpreted import Interpreted
from bluntmirror.program.interpreter import Interpreter
from bluntmirror.program.text import ProgramText

ZERO = np.array([-300.0, -200.0, -410.0])
READY = "T1 M6\nG54 G43 H1 G0 X0 Y0 Z0 S1000 M3\nF100\n"
TURN_ZERO = np.array([-100.0, -300.0])
TURN_READY = "T0101\nG97 S1000 M3\nG0 X60. Z5.\n"

# (dialect, code) → the tests that show it; filled by `shows` as the test modules are read.
SHOWN: dict[tuple[str, str], list[str]] = {}
_interpreted: set[tuple[str, str]] = set()


def mill(dialect: Dialect | str = "iso-mill", **changes: Any) -> Setup:
    values: dict[str, Any] = {
        "axes": ("X", "Y", "Z"), "work_offsets": {"G54": {"X": -300.0, "Y": -200.0, "Z": -500.0}},
        "length_registers": {1: 90.0, 2: 75.0}, "radius_registers": {1: 5.0, 2: 3.0}, "tools": frozenset({1, 2}),
        "references": {1: {"X": 0.0, "Y": 0.0, "Z": 0.0}}, "change_at": {}, "max_rpm": 12000.0,
    }  # fmt: skip
    values["dialect"] = built_in(dialect) if isinstance(dialect, str) else dialect
    return Setup(**{**values, **changes})


def lathe(dialect: str = "iso-turn", **changes: Any) -> Setup:
    values: dict[str, Any] = {
        "axes": ("X", "Z", "C"), "work_offsets": {"G54": {"X": 0.0, "Z": -200.0}}, "length_registers": {},
        "tools": frozenset({1, 2, 3}), "geometry": {n: {"X": -100.0, "Z": -98.0 if n == 2 else -100.0} for n in (1, 2, 3)},
        "noses": {1: Nose(0.8, 1.0, 1.0)}, "radius_registers": {3: 4.0}, "references": {1: {"X": 0.0, "Z": 0.0}},
        "change_at": {}, "diameters": frozenset({"X"}), "turning_spindle": True, "max_rpm": 4000.0,
        "turret": Turret(axis="TR", stations=12), "stations": {1: 1, 2: 2, 3: 3},
        "codes": {"M33": MachineCode(does="live", turns=1), "M35": MachineCode(does="live", turns=0)},
    }  # fmt: skip
    values["dialect"] = built_in(dialect)
    return Setup(**{**values, **changes})


def read(
    setup: Setup, text: str, library: dict[str, str] | None = None, fast: bool = False, policy: Policy | None = None
) -> tuple[Interpreter, Interpreted, list[Finding]]:
    _note(setup.dialect.name, text)
    docket = Docket(policy=policy or Policy())
    o_words = setup.dialect.o_words
    texts = [ProgramText("main.nc", ended(text).encode(), o_words)]
    for name, body in (library or {}).items():
        _note(setup.dialect.name, body)
        texts.append(ProgramText(name, body.encode(), o_words))
    run = Interpreter(setup, texts, docket, fast=fast)
    return run, run.run(), list(docket)


def ended(text: str) -> str:
    """A text with an end: tests of what comes before it need not write one."""
    bare = re.sub(r"\([^)]*\)|;.*", "", text).upper().replace(" ", "")
    return text if re.search(r"M0*(30|2|99)(?!\d)|^%", bare) else text.rstrip("\n") + "\nM30\n"


def _note(dialect: str, text: str) -> None:
    bare = re.sub(r"\([^)]*\)|;.*", "", text).upper()
    for letter, number in re.findall(r"(?<![A-Z<])([GM])\s*(\d+(?:\.\d)?)", bare):
        _interpreted.add((dialect, f"{letter}{float(number):g}"))
    for word in re.findall(r"GOTO|WHILE|THEN|IF|#", bare):
        _interpreted.add((dialect, word))
    for word in re.findall(r"O(?:<\w*>|\d+)\s*(SUB|CALL|IF|WHILE|DO|REPEAT)", bare):
        _interpreted.add((dialect, f"O {word}"))


def shows(*codes: str, dialect: str = "iso-mill") -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Says that a test shows what codes do; the test fails where it does not even carry them out."""

    def mark(test: Callable[..., None]) -> Callable[..., None]:
        for code in codes:
            SHOWN.setdefault((dialect, code), []).append(f"{test.__module__.rpartition('.')[2]}.{test.__qualname__}")

        @functools.wraps(test)
        def with_witness(*arguments: Any) -> None:
            _interpreted.clear()
            test(*arguments)
            missing = [code for code in codes if (dialect, code) not in _interpreted]
            assert not missing, f"says that it shows {missing}, which no program in it has"

        return with_witness

    return mark
