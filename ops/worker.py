"""`./mirror worker`: a worker on another machine, of an installation that runs elsewhere. It needs the database, the queue and the store of that one,
and nothing listens here."""

from __future__ import annotations

import json
import os
import secrets
import socket
import subprocess
import urllib.error
import urllib.parse
import urllib.request
from contextlib import suppress
from pathlib import Path

from . import checks, services
from .steps import PYTHON, ROOT, StepFailed, environment, say, step, version

JOINED = "joined.json"
ANSWERS_WITHIN_S = 20
AGAIN = "ask for another: ./mirror worker --invite where it runs"


def invite(var: Path) -> str:
    """The address that lets one worker join the installation that runs under `var`. Raises StepFailed."""
    ledger = var / "running.json"
    if not services.is_running(ledger):
        raise StepFailed("It is not running here.", "start it first: ./mirror start")
    ports = json.loads(ledger.read_text())["ports"]
    env = services.app_environment(var, ports["web"], ports["database"], ports["queue"])
    done = subprocess.run(
        [str(PYTHON), "server/manage.py", "workers", "key"], cwd=ROOT, env=env, capture_output=True, text=True
    )
    if done.returncode:
        raise StepFailed(f"No key could be made: {done.stderr.strip()[-400:]}", "see whether the queue runs")
    hosts = os.environ.get("MIRROR_HOSTS", "")
    # As people come in: the web server itself listens on loopback alone.
    from_outside = os.environ.get("MIRROR_TLS") == "1" and hosts
    base = f"https://{hosts.split(',')[0]}" if from_outside else f"http://{services.LOOPBACK}:{ports['web']}"
    return f"{base}/join/{done.stdout.strip()}"


def join(address: str, var: Path) -> None:
    """Ask what this worker needs, and keep it for the next start. Raises StepFailed."""
    parts = urllib.parse.urlsplit(address)
    base, _, key = parts.path.rpartition("/join/")
    if parts.scheme not in ("http", "https") or not parts.netloc or not key:
        raise StepFailed(f"'{address}' is no address to join by.", AGAIN)
    asked = urllib.request.Request(
        f"{parts.scheme}://{parts.netloc}{base}/api/join",
        json.dumps({"key": key}).encode(),
        {"Content-Type": "application/json"},
    )
    try:
        with urllib.request.urlopen(asked, timeout=ANSWERS_WITHIN_S) as answer:
            told = {str(name): str(value) for name, value in json.loads(answer.read())["environment"].items()}
    except urllib.error.HTTPError as error:
        said = ""
        with suppress(ValueError, AttributeError):
            said = str(json.loads(error.read()).get("detail", ""))
        raise StepFailed(f"It cannot be joined: {said or error}", AGAIN) from error
    except (OSError, ValueError, KeyError, AttributeError) as error:
        raise StepFailed(
            f"{parts.netloc} does not answer as an installation does: {error}.", "see whether it runs, and TLS"
        ) from error
    theirs = told.pop("MIRROR_VERSION", "")
    if theirs != version():
        raise StepFailed(
            f"The installation is of another version ({theirs}) than this worker ({version()}).",
            "take the same checkout on both",
        )
    told["MIRROR_WORKER"] = f"{socket.gethostname()}-{secrets.token_hex(2)}"
    told["MIRROR_SECRET"] = secrets.token_urlsafe(32)  # one of its own: the installation's signs people in
    var.mkdir(parents=True, exist_ok=True)
    made = (var / JOINED).with_suffix(".new")
    with os.fdopen(os.open(made, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
        json.dump(told, out, indent=1)
    made.replace(var / JOINED)


def joined(var: Path) -> dict[str, str]:
    """The environment of a worker that has joined. Raises StepFailed."""
    file = var / JOINED
    if not file.exists():
        raise StepFailed(
            "This machine has joined no installation yet.",
            "./mirror worker --join ADDRESS, with the address that --invite told",
        )
    told = {str(name): str(value) for name, value in json.loads(file.read_text()).items()}
    return (
        environment()
        | services.threads()
        | told
        | {"DJANGO_SETTINGS_MODULE": "mirror.settings", "MIRROR_VAR": str(var)}
    )


def begin(children: services.Children, var: Path) -> None:
    """A worker that has joined, once all that it needs is in reach. Raises StepFailed."""
    env = joined(var)
    with step("Database, queue and store in reach"):
        done = subprocess.run(
            [str(PYTHON), "server/manage.py", "workers", "reach"], cwd=ROOT, env=env, capture_output=True, text=True
        )
        if done.returncode:
            said = (done.stderr.strip().splitlines() or ["no word of why"])[-1]
            raise StepFailed(said, "see that the installation runs, and that its network lets this machine through")
    children.begin("joined", checks.process("joined", 0, env["MIRROR_WORKER"]), env)


def run(var: Path) -> int:
    """Work until Ctrl-C."""
    ledger = var / "worker.json"
    services.end_leftovers(ledger)
    children = services.Children(var / "log", ledger)
    with services.until_stopped(children):
        begin(children, var)
        say(
            f"\nThis machine works for {joined(var)['MIRROR_DB_HOST']}.\n  Ctrl-C stops it: what it has under way is then failed, and can be run again.\n"
        )
        children.look_after_for_ever()
    return 0
