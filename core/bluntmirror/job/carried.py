"""What a stock that comes from an earlier step of a route brings along: who cut which of its faces."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import Mesh


@dataclass(frozen=True)
class Cut:
    """A motion of an earlier step that left faces of its stock."""

    step: str
    program: str
    line: int
    tool: int
    name: str  # of the tool


@dataclass(frozen=True)
class CutBefore:
    """`of_face` (faces,): of every face of the carried surface the cut in `cuts` that left it, −1 where none did. In the stock that is
    made of it a face's tag is −2 less that number: below −1, which is the blank's own, where motions of the step itself are from 0 on."""

    cuts: tuple[Cut, ...] = ()
    of_face: NDArray[np.int32] = field(default_factory=lambda: np.zeros(0, np.int32))

    @property
    def tags(self) -> NDArray[np.int32]:
        return np.where(self.of_face >= 0, FIRST - self.of_face, -1).astype(np.int32)

    def made(self, tag: int) -> Cut | None:
        """The cut that a tag of the stock means; None for the blank's own and for the step's motions."""
        return self.cuts[FIRST - tag] if tag <= FIRST else None

    @staticmethod
    def none(mesh: Mesh) -> CutBefore:
        return CutBefore((), np.full(len(mesh.faces), -1, np.int32))


FIRST = -2  # the tag of the first of the cuts
