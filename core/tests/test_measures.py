"""Measures of a finished part: readings in closed form, with a design and without one, turned, and as findings of a job."""

import csv
import io
import math
import tempfile
import unittest
from pathlib import Path

import manifold3d
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from bluntmirror.export.measures import as_csv
from bluntmirror.export.report import as_html
from bluntmirror.export.verdict import causes, verdict_dict
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.fits import Cylinder, Plane, fit_cylinder, fit_plane, form, square_to
from bluntmirror.geometry.mesh import Mesh
from bluntmirror.material.ends import Ends
from bluntmirror.material.measures import Kind, Measured, On, Part, Place
from bluntmirror.material.stock import Stock
from bluntmirror.rehearsal import rehearse
from bluntmirror.rehearsal.measuring import MEASURE, Kept, packed, part_of, take

from .build import HEAD, slot_job
from .test_kernels import cut, tool

MILL = {"type": "end-mill", "diameter": 6}
EXACT = 1e-5  # rays are kept in float32: 2⁻²⁴ of 40 mm is 2e-6


def measured(part: Part, kind: Kind, *places: tuple[On, tuple[float, float, float]]) -> Measured:
    return part.measure(kind, [Place(on, np.array(at, float)) for on, at in places])


def value(part: Part, kind: Kind, *places: tuple[On, tuple[float, float, float]]) -> float:
    found = measured(part, kind, *places)
    assert found.actual is not None and found.actual.value is not None, found.why
    return found.actual.value


def plate() -> Stock:
    """40 × 30 × 12 about the origin: a through hole and a blind one with the D6 mill, 10 apart; two slots with a wall of 1.9 left."""
    stock = Stock(meshes.box([40, 30, 12]), 0.25)
    cut(stock, tool(**MILL), [[-10, 0, 8], [-10, 0, -7]])
    cut(stock, tool(**MILL), [[-10, 10, 8], [-10, 10, 2]])
    cut(stock, tool(**MILL), [[5, -20, 1], [5, 20, 1]])
    cut(stock, tool(**MILL), [[12.9, -20, 1], [12.9, 20, 1]])
    return stock


unit = (
    st.tuples(*[st.floats(-1, 1)] * 3)
    .filter(lambda v: math.hypot(*v) > 0.2)
    .map(lambda v: np.array(v) / math.hypot(*v))
)


class Fits(unittest.TestCase):
    @given(unit, st.floats(1, 40), st.integers(0, 10_000))
    @settings(max_examples=30)
    def test_the_least_squares_cylinder_is_scipys(self, axis: np.ndarray, radius: float, seed: int) -> None:
        chance = np.random.default_rng(seed)
        u, v = square_to(axis)
        angle, along = chance.uniform(0, 4, 200), chance.uniform(-8, 8, 200)
        away = radius + chance.normal(0, 0.01, 200)
        points = (
            [3, -2, 5]
            + away[:, None] * (np.cos(angle)[:, None] * u + np.sin(angle)[:, None] * v)
            + along[:, None] * axis
        )
        start = Cylinder(np.array([3.0, -2.0, 5.0]) + 0.05 * u, axis + 0.02 * v, 1.02 * radius)
        found = fit_cylinder(points, start)
        assert found is not None

        def off(x: np.ndarray) -> np.ndarray:
            way = axis + x[3] * u + x[4] * v
            return Cylinder(np.array([3, -2, 5]) + x[0] * u + x[1] * v, way / np.linalg.norm(way), x[2]).off(points)

        judge = least_squares(off, [0, 0, radius, 0, 0], xtol=1e-14, ftol=1e-14, gtol=1e-14)
        self.assertAlmostEqual(found.radius, judge.x[2], places=6)
        self.assertAlmostEqual(float((found.off(points) ** 2).sum()), 2 * judge.cost, places=9)

    @given(unit, st.integers(0, 10_000))
    @settings(max_examples=30)
    def test_a_plane_and_its_flatness(self, normal: np.ndarray, seed: int) -> None:
        u, v = square_to(normal)
        flat = np.random.default_rng(seed).uniform(-10, 10, (100, 2))
        points = flat[:, :1] * u + flat[:, 1:] * v + [1, 2, 3]
        self.assertAlmostEqual(abs(float(fit_plane(points).normal @ normal)), 1.0)
        self.assertLess(form(fit_plane(points), points), 1e-9)
        # One end lifted and one lowered alike, mirrored in the middle: the plane stays, and the form is their distance.
        pair = np.array([-0.02, 0.02])[:, None] * normal + [1, 2, 3]
        self.assertAlmostEqual(form(Plane(np.array([1.0, 2, 3]), normal), np.concatenate([points, pair])), 0.04)


