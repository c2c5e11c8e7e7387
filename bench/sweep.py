"""A sweep: every demo job as it is released, rehearsed by one worker process and by two. `./mirror bench sweep [N]`: all of them, or the N with
the shortest programs. Told: how much sooner two are done, and whether they come to the same verdicts and the same part, byte for byte."""

from __future__ import annotations

import json
import shutil
import tempfile
import time
from pathlib import Path

from bench.faults import Shop
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
    print(row.state, row.verdict, hashlib.sha256(b"".join(parts)).hexdigest())
"""


def swept(shop: Shop, revisions: list[int], workers: int) -> tuple[float, list[str]]:
    """Seconds, and how each ended."""
    command, env = shop.children.ways["worker"]
    shop.children.ways["worker"] = (
        [word if not word.startswith("--concurrency") else f"--concurrency={workers}" for word in command],
        env,
    )
    shop.kill("worker")
    time.sleep(6)
    shutil.rmtree(shop.var / "checkpoints", ignore_errors=True)  # what was worked out before must not be taken up again
    shop.done(shop.rehearse())  # both are up, and have loaded what they need
    begun = time.monotonic()
    numbers = [int(shop.ask(f"/revisions/{revision}/rehearsals", "POST")[1]["id"]) for revision in revisions]
    while shop.ask("/queue")[1]["rehearsals"]:  # one short question a second: the cores are the workers'
        time.sleep(1.0)
    took = time.monotonic() - begun
    said = shop.manage("shell", "-v", "0", "-c", TOLD.format(numbers=numbers)).strip().splitlines()
    return took, said


def sweep(words: list[str]) -> int:
    with tempfile.TemporaryDirectory(prefix="mirror-sweep-") as folder:
        shop = Shop(Path(folder) / "var", ROOT / "core" / "tests" / "jobs" / "slot-clear")
        try:
            told = shop.manage(
                "shell",
                "-v",
                "0",
                "-c",
                TAKE.format(demo=str(ROOT / "demo" / "jobs"), most=int(words[0]) if words else 1000),
            )
            revisions = [int(line) for line in told.split()]
            one, alone = swept(shop, revisions, 1)
            two, together = swept(shop, revisions, 2)
        finally:
            shop.close()
    same = alone == together
    print(
        f"{len(revisions)} jobs: one worker {one:.1f} s, two {two:.1f} s: {one / two:.2f} ×; verdicts and parts {'the same' if same else 'NOT THE SAME'}"
    )
    if not same:
        print(json.dumps([pair for pair in zip(alone, together, strict=True) if pair[0] != pair[1]], indent=1))
    return 0 if same else 1
