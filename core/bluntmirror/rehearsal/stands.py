"""How a body stands at any moment of a program."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable

import numpy as np

from ..geometry.frames import Floats

Pose = Callable[[Floats], Floats]


class Stands:
    """How a body stands, as a frame (4, 4), at any moment of the program. values (m + 1, k): axis values at the knots; what
    carries it may change between two segments."""

    def __init__(self, values: Floats, pose: Pose) -> None:
        self._values = values
        self._from: list[int] = [0]
        self._poses: list[Pose] = [pose]

    def change(self, segment: int, pose: Pose) -> None:
        """From a segment on something else carries it."""
        self._from.append(segment)
        self._poses.append(pose)

    def own(self) -> None:
        """Changes from now on are this one's alone."""
        self._from, self._poses = list(self._from), list(self._poses)

    def at(self, segment: int, share: float) -> Floats:
        a = self._values[segment]
        b = self._values[min(segment + 1, len(self._values) - 1)]
        pose = self._poses[bisect_right(self._from, segment) - 1]
        return np.asarray(pose((a + share * (b - a))[None])[0])

    @property
    def last(self) -> Floats:
        return np.asarray(self._poses[-1](self._values[-1:])[0])
