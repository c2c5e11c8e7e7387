"""What is spared the rays — turning in the plane of z and r, and a tool that goes up and down in one place — beside asking every ray."""

import unittest
from unittest import mock

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.mesh import Mesh
from bluntmirror.job.models import ToolEntry
from bluntmirror.material.cut_kernel import CUT, TEST_CUT, TEST_FLUSH, TEST_HOLDER, TEST_SHANK, WELD
from bluntmirror.material.stock import Batch, RingBatch, RingSets, Stock, ToolSets
from bluntmirror.tools import build_assembly

INSERTS = [
    {"type": "insert", "shape": "D", "inscribed_circle": 9.525, "nose_radius": 0.4},
    {"type": "groove", "width": 3, "nose_radius": 0.2, "reach": 12},
    {"type": "thread-insert", "pitch": 1.5},
]
BATCHES = (7, 1, 20, 12)


def upright(mesh: Mesh, height: float) -> Mesh:
    return Mesh(mesh.vertices + [0, 0, height], mesh.faces)


class Section(unittest.TestCase):
    def passes(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]:
        """Cuts along, into and out of the work, some past its axis, some of them only asked for."""
        start = np.column_stack([rng.uniform(-4, 30, count), rng.uniform(-3, 16, count)])
        delta = rng.uniform(-1, 1, (count, 2)) * rng.choice([[0.0, 0.0], [12.0, 0.0], [0.0, 6.0], [8.0, 3.0]], count)
        flags = rng.choice([1 << CUT, 1 << CUT, (1 << CUT) | (1 << TEST_CUT)], count)
        return start, delta, rng.integers(len(INSERTS), size=count), flags, np.arange(count, dtype=np.int32)

    @given(st.integers(0, 100_000))
    @settings(max_examples=25)
    def test_beside_the_rays(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        tools = [
            build_assembly(ToolEntry.model_validate({"number": 1, "cutter": kind, "length": 60})) for kind in INSERTS
        ]
        outlines = [np.column_stack([tool.insert[:, 1], tool.insert[:, 0]]) for tool in tools]
        block = meshes.box([4, 4, 8])
        sets = RingSets.of([[outline, block.vertices[:, [2, 0]][:4] + [4, 8]] for outline in outlines])
        blank = [meshes.cylinder(24, 30), meshes.box([22, 17, 30]), meshes.extrude([[-9, -9], [12, -7], [0, 13]], 30)][
            rng.integers(3)
        ]
        blank = upright(blank, 15 if len(blank.vertices) != 6 else 0)
        centre = np.array([*(rng.uniform(-2, 2, 2) if rng.random() < 0.4 else (0.0, 0.0)), 0.0])
        columns = self.passes(rng, sum(BATCHES))
        lines, rays = Stock(blank, 0.6), Stock(blank, 0.6)
        at = 0
        for size in BATCHES:
            batch = RingBatch(*(column[at : at + size] for column in columns), centre)
            seen = lines.cut(batch, sets)
            whole = rays._turn_section
            rays._turn_section = rays._cut  # type: ignore[method-assign]
            told = rays.cut(batch, sets)
            rays._turn_section = whole  # type: ignore[method-assign]
            np.testing.assert_array_equal(seen.removed, told.removed)
            np.testing.assert_allclose(seen.depth, told.depth, atol=1e-3)
            at += size
        for mine, its in zip(lines.rays, rays.rays, strict=True):
            # What is hardly longer than the weld may be a sliver to the one and nothing to the other.
            (u, v, slot), (u_too, v_too, slot_too) = (
                [column[rays.hi[ends[2]] - rays.lo[ends[2]] > 3 * WELD] for column in ends]
                for rays, ends in ((mine, mine.ends()), (its, its.ends()))
            )
            np.testing.assert_array_equal(np.column_stack([u, v]), np.column_stack([u_too, v_too]))
            np.testing.assert_allclose(mine.lo[slot], its.lo[slot_too], atol=2e-4)
            np.testing.assert_allclose(mine.hi[slot], its.hi[slot_too], atol=2e-4)
            # An end that two motions leave alike to float noise is told by the one or the other: those are few.
            same = (mine.tag_lo[slot] == its.tag_lo[slot_too]) & (mine.tag_hi[slot] == its.tag_hi[slot_too])
            self.assertGreaterEqual(same.sum(), 0.95 * len(same))

    def test_a_ray_without_room_is_told_once_and_the_stock_goes_on(self) -> None:
        outline = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 20.0], [0.0, 20.0]])
        stock = Stock(upright(meshes.cylinder(20, 30), 15), 0.5)
        one = (
            np.array([[z, 5.0] for z in (5.0, 9.0, 13.0, 17.0)]),
            np.zeros((4, 2)),
            np.zeros(4, np.int64),
            np.full(4, 1 << CUT),
        )
        with mock.patch("bluntmirror.material.stock.MAX_CAPACITY", 2), self.assertRaises(MemoryError):
            stock.cut(RingBatch(*one, np.zeros(4, np.int32), np.zeros(3)), RingSets.of([[outline]]))
        self.assertGreater(stock.volume, 0.0)

    def test_a_cut_of_another_kind_is_seen_by_what_turns_after_it(self) -> None:
        outline = np.array([[0.0, 0.0], [2.0, 0.0], [2.0, 20.0], [0.0, 20.0]])
        sets = RingSets.of([[outline]])
        mill = ToolSets.of([build_assembly(ToolEntry.model_validate(
            {"number": 1, "length": 60, "cutter": {"type": "end-mill", "diameter": 60, "flute_length": 30, "reach": 40}}))])  # fmt: skip
        stock = Stock(upright(meshes.cylinder(20, 30), 15), 0.5)

        def groove(z: float) -> bool:
            one = (
                np.array([[z, 8.0]]),
                np.zeros((1, 2)),
                np.zeros(1, np.int64),
                np.full(1, 1 << CUT),
                np.zeros(1, np.int32),
            )
            return bool(stock.cut(RingBatch(*one, np.zeros(3)), sets).removed[0])

        self.assertTrue(groove(20.0))
        self.assertFalse(groove(20.0))
        tip = np.array([[0.0, 0.0, 10.0]])
        stock.cut(
            Batch(tip, np.zeros((1, 3)), np.zeros(1, np.int64), np.full(1, 1 << CUT), np.zeros(1, np.int32)), mill
        )
        self.assertFalse(groove(15.0))  # gone with all above 10
        self.assertTrue(groove(5.0))
        # Pappus: a groove 2 wide from r 8 to r 10 takes 2·π·(10² − 8²); the bar is 10 long then.
        self.assertAlmostEqual(stock.volume, np.pi * (1000 - 2 * 36), delta=6.0)


