"""Straight and circular motions."""

from __future__ import annotations

import math
from typing import Any

from . import arcs, checks, feeds, fixes
from .control import PLANE_MEANINGS
from .motions import ARC, FEED, PLANE_AXES, RAPID
from .words import Words
from .writer import Writer


def straight(run: Writer, kind: int, axes: dict[str, float], exact: bool = False, words: Words | None = None) -> None:
    """A straight move to program coordinates."""
    control = run.control
    cuts = kind == FEED and not (axes and run.setup.no_tool_axes.issuperset(axes))
    if cuts:
        checks.check_before_cut(run)
    checks.check_offset(run)
    shaped = control.shaped(axes)
    if kind == RAPID and run.rapid_level is not None:
        checks.check_rapid_level(run, shaped)
    more: dict[str, Any] = {}
    if words is not None and kind == FEED:
        more = _corner(run, words)
    feed = 0.0
    if kind == FEED:
        run.cut_since_change |= cuts
        held = run.corners or run.compensation or run.collecting is not None
        asked = control.feed_mode == "inverse-time" and not held
        feed = -1.0 if asked else feeds.feed_rate(run, distance(run, shaped))
    run.move(kind, shaped, feed=feed, exact=exact, **more)


def go(run: Writer, kind: int, axes: dict[str, float]) -> None:
    """A straight move of a cycle, where it moves at all."""
    if any(abs(value - run.control.program_position(axis)) > 1e-9 for axis, value in axes.items()):
        straight(run, kind, axes)


def _corner(run: Writer, words: Words) -> dict[str, Any]:
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


def distance(run: Writer, shaped: dict[str, float]) -> float:
    """Of the linear axes, mm; of the rotary ones, degrees, where only they move."""
    control = run.control
    change = {axis: value - control.here(axis) for axis, value in shaped.items()}
    if run.unrolled is not None:
        return math.hypot(*change.values())
    linear = math.sqrt(sum(d * d for axis, d in change.items() if axis not in "ABC"))
    return linear if linear > 1e-12 else math.sqrt(sum(d * d for d in change.values()))


# --- arcs -----------------------------------------------------------------------------------------------------------------


def arc(run: Writer, words: Words, axes: dict[str, float], exact: bool) -> None:
    control = run.control
    names = run.plane_names()
    if any(control.index(name) < 0 for name in names):
        code = run.dialect.code_of(PLANE_MEANINGS[control.plane])
        run.report(
            "arc.plane", f"this channel lacks an axis of the plane {code}", remedy="Choose the plane of the arc's axes."
        )
        return
    checks.check_before_cut(run)
    checks.check_offset(run)
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
    feed = feeds.feed_rate(run, abs(sweep) * math.hypot(start[0] - c1, start[1] - c2))
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


def _centre_offset(run: Writer, words: Words, names: tuple[str, str]) -> tuple[float, float]:
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
    run: Writer, words: Words, status: int, gap: float, start: tuple[float, float], end: tuple[float, float]
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
