"""The surface of a cut stock as measured points: where its rays end. Each lies on the surface to the float32 it is kept in.

end      where a ray leaves or enters the stock; it knows its ray's direction and the side that the stock lies on
facing   a surface with normal n can end a ray along w only on the side that n looks to: what tells the two sides of a thin wall apart
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..geometry.fits import Cylinder, Face, Plane, fit_cylinder, fit_plane, start_cylinder
from ..geometry.frames import Floats, apply
from ..geometry.mesh import Mesh
from .cut_kernel import TILE
from .stock import AXES_OF, Lattice, Stock, intervals

LEAST_POINTS = 9  # a face of fewer is none
SQUARE = 0.25  # least cosine between a ray and the normal of a face that it may tell of
ON_FACE_MM = 0.01  # what lies on one face while it is grown
SMOOTH_MM, ROUGH = 1e-4, 5.0  # an end farther off than both, in mm and in medians, is a neighbour's
WINDOW_CELLS = 4.0  # around a place, what is looked at first
NEAREST = 14  # ends that planes are laid through in threes
MOST_SEED = 400  # ends of which normals are worked out to find a round wall
ROUND_WINDOWS = (4.0, 8.0, 16.0, 32.0)  # cells
LEAST_TURN = 0.94  # cosine: a wall that turns less than 20° is no round wall to measure


def tree_of(points: Floats) -> Any:
    from scipy.spatial import cKDTree  # only where something is measured

    return cKDTree(points)


class NotMeasured(ValueError):
    """There is nothing of that kind there; says what to do."""


@dataclass(frozen=True)
class Ends:
    """points (n, 3), in the grid's frame unless moved; outward (n, 3): the way out of the stock along the ray; tag (n,): the motion that cut there, or −1;
    `cell` mm: the widest side of the grid's cells."""

    points: Floats
    outward: Floats
    tag: NDArray[np.int32]
    cell: float

    @staticmethod
    def of(stock: Stock) -> Ends:
        return unpacked(packed(stock))

    def moved(self, matrix: Floats) -> Ends:
        return Ends(apply(matrix, self.points), self.outward @ matrix[:3, :3].T, self.tag, self.cell)

    def only(self, rows: NDArray) -> Ends:
        return Ends(self.points[rows], self.outward[rows], self.tag[rows], self.cell)

    def __len__(self) -> int:
        return len(self.points)

    @cached_property
    def tree(self) -> Any:
        return tree_of(self.points)

    def near(self, at: Floats, radius: float) -> NDArray[np.int64]:
        return np.sort(np.asarray(self.tree.query_ball_point(at, radius), np.int64))

    def facing(self, face: Face, out: float = 1.0) -> NDArray[np.bool_]:
        """Which ends a face can have made whose stock lies behind it. `out`: 1 where a cylinder is a boss, −1 where it is a hole."""
        if isinstance(face, Plane):
            return np.asarray(self.outward @ face.normal > SQUARE)
        radial = face.radial(self.points)
        length = np.maximum(np.linalg.norm(radial, axis=1), 1e-12)
        return np.asarray(out * np.einsum("ij,ij->i", self.outward, radial) > SQUARE * length)


Arrays = dict[str, NDArray[Any]]


def packed(stock: Stock) -> Arrays:
    """All that the ends are made of, as plain arrays: of each family how many intervals every ray has, and where they begin and end."""
    lattice = stock.lattice
    arrays: Arrays = {"origin": lattice.origin, "step": lattice.step, "counts": lattice.counts}
    for w, rays in zip("xyz", stock.rays, strict=True):
        _, _, slot = rays.ends()
        arrays |= {f"{w}.count": rays.count.astype(np.uint16), f"{w}.lo": rays.lo[slot], f"{w}.hi": rays.hi[slot]}
        arrays |= {f"{w}.tag_lo": rays.tag_lo[slot], f"{w}.tag_hi": rays.tag_hi[slot]}
    return arrays


