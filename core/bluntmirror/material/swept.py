"""Stock that turns about the grid's Z counts as the body it sweeps: rings, row by row of the grid.

row       a layer of the grid across Z, half-way up its cells
rings     what a body covers of a row's distances r from the axis, whatever its angle: intervals [r0, r1]

Two bodies of which one turns meet where their rings do. How deep is told by the shortest way out along r or along z.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import Mesh
from .stock import Lattice, Stock, rays_of

Floats = NDArray[np.float64]
HAIR_MM = 1e-4


@dataclass(frozen=True)
class Rings:
    """Intervals of r by row, ascending: row (n,), r0, r1 (n,), and where at r0 the body is, at (n, 2)."""

    row: NDArray[np.int64]
    r0: Floats
    r1: Floats
    at: Floats


def _rings(row: NDArray[np.int64], a: Floats, b: Floats, aside: Floats, swap: NDArray[np.bool_], weld: float) -> Rings:
    """From stretches a … b along X (or Y, `swap`) at `aside` from the axis; what overlaps within a row becomes one ring."""
    r_a, r_b = np.hypot(a, aside), np.hypot(b, aside)
    across = (a <= 0.0) & (b >= 0.0)
    r0 = np.where(across, np.abs(aside), np.minimum(r_a, r_b))
    r1 = np.maximum(r_a, r_b)
    along = np.where(across, 0.0, np.where(r_a <= r_b, a, b))
    at = np.column_stack([np.where(swap, aside, along), np.where(swap, along, aside)])
    order = np.lexsort((r0, row))
    row, r0, r1, at = row[order], r0[order], r1[order], at[order]
    if not len(row):
        return Rings(row, r0, r1, at)
    # The farthest reached so far within the row: one running maximum over all rows, each row lifted above the one before.
    lift = row * (float(r1.max()) + 1.0 + weld)
    reached = np.maximum.accumulate(r1 + lift) - lift
    begins = np.append(True, (row[1:] != row[:-1]) | (r0[1:] > reached[:-1] + weld))
    first = np.flatnonzero(begins)
    return Rings(row[first], r0[first], np.maximum.reduceat(r1, first), at[first])


def rings_of_stock(stock: Stock, centre: Floats, blank: Mesh) -> Rings:
    """The rings of a stock as it stands (grid frame), about the axis through `centre`. Where its outside is still that of
    the blank its edges are the blank's own, which may lie between the rays."""
    rows, a, b, aside, swap, uncut = [], [], [], [], [], []
    for rays, lateral, along in ((stock.rays[0], 1, 0), (stock.rays[1], 0, 1)):
        u, v, slot = rays.ends()
        rows.append(v)
        aside.append(stock.lattice.centres(lateral)[u] - centre[lateral])
        a.append(rays.lo[slot].astype(float) - centre[along])
        b.append(rays.hi[slot].astype(float) - centre[along])
        swap.append(np.full(len(u), along == 1))
        outer = np.abs(b[-1]) >= np.abs(a[-1])
        uncut.append(np.where(outer, rays.tag_hi[slot], rays.tag_lo[slot]) < 0)
    row, lo, hi, off = (np.concatenate(parts) for parts in (rows, a, b, aside))
    cell = float(np.hypot(*stock.lattice.step[:2]))
    rings = _rings(row, lo, hi, off, np.concatenate(swap), 0.5 * cell)
    outside = _outside(blank, centre, stock.lattice)
    far = np.maximum(np.hypot(lo, off), np.hypot(hi, off))
    intact = np.zeros(len(outside), np.bool_)
    intact[row[np.concatenate(uncut) & (outside[row] - far <= cell)]] = True
    r1 = np.where(
        intact[rings.row] & (outside[rings.row] - rings.r1 <= cell), np.maximum(rings.r1, outside[rings.row]), rings.r1
    )
    # Rays miss the axis: what begins beside it begins at it, but for a hole that the blank had from the start.
    r0 = np.maximum(np.where(rings.r0 <= cell, 0.0, rings.r0), _inside(blank, centre, stock.lattice)[rings.row])
    return Rings(rings.row, r0, np.maximum(r1, r0), rings.at)


