"""How wrong a set-up may be, as the verdict holds it and as text."""

from __future__ import annotations

from typing import Any

from ..job.channel import tool_key
from ..rehearsal import Rehearsal
from ..tolerance import Bound, Quantity, Tolerance

NAMES = {
    "offset": "work offset", "length": "length register", "geometry": "geometry register", "radius": "radius register", "stickout": "stick-out",
    "fixture": "fixture", "blank": "blank",
}  # fmt: skip
HAPPENS = {
    "contact.body": "touches", "contact.rapid": "goes through stock at rapid", "contact.shank": "shank or holder into stock",
    "material.gouge": "gouges the part", "material.blank": "the part reaches out of the blank", "travel.over": "passes its travel",
}  # fmt: skip
Json = dict[str, Any]


def tolerance_dict(result: Rehearsal, told: Tolerance) -> Json:
    """The member `tolerance` of a verdict."""
    return {
        "reach": told.reach,
        "quantities": [
            {
                "kind": held.quantity.kind, "name": held.quantity.name, "axis": held.quantity.axis or None, "channel": held.quantity.channel,
                "tool": _tool(result, held.quantity), "diameter": _in_diameter(result, held.quantity),
                "less": None if held.not_followed else _bound(result, held.less),
                "more": None if held.not_followed else _bound(result, held.more),
                "not_followed": held.not_followed or None,
            }
            for held in told.held
        ],
        "not_checked": told.limits,
    }  # fmt: skip


def _bound(result: Rehearsal, bound: Bound) -> Json:
    motions = result.reel.motions
    there = bound.motion >= 0 and bool(bound.by)
    return {
        # Rounded down: what is told must hold.
        "amount": int(bound.amount * 1000.0 + 1e-6) / 1000.0, "by": bound.by or None, "bodies": list(bound.bodies),
        "program": motions.file_name(bound.motion) if there else None, "line": int(motions.line[bound.motion]) if there else None,
        "time": round(float(result.reel.begin_time[bound.motion]), 4) if there else None,
    }  # fmt: skip


def _tool(result: Rehearsal, quantity: Quantity) -> int | None:
    if quantity.kind == "stickout":
        return next(
            (t.number for t in result.job.tools.tools if tool_key(result.job.machine, t) == quantity.number), None
        )
    return quantity.number if quantity.kind in ("length", "geometry", "radius") else None


def _in_diameter(result: Rehearsal, quantity: Quantity) -> bool:
    strand = next((s for s in result.strands if s.channel == quantity.channel), result.strands[0])
    return quantity.kind in ("offset", "geometry") and quantity.axis in strand.setup.diameters


def sentences(told: Json) -> list[str]:
    """One line for each quantity, the least tolerant first."""

    def least(row: Json) -> float:
        return 9e9 if row["less"] is None else min(row["less"]["amount"], row["more"]["amount"])

    lines = []
    for row in sorted(told["quantities"], key=least):
        name = f"{NAMES[row['kind']]} {row['name']}{' ' + row['axis'] if row['axis'] else ''}"
        if row["less"] is None:
            lines.append(f"{name}: not followed: {row['not_followed']}")
            continue
        lines.append(f"{name}: {_said('−', row['less'], told['reach'])}, {_said('+', row['more'], told['reach'])}")
    return lines


def _said(sign: str, bound: Json, reach: float) -> str:
    if bound["by"] is None:
        return (
            f"{sign}{bound['amount']:.3f} and more"
            if bound["amount"] >= reach
            else f"{sign}{bound['amount']:.3f} (what comes then is not known)"
        )
    place = f" at {bound['program']}:{bound['line']}" if bound["program"] else ""
    return (
        f"{sign}{bound['amount']:.3f} ({' and '.join(bound['bodies'])} {HAPPENS.get(bound['by'], bound['by'])}{place})"
    )
