"""Which way the axes still have: how far a shift may go before a slide passes a limit."""

from __future__ import annotations

import numpy as np

from ..rehearsal import Rehearsal
from ..rehearsal.travel import extremes
from .bounds import Bound
from .shifts import Shift

BETWEEN_MM = 0.001  # that a motion must go beyond both of its ends to be asked as a whole


def travel_bound(result: Rehearsal, shift: Shift, sign: float, reach: float) -> Bound:
    """How far a quantity may be off one way (`sign`), up to `reach`, before an axis passes a limit of its travel."""
    best = Bound(reach)
    for strand, ends in zip(result.strands, shift.ends, strict=True):
        if not ends.any():
            continue
        reel, motions = strand.reel, strand.reel.motions
        low, high = extremes(reel)
        begin = np.vstack([np.zeros(ends.shape[1]), ends[:-1]])
        shifted = sign * begin @ reel.slides, sign * ends @ reel.slides
        stands = motions.begin @ reel.slides, motions.end @ reel.slides
        # A motion is farthest at one of its ends; what goes farther between (arcs, ways seen from the work) counts as a whole.
        beyond = (low < np.minimum(*stands) - BETWEEN_MM) | (high > np.maximum(*stands) + BETWEEN_MM)
        for column, axis in enumerate(motions.axes):
            travel = strand.chain.joints[axis].travel
            if travel is None:
                continue
            whole = np.flatnonzero(beyond[:, column])
            most, least = np.maximum(*shifted)[whole, column], np.minimum(*shifted)[whole, column]
            asks = [(travel[1] - at[:, column], by[:, column]) for at, by in zip(stands, shifted, strict=True)]
            asks += [
                (room, -by)
                for room, by in (
                    (at[:, column] - travel[0], by[:, column]) for at, by in zip(stands, shifted, strict=True)
                )
            ]
            rows = [np.arange(len(motions))] * 4 + [whole] * 2
            asks += [(travel[1] - high[whole, column], most), (low[whole, column] - travel[0], -least)]
            for of, (room, per_mm) in zip(rows, asks, strict=True):
                going = np.flatnonzero(per_mm > 0.0)
                if not len(going):
                    continue
                amounts = np.maximum(room[going], 0.0) / per_mm[going]
                worst = int(np.argmin(amounts))
                if amounts[worst] < best.amount:
                    motion = reel.first + int(of[going[worst]])
                    best = Bound(float(amounts[worst]), "travel.over", motion, (strand.axis(axis),))
    return best
