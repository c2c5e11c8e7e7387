"""Where what an arm works on stands best: all on the work's mount shifted, the work offsets with it, and the whole program judged there.

A stand is judged by the programs themselves, with postures chosen anew: is every pose reached, and how much is left of reach, of each joint's travel and
from singular poses in the operation that has least. What is touched there only a rehearsal tells (`touched_at`): the best stands alone are asked.

The search is by pattern (Hooke and Jeeves, Direct search, 1961): the eight places around the best one at a step, again around whatever is
better, then with a smaller step. It keeps nothing of its own: what was tried is given, and what to try next comes back, so that
whoever asks may stop at any moment.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..geometry.frames import frame
from ..job import Job
from ..job.models import Datum
from ..machine import Chain
from .reaching import Least, Reached, operations_reached
from .run import check_program, rehearse
from .travel import NEAR_SINGULAR_SINE
from .virtual_control import on_axis, work_mount

STEPS_MM = (150.0, 50.0)
FARTHEST_MM = 300.0  # a part is shifted on its table: farther off it is another table
MOST_TRIED = 48
AMPLE = {"reach": 200.0, "limit": 45.0, "singular": 30.0}  # mm and degrees: who has as much left is at ease
LEAST_SINGULAR = float(np.degrees(np.arcsin(NEAR_SINGULAR_SINE)))

Place = tuple[float, float]  # along X and Y of the machine, mm, from where the work stands now


@dataclass(frozen=True)
class Stand:
    """`lacking`: names of the operations that do not go there; `missed`: motions that are out of reach, and operations that are not but come
    past a limit or near a singular pose; `least` of reach, limit and singular, with the operation it is of; `ease`, the least share of
    what is ample, at most 1."""

    place: Place
    lacking: list[str]
    missed: int
    least: dict[str, tuple[Least, Reached]]
    ease: float

    @property
    def rank(self) -> tuple[float, ...]:
        return rank(self.place, self.missed, self.ease)


def rank(place: Place, missed: int, ease: float) -> tuple[float, ...]:
    """The better, the greater: what is missed first, then ease, then nearness to where it stands."""
    return -float(missed), round(ease, 3), -float(np.hypot(*place))


def following(tried: Mapping[Place, tuple[float, ...]]) -> list[Place]:
    """What to try next, given the ranks of what was; nothing when the search is at its end."""
    if not tried:
        return [(0.0, 0.0)]
    best = max(tried, key=lambda place: tried[place])
    for step in STEPS_MM:
        around = [(best[0] + x * step, best[1] + y * step) for x in (-1, 0, 1) for y in (-1, 0, 1)]
        new = [place for place in around if place not in tried and max(map(abs, place)) <= FARTHEST_MM]
        if new:
            return new[: max(0, MOST_TRIED - len(tried))]
    return []


def standing_on(job: Job) -> str:
    """The mount of what the arm works on. Raises ValueError where there is no arm, or it carries the work itself."""
    arms = [channel.arm for channel in job.machine.channels if channel.arm]
    if not arms:
        raise ValueError("this machine has no arm")
    chain = Chain(job.machine)
    mount = work_mount(job, chain)
    if any(on_axis(chain, mount, axis) for arm in arms for axis in (*arm.joints, *arm.rail)):
        raise ValueError(f"the arm carries the work: what is on '{mount.name}' moves with it, and stands nowhere")
    return mount.name


def moved_to(job: Job, place: Place) -> Job:
    """The job with all on the work's mount, and every work offset there, shifted along X and Y of the machine. Raises ValueError."""
    name = standing_on(job)
    chain = Chain(job.machine)
    pose = chain.mount_pose(chain.mounts[name], np.zeros((1, len(chain.axes))))[0]
    shift = np.array([*place, 0.0])
    by = pose[:3, :3].T @ shift

    def shifted(values: Collection[float]) -> tuple[float, ...]:
        return tuple(np.round(np.array([*values]) + by, 6).tolist())

    def offsets(held: Mapping[str, Any] | None) -> dict[str, Any] | None:
        if held is None:
            return None
        made: dict[str, Any] = {}
        for key, offset in held.items():
            if not isinstance(offset, Datum):
                made[key] = {
                    **offset,
                    **{axis: offset.get(axis, 0.0) + way for axis, way in zip("XY", place, strict=True) if way},
                }
            elif offset.mount == name:
                made[key] = offset.model_copy(update={"datum": shifted(offset.datum)})
            else:
                made[key] = offset
        return made

    bodies = [
        body.model_copy(update={"at": shifted(body.at)}) if body.mount == name else body for body in job.file.bodies
    ]
    programs = [entry.model_copy(update={"work_offsets": offsets(entry.work_offsets)}) for entry in job.file.programs]
    made = replace(
        job,
        file=job.file.model_copy(
            update={"bodies": bodies, "programs": programs, "work_offsets": offsets(job.file.work_offsets)}
        ),
    )
    on_mount = {body.name for body in bodies if body.mount == name}
    made.__dict__["link_meshes"] = job.link_meshes
    made.__dict__["body_meshes"] = {
        body: [mesh.moved(frame(by)) for mesh in meshes] if body in on_mount else meshes
        for body, meshes in job.body_meshes.items()
    }
    return made


def judged(job: Job, place: Place) -> Stand:
    """How the programs go with the work shifted. Raises ValueError, and JobUnreadable."""
    reached = operations_reached(check_program(moved_to(job, place)))
    least: dict[str, tuple[Least, Reached]] = {}
    for item in reached:
        for key, left in item.least.items():
            if key not in least or left.amount < least[key][0].amount:
                least[key] = left, item
    lacking = [item.operation.name for item in reached if not item.reachable or _short(item)]
    missed = sum(_missed(item) if not item.reachable else _short(item) for item in reached)
    ease = min([1.0, *(left.amount / AMPLE[key] for key, (left, _) in least.items())])
    return Stand(place, lacking, missed, least, ease)


def _missed(item: Reached) -> int:
    begin, end = item.operation.motions
    assert item.strand.settled
    failed = item.strand.settled.failed
    return int(((failed >= begin) & (failed < end)).sum())


def _short(item: Reached) -> bool:
    """Whether an operation that reaches all its poses goes past a limit, or comes too near to a singular one."""
    floors = {"reach": 0.0, "limit": 0.0, "singular": LEAST_SINGULAR}
    return any(left.amount < floors[key] for key, left in item.least.items())


def touched_at(job: Job, place: Place) -> list[str]:
    """The operations that touch something with the work shifted, as a quick look tells. Raises ValueError, and JobUnreadable."""
    result = rehearse(moved_to(job, place), filmed=False, quick=True)
    return [item.operation.name for item in operations_reached(result) if item.contact is False]
