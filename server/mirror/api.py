"""The API: thin functions over the services. Its OpenAPI document is at /api/openapi.json."""

import gzip
import json
import logging
import re
import time
import zipfile
from pathlib import PurePosixPath
from typing import Any, Literal
from urllib.parse import quote

from django.conf import settings
from django.core.exceptions import BadRequest, PermissionDenied, SuspiciousOperation
from django.db import InterfaceError, OperationalError
from django.db.models import Prefetch, QuerySet
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from ninja import File, Form, NinjaAPI, Status
from ninja.files import UploadedFile
from ninja.security import django_auth
from pydantic import ValidationError

from accounts import sites
from accounts.refused import Refused
from bluntmirror.export.measures import as_csv
from bluntmirror.export.trace import safe_cell
from bluntmirror.findings import CATALOGUE
from bluntmirror.findings.identity import judged
from bluntmirror.geometry.features import Feature
from bluntmirror.job import Job as OpenJob
from bluntmirror.job.models import DIALECTS
from bluntmirror.job.urdf import to_urdf
from bluntmirror.rehearsal.handling import HeldPiece
from jobs import (
    basket,
    beside,
    calibrating,
    controls,
    crib,
    desks,
    glances,
    history,
    hooks,
    logs,
    measuring,
    paperwork,
    queueing,
    record,
    releasing,
    remedying,
    room,
    routes,
    running,
    seen,
    services,
    setups,
    standing,
    sweeping,
    tolerating,
    touched,
)
from jobs.models import Finding, Job, LibraryFile, Rehearsal, Release, Revision, Route, Triage
from jobs.store import Away, Lost, store
from jobs.tasks import FILM

from .asked import asker, member_of, noted, organisation_of
from .door import door
from .people import router as people
from .people_schemas import Message, SiteOfIn
from .policy import OF_PAPERS
from .rights import guard
from .schemas import (
    AccessoriesIn,
    ArmBlockIn,
    ArmBlockOut,
    ArmOut,
    BesideOut,
    BlockIn,
    CalibrationOut,
    CheckIn,
    CheckOut,
    ControlData,
    ControlOut,
    DeskIn,
    DeskOut,
    DeskSaveIn,
    DroppedOut,
    ExplainIn,
    ExplainOut,
    FaultOut,
    FeatureOut,
    FilmIn,
    FindingOut,
    FitOut,
    FixtureOut,
    FoundList,
    JobData,
    JobOut,
    JudgedOut,
    KeepIn,
    LeadIn,
    LibraryOut,
    MateIn,
    MeantIn,
    MeasuredIn,
    MeasureIn,
    MeasuresIn,
    MendIn,
    MovedOut,
    MoveIn,
    NewJob,
    OffsetHereIn,
    OffsetOut,
    PartMeasure,
    PickIn,
    PictureOut,
    PlaceOut,
    ProgramIn,
    QueueOut,
    ReachIn,
    ReachOut,
    RecordOut,
    RehearsalFull,
    RehearsalOut,
    ReleaseIn,
    ReleaseOut,
    RepeatIn,
    RevisionRef,
    RoomOut,
    RouteOut,
    RuleIn,
    RuleOut,
    SaveIn,
    SearchIn,
    SearchOut,
    SetupOut,
    StandIn,
    StandOut,
    StockIn,
    StockOut,
    StoodIn,
    StoodOut,
    ThrownOut,
    ToleranceIn,
    ToleranceOut,
    ToolIn,
    TriageIn,
    TryIn,
)
from .schemas import HeldPiece as HeldPieceIn
from .sent import sent

log = logging.getLogger(__name__)
# No faults of ours: the database is away (`limits.Away`), what was sent cannot be taken, or it may not be.
PASSED_ON = (OperationalError, InterfaceError, SuspiciousOperation, BadRequest, PermissionDenied)
MOST_WAIT_S, ASK_EVERY_S = 55, 0.3  # for a verdict in one call
MOST_FILM = 16_000_000  # bytes in one answer

api = NinjaAPI(title="Blunt Mirror", version="1", auth=django_auth, docs_url=None)
api.add_router("", door)
api.add_router("", people)


@api.exception_handler(UnicodeEncodeError)
def _no_text(request: HttpRequest, error: UnicodeEncodeError) -> HttpResponse:
    """JSON may name half a character (a lone surrogate), which no table and no file can hold."""
    return api.create_response(
        request, {"detail": "what was sent holds half a character, which cannot be kept"}, status=422
    )


@api.exception_handler(services.Behind)
def _behind(request: HttpRequest, error: services.Behind) -> HttpResponse:
    return api.create_response(request, {"detail": str(error)}, status=409)


@api.exception_handler(Away)
def _away(request: HttpRequest, error: Exception) -> HttpResponse:
    log.warning("the store is away: %s", error)
    said = "The store of files does not answer just now. Nothing is lost; try again in a moment."
    response = api.create_response(request, {"detail": said}, status=503)
    response["Retry-After"] = "2"
    return response


@api.exception_handler(Lost)
@api.exception_handler(zipfile.BadZipFile)
def _lost(request: HttpRequest, error: Exception) -> HttpResponse:
    """What is kept cannot be read: nothing that whoever asks could do otherwise."""
    log.error("%s: %s", type(error).__name__, error, exc_info=error)
    said = (
        str(error)
        if isinstance(error, Lost)
        else f"an archive in the store is damaged ({error}): bring it back from a backup"
    )
    return api.create_response(
        request, {"detail": f"{said}. The log has this under request {logs.number()}."}, status=500
    )


@api.exception_handler(Refused)
@api.exception_handler(services.Refused)
def _refused(request: HttpRequest, error: Exception) -> HttpResponse:
    return api.create_response(request, {"detail": str(error)}, status=422)


@api.exception_handler(Exception)
def _fault(request: HttpRequest, error: Exception) -> HttpResponse:
    """A fault of ours: whoever asked gets the number under which the log has its place."""
    if isinstance(error, PASSED_ON):
        raise error
    log.error("%s: %s", type(error).__name__, error, exc_info=error)
    said = f"The server made a fault and did not do this. Whoever runs it finds the place in its log under request {logs.number()}."
    return api.create_response(request, {"detail": said}, status=500)


def _rehearsal(request: HttpRequest, number: int) -> Rehearsal:
    return get_object_or_404(Rehearsal, pk=number, revision__job__in=seen.jobs(asker(request)))


