"""Who asks: the organisation that a request speaks for, and a line in its record."""

from django.http import HttpRequest
from ninja.errors import HttpError

from accounts.models import Organisation
from jobs import record

OF_NOBODY = "You belong to no organisation yet: ask the administrator of yours to take you in."


def organisation_of(request: HttpRequest) -> Organisation:
    organisation = Organisation.objects.filter(members__user=request.user).first()  # type: ignore[misc]
    if organisation is None:
        raise HttpError(403, OF_NOBODY)
    return organisation


def noted(request: HttpRequest, act: str, about: str, said: str = "", job: int | None = None) -> None:
    record.note(organisation_of(request), request.user, act, about, said, job)  # type: ignore[arg-type]
