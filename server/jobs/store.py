"""Where files are kept. One that is gone is told in words that lead somewhere, wherever it is missed."""

from django.core.files import File
from django.core.files.storage import FileSystemStorage


class Lost(FileNotFoundError):
    """A file that the tables name and the store has not."""


class Store(FileSystemStorage):
    def _open(self, name: str, mode: str = "rb") -> File:
        try:
            return super()._open(name, mode)
        except FileNotFoundError as error:
            raise Lost(f"{name} is no longer in the store: bring it back from a backup (./mirror restore)") from error
