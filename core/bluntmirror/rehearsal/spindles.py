"""How fast every spindle of a machine turns at any moment: what all channels have asked of it, in the order of the clock.

ask    (time, rev/min): clockwise positive, seen out of the spindle along its Z (M3)
sync   one spindle follows another in speed and angle, until it is let go; it keeps the speed it has then
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.frames import Floats
from ..job import Job
from ..machine import Chain
from ..machine.tip import Kinematics
from ..program.motions import ARC, FEED, THREAD, Motions
from .result import Strand
from .virtual_control import tool_mount

STANDS_MM = 1e-4  # an axis, a tip or the end of a tool's unit vector that is no farther off stands where it should


@dataclass(frozen=True)
class Ask:
    """What a channel asks of a spindle before one of its motions: a `spindle` speed, to follow (`sync`), to be let go (`unsync`).
    Line 0: no code of its own asks for it (constant surface speed)."""

    time: float
    kind: str
    spindle: str
    rpm: float
    follows: str
    strand: Strand
    motion: int
    program: str = ""
    line: int = 0


@dataclass(frozen=True)
class Speed:
    """A step function of time: rev/min from each moment on. Before the first it stands."""

    time: Floats  # (n,), s, ascending
    rpm: Floats
    asks: tuple[Ask, ...]  # what changed it

    def at(self, times: Floats | float) -> Floats:
        place = np.searchsorted(self.time, np.asarray(times) + 1e-9, side="right") - 1
        return (
            np.where(place >= 0, self.rpm[np.maximum(place, 0)], 0.0) if len(self.time) else np.zeros(np.shape(times))
        )

    def ups(self) -> Iterator[tuple[float, float, Ask]]:
        """Time, rev/min more than before, and what asked for it, wherever the spindle is to turn faster."""
        before = 0.0
        for time, rpm, ask in zip(self.time.tolist(), self.rpm.tolist(), self.asks, strict=True):
            if abs(rpm) > abs(before):
                yield time, abs(rpm) - abs(before), ask
            before = rpm


def spindle_speeds(strands: list[Strand]) -> dict[str, Speed]:
    """Every named spindle's speed over time. A machine without named spindles has none here."""
    asks = sorted((ask for strand in strands for ask in _asked(strand)), key=lambda ask: ask.time)
    names = list(dict.fromkeys(name for strand in strands for name in strand.setup.spindles))
    now = dict.fromkeys(names, 0.0)
    follows: dict[str, str] = {}
    alike = _alike(strands) if any(ask.kind == "sync" for ask in asks) else {}
    told: dict[str, list[tuple[float, float, Ask]]] = {name: [] for name in names}
    for ask in asks:
        if ask.kind == "sync":
            follows[ask.spindle] = ask.follows
        elif ask.kind == "unsync":
            follows.clear()
        else:
            follows.pop(ask.spindle, None)
            now[ask.spindle] = ask.rpm
        for follower, leader in follows.items():
            now[follower] = alike[follower, leader] * now[leader]
        for each in names:
            if not told[each] or told[each][-1][1] != now[each]:
                told[each].append((ask.time, now[each], ask))
    return {
        name: Speed(np.array([t for t, _, _ in rows]), np.array([r for _, r, _ in rows]), tuple(a for *_, a in rows))
        for name, rows in told.items()
    }


def _asked(strand: Strand) -> list[Ask]:
    """All that a channel asks of named spindles, in its own order."""
    if not strand.setup.spindles:
        return []
    reel, motions = strand.reel, strand.reel.motions
    asks = [
        Ask(_begin(reel.begin_time, reel.seconds, act.motion), act.kind, act.name, act.value, act.other, strand, act.motion,
            act.program, act.line)
        for act in strand.interpreted.acts if act.kind in ("spindle", "sync", "unsync")
    ]  # fmt: skip
    # Under constant surface speed every motion has a speed of its own; it begins with the motion.
    named = np.array([s.spindle if not s.live else "" for s in motions.snapshots] or [""])[motions.snapshot]
    change = np.flatnonzero(
        (motions.rpm != np.append(np.nan, motions.rpm[:-1])) | (named != np.append(named[:1], named[:-1]))
    )
    own = {ask.motion for ask in asks if ask.kind == "spindle"}
    return asks + [
        Ask(float(reel.begin_time[row]), "spindle", str(named[row]), float(motions.rpm[row]), "", strand, row)
        for row in change.tolist()
        if named[row] and row not in own and motions.rpm[row] != 0
    ]


