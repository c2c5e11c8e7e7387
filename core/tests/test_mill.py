"""The milling language, code by code: what stands in a block, and where the tool is afterwards.

Expected values are worked out by hand from the pinned meanings; compensation beside shapely's offset curves, rotations
beside SciPy. Cycle sequences are common practice.
"""

import math
import random
import unittest

import numpy as np
from scipy.spatial.transform import Rotation
from shapely.geometry import LineString, Point, Polygon

from bluntmirror.job.models import MachineCode
from bluntmirror.program.dialect import built_in
from bluntmirror.program.motions import ARC, DWELL, FEED, RAPID, THREAD

from .language import READY, ZERO, mill, read, shows


def path(text: str, count: int = 1, **changes):  # type: ignore[no-untyped-def]
    """The last motions' ends as program coordinates under G54 and H1; fails when anything is reported."""
    _, result, found = read(mill(**changes), READY + text + "\n")
    assert not found, [(f.rule, f.line, f.message) for f in found]
    return (result.motions.end[-count:, :3] - ZERO).round(6).tolist()


def rules(text: str, **changes) -> list[tuple[str, int]]:  # type: ignore[no-untyped-def]
    return [(f.rule, f.line) for f in read(mill(**changes), READY + text + "\n")[2]]


class Modes(unittest.TestCase):
    @shows("G0", "G1", "G17", "G18", "G19", "G20", "G21", "G90", "G91", "G52", "G53", "G54", "G55", "G56", "G57", "G58", "G59",
           "G54.1", "G92", "G61", "G64", "G9", "G4")  # fmt: skip
    def test_where_a_block_ends(self) -> None:
        offsets = {"G54": {"X": -300.0, "Y": -200.0, "Z": -500.0}}
        offsets |= {f"G{n}": {"X": float(n), "Y": -200.0, "Z": -500.0} for n in range(55, 60)} | {"G54.1P3": {"X": 5.0}}
        for text, end in (
            ("G1 X5. Y6.", [5, 6, 0]), ("G0 X5.\nG91 X2.\nG90 Y1.", [7, 1, 0]), ("G20 G1 X1.", [25.4, 0, 0]),
            ("G20\nG21 G1 X1.", [1, 0, 0]), ("G52 X10.\nG1 X1.", [11, 0, 0]), ("G92 X100.\nG1 X101.", [1, 0, 0]),
            ("G53 G0 X-290.", [10, 0, 0]), ("G61 G1 X3.\nG64 X4.", [4, 0, 0]), ("G9 G1 X3.", [3, 0, 0]),
            ("G1 X3.\nG4 P10", [3, 0, 0]), ("G18 G2 X20. Z0. R10.", [20, 0, 0]), ("G19 G2 Y20. Z0. R10.", [0, 20, 0]),
            *((f"G{n} G0 X1.", [n + 301, 0, 0]) for n in range(55, 60)),
            ("G54.1 P3 G0 X1.", [306, 0, 0]), ("G17 G55 G0 X0.\nG54 X2.", [2, 0, 0]),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(path(text, work_offsets=offsets), [end])

    @shows("G61", "G9", "G64")
    def test_coming_to_rest(self) -> None:
        motions = read(mill(), READY + "G1 X1.\nG9 X2.\nX3.\nG61 X4.\nX5.\nG64 X6.\n")[1].motions
        self.assertEqual(motions.exact[-6:].tolist(), [False, True, False, True, True, False])

    @shows("G93", "G94", "G95", "G97")
    def test_feed_modes(self) -> None:
        for text, feed in (
            ("G93 G1 X10. F4.", 40),
            ("G95 G97 S1000 G1 X1. F0.2", 200),
            ("G95 F1.\nG94 G1 X1. F90.", 90),
        ):
            self.assertAlmostEqual(read(mill(), READY + text + "\n")[1].motions.feed[-1], feed)

    @shows("G96")
    def test_surface_speed_needs_a_spindle_that_turns_the_work(self) -> None:
        self.assertEqual(rules("G96 S100"), [("word.not-carried", 4)])
        # n = 1000·v/(π·d) from the definition of surface speed: 100 m/min at 50 mm across.
        _, result, found = read(mill(turning_spindle=True), READY + "G96 S100\nG1 X25.\n")
        self.assertEqual(found, [])
        self.assertAlmostEqual(float(result.motions.rpm[-1]), 1000 * 100 / (math.pi * 50), 3)

    @shows("G28", "G30")
    def test_reference_positions(self) -> None:
        references = {1: {"X": 0.0, "Y": 0.0, "Z": 0.0}, 2: {"X": -50.0, "Z": -5.0}, 3: {"Z": -7.0}}
        for text, ends in (
            ("G91 G28 Z0.", [[-300, -200, 0]]), ("G28 Z20.", [[-300, -200, -390], [-300, -200, 0]]),
            ("G91 G30 X0. Z0.", [[-50, -200, -5]]), ("G91 G30 P3 Z0.", [[-300, -200, -7]]),
        ):  # fmt: skip
            motions = read(mill(references=references), READY + text + "\n")[1].motions
            self.assertEqual(motions.end[-len(ends) :].tolist(), ends)

    @shows("G43", "G44", "G49")
    def test_length(self) -> None:
        for text, z in (("G49 G0 Z0.", -500), ("G44 H1 G0 Z0.", -590), ("G49\nG43 H1 Z5.", -405), ("G43 H2 Z0.", -425)):
            self.assertEqual(read(mill(), READY + text + "\n")[1].motions.end[-1, 2], z)

    @shows("G31", "G33")
    def test_skip_and_thread(self) -> None:
        _run, result, found = read(mill(), READY + "G31 Z-5. F50\n#1=#5063\nG1 X[#1]\nG33 Z-9. F2.\n")
        self.assertEqual((found, (result.motions.end[-1] - ZERO).tolist()), ([], [-5, 0, -9]))
        # Spindle and axis are locked: 2 mm a turn at 1000 rev/min.
        self.assertEqual((result.motions.kind[-1], result.motions.feed[-1]), (THREAD, 2000))

    @shows("M0", "M1", "M2", "M3", "M4", "M5", "M6", "M7", "M8", "M9", "M19", "M30")
    def test_acts(self) -> None:
        _, result, found = read(
            mill(optional_stop=True),
            READY + "M0\nM1\nM7\nG1 X1.\nM8\nX2.\nM9 M4\nX3.\nM19\nG0 X4.\nM3\nM5\nG0 X5.\nT2\nM6\nM30\n",
        )
        self.assertEqual([(f.rule) for f in found], [])
        moves = result.motions
        self.assertEqual([moves.snapshots[i].coolant for i in moves.snapshot[-6:-1]], [7, 8, 0, 0, 0])
        self.assertEqual(moves.rpm[-6:-1].tolist(), [1000, 1000, -1000, 0, 0])
        self.assertEqual((result.stops, result.ended), ([(2, "M0"), (2, "M1")], ("main.nc", 19)))
        self.assertEqual(int(moves.tool[-1]), 2)
        self.assertEqual(read(mill(), READY + "M2\nG0 X1.\n")[1].ended, ("main.nc", 4))

    @shows("G43.4", "G43.5", "G68.2", "G53.1")
    def test_what_a_machine_without_rotary_axes_cannot_is_said(self) -> None:
        # What machines with them make of these codes: test_kinematics.
        for text in ("G43.4 H1", "G43.5 H1", "G68.2 X0. Y0. Z0. I0. J30. K0."):
            self.assertEqual(rules(text), [("word.not-carried", 4)])
        self.assertEqual(rules("G53.1"), [("syntax.missing", 4)])
        bound = mill(built_in("iso-mill").with_codes({"G160": "dynamic", "G161": "dynamic-off"}))
        self.assertEqual([f.rule for f in read(bound, READY + "G160\n")[2]], ["word.not-carried"])
        self.assertEqual(read(bound, READY + "G161\n")[2], [])
        self.assertEqual([f.rule for f in read(mill(), READY + "G160\n")[2]], ["word.unknown"])

    @shows("M10", "M11", "M12", "M13")
    def test_clamps_as_the_machine_names_them(self) -> None:
        codes = {"M10": MachineCode(does="clamp", axis="A"), "M11": MachineCode(does="unclamp", axis="A"),
                 "M12": MachineCode(does="wait", seconds=2.0), "M13": MachineCode(does="macro", program=8000)}  # fmt: skip
        text = READY + "M10\nG0 A10.\nM11\nG0 A20.\nM12\nM13\nM30\nO8000\nG0 X7.\nM99\n"
        _, result, found = read(mill(axes=("X", "Y", "Z", "A"), codes=codes), text)
        self.assertEqual([(f.rule, f.line) for f in found], [("order.clamped", 5)])
        self.assertEqual((result.motions.end[-1, 0], result.motions.seconds[-2]), (-293, 2.0))
        self.assertEqual([r for r, _ in rules("M10\nM11\nM12\nM13")], ["word.unknown"] * 4)  # this machine has none

    def test_the_codes_in_force(self) -> None:
        _run, result, _ = read(mill(), READY + "G18 G91 G20 G95 G41 D1 G98 G61 G0 X0.\n")
        snapshot = result.motions.snapshots[result.motions.snapshot[-1]]
        self.assertEqual(
            set(snapshot.codes), {"G0", "G18", "G91", "G95", "G20", "G41", "G43", "G97", "G98", "G61", "G54"}
        )


class Data(unittest.TestCase):
    @shows("G10", "G11")
    def test_offsets_and_registers(self) -> None:
        for text, end in (
            ("G10 L2 P1 X-290. Y-200. Z-500.\nG0 X0. Y0.", [10, 0, 0]),
            ("G91 G10 L2 P1 X10.\nG90 G0 X0.", [10, 0, 0]),  # under G91 it is added
            ("G10 L2 P2 X-280. Y-200. Z-500.\nG55 G0 X1. Y0.", [21, 0, 0]),
            ("G10 L20 P7 X-270. Y-200. Z-500.\nG54.1 P7 G0 X1. Y0.", [31, 0, 0]),
            ("G10 L2 P0 X5.\nG0 X0.", [5, 0, 0]),  # the common offset counts beside each
            ("G10 L10 P1 R95.\nG11\nG0 Z0.", [0, 0, 5]),
            ("G10 L11 P1 R-0.5\nG0 Z0.", [0, 0, -0.5]),  # wear is added to the geometry
            ("G91 G10 L11 P1 R-0.5\nG10 L11 P1 R-0.25\nG90 G0 Z0.", [0, 0, -0.75]),
        ):
            with self.subTest(text):
                self.assertEqual(path(text), [end])
        for text, radius in (("G10 L12 P1 R4.", 4.0), ("G10 L12 P1 R4.\nG10 L13 P1 R0.1", 4.1)):
            self.assertAlmostEqual(read(mill(), READY + text + "\n")[0].control.radius_of(1), radius)
        self.assertEqual(rules("G10 L10 P1"), [("syntax.missing", 4)])


class Shapes(unittest.TestCase):
    @shows("G50", "G51", "G50.1", "G51.1", "G68", "G69")
    def test_scaling_mirror_and_rotation(self) -> None:
        for text, end in (
            ("G51 X0. Y0. Z0. P2.\nG0 X3. Y4. Z5.", [6, 8, 10]),
            ("G51 X10. Y0. Z0. P0.5\nG0 X20.", [15, 0, 0]),
            ("G0 X10.\nG51 P2.\nX20.", [30, 0, 0]),  # about the present point
            ("G51 X0. Y0. Z0. I2. J3. K1.\nG0 X1. Y1.\nG50\nX5.", [5, 3, 0]),
            ("G51.1 X0.\nG0 X3. Y4.", [-3, 4, 0]),
            ("G51.1 X10.\nG0 X3.\nG50.1 X0.\nX4.", [4, 0, 0]),
            ("G51.1 X10. Y0.\nG0 X3. Y1.", [17, -1, 0]),
            ("G68 X0. Y0. R90.\nG0 X3. Y4.", [-4, 3, 0]),
            ("G68 X0. Y0. R90.\nG0 X3.\nG69\nY9.", [0, 9, 0]),
            ("G68 X10. Y0. R180.\nG0 X3. Y1.", [17, -1, 0]),
            ("G18 G68 X0. Z0. R90.\nG0 Z3. X0.", [3, 0, 0]),  # Z towards X: counter-clockwise in ZX
            ("G91 G68 X0. Y0. R30.\nG68 R60.\nG90 G0 X2.", [0, 2, 0]),  # under G91 an angle is added
            ("G51.1 X0.\nG68 X0. Y0. R90.\nG0 X3.", [0, -3, 0]),  # the mirror first, then the turn
        ):
            with self.subTest(text):
                self.assertEqual(path(text), [end])

    def test_arcs_keep_their_shape(self) -> None:
        for text, end, sweep, centre in (
            ("G51 X0. Y0. Z0. P2.\nG3 X10. Y10. I0. J10.", [20, 20], math.pi / 2, (0, 20)),
            ("G51.1 X0.\nG3 X10. Y10. I0. J10.", [-10, 10], -math.pi / 2, (0, 10)),  # turns the other way in a mirror
            ("G68 X0. Y0. R90.\nG3 X10. Y10. R10.", [-10, 10], math.pi / 2, (-10, 0)),
        ):
            with self.subTest(text):
                motions = read(mill(), READY + text + "\n")[1].motions
                self.assertEqual((motions.end[-1, :2] - ZERO[:2]).round(6).tolist(), end)
                self.assertAlmostEqual(float(motions.sweep[-1]), sweep)
                self.assertEqual((motions.centre[-1] - ZERO[:2]).round(6).tolist(), list(centre))

    def test_rotation_in_any_plane_beside_scipy(self) -> None:
        rng = random.Random(4)
        for plane, axis in (("G17", "Z"), ("G18", "Y"), ("G19", "X")):
            for _ in range(20):
                about, point = (np.array([rng.uniform(-50, 50) for _ in "XYZ"]) for _ in range(2))
                angle = rng.uniform(-180, 180)
                words = " ".join(f"{a}{v:.6f}" for a, v in zip("XYZ", about, strict=True))
                to = " ".join(f"{a}{v:.6f}" for a, v in zip("XYZ", point, strict=True))
                turned = (
                    Rotation.from_rotvec(math.radians(angle) * np.eye(3)["XYZ".index(axis)]).apply(point - about)
                    + about
                )
                np.testing.assert_allclose(path(f"{plane} G68 {words} R{angle:.6f}\nG0 {to}")[0], turned, atol=1e-5)

    @shows("G15", "G16")
    def test_polar_places(self) -> None:
        for text, end in (
            ("G16 G0 X10. Y90.", [0, 10, 0]),
            ("G16 G0 X10. Y0.\nY90.", [0, 10, 0]),
            ("G0 X5.\nG91 G16 X10. Y90.", [5, 10, 0]),  # an increment counts from the present point
            ("G16 G0 X10. Y90.\nG15 X3.", [3, 10, 0]),
            ("G18 G16 G0 Z10. X90.", [10, 0, 0]),
        ):
            with self.subTest(text):
                self.assertEqual(path(text), [end])

    def test_a_bolt_circle(self) -> None:
        # Six holes on a circle of 40: the places that a drawing's table gives, r·cos and r·sin.
        text = (
            "G0 Z10.\nG16 G99 G81 X20. Y0. Z-5. R2. F100\n"
            + "".join(f"Y{60 * i}.\n" for i in range(1, 6))
            + "G15 G80\n"
        )
        motions = read(mill(), READY + text)[1].motions
        holes = (motions.end[motions.kind == FEED] - ZERO)[:, :2]
        expected = [(20 * math.cos(math.radians(60 * i)), 20 * math.sin(math.radians(60 * i))) for i in range(6)]
        np.testing.assert_allclose(holes, expected, atol=1e-9)


class Cycles(unittest.TestCase):
    def levels(self, text: str, axis: int = 2, lead: str = "G0 Z10."):  # type: ignore[no-untyped-def]
        """Kind, level and spindle of every motion of a cycle."""
        _, result, found = read(mill(), READY + lead + "\n" + text + "\n")
        self.assertEqual([(f.rule, f.message) for f in found], [], text)
        first = len(read(mill(), READY + lead + "\n")[1].motions)
        m = result.motions
        return [
            (("rapid", "feed", "arc", "thread", "dwell")[k], round(float(z) - ZERO[axis], 6), int(np.sign(r)))
            for k, z, r in zip(m.kind[first:], m.end[first:, axis], m.rpm[first:], strict=True)
        ]

    @shows(
        "G73", "G74", "G76", "G81", "G82", "G83", "G84", "G84.2", "G85", "G86", "G87", "G88", "G89", "G98", "G99", "M29"
    )
    def test_each_in_its_sequence(self) -> None:
        r, f, t, d = "rapid", "feed", "thread", "dwell"
        for text, expected in (
            ("G99 G81 Z-5. R2.", [(r, 2, 1), (f, -5, 1), (r, 2, 1)]),
            ("G98 G81 Z-5. R2.", [(r, 2, 1), (f, -5, 1), (r, 10, 1)]),
            ("G99 G82 Z-5. R2. P100", [(r, 2, 1), (f, -5, 1), (d, -5, 1), (r, 2, 1)]),
            ("G99 G83 Z-5. R2. Q4.", [(r, 2, 1), (f, -2, 1), (r, 2, 1), (r, -1.5, 1), (f, -5, 1), (r, 2, 1)]),
            ("G99 G73 Z-5. R2. Q4.", [(r, 2, 1), (f, -2, 1), (r, -1.5, 1), (f, -5, 1), (r, 2, 1)]),
            ("G99 G84 Z-5. R2. P100", [(r, 2, 1), (t, -5, 1), (d, -5, 1), (t, 2, -1)]),
            ("M29 S500\nG99 G84.2 Z-5. R2.", [(r, 2, 1), (t, -5, 1), (t, 2, -1)]),
            ("M4\nG99 G74 Z-5. R2.", [(r, 2, -1), (t, -5, -1), (t, 2, 1)]),
            ("G98 G85 Z-5. R2.", [(r, 2, 1), (f, -5, 1), (f, 2, 1), (r, 10, 1)]),
            ("G99 G86 Z-5. R2.", [(r, 2, 1), (f, -5, 1), (r, 2, 0)]),
            ("G99 G88 Z-5. R2. P100", [(r, 2, 1), (f, -5, 1), (d, -5, 1), (r, 2, 0)]),
            ("G99 G89 Z-5. R2. P100", [(r, 2, 1), (f, -5, 1), (d, -5, 1), (f, 2, 1)]),
            ("G99 G76 Z-5. R2. Q0.3", [(r, 2, 1), (f, -5, 1), (r, -5, 0), (r, 2, 0), (r, 2, 0)]),
            ("G98 G87 Z-2. R-9. Q3.", [(r, 10, 0), (r, -9, 0), (r, -9, 0), (f, -2, 1), (r, -2, 0), (r, 10, 0), (r, 10, 0)]),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(self.levels(text), expected)

    def test_boring_tools_are_shifted_off_the_wall_along_the_first_axis(self) -> None:
        for text, places in (("G99 G76 X5. Z-5. R2. Q0.3", [5, 5, 5, 5.3, 5.3, 5]),
                             ("G98 G87 X5. Z-2. R-9. Q3.", [5, 8, 8, 5, 5, 8, 8, 5])):  # fmt: skip
            motions = read(mill(), READY + "G0 Z10.\n" + text + "\n")[1].motions
            self.assertEqual((motions.end[-len(places) :, 0] + 300).round(6).tolist(), places)

    @shows("G80", "G81", "G18", "G19", "G91")
    def test_planes_increments_repeats_and_the_end(self) -> None:
        self.assertEqual([z for _, z, _ in self.levels("G18 G99 G81 Y-5. R2.", 1, "G0 Y10.")], [2, -5, 2])
        self.assertEqual([z for _, z, _ in self.levels("G19 G99 G83 X-5. R2. Q9.", 0, "G0 X10.")], [2, -5, 2])
        self.assertEqual([z for _, z, _ in self.levels("G91 G99 G81 Z-7. R-8.")], [2, -5, 2])
        holes = read(mill(), READY + "G0 Z10.\nG91 G99 G81 X10. Z-7. R-8. K30\nG80\n")[1].motions
        self.assertEqual(int((np.diff(holes.end[:, 0]) > 0).sum()), 30)
        endless = read(mill(max_blocks=500), READY + "G0 Z10.\nG91 G99 G81 X0.01 Z-7. R-8. L999999999\nG80\n")[2]
        self.assertEqual([f.rule for f in endless], ["endless.cycle"])
        # A point too far to the left: fifty thousand pecks of a micron in one hole. Two thousand, of a deep hole, are real.
        for peck, found in (("0.001", ["endless.cycle"]), ("0.025", [])):
            text = READY + f"G0 Z10.\nG99 G83 X5. Z-50. R2. Q{peck} F100\nG80\n"
            self.assertEqual([f.rule for f in read(mill(), text)[2]], found)
        motions = read(mill(), READY + "G0 Z10.\nG91 G99 G81 X10. Z-7. R-8. K3\nG80\n")[1].motions
        self.assertEqual((motions.end[motions.kind == FEED, 0] + 300).tolist(), [10, 20, 30])
        for cancel in ("G80", "G0 X7."):
            self.assertEqual(path(f"G0 Z10.\nG99 G81 X5. Z-5. R2.\n{cancel}\nG0 X8."), [[8, 0, 2]])

    def test_tapping_feed_under_both_modes(self) -> None:
        # Pinned: under G94 F is mm/min, under G95 it is the lead; 1000 rev/min.
        for text, feed in (("G94 G84 Z-5. R2. F1250.", 1250), ("G95 G84 Z-5. R2. F1.25", 1250)):
            motions = read(mill(), READY + text + "\n")[1].motions
            self.assertEqual(motions.feed[motions.kind == THREAD].tolist(), [feed, feed])

    def test_three_millimetres_in_half_millimetre_levels_are_six_passes(self) -> None:
        motions = read(mill(), READY + "G0 Z10.\nG99 G73 Z-3. R0. Q0.5\n")[1].motions
        self.assertEqual(int((motions.kind == FEED).sum()), 6)


class Arcs(unittest.TestCase):
    @shows("G2", "G3")
    def test_helices_and_turns(self) -> None:
        _, result, found = read(mill(), READY + "G2 X0. Y0. Z-5. I10.\nG3 X20. R10.\n")
        self.assertEqual(found, [])
        self.assertEqual(result.motions.kind[-2:].tolist(), [ARC, ARC])
        np.testing.assert_allclose(result.motions.sweep[-2:], [-2 * math.pi, math.pi])

    def test_a_full_circle_closes_whatever_the_offset(self) -> None:
        # 10.1 − 300.3 + 300.3 is not 10.1 in floating point; the circle is full all the same.
        offsets = {"G54": {"X": -300.3, "Y": -200.7, "Z": -500.0}}
        for text in ("G1 X10.1 Y3.3\nG2 X10.1 Y3.3 I5.", "G68 X0. Y0. R30.\nG1 X10.1 Y3.3\nG2 X10.1 Y3.3 I5."):
            motions = read(mill(work_offsets=offsets), READY + text + "\n")[1].motions
            self.assertAlmostEqual(abs(float(motions.sweep[-1])), 2 * math.pi)


class Compensated(unittest.TestCase):
    """Compensation beside shapely: where the centre goes is what a buffered outline says."""

    @shows("G40", "G41", "G42")
    def test_a_square_inside_and_outside(self) -> None:
        square = "G1 X40.\nY40.\nX0.\nY0.\n"
        for code, corners in (
            ("G42", [(-5, -5), (45, -5), (45, 45), (-5, 45)]),  # right of a counter-clockwise path: outside
            ("G41", [(5, 5), (35, 5), (35, 35), (5, 35)]),
        ):
            text = READY + f"G0 X-20. Y-20.\n{code} D1 G1 X0. Y0.\n{square}X40.\nG40 G1 X60. Y-20.\n"
            _, result, found = read(mill(), text)
            self.assertEqual([(f.rule, f.line) for f in found], [])
            ends = [tuple(e) for e in (result.motions.end[-7:, :2] - ZERO[:2]).round(6).tolist()]
            for corner in corners[1:]:
                self.assertIn(corner, ends)
            self.assertEqual(ends[-1], (60, -20))

    def test_the_entry_ends_square_beside_the_first_move_and_the_exit_on_its_point(self) -> None:
        ends = path("G0 X-20. Y10.\nG41 D1 G1 X0. Y0.\nX50.\nG40 G1 X60. Y-20.", 3)
        self.assertEqual(ends, [[0, 5, 0], [50, 5, 0], [60, -20, 0]])

    def test_an_exit_without_one_axis_takes_it_along(self) -> None:
        ends = path("G0 X-20.\nG41 D1 G1 X0. Y0.\nX50.\nG40\nG1 X60.", 2)
        self.assertEqual(ends, [[50, 5, 0], [60, 0, 0]])

    def test_moves_out_of_the_plane_happen_at_the_corner(self) -> None:
        ends = path("G0 X-20. Y-20.\nG41 D1 G1 X0. Y0.\nX40.\nZ-3.\nY40.\nG40 G1 X60.", 4)
        self.assertEqual(ends, [[35, 5, 0], [35, 5, -3], [35, 40, -3], [60, 40, -3]])

    def test_dwells_coolant_calls_and_macros_are_looked_past(self) -> None:
        library = {"8000.nc": "Y40.\nM99\n"}
        for between in ("G4 P100\nY40.", "M8\nY40.", "M98 P8000", "G65 P8000", "S900\nY40.", "#1=40\nY#1"):
            text = READY + f"G0 X-20. Y-20.\nG41 D1 G1 X0. Y0.\nX40.\n{between}\nG40 G1 X60.\nM30\n"
            _, result, found = read(mill(), text, library)
            self.assertEqual([f.rule for f in found], [], between)
            places = (result.motions.end[:, :2] - ZERO[:2]).round(6).tolist()
            self.assertEqual(
                [p for p in places if p[0] == 35],
                [[35, 5], [35, 40]] if "G4" not in between else [[35, 5], [35, 5], [35, 40]],
            )

    def test_a_block_that_cannot_be_looked_past_is_said(self) -> None:
        lead = "G0 X-20. Y-20.\nG41 D1 G1 X0. Y0.\nX40.\n"
        self.assertEqual(
            rules(lead + "G55\nY40.\nG40 G1 X60.", work_offsets={"G54": {}, "G55": {}}),
            [("compensation.look-ahead", 7)],
        )

    def test_arcs_inside_and_outside(self) -> None:
        for code, radius in (("G41", 15.0), ("G42", 25.0)):  # a circle of 20 counter-clockwise, tool of 5
            text = f"G0 X40. Y-20.\n{code} D1 G1 X20. Y0.\nG3 I-20.\nG40 G1 X40. Y20."
            motions = read(mill(), READY + text + "\n")[1].motions
            row = int(np.flatnonzero(motions.kind == ARC)[0])
            self.assertAlmostEqual(float(np.hypot(*(motions.end[row, :2] - motions.centre[row]))), radius)
            self.assertAlmostEqual(abs(float(motions.sweep[row])), 2 * math.pi, 6)

    def test_random_outlines_beside_offset_curves(self) -> None:
        """Round corners about the outline's own, mitred ones up to a right angle: shapely's joins of the same names."""
        rng = random.Random(7)
        compared = 0
        for trial in range(60):
            n = rng.randint(4, 9)
            angles = sorted(rng.uniform(0, 2 * math.pi) for _ in range(n))
            points = [(rng.uniform(60, 100) * math.cos(a), rng.uniform(60, 100) * math.sin(a)) for a in angles]
            outline = Polygon(points)
            if not outline.is_valid or outline.length < 200 or outline.exterior.is_ccw is False:
                continue
            radius, inside = 5.0, trial % 2 == 0
            expected = outline.buffer(-radius if inside else radius, join_style="round", quad_segs=256)
            # Where two corners are nearer than the tool is wide no path fits; that has a test of its own.
            grown = expected.buffer(
                radius if inside else -radius, join_style="mitre" if inside else "round", mitre_limit=50
            )
            if expected.geom_type != "Polygon" or grown.symmetric_difference(outline).area > 1e-2:
                continue
            middle = (points[0][0] + points[-1][0]) / 2, (points[0][1] + points[-1][1]) / 2
            moves = "".join(f"X{x:.5f} Y{y:.5f}\n" for x, y in [*points, middle, points[0]])
            code = "G41" if inside else "G42"
            text = READY + f"G0 X0. Y0.\n{code} D1 G1 X{middle[0]:.5f} Y{middle[1]:.5f}\n{moves}G40 G1 X0. Y0.\n"
            setup = mill()
            setup.dialect = dialect_with(outside_corner="arc")
            _, result, found = read(setup, text)
            self.assertEqual([(f.rule, f.line) for f in found if f.rule != "compensation.narrow"], [])
            if any(f.rule == "compensation.narrow" for f in found):
                continue
            centre = flat_path(result.motions)[2:-2]
            ring = expected.exterior
            off = max(ring.distance(Point(p)) for p in centre)
            self.assertLess(off, 2e-3, trial)
            self.assertGreater(LineString(centre).length, 0.98 * ring.length)
            compared += 1
        self.assertGreater(compared, 12)

    def test_lines_carry_on_to_where_they_meet_or_go_square_round_a_sharp_corner(self) -> None:
        ends = path("G0 X-20. Y-20.\nG42 D1 G1 X0. Y0.\nX40.\nY40.\nG40 G1 X60.", 3)
        self.assertEqual(ends[0], [45, -5, 0])  # a right angle: one corner
        ends = path("G0 X-20. Y-20.\nG42 D1 G1 X0. Y0.\nX40.\nX0. Y40.\nG40 G1 X-20. Y60.", 5)
        # 135° round: on by the radius, across, and back on to the next line.
        s = 5 / math.sqrt(2)
        np.testing.assert_allclose(ends[:3], [[45, -5, 0], [40 + s + s, s - s, 0], [40 + s, s, 0]], atol=1e-6)

    def test_what_cannot_be_cut(self) -> None:
        lead = "G0 X-20. Y-20.\nG41 D1 G1 X0. Y0.\n"
        for text, line in (
            ("G1 X40.\nY-30.\nX44.\nY0.\nX80.\nG40 G1 Y-20.", 8),  # a slot of 4 for a tool of 10
            ("G1 X40.\nG3 X44. Y4. R4.\nG1 Y40.\nG40 X60.", 7),  # an inside arc of 4
        ):
            self.assertIn(("compensation.narrow", line), rules(lead + text), text)
        self.assertEqual([rule for rule, _ in rules("G41 D9 G1 X20.\nY20.\nG40 X0.")], ["register.unset"])

    def test_a_mirror_image_keeps_the_tool_on_its_side_of_the_part(self) -> None:
        plain = path("G0 X-20. Y-20.\nG41 D1 G1 X0. Y0.\nX40.\nY40.\nG40 G1 X60.", 3)
        mirrored = path("G51.1 X0.\nG0 X-20. Y-20.\nG41 D1 G1 X0. Y0.\nX40.\nY40.\nG40 G1 X60.", 3)
        self.assertEqual([[-x, y, z] for x, y, z in plain], mirrored)

    def test_in_every_plane(self) -> None:
        for plane, one, two in (("G17", "X", "Y"), ("G18", "Z", "X"), ("G19", "Y", "Z")):
            text = f"{plane} G41 D1 G1 {one}10. {two}0.\n{one}50.\n{two}50.\nG40 G1 {one}80."
            end = path(text, 3)
            first, second = "XYZ".index(one), "XYZ".index(two)
            self.assertEqual((end[0][first], end[0][second]), (45, 5), plane)


def dialect_with(**settings):  # type: ignore[no-untyped-def]
    from dataclasses import replace

    from bluntmirror.program.dialect import built_in

    base = built_in("iso-mill")
    return replace(base, settings=base.settings.model_copy(update=settings))


def flat_path(motions) -> list[tuple[float, float]]:  # type: ignore[no-untyped-def]
    """The path in the plane, arcs in short chords, program coordinates."""
    points: list[tuple[float, float]] = []
    begin = motions.begin
    for i in range(len(motions)):
        if motions.kind[i] in (RAPID, FEED):
            points.append(tuple((motions.end[i, :2] - ZERO[:2]).tolist()))
        elif motions.kind[i] == ARC:
            c = motions.centre[i]
            start = begin[i, :2] - c
            for share in np.linspace(0, 1, 30)[1:]:
                turn = motions.sweep[i] * share
                x = c[0] + start[0] * math.cos(turn) - start[1] * math.sin(turn)
                y = c[1] + start[0] * math.sin(turn) + start[1] * math.cos(turn)
                points.append((x - ZERO[0], y - ZERO[1]))
        elif motions.kind[i] == DWELL:
            continue
    return points
