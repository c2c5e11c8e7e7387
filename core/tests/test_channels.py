"""Several channels on one clock: words, waits, spindles that one starts and another uses, two turrets in one room."""

import csv
import io
import math
import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from bluntmirror.export.trace import write_trace
from bluntmirror.export.verdict import verdict_dict
from bluntmirror.geometry.frames import rotation_about
from bluntmirror.job import JobUnreadable
from bluntmirror.program.motions import FEED
from bluntmirror.rehearsal import Rehearsal, check_program, rehearse
from bluntmirror.rehearsal.result import Timed
from bluntmirror.rehearsal.spindles import spindle_speeds
from bluntmirror.timeline.reel import make_knots

from .channels import BAR, channels_job, insert, swivelling, twin
from .test_machine import WithFolder

PIN = {"length": 50, "cutter": {"type": "end-mill", "diameter": 10, "flute_length": 20, "reach": 40}}
HEAD = "G21 G40 G99\n"


def rows(result: Timed) -> list[dict[str, str]]:
    out = io.StringIO()
    write_trace(result, out)
    return list(csv.DictReader(io.StringIO(out.getvalue())))


def trapezoid_seconds(way: float, rapid: float, accel: float) -> float:
    """From rest to rest (uniform acceleration): mm, mm/min, mm/s²."""
    v = rapid / 60.0
    return 2.0 * math.sqrt(way / accel) if way < v * v / accel else way / v + v / accel


def kinds(result: Rehearsal) -> list[str]:
    return sorted(f.kind for f in result.findings)


