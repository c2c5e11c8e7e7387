"""The program's path as the stock sees it: pieces of tool motion in the grid's frame.

segment   of the knots: all axes run straight through it
piece     of a segment: short enough, where rotary axes turn, for the tip to run straight and the tool's axis evenly;
          a segment in which nothing turns is one piece
upright   a piece whose tool stands along the grid's Z all the way: the closed forms of `sweep_kernel` hold
"""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from functools import partial

import numpy as np

from ..geometry.frames import Floats, inverse
from ..machine.screws import Screws
from ..material.cut_kernel import CUT, TEST_CORE, TEST_CUT, TEST_FLUSH, TEST_HOLDER, TEST_NEAR, TEST_SHANK
from ..material.stock import Batch, RingBatch, RingSets, ToolSets, TurnedBatch
from ..material.sweep_kernel import first_through, slab_radius
from ..material.turning_kernel import first_turned_through
from ..program.motions import RAPID, THREAD, TOOL_CHANGE
from ..tools.slabs import H0, H1
from . import rings
from .result import Rehearsal
from .rings import Rings
from .spindles import spindle_speeds
from .virtual_control import tool_mount

TOUCH_STEPS, TOUCH_HALVINGS = 256, 20
HAIR_MM = 1e-6
TIP_TOLERANCE_MM = 0.001  # of the tip's straight way between the ends of a piece
MOST_DEGREES = 1.5  # that a rotary axis turns within a piece: 50 mm above the tip its arc stands off by 4 µm
UPRIGHT = 1e-12
UPRIGHT_MODE, TURNED, RING = 0, 1, 2
RINGS_AT_ONCE = 65_536
_COLUMNS = ("index", "share0", "share1", "start", "axis", "delta", "turn", "upright", "motion", "t0", "time", "tool", "reach",
            "by_insert", "spins", "rapid", "still", "flags", "mode", "ring_start", "ring_delta", "aside")  # fmt: skip


def column_of_x(result: Rehearsal, motion: int) -> int:
    """The chain's column of the axis that is X to the channel of a motion."""
    return result.strand_of(motion).chain.axes.index("X")


def tool_speeds(result: Rehearsal, number: np.ndarray, segments: Segments) -> Floats:
    """How fast the tool of each piece turns, rev/min, clockwise positive: by the spindle that it hangs in, where that has a name,
    else by what its motion says, unless that is the speed of the work."""
    speeds = np.asarray(result.reel.motions.rpm[segments.motion], float)
    turns_tools = {s.mount: s.name for s in result.job.machine.spindles if s.turns == "tool"}
    if not turns_tools:
        return np.where(segments.spins, 0.0, speeds)
    asked = spindle_speeds(result.strands)
    for n in np.unique(number):
        name = turns_tools.get(tool_mount(result.job, result.chain, int(n)).name)
        if name is not None:
            mine = number == n
            speeds[mine] = asked[name].at(segments.t0[mine])
    return speeds


