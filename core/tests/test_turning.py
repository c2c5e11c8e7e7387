"""Contact and material while axes turn: against dense brute force, a general-purpose library and closed forms."""

import math
import unittest

import coal
import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation
from shapely import Polygon

from bluntmirror.contact.bodies import Body, convex_pieces
from bluntmirror.contact.convex_kernel import pieces_distance
from bluntmirror.contact.program import Follower, reach_from_axis
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.frames import apply
from bluntmirror.geometry.hull import extremes, is_convex, outline
from bluntmirror.geometry.mesh import Mesh
from bluntmirror.job.models import MachineFile, ToolEntry
from bluntmirror.machine import Chain
from bluntmirror.material.cut_kernel import CUT, _axis_place
from bluntmirror.material.pose_kernel import pose_meet
from bluntmirror.material.stock import Batch, Stock, ToolSets, TurnedBatch
from bluntmirror.material.turned_sweep_kernel import (
    CUSP_MM,
    MOST_POSES,
    ball_swept,
    corner_idle,
    corner_near,
    corner_poses,
    corner_stands,
    corner_swept,
    shaft_swept,
    swept_meet,
)
from bluntmirror.rehearsal import rehearse
from bluntmirror.timeline.reel import Knots
from bluntmirror.timeline.steps import Standing, Steps
from bluntmirror.tools import build_assembly
from bluntmirror.tools.slabs import H0, H1, HC, KIND, LINE, R0, R1, RC, RO, WHOLE, facetted, rounded

from .machines import MACHINES, TOOLS, job_on, quill_in_a_tilting_head
from .test_machine import WithFolder

CHAINS = MACHINES | {"quill": quill_in_a_tilting_head()}
HEAD = "G17 G21 G40 G49 G80 G90 G94\nT1 M6\nG54 S5000 M3\n"


def follower(chain: Chain, values: np.ndarray) -> Follower:
    knots = Knots.through(values)
    return Follower(knots, knots.at, chain, Standing.with_tool(knots, 1))


def coal_model(mesh: Mesh) -> coal.BVHModelOBBRSS:
    model = coal.BVHModelOBBRSS()
    model.beginModel(len(mesh.faces), len(mesh.vertices))
    model.addVertices(np.asarray(mesh.vertices, float))
    model.addTriangles(np.asarray(mesh.faces, int))
    model.endModel()
    return model


def dense(chain: Chain, a: Body, b: Body, values: np.ndarray, steps: int) -> tuple[np.ndarray, np.ndarray]:
    """The least distance in every segment by coal at `steps` + 1 poses of it, and whether any of them touches."""
    one, other = (coal_model(body.solids[0]) for body in (a, b))
    least, touched = np.full(len(values) - 1, np.inf), np.zeros(len(values) - 1, bool)
    for i in range(len(values) - 1):
        for share in np.linspace(0, 1, steps + 1):
            at = (values[i] + share * (values[i + 1] - values[i]))[None]
            frames = [chain.pose(body.link, at)[0] for body in (a, b)]
            placed = [coal.Transform3s(f[:3, :3].copy(), f[:3, 3].copy()) for f in frames]
            result = coal.DistanceResult()
            coal.distance(one, placed[0], other, placed[1], coal.DistanceRequest(), result)
            least[i] = min(least[i], max(0.0, result.min_distance))
            touched[i] |= result.min_distance <= 0.0
    return least, touched


def _aside(x: float) -> np.ndarray:
    pose = np.eye(4)
    pose[0, 3] = x
    return pose


class StepFunctions(unittest.TestCase):
    @given(st.lists(st.integers(0, 3), max_size=30))
    @settings(max_examples=60)
    def test_steps_hold_what_each_segment_held(self, each: list[int]) -> None:
        steps = Steps.of(np.array(each, np.int64))
        self.assertEqual(steps.each.tolist(), each)
        self.assertEqual(steps.at(np.arange(len(each))).tolist(), each)
        self.assertEqual(len(steps.begin), sum(1 for i, held in enumerate(each) if i == 0 or held != each[i - 1]))

    def test_a_body_is_there_with_its_tool_between_its_stops_and_while_the_work_spins(self) -> None:
        knots = Knots.through(np.zeros((7, 1)))
        knots.phase = np.array([0, 0, 1, 1, 1, 2], np.int32)
        standing = Standing(
            (Steps.of(np.array([1, 1, 1, 2, 2, 2])),), {"": Steps.of(np.array([False, True, True, True, False, False]))}, Steps.of(knots.phase)
        )  # fmt: skip
        for tool, phases, spins, there in (
            (None, None, None, [0, 1, 2, 3, 4, 5]), (1, None, None, [0, 1, 2]), (2, (1, 2), None, [3, 4]), (None, (1, None), None, [2, 3, 4, 5]),
            (None, None, True, [1, 2, 3]), (1, (0, 1), False, [0]),
        ):  # fmt: skip
            self.assertEqual(np.flatnonzero(standing.holds(tool, phases, spins)).tolist(), there)


