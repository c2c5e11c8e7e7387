"""Writes the motions of a reading: at once, or through look-ahead where a block asks for it.

    moves, cycles, …  ──►  move()  ──►  corners  ──►  compensation  ──►  written as axis values  ──►  rows
                                  chamfers, rounds    cutter radius      offsets, tool frame, flat plane
                                  (held until the next move is known)
                           add()   axis values as they are: reference positions, tool changes, dwells

While motions are held the program is ahead of the axes: `control.ahead` is the shaped point that it has reached.
"""

from __future__ import annotations

from typing import Any

from . import checks, feeds
from .compensation import Compensation, Move
from .corners import Corners
from .flat import Flat
from .motions import ARC, DWELL, FEED, PLANE_AXES, RAPID, THREAD, Snapshot
from .run import Ended, Run

MOST_PIECES = 20_000  # of one move in a flat plane
MOST_TURNS = 10_000  # of rotary axes in a program, while the tip keeps its way: each is 180 pieces of the replay


class Writer(Run):
    def move(self, kind: int, axes: dict[str, float], **more: Any) -> Move:
        """A motion of this block to shaped coordinates. Where no look-ahead is on it is written at once."""
        control = self.control
        if "Z" in axes or control.tip_control:
            if control.ahead is None and not (self.corners or self.compensation) and self.collecting is None:
                return self._write(self._made(kind, axes, **more))
            control.length_applied = control.length_active
        move = self._made(kind, axes, **more)
        if self.collecting is not None:
            control.ahead = {**(control.ahead or {}), **axes}
            if kind in (RAPID, FEED, ARC, THREAD):
                (self.corners.take if self.corners else self.collecting.append)(move)
            return move
        if self.corners:
            control.ahead = {**(control.ahead or {}), **axes}
            self.corners.take(move)
            if self.corners.idle and not self.compensation:
                self.corners = None
                self._level()
        elif self.compensation:
            control.ahead = {**(control.ahead or {}), **axes}
            self.compensation.take(move)
            self.end_compensation()
        else:
            self._write(move)
        return move

    def _made(self, kind: int, axes: dict[str, float], **more: Any) -> Move:
        control = self.control
        held = self.corners is not None or self.compensation is not None
        return Move(
            kind,
            axes,
            self.row_line or self.at,
            self.file,
            rpm=control.rpm,
            snapshot=self.snapshot() if held else -1,
            **more,
        )

    def through_corners(self) -> None:
        """Hold motions back from now on until the corner they go round is known."""
        if self.corners is None:
            names = self.plane_names()
            begin = self.control.here(names[0]), self.control.here(names[1])
            self.corners = Corners(self.control.plane, names, begin, self._from_corners, self._say_of)

    def _from_corners(self, move: Move) -> None:
        if self.collecting is not None:
            self.collecting.append(move)
        elif self.compensation:
            self.compensation.take(move)
        else:
            self._write(move)

    def _say_of(self, rule: str, message: str, move: Move) -> None:
        self.report(rule, message, line=move.line, program=self.texts[move.file].name)

    def begin_compensation(self) -> None:
        control = self.control
        if self.compensation is None:
            settings = self.dialect.settings
            names = self.plane_names()
            begin = control.here(names[0]), control.here(names[1])
            self.compensation = Compensation(
                control.plane, names, begin, settings.outside_corner, settings.look_ahead, self._write, self._say_of
            )
            first, second = self.compensation.first, self.compensation.second
            control.ahead = {**(control.ahead or {}), first: begin[0], second: begin[1]}

    def end_compensation(self) -> None:
        """Give compensation up once its last move has gone out."""
        if (
            self.compensation
            and not self.compensation.ending
            and not self.compensation.begun
            and not self.compensation.side
        ):
            self.compensation = None
            self._level()

    def give_up_compensation(self) -> None:
        """Off without a move that ends it: it was reported, and what follows is not to repeat it."""
        self.let_go()
        self.compensation = None
        self.control.compensation = "compensation-off"
        self._level()

    def _level(self) -> None:
        """Nothing is held: the program stands where the axes do."""
        if not self.corners and not self.compensation and self.collecting is None:
            flat = self.unrolled
            self.control.ahead = dict(zip(flat.names, flat.here, strict=True)) if flat is not None else None

    def let_go(self) -> None:
        """Write every motion that look-ahead holds."""
        if self.corners:
            self.corners.finish()
            self.corners = None
        if self.compensation:
            self.compensation.finish()
        else:
            self._level()

    def _write(self, move: Move) -> Move:
        """A motion of shaped coordinates as axis values."""
        control = self.control
        if self.unrolled is not None and move.kind in (RAPID, FEED, ARC, THREAD):
            self._write_flat(self.unrolled, move)
            return move
        turns = (
            move.kind != RAPID and control.tip_control and any(self.control.index(a) in self.rotary for a in move.axes)
        )
        begin = control.place() if turns else None
        here = control.machine
        in_frame = False
        centre, sweep = move.centre or (0.0, 0.0), move.sweep
        target = control.to_machine(move.axes) if move.axes else list(here)
        if move.kind == ARC:
            in_frame = control.framed
            if not in_frame:
                first, second = ("XYZ"[i] for i in PLANE_AXES[move.plane][:2])
                centre = centre[0] + control.offset(first), centre[1] + control.offset(second)
        elif turns and any(target[i] != here[i] for i in self.rotary):
            # While no rotary axis turns, a straight way of the tip is a straight way of the axes too.
            in_frame = True
        if in_frame:
            self._wind(max((abs(target[i] - here[i]) for i in self.rotary), default=0.0))
        if "Z" in move.axes or control.tip_control:
            control.length_applied = control.length_active
        feed = move.feed
        if feed < 0.0:  # worked out where the way is known
            feed = feeds.feed_rate(self, feeds.way(self, target, begin, move, in_frame))
        self.add(move.kind, target, feed, move.exact, move.plane if move.kind == ARC else 0, centre, sweep, move.seconds,
                 in_frame, move.line, move.file, move.rpm, move.snapshot)  # fmt: skip
        return move

    def _wind(self, degrees: float) -> None:
        self.wound += degrees
        if self.wound > 360.0 * MOST_TURNS:
            self.report("endless.turns", f"stopped: under tip control the rotary axes turn more than {MOST_TURNS:,} times",
                        remedy="Correct the rotary word: its point may be missing.")  # fmt: skip
            raise Ended

    def _write_flat(self, flat: Flat, move: Move) -> None:
        """A motion in a flat plane, as its short moves."""
        for piece, _ in zip(flat.pieces(move), self.steps(MOST_PIECES, "one move round the axis"), strict=False):
            self.add(piece.kind, piece.target, move.feed, move.exact, seconds=move.seconds, line=move.line, file=move.file,
                     rpm=move.rpm, snapshot=move.snapshot, way=piece.way)  # fmt: skip
        self._level()

    def add(
        self,
        kind: int,
        target: list[float],
        feed: float = 0.0,
        exact: bool = False,
        plane: int = 0,
        centre: tuple[float, float] = (0.0, 0.0),
        sweep: float = 0.0,
        seconds: float = 0.0,
        in_frame: bool = False,
        line: int = 0,
        file: int = -1,
        rpm: float | None = None,
        snapshot: int = -1,
        way: float = 0.0,
    ) -> None:
        """One motion to axis values."""
        control = self.control
        if control.clamped:
            checks.check_clamped(self, target)
        if control.surface_speed is not None:
            rpm, feed = feeds.by_surface_speed(self, kind, target, feed)
        control.machine = list(target)
        self.builder.row(
            tuple(target), centre, kind, self.file if file < 0 else file, line or self.row_line or self.at, feed,
            control.rpm if rpm is None else rpm, control.tool, exact, plane, sweep, seconds, self.snapshot() if snapshot < 0 else snapshot, in_frame, way,
        )  # fmt: skip

    def to_axes(self, machine: dict[str, float], kind: int = RAPID, feed: float = 0.0, exact: bool = False) -> None:
        """A motion to machine values of some axes, where any of them is elsewhere."""
        target = list(self.control.machine)
        for axis, value in machine.items():
            target[self.control.index(axis)] = value
        if target != self.control.machine:
            self.add(kind, target, feed, exact)

    def wait(self, seconds: float, kind: int = DWELL) -> None:
        if self.compensation or self.corners:
            self.move(kind, {}, seconds=seconds)
        else:
            self.add(kind, self.control.machine, seconds=seconds)

    def snapshot(self) -> int:
        control = self.control
        offsets = tuple([control.offset(axis, control.length_applied) for axis in self.setup.axes])
        key = (
            control.motion, control.cycle, control.plane, control.absolute, control.feed_mode, control.inch,
            control.length_mode, control.length_number, control.return_initial, control.work_offset, control.exact_mode,
            control.tool, control.coolant, offsets, control.tip_control, control.dynamic, control.live,
            control.surface_speed is None, control.compensation, control.radius, control.polar, control.shape,
            None if control.tilt is None else control.tilt.tobytes(), control.addressed, control.works, control.elsewhere,
        )  # fmt: skip
        known = self.snapshots.get(key)
        if known is None:
            coolant = {"mist": 7, "flood": 8}.get(control.coolant, 0)
            on = control.compensation != "compensation-off"
            known = self.snapshots[key] = self.builder.snapshot(
                Snapshot(
                    control.codes(), control.work_offset, control.length_number, control.length_applied, offsets,
                    control.tool, coolant, control.inch,
                    control.lengths.get(control.length_number, (0.0, 0.0))[1] if control.length_applied else 0.0,
                    control.radius_number if on else 0, control.radius if on else 0.0, control.live != 0,
                    control.frame(control.length_applied) if control.framed else None, control.addressed, control.works,
                    control.elsewhere,
                )
            )  # fmt: skip
        return known
