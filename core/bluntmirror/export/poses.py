"""An arm's moves as tables: the poses of a program, which can be read again, and its joints with times."""

from __future__ import annotations

import csv
import json
from typing import Any, TextIO

import numpy as np

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
