"""A proposal: one kind of change that could clear one finding, before it is tried."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from .case import Case, Line
from .change import Change, Rank


@dataclass(frozen=True)
class Proposal:
    """`amount`: how much of it is tried first, mm, degrees or s. `grows`: where some of the finding is left, more of it may help, and
    so much is added as is left. `searches`: how much is needed is not known beforehand, as of a clamp that is moved aside from under a
    tool."""

    case: Case
    amount: float = 0.0
    grows: ClassVar[bool] = False
    searches: ClassVar[bool] = False

    @property
    def rank(self) -> Rank:
        """What it touches; known before the change is worked out."""
        return Rank.LINE

    def change(self, amount: float) -> Change | None:
        """The change, for so much of it; None where it cannot be made."""
        raise NotImplementedError


@dataclass(frozen=True)
class Once(Proposal):
    """A change that has no amount."""

    made: Change | None = None

    @property
    def rank(self) -> Rank:
        return self.made.rank if self.made else Rank.LINE

    def change(self, amount: float) -> Change | None:
        return self.made


def one_line(case: Case, line: Line, new: str | None, title: str) -> Once | None:
    """One line written anew, or taken out."""
    if new == line.text:
        return None
    return Once(case, made=Change(title, Rank.LINE, (line.to(new),)))


def inserted(case: Case, line: Line, new: str, title: str) -> Once:
    """A block before a line."""
    return Once(case, made=Change(title, Rank.LINE, (line.before(new),)))


def told(value: float, unit: str = "mm") -> str:
    """A number as people write it."""
    text = f"{value:.3f}".rstrip("0").rstrip(".")
    return f"{text} {unit}".strip()