def _rehearsal_out(row: Rehearsal) -> dict[str, Any]:
    names = (
        "id",
        "state",
        "quick",
        "stage",
        "share",
        "error",
        "verdict",
        "seconds",
        "created",
        "finished",
        "stops",
        "cautions",
    )
    return {
        **{name: getattr(row, name) for name in names},
        "by": row.created_by.get_username(),
        "revision": row.revision_id,
        "stale": routes.stale(row),
    }


def _route_out(route: Route, around: Rehearsal | None = None) -> dict[str, Any]:
    """A route's steps, each as it is now with its last rehearsal; `around` one of them, that one and those its stocks come from."""
    shown = {row.revision.job_id: row for row in routes.those_before(around)} if around else {}
    steps = []
    for step in route.steps.select_related("job"):
        now = routes.newest(step.job)
        row = shown.get(step.job_id) or now.rehearsals.first()
        told = {"name": step.name, "job": step.job_id, "revision": row.revision_id if row else now.pk}
        names = ("state", "verdict", "seconds")
        told |= {name: getattr(row, name) for name in names} if row else {"state": None, "verdict": "", "seconds": None}
        steps.append({**told, "rehearsal": row.pk if row else None, "stale": routes.stale(row) if row else ""})
    return {"id": route.pk, "name": route.name, "steps": steps}


def _job_out(job: Job, signed: dict[int, Release] | None = None) -> dict[str, Any]:
    """`signed`: the last release of every revision, where many jobs are told at once."""
    signed = releasing.newest([job]) if signed is None else signed
    revisions = []
    for revision in job.revisions.all():
        revisions.append(
            {
                "id": revision.pk, "number": revision.number, "label": revision.label, "machine": revision.machine,
                "created": revision.created, "by": revision.created_by.get_username(),
                "rehearsals": [_rehearsal_out(row) for row in revision.rehearsals.all()],
                "release": releasing.told(signed.get(revision.pk)),
            }
        )  # fmt: skip
    step = getattr(job, "step", None)
    return {
        "id": job.pk, "name": job.name, "site": job.site.name if job.site else "", "revisions": revisions,
        "route": step.route_id if step else None, "step": step.name if step else "",
    }  # fmt: skip


def _whole(jobs: QuerySet[Job]) -> QuerySet[Job]:
    """Jobs with all that `_job_out` tells of them, in as many questions as for one; without results, which are long."""
    rehearsals = Rehearsal.objects.defer("result").select_related("created_by")
    revisions = Revision.objects.select_related("created_by", "job").prefetch_related(
        Prefetch("rehearsals", rehearsals)
    )
    return jobs.select_related("step__route", "site").prefetch_related(Prefetch("revisions", revisions))


@api.get("/jobs", response=list[JobOut])
def list_jobs(request: HttpRequest, response: HttpResponse) -> Any:
    """Every job with its revisions and rehearsals. A page that asks again and again is told at little cost that nothing has changed (RFC 9110, 13)."""
    running.settle_lost()
    member = asker(request)
    tag = f'"{standing.standing(member.organisation)}-{member.site_id or 0}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponse(status=304, headers={"ETag": tag})
    response["ETag"] = tag
    response["Cache-Control"] = "private, no-cache"
    jobs = list(_whole(seen.jobs(asker(request))).order_by("name"))
    signed = releasing.newest(jobs)
    return [_job_out(job, signed) for job in jobs]


@api.get("/routes", response=list[RouteOut])
def list_routes(request: HttpRequest) -> Any:
    running.settle_lost()
    return [_route_out(route) for route in seen.routes(asker(request)).order_by("name")]


@api.post("/routes/{number}/rehearsals", response=RouteOut)
def rehearse_route(request: HttpRequest, number: int) -> Any:
    """Every step of a route, each as it is now, in order."""
    route = get_object_or_404(seen.routes(asker(request)), pk=number)
    running.begin_route(route, request.user)  # type: ignore[arg-type]
    noted(request, "rehearsed", f"route {route.name}")
    return _route_out(route)


@api.get("/queue", response=QueueOut)
def the_queue(request: HttpRequest) -> Any:
    """What is under way and what waits, in the order in which it would be taken up now."""
    running.settle_lost()
    member = asker(request)
    return queueing.shown(member) | {"sweeps": sweeping.shown(member)}


@api.post("/sweeps/{number}/cancel", response={204: None})
def cancel_sweep(request: HttpRequest, number: int) -> Any:
    """End what waits and runs of a sweep; what is done stands."""
    sweep = get_object_or_404(sweeping.seen_by(asker(request)), pk=number)
    sweeping.cancel(sweep, asker(request))
    noted(request, "stopped the sweep", sweep.why)
    return Status(204, None)


@api.get("/room", response=RoomOut)
def see_room(request: HttpRequest) -> Any:
    """What the organisation keeps and has waiting, and how much it may."""
    mine = organisation_of(request)
    return {
        "kept": room.kept(mine), "most_kept": settings.MOST_KEPT, "waiting": room.waiting(mine), "most_waiting": settings.MOST_WAITING,
    }  # fmt: skip


@api.get("/basket", response=list[ThrownOut])
def list_basket(request: HttpRequest) -> Any:
    """Jobs and routes that were thrown away and can be brought back."""
    return basket.listed(seen.whole(asker(request)))


@api.post("/jobs/{number}/throw-away", response={204: None})
def throw_job_away(request: HttpRequest, number: int) -> Any:
    job = get_object_or_404(seen.jobs(asker(request)), pk=number)
    basket.throw(job, member_of(request))  # type: ignore[arg-type]
    noted(request, "threw away", job.name, job=job.pk)
    return Status(204, None)


@api.post("/jobs/{number}/site", response={204: None})
def set_job_site(request: HttpRequest, number: int, body: SiteOfIn) -> Any:
    """Let a job, with the other steps of its route, belong to a site, or to all."""
    member = asker(request)
    job = get_object_or_404(seen.jobs(member), pk=number)
    site = sites.of(member.organisation, body.site)
    seen.put(job, site)
    noted(request, "gave to a site", job.name, site.name if site else "all sites", job=job.pk)
    return Status(204, None)


@api.post("/routes/{number}/throw-away", response={204: None})
def throw_route_away(request: HttpRequest, number: int) -> Any:
    route = get_object_or_404(seen.routes(asker(request)), pk=number)
    basket.throw_route(route, member_of(request))  # type: ignore[arg-type]
    noted(request, "threw away", f"route {route.name}")
    return Status(204, None)


@api.post("/basket/{kind}/{number}/bring-back", response={204: None})
def bring_job_back(request: HttpRequest, kind: Literal["job", "route"], number: int) -> Any:
    noted(request, "brought back", basket.bring_back(seen.whole(asker(request)), kind, number))
    return Status(204, None)


