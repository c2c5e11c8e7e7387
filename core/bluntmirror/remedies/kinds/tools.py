"""Registers, stick-outs, and other tools of the table."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from .. import lines
from ..case import Case
from ..change import Change, Rank, Value
from ..proposal import Once, Proposal, told

ROUND_MM = 0.5  # nobody sets a stick-out finer than this
SAME_MM = 1e-6


@dataclass(frozen=True)
class StickOut(Proposal):
    """The tool so much farther out of its holder; its length and the register that holds it go along. How deep a holder is beside a wall
    does not tell how far it would have to go up."""

    index: int = 0
    searches = True

    @property
    def rank(self) -> Rank:
        return Rank.TOOL

    def change(self, amount: float) -> Change | None:
        entry = self.case.job.tools.tools[self.index]
        reach = getattr(entry.cutter, "reach", None)
        if reach is None:
            return None
        by = -(-(amount - 1e-6) // ROUND_MM) * ROUND_MM
        values = [
            Value("tools", ("tools", self.index, "cutter", "reach"), reach, reach + by),
            Value("tools", ("tools", self.index, "length"), entry.length, entry.length + by),
        ]
        register = entry.registers.get("H")
        if register is not None:
            values.append(Value("tools", ("tools", self.index, "registers", "H"), register, register + by))
        title = f"T{entry.number}: stick-out {told(reach)} → {told(reach + by)}"
        return Change(title, Rank.TOOL, values=tuple(values), amount=by)


def stick_out(case: Case, amount: float) -> Iterator[Proposal]:
    found = case.tool_of_bodies
    if found and getattr(found[1].cutter, "reach", None) is not None:
        yield StickOut(case, amount, found[0])


def registers(case: Case) -> Iterator[Proposal]:
    """The true values in the registers of the tool."""
    found = case.tool
    if found is None:
        return
    index, entry = found
    radius = 0.5 * (getattr(entry.cutter, "diameter", None) or 0.0)
    for letter, true in (("H", entry.length), ("D", radius)):
        held = entry.registers.get(letter)  # type: ignore[call-overload]
        if held is not None and true and abs(held - true) > SAME_MM:
            value = Value("tools", ("tools", index, "registers", letter), held, true)
            yield Once(
                case,
                made=Change(
                    f"Register {letter}{entry.number}: {told(held)} → {told(true)}",
                    Rank.REGISTER,
                    values=(value,),
                    amount=abs(true - held),
                ),
            )


@dataclass(frozen=True)
class Register(Proposal):
    """A length register raised: all that the tool does goes up with it."""

    index: int = 0
    grows = True

    @property
    def rank(self) -> Rank:
        return Rank.REGISTER

    def change(self, amount: float) -> Change | None:
        entry = self.case.job.tools.tools[self.index]
        held = entry.registers.get("H", entry.length)
        by = -(-(amount - 1e-6) // 0.001) * 0.001
        value = Value("tools", ("tools", self.index, "registers", "H"), entry.registers.get("H"), held + by)
        return Change(
            f"Register H{entry.number}: {told(held)} → {told(held + by)}", Rank.REGISTER, values=(value,), amount=by
        )


def length_register(case: Case, amount: float) -> Iterator[Proposal]:
    found = case.tool
    if found and not case.turning:
        yield Register(case, amount, found[0])


def other_tools(case: Case, most: int = 2) -> Iterator[Proposal]:
    """Another tool of the table that cuts the same and reaches farther, or is slimmer above: called in its place in this operation."""
    found = case.tool
    if found is None or case.row < 0:
        return
    _, entry = found
    own = entry.cutter
    offered = 0
    for other in case.job.tools.tools:
        cutter = other.cutter
        if other.number == entry.number or type(cutter) is not type(own) or offered >= most:
            continue
        alike = all(
            getattr(cutter, name, None) == getattr(own, name, None)
            for name in ("diameter", "corner_radius", "point_angle", "angle", "pitch", "tip_diameter", "hand")
        )
        longer = (getattr(cutter, "reach", 0) or 0) > (getattr(own, "reach", 0) or 0)
        deeper = (getattr(cutter, "flute_length", 0) or 0) > (getattr(own, "flute_length", 0) or 0)
        if not alike or not (longer or deeper) or (other.turret or None) != (entry.turret or None):
            continue
        change = _called(case, entry.number, other.number)
        if change:
            offered += 1
            yield Once(case, made=change)


def _called(case: Case, own: int, other: int) -> Change | None:
    """T, H and D of the operation's lines with another tool's number."""
    first, last = case.operation_rows
    program = case.motions.file_name(first)
    begin, end = int(case.motions.line[first]), int(case.motions.line[last])
    edits = []
    for number in range(max(begin - 1, 1), end + 1):
        line = case.line(program, number)
        if line is None:
            continue
        new = line.text
        for letter in "THD":
            found = lines.find(new, letter)
            if found and re.fullmatch(rf"0*{own}\.?", found.text):
                new = new[: found.begin] + str(other) + new[found.end :]
        if new != line.text:
            edits.append(line.to(new))
    return Change(f"T{other} instead of T{own}", Rank.TOOL, tuple(edits)) if edits else None
