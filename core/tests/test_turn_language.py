"""The turning language, code by code, systems A and B.

X of a program is a diameter; `place` gives X as the diameter and Z. Threads by handbook formulas: ISO 68-1 for the depth
(H = √3/2·P, an external thread is cut 17/24·H deep), infeed by √n, feed = lead · rev/min (spindle and slide locked).
"""

import math
import unittest

import numpy as np

from bluntmirror.program import control
from bluntmirror.program.motions import ARC, DWELL, FEED, RAPID, THREAD
from bluntmirror.program.threads import depths

from .language import TURN_READY, TURN_ZERO, lathe, read, shows


def rows(text: str, dialect: str = "iso-turn", lead: str = TURN_READY, **changes):  # type: ignore[no-untyped-def]
    """Kind, X (diameter), Z of every motion after the lead; fails when anything is reported."""
    _, result, found = read(lathe(dialect, **changes), lead + text + "\n")
    assert not found, [(f.rule, f.line, f.message) for f in found]
    first = len(read(lathe(dialect, **changes), lead)[1].motions)
    m = result.motions
    names = {RAPID: "rapid", FEED: "feed", ARC: "arc", THREAD: "thread", DWELL: "dwell"}
    places = m.end[first:, :2] - TURN_ZERO
    return [
        (names.get(int(k), "?"), round(2 * x, 4) + 0.0, round(z, 4) + 0.0)
        for k, (x, z) in zip(m.kind[first:], places.tolist(), strict=True)
    ]


def places(text: str, dialect: str = "iso-turn", lead: str = TURN_READY, **changes):  # type: ignore[no-untyped-def]
    return [row[1:] for row in rows(text, dialect, lead, **changes)]


def rules(text: str, dialect: str = "iso-turn", **changes):  # type: ignore[no-untyped-def]
    return [(f.rule, f.line) for f in read(lathe(dialect, **changes), TURN_READY + text + "\n")[2]]


