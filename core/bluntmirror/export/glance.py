"""A machine at a glance: what kind it is, in words, how far it goes, what turns on it, and how it looks."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..job import Job
from ..job.models import Joint, MachineFile, Mount
from ..machine import Chain
from .picture import SHADES, Drawn, whole

NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")


def glance(machine: MachineFile) -> dict[str, Any]:
    """`kind` in words; `travels`: axis, least, most (null where it has no end) and unit; `turns`: what turns and how fast at most, rev/min
    or null where the file does not say; `accessories` with whether this unit has them on."""
    off = set(machine.unit.off) if machine.unit else set()
    named = sorted({link.accessory for link in machine.links if link.accessory})
    spindles = [(spindle.name, spindle.max_rpm) for spindle in machine.spindles] or [
        ("spindle", machine.spindle.max_rpm)
    ]
    return {
        "kind": kind_of(machine),
        "travels": [
            {"axis": joint.axis, "least": joint.travel[0] if joint.travel else None,
             "most": joint.travel[1] if joint.travel else None, "unit": "mm" if joint.type == "linear" else "°"}
            for joint in _axes_of(machine)
        ],
        "turns": [{"name": name, "most": most} for name, most in spindles],
        "accessories": [{"name": name, "on": name not in off} for name in named],
    }  # fmt: skip


def _axes_of(machine: MachineFile) -> list[Joint]:
    """The joints that programs move, in the order of the channels: not jaws, nor what turrets index by."""
    joints = Chain(machine).joints
    turrets = [*machine.turrets, *([machine.turret] if machine.turret else [])]
    own = {axis for grip in machine.grips if grip.jaws for axis in grip.jaws.axes} | {turret.axis for turret in turrets}
    named = [axis for channel in machine.channels for axis in channel.axes]
    return [joints[axis] for axis in dict.fromkeys(named) if axis in joints and axis not in own]


def kind_of(machine: MachineFile) -> str:
    """Such as "mill, five axes: A and C turn the work"."""
    chain = Chain(machine)
    if arm := next((channel.arm for channel in machine.channels if channel.arm), None):
        holds = "" if _moves(chain, "tool", arm.joints) else ", holding the work"
        return f"arm of six joints{' on a rail' if arm.rail else ''}{holds}"
    turning = [spindle.name for spindle in machine.spindles if spindle.turns == "work"] or (
        ["work"] if machine.work_spindle else []
    )
    if turning:
        turrets = len(machine.turrets) or int(machine.turret is not None)
        parts = [_count(len(turning), "work spindle"), *([_count(turrets, "turret")] if turrets else [])]
        if len(machine.channels) > 1:
            parts.append(_count(len(machine.channels), "channel"))
        return f"lathe, {', '.join(parts)}"
    # A name of more letters is moved by no word: a door, a quill.
    moved = [joint for joint in _axes_of(machine) if len(joint.axis) == 1]
    rotary = sorted(joint.axis for joint in moved if joint.type == "rotary")
    told = f"mill, {NUMBERS[min(len(moved), 12)]} axes"
    sides = [(side, _moves(chain, side, rotary)) for side in ("tool", "work")]
    turned = [
        f"{' and '.join(axes)} {'turns' if len(axes) == 1 else 'turn'} the {side}" for side, axes in sides if axes
    ]
    return f"{told}: {', '.join(turned)}" if turned else told


def _moves(chain: Chain, takes: str, axes: list[str]) -> list[str]:
    """Which of some axes carry what hangs on mounts of this kind."""
    mounts: list[Mount] = [mount for mount in chain.mounts.values() if mount.takes == takes]
    carrying = {link.joint.axis for mount in mounts for link in chain.path_to(mount.link) if link.joint}
    return [axis for axis in axes if axis in carrying]


def _count(many: int, what: str) -> str:
    return f"{NUMBERS[min(many, 12)]} {what}{'s' * (many != 1)}"


def machine_picture(job: Job, width: int = 200, height: int = 150) -> bytes | None:
    """The machine with nothing on it, where it stands at its first reference point, as PNG; None where it has no shapes."""
    chain = Chain(job.machine)
    home = job.machine.reference.get("1", {})
    values = np.array([[home.get(axis, 0.0) for axis in chain.axes]])
    for column, joint in enumerate(chain.joints.values()):
        if joint.travel:
            values[:, column] = np.clip(values[:, column], *joint.travel)
    shade = np.array(SHADES["machine"], float)
    bodies = [
        Drawn(mesh.moved(chain.pose(name, values)[0]), shade) for name in chain.links for mesh in job.link_meshes[name]
    ]
    return whole(bodies, width, height)