class TurningContact(unittest.TestCase):
    BODIES = {
        "trunnion": (("head", meshes.box([60, 60, 200]), (0, 0, 560)), ("plate", meshes.box([150, 40, 70]), (20, 30, 40))),
        "router": (("spindle", meshes.cylinder(50, 200), (0, 0, -140)), ("bed", meshes.box([80, 90, 200]), (30, 0, 120))),
        "head and table": (("tilting head", meshes.cylinder(40, 220), (8, 0, -170)), ("plate", meshes.box([40, 160, 120]), (60, 0, 60))),
        "swivel": (("head", meshes.box([60, 60, 200]), (0, 0, 560)), ("plate", meshes.box([150, 40, 70]), (20, 30, 40))),
        "quill": (("nose", meshes.cylinder(50, 140), (12, 0, -70)), ("bed", meshes.box([80, 90, 200]), (30, 0, 120))),
    }  # fmt: skip

    def setting(self, name: str, rng: np.random.Generator, m: int) -> tuple[Chain, Body, Body, np.ndarray]:
        chain = Chain(MachineFile.model_validate(CHAINS[name]))
        a, b = (Body(link, link, (Mesh(mesh.vertices + at, mesh.faces),)) for link, mesh, at in self.BODIES[name])
        # A walk around the place where the bodies meet, with long and short strides.
        values = np.empty((m + 1, len(chain.axes)))
        for i, axis in enumerate(chain.axes):
            turns = chain.joints[axis].type == "rotary"
            values[:, i] = rng.uniform(-90, 90, m + 1) if turns else rng.uniform(-120, 120, m + 1)
        values[:, chain.axes.index("Z")] = rng.uniform(-330, -150, m + 1)
        near = rng.random(m + 1) < 0.5
        for i in range(1, m + 1):
            if near[i]:
                values[i] = values[i - 1] + 0.1 * (values[i] - values[i - 1])
        return chain, a, b, values

    def test_nothing_is_missed_against_dense_poses_by_a_library(self) -> None:
        rng = np.random.default_rng(11)
        for name in self.BODIES:
            chain, a, b, values = self.setting(name, rng, 60)
            least, touched = dense(chain, a, b, values, 40)
            for asked in ("corners", "triangles"):
                with self.subTest(name, asked=asked):
                    self.check(chain, a, b, values, least, touched, asked == "triangles")

    def check(self, chain, a, b, values, least, touched, by_triangles):  # type: ignore[no-untyped-def]
        follows = follower(chain, values)
        if by_triangles:
            follows.convex = {a.key: None, b.key: None}
        seen, name = follows.follow(a, b, 2.0), a.label
        self.assertTrue(touched.any() and (least > 2.0).any(), f"{name}: the walk should meet and miss")
        self.assertTrue((seen.hit[touched] == 2).all(), name)
        self.assertTrue((seen.hit[least < 2.0] >= 1).all(), name)
        clear = seen.hit == 0
        self.assertTrue((least[clear] >= 2.0 - 1e-6).all(), name)
        self.assertLessEqual(seen.margin.clearance, least.min() * 1.06 + 1e-3)
        # What it says it met is really met where it says so.
        one, other = (coal_model(body.solids[0]) for body in (a, b))
        for segment in np.flatnonzero(seen.hit == 2)[:20]:
            at = (values[segment] + seen.share[segment] * (values[segment + 1] - values[segment]))[None]
            frames = [chain.pose(body.link, at)[0] for body in (a, b)]
            result = coal.DistanceResult()
            coal.distance(one, coal.Transform3s(frames[0][:3, :3].copy(), frames[0][:3, 3].copy()),
                          other, coal.Transform3s(frames[1][:3, :3].copy(), frames[1][:3, 3].copy()),
                          coal.DistanceRequest(), result)  # fmt: skip
            self.assertLess(result.min_distance, 2e-3)

    @given(st.integers(0, 1_000_000))
    @settings(max_examples=150)
    def test_convex_pieces_against_a_library_and_the_trees_of_triangles(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        shapes = [meshes.box(rng.uniform(5, 60, 3)), meshes.cylinder(*rng.uniform(5, 60, 2)), meshes.box([1, 1, 80])]
        shapes.append(meshes.revolve([[0, 0], [rng.uniform(1, 20), 0], [rng.uniform(1, 20), 30], [0, 30]]))
        a, b = (shapes[i] for i in rng.integers(0, 4, 2))
        rotation = Rotation.random(random_state=seed).as_matrix() if rng.random() < 0.8 else np.eye(3)
        pose = np.column_stack([rotation, rng.uniform(-60, 60, 3)])
        one, other = (convex_pieces(Body("x", "x", (mesh,))) for mesh in (a, b))
        assert one and other
        memory, room = np.zeros((1, 1, 3)), (np.empty((4, 3)), np.empty((3, 3)), np.empty((3, 3)))
        args = (one, other, pose)
        low, high = pieces_distance(*args, 1e9, memory, *room)
        result = coal.DistanceResult()
        coal.distance(coal_model(a), coal.Transform3s(), coal_model(b), coal.Transform3s(pose[:, :3].copy(), pose[:, 3].copy()),
                      coal.DistanceRequest(), result)  # fmt: skip
        expected = result.min_distance
        if expected <= 0.0:
            self.assertLess(high, 1e-6)
        elif high > 1e-6:  # the library asks surfaces: one solid within another is apart to it, and a contact to us
            self.assertAlmostEqual(low, expected, delta=1e-4)
            self.assertAlmostEqual(high, expected, delta=1e-4)
            self.assertLessEqual(low, expected + 1e-9)
            for enough in (0.3 * expected, 0.9 * expected):  # a bound that is let go early still holds
                bound, _ = pieces_distance(*args, enough, memory, *room)
                self.assertLessEqual(bound, expected + 1e-9)
                self.assertGreaterEqual(bound, enough - 1e-9)

    @given(st.integers(0, 1_000_000))
    @example(2526)
    @settings(max_examples=80)
    def test_hulls_against_a_library(self, seed: int) -> None:
        """SciPy's hull (Qhull): its volume tells what is convex, its corners the outline and the extremes."""
        rng = np.random.default_rng(seed)
        radii = rng.uniform(1, 20, 3)
        for mesh in (
            meshes.revolve([[0, 0], [radii[0], 0], [radii[1], 15], [radii[2], 30], [0, 30]]),
            meshes.extrude(rng.uniform(-9, 9, (3, 2)).tolist(), 5), meshes.extrude([(0, 0), (9, 0), (9, 9), (4, rng.uniform(3, 8)), (0, 9)], 4),
            meshes.joined([meshes.box([4, 4, 4]), meshes.box([4, 4, 4]).moved(_aside(9.0))]),
        ):  # fmt: skip
            hull = ConvexHull(mesh.vertices)
            self.assertEqual(
                is_convex(mesh), abs(hull.volume - abs(mesh.volume)) <= 1e-6 * hull.volume and mesh.volume > 0
            )
            ways = rng.normal(size=(20, 3))
            np.testing.assert_allclose(
                (extremes(mesh.vertices) @ ways.T).max(axis=0), (mesh.vertices @ ways.T).max(axis=0)
            )
        cloud = rng.normal(size=(3500, 3))  # more than are gone through one by one
        self.assertLess(len(extremes(cloud)), 500)
        np.testing.assert_allclose((extremes(cloud) @ ways.T).max(axis=0), (cloud @ ways.T).max(axis=0))
        flat = rng.normal(size=(rng.integers(3, 40), 2))
        expected = flat[ConvexHull(flat).vertices]
        found = outline(flat)
        self.assertEqual({tuple(p) for p in found}, {tuple(p) for p in expected})
        self.assertTrue(Polygon(found).exterior.is_ccw)

    def test_shapes_and_their_convex_pieces_fill_the_same_space(self) -> None:
        nose = [[0, 0], [42, 0], [44, 3], [44, 26], [62, 60], [62, 150], [0, 150]]
        self.assertAlmostEqual(
            sum(p.volume for p in meshes.revolve_pieces(nose)), meshes.revolve(nose).volume, places=3
        )
        self.assertEqual(meshes.revolve_pieces([[10, 0], [20, 0], [20, 5], [10, 5]]), [])  # a ring has a hole
        bracket = [[0, 0], [50, 0], [50, 10], [10, 10], [10, 40], [0, 40]]
        self.assertAlmostEqual(sum(p.volume for p in meshes.extrude_pieces(bracket, 7)), (500 + 300) * 7, places=6)
        for entry in TOOLS:
            tool = build_assembly(ToolEntry.model_validate(entry))
            for part, whole in tool.meshes().items():
                pieces = tool.pieces()[part]
                self.assertTrue(all(is_convex(piece) for piece in pieces))
                self.assertAlmostEqual(sum(p.volume for p in pieces), whole.volume, delta=1e-6 * whole.volume)

    @given(st.integers(0, 100_000))
    @settings(max_examples=25)
    def test_a_contact_never_vanishes_when_the_way_is_cut_finer(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        chain, a, b, values = self.setting("trunnion", rng, 12)
        whole = follower(chain, values).follow(a, b, 1.0).hit
        fine = np.concatenate(
            [values[i] + np.arange(4)[:, None] / 4 * (values[i + 1] - values[i]) for i in range(12)] + [values[-1:]]
        )
        parts = follower(chain, fine).follow(a, b, 1.0).hit.reshape(12, 4).max(axis=1)
        np.testing.assert_array_equal(whole, parts)

    def test_no_point_of_a_body_is_beyond_its_reach(self) -> None:
        rng = np.random.default_rng(3)
        chain, _, b, values = self.setting("trunnion", rng, 50)
        low, high = values.min(axis=0), values.max(axis=0)
        for axis, centre, direction in (("A", [10, 20, 100], [1, 0, 0]), ("C", None, None)):
            reach = reach_from_axis(chain, b, axis, low, high)
            seen = 0.0
            for row in values:
                points = apply(chain.pose("plate", row[None])[0], b.solids[0].vertices)
                if axis == "A":
                    seen = max(seen, float(np.linalg.norm(np.cross(points - centre, direction), axis=1).max()))
                else:
                    seen = max(seen, float(np.linalg.norm(b.solids[0].vertices[:, :2], axis=1).max()))
            self.assertGreaterEqual(reach, seen - 1e-9)
            self.assertLess(reach, 1.6 * seen)  # a bound that is never tight would be slow

    def test_nor_is_a_point_that_slides_and_turns_beyond_the_axis(self) -> None:
        rng = np.random.default_rng(4)
        chain, nose, _, values = self.setting("quill", rng, 300)
        for axis, carrier in (("B", "ram"), ("C", "quill")):
            joint = chain.joints[axis]
            reach = reach_from_axis(chain, nose, axis, values.min(axis=0), values.max(axis=0))
            seen = 0.0
            for row in values:
                seen_from = np.linalg.inv(chain.pose(carrier, row[None])[0]) @ chain.pose("nose", row[None])[0]
                points = apply(seen_from, nose.solids[0].vertices) - joint.at
                seen = max(seen, float(np.linalg.norm(np.cross(points, joint.direction), axis=1).max()))
            self.assertGreaterEqual(reach, seen - 1e-9, axis)
            self.assertLess(reach, 1.6 * seen, axis)


def in_slab(slab: np.ndarray, points: np.ndarray) -> np.ndarray:
    """The twin's notion of a slab: points (n, 3) in the tool's own frame."""
    height, aside = points[:, 2], np.hypot(points[:, 0], points[:, 1])
    if slab[KIND] == WHOLE:
        return np.hypot(height - slab[HC], np.maximum(aside - slab[RO], 0.0)) <= slab[RC]
    if slab[KIND] == 1.0:
        radius = np.sqrt(np.maximum(0.0, slab[RC] ** 2 - (height - slab[HC]) ** 2))
    else:
        radius = slab[R0] + (slab[R1] - slab[R0]) * (height - slab[H0]) / (slab[H1] - slab[H0])
    return (height >= slab[H0]) & (height <= slab[H1]) & (aside <= radius)


CUTTING = [build_assembly(ToolEntry.model_validate(t)).cutting for t in TOOLS]
FLAT = np.concatenate([*map(facetted, CUTTING), [[0, 0, 6, 1.0, 7.0, 0, 0, 0], [0, 2, 5, 6.0, 2.5, 0, 0, 0]]])
WHOLES = np.array([c for c in (rounded(cutting)[0] for cutting in CUTTING) if c[KIND] == WHOLE])
SLABS = np.concatenate([FLAT[:: 5 if len(FLAT) > 60 else 1], WHOLES])


def swept_by(
    slab: np.ndarray,
    tip: np.ndarray,
    way: np.ndarray,
    axis: np.ndarray,
    turn: np.ndarray,
    u: float,
    v: float,
    direction: int,
):  # type: ignore[no-untyped-def]
    """What the kernel takes for a slab's sweep on a ray: each kind by the way that it goes."""
    if slab[0, KIND] == WHOLE and slab[0, RO] == 0.0:
        ends = [(axis[0] + t * turn[0]) / np.linalg.norm(axis[0] + t * turn[0]) for t in (0, 1)]
        middle = tip[0] + slab[0, HC] * ends[0]
        return ball_swept(direction, *middle, *(way[0] + slab[0, HC] * (ends[1] - ends[0])), slab[0, RC], u, v)
    if slab[0, KIND] == WHOLE and (poses := corner_poses(slab, 0, 0, way, turn, 0)) <= MOST_POSES:
        stands = np.empty((MOST_POSES + 2, 6))
        corner_stands(slab, 0, tip, way, axis, turn, 0, poses, stands)
        at = _axis_place(direction, u, v, 0.0)
        return corner_swept(
            stands, poses, slab[0, RO], slab[0, RC], 0.0, *at, direction, -np.inf, np.inf, np.nan, np.nan
        )
    none = np.zeros(1, np.int64)
    steps = TurnedBatch(tip, way, none, none, np.zeros(1, np.int32), axis, turn).search_steps(np.array([25.0]))
    return swept_meet(slab, 0, tip, way, axis, turn, 0, int(steps[0]), u, v, direction, -np.inf, np.inf)


RIM_MM = 0.7  # at a shaft's upper rim, which is sharp, stands leave more between them: it has the shank above it


class TurnedSweeps(unittest.TestCase):
    def aligned(self, axis: np.ndarray) -> Rotation:
        return Rotation.align_vectors([[0, 0, 1]], [axis])[0]

    @given(st.integers(0, 1_000_000))
    @settings(max_examples=200)
    def test_a_corner_with_its_shaft_beside_dense_poses(self, seed: int) -> None:
        """The two as one body: what it takes of a ray is what the two slabs take at 65 poses, less a cusp; and a ray that is said to
        keep its stock is met at none of the stands."""
        rng = np.random.default_rng(seed)
        ro, rc = rng.choice([0.0, 1.0]) * rng.uniform(0.3, 4), rng.uniform(0.4, 3)
        length = rc + rng.uniform(0.8, 12)  # above a shorter one there would be another slab
        e = 2 * CUSP_MM
        slab = np.array(
            [[WHOLE, 0, 2 * rc, ro, ro + rc, rc, ro, rc], [LINE, rc, rc + length, ro + rc, ro + rc, 0, 0, 0]]
        )
        axis = rng.normal(size=(1, 3)) + [0, 0, rng.choice([0.0, 3.0])]
        axis /= np.linalg.norm(axis)
        way, turn = rng.uniform(-0.3, 0.3, (1, 3)), np.cross(axis, rng.normal(size=(1, 3))) * rng.uniform(0, 0.02)
        tip, direction = rng.uniform(-1, 1, (1, 3)), int(rng.integers(3))
        u, v = rng.uniform(-1.2, 1.2, 2) * (ro + rc + 1)
        point = np.array(_axis_place(direction, u, v, 0.0))

        def ends(share: float, of: np.ndarray = slab) -> list[tuple[float, float]]:
            a = axis[0] + share * turn[0]
            a /= np.linalg.norm(a)
            q = point - tip[0] - share * way[0]
            met = [pose_meet(*row, *q, *a, direction, False) for row in of]
            return [(low, high) for missed, low, high in met if missed == 0.0]

        dense = [end for share in np.linspace(0, 1, 65) for end in ends(share)]
        poses = corner_poses(slab, 0, 1, way, turn, 0)
        self.assertLessEqual(poses, MOST_POSES)
        stands = np.empty((MOST_POSES + 2, 6))
        corner_stands(slab, 0, tip, way, axis, turn, 0, poses, stands)
        low, high = min((a for a, _ in dense), default=0.0), max((b for _, b in dense), default=0.0)
        if ro > 0.0:
            guess = low + rng.uniform(-0.5, 0.5) if rng.random() < 0.5 else np.nan
            found = corner_swept(stands, poses, ro, rc, length, *point, direction, -np.inf, np.inf, guess, guess)[:3]
            # Never more than the body does, and never less than one that is thinner by two cusps.
            less = np.array(
                [
                    [WHOLE, 0, 2 * rc, ro, ro + rc - e, rc, ro, rc - e],
                    [LINE, rc, rc + length - RIM_MM, ro + rc - e, ro + rc - e, 0, 0, 0],
                ]
            )
            thinner = [end for share in np.linspace(0, 1, 65) for end in ends(share, less)]
            if found[0]:
                self.assertGreater(found[1], low - 1e-3)
                self.assertLess(found[2], high + 1e-3)
            if thinner:
                self.assertTrue(found[0])
                self.assertLess(found[1], min(a for a, _ in thinner) + 1e-3)
                self.assertGreater(found[2], max(b for _, b in thinner) - 1e-3)
        else:
            met, a, b = shaft_swept(stands, poses, rc, length, *point, direction)
            shaft = [end for share in np.linspace(0, 1, 65) for end in ends(share, slab[1:])]
            if met:
                self.assertGreater(a, min(end[0] for end in shaft) - 1e-6)
                self.assertLess(b, max(end[1] for end in shaft) + 1e-6)
        # Stock that ends near where the body does, or anywhere.
        edge = rng.choice([low, high, 0.0]) + rng.choice([0.0, 1.0]) * rng.uniform(-0.2, 0.2)
        lo, hi = (
            np.array([value], np.float32) for value in ((edge, edge + 5) if rng.random() < 0.5 else (edge - 5, edge))
        )
        idle = corner_idle(stands, poses, ro, rc, length, *point, direction, lo, hi, 0, 1)
        at_stands = [end for k in range(poses + 1) for end in ends(k / max(poses, 1))]
        taken = max((min(b, float(hi[0])) - max(a, float(lo[0])) for a, b in at_stands), default=0.0)
        if taken > 2e-3:
            self.assertFalse(idle)
        lean = float(np.linalg.norm(turn))
        size = 0.5 * float(np.linalg.norm(way)) + 0.5 * lean * (length + ro + 2 * rc) + 1e-3
        if taken > 0.0:  # where nothing is, either may be in doubt without the other
            self.assertTrue(
                corner_near(stands, ro, rc, length, *point, direction, -50.0, 50.0, size, size, lean, lo, hi, 0, 1)
            )

    @given(st.integers(0, 1_000_000))
    @settings(max_examples=150)
    def test_a_pose_on_a_ray_beside_points_asked_one_by_one(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        slab = SLABS[rng.integers(len(SLABS))]
        axis = rng.normal(size=3) if rng.random() < 0.7 else np.eye(3)[rng.integers(3)] * rng.choice([-1.0, 1.0])
        axis /= np.linalg.norm(axis)
        start, direction = rng.uniform(-8, 8, 3), int(rng.integers(3))
        missed, low, high = pose_meet(
            slab[KIND],
            slab[H0],
            slab[H1],
            slab[R0],
            slab[R1],
            slab[HC],
            slab[RO],
            slab[RC],
            *start,
            *axis,
            direction,
            True,
        )
        w = np.linspace(-60, 60, 6001)
        points = start + np.multiply.outer(w, np.eye(3)[direction])
        inside = w[in_slab(slab, self.aligned(axis).apply(points))]
        if missed > 0.0:
            self.assertLess(len(inside), 3)  # a graze at most
            return
        if len(inside):
            self.assertLess(abs(low - inside[0]), 0.021)
            self.assertLess(abs(high - inside[-1]), 0.021)
        else:
            self.assertLess(high - low, 0.05)

    @given(st.integers(0, 1_000_000))
    @example(179)  # met for a thirtieth of the motion, while a cone's flank comes near again later
    @example(520)
    @example(9999)  # turns by two degrees, and is met for a fiftieth of a way of 81 mm near its start
    @example(20856)  # the same before a flank four times as wide as high
    @example(22289)
    @example(2777)  # a slab of 0.05 mm passes the ray in a thousandth of a way of 186 mm
    @settings(max_examples=60)
    def test_a_sweep_on_a_ray_beside_very_many_poses(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        slab = np.ascontiguousarray(SLABS[[rng.integers(len(SLABS))]])
        axis = rng.normal(size=(1, 3))
        axis /= np.linalg.norm(axis)
        turn = np.zeros((1, 3))
        if rng.random() < 0.6:  # up to two degrees
            turn = Rotation.from_rotvec(rng.normal(size=3) * 0.02).apply(axis) - axis
        tip, way = rng.uniform(-8, 8, (1, 3)), rng.uniform(-1, 1, (1, 3)) * rng.choice([0.5, 5, 20, 150])
        u, v, direction = *rng.uniform(-6, 6, 2), int(rng.integers(3))
        met, low, high, when = swept_by(slab, tip, way, axis, turn, u, v, direction)
        lowest, highest = np.inf, -np.inf
        origin = {0: [0, u, v], 1: [u, 0, v], 2: [u, v, 0]}[direction]
        # A thin slab on a long way passes the ray between two of these: the moment that was found is looked at more closely.
        closer = np.linspace(max(0.0, when - 0.002), min(1.0, when + 0.002), 401) if met else []
        for t in [*np.linspace(0, 1, 601), *closer]:
            a = axis[0] + t * turn[0]
            s = slab[0]
            missed, lo, hi = pose_meet(s[KIND], s[H0], s[H1], s[R0], s[R1], s[HC], s[RO], s[RC], *(origin - tip[0] - t * way[0]),
                                       *(a / np.linalg.norm(a)), direction, False)  # fmt: skip
            if missed == 0.0:
                lowest, highest = min(lowest, lo), max(highest, hi)
        if highest - lowest > 0.05:
            # Poses leave a cusp of CUSP_MM between them: a ray with a short chord (half of it is l) in a radius r sees it r/l times longer.
            grazing = 0.01 if slab[0, KIND] != WHOLE else 0.01 + 2 * CUSP_MM * 6 / (highest - lowest)
            self.assertTrue(met or (slab[0, KIND] == WHOLE and highest - lowest < 0.5))
            self.assertLess(low - lowest, grazing)  # as far as the twin sees …
            self.assertLess(highest - high, grazing)
            self.assertLess(
                max(lowest - low, high - highest), 0.05 + 0.1 * float(np.linalg.norm(way))
            )  # … and little farther, between the twin's poses
        elif met:
            self.assertLess(high - low, 0.1)

    def test_short_ways_beside_a_few_hundred_poses(self) -> None:
        """Ways of finishing cuts, on which three or four poses have to do: of flat ends, whose low end turns back where the ray changes
        from flank to face, and of rounded corners, between whose poses a cusp stands."""
        rng = np.random.default_rng(5)
        corners = [slab for slab in WHOLES if slab[RO] > 0.0]
        share = np.linspace(0, 1, 301)
        asked = 0
        for number in range(900):
            slab = np.ascontiguousarray(
                [FLAT[rng.integers(len(FLAT))] if number % 2 else corners[rng.integers(len(corners))]]
            )
            axis = rng.normal(size=(1, 3)) * [0.5, 0.5, 1.0]
            axis /= np.linalg.norm(axis)
            turn = Rotation.from_rotvec(rng.normal(size=3) * 0.01 * (rng.random() < 0.5)).apply(axis) - axis
            way = rng.normal(size=(1, 3))
            way *= rng.uniform(0.3, 3.0) / np.linalg.norm(way)
            direction = int(rng.integers(3))
            reach = slab[0, R1] if slab[0, KIND] == WHOLE else max(slab[0, R0], slab[0, R1])
            middle = axis[0] * rng.uniform(slab[0, H0], slab[0, H1])
            near = middle + rng.uniform(-reach, reach, 3)
            u, v = np.delete(near, direction)
            tip = np.zeros((1, 3))
            met, low, high, _ = swept_by(slab, tip, way, axis, turn, float(u), float(v), direction)
            origin, s = np.insert([u, v], direction, 0.0), slab[0]
            ends = []
            for t in share:
                a = axis[0] + t * turn[0]
                missed, lo, hi = pose_meet(s[KIND], s[H0], s[H1], s[R0], s[R1], s[HC], s[RO], s[RC], *(origin - t * way[0]),
                                           *(a / np.linalg.norm(a)), direction, False)  # fmt: skip
                if missed == 0.0:
                    ends.append((lo, hi))
            if not ends:
                continue
            lowest, highest = np.min([lo for lo, _ in ends]), np.max([hi for _, hi in ends])
            if highest - lowest < 0.6 * reach:
                continue  # a ray that grazes: there poses and ends part by more than they do across
            asked += 1
            self.assertTrue(met)
            self.assertLess(
                max(low - lowest, highest - high), 0.02 if s[KIND] == WHOLE else 0.006, (number, s.tolist())
            )
        self.assertGreater(asked, 250)

    def test_upright_tools_cut_as_the_closed_forms_do(self) -> None:
        rng = np.random.default_rng(8)
        for number, entry in enumerate(TOOLS):
            tool = build_assembly(ToolEntry.model_validate(entry))
            plain, turned = Stock(meshes.box([40, 30, 20]), 0.5), Stock(meshes.box([40, 30, 20]), 0.5)
            places = rng.uniform([-25, -20, 2], [25, 20, 9], (30, 3))
            start, delta = places[:-1].copy(), np.diff(places, axis=0)
            n = len(start)
            columns = (start, delta, np.zeros(n, np.int64), np.full(n, 1 << CUT), np.arange(n, dtype=np.int32))
            upright = np.tile([0.0, 0.0, 1.0], (n, 1))
            plain.cut(Batch(*columns), ToolSets.of([tool]))
            turned.cut(TurnedBatch(*columns, upright, np.zeros((n, 3))), ToolSets.of([tool], facets=True))
            self.assertLess(turned.volume - plain.volume, 4e-4 * plain.volume, entry["name"])
            self.assertGreater(
                turned.volume - plain.volume, -1e-6 * plain.volume, f"{number}: more than the tool sweeps"
            )
            for volume in turned.volumes:
                self.assertAlmostEqual(volume, turned.volume, delta=0.01 * turned.volume)


class TurningJobs(WithFolder):
    def run_job(self, name: str, program: str, bodies: list, **changes):  # type: ignore[no-untyped-def, type-arg]
        changes.setdefault("checks", {"resolution": 0.4, "near": 0})
        return rehearse(job_on(self.folder, name, HEAD + program, bodies=bodies, **changes))

    def test_a_slope_faced_on_every_machine_takes_the_same_wedge(self) -> None:
        # A 40 × 40 × 20 block; the plane through its top front edge, tilted 20° about X, is faced off with a D10 end mill.
        blank = {
            "name": "blank",
            "role": "stock",
            "mount": "table",
            "at": [0, 0, 30],
            "shape": {"type": "box", "size": [40, 40, 20]},
        }
        rows = "".join(f"G0 Y{y}\nG1 X{x} F3000\n" for y, x in zip(range(-8, 60, 8), [30, -30] * 5, strict=False))
        program = f"G68.2 X0 Y-20 Z40 I0 J20 K0\nG53.1\nG43 H1 G0 X-30 Y-8 Z60\nZ0\n{rows}G0 Z80\nG69\nM30\n"
        # Points above the plane z = 40 + (y + 20) tan 20°: none, it rises; seen the other way it cuts the wedge below.
        program = program.replace("J20", "J-20")
        wedge = 40 * 0.5 * 40 * (40 * math.tan(math.radians(20)))
        for name in ("trunnion", "router", "head and table", "swivel"):
            with self.subTest(name):
                result = self.run_job(name, program, [blank])
                self.assertEqual([f.kind for f in result.findings], [])
                cut = result.stocks[0]
                self.assertAlmostEqual(cut.volume_before - cut.volume_after, wedge, delta=0.004 * wedge)

    def test_a_bar_turned_under_the_cutter_becomes_round_and_is_not_gouged(self) -> None:
        # Fourth-axis milling: the tool stands over the pallet's axis while B goes round; a square bar becomes a cylinder.
        bodies = [
            {"name": "bar", "role": "stock", "mount": "table", "at": [0, 60, 0], "shape": {"type": "box", "size": [40, 60, 40]}},
            {"name": "round", "role": "design", "mount": "table", "at": [0, 60, 0], "turn": [90, 0, 0],
             "shape": {"type": "cylinder", "diameter": 36, "length": 60}},
        ]  # fmt: skip
        rings = "".join(f"G1 Y{y} F2000\nB{b} F6000\n" for y, b in zip(range(26, 98, 4), [360, 0] * 9, strict=True))
        program = f"G0 B0\nG43 H1 X0 Y26 Z60\nG1 Z18 F2000\n{rings}G0 Z80\nM30\n"
        result = self.run_job(
            "horizontal", program, bodies, checks={"resolution": 0.5, "gouge": 0.02, "excess": 0.05, "near": 0}
        )
        self.assertEqual([f.kind for f in result.findings], [])
        cut = result.stocks[0]
        self.assertAlmostEqual(cut.volume_after, math.pi * 18**2 * 60, delta=0.003 * cut.volume_after)

    def test_a_cone_frustum_by_its_flank_is_neither_gouged_nor_left(self) -> None:
        # After the cone frustum test piece of ISO 10791-7 (from memory): the flank of an end mill goes round a cone of 15°
        # half angle under tip control, with A and C turning together on a trunnion. The cone stands upright, so that the tilt
        # stays and C alone turns; the next test leans it.
        half, top, height = math.radians(15), 20.0, 30.0
        low = top + height * math.tan(half)
        bodies = [
            {"name": "blank", "role": "stock", "mount": "table", "at": [0, 0, 40],
             "shape": {"type": "revolve", "profile": [[0, 0], [low + 3, 0], [top + 3, height], [0, height]]}},
            {"name": "cone", "role": "design", "mount": "table", "at": [0, 0, 40],
             "shape": {"type": "revolve", "profile": [[0, 0], [low, 0], [top, height], [0, height]]}},
        ]  # fmt: skip
        lines = ["G43.4 H4 G0 X70 Y0 Z60 A-15 C90"]
        radius = 5.0
        for k in range(0, 361, 2):
            angle = math.radians(k)
            # The tool's axis runs parallel to the flank, one radius off it; its tip lies at the cone's foot.
            out = low + radius / math.cos(half) + 2 * math.tan(half)
            x, y = out * math.cos(angle), out * math.sin(angle)
            lines.append(f"G1 X{x:.5f} Y{y:.5f} Z-2 A-15 C{90 + k} F{4000 if k else 2000}")
        program = "\n".join([*lines, "G0 Z60", "G49", "M30"]).replace("T1", "T4") + "\n"
        tool = {
            "number": 4,
            "length": 140,
            "cutter": {"type": "end-mill", "diameter": 10, "flute_length": 45, "reach": 80, "shank_diameter": 10},
        }
        job = job_on(self.folder, "trunnion", HEAD.replace("T1", "T4") + program, bodies=bodies, tools=[tool],
                     work_offsets={"G54": {"datum": [0, 0, 40], "mount": "table"}},
                     checks={"resolution": 0.5, "gouge": 0.03, "excess": 0.05, "near": 0})  # fmt: skip
        result = rehearse(job)
        self.assertEqual([(f.kind, f.message) for f in result.findings], [])


if __name__ == "__main__":
    unittest.main()
