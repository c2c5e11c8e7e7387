"""A change tried: made in a copy of the job, rehearsed, and judged by what became of the findings.

clears     the finding is gone, and nothing as bad or worse has come or grown
uncovers   the finding was a block that could not be carried out: what comes to light behind it was there before
moves      the finding is gone, but trouble as bad has come: said as such where nothing better is found
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from ..findings import Finding
from ..job import Job, JobUnreadable
from ..rehearsal import Rehearsal, check_program, rehearse
from ..rehearsal.checkpoints import Store
from ..rehearsal.replaying import replay
from .case import Case
from .change import Change, Rank, applied
from .kinds import proposals
from .matching import Difference, difference
from .proposal import Proposal

UNREAD = (
    "program.syntax", "program.arc", "program.call", "program.macro", "program.compensation", "program.tool", "program.wait",
    "program.endless", "program.word", "program.feed", "check.limit",
)  # fmt: skip
MOST_TRIALS = 24  # for one finding
MORE_SHARE, MORE_PLACES = (
    1.05,
    20,
)  # of the places where material is left: beyond that a change leaves more than it clears
LEAST_MORE = 0.1  # mm, degrees or s that a proposal which grows is given more of
MOST_STEPS = 6  # of one proposal that grows
FORESEEN = ("check.partial",)  # of a quick look: not the change's doing

Progress = Callable[[str, float], None]


@dataclass
class Outcome:
    """What a change did: `result` the whole run after it, `left` what became of the finding (None: it is gone)."""

    change: Change
    job: Job
    what_became: Difference
    left: Finding | None
    bad: list[Finding]  # come or grown, as bad as the finding or worse
    result: Rehearsal | None = None

    @property
    def clears(self) -> bool:
        return self.left is None and not self.bad


@dataclass(frozen=True)
class Offer:
    """A change that was tried and clears its finding. `seconds`: how much longer the job takes; `clear_by`: what is left between the two
    that touched, mm or degrees, where that is known; `come`: milder findings that it brings; `uncovers`: those come to light
    behind a block that can be carried out now; `moves`: trouble as bad that it brings, so that it is no cure."""

    finding: Finding
    change: Change
    seconds: float
    clear_by: float | None = None
    come: tuple[Finding, ...] = ()
    uncovers: tuple[Finding, ...] = ()
    moves: tuple[Finding, ...] = ()
    outcome: Outcome | None = field(default=None, compare=False, repr=False)

    @property
    def said(self) -> str:
        """In one sentence."""
        parts = [
            self.change.title,
            "tried: it moves the trouble elsewhere" if self.moves else "tried, and it clears this",
        ]
        if self.clear_by is not None:
            parts.append(f"clear by {self.clear_by:.2f}")
        if abs(self.seconds) >= 0.05:
            parts.append(f"{abs(self.seconds):.1f} s {'longer' if self.seconds > 0 else 'shorter'}")
        for word, items in (("brings", (*self.moves, *self.come)), ("brings to light", self.uncovers)):
            if items:
                parts.append(f"{word} {', '.join(sorted({item.kind for item in items}))}")
        return "; ".join(parts)


@dataclass
class Trials:
    """A job, its rehearsal, and changes tried on it. `store` keeps checkpoints, so that each trial goes on from the last place before
    the change."""

    job: Job
    result: Rehearsal
    checked: list[Finding]  # of its program check alone
    store: Store
    tell: Progress = field(default=lambda stage, share: None)
    runs: int = 0
    looked: list[Finding] | None = None  # what a quick look finds in it

    @staticmethod
    def begun(job: Job, store: Store, tell: Progress | None = None) -> Trials:
        timed = check_program(job, tell)
        checked = list(timed.findings)
        return Trials(
            job, replay(timed, tell, store, filmed=False), checked, store, tell or (lambda stage, share: None)
        )

    def on(self, outcome: Outcome) -> Trials:
        """The same for the job as an outcome left it."""
        assert outcome.result is not None
        checked = list(check_program(outcome.job).findings)
        return Trials(outcome.job, outcome.result, checked, self.store, self.tell, self.runs)

    def offers(self, finding: Finding, most: int = 1, upto: Rank = Rank.FIXTURE) -> Iterator[Offer]:
        """Changes that clear a finding and touch no more than `upto`, the smallest kind first, at most one of a kind; where none does, the
        best that moves it."""
        case = Case(self.result, finding)
        found, tried, seen = 0, 0, set[Change]()
        second: list[tuple[tuple[int, int], Offer]] = []  # those that bring something, and what they bring
        ranked = sorted((p for p in proposals(case) if p.rank <= upto), key=lambda proposal: proposal.rank)
        ranks: set[Rank] = set()
        for proposal in ranked:
            if found >= most or tried >= MOST_TRIALS:
                break
            if proposal.rank in ranks:
                continue  # another of a kind that is there already
            first = proposal.change(proposal.amount)
            if first is None:
                continue
            outcome, steps = self._in_steps(finding, proposal, first, seen)
            tried += steps
            if outcome is None or outcome.left is not None:
                continue
            offer = self.offer_of(finding, outcome)
            if offer is None:
                continue
            leaves = self.leaves_more(outcome)
            if offer.moves or offer.come or leaves:
                if (
                    not leaves or offer.come
                ):  # what is told of what it leaves may be offered; what it leaves in silence may not
                    second.append(((len(offer.moves), len(offer.come)), offer))
                continue
            found += 1
            ranks.add(proposal.rank)
            yield offer
        if not found and second:
            yield min(second, key=lambda pair: pair[0])[1]

    def _in_steps(
        self, finding: Finding, proposal: Proposal, first: Change, seen: set[Change]
    ) -> tuple[Outcome | None, int]:
        """One proposal: with more of it while that helps, or, where it `searches`, twice as much until it does and then as little as
        will do. Its last outcome, and how often it was tried."""
        amount, change, before = proposal.amount, first, finding.amount
        outcome: Outcome | None = None
        for step in range(MOST_STEPS):
            if change in seen:
                return outcome, step
            seen.add(change)
            outcome = self.trial(finding, change)
            if outcome is None:
                return None, step + 1
            if outcome.left is None:
                if proposal.searches and step and outcome.clears:
                    return self._least(finding, proposal, 0.5 * amount, amount, outcome), step + 3
                near = _still_near(finding, outcome) if proposal.grows else 0.0
                more = proposal.change(amount + near) if near else None
                clearer = self.trial(finding, more) if more else None
                return (clearer if clearer and clearer.clears else outcome), step + 1 + (near > 0.0)
            if proposal.searches:
                amount *= 2.0
            elif proposal.grows and outcome.left.amount <= 0.95 * before:
                before = outcome.left.amount
                amount += max(before, LEAST_MORE)
            else:
                return outcome, step + 1
            more = proposal.change(amount)
            if more is None:
                return outcome, step + 1
            change = more
        return outcome, MOST_STEPS

    def _least(self, finding: Finding, proposal: Proposal, low: float, high: float, best: Outcome) -> Outcome:
        """Between too little and enough."""
        for _ in range(2):
            middle = 0.5 * (low + high)
            change = proposal.change(middle)
            outcome = self.trial(finding, change) if change else None
            if outcome is not None and outcome.clears:
                best, high = outcome, middle
            else:
                low = middle
        return best

    def trial(self, finding: Finding, change: Change) -> Outcome | None:
        """What a change does; None where it cannot be made. The check of the program alone, and a quick look, sort out what helps not."""
        try:
            job = applied(self.job, change)
            timed = check_program(job)
            early = self._judged(finding, change, job, timed.findings, self.checked, ("program.", "tool."))
            if (finding in self.checked and early.left is not None) or early.bad:
                return early
            self.runs += 1
            quick, there = self._in_quick(finding)
            if there is not None:
                look = rehearse(job, self._pulse, self.store, filmed=False, quick=True)
                seen = self._judged(there, change, job, look.findings, quick)
                seen.result = look
                if seen.left is not None or seen.bad:
                    return seen
            return self._whole(finding, change, job)
        except (JobUnreadable, ValueError):  # it does not fit the text, or gives a job that cannot be
            return None

    def _pulse(self, stage: str, share: float) -> None:
        """Whoever waits is told that trying goes on, and may end it."""
        self.tell("trying", share)

    def _in_quick(self, finding: Finding) -> tuple[list[Finding], Finding | None]:
        """What a quick look finds in the job as it is, and the finding among it; None where it would not save anything."""
        if self.looked is None:
            look = rehearse(self.job, self._pulse, self.store, filmed=False, quick=True)
            self.looked = look.findings if look.quick else []
        return self.looked, difference(self.result.findings, self.looked).became(finding)

    def _whole(self, finding: Finding, change: Change, job: Job) -> Outcome:
        """A change judged by everything on the job's own grid."""
        result = rehearse(job, self._pulse, self.store, filmed=False)
        outcome = self._judged(finding, change, job, result.findings, self.result.findings)
        outcome.result = result
        return outcome

    def _judged(
        self, finding: Finding, change: Change, job: Job, after: list[Finding], before: list[Finding], kinds: tuple[str, ...] = ("",)
    ) -> Outcome:  # fmt: skip
        """`kinds`: what of both runs is looked at."""
        old = [item for item in before if item.kind.startswith(kinds)]
        new = [item for item in after if item.kind.startswith(kinds) and item.kind not in FORESEEN]
        became = difference(old, new, change.edits)
        known = any(item is finding for item in old)
        left = became.became(finding) if known else None
        if known and left is None and finding.kind in UNREAD:
            bad: list[Finding] = [item for item in became.come if item.kind in UNREAD and self._at(item, change)]
        else:
            bad = [item for item in became.come if _as_bad(item, finding)]
            bad += [now for was, now in became.worse if was is not finding and _as_bad(now, finding)]
        return Outcome(change, job, became, left, bad)

    def leaves_more(self, outcome: Outcome) -> bool:
        """Whether a change leaves more of the design covered than before: a cut that is lifted off the work clears its finding, too, and
        is no remedy."""
        assert outcome.result is not None
        before = {cut.name: cut for cut in self.result.stocks}
        for cut in outcome.result.stocks:
            was = before.get(cut.name)
            if cut.part and was and was.part:
                count, had = len(cut.part.comparison.excess), len(was.part.comparison.excess)
                if count > MORE_SHARE * had + MORE_PLACES:
                    return True
        return False

    @staticmethod
    def _at(item: Finding, change: Change) -> bool:
        """Whether a finding is in a line that the change wrote."""
        return any(edit.program == item.program and abs(edit.line - item.line) <= 1 for edit in change.edits)

    def offer_of(self, finding: Finding, outcome: Outcome) -> Offer | None:
        if outcome.result is None:
            return None
        come = [item for item in outcome.what_became.come if item not in outcome.bad]
        unread = finding.kind in UNREAD
        return Offer(
            finding, outcome.change, outcome.result.reel.seconds - self.result.reel.seconds, _clear_by(finding, outcome.result),
            () if unread else tuple(come), tuple(come) if unread else (), tuple(outcome.bad), outcome,
        )  # fmt: skip


def _as_bad(item: Finding, finding: Finding) -> bool:
    return item.severity == "stop" or finding.severity == "caution"


def _still_near(finding: Finding, outcome: Outcome) -> float:
    """By how much the two that touched are nearer still than the job asks for."""
    near = [
        item
        for item in outcome.what_became.come
        if item.kind == "contact.near" and set(item.bodies) <= set(finding.bodies)
    ]
    return max((item.amount for item in near), default=0.0)


def _clear_by(finding: Finding, result: Rehearsal) -> float | None:
    """How far apart the two are now that touched; how much travel is left."""
    if finding.kind.startswith("contact.") and len(finding.bodies) >= 2:
        named = [m.clearance for m in result.margins if m.motion >= 0 and {m.a, m.b} <= set(finding.bodies)]
        return min(named) if named else None
    return None
