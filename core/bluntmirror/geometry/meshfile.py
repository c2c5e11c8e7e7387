"""Reading mesh files (STL, 3MF, GLB, STEP) and writing STL."""

from __future__ import annotations

import json
import os
import struct
import tempfile
import threading
import zipfile
from pathlib import Path
from xml.parsers.expat import ParserCreate

import numpy as np

from .mesh import Mesh

MAX_FILE_BYTES = 200_000_000
MIXED = np.array(
    [0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9], np.uint64
)  # odd, and without a pattern in their bits
MAX_TRIANGLES = 2_000_000
MOST_ELEMENTS = 2 * MAX_TRIANGLES  # of a 3MF's model: a closed mesh has half as many vertices as triangles
MAX_UNPACKED = 600_000_000  # bytes of a 3MF
STEP_TOLERANCE_MM = 0.01
_translating = threading.Lock()

_STL = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


class MeshUnreadable(ValueError):
    """A mesh file that cannot be used; the message says why and what to do."""


def read_mesh(path: Path) -> Mesh:
    """Read a mesh in millimetres. Raises MeshUnreadable with the reason."""
    size = path.stat().st_size
    if size > MAX_FILE_BYTES:
        raise MeshUnreadable(f"{size / 1e6:.0f} MB; at most {MAX_FILE_BYTES / 1e6:.0f} MB are taken: export it coarser")
    suffix = path.suffix.lower()
    if suffix == ".stl":
        mesh = _read_stl(path.read_bytes())
    elif suffix in (".3mf", ".glb"):
        mesh = _read_scene(path, scale=1.0 if suffix == ".3mf" else 1000.0)
    elif suffix in (".step", ".stp"):
        mesh = _read_step(path)
    else:
        raise MeshUnreadable(f"'{suffix}' is not a mesh format that is read here; use STL, 3MF, GLB or STEP")
    if len(mesh.faces) > MAX_TRIANGLES:
        raise MeshUnreadable(f"{len(mesh.faces)} triangles; at most {MAX_TRIANGLES} are taken: export it coarser")
    return checked(mesh)


def checked(mesh: Mesh) -> Mesh:
    """The mesh without its empty triangles. Raises MeshUnreadable for emptiness and absurd sizes."""
    if not len(mesh.faces):
        raise MeshUnreadable("the file holds no triangles")
    if float(np.abs(mesh.vertices).max()) > 1e6:
        raise MeshUnreadable("a vertex lies more than a kilometre away: check the file's units")
    a, b, c = np.moveaxis(mesh.triangles, 1, 0)
    full = np.linalg.norm(np.cross(b - a, c - a), axis=1) > 1e-14
    return Mesh(mesh.vertices, np.ascontiguousarray(mesh.faces[full]))


def welded(corners: np.ndarray) -> Mesh:
    """Triangles (M, 3, 3) as an indexed mesh; corners that are equal to the bit become one vertex.

    Raises MeshUnreadable when a corner is not a number.
    """
    if not np.isfinite(corners).all():
        raise MeshUnreadable("a vertex is not a number (NaN or infinite): repair the file")
    flat = np.ascontiguousarray(corners.reshape(-1, 3).astype(np.float64)) + 0.0
    first, back = _alike(flat)
    faces = back.reshape(-1, 3).astype(np.int32)
    kept = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 0] != faces[:, 2])
    return Mesh(flat[first], faces[kept])


