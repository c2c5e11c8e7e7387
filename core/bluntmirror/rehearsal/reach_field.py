"""How many postures of an arm reach each place of a body, with the tool square to its surface there.

Only reach and travel are asked: what the arm would touch on the way there is told by a rehearsal.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.frames import Floats
from ..geometry.mesh import Mesh
from ..machine.arm import Arm, spin_zero, spun, tool_pose
from ..machine.choosing import whole_turns

MOST_PLACES = 240
SPINS = np.arange(-180.0, 180.0, 30.0)
CLEAR_MM = 5.0  # that the tip stands off the surface


@dataclass(frozen=True)
class Field:
    """places and directions (n, 3) in the machine's frame, count (n,) of postures; the least of them and the mean."""

    places: Floats
    directions: Floats
    count: NDArray[np.int64]
    least: int
    mean: float


def places_of(mesh: Mesh, most: int = MOST_PLACES) -> tuple[Floats, Floats]:
    """Places spread evenly over a surface, always the same, and the outward directions there (n, 3)."""
    a, b, c = np.moveaxis(mesh.triangles, 1, 0)
    normal = np.cross(b - a, c - a)
    area = np.linalg.norm(normal, axis=1)
    ends = np.cumsum(area)
    at = (np.arange(most) + 0.5) * ends[-1] / most
    of = np.minimum(np.searchsorted(ends, at), len(area) - 1)
    # Within its triangle each lies where two low-discrepancy numbers say (Roberts' sequence, from memory).
    u, v = ((0.5 + (np.arange(most) + 1) * step) % 1.0 for step in (0.7548776662466927, 0.5698402909980532))
    over = u + v > 1.0
    u, v = np.where(over, 1.0 - u, u), np.where(over, 1.0 - v, v)
    return a[of] + u[:, None] * (b - a)[of] + v[:, None] * (c - a)[of], normal[of] / area[of][:, None]


def counts(arm: Arm, places: Floats, directions: Floats, length: float, values: Floats) -> NDArray[np.int64]:
    """How many of eight postures (n,) reach each place within travel by any spin; values (k,) of all axes."""
    n, many = len(places), len(SPINS)
    plain = tool_pose(places + CLEAR_MM * directions, directions, spin_zero(directions), np.full(n, length))
    poses = spun(np.repeat(plain, many, axis=0), np.tile(SPINS, n))
    found, there = arm.roots(arm.wanted(poses, np.tile(values, (n * many, 1))))
    within = np.zeros(there.shape, np.bool_)
    for turns in 360.0 * whole_turns(arm)[0]:
        within |= ((found + turns >= arm.limits[:, 0]) & (found + turns <= arm.limits[:, 1])).all(axis=2)
    return np.asarray((there & within).reshape(n, many, -1).any(axis=1).sum(axis=1))


def reach_field(arm: Arm, mesh: Mesh, length: float, values: Floats) -> Field:
    """`mesh`: the body in the machine's frame as it stands; `length` of the tool; values (k,) of all axes."""
    places, directions = places_of(mesh)
    count = counts(arm, places, directions, length, values)
    return Field(places, directions, count, int(count.min()), float(count.mean()))
