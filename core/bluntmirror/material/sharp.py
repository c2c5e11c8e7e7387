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
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import Mesh
from .film import Film
from .sharp_kernel import (
    ACROSS,
    GUESSED,
    KNOWN,
    LENT,
    PAD,
    edges_of,
    lend_planes,
    normals,
    number_cells,
    outreach,
    solve,
    split,
)
from .stock import Stock
from .surface_kernel import BRICK

# `sharp` of an edge at which the surface turns by 30° (tan² of half of that): where it turns less it stands no more than 4 % farther out than its faces.
SURE = 0.07
SQUARE = 0.7  # the same at 80°


def sharp_mesh(film: Film) -> Mesh:
    """The stock as it stands, in the grid's frame."""
    return sharp_surface(film)[0]


def sharp_surface(film: Film) -> tuple[Mesh, NDArray[np.int32]]:
    """The same, and the tag of each of its faces: the motion that cut it."""
    found = _solved(film, film.latest(), GUESSED)
    if found is None:
        mesh = film.final_mesh()
        return mesh, np.full(len(mesh.faces), -1, np.int32)
    faces = np.empty((2 * len(found.quads), 3), np.int32)
    split(found.quads, found.axis, found.place, found.vertices, found.sharp, faces)
    return Mesh(found.vertices, faces), np.repeat(found.tag, 2).astype(np.int32)


@dataclass(frozen=True)
class Edges:
    """Vertices where faces meet: points (n, 3), tag (n,) of a motion that cut beside each, row (n,) of the brick it lies in, and outreach
    (n,), how many times farther out it can stand than its faces."""

    points: NDArray[np.float64]
    tag: NDArray[np.int32]
    row: NDArray[np.int64]
    outreach: NDArray[np.float64]


def edges_in(stock: Stock, bricks: NDArray[np.int64], outer: bool, keen: NDArray[np.bool_] | None = None) -> Edges:
    """The edges and corners of a stock in some bricks (n, 3) of the grid, where its surface turns by 30° and more and the faces beside
    are wide enough to tell how they lie.

    Where two cuts meet they leave an outer edge, and it is sharp. An inner one is as sharp as the cutter that left it; keen (motions,): of
    which motions' cutters nothing is rounded (None: of all). A rounding narrower than a cell looks like an edge and is none: of what the
    others left there is none told, and of what no motion cut those about square between flat faces.
    """
    film = Film(stock, False)
    beside = np.array(np.meshgrid(*[[-1, 0, 1]] * 3)).T.reshape(-1, 3)
    asked = np.unique((bricks[:, None] + beside).reshape(-1, 3), axis=0)  # slopes are told by crossings beside
    asked = asked[((asked >= 0) & (asked < np.array(film.shape))).all(axis=1)]
    found = _solved(film, film.of(asked), ACROSS)
    if found is None:
        return Edges(np.zeros((0, 3)), np.zeros(0, np.int32), np.zeros(0, np.int64), np.zeros(0))
    n = len(found.vertices)
    least, tags, factor = np.full(n, LENT, np.int8), np.full(n, -1, np.int32), np.empty(n)
    np.minimum.at(least, found.quads.reshape(-1), np.repeat(found.trust, 4))
    tags[found.quads.reshape(-1)] = np.repeat(found.tag, 4)
    outreach(found.quads, found.normal, factor)
    at = np.floor((found.vertices - stock.lattice.origin) / (stock.lattice.step * BRICK)).astype(np.int64)
    numbers = [(rows[:, 2] * film.shape[1] + rows[:, 1]) * film.shape[0] + rows[:, 0] for rows in (bricks, at)]
    order = np.argsort(numbers[0])
    row = order[np.minimum(np.searchsorted(numbers[0][order], numbers[1]), len(order) - 1)]
    good = (found.sharp > SURE) & (least >= ACROSS)
    if not outer and keen is not None:
        own = _is_keen(found.tag, keen)
        # Vertices that keen cutters alone left, and those that they left together with the blank's own faces.
        cut, whole = (
            np.bincount(found.quads[others].reshape(-1), minlength=n) == 0 for others in (~own, ~own & (found.tag >= 0))
        )
        good &= cut | (whole & (least >= KNOWN) & (found.sharp > SQUARE))
    kept = np.flatnonzero(good & (numbers[0][row] == numbers[1]))
    return Edges(found.vertices[kept], tags[kept], row[kept], factor[kept])


def _is_keen(tag: NDArray[np.int32], keen: NDArray[np.bool_]) -> NDArray[np.bool_]:
    inside = (tag >= 0) & (tag < len(keen))
    return inside & keen[np.where(inside, tag, 0)] if len(keen) else inside


@dataclass(frozen=True)
class _Solved:
    """Vertices (m, 3) with how sharp each is (m,); of every crossing the cells around it (n, 4), its axis, place (n, 3), tag, unit normal
    (n, 3) and how that is known."""

    vertices: NDArray[np.float64]
    sharp: NDArray[np.float64]
    quads: NDArray[np.int64]
    axis: NDArray[np.int64]
    place: NDArray[np.float64]
    tag: NDArray[np.int32]
    normal: NDArray[np.float64]
    trust: NDArray[np.int8]


def _solved(film: Film, surfaces: Iterable[tuple[NDArray, NDArray, NDArray, NDArray]], believed: int) -> _Solved | None:
    """The surfaces of some bricks; planes are taken at their word from a trust of `believed` on."""
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
    solve(quads, axis, place, normal, trust, lattice.step, believed, vertices, sharp)
    return _Solved(vertices, sharp, quads, axis, place, tag, normal, trust)


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
