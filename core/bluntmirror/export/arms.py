"""What a screen shows of an arm's program: its joints through time, its stretches, and what each operation has left."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..rehearsal.reaching import operations_reached
from ..rehearsal.result import Strand, Timed
from ..timeline.reel import make_knots

TOLERANCE_MM = 0.5
MOST_SAMPLES = 900


def arm_data(result: Timed) -> dict[str, Any] | None:
    """Of the first channel that has an arm; None where none has. Times s, values mm and degrees."""
    strand = next((strand for strand in result.strands if strand.settled), None)
    if strand is None or strand.setup.arm is None:
        return None
    motions = result.reel.motions
    joints = [*strand.setup.arm.rail, *strand.setup.arm.joints]
    return {
        "channel": strand.channel,
        "seconds": float(strand.reel.seconds),
        "joints": [
            {"name": strand.axis(axis), "travel": strand.chain.joints[axis].travel, "rail": axis in strand.setup.arm.rail}
            for axis in joints
        ],
        **_course(strand, joints),
        "stretches": [
            {"program": strand.reel.motions.file_name(first), "first": int(strand.reel.motions.line[first]),
             "last": int(strand.reel.motions.line[last]), "begin": float(strand.reel.begin_time[first]),
             "end": float(strand.reel.end_time[last])}
            for first, last in (strand.settled.stretches if strand.settled else [])
        ],
        "operations": [
            {"name": item.operation.name, "tool": item.operation.tool, "program": item.operation.program, "line": item.operation.first,
             "last": item.operation.last, "reachable": item.reachable,
             "least": {name: {"amount": round(least.amount, 3), "axis": least.axis or None, "line": int(motions.line[least.motion]),
                              "time": round(float(result.reel.end_time[least.motion]), 4)} for name, least in item.least.items()}}
            for item in operations_reached(result) if item.strand is strand
        ],
        "said": [f"line {item.line}: {item.message}" for item in result.docket.in_order() if item.kind == "travel.reach"],
        "postures": [posture.model_dump(exclude={"notes"}) for posture in result.job.file.postures],
        "poses": [pose.model_dump(exclude={"notes"}) for pose in result.job.file.poses],
    }  # fmt: skip


def _course(strand: Strand, joints: list[str]) -> dict[str, Any]:
    """Time, values (n, joints) and degrees from a singular pose at moments spread over the program, no turn of a joint left out."""
    knots = make_knots(strand.reel, TOLERANCE_MM)
    times = np.append(strand.reel.begin_time[:1], knots.t1)
    step = max(1, len(times) // MOST_SAMPLES)
    rows = np.unique(np.append(np.arange(0, len(times), step), len(times) - 1)) if len(times) else np.zeros(0, int)
    columns = [strand.setup.axes.index(axis) for axis in joints]
    settled = strand.settled
    assert settled
    arm = settled.arms.of(int(strand.reel.motions.tool.max(initial=0)))
    own = [strand.setup.axes.index(axis) for axis in arm.joints]
    return {
        "time": np.round(times[rows], 4).tolist(),
        "values": np.round(knots.at[rows][:, columns], 4).tolist(),
        "singular": np.round(arm.describe(knots.at[rows][:, own]).singular, 2).tolist() if len(rows) else [],
    }
