"""Waiting out a database or a store that is away for a moment, or a lock."""

import time
from collections.abc import Callable
from typing import TypeVar

from django.conf import settings
from django.db import InterfaceError, OperationalError, connection

from .store import Away

T = TypeVar("T")
LONGEST_PAUSE_S = 2.0


def patiently(what: Callable[[], T]) -> T:
    """What `what` gives, tried again while database or store is away, for `settings.PATIENCE_SECONDS`: `what` must be whole in itself. Raises what
    they raised where that time is over."""
    until, pause = time.monotonic() + settings.PATIENCE_SECONDS, 0.1
    while True:
        try:
            return what()
        except (OperationalError, InterfaceError, Away):
            if time.monotonic() > until:
                raise
            if not connection.in_atomic_block:
                connection.close()  # a connection that broke does not mend itself
            time.sleep(pause)
            pause = min(2 * pause, LONGEST_PAUSE_S)
