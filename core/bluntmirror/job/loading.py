"""Opening a job: a folder, its job.json, or a zip of it. Everything that can be wrong is said in one line."""

from __future__ import annotations

import json
import lzma
import math
import shutil
import stat
import struct
import tempfile
import weakref
import zipfile
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path, PurePosixPath
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from ..geometry import mesh as meshes
from ..geometry.frames import frame
from ..geometry.hull import is_convex
from ..geometry.mesh import Mesh
from ..geometry.meshfile import MeshUnreadable, read_mesh
from . import models
from .carried import CutBefore
from .models import JobFile, MachineFile, ToolsFile

MAX_JSON_BYTES = 50_000_000
MAX_PROGRAM_BYTES = 150_000_000
MAX_DIALECT_BYTES = 1_000_000
MAX_ZIP_FILES = 2_000
MAX_ZIP_BYTES = 1_000_000_000
MAX_ZIP_RATIO = 200
ROOTS = ("job.json", "route.json")  # what lies at the root of an archive
INCH_MM = 25.4  # exact since 1959 (ISO 80000-3)

Model = TypeVar("Model", bound=BaseModel)


class JobUnreadable(Exception):
    """A job that cannot be read: file, place, what is wrong, what to do; one line."""

    def __init__(self, file: str, what: str) -> None:
        super().__init__(f"{file}: {' '.join(what.split())}")


class Unpacked:
    """A folder of its own, which goes when nothing refers to it any more."""

    def __init__(self) -> None:
        self.name = tempfile.mkdtemp(prefix="bluntmirror-")
        self._end = weakref.finalize(self, shutil.rmtree, self.name, True)

    def cleanup(self) -> None:
        self._end()


