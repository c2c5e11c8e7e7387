"""A sweep: every demo job as it is released, rehearsed by one worker of one thread, and by two of which the second has joined as from another machine.
`./mirror bench sweep [N]`: all of them, or the N with the shortest programs. Told: how much sooner two are done, and whether they come to the same
verdicts and the same part, byte for byte."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
import time
from pathlib import Path

from bench.faults import Shop
from ops import services, worker
from ops.steps import ROOT

TAKE = """
from pathlib import Path
from accounts.models import Organisation
from django.contrib.auth.models import User
from jobs.services import take_in_path
shop, user = Organisation.objects.get(), User.objects.get()
folders = sorted(Path({demo!r}).glob("*/1-*"), key=lambda folder: sum(file.stat().st_size for file in folder.glob("*.nc")))
for folder in folders[:{most}]:
    print(take_in_path(shop, user, folder).pk)
"""
TOLD = """
import gzip, hashlib, json
from jobs.models import Rehearsal
for row in Rehearsal.objects.filter(pk__in={numbers}).order_by("pk"):
    parts = [gzip.decompress(a.file.open("rb").read()) for a in row.artifacts.filter(name__in=("verdict.json", "stock.stl")).order_by("name")]
    print(row.state, row.verdict, hashlib.sha256(b"".join(parts)).hexdigest(), row.worker)
"""


def swept(shop: Shop, revisions: list[int], places: list[Path]) -> tuple[float, list[str]]:
    """Seconds, and how each ended. `places`: where the workers keep what they worked out before, which must not be taken up again."""
    for _ in range(2 * len(places)):
        shop.rehearse()
    idle(shop)  # all are up, and have loaded what they need
    for place in places:
        shutil.rmtree(place / "checkpoints", ignore_errors=True)
    begun = time.monotonic()
    numbers = [int(shop.ask(f"/revisions/{revision}/rehearsals", "POST")[1]["id"]) for revision in revisions]
    idle(shop)
    took = time.monotonic() - begun
    said = shop.manage("shell", "-v", "0", "-c", TOLD.format(numbers=numbers)).strip().splitlines()
    return took, said


def idle(shop: Shop) -> None:
    while shop.ask("/queue")[1]["rehearsals"]:  # one short question a second: the cores are the workers'
        time.sleep(1.0)


def sweep(words: list[str]) -> int:
    os.environ |= {"MIRROR_THREADS": "1", "MIRROR_AT_ONCE": "1"}  # a worker is a core
    with tempfile.TemporaryDirectory(prefix="mirror-sweep-") as folder:
        here, there = Path(folder) / "here", Path(folder) / "there"
        shop = Shop(here, ROOT / "core" / "tests" / "jobs" / "slot-clear")
        other = services.Children(there / "log")
        try:
            most = int(words[0]) if words else 1000
            told = shop.manage("shell", "-v", "0", "-c", TAKE.format(demo=str(ROOT / "demo" / "jobs"), most=most))
            revisions = [int(line) for line in told.split()]
            one, alone = swept(shop, revisions, [here])
            key = shop.manage("workers", "key").strip()
            worker.join(f"http://127.0.0.1:{shop.ports['web']}/join/{key}", there)
            worker.begin(other, there)
            two, together = swept(shop, revisions, [here, there])
        finally:
            other.stop()
            shop.close()
    same = [line.rpartition(" ")[0] for line in alone] == [line.rpartition(" ")[0] for line in together]
    shares = [sum(line.endswith(name) for line in together) for name in {line.split()[-1] for line in together}]
    print(
        f"{len(revisions)} jobs: one worker {one:.1f} s, two (the second has joined) {two:.1f} s: {one / two:.2f} ×, {' and '.join(map(str, shares))} jobs "
        f"each; verdicts and parts {'the same' if same else 'NOT THE SAME'}"
    )
    if not same:
        print(json.dumps([pair for pair in zip(alone, together, strict=True) if pair[0] != pair[1]], indent=1))
    return 0 if same else 1


def together(words: list[str]) -> int:
    """One rehearsal of a job of four stocks by one worker of one thread, and by that with a second one that has joined and helps it. `./mirror bench
    together [FOLDER]`. Told: how much sooner it is done, and whether it comes to the same."""
    with tempfile.TemporaryDirectory(prefix="mirror-together-") as folder:
        shared = Path(folder) / "checkpoints"
        os.environ |= {"MIRROR_THREADS": "1", "MIRROR_AT_ONCE": "1", "MIRROR_CHECKPOINTS": str(shared)}
        here, there = Path(folder) / "here", Path(folder) / "there"
        shop = Shop(here, Path(words[0]) if words else ROOT / "demo" / "jobs" / "clamp-shells" / "1-as released")
        other = services.Children(there / "log")
        try:
            shop.done(shop.rehearse())  # loaded
            alone = _once(shop, shared)
            key = shop.manage("workers", "key").strip()
            worker.join(f"http://127.0.0.1:{shop.ports['web']}/join/{key}", there)
            worker.begin(other, there)
            time.sleep(5)
            _once(shop, shared)  # the other has loaded, too
            helped = _once(shop, shared)
        finally:
            other.stop()
            shop.close()
    same = alone[1] == helped[1]
    print(
        f"alone {alone[0]:.1f} s, helped {helped[0]:.1f} s: {alone[0] / helped[0]:.2f} ×; verdict, part and film {'the same' if same else 'NOT THE SAME'}"
    )
    return 0 if same else 1


def _once(shop: Shop, shared: Path) -> tuple[float, str]:
    """Seconds of a rehearsal that finds nothing done, and what it kept."""
    shutil.rmtree(shared, ignore_errors=True)
    begun = time.monotonic()
    number = shop.rehearse()
    shop.done(number)
    took = time.monotonic() - begun
    names = '("verdict.json", "stock.stl", "film.bin")'
    ask = f"""
import gzip, hashlib
from jobs.models import Artifact
for row in Artifact.objects.filter(rehearsal={number}, name__in={names}).order_by("name"):
    data = row.file.open("rb").read()
    print(row.name, hashlib.sha256(gzip.decompress(data) if row.packed else data).hexdigest())
"""
    return took, shop.manage("shell", "-v", "0", "-c", ask)
