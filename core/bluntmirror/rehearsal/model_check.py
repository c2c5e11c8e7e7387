"""Is a machine's model sound: open meshes, bodies that overlap at home, axes that run the wrong way, positions out of reach.

Every fault is told with its place and what would put it right; none stops a rehearsal by itself.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..contact.bodies import parting_shift
from ..contact.program import Follower, pairs_of
from ..geometry.frames import Floats
from ..job import Job
from ..job.models import Mount
from ..machine import Chain
from ..machine.screws import between_mounts
from .scene import contact_bodies
from .virtual_control import solvers_of, worked_at

ALIKE = 0.7  # cosine within which a direction counts as that of its axis


@dataclass(frozen=True)
class Fault:
    where: str
    what: str
    remedy: str
    pair: tuple[str, str] | None = None  # of bodies that touch at rest, and may be meant to


def check_model(job: Job) -> list[Fault]:
    chain = Chain(job.machine)
    return [*_meshes(job), *_overlaps(job, chain), *_signs(job, chain), *_positions(job, chain)]


def _meshes(job: Job) -> list[Fault]:
    faults = []
    for link, meshes in job.link_meshes.items():
        for i, mesh in enumerate(meshes):
            if not mesh.closed:
                faults.append(Fault(f"links.{link}.shapes[{i}]", "the mesh is open: edges with one face only",
                                    "Close it in the modeller that made it; contact is still asked of its faces."))  # fmt: skip
            elif mesh.volume < 0:
                faults.append(Fault(f"links.{link}.shapes[{i}]", "the mesh is inside out: its faces look inwards",
                                    "Turn its faces round."))  # fmt: skip
    return faults


def _overlaps(job: Job, chain: Chain) -> list[Fault]:
    """Bodies that touch with every axis at the reference."""
    bodies = [b for b in contact_bodies(job, chain, {}, set()) if b.while_work != "spins"]
    reference = job.machine.reference.get("1", {})
    home = np.array([[reference.get(axis, 0.0) for axis in chain.axes]])
    follower = Follower.at_rest(home, chain)
    faults = []
    for a, b in pairs_of(bodies, chain, job.machine.ignore):
        seen = follower.follow(a, b, 0.0)
        if (seen.hit == 2).any():
            depth = parting_shift(a.solids, b.solids, seen.screws.poses(home)[0])
            faults.append(Fault(f"{a.label} and {b.label}", f"they stand {depth:.2f} mm in each other at the reference",
                                f'If they are meant to touch, add ["{a.label}", "{b.label}"] to ignore; if not, move one.', (a.label, b.label)))  # fmt: skip
    return faults


def _signs(job: Job, chain: Chain) -> list[Fault]:
    """ISO 841: a positive word moves the tool, seen from the work, along +X, +Y, +Z or by the right hand about them; +Z leads
    away from the work, along the tool where it stands in a spindle; X, Y and Z are right-handed."""
    tools, works = ([m for m in chain.mounts.values() if m.takes == takes] for takes in ("tool", "work"))
    # A second spindle may face the other way: a fault is what is wrong wherever one looks from.
    found = [_signs_between(job, chain, tool, work) for tool in tools for work in works]
    return [fault for fault in found[0] if all(fault in others for others in found[1:])] if found else []


def _signs_between(job: Job, chain: Chain, tool: Mount, work: Mount) -> list[Fault]:
    axes = job.machine.channels[0].axes
    faults = []
    screws = between_mounts(chain, work, tool)
    zero = np.zeros((1, len(chain.axes)))
    pose = screws.poses(zero)[0]
    moved: dict[str, Floats] = {}
    for axis in (a for a in axes if a in "XYZABC"):
        one = zero.copy()
        one[0, chain.axes.index(axis)] = 1.0
        after = screws.poses(one)[0]
        if chain.joints[axis].type == "linear":
            moved[axis] = after[:3, 3] - pose[:3, 3]
        else:
            turned = after[:3, :3] @ pose[:3, :3].T
            moved[axis] = np.array(
                [turned[2, 1] - turned[1, 2], turned[0, 2] - turned[2, 0], turned[1, 0] - turned[0, 1]]
            )
        size = float(np.linalg.norm(moved[axis]))
        if size < 1e-12:
            faults.append(
                Fault(f"axis {axis}", "it does not move the tool against the work", "Put its joint between them.")
            )
            moved.pop(axis)
        else:
            moved[axis] = moved[axis] / size
    if {"X", "Y", "Z"} <= set(moved) and float(np.dot(np.cross(moved["X"], moved["Y"]), moved["Z"])) < 0:
        faults.append(Fault("axes X, Y, Z", "they are left-handed: one of them runs the wrong way (ISO 841)",
                            "Turn round the direction of the axis whose + moves the tool, seen from the work, towards −."))  # fmt: skip
    lathe = _turns_work(job)
    if "Z" in moved and not lathe and float(moved["Z"] @ pose[:3, 2]) < -ALIKE:
        faults.append(Fault("axis Z", "+Z leads the tool into the work; it must lead away from it (ISO 841)",
                            "Turn round the direction of Z's joint."))  # fmt: skip
    for letter, linear in (("A", "X"), ("B", "Y"), ("C", "Z")):
        if letter in moved and linear in moved and float(moved[letter] @ moved[linear]) < -ALIKE:
            faults.append(Fault(f"axis {letter}", f"a positive {letter} turns the tool, seen from the work, left-handedly about "
                                f"{linear} (ISO 841)", f"Turn round the direction of {letter}'s joint."))  # fmt: skip
    return faults


def _positions(job: Job, chain: Chain) -> list[Fault]:
    faults = []
    named = [(f"reference {n}", values) for n, values in job.machine.reference.items()]
    named.append(("tool_change.at", job.machine.tool_change.at))
    for where, values in named:
        for axis, value in values.items():
            travel = chain.joints[axis].travel
            value = sum(factor * values.get(other, 0.0) for other, factor in chain.joints[axis].factors.items())
            if travel and not travel[0] - 1e-9 <= value <= travel[1] + 1e-9:
                faults.append(Fault(where, f"{axis} {value:g} lies outside its travel {travel[0]:g} … {travel[1]:g}",
                                    "Correct the position or the travel."))  # fmt: skip
    for axis, joint in chain.joints.items():
        if joint.type == "linear" and joint.travel is None:
            faults.append(Fault(f"axis {axis}", "it has no travel: overtravel cannot be found", "Give its travel."))
    first = job.machine.channels[0].number
    if (
        job.machine.channels[0].arm is None
        and solvers_of(job, chain, first).at(worked_at(job.machine, first), 0) is None
        and not _turns_work(job)
    ):
        faults.append(Fault("axes X, Y, Z", "they do not span space: tilted planes and tip control cannot be worked out",
                            "Give the channel X, Y and Z in three directions."))  # fmt: skip
    return faults


def _turns_work(job: Job) -> bool:
    """Whether a spindle of the machine turns work: such a one needs no Y."""
    return job.machine.work_spindle is not None or any(spindle.turns == "work" for spindle in job.machine.spindles)