class Places(unittest.TestCase):
    @shows("G0", "G1", "G2", "G3", "G4", "G9", "G18", "G20", "G21", "G28", "G30", "G31", "G50", "G52", "G53", "G54", "G55", "G56",
           "G57", "G58", "G59", "G61", "G64", "G10", "G11", "G98", "G99", "G97", "G40", "G80", dialect="iso-turn")  # fmt: skip
    def test_where_a_block_ends(self) -> None:
        offsets = {f"G{n}": {"X": 0.0, "Z": -200.0 + (n - 54)} for n in range(54, 60)}
        for text, place in (
            ("G1 X50. Z-10. F0.2", (50, -10)), ("G0 U-4. W-2.", (56, 3)), ("G0 X50. W-1.", (50, 4)),
            ("G20 G0 X1. Z0.", (25.4, 0)), ("G20\nG21 G0 X1.", (1, 5)), ("G3 X70. Z0. R5. F0.2", (70, 0)),
            ("G2 X70. Z0. I5. K0. F0.2", (70, 0)), ("G4 X1.", (60, 5)), ("G9 G61 G40 G80 G98 G97\nG64 G99 G0 X2.", (2, 5)),
            ("G28 U0. W0.", (200, 300)), ("G28 U0.", (200, 5)), ("G30 P3 W0.", (60, 290)), ("G31 Z-3. F0.1", (60, -3)),
            ("G50 X10. Z0.\nG0 X12.", (62, 5)), ("G52 X4. Z1.\nG0 X0. Z0.", (4, 1)), ("G53 G0 X0.", (200, 5)),
            ("G10 P1 X-190. Z-100.\nG11\nG0 X0. Z0.", (10, 0)), ("G10 P10001 X1.\nG0 X0.", (1, 5)),
            ("G10 L2 P1 Z-190.\nG0 Z0.", (60, 10)), *((f"G{n} G0 Z0.", (60, n - 54)) for n in range(54, 60)),
            ("G18 G0 X1.", (1, 5)),
        ):  # fmt: skip
            with self.subTest(text):
                got = places(text, work_offsets=offsets, references={1: {"X": 0.0, "Z": 0.0}, 3: {"Z": -10.0}})
                self.assertEqual(got[-1], place)

    @shows("G90", "G91", "G94", "G95", "G98", "G99", "G92", "G0", "G1", dialect="iso-turn-b")
    def test_code_system_b(self) -> None:
        for text, place in (
            ("G91 G0 X-4. Z-2.\nG90 Z1.", (56, 1)),
            ("G94 G1 X50. F100", (50, 5)),
            ("G95 G1 X50. F0.1", (50, 5)),
            ("G92 X10. Z0.\nG0 X12.", (62, 5)),
            ("G98\nG99\nG0 X2.", (2, 5)),
        ):
            self.assertEqual(places(text, "iso-turn-b")[-1], place, text)
        self.assertEqual(rules("G50 S1000", "iso-turn-b"), [("word.not-carried", 4)])

    @shows("G17", "G19", "G49", "G69", dialect="iso-turn")
    def test_planes_and_what_does_nothing(self) -> None:
        self.assertEqual(rules("G49 G69"), [])
        self.assertEqual(rules("G17 G2 X50. R5. F0.1"), [("arc.plane", 4)])
        self.assertEqual(rules("G19 G2 Z0. R5. F0.1"), [("arc.plane", 4)])

    @shows("G96", "G97", "G50", dialect="iso-turn")
    def test_surface_speed_and_its_limit(self) -> None:
        # n = 1000·v/(π·d): 150 m/min at 60 mm, then at 20 mm; limited to 2000.
        text = TURN_READY + "G50 S2000\nG96 S150 M3\nG1 X60. F0.2\nX20.\nG97 S500\nX18.\n"
        motions = read(lathe(), text)[1].motions
        expected = [1000 * 150 / (math.pi * 60), 2000.0, 500.0]
        np.testing.assert_allclose(motions.rpm[-3:], expected, rtol=1e-6)
        self.assertAlmostEqual(float(motions.feed[-1]), 100.0)  # 0.2 mm a turn at 500

    @shows("M0", "M1", "M2", "M3", "M4", "M5", "M6", "M7", "M8", "M9", "M19", "M29", "M30", "M98", "M99", "G65", "G66", "G67",
           dialect="iso-turn")  # fmt: skip
    def test_acts_and_calls(self) -> None:
        text = ("M0\nM1\nM4\nM5\nM7\nM8\nM9\nM19\nM29\nM3\nM98 P8000\nG65 P8000 A2.\nG66 P8001\nG0 W1.\nG67\nM30\nM2\n"
                "O8000\nG0 W1.\nM99\nO8001\nG0 U2.\nM99\n")  # fmt: skip
        _, result, found = read(lathe(), TURN_READY + text)
        self.assertEqual([f.rule for f in found], ["syntax.after-end"])  # M2 behind M30
        self.assertEqual((result.motions.end[-1, :2] - TURN_ZERO).tolist(), [31, 8])
        self.assertEqual([f.rule for f in read(lathe(), TURN_READY + "M6\n")[2]], [])

    def test_tools_stations_and_registers(self) -> None:
        for text, found in (
            ("T0202", []), ("T0102", [("register.other", 4)]), ("T0109", [("register.unset", 4)]), ("T1313", [("tool.station", 4)]),
            ("T0909", [("register.unset", 4), ("tool.unknown", 4)]),
        ):  # fmt: skip
            self.assertEqual(rules(text), found)
        # Geometry of T2 is 2 longer along Z: the slide stands 2 farther on for the same place.
        motions = read(lathe(), TURN_READY + "T0202\nG0 Z5.\n")[1].motions
        self.assertEqual(motions.end[-1, 1] - motions.end[-3, 1], 2.0)


