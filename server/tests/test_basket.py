"""The basket: thrown away, brought back, gone for good with every file, and what belongs to nothing found."""

import os
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from django.contrib.auth.models import User
from django.core.files.storage import default_storage
from django.test import Client, override_settings
from django.utils import timezone

from accounts.models import Membership, Role
from accounts.refused import Refused
from jobs import basket, record, releasing, room
from jobs.models import Artifact, Job, Rehearsal, Release, Revision, Route
from jobs.services import take_in_path

from .test_releases import CLEAR
from .test_routes import BLANK, CARRIED, route_zip
from .test_server import SLOT, WithShop

STEPS = (("op10", BLANK), ("op20", CARRIED))


class Basket(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.row = self.rehearse(take_in_path(self.shop, self.ines, CLEAR))
        self.job = self.row.revision.job

    def post(self, address: str, client: Client | None = None) -> Any:
        with self.captureOnCommitCallbacks(execute=True):
            return (client or self.client).post(f"/api{address}", "{}", content_type="application/json")

    def somebody(self, role: Role) -> Client:
        user = User.objects.create_user(f"who-{role}")
        Membership.objects.create(user=user, organisation=self.shop, role=role)
        client = Client()
        client.force_login(user)
        return client

    def thrown(self) -> list[tuple[str, str]]:
        return [(row["kind"], row["name"]) for row in self.client.get("/api/basket").json()]

    def test_away_and_back(self) -> None:
        waiting = Rehearsal.objects.create(revision=self.row.revision, created_by=self.ines)
        running = Rehearsal.objects.create(
            revision=self.row.revision, created_by=self.ines, state="running", heartbeat=timezone.now()
        )
        before = self.client.get("/api/jobs").json()
        self.assertEqual(self.post(f"/jobs/{self.job.pk}/throw-away").status_code, 204)
        self.assertEqual(self.client.get("/api/jobs").json(), [])
        waiting.refresh_from_db()
        running.refresh_from_db()
        self.assertEqual((waiting.state, running.cancel_asked), ("cancelled", True), "its work is stopped")
        for address in (
            f"/rehearsals/{self.row.pk}",
            f"/revisions/{self.row.revision_id}/setup",
            f"/rehearsals/{self.row.pk}/events",
        ):
            self.assertEqual(self.client.get(f"/api{address}").status_code, 404, address)
        self.assertEqual(self.thrown(), [("job", self.job.name)])
        self.assertEqual(self.post(f"/basket/job/{self.job.pk}/bring-back").status_code, 204)
        after = self.client.get("/api/jobs").json()
        self.assertEqual([row["name"] for row in after], [row["name"] for row in before])
        self.assertEqual(self.thrown(), [])
        self.assertEqual([row["act"] for row in record.listed(self.shop)], ["brought back", "threw away"])

    def test_its_name_is_free_meanwhile(self) -> None:
        self.post(f"/jobs/{self.job.pk}/throw-away")
        again = take_in_path(self.shop, self.ines, CLEAR)
        self.assertNotEqual(again.job_id, self.job.pk)
        answer = self.post(f"/basket/job/{self.job.pk}/bring-back")
        self.assertIn("another job", answer.json()["detail"])
        self.post(f"/jobs/{again.job_id}/throw-away")
        self.assertEqual(self.post(f"/basket/job/{self.job.pk}/bring-back").status_code, 204)
        self.assertEqual(len(self.thrown()), 1)

    def test_released_is_not_thrown_away_by_its_maker_or_by_who_only_works(self) -> None:
        releasing.release(self.row, "", self.ines)
        address = f"/jobs/{self.job.pk}/throw-away"
        self.assertIn("another person", self.post(address).json()["detail"])
        self.assertIn("who may release", self.post(address, self.somebody(Role.WORKS)).json()["detail"])
        self.assertEqual(self.post(address, self.somebody(Role.RELEASES)).status_code, 204)
        self.assertEqual(Release.objects.count(), 1, "it is all there until it goes for good")

    def test_gone_for_good_with_every_file(self) -> None:
        kept = take_in_path(self.shop, self.ines, SLOT)
        releasing.release(self.row, "", self.stranger)
        self.row.revision.created_by = self.stranger
        self.row.revision.save()
        files = [self.row.revision.archive.path, *(row.file.path for row in Artifact.objects.all())]
        self.post(f"/jobs/{self.job.pk}/throw-away")
        self.assertEqual(self.post(f"/basket/job/{self.job.pk}/delete", self.somebody(Role.RELEASES)).status_code, 403)
        self.assertTrue(all(map(os.path.exists, files)))
        self.assertEqual(self.post(f"/basket/job/{self.job.pk}/delete").status_code, 204)
        self.assertFalse(any(map(os.path.exists, files)))
        self.assertEqual(
            (Release.objects.count(), Artifact.objects.count(), list(Revision.objects.all())), (0, 0, [kept])
        )
        self.assertTrue(os.path.exists(kept.archive.path))
        self.assertIsNone(record.first_broken(self.shop))
        self.assertEqual(self.post(f"/basket/job/{self.job.pk}/delete").status_code, 404)

    def test_a_route_goes_with_its_steps(self) -> None:
        number = self.client.post("/api/jobs", {"files": route_zip(*STEPS)}).json()["route"]
        step = Job.objects.filter(step__route=number).first()
        assert step is not None
        self.assertIn("step of the route", self.post(f"/jobs/{step.pk}/throw-away").json()["detail"])
        self.assertEqual(self.post(f"/routes/{number}/throw-away").status_code, 204)
        self.assertEqual((self.client.get("/api/routes").json(), len(self.client.get("/api/jobs").json())), ([], 1))
        self.assertEqual(self.thrown(), [("route", "Both sides")])
        again = self.client.post("/api/jobs", {"files": route_zip(*STEPS)}).json()["route"]
        self.assertNotEqual(again, number)
        self.assertIn("another", self.post(f"/basket/route/{number}/bring-back").json()["detail"])
        self.post(f"/routes/{again}/throw-away")
        self.assertEqual(self.post(f"/basket/route/{number}/bring-back").status_code, 204)
        self.assertEqual(len(self.client.get("/api/routes").json()[0]["steps"]), 2)
        self.assertEqual(self.post(f"/basket/route/{again}/delete").status_code, 204)
        self.assertEqual(Route.objects.count(), 1)

    def test_time_empties_it_and_strays_are_found(self) -> None:
        old = timezone.now() - basket.KEPT_FOR - timedelta(hours=1)
        self.post(f"/jobs/{self.job.pk}/throw-away")
        stray, young = (Path(default_storage.path(f"artifacts/{name}")) for name in ("stray.gz", "young.gz"))
        for file in (stray, young):
            file.write_bytes(b"x")
        long_ago = timezone.now().timestamp() - 2 * 86_400
        archive = Path(self.row.revision.archive.path)
        for file in (stray, archive):
            os.utime(file, (long_ago, long_ago))
        with self.captureOnCommitCallbacks(execute=True):
            basket.clear()
        self.assertEqual((stray.exists(), young.exists(), archive.exists()), (False, True, True))
        self.assertEqual(len(self.thrown()), 1, "its time is not over")
        Job.objects.update(thrown_at=old)
        with self.captureOnCommitCallbacks(execute=True):
            gone, _ = basket.clear()
        self.assertEqual((gone, Job.objects.count(), archive.exists()), (1, 0, False))
        young.unlink()


class Room(WithShop):
    """One organisation cannot fill the disk, or the queue, of all."""

    def setUp(self) -> None:
        super().setUp()
        room.forget()
        self.addCleanup(room.forget)
        self.job = take_in_path(self.shop, self.ines, SLOT).job

    def test_who_keeps_as_much_as_may_be_takes_in_no_more_until_something_has_gone(self) -> None:
        held = sum(
            file.stat().st_size for name in room.files_of(self.shop) for file in [Path(default_storage.path(name))]
        )
        self.assertEqual(self.client.get("/api/room").json() | {"most_waiting": 0}, {
            "kept": held, "most_kept": 0, "waiting": 0, "most_waiting": 0,
        })  # fmt: skip
        with override_settings(MOST_KEPT=held + 10):
            for wanted in (CLEAR, SLOT.parent / "slot-clear"):
                with self.assertRaisesRegex(Refused, "throw jobs away and empty the basket"):
                    take_in_path(self.shop, self.ines, wanted)
            take_in_path(self.other, self.stranger, CLEAR)  # others are not touched
            with self.captureOnCommitCallbacks(execute=True):
                basket.throw(self.job, Membership.objects.get(user=self.ines))
                basket.delete(Job.objects.filter(organisation=self.shop), "job", self.job.pk)
            self.assertEqual(room.kept(self.shop), 0)
            take_in_path(self.shop, self.ines, SLOT)
            with self.assertRaises(Refused):  # what has come within the minute counts
                take_in_path(self.shop, self.ines, CLEAR)

    def test_as_many_wait_as_may(self) -> None:
        newest = self.job.revisions.get()
        with override_settings(MOST_WAITING=2), mock.patch("jobs.running.wake"):
            answers = [self.client.post(f"/api/revisions/{newest.pk}/rehearsals") for _ in range(3)]
        self.assertEqual([answer.status_code for answer in answers], [200, 200, 422])
        self.assertIn("at most 2 may", answers[2].json()["detail"])
        self.assertEqual(self.client.get("/api/room").json()["waiting"], 2)
