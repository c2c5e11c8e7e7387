"""Measures of a finished part: what a gauge would read on the stock as it is, beside what the design asks for.

place      where a measure is taken: a face, an axis, an edge, a corner or a point, found around a point of the part
nominal    of the design, where one is there: off its triangles
actual     of the stock: least-squares faces through the ends of its rays that lie on that face of the design, or, without
           a design, that hang together around the place
feet       the two points that a length is measured between, for drawing it

All in one frame, that of the stock's mount.
"""

from __future__ import annotations

import math
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..geometry.features import NoSuchFeature, Surface
from ..geometry.fits import Cylinder, Face, Plane, fit_cylinder, fit_plane, form, square_to
from ..geometry.frames import Floats
from ..geometry.mesh import Mesh
from .ends import (
    LEAST_POINTS,
    SQUARE,
    WINDOW_CELLS,
    Ends,
    Grown,
    NotMeasured,
    Region,
    cylinder_at,
    patch_at,
    plane_at,
    planes_around,
    sagitta,
    stock_on,
    tree_of,
)

REACH_MM = 2.0  # how far off the design's surface a place may be to be one on it, and the stock to be this face of it
PARALLEL_DEG = 0.5  # beyond this two faces have an angle, and no distance
BORDER_STEP = 0.5  # cells between points along a border
MOST_PROBED = 200_000  # points of a wall that are asked how thick it is
BESIDE_CELLS = 1.0  # how far off the line of a probe an end may lie to be met by it

LEAST_WALL_MM = 1e-3
MOST_ASKED = 24  # ends on the way through a wall, the nearest first
OPPOSITE = 0.5  # cosine: how squarely the far side of a wall looks away from the near one

Kind = Literal["diameter", "distance", "angle", "wall", "flatness"]
On = Literal["face", "axis", "edge", "corner", "point"]


@dataclass(frozen=True)
class Place:
    on: On
    at: Floats  # (3,)


@dataclass(frozen=True)
class Found:
    """A place as it was found: a point, and a direction where it is an edge or an axis, or a face's normal."""

    on: On
    point: Floats
    direction: Floats | None = None
    radius: float | None = None
    form: float | None = None
    points: int = 0
    tag: int = -1  # the motion that made most of it
    facets: float = 0.0  # how far inside a round wall of a design its facets' middles stand


@dataclass(frozen=True)
class Reading:
    """value mm or degrees; parts: X Y Z of a distance, from the first place to the second; angle between two directions, degrees;
    points: ends of rays it rests on; tag: the motion that made most of them, −1 where none did; facets: how much less a nominal
    diameter is across the middles of the design's facets than through their corners, which is what is told."""

    value: float | None
    parts: tuple[float, float, float] | None = None
    angle: float | None = None
    feet: list[tuple[float, float, float]] = field(default_factory=list)
    form: float | None = None
    points: int = 0
    tag: int = -1
    facets: float = 0.0


@dataclass(frozen=True)
class Measured:
    """`why`: why there is no actual reading, where there is none."""

    nominal: Reading | None
    actual: Reading | None
    why: str = ""


