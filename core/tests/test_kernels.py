"""Kernels against slow, obvious twins, closed forms and general-purpose libraries."""

import itertools
import math
import unittest

import coal
import manifold3d
import numba
import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from bluntmirror.contact.bodies import NO_PIECES, closest_points
from bluntmirror.contact.clearance_kernel import clearance, triangle_distance2
from bluntmirror.contact.march_kernel import SLID, Seen, march
from bluntmirror.contact.program import sliding, triangles_of
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.box_tree import box_tree
from bluntmirror.geometry.distance_kernel import closest_on_triangle
from bluntmirror.geometry.frames import apply, frame
from bluntmirror.job.models import ToolEntry
from bluntmirror.material.film import Film
from bluntmirror.material.stock import Batch, Stock, ToolSets
from bluntmirror.material.sweep_kernel import meet, slab_radius
from bluntmirror.timeline.law_kernel import time_at, time_law, trapezoid, way_at
from bluntmirror.tools import Assembly, build_assembly

MILL = {"flute_length": 12, "reach": 30, "shank_diameter": 6}


def tool(number: int = 1, **cutter: object) -> Assembly:
    entry = {
        "number": number,
        "cutter": {**MILL, **cutter},
        "length": 60,
        "holder": {"segments": [{"diameter": 30, "length": 30}]},
    }
    return build_assembly(ToolEntry.model_validate(entry))


FLAT = {"type": "end-mill", "diameter": 6}
BULL = {"type": "end-mill", "diameter": 6, "corner_radius": 1}
BALL = {"type": "ball-mill", "diameter": 6}
DRILL = {"type": "drill", "diameter": 6, "point_angle": 118}
CHAMFER = {"type": "chamfer-mill", "diameter": 6, "tip_diameter": 1, "angle": 90}
DOVETAIL = {"type": "dovetail", "diameter": 6, "angle": 60, "flute_length": 4}
CUTTERS = (FLAT, BULL, BALL, DRILL, CHAMFER, DOVETAIL)


class Tools(unittest.TestCase):
    def test_a_118_degree_point_is_0_3004_diameters_high(self) -> None:
        # Handbook figure for the standard twist drill: point length ≈ 0.3004 · D.
        self.assertAlmostEqual(tool(**DRILL).cutting[0, 2] / 6, 0.3004, places=4)

    def test_solids_are_closed_and_round_bodies_keep_their_volume(self) -> None:
        for cutter in CUTTERS:
            for mesh in tool(**cutter).meshes().values():
                self.assertTrue(mesh.closed and mesh.volume > 0)
        self.assertAlmostEqual(meshes.cylinder(10, 5).volume, math.pi * 125, places=6)


