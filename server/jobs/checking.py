"""What a screen asks of a job's programs while they are edited. It knows the computation and no tables: helpers carry it out (`aside`)."""

import base64
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import numpy as np

from accounts.refused import Refused
from bluntmirror.export.arms import arm_data
from bluntmirror.export.poses import block_to
from bluntmirror.export.verdict import causes, finding_dict, rules_run
from bluntmirror.findings import verdict_of
from bluntmirror.job import Job, JobUnreadable
from bluntmirror.rehearsal import best_stand
from bluntmirror.rehearsal.desk import Desk

Json = dict[str, Any]


def arm(job: Job) -> Json:
    """How an arm goes through the programs. Raises Refused where the job has none."""
    desk = Desk(job)
    try:
        told = arm_data(desk.check())
    except JobUnreadable as error:
        raise Refused(str(error)) from error
    if told is None:
        raise Refused("this machine has no arm")
    return told


def arm_block(job: Job, program: str, line: int, at: dict[str, float], feed: float | None) -> Json:
    """A line that brings an arm to joint values. Raises Refused."""
    try:
        return {"block": block_to(Desk(job).check(), program, line, at, feed)}
    except (JobUnreadable, ValueError) as error:
        raise Refused(str(error)) from error


def check(job: Job, path: bool, channel: int = 0) -> Json:
    """Findings, operations and, where asked for, the path of a channel (0: the first). Raises Refused."""
    desk = Desk(job)
    try:
        result = desk.check()
    except JobUnreadable as error:
        raise Refused(str(error)) from error
    reel = result.reel
    used = {int(n) for strand in result.strands for n in np.unique(strand.reel.motions.tool)} - {0}
    table = {tool.number for tool in job.tools.tools}
    waits = {strand.channel: strand.interpreted.waits for strand in result.strands}
    return {
        "verdict": verdict_of(result.docket), "findings": [finding_dict(item, cause) for item, cause in zip(result.findings, causes(result), strict=True)],
        "operations": [asdict(item) for item in desk.operations()], "seconds": round(reel.seconds, 3),
        "blocks": sum(strand.interpreted.blocks for strand in result.strands), "rules": rules_run(result.docket.policy),
        "lacking": sorted(used - table), "unused": sorted(table - used),
        "waits": [
            {"channel": channel, "mark": wait.mark, "program": wait.program, "line": wait.line}
            for channel, own in waits.items() for wait in own
        ],
        "path": _packed_path(desk, channel) if path else None,
    }  # fmt: skip


def _packed_path(desk: Desk, channel: int) -> Json | None:
    path = desk.path(channel)
    if path is None:
        return None

    def packed(values: np.ndarray, kind: Any) -> str:
        return base64.b64encode(np.ascontiguousarray(values, kind).tobytes()).decode()

    return {
        "points": packed(path.points, np.float32), "rapid": packed(path.rapid, np.uint8), "tool": packed(path.tool, np.uint16),
        "line": packed(path.line, np.uint32), "file": packed(path.file, np.uint8), "count": len(path.rapid), "whole": path.whole,
        "skipped": packed(desk.skipped(channel), np.float32),
        "files": desk.strand(channel).reel.motions.files,
    }  # fmt: skip


def explain(job: Job, program: str, line: int) -> Json:
    try:
        found = Desk(job).explain(program, line)
    except JobUnreadable as error:
        raise Refused(str(error)) from error
    return {
        "said": found.said, "motions": list(found.motions),
        "before": asdict(found.before) if found.before else None, "after": asdict(found.after) if found.after else None,
    }  # fmt: skip


def stand(
    job: Job, places: list[best_stand.Place], tried: dict[best_stand.Place, tuple[float, ...]], touch: bool
) -> Json:
    """How an arm's programs go with the work shifted to each of some places; `tried`: ranks of those before. Raises Refused."""
    try:
        mount = best_stand.standing_on(job)
        if touch:
            touched = [best_stand.touched_at(job, place) for place in places]
            return {"mount": mount, "stands": [], "next": [], "touched": touched}
        stands = [best_stand.judged(job, place) for place in places]
    except (JobUnreadable, ValueError) as error:
        raise Refused(str(error)) from error
    return {
        "mount": mount,
        "stands": [
            {"place": stand.place, "lacking": stand.lacking, "missed": stand.missed, "ease": stand.ease,
             "least": {key: {"amount": round(left.amount, 3), "axis": left.axis or None, "operation": item.operation.name}
                       for key, (left, item) in stand.least.items()}}
            for stand in stands
        ],
        "next": best_stand.following(tried | {stand.place: stand.rank for stand in stands}),
        "touched": [],
    }  # fmt: skip


FUNCTIONS: dict[str, Callable[..., Json]] = {
    "arm": arm,
    "arm_block": arm_block,
    "check": check,
    "explain": explain,
    "stand": stand,
}
