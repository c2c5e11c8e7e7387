"""MariaDB and Redis, run privately under var/ on loopback, and the other processes that a start consists of."""

from __future__ import annotations

import json
import os
import resource
import secrets
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path

from .steps import ROOT, StepFailed, environment, run, say, step, version

LOOPBACK = "127.0.0.1"
MOST_DEATHS, DEATHS_WITHIN_S = 5, 60


def port_is_free(port: int) -> bool:
    with closing(socket.socket(socket.AF_INET, socket.SOCK_STREAM)) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((LOOPBACK, port))
        except OSError:
            return False
    return True


def free_port() -> int:
    with closing(socket.socket(socket.AF_INET, socket.SOCK_STREAM)) as probe:
        probe.bind((LOOPBACK, 0))
        return int(probe.getsockname()[1])


def answers(port: int) -> bool:
    try:
        with closing(socket.create_connection((LOOPBACK, port), timeout=0.5)):
            return True
    except OSError:
        return False


def private_keys(var: Path) -> dict[str, str]:
    """The passwords of this installation, made once and readable by its owner only."""
    file = var / "private.json"
    if not file.exists():
        var.mkdir(parents=True, exist_ok=True)
        keys = {name: secrets.token_urlsafe(32) for name in ("django", "database", "queue")}
        with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as out:
            json.dump(keys, out)
    return dict(json.loads(file.read_text()))


def _is_ours(pid: int) -> bool:
    """Whether a process was begun by this installation: its command line or its folder says so."""
    place = Path("/proc") / str(pid)
    try:
        return str(ROOT).encode() in (place / "cmdline").read_bytes() or (place / "cwd").readlink().is_relative_to(ROOT)
    except OSError:
        return False


def is_running(ledger: Path) -> bool:
    """Whether the start that a ledger names still runs."""
    return ledger.exists() and _is_ours(json.loads(ledger.read_text() or "{}").get("parent", 0))


def end_leftovers(ledger: Path) -> None:
    """End what an earlier start left behind when it was killed. Raises StepFailed when that start still runs."""
    if not ledger.exists():
        return
    kept = json.loads(ledger.read_text() or "{}")
    if _is_ours(kept.get("parent", 0)) and kept["parent"] != os.getpid():
        raise StepFailed(
            f"It is running already (process {kept['parent']}).", "use that one, or stop it with Ctrl-C where it runs"
        )
    for pid in kept.get("children", []):
        if _is_ours(pid):
            with suppress(ProcessLookupError):
                os.killpg(pid, signal.SIGKILL)
    end = time.monotonic() + 10
    while any(_is_ours(pid) for pid in kept.get("children", [])) and time.monotonic() < end:
        time.sleep(0.05)  # their ports are free only when they are gone
    ledger.unlink()


def open_many_files() -> None:
    """As many descriptors for what is begun from here as this machine allows: every stream of progress has two."""
    _, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (hard, hard))


class Children:
    """Processes that live as long as this one: each in its own group, stopped in reverse order.

    The ledger, where one is kept, names them for the next start in case this one is killed.
    """

    def __init__(self, log: Path, ledger: Path | None = None) -> None:
        self.log = log
        self.ledger = ledger
        self.running: list[tuple[str, subprocess.Popen[bytes]]] = []
        self.ways: dict[str, tuple[list[str], dict[str, str]]] = {}
        self.deaths: dict[str, list[float]] = {}
        self.told: dict[str, object] = {}  # what else the ledger says of this start
        log.mkdir(parents=True, exist_ok=True)

    def begin(self, name: str, command: list[str], env: dict[str, str]) -> subprocess.Popen[bytes]:
        self.ways[name] = command, env
        child = self._process(name)
        self.running.append((name, child))
        self._write()
        return child

    def _process(self, name: str) -> subprocess.Popen[bytes]:
        command, env = self.ways[name]
        with (self.log / f"{name}.log").open("ab") as out:
            return subprocess.Popen(
                command, cwd=ROOT, env=env, stdin=subprocess.DEVNULL, stdout=out, stderr=out, start_new_session=True
            )

    def _write(self) -> None:
        if self.ledger:
            pids = [running.pid for _, running in self.running]
            made = self.ledger.with_suffix(".new")
            made.write_text(json.dumps({"parent": os.getpid(), "children": pids, **self.told}))
            made.replace(self.ledger)

    def look_after(self) -> None:
        """Begin again what has ended. Raises StepFailed for one that ends over and over: that is a fault no new beginning mends."""
        for place, (name, child) in enumerate(self.running):
            if child.poll() is None:
                continue
            now = time.monotonic()
            deaths = [at for at in self.deaths.get(name, ()) if now - at < DEATHS_WITHIN_S] + [now]
            self.deaths[name] = deaths
            if len(deaths) > MOST_DEATHS:
                raise StepFailed(
                    f"{name} has ended {len(deaths)} times within {DEATHS_WITHIN_S} seconds.",
                    f"read {self.log / (name + '.log')}, then start again",
                )
            say(f"· {name} has ended and is begun again; {self.log / (name + '.log')} may say why")
            with suppress(ProcessLookupError):  # whatever it began is in its group and goes with it
                os.killpg(child.pid, signal.SIGKILL)
            self.running[place] = name, self._process(name)
            self._write()

    def look_after_for_ever(self) -> None:
        while True:
            self.look_after()
            time.sleep(0.5)

    def wait_for(self, name: str, port: int, seconds: float = 60) -> None:
        child = dict(self.running)[name]
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if child.poll() is not None:
                break
            if answers(port):
                return
            time.sleep(0.1)
        raise StepFailed(f"{name} did not come up on port {port}.", f"read {self.log / (name + '.log')}")

    def stop(self) -> None:
        for _, child in reversed(self.running):
            if child.poll() is None:
                child.send_signal(signal.SIGTERM)
                with suppress(subprocess.TimeoutExpired):
                    child.wait(timeout=15)
            # Whatever the child began is in its group and goes with it.
            with suppress(ProcessLookupError):
                os.killpg(child.pid, signal.SIGKILL)
        self.running.clear()
        if self.ledger:
            self.ledger.unlink(missing_ok=True)


