"""What became of the findings of a rehearsal in another one, after a change.

gone    nothing in the other run is of its kind, tool, axis and bodies, or what there is belongs to other findings
stayed  the pairs of which one is the other's: at the same line (counted through the edits), at the same place, or the last of its kind
come    what the other run has beyond those; `worse`: what stayed, and is worse by more than a tenth
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from ..findings import Edit, Finding
from ..findings.identity import WORSE_MM, WORSE_SHARE, near

What = tuple[object, ...]


@dataclass
class Difference:
    gone: list[Finding] = field(default_factory=list)
    stayed: list[tuple[Finding, Finding]] = field(default_factory=list)
    come: list[Finding] = field(default_factory=list)

    @property
    def worse(self) -> list[tuple[Finding, Finding]]:
        return [(old, new) for old, new in self.stayed if new.amount > WORSE_SHARE * old.amount + WORSE_MM]

    def became(self, item: Finding) -> Finding | None:
        """What a finding of the first run is in the other; None where it is gone."""
        return next((new for old, new in self.stayed if old is item), None)


def what_of(item: Finding) -> What:
    """What a finding is, wherever it lies. Whose motions shaped the sides of what is left differs from run to run."""
    said = item.rule if item.kind.startswith("program.") else ""
    tool = 0 if item.kind == "material.excess" else item.tool
    return item.kind, said, item.channel, tool, item.axis, tuple(sorted(item.bodies))


def line_after(program: str, line: int, edits: Sequence[Edit]) -> int:
    """Where a line stands after edits; 0 where it is no more."""
    moved = line
    for edit in edits:
        if edit.program == program:
            if edit.old is None and edit.line <= line:
                moved += 1
            elif edit.new is None and edit.line < line:
                moved -= 1
            elif edit.new is None and edit.line == line:
                return 0
    return moved


def difference(before: Sequence[Finding], after: Sequence[Finding], edits: Sequence[Edit] = ()) -> Difference:
    result = Difference()
    left = list(after)
    for what in dict.fromkeys(what_of(item) for item in before):
        mine = [item for item in before if what_of(item) == what]
        theirs = [item for item in left if what_of(item) == what]
        for alike in (_same_line, _same_place, _any):
            for old in list(mine):
                new = next((item for item in theirs if alike(old, item, edits)), None)
                if new is not None:
                    mine.remove(old)
                    theirs.remove(new)
                    left = [item for item in left if item is not new]
                    result.stayed.append((old, new))
        result.gone += mine
    result.come = left
    return result


def _same_line(old: Finding, new: Finding, edits: Sequence[Edit]) -> bool:
    return old.program == new.program and line_after(old.program, old.line, edits) == new.line


def _same_place(old: Finding, new: Finding, edits: Sequence[Edit]) -> bool:
    return old.point is not None and near(old.point, new.point)


def _any(old: Finding, new: Finding, edits: Sequence[Edit]) -> bool:
    return True
