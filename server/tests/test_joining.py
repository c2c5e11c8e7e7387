"""Workers on other machines, and many jobs at once."""

import os
import shutil
import tempfile
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.test import Client, override_settings

from accounts.refused import Refused
from bluntmirror.rehearsal.checkpoints import FolderStore
from jobs import joining, sweeping
from jobs.models import Rehearsal, Search, Sweep
from jobs.running import take_up_again
from jobs.services import take_in_path
from jobs.tasks import help_with, run_rehearsal

from .test_releases import CLEAR
from .test_server import SLOT, WithShop
from .test_signing_in import forget_guesses

BUCKET = "s3://k:s@files.example/kept"


class Joining(WithShop):
    def setUp(self) -> None:
        super().setUp()
        forget_guesses()
        self.addCleanup(forget_guesses)

    def join(self, key: str, address: str = "127.0.0.1") -> tuple[int, dict[str, object]]:
        answer = Client().post("/api/join", {"key": key}, content_type="application/json", REMOTE_ADDR=address)
        return answer.status_code, answer.json()

    def test_a_key_lets_one_worker_join_and_tells_it_no_more_than_it_needs(self) -> None:
        key = joining.make()
        status, told = self.join(key)
        self.assertEqual(status, 200)
        environment = told["environment"]
        assert isinstance(environment, dict)
        self.assertEqual(environment["MIRROR_QUEUE"], settings.QUEUE_URL)
        self.assertEqual(environment["MIRROR_STORE"], str(settings.VAR / "store"))
        self.assertNotIn(settings.SECRET_KEY, str(told))
        for wrong in (key, "", "x" * 43, key[:-1]):
            self.assertEqual(self.join(wrong)[0], 403, wrong)

    def test_one_from_another_machine_is_told_what_is_to_be_set_first(self) -> None:
        key = joining.make()
        for environment, says in (
            ({"MIRROR_LISTEN": "", "MIRROR_STORE": ""}, "MIRROR_LISTEN"),
            ({"MIRROR_LISTEN": "10.0.0.2", "MIRROR_STORE": ""}, "MIRROR_STORE"),
        ):
            with mock.patch.dict(os.environ, environment):
                status, told = self.join(key, "10.0.0.7")
            self.assertEqual((status, self.join(key, "nowhere")[0]), (409, 409))
            self.assertIn(says, str(told["detail"]))
        with mock.patch.dict(os.environ, {"MIRROR_LISTEN": "10.0.0.2", "MIRROR_STORE": BUCKET, "MIRROR_LOG": "ERROR"}):
            status, told = self.join(key, "10.0.0.7")  # it has not been used up by what was refused
        environment = told["environment"]
        assert isinstance(environment, dict)
        self.assertEqual(
            (status, environment["MIRROR_DB_HOST"], environment["MIRROR_STORE"]), (200, "10.0.0.2", BUCKET)
        )
        self.assertIn("@10.0.0.2:", environment["MIRROR_QUEUE"])

    def test_whoever_guesses_has_to_wait(self) -> None:
        self.assertEqual([self.join(f"guess {n}", "10.9.9.9")[0] for n in range(11)], [403] * 10 + [429])

    def test_what_another_machine_has_under_way_goes_on_when_this_one_starts(self) -> None:
        revision = take_in_path(self.shop, self.ines, SLOT)
        ours, theirs = (
            Rehearsal.objects.create(revision=revision, created_by=self.ines, state="running", worker=worker)
            for worker in ("main", "mill-hall-3f2a")
        )
        Search.objects.create(rehearsal=theirs, created_by=self.ines, state="running", worker="mill-hall-3f2a")
        take_up_again()
        ours.refresh_from_db()
        theirs.refresh_from_db()
        self.assertEqual((ours.state, theirs.state, theirs.search.state), ("failed", "running", "running"))

    def test_who_worked_it_out_is_kept(self) -> None:
        row = Rehearsal.objects.create(revision=take_in_path(self.shop, self.ines, CLEAR), created_by=self.ines)
        with override_settings(WORKER="mill-hall-3f2a"):
            run_rehearsal(row.pk)
        row.refresh_from_db()
        self.assertEqual((row.state, row.worker), ("done", "mill-hall-3f2a"))


