"""The film: the stock's surface in bricks, with a new version of a brick each time a stretch of cutting changed it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..compiled import thread_count
from ..geometry.mesh import Mesh
from .brick_file import first_cell, packed, unpacked
from .stock import Stock
from .surface_kernel import BRICK, CAPACITY, SPAN, Grid, RayTable, Space, Surfaces, brick_surface, brick_surfaces

GROUP = 64  # bricks worked out in one call


class BrickVersion(NamedTuple):
    """One brick from `time` (s) on, as `brick_file` has it; `quads`: how many; `look`: what tells it from what it was before."""

    brick: int
    time: float
    quads: int
    look: int
    data: bytes


@dataclass
class Film:
    stock: Stock
    runs: bool = True  # whether what the stock was is kept; what it is can always be had
    versions: list[BrickVersion] = field(default_factory=list)
    packed_before: Mapping[tuple[int, int], bytes] = field(
        default_factory=dict
    )  # bricks of these looks, as an earlier film has them

    def __post_init__(self) -> None:
        # One layer of ghost nodes on every side closes the surface at the border of the grid.
        self.shape = tuple(int(n) for n in (self.stock.lattice.counts + 1 + BRICK - 1) // BRICK)
        most, threads = SPAN**3, thread_count()
        block = (threads, SPAN, SPAN, SPAN)
        self._space = Space(
            np.zeros((threads, SPAN, SPAN), np.int64), np.zeros((*block, 3)), np.zeros(block, np.int64),
            np.full(block, -1, np.int64), np.zeros((threads, 3 * most, 4), np.int64), np.zeros((threads, 3 * most)),
            np.zeros((threads, 3 * most), np.int32), np.zeros((threads, most, 3)),
            np.zeros((threads, 3 * most, 4), np.uint16), np.zeros((threads, 3 * most), np.int32),
            np.zeros((threads, 3 * most, 3)),
        )  # fmt: skip
        self._out = Surfaces(
            np.zeros((GROUP, CAPACITY, 3), np.float32), np.zeros((GROUP, CAPACITY, 4), np.uint16),
            np.zeros((GROUP, CAPACITY), np.int32), np.zeros((GROUP, CAPACITY, 3)),
        )  # fmt: skip
        self._last: dict[int, int] = {}  # brick → its latest version
        self._looks: dict[int, int] = {}

    @property
    def state(self) -> tuple[list[BrickVersion], dict[int, int], dict[int, int]]:
        """What the film has so far, to go on from later; the stock is not in it."""
        return list(self.versions), dict(self._last), dict(self._looks)

    @state.setter
    def state(self, state: tuple[list[BrickVersion], dict[int, int], dict[int, int]]) -> None:
        self.versions, self._last, self._looks = list(state[0]), dict(state[1]), dict(state[2])

    def shoot(
        self, time: float, low: NDArray[np.float64] | None = None, high: NDArray[np.float64] | None = None
    ) -> int:
        """Take the bricks that reach into the box (grid frame; all when none is given) and keep those that changed.

        Returns how many did; none where no film runs.
        """
        if not self.runs:
            return 0
        lattice = self.stock.lattice
        if low is None or high is None:
            first, last = np.zeros(3, int), np.array(self.shape) - 1
        else:
            first = np.floor((low - lattice.origin) / lattice.step - 2).astype(int) // BRICK
            last = np.ceil((high - lattice.origin) / lattice.step + 2).astype(int) // BRICK
            first, last = np.maximum(first, 0), np.minimum(last, np.array(self.shape) - 1)
        ranges = [np.arange(a, b + 1) for a, b in zip(first, last, strict=True)]
        bricks = np.stack(np.meshgrid(*ranges, indexing="ij"), -1).reshape(-1, 3)
        changed = 0
        for brick, vertices, quads, tags, _, look in self._surfaces(bricks):
            if self._looks.get(brick) == look or (brick not in self._looks and not len(quads)):
                continue
            self._looks[brick] = look
            self._last[brick] = len(self.versions)
            data = self.packed_before.get((brick, look)) or packed(
                vertices, quads, tags, lattice.origin, lattice.step, first_cell(brick, self.shape)
            )
            self.versions.append(BrickVersion(brick, time, len(quads), look, data))
            changed += 1
        return changed

    def _surfaces(self, bricks: NDArray[np.int64]) -> Iterator[tuple[int, NDArray, NDArray, NDArray, NDArray, int]]:
        """(brick, vertices, quads, tags, places, look) of bricks (n, 3); the arrays are lent until the next group."""
        grid, rays = self._asked()
        vertices, quads, tags, places = self._out
        for begin in range(0, len(bricks), GROUP):
            group = bricks[begin : begin + GROUP]
            size, looks = np.zeros((len(group), 2), np.int64), np.zeros(len(group), np.uint64)
            brick_surfaces(group, grid, *rays, self._space, self._out, size, looks)
            for n, ((nv, nq), look) in enumerate(zip(size.tolist(), looks.tolist(), strict=True)):
                x, y, z = group[n].tolist()
                brick = (z * self.shape[1] + y) * self.shape[0] + x
                if nv > CAPACITY or nq > CAPACITY:
                    yield brick, *self._large(group[n : n + 1], nv, nq), look
                else:
                    yield brick, vertices[n, :nv], quads[n, :nq], tags[n, :nq], places[n, :nq], look

    def _asked(self) -> tuple[Grid, list[RayTable]]:
        lattice = self.stock.lattice
        rays = [
            RayTable(r.lo, r.hi, r.tag_lo, r.tag_hi, r.base, r.capacity, r.count, r.tiles_u) for r in self.stock.rays
        ]
        return Grid(lattice.origin, lattice.step, lattice.counts), rays

    def _large(self, brick: NDArray[np.int64], nv: int, nq: int) -> tuple[NDArray, NDArray, NDArray, NDArray]:
        """The surface of a brick so torn that it does not fit the rows set aside: worked out alone, by one thread."""
        grid, rays = self._asked()
        brick_surface(brick[0], grid, *rays, self._space, 0)
        vertices, quads, tags, places = (part[0] for part in self._space[7:])
        return vertices[:nv].astype(np.float32), quads[:nq].copy(), tags[:nq].copy(), places[:nq].copy()

    def latest(self) -> Iterator[tuple[NDArray, NDArray, NDArray, NDArray]]:
        """Vertices, quads, tags and the exact ray end behind each quad, of every brick as it stands."""
        nx, ny, nz = self.shape
        number = np.array(sorted(self._last), np.int64) if self.runs else np.arange(nx * ny * nz)
        bricks = np.column_stack([number % nx, number // nx % ny, number // (nx * ny)])
        for _, vertices, quads, tags, places, _ in self._surfaces(bricks):
            if not len(quads) and not self.runs:
                continue
            yield vertices.astype(np.float32), quads.copy(), tags.copy(), places.copy()

    def of(self, bricks: NDArray[np.int64]) -> Iterator[tuple[NDArray, NDArray, NDArray, NDArray]]:
        """The same of some bricks (n, 3), whether a film runs or not."""
        for _, vertices, quads, tags, places, _ in self._surfaces(bricks):
            if len(quads):
                yield vertices.astype(np.float32), quads.copy(), tags.copy(), places.copy()

    def final_places(self) -> tuple[list[int], NDArray[np.float64], NDArray[np.float64]]:
        """The latest version of every brick, and in their order the exact ray end behind each quad (Q, 3) and its area (Q,), mm²."""
        latest = sorted(self._last.values())
        number = np.array([self.versions[version].brick for version in latest], np.int64)
        nx, ny, _ = self.shape
        bricks = np.column_stack([number % nx, number // nx % ny, number // (nx * ny)])
        places, areas = [np.zeros((0, 3))], [np.zeros(0)]
        for _, vertices, quads, _, ends, _ in self._surfaces(bricks):
            places.append(ends.copy())
            a, b, c, d = (vertices[quads[:, corner]].astype(float) for corner in range(4))
            areas.append(0.5 * np.linalg.norm(np.cross(c - a, d - b), axis=1))
        return latest, np.concatenate(places), np.concatenate(areas)

    def final_mesh(self) -> Mesh:
        """The surface as it stands, as one mesh in the grid frame."""
        vertices, faces, total = [np.zeros((0, 3))], [np.zeros((0, 3), np.int32)], 0
        lattice = self.stock.lattice
        for version in (self.versions[i] for i in self._last.values()):
            own, quads, _ = unpacked(version.data, lattice.origin, lattice.step, first_cell(version.brick, self.shape))
            q = quads.astype(np.int32)
            faces.append(np.concatenate([q[:, [0, 1, 2]], q[:, [0, 2, 3]]]) + total)
            vertices.append(own)
            total += len(own)
        points = np.concatenate(vertices)
        # Bricks carry copies of the vertices on their common border, equal to the bit: made one again here.
        unique, back = np.unique(points, axis=0, return_inverse=True)
        return Mesh(unique, back.ravel()[np.concatenate(faces)].astype(np.int32))
