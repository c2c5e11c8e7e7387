"""How the grid of a stock stands in the frame of its mount, and how far out of its holder a tool has to reach in it."""

from __future__ import annotations

import numpy as np

from ..geometry.frames import Floats
from ..geometry.hull import extremes
from ..geometry.mesh import Mesh
from ..machine.screws import Screws
from .result import Rehearsal
from .segments import Segments

MOST_AT_ONCE = 4_000_000  # heights worked out in one go


def grid_frame(directions: Floats) -> Floats:
    """A frame of the mount whose Z stands along the tool where it cuts most. directions (n, 3): of the tool, seen from the
    mount, at n knots.

    Where the tool keeps to one direction that is it; where it turns, only a direction of the mount's own axes is taken, so
    that the sides of a blank stay along the rays.
    """
    rounded = np.round(directions, 9)
    if (rounded == rounded[0]).all():
        known, counts = rounded[:1], np.array([len(rounded)])
    else:
        known, counts = np.unique(rounded, axis=0, return_counts=True)
    if len(known) > 1:
        square = np.abs(known).max(axis=1) > 1.0 - 1e-9
        if not square.any():
            return np.eye(4)
        known, counts = known[square], counts[square]
    direction = known[np.argmax(counts)]
    frame = np.eye(4)
    if abs(direction[2] - 1.0) < 1e-12:
        return frame
    direction = direction / np.linalg.norm(direction)
    helper = np.eye(3)[int(np.argmin(np.abs(direction)))]
    x = np.cross(helper, direction)
    x /= np.linalg.norm(x)
    frame[:3, 0], frame[:3, 1], frame[:3, 2] = x, np.cross(direction, x), direction
    return frame


def directions(result: Rehearsal, tool_from_work: dict[int, Screws]) -> Floats:
    """The direction of the tool in use, seen from the work mount, at the begin of every segment."""
    values, parts = result.values[:-1], []
    for lane in result.knots.lanes.T:
        number = np.where(lane >= 0, result.reel.motions.tool[lane], -1)
        for n, screws in tool_from_work.items():
            own = number == n
            if not own.any():
                continue
            turns = any(np.ptp(values[own, axis]) > 0.0 for axis in screws.turning)
            # Where nothing turns between the two, one knot tells for all.
            seen = screws.poses(values[own] if turns else values[own][:1])[:, :3, 2]
            parts.append(seen if turns else np.repeat(seen, int(own.sum()), axis=0))
    return np.concatenate(parts) if parts else np.array([[0.0, 0.0, 1.0]])


def reach_needed(result: Rehearsal, blank: Mesh, segments: Segments, removed: np.ndarray) -> dict[int, float]:
    """How far below the top of the blank, seen along the tool, the tip of every rotating tool cuts: the stick-out that
    suffices wherever it goes in beside what is still there."""
    corners = extremes(blank.vertices)
    number = result.reel.motions.tool[segments.motion]
    found = {}
    for n in np.unique(number[removed[segments.motion]]):
        rows = np.flatnonzero((number == n) & removed[segments.motion])
        if result.tools[int(n)].is_turning:
            continue
        deepest = 0.0
        for part in np.array_split(rows, max(1, len(rows) * len(corners) // MOST_AT_ONCE)):
            for share in (0.0, 1.0):
                axis = segments.axis[part] + share * segments.turn[part]
                tip = segments.start[part] + share * segments.delta[part]
                top = (axis @ corners.T).max(axis=1)
                deepest = max(deepest, float((top - np.einsum("ij,ij->i", axis, tip)).max(initial=0.0)))
        found[int(n)] = deepest
    return found