def _alike(rows: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """One row of each kind (k,) and the kind of every row (n,). Numbers made of all three columns are
    sorted first, since whole rows take long: should two kinds have the same number, they are told apart by their bytes alone."""
    bits = rows.view(np.uint64)
    with np.errstate(over="ignore"):
        number = (bits ^ (bits >> np.uint64(32))) @ MIXED  # numbers that were float32 have nothing in their lower bits
    order = np.argsort(number)
    begins = np.concatenate([[True], np.diff(number[order]) != 0]) if len(rows) else np.zeros(0, np.bool_)
    first = order[begins]
    kind = np.empty(len(rows), np.int64)
    kind[order] = np.cumsum(begins) - 1
    if (rows[first][kind] != rows).any():
        _, first, kind = np.unique(rows.view(np.dtype((np.void, 24))).ravel(), return_index=True, return_inverse=True)
        return first, kind.reshape(-1)
    return first, kind


def _read_stl(data: bytes) -> Mesh:
    if len(data) >= 84:
        (count,) = struct.unpack_from("<I", data, 80)
        if len(data) == 84 + 50 * count:
            return welded(np.frombuffer(data, _STL, count, 84)["corners"])
    head = data[:512].lstrip()
    if not head.startswith(b"solid") or b"\0" in data[:512]:
        raise MeshUnreadable("this is not an STL file: neither its text form nor a binary one of the right length")
    try:
        words = data.split()
        numbers = [word for i in _places(words, b"vertex") for word in words[i + 1 : i + 4]]
        corners = np.array(numbers, dtype="S32").astype(np.float64)
        corners = corners.reshape(-1, 3, 3)
    except ValueError as error:
        raise MeshUnreadable("the STL text is cut off or holds a bad number: export it again") from error
    return welded(corners)


def _places(words: list[bytes], wanted: bytes) -> list[int]:
    return [i for i, word in enumerate(words) if word.lower() == wanted]


def _refuse_a_bomb(path: Path) -> None:
    """Count what a scene's file unpacks to before it is taken apart: a small one can hold more than any memory. Raises MeshUnreadable."""
    if path.suffix.lower() == ".3mf":
        _count_elements(path)
        return
    with path.open("rb") as source:
        head = source.read(20)
        if len(head) < 20 or head[:4] != b"glTF":
            return
        told = json.loads(source.read(min(int.from_bytes(head[12:16], "little"), MAX_FILE_BYTES)))
    if not isinstance(told, dict):
        return
    for item in told.get("accessors", []):
        if float(item.get("count", 0)) > 3 * MAX_TRIANGLES:
            raise MeshUnreadable(
                f"a list of {item['count']} numbers; at most {MAX_TRIANGLES} triangles are taken: export it coarser"
            )


def _count_elements(path: Path) -> None:
    counted = 0

    def begins(_name: str, _attributes: object) -> None:
        nonlocal counted
        counted += 1
        if counted > MOST_ELEMENTS:
            raise MeshUnreadable(f"more than {MOST_ELEMENTS} vertices and triangles: export it coarser")

    with zipfile.ZipFile(path) as bundle:
        models = [info for info in bundle.infolist() if info.filename.lower().endswith(".model")]
        if sum(info.file_size for info in bundle.infolist()) > MAX_UNPACKED:
            raise MeshUnreadable(f"it unpacks to more than {MAX_UNPACKED / 1e6:.0f} MB: export it coarser")
        for info in models:
            parser = ParserCreate()
            parser.StartElementHandler = begins
            with bundle.open(info) as source:
                while part := source.read(1 << 20):
                    parser.Parse(part)


def _read_scene(path: Path, scale: float) -> Mesh:
    import trimesh

    try:
        _refuse_a_bomb(path)
        scene = trimesh.load_scene(path, process=False)  # as it stands: mending would leave triangles out in silence
        solid = scene.to_mesh()
        vertices = np.asarray(solid.vertices, float)
        faces = np.asarray(solid.faces, np.int32)
        corners = (vertices * scale)[faces]
        if len(faces) and int(faces.min()) < 0:
            raise IndexError("a triangle names a vertex that is not there")
    except MeshUnreadable:
        raise
    except Exception as error:  # the readers raise whatever the broken file makes them stumble over
        raise MeshUnreadable(f"the file cannot be read as {path.suffix[1:].upper()}: {error}") from error
    if not len(faces):
        raise MeshUnreadable("the file holds no triangles")
    return welded(corners)


def _read_step(path: Path) -> Mesh:
    import cascadio

    with tempfile.TemporaryDirectory() as folder, _translating:
        out = Path(folder) / "solid.glb"
        # The translator prints to the process's own outputs, where a verdict and its one line of error go. Of two threads that turn
        # them away at once one would keep the other's silence: one at a time.
        kept = [os.dup(1), os.dup(2)]
        quiet = os.open(os.devnull, os.O_WRONLY)
        try:
            for number in (1, 2):
                os.dup2(quiet, number)
            cascadio.step_to_glb(str(path), str(out), STEP_TOLERANCE_MM, 0.2)
        except Exception as error:
            raise MeshUnreadable(f"the file cannot be read as STEP: {error}") from error
        finally:
            for number, old in zip((1, 2), kept, strict=True):
                os.dup2(old, number)
                os.close(old)
            os.close(quiet)
        if not out.exists() or not out.stat().st_size:
            raise MeshUnreadable("the file cannot be read as STEP, or holds no solid")
        return _read_scene(out, scale=1000.0)


def write_stl(path: Path, mesh: Mesh, name: str = "bluntmirror") -> None:
    """Write a binary STL, mm."""
    table = np.zeros(len(mesh.faces), _STL)
    # One coordinate of one corner at a time: a long file takes half the time that rows of three take.
    a, b, c = (
        [mesh.vertices[:, axis].astype(np.float32)[mesh.faces[:, corner]] for axis in range(3)] for corner in range(3)
    )
    for corner, places in enumerate((a, b, c)):
        for axis in range(3):
            table["corners"][:, corner, axis] = places[axis]
    u, v = ([far - near for far, near in zip(end, a, strict=True)] for end in (b, c))
    normal = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]]
    rows = np.column_stack(normal)
    length = np.sqrt(np.einsum("ij,ij->i", rows, rows))
    length[length == 0] = 1.0
    for axis in range(3):
        table["normal"][:, axis] = normal[axis] / length
    with path.open("wb") as out:
        out.write(name.encode()[:79].ljust(80, b" "))
        out.write(struct.pack("<I", len(table)))
        table.tofile(out)
