"""Where the tool stands over the work, and which axis values bring it there: for any chain, from its joints alone.

    zero place   the axis values (X, Y, Z) that bring the gauge point over a point of the work while every rotary axis is
                 at zero and every other slide (a second headstock, a quill) stands as it does. The work offset is given in
                 these, so a program point plus the offset is a zero place; and a zero place names a point of the work,
                 wherever the rotary axes have taken it since.
    tool vector  the direction from tip to gauge point, in the directions of the program's X, Y and Z on the work
    base, tilt   of two rotary axes the one nearer to the work and the one nearer to the tool, seen along the chain

With d the tool vector wanted, z the one at zero, u₁ u₂ the directions of base and tilt:  d = e(u₁ q₁) e(u₂ q₂) z. The
vector c = e(u₂ q₂) z keeps its angle to u₂ and, being e(−u₁ q₁) d, that to u₁: it lies where two cones meet, in two places
at most (subproblem 2 of Paden and Kahan; Murray, Li & Sastry, ch. 3, from memory). Whether the axes meet does not matter:
the linear axes, found afterwards, take up every offset.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from ..compiled import for_rows
from ..geometry.frames import Floats, rotation_about
from ..job.models import Mount
from .chain import Chain
from .chain_kernel import TURNS, place, reach_tip, reach_tips, tip_of, tips_of
from .screws import between_mounts

PARALLEL = 1e-9  # sine of an angle; directions closer than this are one
SAME_TURN_DEG = 1e-6
MOST_TURNS = 100  # of an endless axis, to either side, in which a solution is looked for


@dataclass(frozen=True)
class Turn:
    """One rotary axis on the way from work to tool; `direction` in the work mount's frame, all axes at zero."""

    axis: str
    column: int  # in the channel's axes
    direction: Floats
    travel: tuple[float, float] | None
    on_tool_side: bool


