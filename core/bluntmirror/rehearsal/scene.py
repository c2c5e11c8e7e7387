"""What stands in the machine: its links, what is clamped on it and the tools, as bodies that contact can follow."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..contact.bodies import Body, spun
from ..geometry.frames import frame, inverse
from ..job import Job
from ..job.channel import tool_key
from ..job.models import Mount, ToolEntry
from ..machine import Chain
from ..machine.placement import Placement
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
    known = {tool_key(job.machine, entry): entry for entry in job.tools.tools}
    for number in sorted(tools):
        mount = tool_mount(job, chain, number)
        always = stays(job, chain, mount)
        if not (always or number in used):
            continue
        placed = frame(mount.at, mount.turn)
        pieces = tools[number].pieces()
        called = tool_name(known[number]) if number in known else ""
        for part, mesh in tools[number].meshes().items():
            convex = tuple(piece.moved(placed) for piece in pieces[part])
            bodies.append(
                Body(
                    part,
                    mount.link,
                    (mesh.moved(placed),),
                    tool=number,
                    pieces=convex,
                    always=always,
                    role="tool",
                    called_tool=called,
                )
            )
    return bodies


def tool_name(entry: ToolEntry) -> str:
    """How a tool is called: by its number, and by its turret where there are several."""
    return f"T{entry.number}" + (f" {entry.turret}" if entry.turret else "")


def stays(job: Job, chain: Chain, mount: Mount) -> bool:
    """Whether what hangs on a tool mount is there whether in use or not: on a turret, or at a station of its own."""
    turrets = {t.axis for t in job.machine.turrets} | ({job.machine.turret.axis} if job.machine.turret else set())
    if job.machine.turret:
        return True
    on_turret = any(step.joint and step.joint.axis in turrets for step in chain.path_to(mount.link))
    return on_turret or (len(job.machine.channels) > 1 and mount.station is not None)


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


def placement_of(job: Job, chain: Chain, name: str) -> Placement:
    """Where a body of the job hangs at the start: the frame of its mount."""
    return Placement.on(chain.mounts[next(body.mount for body in job.file.bodies if body.name == name)])


def spindle_of(job: Job, chain: Chain, link: str) -> tuple[str, Mount] | None:
    """The work spindle that a link turns with, and its mount; its name is "" where the machine names none."""
    machine = job.machine
    spindles = [(s.name, s.mount) for s in machine.spindles if s.turns == "work"]
    if machine.work_spindle and not machine.spindles:
        spindles = [("", machine.work_spindle.mount)]
    path = {step.name for step in chain.path_to(link)}
    return next(((name, chain.mounts[mount]) for name, mount in spindles if chain.mounts[mount].link in path), None)


def hangs_on_spindle(job: Job, chain: Chain, link: str) -> bool:
    """Whether a link turns with a work spindle of the machine."""
    return spindle_of(job, chain, link) is not None


def while_spinning(job: Job, chain: Chain, bodies: list[Body]) -> list[Body]:
    """What hangs on a work spindle counts as itself while that stands, and as the body it sweeps while it turns."""
    result = []
    zero = np.zeros((1, len(chain.axes)))
    for body in bodies:
        spindle = spindle_of(job, chain, body.link)
        if spindle is None:
            result.append(body)
            continue
        name, mount = spindle
        axis = frame(mount.at, mount.turn)
        own = inverse(chain.pose(body.link, zero)[0]) @ chain.pose(mount.link, zero)[0] @ axis
        swept = tuple(spun(mesh, own) for mesh in body.pieces or body.solids)
        result += [
            replace(body, while_work="still", spindle=name),
            replace(body, solids=swept, pieces=(), while_work="spins", spindle=name),
        ]
    return result
