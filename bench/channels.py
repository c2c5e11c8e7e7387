"""`mirror bench channels`: two channels with contact of every pair, beside the same channels alone; and any timing of their stretches.

The demo shop's twin-spindle lathe, each channel going round over its own place with short moves, waiting for the other now and then.
"""

from __future__ import annotations

import json
import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from bluntmirror.job import Job, open_job
from bluntmirror.rehearsal import Rehearsal, rehearse

ROOT = Path(__file__).resolve().parent.parent
JOB = ROOT / "demo" / "jobs" / "hydrophone-body" / "1-as released"
PROGRAMS = {1: "O7101.nc", 2: "O7102.nc"}
MOTIONS, MARKS = 10_000, 50  # of each channel


def job(folder: Path, channels: list[int], count: int, marks: int) -> Job:
    """Nothing clamped, nothing gripped: moves and contact alone."""
    folder.mkdir()
    shutil.copy(JOB / "tools.json", folder)
    machine = json.loads((JOB / "machine.json").read_text())
    machine["grips"] = []
    machine["codes"] = {code: act for code, act in machine["codes"].items() if act["does"] not in ("close", "open")}
    (folder / "machine.json").write_text(json.dumps(machine))
    data = json.loads((JOB / "job.json").read_text())
    data |= {"bodies": [], "programs": [entry for entry in data["programs"] if entry["channel"] in channels]}
    (folder / "job.json").write_text(json.dumps(data))
    for channel in channels:
        lines = ["G21 G40 G99", "T0101", *([] if channel == 1 else ["M80"]), "G97 S1000 M3", "G0 X90. Z20."]
        for mark in range(marks):
            lines += [
                f"G1 X{90 + i * 7 % 50 * 0.2:.2f} Z{20 + i * 11 % 90 * 0.3:.2f} F2." for i in range(count // marks)
            ]
            lines += [f"M{200 + mark % 90}"] if len(channels) > 1 else []
        (folder / PROGRAMS[channel]).write_text("\n".join([*lines, "G28 U0 W0", "M30"]))
    return open_job(folder)


def channels(row: Callable[[str, float, str, str, float], None]) -> None:
    with tempfile.TemporaryDirectory() as place:

        def took(which: list[int], count: int) -> tuple[float, Rehearsal]:
            made = job(Path(place) / f"{which}{count}", which, count, MARKS)
            begun = time.process_time()
            result = rehearse(made, filmed=False)
            return time.process_time() - begun, result

        took([1, 2], MARKS * 2)  # whatever has to be loaded is
        alone = sum(took([channel], MOTIONS)[0] for channel in PROGRAMS)
        both, result = took([1, 2], MOTIONS)
    row("channels", 2 * MOTIONS / both, "motions/s", "the same two alone", 2 * MOTIONS / alone)
    timing = result.timing
    assert timing
    print(
        f"{'':11}{result.pairs} pairs; any timing over {MARKS} stretches: {timing.proved} of {timing.pairs} pairs proved apart"
    )
