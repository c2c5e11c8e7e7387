"""Macros: arguments, loops, jumps, variables of every kind — beside Python's own arithmetic and control flow."""

import math
import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from bluntmirror.job.models import MachineCode
from bluntmirror.program.expressions import parse_expression
from bluntmirror.program.variables import Variables

from .language import READY, ZERO, mill, read, shows


def end(text: str, library: dict[str, str] | None = None, dialect: str = "iso-mill", **changes):  # type: ignore[no-untyped-def]
    _run, result, found = read(mill(dialect, **changes), READY + text + "\n", library)
    assert not found, [(f.rule, f.line, f.message) for f in found]
    return (result.motions.end[-1, :3] - ZERO).round(6).tolist()


def rules(text: str, library: dict[str, str] | None = None, **changes):  # type: ignore[no-untyped-def]
    return [(f.rule, f.line) for f in read(mill(**changes), READY + text + "\n", library)[2]]


class Calls(unittest.TestCase):
    LIBRARY = {"lib.nc": "O8000\nG1 X[#24] Y[#25] Z[#26]\nM99\nO8001\nG91 G1 X#1 Y#2 Z#3\nG90\nM99\n"
                         "O8002\n#33=7\n#100=#1\nG65 P8003 A[#1+1]\nG1 X#1 Y#33\nM99\nO8003\n#33=99\n#1=0\nM99\n"}  # fmt: skip

    @shows("M98", "M99", "G65", "#")
    def test_arguments_and_levels(self) -> None:
        for text, place in (
            ("G65 P8000 X1. Y2. Z3.", [1, 2, 3]),
            ("G65 P8001 A1. B2. C3. L3", [3, 6, 9]),
            ("#1=5.\nM98 P8001", [5, 0, 0]),  # M98 keeps the caller's variables (B and C are vacant: not moved)
            ("G65 P8002 A5.", [5, 7, 0]),  # an inner call has variables of its own
        ):
            with self.subTest(text):
                self.assertEqual(end(text, self.LIBRARY), place)

    def test_several_centres_are_further_arguments(self) -> None:
        run, _, found = read(
            mill(), READY + "G65 P8000 A1. I2. J3. K4. I5. K7. Q8.\n", {"8000.nc": "#100=#7+#9+#17\nM99\n"}
        )
        self.assertEqual((found, run.control.variables.common[100]), ([], 5 + 7 + 8))

    @shows("G66", "G67")
    def test_a_modal_macro_after_every_move(self) -> None:
        library = {"8000.nc": "G91 G1 Z#26\nG90\nM99\n"}
        self.assertEqual(end("G66 P8000 Z-1.\nG0 X1.\nX2.\n#1=3\nX#1\nG67\nX9.", library), [9, 0, -3])

    @shows("G65", "M98")
    def test_codes_that_the_machine_binds_to_macros(self) -> None:
        codes = {"G101": MachineCode(does="macro", program=8000), "M55": MachineCode(does="macro", program=8001)}
        library = {"8000.nc": "G1 X#24 Y[#24*#11]\nM99\n", "8001.nc": "G1 Z5.\nM99\n"}
        self.assertEqual(end("G101 X3. H2.\nM55\nM98 P8001\nG65 P8001", library, codes=codes), [3, 6, 5])

    def test_missing_ones(self) -> None:
        for text in ("G65 P77", "G66 P77", "M98 P77"):
            self.assertEqual(rules(text), [("call.missing", 4)])
        for text in ("G65 X1.", "G66", "M98"):
            self.assertEqual(rules(text), [("syntax.missing", 4)])