def spindle_ways(job: Job, chain: Chain) -> dict[str, Floats]:
    """The direction in the machine's frame that each spindle points in, every axis at its first reference."""
    reference = job.machine.reference.get("1", {})
    values = np.array([[reference.get(axis, 0.0) for axis in chain.axes]])
    return {s.name: chain.mount_pose(chain.mounts[s.mount], values)[0, :3, 2] for s in job.machine.spindles}


def _alike(strands: list[Strand]) -> dict[tuple[str, str], float]:
    """+1 for two spindles that point the same way, −1 for two that face each other: to turn alike in space these turn opposite,
    each seen along its own Z."""
    ways = spindle_ways(strands[0].job, strands[0].chain)
    return {(a, b): float(np.sign(ways[a] @ ways[b])) or 1.0 for a in ways for b in ways}


def _begin(begin: Floats, end: float, motion: int) -> float:
    return float(begin[motion]) if motion < len(begin) else end


def feeds_of_the_moment(strand: Strand, speeds: dict[str, Speed]) -> bool:
    """Give the feeds per revolution of a spindle that another channel has started the speed it has when each motion begins.
    Whether any feed changed."""
    motions, reel = strand.reel.motions, strand.reel
    per_turn = np.array([s.per_turn for s in motions.snapshots] or [0.0])[motions.snapshot]
    rows: NDArray[np.int64] = np.flatnonzero((per_turn > 0.0) & (motions.feed > 0.0))
    changed = False
    for name in {motions.snapshots[int(s)].spindle for s in np.unique(motions.snapshot[rows])}:
        if name not in speeds:
            continue
        mine = rows[[motions.snapshots[int(s)].spindle == name for s in motions.snapshot[rows]]]
        feed = per_turn[mine] * np.abs(speeds[name].at(reel.begin_time[mine]))
        new = np.where(feed > 0.0, feed, motions.feed[mine])
        if not np.allclose(new, motions.feed[mine], rtol=1e-9, atol=0.0):
            motions.feed[mine] = new
            changed = True
    return changed


def tool_spindle(strand: Strand, tool: int) -> str:
    """The named spindle that a tool hangs in and is turned by; empty where there is none."""
    turned = {s.mount: s.name for s in strand.job.machine.spindles if s.turns == "tool"}
    return turned.get(tool_mount(strand.job, strand.chain, tool).name, "") if turned else ""


def cutting_speeds(strand: Strand, speeds: dict[str, Speed]) -> Floats:
    """Rev/min that the cut of every motion is made with, (n,): of the spindle that its tool hangs in, whichever is addressed."""
    motions = strand.reel.motions
    rpm = np.asarray(motions.rpm, float)
    for tool in np.unique(motions.tool).tolist() if speeds else []:
        if name := tool_spindle(strand, tool):
            rows = motions.tool == tool
            rpm[rows] = speeds[name].at(strand.reel.begin_time[rows])
    return rpm


def check_spindles(strand: Strand, speeds: dict[str, Speed]) -> None:
    """Cutting moves while the spindle that the channel means stands, whoever was to start it: one finding a tool."""
    motions, reel, docket = strand.reel.motions, strand.reel, strand.docket
    if not speeds or not len(motions):
        return
    snapshots = motions.snapshots
    bearing = [i for i, axis in enumerate(motions.axes) if axis not in strand.setup.no_tool_axes]
    moved = (np.diff(motions.end, axis=0, prepend=motions.start[None])[:, bearing] != 0.0).any(axis=1)
    for number in np.unique(motions.tool).tolist():
        rows = np.flatnonzero((motions.tool == number) & np.isin(motions.kind, (FEED, ARC, THREAD)) & moved)
        own = tool_spindle(strand, number)
        if own:  # whichever is addressed for the words C and M3
            still = rows[speeds[own].at(reel.begin_time[rows]) == 0.0].tolist()
        else:
            still = [
                row for row in rows.tolist()
                if number and not (s := snapshots[int(motions.snapshot[row])]).live and s.spindle in speeds
                and motions.rpm[row] == 0 and speeds[s.spindle].at(reel.begin_time[row]) == 0.0
            ]  # fmt: skip
        if not still:
            continue
        first = snapshots[int(motions.snapshot[still[0]])]
        where = reel.where(still[0], last=still[-1])
        if first.per_turn:
            docket.add("feed.no-speed", f"feed per revolution while {first.spindle} stands", where=where, count=len(still),
                       remedy=f"Start {first.spindle} first, in this channel or before a common wait mark in another.")  # fmt: skip
        else:
            docket.add("spindle.still", f"T{number} is moved at feed while {own or first.spindle} stands", where=where, count=len(still),
                       remedy=f"Start {own or first.spindle} first, in this channel or before a common wait mark in another.")  # fmt: skip


