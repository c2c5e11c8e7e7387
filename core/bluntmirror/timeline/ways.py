"""Ways that are straight, or an arc, seen from the work: cut into pieces that the axes run straight through.

share   how far along its way a motion is, 0–1; rotary axes run evenly with it
piece   a stretch between two points; within it every axis runs straight, and the tip stands off the true way by no
        more than TIP_TOLERANCE_MM
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.frames import Floats
from ..machine.tip import Kinematics, Solvers
from ..program.motions import ARC, PLANE_AXES, Motions

TIP_TOLERANCE_MM = 0.0005
MOST_DEGREES = 2.0  # that a rotary axis turns within a piece: contact and material take a piece's turning as small
MOST_PIECES = 100_000  # of one motion
MOST_AT_ONCE = 20_000  # motions worked on together

Ints = NDArray[np.int64]
_PLANES = np.array(PLANE_AXES)


@dataclass(frozen=True)
class Ways:
    """m motions with a way in a frame: motion (m,), first (m + 1,) into the points, length (m,) of the way in mm (degrees
    where the tip stands still), at (p, k): axis values at the end of every piece."""

    motion: Ints
    first: Ints
    length: Floats
    at: Floats

    @staticmethod
    def none(axes: int) -> Ways:
        return Ways(np.zeros(0, np.int64), np.zeros(1, np.int64), np.zeros(0), np.zeros((0, axes)))

    @property
    def counts(self) -> Ints:
        """Pieces of every way."""
        return np.diff(self.first)


def ways_in_frame(motions: Motions, solvers: Solvers | None, linear: NDArray[np.bool_]) -> Ways:
    """The ways of all motions marked `in_frame`. `linear` (k,): which axes are."""
    rows = np.flatnonzero(motions.in_frame)
    parts: list[tuple[Ints, Ints, Floats, Floats]] = []
    for solver, own in _by_solver(motions, rows, solvers) if solvers else []:
        for batch in np.array_split(own, -(-len(own) // MOST_AT_ONCE)):
            ways = _Batch(motions, batch, solver, linear)
            counts = ways.pieces()
            parts.append((ways.rows, counts, ways.length, ways.points(counts)))
    if not parts:
        return Ways.none(len(motions.axes))
    if len(parts) > 1:
        parts = _in_order(parts)
    motion, counts, length, at = (np.concatenate(column) for column in zip(*parts, strict=True))
    return Ways(motion, np.concatenate([[0], np.cumsum(counts)]), length, at)


def _by_solver(motions: Motions, rows: Ints, solvers: Solvers) -> list[tuple[Kinematics, Ints]]:
    """Motions in a frame by the kinematics that the frame is over."""
    found: dict[int, tuple[Kinematics, list[Ints]]] = {}
    for number in np.unique(motions.snapshot[rows]).tolist():
        snapshot = motions.snapshots[number]
        solver = solvers.at(snapshot.works, snapshot.tool)
        assert solver  # no frame without one
        found.setdefault(id(solver), (solver, []))[1].append(rows[motions.snapshot[rows] == number])
    return [(solver, np.sort(np.concatenate(parts))) for solver, parts in found.values()]


def _in_order(parts: list[tuple[Ints, Ints, Floats, Floats]]) -> list[tuple[Ints, Ints, Floats, Floats]]:
    """The ways of several batches, motion by motion."""
    motion, counts, length, at = (np.concatenate(column) for column in zip(*parts, strict=True))
    order = np.argsort(motion, kind="stable")
    first = np.cumsum(counts) - counts
    points = np.concatenate([np.arange(first[i], first[i] + counts[i]) for i in order.tolist()])
    return [(motion[order], counts[order], length[order], at[points])]


class _Batch:
    """Some motions' ways in their tool frames; every column has a row a motion. Ways of no length are left out."""

    def __init__(self, motions: Motions, rows: Ints, kinematics: Kinematics, linear: NDArray[np.bool_]) -> None:
        self.kinematics = kinematics
        begin, end = motions.begin[rows], motions.end[rows]
        known, of = np.unique(motions.snapshot[rows], return_inverse=True)
        frames = []
        for number in known.tolist():
            frame = motions.snapshots[number].frame
            assert frame
            frames.append(frame)
        matrix = np.array([frame.matrix[:3] for frame in frames])[of]
        tool_length = np.array([frame.length for frame in frames])[of]
        work_only = np.array([frame.work_only for frame in frames])[of]
        self._set(begin, end, matrix, tool_length, work_only)
        start, stop = (self._programmed(self._zero_places(values, np.arange(len(rows)))) for values in (begin, end))
        arc = motions.kind[rows] == ARC
        sweep = np.where(arc, motions.sweep[rows], 0.0)
        plane = _PLANES[motions.plane[rows]]
        centre = motions.centre[rows]
        straight = stop - start
        r0, r1 = (self._arm(points, plane, centre)[0] for points in (start, stop))
        rise = np.take_along_axis(straight, plane[:, 2:], axis=1)[:, 0]
        length = np.where(arc, np.hypot(0.5 * (r0 + r1) * sweep, rise), np.linalg.norm(straight, axis=1))
        turns = np.linalg.norm((end - begin)[:, ~linear], axis=1)
        length = np.where(length < 1e-9, turns, length)
        turned = np.abs(end - begin)[:, ~linear].max(axis=1, initial=0.0)
        kept = length > 0.0
        self.rows = rows[kept]
        self._set(begin[kept], end[kept], matrix[kept], tool_length[kept], work_only[kept])
        self.start, self.stop, self.length = start[kept], stop[kept], length[kept]
        self.arc, self.sweep, self.plane, self.centre = arc[kept], sweep[kept], plane[kept], centre[kept]
        self.radii = np.stack([r0, r1], axis=1)[kept]
        self.turned = turned[kept]

    def _set(
        self, begin: Floats, end: Floats, matrix: Floats, tool_length: Floats, work_only: NDArray[np.bool_]
    ) -> None:
        self.begin, self.end, self.matrix, self.tool_length, self.work_only = begin, end, matrix, tool_length, work_only

    @staticmethod
    def _arm(points: Floats, plane: Ints, centre: Floats) -> tuple[Floats, Floats]:
        """Radius and angle about an arc's centre in its plane."""
        arm = np.take_along_axis(points, plane[:, :2], axis=1) - centre
        return np.hypot(arm[:, 0], arm[:, 1]), np.arctan2(arm[:, 1], arm[:, 0])

    def _programmed(self, places: Floats) -> Floats:
        """Program points of the zero places of every motion."""
        return np.asarray(np.einsum("nji,nj->ni", self.matrix[:, :, :3], places - self.matrix[:, :, 3]))

    def _zero_places(self, values: Floats, of: Ints) -> Floats:
        """Zero places (p, 3) under axis values (p, k), each in the frame of its motion `of`."""
        result = np.empty((len(values), 3))
        for work_only in np.unique(self.work_only[of]):
            rows = self.work_only[of] == work_only
            lengths = self.tool_length[of[rows]]
            result[rows] = self.kinematics.zero_places(values[rows], lengths, bool(work_only))
        return result

    def tips(self, of: Ints, shares: Floats) -> Floats:
        """Program points (p, 3) on the true ways of motions `of` (p,), at shares (p,)."""
        points = self.start[of] + shares[:, None] * (self.stop[of] - self.start[of])
        rows = np.flatnonzero(self.arc[of])
        if len(rows):
            on, share = of[rows], shares[rows]
            plane, centre = self.plane[on], self.centre[on]
            angle = self._arm(self.start[on], plane, centre)[1] + share * self.sweep[on]
            radius = self.radii[on, 0] + share * (self.radii[on, 1] - self.radii[on, 0])
            points[rows, plane[:, 0]] = centre[:, 0] + radius * np.cos(angle)
            points[rows, plane[:, 1]] = centre[:, 1] + radius * np.sin(angle)
        return points

    def places(self, of: Ints, shares: Floats) -> Floats:
        """The same as zero places."""
        matrix = self.matrix[of]
        return np.einsum("nij,nj->ni", matrix[:, :, :3], self.tips(of, shares)) + matrix[:, :, 3]

    def axes(self, of: Ints, shares: Floats) -> Floats:
        """Axis values (p, k) that have the tip on the true ways."""
        values = self.begin[of] + shares[:, None] * (self.end[of] - self.begin[of])
        places = self.places(of, shares)
        for work_only in np.unique(self.work_only[of]):
            rows = self.work_only[of] == work_only
            lengths = self.tool_length[of[rows]]
            values[rows] = self.kinematics.reach_all(values[rows], places[rows], lengths, bool(work_only))
        return values

    def points(self, counts: Ints) -> Floats:
        """Axis values at the end of every piece."""
        of = np.repeat(np.arange(len(counts)), counts)
        last = np.cumsum(counts) - 1
        number = np.arange(len(of)) - np.repeat(last + 1 - counts, counts)
        values = self.axes(of, (number + 1) / counts[of])
        values[last] = self.end
        return values

    def errors(self, rows: Ints, counts: Ints) -> Floats:
        """How far the tip stands off the true ways of some motions in the middle of so many pieces, mm."""
        of = np.repeat(rows, counts + 1)
        size = np.repeat(counts, counts + 1)
        number = np.arange(len(of)) - np.repeat(np.cumsum(counts + 1) - counts - 1, counts + 1)
        values = self.axes(of, number / size)
        inner = np.flatnonzero(number < size)  # the point at each piece's begin
        middle = 0.5 * (values[inner] + values[inner + 1])
        there = self._zero_places(middle, of[inner])
        wanted = self.places(of[inner], (number[inner] + 0.5) / size[inner])
        off = np.linalg.norm(there - wanted, axis=1)
        return np.asarray(np.maximum.reduceat(off, np.cumsum(counts) - counts))

    def pieces(self) -> Ints:
        """As few pieces a motion as keep to the tolerance: the error falls with their square."""
        counts = np.maximum(1, np.ceil(self.turned / MOST_DEGREES)).astype(np.int64)
        counts = np.maximum(counts, np.ceil(np.abs(self.sweep) / np.radians(20)).astype(np.int64))
        open_ = np.flatnonzero(counts < MOST_PIECES)
        while len(open_):
            error = self.errors(open_, counts[open_])
            wide = error > TIP_TOLERANCE_MM
            open_, error = open_[wide], error[wide]
            now = counts[open_]
            grown = np.ceil(now * np.minimum(8.0, 1.05 * np.sqrt(error / TIP_TOLERANCE_MM))).astype(np.int64)
            counts[open_] = np.minimum(MOST_PIECES, np.maximum(now + 1, grown))
            open_ = open_[counts[open_] < MOST_PIECES]
        return counts
