"""A quick look: what it finds is what the whole run finds, what it looks at closely is the same bit for bit, and it is never clear."""

import itertools
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bluntmirror.export.verdict import verdict_dict
from bluntmirror.geometry import mesh as meshes
from bluntmirror.job import open_job
from bluntmirror.material.cut_kernel import TILE
from bluntmirror.material.region import Region
from bluntmirror.material.stock import BatchResult, Lattice, Rays, Stock
from bluntmirror.rehearsal import Rehearsal, rehearse
from bluntmirror.rehearsal.quick import closer_hits
from bluntmirror.rehearsal.routing import handed_on

from .build import HEAD, slot_job
from .shop import REVISIONS, SHOP, rehearsed
from .test_machine import WithFolder
from .test_part import BALL, cut, tool

DESIGN = {"name": "part", "role": "design", "mount": "table"}


def causes(result: Rehearsal) -> dict[tuple[object, ...], float]:
    """What was found, where and on what; of what is told for other reasons nothing."""
    return {(f.kind, f.line, f.bodies): f.amount or 0.0 for f in result.findings if f.kind != "check.partial"}


class Looks(unittest.TestCase):
    def test_what_is_wrong_is_found_as_deep_as_the_whole_run_finds_it(self) -> None:
        for name in ("buoy-lid", "nose-cone", "cable-clip"):  # milled, turned, and one with rapids through the stock
            folder = SHOP / name / REVISIONS[1]
            with self.subTest(job=name):
                whole, look = rehearsed(folder), rehearse(open_job(folder), filmed=False, quick=True)
                self.assertEqual(causes(look), causes(whole))

    def test_what_is_right_is_not_said_to_be_clear(self) -> None:
        folder = SHOP / "buoy-lid" / REVISIONS[0]
        self.assertEqual(rehearsed(folder).verdict, "clear")
        look = rehearse(open_job(folder), filmed=False, quick=True)
        self.assertEqual([f.kind for f in look.findings], ["check.partial"])
        told = verdict_dict(look)
        grid = open_job(folder).file.checks.resolution
        self.assertEqual((told["verdict"], told["checked"]["quick"]["resolution"]), ("caution", grid))
        self.assertGreater(told["checked"]["resolution"], grid)
        self.assertTrue(any("quick look" in what for what in told["checked"]["not_checked"]))
        self.assertNotIn("quick", verdict_dict(rehearsed(folder))["checked"])


