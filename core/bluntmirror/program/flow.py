"""Where the program goes on: calls and returns, macros with arguments, jumps, loops, and the o-word language's ways.

call    M98 P (L times, or the times as P's leading digits); local variables stay those of the caller
macro   G65 P with letters as arguments: new local variables; G66 does so after every move
jump    GOTO to a block number of the same program, looked for from here on, then from its beginning
loop    WHILE [ ] DO n … END n; o<label> while, do, repeat
"""

from __future__ import annotations

import copy
import itertools
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import PurePath
from typing import TYPE_CHECKING

from . import fixes
from .motions import WAIT
from .reader import Block, Flow, Unreadable
from .text import ProgramText
from .variables import MacroError
from .words import Words

if TYPE_CHECKING:
    from .interpreter import Interpreter

# Letters of a macro call → local variables (the usual assignment; I J K may come again: the second I is #7, …).
ARGUMENTS = {
    "A": 1, "B": 2, "C": 3, "I": 4, "J": 5, "K": 6, "D": 7, "E": 8, "F": 9, "H": 11, "M": 13, "Q": 17, "R": 18, "S": 19,
    "T": 20, "U": 21, "V": 22, "W": 23, "X": 24, "Y": 25, "Z": 26,
}  # fmt: skip


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
    repeating: dict[str, int] = field(default_factory=dict)  # o-word repeats under way in the caller


