"""The API: thin functions over the services. Its OpenAPI document is at /api/openapi.json."""

import zipfile
from datetime import datetime
from typing import Any

from django.contrib.auth import authenticate, login, logout
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, NinjaAPI, Schema, Status
from ninja.files import UploadedFile
from ninja.security import django_auth

from accounts.models import Organisation
from bluntmirror.findings import CATALOGUE
from jobs import services
from jobs.models import Finding, Job, Rehearsal, Revision, Triage

api = NinjaAPI(title="Blunt Mirror", version="1", auth=django_auth, docs_url=None)


class Message(Schema):
    detail: str


class SignIn(Schema):
    name: str
    password: str


class Me(Schema):
    name: str
    organisation: str


class RehearsalOut(Schema):
    id: int
    state: str
    stage: str
    share: float
    error: str
    verdict: str
    seconds: float | None
    created: datetime
    finished: datetime | None
    by: str
    revision: int
    stops: int
    cautions: int


class RevisionOut(Schema):
    id: int
    number: int
    label: str
    machine: str
    created: datetime
    by: str
    rehearsals: list[RehearsalOut]


class JobOut(Schema):
    id: int
    name: str
    revisions: list[RevisionOut]


class TriageOut(Schema):
    judgement: str
    reason: str
    by: str
    at: datetime
    reopened: bool


class FindingOut(Schema):
    id: int
    title: str
    meaning: str
    data: dict[str, Any]
    triage: TriageOut | None


class RehearsalFull(RehearsalOut):
    job: int
    job_name: str
    revision_number: int
    result: dict[str, Any] | None
    findings: list[FindingOut]
    artifacts: list[str]


class TriageIn(Schema):
    judgement: str
    reason: str = ""


@api.exception_handler(services.Refused)
def _refused(request: HttpRequest, error: services.Refused) -> HttpResponse:
    return api.create_response(request, {"detail": str(error)}, status=422)


def _organisation(request: HttpRequest) -> Organisation:
    organisation = Organisation.objects.filter(members__user=request.user).first()  # type: ignore[misc]
    if organisation is None:
        raise Http404
    return organisation


def _rehearsal(request: HttpRequest, number: int) -> Rehearsal:
    return get_object_or_404(Rehearsal, pk=number, revision__job__organisation=_organisation(request))


def _rehearsal_out(row: Rehearsal) -> dict[str, Any]:
    severities = [finding.data["severity"] for finding in row.findings.all()]
    return {
        **{name: getattr(row, name) for name in ("id", "state", "stage", "share", "error", "verdict", "seconds", "created",
                                                 "finished")},
        "by": row.created_by.get_username(), "revision": row.revision_id, "stops": severities.count("stop"),
        "cautions": severities.count("caution"),
    }  # fmt: skip


def _job_out(job: Job) -> dict[str, Any]:
    revisions = []
    for revision in job.revisions.all():
        revisions.append(
            {
                "id": revision.pk, "number": revision.number, "label": revision.label, "machine": revision.machine,
                "created": revision.created, "by": revision.created_by.get_username(),
                "rehearsals": [_rehearsal_out(row) for row in revision.rehearsals.all()],
            }
        )  # fmt: skip
    return {"id": job.pk, "name": job.name, "revisions": revisions}


_WITH_ALL = (
    "revisions__created_by",
    "revisions__rehearsals__created_by",
    "revisions__rehearsals__findings",
)


@api.post("/sign-in", auth=None, response={200: Me, 401: Message})
def sign_in(request: HttpRequest, body: SignIn) -> Any:
    user = authenticate(request, username=body.name, password=body.password)
    if user is None:
        return Status(401, {"detail": "Name and password do not match."})
    login(request, user)
    request.user = user
    return me(request)


@api.post("/sign-out", response={204: None})
def sign_out(request: HttpRequest) -> Any:
    logout(request)
    return Status(204, None)


@api.get("/me", response=Me)
def me(request: HttpRequest) -> Any:
    return {"name": request.user.get_username(), "organisation": _organisation(request).name}


@api.get("/jobs", response=list[JobOut])
def list_jobs(request: HttpRequest) -> Any:
    services.settle_lost()
    jobs = Job.objects.filter(organisation=_organisation(request)).prefetch_related(*_WITH_ALL).order_by("name")
    return [_job_out(job) for job in jobs]


