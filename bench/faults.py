"""Faults: whatever the application stands on is killed, frozen or filled while rehearsals run, and what it says and does is held against what
it should. `./mirror bench faults [NAME]`; everything runs in a folder of its own, on ports of its own.

Nothing may be lost, nothing stay stuck, the user has one clear message, and work goes on by itself when the fault is gone.
"""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from bench.bucket import Elsewhere
from ops import services
from ops.checks import process
from ops.steps import PYTHON, ROOT, StepFailed

MAKE = """
from accounts import tokens
from accounts.models import Membership, Organisation, Role
from django.contrib.auth.models import User
shop = Organisation.objects.create(name="Saltmarsh Instruments")
user = User.objects.create_user("ines")
Membership.objects.create(user=user, organisation=shop, role=Role.ADMINISTERS)
print(tokens.make(user, "faults", Role.WORKS, 1)[1])
"""
OVER = ("done", "failed", "cancelled")
LOST_AFTER_S = 4
SOON_S = 60  # in which work goes on by itself


class Wrong(Exception):
    """What should not be."""


class Shop:
    """An installation of its own, looked after as a start looks after it."""

    def __init__(self, var: Path, job: Path, more: dict[str, str] | None = None) -> None:
        self.var, self.job = var, job
        self.ports = {name: services.free_port() for name in ("web", "database", "queue")}
        self.env = (
            services.app_environment(var, *self.ports.values())
            | {"MIRROR_LOST_AFTER": str(LOST_AFTER_S)}
            | (more or {})
        )
        self.children = services.Children(var / "log")
        services.begin_database(self.children, var, self.ports["database"])
        services.begin_queue(self.children, var, self.ports["queue"])
        self.manage("prepare")
        self.token = self.manage("shell", "-v", "0", "-c", MAKE).strip().splitlines()[-1]
        for name in ("worker", "web"):
            self.children.begin(name, process(name, self.ports["web"]), self.env)
        self.children.wait_for("web", self.ports["web"])
        self.over = threading.Event()
        self.failure = ""
        threading.Thread(target=self._look_after, daemon=True).start()
        self.revision = self._take_in()

    def _look_after(self) -> None:
        while not self.over.wait(0.2):
            try:
                self.children.look_after()
            except StepFailed as failure:
                self.failure = str(failure)
                return

    def close(self) -> None:
        self.over.set()
        time.sleep(0.5)
        self.children.stop()

    def manage(self, *words: str) -> str:
        done = subprocess.run(
            [str(PYTHON), "server/manage.py", *words], cwd=ROOT, env=self.env, capture_output=True, text=True
        )
        if done.returncode:
            raise Wrong(done.stderr)
        return done.stdout

    def ask(
        self, path: str, method: str = "GET", data: bytes = b"", kind: str = "application/json", within: float = 20
    ) -> tuple[int, Any]:
        """Status and answer of one call; status 0 where nobody answers."""
        headers = {"Authorization": f"Bearer {self.token}", "Content-Type": kind}
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.ports['web']}/api{path}", data if method == "POST" else None, headers, method=method
        )  # fmt: skip
        try:
            with urllib.request.urlopen(request, timeout=within) as answer:
                return answer.status, json.loads(answer.read() or b"null")
        except urllib.error.HTTPError as error:
            with suppress(ValueError):
                return error.code, json.loads(error.read())
            return error.code, None
        except (OSError, ValueError):
            return 0, None

    def _take_in(self) -> int:
        line = "fault-bench-line"
        packed = shutil.make_archive(str(self.var / "job"), "zip", self.job)
        head = f'--{line}\r\nContent-Disposition: form-data; name="files"; filename="job.zip"\r\n\r\n'
        body = head.encode() + Path(packed).read_bytes() + f"\r\n--{line}--\r\n".encode()
        status, job = self.ask("/jobs", "POST", body, f"multipart/form-data; boundary={line}")
        if status != 200:
            raise Wrong(f"the job was not taken in: {status} {job}")
        return int(job["revisions"][0]["id"])

    def rehearse(self) -> int:
        status, row = self.ask(f"/revisions/{self.revision}/rehearsals", "POST")
        if status != 200:
            raise Wrong(f"no rehearsal was begun: {status} {row}")
        return int(row["id"])

    def state(self, number: int) -> dict[str, Any]:
        """A rehearsal as it stands, asked until somebody answers."""
        end = time.monotonic() + SOON_S
        while time.monotonic() < end:
            status, row = self.ask(f"/rehearsals/{number}")
            if status == 200:
                return dict(row)
            time.sleep(0.2)
        raise Wrong(f"nobody answered for {SOON_S} s")

    def until(
        self, number: int, wanted: Callable[[dict[str, Any]], bool], what: str, within: float = 2 * SOON_S
    ) -> dict[str, Any]:
        end = time.monotonic() + within
        row: dict[str, Any] = {}
        while time.monotonic() < end:
            row = self.state(number)
            if wanted(row):
                return row
            time.sleep(0.05)
        raise Wrong(
            f"rehearsal {number} is not {what} after {within:g} s: {row.get('state')} {row.get('stage')} {row.get('error')}"
        )

    def running(self, number: int, share: float = 0.0) -> None:
        self.until(
            number,
            lambda row: (
                row["state"] in OVER or (row["state"] == "running" and bool(row["stage"]) and row["share"] >= share)
            ),
            "running",
        )

    def done(self, number: int) -> None:
        row = self.until(number, lambda row: row["state"] in OVER, "over")
        if row["state"] != "done":
            raise Wrong(f"rehearsal {number} {row['state']}: {row['error']}")

    def pid(self, name: str) -> int:
        return dict(self.children.running)[name].pid

    def kill(self, name: str, signal_: signal.Signals = signal.SIGKILL) -> None:
        """A process and, for a worker, what carries out its rehearsals."""
        os.killpg(self.pid(name), signal_)

    @contextmanager
    def frozen(self, name: str) -> Iterator[None]:
        self.kill(name, signal.SIGSTOP)
        try:
            yield
        finally:
            self.kill(name, signal.SIGCONT)


