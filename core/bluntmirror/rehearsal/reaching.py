"""The four questions of every operation of an arm: is each pose reached, within limits, away from singular poses, free of contact — and
where is the least left?

The operations are those of `program/operations`: from tool change to tool change, parted by comments on lines of their own.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from ..contact.bodies import Body
from ..contact.program import Follower, Margin
from ..findings import Finding
from ..program.operations import Operation, find_operations
from ..program.text import ProgramText
from .result import Rehearsal, Strand, Timed

AMPLE_MM = 200.0  # a clearance of more is not looked for


@dataclass(frozen=True)
class Least:
    """The least that is left of something in an operation: mm or degrees; the axis it is of, or the bodies, where it is of any; the motion."""

    amount: float
    motion: int
    axis: str = ""
    bodies: tuple[str, ...] = ()


@dataclass(frozen=True)
class Reached:
    """An operation's answers; None where one was not judged."""

    operation: Operation
    strand: Strand
    reachable: bool
    limits: bool | None
    singular: bool | None
    contact: bool | None
    # reach (mm), limit (degrees), singular (degrees), of what has a pose; clearance (mm), below AMPLE_MM
    least: dict[str, Least]


def operations_reached(result: Timed) -> list[Reached]:
    """Those of every arm's channel, in the programs' order."""
    return [_judged(result, strand, operation) for strand, operation in _operations(result)]


def _operations(result: Timed) -> Iterator[tuple[Strand, Operation]]:
    for strand, entry in zip(result.strands, result.job.file.programs, strict=True):
        if strand.settled is None:
            continue
        text = ProgramText(entry.main, result.job.programs[entry.main], strand.setup.dialect.o_words)
        for operation in find_operations(strand.interpreted, text, strand.reel.begin_time, strand.reel.end_time):
            if operation.tool:
                yield strand, operation


def nearest_in_operations(
    result: Rehearsal, follower: Follower, pairs: Sequence[tuple[Body, Body]]
) -> dict[tuple[int, int], Margin]:
    """Which two bodies come nearest in each operation of an arm, by its channel and its first motion; none where none comes nearer than AMPLE_MM.
    Contact with stock is not among them: that is the material's."""
    operations = list(_operations(result))
    margin = {(item.a, item.b): item.clearance for item in result.margins}
    order = sorted(pairs, key=lambda pair: margin.get((pair[0].label, pair[1].label), np.inf))
    stretches = []
    middle = 0.5 * (result.knots.t0 + result.knots.t1)
    for strand, operation in operations:
        begin, end = operation.motions
        moments = (
            strand.reel.begin_time[begin],
            strand.reel.end_time[end - 1] if end > begin else strand.reel.begin_time[begin],
        )
        first, last = np.searchsorted(middle, moments)
        stretches.append((int(first), int(last)))
    found = follower.nearest_in(stretches, order, AMPLE_MM)
    return {
        (strand.channel, operation.motions[0]): item
        for (strand, operation), item in zip(operations, found, strict=True)
        if item is not None
    }


def _judged(result: Timed, strand: Strand, operation: Operation) -> Reached:
    settled, first = strand.settled, strand.reel.first
    assert settled
    begin, end = operation.motions
    own = range(first + begin, first + end)
    missed = settled.failed[(settled.failed >= begin) & (settled.failed < end)]
    least = _least(strand, begin, end)
    if isinstance(result, Rehearsal) and (nearest := result.nearest.get((strand.channel, begin))):
        least["clearance"] = Least(nearest.clearance, nearest.motion, bodies=(nearest.a, nearest.b))
    if len(missed):
        return Reached(operation, strand, False, None, None, None, least)
    if not isinstance(result, Rehearsal):
        return Reached(operation, strand, True, None, None, None, least)

    def free(kinds: tuple[str, ...]) -> bool:
        found = [item for item in result.docket if item.kind in kinds and _within(item, own)]
        return not any(item.severity == "stop" or item.kind == "travel.singular" for item in found)

    in_stock = tuple({item.kind for item in result.docket if item.kind.startswith("contact.")} - {"contact.body"})
    contact = not any(motion in own for motion in result.touching) and free(in_stock)
    return Reached(operation, strand, True, free(("travel.over",)), free(("travel.singular",)), contact, least)


def _within(item: Finding, own: range) -> bool:
    """Whether a finding begins, goes on or ends in an operation's motions."""
    return item.motion >= 0 and item.motion < own.stop and max(item.motion, item.last_motion) >= own.start


def _least(strand: Strand, begin: int, end: int) -> dict[str, Least]:
    settled = strand.settled
    assert settled
    found: dict[str, Least] = {}
    for name, column in (("reach", settled.reach), ("singular", settled.singular)):
        part = column[begin:end]
        if len(part) and np.isfinite(part).any():
            worst = int(np.argmin(part))
            found[name] = Least(float(part[worst]), strand.reel.first + begin + worst)
    room = settled.room[begin:end]
    if len(room) and np.isfinite(room).any():
        motion, joint = np.unravel_index(int(np.argmin(room)), room.shape)
        axis = strand.axis(settled.arms.joints[int(joint)])
        found["limit"] = Least(float(room[motion, joint]), strand.reel.first + begin + int(motion), axis)
    return found
