"""Details of a design between the rays: whatever is lost or not made is either found or told as hidden, and what the rays tell is not."""

import unittest

import manifold3d
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bluntmirror.geometry import mesh as meshes
from bluntmirror.material.comparison import compare
from bluntmirror.material.stock import Stock
from bluntmirror.rehearsal import rehearse

from .build import HEAD, slot_job
from .test_corners import of
from .test_machine import WithFolder

GRID = 0.5
BLOCK = manifold3d.Manifold.cube([20, 16, 8], True)


def beside(stock: manifold3d.Manifold, design: manifold3d.Manifold, gouge: float = 0.05, excess: float = 0.1):  # type: ignore[no-untyped-def]
    """A stock that came out as told beside its design, in a blank that had room for both."""
    left = Stock(meshes.box([20, 16, 24]), GRID)
    made = Stock(of(stock + manifold3d.Manifold.cube([0.01, 0.01, 24], True).translate([-9.99, -7.99, 0])), GRID)
    left.rays = made.rays
    return compare(left, meshes.box([20, 16, 24]), of(design), gouge, excess)


class Details(unittest.TestCase):
    @settings(max_examples=60)
    @given(st.integers(0, 2**32 - 1))
    def test_a_pin_lost_or_a_bore_not_made_is_found_or_hidden(self, seed: int) -> None:
        random = np.random.default_rng(seed)
        radius = float(random.uniform(0.13, 0.5))
        turn, at = random.uniform(-40, 40, 2), random.uniform(-5, 5, 2)
        pin = (
            manifold3d.Manifold.cylinder(6, radius, -1, 32)
            .rotate([float(turn[0]), float(turn[1]), 0])
            .translate([*at.tolist(), 2.0])
        )
        lost = beside(BLOCK, BLOCK + pin)
        self.assertTrue(lost.gouge_max > 0.0 or lost.hidden, (radius, turn, at))
        undrilled = beside(BLOCK, BLOCK - pin)
        self.assertTrue(undrilled.excess_max > 0.0 or undrilled.hidden, (radius, turn, at))
        if lost.hidden:
            self.assertLess(lost.hidden[0].width, 6.5)

    @settings(max_examples=25)
    @given(st.integers(0, 2**32 - 1))
    def test_what_rays_tell_is_not_called_hidden(self, seed: int) -> None:
        """Thin walls, low steps, roundings, finely faceted balls, wherever they stand and whatever way they look."""
        random = np.random.default_rng(seed)
        # Within the block, whatever way the step is turned: half its diagonal is 6.02 of the block's 8.
        at, turn = random.uniform(-1.9, 1.9, 3).tolist(), [0.0, 0.0, float(random.uniform(0, 90))]
        thin = float(random.uniform(0.1, 0.4))
        rib = manifold3d.Manifold.cube([12, thin, 5], True).rotate(turn).translate([at[0], at[1], 6.0])
        step = manifold3d.Manifold.cube([8, 9, thin], True).rotate(turn).translate([at[0], at[1], 4.0])
        ball = manifold3d.Manifold.sphere(4.0, 120).translate([at[0], at[1], 4.0])
        rounded = manifold3d.Manifold.hull(
            manifold3d.Manifold.compose([
                manifold3d.Manifold.sphere(thin, 24).translate([x, y, z]) for x in (-6, 6) for y in (-4, 4) for z in (4, 7)
            ])
        )  # fmt: skip
        for design in (BLOCK + rib, BLOCK + step, BLOCK - step, BLOCK + ball, BLOCK - ball, BLOCK + rounded):
            self.assertEqual(beside(design, design).hidden, [])

    def test_rays_of_another_lattice_are_refused(self) -> None:
        """One cell more: compiled code would go beyond the others' ends, and did."""
        left, wider = Stock(meshes.box([20, 16, 24]), GRID), Stock(meshes.box([20, 16.1, 24]), GRID)
        with self.assertRaisesRegex(ValueError, "another lattice"):
            left.rays = wider.rays

    def test_on_a_finer_grid_it_is_found(self) -> None:
        for radius in (0.15, 0.2, 0.25):
            pin = manifold3d.Manifold.cylinder(6, radius, -1, 32).translate([3.0, 2.0, 2.0])
            hidden = beside(BLOCK, BLOCK + pin).hidden
            self.assertEqual(len(hidden), 1)
            self.assertAlmostEqual(hidden[0].width, 2 * radius, delta=0.01)
            self.assertLess(float(np.hypot(*(hidden[0].place[:2] - [3.0, 2.0]))), radius + 0.01)
            bore = BLOCK - pin.translate([0.0, 0.0, -2.0])
            self.assertEqual(len(beside(BLOCK, bore, excess=0.9 * radius).hidden), 1)
            self.assertEqual(
                beside(BLOCK, bore, excess=1.1 * radius).hidden, []
            )  # filled, it would be within tolerance
            fine = 0.7 * hidden[0].width
            mesh = of(BLOCK + pin)
            seen = compare(Stock(of(BLOCK), fine), meshes.box([20, 16, 8]), mesh, 0.05, 0.3)
            self.assertTrue(len(seen.lacking))  # the blank never had it
            self.assertEqual(compare(Stock(mesh, fine), mesh, mesh, 0.05, 0.3).hidden, [])


class InAJob(WithFolder):
    def test_it_is_said_with_the_grid_that_would_do_and_a_quick_look_leaves_it_to_its_own_words(self) -> None:
        bodies = [
            {"name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [40, 40, 12]}, "at": [0, 0, 59]},
            {"name": "plate", "role": "design", "mount": "table", "shapes": [
                {"type": "box", "size": [40, 40, 6], "at": [0, 0, 0]},
                {"type": "cylinder", "diameter": 0.6, "length": 7, "at": [8.0, 4.0, 4.5]}], "at": [0, 0, 56]},
        ]  # fmt: skip
        job = slot_job(
            self.folder,
            HEAD + "G0 X0. Y0.\nM5\nG91 G28 Z0.\nM30\n",
            bodies=bodies,
            checks={"resolution": 1.0, "excess": 9.0},
        )
        told = [f for f in rehearse(job, filmed=False).findings if "between the rays" in f.message]
        self.assertEqual([(f.kind, f.severity) for f in told], [("check.limit", "caution")])
        self.assertIn("'plate' about 0.", told[0].message)
        self.assertRegex(told[0].remedy, r"0\.4[012] mm or finer")
        quick = rehearse(job, filmed=False, quick=True)
        self.assertFalse([f for f in quick.findings if "between the rays" in f.message])


if __name__ == "__main__":
    unittest.main()
