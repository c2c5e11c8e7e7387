"""Two workers at one rehearsal, from both ends: it comes to what one alone comes to, whatever the other has done by when."""

import json
import shutil
import tempfile
import threading
import unittest
from contextlib import suppress
from pathlib import Path
from unittest.mock import patch

from bluntmirror.export.replay import replay_data
from bluntmirror.export.verdict import verdict_dict
from bluntmirror.rehearsal import Cancelled, Rehearsal, rehearse

from .build import slot_job
from .test_checkpoints import Checkpoints, Counting, program


class BothEnds(unittest.TestCase):
    same = Checkpoints.same

    def setUp(self) -> None:
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder)
        slot_job(folder, program())
        bodies = json.loads((folder / "job.json").read_text())["bodies"]
        blank = next(body for body in bodies if body["role"] == "stock")
        others = [body for body in bodies if body is not blank]
        halves = [
            {
                **blank,
                "name": name,
                "shape": {"type": "box", "size": [60, 100, 20]},
                "at": [x, *blank.get("at", [0, 0, 0])[1:]],
            }
            for name, x in (("left", -35), ("right", 35))
        ]
        clamp = {
            "name": "clamp",
            "role": "fixture",
            "mount": "table",
            "shape": {"type": "box", "size": [10, 10, 30]},
            "at": [0, 0, 80],
        }
        self.two = slot_job(folder, program(), bodies=[*others, *halves, clamp])
        for where, value in (
            ("bluntmirror.rehearsal.checkpoints.LEAST_STEP", 16),
            ("bluntmirror.contact.program.STRETCH", 32),
        ):
            replaced = patch(where, value)
            replaced.start()
            self.addCleanup(replaced.stop)
        self.alone = rehearse(self.two)

    def as_alone(self, run: Rehearsal) -> None:
        self.same(run, self.alone)
        self.assertEqual(run.margins, self.alone.margins)
        self.assertEqual(verdict_dict(run), verdict_dict(self.alone))
        self.assertEqual(replay_data(run)[1:], replay_data(self.alone)[1:])

    def back(self, store: Counting, until: str, most: int = 1_000_000) -> None:
        """The back, until a stage, or until it has kept so many checkpoints of stocks."""

        def tell(stage: str, share: float) -> None:
            if stage == until or sum(key.endswith("-film") for key in store.held) >= most:
                raise Cancelled

        with suppress(Cancelled):
            rehearse(self.two, tell, store, side="back")
        store.taken.clear()

    def test_pairs_that_the_other_has_followed_are_taken_from_it(self) -> None:
        store = Counting()
        self.back(store, "material")
        self.as_alone(rehearse(self.two, None, store, side="front"))
        self.assertGreater(len(store.taken), 0)

    def test_a_stock_that_the_other_has_cut_is_taken_from_it_and_not_told_as_an_earlier_rehearsals(self) -> None:
        for most in (1, 1_000_000):  # a little of the last stock, or all
            store, helped = Counting(), False

            def front(stage: str, share: float, most: int = most, store: Counting = store) -> None:
                nonlocal helped
                if stage == "material" and not helped:
                    helped = True
                    self.back(store, "", most)

            with self.subTest(most=most):
                self.as_alone(rehearse(self.two, front, store, side="front"))
                self.assertTrue(any(key.endswith("-film") for key in store.taken))

    def test_both_at_once(self) -> None:
        store, over = Counting(), threading.Event()
        cut = threading.Event()

        def back(stage: str, share: float) -> None:
            if stage == "material":
                cut.wait(60)
            if over.is_set():
                raise Cancelled

        def front(stage: str, share: float) -> None:
            if stage == "material":
                cut.set()

        def help_it() -> None:
            with suppress(Cancelled):
                rehearse(self.two, back, store, side="back")

        other = threading.Thread(target=help_it)
        other.start()
        run = rehearse(self.two, front, store, side="front")
        over.set()
        cut.set()
        other.join()
        self.as_alone(run)


del Checkpoints  # its own tests are run where they are


if __name__ == "__main__":
    unittest.main()
