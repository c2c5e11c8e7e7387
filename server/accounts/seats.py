"""Where people are signed in: listed, kept up to date, and ended from anywhere."""

from datetime import datetime, timedelta

from django.contrib.auth.models import AbstractBaseUser
from django.contrib.sessions.models import Session
from django.http import HttpRequest
from django.utils import timezone

from .models import Seat

SEEN_EVERY = timedelta(minutes=5)  # how finely it is kept when somebody was last here
_SEEN = "seen"


def begin(request: HttpRequest, user: AbstractBaseUser) -> None:
    """Somebody has signed in by this request."""
    if request.session.session_key is None:
        request.session.create()
    Seat.objects.update_or_create(
        session=request.session.session_key,
        defaults={
            "user": user,
            "address": str(request.META.get("REMOTE_ADDR", ""))[:45],
            "browser": request.headers.get("User-Agent", "")[:200],
            "seen": timezone.now(),
        },
    )


def leave(request: HttpRequest) -> None:
    """Somebody signs out by this request."""
    Seat.objects.filter(session=request.session.session_key).delete()


def still_here(request: HttpRequest) -> None:
    """Keep when somebody was last here, without a write at every request."""
    now = timezone.now()
    last = request.session.get(_SEEN)
    if last is None or now - datetime.fromisoformat(last) > SEEN_EVERY:
        request.session[_SEEN] = now.isoformat()
        Seat.objects.filter(session=request.session.session_key).update(seen=now)


def of(user: AbstractBaseUser) -> list[Seat]:
    """Where somebody is signed in, the last seen first; seats whose session is over go."""
    rows = list(Seat.objects.filter(user=user))
    held = set(
        Session.objects.filter(
            session_key__in=[row.session for row in rows], expire_date__gt=timezone.now()
        ).values_list("session_key", flat=True)
    )
    Seat.objects.filter(pk__in=[row.pk for row in rows if row.session not in held]).delete()
    return [row for row in rows if row.session in held]


def end(user: AbstractBaseUser, number: int | None = None, but: str = "") -> int:
    """Sign somebody out of one seat, or of all `but` that of one session; how many it were."""
    rows = Seat.objects.filter(user=user).exclude(session=but)
    if number is not None:
        rows = rows.filter(pk=number)
    keys = list(rows.values_list("session", flat=True))
    Session.objects.filter(session_key__in=keys).delete()
    rows.delete()
    return len(keys)