class UpAndDown(unittest.TestCase):
    """Pecks, retracts and dwells in one place, told in one piece and one by one, where nothing is known of what came before."""

    def stock(self) -> Stock:
        return Stock(meshes.box([30, 30, 30]), 0.5)

    @given(st.integers(0, 100_000))
    @example(7)
    @settings(max_examples=60)
    def test_beside_each_motion_alone(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        kinds = [
            {"type": "drill", "diameter": 6.8, "flute_length": 14, "reach": 18, "shank_diameter": 9},
            {"type": "ball-mill", "diameter": 8, "flute_length": 10, "reach": 22, "shank_diameter": 7},
            {"type": "t-slot", "diameter": 12, "flute_length": 4, "reach": 22, "shank_diameter": 6},
        ]
        holder = {"segments": [{"diameter": 20, "length": 30}]}
        sets = ToolSets.of([build_assembly(ToolEntry.model_validate({"number": i, "cutter": kind, "holder": holder, "length": 60}))
                            for i, kind in enumerate(kinds)])  # fmt: skip
        places, tools, flags = [np.array([0.0, 0.0, 20.0])], [], []
        asks = (1 << CUT) | (1 << TEST_SHANK) | (1 << TEST_HOLDER)
        for _ in range(40):
            here = places[-1].copy()
            move = rng.random()
            if move < 0.15:
                here[:2] = rng.uniform(-12, 12, 2)
            elif move < 0.9:
                here[2] = rng.uniform(-12, 18)
            places.append(here)
            tools.append(tools[-1] if tools and rng.random() < 0.85 else int(rng.integers(3)))
            flags.append(asks | (1 << TEST_CUT if rng.random() < 0.3 else 1 << TEST_FLUSH))
        path, n = np.array(places), len(flags)
        columns = (path[:-1], np.diff(path, axis=0), np.array(tools), np.array(flags), np.arange(n, dtype=np.int32))
        together, alone = self.stock(), self.stock()
        seen = together.cut(Batch(*columns), sets)
        told = [alone.cut(Batch(*(column[i : i + 1] for column in columns)), sets) for i in range(n)]
        np.testing.assert_array_equal(seen.removed, [t.removed[0] for t in told])
        np.testing.assert_allclose(seen.depth, np.concatenate([t.depth for t in told]), atol=1e-5)
        # Places that are touched at the same moment are as good as each other; they are as high.
        np.testing.assert_allclose(seen.place[..., 2], np.concatenate([t.place for t in told])[..., 2], atol=1e-4)
        for mine, its in zip(together.rays, alone.rays, strict=True):
            (_, _, slot), (_, _, slot_too) = mine.ends(), its.ends()
            for name in ("lo", "hi"):
                np.testing.assert_allclose(getattr(mine, name)[slot], getattr(its, name)[slot_too], atol=1e-5)


if __name__ == "__main__":
    unittest.main()
