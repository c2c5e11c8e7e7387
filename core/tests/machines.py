"""Machines with rotary axes, made for tests, and each one's kinematics written out by hand."""

from __future__ import annotations

import copy
import json
from pathlib import Path
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from bluntmirror.job import Job, open_job

Json = dict[str, Any]


def linear(axis: str, direction: list[float], **more: Any) -> Json:
    return {
        "axis": axis,
        "type": "linear",
        "direction": direction,
        "travel": [-800, 800],
        "rapid": 30000,
        "accel": 5000,
    } | more


def rotary(axis: str, direction: list[float], at: list[float], **more: Any) -> Json:
    return {"axis": axis, "type": "rotary", "direction": direction, "at": at, "rapid": 7200, "accel": 3000} | more


def link(name: str, parent: str | None = None, joint: Json | None = None, *shapes: Json) -> Json:
    return {"name": name, "parent": parent, "joint": joint, "shapes": list(shapes)}


def box(*size: float, at: tuple[float, ...] = (0, 0, 0)) -> Json:
    return {"type": "box", "size": size, "at": at}


def machine(name: str, axes: str, links: list[Json], spindle: Json, table: Json, **more: Any) -> Json:
    return {
        "format": "blunt-mirror/machine@1", "name": name, "links": links,
        "mounts": [{"name": "spindle", "takes": "tool", **spindle}, {"name": "table", "takes": "work", **table}],
        "channels": [{"number": 1, "axes": list(axes)}],
        "reference": {"1": dict.fromkeys(axes, 0.0)}, "rapid": "straight", **more,
    }  # fmt: skip


def trunnion() -> Json:
    """The tool moves along X Y Z; the work sits on C, which sits on A; the two do not meet."""
    return machine("trunnion", "XYZAC", [
        link("bed"),
        link("gantry", "bed", linear("X", [1, 0, 0])), link("carriage", "gantry", linear("Y", [0, 1, 0])),
        link("head", "carriage", linear("Z", [0, 0, 1]), box(90, 90, 200, at=(0, 0, 660))),
        link("cradle", "bed", rotary("A", [-1, 0, 0], [10, 20, 100], travel=[-120, 120]), box(300, 60, 40, at=(0, 0, -110))),
        link("plate", "cradle", rotary("C", [0, 0, -1], [5, 3, -40]), {"type": "cylinder", "diameter": 160, "length": 30, "at": [0, 0, -15]}),
    ], {"link": "head", "at": [0, 0, 550]}, {"link": "plate"})  # fmt: skip


def router() -> Json:
    """Both rotary axes in the head: A carries the spindle and sits on C, beside C's axis."""
    return machine("router", "XYZCA", [
        link("bed", None, None, box(900, 900, 50, at=(0, 0, -25))),
        link("gantry", "bed", linear("X", [1, 0, 0])), link("carriage", "gantry", linear("Y", [0, 1, 0])),
        link("ram", "carriage", linear("Z", [0, 0, 1])),
        link("fork", "ram", rotary("C", [0, 0, 1], [0, 0, 700], travel=[-400, 400])),
        link("spindle", "fork", rotary("A", [1, 0, 0], [0, 12, -60], travel=[-115, 115]), box(80, 80, 120, at=(0, 0, -40))),
    ], {"link": "spindle", "at": [0, 0, -110]}, {"link": "bed"})  # fmt: skip


def head_and_table() -> Json:
    return machine("head and table", "XYZBC", [
        link("bed"),
        link("gantry", "bed", linear("X", [1, 0, 0])), link("ram", "gantry", linear("Z", [0, 0, 1])),
        link("tilting head", "ram", rotary("B", [0, 1, 0], [0, 0, 620], travel=[-100, 100]), box(100, 90, 160, at=(0, 0, 20))),
        link("saddle", "bed", linear("Y", [0, -1, 0])),
        link("plate", "saddle", rotary("C", [0, 0, -1], [0, 40, 0]), {"type": "cylinder", "diameter": 300, "length": 30, "at": [0, 0, -15]}),
    ], {"link": "tilting head", "at": [8, 0, -130]}, {"link": "plate"})  # fmt: skip


def horizontal() -> Json:
    """The spindle lies along Z; the table turns about Y, which stands upright."""
    return machine("horizontal", "XYZB", [
        link("bed"),
        link("column", "bed", linear("X", [1, 0, 0])), link("head", "column", linear("Y", [0, 1, 0]), box(120, 120, 200, at=(0, 0, 800))),
        link("slide", "bed", linear("Z", [0, 0, -1])),
        link("pallet", "slide", rotary("B", [0, -1, 0], [0, -200, -30]), box(160, 20, 160, at=(0, -10, 0))),
    ], {"link": "head", "at": [0, 0, 650]}, {"link": "pallet"})  # fmt: skip


