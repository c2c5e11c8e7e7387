"""Setting a job up and moving its machine by hand: opened jobs kept at hand, so that every answer comes in milliseconds.

Nothing is written but by `save` and `swap`, which make new revisions; a screen sends the job.json it holds with each question.
"""

import hashlib
import io
import json
import shutil
import struct
import tempfile
import threading
import zipfile
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import asdict
from pathlib import Path, PurePosixPath
from typing import Any, Generic, TypeVar

import numpy as np
from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.core.files.uploadedfile import UploadedFile
from pydantic import ValidationError

from bluntmirror.export import control_data
from bluntmirror.export.replay import model_data
from bluntmirror.geometry.features import Feature, NoSuchFeature, pick
from bluntmirror.geometry.frames import Floats, frame, inverse
from bluntmirror.geometry.mesh import Mesh, joined
from bluntmirror.job import Job, JobUnreadable, open_job
from bluntmirror.job.fixtures import LIBRARY, ROUNDS, standard_size, stock_around
from bluntmirror.job.loading import data_in_millimetres, open_within, with_data
from bluntmirror.job.mating import CannotMate, around, mate, placed, row
from bluntmirror.job.models import JobFile, ToolEntry, ToolsFile
from bluntmirror.machine import Chain
from bluntmirror.rehearsal import best_stand
from bluntmirror.rehearsal.fitting import fit, moved_onto
from bluntmirror.rehearsal.handling import HeldPiece, Moved
from bluntmirror.rehearsal.model_check import check_model
from bluntmirror.tools.assembly import build_assembly
from bluntmirror.tools.picture import pictured

from . import aside, dropped, routes
from .models import LibraryFile, Rehearsal, Revision
from .reading import files_named
from .services import Refused, keep_in_library, take_in_path

KEPT = 8  # jobs held in memory
Json = dict[str, Any]


T = TypeVar("T")


class Kept(Generic[T]):
    """The few things used last, made once each. Whoever asks for one waits while it is made, and nobody else does: a drawing of
    gigabytes that one person opens holds up no other."""

    def __init__(self, most: int = KEPT) -> None:
        self.most = most
        self.items: OrderedDict[str, T] = OrderedDict()
        self.lock = threading.Lock()  # of the two tables, never held while something is made
        self.making: dict[str, threading.Lock] = {}

    def get(self, key: str, make: Callable[[], T]) -> T:
        with self.lock:
            if key in self.items:
                self.items.move_to_end(key)
                return self.items[key]
            turn = self.making.setdefault(key, threading.Lock())
        with turn:
            with self.lock:
                if key in self.items:
                    return self.items[key]
            try:
                made = make()
                with self.lock:
                    self.items[key] = made
                    while len(self.items) > self.most:
                        self.items.popitem(last=False)
                return made
            finally:
                with self.lock:
                    self.making.pop(key, None)


_jobs: "Kept[Job]" = Kept()
_machines: "Kept[Job]" = Kept()


def unpack(revision: Revision, folder: Path) -> Path:
    with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
        bundle.extractall(folder)  # our own archives, checked when they came in
    for file in dropped.folder_of(revision).glob("*"):
        shutil.copy(file, folder / file.name)
    return folder


def unpacked_job(revision: Revision, folder: Path, carried: dict[routes.Key, Mesh] | None = None) -> Job:
    """A revision's job, unpacked into a folder of the caller's; `carried`: what is left of stocks that come from steps before. Raises
    JobUnreadable."""
    archive = folder / "job.zip"
    with revision.archive.open("rb") as source:
        archive.write_bytes(source.read())
    return open_job(archive, carried)


def opened(revision: Revision, data: Json | None = None) -> Job:
    """A revision's job, or the same with the job.json that a screen holds. Raises Refused."""
    try:
        of_steps = "".join(f":{step} {row.pk if row else 0}" for step, row in _sources(revision).items())
        key = f"{revision.job.organisation_id}:{revision.digest}{of_steps}"  # dropped files come to it: an organisation's own
        base = _jobs.get(
            key, lambda: open_within(lambda folder: unpack(revision, folder), revision.job.name, _carried(revision))
        )
        if data is None:
            return base
        return _jobs.get(f"{key}:{_key(data)}", lambda: with_data(base, data))
    except JobUnreadable as error:
        raise Refused(str(error)) from error