def _outside(mesh: Mesh, centre: Floats, lattice: Lattice) -> Floats:
    """The greatest distance from the axis of a mesh's section in every row, 0 where a row has none."""
    heights = lattice.centres(2)
    found = np.zeros(len(heights))
    p = mesh.triangles
    for i in range(3):
        one, other = p[:, i] - centre, p[:, (i + 1) % 3] - centre
        low, high = np.minimum(one[:, 2], other[:, 2]), np.maximum(one[:, 2], other[:, 2])
        first = np.searchsorted(heights - centre[2], low, side="left")
        last = np.searchsorted(heights - centre[2], high, side="right")
        edge = np.repeat(np.arange(len(p)), np.maximum(last - first, 0))
        counts = np.maximum(last - first, 0)
        row = np.repeat(first, counts) + np.arange(len(edge)) - np.repeat(np.cumsum(counts) - counts, counts)
        way = other[edge, 2] - one[edge, 2]
        share = np.divide(heights[row] - centre[2] - one[edge, 2], way, out=np.zeros(len(edge)), where=way != 0)
        point = one[edge] + share[:, None] * (other[edge] - one[edge])
        np.maximum.at(found, row, np.hypot(point[:, 0], point[:, 1]))
        level = np.flatnonzero(
            (counts > 0) & (other[:, 2] == one[:, 2])
        )  # an edge that lies in a row: both its ends count
        np.maximum.at(found, first[level], np.hypot(other[level, 0], other[level, 1]))
    return found


def _inside(mesh: Mesh, centre: Floats, lattice: Lattice) -> Floats:
    """The least distance from the axis of a mesh's section in every row; 0 where the axis goes through it, or a row has none."""
    heights = lattice.centres(2) - centre[2]
    p = mesh.triangles - centre
    p = np.take_along_axis(p, np.argsort(p[:, :, 2], axis=1)[:, :, None], axis=1)
    first, last = (np.searchsorted(heights, p[:, i, 2], side="left") for i in (0, 2))
    of = np.repeat(np.arange(len(p)), last - first)
    row = np.arange(len(of)) + np.repeat(first - np.append(0, np.cumsum(last - first)[:-1]), last - first)
    low, middle, high = (p[of, i] for i in range(3))

    def crossing(a: Floats, b: Floats) -> Floats:
        way = b[:, 2] - a[:, 2]
        share = np.divide(heights[row] - a[:, 2], way, out=np.zeros(len(a)), where=way > 0)
        return np.asarray((a + share[:, None] * (b - a))[:, :2])

    above = (heights[row] >= middle[:, 2])[:, None]
    one, other = crossing(low, high), np.where(above, crossing(middle, high), crossing(low, middle))
    way = other - one
    square = np.einsum("ni,ni->n", way, way)
    share = np.clip(
        np.divide(-np.einsum("ni,ni->n", one, way), square, out=np.zeros(len(way)), where=square > 0), 0.0, 1.0
    )
    least = np.full(len(heights), np.inf)
    np.minimum.at(least, row, np.hypot(*(one + share[:, None] * way).T))
    # The axis goes through the section where a line from it crosses its edge an odd number of times.
    turns = (one[:, 1] <= 0.0) != (other[:, 1] <= 0.0)
    at = np.divide(-one[:, 1], way[:, 1], out=np.zeros(len(way)), where=way[:, 1] != 0.0)
    crossed = np.zeros(len(heights), np.int64)
    np.add.at(crossed, row[turns & (one[:, 0] + at * way[:, 0] > 0.0)], 1)
    return np.where((crossed % 2 == 1) | ~np.isfinite(least), 0.0, least)


