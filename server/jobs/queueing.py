"""Whose turn it is: rehearsals wait in the database, and are taken up by turns.

What goes through the queue only says that something waits. So nothing is lost with it, and the order is made when a worker is free: the
organisation, and in it the person, whose last turn is longest ago comes next, with their quick looks first and what was begun for many jobs at
once last. Somebody's hundred rehearsals thus keep another's first waiting for one turn.
"""

from collections import defaultdict
from collections.abc import Iterator
from datetime import timedelta
from typing import Any

from django.db.models import Max
from django.utils import timezone

from accounts.models import Membership

from . import seen
from .models import Rehearsal

REMEMBERED = timedelta(days=1)  # turns longer ago than this are all alike


def in_order() -> list[int]:
    """The numbers of all rehearsals that wait, in the order in which they would be taken up now."""
    waiting: dict[tuple[int, int], list[int]] = defaultdict(list)
    rows = Rehearsal.objects.filter(state=Rehearsal.State.QUEUED).order_by("background", "-quick", "pk")
    for number, organisation, person in rows.values_list("pk", "revision__job__organisation", "created_by"):
        waiting[organisation, person].append(number)
    return list(_by_turns(waiting, _last_turns())) if waiting else []


def shown(member: Membership) -> dict[str, Any]:
    """What is under way and what waits of what somebody sees, in order; `place`: how many come before it, of whomever, and one more."""
    places = {number: place for place, number in enumerate(in_order(), 1)}
    rows = (
        Rehearsal.objects.filter(
            revision__job__in=seen.whole(member), state__in=(Rehearsal.State.QUEUED, Rehearsal.State.RUNNING)
        )
        .select_related("revision__job", "created_by")
        .defer("result")
    )
    told = [
        {
            "id": row.pk, "job": row.revision.job.name, "revision": row.revision.number, "machine": row.revision.machine,
            "by": row.created_by.get_username(), "worker": row.worker, "state": row.state, "stage": row.stage, "share": row.share, "quick": row.quick,
            "background": row.background, "created": row.created, "begun": row.begun, "place": places.get(row.pk),
        }
        for row in rows
    ]  # fmt: skip
    told.sort(key=lambda item: (item["place"] is not None, item["place"] or item["id"]))
    whole = Rehearsal.objects.filter(state__in=(Rehearsal.State.QUEUED, Rehearsal.State.RUNNING)).count()
    return {"rehearsals": told, "others": whole - len(told)}


def _last_turns() -> dict[tuple[int, int], float]:
    recent = Rehearsal.objects.filter(begun__gt=timezone.now() - REMEMBERED).order_by()
    told = recent.values_list("revision__job__organisation", "created_by").annotate(last=Max("begun"))
    return {(organisation, person): last.timestamp() for organisation, person, last in told}


def _by_turns(waiting: dict[tuple[int, int], list[int]], turns: dict[tuple[int, int], float]) -> Iterator[int]:
    """`waiting`: what each person of an organisation waits for; `turns`: when each had the last turn."""
    left = {key: list(reversed(numbers)) for key, numbers in waiting.items()}
    last = dict(turns)
    of_house: dict[int, float] = defaultdict(float)
    for (house, _), turn in turns.items():
        of_house[house] = max(of_house[house], turn)
    now = max(of_house.values(), default=0.0)
    while left:
        key = min(left, key=lambda key: (of_house[key[0]], last.get(key, 0.0), left[key][-1]))
        yield left[key].pop()
        now += 1.0
        last[key] = of_house[key[0]] = now
        if not left[key]:
            del left[key]
