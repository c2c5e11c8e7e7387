"""Whose worker has fallen silent: of what runs, a heartbeat that stays the same for `LOST_AFTER_SECONDS`.

Measured on the clock of the process that looks, from when it first saw that beat: the moments that a worker writes are of another machine's
clock, or of one that was set meanwhile, and say nothing of how long ago they were. A process that has just begun has to wait as long.
"""

import time
from datetime import datetime

from django.conf import settings

from .models import Rehearsal, Search, Tolerance

Run = Rehearsal | Search | Tolerance
_seen: dict[tuple[type[Run], int], tuple[datetime | None, float]] = {}


def is_silent(row: Run) -> bool:
    """Whether nothing has been heard of it for so long."""
    key = (type(row), row.pk)
    if row.state != Rehearsal.State.RUNNING:
        _seen.pop(key, None)
        return False
    now = time.monotonic()
    beat, since = _seen.get(key, (None, now))
    if key not in _seen or beat != row.heartbeat:
        _seen[key] = row.heartbeat, now
        return False
    return now - since > settings.LOST_AFTER_SECONDS


def silent_rehearsals() -> list[Rehearsal]:
    rows = list(Rehearsal.objects.filter(state=Rehearsal.State.RUNNING).only("pk", "state", "heartbeat"))
    running = {row.pk for row in rows}
    for key in [key for key in list(_seen) if key[0] is Rehearsal and key[1] not in running]:
        _seen.pop(key, None)
    return [row for row in rows if is_silent(row)]
