"""Bodies as contact sees them: triangles in a tree of boxes, and which pairs are to be checked."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.frames import Floats
from ..geometry.mesh import Mesh

LEAF = 2


@dataclass(frozen=True)
class BoxTree:
    """triangles (M, 3, 3) sorted by leaf; boxes (N, 6); nodes (N, 2), see `clearance_kernel.clearance`."""

    triangles: Floats
    boxes: Floats
    nodes: NDArray[np.int64]


def box_tree(mesh: Mesh) -> BoxTree:
    triangles = mesh.triangles
    low, high = triangles.min(axis=1), triangles.max(axis=1)
    middle = 0.5 * (low + high)
    boxes: list[Floats] = []
    nodes: list[list[int]] = []
    order: list[NDArray[np.int64]] = []
    placed = 0
    waiting: list[tuple[NDArray[np.int64], int, int]] = [(np.arange(len(triangles)), -1, 0)]
    while waiting:
        members, parent, side = waiting.pop()
        number = len(nodes)
        if parent >= 0:
            nodes[parent][side] = number
        boxes.append(np.concatenate([low[members].min(axis=0), high[members].max(axis=0)]))
        if len(members) <= LEAF:
            nodes.append([-placed - 1, len(members)])
            order.append(members)
            placed += len(members)
            continue
        nodes.append([0, 0])
        axis = int(np.argmax(np.ptp(middle[members], axis=0)))
        members = members[np.argsort(middle[members, axis], kind="stable")]
        half = len(members) // 2
        waiting.append((members[half:], number, 1))
        waiting.append((members[:half], number, 0))
    return BoxTree(np.ascontiguousarray(triangles[np.concatenate(order)]), np.array(boxes), np.array(nodes, np.int64))


@dataclass(frozen=True)
class Body:
    """A rigid thing: its solids in the frame of the link it is fixed to. `tool` is the number of the tool it is part of."""

    name: str
    link: str
    solids: tuple[Mesh, ...]
    tool: int = 0

    @property
    def label(self) -> str:
        return f"T{self.tool} {self.name}" if self.tool else self.name


def parting_shift(a: tuple[Mesh, ...], b: tuple[Mesh, ...], shift: Floats) -> float:
    """The shortest shift that parts b (moved by `shift`) from a, over the facet normals of both; 0 when apart.

    Exact for convex solids that meet face to face (the separating-axis theorem over face normals); for an edge across
    an edge and for solids with hollows it is an upper bound.
    """
    worst = 0.0
    for one in a:
        for other in b:
            normals = np.concatenate([_normals(one), _normals(other)])
            reach_a = one.vertices @ normals.T
            reach_b = (other.vertices + shift) @ normals.T
            overlap = reach_a.max(axis=0) - reach_b.min(axis=0)
            worst = max(worst, float(overlap.min()))
    return worst


def _normals(mesh: Mesh) -> Floats:
    a, b, c = np.moveaxis(mesh.triangles, 1, 0)
    normal = np.cross(b - a, c - a)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    return np.asarray(np.concatenate([np.unique(np.round(normal, 6), axis=0), -np.unique(np.round(normal, 6), axis=0)]))
