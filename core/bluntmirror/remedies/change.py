"""A change of a job: lines of its programs and numbers of its tables.

edit     one line of a program (`findings.Edit`); all lines of one change count in the text as it was before it
value    one number of job.json or tools.json, by its path; in mm, whatever units the file is in
carried  the same change made twice: in a loaded job, to be rehearsed; in the files of a folder, to be kept
"""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from enum import IntEnum
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel

from ..findings import Edit
from ..job import Job
from ..job.following import file_followed, followed
from ..job.loading import INCH_MM
from ..job.models import Posture

_LINE = re.compile(rb"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+")
INCH_DECIMALS = 6


class Rank(IntEnum):
    """What a change touches, the least first: a person would sooner write another line than move a clamp."""

    LINE, REGISTER, OFFSET, TOOL, FIXTURE = range(5)


@dataclass(frozen=True)
class Value:
    """One number of a table: `path` of keys and indices in the file; `old` None where it was not given."""

    file: Literal["job", "tools"]
    path: tuple[str | int, ...]
    old: float | None
    new: float


@dataclass(frozen=True)
class Change:
    """`title` says it in a few words; `amount` how much it moves, mm, degrees or s (0 where that means nothing)."""

    title: str
    rank: Rank = Rank.LINE
    edits: tuple[Edit, ...] = ()
    values: tuple[Value, ...] = ()
    amount: float = 0.0
    postures: tuple[Posture, ...] = field(
        default=(), compare=False
    )  # that an arm is asked for besides, lengths in mm; lines of the texts as they were

    def meddles(self, other: Change) -> bool:
        """Whether both touch one line or one number, so that they cannot be made together."""
        lines = {(e.program, e.line) for e in self.edits} & {(e.program, e.line) for e in other.edits}
        if any(
            a.program == b.program and a.first <= b.last and b.first <= a.last
            for a in self.postures
            for b in other.postures
        ):
            return True
        return bool(lines or {(v.file, v.path) for v in self.values} & {(v.file, v.path) for v in other.values})


def together(changes: Sequence[Change]) -> Change:
    """Several that do not meddle, made at once."""
    return Change(
        "; ".join(change.title for change in changes), max(change.rank for change in changes),
        tuple(edit for change in changes for edit in change.edits), tuple(v for change in changes for v in change.values),
        postures=tuple(posture for change in changes for posture in change.postures),
    )  # fmt: skip


def applied(job: Job, change: Change) -> Job:
    """The job with a change made; the given one is left alone. Raises ValueError where a line is not what the change says."""
    programs = dict(job.programs)
    for name in {edit.program for edit in change.edits}:
        programs[name] = edited(programs[name], [edit for edit in change.edits if edit.program == name])
    file, tools = job.file, job.tools
    for value in change.values:
        if value.file == "job":
            file = _with(file, value.path, value.new)
        else:
            tools = _with(tools, value.path, value.new)
    if change.postures:
        file = file.model_copy(update={"postures": [*file.postures, *change.postures]})
    file = file_followed(file, job.programs, programs)
    made = replace(job, programs=programs, file=file, tools=tools)
    for worked_out in ("link_meshes",) if file is not job.file else ("link_meshes", "body_meshes"):
        made.__dict__[worked_out] = getattr(job, worked_out)
    return made


def edited(data: bytes, edits: Sequence[Edit]) -> bytes:
    """A program's bytes with lines changed; line ends stay as they are. Raises ValueError where a line is another."""
    lines = _LINE.findall(data)
    end = next((line[len(line.rstrip(b"\r\n")) :] for line in lines if line.rstrip(b"\r\n") != line), b"\n")
    # From the end; what comes before a line after the line itself, the last of it first.
    for _, edit in sorted(
        enumerate(edits), key=lambda pair: (pair[1].line, pair[1].old is not None, pair[0]), reverse=True
    ):
        at = edit.line - 1
        if edit.old is None:
            lines.insert(at, _encoded(edit.new) + end)
            continue
        if at >= len(lines) or _text(lines[at]) != edit.old:
            raise ValueError(f"{edit.program}, line {edit.line}, is not what it was")
        tail = lines[at][len(lines[at].rstrip(b"\r\n")) :]
        head = b"\xef\xbb\xbf" if at == 0 and data.startswith(b"\xef\xbb\xbf") else b""
        lines[at : at + 1] = [] if edit.new is None else [head + _encoded(edit.new) + tail]
    return b"".join(lines)


def _text(line: bytes) -> str:
    return line.removeprefix(b"\xef\xbb\xbf").rstrip(b"\r\n").decode("latin-1")


def _encoded(text: str | None) -> bytes:
    return (text or "").encode("latin-1", "replace")


def _with(model: Any, path: tuple[str | int, ...], value: float) -> Any:
    """A model, list, tuple or table with one value changed, and all else shared."""
    if not path:
        return value
    key, rest = path[0], path[1:]
    if isinstance(model, BaseModel):
        return model.model_copy(update={str(key): _with(getattr(model, str(key)), rest, value)})
    if isinstance(model, dict):
        return {**model, key: _with(model.get(key), rest, value)}
    items = [_with(item, rest, value) if i == key else item for i, item in enumerate(model)]
    return type(model)(items)


def rewritten(data: dict[str, Any], values: Sequence[Value]) -> dict[str, Any]:
    """A table as it stands in its file, in its own units, with numbers changed."""
    inch = data.get("units", "mm") == "inch"
    whole: Any = json.loads(json.dumps(data))
    for value in values:
        at: Any = whole
        for key, after in zip(value.path[:-1], value.path[1:], strict=True):
            if isinstance(at, dict) and key not in at:
                at[key] = [0.0, 0.0, 0.0] if isinstance(after, int) else {}
            at = at[key]
        at[value.path[-1]] = round(value.new / INCH_MM, INCH_DECIMALS) if inch else value.new
    return dict(whole)


def written(job: Job, change: Change) -> dict[str, bytes]:
    """The files of the job's folder that a change makes anew, by their names. Raises ValueError where one is not what it was."""
    files: dict[str, bytes] = {}
    for name in sorted({edit.program for edit in change.edits}):
        edits = [edit for edit in change.edits if edit.program == name]
        files[name] = edited((job.folder / name).read_bytes(), edits)
    for kind, name in (("job", job.file_name), ("tools", job.file.tools)):
        values = [value for value in change.values if value.file == kind]
        data = json.loads((job.folder / name).read_text("utf-8-sig")) if values or kind == "job" else {}
        made = rewritten(data, values) if values else data
        if kind == "job":
            made = _with_postures(
                made, change.postures, {name: (job.folder / name).read_bytes() for name in files}, files
            )
        if made is not data:
            files[name] = (json.dumps(made, indent=1, ensure_ascii=False) + "\n").encode()
    return files


def _with_postures(
    data: dict[str, Any], postures: Sequence[Posture], before: dict[str, bytes], after: dict[str, bytes]
) -> dict[str, Any]:
    """A job.json with postures more, and all of them gone along with their lines; itself where nothing of it changes."""
    factor = INCH_MM if data.get("units") == "inch" else 1.0
    more = [
        posture.model_dump(exclude_defaults=True)
        | ({"rail": {axis: value / factor for axis, value in posture.rail.items()}} if posture.rail else {})
        for posture in postures
    ]
    own = data.get("postures", [])
    moved = followed([*own, *more], before, after)
    return data if moved == own else {**data, "postures": moved}


def write_to(folder: Path, files: dict[str, bytes]) -> None:
    for name, data in files.items():
        (folder / name).write_bytes(data)
