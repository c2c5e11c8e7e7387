"""The whole-program check: a program with many mistakes gives one finding for each, at its line, with a remedy; rules that
need the job beside the program; the channels' wait marks."""

import json
import math
import shutil
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from bluntmirror.export.verdict import verdict_dict
from bluntmirror.job import open_job
from bluntmirror.program.interpreted import Wait
from bluntmirror.rehearsal import check_program
from bluntmirror.timeline.clock import meetings

from .build import slot_job

JOBS = Path(__file__).parent / "jobs"

# One block a mistake; what stands behind it is what must be found there.
TWENTY = """\
T1 M6
G54 G0 X0. Y0.
G43 H1 Z30. M3 S4000
G1 Z1.                                 | feed.none
F400
GO X-20.                               | syntax
G1 X-20. Y10.
G1 X-40. X-41.                         | syntax.twice
G2 X-30. Y10. R4.                      | arc.reach
G2 X-20. Y20. I3. J0.                  | arc.radii
G3 X-10. Y20.                          | arc.centre
M77                                    | word.unknown
G0 G1 X-15.                            | word.group
G1 X-14. Q3.                           | word.idle
G60 X-13.                              | word.not-carried
G0 A90.                                | word.axis
M98 P4321                              | call.missing
GOTO 777                               | call.label
G1 X[-10./0]                           | macro.error
G1 X[#145-10.]                         | macro.vacant
G83 X-20. Y0. Z-4. R2.                 | cycle.missing
G80
G81 X-20. Y0. Z4. R2.                  | cycle.level
G80
G4                                     | syntax.missing
S15000                                 | speed.machine
S4000
G57 G0 Z30.                            | offset.unset
G54 G0 Z30.
G41 G1 X-10. Y30.                      | compensation.register
X10.
G40 Y40.
G91 G28 Z0.
G90
T7 M6                                  | tool.unknown
T2 M6
G0 X0. Y0. S3000 M3
G43 H1 Z30.
G1 Z5. F300.                           | length.other
M5
G1 X5.                                 | spindle.still
G91 G28 Z0.
G90
M30
G0 X0.                                 | syntax.after-end
"""


