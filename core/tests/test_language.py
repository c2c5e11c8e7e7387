"""The NC language, meaning by meaning: what stands in a block, and where the axes are afterwards.

Expected values are worked out by hand from the pinned meanings of the language and the numbers of `setup()`:
G54 is X−300 Y−200 Z−500, register H1 is 90, so that program zero with G43 H1 is the machine's (−300, −200, −410).
"""

import math
import unittest

import numpy as np

from bluntmirror.program.expressions import MacroError, Variables, parse_expression
from bluntmirror.program.motions import ARC, DWELL, FEED, RAPID, TOOL_CHANGE

from .test_program import READY, interpret

ZERO = np.array([-300.0, -200.0, -410.0])


def path(text: str, count: int = 1, **changes: object) -> list[list[float]]:
    """The last motions' ends as program coordinates under G54 and H1, rounded; fails when anything is reported."""
    motions, told = interpret(READY + text + "\n", **changes)
    assert told == [], told
    return (motions.end[-count:] - ZERO).round(6).tolist()


class Positions(unittest.TestCase):
    def test_where_a_block_ends(self) -> None:
        for text, end in (
            ("G1 X5 Y6 Z7", [5, 6, 7]),
            ("G1 X5\nG91 X2 Y-1", [7, -1, 0]),
            ("G91 G1 X5\nX5\nG90 Y1", [10, 1, 0]),
            ("G0 X 1 0 . 5", [10.5, 0, 0]),
            ("G00X+1.Y-.5", [1, -0.5, 0]),
            ("x1 y2", [1, 2, 0]),
            ("Z1 X2 Y3 G1 F50", [2, 3, 1]),  # words in any order
            ("G20 G1 X1.5", [38.1, 0, 0]),
            ("G53 G0 X-300. Y-200.", [0, 0, 0]),
            ("G53 G0 Z0", [0, 0, 410]),
            ("G52 X10. Y20.\nG1 X1 Y1", [11, 21, 0]),
            ("G52 X10.\nG52 X0\nG1 X1", [1, 0, 0]),
            ("G1 X5\nG92 X0\nG1 X1", [6, 0, 0]),  # the present point is called 0, so 1 is one further
            ("G92 X100 Y0\nG92 X0 Y0\nG1 X2", [2, 0, 0]),
            ("G28 X50. Y0.", [300, 200, 0]),  # over the point, then home in the axes named
            ("G91 G28 Z0.", [0, 0, 410]),
            ("G49 G1 Z0", [0, 0, -90]),  # no register: Z is the work offset alone
            ("G44 H1 G1 Z0", [0, 0, -180]),
            ("G49\nG43 H1\nG1 Z3", [0, 0, 3]),
        ):
            with self.subTest(text):
                motions, told = interpret(READY + text + "\n")
                self.assertEqual((motions.end[-1] - ZERO).round(6).tolist(), end)
                self.assertEqual([t for t in told if t[0] != "program.length"], [])

    def test_g43_without_an_axis_moves_nothing_by_itself(self) -> None:
        before, _ = interpret("T1 M6\nG54 G0 X0 Y0\n")
        after, _ = interpret("T1 M6\nG54 G0 X0 Y0\nG43 H1\n")
        self.assertEqual(len(before), len(after))

    def test_a_new_length_comes_with_the_next_z_word_only(self) -> None:
        motions, _ = interpret("T1 M6\nG54 G0 X0 Y0 Z0\nG43 H1\nX5\nZ0\n")
        self.assertEqual(motions.end[-2].tolist(), [-295, -200, -500])
        self.assertEqual(motions.end[-1].tolist(), [-295, -200, -410])

    def test_the_length_stays_over_a_tool_change(self) -> None:
        motions, told = interpret(READY + "T2 M6\nM3\nG0 Z0\nG1 X1\n")
        self.assertEqual(motions.end[-1].tolist(), [-299, -200, -410])
        self.assertEqual(told, [("program.length", "stop", 7)])

    def test_a_tool_change_stops_the_spindle(self) -> None:
        for keeps, rpm in ((False, 0.0), (True, 1000.0)):
            motions, told = interpret(READY + "T2 M6\nG43 H2 G0 Z0\nG1 X1\n", change_keeps_spindle=keeps)
            self.assertEqual(motions.rpm[-1], rpm)
            self.assertEqual([kind for kind, _, _ in told], [] if keeps else ["program.spindle"])

    def test_other_work_offsets(self) -> None:
        offsets = {"G54": {"X": -300.0}, "G59": {"X": 7.0}, "G54.1P12": {"X": 11.0}}
        for text, x in (("G59 G1 X1", 8), ("G54.1 P12 G1 X1", 12), ("G54.1P12 G1 X1\nG54 X1", -299)):
            motions, told = interpret(READY + text + "\n", work_offsets=offsets)
            self.assertEqual((motions.end[-1, 0], told), (x, []))

    def test_second_reference_by_a_point(self) -> None:
        references = {1: {"X": 0.0, "Y": 0.0, "Z": 0.0}, 2: {"X": -50.0, "Z": -5.0}}
        motions, told = interpret(READY + "G91 G30 P2 Z10. X0.\n", references=references)
        self.assertEqual(motions.end[-2:].tolist(), [[-300, -200, -400], [-50, -200, -5]])
        self.assertEqual((motions.kind[-2:].tolist(), told), ([RAPID, RAPID], []))
        self.assertEqual(interpret(READY + "G30 P3 X0\n")[1], [("program.offset", "caution", 4)])


