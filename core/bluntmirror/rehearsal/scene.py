"""What stands in the machine: its links, what is clamped on it and the tools, as bodies that contact can follow."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..contact.bodies import Body, spun
from ..geometry.frames import Floats, frame, inverse
from ..geometry.mesh import joined
from ..job import Job
from ..job.channel import tool_key
from ..job.models import Mount, ToolEntry
from ..machine import Chain
from ..machine.placement import Placement
from ..tools import Assembly, build_assembly
from .virtual_control import tool_mount


def assemblies(job: Job) -> dict[int, Assembly]:
    """Every tool of the table as it hangs in its mount, by what tells it apart in the machine."""
    found = {}
    for entry in job.tools.tools:
        blocks = job.solid(entry.holder.shapes, f"{job.file.tools}: tool {entry.number}.holder.shapes")
        key = tool_key(job.machine, entry)
        found[key] = replace(build_assembly(entry, blocks), number=key)
    return found


def contact_bodies(
    job: Job, chain: Chain, tools: dict[int, Assembly], used: set[int], values: Floats | None = None
) -> list[Body]:
    """Machine links, fixtures and parts, and the parts of every tool used, each in the frame of its link. `values` (m + 1, k): the
    axes at the knots, where a program runs: what moves on a spindle that turns sweeps another body wherever it stands."""
    jaws = {axis: grip.name for grip in job.machine.grips if grip.jaws for axis in grip.jaws.axes}
    bodies = [
        Body(
            link.name,
            link.name,
            tuple(job.link_meshes[link.name]),
            pieces=tuple(job.pieces(job.shapes_of(link))),
            group=jaws.get(link.joint.axis, "") if link.joint else "",
        )
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
    bodies = while_spinning(job, chain, bodies, values)
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
    return bodies + _in_the_rack(job, chain, tools)


def _in_the_rack(job: Job, chain: Chain, tools: dict[int, Assembly]) -> list[Body]:
    """The tools that hang in a rack while they are not in use."""
    bodies = []
    for entry in job.tools.tools:
        if entry.rack is None:
            continue
        key, called, mount = tool_key(job.machine, entry), tool_name(entry), chain.mounts[entry.rack]
        placed = frame(mount.at, mount.turn)
        pieces = tools[key].pieces()
        for part, mesh in tools[key].meshes().items():
            convex = tuple(piece.moved(placed) for piece in pieces[part])
            bodies.append(
                Body(
                    f"{called} {part} in {entry.rack}", mount.link, (mesh.moved(placed),), pieces=convex, resting=key, role="tool",
                    group=f"{called} in {entry.rack}",
                )
            )  # fmt: skip
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


def while_spinning(job: Job, chain: Chain, bodies: list[Body], values: Floats | None = None) -> list[Body]:
    """What hangs on a work spindle counts as itself while that stands, and as the body it sweeps while it turns."""
    result = []
    zero = np.zeros((1, len(chain.axes)))
    for body in bodies:
        spindle = spindle_of(job, chain, body.link)
        if spindle is None:
            result.append(body)
            continue
        name, mount = spindle
        result.append(replace(body, while_work="still", spindle=name))
        moving = [] if values is None else _axes_beyond(chain, mount.link, body.link)
        if moving and values is not None:
            result += _swept_where_it_stands(
                chain, replace(body, while_work="spins", spindle=name), mount, moving, values
            )
            continue
        axis = frame(mount.at, mount.turn)
        own = inverse(chain.pose(body.link, zero)[0]) @ chain.pose(mount.link, zero)[0] @ axis
        swept = tuple(spun(mesh, own) for mesh in body.pieces or body.solids)
        result.append(replace(body, solids=swept, pieces=(), while_work="spins", spindle=name))
    return result


def _axes_beyond(chain: Chain, spindle: str, link: str) -> list[int]:
    """The columns of the axes that move a link on the spindle's: jaws, a quill that turns with it."""
    path = chain.path_to(link)
    beyond = path[1 + next(i for i, step in enumerate(path) if step.name == spindle) :]
    return [chain.axes.index(axis) for step in beyond if step.joint for axis in step.joint.factors]


def _swept_where_it_stands(chain: Chain, body: Body, mount: Mount, columns: list[int], values: Floats) -> list[Body]:
    """A body that moves on a spindle that turns: what it sweeps at every place where it stands, and on the way between two; each
    hangs on the spindle and is there in its own segments."""
    own = values[:, columns]
    moves = (own[1:] != own[:-1]).any(axis=1)
    # Where it stands, every place once; where it moves, a whole way at a time.
    begins = np.flatnonzero(np.diff(np.append(False, moves).astype(np.int8)) > 0)
    way = np.cumsum(np.isin(np.arange(len(moves)), begins))
    stands: list[tuple[Floats, Floats, np.ndarray]] = []
    rest, of = np.unique(own[:-1][~moves], axis=0, return_inverse=True)
    places = np.flatnonzero(~moves)
    for i, row in enumerate(rest):
        there = np.zeros(len(moves), np.bool_)
        there[places[of.reshape(-1) == i]] = True
        stands.append((row, row, there))
    for number in range(1, len(begins) + 1):
        there = moves & (way == number)
        on_it = own[np.append(there, False) | np.append(False, there)]
        stands.append((on_it.min(axis=0), on_it.max(axis=0), there))
    axis = frame(mount.at, mount.turn)
    found = []
    for i, (low, high, there) in enumerate(stands):
        solids = []
        for mesh in body.pieces or body.solids:
            placed = []  # at both ends of a way: the hull of both, in z and r, holds all between
            for stand in (low, high):
                at = np.zeros((1, len(chain.axes)))
                at[0, columns] = stand
                placed.append(mesh.moved(inverse(chain.pose(mount.link, at)[0]) @ chain.pose(body.link, at)[0]))
            solids.append(spun(joined(placed) if (low != high).any() else placed[0], axis))
        found.append(replace(body, link=mount.link, solids=tuple(solids), pieces=(), variant=f" {i}", segments=there))
    return found
