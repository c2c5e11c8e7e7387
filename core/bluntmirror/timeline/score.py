"""The lanes of all channels as one: motions with ids that are theirs alone, and knots at which every axis of the machine is known.

id     a motion's number over all channels: those of the first channel first
lane   a channel on the clock, by its place in the list
union  knots at all times at which any lane has one; between two of them every axis runs evenly

A machine of one channel keeps its sparse knots: there is nothing to be together with.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..program.motions import Motions, Snapshot
from .reel import Floats, Knots, Reel, even_knots
from .ways import Ways

SAME_MOMENT_S = 1e-9
EVEN_MM = 0.005  # how far two channels' bodies may stand from the time law between knots


def together(
    reels: Sequence[Reel], columns: Sequence[Sequence[int]], width: int, keys: Sequence[Mapping[int, int]]
) -> Reel:
    """One reel of all channels' motions; the very reel where there is one. `columns`: for each channel the machine's columns of its
    axes, of `width` in all; an axis that is not the channel's is NaN. `keys`: for each its tools' numbers → what tells them apart
    in the machine."""
    if len(reels) == 1:
        return reels[0]
    first = 0
    for reel in reels:
        reel.first = first
        first += len(reel.motions)
    motions = _joined([reel.motions for reel in reels], columns, width, keys)

    def every(name: str) -> NDArray:
        return np.concatenate([getattr(reel, name) for reel in reels])

    whole: dict[str, Any] = {
        name: every(name)
        for name in ("begin_time", "end_time", "length", "v_in", "v_out", "v_peak", "accel", "asked_share")
    }
    none = np.zeros(0)
    return Reel(
        motions, **whole, dogleg=reels[0].dogleg, slides=np.eye(width), axis_speed=none, axis_accel=none,
        rapid_share=reels[0].rapid_share, ways=Ways.none(width), way_time=none,
        slow_axis=np.full(first, -1, np.int64), channel=reels[0].channel, parts=tuple(reels),
    )  # fmt: skip


def _joined(
    parts: Sequence[Motions], columns: Sequence[Sequence[int]], width: int, keys: Sequence[Mapping[int, int]]
) -> Motions:
    snapshots: list[Snapshot] = []
    files: list[str] = []
    merged: dict[str, list[NDArray]] = {field.name: [] for field in fields(Motions)}
    for part, own, key in zip(parts, columns, keys, strict=True):
        n = len(part)
        for name in merged:
            if name not in ("axes", "start", "snapshots", "files", "end", "snapshot", "file", "tool", "lane"):
                merged[name].append(getattr(part, name))
        end = np.full((n, width), np.nan)
        end[:, own] = part.end
        merged["end"].append(end)
        merged["snapshot"].append(part.snapshot + len(snapshots))
        merged["file"].append((part.file + len(files)).astype(part.file.dtype))
        numbers, of = np.unique(part.tool, return_inverse=True)
        told = np.array([key.get(int(number), int(number)) for number in numbers], part.tool.dtype)
        merged["tool"].append(told[of] if n else part.tool)
        merged["lane"].append(np.full(n, len(merged["lane"]), np.int16))
        snapshots += part.snapshots
        files += part.files
    start = np.full(width, np.nan)
    for part, own in zip(parts, columns, strict=True):
        start[list(own)] = part.start
    rest = {name: np.concatenate(values) for name, values in merged.items() if values}
    return Motions(axes=(), start=start, snapshots=snapshots, files=files, **rest)


def union_knots(
    reels: Sequence[Reel],
    lanes: Sequence[Knots],
    columns: Sequence[Sequence[int]],
    standing: Floats,
    stops: Sequence[int],
    more: Sequence[float] = (),
) -> tuple[Knots, list[tuple[int, int, int, int]]]:
    """Knots of every axis of the machine: `standing` (k,) where an axis is before anything moves it; `stops`: the first lane's
    motions that programmed stops come before; `more`: times at which there has to be a knot, too. And where two lanes move one axis
    at once: column, two lanes, segment."""
    own = [even_knots(reel, knots, EVEN_MM) for reel, knots in zip(reels, lanes, strict=True)]
    moments = [np.concatenate([knots.t0[:1], knots.t1]) for knots in own]
    end = max((float(moment[-1]) for moment in moments if len(moment)), default=0.0)
    times = np.unique(np.concatenate([*moments, [0.0], np.clip(np.asarray(more, float), 0.0, end)]))
    times = times[np.append(True, np.diff(times) > SAME_MOMENT_S)]
    m = max(len(times) - 1, 0)
    middle = 0.5 * (times[1:] + times[:-1])
    each = np.full((m, len(reels)), -1, np.int32)
    at = np.tile(standing, (m + 1, 1))
    moved: dict[int, list[tuple[int, Floats, NDArray[np.bool_]]]] = {}
    for lane, (reel, knots, moment, of) in enumerate(zip(reels, own, moments, columns, strict=True)):
        if not len(knots.motion):
            continue
        segment = np.searchsorted(knots.t1, middle, side="right")
        there = segment < len(knots.motion)
        each[there, lane] = knots.motion[segment[there]] + reel.first
        change = np.zeros((m, len(of)), np.bool_)
        change[there] = (knots.at[1:] != knots.at[:-1])[segment[there]]
        for i, column in enumerate(of):
            moved.setdefault(column, []).append((lane, np.interp(times, moment, knots.at[:, i]), change[:, i]))
    clashes: list[tuple[int, int, int, int]] = []
    for column, movers in moved.items():
        if len(movers) == 1:
            at[:, column] = movers[0][1]
            continue
        last = np.zeros(
            m + 1, np.int64
        )  # the last segment before each knot in which anyone moved the axis, from 1; 0: none yet
        value = np.full(m + 1, at[0, column])
        taken = np.full(m, -1)
        for lane, values, change in movers:
            both = np.flatnonzero(change & (taken >= 0))
            if len(both):
                clashes.append((column, int(taken[both[0]]), lane, int(both[0])))
            taken[change] = lane
            value[1:][change] = values[1:][change]
            last[1:][change] = np.flatnonzero(change) + 1
        at[:, column] = value[np.maximum.accumulate(last)]
    lead = np.zeros(m, np.int32)
    for lane in reversed(range(len(reels))):
        lead = np.where(each[:, lane] >= 0, each[:, lane], lead)
    phase = np.searchsorted(
        np.asarray(stops, np.int64), np.where(each[:, 0] >= 0, each[:, 0], np.iinfo(np.int32).max), side="right"
    )
    phase[each[:, 0] < 0] = len(stops)
    knots = Knots(at, lead, times[:-1], times[1:], phase.astype(np.int32), each, even=True)
    return _with_missing_phases(knots, reels[0], stops), clashes


def _with_missing_phases(knots: Knots, reel: Reel, stops: Sequence[int]) -> Knots:
    """A phase in which nothing takes time gets a segment of its own, of no time."""
    for phase in range(1, len(stops) + 1):
        if (knots.phase == phase).any():
            continue
        before = max(int(stops[phase - 1]) - 1, 0)
        time = float(reel.end_time[before]) if len(reel.end_time) else 0.0
        place = int(np.searchsorted(knots.phase, phase))
        row = (
            knots.lanes[min(place, len(knots.motion) - 1)].copy()
            if len(knots.motion)
            else np.zeros(len(knots.lanes.T), np.int32)
        )
        row[0] = before + reel.first
        knots = replace(
            knots, at=np.insert(knots.at, place, knots.at[place], axis=0), motion=np.insert(knots.motion, place, row[0]),
            t0=np.insert(knots.t0, place, time), t1=np.insert(knots.t1, place, time), phase=np.insert(knots.phase, place, phase),
            each=np.insert(knots.lanes, place, row, axis=0),
        )  # fmt: skip
    return knots
