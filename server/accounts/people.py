"""Who belongs to an organisation: asked in, given rights, taken out, and in the end forgotten."""

import hashlib
import secrets
from datetime import timedelta

from django.contrib.auth import get_user_model
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.tokens import default_token_generator
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from django.utils import timezone
from django.utils.encoding import force_bytes, force_str
from django.utils.http import urlsafe_base64_decode, urlsafe_base64_encode

from . import seats, second
from .models import Invitation, Known, Membership, Organisation, Role, Seat, Site
from .refused import Refused

INVITED_FOR = timedelta(days=7)
LEFT = "left-"  # the name of somebody who is forgotten begins so, and nobody else's
LAST = "somebody has to administer: give another person that right first"


def invite(
    organisation: Organisation, by: User | None, mail: str, role: Role, site: Site | None = None
) -> tuple[Invitation, str]:
    """An invitation and the secret of its link, which nobody can read again. Raises Refused."""
    if mail and User.objects.filter(email__iexact=mail, membership__organisation=organisation, is_active=True).exists():
        raise Refused(f"{mail} belongs to somebody here already")
    if site is not None and role == Role.ADMINISTERS:
        raise Refused("whoever administers belongs to all sites")
    secret = secrets.token_urlsafe(24)
    row = Invitation.objects.create(
        organisation=organisation,
        mail=mail,
        role=role,
        site=site,
        digest=_digest(secret),
        created_by=by,
        ends=timezone.now() + INVITED_FOR,
    )
    return row, secret


def invited(secret: str) -> Invitation | None:
    """The invitation that a link belongs to, while it holds."""
    return (
        Invitation.objects.select_related("organisation", "created_by")
        .filter(digest=_digest(secret), taken=None, ends__gt=timezone.now())
        .first()
    )


@transaction.atomic
def accept(secret: str, name: str, password: str) -> User:
    """A person for an invitation, with a name and a password of their own. Raises Refused."""
    row = Invitation.objects.select_for_update().filter(digest=_digest(secret)).first()
    if row is None or row.taken or row.ends <= timezone.now():
        raise Refused("this invitation holds no longer: ask for another")
    name = name.strip()
    user = User(username=name, email=row.mail)
    _fit(user, password)
    if name.lower().startswith(LEFT) or get_user_model().objects.filter(username__iexact=name).exists():
        raise Refused(f"the name {name} is taken: choose another")
    user.set_password(password)
    try:
        with transaction.atomic():
            user.save()
    except IntegrityError as error:  # taken in the same moment
        raise Refused(f"the name {name} is taken: choose another") from error
    Membership.objects.create(user=user, organisation=row.organisation, role=row.role, site=row.site)
    row.taken = timezone.now()
    row.save(update_fields=["taken"])
    return user


def _fit(user: User, password: str) -> None:
    """Raises Refused for a name or a password that cannot be taken."""
    try:
        User._meta.get_field("username").clean(user.username, user)
    except ValidationError as error:
        raise Refused("name: " + " ".join(error.messages)) from error
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise Refused(" ".join(error.messages)) from error


@transaction.atomic
def give(member: Membership, role: Role) -> None:
    """Give somebody another role. Raises Refused where nobody would administer any more."""
    _held(member)
    if member.role == Role.ADMINISTERS and role != Role.ADMINISTERS:
        _another_administers(member)
    member.role = role
    if role == Role.ADMINISTERS:
        member.site = None  # whoever gives others rights sees what they are rights to
    member.save(update_fields=["role", "site"])


@transaction.atomic
def take_out(member: Membership) -> None:
    """Somebody has left: they come in no more, by no way; what they did stays. Raises Refused."""
    _held(member)
    if member.role == Role.ADMINISTERS:
        _another_administers(member)
    member.user.is_active = False
    member.user.save(update_fields=["is_active"])
    member.user.tokens.filter(revoked=None).update(revoked=timezone.now())  # type: ignore[attr-defined]
    seats.end(member.user)


def bring_back(member: Membership) -> None:
    """Raises Refused for somebody who is forgotten: there is nobody left to bring back."""
    if member.user.username.startswith(LEFT):
        raise Refused("whoever this was is forgotten: invite them anew")
    member.user.is_active = True
    member.user.save(update_fields=["is_active"])


@transaction.atomic
def forget(member: Membership) -> str:
    """Take out of the installation what tells who somebody was who has left; the name that stands there now. What they did stays, under
    it. Raises Refused."""
    user = member.user
    if user.is_active:
        raise Refused("take them out first: whoever works here is not forgotten")
    second.take_off(user)
    Seat.objects.filter(user=user).delete()
    Known.objects.filter(user=user).delete()
    if user.email:
        Invitation.objects.filter(organisation=member.organisation, mail__iexact=user.email).update(mail="")
    user.tokens.update(name="of somebody who has left")  # type: ignore[attr-defined]
    user.username, user.email, user.first_name, user.last_name, user.last_login = f"{LEFT}{user.pk}", "", "", "", None
    user.set_unusable_password()
    user.save()
    return user.username


def change_password(user: User, old: str, new: str) -> None:
    """Raises Refused."""
    if not user.check_password(old):
        raise Refused("that is not your password")
    _fit(user, new)
    user.set_password(new)
    user.save(update_fields=["password"])


def way_back(name: str) -> tuple[User, str, str] | None:
    """Of somebody who has forgotten the password, by name or mail: who, and the two parts of a link that sets a new one; None for those who
    are not known, have left, or have no address to send it to."""
    by_mail = {"email__iexact": name} if "@" in name else {"username": name}
    user = User.objects.filter(is_active=True, **by_mail).exclude(email="").exclude(membership=None).first()
    if user is None:
        return None
    return user, urlsafe_base64_encode(force_bytes(user.pk)), default_token_generator.make_token(user)


def set_anew(who: str, token: str, password: str) -> User:
    """A new password by a link that holds once, for an hour; wherever they were signed in they are not any more. Raises Refused."""
    try:
        user = User.objects.filter(pk=int(force_str(urlsafe_base64_decode(who))), is_active=True).first()
    except (ValueError, OverflowError):
        user = None
    if user is None or not default_token_generator.check_token(user, token):
        raise Refused("this link holds no longer: ask for another")
    _fit(user, password)
    user.set_password(password)
    user.save(update_fields=["password"])
    seats.end(user)
    return user


def _held(member: Membership) -> None:
    """One change of an organisation's people at a time, so that the last two who administer cannot take each other out."""
    Organisation.objects.select_for_update().get(pk=member.organisation_id)
    member.refresh_from_db()


def _another_administers(member: Membership) -> None:
    others = Membership.objects.filter(organisation=member.organisation, role=Role.ADMINISTERS, user__is_active=True)
    if not others.exclude(pk=member.pk).exists():
        raise Refused(LAST)


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode("utf-8", "replace")).hexdigest()
