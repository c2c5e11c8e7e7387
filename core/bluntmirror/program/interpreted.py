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


@dataclass(frozen=True)
class Act:
    """What a program does beside moving, before its motion `motion`: a spindle's speed (`name`, rev/min, clockwise positive),
    `sync` (`name` follows `other`) and `unsync`, a grip that is to `close`, `open` or `push` (at most `value` mm)."""

    kind: str
    motion: int
    name: str
    line: int
    program: str
    value: float = 0.0
    other: str = ""


@dataclass(frozen=True)
class Target:
    """A pose that motion `motion` of an arm ends at. Lengths in mm: `tip` a place of the machine's frame with every joint at zero (NaN:
    where it is), and `by` so far on from there; `direction` from tip to gauge point, of length 1 (NaN: as it is); `length` of the tool as
    the control has it; `a_move`: how many such moves a minute the feed asks for, 0 where it is a speed."""

    motion: int
    tip: tuple[float, float, float]
    by: tuple[float, float, float]
    direction: tuple[float, float, float]
    length: float
    a_move: float = 0.0
    shift: tuple[float, float, float] = (0.0, 0.0, 0.0)  # from the program's own place to `tip`


@dataclass
class Interpreted:
    motions: Motions
    blocks: int
    looped: bool = False  # M99 in the main program
    stops: list[tuple[int, str]] = field(default_factory=list)  # (motion index, M0 / M1)
    operations: list[tuple[int, int, int, str]] = field(default_factory=list)  # (motion, line, tool, comment)
    passes: list[int] = field(default_factory=list)  # the motions before which the program begins anew
    waits: list[Wait] = field(default_factory=list)
    acts: list[Act] = field(default_factory=list)  # of spindles and grips of a machine that lists them
    spent: dict[int, str] = field(default_factory=dict)  # motion → what it stands for: "spindle", "coolant"
    left_out: list[tuple[int, str, int]] = field(default_factory=list)  # (motion, program, line) where a stretch begins
    shifted: set[int] = field(default_factory=set)  # which of the shifts asked for came into effect
    ended: tuple[str, int] | None = None  # program and line of the end
    targets: list[Target] = field(default_factory=list)  # of an arm: its motions' poses

    def end_at(self, motion: int) -> None:
        """What comes after a motion never happens."""
        self.motions = self.motions.first(motion + 1)
        self.stops = [stop for stop in self.stops if stop[0] <= motion]
        self.operations = [operation for operation in self.operations if operation[0] <= motion]
        self.waits = [wait for wait in self.waits if wait.motion <= motion]
        self.passes = [begin for begin in self.passes if begin <= motion]
        self.acts = [act for act in self.acts if act.motion <= motion]
        self.targets = [target for target in self.targets if target.motion <= motion]
