"""Any timing: could two bodies that different channels move touch, if one of the channels came later than rehearsed?

stretch   between two common wait marks (begin and end of the programs count as marks): within it either channel may be late by any
          length, since nothing makes it keep the other's pace
u, v      where the one and where the other channel is, each along its own way through the stretch (numbers of knots, with shares)
delay     |t(v) − t(u)|: how much later than rehearsed the one would have to be

        v ▲   rehearsed: u = v
          │      ╱                 every (u, v) of the square can come about; the nearer to the diagonal, the smaller the delay
          │    ╱   ▒▒ touch
          │  ╱     ▒▒
          └──────────► u

A box of (u, v) is free when the two, standing in its middle, are farther apart than either can have come from there: its way is
bounded as in `contact` (linear joints by their run, rotary ones by reach times angle). What is not free is halved, the boxes of least
delay first, so the first that touches has the least delay of all. Nothing is sampled: what is said to be free is so.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass, field
from itertools import count, pairwise

import numpy as np

from ..contact.bodies import Body
from ..contact.program import Follower
from ..geometry.frames import Floats
from ..geometry.mesh import joined
from ..machine.screws import Screws, between
from ..timeline.clock import Meeting
from .result import Rehearsal, Timing

TOUCH_MM = 0.02  # nearer than this, in a box no larger, two bodies count as touching
KEPT_BOX = 64  # knots from which on a box is kept
MOST_BOXES = 4000  # of one pair in one stretch, before it is said that it is not known


@dataclass(frozen=True)
class Touch:
    """A delay (s) that lets a pair touch: the channel that is late (its lane), and where either then is (knots)."""

    delay: float
    late: int
    place: tuple[float, float]


@dataclass
class _Mover:
    """A body that one lane moves: its own coordinates at every knot, whose changes bound its way (see `Follower.coordinates`)."""

    body: Body
    lane: int
    columns: list[int]
    coordinates: Floats
    runs: int
    there: np.ndarray
    low: Floats  # (m + 1, 3): its box at the knots, in the machine's frame
    high: Floats
    boxes: dict[tuple[int, int], tuple[Floats, Floats]] = field(default_factory=dict)

    @property
    def turns(self) -> bool:
        return self.coordinates.shape[1] > 3 * self.runs

    def box(self, first: int, last: int) -> tuple[Floats, Floats]:
        """What holds it at the knots from first to last: worked out once, every pair asks for the same whole stretches."""
        known = self.boxes.get((first, last))
        if known is None:
            known = self.low[first : last + 1].min(axis=0), self.high[first : last + 1].max(axis=0)
            if last - first > KEPT_BOX:
                self.boxes[first, last] = known
        return known


class AnyTiming:
    def __init__(self, result: Rehearsal, follower: Follower) -> None:
        self.result, self.follower = result, follower
        knots = result.knots
        self.times = np.append(knots.t0, knots.t1[-1:])
        self.order = count()
        self.screws: dict[tuple[str, str], Screws] = {}
        self.standing: dict[str, tuple[Floats, Floats]] = {}

    def check(self, pairs: list[tuple[Body, Body]], met: list[Meeting], touched: set[frozenset[str]]) -> Timing:
        """Tell the pairs that could touch. `met`: the meetings, in order; `touched`: pairs that do so as rehearsed."""
        told = Timing()
        strands = self.result.strands
        if len(strands) < 2:
            return told
        movers: dict[tuple[str, str], _Mover | None] = {}
        found: dict[tuple[str, str], tuple[Touch, _Mover, _Mover, int]] = {}
        asked: set[frozenset[str]] = set()
        free: dict[frozenset[str], bool | None] = {}
        for a, b in pairs:
            for body in (a, b):
                if body.key not in movers:
                    movers[body.key] = self._mover(body)
            one, other = movers[a.key], movers[b.key]
            if one is None or other is None or one.lane == other.lane:
                continue
            names = frozenset((a.label, b.label))
            asked.add(names)
            if names in touched:
                free[names] = False
                continue
            for first, last in self._stretches(one.lane, other.lane, met):
                touch, known = self._search(one, other, first, last)
                if not known and touch is None and free.get(names, True):
                    free[names] = None
                if touch is None:
                    continue
                free[names] = False
                group = self._group(a, b)
                best = found.get(group)
                number = best[3] + 1 if best else 1
                if best is None or touch.delay < best[0].delay:
                    found[group] = touch, one, other, number
                else:
                    found[group] = (*best[:3], number)
            free.setdefault(names, True)
        for touch, one, other, number in found.values():
            self._tell(touch, one, other, number)
        told.pairs = len(asked)
        told.proved = sum(value is True for value in free.values())
        told.unknown = sum(value is None for value in free.values())
        return told

    @staticmethod
    def _group(a: Body, b: Body) -> tuple[str, str]:
        one, other = ((body.called_tool or f"T{body.tool}") if body.tool else body.label for body in (a, b))
        return (one, other) if one <= other else (other, one)

    def _tell(self, touch: Touch, one: _Mover, other: _Mover, number: int) -> None:
        late, on_time = (one, other) if touch.late == one.lane else (other, one)
        place = touch.place[0] if late is one else touch.place[1]
        segment = min(int(place), len(self.result.knots.motion) - 1)
        motion = int(self.result.knots.lanes[segment, late.lane])
        if motion < 0:
            motion = int(self.result.knots.motion[segment])
        channel, beside = (self.result.strands[mover.lane].channel for mover in (late, on_time))
        there = touch.place[1] if late is one else touch.place[0]
        x, y, z = self._middle(late, place)
        line = int(
            self.result.reel.motions.line[
                max(0, int(self.result.knots.lanes[min(int(there), len(self.times) - 2), on_time.lane]))
            ]
        )
        self.result.docket.add(
            "contact.timing", f"{late.body.label} and {on_time.body.label} keep apart as rehearsed, but touch if channel {channel} comes "
            f"{touch.delay:.2f} s later: channel {beside} is at line {line} then", where=self.result.reel.where(motion, self._time(place)),
            bodies=(late.body.label, on_time.body.label), amount=touch.delay, count=number, point=(x, y, z),
            remedy=f"Put a common wait mark before this, or park {on_time.body.label} or {late.body.label} farther off.",
        )  # fmt: skip

    def _middle(self, mover: _Mover, place: float) -> tuple[float, float, float]:
        k = round(place)
        x, y, z = 0.5 * (mover.low[k] + mover.high[k])
        return float(x), float(y), float(z)

    # --- what moves -------------------------------------------------------------------------------------------------------------

    def _mover(self, body: Body) -> _Mover | None:
        """A body with the one lane that moves it; None where none does, or several do, or a spindle turns it (its swept body is
        asked instead)."""
        chain = self.result.chain
        axes = {
            chain.axes.index(axis) for step in chain.path_to(body.link) if step.joint for axis in step.joint.factors
        }
        values = self.result.values
        moving = [column for column in sorted(axes) if (values[1:, column] != values[:-1, column]).any()]
        lanes = [lane for lane, owned in enumerate(self.follower.owned) if set(owned) & axes]
        if len(lanes) != 1 or not moving:
            return None
        root = chain.path_to(body.link)[0].name
        screws = between(chain, root, body.link)
        if not len(screws.rows):
            return None
        coordinates, runs = self.follower.coordinates(screws, body, body)
        turn, at = self._standing(body.link)
        low, high = joined(list(body.solids)).bounds
        middle = turn @ (0.5 * (low + high)) + at
        half = np.abs(turn) @ (0.5 * (high - low))
        return _Mover(
            body, lanes[0], sorted(axes), coordinates, runs, self.follower.there(body), middle - half, middle + half
        )

    def _standing(self, link: str) -> tuple[Floats, Floats]:
        """How a link is turned and where it stands at every knot, (m + 1, 3, 3) or, where it never turns, (3, 3), and (m + 1, 3)."""
        if link not in self.standing:
            poses = self.result.chain.pose(link, self.result.values)
            turn = np.ascontiguousarray(poses[:, :3, :3])
            self.standing[link] = turn[0] if (turn == turn[0]).all() else turn, np.ascontiguousarray(poses[:, :3, 3])
        return self.standing[link]

    def _stretches(self, one: int, other: int, met: list[Meeting]) -> list[tuple[int, int]]:
        """The knots between the marks that two lanes have in common."""
        strands = self.result.strands
        marks = [0.0]
        for meeting in met:
            channels = [strands[lane].channel for lane in (one, other)]
            if all(channel in meeting.at for channel in channels):
                wait = strands[one].interpreted.waits[meeting.at[channels[0]]]
                marks.append(float(strands[one].reel.end_time[wait.motion]))
        marks.append(float(self.times[-1]))
        places = [int(np.searchsorted(self.times, mark - 1e-9)) for mark in marks]
        return [(a, b) for a, b in pairwise(places) if b > a]

    # --- the search -------------------------------------------------------------------------------------------------------------

    def _search(self, one: _Mover, other: _Mover, first: int, last: int) -> tuple[Touch | None, bool]:
        """The least delay in a stretch at which two touch, None for none; and whether that is known."""
        spans = [self._there(mover, first, last) for mover in (one, other)]
        if not all(spans):
            return None, True
        heap: list[tuple[float, int, tuple[float, float, float, float]]] = []
        for first_u, last_u in spans[0]:
            for first_v, last_v in spans[1]:
                whole = float(first_u), float(last_u), float(first_v), float(last_v)
                heapq.heappush(heap, (self._delay(whole), next(self.order), whole))
        for _ in range(MOST_BOXES):
            if not heap:
                return None, True
            delay, _number, box = heapq.heappop(heap)
            u0, u1, v0, v1 = box
            a, b = self._knots(u0, u1), self._knots(v0, v1)
            if self._boxes_apart(one, a, other, b):
                continue
            u, v = 0.5 * (u0 + u1), 0.5 * (v0 + v1)
            room = self._way(one, u0, u1, u) + self._way(other, v0, v1, v)
            clear = self._clearance(one, u, other, v)
            if clear > room:
                continue
            if room <= TOUCH_MM or (clear <= 1e-9 and u1 - u0 < 1e-3 and v1 - v0 < 1e-3):
                late = one.lane if self._time(v) >= self._time(u) else other.lane
                return Touch(max(delay, 0.0), late, (u, v)), True
            if self._way(one, u0, u1, u) >= self._way(other, v0, v1, v):
                halves = [(u0, u, v0, v1), (u, u1, v0, v1)]
            else:
                halves = [(u0, u1, v0, v), (u0, u1, v, v1)]
            for half in halves:
                heapq.heappush(heap, (self._delay(half), next(self.order), half))
        return None, False

    @staticmethod
    def _there(mover: _Mover, first: int, last: int) -> list[tuple[int, int]]:
        """The runs of knots in which a body is there."""
        there = np.flatnonzero(mover.there[first:last]) + first
        if not len(there):
            return []
        breaks = np.flatnonzero(np.diff(there) > 1)
        return [(int(run[0]), int(run[-1]) + 1) for run in np.split(there, breaks + 1)]

    @staticmethod
    def _knots(low: float, high: float) -> tuple[int, int]:
        return int(np.floor(low)), int(np.ceil(high))

    def _time(self, place: float) -> float:
        k = min(int(place), len(self.times) - 2)
        return float(self.times[k] + (place - k) * (self.times[k + 1] - self.times[k]))

    def _delay(self, box: tuple[float, float, float, float]) -> float:
        """The least delay in a box."""
        u0, u1, v0, v1 = (self._time(place) for place in box)
        return max(0.0, v0 - u1, u0 - v1)

    @staticmethod
    def _boxes_apart(one: _Mover, a: tuple[int, int], other: _Mover, b: tuple[int, int]) -> bool:
        """Whether what two bodies pass through cannot meet, by their boxes at the knots: these hold all between only where nothing
        turns."""
        if one.turns or other.turns:
            return False
        (low_a, high_a), (low_b, high_b) = one.box(*a), other.box(*b)
        return bool((low_a > high_b).any() or (low_b > high_a).any())

    def _at(self, rows: Floats, place: float) -> Floats:
        k = min(int(place), len(rows) - 2)
        return np.asarray(rows[k] + (place - k) * (rows[k + 1] - rows[k]))

    def _way(self, mover: _Mover, low: float, high: float, middle: float) -> float:
        """How far a body gets from its middle place: at the ends and at all knots between, since it runs straight between those."""
        at = self._at(mover.coordinates, middle)
        ends = np.array([self._at(mover.coordinates, low), self._at(mover.coordinates, high)])
        inner = mover.coordinates[int(np.ceil(low)) : int(np.floor(high)) + 1]
        off = np.concatenate([ends, inner]) - at
        linear = off[:, : 3 * mover.runs].reshape(len(off), mover.runs, 3)
        return float(
            (np.sqrt((linear**2).sum(axis=2)).sum(axis=1) + np.abs(off[:, 3 * mover.runs :]).sum(axis=1)).max()
        )

    def _clearance(self, one: _Mover, u: float, other: _Mover, v: float) -> float:
        """The distance of the two, the one's axes as at u, the other's as at v."""
        values = self._at(self.result.values, u).copy()
        values[other.columns] = self._at(self.result.values, v)[other.columns]
        links = one.body.link, other.body.link
        if links not in self.screws:
            self.screws[links] = between(self.result.chain, *links)
        pose = self.screws[links].poses(values[None])[0]
        return self.follower.clearance(one.body, other.body, pose)


def check_timing(result: Rehearsal, follower: Follower, pairs: list[tuple[Body, Body]], met: list[Meeting]) -> Timing:
    """Tell what could touch under another timing; what was proved to be free."""
    touched = {
        frozenset((one, item.bodies[-1])) for item in result.docket if item.kind == "contact.body" for one in item.bodies[:-1]
    }  # fmt: skip
    return AnyTiming(result, follower).check(pairs, met, touched)
