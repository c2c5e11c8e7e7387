"""Where the time goes: by operation and kind, what the feed asked for would take, and where minutes could be saved.

cutting  at feed, in material       air     at feed, in none
late     of the time at feed, what is beyond length over feed: corners, accelerations, axes that cannot follow
saving   air  a stretch at feed in which nothing is cut, run at rapid but for the last of its way to the work
         high a retract above all that stands on the table and the clearance asked for

Spindles that run up and coolant take the time that the machine file says, those inside a cycle (a tap's way back) none.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..findings import Where
from ..geometry.frames import Floats, inverse
from ..program.motions import ARC, DWELL, FEED, RAPID, THREAD, TOOL_CHANGE, WAIT
from .result import Rehearsal, Strand, Timed
from .virtual_control import tool_mount, work_mount

APPROACH_MM = 2.0  # of a stretch in the air that stays at feed, before the work and after it (common practice)
LEAST_SAVED_S = 0.5
LEAST_HIGHER_MM = 5.0
MOST_SAVINGS = 20
UPRIGHT = 1e-6


@dataclass(frozen=True)
class OperationTime:
    """Seconds of one operation (a tool change to the next), by kind."""

    channel: int
    tool: int
    program: str
    line: int
    name: str
    begin: float
    cutting: float
    air: float
    rapid: float
    dwell: float
    change: float
    waiting: float
    spindle: float  # running up and down
    coolant: float
    other: float
    late: float

    @property
    def seconds(self) -> float:
        return (
            self.cutting
            + self.air
            + self.rapid
            + self.dwell
            + self.change
            + self.waiting
            + (self.spindle + self.coolant + self.other)
        )


@dataclass(frozen=True)
class Saving:
    """`seconds` that could be saved; `where` it begins, `last_line` where it ends, `count` how many stretches are told together."""

    kind: str  # air, high
    where: Where
    last_line: int
    seconds: float
    count: int = 1
    amount: float = 0.0  # of a retract: by how much it is higher than needed, mm


def in_cut(result: Timed) -> Floats | None:
    """Seconds that every motion (n,) was in material; None where no stock was cut."""
    stocks = result.stocks if isinstance(result, Rehearsal) else []
    if not stocks:
        return None
    return np.minimum(sum(cut.work.seconds for cut in stocks), result.reel.end_time - result.reel.begin_time)


def operation_times(result: Timed) -> list[OperationTime]:
    """Every operation of every channel, in order."""
    cut = in_cut(result)
    return [row for strand in result.strands for row in _of_strand(strand, cut)]


def _of_strand(strand: Strand, cut: Floats | None) -> list[OperationTime]:
    reel, motions = strand.reel, strand.reel.motions
    count = len(motions)
    if not count:
        return []
    seconds = reel.end_time - reel.begin_time
    feed = np.isin(motions.kind, (FEED, ARC, THREAD))
    cutting = np.where(feed, seconds if cut is None else np.minimum(cut[reel.first : reel.first + count], seconds), 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        asked = np.where(feed & (motions.feed > 0), 60.0 * reel.length / motions.feed, seconds)
    late = np.where(feed, np.maximum(seconds - asked, 0.0), 0.0)
    spent = {on: np.zeros(count) for on in ("spindle", "coolant")}
    for motion, on in strand.interpreted.spent.items():
        if motion < count:
            spent[on][motion] = seconds[motion]
    starts = [(m, line, tool, name) for m, line, tool, name in strand.interpreted.operations if m < count]
    if not starts or starts[0][0] > 0:
        starts.insert(0, (0, int(motions.line[0]), int(motions.tool[0]), ""))
    ends = [*(start[0] for start in starts[1:]), count]
    rows = []
    for (first, line, tool, name), last in zip(starts, ends, strict=True):
        span = slice(first, last)
        kind = motions.kind[span]
        if last <= first or not seconds[span].sum():
            continue

        def of(*kinds: int, kind: NDArray[np.uint8] = kind, span: slice = span) -> float:
            return float(seconds[span][np.isin(kind, kinds)].sum())

        at_feed, in_material = of(FEED, ARC, THREAD), float(cutting[span].sum())
        spindle, coolant = (float(on[span].sum()) for on in spent.values())
        known = (of(RAPID), of(DWELL), of(TOOL_CHANGE), of(WAIT), spindle, coolant)
        rows.append(
            OperationTime(
                strand.channel,
                tool,
                motions.file_name(first),
                line,
                name,
                float(reel.begin_time[first]),
                in_material,
                max(at_feed - in_material, 0.0),
                *known,
                max(float(seconds[span].sum()) - at_feed - sum(known), 0.0),
                float(late[span].sum()),
            )
        )
    return rows


def savings(result: Timed) -> list[Saving]:
    """Where time could be saved, the most first; only of channels of one tool and one work, standing upright for retracts."""
    cut = in_cut(result)
    found: list[Saving] = []
    for strand in result.strands:
        if cut is not None:
            found += _air(strand, cut[strand.reel.first : strand.reel.first + len(strand.reel.motions)])
        found += _high(strand)
    return sorted(found, key=lambda saving: -saving.seconds)[:MOST_SAVINGS]


def _air(strand: Strand, cut: Floats) -> list[Saving]:
    """Straight stretches at feed that meet nothing, and are long enough that a rapid would be sooner there."""
    reel, motions = strand.reel, strand.reel.motions
    idle = (motions.kind == FEED) & (cut <= 0.0) & ~motions.in_frame
    if not idle.any():
        return []
    rapids = np.array([strand.chain.joints[axis].rapid for axis in strand.setup.axes]) / 60.0
    accels = np.array([strand.chain.joints[axis].accel for axis in strand.setup.axes])
    way = np.abs(motions.end - motions.begin)
    quick = (way / rapids).max(axis=1)
    operation = motions.operation
    rows = np.flatnonzero(idle)
    runs = np.split(rows, np.flatnonzero((np.diff(rows) > 1) | (np.diff(operation[rows]) != 0)) + 1)
    found = []
    for run in runs:
        length = float(reel.length[run].sum())
        feed = float(motions.feed[run].min())
        if length <= 2 * APPROACH_MM or feed <= 0.0:
            continue
        seconds = float((reel.end_time - reel.begin_time)[run].sum())
        share = (length - 2 * APPROACH_MM) / length
        ramps = float((rapids / accels).max())  # to speed up and to come to rest again
        saved = share * (seconds - float(quick[run].sum())) - ramps
        if saved >= LEAST_SAVED_S:
            found.append(Saving("air", reel.where(int(run[0])), int(motions.line[run[-1]]), saved))
    return found


def _high(strand: Strand) -> list[Saving]:
    """Rapids up, across and down again, higher than anything on the table needs; those of one operation told together."""
    reel, motions, chain, job = strand.reel, strand.reel.motions, strand.chain, strand.job
    axes = strand.setup.axes
    if "Z" not in axes or len(motions) < 3 or (job.machine.work_spindle is not None):
        return []
    work, tool = work_mount(job, chain), tool_mount(job, chain, int(motions.tool[-1]))
    turning = [i for i, axis in enumerate(axes) if axis in chain.joints and chain.joints[axis].type == "rotary"]
    ends = strand.full(motions.end)
    poses = chain.tool_in_work(tool, work, ends)
    mounts = {mount.name for mount in chain.mounts.values() if mount.link == work.link}
    bodies = [body.name for body in job.file.bodies if body.mount in mounts and body.role != "access"]
    if not bodies:
        return []
    shift = inverse(chain.mount_pose(work, ends[:1]))[0]
    tops = []
    for body in job.file.bodies:
        if body.name in bodies:
            frame = shift @ chain.mount_pose(chain.mounts[body.mount], ends[:1])[0]
            tops += [float((mesh.moved(frame).vertices[:, 2]).max()) for mesh in job.body_meshes[body.name]]
    top = max(tops) + max(job.file.checks.near, APPROACH_MM)
    lengths = {t.number: t.length for t in job.tools.tools}
    tip = poses[:, 2, 3] - np.array([lengths.get(int(n), 0.0) for n in motions.tool]) * poses[:, 2, 2]
    upright = np.abs(poses[:, 2, 2] - 1.0) < UPRIGHT
    still = (
        ~np.any(np.abs(np.diff(motions.end[:, turning], axis=0, prepend=motions.start[turning][None])) > 1e-9, axis=1)
        if turning
        else np.ones(len(motions), np.bool_)
    )
    rapid = (motions.kind == RAPID) & upright & still
    step = np.diff(tip, prepend=tip[:1])
    speed, operation = chain.joints["Z"].rapid / 60.0 if "Z" in chain.joints else 0.0, motions.operation
    by_operation: dict[int, list[tuple[int, float]]] = {}
    for up in np.flatnonzero(rapid & (step > LEAST_HIGHER_MM) & (tip > top + LEAST_HIGHER_MM)).tolist():
        down = up + 1
        while down < len(motions) and rapid[down] and abs(step[down]) < 1e-6:
            down += 1
        if (
            down == up + 1
            or down >= len(motions)
            or not rapid[down]
            or step[down] >= 0
            or operation[down] != operation[up]
        ):
            continue
        higher = float(tip[up] - max(top, tip[up - 1] if up else top, tip[down]))
        if higher > LEAST_HIGHER_MM:
            by_operation.setdefault(int(operation[up]), []).append((up, higher))
    found = []
    for rows in by_operation.values():
        saved = sum(2.0 * higher / speed for _, higher in rows) if speed else 0.0
        if saved >= LEAST_SAVED_S:
            first, last = rows[0][0], rows[-1][0]
            found.append(
                Saving(
                    "high",
                    reel.where(first),
                    int(motions.line[last]),
                    saved,
                    len(rows),
                    min(higher for _, higher in rows),
                )
            )
    return found
