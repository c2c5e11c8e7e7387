"""Another machine under a job: what fits and what does not, before anything is rehearsed."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..job import Job
from ..job.channel import channel_view
from ..job.models import Datum, Insert, MachineFile
from ..machine import Chain
from .result import Strand
from .run import check_program


@dataclass(frozen=True)
class Fit:
    what: str
    fits: bool
    said: str


def fit(job: Job, machine: MachineFile) -> list[Fit]:
    """A job beside another machine: axes, mounts, stations, travels of the datums, spindle speed, the machine's own codes."""
    here = check_program(job).strands[0]
    entry = job.file.programs[0]
    lacking_channels = sorted({p.channel for p in job.file.programs} - {c.number for c in machine.channels})
    if entry.channel not in lacking_channels:  # as the program would know it
        machine = channel_view(replace(job, machine=machine), entry).machine
    chain = Chain(machine)
    used = set()
    speed = 0.0
    tools: set[int] = set()
    motions = here.reel.motions
    if len(motions):
        moved = np.ptp(np.vstack([motions.start, motions.end]), axis=0) > 0
        used = {axis for axis, moves in zip(motions.axes, moved, strict=True) if moves and len(axis) == 1}
        speed = float(np.abs(motions.rpm).max())
        tools = {int(t) for t in np.unique(motions.tool)} - {0}
    result = _kind_of_machine(job, machine, here)
    if len(job.file.programs) > 1:
        told = (
            f"it has no channel {', '.join(map(str, lacking_channels))}"
            if lacking_channels
            else "every program has its channel"
        )
        result.append(Fit("channels", not lacking_channels, told))
    channel = next((c for c in machine.channels if c.number == entry.channel), machine.channels[0])
    missing = sorted(used - set(channel.axes))
    told = (
        f"it lacks {' and '.join(missing)}" if missing else f"all of {' '.join(sorted(used))}" if used else "none moves"
    )
    result.append(Fit("axes", not missing, told))
    mounts = {m.name for m in machine.mounts if m.takes == "work"}
    wanted = {body.mount for body in job.file.bodies}
    lacking = sorted(wanted - mounts)
    result.append(Fit("mounts", not lacking, f"no mount {', '.join(lacking)}: what is on it goes onto {sorted(mounts)[0]}"
                      if lacking else f"{', '.join(sorted(wanted)) or 'nothing is mounted'}"))  # fmt: skip
    stations = {m.station for m in machine.mounts if m.station}
    homeless = sorted(t for t in tools if stations and t not in stations)
    result.append(Fit("stations", not homeless, f"no station for T{', T'.join(map(str, homeless))}" if homeless
                      else f"{len(tools)} tools, {len(stations)} stations" if stations else "a magazine"))  # fmt: skip
    limit = machine.spindle.max_rpm
    fast = limit is not None and speed > limit
    result.append(Fit("spindle", not fast, f"the program asks for {speed:,.0f} rev/min"
                      + (f", it reaches {limit:,.0f}" if limit else "")))  # fmt: skip
    codes = sorted(set(job.machine.codes) - set(machine.codes))
    result.append(
        Fit(
            "codes",
            not codes,
            f"{', '.join(codes)} mean nothing there" if codes else "the machine's own codes are known",
        )
    )
    result += _travels(job, machine, chain)
    return result


def _kind_of_machine(job: Job, machine: MachineFile, here: Strand) -> list[Fit]:
    """Whether the work can turn where it has to, the language is one for such a machine, and what is driven is driven there."""
    turning = here.setup.dialect.turning
    motions = here.reel.motions
    inserts = sorted(
        {t.number for t in job.tools.tools if isinstance(t.cutter, Insert)} & {int(n) for n in np.unique(motions.tool)}
    )
    result = []
    dialect = job.file.programs[0].dialect
    if turning != (machine.work_spindle is not None):
        said = f"the program is in {dialect}, a language of " + ("lathes" if turning else "mills") + ": this machine has " + (
            "no work spindle" if turning else "a work spindle")  # fmt: skip
        result.append(Fit("language", False, said))
    if inserts:
        fits = machine.work_spindle is not None
        said = (
            "turns the work"
            if fits
            else f"T{', T'.join(map(str, inserts))} are turning tools, and nothing turns the work"
        )
        result.append(Fit("work spindle", fits, said))
        limit = machine.work_spindle.max_rpm if machine.work_spindle else None
        fastest = float(np.abs(motions.rpm).max(initial=0.0))
        if limit is not None and fastest > limit:
            result.append(
                Fit("work spindle", False, f"the program asks for {fastest:,.0f} rev/min, it reaches {limit:,.0f}")
            )
    if any(snapshot.live for snapshot in motions.snapshots):
        drives = any(act.does == "live" and act.turns for act in machine.codes.values())
        result.append(
            Fit(
                "driven tools",
                drives,
                "it drives them" if drives else "the program drives a tool; no code does so there",
            )
        )
    return result


def _travels(job: Job, machine: MachineFile, chain: Chain) -> list[Fit]:
    """Whether the datums lie within travel, the longest tool in the spindle."""
    found = []
    for name, offset in job.file.work_offsets.items():
        if not isinstance(offset, Datum):
            found.append(Fit(f"offset {name}", False, "typed as axis values of another machine: measure it anew"))
            continue
        work = chain.mounts.get(offset.mount) or chain.mount_of("work")
        try:
            values = chain.datum_offset(chain.mount_of("tool"), work, np.array(offset.datum), machine.channels[0].axes)
        except ValueError as error:
            found.append(Fit(f"datum {name}", False, str(error)))
            continue
        past = []
        for axis in values:
            value = sum(factor * values.get(other, 0.0) for other, factor in chain.joints[axis].factors.items())
            travel = chain.joints[axis].travel
            if travel and axis != "Z" and not travel[0] <= value <= travel[1]:
                past.append(f"{axis} {value:.1f} beyond {travel[0]:g} … {travel[1]:g}")
        found.append(Fit(f"datum {name}", not past, ", ".join(past) if past else "within travel"))
    return found


def moved_onto(data: dict, machine: MachineFile) -> dict:
    """job.json data with everything on mounts that the machine lacks put onto its first work mount."""
    mounts = [m.name for m in machine.mounts if m.takes == "work"]
    made = dict(data)
    made["bodies"] = [b if b["mount"] in mounts else {**b, "mount": mounts[0]} for b in data.get("bodies", [])]
    made["work_offsets"] = {
        name: offset if "datum" not in offset or offset["mount"] in mounts else {**offset, "mount": mounts[0]}
        for name, offset in data.get("work_offsets", {}).items()
    }
    return made
