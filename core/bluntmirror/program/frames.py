"""Program coordinates while they are not simply axis values: tilted plane, tool-centre-point control, dynamic offset.

zero place     the axis values X, Y, Z over a point of the work with every rotary axis at zero (see machine/tip.py)
tool frame     how a program point becomes a zero place, and how long the control takes the tool to be
tilted plane   program point → shifted and turned (G68.2) → plus the work offset → zero place
tip control    G43.4, G43.5: the tip keeps to the program point while rotary axes move
dynamic        a code that the machine file binds (`offset-turns`): the offset turns with the table; the tool's own rotary axes do not count
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from ..geometry.frames import Floats, rotation_about


class TipSolver(Protocol):
    """What the interpreter needs of the machine's kinematics; axis values in the order of the channel's axes."""

    def zero_place(self, values: Sequence[float] | Floats, length: float, work_only: bool = False) -> Floats: ...

    def reach(
        self, values: Sequence[float], place: Floats, length: float, work_only: bool = False
    ) -> list[float] | None: ...

    def nearest_direction(self, vector: Floats, values: Sequence[float]) -> list[float] | None: ...


class TipSolvers(Protocol):
    """One for each spindle that is worked at and each mount that tools hang on."""

    def at(self, works: str, tool: int) -> TipSolver | None: ...


@dataclass(frozen=True)
class ToolFrame:
    """`rows`: the first three rows of the matrix that takes a program point to its zero place, row by row."""

    rows: tuple[float, ...]
    length: float
    work_only: bool

    @cached_property
    def matrix(self) -> Floats:
        return np.vstack([np.array(self.rows).reshape(3, 4), [0.0, 0.0, 0.0, 1.0]])


@dataclass(frozen=True)
class Shape:
    """What mirror image, scaling and rotation make of a program point: linear · point + shift, about the program's zero."""

    linear: Rows
    shift: tuple[float, float, float]

    def apply(self, point: Sequence[float]) -> list[float]:
        x, y, z = point
        return [a * x + b * y + c * z + d for (a, b, c), d in zip(self.linear, self.shift, strict=True)]

    def direction(self, vector: Sequence[float]) -> list[float]:
        x, y, z = vector
        return [a * x + b * y + c * z for a, b, c in self.linear]

    def back(self, point: Sequence[float]) -> list[float]:
        """The program point of a shaped one; `linear` is never singular (a factor of 0 is refused)."""
        return [float(v) for v in np.linalg.solve(np.array(self.linear), np.subtract(point, self.shift))]

    def in_plane(self, first: int, second: int) -> tuple[float, bool] | None:
        """Factor, and whether directions of turning are kept, for circles of a plane; None where they do not stay circles
        of that plane."""
        third = 3 - first - second
        a, b, c, d = (self.linear[i][j] for i in (first, second) for j in (first, second))
        if self.linear[third][first] or self.linear[third][second]:
            return None
        one, two = math.hypot(a, c), math.hypot(b, d)
        if abs(one - two) > 1e-9 * one or abs(a * b + c * d) > 1e-9 * one * two:
            return None
        return one, a * d - b * c > 0.0


Rows = tuple[tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]]


def shape_of(linear: Floats, about: Sequence[float]) -> Shape:
    """The shape of a linear map that leaves the point `about` where it is."""
    shift = np.asarray(about, float) - linear @ np.asarray(about, float)
    rows = tuple(tuple(float(v) for v in row) for row in linear)
    return Shape(rows, tuple(float(v) for v in shift))  # type: ignore[arg-type]


def after(outer: Shape | None, inner: Shape | None) -> Shape | None:
    """First `inner`, then `outer`."""
    if outer is None or inner is None:
        return outer or inner
    linear = np.array(outer.linear) @ np.array(inner.linear)
    rows = tuple(tuple(float(v) for v in row) for row in linear)
    return Shape(rows, tuple(outer.apply(inner.shift)))  # type: ignore[arg-type]


def tilted_plane(origin: Sequence[float], euler: Sequence[float]) -> Floats:
    """The frame (4, 4) of G68.2: shifted to `origin`, turned by ZXZ Euler angles (degrees), each about the turned axes."""
    a, b, c = euler
    result = np.eye(4)
    z, x = (0.0, 0.0, 1.0), (1.0, 0.0, 0.0)
    result[:3, :3] = rotation_about(z, a) @ rotation_about(x, b) @ rotation_about(z, c)
    result[:3, :3][np.abs(result[:3, :3]) < 1e-15] = 0.0
    result[:3, 3] = origin
    return result


def tool_frame(shift: Sequence[float], tilt: Floats | None, length: float, work_only: bool) -> ToolFrame:
    """`shift`: the work offset and local shifts along X, Y, Z."""
    matrix = np.eye(4) if tilt is None else tilt.copy()
    matrix[:3, 3] += shift
    return ToolFrame(tuple(float(v) for v in matrix[:3].ravel()), length, work_only)


def into(frame: ToolFrame, zero_place: Floats) -> Floats:
    """The program point of a zero place."""
    matrix = frame.matrix
    return np.asarray(matrix[:3, :3].T @ (zero_place - matrix[:3, 3]))


def out_of(frame: ToolFrame, point: Sequence[float] | Floats) -> Floats:
    """The zero place of a program point."""
    matrix = frame.matrix
    return np.asarray(matrix[:3, :3] @ np.asarray(point, float) + matrix[:3, 3])


def apart(a: Sequence[float] | Floats, b: Sequence[float] | Floats) -> float:
    return math.dist([float(v) for v in a], [float(v) for v in b])
