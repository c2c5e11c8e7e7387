"""Cutter and nose compensation with look-ahead: the path of the tool's centre beside the programmed one.

span       a straight or circular stretch in the plane, from corner to corner of the programmed path
side       how far the centre goes to the left of the path; negative to the right
corner     where two spans meet: inside when the path turns towards the tool, outside when it turns away

        inside: where the two offset spans cross            outside, "lines": carried on to where they meet
              ┄┄┄┄┄┐                                                  ┌┄┄┄┄
              ─────┼─┐                                        ┄┄┄┄┄┄┄┄┘┌───     "arc": about the corner
                   ┆ │                                        ─────────┘

One span is held back until the next is known; moves without a way in the plane between them are held with it. The
first move goes to beside the beginning of the second, the last one ends on its programmed point (linear entry and exit).
What cannot be cut — an inside corner or a gap narrower than the tool, an arc inside smaller than its radius — is said,
with the block it is found in.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from .motions import ARC, FEED

Point = tuple[float, float]

STRAIGHT_ON = 1e-6  # sine of an angle between spans that counts as none
HAIR_MM = 1e-6


@dataclass
class Move:
    """One motion before it becomes axis values: shaped coordinates, and what was in force in its block."""

    kind: int
    axes: dict[str, float]  # coordinates of the axes that it moves
    line: int
    file: int
    feed: float = 0.0
    exact: bool = False
    rpm: float = 0.0
    snapshot: int = 0
    seconds: float = 0.0
    plane: int = 0
    centre: Point | None = None  # of an arc, in the plane
    sweep: float = 0.0
    corner: tuple[str, float] | None = None  # "chamfer" or "round" at its end, with its size
    angle: float | None = None  # degrees; of a line whose end is not fully given


@dataclass(frozen=True)
class Span:
    begin: Point
    end: Point
    centre: Point | None = None
    sweep: float = 0.0

    def direction(self, at: Point) -> Point:
        """The unit tangent at a point of the span."""
        if self.centre is None:
            length = math.hypot(self.end[0] - self.begin[0], self.end[1] - self.begin[1])
            return (self.end[0] - self.begin[0]) / length, (self.end[1] - self.begin[1]) / length
        x, y = at[0] - self.centre[0], at[1] - self.centre[1]
        radius = math.hypot(x, y)
        turn = 1.0 if self.sweep > 0 else -1.0
        return -turn * y / radius, turn * x / radius

    @property
    def radius(self) -> float:
        assert self.centre
        return math.hypot(self.begin[0] - self.centre[0], self.begin[1] - self.centre[1])

    def beside(self, at: Point, side: float) -> Point:
        """The point `side` to the left of one of its ends."""
        x, y = self.direction(at)
        return at[0] - side * y, at[1] + side * x


def crossings(a: Span, b: Span, side: float) -> list[Point]:
    """Where the lines or circles that lie `side` to the left of two spans cross."""
    if a.centre is None and b.centre is None:
        (px, py), (qx, qy) = a.beside(a.end, side), b.beside(b.begin, side)
        (ux, uy), (vx, vy) = a.direction(a.end), b.direction(b.begin)
        sine = ux * vy - uy * vx
        if abs(sine) < STRAIGHT_ON:
            return []
        way = ((qx - px) * vy - (qy - py) * vx) / sine
        return [(px + way * ux, py + way * uy)]
    if a.centre is None or b.centre is None:
        line, arc = (a, b) if a.centre is None else (b, a)
        assert arc.centre
        (px, py), (ux, uy) = line.beside(line.begin, side), line.direction(line.begin)
        radius = abs(offset_radius(arc, side))
        foot = (arc.centre[0] - px) * ux + (arc.centre[1] - py) * uy
        fx, fy = px + foot * ux, py + foot * uy
        square = radius * radius - (fx - arc.centre[0]) ** 2 - (fy - arc.centre[1]) ** 2
        if square < -HAIR_MM * max(radius, 1.0):
            return []
        half = math.sqrt(max(0.0, square))
        return [(fx + half * ux, fy + half * uy), (fx - half * ux, fy - half * uy)]
    (ax, ay), (bx, by) = a.centre, b.centre
    r, s = abs(offset_radius(a, side)), abs(offset_radius(b, side))
    apart = math.hypot(bx - ax, by - ay)
    if apart < HAIR_MM:
        return []
    along = (r * r - s * s + apart * apart) / (2.0 * apart)
    square = r * r - along * along
    if square < -HAIR_MM * max(r, 1.0):
        return []
    half = math.sqrt(max(0.0, square))
    ux, uy = (bx - ax) / apart, (by - ay) / apart
    mx, my = ax + along * ux, ay + along * uy
    return [(mx - half * uy, my + half * ux), (mx + half * uy, my - half * ux)]


def offset_radius(span: Span, side: float) -> float:
    """The radius of the offset arc; not above 0 where the tool does not fit inside."""
    return span.radius - side if span.sweep > 0 else span.radius + side


def turned(span: Span, begin: Point, end: Point) -> float:
    """The sweep of a span's own centre from one point to another, in its direction of turning."""
    assert span.centre
    a = math.atan2(begin[1] - span.centre[1], begin[0] - span.centre[0])
    b = math.atan2(end[1] - span.centre[1], end[0] - span.centre[0])
    way = (b - a) % (2.0 * math.pi) if span.sweep > 0 else -((a - b) % (2.0 * math.pi))
    # Near a full turn or none the direction of turning decides nothing: take the one nearer to the programmed sweep.
    for other in (way + 2.0 * math.pi, way - 2.0 * math.pi):
        if abs(other - span.sweep) < abs(way - span.sweep) - 1e-9:
            way = other
    return way


