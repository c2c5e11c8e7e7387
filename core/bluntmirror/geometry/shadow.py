"""What a body covers seen along a way, and what can meet it there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely import Polygon, convex_hull, intersects, multipoints, polygons

from .frames import Floats
from .mesh import Mesh


@dataclass(frozen=True)
class Shadow:
    """What a body covers seen along a way (3,), taken smaller by a hair, so that what it slides along flush is not in it."""

    mesh: Mesh
    way: Floats
    across: Floats  # (3, 2)
    covers: Polygon
    begins: float  # the least of its points along the way

    @staticmethod
    def of(mesh: Mesh, way: Floats, hair: float) -> Shadow:
        across = np.linalg.svd(way[None])[2][1:].T
        covers = convex_hull(multipoints(mesh.vertices @ across)).buffer(-hair)
        return Shadow(mesh, way, across, covers, float((mesh.vertices @ way).min()))

    def facing(self, other: Mesh) -> tuple[Mesh, Mesh] | None:
        """The faces of the body and of another in its frame that can meet while the first goes along its way; None where none can."""
        if self.covers.is_empty:
            return None
        flat = other.triangles @ self.across
        before = (other.triangles @ self.way).max(axis=1) > self.begins
        met = np.flatnonzero(before & _beside(flat, np.array(self.covers.bounds).reshape(2, 2)))
        met = met[intersects(convex_hull(polygons(flat[met])), self.covers)] if len(met) else met
        if not len(met):
            return None
        bounds = np.array([flat[met].min(axis=(0, 1)), flat[met].max(axis=(0, 1))])
        own = np.flatnonzero(_beside(self.mesh.triangles @ self.across, bounds))
        return Mesh(self.mesh.vertices, self.mesh.faces[own]), Mesh(other.vertices, other.faces[met])


def _beside(triangles: Floats, bounds: Floats) -> np.ndarray:
    """Which triangles (n, 3, 2) have boxes that reach into a box (2, 2)."""
    return np.asarray(((triangles.max(axis=1) >= bounds[0]) & (triangles.min(axis=1) <= bounds[1])).all(axis=1))