def expect(holds: bool, said: str) -> None:
    if not holds:
        raise Wrong(said)


def worker_killed(shop: Shop) -> None:
    """At the beginning, in the middle and while it keeps: that one is failed with its reason, the next is carried out."""
    for share in (0.0, 0.3, 0.9):
        number = shop.rehearse()
        waiting = shop.rehearse()
        shop.running(number, share)
        shop.kill("worker")
        row = shop.until(number, lambda row: row["state"] in OVER, "over", 6 * LOST_AFTER_S + 20)
        expect(row["state"] == "done" or "run it again" in row["error"], f"{row['state']}: {row['error']}")
        after = shop.until(waiting, lambda row: row["state"] in OVER, "over")
        expect(after["state"] == "done" or "run it again" in after["error"], f"{after['state']}: {after['error']}")
        shop.done(shop.rehearse())


def database_killed(shop: Shop) -> None:
    """While a rehearsal runs and another waits: both end as if nothing had been."""
    for share in (0.0, 0.5, 0.95):
        number, waiting = shop.rehearse(), shop.rehearse()
        shop.running(number, share)
        shop.kill("mariadb")
        status, said = shop.ask("/jobs")
        expect(status in (200, 503), f"asked while the database was away: {status} {said}")
        expect(status == 200 or "database does not answer" in said["detail"], str(said))
        shop.done(number)
        shop.done(waiting)


def queue_killed(shop: Shop) -> None:
    """While one runs and another waits: both end; and one begun while it is away is carried out when it is back."""
    number, waiting = shop.rehearse(), shop.rehearse()
    shop.running(number)
    shop.kill("redis")
    begun = shop.rehearse()
    for each in (number, waiting, begun):
        shop.done(each)


