"""Machine, tool and job files told in inches: by the names of their keys, knowing nothing of the models."""

from __future__ import annotations

from typing import Any

from .machines import Json

LENGTHS = {
    *("at", "size", "diameter", "length", "outer", "inner", "profile", "outline", "height"),
    *("reach", "holds", "least", "box", "drawn", "most"),
    *(
        "shank_diameter",
        "flute_length",
        "corner_radius",
        "tip_diameter",
        "to_diameter",
        "inscribed_circle",
        "nose_radius",
        "core_diameter",
        "pilot_diameter",
        "pilot_length",
        "steps",
    ),
    *("width", "pitch", "offset", "registers", "feed_per_tooth", "datum"),
    *("resolution", "gouge", "excess", "near", "near_stock"),
}


def files_in_inches(machine: Json, tools: Json, job: Json) -> None:
    """The three, in place."""
    joints = [link["joint"] for link in machine["links"] if link.get("joint")]
    linear = {joint["axis"] for joint in joints if joint["type"] == "linear"}
    for file in (machine, tools, job):
        _walk(file)
        file["units"] = "inch"
    for joint in joints:
        if joint["type"] == "linear":
            joint.update({key: _inch(joint[key]) for key in ("travel", "rapid", "accel") if key in joint})
    change = machine.get("tool_change", {})
    for values in [*machine.get("reference", {}).values(), change.get("at", {})]:
        values.update({axis: v / 25.4 for axis, v in values.items() if axis in linear})
    for act in machine.get("codes", {}).values():
        if act.get("axis") in linear and act.get("to") is not None:
            act["to"] = _inch(act["to"])
    for posture in job.get("postures", []):
        posture["rail"] = _inch(posture.get("rail", {}))
    for entry in [job, *job["programs"], machine.get("unit") or {}]:
        for values in (entry.get("work_offsets") or {}).values():
            if "datum" not in values:
                values.update({axis: v / 25.4 for axis, v in values.items() if axis[0] not in "ABC"})


def _inch(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _inch(v) for key, v in value.items()}
    return [_inch(v) for v in value] if isinstance(value, list) else value if value is None else value / 25.4


def _walk(item: Any) -> None:
    """Every value under a key that names a length, but where it is the place of axes."""
    for key, value in item.items() if isinstance(item, dict) else enumerate(item):
        if key in LENGTHS and not (key == "at" and isinstance(value, dict)):
            item[key] = _inch(value)
        elif isinstance(value, dict | list):
            _walk(value)
