"""A helper of the web process (`aside`): answers what it is asked of the computation, one question after the other, within its memory."""

import os
import pickle
import resource
import sys
import traceback
from typing import Any

from accounts.refused import Refused

from . import checking, hands, reading

FUNCTIONS = checking.FUNCTIONS | reading.FUNCTIONS | hands.FUNCTIONS
LENGTH = 8  # bytes before a message that tell how long it is
ADDRESSES_BEYOND = 2 * 2**30  # bytes that are mapped and never filled


def answer(name: str, words: tuple[Any, ...]) -> tuple[str, Any]:
    """What came of it, and the answer or why there is none."""
    try:
        return "done", FUNCTIONS[name](*words)
    except Refused as error:
        return "refused", str(error)
    except MemoryError:
        return "refused", "it needs more memory than a check may have: a rehearsal has more"
    except Exception:
        return "fault", traceback.format_exc()


def main(most_at_once: int, nice: int) -> None:
    """`most_at_once` (bytes) refuses what is asked for in one piece. What grows little by little is ended from outside (`aside`): an interpreter
    whose every allocation fails may go round and round instead of ending."""
    os.nice(nice)
    resource.setrlimit(resource.RLIMIT_AS, (most_at_once + ADDRESSES_BEYOND,) * 2)
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # whatever prints must not get between the answers
    while head := sys.stdin.buffer.read(LENGTH):
        name, words = pickle.loads(sys.stdin.buffer.read(int.from_bytes(head, "little")))
        told = pickle.dumps(answer(name, words), 5)
        out.write(len(told).to_bytes(LENGTH, "little") + told)
        out.flush()


if __name__ == "__main__":
    main(int(sys.argv[1]), int(sys.argv[2]))
