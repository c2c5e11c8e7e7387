"""A store elsewhere: a bucket of one that speaks the S3 protocol."""

import shutil
import tempfile
from bisect import bisect_right
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import UTC, datetime
from typing import IO, Any

import boto3
from botocore.config import Config
from botocore.exceptions import BotoCoreError, ClientError
from django.core.files import File
from storages.backends.s3 import S3Storage

from .store import MARK, Away, Listed, NotOurs, lost

IN_MEMORY = 8_000_000  # bytes of a file that is fetched; beyond them it lies on the disk
NEAR = 200_000  # bytes between two stretches that are fetched as one
AT_ONCE = 8  # questions
SIGNED_FOR_SECONDS = 300
ABSENT = {"404", "NoSuchKey", "NotFound"}


class Fetched(File):
    """A file that is here as a whole; opened once more after it was closed it is fetched once more, as a file of a folder is opened once more."""

    def __init__(self, name: str, fetch: Callable[[], IO[bytes]]) -> None:
        self.fetch = fetch
        super().__init__(fetch(), name)

    def open(self, mode: str | None = None, *args: Any, **kwargs: Any) -> "Fetched":
        if self.closed:
            self.file = self.fetch()
        else:
            self.seek(0)
        return self


class Bucket(S3Storage):
    """A bucket of a store that speaks the S3 protocol; `reached_at`: its address for browsers, where they may fetch from it themselves."""

    def __init__(self, reached_at: str = "", **options: Any) -> None:
        super().__init__(client_config=_config(), file_overwrite=False, default_acl=None, **options)
        self.reached_at = reached_at
        self._signer: Any = None

    @contextmanager
    def _told(self, name: str) -> Iterator[None]:
        try:
            yield
        except ClientError as error:
            if error.response.get("Error", {}).get("Code") in ABSENT:
                raise lost(name) from error
            raise Away(f"The store does not answer as it should ({error}).") from error
        except BotoCoreError as error:
            raise Away(f"The store does not answer just now ({error}).") from error

    @property
    def _client(self) -> Any:
        return self.connection.meta.client

    def _open(self, name: str, mode: str = "rb") -> File:
        if mode != "rb":
            raise ValueError("files of the store are read, or saved as a whole")
        return Fetched(name, lambda: self._fetched(name))

    def _fetched(self, name: str) -> IO[bytes]:
        held = tempfile.SpooledTemporaryFile(IN_MEMORY)  # noqa: SIM115 - it is the file that is handed out
        with self._told(name):
            body = self._client.get_object(Bucket=self.bucket_name, Key=name)["Body"]
            shutil.copyfileobj(body, held, 1 << 20)
        held.seek(0)
        return held

    def _save(self, name: str, content: Any) -> str:
        with self._told(name):
            return str(super()._save(name, content))

    def exists(self, name: str) -> bool:
        with self._told(name):
            return bool(super().exists(name))

    def delete(self, name: str) -> None:
        with self._told(name):
            super().delete(name)

    def size(self, name: str) -> int:
        with self._told(name):
            return int(self._client.head_object(Bucket=self.bucket_name, Key=name)["ContentLength"])

    def parts(self, name: str, ranges: Sequence[tuple[int, int]]) -> bytes:
        fetched = _joined(ranges)
        with ThreadPoolExecutor(AT_ONCE) as several:
            found = dict(zip(fetched, several.map(lambda stretch: self._stretch(name, *stretch), fetched), strict=True))
        firsts = [begin for begin, _ in fetched]
        parts = []
        for begin, end in ranges:
            if end > begin:
                stretch = fetched[bisect_right(firsts, begin) - 1]
                parts.append(found[stretch][begin - stretch[0] : end - stretch[0]])
        return b"".join(parts)

    def _stretch(self, name: str, begin: int, end: int) -> bytes:
        with self._told(name):
            asked = self._client.get_object(Bucket=self.bucket_name, Key=name, Range=f"bytes={begin}-{end - 1}")
            return bytes(asked["Body"].read())

    def whole_size(self, names: Iterable[str]) -> int:
        wanted = set(names)  # one list of all asks less than a question for each
        return sum(file.size for file in self.listed() if file.name in wanted)

    def listed(self) -> Iterator[Listed]:
        pages = self._client.get_paginator("list_objects_v2").paginate(Bucket=self.bucket_name)
        with self._told("the list of files"):
            for page in pages:
                for item in page.get("Contents", ()):
                    if item["Key"] != MARK:
                        yield Listed(item["Key"], int(item["Size"]), item["LastModified"].timestamp())

    def address(self, name: str, media_type: str, packed: bool) -> str | None:
        if not self.reached_at:
            return None
        if self._signer is None:
            self._signer = _client_of(self.reached_at, self.access_key, self.secret_key, self.region_name)
        asked = {"Bucket": self.bucket_name, "Key": name, "ResponseContentType": media_type}
        if packed:
            asked["ResponseContentEncoding"] = "gzip"
        return str(self._signer.generate_presigned_url("get_object", asked, ExpiresIn=SIGNED_FOR_SECONDS))

    def room(self) -> tuple[int, int] | None:
        with self._told(MARK):
            try:
                self._client.head_object(Bucket=self.bucket_name, Key=MARK)
            except ClientError as error:
                if error.response.get("Error", {}).get("Code") in ABSENT:
                    raise NotOurs(
                        f"The bucket {self.bucket_name} is not this installation's: nothing was ever kept there."
                    ) from error
                raise
        return None

    def mark(self) -> None:
        with self._told(self.bucket_name):
            self._client.put_object(Bucket=self.bucket_name, Key=MARK, Body=datetime.now(UTC).isoformat().encode())


def _joined(ranges: Iterable[tuple[int, int]]) -> list[tuple[int, int]]:
    """What is asked for these stretches: those that lie near each other at once, as a question takes longer than some bytes more."""
    made: list[tuple[int, int]] = []
    for begin, end in sorted(stretch for stretch in ranges if stretch[1] > stretch[0]):
        if made and begin <= made[-1][1] + NEAR:
            made[-1] = made[-1][0], max(made[-1][1], end)
        else:
            made.append((begin, end))
    return made


def _config() -> Config:
    """Four tries, and no longer than a page waits; hosts of one bucket each need names that many stores do not have."""
    return Config(
        connect_timeout=3, read_timeout=10, retries={"mode": "standard", "max_attempts": 4}, s3={"addressing_style": "path"},
        request_checksum_calculation="when_required", response_checksum_validation="when_required", signature_version="s3v4",
    )  # fmt: skip


def _client_of(address: str, key: str, secret: str, region: str) -> Any:
    known = {"aws_access_key_id": key, "aws_secret_access_key": secret, "region_name": region}
    return boto3.client("s3", endpoint_url=address, config=_config(), **known)
