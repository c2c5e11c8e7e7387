"""Corners written into a straight move: a chamfer `,C`, a rounding `,R`, and ends given by an angle `,A`.

    chamfer    cut off by its size along both moves
    rounding   an arc that touches both; it begins r·tan(φ/2) before the corner, φ the angle that the path turns by
    angle      of the move against the plane's first axis; with one coordinate, or with the next move's angle and end

A move is held back until the one after it is known.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

from .compensation import HAIR_MM, Move, Point
from .motions import ARC, FEED


class Corners:
    """Takes moves with corners and angles, gives moves without to `emit`."""

    def __init__(
        self,
        plane: int,
        names: tuple[str, str],
        begin: Point,
        emit: Callable[[Move], None],
        say: Callable[[str, str, Move], None],
    ) -> None:
        self.plane, self.emit, self.say = plane, emit, say
        self.first, self.second = names
        self.here = begin  # the end of what was emitted
        self.waiting: Move | None = None

    @property
    def idle(self) -> bool:
        return self.waiting is None

    def take(self, move: Move) -> None:
        if self.waiting is None:
            move = self._with_end(move)
            if move.corner or move.angle is not None:
                self.waiting = move
            else:
                self._out(move)
            return
        if self.first not in move.axes and self.second not in move.axes and move.angle is None and move.kind != ARC:
            self._out(move)  # a dwell or another axis: it happens before the corner is reached
            return
        held, self.waiting = self.waiting, None
        before: Move | None = held
        if held.angle is not None:
            before, move = self._by_two_angles(held, move)
        if before is None or not before.corner:
            if before is not None:
                self._out(before)
            self.take(move)
            return
        corner = before.axes.get(self.first, self.here[0]), before.axes.get(self.second, self.here[1])
        move = self._with_end(move, corner)
        if before.kind == ARC or move.kind == ARC:
            self.say(
                "corner.arc", "a corner (,C or ,R) between moves of which one is an arc is not carried out", before
            )
            self._out(before)
            self.take(move)
            return
        end = move.axes.get(self.first, corner[0]), move.axes.get(self.second, corner[1])
        self._cut(before, move, corner, end)
        self.take(move)

    def finish(self) -> None:
        """Nothing follows: a corner without a second move is an end without a corner."""
        if self.waiting is not None:
            before, self.waiting = self.waiting, None
            if before.angle is not None:
                self.say(
                    "corner.angle", "the end of a move given by its angle stays open: no second move follows", before
                )
                return
            self.say("corner.alone", "the corner has no second move to go round to", before)
            self._out(before)

    # ------------------------------------------------------------------------------------------------------------------

    def _out(self, move: Move) -> None:
        self.here = move.axes.get(self.first, self.here[0]), move.axes.get(self.second, self.here[1])
        self.emit(replace(move, corner=None, angle=None))

    def _with_end(self, move: Move, begin: Point | None = None) -> Move:
        """The coordinate that an angle leaves out, where the other one is given."""
        if move.angle is None:
            return move
        x, y = begin or self.here
        slope = math.radians(move.angle)
        cosine, sine = math.cos(slope), math.sin(slope)
        axes = dict(move.axes)
        if self.first in axes and self.second in axes:
            return replace(move, angle=None)
        if self.first in axes and abs(cosine) > 1e-9:
            axes[self.second] = y + (axes[self.first] - x) * sine / cosine
        elif self.second in axes and abs(sine) > 1e-9:
            axes[self.first] = x + (axes[self.second] - y) * cosine / sine
        else:
            return move
        return replace(move, axes=axes, angle=None)

    def _by_two_angles(self, before: Move, move: Move) -> tuple[Move | None, Move]:
        """The open end of a move given by its angle alone: where it meets the next one, given by angle and end."""
        if move.angle is None or self.first not in move.axes or self.second not in move.axes:
            self.say("corner.angle", "a move given by its angle alone needs a next move with an angle and both coordinates",
                     before)  # fmt: skip
            return None, replace(move, angle=None)
        assert before.angle is not None
        ux, uy = math.cos(math.radians(before.angle)), math.sin(math.radians(before.angle))
        vx, vy = math.cos(math.radians(move.angle)), math.sin(math.radians(move.angle))
        sine = ux * vy - uy * vx
        if abs(sine) < 1e-9:
            self.say("corner.angle", "two moves given by the same angle do not meet", before)
            return None, replace(move, angle=None)
        dx, dy = move.axes[self.first] - self.here[0], move.axes[self.second] - self.here[1]
        way = (dx * vy - dy * vx) / sine
        axes = {**before.axes, self.first: self.here[0] + way * ux, self.second: self.here[1] + way * uy}
        return replace(before, axes=axes, angle=None), replace(move, angle=None)

    def _cut(self, before: Move, move: Move, corner: Point, end: Point) -> None:
        """Let go of `before` up to the corner's first point, and of the corner itself."""
        assert before.corner
        what, size = before.corner
        one, two = math.dist(self.here, corner), math.dist(corner, end)
        if one < HAIR_MM or two < HAIR_MM:
            self._out(before)
            return
        u = (corner[0] - self.here[0]) / one, (corner[1] - self.here[1]) / one
        v = (end[0] - corner[0]) / two, (end[1] - corner[1]) / two
        sine, cosine = u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]
        turn = math.atan2(sine, cosine)
        back = size if what == "chamfer" else size * abs(math.tan(0.5 * turn))
        if abs(sine) < 1e-9:
            self._out(before)
            return
        if back > min(one, two) + HAIR_MM:
            self.say(
                "corner.size",
                f"the corner needs {back:.3f} mm of both moves, the shorter has {min(one, two):.3f}",
                before,
            )
            self._out(before)
            return
        a = corner[0] - back * u[0], corner[1] - back * u[1]
        b = corner[0] + back * v[0], corner[1] + back * v[1]
        self._out(replace(before, axes={**before.axes, self.first: a[0], self.second: a[1]}))
        link = replace(before, kind=FEED, axes={self.first: b[0], self.second: b[1]}, feed=before.feed or move.feed)
        if what == "round":
            side = 1.0 if turn > 0 else -1.0
            centre = a[0] - side * size * u[1], a[1] + side * size * u[0]
            link = replace(link, kind=ARC, centre=centre, sweep=turn, plane=self.plane)
        self._out(link)
