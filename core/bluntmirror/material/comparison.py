"""The machined stock beside what is asked of it: gouges, material left, loose pieces, and bodies that reach into it.

Differences are found ray by ray; each place found is then measured as the exact distance to the design's surface, so
that what is reported does not depend on the rays' directions. Cusps narrower than the grid lie between rays and are
seen lower than they are; the verdict names the grid.
"""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..geometry.distance import Solid
from ..geometry.frames import apply, inverse
from ..geometry.mesh import Mesh
from .compare_kernel import beyond, flatten, join_crossing, join_neighbours, lacking, missing, overlap, untouched
from .hidden import Hidden, hidden
from .region import Region
from .sharp import edges_in
from .stock import AXES_OF, Laid, Lattice, Rays, Stock, rays_of
from .surface_kernel import BRICK

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
SPOT_CELLS = 3.0  # places nearer to each other than this many cells belong to one spot
HAIR_MM = 5e-4  # a difference below this is float noise of the rays
LEAST_LACKING_MM = 1e-3
MEASURED_AT_ONCE = 4096
EDGE_MM = 0.027  # of what rays tell: at an edge it cannot be more than 0.02 worse
MOST_AT_A_CORNER = 1.7320508  # √3: of three faces that are as far off as that
MOST_BRICKS = 512  # whose edges are looked at, the worst of them first
SLIVER_CELLS = 8.0  # a piece of less volume than this many cells is a sliver, not a loose piece


@dataclass(frozen=True)
class Places:
    """points (n, 3) in the grid frame; amount (n,), mm; tag (n,): the motion that made the surface there, or −1."""

    points: Floats
    amount: Floats
    tag: NDArray[np.int32]

    def __len__(self) -> int:
        return len(self.amount)

    def only(self, rows: NDArray) -> Places:
        return Places(self.points[rows], self.amount[rows], self.tag[rows])

    @property
    def worst(self) -> int:
        return int(np.argmax(self.amount))

    def spots(self, cell: float) -> list[Places]:
        """Places that lie together, the worst spot first."""
        if not len(self):
            return []
        at = np.floor((self.points - self.points.min(axis=0)) / (SPOT_CELLS * cell)).astype(np.int64)
        grid = np.zeros(at.max(axis=0) + 1, np.bool_)
        grid[tuple(at.T)] = True
        from scipy import ndimage  # only where there is something to group

        numbers, count = ndimage.label(grid, np.ones((3, 3, 3)))
        of_place = numbers[tuple(at.T)]
        order = np.argsort(of_place, kind="stable")
        groups = np.split(order, np.searchsorted(of_place[order], np.arange(2, count + 1)))
        return sorted((self.only(rows) for rows in groups), key=lambda spot: -float(spot.amount.max()))