class Ways(unittest.TestCase):
    @shows("GOTO", "IF", "THEN", "WHILE")
    def test_jumps_and_loops(self) -> None:
        for text, x in (
            ("GOTO 20\nG1 X5.\nN20 G1 Y1.", 0),
            ("#1=2\nIF [#1 EQ 2] GOTO 20\nG1 X5.\nN20", 0),
            ("#1=3\nIF [#1 EQ 2] GOTO 20\nG1 X5.\nN20", 5),
            ("#1=3\nIF [#1 GT 2] THEN #1=9\nG1 X#1", 9),
            ("#1=1\nWHILE [#1 LE 4] DO1\nG91 G1 X#1\n#1=#1+1\nEND1", 10),
            ("#1=0\nN10 #1=#1+1\nG91 G1 X1.\nIF [#1 LT 7] GOTO 10", 7),
            ("#1=0\nWHILE [#1 LT 3] DO1\n#2=0\nWHILE [#2 LT 4] DO2\nG91 G1 X1.\n#2=#2+1\nEND2\n#1=#1+1\nEND1", 12),
            ("#1=0\nDO1\n#1=#1+1\nG91 G1 X1.\nIF [#1 EQ 6] GOTO 30\nEND1\nN30", 6),
            ("#5=30\nGOTO #5\nG1 X1.\nN30 G1 X8.", 8),
            ("GOTO 70\nN70 G1 X4.\nM30\nO2\nN70 G1 X9.", 4),  # block numbers belong to their own program
        ):
            with self.subTest(text):
                found = read(mill(), READY + text + "\n")
                self.assertEqual([f.rule for f in found[2]], [])
                self.assertEqual(float(found[1].motions.end[-1, 0]) + 300, x)

    def test_what_cannot_go_on(self) -> None:
        for text, expected in (
            ("GOTO 99", [("call.label", 4)]),
            ("#1=1\nWHILE [#1 LT 3] DO1\n#1=#1+1", [("call.loop", 5)]),
            ("END2", [("call.loop", 4)]),
            ("WHILE [1 LT 2] DO1\nEND1", [("endless.state", 5)]),
            ("N1 G0 X1.\nGOTO 1", [("endless.state", 5)]),
            ("#1=1\nN1 #1=#1+1\nGOTO 1", [("endless.limit", 5)]),
            ("#1=0\nWHILE #1 LT 3 DO1", [("syntax", 5)]),
            ("IF [1 EQ 1]", [("syntax", 4)]),
            ("#3000=7 (PART NOT CLAMPED)", [("macro.alarm", 4)]),
        ):
            with self.subTest(text):
                self.assertEqual(rules(text, max_blocks=900), expected)

    def test_a_loop_that_only_a_register_moves_on_is_no_standstill(self) -> None:
        # Places and variables stay the same, the offset grows: what is in force counts as state.
        text = "WHILE [#5221 LT 10] DO1\nG91 G10 L2 P1 X1.\nG90\nEND1"
        self.assertEqual(rules(text, work_offsets={"G54": {"X": 0.0, "Y": 0.0, "Z": 0.0}}), [])

    def test_the_alarm_gives_its_text(self) -> None:
        found = read(mill(), "#3000=7 (PART NOT CLAMPED)\nG0 X5.\n")
        self.assertIn("PART NOT CLAMPED", found[2][0].message)
        self.assertEqual(len(found[1].motions), 0)

    def test_a_repeated_block_with_a_shift_makes_what_the_unrolled_program_makes(self) -> None:
        """Random contours cut three times, each 25 along X: by a loop, by L, and written out."""
        rng = random.Random(3)
        for _ in range(30):
            lines = []
            for _ in range(6):
                x, y = rng.uniform(-9, 9), rng.uniform(-9, 9)
                lines.append(f"G1 X{x:.3f} Y{y:.3f}" if rng.random() < 0.7 else f"G2 X{x:.3f} Y{y:.3f} R30.")
            body = "\n".join(lines)
            unrolled = "".join(f"G52 X{25 * i}.\n{body}\n" for i in range(3))
            loop = f"#1=0\nWHILE [#1 LT 3] DO1\nG52 X[#1*25]\n{body}\n#1=#1+1\nEND1\n"
            library = {"8000.nc": f"G52 X[#100*25]\n{body}\n#100=#100+1\nM99\n"}
            first, second, third = (
                read(mill(), READY + text, library)[1].motions for text in (unrolled, loop, "#100=0\nM98 P8000 L3\n")
            )
            for other in (second, third):
                self.assertEqual(first.end.tolist(), other.end.tolist())
                self.assertEqual(first.sweep.tolist(), other.sweep.tolist())


