"""Step functions of time: what the acts of a program have made of the machine, as everything after the timeline reads it.

segment   0    1    2    3    4    5    6        (of the knots; still time has segments too)
tools     T1 ─────────────┐T2 ───────────
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
    """What holds in every segment. tools: the tool in use of every lane; spins: of every spindle that turns work, whether it does
    ("" for that of a machine that names none); phase: how many programmed stops lie behind."""

    tools: tuple[Steps, ...]
    spins: dict[str, Steps]
    phase: Steps

    @property
    def count(self) -> int:
        return self.phase.count

    @staticmethod
    def with_tool(knots: Knots, tool: int) -> Standing:
        """One tool in use all along, and no spindle that turns work."""
        return Standing((Steps.of(np.full(len(knots.motion), tool, np.int32)),), {}, Steps.of(knots.phase))

    def spinning(self, spindle: str) -> NDArray[np.bool_]:
        """The segments (m,) in which a spindle turns its work."""
        return self.spins[spindle].each if spindle in self.spins else np.zeros(self.count, np.bool_)

    def in_use(self, tool: int) -> NDArray[np.bool_]:
        """The segments in which any channel has a tool in use."""
        found = np.zeros(self.count, np.bool_)
        for own in self.tools:
            found |= own.each == tool
        return found

    def holds(
        self, tool: int | None, phases: tuple[int, int | None] | None, spins: bool | None, spindle: str = ""
    ) -> NDArray[np.bool_]:
        """The segments (m,) in which a tool is in use, between two of the programmed stops, while a spindle's work spins or not;
        None of each: it does not matter."""
        found = np.ones(self.count, np.bool_)
        if tool is not None:
            found &= self.in_use(tool)
        if phases:
            first, last = phases
            found &= (self.phase.each >= first) & (last is None or self.phase.each < last)
        if spins is not None:
            found &= self.spinning(spindle) == spins
        return found