def _thinned(lattice: Lattice, every: int) -> tuple[Lattice, int]:
    """A lattice of every so-manieth ray of another, on the very same lines, and the number of the first."""
    first = every // 2
    counts = np.maximum((lattice.counts - first + every - 1) // every, 1)
    origin = lattice.origin + (first + 0.5 - 0.5 * every) * lattice.step
    return Lattice(origin, every * lattice.step, counts), first


def slots_of(rays: Rays, of: NDArray[np.int64] | None = None) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Slot of the first interval and count of every ray, in lattice order v·nu + u; or of some rays."""
    ray = np.arange(rays.nu * rays.nv) if of is None else of
    u, v = ray % rays.nu, ray // rays.nu
    tile, local = (v // 16) * rays.tiles_u + u // 16, (v % 16) * 16 + u % 16
    return rays.base[tile] + local * rays.capacity[tile].astype(np.int64), rays.count[tile, local]


def _points(rays: Rays, places: Floats) -> Floats:
    a, b, w = AXES_OF[rays.direction]
    ray = places[:, 0].astype(np.int64)
    points = np.empty((len(places), 3))
    points[:, a] = rays.lattice.centres(a)[ray % rays.nu]
    points[:, b] = rays.lattice.centres(b)[ray // rays.nu]
    points[:, w] = places[:, 1]
    return points


@dataclass(frozen=True)
class Comparison:
    gouges: Places
    excess: Places
    gouge_max: float  # the deepest gouge and the most material left, within tolerance or not
    excess_max: float
    untouched: (
        Floats  # (faces of the design,) mm²: how much of each stands under stock beyond tolerance that nothing has cut
    )
    lacking: Places  # of the design, what the blank never had; amount: how far outside the blank
    open_rays: int  # rays through the design that do not add up
    solid: Solid  # the design, to be asked for distances
    hidden: list[Hidden]  # details of the design that no ray tells of


@dataclass(frozen=True)
class Prepared:
    """What a comparison needs of a design and a blank, whatever is cut: the design as a solid, and both laid on the rays of every family."""

    solid: Solid
    designs: list[Laid]
    blanks: list[Laid]
    normals: Floats  # of the design's faces (faces, 3)

    @staticmethod
    def of(lattice: Lattice, blank: Mesh, design: Mesh, solid: Solid | None = None) -> Prepared:
        """`solid`: of the design, where it is made already."""
        designs, blanks = (
            [rays_of(mesh, lattice, direction, mesh is design) for direction in range(3)] for mesh in (design, blank)
        )
        solid = solid or Solid.of(design)
        normals = np.empty((len(design.faces), 3))
        normals[solid.tree.order] = solid.normals[:, 0]
        return Prepared(solid, designs, blanks, normals)


def compare(
    stock: Stock, blank: Mesh, design: Mesh, gouge: float, excess: float, prepared: Prepared | None = None, nearly: float = 1.0,
    keen: Bools | None = None,
) -> Comparison:  # fmt: skip
    """Compare the stock with a design (both in the grid frame); tolerances in mm. Places are told down to such a share (`nearly`) of them.
    keen (motions,): of which motions' cutters nothing is rounded (None: of all)."""
    prepared = prepared or Prepared.of(stock.lattice, blank, design)
    solid = prepared.solid
    ends = [_ends(rays) for rays in stock.rays]
    parted = _parted(stock, ends, prepared)
    bare = np.zeros(len(prepared.normals))
    for rays in stock.rays:
        of_design = prepared.designs[rays.direction]
        a, b, w = AXES_OF[rays.direction]
        cell = float(stock.lattice.step[a] * stock.lattice.step[b])
        untouched(
            *ends[rays.direction], *_parts(of_design), of_design.face_lo, of_design.face_hi, np.abs(prepared.normals[:, w]), excess, cell, bare
        )  # fmt: skip
    gouges, gouge_max = _told(stock, parted["gouge"], solid, -1.0, gouge * nearly, keen)
    left, excess_max = _told(stock, parted["excess"], solid, 1.0, excess * nearly, keen)
    outside = Solid.of(blank)
    never, _ = _measured(parted["lacking"], outside, 1.0, max(gouge, LEAST_LACKING_MM))
    # Corners of the design may lie outside the blank between the rays, or beyond all of them.
    apart = outside.distance(design.vertices)
    corners = np.flatnonzero(apart > max(gouge, LEAST_LACKING_MM))
    never = joined_places(
        [never, Places(design.vertices[corners], apart[corners], np.full(len(corners), -1, np.int32))]
    )
    open_rays = sum(laid.odd for laid in prepared.designs)
    details = hidden(stock.lattice, design, prepared.designs, prepared.normals, gouge, excess)
    return Comparison(gouges, left, gouge_max, excess_max, bare, never, open_rays, solid, details)


def compare_within(
    region: Region, stock: Stock, prepared: Prepared, gouge: float, excess: float, keen: Bools | None
) -> tuple[Places, float, Places, float]:
    """Gouges and the deepest, excess and the most, in a region that is all there is of a stock."""
    designs, blanks = (
        [region.within(laid, rays) for laid, rays in zip(family, stock.rays, strict=True)]
        for family in (prepared.designs, prepared.blanks)
    )
    ends = [_ends(rays) for rays in stock.rays]
    parted = _parted(stock, ends, replace(prepared, designs=designs, blanks=blanks))
    gouges = _told(stock, parted["gouge"], prepared.solid, -1.0, gouge, keen, region)
    return *gouges, *_told(stock, parted["excess"], prepared.solid, 1.0, excess, keen, region)


def _ends(rays: Rays) -> tuple[NDArray[Any], ...]:
    return rays.lo, rays.hi, rays.tag_lo, rays.tag_hi, *slots_of(rays)


def _parts(laid: Laid) -> tuple[NDArray[Any], ...]:
    return laid.lo, laid.hi, laid.first, laid.count


def _parted(stock: Stock, ends_of: list[tuple[NDArray[Any], ...]], prepared: Prepared) -> dict[str, _Found]:
    """Where stock (`ends_of` its families), design and blank part on the rays of all families, by what that is called."""
    found: dict[str, list[_Found]] = {"gouge": [], "excess": [], "lacking": []}
    for rays in stock.rays:
        ends, parts = ends_of[rays.direction], _parts(prepared.designs[rays.direction])
        blanks = _parts(prepared.blanks[rays.direction])
        asks: list[tuple[str, Any, tuple[Any, ...]]] = [
            ("gouge", missing, (*ends, *parts, *blanks)), ("excess", beyond, (*ends, *parts)), ("lacking", lacking, (*parts, *blanks)),
        ]  # fmt: skip
        for name, kernel, arrays in asks:
            n = kernel(*arrays, HAIR_MM, False, np.zeros((0, 3)), np.zeros(0, np.int32))
            places, tags = np.zeros((n, 3)), np.full(n, -1, np.int32)
            kernel(*arrays, HAIR_MM, True, places, tags)
            found[name].append(_Found(_points(rays, places), places[:, 2], tags))
    return {name: _Found.joined(parts) for name, parts in found.items()}


def _told(
    stock: Stock,
    found: _Found,
    solid: Solid,
    sign: float,
    tolerance: float,
    keen: Bools | None,
    region: Region | None = None,
) -> tuple[Places, float]:
    """Places beyond a tolerance with the edges between them, and the greatest distance of all."""
    return _with_edges(stock, *_measured(found, solid, sign, tolerance), solid, sign, keen, region)


@dataclass(frozen=True)
class _Found:
    """Places where the rays part: points (n, 3), bounds of the distance there (n,), tags (n,)."""

    points: Floats
    bound: Floats
    tag: NDArray[np.int32]

    @staticmethod
    def joined(parts: list[_Found]) -> _Found:
        return _Found(*(np.concatenate([getattr(p, f) for p in parts]) for f in ("points", "bound", "tag")))


def _measured(found: _Found, solid: Solid, sign: float, tolerance: float) -> tuple[Places, float]:
    """The places beyond the tolerance, and the greatest distance of all, within it or not: a distance is no greater than its
    bound, so that of the others only those are measured which might be the greatest."""
    asked = np.flatnonzero(found.bound > tolerance)
    amount = sign * solid.distance(found.points[asked])
    worst = float(amount.max(initial=0.0))
    rest = np.flatnonzero(found.bound <= tolerance)
    rest = rest[np.argsort(-found.bound[rest], kind="stable")]
    for begin in range(0, len(rest), MEASURED_AT_ONCE):
        if found.bound[rest[begin]] <= worst:
            break
        rows = rest[begin : begin + MEASURED_AT_ONCE]
        worst = max(worst, float((sign * solid.distance(found.points[rows])).max()))
    beyond = amount > tolerance
    return Places(found.points[asked[beyond]], amount[beyond], found.tag[asked[beyond]]), worst


def _with_edges(
    stock: Stock,
    places: Places,
    worst: float,
    solid: Solid,
    sign: float,
    keen: Bools | None,
    region: Region | None = None,
) -> tuple[Places, float]:
    """The same with the edges and corners of the stock, which lie between the rays: at a square one the distance is up to √2 of what it is
    on its faces, at a corner √3. They only tell how bad a place is that the rays tell
    already, and by no more than that. In a region only where its surface is whole."""
    lattice = stock.lattice
    large = np.flatnonzero(places.amount > max(EDGE_MM, worst / MOST_AT_A_CORNER))
    if region is not None:
        large = large[region.holds(places.points[large], region.inner)]
    if not len(large):
        return places, worst
    at = np.floor((places.points[large] - lattice.origin) / (lattice.step * BRICK)).astype(np.int64)
    bricks, of = np.unique(at, axis=0, return_inverse=True)
    most = np.zeros(len(bricks))
    np.maximum.at(most, of.reshape(-1), places.amount[large])
    chosen = np.argsort(-most, kind="stable")[:MOST_BRICKS]
    edges = edges_in(stock, bricks[chosen], sign > 0.0, keen)
    faces = most[chosen][edges.row]
    amount = np.minimum(sign * solid.distance(edges.points), edges.outreach * faces)
    more = np.flatnonzero(amount > faces + HAIR_MM)
    if not len(more):
        return places, worst
    added = Places(edges.points[more], amount[more], edges.tag[more])
    return joined_places([places, added]), max(worst, float(added.amount.max()))


def joined_places(parts: list[Places]) -> Places:
    return Places(
        np.concatenate([p.points for p in parts]), np.concatenate([p.amount for p in parts]),
        np.concatenate([p.tag for p in parts]),
    )  # fmt: skip


@dataclass(frozen=True)
class Piece:
    volume: float  # mm³
    centre: Floats  # grid frame
    tag: int  # the last motion that shaped it: the cut that freed it


@dataclass(frozen=True)
class Components:
    """What of a stock hangs together. of (3 families): the component of every interval, in the order of `Rays.ends` by ray of the
    lattice; volume (3, n) mm³ by each family; tag (n,): the last motion that shaped each; centre (n, 3), grid frame; low, high (n,):
    how far each reaches along the grid's Z."""

    of: list[NDArray[np.int64]]
    volume: Floats
    tag: NDArray[np.int64]
    centre: Floats
    low: Floats
    high: Floats
    cell: float

    @property
    def main(self) -> int:
        return int(np.argmax(self.volume.sum(axis=0)))

    @property
    def loose(self) -> list[int]:
        """All but the largest, and but slivers; the largest first."""
        least = self.volume.min(axis=0)
        found = [i for i in range(len(least)) if i != self.main and least[i] > SLIVER_CELLS * self.cell]
        return sorted(found, key=lambda i: -least[i])


def _slots(rays: Rays) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Ray (lattice order) and slot of every interval."""
    slot, count = slots_of(rays)
    ray = np.repeat(np.arange(len(count)), count)
    return ray, slot[ray] + np.arange(len(ray)) - np.repeat(np.cumsum(count) - count, count)


def components(stock: Stock) -> Components:
    """What of a stock hangs together. All three ray families have to agree that two do not: a web too thin for one family's rays
    is still seen by the others."""
    laid = [slots_of(rays) for rays in stock.rays]
    numbers = [np.concatenate([[0], np.cumsum(count)[:-1]]).astype(np.int64) for _, count in laid]
    totals = [int(count.sum()) for _, count in laid]
    first = [0, totals[0], totals[0] + totals[1]]
    parent = np.arange(sum(totals))
    for rays, (slot, count), number, begin in zip(stock.rays, laid, numbers, first, strict=True):
        join_neighbours(parent, begin, rays.lo, rays.hi, slot, count, number, rays.nu, rays.nv)
    z, lattice = stock.rays[2], stock.lattice
    for lateral in (0, 1):
        rays, (slot, count) = stock.rays[lateral], laid[lateral]
        join_crossing(
            parent, first[2], z.lo, z.hi, *laid[2], numbers[2], z.nu, z.nv, first[lateral], rays.lo, rays.hi, slot, count,
            numbers[lateral], lateral, lattice.origin, lattice.step, lattice.counts,
        )  # fmt: skip
    flatten(parent)
    roots, of_interval = np.unique(parent, return_inverse=True)
    n = len(roots)
    volume, weighted = np.zeros((3, n)), np.zeros((n, 3))
    tag, low, high = np.full(n, -1, np.int64), np.full(n, np.inf), np.full(n, -np.inf)
    of = []
    for rays, begin, total in zip(stock.rays, first, totals, strict=True):
        a, b, _ = AXES_OF[rays.direction]
        piece = of_interval[begin : begin + total]
        of.append(piece)
        ray, at = _slots(rays)
        length = rays.hi[at].astype(float) - rays.lo[at]
        volume[rays.direction] = np.bincount(piece, length * lattice.step[a] * lattice.step[b], n)
        np.maximum.at(tag, piece, np.maximum(rays.tag_lo[at], rays.tag_hi[at]))
        if rays.direction == 2:
            middle = _points(rays, np.column_stack([ray, 0.5 * (rays.lo[at] + rays.hi[at])]))
            weighted = np.column_stack([np.bincount(piece, middle[:, i] * length, n) for i in range(3)])
            np.minimum.at(low, piece, rays.lo[at])
            np.maximum.at(high, piece, rays.hi[at])
    area = float(lattice.step[0] * lattice.step[1])
    centre = weighted * area / np.maximum(volume[2], 1e-12)[:, None]
    return Components(of, volume, tag, centre, low, high, float(np.prod(lattice.step)))


def _of_one_piece(rays: Rays) -> bool:
    """Whether a family's rays plainly hold one piece: each at most one stretch, all of them through one level, on rows that hang
    together. What another family holds besides no family agrees on. (Not plain of every stock of one piece.)"""
    slot, count = slots_of(rays)
    if count.max() > 1:
        return False
    held = count.reshape(rays.nv, rays.nu) > 0
    at = slot[count > 0]
    if not len(at) or rays.hi[at].min() <= rays.lo[at].max():
        return False
    rows = np.flatnonzero(held.any(axis=1))
    begins = held[:, 0].astype(np.int64) + (held[:, 1:] & ~held[:, :-1]).sum(axis=1)
    return bool(
        rows[-1] - rows[0] + 1 == len(rows)
        and (begins[rows] == 1).all()
        and (held[rows[1:]] & held[rows[:-1]]).any(axis=1).all()
    )


def loose_pieces(stock: Stock) -> list[Piece]:
    """Pieces that hang together with the largest one nowhere, largest first."""
    if not any(rays.count.any() for rays in stock.rays) or any(map(_of_one_piece, stock.rays)):
        return []
    found = components(stock)
    return [Piece(float(found.volume[2, i]), found.centre[i], int(found.tag[i])) for i in found.loose]


def separated(stock: Stock, found: Components, keep: set[int]) -> Stock:
    """Another stock on the same lattice that holds only some components of this one."""
    made = copy(stock)
    made.rays = []
    for rays, of in zip(stock.rays, found.of, strict=True):
        own = copy(rays)
        for name in rays.ARRAYS:
            setattr(own, name, getattr(rays, name).copy())
        own.free = {capacity: [*places] for capacity, places in rays.free.items()}
        ray, at = _slots(rays)
        kept = np.isin(of, list(keep))
        slot, _ = slots_of(rays)
        ray, at = ray[kept], at[kept]
        count = np.bincount(ray, minlength=len(slot))
        to = slot[ray] + np.arange(len(ray)) - np.repeat(np.cumsum(count) - count, count)
        for name in ("lo", "hi", "tag_lo", "tag_hi"):
            getattr(own, name)[to] = getattr(rays, name)[at]
        u, v = np.arange(len(slot)) % rays.nu, np.arange(len(slot)) // rays.nu
        own.count[(v // 16) * rays.tiles_u + u // 16, (v % 16) * 16 + u % 16] = count
        made.rays.append(own)
    return made


def clearance_from(stock: Stock, body: Solid, pose: Floats, bounds: Floats, within: float) -> float:
    """How near a body in a pose (4, 4; grid frame) comes to the surface of a stock that it does not touch, as far as the ray
    ends tell it; `within` where it is farther off than that. bounds (2, 3): of the body in its own frame."""
    corners = apply(pose, np.array(np.meshgrid(*bounds.T)).T.reshape(-1, 3))
    low, high = corners.min(axis=0) - within, corners.max(axis=0) + within
    least = within
    for rays in stock.rays:
        a, b, w = AXES_OF[rays.direction]
        u, v, slot = rays.ends()
        one, other = rays.lattice.centres(a)[u], rays.lattice.centres(b)[v]
        near = np.flatnonzero((one >= low[a]) & (one <= high[a]) & (other >= low[b]) & (other <= high[b]))
        for ends in (rays.lo, rays.hi):
            along = ends[slot[near]].astype(float)
            kept = near[(along >= low[w]) & (along <= high[w])]
            if len(kept):
                points = np.empty((len(kept), 3))
                points[:, a], points[:, b], points[:, w] = one[kept], other[kept], ends[slot[kept]]
                least = min(least, float(body.distance(apply(inverse(pose), points), reach=within).min()))
    return max(least, 0.0)


def reach_into(stock: Stock, body: Mesh, every: int = 1) -> tuple[float, Floats] | None:
    """How deep a body (grid frame) stands in the stock — the shortest shift along an axis that would part the two — and
    a place where they meet; None when they are apart on every ray. `every`: only so many rays are asked, row by row and in each row:
    what they tell is true, but may be less than the whole."""
    low, high = body.bounds
    lattice = stock.lattice
    if (low > lattice.origin + lattice.step * lattice.counts).any() or (high < lattice.origin).any():
        return None
    shifts, place = [], None
    asked, first = (lattice, 0) if every == 1 else _thinned(lattice, every)
    for rays in stock.rays:
        laid = rays_of(body, asked, rays.direction)
        through = np.flatnonzero(laid.count)
        a, _, _ = AXES_OF[rays.direction]
        row, column = np.divmod(through, asked.counts[a])
        own = (row * every + first) * rays.nu + column * every + first  # the same rays in the stock's own lattice
        met, up, down, ray, w = overlap(
            rays.lo, rays.hi, *slots_of(rays, own), laid.lo, laid.hi, laid.first[through], laid.count[through]
        )
        if met:
            shifts += [up, down]
            place = _points(rays, np.array([[own[ray], w]]))[0]
    return (float(min(shifts)), place) if place is not None else None
