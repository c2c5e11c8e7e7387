"""`./mirror test`: the source first, then every test, on services of their own that end with the run."""

from __future__ import annotations

import os
import subprocess
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from . import services
from .steps import PYTHON, ROOT, VAR, WEB, environment, say

BIN = PYTHON.parent

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


def process(name: str, web_port: int) -> list[str]:
    """The command line of the worker and of the web server, as the start and the tests run them."""
    if name == "worker":
        celery = [str(BIN / "celery"), "-A", "mirror.queue", "worker", "--loglevel=INFO", "--concurrency=2"]
        return [*celery, "--beat"]  # it does the chores, too (jobs.chores)
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

    def run(self) -> bool:
        """Whether it passed. Every line it prints tells whose it is: another may run beside it. One that a signal ends
        says which, and where it was."""
        say(f"· {self.name} …")
        begun = time.monotonic()
        with subprocess.Popen(
            self.command, cwd=self.cwd, env=(self.env or environment()) | {"PYTHONFAULTHANDLER": "1"}, stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, errors="replace",
        ) as running:  # fmt: skip
            assert running.stdout is not None
            for line in running.stdout:
                say(f"  {self.name} | {line.rstrip()}")
        signal = f" (signal {-running.returncode})" if running.returncode < 0 else ""
        say(f"  {self.name}: {'FAILED' + signal if running.returncode else 'ok'}, {time.monotonic() - begun:.1f} s")
        return running.returncode == 0


def test(only: list[str]) -> int:
    """All parts, or those named. The core's, which take longest and need nothing, run beside the others where there is a core for them."""
    wanted = set(only) or {"source", "web", "core", "server", "e2e"}
    beside, first = [], []
    if "core" in wanted:
        # The core's tests run alone too, with no Django settings, no database and no queue.
        beside.append(Part("core tests", [str(PYTHON), "-m", "unittest", "discover", "-s", "core/tests", "-t", "core"]))
    if "source" in wanted:
        first += [Part(name, command) for name, command in SOURCE]
    if "web" in wanted:
        first += [Part(name, command, cwd=WEB) for name, command in WEB_CHECKS]
    labels = [label for label, name in (("server/tests", "server"), ("e2e", "e2e")) if name in wanted]
    children = services.Children(VAR / "log" / "test")
    try:
        if labels:
            var = VAR / "test"
            ports = [services.free_port() for _ in range(3)]
            services.begin_database(children, var, ports[1])
            services.begin_queue(children, var, ports[2])
            env = services.app_environment(var, *ports) | {"MIRROR_LOG": "ERROR"}
            for label in labels:
                command = [str(PYTHON), "server/manage.py", "test", label, "--noinput"]
                first.append(Part(f"{label} tests", command, env=env))
        lanes = [first, beside] if (os.cpu_count() or 1) > 1 else [first + beside]
        with ThreadPoolExecutor(len(lanes)) as pool:
            ended = [
                (part.name, good)
                for lane in pool.map(lambda lane: [(part, part.run()) for part in lane], lanes)
                for part, good in lane
            ]
    finally:
        children.stop()
    failed = [name for name, good in ended if not good]
    for name in failed:
        say(f"FAILED: {name}")
    print(f"{len(ended) - len(failed)} passed, {len(failed)} failed")
    return 1 if failed else 0
