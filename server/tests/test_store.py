"""Where files are kept: a folder of our own, one that is mounted, a bucket elsewhere; what is the same in all, and what happens when one is slow,
fails or is gone. The store elsewhere is a stand-in that ships with the tests."""

import gzip
import json
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.core.exceptions import ImproperlyConfigured
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.core.management import CommandError, call_command
from django.test import SimpleTestCase, override_settings
from hypothesis import given
from hypothesis import strategies as st

from bench.bucket import SECRET, Elsewhere
from jobs import basket, bucket, room, setups
from jobs.management.commands.prepare import _mark_the_store
from jobs.models import Rehearsal
from jobs.services import take_in_path
from jobs.store import Away, Lost, store
from mirror.storing import storage_of

from .test_server import SLOT, WithShop

STATIC = {"staticfiles": settings.STORAGES["staticfiles"]}


@contextmanager
def kept_in(address: str, reached_at: str = "") -> Iterator[None]:
    with override_settings(STORAGES=STATIC | {"default": storage_of(address, Path("/nowhere"), reached_at)}):
        room.forget()
        setups._jobs.items.clear()
        yield


class Somewhere(WithShop):
    elsewhere: Elsewhere

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.elsewhere = Elsewhere()
        cls.addClassCleanup(cls.elsewhere.close)

    def setUp(self) -> None:
        super().setUp()
        self.elsewhere.empty()
        self.elsewhere.slow, self.elsewhere.failing = 0.0, 0
        self.addCleanup(room.forget)

    def read(self, row: Rehearsal, name: str) -> bytes:
        with row.artifacts.get(name=name).file.open("rb") as source:
            return gzip.decompress(source.read())

    def test_what_is_kept_is_the_same_in_a_folder_and_in_a_bucket(self) -> None:
        here = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        wanted = {name: self.read(here, name) for name in ("verdict.json", "trace.csv", "stock.stl", "replay.bin")}
        with kept_in(self.elsewhere.address):
            store().mark()
            row = self.rehearse(take_in_path(self.other, self.stranger, SLOT))
            self.assertEqual({name: self.read(row, name) for name in wanted}, wanted)
            names = room.files_of(self.other)
            self.assertEqual(room.kept(self.other), sum(default_storage.size(name) for name in names))
            self.assertEqual({file.name for file in store().listed()}, set(names))
            film = row.artifacts.get(name="film.bin").file
            with film.open("rb") as source:
                whole = source.read()
            ranges = [(5, 9), (2, 3), (7, 7), (len(whole) - 4, len(whole)), (0, 20)]
            self.assertEqual(store().parts(film.name, ranges), b"".join(whole[a:b] for a, b in ranges))
            default_storage.save("artifacts/stray.gz", ContentFile(b"x"))
            with mock.patch.object(basket, "STRAY_AFTER", -basket.STRAY_AFTER):
                self.assertEqual(basket.stray_files(), ["artifacts/stray.gz"])
            default_storage.delete(row.revision.archive.name)
            with self.assertRaisesRegex(Lost, "bring it back from a backup"):
                row.revision.archive.open("rb")

    def test_the_files_of_a_bucket_go_out_and_into_an_empty_one(self) -> None:
        with kept_in(self.elsewhere.address), tempfile.TemporaryDirectory() as out:
            revision = take_in_path(self.shop, self.ines, SLOT)
            with revision.archive.open("rb") as source:
                wanted = source.read()
            call_command("files", "out", out)
            self.assertEqual((Path(out) / revision.archive.name).read_bytes(), wanted)
            with self.assertRaisesRegex(CommandError, "already"):
                call_command("files", "in", out)
            self.elsewhere.empty()
            call_command("files", "in", out)
            with revision.archive.open("rb") as source:
                self.assertEqual(source.read(), wanted)

    def test_where_browsers_may_ask_the_store_they_get_an_address_that_is_signed(self) -> None:
        with kept_in(self.elsewhere.address, self.elsewhere.reached_at), mock.patch("mirror.sent.AT_ONCE", 1000):
            row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
            address = f"/api/rehearsals/{row.pk}/artifacts/replay.bin"
            told = self.client.get(address)
            self.assertEqual((told.status_code, told.headers.get("Cache-Control")), (302, None))
            self.assertIn("Signature=", told["Location"])
            self.assertNotIn(SECRET, told["Location"])
            with urllib.request.urlopen(told["Location"]) as answer:
                self.assertEqual(answer.headers["Content-Encoding"], "gzip")
                whole = answer.read()
            self.assertEqual(gzip.decompress(whole), self.read(row, "replay.bin"))
            part = urllib.request.Request(told["Location"], headers={"Range": "bytes=10-19"})
            with urllib.request.urlopen(part) as answer:
                self.assertEqual((answer.status, answer.read()), (206, whole[10:20]))
            self.client.force_login(self.stranger)
            self.assertEqual(self.client.get(address).status_code, 404)

    def test_a_store_that_is_slow_and_fails_one_time_in_three_costs_time_and_nothing_else(self) -> None:
        with kept_in(self.elsewhere.address):
            revision = take_in_path(self.shop, self.ines, SLOT)
            self.elsewhere.slow, self.elsewhere.failing = 0.05, 3
            before = self.elsewhere.asked
            row = self.rehearse(revision)
            self.assertEqual((row.state, row.error), ("done", ""))
            self.assertGreater(self.elsewhere.asked - before, 20)
            self.assertEqual(json.loads(self.read(row, "verdict.json"))["verdict"], row.verdict)

    def test_a_rehearsal_waits_for_a_store_that_is_gone_and_a_page_says_so(self) -> None:
        with kept_in(self.elsewhere.address):
            revision = take_in_path(self.shop, self.ines, SLOT)
            with self.assertLogs("mirror.api", "WARNING"), self.elsewhere.gone():
                answer = self.client.get(f"/api/revisions/{revision.pk}/archive")
            self.assertEqual(answer.status_code, 503)
            self.assertIn("Nothing is lost", answer.json()["detail"])
            away = self.elsewhere.gone()
            away.__enter__()
            back = threading.Timer(2.0, lambda: away.__exit__(None, None, None))
            back.start()
            begun = time.monotonic()
            row = self.rehearse(revision)
            back.join()
            self.assertEqual((row.state, row.error), ("done", ""))
            self.assertGreater(time.monotonic() - begun, 2.0)

    def test_a_folder_that_is_not_mounted_is_away_and_nothing_is_written_beside_it(self) -> None:
        with tempfile.TemporaryDirectory() as name, kept_in(f"{name}/kept"):
            place, aside = Path(name) / "kept", Path(name) / "aside"
            _mark_the_store()
            revision = take_in_path(self.shop, self.ines, SLOT)
            _mark_the_store()  # at every start
            place.rename(aside)
            place.mkdir()  # where it is to be mounted
            with self.assertLogs("mirror.api", "WARNING"):
                self.assertEqual(self.client.get(f"/api/revisions/{revision.pk}/archive").status_code, 503)
            with self.assertRaises(Away):
                default_storage.save("revisions/x.zip", ContentFile(b"x"))
            self.assertEqual(list(place.iterdir()), [])
            self.assertIn("is not there", self.client.get("/ready").json()["store"])
            with self.assertRaisesRegex(CommandError, "MIRROR_STORE"):
                _mark_the_store()
            place.rmdir()
            aside.rename(place)
            self.assertEqual(self.client.get(f"/api/revisions/{revision.pk}/archive").status_code, 200)

    def test_stretches_of_a_file(self) -> None:
        revision = take_in_path(self.shop, self.ines, SLOT)
        address = f"/api/revisions/{revision.pk}/archive"

        def asked(stretch: str) -> tuple[int, bytes, str | None]:
            answer = self.client.get(address, headers={"Range": stretch})
            return answer.status_code, answer.content, answer.headers.get("Content-Range")

        whole = self.client.get(address).content
        size = len(whole)
        self.assertEqual(asked("bytes=5-9"), (206, whole[5:10], f"bytes 5-9/{size}"))
        self.assertEqual(asked("bytes=-7"), (206, whole[-7:], f"bytes {size - 7}-{size - 1}/{size}"))
        self.assertEqual(asked("bytes=100-"), (206, whole[100:], f"bytes 100-{size - 1}/{size}"))
        self.assertEqual(asked(f"bytes={size}-"), (416, b"", f"bytes */{size}"))
        for other in ("bytes=1-2,5-6", "lines=1-2", "bytes=-", "bytes=9-5x"):
            self.assertEqual(asked(other), (200, whole, None), other)
        with mock.patch("mirror.sent.AT_ONCE", 10), mock.patch("mirror.sent.PIECE", 777):
            answer = self.client.get(address)
            self.assertEqual(b"".join(answer), whole)


