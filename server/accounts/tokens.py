"""Tokens: what other people's systems sign in with. A token is shown once, kept as a digest, and may do no more than its owner."""

import hashlib
import secrets
from datetime import timedelta

from django.contrib.auth.models import AbstractBaseUser
from django.utils import timezone

from .models import Membership, Role, Token
from .refused import Refused

PREFIX = "mirror_"
MOST_DAYS = 730
USED_EVERY = timedelta(minutes=1)  # how finely it is kept when one was used last


def make(user: AbstractBaseUser, name: str, role: Role, days: int) -> tuple[Token, str]:
    """A new token and its secret, which nobody can read again. Raises Refused."""
    member = Membership.objects.filter(user=user).first()
    if member is None or not Role(member.role).covers(role):
        raise Refused("a token may do no more than you may")
    if not name.strip():
        raise Refused("give it a name, so that you know it again")
    secret = PREFIX + secrets.token_urlsafe(32)
    row = Token.objects.create(
        user=user, name=name.strip(), digest=_digest(secret), role=role, ends=timezone.now() + timedelta(days=days)
    )
    return row, secret


def owner_of(secret: str) -> tuple[Token, Role] | None:
    """The token of a secret and what it may do now; None for one that is unknown, revoked, over, or whose owner is gone."""
    row = (
        Token.objects.select_related("user__membership__organisation")
        .filter(digest=_digest(secret), revoked=None, ends__gt=timezone.now())
        .first()
    )
    if row is None or not row.user.is_active:
        return None
    member = getattr(row.user, "membership", None)
    if member is None:
        return None
    own, its = Role(member.role), Role(row.role)
    now = timezone.now()
    if row.used is None or now - row.used > USED_EVERY:
        Token.objects.filter(pk=row.pk).update(used=now)
    return row, (its if own.covers(its) else own)


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
