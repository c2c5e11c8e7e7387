"""The plain interpreter: carries out blocks one by one, as the control would, and keeps every error with its place.

Order within a block (pinned): skip → offsets, planes, units, modes → tool change → spindle → coolant → other M →
motion or dwell → end-of-block M (M0 M1 M2 M30 M98 M99, wait marks).

This file runs blocks and writes motions; what the codes do stands beside it: `modes`, `moves`, `acts`, `flow`, `cycles`,
`turning`, `contours`, `threads`, `unrolled`. Motions go through look-ahead (`corners`, `compensation`) where a block asks
for it. Runs of plain G0–G3 blocks in long files go through the compiled twin in `interpret_kernel`; everything that could
be an error is left to this one, so that diagnostics come from one place.
"""

from __future__ import annotations

import gc
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..findings import Docket
from ..job.models import is_rotary_word
from . import acts, carry, fixes, flow, modes, moves, plain, turning
from .compensation import Compensation, Move
from .control import Control, Setup
from .corners import Corners
from .flow import Ended
from .meanings import ARCS, CYCLES, MEANINGS
from .motions import ARC, DWELL, FEED, OTHER, PLANE_AXES, RAPID, THREAD, MotionBuilder, Motions, Snapshot
from .reader import Block, Unreadable
from .state import State, state_of
from .system_variables import System
from .text import SCAN_FROM_LINES, ProgramText
from .variables import MacroError
from .words import Plan, Words, classify, idle_letters, make_plan, plan_of_columns

FAST_RUN = 200  # shorter runs of plain blocks are not worth entering the kernel for
ALTERNATIVE_FEED = 100.0  # mm/min, so that time goes on where a program forgot its feed; reported as program.feed
# Codes that look-ahead goes past; before any other the held motions are let go.
_PASSED = ARCS | {
    "rapid", "line", "dwell", "exact-once", "absolute", "increments", "spindle-cw", "spindle-ccw", "spindle-off", "flood",
    "mist", "coolant-off", "per-minute", "per-revolution", "compensation-left", "compensation-right", "compensation-off",
    "nothing", "continuous", "exact-path", "macro", "call", "return",
}  # fmt: skip
_ONLY_WAYS = (("call",), ("return",))
_CALL_LETTERS = {"P", "L"}
# What is told as such when it stands in a compensated contour.
_TOLD_OTHERWISE = CYCLES | {
    "home", "home-other", "machine-coordinates", "local-shift", "set-position", "skip", "probe", "along-plane", "plane-xy",
    "plane-zx", "plane-yz", "change", "end", "end-rewind",
}  # fmt: skip
_NO_APPROACH = frozenset({"home", "home-other", "machine-coordinates", "data", "set-position", "local-shift"})


@dataclass
class Wait:
    """A wait mark: its number, and the channels that it names (none: every other channel that has the mark)."""

    mark: int
    channels: tuple[int, ...]
    motion: int
    line: int
    program: str


@dataclass
class Interpreted:
    motions: Motions
    blocks: int
    looped: bool = False  # M99 in the main program
    stops: list[tuple[int, str]] = field(default_factory=list)  # (motion index, M0 / M1)
    operations: list[tuple[int, int, int, str]] = field(default_factory=list)  # (motion, line, tool, comment)
    waits: list[Wait] = field(default_factory=list)
    left_out: list[tuple[int, str, int]] = field(default_factory=list)  # (motion, program, line) where a stretch begins
    shifted: set[int] = field(default_factory=set)  # which of the shifts asked for came into effect
    not_carried_out: bool = False
    ended: tuple[str, int] | None = None  # program and line of the end


