"""The virtual control of a job: dialect, offsets (datums worked out), registers, references, from what its files say."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..geometry.frames import Floats
from ..job import Job, JobUnreadable
from ..job.channel import first_spindle, tool_key, tool_number, work_spindle
from ..job.models import Datum, Insert, MachineFile, Mount, ProgramFile
from ..machine import Chain
from ..machine.arm import Arm
from ..machine.tip import Kinematics, Solvers
from ..program.control import Nose, Setup
from ..program.dialect import BUILT_IN, Dialect, built_in, read_dialect
from ..tools.cutters import widest


def dialect_of(job: Job, entry: ProgramFile) -> Dialect:
    """Raises JobUnreadable for a dialect file that cannot be read."""
    if entry.dialect in BUILT_IN:
        return built_in(entry.dialect)
    try:
        return read_dialect(job.dialect_files[entry.dialect])
    except ValueError as error:
        raise JobUnreadable(entry.dialect, str(error)) from error


def tool_mount(job: Job, chain: Chain, number: int) -> Mount:
    """The mount that holds a tool: that of its station, on its turret where there are several, else the first that its channel
    has. `number`: its own, or what tells it apart in the whole machine."""
    table = job.tools.tools
    entry = next((t for t in table if tool_key(job.machine, t) == number), None) or next(
        (t for t in table if t.number == number), None
    )
    station = entry.station if entry and entry.station else tool_number(number)
    first = job.machine.channels[0].number
    turret = next(
        (t for t in job.machine.turrets if entry and (t.name == entry.turret if entry.turret else t.channel == first)),
        None,
    )
    mounts = [
        m for m in chain.mounts.values() if m.takes == "tool" and (turret is None or on_axis(chain, m, turret.axis))
    ]
    if turret is None and entry is not None and job.machine.turrets:
        axes = {t.axis for t in job.machine.turrets}
        mounts = [m for m in mounts if not any(on_axis(chain, m, axis) for axis in axes)] or mounts
    for mount in mounts:
        if mount.station == station:
            return mount
    return min(mounts, key=lambda mount: (mount.station or 0, mount.name)) if mounts else chain.mount_of("tool")


def on_axis(chain: Chain, mount: Mount, axis: str) -> bool:
    """Whether an axis moves a mount."""
    return any(step.joint and step.joint.axis == axis for step in chain.path_to(mount.link))


def tool_geometry(
    job: Job, chain: Chain, axes: tuple[str, ...], typed: bool = True
) -> tuple[dict[int, dict[str, float]], dict[int, Nose]]:
    """Geometry registers of turning tools: what the control adds to X and Z for each. Where the table says nothing (or all is
    asked as it truly is, not as `typed`), the place of the tip beside the first station's gauge point; diameters as typed,
    halved. And the noses of inserts: which way from the tip their centre lies."""
    channel = next(c for c in job.machine.channels if tuple(c.axes) == axes)
    zero = np.zeros((1, len(chain.axes)))
    base = chain.mount_pose(chain.mount_of("tool"), zero)[0, :3, 3]
    linear = [axis for axis in axes if axis in "XYZ" and chain.joints[axis].type == "linear"]
    work = work_mount(job, chain)
    ways = chain.tool_ways(chain.mount_of("tool"), work, linear)
    work_frame = chain.mount_pose(work, zero)[0, :3, :3]
    result: dict[int, dict[str, float]] = {}
    noses: dict[int, Nose] = {}
    for entry in job.tools.tools:
        mount = tool_mount(job, chain, entry.number)
        pose = chain.mount_pose(mount, _indexed(job, chain, mount, zero))[0]
        tip = pose[:3, :3] @ np.array([*entry.offset, -entry.length]) + pose[:3, 3] - base
        back = np.linalg.lstsq(ways, -work_frame.T @ tip, rcond=None)[0]
        own = {axis: float(value) + 0.0 for axis, value in zip(linear, back, strict=True)}
        for axis in ("X", "Y", "Z"):
            if typed and axis in entry.registers:
                own[axis] = entry.registers[axis] / (2.0 if axis in channel.diameters else 1.0)
        result[entry.number] = own
        if isinstance(entry.cutter, Insert) and entry.cutter.nose_radius:
            # The tip is where the lines touching the nose along the mount's x and z meet; its centre lies inwards of both.
            aside = -1.0 if entry.cutter.hand == "left" else 1.0
            way = work_frame.T @ pose[:3, :3] @ np.array([aside, 0.0, 1.0])
            moved = dict(zip(linear, np.linalg.lstsq(ways, way, rcond=None)[0].tolist(), strict=True))
            noses[entry.number] = Nose(
                entry.cutter.nose_radius, round(moved.get("Z", 0.0), 9), round(moved.get("X", 0.0), 9)
            )
    return result, noses


def _indexed(job: Job, chain: Chain, mount: Mount, values: Floats) -> Floats:
    """Axis values with the turret turned to a mount's station."""
    turret = job.machine.turret
    if turret and mount.station:
        values = values.copy()
        values[:, chain.axes.index(turret.axis)] = (mount.station - 1) * 360.0 / turret.stations
    return values


