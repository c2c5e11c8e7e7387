"""The replay of a timed program: travel, contact of all bodies, and every stock cut, on one clock."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..contact.program import Follower, check_contacts, clearances, pairs_of
from ..findings import Docket
from ..job.channel import tool_number
from ..timeline.reel import Knots, make_knots
from ..timeline.score import union_knots
from ..timeline.steps import Standing, Steps
from . import travel
from .access import check_access
from .checkpoints import Store
from .cutting import Cutting
from .engagement import check_removal, engagements
from .entering import find_entering
from .from_both_ends import following, ordered
from .grips import Events
from .quick import tell_of
from .rack import apart, parted
from .reaching import nearest_in_operations
from .result import QuickLook, Rehearsal, Side, Timed
from .scene import blanks, contact_bodies, placement_of
from .spindles import spindle_speeds

KNOT_TOLERANCE_MM = 0.002


def _knots(timed: Timed, moments: list[float]) -> tuple[Knots, np.ndarray]:
    """The knots of all channels, and every axis of the chain at them (m + 1, k). `moments`: when grips are worked."""
    strands = timed.strands
    stops = [motion for motion, _ in strands[0].interpreted.stops]
    lanes = [make_knots(s.reel, KNOT_TOLERANCE_MM, stops if s is strands[0] else []) for s in strands]
    if len(strands) == 1 and not timed.job.machine.grips:
        values = np.tile(timed.at_reference(), (len(lanes[0].at), 1))
        values[:, strands[0].columns] = lanes[0].at
        return lanes[0], values
    knots, clashes = union_knots(
        [s.reel for s in strands], lanes, [s.columns for s in strands], timed.at_reference(), stops
    )
    for column, one, other, segment in clashes:
        axis = timed.chain.axes[column]
        where = timed.reel.where(int(knots.lanes[segment, other]), float(knots.t0[segment]))
        timed.docket.add(
            "channel.axis", f"{axis} is commanded by channels {strands[one].channel} and {strands[other].channel} at once",
            where=where, axis=axis,
        )  # fmt: skip
    return knots, knots.at


def _standing(timed: Timed, knots: Knots) -> Standing:
    """The tool in use in every channel, and the work spindles that turn: not one whose channel's driven tool does instead."""
    motions = timed.reel.motions
    none = np.append(motions.tool, np.zeros(1, motions.tool.dtype))  # what −1 finds: no tool
    tools = tuple(Steps.of(none[lane]) for lane in knots.lanes.T)
    machine = timed.job.machine
    if machine.spindles:
        speeds = spindle_speeds(timed.strands)
        spins = {s.name: Steps.of(speeds[s.name].at(0.5 * (knots.t0 + knots.t1)) != 0.0) for s in machine.spindles}
        return Standing(tools, spins, Steps.of(knots.phase))
    turns = np.zeros(len(motions), np.bool_)
    if machine.work_spindle is not None:
        live = np.array([s.live for s in motions.snapshots] or [False])[motions.snapshot]
        turns = (motions.rpm != 0) & ~live
    return Standing(tools, {"": Steps.of(turns[knots.motion])}, Steps.of(knots.phase))


def replay(
    timed: Timed, progress: Callable[[str, float], None] | None = None, store: Store | None = None, filmed: bool = True,
    quick: QuickLook | None = None, side: Side = "",
) -> Rehearsal:  # fmt: skip
    """`quick`: the material is worked out on a coarser grid than the job asked for, as that says. `side`: from which end another worker does
    the same (`from_both_ends`)."""
    tell = progress or (lambda stage, share: None)
    job, chain, docket, reel = timed.job, timed.chain, timed.docket, timed.reel
    for strand in timed.strands:
        travel.check_travel(strand)
        travel.check_indexing(strand)
        travel.check_speed(strand, travel.check_rewinds(strand))
    events = Events.of_channels(timed)
    knots, values = _knots(timed, events.moments)
    events.place(knots)
    standing = _standing(timed, knots)
    result = Rehearsal(**vars(timed), knots=knots, values=values, standing=standing, filmed=filmed, quick=quick)
    follower = Follower(knots, result.values, chain, standing, [strand.columns for strand in timed.strands])
    grips = bool(job.machine.grips) and not job.file.switches.dry_run
    if grips:  # who holds what tells where everything stands
        from .holding import cut_held

        result.stocks = cut_held(result, follower, events, tell)
    used = set(np.unique(reel.motions.tool).tolist())
    bodies = contact_bodies(job, chain, result.tools, used, result.values)
    bodies = parted(timed, follower, bodies)
    pairs = apart(timed, pairs_of(bodies, chain, job.machine.ignore))
    asked = clearances(pairs, job.file.checks.near, job.file.checks.pairs)
    result.off = [(a.label, b.label) for (a, b), near in zip(pairs, asked, strict=True) if near is None]
    kept = [(pair, near) for pair, near in zip(pairs, asked, strict=True) if near is not None]
    result.pairs = len(kept)
    followed = [(b, a) if b.tool else (a, b) for (a, b), _ in kept]
    result.margins = check_contacts(
        reel,
        follower,
        followed,
        [near for _, near in kept],
        docket,
        lambda share: tell("contact", share),
        following(follower, store, side),
        result.touching,
    )
    if any(strand.settled for strand in timed.strands):
        result.nearest = nearest_in_operations(result, follower, followed)
    if len(timed.strands) > 1:
        from .timing import check_timing

        result.timing = check_timing(result, follower, [pair for pair, _ in kept], timed.met)
    check_access(job, chain, bodies, docket)
    _limits(result, docket)
    if not job.file.switches.dry_run and not grips:
        _cut_all(result, follower, tell, store, side)
    if quick:
        tell_of(result, quick)
    _leave_out_foretold(docket, bool(result.stocks))
    result.engagements = engagements(result)
    check_removal(result)
    if job.file.measures:
        from .measuring import measure_parts

        measure_parts(result)
    return result


def _cut_all(
    result: Rehearsal, follower: Follower, tell: Callable[[str, float], None], store: Store | None, side: Side
) -> None:
    """Cut every stock. Two that may meet are cut side by side, so that each can be asked as it stands at a moment."""
    stocks = blanks(result.job, result.chain)
    entering = {
        stock.name: find_entering(result, follower, stock, stocks, placement_of(result.job, result.chain, stock.name))
        for stock in stocks
    }
    together = {name for entered in entering.values() for item in entered for name in item.stocks}
    cuttings: dict[str, Cutting] = {}
    for stock in reversed(stocks):  # a stock asks those that come after it
        made = Cutting.begun(
            result, stock.name, entering[stock.name], tell, None if stock.name in together else store, cuttings
        )
        if made:
            cuttings[stock.name] = made
    if side:
        tell("material", 0.0)  # the other may begin, too
    cut = {}
    for stock in ordered([stock for stock in stocks if stock.name in cuttings], side):
        cutting = cuttings[stock.name]
        cut[stock.name] = (cutting.caught_up() if side else cutting).finished()
    result.stocks = [cut[stock.name] for stock in stocks if stock.name in cut]


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
            docket.add(
                "check.limit", f"T{tool_number(number)} is a turning tool; its cut is not carried out yet", tool=number
            )
