"""The script desk: programs checked while they are edited, blocks explained, and kept as a revision when asked.

Nothing is written but by `save` and `set_rules`; a screen sends the texts it holds with each question.
"""

import base64
import json
import zipfile
from dataclasses import asdict, replace
from pathlib import PurePosixPath
from typing import Any

import numpy as np
from django.contrib.auth.models import AbstractBaseUser
from pydantic import ValidationError

from accounts.models import Organisation
from bluntmirror.export.verdict import finding_dict, rules_run
from bluntmirror.findings import RULES, verdict_of
from bluntmirror.job import Job, JobUnreadable
from bluntmirror.job.models import JobFile, ToolsFile
from bluntmirror.rehearsal.desk import Desk

from . import setups
from .models import Revision, RuleSetting
from .services import Refused

Json = dict[str, Any]
MOST_TEXT = 60_000_000  # bytes of programs taken with one question


def programs_of(revision: Revision) -> list[Json]:
    """Every program of a revision with its text, channel and dialect; the main ones first."""
    job = setups.opened(revision)
    found = []
    for entry in job.file.programs:
        for name in [entry.main, *entry.library]:
            text = job.programs[name].decode("utf-8-sig", "replace").replace("\r\n", "\n").replace("\r", "\n")
            found.append(
                {
                    "name": name,
                    "channel": entry.channel,
                    "main": name == entry.main,
                    "dialect": entry.dialect,
                    "text": text,
                }
            )
    return found


def edited(revision: Revision, programs: dict[str, str], data: Json | None, tools: Json | None) -> Job:
    """The revision's job with the texts, job.json and tools that a screen holds. Raises Refused."""
    if sum(len(text) for text in programs.values()) > MOST_TEXT:
        raise Refused(f"the programs are larger than {MOST_TEXT // 10**6} MB together")
    base = setups.opened(revision, data)
    unknown = sorted(set(programs) - set(base.programs))
    if unknown:
        raise Refused(f"the job has no program '{unknown[0]}'")
    made = replace(base, programs={**base.programs, **{name: text.encode() for name, text in programs.items()}})
    for name in ("body_meshes", "link_meshes"):  # worked out once for the job, not once a keystroke
        made.__dict__[name] = getattr(base, name)
    if tools is not None:
        try:
            made.tools = ToolsFile.model_validate(tools)
        except ValidationError as error:
            first = error.errors()[0]
            raise Refused(f"tools: {'.'.join(str(p) for p in first['loc'])}: {first['msg']}") from error
    rules = {**house_rules(revision.job.organisation), **made.file.checks.rules}
    made.file = made.file.model_copy(update={"checks": made.file.checks.model_copy(update={"rules": rules})})
    return made


def check(job: Job, path: bool) -> Json:
    """Findings, operations and, where asked for, the path. Raises Refused."""
    desk = Desk(job)
    try:
        result = desk.check()
    except JobUnreadable as error:
        raise Refused(str(error)) from error
    reel = result.reel
    used = {int(n) for n in np.unique(reel.motions.tool)} - {0} if len(reel.motions) else set()
    table = {tool.number for tool in job.tools.tools}
    waits = {result.channel: result.interpreted.waits}
    waits |= {channel: other.waits for channel, other in result.others.items()}
    return {
        "verdict": verdict_of(result.docket), "findings": [finding_dict(item) for item in result.findings],
        "operations": [asdict(item) for item in desk.operations()], "seconds": round(reel.seconds, 3),
        "blocks": result.interpreted.blocks, "rules": rules_run(result.docket.policy),
        "lacking": sorted(used - table), "unused": sorted(table - used),
        "waits": [
            {"channel": channel, "mark": wait.mark, "program": wait.program, "line": wait.line}
            for channel, own in waits.items() for wait in own
        ],
        "path": _packed_path(desk) if path else None,
    }  # fmt: skip


def _packed_path(desk: Desk) -> Json | None:
    path = desk.path()
    if path is None:
        return None

    def packed(values: np.ndarray, kind: Any) -> str:
        return base64.b64encode(np.ascontiguousarray(values, kind).tobytes()).decode()

    return {
        "points": packed(path.points, np.float32), "rapid": packed(path.rapid, np.uint8), "tool": packed(path.tool, np.uint16),
        "line": packed(path.line, np.uint32), "file": packed(path.file, np.uint8), "count": len(path.rapid), "whole": path.whole,
        "skipped": packed(desk.skipped(), np.float32),
        "files": desk.result.reel.motions.files if desk.result.reel else [],
    }  # fmt: skip


def explain(job: Job, program: str, line: int) -> Json:
    if program not in job.programs:
        raise Refused(f"the job has no program '{program}'")
    try:
        found = Desk(job).explain(program, line)
    except JobUnreadable as error:
        raise Refused(str(error)) from error
    return {
        "said": found.said, "motions": list(found.motions),
        "before": asdict(found.before) if found.before else None, "after": asdict(found.after) if found.after else None,
    }  # fmt: skip


def save(
    revision: Revision,
    programs: dict[str, str],
    data: Json | None,
    tools: Json | None,
    user: AbstractBaseUser,
    label: str,
) -> Revision:
    """The desk's programs (and tools, and job.json) as a new revision of the job. Line ends stay those of the file."""
    held = setups.opened(revision)
    files: dict[str, bytes] = {}
    for name, text in programs.items():
        if name not in held.programs:
            raise Refused(f"the job has no program '{name}'")
        raw = held.programs[name]
        files[_inside(name)] = text.replace("\n", "\r\n").encode() if b"\r\n" in raw else text.encode()
    if data is not None:
        try:
            JobFile.model_validate(data)
        except ValidationError as error:
            first = error.errors()[0]
            raise Refused(f"job.json: {'.'.join(str(p) for p in first['loc'])}: {first['msg']}") from error
        files["job.json"] = json.dumps({**data, "name": revision.job.name}, indent=1).encode()
    if tools is not None:
        with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
            name = json.loads(bundle.read("job.json").decode("utf-8-sig"))["tools"]
        files[_inside(name)] = json.dumps(tools, indent=1).encode()
    return setups.changed(revision, files, user, label)


def _inside(name: str) -> str:
    parts = PurePosixPath(name)
    if parts.is_absolute() or ".." in parts.parts:
        raise Refused(f"the path '{name}' leaves the job folder")
    return parts.as_posix()


# --- rules ----------------------------------------------------------------------------------------------------------------


def house_rules(organisation: Organisation) -> dict[str, str]:
    return dict(RuleSetting.objects.filter(organisation=organisation).values_list("rule", "setting"))


def rules(organisation: Organisation) -> list[Json]:
    held = house_rules(organisation)
    return [
        {"id": rule.id, "kind": rule.kind, "severity": rule.severity, "title": rule.title, "meaning": rule.meaning,
         "remedy": rule.remedy, "example": rule.example, "better": rule.better, "fixed": rule.fixed,
         "setting": held.get(rule.id, "")}
        for rule in RULES.values()
    ]  # fmt: skip


def set_rule(organisation: Organisation, name: str, setting: str) -> None:
    """A rule's setting for the organisation; "" takes it back to what it comes as. Raises Refused."""
    rule = RULES.get(name)
    if rule is None:
        raise Refused(f"there is no rule '{name}'")
    if rule.fixed and setting in ("off", "caution"):
        raise Refused(f"{rule.title}: this rule stays a stop, since what follows its finding is not verified")
    if setting:
        RuleSetting.objects.update_or_create(organisation=organisation, rule=name, defaults={"setting": setting})
    else:
        RuleSetting.objects.filter(organisation=organisation, rule=name).delete()