def queue_frozen(shop: Shop) -> None:
    """Requests are answered while the queue stands still, and what was begun is carried out when it goes on."""
    number = shop.rehearse()
    shop.running(number)
    with shop.frozen("redis"):
        for path in ("/jobs", f"/rehearsals/{number}", "/library"):
            begun = time.monotonic()
            status, said = shop.ask(path)
            took = time.monotonic() - begun
            expect(status == 200 and took < 15, f"{path}: {status} after {took:.1f} s {said if status != 200 else ''}")
        begun = time.monotonic()
        waiting = shop.rehearse()
        expect(time.monotonic() - begun < 15, f"a rehearsal was begun only after {time.monotonic() - begun:.1f} s")
    shop.done(number)
    shop.done(waiting)


def web_killed(shop: Shop) -> None:
    """While a rehearsal runs: it goes on, and the page is served again."""
    number = shop.rehearse()
    shop.running(number)
    shop.kill("web")
    shop.done(number)


def delivered_twice(shop: Shop) -> None:
    """The queue tells of one rehearsal many times: it is carried out once."""
    number = shop.rehearse()
    shop.manage("shell", "-v", "0", "-c", "from jobs.tasks import wake\nfor _ in range(8): wake()")
    shop.done(number)
    count = f"Artifact.objects.filter(rehearsal={number}, name='verdict.json').count()"
    made = shop.manage("shell", "-v", "0", "-c", f"from jobs.models import Artifact\nprint({count})")
    expect(made.strip() == "1", f"its verdict is kept {made.strip()} times")


def too_much_memory(shop: Shop) -> None:
    """A rehearsal that needs more than it may ends with the reason, and the next is carried out."""
    env = shop.env | {"MIRROR_MOST_MEMORY_GB": "0.12"}
    usual = shop.children.ways["worker"]
    shop.children.ways["worker"] = usual[0], env
    shop.kill("worker")
    time.sleep(1)
    row = shop.until(shop.rehearse(), lambda row: row["state"] in OVER, "over")
    expect(row["state"] == "failed" and "memory" in row["error"], f"{row['state']}: {row['error']}")
    shop.children.ways["worker"] = usual
    shop.kill("worker")
    shop.done(shop.rehearse())


def _small_disk(place: Path, kilobytes: int) -> bool:
    """A disk of so much room at a folder; False where none can be made here, which is said."""
    place.mkdir(parents=True, exist_ok=True)
    mount = ["mount", "-t", "tmpfs", "-o", f"size={kilobytes}k", "none", str(place)]
    if subprocess.run(mount, capture_output=True).returncode:
        print("  (no small disk can be made here: not tried)")
        return False
    return True


def disk_full(shop: Shop) -> None:
    """No room for what is kept: told as that, nothing half kept; with room again the next is carried out."""
    store = shop.var / "store"
    aside = shop.var / "store-aside"
    store.rename(aside)
    room = sum(file.stat().st_size for file in (aside / "revisions").rglob("*.zip")) // 1024 + 64
    if not _small_disk(store, room):
        store.rmdir()
        aside.rename(store)
        return
    try:
        shutil.copytree(aside / "revisions", store / "revisions")
        row = shop.until(shop.rehearse(), lambda row: row["state"] in OVER, "over")
        expect(row["state"] == "failed" and "space" in row["error"].lower(), f"{row['state']}: {row['error']}")
        expect(row["result"] is None and not row["artifacts"], "half of it is kept")
    finally:
        subprocess.run(["umount", str(store)], check=True)
        store.rmdir()
        aside.rename(store)
    shop.done(shop.rehearse())


def no_room_for_checkpoints(shop: Shop) -> None:
    """What is only kept to go on from costs time where it finds no room, and nothing else."""
    place = shop.var / "checkpoints"
    shutil.rmtree(place, ignore_errors=True)
    if not _small_disk(place, 16):
        return
    try:
        shop.done(shop.rehearse())
    finally:
        subprocess.run(["umount", str(place)], check=True)