class OnStock(unittest.TestCase):
    """Without a design: what is found around the place pointed at."""

    part = Part(Ends.of(plate()), None)

    def test_readings_in_closed_form(self) -> None:
        part = self.part
        for expected, kind, *places in (
            (6.0, "diameter", ("axis", (-7, 0, 2))),
            (6.0, "diameter", ("axis", (-10, 13, 4))),
            (10.0, "distance", ("axis", (-7, 0, 2)), ("axis", (-10, 13, 4))),
            (5.0, "distance", ("face", (0, 10, 6)), ("face", (5, 0, 1))),
            (4.0, "distance", ("face", (0, 10, 6)), ("face", (-10, 10, 2))),
            (10.0, "distance", ("axis", (-7, 0, 2)), ("face", (-20, 5, 0))),
            (40.0, "distance", ("edge", (-20, 0, 6)), ("face", (20, 0, 0))),
            (math.sqrt(40**2 + 30**2), "distance", ("corner", (-20, -15, 6)), ("corner", (20, 15, 6))),
            (40.0, "distance", ("point", (-20, 1, 0.1)), ("point", (20, 1, 0.1))),
            (1.9, "wall", ("face", (8, 3, 4))),
            (8.0, "wall", ("face", (-10, 10, 2))),
            (7.0, "wall", ("face", (-20, 0.1, 0))),  # from the side to the hole: 20 − 10 − 3
            (0.0, "flatness", ("face", (0, -10, 6))),
            (90.0, "angle", ("face", (-20, 0, 0)), ("face", (0, 0, -6))),
            (90.0, "angle", ("axis", (-7, 0, 2)), ("face", (0, 10, 6))),
        ):  # fmt: skip
            with self.subTest(kind, places=places):
                # Between the rays a round wall comes nearer by less than cell²/8r = 0.0026 mm.
                slack = 0.003 if expected == 7.0 else EXACT
                self.assertAlmostEqual(value(part, kind, *places), expected, delta=slack)  # type: ignore[arg-type]

    def test_a_wall_is_as_thick_as_it_is_at_its_thinnest(self) -> None:
        """A wedge, 3 thick at one end and 2 at the other: wherever it is pointed at, 2 is told, half a cell short of its edge."""
        part = Part(Ends.of(Stock(meshes.extrude([(0, 0), (20, 0), (20, 2), (0, 3)], 10), 0.25)), None)
        for x in (2, 10, 18):
            found = measured(part, "wall", ("face", (x, 0, 0))).actual
            assert found is not None and found.value is not None
            self.assertAlmostEqual(found.value, 2.0, delta=0.02)
            self.assertGreater(found.feet[0][0], 19.5)

    def test_parts_of_a_distance(self) -> None:
        found = measured(self.part, "distance", ("corner", (-20, -15, 6)), ("corner", (20, 15, 6))).actual
        assert found is not None and found.parts is not None
        np.testing.assert_allclose(found.parts, [40, 30, 0], atol=EXACT)

    def test_what_is_not_there_is_said(self) -> None:
        for kind, *places in (
            ("diameter", ("axis", (0, 10, 6))),
            ("distance", ("face", (-20, 0, 0)), ("face", (0, 0, -6))),
            ("distance", ("point", (-20, 0, 40)), ("point", (20, 0, 0))),
            ("flatness", ("face", (0, 0, 90))),
        ):  # fmt: skip
            with self.subTest(kind, places=places):
                found = measured(self.part, kind, *places)  # type: ignore[arg-type]
                self.assertIsNone(found.actual)
                self.assertTrue(found.why)

    def test_turned_in_the_grid_it_measures_the_same(self) -> None:
        """Metamorphic: the part drawn turned, so that no face of it stands along a ray."""
        turn = Rotation.from_euler("xyz", [17, 9, 31], degrees=True).as_matrix()
        hole = manifold3d.Manifold.cylinder(20, 3, 3, 256, True)
        solid = manifold3d.Manifold.cube([40, 30, 12], True) - hole
        slot = manifold3d.Manifold.cube([6, 40, 10], True)
        mesh = (solid - slot.translate([-9, 0, 6]) - slot.translate([-16.5, 0, 6])).to_mesh()
        stock = Stock(
            Mesh(np.array(mesh.vert_properties[:, :3], float) @ turn.T, np.array(mesh.tri_verts, np.int32)), 0.25
        )
        part = Part(Ends.of(stock), None)

        def at(x: float, y: float, z: float) -> tuple[float, float, float]:
            a, b, c = turn @ [x, y, z]
            return a, b, c

        # 256 facets stand off a circle of r 3 by 3 (1 − cos(π/256)) = 0.0002.
        self.assertAlmostEqual(value(part, "diameter", ("axis", at(3, 0, 0))), 6.0, delta=0.0005)
        self.assertAlmostEqual(
            value(part, "distance", ("face", at(12, 10, 6)), ("face", at(12, 10, -6))), 12.0, delta=1e-4
        )
        self.assertAlmostEqual(value(part, "wall", ("face", at(-12, 0, 4))), 1.5, delta=1e-4)
        self.assertAlmostEqual(value(part, "distance", ("axis", at(3, 0, 0)), ("face", at(20, 3, 0))), 20.0, delta=1e-3)


