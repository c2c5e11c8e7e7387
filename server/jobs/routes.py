"""Routes: jobs that one part goes through in order, what a step's rehearsal hands on, and which rehearsals still hold.

A rehearsal of a step stands on a **basis**: the digest of its revision and of the bases of the steps that its stocks come from.
While the basis that a revision would stand on now is the one that its rehearsal stood on, the rehearsal is **fresh**; a change in
an earlier step makes it stale. So nothing has to be marked when something is changed.
"""

import gzip
import hashlib
import io
import json
import logging
import zipfile
from functools import lru_cache
from pathlib import Path
from typing import Any

from bluntmirror.job import JobUnreadable
from bluntmirror.job.route import carried_by
from bluntmirror.rehearsal.routing import Handed, Key, read_handed, write_handed

from .models import Job, Rehearsal, Revision, RouteStep
from .store import Away

log = logging.getLogger(__name__)
HANDED_ON = "handed-on.npz"
PENDING = (Rehearsal.State.QUEUED, Rehearsal.State.RUNNING)


def step_of(job: Job) -> RouteStep | None:
    """The step of a route that a job is; None for a job of its own."""
    return RouteStep.objects.select_related("route").filter(job=job).first()


def newest(job: Job) -> Revision:
    found = job.revisions.first()
    assert found is not None  # a job is made with its first revision
    return found


def carries_of(revision: Revision) -> list[Key]:
    """Step and body of every stock of a revision that comes from an earlier step."""
    try:
        return _carries(revision.pk, revision.archive.name)
    except Away:
        raise  # what it carries is not known: nothing may be begun as if it carried nothing
    except (OSError, zipfile.BadZipFile, KeyError, ValueError) as error:
        # It will be told when this revision is opened or rehearsed; until then it must not hide all others.
        _tell(revision.pk, str(error))
        return []


@lru_cache(maxsize=512)
def _tell(number: int, error: str) -> None:
    """Into the log, once: the list of jobs is asked for every few seconds."""
    log.error("revision %s cannot be read: %s", number, error)


@lru_cache(maxsize=512)
def _carries(_number: int, archive: str) -> list[Key]:
    with Revision._meta.get_field("archive").storage.open(archive) as source, zipfile.ZipFile(source) as bundle:  # type: ignore[union-attr]
        return carried_by(json.loads(bundle.read("job.json").decode("utf-8-sig")))


def source_steps(revision: Revision) -> dict[str, RouteStep]:
    """The steps that a revision's stocks come from, by name."""
    wanted = {step for step, _ in carries_of(revision)}
    own = step_of(revision.job) if wanted else None
    if own is None:
        return {}
    return {
        step.name: step for step in own.route.steps.select_related("job").filter(name__in=wanted, place__lt=own.place)
    }


def basis_of(revision: Revision) -> str:
    """What a rehearsal of this revision would stand on now."""
    sources = source_steps(revision)
    if not sources:
        return revision.digest
    told = [f"{name} {basis_of(newest(step.job))}" for name, step in sorted(sources.items())]
    return hashlib.sha256("\n".join([revision.digest, *told]).encode()).hexdigest()


def fresh(revision: Revision) -> Rehearsal | None:
    """The last rehearsal of a revision that still holds; a quick look is none."""
    return revision.rehearsals.filter(state=Rehearsal.State.DONE, quick=False, basis=basis_of(revision)).first()


def pending(revision: Revision) -> Rehearsal | None:
    """A rehearsal of this revision that waits or is under way."""
    return revision.rehearsals.filter(state__in=PENDING, quick=False).first()


def stale(rehearsal: Rehearsal) -> str:
    """Why a rehearsal that is done no longer holds, said of the first step that is the reason; empty while it holds."""
    if rehearsal.state != Rehearsal.State.DONE or not carries_of(rehearsal.revision):
        return ""
    if rehearsal.basis == basis_of(rehearsal.revision):
        return ""
    for source in rehearsal.sources.select_related("revision__job__step"):
        if source.basis != basis_of(newest(source.revision.job)):
            own = step_of(source.revision.job)
            return stale(source) or f"{own.name if own else source.revision.job.name} has changed since"
    return "the steps before it are others now"