def _sources(revision: Revision) -> dict[str, Rehearsal | None]:
    """The rehearsals that a step's stocks are shown from, by step: the one that holds, else the last there is."""
    found: dict[str, Rehearsal | None] = {}
    for name, step in routes.source_steps(revision).items():
        before = routes.newest(step.job)
        done = Rehearsal.objects.filter(
            revision__job=step.job, state=Rehearsal.State.DONE, artifacts__name=routes.HANDED_ON
        )
        found[name] = routes.fresh(before) or done.first()
    return found


def _carried(revision: Revision) -> dict[routes.Key, Mesh]:
    """What a step's stocks are: as the step before left them, or uncut where that was never rehearsed."""
    steps, rows = routes.source_steps(revision), _sources(revision)
    handed = {name: routes.handed_by(row) for name, row in rows.items() if row}
    carried = {}
    for name, body in routes.carries_of(revision):
        if name not in steps:
            continue  # the job itself says what is wrong with it
        if body in handed.get(name, {}):
            carried[name, body] = handed[name][body].left
            continue
        before = opened(routes.newest(steps[name].job))
        own = next((item for item in before.file.bodies if item.name == body), None)
        if own is not None:
            carried[name, body] = joined(before.body_meshes[body]).moved(inverse(frame(own.at, own.turn)))
    return carried


def carried_from(revision: Revision) -> list[Json]:
    """Where the stocks of a step come from, and whether that rehearsal still holds."""
    steps, told = routes.source_steps(revision), []
    for name, last in _sources(revision).items():
        holds = last is not None and routes.fresh(routes.newest(steps[name].job)) == last
        told.append(
            {
                "step": name,
                "rehearsal": last.pk if last else None,
                "says": "" if holds else "changed" if last else "uncut",
            }
        )
    return told


def _key(data: Json) -> str:
    return hashlib.sha256(json.dumps(data, sort_keys=True).encode()).hexdigest()


def machine_alone(item: LibraryFile) -> Job:
    """A library machine as a job with nothing on it."""

    def fill(folder: Path) -> Path:
        if item.meshes:
            with item.meshes.open("rb") as source, zipfile.ZipFile(source) as bundle:
                bundle.extractall(folder)
        made = {
            "machine.json": item.data, "tools.json": {"format": "blunt-mirror/tools@1", "tools": []},
            "job.json": {"format": "blunt-mirror/job@1", "name": item.name, "machine": "machine.json", "tools": "tools.json",
                         "programs": [{"channel": channel["number"], "main": "none.nc"} for channel in item.data.get("channels", [{"number": 1}])]},
        }  # fmt: skip
        for name, data in made.items():
            (folder / name).write_text(json.dumps(data))
        (folder / "none.nc").write_text("M30\n")
        return folder

    try:
        return _machines.get(item.digest, lambda: open_within(fill, item.name))
    except JobUnreadable as error:
        raise Refused(str(error)) from error


def model_file(job: Job, more: Json | None = None) -> bytes:
    """Description and binary in one: the length of the JSON (4 bytes), the JSON padded to a multiple of 8, the binary."""
    description, binary = model_data(job)
    text = json.dumps({**description, **(more or {})}).encode()
    text += b" " * (-(len(text) + 4) % 8)
    return struct.pack("<I", len(text)) + text + binary


def faults(job: Job) -> list[dict[str, str]]:
    return [asdict(fault) for fault in check_model(job)]


def _by_hand(job: Job, name: str, *words: Any) -> Any:
    """What a job's panel answers, in a helper that holds it. Raises Refused."""
    key = job.__dict__.get("panel_key")
    if key is None:  # a job that is held never changes
        key = job.__dict__["panel_key"] = f"{id(job.folder)}:{job.folder}:{_key(job.file.model_dump(mode='json'))}"
    return aside.by_hand(key, job, name, *words)