class Corners(unittest.TestCase):
    def test_chamfers_roundings_and_angles(self) -> None:
        f, a = "feed", "arc"
        for text, expected in (
            ("G1 X50. F0.2\nZ-20. ,C1.\nX56.", [(f, 50, 5), (f, 50, -19), (f, 52, -20), (f, 56, -20)]),
            ("G1 X50. F0.2\nZ-20. ,R2.\nX60.", [(f, 50, 5), (f, 50, -18), (a, 54, -20), (f, 60, -20)]),
            ("G1 X50. F0.2\nX60. ,A45.", [(f, 50, 5), (f, 60, 10)]),  # 5 in X (radius) at 45° is 5 in Z
            ("G1 X50. F0.2\nZ0. ,A135.", [(f, 50, 5), (f, 60, 0)]),
            ("G1 X50. F0.2\nG1 ,A180.\nX60. Z-10. ,A135.", [(f, 50, 5), (f, 50, -5), (f, 60, -10)]),
            ("G1 X50. F0.2\nZ-20. ,C1.\nX60. ,R1.\nZ-30.",
             [(f, 50, 5), (f, 50, -19), (f, 52, -20), (f, 58, -20), (a, 60, -21), (f, 60, -30)]),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(rows(text), expected)


class Nose(unittest.TestCase):
    """Nose radius 0.8, its centre towards +Z and +X of the programmed tip."""

    @shows("G40", "G41", "G42", dialect="iso-turn")
    def test_along_a_cylinder_and_a_face_nothing_changes_on_a_cone_the_tip_is_shifted(self) -> None:
        text, r = "G0 X64. Z3.\nG42 G1 X50. Z2. F0.2\nZ-20.\nX70. Z-30.\nZ-40.\nG40 G1 X80.", 0.8
        got = places(text)
        # The nose's centre begins square beside the contour's first point; on a cylinder the tip's X is the programmed one.
        self.assertEqual(got[1], (50, 2 - r))
        # On a 45° cone the tip stands off by r·(1 − tan(22.5°)) along Z at each end (handbook: nose radius on tapers).
        shift = r * (1 - math.tan(math.radians(22.5)))
        self.assertAlmostEqual(got[2][0], 50, 4)
        self.assertAlmostEqual(got[2][1], -20 - shift, 3)
        self.assertAlmostEqual(got[3][0], 70, 4)
        self.assertAlmostEqual(got[3][1], -30 - shift, 3)
        self.assertEqual(got[-1], (80, -40))
        # In a bore, the centre towards −X of the tip, the tool left of its way: again the tip's X is the bore's.
        bored = places("G0 X18. Z3.\nG41 G1 X20. Z2. F0.1\nZ-20.\nG40 G1 X16.", noses={1: control.Nose(r, 1.0, -1.0)})
        self.assertEqual(bored[1:], [(20, 2 - r), (20, -20 - r), (16, -20)])

    def test_the_centre_keeps_its_radius_from_a_ball(self) -> None:
        # Along an arc of 20 outside the centre goes on one of 20.8, whatever the tip is called.
        motions = read(
            lathe(), TURN_READY + "G0 X2. Z24.\nG42 G1 X0. Z20. F0.1\nG3 X40. Z0. R20.\nG1 Z-5.\nG40 G1 X50.\n"
        )[1].motions
        row = int(np.flatnonzero(motions.kind == ARC)[0])
        centre = motions.centre[row]  # Z, X of the tip's arc
        radius = float(np.hypot(motions.end[row, 1] - centre[0], motions.end[row, 0] - centre[1]))
        self.assertAlmostEqual(radius, 20.8, 6)


class Cycles(unittest.TestCase):
    @shows("G90", "G92", "G94", dialect="iso-turn")
    def test_single_passes(self) -> None:
        r, f, t = "rapid", "feed", "thread"
        for text, expected in (
            ("G90 X54. Z-20. F0.2", [(r, 54, 5), (f, 54, -20), (f, 60, -20), (r, 60, 5)]),
            ("G90 X54. Z-20. R-2. F0.2", [(r, 50, 5), (f, 54, -20), (f, 60, -20), (r, 60, 5)]),
            ("G94 X20. Z-1. F0.2", [(r, 60, -1), (f, 20, -1), (f, 20, 5), (r, 60, 5)]),
            ("G92 X54. Z-20. F2.", [(r, 54, 5), (t, 54, -20), (r, 60, -20), (r, 60, 5)]),
        ):
            self.assertEqual(rows(text), expected)
        # Only X again: Z is kept, and it starts from where it began.
        self.assertEqual(
            places("G90 X54. Z-20. F0.2\nX50.\nG0 X70.")[4:], [(50, 5), (50, -20), (60, -20), (60, 5), (70, 5)]
        )

    @shows("G77", "G78", "G79", dialect="iso-turn-b")
    def test_single_passes_of_system_b(self) -> None:
        for a, b in (("G90", "G77"), ("G92", "G78"), ("G94", "G79")):
            words = "X54. Z-20. F2."
            self.assertEqual(rows(f"{a} {words}"), rows(f"{b} {words}", "iso-turn-b"))

    @shows("G81", "G82", "G83", "G84", "G85", "G86", "G87", "G88", "G89", "G80", dialect="iso-turn")
    def test_drilling_on_face_and_side(self) -> None:
        r, f, t, d = "rapid", "feed", "thread", "dwell"
        lead = "T0303\nM33\nG98\nG97 S1000\nF100\nG0 X40. Z5.\n"
        for text, expected in (
            ("G81 Z-10. R-3.", [(r, 40, 2), (f, 40, -10), (r, 40, 5)]),
            ("G82 Z-10. R-3. P100", [(r, 40, 2), (f, 40, -10), (d, 40, -10), (r, 40, 5)]),
            ("G83 Z-10. R-3. Q8000", [(r, 40, 2), (f, 40, -6), (r, 40, 2), (r, 40, -5.5), (f, 40, -10), (r, 40, 5)]),
            ("G84 Z-10. R-3.", [(r, 40, 2), (t, 40, -10), (t, 40, 2), (r, 40, 5)]),
            ("G85 Z-10. R-3.", [(r, 40, 2), (f, 40, -10), (f, 40, 2), (r, 40, 5)]),
            ("G86 Z-10. R-3.", [(r, 40, 2), (f, 40, -10), (r, 40, 5)]),
            ("G87 X20. R-2.", [(r, 36, 5), (f, 20, 5), (r, 40, 5)]),
            ("G88 X20. R-2.", [(r, 36, 5), (t, 20, 5), (t, 36, 5), (r, 40, 5)]),
            ("G89 X20. R-2. P100", [(r, 36, 5), (f, 20, 5), (d, 20, 5), (f, 36, 5), (r, 40, 5)]),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(rows(text, lead=lead), expected)
        # Four holes round the side, C from hole to hole, until G80.
        motions = read(lathe(), lead + "G87 X20. C0. R-2.\nC90.\nC180.\nC270.\nG80\nG0 C0.\n")[1].motions
        self.assertEqual(motions.end[motions.kind == FEED, 2].tolist(), [0, 90, 180, 270])

    CONTOUR = "N10 G0 X20.\nG1 Z-10. F0.1\nX40. Z-20.\nZ-30.\nN20 X60.\n"

    @shows("G71", "G70", dialect="iso-turn")
    def test_roughing_along_z(self) -> None:
        got = rows("G71 U5. R1.\nG71 P10 Q20 U1. W0.2 F0.3\n" + self.CONTOUR)
        r, f = "rapid", "feed"
        # Levels 50, 40, 30 (5 a side); each ends on the contour shifted by 0.5 in X (radius) and 0.2 in Z: at X50 the face at
        # −29.8, at X40 the cone (X40.9999 is its end) at −20 + 0.5 + 0.2, at X30 at −14.3; out by 1 at 45°.
        self.assertEqual(
            got[:4],
            [
                (r, 50, 5),
                (f, 50, -29.8),
                (
                    f,
                    52,
                    -30.8 + 2 * 0,
                )[:2]
                + (-28.8,),
                (r, 52, 5),
            ],
        )
        self.assertEqual(got[4:8], [(r, 40, 5), (f, 40, -19.3), (f, 42, -18.3), (r, 42, 5)])
        self.assertEqual(got[8:12], [(r, 30, 5), (f, 30, -14.3), (f, 32, -13.3), (r, 32, 5)])
        # Then along the contour as it is left for finishing, and back to the start.
        contour = [(f, 21, -9.8), (f, 41, -19.8), (f, 41, -29.8), (f, 61, -29.8), (r, 60, 5)]
        self.assertEqual(got[-5:], contour)
        # Finishing: the contour itself, at its own feed, then back.
        text = "G71 U5. R1.\nG71 P10 Q20 U1. W0.2 F0.3\n" + self.CONTOUR + "G70 P10 Q20\n"
        done = rows(text)
        self.assertEqual(done[-6:], [(r, 20, 5), (f, 20, -10), (f, 40, -20), (f, 40, -30), (f, 60, -30), (r, 60, 5)])
        lines = read(lathe(), TURN_READY + text)[1].motions.line
        self.assertEqual((set(lines[-6:].tolist()), set(lines[4:-6].tolist())), ({11}, {5}))

    @shows("G72", dialect="iso-turn")
    def test_roughing_across(self) -> None:
        got = rows("G72 W4. R1.\nG72 P10 Q20 U0. W0. F0.3\nN10 G0 Z-10.\nG1 X40. F0.1\nN20 Z5.")
        r, f = "rapid", "feed"
        # Levels Z1, −3, −7 (4 each, from 5): each runs across to the cylinder of 40, then 1 back at 45°.
        self.assertEqual(got[:4], [(r, 60, 1), (f, 40, 1), (f, 42, 2), (r, 60, 2)])
        self.assertEqual(
            [row for row in got if row[0] == f and row[1] == 40 and row[2] > -10][:3],
            [(f, 40, 1), (f, 40, -3), (f, 40, -7)],
        )
        self.assertEqual(got[-1], (r, 60, 5))

    @shows("G71", dialect="iso-turn")
    def test_pockets_one_block_form_and_arcs(self) -> None:
        # In one block: D the depth. The arc of 10 is met where a circle says: at X46.6667… x² + z² = r².
        got = rows("G71 P10 Q20 U0. W0. D5000 F0.3\nN10 G0 X20.\nG1 Z-10.\nG2 X40. Z-20. R10.\nN20 G1 X60.")
        level = next(row for row in got if row[:2] == ("feed", 30))
        # Centre (Z −10, X radius 20): at X radius 15, z = −10 − √(10² − 5²).
        self.assertAlmostEqual(level[2], -10 - math.sqrt(75), 3)
        # A pocket: cut after what lies before it, down its own slope.
        text = (
            "G71 U5. R1.\nG71 P10 Q20 U0. W0. F0.3\nN10 G0 X50. Z5.\nG1 Z-10.\nX30. Z-20.\nZ-30.\nX50. Z-40.\nN20 X60."
        )
        got = rows(text)
        self.assertEqual(
            [row[1:] for row in got if row[0] == "feed" and row[1:] in ((40, -15), (40, -35))], [(40, -15), (40, -35)]
        )
        self.assertFalse(
            [row for row in got if row[0] == "rapid" and row[1] < 50 and row[2] < -10.01 and not -30 < row[2] < -9]
        )

    @shows("G73", "G74", "G75", dialect="iso-turn")
    def test_repeating_pecking_and_grooving(self) -> None:
        r, f = "rapid", "feed"
        got = rows("G73 U4. W2. R3\nG73 P10 Q20 U1. W0. F0.2\nN10 G0 X20. Z2.\nN20 G1 Z-10.")
        # Three times, from 4 + 0.5 a side and 2 off, in equal steps, to the allowance.
        self.assertEqual([row for row in got if row[0] == f], [(f, 29, -8), (f, 25, -9), (f, 21, -10)])
        got = rows("G0 X0.\nG74 R1.\nG74 Z-10. Q6000 F0.1")
        # From 5: pecks of 6 to −1, −7, −10, back by 1 between.
        self.assertEqual(got[1:], [(f, 0, -1), (r, 0, 0), (f, 0, -7), (r, 0, -6), (f, 0, -10), (r, 0, 5)])
        got = rows("G0 Z-10.\nG75 R0.5\nG75 X50. Z-14. P3000 Q2000 F0.1")
        cuts = [row for row in got if row[0] == f]
        self.assertEqual(cuts, [(f, x, z) for z in (-10, -12, -14) for x in (54, 50)])
        self.assertEqual(got[-1], (r, 60, -10))
        one = rows("G0 Z-10.\nG75 X50. Z-14. I3. K2. F0.1")
        self.assertEqual([row for row in one if row[0] == f], cuts)

    @shows("G32", "G33", "G34", dialect="iso-turn")
    def test_threads(self) -> None:
        motions = read(lathe(), TURN_READY + "G32 Z-20. F2.\nG33 U10. W-10. F2.\nG34 Z-50. F1. K0.1\n")[1].motions
        thread = motions.kind == THREAD
        self.assertEqual(float(motions.feed[thread][0]), 2000.0)  # 2 mm a turn at 1000 rev/min
        # On a slope the lead belongs to the longer axis: 10 in Z, 5 in X.
        self.assertAlmostEqual(float(motions.feed[thread][1]), 2000 * math.hypot(10, 5) / 10)
        # The lead grows by 0.1 every turn: the first turn is 1.05 long, then 1.15, …
        growing = np.diff(motions.end[thread, 1])[1:]
        np.testing.assert_allclose(growing[:3], [-1.05, -1.15, -1.25])
        self.assertEqual(float(motions.end[-1, 1] - TURN_ZERO[1]), -50)

    @shows("G76", dialect="iso-turn")
    def test_a_whole_thread(self) -> None:
        """M30x2 external (ISO 68-1): H = √3/2·P, depth 17/24·H = 1.2269 mm; infeed Δd·√n."""
        pitch = 2.0
        depth = 17 / 24 * math.sqrt(3) / 2 * pitch
        self.assertAlmostEqual(depth, 1.2268, 3)
        root = 30 - 2 * depth
        text = f"G0 X34. Z6.\nG76 P020060 Q100 R0.05\nG76 X{root:.4f} Z-25. P{depth * 1000:.0f} Q400 F{pitch}"
        got = rows(text)
        threads = [row for row in got if row[0] == "thread"]
        crest = 30.0
        found = [round((crest - row[1]) / 2, 3) for row in threads]
        expected, n = [], 1
        while (d := max(0.4 * math.sqrt(n), (expected[-1] if expected else 0) + 0.1)) < depth - 0.05:
            expected.append(d)
            n += 1
        expected += [depth - 0.05, depth, depth]  # to the allowance, then two finishing passes
        np.testing.assert_allclose(found, expected, atol=2e-3)
        # Each pass begins t·tan(30°) farther on: one flank is cut.
        begins = [row[2] for row in got[1:] if row[0] == "rapid"][0::3]
        np.testing.assert_allclose(begins, [6 - d * math.tan(math.radians(30)) for d in expected], atol=2e-3)
        one_block = rows(f"G0 X34. Z6.\nG76 X{root:.4f} Z-25. K{depth:.4f} D400 A60 F{pitch}")
        self.assertEqual(len([r for r in one_block if r[0] == "thread"]), len(list(depths(0.4, depth, 0, 0, 0))))

    def test_infeed_keeps_the_chips_section(self) -> None:
        # The section of a V thread to depth t is t²·tan(α/2); Δd·√n makes its increments equal.
        found = np.array(list(depths(0.3, 1.5, 0.0, 0.0, 0))[:-1])
        np.testing.assert_allclose(np.diff(np.concatenate([[0.0], found**2])), 0.09, rtol=1e-9)

    def test_a_contour_may_call_a_subprogram_and_may_not_be_left(self) -> None:
        head = "G71 U5. R1.\nG71 P10 Q20 U1. W0.2 F0.3\n"
        called = "N10 G0 X20.\nG1 Z-10. F0.1\nM98 P7000\nZ-30.\nN20 X60.\n"
        plain = read(lathe(), TURN_READY + head + self.CONTOUR)[1].motions
        _, result, found = read(lathe(), TURN_READY + head + called, {"O7000.nc": "O7000\nX40. Z-20.\nM99\n"})
        self.assertEqual([f.rule for f in found], [])
        np.testing.assert_array_equal(result.motions.end, plain.end)
        left = "N10 G0 X20.\nG1 Z-10. F0.1\nGOTO 30\nN20 X60.\nG0 Z5.\nN30 G0 X60.\n"
        self.assertIn(
            ("cycle.contour", TURN_READY.count("\n") + 6), [(rule, line) for rule, line in rules(head + left)]
        )

    def test_no_cycle_is_cut_short(self) -> None:
        """What goes on without an end in sight is told, and the reading stops: nothing of it is left out in silence."""
        for text in (
            "G83 Z-10. R-2. F0.1 K999999999", "G83 Z-10. R-2. Q1 F0.1", "G75 R1.\nG75 X50. Z-14. P3000 Q1 F0.1",
            "G74 R1.\nG74 Z-14. Q1 F0.1", "G76 X20. Z-5. P1200 Q1 F2.", "G73 U9. R99999\nG73 P10 Q20 U1. F0.3\n" + self.CONTOUR,
            "G71 U0.001 R1.\nG71 P10 Q20 U1. F0.3\n" + self.CONTOUR,
            "G71 U5. R1.\nG71 P10 Q20 U1. F0.3\nN10 G0 X20.\nG1 Z-10.\n#1=#1+1\nGOTO 10\nN20 X60.",
        ):  # fmt: skip
            with self.subTest(text):
                found = rules(text, max_blocks=900)
                self.assertTrue({"endless.cycle", "endless.limit"} & {rule for rule, _ in found}, found)

    def test_what_cycles_lack_is_said(self) -> None:
        for text, found in (
            ("G71 P10 Q20 U1. F0.2\nN10 G0 X20.\nN20 G1 Z-10.", "cycle.missing"),
            ("G71 U2. R1.\nG71 P10 U1. F0.2\nN10 G0 X20.\nG1 Z-10.", "cycle.missing"),
            ("G71 U2. R1.\nG71 P10 Q77 U1. F0.2\nN10 G0 X20.\nG1 Z-10.", "call.label"),
            ("G76 P020060 Q100 R0.05\nG76 X20. P1200 Q400 F2.", "cycle.missing"),
            ("G83 R-2. F0.1", "cycle.missing"), ("G90 X50. F0.2", "cycle.missing"), ("G75 X50. Z-14. P3000 F0.1", "cycle.missing"),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertIn(found, [rule for rule, _ in rules(text)])


class Unrolled(unittest.TestCase):
    def test_the_way_of_a_move_with_another_axis_is_that_of_a_straight_line(self) -> None:
        """In the flat plane from x 30 to 20 and 15 across, and 20 deep: the pieces' ways add up to √(10² + 15² + 20²)."""
        motions = read(lathe(), self.LEAD + "G12.1\nG1 X40. C15. Z-15.\nG13.1\n")[1].motions
        ways = motions.way[motions.kind == FEED]
        self.assertGreater(len(ways), 20)
        self.assertAlmostEqual(float(ways.sum()), math.sqrt(10**2 + 15**2 + 20**2), 3)

    LEAD = "T0303\nM33\nG98\nG97 S2000\nF200\nG0 X60. Z5. C0.\n"

    @shows("G12.1", "G13.1", "G112", "G113", dialect="iso-turn")
    def test_a_flat_on_the_face(self) -> None:
        """A straight line at x = 20 seen from the work: every place of it has √(x² + c²)·cos(C) = 20."""
        for on, off in (("G12.1", "G13.1"), ("G112", "G113")):
            text = self.LEAD + f"{on}\nG1 X40. C0.\nC15.\nX-40.\nC0.\n{off}\nG0 X60.\n"
            _, result, found = read(lathe(), text)
            self.assertEqual([f.rule for f in found], [])
            m = result.motions
            rows = np.flatnonzero((m.line == 9) & (m.kind == FEED))
            self.assertGreater(len(rows), 20)
            radius, turn = m.end[rows, 0] - TURN_ZERO[0], np.radians(m.end[rows, 2])
            np.testing.assert_allclose(radius * np.cos(turn), 20.0, atol=1e-9)
            self.assertAlmostEqual(float((radius * np.sin(turn))[-1]), 15.0)
            # Between its ends a step stays within a micrometre of the line.
            begin = m.begin[rows]
            middle_r = 0.5 * (m.end[rows, 0] + begin[:, 0]) - TURN_ZERO[0]
            middle_c = np.radians(0.5 * (m.end[rows, 2] + begin[:, 2]))
            self.assertLess(np.abs(middle_r * np.cos(middle_c) - 20.0).max(), 0.0011)
            self.assertAlmostEqual(float(m.way[rows].sum()), 15.0, 6)

    def test_an_arc_in_the_flat_plane_and_compensation(self) -> None:
        text = self.LEAD + "G12.1\nG1 X40. C0.\nG3 X-40. C0. R20.\nG13.1\n"
        m = read(lathe(), text)[1].motions
        rows = np.flatnonzero(m.line == 9)
        np.testing.assert_allclose(m.end[rows, 0] - TURN_ZERO[0], 20.0, atol=1e-9)  # about the centre: only C turns
        self.assertAlmostEqual(float(m.way[rows].sum()), math.pi * 20, 6)
        # A square of 30 with a cutter of 8 left of its way, outside: the centre keeps 4 off every side.
        text = self.LEAD + "G12.1\nG41 G1 X60. C-15.\nX-30.\nC15.\nX30.\nC-40.\nG40 X60. C-50.\nG13.1\n"
        _, result, found = read(lathe(), text)
        self.assertEqual([f.rule for f in found], [])
        m = result.motions
        rows = np.flatnonzero((m.line >= 9) & (m.line <= 12))
        radius, turn = m.end[rows, 0] - TURN_ZERO[0], np.radians(m.end[rows, 2])
        x, c = radius * np.cos(turn), radius * np.sin(turn)
        np.testing.assert_allclose(
            np.maximum(np.abs(x), np.abs(c))[(c >= -19 - 1e-9) & (x <= 19 + 1e-9)], 19.0, atol=1e-6
        )
        self.assertGreater(len(rows), 100)

    @shows("G7.1", "G107", dialect="iso-turn")
    def test_a_groove_round_a_cylinder(self) -> None:
        for code in ("G7.1", "G107"):
            text = (
                self.LEAD
                + f"{code} C25.\nG1 Z-10.\nC90.\nG2 Z-20. C{90 + math.degrees(10 / 25):.6f} R10.\n{code} C0\nG0 X70.\n"
            )
            _, result, found = read(lathe(), text)
            self.assertEqual([f.rule for f in found], [])
            m = result.motions
            self.assertAlmostEqual(float(m.way[m.line == 9].sum()), math.radians(90) * 25, 9)
            arc = m.line == 10
            self.assertAlmostEqual(float(m.way[arc].sum()), math.pi / 2 * 10, 2)
            # Every place of the arc lies on the unwound circle about one centre.
            z, c = m.end[arc, 1] - TURN_ZERO[1], np.radians(m.end[arc, 2]) * 25
            ends = np.hypot(z - z[-1], c - c[-1])
            self.assertLess(ends.max(), 10 * math.sqrt(2) + 1e-6)

    def test_a_machine_without_c_says_so(self) -> None:
        for text in ("G12.1", "G7.1 C20."):
            found = read(lathe(axes=("X", "Z")), TURN_READY + text + "\n")[2]
            self.assertEqual([f.rule for f in found], ["word.not-carried"])
