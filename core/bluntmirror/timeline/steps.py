"""Step functions of time: what the acts of a program have made of the machine, as everything after the timeline reads it.

segment   0    1    2    3    4    5    6        (of the knots; still time has segments too)
tool      T1 ─────────────┐T2 ───────────
spins     no ──┐yes ─────────────┐no ────
phase     0 ────────────────┐1 ──────────        a programmed stop lies between, bodies come and go
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .reel import Knots


@dataclass(frozen=True)
class Steps:
    """What holds from a segment on until the next step. begin (n,): the segments, ascending from 0; value (n,); over `count`
    segments in all."""

    begin: NDArray[np.int64]
    value: NDArray
    count: int

    @staticmethod
    def of(each: NDArray) -> Steps:
        """From what holds in each segment (m,)."""
        begin = np.flatnonzero(np.concatenate([[True], each[1:] != each[:-1]])[: len(each)])
        return Steps(begin, each[begin], len(each))

    @property
    def each(self) -> NDArray:
        """What holds in each segment (m,)."""
        return np.repeat(self.value, np.diff(np.append(self.begin, self.count)))

    def at(self, segments: NDArray[np.int64]) -> NDArray:
        """What holds in some segments."""
        return np.asarray(self.value[np.searchsorted(self.begin, segments, side="right") - 1])


@dataclass(frozen=True)
class Standing:
    """The tool in use, whether the work spindle turns, and how many programmed stops lie behind."""

    tool: Steps
    spins: Steps
    phase: Steps

    @staticmethod
    def of(knots: Knots, tool: NDArray[np.int32], spins: NDArray[np.bool_]) -> Standing:
        """From what holds in each motion."""
        return Standing(Steps.of(tool[knots.motion]), Steps.of(spins[knots.motion]), Steps.of(knots.phase))

    @staticmethod
    def with_tool(knots: Knots, tool: int) -> Standing:
        """One tool in use all along, and no spindle that turns work."""
        m = len(knots.motion)
        return Standing(Steps.of(np.full(m, tool, np.int32)), Steps.of(np.zeros(m, np.bool_)), Steps.of(knots.phase))

    def holds(self, tool: int | None, phases: tuple[int, int | None] | None, spins: bool | None) -> NDArray[np.bool_]:
        """The segments (m,) in which a tool is in use, between two of the programmed stops, while the work spins or not; None
        of each: it does not matter."""
        found = np.ones(self.tool.count, np.bool_)
        if tool is not None:
            found &= self.tool.each == tool
        if phases:
            first, last = phases
            found &= (self.phase.each >= first) & (last is None or self.phase.each < last)
        if spins is not None:
            found &= self.spins.each == spins
        return found
