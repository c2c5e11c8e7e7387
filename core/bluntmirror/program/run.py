"""One reading of a program under way: where it stands, what the control holds, and what any code may ask of it.

Three classes build on each other, and each function names the least that it needs:

    Run           state, the values of words, what is reported                              (this file)
    Writer        a run that writes motions, through look-ahead where a block asks for it    (`writer`)
    Interpreter   a writer that carries out blocks                                           (`interpreter`)
"""

from __future__ import annotations

import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..findings import Docket
from ..job.models import is_rotary_word
from .compensation import Compensation, Move
from .control import Control, Setup
from .corners import Corners
from .flat import Flat
from .interpreted import Interpreted
from .labels import Labels
from .motions import PLANE_AXES, MotionBuilder
from .pose_text import reader_of
from .reader import Block
from .text import SCAN_FROM_LINES, ProgramText
from .words import Words, axis_letters


class Ended(Exception):
    """The program has come to its end."""


@dataclass
class Call:
    """Where to go on when a subprogram ends."""

    text: ProgramText
    file: int
    back: int
    begin: int
    repeats: int
    arguments: dict[int | str, float] | None = None  # of a macro; None: the caller's local variables
    modal: bool = False
    label: str = ""
    repeating: dict[str, int] | None = None  # o-word repeats under way in the caller


@dataclass(slots=True)
class Ready:
    """What plain blocks need, kept while nothing modal changes but motion, distance mode and feed."""

    column: dict[str, int]
    scale: dict[str, float]
    offset: list[float]
    plane: int
    first: int  # columns of the plane's axes
    second: int
    snapshots: dict[tuple[str, bool], int]


