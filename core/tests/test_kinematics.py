"""Chains with rotary axes, both ways, and what programs make of them: against hand matrices and SciPy's rotations."""

import math
import unittest
import unittest.mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from bluntmirror.geometry.frames import frame, rotation_about
from bluntmirror.job.models import MachineFile
from bluntmirror.machine import Chain
from bluntmirror.machine.screws import between, between_mounts
from bluntmirror.machine.tip import Kinematics
from bluntmirror.program.frames import tilted_plane
from bluntmirror.rehearsal import check_program, rehearse
from bluntmirror.timeline.reel import make_knots

from .machines import MACHINES, TOOLS, job_on, linear, link, rotary, tool_by_hand
from .test_machine import WithFolder

HEAD = "G17 G21 G40 G49 G80 G90 G94\nT1 M6\nG54 S5000 M3\n"


def chain_of(name: str) -> Chain:
    return Chain(MachineFile.model_validate(MACHINES[name]))


def kinematics(name: str) -> Kinematics:
    chain = chain_of(name)
    axes = MACHINES[name]["channels"][0]["axes"]
    return Kinematics(chain, chain.mount_of("tool"), chain.mount_of("work"), axes)


class Forward(unittest.TestCase):
    def test_screws_against_hand_matrices_and_the_product_of_joint_frames(self) -> None:
        rng = np.random.default_rng(5)
        for name in MACHINES:
            chain = chain_of(name)
            tool, work = chain.mount_of("tool"), chain.mount_of("work")
            values = rng.uniform(-170, 170, (200, len(chain.axes)))
            poses = between_mounts(chain, work, tool).poses(values)
            np.testing.assert_allclose(poses, chain.tool_in_work(tool, work, values), atol=1e-9)
            for row, pose in zip(values[:20], poses, strict=False):
                gauge, axis = tool_by_hand(name, dict(zip(chain.axes, row, strict=True)))
                np.testing.assert_allclose(pose[:3, 3], gauge, atol=1e-9)
                np.testing.assert_allclose(pose[:3, 2], axis, atol=1e-12)

    @given(st.integers(0, 10_000))
    @settings(max_examples=60)
    def test_random_trees_any_link_from_any_other(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        links = [{"name": "L0"}]
        for i in range(1, 8):
            kind = "rotary" if rng.random() < 0.5 else "linear"
            joint = {"axis": f"Q{i}", "type": kind, "direction": rng.normal(size=3).tolist(), "rapid": 1, "accel": 1,
                     "at": rng.uniform(-50, 50, 3).tolist()}  # fmt: skip
            links.append({"name": f"L{i}", "parent": f"L{rng.integers(0, i)}", "joint": joint})
        mounts = [{"name": "t", "link": "L7", "takes": "tool"}, {"name": "w", "link": "L6", "takes": "work"}]
        data = {
            "format": "blunt-mirror/machine@1",
            "name": "r",
            "links": links,
            "mounts": mounts,
            "channels": [{"number": 1, "axes": ["Q1"]}],
        }
        chain = Chain(MachineFile.model_validate(data))
        values = rng.uniform(-200, 200, (5, 7))
        placed = frame((3, -2, 5), (20, 30, 40))
        for a, b in (("L7", "L6"), ("L3", "L7"), ("L0", "L5"), ("L5", "L5")):
            expected = np.linalg.inv(chain.pose(a, values) @ placed) @ chain.pose(b, values)
            np.testing.assert_allclose(between(chain, a, b, placed).poses(values), expected, atol=1e-8)


class Inverse(unittest.TestCase):
    def test_against_forward_on_ten_thousand_random_poses_a_machine(self) -> None:
        rng = np.random.default_rng(6)
        for name in MACHINES:
            solver = kinematics(name)
            n = 10_000
            values = rng.uniform(-300, 300, (n, len(solver.axes)))
            for turn in solver.turns:
                low, high = turn.travel or (-180, 180)
                values[:, turn.column] = rng.uniform(low, high, n)
            lengths = rng.uniform(0, 200, n)
            places = solver.zero_places(values, lengths)
            start = values.copy()
            start[:, :3] = 0.0
            np.testing.assert_allclose(solver.reach_all(start, places, lengths), values, atol=1e-7)
            for i in range(0, n, 25):  # each setting found brings the tool along; the one it came from is among them
                vector = solver.tool_vector(values[i])
                found = solver.directions_for(vector, values[i].tolist())
                self.assertTrue(found)
                for solution in found:
                    np.testing.assert_allclose(solver.tool_vector(solution), vector, atol=1e-9)
                rotary = [turn.column for turn in solver.turns]
                apart = [max(abs(math.remainder(s[c] - values[i, c], 360)) for c in rotary) for s in found]
                self.assertLess(min(apart), 1e-5)

    def test_a_slide_beside_x_y_z_stays_where_it_stands(self) -> None:
        # A slanted pallet slide U under the table's C: where U stands, a plain move and one under tip control agree at C0, and the
        # work turns about where U has taken the table.
        aside = np.array([0.6, 0.8, 0.0])
        links = [
            link("bed"),
            link("pallet", "bed", linear("U", aside.tolist())), link("table", "pallet", rotary("C", [0, 0, 1], [0, 0, 0])),
            link("x", "bed", linear("X", [1, 0, 0])), link("y", "x", linear("Y", [0, 1, 0])), link("z", "y", linear("Z", [0, 0, 1])),
        ]  # fmt: skip
        mounts = [
            {"name": "spindle", "link": "z", "takes": "tool"},
            {"name": "table", "link": "table", "takes": "work"},
        ]
        axes = ["X", "Y", "Z", "C", "U"]
        machine = {"format": "blunt-mirror/machine@1", "name": "pallet", "links": links, "mounts": mounts,
                   "channels": [{"number": 1, "axes": axes}]}  # fmt: skip
        chain = Chain(MachineFile.model_validate(machine))
        solver = Kinematics(chain, chain.mount_of("tool"), chain.mount_of("work"), axes)
        rng = np.random.default_rng(7)
        values = rng.uniform(-200, 200, (50, 5))
        flat = values.copy()
        flat[:, 3] = 0.0
        np.testing.assert_allclose(solver.zero_places(flat, np.zeros(50)), flat[:, :3], atol=1e-9)
        for row in values:
            place, slide = rng.uniform(-100, 100, 3), row[4] * aside
            expected = slide + rotation_about([0, 0, 1], row[3]) @ (place - slide)
            reached = solver.reach(row, place, 0.0)
            assert reached
            np.testing.assert_allclose(reached[:3], expected, atol=1e-9)
            np.testing.assert_allclose(solver.zero_place(reached, 0.0), place, atol=1e-9)
            np.testing.assert_allclose(
                solver.reach_all(row[None], place[None], np.zeros(1))[0, :3], expected, atol=1e-9
            )

    def test_what_no_setting_gives_is_out_of_reach(self) -> None:
        self.assertEqual(kinematics("horizontal").directions_for(np.array([0, 0.3, 1.0]), [0.0] * 4), [])
        # Tilted further than the axis' travel: found, but not within it.
        solver = kinematics("head and table")
        vector = Rotation.from_euler("y", 130, degrees=True).apply([0, 0, 1])
        self.assertTrue(solver.directions_for(vector, [0.0] * 5))
        self.assertIsNone(solver.nearest_direction(vector, [0.0] * 5))

    def test_the_nearest_is_taken_and_of_two_alike_the_positive(self) -> None:
        solver = kinematics("trunnion")
        self.assertEqual(solver.axes, ("X", "Y", "Z", "A", "C"))
        # Tool towards +Y of the work by 30°: A30 C180 and A−30 C0 (by the chain's signs) — nearest to where C stands.
        vector = np.array([0, math.sin(math.radians(30)), math.cos(math.radians(30))])
        settings_ = [tuple(np.round(s[3:], 6)) for s in solver.directions_for(vector, [0.0] * 5)]
        self.assertEqual(set(settings_), {(-30.0, 0.0), (30.0, 180.0)})
        near = solver.nearest_direction(vector, [0, 0, 0, 10, 170])
        assert near
        np.testing.assert_allclose(near[3:], (30, 180), atol=1e-9)
        # Square to it both settings ask for 30° and a quarter: the positive tilt it is.
        sideways = np.array([math.sin(math.radians(30)), 0, math.cos(math.radians(30))])
        chosen = solver.nearest_direction(sideways, [0.0] * 5)
        assert chosen
        self.assertAlmostEqual(chosen[3], 30.0)
        self.assertAlmostEqual(abs(chosen[4]), 90.0)

    def test_along_the_free_axis_it_stays_where_it_is(self) -> None:
        chosen = kinematics("trunnion").nearest_direction(np.array([0, 0, 1.0]), [0, 0, 0, 25.0, 77.0])
        assert chosen
        np.testing.assert_allclose(chosen[3:], (0, 77), atol=1e-9)

    def test_positive_words_move_the_tool_positively_seen_from_the_work(self) -> None:
        # ISO 841: also rotary, by the right-hand rule about X, Y and Z of the work.
        about = {"A": [1, 0, 0], "B": [0, 1, 0], "C": [0, 0, 1]}
        for name in ("trunnion", "router", "head and table", "horizontal"):
            chain = chain_of(name)
            screws = between_mounts(chain, chain.mount_of("work"), chain.mount_of("tool"))
            for i, axis in enumerate(chain.axes):
                if axis in about:
                    one = np.zeros((1, len(chain.axes)))
                    one[0, i] = 20.0
                    np.testing.assert_allclose(
                        screws.poses(one)[0, :3, :3], rotation_about(about[axis], 20.0), atol=1e-12, err_msg=name + axis
                    )


class WithMachine(WithFolder):
    def ends(self, name: str, program: str, **changes):  # type: ignore[no-untyped-def]
        result = check_program(job_on(self.folder, name, HEAD + program, **changes))
        assert result.reel
        motions = result.reel.motions
        return [dict(zip(motions.axes, row, strict=True)) for row in motions.end], result


class TiltedPlane(WithMachine):
    def test_euler_angles_are_about_the_turned_axes_z_x_z(self) -> None:
        made = tilted_plane([1, 2, 3], [25, -40, 70])
        expected = Rotation.from_euler("ZXZ", [25, -40, 70], degrees=True).as_matrix()  # capitals: intrinsic
        np.testing.assert_allclose(made[:3, :3], expected, atol=1e-12)
        np.testing.assert_array_equal(made[:3, 3], [1, 2, 3])

    def test_the_tip_comes_to_the_point_of_the_plane_and_the_tool_stands_on_it(self) -> None:
        plane = Rotation.from_euler("ZXZ", [30, 25, -10], degrees=True)
        origin = np.array([12, -7, 20.0])
        program = "G68.2 X12 Y-7 Z20 I30 J25 K-10\nG53.1\nG43 H1 G0 X5 Y6 Z40\nG1 Z-3 F500\nX20\nG69\nM30\n"
        for name in ("trunnion", "router", "head and table", "swivel"):
            with self.subTest(name):
                ends, result = self.ends(name, program)
                self.assertEqual([f.kind for f in result.findings], [])
                datum, upright = tool_by_hand(
                    name, result.strands[0].setup.work_offsets["G54"] | {"A": 0, "B": 0, "C": 0}
                )
                np.testing.assert_allclose(upright, [0, 0, 1], atol=1e-12)
                for q, point in zip(ends[-3:], ([5, 6, 40], [5, 6, -3], [20, 6, -3]), strict=True):
                    gauge, axis = tool_by_hand(name, q)
                    np.testing.assert_allclose(axis, plane.apply([0, 0, 1]), atol=1e-9)
                    np.testing.assert_allclose(gauge - 120 * axis - datum, origin + plane.apply(point), atol=1e-6)

    def test_a_circle_in_the_plane_is_one_on_the_work(self) -> None:
        ends, result = self.ends(
            "trunnion", "G68.2 X0 Y0 Z10 I0 J40 K0\nG53.1\nG43 H1 G0 X10 Y0 Z5\nG1 Z0 F800\nG3 I-10\nG69\nM30\n"
        )
        self.assertEqual([f.kind for f in result.findings], [])
        knots = make_knots(result.reel, 0.002)
        around = np.flatnonzero(knots.motion == len(ends) - 1)
        datum, _ = tool_by_hand("trunnion", result.strands[0].setup.work_offsets["G54"] | {"A": 0, "C": 0})
        plane = Rotation.from_euler("ZXZ", [0, 40, 0], degrees=True)
        for row in around:
            for share in (0.0, 0.5):
                at = knots.at[row] + share * (knots.at[row + 1] - knots.at[row])
                gauge, axis = tool_by_hand("trunnion", dict(zip(result.reel.motions.axes, at, strict=True)))
                x, y, z = plane.inv().apply(gauge - 120 * axis - datum - [0, 0, 10])
                self.assertAlmostEqual(math.hypot(x, y), 10.0, delta=0.001)
                self.assertAlmostEqual(z, 0.0, delta=0.001)
        self.assertAlmostEqual(result.reel.length[-1], 20 * math.pi, delta=1e-6)

    def test_out_of_reach_is_said_at_its_line(self) -> None:
        _, result = self.ends("horizontal", "G68.2 X0 Y0 Z0 I0 J30 K0\nG53.1\nM30\n")
        self.assertEqual([(f.kind, f.line) for f in result.findings], [("travel.reach", 5)])
        _, result = self.ends("trunnion", "G53.1\nM30\n")
        self.assertEqual([(f.kind, f.line) for f in result.findings], [("program.syntax", 4)])

    def test_the_dynamic_offset_turns_with_the_table(self) -> None:
        # Horizontal machine, B90: the point 30 along the work's X from a datum 50 beside the table's axis.
        offsets = {"G54": {"datum": [50, 60, 0], "mount": "table"}}
        codes = {f"G{number}": {"does": "offset-turns", "on": on} for number, on in ((160, True), (161, False))}
        with unittest.mock.patch.dict(MACHINES, {"horizontal": MACHINES["horizontal"] | {"codes": codes}}):
            ends, result = self.ends("horizontal", "G160\nG0 B90\nG43 H1 X30 Y5 Z20\nG161\nM30\n", work_offsets=offsets)
        self.assertEqual([f.kind for f in result.findings], [])
        gauge, axis = tool_by_hand("horizontal", ends[-1])
        np.testing.assert_allclose(gauge - 120 * axis, [80, 65, 20], atol=1e-9)


class TipControl(WithMachine):
    def test_the_tip_keeps_to_the_line_and_the_rotary_words_are_axis_values(self) -> None:
        programs = {
            "trunnion": "G0 A0 C0\nG43.4 H1 X0 Y0 Z30\nG1 X20 Y10 Z5 A-35 C120 F1500\nX-20 Y15 Z8 A20 C-60\nG49\nM30\n",
            "router": "G43.4 H1 G0 X0 Y0 Z30\nG1 X20 Y10 Z5 A-35 C120 F1500\nX-20 Y15 Z8 A20 C-60\nG49\nM30\n",
            "head and table": "G43.4 H1 G0 X0 Y0 Z30\nG1 X20 Y10 Z5 B-35 C120 F1500\nX-20 Y15 Z8 B20 C-60\nG49\nM30\n",
            "swivel": "G43.4 H1 G0 X0 Y0 Z30\nG1 X20 Y10 Z5 B-35 C120 F1500\nX-20 Y15 Z8 B20 C-60\nG49\nM30\n",
            "horizontal": "G43.4 H1 G0 X0 Y0 Z30\nG1 X20 Y10 Z5 B-35 F1500\nX-20 Y15 Z8 B120\nG49\nM30\n",
        }
        for name, program in programs.items():
            with self.subTest(name):
                _, result = self.ends(name, program)
                self.assertEqual([f.kind for f in result.findings if f.severity == "stop"], [])
                reel = result.reel
                knots, n = make_knots(reel, 0.002), len(reel.motions)
                datum, _ = tool_by_hand(name, result.strands[0].setup.work_offsets["G54"] | {"A": 0, "B": 0, "C": 0})
                ways = {n - 2: ([0, 0, 30], [20, 10, 5]), n - 1: ([20, 10, 5], [-20, 15, 8])}
                worst = 0.0
                for row in np.flatnonzero(np.isin(knots.motion, list(ways))):
                    start, end = (np.array(p, float) for p in ways[int(knots.motion[row])])
                    along = (end - start) / np.linalg.norm(end - start)
                    for share in (0.0, 0.25, 0.5, 0.75):
                        at = knots.at[row] + share * (knots.at[row + 1] - knots.at[row])
                        gauge, axis = tool_by_hand(name, dict(zip(reel.motions.axes, at, strict=True)))
                        off = gauge - 120 * axis - datum - start
                        worst = max(worst, float(np.linalg.norm(off - (off @ along) * along)))
                self.assertLess(worst, 0.001)
                self.assertAlmostEqual(reel.length[n - 2], math.sqrt(400 + 100 + 625), places=6)

    def test_an_s_shaped_strip_with_the_tool_leaning_along_it(self) -> None:
        # After the S-shaped test piece of ISO 10791-7 (from memory): the tip follows an S while the tool leans to one side, then
        # to the other; both rotary axes turn in every block. Asked at ten places of each: on the block's straight line.
        points, blocks = [], []
        for k in range(61):
            s = k / 60
            x, y = -40 + 80 * s, 25 * math.sin(2 * math.pi * s)
            lean, heading = 25 * math.sin(2 * math.pi * s + 0.7), 60 * math.cos(2 * math.pi * s)
            points.append((x, y, 3 * math.sin(5 * s)))
            blocks.append((lean, heading))
        for name, tilt, turn in (
            ("trunnion", "A", "C"),
            ("router", "A", "C"),
            ("head and table", "B", "C"),
            ("swivel", "B", "C"),
        ):
            lines = [
                f"{'G1 ' if k == 1 else ''}X{x:.4f} Y{y:.4f} Z{z:.4f} {tilt}{a:.4f} {turn}{c:.4f}{' F2500' if k == 1 else ''}"
                for k, ((x, y, z), (a, c)) in enumerate(zip(points, blocks, strict=True))
            ]
            _, result = self.ends(name, "\n".join([f"G43.4 H2 G0 {lines[0]}", *lines[1:], "G49", "M30"]) + "\n")
            reel, knots = result.reel, make_knots(result.reel, 0.002)
            datum, _ = tool_by_hand(name, result.strands[0].setup.work_offsets["G54"] | {"A": 0, "B": 0, "C": 0})
            first = len(reel.motions) - 60
            worst = 0.0
            for row in np.flatnonzero(knots.motion >= first):
                k = int(knots.motion[row]) - first
                start, end = (np.round(points[i], 4) for i in (k, k + 1))
                along = (end - start) / np.linalg.norm(end - start)
                for share in np.linspace(0, 1, 10):
                    at = knots.at[row] + share * (knots.at[row + 1] - knots.at[row])
                    gauge, axis = tool_by_hand(name, dict(zip(reel.motions.axes, at, strict=True)))
                    off = gauge - 110 * axis - datum - start
                    worst = max(worst, float(np.linalg.norm(off - (off @ along) * along)))
            self.assertLess(worst, 0.001, name)

    def test_more_turns_than_any_work_needs_end_the_reading(self) -> None:
        begin = "G43.4 H1 G0 X0 Y0 Z30\n"
        for program, line in (
            (begin + "G1 X30 C9999999 F9000\nG49\nM30\n", 5), (begin + "G3 X0 Y0 I10 C-9999999 F9000\nG49\nM30\n", 5),
            ("#1=0\n" + begin + "G91\nWHILE [#1 LT 30] DO1\nG1 X1 C180000 F9000\n#1=#1+1\nEND1\nG90 G49\nM30\n", 8),
        ):  # fmt: skip
            with self.subTest(program[len(begin) :]):
                _, result = self.ends("trunnion", program)
                self.assertIn(("endless.turns", line), [(f.rule, f.line) for f in result.findings])
                self.assertLess(len(make_knots(result.reel, 0.002).at), 2_000_000)
        _, result = self.ends("trunnion", begin + "G1 X30 C36000 F9000\nG49\nM30\n")  # a spiral of a hundred turns
        self.assertNotIn("endless.turns", [f.rule for f in result.findings])

    def test_no_axis_outruns_its_speed_or_its_acceleration(self) -> None:
        _, result = self.ends(
            "trunnion", "G43.4 H1 G0 X0 Y0 Z30\nG1 X30 Y10 Z5 A-35 C200 F9000\nX-20 Y15 Z8 A20 C-60\nG49\nM30\n"
        )
        reel, knots = result.reel, make_knots(result.reel, 0.002)
        turning = np.isin(knots.motion, np.flatnonzero(reel.motions.in_frame))
        speed = np.abs(np.diff(knots.at, axis=0))[turning] / (knots.t1 - knots.t0)[turning, None]
        self.assertTrue((speed <= reel.axis_speed * 1.0001).all())
        middles = 0.5 * (knots.t1 + knots.t0)[turning]
        rate = (
            np.diff(np.diff(knots.at, axis=0)[turning] / (knots.t1 - knots.t0)[turning, None], axis=0)
            / np.diff(middles)[:, None]
        )
        self.assertLess(
            float((np.abs(rate) / reel.axis_accel).max()), 1.6
        )  # a mean over pieces, of a trapezoid's corner

    def test_the_register_is_what_the_control_knows_the_length_is_what_the_tool_does(self) -> None:
        wrong = [{**tool, "registers": {"H": tool["length"] + 5}} for tool in TOOLS]
        ends, result = self.ends("trunnion", "G43.4 H1 G0 X0 Y0 Z30 A30 C20\nG49\nM30\n", tools=wrong)
        datum, _ = tool_by_hand("trunnion", result.strands[0].setup.work_offsets["G54"] | {"A": 0, "C": 0})
        gauge, axis = tool_by_hand("trunnion", ends[-1])
        np.testing.assert_allclose(gauge - 125 * axis - datum, [0, 0, 30], atol=1e-9)

    def test_the_offsets_own_rotary_values_shift_rotary_words(self) -> None:
        offset = {"G54": {"X": 100, "Y": 50, "Z": -300, "A": 0, "C": 15}}
        ends, _ = self.ends("trunnion", "G43.4 H1 G0 X4 Y5 Z6 A20 C30\nG49\nM30\n", work_offsets=offset)
        self.assertEqual((ends[-1]["A"], ends[-1]["C"]), (20, 45))
        datum, _ = tool_by_hand("trunnion", {"X": 100, "Y": 50, "Z": -300, "A": 0, "C": 0})
        gauge, axis = tool_by_hand("trunnion", ends[-1])
        np.testing.assert_allclose(gauge - 120 * axis - datum, [4, 5, 6], atol=1e-9)

    def test_a_tool_vector_is_the_rotary_words_it_stands_for(self) -> None:
        ends, result = self.ends("trunnion", "G43.5 H1 G0 X4 Y5 Z6\nG1 X8 I0.3 J-0.2 K1 F900\nG49\nM30\n")
        self.assertEqual([f.kind for f in result.findings], [])
        datum, _ = tool_by_hand("trunnion", result.strands[0].setup.work_offsets["G54"] | {"A": 0, "C": 0})
        gauge, axis = tool_by_hand("trunnion", ends[-1])
        np.testing.assert_allclose(axis, np.array([0.3, -0.2, 1]) / math.sqrt(1.13), atol=1e-9)
        np.testing.assert_allclose(gauge - 120 * axis - datum, [8, 5, 6], atol=1e-9)

    def test_what_a_tilted_plane_or_a_vector_cannot_say(self) -> None:
        for program, kind, line in (
            ("G43.5 H1 G0 X1 Y1 Z50\nG1 X2 I0 J0 K0 F500\n", "program.syntax", 5),
            ("G68.2 P1 X0 Y0 Z0 I0 J30 K0\n", "program.word", 4),
            ("G68.2 X0 Y0 Z0 I0 J30 K0\nG92 X0\nG69\n", "program.word", 5),
            ("G68.2 X0 Y0 Z0 I0 J30 K0\nG52 X5\nG69\n", "program.word", 5),
            ("G43.5 H1 G0 X1 Y1 Z50\nG1 X2 I0.2 J0 K-1 F500\n", "travel.reach", 5),  # from below
        ):
            with self.subTest(program):
                _, result = self.ends("trunnion", program + "M30\n")
                self.assertEqual([(f.kind, f.line, f.severity) for f in result.findings], [(kind, line, "stop")])

    def test_a_vector_in_increments_is_the_same_vector(self) -> None:
        turned = [
            self.ends("trunnion", f"G43.5 H1 G0 X4 Y5 Z6\n{mode} G1 X{x} I0.3 J-0.2 K1 F900\nG90 G49\nM30\n")[0][-1]
            for mode, x in (("G90", 8), ("G91", 4))
        ]
        for axis, value in turned[0].items():
            self.assertAlmostEqual(turned[1][axis], value, places=9, msg=axis)

    def test_the_long_way_round_in_a_cut_is_called_a_rewind(self) -> None:
        def found(program: str) -> list[tuple[str, int, str, float]]:
            result = rehearse(
                job_on(self.folder, "router", HEAD + "G43.4 H1 G0 X0 Y0 Z30 A40 C170\n" + program + "G49\nM30\n")
            )
            return [(f.kind, f.line, f.axis, f.amount) for f in result.findings]

        self.assertEqual(found("G1 X4 C195 F600\nX8 C-160\n"), [("travel.rewind", 6, "C", 355.0)])
        self.assertEqual(found("G1 X4 C195 F600\nG0 Z60\nC-160\nG1 Z30\n"), [])  # in the air, between two cuts
        self.assertEqual(found("G1 X200 C-90 F600\n"), [])  # a long arm of the path that does turn the tool

    def test_a_turn_past_the_pole_is_called_singular(self) -> None:
        # Nearly upright, half a turn of C within 2 mm: at F3000 C would need 180° in 40 ms.
        result = rehearse(
            job_on(self.folder, "trunnion", HEAD + "G43.4 H1 G0 X0 Y0 Z30 A-0.5 C0\nG1 X2 A-0.5 C180 F3000\nG49\nM30\n")
        )
        self.assertEqual([(f.kind, f.line, f.axis) for f in result.findings], [("travel.singular", 5, "C")])
        result = rehearse(
            job_on(self.folder, "trunnion", HEAD + "G43.4 H1 G0 X0 Y0 Z30 A-40 C0\nG1 X20 A-45 C5 F3000\nG49\nM30\n")
        )
        self.assertEqual([f.kind for f in result.findings], [])
