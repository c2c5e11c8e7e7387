"""How large a request that is no upload may be."""

from collections.abc import Callable

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
