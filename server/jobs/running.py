"""Rehearsals begun, cancelled, taken up again, and settled where their worker is lost."""

from datetime import timedelta

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.utils import timezone

from . import remedying, routes, tolerating
from .models import Rehearsal, Revision, Route, Search, Tolerance
from .tasks import run_rehearsal, run_search, run_tolerance

LOST = "The worker ended in the middle of this rehearsal. Nothing else is lost; run it again."


def take_up_again() -> None:
    """At start no worker lives: what was running is lost, and what was waiting is handed to the queue again."""
    Rehearsal.objects.filter(state=Rehearsal.State.RUNNING).update(
        state=Rehearsal.State.FAILED, error=LOST, finished=timezone.now()
    )
    for row in Rehearsal.objects.filter(state=Rehearsal.State.QUEUED):
        run_rehearsal.delay(row.pk)  # one delivered twice is carried out once
    Search.objects.filter(state=Rehearsal.State.RUNNING).update(state=Rehearsal.State.FAILED, error=remedying.LOST)
    Tolerance.objects.filter(state=Rehearsal.State.RUNNING).update(state=Rehearsal.State.FAILED, error=tolerating.LOST)
    for waiting in Search.objects.filter(state=Rehearsal.State.QUEUED):
        run_search.delay(waiting.pk)
    for held in Tolerance.objects.filter(state=Rehearsal.State.QUEUED):
        run_tolerance.delay(held.pk)


def begin_rehearsal(revision: Revision, user: AbstractBaseUser, quick: bool = False) -> Rehearsal:
    """Queue a rehearsal, or a quick look; of a step whose stock comes from others, those first, in full, that do not hold any more."""
    for step in routes.source_steps(revision).values():
        before = routes.newest(step.job)
        if routes.fresh(before) is None and routes.pending(before) is None:
            begin_rehearsal(before, user)
    rehearsal = Rehearsal.objects.create(revision=revision, created_by=user, quick=quick)
    transaction.on_commit(lambda: run_rehearsal.delay(rehearsal.pk))
    return rehearsal


def begin_search(rehearsal: Rehearsal, finding: int | None, user: AbstractBaseUser) -> None:
    """Try changes on one finding of a rehearsal, or on all. Raises Refused."""
    if remedying.asked(rehearsal, finding, user):
        number = Search.objects.get(rehearsal=rehearsal).pk
        transaction.on_commit(lambda: run_search.delay(number))


def begin_tolerance(rehearsal: Rehearsal, reach: float, user: AbstractBaseUser) -> None:
    """Work out how wrong the set-up of a rehearsal may be. Raises Refused."""
    number = tolerating.asked(rehearsal, reach, user)
    if number is not None:
        transaction.on_commit(lambda: run_tolerance.delay(number))


def begin_route(route: Route, user: AbstractBaseUser) -> list[Rehearsal]:
    """Queue every step of a route, each as it is now."""
    with transaction.atomic():
        revisions = [routes.newest(step.job) for step in route.steps.select_related("job")]
        return [routes.pending(revision) or begin_rehearsal(revision, user) for revision in revisions]


def settle_lost() -> None:
    """Rehearsals whose worker has fallen silent become failed, so that nothing stays "running" for ever.

    They are looked up first and then settled one by one: an update over all rows would wait for, and be waited for by,
    the rows that workers are writing.
    """
    limit = timezone.now() - timedelta(seconds=settings.LOST_AFTER_SECONDS)
    silent = {"state": Rehearsal.State.RUNNING, "heartbeat__lt": limit}
    for number in list(Rehearsal.objects.filter(**silent).values_list("pk", flat=True)):
        lost = Rehearsal.objects.filter(pk=number, **silent)
        if lost.update(state=Rehearsal.State.FAILED, error=LOST, finished=timezone.now()):
            for follower in routes.waiting_behind(Rehearsal.objects.get(pk=number)):
                run_rehearsal.delay(follower)


def cancel(rehearsal: Rehearsal) -> None:
    """Ask a rehearsal to stop; one still waiting is cancelled at once."""
    waiting = Rehearsal.objects.filter(pk=rehearsal.pk, state=Rehearsal.State.QUEUED)
    if not waiting.update(state=Rehearsal.State.CANCELLED, finished=timezone.now()):
        Rehearsal.objects.filter(pk=rehearsal.pk, state=Rehearsal.State.RUNNING).update(cancel_asked=True)
    for follower in routes.waiting_behind(rehearsal):
        run_rehearsal.delay(follower)
