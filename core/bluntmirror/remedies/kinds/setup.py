"""Where things stand: a clamp moved along, the work and its offset shifted together."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ...geometry.frames import Floats
from ...job.models import Datum
from ..case import Case
from ..change import Change, Rank, Value
from ..proposal import Proposal, told

ROUND_MM = 0.5


def _up(amount: float) -> float:
    return float(-(-(amount - 1e-6) // ROUND_MM) * ROUND_MM)


@dataclass(frozen=True)
class Moved(Proposal):
    """A fixture moved along one direction of its mount."""

    index: int = 0
    direction: int = 0
    sign: float = 1.0
    searches = True

    @property
    def rank(self) -> Rank:
        return Rank.FIXTURE

    def change(self, amount: float) -> Change | None:
        body = self.case.job.file.bodies[self.index]
        by = self.sign * _up(amount)
        at = body.at[self.direction]
        value = Value("job", ("bodies", self.index, "at", self.direction), at, at + by)
        return Change(f"{body.name}: {'XYZ'[self.direction]} {told(at)} → {told(at + by)} on {body.mount}", Rank.FIXTURE,
                      values=(value,), amount=abs(by))  # fmt: skip


def fixtures(case: Case, amount: float, most: int = 2) -> Iterator[Proposal]:
    """The fixtures that the finding names, away from the place of the contact: through the face that it is nearest to."""
    for index, body in case.bodies:
        if body.role != "fixture":
            continue
        for direction, sign in _away(case, body.name)[:most]:
            yield Moved(case, amount, index, direction, sign)


def _away(case: Case, name: str) -> list[tuple[int, float]]:
    """Directions of the body's mount in which it goes away from what met it, the nearest face first; up and down last."""
    meshes = case.job.body_meshes[name]
    low = np.min([mesh.bounds[0] for mesh in meshes], axis=0)
    high = np.max([mesh.bounds[1] for mesh in meshes], axis=0)
    place = _on_mount(case, name)
    if place is None:
        return [(0, 1.0), (0, -1.0), (1, 1.0), (1, -1.0)]
    gaps = [(high[i] - place[i], i, -1.0) for i in range(3)] + [(place[i] - low[i], i, 1.0) for i in range(3)]
    return [(i, sign) for gap, i, sign in sorted(gaps, key=lambda gap: (gap[1] == 2, gap[0]))]


def _on_mount(case: Case, name: str) -> Floats | None:
    """The finding's point in the frame of a body's mount, as that stands then."""
    if case.finding.point is None or case.row < 0:
        return None
    body = next(b for b in case.job.file.bodies if b.name == name)
    chain = case.result.chain
    knots = case.result.knots
    segment = int(np.clip(np.searchsorted(knots.t1, case.finding.time), 0, len(knots.t1) - 1))
    pose = chain.mount_pose(chain.mounts[body.mount], case.result.values[segment + 1 : segment + 2])[0]
    return np.asarray(pose[:3, :3].T @ (np.array(case.finding.point) - pose[:3, 3]))


@dataclass(frozen=True)
class Shifted(Proposal):
    """Everything on a mount, and the work offsets with it, shifted along one direction: all places of the program go along."""

    mount: str = ""
    direction: int = 0
    sign: float = 1.0
    axis: str = ""
    per_mm: float = 1.0
    grows = True

    @property
    def rank(self) -> Rank:
        return Rank.FIXTURE

    def change(self, amount: float) -> Change | None:
        by = self.sign * _up(amount)
        job = self.case.job.file
        values = [
            Value("job", ("bodies", i, "at", self.direction), body.at[self.direction], body.at[self.direction] + by)
            for i, body in enumerate(job.bodies)
            if body.mount == self.mount
        ]
        for key, offset in job.work_offsets.items():
            if isinstance(offset, Datum):
                if offset.mount == self.mount:
                    held = offset.datum[self.direction]
                    values.append(Value("job", ("work_offsets", key, "datum", self.direction), held, held + by))
            elif self.axis in offset:
                values.append(
                    Value(
                        "job", ("work_offsets", key, self.axis), offset[self.axis], offset[self.axis] + self.per_mm * by
                    )
                )
        title = f"All on {self.mount} {told(abs(by))} towards {'+' if by > 0 else '−'}{'XYZ'[self.direction]}, the work offsets with it"
        return Change(title, Rank.FIXTURE, values=tuple(values), amount=abs(by))


def shifted(case: Case, amount: float) -> Iterator[Proposal]:
    """The work and its offsets along the direction of the axis that has no travel left."""
    axis = case.finding.axis
    view = next((name for name in case.strand.setup.axes if case.strand.axis(name) == axis), axis)
    way = case.ways.get(view)
    stock = next((body for body in case.job.file.bodies if body.role == "stock"), None)
    if way is None or stock is None:
        return
    direction = int(np.argmax(np.abs(way)))
    lean = float(way[direction])
    past_high = "+" in case.finding.message.partition(" limit")[0]
    sign = (-1.0 if past_high else 1.0) * float(np.sign(lean))
    yield Shifted(case, amount, stock.mount, direction, sign, view, 1.0 / lean)
