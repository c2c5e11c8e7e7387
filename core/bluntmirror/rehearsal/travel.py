"""Travel: how far every axis goes, and where it would pass its limits."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..findings import Docket, causes
from ..geometry.frames import Floats
from ..machine import Chain
from ..machine.tip import Kinematics
from ..program.motions import ARC, PLANE_AXES
from ..timeline.reel import Reel

HAIR_MM = 1e-6  # float noise is not overtravel
NEAR_SINGULAR_SINE = float(np.sin(np.radians(15.0)))  # common practice: posts begin to avoid the pole at 5 to 15°
MUCH_SLOWER = 0.5  # of the feed asked for


@dataclass(frozen=True)
class AxisRange:
    axis: str
    low: float
    high: float
    travel: tuple[float, float] | None


def extremes(reel: Reel) -> tuple[Floats, Floats]:
    """Lowest and highest value of every axis in every motion, (n, k) each: what arcs and ways seen from the work pass
    included."""
    motions, ways = reel.motions, reel.ways
    begin = motions.begin
    low, high = np.minimum(begin, motions.end), np.maximum(begin, motions.end)
    columns = [motions.axes.index(a) if a in motions.axes else -1 for a in "XYZ"]
    if len(ways.motion):
        low[ways.motion] = np.minimum(low[ways.motion], np.minimum.reduceat(ways.at, ways.first[:-1]))
        high[ways.motion] = np.maximum(high[ways.motion], np.maximum.reduceat(ways.at, ways.first[:-1]))
    for row in np.flatnonzero((motions.kind == ARC) & ~motions.in_frame):
        c1, c2 = (columns[i] for i in PLANE_AXES[int(motions.plane[row])][:2])
        centre, sweep = motions.centre[row], float(motions.sweep[row])
        arm = begin[row, [c1, c2]] - centre
        radius, angle = float(np.hypot(*arm)), float(np.arctan2(arm[1], arm[0]))
        for quadrant in range(4):
            # The circle's outermost point in this direction is passed when it lies within the sweep.
            ahead = (quadrant * np.pi / 2 - angle) * np.sign(sweep) % (2 * np.pi)
            if ahead <= abs(sweep):
                column, centre_value = (c1, centre[0]) if quadrant % 2 == 0 else (c2, centre[1])
                value = centre_value + (radius if quadrant < 2 else -radius)
                low[row, column] = min(low[row, column], value)
                high[row, column] = max(high[row, column], value)
    return low, high


def ranges(reel: Reel, chain: Chain) -> list[AxisRange]:
    low, high = extremes(reel)
    start = reel.motions.start
    result = []
    for i, axis in enumerate(reel.motions.axes):
        travel = chain.joints[axis].travel
        result.append(
            AxisRange(axis, float(min(start[i], low[:, i].min(initial=np.inf))),
                      float(max(start[i], high[:, i].max(initial=-np.inf))), travel)
        )  # fmt: skip
    return result


def check_travel(reel: Reel, chain: Chain, docket: Docket, channel: int, lengths: dict[int, float]) -> None:
    """One finding for each cause that sends an axis past a limit. `lengths` of the tools, for the place of the tip."""
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
                begin, end = reel.begin_time[first], reel.end_time[first]
                docket.add(
                    "travel.over",
                    f"{axis} would pass its {sign} limit ({limit:g}) by {worst:.3f} {unit}",
                    channel=channel, program=motions.file_name(first), line=int(motions.line[first]),
                    time=float(begin + share * (end - begin)), tool=int(motions.tool[first]), axis=axis, amount=worst,
                    count=len(run), motion=first, last_motion=int(run[-1]),
                    point=_tip(reel, chain, first, share, lengths),
                    remedy=f"Shift the work by {worst:.3f} {unit} in {axis}, or shorten the move.",
                )  # fmt: skip


def check_speed(
    reel: Reel, chain: Chain, kinematics: Kinematics | None, docket: Docket, channel: int, lengths: dict[int, float]
) -> None:
    """Where tip control asks an axis for more speed than it has: near a singularity, and, where the tip itself must slow
    down much, elsewhere."""
    motions = reel.motions
    slow = np.flatnonzero(reel.slow_axis >= 0)
    if not len(slow) or kinematics is None:
        return
    begin = motions.begin
    sine = np.array([_least_sine(kinematics, begin[row], motions.end[row]) for row in slow])
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
            told = f"{axis} would have to run at {need:,.0f} {unit} to keep F{motions.feed[worst]:g}; it reaches {top:,.0f}"
            if kind == "travel.singular":
                told += f" (the tool stands {np.degrees(np.arcsin(min(1.0, sine[slow == worst][0]))):.1f}° from the axis it turns about)"
            docket.add(
                kind, told, channel=channel, program=motions.file_name(first), line=int(motions.line[first]),
                time=float(reel.begin_time[first]), tool=int(motions.tool[first]), axis=axis, amount=need - top,
                count=len(run), motion=first, last_motion=int(run[-1]), point=_tip(reel, chain, first, 0.0, lengths),
            )  # fmt: skip


def _least_sine(kinematics: Kinematics, begin: Floats, end: Floats) -> float:
    """How near to singular a motion comes: the least sine between the tool and the rotary axis nearest to the work."""
    return min(kinematics.singular_sine(begin + share * (end - begin)) for share in np.linspace(0.0, 1.0, 9))


def _passing(reel: Reel, motion: int, axis: int, limit: float) -> float:
    """The share of the motion's way at which the axis passes the limit."""
    begin, end = reel.motions.begin[motion, axis], reel.motions.end[motion, axis]
    share = (limit - begin) / (end - begin) if end != begin else 0.0
    return min(max(float(share), 0.0), 1.0)


def _tip(reel: Reel, chain: Chain, motion: int, share: float, lengths: dict[int, float]) -> tuple[float, float, float]:
    """The tool's tip in the machine's frame at a share of a motion's way: where to look."""
    values = np.zeros((1, len(chain.axes)))
    begin, end = reel.motions.begin[motion], reel.motions.end[motion]
    for column, axis in enumerate(reel.motions.axes):
        values[0, chain.axes.index(axis)] = begin[column] + share * (end[column] - begin[column])
    tool = chain.mount_pose(chain.mount_of("tool"), values)[0]
    x, y, z = tool[:3, 3] - lengths.get(int(reel.motions.tool[motion]), 0.0) * tool[:3, 2]
    return float(x), float(y), float(z)
