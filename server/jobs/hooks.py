"""Telling other people's systems what has happened here: a signed POST, tried again where nobody answers."""

import hashlib
import hmac
import json
import secrets
import urllib.error
import urllib.request
from typing import Any
from urllib.parse import urlsplit

from celery import shared_task
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from accounts.models import Organisation

from .models import Delivery, Hook, Rehearsal, Release
from .services import Refused
from .stream import send

Json = dict[str, Any]
EVENTS = ("finished", "released", "withdrawn")
MOST_HOOKS, KEPT = 20, 50  # of an organisation; deliveries of a hook
TIMEOUT_S, ATTEMPTS = 10.0, 5
WAIT_S = (0, 10, 60, 300, 1800)  # before each attempt


class _Straight(urllib.request.HTTPRedirectHandler):
    """Nobody is sent on to somewhere else."""

    def redirect_request(self, *_: Any) -> None:
        return None


def make(organisation: Organisation, user: AbstractBaseUser, url: str, events: list[str]) -> Hook:
    """A new hook; its secret signs what it is told. Raises Refused."""
    parts = urlsplit(url)
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise Refused("give a whole address: https://host/path")
    if parts.username or parts.password:
        raise Refused("leave name and password out of the address: what is sent is signed")
    if not events or set(events) - set(EVENTS):
        raise Refused(f"choose among {', '.join(EVENTS)}")
    if organisation.hooks.count() >= MOST_HOOKS:
        raise Refused(f"there are {MOST_HOOKS} already; take one away first")
    return Hook.objects.create(
        organisation=organisation, created_by=user, url=url, events=events, secret=secrets.token_hex(32)
    )


def finished(rehearsal: Rehearsal) -> None:
    """A rehearsal has come to its end, whichever."""
    row = Rehearsal.objects.select_related("revision__job__organisation").get(pk=rehearsal.pk)
    _tell(row.revision.job.organisation, "finished", _about(row))


def released(release: Release, event: str = "released") -> None:
    row = release.rehearsal
    said = {"by": release.by.get_username(), "note": release.note, "why": release.withdrawn_why}
    _tell(row.revision.job.organisation, event, {**_about(row), **said})


def _about(row: Rehearsal) -> Json:
    revision = row.revision
    return {
        "rehearsal": row.pk, "state": str(row.state), "verdict": row.verdict or None, "stops": row.stops, "cautions": row.cautions, "seconds": row.seconds,
        "job": revision.job.name, "revision": revision.number, "digest": revision.digest, "machine": revision.machine, "error": row.error,
        "verdict_address": f"/api/rehearsals/{row.pk}/artifacts/verdict.json",
    }  # fmt: skip


def _tell(organisation: Organisation, event: str, body: Json) -> None:
    for hook in organisation.hooks.all():
        if event in hook.events:
            row = Delivery.objects.create(hook=hook, event=event, body={"event": event, **body})
            old = hook.deliveries.values_list("pk", flat=True)[KEPT:]
            Delivery.objects.filter(pk__in=list(old)).delete()
            transaction.on_commit(lambda number=row.pk: send(deliver, number))  # type: ignore[misc]


def signature(secret: str, data: bytes) -> str:
    """What the header says of the body (HMAC, RFC 2104, with SHA-256)."""
    return "sha256=" + hmac.new(secret.encode(), data, hashlib.sha256).hexdigest()


@shared_task
def deliver(number: int) -> None:
    """Send one; where nobody answers with a success, again later."""
    row = Delivery.objects.select_related("hook").filter(pk=number).first()
    if row is None or (row.answered is not None and row.answered < 300) or row.attempts >= ATTEMPTS:
        return
    data = json.dumps(row.body).encode()
    headers = {"Content-Type": "application/json", "X-Mirror-Event": row.event, "X-Mirror-Delivery": str(row.pk),
               "X-Mirror-Signature": signature(row.hook.secret, data)}  # fmt: skip
    row.attempts += 1
    row.answered, row.error = None, ""
    try:
        request = urllib.request.Request(row.hook.url, data, headers, method="POST")
        with urllib.request.build_opener(_Straight).open(request, timeout=TIMEOUT_S) as answer:
            row.answered = answer.status
    except urllib.error.HTTPError as answer:
        row.answered, row.error = answer.code, str(answer.reason)[:300]
    except (OSError, ValueError) as error:
        reason = getattr(error, "reason", error)  # what lies behind a failed connection
        row.error = str(getattr(reason, "strerror", None) or reason)[:300]
    row.save()
    if (row.answered is None or row.answered >= 300) and row.attempts < ATTEMPTS:
        deliver.apply_async((number,), countdown=WAIT_S[row.attempts])