@dataclass
class Job:
    """A job as loaded: every file read and checked, lengths in mm. Programs are bytes, read later by `program`."""

    folder: Path
    file: JobFile
    machine: MachineFile
    tools: ToolsFile
    programs: dict[str, bytes]
    dialect_files: dict[str, bytes] = field(default_factory=dict)
    file_name: str = "job.json"  # in the folder
    carried: dict[tuple[str, str], Mesh] = field(
        default_factory=dict
    )  # step and body of a route → what it left, in its own frame
    origins: dict[tuple[str, str], Mesh] = field(default_factory=dict)  # of the same, what it was before its first step
    cut_before: dict[tuple[str, str], CutBefore] = field(default_factory=dict)  # of the same: who cut which face
    renamed: dict[str, str] = field(default_factory=dict)  # of a channel's view: its word → the machine's own axis name
    _meshes: dict[str, Mesh] = field(default_factory=dict)
    _drawings: dict[tuple[str, bool], list[models.Pair]] = field(default_factory=dict)
    _unpacked: Unpacked | None = None

    @property
    def name(self) -> str:
        return self.file.name

    def solid(self, shapes: list[models.Shape], where: str) -> list[Mesh]:
        """The shapes as meshes in the frame they are drawn in, one mesh a shape. Raises JobUnreadable."""
        result = []
        for i, shape in enumerate(shapes):
            place = f"{where}[{i}]"
            try:
                result.append(self._shape(shape).moved(frame(shape.at, shape.turn)))
            except MeshUnreadable as error:
                raise JobUnreadable(getattr(shape, "file", place), str(error)) from error
            except ValueError as error:
                raise JobUnreadable(
                    place.removesuffix("[0]") if isinstance(shape, models.Carried) else place, str(error)
                ) from error
        return result

    def _shape(self, shape: models.Shape) -> Mesh:
        if isinstance(shape, models.Box):
            return meshes.box(shape.size)
        if isinstance(shape, models.Cylinder):
            return meshes.cylinder(shape.diameter, shape.length)
        if isinstance(shape, models.Tube):
            return meshes.tube(shape.outer, shape.inner, shape.length)
        if isinstance(shape, models.Revolve):
            return meshes.revolve(self._drawn(shape))
        if isinstance(shape, models.Extrude):
            return meshes.extrude(self._drawn(shape), shape.height)
        if isinstance(shape, models.Carried):
            if (shape.step, shape.body) not in self.carried:
                raise ValueError(
                    f"its stock is what '{shape.step}' leaves of '{shape.body}': verify the route, not this job alone"
                )
            return self.carried[shape.step, shape.body]
        if shape.file not in self._meshes:
            self._meshes[shape.file] = read_mesh(inside(self.folder, shape.file, "shape.file"))
        return self._meshes[shape.file]

    def _drawn(self, shape: models.Revolve | models.Extrude) -> Sequence[models.Pair]:
        """The profile or outline: given in the file, or drawn in one beside it."""
        turned = isinstance(shape, models.Revolve)
        given = shape.profile if isinstance(shape, models.Revolve) else shape.outline
        if given is not None:
            return given
        assert shape.file
        key = (shape.file, turned)
        if key not in self._drawings:
            path = inside(self.folder, shape.file, "shape.file")
            from ..geometry.drawing import read_outline, read_profile  # a library of its own that few jobs need

            self._drawings[key] = read_profile(path) if turned else read_outline(path)
        return self._drawings[key]

    def pieces(self, shapes: list[models.Shape]) -> list[Mesh]:
        """The shapes in convex pieces, in the frame they are drawn in; empty when one of them cannot be had so."""
        result: list[Mesh] = []
        for shape in shapes:
            made: list[Mesh] = []
            if isinstance(shape, models.Box | models.Cylinder):
                made = [self._shape(shape)]
            elif isinstance(shape, models.Revolve):
                made = meshes.revolve_pieces(self._drawn(shape))
            elif isinstance(shape, models.Extrude):
                made = meshes.extrude_pieces(self._drawn(shape), shape.height)
            elif isinstance(shape, models.MeshFile) and is_convex(self._shape(shape)):
                made = [self._shape(shape)]
            if not made:
                return []
            result += [mesh.moved(frame(shape.at, shape.turn)) for mesh in made]
        return result

    @cached_property
    def body_meshes(self) -> dict[str, list[Mesh]]:
        """Every body's shapes, in the frame of its mount."""
        result = {}
        for body in self.file.bodies:
            shapes = body.shapes or [body.shape]  # type: ignore[list-item]
            placed = frame(body.at, body.turn)
            result[body.name] = [m.moved(placed) for m in self.solid(shapes, f"job.json: bodies.{body.name}")]
        return result

    @cached_property
    def link_meshes(self) -> dict[str, list[Mesh]]:
        """Every machine link's shapes, in the frame of the link."""
        return {
            link.name: self.solid(self.shapes_of(link), f"{self.file.machine}: links.{link.name}")
            for link in self.machine.links
        }

    def shapes_of(self, link: models.Link) -> list[models.Shape]:
        """A link's shapes; none where it is an accessory that this unit has off."""
        off = self.machine.unit.off if self.machine.unit else []
        return [] if link.accessory in off else link.shapes


def open_job(path: Path, carried: dict[tuple[str, str], Mesh] | None = None) -> Job:
    """Open a folder, a job.json or a .zip. `carried`: what earlier steps of a route left. Raises JobUnreadable."""
    if not path.exists():
        raise JobUnreadable(str(path), "no such file or folder")
    if path.is_file() and path.suffix.lower() == ".zip":
        return open_within(lambda folder: unzip(path, folder), str(path), carried)
    if path.is_dir():
        return _open_folder(path, "job.json", str(path), carried)
    return _open_folder(path.parent, path.name, str(path), carried)


def open_within(fill: Callable[[Path], Path], shown: str, carried: dict[tuple[str, str], Mesh] | None = None) -> Job:
    """Open what `fill` puts into a folder of its own, which stays as long as the job does; it returns the one that holds job.json.
    `shown`: what errors call it. Raises JobUnreadable."""
    unpacked = Unpacked()
    try:
        job = _open_folder(fill(Path(unpacked.name)), "job.json", shown, carried)
    except BaseException:
        unpacked.cleanup()
        raise
    job._unpacked = unpacked
    return job