class Interpreter:
    def __init__(
        self,
        setup: Setup,
        texts: list[ProgramText],
        docket: Docket,
        channel: int = 1,
        start: dict[str, float] | None = None,
        fast: bool = True,
        tick: Callable[[float], None] | None = None,
    ) -> None:
        """`texts`: the main program, then its library. `tick` is called now and then with the share read (0–1)."""
        self.setup = setup
        self.dialect = setup.dialect
        self.texts = texts
        self.docket = docket
        self.channel = channel
        self.tick = tick
        self.fast = fast
        begin = [float((start or {}).get(axis, 0.0)) for axis in setup.axes]
        self.control = Control(setup, begin)
        self.control.variables.system = System(self)
        self.builder = MotionBuilder(setup.axes, np.array(begin))
        self.rotary = [i for i, axis in enumerate(setup.axes) if is_rotary_word(axis)]
        self.result = Interpreted(motions=None, blocks=0)  # type: ignore[arg-type]
        self.text = texts[0]
        self.file = 0
        self.at = 0
        self.flow = flow.Course(self)
        self.told: set[object] = set()  # what has been reported and need not be again
        self.ready: plain.Ready | None = None
        self.collecting: list[Move] | None = None  # the contour of a roughing cycle, instead of motions
        self.corners: Corners | None = None
        self.compensation: Compensation | None = None
        self.unrolled: Any = None  # cylindrical or polar interpolation, while it is on
        self.in_contour = False  # the blocks of a contour are being carried out for a cycle
        self.row_line = 0  # the line that motions are given, where it is not their own block's
        self.modal_macro: tuple[int, dict[int | str, float]] | None = None
        self.in_modal_macro = False
        self.geometry: dict[int, dict[str, float]] = dict(setup.geometry)  # registers of turning tools
        self.register = 0  # the geometry register in use
        self.approach: tuple[ProgramText, int] | None = None  # where this tool first moves along Z
        self.rapid_level: float | None = None  # the R level of this tool's last cycle
        self.cut_since_change = False
        self.cycle_steps = 0  # holes, pecks and passes that cycles have made
        marks = setup.wait_marks
        self.watched: tuple[int, int] | None = None  # file and line (from 0) whose state is asked for
        self.seen: list[State] = []  # before and after the watched block
        self.bound = frozenset(setup.codes) | (
            {f"M{code}" for code in range(marks[0], marks[1] + 1)} if marks else frozenset()
        )
        self._plans: dict[int, list[Plan | Unreadable | None]] = {}
        self._snapshots: dict[object, int] = {}
        self._deadline = time.monotonic() + setup.max_seconds
        modes.start(self)

    # --- running ------------------------------------------------------------------------------------------------------

    def run(self) -> Interpreted:
        if self.fast and len(self.text) >= SCAN_FROM_LINES:
            self.text.scan()
        # Rows and blocks hold no cycles; looking through all of them again and again for some costs a third of the time.
        collects = gc.isenabled()
        gc.disable()
        try:
            self._run()
            self.result.motions = self.builder.done([text.name for text in self.texts])
        finally:
            if collects:
                gc.enable()
        return self.result

    def watch(self, program: str, line: int) -> None:
        """Stop once the first carrying out of a line (from 1) is done; `seen` holds the state before it and after."""
        names = [text.name for text in self.texts]
        self.watched = (names.index(program), line - 1) if program in names else None

    def _run(self) -> None:
        try:
            while True:
                if self.at >= len(self.text):
                    self.flow.end_of_text()
                elif self.watched == (self.file, self.at):
                    self.seen.append(state_of(self))
                    self.step()
                    self.let_go()
                    self.seen.append(state_of(self))
                    break
                elif not (self.fast and self.text.flags is not None and self._run_fast()):
                    self.step()
        except Ended:
            pass
        with suppress(Ended):  # what was held may be endless itself, and is told as that
            self.let_go()
        if self.watched is None:
            self._at_the_end()
        elif len(self.seen) == 1:  # the watched block was the end
            self.seen.append(state_of(self))

    def _at_the_end(self) -> None:
        """What is asked once the program has come to its end."""
        control = self.control
        if control.compensation != "compensation-off":
            code = self.dialect.code_of("compensation-off")
            self.report("compensation.left-on", "the program ends while cutter compensation is on",
                        remedy=f"Cancel it with {code} on a straight move.")  # fmt: skip
        if self.result.ended is None or self.result.ended[0] != self.texts[0].name:
            return
        rest = range(self.result.ended[1], self.texts[0].program_around(self.result.ended[1] - 1).stop)
        first = 0
        for index in rest:
            block = self.texts[0].block(index)
            if isinstance(block, Block) and (block.percent or block.program is not None):
                break
            if isinstance(block, Block) and block.number is not None and self.flow.jumps_to(block.number):
                return
            if not first and (isinstance(block, Unreadable) or block.words or block.assignments or block.flow):
                first = index + 1
        if first:
            self.report("syntax.after-end", "nothing reaches this block: the program has ended before it", line=first,
                        program=self.texts[0].name)  # fmt: skip

    def plan(self, index: int) -> Plan | Unreadable:
        plans = self._plans.get(self.file)
        if plans is None:
            plans = self._plans[self.file] = [None] * len(self.text)
        plan = plans[index]
        if plan is None:
            columns = self.text.columns(index)
            plan = plan_of_columns(*columns) if columns else None
            if plan is None:
                block = self.text.block(index)
                plan = block if isinstance(block, Unreadable) else make_plan(block)
            plans[index] = plan
        return plan

    def step(self) -> None:
        """Carry out the block that is next."""
        index = self.at
        self.at += 1
        self.result.blocks += 1
        if self.result.blocks % 5000 == 0:
            self._look_up()
        if self.flow.jumped or self.flow.stack:
            self.flow.count()
        plan = self.plan(index)
        if isinstance(plan, Unreadable):
            self.report("syntax", f"column {plan.column}: {plan}", fix=fixes.readable(self, index, str(plan)))
            return
        if plan.empty:
            return
        if self.setup.left_out and self._left_out(index):
            return
        if plan.plain and (self.ready or plain.make_ready(self)) and plain.carry_out(self, plan):
            return
        if plan.block is None:
            plan.block = self.text.block(index)  # type: ignore[assignment]
        block = plan.block
        assert block
        if block.percent:
            # The first % begins the tape, any later one ends it.
            if self.text.data[: self.text.line_begin[index]].strip():
                self.flow.end_of_text()
            return
        if block.skip and block.skip in self.setup.block_skip:
            return
        try:
            if block.assignments:
                self.assign(block)
            if block.flow:
                self.flow.take(block.flow, index, block)
                return
            words = self.words(plan)
        except MacroError as error:
            self.report("macro.error", str(error))
            return
        if words is None or (block.assignments and not block.words):
            return
        if words.m in _ONLY_WAYS and not words.g and not words.own and words.value.keys() <= _CALL_LETTERS:
            self.flow.after(words, block)  # nothing else stands in it, and nothing modal changes
        else:
            self.carry_out(words, block)

    def _look_up(self) -> None:
        if self.tick:
            self.tick(self.at / max(1, len(self.text)))
        if time.monotonic() > self._deadline:
            self.report("endless.time", f"stopped: reading took longer than {self.setup.max_seconds:g} s")
            raise Ended

    def ends_with_percent(self) -> bool:
        """Whether a pair of % lines stands for the program's end: only in the o-word language (RS274/NGC, 3.2)."""
        return self.dialect.o_words and self.text.data.count(b"%") >= 2

    def _left_out(self, index: int) -> bool:
        for program, first, last in self.setup.left_out:
            if first <= index + 1 <= last and program == self.text.name:
                place = (self.builder.count, program, first)
                if place not in self.result.left_out:
                    self.result.left_out.append(place)
                return True
        return False

    def _shifted(self, index: int, words: Words) -> dict[str, float]:
        """The shift asked for at a line; it comes into effect with the first word of its axes, and that is noted."""
        for number, (program, first, last, shift) in enumerate(self.setup.shifts):
            if first <= index + 1 <= last and program == self.text.name:
                if any(axis in words for axis in shift):
                    self.result.shifted.add(number)
                return shift
        return {}

    def assign(self, block: Block) -> None:
        """Carry out assignments; raises MacroError."""
        variables = self.control.variables
        for assignment in block.assignments:
            key = assignment.target.key(variables)
            value = assignment.value.work_out(variables)
            if variables.vacant_read:
                self.tell_vacant()
            if key == 3000 or key == 3006:
                acts.alarm(self, key, value, block.comments)
            else:
                variables.set(key, value)

    def tell_vacant(self) -> None:
        variables = self.control.variables
        for name in dict.fromkeys(variables.vacant_read):
            self.report("macro.vacant", f"{name} is vacant and counts as 0 here")
        variables.vacant_read.clear()

    def words(self, plan: Plan) -> Words | None:
        """The block's words; None when it must not be carried out. Raises MacroError."""
        if plan.literal:
            if not plan.classified:
                plan.classify(self.dialect, self.bound)
            wrong, broken, words = plan.wrong, plan.words is None, plan.words
        else:
            items = []
            assert plan.block
            for word in plan.block.words:
                value = word.value if isinstance(word.value, float) else word.value.work_out(self.control.variables)
                if value is None:
                    continue
                if not -1e9 < value < 1e9:
                    raise MacroError(f"{word.letter} is beyond what the control can hold")
                items.append((word.letter, value, word))
            if self.control.variables.vacant_read:
                self.tell_vacant()
            words, wrong, broken = classify(items, self.dialect, self.bound)
        for fault in wrong:
            fix = fixes.remove_word(self, fault.surplus) if fault.surplus else None
            self.report(fault.rule, fault.message, severity=fault.severity, remedy=fault.remedy, fix=fix)
            if fault.rule == "word.not-carried":
                self.result.not_carried_out = True
        return None if broken else words

    def block_number(self) -> int:
        """The N number that the program passed last."""
        for index in range(self.at - 1, max(-1, self.at - 2000), -1):
            block = self.text.block(index)
            if isinstance(block, Block) and block.number is not None:
                return block.number
        return 0

    # --- reporting ----------------------------------------------------------------------------------------------------

    def report(self, rule: str, message: str, **fields: Any) -> None:
        fields.setdefault("line", self.at)
        fields.setdefault("program", self.text.name)
        self.docket.add(
            rule, message, channel=self.channel, tool=self.control.tool,
            motion=self.builder.count, last_motion=self.builder.count, **fields,
        )  # fmt: skip

    def report_once(self, key: object, rule: str, message: str, **fields: object) -> None:
        if key not in self.told:
            self.told.add(key)
            self.report(rule, message, **fields)

    def not_carried_out(self, what: str) -> None:
        self.result.not_carried_out = True
        self.report("word.not-carried", f"{what}: not carried out; what follows cannot be trusted")

    def steps(self, most: int, what: str) -> Iterator[int]:
        """0, 1, 2 … of a cycle that goes on by itself. Past `most`, or past what the job lets all cycles do together, it is
        told as without end and the reading stops: nothing of it is left out in silence."""
        for step in range(most):
            self.cycle_steps += 1
            if self.cycle_steps % 5000 == 0:
                self._look_up()
            if self.cycle_steps > self.setup.max_blocks:
                break
            yield step
        self.report("endless.cycle", f"stopped: {what} without an end in sight, after {min(most, self.cycle_steps):,} steps",
                    remedy="Correct the count or the step of the cycle.")  # fmt: skip
        raise Ended

    # --- values -------------------------------------------------------------------------------------------------------

    def scaled(self, words: Words, letter: str, rotary: bool | None = None) -> float:
        """A length word in mm (or an angle in degrees); a diameter as the slide's own way."""
        value = words.value[letter]
        turns = letter in "ABC" if rotary is None else rotary
        if self.setup.bare_increment and letter in words.bare:
            value *= 0.0001 if self.control.inch and not turns else 0.001
        if turns:
            return value
        if self.setup.diameters and letter in "XU" and "X" in self.setup.diameters:
            value *= 0.5
        return value * self.control.unit

    def length(self, words: Words, letter: str) -> float:
        """A length word that is no coordinate: never a diameter, always in mm."""
        value = words.value[letter]
        if self.setup.bare_increment and letter in words.bare:
            value *= 0.0001 if self.control.inch else 0.001
        return value * self.control.unit

    def axes(self, words: Words) -> dict[str, float]:
        """The axis words of the block, in mm and degrees: program coordinates, or increments under G91. An axis that the
        channel lacks is reported."""
        found = {}
        letters = turning.axis_letters(self, words) if self.dialect.turning else words.value
        for letter in letters:
            if letter not in "XYZABCUVW":
                continue
            if self.control.index(letter) < 0:
                self.report_once(("axis", letter), "word.axis",
                                 f"this channel has no axis {letter}; its words are passed over")  # fmt: skip
                continue
            found[letter] = self.scaled(words, letter)
        return found

    def absolute(self, axes: dict[str, float]) -> dict[str, float]:
        """Program coordinates of axis words, which are increments under G91."""
        if self.control.absolute:
            return axes
        return {axis: self.control.program_position(axis) + value for axis, value in axes.items()}

    # --- one block ----------------------------------------------------------------------------------------------------

    def carry_out(self, words: Words, block: Block) -> None:
        control = self.control
        self.ready = None
        if self.setup.shifts:
            shift = self._shifted(self.at - 1, words)
            if shift != control.program_shift:
                self.let_go()
                control.program_shift = shift
        if (self.compensation or self.corners) and not self._passes(words):
            names = (*words.g, *words.m)
            if (
                self.compensation
                and self.compensation.inside_a_contour
                and not any(n in _TOLD_OTHERWISE for n in names)
            ):
                self.report("compensation.look-ahead", "compensation cannot look past this block: the tool ends square beside the "
                            "corner", remedy="Put the block before the contour or after it.")  # fmt: skip
            self.let_go()
        if self.dialect.turning:
            words = turning.prepared(self, words)
        if not words.unsure:
            self._say_idle(words)
        modes.take(self, words)
        if self.dialect.turning:
            turning.tool_words(self, words, block)
        else:
            acts.tool_words(self, words, block)
        if "S" in words:
            acts.speed(self, words)
        acts.spindle_and_coolant(self, words)
        if not words.unsure:
            if self.approach is None and "Z" in words and not any(name in _NO_APPROACH for name in words.g):
                self.approach = (self.text, self.at)
            before = self.builder.count
            carry.take(self, words)
            if self.modal_macro and not self.in_modal_macro and self.builder.count > before and self.collecting is None:
                self.flow.modal_call(*self.modal_macro)
        self.flow.after(words, block)

    def _passes(self, words: Words) -> bool:
        if any(name not in _PASSED for name in (*words.g, *words.m)) or words.own or "T" in words:
            return False
        return "dwell" not in words.g or self.compensation is not None

    def _say_idle(self, words: Words) -> None:
        control = self.control
        motion = next((name for name in reversed(words.g) if MEANINGS[name].group == "motion"), control.motion)
        cycle = next(
            (name for name in reversed(words.g) if name in CYCLES), "" if "no-cycle" in words.g else control.cycle
        )
        if cycle and motion is not control.motion:
            cycle = next((name for name in words.g if name in CYCLES), "")
        for letter in idle_letters(words, motion, cycle, control.tip_control == "tip-vector", self.dialect.turning):
            where = {"P": "a cycle, dwell or call", "Q": "a cycle", "L": "a cycle or call", "R": "an arc or cycle",
                     "I": "an arc", "J": "an arc", "K": "an arc"}.get(letter)  # fmt: skip
            if letter == "O":
                continue
            if letter == "P" and self.dialect.settings.helix_turns and motion in ARCS:
                continue
            self.report("word.idle", f"{letter} has no meaning here" + (f": it belongs to {where}" if where else ""),
                        remedy=f"Remove {letter}, or add the code it belongs to.",
                        fix=fixes.remove_word(self, letter))  # fmt: skip

    # --- motions ------------------------------------------------------------------------------------------------------

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

    def plane_names(self) -> tuple[str, str]:
        """The two axes of the plane in force."""
        if self.unrolled is not None:
            return self.unrolled.names
        first, second = ("XYZ"[i] for i in PLANE_AXES[self.control.plane][:2])
        return first, second

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
            self.unrolled.write(self, move)
            self._level()
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
        if "Z" in move.axes or control.tip_control:
            control.length_applied = control.length_active
        feed = move.feed
        if feed < 0.0:  # worked out where the way is known
            feed = moves.feed_rate(self, moves.way(self, target, begin, move, in_frame))
        self.add(move.kind, target, feed, move.exact, move.plane if move.kind == ARC else 0, centre, sweep, move.seconds,
                 in_frame, move.line, move.file, move.rpm, move.snapshot)  # fmt: skip
        return move

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
            acts.check_clamped(self, target)
        if control.surface_speed is not None:
            rpm, feed = turning.by_surface_speed(self, kind, target, feed)
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

    def take_time(self, seconds: float) -> None:
        self.add(OTHER, self.control.machine, seconds=seconds)

    def snapshot(self) -> int:
        control = self.control
        offsets = tuple([control.offset(axis, control.length_applied) for axis in self.setup.axes])
        key = (
            control.motion, control.cycle, control.plane, control.absolute, control.feed_mode, control.inch,
            control.length_mode, control.length_number, control.return_initial, control.work_offset, control.exact_mode,
            control.tool, control.coolant, offsets, control.tip_control, control.dynamic, control.live,
            control.surface_speed is None, control.compensation, control.radius, control.polar, control.shape,
            None if control.tilt is None else control.tilt.tobytes(),
        )  # fmt: skip
        known = self._snapshots.get(key)
        if known is None:
            coolant = {"mist": 7, "flood": 8}.get(control.coolant, 0)
            on = control.compensation != "compensation-off"
            known = self._snapshots[key] = self.builder.snapshot(
                Snapshot(
                    control.codes(), control.work_offset, control.length_number, control.length_applied, offsets,
                    control.tool, coolant, control.inch,
                    control.lengths.get(control.length_number, (0.0, 0.0))[1] if control.length_applied else 0.0,
                    control.radius_number if on else 0, control.radius if on else 0.0, control.live != 0,
                    control.frame(control.length_applied) if control.framed else None,
                )
            )  # fmt: skip
        return known

    # --- the fast path ------------------------------------------------------------------------------------------------

    def _run_fast(self) -> bool:
        """Let the kernel carry out the plain blocks from here on, as far as it has no doubt. True if it took any."""
        text, control = self.text, self.control
        if text.flags is None or text.flags[self.at] == 2 or text.run_end[self.at] - self.at < FAST_RUN:
            return False
        if (
            control.cycle
            or control.feed_mode != "per-minute"
            or control.feed is None
            or self.flow.stack
            or self.flow.jumped
        ):
            return False
        if control.framed or control.shape or control.polar or control.exact_mode or self.compensation or self.corners:
            return False
        if control.tool == 0 or control.tool not in self.setup.tools or self.collecting is not None or self.unrolled:
            return False
        if control.clamped & {"X", "Y", "Z"} or self.setup.diameters or control.surface_speed is not None:
            return False
        if self.setup.left_out or self.setup.shifts or self.modal_macro or control.centre_absolute:
            return False
        if control.length_applied != control.length_active or not {"X", "Y", "Z"} <= set(self.setup.axes):
            return False
        if self.rapid_level is not None or control.ahead is not None or not moves.checked(self):
            return False
        from ..compiled import compile_kernels

        compile_kernels()
        from .interpret_kernel import run_plain

        self.ready = None
        here = self.watched is not None and self.watched[0] == self.file and self.watched[1] >= self.at
        return run_plain(self, self.watched[1] if self.watched and here else len(text))