def no_room_for_the_database(shop: Shop) -> None:
    """A disk that is full under the database: what runs ends whole or with its reason, and with room again the next is carried out."""
    var = shop.var.parent / "full"
    if not _small_disk(var / "mariadb", 300_000):
        return
    filler = var / "mariadb" / "filler"
    try:
        own = Shop(var, shop.job)
        try:
            own.done(own.rehearse())
            with filler.open("wb") as out, suppress(OSError):
                while out.write(b"x" * 1_000_000):
                    out.flush()
            row = own.until(own.rehearse(), lambda row: row["state"] in OVER, "over", 4 * SOON_S)
            expect(row["state"] == "done" or bool(row["error"]), f"{row['state']} and not why")
            expect(row["state"] == "done" or row["result"] is None, "half of it is kept")
            filler.unlink()
            own.done(own.rehearse())
            expect(not own.failure, own.failure)
        finally:
            filler.unlink(missing_ok=True)
            own.close()
    finally:
        subprocess.run(["umount", str(var / "mariadb")], check=True)


def store_elsewhere(shop: Shop) -> None:
    """A store elsewhere that is slow, fails one time in three, and is gone while a rehearsal runs: it takes longer, and nothing else."""
    elsewhere = Elsewhere()
    own = Shop(shop.var.parent / "elsewhere", shop.job, {"MIRROR_STORE": elsewhere.address})
    try:
        elsewhere.slow = 0.5
        own.done(own.rehearse())
        elsewhere.slow, elsewhere.failing = 0.0, 3
        own.done(own.rehearse())
        elsewhere.failing = 0
        number, waiting = own.rehearse(), own.rehearse()
        with elsewhere.gone():
            status, said = own.ask(f"/revisions/{own.revision}/desk", within=60)
            expect(
                status == 503 and "store of files" in said["detail"], f"asked while the store was gone: {status} {said}"
            )
            expect(own.ask("/queue")[0] == 200, "the queue is not shown while the store is gone")
            time.sleep(5)
        own.done(number)
        own.done(waiting)
        expect(not own.failure, own.failure)
    finally:
        own.close()
        elsewhere.close()


def store_not_mounted(shop: Shop) -> None:
    """A folder that several machines have mounted is gone while a rehearsal runs and another waits: both end when it is back, and nothing lies beside it."""
    place, aside = shop.var.parent / "mounted", shop.var.parent / "away"
    own = Shop(shop.var.parent / "with-mounted", shop.job, {"MIRROR_STORE": str(place)})
    try:
        number, waiting = own.rehearse(), own.rehearse()
        place.rename(aside)
        place.mkdir()
        status, said = own.ask(f"/revisions/{own.revision}/archive")
        expect(status == 503, f"asked while the folder was not there: {status} {said}")
        time.sleep(4)
        expect(not any(place.iterdir()), "something was written where nothing was mounted")
        place.rmdir()
        aside.rename(place)
        own.done(number)
        own.done(waiting)
        expect(not own.failure, own.failure)
    finally:
        own.close()


FAULTS: dict[str, Callable[[Shop], None]] = {
    "web": web_killed, "worker": worker_killed, "database": database_killed, "queue": queue_killed, "frozen": queue_frozen,
    "twice": delivered_twice, "memory": too_much_memory, "disk": disk_full, "checkpoints": no_room_for_checkpoints,
    "full": no_room_for_the_database, "store": store_elsewhere, "mounted": store_not_mounted,
}  # fmt: skip


def faults(names: list[str], make_job: Callable[[Path], None]) -> int:
    """The exit status: how many did not go as they should."""
    if unknown := [name for name in names if name not in FAULTS]:
        sys.exit(f"bench: there is no fault '{unknown[0]}'; there are {', '.join(FAULTS)}")
    wrong = 0
    with tempfile.TemporaryDirectory(prefix="mirror-faults-") as folder:
        job = Path(folder) / "job"
        job.mkdir()
        make_job(job)
        shop = Shop(Path(folder) / "var", job)
        try:
            shop.done(shop.rehearse())
            for name in names or FAULTS:
                begun = time.monotonic()
                try:
                    FAULTS[name](shop)
                    expect(not shop.failure, shop.failure)
                    said = "as it should"
                except Wrong as error:
                    said, wrong = f"WRONG: {error}", wrong + 1
                print(f"{name:10} {time.monotonic() - begun:6.1f} s  {said}", flush=True)
        finally:
            if wrong:
                shutil.copytree(shop.var / "log", ROOT / "var" / "log" / "faults", dirs_exist_ok=True)
            shop.close()
    return wrong