class Order(unittest.TestCase):
    def test_change_comes_before_the_motion_of_its_block(self) -> None:
        motions, _ = interpret("T1 M6\nG54 G0 X0 Y0\nX5 T2 M6\n")
        self.assertEqual((motions.kind[-2:].tolist(), motions.tool[-2:].tolist()), ([TOOL_CHANGE, RAPID], [2, 2]))

    def test_spindle_and_offsets_count_from_their_own_block_on(self) -> None:
        motions, _ = interpret(READY + "M5\nG1 X1\nG1 X2 S500 M4\nX3 M3\n")
        self.assertEqual(motions.rpm[-3:].tolist(), [0, -500, 500])

    def test_the_end_takes_its_own_blocks_motion_along(self) -> None:
        for text in ("G1 X4 M30\nX9", "G1 X4\nM2\nX9"):
            motions, told = interpret(READY + text + "\n")
            self.assertEqual((motions.end[-1] - ZERO).round(6).tolist(), [4, 0, 0])
            self.assertEqual([t[:2] for t in told], [("program.syntax", "caution")])  # nothing reaches X9

    def test_a_preselected_tool_waits_for_its_change(self) -> None:
        motions, _ = interpret("T1 M6\nG54 G0 X0\nT2\nX1\nM6\nX2\n")
        self.assertEqual(motions.tool.tolist(), [1, 1, 1, 2, 2])

    def test_optional_stops_by_their_switch(self) -> None:
        from bluntmirror.findings import Docket
        from bluntmirror.program.interpreter import Interpreter
        from bluntmirror.program.text import ProgramText

        from .test_program import setup

        for switch, stops in ((False, [(0, "M0")]), (True, [(0, "M0"), (0, "M1")])):
            run = Interpreter(setup(optional_stop=switch), [ProgramText("a", b"M0\nM1\nM30\n")], Docket())
            self.assertEqual(run.run().stops, stops)


class Feeds(unittest.TestCase):
    def test_the_feed_in_force(self) -> None:
        for text, feed in (
            ("G1 X1 F250", 250),
            ("G20 G1 X1 F10", 254),
            ("G95 S1000 G1 X1 F0.2", 200),  # mm a revolution
            ("G93 G1 X10 F4", 40),  # four times a minute through 10 mm
            ("G93 G3 X0 Y0 I5 F2", 2 * math.pi * 5 * 2),  # a full circle, twice a minute
            ("G94 G1 X1 F90\nX2", 90),
        ):
            with self.subTest(text):
                motions, told = interpret(READY + text + "\n")
                self.assertEqual(told, [])
                self.assertAlmostEqual(motions.feed[-1], feed)

    def test_a_feed_means_nothing_under_another_mode(self) -> None:
        for text in ("G95 G1 X1", "G95 F0.1\nG94\nG1 X1", "G93 F3\nG94 G1 X1"):
            self.assertEqual([t[0] for t in interpret(READY + text + "\n")[1]], ["program.feed"], text)

    def test_no_feed_is_told_once(self) -> None:
        self.assertEqual(interpret("T1 M6\nS1 M3\nG54 G43 H1 G1 X1\nX2\nX3\n")[1], [("program.feed", "stop", 3)])

    def test_dwells(self) -> None:
        for text, seconds in (("G4 P250", 0.25), ("G4 X1.5", 1.5), ("G4 U2.", 2.0)):
            motions, told = interpret(READY + text + "\n")
            self.assertEqual((motions.kind[-1], motions.seconds[-1], told), (DWELL, seconds, []))
        self.assertEqual(interpret(READY + "G4\n")[1][0][0], "program.syntax")
        self.assertEqual(interpret(READY + "G4 P-5\n")[1][0][0], "program.syntax")


