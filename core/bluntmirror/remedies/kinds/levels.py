"""Words of the program that stand too low, too far in, or too far out: the very word that put the axis there is moved.

word     one word in one line
stretch  the same word in every line of the stretch: a contour at the wrong depth
circle   a milled circle: the way in to it and its centre
argument a word of the call, where the subprogram works the place out
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from .. import lines
from ..case import Case, Lean, Line
from ..change import Change
from ..proposal import Once, Proposal, one_line, told

MOST_LINES = 2000  # of a stretch: beyond that it is another program


@dataclass(frozen=True)
class Word(Proposal):
    """A word moved in the line that is in force."""

    line: Line | None = None
    name: str = ""
    per_mm: float = 1.0
    verb: str = ""
    coarse: float = 1.0  # of the finest step that is written: places that only have to be clear are written rounder
    grows = True

    def change(self, amount: float) -> Change | None:
        assert self.line
        made = lines.moved(
            self.line.text, self.name, self.per_mm * amount, self.case.increment, self.case.step * self.coarse
        )
        if made is None:
            return None
        new, value = made
        was = lines.find(self.line.text, self.name)
        assert was
        shown = f"{self.name.rstrip('=')} {told(was.value(self.case.increment), '')} → {told(value, '')}"
        title = f"{self.verb or 'Line'} {self.line.line}: {shown}"
        return Change(title, edits=(self.line.to(new),), amount=abs(self.per_mm * amount))


@dataclass(frozen=True)
class Stretch(Proposal):
    """The same word moved in every line of the finding's motions."""

    lines_: tuple[Line, ...] = ()
    name: str = ""
    per_mm: float = 1.0
    grows = True

    def change(self, amount: float) -> Change | None:
        edits = []
        for line in self.lines_:
            made = lines.moved(line.text, self.name, self.per_mm * amount, self.case.increment, self.case.step)
            if made:
                edits.append(line.to(made[0]))
        if not edits:
            return None
        by = self.per_mm * amount
        title = (
            f"Lines {edits[0].line} to {edits[-1].line}: {self.name} {'+' if by > 0 else '−'}{told(abs(by))} in each"
        )
        return Change(title, edits=tuple(edits), amount=abs(by))


@dataclass(frozen=True)
class Circle(Proposal):
    """A circle milled with a smaller radius: the line that goes out to it, and the centre in the circle's own line."""

    way_in: Line | None = None
    circle: Line | None = None
    axis: str = ""
    centre: str = ""
    grows = True

    def change(self, amount: float) -> Change | None:
        assert self.way_in and self.circle
        start, arm = lines.find(self.way_in.text, self.axis), lines.find(self.circle.text, self.centre)
        if not start or not arm:
            return None
        towards = 1.0 if arm.value(self.case.increment) > 0 else -1.0
        by = towards * amount * self.case.scale(self.axis)
        one = lines.moved(self.way_in.text, self.axis, by, self.case.increment, self.case.step)
        two = lines.moved(self.circle.text, self.centre, -by, self.case.increment, self.case.step)
        if one is None or two is None or abs(by) >= abs(arm.value(self.case.increment)):
            return None
        title = f"Circle of line {self.circle.line}: radius {told(abs(arm.value()))} → {told(abs(two[1]))}"
        return Change(title, edits=(self.way_in.to(one[0]), self.circle.to(two[0])), amount=amount)


def clamped(case: Case, axis: str) -> Iterator[Proposal]:
    """Every word of the stretch that goes past a limit of travel brought back to the limit, each by its own excess."""
    own = case.strand.axis(axis)
    joint = case.result.chain.joints.get(own)
    if joint is None or joint.travel is None or axis not in case.strand.setup.axes:
        return
    column = case.strand.setup.axes.index(axis)
    low, high = joint.travel
    edits, seen = [], set[tuple[str, int]]()
    for row in range(case.row, case.last_row + 1):
        value = float(case.motions.end[row, column])
        beyond = value - high if value > high else value - low if value < low else 0.0
        line = case.line_of(row)
        if not beyond or line is None or (line.program, line.line) in seen:
            continue
        seen.add((line.program, line.line))
        for name in case.names(axis):
            made = lines.moved(line.text, name, -beyond * case.scale(axis), case.increment, case.step)
            if made:
                edits.append(line.to(made[0]))
                break
    if len(edits) > 1:
        title = f"Lines {edits[0].line} to {edits[-1].line}: {axis} held at its limit"
        yield Once(case, made=Change(title, edits=tuple(edits), amount=case.finding.amount))


