"""What the control holds: work offsets, registers and common variables, out as a table or as a program that writes them, and back in.

table    CSV: channel, what (offset, length, radius, tip, variable), name, word, value; mm and degrees, diameters as typed
program  G10 blocks and assignments in the dialect of the channel: run on the floor, the control holds the same
"""

from __future__ import annotations

import copy
import csv
import io
import re
from collections.abc import Iterable
from dataclasses import astuple, dataclass
from typing import Any, Literal

from ..rehearsal.result import Strand, Timed
from .trace import safe_cell

What = Literal["offset", "length", "radius", "tip", "variable"]
HEADS = ("channel", "what", "name", "word", "value")
DECIMALS = 4
_NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)"


class NotControlData(ValueError):
    """Neither a table nor G10 blocks; the message says which line."""


@dataclass(frozen=True)
class Held:
    """One value: `name` G54, H3, D3, T3, #500; `word` the axis of an offset or tip."""

    channel: int
    what: What
    name: str
    word: str
    value: float


def control_data(result: Timed) -> list[Held]:
    """All that the control of every channel holds at the start."""
    return [row for strand in result.strands for row in _of_strand(strand)]


def _of_strand(strand: Strand) -> list[Held]:
    setup, channel = strand.setup, strand.channel

    def typed(axis: str, value: float) -> float:
        """The slide's own way as it is typed."""
        return value * (2.0 if axis in setup.diameters else 1.0)

    rows = [
        Held(channel, "offset", name, axis, typed(axis, value))
        for name, values in sorted(setup.work_offsets.items()) for axis, value in sorted(values.items())
    ]  # fmt: skip
    rows += [Held(channel, "length", f"H{n}", "", value) for n, value in sorted(setup.length_registers.items())]
    rows += [Held(channel, "radius", f"D{n}", "", value) for n, value in sorted(setup.radius_registers.items())]
    rows += [
        Held(channel, "tip", f"T{n}", axis, typed(axis, value))
        for n, values in sorted(setup.geometry.items()) for axis, value in sorted(values.items())
    ]  # fmt: skip
    return rows + [Held(channel, "variable", f"#{name}", "", value) for name, value in sorted(setup.variables.items())]


def as_csv(rows: Iterable[Held]) -> str:
    lines = [",".join(HEADS)]
    for row in rows:
        *words, value = astuple(row)
        lines.append(",".join([*(safe_cell(str(word)) for word in words), f"{value:.{DECIMALS}f}"]))
    return "\n".join([*lines, ""])


def as_program(result: Timed, channel: int) -> str:
    """A program that writes one channel's offsets, registers and variables; what its dialect has no block for is a comment."""
    strand = next(s for s in result.strands if s.channel == channel)
    dialect = strand.setup.dialect
    data, absolute = dialect.code_of("data"), dialect.code_of("absolute")
    lines = [
        "%",
        f"({_plain(strand.job.name)}: OFFSETS, REGISTERS, VARIABLES, CHANNEL {channel})",
        dialect.code_of("mm"),
    ]
    if not dialect.increment_letters:
        lines.append(absolute)
    by_name: dict[tuple[What, str], list[Held]] = {}
    for row in _of_strand(strand):
        by_name.setdefault((row.what, row.name), []).append(row)
    for (what, name), rows in by_name.items():
        words = " ".join(f"{row.word}{_written(row.value)}" for row in rows)
        value = _written(rows[0].value)
        if what == "offset":
            further = re.fullmatch(r"G54\.1P(\d+)", name)
            place = (
                f"L20 P{further[1]}"
                if further
                else f"L2 P{int(name[1:]) - 53}"
                if re.fullmatch(r"G5[4-9]", name)
                else None
            )
            lines.append(f"{data} {place} {words}" if place else f"({name}: {words})")
        elif what in ("length", "radius"):
            kind = "L10" if what == "length" else "L12"
            lines.append(
                f"({name}: {value})" if dialect.turning or dialect.o_words else f"{data} {kind} P{name[1:]} R{value}"
            )
        elif what == "tip":
            plain = " ".join(f"{row.word}{_written(row.value)}" for row in rows if row.word in "XZ")
            lines.append(f"{data} P{name[1:]} {plain}" if dialect.turning and plain else f"({name}: {words})")
        else:
            lines.append(f"{name}={value}")
    return "\n".join([*lines, dialect.code_of("end-rewind"), "%", ""])


def _written(value: float) -> str:
    text = f"{value:.{DECIMALS}f}".rstrip("0")
    return "0." if text in ("-0.", "0.") else text


