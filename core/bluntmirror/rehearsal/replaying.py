"""The replay of a timed program: travel, contact of all bodies, and every stock cut, on one clock."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..contact.program import Follower, check_contacts, clearances, pairs_of
from ..findings import Docket
from ..timeline.reel import make_knots
from ..timeline.steps import Standing
from . import travel
from .access import check_access
from .checkpoints import Store
from .cutting import Cutting
from .entering import find_entering
from .result import Rehearsal, Timed
from .scene import blanks, contact_bodies

KNOT_TOLERANCE_MM = 0.002


def _work_spins(result: Timed) -> np.ndarray:
    """For every motion, whether the machine's work spindle turns: not while a driven tool of the turret does."""
    motions = result.reel.motions
    if result.job.machine.work_spindle is None:
        return np.zeros(len(motions), np.bool_)
    live = np.array([s.live for s in motions.snapshots] or [False])[motions.snapshot]
    return np.asarray((motions.rpm != 0) & ~live)


def replay(
    timed: Timed, progress: Callable[[str, float], None] | None = None, store: Store | None = None, filmed: bool = True
) -> Rehearsal:
    tell = progress or (lambda stage, share: None)
    job, chain, docket, reel = timed.job, timed.chain, timed.docket, timed.reel
    travel.check_travel(timed)
    travel.check_indexing(timed)
    travel.check_speed(timed, travel.check_rewinds(timed))
    knots = make_knots(reel, KNOT_TOLERANCE_MM, [motion for motion, _ in timed.interpreted.stops])
    standing = Standing.of(knots, reel.motions.tool, _work_spins(timed))
    result = Rehearsal(**vars(timed), knots=knots, values=timed.full(knots.at), standing=standing, filmed=filmed)
    follower = Follower(knots, result.values, chain, standing)
    used = set(np.unique(reel.motions.tool).tolist())
    bodies = contact_bodies(job, chain, result.tools, used)
    pairs = pairs_of(bodies, chain, job.machine.ignore)
    asked = clearances(pairs, job.file.checks.near, job.file.checks.pairs)
    result.off = [(a.label, b.label) for (a, b), near in zip(pairs, asked, strict=True) if near is None]
    kept = [(pair, near) for pair, near in zip(pairs, asked, strict=True) if near is not None]
    result.pairs = len(kept)
    result.margins = check_contacts(
        reel,
        follower,
        [pair for pair, _ in kept],
        [near for _, near in kept],
        docket,
        lambda share: tell("contact", share),
    )
    check_access(job, chain, bodies, docket)
    _limits(result, docket)
    if not job.file.switches.dry_run:
        _cut_all(result, follower, tell, store)
    _leave_out_foretold(docket, bool(result.stocks))
    return result


def _cut_all(result: Rehearsal, follower: Follower, tell: Callable[[str, float], None], store: Store | None) -> None:
    """Cut every stock. Two that may meet are cut side by side, so that each can be asked as it stands at a moment."""
    stocks = blanks(result.job, result.chain)
    entering = {stock.name: find_entering(result, follower, stock, stocks) for stock in stocks}
    together = {name for entered in entering.values() for item in entered for name in item.stocks}
    cuttings: dict[str, Cutting] = {}
    for stock in reversed(stocks):  # a stock asks those that come after it
        made = Cutting.begun(
            result, stock.name, entering[stock.name], tell, None if stock.name in together else store, cuttings
        )
        if made:
            cuttings[stock.name] = made
    result.stocks = [cuttings[stock.name].finished() for stock in stocks if stock.name in cuttings]


def _leave_out_foretold(docket: Docket, cut: bool) -> None:
    """An order called unsafe says nothing more where its very motion is found to collide; nor does a feed move with the
    spindle still, where the stock that was cut has told whether it met anything."""
    collides = {f.motion for f in docket if f.kind.startswith("contact.") and f.severity == "stop"}
    docket.findings = [
        f for f in docket
        if not (f.kind == "program.order" and f.motion in collides) and not (f.rule == "spindle.still" and cut)
    ]  # fmt: skip


def _limits(result: Rehearsal, docket: Docket) -> None:
    """What this run did not check is said, never passed over."""
    for number in sorted(set(result.reel.motions.tool.tolist())):
        tool = result.tools.get(number)
        if tool and not tool.carried_out:
            docket.add("check.limit", f"T{number} is a turning tool; its cut is not carried out yet", tool=number)