class Kinematics:
    """A channel's axes between one work mount and one tool mount. Axis values are in the order of `axes` throughout."""

    def __init__(
        self, chain: Chain, tool: Mount, work: Mount, axes: Sequence[str], standing: dict[str, float] | None = None
    ) -> None:
        """`standing`: values of axes that the channel does not have. Raises ValueError when X, Y and Z do not span space."""
        self.axes = tuple(axes)
        missing = [axis for axis in "XYZ" if axis not in self.axes]
        if missing:
            raise ValueError(f"the channel has no axis {' and '.join(missing)}")
        screws = between_mounts(chain, work, tool)
        # Axes of other channels stand still: a column behind the channel's own holds the value of each.
        others = [axis for axis in chain.axes if axis not in self.axes]
        self._others = np.array([float((standing or {}).get(axis, 0.0)) for axis in others])
        order = [*self.axes, *others]
        self._order = order
        self._elsewhere: dict[tuple[tuple[str, float], ...], Kinematics] = {}
        self._make = lambda standing: Kinematics(chain, tool, work, axes, standing)
        self._rows = screws.rows.copy()
        self._rows[:, 1] = [order.index(chain.axes[int(column)]) for column in screws.rows[:, 1]]
        self._home = screws.home
        self._columns = np.array([self.axes.index(axis) for axis in "XYZ"], np.int64)
        self.turns = [
            Turn(order[int(row[1])], int(row[1]), row[2:5].copy(), chain.joints[order[int(row[1])]].travel, bool(side))
            for row, side in zip(self._rows, screws.sides, strict=True)
            if row[TURNS] == 1.0 and order[int(row[1])] in self.axes
        ]
        self._tool_side = np.array([turn.column for turn in self.turns if turn.on_tool_side], np.int64)
        self._rotary = np.array([i for i, axis in enumerate(order) if chain.joints[axis].type == "rotary"], np.int64)
        self._slides = np.unique([
            int(row[1]) for row in self._rows
            if row[TURNS] == 0.0 and row[1] < len(self.axes) and int(row[1]) not in self._columns
        ]).astype(np.int64)  # fmt: skip
        # A point of the work is origin + along @ (zero place): one affine map, rotary axes and slides at zero.
        zero = self._full(np.zeros(len(self.axes)))
        self._origin = self._tip(zero, 0.0)
        self._along = np.empty((3, 3))
        for j, column in enumerate(self._columns):
            one = zero.copy()
            one[column] = 1.0
            self._along[:, j] = self._tip(one, 0.0) - self._origin
        if abs(np.linalg.det(self._along)) < 1e-9:
            raise ValueError("X, Y and Z do not span space")
        self._back = np.linalg.inv(self._along)

    @property
    def standing(self) -> dict[str, float]:
        """Axes of other channels between work and tool, and where they are taken to stand."""
        names = [self._order[int(column)] for column in self._rows[:, 1] if column >= len(self.axes)]
        return {axis: float(self._others[self._order.index(axis) - len(self.axes)]) for axis in names}

    def standing_at(self, values: dict[str, float]) -> Kinematics:
        """The same with other channels' axes elsewhere; each is made once."""
        key = tuple(sorted(values.items()))
        if key not in self._elsewhere:
            self._elsewhere[key] = self._make({**self.standing, **values})
        return self._elsewhere[key]

    def _start(self, values: Sequence[float] | Floats) -> Floats:
        """The point of the work at the zero place (0, 0, 0), with the slides where `values` have them."""
        if not len(self._slides):
            return self._origin
        at = np.zeros(len(self.axes))
        at[self._slides] = np.asarray(values, float)[self._slides]
        return self._tip(self._full(at), 0.0)

    def _starts(self, values: Floats) -> Floats:
        """`_start` for n rows, (n, 3), or (3,) where it is the same for all."""
        if not len(self._slides):
            return self._origin
        known, of = np.unique(values[:, self._slides], axis=0, return_inverse=True)
        at = np.zeros((len(known), len(self.axes)))
        at[:, self._slides] = known
        return np.array([self._start(row) for row in at])[of.ravel()]

    def _full(self, values: Sequence[float] | Floats) -> Floats:
        return np.concatenate([np.asarray(values, float), self._others])

    def _tip(self, full: Floats, length: float) -> Floats:
        tip = np.empty(3)
        tip_of(self._rows, self._home, full, length, np.empty((3, 4)), tip)
        return tip

    def _work_only(self, full: Floats) -> Floats:
        full[..., self._tool_side] = 0.0
        return full

    # --- places -------------------------------------------------------------------------------------------------------

    def zero_place(self, values: Sequence[float] | Floats, length: float, work_only: bool = False) -> Floats:
        """The zero place (3,) that the tip of a tool of this length stands over. `work_only`: as if the tool side's rotary
        axes were at zero."""
        full = self._full(values)
        if work_only:
            self._work_only(full)
        return np.asarray(self._back @ (self._tip(full, length) - self._start(values)))

    def zero_places(self, values: Floats, lengths: Floats, work_only: bool = False) -> Floats:
        """`zero_place` for n rows, (n, 3)."""
        result = np.empty((len(values), 3))
        full = np.concatenate([values, np.tile(self._others, (len(values), 1))], axis=1)
        if work_only:
            self._work_only(full)
        for_rows(len(full))
        tips_of(self._rows, self._home, full, np.asarray(lengths, float), result)
        return np.asarray((result - self._starts(values)) @ self._back.T)

    def reach(
        self, values: Sequence[float], place: Floats, length: float, work_only: bool = False
    ) -> list[float] | None:
        """`values` with X, Y and Z set so that the tip stands over a zero place; None where they cannot."""
        full = self._full(values)
        kept = full.copy()
        if work_only:
            self._work_only(full)
        if not reach_tip(
            self._rows, self._home, full, self._columns, length, self._start(values) + self._along @ place
        ):
            return None
        kept[self._columns] = full[self._columns]
        return [float(v) for v in kept[: len(self.axes)]]

    def reach_point(self, values: Sequence[float], point: Sequence[float] | Floats, length: float = 0.0) -> list[float]:
        """`values` with X, Y and Z set so that the tip stands over a point of the work mount as it is turned by them. Raises
        ValueError where they cannot."""
        reached = self.reach(values, self._back @ (np.asarray(point, float) - self._start(values)), length)
        if reached is None:
            raise ValueError("X, Y and Z do not span space in this pose")
        return reached

    def reach_all(self, values: Floats, places: Floats, lengths: Floats, work_only: bool = False) -> Floats:
        """`reach` for n rows: X, Y and Z of `values` (n, k) set for zero places (n, 3). Raises ValueError where they
        cannot."""
        full = np.concatenate([values, np.tile(self._others, (len(values), 1))], axis=1)
        if work_only:
            self._work_only(full)
        wanted = self._starts(values) + places @ self._along.T
        for_rows(len(full))
        if reach_tips(self._rows, self._home, full, self._columns, lengths, np.ascontiguousarray(wanted)):
            raise ValueError("X, Y and Z do not span space in every pose")
        reached = values.copy()
        reached[:, self._columns] = full[:, self._columns]
        return reached

    # --- directions ---------------------------------------------------------------------------------------------------

    def tool_vector(self, values: Sequence[float] | Floats) -> Floats:
        """The tool vector (3,) in the program's directions."""
        pose = np.empty((3, 4))
        place(self._rows, self._home, self._full(values), pose)
        return self._unit(self._back @ pose[:, 2])

    def singular_sine(self, values: Sequence[float] | Floats) -> float:
        """Sine of the angle between the tool and the base rotary axis: near zero a small change of the tool vector asks for
        a large turn. 1 on machines with fewer than two rotary axes."""
        if len(self.turns) < 2:
            return 1.0
        base, _, before, _ = self._pair(values)
        pose = np.empty((3, 4))
        place(self._rows, self._home, self._full(values), pose)
        return float(np.linalg.norm(np.cross(before @ base.direction, pose[:, 2])))

    @staticmethod
    def _unit(vector: Floats) -> Floats:
        return np.asarray(vector / np.linalg.norm(vector))

    def _pair(self, values: Sequence[float] | Floats) -> tuple[Turn, Turn, Floats, Floats]:
        """The two rotary axes that direct the tool — the last two on the way that are not parallel — and what the turns
        before and between them (which stay) make: rotations (3, 3)."""
        tilt = self.turns[-1]
        base = next(
            (t for t in reversed(self.turns[:-1]) if np.linalg.norm(np.cross(t.direction, tilt.direction)) > PARALLEL),
            self.turns[-2],
        )
        before, within = np.eye(3), np.eye(3)
        passed = False
        for turn in self.turns:
            if turn is base:
                passed = True
            elif turn is not tilt:
                rotation = rotation_about(turn.direction, float(values[turn.column]))
                before, within = (before, within @ rotation) if passed else (before @ rotation, within)
        return base, tilt, before, within

    def _home_vector(self) -> Floats:
        """The tool vector at zero, in the work mount's frame; turns of other channels' axes included."""
        zero = self._full(np.zeros(len(self.axes)))
        pose = np.empty((3, 4))
        place(self._rows, self._home, zero, pose)
        return pose[:, 2].copy()

    def directions_for(self, vector: Floats, values: Sequence[float]) -> list[list[float]]:
        """All settings of the rotary axes, within one turn, that bring the tool along `vector` (program directions);
        axis values with the rotary ones replaced. Where one is free to stand anywhere, it stays."""
        wanted = self._unit(self._along @ self._unit(np.asarray(vector, float)))
        z = self._home_vector()
        if not self.turns:
            return [list(values)] if np.linalg.norm(np.cross(wanted, z)) < 1e-7 and wanted @ z > 0 else []
        if len(self.turns) == 1:
            turn = self.turns[0]
            angle = _turn_to(turn.direction, z, wanted)
            if angle is None:
                return []
            return [_with(values, {turn.column: values[turn.column] if math.isnan(angle) else angle})]
        base, tilt, before, within = self._pair(values)
        wanted = before.T @ wanted
        u1, u2 = base.direction, within @ tilt.direction
        z = within @ z
        solutions: list[list[float]] = []
        for c in _on_both_cones(u1, float(u1 @ wanted), u2, float(u2 @ z)):
            q2, q1 = _turn_to(u2, z, c), _turn_to(u1, c, wanted)
            if q1 is None or q2 is None:
                continue
            turned = {
                base.column: values[base.column] if math.isnan(q1) else q1,
                tilt.column: values[tilt.column] if math.isnan(q2) else q2,
            }
            solution = _with(values, turned)
            if not any(_alike(solution, known) for known in solutions):
                solutions.append(solution)
        return solutions

    def nearest_direction(self, vector: Floats, values: Sequence[float]) -> list[float] | None:
        """The setting of the rotary axes for a tool vector that lies within travel and asks for the least turning from
        where they stand; where two ask for the same, the one with the tilting axis positive. None: out of reach."""
        best: tuple[float, float, float] | None = None
        chosen = None
        tilting = self._tilting()
        for solution in self.directions_for(vector, values):
            options = [
                self._turns_within(turn, solution[turn.column], float(values[turn.column])) for turn in self.turns
            ]
            for combination in itertools.product(*options):
                way = sum(
                    abs(value - float(values[turn.column])) for turn, value in zip(self.turns, combination, strict=True)
                )
                candidate = _with(values, {t.column: v for t, v in zip(self.turns, combination, strict=True)})
                positive = candidate[tilting] if tilting is not None else 0.0
                rank = (round(way / SAME_TURN_DEG), -positive, -sum(combination))
                if best is None or rank < best:
                    best, chosen = rank, candidate
        return chosen

    def _tilting(self) -> int | None:
        """The column of the axis that tilts the tool most: the one most square to it at zero."""
        z = self._home_vector()
        return min(self.turns, key=lambda t: abs(float(t.direction @ z))).column if self.turns else None

    @staticmethod
    def _turns_within(turn: Turn, value: float, now: float) -> list[float]:
        """The same position whole turns apart: the nearest two, within travel."""
        nearest = value + 360.0 * round((now - value) / 360.0)
        options = [nearest + 360.0 * k for k in (0, -1, 1, *(s * n for n in range(2, MOST_TURNS) for s in (-1, 1)))]
        low, high = turn.travel or (-math.inf, math.inf)
        within = [min(max(v, low), high) for v in options if low - SAME_TURN_DEG <= v <= high + SAME_TURN_DEG]
        return sorted(within, key=lambda v: abs(v - now))[:2]