class BesideDesign(unittest.TestCase):
    """Nominal off the design, actual off the stock that is not quite it."""

    def setUp(self) -> None:
        hole = manifold3d.Manifold.cylinder(20, 3.01, 3.01, 512, True).translate([-10, 0, 0])
        slot = manifold3d.Manifold.cube([6, 40, 10], True)
        solid = (
            manifold3d.Manifold.cube([40, 30, 12], True) - hole - slot.translate([5, 0, 6]) - slot.translate([13, 0, 6])
        )
        mesh = solid.to_mesh()
        self.design = Mesh(np.array(mesh.vert_properties[:, :3], float), np.array(mesh.tri_verts, np.int32))
        self.part = Part(Ends.of(plate()), self.design)

    def test_nominal_and_actual(self) -> None:
        for kind, nominal, actual, *places in (
            ("diameter", 6.02, 6.0, ("axis", (-7, 0, 2))),
            ("wall", 2.0, 1.9, ("face", (8, 3, 4))),
            ("distance", 8.0, 7.9, ("face", (2, 0, 3)), ("face", (9.9, 0, 3))),
            ("distance", 10.0, 10.0, ("axis", (-7, 0, 2)), ("face", (-20, 5, 0))),
        ):
            with self.subTest(kind):
                found = measured(self.part, kind, *places)  # type: ignore[arg-type]
                assert found.nominal and found.actual and found.nominal.value and found.actual.value, found.why
                self.assertAlmostEqual(found.nominal.value, nominal, places=3)
                self.assertAlmostEqual(found.actual.value, actual, places=4)

    def test_how_coarse_the_design_is_drawn_is_told(self) -> None:
        found = measured(self.part, "diameter", ("axis", (-7, 0, 2))).nominal
        assert found is not None
        # 512 sides: the middle of one stands r (1 − cos(π/512)) inside the corners, on either side.
        self.assertAlmostEqual(found.facets, 2 * 3.01 * (1 - math.cos(math.pi / 512)), places=5)

    def test_a_face_of_the_design_is_all_of_the_stock_that_is_to_be_it(self) -> None:
        """A floor cut 0.3 too deep over a part of it: pointing at the sound part, flatness is the step; without the design it is
        0, since the floor hangs together only as far as it is flat."""
        stock = plate()
        cut(stock, tool(**MILL), [[5, -20, 0.7], [5, -10, 0.7]])
        spot: tuple[On, tuple[float, float, float]] = ("face", (5, 8, 1))
        self.assertAlmostEqual(value(Part(Ends.of(stock), None), "flatness", spot), 0.0, places=5)
        off = value(Part(Ends.of(stock), self.design), "flatness", spot)
        # About the least-squares plane, which leans; between the step and the whole lean of it.
        self.assertTrue(0.3 < off < 0.5, off)

    def test_what_borders_on_a_face_is_none_of_it(self) -> None:
        """A slot 1 deep and to be 8 wide, milled 7.6 wide: the strips of 0.2 left along its walls stand over the design's floor, and are
        walls left too thick, not a floor that is 1 too high."""
        slot = manifold3d.Manifold.cube([8, 40, 1], True).translate([0.05, 0, 5.5])
        mesh = (manifold3d.Manifold.cube([40, 30, 12], True) - slot).to_mesh()
        design = Mesh(np.array(mesh.vert_properties[:, :3], float), np.array(mesh.tri_verts, np.int32))
        stock = Stock(meshes.box([40, 30, 12]), 0.25)
        cut(stock, tool(type="end-mill", diameter=7.6), [[0.05, -20, 5], [0.05, 20, 5]])
        part = Part(Ends.of(stock), design)
        self.assertAlmostEqual(value(part, "flatness", ("face", (0, 3, 5))), 0.0, places=5)
        self.assertAlmostEqual(value(part, "distance", ("face", (0, 3, 5)), ("face", (12, 3, 6))), 1.0, places=5)

    def test_where_the_stock_has_no_such_face_it_says_so(self) -> None:
        found = measured(
            Part(Ends.of(Stock(meshes.box([40, 30, 12]), 0.5)), self.design), "diameter", ("axis", (-7, 0, 2))
        )
        self.assertIsNone(found.actual)
        assert found.nominal is not None and found.nominal.value is not None
        self.assertAlmostEqual(found.nominal.value, 6.02, places=3)