def offsets(job: Job) -> list[Json]:
    """Every work offset, as `hands.offsets` tells them. Raises Refused."""
    told: list[Json] = _by_hand(job, "offsets")
    return told


def offset_here(job: Job, values: list[float], tool: int, channel: int = 0) -> dict[str, float]:
    told: dict[str, float] = _by_hand(job, "offset_here", values, tool, channel)
    return told


def move(
    job: Job, begin: list[float], end: list[float], tool: int, stop: bool, held: list[HeldPiece] | None = None
) -> Moved:
    told: Moved = _by_hand(job, "move", begin, end, tool, stop, held)
    return told


def lead(
    job: Job, values: list[float], tool: int, frame_of: str, shift: list[float], turn: list[float], stop: bool, channel: int = 0,
    held: list[HeldPiece] | None = None,
) -> Moved:  # fmt: skip
    """An arm's tip led along the axes of a frame, and its tool turned about it."""
    told: Moved = _by_hand(job, "lead", values, tool, frame_of, shift, turn, stop, channel, held)
    return told


def reached(job: Job, values: list[float], tool: int, body: str, channel: int, shift: list[float]) -> Json:
    """How many postures of an arm reach each place of a body."""
    told: Json = _by_hand(job, "reached", values, tool, body, channel, shift)
    return told


def stand(
    job: Job, places: list[best_stand.Place], tried: dict[best_stand.Place, tuple[float, ...]], touch: bool
) -> Json:
    """How an arm's programs go with the work shifted to some places, and where to look next; with `touch`, what is touched there."""
    told: Json = aside.do("stand", job, places, tried, touch)
    return told


def stood_at(job: Job, place: best_stand.Place) -> Json:
    """The job.json with the work and its offsets shifted."""
    try:
        return best_stand.moved_to(job, place).file.model_dump(mode="json", exclude_unset=True)
    except ValueError as error:
        raise Refused(str(error)) from error


def run_block(
    job: Job,
    values: list[float],
    tool: int,
    block: str,
    stop: bool,
    channel: int = 0,
    held: list[HeldPiece] | None = None,
) -> Moved:
    told: Moved = _by_hand(job, "run_block", values, tool, block, stop, channel, held)
    return told


# --- picking and mating -----------------------------------------------------------------------------------------------


def _mount_frame(job: Job, mount: str) -> tuple[Chain, Floats]:
    chain = Chain(job.machine)
    if mount not in chain.mounts:
        raise Refused(f"the machine has no mount '{mount}'")
    home = np.array([[job.machine.reference.get("1", {}).get(axis, 0.0) for axis in chain.axes]])
    return chain, chain.mount_pose(chain.mounts[mount], home)[0]


def picked(job: Job, body: str, triangle: int, point: list[float], kind: str, mount: str) -> Feature:
    """A feature of a body or link, in the frame of a mount as the machine stands at home. `point` in the body's link."""
    chain, standing = _mount_frame(job, mount)
    item = next((b for b in job.file.bodies if b.name == body), None)
    mesh: Mesh
    if item:
        own = chain.mounts[item.mount]
        mesh, link = joined(job.body_meshes[body]).moved(frame(own.at, own.turn)), own.link
    elif job.link_meshes.get(body):
        mesh, link = joined(job.link_meshes[body]), body
    else:
        raise Refused(f"there is no body '{body}'")
    try:
        found = pick(mesh, triangle, np.array(point, float), kind)  # type: ignore[arg-type]
    except NoSuchFeature as error:
        raise Refused(str(error)) from error
    home = np.array([[job.machine.reference.get("1", {}).get(axis, 0.0) for axis in chain.axes]])
    pose = inverse(standing) @ chain.pose(link, home)[0]
    at = pose[:3, :3] @ found.point + pose[:3, 3]
    direction = None if found.direction is None else pose[:3, :3] @ found.direction
    return Feature(found.kind, _triple(at), None if direction is None else _triple(direction), found.radius, found.size)


