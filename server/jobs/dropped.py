"""Models and drawings dropped on a setup: they wait beside a revision until a new one holds them, or a week has passed."""

import hashlib
import re
import shutil
import tempfile
import time
from pathlib import Path
from typing import Any

from django.conf import settings

from . import aside
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
        scaled = Path(place) / "scaled.stl" if inches and suffix != ".dxf" else None
        shapes = aside.read("shapes", file, name, scaled)
        try:
            shutil.copy(scaled or file, folder / kept)
        except OSError as error:
            raise Refused(f"{name}: it cannot be kept: {error.strerror or error}") from error
    return {"file": kept, "stem": stem, "shapes": shapes}


def _forget_old(folder: Path) -> None:
    if folder.is_dir():
        for old in folder.iterdir():
            if old.stat().st_mtime < time.time() - DAYS * 86_400:
                shutil.rmtree(old, ignore_errors=True)