@api.post("/jobs", response=JobOut)
def new_job(request: HttpRequest, files: File[list[UploadedFile]]) -> Any:
    revision = services.take_in(_organisation(request), request.user, files)  # type: ignore[arg-type]
    return _job_out(revision.job)


@api.post("/revisions/{number}/rehearsals", response=RehearsalOut)
def rehearse(request: HttpRequest, number: int) -> Any:
    revision = get_object_or_404(Revision, pk=number, job__organisation=_organisation(request))
    return _rehearsal_out(services.begin_rehearsal(revision, request.user))  # type: ignore[arg-type]


@api.get("/rehearsals/{number}", response=RehearsalFull)
def one_rehearsal(request: HttpRequest, number: int) -> Any:
    services.settle_lost()
    row = _rehearsal(request, number)
    triage = {item.cause: item for item in row.revision.job.triage.select_related("by")}
    return {
        **_rehearsal_out(row),
        "job": row.revision.job.pk,
        "job_name": row.revision.job.name,
        "revision_number": row.revision.number,
        "result": row.result,
        "findings": [_finding_out(item, triage.get(item.cause)) for item in row.findings.all()],
        "artifacts": [artifact.name for artifact in row.artifacts.all()],
    }


def _finding_out(item: Finding, triage: Triage | None) -> dict[str, Any]:
    entry = CATALOGUE.get(item.data["kind"])
    return {
        "id": item.pk,
        "title": entry.title if entry else item.data["kind"],
        "meaning": entry.meaning if entry else "",
        "data": item.data,
        "triage": triage
        and {
            "judgement": triage.judgement, "reason": triage.reason, "by": triage.by.get_username(), "at": triage.at,
            # What was accepted was accepted at that depth: a worse one has to be looked at again.
            "reopened": triage.judgement != "real" and item.data["amount"] > 1.1 * triage.amount + 0.01,
        },
    }  # fmt: skip


@api.post("/rehearsals/{number}/cancel", response=RehearsalOut)
def cancel(request: HttpRequest, number: int) -> Any:
    row = _rehearsal(request, number)
    services.cancel(row)
    row.refresh_from_db()
    return _rehearsal_out(row)


@api.get("/rehearsals/{number}/artifacts/{name}")
def artifact(request: HttpRequest, number: int, name: str) -> HttpResponse:
    found = get_object_or_404(_rehearsal(request, number).artifacts, name=name)
    with found.file.open("rb") as source:
        response = HttpResponse(source.read(), content_type=found.media_type)
    if found.packed:
        response["Content-Encoding"] = "gzip"
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@api.get("/rehearsals/{number}/program/{path:name}")
def program_text(request: HttpRequest, number: int, name: str) -> HttpResponse:
    row = _rehearsal(request, number)
    with row.revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
        if name not in bundle.namelist():
            raise Http404
        return HttpResponse(bundle.read(name).decode("latin-1"), content_type="text/plain; charset=utf-8")


@api.put("/findings/{number}/triage", response={200: FindingOut, 422: Message})
def set_triage(request: HttpRequest, number: int, body: TriageIn) -> Any:
    item = get_object_or_404(Finding, pk=number, rehearsal__revision__job__organisation=_organisation(request))
    if body.judgement not in Triage.Judgement.values:
        return Status(422, {"detail": f"'{body.judgement}' is no judgement"})
    if body.judgement == Triage.Judgement.ACCEPTED and not body.reason.strip():
        return Status(422, {"detail": "Say why it is accepted."})
    row, _ = Triage.objects.update_or_create(
        job=item.rehearsal.revision.job, cause=item.cause,
        defaults={"judgement": body.judgement, "reason": body.reason, "by": request.user, "amount": item.data["amount"]},
    )  # fmt: skip
    return _finding_out(item, row)


@api.delete("/findings/{number}/triage", response=FindingOut)
def clear_triage(request: HttpRequest, number: int) -> Any:
    item = get_object_or_404(Finding, pk=number, rehearsal__revision__job__organisation=_organisation(request))
    Triage.objects.filter(job=item.rehearsal.revision.job, cause=item.cause).delete()
    return _finding_out(item, None)
