"""How wrong a set-up may be, worked out in the worker for one rehearsal when somebody asks, and kept beside it."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from bluntmirror.export.tolerances import tolerance_dict
from bluntmirror.rehearsal import rehearse
from bluntmirror.rehearsal.checkpoints import FolderStore
from bluntmirror.tolerance import tolerance

from . import pulse
from .desks import as_rehearsed
from .models import Rehearsal, Revision, Tolerance
from .services import Refused

Json = dict[str, Any]
LOST = "The worker ended in the middle of it. Ask again."
State = Rehearsal.State


def shown(rehearsal: Rehearsal) -> Json:
    """How far it is, and what came of it."""
    row = Tolerance.objects.filter(rehearsal=rehearsal).first()
    if row is None:
        return {"state": "none", "share": 0.0, "error": "", "result": None}
    if pulse.is_silent(row):
        Tolerance.objects.filter(pk=row.pk, state=State.RUNNING).update(state=State.FAILED, error=LOST)
        row.refresh_from_db()
    return {"state": row.state, "share": row.share, "error": row.error, "result": row.result}


def newest(revision: Revision) -> Json | None:
    """What the newest rehearsal of a revision that was asked came to."""
    row = Tolerance.objects.filter(rehearsal__revision=revision, state=State.DONE).order_by("-rehearsal").first()
    return {"rehearsal": row.rehearsal_id, "result": row.result} if row else None


def asked(rehearsal: Rehearsal, reach: float, user: AbstractBaseUser) -> int | None:
    """Ask for it, up to a reach in mm; its number where the worker has to be told. Raises Refused."""
    if rehearsal.state != State.DONE or rehearsal.quick:
        raise Refused("only a rehearsal that is done, in full, can tell: rehearse it first")
    if rehearsal.stops:
        raise Refused("this job must not run as it is: clear what stops it first")
    with transaction.atomic():
        row, made = Tolerance.objects.select_for_update().get_or_create(
            rehearsal=rehearsal, defaults={"created_by": user, "reach": reach}
        )
        if made:
            return row.pk
        if row.state in (State.QUEUED, State.RUNNING) or (row.state == State.DONE and row.reach == reach):
            return None
        row.state, row.error, row.cancel_asked, row.share, row.reach, row.result = (
            State.QUEUED,
            "",
            False,
            0.0,
            reach,
            None,
        )
        row.save()
        return row.pk


def cancel(rehearsal: Rehearsal) -> None:
    waiting = Tolerance.objects.filter(rehearsal=rehearsal, state=State.QUEUED)
    if not waiting.update(state=State.CANCELLED):
        Tolerance.objects.filter(rehearsal=rehearsal, state=State.RUNNING).update(cancel_asked=True)


def work_out(number: int, folder: Path, pulse: Any) -> None:
    """The worker's side. `pulse(stage, share)` is called on the way and may raise Cancelled."""
    row = Tolerance.objects.select_related("rehearsal__revision__job__organisation").get(pk=number)
    revision = row.rehearsal.revision
    organisation = revision.job.organisation
    job, _taken = as_rehearsed(row.rehearsal, folder)
    store = FolderStore(settings.CHECKPOINTS / str(organisation.pk))
    result = rehearse(job, lambda stage, share: pulse(stage, 0.0), store, filmed=False)
    Tolerance.objects.filter(pk=number).update(result=tolerance_dict(result, tolerance(result, row.reach, pulse)))
