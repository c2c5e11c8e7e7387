"""Releases: who signs that a revision may run, on which evidence, and what takes the signature away again.

current   a rehearsal done in full, by this computation, of these files and of the steps that its stocks come from
excused   every stop of it is accepted by a person, with a reason, or judged a fault of the model
lapsed    a release lapses by itself when what it rests on is another: computation, steps before, judgements, the machine or a used tool
          in the library. A new revision leaves it alone: it was never the one released
"""

import functools
import json
import zipfile
from collections.abc import Iterable
from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.utils import timezone

from bluntmirror.findings.identity import judged
from bluntmirror.rehearsal.checkpoints import code_digest

from . import routes
from .models import Finding, Job, LibraryFile, Rehearsal, Release, Revision, Triage
from .services import Refused

Json = dict[str, Any]
MOST_NAMED = 3


def why_not(rehearsal: Rehearsal) -> str:
    """Why a rehearsal cannot be released as it is; empty where it can."""
    if rehearsal.state != Rehearsal.State.DONE:
        return "it is not done"
    if rehearsal.quick:
        return "it is a quick look: rehearse it in full"
    if rehearsal.computation != code_digest():
        return "it was worked out by another version of the computation: rehearse it again"
    if rehearsal.basis != routes.basis_of(rehearsal.revision):
        return f"it no longer holds: {routes.stale(rehearsal) or 'what it stands on is another'}"
    left = [item for item, excuse in judgements(rehearsal) if excuse is None and item.data["severity"] == "stop"]
    if left:
        named = ", ".join(_named(item) for item in left[:MOST_NAMED]) + (
            f" and {len(left) - MOST_NAMED} more" if len(left) > MOST_NAMED else ""
        )
        return f"nobody has accepted {named}"
    return ""


def _named(item: Finding) -> str:
    return f"{item.data['kind']}" + (f" in line {item.data['line']}" if item.data["line"] else "")


def judgements(rehearsal: Rehearsal) -> list[tuple[Finding, Triage | None]]:
    """Every finding with the judgement that excuses it now, where there is one that still holds."""
    triage = list(rehearsal.revision.job.triage.select_related("by"))
    known = [row.judged for row in triage]
    found = []
    for item in rehearsal.findings.all():
        own, doubt = judged(item.cause, item.data["point"], known)
        holds = (
            own is not None
            and not doubt
            and own.judgement != Triage.Judgement.REAL
            and own.no_worse(item.data["amount"])
        )
        row = next(row for row, k in zip(triage, known, strict=True) if k is own) if holds else None
        found.append((item, row))
    return found


def release(rehearsal: Rehearsal, note: str, by: AbstractBaseUser) -> Release:
    """Raises Refused."""
    reason = why_not(rehearsal)
    if reason:
        raise Refused(f"this rehearsal cannot be released: {reason}")
    accepted = [
        {**{name: item.data[name] for name in ("kind", "program", "line", "message", "amount")}, "judgement": excuse.judgement,
         "reason": excuse.reason, "by": excuse.by.get_username(), "triage": excuse.pk}
        for item, excuse in judgements(rehearsal) if excuse is not None
    ]  # fmt: skip
    return Release.objects.create(
        rehearsal=rehearsal, by=by, note=note.strip(), accepted=accepted, rests_on=_library_of(rehearsal.revision)
    )


def withdraw(row: Release, why: str, by: AbstractBaseUser) -> None:
    """Raises Refused."""
    if not why.strip():
        raise Refused("say why the release is withdrawn")
    changed = Release.objects.filter(pk=row.pk, withdrawn_at=None)
    if not changed.update(withdrawn_at=timezone.now(), withdrawn_by=by, withdrawn_why=why.strip()):
        raise Refused("this release was withdrawn already")


def _library_of(revision: Revision) -> Json:
    """What the library has now of the revision's machine and of the tools that it has: the newest number of the machine's name, and
    every tool's entry."""
    organisation = revision.job.organisation
    machine = LibraryFile.objects.filter(
        organisation=organisation, kind=LibraryFile.Kind.MACHINE, name=revision.machine
    ).first()
    return {"machine": machine.number if machine else 0, "tools": _library_tools(revision)}


@functools.lru_cache(maxsize=512)
def _own_tools(_number: int, archive: str) -> list[tuple[int, str]]:
    with Revision._meta.get_field("archive").storage.open(archive) as source, zipfile.ZipFile(source) as bundle:  # type: ignore[union-attr]
        data = json.loads(bundle.read("job.json").decode("utf-8-sig"))
        tools = json.loads(bundle.read(data["tools"]).decode("utf-8-sig"))
    return [(int(tool["number"]), str(tool.get("name", ""))) for tool in tools["tools"]]


def _library_tools(revision: Revision) -> Json:
    """Of the tools of a revision, by number and name, what the newest tables of the library hold under both."""
    newest: dict[str, LibraryFile] = {}
    tables = LibraryFile.objects.filter(organisation=revision.job.organisation, kind=LibraryFile.Kind.TOOLS)
    for table in tables.order_by("number"):
        newest[table.name] = table
    held = {
        (tool.get("number"), tool.get("name", "")): tool
        for table in newest.values()
        for tool in table.data.get("tools", [])
    }
    own = _own_tools(revision.pk, revision.archive.name)
    return {f"T{number} {name}".strip(): held[number, name] for number, name in own if (number, name) in held}


def lapsed(row: Release) -> str:
    """Why a release does not stand any more; empty while it does."""
    if row.withdrawn_at is not None:
        who = row.withdrawn_by.get_username() if row.withdrawn_by else ""
        return f"withdrawn by {who}: {row.withdrawn_why}"
    try:
        return touched_by_library(row) or why_not(row.rehearsal)
    except (OSError, zipfile.BadZipFile) as error:
        return f"its files cannot be read: {error}"


def touched_by_library(row: Release) -> str:
    """What of the library a release rested on is another now; empty where nothing is."""
    now = _library_of(row.rehearsal.revision)
    if now["machine"] != row.rests_on["machine"]:
        return f"{row.rehearsal.revision.machine} is another in the library: number {now['machine']}, not {row.rests_on['machine']}"
    before = row.rests_on["tools"]
    other = [name for name, tool in now["tools"].items() if name in before and before[name] != tool]
    gone = [name for name in before if name not in now["tools"]]
    if other or gone:
        names = ", ".join([*other, *gone][:MOST_NAMED])
        return (
            f"{names} {'is' if len([*other, *gone]) == 1 else 'are'} {'another' if other else 'no more'} in the library"
        )
    return ""


def newest(jobs: Iterable[Job]) -> dict[int, Release]:
    """The last release of every revision of some jobs that has one, by the revision's number in the database."""
    rows = Release.objects.filter(rehearsal__revision__job__in=jobs).select_related(
        "by", "withdrawn_by", "rehearsal__revision__job"
    )
    return {row.rehearsal.revision_id: row for row in rows.order_by("pk")}


def told(row: Release | None) -> Json | None:
    if row is None:
        return None
    return {"id": row.pk, "rehearsal": row.rehearsal_id, "by": row.by.get_username(), "at": row.at, "note": row.note, "accepted": row.accepted,
            "lapsed": lapsed(row)}  # fmt: skip
