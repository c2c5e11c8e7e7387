"""One verification run: read → interpret → time → travel → contact → material → findings."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from ..contact.bodies import Body, spun
from ..contact.program import Follower, check_contacts, clearances, pairs_of
from ..findings import Docket, Policy
from ..geometry.frames import Floats, frame, inverse
from ..job import Job
from ..job.models import ProgramFile
from ..machine import Chain
from ..machine.screws import between, between_mounts
from ..program.control import Setup
from ..program.interpreter import Interpreted, Interpreter
from ..program.motions import TOOL_CHANGE
from ..program.text import ProgramText
from ..timeline.reel import Knots, make_knots, time_motions
from ..tools import Assembly, build_assembly
from . import travel
from .access import check_access
from .checkpoints import Store
from .cutting import Entering, cut_program
from .data_check import check_data, check_run_in
from .order import check_order
from .result import Rehearsal
from .stands import Stands
from .virtual_control import control_setup, kinematics_of, tool_mount
from .waits import check_waits

KNOT_TOLERANCE_MM = 0.002
DRY_RUN_MM_MIN = 5000.0  # common practice; a parameter of the machine on the floor

Progress = Callable[[str, float], None]


class Cancelled(Exception):
    """Raised by a progress callback to end the run."""


def work_spins(result: Rehearsal) -> np.ndarray:
    """For every motion, whether the machine's work spindle turns: not while a driven tool of the turret does."""
    assert result.reel
    motions = result.reel.motions
    if result.job.machine.work_spindle is None:
        return np.zeros(len(motions), np.bool_)
    live = np.array([s.live for s in motions.snapshots] or [False])[motions.snapshot]
    return np.asarray((motions.rpm != 0) & ~live)


def assemblies(job: Job) -> dict[int, Assembly]:
    """Every tool of the table as it hangs in its mount."""
    return {
        t.number: build_assembly(t, job.solid(t.holder.shapes, f"{job.file.tools}: tool {t.number}.holder.shapes"))
        for t in job.tools.tools
    }


def read_channel(
    job: Job, entry: ProgramFile, setup: Setup, docket: Docket, tick: Callable[[float], None] | None = None
) -> Interpreted:
    """Read and carry out one channel's program."""
    o_words = setup.dialect.o_words
    texts = [ProgramText(name, job.programs[name], o_words) for name in [entry.main, *entry.library]]
    return Interpreter(setup, texts, docket, entry.channel, setup.references.get(1), tick=tick).run()


def check_program(job: Job, progress: Progress | None = None) -> Rehearsal:
    """Read and interpret the programs and time their motions: the program check and the trace."""
    tell = progress or (lambda stage, share: None)
    chain = Chain(job.machine)
    result = Rehearsal(job, chain, assemblies(job), Docket(policy=Policy(job.file.checks.rules)))
    entry = job.file.programs[0]
    if len(job.file.programs) > 1:
        result.docket.add(
            "check.limit",
            f"only channel {entry.channel} is rehearsed; the others are read and checked, but not yet replayed together",
            program=job.file.programs[1].main,
        )
    kinematics = kinematics_of(job, chain, entry.channel)
    setup = control_setup(job, chain, entry.channel, kinematics)
    result.kinematics = kinematics
    result.setup = setup
    result.interpreted = read_channel(job, entry, setup, result.docket, lambda share: tell("reading", share))
    for other in job.file.programs[1:]:
        its_setup = control_setup(job, chain, other.channel, kinematics_of(job, chain, other.channel))
        result.others[other.channel] = read_channel(job, other, its_setup, result.docket)
    joints = [chain.joints[axis] for axis in setup.axes]
    switches = job.file.switches
    motions = result.interpreted.motions
    if switches.dry_run:
        motions.feed[motions.feed > 0] = DRY_RUN_MM_MIN
    motions.feed *= switches.feed_override / 100.0
    rapid_share = switches.rapid_override / 100.0
    result.reel = time_motions(motions, joints, job.machine.rapid == "dogleg", kinematics, rapid_share)
    _give_times(result)
    check_order(result, entry.channel)
    check_data(result, entry.channel)
    check_run_in(result, entry.channel)
    check_waits(result)
    return result