@api.post("/basket/{kind}/{number}/delete", response={204: None})
def delete_for_good(request: HttpRequest, kind: Literal["job", "route"], number: int) -> Any:
    """With every revision, rehearsal and release of it. The record keeps what was done."""
    noted(request, "deleted for good", basket.delete(seen.whole(asker(request)), kind, number))
    return Status(204, None)


@api.post("/jobs", response=JobOut)
def new_job(request: HttpRequest, files: File[list[UploadedFile]], names: Form[tuple[str, ...]] = ()) -> Any:  # type: ignore[assignment]
    """A job or a route: a zip, or the files of a folder with their `names` in it, in the same order (a file's own name loses its folder
    on the way)."""
    services.named(files, list(names))  # type: ignore[arg-type]
    revision = services.take_in(organisation_of(request), request.user, files)  # type: ignore[arg-type]
    _kept(request, revision)
    return _job_out(revision.job)


@api.post("/verdicts", response=JudgedOut)
def judge(
    request: HttpRequest, files: File[list[UploadedFile]], names: Form[tuple[str, ...]] = (), wait: int = 0
) -> Any:  # type: ignore[assignment]
    """A job's folder, as a zip or as its files, taken in and rehearsed in one call. Waits up to `wait` seconds (at most 55) for the verdict;
    where it is not there by then, ask for it with the rehearsal's number."""
    services.named(files, list(names))  # type: ignore[arg-type]
    revision = services.take_in(organisation_of(request), request.user, files)  # type: ignore[arg-type]
    _kept(request, revision)
    row = running.begin_rehearsal(revision, request.user)  # type: ignore[arg-type]
    return _judged(row, min(max(wait, 0), MOST_WAIT_S))


@api.get("/verdicts/{number}", response=JudgedOut)
def judged_so_far(request: HttpRequest, number: int, wait: int = 0) -> Any:
    """The verdict of a rehearsal, waited for up to `wait` seconds (at most 55)."""
    return _judged(_rehearsal(request, number), min(max(wait, 0), MOST_WAIT_S))


def _judged(row: Rehearsal, wait: int) -> dict[str, Any]:
    until = time.monotonic() + wait
    row.refresh_from_db()
    while row.state in (Rehearsal.State.QUEUED, Rehearsal.State.RUNNING) and time.monotonic() < until:
        time.sleep(ASK_EVERY_S)
        row.refresh_from_db()
    verdict = None
    stored = row.artifacts.filter(name="verdict.json").first()
    if stored is not None:
        with stored.file.open("rb") as source:
            verdict = json.loads(gzip.decompress(source.read()))
    return {
        "rehearsal": row.pk,
        "revision": row.revision_id,
        "state": row.state,
        "error": row.error,
        "verdict": verdict,
    }


@api.post("/jobs/new", response=JobOut)
def compose_job(request: HttpRequest, spec: Form[str], files: File[list[UploadedFile]]) -> Any:
    """A new job from a machine of the library and dropped files; `spec` is a NewJob as JSON."""
    organisation = organisation_of(request)
    try:
        wanted = NewJob.model_validate_json(spec)
    except ValidationError as error:
        first = error.errors()[0]
        raise services.Refused(f"{'.'.join(map(str, first['loc']))}: {first['msg']}") from error
    of_kind = LibraryFile.objects.filter(organisation=organisation)
    machine = get_object_or_404(of_kind, pk=wanted.machine, kind=LibraryFile.Kind.MACHINE)
    tools = get_object_or_404(of_kind, pk=wanted.tools, kind=LibraryFile.Kind.TOOLS) if wanted.tools else None
    mount = next(m["name"] for m in machine.data["mounts"] if m["takes"] == "work")
    revision = services.compose(organisation, request.user, wanted.job_file(mount), machine, tools, files)  # type: ignore[arg-type]
    _kept(request, revision)
    return _job_out(revision.job)


@api.get("/new-job-form", response=NewJob, include_in_schema=True)
def new_job_defaults(request: HttpRequest) -> Any:
    """A new job's form as it is when nothing has been filled in."""
    return NewJob(name="", machine=0, program="")


def _summary(item: LibraryFile) -> str:
    if item.kind == LibraryFile.Kind.TOOLS:
        return f"{len(item.data['tools'])} tools"
    if item.kind != LibraryFile.Kind.MACHINE:
        return crib.summary_of(item.data)
    axes = [link["joint"]["axis"] for link in item.data["links"] if link.get("joint")]
    return f"axes {' '.join(sorted(axes))}"


@api.get("/library", response=list[LibraryOut])
def library(request: HttpRequest) -> Any:
    organisation = organisation_of(request)
    rows = LibraryFile.objects.filter(organisation=organisation).select_related("created_by")
    jobs = glances.jobs_on(asker(request))
    return [_library_out(row, jobs.get(row.name, 0)) for row in rows]


def _library_out(row: LibraryFile, jobs: int = 0) -> dict[str, Any]:
    return {"id": row.pk, "kind": row.kind, "name": row.name, "number": row.number, "created": row.created,
            "by": row.created_by.get_username(), "summary": _summary(row),
            "glance": glances.of_machine(row), "jobs": jobs}  # fmt: skip


