"""Turns, and what is away for a moment: the queue, the database, a worker that takes more than it may."""

import threading
import time
from datetime import timedelta
from typing import Any
from unittest import mock

import redis
from django.contrib.auth.models import User
from django.db import OperationalError
from django.test import SimpleTestCase, override_settings
from django.utils import timezone
from hypothesis import given
from hypothesis import strategies as st

from accounts.models import Membership, Role
from jobs import bounds, queueing, running
from jobs.models import Rehearsal
from jobs.patience import patiently
from jobs.services import take_in_path
from jobs.tasks import Heartbeat, run_next, run_rehearsal

from .test_releases import CLEAR
from .test_server import SLOT, WithShop

WAITING = st.dictionaries(st.tuples(st.integers(1, 3), st.integers(1, 6)), st.integers(1, 8), min_size=1)


class Turns(SimpleTestCase):
    @given(WAITING)
    def test_everything_gets_its_turn_and_nobody_waits_for_anothers_second(
        self, counts: dict[tuple[int, int], int]
    ) -> None:
        numbers = iter(range(1000))
        waiting = {key: [next(numbers) for _ in range(count)] for key, count in counts.items()}
        of = {number: key for key, own in waiting.items() for number in own}
        order = list(queueing._by_turns(waiting, {}))
        self.assertEqual(sorted(order), sorted(of))
        houses = {house for house, _ in waiting}
        self.assertEqual({of[number][0] for number in order[: len(houses)]}, houses, "one of every organisation first")
        for house in houses:
            people = [of[number] for number in order if of[number][0] == house]
            first = len({key for key in waiting if key[0] == house})
            self.assertEqual(len(set(people[:first])), first, "one of every person before anybody's second")
        for own in waiting.values():
            self.assertEqual(
                [number for number in order if number in own], own, "one's own in the order in which they were begun"
            )

    def test_who_had_the_last_turn_comes_last(self) -> None:
        waiting = {(1, 1): [1, 2], (1, 2): [3], (2, 3): [4]}
        self.assertEqual(list(queueing._by_turns(waiting, {(1, 1): 50.0, (1, 2): 40.0, (2, 3): 60.0})), [3, 4, 1, 2])


