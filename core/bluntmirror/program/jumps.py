"""Jumps: to a block number of the same program, looked for from here on, then from its beginning; and back to a loop's begin.

A jump backwards into the very same state would come again for ever: it is found as Brent finds cycles (one state is kept,
renewed at every power of two) and told.
"""

from __future__ import annotations

import copy

from .run import Ended
from .writer import Writer


class Jumps:
    def __init__(self, run: Writer) -> None:
        self.run = run
        self.repeating: dict[str, int] = {}  # o-word repeats under way
        self._steps, self._next_kept = 0, 1
        self._kept: tuple[object, ...] | None = None
        self._counted = 0  # blocks carried out through calls, jumps and loops

    def to(self, number: int) -> None:
        """To a block number."""
        run = self.run
        target = run.line_of(number)
        if target is None:
            run.report("call.label", f"there is no block N{number} to jump to",
                       remedy=f"Number the block that is meant N{number}, or correct the jump.")  # fmt: skip
        elif target < run.at:
            self.back(target, f"N{number}")
        else:
            run.at = target

    def back(self, target: int, what: str) -> None:
        """Back to a line (from 0)."""
        run, control = self.run, self.run.control
        run.jumped = True
        self._steps += 1
        kept = self._kept
        if (
            kept is not None
            and kept[0] == target
            and kept[1] == control.machine
            and kept[2] == control.variables.values
            and not run.clocked
            and kept[3] == self._rest()
        ):
            run.report("endless.state", f"the program comes back to {what} in the very same state: it never ends",
                       remedy="Give the loop a way out: a counter that is counted, a condition that changes.")  # fmt: skip
            raise Ended
        if self._steps >= self._next_kept:
            self._next_kept *= 2
            self._kept = (target, list(control.machine), dict(control.variables.values), self._rest())
        run.at = target

    def _rest(self) -> tuple[object, ...]:
        run, control = self.run, self.run.control
        return (
            run.file, run.snapshot(), control.feed, control.speed, len(run.stack), dict(self.repeating),
            [call.repeats for call in run.stack], copy.deepcopy(control.work_offsets), copy.deepcopy(control.lengths),
        )  # fmt: skip

    def count(self) -> None:
        """One more block through calls, jumps and loops."""
        self._counted += 1
        most = self.run.setup.max_blocks
        if self._counted > most:
            self.run.report("endless.limit", f"stopped after {most} blocks carried out through loops and calls")
            raise Ended
