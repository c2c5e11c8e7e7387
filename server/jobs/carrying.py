"""All that an organisation has, as a folder of open formats, and such a folder taken in elsewhere.

    organisation.json            what there is and where: jobs with their revisions, routes, the library, what was judged and measured
    jobs/0001 NAME/1/            a revision's files as they came in: a job folder that `./mirror verify` takes
    jobs/0001 NAME/1 rehearsed/  what its last whole rehearsal came to: verdict.json, report.html, stock.stl …
    library/machine/, tools/ …   every number of every machine, tool table, tool and fixture, with the files it names
    record.csv                   who did what

Taken in are files, judgements and measures: what can be worked out is worked out anew, and a release is signed anew by whoever answers for it there.
"""

import gzip
import io
import json
import re
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from accounts.models import Membership, Organisation, Role
from accounts.refused import Refused as NoRoom
from bluntmirror.export.trace import safe_cell
from bluntmirror.job.route import carried_by

from . import record, services
from .models import Job, LibraryFile, Measure, Rehearsal, Revision, Route, RouteStep, Triage
from .services import Refused

FORMAT = "blunt-mirror/organisation@1"
TOLD = (
    "verdict.json",
    "verdict.sarif",
    "report.html",
    "setup.html",
    "tools.csv",
    "control.csv",
    "measures.csv",
    "trace.csv",
    "stock.stl",
)
LONGEST = 60  # letters of a name in a folder's


def export(organisation: Organisation, to: Path) -> dict[str, int]:
    """Write the folder, which must not be there yet or be empty; how many jobs, revisions and library files. Raises Refused."""
    if to.exists() and any(to.iterdir()):
        raise Refused(f"{to} is not empty: choose a folder that is not there yet")
    to.mkdir(parents=True, exist_ok=True)
    jobs = list(Job.objects.filter(organisation=organisation, thrown_as=0).order_by("pk"))
    told: dict[str, Any] = {
        "format": FORMAT, "name": organisation.name, "at": timezone.now().isoformat(timespec="seconds"),
        "jobs": [_job(job, f"jobs/{number:04} {_plain(job.name)}", to) for number, job in enumerate(jobs, 1)],
        "routes": [
            {"name": route.name, "steps": [{"name": step.name, "job": step.job.name} for step in route.steps.select_related("job")]}
            for route in Route.objects.filter(organisation=organisation, thrown_as=0).order_by("pk")
        ],
        "library": [_library(item, to) for item in LibraryFile.objects.filter(organisation=organisation).order_by("pk")],
    }  # fmt: skip
    (to / "record.csv").write_text(_record(organisation), "utf-8")
    (to / "organisation.json").write_text(json.dumps(told, indent=1, ensure_ascii=False) + "\n", "utf-8")
    return {
        "jobs": len(jobs),
        "revisions": sum(len(job["revisions"]) for job in told["jobs"]),
        "library": len(told["library"]),
    }


def _plain(name: str) -> str:
    """A name as part of a folder's, whatever it holds."""
    return re.sub(r"[^\w ,.()-]+", "_", name)[:LONGEST].strip(" .") or "_"


def _job(job: Job, place: str, to: Path) -> dict[str, Any]:
    revisions = []
    for row in job.revisions.order_by("number").select_related("created_by", "parent"):
        at = f"{place}/{row.number}"
        with row.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
            bundle.extractall(to / at)  # of our own making: every name in it was looked at when it came in
        rehearsed = row.rehearsals.filter(state=Rehearsal.State.DONE, quick=False).first()
        if rehearsed is not None:
            _results(rehearsed, to / f"{at} rehearsed")
        revisions.append({
            "number": row.number, "parent": row.parent.number if row.parent and row.parent.job_id == job.pk else None, "label": row.label, "folder": at,
            "digest": row.digest, "by": row.created_by.get_username(), "at": row.created.isoformat(timespec="seconds"),
            "verdict": rehearsed.verdict if rehearsed else None,
        })  # fmt: skip
    judged = [
        {"cause": item.cause, "point": item.point, "judgement": item.judgement, "reason": item.reason, "amount": item.amount, "by": item.by.get_username()}
        for item in job.triage.select_related("by").order_by("pk")
    ]  # fmt: skip
    measures = [{"name": item.name, "asked": item.asked} for item in job.measures.order_by("pk")]
    return {"name": job.name, "revisions": revisions, "judged": judged, "measures": measures}


def _results(row: Rehearsal, to: Path) -> None:
    to.mkdir(parents=True)
    for artifact in row.artifacts.filter(name__in=TOLD):
        with artifact.file.open("rb") as source:
            data = source.read()
        (to / artifact.name).write_bytes(gzip.decompress(data) if artifact.packed else data)


def _library(item: LibraryFile, to: Path) -> dict[str, Any]:
    place = f"library/{item.kind}/{item.pk} {_plain(item.name)}, {item.number}"
    (to / place).mkdir(parents=True)
    (to / place / f"{item.kind}.json").write_text(json.dumps(item.data, indent=1, ensure_ascii=False), "utf-8")
    if item.meshes:
        with item.meshes.open("rb") as source, zipfile.ZipFile(source) as bundle:
            bundle.extractall(to / place)
    return {"kind": item.kind, "name": item.name, "number": item.number, "folder": place}


def _record(organisation: Organisation) -> str:
    rows = record.listed(organisation, most=10**9)
    lines = [["number", "at", "by", "act", "about", "said"]]
    lines += [
        [str(row["number"]), row["at"].isoformat(), *(str(row[key]) for key in ("by", "act", "about", "said"))]
        for row in rows
    ]
    return "".join(",".join(safe_cell(cell) for cell in line) + "\r\n" for line in lines)