class Cycles(unittest.TestCase):
    """Levels of the drilling axis, as program coordinates, from the cycle's first motion on."""

    def levels(self, text: str, axis: int = 2, lead: str = "G0 Z10") -> list[float]:
        motions, told = interpret(READY + lead + "\n" + text + "\n")
        self.assertEqual(told, [], text)
        first = len(interpret(READY + lead + "\n")[0])
        return (motions.end[first:, axis] - ZERO[axis]).round(6).tolist()

    def test_one_hole_of_each_kind(self) -> None:
        for text, levels in (
            ("G98 G81 Z-5 R2", [2, -5, 10]),
            ("G99 G81 Z-5 R2", [2, -5, 2]),
            ("G99 G82 Z-5 R2 P500", [2, -5, -5, 2]),
            ("G99 G83 Z-5 R2 Q3", [2, -1, 2, -0.5, -4, 2, -3.5, -5, 2]),
            ("G99 G73 Z-5 R2 Q3", [2, -1, -0.5, -4, -3.5, -5, 2]),
            ("G91 G99 G81 Z-7 R-8", [2, -5, 2]),  # R from the initial level, Z from R
        ):
            with self.subTest(text):
                self.assertEqual(self.levels(text), levels)

    def test_holes_follow_until_the_cycle_is_cancelled(self) -> None:
        text = "G99 G81 X1 Z-5 R2\nX2\nY3\nG80\nX9"
        motions, told = interpret(READY + text + "\n")
        self.assertEqual(told, [])
        bottoms = motions.end[motions.kind == FEED] - ZERO
        self.assertEqual(bottoms.round(6).tolist(), [[1, 0, -5], [2, 0, -5], [2, 3, -5]])
        self.assertEqual((motions.end[-1] - ZERO).round(6).tolist(), [9, 3, 2])
        self.assertEqual(motions.line[motions.kind == FEED].tolist(), [4, 5, 6])

    def test_a_motion_code_cancels_too(self) -> None:
        self.assertEqual(path("G99 G81 Z-5 R2\nG0 X4"), [[4, 0, 2]])

    def test_repeats_in_increments(self) -> None:
        motions, _ = interpret(READY + "G91 G99 G81 X10 Z-4 R-1 K3\n")
        self.assertEqual((motions.end[motions.kind == FEED, 0] + 300).tolist(), [10, 20, 30])

    def test_other_planes_drill_along_their_normal(self) -> None:
        self.assertEqual(self.levels("G18 G99 G81 Y-5 R2", axis=1, lead="G0 Y10"), [2, -5, 2])
        self.assertEqual(self.levels("G19 G99 G81 X-5 R2", axis=0, lead="G0 X10"), [2, -5, 2])

    def test_what_a_cycle_lacks_is_said(self) -> None:
        for text, kind in (
            ("G81 Z-5", "program.syntax"),
            ("G83 Z-5 R2", "program.syntax"),
            ("G81 Z5 R2", "program.syntax"),
        ):
            self.assertEqual([t[0] for t in interpret(READY + text + "\n")[1]], [kind], text)


class Arcs(unittest.TestCase):
    def test_lengths_and_helices_in_closed_form(self) -> None:
        for text, sweep, end in (
            ("G3 X0 Y0 I10", 2 * math.pi, [0, 0, 0]),
            ("G2 X20 Y0 R10", -math.pi, [20, 0, 0]),
            ("G3 X10 Y10 Z-4 I0 J10", math.pi / 2, [10, 10, -4]),
            ("G3 X0 Y0 Z-6 I10", 2 * math.pi, [0, 0, -6]),
            ("G18 G3 X10 Z10 I10 K0", math.pi / 2, [10, 0, 10]),
        ):
            with self.subTest(text):
                motions, told = interpret(READY + text + "\n")
                self.assertEqual((told, motions.kind[-1]), ([], ARC))
                self.assertAlmostEqual(motions.sweep[-1], sweep)
                self.assertEqual((motions.end[-1] - ZERO).round(6).tolist(), end)

    def test_a_chord_a_hair_longer_than_the_diameter_is_half_a_circle(self) -> None:
        motions, told = interpret(READY + "G2 X20.005 Y0 R10\n")
        self.assertEqual((told, round(motions.sweep[-1], 6)), ([], round(-math.pi, 6)))

    def test_what_cannot_be_an_arc(self) -> None:
        for text in ("G2 X5", "G2 X30 Y0 R10", "G2 R10", "G3 X10 Y10 I3 J0"):
            self.assertEqual(interpret(READY + text + "\n")[1], [("program.arc", "stop", 4)], text)

    def test_radii_may_differ_by_a_hundredth(self) -> None:
        self.assertEqual(interpret(READY + "G3 X10.009 Y10 I0 J10\n")[1], [])
        self.assertEqual(interpret(READY + "G3 X10.011 Y10 I0 J10\n")[1], [("program.arc", "stop", 4)])


