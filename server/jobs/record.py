"""The record of who did what: written once, never changed, and proved by a chain of digests."""

import hashlib
import json
import re
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from accounts.models import Membership, Organisation

from . import seen
from .models import Entry

MOST_SHOWN = 500
MOST_SAID = 2000
_PERSON = re.compile(r"\{person:(\d+)\}")


def note(
    organisation: Organisation, by: AbstractBaseUser, act: str, about: str, said: str = "", job: int | None = None
) -> None:
    with transaction.atomic():
        Organisation.objects.select_for_update().get(pk=organisation.pk)  # one at a time, so that the chain has no fork
        last = Entry.objects.filter(organisation=organisation).first()
        row = Entry(organisation=organisation, number=last.number + 1 if last else 1, at=timezone.now(), by=person(by), act=act,
                    about=about[:300], said=said[:MOST_SAID], job=job)  # fmt: skip
        row.digest = digest_of(row, last.digest if last else "")
        row.save()


def person(user: AbstractBaseUser) -> str:
    """How a person is written in the record: by number, so that a name can be taken out of the installation and the record stays whole."""
    return f"{{person:{user.pk}}}"


def digest_of(row: Entry, before: str) -> str:
    whole = [before, row.number, row.at.isoformat(), row.by, row.act, row.about, row.said, row.job]
    return hashlib.sha256(json.dumps(whole).encode()).hexdigest()


def first_broken(organisation: Organisation) -> int | None:
    """The number of the first line that is not what was written, or before which one is missing; None where the record is whole."""
    before = ""
    for number, row in enumerate(Entry.objects.filter(organisation=organisation).order_by("number"), 1):
        if row.number != number or row.digest != digest_of(row, before):
            return number
        before = row.digest
    return None


def listed(
    organisation: Organisation, words: str = "", job: int | None = None, most: int = MOST_SHOWN,
    member: Membership | None = None,
) -> list[dict[str, Any]]:  # fmt: skip
    """The newest lines first; those in which every one of the words stands somewhere. A `member` who belongs to a site sees those of the jobs that
    they see, and their own."""
    rows = Entry.objects.filter(organisation=organisation)
    if member is not None and member.site_id:
        own = seen.whole(member).values_list("pk", flat=True)
        rows = rows.filter(Q(job__in=list(own)) | Q(by=person(member.user)))
    if job is not None:
        rows = rows.filter(job=job)
    names = dict(get_user_model().objects.filter(membership__organisation=organisation).values_list("pk", "username"))

    def named(text: str) -> str:
        return _PERSON.sub(lambda found: names.get(int(found[1]), found[0]), text)

    found = []
    sought = words.lower().split()
    for row in rows.iterator(chunk_size=1000):
        texts = {name: named(getattr(row, name)) for name in ("by", "about", "said")}
        text = " ".join([*texts.values(), row.act]).lower()
        if all(word in text for word in sought):
            found.append({"number": row.number, "at": row.at, "act": row.act, "job": row.job, **texts})
            if len(found) >= most:
                break
    return found
