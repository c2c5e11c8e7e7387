"""A whole job mended: finding by finding the smallest change that clears it, each tried on top of those before it."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

from ..findings import Finding
from ..job import Job
from ..rehearsal import Rehearsal
from ..rehearsal.checkpoints import FolderStore
from .change import Change, Rank, write_to, written
from .trying import UNREAD, Offer, Trials

MOST_CHANGES = 60

Progress = Callable[[str, float], None]


@dataclass
class Mended:
    """`before` the findings of the job as it came; `cleared` of them those that are gone; `made` the changes in their order; `left` what
    the mended job still has, and what was tried for it that moves the trouble elsewhere."""

    job: Job
    before: list[Finding]
    result: Rehearsal
    cleared: list[Finding] = field(default_factory=list)
    made: list[Offer] = field(default_factory=list)
    elsewhere: list[Offer] = field(default_factory=list)
    runs: int = 0
    files: dict[str, bytes] = field(default_factory=dict)

    @property
    def left(self) -> list[Finding]:
        return list(self.result.findings)


def mend(job: Job, progress: Progress | None = None, upto: Rank = Rank.FIXTURE) -> Mended:
    """Try to clear every finding of a job. `upto`: what a change may touch at most. `progress` may raise Cancelled."""
    tell = progress or (lambda stage, share: None)
    with tempfile.TemporaryDirectory(prefix="bluntmirror-mend-") as folder:
        trials = Trials.begun(job, FolderStore(Path(folder)), progress)
        mended = Mended(job, list(trials.result.findings), trials.result)
        alive = dict(enumerate(mended.before))
        given_up: list[Finding] = []
        made_since = 0  # changes since anything was given up: what did not help before may help after them
        changes: list[Change] = []
        while len(mended.made) < MOST_CHANGES:
            open_ = [item for item in trials.result.findings if not any(item is other for other in given_up)]
            if not open_ and given_up and made_since:
                given_up, made_since = [], 0
                mended.elsewhere = []
                continue
            if not open_:
                break
            item = min(open_, key=_turn)
            tell("mending", len(mended.made) / max(len(mended.before), 1) if mended.before else 1.0)
            offer = next(trials.offers(item, upto=upto), None)
            if offer is None or offer.moves:
                if offer:
                    mended.elsewhere.append(offer)
                if not given_up:
                    made_since = 0
                given_up.append(item)
                continue
            outcome = offer.outcome
            assert outcome is not None and outcome.result is not None
            changes.append(offer.change)
            mended.made.append(offer)
            made_since += 1
            became = outcome.what_became
            for i, was in list(alive.items()):
                now = became.became(was)
                if now is None:
                    del alive[i]
                else:
                    alive[i] = now
            given_up = [now for was in given_up if (now := became.became(was)) is not None]
            trials = trials.on(outcome)
        mended.job, mended.result, mended.runs = trials.job, trials.result, trials.runs
        mended.cleared = [item for i, item in enumerate(mended.before) if i not in alive]
        mended.files = _files(job, changes)
        return mended


def _turn(item: Finding) -> tuple[int, int, int, float, int]:
    """What is looked at first: what could not be carried out, what else is wrong with the program, how the work is held (what is cut
    depends on it), then what stops, in the order of the path."""
    first = next(
        (i for i, kinds in enumerate(((*UNREAD,), ("program.", "tool."), ("hold.",))) if item.kind.startswith(kinds)), 3
    )
    consequence = int(item.kind == "program.wait" and "neither" in item.message)  # of a mark that another channel lacks
    return (first, consequence, 0 if item.severity == "stop" else 1, item.time, item.line)


def _files(job: Job, changes: list[Change]) -> dict[str, bytes]:
    """The files of the folder that the changes, one after the other, make anew."""
    with tempfile.TemporaryDirectory(prefix="bluntmirror-mend-") as name:
        folder = Path(name)
        for file in {job.file_name, job.file.tools, *job.programs}:
            (folder / file).parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(job.folder / file, folder / file)
        files: dict[str, bytes] = {}
        for change in changes:
            made = written(replace(job, folder=folder), change)
            write_to(folder, made)
            files |= made
        return files


def keep(mended: Mended, source: Job, out: Path) -> None:
    """Write the mended job's whole folder."""
    shutil.copytree(source.folder, out, dirs_exist_ok=True)
    write_to(out, mended.files)


__all__ = ["Mended", "keep", "mend"]
