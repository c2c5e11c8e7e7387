"""How large a request that is no upload may be, and where it may come from."""

from collections.abc import Callable
from urllib.parse import urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse

SIGNED_OUT = 64_000  # bytes; a sign-in is far smaller


def bounded_bodies(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Refuse a body that would be read into memory and is too large for it, before anything reads it.

    The script desk sends the programs it holds; whoever is not signed in has nothing long to say. Uploads are bounded where they
    are taken."""

    def bounded(request: HttpRequest) -> HttpResponse:
        if request.content_type != "multipart/form-data":
            most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE if request.user.is_authenticated else SIGNED_OUT
            if int(request.META.get("CONTENT_LENGTH") or 0) > most:
                said = f"what was sent is larger than {most / 1e6:g} MB"
                return JsonResponse({"detail": said}, status=413)
        return answer(request)

    return bounded


def from_here(request: HttpRequest) -> bool:
    """Whether a browser says that the request comes from a page of our own; what is no browser says nothing, and is let through."""
    if request.headers.get("Sec-Fetch-Site", "same-origin") not in ("same-origin", "none"):
        return False
    origin = request.headers.get("Origin")
    return origin is None or urlsplit(origin).netloc == request.get_host()
