"""What of a set-up may be wrong, and the job as it is when it is.

offset     the value of a work offset, an axis of it
length     a length register; the tool hangs as it hangs
geometry   an axis of a turning tool's geometry register
radius     a radius register that compensation uses
stickout   how far a tool stands out of its holder; its length register is measured anew, so that its tip is where it was
fixture    where a fixture stands, along an axis of its mount
blank      where one side of a blank lies, outwards positive; of a round one its radius, too

A quantity is off by so much when it is so much more, in truth or in the register, than the job says; mm.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from ..job import Job
from ..job.channel import tool_key
from ..job.models import Body, Insert, ToolEntry
from ..program.control import Setup
from ..rehearsal import Rehearsal
from ..rehearsal.result import Strand

Kind = Literal["offset", "length", "geometry", "radius", "stickout", "fixture", "blank"]
ROUND = ("R", "-Z", "+Z")
SIDES = {"box": ("-X", "+X", "-Y", "+Y", "-Z", "+Z"), "cylinder": ROUND, "tube": ROUND}
OF_SETUP = ("offset", "length", "geometry", "radius")  # what the control holds


@dataclass(frozen=True)
class Quantity:
    """kind; `name` of the offset, tool or body; `axis` or side where it has one; `number` of the register or the tool's key;
    `channel` whose control holds it."""

    kind: Kind
    name: str
    axis: str = ""
    number: int = 0
    channel: int = 1

    def in_setup(self, setup: Setup, by: float) -> Setup:
        """What the control holds when this is off by so much; of another kind the same."""
        if self.kind == "offset":
            own = setup.work_offsets.get(self.name, {})
            changed = {**own, self.axis: own.get(self.axis, 0.0) + by}
            return replace(setup, work_offsets={**setup.work_offsets, self.name: changed})
        if self.kind == "geometry":
            own = setup.geometry[self.number]
            changed = {**own, self.axis: own.get(self.axis, 0.0) + by}
            return replace(setup, geometry={**setup.geometry, self.number: changed})
        if self.kind in ("length", "stickout"):
            held = setup.length_registers
            return replace(setup, length_registers={**held, self.number: held.get(self.number, 0.0) + by})
        if self.kind == "radius":
            held = setup.radius_registers
            return replace(setup, radius_registers={**held, self.number: held.get(self.number, 0.0) + by})
        return setup

    def in_job(self, job: Job, by: float) -> Job:
        """The job with a fixture, a tool or a blank so much off; of another kind the same. Raises ValueError where it cannot be."""
        if self.kind == "stickout":
            return replace(job, tools=job.tools.model_copy(update={"tools": [
                longer(entry, by) if tool_key(job.machine, entry) == self.number else entry for entry in job.tools.tools
            ]}))  # fmt: skip
        if self.kind not in ("fixture", "blank"):
            return job
        change = _shifted if self.kind == "fixture" else _grown
        bodies = [change(body, self.axis, by) if body.name == self.name else body for body in job.file.bodies]
        return replace(job, file=job.file.model_copy(update={"bodies": bodies}))


def longer(entry: ToolEntry, by: float) -> ToolEntry:
    """A tool that stands so much farther out, with its register measured anew where the table gives one."""
    reach = entry.cutter.reach
    cutter = entry.cutter.model_copy(update={"reach": reach + by}) if reach is not None else entry.cutter
    registers = dict(entry.registers)
    if "H" in registers:
        registers["H"] += by
    return entry.model_copy(update={"length": entry.length + by, "cutter": cutter, "registers": registers})


def _shifted(body: Body, axis: str, by: float) -> Body:
    at = list(body.at)
    at["XYZ".index(axis)] += by
    return body.model_copy(update={"at": tuple(at)})


def _grown(body: Body, side: str, by: float) -> Body:
    """A blank with one side farther out, in its shape's own directions. Raises ValueError for a shape that has no such side."""
    shape: Any = body.shape
    if shape is None or side not in sides_of(body):
        raise ValueError(f"'{body.name}' has no side {side}")
    if side == "R":
        name = "diameter" if shape.type == "cylinder" else "outer"
        return body.model_copy(update={"shape": shape.model_copy(update={name: getattr(shape, name) + 2.0 * by})})
    axis, sign = "XYZ".index(side[1]), 1.0 if side[0] == "+" else -1.0
    if shape.type == "box":
        size = list(shape.size)
        size[axis] += by
        changed = shape.model_copy(update={"size": tuple(size)})
    else:
        changed = shape.model_copy(update={"length": shape.length + by})
    at = list(shape.at)
    at[axis] += 0.5 * sign * by
    return body.model_copy(update={"shape": changed.model_copy(update={"at": tuple(at)})})


def sides_of(body: Body) -> tuple[str, ...]:
    """The sides of a blank that can be asked about: of boxes and round bars that stand straight in their body's frame."""
    shape: Any = body.shape
    if shape is None or shape.type not in SIDES or any(shape.turn):
        return ()
    return SIDES[shape.type]


def quantities(result: Rehearsal) -> Iterator[Quantity]:
    """All that this program makes use of, in the order in which they are told."""
    for strand in result.strands:
        yield from _of_control(strand)
    used = set(np.unique(result.reel.motions.tool).tolist())
    for entry in result.job.tools.tools:
        key = tool_key(result.job.machine, entry)
        if key in used and not isinstance(entry.cutter, Insert) and entry.holder.segments:
            yield Quantity("stickout", f"T{entry.number}" + (f" {entry.turret}" if entry.turret else ""), "", key)
    for body in result.job.file.bodies:
        if body.role == "fixture":
            for axis in "XYZ":
                yield Quantity("fixture", body.name, axis)
        if body.role == "stock":
            for side in sides_of(body):
                yield Quantity("blank", body.name, side)


def _of_control(strand: Strand) -> Iterator[Quantity]:
    motions, channel = strand.reel.motions, strand.channel
    states = [motions.snapshots[number] for number in np.unique(motions.snapshot).tolist()]
    linear = [axis for axis in strand.setup.axes if strand.chain.joints[axis].type == "linear" and axis in "XYZ"]
    offsets = sorted({state.work_offset for state in states})
    for name in offsets:
        for axis in linear:
            yield Quantity("offset", name, axis, 0, channel)
    for number in sorted({state.length_number for state in states if state.length and state.length_number}):
        yield Quantity("length", f"H{number}", "", number, channel)
    if strand.setup.dialect.turning:
        used = sorted(set(np.unique(motions.tool).tolist()) & set(strand.setup.geometry))
        for number in used:
            for axis in (axis for axis in linear if axis in strand.setup.geometry[number]):
                yield Quantity("geometry", f"T{number}", axis, number, channel)
    for number in sorted({state.radius_number for state in states if state.radius_number}):
        yield Quantity("radius", f"D{number}", "", number, channel)