class Part:
    """A finished part to be measured, with its design where it has one; both in one frame."""

    def __init__(self, ends: Ends, design: Mesh | None) -> None:
        self.ends, self.design = ends, design

    def measure(self, kind: Kind, places: list[Place]) -> Measured:
        """Take a measure. What cannot be measured is told in `why`."""
        try:
            nominal = self._nominal(kind, places)
        except (NoSuchFeature, NotMeasured):
            nominal = (
                None  # the stock may have a face where the design has none: a hole drilled before, an unfinished wall
            )
        try:
            actual = self._actual(kind, places)
        except NotMeasured as none:
            return Measured(nominal, None, str(none))
        if kind == "wall" and self.design is not None:
            nominal = self._wall_of_design(actual)
        return Measured(nominal, actual)

    # --- the design ------------------------------------------------------------------------------------------------------------

    @cached_property
    def surface(self) -> Surface:
        assert self.design is not None
        return Surface(self.design)

    def triangle_at(self, at: Floats) -> int | None:
        """The design's triangle nearest to a place, if it is within reach."""
        if self.design is None:
            return None
        from trimesh.triangles import closest_point

        triangles = self.design.triangles
        low, high = triangles.min(axis=1) - REACH_MM, triangles.max(axis=1) + REACH_MM
        near = np.flatnonzero(((low <= at) & (at <= high)).all(axis=1))
        if not len(near):
            return None
        away = np.linalg.norm(closest_point(triangles[near], np.tile(at, (len(near), 1))) - at, axis=1)
        nearest = int(np.argmin(away))
        return int(near[nearest]) if away[nearest] <= REACH_MM else None

    def region(self, place: Place) -> Region | None:
        """The flat or round face of the design at a place; None where there is no design. Raises NoSuchFeature."""
        triangle = self.triangle_at(place.at)
        if triangle is None:
            return None
        surface = self.surface
        face: Face
        if place.on == "axis":
            rows, face = surface.wall_of(triangle)
            middle = surface.triangles[triangle].mean(axis=0)
            out = 1.0 if float(face.radial(middle[None])[0] @ surface.normals[triangle]) > 0 else -1.0
        else:
            rows, out = surface.plane_of(triangle), 1.0
            face = Plane(np.asarray(surface.face(triangle).point), surface.normals[triangle])
        mesh = Mesh(surface.triangles[rows].reshape(-1, 3), np.arange(3 * len(rows), dtype=np.int32).reshape(-1, 3))
        return Region(face, mesh, self._border(rows), out)

    def _border(self, rows: list[int]) -> Floats:
        surface, own = self.surface, set(rows)
        step = BORDER_STEP * self.ends.cell
        points = []
        for row in rows:
            for begin, end, others in surface.sides(row):
                if others and own.issuperset(others):
                    continue
                count = max(2, math.ceil(float(np.linalg.norm(end - begin)) / step) + 1)
                points.append(begin + np.linspace(0.0, 1.0, count)[:, None] * (end - begin))
        return np.concatenate(points) if points else np.full((1, 3), np.inf)

    def _nominal(self, kind: Kind, places: list[Place]) -> Reading | None:
        if self.design is None or kind == "wall":
            return None
        found = []
        for place in places:
            triangle = self.triangle_at(place.at)
            if triangle is None:
                return None
            found.append(self._of_design(place, triangle))
        return Reading(0.0, form=0.0) if kind == "flatness" else _read(kind, found)

    def _of_design(self, place: Place, triangle: int) -> Found:
        surface = self.surface
        if place.on == "point":
            from trimesh.triangles import closest_point

            return Found("point", closest_point(surface.triangles[[triangle]], place.at[None])[0])
        if place.on == "axis":
            rows, wall = surface.wall_of(triangle)
            return Found("axis", wall.point, wall.axis, wall.radius, facets=sagitta(surface.triangles[rows], wall))
        feature = {
            "face": lambda: surface.face(triangle),
            "edge": lambda: surface.edge(place.at),
            "corner": lambda: surface.corner(place.at),
        }[place.on]()
        direction = None if feature.direction is None else np.asarray(feature.direction)
        return Found(place.on, np.asarray(feature.point), direction)

    # --- the stock -------------------------------------------------------------------------------------------------------------

    def _actual(self, kind: Kind, places: list[Place]) -> Reading:
        if not len(self.ends):
            raise NotMeasured("nothing is left of the stock")
        if kind == "wall":
            return self._wall(places[0])
        found = [self._found(place) for place in places]
        if kind == "flatness":
            return Reading(found[0].form, feet=[_triple(found[0].point)], form=found[0].form, points=found[0].points,
                           tag=found[0].tag)  # fmt: skip
        return _read(kind, found)

    def _found(self, place: Place) -> Found:
        ends = self.ends
        if place.on == "point":
            return Found("point", self._onto(place.at), points=1)
        if place.on == "edge":
            one, other = planes_around(ends, place.at, 2)
            along = np.cross(one.normal, other.normal)
            along /= np.linalg.norm(along)
            point = np.linalg.solve(
                np.array([one.normal, other.normal, along]),
                np.array([one.point @ one.normal, other.point @ other.normal, place.at @ along]),
            )
            return Found("edge", point, along)
        if place.on == "corner":
            planes = planes_around(ends, place.at, 3)
            normals = np.array([plane.normal for plane in planes])
            if abs(float(np.linalg.det(normals))) < 0.05:
                raise NotMeasured("the faces that meet there make no corner")
            return Found("corner", np.linalg.solve(normals, np.array([plane.point @ plane.normal for plane in planes])))
        grown = self.face_at(place)
        points = ends.points[grown.rows]
        face = grown.face
        if isinstance(face, Cylinder):
            along = (points - face.point) @ face.axis
            middle = face.point + 0.5 * (along.min() + along.max()) * face.axis
            return Found(
                "axis", middle, face.axis, face.radius, form(face, points), len(points), self._maker(grown.rows)
            )
        return Found("face", face.point, face.normal, None, form(face, points), len(points), self._maker(grown.rows))

    def _maker(self, rows: NDArray[np.int64]) -> int:
        """The motion that made most of some ends, of those that one made."""
        tags, counts = np.unique(self.ends.tag[rows], return_counts=True)
        made = tags >= 0
        return int(tags[made][np.argmax(counts[made])]) if made.any() else -1

    def face_at(self, place: Place) -> Grown:
        """The stock's own face at a place: all of it that is this face of the design, or what hangs together there."""
        region = None
        with suppress(NoSuchFeature):  # the stock may have a face where the design has none
            region = self.region(place)
        if region is not None:
            band = REACH_MM if isinstance(region.face, Plane) else min(REACH_MM, 0.6 * region.face.radius)
            rows = stock_on(self.ends, region, band)
            if len(rows) >= LEAST_POINTS:
                return replace(_fitted(self.ends, rows, region), rows=rows)
        return cylinder_at(self.ends, place.at) if place.on == "axis" else plane_at(self.ends, place.at)

    def _onto(self, at: Floats) -> Floats:
        """The stock's surface nearest to a place."""
        away, nearest = self.ends.tree.query(at)
        if away > REACH_MM:
            raise NotMeasured(f"no stock within {REACH_MM:g} mm of that place")
        try:
            face = patch_at(self.ends, at).face
        except NotMeasured:
            return np.asarray(self.ends.points[nearest])
        if isinstance(face, Plane):
            return np.asarray(at - face.off(at[None])[0] * face.normal)
        radial = face.radial(at[None])[0]
        return np.asarray(at - radial * (1.0 - face.radius / max(float(np.linalg.norm(radial)), 1e-12)))

    # --- walls -----------------------------------------------------------------------------------------------------------------

    def _wall(self, place: Place) -> Reading:
        """The least thickness of the wall behind the face at a place, and where: from each end on the face to the nearest end of
        the other side, as far as that stands off the face itself."""
        ends, cell = self.ends, self.ends.cell
        grown = self._side_at(place)
        face, out = grown.face, grown.out
        own = ends.points[grown.rows]
        behind = out * face.off(ends.points) if isinstance(face, Cylinder) else face.off(ends.points)
        across = self._across(grown, place.at, behind)
        rows = np.linspace(0, len(own) - 1, min(len(own), MOST_PROBED)).astype(int)
        probes = own[rows]
        _, nearest = tree_of(ends.points[across]).query(probes, k=min(8, len(across)))
        nearest = np.atleast_2d(nearest.T).T
        into = -_outward(face, probes, out)
        near = behind[grown.rows[rows]]  # how far out of the face itself each probe lies
        best, chosen = np.inf, None
        for k in range(nearest.shape[1]):
            met = ends.points[across[nearest[:, k]]]
            away = met - probes
            aside = np.linalg.norm(away - np.einsum("ij,ij->i", away, into)[:, None] * into, axis=1)
            thick = near - behind[across[nearest[:, k]]]
            fits = aside <= BESIDE_CELLS * cell + 1e-9
            if fits.any():
                least = int(np.argmin(np.where(fits, thick, np.inf)))
                if thick[least] < best:
                    best, chosen = float(thick[least]), met[least]
        if chosen is None:
            raise NotMeasured("the other side of the wall lies too far aside; point at the face opposite")
        begin = chosen + best * _outward(face, chosen[None], out)[0]
        return Reading(best, feet=[_triple(begin), _triple(chosen)], points=len(probes), tag=self._maker(grown.rows))

    def _across(self, grown: Grown, at: Floats, behind: Floats) -> NDArray[np.int64]:
        """Rows of the face on the other side of a wall: the first flat or round one behind a place that looks away from it; of a
        free-form one, what lies around there. `behind` (n,): how far off the near side every end is, negative into the wall."""
        ends = self.ends
        into = -_outward(grown.face, at[None], grown.out)[0]
        away = ends.points - at
        along = away @ into
        aside = np.linalg.norm(away - along[:, None] * into, axis=1)
        on_way = np.flatnonzero(
            (aside < BESIDE_CELLS * ends.cell) & (ends.outward @ into > SQUARE) & (behind < -LEAST_WALL_MM)
        )
        on_way = on_way[np.argsort(along[on_way], kind="stable")]
        for row in on_way[:MOST_ASKED]:
            try:
                other = patch_at(ends, ends.points[row])
            except NotMeasured:
                continue
            looks = _outward(other.face, ends.points[[row]], other.out)[0]
            if looks @ into > OPPOSITE and row in other.rows:
                return other.rows[behind[other.rows] < -LEAST_WALL_MM]
        if not len(on_way):
            raise NotMeasured("there is no other side behind this place")
        around = ends.near(ends.points[on_way[0]], WINDOW_CELLS * ends.cell)
        around = around[(ends.outward[around] @ into > SQUARE) & (behind[around] < -LEAST_WALL_MM)]
        return around if len(around) else on_way[:1]

    def _side_at(self, place: Place) -> Grown:
        """The flat or round face at a place."""
        found = []
        kinds: tuple[On, On] = ("face", "axis")
        for on in kinds:
            with suppress(NotMeasured):
                found.append(self.face_at(Place(on, place.at)))
        if not found:
            raise NotMeasured("the wall is neither flat nor round there")
        return max(found, key=lambda grown: len(grown.rows))

    def _wall_of_design(self, actual: Reading) -> Reading | None:
        """How thick the design is where the stock's wall is thinnest, in the same direction."""
        assert self.design is not None
        begin, end = (np.asarray(foot) for foot in actual.feet)
        way = end - begin
        length = float(np.linalg.norm(way))
        if length < 1e-9:
            return None
        way = way / length
        crossings = _crossings(self.design.triangles, begin - REACH_MM * way, way)
        entries = [t for t, inside in crossings if inside]
        if not entries:
            return None
        entry = min(entries, key=lambda t: abs(t - REACH_MM))
        leaving = [t for t, inside in crossings if not inside and t > entry]
        return Reading(min(leaving) - entry) if leaving and abs(entry - REACH_MM) <= REACH_MM else None