def _give_times(result: Rehearsal) -> None:
    """Findings of the program check know their motion; now they learn its time."""
    assert result.reel
    reel = result.reel
    for i, item in enumerate(result.docket.findings):
        if 0 <= item.motion < len(reel.begin_time):
            result.docket.findings[i] = replace(item, time=float(reel.begin_time[item.motion]))
        elif item.motion >= len(reel.begin_time):
            result.docket.findings[i] = replace(item, time=reel.seconds, motion=len(reel.begin_time) - 1)


def all_axes(result: Rehearsal, knots: Knots) -> Floats:
    """The knots over every axis of the chain: axes that this channel does not have stay at their reference."""
    assert result.setup
    reference = result.setup.references.get(1, {})
    full = np.tile([reference.get(axis, 0.0) for axis in result.chain.axes], (len(knots.at), 1))
    for column, axis in enumerate(result.setup.axes):
        full[:, result.chain.axes.index(axis)] = knots.at[:, column]
    return full


def rehearse(job: Job, progress: Progress | None = None, store: Store | None = None) -> Rehearsal:
    """The whole run. `progress` gets the stage's name and its share done (0–1), and may raise Cancelled; `store` keeps
    checkpoints of the stock, from which a run that begins the same goes on."""
    tell = progress or (lambda stage, share: None)
    result = check_program(job, progress)
    if result.interpreted is None or result.reel is None:
        return result
    channel = job.file.programs[0].channel
    reel, chain, docket = result.reel, result.chain, result.docket
    lengths = {n: tool.length for n, tool in result.tools.items()}
    travel.check_travel(reel, chain, docket, channel, lengths)
    travel.check_indexing(reel, chain, docket, channel, lengths)
    rewinds = travel.check_rewinds(reel, chain, result.kinematics, docket, channel, lengths)
    travel.check_speed(reel, chain, result.kinematics, docket, channel, lengths, rewinds)
    knots = make_knots(reel, KNOT_TOLERANCE_MM)
    result.knots = knots
    full = Knots(all_axes(result, knots), knots.motion, knots.t0, knots.t1)
    bodies = contact_bodies(job, chain, result.tools, set(np.unique(reel.motions.tool).tolist()), stops_of(result))
    pairs = pairs_of(bodies, chain, job.machine.ignore)
    asked = clearances(pairs, job.file.checks.near, job.file.checks.pairs)
    result.off = [(a.label, b.label) for (a, b), near in zip(pairs, asked, strict=True) if near is None]
    pairs = [pair for pair, near in zip(pairs, asked, strict=True) if near is not None]
    result.pairs = len(pairs)
    result.margins = check_contacts(
        reel, full, chain, pairs, [near for near in asked if near is not None], docket, channel, work_spins(result),
        lambda share: tell("contact", share),
    )  # fmt: skip
    check_access(job, chain, bodies, docket)
    _limits(result)
    follower = Follower(reel.motions.tool, full, chain, work_spins(result))
    spins = work_spins(result)
    used = sorted(set(np.unique(reel.motions.tool).tolist()) & set(result.tools))
    for body in job.file.bodies:
        if body.role != "stock" or job.file.switches.dry_run:
            continue
        work = chain.mounts[body.mount]
        placed = frame(work.at, work.turn)
        entering = [
            Entering(
                item.label, item.solids, Stands(full.at, between(chain, work.link, item.link, placed).poses), segments
            )
            for item, segments in _enters_the_blank(result, full, bodies, body.name, follower)
        ]
        machine_from_work = Stands(full.at, partial(chain.mount_pose, work))
        tool_from_work = {n: between_mounts(chain, work, tool_mount(job, chain, n)) for n in used}
        cut = cut_program(
            result, body.name, tool_from_work, full.at, machine_from_work, channel, spins, entering, tell, store
        )
        if cut:
            result.stocks.append(cut)
    _leave_out_foretold(docket, bool(result.stocks))
    return result


