"""Kernels beside slow, obvious twins written in plain Python, on random input."""

import itertools
import math
import unittest
from fractions import Fraction
from random import Random

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.box_tree import box_tree
from bluntmirror.geometry.frames import frame
from bluntmirror.geometry.mesh import Mesh, joined
from bluntmirror.material.compare_kernel import beyond, lacking, missing
from bluntmirror.material.comparison import _thinned, loose_pieces, reach_into
from bluntmirror.material.cut_kernel import WELD, subtract
from bluntmirror.material.film import Film
from bluntmirror.material.ray_kernel import _edge, pair_up
from bluntmirror.material.stock import Batch, Lattice, Stock, ToolSets, rays_of
from bluntmirror.program.reader import Unreadable, read_block
from bluntmirror.program.scan_kernel import COMPLEX, PLAIN
from bluntmirror.program.text import ProgramText
from bluntmirror.timeline.law_kernel import moments_of_ramps, time_law, trapezoid, way_at

from .test_kernels import BALL, BULL, CHAMFER, DRILL, FLAT, tool

place = st.integers(0, 40).map(lambda n: n / 2)
# A whole number and a few of the last digits beside it: corners on rays and edges through them, all but.
near = st.builds(lambda n, k: n * (1 + k * 2.0**-52), st.integers(-8, 8), st.integers(-3, 3))
interval = st.tuples(place, place).map(sorted).filter(lambda p: p[1] - p[0] > 0.1)