class Clock(WithFolder):
    def job(self, one: str, two: str, **more: Any):  # type: ignore[no-untyped-def]
        return channels_job(self.folder, twin(), {1: HEAD + one, 2: HEAD + two}, **more)

    def test_words_name_axes_and_each_row_fills_its_own_columns(self) -> None:
        result = check_program(self.job("T0101\nG0 X100. Z50.\nM30\n", "T0101\nG0 X80. Z-20.\nX2=90.\nW=-25.\nM30\n"))
        self.assertEqual(result.findings, [])
        table = rows(result)
        first = next(row for row in table if row["channel"] == "1" and row["kind"] == "rapid")
        # The gauge point of station 1 stands at (400, 0, 240), its tip 50 lower at r = 190: X100 is r 50.
        self.assertAlmostEqual(float(first["X1"]), 50 - 190, places=6)
        self.assertAlmostEqual(float(first["Z1"]), 150 + 50 - 400, places=6)
        self.assertEqual(first["X2"], "")
        second = [row for row in table if row["channel"] == "2" and row["kind"] == "rapid"]
        np.testing.assert_allclose([float(r["X2"]) for r in second], [40 - 190, 45 - 190, 45 - 190], atol=1e-6)
        # W names the sub spindle's slide itself; a datum sets words X Z only, so it has no offset.
        np.testing.assert_allclose([float(r["W"]) for r in second], [0, 0, -25], atol=1e-6)
        self.assertEqual(
            [a["axis"] for a in verdict_dict(result)["axes"]], ["X1", "Z1", "C1", "TU", "X2", "Z2", "W", "C2", "TL"]
        )

    def test_a_wait_gets_what_is_left_until_the_last_has_come(self) -> None:
        # Alone, channel 1 is at its mark after 1.5 s and 2 after 4 s; then 1 dwells 2 s more, 2 not at all.
        result = check_program(self.job("G4 U1.5\nM100\nG4 U2.\nM101\nM30\n", "G4 U4.\nM100\nM101\nM30\n"))
        waits = [
            (row["channel"], float(row["t_start"]), float(row["t_end"]))
            for row in rows(result)
            if row["kind"] == "wait"
        ]
        self.assertEqual(waits, [("1", 1.5, 4.0), ("2", 4.0, 6.0)])  # who comes last has no row
        verdict = verdict_dict(result)
        self.assertEqual([c["waiting"] for c in verdict["channels"]], [2.5, 2.0])
        self.assertEqual((verdict["time"], [c["time"] for c in verdict["channels"]]), (6.0, [6.0, 6.0]))

    def test_what_waits_for_ever_goes_no_farther(self) -> None:
        result = check_program(self.job("M100\nG0 X10.\nM30\n", "G4 U1.\nM30\n"))
        self.assertEqual([f.kind for f in result.findings], ["program.wait"])
        self.assertEqual([row["kind"] for row in rows(result)], ["dwell"])

    def test_partners_of_a_mark_named_by_the_machine(self) -> None:
        machine = twin()
        machine["codes"]["M150"] = {"does": "meet", "channels": [1, 2]}
        result = check_program(channels_job(self.folder, machine, {1: "G4 U1.\nM150\nM30\n", 2: "M150\nM30\n"}))
        self.assertEqual([row["channel"] for row in rows(result) if row["kind"] == "wait"], ["2"])

    def test_feed_per_revolution_of_a_spindle_that_the_other_channel_started(self) -> None:
        # F0.2 at 1200 rev/min is 240 mm/min, at 600 rev/min 120 (f · n).
        one = "G97 S1200 M3\nM100\nG4 U30.\nM101\nS600\nM102\nG4 U30.\nM30\n"
        two = "M80\nT0101\nG0 X80. Z5.\nM100\nG1 Z-10. F0.2\nM101\nM102\nG1 Z-20.\nM30\n"
        result = check_program(self.job(one, two))
        self.assertEqual(result.findings, [])
        feeds = [float(row["feed"]) for row in rows(result) if row["kind"] == "feed"]
        np.testing.assert_allclose(feeds, [240.0, 120.0])
        # Without the mark the spindle still stands when the cut begins: told as such.
        late = check_program(self.job("G4 U9.\nG97 S1200 M3\nM30\n", "M80\nT0101\nG0 X80. Z5.\nG1 Z-10. F0.2\nM30\n"))
        self.assertEqual([(f.kind, f.channel, f.line) for f in late.findings], [("program.feed", 2, 5)])

    def test_spindles_by_name_and_one_that_follows(self) -> None:
        one = "G97 S1000 M3\nG4 U1.\nM35\nG4 U1.\nS1500\nG4 U1.\nM36\nS500\nG4 U1.\nM205\nG4 U1.\nM203 S300\nG4 U1.\nM30\n"
        result = check_program(self.job(one, "G4 U1.\nM30\n"))
        speeds = spindle_speeds(result.strands)
        at = [0.5, 1.5, 2.5, 3.5, 4.5, 5.5]
        np.testing.assert_allclose(speeds["main"].at(np.array(at)), [1000, 1000, 1500, 500, 500, 500])
        # The two face each other: alike in space is the other way round. It follows from M35 on; let go it keeps its speed;
        # M205 stops it, M203 starts it with the S of its own block.
        np.testing.assert_allclose(speeds["sub"].at(np.array(at)), [0, -1000, -1500, -1500, 0, 300])

    def test_an_idle_second_channel_changes_nothing(self) -> None:
        one = "T0101\nG97 S1000 M3\nG0 X64. Z5.\nX56.\nG1 Z-30. F0.2\nG0 X20. Z-40.\nG0 X90. Z60.\nM30\n"
        verdicts = []
        for programs in ({1: HEAD + one}, {1: HEAD + one, 2: "M30\n"}, {1: HEAD + one, 2: "G4 U200.\nM30\n"}):
            verdict = verdict_dict(rehearse(channels_job(self.folder, twin(), programs)))
            told = [
                {k: f[k] for k in ("kind", "line", "tool", "bodies", "amount", "count")} for f in verdict["findings"]
            ]
            told.sort(key=lambda f: (f["line"], f["kind"], f["bodies"]))
            for tool in verdict["tools"]:  # its rate is cut over time, which a knot more rounds otherwise
                self.assertAlmostEqual(tool.pop("removal_rate")["most"], 73.12, delta=0.02)
            verdicts.append((told, verdict["stock"][0]["volume_after"], verdict["tools"]))
        self.assertEqual({f["kind"] for f in verdicts[0][0]}, {"contact.rapid", "contact.shank"})
        self.assertEqual(verdicts[0], verdicts[1])
        self.assertEqual(verdicts[0], verdicts[2])

    def test_two_channels_cut_one_bar_in_time(self) -> None:
        # Ring volumes: from d 60 to d 50 over 20 mm at the end, and to d 54 over 20 mm farther in, at once.
        one = "T0101\nG97 S1000 M3\nG0 X64. Z2.\nM100\nX50.\nG1 Z-20. F0.2\nG1 X70.\nG0 Z80.\nM30\n"
        two = "M80\nT0202\nG0 X70. Z-50.\nM100\nX60.5\nG1 X54. F0.1\nG1 Z-70.\nG1 X70.\nG0 Z80.\nM30\n"
        tools = [insert(1), {"number": 2, "length": 50, "turret": "lower", "station": 2,
                             "cutter": {"type": "groove", "width": 3, "reach": 20}}]  # fmt: skip
        result = rehearse(self.job(one, two, tools=tools, checks={"resolution": 0.5, "near": 0}))
        self.assertEqual(kinds(result), [])
        nose, pi = 0.4, math.pi
        taken = result.stocks[0].volume_before - result.stocks[0].volume_after
        want = pi * (30**2 - 25**2) * 20 + pi * (30**2 - 27**2) * (20 + 3)
        self.assertAlmostEqual(taken, want, delta=0.01 * want + 2 * pi * 30 * nose * 5)

    def test_two_turrets_in_one_place(self) -> None:
        """A drill of either turret over the axis, both at one Z: their ends meet where both radii add to nothing."""
        tools = [PIN | {"number": 1}, PIN | {"number": 1, "turret": "lower", "station": 1}]
        two = "T0101\nG0 X-10. Z60.\nG4 U1.\nM30\n"
        clear = rehearse(self.job("T0101\nG0 X20. Z60.\nM30\n", two, bodies=[], tools=tools))
        self.assertEqual(kinds(clear), [])
        hit = rehearse(self.job("T0101\nG0 X4. Z60.\nM30\n", two, bodies=[], tools=tools))
        # Radii 2 and −5: 3 mm into one another. It is told once, also while they stand there.
        found = [(f.kind, f.channel, f.line, f.bodies) for f in hit.findings]
        self.assertEqual(found, [("contact.body", 1, 3, ("T1 lower cutter", "T1 cutter"))])  # the later to come
        self.assertAlmostEqual(hit.findings[0].amount, 3.0, delta=0.02)

    def test_an_idle_tool_meets_the_bar_as_a_body(self) -> None:
        # Without a T word no register acts: X150 is the gauge point at r 75, the idle tool's tip at r 25, in a bar of r 30.
        result = rehearse(self.job("G97 S500 M3\nG4 U5.\nM30\n", "G0 X150. Z-20.\nM30\n"))
        found = [f for f in result.findings if f.kind == "contact.shank"]
        self.assertEqual([(f.bodies, f.channel, f.line) for f in found], [(("T1 lower insert", "bar"), 2, 2)])
        self.assertAlmostEqual(found[0].amount, 5.0, delta=0.6)

    def test_a_variable_that_another_channel_writes_is_told(self) -> None:
        write = "(#501=9.)\n#500=12.5\n#502=1.\nM30\n"
        for read, told in (
            ("#1=#500+#501\nG0 X[#1]\nM30\n", [("check.limit", "caution", 2, 2)]), ("#500=3.\n#1=#500\nM30\n", []), ("#1=1. (#500)\nM30\n", []),
        ):  # fmt: skip
            found = [f for f in check_program(self.job(write, read)).findings if f.kind == "check.limit"]
            self.assertEqual([(f.kind, f.severity, f.channel, f.line) for f in found], told, read)
            if told:
                self.assertIn("reads #500, which channel 1 writes", found[0].message)

    def test_one_axis_commanded_by_both(self) -> None:
        machine = twin()
        machine["channels"][0]["axes"].append("W")
        programs = {1: HEAD + "W=-40.\nM100\nM30\n", 2: HEAD + "G0 W=-30.\nM100\nM30\n"}
        result = rehearse(channels_job(self.folder, machine, programs, bodies=[]))
        found = [f for f in result.findings if f.kind == "channel.axis"]
        self.assertEqual([(f.axis, f.severity, f.amount) for f in found], [("W", "stop", 0.0)])
        programs[2] = HEAD + "M100\nW=-30.\nM30\n"
        after = rehearse(channels_job(self.folder, machine, programs, bodies=[]))
        self.assertEqual(kinds(after), [])

    def test_timed_by_each_channels_own_law(self) -> None:
        result = check_program(self.job("T0101\nG0 X80.\nM30\n", "T0101\nG0 X20.\nM30\n"))
        ends = {c["number"]: c["time"] for c in verdict_dict(result)["channels"]}
        self.assertAlmostEqual(ends[1], 0.4 + trapezoid_seconds(150, 30000, 5000), places=6)
        self.assertAlmostEqual(ends[2], 0.3 + trapezoid_seconds(180, 30000, 5000), places=6)

    def test_a_turret_is_its_channels_whether_listed_or_not(self) -> None:
        machine = twin()
        for channel, axis in zip(machine["channels"], ("TU", "TL"), strict=True):
            channel["axes"].remove(axis)
        programs = {1: HEAD + "T0202\nM30\n", 2: HEAD + "T0202\nM30\n"}
        result = check_program(channels_job(self.folder, machine, programs))
        turned = [row["TU"] or row["TL"] for row in rows(result) if row["kind"] == "toolchange"]
        self.assertEqual([float(value) for value in turned], [180.0, 180.0])


