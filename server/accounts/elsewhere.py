"""Signing in through a provider elsewhere: OpenID Connect Core 1.0, authorization code flow, with PKCE (RFC 7636).

The provider tells who somebody is; who belongs here, and what they may do, is told here alone. Somebody is known by the provider's own name for
them (`sub`), which is kept when they first come by an address that the provider has verified and that one person here has.
"""

import base64
import hashlib
import json
import secrets
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass
from http.client import HTTPException
from typing import Any
from urllib.error import HTTPError
from urllib.parse import urlencode, urlsplit
from urllib.request import HTTPRedirectHandler, Request, build_opener

from django.conf import settings
from django.contrib.auth.models import User
from django.db import IntegrityError, transaction
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet

from .models import Known
from .refused import Refused

# Signed by a key that only the provider has.
ALGORITHMS = [f"{kind}{bits}" for kind in ("RS", "PS", "ES") for bits in (256, 384, 512)]
WAIT_SECONDS = 10.0
MOST_BYTES = 1_000_000  # of an answer
KNOWN_SECONDS = 600.0  # how long what a provider tells of itself is kept
LEEWAY_SECONDS = 60  # between two clocks
BEGUN_SECONDS = 900.0  # how long somebody may take at the provider
BEGUN = "elsewhere begun"

AWAY = "The provider of your sign-in does not answer as it should. Try again, or sign in with your password."
ANEW = "This sign-in was begun elsewhere, or too long ago: begin it again."


@dataclass(frozen=True)
class Provider:
    """What it tells of itself (OpenID Connect Discovery 1.0, 3), and when that was asked."""

    authorize: str
    token: str
    keys: Any
    asked: float


class _NoRedirect(HTTPRedirectHandler):
    """An answer is where it was asked for: nobody leads on to an address inside."""

    def redirect_request(self, *args: Any, **kwargs: Any) -> None:
        return None


_ask = build_opener(_NoRedirect)
_kept: dict[str, Provider] = {}
_lock = threading.Lock()


def name() -> str:
    """What people call the provider; empty where there is none."""
    return str(settings.OPENID["name"]) if settings.OPENID["issuer"] else ""


def begin(session: Any, back: str) -> str:
    """The address at the provider to which a person is led; `back`: where they come back to. Raises Refused."""
    provider = _provider()
    state, nonce, verifier = (secrets.token_urlsafe(32) for _ in range(3))
    session[BEGUN] = {"state": state, "nonce": nonce, "verifier": verifier, "at": time.time()}
    challenge = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
    asked = {
        "response_type": "code", "client_id": settings.OPENID["client"], "redirect_uri": back, "scope": "openid email", "state": state,
        "nonce": nonce, "code_challenge": challenge, "code_challenge_method": "S256",
    }  # fmt: skip
    return f"{provider.authorize}{'&' if urlsplit(provider.authorize).query else '?'}{urlencode(asked)}"


def finish(session: Any, told: Mapping[str, str], back: str) -> User:
    """Who has come back. What was begun is used up, whatever comes of it. Raises Refused."""
    begun = session.pop(BEGUN, None)
    if (
        begun is None
        or time.time() - begun["at"] > BEGUN_SECONDS
        or not secrets.compare_digest(begun["state"].encode(), told.get("state", "").encode())
    ):
        raise Refused(ANEW)
    if told.get("error") or not told.get("code"):
        raise Refused("The provider has not let you in.")
    provider = _provider()
    answer = _json(
        provider.token,
        {
            "grant_type": "authorization_code",
            "code": told["code"],
            "redirect_uri": back,
            "code_verifier": begun["verifier"],
        },
    )
    return _person(_claims(provider, str(answer.get("id_token", "")), begun["nonce"]))


def _claims(provider: Provider, token: str, nonce: str) -> dict[str, Any]:
    """What an ID token says, held against OpenID Connect Core 1.0, 3.1.3.7. Raises Refused."""
    client = settings.OPENID["client"]
    try:
        claims = jwt.decode(token, KeySet.import_key_set(provider.keys), algorithms=ALGORITHMS).claims
        jwt.JWTClaimsRegistry(
            leeway=LEEWAY_SECONDS, iss={"essential": True, "value": settings.OPENID["issuer"]}, aud={"essential": True, "value": client},
            exp={"essential": True}, iat={"essential": True}, nonce={"essential": True, "value": nonce}, sub={"essential": True},
        ).validate(claims)  # fmt: skip
    except (JoseError, ValueError, TypeError, KeyError) as error:
        _forget()  # its keys may have changed
        raise Refused(AWAY) from error
    several = isinstance(claims["aud"], list) and len(claims["aud"]) > 1
    if claims.get("azp", client if not several else None) != client:
        raise Refused(AWAY)
    return dict(claims)


