"""Straight and circular motions, what is asked before them, and the feed in force."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from ..geometry.frames import Floats
from . import arcs, fixes
from .compensation import Move
from .control import PLANE_MEANINGS
from .frames import apart, into
from .motions import ARC, FEED, PLANE_AXES, RAPID
from .words import Words

if TYPE_CHECKING:
    from .interpreter import Interpreter

ALTERNATIVE_FEED = 100.0  # mm/min, so that time goes on where a program forgot its feed; reported as program.feed


def straight(
    run: Interpreter, kind: int, axes: dict[str, float], exact: bool = False, words: Words | None = None
) -> None:
    """A straight move to program coordinates."""
    control = run.control
    if kind == FEED:
        check_before_cut(run)
    check_offset(run)
    shaped = control.shaped(axes)
    if kind == RAPID and run.rapid_level is not None:
        _check_rapid_level(run, shaped)
    more: dict[str, Any] = {}
    if words is not None and kind == FEED:
        more = _corner(run, words)
    feed = 0.0
    if kind == FEED:
        run.cut_since_change = True
        held = run.corners or run.compensation or run.collecting is not None
        asked = control.feed_mode == "inverse-time" and not held
        feed = -1.0 if asked else feed_rate(run, distance(run, shaped))
    run.move(kind, shaped, feed=feed, exact=exact, **more)


def go(run: Interpreter, kind: int, axes: dict[str, float]) -> None:
    """A straight move of a cycle, where it moves at all."""
    if any(abs(value - run.control.program_position(axis)) > 1e-9 for axis, value in axes.items()):
        straight(run, kind, axes)


def _corner(run: Interpreter, words: Words) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for letter, what in ((",C", "chamfer"), (",R", "round")):
        if letter in words:
            size = run.length(words, letter)
            if size > 0:
                found["corner"] = (what, size)
    if ",A" in words:
        found["angle"] = words.value[",A"]
    if found:
        run.through_corners()
    return found


def distance(run: Interpreter, shaped: dict[str, float]) -> float:
    """Of the linear axes, mm; of the rotary ones, degrees, where only they move."""
    control = run.control
    change = {axis: value - control.here(axis) for axis, value in shaped.items()}
    if run.unrolled is not None:
        return math.hypot(*change.values())
    linear = math.sqrt(sum(d * d for axis, d in change.items() if axis not in "ABC"))
    return linear if linear > 1e-12 else math.sqrt(sum(d * d for d in change.values()))


def way(run: Interpreter, target: list[float], begin: Floats | None, move: Move, in_frame: bool) -> float:
    """The length of a straight way: of the tip's over the work from the shaped point `begin`, or of the axes'."""
    control = run.control
    if begin is not None and in_frame and control.setup.solver:
        frame = control.frame(control.length_applied)
        length = apart(begin, into(frame, control.setup.solver.zero_place(target, frame.length, frame.work_only)))
        if length > 1e-9:
            return length
        return float(np.sqrt(sum((target[i] - control.machine[i]) ** 2 for i in run.rotary)))
    change = [b - a for a, b in zip(control.machine, target, strict=True)]
    linear = float(np.sqrt(sum(d * d for i, d in enumerate(change) if i not in run.rotary)))
    return linear if linear > 1e-12 else float(np.sqrt(sum(d * d for d in change)))


# --- arcs -----------------------------------------------------------------------------------------------------------------


def arc(run: Interpreter, words: Words, axes: dict[str, float], exact: bool) -> None:
    control = run.control
    names = run.plane_names()
    if any(control.index(name) < 0 for name in names):
        code = run.dialect.code_of(PLANE_MEANINGS[control.plane])
        run.report(
            "arc.plane", f"this channel lacks an axis of the plane {code}", remedy="Choose the plane of the arc's axes."
        )
        return
    check_before_cut(run)
    check_offset(run)
    run.cut_since_change = True
    shape = control.shape
    factor, kept = 1.0, True
    if shape is not None:
        found = shape.in_plane(*PLANE_AXES[control.plane][:2])
        if found is None:
            run.report("arc.scaled", "an arc under unequal scaling, or turned out of its plane, is no circle",
                       remedy="Give equal factors, or choose the plane of the arc.")  # fmt: skip
            straight(run, FEED, axes, exact)
            return
        factor, kept = found
    shaped = control.shaped(axes)
    direct = not (control.framed or run.corners or run.compensation or run.unrolled or run.collecting is not None)
    # Where every axis is an offset away from its word, axis values keep rounding out of the closing of circles.
    if direct:
        target = control.to_machine(shaped)
        first, second = control.index(names[0]), control.index(names[1])
        start = control.machine[first], control.machine[second]
        end = target[first], target[second]
    else:
        start = control.here(names[0]), control.here(names[1])
        end = shaped.get(names[0], start[0]), shaped.get(names[1], start[1])
    clockwise = (control.motion == "arc-cw") == kept
    if "R" in words:
        radius = run.length(words, "R") * factor
        status, c1, c2, sweep, gap = arcs.arc_by_radius(*start, *end, radius, clockwise)
    else:
        status, c1, c2, sweep, gap = arcs.arc_by_centre(*start, *end, *_centre_offset(run, words, names), clockwise)
    if run.dialect.settings.helix_turns and "P" in words and status == arcs.OK:
        sweep += math.copysign(2.0 * math.pi * (max(1, round(words.value["P"])) - 1), sweep)
    if status != arcs.OK:
        _not_an_arc(run, words, status, gap, start, end)
        straight(run, FEED, axes, exact)
        return
    feed = feed_rate(run, abs(sweep) * math.hypot(start[0] - c1, start[1] - c2))
    if not direct:
        more = _corner(run, words)
        for name, value in zip(names, end, strict=True):
            shaped = {**shaped, name: value}
        run.move(ARC, shaped, feed=feed, exact=exact, plane=control.plane, centre=(c1, c2), sweep=sweep, **more)
        return
    if "Z" in axes:
        control.length_applied = control.length_active
    run.add(ARC, target, feed, exact, control.plane, (c1, c2), sweep)


# The letter of an arc's centre along an axis; C as a length takes that of Y.
_CENTRE_LETTER = {"X": "I", "Y": "J", "Z": "K", "C": "J"}


def _centre_offset(run: Interpreter, words: Words, names: tuple[str, str]) -> tuple[float, float]:
    """From the arc's start to its centre, in the plane, shaped."""
    control = run.control
    if run.unrolled is not None:
        one, two = (_CENTRE_LETTER[name] for name in names)
        return tuple(run.length(words, letter) if letter in words else 0.0 for letter in (one, two))  # type: ignore[return-value]
    vector = [run.length(words, letter) if letter in words else 0.0 for letter in "IJK"]
    if control.centre_absolute:
        vector = [
            value - control.program_position(axis) if letter in words else 0.0
            for letter, axis, value in zip("IJK", "XYZ", vector, strict=True)
        ]
    if control.shape is not None:
        vector = control.shape.direction(vector)
    first, second = ("XYZ".index(name) for name in names)
    return vector[first], vector[second]