class Compensation:
    """Takes moves of the programmed path, gives moves of the tool's centre to `emit`."""

    def __init__(
        self,
        plane: int,
        names: tuple[str, str],
        begin: Point,
        outside: str,
        look_ahead: int,
        emit: Callable[[Move], object],
        say: Callable[[str, str, Move], None],
    ) -> None:
        """`names`: the plane's two axes; `begin`: where the programmed path starts, in the plane; `say` is called with rule, message and move."""
        self.plane, self.outside, self.look_ahead, self.emit, self.say = plane, outside, look_ahead, emit, say
        self.first, self.second = names
        self.side = 0.0
        self.shift: Point = (0.0, 0.0)  # from the programmed point to the nose's centre
        self.here = begin  # the programmed path's end so far
        self.centre = begin  # where the last emitted move ended
        self.last: tuple[Move, Span] | None = None
        self.lead: Move | None = None
        self.begun = False
        self.held: list[Move] = []
        self.ending = False
        self.told_lines: set[int] = set()

    # --- taking moves -------------------------------------------------------------------------------------------------

    def take(self, move: Move) -> None:
        """A move of the programmed path; `axes` names both axes of the plane where it has a way in it."""
        end = (move.axes.get(self.first, self.here[0]), move.axes.get(self.second, self.here[1]))
        still = math.hypot(end[0] - self.here[0], end[1] - self.here[1]) < HAIR_MM and move.kind != ARC
        if still:
            self._hold(move)
            return
        span = Span(self.here, end, move.centre if move.kind == ARC else None, move.sweep)
        if self.begun and not self.ending and not self._fits(move, span):
            if math.dist(span.begin, span.end) < HAIR_MM:
                return  # a whole circle that the tool does not go round in
            span = Span(span.begin, span.end)
        self.here = end
        if self.ending:
            self._lead_out(move, span)
        elif not self.begun:
            self.begun = True
            if move.kind == ARC:
                self.say(
                    "compensation.entry", "cutter compensation begins on an arc; it must begin on a straight move", move
                )
            self.lead = move
        elif self.lead is not None:
            self._goto(self.lead, span.beside(span.begin, self.side), straight=True)
            self.lead = None
            self._let_go()
            self.last = (move, span)
        elif self.last is not None:
            self._junction(move, span)
        else:
            self.last = (move, span)

    def set_side(self, side: float, shift: Point) -> None:
        """Another side or radius from the next move on."""
        if self.begun and side != self.side:
            self.finish()
        self.side, self.shift = side, shift

    def end(self) -> None:
        """Compensation off: the next move with a way in the plane ends on its programmed point."""
        self.finish()
        self.ending = True

    def finish(self) -> None:
        """Let go of everything held: the last span ends square beside its programmed end."""
        if self.lead is not None:
            # Nothing follows that would tell where to: it ends beside its own end.
            begin = self.centre[0] + self.shift[0], self.centre[1] + self.shift[1]
            far = math.dist(begin, self.here) > HAIR_MM
            self._goto(
                self.lead, Span(begin, self.here).beside(self.here, self.side) if far else self.here, straight=True
            )
            self.lead = None
        if self.last is not None:
            move, span = self.last
            self._along(move, span, span.beside(span.end, self.side))
            self.last = None
        self._let_go()

    @property
    def inside_a_contour(self) -> bool:
        """Whether a span is held whose corner is not known yet."""
        return not self.ending and (self.last is not None or self.lead is not None)

    @property
    def idle(self) -> bool:
        return self.last is None and self.lead is None and not self.held

    # --- corners ------------------------------------------------------------------------------------------------------

    def _junction(self, move: Move, span: Span) -> None:
        assert self.last
        before, one = self.last
        corner = one.end
        (ux, uy), (vx, vy) = one.direction(one.end), span.direction(span.begin)
        sine, cosine = ux * vy - uy * vx, ux * vx + uy * vy
        a, b = one.beside(one.end, self.side), span.beside(span.begin, self.side)
        if abs(sine) < STRAIGHT_ON and cosine > 0:
            self._along(before, one, a)
            self._let_go()
        elif sine * self.side > 0 and not (cosine < 0 and abs(sine) < STRAIGHT_ON):
            self._inside(before, one, move, span, corner)
        else:
            self._outside(before, one, move, a, b, (ux, uy), (vx, vy), sine, cosine, corner, one.centre or span.centre)
        self.last = (move, span)

    def _inside(self, before: Move, one: Span, move: Move, span: Span, corner: Point) -> None:
        found = crossings(one, span, self.side)
        if not found:
            self._too_narrow(move, "the two paths beside the corner do not meet")
            meeting = one.beside(one.end, self.side)
        else:
            meeting = min(found, key=lambda p: math.hypot(p[0] - corner[0], p[1] - corner[1]))
        self._along(before, one, meeting)
        # What lies beyond the next span's own end is found when that span is let go.
        self._let_go()

    def _outside(self, before, one, move, a, b, u, v, sine, cosine, corner, curved) -> None:  # type: ignore[no-untyped-def]
        size = abs(self.side)
        if self.outside == "arc" and size > 0:
            self._along(before, one, a)
            self._let_go()
            sweep = math.atan2(sine, cosine)
            if abs(sine) < STRAIGHT_ON:
                sweep = -math.pi if self.side > 0 else math.pi
            self._link(move, b, corner, sweep)
            return
        if cosine >= -1e-9:
            # Both carried on by tan(half the angle): that is where they meet.
            further = size * math.tan(0.5 * math.acos(max(-1.0, min(1.0, cosine))))
            meeting = a[0] + further * u[0], a[1] + further * u[1]
            if not curved:
                self._along(before, one, meeting)
                self._let_go()
                return
            points = [meeting, b]
        else:
            points = [(a[0] + size * u[0], a[1] + size * u[1]), (b[0] - size * v[0], b[1] - size * v[1]), b]
        self._along(before, one, a)
        self._let_go()
        for point in points:
            self._link(move, point)

    def _fits(self, move: Move, span: Span) -> bool:
        if span.centre is not None and offset_radius(span, self.side) < HAIR_MM:
            self._too_narrow(move, f"an arc of radius {span.radius:.3f} inside a tool of radius {abs(self.side):.3f}")
            return False
        return True

    # --- giving moves -------------------------------------------------------------------------------------------------

    def _along(self, move: Move, span: Span, end: Point) -> None:
        """A span's own move, from where the centre is to `end`."""
        begin = self.centre[0] + self.shift[0], self.centre[1] + self.shift[1]
        if span.centre is None:
            u = span.direction(span.end)
            if (end[0] - begin[0]) * u[0] + (end[1] - begin[1]) * u[1] < -1e-5:
                self._too_narrow(move, "the tool would have to go back along it")
            self._goto(move, end)
            return
        sweep = turned(span, begin, end)
        if sweep * span.sweep < 0 or abs(sweep) > abs(span.sweep) + math.pi:
            self._too_narrow(move, "the tool would have to go back along it")
            self._goto(move, end, straight=True)
            return
        self._goto(move, end, sweep=sweep)

    def _goto(self, move: Move, point: Point, straight: bool = False, sweep: float = 0.0) -> None:
        place = point[0] - self.shift[0], point[1] - self.shift[1]
        axes = {**move.axes, self.first: place[0], self.second: place[1]}
        if move.kind == ARC and (straight or not sweep):
            move = replace(move, kind=FEED, centre=None, sweep=0.0)
        elif move.kind == ARC:
            assert move.centre
            middle = move.centre[0] - self.shift[0], move.centre[1] - self.shift[1]
            move = replace(move, centre=middle, sweep=sweep)
        self.centre = place
        self.emit(replace(move, axes=axes))

    def _link(self, move: Move, point: Point, about: Point | None = None, sweep: float = 0.0) -> None:
        """A move round an outside corner, in the plane only."""
        place = point[0] - self.shift[0], point[1] - self.shift[1]
        if math.hypot(place[0] - self.centre[0], place[1] - self.centre[1]) < HAIR_MM:
            return
        self.centre = place
        kind = move.kind if move.kind != ARC else FEED
        link = replace(move, kind=kind, axes={self.first: place[0], self.second: place[1]}, centre=None, sweep=0.0)
        if about is not None:
            link = replace(
                link,
                kind=ARC,
                centre=(about[0] - self.shift[0], about[1] - self.shift[1]),
                sweep=sweep,
                plane=self.plane,
            )
        self.emit(link)

    def _lead_out(self, move: Move, span: Span) -> None:
        if move.kind == ARC:
            self.say("compensation.exit", "cutter compensation ends on an arc; it must end on a straight move", move)
        self.shift = (0.0, 0.0)
        self._goto(move, span.end, straight=True)
        self.ending = self.begun = False
        self.side = 0.0

    def _hold(self, move: Move) -> None:
        if self.idle:
            self.emit(move)
            return
        self.held.append(move)
        moving = sum(bool(item.axes) for item in self.held)
        if moving == self.look_ahead + 1:
            self.say("compensation.look-ahead", f"{moving} moves in a row without a way in the plane under cutter compensation: "
                     "controls that look no farther ahead cut into the corner", move)  # fmt: skip

    def _let_go(self) -> None:
        for move in self.held:
            # The plane's axes stay where the centre is, whatever the block repeats of them.
            self.emit(replace(move, axes={a: v for a, v in move.axes.items() if a not in (self.first, self.second)}))
        self.held.clear()

    def _too_narrow(self, move: Move, why: str) -> None:
        if move.line not in self.told_lines:
            self.told_lines.add(move.line)
            self.say("compensation.narrow", f"the tool's radius {abs(self.side):.3f} does not fit here: {why}", move)