class Run(ABC):
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
        self.labels = Labels(texts)
        begin = [float((start or {}).get(axis, 0.0)) for axis in setup.axes]
        self.control = Control(setup, begin)
        self.builder = MotionBuilder(setup.axes, np.array(begin))
        self.rotary = [i for i, axis in enumerate(setup.axes) if is_rotary_word(axis)]
        self.result = Interpreted(motions=None, blocks=0)  # type: ignore[arg-type]
        # Where the reading stands: the block carried out is the one before `at`.
        self.text = texts[0]
        self.file = 0
        self.at = 0
        self.row_line = 0  # the line that motions are given, where it is not their own block's
        self.stack: list[Call] = []
        self.jumped = False
        self.in_contour = False  # the blocks of a contour are being carried out for a cycle
        self.modal_macro: tuple[int, dict[int | str, float]] | None = None
        self.in_modal_macro = False
        self.clocked = False  # the clock has been read: the same state may go on otherwise
        self.cycle_steps = 0  # holes, pecks and passes that cycles have made
        self.snapshots: dict[object, int] = {}  # what is modal, by all that it depends on: its number in the table
        # What look-ahead holds back.
        self.corners: Corners | None = None
        self.compensation: Compensation | None = None
        self.collecting: list[Move] | None = None  # the contour of a roughing cycle, instead of motions
        self.unrolled: Flat | None = None  # cylindrical or polar interpolation, while it is on
        # Of the tool in use.
        self.geometry: dict[int, dict[str, float]] = dict(setup.geometry)  # registers of turning tools
        self.register = 0  # the geometry register in use
        self.approach: tuple[ProgramText, int] | None = None  # where this tool first moves along Z
        self.rapid_level: float | None = None  # the R level of this tool's last cycle
        self.cut_since_change = False
        self.wound = 0.0  # degrees that rotary axes have turned while the tip kept its way
        self.told: set[object] = set()  # what has been reported and need not be again
        self.ready: Ready | None = None
        self._deadline = time.monotonic() + setup.max_seconds

    @abstractmethod
    def step(self) -> None:
        """Carry out the block that is next."""

    # --- where it goes on ---------------------------------------------------------------------------------------------

    def go(self, file: int, line: int) -> None:
        """Go on at a line (from 0) of a text."""
        self.text, self.file, self.at = self.texts[file], file, line
        self.scan()

    def scan(self) -> None:
        """Read the words of a long text ahead, for the kernel."""
        if self.fast and self.text.flags is None and len(self.text) >= SCAN_FROM_LINES:
            self.text.scan()

    def line_of(self, number: int) -> int | None:
        """The line of a block number: looked for from here on, then from the beginning of the program."""
        lines = self.labels.lines_of(self.file, max(0, self.at - 1), number)
        if not lines:
            return None
        if len(lines) > 1:
            self.report_once(("twice", self.file, number), "jump.twice",
                             f"N{number} stands {len(lines)} times (lines {', '.join(str(i + 1) for i in lines[:6])}); which of "
                             "them a jump reaches depends on where it starts", remedy="Give each jump target a number of its own.")  # fmt: skip
        return next((line for line in lines if line >= self.at), lines[0])

    def program_number(self, value: float) -> int | None:
        """The number of a program that the job has; None, reported, where it lacks it."""
        number = round(value)
        if number in self.labels.starts:
            return number
        self.report("call.missing", f"there is no subprogram O{number} in the job",
                    remedy=f"Add the file of O{number} to the job's library, or correct P.")  # fmt: skip
        return None

    def block_number(self) -> int:
        """The N number that the program passed last."""
        for index in range(self.at - 1, -1, -1):
            block = self.text.block(index)
            if isinstance(block, Block) and block.number is not None:
                return block.number
        return 0

    def look_up(self) -> None:
        """Now and then: how far the reading is, and whether it has taken too long."""
        if self.tick:
            self.tick(self.at / max(1, len(self.text)))
        if time.monotonic() > self._deadline:
            self.report("endless.time", f"stopped: reading took longer than {self.setup.max_seconds:g} s")
            raise Ended

    def steps(self, most: int, what: str) -> Iterator[int]:
        """0, 1, 2 … of a cycle that goes on by itself. Past `most`, or past what the job lets all cycles do together, it is
        told as without end and the reading stops: nothing of it is left out in silence."""
        for step in range(most):
            self.cycle_steps += 1
            if self.cycle_steps % 5000 == 0:
                self.look_up()
            if self.cycle_steps > self.setup.max_blocks:
                break
            yield step
        self.report("endless.cycle", f"stopped: {what} without an end in sight, after {min(most, self.cycle_steps):,} steps",
                    remedy="Correct the count or the step of the cycle.")  # fmt: skip
        raise Ended

    # --- reporting ----------------------------------------------------------------------------------------------------

    def report(self, rule: str, message: str, **fields: Any) -> None:
        fields.setdefault("line", self.at)
        fields.setdefault("program", self.text.name)
        if reader_of(fields["program"]) is not None:
            fields.pop("fix", None)  # its lines are no blocks
        self.docket.add(
            rule, message, channel=self.channel, tool=self.control.tool,
            motion=self.builder.count, last_motion=self.builder.count, **fields,
        )  # fmt: skip

    def report_once(self, key: object, rule: str, message: str, **fields: object) -> None:
        if key not in self.told:
            self.told.add(key)
            self.report(rule, message, **fields)

    def not_carried_out(self, what: str) -> None:
        self.report("word.not-carried", f"{what}: not carried out; what follows cannot be trusted")

    def tell_vacant(self) -> None:
        variables = self.control.variables
        for name in dict.fromkeys(variables.vacant_read):
            self.report("macro.vacant", f"{name} is vacant and counts as 0 here")
        variables.vacant_read.clear()

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

    def small(self, words: Words, letter: str) -> float:
        """A step or depth of a turning cycle, mm: P, Q and D without a point are counted in increments of 0.001 mm or
        0.0001 in, whatever the job says of other numbers (common practice)."""
        value = abs(words.value[letter])
        if letter in words.bare:
            value *= 0.0001 if self.control.inch else 0.001
        return value * self.control.unit

    def axes(self, words: Words) -> dict[str, float]:
        """The axis words of the block, in mm and degrees: program coordinates, or increments under G91; of an arm also X Y Z, which
        none of its joints is. An axis that the channel lacks is reported."""
        found = {}
        for letter in axis_letters(words, self.dialect):
            axis = letter if letter != "C" else self.control.c_axis
            if self.control.index(axis) < 0 and not (self.setup.arm and axis in "XYZ"):
                self._tell_no_axis(axis)
                continue
            found[axis] = self.scaled(words, letter)
        for name in words.named:
            axis = self.setup.named_axes.get(name[:-1], "")
            if not axis:
                self._tell_no_axis(name[:-1])
                continue
            turns = is_rotary_word(name) or (self.setup.arm is not None and axis in self.setup.arm.joints)
            value = self.scaled(words, name, rotary=turns)
            found[axis] = value if turns or axis not in self.setup.diameters else 0.5 * value
        return found

    def _tell_no_axis(self, axis: str) -> None:
        self.report_once(("axis", axis), "word.axis", f"this channel has no axis {axis}; its words are passed over")

    def absolute(self, axes: dict[str, float]) -> dict[str, float]:
        """Program coordinates of axis words, which are increments under G91."""
        if self.control.absolute:
            return axes
        return {axis: self.control.program_position(axis) + value for axis, value in axes.items()}

    def plane_names(self) -> tuple[str, str]:
        """The two axes of the plane in force."""
        if self.unrolled is not None:
            return self.unrolled.names
        first, second = ("XYZ"[i] for i in PLANE_AXES[self.control.plane][:2])
        return first, second

    def registers_written(self) -> None:
        """Registers were written: the length in force follows them."""
        self.ready = None
        self.control.follow_registers()
