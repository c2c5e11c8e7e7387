"""`./mirror backup FILE` and `./mirror restore FILE`: the tables and the files of an installation in one archive, proved by digests.

The tables are read as they were at one moment, while everything runs. Files are only ever added, never changed; one that is deleted for good
between the reading of the tables and its turn is named, and the backup taken again.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import shutil
import subprocess
import tarfile
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from . import services
from .steps import PYTHON, ROOT, StepFailed, environment, say, step, version

FORMAT = "blunt-mirror/backup@1"
MANIFEST, TABLES = "backup.json", "tables.sql"
FOLDERS = ("store", "dropped")  # under var/, the store where it has no address; checkpoints are worked out anew
CHUNK = 1 << 20


class _Sums:
    """A file that goes through, and its digest on the way."""

    def __init__(self, source: Any) -> None:
        self.source, self.digest = source, hashlib.sha256()

    def read(self, size: int = -1) -> bytes:
        data: bytes = self.source.read(size)
        self.digest.update(data)
        return data


@contextmanager
def database(var: Path) -> Iterator[int]:
    """The port of the installation's database: of the one that runs, else of one begun for this."""
    ledger = var / "running.json"
    if services.is_running(ledger):
        yield int(json.loads(ledger.read_text())["ports"]["database"])
        return
    if not (var / "mariadb").exists():
        raise StepFailed("There is no installation here yet.", "start it once: ./mirror start")
    children = services.Children(var / "log")
    try:
        port = services.free_port()
        services.begin_database(children, var, port)
        yield port
    finally:
        children.stop()


def _client(program: str, port: int, var: Path) -> tuple[list[str], dict[str, str]]:
    env = environment() | {"MYSQL_PWD": services.private_keys(var)["database"]}  # not in the process list
    return [program, "--no-defaults", f"--host={services.LOOPBACK}", f"--port={port}", "--user=app"], env


def backup(file: Path, var: Path) -> dict[str, Any]:
    """Write a backup; what it holds. Raises StepFailed; a file that cannot be finished is not left behind."""
    made = file.with_name(file.name + ".part")
    try:
        with database(var) as port, tarfile.open(made, "w:gz", compresslevel=3) as bundle:
            held = _write(bundle, var, port)
        made.replace(file)
        return held
    except OSError as failure:
        raise StepFailed(
            f"The backup could not be written: {failure}.", "choose a place with room that you may write to"
        ) from failure
    finally:
        made.unlink(missing_ok=True)


def _write(bundle: tarfile.TarFile, var: Path, port: int) -> dict[str, Any]:
    sums: dict[str, str] = {}

    def add(name: str, path: Path) -> None:
        info = bundle.gettarinfo(str(path), name)
        info.uid = info.gid = 0
        info.uname = info.gname = ""
        with path.open("rb") as source:
            through = _Sums(source)
            bundle.addfile(info, through)
        sums[name] = through.digest.hexdigest()

    with tempfile.TemporaryDirectory(prefix="mirror-backup-") as folder, step("Tables"):
        dump = Path(folder) / TABLES
        command, env = _client("mariadb-dump", port, var)
        with dump.open("wb") as out:
            done = subprocess.run(
                [*command, "--single-transaction", "--skip-dump-date", "--hex-blob", "--quick", "mirror"], env=env, stdout=out,
                stderr=subprocess.PIPE,
            )  # fmt: skip
        if done.returncode:
            raise StepFailed(
                f"The tables could not be read: {done.stderr.decode(errors='replace').strip()}",
                "see var/log/mariadb.log",
            )
        add(TABLES, dump)
    with step("Files"), tempfile.TemporaryDirectory(prefix="mirror-backup-") as folder:
        places = {name: var / name for name in FOLDERS}
        if has_address():
            places["store"] = Path(folder)
            files("out", places["store"], var, port)
        for folder_name, place in places.items():
            for path in sorted(place.rglob("*")):
                if path.is_file():
                    try:
                        add(f"{folder_name}/{path.relative_to(place).as_posix()}", path)
                    except FileNotFoundError:
                        continue  # deleted for good this moment; `restore` holds files against the tables
    told = {
        "format": FORMAT,
        "made": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()),
        "version": version(),
        "files": sums,
    }
    data = json.dumps(told, indent=1).encode()
    info = tarfile.TarInfo(MANIFEST)
    info.size, info.mtime = len(data), int(time.time())
    bundle.addfile(info, io.BytesIO(data))
    return told


