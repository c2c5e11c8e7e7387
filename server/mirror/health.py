"""For whoever watches the installation: whether it lives, whether it can work, and counts in the open text format of metrics (OpenMetrics 1.0).

They tell nothing of jobs or people, and only to the addresses in MIRROR_WATCHERS (loopback unless told)."""

from collections.abc import Callable

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.models import Count
from django.http import HttpRequest, HttpResponse, JsonResponse
from redis import RedisError

from jobs.models import Rehearsal, Search, Tolerance
from jobs.store import Away, store
from jobs.stream import WAITING_LIST, queue

KIND = "application/openmetrics-text; version=1.0.0; charset=utf-8"


def watched(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Answered to those who may watch; to others it is not there."""

    def asked(request: HttpRequest) -> HttpResponse:
        if request.META.get("REMOTE_ADDR") not in settings.WATCHERS:
            return JsonResponse({"detail": "not found"}, status=404)
        return answer(request)

    return asked


@watched
def alive(request: HttpRequest) -> HttpResponse:
    """That this process answers."""
    return JsonResponse({"alive": True})


@watched
def ready(request: HttpRequest) -> HttpResponse:
    """Whether work can be done: 503 with what is missing where not."""
    found = {"database": _database(), "queue": _queue(), "store": _store()}
    return JsonResponse(found, status=200 if all(said == "ok" for said in found.values()) else 503)


def _database() -> str:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except DatabaseError:
        return "does not answer"
    return "ok"


def _queue() -> str:
    try:
        queue().ping()
    except RedisError:
        return "does not answer"
    return "ok"


def _store() -> str:
    try:
        room = store().room()
    except Away as error:
        return str(error)
    return "ok" if room is None or room[0] > settings.MAX_UPLOAD_BYTES else "has no room for another job"


@watched
def metrics(request: HttpRequest) -> HttpResponse:
    lines: list[str] = []

    def gauge(name: str, told: str, values: dict[str, float]) -> None:
        lines.extend([f"# TYPE mirror_{name} gauge", f"# HELP mirror_{name} {told}"])
        lines.extend(f"mirror_{name}{label} {value:g}" for label, value in values.items())

    states = dict(Rehearsal.objects.order_by().values_list("state").annotate(Count("pk")))
    gauge(
        "rehearsals",
        "Rehearsals by state.",
        {f'{{state="{state}"}}': states.get(state, 0) for state in Rehearsal.State.values},
    )
    first = (
        Rehearsal.objects.filter(state=Rehearsal.State.QUEUED)
        .order_by("created")
        .values_list("created", flat=True)
        .first()
    )
    gauge(
        "waiting_since_seconds",
        "When the oldest rehearsal that waits was asked for; 0 while none waits.",
        {"": first.timestamp() if first else 0},
    )
    beside = {
        f'{{kind="{kind.__name__.lower()}"}}': kind.objects.filter(state__in=("queued", "running")).count()  # type: ignore[attr-defined]
        for kind in (Search, Tolerance)
    }
    gauge("beside", "Searches and tolerances that wait or are under way.", beside)
    try:
        gauge("queue_messages", "Messages that no worker has taken yet.", {"": queue().llen(WAITING_LIST)})  # type: ignore[dict-item]
    except RedisError:
        gauge("queue_messages", "Messages that no worker has taken yet.", {})
    try:
        room = store().room()
    except Away:
        room = None
    gauge(
        "store_bytes",
        "Room where jobs and rehearsals are kept, where that is known.",
        {'{room="free"}': room[0], '{room="whole"}': room[1]} if room else {},
    )
    return HttpResponse("\n".join([*lines, "# EOF", ""]), content_type=KIND)
