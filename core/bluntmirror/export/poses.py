"""An arm's moves as tables: the poses of a program, which can be read again, and its joints with times."""

from __future__ import annotations

import csv
import json
from typing import Any, TextIO

import numpy as np

from ..job.loading import INCH_MM
from ..machine.arm import spin_of
from ..program.motions import DWELL, FEED, KIND_NAMES, RAPID, TOOL_CHANGE
from ..rehearsal.result import Strand, Timed
from .trace import safe_cell

KINDS = (RAPID, FEED)


def moves(result: Timed) -> list[dict[str, Any]]:
    """Every move of the first arm: line, kind, tip and direction in the work offset's frame (of poses), spin and joints at its end,
    feed mm/min, begin and end s. Raises ValueError where the machine has no arm."""
    strand = next((strand for strand in result.strands if strand.settled), None)
    if strand is None or strand.settled is None:
        raise ValueError("the machine has no arm")
    motions, reel = strand.reel.motions, strand.reel
    targets = {target.motion: target for target in strand.interpreted.targets}
    told = []
    for row in np.flatnonzero(np.isin(motions.kind, (*KINDS, TOOL_CHANGE, DWELL))).tolist():
        target, snapshot = targets.get(row), motions.snapshots[int(motions.snapshot[row])]
        item: dict[str, Any] = {
            "line": int(motions.line[row]), "kind": KIND_NAMES[motions.kind[row]], "tool": int(motions.tool[row]),
            "speed": float(motions.rpm[row]), "feed": float(motions.feed[row]), "offset": snapshot.work_offset,
            "begin": float(reel.begin_time[row]), "end": float(reel.end_time[row]),
            "joints": {strand.axis(axis): round(float(value), 6) for axis, value in zip(motions.axes, motions.end[row], strict=True)},
        }  # fmt: skip
        if target is not None:
            item |= _pose(strand, row, target.length, target.shift)
        told.append(item)
    return told


def _pose(strand: Strand, row: int, length: float, shift: tuple[float, float, float]) -> dict[str, Any]:
    assert strand.settled
    arm = strand.settled.arms.of(int(strand.reel.motions.tool[row]))
    pose = arm.poses(strand.full(strand.reel.motions.end[row : row + 1]))
    direction = pose[0, :3, 2]
    tip = pose[0, :3, 3] - length * direction - np.array(shift)
    return {
        "tip": [round(float(v), 6) + 0.0 for v in tip], "direction": [round(float(v), 9) + 0.0 for v in direction],
        "spin": round(float(spin_of(pose)[0]), 6),
    }  # fmt: skip


def block_to(result: Timed, program: str, line: int, at: dict[str, float], feed: float | None = None) -> str:
    """What to write before a line (from 1) of a program so that the arm comes to joint values: a move of its joints or, with a feed in
    mm/min, a straight one of the tip, whose spin is chosen as for every pose. In the units and the kind of text of the program. Raises ValueError."""
    strand = next((s for s in result.strands if s.settled and program in s.reel.motions.files), None)
    if strand is None:
        raise ValueError(f"no arm goes by '{program}'")
    motions = strand.reel.motions
    own = {strand.axis(axis): column for column, axis in enumerate(motions.axes)}
    if strange := sorted(set(at) - set(own)):
        raise ValueError(f"the arm has no joint '{strange[0]}'")
    before = np.flatnonzero((motions.file == motions.files.index(program)) & (motions.line < line))
    row = int(before[-1]) if len(before) else -1
    mm = 1.0 / INCH_MM if row >= 0 and motions.snapshots[int(motions.snapshot[row])].inch else 1.0
    text = program.lower().endswith(".poses")
    if feed is None:
        words = [
            (axis, _told(value * (mm if strand.chain.joints[motions.axes[own[axis]]].type == "linear" else 1.0)))
            for axis, value in at.items()
        ]
        return (
            f"go {' '.join(f'{axis.lower()} {value}' for axis, value in words)}"
            if text
            else f"G0 {' '.join(f'{axis}={value}' for axis, value in words)}"
        )
    target = next((t for t in reversed(strand.interpreted.targets) if t.motion <= row), None)
    if target is None:
        raise ValueError(
            f"before line {line} no pose is given by tip and direction yet: only a move of the joints can come first"
        )
    end = motions.end[row].copy()
    assert strand.setup.arm and strand.settled
    for axis, value in at.items():
        if motions.axes[own[axis]] in strand.setup.arm.rail and abs(end[own[axis]] - value) > 1e-3:
            raise ValueError(
                f"{axis} stands at {end[own[axis]]:g} there, the pose was kept at {value:g}: a straight way does not move it"
            )
        end[own[axis]] = value
    pose = strand.settled.arms.of(int(motions.tool[row])).poses(strand.full(end[None]))[0]
    tip = (pose[:3, 3] - target.length * pose[:3, 2] - np.array(target.shift)) * mm
    x, y, z = (_told(value) for value in tip)
    i, j, k = (_told(value, 6) for value in pose[:3, 2])
    f = _told(feed * mm)
    return f"cut x {x} y {y} z {z} along {i} {j} {k} feed {f}" if text else f"G1 X{x} Y{y} Z{z} I{i} J{j} K{k} F{f}"


def _told(value: float, digits: int = 3) -> str:
    return f"{round(float(value), digits) + 0.0:.{digits}f}".rstrip("0").rstrip(".")


def write_csv(result: Timed, out: TextIO) -> None:
    """The table that `program/pose_table` reads: poses, moves of joints, tools and speeds."""
    told = moves(result)
    joints = list(told[0]["joints"]) if told else []
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(
        ["x", "y", "z", "i", "j", "k", "feed", "tool", "speed", "offset", *(axis.lower() for axis in joints)]
    )
    for item in told:
        if item["kind"] not in ("rapid", "feed"):
            continue
        pose = [*item.get("tip", [""] * 3), *item.get("direction", [""] * 3)]
        own = [""] * len(joints) if "tip" in item else [item["joints"][axis] for axis in joints]
        row = [*pose, item["feed"] or "", item["tool"], abs(item["speed"]), item["offset"], *own]
        writer.writerow([safe_cell(str(cell)) if isinstance(cell, str) else cell for cell in row])


def write_json(result: Timed, out: TextIO) -> None:
    json.dump({"format": "blunt-mirror/poses@1", "job": result.job.name, "moves": moves(result)}, out, indent=1)
    out.write("\n")
