"""Unsafe order: a change or a first approach low beside the work, and an end without a retract (common practice).

top    the highest place of the stock along the tool's axis (of fixtures and parts where there is no stock); "low" is a
       tool tip below it; of an arm, which has the whole room to be low in, only where it is nearer to the work than it is long
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..findings import Edit, Fix
from ..geometry.frames import Floats, frame, inverse
from ..geometry.hull import extremes
from ..program.motions import ARC, FEED, RAPID, THREAD, TOOL_CHANGE, Motions
from .result import Strand
from .virtual_control import tool_mount

SQUARE = 0.9999  # cosine of the angle between the tool and an axis of the work
LOW_MM = 1e-6
APPROACH_SLOPE = 0.5  # going down the tool's own way, at most this much aside of it, is an approach


def check_order(result: Strand) -> None:
    """One caution for each slip. What is low is asked along the tool as it stands at the end of each motion: of rapids and
    changes, and of the motions before them; nothing else is asked about."""
    job, reel = result.job, result.reel
    if job.machine.work_spindle:
        return  # work on a spindle has no top to stay above
    motions = reel.motions
    n = len(motions)
    asked = np.flatnonzero((motions.kind == RAPID) | (motions.kind == TOOL_CHANGE))
    rows = np.unique(np.concatenate([asked, asked - 1, [n - 1]]))
    rows = rows[rows >= 0]
    if not n or not len(rows):
        return
    stands = _stands(result, rows)
    if stands is None:
        return

    def say(rule: str, motion: int, told: str, remedy: str, fix: Fix | None = None) -> None:
        amount = max(0.0, -min(stands.clear(motion), stands.clear(motion - 1, motion)))
        result.docket.add(rule, told, where=reel.where(motion), amount=amount, remedy=remedy, fix=fix)

    if "Z" not in job.machine.tool_change.at:
        for i in np.flatnonzero((motions.kind == TOOL_CHANGE) & (np.arange(n) > 0)).tolist():
            if int(motions.tool[i - 1]) in result.tools and stands.clear(i - 1) < -LOW_MM:
                say("order.change", i, f"the change to T{motions.tool[i]} happens with T{motions.tool[i - 1]} below the top of the "
                    "work", "Retract before the tool change.")  # fmt: skip
    _approaches(motions, stands, asked, say)
    last = n - 1
    if int(motions.tool[last]) in result.tools and stands.clear(last) < -LOW_MM:
        say("order.end", last, f"the program ends with the tip of T{motions.tool[last]} {-stands.clear(last):.2f} mm below the top "
            "of the work", "Retract before the end of the program.", _retract(result))  # fmt: skip


def _stands(result: Strand, rows: NDArray[np.int64]) -> _Stands | None:
    """The tool over the work at the end of some motions, whatever mounts the machine has and in whatever order. The work is
    all stock, on whichever mount (where there is none: fixtures and parts); it is low for the tool where it is so over any."""
    job, chain, motions = result.job, result.chain, result.reel.motions
    values = result.full(np.concatenate([motions.start[None], motions.end[rows]]))
    role = ("stock",) if any(body.role == "stock" for body in job.file.bodies) else ("fixture", "part")
    used = {int(n): tool_mount(job, chain, int(n)) for n in np.unique(motions.tool)}
    number = np.concatenate([motions.tool[:1], motions.tool[rows]])
    poses = np.empty((len(values), 4, 4))
    for n, mount in used.items():
        poses[number == n] = chain.mount_pose(mount, values[number == n])
    # Seen from the link that carries the first body in name, which is the same however the file lists them.
    bodies = sorted((body for body in job.file.bodies if body.role in role), key=lambda body: body.name)
    if not bodies:
        return None
    base = chain.mounts[bodies[0].mount].link
    arm = result.settled is not None
    seen = inverse(chain.pose(base, values))
    poses = seen @ poses
    tops = np.full(len(values), -np.inf)
    lengths = {n: t.length for n, t in result.tools.items()}
    tips = poses[:, :3, 3] - np.array([lengths.get(int(n), 0.0) for n in number])[:, None] * poses[:, :3, 2]
    away = np.full(len(values), np.inf)
    for body in bodies:
        mount = chain.mounts[body.mount]
        corners = [extremes(m.moved(frame(mount.at, mount.turn)).vertices) for m in job.body_meshes[body.name]]
        if arm:
            own = inverse(seen @ chain.pose(mount.link, values))
            away = np.minimum(away, _away(corners, np.einsum("nij,nj->ni", own[:, :3, :3], tips) + own[:, :3, 3]))
        if mount.link == base:
            tops = np.maximum(tops, tops_along(corners, poses[:, :3, 2]))
            continue
        carried = seen @ chain.pose(mount.link, values)  # of another link: it may move against the first
        down = np.einsum("nji,nj->ni", carried[:, :3, :3], poses[:, :3, 2])
        tops = np.maximum(tops, tops_along(corners, down) + np.einsum("ni,ni->n", carried[:, :3, 3], poses[:, :3, 2]))
    return _Stands(rows, poses, tops, motions.tool, lengths, away if arm else None)


def _away(corners: list[Floats], points: Floats) -> Floats:
    """How far points (n, 3) are from the box around each body's corners, from the nearest of them."""
    boxes = [(c.min(axis=0), c.max(axis=0)) for c in corners]
    return np.min(
        [np.linalg.norm(np.maximum(np.maximum(a - points, points - b), 0.0), axis=1) for a, b in boxes], axis=0
    )