class Queue(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.revision = take_in_path(self.shop, self.ines, CLEAR)
        self.joost = User.objects.create_user("joost")
        Membership.objects.create(user=self.joost, organisation=self.shop, role=Role.WORKS)

    def queued(self, by: User, **more: Any) -> int:
        return Rehearsal.objects.create(revision=self.revision, created_by=by, **more).pk

    def test_anothers_first_comes_before_somebodys_second(self) -> None:
        many = [self.queued(self.ines) for _ in range(5)]
        quick, background = self.queued(self.ines, quick=True), self.queued(self.joost, background=True)
        own = self.queued(self.joost)
        self.assertEqual(queueing.in_order(), [quick, own, many[0], background, *many[1:]])
        Rehearsal.objects.filter(pk=quick).update(state="running", begun=timezone.now())
        self.assertEqual(queueing.in_order()[:2], [own, many[0]])
        theirs = Rehearsal.objects.create(
            revision=take_in_path(self.other, self.stranger, SLOT), created_by=self.stranger
        )
        self.assertEqual(queueing.in_order()[0], theirs.pk)

    def test_the_queue_is_shown_in_order_and_others_only_counted(self) -> None:
        first, second = self.queued(self.ines), self.queued(self.ines, background=True)
        under_way = self.queued(self.joost, state="running", begun=timezone.now(), heartbeat=timezone.now(), share=0.4)
        Rehearsal.objects.create(revision=take_in_path(self.other, self.stranger, SLOT), created_by=self.stranger)
        told = self.client.get("/api/queue").json()
        self.assertEqual(
            [(row["id"], row["place"]) for row in told["rehearsals"]], [(under_way, None), (first, 2), (second, 3)]
        )
        self.assertEqual(told["others"], 1)
        self.client.force_login(self.stranger)
        theirs = self.client.get("/api/queue").json()
        self.assertEqual(([row["place"] for row in theirs["rehearsals"]], theirs["others"]), ([1], 3))

    def test_one_after_the_other_until_nothing_waits(self) -> None:
        rows = [self.queued(self.ines), self.queued(self.joost)]
        with mock.patch.object(run_next, "apply_async", side_effect=lambda *_, **__: run_next()) as told:
            run_next()
        self.assertEqual(told.call_count, 2)
        self.assertEqual([Rehearsal.objects.get(pk=number).state for number in rows], ["done", "done"])

    def test_a_fault_in_one_does_not_keep_the_next_waiting(self) -> None:
        self.queued(self.ines)
        with (
            mock.patch("jobs.tasks.rehearse_step", side_effect=ZeroDivisionError),
            mock.patch("jobs.tasks.wake") as waked,
        ):
            self.assertRaises(ZeroDivisionError, run_next)
        waked.assert_called_once_with()

    def test_what_the_queue_lost_is_told_again(self) -> None:
        with (
            mock.patch.object(run_next, "apply_async", side_effect=redis.ConnectionError),
            self.assertLogs("jobs", "WARNING"),
            self.captureOnCommitCallbacks(execute=True),
        ):
            answer = self.client.post(f"/api/revisions/{self.revision.pk}/rehearsals")
        self.assertEqual((answer.status_code, answer.json()["state"]), (200, "queued"))
        clock = mock.Mock(**{"monotonic.return_value": 1000.0})
        with (
            mock.patch("jobs.running.queue") as store,
            mock.patch("jobs.running.wake") as waked,
            mock.patch("jobs.running.time", clock),
            mock.patch("jobs.running._waiting", float("inf")),
        ):
            store.return_value.llen.return_value = 0
            Rehearsal.objects.update(created=timezone.now() + timedelta(hours=1))  # a clock has been set back since
            running.settle_now()
            waked.assert_not_called()  # it has only just been sent
            clock.monotonic.return_value += running.WAKE_AFTER_SECONDS
            running.settle_now()
            waked.assert_called_once_with()
            store.return_value.llen.return_value = 3
            running.settle_now()
            waked.assert_called_once_with()

    def test_a_queue_that_does_not_answer_stops_no_rehearsal(self) -> None:
        number = self.queued(self.ines)
        with mock.patch("redis.Redis.execute_command", side_effect=redis.TimeoutError):
            run_rehearsal(number)
        self.assertEqual(Rehearsal.objects.get(pk=number).state, "done")

    def test_a_database_that_is_away_is_waited_for(self) -> None:
        number = self.queued(self.ines)
        with (
            mock.patch(
                "jobs.tasks.keep", side_effect=[OperationalError(2006, "gone"), OperationalError(2006, "gone"), None]
            ) as kept,
            mock.patch("jobs.patience.time.sleep"),
        ):
            run_rehearsal(number)
        self.assertEqual((kept.call_count, Rehearsal.objects.get(pk=number).state), (3, "done"))

    @override_settings(PATIENCE_SECONDS=0.2)
    def test_one_that_stays_away_is_told(self) -> None:
        number = self.queued(self.ines)
        with mock.patch("jobs.tasks.keep", side_effect=OperationalError(2006, "gone")):
            run_rehearsal(number)
        row = Rehearsal.objects.get(pk=number)
        self.assertEqual(row.state, "failed")
        self.assertIn("database was away for too long", row.error)
        with self.assertRaises(OperationalError):
            patiently(mock.Mock(side_effect=OperationalError))

    def test_who_asks_meanwhile_is_told_so(self) -> None:
        gone = mock.patch("jobs.running.settle_lost", side_effect=OperationalError(2002, "Can't connect"))
        with gone, self.assertLogs("mirror", "WARNING"), self.assertLogs("django.request", "ERROR"):
            answer = self.client.get("/api/jobs")
        self.assertEqual((answer.status_code, answer["Retry-After"]), (503, "2"))
        self.assertIn("database does not answer", answer.json()["detail"])

    def test_what_takes_more_than_it_may_ends_with_the_reason(self) -> None:
        for limit, says in (({"MOST_MEMORY": 1 << 20}, "memory"), ({"MOST_SECONDS": 0.0}, "minutes")):
            number = self.queued(self.ines, state="running")
            with (
                override_settings(HEARTBEAT_SECONDS=0.01, **limit),
                mock.patch.object(bounds, "is_a_worker", return_value=True),
                mock.patch.object(bounds, "end_this_process", side_effect=SystemExit) as ended,
                mock.patch("jobs.tasks.wake") as waked,
            ):
                heart = Heartbeat(number)
                enough = threading.Timer(10.0, heart.over.set)  # one that goes on for ever fails, too
                enough.start()
                self.assertRaises(SystemExit, heart.run)
                enough.cancel()
            ended.assert_called_once_with()
            waked.assert_called_once_with()
            row = Rehearsal.objects.get(pk=number)
            self.assertEqual(row.state, "failed")
            self.assertIn(says, row.error)
        self.assertEqual(bounds.exceeded(time.monotonic()), "")


class Watching(WithShop):
    def test_health_readiness_and_counts(self) -> None:
        Rehearsal.objects.create(revision=take_in_path(self.shop, self.ines, CLEAR), created_by=self.ines)
        self.client.logout()
        self.assertEqual(self.client.get("/health").json(), {"alive": True})
        self.assertEqual(self.client.get("/ready").json(), {"database": "ok", "queue": "ok", "store": "ok"})
        told = self.client.get("/metrics")
        self.assertTrue(told["Content-Type"].startswith("application/openmetrics-text"))
        lines = told.content.decode().splitlines()
        self.assertEqual(lines[-1], "# EOF")
        self.assertIn('mirror_rehearsals{state="queued"} 1', lines)
        self.assertNotIn("shop", told.content.decode())
        for line in lines[:-1]:
            self.assertRegex(
                line, r'^(# (TYPE|HELP) mirror_\w+ .+|mirror_\w+(\{\w+="\w+"\})? [-+.e\d]+)$'
            )  # OpenMetrics 1.0, section 5

    def test_what_is_missing_is_said_and_others_are_told_nothing(self) -> None:
        with mock.patch("mirror.health.queue") as store:
            store.return_value.ping.side_effect = redis.ConnectionError
            answer = self.client.get("/ready")
        self.assertEqual((answer.status_code, answer.json()["queue"]), (503, "does not answer"))
        for address in ("/health", "/ready", "/metrics"):
            self.assertEqual(self.client.get(address, REMOTE_ADDR="10.0.0.9").status_code, 404)