class Solvers:
    """A channel's kinematics over each spindle that it may work at and for each mount that its tools hang on; each is made when it
    is first asked for."""

    def __init__(
        self, make: Callable[[Mount, Mount], Kinematics], works: dict[str, Mount], carrier: Callable[[int], Mount]
    ) -> None:
        """`make` of tool mount and work mount raises ValueError where X, Y and Z do not span space; `works`: spindle → its mount."""
        self._make, self._works, self._carrier = make, works, carrier
        self._known: dict[tuple[str, str], Kinematics | None] = {}
        self._mounts: dict[int, Mount] = {}

    def at(self, works: str, tool: int) -> Kinematics | None:
        """Between the work of a spindle and a tool; None where X, Y and Z do not span space there."""
        if tool not in self._mounts:
            self._mounts[tool] = self._carrier(tool)
        mount, work = self._mounts[tool], self._works[works]
        key = mount.name, work.name
        if key not in self._known:
            try:
                self._known[key] = self._make(mount, work)
            except ValueError:
                self._known[key] = None
        return self._known[key]


def _with(values: Sequence[float], changes: dict[int, float]) -> list[float]:
    return [float(changes.get(i, v)) for i, v in enumerate(values)]


def _alike(a: Sequence[float], b: Sequence[float]) -> bool:
    return all(abs(math.remainder(x - y, 360.0)) < SAME_TURN_DEG for x, y in zip(a, b, strict=True))


