"""How exact a cut part is, as a whole: planes, volumes that converge, and deviations from a design that is known to be off by so much.

Closed forms: a plunge of a cutter takes its own solid of revolution down to the depth (Pappus: V = 2π ∫ r(z)²/2 dz); two surfaces that
are parallel curves of one another lie their offset apart everywhere, and √2 of it at a square outer edge.
"""

import itertools
import math
import unittest
from typing import Any
from unittest import mock

import manifold3d
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.mesh import Mesh
from bluntmirror.material import stock as stock_module
from bluntmirror.material import volume_kernel
from bluntmirror.material.comparison import Comparison, compare
from bluntmirror.material.ends import Ends
from bluntmirror.material.stock import Batch, Stock, ToolSets

from .test_kernels import cut, tool

BLANK = [30.0, 26.0, 14.0]
TOP = BLANK[2] / 2
OFF = 0.1  # mm that a design is off
FINE = 1024  # facets of a design's circle: r 4 (1 − cos(π/1024)) = 0.00002
CUTTERS = {
    "end mill": ({"type": "end-mill", "diameter": 8}, 3.0, math.pi * 16 * 3),
    "ball mill": ({"type": "ball-mill", "diameter": 8}, 6.0, 2 / 3 * math.pi * 64 + math.pi * 16 * 2),
    # A torus corner of radius 2 about r 2: a disc of r 2, a quarter tube, and the cylinder above.
    "bull mill": ({"type": "end-mill", "diameter": 8, "corner_radius": 2}, 5.0,
                  math.pi * 4 * 2 + math.pi**2 * 2 * 4 / 2 + 2 / 3 * math.pi * 8 + math.pi * 16 * 3),
    "drill": ({"type": "drill", "diameter": 8, "point_angle": 90}, 7.0, math.pi * 16 * 4 / 3 + math.pi * 16 * 3),
    "chamfer mill": ({"type": "chamfer-mill", "diameter": 16, "tip_diameter": 2, "angle": 90}, 5.0,
                     math.pi * 5 / 3 * (1 + 6 + 36)),
}  # fmt: skip


def plunged(entry: dict[str, object], depth: float, grid: float, at: tuple[float, float] = (0.07, -0.11)) -> Stock:
    stock = Stock(meshes.box(BLANK), grid)
    cut(stock, tool(**entry), [[*at, TOP + 2], [*at, TOP - depth]])
    return stock


def solid(mesh: manifold3d.Manifold) -> Mesh:
    made = mesh.to_mesh()
    return Mesh(np.array(made.vert_properties[:, :3], float), np.array(made.tri_verts, np.int32))


def beside(stock: Stock, taken: manifold3d.Manifold) -> Comparison:
    """The stock beside the blank less what was meant to be taken."""
    design = solid(manifold3d.Manifold.cube(BLANK, True) - taken)
    return compare(stock, meshes.box(BLANK), design, 0.01, 0.01)