def check_frames(strands: list[Strand]) -> None:
    """Tip control and tilted planes take axes of other channels between work and tool (a second headstock, its C) to stand at
    reference 1; where they stand elsewhere and that makes a difference, it is told."""
    for strand in strands:
        motions = strand.reel.motions
        framed = np.flatnonzero(np.isin(motions.snapshot, [i for i, s in enumerate(motions.snapshots) if s.frame]))
        if not len(framed):
            continue
        solvers = {
            id(solver): solver
            for solver in map(strand.solver, framed[np.unique(motions.snapshot[framed], return_index=True)[1]])
        }
        for solver in solvers.values():
            if not solver.standing:
                continue
            rows = np.array([row for row in framed.tolist() if strand.solver(row) is solver])
            _check_standing(strand, solver, rows, strands)


def _check_standing(strand: Strand, solver: Kinematics, rows: NDArray[np.int64], strands: list[Strand]) -> None:
    reel, names = strand.reel, {strand.axis(axis): axis for axis in solver.standing}
    for other in strands:
        own = [
            (column, names[other.axis(axis)])
            for column, axis in enumerate(other.setup.axes)
            if other.axis(axis) in names
        ]
        if other is strand or not own or not len(other.reel.motions):
            continue
        columns = [column for column, _ in own]
        assumed = np.array([solver.standing[axis] for _, axis in own])
        moved = other.reel.motions
        elsewhere = (np.abs(np.array([moved.begin, moved.end])[:, :, columns] - assumed) > STANDS_MM).any(axis=(0, 2))
        if not elsewhere.any():
            continue
        for row in rows.tolist():
            # Its motions from the one under way when this one begins to the one when it ends.
            span = reel.begin_time[row], reel.end_time[row]
            first, last = np.clip(np.searchsorted(other.reel.begin_time, span, "right") - 1, 0, len(moved) - 1)
            if not elsewhere[first : last + 1].any():
                continue
            for values in (moved.begin[first], *moved.end[first : last + 1]):
                at = {axis: float(values[column]) for column, axis in own}
                if _is_otherwise(solver, at, reel.motions, row):
                    told = ", ".join(f"{strand.axis(axis)} at {value:g}" for axis, value in at.items())
                    strand.docket.add(
                        "check.limit", "tip control and tilted planes are worked out with the axes of other channels at reference 1; here "
                        f"stands {told}: what follows cannot be trusted", where=reel.where(row, last=int(rows[-1])), count=len(rows),
                        remedy="Bring these axes to reference 1 before the frame is switched on.",
                    )  # fmt: skip
                    return


def _is_otherwise(solver: Kinematics, at: dict[str, float], motions: Motions, row: int) -> bool:
    """Whether the tip stands over another point of the work, or points elsewhere, with other channels' axes there."""
    if all(abs(value - solver.standing[axis]) < STANDS_MM for axis, value in at.items()):
        return False
    frame, values = motions.snapshots[int(motions.snapshot[row])].frame, motions.end[row]
    assert frame
    other = solver.standing_at(at)
    apart = other.zero_place(values, frame.length, frame.work_only) - solver.zero_place(
        values, frame.length, frame.work_only
    )
    turned = other.tool_vector(values) - solver.tool_vector(values)
    return bool(np.abs(apart).max() > STANDS_MM or np.abs(turned).max() > STANDS_MM)
