"""A finding's life over the rehearsals of its job: when it was first seen, when it was gone, when it came back.

A finding of one rehearsal is that of another where both are the same matter, in the same block or at the same place (`findings.identity`).
Quick looks are left out: what they do not find may be there.
"""

from typing import Any

from bluntmirror.findings.identity import BLOCK, Judged, near

from .models import Finding, Rehearsal, Triage

MOST_REHEARSALS = 200
Json = dict[str, Any]


def same(one: Finding, other: Finding) -> bool:
    if one.cause.partition(BLOCK)[0] != other.cause.partition(BLOCK)[0]:
        return False
    return one.cause == other.cause or (one.data["point"] is not None and near(one.data["point"], other.data["point"]))


def before(rehearsal: Rehearsal) -> list[Rehearsal]:
    """The job's rehearsals that were done in full before this one, the newest first."""
    rows = Rehearsal.objects.filter(
        revision__job=rehearsal.revision.job_id, state=Rehearsal.State.DONE, quick=False, pk__lt=rehearsal.pk
    )
    return list(rows.select_related("revision").prefetch_related("findings").order_by("-pk")[:MOST_REHEARSALS])


def _named(rehearsal: Rehearsal) -> Json:
    return {"rehearsal": rehearsal.pk, "revision": rehearsal.revision.number}


def lives(rehearsal: Rehearsal, earlier: list[Rehearsal]) -> dict[int, Json]:
    """Of every finding: the first rehearsal that had it (none: this one), and the last one without it in between."""
    found = {}
    for item in rehearsal.findings.all():
        first, gone = None, None
        without: Rehearsal | None = None
        for row in earlier:
            if any(same(item, old) for old in row.findings.all()):
                first = row
                gone = gone or without
            else:
                without = without or row
        found[item.pk] = {"first": first and _named(first), "gone": gone and _named(gone)}
    return found


def gone_since(rehearsal: Rehearsal, earlier: list[Rehearsal]) -> Json | None:
    """What the rehearsal before had and this one has not; None for the first."""
    if not earlier:
        return None
    now = list(rehearsal.findings.all())
    left = [old for old in earlier[0].findings.all() if not any(same(item, old) for item in now)]
    return {
        **_named(earlier[0]),
        "findings": [
            {name: old.data[name] for name in ("kind", "severity", "program", "line", "message")} for old in left
        ],
    }


def why_again(item: Finding, row: Triage, known: Judged) -> str:
    """Why what was judged has to be looked at again; empty where the judgement holds."""
    if row.judgement == Triage.Judgement.REAL:
        return ""
    if not known.no_worse(item.data["amount"]):
        return f"it is {item.data['amount']:.3f} now, and was {row.amount:.3f} when it was judged"
    if row.cause == item.cause and not near(row.point, item.data["point"]):
        if row.point is None or item.data["point"] is None:
            return "it lies at another place than when it was judged"
        away = sum((a - b) ** 2 for a, b in zip(row.point, item.data["point"], strict=True)) ** 0.5
        return f"it lies {away:.1f} mm from where it was judged"
    if row.cause != item.cause:
        return "it is in another block than when it was judged"
    return ""