def rings_of_body(body: Mesh, centre: Floats, lattice: Lattice, farthest: float) -> Rings:
    """The rings of a still body (grid frame) in the rows of a lattice, as far as `farthest` from the axis. A ray goes through
    the axis itself, so that a wall square to it is met at its true distance."""
    low, high = body.bounds
    step = lattice.step
    rows = []
    parts: list[tuple[Floats, Floats, Floats, bool]] = []
    first = np.maximum(np.floor((np.maximum(low[:2] - centre[:2], -farthest)) / step[:2] - 1.5), -1e7).astype(np.int64)
    last = np.ceil((np.minimum(high[:2] - centre[:2], farthest)) / step[:2] + 1.5).astype(np.int64)
    if (last <= first).any():
        nothing = np.zeros(0)
        return _rings(np.zeros(0, np.int64), nothing, nothing, nothing, np.zeros(0, np.bool_), 0.0)
    origin = np.array([*(centre[:2] + (first - 0.5) * step[:2]), lattice.origin[2]])
    own = Lattice(origin, step, np.array([*(last - first + 1), lattice.counts[2]], np.int64))
    for direction, lateral, along in ((0, 1, 0), (1, 0, 1)):
        laid = rays_of(body, own, direction)
        ray = np.repeat(np.arange(len(laid.count)), laid.count)
        width = int(own.counts[lateral])
        slot = (
            np.repeat(laid.first, laid.count)
            + np.arange(len(ray))
            - np.repeat(np.cumsum(laid.count) - laid.count, laid.count)
        )
        rows.append(ray // width)
        aside = own.centres(lateral)[ray % width] - centre[lateral]
        parts.append(
            (
                laid.lo[slot].astype(float) - centre[along],
                laid.hi[slot].astype(float) - centre[along],
                aside,
                along == 1,
            )
        )
    swap = np.concatenate([np.full(len(part[0]), part[3]) for part in parts])
    row, a, b, aside = np.concatenate(rows), *(np.concatenate([part[i] for part in parts]) for i in range(3))
    return _rings(row, a, b, aside, swap, 0.0)


def rings_meet(stock: Rings, body: Rings, lattice: Lattice, centre: Floats) -> tuple[float, Floats] | None:
    """How deep the rings of a body reach into those of a stock (mm, the shortest way out along r or z), and a place where
    they meet (grid frame); None where they are apart."""
    pairs = [
        (int(i), int(j))
        for row in np.intersect1d(stock.row, body.row)
        for i in range(*np.searchsorted(stock.row, [row, row + 1]))
        for j in range(*np.searchsorted(body.row, [row, row + 1]))
        if min(stock.r1[i], body.r1[j]) - max(stock.r0[i], body.r0[j]) > HAIR_MM
    ]
    if not pairs:
        return None
    one, other = np.array(pairs).T
    outwards = float((stock.r1[one] - body.r0[other]).max())
    inwards = float((body.r1[other] - stock.r0[one]).max())
    overlap = np.minimum(stock.r1[one], body.r1[other]) - np.maximum(stock.r0[one], body.r0[other])
    deepest = int(np.argmax(overlap))
    depth = min([outwards, inwards, *_along(stock, body, lattice)])
    row, near = int(stock.row[one[deepest]]), body.at[other[deepest]]
    return depth, np.array([centre[0] + near[0], centre[1] + near[1], lattice.centres(2)[row]])


def _along(stock: Rings, body: Rings, lattice: Lattice) -> list[float]:
    """The ways out along + and − z: by columns of r as wide as a cell."""
    cell, rows = float(lattice.step[:2].min()), int(lattice.counts[2])
    width = int(np.ceil(max(stock.r1.max(), body.r1.max()) / cell)) + 1
    filled = []
    for rings in (stock, body):
        grid = np.zeros((rows, width + 1), np.int32)
        np.add.at(grid, (rings.row, np.floor(rings.r0 / cell).astype(np.int64)), 1)
        np.add.at(grid, (rings.row, np.ceil(rings.r1 / cell - 1e-9).astype(np.int64)), -1)
        filled.append(np.cumsum(grid, axis=1) > 0)
    up = down = 0
    for column in np.flatnonzero((filled[0] & filled[1]).any(axis=0)):
        runs = [np.flatnonzero(np.diff(np.concatenate([[0], f[:, column].astype(np.int8), [0]]))) for f in filled]
        for a, b in zip(runs[0][::2], runs[0][1::2], strict=True):
            for c, d in zip(runs[1][::2], runs[1][1::2], strict=True):
                if min(b, d) > max(a, c):
                    up, down = max(up, int(b - c)), max(down, int(d - a))
    step = float(lattice.step[2])
    return [up * step, down * step]
