"""The stock: three grids of rays over a box, cut motion by motion.

All coordinates here are of the grid's frame. Rays stand in the middles of cells, and the cell's sides divide the box
evenly with no side longer than the resolution asked for, so that a box-shaped blank has exactly its volume.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..compiled import compile_kernels, share_out_singly
from ..geometry.mesh import Mesh
from ..tools.assembly import Assembly
from ..tools.slabs import H0, H1, R0, R1, line_slab, offset_slabs, rounded
from .cut_kernel import (
    CUT,
    FIELDS,
    FIRST,
    SETS,
    TEST_CORE,
    TEST_CUT,
    TEST_FLUSH,
    TEST_HOLDER,
    TEST_NEAR,
    TEST_SHANK,
    TILE,
    bin_motions,
    cut,
)
from .ray_kernel import crossings, move_wider, pair_up
from .ring_kernel import bin_rings, cut_rings
from .section import Section
from .turned_sweep_kernel import GOLDEN, SEARCH_MM
from .turning_kernel import BESIDE, SQUARE, bin_turned, cut_turned
from .volume_kernel import layers

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

CONTACT_DEPTH_MM = 0.01  # shallower than this, a test does not call it contact: chords of arcs stand off by 0.002
MAX_CAPACITY = 4096
MAX_RAYS = 60_000_000
SPARE = (
    1 << 24
)  # places that a pool gets beyond half as many again: where one tile grows others do, and to move the whole pool costs time
AXES_OF = ((1, 2, 0), (0, 2, 1), (0, 1, 2))  # lateral u, lateral v, along — of X, Y and Z rays
HANDED = (1, -1, 1)
TEST_KINDS = (TEST_CUT, TEST_SHANK, TEST_HOLDER, TEST_FLUSH, TEST_NEAR, TEST_CORE)
CORE_MM = 0.05  # how thick the middle of a face is asked


class TooFine(ValueError):
    """A grid that would not fit into memory."""


@dataclass(frozen=True)
class Lattice:
    """Where the rays stand: origin (3,), step (3,), counts (3,) cells."""

    origin: Floats
    step: Floats
    counts: NDArray[np.int64]

    @staticmethod
    def over(bounds: Floats, resolution: float) -> Lattice:
        """The lattice over a box (2, 3). Raises TooFine beyond the memory bound."""
        size = np.maximum(bounds[1] - bounds[0], 1e-6)
        counts = np.maximum(1, np.ceil(size / resolution - 1e-9)).astype(np.int64)
        rays = counts[0] * counts[1] + counts[1] * counts[2] + counts[0] * counts[2]
        if rays > MAX_RAYS:
            finest = resolution * float(np.sqrt(rays / MAX_RAYS))
            raise TooFine(
                f"resolution {resolution:g} mm needs {rays / 1e6:.0f} million rays for this stock; at most "
                f"{MAX_RAYS / 1e6:.0f} million are taken: choose {np.ceil(finest * 100) / 100:g} mm or coarser"
            )
        return Lattice(bounds[0].copy(), size / counts, counts)

    def centres(self, axis: int) -> Floats:
        return np.asarray(self.origin[axis] + (np.arange(self.counts[axis]) + 0.5) * self.step[axis])


def intervals(count: NDArray[Any], tiles_u: int) -> tuple[NDArray[np.int64], ...]:
    """Of every interval, by the count of each ray of each tile (tiles, 256): u, v, tile, ray in the tile, number on the ray."""
    tile, ray = np.nonzero(count)
    counts = count[tile, ray].astype(np.int64)
    which = np.repeat(np.arange(len(tile)), counts)
    number = np.arange(len(which)) - np.repeat(np.cumsum(counts) - counts, counts)
    tile, ray = tile[which], ray[which]
    return (tile % tiles_u) * TILE + ray % TILE, (tile // tiles_u) * TILE + ray // TILE, tile, ray, number


class Rays:
    """The rays of one direction, in tiles of 16 × 16; each tile's intervals lie together in the pool."""

    ARRAYS = (
        "count",
        "capacity",
        "base",
        "lo",
        "hi",
        "tag_lo",
        "tag_hi",
        "tile_lo",
        "tile_hi",
    )  # with `used` all that it holds

    def __init__(self, direction: int, lattice: Lattice) -> None:
        self.direction = direction
        self.lattice = lattice
        u, v, _ = AXES_OF[direction]
        self.nu, self.nv = int(lattice.counts[u]), int(lattice.counts[v])
        self.tiles_u = -(-self.nu // TILE)
        self.tiles = self.tiles_u * -(-self.nv // TILE)
        self.count = np.zeros((self.tiles, TILE * TILE), np.int32)
        self.capacity = np.full(self.tiles, 2, np.int32)
        self.base = np.arange(self.tiles, dtype=np.int64) * (2 * TILE * TILE)
        room = self.tiles * 2 * TILE * TILE
        self.used = room
        self.free: dict[int, list[int]] = {}  # by capacity: places that tiles have moved out of; lost with a checkpoint
        self.lo, self.hi = np.zeros(room, np.float32), np.zeros(room, np.float32)
        self.tag_lo, self.tag_hi = np.full(room, -1, np.int32), np.full(room, -1, np.int32)
        self.changed = np.zeros(self.tiles, np.bool_)  # tiles cut since whoever keeps copies of them last looked
        self.tile_lo = np.full(self.tiles, np.inf, np.float32)
        self.tile_hi = np.full(self.tiles, -np.inf, np.float32)

    def grow(self, tiles: NDArray[np.int64], capacity: NDArray[np.int64]) -> None:
        """Give tiles room for so many intervals a ray: where another tile has moved out of as much, or at the end of the pool."""
        cells = TILE * TILE
        if not len(tiles):
            return
        places = [self.free[c].pop() if self.free.get(c) else -1 for c in capacity.tolist()]
        more = sum(c * cells for c, place in zip(capacity.tolist(), places, strict=True) if place < 0)
        if self.used + more > len(self.lo):
            room = max(self.used + more, len(self.lo) + max(len(self.lo) // 2, min(2 * len(self.lo), SPARE)))
            for name in ("lo", "hi", "tag_lo", "tag_hi"):
                pool = getattr(self, name)
                wider = np.empty(room, pool.dtype)  # what is not used yet costs no memory
                wider[: self.used] = pool[: self.used]
                setattr(self, name, wider)
        wide, old, begin, to = (
            capacity.astype(np.int64),
            self.capacity[tiles].astype(np.int64),
            self.base[tiles],
            np.array(places),
        )
        at_end = to < 0
        to[at_end] = self.used + (np.cumsum(wide[at_end]) - wide[at_end]) * cells
        for pool in (self.lo, self.hi, self.tag_lo, self.tag_hi):
            move_wider(pool, begin, old, to, wide, cells)
        for was, place in zip(old.tolist(), begin.tolist(), strict=True):
            self.free.setdefault(was, []).append(place)
        self.base[tiles], self.capacity[tiles] = to, wide
        self.used += int(wide[at_end].sum()) * cells

    POOLS = ("lo", "hi", "tag_lo", "tag_hi")

    def _slots(self, tiles: NDArray[np.int64]) -> NDArray[np.int64]:
        """The places in the pools of all that some tiles hold, tile by tile."""
        size = self.capacity[tiles].astype(np.int64) * (TILE * TILE)
        return np.repeat(self.base[tiles] - np.cumsum(size) + size, size) + np.arange(int(size.sum()))

    def copies(self) -> dict[str, NDArray[Any]]:
        """Copies of the tiles cut since this was last asked."""
        tiles = np.flatnonzero(self.changed)
        self.changed[:] = False
        slots = self._slots(tiles)
        rows = {name: getattr(self, name)[tiles] for name in ("capacity", "count", "tile_lo", "tile_hi")}
        return {"tiles": tiles, **rows, **{name: getattr(self, name)[slots] for name in self.POOLS}}

    def take(self, copies: dict[str, NDArray[Any]]) -> None:
        """Put copies of tiles in the place of what they hold."""
        tiles, capacity = copies["tiles"], copies["capacity"].astype(np.int64)
        wider = np.flatnonzero(capacity > self.capacity[tiles])
        self.grow(tiles[wider], capacity[wider])
        slots = self._slots(tiles)
        for name in ("count", "tile_lo", "tile_hi"):
            getattr(self, name)[tiles] = copies[name]
        for name in self.POOLS:
            getattr(self, name)[slots] = copies[name]

    def widen(self, tiles: NDArray[np.int64]) -> None:
        """Twice the room for some tiles. Raises MemoryError when a ray would need thousands of intervals."""
        if not len(tiles):
            return
        wider = 2 * self.capacity[tiles].astype(np.int64)
        if wider.max() > MAX_CAPACITY:
            raise MemoryError("the stock has fallen into too many slivers; choose a coarser resolution")
        self.grow(tiles, wider)

    def fill(self, laid: Laid, tags: Ints | None = None) -> None:
        """Take the intervals of a mesh; `tags` (faces,): what its faces were made by."""
        count = laid.count
        v, u = np.divmod(np.arange(self.nu * self.nv), self.nu)
        tile = (v // TILE) * self.tiles_u + u // TILE
        local = (v % TILE) * TILE + u % TILE
        most = self._by_tile(count, 0).max(axis=(1, 3)).ravel().astype(np.int64)
        crowded = np.flatnonzero(most > 2)
        self.grow(crowded, most[crowded])
        self.count[tile, local] = count
        for k in range(int(count.max(initial=0))):
            has = np.flatnonzero(count > k)
            slot = self.base[tile[has]] + local[has] * self.capacity[tile[has]].astype(np.int64) + k
            own = laid.first[has] + k
            self.lo[slot], self.hi[slot] = laid.lo[own], laid.hi[own]
            if tags is not None:
                self.tag_lo[slot], self.tag_hi[slot] = tags[laid.face_lo[own]], tags[laid.face_hi[own]]
        met = np.flatnonzero(count)
        lowest, highest = np.full(len(count), np.inf, np.float32), np.full(len(count), -np.inf, np.float32)
        lowest[met], highest[met] = laid.lo[laid.first[met]], laid.hi[laid.first[met] + count[met] - 1]
        np.minimum(self.tile_lo, self._by_tile(lowest, np.inf).min(axis=(1, 3)).ravel(), out=self.tile_lo)
        np.maximum(self.tile_hi, self._by_tile(highest, -np.inf).max(axis=(1, 3)).ravel(), out=self.tile_hi)

    def _by_tile(self, values: NDArray[Any], beyond: float) -> NDArray[Any]:
        """Values of all rays as (tiles along v, TILE, tiles along u, TILE); `beyond`: of those that tiles have beyond the lattice."""
        deep = self.tiles // self.tiles_u
        whole = np.full((deep * TILE, self.tiles_u * TILE), beyond, values.dtype)
        whole[: self.nv, : self.nu] = values.reshape(self.nv, self.nu)
        return whole.reshape(deep, TILE, self.tiles_u, TILE)

    def ends(self) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
        """All intervals: lateral indices u, v and the slot in the pool, each (intervals,)."""
        u, v, tile, ray, number = intervals(self.count, self.tiles_u)
        return u, v, self.base[tile] + ray * self.capacity[tile].astype(np.int64) + number

    @property
    def volume(self) -> float:
        _u, _v, slot = self.ends()
        a, b, _ = AXES_OF[self.direction]
        length = self.hi[slot].astype(np.float64) - self.lo[slot]
        return float(length.sum() * self.lattice.step[a] * self.lattice.step[b])

    @property
    def bytes(self) -> int:
        return self.lo.nbytes * 2 + self.tag_lo.nbytes * 2 + self.count.nbytes


@dataclass(frozen=True)
class Laid:
    """The intervals of a mesh on the rays of one direction, in lattice order v·nu + u: those of a ray stand in lo and hi from
    `first` (rays,) on, `count` (rays,) of them; `odd` rays did not add up. However many there are, none is left out."""

    lo: NDArray[np.float32]
    hi: NDArray[np.float32]
    first: NDArray[np.int64]
    count: Ints
    odd: int
    face_lo: Ints  # the mesh's face at either end, where they were asked for
    face_hi: Ints


def rays_of(mesh: Mesh, lattice: Lattice, direction: int, faces: bool = False) -> Laid:
    """Intervals of a closed mesh on the lattice; with `faces`, the faces that they begin and end at."""
    u, v, w = AXES_OF[direction]
    n = int(lattice.counts[u] * lattice.counts[v])
    begin = np.zeros(n + 1, np.int64)
    triangles = np.ascontiguousarray(mesh.triangles)
    nothing, no_signs, no_faces = np.zeros(0), np.zeros(0, np.int8), np.zeros(0, np.int32)
    crossings(
        triangles, u, v, w, lattice.origin, lattice.step, lattice.counts, False, begin, nothing, no_signs, no_faces
    )
    begin = np.cumsum(begin)
    places, signs = np.zeros(begin[-1]), np.zeros(begin[-1], np.int8)
    face = np.zeros(begin[-1], np.int32) if faces else no_faces
    crossings(triangles, u, v, w, lattice.origin, lattice.step, lattice.counts, True, begin.copy(), places, signs, face)
    # An interval needs two crossings, and an odd one may be left over.
    room = (np.diff(begin) + 1) // 2
    first = np.cumsum(room) - room
    lo, hi = np.zeros(int(room.sum()), np.float32), np.zeros(int(room.sum()), np.float32)
    count = np.zeros(n, np.int32)
    face_lo, face_hi = (np.zeros(len(lo) if faces else 0, np.int32) for _ in range(2))
    odd = pair_up(begin, places, signs, HANDED[direction], lo, hi, first, count, face, face_lo, face_hi)
    return Laid(lo, hi, first, count, int(odd), face_lo, face_hi)


@dataclass
class ToolSets:
    """The slabs of all tools, sorted by purpose, as the cutting kernel takes them."""

    slabs: Floats
    sets: NDArray[np.int64]  # (tools, SETS, 2)
    extents: Floats  # (tools, SETS, 3): largest radius, lowest and highest place
    convex: NDArray[np.bool_]
    row: dict[int, int]  # tool number → row

    @staticmethod
    def of(tools: list[Assembly], near_stock: float = 0.0, facets: bool = False) -> ToolSets:
        """`facets`: corners as the kernel of turned tools takes them."""
        rows: list[Floats] = []
        sets = np.zeros((max(1, len(tools)), SETS, 2), np.int64)
        extents = np.zeros((max(1, len(tools)), SETS, 3))
        total = 0
        e = CONTACT_DEPTH_MM
        for i, tool in enumerate(tools):
            body = np.concatenate([tool.shank, tool.holder])
            parts = {
                CUT: tool.cutting,
                TEST_CUT: offset_slabs(tool.cutting, -e),
                TEST_SHANK: offset_slabs(tool.shank, -e),
                TEST_HOLDER: offset_slabs(tool.holder, -e),
                TEST_FLUSH: _flush(tool, e),
                TEST_NEAR: offset_slabs(body, near_stock) if near_stock > 0 else np.zeros((0, 8)),
                TEST_CORE: _core(tool, e),
            }
            for kind, exact in parts.items():
                slabs = rounded(exact) if facets else exact
                sets[i, kind] = total, total + len(slabs)
                if len(slabs):
                    extents[i, kind] = slabs[:, [R0, R1]].max(), slabs[:, H0].min(), slabs[:, H1].max()
                rows.append(slabs)
                total += len(slabs)
        slabs = np.concatenate(rows) if rows else np.zeros((0, 8))
        return ToolSets(
            slabs,
            sets,
            extents,
            np.array([t.convex for t in tools] or [True]),
            {t.number: i for i, t in enumerate(tools)},
        )


def _core(tool: Assembly, e: float) -> Floats:
    """The middle of the face, as far as it does not cut, as a thin disc a hair within it."""
    if tool.core <= e:
        return np.zeros((0, 8))
    face = float(tool.cutting[0, H0])
    return np.array([line_slab(face + e, face + CORE_MM, tool.core - e, tool.core - e)])


def _flush(tool: Assembly, e: float) -> Floats:
    """A hair outside the shank, above the flutes: stock there runs along the shank, so the cut is deeper than the
    flutes are long. Only where the shank is as thick as the cutter."""
    above = tool.shank[tool.shank[:, H0] >= tool.flute_length - 1e-9] if len(tool.shank) else tool.shank
    if not len(above) or 2 * above[0, R1] < tool.diameter - 1e-6:
        return np.zeros((0, 8))
    grown = offset_slabs(above, e)
    grown[:, 1] += 10 * e  # from well above the flutes' end
    return grown[grown[:, 2] > grown[:, 1]]


@dataclass
class Batch:
    """Straight tool motions in the grid's frame: tip start and change (n, 3), tool row, flags (bit per set), tag."""

    start: Floats
    delta: Floats
    tool: NDArray[np.int64]
    flags: NDArray[np.int64]
    tag: Ints


@dataclass
class TurnedBatch(Batch):
    """Motions of tools in any direction: besides, the tool's axis at the start and its change (n, 3). `tool` counts the
    rows of facetted tool sets."""

    axis: Floats
    turn: Floats

    def search_steps(self, reach: Floats) -> NDArray[np.int64]:
        """Steps of the search along each motion, for tools that reach this far (tools,) from their tip."""
        way = np.linalg.norm(self.delta, axis=1) + np.linalg.norm(self.turn, axis=1) * reach[self.tool]
        steps = np.ceil(np.log(np.maximum(way, 1e-12) / SEARCH_MM) / -np.log(GOLDEN))
        return np.where(way > 1e-9, np.maximum(steps, 2), 0).astype(np.int64)


@dataclass
class RingBatch:
    """Motions of turning tools while the work spins about the grid's Z through `centre` (3,): z and r of the tip at the
    start and their change (n, 2); `tool` counts the rows of `RingSets`."""

    start: Floats
    delta: Floats
    tool: NDArray[np.int64]
    flags: NDArray[np.int64]
    tag: Ints
    centre: Floats


@dataclass
class RingSets:
    """Convex outlines, z and r from the tip: outlines (v, 2), begin (outlines + 1,), kind (outlines,): what each is for, CUT or a test.
    Of each tool the tests' numbers come first: they ask before the same motion cuts."""

    outlines: Floats
    begin: NDArray[np.int64]
    kind: NDArray[np.int64]
    of_tool: list[list[int]]

    @staticmethod
    def of(tools: list[list[Floats]]) -> RingSets:
        """From every tool's outlines, the insert's first, behind it those of its holder's blocks."""
        return RingSets.with_kinds(
            [[*((TEST_HOLDER, block) for block in blocks), (CUT, insert)] for insert, *blocks in tools]
        )

    @staticmethod
    def with_kinds(tools: list[list[tuple[int, Floats]]]) -> RingSets:
        """From every tool's outlines with their purpose, the tests before the cuts."""
        flat = [outline for tool in tools for _, outline in tool]
        begin = np.concatenate([[0], np.cumsum([len(outline) for outline in flat])]).astype(np.int64)
        numbers = iter(range(len(flat)))
        return RingSets(
            np.ascontiguousarray(np.concatenate(flat)) if flat else np.zeros((0, 2)), begin,
            np.array([kind for tool in tools for kind, _ in tool], np.int64), [[next(numbers) for _ in tool] for tool in tools],
        )  # fmt: skip

    def outlines_of(self, tool: int, kind: int) -> list[Floats]:
        """The outlines of a tool for one purpose."""
        return [self.outlines[self.begin[o] : self.begin[o + 1]] for o in self.of_tool[tool] if self.kind[o] == kind]

    def cut_extents(self, tool: int) -> Floats:
        """Least and greatest z and r of all that a tool cuts with, (4,)."""
        e = self.extents[[o for o in self.of_tool[tool] if self.kind[o] == CUT]]
        return np.array([e[:, 0].min(), e[:, 1].max(), e[:, 2].min(), e[:, 3].max()])

    def and_then(self, more: RingSets) -> RingSets:
        """These, and behind them others: the tools of `more` count on from these."""
        count = len(self.begin) - 1
        begin = np.concatenate([self.begin, more.begin[1:] + self.begin[-1]])
        of_tool = [*self.of_tool, *([count + outline for outline in tool] for tool in more.of_tool)]
        return RingSets(
            np.ascontiguousarray(np.concatenate([self.outlines, more.outlines])), begin, np.concatenate([self.kind, more.kind]), of_tool
        )  # fmt: skip

    @cached_property
    def extents(self) -> Floats:
        """Least and greatest z and r of every outline, (tools, 4)."""
        parts = [self.outlines[a:b] for a, b in itertools.pairwise(self.begin)]
        return np.array(
            [[p[:, 0].min(), p[:, 0].max(), p[:, 1].min(), p[:, 1].max()] if len(p) else [0.0] * 4 for p in parts]
        )


@dataclass
class BatchResult:
    """Per motion of a batch: what it took off, and how long a stretch along the tool at most (of a tool upright in the grid); per test
    kind the depth and the place of first touch."""

    taken: Floats  # (n,) mm³, the mean of what the three families tell; more than 0 wherever anything was cut
    stretch: Floats  # (n,) mm; 0 where no ray runs along the tool
    engaged: Floats  # (n,) the share of its way over which it cut, 1 where that is not known
    depth: Floats  # (n, SETS), 0 where nothing was met
    place: Floats  # (n, SETS, 3)

    @property
    def removed(self) -> NDArray[np.bool_]:
        return self.taken > 0.0

    def only(self, rows: NDArray[Any]) -> BatchResult:
        return BatchResult(self.taken[rows], self.stretch[rows], self.engaged[rows], self.depth[rows], self.place[rows])

    @staticmethod
    def nothing(n: int) -> BatchResult:
        return BatchResult(np.zeros(n), np.zeros(n), np.ones(n), np.zeros((n, SETS)), np.zeros((n, SETS, 3)))


def _along(batch: Batch | RingBatch, direction: int) -> NDArray[np.bool_]:
    """Which tools of a batch stand, all the way, along the rays of a direction (n,)."""
    if isinstance(batch, TurnedBatch):
        return np.asarray((np.abs(batch.axis[:, direction]) > 1.0 - SQUARE) & ~batch.turn.any(axis=1))
    return np.full(len(batch.start), direction == 2 and isinstance(batch, Batch))


class Stock:
    def __init__(self, mesh: Mesh, resolution: float, tags: Ints | None = None) -> None:
        """Lay a closed mesh (grid frame) on rays. `tags` (faces,): what made its faces, −1 where nothing did. Raises TooFine;
        `open_rays` counts rays that did not add up."""
        compile_kernels()
        self.lattice = Lattice.over(mesh.bounds, resolution)
        self._rays: list[Rays] = []
        self._section: Section | None = None
        self.open_rays = 0
        for direction in range(3):
            rays = Rays(direction, self.lattice)
            laid = rays_of(mesh, self.lattice, direction, tags is not None)
            rays.fill(laid, tags)
            self.open_rays += laid.odd
            self._rays.append(rays)

    @property
    def rays(self) -> list[Rays]:
        """The three families. Whoever gives the stock others ends what is known of their section."""
        return self._rays

    @rays.setter
    def rays(self, rays: list[Rays]) -> None:
        if any((own.lattice.counts != self.lattice.counts).any() for own in rays):
            # Compiled code goes by the lattice, and would read beyond what these hold.
            raise ValueError("these are rays of another lattice")
        self._rays, self._section = rays, None

    @property
    def volumes(self) -> tuple[float, float, float]:
        """Volume in mm³ by the rays of each direction; walls along a ray are a matter of chance there."""
        return (self.rays[0].volume, self.rays[1].volume, self.rays[2].volume)

    @property
    def volume(self) -> float:
        """Volume in mm³: in each cell by the rays that meet its surface, so that walls thinner than the grid count in full."""
        return self.measured()[0]

    def measured(self) -> tuple[float, int]:
        """The volume in mm³, and the cells of which one ray family says that their middle is stock and another that it is
        not: there are none, but for grazing surfaces, which is a lasting self-test of the cuts."""
        pools: list[Any] = []
        for rays in self.rays:
            pools += [rays.lo, rays.hi, rays.base, rays.capacity, rays.count, rays.tiles_u]
        lattice = self.lattice
        cells, torn = layers(lattice.origin, lattice.step, lattice.counts, *pools).sum(axis=0)
        return float(cells) * float(np.prod(lattice.step)), int(torn)

    @property
    def bytes(self) -> int:
        return sum(r.bytes for r in self.rays)

    def cut(self, batch: Batch | RingBatch, tools: ToolSets | RingSets) -> BatchResult:
        """Carry out a batch on all rays. Raises MemoryError when a ray would need thousands of intervals.

        The tools of a plain `Batch` stand along the grid's Z, those of a `TurnedBatch` in any direction; a `RingBatch` turns.
        """
        if isinstance(batch, RingBatch):
            assert isinstance(tools, RingSets)
            return self._turn(batch, tools)
        answer = self._cut(batch, tools)
        self._section = None
        return answer

    def _note_engaged(
        self,
        direction: int,
        batch: Any,
        rows: NDArray[np.bool_],
        tools: Any,
        entries: Ints,
        taken: Floats,
        answer: BatchResult,
    ) -> None:
        """Over which share of its way each motion along which rays run cut: between the first and the last ray that it took something off, but at least
        over half its diameter; down its own axis, over what it took off in length."""
        n = len(batch.start)
        first, last = np.ones(n), np.zeros(n)
        np.minimum.at(first, entries, taken[:, 2])
        np.maximum.at(last, entries, taken[:, 3])
        sides = list(AXES_OF[direction][:2])
        across, along = np.linalg.norm(batch.delta[:, sides], axis=1), np.abs(batch.delta[:, direction])
        across[across < BESIDE] = 0.0  # along its axis, but for rounding
        radius = tools.extents[batch.tool, CUT, 0]
        share = np.maximum(last - first, np.minimum(radius / np.maximum(across, 1e-9), 1.0))
        plunged = np.minimum(answer.stretch / np.maximum(along, 1e-9), 1.0)
        told = rows & (answer.stretch > 0.0)
        answer.engaged[told] = np.where(across > 0.0, share, plunged)[told]

    def _turn(self, batch: RingBatch, tools: RingSets) -> BatchResult:
        """What only asks goes before what cuts in the same motion; all of it is told as that motion's."""
        of = [tools.of_tool[int(tool)] for tool in batch.tool]
        rows = np.repeat(np.arange(len(of)), [len(outlines) for outlines in of])
        outline = np.array([o for outlines in of for o in outlines], np.int64)
        kind = tools.kind[outline]
        flags = np.where(kind == CUT, batch.flags[rows], 1 << TEST_CUT)
        single = RingBatch(batch.start[rows], batch.delta[rows], outline, flags, batch.tag[rows], batch.centre)
        answer = self._turn_section(single, tools)
        told_of = BatchResult.nothing(len(batch.start))
        np.add.at(told_of.taken, rows, answer.taken)
        of_cut = np.flatnonzero(kind == CUT)
        told_of.engaged[rows[of_cut]] = answer.engaged[of_cut]
        depth, place = told_of.depth, told_of.place
        for k in np.flatnonzero(answer.depth[:, TEST_CUT] > 0):
            row, told = rows[k], TEST_CUT if kind[k] == CUT else kind[k]
            if answer.depth[k, TEST_CUT] > depth[row, told]:
                depth[row, told] = answer.depth[k, TEST_CUT]
                place[row, told] = answer.place[k, TEST_CUT]
        return told_of

    def _turn_section(self, batch: RingBatch, tools: RingSets) -> BatchResult:
        """Single outlines in the section; only what a test meets is asked of the rays, too."""
        n = len(batch.start)
        if self._section is None or (self._section.centre != batch.centre).any():
            self._section = Section(self.rays, batch.centre)
        section = self._section
        answer = BatchResult.nothing(n)
        at = 0
        taken = np.zeros((n, 3))
        while (at := section.turn(batch, tools, at, n, taken)) < n:
            self._settle(section)
            one = slice(at, at + 1)
            alone = RingBatch(
                batch.start[one], batch.delta[one], batch.tool[one], batch.flags[one], batch.tag[one], batch.centre
            )
            asked = self._cut(alone, tools)
            section.turn(batch, tools, at, at + 1, np.zeros((n, 3)), owing=False)
            taken[at, 0], answer.depth[at], answer.place[at] = asked.taken[0], asked.depth[0], asked.place[0]
            at += 1
        self._settle(section)
        answer.taken = taken[:, 0].copy()
        # Over which share of its z, or of its r, a pass met stock, as the one or the other tells more.
        with np.errstate(divide="ignore", invalid="ignore"):
            shares = np.where(taken[:, 1:] > 0.0, taken[:, 1:] / np.abs(batch.delta), 1.0)
        along = np.abs(batch.delta[:, 0]) >= np.abs(batch.delta[:, 1])
        answer.engaged = np.minimum(np.where(along, shares[:, 0], shares[:, 1]), 1.0)
        return answer

    def _settle(self, section: Section) -> None:
        """Lay on the rays what they are owed. Where they have no room for it, it is told now, and not again."""
        try:
            section.settle(self._rays)
        except MemoryError:
            self._section = None
            raise

    def _cut(self, batch: Batch | RingBatch, tools: ToolSets | RingSets) -> BatchResult:
        share_out_singly()
        n = len(batch.start)
        answer = BatchResult.nothing(n)
        shift = np.zeros((n, SETS, 6))
        first = np.full((n, SETS), np.inf)
        lengths = np.linalg.norm(batch.delta, axis=1)
        for rays in self.rays:
            self._cut_direction(rays, batch, tools, lengths, answer, shift, first)
        if not shift.any():
            return answer
        # The shortest way out over the six directions; a direction whose rays all missed says nothing.
        depth = np.where(shift > 0, shift, np.inf).min(axis=2)
        # The tests ask with slabs shrunk by a hair; the true body stands that much deeper.
        answer.depth = np.where(np.isfinite(depth), depth + CONTACT_DEPTH_MM, 0.0)
        return answer

    def _cut_direction(
        self, rays: Rays, batch: Batch | RingBatch, tools: ToolSets | RingSets, lengths: Floats, answer: BatchResult, shift: Floats,
        first: Floats,
    ) -> None:  # fmt: skip
        lattice, direction = self.lattice, rays.direction
        grid = (lattice.origin, lattice.step, lattice.counts, rays.tiles_u, rays.tile_lo, rays.tile_hi)
        plan: tuple[Any, ...]  # the kernel and the arguments that only it takes
        if isinstance(batch, RingBatch):
            assert isinstance(tools, RingSets)
            tile_begin, entries = bin_rings(
                direction, batch.start, batch.delta, tools.extents, batch.tool, batch.centre, *grid
            )
            plan = (cut_rings, batch.start, batch.delta, batch.tool, batch.flags, batch.tag, tools.outlines, tools.begin,
                    tools.extents, batch.centre)  # fmt: skip
        elif isinstance(batch, TurnedBatch):
            assert isinstance(tools, ToolSets)
            way = (batch.start, batch.delta, batch.axis, batch.turn)
            tile_begin, entries, near = bin_turned(
                direction, *way, batch.tool, batch.flags, tools.sets, tools.slabs, *grid
            )
            steps = batch.search_steps(tools.extents[:, :, 2].max(axis=1))
            plan = (
                cut_turned,
                *way,
                steps,
                batch.tool,
                near,
                batch.tag,
                tools.sets,
                tools.convex,
                tools.slabs,
            )
        else:
            assert isinstance(tools, ToolSets)
            tile_begin, entries, near = bin_motions(
                direction, batch.start, batch.delta, batch.tool, batch.flags, tools.sets, tools.extents, *grid
            )
            plan = (cut, batch.start, batch.delta, lengths, batch.tool, near, batch.tag, tools.sets, tools.extents,
                    tools.convex, tools.slabs)  # fmt: skip
        if not len(entries):
            return
        taken = np.zeros((len(entries), 4))
        taken[:, 2] = 1.0
        result = np.zeros((len(entries), SETS, FIELDS))
        met_stock = np.zeros(len(entries), np.bool_)
        busy = np.diff(tile_begin)
        active = np.flatnonzero((busy > 0) & np.isfinite(rays.tile_lo))
        active = active[np.argsort(-busy[active], kind="stable")]  # the heaviest first, so that no thread ends late
        resume = tile_begin[active].copy()
        while len(active):
            kernel: Any = plan[0]
            kernel(
                direction, active, resume, rays.tiles_u, tile_begin, entries, *plan[1:], lattice.origin, lattice.step,
                lattice.counts, rays.lo, rays.hi, rays.tag_lo, rays.tag_hi, rays.base, rays.capacity, rays.count,
                rays.tile_lo, rays.tile_hi, taken, met_stock, result,
            )  # fmt: skip
            full = resume < tile_begin[active + 1]
            active, resume = active[full], resume[full]
            rays.widen(active)
        a, b, _ = AXES_OF[direction]
        n = len(batch.start)
        rays.changed[np.searchsorted(tile_begin, np.flatnonzero(taken[:, 0] > 0.0), side="right") - 1] = True
        answer.taken += np.bincount(entries, taken[:, 0], n) * float(lattice.step[a] * lattice.step[b]) / len(self.rays)
        rows = _along(batch, direction)
        if rows.any():
            own = rows[entries]
            np.maximum.at(answer.stretch, entries[own], taken[own, 1])
            self._note_engaged(direction, batch, rows, tools, entries, taken, answer)
        met = np.flatnonzero(met_stock)  # nothing is told of any other
        told = result[met]
        for kind in TEST_KINDS:
            hit = np.flatnonzero(told[:, kind, 0] > 0)
            if not len(hit):
                continue
            motions = entries[met[hit]]
            np.maximum.at(shift[:, kind, 2 * direction], motions, told[hit, kind, 0])
            np.maximum.at(shift[:, kind, 2 * direction + 1], motions, told[hit, kind, 1])
            for motion, way, spot in zip(motions, told[hit, kind, FIRST], told[hit, kind, 3:6], strict=True):
                if way < first[motion, kind]:
                    first[motion, kind] = way
                    answer.place[motion, kind] = spot