class AnyTiming(WithFolder):
    """A drill of either turret over the axis, one after the other: apart only because the second comes late."""

    TOOLS = [PIN | {"number": 1}, PIN | {"number": 1, "turret": "lower", "station": 1}]

    def rehearsed(self, one: str, two: str) -> Rehearsal:
        programs = {1: HEAD + one, 2: HEAD + two}
        return rehearse(channels_job(self.folder, twin(), programs, bodies=[], tools=self.TOOLS))

    def test_the_least_delay_against_delays_that_were_rehearsed(self) -> None:
        ways = (
            ("T0101\nG0 X4. Z60.\nG0 X200.\nG4 U4.\nM30\n", "T0101\nG4 U3.\nG0 X-10. Z60.\nM30\n"),
            # Twice over the axis: what counts is the time that comes nearest to the other's, not the shorter one.
            (
                "T0101\nG4 U3.\nG0 X10. Z60.\nG4 U3.\nG0 X200.\nG4 U3.\nG0 X10. Z60.\nG4 U.2\nG0 X200.\nM30\n",
                "T0101\nG4 U8.\nG0 X-10. Z60.\nG4 U1.\nG0 X200.\nM30\n",
            ),
        )
        for one, two in ways:
            result = self.rehearsed(one, two)
            (found,) = result.findings
            self.assertEqual((found.kind, found.severity), ("contact.timing", "caution"))
            assert result.timing
            self.assertEqual(result.timing.pairs - 1, result.timing.proved)
            for more, touches in ((-0.03, False), (0.03, True)):
                late = f"G4 U{found.amount + more:.4f}\n"
                texts = [late * (found.channel == channel) + text for channel, text in ((1, one), (2, two))]
                self.assertEqual("contact.body" in kinds(self.rehearsed(*texts)), touches, (more, one))

    def test_what_the_marks_make_impossible_does_not_count(self) -> None:
        marked = self.rehearsed(
            "T0101\nG0 X4. Z60.\nG0 X200.\nM100\nM30\n", "T0101\nG4 U3.\nM100\nG0 X-10. Z60.\nM30\n"
        )
        self.assertEqual(kinds(marked), [])
        assert marked.timing
        self.assertEqual((marked.timing.proved, marked.timing.unknown), (marked.timing.pairs, 0))

    @given(
        st.lists(st.tuples(st.integers(0, 60), st.integers(0, 90), st.booleans()), min_size=2, max_size=4), st.data()
    )
    @settings(max_examples=8)
    def test_random_ways_against_sampled_delays(self, ways: list[tuple[int, int, bool]], data: st.DataObject) -> None:
        programs = ["T0101\n", "T0101\n"]
        for r, z, second in ways:
            programs[second] += f"G0 X{2 * r - 30}. Z{z}.\nG0 X160.\n"
        one, two = (text + "M30\n" for text in programs)
        result = self.rehearsed(one, two)
        told = next((f for f in result.findings if f.kind == "contact.timing"), None)
        if "contact.body" in kinds(result):
            return
        delay = data.draw(st.floats(0.01, 6.0))
        late = data.draw(st.booleans())
        texts = [f"G4 U{delay:.3f}\n" * (channel == late) + text for channel, text in enumerate((one, two))]
        if "contact.body" in kinds(self.rehearsed(*texts)):
            self.assertIsNotNone(told)
            assert told
            self.assertLessEqual(told.amount, delay + 0.03)


