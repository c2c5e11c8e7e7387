"""Reading and interpreting: pinned meanings, every error with its place, kernel against plain interpreter, fuzz."""

import math
import random
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bluntmirror.findings import Docket
from bluntmirror.program.control import Setup
from bluntmirror.program.interpreted import Interpreted
from bluntmirror.program.interpreter import Interpreter
from bluntmirror.program.motions import ARC, DWELL, RAPID
from bluntmirror.program.reader import Unreadable, read_block
from bluntmirror.program.text import ProgramText

from .agreement import agree, agreement, random_program
from .language import ended


def setup(**changes: object) -> Setup:
    values: dict[str, object] = {
        "axes": ("X", "Y", "Z"), "work_offsets": {"G54": {"X": -300.0, "Y": -200.0, "Z": -500.0}},
        "length_registers": {1: 90.0, 2: 75.0}, "tools": frozenset({1, 2}), "references": {1: {"X": 0.0, "Y": 0.0, "Z": 0.0}},
        "change_at": {},
    }  # fmt: skip
    return Setup(**{**values, **changes})  # type: ignore[arg-type]


def interpret(text: str, fast: bool = False, library: dict[str, str] | None = None, **changes: object):
    docket = Docket()
    texts = [ProgramText("main.nc", ended(text).encode())]
    texts += [ProgramText(name, body.encode()) for name, body in (library or {}).items()]
    run: Interpreted = Interpreter(setup(**changes), texts, docket, fast=fast).run()
    return run.motions, [(f.kind, f.severity, f.line) for f in docket]


READY = "T1 M6\nG54 G43 H1 G0 X0 Y0 Z0 S1000 M3\nF100\n"  # three lines; machine then (−300, −200, −410)


class Reading(unittest.TestCase):
    def test_spaces_case_signs_and_comments(self) -> None:
        block = read_block("n10 g 0 1 x + 1 0 . 5 (a) y-.25 (b) ; c")
        self.assertEqual([(w.letter, w.value) for w in block.words], [("G", 1), ("X", 10.5), ("Y", -0.25)])
        self.assertEqual((block.number, block.comments), (10, ("a", "b", "c")))

    def test_what_cannot_be_read_has_its_column(self) -> None:
        for line, column in (("G1 X1.2.3", 4), ("G1 (open", 4), ("X", 1), ("G1 ?", 4), ("X[1+2", 6), ("G1 #100", 4)):
            with self.subTest(line), self.assertRaises(Unreadable) as caught:
                read_block(line)
            self.assertEqual(caught.exception.column, column)

    def test_line_ends_and_byte_order_mark(self) -> None:
        for end in ("\n", "\r\n", "\r"):
            text = ProgramText("a", b"\xef\xbb\xbf" + end.join(["G0 X1", "X2", "X3"]).encode())
            self.assertEqual([text.line(i) for i in range(len(text))], ["G0 X1", "X2", "X3"])

    @given(st.text(alphabet="GXYZMNRIJKFSTHDOP#[]()+-*/=.0123456789 ;:%\n\rABSINQT<>", max_size=120))
    @settings(max_examples=300)
    def test_nothing_crashes_the_reader(self, text: str) -> None:
        interpret(text)

    @given(st.from_regex(r"\[[0-9+\-*/. ]{1,20}\]", fullmatch=True))
    @settings(max_examples=200)
    def test_expressions_agree_with_python(self, text: str) -> None:
        from bluntmirror.program.expressions import ExpressionError, MacroError, Variables, parse_expression

        stripped = text.replace(" ", "")
        try:
            expression, end = parse_expression(stripped, 0)
            value = expression.work_out(Variables({}))
        except (ExpressionError, MacroError):
            return
        python = stripped[1:-1]
        # Python reads ** and // as other signs and forbids 007; those are not our language.
        if "**" in python or "//" in python:
            return
        import re

        # Our numbers are doubles throughout; so must be those of the other side.
        python = re.sub(r"\d+\.?\d*|\.\d+", lambda number: repr(float(number[0])), python)
        self.assertEqual(end, len(stripped))
        self.assertAlmostEqual(value or 0.0, eval(python), places=6)