def _fitted(ends: Ends, rows: NDArray[np.int64], region: Region) -> Grown:
    points, face = ends.points[rows], region.face
    if isinstance(face, Plane):
        plane = fit_plane(points)
        return Grown(Plane(plane.point, plane.normal if plane.normal @ face.normal > 0 else -plane.normal), rows)
    cylinder = fit_cylinder(points, face)
    if cylinder is None:
        raise NotMeasured("no cylinder fits the stock there")
    return Grown(cylinder, rows, region.out)


def _outward(face: Face, points: Floats, out: float) -> Floats:
    """Out of the material behind a face (n, 3), unit."""
    if isinstance(face, Plane):
        return np.tile(face.normal, (len(points), 1))
    radial = face.radial(points)
    return np.asarray(out * radial / np.maximum(np.linalg.norm(radial, axis=1, keepdims=True), 1e-12))


def _crossings(triangles: Floats, start: Floats, way: Floats) -> list[tuple[float, bool]]:
    """Where a ray meets triangles, and whether it goes in there (Möller and Trumbore, Fast minimum storage ray/triangle
    intersection, 1997)."""
    a, b, c = np.moveaxis(triangles, 1, 0)
    e1, e2 = b - a, c - a
    p = np.cross(way, e2)
    det = np.einsum("ij,ij->i", e1, p)
    safe = np.where(np.abs(det) > 1e-12, det, np.inf)
    s = start - a
    u = np.einsum("ij,ij->i", s, p) / safe
    q = np.cross(s, e1)
    v = q @ way / safe
    t = np.einsum("ij,ij->i", e2, q) / safe
    hit = (np.abs(det) > 1e-12) & (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9) & (t > 0)
    return sorted((float(t[i]), bool(det[i] > 0)) for i in np.flatnonzero(hit))


