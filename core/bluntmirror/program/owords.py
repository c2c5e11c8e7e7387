"""The o-word language's ways (RS274/NGC): o<label> sub, call, return, if, while, do, repeat, break, continue."""

from __future__ import annotations

from collections.abc import Callable

from .calls import Calls
from .jumps import Jumps
from .labels import Way, ways
from .reader import Block, Flow
from .writer import Writer


class OWords:
    def __init__(self, run: Writer, jumps: Jumps, calls: Calls, holds: Callable[[Flow], bool]) -> None:
        """`holds`: whether the condition of a line is true now."""
        self.run, self.jumps, self.calls, self.holds = run, jumps, calls, holds
        self._ways: dict[int, dict[int, Way]] = {}

    def take(self, flow: Flow, index: int) -> None:
        """Carry out an o-word line. Raises MacroError."""
        run, keyword = self.run, flow.kind[2:]
        if keyword == "call":
            values = [argument.work_out(run.control.variables) for argument in flow.arguments]
            self.calls.sub(flow.label, {i + 1: value for i, value in enumerate(values) if value is not None})
            return
        if keyword in ("return", "endsub"):
            if run.stack and run.stack[-1].label:
                value = flow.test.work_out(run.control.variables) if flow.test else None
                self.calls.pop()
                run.control.variables.set("_value", value)
            elif keyword == "return":
                run.report("call.loop", f"o<{flow.label}> return outside a sub")
            return
        way = self._of_file().get(index)
        if way is not None:  # else it was reported with the file
            _TAKE[keyword](self, flow, way)

    def _of_file(self) -> dict[int, Way]:
        """The ways of the file in work; what does not pair is reported when it is first asked."""
        run = self.run
        if run.file not in self._ways:
            self._ways[run.file], faults = ways(run.text)
            for line, told in faults:
                run.report("call.loop", told, line=line)
        return self._ways[run.file]

    def _back(self, line: int) -> None:
        self.jumps.back(line, f"line {line + 1}")

    def _while(self, flow: Flow, way: Way) -> None:
        if way.closes:  # do … while: back to the do, unless the condition has gone
            if self.holds(flow):
                self._back(way.begin + 1)
        elif not self.holds(flow):
            self.run.at = way.end + 1

    def _if(self, flow: Flow, way: Way) -> None:
        if not self.holds(flow):
            self._next_branch(way.next)

    def _next_branch(self, index: int) -> None:
        """Go on at a branch that was not taken yet: its condition is asked there."""
        block = self.run.text.block(index)
        assert isinstance(block, Block) and block.flow
        self.run.at = index + 1
        if block.flow.kind == "o-elseif" and not self.holds(block.flow):
            self._next_branch(self._of_file()[index].next)

    def _repeat(self, flow: Flow, way: Way) -> None:
        assert flow.test
        times = round(flow.test.work_out(self.run.control.variables) or 0.0)
        self.jumps.repeating[flow.label] = times
        if times <= 0:
            self.run.at = way.end + 1

    def _endrepeat(self, flow: Flow, way: Way) -> None:
        left = self.jumps.repeating.get(flow.label, 1) - 1
        self.jumps.repeating[flow.label] = left
        if left > 0:
            self._back(way.begin + 1)

    def _endwhile(self, flow: Flow, way: Way) -> None:
        self._back(way.begin)

    def _continue(self, flow: Flow, way: Way) -> None:
        self.run.at = way.end  # the end's own line decides

    def _behind(self, flow: Flow, way: Way) -> None:
        self.run.at = way.end + 1

    def _pass(self, flow: Flow, way: Way) -> None:
        """A line that is only passed."""


_TAKE: dict[str, Callable[[OWords, Flow, Way], None]] = {
    "sub": OWords._behind, "do": OWords._pass, "endif": OWords._pass, "break": OWords._behind,
    "else": OWords._behind,  # reached from the branch before it: that one was taken
    "elseif": OWords._behind,
    "if": OWords._if, "while": OWords._while, "repeat": OWords._repeat, "endrepeat": OWords._endrepeat,
    "endwhile": OWords._endwhile, "continue": OWords._continue,
}  # fmt: skip
