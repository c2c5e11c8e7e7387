"""How hard every tool had to work: what it took off in a minute, how deep and wide it stood in the stock, how thick its chips were.

rate       mm³ taken off in the time it took, over a stretch of at least WINDOW_S in the cut, or a whole motion's
section    mm³ taken off over the way across the tool: the area of the cut, mm², over at least WINDOW_MM in the cut
depth      the longest stretch along the tool that it took off a ray: axial engagement. Known of a tool that stands along an
           axis of the grid
width      section over depth: radial engagement, at most the diameter
chip       2 f √(e(1 − e)) at an engagement of e = width/diameter below ½, else f, the feed a tooth (handbook formula of radial
           chip thinning: the chip's thickness where the tooth leaves, or in the middle)

What is taken off is told by the rays, so that one short motion is known to a cell or two: therefore the stretches.
"""

from __future__ import annotations

import numpy as np

from ..geometry.frames import Floats
from ..job.channel import tool_key, tool_number
from ..job.models import Insert
from ..program.motions import RAPID
from ..tools.cutters import widest
from .result import Engagement, Peak, Rehearsal
from .spindles import cutting_speeds, spindle_speeds

WINDOW_S = 0.5
WINDOW_MM = 2.0
SHARE = 0.02  # by which a rate may pass its limit: as exactly as the rays tell it


def engagements(result: Rehearsal) -> dict[int, Engagement]:
    """By tool, of all that cut anything at feed."""
    reel = result.reel
    motions = reel.motions
    taken, stretch, across, seconds = (np.zeros(len(motions)) for _ in range(4))
    for cut in result.stocks:
        taken += cut.work.taken
        stretch, across = np.maximum(stretch, cut.work.stretch), np.maximum(across, cut.work.across)
        seconds = np.maximum(seconds, cut.work.seconds)
    whole = reel.end_time - reel.begin_time
    seconds = np.where(seconds > 0.0, np.minimum(seconds, whole), whole)  # a thread's stamps take no time of their own
    cutting = (taken > 0.0) & (motions.kind != RAPID)
    entries = {tool_key(result.job.machine, entry): entry for entry in result.job.tools.tools}
    speeds = spindle_speeds(result.strands)
    turns = np.abs(np.concatenate([cutting_speeds(strand, speeds) for strand in result.strands]))
    found = {}
    for tool in np.unique(motions.tool[cutting]).tolist():
        rows = np.flatnonzero(cutting & (motions.tool == tool))
        entry = entries.get(tool)
        rate = _rolling(taken[rows], seconds[rows], WINDOW_S)
        told = Engagement(float(taken[rows].sum()), _peak(60.0 * rate, rows), _peak(stretch[rows], rows))
        if entry is not None and not isinstance(entry.cutter, Insert):
            sideways = rows[(stretch[rows] > 0.0) & (across[rows] > 0.0)]
            diameter = widest(entry.cutter)
            width = np.minimum(
                _rolling(taken[sideways], across[sideways], WINDOW_MM) / np.maximum(stretch[sideways], 1e-9), diameter
            )
            told = Engagement(told.taken, told.rate, told.depth, _peak(width, sideways),
                              _peak(_chips(motions.feed[sideways], turns[sideways] * entry.cutter.flutes, width / diameter), sideways))  # fmt: skip
        found[tool] = told
    return found


def _chips(feed: Floats, teeth: Floats, share: Floats) -> Floats:
    """feed (n,) in mm/min, teeth (n,) that pass in a minute, share (n,): width over diameter."""
    tooth = np.where(teeth > 0, feed / np.maximum(teeth, 1e-9), 0.0)
    return np.asarray(np.where(share < 0.5, 2.0 * tooth * np.sqrt(share * (1.0 - share)), tooth))


def _peak(values: Floats, rows: np.ndarray) -> Peak:
    if not len(rows):
        return Peak()
    at = int(np.argmax(values))
    return Peak(float(values[at]), int(rows[at])) if values[at] > 0.0 else Peak()


def _rolling(amount: Floats, over: Floats, window: float) -> Floats:
    """What each row and those before it come to for one of `over`, back to where that is a window; a longer row stands alone."""
    total, way = (np.concatenate([[0.0], np.cumsum(values)]) for values in (amount, over))
    begin = np.minimum(np.searchsorted(way, way[1:] - window + 1e-12, side="right") - 1, np.arange(len(over)))
    begin = np.maximum(begin, 0)
    # Before the first window is full there is less than one: the whole of it counts as if it were.
    return np.asarray((total[1:] - total[begin]) / np.maximum(way[1:] - way[begin], window))


def check_removal(result: Rehearsal) -> None:
    """Tools that take off more in a minute than their table allows."""
    entries = {tool_key(result.job.machine, entry): entry for entry in result.job.tools.tools}
    for tool, told in result.engagements.items():
        limit = entries[tool].limits.removal_rate if tool in entries else None
        rate = told.rate.value / 1000.0
        if limit is None or rate <= limit * (1.0 + SHARE):
            continue
        result.docket.add(
            "removal.rate", f"T{tool_number(tool)} takes off {rate:.1f} cm³/min, above its {limit:g} cm³/min",
            where=result.reel.where(told.rate.motion), tool=tool, amount=rate - limit,
            remedy=f"{100.0 * limit / rate:.0f} % of the feed here, or of the depth, gives {limit:g} cm³/min.",
        )  # fmt: skip
