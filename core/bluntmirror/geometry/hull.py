"""Convex hulls and convex meshes. The libraries for hulls take long to load: they are asked where much is to be gained."""

from __future__ import annotations

import numpy as np

from .frames import Floats
from .mesh import Mesh

FEW = 3000  # points are gone through sooner than the library is loaded
FLAT = 1e-18  # of the determinant of n·nᵀ of unit normals: they turn out of their plane by 3e-5 rad
HAIR = 1e-7  # of its size: how far a corner may stand out over the face beside it


def outline(points: Floats) -> Floats:
    """The corners (m, 2) of the hull of points (n, 2), counter-clockwise. Raises ValueError where they lie in a line."""
    from shapely import Polygon, convex_hull, multipoints

    hull = convex_hull(multipoints(points))
    if not isinstance(hull, Polygon):
        raise ValueError("points in a line have no outline")
    found = np.asarray(hull.exterior.coords)[:-1]
    return found if hull.exterior.is_ccw else found[::-1]


def extremes(points: Floats) -> Floats:
    """Those of points (n, 3) among which the farthest in any direction is: of few all, of many the corners of their hull."""
    if len(points) <= FEW:
        return points
    from scipy.spatial import ConvexHull, QhullError

    try:
        return np.asarray(points[ConvexHull(points).vertices])
    except QhullError:  # in a plane
        return points


def corners(mesh: Mesh) -> Floats:
    """The corners (m, 3) of a convex mesh: its vertices but for those within a face or an edge, where all normals lie in a
    plane."""
    a, b, c = np.moveaxis(mesh.triangles, 1, 0)
    normal = np.cross(b - a, c - a)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    spread = np.zeros((len(mesh.vertices), 3, 3))
    for i in range(3):
        np.add.at(spread, mesh.faces[:, i], normal[:, :, None] * normal[:, None, :])
    return extremes(mesh.vertices[np.linalg.det(spread) > FLAT])


def is_convex(mesh: Mesh) -> bool:
    """Whether a closed mesh is its own convex hull, to a millionth of its volume."""
    if _bends_outwards(mesh):
        return True
    from scipy.spatial import ConvexHull, QhullError

    try:
        hull = ConvexHull(mesh.vertices)
    except QhullError:
        return False
    return bool(abs(mesh.volume - hull.volume) <= 1e-6 * hull.volume)


def _bends_outwards(mesh: Mesh) -> bool:
    """Whether a mesh is one closed surface without a hole that bends outwards at every edge, or not at all: then it is convex
    (a closed surface that is convex everywhere nearby is so as a whole: van Heijenoort, On locally convex manifolds, 1952)."""
    faces = mesh.faces.astype(np.int64)
    n, count = len(faces), len(mesh.vertices)
    ends = np.stack([faces, np.roll(faces, -1, axis=1)], axis=2).reshape(-1, 2)
    apex = np.roll(faces, -2, axis=1).reshape(-1)
    key, back = ends[:, 0] * count + ends[:, 1], ends[:, 1] * count + ends[:, 0]
    order = np.argsort(key)
    at = np.minimum(np.searchsorted(key[order], back), len(key) - 1) if len(key) else key
    other = order[at]
    if len(key) == 0 or len(np.unique(key)) != len(key) or (key[other] != back).any():
        return False  # open, or more than two faces at an edge
    if len(np.unique(faces)) - len(key) // 2 + n != 2:
        return False  # several pieces, or a handle (Euler)
    a, b, c = np.moveaxis(mesh.vertices[faces], 1, 0)
    normal = np.cross(b - a, c - a)
    length = np.linalg.norm(normal, axis=1)
    if (length == 0.0).any() or mesh.volume <= 0.0:
        return False
    normal /= length[:, None]
    face = np.repeat(np.arange(n), 3)
    over = np.einsum("ij,ij->i", normal[face], mesh.vertices[apex[other]] - a[face])
    return bool(over.max() <= HAIR * float(np.ptp(mesh.vertices, axis=0).max()))
