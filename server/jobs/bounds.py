"""What a rehearsal may take of the machine, as its administrator sets it, and how it ends where it takes more."""

import os
import resource
import signal
import time

from billiard.process import current_process  # what Celery's workers are processes of
from django.conf import settings

NICE = 15  # behind what a screen waits for (`aside`)
ADDRESSES_BEYOND = 4 * 2**30  # bytes of addresses that a process maps and does not fill: threads, libraries


def memory_now() -> int:
    """Bytes that this process holds."""
    with open("/proc/self/statm") as source:
        return int(source.read().split()[1]) * resource.getpagesize()


def exceeded(begun: float) -> str:
    """What has been exceeded, in words for a person, by a rehearsal that began then (monotonic seconds); empty while nothing has."""
    if memory_now() > settings.MOST_MEMORY:
        return (
            f"It needs more than the {settings.MOST_MEMORY / 2**30:.3g} GB of memory that a rehearsal may have here. Choose a coarser resolution or a "
            "shorter stretch, or ask whoever runs this installation for more (MIRROR_MOST_MEMORY_GB)."
        )
    if time.monotonic() - begun > settings.MOST_SECONDS:
        return (
            f"It takes longer than the {settings.MOST_SECONDS / 60:.3g} minutes that a rehearsal may take here. Choose a coarser resolution or a "
            "shorter stretch, or ask whoever runs this installation for more (MIRROR_MOST_MINUTES)."
        )
    return ""


def bound_addresses() -> None:
    """A worker that asks for very much at once is refused it at once, and not only when the next look finds it filled."""
    most = settings.MOST_MEMORY + ADDRESSES_BEYOND
    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    resource.setrlimit(resource.RLIMIT_AS, (most if hard == resource.RLIM_INFINITY else min(most, hard), hard))


def stand_back() -> None:
    """A rehearsal takes the processor that those who wait at a screen leave over."""
    os.nice(NICE)


def end_this_process() -> None:
    """End a worker's process in the middle of whatever it computes; the worker begins another in its place."""
    os.kill(os.getpid(), signal.SIGKILL)


def is_a_worker() -> bool:
    """Whether this process does nothing else and can be replaced."""
    return current_process().name.startswith("ForkPoolWorker")