def _triple(v: Any) -> tuple[float, float, float]:
    x, y, z = (round(float(c), 6) + 0.0 for c in v)
    return x, y, z


def mated(data: Json, body: str, own: Feature, other: Feature, way: str, gap: float, turn: float, centre: bool) -> Json:
    """Where a body goes: its new `at` and `turn`. Raises Refused."""
    item = next((b for b in data.get("bodies", []) if b.get("name") == body), None)
    if item is None:
        raise Refused(f"there is no body '{body}' to move")
    pose = frame(item.get("at", (0, 0, 0)), item.get("turn", (0, 0, 0)))
    try:
        at, turned = placed(mate(pose, own, other, way, gap, turn, centre))  # type: ignore[arg-type]
    except CannotMate as error:
        raise Refused(str(error)) from error
    return {"at": at, "turn": turned}


def repeated(data: Json, body: str, count: int, step: float, direction: Any, about: Any) -> list[Json]:
    """A body in a row, or around an axis: the places of all of them, the first where it stands."""
    item = next((b for b in data.get("bodies", []) if b.get("name") == body), None)
    if item is None or not 2 <= count <= 60:
        raise Refused("pick a body, and repeat it 2 to 60 times")
    pose = frame(item.get("at", (0, 0, 0)), item.get("turn", (0, 0, 0)))
    poses = around(pose, about, direction, count) if about else row(pose, direction, step, count)
    return [{"at": at, "turn": turn} for at, turn in map(placed, poses)]


def fixture_shapes(name: str, measures: dict[str, float]) -> list[Json]:
    if name not in LIBRARY:
        raise Refused(f"there is no fixture '{name}'")
    try:
        return LIBRARY[name].shapes(measures)
    except ValueError as error:
        raise Refused(str(error)) from error


def stock_for(job: Job, design: str, allowance: dict[str, float], standard: bool) -> Json:
    """A blank around a design part: its shapes and its place in the part's mount."""
    item = next((b for b in job.file.bodies if b.name == design), None)
    if item is None:
        raise Refused(f"there is no design '{design}'")
    own = frame(item.at, item.turn)
    mesh = joined(job.body_meshes[design]).moved(inverse(own))
    try:
        shapes, at = stock_around(mesh.bounds.tolist(), allowance)
    except ValueError as error:
        raise Refused(str(error)) from error
    if standard:
        size = standard_size(shapes[0]["size"])
        if size is None:
            raise Refused("no flat of the list of standard sizes is large enough for this part and allowance")
        shapes[0]["size"] = size
        shapes[0]["at"] = [0, 0, size[2] / 2]
    place, turn = placed(own @ frame(at))
    return {"shapes": shapes, "at": place, "turn": turn, "mount": item.mount}


def fixtures() -> list[Json]:
    return [
        {"name": f.name, "says": f.says, "role": f.role,
         "measures": [{"name": m.name, "says": m.says, "value": m.value, "least": m.least, "most": m.most} for m in f.measures],
         "sizes": [float(r) for r in ROUNDS] if f.name == "bar" else []}
        for f in LIBRARY.values()
    ]  # fmt: skip


# --- files dropped on a setup -------------------------------------------------------------------------------------------


def drop_in(revision: Revision, name: str, data: bytes, inches: bool = False) -> Json:
    """A model or drawing for bodies and holders of a setup; see `dropped.take`. Raises Refused."""
    base = opened(revision)
    told = dropped.take(revision, name, data, inches)
    shutil.copy(dropped.folder_of(revision) / told["file"], base.folder)
    return told


