"""An arm's path is written in poses and joints: a pose left out, the way out as the way in, a pose further back along the tool."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ...geometry.frames import Floats
from ...program.motions import RAPID, TOOL_CHANGE
from .. import lines
from ..case import FAR_BACK, Case, Line
from ..change import Change
from ..proposal import Proposal, inserted, one_line, told

PLACE, DIRECTION = ("X", "Y", "Z"), ("I", "J", "K")
STRAIGHT = 1e-3  # of a direction's share: so little is none


def _named(text: str) -> set[str]:
    """The axes that a line gives by their own names ("J1=", "R=")."""
    return {name.upper() for name in re.findall(r"([A-Za-z]\d*)\s*=", lines.bare(text))}


def _words(text: str) -> set[str]:
    return _named(text) | {letter for letter in (*PLACE, *DIRECTION) if lines.has(text, letter)}


def _only_moves(case: Case, text: str) -> bool:
    """Whether a line holds a rapid's code and where it goes to, and nothing else."""
    rest = re.sub(r"^\s*(?:N\s*\d+)?", "", lines.bare(text), flags=re.IGNORECASE)
    rapid = lines.code(rest, case.code("rapid"))
    rest = rest[: rapid.start()] + rest[rapid.end() :] if rapid else rest
    return not re.sub(r"[A-Za-z]\d*\s*=\s*[-+\d.]+|[XYZIJK]\s*[-+\d.]+", "", rest, flags=re.IGNORECASE).strip()


def left_out(case: Case) -> Iterator[Proposal]:
    """A rapid left out that only leads to another one: nothing is cut between, and the next says anew all that it said."""
    here, motions = case.line_of(case.row) if case.row >= 0 else None, case.motions
    if case.strand.settled is None or here is None or here.program != case.finding.program:
        return
    after = next((row for row in range(case.row + 1, len(motions)) if case.line_of(row) != here), -1)
    following = case.line_of(after) if after >= 0 else None
    if following is None or any(int(motions.kind[row]) != RAPID for row in range(case.row, after + 1)):
        return
    said, anew, rapid = _words(here.text), _words(following.text), case.code("rapid")
    joints = set(case.strand.setup.arm.joints) if case.strand.setup.arm else set()
    if joints <= anew:
        anew |= {*PLACE, *DIRECTION}
    elif anew.issuperset((*PLACE, *DIRECTION)):
        anew |= joints
    if said <= anew and _only_moves(case, here.text) and lines.code(following.text, rapid):
        made = one_line(
            case,
            here,
            None,
            f"Line {here.line} left out: it cuts nothing, and line {following.line} goes on from before it",
        )
        if made:
            yield made


def as_it_came(case: Case) -> Iterator[Proposal]:
    """Out of a narrow place along the way in, by a block of its own before the line."""
    here = case.line_of(case.row) if case.row >= 0 else None
    if case.strand.settled is None or here is None:
        return
    back = next((row for row in range(case.row - 1, -1, -1) if int(case.motions.kind[row]) != TOOL_CHANGE), -1)
    came = case.line_of(back) if back >= 0 else None
    if came is None or came.program != here.program or _named(came.text):
        return
    block = [case.code("rapid" if int(case.motions.kind[back]) == RAPID else "line")]
    for letter in PLACE:
        if lines.find(came.text, letter):
            stood = _in_force(case, letter, came)
            if stood is None:
                return
            block.append(f"{letter}{stood}")
    if len(block) > 1:
        text = " ".join(block)
        yield inserted(case, here, text, f"Before line {here.line}: {text}, as it came")


def _in_force(case: Case, letter: str, before: Line) -> str | None:
    """How the last of the lines before one writes a letter; None where it is worked out, or joints come between."""
    for number in range(before.line - 1, max(before.line - FAR_BACK, 0), -1):
        line = case.line(before.program, number)
        if line is None or _named(line.text):
            return None
        found = lines.find(line.text, letter)
        if found or lines.has(line.text, letter):
            return found.text if found else None
    return None


@dataclass(frozen=True)
class Along(Proposal):
    """A pose moved back along its tool: every word that leads there by its share of a millimetre."""

    line: Line | None = None
    direction: tuple[float, ...] = ()
    coarse: float = 1.0
    grows = True

    def change(self, amount: float) -> Change | None:
        assert self.line
        text, parts = self.line.text, []
        for letter, share in zip(PLACE, self.direction, strict=True):
            if abs(share) < STRAIGHT:
                continue
            was = lines.find(text, letter)
            made = lines.moved(text, letter, share * amount, self.case.increment, self.coarse * self.case.step)
            if was is None or made is None:
                return None
            parts.append(f"{letter} {told(was.value(self.case.increment), '')} → {told(made[1], '')}")
            text = made[0]
        return Change(
            f"Line {self.line.line}: back along the tool, {', '.join(parts)}",
            edits=(self.line.to(text),),
            amount=amount,
        )


def along(case: Case, amount: float, coarse: float = 1.0) -> Iterator[Proposal]:
    """The pose that the line goes to, further back along the direction that is in force there."""
    here = case.line_of(case.row) if case.row >= 0 else None
    if case.strand.settled is None or here is None or here.program != case.finding.program or _named(here.text):
        return
    direction = _direction(case, here.line)
    if direction is not None:
        yield Along(case, amount, here, tuple((direction / (25.4 if case.inch else 1.0)).tolist()), coarse)


def _direction(case: Case, upto: int) -> Floats | None:
    """The direction that the last line up to one gives, in the program's own frame; None where it is worked out, or given in part."""
    for number in range(upto, 0, -1):
        line = case.line(case.finding.program, number)
        if line is None or not any(lines.has(line.text, letter) for letter in DIRECTION):
            continue
        found = [lines.find(line.text, letter) for letter in DIRECTION]
        values = np.array([word.value() for word in found if word])
        size = float(np.linalg.norm(values))
        return values / size if len(values) == len(DIRECTION) and size > 0.0 else None
    return np.array([0.0, 0.0, 1.0])
