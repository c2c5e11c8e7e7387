"""Canned drilling cycles, unrolled into the motions they are: G81, G82, G83, G73.

    initial level   where the drilling axis stood when the cycle began
    R level         where rapid ends and feed begins
    G98, G99        return to the initial level, to the R level

In G91 the hole position, R (from the initial level) and Z (from R) are increments; K or L repeats the cycle.
The clearance that a peck keeps is a parameter on real controls; 0.5 mm here (common practice).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .interpreter import Interpreter, Words

PECK_CLEARANCE_MM = 0.5
MAX_PECKS = 100_000


def carry_out(run: Interpreter, words: Words, axes: dict[str, float]) -> None:
    """Carry out one block under a modal cycle."""
    control = run.control
    code = control.cycle_code
    drill = run._drill_axis()
    held = control.cycle
    for letter in ("R", "Q"):
        if letter in words:
            held[letter] = run._scaled(words, letter)
    if "P" in words:
        held["P"] = words.value["P"] / 1000.0
    if drill in axes:
        held["depth"] = axes[drill]
    missing = [name for name, key in (("R", "R"), (drill, "depth")) if key not in held]
    if code in (730, 830) and held.get("Q", 0.0) <= 0.0:
        missing.append("Q")
    if missing:
        run.report("program.syntax", f"the cycle G{code // 10} lacks {' and '.join(missing)}")
        return
    if control.absolute:
        level_r, bottom = held["R"], held["depth"]
    else:
        level_r = control.cycle_initial + held["R"]
        bottom = level_r + held["depth"]
    if level_r < bottom:
        run.report("program.syntax", f"the cycle's R level ({level_r:g}) lies below its depth ({bottom:g})")
        return
    repeats = round(words.value.get("K", words.value.get("L", 1.0)))
    plane_axes = {axis: value for axis, value in axes.items() if axis != drill}
    for _ in range(min(repeats, MAX_PECKS)):
        place = {
            axis: value if control.absolute else control.program_position(axis) + value
            for axis, value in plane_axes.items()
        }
        run.rapid(place)
        run.rapid({drill: level_r})
        _drill(run, code, drill, level_r, bottom, held)
        run.rapid({drill: max(control.cycle_initial, level_r) if control.return_initial else level_r})


def _drill(run: Interpreter, code: int, drill: str, level_r: float, bottom: float, held: dict[str, float]) -> None:
    if code in (810, 820):
        run.cut({drill: bottom})
        if code == 820 and held.get("P"):
            run.wait(held["P"])
        return
    reached = level_r
    for _ in range(MAX_PECKS):
        reached = max(bottom, reached - held["Q"])
        run.cut({drill: reached})
        if reached <= bottom:
            break
        if code == 830:
            run.rapid({drill: level_r})
            run.rapid({drill: min(level_r, reached + PECK_CLEARANCE_MM)})
        else:
            run.rapid({drill: min(level_r, reached + PECK_CLEARANCE_MM)})
    if held.get("P"):
        run.wait(held["P"])
