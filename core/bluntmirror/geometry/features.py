"""What a person means by pointing at a body: a face, an edge, a corner, or the axis of a hole or boss, found on its mesh.

face     the triangles around the one pointed at that lie in one plane; its middle, and its normal outwards
edge     a border between two faces nearest to the point; its middle and direction
corner   the mesh's corner nearest to the point
axis     of the round wall pointed at: every normal of it is square to the axis
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from .fits import Cylinder, circle_through, square_to
from .frames import Floats
from .mesh import Mesh

FLAT = 1e-6  # 1 − cosine between normals of one plane, and mm off it
ROUND = 0.94  # cosine between neighbouring facets of one round wall (20°)
WELD_MM = 1e-5
OFF_ROUND_MM = 0.005

Kind = Literal["face", "edge", "corner", "axis", "point"]


@dataclass(frozen=True)
class Feature:
    """`point` and `direction` (unit; outwards of a face, along an edge or axis; none of a corner) in the mesh's frame;
    `radius` of a round wall, `size` of a face or edge (area mm², length mm)."""

    kind: Kind
    point: tuple[float, float, float]
    direction: tuple[float, float, float] | None = None
    radius: float | None = None
    size: float | None = None


class NoSuchFeature(ValueError):
    """Nothing of that kind is where the finger is."""


def pick(mesh: Mesh, triangle: int, point: Floats, kind: Kind) -> Feature:
    """The feature of a kind at a point of a triangle. Raises NoSuchFeature, saying what is there instead."""
    if not 0 <= triangle < len(mesh.faces):
        raise NoSuchFeature("the place pointed at is not on this body")
    point = np.asarray(point, float)
    if kind == "point":
        return Feature("point", _triple(point))
    surface = Surface(mesh)
    if kind == "face":
        return surface.face(triangle)
    if kind == "axis":
        return surface.axis(triangle)
    if kind == "edge":
        return surface.edge(point)
    return surface.corner(point)


def _triple(v: Floats) -> tuple[float, float, float]:
    x, y, z = (round(float(c), 9) + 0.0 for c in v)
    return x, y, z


def _circle_of_most(facet: Floats, points: Floats) -> tuple[Floats, float]:
    """Of the circles through a facet's two sides (3, 2) and any other of the points (n, 2), the one with the most points on it."""
    ends = facet[np.unique(np.round(facet, 6), axis=0, return_index=True)[1]]
    one, other = ends[0], ends[int(np.argmax(np.linalg.norm(ends - ends[0], axis=1)))]
    best, chosen = -1, (points[0], 0.0)
    for third in np.unique(np.round(points, 6), axis=0):
        centre, radius = circle_through(np.array([one, other, third]))
        if not np.isfinite(radius) or min(np.linalg.norm(third - one), np.linalg.norm(third - other)) < OFF_ROUND_MM:
            continue
        on_it = int((np.abs(np.linalg.norm(points - centre, axis=1) - radius) < OFF_ROUND_MM).sum())
        if on_it > best:
            best, chosen = on_it, (centre, radius)
    return chosen


