"""The plain interpreter: carries out blocks one by one, as the control would, and keeps every error with its place.

Order within a block (pinned): skip → offsets, planes, units, modes → tool change → spindle → coolant → other M →
motion or dwell → end-of-block M (M0 M1 M2 M30 M98 M99).

Runs of plain G0–G3 blocks in long files go through the compiled twin in `interpret_kernel.py`; everything that could
be an error is left to this one, so that diagnostics come from one place.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import PurePath
from typing import Any

import numpy as np

from ..findings import Docket
from ..job.models import is_rotary_word
from . import arcs, cycles
from .control import OFFSET_NAMES, Control, Setup
from .dialect import (
    CYCLE,
    DISTANCE,
    DYNAMIC,
    FEED_MODE,
    LENGTH,
    MILL,
    MOTION,
    OFFSET,
    PATH,
    PLANE,
    RETURN,
    TILT,
    UNITS,
    code_name,
)
from .expressions import Expression, MacroError
from .frames import apart, into, tilted_plane
from .motions import ARC, DWELL, FEED, OTHER, PLANE_AXES, RAPID, TOOL_CHANGE, MotionBuilder, Motions, Snapshot
from .reader import Block, Unreadable, Word
from .text import SCAN_FROM_LINES, ProgramText

FAST_RUN = 200  # shorter runs of plain blocks are not worth entering the kernel for
ALTERNATIVE_FEED = 100.0  # mm/min, so that time goes on where a program forgot its feed; reported as program.feed
REPEATED_STATES = 20_000


@dataclass
class Call:
    """Where to go on when a subprogram ends."""

    text: ProgramText
    file: int
    back: int
    begin: int
    repeats: int


class Ended(Exception):
    """The program has come to its end."""


@dataclass
class Interpreted:
    motions: Motions
    blocks: int
    looped: bool = False  # M99 in the main program
    stops: list[tuple[int, str]] = field(default_factory=list)  # (motion index, M0 / M1)
    operations: list[tuple[int, int, int, str]] = field(default_factory=list)  # (motion, line, tool, comment)
    not_carried_out: bool = False


class Words:
    """The words of one block, worked out: codes in tenths, the other letters' values as written."""

    def __init__(self) -> None:
        self.g: list[int] = []
        self.m: list[int] = []
        self.value: dict[str, float] = {}
        self.bare: set[str] = set()
        self.unsure = False  # a code that is not carried out stands here: the block's motion is not known

    def __contains__(self, letter: str) -> bool:
        return letter in self.value


