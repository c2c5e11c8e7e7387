"""An arm's stretch reached in another posture, with another spin, or from elsewhere on its rail."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from ...job.models import Posture
from ...machine.arm import spin_of
from ..case import Case
from ..change import Change, Rank
from ..proposal import Once, Proposal, told

SPINS = (30.0, -30.0, 60.0, -60.0, 90.0, -90.0, 180.0)
RAIL_MM = (150.0, -150.0, 300.0, -300.0, 600.0, -600.0)
NAMES = (("shoulder", ("front", "back")), ("elbow", ("up", "down")), ("wrist", ("plus", "minus")))


def another(case: Case) -> Iterator[Proposal]:
    """Other spins, the nearest first; the rail elsewhere; other postures."""
    settled = case.strand.settled
    if settled is None or case.row < 0:
        return
    span = next(((first, last) for first, last in settled.stretches if first <= case.row <= last), None)
    if span is None:
        return
    motions = case.motions
    arm = settled.arms.of(int(motions.tool[span[0]]))
    columns = [case.strand.setup.axes.index(axis) for axis in arm.joints]
    now = arm.describe(motions.end[span[0] : span[0] + 1, columns])
    begin, end = (int(motions.line[row]) for row in span)
    lines: dict[str, object] = {"program": motions.file_name(span[0]), "first": begin, "last": end}
    where = f"Lines {begin} to {end}" if end > begin else f"Line {begin}"

    def made(said: str, **words: object) -> Once:
        posture = Posture.model_validate(lines | words)
        return Once(case, made=Change(f"{where}: {said}", Rank.LINE, postures=(posture,)))

    spin = float(spin_of(arm.poses(case.strand.full(motions.end[span[0] : span[0] + 1])))[0])
    for by in SPINS:
        value = round((spin + by + 180.0) % 360.0 - 180.0)
        yield made(f"spin {told(value, '°')}", spin=value)
    for axis in case.strand.setup.arm.rail if case.strand.setup.arm else ():
        stands = float(motions.end[span[0], case.strand.setup.axes.index(axis)])
        low, high = case.strand.chain.joints[axis].travel or (stands, stands)
        for by in RAIL_MM:
            if low <= stands + by <= high:
                yield made(
                    f"{case.strand.axis(axis)} at {told(round(stands + by), '')}", rail={axis: round(stands + by)}
                )
    is_now = tuple(int(side[0]) for side in (now.back, now.down, now.minus))
    for wanted in sorted(
        itertools.product((0, 1), repeat=3), key=lambda sides: sum(a != b for a, b in zip(sides, is_now, strict=True))
    ):
        if wanted != is_now:
            words = {name: names[side] for (name, names), side in zip(NAMES, wanted, strict=True)}
            said = ", ".join(f"{name} {value}" for name, value in words.items())
            yield made(said, **words)
