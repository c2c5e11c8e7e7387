"""How a quantity that is off moves the axes: the programs read once more with it, and the ends of their motions beside those of before."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..findings import Docket
from ..geometry.frames import Floats
from ..rehearsal import Rehearsal
from ..rehearsal.result import Strand
from ..rehearsal.run import read_channel
from .quantities import Quantity

EVEN = 1e-6  # mm for each mm: by which a shift one way may differ from the other
STRAIGHT_MM = 1e-9  # an axis that moves less does not tell how far a motion has come


class NotFollowed(Exception):
    """A quantity whose effect is not a shift: the program does something else with it. Its text says what."""


@dataclass(frozen=True)
class Shift:
    """By how much each axis is shifted, for 1 mm: at the end of every motion of each channel (n, k), and at the knots (m + 1, K)."""

    ends: list[Floats]
    knots: Floats

    @property
    def moves(self) -> bool:
        return bool(self.knots.any())


def ends_with(strand: Strand, quantity: Quantity, by: float) -> Floats:
    """Where the motions of a channel end (n, k) with a quantity so much off. Raises NotFollowed where it has other motions then."""
    docket = Docket()
    entry = next(p for p in strand.job.file.programs if p.channel == strand.channel)
    read = read_channel(strand.job, entry, quantity.in_setup(strand.setup, by), docket)
    own = strand.reel.motions
    if len(read.motions) < len(own) or (read.motions.line[: len(own)] != own.line).any():
        raise NotFollowed("the program does something else then")
    bad = {(item.kind, item.line) for item in docket if item.severity == "stop"}
    bad -= {(item.kind, item.line) for item in strand.docket if item.severity == "stop"}
    if bad:
        kind, line = min(bad, key=lambda pair: pair[1])
        raise NotFollowed(f"{kind} at line {line} then")
    return np.asarray(read.motions.end[: len(own)])


def shift_of(result: Rehearsal, quantity: Quantity, by: float) -> Shift:
    """How one quantity that is off by `by` shifts the axes, for each mm of it. Raises NotFollowed."""
    ends = [np.zeros_like(strand.reel.motions.end) for strand in result.strands]
    for number, strand in enumerate(result.strands):
        if strand.channel != quantity.channel:
            continue
        own = strand.reel.motions.end
        ends[number] = np.round((ends_with(strand, quantity, by) - own) / by, 9)
        if _looks_at_values(strand):  # it may turn off where the value is less, too
            other = (own - ends_with(strand, quantity, -by)) / by
            if np.abs(other - ends[number]).max(initial=0.0) > EVEN:
                raise NotFollowed("it does not shift the program evenly")
    return Shift(ends, at_knots(result, ends))


def _looks_at_values(strand: Strand) -> bool:
    """Whether a program of the channel has variables: only such a one can ask what the control holds."""
    return any(b"#" in data for data in strand.job.programs.values())


def at_knots(result: Rehearsal, ends: list[Floats]) -> Floats:
    """What motions' ends are shifted by, at the knots between: as far as each axis has come on its way there."""
    knots, values = result.knots, result.values
    found = np.zeros_like(values)
    for lane, (strand, end) in enumerate(zip(result.strands, ends, strict=True)):
        if not end.any():
            continue
        motions, columns = strand.reel.motions, strand.columns
        own = knots.lanes[:, lane] - strand.reel.first
        begin = np.vstack([np.zeros(end.shape[1]), end[:-1]])
        alive = np.flatnonzero((own >= 0) & (own < len(end)))
        rows = own[alive]
        here = values[alive + 1][:, columns]
        way = motions.end[rows] - motions.begin[rows]
        come = here - motions.begin[rows]
        along = np.abs(way)
        overall = (
            np.take_along_axis(come, along.argmax(axis=1)[:, None], 1)
            / np.maximum(along.max(axis=1), STRAIGHT_MM)[:, None]
        )
        share = np.where(along > STRAIGHT_MM, come / np.where(along > STRAIGHT_MM, way, 1.0), overall)
        last = np.append(rows[1:] != rows[:-1], True)  # a motion's last knot is its end, however it came there
        share = np.where(last[:, None], 1.0, np.clip(share, 0.0, 1.0))
        block = np.zeros((len(values), len(columns)))
        block[alive + 1] = begin[rows] + share * (end[rows] - begin[rows])
        ended = np.flatnonzero(own >= len(end)) if len(alive) == 0 else np.arange(alive[-1] + 2, len(values))
        block[ended] = end[-1]
        found[:, columns] = block
    return found
