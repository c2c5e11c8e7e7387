"""How far a shift may go before a tool meets stock that it should not, or gouges the part.

maker    all that one tool cuts under one set of offsets and registers: a shift carries all of it along alike
stretch  motions of one maker that follow each other
layer    what a maker leaves of a full block (`material/layers`)

A shift carries what some makers cut, and the tools that go after them, against what others leave and against the blank. So a tool is
asked in a stock of which its own layer stands where it is and all else has grown towards it by as much as it may come nearer: what it
does not meet there it meets nowhere in between. First all is grown at once, all ways; only where something is met then is each quantity
asked by itself. A gouge is the surface of a layer that comes into the design.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np

from ..geometry.distance import Solid
from ..geometry.frames import Floats, apply, frame, inverse
from ..job.channel import tool_number
from ..material.cut_kernel import CUT, TEST_CUT, TEST_HOLDER, TEST_SHANK, TILE
from ..material.layers import Ends, bar, blank, block, ends_of, filled
from ..material.region import Region
from ..material.stock import AXES_OF, Batch, RingBatch, Stock, ToolSets
from ..program.motions import RAPID
from ..rehearsal import Rehearsal
from ..rehearsal.comparing import meant
from ..rehearsal.cutting import BATCH, Cutting
from ..rehearsal.segments import RING
from ..tools import Assembly
from ..tools.slabs import H0, H1, R0, R1, line_slab
from .bounds import Bound
from .quantities import Quantity
from .shifts import Shift

ASKED = (1 << CUT) | (1 << TEST_SHANK) | (1 << TEST_HOLDER) | (1 << TEST_CUT)
PARTS = 64  # of the reach, to which a bound against stock is looked for
LEADS = 0.1  # sine of the angle between a way and the rays, from which on their ends tell what leads
SLOPE_MM = 0.01  # over which is told whether a way brings a place nearer
NEARING = 0.01  # what comes nearer by less than this share of its way runs along the part
MARCH_MM = 0.002  # to which the depth of a gouge is
MOST_MARCHES = 400
BLOCK_CELLS = 4.0  # that places are looked at by first
TESTS = (TEST_SHANK, TEST_HOLDER, TEST_CUT)
Tell = Callable[[str, float], None]
Growth = tuple[tuple[float, float], ...]  # of every family: how much lower its low ends, how much higher its high ones


def grown(ways: Iterable[Floats], by: float, spins: bool) -> Growth:
    """How far ends may come when they are carried along vectors (3,), each as far as `by`, along each family's rays. Of work that `spins` the
    first two are ways from the axis: a round face that is met at 45° at most comes √2 as far along the ray that meets it."""
    every = np.array([*ways, np.zeros(3)]) * by
    low, high = every.min(axis=0), every.max(axis=0)
    if spins:
        off = math.sqrt(2.0) * float(np.linalg.norm(every[:, :2], axis=1).max())
        return (off, off), (off, off), (abs(float(low[2])), float(high[2]))
    return tuple((abs(float(low[w])), float(high[w])) for _, _, w in AXES_OF)


STANDS: Growth = ((0.0, 0.0),) * 3


@dataclass
class Maker:
    """`layer`: what it leaves of a full block, as far as it has cut; `rows`: the pieces that took something off it."""

    tool: int
    layer: Stock
    cut: list[np.ndarray] = field(default_factory=list)  # of each stretch, the pieces that took something off the block

    @property
    def rows(self) -> np.ndarray:
        return np.concatenate([*self.cut, np.zeros(0, np.int64)])


@dataclass(frozen=True)
class Surface:
    """Ends of a layer's rays of one family that were cut: side +1 where stock begins there, −1 where it ends; points (n, 3), the motions that
    made them (n,), and how far outside of the design they are (n,), mm."""

    family: int
    side: float
    points: Floats
    tags: np.ndarray
    away: Floats


@dataclass
class Met:
    """A stretch in which something is met when all is grown: the pieces that do, and where that can be."""

    stretch: int
    rows: np.ndarray
    region: Region


class Material:
    """One stock of a rehearsal with the layers of all that cut it."""

    def __init__(self, result: Rehearsal, name: str, reach: float, tell: Tell) -> None:
        self.result, self.name, self.reach, self.tell = result, name, reach, tell
        quiet = replace(result, docket=replace(result.docket, findings=list(result.docket.findings)), filmed=False)
        self.cutting = Cutting(quiet, name, [], lambda stage, share: None, None, {})
        self.segments, self.stock = self.cutting.segments, self.cutting.stock
        self.lattice = self.stock.lattice
        self.spins = bool((self.segments.mode == RING).any())
        self.full = bar(self.lattice, self.segments.centre, reach) if self.spins else block(self.lattice, reach)
        self.blank = blank(self.cutting.mesh, self.lattice)
        self.sets = [
            ToolSets.of([_swept(tool, reach, reach) for tool in result.tools.values()], facets=facets)
            for facets in (False, True)
        ]
        self.makers, self.order = self._makers()
        self.to_be = meant(quiet, name, self.cutting.frame, None)
        self.design = Solid.of(self.to_be.design) if self.to_be else None
        self.turned = np.zeros(len(result.reel.motions), np.bool_)
        self.turned[self.segments.motion[self.segments.mode == RING]] = True
        self.tolerance = result.job.file.checks.gouge
        self.surfaces: list[list[Surface]] = []  # of every maker
        self.left: dict[int, list[Ends]] = {}  # of every maker that has cut: its layer at the end
        self.met: list[Met] = []
        self.known: dict[tuple[object, ...], int | None] = {}  # what was asked of stock already
        self.slopes: dict[tuple[object, ...], Floats] = {}  # of surfaces along ways, as far as they were asked for

    # --- who cuts what ------------------------------------------------------------------------------------------------------

    def _makers(self) -> tuple[list[Maker], list[tuple[int, slice]]]:
        """All makers, and the stretches of the pieces in their order, each with its maker."""
        motions, own = self.result.reel.motions, self.segments.motion
        states = [
            (state.work_offset, state.length_number if state.length else 0, state.radius_number)
            for state in motions.snapshots
        ]
        kinds = {state: i for i, state in enumerate(dict.fromkeys(states))}
        of_state = np.array([kinds[state] for state in states] or [0])
        code = of_state[motions.snapshot[own]] * (1 << 32) + motions.tool[own]
        makers: dict[int, Maker] = {}
        order: list[tuple[int, slice]] = []
        breaks = [0, *(np.flatnonzero(np.diff(code)) + 1).tolist(), len(code)] if len(code) else []
        for begin, end in pairwise(breaks):
            key = int(code[begin])
            if key not in makers:
                tool = int(motions.tool[own[begin]])
                makers[key] = Maker(tool, filled(self.stock, self.full))
            order.append((list(makers).index(key), slice(begin, end)))
        return list(makers.values()), order

    # --- the two passes over all --------------------------------------------------------------------------------------------

    def look(self) -> None:
        """Cut all layers, and find where something is met when all else is grown all ways."""
        everywhere: Growth = ((self.reach, self.reach),) * 3
        count = max(len(self.segments.motion), 1)
        left = self.left
        for number, (maker, rows) in enumerate(self.order):
            others = self._common(self.blank, everywhere, [(left[m], everywhere) for m in left if m != maker])
            stock = filled(self.stock, self._common(others, STANDS, [(left[m], STANDS) for m in left if m == maker]))
            met = self._ask(stock, rows)
            if len(met):
                self.met.append(Met(number, met, self._region(met)))
            self.makers[maker].cut.append(self._run(self.makers[maker].layer, rows))
            left[maker] = ends_of(self.makers[maker].layer)
            self.tell("tolerance", rows.stop / count)
        self.surfaces = [self._keep_surface(maker) for maker in self.makers]

    @staticmethod
    def _common(base: list[Ends], growth: Growth, layers: list[tuple[list[Ends], Growth]]) -> list[Ends]:
        """What is in all of them, each grown as it says."""
        made = base
        own = growth
        for layer, its in layers:
            made = [a.with_(b, np.array(x), np.array(y)) for a, b, x, y in zip(made, layer, own, its, strict=True)]
            own = STANDS
        if not layers and growth != STANDS:
            made = [a.with_(a, np.array(x), np.array(x)) for a, x in zip(made, growth, strict=True)]
        return made

    def _batches(
        self, rows: slice, flags: int, sets: list[ToolSets] | None
    ) -> Iterable[tuple[np.ndarray, Batch | RingBatch, object]]:
        """Pieces in batches of one mode, with only these of their purposes."""
        segments, at = self.segments, rows.start
        while at < rows.stop:
            here = slice(at, segments.run_end(at, min(at + BATCH, rows.stop)))
            batch, own = segments.batch(here)
            batch = replace(batch, flags=batch.flags & flags)
            if sets is not None and not isinstance(batch, RingBatch):
                own = sets[0] if segments.mode[at] == 0 else sets[1]
            yield np.arange(here.start, here.stop), batch, own
            at = here.stop

    def _run(self, stock: Stock, rows: slice) -> np.ndarray:
        """Cut pieces, and ask nothing; which of them took something off."""
        found = []
        for index, batch, sets in self._batches(rows, 1 << CUT, None):
            found.append(index[stock.cut(batch, sets).removed])  # type: ignore[arg-type]
        return np.concatenate([*found, np.zeros(0, np.int64)])

    def _ask(self, stock: Stock, rows: slice) -> np.ndarray:
        """Cut pieces into a stock; those whose tools, wherever they stand in their holders, met what they should not."""
        found = []
        for index, batch, own in self._batches(rows, ASKED, self.sets):
            answer = stock.cut(batch, own)  # type: ignore[arg-type]
            found.append(index[(answer.depth[:, TESTS] > 0).any(axis=1)])
        return np.concatenate([*found, np.zeros(0, np.int64)])

    def _region(self, rows: np.ndarray) -> Region:
        """The bricks of the grid that the tools of some pieces reach."""
        segments, whole = self.segments, Region.whole(self.lattice)
        if (segments.mode[rows] == RING).any():  # their section is of all of the work
            return whole
        longest, wide = np.zeros(len(rows)), np.zeros(len(rows))
        numbers = self.result.reel.motions.tool[segments.motion[rows]]
        for number in np.unique(numbers).tolist():
            tool, mine = self.result.tools[int(number)], numbers == number
            parts = [part for part in (tool.cutting, tool.shank, tool.holder) if len(part)]
            wide[mine] = max(float(part[:, [R0, R1]].max()) for part in parts) + self.reach
            longest[mine] = max(float(part[:, H1].max()) for part in parts) + self.reach
        begin, axis = segments.start[rows], segments.axis[rows]
        tips = np.array([begin, begin + segments.delta[rows]])
        every = np.concatenate([tips, tips + longest[:, None] * np.array([axis, axis + segments.turn[rows]])])
        size, shape = self.lattice.step * TILE, np.array(whole.bricks.shape)
        first, last = (
            np.clip(np.floor((corner - self.lattice.origin) / size).astype(np.int64), 0, shape - 1)
            for corner in (every.min(axis=0) - wide[:, None], every.max(axis=0) + wide[:, None])
        )
        bricks = np.zeros_like(whole.bricks)
        for x0, y0, z0, x1, y1, z1 in np.unique(np.hstack([first, last]), axis=0).tolist():
            bricks[x0 : x1 + 1, y0 : y1 + 1, z0 : z1 + 1] = True
        return Region(self.lattice, bricks)

    # --- one quantity -------------------------------------------------------------------------------------------------------

    def ways(self, quantity: Quantity, shift: Shift) -> Floats:
        """How 1 mm of a quantity carries the tool of every piece (pieces, 3), in the grid's frame; of one that is worked out in the plane of z
        and r, how far from the axis (first) and along it (last)."""
        segments, result = self.segments, self.result
        if quantity.kind == "stickout" or not shift.moves:
            return np.zeros((len(segments.motion), 3))
        tools = result.reel.motions.tool[segments.motion]
        shifted = np.zeros((len(result.values), 3))
        found = np.zeros((len(segments.motion), 3))
        to_grid = inverse(self.cutting.frame)
        for number, screws in self.cutting.tools_from_work().items():
            mine = np.flatnonzero(tools == number)
            if not len(mine):
                continue
            rows = np.unique(np.concatenate([segments.index[mine], segments.index[mine] + 1]))
            tip = np.array([*result.tools[number].tip, 1.0])
            before, after = (
                (to_grid @ screws.poses(values)) @ tip
                for values in (result.values[rows], result.values[rows] + shift.knots[rows])
            )
            shifted[rows] = (after - before)[:, :3]
            # Where the shift changes on the way (a register that is called, a return home), what counts is the end near the work.
            ends = [segments.start[mine], segments.start[mine] + segments.delta[mine]]
            low, high = self.lattice.origin, self.lattice.origin + self.lattice.step * self.lattice.counts
            away = [np.linalg.norm(np.maximum(np.maximum(low - end, end - high), 0.0), axis=1) for end in ends]
            first = shifted[segments.index[mine]], shifted[segments.index[mine] + 1]
            found[mine] = np.where((away[0] <= away[1])[:, None], *first)
            ring = mine[segments.mode[mine] == RING]
            if len(ring):
                off = (segments.start[ring] - segments.centre)[:, :2]
                side = off[np.argmax(np.linalg.norm(off, axis=1))]  # a tool works on one side of the axis
                found[ring, 0] = found[ring, :2] @ (side / max(float(np.linalg.norm(side)), 1e-9))
                found[ring, 1] = 0.0
        return np.round(found, 9)

    def stock_bound(self, quantity: Quantity, ways: Floats, sign: float, upto: float) -> Bound:
        """How far a quantity may be off one way, up to `upto`, before a tool meets stock that it should not."""
        best = Bound(upto)
        for met in self.met:
            if best.amount > 0.0:
                best = best.or_(self._stretch_bound(met, quantity, ways, sign, best.amount))
        return best

    def _stretch_bound(self, met: Met, quantity: Quantity, ways: Floats, sign: float, upto: float) -> Bound:
        """The same in one stretch. Asked at so manieth parts of the reach alone, so that what one quantity learns another need not."""
        step = self.reach / PARTS
        low, high = 0, math.ceil(upto / step - 1e-9)
        first = self._meets(met, quantity, ways, sign, high * step)
        if first is None:
            return Bound(upto)
        while high - low > 1:
            middle = (low + high) // 2
            found = self._meets(met, quantity, ways, sign, middle * step)
            if found is None:
                low = middle
            else:
                high, first = middle, found
        if low * step >= upto:
            return Bound(upto)
        motions = self.result.reel.motions
        kind = "contact.rapid" if motions.kind[first] == RAPID else "contact.shank"
        return Bound(low * step, kind, first, (f"T{tool_number(int(motions.tool[first]))}", self.name))

    def _meets(self, met: Met, quantity: Quantity, ways: Floats, sign: float, by: float) -> int | None:
        """The first motion of a stretch that meets stock when a quantity is off by anything up to `by` one way; None for none."""
        maker, _ = self.order[met.stretch]
        if quantity.kind != "stickout":
            return self._met_by_shift(met, quantity, ways, sign, by)
        if self.makers[maker].tool != quantity.number or self._touch(met, [], STANDS, (self.reach, self.reach)) is None:
            return None
        return self._touch(met, [], STANDS, (by, 0.0) if sign < 0.0 else (0.0, by))

    def _met_by_shift(self, met: Met, quantity: Quantity, ways: Floats, sign: float, by: float) -> int | None:
        mine = np.unique(ways[met.rows], axis=0)
        side = self._side(quantity)
        of_blank = grown((sign * (side - way) for way in mine), by, self.spins)
        if quantity.kind == "blank":  # one that is smaller brings nothing nearer
            of_blank = STANDS if sign < 0.0 else ((by, by),) * 3 if quantity.axis == "R" else of_blank
        growths: list[tuple[int, Growth]] = []
        for other in range(len(self.makers)):
            if not self._begun(other, met.stretch):
                continue
            its = np.unique(ways[self.makers[other].rows], axis=0)
            if len(its):  # a tool's own layer goes along with it: nothing of it comes nearer
                growths.append((other, grown((sign * (b - a) for a in mine for b in its), by, self.spins)))
        growths = [(other, growth) for other, growth in growths if growth != STANDS]
        if of_blank == STANDS and not growths:
            return None  # nothing comes nearer to anything
        if not growths and self._touch(met, [], ((self.reach, self.reach),) * 3) is None:
            return None  # whichever side of the blank comes nearer
        return self._touch(met, growths, of_blank)

    def _touch(
        self,
        met: Met,
        growths: list[tuple[int, Growth]],
        of_blank: Growth,
        standing_out: tuple[float, float] = (0.0, 0.0),
    ) -> int | None:
        """The first motion of a stretch that meets a stock of which blank and layers have grown so; `standing_out`: how much nearer to the tip,
        and how much farther from it, its shank and holder are anywhere."""
        key = (met.stretch, tuple(growths), of_blank, standing_out)
        if key not in self.known:
            self.known[key] = self._touched(met, dict(growths), of_blank, standing_out)
        return self.known[key]

    def _touched(
        self, met: Met, growths: dict[int, Growth], of_blank: Growth, standing_out: tuple[float, float]
    ) -> int | None:
        _, rows = self.order[met.stretch]
        sets = None
        if any(standing_out):
            swept = [_swept(tool, *standing_out) for tool in self.result.tools.values()]
            sets = [ToolSets.of(swept, facets=facets) for facets in (False, True)]
        layers = [
            (self._layer_before(m, met.stretch), growths.get(m, STANDS))
            for m in range(len(self.makers))
            if self._begun(m, met.stretch)
        ]
        stock = filled(self.stock, self._common(self.blank, of_blank, layers), met.region)
        for index, batch, its_sets in self._batches(slice(rows.start, int(met.rows[-1]) + 1), ASKED, sets):
            answer = stock.cut(batch, its_sets)  # type: ignore[arg-type]
            hit = np.flatnonzero((answer.depth[:, TESTS] > 0.0).any(axis=1))
            if len(hit):
                return int(self.segments.motion[index[hit[0]]])
        return None

    def _begun(self, maker: int, stretch: int) -> bool:
        return any(m == maker for m, _ in self.order[:stretch])

    def _layer_before(self, maker: int, stretch: int) -> list[Ends]:
        """What a maker leaves before a stretch. One that cuts on after it has its layer cut anew."""
        if not any(m == maker for m, _ in self.order[stretch:]):
            return self.left[maker]
        layer = filled(self.stock, self.full)
        for other, rows in self.order[:stretch]:
            if other == maker:
                self._run(layer, rows)
        return ends_of(layer)

    def blank_bound(self, quantity: Quantity, sign: float, upto: float) -> Bound:
        """How much smaller one side of the blank may be, up to `upto`, before the design reaches out of it."""
        if quantity.kind != "blank" or quantity.name != self.name or sign > 0.0 or self.to_be is None:
            return Bound(upto)
        points, own = self.to_be.design.vertices, self.cutting.mesh.vertices
        if quantity.axis == "R":
            body = next(b for b in self.result.job.file.bodies if b.name == self.name)
            placed = inverse(self.cutting.frame) @ frame(body.at, body.turn)
            points, own = (np.linalg.norm(apply(inverse(placed), at)[:, :2], axis=1) for at in (points, own))
        else:
            points, own = points @ self._side(quantity), own @ self._side(quantity)
        room = float(own.max() - points.max()) + self.tolerance
        return (
            Bound(max(room, 0.0), "material.blank", -1, (*self.to_be.names, self.name)) if room < upto else Bound(upto)
        )

    def _side(self, quantity: Quantity) -> Floats:
        """Where the side of a blank goes when it is 1 mm farther out, in the grid's frame; of anything else nowhere."""
        if quantity.kind != "blank" or quantity.name != self.name or quantity.axis == "R":
            return np.zeros(3)
        body = next(b for b in self.result.job.file.bodies if b.name == self.name)
        way = np.zeros(3)
        way["XYZ".index(quantity.axis[1])] = 1.0 if quantity.axis[0] == "+" else -1.0
        return np.asarray(self.cutting.frame[:3, :3].T @ frame(body.at, body.turn)[:3, :3] @ way)

    # --- gouges -------------------------------------------------------------------------------------------------------------

    def _keep_surface(self, maker: Maker) -> list[Surface]:
        """The places of what a maker cut that could come into the design within the reach, by family and side."""
        found: list[Surface] = []
        if self.design is None:
            return found
        for rays in maker.layer.rays:
            a, b, w = AXES_OF[rays.direction]
            u, v, slot = rays.ends()
            for side, places, tags in ((1.0, rays.lo, rays.tag_lo), (-1.0, rays.hi, rays.tag_hi)):
                cut = tags[slot] >= 0
                points = np.empty((int(cut.sum()), 3))
                points[:, a] = self.lattice.centres(a)[u[cut]]
                points[:, b] = self.lattice.centres(b)[v[cut]]
                points[:, w] = places[slot[cut]]
                kept = self._within(points)
                away = self.design.distance(points[kept], self.reach + 1.0)
                near = np.flatnonzero(np.abs(away) < self.reach + self.tolerance)
                found.append(Surface(rays.direction, side, points[kept[near]], tags[slot[cut]][kept[near]], away[near]))
        return found

    def _within(self, points: Floats) -> np.ndarray:
        """Which places may be within the reach of the design's surface: by the middles of blocks of some cells."""
        assert self.design is not None
        size = BLOCK_CELLS * self.lattice.step
        at = np.floor((points - self.lattice.origin) / size).astype(np.int64)
        low = at.min(axis=0, initial=0)
        wide = at.max(axis=0, initial=0) - low + 1
        numbers = np.ravel_multi_index(tuple((at - low).T), tuple(wide))
        there = np.zeros(int(np.prod(wide)), np.bool_)
        there[numbers] = True
        blocks = np.flatnonzero(there)
        middles = self.lattice.origin + (np.array(np.unravel_index(blocks, tuple(wide))).T + low + 0.5) * size
        away = np.abs(self.design.distance(middles)) - 0.5 * float(np.linalg.norm(size))
        there[blocks] = away < self.reach + self.tolerance
        return np.flatnonzero(there[numbers])

    def gouge_bound(self, quantity: Quantity, ways: Floats, sign: float, upto: float) -> Bound:
        """How far a quantity may be off one way, up to `upto`, before what is cut gouges the design."""
        if self.design is None:
            return Bound(upto)
        if quantity.kind == "radius":
            return self._too_near(quantity, upto) if sign < 0.0 else Bound(upto)
        carried = []
        for number, maker in enumerate(self.makers):
            way = np.zeros((len(self.result.reel.motions), 3))
            way[self.segments.motion[maker.rows]] = ways[maker.rows]
            if way.any():
                carried.append((number, way))
        # What leads of all makers first: most often that is the nearest, and spares asking about the rest.
        best = Bound(upto)
        for leading in (True, False):
            for number, way in carried:
                for surface in self.surfaces[number]:
                    best = best.or_(self._first_gouge(surface, way, sign, best.amount, leading))
        return best

    def _first_gouge(self, surface: Surface, of_motion: Floats, sign: float, upto: float, leading: bool) -> Bound:
        """The same of one surface whose motions are carried along (motions, 3): of its places whose rays the way goes into, or of the others,
        as far as the way brings them nearer at all: slanted and round faces."""
        rows = np.flatnonzero(self.tolerance + surface.away < upto * self._most(of_motion))
        way = self._at(surface.points[rows], of_motion[surface.tags[rows]], surface.tags[rows])
        rate = np.linalg.norm(way, axis=1)
        leads = sign * surface.side * way[:, surface.family] > LEADS * rate
        kept = np.flatnonzero((leads if leading else ~leads) & (self.tolerance + surface.away[rows] < upto * rate))
        if not len(kept):
            return Bound(upto)
        rows, way = rows[kept], way[kept]
        if not leading:
            slope = self._slope(surface, way, rows)
            kept = np.flatnonzero(sign * slope < -NEARING)
            rows, way = rows[kept], way[kept]
        return self._march(surface, rows, sign * way, upto)

    def _at(self, points: Floats, ways: Floats, tags: np.ndarray) -> Floats:
        """Ways (n, 3) of motions as they are at places: of turned ones away from the axis there."""
        round_ = self.turned[tags]
        if not round_.any():
            return ways
        made = ways.copy()
        off = (points[round_] - self.segments.centre)[:, :2]
        made[round_, :2] = ways[round_, :1] * off / np.maximum(np.linalg.norm(off, axis=1, keepdims=True), 1e-9)
        return made

    @staticmethod
    def _most(ways: Floats) -> float:
        return float(np.linalg.norm(ways, axis=1).max(initial=0.0))

    def _slope(self, surface: Surface, way: Floats, rows: np.ndarray) -> Floats:
        """How fast the way takes some places of a surface away from the design; kept, since it serves both ways of it."""
        assert self.design is not None
        single = bool((way == way[0]).all())
        key = (id(surface), *np.abs(way[0]).tolist(), float(np.sign(way[0][np.argmax(np.abs(way[0]))])))
        known = self.slopes.get(key) if single else None
        if known is None:
            known = np.full(len(surface.tags), np.nan)
            if single:
                self.slopes[key] = known
        asked = rows[np.isnan(known[rows])]
        its = way[np.isnan(known[rows])]
        known[asked] = (
            self.design.distance(surface.points[asked] + SLOPE_MM * its, self.reach + 1.0) - surface.away[asked]
        ) / SLOPE_MM
        return known[rows]

    def _too_near(self, quantity: Quantity, upto: float) -> Bound:
        """Of a radius register that is too small: every wall that was made with it comes as much nearer to the part."""
        motions = self.result.reel.motions
        with_it = np.array([state.radius_number == quantity.number for state in motions.snapshots])[motions.snapshot]
        best = Bound(upto)
        for surfaces in self.surfaces:
            for surface in surfaces:
                upright = np.abs(self.segments.axis[:, surface.family]).max(initial=0.0) > 1.0 - 1e-6
                rows = np.flatnonzero(with_it[surface.tags]) if not upright else np.zeros(0, np.int64)
                if not len(rows):
                    continue
                amounts = np.maximum(self.tolerance + surface.away[rows], 0.0)
                first = int(np.argmin(amounts))
                if amounts[first] < best.amount:
                    best = Bound(float(amounts[first]), "material.gouge", int(surface.tags[rows[first]]), (self.name,))
        return best

    def _march(self, surface: Surface, rows: np.ndarray, way: Floats, upto: float) -> Bound:
        """The first of some places of a surface, carried along `way` (n, 3) for each mm, to come deeper than the tolerance into the design.

        A place that is d outside of that depth is not there before it has gone d farther."""
        assert self.design is not None
        rate = np.linalg.norm(way, axis=1)
        points, tags = surface.points[rows], surface.tags[rows]
        room = self.tolerance + surface.away[rows]
        gone = np.zeros(len(rows))
        on = np.arange(len(rows))
        best = Bound(upto)
        for _ in range(MOST_MARCHES):
            there = on[room[on] <= MARCH_MM]
            if len(there):
                first = there[np.argmin(gone[there])]
                if gone[first] < best.amount:
                    best = Bound(float(gone[first]), "material.gouge", int(tags[first]), (self.name,))
            on = on[room[on] > MARCH_MM]
            gone[on] += room[on] / rate[on]
            on = on[gone[on] < best.amount]
            if not len(on):
                return best
            room[on] = self.tolerance + self.design.distance(
                points[on] + gone[on, None] * way[on], self.reach + self.tolerance
            )
        return best.or_(Bound(float(gone[on].min())))  # it runs along the part: what comes then is not known


def _swept(tool: Assembly, down: float, up: float) -> Assembly:
    """A tool whose shank and holder stand anywhere between so much nearer to the tip and so much farther from it."""
    if tool.is_turning:
        return tool
    holder = [row for slab in tool.holder for row in _between(slab, down, up)]
    shank = [row for slab in tool.shank for row in ([slab.tolist(), *_between(slab, 0.0, up)[1:]])]
    return replace(tool, holder=np.array(holder).reshape(-1, 8), shank=np.array(shank).reshape(-1, 8))


def _between(slab: Floats, down: float, up: float) -> list[list[float]]:
    """All that a slab fills on its way from `down` lower to `up` higher: both ends of the way, and its widest section between."""
    lower, higher = slab.copy(), slab.copy()
    lower[[H0, H1]] -= down
    higher[[H0, H1]] += up
    widest = float(slab[[R0, R1]].max())
    at = float(slab[H0] if slab[R0] >= slab[R1] else slab[H1])
    rows = [lower.tolist()]
    if up:
        rows.append(higher.tolist())
    if down or up:
        rows.append(line_slab(at - down, at + up, widest, widest))
    return rows