@api.get("/library/{number}/file")
def library_file(request: HttpRequest, number: int) -> HttpResponse:
    item = get_object_or_404(LibraryFile, pk=number, organisation=organisation_of(request))
    response = HttpResponse(json.dumps(item.data, indent=1), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="{item.kind}-{item.pk}.json"'
    return response


@api.post("/library/{kind}", response={200: LibraryOut, 422: Message})
def add_to_library(request: HttpRequest, kind: str, file: File[UploadedFile]) -> Any:
    if kind not in (LibraryFile.Kind.MACHINE, LibraryFile.Kind.TOOLS):
        return Status(422, {"detail": f"the library has no '{kind}'"})
    if (file.size or 0) > services.MAX_LIBRARY_BYTES:
        raise services.Refused(f"{file.name}: larger than {services.MAX_LIBRARY_BYTES // 10**6} MB")
    row = services.keep_in_library(organisation_of(request), request.user, kind, file.read(), file.name or "file")  # type: ignore[arg-type]
    noted(request, "put into the library", f"{row.name}, number {row.number}", kind)
    return _library_out(row)


@api.get("/library/found/{kind}", response=FoundList)
def library_found(request: HttpRequest, kind: str, words: str = "") -> Any:
    """Single tools or fixtures that answer to some words."""
    rows, count = crib.found(organisation_of(request), kind, words[:200])
    return {"found": rows, "count": count}


@api.post("/revisions/{number}/library/{kind}", response=LibraryOut)
def keep_from_setup(request: HttpRequest, number: int, kind: str, body: KeepIn) -> Any:
    """A tool or a fixture of a setup, for other setups."""
    row = crib.keep(_revision(request, number), kind, body.data, request.user)  # type: ignore[arg-type]
    noted(request, "put into the library", f"{row.name}, number {row.number}", kind)
    return _library_out(row)


@api.post("/revisions/{number}/setup/library/{other}", response=dict[str, Any])
def setup_bring(request: HttpRequest, number: int, other: int, entry: int | None = None) -> Any:
    """A tool or a fixture of the library, to be put on a setup; the files it names wait there. `entry`: which of a tool table's."""
    item = get_object_or_404(LibraryFile, pk=other, organisation=organisation_of(request))
    return crib.brought(_revision(request, number), item, entry)


@api.post("/revisions/{number}/rehearsals", response=RehearsalOut)
def rehearse(request: HttpRequest, number: int, quick: bool = False) -> Any:
    revision = get_object_or_404(Revision, pk=number, job__in=seen.jobs(asker(request)))
    noted(request, "looked at quickly" if quick else "rehearsed", _about(revision), job=revision.job_id)
    return _rehearsal_out(running.begin_rehearsal(revision, request.user, quick))  # type: ignore[arg-type]


@api.get("/revisions/{number}/archive")
def revision_archive(request: HttpRequest, number: int) -> HttpResponseBase:
    """The job's folder as a zip, as it was kept."""
    revision = _revision(request, number)
    response = sent(request, revision.archive, "application/zip")
    name = re.sub(r"[^\w.-]+", "-", f"{revision.job.name}-revision-{revision.number}").strip("-")
    response["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(name)}.zip"
    return response


@api.get("/revisions/{number}/files/{path:name}")
def revision_file(request: HttpRequest, number: int, name: str) -> HttpResponse:
    """One file of the job's folder, byte for byte."""
    revision = _revision(request, number)
    with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
        if name not in bundle.namelist():
            raise Http404
        response = HttpResponse(bundle.read(name), content_type="application/octet-stream")
    response["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(name.rpartition('/')[2])}"
    return response


@api.post("/revisions/{number}/programs", response=JobOut)
def put_programs(request: HttpRequest, number: int, files: File[list[UploadedFile]]) -> Any:
    """Programs posted again, put in the place of those of the same name, or added to the job's library."""
    revision = setups.put_programs(_revision(request, number), files, request.user)  # type: ignore[arg-type]
    _kept(request, revision)
    return _job_out(revision.job)


@api.post("/revisions/{number}/control", response=JobOut)
def put_control(request: HttpRequest, number: int, file: File[UploadedFile]) -> Any:
    """Offsets, registers and variables read in: a table, or a program of G10 blocks."""
    revision = setups.put_control(_revision(request, number), file.name or "file", file.read(), request.user)  # type: ignore[arg-type]
    _kept(request, revision)
    return _job_out(revision.job)


@api.get("/rehearsals/{number}", response=RehearsalFull)
def one_rehearsal(request: HttpRequest, number: int) -> Any:
    running.settle_lost()
    row = _rehearsal(request, number)
    triage = list(row.revision.job.triage.select_related("by"))
    earlier = history.before(row) if row.state == Rehearsal.State.DONE and not row.quick else []
    lives = history.lives(row, earlier)
    return {
        **_rehearsal_out(row),
        "job": row.revision.job.pk,
        "job_name": row.revision.job.name,
        "revision_number": row.revision.number,
        "revision_label": row.revision.label,
        "made_from": row.revision.parent.number if row.revision.parent else None,
        "machine": row.revision.machine,
        "result": row.result,
        "findings": [
            {**_finding_out(item, *_inherited(item, triage)), "life": lives[item.pk]} for item in row.findings.all()
        ],
        "gone": history.gone_since(row, earlier),
        "artifacts": [artifact.name for artifact in row.artifacts.all()],
        "release": releasing.told(
            row.releases.select_related("by", "withdrawn_by", "rehearsal__revision__job").first()
        ),
        "not_releasable": releasing.why_not(row),
        "route": _route_out(step.route, row) if (step := routes.step_of(row.revision.job)) else None,
    }


def _inherited(item: Finding, triage: list[Triage]) -> tuple[Triage | None, bool]:
    """The judgement that a finding inherits, and whether it is in doubt."""
    judgements = [row.judged for row in triage]
    found, doubt = judged(item.cause, item.data["point"], judgements)
    return (next(row for row, own in zip(triage, judgements, strict=True) if own is found) if found else None), doubt


def _finding_out(item: Finding, triage: Triage | None, doubt: bool = False) -> dict[str, Any]:
    entry = CATALOGUE.get(item.data["kind"])
    return {
        "id": item.pk,
        "title": entry.title if entry else item.data["kind"],
        "meaning": entry.meaning if entry else "",
        "data": item.told,
        "triage": triage
        and {
            "judgement": triage.judgement, "reason": triage.reason, "by": triage.by.get_username(), "at": triage.at,
            # What was accepted was accepted at that depth: a worse one has to be looked at again.
            "reopened": triage.judgement != "real" and (doubt or not triage.judged.no_worse(item.data["amount"])),
            "doubt": doubt,
            "again": history.why_again(item, triage, triage.judged),
        },
    }  # fmt: skip


@api.post("/rehearsals/{number}/cancel", response=RehearsalOut)
def cancel(request: HttpRequest, number: int) -> Any:
    row = _rehearsal(request, number)
    running.cancel(row)
    row.refresh_from_db()
    return _rehearsal_out(row)


@api.get("/rehearsals/{number}/remedies", response=SearchOut)
def remedies(request: HttpRequest, number: int) -> Any:
    return remedying.shown(_rehearsal(request, number))


@api.post("/rehearsals/{number}/remedies", response=SearchOut)
def try_remedies(request: HttpRequest, number: int, body: SearchIn) -> Any:
    """Try changes on one finding, or on all of them."""
    row = _rehearsal(request, number)
    running.begin_search(row, body.finding, request.user)  # type: ignore[arg-type]
    return remedying.shown(row)


@api.post("/rehearsals/{number}/remedies/cancel", response=SearchOut)
def cancel_remedies(request: HttpRequest, number: int) -> Any:
    row = _rehearsal(request, number)
    remedying.cancel(row)
    return remedying.shown(row)


@api.get("/rehearsals/{number}/tolerance", response=ToleranceOut)
def tolerance(request: HttpRequest, number: int) -> Any:
    return tolerating.shown(_rehearsal(request, number))


@api.post("/rehearsals/{number}/tolerance", response=ToleranceOut)
def ask_tolerance(request: HttpRequest, number: int, body: ToleranceIn) -> Any:
    """Work out how wrong the set-up may be."""
    row = _rehearsal(request, number)
    running.begin_tolerance(row, body.reach, request.user)  # type: ignore[arg-type]
    return tolerating.shown(row)


@api.post("/rehearsals/{number}/tolerance/cancel", response=ToleranceOut)
def cancel_tolerance(request: HttpRequest, number: int) -> Any:
    row = _rehearsal(request, number)
    tolerating.cancel(row)
    return tolerating.shown(row)


@api.post("/rehearsals/{number}/mend", response=RehearsalOut)
def mend(request: HttpRequest, number: int, body: MendIn) -> Any:
    """Offered changes made as a new revision, and that rehearsed."""
    row = _rehearsal(request, number)
    services.ask_if_behind(row.revision, body.anyway)
    revision = remedying.mended(row, body.offers, request.user)  # type: ignore[arg-type]
    _kept(request, revision)
    return _rehearsal_out(running.begin_rehearsal(revision, request.user))  # type: ignore[arg-type]


@api.post("/revisions/{number}/with-library", response=RehearsalOut)
def with_library(request: HttpRequest, number: int) -> Any:
    """The revision with the library's newest machine and tools, as a new one, and that rehearsed."""
    revision = touched.with_library(_revision(request, number), request.user)  # type: ignore[arg-type]
    _kept(request, revision)
    return _rehearsal_out(running.begin_rehearsal(revision, request.user))  # type: ignore[arg-type]


@api.post("/touched/rehearse", response=list[RehearsalOut])
def rehearse_touched(request: HttpRequest) -> Any:
    """Every job whose release a change of the library has touched, with what that holds now, rehearsed in the background."""
    made = touched.rehearse_all(asker(request))
    noted(request, "rehearsed what the library touched", f"{len(made)} jobs")
    return [_rehearsal_out(row) for row in made]


@api.post("/revisions/{number}/back", response=RehearsalOut)
def back(request: HttpRequest, number: int) -> Any:
    """What the revision was made from, as the newest again, and rehearsed."""
    revision = services.parent_again(_revision(request, number), request.user)  # type: ignore[arg-type]
    _kept(request, revision)
    return _rehearsal_out(running.begin_rehearsal(revision, request.user))  # type: ignore[arg-type]


@api.get("/rehearsals/{number}/artifacts/{name}")
def artifact(request: HttpRequest, number: int, name: str) -> HttpResponseBase:
    found = get_object_or_404(_rehearsal(request, number).artifacts, name=name)
    response = sent(request, found.file, found.media_type, found.packed)
    if isinstance(response, HttpResponseRedirect):
        return response  # an address that holds for some minutes is not to be remembered
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    if found.media_type == "text/html":
        response["Content-Security-Policy"] = OF_PAPERS
    return response


@api.post("/rehearsals/{number}/measured", response=CalibrationOut)
def measured_times(request: HttpRequest, number: int, body: MeasuredIn) -> Any:
    """What measured times tell of the unit that the job runs on; nothing is kept."""
    return calibrating.told(_rehearsal(request, number), body.text)


@api.post("/rehearsals/{number}/calibration", response=LibraryOut)
def learn_times(request: HttpRequest, number: int, body: MeasuredIn) -> Any:
    """Keep measured times, and the unit's machine with what they tell as a new number in the library."""
    row = _rehearsal(request, number)
    kept = calibrating.learn(row, body.text, request.user)  # type: ignore[arg-type]
    noted(request, "learned the times of", f"{kept.name}, number {kept.number}", "machine")
    return _library_out(kept)


@api.get("/rehearsals/{number}/beside/{other}", response=BesideOut)
def part_beside(request: HttpRequest, number: int, other: int) -> Any:
    """What the part of another rehearsal has more and less than that of this one."""
    return beside.difference(_rehearsal(request, number), _rehearsal(request, other))


@api.get("/rehearsals/{number}/beside/{other}/surface")
def surface_beside(request: HttpRequest, number: int, other: int) -> HttpResponse:
    """The surface of another rehearsal's part, with how far each of its triangles stands beyond the part of this one."""
    data = beside.surface(_rehearsal(request, number), _rehearsal(request, other))
    return HttpResponse(data, content_type="application/octet-stream")


@api.get("/rehearsals/{number}/report.pdf")
def report_pdf(request: HttpRequest, number: int, paper: Literal["A4", "letter"] = "A4") -> HttpResponse:
    """The report, with judgements, tolerance and release as they are now, to print and keep."""
    row = _rehearsal(request, number)
    response = HttpResponse(paperwork.report(row, paper), content_type="application/pdf")
    response["Content-Disposition"] = content_disposition_header(
        True, f"{row.revision.job.name}, rehearsal {row.pk}.pdf"
    )
    return response


@api.post("/rehearsals/{number}/film", response={200: None, 422: Message})
def film(request: HttpRequest, number: int, body: FilmIn) -> Any:
    """Stretches of the film, one after the other: the bricks that a page has not yet and now shows."""
    found = get_object_or_404(_rehearsal(request, number).artifacts, name=FILM)
    if sum(end - begin for begin, end in body.ranges) > MOST_FILM:
        return Status(422, {"detail": f"more than {MOST_FILM / 1e6:g} MB of film at once"})
    size = found.file.size
    if any(not 0 <= begin <= end <= size for begin, end in body.ranges):
        return Status(422, {"detail": "a stretch of the film that there is not"})
    return HttpResponse(store().parts(found.file.name, body.ranges), content_type=found.media_type)


@api.get("/rehearsals/{number}/program/{path:name}")
def program_text(request: HttpRequest, number: int, name: str) -> HttpResponse:
    row = _rehearsal(request, number)
    with row.revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
        if name not in bundle.namelist():
            raise Http404
        return HttpResponse(desks.text_of(bundle.read(name)), content_type="text/plain; charset=utf-8")


@api.get("/rehearsals/{number}/measures", response=list[PartMeasure])
def list_measures(request: HttpRequest, number: int) -> Any:
    return measuring.listed(_rehearsal(request, number))


@api.get("/rehearsals/{number}/measures.csv")
def measures_table(request: HttpRequest, number: int) -> HttpResponse:
    table = as_csv([row["read"] for row in measuring.listed(_rehearsal(request, number))])
    return HttpResponse(table, content_type="text/csv; charset=utf-8")


@api.post("/rehearsals/{number}/measures/try", response=PartMeasure)
def try_measure(request: HttpRequest, number: int, body: TryIn) -> Any:
    return measuring.tried(_rehearsal(request, number), body.asked)


@api.put("/rehearsals/{number}/measures", response=PartMeasure)
def put_measure(request: HttpRequest, number: int, body: MeasureIn) -> Any:
    return measuring.put(_rehearsal(request, number), body.asked, body.instead_of, request.user)  # type: ignore[arg-type]


@api.delete("/rehearsals/{number}/measures/{path:name}", response={204: None})
def take_measure_away(request: HttpRequest, number: int, name: str) -> Any:
    measuring.taken_away(_rehearsal(request, number), name)
    return Status(204, None)


@api.put("/findings/{number}/triage", response={200: FindingOut, 422: Message})
def set_triage(request: HttpRequest, number: int, body: TriageIn) -> Any:
    item = get_object_or_404(Finding, pk=number, rehearsal__revision__job__in=seen.jobs(asker(request)))
    if body.judgement == Triage.Judgement.ACCEPTED and not body.reason.strip():
        return Status(422, {"detail": "Say why it is accepted."})
    job = item.rehearsal.revision.job
    known, doubt = _inherited(item, list(job.triage.select_related("by")))
    row = known if known and not doubt else Triage(job=job, cause=item.cause)
    row.judgement, row.reason, row.by = body.judgement, body.reason, request.user  # type: ignore[assignment]
    row.amount, row.point = item.data["amount"], item.data["point"]
    row.save()
    noted(
        request,
        "judged",
        f"{_about(item.rehearsal.revision)}: {item.data['message']}",
        f"{row.judgement}: {row.reason}".rstrip(": "),
        job.pk,
    )
    return _finding_out(item, row)


@api.delete("/findings/{number}/triage", response=FindingOut)
def clear_triage(request: HttpRequest, number: int) -> Any:
    item = get_object_or_404(Finding, pk=number, rehearsal__revision__job__in=seen.jobs(asker(request)))
    known, doubt = _inherited(item, list(item.rehearsal.revision.job.triage.select_related("by")))
    if known and not doubt:
        noted(
            request,
            "took back a judgement",
            f"{_about(item.rehearsal.revision)}: {item.data['message']}",
            known.judgement,
            item.rehearsal.revision.job_id,
        )
        known.delete()
    return _finding_out(item, None)


# --- setting up and moving by hand --------------------------------------------------------------------------------------


def _revision(request: HttpRequest, number: int) -> Revision:
    return get_object_or_404(
        Revision.objects.select_related("job__organisation"), pk=number, job__in=seen.jobs(asker(request))
    )


def _machine(request: HttpRequest, number: int) -> LibraryFile:
    return get_object_or_404(
        LibraryFile, pk=number, kind=LibraryFile.Kind.MACHINE, organisation=organisation_of(request)
    )


def _held(pieces: list[HeldPieceIn] | None) -> list[HeldPiece] | None:
    return pieces and [HeldPiece(item.piece, tuple(item.grips), item.link, tuple(item.matrix)) for item in pieces]


def _model(data: bytes) -> HttpResponse:
    return HttpResponse(data, content_type="application/octet-stream")


@api.get("/library/{number}/model")
def machine_model(request: HttpRequest, number: int) -> HttpResponse:
    return _model(setups.model_file(setups.machine_alone(_machine(request, number))))


@api.get("/library/{number}/picture")
def machine_picture(request: HttpRequest, number: int) -> HttpResponse:
    """The machine with nothing on it, as PNG. What a number of the library holds never changes, and so does not its picture."""
    response = HttpResponse(glances.picture(_machine(request, number)), content_type="image/png")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@api.get("/library/{number}/faults", response=list[FaultOut])
def machine_faults(request: HttpRequest, number: int) -> Any:
    return setups.faults(setups.machine_alone(_machine(request, number)))


@api.post("/library/{number}/accessories", response=LibraryOut)
def set_accessories(request: HttpRequest, number: int, body: AccessoriesIn) -> Any:
    return _library_out(setups.with_accessories(_machine(request, number), body.off, request.user))  # type: ignore[arg-type]


@api.post("/library/{number}/meant", response=LibraryOut)
def set_meant(request: HttpRequest, number: int, body: MeantIn) -> Any:
    """Pairs of bodies that touch at rest and are meant to: no longer watched, in a new number of the machine."""
    return _library_out(setups.with_meant_pairs(_machine(request, number), body.pairs, request.user))  # type: ignore[arg-type]


@api.get("/library/{number}/control", response=ControlOut)
def machine_control(request: HttpRequest, number: int) -> Any:
    return controls.told(_machine(request, number))


@api.post("/library/{number}/control", response=LibraryOut)
def set_control(request: HttpRequest, number: int, body: ControlData) -> Any:
    """The machine with its control set like this, as a new number of it."""
    row = controls.changed(_machine(request, number), body.dict(), request.user)  # type: ignore[arg-type]
    noted(request, "put into the library", f"{row.name}, number {row.number}", "control")
    return _library_out(row)


@api.get("/library/{number}/urdf")
def machine_urdf(request: HttpRequest, number: int) -> HttpResponse:
    item = _machine(request, number)
    response = HttpResponse(to_urdf(setups.machine_alone(item).machine), content_type="application/xml")
    response["Content-Disposition"] = f'attachment; filename="machine-{item.pk}.urdf"'
    return response


@api.post("/library/{number}/move", response=MovedOut)
def move_machine(request: HttpRequest, number: int, body: MoveIn) -> Any:
    return setups.move(
        setups.machine_alone(_machine(request, number)), body.begin, body.end, body.tool, body.stop, _held(body.held)
    )


@api.post("/library/{number}/block", response=MovedOut)
def machine_block(request: HttpRequest, number: int, body: BlockIn) -> Any:
    return setups.run_block(
        setups.machine_alone(_machine(request, number)),
        body.values,
        body.tool,
        body.block,
        body.stop,
        body.channel,
        _held(body.held),
    )


def _led(job: OpenJob, body: LeadIn) -> Any:
    held = _held(body.held)
    return setups.lead(
        job, body.values, body.tool, body.frame, list(body.shift), list(body.turn), body.stop, body.channel, held
    )


@api.post("/library/{number}/lead", response=MovedOut)
def lead_machine(request: HttpRequest, number: int, body: LeadIn) -> Any:
    return _led(setups.machine_alone(_machine(request, number)), body)


@api.get("/fixtures", response=list[FixtureOut])
def fixture_library(request: HttpRequest) -> Any:
    return setups.fixtures()


@api.post("/fixtures/{name}", response=list[dict[str, Any]])
def fixture_shapes(request: HttpRequest, name: str, body: MeasuresIn) -> Any:
    return setups.fixture_shapes(name, body.measures)


@api.get("/revisions/{number}/setup", response=SetupOut)
def setup(request: HttpRequest, number: int) -> Any:
    revision = _revision(request, number)
    data, tools = setups.job_data(revision)
    return {
        "job_id": revision.job_id, "job_name": revision.job.name, "revision": revision.pk, "revision_number": revision.number,
        "job": data, "tools": tools, "offsets": setups.offsets(setups.opened(revision)),
        "carried": setups.carried_from(revision), "tolerated": tolerating.newest(revision),
    }  # fmt: skip


@api.post("/revisions/{number}/setup/model")
def setup_model(request: HttpRequest, number: int, body: JobData) -> HttpResponse:
    return _model(setups.model_file(setups.opened(_revision(request, number), body.job)))


@api.post("/revisions/{number}/setup/offsets", response=list[OffsetOut])
def setup_offsets(request: HttpRequest, number: int, body: JobData) -> Any:
    return setups.offsets(setups.opened(_revision(request, number), body.job))


@api.post("/revisions/{number}/setup/offset-here", response=dict[str, float])
def setup_offset_here(request: HttpRequest, number: int, body: OffsetHereIn) -> Any:
    return setups.offset_here(setups.opened(_revision(request, number), body.job), body.values, body.tool, body.channel)


@api.post("/revisions/{number}/setup/pick", response=FeatureOut)
def setup_pick(request: HttpRequest, number: int, body: PickIn) -> Any:
    job = setups.opened(_revision(request, number), body.job)
    return setups.picked(job, body.body, body.triangle, list(body.point), body.kind, body.mount)


@api.post("/revisions/{number}/setup/mate", response=PlaceOut)
def setup_mate(request: HttpRequest, number: int, body: MateIn) -> Any:
    data = body.job if body.job is not None else setups.job_data(_revision(request, number))[0]
    own, other = (Feature(**f.model_dump()) for f in (body.own, body.other))
    return setups.mated(data, body.body, own, other, body.way, body.gap, body.turn, body.centre)


@api.post("/revisions/{number}/setup/repeat", response=list[PlaceOut])
def setup_repeat(request: HttpRequest, number: int, body: RepeatIn) -> Any:
    data = body.job if body.job is not None else setups.job_data(_revision(request, number))[0]
    return setups.repeated(data, body.body, body.count, body.step, body.direction, body.about)


@api.post("/revisions/{number}/setup/stock", response=StockOut)
def setup_stock(request: HttpRequest, number: int, body: StockIn) -> Any:
    job = setups.opened(_revision(request, number), body.job)
    return setups.stock_for(job, body.design, body.allowance, body.standard)


@api.post("/revisions/{number}/setup/files", response=DroppedOut)
def setup_file(request: HttpRequest, number: int, file: File[UploadedFile], inches: Form[bool] = False) -> Any:  # type: ignore[assignment]
    """A model (STL, 3MF, GLB, STEP) or drawing (DXF) for a body or a holder; it waits until a revision holds it."""
    if (file.size or 0) > settings.MAX_UPLOAD_BYTES:
        raise services.Refused(f"{file.name}: larger than {settings.MAX_UPLOAD_BYTES // 10**6} MB")
    return setups.drop_in(_revision(request, number), file.name or "model", file.read(), inches)


@api.post("/revisions/{number}/setup/tool-picture", response=PictureOut)
def setup_tool_picture(request: HttpRequest, number: int, body: ToolIn) -> Any:
    return setups.tool_picture(_revision(request, number), body.tool)


@api.post("/revisions/{number}/setup/save", response=JobOut)
def setup_save(request: HttpRequest, number: int, body: SaveIn) -> Any:
    """The screen's job as a new revision, with the files dropped on it that it names."""
    base = _revision(request, number)
    services.ask_if_behind(base, body.anyway)
    revision = setups.save(base, body.job, body.tools, request.user, body.label)  # type: ignore[arg-type]
    _kept(request, revision)
    return _job_out(revision.job)


@api.post("/revisions/{number}/move", response=MovedOut)
def move(request: HttpRequest, number: int, body: MoveIn) -> Any:
    job = setups.opened(_revision(request, number), body.job)
    return setups.move(job, body.begin, body.end, body.tool, body.stop, _held(body.held))


@api.post("/revisions/{number}/block", response=MovedOut)
def run_block(request: HttpRequest, number: int, body: BlockIn) -> Any:
    job = setups.opened(_revision(request, number), body.job)
    return setups.run_block(job, body.values, body.tool, body.block, body.stop, body.channel, _held(body.held))


@api.post("/revisions/{number}/lead", response=MovedOut)
def lead(request: HttpRequest, number: int, body: LeadIn) -> Any:
    return _led(setups.opened(_revision(request, number), body.job), body)


@api.post("/revisions/{number}/reach", response=ReachOut)
def reach(request: HttpRequest, number: int, body: ReachIn) -> Any:
    return setups.reached(
        setups.opened(_revision(request, number), body.job),
        body.values,
        body.tool,
        body.body,
        body.channel,
        list(body.shift),
    )


@api.post("/revisions/{number}/stand", response=StandOut)
def stand(request: HttpRequest, number: int, body: StandIn) -> Any:
    """One step of a search for where an arm's work stands best: whoever asks goes on with `next`, or stops."""
    job = setups.opened(_revision(request, number), body.job)
    tried = {item.place: setups.best_stand.rank(item.place, item.missed, item.ease) for item in body.tried}
    return setups.stand(job, body.places, tried, body.touch)


@api.post("/revisions/{number}/stand/there", response=StoodOut)
def stand_there(request: HttpRequest, number: int, body: StoodIn) -> Any:
    """The job.json with the work and its offsets shifted to a place; nothing is kept."""
    return {"job": setups.stood_at(setups.opened(_revision(request, number), body.job), body.place)}


@api.get("/revisions/{number}/fit/{machine}", response=list[FitOut])
def fits(request: HttpRequest, number: int, machine: int) -> Any:
    return setups.compare_machine(_revision(request, number), _machine(request, machine))


@api.post("/revisions/{number}/swap/{machine}", response=JobOut)
def swap(request: HttpRequest, number: int, machine: int) -> Any:
    revision = setups.swap(_revision(request, number), _machine(request, machine), request.user)  # type: ignore[arg-type]
    _kept(request, revision)
    return _job_out(revision.job)


@api.get("/revisions/{number}/desk", response=DeskOut)
def desk(request: HttpRequest, number: int) -> Any:
    revision = _revision(request, number)
    data, tools = setups.job_data(revision)
    job = setups.opened(revision)
    done = revision.rehearsals.filter(state=Rehearsal.State.DONE).first()
    return {
        "job_id": revision.job_id, "job_name": revision.job.name, "revision": revision.pk, "revision_number": revision.number,
        "revisions": revision.job.revisions.all(), "programs": desks.programs_of(revision), "job": data, "tools": tools,
        "channels": [channel.number for channel in job.machine.channels], "dialects": [*DIALECTS, *job.dialect_files],
        "rehearsal": done.pk if done else None,
    }  # fmt: skip


@api.post("/revisions/{number}/desk/check", response=CheckOut)
def desk_check(request: HttpRequest, number: int, body: CheckIn) -> Any:
    """The program check of what the desk holds, with operations and, where asked for, the path without material."""
    return desks.check(
        desks.edited(_revision(request, number), body.programs, body.job, body.tools), body.path, body.channel
    )


@api.post("/revisions/{number}/desk/arm", response=ArmOut)
def desk_arm(request: HttpRequest, number: int, body: DeskIn) -> Any:
    """How an arm goes through what the desk holds: its joints through time, its stretches, what each operation has left."""
    return desks.arm(desks.edited(_revision(request, number), body.programs, body.job, body.tools))


@api.post("/revisions/{number}/desk/arm/block", response=ArmBlockOut)
def desk_arm_block(request: HttpRequest, number: int, body: ArmBlockIn) -> Any:
    """A line for a program that brings an arm to a kept pose; nothing is kept."""
    job = desks.edited(_revision(request, number), body.programs, body.job, body.tools)
    return desks.arm_block(job, body.program, body.line, body.at, body.feed)


@api.post("/revisions/{number}/desk/block", response=ExplainOut)
def desk_block(request: HttpRequest, number: int, body: ExplainIn) -> Any:
    """A block in plain words, with the state before and after it."""
    job = desks.edited(_revision(request, number), body.programs, body.job, body.tools)
    return desks.explain(job, body.program, body.line)


@api.post("/revisions/{number}/desk/program")
def desk_program(request: HttpRequest, number: int, body: ProgramIn) -> HttpResponse:
    """One program as the desk holds it, as a file: in the encoding and with the line ends that it has."""
    job = desks.edited(_revision(request, number), body.programs, body.job, body.tools)
    answer = HttpResponse(desks.program_file(job, body.program), content_type="application/octet-stream")
    answer["Content-Disposition"] = content_disposition_header(True, PurePosixPath(body.program).name) or "attachment"
    return answer


@api.post("/revisions/{number}/desk/save", response=RevisionRef)
def desk_save(request: HttpRequest, number: int, body: DeskSaveIn) -> Any:
    """What the desk holds as a new revision of the job."""
    base = _revision(request, number)
    services.ask_if_behind(base, body.anyway)
    revision = desks.save(base, body.programs, body.job, body.tools, request.user, body.label)  # type: ignore[arg-type]
    _kept(request, revision)
    return revision


@api.get("/rules", response=list[RuleOut])
def rules(request: HttpRequest) -> Any:
    return desks.rules(organisation_of(request))


@api.put("/rules/{name}", response={200: list[RuleOut], 422: Message})
def set_rule(request: HttpRequest, name: str, body: RuleIn) -> Any:
    desks.set_rule(organisation_of(request), name, body.setting)
    noted(request, "set a rule", name, body.setting or "as it comes")
    return desks.rules(organisation_of(request))


# --- releases and the record ---------------------------------------------------------------------------------------------


def _kept(request: HttpRequest, revision: Revision) -> None:
    noted(request, "kept", _about(revision), revision.label, revision.job_id)


def _about(revision: Revision) -> str:
    return f"{revision.job.name}, revision {revision.number}"


@api.post("/rehearsals/{number}/release", response=ReleaseOut)
def sign_release(request: HttpRequest, number: int, body: ReleaseIn) -> Any:
    """Sign that the revision may run, on the evidence of this rehearsal."""
    row = _rehearsal(request, number)
    made = releasing.release(row, body.note, request.user)  # type: ignore[arg-type]
    said = "; ".join(
        [body.note.strip(), *(f"{item['judgement']}: {item['message']} ({item['reason']})" for item in made.accepted)]
    ).strip("; ")
    noted(request, "released", f"{_about(row.revision)}, rehearsal {row.pk}", said, row.revision.job_id)
    hooks.released(made)
    return releasing.told(made)


@api.post("/releases/{number}/withdraw", response=ReleaseOut)
def withdraw_release(request: HttpRequest, number: int, body: ReleaseIn) -> Any:
    row = get_object_or_404(Release, pk=number, rehearsal__revision__job__in=seen.jobs(asker(request)))
    releasing.withdraw(row, body.note, request.user)  # type: ignore[arg-type]
    noted(
        request, "withdrew a release", _about(row.rehearsal.revision), body.note.strip(), row.rehearsal.revision.job_id
    )
    row.refresh_from_db()
    hooks.released(row, "withdrawn")
    return releasing.told(row)


@api.get("/record", response=RecordOut)
def the_record(request: HttpRequest, words: str = "") -> Any:
    """Who did what, the newest first; `broken`: the first line that is not what was written, asked only with the whole record."""
    organisation = organisation_of(request)
    return {
        "lines": record.listed(organisation, words, member=asker(request)),
        "broken": None if words else record.first_broken(organisation),
    }


@api.get("/record.csv")
def record_table(request: HttpRequest, words: str = "") -> HttpResponse:
    names = ("number", "at", "by", "act", "about", "said")
    lines = [",".join(names)]
    for row in record.listed(organisation_of(request), words, most=10**6, member=asker(request)):
        lines.append(",".join(safe_cell(row[name].isoformat() if name == "at" else str(row[name])) for name in names))
    answer = HttpResponse("\n".join([*lines, ""]), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = content_disposition_header(True, "record.csv") or "attachment"
    return answer


guard(api)
