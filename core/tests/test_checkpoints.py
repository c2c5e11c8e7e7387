"""Going on from a checkpoint gives what beginning anew gives; and nothing is taken over that anything before it could differ in."""

import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np

from bluntmirror.export.verdict import finding_dict, verdict_dict
from bluntmirror.job import Job
from bluntmirror.rehearsal import Rehearsal, rehearse
from bluntmirror.rehearsal.checkpoints import FolderStore, places

from .build import slot_job


class Counting:
    """A store in memory that says what was asked of it."""

    def __init__(self) -> None:
        self.held: dict[str, bytes] = {}
        self.taken: list[str] = []

    def get(self, key: str) -> bytes | None:
        if key in self.held:
            self.taken.append(key)
        return self.held.get(key)

    def put(self, key: str, data: bytes) -> None:
        self.held[key] = data


def program(rows: int = 22, late: str = "") -> str:
    """Rows of short moves across the slot job's blank, with a clamp hit and a rapid through the stock on the way."""
    lines = ["T1 M6", "G54 G0 X-80. Y0. S6000 M3", "G43 H1 Z20.", "Z2.", "F1500."]
    for i in range(rows):
        y = -20 + i
        lines += [f"G0 X-60. Y{y}.", f"G1 Z-{1 + i % 3}."]
        lines += [f"X{-60 + 8 * k}. Z-{1 + (i + k) % 3}.{k % 10}" for k in range(1, 15)]
        lines += ["G0 X0." if i == 9 else "G0 Z2."]
    return "\n".join([*lines, late, "G0 Z40.", "M30", ""])


class Checkpoints(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.base = slot_job(self.folder, program())

    def job(self, text: str, **changes: Any) -> Job:
        return replace(self.base, programs={self.base.file.programs[0].main: text.encode()}, **changes)

    def same(self, one: Rehearsal, other: Rehearsal) -> None:
        self.assertEqual([finding_dict(f) for f in one.findings], [finding_dict(f) for f in other.findings])
        for a, b in zip(one.stocks, other.stocks, strict=True):
            self.assertEqual((a.volume_after, a.seconds_in_cut), (b.volume_after, b.seconds_in_cut))
            np.testing.assert_array_equal(a.work.taken, b.work.taken)
            for x, y in zip(a.stock.rays, b.stock.rays, strict=True):
                np.testing.assert_array_equal(x.count, y.count)
            self.assertEqual(len(a.film.final_mesh().faces), len(b.film.final_mesh().faces))

    def test_an_edit_late_in_the_program_goes_on_from_before_it(self) -> None:
        store = Counting()
        first = rehearse(self.job(program()), None, store)
        self.assertEqual(first.resumed, {})
        self.assertGreaterEqual(len(store.held), 1)
        edited = program(late="G1 X10. Z-3.\nX40.")
        again, anew = rehearse(self.job(edited), None, store), rehearse(self.job(edited))
        self.assertEqual(len(store.taken), 1)
        self.same(again, anew)
        self.assertIn("was taken from an earlier rehearsal", " ".join(verdict_dict(again)["checked"]["notes"]))
        self.assertIn("contact.rapid", [f.kind for f in again.findings])  # told before the checkpoint, and still

    def test_whatever_comes_before_it_makes_another_key(self) -> None:
        store = Counting()
        rehearse(self.job(program()), None, store)
        tools = self.base.tools.model_copy(deep=True)
        longer = json.loads(tools.model_dump_json())
        longer["tools"][0]["length"] += 1.0
        checks = self.base.file.checks
        for changes in (
            {"tools": type(tools).model_validate(longer)},
            {"file": self.base.file.model_copy(update={"checks": checks.model_copy(update={"resolution": checks.resolution * 1.1})})},
        ):  # fmt: skip
            self.assertEqual(rehearse(self.job(program(), **changes), None, store).resumed, {})
        early = program().replace("F1500.", "F1500.\nG1 X-79.", 1)
        self.assertEqual(rehearse(self.job(early), None, store).resumed, {})
        with patch("bluntmirror.rehearsal.checkpoints.code_digest", lambda: "another build of the computation"):
            self.assertEqual(rehearse(self.job(program()), None, store).resumed, {})
        self.assertEqual(store.taken, [])

    def test_the_film_has_the_moment_of_a_finding(self) -> None:
        """Two frames for a whole program, and yet the motion that runs into a clamp, which is known before anything is cut, begins a frame
        of its own."""
        clamp = {
            "name": "clamp",
            "role": "fixture",
            "mount": "table",
            "at": [0, 0, 80],
            "shape": {"type": "box", "size": [10, 10, 30]},
        }
        bodies = [*json.loads((self.folder / "job.json").read_text())["bodies"], clamp]
        job = slot_job(self.folder, program(), bodies=bodies)
        with patch("bluntmirror.rehearsal.cutting.FRAMES", 2), patch("bluntmirror.rehearsal.cutting.MOST_FRAMES", 2):
            run = rehearse(job)
        hits = [item for item in run.findings if item.kind == "contact.body"]
        self.assertTrue(hits)
        times = {version.time for version in run.stocks[0].film.versions}
        for item in hits:
            before = float(run.reel.begin_time[item.motion])
            self.assertTrue(any(abs(time - before) < 1e-6 for time in times), (before, sorted(times)))

    def test_a_torn_or_lost_file_only_costs_the_time(self) -> None:
        store = Counting()
        first = rehearse(self.job(program()), None, store)
        store.held = {key: data[: len(data) // 2] for key, data in store.held.items()}
        again = rehearse(self.job(program()), None, store)
        self.assertEqual(again.resumed, {})
        self.same(first, again)

    def test_the_folder_keeps_what_was_used_last_within_its_size(self) -> None:
        store = FolderStore(self.folder / "kept", most=2500)
        for key in "abc":
            store.put(key, key.encode() * 1000)
        self.assertEqual([store.get(key) is not None for key in "abc"], [False, True, True])
        (self.folder / "file").write_text("")
        FolderStore(self.folder / "file").put("a", b"x")  # no folder can be made there: nothing is kept, nothing fails
        self.assertIsNone(FolderStore(self.folder / "file").get("a"))

    def test_a_program_that_grows_a_little_has_the_same_places(self) -> None:
        for count in (300, 5000, 27_133, 1_000_000):
            self.assertLessEqual(len(places(count)), 8)
            self.assertEqual(places(count), places(count + 3)[: len(places(count))])
