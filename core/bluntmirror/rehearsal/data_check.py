"""Cutting data against what the tool may be asked for, and threads against what the slide can do.

surface speed    v = π·d·n, d the cutter's diameter or, in turning, that of the work at the tip (its definition)
feed per tooth   f / (n·z), z the number of flutes
tap              feed over speed is the lead, and must be the tap's pitch
run-in           from rest to the thread's speed v a slide of acceleration a needs v²/2a (uniform acceleration); over that way
                 the pitch is not kept
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ..geometry.frames import Floats
from ..job.models import (
    BoringBar,
    CentreDrill,
    Counterbore,
    Drill,
    Insert,
    Reamer,
    SpotDrill,
    StepDrill,
    Tap,
    ToolEntry,
)
from ..program.motions import ARC, FEED, THREAD
from ..tools.cutters import widest
from .result import Strand
from .virtual_control import tool_mount, work_mount

SHARE = 1e-3  # by which a value may pass its limit, so that rounding in a post is none
BORES = (Drill, SpotDrill, CentreDrill, StepDrill, Counterbore, Tap, Reamer, BoringBar)  # go along their axis to cut
PITCH_SHARE = 0.01
PLUNGE_SHARE = 0.25  # of a way along the tool, from which on it is a plunge or a ramp
RUN_IN_HAIR_MM = 0.05


def check_data(result: Strand, rpm: Floats) -> None:
    """One finding a tool and rule, at the first motion; `count` says how many there are. `rpm` (n,): that motions cut with."""
    motions = result.reel.motions
    cutting = np.isin(motions.kind, (FEED, ARC)) & (rpm != 0)
    for tool in result.job.tools.tools:
        mine = motions.tool == tool.number
        if not mine.any():
            continue
        _check_speed(result, tool, np.flatnonzero(mine & cutting), np.abs(rpm))
        if isinstance(tool.cutter, Tap) and tool.cutter.pitch:
            _check_tap(
                result,
                tool,
                tool.cutter.pitch,
                np.flatnonzero(mine & (motions.kind == THREAD) & (rpm != 0)),
                np.abs(rpm),
            )


def _say(result: Strand, rule: str, rows: NDArray[np.int64], told: str, remedy: str, amount: float) -> None:
    where = result.reel.where(int(rows[0]), last=int(rows[-1]))
    result.docket.add(rule, told, where=where, count=len(rows), remedy=remedy, amount=amount)


def _diameters(result: Strand, tool: ToolEntry, rows: NDArray[np.int64]) -> Floats:
    """What the edge's speed is reckoned with, (rows,) mm."""
    if not isinstance(tool.cutter, Insert):
        return np.full(len(rows), widest(tool.cutter))
    motions, x = result.reel.motions, result.setup.axes.index("X") if "X" in result.setup.axes else -1
    if x < 0:
        return np.zeros(len(rows))
    offset = np.array([snapshot.offset[x] for snapshot in motions.snapshots])[motions.snapshot[rows]]
    return np.asarray(2.0 * np.abs(motions.end[rows, x] - offset))


def _check_speed(result: Strand, tool: ToolEntry, rows: NDArray[np.int64], turns: Floats) -> None:
    if not len(rows):
        return
    motions, limits = result.reel.motions, tool.limits
    rpm = turns[rows]
    if limits.surface_speed:
        diameter = _diameters(result, tool, rows)
        speed = math.pi * diameter * rpm / 1000.0
        least, most = limits.surface_speed
        for beyond, limit, word in (
            (speed > most * (1 + SHARE), most, "above"),
            (speed < least * (1 - SHARE), least, "below"),
        ):
            if word == "below" and isinstance(tool.cutter, Insert):
                continue  # towards the centre of a face every speed falls to nothing
            if beyond.any():
                worst = int(np.argmax(np.where(beyond, np.abs(speed - limit), -1.0)))
                wanted = 1000.0 * limit / (math.pi * max(float(diameter[worst]), 1e-9))
                _say(result, "speed.surface", rows[beyond],
                     f"T{tool.number} cuts at {speed[worst]:.0f} m/min, {word} its {limit:g} m/min",
                     f"S{wanted:.0f} gives {limit:g} m/min at {diameter[worst]:.1f} mm.", float(abs(speed[worst] - limit)))  # fmt: skip
    if limits.feed_per_tooth and not isinstance(tool.cutter, Insert):
        flutes = tool.cutter.flutes
        chip = motions.feed[rows] / (rpm * flutes)
        least, most = limits.feed_per_tooth
        rubs = (chip < least * (1 - SHARE)) & ~_plunges(result, tool, rows)
        for beyond, limit, word in ((chip > most * (1 + SHARE), most, "above"), (rubs, least, "below")):
            if beyond.any():
                worst = int(np.argmax(np.where(beyond, np.abs(chip - limit), -1.0)))
                _say(result, "feed.tooth", rows[beyond],
                     f"T{tool.number} takes {chip[worst]:.3f} mm a tooth, {word} its {limit:g} mm ({flutes} teeth)",
                     f"F{limit * flutes * rpm[worst]:.0f} at S{rpm[worst]:.0f} gives {limit:g} mm a tooth.",
                     float(abs(chip[worst] - limit)))  # fmt: skip


