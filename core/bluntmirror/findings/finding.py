"""A finding, and the docket that collects them."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from typing import Literal

from .catalogue import CATALOGUE, Severity
from .rules import RULES, Policy, kind_of

Verdict = Literal["stop", "caution", "clear"]


@dataclass(frozen=True)
class Edit:
    """One line of a program changed: `old` None inserts `new` before the line, `new` None deletes it."""

    program: str
    line: int
    old: str | None
    new: str | None


@dataclass(frozen=True)
class Fix:
    """A change that would clear a finding and is safe to offer; `title` says it in a few words."""

    title: str
    edits: tuple[Edit, ...]


@dataclass(frozen=True)
class Where:
    """The place of a finding in the programs: `motion` is the first it spans, `last_motion` the last (−1: none)."""

    channel: int = 1
    program: str = ""
    line: int = 0
    time: float = 0.0
    tool: int = 0
    motion: int = -1
    last_motion: int = -1


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
    rule: str = ""
    fix: Fix | None = None
    also: tuple[tuple[str, float], ...] = ()  # kind and amount of what comes of the same cause and is told here

    @property
    def kinds(self) -> set[str]:
        """Its own kind, and those of what it tells besides."""
        return {self.kind, *(kind for kind, _ in self.also)}


def finding(name: str, message: str, severity: Severity | None = None, **fields: object) -> Finding:
    """A finding of a rule, or of a kind in the catalogue, with its severity and remedy unless told otherwise; `where` gives
    all of its place at once.

    Raises KeyError for a name that neither has.
    """
    entry = RULES.get(name) or CATALOGUE[name]
    where = fields.pop("where", None)
    if isinstance(where, Where):
        fields = {**vars(where), **fields}
    fields["remedy"] = fields.get("remedy") or entry.remedy
    return Finding(kind_of(name), message, severity or entry.severity, rule=name, **fields)  # type: ignore[arg-type]


@dataclass
class Docket:
    """Collects findings; the same message at the same line is taken once and counted. What the policy switches off is not
    taken."""

    findings: list[Finding] = field(default_factory=list)
    policy: Policy = field(default_factory=Policy)
    _places: dict[tuple[str, str, int, str], int] = field(default_factory=dict)

    def add(self, name: str, message: str, severity: Severity | None = None, **fields: object) -> None:
        self.take(finding(name, message, severity, **fields))

    def take(self, new: Finding) -> None:
        setting = self.policy.of(new.rule)
        if setting == "off":
            return
        if setting is not None:
            new = replace(new, severity=setting)
        place = (new.kind, new.program, new.line, new.message)
        known = self._places.get(place)
        if known is None:
            self._places[place] = len(self.findings)
            self.findings.append(new)
        else:
            old = self.findings[known]
            self.findings[known] = replace(old, count=old.count + new.count, amount=max(old.amount, new.amount))

    def merge(self, alike: Callable[[Finding], Hashable], share: float) -> None:
        """Make one of findings of one program line that are alike, as far as their amounts part by no more than a share: the worst
        stays, with the count of all."""
        kept: dict[Hashable, list[int]] = {}
        gone: set[int] = set()
        for i, item in enumerate(self.findings):
            key = (item.kind, item.program, item.line, item.tool, alike(item))
            for j in kept.setdefault(key, []):
                first = self.findings[j]
                if item.line and abs(item.amount - first.amount) <= share * max(item.amount, first.amount):
                    worst = item if item.amount > first.amount else first
                    self.findings[j] = replace(worst, count=first.count + item.count, time=min(first.time, item.time))
                    gone.add(i)
                    break
            else:
                kept[key].append(i)
        self.findings = [item for i, item in enumerate(self.findings) if i not in gone]
        self._places = {(f.kind, f.program, f.line, f.message): i for i, f in enumerate(self.findings)}

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