def _not_an_arc(
    run: Interpreter, words: Words, status: int, gap: float, start: tuple[float, float], end: tuple[float, float]
) -> None:
    chord = math.dist(start, end)
    rule, said = {
        arcs.RADII_DIFFER: ("arc.radii", f"start and end do not lie on one circle: their radii differ by {gap:.3f} mm"),
        arcs.NO_CENTRE: ("arc.centre", "the arc has neither a centre (I J K) nor a radius (R)"),
        arcs.CHORD_TOO_LONG: ("arc.reach", f"the end is {gap:.3f} mm farther away than a circle of this R reaches"),
        arcs.NO_CHORD: ("arc.chord", "with R the end must differ from the start; a full circle needs I J K"),
    }[status]
    more: dict[str, Any] = {}
    if status == arcs.CHORD_TOO_LONG:
        least = math.ceil(0.5 * chord / run.control.unit * 1000.0) / 1000.0
        more["remedy"] = f"Raise R to {least:g} at least, or correct the end point."
        more["fix"] = fixes.replace_word(run, "R", math.copysign(least, words.value["R"]), f"Raise R to {least:g}")
    run.report(rule, said, amount=gap, **more)


# --- checks before a motion ---------------------------------------------------------------------------------------------


def checked(run: Interpreter) -> bool:
    """Whether everything that is asked before a motion has been answered for the state as it is."""
    control, setup = run.control, run.setup
    if control.tool == 0 or control.tool not in setup.tools:
        return False
    if not run.dialect.turning and not ("length" in run.told or control.length_number == control.tool):
        return False
    if "spindle" not in run.told and not (control.spindle or control.live):
        return False
    if control.speed == 0.0 and "speed" not in run.told:
        return False
    return control.work_offset in control.work_offsets or ("offset", control.work_offset) in run.told


