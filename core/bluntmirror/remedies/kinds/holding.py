"""Grips, spindles and channels that wait for one another."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from .. import lines
from ..case import Case, Line
from ..change import Change
from ..proposal import Proposal, inserted, told
from .levels import Word
from .order import later, sooner, taken_out

TENTH_S = 0.1
BACK_MOTIONS = 60


@dataclass(frozen=True)
class Dwell(Proposal):
    """A dwell before a line."""

    line: Line | None = None
    word: str = "X"
    grows = True

    def change(self, amount: float) -> Change | None:
        assert self.line
        seconds = math.ceil(amount / TENTH_S - 1e-6) * TENTH_S
        block = f"{self.case.code('dwell')} {self.word}{seconds:.1f}"
        return Change(
            f"Before line {self.line.line}: {block}, {told(seconds, 's')} more",
            edits=(self.line.before(block),),
            amount=seconds,
        )


def dwell(case: Case, amount: float) -> Iterator[Proposal]:
    here = case.here
    if here is not None:
        yield Dwell(case, amount, here, "U" if case.strand.setup.dialect.increment_letters else "X")


def waits(case: Case) -> Iterator[Proposal]:
    """The mark written into the partner's program, between the marks that both have; or taken out of this one."""
    here = case.here
    if here is None:
        return
    own = case.strand.interpreted.waits
    at = next((i for i, wait in enumerate(own) if wait.line == here.line and wait.program == here.program), None)
    mark = next((token for token in lines.bare(here.text).split() if token.upper().startswith("M")), "")
    if mark:
        before = {w.mark for w in (own[:at] if at is not None else own)}
        for strand in case.result.strands:
            if strand.channel == case.strand.channel:
                continue
            program = strand.job.file.programs[0].main
            texts = case.texts(program)
            begin = max(
                (i for i, text in enumerate(texts) if any(lines.code(text, f"M{m}") for m in before)), default=0
            )
            ends = [i for i, text in enumerate(texts) if i > begin and _is_mark(case, text, before)]
            end = min(ends, default=len(texts) - 1)
            for i in range(end, begin, -1):
                line = case.line(program, i + 1)
                if line and line.text.strip() and line.text.strip() != "%":
                    yield inserted(case, line, mark, f"Channel {strand.channel}, before line {line.line}: {mark}")
    yield from taken_out(case, here)


def _is_mark(case: Case, text: str, before: set[int]) -> bool:
    """Whether a line is a mark that comes after those passed."""
    span = case.job.machine.wait_marks or (0, -1)
    codes = case.job.machine.codes
    for token in lines.bare(text).upper().split():
        if token[:1] == "M" and token[1:].isdigit():
            number = int(token[1:])
            meets = token in codes and codes[token].does in ("wait", "meet")
            if (span[0] <= number <= span[1] or meets) and number not in before:
                return True
    return False


def deeper(case: Case, amount: float, both: bool = True) -> Iterator[Proposal]:
    """The way that brought the work into the grip, or the rest to its axis, longer or shorter by the amount: in its last block, and in
    the one before as well."""
    row = _last_way(case)
    if row is None:
        return
    step = case.motions.end[row] - case.motions.begin[row]
    column = max(range(len(step)), key=lambda i: abs(step[i]))
    axis = case.strand.setup.axes[column]
    at = case.in_force(axis, row)
    if at is None:
        return
    forward = 1.0 if step[column] > 0 else -1.0
    for sign in (forward, -forward) if both else (forward,):
        yield Word(case, amount, at[0], at[1], sign * case.scale(axis))
        yield Approach(case, amount, at[0], at[1], sign * case.scale(axis))


@dataclass(frozen=True)
class Approach(Proposal):
    """The same word in the block of the way, and in its neighbours up to the next marks."""

    line: Line | None = None
    name: str = ""
    per_mm: float = 1.0
    grows = True

    def change(self, amount: float) -> Change | None:
        assert self.line
        edits = []
        for number in range(self.line.line - 4, self.line.line + 8):
            line = self.case.line(self.line.program, number)
            made = (
                lines.moved(line.text, self.name, self.per_mm * amount, self.case.increment, self.case.step)
                if line
                else None
            )
            found = lines.find(line.text, self.name) if line else None
            if line and made and found and found.value() != 0.0:
                edits.append(line.to(made[0]))
        if len(edits) < 2:
            return None
        by = self.per_mm * amount
        return Change(f"Lines {edits[0].line} to {edits[-1].line}: {self.name.rstrip('=')} {'+' if by > 0 else '−'}{told(abs(by))} in each",
                      edits=tuple(edits), amount=abs(by))  # fmt: skip


def _last_way(case: Case) -> int | None:
    """The last motion at or before the finding's that moves an axis; that of the finding's own line where it has no motion."""
    row = case.row
    if row < 0 and case.here is not None:
        rows = [
            i for i in range(len(case.motions))
            if case.motions.file_name(i) == case.finding.program and int(case.motions.line[i]) <= case.finding.line
        ]  # fmt: skip
        row = rows[-1] if rows else -1
    for back in range(row, max(row - BACK_MOTIONS, -1), -1):
        if abs(case.motions.end[back] - case.motions.begin[back]).max() > 1e-6:
            return back
    return None


def sync_before(case: Case) -> Iterator[Proposal]:
    """The code that lets one spindle follow the other, before the grip closes."""
    here = case.here
    if here is None:
        return
    for name, code in case.job.machine.codes.items():
        if code.does == "sync":
            for strand in case.result.strands:
                program = strand.job.file.programs[0].main
                if any(lines.code(text, name) for text in case.texts(program)):
                    continue
                if strand.channel == case.strand.channel:
                    yield inserted(
                        case,
                        here,
                        name,
                        f"Before line {here.line}: {name}, {code.spindles[0] if code.spindles else 'it'} follows",
                    )
                    continue
                marks = [
                    wait
                    for wait in strand.interpreted.waits
                    if strand.reel.end_time[wait.motion] <= case.finding.time + 1e-6
                ]
                line = case.line(marks[-1].program, marks[-1].line) if marks else None
                after = case.line(line.program, line.line + 1) if line else None
                if after:
                    yield inserted(case, after, name, f"Channel {strand.channel}, before line {after.line}: {name}")


def grip_lines(case: Case) -> list[Line]:
    """The lines near the finding, in any channel, that open or close a grip; those that come before it first, the nearest first."""
    codes = {name for name, code in case.job.machine.codes.items() if code.does in ("open", "close")}
    found: list[tuple[float, Line]] = []
    for strand in case.result.strands:
        for act in strand.interpreted.acts:
            time = (
                float(strand.reel.begin_time[min(act.motion, len(strand.reel.begin_time) - 1)])
                if len(strand.reel.begin_time)
                else 0.0
            )
            line = case.line(act.program, act.line)
            if line and any(lines.code(line.text, code) for code in codes):
                found.append((abs(time - case.finding.time), line))
    return [line for _, line in sorted(found, key=lambda pair: pair[0])]


def reordered(case: Case, most: int = 2) -> Iterator[Proposal]:
    """The nearest codes of grips sooner, or later, in their programs."""
    for line in grip_lines(case)[:most]:
        yield from sooner(case, line, 2)
        yield from later(case, line, 2)
        yield from taken_out(case, line)