def _open_folder(folder: Path, name: str, shown: str, carried: dict[tuple[str, str], Mesh] | None) -> Job:
    if not (folder / name).is_file():
        raise JobUnreadable(shown, "there is no job.json in it")
    return _load(folder.resolve(), name, carried or {})


def with_data(job: Job, data: dict[str, Any]) -> Job:
    """The same folder with another job.json, as data: what a setup screen holds before it is saved. Raises JobUnreadable."""
    file = model_of(data, "job.json", JobFile)
    if file.units == "inch":
        file = models.in_millimetres(file, INCH_MM)
    _check_job(file, job.machine, "job.json")
    made = Job(
        job.folder,
        file,
        job.machine,
        job.tools,
        job.programs,
        job.dialect_files,
        job.file_name,
        job.carried,
        _meshes=job._meshes,
        _unpacked=job._unpacked,
    )
    _ = made.body_meshes
    return made


def unzip(archive: Path, to: Path) -> Path:
    """Unpack an archive and return the folder that holds job.json or route.json. Path tricks, links and bombs raise JobUnreadable."""
    try:
        with zipfile.ZipFile(archive) as bundle:
            entries = bundle.infolist()
            if len(entries) > MAX_ZIP_FILES:
                raise JobUnreadable(archive.name, f"{len(entries)} files; at most {MAX_ZIP_FILES} are taken")
            if sum(e.file_size for e in entries) > MAX_ZIP_BYTES:
                raise JobUnreadable(archive.name, f"it unpacks to more than {MAX_ZIP_BYTES // 10**6} MB")
            left = MAX_ZIP_BYTES
            for entry in entries:
                parts = PurePosixPath(entry.filename.replace("\\", "/"))
                if parts.is_absolute() or ".." in parts.parts or ":" in entry.filename:
                    raise JobUnreadable(archive.name, f"the path '{entry.filename}' leaves the job folder")
                if stat.S_ISLNK(entry.external_attr >> 16):
                    raise JobUnreadable(archive.name, f"'{entry.filename}' is a link; put the file itself in")
                if entry.file_size > MAX_ZIP_RATIO * max(entry.compress_size, 1_000):
                    raise JobUnreadable(archive.name, f"'{entry.filename}' unpacks to a suspicious size")
                if entry.is_dir():
                    continue
                if not _writable(entry.filename):
                    raise JobUnreadable(archive.name, f"the name {entry.filename!a} cannot be written: rename the file")
                target = to / parts
                target.parent.mkdir(parents=True, exist_ok=True)
                with bundle.open(entry) as source, target.open("wb") as out:
                    while chunk := source.read(1 << 20):
                        left -= len(chunk)  # the sizes in the directory may lie
                        if left < 0:
                            raise JobUnreadable(archive.name, f"it unpacks to more than {MAX_ZIP_BYTES // 10**6} MB")
                        out.write(chunk)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, zlib.error, lzma.LZMAError, UnicodeError, ValueError,
            struct.error) as error:  # fmt: skip
        raise JobUnreadable(archive.name, f"not a zip that can be read: {error}") from error
    except OSError as error:
        raise JobUnreadable(archive.name, f"cannot be unpacked: {error.strerror or error}") from error
    if not any((to / root).exists() for root in ROOTS):
        inner = [p for p in to.iterdir() if p.is_dir() and not p.name.startswith(("__", "."))]
        if len(inner) == 1 and any((inner[0] / root).exists() for root in ROOTS):
            return inner[0]
    return to


def _writable(name: str) -> bool:
    """Whether a name can stand in a file system and in UTF-8 text: no lone surrogates, no zero byte."""
    try:
        return b"\0" not in name.encode("utf-8")
    except UnicodeEncodeError:
        return False


