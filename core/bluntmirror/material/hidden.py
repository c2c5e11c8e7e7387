"""Details of a design that lie between the rays of all three families: a pin or a bore thinner than a cell in two directions.

A face is told of where a ray ends at it, or near it at one that looks about the same way. A wall thinner than a cell is: rays across it meet
it. So is a step lower than a cell, by what lies above and below. What is not, with faces that look at each other, is a detail whose loss, or
whose filling, no ray would notice.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import Mesh
from .hidden_kernel import SPAN, mark, unlike
from .stock import AXES_OF, Laid, Lattice

Floats = NDArray[np.float64]
ALIKE = 0.5  # the cosine of 60°
LEAST_CELLS = 0.25  # half as wide at least, in cells: what is thinner lies within what the grid tells anyway
MOST_CELLS = 1.5  # wide at most: beyond, rays stand in it
MOST_FACES = 1000  # of a detail that are held against each other
INWARDS = np.array([[1, 1, 1], [4, 1, 1], [1, 4, 1], [1, 1, 4]]) / np.array(
    [[3], [6], [6], [6]]
)  # places in a triangle


@dataclass(frozen=True)
class Hidden:
    """A detail that no ray tells of: a place of it (3,), grid frame, and about how wide it is, mm."""

    place: Floats
    width: float


def hidden(
    lattice: Lattice, design: Mesh, laid: Sequence[Laid], normals: Floats, gouge: float, excess: float
) -> list[Hidden]:
    """What of a design in the grid frame lies between all rays and is thick enough to be a gouge where it is lost, or wide enough to be
    material left where it is not made; the widest first."""
    boxes = -(-lattice.counts // SPAN)
    seen, met = np.zeros(boxes, np.uint32), np.zeros(len(design.faces), np.bool_)
    kind = _kinds(normals)
    for direction, of in enumerate(laid):
        u, v, w = AXES_OF[direction]
        mark(
            of.lo, of.hi, of.first, of.count, of.face_lo, of.face_hi, int(lattice.counts[u]), u, v, w, lattice.origin, lattice.step, kind, met,
            seen,
        )  # fmt: skip
    faces = np.flatnonzero(~met)
    if not len(faces):
        return []
    points = np.einsum("ki,fij->fkj", INWARDS, design.triangles[faces])
    none = np.zeros(len(faces) * len(INWARDS), np.bool_)
    unlike(
        points.reshape(-1, 3),
        np.repeat(kind[faces], len(INWARDS)),
        ALIKE_WAYS,
        lattice.origin,
        lattice.step,
        seen,
        none,
    )
    whole = none.reshape(len(faces), -1).all(axis=1)
    faces, points = faces[whole], points[whole, 0]
    inside = ((points > lattice.origin) & (points < lattice.origin + lattice.step * lattice.counts)).all(axis=1)
    faces, points = faces[inside], points[inside]
    if not len(faces):
        return []
    found = []
    least, most = (cells * float(lattice.step.max()) for cells in (LEAST_CELLS, MOST_CELLS))
    for rows in _connected(design.faces[faces]):
        rows = rows[:: 1 + len(rows) // MOST_FACES]
        n, at = normals[faces[rows]], points[rows]
        facing = n @ n.T
        other = np.argmin(facing, axis=1)  # of every face the one that looks at it, or away from it, most squarely
        across = np.einsum("ij,ij->i", at[other] - at, n)
        # Where all look about one way, or the two are far apart, it is a step, which what is above and below it tells of.
        squarely = (facing[np.arange(len(n)), other] < -ALIKE) & (np.abs(across) <= most)
        # Material lies between the two where the other is behind a face, room where it is before it.
        wide = squarely & (0.5 * np.abs(across) >= np.maximum(least, np.where(across < 0.0, gouge, excess)))
        if wide.any():
            widest = int(np.argmax(np.where(wide, np.abs(across), 0.0)))
            found.append(Hidden(at[widest], float(abs(across[widest]))))
    return sorted(found, key=lambda detail: -detail.width)


def _kinds(normals: Floats) -> NDArray[np.int64]:
    """Which of 26 directions each normal (n, 3) is next to."""
    most = np.maximum(np.abs(normals).max(axis=1, keepdims=True), 1e-12)
    rounded = np.round(normals / most).astype(np.int64) + 1
    return np.asarray(rounded @ [9, 3, 1])


def _alike() -> NDArray[np.uint32]:
    """Of each of these directions, as bits, those within 60° of it."""
    ways = np.array(np.meshgrid(*[[-1, 0, 1]] * 3, indexing="ij")).reshape(3, -1).T.astype(float)
    ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-12)
    return np.asarray(
        ((ways @ ways.T > ALIKE - 1e-9) * (1 << np.arange(len(ways), dtype=np.uint64))).sum(axis=1).astype(np.uint32)
    )


ALIKE_WAYS = _alike()


def _connected(faces: NDArray[np.int32]) -> list[NDArray[np.int64]]:
    """Rows of triangles (n, 3) that share vertices."""
    from scipy.sparse import coo_matrix  # only where something is hidden
    from scipy.sparse.csgraph import connected_components

    rows = np.repeat(np.arange(len(faces)), 3)
    _, vertex = np.unique(faces.reshape(-1), return_inverse=True)
    n = len(faces)
    links = coo_matrix((np.ones(len(rows)), (rows, n + vertex.reshape(-1))), shape=(n + vertex.max() + 1,) * 2)
    count, label = connected_components(links, directed=False)
    order = np.argsort(label[:n], kind="stable")
    return [part for part in np.split(order, np.searchsorted(label[:n][order], np.arange(1, count))) if len(part)]