def take_in(organisation: Organisation, folder: Path) -> dict[str, int]:
    """Take a folder of `export` in; what is there already is not taken twice. Raises Refused, and then nothing of it is kept."""
    told = _told(folder)
    seat = (
        Membership.objects.filter(organisation=organisation, role=Role.ADMINISTERS)
        .select_related("user")
        .order_by("pk")
        .first()
    )
    if seat is None:
        raise Refused(f"nobody administers {organisation.name} yet: invite somebody first")
    assert isinstance(seat.user, User)
    try:
        return _taken(organisation, seat.user, told, folder)
    except NoRoom:
        raise
    except (KeyError, TypeError, AttributeError, ValueError) as error:
        raise Refused(
            f"organisation.json is not as `./mirror export` writes it ({type(error).__name__}: {error})"
        ) from error


def _taken(organisation: Organisation, user: User, told: dict[str, Any], folder: Path) -> dict[str, int]:
    counts = {"jobs": 0, "revisions": 0, "library": 0}
    with transaction.atomic():
        for item in told["library"]:
            _take_library(organisation, user, item, folder)
            counts["library"] += 1
        steps = {
            step["job"]: (route["name"], step["name"], place)
            for route in told["routes"]
            for place, step in enumerate(route["steps"])
        }
        for item in told["jobs"]:
            _take_job(organisation, user, item, folder, steps.get(item["name"]))
            counts["jobs"] += 1
            counts["revisions"] += len(item["revisions"])
        record.note(
            organisation, user, "took in", f"{told['name']}, as exported {told['at']}", f"{counts['jobs']} jobs"
        )
    return counts


def _told(folder: Path) -> dict[str, Any]:
    try:
        told = json.loads((folder / "organisation.json").read_text("utf-8"))
    except (OSError, ValueError) as error:
        raise Refused(
            f"{folder} holds no organisation.json that can be read ({error}): give a folder that `./mirror export` wrote"
        ) from error
    if not isinstance(told, dict) or told.get("format") != FORMAT:
        raise Refused(f"organisation.json: its format is none that is read here ({FORMAT})")
    return told


def _inside(folder: Path, name: str) -> Path:
    place = (folder / name).resolve()
    if not place.is_relative_to(folder.resolve()) or not place.is_dir():
        raise Refused(f"organisation.json: there is no folder '{name}' in it")
    return place


def _take_library(organisation: Organisation, user: User, item: dict[str, Any], folder: Path) -> None:
    place = _inside(folder, item["folder"])
    data = (place / f"{item['kind']}.json").read_bytes()
    others = [file for file in sorted(place.rglob("*")) if file.is_file() and file.name != f"{item['kind']}.json"]
    if others:
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as bundle:
            bundle.writestr(f"{item['kind']}.json", data)
            for file in others:
                bundle.writestr(file.relative_to(place).as_posix(), file.read_bytes())
        data = packed.getvalue()
    services.keep_in_library(organisation, user, item["kind"], data, item["name"])


def _take_job(
    organisation: Organisation, user: User, item: dict[str, Any], folder: Path, step: tuple[str, str, int] | None
) -> None:
    made: dict[int, Revision] = {}
    for told in item["revisions"]:
        place = _inside(folder, told["folder"])
        with tempfile.TemporaryDirectory(
            prefix="mirror-"
        ) as keep:  # links among the files would be followed: they are packed from a copy
            archive = Path(keep) / "job.zip"
            _zipped(place, archive)
            parent = made.get(told["parent"]) or (made[max(made)] if made else None)
            carried = dict.fromkeys(carried_by(_job_file(place)), services.STAND_IN)
            row = services.take_in_path(organisation, user, archive, told["label"], parent, carried, item["name"])
        if row.digest != told["digest"]:
            raise Refused(
                f"{told['folder']}: its files are not those that were exported: a file has changed or is missing"
            )
        made[told["number"]] = row
    if not made:
        return
    job = next(iter(made.values())).job
    if step is not None:
        route, _ = Route.objects.get_or_create(organisation=organisation, name=step[0], thrown_as=0)
        RouteStep.objects.get_or_create(job=job, defaults={"route": route, "place": step[2], "name": step[1]})
    for judged in item["judged"]:
        by = judged.pop("by")
        Triage.objects.get_or_create(job=job, cause=judged["cause"], point=judged["point"], defaults={
            **judged, "by": user, "reason": f"{judged['reason']} (judged by {by})",
        })  # fmt: skip
    for measure in item["measures"]:
        Measure.objects.get_or_create(job=job, name=measure["name"], defaults={"asked": measure["asked"], "by": user})


def _job_file(place: Path) -> dict[str, Any]:
    try:
        data: dict[str, Any] = json.loads((place / "job.json").read_bytes().decode("utf-8-sig"))
    except (OSError, ValueError) as error:
        raise Refused(f"{place.name}: its job.json cannot be read: {error}") from error
    return data


def _zipped(place: Path, archive: Path) -> None:
    with zipfile.ZipFile(archive, "w") as bundle:
        for file in sorted(place.rglob("*")):
            if file.is_symlink() or not (file.is_dir() or file.is_file()):
                raise Refused(f"{file.name} is a link or no file: it is not taken in")
            if file.is_file():
                bundle.write(file, file.relative_to(place).as_posix())
