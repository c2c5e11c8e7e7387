"""The reel: every motion with its times, and the polyline of knots that contact and material follow."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import for_rows
from ..findings import Where
from ..job.models import Joint
from ..machine.tip import Solvers
from ..program.motions import ARC, DWELL, FEED, OTHER, PLANE_AXES, RAPID, THREAD, TOOL_CHANGE, WAIT, Motions
from .law_kernel import moments_of_ramps, time_at, time_law, trapezoid
from .ways import Ways, ways_in_frame

# How long a control takes over a corner that it runs through: the speed of an axis may jump by what its acceleration
# makes in this time. Common practice; calibrated per machine later.
CORNER_SECONDS = 0.004
STILL = (DWELL, TOOL_CHANGE, WAIT, OTHER)  # kinds of motion that take time where they stand

Floats = NDArray[np.float64]


@dataclass
class Reel:
    motions: Motions
    begin_time: Floats  # (n,), s
    end_time: Floats
    length: Floats  # (n,), mm along the path
    v_in: Floats  # mm/s
    v_out: Floats
    v_peak: Floats
    accel: Floats  # mm/s²
    dogleg: bool
    slides: Floats  # (k, k): axis values @ slides = where the slides themselves stand
    axis_speed: Floats  # (k,), mm/s, of the slides
    axis_accel: Floats  # (k,), mm/s²
    rapid_share: float
    ways: Ways  # of the motions whose way lies in a tool frame
    way_time: Floats  # (p,), s from the motion's begin to each of the ways' points
    asked_share: Floats  # (n,): the speed that the axes allow as a share of the feed asked for, 1 where it is kept
    slow_axis: NDArray[np.int64]  # (n,): the axis that asks for it, −1 for none
    channel: int = 1
    first: int = 0  # the id of its first motion among those of all channels
    parts: tuple[Reel, ...] = ()  # of the reel of all channels: theirs

    @property
    def seconds(self) -> float:
        if self.parts:
            return max(part.seconds for part in self.parts)
        return float(self.end_time[-1]) if len(self.end_time) else 0.0

    def part_of(self, motion: int) -> Reel:
        """The channel's own reel that a motion of the reel of all is in."""
        return next((part for part in self.parts if part.first <= motion < part.first + len(part.motions)), self)

    def where(self, motion: int, time: float | None = None, last: int | None = None) -> Where:
        """The place of a finding that begins in a motion (−1: in none), at its begin unless a time is given."""
        motions = self.motions
        if motion < 0:
            return Where(self.channel, time=time or 0.0)
        if self.parts:
            part = self.part_of(motion)
            return part.where(motion - part.first, time, None if last is None else last - part.first)
        return Where(
            self.channel, motions.file_name(motion), int(motions.line[motion]),
            float(self.begin_time[motion]) if time is None else float(time), int(motions.tool[motion]), self.first + motion,
            self.first + (motion if last is None else last),
        )  # fmt: skip

    def law(self, motion: int) -> tuple[float, float, float, float, float, float]:
        """A motion's length, speeds and duration as `law_kernel` takes them."""
        duration = self.end_time[motion] - self.begin_time[motion]
        return (
            self.length[motion],
            self.v_in[motion],
            self.v_out[motion],
            self.v_peak[motion],
            self.accel[motion],
            duration,
        )

    def laws(self, motions: NDArray[np.int32]) -> Floats:
        """`law` for n motions, (n, 6)."""
        columns = (self.length, self.v_in, self.v_out, self.v_peak, self.accel, self.end_time - self.begin_time)
        return np.stack([column[motions] for column in columns], axis=1)

    def moment(self, motion: int, share: float) -> float:
        """When a straight motion has come a share (0–1) of its way, by its time law."""
        if self.length[motion] <= 0.0:
            return float(self.begin_time[motion] + share * (self.end_time[motion] - self.begin_time[motion]))
        return float(self.begin_time[motion] + time_at(share * self.length[motion], *self.law(motion)))


