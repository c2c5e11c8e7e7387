"""The words of `./mirror` and what each does."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from pathlib import Path

from . import checks, install, keeping, services, worker
from .steps import PYTHON, ROOT, VAR, WEB, StepFailed, environment, say, step

SHOWN_LETTERS = 10
DEMO_SIGN_IN = "ines / tide-table-9"


def start(options: argparse.Namespace) -> int:
    ledger = VAR / "running.json"
    services.end_leftovers(ledger)
    install.everything()
    ports = {
        "web": options.port,
        "database": options.db_port or options.port + 1,
        "queue": options.queue_port or options.port + 2,
    }
    for what, port in ports.items():
        if not services.port_is_free(port):
            flag = {"web": "--port", "database": "--db-port", "queue": "--queue-port"}[what]
            raise StepFailed(
                f"Port {port} ({what}) is taken by another program.",
                f"stop that program, or choose another: ./mirror start {flag} {port + 100}",
            )
    env = services.app_environment(VAR, ports["web"], ports["database"], ports["queue"])
    services.open_many_files()
    children = services.Children(VAR / "log", ledger)
    children.told = {"ports": ports}
    with services.until_stopped(children):
        with step("MariaDB and Redis on loopback"):
            services.begin_database(children, VAR, ports["database"])
            services.begin_queue(children, VAR, ports["queue"])
        with step("Tables and demo data"):
            manage(["prepare"] + ([] if options.no_demo else ["--demo"]), env)
        with step("Worker and web server"):
            for name in ("worker", "web"):
                children.begin(name, checks.process(name, ports["web"]), env)
            children.wait_for("web", ports["web"])
        way_in = (
            "./mirror invite ORGANISATION gives the first person a way in"
            if options.no_demo
            else f"demo sign-in: {DEMO_SIGN_IN}"
        )
        say(f"\nBlunt Mirror is at http://127.0.0.1:{ports['web']}/\n  {way_in}\n  Ctrl-C stops it.\n")
        children.look_after_for_ever()
    return 0


def invite(options: argparse.Namespace) -> int:
    """The way in where nobody is yet, or into another organisation; everybody after that is asked in on the page of people."""
    with keeping.database(VAR) as port:
        env = services.app_environment(VAR, options.port, port, 0)
        return subprocess.run(
            [str(PYTHON), "server/manage.py", "invite", options.organisation, str(options.port)], cwd=ROOT, env=env
        ).returncode


def carry(options: argparse.Namespace) -> int:
    """An organisation's data out as a folder, or such a folder in: also while it runs."""
    with keeping.database(VAR) as port:
        env = services.app_environment(VAR, 0, port, 0)
        words = ["carry", options.word, options.organisation, str(options.folder.absolute())]
        return subprocess.run([str(PYTHON), "server/manage.py", *words], cwd=ROOT, env=env).returncode


def mail() -> int:
    letters = sorted((VAR / "mail").glob("*"), key=lambda file: file.stat().st_mtime)
    for letter in letters[-SHOWN_LETTERS:]:
        print(letter.read_text(errors="replace"))
    say(f"{len(letters)} letters lie in {VAR / 'mail'}" if letters else "No letter has been sent yet.")
    return 0


def manage(words: list[str], env: dict[str, str]) -> None:
    from .steps import run

    run([str(PYTHON), "server/manage.py", *words], "var/log/setup.log says what failed", env=env)


def core_word(word: str, rest: list[str]) -> int:
    install.core()
    sys.stderr.flush()
    os.execve(PYTHON, [str(PYTHON), "-m", "bluntmirror", word, *rest], environment())


CORE_WORDS = {
    "verify": "rehearse a job folder and print its verdict",
    "check": "the program check alone",
    "mend": "try the smallest changes that clear the findings, and write the mended job",
    "control": "offsets, registers and variables: a table, or a program that writes them",
    "calibrate": "learn a unit's accelerations, corners, block and change times from measured times",
    "poses": "an arm's moves as a table of poses that can be read again",
    "trace": "one row per motion, as CSV",
}  # known before anything is installed; a test holds them against the core's own


