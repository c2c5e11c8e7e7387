"""Pictures for paper: bodies drawn from a good side, shaded, with dark edges where one ends before another, as PNG.

Shades are told apart in black and white too: stock is light, fixtures are middling, tools dark, what a finding names has its outline drawn
twice as thick.
"""

from __future__ import annotations

import base64
import struct
import zlib
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..compiled import compile_kernels
from ..findings import Finding
from ..geometry.frames import Floats, apply, frame, inverse
from ..geometry.mesh import Mesh
from ..rehearsal.result import CutStock, Rehearsal
from ..rehearsal.scene import contact_bodies
from .picture_kernel import draw

PAPER = np.array([255.0, 255.0, 255.0])
SHADES = {
    "stock": (226, 219, 201),
    "fixture": (150, 141, 120),
    "part": (200, 208, 212),
    "tool": (84, 98, 108),
    "machine": (196, 194, 188),
}
GOUGE, LEFT = np.array([163.0, 25.0, 91.0]), np.array([232.0, 152.0, 40.0])
# From above at every quarter, most readable first; then from the sides.
SIDES = tuple(
    np.array(way, float) for way in ((1, -1.4, 1), (-1, -1.4, 1), (1, 1.4, 1), (-1, 1.4, 1), (1, -1, 0.2), (-1, 1, 0.2))
)
FINER = 2  # points drawn for each point of the picture
SEEN_MM = 0.5  # that may lie before a place which still counts as seen
BREAK = 0.02  # of a picture's width: a step in depth that is drawn as an edge


@dataclass(frozen=True)
class Drawn:
    """A mesh in the machine's frame; shades (faces, 3) or one of all, 0 to 255; `named`: with a thick outline."""

    mesh: Mesh
    shade: Floats
    named: bool = False


@dataclass(frozen=True)
class View:
    """From where it is seen: `way` (3,) towards the eye, `at` in the middle, `wide` mm across."""

    way: Floats
    at: Floats
    wide: float

    def axes(self) -> Floats:
        """Right, up and towards the eye, as rows."""
        towards = self.way / np.linalg.norm(self.way)
        right = np.cross([0.0, 0.0, 1.0], towards)
        right = right / np.linalg.norm(right) if np.linalg.norm(right) > 1e-9 else np.array([1.0, 0.0, 0.0])
        return np.array([right, np.cross(towards, right), towards])


def png(bodies: Sequence[Drawn], view: View, width: int = 480, height: int = 320, mark: Floats | None = None) -> bytes:
    """The picture; `mark`: a place that is ringed, in front of all."""
    compile_kernels()
    w, h = FINER * width, FINER * height
    scale = w / view.wide
    axes = view.axes()
    image = np.tile(PAPER, (h, w, 1))
    depth, owner = np.full((h, w), -np.inf), np.full((h, w), -1, np.int64)
    light = np.array([0.35, 0.55, 0.76])
    for number, body in enumerate(bodies):
        if not len(body.mesh.faces):
            continue
        seen = (body.mesh.vertices - view.at) @ axes.T
        corners = np.column_stack([w / 2 + scale * seen[:, 0], h / 2 - scale * seen[:, 1], seen[:, 2]])[body.mesh.faces]
        sides = seen[body.mesh.faces]
        normal = np.cross(sides[:, 1] - sides[:, 0], sides[:, 2] - sides[:, 0])
        length = np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
        bright = 0.55 + 0.45 * np.abs(normal / length @ light)
        draw(
            np.ascontiguousarray(corners),
            np.ascontiguousarray(bright[:, None] * np.broadcast_to(body.shade, (len(bright), 3))),
            depth,
            image,
            owner,
            number,
        )
    _outlines(image, depth, owner, bodies, BREAK * view.wide)
    if mark is not None:
        x, y, _ = axes @ (mark - view.at)
        _ring(image, w / 2 + scale * x, h / 2 - scale * y)
    small = image.reshape(height, FINER, width, FINER, 3).mean(axis=(1, 3))
    return _png(np.clip(small, 0, 255).astype(np.uint8))