def _plain(text: str) -> str:
    return re.sub(r"[^A-Z0-9 .,-]", " ", text.upper())


def read(data: bytes, channel: int = 1) -> list[Held]:
    """A table as `as_csv` writes it, or the G10 blocks and assignments of a program. Raises NotControlData."""
    text = data.decode("utf-8-sig", "replace")
    if text.lstrip().lower().startswith(HEADS[0]):
        return _of_table(text)
    rows = [row for number, line in enumerate(text.splitlines(), 1) for row in _of_block(line, number, channel)]
    if not rows:
        raise NotControlData("there is neither a table of offsets and registers in it nor a G10 block")
    return rows


def _of_table(text: str) -> list[Held]:
    rows = []
    for number, line in enumerate(csv.DictReader(io.StringIO(text)), 2):
        try:
            what, name = str(line["what"]), str(line["name"]).lstrip("'")
            if what not in ("offset", "length", "radius", "tip", "variable"):
                raise ValueError(f"'{what}' is none of offset, length, radius, tip, variable")
            value = float(line["value"])
            if not abs(value) < 1e9:
                raise ValueError("the value is no number that can be used here")
            rows.append(Held(int(line["channel"]), what, name, str(line["word"]).lstrip("'"), value))  # type: ignore[arg-type]
        except (KeyError, TypeError, ValueError) as error:
            raise NotControlData(f"line {number}: {error}") from error
    return rows


def _of_block(line: str, number: int, channel: int) -> Iterable[Held]:
    bare = re.sub(r"\([^)]*\)|;.*", "", line).upper()
    assigned = re.fullmatch(rf"\s*#(\d+)\s*=\s*({_NUMBER})\s*", bare)
    if assigned:
        yield Held(channel, "variable", f"#{assigned[1]}", "", float(assigned[2]))
        return
    if not re.search(r"(?<![A-Z])G10(?![\d.])", bare):
        return
    words = {letter: float(value) for letter, value in re.findall(rf"([A-Z])\s*({_NUMBER})", bare)}
    kind, place = words.get("L"), words.get("P")
    if place is None:
        raise NotControlData(f"line {number}: G10 without P")
    axes = [(letter, value) for letter, value in words.items() if letter in "XYZABCUVW"]
    if kind in (2.0, 20.0):
        name = f"G{53 + int(place)}" if kind == 2.0 else f"G54.1P{int(place)}"
        if kind == 2.0 and not 1 <= place <= 6:
            raise NotControlData(f"line {number}: G10 L2 P{place:g}: P1 to P6 are work offsets that a job holds")
        yield from (Held(channel, "offset", name, axis, value) for axis, value in axes)
    elif kind in (10.0, 12.0) and "R" in words:
        yield Held(
            channel,
            "length" if kind == 10.0 else "radius",
            f"{'H' if kind == 10.0 else 'D'}{int(place)}",
            "",
            words["R"],
        )
    elif kind is None:
        yield from (Held(channel, "tip", f"T{int(place)}", axis, value) for axis, value in axes)
    else:
        raise NotControlData(f"line {number}: G10 L{kind:g} is not taken in: L2, L20, L10, L12, and tips without L are")


def put_in(
    job: dict[str, Any], tools: dict[str, Any], rows: Iterable[Held]
) -> tuple[dict[str, Any], dict[str, Any], list[str]]:
    """job.json and tools.json (mm) with values put in, and what found no place in them. An offset that was worked out from a
    datum becomes the values typed."""
    job, tools = copy.deepcopy(job), copy.deepcopy(tools)
    left = []
    own = {entry["channel"]: entry for entry in job["programs"] if entry.get("work_offsets") is not None}
    typed: dict[int, dict[str, Any]] = {}
    for row in rows:
        if row.what == "offset":
            table = own[row.channel]["work_offsets"] if row.channel in own else job.setdefault("work_offsets", {})
            seen = typed.setdefault(id(table), {})
            before = table.get(row.name, {})
            seen.setdefault(row.name, {} if "datum" in before else dict(before))[row.word] = row.value
            table[row.name] = seen[row.name]
        elif row.what == "variable":
            job.setdefault("variables", {})[row.name.lstrip("#")] = row.value
        else:
            number, letter = int(row.name[1:]), {"length": "H", "radius": "D"}.get(row.what, row.word)
            entry = next((tool for tool in tools["tools"] if tool["number"] == number), None)
            if entry is None:
                left.append(f"{row.name}: the table has no T{number}")
            else:
                entry.setdefault("registers", {})[letter] = row.value
    return job, tools, left