class SystemVariables(unittest.TestCase):
    def test_read(self) -> None:
        for text, value in (
            ("G0 X3. Y4.\n#100=#5001", 3), ("G0 Z4.\n#100=#5043", 4), ("G0 X3.\n#100=#5021", -297), ("#100=#5221", -300),
            ("#100=#5223", -500), ("#100=#2001", 90), ("#100=#10002", 75), ("#100=#13001", 0), ("#100=#12001", 5),
            ("G91\n#100=#4003", 91), ("G18\n#100=#4002", 18), ("G1 X1.\n#100=#4001", 1), ("#100=#4014", 54), ("#100=#4111", 1),
            ("G1 F250\n#100=#4109", 250), ("#100=#4119", 1000), ("#100=#4120", 1), ("N70 #100=#4114", 70), ("#100=#4007", 40),
            ("G20\nG0 X1.\n#100=#5001", 1), ("G54.1 P2\n#100=#7021", 0), ("G31 X7.\n#100=#5061", 7), ("#100=#4015", 64),
        ):  # fmt: skip
            with self.subTest(text):
                offsets = {"G54": {"X": -300.0, "Y": -200.0, "Z": -500.0}, "G54.1P2": {"X": 0.0}}
                run, _, found = read(mill(work_offsets=offsets), READY + text + "\n")
                self.assertEqual([f.rule for f in found], [])
                self.assertAlmostEqual(run.control.variables.common[100], value)

    def test_written(self) -> None:
        for text, place in (("#5221=-290\nG0 X0.", [10, 0, 0]), ("#2001=95\nG0 Z0.", [0, 0, 5]), ("#11001=-1\nG0 Z0.", [0, 0, -1]),
                            ("#5203=2\nG0 Z0.", [0, 0, 2])):  # fmt: skip
            self.assertEqual(end(text), place)

    def test_what_this_control_does_not_have(self) -> None:
        for text in ("#1=#9999", "#4001=1", "#0=1"):
            self.assertEqual(rules(text), [("macro.error", 4)])
        self.assertEqual(rules("#1=#3001"), [("macro.clock", 4)])


class Arithmetic(unittest.TestCase):
    NUMBERS = st.floats(-1000, 1000, allow_nan=False).map(lambda v: round(v, 3))

    @given(st.recursive(
        NUMBERS.map(lambda v: (f"{v:.3f}" if v >= 0 else f"[-{-v:.3f}]", v)),
        lambda inner: st.one_of(
            st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda t: (f"[{t[0][0]}{t[1]}{t[2][0]}]", _op(t[1], t[0][1], t[2][1]))),
            inner.map(lambda t: (f"SIN[{t[0]}]", math.sin(math.radians(t[1])))),
            inner.map(lambda t: (f"ABS[{t[0]}]", abs(t[1]))),
            st.tuples(inner, inner).map(lambda t: (f"[{t[0][0]} GT {t[1][0]}]", float(t[0][1] > t[1][1]))),
        ), max_leaves=8))  # fmt: skip
    @settings(max_examples=300)
    def test_random_expressions_beside_python(self, pair: tuple[str, float]) -> None:
        text, value = pair
        stripped = text.replace(" ", "")
        expression, read_to = parse_expression(stripped, 0)
        self.assertEqual(read_to, len(stripped))
        self.assertAlmostEqual(expression.work_out(Variables({})) or 0.0, value, delta=1e-9 * max(1.0, abs(value)))

    @given(st.lists(st.tuples(st.integers(1, 9), st.integers(1, 9), st.sampled_from("+-*")), min_size=1, max_size=12),
           st.integers(1, 8))  # fmt: skip
    @settings(max_examples=100)
    def test_random_loops_beside_python(self, steps: list[tuple[int, int, str]], times: int) -> None:
        body = "".join(f"#{a}=[#{a}{op}#{b}] MOD 1000\n" for a, b, op in steps)
        start = "".join(f"#{i}={i}\n" for i in range(1, 10))
        held = {i: float(i) for i in range(1, 10)}
        for _ in range(times):
            for a, b, op in steps:
                held[a] = math.fmod(_op(op, held[a], held[b]), 1000.0)
        run, _, found = read(mill(), f"{start}#20=0\nWHILE [#20 LT {times}] DO1\n{body}#20=#20+1\nEND1\n")
        self.assertEqual(found, [])
        self.assertEqual({i: run.control.variables.values[i] for i in range(1, 10)}, held)


