"""Wait marks that nobody answers, and channels that wait for each other."""

from __future__ import annotations

from ..findings import Docket
from ..program.interpreted import Wait
from ..timeline.clock import partners as _partners


def check_waits(waits: dict[int, list[Wait]], left: dict[int, int], docket: Docket) -> None:
    """`waits`: every channel's; `left`: for each channel that stays behind which of its waits it stands at."""
    for channel, index in left.items():
        wait = waits[channel][index]
        partners = _partners(channel, wait, waits)
        alone = [p for p in partners if not any(w.mark == wait.mark for w in waits.get(p, ())[_from(left, waits, p) :])]
        if not partners or alone:
            who = ", ".join(str(p) for p in alone) or "no other channel"
            told = f"channel {channel} waits at M{wait.mark} for channel {who}, which never comes there" if alone else (
                f"channel {channel} waits at M{wait.mark}, which no other channel has")  # fmt: skip
            rule = "wait.alone"
        else:
            others = ", ".join(f"channel {p} at M{waits[p][left[p]].mark}" for p in sorted(partners) if p in left)
            told = f"channel {channel} waits at M{wait.mark} while {others} waits: neither goes on"
            rule = "wait.crossed"
        docket.add(rule, told, channel=channel, program=wait.program, line=wait.line, motion=wait.motion)


def _from(left: dict[int, int], waits: dict[int, list[Wait]], channel: int) -> int:
    """The first of a channel's waits that is still ahead of it."""
    return left.get(channel, len(waits.get(channel, ())))
