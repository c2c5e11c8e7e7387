"""Changes that clear findings: tried in the worker, kept with the findings, and made as a revision when asked.

A search belongs to one rehearsal. It looks at one finding after the other; whoever waits sees what is found as it comes, and may
ask for one finding more or end it.
"""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from bluntmirror.export.mending import offer_dict
from bluntmirror.export.seen import seen
from bluntmirror.findings import Edit
from bluntmirror.job import JobUnreadable
from bluntmirror.job.models import Posture
from bluntmirror.rehearsal import Cancelled
from bluntmirror.rehearsal.checkpoints import FolderStore
from bluntmirror.rehearsal.routing import tell_doubt
from bluntmirror.remedies import Change, Rank, Trials, Value, together, written

from . import pulse, setups
from .desks import as_rehearsed
from .models import Offered, Rehearsal, Revision, Search
from .services import Refused

Json = dict[str, Any]
MOST_OFFERS = 3  # of a finding, each of another kind
LOST = "The worker ended in the middle of trying changes. What was found so far is kept; try again."
State = Rehearsal.State


def shown(rehearsal: Rehearsal) -> Json:
    """How far the search is, and what is offered so far."""
    row = Search.objects.filter(rehearsal=rehearsal).first()
    if row is None:
        return {"state": "none", "wanted": [], "looked": [], "error": "", "offers": []}
    if pulse.is_silent(row):
        Search.objects.filter(pk=row.pk, state=State.RUNNING).update(state=State.FAILED, error=LOST)
        row.refresh_from_db()
    offers = Offered.objects.filter(finding__rehearsal=rehearsal).order_by("finding__place", "place")
    return {
        "state": row.state, "wanted": row.wanted, "looked": row.looked, "error": row.error,
        "offers": [{"id": offer.pk, "finding": offer.finding_id, **offer.data} for offer in offers],
    }  # fmt: skip


def asked(rehearsal: Rehearsal, finding: int | None, user: AbstractBaseUser) -> bool:
    """Look at one finding, or at all; whether the worker has to be told. Raises Refused."""
    if rehearsal.state != State.DONE or rehearsal.quick:
        raise Refused("changes are tried on a rehearsal that is done, in full: rehearse it first")
    numbers = list(rehearsal.findings.values_list("pk", flat=True))
    wanted = numbers if finding is None else [finding] if finding in numbers else []
    if not wanted:
        raise Refused(
            "this rehearsal has no such finding"
            if finding is not None
            else "nothing was found: there is nothing to mend"
        )
    with transaction.atomic():
        row, made = Search.objects.select_for_update().get_or_create(
            rehearsal=rehearsal, defaults={"created_by": user, "wanted": wanted}
        )
        if made:
            return True
        # What is asked for last is looked at first.
        last = [n for n in row.wanted if n not in wanted]
        row.wanted = (
            [*wanted, *last] if finding is not None else [*row.wanted, *(n for n in wanted if n not in row.wanted)]
        )
        idle = row.state not in (State.QUEUED, State.RUNNING)
        if idle:
            row.looked = [n for n in row.looked if n not in wanted or Offered.objects.filter(finding=n).exists()]
            row.state, row.error, row.cancel_asked = State.QUEUED, "", False
        row.save()
        return idle and any(n not in row.looked for n in row.wanted)


def cancel(rehearsal: Rehearsal) -> None:
    waiting = Search.objects.filter(rehearsal=rehearsal, state=State.QUEUED)
    if not waiting.update(state=State.CANCELLED):
        Search.objects.filter(rehearsal=rehearsal, state=State.RUNNING).update(cancel_asked=True)


def search(number: int, folder: Path, pulse: Any) -> None:
    """The worker's side: look at what is wanted until nothing is left of it. `pulse` is called on the way and may raise Cancelled."""
    row = Search.objects.select_related("rehearsal__revision__job__organisation").get(pk=number)
    rehearsal = row.rehearsal
    organisation = rehearsal.revision.job.organisation
    job, taken = as_rehearsed(rehearsal, folder)
    trials = Trials.begun(job, FolderStore(settings.CHECKPOINTS / str(organisation.pk)), pulse)
    tell_doubt(trials.result, taken)
    kept = list(rehearsal.findings.all())
    found = trials.result.findings
    if [(item.data["kind"], item.data["line"]) for item in kept] != [(item.kind, item.line) for item in found]:
        raise JobUnreadable(
            "rehearsal",
            "this version of the computation finds something else than was found then: rehearse the job again",
        )
    of_row = dict(zip((item.pk for item in kept), found, strict=True))
    while (wanted := _next(number)) is not None:
        Offered.objects.filter(finding=wanted).delete()
        for place, offer in enumerate(trials.offers(of_row[wanted], MOST_OFFERS)):
            Offered.objects.create(
                finding_id=wanted, place=place, data={**offer_dict(offer), **seen(job, offer.change)}
            )
        with transaction.atomic():
            now = Search.objects.select_for_update().get(pk=number)
            now.looked = [*now.looked, wanted]
            now.save(update_fields=["looked"])


def _next(number: int) -> int | None:
    row = Search.objects.get(pk=number)
    if row.cancel_asked:
        raise Cancelled
    return next((n for n in row.wanted if n not in row.looked), None)


def made_by(data: Json) -> Change:
    """A change as it was kept."""
    edits = tuple(Edit(e["program"], e["line"], e["old"], e["new"]) for e in data["edits"])
    values = tuple(Value(v["file"], tuple(v["path"]), v["old"], v["new"]) for v in data["values"])
    postures = tuple(Posture.model_validate(posture) for posture in data.get("postures", []))
    return Change(data["title"], Rank[data["touches"].upper()], edits, values, postures=postures)


def mended(rehearsal: Rehearsal, numbers: list[int], user: AbstractBaseUser) -> Revision:
    """Offered changes made together, as a new revision. Raises Refused where two touch one line, or one is not of this rehearsal."""
    rows = list(Offered.objects.filter(pk__in=numbers, finding__rehearsal=rehearsal).select_related("finding"))
    if not rows or len(rows) != len(set(numbers)):
        raise Refused("choose among the changes that are offered for this rehearsal")
    changes = [made_by(row.data) for row in rows]
    for i, one in enumerate(changes):
        for other in changes[i + 1 :]:
            if one.meddles(other):
                raise Refused(
                    f"'{one.title}' and '{other.title}' change the same place: make one of them, rehearse, and look again"
                )
    whole = together(changes)
    try:
        files = written(setups.opened(rehearsal.revision), whole)
    except ValueError as error:
        raise Refused(str(error)) from error
    label = whole.title if len(changes) == 1 else f"{len(changes)} changes: {whole.title}"
    return setups.changed(rehearsal.revision, files, user, label)
