"""The door: signing in and out, invitations taken up, passwords, the second factor, and where one is signed in."""

import logging
import time
from typing import Any
from urllib.parse import quote

from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from accounts import elsewhere, guesses, letters, people, seats, second
from accounts.models import Membership
from accounts.refused import Refused
from jobs import joining, record

from .asked import OF_NOBODY, member_of, noted, organisation_of
from .limits import from_here
from .people_schemas import (
    AcceptIn,
    AccountOut,
    AnewIn,
    CodeIn,
    ElsewhereOut,
    ForgottenIn,
    InvitedOut,
    JoinIn,
    JoinOut,
    Me,
    Message,
    PasswordIn,
    SecondBegun,
    SignIn,
    SpareCodes,
)

ELSEWHERE = "This comes from a page of another site."
GONE = "This invitation holds no longer: ask for another."
A_CODE = "Type the code of your second factor."
LETTER = """Somebody asked for a new password for {name}.

Set one within the hour:
{link}

If it was not you, leave this letter be: nothing has changed.
"""

log = logging.getLogger(__name__)
door = Router()


def _address(request: HttpRequest) -> str:
    return str(request.META.get("REMOTE_ADDR", ""))


def _at_links(request: HttpRequest) -> tuple[str, str]:
    """What guesses at links count under: the address they come from, so that nobody elsewhere is kept from a link of their own."""
    address = _address(request)
    return f"links, {address}", address


def _too_many(wait: int) -> Status[Any]:
    said = f"Too many sign-ins have failed. Try again in {-(-wait // 60)} minute{'s' if wait > 60 else ''}."
    return Status(429, {"detail": said})


@door.post("/sign-in", auth=None, response={200: Me, 202: Message, 401: Message, 403: Message, 429: Message})
def sign_in(request: HttpRequest, body: SignIn) -> Any:
    """202: name and password are right, and the code of the second factor is wanted beside them."""
    if not from_here(request):  # else another page could sign a person in as somebody of its own choice
        return Status(403, {"detail": ELSEWHERE})
    address = _address(request)
    if wait := guesses.wait_for(body.name, address):
        return _too_many(wait)
    user = authenticate(request, username=body.name, password=body.password)
    if user is None:
        guesses.failed(body.name, address)
        return Status(401, {"detail": "Name and password do not match."})
    if second.needed(user):
        if not body.code.strip():
            return Status(202, {"detail": A_CODE})
        if not second.holds(user, body.code):
            guesses.failed(body.name, address)
            return Status(401, {"detail": "The code does not hold. A new one comes every 30 seconds."})
    guesses.succeeded(body.name, address)
    if not Membership.objects.filter(user=user).exists():  # type: ignore[misc]
        return Status(403, {"detail": OF_NOBODY})
    return _in(request, user)


def _in(request: HttpRequest, user: Any) -> Any:
    login(request, user, "django.contrib.auth.backends.ModelBackend")
    seats.begin(request, user)
    request.user = user
    vars(request).pop("asked_by", None)
    return me(request)


@door.post("/join", auth=None, response={200: JoinOut, 403: Message, 409: Message, 429: Message})
def join(request: HttpRequest, body: JoinIn) -> Any:
    """A worker on another machine, with a key that was made where the installation runs: what it needs is told once."""
    links, address = _at_links(request)
    if wait := guesses.wait_for(links, address):
        return _too_many(wait)
    try:
        told = joining.taken(body.key, address)
    except joining.Unreachable as error:
        return Status(409, {"detail": f"{error}"})
    if told is None:
        guesses.failed(links, address)
        return Status(403, {"detail": "this key holds no longer: each lets one worker join, within a day"})
    log.info("a worker has joined from %s", address)
    return {"environment": told}


# --- through a provider elsewhere ------------------------------------------------------------------------------------------

# In the session: why somebody was not let in; who has still to give a code.
SAID, HALF_IN = "elsewhere said", "elsewhere half in"


def _back(request: HttpRequest) -> str:
    return request.build_absolute_uri("/api/elsewhere/back")