def inside(folder: Path, name: str, where: str) -> Path:
    """The file `name` of the job. Raises JobUnreadable when it leaves the folder or is not there."""
    if not _writable(name):
        raise JobUnreadable("job.json", f"{where}: {name!a} is no name that a file can have")
    parts = PurePosixPath(name.replace("\\", "/"))
    target = (folder / parts).resolve()
    if not name.strip() or parts.is_absolute() or ".." in parts.parts or not target.is_relative_to(folder.resolve()):
        raise JobUnreadable("job.json", f"{where}: the path '{name}' leaves the job folder")
    if not target.is_file():
        raise JobUnreadable(name, f"no such file in the job folder (named by {where})")
    return target


def _reject_constant(text: str) -> float:
    raise ValueError(f"{text} is not a number that can be used here")


def read_model(file: Path, shown: str, kind: type[Model]) -> Model:
    """Read one JSON file as a model. Raises JobUnreadable, with the place."""
    if file.stat().st_size > MAX_JSON_BYTES:
        raise JobUnreadable(shown, f"larger than {MAX_JSON_BYTES // 10**6} MB")
    try:
        data = json.loads(file.read_text("utf-8-sig"), parse_constant=_reject_constant)
    except json.JSONDecodeError as error:
        raise JobUnreadable(shown, f"line {error.lineno}, column {error.colno}: not valid JSON: {error.msg}") from error
    except (ValueError, RecursionError) as error:
        raise JobUnreadable(shown, f"not valid JSON: {error}") from error
    if not isinstance(data, dict):
        raise JobUnreadable(shown, "the file must hold one JSON object")
    return model_of(data, shown, kind)


def model_of(data: dict[str, Any], shown: str, kind: type[Model]) -> Model:
    """One JSON object as a model. Raises JobUnreadable, with the place."""
    try:
        return kind.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = _place(first["loc"], data)
        more = f" (and {error.error_count() - 1} more)" if error.error_count() > 1 else ""
        said = said_of(first)
        raise JobUnreadable(shown, f"{place}: {said}{more}" if place else said + more) from error


# What the validator's types of error mean, in words of ours; `ctx` gives the values.
_SAID = {
    "extra_forbidden": "this format has no such field; check its spelling",
    "missing": "this field is needed and not there",
    "string_type": "a text is needed here, in quotes", "int_type": "a whole number is needed here",
    "int_parsing": "a whole number is needed here", "int_from_float": "a whole number is needed here",
    "float_type": "a number is needed here", "float_parsing": "a number is needed here",
    "finite_number": "a number is needed here, not NaN or infinity", "bool_type": "true or false is needed here",
    "bool_parsing": "true or false is needed here", "dict_type": "an object {{ … }} is needed here",
    "model_type": "an object {{ … }} is needed here", "list_type": "a list [ … ] is needed here",
    "tuple_type": "a list [ … ] is needed here",
    "greater_than": "it must be greater than {gt}", "greater_than_equal": "it must be at least {ge}",
    "less_than": "it must be less than {lt}", "less_than_equal": "it must be at most {le}",
    "too_short": "it has {actual_length} entries; at least {min_length} are needed",
    "too_long": "it has {actual_length} entries; at most {max_length} are taken",
    "string_too_short": "it must have at least {min_length} letters", "string_too_long": "it must have at most {max_length} letters",
    "string_pattern_mismatch": "it is not written as this format wants it (pattern {pattern})",
    "literal_error": "it must be {expected}", "union_tag_invalid": "'{tag}' is none of {expected_tags}",
    "union_tag_not_found": "it lacks {discriminator}, which says what it is",
}  # fmt: skip


def said_of(error: Any) -> str:
    """One of the validator's errors in words of ours."""
    template = _SAID.get(error["type"])
    if template is None:
        return str(error["msg"]).removeprefix("Value error, ")
    given = error.get("input")
    shown = (
        f"; {json.dumps(given)[:40]} is given"
        if isinstance(given, str | int | float) and error["type"] != "extra_forbidden"
        else ""
    )
    return template.format(**error.get("ctx", {})) + shown


