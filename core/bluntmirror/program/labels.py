"""Where things stand in the texts of a job: programs, block numbers, the ends of loops, the ways of o-words.

Nothing here is carried out, and nothing is reported: what is wrong with the pairing of a file's lines is given back with it.

    N20  …            label       O2000 …           start of a program
    WHILE [ ] DO1     loop        o<turn> sub        sub
    END1                          o<turn> while …    way: begin, next branch, end
"""

from __future__ import annotations

import itertools
import re
from dataclasses import dataclass
from pathlib import PurePath

from .reader import Block
from .text import ProgramText

Faults = list[tuple[int, str]]  # line (from 1) and what is wrong with it


@dataclass
class Way:
    """Lines of one o-word construct: where it begins and ends, the next branch of an if; whether a while closes a do."""

    begin: int
    end: int = -1
    next: int = -1
    closes: bool = False


class Labels:
    """Looked up once for each file, when first asked. Lines count from 0."""

    def __init__(self, texts: list[ProgramText]) -> None:
        self._texts = texts
        self._blocks: dict[tuple[int, int], dict[int, list[int]]] = {}
        self._subs: dict[str, tuple[int, int]] | None = None
        self.starts: dict[int, tuple[int, int]] = {}  # program number → file and line
        for number, text in reversed(list(enumerate(texts))):
            digits = re.findall(r"\d+", PurePath(text.name).stem)
            if digits and number:
                self.starts[int(digits[-1])] = (number, 0)
        for number, text in reversed(list(enumerate(texts))):
            self.starts.update({o: (number, line) for o, line in text.program_starts().items()})

    def lines_of(self, file: int, around: int, number: int) -> list[int]:
        """The lines with a block number, within the program that holds the line `around`."""
        text = self._texts[file]
        stretch = text.program_around(around)
        key = (file, stretch.start)
        if key not in self._blocks:
            found: dict[int, list[int]] = {}
            for index in stretch:
                block = text.block(index)
                if isinstance(block, Block) and block.number is not None:
                    found.setdefault(block.number, []).append(index)
            self._blocks[key] = found
        return self._blocks[key].get(number, [])

    def jumped_to(self, number: int) -> bool:
        """Whether any block of the main program may jump to a block number: as a literal, or worked out."""
        text = self._texts[0]
        for index in range(len(text)):
            block = text.block(index)
            target = block.flow.target if isinstance(block, Block) and block.flow else None
            if target is not None and (not isinstance(target.node, float) or round(target.node) == number):
                return True
        return False

    def sub(self, label: str) -> tuple[int, int] | None:
        """File and line of an o-word sub."""
        if self._subs is None:
            self._subs = {}
            for number, text in reversed(list(enumerate(self._texts))):
                for index in range(len(text)):
                    block = text.block(index)
                    if isinstance(block, Block) and block.flow and block.flow.kind == "o-sub":
                        self._subs[block.flow.label] = (number, index)
        return self._subs.get(label)


def loops(text: ProgramText) -> tuple[dict[int, int], Faults]:
    """WHILE and DO lines ↔ END lines of a file, and those without a partner."""
    found: dict[int, int] = {}
    faults: Faults = []
    open_: list[tuple[int, int]] = []

    def unclosed() -> None:
        faults.extend((index + 1, f"DO{number} has no END{number}") for number, index in open_)
        open_.clear()

    for index in range(len(text)):
        block = text.block(index)
        if not isinstance(block, Block):
            continue
        if block.program is not None:
            unclosed()
        flow = block.flow
        if flow is None:
            continue
        if flow.kind in ("while", "do"):
            open_.append((flow.number, index))
        elif flow.kind == "end":
            if open_ and open_[-1][0] == flow.number:
                begin = open_.pop()[1]
                found[begin], found[index] = index, begin
            else:
                faults.append((index + 1, f"END{flow.number} closes no DO{flow.number}"))
    unclosed()
    return found, faults


def ways(text: ProgramText) -> tuple[dict[int, Way], Faults]:
    """The o-word lines of a file, each with the lines that it may go on at, and those that do not pair."""
    found: dict[int, Way] = {}
    faults: Faults = []
    open_: list[tuple[str, str, list[int]]] = []  # keyword, label, its lines so far
    for index in range(len(text)):
        block = text.block(index)
        if not isinstance(block, Block) or block.flow is None or not block.flow.kind.startswith("o-"):
            continue
        keyword, label = block.flow.kind[2:], block.flow.label
        top = open_[-1] if open_ else ("", "", [])
        if keyword == "while" and top[:2] == ("do", label):
            keyword = "enddo"
        if keyword in ("sub", "if", "while", "do", "repeat"):
            open_.append((keyword, label, [index]))
        elif keyword in ("elseif", "else"):
            if top[:2] != ("if", label):
                faults.append((index + 1, f"o<{label}> {keyword} without its if"))
                continue
            top[2].append(index)
        elif keyword.startswith("end"):
            if top[:2] != (keyword[3:], label):
                faults.append((index + 1, f"o<{label}> {block.flow.kind[2:]} closes nothing that is open"))
                continue
            lines = [*open_.pop()[2], index]
            for one, following in itertools.pairwise(lines):
                found[one] = Way(lines[0], index, following)
            found[index] = Way(lines[0], index, -1, closes=keyword == "enddo")
        elif keyword in ("break", "continue"):
            begin = next((item[2][0] for item in reversed(open_) if item[1] == label), -1)
            if begin < 0:
                faults.append((index + 1, f"o<{label}> {keyword} outside its loop"))
                continue
            found[index] = Way(begin)
    faults.extend((lines[0] + 1, f"o<{label}> {keyword} is not closed") for keyword, label, lines in open_)
    for index, way in found.items():
        if way.end < 0 and way.begin in found:
            found[index] = Way(way.begin, found[way.begin].end)
    return found, faults
