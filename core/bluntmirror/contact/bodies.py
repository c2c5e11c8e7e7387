"""Bodies as contact sees them: triangles in a tree of boxes, and which pairs are to be checked."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..geometry.frames import Floats
from ..geometry.mesh import Mesh


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