def _place(parts: Sequence[int | str], data: Any) -> str:
    """A place in the file as a person would name it: tools by number, bodies, links and mounts by name."""
    named: list[str] = []
    here = data
    for i, part in enumerate(parts):
        # A union's tag stands in the place without standing in the file.
        if isinstance(here, dict) and part not in here and i + 1 < len(parts):
            continue
        here = here[part] if isinstance(here, list) and isinstance(part, int) and part < len(here) else (
            here.get(part) if isinstance(here, dict) else None)  # fmt: skip
        if (
            isinstance(part, int)
            and named
            and isinstance(here, dict)
            and named[-1] in ("tools", "bodies", "links", "mounts")
        ):
            own = f"T{here['number']}" if named[-1] == "tools" and "number" in here else here.get("name")
            if own is not None:
                named[-1] = str(own) if named[-1] == "tools" else f"{named[-1]}.{own}"
                continue
        named.append(str(part))
    return ".".join(named)


def data_in_millimetres(data: dict[str, Any], shown: str, kind: type[Model]) -> dict[str, Any]:
    """The data of a job or tool table as the same in millimetres; as it is where it is so already. Raises JobUnreadable."""
    if data.get("units", "mm") == "mm":
        return data
    model = models.in_millimetres(model_of(data, shown, kind), INCH_MM)
    return {**model.model_dump(mode="json", exclude_unset=True), "units": "mm"}


def read_machine(file: Path, shown: str) -> MachineFile:
    machine = read_model(file, shown, MachineFile)
    if machine.units == "inch":
        machine = models.in_millimetres(machine, INCH_MM)
    _check_machine(machine, shown)
    return _with_turret_axes(machine)


def _with_turret_axes(machine: MachineFile) -> MachineFile:
    """A turret is its channel's to index, whether the channel lists its axis or not."""
    own: dict[int, list[str]] = {}
    for turret in machine.turrets:
        own.setdefault(turret.channel, []).append(turret.axis)
    channels = [
        channel.model_copy(
            update={"axes": [*channel.axes, *(a for a in own.get(channel.number, []) if a not in channel.axes)]}
        )
        for channel in machine.channels
    ]
    return machine.model_copy(update={"channels": channels}) if machine.turrets else machine


def read_tools(file: Path, shown: str) -> ToolsFile:
    tools = read_model(file, shown, ToolsFile)
    if tools.units == "inch":
        tools = models.in_millimetres(tools, INCH_MM)
    root = file.parents[len(Path(shown).parts) - 1]  # paths in a tool table count from the job's folder, too
    drawn = {i: _form(root, tool, shown) for i, tool in enumerate(tools.tools)
             if isinstance(tool.cutter, models.ProfileCutter) and tool.cutter.profile is None}  # fmt: skip
    return (
        tools.model_copy(update={"tools": [drawn.get(i, tool) for i, tool in enumerate(tools.tools)]})
        if drawn
        else tools
    )


def _form(folder: Path, tool: models.ToolEntry, shown: str) -> models.ToolEntry:
    """A form tool with the profile that its drawing has: from the tip up the outside of the drawing's closed outline."""
    from ..geometry.drawing import outside_of, read_profile  # a library of its own that few jobs need

    cutter = tool.cutter
    assert isinstance(cutter, models.ProfileCutter) and cutter.file
    place = f"T{tool.number}.cutter.file"
    try:
        ring = read_profile(inside(folder, cutter.file, place))
        profile = outside_of(ring)
    except MeshUnreadable as error:
        raise JobUnreadable(shown, f"{place}: {cutter.file}: {error}") from error
    return tool.model_copy(update={"cutter": cutter.model_copy(update={"profile": profile})})


