"""Some of the tiles of a stock's rays: what is looked at where not all of it is."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .cut_kernel import TILE
from .stock import AXES_OF, Laid, Lattice, Rays, Stock

Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Region:
    """Bricks of TILE cells a side in which all three families have their rays. Those that were asked for, and whatever else lies where
    their tiles cross; bricks: (bx, by, bz), those asked for."""

    lattice: Lattice
    bricks: Bools

    @staticmethod
    def around(lattice: Lattice, points: NDArray[np.float64]) -> Region:
        """The bricks that points (n, 3) lie in, and those beside them."""
        bricks = np.zeros(-(-lattice.counts // TILE), np.bool_)
        bricks[_bricks_of(lattice, points, bricks)] = True
        return Region(lattice, _grown(bricks))

    @staticmethod
    def whole(lattice: Lattice) -> Region:
        return Region(lattice, np.ones(-(-lattice.counts // TILE), np.bool_))

    @cached_property
    def tiles(self) -> list[Bools]:
        """Of every family, its tiles (tiles,)."""
        return [self.bricks.any(axis=w).T.reshape(-1) for _, _, w in AXES_OF]

    @cached_property
    def filled(self) -> Bools:
        """All bricks whose tiles are there in every family, (bx, by, bz)."""
        full = np.ones_like(self.bricks)
        for _, _, w in AXES_OF:
            full &= self.bricks.any(axis=w, keepdims=True)
        return full

    @cached_property
    def inner(self) -> Bools:
        """Those of them whose neighbours all are, too; beyond the lattice nothing is missing."""
        return ~_grown(~self.filled)

    def holds(self, points: NDArray[np.float64], bricks: Bools | None = None) -> Bools:
        """Whether points (n, 3) lie in bricks that are filled, or in some of them."""
        of = self.filled if bricks is None else bricks
        return np.asarray(of[_bricks_of(self.lattice, points, of)])

    def leave(self, stock: Stock) -> None:
        """Leave nothing of a stock elsewhere, so that nothing is cut there."""
        for rays, tiles in zip(stock.rays, self.tiles, strict=True):
            rays.count[~tiles] = 0
            rays.tile_lo[~tiles], rays.tile_hi[~tiles] = np.inf, -np.inf

    def within(self, laid: Laid, rays: Rays) -> Laid:
        """A mesh's intervals on the rays of the region alone."""
        ray = np.arange(rays.nu * rays.nv)
        of = (ray // rays.nu // TILE) * rays.tiles_u + ray % rays.nu // TILE
        return replace(laid, count=np.where(self.tiles[rays.direction][of], laid.count, 0).astype(np.int32))


def _bricks_of(lattice: Lattice, points: NDArray[np.float64], bricks: Bools) -> tuple[NDArray[np.int64], ...]:
    """Where in an array of bricks points (n, 3) lie; beside the lattice, in the brick next to them."""
    at = np.floor((points - lattice.origin) / (lattice.step * TILE)).astype(np.int64)
    return tuple(np.clip(at, 0, np.array(bricks.shape) - 1).T)


def _grown(bricks: Bools) -> Bools:
    """Some bricks with all that touch them."""
    grown = np.pad(bricks, 1)
    for axis in range(3):
        grown = grown | np.roll(grown, 1, axis) | np.roll(grown, -1, axis)
    return grown[1:-1, 1:-1, 1:-1]
