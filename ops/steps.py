"""Places, and steps that say what they do and, when they fail, what to do about it."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = ROOT / "var"
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"


class StepFailed(Exception):
    """A step that could not be done: what failed, and what the person can do."""

    def __init__(self, what: str, remedy: str) -> None:
        super().__init__(f"{what}\n  What to do: {remedy}")


def say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


@contextmanager
def step(name: str) -> Iterator[None]:
    say(f"· {name} …")
    begun = time.monotonic()
    yield
    took = time.monotonic() - begun
    if took > 1:
        say(f"  {name}: {took:.1f} s")


def environment() -> dict[str, str]:
    """The environment every child gets: our code on the path, the kernel cache in its place, no thread storms."""
    env = dict(os.environ)
    env["PYTHONPATH"] = os.pathsep.join([str(ROOT / "core"), str(ROOT / "server"), str(ROOT)])
    env["NUMBA_CACHE_DIR"] = str(VAR / "kernels")
    env["MIRROR_VAR"] = str(VAR)
    env["PYTHONUNBUFFERED"] = "1"
    return env


def version() -> str:
    """The last migration of each part: what tables look like that this checkout knows."""
    places = (ROOT / "server" / part / "migrations" for part in ("accounts", "jobs"))
    return ", ".join(sorted(path.stem for path in place.glob("0*.py"))[-1] for place in places)


def run(
    command: list[str], remedy: str, cwd: Path = ROOT, quiet: bool = True, env: dict[str, str] | None = None
) -> None:
    """Run a command to its end. Its output goes to var/log/setup.log when quiet (beside what else is done, to one of its own), and its tail is
    shown on failure."""
    (VAR / "log").mkdir(parents=True, exist_ok=True)
    beside = "" if threading.current_thread() is threading.main_thread() else f"-{threading.current_thread().name}"
    log = VAR / "log" / f"setup{beside}.log"
    begin = log.stat().st_size if log.exists() else 0
    with log.open("ab") as out:
        stream = out if quiet else None
        try:
            code = subprocess.run(
                command, cwd=cwd, stdin=subprocess.DEVNULL, stdout=stream, stderr=stream, env=env or environment()
            ).returncode
        except FileNotFoundError:
            raise StepFailed(f"`{command[0]}` is not on this machine.", remedy) from None
    if code:
        if quiet:
            with log.open("rb") as text:
                text.seek(begin)
                say(b"".join(text.readlines()[-25:]).decode(errors="replace"))
        raise StepFailed(f"`{' '.join(command[:4])} …` ended with status {code}: see {log.relative_to(ROOT)}.", remedy)


def digest(paths: Iterable[Path]) -> str:
    """A digest of files' names and contents; folders are walked."""
    total = hashlib.sha256()
    for path in paths:
        files = sorted(p for p in path.rglob("*") if p.is_file()) if path.is_dir() else [path]
        for file in files:
            if "node_modules" in file.parts or "__pycache__" in file.parts:
                continue
            total.update(str(file.relative_to(ROOT)).encode())
            total.update(file.read_bytes())
    return total.hexdigest()


@contextmanager
def only_when_changed(name: str, paths: Iterable[Path], product: Path) -> Iterator[bool]:
    """Yields whether a step has to be done: its inputs changed since it last ended well, or its product is gone."""
    stamp = VAR / "stamps" / name
    now = digest(paths)
    fresh = product.exists() and stamp.exists() and stamp.read_text() == now
    yield not fresh
    if not fresh:
        stamp.parent.mkdir(parents=True, exist_ok=True)
        stamp.write_text(now)