def _load(folder: Path, name: str, carried: dict[tuple[str, str], Mesh]) -> Job:
    file = read_model(folder / name, name, JobFile)
    if file.units == "inch":
        file = models.in_millimetres(file, INCH_MM)
    machine = read_machine(inside(folder, file.machine, "machine"), file.machine)
    tools = read_tools(inside(folder, file.tools, "tools"), file.tools)
    _check_job(file, machine, name)
    turrets = {turret.name for turret in machine.turrets}
    for tool in tools.tools:
        if tool.turret is not None and tool.turret not in turrets:
            raise JobUnreadable(file.tools, f"T{tool.number}: turret: the machine has no turret '{tool.turret}'"
                                + (f" (it has {', '.join(sorted(turrets))})" if turrets else ""))  # fmt: skip
    racks = {mount.name for mount in machine.mounts if mount.takes == "rack"}
    for tool in tools.tools:
        if tool.rack is not None and tool.rack not in racks:
            raise JobUnreadable(file.tools, f"T{tool.number}: rack: the machine has no rack mount '{tool.rack}'"
                                + (f" (it has {', '.join(sorted(racks))})" if racks else ""))  # fmt: skip
    programs: dict[str, bytes] = {}
    for i, entry in enumerate(file.programs):
        for shown in [entry.main, *entry.library]:
            path = inside(folder, shown, f"programs[{i}]")
            if path.stat().st_size > MAX_PROGRAM_BYTES:
                raise JobUnreadable(
                    shown,
                    f"{path.stat().st_size / 1e6:.0f} MB; at most {MAX_PROGRAM_BYTES // 10**6} MB are taken: "
                    "split it into subprograms",
                )
            programs[shown] = path.read_bytes()
    dialects = {}
    for i, entry in enumerate(file.programs):
        if entry.dialect not in models.DIALECTS:
            path = inside(folder, entry.dialect, f"programs[{i}].dialect")
            if path.stat().st_size > MAX_DIALECT_BYTES:
                raise JobUnreadable(entry.dialect, f"the dialect file is larger than {MAX_DIALECT_BYTES // 1000} kB")
            dialects[entry.dialect] = path.read_bytes()
    job = Job(folder, file, machine, tools, programs, dialects, name, carried)
    _ = job.body_meshes, job.link_meshes  # a broken mesh is an unreadable job: say so now
    return job


def _check_machine(machine: MachineFile, shown: str) -> None:
    names = [link.name for link in machine.links]
    known: set[str] = set()
    axes: dict[str, models.Joint] = {}
    for link in machine.links:
        if names.count(link.name) > 1:
            raise JobUnreadable(shown, f"links: two links are called '{link.name}'")
        if link.parent is not None and link.parent not in names:
            raise JobUnreadable(shown, f"links.{link.name}: there is no link '{link.parent}'")
        if link.joint:
            if link.joint.axis in axes:
                raise JobUnreadable(shown, f"links.{link.name}: axis {link.joint.axis} already moves another link")
            axes[link.joint.axis] = link.joint
    for axis, joint in axes.items():
        for other in joint.moved_by:
            if other not in axes or axes[other].type != "linear":
                raise JobUnreadable(
                    shown, f"joint {axis}: moved_by names {other}, which is no linear axis of the machine"
                )
    for _ in names:  # every chain must end at a root: a ring of parents never becomes known
        known |= {link.name for link in machine.links if link.parent is None or link.parent in known}
    if ring := [name for name in names if name not in known]:
        raise JobUnreadable(shown, f"links: '{ring[0]}' is its own ancestor")
    for mount in machine.mounts:
        if mount.link not in names:
            raise JobUnreadable(shown, f"mounts.{mount.name}: there is no link '{mount.link}'")
    for needed in ("tool", "work"):
        if not any(m.takes == needed for m in machine.mounts):
            raise JobUnreadable(shown, f"mounts: there is none that takes '{needed}'")
    for channel in machine.channels:
        for axis in channel.axes:
            if axis not in axes:
                raise JobUnreadable(shown, f"channels.{channel.number}: no joint moves axis {axis}")
    for where, values in [*machine.reference.items(), ("tool_change.at", machine.tool_change.at)]:
        for axis in values:
            if axis not in axes:
                raise JobUnreadable(shown, f"reference {where}: no joint moves axis {axis}")
    if machine.turret and machine.turret.axis not in axes:
        raise JobUnreadable(shown, f"turret: no joint moves axis {machine.turret.axis}")
    if machine.work_spindle and machine.work_spindle.mount not in {m.name for m in machine.mounts if m.takes == "work"}:
        raise JobUnreadable(shown, f"work_spindle: there is no work mount '{machine.work_spindle.mount}'")
    for code, act in machine.codes.items():
        if act.axis and act.axis not in axes:
            raise JobUnreadable(shown, f"codes.{code}: no joint moves axis {act.axis}")
        if act.does == "move" and not any(act.axis in channel.axes for channel in machine.channels):
            raise JobUnreadable(shown, f"codes.{code}: no channel has axis {act.axis}")
    if any(not math.isfinite(j.rapid) for j in axes.values()):
        raise JobUnreadable(shown, "joints: rapid must be finite")
    _check_lists(machine, set(axes), shown)


