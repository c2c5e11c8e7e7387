"""What comes from outside is read here: job folders, archives, models, drawings, tables. It knows the computation and no tables: helpers carry it out
(`aside`), so that a file that asks for too much ends with one clear answer and harms nobody."""

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from accounts.refused import Refused
from bluntmirror.geometry.drawing import read_outline, read_profile
from bluntmirror.geometry.mesh import Mesh, extrude, revolve
from bluntmirror.geometry.meshfile import MeshUnreadable, read_mesh, write_stl
from bluntmirror.job import JobUnreadable
from bluntmirror.job.loading import inside, open_within, read_machine, read_model, read_tools, unzip
from bluntmirror.job.models import Body, ToolEntry
from bluntmirror.job.route import open_route
from bluntmirror.job.urdf import NotUrdf, from_urdf

Json = dict[str, Any]
INCH_MM = 25.4


class FixtureFile(Body):
    """A fixture of the library: a body that stands nowhere yet."""

    mount: str = ""


@dataclass(frozen=True)
class JobRead:
    """What is known of a job once all its files have been read."""

    name: str
    machine: str
    folder: Path


@dataclass(frozen=True)
class RouteRead:
    """A route whose every file has been read: its steps' names and folders, and the stocks that each takes from those before it."""

    name: str
    steps: list[str]
    folders: list[Path]
    carries: list[list[tuple[str, str]]]


@dataclass(frozen=True)
class LibraryRead:
    """A file of the library: what it calls itself, its JSON, and the files it names as one archive (empty where there are none)."""

    name: str
    raw: bytes
    meshes: bytes


def packed(folder: Path) -> tuple[bytes, str]:
    """A folder's files as one archive, the same bytes for the same files, and their digest."""
    out = io.BytesIO()
    total = hashlib.sha256()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        for file in sorted(p for p in folder.rglob("*") if p.is_file()):
            name = file.relative_to(folder).as_posix()
            data = file.read_bytes()
            total.update(name.encode() + b"\0" + len(data).to_bytes(8, "big") + data)
            bundle.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return out.getvalue(), total.hexdigest()


def files_named(data: object) -> set[str]:
    """The files that shapes in a machine, a tool table or a job name."""
    if isinstance(data, list):
        return set().union(*map(files_named, data))
    if not isinstance(data, dict):
        return set()
    own = {str(data["file"])} if data.get("type") in ("mesh", "revolve", "extrude") and data.get("file") else set()
    return own.union(*map(files_named, data.values()))


def job(path: Path, into: Path, carried: dict[tuple[str, str], Mesh] | None) -> JobRead:
    """Read a job: a folder, a job.json in one, or a zip, which is unpacked `into` a folder of its own. Raises Refused."""
    try:
        if not path.exists():
            raise JobUnreadable(str(path), "no such file or folder")
        zipped = path.is_file() and path.suffix.lower() == ".zip"
        folder = path if path.is_dir() else path.parent
        read = open_within(lambda _: unzip(path, into) if zipped else folder, str(path), carried)
    except JobUnreadable as error:
        raise Refused(str(error)) from error
    return JobRead(read.name, read.machine.name, read.folder)


def route(path: Path, into: Path) -> RouteRead | None:
    """Read a route; None for what is none. An archive is unpacked `into` a folder of its own, whatever is in it. Raises Refused."""
    try:
        zipped = path.is_file() and path.suffix.lower() == ".zip"
        found = open_route(unzip(path, into) if zipped else path)
    except JobUnreadable as error:
        raise Refused(str(error)) from error
    return found and RouteRead(found.file.name, [step.name for step in found.file.steps], found.folders, found.carries)


def library(kind: str, raw: bytes, shown: str, into: Path) -> LibraryRead:
    """Read a machine, a tool table, a tool or a fixture: its JSON, a zip of that with the files it names, or a machine as URDF. Raises Refused."""
    place, meshes = into, b""
    try:
        if kind == "machine" and shown.lower().endswith(".urdf"):
            raw = json.dumps(from_urdf(raw.decode("utf-8-sig", "replace")), indent=1).encode()
        elif raw[:4] == b"PK\x03\x04":
            (place / "in.zip").write_bytes(raw)
            unzip(place / "in.zip", place)
            (place / "in.zip").unlink()
            found = next(iter(sorted(place.rglob(f"{kind}.json"))), None)
            if found is None:
                raise Refused(f"{shown}: there is no {kind}.json in it")
            place, raw = found.parent, found.read_bytes()
            found.unlink()
            meshes = packed(place)[0]
        file = into / "file.json"
        file.write_bytes(raw)
        name = _own_name(kind, file, shown)
        for named in files_named(json.loads(raw.decode("utf-8-sig"))):
            inside(place, named, "shape.file")
    except NotUrdf as error:
        raise Refused(f"{shown}: {error}") from error
    except JobUnreadable as error:
        raise Refused(str(error)) from error
    return LibraryRead(name or shown, raw, meshes)


def _own_name(kind: str, file: Path, shown: str) -> str:
    """What a library file calls itself, read as what it is. Raises JobUnreadable."""
    if kind == "machine":
        return read_machine(file, shown).name
    if kind == "tools":
        return read_tools(file, shown).name or ""
    if kind == "tool":
        tool = read_model(file, shown, ToolEntry)
        return tool.name or f"T{tool.number}"
    return read_model(file, shown, FixtureFile).name


def shapes(file: Path, shown: str, inches: Path | None) -> list[Json]:
    """What a model or drawing can be: kind, size (mm) and whether it is closed; `inches`: where the same is written in mm, of a model in inches.
    Raises Refused."""
    try:
        if file.suffix == ".dxf":
            solids = _solids_of(file)
        else:
            mesh = read_mesh(file)
            if inches is not None:
                mesh = Mesh(mesh.vertices * INCH_MM, mesh.faces)
                write_stl(inches, mesh)
            solids = {"mesh": mesh}
    except MeshUnreadable as error:
        raise Refused(f"{shown}: {error}") from error
    return [
        {"type": kind, "size": [round(float(c), 3) for c in np.ptp(mesh.bounds, axis=0)], "closed": bool(mesh.closed)}
        for kind, mesh in solids.items()
    ]


def _solids_of(drawing: Path) -> dict[str, Mesh]:
    """What a drawing can be made into: turned about its y axis, drawn out by 1 mm. Raises MeshUnreadable when neither."""
    made: dict[str, Mesh] = {}
    failed: MeshUnreadable | None = None
    for kind, make in (
        ("revolve", lambda: revolve(read_profile(drawing))),
        ("extrude", lambda: extrude(read_outline(drawing), 1.0)),
    ):
        try:
            made[kind] = make()
        except MeshUnreadable as error:
            failed = error
        except ValueError as error:
            failed = MeshUnreadable(str(error))
    if not made and failed:
        raise failed
    return made


FUNCTIONS: dict[str, Callable[..., Any]] = {"job": job, "route": route, "library": library, "shapes": shapes}
