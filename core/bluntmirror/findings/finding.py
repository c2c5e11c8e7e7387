"""A finding, and the docket that collects them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from typing import Literal

from .catalogue import CATALOGUE, Severity

Verdict = Literal["stop", "caution", "clear"]


@dataclass(frozen=True)
class Finding:
    """One thing wrong.

    `amount` is in mm or degrees, `time` in s, `point` in mm in the frame of the machine; `count` says how many
    motions it spans, `motion` is the first of them (-1 when it belongs to no motion).
    """

    kind: str
    message: str
    severity: Severity = "stop"
    channel: int = 1
    program: str = ""
    line: int = 0
    time: float = 0.0
    tool: int = 0
    bodies: tuple[str, ...] = ()
    axis: str = ""
    amount: float = 0.0
    point: tuple[float, float, float] | None = None
    count: int = 1
    remedy: str = ""
    motion: int = -1
    last_motion: int = -1

    @property
    def cause(self) -> str:
        """What stays the same when the program is run again: the key by which triage is carried over."""
        return "|".join([self.kind, str(self.channel), self.program, str(self.tool), self.axis, *sorted(self.bodies)])


def finding(kind: str, message: str, severity: Severity | None = None, **fields: object) -> Finding:
    """A finding of a kind in the catalogue, with the catalogue's severity and remedy unless told otherwise.

    Raises KeyError for a kind that the catalogue does not have.
    """
    entry = CATALOGUE[kind]
    fields["remedy"] = fields.get("remedy") or entry.remedy
    return Finding(kind, message, severity or entry.severity, **fields)  # type: ignore[arg-type]


@dataclass
class Docket:
    """Collects findings; the same message at the same line is taken once and counted."""

    findings: list[Finding] = field(default_factory=list)
    _places: dict[tuple[str, str, int, str], int] = field(default_factory=dict)

    def add(self, kind: str, message: str, severity: Severity | None = None, **fields: object) -> None:
        self.take(finding(kind, message, severity, **fields))

    def take(self, new: Finding) -> None:
        place = (new.kind, new.program, new.line, new.message)
        known = self._places.get(place)
        if known is None:
            self._places[place] = len(self.findings)
            self.findings.append(new)
        else:
            old = self.findings[known]
            self.findings[known] = replace(old, count=old.count + new.count, amount=max(old.amount, new.amount))

    def extend(self, findings: Iterable[Finding]) -> None:
        for item in findings:
            self.take(item)

    def __iter__(self) -> Iterator[Finding]:
        return iter(self.findings)

    def __len__(self) -> int:
        return len(self.findings)

    def in_order(self) -> list[Finding]:
        """By the moment they happen; those of the whole program (no motion) by line."""
        return sorted(self.findings, key=lambda f: (f.channel, f.time, f.line, f.kind))


def verdict_of(findings: Iterable[Finding]) -> Verdict:
    severities = {f.severity for f in findings}
    return "stop" if "stop" in severities else "caution" if "caution" in severities else "clear"
