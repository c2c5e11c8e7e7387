"""The film: the stock's surface in bricks, with a new version of a brick each time a stretch of cutting changed it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import Mesh
from .stock import Stock
from .surface_kernel import BRICK, SPAN, brick_surface


@dataclass(frozen=True)
class BrickVersion:
    """One brick from `time` (s) on: vertices (V, 3) float32 in the grid frame, quads (Q, 4), tags (Q,)."""

    brick: int
    time: float
    vertices: NDArray[np.float32]
    quads: NDArray[np.uint16]
    tags: NDArray[np.int32]


@dataclass
class Film:
    stock: Stock
    versions: list[BrickVersion] = field(default_factory=list)

    def __post_init__(self) -> None:
        # One layer of ghost nodes on every side closes the surface at the border of the grid.
        self.shape = tuple(int(n) for n in (self.stock.lattice.counts + 1 + BRICK - 1) // BRICK)
        most = SPAN**3
        self._vertices = np.zeros((most, 3))
        self._quads = np.zeros((3 * most, 4), np.uint16)
        block = (SPAN, SPAN, SPAN)
        self._space = (
            np.zeros((SPAN, SPAN), np.int64), np.zeros((*block, 3)), np.zeros(block, np.int64), np.full(block, -1, np.int64),
            np.zeros((3 * most, 4), np.int64), np.zeros(3 * most), np.zeros(3 * most, np.int32),
        )  # fmt: skip
        self._tags = np.zeros(3 * most, np.int32)
        self._places = np.zeros((3 * most, 3))
        self._last: dict[int, int] = {}  # brick → its latest version

    def shoot(
        self, time: float, low: NDArray[np.float64] | None = None, high: NDArray[np.float64] | None = None
    ) -> int:
        """Take the bricks that reach into the box (grid frame; all when none is given) and keep those that changed."""
        lattice = self.stock.lattice
        if low is None or high is None:
            first, last = np.zeros(3, int), np.array(self.shape) - 1
        else:
            first = np.floor((low - lattice.origin) / lattice.step - 2).astype(int) // BRICK
            last = np.ceil((high - lattice.origin) / lattice.step + 2).astype(int) // BRICK
            first, last = np.maximum(first, 0), np.minimum(last, np.array(self.shape) - 1)
        changed = 0
        for x in range(first[0], last[0] + 1):
            for y in range(first[1], last[1] + 1):
                for z in range(first[2], last[2] + 1):
                    changed += self._brick(time, x, y, z)
        return changed

    def _surface(self, x: int, y: int, z: int) -> tuple[int, int]:
        r0, r1, r2 = self.stock.rays
        lattice = self.stock.lattice
        return brick_surface(
            np.array([x, y, z]), lattice.origin, lattice.step, lattice.counts,
            r0.lo, r0.hi, r0.tag_lo, r0.tag_hi, r1.lo, r1.hi, r1.tag_lo, r1.tag_hi, r2.lo, r2.hi, r2.tag_lo, r2.tag_hi,
            r0.base, r0.capacity, r0.count, r1.base, r1.capacity, r1.count, r2.base, r2.capacity, r2.count,
            r0.tiles_u, r1.tiles_u, r2.tiles_u, *self._space, self._vertices, self._quads,
            self._tags, self._places,
        )  # fmt: skip

    def _brick(self, time: float, x: int, y: int, z: int) -> int:
        nv, nq = self._surface(x, y, z)
        number = (z * self.shape[1] + y) * self.shape[0] + x
        vertices, quads = self._vertices[:nv].astype(np.float32), self._quads[:nq].copy()
        known = self.versions[self._last[number]] if number in self._last else None
        if known is None and not nv:
            return 0
        if known and np.array_equal(known.vertices, vertices) and np.array_equal(known.tags, self._tags[:nq]):
            return 0
        self._last[number] = len(self.versions)
        self.versions.append(BrickVersion(number, time, vertices, quads, self._tags[:nq].copy()))
        return 1

    def final_places(self) -> tuple[list[int], NDArray[np.float64]]:
        """The latest version of every brick, and the exact ray end behind each of their quads, (Q, 3) in that order."""
        latest = sorted(self._last.values())
        places = [np.zeros((0, 3))]
        for version in latest:
            number = self.versions[version].brick
            x, y = number % self.shape[0], number // self.shape[0] % self.shape[1]
            _, nq = self._surface(x, y, number // (self.shape[0] * self.shape[1]))
            places.append(self._places[:nq].copy())
        return latest, np.concatenate(places)

    def final_mesh(self) -> Mesh:
        """The surface as it stands, as one mesh in the grid frame."""
        vertices, faces, total = [np.zeros((0, 3))], [np.zeros((0, 3), np.int32)], 0
        for version in (self.versions[i] for i in self._last.values()):
            q = version.quads.astype(np.int32)
            faces.append(np.concatenate([q[:, [0, 1, 2]], q[:, [0, 2, 3]]]) + total)
            vertices.append(version.vertices.astype(float))
            total += len(version.vertices)
        points = np.concatenate(vertices)
        # Bricks carry copies of the vertices on their common border, equal to the bit: made one again here.
        unique, back = np.unique(points, axis=0, return_inverse=True)
        return Mesh(unique, back.ravel()[np.concatenate(faces)].astype(np.int32))