def _read(kind: Kind, found: list[Found]) -> Reading:
    """A measure out of its places. Raises NotMeasured."""
    points, tag = sum(item.points for item in found), found[-1].tag
    if kind == "diameter":
        (wall,) = found
        if wall.radius is None or wall.direction is None:
            raise NotMeasured("a diameter is measured on a round wall")
        across = square_to(wall.direction)[0] * wall.radius
        return Reading(2 * wall.radius, feet=[_triple(wall.point - across), _triple(wall.point + across)], form=wall.form,
                       points=points, tag=tag, facets=2 * wall.facets)  # fmt: skip
    one, other = found
    angle = _angle(one, other)
    if kind == "angle":
        if angle is None:
            raise NotMeasured("an angle needs two directions: faces, edges or axes")
        return Reading(angle, angle=angle, feet=[_triple(one.point), _triple(other.point)], points=points, tag=tag)
    start, end = _feet(one, other, angle)
    x, y, z = end - start
    return Reading(float(np.linalg.norm(end - start)), _triple(np.array([x, y, z])), angle, [_triple(start), _triple(end)],
                   points=points, tag=tag)  # fmt: skip


def _triple(v: Floats) -> tuple[float, float, float]:
    x, y, z = (float(c) for c in v)
    return x, y, z


def _angle(one: Found, other: Found) -> float | None:
    """Between the lines of two directions, 0 to 90 degrees; of a face with a line, between the line and the face."""
    if one.direction is None or other.direction is None:
        return None
    cosine = min(1.0, abs(float(one.direction @ other.direction)))
    # acos loses half its digits near 0: the sine tells small angles.
    sine = float(np.linalg.norm(np.cross(one.direction, other.direction)))
    angle = math.degrees(math.atan2(sine, cosine))
    return 90.0 - angle if (one.on == "face") != (other.on == "face") else angle