class Calls(unittest.TestCase):
    SUB = {"lib.nc": "O9001\nG91 G1 X2\nG90 M99\nO9002\nM98 P9001 L2\nM99\n", "7.nc": "G1 Y7\nM99\n"}

    def test_calls_repeats_and_nesting(self) -> None:
        for text, x in (
            ("M98 P9001", 2),
            ("M98 P9001 L3", 6),
            ("M98 P59001", 10),
            ("M98 P9002", 4),
            ("M98 P9002 L0", 0),
        ):
            motions, told = interpret(READY + text + "\nM30\n", library=self.SUB)
            self.assertEqual((motions.end[-1, 0] + 300, told), (x, []), text)

    def test_by_the_number_in_a_files_name(self) -> None:
        motions, told = interpret(READY + "M98 P7\nM30\n", library=self.SUB)
        self.assertEqual((motions.end[-1, 1] + 200, told), (7, []))

    def test_lines_and_files_of_motions_in_a_subprogram(self) -> None:
        motions, _ = interpret(READY + "M98 P9001\nM30\n", library=self.SUB)
        self.assertEqual((motions.line[-1], motions.file_name(len(motions) - 1)), (2, "lib.nc"))

    def test_missing_targets_and_endings(self) -> None:
        self.assertEqual(interpret(READY + "M98 P77\nG1 X1\n")[1], [("program.call", "stop", 4)])
        self.assertEqual(interpret(READY + "M98\n")[1], [("program.syntax", "stop", 4)])
        told = interpret(READY + "M98 P5\nM30\n", library={"5.nc": "G1 X1\n"})[1]
        self.assertEqual(told[0][:2], ("program.call", "caution"))

    def test_recursion_and_loops_end_with_a_finding(self) -> None:
        told = interpret("O1\nM98 P2\nM30\n", library={"x.nc": "O2\nM98 P2\nM99\n"})[1]
        self.assertEqual([t[0] for t in told], ["program.endless"])
        told = interpret("O1\nM98 P2 L900000\nM30\n", library={"x.nc": "O2\nG4 P1\nM99\n"}, max_blocks=5000)[1]
        self.assertEqual([t[0] for t in told], ["program.endless"])

    def test_a_return_to_a_block_goes_on_from_there(self) -> None:
        library = {"x.nc": "O2\nG91 G1 X2\nM99 P100\n"}
        motions, told = interpret(READY + "M98 P2\nG1 Y50\nN100 G1 Y1\nM30\n", library=library)
        self.assertEqual(((motions.end[-1] - ZERO)[:2].tolist(), told), ([2, 1], []))  # the Y50 is passed over
        told = interpret(READY + "M98 P2\nM30\n", library=library)[1]
        self.assertEqual(told, [("program.call", "stop", 4)])

    def test_a_return_that_changes_nothing_never_ends_one_that_moves_on_is_bounded(self) -> None:
        still, moving = {"x.nc": "O2\nG4 P10\nM99 P100\n"}, {"x.nc": "O2\nG91 G1 X0.001\nM99 P100\n"}
        told = interpret(READY + "N100 M98 P2\nM30\n", library=still)[1]
        self.assertEqual([t[0] for t in told], ["program.endless"])
        motions, told = interpret(READY + "N100 M98 P2\nM30\n", library=moving, max_blocks=3000)
        self.assertEqual([t[0] for t in told], ["program.endless"])
        self.assertGreater(len(motions), 500)  # it was carried out until the bound, not given up at sight

    def test_a_looping_main_program_runs_as_often_as_asked(self) -> None:
        for loops, x in ((1, 2), (4, 8)):
            motions, told = interpret("T1 M6\nG54 G43 H1 F100 S1 M3\nG91 G1 X2\nM99\n", loops=loops)
            self.assertEqual((motions.end[-1, 0], told), (x, []))