class Course:
    def __init__(self, run: Interpreter) -> None:
        self.run = run
        self.stack: list[Call] = []
        self.jumped = False
        self.counted = 0  # blocks carried out through calls, jumps and loops
        self.loops_left = run.setup.loops - 1
        self.repeating: dict[str, int] = {}
        self.clocked = False  # the clock has been read: the same state may go on otherwise
        self._steps, self._next_kept = 0, 1
        self._kept: tuple[object, ...] | None = None
        self._labels: dict[tuple[int, int], dict[int, list[int]]] = {}
        self._loops: dict[int, dict[int, int]] = {}
        self._ways: dict[int, dict[int, _Way]] = {}
        self.starts: dict[int, tuple[int, int]] = {}
        self.subs: dict[str, tuple[int, int]] = {}
        self._find_programs()

    def _find_programs(self) -> None:
        texts = self.run.texts
        for number, text in reversed(list(enumerate(texts))):
            digits = re.findall(r"\d+", PurePath(text.name).stem)
            if digits and number:
                self.starts[int(digits[-1])] = (number, 0)
        for number, text in reversed(list(enumerate(texts))):
            self.starts.update({o: (number, line) for o, line in text.program_starts().items()})

    def count(self) -> None:
        """One more block through calls, jumps and loops."""
        self.counted += 1
        if self.counted > self.run.setup.max_blocks:
            self.run.report("endless.limit", f"stopped after {self.run.setup.max_blocks} blocks carried out through loops "
                            "and calls")  # fmt: skip
            raise Ended

    # --- after a block --------------------------------------------------------------------------------------------------

    def after(self, words: Words, block: Block) -> None:
        run = self.run
        for name in words.m:
            if name == "stop" or (name == "optional-stop" and run.setup.optional_stop):
                run.result.stops.append((run.builder.count, "M0" if name == "stop" else "M1"))
            elif name in ("end", "end-rewind"):
                run.result.ended = (run.text.name, run.at)
                raise Ended
            elif name == "call":
                self._call(words)
            elif name == "return":
                self._return(words)
        for code in words.own:
            act = run.setup.codes.get(code)
            if act is None:
                self._wait_mark(int(code[1:]), words)
            elif act.does == "macro" and code[0] == "M":
                self.enter(act.program or 0, 1, arguments(words))

    def _wait_mark(self, mark: int, words: Words) -> None:
        from .interpreter import Wait

        run = self.run
        named = tuple(int(digit) for digit in str(round(words.value["P"]))) if "P" in words else ()
        run.result.waits.append(Wait(mark, named, run.builder.count, run.at, run.text.name))
        run.add(WAIT, run.control.machine)

    # --- calls ----------------------------------------------------------------------------------------------------------

    def _call(self, words: Words) -> None:
        if "P" not in words:
            self.run.report(
                "syntax.missing", "M98 needs the number of the subprogram: P", remedy="Write P with its O number."
            )
            return
        number = round(words.value["P"])
        repeats = round(words.value.get("L", 1.0))
        if number not in self.starts and number > 9999 and "L" not in words:
            repeats, number = divmod(number, 10_000)
        self.enter(number, repeats)

    def macro(self, words: Words) -> None:
        """G65."""
        if "P" not in words:
            self.run.report(
                "syntax.missing", "G65 needs the number of the macro: P", remedy="Write P with its O number."
            )
            return
        self.enter(round(words.value["P"]), round(words.value.get("L", 1.0)), arguments(words))

    def set_modal(self, words: Words) -> None:
        """G66: the macro is called after every move from the next one on."""
        if "P" not in words:
            self.run.report(
                "syntax.missing", "G66 needs the number of the macro: P", remedy="Write P with its O number."
            )
            return
        number = round(words.value["P"])
        if number not in self.starts:
            self._missing(number)
            return
        self.run.modal_macro = (number, arguments(words))

    def modal_call(self, number: int, given: dict[int | str, float]) -> None:
        self.enter(number, 1, given, modal=True)

    def enter(
        self, number: int, repeats: int, given: dict[int | str, float] | None = None, modal: bool = False
    ) -> None:
        run = self.run
        if number not in self.starts:
            self._missing(number)
            return
        if repeats <= 0:
            return
        file, line = self.starts[number]
        self._push(Call(run.text, run.file, run.at, line, repeats - 1, given, modal), file, line)

    def _missing(self, number: int) -> None:
        self.run.report("call.missing", f"there is no subprogram O{number} in the job",
                        remedy=f"Add the file of O{number} to the job's library, or correct P.")  # fmt: skip

    def _push(self, call: Call, file: int, line: int) -> None:
        run = self.run
        if len(self.stack) >= run.setup.max_depth:
            run.report("endless.depth", f"calls are nested more than {run.setup.max_depth} deep")
            raise Ended
        self.stack.append(call)
        if call.arguments is not None:
            run.control.variables.enter(call.arguments)
        if call.modal:
            run.in_modal_macro = True
        self._go(file, line)

    def _go(self, file: int, line: int) -> None:
        from .text import SCAN_FROM_LINES

        run = self.run
        run.text, run.file, run.at = run.texts[file], file, line
        if run.fast and run.text.flags is None and len(run.text) >= SCAN_FROM_LINES:
            run.text.scan()

    def _return(self, words: Words) -> None:
        run = self.run
        if not self.stack:
            run.result.looped = True
            if "P" in words:
                self.jump(round(words.value["P"]))
                return
            if self.loops_left <= 0:
                raise Ended
            self.loops_left -= 1
            self.jumped = True
            run.at = 0
            return
        call = self.stack[-1]
        if call.repeats > 0:
            call.repeats -= 1
            if call.arguments is not None:
                run.control.variables.leave()
                run.control.variables.enter(call.arguments)
            run.at = call.begin
            return
        self._pop()
        if "P" in words:
            self.jump(round(words.value["P"]))

    def _pop(self) -> Call:
        run = self.run
        call = self.stack.pop()
        if call.arguments is not None:
            run.control.variables.leave()
        if call.modal:
            run.in_modal_macro = False
        if call.label:
            self.repeating = call.repeating
        run.text, run.file, run.at = call.text, call.file, call.back
        return call

    def end_of_text(self) -> None:
        run = self.run
        if self.stack:
            run.report(
                "call.no-return",
                "the subprogram ends without M99",
                remedy="Add M99 at its end.",
                fix=fixes.insert_line(run, run.at + 1, "M99", "Add M99 at its end"),
            )
            self._return(Words())
            return
        if not run.ends_with_percent():
            self._no_end()
        raise Ended

    def _no_end(self) -> None:
        """The main text is at its end, but the program is not."""
        run = self.run
        last = next((i for i in range(len(run.text) - 1, -1, -1) if run.text.line(i).strip(" \t\r\n%")), None)
        if last is None:
            run.report("end.missing", "the program is empty: there is no end in it (M30, M2 or M99)", line=1)
            return
        if any(name == run.text.name and first <= last + 1 <= end for name, first, end in run.setup.left_out):
            return  # the end was left out on purpose, and that is told
        line = run.text.line(last).strip()
        whole = run.text.data.endswith((b"\n", b"\r")) or last < len(run.text) - 1
        told = (
            "the program ends without M30, M2 or M99" if whole
            else f"the program breaks off in this block, without an end: '{line[-24:]}' is the last of it"
        )  # fmt: skip
        fix = None
        if whole:
            fix = fixes.insert_line(run, last + 2, run.dialect.code_of("end-rewind") or "M30", "Write M30 at its end")
        run.report("end.missing", told, line=last + 1, fix=fix)

    # --- jumps ----------------------------------------------------------------------------------------------------------

    def labels(self, around: range) -> dict[int, list[int]]:
        """Block numbers of one program → the lines that they stand in."""
        run = self.run
        key = (run.file, around.start)
        if key not in self._labels:
            found: dict[int, list[int]] = {}
            for index in around:
                block = run.text.block(index)
                if isinstance(block, Block) and block.number is not None:
                    found.setdefault(block.number, []).append(index)
            self._labels[key] = found
        return self._labels[key]

    def line_of(self, number: int) -> int | None:
        """The line of a block number: looked for from here on, then from the beginning of the program."""
        run = self.run
        lines = self.labels(run.text.program_around(max(0, run.at - 1))).get(number)
        if not lines:
            return None
        if len(lines) > 1:
            run.report_once(("twice", run.file, number), "jump.twice",
                            f"N{number} stands {len(lines)} times (lines {', '.join(str(i + 1) for i in lines[:6])}); which of "
                            "them a jump reaches depends on where it starts", remedy="Give each jump target a number of its own.")  # fmt: skip
        return next((line for line in lines if line >= run.at), lines[0])

    def jumps_to(self, number: int) -> bool:
        """Whether any block of the main program may jump to a block number: as a literal, or worked out."""
        text = self.run.texts[0]
        for index in range(len(text)):
            block = text.block(index)
            if not isinstance(block, Block):
                continue
            target = block.flow.target if block.flow else None
            if target is not None and (not isinstance(target.node, float) or round(target.node) == number):
                return True
        return False

    def jump(self, number: int) -> None:
        target = self.line_of(number)
        if target is None:
            self.run.report("call.label", f"there is no block N{number} to jump to",
                            remedy=f"Number the block that is meant N{number}, or correct the jump.")  # fmt: skip
            return
        if target < self.run.at:
            self._back(target, f"N{number}")
        self.run.at = target

    def _back(self, target: int, what: str) -> None:
        """A jump backwards: a state that comes again will come for ever (found as Brent finds cycles: one state is kept,
        renewed at every power of two)."""
        run, control = self.run, self.run.control
        self.jumped = True
        self._steps += 1
        kept = self._kept
        if (
            kept is not None
            and kept[0] == target
            and kept[1] == control.machine
            and kept[2] == control.variables.values
            and not self.clocked
            and kept[3] == self._rest()
        ):
            run.report("endless.state", f"the program comes back to {what} in the very same state: it never ends",
                       remedy="Give the loop a way out: a counter that is counted, a condition that changes.")  # fmt: skip
            raise Ended
        if self._steps >= self._next_kept:
            self._next_kept *= 2
            self._kept = (target, list(control.machine), dict(control.variables.values), self._rest())

    def _rest(self) -> tuple[object, ...]:
        control = self.run.control
        return (
            self.run.file, self.run.snapshot(), control.feed, control.speed, len(self.stack), dict(self.repeating),
            [call.repeats for call in self.stack], copy.deepcopy(control.work_offsets), copy.deepcopy(control.lengths),
        )  # fmt: skip

    # --- IF, WHILE, GOTO ------------------------------------------------------------------------------------------------

    def take(self, flow: Flow, index: int, block: Block) -> None:
        """Carry out a block that decides where to go on. Raises MacroError."""
        run = self.run
        if flow.kind == "end":
            begin = self.loops().get(index)
            if begin is not None:
                self._back(begin, f"line {begin + 1}")
                run.at = begin
            return
        if flow.kind == "while":
            partner = self.loops().get(index)
            if partner is not None and not self._holds(flow):
                run.at = partner + 1
            return
        if flow.kind == "do":
            return
        if flow.kind == "goto" or (flow.kind == "if-goto" and self._holds(flow)):
            assert flow.target
            value = flow.target.work_out(run.control.variables)
            if value is None:
                raise MacroError("a jump to a vacant variable")
            self.jump(round(value))
            return
        if flow.kind == "if-then":
            if self._holds(flow):
                assert flow.then
                self._then(flow.then, index, block)
            return
        if flow.kind.startswith("o-"):
            self._o_word(flow, index)

    def _then(self, then: Block, index: int, block: Block) -> None:
        from .words import make_plan

        run = self.run
        if then.assignments:
            run.assign(Block(assignments=then.assignments, comments=block.comments))
        if then.flow:
            self.take(then.flow, index, block)
        elif then.words:
            words = run.words(make_plan(then))
            if words is not None:
                run.carry_out(words, then)

    def _holds(self, flow: Flow) -> bool:
        assert flow.test
        variables = self.run.control.variables
        value = flow.test.work_out(variables)
        if variables.vacant_read:
            self.run.tell_vacant()
        return bool(value)

    def loops(self) -> dict[int, int]:
        """WHILE and DO lines ↔ END lines of the file in work; what has no partner is reported when the file is first asked."""
        run = self.run
        found = self._loops.get(run.file)
        if found is None:
            found = self._loops[run.file] = {}
            open_: list[tuple[int, int]] = []
            for index in range(len(run.text)):
                block = run.text.block(index)
                if isinstance(block, Unreadable):
                    continue
                if block.program is not None:
                    self._unclosed(open_)
                flow = block.flow
                if flow is None:
                    continue
                if flow.kind in ("while", "do"):
                    open_.append((flow.number, index))
                elif flow.kind == "end":
                    if open_ and open_[-1][0] == flow.number:
                        begin = open_.pop()[1]
                        found[begin], found[index] = index, begin
                    else:
                        run.report("call.loop", f"END{flow.number} closes no DO{flow.number}", line=index + 1,
                                   remedy="Pair every DO with the END of its number, inner loops inside outer ones.")  # fmt: skip
            self._unclosed(open_)
        return found

    def _unclosed(self, open_: list[tuple[int, int]]) -> None:
        for number, index in open_:
            self.run.report("call.loop", f"DO{number} has no END{number}", line=index + 1,
                            remedy="Pair every DO with the END of its number, inner loops inside outer ones.")  # fmt: skip
        open_.clear()

    # --- o-words --------------------------------------------------------------------------------------------------------

    def _o_word(self, flow: Flow, index: int) -> None:
        run, keyword = self.run, flow.kind[2:]
        if keyword == "call":
            self._o_call(flow)
            return
        if keyword in ("return", "endsub"):
            if self.stack and self.stack[-1].label:
                value = flow.test.work_out(run.control.variables) if flow.test else None
                self._pop()
                run.control.variables.set("_value", value)
            elif keyword == "return":
                run.report("call.loop", f"o<{flow.label}> return outside a sub")
            return
        way = self.ways().get(index)
        if way is None:
            return  # reported with the file
        _O_WORDS[keyword](self, flow, way)

    def _o_call(self, flow: Flow) -> None:
        run = self.run
        values = [argument.work_out(run.control.variables) for argument in flow.arguments]
        self.all_subs()
        target = self.subs.get(flow.label)
        if target is None:
            run.report("call.missing", f"there is no sub o<{flow.label}> in the job",
                       remedy=f"Add the file with o<{flow.label}> sub to the job's library, or correct the name.")  # fmt: skip
            return
        given: dict[int | str, float] = {i + 1: value for i, value in enumerate(values) if value is not None}
        call = Call(run.text, run.file, run.at, target[1], 0, given, label=flow.label, repeating=self.repeating)
        self.repeating = {}
        self._push(call, target[0], target[1] + 1)

    def all_subs(self) -> None:
        if self.subs:
            return
        for number, text in reversed(list(enumerate(self.run.texts))):
            for index in range(len(text)):
                block = text.block(index)
                if isinstance(block, Block) and block.flow and block.flow.kind == "o-sub":
                    self.subs[block.flow.label] = (number, index)

    def ways(self) -> dict[int, _Way]:
        """The o-word lines of the file in work, each with the lines that it may go on at."""
        run = self.run
        if run.file not in self._ways:
            self._ways[run.file] = _match(run.text, lambda line, told: run.report("call.loop", told, line=line))
        return self._ways[run.file]

    def _o_back(self, target: int) -> None:
        self._back(target, f"line {target + 1}")
        self.run.at = target

    def _o_while(self, flow: Flow, way: _Way) -> None:
        if way.closes:  # do … while: back to the do, unless the condition has gone
            if self._holds(flow):
                self._o_back(way.begin + 1)
        elif not self._holds(flow):
            self.run.at = way.end + 1

    def _o_if(self, flow: Flow, way: _Way) -> None:
        if not self._holds(flow):
            self._o_next_branch(way.next)

    def _o_next_branch(self, index: int) -> None:
        """Go on at a branch that was not taken yet: its condition is asked there."""
        block = self.run.text.block(index)
        assert isinstance(block, Block) and block.flow
        self.run.at = index + 1
        if block.flow.kind == "o-elseif" and not self._holds(block.flow):
            self._o_next_branch(self.ways()[index].next)

    def _o_repeat(self, flow: Flow, way: _Way) -> None:
        assert flow.test
        times = round(flow.test.work_out(self.run.control.variables) or 0.0)
        self.repeating[flow.label] = times
        if times <= 0:
            self.run.at = way.end + 1

    def _o_endrepeat(self, flow: Flow, way: _Way) -> None:
        left = self.repeating.get(flow.label, 1) - 1
        self.repeating[flow.label] = left
        if left > 0:
            self._o_back(way.begin + 1)

    def _o_continue(self, flow: Flow, way: _Way) -> None:
        self.run.at = way.end  # the end's own line decides


