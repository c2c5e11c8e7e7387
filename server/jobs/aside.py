"""Work beside the web process: in helpers that have bounds of memory and time, and are ended where they go beyond them.

What a person asks while typing may be as long as an endless program. In a helper it keeps nobody else waiting, and can be ended whatever it
computes. A helper is a process of `helper`, which knows the computation and no tables; what it is asked and answers are pickles through its pipes.
"""

import atexit
import os
import pickle
import resource
import select
import subprocess
import sys
import threading
import time
from typing import Any

from django.conf import settings

from .helper import LENGTH
from .services import Refused

MOST, IDLE = 6, 2  # helpers at once, and how many wait for the next question
LOOK = 0.1  # seconds between two looks at how much memory a helper holds

_free: list["Helper"] = []
_room = threading.BoundedSemaphore(MOST)
_lock = threading.Lock()


class Ended(Exception):
    """A helper that gave no answer; its text says why, as far as is known: "time", "memory" or "broke off"."""


class Helper:
    def __init__(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "jobs.helper", str(2 * settings.MOST_CHECK_MEMORY)], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
            env=os.environ | {"PYTHONPATH": os.pathsep.join(sys.path)}, start_new_session=True,
        )  # fmt: skip

    def ask(self, name: str, words: tuple[Any, ...], until: float) -> Any:
        """Raises Ended where there is no answer by then (monotonic seconds)."""
        assert self.process.stdin is not None
        question = pickle.dumps((name, words), 5)
        try:
            self.process.stdin.write(len(question).to_bytes(LENGTH, "little") + question)
            self.process.stdin.flush()
            size = int.from_bytes(self._read(LENGTH, until), "little")
            return pickle.loads(self._read(size, until))
        except BrokenPipeError as error:
            raise Ended("broke off") from error

    def _read(self, size: int, until: float) -> bytes:
        assert self.process.stdout is not None
        parts: list[bytes] = []
        left = size
        waiting = select.poll()  # select() knows no descriptor beyond 1023, and every stream of progress has two
        waiting.register(self.process.stdout, select.POLLIN)
        while left:
            while not waiting.poll(1000 * min(LOOK, max(0.0, until - time.monotonic()))):
                if time.monotonic() >= until:
                    raise Ended("time")
                if self._memory() > settings.MOST_CHECK_MEMORY:
                    raise Ended("memory")
            part = os.read(self.process.stdout.fileno(), min(left, 1 << 20))
            if not part:
                raise Ended("broke off")
            parts.append(part)
            left -= len(part)
        return b"".join(parts)

    def _memory(self) -> int:
        """Bytes that it holds: 0 where it has ended."""
        try:
            with open(f"/proc/{self.process.pid}/statm") as source:
                return int(source.read().split()[1]) * resource.getpagesize()
        except OSError:
            return 0

    def end(self) -> None:
        self.process.kill()
        self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                pipe.close()


def do(name: str, *words: Any) -> Any:
    """What the function of that name in `checking` gives for these words. Raises Refused with what a person has to know: what the function refuses,
    or that it took more than it may."""
    until = time.monotonic() + settings.MOST_CHECK_SECONDS
    if not _room.acquire(timeout=settings.MOST_CHECK_SECONDS):
        raise Refused("too many checks are under way just now: try again in a moment")
    try:
        with _lock:
            helper = _free.pop() if _free else None
        helper = helper or Helper()
        try:
            kind, answer = helper.ask(name, words, until)
        except BaseException as error:
            helper.end()
            if not isinstance(error, Ended):
                raise
            raise Refused(_said(str(error))) from error
        with _lock:
            keep = len(_free) < IDLE
            if keep:
                _free.append(helper)
        if not keep:
            helper.end()
    finally:
        _room.release()
    if kind == "refused":
        raise Refused(answer)
    if kind == "fault":
        raise RuntimeError(answer)
    return answer


def _said(why: str) -> str:
    if why == "time":
        return f"it takes longer than {settings.MOST_CHECK_SECONDS:g} s: a rehearsal has more time"
    if why == "memory":
        return f"it needs more than the {settings.MOST_CHECK_MEMORY / 2**30:.2g} GB of memory that a check may have: a rehearsal has more"
    return "it broke off in the middle: try again, or rehearse it"


@atexit.register
def _end_all() -> None:
    while _free:
        _free.pop().end()
