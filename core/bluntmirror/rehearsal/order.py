"""Unsafe order: a change or a first approach low beside the work, and an end without a retract (common practice).

top    the highest place of the stock along the tool's axis (of fixtures and parts where there is no stock); "low" is a
       tool tip below it
"""

from __future__ import annotations

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from ..geometry.frames import Floats
from ..program.motions import ARC, FEED, RAPID, TOOL_CHANGE
from ..timeline.reel import Knots
from .result import Rehearsal

SQUARE = 0.9999  # cosine of the angle between the tool and an axis of the work
APPROACH_SLOPE = 0.5  # going down the tool's own way, at most this much aside of it, is an approach


def check_order(result: Rehearsal, knots: Knots, channel: int) -> None:
    """One caution for each slip. What is low is asked along the tool as it stands at the end of each motion."""
    job, chain, reel = result.job, result.chain, result.reel
    assert reel
    if job.machine.work_spindle:
        return  # work on a spindle has no top to stay above
    motions = reel.motions
    work = chain.mount_of("work")
    link = work.link
    has_stock = any(body.role == "stock" for body in job.file.bodies)
    tool_in_work = chain.tool_in_work(chain.mount_of("tool"), work, knots.at)
    to_work = np.linalg.inv(chain.mount_pose(work, knots.at[:1])[0])
    corners = []
    for body in job.file.bodies:
        mount = chain.mounts[body.mount]
        if body.role == "design" or mount.link != link or (has_stock and body.role != "stock"):
            continue
        pose = to_work @ chain.mount_pose(mount, knots.at[:1])[0]
        corners += [hull_corners(mesh.moved(pose).vertices) for mesh in job.body_meshes[body.name]]
    if not corners or not len(motions):
        return
    # Where the gauge point stands at the end of every motion: the last knot up to it.
    row = np.searchsorted(knots.motion, np.arange(len(motions)), side="right")
    axis = tool_in_work[row, :3, 2]
    top = tops_along(corners, axis)
    gauge = tool_in_work[:, :3, 3]
    length = np.array([result.tools[t].length if t in result.tools else 0.0 for t in motions.tool.tolist()])
    known = np.isin(motions.tool, list(result.tools))
    tip = np.einsum("ij,ij->i", gauge[row], axis) - length
    clear = tip - top
    at_start = gauge[0] @ tool_in_work[0, :3, 2] - length[0] - tops_along(corners, tool_in_work[:1, :3, 2])[0]
    least = np.minimum(clear, np.concatenate([[at_start], clear[:-1]]))
    low = known & (least < -1e-6)

    def say(motion: int, told: str, remedy: str) -> None:
        result.docket.add(
            "program.order", told, channel=channel, program=motions.file_name(motion), line=int(motions.line[motion]),
            time=float(reel.begin_time[motion]), tool=int(motions.tool[motion]), motion=motion, last_motion=motion,
            amount=float(-least[motion]), remedy=remedy,
        )  # fmt: skip

    if "Z" not in job.machine.tool_change.at:
        for i in np.flatnonzero((motions.kind == TOOL_CHANGE) & (np.arange(len(motions)) > 0)):
            old = int(motions.tool[i - 1])
            if old in result.tools and gauge[row[i]] @ axis[i] - result.tools[old].length < top[i] - 1e-6:
                say(int(i), f"the change to T{motions.tool[i]} happens with T{old} below the top of the work",
                    "Retract before the tool change.")  # fmt: skip
    _approaches(motions, low, gauge, row, axis, say)
    last = len(motions) - 1
    if known[last] and tip[last] < top[last] - 1e-6:
        say(last, f"the program ends with the tip of T{motions.tool[last]} {top[last] - tip[last]:.2f} mm below the top of the work",
            "Retract before the end of the program.")  # fmt: skip


def tops_along(corners: list[Floats], directions: Floats) -> Floats:
    """The highest place of all corners along each direction (n, 3)."""
    known, which = np.unique(np.round(directions, 4), axis=0, return_inverse=True)
    tops = np.max([(known @ points.T).max(axis=1) for points in corners], axis=0)
    return np.asarray(tops[which.reshape(-1)])


def hull_corners(points: Floats) -> Floats:
    """The corners of the convex hull of points (n, 3): all that can be highest in some direction."""
    try:
        return np.asarray(points[ConvexHull(points).vertices])
    except QhullError:  # flat
        return points


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
        turned = i > 0 and float(np.linalg.norm(axis[i] - axis[i - 1])) > 1e-6  # the work turned under the tool
        # Along a leaning tool "below the top" says little: a far corner of the work is higher. Contact sees to those.
        turned = turned or float(np.abs(axis[i]).max()) < SQUARE
        across = float(np.linalg.norm(moved - (moved @ axis[i]) * axis[i]))
        if not turned and across > max(1e-6, APPROACH_SLOPE * float(-moved @ axis[i])):
            say(int(i), f"T{motions.tool[i]} comes to the work at rapid, below its top",
                "Approach above the work, then go down.")  # fmt: skip
            change = -1