def _leave_out_foretold(docket: Docket, cut: bool) -> None:
    """An order called unsafe says nothing more where its very motion is found to collide; nor does a feed move with the
    spindle still, where the stock that was cut has told whether it met anything."""
    collides = {f.motion for f in docket if f.kind.startswith("contact.") and f.severity == "stop"}
    docket.findings = [
        f for f in docket
        if not (f.kind == "program.order" and f.motion in collides) and not (f.rule == "spindle.still" and cut)
    ]  # fmt: skip


def stops_of(result: Rehearsal) -> list[int]:
    """Where the stretches between programmed stops begin: motion 0, then the first motion after each stop; and the end."""
    assert result.interpreted and result.reel
    return [0, *(motion for motion, _ in result.interpreted.stops), len(result.reel.motions)]


def present_between(present: tuple[int, int | None] | None, stops: Sequence[int]) -> tuple[int, int] | None:
    """The motions (first, last + 1) of a body's `present`; a stop that the program never makes is its end."""
    if present is None or not stops:
        return None
    first, last = present
    return stops[min(first, len(stops) - 1)], stops[min(last, len(stops) - 1) if last is not None else -1]


def contact_bodies(
    job: Job, chain: Chain, tools: dict[int, Assembly], used: set[int], stops: Sequence[int] = ()
) -> list[Body]:
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
                    role=item.role, between=present_between(item.present, stops),
                )
            )  # fmt: skip
    if job.machine.work_spindle:
        bodies = _while_spinning(job, chain, bodies)
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


def _while_spinning(job: Job, chain: Chain, bodies: list[Body]) -> list[Body]:
    """What hangs on the work spindle counts as itself while that stands, and as the body it sweeps while it turns."""
    spindle = job.machine.work_spindle
    assert spindle
    mount = chain.mounts[spindle.mount]
    axis = frame(mount.at, mount.turn)
    result = []
    for body in bodies:
        if all(step.name != mount.link for step in chain.path_to(body.link)):
            result.append(body)
            continue
        own = (
            inverse(chain.pose(body.link, np.zeros((1, len(chain.axes))))[0])
            @ chain.pose(mount.link, np.zeros((1, len(chain.axes))))[0]
            @ axis
        )
        swept = tuple(spun(mesh, own) for mesh in body.pieces or body.solids)
        result += [replace(body, while_work="still"), replace(body, solids=swept, pieces=(), while_work="spins")]
    return result


def _enters_the_blank(
    result: Rehearsal, full: Knots, bodies: list[Body], stock: str, follower: Follower
) -> list[tuple[Body, np.ndarray]]:
    """The bodies of machine and fixtures that enter the outline of a blank as it was before the first cut, with the
    segments in which they do. Clear of that outline is clear of all that is left of it later; what enters it is asked
    against the stock as it then is."""
    job, chain = result.job, result.chain
    item = next(body for body in job.file.bodies if body.name == stock)
    mount = chain.mounts[item.mount]
    placed = frame(mount.at, mount.turn)
    blank = Body(stock, mount.link, tuple(mesh.moved(placed) for mesh in job.body_meshes[stock]))
    entering = []
    assert result.reel
    motions = result.reel.motions
    changing = motions.kind[full.motion] == TOOL_CHANGE
    others = [body for body in bodies if not body.tool or body.always]
    for a, b in pairs_of([*others, blank], chain, job.machine.ignore):
        if blank not in (a, b):
            continue
        seen = follower.follow(a, b, job.file.checks.near_stock)
        result.margins.append(seen.margin)
        result.pairs += 1
        # A turret's tool may touch the work only while it is in use, and not while the turret turns.
        other = a if b is blank else b
        idle = (
            changing | (motions.tool[full.motion] != other.tool) if other.tool else np.ones(len(full.motion), np.bool_)
        )
        touched = np.flatnonzero((seen.hit == 2) & idle)
        if len(touched):
            entering.append((other, touched))
    return entering


def _limits(result: Rehearsal) -> None:
    """What this run did not check is said, never passed over."""
    docket = result.docket
    for number in sorted(set(result.reel.motions.tool.tolist()) if result.reel else ()):
        tool = result.tools.get(number)
        if tool and not tool.carried_out:
            docket.add("check.limit", f"T{number} is a turning tool; its cut is not carried out yet", tool=number)