class Words(SimpleTestCase):
    def test_what_an_address_of_a_store_says(self) -> None:
        own = Path("/var/own")
        self.assertEqual(storage_of("", own)["OPTIONS"], {"location": own, "mounted": False})
        self.assertEqual(storage_of("/mnt/kept", own)["OPTIONS"], {"location": Path("/mnt/kept"), "mounted": True})
        told: dict[str, Any] = storage_of("s3://k:s%2Ft@files.example:9000/kept?region=eu&tls=0", own)["OPTIONS"]
        self.assertEqual(
            (told["endpoint_url"], told["secret_key"], told["bucket_name"], told["region_name"]),
            ("http://files.example:9000", "s/t", "kept", "eu"),
        )
        for wrong in ("kept", "s3://files.example/kept", "s3://k:s@files.example", "s3://k:s@f/a/b", "ftp://k:s@f/a"):
            with self.assertRaises(ImproperlyConfigured, msg=wrong):
                storage_of(wrong, own)

    @given(st.lists(st.tuples(st.integers(0, 1_000_000), st.integers(0, 9000)), max_size=30))
    def test_stretches_that_are_fetched_hold_those_that_are_wanted(self, wanted: list[tuple[int, int]]) -> None:
        ranges = [(begin, begin + size) for begin, size in wanted]
        fetched = bucket._joined(ranges)
        for begin, end in ranges:
            if end > begin:
                self.assertEqual(sum(a <= begin and end <= b for a, b in fetched), 1)
        self.assertEqual(fetched, sorted(fetched))