def tool_picture(revision: Revision, tool: Json) -> Json:
    """A tool of the form as the core builds it: the outlines of its parts seen from the side, or what is wrong with it."""
    base = opened(revision)
    try:
        entry = ToolEntry.model_validate(tool)
        blocks = base.solid(entry.holder.shapes, "holder.shapes")
        return {"parts": pictured(build_assembly(entry, blocks)), "fault": ""}
    except ValidationError as error:
        first = error.errors()[0]
        if first["type"] == "value_error":  # said in a whole sentence by the model itself
            return {"parts": [], "fault": first["msg"].removeprefix("Value error, ")}
        return {"parts": [], "fault": f"{str(first['loc'][-1]).replace('_', ' ')}: {first['msg']}"}
    except (JobUnreadable, ValueError) as error:
        return {"parts": [], "fault": str(error)}


# --- saving -----------------------------------------------------------------------------------------------------------


def inside(name: str) -> str:
    """A file's path in a job folder. Raises Refused when it leaves it."""
    parts = PurePosixPath(name.replace("\\", "/"))
    if parts.is_absolute() or ".." in parts.parts:
        raise Refused(f"the path '{name}' leaves the job folder")
    return parts.as_posix()


MOST_CONTROL = 5_000_000  # bytes of a file of control data
# Other files that a job may hold.
NO_PROGRAMS = {".json", ".stl", ".step", ".stp", ".3mf", ".glb", ".zip", ".dxf", ".urdf"}


def changed(
    revision: Revision, files: dict[str, bytes], user: AbstractBaseUser, label: str, gone: Sequence[str] = ()
) -> Revision:
    """The revision's files with some in place of others, and some `gone`, as a new revision."""
    with tempfile.TemporaryDirectory(prefix="mirror-") as folder:
        place = Path(folder)
        with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
            bundle.extractall(place)
        for name, data in files.items():
            target = place / inside(name)
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
        for name in gone:
            (place / inside(name)).unlink(missing_ok=True)
        return take_in_path(revision.job.organisation, user, place, label, revision)


def save(revision: Revision, data: Json, tools: Json | None, user: AbstractBaseUser, label: str) -> Revision:
    """A screen's job.json as a new revision; its name stays the job's, so that it is one of its revisions."""
    files = {}
    for name in files_named([data, tools or {}]):
        waiting = dropped.folder_of(revision) / Path(name).name
        if name == waiting.name and waiting.is_file():
            files[name] = waiting.read_bytes()
    files["job.json"] = json.dumps({**data, "name": revision.job.name}, indent=1).encode()
    if tools is not None:
        files[str(data.get("tools", "tools.json"))] = json.dumps(tools, indent=1).encode()
    return changed(revision, files, user, label)


def put_programs(revision: Revision, files: list[UploadedFile], user: AbstractBaseUser) -> Revision:
    """Programs posted again: one of a name that the job has takes its place, where in the folder that stands; a single one of
    another name takes the place of the only main program, several come into the first channel's library. Raises Refused."""
    if sum(file.size or 0 for file in files) > settings.MAX_UPLOAD_BYTES:
        raise Refused(f"the upload is larger than {settings.MAX_UPLOAD_BYTES // 10**6} MB")
    with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
        data = json.loads(bundle.read("job.json").decode("utf-8-sig"))
    programs = data["programs"]
    known = {Path(name).name.lower(): name for entry in programs for name in [entry["main"], *entry.get("library", [])]}
    made: dict[str, bytes] = {}
    strange = []
    for file in files:
        name = Path((file.name or "").replace("\\", "/")).name
        if not name or Path(name).suffix.lower() in NO_PROGRAMS:
            raise Refused(f"{file.name}: this is no program; put models and tables in on the setup screen")
        if name.lower() in known:
            made[known[name.lower()]] = file.read()
        else:
            strange.append(name)
            made[name] = file.read()
    if len(files) == 1 and strange and len(programs) == 1:
        programs[0]["main"] = strange[0]
    elif strange:
        programs[0]["library"] = [*programs[0].get("library", []), *strange]
    if strange:
        made["job.json"] = json.dumps(data, indent=1).encode()
    return changed(
        revision, made, user, f"posted again: {', '.join(sorted(Path(n).name for n in made if n != 'job.json'))}"
    )