class Macros(unittest.TestCase):
    def value(self, text: str, **variables: float) -> float | None:
        expression, end = parse_expression(text, 0)
        self.assertEqual(end, len(text))
        return expression.work_out(Variables({k[1:]: v for k, v in variables.items()}))

    def test_functions_against_the_mathematical_ones(self) -> None:
        for text, expected in (
            ("[SIN[30]]", 0.5), ("[COS[60]]", 0.5), ("[TAN[45]]", 1), ("[ASIN[1]]", 90), ("[ACOS[0]]", 90),
            ("[ATAN[1]/[-1]]", 135), ("[SQRT[2]*SQRT[2]]", 2), ("[ABS[-3]]", 3), ("[FIX[-2.7]]", -2), ("[FUP[-2.1]]", -3),
            ("[FIX[2.7]]", 2), ("[FUP[2.1]]", 3), ("[ROUND[2.4]]", 2), ("[LN[EXP[2]]]", 2), ("[7MOD4]", 3),
            ("[1+2*3]", 7), ("[[1+2]*3]", 9), ("[2-3-4]", -5), ("[8/4/2]", 1), ("[#500*2]", 25), ("[-[2+1]]", -3),
            ("[3GT2]", 1), ("[3LE2]", 0), ("[2EQ2]", 1), ("[2NE2]", 0),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertAlmostEqual(self.value(text, v500=12.5) or 0.0, expected)

    def test_what_cannot_be_worked_out(self) -> None:
        for text in ("[1/0]", "[SQRT[-1]]", "[ASIN[2]]", "[LN[0]]", "[7MOD0]"):
            with self.subTest(text), self.assertRaises(MacroError):
                self.value(text)

    def test_vacant_counts_as_nothing_and_is_told(self) -> None:
        motions, told = interpret(READY + "G1 X[#101+3] Y#102\n")
        self.assertEqual((motions.end[-1] - ZERO).round(6).tolist(), [3, 0, 0])
        self.assertEqual(told, [("program.macro", "caution", 4)])

    def test_variables_of_the_job_and_assignments(self) -> None:
        self.assertEqual(path("#1=#500*2\n#100=#1+1\nG1 X#1 Y#100 Z-#1", variables={"500": 2.0}), [[4, 5, -4]])


class Switches(unittest.TestCase):
    def test_block_skip_levels(self) -> None:
        text = "/G1 X1\n/3 G1 Y1"
        for switches, end in ((set(), [1, 1, 0]), ({1}, [0, 1, 0]), ({3}, [1, 0, 0]), ({1, 3}, [0, 0, 0])):
            motions, _ = interpret(READY + text + "\n", block_skip=frozenset(switches))
            self.assertEqual((motions.end[-1] - ZERO).round(6).tolist(), end, switches)


class Slips(unittest.TestCase):
    """Blocks as they are mistyped: each is told once, with its kind, at its line, and the next block is carried out."""

    def test_each_at_its_line(self) -> None:
        for text, kind, severity in (
            ("G1 X1 X2", "program.syntax", "stop"),
            ("G1 X1 Q5", "program.word", "caution"),  # Q belongs to a cycle
            ("G1 X1 K5", "program.word", "caution"),  # K belongs to an arc
            ("G1 A10", "program.word", "stop"),  # no such axis: its motion is missing
            ("G1.25 X1", "program.word", "caution"),
            ("G123 X1", "program.word", "caution"),
            ("M77", "program.word", "caution"),
            ("G0 G1 X1", "program.word", "caution"),
            ("M3 M5", "program.word", "caution"),
            ("G54.1", "program.syntax", "stop"),
            ("G28", "program.syntax", "stop"),
            ("G30 P3 Z0", "program.offset", "caution"),
            ("G2 G53 X0 Y0", "program.syntax", "stop"),
            ("G55 G0 X1", "program.offset", "caution"),
            ("M98", "program.syntax", "stop"),
            ("G1 X[1/0]", "program.macro", "stop"),
            ("G1 X[SQRT[0-1]]", "program.macro", "stop"),
            ("#500=", "program.syntax", "stop"),
            ("#0=5", "program.macro", "stop"),
            ("G95 G1 X1 F0.1\nS0", "program.feed", "stop"),
        ):
            with self.subTest(text):
                lead = READY.replace(" S1000 M3", "") if "G95" in text else READY
                motions, told = interpret(lead + text + "\nG90 G54 G94 G0 Z30\n")
                self.assertEqual(told, [(kind, severity, 4)])
                self.assertEqual(motions.end[-1, 2] - ZERO[2], 30)

    def test_a_change_without_a_tool(self) -> None:
        self.assertEqual(interpret("M6\nM30\n")[1][0], ("program.tool", "stop", 1))
