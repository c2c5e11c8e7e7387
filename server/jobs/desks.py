"""The script desk: programs checked while they are edited, blocks explained, and kept as a revision when asked.

Nothing is written but by `save` and `set_rules`; a screen sends the texts it holds with each question.
"""

import json
import re
import zipfile
from dataclasses import replace
from pathlib import Path, PurePath
from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from pydantic import ValidationError

from accounts.models import Organisation
from bluntmirror.findings import RULES
from bluntmirror.job import Job, JobUnreadable
from bluntmirror.job.following import file_followed, followed
from bluntmirror.job.models import JobFile, ToolsFile
from bluntmirror.rehearsal.routing import Handed, given

from . import aside, measuring, routes, setups
from .models import Rehearsal, Revision, RuleSetting
from .services import Refused

Json = dict[str, Any]
MOST_TEXT = 60_000_000  # bytes of programs taken with one question


def programs_of(revision: Revision) -> list[Json]:
    """Every program of a revision with its text, channel and dialect; the main ones first."""
    job = setups.opened(revision)
    found = []
    for entry in job.file.programs:
        for name in [entry.main, *entry.library]:
            text = text_of(job.programs[name])
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


BOM = b"\xef\xbb\xbf"


def _encoding(raw: bytes) -> str:
    """UTF-8 where the file is that, else Latin-1, in which every byte is a letter."""
    try:
        raw.decode("utf-8")
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8"


def text_of(raw: bytes) -> str:
    """A program file as the desk shows it: every line ends with a line feed."""
    return raw.removeprefix(BOM).decode(_encoding(raw)).replace("\r\n", "\n").replace("\r", "\n")


def rewritten(raw: bytes, text: str) -> bytes:
    """The file with the desk's text in it: lines at its beginning and end that were not touched stay byte for byte, the others
    are written in the file's own encoding, with the line end it mostly has. Raises Refused for letters it cannot hold."""
    lines = re.findall(rb"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+$", raw.removeprefix(BOM))
    shown = re.findall(r"[^\n]*\n|[^\n]+$", text)
    encoding = _encoding(raw)
    was = [line.decode(encoding).replace("\r\n", "\n").replace("\r", "\n") for line in lines]
    first = next((i for i, (a, b) in enumerate(zip(was, shown, strict=False)) if a != b), min(len(was), len(shown)))
    most = min(len(was), len(shown)) - first
    last = next((i for i in range(most) if was[-1 - i] != shown[-1 - i]), most)
    end = b"\r\n" if 2 * raw.count(b"\r\n") > raw.count(b"\n") else b"\n" if b"\n" in raw or b"\r" not in raw else b"\r"
    try:
        middle = "".join(shown[first : len(shown) - last]).encode(encoding).replace(b"\n", end)
    except UnicodeEncodeError as error:
        raise Refused(
            f"'{text[error.start : error.start + 1]}' cannot be written in this file's encoding (Latin-1)"
        ) from error
    head = BOM if raw.startswith(BOM) else b""
    return head + b"".join(lines[:first]) + middle + b"".join(lines[len(lines) - last :] if last else [])


def _named(data: Json) -> list[str]:
    """The programs that a job.json names."""
    return [name for entry in data.get("programs", []) for name in [entry["main"], *entry.get("library", [])]]


def _written(base: Job, named: list[str], programs: dict[str, str]) -> dict[str, bytes]:
    """The files of the programs that a screen holds: those of the job in their own encoding, new ones in UTF-8. Every program
    that is named must be there. Raises Refused."""
    if sum(len(text) for text in programs.values()) > MOST_TEXT:
        raise Refused(f"the programs are larger than {MOST_TEXT // 10**6} MB together")
    if lacking := [name for name in named if name not in base.programs and name not in programs]:
        raise Refused(f"the job names the program '{lacking[0]}', but has no such file")
    if strange := sorted(set(programs) - set(named)):
        raise Refused(f"the job has no program '{strange[0]}'")
    made = {}
    for name, text in programs.items():
        if name in base.programs:
            made[name] = rewritten(base.programs[name], text)
            continue
        if (
            PurePath(name).suffix.lower() in setups.NO_PROGRAMS
            or not re.fullmatch(r"[\w .+-]{1,120}", name)
            or name.strip(" .") != name
        ):
            raise Refused(
                f"'{name}' is no name for a program: letters, digits, blanks, point, + and -, and no ending of another kind of file"
            )
        made[name] = text.encode()
    return made


