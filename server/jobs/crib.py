"""Single tools and fixtures of the library: kept from a setup, found by words, and brought onto another."""

import json
import tempfile
import zipfile
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from posixpath import normpath
from typing import Any

from django.contrib.auth.models import AbstractBaseUser

from accounts.models import Organisation
from bluntmirror.job import JobUnreadable
from bluntmirror.job.loading import data_in_millimetres, inside
from bluntmirror.job.models import ToolsFile

from . import setups
from .models import LibraryFile, Revision
from .reading import files_named, packed
from .services import Refused, keep_in_library

Json = dict[str, Any]
MOST_FOUND = 60
# What a tool has from the machine it stands in, and a fixture from the setup it stood on: left behind.
OF_THE_PLACE = {
    LibraryFile.Kind.TOOL: ("registers", "station", "turret", "rack"),
    LibraryFile.Kind.FIXTURE: ("mount", "at", "turn", "present", "of"),
}  # fmt: skip


def keep(revision: Revision, kind: str, data: Json, user: AbstractBaseUser) -> LibraryFile:
    """A tool of a setup's table, or one of its bodies, as a new number of its name, with the files it names. Raises Refused."""
    if kind not in OF_THE_PLACE:
        raise Refused(f"the library keeps no single '{kind}'")
    if kind == LibraryFile.Kind.FIXTURE and data.get("role") not in ("fixture", "access"):
        raise Refused(f"{data.get('name')} is no fixture: what is worked belongs to its job")
    made = {key: value for key, value in data.items() if key not in OF_THE_PLACE[LibraryFile.Kind(kind)]}
    raw = json.dumps(made, indent=1).encode()
    names = files_named(made)
    if names:
        raw = _with_files(revision, kind, raw, names)
    return keep_in_library(revision.job.organisation, user, kind, raw, str(data.get("name") or kind))


def _with_files(revision: Revision, kind: str, raw: bytes, names: set[str]) -> bytes:
    with tempfile.TemporaryDirectory(prefix="mirror-") as place:
        folder, own = Path(place) / "job", Path(place) / "own"
        setups.unpack(revision, folder)
        own.mkdir()
        (own / f"{kind}.json").write_bytes(raw)
        try:
            for name in names:
                target = own / normpath(name)
                source = inside(folder, name, "shape.file")
                target.parent.mkdir(parents=True, exist_ok=True)
                target.write_bytes(source.read_bytes())
        except JobUnreadable as error:
            raise Refused(str(error)) from error
        return packed(own)[0]


def found(organisation: Organisation, kind: str, words: str) -> tuple[list[Json], int]:
    """What is kept and answers to every one of some words, at most MOST_FOUND of it, and how many there are: the newest numbers, of tools
    those of the tool tables, too."""
    if kind not in OF_THE_PLACE:
        raise Refused(f"the library keeps no single '{kind}'")
    wanted = words.casefold().split()
    rows = [row for row in _all(organisation, kind) if all(word in row["says"].casefold() for word in wanted)]
    return rows[:MOST_FOUND], len(rows)


def _all(organisation: Organisation, kind: str) -> Iterator[Json]:
    for item in _newest(organisation, kind):
        yield _row(item, None, item.data, "")
    if kind == LibraryFile.Kind.TOOL:
        for table in _newest(organisation, LibraryFile.Kind.TOOLS):
            for place, tool in enumerate(_tools_of(table)):
                yield _row(table, place, tool, table.name)


def _row(item: LibraryFile, place: int | None, data: Json, table: str) -> Json:
    name = data.get("name") or f"T{data.get('number')}"
    summary = summary_of(data)
    return {
        "item": item.pk,
        "entry": place,
        "name": name,
        "summary": summary,
        "table": table,
        "says": f"{name} {summary} {table}",
    }


def _newest(organisation: Organisation, kind: str) -> list[LibraryFile]:
    first: dict[str, LibraryFile] = {}
    for item in LibraryFile.objects.filter(organisation=organisation, kind=kind):  # the newest number of a name first
        first.setdefault(item.name, item)
    return list(first.values())


def _tools_of(table: LibraryFile) -> list[Json]:
    tools: list[Json] = data_in_millimetres(table.data, table.name, ToolsFile)["tools"]
    return tools


def summary_of(data: Json) -> str:
    """A tool, or a fixture, in a few words."""
    if "cutter" in data:
        cutter = data["cutter"]
        parts = [str(cutter["type"]).replace("-", " ")]
        size = cutter.get("diameter", cutter.get("tip_diameter"))
        parts += [f"D{size:g}"] if size else []
        corner = cutter.get("corner_radius") or cutter.get("nose_radius")
        parts += [f"R{corner:g}"] if corner else []
        return f"{' '.join(parts)}, {data['length']:g} to the gauge point"
    made = data.get("made_by") or {}  # anything may stand in it: nothing else reads it
    measures = made.get("measures")
    told = [
        f"{name.replace('_', ' ')} {value:g}"
        for name, value in sorted(measures.items() if isinstance(measures, dict) else ())
        if isinstance(value, int | float)
    ]
    if made.get("fixture"):
        return ", ".join([str(made["fixture"]).replace("-", " "), *told])
    shapes = Counter(str(shape.get("file") or shape["type"]) for shape in data.get("shapes") or [data["shape"]])
    return ", ".join(f"{count} × {kind}" if count > 1 else kind for kind, count in sorted(shapes.items()))


def brought(revision: Revision, item: LibraryFile, entry: int | None) -> Json:
    """A tool or a fixture to put on a setup, its files waiting there under names of their own. Raises Refused."""
    if entry is None:
        if item.kind not in OF_THE_PLACE:
            raise Refused(f"{item.name} is no single tool or fixture")
        data = item.data
    else:
        tools = _tools_of(item) if item.kind == LibraryFile.Kind.TOOLS else []
        if not 0 <= entry < len(tools):
            raise Refused(f"{item.name} has no such tool")
        data = {key: value for key, value in tools[entry].items() if key not in OF_THE_PLACE[LibraryFile.Kind.TOOL]}
    names = files_named(data)
    if not names:
        return data
    with item.meshes.open("rb") as source, zipfile.ZipFile(source) as bundle:
        waiting = {
            name: setups.drop_in(revision, Path(name).name, bundle.read(normpath(name)))["file"]
            for name in sorted(names)
        }
    renamed: Json = _renamed(data, waiting)
    return renamed


def _renamed(data: Any, waiting: dict[str, str]) -> Any:
    """The same shapes, naming other files."""
    if isinstance(data, list):
        return [_renamed(item, waiting) for item in data]
    if not isinstance(data, dict):
        return data
    return {
        key: waiting.get(value, value) if key == "file" and isinstance(value, str) else _renamed(value, waiting)
        for key, value in data.items()
    }
