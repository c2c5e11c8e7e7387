"""Compile the kernels into the cache by running one small job through them all."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

import numpy as np

from .export.replay import replay_data
from .geometry.mesh import box
from .job import open_job
from .material.comparison import reach_into
from .material.cut_kernel import CUT
from .material.stock import ToolSets
from .material.sweep_kernel import first_through
from .program.text import SCAN_FROM_LINES
from .rehearsal import rehearse

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


def main() -> None:
    program = ["T1 M6", "G54 G90 G0 X-20. Y0. S1000 M3", "G43 H1 Z5.", "G1 Z-2. F500.", "X0.", "G2 X5. Y5. I0. J5.",
               "X-5. Y-5. Z-3. R9.", "G0 X4. Y9. Z8."]  # fmt: skip
    program += ["G1 X1. F300."] + [f"X{i % 7} Y{i % 5}" for i in range(SCAN_FROM_LINES)] + ["M30"]
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        for name, data in (("job.json", JOB), ("machine.json", MACHINE), ("tools.json", TOOLS)):
            (place / name).write_text(json.dumps(data))
        (place / "O1.nc").write_text("\n".join(program))
        result = rehearse(open_job(place))
        replay_data(result)
    # What only troubled jobs come to: a body in stock, and a gouge whose motion has to be looked for.
    reach_into(result.stocks[0].stock, box([4, 4, 30]))
    sets = ToolSets.of(list(result.tools.values()))
    one = np.zeros((1, 3))
    cutting = np.ascontiguousarray(sets.sets[:, CUT])
    first_through(one, one, np.zeros(1, np.int64), sets.slabs, cutting, np.zeros(3))


if __name__ == "__main__":
    main()
