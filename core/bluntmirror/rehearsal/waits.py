"""Wait marks of several channels: which of them meet, before anything is timed.

mark      an M code at which a channel waits; its P names the channels it waits for, all others that have the mark without P
meeting   the marks of one number that go on together, one in each channel

Every channel goes through its marks in order. All that stand at the same mark, with every partner named, go on; where none
can, each of them waits for ever.
"""

from __future__ import annotations

from dataclasses import dataclass

from ..program.interpreted import Wait
from .result import Timed


@dataclass(frozen=True)
class Meeting:
    """`at`: channel → which of its waits."""

    mark: int
    at: dict[int, int]


def meetings(waits: dict[int, list[Wait]]) -> tuple[list[Meeting], dict[int, int]]:
    """The meetings in the order in which they come about, and the wait that each channel that stays behind stands at."""
    place = dict.fromkeys(waits, 0)
    found: list[Meeting] = []
    while True:
        standing = {c: waits[c][i] for c, i in place.items() if i < len(waits[c])}
        met = next((m for c in sorted(standing) if (m := _meets(c, standing, waits))), None)
        if met is None:
            return found, {c: place[c] for c in standing}
        found.append(Meeting(standing[met[0]].mark, {c: place[c] for c in met}))
        for channel in met:
            place[channel] += 1


def _partners(channel: int, wait: Wait, waits: dict[int, list[Wait]]) -> set[int]:
    if wait.channels:
        return set(wait.channels) - {channel}
    return {c for c, own in waits.items() if c != channel and any(other.mark == wait.mark for other in own)}


def _meets(channel: int, standing: dict[int, Wait], waits: dict[int, list[Wait]]) -> list[int]:
    """The channels that go on together from this channel's mark; empty while one of them is not there yet."""
    group, ask = {channel}, [channel]
    mark = standing[channel].mark
    while ask:
        for partner in _partners(c := ask.pop(), standing[c], waits):
            if partner not in standing or standing[partner].mark != mark:
                return []
            if partner not in group:
                group.add(partner)
                ask.append(partner)
    return sorted(group) if len(group) > 1 else []


def check_waits(result: Timed) -> None:
    """Marks that nobody answers, and channels that wait for each other."""
    waits = {result.channel: result.interpreted.waits}
    waits |= {channel: other.waits for channel, other in result.others.items()}
    _, left = meetings(waits)
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
        result.docket.add(rule, told, channel=channel, program=wait.program, line=wait.line, motion=wait.motion)


def _from(left: dict[int, int], waits: dict[int, list[Wait]], channel: int) -> int:
    """The first of a channel's waits that is still ahead of it."""
    return left.get(channel, len(waits.get(channel, ())))
