"""A rotary axis as a length: cylindrical interpolation, and polar interpolation on the face.

    cylinder        C counts along the circumference: a length of r·γ; Z and C make a flat plane, wound off the cylinder
    polar           X and C are a flat plane fixed to the work, X still a diameter where the machine says so:
                    the slide stands at √(x² + c²), the spindle at atan2(c, x)

Straight and circular ways in the flat plane are no straight ways of the axes: they are written as short moves whose
corners lie on the way and whose middles are off it by less than TOLERANCE_MM. `way` of each motion is its length over the
work, by which feed and time go.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from .compensation import Move
from .motions import ARC, RAPID
from .words import Words

if TYPE_CHECKING:
    from .interpreter import Interpreter

TOLERANCE_MM = 0.001
MOST_STEPS = 20_000


class Flat:
    """A flat plane of a linear axis and C. `here` is the place in it, mm."""

    names: tuple[str, str]
    here: tuple[float, float]

    def __init__(self, run: Interpreter) -> None:
        self.c0 = run.control.offset("C")

    def flat(self, run: Interpreter, axes: dict[str, float]) -> dict[str, float]:
        """Axis words with C as a length."""
        raise NotImplementedError

    def axis_values(self, run: Interpreter, place: tuple[float, float], near: float) -> dict[str, float]:
        """Program coordinates of the linear axis and C for a place in the plane; C nearest to `near`."""
        raise NotImplementedError

    def step(self, place: tuple[float, float], chord: float) -> float:
        """The longest straight step from a place that keeps to the tolerance; a length."""
        raise NotImplementedError

    def write(self, run: Interpreter, move: Move) -> None:
        """A move to flat coordinates as short moves of the axes."""
        control = run.control
        begin = self.here
        end = move.axes.get(self.names[0], begin[0]), move.axes.get(self.names[1], begin[1])
        others = {axis: value for axis, value in move.axes.items() if axis not in self.names}
        before = {axis: control.machine[control.index(axis)] - control.offset(axis) for axis in others}
        centre, sweep = move.centre, move.sweep if move.kind == ARC else 0.0
        radius = math.dist(begin, centre) if centre else 0.0
        length = abs(sweep) * radius if sweep else math.dist(begin, end)
        done = 0.0
        for _ in run.steps(MOST_STEPS, "one move round the axis"):
            step = self.step(self.here, length)
            if sweep:
                step = min(step, 2.0 * math.sqrt(2.0 * radius * TOLERANCE_MM))
            if move.kind == RAPID:
                step = length  # every axis goes as it likes
            left = length - done
            # Evenly over what is left, so that no sliver remains.
            step = left / max(1, math.ceil(left / step - 1e-9)) if step < left else left
            done = min(length, done + step)
            share = done / length if length > 0 else 1.0
            if share >= 1.0 - 1e-12:
                place = end
            elif sweep and centre:
                turn = math.atan2(begin[1] - centre[1], begin[0] - centre[0]) + share * sweep
                place = centre[0] + radius * math.cos(turn), centre[1] + radius * math.sin(turn)
            else:
                place = begin[0] + share * (end[0] - begin[0]), begin[1] + share * (end[1] - begin[1])
            c_now = control.machine[control.index("C")] - control.offset("C")
            wanted = self.axis_values(run, place, c_now)
            wanted |= {axis: before[axis] + share * (value - before[axis]) for axis, value in others.items()}
            target = list(control.machine)
            for axis, value in wanted.items():
                target[control.index(axis)] = value + control.offset(axis)
            self.here = place
            kind = move.kind if move.kind != ARC else 1
            through = math.hypot(step, *(share * (v - before[a]) for a, v in others.items())) if others else step
            run.add(kind, target, move.feed, move.exact, seconds=move.seconds, line=move.line, file=move.file, rpm=move.rpm,
                    snapshot=move.snapshot, way=0.0 if kind == RAPID else through)  # fmt: skip
            if share >= 1.0 - 1e-12:
                return


class Cylinder(Flat):
    names = ("Z", "C")

    def __init__(self, run: Interpreter, radius: float) -> None:
        super().__init__(run)
        self.radius = radius
        control = run.control
        self.here = control.here("Z"), math.radians(control.here("C")) * radius

    def flat(self, run: Interpreter, axes: dict[str, float]) -> dict[str, float]:
        return axes | ({"C": math.radians(axes["C"]) * self.radius} if "C" in axes else {})

    def axis_values(self, run: Interpreter, place: tuple[float, float], near: float) -> dict[str, float]:
        return {"Z": place[0], "C": math.degrees(place[1] / self.radius)}

    def step(self, place: tuple[float, float], chord: float) -> float:
        return max(chord, 1e-9)  # straight in the unwound plane is straight for the axes


class VirtualPlane(Flat):
    names = ("X", "C")

    def __init__(self, run: Interpreter) -> None:
        super().__init__(run)
        control = run.control
        radius, turn = control.here("X"), math.radians(control.here("C"))
        self.here = radius * math.cos(turn), radius * math.sin(turn)

    def flat(self, run: Interpreter, axes: dict[str, float]) -> dict[str, float]:
        return axes | ({"C": axes["C"] * run.control.unit} if "C" in axes else {})

    def axis_values(self, run: Interpreter, place: tuple[float, float], near: float) -> dict[str, float]:
        radius = math.hypot(*place)
        if radius < 1e-9:
            return {"X": 0.0, "C": near}
        turn = math.degrees(math.atan2(place[1], place[0]))
        return {"X": radius, "C": near + math.remainder(turn - near, 360.0)}

    def step(self, place: tuple[float, float], chord: float) -> float:
        # Between its ends a step of the axes is a spiral; it bows off the chord s by about s²/4r (r the radius).
        return math.sqrt(4.0 * TOLERANCE_MM * max(math.hypot(*place), TOLERANCE_MM))


def cylinder(run: Interpreter, words: Words, name: str) -> None:
    """G7.1 C r, G107 C r: on with the cylinder's radius, off with C0."""
    run.let_go()
    if name == "cylinder-off" or words.value.get("C", 0.0) == 0.0:
        _off(run)
        return
    if run.control.index("C") < 0 or run.control.index("Z") < 0:
        run.not_carried_out("cylindrical interpolation on a channel without Z and C")
        return
    run.unrolled = Cylinder(run, words.value["C"] * run.control.unit)
    run.control.ahead = dict(zip(run.unrolled.names, run.unrolled.here, strict=True))


def virtual_plane(run: Interpreter, name: str) -> None:
    """G12.1, G112: on; G13.1, G113: off."""
    run.let_go()
    if name == "virtual-plane-off":
        _off(run)
        return
    if run.control.index("C") < 0 or run.control.index("X") < 0:
        run.not_carried_out("polar interpolation on a channel without X and C")
        return
    run.unrolled = VirtualPlane(run)
    run.control.ahead = dict(zip(run.unrolled.names, run.unrolled.here, strict=True))


def _off(run: Interpreter) -> None:
    run.unrolled = None
    run.control.ahead = None
