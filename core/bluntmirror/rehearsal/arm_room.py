"""How much room an arm has at a pose: the least clearance of what it moves from all that stands.

Asked while a way is chosen, at some places of it: whether it is free along all of it is told by the replay.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..contact.bodies import Body
from ..contact.program import Follower, clearances, pairs_of
from ..geometry.frames import Floats
from ..geometry.mesh import joined
from ..job import Job
from ..machine import Chain
from ..machine.screws import Screws, between
from ..tools import Assembly
from .scene import blanks, contact_bodies

ENOUGH_MM = 25.0  # more room than this is no better


@dataclass
class _Pair:
    a: Body
    b: Body
    screws: Screws  # b's link seen from a's
    box: tuple[Floats, Floats]  # of a, in its link's frame
    middle: Floats  # of b, in its link's frame
    radius: float
    tool: int
    resting: int


class Room:
    def __init__(
        self, job: Job, chain: Chain, tools: dict[int, Assembly], used: set[int], joints: tuple[str, ...]
    ) -> None:
        """`used`: the tools that may be in the arm; `joints`: the arm's."""
        moving = {name for name in chain.links if any(s.joint and s.joint.axis in joints for s in chain.path_to(name))}
        bodies = contact_bodies(job, chain, tools, used)
        # A tool may stand in stock that it cuts; the arm may not.
        pairs = [(a, b) for a, b in pairs_of(bodies + blanks(job, chain), chain, job.machine.ignore) if not (
            {a.role, b.role} == {"tool", "stock"} or any(body.while_work == "spins" for body in (a, b)))]  # fmt: skip
        asked = clearances(pairs, 0.0, job.file.checks.pairs)
        self.pairs: list[_Pair] = []
        for (one, other), near in zip(pairs, asked, strict=True):
            if near is None or (one.link in moving) == (other.link in moving):
                continue
            a, b = (one, other) if other.link in moving else (other, one)
            mesh, beside = joined(a.solids), joined(b.solids)
            low, high = beside.vertices.min(axis=0), beside.vertices.max(axis=0)
            middle = 0.5 * (low + high)
            radius = float(np.linalg.norm(beside.vertices - middle, axis=1).max())
            box = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
            self.pairs.append(
                _Pair(
                    a, b, between(chain, a.link, b.link), box, middle, radius, a.tool or b.tool, a.resting or b.resting
                )
            )
        self._follower = Follower.at_rest(np.zeros((1, len(chain.axes))), chain)

    def least(self, values: Floats, tool: int) -> Floats:
        """The least clearance (n,), mm, at values of all axes (n, k) with a tool in use; ENOUGH_MM where there is more, and 0 or
        less where anything touches."""
        found = np.full(len(values), ENOUGH_MM)
        for pair in self.pairs:
            if pair.tool not in (0, tool) or (pair.resting and pair.resting == tool):
                continue
            poses = pair.screws.poses(values)
            middle = np.einsum("nij,j->ni", poses[:, :3, :3], pair.middle) + poses[:, :3, 3]
            low, high = pair.box
            apart = np.linalg.norm(np.maximum(np.maximum(low - middle, middle - high), 0.0), axis=1) - pair.radius
            for i in np.flatnonzero(
                (apart < found) & (found > 0.0)
            ):  # what touches has no room, whatever else it touches
                found[i] = min(found[i], self._follower.clearance(pair.a, pair.b, poses[i], float(found[i])))
        return found


def room_cost(least: Floats) -> Floats:
    """What it costs to have so little room: nothing from ENOUGH_MM on, much where bodies touch."""
    near = np.maximum(least, 1.0)
    return np.where(least <= 0.0, 1e4, (ENOUGH_MM / near) ** 2 - 1.0)