class Segments:
    """The pieces of all segments that have a known tool. `tool_from_work`: every tool's mount seen from the work mount;
    `frame`: the grid's in the work mount's."""

    def __init__(
        self, result: Rehearsal, tool_from_work: dict[int, Screws], frame: Floats, sets: ToolSets, turned: ToolSets,
        spindle: str = "", centre: Floats | None = None,
    ) -> None:  # fmt: skip
        """`spindle`: the one that the work hangs on, of several; `centre`: a point of its axis in the grid's frame, where that is not
        the work's own origin."""
        motions, knots, values = result.reel.motions, result.knots, result.values
        usable = {n for n, tool in result.tools.items() if tool.carried_out}
        # Every channel's tool in every segment, in the order of time.
        lanes = knots.lanes.shape[1]
        keep, of = np.divmod(np.arange(knots.lanes.size), lanes)
        motion = knots.lanes[keep, of]
        tool_number = np.where(motion >= 0, motions.tool[motion], 0)
        # While a turret indexes its tools swing past the work: that is a matter of contact, not of cutting.
        rows = np.flatnonzero(np.isin(tool_number, list(usable)) & (motions.kind[motion] != TOOL_CHANGE))
        keep, motion, tool_number = keep[rows], motion[rows], tool_number[rows]
        to_grid = inverse(frame)

        def poses(rows: Floats, numbers: np.ndarray) -> tuple[Floats, Floats]:
            """Tip and axis (n, 3) in the grid's frame."""
            tip, axis = np.zeros((len(rows), 3)), np.zeros((len(rows), 3))
            for n in np.unique(numbers):
                of = numbers == n
                pose = to_grid @ tool_from_work[int(n)].poses(rows[of])
                tip[of], axis[of] = pose[:, :3, :3] @ result.tools[int(n)].tip + pose[:, :3, 3], pose[:, :3, 2]
            return tip, axis

        begin, end, number = values[keep], values[keep + 1], tool_number
        turning = sorted({int(axis) for n in np.unique(number) for axis in tool_from_work[int(n)].turning})
        pieces = self._pieces(begin, end, number, turning, poses)
        step = self._thread_steps(result, motion, number, end - begin)
        threads = step > 0.0
        # The work mount's origin lies on the spindle's axis.
        centre = to_grid[:3, 3].copy() if centre is None else centre
        inserts = np.array([n for n, tool in result.tools.items() if tool.is_turning])
        turns_work = result.standing.spinning(spindle)
        stand = np.zeros(len(keep), np.int64)
        driven = np.flatnonzero(turns_work[keep] & ~np.isin(number, inserts))
        if len(driven):
            stand[driven] = self._stands(begin[driven], end[driven], number[driven], poses, centre)
        if stand.any():
            tip, axis = poses(begin, number)
            tools, of = np.unique(number, return_inverse=True)
            flutes = np.array([result.tools[n].flute_length for n in tools.tolist()])[of.reshape(-1)]
            pieces = np.maximum(pieces, rings.splits(tip, poses(end, number)[0] - tip, stand, axis, flutes, centre))
        pieces[threads] = np.floor(1.0 / step[threads] + 1e-9).astype(np.int64) + 1
        self.index = np.repeat(keep, pieces)
        number_in = np.arange(len(self.index)) - np.repeat(np.cumsum(pieces) - pieces, pieces)
        count = np.repeat(pieces, pieces)
        self.share0, self.share1 = number_in / count, (number_in + 1) / count
        # A thread insert leaves its outline once a turn: seen in one half-plane through the axis it stands still there.
        stamps = np.repeat(threads, pieces)
        self.share0[stamps] = self.share1[stamps] = np.minimum(1.0, (number_in * np.repeat(step, pieces))[stamps])
        a, b = np.repeat(begin, pieces, axis=0), np.repeat(end, pieces, axis=0)
        number, stand = np.repeat(number, pieces), np.repeat(stand, pieces)
        self.start, self.axis = poses(a + self.share0[:, None] * (b - a), number)
        stop, axis_end = poses(a + self.share1[:, None] * (b - a), number)
        self.delta, self.turn = stop - self.start, axis_end - self.axis
        self.turn[np.abs(self.turn).max(axis=1, initial=0.0) < UPRIGHT] = 0.0
        self.upright = (self.axis[:, 2] > 1.0 - UPRIGHT) & ~self.turn.any(axis=1)
        self.motion = np.repeat(motion, pieces)
        span = knots.t1[self.index] - knots.t0[self.index]
        self.t0 = knots.t0[self.index] + self.share0 * span
        self.time = np.where(self.share1 == 1.0, knots.t1[self.index], knots.t0[self.index] + self.share1 * span)
        turns, sine = np.ones(len(number)), np.full(len(number), 2.0)
        self.tool = np.zeros(len(number), np.int64)
        self.reach = np.zeros((len(number), 3))  # radius, lowest and highest place of the cutting part
        for n in np.unique(number):
            rows, tool = number == n, result.tools[int(n)]
            turns[rows], self.tool[rows] = tool.turns, sets.row[int(n)]
            sine[rows] = np.sin(np.radians(tool.ramp)) if tool.core > 0.0 else 2.0
            self.reach[rows] = [tool.diameter / 2, 0.0, tool.flute_length]
        self.slabs, self.sets = sets.slabs, sets.sets
        self.upright_sets, self.turned_sets = sets, turned
        rapid = motions.kind[self.motion] == RAPID
        self.by_insert = np.isin(number, inserts)
        # An insert cuts work that spins, whichever way; all others must turn themselves, or stand on the axis of work that spins.
        self.spins = turns_work[self.index]
        on_axis = self.spins & (stand == 0)
        still = np.where(self.by_insert, ~self.spins, (tool_speeds(result, number, self) * turns <= 0) & ~on_axis)
        self.rapid, self.still = rapid, still & ~rapid
        test_cut = rapid | still
        self.flags = np.full(len(number), (1 << CUT) | (1 << TEST_SHANK) | (1 << TEST_HOLDER), np.int64)
        self.flags |= np.where(test_cut, 1 << TEST_CUT, 0)
        self.flags |= np.where(rapid, 0, 1 << TEST_FLUSH)
        if result.job.file.checks.near_stock > 0:
            self.flags |= 1 << TEST_NEAR
        down = -np.einsum("ij,ij->i", self.delta, self.axis)
        plunges = (down > HAIR_MM) & (down > sine * np.linalg.norm(self.delta, axis=1)) & ~test_cut
        self.flags |= np.where(plunges, 1 << TEST_CORE, 0)
        by_insert = np.flatnonzero(self.by_insert)
        self._set_rings(result, number, stand, rings.inserts(
            result.tools, by_insert, number, self.start, self.delta, to_grid, tool_from_work,
            lambda row: (values[self.index[row : row + 1]], column_of_x(result, int(self.motion[row]))), centre,
        ))  # fmt: skip

    def then(self, later: Segments, segment: int) -> Segments:
        """These up to a segment, and from there on those of `later`: what carries the work has changed. Numbers of pieces before
        the segment stay what they are."""
        mine, its = self.index < segment, later.index >= segment
        made = copy(self)
        for name in _COLUMNS:
            setattr(made, name, np.concatenate([getattr(self, name)[mine], getattr(later, name)[its]]))
        rows = len(self.ring_sets.of_tool)
        made.ring_tool = np.concatenate([self.ring_tool[mine], later.ring_tool[its] + rows])
        made.ring_sets = self.ring_sets.and_then(later.ring_sets)
        made.centre = later.centre
        made._changes = np.flatnonzero(np.diff(made.mode)) + 1
        return made

    def _set_rings(self, result: Rehearsal, number: np.ndarray, stand: np.ndarray, of_inserts: Rings) -> None:
        """The pieces that are worked out in the plane of z and r, and where their outlines stand there."""
        centre = of_inserts.centre
        of_driven = rings.driven(
            result.tools, number, stand, self.start, self.delta, self.axis, self.upright_sets, centre
        )
        made = rings.together(of_inserts, of_driven)
        self.ring_sets, self.ring_tool, self.aside, self.centre = made.sets, made.tool, made.aside, centre
        self.ring_start, self.ring_delta = made.start, made.delta
        self.mode = np.where(made.counts, RING, np.where(self.upright, UPRIGHT_MODE, TURNED))
        self._changes = np.flatnonzero(np.diff(self.mode)) + 1

    @staticmethod
    def _stands(
        begin: Floats, end: Floats, number: np.ndarray, poses: Callable[[Floats, np.ndarray], tuple[Floats, Floats]], centre: Floats,
    ) -> np.ndarray:  # fmt: skip
        """How the tools of segments stand beside a spindle's axis; 0 on it, or where they change how they stand."""
        (tip, axis), (stop, axis_end) = poses(begin, number), poses(end, number)
        turn = axis_end - axis
        turn[np.abs(turn).max(axis=1, initial=0.0) < UPRIGHT] = 0.0
        one, other = (rings.stand_of(at, axis, turn, centre) for at in (tip, stop))
        away = np.maximum(*(np.linalg.norm((at - centre)[:, :2], axis=1) for at in (tip, stop))) > rings.OFF_PLANE_MM
        return np.where((one == other) & (away | (one == rings.OUTWARDS)), one, 0)

    @staticmethod
    def _thread_steps(result: Rehearsal, motion: np.ndarray, number: np.ndarray, way: Floats) -> Floats:
        """The share of each segment that one turn of the work is, for those that a thread insert cuts; 0 for all others."""
        motions = result.reel.motions
        inserts = [n for n, tool in result.tools.items() if tool.is_turning and tool.cuts_threads]
        cut = (motions.kind[motion] == THREAD) & np.isin(number, inserts) & (motions.rpm[motion] != 0)
        length = np.linalg.norm(way, axis=1)
        lead = motions.feed[motion] / np.maximum(np.abs(motions.rpm[motion]), 1e-9)
        return np.where(cut & (length > 0), np.minimum(1.0, lead / np.maximum(length, 1e-12)), 0.0)

    @staticmethod
    def _pieces(
        begin: Floats, end: Floats, number: np.ndarray, turning: list[int],
        poses: Callable[[Floats, np.ndarray], tuple[Floats, Floats]],
    ) -> np.ndarray:  # fmt: skip
        """How many pieces each segment is cut into: the tip's error falls with their square."""
        pieces = np.ones(len(begin), np.int64)
        if not len(begin) or not len(turning):
            return pieces
        degrees = np.abs(end - begin)[:, turning].max(axis=1)
        rows = np.flatnonzero(degrees > 0.0)
        if not len(rows):
            return pieces
        least = np.maximum(np.ceil(degrees[rows] / MOST_DEGREES - 1e-9), 1.0).astype(np.int64)
        pieces[rows] = least
        step = (end[rows] - begin[rows]) / least[:, None]
        for k in (0.0, 0.5, 1.0):  # the first, the middle and the last piece of each
            at = begin[rows] + np.floor(k * (least - 1))[:, None] * step
            first, middle, last = (poses(at + half * step, number[rows])[0] for half in (0.0, 0.5, 1.0))
            error = np.linalg.norm(middle - 0.5 * (first + last), axis=1)
            more = np.ceil(1.05 * np.sqrt(error / TIP_TOLERANCE_MM)).astype(np.int64)
            pieces[rows] = np.maximum(pieces[rows], least * more)
        return np.maximum(pieces, 1)

    def run_end(self, begin: int, end: int) -> int:
        """Up to where, at most `end`, the pieces from `begin` on are all of one mode."""
        place = int(np.searchsorted(self._changes, begin, side="right"))
        return min(end, int(self._changes[place])) if place < len(self._changes) else end

    def batch(
        self, rows: slice | np.ndarray, begin: Floats | float = 0.0, end: Floats | float = 1.0
    ) -> tuple[Batch | RingBatch, ToolSets | RingSets]:
        """A run of pieces of one mode, or the parts of them from share `begin` to share `end` (scalars or (n,)), and the tool
        sets that they count in."""
        mode = self.mode[rows.start if isinstance(rows, slice) else rows[0]]
        begin, end = np.asarray(begin)[..., None], np.asarray(end)[..., None]

        def part(start: Floats, change: Floats) -> tuple[Floats, Floats]:
            if not begin.any() and (end == 1.0).all():
                return start[rows], change[rows]
            return start[rows] + begin * change[rows], (end - begin) * change[rows]

        tool, flags, motion = self.tool[rows], self.flags[rows], self.motion[rows]
        if mode == RING:
            rings = self.ring_tool[rows]
            return RingBatch(*part(self.ring_start, self.ring_delta), rings, flags, motion, self.centre), self.ring_sets
        columns = (*part(self.start, self.delta), tool, flags, motion)
        if mode == UPRIGHT_MODE:
            return Batch(*columns), self.upright_sets
        return TurnedBatch(*columns, *part(self.axis, self.turn)), self.turned_sets

    def within(self, rows: slice, begin: float, end: float) -> tuple[np.ndarray, Floats, Floats]:
        """Of some pieces of one segment those that lie between two shares of it, and the shares of each that do. A thread's
        stamps, which take no way, belong to the stretch that begins with them."""
        at = np.arange(rows.start, rows.stop)
        low, high = self.share0[at], self.share1[at]
        stamp = low == high
        kept = np.where(stamp, (low >= begin) & ((low < end) | (end == 1.0)), (high > begin) & (low < end))
        at, low, high, stamp = at[kept], low[kept], high[kept], stamp[kept]
        size = np.where(stamp, 1.0, high - low)
        first = np.where(stamp, 0.0, np.clip((begin - low) / size, 0.0, 1.0))
        last = np.where(stamp, 1.0, np.clip((end - low) / size, 0.0, 1.0))
        return at, first, last

    def box(self, rows: np.ndarray, removed: np.ndarray) -> tuple[Floats, Floats]:
        """The box that the cutting parts of the pieces which removed stock sweep."""
        if self.mode[rows[0]] == RING:
            tools, of = np.unique(self.ring_tool[rows][removed], return_inverse=True)
            e = np.array([self.ring_sets.cut_extents(tool) for tool in tools.tolist()])[of.reshape(-1)]
            ends = [self.ring_start[rows][removed], (self.ring_start + self.ring_delta)[rows][removed]]
            z = [end[:, 0, None] + e[:, :2] for end in ends]
            r = float(np.abs([end[:, 1, None] + e[:, 2:] for end in ends]).max())
            low, high = float(np.min(z)), float(np.max(z))
            x, y, _ = self.centre
            return np.array([x - r, y - r, low]), np.array([x + r, y + r, high])
        start, delta = self.start[rows][removed], self.delta[rows][removed]
        axis, turn = self.axis[rows][removed], self.turn[rows][removed]
        reach = self.reach[rows][removed]
        lows, highs = [], []
        for tip, along in ((start, axis), (start + delta, axis + turn)):
            side = reach[:, :1] * np.sqrt(np.clip(1.0 - along**2, 0.0, None))
            top = tip + along * reach[:, 2:]
            lows.append(np.minimum(tip, top) - side)
            highs.append(np.maximum(tip, top) + side)
        return np.min(lows, axis=(0, 1)), np.max(highs, axis=(0, 1))

    def segment_share(self, row: int, share: float) -> tuple[int, float]:
        """The segment of a piece and the share of that segment at a share of the piece."""
        return int(self.index[row]), float(self.share0[row] + share * (self.share1[row] - self.share0[row]))

    def first_through(self, points: Floats) -> np.ndarray:
        """For each point (n, 3; grid frame) the first piece whose cutter sweeps over it; −1 where none does."""
        of_mode = {mode: np.flatnonzero(self.mode == mode) for mode in (UPRIGHT_MODE, TURNED, RING)}
        asks: list[tuple[np.ndarray, Callable[[Floats], int]]] = []
        if len(rows := of_mode[UPRIGHT_MODE]):
            columns = (
                self.start[rows],
                self.delta[rows],
                self.tool[rows],
                self.slabs,
                np.ascontiguousarray(self.sets[:, CUT]),
            )
            asks.append((rows, partial(first_through, *columns)))
        if len(rows := of_mode[TURNED]):
            sets = self.turned_sets
            batch = TurnedBatch(self.start[rows], self.delta[rows], self.tool[rows], self.flags[rows], self.motion[rows],
                                self.axis[rows], self.turn[rows])  # fmt: skip
            turned = (
                batch.start, batch.delta, batch.axis, batch.turn, batch.search_steps(sets.extents[:, :, 2].max(axis=1)),
                batch.tool, sets.slabs, np.ascontiguousarray(sets.sets[:, CUT]),
            )  # fmt: skip
            asks.append((rows, partial(first_turned_through, *turned)))
        if len(rows := of_mode[RING]):
            asks.append((rows, partial(self._first_ring_through, rows)))
        found = np.full(len(points), -1, np.int64)
        for n, point in enumerate(points):
            hits = [int(rows[row]) for rows, ask in asks if (row := int(ask(point))) >= 0]
            found[n] = min(hits, default=-1)
        return found

    def _first_ring_through(self, rows: np.ndarray, point: Floats) -> int:
        """The first of some turning pieces whose insert sweeps over a point: a convex outline on a straight way covers it
        between the shares at which it is inside of every edge."""
        radius = float(np.hypot(*(point - self.centre)[:2]))
        for at in range(0, len(rows), RINGS_AT_ONCE):
            part = rows[at : at + RINGS_AT_ONCE]
            covered = np.zeros(len(part), np.bool_)
            ways = [
                (number, *way) for number in np.unique(self.ring_tool[part]) for way in self._sides(int(number), CUT)
            ]
            for number, outline, normal in ways:
                mine = np.flatnonzero(self.ring_tool[part] == number)
                depth = np.einsum("ej,ej->e", normal, outline)
                for r in (radius, -radius):
                    room = (
                        depth - (np.array([point[2], r]) - self.ring_start[part[mine]]) @ normal.T
                    )  # ≥ 0 inside, at share 0
                    gain = self.ring_delta[part[mine]] @ normal.T
                    with np.errstate(divide="ignore", invalid="ignore"):
                        turning = -room / gain
                    low = np.where(gain > 0, turning, np.where((gain == 0) & (room < -HAIR_MM), np.inf, 0.0)).max(
                        axis=1
                    )
                    high = np.where(gain < 0, turning, 1.0).min(axis=1)
                    covered[mine] |= np.maximum(low, 0.0) <= np.minimum(high, 1.0) + 1e-12
            if covered.any():
                return at + int(np.argmax(covered))
        return -1

    def _sides(self, tool: int, kind: int) -> list[tuple[Floats, Floats]]:
        """Of every outline of a tool in the rings that has one purpose (CUT or a test): its corners (v, 2), and the outward normals of
        the edges that begin there."""
        found = []
        for outline in self.ring_sets.outlines_of(tool, kind):
            normal = np.roll(outline, -1, axis=0) - outline
            normal = np.column_stack([normal[:, 1], -normal[:, 0]]) / np.linalg.norm(normal, axis=1, keepdims=True)
            inwards = float(np.einsum("ij,ij->i", outline - outline.mean(axis=0), normal).min()) < 0.0
            found.append((outline, -normal if inwards else normal))
        return found

    def first_touch(self, row: int, kind: int, point: Floats) -> float:
        """The share of a piece at which a set of the tool first covers a point (grid frame) — or comes nearest to it,
        when it only grazes it for an instant."""
        if self.mode[row] == RING:
            return self._ring_at(row, kind, point)
        first, last = self.sets[self.tool[row], kind]

        def apart(share: Floats) -> Floats:
            """How far the point is from being covered, mm, at shares (n,)."""
            away = point - self.start[row] - np.multiply.outer(share, self.delta[row])
            axis = self.axis[row] + np.multiply.outer(share, self.turn[row])
            axis /= np.linalg.norm(axis, axis=1, keepdims=True)
            height = np.einsum("ij,ij->i", away, axis)
            aside = np.linalg.norm(away - height[:, None] * axis, axis=1)
            least = np.full(len(share), np.inf)
            for s in range(first, last):
                low, high = self.slabs[s, H0], self.slabs[s, H1]
                radius = np.array([slab_radius(self.slabs, s, h) for h in np.clip(height, low, high)])
                least = np.minimum(least, np.max([low - height, height - high, aside - radius], axis=0))
            return least

        shares = np.linspace(0.0, 1.0, TOUCH_STEPS + 1)
        gap = apart(shares)
        touched = np.flatnonzero(gap <= HAIR_MM)
        if not len(touched):
            return float(shares[np.argmin(gap)])
        if touched[0] == 0:
            return 0.0
        out, inside = float(shares[touched[0] - 1]), float(shares[touched[0]])
        for _ in range(TOUCH_HALVINGS):
            middle = 0.5 * (out + inside)
            if apart(np.array([middle]))[0] <= HAIR_MM:
                inside = middle
            else:
                out = middle
        return inside

    def _ring_at(self, row: int, kind: int, point: Floats) -> float:
        """The share of a piece at which a part of the tool first covers a point's z and distance from the axis."""
        radius = float(np.hypot(*(point - self.centre)[:2]))
        shares = np.linspace(0.0, 1.0, TOUCH_STEPS + 1)
        tips = self.ring_start[row] + np.multiply.outer(shares, self.ring_delta[row])
        gap = np.min([
            (np.einsum("sij,ij->si", (np.array([point[2], r]) - tips)[:, None] - outline, normal)).max(axis=1)
            for r in (radius, -radius)
            for outline, normal in self._sides(int(self.ring_tool[row]), CUT if kind == TEST_CUT else kind)
        ], axis=0)  # fmt: skip
        touched = np.flatnonzero(gap <= HAIR_MM)
        return float(shares[touched[0] if len(touched) else np.argmin(gap)])
