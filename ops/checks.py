"""`./mirror test`: the source first, then every test, on services of their own that end with the run."""

from __future__ import annotations

import os
import subprocess
import time

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


def test(only: list[str]) -> int:
    wanted = set(only) or {"source", "web", "core", "server", "e2e"}
    failed: list[str] = []
    passed: list[str] = []

    def part(name: str, command: list[str], cwd=ROOT, env=None) -> None:  # type: ignore[no-untyped-def]
        say(f"· {name} …")
        begun = time.monotonic()
        code = subprocess.run(command, cwd=cwd, stdin=subprocess.DEVNULL, env=env or environment()).returncode
        (failed if code else passed).append(name)
        say(f"  {name}: {'FAILED' if code else 'ok'}, {time.monotonic() - begun:.1f} s")

    if "source" in wanted:
        for name, command in SOURCE:
            part(name, command)
    if "web" in wanted:
        for name, command in WEB_CHECKS:
            part(name, command, cwd=WEB)
    if "core" in wanted:
        # The core's tests run alone too, with no Django settings, no database and no queue.
        part("core tests", [str(PYTHON), "-m", "unittest", "discover", "-s", "core/tests", "-t", "core"])
    labels = [label for label, name in (("server/tests", "server"), ("e2e", "e2e")) if name in wanted]
    if labels:
        var = VAR / "test"
        children = services.Children(VAR / "log" / "test")
        ports = [services.free_port() for _ in range(3)]
        try:
            services.begin_database(children, var, ports[1])
            services.begin_queue(children, var, ports[2])
            env = services.app_environment(var, *ports)
            for label in labels:
                part(f"{label} tests", [str(PYTHON), "server/manage.py", "test", label, "--noinput"], env=env)
        finally:
            children.stop()
    for name in failed:
        say(f"FAILED: {name}")
    print(f"{len(passed)} passed, {len(failed)} failed")
    return 1 if failed else 0