@dataclass
class Knots:
    """m straight segments in axis space; segment i runs from at[i] to at[i + 1] during [t0[i], t1[i]]. Still time has
    segments too, in which at[i] and at[i + 1] are the same: what spins, changes, comes or goes meanwhile is asked there."""

    at: Floats  # (m + 1, k)
    motion: NDArray[np.int32]  # (m,); of several channels: that of the first which is still under way
    t0: Floats
    t1: Floats
    phase: NDArray[np.int32]  # (m,): how many programmed stops lie before it
    each: NDArray[np.int32] | None = (
        None  # (m, lanes): the motion of every channel, −1 after its end; None for one channel
    )
    even: bool = False  # whether between knots taking time as even is right

    @property
    def lanes(self) -> NDArray[np.int32]:
        """The motion of every channel in each segment (m, lanes)."""
        return self.motion[:, None] if self.each is None else self.each

    @staticmethod
    def through(at: Floats) -> Knots:
        """A way through rows of axis values, a motion and a second for each piece of it."""
        m = len(at) - 1
        return Knots(
            at, np.arange(m, dtype=np.int32), np.arange(m, dtype=float), np.arange(1.0, m + 1), np.zeros(m, np.int32)
        )

    def only_one(self, segment: int) -> bool:
        """Whether a segment is the whole way of its motion."""
        motion = self.motion
        return not (
            (segment > 0 and motion[segment - 1] == motion[segment])
            or (segment + 1 < len(motion) and motion[segment + 1] == motion[segment])
        )

    def moment(self, reel: Reel, segment: int, share: float) -> float:
        """When the axes have come a share of a segment: by the time law where it is a motion's whole way; the pieces of
        arcs, ways and bending rapids are short enough to be even."""
        motion = int(self.motion[segment])
        if not self.even and self.only_one(segment) and not (reel.dogleg and reel.motions.kind[motion] == RAPID):
            return reel.moment(motion, share)
        return float(self.t0[segment] + share * (self.t1[segment] - self.t0[segment]))


def slides_of(joints: Sequence[Joint]) -> Floats:
    """(k, k): axis values @ this = where every joint's own slide stands; the identity where each is moved by its own axis alone."""
    columns = {joint.axis: i for i, joint in enumerate(joints)}
    result = np.zeros((len(joints), len(joints)))
    for i, joint in enumerate(joints):
        for axis, factor in joint.factors.items():
            if axis in columns:
                result[columns[axis], i] = factor
    return result


def time_motions(
    motions: Motions, joints: list[Joint], dogleg: bool, solvers: Solvers | None = None, rapid_share: float = 1.0,
    channel: int = 1, corner_seconds: float = CORNER_SECONDS, block_seconds: float = 0.0, ways: Ways | None = None,
) -> Reel:  # fmt: skip
    """Give every motion of a channel its time. `joints` in the order of the motions' axes; rates mm/min, accelerations
    mm/s²; `rapid_share`: the rapid override, 0–1; `block_seconds`: the least that a motion of a cut takes; `ways`: those of the motions
    in a frame, where they are known already (an arm's)."""
    for_rows(len(motions))
    speed = np.array([j.rapid for j in joints]) / 60.0
    accel = np.array([j.accel for j in joints])
    n = len(motions)
    delta = motions.end - motions.begin
    linear = np.array([j.type == "linear" for j in joints])
    slides = slides_of(joints)
    length, tangent_in, tangent_out, curve_radius = _path(motions, linear, delta)
    if ways is None:
        ways = ways_in_frame(motions, solvers, linear)
    path = np.isin(motions.kind, (RAPID, FEED, ARC, THREAD))
    arc = (motions.kind == ARC) & ~motions.in_frame
    steepest = np.maximum(np.abs(tangent_in), np.abs(tangent_out))
    steepest[arc] = np.maximum(steepest[arc], _arc_reach(motions, arc, steepest[arc])) @ np.abs(slides)
    tangent_in, tangent_out = tangent_in @ slides, tangent_out @ slides
    steepest[~arc] = np.maximum(np.abs(tangent_in), np.abs(tangent_out))[~arc]
    with np.errstate(divide="ignore"):
        v_limit = np.min(np.where(steepest > 1e-12, speed / steepest, np.inf), axis=1, initial=np.inf)
        a_limit = np.min(np.where(steepest > 1e-12, accel / steepest, np.inf), axis=1, initial=np.inf)
    cutting = path & (motions.kind != RAPID)
    v_limit = np.where(cutting, np.minimum(v_limit, motions.feed / 60.0), v_limit)
    if block_seconds > 0.0:
        v_limit = np.where(cutting, np.minimum(v_limit, length / block_seconds), v_limit)
    if rapid_share < 1.0:
        v_limit = np.where(motions.kind == RAPID, v_limit * rapid_share, v_limit)
    # Centripetal acceleration v²/r stays within the plane's slower axis.
    v_limit = np.where(arc, np.minimum(v_limit, np.sqrt(a_limit * curve_radius)), v_limit)
    length = np.where(path, length, 0.0)
    moving = length > 0
    v_limit = np.where(moving, v_limit, 1.0)
    a_limit = np.where(moving, a_limit, 1.0)
    links = cutting & ~motions.exact & np.append(cutting[1:], False)
    # A dwell, a tool change or a rapid in between is a stop; a motion of no length is not.
    law = (length, v_limit, a_limit, tangent_in, tangent_out, links)
    asked_share, slow_axis = np.ones(n), np.full(n, -1)
    if len(ways.motion):
        law, first, asked_share, slow_axis = _with_ways(law, ways, motions, slides, speed, accel)
    v_in, v_out, v_peak, duration = time_law(*law, accel, corner_seconds)
    way_time = np.zeros(0)
    if len(ways.motion):
        length, a_limit = length.copy(), law[2][first]
        v_in, v_peak, way_time, whole = v_in[first], v_peak[first], *_gathered(duration, first, ways)
        v_out, duration = v_out[np.append(first[1:], len(law[0])) - 1], whole
        length[ways.motion] = ways.length
    if dogleg:
        rapid = np.flatnonzero((motions.kind == RAPID) & moving)
        duration[rapid] = _alone(np.abs(delta[rapid] @ slides), speed * rapid_share, accel).max(axis=1, initial=0.0)
    still = np.isin(motions.kind, STILL)
    duration = np.where(still, motions.seconds, duration)
    end_time = np.cumsum(duration)
    begin_time = np.concatenate([[0.0], end_time[:-1]]) if n else end_time
    return Reel(
        motions, begin_time, end_time, length, v_in, v_out, v_peak, a_limit, dogleg, slides, speed, accel, rapid_share, ways,
        way_time, asked_share, slow_axis, channel,
    )  # fmt: skip