def _retract(result: Strand) -> Fix | None:
    """Z home before the block that ends the program, where Z's home is up; an arm has no Z."""
    if result.settled is not None or result.interpreted.ended is None or result.setup.dialect.turning:
        return None
    program, line = result.interpreted.ended
    return Fix(f"Send Z home before line {line}", (Edit(program, line, None, "G91 G28 Z0."),))


@dataclass
class _Stands:
    """Where the tool stands at the end of the motions in `rows`; entry 0 of the others is the start of the program."""

    rows: NDArray[np.int64]
    poses: Floats
    tops: Floats
    tool: NDArray[np.int32]
    lengths: dict[int, float]
    away: Floats | None = None  # of an arm: how far the tip is from the work, mm

    def at(self, motion: int) -> int:
        return 0 if motion < 0 else int(np.searchsorted(self.rows, motion)) + 1

    def clear(self, motion: int, of: int | None = None) -> float:
        """How far the tip of the tool of a motion (`of` another) is above the top of the work; below it negative. 0 for a
        tool that the table does not have."""
        tool = int(self.tool[max(0, motion if of is None else of)])
        if tool not in self.lengths:
            return 0.0
        pose = self.poses[self.at(motion)]
        if self.away is not None and self.away[self.at(motion)] > self.lengths[tool]:
            return np.inf
        return float(pose[:3, 3] @ pose[:3, 2] - self.lengths[tool] - self.tops[self.at(motion)])

    def low(self, motion: int) -> bool:
        return min(self.clear(motion), self.clear(motion - 1, motion)) < -LOW_MM


def tops_along(corners: list[Floats], directions: Floats) -> Floats:
    """The highest place of all corners along each direction (n, 3)."""
    known, which = np.unique(np.round(directions, 4), axis=0, return_inverse=True)
    tops = np.max([(known @ points.T).max(axis=1) for points in corners], axis=0)
    return np.asarray(tops[which.reshape(-1)])


def _approaches(motions: Motions, stands: _Stands, asked: NDArray[np.int64], say: Callable[..., None]) -> None:
    """After a change, rapids across the work while the tip is already below its top, before the tool's first cut."""
    change = -1
    cuts = np.flatnonzero(np.isin(motions.kind, (FEED, ARC, THREAD)))
    for i in asked.tolist():
        if motions.kind[i] == TOOL_CHANGE:
            change = i
            continue
        if change < 0:
            continue
        first_cut = int(np.searchsorted(cuts, change))
        if first_cut < len(cuts) and cuts[first_cut] < i:
            change = -1  # its first cut is behind it
            continue
        if not stands.low(i):
            continue
        before, here = stands.poses[stands.at(i - 1)], stands.poses[stands.at(i)]
        axis = here[:3, 2]
        moved = here[:3, 3] - before[:3, 3]
        turned = float(np.linalg.norm(axis - before[:3, 2])) > 1e-6  # the work turned under the tool
        # Along a leaning tool "below the top" says little: a far corner of the work is higher. Contact sees to those.
        turned = turned or (stands.away is None and float(np.abs(axis).max()) < SQUARE)
        across = float(np.linalg.norm(moved - (moved @ axis) * axis))
        if not turned and across > max(1e-6, APPROACH_SLOPE * float(-moved @ axis)):
            say("order.approach", i, f"T{motions.tool[i]} comes to the work at rapid, below its top",
                "Approach above the work, then go down.")  # fmt: skip
            change = -1