class Surface:
    """A mesh welded by place, with its triangles' normals and neighbours."""

    def __init__(self, mesh: Mesh) -> None:
        keys, self.welded = np.unique(np.round(mesh.vertices / WELD_MM).astype(np.int64), axis=0, return_inverse=True)
        self.places = keys * WELD_MM
        self.corners = self.welded.reshape(-1)[mesh.faces]
        self.triangles = mesh.triangles
        a, b, c = np.moveaxis(self.triangles, 1, 0)
        normal = np.cross(b - a, c - a)
        self.area = 0.5 * np.linalg.norm(normal, axis=1)
        self.normals = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-18)
        # Every edge once, with the triangles that share it: sides of triangles sorted by the two corners that they join.
        begin, end = (
            self.corners.reshape(-1).astype(np.int64),
            np.roll(self.corners, -1, axis=1).reshape(-1).astype(np.int64),
        )
        joins = np.minimum(begin, end) * len(self.places) + np.maximum(begin, end)
        order = np.argsort(joins, kind="stable")
        first = np.flatnonzero(np.diff(joins[order], prepend=-1))
        self.sharing = order // 3  # triangles, edge by edge
        self.first = np.append(first, len(order))  # where those of each edge begin
        self.edge_of = np.empty(len(order), np.int64)  # of every side of every triangle
        self.edge_of[order] = np.repeat(np.arange(len(first)), np.diff(self.first))
        self.ends = np.column_stack([joins[order][first] // len(self.places), joins[order][first] % len(self.places)])

    def sides(self, t: int) -> list[tuple[Floats, Floats, list[int]]]:
        """The three sides of a triangle: from where to where, and the other triangles that share it."""
        told = []
        for side in range(3):
            edge = int(self.edge_of[3 * t + side])
            others = self.sharing[self.first[edge] : self.first[edge + 1]]
            a, b = self.ends[edge]
            told.append((self.places[a], self.places[b], [other for other in others.tolist() if other != t]))
        return told

    def neighbours(self, t: int) -> list[int]:
        return [other for _, _, others in self.sides(t) for other in others]

    def grown(self, start: int, joins) -> list[int]:  # type: ignore[no-untyped-def]
        """All triangles reached from one over neighbours that `joins(from, to)` lets in."""
        seen, waiting = {start}, [start]
        while waiting:
            here = waiting.pop()
            for other in self.neighbours(here):
                if other not in seen and joins(here, other):
                    seen.add(other)
                    waiting.append(other)
        return sorted(seen)

    def plane_of(self, t: int) -> list[int]:
        normal, place = self.normals[t], self.triangles[t, 0]

        def joins(_: int, other: int) -> bool:
            flat = 1.0 - float(self.normals[other] @ normal) < FLAT
            return flat and float(np.abs((self.triangles[other] - place) @ normal).max()) < 1e-3

        return self.grown(t, joins)

    def face(self, t: int) -> Feature:
        rows = self.plane_of(t)
        points = self.triangles[rows].reshape(-1, 3)
        normal = self.normals[t]
        # The middle of the face's extent, not of its area: what a person reads off a drawing.
        u, v = square_to(normal)
        middle = (
            sum(0.5 * ((points @ w).min() + (points @ w).max()) * w for w in (u, v)) + (points[0] @ normal) * normal
        )
        return Feature("face", _triple(middle), _triple(normal), size=float(self.area[rows].sum()))

    def wall_of(self, t: int) -> tuple[list[int], Cylinder]:
        """The triangles of the round wall that one belongs to, and its cylinder. Raises NoSuchFeature."""
        rows = self.grown(t, lambda a, b: float(self.normals[a] @ self.normals[b]) > ROUND)
        flats = {int(np.round(n @ self.normals[t] * 1e6)) for n in self.normals[rows]}
        if len(flats) < 3:
            raise NoSuchFeature("this is a flat face; point at the round wall of a hole or boss")
        _, sizes, axes = np.linalg.svd(self.normals[rows], full_matrices=False)
        if sizes[2] > 1e-3 * sizes[0]:
            raise NoSuchFeature("this wall is round two ways, or a cone: it has no axis that its normals are square to")
        axis = axes[2]
        axis = axis if axis[int(np.argmax(np.abs(axis)))] > 0 else -axis
        u, v = square_to(axis)
        flat = np.stack([self.triangles @ u, self.triangles @ v], -1)
        centre, radius = circle_through(flat[rows].reshape(-1, 2))
        if np.abs(np.linalg.norm(flat[rows] - centre, axis=-1) - radius).max() > OFF_ROUND_MM:
            # Flat walls run into it, as they do into the ends of a slot: it is the circle with the most of the wall on it.
            centre, radius = _circle_of_most(flat[t], flat[rows].reshape(-1, 2))
            on_it = np.abs(np.linalg.norm(flat - centre, axis=-1) - radius).max(axis=-1) < OFF_ROUND_MM
            rows = [row for row in rows if on_it[row]]
        along = self.triangles[rows].reshape(-1, 3) @ axis
        at = centre[0] * u + centre[1] * v + 0.5 * (along.min() + along.max()) * axis
        return rows, Cylinder(at, axis, radius)

    def axis(self, t: int) -> Feature:
        rows, wall = self.wall_of(t)
        length = float(np.ptp(self.triangles[rows].reshape(-1, 3) @ wall.axis))
        return Feature("axis", _triple(wall.point), _triple(wall.axis), radius=round(wall.radius, 6), size=length)

    def edge(self, point: Floats) -> Feature:
        count = np.diff(self.first)
        one, other = self.sharing[self.first[:-1]], self.sharing[self.first[:-1] + np.minimum(count - 1, 1)]
        flat = (count == 2) & (
            np.einsum("ij,ij->i", self.normals[one], self.normals[other]) > 1.0 - FLAT
        )  # within one plane
        ends = self.ends[~flat & (self.ends[:, 0] != self.ends[:, 1])]
        if not len(ends):
            raise NoSuchFeature("this body has no edges")
        a, way = self.places[ends[:, 0]], self.places[ends[:, 1]] - self.places[ends[:, 0]]
        length = np.linalg.norm(way, axis=1)
        share = np.clip(np.einsum("ij,ij->i", point - a, way) / np.maximum(length**2, 1e-18), 0.0, 1.0)
        nearest = int(np.argmin(np.linalg.norm(point - a - share[:, None] * way, axis=1)))
        middle = a[nearest] + 0.5 * way[nearest]
        return Feature("edge", _triple(middle), _triple(way[nearest] / length[nearest]), size=float(length[nearest]))

    def corner(self, point: Floats) -> Feature:
        return Feature("corner", _triple(self.places[int(np.argmin(np.linalg.norm(self.places - point, axis=1)))]))