class SwivellingHead(WithFolder):
    """Tip control and tilted planes over the work of either spindle, against matrices written out by hand."""

    LENGTH = 150.0
    MILL = [
        {"number": 1, "length": LENGTH, "cutter": {"type": "ball-mill", "diameter": 8, "flute_length": 12, "reach": 60}}
    ]
    SPINDLES = {"main": ("M80", "G54"), "sub": ("M81", "G55")}
    PROGRAM = np.array([[0, 0, 1], [0, -1, 0], [1, 0, 0]], float).T  # the program's X Y Z in the machine's directions

    def checked(self, program: str, second: str = "M30\n", **machine: Any) -> Timed:
        offsets = {"G54": {"datum": [0, 0, 150], "mount": "main"}, "G55": {"datum": [0, 0, 120], "mount": "sub"}}
        bodies = [
            BAR,
            BAR
            | {
                "name": "part",
                "mount": "sub",
                "shape": {"type": "cylinder", "diameter": 60, "length": 120},
                "at": [0, 0, 60],
            },
        ]
        head = "G17 G21 G40 G49 G80 G90 G94\nG28 X0 Y0 Z0\nT1 M6\n"
        return check_program(
            channels_job(self.folder, swivelling() | machine, {1: head + program, 2: second}, tools=self.MILL, work_offsets=offsets,
                         bodies=bodies, dialects={1: "iso-mill"})
        )  # fmt: skip

    def tip_on(self, spindle: str, at: dict[str, float]) -> tuple[Any, Any]:
        """Tip and tool vector in the frame of a spindle's work mount, by hand."""
        swivel = rotation_about([0, -1, 0], at["B1"])
        pivot = np.array([300 + at["Z1"], -at["Y1"], 500 + at["X1"]])
        axis = swivel @ [0, 0, 1]
        tip = pivot + swivel @ np.array([0, 0, -100]) - self.LENGTH * axis
        if spindle == "main":
            place, turn = np.zeros(3), rotation_about([-1, 0, 0], at["C1"]) @ rotation_about([0, 1, 0], 90)
        else:
            place, turn = (
                np.array([600 + at["W"], 0, 0]),
                rotation_about([1, 0, 0], at["C2"]) @ rotation_about([0, 1, 0], -90),
            )
        return turn.T @ (tip - place), turn.T @ axis

    def programmed(self, spindle: str, point: Any, tool: Any) -> tuple[Any, Any]:
        """A program point and a tool vector of its offset's frame in that of the mount."""
        home = rotation_about([0, 1, 0], 90 if spindle == "main" else -90)
        datum = np.array([0, 0, 150 if spindle == "main" else 120])
        return datum + home.T @ self.PROGRAM @ np.asarray(point, float), home.T @ self.PROGRAM @ np.asarray(tool, float)

    def values(self, result: Timed, rows: Any) -> list[dict[str, float]]:
        return [dict(zip(result.chain.axes, row, strict=True)) for row in rows]

    def ends(self, result: Timed) -> list[dict[str, float]]:
        return self.values(result, result.strands[0].full(result.strands[0].reel.motions.end))

    def test_a_tilted_plane_on_either_spindle(self) -> None:
        for spindle, (address, offset) in self.SPINDLES.items():
            towards = 90 if spindle == "main" else -90  # the plane's Z first along the program's ±Z, then tilted off it
            plane = Rotation.from_euler("ZXZ", [35, 60 if towards > 0 else 120, 10], degrees=True)
            result = self.checked(
                f"{address}\n{offset}\nM79\nS5000 M3\nG68.2 X20 Y5 Z-12 I35 J{60 if towards > 0 else 120} K10\nG53.1\n"
                "G43 H1 G0 X4 Y-3 Z40\nG1 Z-2 F600\nG3 X4 Y-3 I-6\nG69\nM5\nM30\n"
            )
            self.assertEqual([f"{f.kind} {f.message}" for f in result.findings], [], spindle)
            ends = self.ends(result)[-3:]
            for at, point in zip(ends, ([4, -3, 40], [4, -3, -2], [4, -3, -2]), strict=True):
                tip, tool = self.tip_on(spindle, at)
                expected = self.programmed(spindle, [20, 5, -12] + plane.apply(point), plane.apply([0, 0, 1]))
                np.testing.assert_allclose(tip, expected[0], atol=1e-6, err_msg=spindle)
                np.testing.assert_allclose(tool, expected[1], atol=1e-9, err_msg=spindle)

    def test_the_tip_keeps_to_its_line_over_either_work_one_after_the_other(self) -> None:
        result = self.checked(
            "M79\nS5000 M3\nM80\nG54\nG43.4 H1 G0 X60 Y0 Z10 B-50 C20\nG1 X40 Y5 Z-20 B-20 C95 F900\nG49\nG28 X0 Y0 Z0\n"
            "M81\nG55\nG43.4 H1 G0 X60 Y0 Z-10 B40 C10\nG1 X38 Y-6 Z15 B75 C-80 F900\nG49\nM5\nM30\n"
        )
        self.assertEqual([f"{f.kind} {f.message}" for f in result.findings], [])
        ways = {"main": ([60, 0, 10], [40, 5, -20]), "sub": ([60, 0, -10], [38, -6, 15])}
        reel = result.strands[0].reel
        knots = make_knots(reel, 0.002)
        cutting = np.flatnonzero(reel.motions.kind == FEED)
        self.assertEqual(len(cutting), 2)
        for motion, (spindle, (begin, end)) in zip(cutting, ways.items(), strict=True):
            rows = np.flatnonzero(knots.motion == motion)
            self.assertGreater(len(rows), 10)
            at = np.concatenate([knots.at[rows], 0.5 * (knots.at[rows] + knots.at[rows + 1]), knots.at[rows[-1:] + 1]])
            begin, end = (self.programmed(spindle, point, [0, 0, 1])[0] for point in (begin, end))
            way = (end - begin) / np.linalg.norm(end - begin)
            for values in self.values(result, result.strands[0].full(at)):
                tip, _ = self.tip_on(spindle, values)
                off = (tip - begin) - ((tip - begin) @ way) * way
                self.assertLess(float(np.linalg.norm(off)), 0.001)
            tip, _ = self.tip_on(spindle, self.values(result, result.strands[0].full(at[-1:]))[0])
            np.testing.assert_allclose(tip, end, atol=1e-6)

    def test_a_spindle_over_which_no_tip_can_be_controlled_is_told(self) -> None:
        machine = swivelling()
        changes: dict[str, Any] = {
            "mounts": [*machine["mounts"], {"name": "own", "link": "ram", "at": [0, 0, -300], "takes": "work"}],
            "spindles": [*machine["spindles"], {"name": "own", "turns": "work", "mount": "own", "channel": 1}],
            "codes": {**machine["codes"], "M82": {"does": "address", "spindle": "own"}},
        }
        result = self.checked(
            "M79\nS5000 M3\nM80\nG54\nG43.4 H1 G0 X60 Y0 Z10 B-50\nM82\nG1 X40 F900\nM30\n", **changes
        )
        self.assertEqual([(f.rule, f.line, f.severity) for f in result.findings], [("word.not-carried", 9, "stop")])

    def test_where_another_channels_slide_under_the_work_makes_a_difference_it_is_told(self) -> None:
        # A slide along the axis that the work turns about takes no tip elsewhere; a slanted one does, once the work has turned.
        program = "M79\nS5000 M3\nM81\nG55\nM201\nG43.4 H1 G0 X60 Y0 Z-10 B40 C50\nG1 X38 F900\nG49\nM5\nM30\n"
        for direction, moved, told in (
            ([1, 0, 0], -40, []),
            ([0.6, 0, 0.8], 0, []),
            ([0.6, 0, 0.8], -40, ["check.limit"]),
        ):
            links = swivelling()["links"]
            next(each for each in links if each["name"] == "sub slide")["joint"]["direction"] = direction
            result = self.checked(program, f"G0 W={moved}.\nM201\nM30\n", links=links, wait_marks=[200, 299])
            self.assertEqual([f.kind for f in result.findings], told, (direction, moved))


