"""Which finding of one rehearsal is which of another: by what it is and where it lies, not by a number or a line's number.

cause      what stays when the program is run again: kind, channel, tool, axis, bodies, and the block's own words
place      where in space it lies; two causes that read alike are told apart by it
accepted   a judgement of a person about a finding: it holds for a later one of the same cause at the same place, no worse than
           it was. Where only one of the two is the same it is in doubt, and counts as not given
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from .finding import Finding

SAME_PLACE_MM = 5.0
WORSE_SHARE, WORSE_MM = 1.1, 0.01  # beyond this it is worse than it was when it was accepted
LONGEST = 120
BLOCK = "|@"  # stands between what a finding is and the block it begins in

_COMMENT = re.compile(r"\([^)]*\)|;.*")
_NUMBER = re.compile(r"^/?\d?\s*N\s*\d+", re.IGNORECASE)


def block_words(line: str) -> str:
    """A block without its comments, its number and its blanks."""
    return re.sub(r"\s+", "", _NUMBER.sub("", _COMMENT.sub("", line).strip())).upper()


def cause_of(item: Finding, line: str) -> str:
    """The cause of a finding whose first block is written as `line`: what it is, then the block; a long part is a digest."""
    said = item.rule if item.kind.startswith("program.") else ""
    if item.kind == "material.measure":
        said = item.message.partition(": ")[0]  # the measure's name
    what = "|".join([item.kind, said, str(item.channel), str(item.tool), item.axis, *sorted(item.bodies)])
    return f"{_short(what)}{BLOCK}{_short(block_words(line))}"


def _short(text: str) -> str:
    if len(text) <= LONGEST:
        return text
    return text[: LONGEST - 16] + hashlib.blake2b(text.encode("utf-8", "replace"), digest_size=8).hexdigest()


Point = Sequence[float] | None


@dataclass(frozen=True)
class Judged:
    """A judgement: `accepted` or `model` (a fault of the model) excuse a finding, `real` does not."""

    cause: str
    point: Point
    amount: float
    judgement: str
    reason: str = ""
    by: str = ""

    def no_worse(self, amount: float) -> bool:
        return amount <= WORSE_SHARE * self.amount + WORSE_MM


def near(a: Point, b: Point) -> bool:
    """Whether two places are one; without a place on either side only what has none is the same."""
    if a is None or b is None:
        return a is None and b is None
    return sum((x - y) ** 2 for x, y in zip(a, b, strict=True)) <= SAME_PLACE_MM**2


def judged(cause: str, point: Point, known: Iterable[Judged]) -> tuple[Judged | None, bool]:
    """The judgement that a finding inherits, and whether that is in doubt: it is sure for the same matter at the same block and
    place; where only one of the two is the same it may be another matter of the same kind."""
    what = cause.partition(BLOCK)[0]
    alike = [item for item in known if item.cause.partition(BLOCK)[0] == what]
    ranked = sorted(alike, key=lambda item: -(2 * (item.cause == cause) + near(item.point, point)))
    if not ranked:
        return None, False
    same_block, same_place = ranked[0].cause == cause, near(ranked[0].point, point)
    if same_block and same_place:
        return ranked[0], False
    return (ranked[0], True) if same_block or same_place else (None, False)
