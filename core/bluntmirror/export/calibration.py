"""What was learned of a unit's times, as JSON and as text."""

from __future__ import annotations

from typing import Any

from ..rehearsal.calibrating import NAMES, Fitted

WORDS = {
    "accel": ("acceleration", "× what the machine file says"), "corner": ("corner time", "s"), "block": ("least time of a block", "s"),
    "change": ("tool change", "s"),
}  # fmt: skip
Json = dict[str, Any]


def fitted_dict(found: Fitted) -> Json:
    """Constants with how sure they are, what was measured beside what is worked out, and the spread that is left (a share)."""
    return {
        "constants": [
            {"name": name, "said": WORDS[name][0], "unit": WORDS[name][1], "before": getattr(found.before, name), "after": getattr(found.after, name),
             "unsure": found.unsure.get(name), "told": name not in found.held}
            for name in NAMES
        ],
        "spread": found.spread,
        "residuals": [
            {"job": row.job, "what": row.what, "measured": row.measured, "before": round(row.before, 3), "after": round(row.after, 3)}
            for row in found.residuals
        ],
    }  # fmt: skip


def as_text(found: Json) -> str:
    lines = ["what                      measured     as it was    as learned"]
    for row in found["residuals"]:
        lines.append(f"{row['what'][:24]:24} {row['measured']:9.1f} s {row['before']:11.1f} s {row['after']:11.1f} s")
    lines.append(f"left over: {100 * found['spread']:.1f} % of each time, one standard deviation")
    for item in found["constants"]:
        if item["told"]:
            lines.append(
                f"{item['said']}: {item['before']:.4g} → {item['after']:.4g} ± {item['unsure']:.2g} {item['unit']}"
            )
        else:
            lines.append(f"{item['said']}: stays {item['before']:.4g} {item['unit']}; these times do not tell it")
    return "\n".join(lines) + "\n"
