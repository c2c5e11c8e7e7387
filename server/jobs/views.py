"""The page that holds the web interface."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie


@ensure_csrf_cookie
def interface(request: HttpRequest) -> HttpResponse:
    page = settings.WHITENOISE_ROOT / "index.html"
    if not page.exists():
        return HttpResponse("The web interface is not built: run ./mirror setup.", status=503)
    # the nonce is this answer's own (mirror.policy)
    response = HttpResponse(page.read_text().replace("%nonce%", request.nonce), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response