@dataclass
class _Way:
    """Lines of one o-word construct: where it begins and ends, the next branch of an if; whether a while closes a do."""

    begin: int
    end: int = -1
    next: int = -1
    closes: bool = False


def _match(text: ProgramText, say: Callable[[int, str], None]) -> dict[int, _Way]:
    ways: dict[int, _Way] = {}
    open_: list[tuple[str, str, list[int]]] = []  # keyword, label, its lines so far
    for index in range(len(text)):
        block = text.block(index)
        if isinstance(block, Unreadable) or block.flow is None or not block.flow.kind.startswith("o-"):
            continue
        keyword, label = block.flow.kind[2:], block.flow.label
        top = open_[-1] if open_ else ("", "", [])
        if keyword == "while" and top[:2] == ("do", label):
            keyword = "enddo"
        if keyword in ("sub", "if", "while", "do", "repeat"):
            open_.append((keyword, label, [index]))
        elif keyword in ("elseif", "else"):
            if top[:2] != ("if", label):
                say(index + 1, f"o<{label}> {keyword} without its if")
                continue
            top[2].append(index)
        elif keyword.startswith("end"):
            if top[:2] != (keyword[3:], label):
                say(index + 1, f"o<{label}> {block.flow.kind[2:]} closes nothing that is open")
                continue
            lines = [*open_.pop()[2], index]
            for one, following in itertools.pairwise(lines):
                ways[one] = _Way(lines[0], index, following)
            ways[index] = _Way(lines[0], index, -1, closes=keyword == "enddo")
        elif keyword in ("break", "continue"):
            begin = next((item[2][0] for item in reversed(open_) if item[1] == label), -1)
            if begin < 0:
                say(index + 1, f"o<{label}> {keyword} outside its loop")
                continue
            ways[index] = _Way(begin)
    for keyword, label, lines in open_:
        say(lines[0] + 1, f"o<{label}> {keyword} is not closed")
    for index, way in ways.items():
        if way.end < 0 and way.begin in ways:
            ways[index] = _Way(way.begin, ways[way.begin].end)
    return ways


def _go_on(course: Course, flow: Flow, way: _Way) -> None:
    """A line that is only passed."""


def _to_end(course: Course, flow: Flow, way: _Way) -> None:
    course.run.at = way.end + 1


_O_WORDS: dict[str, Callable[[Course, Flow, _Way], None]] = {
    "sub": _to_end, "do": _go_on, "endif": _go_on, "break": _to_end,
    "else": _to_end,  # reached from the branch before it: that one was taken
    "elseif": _to_end,
    "if": Course._o_if, "while": Course._o_while, "repeat": Course._o_repeat, "endrepeat": Course._o_endrepeat,
    "endwhile": lambda course, flow, way: course._o_back(way.begin), "continue": Course._o_continue,
}  # fmt: skip


def arguments(words: Words) -> dict[int | str, float]:
    """Local variables of a macro call by its letters."""
    given: dict[int | str, float] = {}
    for letter, value in words.value.items():
        if letter in ARGUMENTS:
            given[ARGUMENTS[letter]] = value
        elif letter[0] in "IJK" and letter[1:].isdigit():
            given[ARGUMENTS[letter[0]] + 3 * (int(letter[1:]) - 1)] = value
    return given