def verify(file: Path, out: Path | None = None) -> dict[str, Any]:
    """Hold every file of a backup against its digest, unpacking them to `out` where that is given. Raises StepFailed."""
    seen: dict[str, str] = {}
    told: dict[str, Any] | None = None
    try:
        with tarfile.open(file, "r:gz") as bundle:
            for info in bundle:
                source = bundle.extractfile(info) if info.isfile() else None
                if source is None:
                    raise StepFailed(f"{file}: '{info.name}' is no plain file.", "this is no backup of ours")
                if info.name == MANIFEST:
                    told = json.loads(source.read())
                    continue
                place = _inside(out, info.name) if out else None
                through = _Sums(source)
                if place:
                    place.parent.mkdir(parents=True, exist_ok=True)
                    with place.open("wb") as kept:
                        while data := through.read(CHUNK):
                            kept.write(data)
                else:
                    while through.read(CHUNK):
                        pass
                seen[info.name] = through.digest.hexdigest()
    except (OSError, EOFError, tarfile.TarError, ValueError) as failure:
        raise StepFailed(
            f"{file} cannot be read as a backup: {failure}.", "take another, or make it again"
        ) from failure
    if told is None or told.get("format") != FORMAT:
        raise StepFailed(f"{file} does not say what it holds: it is broken off, or no backup.", "take another")
    wrong = sorted(name for name in seen.keys() | told["files"].keys() if seen.get(name) != told["files"].get(name))
    if wrong:
        raise StepFailed(
            f"{file}: {len(wrong)} files are not what was written, the first {wrong[0]}.", "take another backup"
        )
    return told


def _inside(out: Path, name: str) -> Path:
    place = (out / name).resolve()
    if not place.is_relative_to(out.resolve()) or name.split("/")[0] not in (*FOLDERS, TABLES):
        raise StepFailed(f"'{name}' would lie outside of the installation.", "this is no backup of ours")
    return place


def restore(file: Path, var: Path) -> dict[str, Any]:
    """Put a backup into an empty installation. Raises StepFailed: nothing is put where anything is, nor from a file that is not whole."""
    if services.is_running(var / "running.json"):
        raise StepFailed("It is running.", "stop it first: a backup is restored into an installation that stands still")
    if any((var / folder).exists() and any((var / folder).iterdir()) for folder in FOLDERS):
        raise StepFailed(
            f"There are files in {var} already.",
            "restore into an empty installation: move var/ away, or take a fresh checkout",
        )
    var.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="restore-", dir=var) as folder:
        out = Path(folder)
        with step("Reading the backup"):
            told = verify(file, out)
        children = services.Children(var / "log")
        try:
            port = services.free_port()
            services.begin_database(children, var, port)
            command, env = _client("mariadb", port, var)
            known = subprocess.run(
                [*command, "mirror", "-Ne", "SHOW TABLES"], env=env, capture_output=True, text=True, check=True
            )
            if known.stdout.strip():
                raise StepFailed("There are tables in the database already.", "restore into an empty installation")
            with step("Tables"), (out / TABLES).open("rb") as source:
                done = subprocess.run([*command, "mirror"], env=env, stdin=source, stderr=subprocess.PIPE)
            if done.returncode:
                raise StepFailed(
                    f"The tables could not be written: {done.stderr.decode(errors='replace').strip()}",
                    "see var/log/mariadb.log",
                )
            with step("Files"):
                if has_address() and (out / "store").exists():
                    files("in", out / "store", var, port)
                    shutil.rmtree(out / "store")
            for name in FOLDERS:
                if (out / name).exists():
                    (out / name).rename(var / name) if not (var / name).exists() else _replace(out / name, var / name)
            with step("Tables brought up to this version"):
                _migrate(var, port)
        finally:
            children.stop()
    return told


def has_address() -> bool:
    """Whether the files lie elsewhere than under var/."""
    return bool(os.environ.get("MIRROR_STORE"))


def files(way: str, folder: Path, var: Path, port: int) -> None:
    """The files of a store with an address, out to a folder or in from one. Raises StepFailed."""
    env = services.app_environment(var, 0, port, 0)
    done = subprocess.run(
        [str(PYTHON), "server/manage.py", "files", way, str(folder)], cwd=ROOT, env=env, stderr=subprocess.PIPE
    )
    if done.returncode:
        said = done.stderr.decode(errors="replace").strip()[-400:]
        raise StepFailed(f"The files could not be moved {way}: {said}", "see whether the store of MIRROR_STORE answers")


def _replace(source: Path, target: Path) -> None:
    target.rmdir()  # it is empty
    source.rename(target)


def _migrate(var: Path, port: int) -> None:
    env = services.app_environment(var, 0, port, 0)
    done = subprocess.run(
        [str(PYTHON), "server/manage.py", "migrate", "-v", "0"], cwd=ROOT, env=env, capture_output=True, text=True
    )
    if done.returncode:
        raise StepFailed(
            f"The tables could not be brought up to date: {done.stderr.strip()[-400:]}",
            "is this version older than the backup's?",
        )


def size_of(file: Path) -> str:
    return f"{os.path.getsize(file) / 1e6:.1f} MB"


def run_backup(file: Path, var: Path) -> int:
    told = backup(file, var)
    say(f"{file}: tables and {len(told['files']) - 1} files, {size_of(file)}; it is whole (SHA-256 of each is in it).")
    return 0


def run_restore(file: Path, var: Path) -> int:
    told = restore(file, var)
    say(
        f"Restored what was kept on {told['made']}: tables and {len(told['files']) - 1} files. Start it: ./mirror start --no-demo"
    )
    return 0
