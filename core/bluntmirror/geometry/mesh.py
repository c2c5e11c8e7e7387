"""Triangle meshes, and the shapes that a job can name, as meshes.

tolerance   how far a facet may stand off the round surface it stands for, in mm
closed      every edge is run through as often one way as the other, so inside and outside are defined
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from .frames import Floats, apply

FACET_TOLERANCE_MM = 0.01


@dataclass(frozen=True)
class Mesh:
    vertices: Floats  # (N, 3), mm
    faces: NDArray[np.int32]  # (M, 3), counter-clockwise seen from outside

    def moved(self, matrix: Floats) -> Mesh:
        return Mesh(apply(matrix, self.vertices), self.faces)

    @property
    def triangles(self) -> Floats:
        return self.vertices[self.faces]

    @property
    def bounds(self) -> Floats:
        return np.array([self.vertices.min(axis=0), self.vertices.max(axis=0)])

    @property
    def volume(self) -> float:
        """Signed volume in mm³ by the divergence theorem; meaningful for closed meshes."""
        a, b, c = np.moveaxis(self.triangles - self.vertices.mean(axis=0), 1, 0)
        return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6.0)

    @property
    def closed(self) -> bool:
        edges = np.concatenate([self.faces[:, [0, 1]], self.faces[:, [1, 2]], self.faces[:, [2, 0]]])
        forward, counts = np.unique(edges, axis=0, return_counts=True)
        backward, counts_back = np.unique(edges[:, ::-1], axis=0, return_counts=True)
        same = forward.shape == backward.shape and (forward == backward).all()
        return bool(same and (counts == counts_back).all())


def joined(meshes: Sequence[Mesh]) -> Mesh:
    if len(meshes) == 1:
        return meshes[0]
    starts = np.cumsum([0] + [len(m.vertices) for m in meshes[:-1]])
    return Mesh(
        np.concatenate([m.vertices for m in meshes]),
        np.concatenate([m.faces + s for m, s in zip(meshes, starts, strict=True)]).astype(np.int32),
    )


def box(size: Sequence[float]) -> Mesh:
    """A box centred on the origin."""
    corners = np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (-0.5, 0.5)]) * np.asarray(size)
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    faces = [t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))]
    return Mesh(corners, np.array(faces, np.int32))


def segments_for(radius: float, tolerance: float = FACET_TOLERANCE_MM) -> int:
    """How many facets keep a circle within the tolerance.

    A facet's sagitta is r·(1 − cos(π/n)); a multiple of four, so that the quadrant points lie on the polygon.
    """
    if radius <= tolerance:
        return 12
    steps = math.pi / math.acos(1.0 - tolerance / radius)
    return int(min(720, max(12, 4 * math.ceil(steps / 4.0))))


def revolve(
    profile: Sequence[Sequence[float]], tolerance: float = FACET_TOLERANCE_MM, facets: int | None = None
) -> Mesh:
    """A closed profile [[r, z], …] turned about Z, with as many facets around as the tolerance asks for, or as told.

    Raises ValueError when a radius is negative or the profile has no area.
    """
    points = np.asarray(profile, float)
    if len(points) > 1 and np.allclose(points[0], points[-1]):
        points = points[:-1]
    if len(points) < 3:
        raise ValueError("a profile needs at least three points")
    if (points[:, 0] < -1e-9).any():
        raise ValueError("a profile's radii must not be negative")
    points[:, 0] = np.maximum(points[:, 0], 0.0)
    r, z = points.T
    area = 0.5 * float(np.sum(r * np.roll(z, -1) - np.roll(r, -1) * z))
    if abs(area) < 1e-12:
        raise ValueError("the profile encloses no area")
    if area < 0:
        points = points[::-1]
    count = facets or segments_for(float(points[:, 0].max()), tolerance)
    # Facets straddle the circle so that every cross-section keeps its area: ½·n·R²·sin(2π/n) = π·r².
    swell = math.sqrt(2.0 * math.pi / (count * math.sin(2.0 * math.pi / count)))
    angles = 2.0 * np.pi * np.arange(count) / count
    on_axis = points[:, 0] < 1e-9
    vertices: list[Floats] = []
    first: list[int] = []
    total = 0
    for (radius, height), axial in zip(points, on_axis, strict=True):
        first.append(total)
        if axial:
            vertices.append(np.array([[0.0, 0.0, height]]))
            total += 1
        else:
            ring = np.stack([swell * radius * np.cos(angles), swell * radius * np.sin(angles)], axis=1)
            vertices.append(np.column_stack([ring, np.full(count, height)]))
            total += count
    faces: list[NDArray[np.int32]] = []
    step = np.arange(count)
    after = (step + 1) % count
    for i in range(len(points)):
        j = (i + 1) % len(points)
        a, b = first[i], first[j]
        if on_axis[i] and on_axis[j]:
            continue
        if not on_axis[i]:
            top = np.full(count, b) if on_axis[j] else b + step
            faces.append(np.column_stack([a + step, a + after, top]).astype(np.int32))
        if not on_axis[j]:
            low = np.full(count, a) if on_axis[i] else a + after
            faces.append(np.column_stack([low, b + after, b + step]).astype(np.int32))
    return Mesh(np.concatenate(vertices), np.concatenate(faces))


def cylinder(diameter: float, length: float) -> Mesh:
    """A cylinder along Z, centred on the origin."""
    r, h = diameter / 2.0, length / 2.0
    return revolve([[0, -h], [r, -h], [r, h], [0, h]])


def tube(outer: float, inner: float, length: float) -> Mesh:
    """A tube along Z, centred on the origin. Raises ValueError when the bore is not smaller than the outside."""
    if not 0 < inner < outer:
        raise ValueError("a tube's inner diameter must be smaller than its outer one, and above zero")
    a, b, h = inner / 2.0, outer / 2.0, length / 2.0
    return revolve([[a, -h], [b, -h], [b, h], [a, h]])


def extrude(outline: Sequence[Sequence[float]], height: float) -> Mesh:
    """A closed outline [[x, y], …] drawn up from z = 0. Raises ValueError for an outline without area."""
    points = np.asarray(outline, float)
    if len(points) > 1 and np.allclose(points[0], points[-1]):
        points = points[:-1]
    if len(points) < 3:
        raise ValueError("an outline needs at least three points")
    x, y = points.T
    area = 0.5 * float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))
    if abs(area) < 1e-12:
        raise ValueError("the outline encloses no area")
    if area < 0:
        points = points[::-1]
    count = len(points)
    cap = np.asarray(mapbox_earcut.triangulate_float64(points, np.array([count], np.uint32)), np.int32).reshape(-1, 3)
    step = np.arange(count, dtype=np.int32)
    after = (step + 1) % count
    vertices = np.concatenate([np.column_stack([points, np.full(count, z)]) for z in (0.0, height)])
    a, b, c = points[cap[:, 0]], points[cap[:, 1]], points[cap[:, 2]]
    turns = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    cap = np.where((turns < 0)[:, None], cap[:, ::-1], cap)
    faces = np.concatenate(
        [
            cap[:, ::-1],
            cap + count,
            np.column_stack([step, after, after + count]),
            np.column_stack([step, after + count, step + count]),
        ]
    )
    return Mesh(vertices, faces.astype(np.int32))


def revolve_pieces(profile: Sequence[Sequence[float]]) -> list[Mesh]:
    """The same solid in convex pieces — frusta stacked along Z — where its profile goes up steadily outside a solid core;
    empty where it does not (a ring, an undercut)."""
    points = np.asarray(profile, float)
    if len(points) > 1 and np.allclose(points[0], points[-1]):
        points = points[:-1]
    on_axis = np.flatnonzero(points[:, 0] < 1e-9)
    if len(on_axis) != 2 or (on_axis[1] - on_axis[0]) not in (1, len(points) - 1):
        return []
    start = on_axis[1] if on_axis[1] - on_axis[0] == 1 else on_axis[0]
    outer = np.roll(points, -start, axis=0)  # from one end on the axis, outside, to the other
    if outer[0, 1] > outer[-1, 1]:
        outer = outer[::-1]
    if (np.diff(outer[:, 1]) < -1e-9).any():
        return []
    facets = segments_for(float(points[:, 0].max()))
    return [
        revolve([[0.0, z0], [r0, z0], [r1, z1], [0.0, z1]] if r0 > 1e-9 and r1 > 1e-9
                else [[0.0, z0], [r1, z1], [0.0, z1]] if r1 > 1e-9 else [[0.0, z0], [r0, z0], [0.0, z1]], facets=facets)
        for (r0, z0), (r1, z1) in itertools.pairwise(outer)
        if z1 - z0 > 1e-9 and max(r0, r1) > 1e-9
    ]  # fmt: skip


def extrude_pieces(outline: Sequence[Sequence[float]], height: float) -> list[Mesh]:
    """The same prism in convex pieces: one for each triangle of its outline."""
    points = np.asarray(outline, float)
    if len(points) > 1 and np.allclose(points[0], points[-1]):
        points = points[:-1]
    cap = np.asarray(mapbox_earcut.triangulate_float64(points, np.array([len(points)], np.uint32)), np.int32).reshape(
        -1, 3
    )
    return [extrude(points[triangle].tolist(), height) for triangle in cap if _area(points[triangle]) > 1e-12]


def _area(triangle: Floats) -> float:
    (ax, ay), (bx, by), (cx, cy) = triangle
    return 0.5 * abs(float((bx - ax) * (cy - ay) - (by - ay) * (cx - ax)))
