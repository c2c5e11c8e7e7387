"""Who asks: the organisation that a request speaks for, and a line in its record."""

from django.http import HttpRequest
from ninja.errors import HttpError

from accounts.models import Membership, Organisation
from jobs import record

OF_NOBODY = "You belong to no organisation yet: ask the administrator of yours to take you in."


def member_of(request: HttpRequest) -> Membership | None:
    """Who asks, as a member of an organisation; looked up once a request."""
    if not hasattr(request, "asked_by"):
        members = Membership.objects.select_related("organisation", "user")
        request.asked_by = members.filter(user=request.user).first()  # type: ignore[attr-defined, misc]
    found: Membership | None = request.asked_by  # type: ignore[attr-defined]
    return found


def asker(request: HttpRequest) -> Membership:
    """Who asks. Raises HttpError for somebody of no organisation."""
    member = member_of(request)
    if member is None:
        raise HttpError(403, OF_NOBODY)
    return member


def organisation_of(request: HttpRequest) -> Organisation:
    return asker(request).organisation


def noted(request: HttpRequest, act: str, about: str, said: str = "", job: int | None = None) -> None:
    record.note(organisation_of(request), request.user, act, about, said, job)  # type: ignore[arg-type]
