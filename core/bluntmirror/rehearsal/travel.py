"""Travel: how far every axis goes, and where it would pass its limits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..findings import causes
from ..geometry.frames import Floats
from ..machine import Chain
from ..machine.tip import Kinematics
from ..program.motions import ARC, FEED, PLANE_AXES, RAPID
from ..timeline.reel import Reel
from .result import Strand
from .virtual_control import tool_mount

INDEX_HAIR_DEG = 0.001  # least increment of a rotary word on common controls (IS-B, common practice)
HAIR_MM = 1e-6  # float noise is not overtravel
NEAR_SINGULAR_SINE = float(np.sin(np.radians(15.0)))  # common practice: posts begin to avoid the pole at 5 to 15°
REWIND_DEG, REWIND_ALIKE_DEG = 200.0, 30.0  # half a turn passes the pole; more is the long way round
MUCH_SLOWER = 0.5  # of the feed asked for


@dataclass(frozen=True)
class AxisRange:
    axis: str
    low: float
    high: float
    travel: tuple[float, float] | None


def extremes(reel: Reel) -> tuple[Floats, Floats]:
    """Lowest and highest value of every axis in every motion, (n, k) each: what arcs and ways seen from the work pass
    included. Of a slide moved by several axes: where it stands itself."""
    motions, ways = reel.motions, reel.ways
    begin = motions.begin
    first, last = begin @ reel.slides, motions.end @ reel.slides
    low, high = np.minimum(first, last), np.maximum(first, last)
    if len(ways.motion):
        at = ways.at @ reel.slides
        low[ways.motion] = np.minimum(low[ways.motion], np.minimum.reduceat(at, ways.first[:-1]))
        high[ways.motion] = np.maximum(high[ways.motion], np.maximum.reduceat(at, ways.first[:-1]))
    for plane in range(3):
        rows = np.flatnonzero(
            (motions.kind == ARC) & ~motions.in_frame & (motions.plane == plane) & (motions.sweep != 0.0)
        )
        if len(rows):
            for passed in _outermost(reel, rows, plane):
                low[rows], high[rows] = np.fmin(low[rows], passed), np.fmax(high[rows], passed)
    return low, high


def _outermost(reel: Reel, rows: NDArray[np.int64], plane: int) -> list[Floats]:
    """Where every slide stands at its two turning points in the arcs `rows` of a plane, (r, k) each, NaN where an arc does not
    pass one.

    Along an arc of radius R a slide moved by the plane's axes with factors a and b stands at  R·√(a² + b²)·cos(θ − φ),
    φ = atan2(b, a), plus what runs evenly with the arc (a helix's rise): D in all. It turns where
    sin(θ − φ) = D / (R·√(a² + b²)·sweep).
    """
    motions, slides = reel.motions, reel.slides
    first, second = (motions.axes.index("XYZ"[axis]) for axis in PLANE_AXES[plane][:2])
    begin, end, centre = motions.begin[rows], motions.end[rows], motions.centre[rows]
    sweep = motions.sweep[rows][:, None]
    arms = [points[:, [first, second]] - centre for points in (begin, end)]
    r0, r1 = (np.hypot(arm[:, 0], arm[:, 1])[:, None] for arm in arms)
    start = np.arctan2(arms[0][:, 1], arms[0][:, 0])[:, None]
    a, b = slides[first], slides[second]
    size, phase = np.hypot(a, b), np.arctan2(b, a)
    beside, rise = begin.copy(), end - begin
    beside[:, [first, second]], rise[:, [first, second]] = centre, 0.0
    middle, evenly = beside @ slides, rise @ slides
    with np.errstate(divide="ignore", invalid="ignore"):
        lean = np.arcsin(
            evenly / (r0 * size * sweep)
        )  # NaN for a slide that does not turn back, or is not in the plane
    found = []
    for angle in (phase + lean, phase + np.pi - lean):
        share = ((angle - start) * np.sign(sweep) % (2 * np.pi)) / np.abs(sweep)
        value = middle + share * evenly + (r0 + share * (r1 - r0)) * size * np.cos(angle - phase)
        found.append(np.where(share <= 1.0, value, np.nan))
    return found


def ranges(strands: Sequence[Strand]) -> list[AxisRange]:
    """Every channel's axes, in the machine's names; of one that several channels have, all that any of them does with it."""
    found: dict[str, AxisRange] = {}
    for strand in strands:
        for own in _ranges_of(strand.reel, strand.chain):
            axis, known = strand.axis(own.axis), found.get(strand.axis(own.axis))
            low, high = (own.low, own.high) if known is None else (min(own.low, known.low), max(own.high, known.high))
            found[axis] = AxisRange(axis, low, high, own.travel)
    return list(found.values())


def _ranges_of(reel: Reel, chain: Chain) -> list[AxisRange]:
    low, high = extremes(reel)
    start = reel.motions.start @ reel.slides
    result = []
    for i, axis in enumerate(reel.motions.axes):
        travel = chain.joints[axis].travel
        result.append(
            AxisRange(axis, float(min(start[i], low[:, i].min(initial=np.inf))),
                      float(max(start[i], high[:, i].max(initial=-np.inf))), travel)
        )  # fmt: skip
    return result


def check_travel(result: Strand) -> None:
    """One finding for each cause that sends an axis past a limit."""
    reel, chain, docket = result.reel, result.chain, result.docket
    motions = reel.motions
    low, high = extremes(reel)
    operation = motions.operation
    for i, axis in enumerate(motions.axes):
        travel = chain.joints[axis].travel
        if travel is None:
            continue
        for sign, past, limit in (("−", travel[0] - low[:, i], travel[0]), ("+", high[:, i] - travel[1], travel[1])):
            over = np.flatnonzero(past > HAIR_MM)
            if not len(over):
                continue
            for rows in causes(over, operation[over], past[over]):
                run = over[rows]
                first, worst = int(run[0]), float(past[run].max())
                unit = "mm" if chain.joints[axis].type == "linear" else "°"
                share = _passing(reel, first, i, limit)
                named = result.axis(axis)
                told = f"{named} would pass its {sign} limit ({limit:g}) by {worst:.3f} {unit}"
                shift = f"{worst:.3f} {unit}"
                if axis in result.setup.diameters:  # the travel is the slide's; people read diameters
                    told = f"{named} would pass its {sign} limit by {worst:.3f} mm of its slide ({limit:g}; {2 * worst:.3f} in diameter)"
                    shift = f"{2 * worst:.3f} mm in diameter"
                docket.add(
                    "travel.over", told, where=reel.where(first, _time_of(reel, first, share), int(run[-1])), axis=named,
                    amount=worst, count=len(run), point=_tip(result, first, share),
                    remedy=f"Shift the work by {shift} in {named}, or shorten the move.",
                )  # fmt: skip


def check_indexing(result: Strand) -> None:
    """Where a program sends an axis that only indexes between two of its positions, or turns it in a cutting move."""
    reel, chain, docket = result.reel, result.chain, result.docket
    motions = reel.motions
    begin = motions.begin
    for column, axis in enumerate(motions.axes):
        step = chain.joints[axis].step
        if step is None:
            continue
        moved = motions.end[:, column] != begin[:, column]
        off = np.abs(motions.end[:, column] - step * np.round(motions.end[:, column] / step))
        cutting = np.isin(motions.kind, (FEED, ARC))
        for rows, told, remedy in (
            (np.flatnonzero(moved & (off > INDEX_HAIR_DEG)), "{axis} is sent to {value:.3f}°, between two of its positions: it "
             "indexes by {step:g}°", "Give {axis} a multiple of {step:g}°, or run the program on a machine whose {axis} stands anywhere."),
            (np.flatnonzero(moved & cutting), "{axis} is turned in a cutting move: it only indexes, by {step:g}°, and is clamped while "
             "the tool cuts", "Turn {axis} with G0, before the cut."),
        ):  # fmt: skip
            for part in causes(rows, motions.operation[rows], off[rows], whole_operation=True):
                run = rows[part]
                first = int(run[0])
                words = {"axis": result.axis(axis), "value": float(motions.end[first, column]), "step": step}
                docket.add(
                    "travel.reach", told.format(**words), where=reel.where(first, float(reel.end_time[first]), int(run[-1])),
                    axis=result.axis(axis), amount=float(off[run].max()), count=len(run), point=_tip(result, first, 1.0),
                    remedy=remedy.format(**words),
                )  # fmt: skip


def check_rewinds(result: Strand) -> NDArray[np.int64]:
    """Where under tip control a rotary axis goes nearly all the way round in a cutting move to point the tool where it
    pointed before: a post that ran out of travel. The tip keeps to its way, but the cutter sweeps a whole turn there.
    Returns the motions (r,)."""
    reel, chain, docket = result.reel, result.chain, result.docket
    motions = reel.motions
    rotary = [i for i, axis in enumerate(motions.axes) if chain.joints[axis].type == "rotary"]
    if not rotary or not motions.in_frame.any() or result.settled:
        return np.zeros(0, np.int64)
    begin, end = motions.begin, motions.end
    turned = np.abs(end - begin)[:, rotary]
    suspects = np.flatnonzero(motions.in_frame & np.isin(motions.kind, (FEED, ARC)) & (turned.max(axis=1) > REWIND_DEG))
    apart = [_between(*(result.solver(i).tool_vector(values[i]) for values in (begin, end))) for i in suspects.tolist()]
    found = suspects[np.array(apart) < REWIND_ALIKE_DEG] if len(suspects) else suspects
    for part in causes(found, motions.operation[found], turned[found].max(axis=1), whole_operation=True):
        run = found[part]
        first = int(run[0])
        axis = result.axis(motions.axes[rotary[int(np.argmax(turned[first]))]])
        way = float(turned[first].max())
        docket.add(
            "travel.rewind", f"{axis} turns {way:.1f}° within this cutting move, though the tool's direction changes by "
            f"{apart[int(np.searchsorted(suspects, first))]:.1f}° only", where=reel.where(first, last=int(run[-1])), axis=axis,
            amount=way, count=len(run), point=_tip(result, first, 0.0),
        )  # fmt: skip
    return found


def check_speed(result: Strand, told_already: NDArray[np.int64]) -> None:
    """Where tip control asks an axis for more speed than it has: near a singularity, and, where the tip itself must slow
    down much, elsewhere. `told_already`: motions whose slowness has another cause."""
    reel, chain, docket = result.reel, result.chain, result.docket
    motions = reel.motions
    slow = np.setdiff1d(np.flatnonzero(reel.slow_axis >= 0), told_already)
    if not len(slow):
        return
    begin = motions.begin
    if result.settled:
        sine = np.sin(np.radians(np.minimum(result.settled.singular[slow], 90.0)))
    else:
        sine = np.array([_least_sine(result.solver(row), begin[row], motions.end[row]) for row in slow])
    singular = sine < NEAR_SINGULAR_SINE
    way = np.zeros(len(motions))
    way[reel.ways.motion] = reel.ways.length
    for kind, chosen in (
        ("travel.singular", slow[singular]),
        ("travel.speed", slow[~singular & (reel.asked_share[slow] < MUCH_SLOWER) & (way[slow] > 1.0)]),
    ):
        asked = 1.0 / np.maximum(reel.asked_share[chosen], 1e-9)
        for rows in causes(chosen, motions.operation[chosen], asked, whole_operation=True):
            run = chosen[rows]
            first, worst = int(run[0]), int(run[np.argmax(asked[rows])])
            axis = motions.axes[int(reel.slow_axis[worst])]
            top = chain.joints[axis].rapid
            need = top / max(float(reel.asked_share[worst]), 1e-9)
            unit = "mm/min" if chain.joints[axis].type == "linear" else "°/min"
            told = f"{result.axis(axis)} would have to run at {need:,.0f} {unit} to keep F{motions.feed[worst]:g}; it reaches {top:,.0f}"
            if kind == "travel.singular":
                degrees = float(np.degrees(np.arcsin(min(1.0, sine[slow == worst][0]))))
                told += (
                    f" (the arm comes within {degrees:.1f}° of a singular pose)" if result.settled
                    else f" (the tool stands {degrees:.1f}° from the axis it turns about)"
                )  # fmt: skip
            docket.add(
                kind, told, where=reel.where(first, last=int(run[-1])), axis=result.axis(axis), amount=need - top, count=len(run),
                point=_tip(result, first, 0.0),
            )  # fmt: skip


def _between(a: Floats, b: Floats) -> float:
    """The angle between two unit vectors, in degrees."""
    return float(np.degrees(np.arccos(np.clip(a @ b, -1.0, 1.0))))


def _least_sine(kinematics: Kinematics, begin: Floats, end: Floats) -> float:
    """How near to singular a motion comes: the least sine between the tool and the rotary axis nearest to the work."""
    return min(kinematics.singular_sine(begin + share * (end - begin)) for share in np.linspace(0.0, 1.0, 9))


def _passing(reel: Reel, motion: int, axis: int, limit: float) -> float:
    """The share of the motion's way at which the axis passes the limit."""
    begin, end = ((values @ reel.slides)[axis] for values in (reel.motions.begin[motion], reel.motions.end[motion]))
    share = (limit - begin) / (end - begin) if end != begin else 0.0
    return min(max(float(share), 0.0), 1.0)


def _time_of(reel: Reel, motion: int, share: float) -> float:
    """When a motion has come a share of its way."""
    if (
        reel.motions.kind[motion] == ARC
        or motion in reel.ways.motion
        or (reel.dogleg and reel.motions.kind[motion] == RAPID)
    ):
        return float(reel.begin_time[motion] + share * (reel.end_time[motion] - reel.begin_time[motion]))
    return reel.moment(motion, share)


def _tip(result: Strand, motion: int, share: float) -> tuple[float, float, float]:
    """The tool's tip in the machine's frame at a share of a motion's way: where to look."""
    reel, chain = result.reel, result.chain
    begin, end = reel.motions.begin[motion], reel.motions.end[motion]
    values = result.full((begin + share * (end - begin))[None])
    number = int(reel.motions.tool[motion])
    pose = chain.mount_pose(tool_mount(result.job, chain, number), values)[0]
    tip = result.tools[number].tip if number in result.tools else (0.0, 0.0, 0.0)
    x, y, z = pose[:3, :3] @ np.array(tip) + pose[:3, 3]
    return float(x), float(y), float(z)
