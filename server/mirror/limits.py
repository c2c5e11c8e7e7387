"""How large a request that is no upload may be, where it may come from, and what is said while the database is away."""

import logging
from collections.abc import Callable
from urllib.parse import urlsplit

from django.conf import settings
from django.contrib.auth import SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore
from django.db import InterfaceError, OperationalError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.cookie import parse_cookie

from accounts.models import Role
from accounts.tokens import owner_of
from jobs import standing

log = logging.getLogger(__name__)
SIGNED_OUT = 64_000  # bytes; a sign-in is far smaller


def bounded_bodies(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Refuse a body that would be read into memory and is too large for it, before anything reads it.

    The script desk sends the programs it holds; whoever is not signed in has nothing long to say. Uploads are bounded where they
    are taken."""

    def bounded(request: HttpRequest) -> HttpResponse:
        length = int(request.META.get("CONTENT_LENGTH") or 0)
        if request.content_type != "multipart/form-data" and length > SIGNED_OUT:
            most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE if request.user.is_authenticated else SIGNED_OUT
            if length > most:
                return JsonResponse({"detail": f"what was sent is larger than {most / 1e6:g} MB"}, status=413)
        return answer(request)

    return bounded


def moving(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """What a person has done is seen at once by everybody of the organisation (`jobs.standing`)."""

    def noted(request: HttpRequest) -> HttpResponse:
        response = answer(request)
        member = getattr(request, "asked_by", None)
        if member is not None and getattr(request, "needed", Role.READS) != Role.READS:
            standing.move(member.organisation_id)
        return response

    return noted


class Away:
    """One clear answer, wherever a request is answered, while the database does not answer or has no room for another who asks."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponse]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.answer(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        if not isinstance(error, OperationalError | InterfaceError):
            return None
        log.warning("the database does not answer: %s", error)
        said = "The database does not answer just now. Nothing is lost; try again in a moment."
        return JsonResponse({"detail": said}, status=503, headers={"Retry-After": "2"})


def signed_in(headers: dict[bytes, str]) -> bool:
    """Whether a request with these headers is somebody's: asked of long bodies, before they are taken."""
    scheme, _, secret = headers.get(b"authorization", "").partition(" ")
    try:
        if scheme.lower() == "bearer":
            return owner_of(secret.strip()) is not None
        key = parse_cookie(headers.get(b"cookie", "")).get(settings.SESSION_COOKIE_NAME)
        return bool(key) and SESSION_KEY in SessionStore(key)
    finally:
        if not connection.in_atomic_block:
            connection.close()


def from_here(request: HttpRequest) -> bool:
    """Whether a browser says that the request comes from a page of our own; what is no browser says nothing, and is let through."""
    if request.headers.get("Sec-Fetch-Site", "same-origin") not in ("same-origin", "none"):
        return False
    origin = request.headers.get("Origin")
    return origin is None or urlsplit(origin).netloc == request.get_host()