def _person(claims: dict[str, Any]) -> User:
    """Somebody here, by the provider's name for them, else by an address that it has verified. Raises Refused."""
    known = Known.objects.filter(digest=_digest(claims)).select_related("user").first()
    user = known.user if known else _first_time(claims)
    if not user.is_active or not hasattr(user, "membership"):
        raise Refused("You are not a member here: ask somebody who administers to let you in.")
    return user


def _digest(claims: dict[str, Any]) -> str:
    return hashlib.sha256(json.dumps([claims["iss"], str(claims["sub"])]).encode()).hexdigest()


def _first_time(claims: dict[str, Any]) -> User:
    mail = str(claims.get("email", "")).encode(errors="replace").decode()  # half a pair of UTF-16 is in nobody's
    if not mail or claims.get("email_verified") is not True:
        raise Refused("The provider tells no address of yours that it has verified: nobody here can be known by it.")
    # A database takes "é" for "e": whose address it is is told here.
    found = [
        user
        for user in User.objects.filter(email__iexact=mail, is_active=True)
        if user.email.casefold() == mail.casefold()
    ]
    if len(found) != 1:
        few = "Nobody here has" if not found else "Several people here have"
        raise Refused(f"{few} the address {mail}: ask somebody who administers to invite you by it.")
    try:
        with transaction.atomic():
            Known.objects.create(user=found[0], issuer=claims["iss"], digest=_digest(claims))
    except IntegrityError as error:  # signed in twice at once, or another of the provider's has this person
        raise Refused(ANEW) from error
    return found[0]


# --- asking the provider ----------------------------------------------------------------------------------------------


def _provider() -> Provider:
    """Raises Refused."""
    issuer = str(settings.OPENID["issuer"])
    if not issuer:
        raise Refused("No provider is named here.")
    with _lock:
        known = _kept.get(issuer)
    if known and time.monotonic() - known.asked < KNOWN_SECONDS:
        return known
    told = _json(f"{issuer.rstrip('/')}/.well-known/openid-configuration")
    if told.get("issuer") != issuer:  # Discovery, 4.3
        raise Refused(AWAY)
    try:
        addresses = [str(told[name]) for name in ("authorization_endpoint", "token_endpoint", "jwks_uri")]
    except KeyError as error:
        raise Refused(AWAY) from error
    _safe(addresses[0])
    provider = Provider(addresses[0], addresses[1], _json(addresses[2]), time.monotonic())
    with _lock:
        _kept[issuer] = provider
    return provider


def _forget() -> None:
    with _lock:
        _kept.clear()


def _safe(address: str) -> None:
    """Only what nobody on the way can read or change, but for this machine itself. Raises Refused."""
    try:
        parts = urlsplit(address)
    except ValueError as error:
        raise Refused(AWAY) from error
    if parts.scheme != "https" and not (parts.scheme == "http" and parts.hostname in ("127.0.0.1", "localhost", "::1")):
        raise Refused(AWAY)


def _json(address: str, form: dict[str, str] | None = None) -> dict[str, Any]:
    """What an address answers; a form is sent with the client's own name and secret. Raises Refused."""
    _safe(address)
    headers = {"Accept": "application/json"}
    if form is not None:
        pair = urlencode({settings.OPENID["client"]: settings.OPENID["secret"]}).replace("=", ":", 1)  # RFC 6749, 2.3.1
        headers["Authorization"] = f"Basic {base64.b64encode(pair.encode()).decode()}"
    data = urlencode(form).encode() if form is not None else None
    try:
        with _ask.open(Request(address, data, headers), timeout=WAIT_SECONDS) as source:
            text = source.read(MOST_BYTES)
            answer = json.loads(text) if not source.read(1) else None
    except (OSError, HTTPError, HTTPException, ValueError) as error:
        raise Refused(AWAY) from error
    if not isinstance(answer, dict):
        raise Refused(AWAY)
    return answer