def _alone(way: Floats, speed: Floats, accel: Floats) -> Floats:
    """Seconds of every axis on its own from rest to rest, (n, k): a trapezoid of v over t, a triangle where v is not reached."""
    full = way / speed + speed / accel
    return np.where(way >= speed * speed / accel, full, 2.0 * np.sqrt(way / accel))


Law = tuple[Floats, Floats, Floats, Floats, Floats, NDArray[np.bool_]]


def _with_ways(
    law: Law, ways: Ways, motions: Motions, slides: Floats, speed: Floats, accel: Floats
) -> tuple[Law, NDArray[np.int64], Floats, NDArray[np.int64]]:
    """The law's columns with every motion that has a way replaced by the pieces of it: each piece has its own limits, so
    that only the stretch near a singularity is slow. Also the first piece of every motion, and which feed is not kept."""
    n = len(motions)
    counts = np.ones(n, np.int64)
    counts[ways.motion] = np.diff(ways.first)
    first = np.cumsum(counts) - counts
    of = np.repeat(np.arange(n), counts)
    length, v_limit, a_limit, tangent_in, tangent_out = (column[of] for column in law[:5])
    links = law[5][of]
    asked_share, slow_axis = np.ones(n), np.full(n, -1)
    # `pieces`: where the ways' points stand in the columns; `way`: which way each belongs to.
    way = np.repeat(np.arange(len(ways.motion)), ways.counts)
    pieces = np.flatnonzero(np.isin(of, ways.motion))
    step = np.repeat(ways.length / ways.counts, ways.counts)
    begin = np.vstack([motions.start[None], ways.at[:-1]])
    opens = ways.first[:-1]
    begin[opens] = motions.begin[ways.motion]
    tangent = (ways.at - begin) @ slides / np.maximum(step, 1e-12)[:, None]
    length[pieces], tangent_in[pieces], tangent_out[pieces] = step, tangent, tangent
    links[pieces] = True
    links[pieces[ways.first[1:] - 1]] = law[5][ways.motion]
    steep = np.abs(tangent)
    with np.errstate(divide="ignore"):
        allowed = np.where(steep > 1e-12, speed / steep, np.inf)
        # Along a bending way an axis is accelerated by q″v² even at an even speed: a piece takes the larger bend of its ends.
        bend = np.zeros((len(steep) + 1, steep.shape[1]))
        bend[1:-1] = np.abs(np.diff(tangent, axis=0)) / np.maximum(step[1:], 1e-12)[:, None]
        bend[opens] = 0.0  # between two ways a junction sees to it
        bend = np.maximum(bend[:-1], bend[1:])
        by_bend = np.sqrt(np.min(np.where(bend > 1e-12, 0.5 * accel / bend, np.inf), axis=1))
        a_limit[pieces] = np.min(np.where(steep > 1e-12, 0.5 * accel / steep, np.inf), axis=1)
    feed = motions.feed[ways.motion] / 60.0
    v_limit[pieces] = np.minimum(np.minimum(allowed.min(axis=1), by_bend), feed[way])
    slowest = np.minimum.reduceat(allowed.min(axis=1), opens)
    outrun = slowest < feed
    asked_share[ways.motion[outrun]] = slowest[outrun] / feed[outrun]
    slow = ways.motion[outrun]
    axis_of = np.argmin(np.minimum.reduceat(allowed, opens, axis=0), axis=1)
    slow_axis[slow] = axis_of[outrun]
    return (length, v_limit, a_limit, tangent_in, tangent_out, links), first, asked_share, slow_axis


