"""The pieces that the shop's machines are drawn of, and the frame of a machine file."""

from __future__ import annotations

from typing import Any

Json = dict[str, Any]


def box(size: list[float], at: list[float], turn: list[float] | None = None) -> Json:
    return {"type": "box", "size": size, "at": at} | ({"turn": turn} if turn else {})


def rod(diameter: float, length: float, at: list[float], turn: list[float] | None = None) -> Json:
    return {"type": "cylinder", "diameter": diameter, "length": length, "at": at} | ({"turn": turn} if turn else {})


def nose(at: list[float], turn: list[float] | None = None, scale: float = 1.0) -> Json:
    """A spindle nose whose face is its origin, looking down."""
    profile = [[0, 0], [42, 0], [44, 3], [44, 26], [62, 60], [62, 150], [0, 150]]
    scaled = [[r * scale, z * scale] for r, z in profile]
    return {"type": "revolve", "profile": scaled, "at": at} | ({"turn": turn} if turn else {})


def linear(axis: str, direction: list[float], travel: list[float], rapid: float, accel: float) -> Json:
    return {"axis": axis, "type": "linear", "direction": direction, "travel": travel, "rapid": rapid, "accel": accel}


def rotary(
    axis: str, direction: list[float], at: list[float], travel: list[float] | None, rapid: float, accel: float = 3600
) -> Json:
    return {
        "axis": axis, "type": "rotary", "direction": direction, "at": at, "travel": travel, "rapid": rapid, "accel": accel,
    }  # fmt: skip


def link(name: str, parent: str | None, joint: Json | None, *shapes: Json) -> Json:
    entry: Json = {"name": name}
    if parent:
        entry["parent"] = parent
    if joint:
        entry["joint"] = joint
    return entry | {"shapes": list(shapes)}


def machine(name: str, links: list[Json], mounts: list[Json], axes: str, change: Json, **more: Any) -> Json:
    rpm, seconds = more.pop("rpm"), more.pop("seconds")
    return {
        "format": "blunt-mirror/machine@1", "name": name, "links": links, "mounts": mounts,
        "channels": [{"number": 1, "axes": list(axes)}], "reference": {"1": dict.fromkeys(axes, 0) | more.pop("home", {})},
        "tool_change": {"at": change, "seconds": seconds}, "spindle": {"max_rpm": rpm}, "rapid": "dogleg", **more,
    }  # fmt: skip


def table_slots(length: float, depth: float, count: int, thick: float = 60) -> list[Json]:
    """A table's top at z = 0, its slots open to the top."""
    pitch = depth / count
    top = [box([length, pitch - 14, 22], [0, (i - (count - 1) / 2) * pitch, -11]) for i in range(count)]
    return [box([length, depth, thick - 22], [0, 0, -22 - (thick - 22) / 2]), *top]


def station_turn(degrees: float) -> list[float]:
    """The frame of a station whose tools point away from the disc's axis at this angle about x: −z points outwards, x along
    the spindle."""
    # −z along (0, cos a, sin a): z = (0, −cos a, −sin a); x stays (1, 0, 0).  Turned about x by t: z = (0, −sin t, cos t).
    return [degrees + 90.0 if degrees + 90.0 <= 360.0 else degrees - 270.0, 0, 0]