def apart(intervals: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Intervals in order, with those that overlap or touch left out."""
    kept: list[tuple[float, float]] = []
    for low, high in sorted(map(tuple, intervals)):
        if not kept or low > kept[-1][1] + 0.01:
            kept.append((low, high))
    return kept


class Reading(unittest.TestCase):
    @given(
        st.lists(
            st.from_regex(r"( ?[GXYZFIJnx] ?[+-]?[0-9]{0,4}\.?[0-9]{0,4}){0,5}(\(a\)|/|#1|)?", fullmatch=True),
            max_size=12,
        )
    )
    @settings(max_examples=300)
    def test_what_the_scanner_takes_the_reader_reads_alike(self, lines: list[str]) -> None:
        text = ProgramText("a", "\n".join(lines).encode())
        text.scan()
        for index in range(len(text)):
            try:
                block = read_block(text.line(index))
            except Unreadable:
                self.assertEqual(text.flags[index], COMPLEX, text.line(index))  # a fault is never passed over
                continue
            if text.flags[index] != PLAIN:
                continue
            rows = range(text.word_begin[index], text.word_begin[index + 1])
            scanned = [
                (chr(text.letters[i]), text.values[i], text.decimals[i]) for i in rows if chr(text.letters[i]) != "N"
            ]
            read = [(w.letter, w.value, w.decimals) for w in block.words]
            self.assertEqual(scanned, [w for w in read if w[0] != "N"])


class Intervals(unittest.TestCase):
    @given(st.lists(interval, max_size=6), interval, st.integers(0, 3))
    @settings(max_examples=300)
    def test_taking_one_out(self, stock: list[tuple[float, float]], taken: tuple[float, float], spare: int) -> None:
        stock = apart(stock)
        a, b = taken
        twin = []
        for low, high in stock:
            for part in ((low, min(high, a)), (max(low, b), high)):
                if part[1] - part[0] > WELD:
                    twin.append(part)
        room = len(stock) + spare
        lo, hi, tag_lo, tag_hi = (
            np.zeros(room, np.float32),
            np.zeros(room, np.float32),
            np.full(room, -1),
            np.full(room, -1),
        )
        for i, (low, high) in enumerate(stock):
            lo[i], hi[i] = low, high
        count = subtract(lo, hi, tag_lo, tag_hi, 0, room, len(stock), a, b, 9)
        if len(twin) > room:
            self.assertEqual(count, -1)  # and the ray is as it was
            self.assertEqual([*zip(lo[: len(stock)], hi[: len(stock)], strict=True)], stock)
            return
        self.assertEqual([*zip(lo[:count].tolist(), hi[:count].tolist(), strict=True)], twin)
        for i in range(count):  # new ends carry the tag of the cut, old ones keep theirs
            self.assertEqual(tag_lo[i] == 9, lo[i] == b and (b not in [s[0] for s in stock]))
            self.assertEqual(tag_hi[i] == 9, hi[i] == a and (a not in [s[1] for s in stock]))

    @given(st.lists(interval, max_size=4), st.lists(interval, max_size=3), st.lists(interval, max_size=3))
    @settings(max_examples=300)
    def test_missing_beyond_and_lacking(self, stock, design, blank) -> None:  # type: ignore[no-untyped-def]
        stock, design, blank = apart(stock), apart(design), apart(blank)

        def columns(intervals: list[tuple[float, float]]) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
            row = np.zeros((2, max(1, len(intervals))), np.float32)
            for i, pair in enumerate(intervals):
                row[:, i] = pair
            return row[0], row[1], np.zeros(1, np.int64), np.array([len(intervals)], np.int32)

        def within(w: float, intervals: list[tuple[float, float]]) -> bool:
            return any(low <= w <= high for low, high in intervals)

        lo, hi, first, count = columns(stock)
        tags = np.arange(10, 20, dtype=np.int32)
        ray = (lo, hi, tags, tags + 10, first, count)
        for kernel, arrays, is_so in (
            (missing, (*ray, *columns(design), *columns(blank)), lambda w: within(w, design) and within(w, blank) and not within(w, stock)),
            (beyond, (*ray, *columns(design)), lambda w: within(w, stock) and not within(w, design)),
            (lacking, (*columns(design), *columns(blank)), lambda w: within(w, design) and not within(w, blank)),
        ):  # fmt: skip
            places, made = np.zeros((200, 3)), np.zeros(200, np.int32)
            n = kernel(*arrays, 0.2, True, places, made)
            self.assertEqual(n, kernel(*arrays, 0.2, False, places, made))
            # Every point that differs lies in a stretch that has been told, and every middle told does differ.
            told = places[:n, 1]
            fine = np.arange(0.05, 20, 0.1)
            differs = np.array([is_so(w) for w in fine])
            self.assertEqual(bool(differs.any()), n > 0)
            inside = [w for w in told if is_so(w + 1e-6) and is_so(w - 1e-6)]
            edges, _ = ndimage.label(differs)
            for number in range(1, edges.max(initial=0) + 1):
                stretch = fine[edges == number]
                self.assertTrue(any(stretch[0] - 0.1 <= w <= stretch[-1] + 0.1 for w in inside), (stock, design, blank))

    @given(st.lists(st.tuples(interval, st.booleans()), max_size=6))
    def test_crossings_of_overlapping_solids_are_their_union(self, solids) -> None:  # type: ignore[no-untyped-def]
        pairs = [pair for pair, _ in solids]
        crossings = [(low, 1) for low, _ in pairs] + [(high, -1) for _, high in pairs]
        places = np.array([w for w, _ in crossings])
        signs = np.array([s for _, s in crossings], np.int8)
        lo, hi, count = np.zeros(8, np.float32), np.zeros(8, np.float32), np.zeros(1, np.int32)
        faces, at_lo, at_hi = np.arange(len(places), dtype=np.int32), np.zeros(8, np.int32), np.zeros(8, np.int32)
        odd = pair_up(
            np.array([0, len(places)]), places, signs, 1, lo, hi, np.zeros(1, np.int64), count, faces, at_lo, at_hi
        )
        for i in range(count[0]):  # the crossing that each end is
            self.assertEqual((np.float32(places[at_lo[i]]), np.float32(places[at_hi[i]])), (lo[i], hi[i]))
        self.assertEqual(odd, 0)
        for w in np.arange(0.25, 20, 0.5):
            inside = any(low < w < high for low, high in pairs)
            self.assertEqual(any(lo[i] < w < hi[i] for i in range(count[0])), inside, (w, pairs))


class Ramps(unittest.TestCase):
    @given(st.lists(st.tuples(*(st.floats(low, high) for low, high in ((0.01, 80), (0, 40), (0, 40), (20, 300), (300, 6000)))), min_size=1,
                    max_size=20))  # fmt: skip
    @settings(max_examples=60)
    def test_moments_of_ramps_one_by_one(self, moves: list[tuple[float, ...]]) -> None:
        tolerance, laws = 0.005, []
        for length, v_in, v_out, v_max, accel in moves:
            v_in = min(v_in, v_max, math.sqrt(v_out**2 + 2 * accel * length))
            v_out = min(v_out, v_max, math.sqrt(v_in**2 + 2 * accel * length))
            laws.append((length, v_in, v_out, *(trapezoid(length, v_in, v_out, v_max, accel))))
        rows = np.array(
            [
                (length, a, b, peak, move[4], whole)
                for (length, a, b, peak, whole), move in zip(laws, moves, strict=True)
            ]
        )
        first, nothing = np.zeros(len(rows) + 1, np.int64), np.zeros(0)
        moments_of_ramps(rows, tolerance, first, nothing, nothing)
        times, shares = np.empty(first[-1]), np.empty(first[-1])
        moments_of_ramps(rows, tolerance, first, times, shares)
        for law, begin, end in zip(rows.tolist(), first[:-1], first[1:], strict=True):
            length, _, _, _, accel, whole = law
            self.assertEqual((times[end - 1], shares[end - 1]), (whole, 1.0))
            own = np.concatenate([[0.0], times[begin:end]])
            self.assertTrue((np.diff(own) > 0).all())
            # Halfway between two moments a motion taken as even is off the most.
            for t0, t1 in itertools.pairwise(own.tolist()):
                even = 0.5 * (way_at(t0, *law) + way_at(t1, *law))
                self.assertLess(abs(way_at(0.5 * (t0 + t1), *law) - even), tolerance * 1.001 + 1e-9)


class Solids(unittest.TestCase):
    def test_rays_through_a_slanted_solid_have_its_volume(self) -> None:
        from bluntmirror.geometry.frames import frame

        solid = joined([meshes.tube(20, 8, 14).moved(frame([1, 2, 3], [23, 31, 7]))])
        lattice = Lattice.over(solid.bounds, 0.25)
        for direction in range(3):
            laid = rays_of(solid, lattice, direction)
            lateral = [lattice.step[a] for a in range(3) if a != direction]
            volume = float((laid.hi - laid.lo).sum()) * lateral[0] * lateral[1]
            self.assertEqual(laid.odd, 0)
            self.assertAlmostEqual(volume / solid.volume, 1.0, delta=0.002)

    @given(st.lists(near, min_size=4, max_size=4), st.lists(near, min_size=2, max_size=2))
    @settings(max_examples=300)
    def test_the_side_of_an_edge_is_exact(self, edge: list[float], point: list[float]) -> None:
        # On the edge's line but for the last digits: that is where rounding gets it wrong.
        (au, av, bu, bv), (share, beside) = edge, point
        pu, pv = au + share * (bu - au), av + share * (bv - av) + (beside - round(beside)) * 1e-15
        a, b, c, d, u, v = map(Fraction, (au, av, bu, bv, pu, pv))
        exact = (c - a) * (v - b) - (d - b) * (u - a)
        self.assertEqual(np.sign(_edge(au, av, bu, bv, pu, pv)), (exact > 0) - (exact < 0))
        self.assertEqual(_edge(au, av, bu, bv, pu, pv), -_edge(bu, bv, au, av, pu, pv))

    @given(
        st.lists(st.tuples(near, near, st.integers(-8, 8)), min_size=4, max_size=9), st.randoms(use_true_random=False)
    )
    @settings(max_examples=150)
    def test_rays_through_any_closed_solid_add_up(self, points: list[tuple[float, float, int]], random: Random) -> None:
        # A closed surface over any points, crossing itself as it likes: corners on rays, edges upright, slivers of no area.
        corners = np.array([(u, v, w) for u, v, w in points])
        faces: list[tuple[int, int, int]] = [(0, 1, 2), (0, 2, 3), (0, 3, 1), (1, 3, 2)]
        for k in range(4, len(corners)):  # a face gives way to three that meet in a new corner
            a, b, c = faces.pop(random.randrange(len(faces)))
            faces += [(a, b, k), (b, c, k), (c, a, k)]
        solid = Mesh(corners, np.array(faces))
        lattice = Lattice(np.full(3, -8.5), np.ones(3), np.full(3, 17))
        for direction in range(3):
            self.assertEqual(rays_of(solid, lattice, direction).odd, 0)

    def test_an_open_solid_is_noticed(self) -> None:
        box = meshes.box([10, 10, 10])
        stock = Stock(Mesh(box.vertices, box.faces[:-2]), 1.0)
        self.assertGreater(stock.open_rays, 0)

    def test_the_tree_holds_every_triangle_in_its_boxes(self) -> None:
        solid = meshes.revolve([[0, 0], [8, 0], [21, 12], [21, 60], [0, 60]])
        tree = box_tree(solid)
        self.assertEqual(sorted(tree.order.tolist()), list(range(len(solid.faces))))
        seen = np.zeros(len(solid.faces), int)
        waiting = [(0, np.array([-np.inf] * 3 + [np.inf] * 3))]
        while waiting:
            node, around = waiting.pop()
            box = tree.boxes[node]
            self.assertTrue((box[:3] >= around[:3]).all() and (box[3:] <= around[3:]).all())
            first, second = tree.nodes[node]
            if first >= 0:
                waiting += [(int(first), box), (int(second), box)]
                continue
            for i in range(-first - 1, -first - 1 + second):
                seen[i] += 1
                self.assertTrue((tree.triangles[i] >= box[:3]).all() and (tree.triangles[i] <= box[3:]).all())
        self.assertTrue((seen == 1).all())


class Cut(unittest.TestCase):
    def test_the_bound_that_skips_rays_skips_none_that_matters(self) -> None:
        """The twin goes through every ray with the exact interval, motion by motion, and must end with the same intervals; the motion that
        is said to have made an end ends there."""
        from bluntmirror.material.sweep_kernel import meet

        rng = np.random.default_rng(8)
        for cutter in (FLAT, BALL, BULL, DRILL, CHAMFER):
            assembly = tool(**cutter)
            sets = ToolSets.of([assembly])
            points = np.column_stack([rng.uniform(-9, 9, (40, 2)), rng.uniform(1, 5, 40)])
            # Some of the motions level, and some straight down or up, in steps: they have branches of their own.
            points[1::3, 2] = points[:-1:3, 2]
            points[2::4, :2] = points[3::4, :2] = points[1::4, :2]
            stock = Stock(meshes.box([16, 14, 10]), 0.8)
            n = len(points) - 1
            delta = np.diff(points, axis=0)
            stock.cut(
                Batch(
                    points[:-1].copy(), delta, np.zeros(n, np.int64), np.ones(n, np.int64), np.arange(n, dtype=np.int32)
                ),
                sets,
            )
            for rays in stock.rays:
                a, b, w = ((1, 2, 0), (0, 2, 1), (0, 1, 2))[rays.direction]
                left: dict[tuple[int, int], list[tuple[float, float, int, int]]] = {}
                u, v, slot = rays.ends()
                for i, j, s in zip(u, v, slot, strict=True):
                    tags = int(rays.tag_lo[s]), int(rays.tag_hi[s])
                    left.setdefault((int(i), int(j)), []).append((float(rays.lo[s]), float(rays.hi[s]), *tags))
                half = (8.0, 7.0, 5.0)[w]
                for i, x in enumerate(stock.lattice.centres(a)):
                    for j, y in enumerate(stock.lattice.centres(b)):
                        twin = [(-half, half)]
                        swept = [(half, -half)] * (n + 1)  # by every motion; the last: what nothing has cut
                        for number, (start, step) in enumerate(zip(points[:-1], delta, strict=True)):
                            low, high = math.inf, -math.inf
                            for slab in range(len(assembly.cutting)):
                                met, lo, hi = meet(rays.direction, assembly.cutting, slab, *start, *step, x, y)
                                if met:
                                    low, high = min(low, lo), max(high, hi)
                            if low < high:
                                swept[number] = low, high
                                twin = [
                                    part
                                    for p, q in twin
                                    for part in ((p, min(q, low)), (max(p, high), q))
                                    if part[1] - part[0] > WELD
                                ]
                        seen = left.get((i, j), [])
                        self.assertEqual(len(seen), len(twin), (cutter["type"], rays.direction, i, j))
                        for (p, q, begun, ended), (r, s_) in zip(seen, twin, strict=True):
                            for ours, theirs, made in ((p, r, swept[begun][1]), (q, s_, swept[ended][0])):
                                self.assertAlmostEqual(ours, theirs, delta=2 * WELD)
                                self.assertAlmostEqual(ours, made, delta=2 * WELD)

    def test_random_cuts_leave_a_closed_surface_whose_volume_is_the_rays(self) -> None:
        rng = np.random.default_rng(4)
        stock = Stock(meshes.box([24, 20, 12]), 0.4)
        film = Film(stock)
        film.shoot(0.0)
        for moment in range(6):
            points = np.column_stack([rng.uniform(-12, 12, (5, 2)), rng.uniform(0, 6, 5)])
            delta = np.diff(points, axis=0)
            stock.cut(Batch(points[:-1].copy(), delta, np.zeros(4, np.int64), np.ones(4, np.int64),
                            np.full(4, moment, np.int32)), ToolSets.of([tool(**BALL)]))  # fmt: skip
            film.shoot(moment + 1.0)
            mesh = film.final_mesh()
            self.assertTrue(mesh.closed)
            self.assertAlmostEqual(mesh.volume / stock.volume, 1.0, delta=0.02)

    def test_loose_pieces_against_labelled_cells(self) -> None:
        rng = np.random.default_rng(11)
        for _ in range(6):
            stock = Stock(meshes.box([30, 24, 3]), 0.5)
            points = np.column_stack([rng.uniform(-16, 16, (9, 2)), np.full(9, -2.0)])
            points[1::2, 0] = points[::2, 0][: len(points[1::2])]  # along X and Y only, so that no wall is a sliver
            n = len(points) - 1
            stock.cut(Batch(points[:-1].copy(), np.diff(points, axis=0), np.zeros(n, np.int64), np.ones(n, np.int64),
                            np.arange(n, dtype=np.int32)), ToolSets.of([tool(**FLAT)]))  # fmt: skip
            cells = np.zeros(stock.lattice.counts, np.bool_)
            u, v, slot = stock.rays[2].ends()
            for i, j, s in zip(u, v, slot, strict=True):
                z = stock.lattice.centres(2)
                cells[i, j] |= (z > stock.rays[2].lo[s]) & (z < stock.rays[2].hi[s])
            numbers = ndimage.label(cells)[0]
            sizes = sorted((np.bincount(numbers.ravel())[1:]).tolist(), reverse=True)
            cell = float(np.prod(stock.lattice.step))
            big = [size * cell for size in sizes[1:] if size > 16]
            told = [piece.volume for piece in loose_pieces(stock) if piece.volume > 16 * cell]
            self.assertEqual(len(told), len(big))
            for ours, theirs in zip(told, big, strict=True):
                self.assertAlmostEqual(ours / theirs, 1.0, delta=0.25)  # cells are coarser than the rays' exact ends


class FewerRays(unittest.TestCase):
    def test_what_every_fourth_ray_tells_is_among_what_all_tell(self) -> None:
        """A leaning cylinder put into a block: the shift that parts the two is the greatest over rays, so over fewer it is no greater;
        and on rays that are the very same it is one of theirs."""
        random = Random(11)
        stock = Stock(meshes.box((21.0, 17.0, 13.0)).moved(frame((10.5, 8.5, 6.5))), 0.5)
        less = 0
        for _ in range(40):
            at = [random.uniform(2, 19), random.uniform(2, 15), random.uniform(4, 12)]
            body = meshes.cylinder(6.0, 12.0).moved(frame(at, [random.uniform(-40, 40), random.uniform(-40, 40), 0.0]))
            every, few = reach_into(stock, body), reach_into(stock, body, 4)
            assert every is not None
            if few is not None:
                self.assertLessEqual(few[0], every[0] + 1e-6)
                less += few[0] < every[0] - 1e-3
                self.assertGreater(few[0], every[0] - 4 * 0.5 * 2.0)
        self.assertGreater(less, 5)
        for every in (2, 3, 4, 7):
            fewer, first = _thinned(stock.lattice, every)
            for axis in range(3):
                theirs = stock.lattice.centres(axis)[first::every]
                np.testing.assert_allclose(fewer.centres(axis), theirs, atol=1e-12)


class Law(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.floats(0.05, 30), st.floats(1, 80), st.floats(0, 2 * math.pi)), min_size=1, max_size=25)
    )
    @settings(max_examples=150)
    def test_speeds_follow_on_and_no_axis_is_asked_too_much(self, moves: list[tuple[float, float, float]]) -> None:
        length, limit = (np.array([m[i] for m in moves]) for i in (0, 1))
        tangent = np.array([[math.cos(m[2]), math.sin(m[2])] for m in moves])
        n, accel, corner = len(moves), np.full(len(moves), 700.0), 0.004
        links = np.ones(n, np.bool_)
        v_in, v_out, peak, duration = time_law(
            length, limit, accel, tangent, tangent, links, np.array([700.0, 700.0]), corner
        )
        self.assertEqual((v_in[0], v_out[-1]), (0.0, 0.0))
        np.testing.assert_allclose(v_out[:-1], v_in[1:], atol=1e-9)
        self.assertTrue((peak <= limit + 1e-9).all())
        # Braking and speeding up stay within the acceleration: |v_out² − v_in²| ≤ 2·a·s.
        self.assertTrue((np.abs(v_out**2 - v_in**2) <= 2 * 700 * length + 1e-6).all())
        jump = np.abs(np.diff(tangent, axis=0)) * v_out[:-1, None]
        self.assertTrue((jump <= 700 * corner + 1e-6).all())
        # No slower than stopping at every corner, no faster than the feed allows.
        stops = sum(
            s / v + v / 700 if s > v * v / 700 else 2 * math.sqrt(s / 700) for s, v in zip(length, limit, strict=True)
        )
        self.assertLessEqual(duration.sum(), stops + 1e-9)
        self.assertGreaterEqual(duration.sum(), float((length / limit).sum()) - 1e-9)