class OfAJob(unittest.TestCase):
    program = HEAD + "G1 Z-5. F200\nG1 X40. F800\nG0 Z20.\nG28 G91 Z0.\nM30\n"

    def rehearsed(self, *measures: dict[str, object], program: str = ""):  # type: ignore[no-untyped-def]
        with tempfile.TemporaryDirectory() as folder:
            job = slot_job(Path(folder), program or self.program, measures=list(measures))
            return rehearse(job, filmed=False)

    def width(self, **changes: object) -> dict[str, object]:
        probe = self.rehearsed()
        cut_stock = probe.stocks[0]
        low, high = (cut_stock.frame @ [*corner, 1.0] for corner in _bounds(cut_stock))
        middle = 0.5 * (low + high)
        return {
            "name": "height", "stock": cut_stock.name, "kind": "distance",
            "places": [{"on": "face", "at": [float(low[0]) + 2, float(low[1]) + 2, float(high[2])]},
                       {"on": "face", "at": [float(middle[0]), float(middle[1]), float(low[2])]}],
            "nominal": float(high[2] - low[2]) - 0.02, **changes,
        }  # fmt: skip

    def test_out_of_tolerance_is_told_where_it_was_made(self) -> None:
        result = self.rehearsed(
            self.width(tolerance=[-0.01, 0.01]), self.width(name="loosely", tolerance=[-0.05, 0.05])
        )
        verdict = verdict_dict(result)
        first, second = verdict["measures"]
        self.assertAlmostEqual(first["off"], 0.02, places=4)
        self.assertIs(first["within"], False)
        self.assertIs(second["within"], True)
        found = [item for item in verdict["findings"] if item["kind"] == "material.measure"]
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0]["amount"], 0.01, places=3)
        self.assertNotEqual(verdict["verdict"], "clear")
        self.assertIn("out of tolerance", as_html(result))
        table = list(csv.DictReader(io.StringIO(as_csv(verdict["measures"]))))
        self.assertEqual([row["within"] for row in table], ["no", "yes"])

    def test_two_measures_out_of_tolerance_are_two_causes(self) -> None:
        result = self.rehearsed(*(self.width(name=name, tolerance=[-0.01, 0.01]) for name in ("one", "other")))
        mine = [
            cause
            for cause, item in zip(causes(result), result.findings, strict=True)
            if item.kind == "material.measure"
        ]
        self.assertEqual(len(set(mine)), 2)

    def test_what_cannot_be_taken_or_judged_is_told(self) -> None:
        bad = self.width(places=[{"on": "point", "at": [0, 0, 5000]}, {"on": "point", "at": [0, 0, 0]}])
        for measure in (bad, self.width(nominal=None, tolerance=[0, 1]), self.width(stock="nothing")):
            result = self.rehearsed(measure)
            self.assertIn("check.limit", [item.kind for item in result.findings])
            self.assertNotEqual(result.verdict, "clear")

    def test_what_is_kept_of_a_rehearsal_measures_alike(self) -> None:
        result = self.rehearsed(measure := self.width())
        model = MEASURE.validate_python(measure)
        kept = Kept.of(packed(result, [model]))
        self.assertEqual(kept.measures, [model])
        now, later = take(model, part_of(result.stocks[0])), take(model, kept.parts[result.stocks[0].name])
        assert now.actual is not None and later.actual is not None
        self.assertEqual(now.actual, later.actual)


def _bounds(cut_stock) -> np.ndarray:  # type: ignore[no-untyped-def]
    points = Ends.of(cut_stock.stock).points
    return np.array([points.min(axis=0), points.max(axis=0)])


if __name__ == "__main__":
    unittest.main()
