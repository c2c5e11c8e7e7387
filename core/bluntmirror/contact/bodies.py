"""Bodies as contact sees them: triangles in a tree of boxes, and which pairs are to be checked."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..geometry.distance_kernel import closest_on_triangle
from ..geometry.frames import Floats, apply, inverse
from ..geometry.hull import corners as corners_of
from ..geometry.hull import is_convex, outline
from ..geometry.mesh import Mesh, revolve
from .convex_kernel import Pieces


@dataclass(frozen=True)
class Body:
    """A rigid thing: its solids in the frame of the link it is fixed to. `tool` is the number of the tool it is part of.
    `pieces`: the same in convex pieces, where it can be had so; clearance is then asked of their corners alone."""

    name: str
    link: str
    solids: tuple[Mesh, ...]
    tool: int = 0
    pieces: tuple[Mesh, ...] = ()
    resting: int = 0  # the tool that it is while that is not in use, hanging in a rack
    always: bool = False  # a tool of a turret: there whichever tool is in use
    while_work: str = ""  # "spins", "still": only there while its spindle's work does so
    spindle: str = ""  # the work spindle that it hangs on, of several
    called_tool: str = ""  # how a tool is called where its number alone does not tell it
    group: str = ""  # what it is one of several parts of, told together: the jaws of a chuck
    variant: str = ""  # of a body that counts as several in turn, which
    segments: np.ndarray | None = field(default=None, compare=False)  # (m,): where it is there, of such a one
    role: str = "machine"  # machine, fixture, part, tool, stock
    phases: tuple[int, int | None] | None = None  # from which programmed stop to which it is there, when not always

    @property
    def label(self) -> str:
        return f"{self.called_tool or f'T{self.tool}'} {self.name}" if self.tool else self.name

    def called(self, name: str) -> bool:
        """Whether a name or the name of a group means this body."""
        return name in (self.label, self.name, self.role) or (
            self.role == "tool" and name == (self.called_tool or f"T{self.tool}")
        )

    @property
    def key(self) -> tuple[str, str]:
        return self.label, self.while_work + self.variant


def spun(mesh: Mesh, axis: Floats) -> Mesh:
    """The ring that holds all a solid sweeps while it turns about the Z of a frame (4, 4): the hull of its z and r."""
    from shapely.geometry import MultiPoint, Point  # a library of its own that few jobs need

    points = apply(inverse(axis), mesh.vertices)
    radius = np.hypot(points[:, 0], points[:, 1])
    inner = float(MultiPoint(points[:, :2]).convex_hull.distance(Point(0.0, 0.0)))
    low, high = float(points[:, 2].min()), float(points[:, 2].max())
    section = np.concatenate([np.column_stack([radius, points[:, 2]]), [[inner, low], [inner, high]]])
    return revolve(outline(section).tolist()).moved(axis)


NO_PIECES = Pieces(np.zeros((0, 3)), np.zeros(1, np.int64), np.zeros((0, 4)))


def convex_pieces(body: Body) -> Pieces | None:
    """A body's convex pieces, or None where it cannot be had in such."""
    meshes = body.pieces or body.solids
    if not body.pieces and not all(is_convex(mesh) for mesh in meshes):
        return None
    corners = [corners_of(mesh) for mesh in meshes]
    middles = [0.5 * (points.min(axis=0) + points.max(axis=0)) for points in corners]
    spheres = [
        [*middle, float(np.linalg.norm(points - middle, axis=1).max())]
        for points, middle in zip(corners, middles, strict=True)
    ]
    first = np.concatenate([[0], np.cumsum([len(points) for points in corners])]).astype(np.int64)
    return Pieces(np.ascontiguousarray(np.concatenate(corners)), first, np.array(spheres))


def parting_shift(a: tuple[Mesh, ...], b: tuple[Mesh, ...], pose: Floats) -> float:
    """The shortest shift that parts b (in `pose` (4, 4)) from a, over the facet normals of both; 0 when apart.

    Exact for convex solids that meet face to face (the separating-axis theorem over face normals); for an edge across
    an edge and for solids with hollows it is an upper bound.
    """
    worst = 0.0
    for one in a:
        for other in b:
            normals = np.concatenate([_normals(one), _normals(other) @ pose[:3, :3].T])
            reach_a = one.vertices @ normals.T
            reach_b = apply(pose, other.vertices) @ normals.T
            overlap = reach_a.max(axis=0) - reach_b.min(axis=0)
            worst = max(worst, float(overlap.min()))
    return worst


def _normals(mesh: Mesh) -> Floats:
    a, b, c = np.moveaxis(mesh.triangles, 1, 0)
    normal = np.cross(b - a, c - a)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    return np.asarray(np.concatenate([np.unique(np.round(normal, 6), axis=0), -np.unique(np.round(normal, 6), axis=0)]))


def closest_points(a: Floats, b: Floats) -> tuple[Floats, Floats]:
    """The closest points of two triangles (3, 3): of a corner on the other's face, or of two edges."""
    found = []
    for corner in a:
        found.append((corner, np.array(closest_on_triangle(b, *corner)[:3])))
    for corner in b:
        found.append((np.array(closest_on_triangle(a, *corner)[:3]), corner))
    for i in range(3):
        for j in range(3):
            found.append(_closest_on_edges(a[i], a[(i + 1) % 3], b[j], b[(j + 1) % 3]))
    return min(found, key=lambda pair: float(np.linalg.norm(pair[0] - pair[1])))


def _closest_on_edges(p: Floats, q: Floats, r: Floats, s: Floats) -> tuple[Floats, Floats]:
    """The closest points of the segments pq and rs: the lines' own where both lie within, else of an end."""
    u, v, w = q - p, s - r, p - r
    uu, uv, vv = float(u @ u), float(u @ v), float(v @ v)
    ways = [(float(np.clip((x - p) @ u, 0, uu)) / max(uu, 1e-18), t) for t, x in ((0.0, r), (1.0, s))]
    ways += [(t, float(np.clip((x - r) @ v, 0, vv)) / max(vv, 1e-18)) for t, x in ((0.0, p), (1.0, q))]
    slant = uu * vv - uv * uv
    if slant > 1e-12:
        uw, vw = float(u @ w), float(v @ w)
        along, across = (uv * vw - vv * uw) / slant, (uu * vw - uv * uw) / slant
        if 0 <= along <= 1 and 0 <= across <= 1:
            ways.append((along, across))
    points = [(p + a * u, r + b * v) for a, b in ways]
    return min(points, key=lambda pair: float(np.linalg.norm(pair[0] - pair[1])))
