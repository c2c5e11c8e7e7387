"""Where the program goes on: what a block's own words say once it is carried out, and blocks that decide.

jump    GOTO, IF [ ] GOTO          loop    WHILE [ ] DO n … END n
branch  IF [ ] THEN …              the rest stands in `calls`, `jumps` and `owords`
"""

from __future__ import annotations

from .calls import Calls
from .interpreted import Wait
from .jumps import Jumps
from .labels import loops
from .motions import WAIT
from .owords import OWords
from .reader import Block, Flow
from .run import Ended
from .variables import MacroError
from .words import Words, arguments
from .writer import Writer


class Course:
    def __init__(self, run: Writer) -> None:
        self.run = run
        self.jumps = Jumps(run)
        self.calls = Calls(run, self.jumps)
        self.o_words = OWords(run, self.jumps, self.calls, self._holds)
        self._loops: dict[int, dict[int, int]] = {}

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
                self.calls.call(words)
            elif name == "return":
                self.calls.back(words)
        for code in words.own:
            act = run.setup.codes.get(code)
            if act is None:
                named = str(round(words.value["P"])) if "P" in words else ""
                self._wait_mark(int(code[1:]), tuple(int(digit) for digit in named))
            elif act.does == "meet":
                self._wait_mark(int(code[1:]), tuple(act.channels))
            elif act.does == "macro" and code[0] == "M":
                self.calls.enter(act.program or 0, given=arguments(words))

    def _wait_mark(self, mark: int, named: tuple[int, ...]) -> None:
        run = self.run
        run.result.waits.append(Wait(mark, named, run.builder.count, run.at, run.text.name))
        run.add(WAIT, run.control.machine)

    # --- IF, WHILE, GOTO ------------------------------------------------------------------------------------------------

    def take(self, flow: Flow, index: int) -> Block | None:
        """Carry out a block that decides where to go on. Gives the block behind a THEN where that is to be carried out.
        Raises MacroError."""
        run = self.run
        if flow.kind == "end":
            begin = self._ends().get(index)
            if begin is not None:
                self.jumps.back(begin, f"line {begin + 1}")
        elif flow.kind == "while":
            partner = self._ends().get(index)
            if partner is not None and not self._holds(flow):
                run.at = partner + 1
        elif flow.kind == "goto" or (flow.kind == "if-goto" and self._holds(flow)):
            assert flow.target
            value = flow.target.work_out(run.control.variables)
            if value is None:
                raise MacroError("a jump to a vacant variable")
            self.jumps.to(round(value))
        elif flow.kind == "if-then" and self._holds(flow):
            return flow.then
        elif flow.kind.startswith("o-"):
            self.o_words.take(flow, index)
        return None

    def _holds(self, flow: Flow) -> bool:
        assert flow.test
        variables = self.run.control.variables
        value = flow.test.work_out(variables)
        if variables.vacant_read:
            self.run.tell_vacant()
        return bool(value)

    def _ends(self) -> dict[int, int]:
        """WHILE and DO lines ↔ END lines of the file in work; what has no partner is reported when it is first asked."""
        run = self.run
        if run.file not in self._loops:
            self._loops[run.file], faults = loops(run.text)
            for line, told in faults:
                run.report("call.loop", told, line=line,
                           remedy="Pair every DO with the END of its number, inner loops inside outer ones.")  # fmt: skip
        return self._loops[run.file]
