"""Where files are kept: a folder, or a bucket elsewhere (`bucket`).

One file that is gone is told in words that lead somewhere (`Lost`), wherever it is missed. A store that does not answer, or whose folder is not there,
is `Away`: workers wait for it as they wait for the database (`patience`), and a page says so.
"""

import errno
import os
import shutil
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol, cast

from django.core.files import File
from django.core.files.storage import FileSystemStorage, default_storage

MARK = "store.mark"  # lies in every store with an address: a folder without it is an empty place where another is to be mounted
AWAY = {errno.EIO, errno.ESTALE, errno.ETIMEDOUT, errno.ENOTCONN, errno.EHOSTDOWN, errno.ENODEV, errno.ENXIO}


class Lost(FileNotFoundError):
    """A file that the tables name and the store has not."""


class Away(OSError):
    """The store as a whole does not answer just now."""


class NotOurs(Away):
    """A place that bears no mark: nothing of this installation was ever kept there, or what is to be mounted there is not."""


@dataclass(frozen=True)
class Listed:
    """A file of the store."""

    name: str
    size: int  # bytes
    changed: float  # seconds since 1970


class Store(Protocol):
    """What a store knows beside what Django's storages do."""

    def parts(self, name: str, ranges: Sequence[tuple[int, int]]) -> bytes:
        """Stretches of a file, one after the other: each from its first byte to the one after its last."""

    def whole_size(self, names: Iterable[str]) -> int:
        """Bytes of those of the files that are there."""

    def listed(self) -> Iterator[Listed]:
        """Every file."""

    def address(self, name: str, media_type: str, packed: bool) -> str | None:
        """Where a browser may fetch it for some minutes without asking us; None where it cannot."""

    def room(self) -> tuple[int, int] | None:
        """Bytes free and in all, where that is known. Raises Away."""

    def mark(self) -> None:
        """Say of an empty store that it is one."""


def store() -> Store:
    return cast(Store, default_storage)


def lost(name: str) -> Lost:
    return Lost(f"{name} is no longer in the store: bring it back from a backup (./mirror restore)")


class Folder(FileSystemStorage):
    """A folder: the installation's own, which is made when it is needed, or one that several machines have mounted."""

    def __init__(self, location: Path, mounted: bool = False) -> None:
        super().__init__(location)
        self.mounted = mounted

    @contextmanager
    def _told(self, name: str) -> Iterator[None]:
        try:
            yield
        except FileNotFoundError as error:
            self._there()
            raise lost(name) from error
        except OSError as error:
            if error.errno in AWAY:
                raise Away(f"The store does not answer just now ({error.strerror}).") from error
            raise

    def _there(self) -> None:
        if not self.mounted:
            os.makedirs(self.location, exist_ok=True)
        elif not os.path.exists(os.path.join(self.location, MARK)):
            raise NotOurs(f"The store's folder {self.location} is not there just now.")

    def _open(self, name: str, mode: str = "rb") -> File:
        with self._told(name):
            return super()._open(name, mode)

    def _save(self, name: str, content: Any) -> str:
        self._there()
        with self._told(name):
            return super()._save(name, content)

    def size(self, name: str) -> int:
        with self._told(name):
            return super().size(name)

    def parts(self, name: str, ranges: Sequence[tuple[int, int]]) -> bytes:
        found = []
        with self._told(name), open(self.path(name), "rb") as source:
            for begin, end in ranges:
                source.seek(begin)
                found.append(source.read(end - begin))
        return b"".join(found)

    def whole_size(self, names: Iterable[str]) -> int:
        total = 0
        for name in names:
            try:
                total += os.stat(self.path(name)).st_size
            except OSError:  # it has just gone
                continue
        return total

    def listed(self) -> Iterator[Listed]:
        root = Path(self.location)
        for file in root.rglob("*"):
            if file.is_file() and file.name != MARK:
                told = file.stat()
                yield Listed(file.relative_to(root).as_posix(), told.st_size, told.st_mtime)

    def address(self, name: str, media_type: str, packed: bool) -> str | None:
        return None

    def room(self) -> tuple[int, int] | None:
        self._there()
        if not os.access(self.location, os.W_OK):
            raise Away("cannot be written to")
        usage = shutil.disk_usage(self.location)
        return usage.free, usage.total

    def mark(self) -> None:
        os.makedirs(self.location, exist_ok=True)
        Path(self.location, MARK).touch()
