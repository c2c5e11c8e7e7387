"""Arms made for tests, and small jobs on them."""

from __future__ import annotations

import copy
import json
from pathlib import Path
from typing import Any

from bluntmirror.job import Job, open_job
from demo.links import rotary

JOINTS = ["J1", "J2", "J3", "J4", "J5", "J6"]
#            axis  direction  at               travel       rapid  accel
SPHERICAL = [("J1", [0, 0, 1], [0, 0, 0], [-180, 180], 7200, 400), ("J2", [0, 1, 0], [150, 0, 450], [-100, 140], 6600, 350),
             ("J3", [0, 1, 0], [0, 0, 700], [-150, 75], 7200, 400), ("J4", [1, 0, 0], [250, 0, 40], [-200, 200], 12000, 700),
             ("J5", [0, 1, 0], [400, 0, 0], [-125, 125], 12000, 800), ("J6", [1, 0, 0], [0, 0, 0], [-350, 350], 18000, 1200)]  # fmt: skip
OFFSET_WRIST = [*SPHERICAL[:4], ("J5", [0, 1, 0], [400, 0, 30], [-125, 125], 12000, 800), SPHERICAL[5]]
PARALLEL = [("J1", [0, 0, 1], [0, 0, 90], [-180, 180], 7200, 400), ("J2", [0, 1, 0], [0, 130, 0], [-180, 180], 7200, 400),
            ("J3", [0, 1, 0], [0, -110, 425], [-160, 160], 7200, 400), ("J4", [0, 1, 0], [0, 0, 390], [-180, 180], 7200, 400),
            ("J5", [0, 0, 1], [0, 95, 0], [-180, 180], 7200, 400), ("J6", [0, 1, 0], [0, 0, 95], [-350, 350], 7200, 400)]  # fmt: skip
# Not at right angles, and the forearm beside the upper arm: still a wrist whose axes meet, still a second axis along the third.
LEANING = [("J1", [0, 0.3, 1], [0, 0, 0], [-180, 180], 7200, 400), ("J2", [0, 1, 0.2], [150, 80, 450], [-170, 170], 7200, 400),
           ("J3", [0, -1, -0.2], [0, 40, 700], [-170, 170], 7200, 400), ("J4", [1, 0, 0.1], [250, -60, 40], [-180, 180], 7200, 400),
           ("J5", [0.2, 1, 0], [400, 0, 40], [-180, 180], 7200, 400), ("J6", [1, 0.3, 0], [0, 0, 0], [-180, 180], 7200, 400)]  # fmt: skip
SHAPES: dict[str, list[dict[str, Any]]] = {
    "J1": [{"type": "cylinder", "diameter": 320, "length": 330, "at": [0, 0, 280]}],
    "J2": [{"type": "box", "size": [140, 120, 760], "at": [0, 0, 350]}],
    "J3": [{"type": "box", "size": [320, 110, 130], "at": [90, 0, 40]}],
    "J4": [{"type": "cylinder", "diameter": 110, "length": 360, "at": [190, 0, 0], "turn": [0, 90, 0]}],
    "J5": [{"type": "cylinder", "diameter": 90, "length": 80, "turn": [90, 0, 0]}],
    "J6": [{"type": "cylinder", "diameter": 80, "length": 170, "at": [125, 0, 0], "turn": [0, 90, 0]}],
}
REFERENCE = {"J2": -20, "J3": 30, "J5": 60}
TOOLS = {
    "format": "blunt-mirror/tools@1",
    "tools": [
        {"number": n, "cutter": {"type": "end-mill", "diameter": d, "flute_length": 30, "reach": 45, "flutes": 3},
         "holder": {"segments": [{"diameter": 40, "length": 60}]}, "length": 105}
        for n, d in ((1, 10), (2, 6))
    ],
}  # fmt: skip


def arm_machine(
    joints: list[Any] = SPHERICAL, rail: bool = True, shaped: bool = True, **changes: Any
) -> dict[str, Any]:
    """An arm on a rail along Y, with a spindle, before a stand; keyword arguments replace parts."""
    links: list[dict[str, Any]] = [{"name": "floor"}]
    if rail:
        links.append({"name": "carriage", "parent": "floor", "joint": {
            "axis": "R", "type": "linear", "direction": [0, 1, 0], "travel": [-2000, 2000], "rapid": 60000, "accel": 1500}})  # fmt: skip
    for axis, direction, at, travel, rapid, accel in joints:
        joint = rotary(axis, direction, at, travel, rapid, accel)
        links.append(
            {"name": axis, "parent": links[-1]["name"], "joint": joint, "shapes": SHAPES[axis] if shaped else []}
        )
    return {
        "format": "blunt-mirror/machine@1", "name": "an arm", "links": links,
        "mounts": [{"name": "spindle", "link": "J6", "at": [210, 0, 0], "turn": [0, -90, 0], "takes": "tool"},
                   {"name": "stand", "link": "floor", "at": [1000, 0, 500], "takes": "work"}],
        "channels": [{"number": 1, "axes": [*(["R"] if rail else []), *JOINTS], "arm": {"joints": [*JOINTS], "rail": ["R"] if rail else []}}],
        "reference": {"1": dict(REFERENCE)}, "tool_change": {"seconds": 5}, "spindle": {"max_rpm": 18000},
        "ignore": [["J3", "J5"], ["J4", "J6"]], **changes,
    }  # fmt: skip


def arm_job(folder: Path, program: str, machine: dict[str, Any] | None = None, **changes: Any) -> Job:
    """A block of 200 × 200 × 40 on the stand, program zero in the middle of its top."""
    (folder / "machine.json").write_text(json.dumps(machine or arm_machine()))
    (folder / "tools.json").write_text(json.dumps(TOOLS))
    (folder / "P1.nc").write_text(program)
    data = {
        "format": "blunt-mirror/job@1", "name": "on an arm", "machine": "machine.json", "tools": "tools.json",
        "programs": [{"main": "P1.nc"}], "work_offsets": {"G54": {"datum": [0, 0, 40], "mount": "stand"}},
        "bodies": [{"name": "blank", "role": "stock", "mount": "stand", "shape": {"type": "box", "size": [200, 200, 40]}, "at": [0, 0, 20]}],
        "checks": {"resolution": 1.0},
    }  # fmt: skip
    (folder / "job.json").write_text(json.dumps(data | copy.deepcopy(changes)))
    return open_job(folder)


HEAD = "G21 G17 G90 G94 G54\nT1 M6\nS8000 M3\nG43.5 H1\n"  # four lines
HOME = "G0 J1=0 J2=-20 J3=30 J4=0 J5=60 J6=0\nM30\n"
