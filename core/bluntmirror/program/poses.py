"""Moves of an arm: X Y Z I J K under G43.5 is a pose of the tool over the work, J1= … one of the joints.

Which joint values reach a pose is chosen over whole stretches once the program has been read (`rehearsal/arms`): here a pose is only noted,
and what the joints then are is not a number.
"""

from __future__ import annotations

import math

from . import checks, feeds
from .interpreted import Target
from .meanings import ARCS
from .motions import FEED, RAPID
from .words import Words
from .writer import Writer

NOWHERE = math.nan  # of a word that the block does not have: it stays as it is


def take(run: Writer, words: Words, axes: dict[str, float], exact: bool) -> None:
    """The motion of a block; `axes` as `Run.axes` gives them."""
    control, arm = run.control, run.setup.arm
    assert arm
    place = {axis: axes.pop(axis) for axis in "XYZ" if axis in axes}
    directed = any(letter in words for letter in "IJK")
    if not (place or directed or axes):
        return
    if control.motion not in ("rapid", "line") or control.cycle or control.shape or control.polar or run.compensation:
        what = control.cycle or (control.motion if control.motion in ARCS or control.motion == "thread" else "")
        code = run.dialect.code_of(what) if what else ""
        run.not_carried_out(f"{code or 'this mode'} on an arm")
        return
    kind = RAPID if control.motion == "rapid" else FEED
    joints = [axis for axis in axes if axis in arm.joints]
    if joints and (place or directed):
        run.not_carried_out(f"{joints[0]}= beside X Y Z I J K: a block moves the joints or the tool, not both,")
        return
    if joints and kind == FEED:
        run.not_carried_out(f"G1 with {joints[0]}=: a feed is along a line of the tip, joints move with G0,")
        return
    if (place or directed) and control.tip_control != "tip-vector":
        code = run.dialect.code_of("tip-vector")
        run.not_carried_out(f"X Y Z without {code} on an arm")
        return
    if kind == FEED:
        checks.check_before_cut(run)
        run.cut_since_change = True
    if place or directed:
        _pose(run, words, place, axes, kind, exact, directed)
    else:
        _joints(run, axes, kind, exact)


def _pose(
    run: Writer, words: Words, place: dict[str, float], beside: dict[str, float], kind: int, exact: bool, directed: bool
) -> None:
    """A pose; `beside`: where rail joints go with it."""
    control, arm = run.control, run.setup.arm
    assert arm
    checks.check_offset(run)
    direction = (NOWHERE, NOWHERE, NOWHERE)
    if directed:
        i, j, k = (words.value.get(letter, 0.0) for letter in "IJK")
        size = math.sqrt(i * i + j * j + k * k)
        if size < 1e-9:
            run.report(
                "syntax.missing", "the tool vector I J K has no length", remedy="Give the tool's direction as I J K."
            )
            return
        direction = (i / size, j / size, k / size)
    shift = {axis: control.place_shift(axis) for axis in "XYZ"}
    tip = tuple(place[axis] + shift[axis] if axis in place and control.absolute else NOWHERE for axis in "XYZ")
    by = tuple(place.get(axis, 0.0) if not control.absolute else 0.0 for axis in "XYZ")
    target = list(control.machine)
    for axis in arm.joints:
        target[control.index(axis)] = NOWHERE
    for axis, value in beside.items():
        column = control.index(axis)
        target[column] = value if control.absolute else target[column] + value
    control.length_applied = control.length_active
    feed, a_move = 0.0, 0.0
    if kind == FEED:
        feed = feeds.feed_rate(run, 1.0)
        a_move = control.feed or 0.0 if control.feed_mode == "inverse-time" else 0.0
    x, y, z = (shift[axis] for axis in "XYZ")
    run.result.targets.append(
        Target(run.builder.count, tip, by, direction, control.length_active, a_move, (x, y, z))  # type: ignore[arg-type]
    )
    run.add(kind, target, feed, exact, in_frame=kind == FEED)


def _joints(run: Writer, axes: dict[str, float], kind: int, exact: bool) -> None:
    """Joints by themselves, all together."""
    control = run.control
    target = list(control.machine)
    for axis, value in axes.items():
        column = control.index(axis)
        if not control.absolute and math.isnan(target[column]):
            run.not_carried_out(f"an increment of {axis} after a pose, before the joint was sent to a value,")
            return
        target[column] = value if control.absolute else target[column] + value
    feed = feeds.feed_rate(run, math.dist(target, control.machine)) if kind == FEED else 0.0
    run.add(kind, target, feed, exact)
