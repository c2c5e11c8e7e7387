"""Helpers beside the web process: what goes beyond its bounds ends with the reason and harms nobody else."""

import os
import signal
import tempfile
import threading
from dataclasses import replace
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase, override_settings

from bluntmirror.job import Job, open_job
from bluntmirror.job.models import ReadingLimits
from bluntmirror.rehearsal.handling import hand_axes
from jobs import aside
from jobs.desks import by_house_rules
from jobs.hands import HELD
from jobs.services import Refused

from .test_releases import CLEAR
from .test_server import WithShop

PALLET = settings.ROOT / "demo" / "jobs" / "buoy-lid" / "1-as released"
LOOP = b"O1\nT1 M6\nG54 G90 G0 X0 Y0 S1000 M3\n#1=0\nWHILE[#1LT100000000]DO1\nG1 X[#1/1000000.] F1000\n#1=#1+1\nEND1\nM30\n"


@override_settings(MOST_CHECK_SECONDS=900)
class Bounds(WithShop):
    def test_a_job_may_not_be_read_further_than_the_installation_allows(self) -> None:
        job = open_job(Path(CLEAR))
        job.file = job.file.model_copy(update={"limits": ReadingLimits(blocks=100_000_000, seconds=86_400)})
        with override_settings(MOST_BLOCKS=5000, MOST_READING_SECONDS=7):
            bounded = by_house_rules(job, self.shop)
        self.assertEqual((bounded.file.limits.blocks, bounded.file.limits.seconds), (5000, 7.0))
        told = aside.do("check", replace(bounded, programs={next(iter(job.programs)): LOOP}), False)
        (endless,) = (item for item in told["findings"] if item["kind"] == "program.endless")
        self.assertIn("5000 blocks", endless["message"])
        job.file = job.file.model_copy(update={"limits": ReadingLimits(blocks=300)})
        self.assertEqual(by_house_rules(job, self.shop).file.limits.blocks, 300, "its own, where that is less")


@override_settings(MOST_CHECK_SECONDS=900)  # on a busy machine nothing here is judged by its time
class Aside(SimpleTestCase):
    def setUp(self) -> None:
        aside._end_all()
        self.addCleanup(aside._end_all)

    def job(self, text: bytes | None = None) -> Job:
        job = open_job(Path(CLEAR))
        return replace(job, programs={next(iter(job.programs)): text}) if text else job

    def test_a_check_that_takes_too_long_is_ended_and_the_next_is_answered(self) -> None:
        with override_settings(MOST_CHECK_SECONDS=2), self.assertRaisesRegex(Refused, "longer than 2 s"):
            aside.do("check", self.job(LOOP), False)
        self.assertEqual(aside._free, [], "it is ended")
        self.assertEqual(aside.do("check", self.job(), False)["verdict"], "clear")

    def test_one_that_needs_too_much_memory_is_refused(self) -> None:
        with (
            override_settings(MOST_CHECK_MEMORY=250 * 2**20),
            self.assertRaisesRegex(Refused, r"more than the 0\.24 GB of memory"),
        ):
            aside.do("check", self.job(LOOP), False)
        self.assertEqual(aside._free, [], "it is ended")

    def test_one_that_breaks_off_is_told_and_another_takes_its_place(self) -> None:
        self.assertEqual(aside.do("check", self.job(), False)["verdict"], "clear")
        (helper,) = aside._free
        threading.Timer(0.5, os.kill, (helper.process.pid, signal.SIGKILL)).start()
        with self.assertRaisesRegex(Refused, "broke off"):
            aside.do("check", self.job(LOOP), False)
        self.assertEqual(aside.do("check", self.job(), False)["verdict"], "clear")

    def test_what_it_refuses_and_its_own_faults(self) -> None:
        with self.assertRaisesRegex(Refused, "no arm"):
            aside.do("arm", self.job())
        with self.assertRaisesRegex(RuntimeError, "KeyError"):
            aside.do("nonsense")
        self.assertEqual(len(aside._free), 1, "it answers on")

    def test_a_file_that_takes_too_long_to_read_is_told_with_what_to_do(self) -> None:
        with (
            tempfile.TemporaryDirectory() as folder,
            override_settings(MOST_IMPORT_SECONDS=0.01),
            self.assertRaisesRegex(Refused, "longer than 0.01 s: make the models coarser"),
        ):
            aside.read("job", Path(CLEAR).resolve(), Path(folder), None)
        self.assertEqual(aside._free, [], "it is ended")

    def test_machines_moved_by_hand_are_held_and_each_answers_for_itself(self) -> None:
        one, other = open_job(Path(CLEAR)), open_job(Path(PALLET))
        for _ in range(2):
            for key, job in (("one", one), ("other", other)):
                zero = [0.0] * len(hand_axes(job))
                told = aside.by_hand(key, job, "move", zero, zero, 1, True, None)
                self.assertEqual((told.axes, told.values), (hand_axes(job), zero))
        held = [key for hand in aside._hands for key in hand.held]
        self.assertEqual(sorted(held), ["one", "other"], "each in one helper")
        with self.assertRaisesRegex(Refused, "give a number for each"):
            aside.by_hand("one", one, "move", [0.0], [0.0], 1, True, None)

    def test_more_machines_than_are_held_are_all_moved(self) -> None:
        job = open_job(Path(CLEAR))
        for number in [*range(3 * HELD), 0, 1]:
            aside.by_hand(f"{number}", job, "offsets")
        self.assertTrue(all(len(hand.held) <= HELD for hand in aside._hands))

    def test_a_hand_that_takes_too_long_or_breaks_off_is_ended_and_answers_again(self) -> None:
        job = open_job(Path(CLEAR))
        aside.by_hand("one", job, "offsets")
        (hand,) = (hand for hand in aside._hands if hand.held)
        assert hand.helper
        os.kill(hand.helper.process.pid, signal.SIGKILL)
        with self.assertRaisesRegex(Refused, "broke off"):
            aside.by_hand("one", job, "offsets")
        self.assertTrue(aside.by_hand("one", job, "offsets"))
        with override_settings(MOST_CHECK_SECONDS=0.0), self.assertRaisesRegex(Refused, "longer than 0 s"):
            aside.by_hand("two", job, "offsets")
        self.assertTrue(aside.by_hand("two", job, "offsets"))

    def test_many_at_once_are_all_answered(self) -> None:
        answers: list[str] = []
        asked = [
            threading.Thread(target=lambda: answers.append(aside.do("check", self.job(), False)["verdict"]))
            for _ in range(aside.MOST + 3)
        ]
        for one in asked:
            one.start()
        for one in asked:
            one.join()
        self.assertEqual(answers, ["clear"] * len(asked))
        self.assertLessEqual(len(aside._free), aside.MOST)
        with mock.patch.object(aside, "WAITS", -1.0):
            aside.do("check", self.job(), False)
        self.assertLessEqual(len(aside._free), aside.IDLE, "the others end when they are not needed")
