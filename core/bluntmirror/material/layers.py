"""What several tools have cut, kept apart: each as a full block with that tool's ways taken out of it.

layer    the block that one of them leaves; the stock is what is common to the blank and all layers
grown    a layer whose every end stands farther out: what its tool would leave at most, were it anywhere within so much of its place
"""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import Mesh, revolve
from .comparison import slots_of
from .layer_kernel import common
from .region import Region
from .stock import AXES_OF, Laid, Lattice, Rays, Stock, rays_of

Floats = NDArray[np.float64]
NONE = np.zeros(0, np.int32)


@dataclass(frozen=True)
class Ends:
    """The intervals of one family: lo and hi, the place of every ray's first one in them, and how many it has."""

    lo: NDArray[np.float32]
    hi: NDArray[np.float32]
    first: NDArray[np.int64]
    count: NDArray[np.int32]

    @staticmethod
    def of(rays: Rays) -> Ends:
        return Ends(rays.lo, rays.hi, *slots_of(rays))

    def with_(self, other: Ends, own: Floats, its: Floats) -> Ends:
        """What is in both; `own`, `its` (2,): how much lower each's low ends stand, and how much higher its high ones."""
        first, count = np.zeros(len(self.count), np.int64), np.zeros(len(self.count), np.int32)
        nothing = np.zeros(0, np.float32)
        parts = (
            self.lo,
            self.hi,
            self.first,
            self.count,
            own[0],
            own[1],
            other.lo,
            other.hi,
            other.first,
            other.count,
            its[0],
            its[1],
        )
        room = common(*parts, False, nothing, nothing, first, count)
        lo, hi = np.empty(room, np.float32), np.empty(room, np.float32)
        common(*parts, True, lo, hi, first, count)
        return Ends(lo, hi, first, count)


def block(lattice: Lattice, beyond: float) -> list[Ends]:
    """A block that holds the lattice, and so much more along every ray."""
    low, high = lattice.origin, lattice.origin + lattice.step * lattice.counts
    found = []
    for u, v, w in AXES_OF:
        n = int(lattice.counts[u] * lattice.counts[v])
        found.append(
            Ends(np.full(n, low[w] - beyond, np.float32), np.full(n, high[w] + beyond, np.float32), np.arange(n), np.ones(n, np.int32))
        )  # fmt: skip
    return found


def bar(lattice: Lattice, centre: Floats, beyond: float) -> list[Ends]:
    """The same of work that spins about the grid's Z through `centre`: a bar that holds all of it."""
    low, high = lattice.origin, lattice.origin + lattice.step * lattice.counts
    corner = np.maximum(np.abs(low - centre), np.abs(high - centre))[:2]
    radius = float(np.hypot(*corner)) + beyond
    turned = revolve(
        [[0.0, low[2] - beyond], [radius, low[2] - beyond], [radius, high[2] + beyond], [0.0, high[2] + beyond]]
    )
    mesh = Mesh(turned.vertices + [centre[0], centre[1], 0.0], turned.faces)
    return [_of_laid(rays_of(mesh, lattice, direction)) for direction in range(3)]


def blank(mesh: Mesh, lattice: Lattice) -> list[Ends]:
    """A closed mesh on the rays of a lattice."""
    return [_of_laid(rays_of(mesh, lattice, direction)) for direction in range(3)]


def _of_laid(laid: Laid) -> Ends:
    return Ends(laid.lo, laid.hi, laid.first, laid.count)


def filled(like: Stock, ends: Sequence[Ends], region: Region | None = None) -> Stock:
    """A stock on the lattice of another that holds such intervals; of a region only what lies there."""
    made = copy(like)
    families = []
    for direction, end in enumerate(ends):
        rays = Rays(direction, like.lattice)
        laid = Laid(end.lo, end.hi, end.first, end.count, 0, NONE, NONE)
        rays.fill(region.within(laid, rays) if region else laid)
        families.append(rays)
    made.rays = families
    return made


def ends_of(stock: Stock) -> list[Ends]:
    return [Ends.of(rays) for rays in stock.rays]
