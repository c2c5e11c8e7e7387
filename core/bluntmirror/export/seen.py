"""What a change looks like: of a tool its outlines before and after, of a body how far it goes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from ..geometry.frames import frame
from ..job import Job
from ..remedies.change import Change, applied
from ..tools.assembly import build_assembly
from ..tools.picture import pictured


def seen(job: Job, change: Change) -> dict[str, Any]:
    """`tools`: number and name with outlines `before` and `after`, both over the tip; `moved`: bodies and by how much,
    mm in the frame of the link that carries them. What is a number alone, as a register, is not seen."""
    return {"tools": list(_tools(job, change)), "moved": list(_moved(job, change))}


def _tools(job: Job, change: Change) -> Iterator[dict[str, Any]]:
    rows = {v.path[1] for v in change.values if v.file == "tools" and "registers" not in v.path}
    after = applied(job, change) if rows else job
    for row in sorted(int(row) for row in rows):
        entry = job.tools.tools[row]
        drawn = [
            pictured(build_assembly(made, job.solid(made.holder.shapes, "holder.shapes")))
            for made in (entry, after.tools.tools[row])
        ]
        yield {"number": entry.number, "name": entry.name, "before": drawn[0], "after": drawn[1]}


def _moved(job: Job, change: Change) -> Iterator[dict[str, Any]]:
    by: dict[int, np.ndarray] = {}
    for value in change.values:
        if value.file == "job" and value.path[0] == "bodies" and value.path[2] == "at":
            _bodies, number, _at, direction = value.path
            by.setdefault(int(number), np.zeros(3))[int(direction)] += value.new - (value.old or 0.0)
    mounts = {mount.name: mount for mount in job.machine.mounts}
    for row, way in by.items():
        body = job.file.bodies[row]
        mount = mounts[body.mount]
        yield {"body": body.name, "by": np.round(frame(mount.at, mount.turn)[:3, :3] @ way, 6).tolist()}