def _gathered(duration: Floats, first: NDArray[np.int64], ways: Ways) -> tuple[Floats, Floats]:
    """Times of the ways' points since their motion's begin, and the duration of every motion."""
    whole = np.add.reduceat(duration, first)
    pieces = np.repeat(first[ways.motion] - ways.first[:-1], ways.counts) + np.arange(len(ways.at))
    passed = np.cumsum(duration[pieces])
    before = np.concatenate([[0.0], passed])[ways.first[:-1]]
    times = passed - np.repeat(before, ways.counts)
    return times, whole


def _path(motions: Motions, linear: NDArray[np.bool_], delta: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """Length of every motion, its tangents (axis change per mm) at start and end, and an arc's radius."""
    length = np.sqrt(np.sum(delta[:, linear] ** 2, axis=1))
    turn_only = length < 1e-12
    length = np.where(turn_only, np.sqrt(np.sum(delta**2, axis=1)), length)
    length = np.where(motions.way > 0, motions.way, length)
    safe = np.where(length > 0, length, 1.0)
    tangent_in = delta / safe[:, None]
    tangent_out = tangent_in.copy()
    radius = np.full(len(motions), np.inf)
    arcs = np.flatnonzero((motions.kind == ARC) & ~motions.in_frame)
    if len(arcs):
        begin = motions.begin
        columns = [motions.axes.index(a) if a in motions.axes else -1 for a in "XYZ"]
        for plane in np.unique(motions.plane[arcs]):
            rows = arcs[motions.plane[arcs] == plane]
            c1, c2 = (columns[i] for i in PLANE_AXES[plane][:2])
            sweep = motions.sweep[rows]
            r_in = np.stack([begin[rows, c1], begin[rows, c2]], 1) - motions.centre[rows]
            r_out = np.stack([motions.end[rows, c1], motions.end[rows, c2]], 1) - motions.centre[rows]
            mean = 0.5 * (np.linalg.norm(r_in, axis=1) + np.linalg.norm(r_out, axis=1))
            rest = delta[rows].copy()
            rest[:, [c1, c2]] = 0.0
            total = np.sqrt((mean * np.abs(sweep)) ** 2 + np.sum(rest[:, linear] ** 2, axis=1))
            turn = np.sign(sweep) * mean * np.abs(sweep) / np.where(total > 0, total, 1.0)
            for tangent, arm in ((tangent_in, r_in), (tangent_out, r_out)):
                size = np.maximum(np.linalg.norm(arm, axis=1), 1e-12)
                tangent[rows] = rest / np.where(total > 0, total, 1.0)[:, None]
                tangent[rows, c1] = -arm[:, 1] / size * turn
                tangent[rows, c2] = arm[:, 0] / size * turn
            length[rows] = total
            radius[rows] = np.maximum(mean, 1e-9)
    return length, tangent_in, tangent_out, radius


def _arc_reach(motions: Motions, arc: NDArray[np.bool_], steepest: Floats) -> Floats:
    """Within an arc each axis of its plane may have to run at the full path speed."""
    result = steepest.copy()
    rows = np.flatnonzero(arc)
    for i, row in enumerate(rows):
        if abs(motions.sweep[row]) < math.pi / 2:
            continue  # the steepest point of a shorter arc is near one of its ends
        for axis in PLANE_AXES[int(motions.plane[row])][:2]:
            name = "XYZ"[axis]
            if name in motions.axes:
                result[i, motions.axes.index(name)] = 1.0
    return result


def arc_points(motions: Motions, motion: int, begin: Floats, shares: Floats) -> Floats:
    """Axis values (s, k) at shares 0–1 of an arc's sweep; the radius runs evenly from start to end."""
    columns = [motions.axes.index(a) if a in motions.axes else -1 for a in "XYZ"]
    c1, c2 = (columns[i] for i in PLANE_AXES[int(motions.plane[motion])][:2])
    end, centre = motions.end[motion], motions.centre[motion]
    points = begin + shares[:, None] * (end - begin)
    arm = np.array([begin[c1], begin[c2]]) - centre
    r0, r1 = np.linalg.norm(arm), np.linalg.norm(np.array([end[c1], end[c2]]) - centre)
    angle = math.atan2(arm[1], arm[0]) + shares * motions.sweep[motion]
    radius = r0 + shares * (r1 - r0)
    points[:, c1] = centre[0] + radius * np.cos(angle)
    points[:, c2] = centre[1] + radius * np.sin(angle)
    points[shares >= 1.0] = end
    return points


def make_knots(reel: Reel, tolerance: float, stops: Sequence[int] = ()) -> Knots:
    """The polyline of the whole program: arcs cut into chords, dog-leg rapids into the bends of their true law. `stops`: the
    motions that programmed stops come before.

    No point of the true path lies farther than `tolerance` (mm) from the polyline.
    """
    motions = reel.motions
    begin = motions.begin
    moving = np.any(motions.end != begin, axis=1) | (motions.kind == ARC)
    rows = np.flatnonzero(moving | np.isin(motions.kind, STILL))
    counts = np.ones(len(rows), np.int64)
    special: dict[int, tuple[Floats, Floats]] = {}
    way_of = {int(motion): i for i, motion in enumerate(reel.ways.motion)}
    kind = motions.kind[rows]
    bent = (kind == ARC) | ((kind == RAPID) & reel.dogleg) | np.isin(rows, reel.ways.motion)
    for place in np.flatnonzero(bent).tolist():
        row = rows[place]
        if int(row) in way_of:
            i = way_of[int(row)]
            part = slice(reel.ways.first[i], reel.ways.first[i + 1])
            special[place] = (reel.ways.at[part], reel.way_time[part])
            counts[place] = part.stop - part.start
        elif motions.kind[row] == ARC:
            radius = float(np.hypot(*(_plane_arm(motions, int(row), begin[row]))))
            step = 2.0 * math.acos(max(0.0, 1.0 - tolerance / max(radius, tolerance)))
            count = max(1, math.ceil(abs(float(motions.sweep[row])) / step))
            shares = np.arange(1, count + 1) / count
            times = np.array([time_at(way, *reel.law(int(row))) for way in shares * reel.length[row]])
            special[place] = (arc_points(motions, int(row), begin[row], shares), times)
            counts[place] = count
        else:
            special[place] = _dogleg(reel, begin[row], motions.end[row], tolerance)
            counts[place] = len(special[place][1])
    total = int(counts.sum())
    k = len(motions.axes)
    at = np.empty((total + 1, k))
    at[0] = motions.start
    t1 = np.empty(total)
    motion = np.repeat(rows, counts).astype(np.int32)
    last = np.cumsum(counts) - 1
    at[1 + last] = motions.end[rows]
    t1[last] = reel.end_time[rows]
    for place, (points, times) in special.items():
        first = last[place] - counts[place] + 1
        at[1 + first : 2 + last[place]] = points
        t1[first : 1 + last[place]] = reel.begin_time[rows[place]] + times
    t0 = np.empty(total)
    t0[1:] = t1[:-1]
    starts = last - counts + 1
    t0[starts] = reel.begin_time[rows]
    return _with_stops(Knots(at, motion, t0, t1, np.zeros(total, np.int32)), reel, stops)


def _with_stops(knots: Knots, reel: Reel, stops: Sequence[int]) -> Knots:
    """The knots with their phases; a phase in which nothing takes time gets a segment of its own, of no time."""
    places = np.asarray(stops, np.int64)
    knots.phase = np.searchsorted(places, knots.motion, side="right").astype(np.int32)
    for phase in range(1, len(places) + 1):
        if (knots.phase == phase).any():
            continue
        before = int(places[phase - 1]) - 1  # the motion that the stop comes after
        time = float(reel.end_time[before]) if before >= 0 else 0.0
        place = int(np.searchsorted(knots.phase, phase))
        knots.at = np.insert(knots.at, place, knots.at[place], axis=0)
        knots.motion = np.insert(knots.motion, place, max(before, 0))
        knots.t0, knots.t1 = np.insert(knots.t0, place, time), np.insert(knots.t1, place, time)
        knots.phase = np.insert(knots.phase, place, phase)
    return knots


def even_knots(reel: Reel, knots: Knots, tolerance: float) -> Knots:
    """The same with further points, so that between any two of them taking time as even leaves the time law by less than
    `tolerance` (mm): for whoever plays them. A chord of a ramp stands off by a·dt²/8."""
    motions = reel.motions
    kinds = (FEED, THREAD) if reel.dogleg else (FEED, THREAD, RAPID)
    alone = np.ones(len(knots.motion), np.bool_)
    same = knots.motion[1:] == knots.motion[:-1]
    alone[1:] &= ~same
    alone[:-1] &= ~same
    duration = knots.t1 - knots.t0
    off = reel.accel[knots.motion] * duration**2 / 8.0
    split = np.flatnonzero(alone & np.isin(motions.kind[knots.motion], kinds) & (off > tolerance))
    if not len(split):
        return knots
    laws = reel.laws(knots.motion[split])
    for_rows(len(laws))
    own, nothing = np.zeros(len(split) + 1, np.int64), np.zeros(0)
    moments_of_ramps(laws, tolerance, own, nothing, nothing)
    times, shares = np.empty(own[-1]), np.empty(own[-1])
    moments_of_ramps(laws, tolerance, own, times, shares)
    counts = np.ones(len(knots.motion), np.int64)
    counts[split] = np.diff(own)
    of = np.repeat(np.arange(len(counts)), counts)
    share, time = np.ones(len(of)), knots.t1[of].copy()
    rows = np.isin(of, split)
    share[rows], time[rows] = shares, knots.t0[of[rows]] + times
    at = knots.at[of] + share[:, None] * (knots.at[of + 1] - knots.at[of])
    whole_ways = share == 1.0
    at[whole_ways] = knots.at[of + 1][whole_ways]
    begins = np.append(True, of[1:] != of[:-1])
    t0 = np.where(begins, knots.t0[of], np.append(0.0, time[:-1]))
    return Knots(np.vstack([knots.at[:1], at]), knots.motion[of], t0, time, knots.phase[of])


def _plane_arm(motions: Motions, row: int, begin: Floats) -> tuple[float, float]:
    columns = [motions.axes.index(a) if a in motions.axes else -1 for a in "XYZ"]
    c1, c2 = (columns[i] for i in PLANE_AXES[int(motions.plane[row])][:2])
    return float(begin[c1] - motions.centre[row, 0]), float(begin[c2] - motions.centre[row, 1])


def _dogleg(reel: Reel, begin: Floats, end: Floats, tolerance: float) -> tuple[Floats, Floats]:
    """Points and times of a rapid whose axes each run their own trapezoid."""
    delta = (end - begin) @ reel.slides
    times = [0.0]
    speeds = reel.axis_speed * reel.rapid_share
    for d, speed, accel in zip(delta, speeds, reel.axis_accel, strict=True):
        if d == 0.0:
            continue
        peak, total = trapezoid(abs(d), 0.0, 0.0, speed, accel)
        ramp = peak / accel
        # A chord of a parabola stands off by a·dt²/8.
        steps = max(1, math.ceil(ramp / math.sqrt(8.0 * tolerance / accel)))
        times += [ramp * i / steps for i in range(1, steps + 1)]
        times += [total - ramp * i / steps for i in range(steps + 1)]
    moments = np.unique(np.round(times, 12))[1:]
    points = np.empty((len(moments), len(delta)))
    for i, (d, speed, accel) in enumerate(zip(delta, speeds, reel.axis_accel, strict=True)):
        points[:, i] = np.sign(d) * np.array([axis_way(abs(d), speed, accel, t) for t in moments])
    points = begin + points @ np.linalg.inv(reel.slides)
    points[-1] = end
    return points, moments


def axis_way(length: float, speed: float, accel: float, time: float) -> float:
    """How far one axis has come in its own trapezoid from rest to rest."""
    if length == 0.0:
        return 0.0
    peak, total = trapezoid(length, 0.0, 0.0, speed, accel)
    if time >= total:
        return length
    ramp = peak / accel
    if time <= ramp:
        return 0.5 * accel * time * time
    left = total - time
    if left <= ramp:
        return length - 0.5 * accel * left * left
    return 0.5 * peak * ramp + peak * (time - ramp)