class Volumes(unittest.TestCase):
    def test_a_plunge_takes_its_closed_form_and_converges(self) -> None:
        for name, (entry, depth, volume) in CUTTERS.items():
            with self.subTest(name):
                errors = []
                for grid in (0.5, 0.25, 0.125):
                    left = plunged(entry, depth, grid).volume
                    errors.append(abs(math.prod(BLANK) - left - volume) / volume)
                self.assertLess(errors[1], 0.003)
                # Not on every step, since errors of either sign cancel by chance, but over two halvings.
                self.assertLess(errors[2], max(0.5 * errors[0], 2e-4))

    def test_planes_are_exact(self) -> None:
        ends = Ends.of(plunged(CUTTERS["end mill"][0], 3.0, 0.25))
        upright = np.abs(ends.outward[:, 2]) == 1
        heights = np.unique(ends.points[upright, 2])
        np.testing.assert_allclose(heights, [-TOP, TOP - 3.0, TOP], atol=1e-6)

    def test_shoulders_on_all_sides(self) -> None:
        """Milled down through the whole height beside each side, at places that the grid does not have: what is left is a box."""
        end_mill, reach = tool(type="end-mill", diameter=8, flute_length=20, reach=25), 4.0
        for grid in (0.5, 0.25):
            stock = Stock(meshes.box(BLANK), grid)
            x, y = BLANK[0] / 2 - 1.33 + reach, BLANK[1] / 2 - 2.71 + reach
            for path in ([[-30, -y], [30, -y]], [[-30, y], [30, y]], [[-x, -30], [-x, 30]], [[x, -30], [x, 30]]):
                cut(stock, end_mill, [[*place, -TOP - 1] for place in path])
            volume, torn = stock.measured()
            # But for the cells of its four upright edges, whose share is the mean of what two families say, not their product.
            edges = 4 * BLANK[2] * grid**2
            self.assertAlmostEqual(volume, 2 * (x - reach) * 2 * (y - reach) * BLANK[2], delta=0.5 * edges)
            self.assertEqual(torn, 0)

    @settings(max_examples=25, deadline=None)
    @given(st.lists(st.sampled_from([0.0, 1e-7, 1e-4, 0.004, 0.019, 0.03, 0.11, 0.25, -1e-7, -0.004, -0.019, -0.03]), min_size=4, max_size=4),
           st.sampled_from([0.5, 0.25, 0.03]))  # fmt: skip
    def test_blocks_that_are_told_as_a_whole_make_no_difference(self, off: list[float], grid: float) -> None:
        """Against looking at every cell: pockets whose walls and floor lie at, or hardly beside, the border of blocks of 16 cells."""
        block = 16 * grid
        stock = Stock(meshes.box([2.25 * block, 2 * block, 1.5 * block]), grid)
        low = -np.array([2.25, 2, 1.5]) * block / 2
        diameter = (
            block - off[0] * grid + off[1] * grid
        )  # of walls at x = one block less off[0] … two blocks less off[1]
        x = low[0] + 1.5 * block + 0.5 * (off[0] + off[1]) * grid
        y = low[1] + block + off[2] * grid + diameter / 2
        end_mill = tool(type="end-mill", diameter=diameter, flute_length=50, reach=60, shank_diameter=diameter)
        cut(
            stock,
            end_mill,
            [[x, y, low[2] + block + off[3] * grid], [x, y + 3 * block, low[2] + block + off[3] * grid]],
        )

        def mixed(*values: Any) -> NDArray[np.uint8]:
            return np.zeros((len(values[2]), -(-values[10] // volume_kernel.TILE)), np.uint8)

        slow = getattr(volume_kernel.layers, "py_func", volume_kernel.layers)
        with mock.patch.object(volume_kernel, "_blocks", mixed), mock.patch.object(stock_module, "layers", slow):
            every_cell = stock.measured()
        volume, torn = stock.measured()
        self.assertAlmostEqual(volume / every_cell[0], 1.0, delta=1e-7)
        self.assertEqual(torn, every_cell[1])


class Deviations(unittest.TestCase):
    """Of a design that is off by a known amount, either way: what is told as the most is that amount."""

    def test_round_faces(self) -> None:
        for grid, way in itertools.product((0.5, 0.25), (1, -1)):
            wanted = 4 + way * OFF
            middle = [0.07, -0.11, TOP - 2]
            dimple = manifold3d.Manifold.sphere(wanted, FINE) + manifold3d.Manifold.cylinder(5, wanted, wanted, FINE)
            with self.subTest(grid=grid, way=way):
                seen = beside(plunged(*CUTTERS["ball mill"][:2], grid), dimple.translate(middle))
                told = seen.excess_max if way > 0 else seen.gouge_max
                self.assertAlmostEqual(told, OFF, delta=0.005)

    def test_a_slanted_face(self) -> None:
        """The flank of a chamfer mill at 45°, its design lowered or raised along its own normal."""
        entry, depth, _ = CUTTERS["chamfer mill"]
        for grid, way in itertools.product((0.5, 0.25), (1, -1)):
            with self.subTest(grid=grid, way=way):
                r = 1 + way * OFF * (math.sqrt(2) - 1)  # of the small end, where floor and flank both go out by OFF
                cone = manifold3d.Manifold.cylinder(12, r, r + 12, FINE).translate(
                    [0.07, -0.11, TOP - depth - way * OFF]
                )
                seen = beside(plunged(entry, depth, grid), cone)
                told = seen.excess_max if way > 0 else seen.gouge_max
                # The ring where the floor meets the flank at 135° stands OFF / cos(22.5°) off the design's own ring.
                self.assertAlmostEqual(told, OFF / math.cos(math.radians(22.5)), delta=0.01)

    def test_an_edge(self) -> None:
        """A block milled square beside a design that is OFF smaller on two sides, or on all: its edges stand √2 OFF off, its corners √3,
        though no ray ends at either."""
        for grid in (0.5, 0.25):
            with self.subTest(grid=grid):
                design = manifold3d.Manifold.cube([BLANK[0] - 2 * OFF, BLANK[1] - 2 * OFF, BLANK[2]], True)
                seen = compare(Stock(meshes.box(BLANK), grid), meshes.box(BLANK), solid(design), 0.01, 0.01)
                self.assertAlmostEqual(seen.excess_max, math.sqrt(2) * OFF, delta=0.002)
                worst = seen.excess.points[seen.excess.worst]
                np.testing.assert_allclose(np.abs(worst[:2]), [BLANK[0] / 2, BLANK[1] / 2], atol=1e-4)
                design = manifold3d.Manifold.cube([side - 2 * OFF for side in BLANK], True)
                seen = compare(Stock(meshes.box(BLANK), grid), meshes.box(BLANK), solid(design), 0.01, 0.01)
                self.assertAlmostEqual(seen.excess_max, math.sqrt(3) * OFF, delta=0.002)

    def test_an_inner_edge(self) -> None:
        """A pocket milled OFF too deep and OFF too wide: along its bottom edge the gouge is √2 OFF."""
        for grid in (0.5, 0.25):
            with self.subTest(grid=grid):
                stock = Stock(meshes.box(BLANK), grid)
                cut(stock, tool(type="end-mill", diameter=8), [[-30, 0.07, TOP - 3], [30, 0.07, TOP - 3]])
                slot = manifold3d.Manifold.cube([80, 8 - 2 * OFF, 10], True).translate([0, 0.07, TOP - 3 + OFF + 5])
                seen = beside(stock, slot)
                self.assertAlmostEqual(seen.gouge_max, math.sqrt(2) * OFF, delta=0.02)

    def test_an_inner_edge_of_a_rounded_cutter(self) -> None:
        """A slot like that, cut by a mill with a corner of OFF, which lies between two rays: its round bottom edge is nowhere farther off than
        the faces beside it, √2 (OFF − r) + r with r = OFF."""
        mill = tool(type="end-mill", diameter=8, corner_radius=OFF)
        for grid in (0.5, 0.25):
            with self.subTest(grid=grid):
                stock = Stock(meshes.box(BLANK), grid)
                cut(stock, mill, [[-30, 0.07, TOP - 3], [30, 0.07, TOP - 3]])
                slot = manifold3d.Manifold.cube([80, 8 - 2 * OFF, 10], True).translate([0, 0.07, TOP - 3 + OFF + 5])
                design = solid(manifold3d.Manifold.cube(BLANK, True) - slot)
                seen = compare(stock, meshes.box(BLANK), design, 0.01, 0.01, keen=np.array([mill.is_keen]))
                self.assertAlmostEqual(seen.gouge_max, OFF, delta=0.002)

    def test_an_edge_that_turns_by_less(self) -> None:
        """The upper edges of a groove with slanted flanks, top and flank both OFF too high over a stretch in its middle: where the surface
        turns by φ its edge stands OFF / cos(φ/2) off the design's."""
        for grid, angle, yaw in ((0.5, 24, 0), (0.25, 60, 0), (0.25, 40, 27), (0.5, 90, 27)):
            with self.subTest(grid=grid, angle=angle, yaw=yaw):
                half, bottom = math.radians(angle / 2), TOP - 5
                stock = Stock(meshes.box(BLANK), grid)
                turned = np.array([math.cos(math.radians(yaw)), math.sin(math.radians(yaw))])
                cut(stock, tool(type="chamfer-mill", diameter=16, tip_diameter=2, angle=angle),
                    [[*(-40 * turned), bottom], [*(40 * turned), bottom]])  # fmt: skip
                wide = 12 * math.tan(half)

                def groove(
                    r: float, wide: float = wide, bottom: float = bottom, yaw: float = yaw
                ) -> manifold3d.Manifold:
                    section = manifold3d.CrossSection([[(-r, 0), (r, 0), (r + wide, 12), (-r - wide, 12)]])
                    along = manifold3d.Manifold.extrude(section, 80).rotate([90, 0, 90]).translate([-40, 0, bottom])
                    return along.rotate([0, 0, yaw])

                band = manifold3d.Manifold.cube([12, 60, 60], True).rotate([0, 0, yaw])
                above = manifold3d.Manifold.cube([60, 60, 10], True).translate([0, 0, TOP - OFF + 5])
                seen = beside(stock, groove(1) + (band ^ (groove(1 + OFF / math.cos(half)) + above)))
                self.assertAlmostEqual(seen.excess_max, OFF / math.cos((math.pi / 2 - half) / 2), delta=0.002)

    def test_an_edge_of_a_round_face(self) -> None:
        """A boss milled round, by one motion or by many short ones, top and wall both OFF too far out over a seventh of its edge."""
        around = np.linspace(0, 2 * math.pi, 361)
        sector = manifold3d.CrossSection([[(0, 0), (20, 4), (20, 30)]])
        wedge = manifold3d.Manifold.extrude(sector, 40).translate([0, 0, -20])
        for grid, radius, motions in ((0.5, 6, 1), (0.5, 6, 360), (0.25, 3, 1), (0.25, 3, 360)):
            with self.subTest(grid=grid, radius=radius, motions=motions):
                stock = Stock(meshes.box(BLANK), grid)
                path = np.column_stack(
                    [(radius + 4) * np.cos(around), (radius + 4) * np.sin(around), np.full(361, TOP - 3)]
                )
                end_mill, n = tool(type="end-mill", diameter=8), 360
                tags = np.arange(n, dtype=np.int32) * motions // n
                stock.cut(Batch(path[:-1], np.diff(path, axis=0), np.zeros(n, np.int64), np.ones(n, np.int64), tags),
                          ToolSets.of([end_mill]))  # fmt: skip
                whole, less = (manifold3d.Manifold.cylinder(10, r, r, FINE) for r in (radius, radius - OFF))
                ring = manifold3d.Manifold.cylinder(10, radius + 8, radius + 8, FINE) - (
                    whole - ((whole - less) ^ wedge)
                )
                above = manifold3d.Manifold.cube([60, 60, 10], True).translate([0, 0, TOP - OFF + 5])
                seen = beside(stock, ring.translate([0, 0, TOP - 3]) + (above ^ wedge))
                self.assertAlmostEqual(seen.excess_max, math.sqrt(2) * OFF, delta=0.01)

    def test_a_slope_has_no_edges(self) -> None:
        """What stands evenly off a slanted face, or a round one, is told as that: edges are not invented."""
        entry, depth, _ = CUTTERS["ball mill"]
        dimple = manifold3d.Manifold.sphere(4.3, FINE) + manifold3d.Manifold.cylinder(5, 4.3, 4.3, FINE)
        for grid in (0.5, 0.25):
            seen = beside(plunged(entry, depth, grid), dimple.translate([0.07, -0.11, TOP - 2]))
            self.assertAlmostEqual(seen.excess_max, 0.3, delta=0.005)


if __name__ == "__main__":
    unittest.main()
