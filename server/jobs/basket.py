"""The basket: jobs and routes thrown away can be brought back for a while; then they go for good, with all that was worked out of them.

What is released is not thrown away by whoever made or signed it: that takes another person who may release.
"""

from datetime import timedelta
from typing import Any

from django.core.files.storage import default_storage
from django.db import transaction
from django.db.models import Q, QuerySet
from django.http import Http404
from django.utils import timezone

from accounts.models import Membership, Organisation, Role

from . import room, running
from .models import Artifact, Job, LibraryFile, Rehearsal, Release, Revision, Route, Search, Tolerance
from .services import Refused
from .store import store

KEPT_FOR = timedelta(days=30)
STRAY_AFTER = timedelta(days=1)  # a file that no row names may be one that is being kept this moment


@transaction.atomic
def throw(job: Job, by: Membership) -> None:
    """Into the basket; what waits or runs of it is stopped. Raises Refused."""
    step = getattr(job, "step", None)
    if step is not None and step.route.thrown_as == 0:
        raise Refused(f"it is a step of the route {step.route.name}: throw that away")
    _throw(job, by)


@transaction.atomic
def throw_route(route: Route, by: Membership) -> None:
    """A route and the jobs that are its steps. Raises Refused."""
    for step in route.steps.select_related("job"):
        _throw(step.job, by)
    Route.objects.filter(pk=route.pk).update(thrown_as=route.pk)


def _throw(job: Job, by: Membership) -> None:
    signed = Release.objects.filter(rehearsal__revision__job=job, withdrawn_at=None)
    if signed.exists():
        if not Role(by.role).covers(Role.RELEASES):
            raise Refused(f"{job.name} is released: somebody who may release can throw it away")
        if signed.filter(Q(by=by.user) | Q(rehearsal__revision__created_by=by.user)).exists():
            raise Refused(f"{job.name} is released, and you made or signed it: another person has to throw it away")
    for row in Rehearsal.objects.filter(revision__job=job, state__in=("queued", "running")):
        running.cancel(row)
    for kind in (Search, Tolerance):
        kind.objects.filter(rehearsal__revision__job=job).update(cancel_asked=True)  # type: ignore[attr-defined]
    Job.objects.filter(pk=job.pk).update(thrown_as=job.pk, thrown_at=timezone.now(), thrown_by=by.user)


def listed(jobs: QuerySet[Job]) -> list[dict[str, Any]]:
    """What of these jobs lies in the basket, the last thrown first; a route with its steps is one."""
    rows = jobs.exclude(thrown_as=0).select_related("thrown_by", "step__route")
    found: dict[tuple[str, int], dict[str, Any]] = {}
    for job in rows.order_by("-thrown_at"):
        step = getattr(job, "step", None)
        kind, number, name = ("route", step.route_id, step.route.name) if step else ("job", job.pk, job.name)
        assert job.thrown_at is not None and job.thrown_by is not None
        said = {
            "kind": kind,
            "id": number,
            "name": name,
            "at": job.thrown_at,
            "by": job.thrown_by.get_username(),
            "ends": job.thrown_at + KEPT_FOR,
        }
        found.setdefault((kind, number), said)
    return list(found.values())


def _those(jobs: QuerySet[Job], kind: str, number: int) -> tuple[list[Job], Route | None]:
    rows = jobs.select_for_update().exclude(thrown_as=0)
    if kind == "job":
        return list(rows.filter(pk=number, step=None)), None
    found = list(rows.filter(step__route=number))
    return found, Route.objects.get(pk=number) if found else None


@transaction.atomic
def bring_back(seen: QuerySet[Job], kind: str, number: int) -> str:
    """Of what somebody sees, out of the basket again; its name. Raises Refused where there is another of its name by now, Http404 where it is not there."""
    jobs, route = _those(seen, kind, number)
    if not jobs:
        raise Http404("it is not in the basket")
    organisation = jobs[0].organisation
    for job in jobs:
        if Job.objects.filter(organisation=organisation, name=job.name, thrown_as=0).exists():
            raise Refused(f"there is another job {job.name} now: throw that away first")
    if route is not None:
        if Route.objects.filter(organisation=organisation, name=route.name, thrown_as=0).exists():
            raise Refused(f"there is another route {route.name} now: throw that away first")
        Route.objects.filter(pk=route.pk).update(thrown_as=0)
    Job.objects.filter(pk__in=[job.pk for job in jobs]).update(thrown_as=0, thrown_at=None, thrown_by=None)
    return route.name if route else jobs[0].name


def delete(seen: QuerySet[Job], kind: str, number: int) -> str:
    """Of what somebody sees, for good, files and all; its name. Raises Http404 where it is not in the basket."""
    with transaction.atomic():
        jobs, route = _those(seen, kind, number)
        if not jobs:
            raise Http404("it is not in the basket")
        numbers = [job.pk for job in jobs]
        files = [
            *Revision.objects.filter(job__in=numbers).values_list("archive", flat=True),
            *Artifact.objects.filter(rehearsal__revision__job__in=numbers).values_list("file", flat=True),
        ]
        Release.objects.filter(rehearsal__revision__job__in=numbers).delete()
        Job.objects.filter(pk__in=numbers).delete()
        if route is not None:
            route.delete()

        def remove() -> None:
            for name in files:
                default_storage.delete(name)
            room.forget()

        transaction.on_commit(remove)
    return route.name if route else jobs[0].name


def clear() -> tuple[int, int]:
    """Delete what has lain in the basket for its time, and files that belong to nothing; how many of each."""
    gone = 0
    for organisation in Organisation.objects.all():
        own = Job.objects.filter(organisation=organisation)
        for item in listed(own):
            if item["ends"] < timezone.now():
                delete(own, item["kind"], item["id"])
                gone += 1
    strays = stray_files()
    for name in strays:
        default_storage.delete(name)
    return gone, len(strays)


def stray_files() -> list[str]:
    """Files of the store that no row names: of what broke off while it was kept."""
    young = timezone.now().timestamp() - STRAY_AFTER.total_seconds()
    there = [
        file.name for file in store().listed() if file.changed < young
    ]  # before the rows: what comes meanwhile is named
    named = {
        name
        for rows in (
            Revision.objects.values_list("archive", flat=True),
            Artifact.objects.values_list("file", flat=True),
            LibraryFile.objects.values_list("meshes", flat=True),
        )
        for name in rows.iterator(chunk_size=5000)
    }
    return [name for name in there if name not in named]