@override_settings(HELPS=True)
class Helping(WithShop):
    """A worker with nothing to do works at what another has under way."""

    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.mkdtemp()
        self.addCleanup(shutil.rmtree, folder, True)
        kept = override_settings(CHECKPOINTS=Path(folder))
        kept.enable()
        self.addCleanup(kept.disable)
        for where, value in (
            ("bluntmirror.rehearsal.checkpoints.LEAST_STEP", 2),
            ("bluntmirror.contact.program.STRETCH", 4),
        ):
            replaced = mock.patch(where, value)
            replaced.start()
            self.addCleanup(replaced.stop)
        self.revision = take_in_path(self.shop, self.ines, SLOT)

    def kept(self) -> int:
        return sum(1 for _ in settings.CHECKPOINTS.rglob("*.stock"))

    def sent(self, told: list[tuple[object, ...]]) -> Any:
        return mock.patch("jobs.tasks.send", side_effect=lambda *words: told.append(words))

    def test_it_is_asked_to_and_what_it_has_done_is_taken(self) -> None:
        told: list[tuple[object, ...]] = []
        with override_settings(HELPS=False), self.sent(told):
            alone = self.rehearse(self.revision)
        self.assertEqual(told, [])
        shutil.rmtree(settings.CHECKPOINTS)
        row = Rehearsal.objects.create(revision=self.revision, created_by=self.ines, state="running", worker="main")
        with mock.patch("jobs.tasks.FOLLOWING", ()):
            help_with(row.pk, "main")
        self.assertGreater(self.kept(), 1)
        Rehearsal.objects.filter(pk=row.pk).update(state="queued")
        with self.sent(told), mock.patch.object(FolderStore, "put", side_effect=AssertionError("all is there")):
            run_rehearsal(row.pk)
        row.refresh_from_db()
        self.assertEqual(told, [(help_with, row.pk, "main")])
        self.assertEqual((row.state, row.error), ("done", ""))
        self.assertEqual([f.data for f in row.findings.all()], [f.data for f in alone.findings.all()])

    def test_it_gives_way_and_harms_nothing(self) -> None:
        row = Rehearsal.objects.create(
            revision=self.revision, created_by=self.ines, state="running", worker="main", stage="material"
        )
        help_with(row.pk, "mill-hall-3f2a")  # it has no part in that one's checkpoints
        with mock.patch("jobs.tasks.queueing.in_order", return_value=[7]):
            help_with(row.pk, "main")
        with mock.patch("jobs.tasks.bounds.exceeded", return_value="too much"):
            help_with(row.pk, "main")
        with (
            mock.patch("jobs.tasks.rehearse_step", side_effect=ZeroDivisionError),
            self.assertLogs("jobs.tasks", "WARNING"),
        ):
            help_with(row.pk, "main")
        Rehearsal.objects.filter(pk=row.pk).update(state="done")
        help_with(row.pk, "main")
        self.assertEqual(self.kept(), 0)


class Sweeps(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.revisions = [take_in_path(self.shop, self.ines, folder) for folder in (SLOT, CLEAR)]

    def told(self) -> dict[str, object]:
        (sweep,) = self.client.get("/api/queue").json()["sweeps"]
        return {name: sweep[name] for name in ("whole", "waiting", "done", "cancelled", "stopped", "share")}

    def test_many_at_once_are_looked_at_as_one_and_ended_as_one(self) -> None:
        flawed, clear = sweeping.begin(self.shop, self.ines, "what the library touched", self.revisions)
        wanted = {"whole": 2, "waiting": 2, "done": 0, "cancelled": 0, "stopped": 0, "share": 0.0}
        self.assertEqual(self.told(), wanted)
        run_rehearsal(flawed.pk)
        self.assertEqual(self.told(), wanted | {"waiting": 1, "done": 1, "stopped": 1, "share": 0.5})
        sweep = Sweep.objects.get().pk
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get("/api/queue").json()["sweeps"], [])
        self.assertEqual(self.client.post(f"/api/sweeps/{sweep}/cancel").status_code, 404)
        self.client.force_login(self.ines)
        self.assertEqual(self.client.post(f"/api/sweeps/{sweep}/cancel").status_code, 204)
        self.assertEqual(self.told(), wanted | {"waiting": 0, "done": 1, "cancelled": 1, "stopped": 1, "share": 1.0})
        clear.refresh_from_db()
        self.assertEqual(clear.state, "cancelled")

    def test_where_there_is_no_room_nothing_is_begun(self) -> None:
        with override_settings(MOST_WAITING=1), self.assertRaises(Refused):
            sweeping.begin(self.shop, self.ines, "again", self.revisions)
        self.assertEqual((Sweep.objects.count(), Rehearsal.objects.count()), (0, 0))
