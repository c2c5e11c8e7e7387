"""Every request has a number: whoever asks is told it, and every line of the log that comes of it holds it."""

import logging
import re
import time
from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse

from jobs import logs

log = logging.getLogger(__name__)
HEADER = "X-Request-Number"
ONE = re.compile(rf"[0-9A-Za-z-]{{8,{logs.LONGEST}}}")
TOLD = "/api/"  # files of the page and what watches are not told


def numbered(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """A number that comes with a request, from a server before this one, is kept."""

    def told(request: HttpRequest) -> HttpResponse:
        given = request.headers.get(HEADER, "")
        number = given if ONE.fullmatch(given) else logs.new()
        begun = time.perf_counter()
        with logs.under(number):
            response = answer(request)
            response[HEADER] = number
            if request.path.startswith(TOLD):
                took = round(1000 * (time.perf_counter() - begun), 1)
                log.info(
                    "answered",
                    extra=logs.more(method=request.method, status=response.status_code, ms=took, **_asked(request)),
                )
        return response

    return told


def _asked(request: HttpRequest) -> dict[str, Any]:
    """Which call, of what, by whom: numbers only, since an address may hold a secret."""
    match, member = request.resolver_match, getattr(request, "asked_by", None)
    numbers = {key: value for key, value in (match.kwargs if match else {}).items() if str(value).isdecimal()}
    return {"call": match.route if match else "", "numbers": numbers, "person": member.user_id if member else None}
