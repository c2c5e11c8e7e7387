"""What a mending did, and did not do: as data, and as lines to read."""

from __future__ import annotations

from typing import Any

from ..findings import Finding
from ..remedies import Change, Mended, Offer


def change_dict(change: Change) -> dict[str, Any]:
    """A change as data: lines (`old` null: a line more before this one; `new` null: the line taken out) and numbers, mm."""
    return {
        "title": change.title,
        "touches": change.rank.name.lower(),
        "amount": round(change.amount, 4),
        "edits": [{"program": e.program, "line": e.line, "old": e.old, "new": e.new} for e in change.edits],
        "values": [{"file": v.file, "path": list(v.path), "old": v.old, "new": round(v.new, 6)} for v in change.values],
        "postures": [posture.model_dump(exclude_defaults=True) for posture in change.postures],
    }


def offer_dict(offer: Offer) -> dict[str, Any]:
    return {
        **change_dict(offer.change),
        "said": offer.said,
        "seconds": round(offer.seconds, 3),
        "clear_by": None if offer.clear_by is None else round(offer.clear_by, 3),
        "brings": [_short(item) for item in (*offer.moves, *offer.come)],
        "uncovers": [_short(item) for item in offer.uncovers],
        "cures": not offer.moves,
    }


def _short(item: Finding) -> dict[str, Any]:
    return {
        "kind": item.kind, "severity": item.severity, "channel": item.channel, "program": item.program, "line": item.line,
        "message": item.message,
    }  # fmt: skip


def mended_dict(mended: Mended) -> dict[str, Any]:
    """`found`, `cleared`: how many findings the job had, and how many of those are gone; `left`: what the mended job has."""
    return {
        "format": "blunt-mirror/mended@1",
        "name": mended.job.name,
        "verdict": mended.result.verdict,
        "found": len(mended.before),
        "cleared": len(mended.cleared),
        "seconds": round(mended.result.reel.seconds, 3),
        "made": [{"finding": _short(offer.finding), **offer_dict(offer)} for offer in mended.made],
        "elsewhere": [{"finding": _short(offer.finding), **offer_dict(offer)} for offer in mended.elsewhere],
        "left": [_short(item) for item in mended.left],
    }


def as_text(whole: dict[str, Any]) -> str:
    """What `mend` prints."""
    left = len(whole["left"])
    lines = [
        f"{whole['name']}: {whole['cleared']} of {whole['found']} findings cleared by {len(whole['made'])} changes, {left} left: "
        f"{whole['verdict'].upper()}"
    ]
    for offer in whole["made"]:
        lines += ["", f"  {_place(offer['finding'])}", f"      {offer['said']}"]
        lines += [f"      {row}" for row in _shown(offer)]
    if left:
        lines += ["", "left"]
        lines += [f"  {item['severity']:7} {_place(item)}" for item in whole["left"]]
    for offer in whole["elsewhere"]:
        lines += ["", f"  not made, for {_place(offer['finding'])}", f"      {offer['said']}"]
    return "\n".join(lines) + "\n"


MOST_SHOWN = 6


def _shown(offer: dict[str, Any]) -> list[str]:
    rows = []
    for edit in offer["edits"][:MOST_SHOWN]:
        rows += [f"− {edit['old']}"] if edit["old"] is not None else []
        rows += [f"+ {edit['new']}"] if edit["new"] is not None else []
    more = len(offer["edits"]) - MOST_SHOWN
    return [*rows, f"… {more} more lines"] if more > 0 else rows


def _place(item: dict[str, Any]) -> str:
    place = f"{item['program']}:{item['line']}" if item["program"] else "the whole program"
    return f"{place} {item['kind']}: {item['message']}"
