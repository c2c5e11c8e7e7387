"""Models and drawings dropped on a setup: they wait beside a revision until a new one holds them, or a week has passed."""

import hashlib
import re
import shutil
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings

from bluntmirror.geometry.drawing import read_outline, read_profile
from bluntmirror.geometry.mesh import Mesh, extrude, revolve
from bluntmirror.geometry.meshfile import MeshUnreadable, read_mesh, write_stl

from .models import Revision
from .services import Refused

MOST = 60  # files at a revision
DAYS = 7


def folder_of(revision: Revision) -> Path:
    """Where the files wait that were dropped on a revision's setup, an organisation's own however alike their jobs are; it may
    not be there."""
    return Path(settings.VAR) / "dropped" / f"{revision.job.organisation_id}-{revision.digest[:32]}"


def take(revision: Revision, name: str, data: bytes, inches: bool = False) -> dict[str, Any]:
    """A model or drawing for bodies and holders of a setup: kept under a name of its own, its size told. Raises Refused."""
    if len(data) > settings.MAX_UPLOAD_BYTES:
        raise Refused(f"{name}: larger than {settings.MAX_UPLOAD_BYTES // 10**6} MB")
    own = Path(name.replace("\\", "/"))
    suffix = own.suffix.lower()
    stem = re.sub(r"[^\w-]+", "-", own.stem).strip("-")[:40] or "model"
    kept = f"{stem}-{hashlib.sha256(data).hexdigest()[:8]}{'-inch' if inches else ''}{'.stl' if inches else suffix}"
    folder = folder_of(revision)
    _forget_old(folder.parent)
    folder.mkdir(parents=True, exist_ok=True)
    if len(list(folder.iterdir())) >= MOST:
        raise Refused(f"{MOST} files wait at this revision already: keep the setup as a revision first")
    with tempfile.TemporaryDirectory(prefix="mirror-drop-") as place:
        file = Path(place) / f"model{suffix}"
        file.write_bytes(data)
        try:
            if suffix == ".dxf":
                solids = _solids_of(file)
            else:
                mesh = read_mesh(file)
                if inches:
                    mesh = Mesh(mesh.vertices * 25.4, mesh.faces)
                    write_stl(file := Path(place) / "scaled.stl", mesh)
                solids = {"mesh": mesh}
            shutil.copy(file, folder / kept)
        except MeshUnreadable as error:
            raise Refused(f"{name}: {error}") from error
        except OSError as error:
            raise Refused(f"{name}: it cannot be kept: {error.strerror or error}") from error
    return {
        "file": kept, "stem": stem,
        "shapes": [
            {"type": kind, "size": [round(float(c), 3) for c in np.ptp(mesh.bounds, axis=0)], "closed": bool(mesh.closed)}
            for kind, mesh in solids.items()
        ],
    }  # fmt: skip


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


def _forget_old(folder: Path) -> None:
    if folder.is_dir():
        for old in folder.iterdir():
            if old.stat().st_mtime < time.time() - DAYS * 86_400:
                shutil.rmtree(old, ignore_errors=True)