def listening() -> list[str]:
    """Where database and queue listen: on loopback, and where `MIRROR_LISTEN` says, for workers on other machines."""
    return [LOOPBACK, *filter(None, [os.environ.get("MIRROR_LISTEN")])]


@contextmanager
def until_stopped(children: Children) -> Iterator[None]:
    """What is begun here runs until Ctrl-C, or a polite request to end, and then all of it ends."""

    def ends(*_: object) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, ends)
    try:
        yield
    except KeyboardInterrupt:
        say("\nStopping …")
    finally:
        for number in (signal.SIGINT, signal.SIGTERM):  # a second one must not leave half of them running
            signal.signal(number, signal.SIG_IGN)
        children.stop()


def begin_database(children: Children, var: Path, port: int) -> None:
    data = var / "mariadb"
    password = private_keys(var)["database"]
    if not (data / "mysql").exists():
        with step("A private MariaDB"):
            data.mkdir(parents=True, exist_ok=True)
            run(
                ["mariadb-install-db", "--no-defaults", f"--datadir={data}", "--auth-root-authentication-method=normal",
                 "--skip-test-db"],
                f"remove {data} and try again",
            )  # fmt: skip
    init = var / "mariadb-init.sql"
    init.touch(mode=0o600)
    init.write_text(
        "CREATE DATABASE IF NOT EXISTS mirror CHARACTER SET utf8mb4;\n"
        f"CREATE USER IF NOT EXISTS 'app'@'{LOOPBACK}' IDENTIFIED BY '{password}';\n"
        f"GRANT ALL ON mirror.* TO 'app'@'{LOOPBACK}';\n"
        f"GRANT ALL ON `test\\_%`.* TO 'app'@'{LOOPBACK}';\n"
        + (
            f"CREATE USER IF NOT EXISTS 'app'@'%' IDENTIFIED BY '{password}';\nGRANT ALL ON mirror.* TO 'app'@'%';\n"
            if os.environ.get("MIRROR_LISTEN")
            else "DROP USER IF EXISTS 'app'@'%';\n"
        )
        + f"ALTER USER 'root'@'localhost' IDENTIFIED BY '{password}';\n"
    )
    # A socket's path may have 107 characters at most, so it gets a short one relative to the data folder.
    command = [
        "/usr/sbin/mariadbd", "--no-defaults", f"--datadir={data}", "--socket=m.sock", f"--port={port}",
        f"--bind-address={','.join(listening())}", "--skip-name-resolve", "--character-set-server=utf8mb4",
        f"--init-file={init}", "--innodb-buffer-pool-size=64M", "--max-allowed-packet=64M",
        "--max-connections=500",  # each that asks at one moment has one; the streams of progress give theirs back
    ]  # fmt: skip
    if os.geteuid() == 0:
        command.insert(2, "--user=root")
    children.begin("mariadb", command, environment())
    children.wait_for("mariadb", port)


def begin_queue(children: Children, var: Path, port: int) -> None:
    folder = var / "redis"
    folder.mkdir(parents=True, exist_ok=True)
    config = var / "redis.conf"
    config.touch(mode=0o600)
    config.write_text(
        f"bind {' '.join(listening())}\nport {port}\ndir {folder}\nsave 30 1\nappendonly yes\n"
        f"requirepass {private_keys(var)['queue']}\n"
    )
    children.begin("redis", ["redis-server", str(config)], environment())
    children.wait_for("redis", port)


def threads() -> dict[str, str]:
    """How many threads each rehearsal and check computes with, where that is told (`MIRROR_THREADS`); else as many as there are cores."""
    wanted = os.environ.get("MIRROR_THREADS", "")
    return dict.fromkeys(("NUMBA_NUM_THREADS", "OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"), wanted) if wanted else {}


def app_environment(var: Path, web_port: int, database_port: int, queue_port: int) -> dict[str, str]:
    keys = private_keys(var)
    return (
        environment()
        | threads()
        | {
            "MIRROR_VERSION": version(),
            "DJANGO_SETTINGS_MODULE": "mirror.settings",
            "MIRROR_VAR": str(var),
            "MIRROR_SECRET": keys["django"],
            "MIRROR_DB_PASSWORD": keys["database"],
            "MIRROR_DB_PORT": str(database_port),
            "MIRROR_QUEUE": f"redis://:{keys['queue']}@{LOOPBACK}:{queue_port}/0",
            "MIRROR_WEB_PORT": str(web_port),
        }
    )
