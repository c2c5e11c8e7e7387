"""Corners that no cutter of a table can make, against closed forms (what a cutter of radius r leaves in a corner of radius c: beside its walls
r·(1 − 1/√2), over its rounding (r − c)·(√2 − 1), whichever is less) and against trying every place of the tip."""

import math
import unittest
from typing import Any

import manifold3d
import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from bluntmirror.geometry.distance import Solid
from bluntmirror.geometry.frames import Floats, frame
from bluntmirror.geometry.mesh import Mesh, box
from bluntmirror.material.corners import Profile, left_by, turned_to, within
from bluntmirror.rehearsal import rehearse
from bluntmirror.rehearsal.corners import MOST_SIDES, Corners, _apart

from .build import HEAD, slot_job
from .test_machine import WithFolder

UP = np.array([[0.0, 0.0, 1.0]])
HALF = 20.0  # of the pocket's side


def of(solid: Any) -> Mesh:
    made = solid.to_mesh()
    return Mesh(np.array(made.vert_properties[:, :3], float), np.array(made.tri_verts, np.int32))


def pocket(rounding: float) -> Mesh:
    """A block with a pocket 40 × 40 × 20, its upright corners rounded."""
    side = 2 * (HALF - rounding)
    plan = manifold3d.CrossSection.square([side, side], True)
    if rounding:
        plan = plan.offset(rounding, manifold3d.JoinType.Round, circular_segments=128)
    walls = manifold3d.CrossSection.square([60, 60], True) - plan
    return of(
        manifold3d.Manifold.extrude(walls, 20) + manifold3d.Manifold.cube([60, 60, 5], True).translate([0, 0, -2.5])
    )


def end_mill(radius: float, corner: float = 0.0, name: str = "T3") -> Profile:
    arc = [
        (radius - corner + corner * math.sin(a), corner * (1 - math.cos(a))) for a in np.linspace(0, math.pi / 2, 33)
    ]
    return Profile.of(name, [(0.0, 0.0), *arc, (radius, 20.0), (0.0, 20.0)])


def asking(design: Mesh, excess: float, *cutters: Profile, sides: Floats = UP) -> Corners:
    made = Corners.__new__(Corners)
    made.design, made.solid, made.gouge, made.excess, made.sides = design, Solid.of(design), 0.02, excess, sides
    made.blank = Solid.of(box(np.ptp(design.bounds, axis=0)).moved(frame(design.bounds.mean(axis=0), (0, 0, 0))))
    made.cutters = sorted(cutters, key=lambda cutter: -cutter.radius)
    return made


def worst_place(radius: float, rounding: float, depth: float = 10.0) -> tuple[Floats, float]:
    """Where a cutter of this radius leaves most in a pocket's corner, and how much."""
    off = HALF - radius + radius / math.sqrt(2.0)
    return np.array([off, off, depth]), min(
        radius * (1 - 1 / math.sqrt(2.0)), (radius - rounding) * (math.sqrt(2.0) - 1)
    )


def widest(rounding: float, excess: float) -> float:
    """The widest cutter that leaves no more than `excess` in a corner."""
    return max(excess / (1 - 1 / math.sqrt(2.0)), rounding + excess / (math.sqrt(2.0) - 1))