def words(case: Case, leans: list[Lean], amount: float, most: int = 4, coarse: float = 1.0) -> Iterator[Proposal]:
    """The words in force of the axes that lead away, each moved by the amount."""
    found = 0
    for lean in leans:
        at = case.in_force(lean.name)
        if at is None or found >= most:
            continue
        found += 1
        yield Word(case, amount, at[0], at[1], lean.per_mm, coarse=coarse)


def stretches(case: Case, leans: list[Lean], amount: float, most: int = 1) -> Iterator[Proposal]:
    for lean in leans[:most]:
        names = case.names(lean.name)
        span = [line for line in case.lines_of_span() if any(lines.find(line.text, name) for name in names)]
        if 2 <= len(span) <= MOST_LINES:
            yield Stretch(case, amount, tuple(span), names[0], lean.per_mm)


def circles(case: Case, amount: float) -> Iterator[Proposal]:
    here = case.here
    if here is None or case.row < 0:
        return
    for row in range(case.row, min(case.row + 6, len(case.motions))):
        circle = case.line_of(row)
        if circle is None or not (lines.find(circle.text, "I") or lines.find(circle.text, "J")):
            continue
        way_in = case.line_of(row - 1) if row else None
        for axis, centre in (("X", "I"), ("Y", "J")):
            if way_in and lines.find(way_in.text, axis) and lines.find(circle.text, centre):
                yield Circle(case, amount, way_in, circle, axis, centre)
        return


def terms(case: Case, line: Line) -> Iterator[Once]:
    """A sum in a word of a line, with one of its terms left out."""

    for found in re.finditer(r"([A-Z])\[([^\[\]]+)\]", lines.bare(line.text), re.IGNORECASE):
        parts = re.findall(r"[+-]?[^+-]+", found[2])
        for i in range(len(parts) - 1, 0, -1):
            rest = "".join(parts[:i] + parts[i + 1 :])
            new = f"{found[1]}{rest}" if re.fullmatch(r"[+-]?[\d.]+", rest) else f"{found[1]}[{rest}]"
            made = one_line(case, line, line.text[: found.start()] + new + line.text[found.end() :],
                            f"Line {line.line}: {found[0]} → {new}")  # fmt: skip
            if made:
                yield made


def arguments(case: Case, leans: list[Lean], amount: float) -> Iterator[Proposal]:
    """The call's own words, where the place is worked out of them; a term of one left out where it is a sum."""
    for call in case.calls()[:2]:
        for lean in leans[:1]:
            if lines.find(call.text, lean.name):
                yield Word(case, amount, call, lean.name, lean.per_mm)
        yield from terms(case, call)


def other_calls(case: Case, most: int = 3) -> Iterator[Once]:
    """Another subprogram of the job in the call that the finding is in: one mixed up for its neighbour."""
    known = {int(digits) for name in case.job.programs for digits in [_number(case, name)] if digits}
    for call in case.calls()[:1]:
        called = lines.find(call.text, "P")
        if called is None:
            continue
        own = int(float(called.text))
        others = sorted((n for n in known if n != own), key=lambda n: abs(n - own))
        main = int(_number(case, case.main) or 0)
        for other in [n for n in others if n != main][:most]:
            new = lines.count(call.text, "P", other)
            made = one_line(case, call, new, f"Line {call.line}: call O{other} instead of O{own}") if new else None
            if made:
                yield made


def _number(case: Case, program: str) -> str | None:

    for text in case.texts(program)[:5]:
        found = re.match(r"\s*[O:](\d+)", text, re.IGNORECASE)
        if found:
            return found[1]
    found = re.search(r"(\d+)", program)
    return found[1] if found else None