def work_mount(job: Job, chain: Chain) -> Mount:
    """The mount that the work is on: that of the first stock, else of the first design, else the machine's first."""
    if job.machine.spindles and job.machine.work_spindle:
        return chain.mounts[job.machine.work_spindle.mount]  # the one that the channel works at
    for role in ("stock", "design"):
        for body in job.file.bodies:
            if body.role == role:
                return chain.mounts[body.mount]
    return chain.mount_of("work")


def solvers_of(job: Job, chain: Chain, channel: int) -> Solvers:
    """The channel's axes between the work of each spindle and each tool. Axes of other channels count as at reference 1."""
    machine = job.machine
    axes = next(tuple(c.axes) for c in machine.channels if c.number == channel)
    standing = machine.reference.get("1", {})
    first = chain.mount_of("tool")

    def carrier(tool: int) -> Mount:
        if not any(t.number == tool for t in job.tools.tools):
            return first
        mount = tool_mount(job, chain, tool)
        # A station is indexed to where the first one stands.
        return first if machine.turret and on_axis(chain, mount, machine.turret.axis) else mount

    works = {s.name: chain.mounts[s.mount] for s in machine.spindles if s.turns == "work"}
    return Solvers(
        lambda tool, work: Kinematics(chain, tool, work, axes, standing),
        {worked_at(machine, channel): work_mount(job, chain), **works},
        carrier,
    )


class Arms:
    """The arm of a channel with each of its tools; one is made when it is first asked for."""

    def __init__(self, job: Job, chain: Chain, joints: Sequence[str]) -> None:
        self.job, self.chain, self.joints = job, chain, tuple(joints)
        self.work = work_mount(job, chain)
        self._known: dict[str, Arm] = {}

    def of(self, tool: int) -> Arm:
        """Raises JobUnreadable where the joints do not lie one after the other between that tool and the work."""
        mount = tool_mount(self.job, self.chain, tool)
        if mount.name not in self._known:
            try:
                self._known[mount.name] = Arm(self.chain, mount, self.work, self.joints)
            except ValueError as error:
                raise JobUnreadable("machine.json", f"channels: {error}") from error
        return self._known[mount.name]


def worked_at(machine: MachineFile, channel: int) -> str:
    """The name of the spindle whose work a channel works at first; empty where the machine lists none."""
    spindle = work_spindle(machine, channel)
    return spindle.name if spindle else ""


def _no_tool_axes(job: Job, chain: Chain, axes: tuple[str, ...]) -> frozenset[str]:
    """The axes of a channel that do not bring its tools anywhere: of a second headstock, of a quill."""
    mounts = [chain.mounts[mount.name] for mount in job.machine.mounts if mount.takes == "tool"]
    bearing = {
        axis for mount in mounts for step in chain.path_to(mount.link) if step.joint for axis in step.joint.factors
    }
    if len(job.machine.channels) > 1 and bearing.isdisjoint(axes):
        return frozenset(axes)  # it brings work to tools that stand still, or to nothing but a grip
    return frozenset(axes) - bearing - set("XYZABC")


