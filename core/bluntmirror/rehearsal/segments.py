"""The program's path as the stock sees it: straight tool motions in the grid's frame."""

from __future__ import annotations

import numpy as np

from ..geometry.frames import Floats
from ..material.cut_kernel import CUT, TEST_CUT, TEST_FLUSH, TEST_HOLDER, TEST_NEAR, TEST_SHANK
from ..material.stock import Batch, ToolSets
from ..material.sweep_kernel import slab_radius
from ..program.motions import RAPID
from ..tools.assembly import H0, H1
from .result import Rehearsal

TOUCH_STEPS, TOUCH_HALVINGS = 256, 20
HAIR_MM = 1e-6


def pose_at(poses: Floats, segment: int, share: float) -> Floats:
    """The frame (4, 4) at a share of a knots' segment, of frames (m + 1, 4, 4) that do not turn on the way."""
    pose = poses[segment].copy()
    pose[:3, 3] += share * (poses[segment + 1, :3, 3] - pose[:3, 3])
    return pose


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
        self.sets = sets.sets
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

    def first_touch(self, row: int, kind: int, point: Floats) -> float:
        """The share of a segment at which a set of the tool first covers a point (grid frame) — or comes nearest to it,
        when it only grazes it for an instant."""
        first, last = self.sets[self.tool[row], kind]

        def apart(share: Floats) -> Floats:
            """How far the point is from being covered, mm, at shares (n,)."""
            at = self.start[row] + np.multiply.outer(share, self.delta[row])
            height = point[2] - at[:, 2]
            away = np.hypot(point[0] - at[:, 0], point[1] - at[:, 1])
            least = np.full(len(share), np.inf)
            for s in range(first, last):
                low, high = self.slabs[s, H0], self.slabs[s, H1]
                radius = np.array([slab_radius(self.slabs, s, h) for h in np.clip(height, low, high)])
                least = np.minimum(least, np.max([low - height, height - high, away - radius], axis=0))
            return least

        shares = np.linspace(0.0, 1.0, TOUCH_STEPS + 1)
        gap = apart(shares)
        touched = np.flatnonzero(gap <= HAIR_MM)
        if not len(touched):
            return float(shares[np.argmin(gap)])
        if touched[0] == 0:
            return 0.0
        out, inside = float(shares[touched[0] - 1]), float(shares[touched[0]])
        for _ in range(TOUCH_HALVINGS):
            middle = 0.5 * (out + inside)
            if apart(np.array([middle]))[0] <= HAIR_MM:
                inside = middle
            else:
                out = middle
        return inside