def check_before_cut(run: Interpreter) -> None:
    """What must be in order before a cutting move: a tool, its own length offset, a spindle that turns."""
    control = run.control
    if run.collecting is not None:
        return
    if control.tool == 0:
        run.report_once("no tool", "tool.none", "a cutting move with no tool in the spindle")
        return
    _check_spindle(run)
    if run.dialect.turning:
        return
    if "length" not in run.told and control.tool in run.setup.tools:
        if control.length_mode == "length-off" or (
            control.length_number == 0 and control.length_mode != "length-value"
        ):
            run.told.add("length")
            run.report("length.none", f"T{control.tool} moves into the work with no length offset active",
                       remedy=f"Add G43 H{control.tool} to the approach of T{control.tool}.",
                       fix=fixes.add_length(run))  # fmt: skip
        elif control.length_number != control.tool and control.length_number in control.lengths:
            run.told.add("length")
            register, own = control.length_active, control.length_of(control.tool)
            run.report(
                "length.other",
                f"T{control.tool} moves into the work with H{control.length_number}, another tool's length offset "
                f"({abs(register):.3f} instead of {own:.3f} mm)",
                amount=abs(abs(register) - own),
                remedy=f"Write H{control.tool} instead of H{control.length_number}.",
                fix=fixes.other_length(run),
            )


def _check_spindle(run: Interpreter) -> None:
    control = run.control
    if "spindle" in run.told or (control.speed == 0.0 and control.feed_mode == "per-revolution"):
        return  # a feed per revolution without a speed is told as such
    if not (control.spindle or control.live):
        run.told |= {"spindle", "speed"}
        run.report(
            "spindle.still", f"T{control.tool} is moved at feed while no spindle turns", **fixes.start_spindle(run)
        )
    elif control.speed == 0.0 and control.surface_speed is None and "speed" not in run.told:
        run.told.add("speed")
        run.report(
            "spindle.speed", "the spindle is on, but no speed was ever given", remedy="Give an S word beside M3 or M4."
        )


def check_offset(run: Interpreter) -> None:
    name = run.control.work_offset
    if name not in run.control.work_offsets:
        run.report_once(("offset", name), "offset.unset", f"{name} was never set; it counts as 0 on every axis",
                        remedy=f"Enter {name} in the job, or call the offset that is meant.")  # fmt: skip


def _check_rapid_level(run: Interpreter, shaped: dict[str, float]) -> None:
    """A rapid across the work below the R level of this tool's cycles (common practice: R is where rapid ends)."""
    control = run.control
    drill = control.drill_axis
    assert run.rapid_level is not None
    level = min(control.here(drill), shaped.get(drill, control.here(drill)))
    across = any(axis in "XYZ" and axis != drill and abs(v - control.here(axis)) > 1e-6 for axis, v in shaped.items())
    if across and level < run.rapid_level - 1e-6 and control.here(drill) < run.rapid_level - 1e-6:
        raised = f"G0 {drill}{fixes.number_text(drill, run.rapid_level / control.unit)}"
        fix = (
            fixes.insert_line(run, run.at, raised, f"Insert {raised} before line {run.at}")
            if control.absolute
            else None
        )
        run.report_once(("below R", control.tool), "order.below-r",
                        f"T{control.tool} moves across at rapid with {drill} at {level:.3f}, below the R level of its cycles "
                        f"({run.rapid_level:.3f})", amount=run.rapid_level - level,
                        remedy=f"Raise {drill} to {run.rapid_level:g} before moving across.", fix=fix)  # fmt: skip


def feed_rate(run: Interpreter, length: float) -> float:
    """mm/min in force; `length` is needed under inverse-time feed."""
    control = run.control
    if control.feed is None:
        if "feed" not in run.told:
            run.told.add("feed")
            run.report(
                "feed.none", "a cutting move, but no feed is set", remedy="Give an F word at or before this block."
            )
        return ALTERNATIVE_FEED
    if control.feed_mode == "per-revolution":
        if control.surface_speed is not None:
            return control.feed * max(control.speed, 1e-3)
        if control.speed == 0:
            run.report_once("feed/rev", "feed.no-speed", "feed per revolution, but no spindle speed is set",
                            remedy="Give an S word, or a feed per minute.")  # fmt: skip
            return ALTERNATIVE_FEED
        return control.feed * control.speed
    if control.feed_mode == "inverse-time":
        return max(length * control.feed, 1e-6)
    return control.feed