def control_setup(job: Job, chain: Chain, channel: int, solvers: Solvers | None = None) -> Setup:
    """What the virtual control holds: offsets (datums worked out), registers, references."""
    own = next(c for c in job.machine.channels if c.number == channel)
    axes, diameters = tuple(own.axes), frozenset(own.diameters)
    first_mount = chain.mount_of("tool")
    entry = next(p for p in job.file.programs if p.channel == channel)
    turns = {code: act for code, act in job.machine.codes.items() if act.does == "offset-turns"}
    dialect = dialect_of(job, entry).with_codes(
        {code: "dynamic" if act.on else "dynamic-off" for code, act in turns.items()}
    )
    geometry, noses = tool_geometry(job, chain, axes) if dialect.turning else ({}, {})
    # Where channels share a machine a datum is where the axes stand at the start; tip control takes rotary axes at zero.
    standing = job.machine.reference.get("1", {}) if len(job.machine.channels) > 1 else {}
    offsets: dict[str, dict[str, float]] = {}
    for key, value in job.file.work_offsets.items():
        name = key.upper().replace(" ", "")
        if isinstance(value, Datum) and own.arm:
            zero = np.zeros((1, len(chain.axes)))
            point = chain.mount_pose(chain.mounts[value.mount], zero)[0] @ [*value.datum, 1.0]
            offsets[name] = dict(zip("XYZ", point[:3].tolist(), strict=True))
        elif isinstance(value, Datum) and set(axes).isdisjoint("XYZ"):
            offsets[
                name
            ] = {}  # a datum sets these three, and the channel (of a second headstock, say) has none of them
        elif isinstance(value, Datum):
            try:
                offsets[name] = chain.datum_offset(
                    first_mount, chain.mounts[value.mount], np.array(value.datum), axes, standing
                )
            except ValueError as error:
                if any(c.arm for c in job.machine.channels):
                    continue  # it is the arm's; here it was never set, and says so where it is used
                raise JobUnreadable("job.json", f"work_offsets.{key}: {error}") from error
        else:
            offsets[name] = {axis: v / (2.0 if axis in diameters else 1.0) for axis, v in value.items()}
    change = job.machine.tool_change
    switches, limits = job.file.switches, job.file.limits
    radii = {
        t.number: t.registers.get("D", widest(t.cutter) / 2.0)
        for t in job.tools.tools
        if not isinstance(t.cutter, Insert)
    }
    return Setup(
        dialect=dialect,
        axes=axes,
        work_offsets=offsets,
        length_registers={t.number: t.registers.get("H", t.length) for t in job.tools.tools},
        tools=frozenset(t.number for t in job.tools.tools),
        references={int(n): dict(point) for n, point in job.machine.reference.items()},
        change_at=dict(change.at),
        change_moves=change.moves,
        change_seconds=change.seconds,
        change_keeps_spindle=change.keeps_spindle,
        max_rpm=job.machine.spindle.max_rpm,
        ramps={"": job.machine.spindle.ramp, **{spindle.name: spindle.ramp for spindle in job.machine.spindles}},
        coolant_seconds=job.machine.coolant_seconds,
        variables=dict(job.file.variables),
        bare_increment=job.file.bare_numbers == "increment",
        block_skip=frozenset(switches.block_skip),
        optional_stop=switches.optional_stop,
        loops=switches.loop,
        air_cut=switches.air_cut,
        diameters=diameters,
        geometry=geometry,
        noses=noses,
        radius_registers=radii,
        turning_spindle=job.machine.work_spindle is not None,
        wait_marks=job.machine.wait_marks if len(job.machine.channels) > 1 else None,
        left_out=tuple((s.program, s.first, s.last) for s in switches.left_out),
        shifts=tuple(
            (s.program, s.first, s.last, {str(axis): value for axis, value in s.by.items()}) for s in switches.shifts
        ),
        max_blocks=limits.blocks,
        max_depth=limits.depth,
        max_seconds=limits.seconds,
        turret=job.machine.turret,
        stations={t.number: t.station or t.number for t in job.tools.tools},
        bearing=frozenset(
            m.station
            for m in job.machine.mounts
            if m.takes == "work"
            and m.station
            and job.machine.turret
            and on_axis(chain, chain.mounts[m.name], job.machine.turret.axis)
        ),
        solvers=solvers,
        works=worked_at(job.machine, channel),
        codes={code: act for code, act in job.machine.codes.items() if code not in turns},
        spindles={spindle.name: spindle for spindle in job.machine.spindles},
        addressed=first.name if (first := first_spindle(job.machine, channel)) else "",
        grips={grip.name: grip for grip in job.machine.grips},
        no_tool_axes=_no_tool_axes(job, chain, axes),
        arm=own.arm,
        named_axes={job.renamed.get(axis, axis): axis for axis in axes},
    )