def _outlines(image: Floats, depth: Floats, owner: np.ndarray, bodies: Sequence[Drawn], step: float) -> None:
    """Dark where one body ends before another or before itself."""
    near = np.where(np.isfinite(depth), depth, -1e9)
    edge = np.zeros(owner.shape, np.bool_)
    for axis in (0, 1):
        change = (np.diff(owner, axis=axis) != 0) | (np.abs(np.diff(near, axis=axis)) > step)
        edge |= np.pad(change, [(0, 1), (0, 0)] if axis == 0 else [(0, 0), (0, 1)])
    named = np.isin(owner, [i for i, body in enumerate(bodies) if body.named])
    thick = edge & (named | np.roll(named, -1, axis=0) | np.roll(named, -1, axis=1))
    for shift in ((0, 1), (1, 0), (1, 1)):
        edge |= np.roll(thick, shift, axis=(0, 1))
    image[edge] *= 0.25


def _ring(image: Floats, x: float, y: float) -> None:
    """A ring and four ticks about a place."""
    rows, columns = np.ogrid[: image.shape[0], : image.shape[1]]
    away = np.hypot(rows - y, columns - x)
    on = np.abs(away - 18.0) < 2.6
    ticks = (np.minimum(np.abs(rows - y), np.abs(columns - x)) < 2.0) & (away > 18.0) & (away < 34.0)
    image[np.abs(away - 18.0) < 5.0] = 255.0
    image[on | ticks] = GOUGE


def _png(image: np.ndarray) -> bytes:
    """An image (h, w, 3) of bytes as PNG (ISO/IEC 15948)."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    h, w, _ = image.shape
    rows = np.concatenate([np.zeros((h, 1), np.uint8), image.reshape(h, -1)], axis=1)
    head = struct.pack(">IIBBBBB", w, h, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(rows.tobytes(), 6))
        + chunk(b"IEND", b"")
    )


def as_uri(data: bytes) -> str:
    return "data:image/png;base64," + base64.b64encode(data).decode()


# --- what is drawn --------------------------------------------------------------------------------------------------------------


def of_finding(result: Rehearsal, item: Finding, width: int = 480, height: int = 320) -> bytes | None:
    """Where a finding is, with what stands about it then; the stock as it is at the end. None where it has no place."""
    if item.point is None:
        return None
    bodies = standing(result, item.time, set(item.bodies))
    at = np.array(item.point)
    wide = float(np.clip(8.0 * item.amount, 60.0, 160.0))
    best = SIDES[0]
    for way in SIDES:
        if not hidden(bodies, at, way):
            best = way
            break
    return png(bodies, View(best, at, wide), width, height, at)


def hidden(bodies: Sequence[Drawn], at: Floats, way: Floats) -> bool:
    """Whether something lies between a place and the eye."""
    towards = way / np.linalg.norm(way)
    for body in bodies:
        corners = body.mesh.triangles - at
        edge1, edge2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        across = np.cross(np.broadcast_to(towards, edge2.shape), edge2)
        whole = np.einsum("ij,ij->i", edge1, across)
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            s = np.einsum("ij,ij->i", -corners[:, 0], across) / whole
            other = np.cross(-corners[:, 0], edge1)
            t = other @ towards / whole
            far = np.einsum("ij,ij->i", edge2, other) / whole
            before = (np.abs(whole) > 1e-12) & (s >= 0) & (t >= 0) & (s + t <= 1) & (far > SEEN_MM)
        if before.any():
            return True
    return False


def standing(result: Rehearsal, time: float, named: set[str] = frozenset()) -> list[Drawn]:  # type: ignore[assignment]
    """What is on the machine at a moment, in the machine's frame: work, fixtures, the tools in use; of the machine only what is named."""
    job, chain, knots = result.job, result.chain, result.knots
    segment = int(np.clip(np.searchsorted(knots.t1, time), 0, max(len(knots.t1) - 1, 0)))
    t0, t1 = knots.t0[segment], knots.t1[segment]
    share = float(np.clip((time - t0) / (t1 - t0), 0.0, 1.0)) if t1 > t0 else 1.0
    values = (result.values[segment] + share * (result.values[segment + 1] - result.values[segment]))[None]
    motions = result.reel.motions
    using = {int(motions.tool[motion]) for motion in knots.lanes[segment].tolist() if motion >= 0}
    found = []
    for body in contact_bodies(job, chain, result.tools, using):
        if (
            body.while_work == "spins"
            or (body.tool and body.tool not in using)
            or (body.role == "machine" and body.label not in named)
        ):
            continue
        pose = chain.pose(body.link, values)[0]
        shade = np.array(SHADES.get(body.role, SHADES["machine"]), float)
        found += [Drawn(mesh.moved(pose), shade, body.label in named) for mesh in body.solids]
    for cut in result.stocks:
        found.append(
            Drawn(
                cut.final_mesh.moved(_mount_pose(result, cut, values)),
                np.array(SHADES["stock"], float),
                cut.name in named,
            )
        )
    return found


