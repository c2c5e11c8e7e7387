"""Unsafe order: a change or a first approach low beside the work, and an end without a retract (common practice).

top    the highest place of the stock along the tool's axis (of fixtures and parts where there is no stock); "low" is a
       tool tip below it
"""

from __future__ import annotations

import numpy as np

from ..geometry.frames import Floats
from ..program.motions import ARC, FEED, RAPID, TOOL_CHANGE
from ..timeline.reel import Knots
from .result import Rehearsal


def check_order(result: Rehearsal, knots: Knots, channel: int) -> None:
    """One caution for each slip; the chain's joints must be linear."""
    job, chain, reel = result.job, result.chain, result.reel
    assert reel
    motions = reel.motions
    work = chain.mount_of("work")
    link = work.link
    has_stock = any(body.role == "stock" for body in job.file.bodies)
    heights = []
    tool_mount = chain.mount_of("tool")
    tool_in_work = chain.tool_in_work(tool_mount, work, knots.at)
    axis = tool_in_work[0, :3, 2]
    to_work = np.linalg.inv(chain.mount_pose(work, knots.at[:1])[0])
    for body in job.file.bodies:
        mount = chain.mounts[body.mount]
        if body.role == "design" or mount.link != link or (has_stock and body.role != "stock"):
            continue
        pose = to_work @ chain.mount_pose(mount, knots.at[:1])[0]
        heights += [float((mesh.moved(pose).vertices @ axis).max()) for mesh in job.body_meshes[body.name]]
    if not heights or not len(motions):
        return
    top = max(heights)
    gauge = tool_in_work[:, :3, 3]
    # Where the gauge point stands at the end of every motion: the last knot up to it.
    row = np.searchsorted(knots.motion, np.arange(len(motions)), side="right")
    length = np.array([result.tools[t].length if t in result.tools else 0.0 for t in motions.tool.tolist()])
    known = np.isin(motions.tool, list(result.tools))
    tip = gauge[row] @ axis - length
    before = np.concatenate([[gauge[0] @ axis - length[0]], gauge[row[:-1]] @ axis - length[1:]])
    low = known & (np.minimum(tip, before) < top - 1e-6)

    def say(motion: int, told: str, remedy: str) -> None:
        result.docket.add(
            "program.order", told, channel=channel, program=motions.file_name(motion), line=int(motions.line[motion]),
            time=float(reel.begin_time[motion]), tool=int(motions.tool[motion]), motion=motion, last_motion=motion,
            amount=float(top - min(tip[motion], before[motion])), remedy=remedy,
        )  # fmt: skip

    if "Z" not in job.machine.tool_change.at:
        for i in np.flatnonzero((motions.kind == TOOL_CHANGE) & (np.arange(len(motions)) > 0)):
            old = int(motions.tool[i - 1])
            if old in result.tools and gauge[row[i]] @ axis - result.tools[old].length < top - 1e-6:
                say(int(i), f"the change to T{motions.tool[i]} happens with T{old} below the top of the work",
                    "Retract before the tool change.")  # fmt: skip
    _approaches(motions, low, gauge, row, axis, say)
    last = len(motions) - 1
    if known[last] and tip[last] < top - 1e-6:
        say(last, f"the program ends with the tip of T{motions.tool[last]} {top - tip[last]:.2f} mm below the top of the work",
            "Retract before the end of the program.")  # fmt: skip


def _approaches(motions, low, gauge, row, axis, say) -> None:  # type: ignore[no-untyped-def]
    """After a change, rapids across the work while the tip is already below its top, before the tool's first cut."""
    change = -1
    for i in np.flatnonzero((motions.kind == TOOL_CHANGE) | low):
        if motions.kind[i] == TOOL_CHANGE:
            change = int(i)
            continue
        if change < 0:
            continue
        if motions.kind[i] != RAPID or np.isin(motions.kind[change + 1 : i], (FEED, ARC)).any():
            change = -1  # its first cut is behind it
            continue
        moved: Floats = gauge[row[i]] - gauge[row[i - 1]] if i else np.zeros(3)
        if float(np.linalg.norm(moved - (moved @ axis) * axis)) > 1e-6:
            say(int(i), f"T{motions.tool[i]} comes to the work at rapid, below its top",
                "Approach above the work, then go down.")  # fmt: skip
            change = -1
