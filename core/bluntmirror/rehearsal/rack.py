"""Tools that hang in a rack while they are not in the spindle.

place     the rack's mount that a tool hangs in: where the spindle has to stand to take it or to leave it
meeting   the change itself and the ways to it and away: there the spindle's link may touch the tool, for it takes hold of it
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..contact.bodies import Body
from ..contact.program import Follower
from ..program.motions import TOOL_CHANGE
from .result import Strand, Timed
from .virtual_control import tool_mount

PLACE_MM, PLACE_DEG = 0.5, 0.5  # nearer than this the spindle stands at a place


def check_places(strand: Strand) -> None:
    """Where a tool is taken or left and the spindle does not stand at its place; one finding a change."""
    entries = {tool.number: tool for tool in strand.job.tools.tools if tool.rack}
    motions, chain = strand.reel.motions, strand.chain
    if not entries:
        return
    for row in np.flatnonzero(motions.kind == TOOL_CHANGE).tolist():
        before = int(motions.tool[row - 1]) if row else 0
        number = int(motions.tool[row])
        if before == number:
            continue
        if before in entries and number in entries:
            strand.docket.add(
                "tool.place", f"T{number} is called while T{before} is in the spindle: the rack takes one at a time", where=strand.reel.where(row),
                remedy=f"Leave T{before} at its place with T0 M6 first, then go to T{number}.",
            )  # fmt: skip
            continue
        for tool in {before, number} & entries.keys():
            place = chain.mounts[entries[tool].rack or ""]
            values = strand.full(motions.end[row : row + 1])
            stands = chain.mount_pose(tool_mount(strand.job, chain, tool), values)[0]
            wanted = chain.mount_pose(place, values)[0]
            off = float(np.linalg.norm(stands[:3, 3] - wanted[:3, 3]))
            turned = float(np.degrees(np.arccos(np.clip(stands[:3, 2] @ wanted[:3, 2], -1.0, 1.0))))
            if off > PLACE_MM or turned > PLACE_DEG:
                what = "taken" if tool == number else "left"
                strand.docket.add(
                    "tool.place", f"T{tool} is {what} {off:.1f} mm and {turned:.1f}° from its place {place.name}", where=strand.reel.where(row),
                    amount=off, remedy=f"Bring the spindle to {place.name} before M6.",
                )  # fmt: skip


def parted(timed: Timed, follower: Follower, bodies: list[Body]) -> list[Body]:
    """The bodies, with each tool that hangs in a rack as two that are there by turns: at the meetings, and at all other times."""
    found = []
    for body in bodies:
        if not body.resting:
            found.append(body)
            continue
        meets = np.asarray(_meeting(timed, body.resting)[follower.knots.lanes].any(axis=1))
        found += [replace(body, segments=~meets), replace(body, segments=meets, variant="meeting")]
    return found


def _meeting(timed: Timed, tool: int) -> NDArray[np.bool_]:
    """The motions of a tool's meetings; one more row, for a lane that is at its end."""
    motions = timed.reel.motions
    found = np.zeros(len(motions) + 1, np.bool_)
    moves = np.flatnonzero((motions.end != motions.begin).any(axis=1))
    for row in np.flatnonzero(motions.kind == TOOL_CHANGE).tolist():
        if tool not in (int(motions.tool[row]), int(motions.tool[row - 1]) if row else 0):
            continue
        found[row] = True
        found[moves[moves < row][-1:]] = True
        found[moves[moves > row][:1]] = True
    return found


def apart(timed: Timed, pairs: list[tuple[Body, Body]]) -> list[tuple[Body, Body]]:
    """The pairs without the spindle's link and a tool at its meetings."""
    spindles = {mount.link for mount in timed.chain.mounts.values() if mount.takes == "tool"}
    return [pair for pair in pairs if not any(
        a.variant == "meeting" and b.name == b.link and b.link in spindles for a, b in (pair, pair[::-1]))]  # fmt: skip
