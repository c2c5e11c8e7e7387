"""Every code of every dialect is shown by a test, dialects are data, and reading is the same with and without the kernel."""

import json
import random
import tempfile
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from bluntmirror.program.dialect import BUILT_IN, built_in, read_dialect
from bluntmirror.program.meanings import MEANINGS
from bluntmirror.rehearsal import check_program

from . import test_kinematics, test_macros, test_mill, test_turn_language
from .build import HEAD, slot_job
from .language import READY, SHOWN, mill, read
from .machines import job_on
from .test_lathe import BAR, TOOLS
from .test_lathe import lathe as turning_machine

MODULES = (test_kinematics, test_macros, test_mill, test_turn_language)


def codes_of(name: str) -> list[str]:
    dialect = built_in(name)
    return [f"G{code / 10:g}" for code in dialect.g] + [f"M{code}" for code in dialect.m]


# What system B has from A by the same meaning is shown where A shows it.
SAME_MEANING = {"iso-turn-b": "iso-turn"}


def shown(name: str, code: str) -> list[str]:
    if tests := SHOWN.get((name, code)):
        return tests
    base = SAME_MEANING.get(name)
    if base:
        own, other = built_in(name), built_in(base)
        table, others = (own.g, other.g) if code[0] == "G" else (own.m, other.m)
        key = round(float(code[1:]) * (10 if code[0] == "G" else 1))
        if others.get(key) is table[key]:
            return SHOWN.get((base, code), [])
    return []


class Dialects(unittest.TestCase):
    def test_every_code_is_shown_by_a_test(self) -> None:
        for name in BUILT_IN:
            missing = [code for code in codes_of(name) if not shown(name, code)]
            self.assertEqual(missing, [], name)

    def test_a_control_of_ones_own_is_a_file(self) -> None:
        data = {"format": "blunt-mirror/dialect@1", "name": "floor 7", "based_on": "iso-mill",
                "codes": {"G200": "rapid", "M88": "flood"}, "settings": {"peck_clearance": 1.5}}  # fmt: skip
        dialect = read_dialect(json.dumps(data).encode())
        _, result, found = read(mill(dialect), READY + "M88\nG200 X5.\nG99 G73 Z-5. R2. Q4.\n")
        self.assertEqual(found, [])
        self.assertEqual(result.motions.end[-3, 2] + 410, -2 + 1.5)

    def test_what_a_dialect_file_may_not_say(self) -> None:
        base = {"format": "blunt-mirror/dialect@1", "name": "x"}
        for wrong, said in (
            ({"codes": {"G1": "fly"}}, "'fly' is not a meaning"), ({"codes": {"X1": "line"}}, "codes"),
            ({"based_on": "other"}, "there is no dialect 'other'"), ({"start": ["dwell"]}, "'dwell' is not a modal meaning"),
            ({"speed": 1}, "speed"),
        ):  # fmt: skip
            with self.assertRaises(ValueError) as caught:
                read_dialect(json.dumps(base | wrong).encode())
            self.assertIn(said, str(caught.exception))
        with self.assertRaises(ValueError):
            read_dialect(b"{")

    def test_every_meaning_is_used_by_a_dialect(self) -> None:
        used = {m.name for name in BUILT_IN for m in (*built_in(name).g.values(), *built_in(name).m.values())}
        # The two of the turning offset are bound by machine files.
        self.assertEqual(set(MEANINGS) - used, {"cylinder-off", "dynamic", "dynamic-off"})


class Robust(unittest.TestCase):
    PIECES = ["G0", "G1", "G2", "G3", "G41 D1", "G42 D1", "G40", "G91", "G90", "G81 R2. Z-5.", "G83 R2. Z-5. Q1.", "G80", "X5.", "Y-3.",
              "Z1.", "I2.", "R4.", "F100", "M98 P8000", "G68 X0 Y0 R30.", "G69", "G51 X0 Y0 P2.", "G50", "G16", "G15", "#1=#1+1",
              "IF [#1 LT 3] GOTO 10", "N10", "WHILE [#1 LT 5] DO1", "END1", "G65 P8000 X1.", "G66 P8000", "G67", "G28 X0.", "G10 L2 P1 X1.",
              "G43 H1", "G49", "G18", "G17", "G20", "G21", "M6 T2", "G92 X0.", "G52 X1.", "G4 P1", "G71 U1. R1.", "G71 P10 Q10 U1.", "G76 X1. Z-5. P500 Q100",
              "G12.1", "G13.1", "G7.1 C20.", "C30.", "U1.", "W-1.", ",C1.", ",R1.", ",A30.", "G34 K1.", "G33 Z-5.", "G70 P10 Q10", "G96 S100", "o1 if [#1]",
              "o1 endif", "o2 sub", "o2 endsub", "o2 call [1]", "o3 repeat [3]", "o3 endrepeat", "G76 P1 Z-5 I-1 J.1 K.5", "T0101", "M99"]  # fmt: skip

    @given(st.sampled_from(BUILT_IN), st.integers(0, 2**32))
    @settings(max_examples=250)
    def test_nothing_crashes_or_hangs(self, dialect: str, seed: int) -> None:
        from .language import lathe

        rng = random.Random(seed)
        text = "".join(
            " ".join(rng.choice(self.PIECES) for _ in range(rng.randint(1, 3))) + "\n"
            for _ in range(rng.randint(1, 25))
        )
        setup = lathe(dialect, max_blocks=500) if "turn" in dialect else mill(dialect, max_blocks=500)
        read(setup, READY + text + "M30\nO8000\nG91 G1 X1.\nG90\nM99\n")

    @given(st.integers(0, 2**32))
    @settings(max_examples=40)
    def test_whole_jobs_with_subprograms_point_to_places_that_exist(self, seed: int) -> None:
        """Whatever is written in a main program and in those that it calls: the check comes to an end, every finding stands on a
        line of the program that it names, and every edit offered is of the line as it is there."""
        rng = random.Random(seed)
        turning = rng.random() < 0.4
        blocks = [
            " ".join(rng.choice(self.PIECES) for _ in range(rng.randint(1, 3))) for _ in range(rng.randint(2, 30))
        ]
        at = rng.randint(0, len(blocks))
        texts = {
            "nc/main.nc": ("T0101\nG97 S500 M3\nG0 X70. Z5.\n" if turning else HEAD) + "\n".join([*blocks[:at], "M98 P8000", "M30"]) + "\n",
            "nc/O8000.nc": "O8000\n" + "\n".join([*blocks[at:], rng.choice(["M99", "", "M99 P10"])]) + "\n",
        }  # fmt: skip
        program = {"main": "nc/main.nc", "library": ["nc/O8000.nc"]}
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "nc").mkdir()
            for path, text in texts.items():
                (folder / path).write_text(text)
            if turning:
                program["dialect"] = rng.choice(["iso-turn", "iso-turn-b"])
                job = job_on(
                    folder, turning_machine(), "M30\n", programs=[program], tools=TOOLS, bodies=[BAR], work_offsets={}
                )
            else:
                program["dialect"] = rng.choice(["iso-mill", "rs274"])
                job = slot_job(folder, "M30\n", programs=[program])
            found = check_program(job).findings
        lines = {path: text.split("\n") for path, text in texts.items()}
        for finding in found:
            if finding.program:
                self.assertIn(finding.program, lines)
                self.assertLessEqual(finding.line, len(lines[finding.program]), finding)
            for edit in finding.fix.edits if finding.fix else ():
                self.assertIn(edit.program, lines)
                if edit.old is not None:
                    self.assertEqual(edit.old, lines[edit.program][edit.line - 1], finding)