class Slots(WithFolder):
    def look(self, depth: float, feed: str, grid: float = 0.25, size: float = 100.0) -> tuple[Rehearsal, Rehearsal]:
        """A slot milled so deep over a design that stands 5 mm below the blank's top, in the whole and at a quick look."""
        bodies = [
            {"name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [size, size, 40]}, "at": [0, 0, 45]},
            DESIGN | {"shape": {"type": "box", "size": [size, size, 35]}, "at": [0, 0, 42.5]},
        ]  # fmt: skip
        job = slot_job(
            self.folder,
            HEAD + f"G0 X-{size} Y0.\nZ{-depth}\n{feed}X{size} F1200\nG0 Z50.\nM5\nG91 G28 Z0.\nM30\n",
            bodies=bodies,
            checks={"resolution": grid, "gouge": 0.05, "excess": 6.0},
        )
        return rehearse(job), rehearse(job, quick=True)

    def test_a_gouge_is_measured_on_the_jobs_own_grid(self) -> None:
        for depth in (5.2, 7.0):
            whole, look = self.look(depth, "G1 ")
            self.assertAlmostEqual(causes(whole)["material.gouge", 9, ("T1 cutter", "part")], depth - 5.0, delta=1e-4)
            self.assertEqual(causes(look), causes(whole))
            assert look.quick and look.stocks[0].part and whole.stocks[0].part
            self.assertTrue(0.0 < look.quick.share < 0.6)
            self.assertEqual(look.stocks[0].part.comparison.gouge_max, whole.stocks[0].part.comparison.gouge_max)

    def test_a_rapid_through_the_stock_is_told_once_and_as_deep(self) -> None:
        whole, look = self.look(4.0, "G0 ")
        self.assertIn("contact.rapid", {kind for kind, *_ in causes(whole)})
        self.assertEqual(causes(look), causes(whole))

    def test_work_that_is_too_small_for_a_coarser_grid_is_rehearsed_in_full(self) -> None:
        whole, look = self.look(4.0, "G1 ", grid=4.0, size=40.0)
        self.assertIsNone(look.quick)
        self.assertEqual(verdict_dict(look), verdict_dict(whole))


class Hits(unittest.TestCase):
    def test_of_both_grids_one_row_after_another_and_of_each_test_the_finer_word(self) -> None:
        """Causes are told apart by rows that ascend; a coarse depth is heard only where the fine grid tells of no such thing."""

        def met(rows: list[int], depth: float, kind: int) -> tuple[np.ndarray, BatchResult]:
            answer = BatchResult.nothing(len(rows))
            answer.depth[:, kind] = depth
            return np.array(rows), answer

        coarse, fine = [met([5, 900], 2.0, 3), met([2100], 2.0, 3)], [met([7, 900, 901], 1.0, 3), met([2100], 1.0, 4)]
        ((rows, told),) = closer_hits(coarse, fine, 3000)
        self.assertEqual(rows.tolist(), [5, 7, 900, 900, 901, 2100, 2100])
        self.assertEqual(told.depth[:, 3].tolist(), [2.0, 1.0, 0.0, 1.0, 1.0, 2.0, 0.0])
        self.assertEqual(told.depth[:, 4].tolist(), [0.0] * 6 + [1.0])
        self.assertEqual(closer_hits([], [], 10), [])


class Regions(unittest.TestCase):
    @settings(max_examples=15)
    @given(st.integers(0, 2**32 - 1))
    def test_rays_of_a_region_are_those_of_the_whole_stock_bit_for_bit(self, seed: int) -> None:
        random = np.random.default_rng(seed)
        blank = meshes.box([30, 22, 18])
        whole, part = Stock(blank, 0.4), Stock(blank, 0.4)
        region = Region.around(
            part.lattice, random.uniform([-15, -11, -9], [15, 11, 9], (int(random.integers(1, 3)), 3))
        )
        region.leave(part)
        path = random.uniform([-18, -14, -4], [18, 14, 12], (6, 3)).tolist()
        for stock in (whole, part):
            cut(stock, tool(**BALL), path)
        for a, b, tiles in zip(whole.rays, part.rays, region.tiles, strict=True):
            self.assertFalse(b.count[~tiles].any())
            self.assertEqual(intervals_of(a, tiles), intervals_of(b, tiles))

    @settings(max_examples=50)
    @given(st.integers(0, 2**32 - 1))
    def test_against_asking_every_brick(self, seed: int) -> None:
        """The twin: a brick is filled when the tile that it shows to each family is there; inner, when all around it are filled."""
        random = np.random.default_rng(seed)
        lattice = Lattice.over(np.array([[0.0, 0.0, 0.0], random.uniform(2, 90, 3)]), 1.0)
        points = lattice.origin + random.uniform(0, 1, (int(random.integers(1, 6)), 3)) * lattice.step * lattice.counts
        region = Region.around(lattice, points)
        shape = region.bricks.shape
        families = [Rays(direction, lattice) for direction in range(3)]

        def filled(x: int, y: int, z: int) -> bool:
            if not (0 <= x < shape[0] and 0 <= y < shape[1] and 0 <= z < shape[2]):
                return True
            tiles = ((y, z), (x, z), (x, y))
            return all(region.tiles[d][v * families[d].tiles_u + u] for d, (u, v) in enumerate(tiles))

        for brick in itertools.product(*(range(n) for n in shape)):
            self.assertEqual(bool(region.filled[brick]), filled(*brick))
            beside = itertools.product((-1, 0, 1), repeat=3)
            around = all(filled(*(b + s for b, s in zip(brick, step, strict=True))) for step in beside)
            self.assertEqual(bool(region.inner[brick]), around)
        of = np.floor((points - lattice.origin) / (lattice.step * TILE)).astype(int)
        self.assertTrue(region.inner[tuple(np.minimum(of, np.array(shape) - 1).T)].all())
        self.assertTrue(region.holds(points).all())


def intervals_of(rays: Rays, tiles: np.ndarray) -> list[tuple[float, ...]]:
    """Ray, ends and tags of all that lies in some tiles."""
    u, v, slot = rays.ends()
    own = tiles[(v // TILE) * rays.tiles_u + u // TILE]
    columns = (u, v, rays.lo[slot], rays.hi[slot], rays.tag_lo[slot], rays.tag_hi[slot])
    return list(zip(*(column[own].tolist() for column in columns), strict=True))


class Routes(unittest.TestCase):
    def test_what_a_quick_look_hands_on_is_in_doubt(self) -> None:
        folder = SHOP / "buoy-lid" / REVISIONS[0]
        handed = handed_on(rehearse(open_job(folder), filmed=False, quick=True), {}, "op10")
        self.assertEqual({item.doubt for item in handed.values()}, {"was only looked at quickly"})
