"""The stock's surface with its edges and corners, for export: the film's rounds them off by up to half a cell.

Where the surface crosses an edge of the lattice its place is exact, and its slope follows from the crossings beside it that the
same cut made. The vertex of a cell is the point that all planes through the cell's crossings come nearest to (a quadratic error
function: Ju, Losasso, Schaefer and Warren, Dual contouring of Hermite data, 2002): on a face some point of it, on an edge or
in a corner that edge or corner itself.

    crossing   (axis, u, v, w): the lattice edge it lies on, by its lower node; `sign` +1 where stock lies below it
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import Mesh
from .film import Film
from .stock import AXES_OF, Lattice

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

# How many cells along its ray a neighbour's crossing may lie off: steeper is another family's to tell.
BESIDE = (0, 1, -1, 2, -2)
FLAT = 0.05  # share of the greatest eigenvalue below which planes do not fix a direction
OFF_CELLS = 1.0  # a vertex farther than this from the mean of its crossings is not believed


@dataclass(frozen=True)
class _Crossings:
    axis: Ints
    node: Ints  # (n, 3): lower node of the edge
    sign: Ints
    tag: Ints
    place: Floats  # (n, 3)


def sharp_mesh(film: Film) -> Mesh:
    """The stock as it stands, in the grid's frame."""
    vertices, quads, crossings = _surface(film)
    if not len(quads):
        return film.final_mesh()
    lattice = film.stock.lattice
    normal = _normals(crossings, lattice)
    rows = quads.reshape(-1)
    of = np.repeat(np.arange(len(quads)), 4)
    n = len(vertices)
    count = np.bincount(rows, minlength=n)
    mean = np.column_stack([np.bincount(rows, crossings.place[of, i], n) for i in range(3)]) / count[:, None]
    away = crossings.place[of] - mean[rows]
    height = np.einsum("ij,ij->i", normal[of], away)
    matrix, right = np.zeros((n, 3, 3)), np.zeros((n, 3))
    for i in range(3):
        right[:, i] = np.bincount(rows, normal[of, i] * height, n)
        for j in range(i, 3):
            matrix[:, i, j] = matrix[:, j, i] = np.bincount(rows, normal[of, i] * normal[of, j], n)
    value, vector = np.linalg.eigh(matrix)
    fixed = value > FLAT * value[:, 2:]
    inverse = np.where(fixed, 1.0 / np.where(fixed, value, 1.0), 0.0)
    shift = np.einsum("nij,nj,nkj,nk->ni", vector, inverse, vector, right)
    believed = (np.abs(shift) <= OFF_CELLS * lattice.step).all(axis=1)
    made = np.where(believed[:, None], mean + shift, mean)
    faces = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    return Mesh(made, faces.astype(np.int32))


def _surface(film: Film) -> tuple[Floats, Ints, _Crossings]:
    """The film's latest bricks as one surface: vertices, quads, and the crossing behind each quad."""
    lattice = film.stock.lattice
    points, quads, tags, places, total = (
        [np.zeros((0, 3))],
        [np.zeros((0, 4), np.int64)],
        [np.zeros(0, np.int64)],
        [np.zeros((0, 3))],
        0,
    )
    for vertices, own, tag, place in film.latest():
        points.append(vertices.astype(float))
        quads.append(own.astype(np.int64) + total)
        tags.append(tag.astype(np.int64))
        places.append(place)
        total += len(vertices)
    unique, back = _distinct(np.concatenate(points))
    quad, place = back[np.concatenate(quads)], np.concatenate(places)
    a, b, c, d = (unique[quad[:, i]] for i in range(4))
    facing = np.cross(c - a, d - b)
    cells = (place - lattice.origin) / lattice.step - 0.5
    off = np.abs(cells - np.round(cells))
    # The edge's own direction is the one along which its crossing does not stand on a node; where it does, the quad faces it.
    axis = np.where(
        off.max(axis=1) > 1e-6,
        np.argmax(off, axis=1),
        np.argmax(np.abs(facing) / np.maximum(lattice.step, 1e-12), axis=1),
    )
    rows = np.arange(len(quad))
    node = np.round(cells).astype(np.int64)
    node[rows, axis] = np.floor(cells[rows, axis] - 1e-9).astype(np.int64)
    sign = np.where(facing[rows, axis] >= 0, 1, -1)
    return unique, quad, _Crossings(axis, node, sign, np.concatenate(tags), place)


def _distinct(points: Floats) -> tuple[Floats, Ints]:
    """The distinct points (m, 3), and which of them each one is: what `np.unique` tells of rows, in a third of its time."""
    order = np.lexsort(points.T[::-1])
    ranked = points[order]
    new = np.ones(len(points), np.bool_)
    new[1:] = (ranked[1:] != ranked[:-1]).any(axis=1)
    back = np.empty(len(points), np.int64)
    back[order] = np.cumsum(new) - 1
    return ranked[new], back


def _normals(crossings: _Crossings, lattice: Lattice) -> Floats:
    """Unit normals (n, 3) at the crossings, outwards."""
    shape = lattice.counts + 4
    node = crossings.node + 2
    key = (((crossings.axis * 2 + (crossings.sign > 0)) * shape[0] + node[:, 0]) * shape[1] + node[:, 1]) * shape[
        2
    ] + node[:, 2]
    order = np.argsort(key, kind="stable")
    known = key[order]
    along = crossings.place[np.arange(len(key)), crossings.axis]
    strides = np.array([shape[1] * shape[2], shape[2], 1])
    steps = lattice.step

    def beside(axis: Ints, lateral: Ints, way: int) -> tuple[Floats, NDArray[np.bool_]]:
        """Where the neighbour `way` cells along a lateral direction crosses its ray, and whether it has one of the same cut."""
        value, found = np.zeros(len(key)), np.zeros(len(key), np.bool_)
        left = np.arange(len(key))
        for off in BESIDE:
            wanted = key[left] + way * strides[lateral[left]] + off * strides[axis[left]]
            at = np.minimum(np.searchsorted(known, wanted), len(known) - 1)
            other = order[at]
            fits = (known[at] == wanted) & (crossings.tag[other] == crossings.tag[left])
            value[left[fits]], found[left[fits]] = along[other[fits]], True
            left = left[~fits]
        return value, found

    normal = np.zeros((len(key), 3))
    rows = np.arange(len(key))
    normal[rows, crossings.axis] = 1.0
    laterals = np.array([AXES_OF[axis][:2] for axis in range(3)])
    for which in range(2):
        lateral = laterals[crossings.axis, which]
        at = {way: beside(crossings.axis, lateral, way) for way in (-2, -1, 1, 2)}
        slopes, bends = {}, {}
        for side in (-1, 1):
            (one, has_one), (two, has_two) = at[side], at[2 * side]
            slopes[side] = np.where(has_one, side * (one - along), 0.0)
            # The side on which the surface goes on straight is the one to believe; a lone neighbour is better than none.
            bends[side] = np.where(has_one, np.where(has_two, np.abs(two - 2 * one + along), 1e3), 1e6)
        both = at[-1][1] & at[1][1] & (np.abs(slopes[1] - slopes[-1]) <= np.minimum(bends[-1], bends[1]) + 1e-6)
        slope = np.where(both, 0.5 * (slopes[-1] + slopes[1]), np.where(bends[-1] <= bends[1], slopes[-1], slopes[1]))
        normal[rows, lateral] = -slope / steps[lateral]
    normal *= crossings.sign[:, None]
    return np.asarray(normal / np.linalg.norm(normal, axis=1, keepdims=True))
