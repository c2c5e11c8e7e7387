"""The demo shop's jobs rehearsed once, however many tests ask."""

from __future__ import annotations

import functools
from pathlib import Path

from bluntmirror.job import open_job
from bluntmirror.rehearsal import Rehearsal, rehearse
from demo.build import JOBS

SHOP = Path(__file__).parents[2] / "demo" / "jobs"
REVISIONS = ("1-as released", "2-flawed")


def folders() -> list[Path]:
    return [SHOP / name / revision for name in JOBS for revision in REVISIONS]


@functools.cache
def rehearsed(folder: Path) -> Rehearsal:
    return rehearse(open_job(folder))