def edited(revision: Revision, programs: dict[str, str], data: Json | None, tools: Json | None) -> Job:
    """The revision's job with the texts, job.json and tools that a screen holds. Raises Refused."""
    base = setups.opened(revision, data)
    named = [name for entry in base.file.programs for name in [entry.main, *entry.library]]
    texts = {**base.programs, **_written(base, named, programs)}
    made = replace(base, programs=texts, file=file_followed(base.file, base.programs, texts))
    for name in ("body_meshes", "link_meshes"):  # worked out once for the job, not once a keystroke
        made.__dict__[name] = getattr(base, name)
    if tools is not None:
        try:
            made.tools = ToolsFile.model_validate(tools)
        except ValidationError as error:
            first = error.errors()[0]
            raise Refused(f"tools: {'.'.join(str(p) for p in first['loc'])}: {first['msg']}") from error
    return by_house_rules(made, revision.job.organisation)


def arm(job: Job) -> Json:
    """How an arm goes through the programs. Raises Refused where the job has none."""
    told: Json = aside.do("arm", job)
    return told


def arm_block(job: Job, program: str, line: int, at: dict[str, float], feed: float | None) -> Json:
    """A line that brings an arm to joint values. Raises Refused."""
    told: Json = aside.do("arm_block", job, program, line, at, feed)
    return told


def check(job: Job, path: bool, channel: int = 0) -> Json:
    """Findings, operations and, where asked for, the path of a channel (0: the first). Raises Refused."""
    told: Json = aside.do("check", job, path, channel)
    return told


def explain(job: Job, program: str, line: int) -> Json:
    """A block in plain words, with the state before and after it. Raises Refused."""
    if program not in job.programs:
        raise Refused(f"the job has no program '{program}'")
    told: Json = aside.do("explain", job, program, line)
    return told


def save(
    revision: Revision,
    programs: dict[str, str],
    data: Json | None,
    tools: Json | None,
    user: AbstractBaseUser,
    label: str,
) -> Revision:
    """The desk's programs (and tools, and job.json) as a new revision of the job. What was not touched stays byte for byte."""
    held = setups.opened(revision)
    files: dict[str, bytes] = {}
    named = list(held.programs)
    if data is not None:
        try:
            JobFile.model_validate(data)
        except ValidationError as error:
            first = error.errors()[0]
            raise Refused(f"job.json: {'.'.join(str(p) for p in first['loc'])}: {first['msg']}") from error
        named = _named(data)
    files.update(_written(held, named, programs))
    whole = data if data is not None else setups.job_data(revision)[0]
    moved = followed(whole.get("postures", []), held.programs, files)  # those of lines that were moved go along
    if data is not None or moved != whole.get("postures", []):
        own = {"postures": moved} if moved else {}
        files["job.json"] = json.dumps({**whole, **own, "name": revision.job.name}, indent=1).encode()
    if tools is not None:
        with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
            name = json.loads(bundle.read("job.json").decode("utf-8-sig"))["tools"]
        files[name] = json.dumps(tools, indent=1).encode()
    gone = [name for name in held.programs if name not in named]
    return setups.changed(revision, files, user, label, gone)


def program_file(job: Job, name: str) -> bytes:
    """A program as it is held, as the file that it is. Raises Refused."""
    if name not in job.programs:
        raise Refused(f"the job has no program '{name}'")
    return job.programs[name]


# --- rules ----------------------------------------------------------------------------------------------------------------


def house_rules(organisation: Organisation) -> dict[str, str]:
    return dict(RuleSetting.objects.filter(organisation=organisation).values_list("rule", "setting"))


def by_house_rules(job: Job, organisation: Organisation) -> Job:
    """The job with its organisation's settings of the rules, under its own, and read no further than this installation allows: where it ends
    earlier than the job wants, reading says so."""
    checks, limits = job.file.checks, job.file.limits
    rules = {**house_rules(organisation), **checks.rules}
    bounds = {
        "blocks": min(limits.blocks, settings.MOST_BLOCKS),
        "seconds": min(limits.seconds, settings.MOST_READING_SECONDS),
    }
    update = {"checks": checks.model_copy(update={"rules": rules}), "limits": limits.model_copy(update=bounds)}
    job.file = job.file.model_copy(update=update)
    return job


def as_rehearsed(rehearsal: Rehearsal, folder: Path) -> tuple[Job, dict[routes.Key, Handed]]:
    """A rehearsal's job unpacked into a folder as it was rehearsed, with the house's rules, the job's measures and what steps before it
    had left; and those. Raises JobUnreadable."""
    revision = rehearsal.revision
    try:
        taken = routes.taken_then(rehearsal)
    except routes.Lacking as error:
        raise JobUnreadable("route", str(error)) from error
    opened = setups.unpacked_job(revision, folder, {key: item.left for key, item in taken.items()})
    job = by_house_rules(opened, revision.job.organisation)
    return given(measuring.with_measures(job, revision.job), taken), taken


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
