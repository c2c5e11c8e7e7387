"""What a reading gives: the motions, and beside them where it stopped, waited and ended."""

from __future__ import annotations

from dataclasses import dataclass, field

from .motions import Motions


@dataclass
class Wait:
    """A wait mark: its number, and the channels that it names (none: every other channel that has the mark)."""

    mark: int
    channels: tuple[int, ...]
    motion: int
    line: int
    program: str


@dataclass
class Interpreted:
    motions: Motions
    blocks: int
    looped: bool = False  # M99 in the main program
    stops: list[tuple[int, str]] = field(default_factory=list)  # (motion index, M0 / M1)
    operations: list[tuple[int, int, int, str]] = field(default_factory=list)  # (motion, line, tool, comment)
    waits: list[Wait] = field(default_factory=list)
    left_out: list[tuple[int, str, int]] = field(default_factory=list)  # (motion, program, line) where a stretch begins
    shifted: set[int] = field(default_factory=set)  # which of the shifts asked for came into effect
    not_carried_out: bool = False
    ended: tuple[str, int] | None = None  # program and line of the end
