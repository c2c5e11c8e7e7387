"""A channel of a machine seen by itself, as its program knows it: a job of one channel, in the channel's own words.

word   what a program writes (X)
axis   what a joint has (X2): traces, travels and verdicts name it

The joints keep their order, so that rows of axis values are the same in the view as in the machine; only names differ. What is
not the channel's own (other turrets, their tools and stations, spindles that it does not begin with) is not in the view.
"""

from __future__ import annotations

from dataclasses import replace

from .loading import Job
from .models import (
    ArmJoints,
    Channel,
    Joint,
    Link,
    MachineFile,
    Mount,
    NamedSpindle,
    ProgramFile,
    Spindle,
    ToolEntry,
    Turret,
    WorkSpindle,
)

TURRET_STEP = 100_000_000  # tool numbers have eight digits at most; a tool of the second turret of the list is 2·this + its number


def tool_key(machine: MachineFile, entry: ToolEntry) -> int:
    """What tells a tool from those of the same number on other turrets; its number, where it is on none of several."""
    names = [turret.name for turret in machine.turrets]
    return entry.number + (TURRET_STEP * (names.index(entry.turret) + 1) if entry.turret else 0)


def tool_number(key: int) -> int:
    return key % TURRET_STEP


def first_spindle(machine: MachineFile, channel: int) -> NamedSpindle | None:
    """The spindle that a channel addresses at its start: its first in the list, else the machine's first that turns work."""
    own = [s for s in machine.spindles if s.channel == channel]
    return next(iter(own), None) or next((s for s in machine.spindles if s.turns == "work"), None)


def work_spindle(machine: MachineFile, channel: int) -> NamedSpindle | None:
    """The work spindle that a channel works at first: its own first, else the machine's first."""
    own = [s for s in machine.spindles if s.turns == "work" and s.channel == channel]
    return next(iter(own), None) or next((s for s in machine.spindles if s.turns == "work"), None)


def channel_view(job: Job, entry: ProgramFile) -> Job:
    """The job as the program of one channel knows it; the same object where machine and job have nothing but one channel."""
    machine = job.machine
    if len(machine.channels) == 1 and not (machine.spindles or machine.turrets or machine.channels[0].words):
        return job if entry.work_offsets is None else _with(job, entry, machine)
    channel = next(c for c in machine.channels if c.number == entry.channel)
    names = axis_names(machine, entry)
    turret = next((t for t in machine.turrets if t.channel == entry.channel), None)
    own = [m for m in machine.mounts if m.takes == "tool" and _reached(machine, m, channel.axes)]
    works, addressed = work_spindle(machine, entry.channel), first_spindle(machine, entry.channel)
    change = machine.tool_change
    view = machine.model_copy(
        update={
            "links": [_renamed(link, names) for link in machine.links],
            "mounts": [m for m in machine.mounts if m.takes != "tool" or m in own] if own else machine.mounts,
            "channels": [
                c.model_copy(update={"axes": [names[a] for a in c.axes], "diameters": [names[a] for a in c.diameters], "words": {},
                                     "arm": _renamed_arm(c, names)})
                for c in machine.channels
            ],
            "reference": {n: {names[a]: v for a, v in at.items()} for n, at in machine.reference.items()},
            "tool_change": change.model_copy(update={"at": {names[a]: v for a, v in change.at.items()}}),
            "codes": {c: act.model_copy(update={"axis": names[act.axis]}) if act.axis else act for c, act in machine.codes.items()},
            "turret": Turret(axis=names[turret.axis], stations=turret.stations, seconds=turret.seconds) if turret else machine.turret,
            "work_spindle": WorkSpindle(mount=works.mount, max_rpm=works.max_rpm, axis=works.axis and names[works.axis])
            if works
            else machine.work_spindle,
            "turrets": [t.model_copy(update={"axis": names[t.axis]}) for t in machine.turrets],
            "spindles": [s.model_copy(update={"axis": names[s.axis]}) if s.axis else s for s in machine.spindles],
            "spindle": Spindle(max_rpm=addressed.max_rpm) if addressed else machine.spindle,
        }
    )  # fmt: skip
    made = _with(job, entry, view)
    made.renamed = {name: axis for axis, name in names.items()}
    return made


def _with(job: Job, entry: ProgramFile, machine: MachineFile) -> Job:
    file = job.file.model_copy(
        update={"programs": [entry], **({} if entry.work_offsets is None else {"work_offsets": entry.work_offsets})}
    )
    tools = job.tools.model_copy(update={"tools": tools_of(job, entry.channel)})
    view = replace(job, file=file, machine=machine, tools=tools)
    for made in ("body_meshes", "link_meshes"):  # worked out once, for all views
        view.__dict__[made] = getattr(job, made)
    return view


def tools_of(job: Job, channel: int) -> list[ToolEntry]:
    """The tools that a channel can call: those of its turrets; those of none belong to the machine's first channel, and to
    channels that have no turret."""
    own = {turret.name for turret in job.machine.turrets if turret.channel == channel}
    loose = channel == job.machine.channels[0].number or not own
    return [tool for tool in job.tools.tools if (tool.turret in own if tool.turret else loose)]


def axis_names(machine: MachineFile, entry: ProgramFile) -> dict[str, str]:
    """Axis → its name in the channel's view: its word; what would be taken for one of those gets a mark, and so does what only
    `U=10.` can mean where U alone is an increment of X."""
    channel = next(c for c in machine.channels if c.number == entry.channel)
    increments = entry.dialect not in ("iso-mill", "iso-turn-b", "rs274") and bool(channel.words)
    own = {
        axis: f"{axis}=" if increments and axis in "UVWH" and axis not in channel.words else word
        for axis, word in channel.word_of.items()
    }
    taken = set(own.values())
    axes = [link.joint.axis for link in machine.links if link.joint]
    return {axis: own.get(axis) or (f"~{axis}" if axis in taken else axis) for axis in axes}


def _renamed(link: Link, names: dict[str, str]) -> Link:
    joint: Joint | None = link.joint
    if joint is None:
        return link
    moved = {names[axis]: factor for axis, factor in joint.moved_by.items()}
    return link.model_copy(update={"joint": joint.model_copy(update={"axis": names[joint.axis], "moved_by": moved})})


def _renamed_arm(channel: Channel, names: dict[str, str]) -> ArmJoints | None:
    arm = channel.arm
    return arm and arm.model_copy(
        update={"joints": [names[a] for a in arm.joints], "rail": [names[a] for a in arm.rail]}
    )


def _reached(machine: MachineFile, mount: Mount, axes: list[str]) -> bool:
    """Whether a tool mount is a channel's: the joint nearest to it that any channel moves is one of the channel's."""
    links = {link.name: link for link in machine.links}
    commanded = {axis for channel in machine.channels for axis in channel.axes}
    link: Link | None = links[mount.link]
    while link is not None:
        if link.joint and link.joint.axis in commanded:
            return link.joint.axis in axes
        link = links[link.parent] if link.parent else None
    return True
