"""What a unit's control is set to: read from its machine, and set otherwise as a new number of it. In the machine's own units."""

from typing import Any

from django.contrib.auth.models import AbstractBaseUser

from bluntmirror.job.models import MachineFile, Pace

from .models import LibraryFile
from .services import Refused
from .setups import renumbered

Json = dict[str, Any]


def told(item: LibraryFile) -> Json:
    """The axes, and what the control is set to."""
    machine = MachineFile.model_validate(item.data)
    joints = [link.joint for link in machine.links if link.joint]
    pace, unit, change = machine.pace or Pace(), machine.unit, machine.tool_change
    return {
        "units": machine.units,
        "axes": [joint.axis for joint in joints if joint.axis],
        "rotary": [joint.axis for joint in joints if joint.axis and joint.type == "rotary"],
        "control": {
            "rapid": machine.rapid, "corner_seconds": pace.corner_seconds, "block_seconds": pace.block_seconds,
            "change_seconds": change.seconds, "change_moves": change.moves, "keeps_spindle": change.keeps_spindle, "change_at": change.at,
            "reference": machine.reference, "coolant_seconds": machine.coolant_seconds, "wait_marks": machine.wait_marks,
            "gains": {own.name: own.ramp for own in machine.spindles} if machine.spindles else {"": machine.spindle.ramp},
            "since": unit.since if unit else "", "work_offsets": unit.work_offsets if unit else {},
        },
    }  # fmt: skip


def changed(item: LibraryFile, control: Json, user: AbstractBaseUser) -> LibraryFile:
    """The machine with its control set like this. What it says nothing of stays as it is. Raises Refused, with the place."""
    now = told(item)
    unknown = {
        axis
        for values in (control["change_at"], *control["reference"].values(), *control["work_offsets"].values())
        for axis in values
    }
    if strange := sorted(unknown - set(now["axes"])):
        raise Refused(f"{item.name} has no axis '{strange[0]}'")
    if control["gains"].keys() != now["control"]["gains"].keys():
        raise Refused(f"{item.name} has other spindles than these")
    data, was = item.data, now["control"]

    def differ(*names: str) -> bool:
        return any(control[name] != was[name] for name in names)

    changes: Json = {
        name: control[name] for name in ("rapid", "reference", "coolant_seconds", "wait_marks") if differ(name)
    }
    if differ("corner_seconds", "block_seconds"):
        own = {name: control[name] for name in ("corner_seconds", "block_seconds")}
        changes["pace"] = {**(data.get("pace") or {}), **own}
    if differ("change_seconds", "change_moves", "keeps_spindle", "change_at"):
        changes["tool_change"] = {
            **data.get("tool_change", {}), "at": control["change_at"], "seconds": control["change_seconds"],
            "moves": control["change_moves"], "keeps_spindle": control["keeps_spindle"],
        }  # fmt: skip
    if differ("gains"):
        changes |= _gaining(data, control["gains"])
    if differ("since", "work_offsets"):
        own = {"since": control["since"], "work_offsets": control["work_offsets"]}
        changes["unit"] = {"label": item.name, **(data.get("unit") or {}), **own}
    return renumbered(item, changes, user) if changes else item


def _gaining(data: Json, gains: dict[str, float | None]) -> Json:
    if not data.get("spindles"):
        return {"spindle": _with_ramp(data.get("spindle", {}), gains[""])}
    return {"spindles": [_with_ramp(own, gains[own["name"]]) for own in data["spindles"]]}


def _with_ramp(spindle: Json, ramp: float | None) -> Json:
    rest = {key: value for key, value in spindle.items() if key != "ramp"}
    return rest if ramp is None else {**rest, "ramp": ramp}
