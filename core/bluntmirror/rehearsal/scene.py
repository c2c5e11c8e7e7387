"""What stands in the machine: its links, what is clamped on it and the tools, as bodies that contact can follow."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..contact.bodies import Body, spun
from ..geometry.frames import frame, inverse
from ..job import Job
from ..machine import Chain
from ..tools import Assembly
from .virtual_control import tool_mount


def contact_bodies(job: Job, chain: Chain, tools: dict[int, Assembly], used: set[int]) -> list[Body]:
    """Machine links, fixtures and parts, and the parts of every tool used, each in the frame of its link."""
    bodies = [
        Body(link.name, link.name, tuple(job.link_meshes[link.name]), pieces=tuple(job.pieces(job.shapes_of(link))))
        for link in job.machine.links
        if job.shapes_of(link)
    ]
    for item in job.file.bodies:
        if item.role in ("fixture", "part"):
            mount = chain.mounts[item.mount]
            placed = frame(mount.at, mount.turn)
            own = placed @ frame(item.at, item.turn)
            bodies.append(
                Body(
                    item.name, mount.link, tuple(m.moved(placed) for m in job.body_meshes[item.name]),
                    pieces=tuple(m.moved(own) for m in job.pieces(item.shapes or [item.shape])),  # type: ignore[list-item]
                    role=item.role, phases=item.present,
                )
            )  # fmt: skip
    bodies = while_spinning(job, chain, bodies)
    # A turret carries all its tools, whichever is in use; a spindle only the one that is in it.
    carried = set(tools) if job.machine.turret else used & set(tools)
    for number in sorted(carried):
        mount = tool_mount(job, chain, number)
        placed = frame(mount.at, mount.turn)
        pieces = tools[number].pieces()
        for part, mesh in tools[number].meshes().items():
            convex = tuple(piece.moved(placed) for piece in pieces[part])
            always = job.machine.turret is not None
            bodies.append(
                Body(part, mount.link, (mesh.moved(placed),), tool=number, pieces=convex, always=always, role="tool")
            )
    return bodies


def blanks(job: Job, chain: Chain) -> list[Body]:
    """Every stock as it is before the first cut."""
    found = []
    for item in job.file.bodies:
        if item.role == "stock":
            mount = chain.mounts[item.mount]
            placed = frame(mount.at, mount.turn)
            solids = tuple(mesh.moved(placed) for mesh in job.body_meshes[item.name])
            found.append(Body(item.name, mount.link, solids, role="stock"))
    return found


def hangs_on_spindle(job: Job, chain: Chain, link: str) -> bool:
    """Whether a link turns with the machine's work spindle."""
    spindle = job.machine.work_spindle
    return spindle is not None and any(step.name == chain.mounts[spindle.mount].link for step in chain.path_to(link))


def while_spinning(job: Job, chain: Chain, bodies: list[Body]) -> list[Body]:
    """What hangs on the work spindle counts as itself while that stands, and as the body it sweeps while it turns."""
    spindle = job.machine.work_spindle
    if spindle is None:
        return bodies
    mount = chain.mounts[spindle.mount]
    axis = frame(mount.at, mount.turn)
    zero = np.zeros((1, len(chain.axes)))
    result = []
    for body in bodies:
        if not hangs_on_spindle(job, chain, body.link):
            result.append(body)
            continue
        own = inverse(chain.pose(body.link, zero)[0]) @ chain.pose(mount.link, zero)[0] @ axis
        swept = tuple(spun(mesh, own) for mesh in body.pieces or body.solids)
        result += [replace(body, while_work="still"), replace(body, solids=swept, pieces=(), while_work="spins")]
    return result