def _to_the_door(request: HttpRequest, said: str) -> HttpResponse:
    request.session[SAID] = said
    return HttpResponseRedirect("/")


def _half_in(request: HttpRequest) -> User | None:
    """Whom the provider has let in, and who has still to give a code."""
    half = request.session.get(HALF_IN)
    if half is None or time.time() - half["at"] > elsewhere.BEGUN_SECONDS:
        return None
    return User.objects.filter(pk=half["who"], is_active=True).first()


@door.get("/elsewhere", auth=None, response=ElsewhereOut)
def elsewhere_told(request: HttpRequest) -> Any:
    """Whether people may sign in through a provider elsewhere, what came of the last try, and whether a code is wanted still."""
    return {"name": elsewhere.name(), "said": request.session.pop(SAID, ""), "code": _half_in(request) is not None}


@door.get("/elsewhere/begin", auth=None)
def elsewhere_begin(request: HttpRequest) -> Any:
    try:
        return HttpResponseRedirect(elsewhere.begin(request.session, _back(request)))
    except Refused as error:
        return _to_the_door(request, str(error))


@door.get("/elsewhere/back", auth=None)
def elsewhere_back(request: HttpRequest) -> Any:
    """Where the provider leads a person back to."""
    try:
        user = elsewhere.finish(request.session, request.GET.dict(), _back(request))
    except Refused as error:
        return _to_the_door(request, str(error))
    if second.needed(user):
        request.session[HALF_IN] = {"who": user.pk, "at": time.time()}
    else:
        _in(request, user)
    return HttpResponseRedirect("/")


@door.post("/elsewhere/code", auth=None, response={200: Me, 401: Message, 403: Message, 429: Message})
def elsewhere_code(request: HttpRequest, body: CodeIn) -> Any:
    """The code of the second factor, of somebody whom the provider has let in."""
    if not from_here(request):
        return Status(403, {"detail": ELSEWHERE})
    user = _half_in(request)
    if user is None:
        request.session.pop(HALF_IN, None)
        return Status(403, {"detail": elsewhere.ANEW})
    address = _address(request)
    if wait := guesses.wait_for(user.get_username(), address):
        return _too_many(wait)
    if not second.holds(user, body.code):
        guesses.failed(user.get_username(), address)
        return Status(401, {"detail": "The code does not hold. A new one comes every 30 seconds."})
    guesses.succeeded(user.get_username(), address)
    request.session.pop(HALF_IN, None)
    return _in(request, user)


@door.post("/sign-out", response={204: None})
def sign_out(request: HttpRequest) -> Any:
    seats.leave(request)
    logout(request)
    return Status(204, None)


@door.get("/me", response=Me)
def me(request: HttpRequest) -> Any:
    organisation = organisation_of(request)
    member = member_of(request)
    assert member is not None
    return {"name": member.user.get_username(), "organisation": organisation.name, "role": member.role}


# --- invitations and forgotten passwords: whoever has the link is let in, so guesses at one are counted like sign-ins ---------


@door.get("/invited/{secret}", auth=None, response={200: InvitedOut, 404: Message, 429: Message})
def invited(request: HttpRequest, secret: str) -> Any:
    """Whom an invitation asks in, and by whom."""
    if wait := guesses.wait_for(*_at_links(request)):
        return _too_many(wait)
    row = people.invited(secret)
    if row is None:
        guesses.failed(*_at_links(request))
        return Status(404, {"detail": GONE})
    by = row.created_by.get_username() if row.created_by else ""
    return {"organisation": row.organisation.name, "mail": row.mail, "role": row.role, "by": by}


@door.post("/invited/{secret}", auth=None, response={200: Me, 403: Message, 429: Message})
def accept_invitation(request: HttpRequest, secret: str, body: AcceptIn) -> Any:
    if not from_here(request):
        return Status(403, {"detail": ELSEWHERE})
    if wait := guesses.wait_for(*_at_links(request)):
        return _too_many(wait)
    if people.invited(secret) is None:
        guesses.failed(*_at_links(request))
        raise Refused(GONE)
    user = people.accept(secret, body.name, body.password)
    said = _in(request, user)
    noted(request, "came in", record.person(user), user.membership.role)  # type: ignore[attr-defined]
    return said