def _mount_pose(result: Rehearsal, cut: CutStock, values: Floats) -> Floats:
    name = cut.mount or next((body.mount for body in result.job.file.bodies if body.name == cut.name.split("/")[0]), "")
    mount = result.chain.mounts[name]
    return np.asarray(result.chain.pose(mount.link, values)[0] @ frame(mount.at, mount.turn))


def of_setup(result: Rehearsal, width: int = 480, height: int = 320) -> bytes | None:
    """The work as it is clamped at the start: fixtures and blanks."""
    job = result.job
    values = result.values[:1]
    bodies = []
    for body in job.file.bodies:
        if body.role not in ("stock", "fixture", "part"):
            continue
        mount = result.chain.mounts[body.mount]
        pose = result.chain.pose(mount.link, values)[0] @ frame(mount.at, mount.turn)
        bodies += [
            Drawn(mesh.moved(pose), np.array(SHADES[body.role], float), body.role == "stock")
            for mesh in job.body_meshes[body.name]
        ]
    return whole(bodies, width, height)


def of_part(result: Rehearsal, cut: CutStock, width: int = 480, height: int = 320) -> bytes | None:
    """The finished part, darkest where it is gouged and orange where material is left, beyond the tolerances."""
    mesh = cut.final_mesh
    shades = np.tile(np.array(SHADES["stock"], float), (len(mesh.faces), 1))
    if cut.part is not None and (len(cut.part.comparison.gouges) or len(cut.part.comparison.excess)):
        checks = result.job.file.checks
        to_grid = np.asarray(inverse(cut.frame if cut.at_end is None else cut.at_end @ cut.frame), np.float64)
        away = cut.part.solid.distance(apply(to_grid, mesh.triangles.mean(axis=1)), 5.0)
        shades[away > checks.excess] = LEFT
        shades[away < -checks.gouge] = GOUGE
    values = result.values[-1:]
    return whole([Drawn(mesh.moved(_mount_pose(result, cut, values)), shades, True)], width, height)


def whole(bodies: Sequence[Drawn], width: int, height: int, way: Floats = SIDES[0]) -> bytes | None:
    """All of some bodies from one side; None where there is nothing."""
    corners = [body.mesh.vertices for body in bodies if len(body.mesh.vertices)]
    if not corners:
        return None
    axes = View(way, np.zeros(3), 1.0).axes()
    seen = np.concatenate(corners) @ axes.T
    low, high = seen.min(axis=0), seen.max(axis=0)
    size = high - low
    view = View(way, axes.T @ (0.5 * (low + high)), 1.08 * float(max(size[0], size[1] * width / height, 1.0)))
    return png(bodies, view, width, height)