def _op(sign: str, a: float, b: float) -> float:
    return a + b if sign == "+" else a - b if sign == "-" else a * b


class OWords(unittest.TestCase):
    """The o-word language: its own subs, ways and variables."""

    def end(self, text: str, **library: str) -> list[float]:
        return end(text, {name + ".ngc": body for name, body in library.items()}, "rs274")

    @shows("O SUB", "O CALL", "O IF", "O WHILE", "O DO", "O REPEAT", dialect="rs274")
    def test_ways(self) -> None:
        for text, x in (
            ("o100 sub\nG1 X[#1+#2]\no100 endsub\no100 call [3] [4]", 7),
            ("o<hole> sub\n#<deep>=[#1*2]\nG1 X#<deep>\no<hole> endsub\no<hole> call [4]", 8),
            ("o1 sub\no1 return [#1*3]\no1 endsub\no1 call [4]\nG1 X#<_value>", 12),
            ("#1=5\no1 if [#1 GT 6]\nG1 X1.\no1 elseif [#1 GT 4]\nG1 X2.\no1 else\nG1 X3.\no1 endif", 2),
            ("#1=1\no1 if [#1 GT 6]\nG1 X1.\no1 elseif [#1 GT 4]\nG1 X2.\no1 else\nG1 X3.\no1 endif", 3),
            ("#1=9\no1 if [#1 GT 6]\nG1 X1.\no1 elseif [#1 GT 4]\nG1 X2.\no1 else\nG1 X3.\no1 endif", 1),
            ("#1=0\no1 while [#1 LT 5]\n#1=[#1+1]\nG91 G1 X1.\no1 endwhile", 5),
            ("#1=0\no1 do\n#1=[#1+1]\nG91 G1 X1.\no1 while [#1 LT 4]", 4),
            ("o1 repeat [6]\nG91 G1 X1.\no1 endrepeat", 6),
            ("#1=0\no1 while [1]\n#1=[#1+1]\no2 if [#1 GT 3]\no1 break\no2 endif\nG91 G1 X1.\no1 endwhile", 3),
            ("#1=0\no1 while [#1 LT 5]\n#1=[#1+1]\no2 if [#1 EQ 2]\no1 continue\no2 endif\nG91 G1 X1.\no1 endwhile", 4),
            ("o1 repeat [2]\no2 repeat [3]\nG91 G1 X1.\no2 endrepeat\no1 endrepeat", 6),
            ("o1 repeat [0]\nG1 X5.\no1 endrepeat\nG1 X1.", 1),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(self.end(text)[0], x)

    def test_subs_in_files_and_names_of_their_own(self) -> None:
        library = "o<rib> sub\n#<a>=9\no<rib> endsub\n"
        self.assertEqual(self.end("#<a>=4\n#<_b>=2\no<rib> call\nG1 X#<a> Y#<_b>", rib=library), [4, 2, 0])

    def test_arithmetic_of_its_own(self) -> None:
        # From the public-domain report: FIX rounds down, FUP up, ** is a power, AND OR XOR are of truth values.
        for text, value in (("[FIX[-2.3]]", -3), ("[FUP[-2.7]]", -2), ("[2**3]", 8), ("[2 AND 4]", 1), ("[0 OR 0]", 0),
                            ("[5 XOR 3]", 0), ("[ATAN[1]/[1]]", 45), ("[7 MOD 4]", 3), ("[1 LT 2 AND 3 LT 4]", 1)):  # fmt: skip
            expression, _ = parse_expression(text.replace(" ", ""), 0, named=True)
            self.assertAlmostEqual(expression.work_out(Variables({})) or 0.0, value)

    def test_what_has_no_partner(self) -> None:
        for text in ("o1 if [1]\nG1 X1.", "o1 endwhile", "o1 else"):
            found = read(mill("rs274"), READY + text + "\n")[2]
            self.assertIn("call.loop", [f.rule for f in found], text)
        self.assertEqual([f.rule for f in read(mill("rs274"), "o<no> call\n")[2]], ["call.missing"])
        self.assertEqual([f.rule for f in read(mill("rs274"), "o1 while [1]\no1 endwhile\n")[2]], ["endless.state"])


class OwnCodes(unittest.TestCase):
    """What the o-word dialect's codes do otherwise than on the mill."""

    def place(self, text: str) -> list[float]:
        return end(text, dialect="rs274")

    @shows("G10", "G28", "G43", "G43.1", "G49", "G92", "G92.1", "G92.2", "G92.3", "G59.1", "G59.2", "G59.3", "G90.1", "G91.1",
           "G38.2", "G38.3", "G38.4", "G38.5", "G61.1", "G64", "M48", "M49", "M60", "M61", dialect="rs274")  # fmt: skip
    def test_each(self) -> None:
        for text, place in (
            ("G0 X5.\nG10 L20 P1 X0.\nX2.", [7, 0, 0]),  # the present point gets the value
            ("G10 L1 P1 Z91.\nG43 H1 G0 Z0.", [0, 0, 1]),
            ("G43 G0 Z1.", [0, 0, 1]),  # without H: the tool in the spindle
            ("G43.1 Z95.\nG0 Z0.", [0, 0, 5]),
            ("G49 G0 Z0.", [0, 0, -90]),
            ("G92 X10.\nG0 X11.", [1, 0, 0]),
            ("G92 X10.\nG92.1\nG0 X11.", [11, 0, 0]),
            ("G92 X10.\nG92.2\nG0 X11.\nG92.3\nX12.", [2, 0, 0]),
            ("G90.1 G2 X20. Y0. I10. J0.", [20, 0, 0]),
            ("G91.1 G2 X20. Y0. I10. J0.", [20, 0, 0]),
            ("G38.2 Z-5. F10", [0, 0, -5]), ("G38.3 Z-5. F10", [0, 0, -5]), ("G38.4 Z5. F10", [0, 0, 5]),
            ("G38.5 Z5. F10", [0, 0, 5]), ("G61.1 G1 X1.\nG64 P0.1 X2.", [2, 0, 0]), ("M48\nM49\nG0 X1.", [1, 0, 0]),
            ("M60\nG0 X1.", [1, 0, 0]), ("G28\nM61 Q2\nG0 X3. Y0.", [3, 0, 410]),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(self.place(text), place)
        for n in (1, 2, 3):
            offsets = {
                "G54": {"X": -300.0, "Y": -200.0, "Z": -500.0},
                f"G59.{n}": {"X": -290.0, "Y": -200.0, "Z": -500.0},
            }
            self.assertEqual(end(f"G59.{n} G0 X1. Y0.", dialect="rs274", work_offsets=offsets), [11, 0, 0])

    @shows("G2", "G3", "G4", dialect="rs274")
    def test_turns_of_a_helix_and_dwells_in_seconds(self) -> None:
        motions = read(mill("rs274"), READY + "G3 X0. Y0. Z-3. I10. P3\nG4 P1.5\n")[1].motions
        self.assertAlmostEqual(float(motions.sweep[-2]), 6 * math.pi)
        self.assertEqual(float(motions.seconds[-1]), 1.5)
        motions = read(mill("rs274"), READY + "G2 X0. Y0. I10. P2\n")[1].motions
        self.assertAlmostEqual(float(motions.sweep[-1]), -4 * math.pi)

    @shows("G40", "G41", "G41.1", "G42", "G42.1", dialect="rs274")
    def test_compensation_by_tool_and_by_value(self) -> None:
        for code, y in (("G41", 5), ("G41 D2", 3), ("G41.1 D8.", 4), ("G42", -5), ("G42.1 D8.", -4)):
            found = read(mill("rs274"), READY + f"G0 X-20. Y-20.\n{code} G1 X0. Y0.\nX40.\nG40 G1 X60. Y-20.\n")
            self.assertAlmostEqual(float(found[1].motions.end[-2, 1]) + 200, y)

    @shows("G73", "G81", "G82", "G83", "G84", "G85", "G86", "G87", "G88", "G89", "G80", "G98", "G99", dialect="rs274")
    def test_cycles(self) -> None:
        for text, levels in (
            ("G99 G81 Z-5. R2.", [2, -5, 2]), ("G99 G82 Z-5. R2. P1", [2, -5, -5, 2]), ("G99 G85 Z-5. R2.", [2, -5, 2]),
            ("G99 G83 Z-5. R2. Q4.", [2, -2, 2, -1.746, -5, 2]),  # 0.010 in clear of the last peck
            ("G99 G73 Z-5. R2. Q4.", [2, -2, -1.746, -5, 2]), ("G99 G84 Z-5. R2.", [2, -5, 2]),
            ("G99 G86 Z-5. R2. P1", [2, -5, -5, 2]), ("G99 G88 Z-5. R2. P1", [2, -5, -5, 2]),
            ("G99 G89 Z-5. R2. P1", [2, -5, -5, 2]),
            ("G98 G87 Z-9. R2. I3. K-2.", [10, -9, -9, -2, -9, -9, 10, 10]),  # the report's own sequence
        ):  # fmt: skip
            with self.subTest(text):
                motions = read(mill("rs274"), READY + "G0 Z10.\n" + text + "\nG80\n")[1].motions
                got = (motions.end[:, 2] - ZERO[2]).round(6).tolist()
                self.assertEqual(got[-len(levels) :], levels)

    @shows("M0", "M1", "M2", "M3", "M4", "M5", "M6", "M7", "M8", "M9", "M19", "M30", "G0", "G1", "G17", "G18", "G19", "G20",
           "G21", "G30", "G33", "G53", "G54", "G55", "G56", "G57", "G58", "G59", "G61", "G90", "G91", "G93", "G94", "G95",
           "G97", dialect="rs274")  # fmt: skip
    def test_what_is_as_on_the_mill(self) -> None:
        text = ("M0\nM1\nM3\nM4\nM5\nM7\nM8\nM9\nM19\nM3\nG17\nG18\nG19\nG17\nG20\nG21\nG61\nG64\nG93\nG94\nG95 F0.1\nG94 F100\n"
                "G97\nG33 Z-2. K1.5\nG1 Z0.\nG53 G0 X-299.\nG55\nG56\nG57\nG58\nG59\nG54\nG91\nG0 X1.\nG90\nG30\nT2 M6\nM30\nM2\n")  # fmt: skip
        dialects = [read(mill(name, references={1: {"X": 0.0}, 2: {"X": -5.0, "Y": -200.0, "Z": -400.0}}),
                         READY + (text if name == "rs274" else text.replace("G30", "G30 X0. Y0. Z0.").replace("K1.5", "F1.5")))
                    for name in ("rs274", "iso-mill")]  # fmt: skip
        for _, _, found in dialects:
            self.assertEqual([f.rule for f in found if f.rule != "syntax.after-end"], [])
        self.assertEqual(dialects[0][1].motions.end[-2].tolist(), [-5, -200, -400])
        self.assertEqual(dialects[0][1].stops, dialects[1][1].stops)

    @shows("G96", "G76", dialect="rs274")
    def test_surface_speed_and_its_own_thread(self) -> None:
        self.assertEqual([f.rule for f in read(mill("rs274"), READY + "G96 D2000 S100\n")[2]], ["word.not-carried"])
        motions = read(mill("rs274"), READY + "G18 G0 X10. Z5.\nG76 P1.5 Z-20. I-1. J0.2 K0.6 R2. Q29.5 H1\n")[
            1
        ].motions
        # depths 0.2·√n (degression 2) to 0.6, one spring pass: 0.2, 0.283, 0.346, 0.4, … below the crest at 9.
        depths = [9 - (x + 300) for x in motions.end[motions.kind == 3, 0]]
        expected = [min(0.6, 0.2 * math.sqrt(n)) for n in range(1, 10)] + [0.6]
        self.assertEqual([round(d, 6) for d in depths], [round(d, 6) for d in expected])
