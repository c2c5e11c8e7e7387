"""Access: an envelope that must stay free, such as a driver on a clamp screw, and what stands in it."""

from __future__ import annotations

import numpy as np

from ..contact.bodies import Body, parting_shift
from ..contact.program import Follower
from ..findings import Docket
from ..geometry.frames import frame
from ..job import Job
from ..machine import Chain
from .scene import blanks

TOUCHING_MM = 1e-3


def check_access(job: Job, chain: Chain, bodies: list[Body], docket: Docket) -> None:
    """One caution for each body that stands in an envelope of the role `access`, both fixed to one link."""
    envelopes = [item for item in job.file.bodies if item.role == "access"]
    if not envelopes:
        return
    follower = Follower.at_rest(np.zeros((1, len(chain.axes))), chain)
    stocks = blanks(job, chain)
    for item in envelopes:
        mount = chain.mounts[item.mount]
        placed = frame(mount.at, mount.turn)
        envelope = Body(item.name, mount.link, tuple(m.moved(placed) for m in job.body_meshes[item.name]))
        for other in [*bodies, *stocks]:
            if other.link != envelope.link or other.tool or other.while_work == "spins":
                continue
            seen = follower.follow(envelope, other, 0.0)
            depth = (
                parting_shift(envelope.solids, other.solids, np.eye(4)) if seen.margin.clearance <= TOUCHING_MM else 0.0
            )
            if depth > TOUCHING_MM:  # a driver stands flush on its screw
                docket.add(
                    "setup.access", f"{other.label} stands {depth:.2f} mm in the way of {item.name}", amount=depth,
                    bodies=(item.name, other.label),
                )  # fmt: skip
