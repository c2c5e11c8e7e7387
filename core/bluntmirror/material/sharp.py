"""The stock's surface with its edges and corners, for export: the film's rounds them off by up to half a cell.

Where the surface crosses an edge of the lattice its place is exact, and its slope follows from the crossings beside it that the
same cut made: from the side on which they go on straight. Where no side does, a plane nearby on which the crossing lies tells it.
The vertex of a cell is the point that all planes through the cell's crossings come nearest to (a quadratic error function: Ju,
Losasso, Schaefer and Warren, Dual contouring of Hermite data, 2002): on a face some point of it, on an edge or in a corner that
edge or corner itself.

    crossing   (axis, node): the lattice edge it lies on, by its lower node; `sign` +1 where stock lies below it
    cell       between eight nodes; its crossings lie on its twelve edges
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import Mesh
from .film import Film
from .sharp_kernel import KNOWN, PAD, edges_of, lend_planes, normals, number_cells, solve, split
from .stock import Stock
from .surface_kernel import BRICK

SURE = 0.7  # `sharp` of an edge at which the surface turns by 80° (tan² of half of that); round faces come to no more than 0.6


def sharp_mesh(film: Film) -> Mesh:
    """The stock as it stands, in the grid's frame."""
    return sharp_surface(film)[0]


def sharp_surface(film: Film) -> tuple[Mesh, NDArray[np.int32]]:
    """The same, and the tag of each of its faces: the motion that cut it."""
    found = _solved(film, film.latest())
    if found is None:
        mesh = film.final_mesh()
        return mesh, np.full(len(mesh.faces), -1, np.int32)
    vertices, sharp, quads, axis, place, tag, _ = found
    faces = np.empty((2 * len(quads), 3), np.int32)
    split(quads, axis, place, vertices, sharp, faces)
    return Mesh(vertices, faces), np.repeat(tag, 2).astype(np.int32)


def edge_points(
    stock: Stock, bricks: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.int32], NDArray[np.int64]]:
    """The vertices of a stock's edges and corners, about square or sharper, where flat faces meet, in some bricks (n, 3) of the grid: places (k, 3), the motion
    that cut beside each (k,), and the row of its brick (k,)."""
    film = Film(stock, False)
    beside = np.array(np.meshgrid(*[[-1, 0, 1]] * 3)).T.reshape(-1, 3)
    asked = np.unique((bricks[:, None] + beside).reshape(-1, 3), axis=0)  # slopes are told by crossings beside
    asked = asked[((asked >= 0) & (asked < np.array(film.shape))).all(axis=1)]
    found = _solved(film, film.of(asked))
    if found is None:
        return np.zeros((0, 3)), np.zeros(0, np.int32), np.zeros(0, np.int64)
    vertices, sharp, quads, _, _, tag, trust = found
    least = np.full(len(vertices), KNOWN, np.int8)
    np.minimum.at(least, quads.reshape(-1), np.repeat(trust, 4))
    tags = np.full(len(vertices), -1, np.int32)
    tags[quads.reshape(-1)] = np.repeat(tag, 4)
    at = np.floor((vertices - stock.lattice.origin) / (stock.lattice.step * BRICK)).astype(np.int64)
    numbers = [(rows[:, 2] * film.shape[1] + rows[:, 1]) * film.shape[0] + rows[:, 0] for rows in (bricks, at)]
    order = np.argsort(numbers[0])
    row = order[np.minimum(np.searchsorted(numbers[0][order], numbers[1]), len(order) - 1)]
    kept = np.flatnonzero((sharp > SURE) & (least >= KNOWN) & (numbers[0][row] == numbers[1]))
    return vertices[kept], tags[kept], row[kept]


def _solved(film: Film, surfaces: Iterable[tuple[NDArray, NDArray, NDArray, NDArray]]) -> tuple[NDArray, ...] | None:
    """Vertices, how sharp each is, the cells of every crossing, its axis, place, tag and how its plane is known, of the surfaces of some
    bricks."""
    lattice = film.stock.lattice
    parts = [_crossings(film, *brick) for brick in surfaces]
    if not parts:
        return None
    axis, node, sign, tag, place = (np.concatenate(columns) for columns in zip(*parts, strict=True))
    n, shape = len(axis), lattice.counts + 2 * PAD
    keys, rows = _table(2 * n)
    normal, trust = np.zeros((n, 3)), np.zeros(n, np.int8)
    normals(axis, node, sign, tag, place, lattice.step, shape, keys, rows, normal, trust)
    lend_planes(axis, node, sign, tag, place, lattice.step, shape, keys, rows, normal, trust)
    keys, rows = _table(8 * n)
    quads = np.empty((n, 4), np.int64)
    vertices = np.empty((number_cells(axis, node, shape, keys, rows, quads, sign), 3))
    sharp = np.zeros(len(vertices))
    solve(quads, axis, place, normal, trust, lattice.step, vertices, sharp)
    return vertices, sharp, quads, axis, place, tag, trust


def _crossings(
    film: Film, vertices: np.ndarray, quads: np.ndarray, tags: np.ndarray, places: np.ndarray
) -> tuple[np.ndarray, ...]:
    """Axis, lower node, sign, tag and place of the crossings of one brick."""
    lattice, n = film.stock.lattice, len(quads)
    axis, node, sign = np.empty(n, np.int64), np.empty((n, 3), np.int64), np.empty(n, np.int64)
    edges_of(vertices, quads, places, lattice.origin, lattice.step, axis, node, sign)
    return axis, node, sign, tags, places


def _table(least: int) -> tuple[np.ndarray, np.ndarray]:
    """An empty table with room for more than `least` rows."""
    size = 1 << int(least).bit_length()
    return np.full(size, -1, np.int64), np.zeros(size, np.int64)
