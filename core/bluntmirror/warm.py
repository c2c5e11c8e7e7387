"""Compile the kernels into the cache by running one small job through them all."""

from __future__ import annotations

import io
import json
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from .export.replay import replay_data
from .export.trace import write_columns
from .geometry.mesh import box
from .job import open_job
from .job.models import MachineFile
from .machine import Chain
from .machine.arm import Arm
from .material.comparison import reach_into
from .material.corners import Profile, left_by
from .material.cut_kernel import CUT
from .material.hidden import ALIKE_WAYS
from .material.hidden_kernel import unlike
from .material.layers import block, ends_of
from .material.stock import ToolSets
from .material.sweep_kernel import first_through
from .material.turning_kernel import first_turned_through
from .program.text import SCAN_FROM_LINES
from .rehearsal import Rehearsal, rehearse
from .rehearsal.handling import HandPanel

MACHINE = {
    "format": "blunt-mirror/machine@1", "name": "warming",
    "links": [
        {"name": "bed", "shapes": [{"type": "box", "size": [10, 10, 10], "at": [0, 0, -60]}]},
        *({"name": axis, "parent": parent,
           "joint": {"axis": axis, "type": "linear", "direction": direction, "travel": [-500, 500], "rapid": 20000, "accel": 3000},
           "shapes": [{"type": "box", "size": [10, 10, 10], "at": at}]}
          for axis, parent, direction, at in (
              ("X", "bed", [-1, 0, 0], [0, 0, -40]), ("Y", "X", [0, -1, 0], [0, 0, -20]), ("Z", "bed", [0, 0, 1], [0, 0, 140]))),
    ],
    "mounts": [{"name": "spindle", "link": "Z", "at": [0, 0, 100], "takes": "tool"},
               {"name": "table", "link": "Y", "takes": "work"}],
    "rapid": "dogleg",
}  # fmt: skip
CUTTER = {"diameter": 6, "flute_length": 8, "reach": 20, "shank_diameter": 6}
TOOLS = {
    "format": "blunt-mirror/tools@1",
    "tools": [
        {"number": 1, "length": 50, "cutter": {"type": "end-mill", "corner_radius": 1, **CUTTER},
         "holder": {"segments": [{"diameter": 20, "length": 20}]}},
    ],
}  # fmt: skip
JOB = {
    "format": "blunt-mirror/job@1", "name": "warming", "machine": "machine.json", "tools": "tools.json",
    "programs": [{"main": "O1.nc"}],
    "bodies": [{"name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [20, 20, 10]}, "at": [0, 0, 5]},
               {"name": "part", "role": "design", "mount": "table", "shape": {"type": "box", "size": [20, 20, 8]}, "at": [0, 0, 4]},
               {"name": "stop", "role": "fixture", "mount": "table", "shape": {"type": "box", "size": [5, 5, 5]}, "at": [60, 0, 2]}],
    "work_offsets": {"G54": {"datum": [0, 0, 10], "mount": "table"}},
}  # fmt: skip


LATHE = {
    "format": "blunt-mirror/machine@1", "name": "warming",
    "links": [
        {"name": "bed"},
        {"name": "chuck", "parent": "bed", "shapes": [{"type": "box", "size": [10, 30, 30], "at": [-8, 0, 0]}]},
        *({"name": axis, "parent": parent, "joint": {"axis": axis, "type": kind, "direction": direction, "at": at,
                                                     "rapid": 20000, "accel": 3000}}
          for axis, parent, kind, direction, at in (
              ("Z", "bed", "linear", [1, 0, 0], [0, 0, 0]), ("X", "Z", "linear", [0, 0, 1], [0, 0, 0]),
              ("TR", "X", "rotary", [-1, 0, 0], [100, 0, 150]))),
    ],
    "mounts": [{"name": "chuck", "link": "chuck", "turn": [0, 90, 0], "takes": "work"},
               *({"name": f"s{i}", "link": "TR", "at": [0, 0, -60 if i == 1 else 60], "turn": [0 if i == 1 else 180, 0, 0],
                  "takes": "tool", "station": i} for i in (1, 2))],
    "channels": [{"number": 1, "axes": ["X", "Z", "TR"], "diameters": ["X"]}],
    "turret": {"axis": "TR", "stations": 2}, "work_spindle": {"mount": "chuck"},
}  # fmt: skip
TURNING: dict[str, Any] = {
    "tools": {"format": "blunt-mirror/tools@1", "tools": [
        {"number": n, "length": 30, "cutter": {"type": "insert", "shape": "C", "inscribed_circle": 9, "nose_radius": 0.8},
         "holder": {"shapes": [{"type": "box", "size": [10, 10, 20], "at": [4, -5, -5]}]}} for n in (1, 2)]},
    "job": {
        "format": "blunt-mirror/job@1", "name": "warming", "machine": "machine.json", "tools": "tools.json",
        "programs": [{"main": "O1.nc", "dialect": "iso-turn"}],
        "bodies": [{"name": "bar", "role": "stock", "mount": "chuck", "shape": {"type": "cylinder", "diameter": 20, "length": 30}, "at": [0, 0, 15]},
                   {"name": "ring", "role": "fixture", "mount": "chuck", "shape": {"type": "tube", "outer": 30, "inner": 24, "length": 5}}],
        "work_offsets": {"G54": {"datum": [0, 0, 30], "mount": "chuck"}},
    },
    "program": ["T0101", "G97 S500 M3", "G0 X24. Z2.", "G1 X18. F0.2", "Z-10.", "G0 X30.", "T0202", "G0 X16. Z-5.", "M30"],
}  # fmt: skip


def _run(machine: dict, tools: dict, job: dict, program: list[str]) -> Rehearsal:
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        for name, data in (("job.json", job), ("machine.json", machine), ("tools.json", tools)):
            (place / name).write_text(json.dumps(data))
        (place / "O1.nc").write_text("\n".join(program))
        opened = open_job(place)
        result = rehearse(opened)
        replay_data(result)
        panel = HandPanel(opened)
        panel.move(panel.home, panel.home, 1)
        return result


def _five_axes() -> None:
    """Tilted plane and tip control on a plate that turns: the kernels of turning chains."""
    machine = json.loads(json.dumps(MACHINE))
    turn = {"type": "rotary", "rapid": 9000, "accel": 3000}
    machine["links"] += [
        {"name": "cradle", "parent": "Y", "joint": {"axis": "A", "direction": [-1, 0, 0], **turn}},
        {"name": "plate", "parent": "cradle", "joint": {"axis": "C", "direction": [0, 0, -1], **turn}},
    ]
    machine["mounts"][1]["link"] = "plate"
    machine["channels"] = [{"number": 1, "axes": list("XYZAC")}]
    job = json.loads(json.dumps(JOB))
    job["bodies"].append({"name": "ring", "role": "fixture", "mount": "table", "at": [0, 0, -6],
                          "shape": {"type": "tube", "outer": 30, "inner": 20, "length": 4}})  # fmt: skip
    program = ["T1 M6", "G54 G90 G0 X-20. Y0. S1000 M3", "G43.4 H1 Z5. A0 C0", "G1 Z-1. F500.", "X5. A10. C20.", "G3 X8. Y3. R9.",
               "G0 Z30.", "G49", "G68.2 X0 Y0 Z0 I0 J20 K0", "G53.1", "G43 H1 G0 X0 Y0 Z20.", "G1 Z-2.", "X4.", "G0 Z40.", "G69", "M30"]  # fmt: skip
    result = _run(machine, TOOLS, job, program)
    # A gouge whose motion has to be looked for among turned pieces.
    search: Any = first_turned_through
    one, none = np.zeros((1, 3)), np.zeros(1, np.int64)
    search(one, one, one, one, none, none, np.ones((1, 8)), np.array([[0, 1]]), result.stocks[0].stock.lattice.origin)


def _arm() -> None:
    """Poses of an arm, its spin chosen with something near by."""
    machine: dict[str, Any] = {key: MACHINE[key] for key in ("format", "name")}
    joints = [("J1", [0, 0, 1], [0, 0, 0]), ("J2", [0, 1, 0], [0, 0, 40]), ("J3", [0, 1, 0], [0, 0, 60]), ("J4", [1, 0, 0], [20, 0, 0]),
              ("J5", [0, 1, 0], [40, 0, 0]), ("J6", [1, 0, 0], [0, 0, 0])]  # fmt: skip
    machine["links"] = [{"name": "floor", "shapes": [{"type": "box", "size": [10, 10, 10], "at": [0, 0, -30]}]}]
    for axis, direction, at in joints:
        joint = {
            "axis": axis,
            "type": "rotary",
            "direction": direction,
            "at": at,
            "travel": [-170, 170],
            "rapid": 9000,
            "accel": 600,
        }
        shape = {"type": "box", "size": [2, 2, 2], "at": [3, 0, 0]}
        machine["links"].append(
            {"name": axis, "parent": machine["links"][-1]["name"], "joint": joint, "shapes": [shape]}
        )
    machine["mounts"] = [
        {"name": "spindle", "link": "J6", "at": [10, 0, 0], "takes": "tool"},
        {"name": "table", "link": "floor", "at": [60, 0, 0], "takes": "work"},
    ]
    names = [axis for axis, _, _ in joints]
    machine["channels"] = [{"number": 1, "axes": names, "arm": {"joints": names}}]
    machine["reference"] = {"1": {"J3": 20, "J5": 30}}
    program = ["T1 M6", "G54 G90 S1000 M3", "G43.5 H1", "G0 X-20 Y0 Z15 I0 J0 K1", "G1 X0 I0.1 F500", "G0 Z25", "M30"]
    _run(machine, TOOLS, JOB, program)
    chain = Chain(MachineFile.model_validate(machine))
    arm = Arm(chain, chain.mounts["spindle"], chain.mounts["table"], names)
    arm.closed = False  # as one without a closed form is solved
    wanted = arm.wanted(arm.poses(np.zeros((1, 6))), np.zeros((1, 6)))
    arm.roots(wanted)


def main() -> None:
    _five_axes()
    _arm()
    _run(LATHE, TURNING["tools"], TURNING["job"], TURNING["program"])
    program = ["T1 M6", "G54 G90 G0 X-20. Y0. S1000 M3", "G43 H1 Z5.", "G1 Z-2. F500.", "X0.", "G2 X5. Y5. I0. J5.",
               "X-5. Y-5. Z-3. R9.", "G0 X4. Y9. Z8."]  # fmt: skip
    program += ["G1 X1. F300."] + [f"X{i % 7} Y{i % 5}" for i in range(SCAN_FROM_LINES)] + ["M30"]
    result = _run(MACHINE, TOOLS, JOB, program)
    # What only troubled jobs come to: a body in stock, and a gouge whose motion has to be looked for.
    reach_into(result.stocks[0].stock, box([4, 4, 30]))
    unlike(
        np.zeros((1, 3)),
        np.zeros(1, np.int64),
        ALIKE_WAYS,
        np.zeros(3),
        np.ones(3),
        np.zeros((1, 1, 1), np.uint32),
        np.zeros(1, np.bool_),
    )
    cut = result.stocks[0].stock
    block(cut.lattice, 1.0)[0].with_(ends_of(cut)[0], np.ones(2), np.zeros(2))
    left_by(Profile.ball(1.0), box([4, 4, 4]), np.zeros((1, 3)), 0.0)
    sets = ToolSets.of(list(result.tools.values()))
    one = np.zeros((1, 3))
    cutting = np.ascontiguousarray(sets.sets[:, CUT])
    write_columns(result, [f"1,{name}" for name in result.reel.motions.files], io.StringIO())
    first_through(one, one, np.zeros(1, np.int64), sets.slabs, cutting, np.zeros(3))


if __name__ == "__main__":
    main()
