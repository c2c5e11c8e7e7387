"""Machines of several channels, made for tests: two spindles that face each other, two turrets on slides of their own."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from bluntmirror.job import Job, open_job

from .machines import Json, box, linear, link, rotary


def twin() -> Json:
    """The main spindle points along +x at x = 0, the sub spindle along −x on a slide; above stands turret `upper` (channel 1),
    below turret `lower` (channel 2), each with X away from the axis and Z along it; X1 moves along +z, X2 along −z."""
    chuck = {"type": "cylinder", "diameter": 120, "length": 50, "at": [-25, 0, 0], "turn": [0, 90, 0]}
    links = [
        link("bed"),
        link("main", "bed", rotary("C1", [-1, 0, 0], [0, 0, 0], rapid=36000), chuck),
        link("sub slide", "bed", linear("W", [1, 0, 0], travel=[-500, 0])),
        link("sub", "sub slide", rotary("C2", [1, 0, 0], [600, 0, 0], rapid=36000), chuck | {"at": [25, 0, 0]}),
        link("carriage 1", "bed", linear("Z1", [1, 0, 0], travel=[-500, 500])),
        link("slide 1", "carriage 1", linear("X1", [0, 0, 1], travel=[-200, 20])),
        link("turret 1", "slide 1", rotary("TU", [-1, 0, 0], [400, 0, 300]), box(40, 80, 80)),
        link("carriage 2", "bed", linear("Z2", [1, 0, 0], travel=[-500, 500])),
        link("slide 2", "carriage 2", linear("X2", [0, 0, -1], travel=[-200, 20])),
        link("turret 2", "slide 2", rotary("TL", [1, 0, 0], [400, 0, -300]), box(40, 80, 80)),
    ]  # fmt: skip
    mounts = [
        {"name": "main", "link": "main", "turn": [0, 90, 0], "takes": "work"},
        {"name": "sub", "link": "sub", "turn": [0, -90, 0], "takes": "work"},
    ]
    for turret, side in (("1", 1), ("2", -1)):
        # A station's tool points away from the turret's middle; station 1 towards the work.
        for i, (at, turn) in enumerate(
            (([0, 0, -60 * side], 0 if side > 0 else 180), ([0, 0, 60 * side], 180 if side > 0 else 0))
        ):
            mounts.append({"name": f"t{turret}s{i + 1}", "link": f"turret {turret}", "at": at, "turn": [turn, 0, 0], "takes": "tool",
                           "station": i + 1})  # fmt: skip
    return {
        "format": "blunt-mirror/machine@1", "name": "twin", "links": links, "mounts": mounts,
        "channels": [
            {"number": 1, "axes": ["X1", "Z1", "C1", "TU"], "words": {"X": "X1", "Z": "Z1", "C": "C1"}, "diameters": ["X1"]},
            {"number": 2, "axes": ["X2", "Z2", "W", "C2", "TL"], "words": {"X": "X2", "Z": "Z2", "C": "C2"}, "diameters": ["X2"]},
        ],
        "spindles": [
            {"name": "main", "turns": "work", "mount": "main", "axis": "C1", "max_rpm": 4000, "channel": 1},
            {"name": "sub", "turns": "work", "mount": "sub", "axis": "C2", "max_rpm": 5000, "channel": 2},
        ],
        "turrets": [
            {"name": "upper", "axis": "TU", "stations": 2, "seconds": 0.4, "channel": 1},
            {"name": "lower", "axis": "TL", "stations": 2, "seconds": 0.3, "channel": 2},
        ],
        "codes": {
            "M203": {"does": "spindle", "spindle": "sub", "turns": 1}, "M205": {"does": "spindle", "spindle": "sub", "turns": 0},
            "M80": {"does": "address", "spindle": "main"}, "M81": {"does": "address", "spindle": "sub"},
            "M35": {"does": "sync", "spindles": ["sub", "main"]}, "M36": {"does": "unsync"},
        },
        "reference": {"1": dict.fromkeys(("X1", "Z1", "X2", "Z2", "W", "C1", "C2", "TU", "TL"), 0.0)}, "rapid": "straight",
        "ignore": [["bed", "main"]],
    }  # fmt: skip


def swivelling() -> Json:
    """The same two spindles under a milling head that swivels about its pivot (B1, about −y: the program's Y); X1 moves along +z, Y1
    along −y, Z1 along +x. At B0 the tool points down, at B−90 to the main spindle, at B90 to the sub. Channel 1 has both C axes,
    channel 2 the sub spindle's slide."""
    machine = twin()
    kept = ("bed", "main", "sub slide", "sub")
    machine["links"] = [each for each in machine["links"] if each["name"] in kept] + [
        link("carriage", "bed", linear("Z1", [1, 0, 0], travel=[-900, 900])),
        link("column", "carriage", linear("Y1", [0, -1, 0], travel=[-300, 300])),
        link("ram", "column", linear("X1", [0, 0, 1], travel=[-700, 700])),
        link("head", "ram", rotary("B1", [0, -1, 0], [300, 0, 500], travel=[-120, 120])),
    ]
    machine["mounts"] = [*machine["mounts"][:2], {"name": "head", "link": "head", "at": [0, 0, -100], "takes": "tool"}]
    machine["channels"] = [
        {"number": 1, "axes": ["X1", "Y1", "Z1", "B1", "C1", "C2"], "words": {"X": "X1", "Y": "Y1", "Z": "Z1", "B": "B1", "C": "C1"}},
        {"number": 2, "axes": ["W"]},
    ]  # fmt: skip
    machine["spindles"] = [
        {"name": "head", "turns": "tool", "mount": "head", "max_rpm": 12000, "channel": 1},
        *({**spindle, "channel": 1} for spindle in machine["spindles"]),
    ]
    machine["codes"] = {"M79": {"does": "address", "spindle": "head"}, **machine["codes"]}
    del machine["turrets"]
    machine["reference"] = {"1": dict.fromkeys(("X1", "Y1", "Z1", "B1", "C1", "C2", "W"), 0.0)}
    return machine


def insert(number: int, **more: Any) -> Json:
    return {
        "number": number, "length": 50, "cutter": {"type": "insert", "shape": "D", "inscribed_circle": 9.525, "nose_radius": 0.4},
        "holder": {"shapes": [{"type": "box", "size": [20, 20, 36], "at": [0, -10, -16]}]},
    } | more  # fmt: skip


TOOLS = [insert(1), insert(2), insert(1, turret="lower", station=1), insert(2, turret="lower", station=2)]
BAR = {"name": "bar", "role": "stock", "mount": "main", "shape": {"type": "cylinder", "diameter": 60, "length": 150}, "at": [0, 0, 75]}  # fmt: skip


def channels_job(folder: Path, machine: Json, programs: dict[int, str], **changes: Any) -> Job:
    """A job with one program a channel, of turning dialect (or of `dialects`); keyword arguments replace parts of job.json, `tools`
    the tools."""
    dialects = dict.fromkeys(programs, "iso-turn") | changes.pop("dialects", {})
    tools = changes.pop("tools", TOOLS)
    offsets = {"G54": {"datum": [0, 0, 150], "mount": "main"}}
    job = {
        "format": "blunt-mirror/job@1", "name": "channels", "machine": "machine.json", "tools": "tools.json",
        "programs": [{"channel": n, "main": f"P{n}.nc", "dialect": dialects[n]} for n in programs], "bodies": [BAR],
        "work_offsets": offsets, "checks": {"resolution": 1.0, "near": 0.5},
    } | changes  # fmt: skip
    for number, text in programs.items():
        (folder / f"P{number}.nc").write_text(text)
    for name, content in (
        ("job.json", job),
        ("machine.json", machine),
        ("tools.json", {"format": "blunt-mirror/tools@1", "tools": tools}),
    ):
        (folder / name).write_text(json.dumps(content))
    return open_job(folder)


GRIPS = [
    {
        "name": "main chuck",
        "mount": "main",
        "reach": [0, 25],
        "holds": [10, 80],
        "least": 8,
        "seconds": 1.0,
        "starts": "closed",
    },
    {
        "name": "sub chuck",
        "mount": "sub",
        "reach": [0, 20],
        "holds": [10, 80],
        "least": 5,
        "seconds": 0.8,
        "starts": "open",
    },
]
GRIP_CODES = {
    "M10": {"does": "close", "grip": "main chuck"}, "M11": {"does": "open", "grip": "main chuck"},
    "M210": {"does": "close", "grip": "sub chuck"}, "M211": {"does": "open", "grip": "sub chuck"},
    "M212": {"does": "close", "grip": "sub chuck", "waits": False},
}  # fmt: skip


def gripping(**changes: Any) -> Json:
    """The same machine with a chuck on either spindle."""
    machine = twin()
    machine["grips"] = [grip | changes.get(grip["name"], {}) for grip in GRIPS] + changes.get("more", [])
    machine["codes"] |= GRIP_CODES
    return machine
