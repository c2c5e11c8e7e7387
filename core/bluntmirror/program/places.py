"""What stands in place of a motion by words: reference positions, machine coordinates, dwells, shifts, tool vectors."""

from __future__ import annotations

import math

import numpy as np

from ..geometry.frames import Floats
from . import checks, feeds, moves
from .meanings import ARCS
from .motions import FEED, RAPID
from .words import Words
from .writer import Writer


def in_machine_coordinates(run: Writer, axes: dict[str, float], exact: bool) -> None:
    control = run.control
    if control.motion in ARCS:
        run.report("syntax.missing", "G53 goes with G0 or G1 only", remedy="Write G0 or G1 into the block.")
        return
    run.let_go()
    kind = RAPID if control.motion == "rapid" else FEED
    if not axes:
        return
    if kind == FEED:
        checks.check_before_cut(run)
    checks.check_offset(run)
    target = list(control.machine)
    for axis, value in axes.items():
        target[control.index(axis)] = value
    control.length_applied = control.length_active
    change = math.dist(target, control.machine)
    run.add(kind, target, feeds.feed_rate(run, change) if kind == FEED else 0.0, exact)


def dwell(run: Writer, words: Words) -> None:
    letter = next((name for name in "PXUF" if name in words), None)
    if letter is None:
        run.report(
            "syntax.missing", "G4 needs its time: P in ms or X in s", remedy="Write P in milliseconds or X in seconds."
        )
        return
    seconds = words.value[letter]
    if letter == "P" and not run.dialect.o_words:  # in RS274/NGC P is in seconds
        seconds /= 1000.0
    elif letter == "X" and run.setup.bare_increment and letter in words.bare:
        seconds *= 0.001
    if seconds < 0:
        run.report("syntax.missing", "a dwell cannot be negative", remedy="Give a time above 0.")
        return
    run.wait(seconds)


def reference(run: Writer, words: Words) -> None:
    control = run.control
    other = "home-other" in words.g
    number = round(words.value.get("P", 2.0)) if other else 1
    point = run.setup.references.get(number)
    if point is None and number == 1:
        point = dict.fromkeys(run.setup.axes, 0.0)
    if point is None:
        run.report("reference.unset", f"reference position {number} was never set",
                   remedy="Give the machine that reference position, or correct P.")  # fmt: skip
        return
    axes = run.axes(words)
    if not axes and run.dialect.o_words:
        axes = {}  # RS274/NGC: every axis goes home
        run.to_axes({axis: value for axis, value in point.items() if control.index(axis) >= 0})
        return
    if not axes:
        run.report("syntax.missing", f"{'G30' if other else 'G28'} needs the axes that shall go",
                   remedy="Write the axes, for example G91 G28 Z0.")  # fmt: skip
        return
    # An increment of nothing is no way to go, even where a new length offset waits to come in: straight home (pinned).
    via = {axis: value for axis, value in axes.items() if control.absolute or value != 0.0}
    if via:
        target = control.to_machine(control.shaped(run.absolute(via)))
        if target != control.machine:
            if "Z" in via:
                control.length_applied = control.length_active
            run.add(RAPID, target)
    run.to_axes({axis: point.get(axis, 0.0) for axis in axes})


def skip(run: Writer, words: Words) -> None:
    axes = run.absolute(run.axes(words))
    if not axes:
        run.report("syntax.missing", "a skip move needs the axes that shall go", remedy="Write where it goes at most.")
        return
    checks.check_offset(run)
    shaped = run.control.shaped(axes)
    run.move(FEED, shaped, feed=feeds.feed_rate(run, moves.distance(run, shaped)))
    run.control.skipped_at = {axis: run.control.program_position(axis) for axis in run.setup.axes}


def local_shift(run: Writer, words: Words) -> None:
    if run.control.tilt is not None:
        run.not_carried_out("G52 in a tilted plane")
        return
    run.control.local_shift.update(run.axes(words))


def set_position(run: Writer, words: Words) -> None:
    control = run.control
    if control.tilt is not None:
        run.not_carried_out("G92 in a tilted plane")
        return
    for axis, value in run.axes(words).items():
        before = control.shift.get(axis, 0.0)
        control.shift[axis] = before + control.program_position(axis) - value


def position_off(run: Writer, words: Words) -> None:
    run.control.shift, run.control.shift_kept = {}, {}


def position_pause(run: Writer, words: Words) -> None:
    run.control.shift_kept, run.control.shift = {**run.control.shift_kept, **run.control.shift}, {}


def position_back(run: Writer, words: Words) -> None:
    run.control.shift = {**run.control.shift, **run.control.shift_kept}


def by_vector(run: Writer, words: Words) -> dict[str, float]:
    """The rotary words that a tool vector I J K stands for."""
    vector = np.array([words.value.get(letter, 0.0) for letter in "IJK"])
    if float(np.linalg.norm(vector)) < 1e-9:
        run.report(
            "syntax.missing", "the tool vector I J K has no length", remedy="Give the tool's direction as I J K."
        )
        return {}
    return _turned_along(run, vector, "the tool vector I J K")


def _turned_along(run: Writer, vector: Floats, what: str) -> dict[str, float]:
    """Rotary words, absolute in the program's own terms, that bring the tool along a vector of the active frame."""
    control = run.control
    solver = control.solver
    assert solver
    if control.tilt is not None:
        vector = control.tilt[:3, :3] @ vector
    solution = solver.nearest_direction(vector, control.machine)
    if solution is None:
        run.report("travel.reach", f"{what} ({vector[0]:.4f} {vector[1]:.4f} {vector[2]:.4f} on the work) is out of reach: "
                   "no setting of the rotary axes within their travel gives it")  # fmt: skip
        return {}
    return {axis: solution[i] - control.offset(axis) for i, axis in enumerate(run.setup.axes) if i in run.rotary}


def along_the_plane(run: Writer, words: Words) -> None:
    """G53.1: turn the rotary axes, at rapid, so that the tool stands along the tilted plane's Z."""
    control = run.control
    if control.tilt is None:
        run.report(
            "syntax.missing", "G53.1 without a tilted plane: G68.2 must come first", remedy="Write G68.2 before it."
        )
        return
    target = control.to_machine(_turned_along(run, np.array([0.0, 0.0, 1.0]), "the tilted plane's Z"))
    if target != control.machine:
        run.add(RAPID, target)