def _check_lists(machine: MachineFile, axes: set[str], shown: str) -> None:
    """What spindles, turrets, grips, channels and codes name must be there."""
    work = {m.name for m in machine.mounts if m.takes == "work"}
    every = {m.name for m in machine.mounts}
    numbers = {c.number for c in machine.channels}
    spindles, grips = {s.name for s in machine.spindles}, {g.name for g in machine.grips}

    def must(known: bool, where: str, what: str) -> None:
        if not known:
            raise JobUnreadable(shown, f"{where}: {what}")

    joints = {link.joint.axis: link.joint for link in machine.links if link.joint}
    for channel in machine.channels:
        where = f"channels.{channel.number}.arm"
        for axis in [*channel.arm.joints, *channel.arm.rail] if channel.arm else []:
            must(axis in channel.axes, where, f"{axis} is none of the channel's axes")
            kind = "rotary" if axis in channel.arm.joints else "linear"  # type: ignore[union-attr]
            must(joints[axis].type == kind, where, f"{axis} must be a {kind} joint")
    for channel in machine.channels:
        for axis in channel.diameters:
            must(axis in channel.axes, f"channels.{channel.number}.diameters", f"{axis} is none of its axes")
    for spindle in machine.spindles:
        where = f"spindles.{spindle.name}"
        kind, mounts = ("work", work) if spindle.turns == "work" else ("tool", every - work)
        must(spindle.mount in mounts, where, f"there is no {kind} mount '{spindle.mount}'")
        must(spindle.axis is None or spindle.axis in axes, where, f"no joint moves axis {spindle.axis}")
        must(spindle.channel in numbers, where, f"there is no channel {spindle.channel}")
    for turret in machine.turrets:
        must(turret.axis in axes, f"turrets.{turret.name}", f"no joint moves axis {turret.axis}")
        must(turret.channel in numbers, f"turrets.{turret.name}", f"there is no channel {turret.channel}")
    for grip in machine.grips:
        must(grip.mount in every, f"grips.{grip.name}", f"there is no mount '{grip.mount}'")
        for axis in grip.jaws.axes if grip.jaws else []:
            must(axis in axes, f"grips.{grip.name}.jaws", f"no joint moves axis {axis}")
    for code, act in machine.codes.items():
        for name in [act.spindle, *(act.spindles or ())]:
            must(name is None or name in spindles, f"codes.{code}", f"there is no spindle '{name}'")
        must(act.grip is None or act.grip in grips, f"codes.{code}", f"there is no grip '{act.grip}'")
        for number in act.channels:
            must(number in numbers, f"codes.{code}", f"there is no channel {number}")
        if act.does in ("macro", "meet") and code[0] != "M":
            must(act.does == "macro", f"codes.{code}", "a wait mark is an M code")


