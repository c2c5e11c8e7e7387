"""The section of work that is turned: while it only spins, its rays are spared, and brought up to date batch by batch.

What the lines of `section_kernel` know and what the rays hold is the same to float noise: a cut is worked out once for every place along
the axis and every distance from it, and laid on the thousands of rays that it holds for once a batch.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .section_kernel import FULL, MEETS, lay_columns, lay_rows, settle, turn_lines

Floats = NDArray[np.float64]
ALIKE_MM = 1e-6  # rays whose distances from the axis differ by less are one column
FIRST_ROOM = 4  # intervals a line


class _Lines:
    """Where each of some lines may have stock, and what they owe to the rays."""

    def __init__(self, count: int, room: int = FIRST_ROOM) -> None:
        self.there, self.count = np.zeros((count, room, 2)), np.zeros(count, np.int64)
        self.owed, self.tags = np.zeros((count, room, 2)), np.full((count, room, 2), -1, np.int32)
        self.owed_count = np.zeros(count, np.int64)

    def widen(self) -> None:
        for name in ("there", "owed", "tags"):
            old = getattr(self, name)
            setattr(self, name, np.concatenate([old, np.zeros_like(old)], axis=1))

    @property
    def arrays(self) -> tuple[NDArray[Any], ...]:
        return self.there, self.count, self.owed, self.tags, self.owed_count


class Section:
    """Of a stock that spins about the grid's Z through `centre` (3,), as its rays stand."""

    def __init__(self, rays: list[Any], centre: Floats) -> None:
        self.centre = np.asarray(centre, float).copy()
        lattice = rays[2].lattice
        x, y = lattice.centres(0) - centre[0], lattice.centres(1) - centre[1]
        away = np.round(np.hypot(x[None, :], y[:, None]).ravel() / ALIKE_MM) * ALIKE_MM
        self.radii, of = np.unique(away, return_inverse=True)
        self.column_of = of.reshape(-1).astype(np.int64)
        self.z_first, self.z_step = float(lattice.centres(2)[0]), float(lattice.step[2])
        self.rows, self.columns = _Lines(int(lattice.counts[2])), _Lines(len(self.radii))
        for family in rays:
            pools = (
                family.lo,
                family.hi,
                family.base,
                family.capacity,
                family.count,
                family.tiles_u,
                family.nu,
                family.nv,
            )
            lines = self.columns if family.direction == 2 else self.rows
            while not self._lay(family, pools, lines):
                lines.widen()

    def _lay(self, family: Any, pools: tuple[Any, ...], lines: _Lines) -> bool:
        if family.direction == 2:
            return bool(lay_columns(*pools, self.column_of, lines.there, lines.count))
        return bool(lay_rows(*pools, *self._across(family), lines.there, lines.count))

    def _across(self, family: Any) -> tuple[float, float, float, float]:
        """Of rays across the axis: the lateral place of the first, their step, and where the axis stands beside and along them."""
        u, w = (1, 0) if family.direction == 0 else (0, 1)
        lattice = family.lattice
        return float(lattice.centres(u)[0]), float(lattice.step[u]), float(self.centre[u]), float(self.centre[w])

    def turn(self, batch: Any, sets: Any, first: int, last: int, taken: Floats, owing: bool = True) -> int:
        """Carry out the motions first … last of a batch; how far it came: to the first whose test meets stock, or to the end. Without
        `owing` the rays have been cut already, and nothing is asked."""
        while True:
            end, at = turn_lines(
                first, last, batch.start, batch.delta, batch.tool, batch.flags, batch.tag, sets.outlines, sets.begin, sets.extents,
                self.z_first, self.z_step, self.radii, *self.rows.arrays, *self.columns.arrays, owing, owing, taken,
            )  # fmt: skip
            if end == FULL:
                first = at
                for lines in (self.rows, self.columns):
                    if max(lines.count.max(), lines.owed_count.max()) >= lines.there.shape[1]:
                        lines.widen()
                continue
            return int(at) if end == MEETS else last

    def settle(self, rays: list[Any]) -> None:
        """Lay on the rays what they are owed."""
        for family in rays:
            lines = self.columns if family.direction == 2 else self.rows
            if not lines.owed_count.any():
                continue
            active = self._owed_tiles(family, lines)
            family.changed[active] = True
            across = (0.0, 0.0, 0.0, 0.0) if family.direction == 2 else self._across(family)
            while len(active):
                whole = np.zeros(len(active), np.bool_)
                settle(
                    family.direction, active, whole, family.tiles_u, family.nu, family.nv, *across, self.column_of, lines.owed,
                    lines.tags, lines.owed_count, family.lo, family.hi, family.tag_lo, family.tag_hi, family.base, family.capacity,
                    family.count, family.tile_lo, family.tile_hi,
                )  # fmt: skip
                active = active[~whole]
                family.widen(active)
        self.rows.owed_count[:] = 0
        self.columns.owed_count[:] = 0

    def _owed_tiles(self, family: Any, lines: _Lines) -> NDArray[np.int64]:
        """The tiles that still hold stock and of whose lines any owes something."""
        owes = lines.owed_count > 0
        cells = (
            owes[self.column_of].reshape(family.nv, family.nu)
            if family.direction == 2
            else np.repeat(owes[:, None], family.nu, 1)
        )
        found = np.zeros(family.tiles, np.bool_)
        v, u = np.nonzero(cells)
        found[(v // 16) * family.tiles_u + u // 16] = True
        return np.flatnonzero(found & np.isfinite(family.tile_lo))
