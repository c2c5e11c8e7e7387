"""Checkpoints of the stock: where a rehearsal that begins like an earlier one may go on instead of beginning anew.

key     a digest of everything that the stock at a place depends on: blank, grid, tools, machine, and every piece of the path up
        to that place. Two runs with the same key have the same stock there, whatever comes after
store   where checkpoints are kept, by key; what it has lost is worked out again
chain   a checkpoint holds the tiles cut since the one before it, and names that one: many cost hardly more than one

A key is looked up, never trusted beyond what went into it: nothing about programs, lines or revisions needs to be known. The
computation's own code goes into it too. What is kept are plain arrays.
"""

from __future__ import annotations

import functools
import hashlib
import json
import math
import os
import zlib
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

FORMAT = 7  # of what is kept; another one makes other keys
MOST = 64  # checkpoints of a stock in one run, each of what has come since the one before it
ALIGNED, SUM_BYTES = 64, 4
LEAST_STEP = 256  # pieces between two


class Store(Protocol):
    def get(self, key: str) -> bytes | None: ...

    def put(self, key: str, data: bytes) -> None: ...


@dataclass
class FolderStore:
    """Files in a folder, the oldest used ones deleted when they are more than `most` bytes together."""

    folder: Path
    most: int = 2_000_000_000

    def get(self, key: str) -> bytes | None:
        file = self.folder / f"{key}.stock"
        try:
            data = file.read_bytes()
            file.touch()
        except OSError:
            return None
        return data

    def put(self, key: str, data: bytes) -> None:
        """A full disk costs the checkpoint, never the rehearsal."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            part = self.folder / f"{key}.{os.getpid()}.part"  # two may keep the same at one moment
            part.write_bytes(data)
            part.rename(self.folder / f"{key}.stock")
            self._make_room()
        except OSError:
            with suppress(OSError):
                (self.folder / f"{key}.{os.getpid()}.part").unlink(missing_ok=True)

    def _make_room(self) -> None:
        files = sorted(self.folder.glob("*.stock"), key=lambda file: file.stat().st_mtime)
        held = sum(file.stat().st_size for file in files)
        for file in files[:-1]:
            if held <= self.most:
                return
            held -= file.stat().st_size
            file.unlink(missing_ok=True)


class Digest:
    """The digest of a run so far; every array goes in with its type and shape."""

    def __init__(self) -> None:
        self._hash = hashlib.blake2b(code_digest().encode(), digest_size=20)

    def take(self, *parts: Any) -> None:
        for part in parts:
            if isinstance(part, np.ndarray):
                self._hash.update(f"{part.dtype}{part.shape}".encode())
                self._hash.update(np.ascontiguousarray(part).tobytes())
            else:
                self._hash.update(repr(part).encode())

    @property
    def key(self) -> str:
        return self._hash.hexdigest()


def places(count: int) -> list[int]:
    """Numbers of pieces after which a checkpoint is due: multiples of a power of two, so that a program that grows a little
    has the same ones."""
    step = LEAST_STEP
    while count // step > MOST:
        step *= 2
    return list(range(step, count, step))


Arrays = dict[str, NDArray[Any]]


def packed(state: Arrays) -> bytes:
    """A line with names, types and shapes; then the arrays, each at a multiple of ALIGNED; a checksum of all of it before. (An archive
    of separate files takes four times as long to read.)"""
    rows = [(name, values.dtype.str, list(values.shape)) for name, values in state.items()]
    out = bytearray(json.dumps(rows).encode() + b"\n")
    for values in state.values():
        out += b"\0" * (-len(out) % ALIGNED)
        out += np.ascontiguousarray(values).tobytes()
    return zlib.crc32(out).to_bytes(SUM_BYTES, "little") + bytes(out)


def unpacked(data: bytes) -> Arrays | None:
    """What `packed` made; None for a file that was cut off or is none of ours. Nothing in it can run."""
    if len(data) < SUM_BYTES or zlib.crc32(memoryview(data)[SUM_BYTES:]) != int.from_bytes(data[:SUM_BYTES], "little"):
        return None
    body = np.array(np.frombuffer(data, np.uint8)[SUM_BYTES:])  # of its own: it may be written to
    end = data.find(b"\n", SUM_BYTES) + 1
    at, state = end - SUM_BYTES, {}
    try:
        for name, kind, shape in json.loads(data[SUM_BYTES:end]):
            at += -at % ALIGNED
            size = math.prod(shape) * np.dtype(kind).itemsize
            state[name] = body[at : at + size].view(kind).reshape(shape)
            at += size
    except (ValueError, TypeError):
        return None
    return state


@functools.cache
def code_digest() -> str:
    """A digest of the computation itself: a checkpoint made by another build of it is not taken over."""
    root = Path(__file__).parent.parent
    digest = hashlib.blake2b(f"{FORMAT} {np.__version__}".encode(), digest_size=20)
    for file in sorted(root.rglob("*.py")):
        digest.update(str(file.relative_to(root)).encode())
        digest.update(file.read_bytes())
    return digest.hexdigest()


def keys_at(digest: Digest, due: Iterable[int], chunk: Any) -> dict[int, str]:
    """The key at every place; `chunk(a, b)` gives what the pieces from a to b add."""
    keys, before = {}, 0
    for place in due:
        digest.take(*chunk(before, place))
        keys[place], before = digest.key, place
    return keys
