"""All channels on one clock: where they wait for each other, and when everything happens.

mark      an M code at which a channel waits; its P names the channels it waits for, all others that have the mark without P
meeting   the marks of one number that go on together, one in each channel
lane      a channel on the clock

Every channel is timed alone (a wait is a stop), and goes through its marks in order. All that stand at the same mark, with every
partner named, go on when the last has come; where none can, each of them waits for ever.

channel 1   ──cut────cut──┐wait ┌──cut──────
channel 2   ──cut────cut────cut─┘──cut──       the wait gets the rest, what follows is shifted
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from .reel import Reel


class Wait(Protocol):
    """A wait mark of a program: its number, the channels that it names, and the motion that stands there."""

    mark: int
    channels: tuple[int, ...]
    motion: int


@dataclass(frozen=True)
class Meeting:
    """`at`: channel → which of its waits."""

    mark: int
    at: dict[int, int]


def meetings(waits: Mapping[int, Sequence[Wait]]) -> tuple[list[Meeting], dict[int, int]]:
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


def partners(channel: int, wait: Wait, waits: Mapping[int, Sequence[Wait]]) -> set[int]:
    """The channels that a wait waits for."""
    if wait.channels:
        return set(wait.channels) - {channel}
    return {c for c, own in waits.items() if c != channel and any(other.mark == wait.mark for other in own)}


def _meets(channel: int, standing: Mapping[int, Wait], waits: Mapping[int, Sequence[Wait]]) -> list[int]:
    """The channels that go on together from this channel's mark; empty while one of them is not there yet."""
    group, ask = {channel}, [channel]
    mark = standing[channel].mark
    while ask:
        for partner in partners(c := ask.pop(), standing[c], waits):
            if partner not in standing or standing[partner].mark != mark:
                return []
            if partner not in group:
                group.add(partner)
                ask.append(partner)
    return sorted(group) if len(group) > 1 else []


def set_clock(reels: Mapping[int, Reel], waits: Mapping[int, Sequence[Wait]], met: Sequence[Meeting]) -> None:
    """Put channels that were timed alone, each from 0, on one clock: their reels' times are shifted in place."""
    late = dict.fromkeys(reels, 0.0)
    stood = {channel: np.zeros(len(reel.begin_time)) for channel, reel in reels.items()}
    for meeting in met:
        motion = {channel: waits[channel][i].motion for channel, i in meeting.at.items()}
        arrival = {channel: float(reels[channel].begin_time[m]) + late[channel] for channel, m in motion.items()}
        last = max(arrival.values())
        for channel, m in motion.items():
            stood[channel][m] = last - arrival[channel]
            late[channel] += last - arrival[channel]
    for channel, reel in reels.items():
        shift = np.cumsum(stood[channel])
        reel.begin_time, reel.end_time = reel.begin_time + (shift - stood[channel]), reel.end_time + shift
