"""The plain interpreter: carries out blocks one by one, as the control would, and keeps every error with its place.

Order within a block (pinned): skip → offsets, planes, units, modes → tool change → spindle → coolant → other M →
motion or dwell → end-of-block M (M0 M1 M2 M30 M98 M99, wait marks).

What the codes do stands beside this file: `modes`, `acts`, `moves`, `cycles`, `turning` …; where the program goes on in
`flow`; how motions are written in `writer`. Runs of plain G0–G3 blocks in long files go through the compiled twin in
`interpret_kernel`; everything that could be an error is left to this one, so that diagnostics come from one place.
"""

from __future__ import annotations

import gc
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace

from ..compiled import compile_kernels
from ..findings import Docket
from . import acts, carry, checks, fixes, modes, plain, turning
from .control import Setup
from .flow import Course
from .interpreted import Interpreted
from .meanings import ARCS, CYCLES, MEANINGS
from .reader import Block, Unreadable
from .run import Ended
from .state import State, state_of
from .system_variables import System
from .text import ProgramText
from .variables import MacroError
from .words import Plan, Words, classify, idle_letters, make_plan, plan_of_columns
from .writer import Writer

FAST_RUN = 200  # shorter runs of plain blocks are not worth entering the kernel for
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


class Interpreter(Writer):
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
        """As for `Run`."""
        super().__init__(setup, texts, docket, channel, start, fast, tick)
        self.control.variables.system = System(self)
        self.course = Course(self)
        self.watched: tuple[int, int] | None = None  # file and line (from 0) whose state is asked for
        self.seen: list[State] = []  # before and after the watched block
        marks = setup.wait_marks
        self._bound = frozenset(setup.codes) | (
            {f"M{code}" for code in range(marks[0], marks[1] + 1)} if marks else frozenset()
        )
        self._plans: dict[int, list[Plan | Unreadable | None]] = {}
        modes.start(self)

    # --- running ------------------------------------------------------------------------------------------------------

    def run(self) -> Interpreted:
        self.scan()
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
                    self.course.calls.end_of_text()
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
            if isinstance(block, Block) and block.number is not None and self.labels.jumped_to(block.number):
                return
            if not first and (isinstance(block, Unreadable) or block.words or block.assignments or block.flow):
                first = index + 1
        if first:
            self.report("syntax.after-end", "nothing reaches this block: the program has ended before it", line=first,
                        program=self.texts[0].name)  # fmt: skip

    def _plan(self, index: int) -> Plan | Unreadable:
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
            self.look_up()
        if self.jumped or self.stack:
            self.course.jumps.count()
        plan = self._plan(index)
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
                self.course.calls.end_of_text()
            return
        if block.skip and block.skip in self.setup.block_skip:
            return
        try:
            self._take(plan, block, index)
        except MacroError as error:
            self.report("macro.error", str(error))

    def _take(self, plan: Plan, block: Block, index: int) -> None:
        """Carry out a block. Raises MacroError."""
        if block.assignments:
            self._assign(block)
        if block.flow:
            then = self.course.take(block.flow, index)
            if then is not None:
                then = replace(then, comments=block.comments)  # an alarm's text stands at the end of the line
                self._take(make_plan(then), then, index)
            return
        if block.assignments and not block.words:
            return
        words = self._words(plan)
        if words is None:
            return
        if words.m in _ONLY_WAYS and not words.g and not words.own and words.value.keys() <= _CALL_LETTERS:
            self.course.after(words, block)  # nothing else stands in it, and nothing modal changes
        else:
            self._carry_out(words, block)

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

    def _assign(self, block: Block) -> None:
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

    def _words(self, plan: Plan) -> Words | None:
        """The block's words; None when it must not be carried out. Raises MacroError."""
        if plan.literal:
            if not plan.classified:
                plan.classify(self.dialect, self._bound)
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
            words, wrong, broken = classify(items, self.dialect, self._bound)
        for fault in wrong:
            fix = fixes.remove_word(self, fault.surplus) if fault.surplus else None
            self.report(fault.rule, fault.message, severity=fault.severity, remedy=fault.remedy, fix=fix)
        return None if broken else words

    # --- one block ----------------------------------------------------------------------------------------------------

    def _carry_out(self, words: Words, block: Block) -> None:
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
            carry.take(self, self.course.calls, words)
            if self.modal_macro and not self.in_modal_macro and self.builder.count > before and self.collecting is None:
                self.course.calls.enter(self.modal_macro[0], 1, self.modal_macro[1], modal=True)
        self.course.after(words, block)

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

    # --- the fast path ------------------------------------------------------------------------------------------------

    def _run_fast(self) -> bool:
        """Let the kernel carry out the plain blocks from here on, as far as it has no doubt. True if it took any."""
        text, control = self.text, self.control
        if text.flags is None or text.flags[self.at] == 2 or text.run_end[self.at] - self.at < FAST_RUN:
            return False
        if control.cycle or control.feed_mode != "per-minute" or control.feed is None or self.stack or self.jumped:
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
        if self.rapid_level is not None or control.ahead is not None or not checks.checked(self):
            return False
        compile_kernels()
        from .interpret_kernel import run_plain

        self.ready = None
        here = self.watched is not None and self.watched[0] == self.file and self.watched[1] >= self.at
        return run_plain(self, self.watched[1] if self.watched and here else len(text))