@door.post("/forgotten", auth=None, response={204: None, 403: Message, 429: Message})
def forgotten(request: HttpRequest, body: ForgottenIn) -> Any:
    """Send a link that sets a new password. The answer is the same whether there is such a person or not."""
    if not from_here(request):
        return Status(403, {"detail": ELSEWHERE})
    address = _address(request)
    letters_to = (
        f"letters, {body.name}"  # bounded like guesses, and by themselves: who asks for a letter may go on signing in
    )
    if wait := guesses.wait_for(letters_to, address):
        return _too_many(wait)
    guesses.failed(letters_to, address)
    if found := people.way_back(body.name.strip()):
        user, who, token = found
        link = request.build_absolute_uri(f"/new-password/{quote(who)}/{quote(token)}")
        letters.send_later(
            user.email, "A new password for Blunt Mirror", LETTER.format(name=user.get_username(), link=link)
        )
    return Status(204, None)


@door.post("/new-password/{who}/{token}", auth=None, response={204: None, 403: Message, 429: Message})
def new_password(request: HttpRequest, who: str, token: str, body: AnewIn) -> Any:
    if not from_here(request):
        return Status(403, {"detail": ELSEWHERE})
    if wait := guesses.wait_for(*_at_links(request)):
        return _too_many(wait)
    try:
        user = people.set_anew(who, token, body.password)
    except Refused:
        guesses.failed(*_at_links(request))
        raise
    guesses.succeeded(user.get_username(), _address(request))
    return Status(204, None)


# --- one's own account ---------------------------------------------------------------------------------------------------


@door.get("/account", response=AccountOut)
def account(request: HttpRequest) -> Any:
    user: Any = request.user
    here = request.session.session_key
    rows = [
        {
            "here": row.session == here,
            **{name: getattr(row, name) for name in ("id", "address", "browser", "begun", "seen")},
        }
        for row in seats.of(user)
    ]
    return {"mail": user.email, "second": second.needed(user), "spare": second.spare_left(user), "seats": rows}


@door.post("/account/password", response={204: None})
def change_password(request: HttpRequest, body: PasswordIn) -> Any:
    """A new password; wherever else one is signed in one is not any more."""
    user: Any = request.user
    people.change_password(user, body.old, body.new)
    update_session_auth_hash(request, user)
    seats.end(user)
    seats.begin(request, user)
    noted(request, "changed the password of", record.person(user))
    return Status(204, None)


@door.post("/account/second", response=SecondBegun)
def begin_second(request: HttpRequest) -> Any:
    """A second factor, to be confirmed with a code that it shows."""
    address, picture = second.begin(request.user)  # type: ignore[arg-type]
    return {"address": address, "picture": picture}


@door.post("/account/second/confirm", response=SpareCodes)
def confirm_second(request: HttpRequest, body: CodeIn) -> Any:
    codes = second.confirm(request.user, body.code)  # type: ignore[arg-type]
    noted(request, "turned on the second factor of", record.person(request.user))  # type: ignore[arg-type]
    return {"codes": codes}


@door.post("/account/second/off", response={204: None})
def second_off(request: HttpRequest, body: CodeIn) -> Any:
    """Off again, with a code: whoever finds a page left open cannot do it."""
    if not second.holds(request.user, body.code):  # type: ignore[arg-type]
        raise Refused("the code does not hold")
    second.take_off(request.user)  # type: ignore[arg-type]
    noted(request, "turned off the second factor of", record.person(request.user))  # type: ignore[arg-type]
    return Status(204, None)


@door.post("/account/seats/{number}/end", response={204: None})
def end_seat(request: HttpRequest, number: int) -> Any:
    """Sign out somewhere else."""
    row = get_object_or_404(request.user.seats, pk=number)  # type: ignore[union-attr]
    seats.end(request.user, row.pk)  # type: ignore[arg-type]
    return Status(204, None)
