"""Jobs that a change of the library touches: each with what the library holds now, as a new revision, to be rehearsed and looked at beside its
release."""

import json
import zipfile
from typing import Any

from django.contrib.auth.models import AbstractBaseUser

from accounts.models import Membership, Organisation
from bluntmirror.job.loading import data_in_millimetres
from bluntmirror.job.models import ToolsFile

from . import releasing, seen, setups, sweeping
from .models import LibraryFile, Rehearsal, Revision
from .services import Refused

Json = dict[str, Any]
LABEL = "with what the library holds now"
SWEPT = "what the library touched"


def touched(member: Membership) -> list[Revision]:
    """The last released revision of every job whose release has lapsed because its machine or a tool of it is another in the library now."""
    found = []
    for job in seen.jobs(member).prefetch_related("revisions"):
        releases = releasing.newest([job])
        if not releases:
            continue
        row = releases[max(releases)]
        if row.withdrawn_at is None and releasing.touched_by_library(row):
            found.append(row.rehearsal.revision)
    return found


def with_library(revision: Revision, user: AbstractBaseUser) -> Revision:
    """The revision with the library's newest machine of its name and newest entries of its tools, as a new one. Raises Refused where that is
    what it has."""
    data, tools = setups.job_data(revision)
    files: dict[str, bytes] = {}
    held = _newest_tools(revision.job.organisation)
    changed = [_taken_over(tool, held.get((tool["number"], tool.get("name", "")))) for tool in tools["tools"]]
    if changed != tools["tools"]:
        files[str(data["tools"])] = json.dumps({**tools, "tools": changed}, indent=1).encode()
    item = (
        LibraryFile.objects.filter(
            organisation=revision.job.organisation, kind=LibraryFile.Kind.MACHINE, name=revision.machine
        )
        .order_by("-number")
        .first()
    )
    if item is not None and not _has(revision, str(data["machine"]), item):
        files[str(data["machine"])] = json.dumps(item.data | {"revision": item.number}, indent=1).encode()
        if item.meshes:
            with item.meshes.open("rb") as source, zipfile.ZipFile(source) as bundle:
                files |= {name: bundle.read(name) for name in bundle.namelist()}
    if not files:
        raise Refused("the library holds nothing of this job's that is another now")
    return setups.changed(revision, files, user, LABEL)


def rehearse_all(member: Membership) -> list[Rehearsal]:
    """Every touched job with what the library holds now, rehearsed in the background as one sweep."""
    made = []
    for revision in touched(member):
        try:
            made.append(with_library(revision, member.user))
        except Refused:
            continue
    known = [revision.rehearsals.first() for revision in made]
    new = [revision for revision, row in zip(made, known, strict=True) if row is None]
    begun = sweeping.begin(member.organisation, member.user, SWEPT, new) if new else []
    return [*(row for row in known if row is not None), *begun]


def _newest_tools(organisation: Organisation) -> dict[tuple[int, str], Json]:
    """The library's tools by number and name, mm."""
    newest: dict[str, LibraryFile] = {}
    for table in LibraryFile.objects.filter(organisation=organisation, kind=LibraryFile.Kind.TOOLS).order_by("number"):
        newest[table.name] = table
    return {
        (tool["number"], tool.get("name", "")): tool
        for table in newest.values()
        for tool in data_in_millimetres(table.data, table.name, ToolsFile)["tools"]
    }


def _taken_over(own: Json, held: Json | None) -> Json:
    """A tool as the library has it; what only the job says (its station, its turret, registers where the library gives none) stays."""
    if held is None:
        return own
    kept = {name: own[name] for name in ("station", "turret") if name in own}
    registers = held.get("registers") or own.get("registers")
    made = {**held, **kept, **({"registers": registers} if registers else {})}
    return own if {**own, **made} == own else made


def _has(revision: Revision, name: str, item: LibraryFile) -> bool:
    with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
        own = json.loads(bundle.read(name).decode("utf-8-sig"))
    return {k: v for k, v in own.items() if k != "revision"} == {k: v for k, v in item.data.items() if k != "revision"}
