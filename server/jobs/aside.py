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
from collections import OrderedDict
from typing import Any

from django.conf import settings

from accounts.refused import Refused
from bluntmirror.job import Job

from .hands import HELD
from .helper import LENGTH

MOST = max(3, os.cpu_count() or 1)  # helpers at once: more than there are cores answer no sooner
IDLE = 2  # that wait for the next question however long it takes
WAITS = 60.0  # seconds that the others wait: to begin one costs more than most questions
HANDS = 2  # helpers more, which hold the machines that are moved by hand
NICE = 10  # whoever moves a machine by hand comes first, and rehearsals last (`bounds`)
LOOK = 0.1  # seconds between two looks at how much memory a helper holds

_free: list["Helper"] = []  # the one used last at the end
_room = threading.BoundedSemaphore(MOST)
_lock = threading.Lock()


class Ended(Exception):
    """A helper that gave no answer; its text says why, as far as is known: "time", "memory" or "broke off"."""


class Helper:
    def __init__(self, nice: int = NICE) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "jobs.helper", str(2 * settings.MOST_CHECK_MEMORY), str(nice)], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
            env=os.environ | {"PYTHONPATH": os.pathsep.join(sys.path)}, start_new_session=True,
        )  # fmt: skip

        self.used = 0.0

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


class Hand:
    """A helper that holds the machines which were moved last, one person's question after the other."""

    def __init__(self) -> None:
        self.helper: Helper | None = None
        self.held: OrderedDict[str, None] = OrderedDict()  # keys, as `hands` holds them
        self.turn = threading.Lock()
        self.waiting = 0

    def ask(self, key: str, job: Job, name: str, words: tuple[Any, ...], until: float) -> tuple[str, Any]:
        """Raises Ended, after which it holds nothing."""
        if self.helper is None:
            self.helper = Helper(nice=0)
        try:
            if key not in self.held:
                told = self.helper.ask("hold", (key, job), until)
                if told[0] != "done":
                    return told
                self.held[key] = None
                while len(self.held) > HELD:
                    self.held.popitem(last=False)
            self.held.move_to_end(key)
            answer: tuple[str, Any] = self.helper.ask("asked", (key, name, *words), until)
        except BaseException:
            self.end()
            raise
        return answer

    def end(self) -> None:
        if self.helper is not None:
            self.helper.end()
        self.helper = None
        self.held.clear()


_hands = [Hand() for _ in range(HANDS)]


def do(name: str, *words: Any) -> Any:
    """What the function of that name gives for these words (`helper.FUNCTIONS`). Raises Refused with what a person has to know: what the function
    refuses, or that it took more than it may."""
    return _done(name, words, settings.MOST_CHECK_SECONDS, CHECK)


def read(name: str, *words: Any) -> Any:
    """As `do`, of what comes from outside and is read (`reading`): with the time of an import."""
    return _done(name, words, settings.MOST_IMPORT_SECONDS, IMPORT)


def by_hand(key: str, job: Job, name: str, *words: Any) -> Any:
    """What the panel of a job answers (`hands`), `key` its own. Raises Refused."""
    until = time.monotonic() + settings.MOST_CHECK_SECONDS
    with _lock:
        holding = [hand for hand in _hands if key in hand.held]
        hand = min(holding or _hands, key=lambda hand: (hand.waiting, len(hand.held)))
        hand.waiting += 1
    try:
        if not hand.turn.acquire(timeout=settings.MOST_CHECK_SECONDS):
            raise Refused(BUSY)
        try:
            kind, answer = hand.ask(key, job, name, words, until)
        except Ended as error:
            raise Refused(_said(str(error), settings.MOST_CHECK_SECONDS, CHECK)) from error
        finally:
            hand.turn.release()
    finally:
        with _lock:
            hand.waiting -= 1
    return _answered(kind, answer)


def _done(name: str, words: tuple[Any, ...], seconds: float, kept: tuple[str, str]) -> Any:
    until = time.monotonic() + seconds
    if not _room.acquire(timeout=seconds):
        raise Refused(BUSY)
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
            raise Refused(_said(str(error), seconds, kept)) from error
        helper.used = time.monotonic()
        with _lock:
            _free.append(helper)
            over = [one for one in _free[:-IDLE] if helper.used - one.used > WAITS]
            _free[:] = [one for one in _free if one not in over]
        for one in over:
            one.end()
    finally:
        _room.release()
    return _answered(kind, answer)


def _answered(kind: str, answer: Any) -> Any:
    if kind == "refused":
        raise Refused(answer)
    if kind == "fault":
        raise RuntimeError(answer)
    return answer


BUSY = "too many checks are under way just now: try again in a moment"
# What has a bound, and what is to be done where it is too narrow.
CHECK = "a check", "a rehearsal has more"
IMPORT = (
    "reading it",
    "make the models coarser, or ask whoever runs this installation for more (MIRROR_MOST_IMPORT_SECONDS, MIRROR_MOST_CHECK_MEMORY_GB)",
)


def _said(why: str, seconds: float, kept: tuple[str, str]) -> str:
    what, remedy = kept
    if why == "time":
        return f"it takes longer than {seconds:g} s: {remedy}"
    if why == "memory":
        return f"it needs more than the {settings.MOST_CHECK_MEMORY / 2**30:.2g} GB of memory that {what} may have: {remedy}"
    return "it broke off in the middle: try again"


@atexit.register
def _end_all() -> None:
    while _free:
        _free.pop().end()
    for hand in _hands:
        hand.end()
