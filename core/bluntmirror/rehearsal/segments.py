"""The program's path as the stock sees it: straight tool motions in the grid's frame."""

from __future__ import annotations

import numpy as np

from ..geometry.frames import Floats
from ..material.cut_kernel import CUT, TEST_CUT, TEST_FLUSH, TEST_HOLDER, TEST_NEAR, TEST_SHANK
from ..material.stock import Batch, ToolSets
from ..program.motions import RAPID
from .result import Rehearsal


class Segments:
    """The knots' segments that have a known tool, as tip motions in the grid's frame."""

    def __init__(self, result: Rehearsal, gauge: Floats, sets: ToolSets) -> None:
        assert result.reel and result.knots
        motions, knots = result.reel.motions, result.knots
        tool_number = motions.tool[knots.motion]
        usable = {n for n, tool in result.tools.items() if tool.carried_out}
        keep = np.isin(tool_number, list(usable))
        self.motion = knots.motion[keep]
        number = tool_number[keep]
        self.t0, self.time = knots.t0[keep], knots.t1[keep]
        length = np.zeros(len(number))
        turns = np.ones(len(number))
        self.tool = np.zeros(len(number), np.int64)
        self.reach = np.zeros((len(number), 3))  # radius, lowest and highest place of the cutting part
        for n in np.unique(number):
            rows, tool = number == n, result.tools[int(n)]
            length[rows], turns[rows], self.tool[rows] = tool.length, tool.turns, sets.row[int(n)]
            self.reach[rows] = [tool.diameter / 2, 0.0, tool.flute_length]
        lift = np.zeros((len(number), 3))
        lift[:, 2] = length
        self.index = np.flatnonzero(keep)
        self.slabs, self.cutting = sets.slabs, np.ascontiguousarray(sets.sets[:, CUT])
        self.start = gauge[:-1][keep] - lift
        self.delta = (gauge[1:] - gauge[:-1])[keep]
        rapid = motions.kind[self.motion] == RAPID
        still = motions.rpm[self.motion] * turns <= 0
        self.rapid, self.still = rapid, still & ~rapid
        test_cut = rapid | still
        self.flags = np.full(len(number), (1 << CUT) | (1 << TEST_SHANK) | (1 << TEST_HOLDER), np.int64)
        self.flags |= np.where(test_cut, 1 << TEST_CUT, 0)
        self.flags |= np.where(rapid, 0, 1 << TEST_FLUSH)
        if result.job.file.checks.near_stock > 0:
            self.flags |= 1 << TEST_NEAR

    def batch(self, rows: slice) -> Batch:
        return Batch(self.start[rows], self.delta[rows], self.tool[rows], self.flags[rows], self.motion[rows])

    def box(self, rows: slice, removed: np.ndarray) -> tuple[Floats, Floats]:
        """The box that the cutting parts of the segments which removed stock sweep."""
        start = self.start[rows][removed]
        end = start + self.delta[rows][removed]
        reach = self.reach[rows][removed]
        low, high = np.minimum(start, end), np.maximum(start, end)
        side = np.column_stack([reach[:, 0], reach[:, 0]])
        low[:, :2] -= side
        high[:, :2] += side
        high[:, 2] += reach[:, 2]
        return low.min(axis=0), high.max(axis=0)
