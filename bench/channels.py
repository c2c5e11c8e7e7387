"""`mirror bench channels`: two channels with contact of every pair, beside the same channels alone; and any timing of their stretches.

The demo shop's twin-spindle lathe, each channel going round over its own place with short moves, waiting for the other now and then.
"""

from __future__ import annotations

import json
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

from bluntmirror.job import Job, open_job
from bluntmirror.rehearsal import Rehearsal, rehearse
from bluntmirror.rehearsal import timing as timing_module
from bluntmirror.rehearsal.result import Timing
from demo.hydrophone import turning_tools

ROOT = Path(__file__).resolve().parent.parent
MACHINE = ROOT / "demo" / "machines" / "ts8-71.json"
MOTIONS, MARKS = 100_000, 50  # of each channel


def job(folder: Path, channels: list[int], count: int, marks: int) -> Job:
    """Nothing clamped, nothing gripped: moves and contact alone."""
    folder.mkdir()
    machine = json.loads(MACHINE.read_text())
    machine["grips"] = []
    machine["codes"] = {code: act for code, act in machine["codes"].items() if act["does"] not in ("close", "open")}
    turning = turning_tools()
    turning += [turning[0] | {"number": 4, "station": 4}]
    tools = [tool | turret for turret in ({}, {"turret": "lower"}) for tool in turning]
    data = {
        "format": "blunt-mirror/job@1", "name": "two channels", "machine": "machine.json", "tools": "tools.json", "bodies": [],
        "programs": [{"channel": channel, "main": f"P{channel}.nc", "dialect": "iso-turn"} for channel in channels],
        "work_offsets": {"G54": {"datum": [0, 0, 112], "mount": "main"}}, "checks": {"near": 1.0},
    }  # fmt: skip
    made = (("machine", machine), ("tools", {"format": "blunt-mirror/tools@1", "tools": tools}), ("job", data))
    for name, content in made:
        (folder / f"{name}.json").write_text(json.dumps(content))
    for channel in channels:
        lines = ["G21 G40 G99", "T0101", *([] if channel == 1 else ["M80"]), "G97 S1000 M3", "G0 X90. Z20."]
        for mark in range(marks):
            lines += [
                f"G1 X{90 + i * 7 % 50 * 0.2:.2f} Z{20 + i * 11 % 90 * 0.3:.2f} F2." for i in range(count // marks)
            ]
            lines += [f"M{200 + mark % 90}"] if len(channels) > 1 else []
        (folder / f"P{channel}.nc").write_text("\n".join([*lines, "G28 U0 W0", "M30"]))
    return open_job(folder)


def channels(row: Callable[[str, float, str, str, float], None]) -> None:
    with tempfile.TemporaryDirectory() as place:

        def took(which: list[int], count: int) -> tuple[float, Rehearsal]:
            made = job(Path(place) / f"{which}{count}", which, count, MARKS)
            begun = time.process_time()
            result = rehearse(made, filmed=False)
            return time.process_time() - begun, result

        asked: list[float] = []
        whole = timing_module.check_timing

        def clocked(*values: Any) -> Timing:
            begun = time.process_time()
            found = whole(*values)
            asked.append(time.process_time() - begun)
            return found

        took([1, 2], MARKS * 2)  # whatever has to be loaded is
        alone = sum(took([channel], MOTIONS)[0] for channel in (1, 2))
        with mock.patch.object(timing_module, "check_timing", clocked):
            both, result = took([1, 2], MOTIONS)
    row("channels", 2 * MOTIONS / both, "motions/s", "the same two alone", 2 * MOTIONS / alone)
    timing = result.timing
    assert timing
    print(
        f"{'':11}{result.pairs} pairs; any timing over {MARKS} stretches: {timing.proved} of {timing.pairs} pairs proved apart, in "
        f"{asked[-1]:.1f} CPU s of the {both:.1f}"
    )
