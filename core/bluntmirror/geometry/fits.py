"""Planes and cylinders through measured points, by least squares of the distances square to them (ISO/TS 15530-2: Gaussian
associated features).

off     signed distances of points from a fitted face (n,), mm: positive on the side that its normal shows to, or outside the cylinder
form    greatest less least of them: flatness of a plane, cylindricity of a cylinder, about the least-squares face
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .frames import Floats

TURNS = 30  # of Gauss and Newton; a start within a few degrees needs six
STILL = 1e-10  # mm: a step below this changes nothing


@dataclass(frozen=True)
class Plane:
    """`point` (3,) is the middle of what it was fitted to, `normal` (3,) a unit vector."""

    point: Floats
    normal: Floats

    def off(self, points: Floats) -> Floats:
        return np.asarray((points - self.point) @ self.normal)


@dataclass(frozen=True)
class Cylinder:
    """`point` (3,) on the axis, in the middle of what it was fitted to; `axis` (3,) a unit vector."""

    point: Floats
    axis: Floats
    radius: float

    def off(self, points: Floats) -> Floats:
        return np.asarray(np.linalg.norm(self.radial(points), axis=1) - self.radius)

    def radial(self, points: Floats) -> Floats:
        """From the axis square to it (n, 3)."""
        away = points - self.point
        return np.asarray(away - (away @ self.axis)[:, None] * self.axis)


Face = Plane | Cylinder


def form(face: Face, points: Floats) -> float:
    off = face.off(points)
    return float(off.max() - off.min())


def fit_plane(points: Floats) -> Plane:
    """Through at least three points (n, 3)."""
    middle = points.mean(axis=0)
    _, axes = np.linalg.eigh(np.cov((points - middle).T))
    return Plane(middle, axes[:, 0])


def square_to(axis: Floats) -> tuple[Floats, Floats]:
    """Two unit vectors square to a unit vector and to each other."""
    u = np.eye(3)[int(np.argmin(np.abs(axis)))]
    u = u - (u @ axis) * axis
    u /= np.linalg.norm(u)
    return u, np.cross(axis, u)


def fit_cylinder(points: Floats, start: Cylinder) -> Cylinder | None:
    """Through at least five points (n, 3), from a start nearby; None where the points lead to none."""
    at, axis, radius = start.point, start.axis / np.linalg.norm(start.axis), start.radius
    for _ in range(TURNS):
        u, v = square_to(axis)
        away = points - at
        along = away @ axis
        p, q = away @ u, away @ v
        distance = np.hypot(p, q)
        if not len(points) or distance.min() < 1e-12:
            return None
        cos, sin = p / distance, q / distance
        # Moved by (a, b) across the axis, turned by (c, d), grown by e: what that does to each distance.
        jacobian = np.column_stack([-cos, -sin, -along * cos, -along * sin, -np.ones(len(p))])
        step = np.linalg.lstsq(jacobian, radius - distance, rcond=None)[0]
        at = at + step[0] * u + step[1] * v
        axis = axis + step[2] * u + step[3] * v
        axis /= np.linalg.norm(axis)
        radius += step[4]
        if not np.isfinite(radius) or radius <= 0:
            return None
        if np.abs(step).max() < STILL:
            break
    middle = at + float(np.median((points - at) @ axis)) * axis
    return Cylinder(middle, axis, float(radius))


def circle_through(flat: Floats) -> tuple[Floats, float]:
    """Kåsa's circle through points of a plane (n, 2): x² + y² = 2 a x + 2 b y + c, in least squares. Centre (2,) and radius."""
    rows = np.column_stack([2 * flat, np.ones(len(flat))])
    a, b, c = np.linalg.lstsq(rows, (flat**2).sum(axis=1), rcond=None)[0]
    return np.array([a, b]), float(np.sqrt(max(c + a * a + b * b, 0.0)))


def start_cylinder(points: Floats, normals: Floats) -> Cylinder | None:
    """A cylinder from points with their normals (n, 3): its axis is what all normals are square to. None where they lie in one
    plane's normal, or turn two ways."""
    _, sizes, axes = np.linalg.svd(normals, full_matrices=False)
    if sizes[1] < 0.02 * sizes[0] or sizes[2] > 0.5 * sizes[1]:
        return None
    axis = axes[2]
    u, v = square_to(axis)
    centre, radius = circle_through(np.column_stack([points @ u, points @ v]))
    if not 0 < radius < 1e5:
        return None
    along = float(np.median(points @ axis))
    return Cylinder(centre[0] * u + centre[1] * v + along * axis, axis, radius)