class WithJob(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        shutil.copytree(JOBS / "slot-clear", self.folder, dirs_exist_ok=True)
        self.job = json.loads((self.folder / "job.json").read_text())

    def check(self, program: str, tools: list[dict[str, Any]] | None = None, **changes: Any):  # type: ignore[no-untyped-def]
        main = self.job["programs"][0]["main"]
        (self.folder / main).write_text(program)
        (self.folder / "job.json").write_text(json.dumps(self.job | changes))
        if tools is not None:
            (self.folder / "tools.json").write_text(json.dumps({"format": "blunt-mirror/tools@1", "tools": tools}))
        return check_program(open_job(self.folder))


MILL = {"type": "end-mill", "diameter": 10, "flute_length": 22, "reach": 32, "flutes": 4}


def tool(number: int, **changes: Any) -> dict[str, Any]:
    return {"number": number, "cutter": MILL, "length": 92, **changes}


class Twenty(WithJob):
    def test_each_mistake_is_one_finding_at_its_line_with_a_remedy(self) -> None:
        lines, expected = [], []
        for number, line in enumerate(TWENTY.splitlines(), 1):
            text, _, rule = line.partition("|")
            lines.append(text.rstrip())
            if rule:
                expected.append((number, rule.strip()))
        self.assertGreaterEqual(len({rule for _, rule in expected}), 20)
        result = self.check("\n".join(lines) + "\n", [tool(1, length=90), tool(2, length=75)])
        found = sorted((f.line, f.rule) for f in result.docket)
        self.assertEqual(found, expected)
        self.assertTrue(all(f.remedy for f in result.docket))


HEAD = "T1 M6\nG54 G0 X-60. Y0.\nG43 H1 Z30. M3 S4000\n"


class BesideTheJob(WithJob):
    def found(self, program: str, tools: list[dict[str, Any]] | None = None, **changes: Any) -> list[tuple[str, int]]:
        return [(f.rule, f.line) for f in self.check(program, tools, **changes).docket]

    def test_order_is_asked_before_any_replay(self) -> None:
        self.assertEqual(self.found(HEAD + "G1 Z-2. F300\nM30\n"), [("order.end", 4)])
        self.assertEqual(self.found(HEAD + "G1 Z-2. F300\nG0 Z20.\nM30\n"), [])
        program = "T1 M6\nG54 G0 X-90. Y0.\nG43 H1 Z-2. M3 S4000\nG0 X-75.\nG1 X0. F300\nG0 Z30.\nM30\n"
        self.assertEqual(self.found(program), [("order.approach", 4)])

    def test_the_fix_of_a_low_end_clears_it(self) -> None:
        result = self.check(HEAD + "G1 Z-2. F300\nM30\n")
        (edit,) = next(iter(result.docket)).fix.edits
        lines = (HEAD + "G1 Z-2. F300\nM30\n").split("\n")
        lines.insert(edit.line - 1, edit.new)
        self.assertEqual(self.found("\n".join(lines)), [])

    def test_surface_speed_and_feed_a_tooth(self) -> None:
        # v = π·D·n: 120 m/min at D10 is S3820; f = fz·z·n: 0.05·4·3820 = 764.
        limited = [tool(1, limits={"surface_speed": [40, 120], "feed_per_tooth": [0.01, 0.05]})]
        turns = 1000 * 120 / (math.pi * 10)
        for speed, feed, found in ((turns, 760, []), (turns * 1.01, 700, ["speed.surface"]), (turns, 780, ["feed.tooth"]),
                                   (1000, 100, ["speed.surface"])):  # fmt: skip
            program = f"T1 M6\nG54 G0 X0. Y0.\nG43 H1 Z30. M3 S{speed:.2f}\nG1 X5. F{feed}\nX9.\nM30\n"
            result = self.check(program, limited)
            self.assertEqual([f.rule for f in result.docket], found, speed)
            self.assertTrue(all(f.count == 2 for f in result.docket))

    def test_a_tap_is_fed_by_its_pitch(self) -> None:
        tap = {
            "number": 1,
            "length": 92,
            "cutter": {"type": "tap", "diameter": 8, "pitch": 1.25, "flute_length": 22, "reach": 32},
        }
        for feed, found in ((1250, []), (1000, [("tap.pitch", 4)])):
            program = f"T1 M6\nG54 G0 X0. Y0.\nG43 H1 Z30. M3 S1000\nG99 G84 Z-1. R20. F{feed}\nG80\nM30\n"
            self.assertEqual(self.found(program, [tap]), found)

    def test_rules_of_the_job(self) -> None:
        program = HEAD + "M77\nG0 Z40.\nM30\n"
        for setting, severities in (
            ({}, ["caution"]),
            ({"word.unknown": "off"}, []),
            ({"word.unknown": "stop"}, ["stop"]),
        ):
            result = self.check(program, checks={"rules": setting})
            self.assertEqual([f.severity for f in result.docket], severities)

    def test_stretches_left_out_and_shifted(self) -> None:
        main = self.job["programs"][0]["main"]
        program = HEAD + "G1 X5. F300\nX9.\nX12.\nG0 Z40.\nM30\n"
        whole = self.check(program).strands[0].interpreted.motions.end
        out = self.check(program, switches={"left_out": [{"program": main, "first": 5, "last": 5}]})
        self.assertEqual(len(out.strands[0].interpreted.motions), len(whole) - 1)
        self.assertEqual(out.strands[0].interpreted.left_out, [(len(whole) - 3, main, 5)])
        self.assertIn(f"{main} lines 5 to 5: left out of this rehearsal", verdict_dict(out)["checked"]["not_checked"])
        up = self.check(
            program, switches={"shifts": [{"program": main, "first": 4, "last": 6, "by": {"Z": 20, "X": 1}}]}
        )
        moved = up.strands[0].interpreted.motions.end - whole
        self.assertEqual(moved[:, 0].round(6).tolist()[-4:], [1, 1, 1, 1])  # X is not named after it
        self.assertEqual(moved[:, 2].round(6).tolist()[-4:], [0, 0, 0, 0])  # nor Z within

    def test_limits_of_reading(self) -> None:
        program = HEAD + "#1=0\nN5 #1=#1+1\nGOTO 5\nM30\n"
        self.assertEqual([rule for rule, _ in self.found(program, limits={"blocks": 500})], ["endless.limit"])
        self.assertEqual(self.found("O1\nM98 P1\nM30\n", limits={"depth": 5}), [("endless.depth", 2)])
        slow = self.found("#1=0\nN5 #1=#1+1\nGOTO 5\nM30\n", limits={"seconds": 0.001, "blocks": 100_000_000})
        self.assertEqual([rule for rule, _ in slow], ["endless.time"])

    def test_a_program_without_an_end_is_carried_out_so_far_and_says_so(self) -> None:
        program = HEAD + "#1=0\nN5 #1=#1+1\nG1 X#1 F3000\nGOTO 5\nM30\n"
        whole = self.check(program, limits={"blocks": 300})
        self.assertEqual(whole.cut_short, [])
        with (
            mock.patch("bluntmirror.rehearsal.run.MOST_UNENDING", 20),
            mock.patch("bluntmirror.rehearsal.result.MOST_UNENDING", 20),
        ):
            short = self.check(program, limits={"blocks": 300})
            told = verdict_dict(short)
        motions = whole.strands[0].interpreted.motions
        self.assertEqual(short.strands[0].interpreted.motions.end.tolist(), motions.end[:20].tolist())
        self.assertIn("what the program without an end does after its first 20 motions", told["checked"]["not_checked"])
        self.assertEqual((told["verdict"], [f.kind for f in short.docket]), ("stop", ["program.endless"]))

    def test_a_dialect_of_the_jobs_own(self) -> None:
        (self.folder / "floor.json").write_text(json.dumps(
            {"format": "blunt-mirror/dialect@1", "name": "floor", "based_on": "iso-mill", "codes": {"M77": "flood"}}))  # fmt: skip
        programs = [self.job["programs"][0] | {"dialect": "floor.json"}]
        self.assertEqual(self.found(HEAD + "M77\nG0 Z40.\nM30\n", programs=programs), [])


class Waits(unittest.TestCase):
    def met(self, **channels: str):  # type: ignore[no-untyped-def]
        """Marks as digits, with the partners named after a colon."""
        waits = {}
        for name, text in channels.items():
            waits[int(name[1:])] = [
                Wait(int(mark.split(":")[0]), tuple(int(d) for d in mark.partition(":")[2]), 0, 0, "")
                for mark in text.split()
            ]
        found, left = meetings(waits)
        return [(m.mark, tuple(m.at)) for m in found], left

    def test_marks_that_meet_in_their_order(self) -> None:
        self.assertEqual(self.met(c1="100 101", c2="100 101"), ([(100, (1, 2)), (101, (1, 2))], {}))
        self.assertEqual(self.met(c1="100 101", c2="100", c3="101"), ([(100, (1, 2)), (101, (1, 3))], {}))
        self.assertEqual(self.met(c1="100:123", c2="100:123", c3="100:123"), ([(100, (1, 2, 3))], {}))

    def test_the_check_of_a_job_tells_them(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            slot_job(Path(folder), "M101\nG0 X-10.\nM100\nM30\n")
            (Path(folder) / "O2.nc").write_text("M100\nG0 Z-5.\nM102\nM30\n")
            for name, changes in (
                ("machine", {"channels": [{"number": 1, "axes": ["X", "Y"]}, {"number": 2, "axes": ["Z"]}]}),
                ("job", {"programs": [{"channel": 1, "main": "O1001.nc"}, {"channel": 2, "main": "O2.nc"}]}),
            ):
                file = Path(folder) / f"{name}.json"
                file.write_text(json.dumps(json.loads(file.read_text()) | changes))
            told = [
                (f.rule, f.channel, f.line)
                for f in check_program(open_job(Path(folder))).findings
                if f.kind == "program.wait"
            ]
            self.assertEqual(sorted(told), [("wait.alone", 1, 1), ("wait.crossed", 2, 1)])

    def test_marks_without_a_partner_and_crossed_ones(self) -> None:
        self.assertEqual(self.met(c1="100 105", c2="100"), ([(100, (1, 2))], {1: 1}))
        self.assertEqual(self.met(c1="100 101", c2="101 100"), ([], {1: 0, 2: 0}))
        self.assertEqual(self.met(c1="100:12", c2=""), ([], {1: 0}))
