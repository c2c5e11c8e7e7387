"""Operations found in a program: from tool to tool, and within them what the comments name.

operation   the motions from one tool change to the next; it begins at the block that calls the tool
section     within an operation, from a comment on a line of its own to the next, where motions stand between
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from .interpreted import Interpreted
from .motions import ARC, FEED, RAPID, THREAD
from .reader import Block
from .text import ProgramText


@dataclass(frozen=True)
class Operation:
    """Lines of a channel's main `program`, both counted; `feeds` mm/min, `depths` program Z, least and greatest of the cutting moves."""

    number: int
    name: str
    tool: int
    first: int
    last: int
    motions: tuple[int, int]  # first, last + 1
    seconds: float
    feeds: tuple[float, float] | None
    depths: tuple[float, float] | None
    cycles: list[str]
    left_out: bool = False
    program: str = ""


def find_operations(
    result: Interpreted,
    text: ProgramText,
    begin_time: np.ndarray,
    end_time: np.ndarray,
    left_out: list[tuple[int, int]] | None = None,
) -> list[Operation]:
    """`text`: the main program; times of the motions; `left_out`: stretches of its lines that were not carried out."""
    motions = result.motions
    main = 0
    starts = [(m, line, tool, name) for m, line, tool, name in result.operations]
    if not starts or starts[0][0] > 0:
        starts.insert(0, (0, 1, 0, ""))
    last_line = result.ended[1] if result.ended and result.ended[0] == text.name else len(text)
    found: list[Operation] = []
    for i, (motion, line, tool, name) in enumerate(starts):
        end = starts[i + 1][0] if i + 1 < len(starts) else len(motions)
        until = starts[i + 1][1] - 1 if i + 1 < len(starts) else last_line
        for first, last, m0, m1, said in _sections(motions, text, motion, end, line, until, main):
            rows = slice(m0, m1)
            cutting = np.isin(motions.kind[rows], (FEED, ARC, THREAD))
            z = motions.axes.index("Z") if "Z" in motions.axes else -1
            feeds = motions.feed[rows][cutting]
            depths = motions.end[rows, z][cutting] - _offsets(motions, rows, z)[cutting] if z >= 0 else np.zeros(0)
            codes = _cycles(motions, rows)
            seconds = float(end_time[m1 - 1] - begin_time[m0]) if m1 > m0 else 0.0
            if m1 <= m0 and not said and not tool:
                continue
            found.append(
                Operation(
                    len(found) + 1, said or name or _named_above(text, line) or (f"T{tool}" if tool else "before the first tool"),
                    tool, first, last, (m0, m1), seconds, _range(feeds), _range(depths), codes,
                )
            )  # fmt: skip
    for first, last in left_out or []:
        name = _named_above(text, first) or f"lines {first} to {last}"
        found.append(Operation(0, name, 0, first, last, (0, 0), 0.0, None, None, [], True))
    found.sort(key=lambda item: item.first)
    return [replace(item, number=i + 1, program=text.name) for i, item in enumerate(found)]


def _sections(motions, text, motion, end, line, until, main):  # type: ignore[no-untyped-def]
    """First and last line, first and last + 1 motion, and name of an operation's sections."""
    cuts = [(line, "")]
    for index in text.lines_begun_by_comments(min(line, len(text)), min(until, len(text))):
        block = text.block(index)
        if isinstance(block, Block) and block.comments and not block.words and not block.flow and not block.assignments:
            cuts.append((index + 1, " ".join(block.comments)))
    in_main = motions.file[motion:end] == main
    lines = motions.line[motion:end]
    result: list[tuple[int, int, int, int, str]] = []
    for i, (first, name) in enumerate(cuts):
        last = cuts[i + 1][0] - 1 if i + 1 < len(cuts) else until
        mine = np.flatnonzero(in_main & (lines >= first) & (lines <= last))
        moves = len(mine) and bool(np.isin(motions.kind[motion + mine], (RAPID, FEED, ARC, THREAD)).any())
        if i and not moves:  # a comment that names no motions belongs to what is before it
            if result:
                result[-1] = (result[-1][0], last, *result[-1][2:])
            continue
        begin = motion + int(mine[0]) if len(mine) else motion
        if result:
            result[-1] = (*result[-1][:3], begin, result[-1][4])
        result.append((first, last, begin, end, name))
    return result


def _named_above(text: ProgramText, line: int) -> str:
    """A comment in the line, or alone in the lines just above it."""
    for index in range(line - 1, max(-1, line - 4), -1):
        block = text.block(index) if 0 <= index < len(text) else None
        if isinstance(block, Block):
            if block.comments:
                return " ".join(block.comments)
            if block.words and index != line - 1:
                return ""
    return ""


def _offsets(motions, rows, axis):  # type: ignore[no-untyped-def]
    table = np.array([snapshot.offset[axis] for snapshot in motions.snapshots] or [0.0])
    return table[motions.snapshot[rows]]


def _range(values: np.ndarray) -> tuple[float, float] | None:
    return (round(float(values.min()), 4), round(float(values.max()), 4)) if len(values) else None


def _cycles(motions, rows) -> list[str]:  # type: ignore[no-untyped-def]
    found = []
    for number in np.unique(motions.snapshot[rows]):
        code = motions.snapshots[number].codes[0]
        if code[0] == "G" and 73 <= float(code[1:]) <= 89 and code != "G80" and code not in found:
            found.append(code)
    return found