def those_before(rehearsal: Rehearsal) -> list[Rehearsal]:
    """A rehearsal and all that its stocks came from, step by step."""
    found = [rehearsal]
    for source in rehearsal.sources.select_related("revision__job"):
        found += those_before(source)
    return found


def handed_by(rehearsal: Rehearsal) -> dict[str, Handed]:
    """What a rehearsal left of each of its stocks, by the stock's name."""
    artifact = rehearsal.artifacts.filter(name=HANDED_ON).first()
    if artifact is None:
        return {}
    with artifact.file.open("rb") as source:
        return read_handed(io.BytesIO(gzip.decompress(source.read())))


def handed_file(handed: dict[str, Handed]) -> bytes:
    out = io.BytesIO()
    write_handed(out, handed)
    return out.getvalue()


class NotYet(Exception):
    """A step before this one is still being rehearsed."""


class Lacking(Exception):
    """What a step takes from one before it cannot be had; the message says why and what to do."""


def taken_by(revision: Revision) -> tuple[dict[Key, Handed], list[Rehearsal]]:
    """What a revision's stocks are when it is rehearsed now, and the rehearsals that left them. Raises NotYet while one of those is
    under way, Lacking where there is none."""
    taken: dict[Key, Handed] = {}
    rows: dict[str, Rehearsal] = {}
    sources = source_steps(revision)
    for step, body in carries_of(revision):
        if step not in sources:
            raise Lacking(f"Its stock comes from the step '{step}', and no step of that name comes before it.")
        if step not in rows:
            before = newest(sources[step].job)
            found = fresh(before)
            if found is None and pending(before):
                raise NotYet
            if found is None:
                raise Lacking(
                    f"Its stock comes from '{step}', whose rehearsal did not end: see there, then run this again."
                )
            rows[step] = found
        handed = handed_by(rows[step])
        if body not in handed:
            raise Lacking(f"Its stock is what '{step}' leaves of '{body}', and there is no such stock any more.")
        taken[step, body] = handed[body]
    return taken, list(rows.values())


def taken_then(rehearsal: Rehearsal) -> dict[Key, Handed]:
    """What a rehearsal's stocks were: what those left that it stood on, however often they were rehearsed since. Raises Lacking."""
    taken: dict[Key, Handed] = {}
    steps = source_steps(rehearsal.revision)
    for step, body in carries_of(rehearsal.revision):
        source = rehearsal.sources.filter(revision__job=steps[step].job).first() if step in steps else None
        handed = handed_by(source) if source else {}
        if body not in handed:
            raise Lacking(
                f"What '{step}' left of '{body}' when this was rehearsed is no longer kept: rehearse it again."
            )
        taken[step, body] = handed[body]
    return taken


def sources_known(job: Job, folder: Path) -> list[Key]:
    """The stocks that a job's folder takes from steps before it. Raises JobUnreadable where there are none such."""
    data: dict[str, Any] = json.loads((folder / "job.json").read_bytes().decode("utf-8-sig"))
    wanted = carried_by(data)
    own = step_of(job) if wanted else None
    for step, body in wanted if own else []:
        assert own is not None
        source = own.route.steps.filter(name=step, place__lt=own.place).select_related("job").first()
        if source is None:
            raise JobUnreadable("job.json", f"bodies: no step '{step}' comes before '{own.name}' in {own.route.name}")
        with newest(source.job).archive.open("rb") as file, zipfile.ZipFile(file) as bundle:
            bodies = json.loads(bundle.read("job.json").decode("utf-8-sig")).get("bodies", [])
        if not any(item.get("name") == body and item.get("role") == "stock" for item in bodies):
            raise JobUnreadable("job.json", f"bodies: the step '{step}' has no stock '{body}'")
    return wanted