class Meanings(unittest.TestCase):
    def test_machine_z_is_program_offset_and_register(self) -> None:
        motions, told = interpret(READY + "G1 Z-5\n")
        self.assertEqual(motions.end[-1].tolist(), [-300, -200, -500 + 90 - 5])
        self.assertEqual(told, [])

    def test_units_increments_and_bare_numbers(self) -> None:
        for text, changes, x in (("G20 G1 X1.", {}, 25.4), ("G91 G1 X1\nX1", {}, 2), ("G1 X1000", {"bare_increment": True}, 1),
                                 ("G20 G1 X1000", {"bare_increment": True}, 2.54), ("G1 X1000.", {"bare_increment": True}, 1000)):  # fmt: skip
            with self.subTest(text):
                motions, _ = interpret(READY + text + "\n", **changes)
                self.assertAlmostEqual(motions.end[-1, 0] + 300, x)

    def test_arcs_by_centre_and_radius(self) -> None:
        # A quarter, a three-quarter turn by negative R, a full circle; lengths r·θ.
        for text, sweep in (("G3 X-10 Y10 I-10 J0", math.pi / 2), ("G3 X-10 Y10 R-10", 1.5 * math.pi),
                            ("G2 X-10 Y10 R10", -math.pi / 2), ("G2 I-10", -2 * math.pi)):  # fmt: skip
            with self.subTest(text):
                motions, told = interpret(READY + text + "\n")
                self.assertEqual((told, motions.kind[-1]), ([], ARC))
                self.assertAlmostEqual(motions.sweep[-1], sweep)

    def test_planes_turn_the_right_way(self) -> None:
        # Counter-clockwise seen from the plane's positive normal (ISO 841): G18 goes Z towards X.
        for plane, word, axis in (("G17", "I-10 J0", 1), ("G18", "K-10 I0", 0), ("G19", "J-10 K0", 2)):
            motions, told = interpret(READY + f"{plane} G3 {word}\n")
            self.assertEqual(told, [])
            from bluntmirror.timeline.reel import arc_points

            quarter = arc_points(motions, len(motions) - 1, motions.begin[-1], np.array([0.25]))[0] - motions.begin[-1]
            self.assertAlmostEqual(quarter[axis], 10.0)

    def test_every_error_is_listed_with_its_line(self) -> None:
        _, told = interpret(
            READY + "G2 X10 Y0 I3 J0\nG1 X1.2.3\nG60 X2\nG999\nM98 P77\nG0 G1 X1\nX1 X2\nG1 X[1/0]\nT9 M6\nG1 X#101\n"
        )
        self.assertEqual(
            told,
            [("program.arc", "stop", 4), ("program.syntax", "stop", 5), ("program.word", "stop", 6),
             ("program.word", "caution", 7), ("program.call", "stop", 8), ("program.word", "caution", 9),
             ("program.syntax", "stop", 10), ("program.macro", "stop", 11), ("program.tool", "stop", 12)],
        )  # fmt: skip

    def test_length_feed_and_offset_are_asked_for(self) -> None:
        self.assertEqual(interpret("T1 M6\nG54 G1 X1 F9 S9 M3\n")[1], [("program.length", "stop", 2)])
        self.assertEqual(interpret("T1 M6\nG43 H2 G1 X1 F9 S9 M3\n")[1], [("program.length", "stop", 2)])
        self.assertEqual(interpret("T1 M6\nG43 H1 G1 X1 S9 M3\nX2\n")[1], [("program.feed", "stop", 2)])
        self.assertEqual(interpret("G55 G0 X1\n")[1], [("program.offset", "caution", 1)])

    def test_peck_drilling_unrolled(self) -> None:
        motions, told = interpret(READY + "G98 G83 X5 Y5 Z-10 R2 Q5 F100\n")
        self.assertEqual(told, [])
        levels = (motions.end[-9:, 2] + 410).round(6).tolist()
        # From Z0 up to R 2, pecks to −3, −8 and −10, back to R between and 0.5 above the last depth.
        self.assertEqual(levels, [2, -3, 2, -2.5, -8, 2, -7.5, -10, 2])
        self.assertEqual(motions.kind[-1], RAPID)

    def test_subprograms_repeat_and_dwell_is_timed(self) -> None:
        motions, told = interpret(READY + "G91\nM98 P9001 L3\nG4 P1500\nM30\n", library={"x.nc": "O9001\nG1 X2\nM99\n"})
        self.assertEqual((told, motions.end[-1, 0]), ([], -294))
        self.assertEqual((motions.kind[-1], motions.seconds[-1]), (DWELL, 1.5))

    def test_percent_begins_and_ends_a_tape_also_of_a_subprogram(self) -> None:
        library = {"9001.nc": "%\nG1 X2\nM99\n%\n"}
        motions, told = interpret("%\n" + READY + "G91\nM98 P9001\nX3\nM30\n%\nX100\n", library=library)
        self.assertEqual((told, motions.end[-1, 0]), ([], -295))

    def test_block_skip_follows_its_switch(self) -> None:
        text = READY + "/2 G1 X5\n"
        self.assertEqual(interpret(text)[0].end[-1, 0], -295)
        self.assertEqual(interpret(text, block_skip=frozenset({2}))[0].end[-1, 0], -300)


class KernelAgainstPlain(unittest.TestCase):
    """A part of what `mirror bench language` does with 10,000 programs."""

    def test_random_programs_give_the_same_motions_and_findings(self) -> None:
        self.assertGreater(agreement(250), 6_000)

    def test_long_runs_of_plain_blocks(self) -> None:
        import bluntmirror.program.interpreter as module

        keep = module.FAST_RUN
        module.FAST_RUN = 2
        self.addCleanup(setattr, module, "FAST_RUN", keep)
        self.assertGreater(sum(agree(random_program(random.Random(seed), 2600)) for seed in range(2)), 3_000)
