"""How the jobs of an organisation stand, in one digest: while it is the same, so is everything that the list of jobs tells."""

import hashlib
import threading
import time
from collections import defaultdict
from functools import lru_cache
from typing import Any

import redis
from django.conf import settings
from django.db.models import Count, F, Max, Q, Sum

from accounts.models import Organisation
from bluntmirror.rehearsal.checkpoints import code_digest

from .models import Job, LibraryFile, Rehearsal, Revision, Triage

HOLDS_S, AWAY_S = 1.0, 5.0
_known: dict[tuple[int, int], tuple[float, str]] = {}
_asking: dict[int, threading.Lock] = defaultdict(threading.Lock)
_away_until = float("-inf")


def standing(organisation: Organisation) -> str:
    """As `asked`, from a second ago at most, and never from before something that a person of the organisation has done since."""
    moved = _moved(organisation.pk)
    if moved is None:
        return asked(organisation)
    key = organisation.pk, moved
    with _asking[organisation.pk]:  # one asks for all of them who look in the same moment
        known = _known.get(key)
        if known is None or time.monotonic() - known[0] > HOLDS_S:
            for old in [old for old, (at, _) in list(_known.items()) if time.monotonic() - at > HOLDS_S]:
                _known.pop(old, None)
            known = _known[key] = time.monotonic(), asked(organisation)
    return known[1]


def move(number: int) -> None:
    """Somebody of this organisation has done something."""
    _told("incr", number)


def _moved(number: int) -> int | None:
    """How often somebody has; None where the queue's store does not tell."""
    found = _told("get", number)
    return None if found is None else int(found)


def _told(command: str, number: int) -> Any:
    global _away_until
    if time.monotonic() < _away_until:
        return None
    try:
        answer = getattr(_store(), command)(f"moved:{number}")
    except redis.RedisError:
        _away_until = time.monotonic() + AWAY_S
        return None
    return 0 if answer is None else answer


@lru_cache(maxsize=1)
def _store() -> redis.Redis:
    return redis.Redis.from_url(settings.QUEUE_URL, socket_timeout=0.5, socket_connect_timeout=0.5)


def asked(organisation: Organisation) -> str:
    """A digest that is another whenever anything that the list of jobs tells is: of counts, last numbers and last moments."""
    parts: list[Any] = [code_digest()]
    rehearsals = Rehearsal.objects.filter(revision__job__organisation=organisation)
    states = [Count("pk", filter=Q(state=state)) for state in Rehearsal.State.values]
    for rows, told in (
        (
            Job.objects.filter(organisation=organisation),
            [Count("pk"), Max("pk"), Sum("thrown_as"), Sum(F("site") * F("pk")), Max("thrown_at"), Max("step__route")],
        ),
        (Revision.objects.filter(job__organisation=organisation), [Count("pk"), Max("pk")]),
        (rehearsals, [Max("pk"), Max("finished"), Max("begun"), Sum("share"), *states]),
        (rehearsals.exclude(releases=None), [Count("releases"), Max("releases"), Max("releases__withdrawn_at")]),
        (Triage.objects.filter(job__organisation=organisation), [Count("pk"), Max("at")]),
        (LibraryFile.objects.filter(organisation=organisation), [Count("pk"), Max("pk")]),
    ):
        named = {f"n{place}": what for place, what in enumerate(told)}
        parts += rows.order_by().aggregate(**named).values()  # type: ignore[attr-defined]
    names = organisation.members.order_by("pk").values_list("user__username", flat=True)
    return hashlib.sha256(repr((parts, list(names))).encode()).hexdigest()[:24]
