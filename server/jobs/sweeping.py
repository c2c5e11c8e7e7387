"""Rehearsals of many jobs that were begun at once, as one: how far they are together, what they came to, and ended together.

They wait as all others do, one by one (`queueing`), so that as many workers as there are take them up, and nothing is lost with the queue.
"""

from collections.abc import Iterable
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.db.models import Count, Max, Q, QuerySet, Sum
from django.utils import timezone

from accounts.models import Membership, Organisation

from . import running, seen
from .models import Rehearsal, Revision, Sweep

SHOWN_FOR = timedelta(days=1)  # after the last of them has ended
UNDER_WAY = ("queued", "running")


@transaction.atomic
def begin(
    organisation: Organisation, user: AbstractBaseUser, why: str, revisions: Iterable[Revision]
) -> list[Rehearsal]:
    """Rehearse all of these in the background. Raises Refused where there is no room for them."""
    sweep = Sweep.objects.create(organisation=organisation, created_by=user, why=why)
    rows = [running.begin_rehearsal(revision, user, background=True) for revision in revisions]
    Rehearsal.objects.filter(pk__in=[row.pk for row in rows]).update(sweep=sweep)
    return rows


def seen_by(member: Membership) -> QuerySet[Sweep]:
    """Sweeps of which somebody sees anything."""
    own = Rehearsal.objects.filter(revision__job__in=seen.whole(member))
    return Sweep.objects.filter(organisation=member.organisation, rehearsals__in=own).distinct()


def shown(member: Membership) -> list[dict[str, Any]]:
    """Of what somebody sees, those under way and those of the last day, the last begun first."""
    of = {state: Count("rehearsals", filter=Q(rehearsals__state=state)) for state in Rehearsal.State.values}
    rows = Sweep.objects.filter(
        organisation=member.organisation, rehearsals__revision__job__in=seen.whole(member)
    ).select_related("created_by")
    told = rows.annotate(
        whole=Count("rehearsals"),
        stopped=Count("rehearsals", filter=Q(rehearsals__state="done", rehearsals__stops__gt=0)),
        shares=Sum("rehearsals__share", filter=Q(rehearsals__state="running"), default=0.0),
        last=Max("rehearsals__finished"),
        **of,
    ).filter(Q(queued__gt=0) | Q(running__gt=0) | Q(last__gt=timezone.now() - SHOWN_FOR))
    return [
        {
            "id": row.pk, "why": row.why, "by": row.created_by.get_username(), "created": row.created, "whole": row.whole, "waiting": row.queued,
            "running": row.running, "done": row.done, "failed": row.failed, "cancelled": row.cancelled, "stopped": row.stopped,
            "share": (row.whole - row.queued - row.running + row.shares) / row.whole,
        }
        for row in told
    ]  # fmt: skip


def cancel(sweep: Sweep, member: Membership) -> None:
    """End those of it that somebody sees and that wait or run; what is done stands."""
    for row in sweep.rehearsals.filter(state__in=UNDER_WAY, revision__job__in=seen.whole(member)):
        running.cancel(row)