class Interpreter:
    dialect = MILL

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
        self.texts = texts
        self.docket = docket
        self.channel = channel
        self.tick = tick
        self.fast = fast
        begin = [float((start or {}).get(axis, 0.0)) for axis in setup.axes]
        self.control = Control(setup, begin)
        self.builder = MotionBuilder(setup.axes, np.array(begin))
        self.rotary = [i for i, axis in enumerate(setup.axes) if is_rotary_word(axis)]
        self.result = Interpreted(motions=None, blocks=0)  # type: ignore[arg-type]
        self.text = texts[0]
        self.file = 0
        self.at = 0
        self.stack: list[Call] = []
        self.loops_left = setup.loops - 1
        self.counted = 0  # blocks carried out through calls, jumps and loops
        self.jumped = False
        self.states: set[int] = set()
        self.told: set[object] = set()  # what has been reported and need not be again
        self._snapshot_key: object = None
        self._snapshot = 0
        self.starts: dict[int, tuple[int, int]] = {}
        for number, text in reversed(list(enumerate(texts))):
            digits = re.findall(r"\d+", PurePath(text.name).stem)
            if digits and number:
                self.starts[int(digits[-1])] = (number, 0)
        for number, text in reversed(list(enumerate(texts))):
            self.starts.update({o: (number, line) for o, line in text.program_starts().items()})
        self.labels: dict[int, dict[int, int]] = {}

    # --- running ------------------------------------------------------------------------------------------------------

    def run(self) -> Interpreted:
        if self.fast and len(self.text) >= SCAN_FROM_LINES:
            self.text.scan()
        try:
            while True:
                if self.at >= len(self.text):
                    self._end_of_text()
                    continue
                if self.fast and self._run_fast():
                    continue
                self._step()
        except Ended:
            pass
        self.result.motions = self.builder.done([text.name for text in self.texts])
        return self.result

    def _step(self) -> None:
        index = self.at
        self.at += 1
        self.result.blocks += 1
        if self.result.blocks % 5000 == 0 and self.tick:
            self.tick(index / len(self.text))
        if self.stack or self.jumped:
            self.counted += 1
            if self.counted > self.setup.max_blocks:
                self.report("program.endless", f"stopped after {self.setup.max_blocks} blocks carried out through loops "
                            "and calls")  # fmt: skip
                raise Ended
        block = self.text.block(index)
        if isinstance(block, Unreadable):
            self.report("program.syntax", f"column {block.column}: {block}")
            return
        if block.percent:
            # The first % begins the tape, any later one ends it.
            if self.text.data[: self.text.line_begin[index]].strip():
                self._end_of_text()
            return
        if block.skip and block.skip in self.setup.block_skip:
            return
        try:
            self.control.variables.vacant_read.clear()
            for assignment in block.assignments:
                assert isinstance(assignment.target, Expression)
                number = assignment.target.variable_number(self.control.variables)
                self.control.variables.set(number, assignment.value.work_out(self.control.variables))
            words = self._work_out(block)
            for name in dict.fromkeys(self.control.variables.vacant_read):
                self.report("program.macro", f"{name} is vacant and counts as 0 here", severity="caution")
        except MacroError as error:
            self.report("program.macro", str(error))
            return
        if block.control:
            self._not_carried_out(f"{block.control[0]} (jumps and loops)")
            return
        if words is not None:
            self._carry_out(words, block)

    def report(self, kind: str, message: str, **fields: Any) -> None:
        fields.setdefault("line", self.at)
        self.docket.add(
            kind, message, channel=self.channel, program=self.text.name, tool=self.control.tool,
            motion=self.builder.count, last_motion=self.builder.count, **fields,
        )  # fmt: skip

    def report_once(self, key: object, kind: str, message: str, **fields: object) -> None:
        if key not in self.told:
            self.told.add(key)
            self.report(kind, message, **fields)

    def _not_carried_out(self, what: str) -> None:
        self.result.not_carried_out = True
        self.report("program.word", f"{what}: not yet carried out; what follows cannot be trusted", severity="stop")

    # --- words --------------------------------------------------------------------------------------------------------

    def _work_out(self, block: Block) -> Words | None:
        words = Words()
        groups: dict[str, int] = {}
        for word in block.words:
            value = self._value(word)
            if value is None:
                continue
            letter = word.letter
            if letter == "G":
                code = round(value * 10)
                if abs(code - value * 10) > 1e-6:
                    self.report("program.word", f"G{value:g} is not a code of this dialect")
                    continue
                group = self.dialect.g_groups.get(code)
                if group is None and code not in self.dialect.g_one_block:
                    if code in self.dialect.g_cancels:
                        continue
                    if code in self.dialect.g_known:
                        self._not_carried_out(f"{code_name('G', code)} ({self.dialect.g_known[code]})")
                        words.unsure = True
                    else:
                        self.report("program.word", f"{code_name('G', code)} is not a code of this dialect")
                    continue
                if group in groups and groups[group] != code:
                    self.report(
                        "program.word",
                        f"{code_name('G', groups[group])} and {code_name('G', code)} are both of the {group} group; "
                        "the later one is taken",
                    )
                if group:
                    groups[group] = code
                words.g.append(code)
            elif letter == "M":
                code = round(value)
                if abs(code - value) > 1e-6 or (
                    code not in self.dialect.m_carried and f"M{code}" not in self.setup.codes
                ):
                    if code in self.dialect.m_known:
                        self._not_carried_out(f"M{code} ({self.dialect.m_known[code]})")
                    else:
                        self.report("program.word", f"M{value:g} is not a code of this dialect; it was passed over")
                    continue
                group = self.dialect.m_groups.get(code)
                if group in groups and groups[group] != code:
                    self.report("program.word", f"M{groups[group]} and M{code} contradict each other")
                if group:
                    groups[group] = code
                words.m.append(code)
            elif letter in words.value:
                self.report("program.syntax", f"{letter} is given twice")
                return None
            elif letter not in self.dialect.letters:
                self.report("program.word", f"{letter} is not a word of this dialect; it was passed over")
            else:
                words.value[letter] = value
                if word.literal and word.decimals < 0:
                    words.bare.add(letter)
        return words

    def _value(self, word: Word) -> float | None:
        if isinstance(word.value, float):
            return word.value
        return word.value.work_out(self.control.variables)

    def _scaled(self, words: Words, letter: str) -> float:
        """A length word in mm (or an angle in degrees)."""
        value = words.value[letter]
        rotary = letter in "ABC"
        if self.setup.bare_increment and letter in words.bare:
            value *= 0.0001 if self.control.inch and not rotary else 0.001
        return value if rotary else value * self.control.unit

    def _axes(self, words: Words) -> dict[str, float]:
        """The axis words of the block, in mm and degrees. An axis the channel lacks is reported."""
        found = {}
        for letter in "XYZABCUVW":
            if letter not in words:
                continue
            if self.control.index(letter) < 0:
                self.report_once(("axis", letter), "program.word", f"this channel has no axis {letter}; its words are "
                                 "passed over", severity="stop")  # fmt: skip
                continue
            found[letter] = self._scaled(words, letter)
        return found

    # --- one block ----------------------------------------------------------------------------------------------------

    def _carry_out(self, words: Words, block: Block) -> None:
        control = self.control
        codes = set(words.g)
        if not words.unsure and not codes & {280, 300, 520, 530, 682, 920, 40}:
            self._unused_letters(words)
        self._modes(words, codes)
        self._tool_words(words, block)
        if "S" in words:
            self._speed(words, codes)
        for code in words.m:
            if code in (3, 4, 5, 19):
                control.spindle = {3: 1, 4: -1}.get(code, 0)
            elif code in (7, 8, 9):
                control.coolant = 0 if code == 9 else code
            elif f"M{code}" in self.setup.codes:
                self._machine_code(code)
        if not words.unsure:
            self._move(words, codes)
        self._after(words)

    def _tool_words(self, words: Words, block: Block) -> None:
        if "T" in words:
            self.control.next_tool = round(words.value["T"])
        if 6 in words.m:
            self._change_tool(block)

    def _speed(self, words: Words, codes: set[int]) -> None:
        control = self.control
        control.speed = abs(words.value["S"])
        if self.setup.max_rpm and control.speed > self.setup.max_rpm:
            self.report("program.speed", f"S{control.speed:g} is above the machine's {self.setup.max_rpm:g} rev/min",
                        amount=control.speed - self.setup.max_rpm)  # fmt: skip

    def _unused_letters(self, words: Words) -> None:
        """Words that nothing in the block gives a meaning to: passed over by the control, but worth saying."""
        idle = self.control.cycle_code == 800 and not any(code in self.dialect.cycles for code in words.g)
        for letter, where in (("P", "a cycle, dwell or call"), ("Q", "a cycle"), ("L", "a cycle or call")):
            if letter in words and idle and 98 not in words.m and 99 not in words.m and 541 not in words.g:
                self.report("program.word", f"{letter} has no meaning here: it belongs to {where}")
        for letter in words.value:
            if letter in "KIJ" and idle and self.control.tip_control != 435:
                arc = {20, 30} & set(words.g) or (self.control.motion in (20, 30) and not {0, 10} & set(words.g))
                if not arc:
                    self.report("program.word", f"{letter} has no meaning here: it belongs to an arc")

    def _modes(self, words: Words, codes: set[int]) -> None:
        control = self.control
        for code in words.g:
            group = self.dialect.g_groups.get(code)
            if group == UNITS:
                control.inch = code == 200
            elif group == PLANE:
                control.plane = code
            elif group == DISTANCE:
                control.absolute = code == 900
            elif group == FEED_MODE and code != control.feed_mode:
                control.feed_mode = code
                control.feed = None  # a feed in other units means nothing
                self.told.discard("feed")
            elif group == RETURN:
                control.return_initial = code == 980
            elif group == PATH:
                control.exact_mode = code == 610
            elif group == OFFSET:
                if code == 541:
                    if "P" not in words:
                        self.report("program.syntax", "G54.1 needs a P number")
                        continue
                    control.work_offset = f"G54.1P{round(words.value['P'])}"
                else:
                    control.work_offset = OFFSET_NAMES[code]
            elif group == LENGTH:
                self._length(words, code)
            elif group == TILT:
                self._tilt(words, code)
            elif group == DYNAMIC:
                control.dynamic = code == 2540 and self._solvable(code)
            elif group == MOTION:
                control.motion = code
                if not any(c in self.dialect.cycles for c in words.g):
                    control.cycle_code = 800
            elif group == CYCLE:
                if control.cycle_code == 800 and code != 800:
                    control.cycle_initial = control.program_position(self._drill_axis())
                    control.cycle = {}
                control.cycle_code = code
        if "F" in words and 40 not in codes:
            value = words.value["F"]
            if value <= 0:
                self.report("program.feed", f"F{value:g} is no feed")
            else:
                control.feed = value if control.feed_mode == 930 else value * control.unit
                self.told.discard("feed")

    def _length(self, words: Words, code: int) -> None:
        control = self.control
        control.tip_control = code if code in (434, 435) and self._solvable(code) else 0
        if code == 490 or ("H" in words and words.value["H"] == 0):
            control.length_code, control.length_number, control.length_active = code, 0, 0.0
            return
        if "H" in words:
            control.length_number = round(words.value["H"])
        if control.length_number not in self.setup.length_registers:
            self.report_once(("H", control.length_number), "program.offset",
                             f"length register H{control.length_number} was never set; it counts as 0")  # fmt: skip
        register = self.setup.length_registers.get(control.length_number, 0.0)
        control.length_code = code
        control.length_active = -register if code == 440 else register
        if control.tip_control:
            control.length_applied = control.length_active  # where the tip is now is where the control counts from

    def _solvable(self, code: int) -> bool:
        """Whether this machine can carry out a code that needs X, Y and Z to span space; reported where it cannot."""
        if self.setup.solver is None:
            self._not_carried_out(f"{code_name('G', code)} on a channel whose X, Y and Z do not span space")
        return self.setup.solver is not None

    def _tilt(self, words: Words, code: int) -> None:
        control = self.control
        if code == 690:
            control.tilt = None
        elif self._solvable(code):
            if "P" in words:
                self._not_carried_out("G68.2 with P (another way to give the plane)")
                return
            origin = [self._scaled(words, letter) if letter in words else 0.0 for letter in "XYZ"]
            euler = [words.value.get(letter, 0.0) for letter in "IJK"]
            control.tilt = tilted_plane(origin, euler)

    def _machine_code(self, code: int) -> None:
        act = self.setup.codes[f"M{code}"]
        if act.does == "live":
            self.control.live = act.turns
        if act.does == "move" and self.control.index(act.axis or "") >= 0:
            assert act.axis and act.to is not None
            self._rapid_to({act.axis: act.to})
        if act.does in ("clamp", "unclamp"):
            assert act.axis
            (self.control.clamped.add if act.does == "clamp" else self.control.clamped.discard)(act.axis)
        if act.seconds:
            self._add(OTHER, self.control.machine, seconds=act.seconds)

    def _change_tool(self, block: Block) -> None:
        control, setup = self.control, self.setup
        if setup.change_moves:
            self._rapid_to({a: v for a, v in setup.change_at.items() if control.index(a) >= 0})
        else:
            for axis, value in setup.change_at.items():
                index = control.index(axis)
                if index >= 0 and abs(control.machine[index] - value) > 0.01:
                    self.report(
                        "program.tool",
                        f"tool change away from the change position: {axis} stands at {control.machine[index]:.3f}, "
                        f"the change is at {value:.3f}",
                        amount=abs(control.machine[index] - value), axis=axis,
                        remedy=f"Send {axis} to the change position before M6, for example G91 G28 {axis}0.",
                    )  # fmt: skip
        if control.next_tool is None:
            self.report("program.tool", "M6 without a tool: no T was given before")
            return
        control.tool = control.next_tool
        self.told -= {"length", "no tool"}
        if control.tool and control.tool not in setup.tools:
            self.report("program.tool", f"T{control.tool} is not in the tool table; what it cuts is not verified")
        self.result.operations.append((self.builder.count, self.at, control.tool, " ".join(block.comments)))
        self._add(TOOL_CHANGE, control.machine, seconds=setup.change_seconds)

    def _after(self, words: Words) -> None:
        for code in words.m:
            if code == 0 or (code == 1 and self.setup.optional_stop):
                self.result.stops.append((self.builder.count, f"M{code}"))
            elif code in (2, 30):
                raise Ended
            elif code == 98:
                self._call(words)
            elif f"M{code}" in self.setup.codes and self.setup.codes[f"M{code}"].does == "macro":
                self._enter(self.setup.codes[f"M{code}"].program or 0, 1)
            elif code == 99:
                self._return(words)

    # --- motion -------------------------------------------------------------------------------------------------------

    def _drill_axis(self) -> str:
        return {170: "Z", 180: "Y", 190: "X"}[self.control.plane]

    def _target(self, axes: dict[str, float]) -> list[float]:
        """Machine axis values that the block's axis words ask for. An axis not named stays where it is."""
        control = self.control
        # An increment counts from the program position, so a new length offset comes in with it.
        return control.to_machine(
            {
                axis: value if control.absolute else control.program_position(axis) + value
                for axis, value in axes.items()
            }
        )

    def _move(self, words: Words, codes: set[int]) -> None:
        control = self.control
        if 40 in codes:
            self._dwell(words)
            return
        if 280 in codes or 300 in codes:
            self._reference(words, 300 in codes)
            return
        if 531 in codes:
            self._along_the_plane()
            return
        if 682 in codes:
            return
        if codes & {520, 920} and control.tilt is not None:
            self._not_carried_out(f"{'G52' if 520 in codes else 'G92'} in a tilted plane")
            return
        if 520 in codes:
            control.local_shift.update(self._axes(words))
            return
        if 920 in codes:
            for axis, value in self._axes(words).items():
                before = control.shift.get(axis, 0.0)
                control.shift[axis] = before + control.program_position(axis) - value
            return
        axes = self._axes(words)
        exact = control.exact_mode or 90 in codes
        if 530 in codes:
            target = list(control.machine)
            for axis, value in axes.items():
                target[control.index(axis)] = value
            if control.motion in (20, 30):
                self.report("program.syntax", "G53 goes with G0 or G1 only")
                return
            if axes:
                self._straight(RAPID if control.motion == 0 else FEED, target, exact)
            return
        if control.cycle_code != 800:
            if axes or "R" in words or any(code in self.dialect.cycles for code in codes):
                self._check_before_cut()
                cycles.carry_out(self, words, axes)
            return
        if control.motion in (20, 30):
            if axes or any(letter in words for letter in "IJKR"):
                self._arc(words, axes, exact)
        else:
            if control.tip_control == 435 and any(letter in words for letter in "IJK"):
                axes |= self._by_vector(words)
            if axes:
                self._straight(RAPID if control.motion == 0 else FEED, self._target(axes), exact, "Z" in axes)

    def _straight(self, kind: int, target: list[float], exact: bool = False, length_in: bool = True) -> None:
        control = self.control
        if kind == FEED:
            self._check_before_cut()
        self._check_offset()
        turns = any(target[i] != control.machine[i] for i in self.rotary)
        # While no rotary axis turns, a straight way of the tip is a straight way of the axes too.
        in_frame = kind == FEED and control.tip_control != 0 and turns
        begin = control.place() if in_frame else None
        if length_in or control.tip_control:
            control.length_applied = control.length_active
        feed = self.feed_rate(self._way(target, begin)) if kind == FEED else 0.0
        self._add(kind, target, feed=feed, exact=exact, in_frame=in_frame)

    def _way(self, target: list[float], begin: Any) -> float:
        """The length of a straight way: of the tip's over the work from the program point `begin`, or of the axes'."""
        control = self.control
        if begin is not None and control.setup.solver:
            frame = control.frame(control.length_applied)
            length = apart(begin, into(frame, control.setup.solver.zero_place(target, frame.length, frame.work_only)))
            if length > 1e-9:
                return length
            return float(np.sqrt(sum((target[i] - control.machine[i]) ** 2 for i in self.rotary)))
        return self._distance(target)

    def _by_vector(self, words: Words) -> dict[str, float]:
        """The rotary words that a tool vector I J K stands for."""
        vector = np.array([words.value.get(letter, 0.0) for letter in "IJK"])
        if float(np.linalg.norm(vector)) < 1e-9:
            self.report("program.syntax", "the tool vector I J K has no length")
            return {}
        return self._turned_along(vector, "the tool vector I J K")

    def _turned_along(self, vector: Any, what: str) -> dict[str, float]:
        """Rotary words, in the program's own terms, that bring the tool along a vector of the active frame."""
        control = self.control
        assert control.setup.solver
        if control.tilt is not None:
            vector = control.tilt[:3, :3] @ vector
        solution = control.setup.solver.nearest_direction(vector, control.machine)
        if solution is None:
            self.report("travel.reach", f"{what} ({vector[0]:.4f} {vector[1]:.4f} {vector[2]:.4f} on the work) is out of reach: "
                        "no setting of the rotary axes within their travel gives it")  # fmt: skip
            return {}
        names = {axis: solution[i] for i, axis in enumerate(self.setup.axes) if i in self.rotary}
        if not control.absolute:
            return {axis: value - control.machine[control.index(axis)] for axis, value in names.items()}
        return {axis: value - control.offset(axis) for axis, value in names.items()}

    def _along_the_plane(self) -> None:
        """G53.1: turn the rotary axes, at rapid, so that the tool stands along the tilted plane's Z."""
        control = self.control
        if control.tilt is None:
            self.report("program.syntax", "G53.1 without a tilted plane: G68.2 must come first")
            return
        axes = self._turned_along(np.array([0.0, 0.0, 1.0]), "the tilted plane's Z")
        target = self._target(axes)
        if target != control.machine:
            self._add(RAPID, target)

    def rapid(self, axes: dict[str, float]) -> None:
        """A rapid to program coordinates, for the cycles."""
        self._cycle_move(RAPID, axes)

    def cut(self, axes: dict[str, float]) -> None:
        """A feed move to program coordinates, for the cycles."""
        self._cycle_move(FEED, axes)

    def _cycle_move(self, kind: int, axes: dict[str, float]) -> None:
        target = self.control.to_machine(axes)
        if target != self.control.machine:
            self._straight(kind, target, length_in="Z" in axes)

    def wait(self, seconds: float) -> None:
        self._add(DWELL, self.control.machine, seconds=seconds)

    def _rapid_to(self, machine: dict[str, float]) -> None:
        target = list(self.control.machine)
        for axis, value in machine.items():
            target[self.control.index(axis)] = value
        if target != self.control.machine:
            self._add(RAPID, target)

    def _arc(self, words: Words, axes: dict[str, float], exact: bool) -> None:
        control = self.control
        plane = (170, 180, 190).index(control.plane)
        names = ["XYZ"[i] for i in PLANE_AXES[plane]]
        if any(control.index(name) < 0 for name in names[:2]):
            self.report("program.arc", f"this channel lacks an axis of the plane {code_name('G', control.plane)}")
            return
        self._check_before_cut()
        self._check_offset()
        target = self._target(axes)
        first, second = control.index(names[0]), control.index(names[1])
        start = (control.machine[first], control.machine[second])
        end = (target[first], target[second])
        if control.framed:  # the arc lies in program coordinates
            first, second = PLANE_AXES[plane][:2]
            here = control.place()
            start = (float(here[first]), float(here[second]))
            asked = [axes.get(name) for name in names[:2]]
            end = tuple(  # type: ignore[assignment]
                s if value is None else value if control.absolute else s + value
                for s, value in zip(start, asked, strict=True)
            )
        clockwise = control.motion == 20
        if "R" in words:
            status, c1, c2, sweep, gap = arcs.arc_by_radius(*start, *end, self._scaled(words, "R"), clockwise)
        else:
            letters = ["IJK"[i] for i in PLANE_AXES[plane][:2]]
            offset_1, offset_2 = (self._scaled(words, letter) if letter in words else 0.0 for letter in letters)
            status, c1, c2, sweep, gap = arcs.arc_by_centre(*start, *end, offset_1, offset_2, clockwise)
        if "Z" in axes or control.tip_control:
            control.length_applied = control.length_active
        if status != arcs.OK:
            said = {
                arcs.RADII_DIFFER: f"start and end do not lie on one circle: their radii differ by {gap:.3f} mm",
                arcs.NO_CENTRE: "the arc has neither a centre (I J K) nor a radius (R)",
                arcs.CHORD_TOO_LONG: f"the end is {gap:.3f} mm farther away than a circle of this R reaches",
                arcs.NO_CHORD: "with R the end must differ from the start; a full circle needs I J K",
            }[status]
            self.report("program.arc", said, amount=gap)
            if target != control.machine:
                self._add(FEED, target, feed=self.feed_rate(self._distance(target)), exact=exact)
            return
        length = abs(sweep) * np.hypot(start[0] - c1, start[1] - c2)
        self._add(
            ARC, target, feed=self.feed_rate(float(length)), exact=exact, plane=plane, centre=(c1, c2), sweep=sweep,
            in_frame=control.framed,
        )  # fmt: skip

    def _dwell(self, words: Words) -> None:
        if "P" in words:
            seconds = words.value["P"] / 1000.0
        else:
            letter = next((name for name in "XU" if name in words), None)
            if letter is None:
                self.report("program.syntax", "G4 needs its time: P in ms or X in s")
                return
            seconds = words.value[letter] * (0.001 if self.setup.bare_increment and letter in words.bare else 1.0)
        if seconds < 0:
            self.report("program.syntax", "a dwell cannot be negative")
            return
        self._add(DWELL, self.control.machine, seconds=seconds)

    def _reference(self, words: Words, other: bool) -> None:
        control = self.control
        number = round(words.value.get("P", 2.0)) if other else 1
        point = self.setup.references.get(number)
        if point is None and number == 1:
            point = dict.fromkeys(self.setup.axes, 0.0)
        if point is None:
            self.report("program.offset", f"reference position {number} was never set")
            return
        axes = self._axes(words)
        if not axes:
            self.report("program.syntax", f"{'G30' if other else 'G28'} needs the axes that shall go")
            return
        # An increment of nothing is no way to go, even where a new length offset waits to come in: straight home (pinned).
        via = self._target({a: v for a, v in axes.items() if control.absolute or v != 0.0})
        if via != control.machine:
            self._add(RAPID, via)
        self._rapid_to({axis: point.get(axis, 0.0) for axis in axes})

    def _distance(self, target: list[float]) -> float:
        """Of the linear axes, mm; of the rotary ones, degrees, where only they move."""
        change = [b - a for a, b in zip(self.control.machine, target, strict=True)]
        linear = float(np.sqrt(sum(d * d for i, d in enumerate(change) if i not in self.rotary)))
        return linear if linear > 1e-12 else float(np.sqrt(sum(d * d for d in change)))

    def feed_rate(self, length: float) -> float:
        """mm/min in force; `length` is needed under inverse-time feed."""
        control = self.control
        if control.feed is None:
            if "feed" not in self.told:
                self.told.add("feed")
                self.report("program.feed", "a cutting move, but no feed is set")
            return ALTERNATIVE_FEED
        if control.feed_mode == 950:
            if control.speed == 0:
                self.report_once("feed/rev", "program.feed", "feed per revolution, but no spindle speed is set")
                return ALTERNATIVE_FEED
            return control.feed * control.speed
        if control.feed_mode == 930:
            return max(length * control.feed, 1e-6)
        return control.feed

    def _check_before_cut(self) -> None:
        """What must be in order before a cutting move: a tool, and its own length offset."""
        control = self.control
        if control.tool == 0:
            self.report_once("no tool", "program.tool", "a cutting move with no tool in the spindle")
        elif "length" not in self.told and control.tool in self.setup.tools:
            if control.length_code == 490 or control.length_number == 0:
                self.told.add("length")
                self.report("program.length", f"T{control.tool} moves into the work with no length offset active",
                            remedy=f"Add G43 H{control.tool} to the approach of T{control.tool}.")  # fmt: skip
            elif control.length_number != control.tool and control.length_number in self.setup.length_registers:
                self.told.add("length")
                register, own = control.length_active, self.setup.length_registers.get(control.tool, 0.0)
                self.report(
                    "program.length",
                    f"T{control.tool} moves into the work with H{control.length_number}, another tool's length offset "
                    f"({abs(register):.3f} instead of {own:.3f} mm)",
                    amount=abs(abs(register) - own),
                    remedy=f"Write H{control.tool} instead of H{control.length_number}.",
                )

    def _check_offset(self) -> None:
        name = self.control.work_offset
        if name not in self.setup.work_offsets:
            self.report_once(("offset", name), "program.offset", f"{name} was never set; it counts as 0 on every axis")

    def _add(
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
    ) -> None:
        control = self.control
        if control.clamped:
            self._check_clamped(target)
        control.machine = list(target)
        self.builder.row(
            tuple(target), centre, kind, self.file, self.at, feed, control.rpm, control.tool, exact, plane, sweep,
            seconds, self.snapshot(), in_frame,
        )  # fmt: skip

    def _check_clamped(self, target: list[float]) -> None:
        for axis in sorted(self.control.clamped):
            index = self.control.index(axis)
            if index >= 0 and abs(target[index] - self.control.machine[index]) > 1e-6:
                self.report("program.order", f"{axis} is sent to {target[index]:.3f} while it is clamped", axis=axis,
                            remedy=f"Unclamp {axis} before it moves.")  # fmt: skip

    def snapshot(self) -> int:
        control = self.control
        key = (
            control.motion, control.cycle_code, control.plane, control.absolute, control.feed_mode, control.inch,
            control.length_code, control.length_number, control.length_applied, control.return_initial,
            control.work_offset, control.exact_mode, control.tool, control.coolant,
            tuple(control.local_shift.items()), tuple(control.shift.items()), control.tip_control, control.dynamic, control.live, control.surface_speed,
            tuple(control.geometry.items()), None if control.tilt is None else control.tilt.tobytes(),
        )  # fmt: skip
        if key != self._snapshot_key:
            self._snapshot_key = key
            self._snapshot = self.builder.snapshot(
                Snapshot(
                    control.codes(), control.work_offset, control.length_number, control.length_applied,
                    tuple(control.offset(axis, control.length_applied) for axis in self.setup.axes),
                    control.tool, control.coolant, control.inch, control.live != 0,
                    control.frame(control.length_applied) if control.framed else None,
                )
            )  # fmt: skip
        return self._snapshot

    # --- calls --------------------------------------------------------------------------------------------------------

    def _call(self, words: Words) -> None:
        if "P" not in words:
            self.report("program.syntax", "M98 needs the number of the subprogram: P")
            return
        number = round(words.value["P"])
        repeats = round(words.value.get("L", 1.0))
        if number not in self.starts and number > 9999 and "L" not in words:
            repeats, number = divmod(number, 10_000)
        self._enter(number, repeats)

    def _enter(self, number: int, repeats: int) -> None:
        if number not in self.starts:
            self.report("program.call", f"there is no subprogram O{number} in the job",
                        remedy=f"Add the file of O{number} to the job's library, or correct P.")  # fmt: skip
            return
        if repeats <= 0:
            return
        if len(self.stack) >= self.setup.max_depth:
            self.report("program.endless", f"calls are nested more than {self.setup.max_depth} deep")
            raise Ended
        file, line = self.starts[number]
        self.stack.append(Call(self.text, self.file, self.at, line, repeats - 1))
        self._go(file, line)

    def _go(self, file: int, line: int) -> None:
        self.text, self.file, self.at = self.texts[file], file, line
        if self.fast and self.text.flags is None and len(self.text) >= SCAN_FROM_LINES:
            self.text.scan()

    def _return(self, words: Words) -> None:
        if not self.stack:
            self.result.looped = True
            if self.loops_left <= 0:
                raise Ended
            self.loops_left -= 1
            self.jumped = True
            self.at = 0
            return
        call = self.stack[-1]
        if call.repeats > 0:
            call.repeats -= 1
            self.at = call.begin
            return
        self.stack.pop()
        self.text, self.file, self.at = call.text, call.file, call.back
        if "P" in words:
            self._jump(round(words.value["P"]))

    def _jump(self, number: int) -> None:
        if self.file not in self.labels:
            labels: dict[int, int] = {}
            for index in range(len(self.text)):
                block = self.text.block(index)
                if isinstance(block, Block) and block.number is not None:
                    labels.setdefault(block.number, index)
            self.labels[self.file] = labels
        if number not in self.labels[self.file]:
            self.report("program.call", f"there is no block N{number} to jump to")
            return
        target = self.labels[self.file][number]
        if target < self.at:
            self.jumped = True
            state = hash((self.file, target, tuple(self.control.machine), self.snapshot(), self.control.feed,
                          tuple(sorted(self.control.variables.common.items())),
                          tuple(sorted(self.control.variables.local.items())), len(self.stack)))  # fmt: skip
            if state in self.states:
                self.report(
                    "program.endless", f"the program comes back to N{number} in the very same state: it never ends"
                )
                raise Ended
            if len(self.states) < REPEATED_STATES:
                self.states.add(state)
        self.at = target

    def _end_of_text(self) -> None:
        if self.stack:
            self.report("program.call", "the subprogram ends without M99", severity="caution")
            self._return(Words())
        else:
            raise Ended

    # --- the fast path ------------------------------------------------------------------------------------------------

    def _run_fast(self) -> bool:
        """Let the kernel carry out the plain blocks from here on, as far as it has no doubt. True if it took any."""
        text, control = self.text, self.control
        if text.flags is None or text.flags[self.at] == 2 or text.run_end[self.at] - self.at < FAST_RUN:
            return False
        if control.cycle_code != 800 or control.feed_mode != 940 or control.feed is None or self.stack or self.jumped:
            return False
        if control.tool == 0 or control.tool not in self.setup.tools or control.exact_mode or control.framed:
            return False
        if control.clamped & {"X", "Y", "Z"}:
            return False
        if control.length_applied != control.length_active or not {"X", "Y", "Z"} <= set(self.setup.axes):
            return False
        length_checked = "length" in self.told or control.length_number == control.tool
        offset_known = control.work_offset in self.setup.work_offsets or ("offset", control.work_offset) in self.told
        if not length_checked or not offset_known:
            return False
        from .interpret_kernel import run_plain

        return run_plain(self)