def unpacked(arrays: Arrays) -> Ends:
    lattice = Lattice(arrays["origin"], arrays["step"], arrays["counts"])
    points, outward, tags = [], [], []
    for direction, name in enumerate("xyz"):
        a, b, w = AXES_OF[direction]
        u, v, *_ = intervals(arrays[f"{name}.count"], -(-int(lattice.counts[a]) // TILE))
        for end, side in (("lo", -1.0), ("hi", 1.0)):
            at, out = np.empty((len(u), 3)), np.zeros((len(u), 3))
            at[:, a], at[:, b], at[:, w] = lattice.centres(a)[u], lattice.centres(b)[v], arrays[f"{name}.{end}"]
            out[:, w] = side
            points.append(at)
            outward.append(out)
            tags.append(arrays[f"{name}.tag_{end}"])
    return Ends(np.concatenate(points), np.concatenate(outward), np.concatenate(tags), float(lattice.step.max()))


@dataclass(frozen=True)
class Grown:
    """A face as it was found on a stock: `rows` of its ends, `out` as in `Ends.facing`."""

    face: Face
    rows: NDArray[np.int64]
    out: float = 1.0


def patch_at(ends: Ends, at: Floats) -> Grown:
    """The flat or round face at a place, whichever more of the surface there lies on. Raises NotMeasured."""
    found: list[Grown] = []
    for grow in (plane_at, cylinder_at):
        try:
            found.append(grow(ends, at))
        except NotMeasured:
            continue
    if not found:
        raise NotMeasured("the surface is neither flat nor round there")
    return max(found, key=lambda grown: len(grown.rows))


def planes_around(ends: Ends, at: Floats, count: int) -> list[Plane]:
    """The flat faces that meet at a place, that with the most surface there first. Raises NotMeasured."""
    left = ends.near(at, WINDOW_CELLS * ends.cell)
    found = []
    for _ in range(count):
        chosen = _plane_of_most(ends.only(left), at)
        if chosen is None:
            raise NotMeasured(f"fewer than {count} flat faces meet there; point at the faces instead")
        plane, on_it = chosen
        face = _grown(ends, plane, ends.points[left[on_it]]).face
        assert isinstance(face, Plane)
        found.append(face)
        left = np.delete(left, on_it)
    return found


def plane_at(ends: Ends, at: Floats) -> Grown:
    """The flat face that a place lies on. Raises NotMeasured."""
    rows = ends.near(at, WINDOW_CELLS * ends.cell)
    chosen = _plane_of_most(ends.only(rows), at)
    if chosen is None:
        raise NotMeasured("there is no flat face there")
    plane, on_it = chosen
    return _grown(ends, plane, ends.points[rows[on_it]])


def _plane_of_most(near: Ends, at: Floats) -> tuple[Plane, NDArray[np.int64]] | None:
    """Of the planes through three of the ends nearest to a place, the one that most ends near it lie on, and those; all threes are
    tried, so that the answer is always the same one."""
    if len(near) < LEAST_POINTS:
        return None
    nearest = np.argsort(np.linalg.norm(near.points - at, axis=1), kind="stable")[:NEAREST]
    best, chosen = LEAST_POINTS - 1, None
    threes = np.array(list(itertools.combinations(nearest.tolist(), 3)))
    a, b, c = np.moveaxis(near.points[threes], 1, 0)
    normals = np.cross(b - a, c - a)
    size = np.linalg.norm(normals, axis=1)
    for point, normal in zip(a[size > 0.05 * near.cell**2], (normals / np.maximum(size, 1e-18)[:, None])[size > 0.05 * near.cell**2], strict=True):  # fmt: skip
        off = np.abs((near.points - point) @ normal) < ON_FACE_MM
        # Its ends tell which side the stock lies on; those of another surface that it merely cuts are not its own.
        side = near.outward @ normal
        for sign in (1.0, -1.0):
            on_it = np.flatnonzero(off & (sign * side > SQUARE))
            if len(on_it) > best:
                best, chosen = len(on_it), (Plane(point, sign * normal), on_it)
    if chosen is None:
        return None
    plane = fit_plane(near.points[chosen[1]])
    normal = plane.normal if plane.normal @ chosen[0].normal > 0 else -plane.normal
    return Plane(plane.point, normal), chosen[1]


def _grown(ends: Ends, face: Face, seed: Floats, out: float = 1.0) -> Grown:
    """A face with all ends that lie on it and hang together with its seed, fitted anew as it grows."""
    rows = np.zeros(0, np.int64)
    for _ in range(4):
        on_it = np.flatnonzero((np.abs(face.off(ends.points)) < ON_FACE_MM) & ends.facing(face, out))
        if len(on_it) < LEAST_POINTS:
            break
        before, rows = rows, on_it[_hanging_together(ends.points[on_it], seed, 2.0 * ends.cell)]
        if len(rows) < LEAST_POINTS or np.array_equal(before, rows):
            break
        points = ends.points[rows]
        if isinstance(face, Plane):
            fitted = fit_plane(points)
            face = Plane(fitted.point, fitted.normal if fitted.normal @ face.normal > 0 else -fitted.normal)
        else:
            face = fit_cylinder(points, face) or face
    if len(rows) < LEAST_POINTS:
        raise NotMeasured("too little of the surface there lies on one face; choose a finer resolution")
    # Where a neighbour runs into it, its last ends lie nearly on it, too: they are farther off than the face is rough.
    off = np.abs(face.off(ends.points[rows]))
    return Grown(face, rows[off <= max(SMOOTH_MM, ROUGH * float(np.median(off)))], out)


def _hanging_together(points: Floats, seed: Floats, step: float) -> NDArray[np.int64]:
    """Rows of the points that lie in cubes of side `step` which hang together with the seed's."""
    from scipy import ndimage

    low = points.min(axis=0)
    cubes = np.floor((points - low) / step).astype(np.int64)
    shape = cubes.max(axis=0) + 1
    if np.prod(shape.astype(float)) > 5e7:
        return _hanging_together(points, seed, 2.0 * step)
    grid = np.zeros(shape, np.bool_)
    grid[tuple(cubes.T)] = True
    number, _ = ndimage.label(grid, np.ones((3, 3, 3)))
    of_seed = np.floor((seed - low) / step).astype(np.int64)
    inside = ((of_seed >= 0) & (of_seed < shape)).all(axis=1)
    wanted = np.unique(number[tuple(of_seed[inside].T)])
    return np.flatnonzero(np.isin(number[tuple(cubes.T)], wanted[wanted > 0]))


def cylinder_at(ends: Ends, at: Floats) -> Grown:
    """The round wall that a place lies on. Raises NotMeasured."""
    best: Grown | None = None
    for window in ROUND_WINDOWS:
        rows = ends.near(at, window * ends.cell)
        for start in _round_starts(ends, rows, at):
            for out in (1.0, -1.0):
                seed = rows[
                    (np.abs(start.off(ends.points[rows])) < 3 * ON_FACE_MM) & ends.only(rows).facing(start, out)
                ]
                if len(seed) < LEAST_POINTS:
                    continue
                closer = fit_cylinder(ends.points[seed], start)
                if closer is None or np.abs(closer.off(ends.points[seed])).max() > 3 * ON_FACE_MM:
                    continue
                nearest = ends.points[seed[np.argsort(np.linalg.norm(ends.points[seed] - at, axis=1))[:LEAST_POINTS]]]
                try:
                    grown = _grown(ends, closer, nearest, out)
                except NotMeasured:
                    continue
                if best is None or len(grown.rows) > 1.2 * len(best.rows):
                    best = grown
        if best is not None:
            break
    if best is None or not _turns(best, ends):
        raise NotMeasured("there is no round wall there; point at the wall of a hole or boss")
    return best


def _round_starts(ends: Ends, rows: NDArray[np.int64], at: Floats) -> Iterator[Cylinder]:
    """Cylinders that the ends around a place may lie on: from their normals, those told by flat neighbourhoods alone."""
    if len(rows) < 3 * LEAST_POINTS:
        return
    rows = rows[np.argsort(np.linalg.norm(ends.points[rows] - at, axis=1), kind="stable")]
    rows = rows[:: max(1, len(rows) // MOST_SEED)]
    _, around = ends.tree.query(ends.points[rows], k=min(10, len(ends)))
    local = ends.points[around] - ends.points[around].mean(axis=1, keepdims=True)
    sizes, axes = np.linalg.eigh(np.einsum("nki,nkj->nij", local, local))
    flat = sizes[:, 0] < 0.02 * sizes[:, 1]  # not at an edge
    if flat.sum() < LEAST_POINTS:
        return
    points, normals = ends.points[rows[flat]], axes[flat, :, 0]
    for count in (len(points), len(points) // 2, len(points) // 4):
        if count >= LEAST_POINTS:
            start = start_cylinder(points[:count], normals[:count])
            if start is not None:
                yield start


def _turns(grown: Grown, ends: Ends) -> bool:
    """Whether a wall goes far enough round for its radius to be known."""
    assert isinstance(grown.face, Cylinder)
    radial = grown.face.radial(ends.points[grown.rows])
    radial /= np.maximum(np.linalg.norm(radial, axis=1, keepdims=True), 1e-12)
    mean = radial.mean(axis=0)
    length = float(np.linalg.norm(mean))
    return length < 1e-6 or float((radial @ (mean / length)).min()) < LEAST_TURN


@dataclass(frozen=True)
class Region:
    """A face of a design: its triangles as a mesh, with the flat or round face that they lie on; `out` as in `Ends.facing`."""

    face: Face
    mesh: Mesh
    border: Floats  # (n, 3): points along its border
    out: float = 1.0


def stock_on(ends: Ends, region: Region, band: float) -> NDArray[np.int64]:
    """Rows of the ends that are the stock's side of a design's face: within `band` mm of it, looking its way, and over it, not
    over its border, where a neighbour may end them."""
    low, high = region.mesh.bounds
    face = region.face
    rows = np.flatnonzero(((ends.points > low - band) & (ends.points < high + band)).all(axis=1))
    rows = rows[(np.abs(face.off(ends.points[rows])) < band) & ends.only(rows).facing(face, region.out)]
    if not len(rows):
        return rows
    foot = _feet(face, ends.points[rows])
    over = _over(region.mesh, face, foot)
    rows, foot = rows[over], foot[over]
    if not len(rows):
        return rows
    from_border = tree_of(region.border).query(foot)[0]
    for margin in (2.0 * ends.cell, ends.cell, 0.5 * ends.cell):
        inner = rows[from_border > margin]
        if len(inner) >= LEAST_POINTS:
            return inner
    return rows[:0]


def _feet(face: Face, points: Floats) -> Floats:
    """Where the points stand over the face (n, 3)."""
    if isinstance(face, Plane):
        return np.asarray(points - face.off(points)[:, None] * face.normal)
    radial = face.radial(points)
    return np.asarray(
        points - radial * (1.0 - face.radius / np.maximum(np.linalg.norm(radial, axis=1), 1e-12))[:, None]
    )


def _over(mesh: Mesh, face: Face, feet: Floats) -> NDArray[np.bool_]:
    """Which feet (n, 3) on a face lie within its triangles: in its plane, or as far off as the chords of a round wall are."""
    from ..geometry.distance import Solid

    sag = sagitta(mesh.triangles, face) if isinstance(face, Cylinder) else 0.0
    return np.asarray(np.abs(Solid.of(mesh).distance(feet, sag + 1.0)) < sag + 1e-3)


def sagitta(triangles: Floats, wall: Cylinder) -> float:
    """How far the sides of triangles whose corners lie on a round wall stand off it, in their middles, at most."""
    middles = 0.5 * (triangles + np.roll(triangles, 1, axis=1)).reshape(-1, 3)
    return float(np.abs(wall.off(middles)).max())