def put_control(revision: Revision, name: str, data: bytes, user: AbstractBaseUser) -> Revision:
    """Offsets, registers and variables of a table, or of a program that writes them, as a new revision. Raises Refused."""
    if len(data) > MOST_CONTROL:
        raise Refused(f"{name}: larger than {MOST_CONTROL // 10**6} MB")
    job, tools = job_data(revision)
    try:
        made, table, left = control_data.put_in(job, tools, control_data.read(data))
    except control_data.NotControlData as error:
        raise Refused(f"{name}: {error}") from error
    if left:
        raise Refused(f"{name}: {'; '.join(left[:3])}")
    return save(revision, made, table, user, f"control data from {Path(name).name}")


def job_data(revision: Revision) -> tuple[Json, Json]:
    """job.json and tools.json of a revision, in millimetres: a screen's picks and models are in nothing else."""
    with revision.archive.open("rb") as source, zipfile.ZipFile(source) as bundle:
        data = json.loads(bundle.read("job.json").decode("utf-8-sig"))
        tools = json.loads(bundle.read(data["tools"]).decode("utf-8-sig"))
    return data_in_millimetres(data, "job.json", JobFile), data_in_millimetres(tools, data["tools"], ToolsFile)


def with_accessories(item: LibraryFile, off: list[str], user: AbstractBaseUser) -> LibraryFile:
    """The same machine with some accessories off, as a new number of it."""
    known = {link.get("accessory") for link in item.data["links"]} - {None}
    if unknown := sorted(set(off) - known):
        raise Refused(f"{item.name} has no accessory '{unknown[0]}'")
    unit = {"label": item.name, **(item.data.get("unit") or {}), "off": sorted(off)}
    return renumbered(item, {"unit": unit}, user)


def with_meant_pairs(item: LibraryFile, pairs: list[tuple[str, str]], user: AbstractBaseUser) -> LibraryFile:
    """The same machine with some pairs of links no longer watched, as a new number of it."""
    names = {link["name"] for link in item.data["links"]}
    if unknown := sorted({name for pair in pairs for name in pair} - names):
        raise Refused(f"{item.name} has no link '{unknown[0]}'")
    ignored = [list(pair) for pair in item.data.get("ignore", [])]
    ignored += [list(pair) for pair in pairs if list(pair) not in ignored and list(pair)[::-1] not in ignored]
    return renumbered(item, {"ignore": ignored}, user)


def renumbered(item: LibraryFile, changes: Json, user: AbstractBaseUser) -> LibraryFile:
    """A library machine with some of its fields changed, as a new number; its meshes come along."""
    raw = json.dumps({**item.data, **changes}, indent=1).encode()
    if not item.meshes:
        return keep_in_library(item.organisation, user, LibraryFile.Kind.MACHINE, raw, item.name)
    out = io.BytesIO()
    with item.meshes.open("rb") as source, zipfile.ZipFile(source) as bundle, zipfile.ZipFile(out, "w") as made:
        made.writestr("machine.json", raw)
        for name in bundle.namelist():
            made.writestr(name, bundle.read(name))
    return keep_in_library(item.organisation, user, LibraryFile.Kind.MACHINE, out.getvalue(), item.name)


def compare_machine(revision: Revision, item: LibraryFile) -> list[dict[str, Any]]:
    """What of a job fits a library machine."""
    return [asdict(row) for row in fit(opened(revision), machine_alone(item).machine)]


def swap(revision: Revision, item: LibraryFile, user: AbstractBaseUser) -> Revision:
    """The job on another machine, as a new revision."""
    data, _ = job_data(revision)
    machine = machine_alone(item).machine
    moved = moved_onto(data, machine)
    files = {"job.json": json.dumps({**moved, "name": revision.job.name}, indent=1).encode(),
             str(data["machine"]): json.dumps(item.data | {"revision": item.number}, indent=1).encode()}  # fmt: skip
    if item.meshes:
        with item.meshes.open("rb") as source, zipfile.ZipFile(source) as bundle:
            files |= {name: bundle.read(name) for name in bundle.namelist()}
    return changed(revision, files, user, f"on {item.name}")