def _check_axes(file: JobFile, machine: MachineFile, shown: str) -> None:
    """An offset or a shift of an axis that the machine does not have would be passed over in silence."""
    axes = {link.joint.axis for link in machine.links if link.joint}
    axes |= {word for channel in machine.channels for word in channel.words}
    if any(channel.arm for channel in machine.channels):
        axes |= set("XYZ")  # an arm's offset is a place
    had = ", ".join(sorted(axes))
    for where, offsets in _offsets(file):
        for key, value in offsets.items():
            if not isinstance(value, models.Datum):
                for axis in value:
                    if axis not in axes:
                        raise JobUnreadable(shown, f"{where}.{key}: the machine has no axis '{axis}' (it has {had})")
    for stretch in file.switches.shifts:
        for axis in stretch.by:
            if axis not in axes:
                raise JobUnreadable(shown, f"switches.shifts: the machine has no axis '{axis}' (it has {had})")


def _check_postures(file: JobFile, machine: MachineFile, shown: str) -> None:
    """A posture of no program, or of a channel without an arm, would be passed over in silence."""
    channels = {channel.number: channel for channel in machine.channels}
    of = {name: channels.get(entry.channel) for entry in file.programs for name in (entry.main, *entry.library)}
    for i, posture in enumerate(file.postures):
        where = f"postures[{i}]"
        if posture.program not in of:
            raise JobUnreadable(shown, f"{where}: the job has no program '{posture.program}'")
        if posture.first > posture.last:
            raise JobUnreadable(shown, f"{where}: first must not be above last")
        channel = of[posture.program]
        if channel is None or channel.arm is None:
            raise JobUnreadable(shown, f"{where}: the channel of '{posture.program}' has no arm")
        for axis in posture.rail:
            if axis not in channel.arm.rail:
                raise JobUnreadable(
                    shown, f"{where}: '{axis}' is no rail of the arm (it has {', '.join(channel.arm.rail) or 'none'})"
                )


def _offsets(file: JobFile) -> list[tuple[str, dict[str, Any]]]:
    """The job's table of work offsets and those that programs have of their own, each with its place in the file."""
    own = [(f"programs[{i}].work_offsets", entry.work_offsets) for i, entry in enumerate(file.programs)]
    return [("work_offsets", file.work_offsets), *((where, table) for where, table in own if table is not None)]


def _check_job(file: JobFile, machine: MachineFile, shown: str) -> None:
    mounts = {m.name: m for m in machine.mounts}
    for body in file.bodies:
        if body.mount not in mounts:
            raise JobUnreadable(
                shown, f"bodies.{body.name}: the machine has no mount '{body.mount}' (it has {', '.join(mounts)})"
            )
    for where, offsets in _offsets(file):
        for key, value in offsets.items():
            number = key.upper().replace(" ", "")
            if number not in {f"G{n}" for n in range(54, 60)} and not (
                number.startswith("G54.1P") and number[6:].isdigit() and 1 <= int(number[6:]) <= 300
            ):
                raise JobUnreadable(shown, f"{where}: '{key}' is none of G54 … G59, G54.1 P1 … P300")
            if isinstance(value, models.Datum) and value.mount not in mounts:
                raise JobUnreadable(shown, f"{where}.{key}: the machine has no mount '{value.mount}'")
    _check_axes(file, machine, shown)
    pieces = {body.name for body in file.bodies if body.role == "stock"}
    for body in file.bodies:
        if body.of is not None and body.role != "design":
            raise JobUnreadable(shown, f"bodies.{body.name}: `of` is for designs")
        if body.of is not None and body.of not in pieces:
            raise JobUnreadable(shown, f"bodies.{body.name}: of: there is no stock '{body.of}'")
    _check_postures(file, machine, shown)
    channels = {c.number for c in machine.channels}
    for entry in file.programs:
        if entry.channel not in channels:
            raise JobUnreadable(shown, f"programs: the machine has no channel {entry.channel}")
    if len({p.channel for p in file.programs}) < len(file.programs):
        raise JobUnreadable(shown, "programs: a channel has two programs")
