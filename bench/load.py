"""Load: many people looking and some working at once, on loopback. `./mirror bench load [LOOKING WORKING SECONDS]`.

Whoever looks has the list of jobs open, which asks again every few seconds, and follows a rehearsal; whoever works moves a machine by hand and
checks a program. Told: requests a second, what a request costs the server in CPU, how long the answers take, connections and memory at the end.
"""

from __future__ import annotations

import asyncio
import json
import random
import subprocess
import tempfile
import time
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path

from bench.faults import Shop

POLL_S, HAND_S, CHECK_S = 4.0, 1.0, 5.0
SETTLE_S = 10.0


async def ask(
    port: int, token: str, method: str, path: str, body: bytes = b"", tag: str = ""
) -> tuple[int, str, bytes]:
    """Status, tag and body of one answer; the connection is closed after it."""
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    more = f"If-None-Match: {tag}\r\n" if tag else ""
    head = (
        f"{method} /api{path} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nAuthorization: Bearer {token}\r\nContent-Type: application/json\r\n"
        f"Content-Length: {len(body)}\r\nConnection: close\r\n{more}\r\n"
    )
    writer.write(head.encode() + body)
    answer = await reader.read()
    writer.close()
    top, _, rest = answer.partition(b"\r\n\r\n")
    lines = top.decode("latin-1").split("\r\n")
    tags = [line.split(":", 1)[1].strip() for line in lines if line.lower().startswith("etag:")]
    return int(lines[0].split()[1]), tags[0] if tags else "", rest


def cpu_seconds(pid: int, helpers: bool = True) -> float:
    """What a process and all that it has begun have used, its helpers too or not."""
    parents: dict[int, int] = {}
    used: dict[int, float] = {}
    for place in Path("/proc").iterdir():
        if place.name.isdigit():
            try:
                fields = (place / "stat").read_text().rpartition(")")[2].split()
            except OSError:
                continue
            if not helpers and b"jobs.helper" in (place / "cmdline").read_bytes():
                continue
            parents[int(place.name)], used[int(place.name)] = int(fields[1]), (int(fields[11]) + int(fields[12])) / 100

    def is_of(one: int) -> bool:
        while one > 1:
            if one == pid:
                return True
            one = parents.get(one, 0)
        return False

    return sum(seconds for one, seconds in used.items() if is_of(one))


def used(pid: int) -> tuple[float, float]:
    """CPU seconds with helpers and without."""
    return cpu_seconds(pid), cpu_seconds(pid, helpers=False)


def memory_mb(pid: int) -> float:
    """What a process and those that it began hold, without helpers."""
    total = 0.0
    for place in Path("/proc").iterdir():
        if place.name.isdigit():
            try:
                group = int((place / "stat").read_text().rpartition(")")[2].split()[2])
                total += int((place / "statm").read_text().split()[1]) * 4096 / 1e6 if group == pid else 0.0
            except OSError:
                continue
    return total


async def crowd(
    shop: Shop, looking: int, working: int, seconds: float, setup: dict, settled: Callable[[], None]
) -> dict[str, list[float]]:
    """How long the answers took once all have come in and helpers and threads are there, which `settled` is told."""
    port, token, took = shop.ports["web"], shop.token, defaultdict(list)
    counted = time.monotonic() + SETTLE_S
    until = counted + seconds
    wrong: dict[str, int] = defaultdict(int)

    async def once(what: str, method: str, path: str, body: bytes = b"", tag: str = "") -> str:
        begun = time.monotonic()
        try:
            status, tag, _ = await ask(port, token, method, path, body, tag)
        except (OSError, IndexError, ValueError):
            status = 0
        if begun >= counted:
            took[what].append(time.monotonic() - begun)
        if status not in (200, 304):
            wrong[f"{what} {status}"] += 1
        return tag

    async def looks() -> None:
        await asyncio.sleep(random.uniform(0, POLL_S))
        tag = ""
        while time.monotonic() < until:
            tag = await once("list", "GET", "/jobs", tag=tag)
            await asyncio.sleep(POLL_S)

    async def works() -> None:
        await asyncio.sleep(random.uniform(0, HAND_S))
        last = 0.0
        while time.monotonic() < until:
            x = random.uniform(-200, -10)
            move = json.dumps(
                {"job": setup["job"], "begin": [0, 0, 0], "end": [x, -50, -20], "tool": 1, "stop": True, "held": None}
            )
            await once("hand", "POST", f"/revisions/{shop.revision}/move", move.encode())
            if time.monotonic() - last > CHECK_S:
                last = time.monotonic()
                held = {"programs": {}, "job": None, "tools": None, "path": False, "channel": 0}
                await once("check", "POST", f"/revisions/{shop.revision}/desk/check", json.dumps(held).encode())
            await asyncio.sleep(HAND_S)

    async def settles() -> None:
        await asyncio.sleep(SETTLE_S)
        settled()

    await asyncio.gather(settles(), *(looks() for _ in range(looking)), *(works() for _ in range(working)))
    if wrong:
        print(f"  not answered as they should: {dict(wrong)}")
    return took


def load(words: list[str], make_job: Callable[[Path], None]) -> int:
    looking, working, seconds = (int(word) for word in (words or ["200", "20", "30"]))
    with tempfile.TemporaryDirectory(prefix="mirror-load-") as folder:
        job = Path(folder) / "job"
        job.mkdir()
        make_job(job)
        shop = Shop(Path(folder) / "var", job)
        try:
            shop.done(shop.rehearse())
            _, setup = shop.ask(f"/revisions/{shop.revision}/setup")
            web = shop.pid("web")
            held = memory_mb(web)
            before: list[float] = []
            took = asyncio.run(
                crowd(shop, looking, working, seconds, setup, lambda: before.extend((time.monotonic(), *used(web))))
            )
            lasted, whole, own = (now - then for now, then in zip((time.monotonic(), *used(web)), before, strict=True))
            count = sum(map(len, took.values()))
            print(
                f"{looking} looking, {working} working: {count / lasted:.0f} requests/s, {1000 * whole / count:.1f} ms of CPU a request, "
                f"{1000 * own / count:.1f} of them without the helpers that check and move"
            )
            for what, times in sorted(took.items()):
                times.sort()
                print(
                    f"  {what:6} {len(times):6}  median {1000 * times[len(times) // 2]:6.0f} ms  p95 {1000 * times[int(0.95 * len(times))]:6.0f} ms"
                )
            connections = subprocess.run(
                ["ss", "-Htn", "state", "established", f"( dport = :{shop.ports['database']} )"], capture_output=True, text=True
            ).stdout.count("\n")  # fmt: skip
            print(
                f"  memory of the web processes {held:.0f} → {memory_mb(web):.0f} MB, connections to the database left {connections}"
            )
        finally:
            shop.close()
    return 0
