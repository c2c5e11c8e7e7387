"""How a body stands at any moment of a program."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..geometry.frames import Floats


class Stands:
    """How a body stands, as a frame (4, 4), at any moment of the program. values (m + 1, k): axis values at the knots."""

    def __init__(self, values: Floats, pose: Callable[[Floats], Floats]) -> None:
        self._values, self._pose = values, pose

    def at(self, segment: int, share: float) -> Floats:
        a = self._values[segment]
        b = self._values[min(segment + 1, len(self._values) - 1)]
        return np.asarray(self._pose((a + share * (b - a))[None])[0])

    @property
    def last(self) -> Floats:
        return np.asarray(self._pose(self._values[-1:])[0])