class Pockets(unittest.TestCase):
    def test_what_is_told_to_stay_stays_and_the_radius_advised_would_do(self) -> None:
        for rounding, radius, excess in ((0.0, 3.0, 0.3), (1.0, 4.0, 0.3), (2.0, 5.0, 0.1), (0.0, 2.0, 0.1)):
            with self.subTest(rounding=rounding, radius=radius, excess=excess):
                place, amount = worst_place(radius, rounding)
                asked = asking(pocket(rounding), excess, end_mill(radius), end_mill(2 * radius, 1.0))
                self.assertAlmostEqual(float(asked.solid.distance(place[None])[0]), amount, delta=0.01)
                why, advice = asked.said_of(place, amount)
                self.assertIn(f"T3, the slimmest, has a radius of {radius:g}", why)
                advised = float(advice.partition("radius of ")[2].split()[0])
                self.assertLessEqual(advised, widest(rounding, excess) + 0.01)
                self.assertGreater(advised, 0.35 * widest(rounding, excess))
                # With a cutter as advised in the table it could be made.
                self.assertEqual(
                    asking(pocket(rounding), excess, end_mill(radius), end_mill(advised)).said_of(place, amount),
                    ("", ""),
                )

    def test_nothing_is_said_of_what_a_tool_of_the_table_could_make(self) -> None:
        for rounding, radius in ((3.0, 3.0), (4.0, 3.0), (2.95, 3.0)):
            place = np.array([HALF - rounding + rounding / math.sqrt(2.0) - 0.1] * 2 + [10.0])
            asked = asking(pocket(rounding), 0.05, end_mill(radius))
            self.assertEqual(asked.said_of(place, 0.14), ("", ""))
        middle = np.array([0.0, 0.0, 8.0])  # of the pocket, where nothing was cut at all
        self.assertEqual(asking(pocket(0.0), 0.3, end_mill(3.0)).said_of(middle, 8.0), ("", ""))

    def test_a_rounded_mill_cannot_square_the_floor_and_a_square_one_can(self) -> None:
        corner = 2.0
        place = np.array([HALF - corner + corner / math.sqrt(2.0), 0.0, corner * (1 - 1 / math.sqrt(2.0))])
        amount = corner * (1 - 1 / math.sqrt(2.0))
        asked = asking(pocket(3.0), 0.1, end_mill(4.0, corner))
        self.assertIn("no tool of the table", asked.said_of(place, amount)[0])
        self.assertEqual(
            asking(pocket(3.0), 0.1, end_mill(4.0, corner), end_mill(4.0)).said_of(place, amount), ("", "")
        )

    def test_a_drill_makes_its_own_hole_and_no_corner(self) -> None:
        plate = manifold3d.Manifold.cube([40, 40, 20], True)
        holed = of(plate - manifold3d.Manifold.cylinder(40, 3.0, -1, 96, True))
        drill = Profile.of("T4", [(0.0, 0.0), (2.97, 1.8), (2.97, 40.0), (0.0, 40.0)], plunges=True)
        place = np.zeros(3)
        self.assertEqual(asking(holed, 0.1, end_mill(5.0), drill).said_of(place, 3.0), ("", ""))
        self.assertIn("no tool", asking(holed, 0.1, end_mill(5.0)).said_of(place, 3.0)[0])
        corner, amount = worst_place(5.0, 0.0)
        slim = Profile.of(
            "T5", [(0.0, 0.0), (0.25, 0.15), (0.25, 40.0), (0.0, 40.0)], plunges=True
        )  # it would leave 0.07 there, going round
        self.assertIn("no tool", asking(pocket(0.0), 0.1, end_mill(5.0), drill, slim).said_of(corner, amount)[0])

    def test_the_same_from_any_side_and_only_from_there(self) -> None:
        turned = frame((0, 0, 0), (90, 0, 0))
        place, amount = worst_place(4.0, 1.0)
        moved = (turned[:3, :3] @ place)[None]
        up = (turned[:3, :3] @ UP[0])[None]
        told = asking(pocket(1.0), 0.2, end_mill(4.0)).said_of(place, amount)
        again = asking(pocket(1.0).moved(turned), 0.2, end_mill(4.0), sides=up).said_of(moved[0], amount)
        self.assertEqual(again[0], told[0])
        # From below nothing comes into the pocket; from above and below what comes from above.
        below = asking(pocket(3.0), 0.2, end_mill(2.0), sides=-UP).said_of(np.array([0.0, 0.0, 5.0]), 5.0)
        self.assertIn("another side", below[1])
        both = asking(pocket(3.0), 0.2, end_mill(2.0), sides=np.vstack([UP, -UP])).said_of(
            np.array([0.0, 0.0, 5.0]), 5.0
        )
        self.assertEqual(both, ("", ""))

    def test_of_what_may_come_in_beneath_an_overhang_nothing_is_said(self) -> None:
        lip = manifold3d.Manifold.cube([40, 10, 4], True).translate([0, 15, 10])
        under = of(
            manifold3d.Manifold.cube([40, 40, 10], True)
            + manifold3d.Manifold.cube([40, 4, 16], True).translate([0, 18, 4])
            + lip
        )
        place = np.array([0.0, 14.0, 6.0])
        disc = Profile.of(
            "T7", [(0.0, 0.0), (6.0, 0.0), (6.0, 2.0), (2.0, 2.0), (2.0, 30.0), (0.0, 30.0)], undercuts=True
        )
        self.assertEqual(asking(under, 0.1, end_mill(2.0), disc).said_of(place, 1.0), ("", ""))
        self.assertIn("another side", asking(under, 0.1, end_mill(2.0)).said_of(place, 1.0)[1])