class BadFiles(WithFolder):
    def test_what_is_not_there_is_named(self) -> None:
        def broken(**changes: Any) -> str:
            machine = twin() | changes
            with self.assertRaises(JobUnreadable) as caught:
                channels_job(self.folder, machine, {1: "M30\n"})
            return str(caught.exception)

        spindle = twin()["spindles"][0]
        self.assertIn(
            "spindles.main: there is no work mount 'nowhere'", broken(spindles=[spindle | {"mount": "nowhere"}])
        )
        self.assertIn("codes.M203: there is no spindle 'sub'", broken(spindles=[]))
        self.assertIn("turrets.upper: no joint moves axis TQ", broken(turrets=[twin()["turrets"][0] | {"axis": "TQ"}]))
        self.assertIn(
            "words: X names X2, which is none", broken(channels=[{"number": 1, "axes": ["X1"], "words": {"X": "X2"}}])
        )
        self.assertIn("there is no grip 'vise'", broken(codes={"M10": {"does": "close", "grip": "vise"}}))
        with self.assertRaises(JobUnreadable) as caught:
            channels_job(self.folder, twin(), {1: "M30\n"}, tools=[insert(1, turret="middle")])
        self.assertIn("T1: turret: the machine has no turret 'middle' (it has lower, upper)", str(caught.exception))
        with self.assertRaises(JobUnreadable) as caught:
            channels_job(
                self.folder, twin(), {1: "M30\n"}, bodies=[BAR, BAR | {"name": "d", "role": "design", "of": "rod"}]
            )
        self.assertIn("bodies.d: of: there is no stock 'rod'", str(caught.exception))


if __name__ == "__main__":
    unittest.main()
