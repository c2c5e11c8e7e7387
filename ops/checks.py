"""`./mirror test`: the source first, then every test, on services of their own that end with the run."""

from __future__ import annotations

import os
import re
import subprocess
import time
from collections import deque
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from . import services
from .steps import PYTHON, ROOT, VAR, WEB, environment, say

BIN = PYTHON.parent
SHARES = 4  # of the core's tests

SOURCE = [
    ("format", [str(BIN / "ruff"), "format", "--check", "."]),
    ("lint", [str(BIN / "ruff"), "check", "."]),
    ("types", [str(BIN / "mypy")]),
    ("layers", [str(BIN / "lint-imports")]),
]
WEB_CHECKS = [
    ("web client", ["npm", "run", "--silent", "client", "--", "--check"]),
    ("web types", ["npx", "tsc", "-b"]),
    ("web lint", ["npx", "eslint", "src"]),
    ("web unit tests", ["npx", "vitest", "run"]),
]


def web_processes() -> int:
    """How many processes answer: as many as there are cores, up to four; `MIRROR_WEB_PROCESSES` says otherwise."""
    return int(os.environ.get("MIRROR_WEB_PROCESSES") or min(os.cpu_count() or 1, 4))


def at_once() -> int:
    """How many rehearsals a worker carries out at a time."""
    return int(os.environ.get("MIRROR_AT_ONCE") or 2)


def process(name: str, web_port: int, worker: str = "main") -> list[str]:
    """The command line of the worker, of one that has joined from another machine, and of the web server, as the start and the tests run them."""
    if name in ("worker", "joined"):
        celery = [
            str(BIN / "celery"), "-A", "mirror.queue", "worker", "--loglevel=INFO", f"--concurrency={at_once()}", f"--hostname={worker}@%h",
        ]  # fmt: skip
        return (
            [*celery, "--beat"] if name == "worker" else celery
        )  # the installation's own does the chores, too (jobs.chores)
    return [
        str(BIN / "uvicorn"), "mirror.asgi:application", "--host", services.LOOPBACK, "--port", str(web_port),
        "--log-level", "warning", "--timeout-graceful-shutdown", "3", "--workers", str(web_processes()),
    ]  # fmt: skip


@dataclass(frozen=True)
class Part:
    """One command of the tests, and where it runs."""

    name: str
    command: list[str]
    cwd: Path = ROOT
    env: dict[str, str] | None = None

    def run(self) -> list[str]:
        """Why it failed, nothing where it passed. Every line it prints tells whose it is: another may run beside it. One
        that a signal ends says which, and where it was."""
        told = deque[str](maxlen=400)
        say(f"· {self.name} …")
        begun = time.monotonic()
        with subprocess.Popen(
            self.command, cwd=self.cwd, env=(self.env or environment()) | {"PYTHONFAULTHANDLER": "1"}, stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, errors="replace",
        ) as running:  # fmt: skip
            assert running.stdout is not None
            for line in running.stdout:
                told.append(line.rstrip())
                say(f"  {self.name} | {told[-1]}")
        signal = f" (signal {-running.returncode})" if running.returncode < 0 else ""
        say(f"  {self.name}: {'FAILED' + signal if running.returncode else 'ok'}, {time.monotonic() - begun:.1f} s")
        return [f"{self.name}{signal}", *why(told)] if running.returncode else []


def why(told: Iterable[str]) -> list[str]:
    """Of what a failed part said, each test that failed with what it failed of; its last words where it names no test.

    Whoever reads only the end of a long log must find the reason there."""
    found: list[str] = []
    open_, last = False, ""
    for line in told:
        last = line or last
        if line.startswith(("FAIL: ", "ERROR: ")):
            found.append(line)
            open_ = True
        elif open_ and re.match(r"[\w.]+(Error|Exception|Interrupt)\b", line):
            found.append(f"  {line[:300]}")
        elif line.startswith("Ran "):
            open_ = False
    return found or [last[:300]]


def test(only: list[str]) -> int:
    """All parts, or those named. Two run at a time where there are two cores; the real interface has the machine to itself,
    at the end: a page that waits for its turn is no fault of what is tested."""
    wanted = set(only) or {"source", "web", "core", "server", "e2e"}
    parts: list[Part] = []
    if "source" in wanted:
        parts += [Part(name, command) for name, command in SOURCE]
    if "core" in wanted:
        # The core's tests run alone too, with no Django settings, no database and no queue. They take longest: in shares.
        modules = sorted(path.stem for path in (ROOT / "core" / "tests").glob("test_*.py"))
        parts += [
            Part(f"core tests {share + 1}/{SHARES}", [str(PYTHON), "-m", "unittest", *(f"tests.{name}" for name in modules[share::SHARES])])
            for share in range(SHARES)
        ]  # fmt: skip
    if "web" in wanted:
        parts += [Part(name, command, cwd=WEB) for name, command in WEB_CHECKS]
    labels = [label for label, name in (("server/tests", "server"), ("e2e", "e2e")) if name in wanted]
    children = services.Children(VAR / "log" / "test")
    last: list[Part] = []
    try:
        if labels:
            var = VAR / "test"
            ports = [services.free_port() for _ in range(3)]
            services.begin_database(children, var, ports[1])
            services.begin_queue(children, var, ports[2])
            env = services.app_environment(var, *ports) | {"MIRROR_LOG": "ERROR"}
            for label in labels:
                command = [str(PYTHON), "server/manage.py", "test", label, "--noinput"]
                (last if label == "e2e" else parts).append(Part(f"{label} tests", command, env=env))
        with ThreadPoolExecutor(min(2, os.cpu_count() or 1)) as pool:
            ended = [*pool.map(Part.run, parts), *map(Part.run, last)]
    finally:
        children.stop()
    failed = [lines for lines in ended if lines]
    for name, *reasons in failed:
        say("\n  ".join([f"FAILED: {name}", *reasons]))
    print(f"{len(ended) - len(failed)} passed, {len(failed)} failed")
    return 1 if failed else 0