class Twin(unittest.TestCase):
    @example(10)  # of these the doubt is what decides
    @example(14)
    @settings(max_examples=12)
    @given(st.integers(0, 2**32 - 1))
    def test_between_the_two_doubts_lies_what_every_place_of_the_tip_leaves(self, seed: int) -> None:
        """The twin: a flat cutter stands at every place of a fine net, as low as the boxes under it let it; a point goes where one covers it."""
        random = np.random.default_rng(seed)
        boxes = [(random.uniform(-12, 12, 2), random.uniform(2, 8, 2), float(random.uniform(0, 8))) for _ in range(4)]
        solid = manifold3d.Manifold.cube([60, 60, 4], True).translate([0, 0, -2])
        for (x, y), (a, b), top in boxes:
            solid += manifold3d.Manifold.cube([2 * a, 2 * b, top + 2], True).translate([x, y, top / 2 - 1])
        radius = float(random.uniform(1.5, 4.0))
        points = within(np.array([-3.0, -3.0, 0.2]), np.array([3.0, 3.0, 6.0]), 7) + random.uniform(-6, 6, 3) * [
            1,
            1,
            0,
        ]
        cutter = end_mill(radius)
        stays, more = (left_by(cutter, of(solid), points, 0.0, doubt) for doubt in (1, -1))
        assert stays is not None and more is not None
        middle = 0.5 * (points.min(axis=0) + points.max(axis=0))
        step = radius / 60.0
        net = np.arange(-(radius + 3.5), radius + 3.5, step)
        x, y = (middle[axis] + grid for axis, grid in enumerate(np.meshgrid(net, net, indexing="ij")))
        low = np.zeros_like(x)
        for (bx, by), (a, b), top in boxes:
            away = np.hypot(np.maximum(np.abs(x - bx) - a, 0.0), np.maximum(np.abs(y - by) - b, 0.0))
            low = np.where(away < radius, np.maximum(low, top), low)
        left = np.array([not ((np.hypot(x - p[0], y - p[1]) <= radius) & (low <= p[2])).any() for p in points])
        self.assertFalse((stays & ~left).any())
        self.assertFalse((left & ~more).any())
        self.assertLess(int((more & ~stays).sum()), 0.35 * len(points))


class Profiles(unittest.TestCase):
    def test_heights_over_the_tip(self) -> None:
        ball = Profile.ball(3.0)
        at = np.array([0.0, 1.5, 2.9, 3.0, 3.1])
        self.assertTrue(np.allclose(ball.at(at)[:4], 3 - np.sqrt(9 - at[:4] ** 2), atol=0.03))
        self.assertEqual(float(ball.at(at)[4]), math.inf)
        cone = Profile.of("", [(0, 0), (3, 5.196), (3, 20), (0, 20)])
        self.assertAlmostEqual(float(cone.at(np.array([1.5]))[0]), 2.598, places=3)
        self.assertFalse(cone.undercuts)
        for direction in np.eye(3).tolist() + [[0.3, -0.5, 0.8], [-1.0, 0.0, 0.0]]:
            turn = turned_to(np.array(direction))[:3, :3]
            self.assertTrue(np.allclose(turn @ turn.T, np.eye(3)) and np.linalg.det(turn) > 0)
            self.assertTrue(np.allclose(turn @ np.array(direction) / np.linalg.norm(direction), [0, 0, 1]))


class Sides(unittest.TestCase):
    def test_directions_that_are_alike_are_one_and_of_very_many_nothing_is_said(self) -> None:
        random = np.random.default_rng(3)
        five = np.vstack([np.eye(3), -np.eye(3)[:2]])
        shaken = np.repeat(five, 400, axis=0) + random.normal(0, 0.004, (2000, 3))
        self.assertEqual(len(_apart(random.permutation(shaken))), 5)
        self.assertEqual(len(_apart(random.normal(size=(50_000, 3)))), MOST_SIDES + 1)
        place, amount = worst_place(4.0, 0.0)
        sides = _apart(random.normal(size=(1000, 3)))
        self.assertEqual(asking(pocket(0.0), 0.1, end_mill(4.0), sides=sides).said_of(place, amount), ("", ""))


class InAJob(WithFolder):
    def test_the_finding_says_so_and_what_would_help(self) -> None:
        """A step with an upright inner corner, milled right along its walls by a cutter of 10 in a table that has no slimmer one."""
        plan = [[-50, -50], [50, -50], [50, 0], [0, 0], [0, 50], [-50, 50]]
        bodies = [
            {"name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [100, 100, 20]}, "at": [0, 0, 55]},
            {"name": "step", "role": "design", "mount": "table", "shape": {"type": "extrude", "outline": plan, "height": 20}, "at": [0, 0, 45]},
        ]  # fmt: skip
        ways = "".join(f"G0 X{60} Y{y}\nZ-20.\nG1 X5. F1200\nG0 Z5.\n" for y in (5, 14, 23, 32, 41, 50))
        job = slot_job(
            self.folder, HEAD + ways + "G0 X5. Y60.\nZ-20.\nG1 Y5. F1200\nG0 Z50.\nM5\nG91 G28 Z0.\nM30\n", bodies=bodies,
            checks={"resolution": 0.5, "excess": 0.3},
        )  # fmt: skip
        found = [f for f in rehearse(job, filmed=False).findings if f.kind == "material.excess"]
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0].amount or 0.0, 5 * (1 - 1 / math.sqrt(2.0)), delta=0.25)
        self.assertIn("no tool of the table can take it from where the program works", found[0].message)
        advised = float(found[0].remedy.partition("radius of ")[2].split()[0])
        self.assertTrue(0.35 * widest(0.0, 0.3) < advised <= widest(0.0, 0.3))


if __name__ == "__main__":
    unittest.main()
