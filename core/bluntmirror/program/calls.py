"""Calls and returns.

call    M98 P (L times, or the times as P's leading digits); local variables stay those of the caller
macro   G65 P with letters as arguments: new local variables; G66 does so after every move
sub     o<label> call [a] [b] …: arguments #1, #2, …
"""

from __future__ import annotations

from . import fixes
from .jumps import Jumps
from .run import Call, Ended
from .words import Words, arguments
from .writer import Writer


class Calls:
    def __init__(self, run: Writer, jumps: Jumps) -> None:
        self.run, self.jumps = run, jumps
        self._loops_left = run.setup.loops - 1

    def call(self, words: Words) -> None:
        """M98."""
        run = self.run
        if "P" not in words:
            run.report(
                "syntax.missing", "M98 needs the number of the subprogram: P", remedy="Write P with its O number."
            )
            return
        number = round(words.value["P"])
        repeats = round(words.value.get("L", 1.0))
        if number not in run.labels.starts and number > 9999 and "L" not in words:
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

    def enter(
        self, number: int, repeats: int = 1, given: dict[int | str, float] | None = None, modal: bool = False
    ) -> None:
        """Go on at the begin of a program of the job."""
        run = self.run
        if run.program_number(number) is None or repeats <= 0:
            return
        file, line = run.labels.starts[number]
        self.push(Call(run.text, run.file, run.at, line, repeats - 1, given, modal), file, line)

    def sub(self, label: str, given: dict[int | str, float]) -> None:
        """Go on in an o-word sub."""
        run = self.run
        target = run.labels.sub(label)
        if target is None:
            run.report("call.missing", f"there is no sub o<{label}> in the job",
                       remedy=f"Add the file with o<{label}> sub to the job's library, or correct the name.")  # fmt: skip
            return
        call = Call(run.text, run.file, run.at, target[1], 0, given, label=label, repeating=self.jumps.repeating)
        self.jumps.repeating = {}
        self.push(call, target[0], target[1] + 1)

    def push(self, call: Call, file: int, line: int) -> None:
        run = self.run
        if len(run.stack) >= run.setup.max_depth:
            run.report("endless.depth", f"calls are nested more than {run.setup.max_depth} deep")
            raise Ended
        run.stack.append(call)
        if call.arguments is not None:
            run.control.variables.enter(call.arguments)
        if call.modal:
            run.in_modal_macro = True
        run.go(file, line)

    def pop(self) -> None:
        """Back behind the call under way, whatever repeats it has left."""
        run = self.run
        call = run.stack.pop()
        if call.arguments is not None:
            run.control.variables.leave()
        if call.modal:
            run.in_modal_macro = False
        if call.repeating is not None:
            self.jumps.repeating = call.repeating
        run.text, run.file, run.at = call.text, call.file, call.back

    def back(self, words: Words) -> None:
        """M99: the next repeat, or back to the caller; in the main program from its begin on, as often as the job says."""
        run = self.run
        if not run.stack:
            run.result.looped = True
            if "P" in words:
                self.jumps.to(round(words.value["P"]))
                return
            if self._loops_left <= 0:
                raise Ended
            self._loops_left -= 1
            run.result.passes.append(run.builder.count)
            run.jumped = True
            run.at = 0
            return
        call = run.stack[-1]
        if call.repeats > 0:
            call.repeats -= 1
            if call.arguments is not None:
                run.control.variables.leave()
                run.control.variables.enter(call.arguments)
            run.at = call.begin
            return
        self.pop()
        if "P" in words:
            self.jumps.to(round(words.value["P"]))

    def end_of_text(self) -> None:
        """The text is at its end: of a subprogram, which goes back all the same, or of the program."""
        run = self.run
        if run.stack:
            run.report(
                "call.no-return",
                "the subprogram ends without M99",
                remedy="Add M99 at its end.",
                fix=fixes.insert_line(run, run.at + 1, "M99", "Add M99 at its end"),
            )
            self.back(Words())
            return
        # Only in the o-word language does a pair of % lines stand for the program's end (RS274/NGC, 3.2).
        if not (run.dialect.o_words and run.text.data.count(b"%") >= 2):
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
