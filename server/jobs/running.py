"""Rehearsals begun, cancelled, taken up again, and settled where their worker is lost."""

import time
from contextlib import suppress

import redis
from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.utils import timezone

from . import hooks, logs, pulse, remedying, room, routes, tolerating
from .models import Delivery, Rehearsal, Revision, Route, Search, Tolerance
from .stream import WAITING_LIST, queue, send
from .tasks import run_search, run_tolerance, wake

LOST = "The worker ended in the middle of this rehearsal. Nothing else is lost; run it again."
WAKE_AFTER_SECONDS = 5
_settled = float("-inf")
_waiting = float("inf")  # since when something has waited, by this process's own clock


def take_up_again() -> None:
    """At start no worker of this machine lives: what it was running is lost, and what was waiting is told of again. What workers on other
    machines have under way goes on."""
    lost = {"state": Rehearsal.State.RUNNING, "worker__in": ("", settings.WORKER)}
    Rehearsal.objects.filter(**lost).update(state=Rehearsal.State.FAILED, error=LOST, finished=timezone.now())
    for _ in range(Rehearsal.objects.filter(state=Rehearsal.State.QUEUED).count()):
        wake()  # once for each, so that every worker hears of it
    Search.objects.filter(**lost).update(state=Rehearsal.State.FAILED, error=remedying.LOST)
    Tolerance.objects.filter(**lost).update(state=Rehearsal.State.FAILED, error=tolerating.LOST)
    _send_what_waits_beside()


def _send_what_waits_beside() -> None:
    """Searches and tolerances that wait, and what hooks were never told; one sent twice is carried out once."""
    for kind, task in ((Search, run_search), (Tolerance, run_tolerance)):
        for number in kind.objects.filter(state=Rehearsal.State.QUEUED).values_list("pk", flat=True):  # type: ignore[attr-defined]
            send(task, number)
    for number in Delivery.objects.filter(attempts=0).values_list("pk", flat=True):
        send(hooks.deliver, number)


def begin_rehearsal(
    revision: Revision, user: AbstractBaseUser, quick: bool = False, background: bool = False
) -> Rehearsal:
    """Queue a rehearsal, or a quick look, `background` where nobody waits for it. Of a step whose stock comes from others,
    those first, in full, that do not hold any more. Raises Refused where its organisation has no room for it."""
    organisation = revision.job.organisation
    room.to_keep(organisation)
    room.to_wait(organisation)
    for step in routes.source_steps(revision).values():
        before = routes.newest(step.job)
        if routes.fresh(before) is None and routes.pending(before) is None:
            begin_rehearsal(before, user, background=background)
    rehearsal = Rehearsal.objects.create(
        revision=revision, created_by=user, quick=quick, background=background, asked_in=logs.number()
    )
    transaction.on_commit(wake)
    return rehearsal


def begin_search(rehearsal: Rehearsal, finding: int | None, user: AbstractBaseUser) -> None:
    """Try changes on one finding of a rehearsal, or on all. Raises Refused."""
    if remedying.asked(rehearsal, finding, user):
        number = Search.objects.get(rehearsal=rehearsal).pk
        transaction.on_commit(lambda: send(run_search, number))


def begin_tolerance(rehearsal: Rehearsal, reach: float, user: AbstractBaseUser) -> None:
    """Work out how wrong the set-up of a rehearsal may be. Raises Refused."""
    number = tolerating.asked(rehearsal, reach, user)
    if number is not None:
        transaction.on_commit(lambda: send(run_tolerance, number))


def begin_route(route: Route, user: AbstractBaseUser) -> list[Rehearsal]:
    """Queue every step of a route, each as it is now."""
    with transaction.atomic():
        revisions = [routes.newest(step.job) for step in route.steps.select_related("job")]
        return [routes.pending(revision) or begin_rehearsal(revision, user) for revision in revisions]


def settle_lost() -> None:
    """As `settle_now`, where it was not just done: many look at once, and once a second is enough."""
    global _settled
    now = time.monotonic()
    if now - _settled >= settings.SETTLE_EVERY_SECONDS:
        _settled = now
        settle_now()


def settle_now() -> None:
    """Rehearsals whose worker has fallen silent become failed, so that nothing stays "running" for ever, and where something waits the
    workers are told again: what the queue lost costs a few seconds.

    They are looked up first and then settled one by one: an update over all rows would wait for, and be waited for by,
    the rows that workers are writing.
    """
    for row in pulse.silent_rehearsals():
        lost = Rehearsal.objects.filter(pk=row.pk, state=Rehearsal.State.RUNNING, heartbeat=row.heartbeat)
        lost.update(state=Rehearsal.State.FAILED, error=LOST, finished=timezone.now())
    _tell_again()


def _tell_again() -> None:
    """Where something has waited for a while and nothing of it is in the queue, tell the workers again."""
    global _waiting
    queued = {"state": Rehearsal.State.QUEUED}
    waits = any(kind.objects.filter(**queued).exists() for kind in (Rehearsal, Search, Tolerance))  # type: ignore[attr-defined]
    if not waits and not Delivery.objects.filter(attempts=0).exists():
        _waiting = float("inf")
        return
    _waiting = min(_waiting, time.monotonic())
    if time.monotonic() - _waiting < WAKE_AFTER_SECONDS:
        return
    with suppress(redis.RedisError):
        if not queue().llen(WAITING_LIST) and queue().set("waked", 1, nx=True, ex=WAKE_AFTER_SECONDS):
            wake()
            _send_what_waits_beside()


def cancel(rehearsal: Rehearsal) -> None:
    """Ask a rehearsal to stop; one still waiting is cancelled at once."""
    waiting = Rehearsal.objects.filter(pk=rehearsal.pk, state=Rehearsal.State.QUEUED)
    if not waiting.update(state=Rehearsal.State.CANCELLED, finished=timezone.now()):
        Rehearsal.objects.filter(pk=rehearsal.pk, state=Rehearsal.State.RUNNING).update(cancel_asked=True)
    wake()  # a step may have waited for it