def _plunges(result: Strand, tool: ToolEntry, rows: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which motions send a milling cutter more along its axis than aside: they are slow on purpose (common practice)."""
    if isinstance(tool.cutter, BORES):
        return np.zeros(len(rows), np.bool_)
    motions, chain = result.reel.motions, result.chain
    mount, work = tool_mount(result.job, chain, tool.number), work_mount(result.job, chain)
    ends = [chain.tool_in_work(mount, work, result.full(at[rows])) for at in (motions.begin, motions.end)]
    way = ends[1][:, :3, 3] - ends[0][:, :3, 3]
    along = np.abs(np.einsum("ij,ij->i", way, ends[1][:, :3, 2]))
    return (motions.kind[rows] == FEED) & (along > PLUNGE_SHARE * np.linalg.norm(way, axis=1))


def _check_tap(result: Strand, tool: ToolEntry, pitch: float, rows: NDArray[np.int64], turns: Floats) -> None:
    if not len(rows):
        return
    lead = result.reel.motions.feed[rows] / turns[rows]
    wrong = np.abs(lead - pitch) > PITCH_SHARE * pitch
    if wrong.any():
        first = int(np.flatnonzero(wrong)[0])
        rpm = float(turns[rows[first]])
        _say(result, "tap.pitch", rows[wrong],
             f"T{tool.number} is fed {lead[first]:.4g} mm a turn; its pitch is {pitch:g} mm",
             f"F{pitch * rpm:.4g} mm/min at S{rpm:.0f} (F{pitch:g} a turn) is its pitch.", float(abs(lead[first] - pitch)))  # fmt: skip


def check_run_in(result: Strand) -> None:
    """Threads that begin nearer to the work than their slide needs to come to speed."""
    motions, chain = result.reel.motions, result.chain
    threads = np.flatnonzero(motions.kind == THREAD)
    threads = threads[(threads == 0) | (motions.kind[threads - 1] != THREAD)]
    if not len(threads) or result.job.machine.work_spindle is None:
        return
    columns = [i for i, axis in enumerate(result.setup.axes) if axis in "XZ"]
    work = work_mount(result.job, chain)
    box = _outline(result, work.name)
    if box is None:
        return
    begin = motions.begin[threads]
    way = motions.end[threads] - begin
    told: set[int] = set()
    for row, motion in enumerate(threads.tolist()):
        axis = max(columns, key=lambda i: abs(way[row, i]))
        length = float(np.linalg.norm(way[row, columns]))
        tool = int(motions.tool[motion])
        if length < 1e-9 or tool not in result.tools or tool in told:
            continue
        accel = chain.joints[result.setup.axes[axis]].accel
        speed = motions.feed[motion] / 60.0 * abs(way[row, axis]) / length
        needed = speed**2 / (2.0 * accel)
        offset = motions.snapshots[motions.snapshot[motion]].offset
        # In the work offset, Z along the work's axis: the way to the nearer end of the work.
        z, dz = begin[row, axis] - offset[axis], way[row, axis]
        if result.setup.axes[axis] != "Z":
            continue
        zero = _work_zero(result, motion)
        front = box[1] - zero if dz < 0 else box[0] - zero
        room = (z - front) if dz < 0 else (front - z)
        if -RUN_IN_HAIR_MM < room < needed - RUN_IN_HAIR_MM:
            told.add(tool)
            most = (
                math.sqrt(2.0 * accel * max(room, 0.0))
                * 60.0
                / (motions.feed[motion] / abs(float(motions.rpm[motion])))
            )
            _say(result, "thread.run-in", np.array([motion]),
                 f"the thread of T{tool} begins {room:.2f} mm before the work; Z needs {needed:.2f} mm to come to its speed",
                 f"Begin {needed:.1f} mm before the work, or lower S to {most:.0f}.", float(needed - room))  # fmt: skip


def _outline(result: Strand, mount: str) -> tuple[float, float] | None:
    """Least and greatest place along the work mount's Z: of the design where there is one, else of the stock."""
    for role in ("design", "stock"):
        ends = [
            mesh.vertices[:, 2] for body in result.job.file.bodies if body.role == role and body.mount == mount
            for mesh in result.job.body_meshes[body.name]
        ]  # fmt: skip
        if ends:
            return float(min(e.min() for e in ends)), float(max(e.max() for e in ends))
    return None


def _work_zero(result: Strand, motion: int) -> float:
    """Where program Z 0 lies along the work mount's Z: the tip's place there at the end of the motion, less its program Z."""
    motions, chain = result.reel.motions, result.chain
    values = result.full(motions.end[motion : motion + 1])
    tool = next(t for t in result.job.tools.tools if t.number == int(motions.tool[motion]))
    mount = tool_mount(result.job, chain, tool.number)
    pose = chain.tool_in_work(mount, work_mount(result.job, chain), values)[0]
    tip = pose[:3, :3] @ np.array([*tool.offset, -tool.length]) + pose[:3, 3]
    column = result.setup.axes.index("Z")
    program = motions.end[motion, column] - motions.snapshots[motions.snapshot[motion]].offset[column]
    return float(tip[2] - program)