def _turn_to(axis: Floats, start: Floats, end: Floats) -> float | None:
    """The angle in (−180, 180] that turns `start` to `end` about `axis` (unit vectors); NaN where any does, None where none
    does (subproblem 1)."""
    a, b = start - (axis @ start) * axis, end - (axis @ end) * axis
    if abs(float(axis @ start) - float(axis @ end)) > 1e-7:
        return None
    if float(np.linalg.norm(a)) < 1e-7:
        return math.nan
    angle = math.degrees(math.atan2(float(axis @ np.cross(a, b)), float(a @ b)))
    angle = 180.0 if angle <= -180.0 + SAME_TURN_DEG else angle
    return 0.0 if abs(angle) < 1e-12 else angle


def _on_both_cones(u1: Floats, cos1: float, u2: Floats, cos2: float) -> list[Floats]:
    """Unit vectors c with u1·c = cos1 and u2·c = cos2."""
    between = float(u1 @ u2)
    square = 1.0 - between * between
    if square < PARALLEL:
        return []
    a, b = (cos1 - between * cos2) / square, (cos2 - between * cos1) / square
    left = 1.0 - (a * a + b * b + 2.0 * a * b * between)
    normal = np.cross(u1, u2)
    if left < -1e-9:
        return []
    rise = math.sqrt(max(0.0, left) / square)
    flat = a * u1 + b * u2
    return [flat + rise * normal, flat - rise * normal] if rise > 1e-9 else [flat]
