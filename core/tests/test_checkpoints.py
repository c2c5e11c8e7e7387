"""Going on from a checkpoint gives what beginning anew gives; and nothing is taken over that anything before it could differ in."""

import itertools
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bluntmirror.export.replay import replay_data
from bluntmirror.export.verdict import finding_dict, verdict_dict
from bluntmirror.job import Job
from bluntmirror.material.brick_file import packed as pack_brick
from bluntmirror.rehearsal import Rehearsal, rehearse
from bluntmirror.rehearsal.checkpoints import MOST, FolderStore, packed, places, unpacked
from bluntmirror.rehearsal.remembering import Remembered

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


class Packing(unittest.TestCase):
    @settings(max_examples=400)
    @given(st.integers(0, 2**32 - 1))
    def test_what_is_packed_comes_out_alike_and_what_is_torn_not_at_all(self, seed: int) -> None:
        random = np.random.default_rng(seed)
        kinds = ["<f8", "<f4", "<i4", "<i8", "|b1", "|u1", "<u8"]
        state = {
            f"part{i}/x": random.integers(0, 2, tuple(random.integers(0, 4, int(random.integers(0, 3))))).astype(
                random.choice(kinds)
            )
            for i in range(int(random.integers(1, 5)))
        }
        data = packed(state)
        told = unpacked(data)
        assert told is not None
        self.assertEqual(list(told), list(state))
        for name, values in state.items():
            self.assertEqual((told[name].dtype, told[name].shape), (values.dtype, values.shape))
            np.testing.assert_array_equal(told[name], values)
            self.assertTrue(told[name].flags.writeable and told[name].flags.aligned)
        torn = bytearray(data)
        torn[int(random.integers(0, len(torn)))] ^= 1 << int(random.integers(0, 8))
        self.assertIsNone(unpacked(bytes(torn)))
        self.assertIsNone(unpacked(data[: int(random.integers(0, len(data)))]))


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
            for name in a.work.COLUMNS:
                np.testing.assert_array_equal(getattr(a.work, name), getattr(b.work, name))
            for x, y in zip(a.stock.rays, b.stock.rays, strict=True):
                np.testing.assert_array_equal(x.count, y.count)
                (*_, mine), (*_, its) = x.ends(), y.ends()
                for name in x.POOLS:
                    np.testing.assert_array_equal(getattr(x, name)[mine], getattr(y, name)[its])
            self.assertEqual(len(a.film.final_mesh().faces), len(b.film.final_mesh().faces))
            self.assertEqual(
                (a.film.versions[0].time, len(a.film.state[1])), (b.film.versions[0].time, len(b.film.state[1]))
            )

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

    def test_whoever_kept_them_nothing_of_the_film_is_missing(self) -> None:
        """Checkpoints of a run without a film hold none: a run that needs one may not go on from them, one that needs none from either."""
        edited = self.job(program(late="G1 X10. Z-3.\nX40."))
        anew = rehearse(edited)
        for kept, asked in itertools.product(({"filmed": False}, {"quick": True}, {"filmed": True}), (False, True)):
            store = Counting()
            rehearse(self.job(program()), None, store, **kept)
            again = rehearse(edited, None, store, filmed=asked)
            with self.subTest(kept=kept, asked=asked):
                if asked:
                    self.same(again, anew)
                    self.assertEqual(replay_data(again)[2], replay_data(anew)[2])  # the film, byte for byte
                mesh, fresh = again.stocks[0].final_mesh, anew.stocks[0].final_mesh
                self.assertEqual(len(mesh.faces), len(fresh.faces))
                self.assertAlmostEqual(mesh.volume, fresh.volume, places=6)
                self.assertEqual(bool(again.resumed), kept != {"quick": True} and (kept["filmed"] or not asked))

    def test_each_holds_what_has_come_since_the_one_before_it(self) -> None:
        store = Counting()
        with patch("bluntmirror.rehearsal.checkpoints.LEAST_STEP", 16):
            rehearse(self.job(program()), None, store)
            checkpoints = [key for key in store.held if not key.endswith("-after")]
            self.assertGreater(len(checkpoints), 10)
            sizes = [len(store.held[key]) for key in checkpoints]
            self.assertLess(sorted(sizes)[len(sizes) // 2], 0.5 * max(sizes))
            edited = self.job(program(late="G1 X10. Z-3.\nX40."))
            anew = rehearse(edited)
            again = rehearse(edited, None, store)
            self.same(again, anew)
            kept = list(again.resumed.values())
            # One of them lost: those before it still serve, those that stand on it do not.
            lost = checkpoints[len(checkpoints) // 2]
            del store.held[lost]
            third = rehearse(edited, None, store)
            self.same(third, anew)
            self.assertLess(next(iter(third.resumed.values())), kept[0])
            # What was lost is there again.
            self.assertIn(lost, store.held)
            fourth = rehearse(edited, None, store)
            self.assertGreaterEqual(next(iter(fourth.resumed.values())), kept[0])
            self.same(fourth, anew)

    def test_after_an_edit_what_looks_as_before_is_not_packed_again(self) -> None:
        """A move one deeper changes what it cuts; all that is cut elsewhere after it looks as it did, and the film is that of a run anew."""
        before = program()
        edited = before.replace("G0 X-60. Y-8.\nG1 Z-1.\nX-52. Z-2.1", "G0 X-60. Y-8.\nG1 Z-1.\nX-52. Z-2.6")
        self.assertNotEqual(before, edited)
        store, made = Counting(), []

        def counted(*brick: Any) -> bytes:
            made.append(brick)
            return pack_brick(*brick)

        with (
            patch("bluntmirror.rehearsal.checkpoints.LEAST_STEP", 16),
            patch("bluntmirror.rehearsal.cutting.FRAMES", 100),
            patch("bluntmirror.material.film.packed", counted),
        ):
            rehearse(self.job(before), None, store)
            anew = rehearse(self.job(edited))
            other = Counting()
            other.held = {key: data for key, data in store.held.items() if not key.endswith("-after")}
            counts = []
            for kept in (other, store):
                made.clear()
                again = rehearse(self.job(edited), None, kept)
                self.assertTrue(again.resumed)
                self.assertEqual(replay_data(again)[2], replay_data(anew)[2])
                counts.append(len(made))
            self.assertGreater(counts[0], 40)
            self.assertLess(counts[1], 0.4 * counts[0])
            # Where what came after is lost, or is no checkpoint, all is packed again.
            for key in [key for key in store.held if key.endswith("-after")]:
                store.held[key] = b"\xff"
            deeper = self.job(edited.replace("X-52. Z-2.6", "X-52. Z-2.7"))
            self.same(rehearse(deeper, None, store), rehearse(deeper))

    def test_contact_goes_on_from_where_the_same_bodies_came(self) -> None:
        """With a clamp that is hit before the edit, and one beside it that is not: findings and margins are those of a run anew; where
        the clamp has moved nothing is taken over."""
        bodies = json.loads((self.folder / "job.json").read_text())["bodies"]
        clamp = {"name": "clamp", "role": "fixture", "mount": "table", "shape": {"type": "box", "size": [10, 10, 30]}}
        edited = program(late="G1 X10. Z-3.\nX40.")
        store = Counting()
        with (
            patch("bluntmirror.contact.program.STRETCH", 32),
            patch("bluntmirror.rehearsal.preparing.WORTH_KEEPING", 1),
        ):
            for at, text, resumes in (
                ([0, 0, 80], program(), False),
                ([0, 0, 80], edited, True),
                ([0, 1, 80], edited, False),
            ):
                job = slot_job(self.folder, text, bodies=[*bodies, clamp | {"at": at}])
                calls: list[bool] = []
                recall = Remembered.recall

                def spy(self: Remembered, *given: Any, recall: Any = recall, calls: list[bool] = calls) -> Any:
                    calls.append((known := recall(self, *given)) is not None)
                    return known

                with patch.object(Remembered, "recall", spy):
                    run = rehearse(job, None, store)
                anew = rehearse(job)
                self.assertEqual(calls, [resumes])
                self.assertEqual(run.margins, anew.margins)
                self.assertIn("contact.body", [f.kind for f in run.findings])
                self.same(run, anew)
            # Torn, it costs the time alone.
            store.held = {key: data[:-7] for key, data in store.held.items()}
            self.assertEqual(rehearse(job, None, store).margins, anew.margins)

    def test_a_design_is_made_ready_once(self) -> None:
        bodies = json.loads((self.folder / "job.json").read_text())["bodies"]
        design = {**next(b for b in bodies if b["role"] == "stock"), "name": "part", "role": "design"}
        design["shape"] = {"type": "box", "size": [139, 99, 22]}
        job = slot_job(self.folder, program(), bodies=[*bodies, design])
        store = Counting()
        with patch("bluntmirror.rehearsal.preparing.WORTH_KEEPING", 1):
            first = rehearse(job, None, store)
            with patch("bluntmirror.material.comparison.Prepared.of", side_effect=AssertionError("made again")):
                again = rehearse(job, None, store)
        self.same(first, again)
        for one, other in ((first, again), (first, rehearse(job))):
            parts = [run.stocks[0].part for run in (one, other)]
            assert parts[0] and parts[1]
            for name in ("gouge_max", "excess_max"):
                self.assertEqual(*(getattr(part.comparison, name) for part in parts))

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
            self.assertLessEqual(len(places(count)), MOST)
            self.assertEqual(places(count), places(count + 3)[: len(places(count))])
