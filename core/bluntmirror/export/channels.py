"""What channels and grips do, as the report tells it: how each channel spends its time, who waits for whom, and when pieces change hands."""

from __future__ import annotations

from html import escape
from typing import Any

from ..rehearsal.grips import Events
from ..rehearsal.result import Rehearsal, Strand, Timed
from .page import clock, table

MOST_ROWS = 40
LEAST_S = 0.05  # a shorter wait is none
SAID = {
    "closed": "has closed",
    "opening": "opens",
    "push": "the bar is pushed out",
    "pass": "a pass of the program begins",
}


def channels(result: Timed, verdict: dict[str, Any]) -> str:
    """The time of every channel, and its wait marks with the seconds that each of them cost."""
    if "channels" not in verdict:
        return ""
    rows = [
        [f"channel {item['number']}", *(clock(item[name]) for name in ("time", "cutting", "rapid", "waiting", "other"))]
        for item in verdict["channels"]
    ]
    return (
        "<h2>Channels</h2>"
        + table(["", "in all", "feed", "rapid", "waits", "change, dwell"], rows, frozenset(range(1, 6)))
        + _waits(result)
    )


def _waits(result: Timed) -> str:
    """Every mark at which somebody had to wait, the longest first."""
    marks = [(strand, number) for strand in result.strands for number in range(len(strand.interpreted.waits))]
    if not marks:
        return ""
    waited = sorted(
        ((seconds, *mark) for mark in marks if (seconds := _waited(*mark)) > LEAST_S), key=lambda item: -item[0]
    )
    if not waited:
        return "<p>No channel waits for another.</p>"
    rows = []
    for seconds, strand, number in waited[:MOST_ROWS]:
        wait = strand.interpreted.waits[number]
        begun = clock(strand.reel.begin_time[wait.motion])
        rows.append(
            [
                f"channel {strand.channel}",
                f"mark {wait.mark}",
                f"{escape(wait.program)} line {wait.line}",
                begun,
                f"{seconds:.1f}",
            ]
        )
    heads = ["waits", "at", "where", "from", "seconds"]
    return "<h3>Who waits, the longest first</h3>" + table(heads, rows, frozenset({3, 4})) + _more(len(waited))


def _waited(strand: Strand, number: int) -> float:
    motion = strand.interpreted.waits[number].motion
    reel = strand.reel
    return float(reel.end_time[motion] - reel.begin_time[motion]) if motion < len(reel.end_time) else 0.0


def grips(result: Timed) -> str:
    """Grips as they close and open, in the order of time, and what holds each piece at the end."""
    events = [event for event in Events.of_channels(result).in_order if event.what in SAID]
    if not events:
        return ""
    rows = []
    for event in events[:MOST_ROWS]:
        act = event.act
        place = f"{escape(act.program)} line {act.line}" if act.line else ""
        rows.append([clock(event.time), escape(act.name) if act.kind != "pass" else "", SAID[event.what], place])
    held = [
        f"{cut.name}: {'held by ' + ' and '.join(cut.held_by) if cut.held_by else 'let go'}"
        for cut in (result.stocks if isinstance(result, Rehearsal) else ())
        if cut.held_by is not None
    ]
    at_the_end = f"<p>At the end — {escape('; '.join(held))}.</p>" if held else ""
    return (
        "<h2>Grips</h2>"
        + table(["at", "grip", "does", "where"], rows, frozenset({0}))
        + _more(len(events))
        + at_the_end
    )


def _more(count: int) -> str:
    return f'<p class="quiet">The first {MOST_ROWS} of {count}.</p>' if count > MOST_ROWS else ""
