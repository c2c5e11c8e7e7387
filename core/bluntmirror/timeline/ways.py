"""Ways that are straight, or an arc, seen from the work: cut into pieces that the axes run straight through.

share   how far along its way a motion is, 0–1; rotary axes run evenly with it
piece   a stretch between two points; within it every axis runs straight, and the tip stands off the true way by no
        more than TIP_TOLERANCE_MM
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.frames import Floats
from ..machine.tip import Kinematics
from ..program.motions import ARC, PLANE_AXES, Motions

TIP_TOLERANCE_MM = 0.0005
MOST_DEGREES = 2.0  # that a rotary axis turns within a piece: contact and material take a piece's turning as small
MOST_PIECES = 100_000  # of one motion


@dataclass(frozen=True)
class Ways:
    """m motions with a way in a frame: motion (m,), first (m + 1,) into the points, length (m,) of the way in mm (degrees
    where the tip stands still), at (p, k): axis values at the end of every piece, tip (p, 3): program points there."""

    motion: NDArray[np.int64]
    first: NDArray[np.int64]
    length: Floats
    at: Floats


def ways_in_frame(motions: Motions, kinematics: Kinematics | None, linear: NDArray[np.bool_]) -> Ways:
    """The ways of all motions marked `in_frame`. `linear` (k,): which axes are."""
    rows = np.flatnonzero(motions.in_frame)
    k = len(motions.axes)
    if not len(rows) or kinematics is None:
        return Ways(np.zeros(0, np.int64), np.zeros(1, np.int64), np.zeros(0), np.zeros((0, k)))
    begin = motions.begin
    kept, first, lengths, at = [], [0], [], []
    for row in rows.tolist():
        way = _Way(motions, row, begin[row], kinematics, linear)
        if way.length <= 0.0:
            continue
        points = way.points(way.pieces())
        kept.append(row)
        at.append(points)
        lengths.append(way.length)
        first.append(first[-1] + len(points))
    return Ways(
        np.array(kept, np.int64),
        np.array(first, np.int64),
        np.array(lengths),
        np.concatenate(at) if at else np.zeros((0, k)),
    )


class _Way:
    """One motion's way in its tool frame."""

    def __init__(
        self, motions: Motions, row: int, begin: Floats, kinematics: Kinematics, linear: NDArray[np.bool_]
    ) -> None:
        frame = motions.snapshots[int(motions.snapshot[row])].frame
        assert frame
        self.kinematics, self.begin, self.end = kinematics, begin, motions.end[row]
        self.matrix, self.tool_length = frame.matrix, frame.length
        self.work_only = frame.work_only
        self.rotary = ~linear
        back = self.matrix[:3, :3].T
        self.start, self.stop = (
            back @ (kinematics.zero_place(values, frame.length, frame.work_only) - self.matrix[:3, 3])
            for values in (self.begin, self.end)
        )
        self.arc = motions.kind[row] == ARC
        self.sweep = float(motions.sweep[row]) if self.arc else 0.0
        self.turned = float(np.abs(self.end - self.begin)[self.rotary].max(initial=0.0))
        straight = self.stop - self.start
        if self.arc:
            self.first, self.second, self.third = PLANE_AXES[int(motions.plane[row])]
            self.centre = motions.centre[row]
            r0, r1 = (
                math.hypot(p[self.first] - self.centre[0], p[self.second] - self.centre[1])
                for p in (self.start, self.stop)
            )
            self.radius = (r0, r1)
            self.length = math.hypot(0.5 * (r0 + r1) * self.sweep, straight[self.third])
        else:
            self.length = float(np.linalg.norm(straight))
        if self.length < 1e-9:
            self.length = float(np.linalg.norm((self.end - self.begin)[self.rotary]))

    def tips(self, shares: Floats) -> Floats:
        """Program points (s, 3) on the true way."""
        points = np.asarray(self.start + shares[:, None] * (self.stop - self.start))
        if self.arc:
            arm = self.start[[self.first, self.second]] - self.centre
            angle = math.atan2(arm[1], arm[0]) + shares * self.sweep
            radius = self.radius[0] + shares * (self.radius[1] - self.radius[0])
            points[:, self.first] = self.centre[0] + radius * np.cos(angle)
            points[:, self.second] = self.centre[1] + radius * np.sin(angle)
        return points

    def axes(self, shares: Floats) -> Floats:
        """Axis values (s, k) that have the tip on the true way."""
        values = np.ascontiguousarray(self.begin + shares[:, None] * (self.end - self.begin))
        places = self.tips(shares) @ self.matrix[:3, :3].T + self.matrix[:3, 3]
        if self.work_only:
            for i in range(len(values)):
                values[i] = self.kinematics.reach(values[i], places[i], self.tool_length, True) or values[i]
            return values
        return self.kinematics.reach_all(values, places, np.full(len(values), self.tool_length))

    def points(self, pieces: int) -> Floats:
        values = self.axes(np.arange(1, pieces + 1) / pieces)
        values[-1] = self.end
        return values

    def error(self, pieces: int) -> float:
        """How far the tip stands off the true way in the middle of the pieces, mm."""
        shares = np.arange(2 * pieces + 1) / (2 * pieces)
        values = self.axes(shares[::2])
        middle = 0.5 * (values[1:] + values[:-1])
        there = self.kinematics.zero_places(middle, np.full(len(middle), self.tool_length))
        if self.work_only:
            there = np.array([self.kinematics.zero_place(v, self.tool_length, True) for v in middle])
        wanted = self.tips(shares[1::2]) @ self.matrix[:3, :3].T + self.matrix[:3, 3]
        return float(np.linalg.norm(there - wanted, axis=1).max())

    def pieces(self) -> int:
        """As few pieces as keep to the tolerance: the error falls with their square."""
        count = max(1, math.ceil(self.turned / MOST_DEGREES), math.ceil(abs(self.sweep) / math.radians(20)))
        while count < MOST_PIECES:
            error = self.error(count)
            if error <= TIP_TOLERANCE_MM:
                return count
            count = max(count + 1, math.ceil(count * min(8.0, 1.05 * math.sqrt(error / TIP_TOLERANCE_MM))))
        return MOST_PIECES
