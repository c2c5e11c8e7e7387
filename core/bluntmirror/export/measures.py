"""Measures as the verdict, the page and a table hold them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..rehearsal.result import Taken
from .trace import safe_cell

HEADS = (
    "name",
    "stock",
    "kind",
    "nominal",
    "actual",
    "off",
    "lower",
    "upper",
    "within",
    "x",
    "y",
    "z",
    "angle",
    "form",
    "points",
    "why",
)


def rows(measured: Sequence[Taken]) -> list[dict[str, Any]]:
    """What the verdict, the page and the table hold of measures."""

    def told(value: float | None) -> float | None:
        return None if value is None else round(value, 4) + 0.0

    made = []
    for taken in measured:
        found, measure = taken.found.actual, taken.measure
        made.append(
            {
                "name": measure.name, "stock": measure.stock, "kind": measure.kind, "nominal": told(taken.nominal), "actual": told(taken.actual),
                "off": told(taken.off), "tolerance": measure.tolerance, "within": taken.within,
                "parts": [told(c) for c in found.parts] if found and found.parts else None,
                "angle": told(found.angle) if found and measure.kind != "angle" else None,
                "form": told(found.form) if found and measure.kind != "flatness" else None,
                "feet": [[told(c) for c in foot] for foot in found.feet] if found else [],
                "facets": told(taken.found.nominal.facets) if taken.found.nominal and taken.found.nominal.facets else None,
                "motion": found.tag if found else -1, "points": found.points if found else 0, "why": taken.found.why,
            }
        )  # fmt: skip
    return made


def as_csv(found: Sequence[dict[str, Any]]) -> str:
    """The rows as a table; mm and degrees."""
    lines = [",".join(HEADS)]
    for row in found:
        low, high = row["tolerance"] or (None, None)
        within = {None: None, True: "yes", False: "no"}[row["within"]]
        parts = row["parts"] or (None, None, None)
        cells = [row["name"], row["stock"], row["kind"], row["nominal"], row["actual"], row["off"], low, high, within, *parts,
                 row["angle"], row["form"], row["points"], row["why"]]  # fmt: skip
        lines.append(",".join(safe_cell(c) if isinstance(c, str) else "" if c is None else str(c) for c in cells))
    return "\n".join(lines) + "\n"