def main(words: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="./mirror", description="Blunt Mirror: may this program run?")
    commands = parser.add_subparsers(dest="word", metavar="WORD")
    commands.add_parser("setup", help="install everything and build, without starting")
    starting = commands.add_parser("start", help="set up if needed, then run the application until Ctrl-C")
    starting.add_argument("--port", type=int, default=8750, help="the web address's port (default 8750)")
    starting.add_argument("--db-port", type=int, help="MariaDB's port (default: port + 1)")
    starting.add_argument("--queue-port", type=int, help="Redis's port (default: port + 2)")
    starting.add_argument("--no-demo", action="store_true", help="do not load the demo shop")
    keeping_ = commands.add_parser("backup", help="tables and files as one archive, also while it runs")
    keeping_.add_argument("file", type=Path, help="where to write it (.tar.gz)")
    keeping_ = commands.add_parser("restore", help="put a backup into an empty installation")
    keeping_.add_argument("file", type=Path, help="the backup")
    inviting = commands.add_parser("invite", help="a link for the first person of an organisation, who administers it")
    inviting.add_argument("organisation", help="its name; made where there is none")
    inviting.add_argument("--port", type=int, default=8750, help="the web address's port (default 8750)")
    carrying = commands.add_parser("export", help="all that an organisation has, as a folder of open formats")
    carrying.add_argument("organisation", help="its name")
    carrying.add_argument("folder", type=Path, help="where to write it; must not be there yet")
    carrying = commands.add_parser("import", help="take in a folder that export wrote")
    carrying.add_argument("folder", type=Path, help="that folder")
    carrying.add_argument("organisation", help="who takes it in; must be here already")
    working = commands.add_parser("worker", help="work for an installation on another machine, until Ctrl-C")
    working.add_argument(
        "--invite", action="store_true", help="where it runs: an address by which one worker may join within a day"
    )
    working.add_argument("--join", metavar="ADDRESS", help="on the other machine: join by that address")
    commands.add_parser("mail", help="the letters that were sent while no mail server is named")
    commands.add_parser("client", help="write the API's document and the web client made from it")
    testing = commands.add_parser("test", help="format, lint, types, layers, and all tests")
    testing.add_argument("only", nargs="*", help="parts to run: source, web, core, server, e2e (default: all)")
    for word, text in (CORE_WORDS | {"bench": "measure the kernels beside their yardsticks"}).items():
        commands.add_parser(word, help=text, add_help=False)
    try:
        if words and words[0] in CORE_WORDS:
            return core_word(words[0], words[1:])
        if words and words[0] == "bench":
            install.python_environment("full")
            install.kernel_cache()
            os.execve(PYTHON, [str(PYTHON), "-m", "bench", *words[1:]], environment())
        options = parser.parse_args(words)
        if options.word == "setup":
            install.everything(browser=True)
            return 0
        if options.word == "client":
            install.for_the_client()
            env = services.app_environment(VAR, 0, 0, 0)
            document = subprocess.run([str(PYTHON), "server/manage.py", "openapi"], cwd=ROOT, env=env, check=True,
                                      capture_output=True, text=True).stdout  # fmt: skip
            (WEB / "src" / "api" / "openapi.json").write_text(document, encoding="utf-8")
            return subprocess.run(["npm", "run", "--silent", "client"], cwd=WEB).returncode
        if options.word == "start":
            return start(options)
        if options.word == "backup":
            return keeping.run_backup(options.file, VAR)
        if options.word == "restore":
            install.everything()
            return keeping.run_restore(options.file, VAR)
        if options.word == "worker" and options.invite:
            print(worker.invite(VAR))
            return 0
        if options.word == "worker":
            install.for_a_worker()
            if options.join:
                worker.join(options.join, VAR)
            return worker.run(VAR)
        if options.word == "invite":
            return invite(options)
        if options.word in ("export", "import"):
            return carry(options)
        if options.word == "mail":
            return mail()
        if options.word == "test":
            install.everything(browser=True)
            return checks.test(options.only)
        parser.print_help()
        return 2
    except StepFailed as failure:
        say(f"mirror: {failure}")
        return 1
    except KeyboardInterrupt:
        say("\nStopped.")
        return 130
