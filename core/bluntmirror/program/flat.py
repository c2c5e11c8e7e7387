"""A rotary axis as a length: the flat planes of cylindrical interpolation and of polar interpolation on the face.

    cylinder        C counts along the circumference: a length of r·γ; Z and C make a flat plane, wound off the cylinder
    virtual plane   X and C are a flat plane fixed to the work, X still a diameter where the machine says so:
                    the slide stands at √(x² + c²), the spindle at atan2(c, x)

Straight and circular ways in the flat plane are no straight ways of the axes: they are given as short moves whose corners
lie on the way and whose middles are off it by less than TOLERANCE_MM. `way` of each is its length over the work, by which
feed and time go.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from .compensation import Move
from .control import Control
from .motions import ARC, FEED, RAPID

TOLERANCE_MM = 0.001


@dataclass(frozen=True)
class Piece:
    """One short move: axis values at its end, and the length of its way in the plane (0 at rapid)."""

    kind: int
    target: list[float]
    way: float


class Flat:
    """A flat plane of a linear axis and C. `here` is the place in it, mm."""

    names: tuple[str, str]
    here: tuple[float, float]

    def __init__(self, control: Control) -> None:
        self.control = control

    def flat(self, axes: dict[str, float]) -> dict[str, float]:
        """Axis words with C as a length."""
        raise NotImplementedError

    def axis_values(self, place: tuple[float, float], near: float) -> dict[str, float]:
        """Program coordinates of the linear axis and C for a place in the plane; C nearest to `near`."""
        raise NotImplementedError

    def step(self, place: tuple[float, float], chord: float) -> float:
        """The longest straight step from a place that keeps to the tolerance; a length."""
        raise NotImplementedError

    def pieces(self, move: Move) -> Iterator[Piece]:
        """A move to flat coordinates as short moves of the axes; each is carried out before the next is asked for."""
        control = self.control
        begin = self.here
        end = move.axes.get(self.names[0], begin[0]), move.axes.get(self.names[1], begin[1])
        others = {axis: value for axis, value in move.axes.items() if axis not in self.names}
        before = {axis: control.machine[control.index(axis)] - control.offset(axis) for axis in others}
        centre, sweep = move.centre, move.sweep if move.kind == ARC else 0.0
        radius = math.dist(begin, centre) if centre else 0.0
        length = abs(sweep) * radius if sweep else math.dist(begin, end)
        kind = move.kind if move.kind != ARC else FEED
        share = done = 0.0
        while share < 1.0 - 1e-12:
            step = self.step(self.here, length)
            if sweep:
                step = min(step, 2.0 * math.sqrt(2.0 * radius * TOLERANCE_MM))
            if move.kind == RAPID:
                step = length  # every axis goes as it likes
            left = length - done
            # Evenly over what is left, so that no sliver remains.
            step = left / max(1, math.ceil(left / step - 1e-9)) if step < left else left
            done = min(length, done + step)
            before_it, share = share, done / length if length > 0 else 1.0
            if share >= 1.0 - 1e-12:
                place = end
            elif sweep and centre:
                turn = math.atan2(begin[1] - centre[1], begin[0] - centre[0]) + share * sweep
                place = centre[0] + radius * math.cos(turn), centre[1] + radius * math.sin(turn)
            else:
                place = begin[0] + share * (end[0] - begin[0]), begin[1] + share * (end[1] - begin[1])
            c_now = control.machine[control.index("C")] - control.offset("C")
            wanted = self.axis_values(place, c_now)
            wanted |= {axis: before[axis] + share * (value - before[axis]) for axis, value in others.items()}
            target = list(control.machine)
            for axis, value in wanted.items():
                target[control.index(axis)] = value + control.offset(axis)
            self.here = place
            part = share - before_it
            way = math.hypot(step, *(part * (v - before[a]) for a, v in others.items())) if others else step
            yield Piece(kind, target, 0.0 if kind == RAPID else way)


class Cylinder(Flat):
    names = ("Z", "C")

    def __init__(self, control: Control, radius: float) -> None:
        super().__init__(control)
        self.radius = radius
        self.here = control.here("Z"), math.radians(control.here("C")) * radius

    def flat(self, axes: dict[str, float]) -> dict[str, float]:
        return axes | ({"C": math.radians(axes["C"]) * self.radius} if "C" in axes else {})

    def axis_values(self, place: tuple[float, float], near: float) -> dict[str, float]:
        return {"Z": place[0], "C": math.degrees(place[1] / self.radius)}

    def step(self, place: tuple[float, float], chord: float) -> float:
        return max(chord, 1e-9)  # straight in the unwound plane is straight for the axes


class VirtualPlane(Flat):
    names = ("X", "C")

    def __init__(self, control: Control) -> None:
        super().__init__(control)
        radius, turn = control.here("X"), math.radians(control.here("C"))
        self.here = radius * math.cos(turn), radius * math.sin(turn)

    def flat(self, axes: dict[str, float]) -> dict[str, float]:
        return axes | ({"C": axes["C"] * self.control.unit} if "C" in axes else {})

    def axis_values(self, place: tuple[float, float], near: float) -> dict[str, float]:
        radius = math.hypot(*place)
        if radius < 1e-9:
            return {"X": 0.0, "C": near}
        turn = math.degrees(math.atan2(place[1], place[0]))
        return {"X": radius, "C": near + math.remainder(turn - near, 360.0)}

    def step(self, place: tuple[float, float], chord: float) -> float:
        # Between its ends a step of the axes is a spiral; it bows off the chord s by about s²/4r (r the radius).
        return math.sqrt(4.0 * TOLERANCE_MM * max(math.hypot(*place), TOLERANCE_MM))
