"""The machined stock beside what is asked of it: gouges, material left, loose pieces, and bodies that reach into it.

Differences are found ray by ray; each place found is then measured as the exact distance to the design's surface, so
that what is reported does not depend on the rays' directions. Cusps narrower than the grid lie between rays and are
seen lower than they are; the verdict names the grid.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from ..geometry.distance import Solid
from ..geometry.mesh import Mesh
from .compare_kernel import beyond, flatten, join_crossing, join_neighbours, missing, overlap
from .stock import AXES_OF, Rays, Stock, rays_of

Floats = NDArray[np.float64]
SPOT_CELLS = 3.0  # places nearer to each other than this many cells belong to one spot
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
        numbers, count = ndimage.label(grid, np.ones((3, 3, 3)))
        of_place = numbers[tuple(at.T)]
        order = np.argsort(of_place, kind="stable")
        groups = np.split(order, np.searchsorted(of_place[order], np.arange(2, count + 1)))
        return sorted((self.only(rows) for rows in groups), key=lambda spot: -float(spot.amount.max()))


def _laid(rays: Rays) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Slot of the first interval and count of every ray, in lattice order v·nu + u."""
    ray = np.arange(rays.nu * rays.nv)
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
    outside: float  # how far the design reaches outside the blank
    open_rays: int  # rays through the design that do not add up


def compare(stock: Stock, blank: Mesh, design: Mesh, gouge: float, excess: float) -> Comparison:
    """Compare the stock with a design (both in the grid frame); tolerances in mm."""
    solid = Solid.of(design)
    lattice = stock.lattice
    open_rays = 0
    found: dict[str, list[Places]] = {"gouge": [], "excess": []}
    for rays in stock.rays:
        d = rays.direction
        slot, count = _laid(rays)
        blank_lo, blank_hi, blank_count, _ = rays_of(blank, lattice, d)
        design_lo, design_hi, design_count, odd = rays_of(design, lattice, d)
        open_rays += odd
        ends = (rays.lo, rays.hi, rays.tag_lo, rays.tag_hi, slot, count, design_lo, design_hi, design_count)
        for name, least in (("gouge", gouge), ("excess", excess)):
            places, tags = np.zeros((0, 2)), np.zeros(0, np.int32)
            for fill in (False, True):
                if name == "gouge":
                    n = missing(*ends, blank_lo, blank_hi, blank_count, least, fill, places, tags)
                else:
                    n = beyond(*ends, least, fill, places, tags)
                if not fill:
                    places, tags = np.zeros((n, 2)), np.zeros(n, np.int32)
            points = _points(rays, places)
            distance = solid.distance(points)
            found[name].append(Places(points, -distance if name == "gouge" else distance, tags))
    both = {name: _joined(parts) for name, parts in found.items()}
    worst = {name: float(p.amount.max(initial=0.0)) for name, p in both.items()}
    gouges, left = both["gouge"], both["excess"]
    return Comparison(
        gouges.only(np.flatnonzero(gouges.amount > gouge)), left.only(np.flatnonzero(left.amount > excess)),
        max(0.0, worst["gouge"]), max(0.0, worst["excess"]),
        max(0.0, float(Solid.of(blank).distance(design.vertices).max())), open_rays,
    )  # fmt: skip


def _joined(parts: list[Places]) -> Places:
    return Places(
        np.concatenate([p.points for p in parts]), np.concatenate([p.amount for p in parts]),
        np.concatenate([p.tag for p in parts]),
    )  # fmt: skip


@dataclass(frozen=True)
class Piece:
    volume: float  # mm³
    centre: Floats  # grid frame
    tag: int  # the last motion that shaped it: the cut that freed it


def loose_pieces(stock: Stock) -> list[Piece]:
    """Pieces that hang together with the largest one nowhere, largest first. All three ray families have to agree:
    a web too thin for one family's rays is still seen by the others."""
    laid = [_laid(rays) for rays in stock.rays]
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
    volume = np.zeros((3, len(roots)))
    tag = np.full(len(roots), -1, np.int64)
    weighted = np.zeros((len(roots), 3))
    for rays, (slot, count), begin, total in zip(stock.rays, laid, first, totals, strict=True):
        a, b, _ = AXES_OF[rays.direction]
        piece = of_interval[begin : begin + total]
        ray = np.repeat(np.arange(len(count)), count)
        at = slot[ray] + np.arange(total) - np.repeat(np.cumsum(count) - count, count)
        length = rays.hi[at].astype(float) - rays.lo[at]
        np.add.at(volume[rays.direction], piece, length * lattice.step[a] * lattice.step[b])
        np.maximum.at(tag, piece, np.maximum(rays.tag_lo[at], rays.tag_hi[at]))
        if rays.direction == 2:
            middle = _points(rays, np.column_stack([ray, 0.5 * (rays.lo[at] + rays.hi[at])]))
            np.add.at(weighted, piece, middle * length[:, None])
    if not len(roots):
        return []
    least = volume.min(axis=0)
    cell = float(np.prod(lattice.step))
    main = int(np.argmax(volume.sum(axis=0)))
    area = float(lattice.step[0] * lattice.step[1])
    loose = [i for i in range(len(roots)) if i != main and least[i] > SLIVER_CELLS * cell]
    loose.sort(key=lambda i: -least[i])
    return [Piece(float(volume[2, i]), weighted[i] * area / volume[2, i], int(tag[i])) for i in loose]


def reach_into(stock: Stock, body: Mesh) -> tuple[float, Floats] | None:
    """How deep a body (grid frame) stands in the stock — the shortest shift along an axis that would part the two — and
    a place where they meet; None when they are apart on every ray."""
    low, high = body.bounds
    lattice = stock.lattice
    if (low > lattice.origin + lattice.step * lattice.counts).any() or (high < lattice.origin).any():
        return None
    shifts, place = [], None
    for rays in stock.rays:
        lo, hi, count, _ = rays_of(body, lattice, rays.direction)
        met, up, down, ray, w = overlap(rays.lo, rays.hi, *_laid(rays), lo, hi, count)
        if met:
            shifts += [up, down]
            place = _points(rays, np.array([[ray, w]]))[0]
    return (float(min(shifts)), place) if place is not None else None