def brute(
    direction: int, slab: np.ndarray, start: np.ndarray, delta: np.ndarray, u: float, v: float, steps: int = 4001
):
    """The twin: stand the tool at many moments and take the outermost ends met."""
    t = np.linspace(0, 1, steps)
    at = start + t[:, None] * delta
    if direction == 2:
        d = np.hypot(u - at[:, 0], v - at[:, 1])
        h = np.linspace(slab[1], slab[2], 2001)
        r = np.array([slab_radius(slab[None], 0, x) for x in h])
        low, high = np.inf, -np.inf
        for moment, distance in enumerate(d[:: steps // 400]):
            inside = h[r >= distance]
            if len(inside):
                z = at[moment * (steps // 400), 2]
                low, high = min(low, z + inside[0]), max(high, z + inside[-1])
        return low, high
    along, lateral = (0, 1) if direction == 0 else (1, 0)
    h = v - at[:, 2]
    inside = (h >= slab[1]) & (h <= slab[2])
    r = np.array([slab_radius(slab[None], 0, x) for x in h])
    q = r**2 - (u - at[:, lateral]) ** 2
    ok = inside & (q >= 0) & (r >= 0)
    if not ok.any():
        return np.inf, -np.inf
    half = np.sqrt(q[ok])
    return float((at[ok, along] - half).min()), float((at[ok, along] + half).max())


number = st.floats(-6, 6).map(lambda x: round(x, 3))


class Sweeps(unittest.TestCase):
    @given(st.sampled_from(CUTTERS), st.integers(0, 2), st.tuples(number, number, number), number, number)
    @settings(max_examples=250)
    def test_against_standing_the_tool_at_many_moments(self, cutter, direction, delta, u, v) -> None:
        step = np.array(delta, float)
        for slab in tool(**cutter).cutting:
            met, lo, hi = meet(direction, slab[None], 0, 0.0, 0.0, 0.0, *step, u, v)
            low, high = brute(direction, slab, np.zeros(3), step, u, v)
            if np.isfinite(low) and high - low > 1e-6:
                # Exact ends reach at least as far as those of any sampled moment, and hardly farther.
                self.assertTrue(met)
                self.assertLessEqual(lo, low + 1e-9)
                self.assertGreaterEqual(hi, high - 1e-9)
            if met and np.isfinite(low) and high - low > 0.5:
                self.assertAlmostEqual(lo, low, delta=0.15)
                self.assertAlmostEqual(hi, high, delta=0.15)


def cut(stock: Stock, assembly: Assembly, path: list[list[float]], flags: int = 1):
    points = np.array(path, float)
    n = len(points) - 1
    batch = Batch(
        points[:-1], np.diff(points, axis=0), np.zeros(n, np.int64), np.full(n, flags), np.arange(n, dtype=np.int32)
    )
    return stock.cut(batch, ToolSets.of([assembly]))


ZIGZAG = [[-22, -8, 9], [18, -8, 7.5], [18, 3, 7.5], [-16, 9, 6], [0, 0, 4], [0, 0, 12]]


class Material(unittest.TestCase):
    def test_volumes_against_solid_booleans(self) -> None:
        for cutter in (FLAT, BALL, DRILL, CHAMFER, BULL):
            with self.subTest(cutter["type"]):
                assembly = tool(**cutter)
                stock = Stock(meshes.box([40, 30, 20]), 0.2)
                cut(stock, assembly, ZIGZAG)
                solid = manifold3d.Manifold.cube([40, 30, 20], True)
                body = assembly.meshes()["cutter"]
                for a, b in itertools.pairwise(ZIGZAG):
                    # A convex cutter's sweep is the hull of its two ends.
                    ends = np.concatenate([body.vertices + a, body.vertices + b]) + [0, 0, assembly.length]
                    solid -= manifold3d.Manifold.hull_points(ends)
                removed = 24_000 - solid.volume()
                self.assertAlmostEqual((24_000 - stock.volume) / removed, 1.0, delta=0.01)
                self.assertLess(max(stock.volumes) - min(stock.volumes), 0.02 * removed)

    def test_cusps_of_a_ball_in_closed_form(self) -> None:
        # Two parallel passes p apart leave a cusp of R − √(R² − (p/2)²).
        stock = Stock(meshes.box([20, 20, 10]), 0.1)
        cut(stock, tool(**BALL), [[-15, -0.5, 2], [15, -0.5, 2], [15, 0.5, 2], [-15, 0.5, 2]])
        _u, v, slot = stock.rays[2].ends()
        y = stock.lattice.centres(1)[v]
        top = stock.rays[2].hi[slot]
        for place, height in zip(y, top, strict=True):
            if abs(place) < 0.5:
                self.assertAlmostEqual(height, 2 + 3 - math.sqrt(9 - (0.5 - abs(place)) ** 2), places=4)

    def test_any_number_of_threads_gives_the_same_bits(self) -> None:
        looks = []
        rng = np.random.default_rng(3)
        path = np.column_stack([rng.uniform(-20, 20, (400, 2)), rng.uniform(3, 10, 400)]).tolist()
        keep = numba.get_num_threads()
        self.addCleanup(numba.set_num_threads, keep)
        for threads in {1, min(2, numba.config.NUMBA_NUM_THREADS)}:
            numba.set_num_threads(threads)
            stock = Stock(meshes.box([40, 30, 20]), 0.5)
            cut(stock, tool(**BULL), path)
            looks.append(
                [(slots := r.ends()[2], r.lo[slots], r.hi[slots], r.tag_lo[slots], r.tag_hi[slots]) for r in stock.rays]
            )
        for one, other in zip(*looks, strict=True) if len(looks) > 1 else []:
            for mine, its in zip(one, other, strict=True):
                np.testing.assert_array_equal(mine, its)

    def test_holder_and_rapid_are_noticed_to_their_depth(self) -> None:
        stock = Stock(meshes.box([40, 30, 20]), 0.5)
        answer = cut(stock, tool(**FLAT), [[-30, 0, 8], [30, 0, 8]], flags=0b11)
        self.assertAlmostEqual(answer.depth[0, 1], 2.0, places=4)
        deep = Stock(meshes.box([40, 30, 60]), 0.5)
        answer = cut(deep, tool(**FLAT), [[0, 0, 40], [0, 0, -2]], flags=0b1001)
        # Tip at −2, holder face 30 above the tip, stock top at 30: 2 mm into it.
        self.assertAlmostEqual(answer.depth[0, 3], 2.0, places=4)

    def test_the_surface_is_closed_and_holds_the_volume(self) -> None:
        stock = Stock(meshes.box([40, 30, 20]), 0.5)
        cut(stock, tool(**BALL), ZIGZAG)
        film = Film(stock)
        film.shoot(0.0)
        surface = film.final_mesh()
        self.assertTrue(surface.closed)
        self.assertAlmostEqual(surface.volume / stock.volume, 1.0, delta=0.002)


class Contact(unittest.TestCase):
    def setUp(self) -> None:
        self.a = meshes.revolve([[0, 0], [8, 0], [3, 12], [0, 12]], tolerance=0.2)
        self.b = meshes.extrude([[0, 0], [20, 0], [20, 5], [5, 5], [5, 15], [0, 15]], 6)
        self.ta, self.tb = box_tree(self.a), box_tree(self.b)

    def near(self, shift: np.ndarray) -> float:
        pair, stack = np.zeros(2, np.int64), np.empty((256, 2), np.int64)
        a, b = self.ta, self.tb
        return clearance(a.triangles, a.boxes, a.nodes, b.triangles, b.boxes, b.nodes, shift, pair, stack, np.inf)

    def test_clearance_against_a_reference_library(self) -> None:
        def model(mesh: meshes.Mesh) -> coal.BVHModelOBBRSS:
            made = coal.BVHModelOBBRSS()
            made.beginModel(len(mesh.faces), len(mesh.vertices))
            points, faces = coal.StdVec_Vec3s(), coal.StdVec_Triangle()
            points.extend(list(mesh.vertices))
            faces.extend([coal.Triangle(*map(int, f)) for f in mesh.faces])
            made.addSubModel(points, faces)
            made.endModel()
            return made

        one, other = model(self.a), model(self.b)
        rng = np.random.default_rng(5)
        apart = 0
        for _ in range(150):
            shift = rng.uniform(-40, 40, 3)
            result = coal.DistanceResult()
            place = coal.Transform3s(np.eye(3), shift)
            theirs = coal.distance(one, coal.Transform3s(), other, place, coal.DistanceRequest(), result)
            if theirs > 1e-6:
                apart += 1
                self.assertAlmostEqual(self.near(shift), theirs, places=6)
            else:
                self.assertEqual(self.near(shift), 0.0)
        self.assertGreater(apart, 80)

    @given(st.lists(st.tuples(*[st.floats(-20, 20)] * 3), min_size=6, max_size=6))
    @example(
        [
            (-18.0, 0.001953125, 0.0),
            (0.0, 0.0, 0.0),
            (1.0, 0.0, 0.0),
            (-6.0, 0.0, 0.0),
            (0.0, 0.0, 1.0),
            (0.0, 1.0, 1.0),
        ]
    )  # a sliver
    @settings(max_examples=150)
    def test_closest_points_of_two_triangles(self, corners: list[tuple[float, float, float]]) -> None:
        one, other = np.array(corners[:3]), np.array(corners[3:])
        if min(np.linalg.norm(np.cross(t[1] - t[0], t[2] - t[0])) for t in (one, other)) < 1e-3:
            return
        least = math.sqrt(triangle_distance2(one, other, np.zeros(3), np.inf))
        if least > 0.0:
            a, b = closest_points(one, other)
            self.assertAlmostEqual(float(np.linalg.norm(a - b)), least, places=6)
            for point, triangle in ((a, one), (b, other)):  # each lies on its own triangle
                away = closest_on_triangle(triangle, *point)[:3]
                self.assertLess(float(np.linalg.norm(point - np.array(away))), 1e-6)

    @given(st.lists(st.tuples(*[st.floats(-40, 40)] * 3), min_size=2, max_size=6))
    @settings(max_examples=60)
    def test_nothing_is_stepped_over(self, corners: list[tuple[float, float, float]]) -> None:
        shifts = np.array(corners)
        m = len(shifts) - 1
        seen = hit, *_ = Seen(np.zeros(m, np.int8), np.zeros(m), np.full(m, np.inf))
        margin, _ = march(SLID, triangles_of(self.ta), triangles_of(self.tb), NO_PIECES, NO_PIECES,
                          sliding(shifts, np.ones(m, np.bool_)), 1.0, seen, 0, m, np.inf, -1)  # fmt: skip
        least = np.inf
        for i in range(m):
            dense = min(self.near(shifts[i] + s * (shifts[i + 1] - shifts[i])) for s in np.linspace(0, 1, 60))
            least = min(least, dense)
            if dense == 0.0:
                self.assertEqual(hit[i], 2)
            elif dense < 0.98:
                self.assertGreaterEqual(hit[i], 1)
        self.assertLessEqual(margin, 2.0 * least + 1e-3)  # surfaces this near count as touching


class Law(unittest.TestCase):
    def one(self, length: float, v: float, a: float) -> float:
        tangent = np.array([[1.0]])
        return float(time_law(np.array([length]), np.array([v]), np.array([a]), tangent, tangent, np.array([False]),
                              np.array([a]), 0.004)[3][0])  # fmt: skip

    def test_trapezoid_and_triangle_in_closed_form(self) -> None:
        # Long enough to reach v: t = s/v + v/a; else t = 2·√(s/a).
        self.assertAlmostEqual(self.one(100, 50, 500), 100 / 50 + 50 / 500)
        self.assertAlmostEqual(self.one(1, 50, 500), 2 * math.sqrt(1 / 500))

    def test_straight_runs_do_not_slow_down_and_reversals_stop(self) -> None:
        n = 10
        ones, forth = np.ones(n), np.ones((n, 1))
        links = np.ones(n, np.bool_)
        v_in, v_out, _, duration = time_law(
            10 * ones, 50 * ones, 500 * ones, forth, forth, links, np.array([500.0]), 0.004
        )
        self.assertAlmostEqual(duration.sum(), 100 / 50 + 50 / 500)
        self.assertTrue((v_out[:-1] == v_in[1:]).all())
        back = forth * np.where(np.arange(n) % 2 == 0, 1.0, -1.0)[:, None]
        v_in, *_ = time_law(10 * ones, 50 * ones, 500 * ones, back, back, links, np.array([500.0]), 0.004)
        self.assertAlmostEqual(v_in.max(), 500 * 0.004 / 2)

    @given(st.floats(0.01, 100), st.floats(0, 30), st.floats(0, 30), st.floats(100, 5000), st.floats(0, 1))
    @settings(max_examples=200)
    def test_way_and_time_are_inverse(self, length, v_in, v_out, accel, share) -> None:
        if abs(v_in**2 - v_out**2) > 2 * accel * length:
            return
        peak, total = trapezoid(length, v_in, v_out, 40.0, accel)
        if peak <= 0:
            return
        way = share * length
        moment = time_at(way, length, v_in, v_out, peak, accel, total)
        self.assertAlmostEqual(
            way_at(moment, length, v_in, v_out, peak, accel, total), way, delta=1e-6 * max(1, length)
        )


class Frames(unittest.TestCase):
    def test_turn_is_about_fixed_x_then_y_then_z(self) -> None:
        from scipy.spatial.transform import Rotation

        turned = apply(frame([1, 2, 3], [20, -35, 110]), np.eye(3))
        reference = Rotation.from_euler("xyz", [20, -35, 110], degrees=True).apply(np.eye(3)) + [1, 2, 3]
        np.testing.assert_allclose(turned, reference, atol=1e-12)
