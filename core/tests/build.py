"""Small jobs made for tests."""

import copy
import json
from pathlib import Path

from bluntmirror.job import Job, open_job

JOBS = Path(__file__).parent / "jobs"


def slot_job(folder: Path, program: str, **changes: object) -> Job:
    """The worked slot job with another program; keyword arguments replace parts of job.json."""
    source = JOBS / "slot-clear"
    for name in ("machine.json", "tools.json"):
        (folder / name).write_bytes((source / name).read_bytes())
    data = json.loads((source / "job.json").read_text())
    data.update(copy.deepcopy(changes))
    (folder / "job.json").write_text(json.dumps(data))
    (folder / "O1001.nc").write_text(program)
    return open_job(folder)


HEAD = "G17 G21 G40 G49 G80 G90\nG91 G28 Z0.\nG90\nT1 M6\nG54 G0 X0. Y0. S6000 M3\nG43 H1 Z20.\n"  # six lines