def _feet(one: Found, other: Found, angle: float | None) -> tuple[Floats, Floats]:
    """The points that the distance of two places is measured between. Raises NotMeasured where they are not parallel."""
    if one.on == "face" or other.on == "face":
        if angle is not None and angle > PARALLEL_DEG:
            raise NotMeasured(
                f"they stand at {angle:.2f}° to each other, so that they have no one distance; measure the angle"
            )
        return _from_face(one, other) if one.on == "face" else _from_face(other, one)[::-1]
    a, b = one.direction, other.direction
    if a is None and b is None:
        return one.point, other.point
    if b is None:
        assert a is not None
        return one.point + float((other.point - one.point) @ a) * a, other.point
    if a is None:
        return one.point, other.point + float((one.point - other.point) @ b) * b
    square = np.cross(a, b)
    if float(np.linalg.norm(square)) < math.sin(math.radians(PARALLEL_DEG)):
        b = b if a @ b > 0 else -b
        mean = (a + b) / np.linalg.norm(a + b)
        way = other.point - one.point
        return one.point, one.point + way - (way @ mean) * mean
    # Two lines that pass each other: the way square to both.
    s, t, _ = np.linalg.solve(np.column_stack([a, -b, square]), other.point - one.point)
    return one.point + s * a, other.point + t * b


def _from_face(face: Found, other: Found) -> tuple[Floats, Floats]:
    assert face.direction is not None
    normal = face.direction
    if other.on == "face" and other.direction is not None:
        # Both faces tell how they lie: the mean of their normals, from middle to middle.
        turned = other.direction if normal @ other.direction > 0 else -other.direction
        normal = (normal + turned) / np.linalg.norm(normal + turned)
    off = float((other.point - face.point) @ normal)
    return other.point - off * normal, other.point
