"""What a browser may do with what we send it (Content Security Policy, level 3): nothing that does not come from here."""

import secrets
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse

OF_PAGES = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' data: blob:; font-src 'self' data:; connect-src 'self'{store}; "
    "worker-src 'self' blob:; manifest-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
# A store that browsers may ask themselves (MIRROR_STORE_REACHED_AT).
STORE = f" {settings.STORE_REACHED_AT}" if settings.STORE_REACHED_AT else ""
# Reports and sheets are documents of their own, made to be saved and printed: they bring their styles along, and run nothing.
OF_PAPERS = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; base-uri 'none'; frame-ancestors 'none'; sandbox allow-modals"


def policy(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    def bounded(request: HttpRequest) -> HttpResponse:
        request.nonce = secrets.token_urlsafe(18)  # type: ignore[attr-defined]
        response = answer(request)
        response.headers.setdefault("Content-Security-Policy", OF_PAGES.format(nonce=request.nonce, store=STORE))  # type: ignore[attr-defined]
        return response

    return bounded