def swivel() -> Json:
    """A rotary axis at 45° that carries a plate on the work side: axes that are neither square nor parallel to X Y Z."""
    return machine("swivel", "XYZBC", [
        link("bed"),
        link("gantry", "bed", linear("X", [1, 0, 0])), link("carriage", "gantry", linear("Y", [0, 1, 0])),
        link("head", "carriage", linear("Z", [0, 0, 1]), box(90, 90, 200, at=(0, 0, 660))),
        link("swivel", "bed", rotary("B", [0, -1, -1], [0, 30, 60], travel=[-200, 200])),
        link("plate", "swivel", rotary("C", [0, 0, -1], [0, -12, 9])),
    ], {"link": "head", "at": [0, 0, 550]}, {"link": "plate"})  # fmt: skip


def quill_in_a_tilting_head() -> Json:
    """A quill slides in a head that tilts, and carries an axis that turns: linear joints beyond rotary ones."""
    return machine("quill", "XYZBWC", [
        link("bed"),
        link("gantry", "bed", linear("X", [1, 0, 0])), link("carriage", "gantry", linear("Y", [0, 1, 0])),
        link("ram", "carriage", linear("Z", [0, 0, 1])),
        link("head", "ram", rotary("B", [0, 1, 0], [0, 0, 500], travel=[-110, 110])),
        link("quill", "head", linear("W", [0.2, 0, -1], moved_by={"W": 1.0, "X": 0.1})),
        link("nose", "quill", rotary("C", [0, 0, 1], [30, 10, -60], travel=None)),
    ], {"link": "nose", "at": [0, 0, -60]}, {"link": "bed"})  # fmt: skip


MACHINES = {m["name"]: m for m in (trunnion(), router(), head_and_table(), horizontal(), swivel())}


def tool_by_hand(name: str, q: dict[str, float]) -> tuple[np.ndarray, np.ndarray]:
    """Gauge point and tool axis seen from the work mount, from the drawings above; SciPy's rotations."""

    def turn(axis: list[float], degrees: float) -> Rotation:
        return Rotation.from_rotvec(np.radians(degrees) * np.array(axis) / np.linalg.norm(axis))

    x, y, z = q["X"], q["Y"], q["Z"]
    if name in ("trunnion", "swivel"):
        first, second = (("A", [-1, 0, 0]), [10, 20, 100]), (("C", [0, 0, -1]), [5, 3, -40])
        if name == "swivel":
            first, second = (("B", [0, -1, -1]), [0, 30, 60]), (("C", [0, 0, -1]), [0, -12, 9])
        outer, inner = (turn(axis, q[letter]) for (letter, axis), _ in (first, second))
        gauge = inner.inv().apply(outer.inv().apply(np.array([x, y, z + 550]) - first[1]) - second[1])
        return gauge, (outer * inner).inv().apply([0, 0, 1])
    if name == "router":
        c, a = turn([0, 0, 1], q["C"]), turn([1, 0, 0], q["A"])
        gauge = np.array([x, y, z + 700]) + c.apply(np.array([0, 12, -60]) + a.apply([0, 0, -110]))
        return gauge, (c * a).apply([0, 0, 1])
    if name == "head and table":
        b, c = turn([0, 1, 0], q["B"]), turn([0, 0, -1], q["C"])
        gauge = np.array([x, 0, z + 620]) + b.apply([8, 0, -130])
        return c.inv().apply(gauge - [0, 40 - y, 0]), c.inv().apply(b.apply([0, 0, 1]))
    b = turn([0, -1, 0], q["B"])
    return b.inv().apply(np.array([x, y, 650]) - [0, -200, -30 - z]), b.inv().apply([0, 0, 1])


TOOLS = [
    {"number": 1, "name": "D10 end mill", "length": 120, "holder": {"segments": [{"diameter": 40, "length": 60}]},
     "cutter": {"type": "end-mill", "diameter": 10, "flute_length": 25, "reach": 60, "shank_diameter": 10}},
    {"number": 2, "name": "D8 ball mill", "length": 110, "holder": {"segments": [{"diameter": 32, "length": 50}]},
     "cutter": {"type": "ball-mill", "diameter": 8, "flute_length": 20, "reach": 60, "shank_diameter": 8}},
    {"number": 3, "name": "D12 R2 bull-nose", "length": 130, "holder": {"segments": [{"diameter": 40, "length": 60}]},
     "cutter": {"type": "end-mill", "diameter": 12, "corner_radius": 2, "flute_length": 26, "reach": 70, "shank_diameter": 12}},
]  # fmt: skip


def job_on(folder: Path, on: str | Json, program: str, **changes: Any) -> Job:
    """A job for one of the machines; keyword arguments replace parts of job.json, `tools` the tool list."""
    tools = changes.pop("tools", TOOLS)
    job = {
        "format": "blunt-mirror/job@1", "name": "five", "machine": "machine.json", "tools": "tools.json",
        "programs": [{"main": "O1.nc"}], "work_offsets": {"G54": {"datum": [0, 0, 0], "mount": "table"}},
    } | changes  # fmt: skip
    data = MACHINES[on] if isinstance(on, str) else on
    for name, content in (
        ("job.json", job), ("machine.json", copy.deepcopy(data)),
        ("tools.json", {"format": "blunt-mirror/tools@1", "tools": tools}),
    ):  # fmt: skip
        (folder / name).write_text(json.dumps(content))
    (folder / "O1.nc").write_text(program)
    return open_job(folder)
