"""The machine's chain, travel, time and files: signs, closed forms, units."""

import csv
import io
import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation

from bluntmirror.contact.program import pairs_of
from bluntmirror.export.trace import write_trace
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.meshfile import read_mesh, write_stl
from bluntmirror.job import JobUnreadable, open_job
from bluntmirror.job.models import MachineFile
from bluntmirror.machine import Chain
from bluntmirror.rehearsal import check_program, rehearse
from bluntmirror.rehearsal.scene import contact_bodies
from bluntmirror.rehearsal.travel import ranges
from bluntmirror.timeline.reel import axis_way, make_knots

from .build import HEAD, JOBS, slot_job


class WithFolder(unittest.TestCase):
    def setUp(self) -> None:
        keep = tempfile.TemporaryDirectory()
        self.addCleanup(keep.cleanup)
        self.folder = Path(keep.name)


class ChainAndFrames(unittest.TestCase):
    def test_positive_axis_words_move_the_tool_positively_seen_from_the_work(self) -> None:
        # ISO 841: whichever body moves, +X carries the tool towards +X of the work.
        chain = Chain(open_job(JOBS / "slot-clear").machine)
        tool, work = chain.mount_of("tool"), chain.mount_of("work")
        zero = chain.tool_in_work(tool, work, np.zeros((1, 3)))[0, :3, 3]
        for axis, direction in zip("XYZ", np.eye(3), strict=True):
            values = np.zeros((1, 3))
            values[0, chain.axes.index(axis)] = 7.0
            moved = chain.tool_in_work(tool, work, values)[0, :3, 3] - zero
            np.testing.assert_allclose(moved, 7.0 * direction, atol=1e-12)

    def test_rotary_joints_against_a_reference_library(self) -> None:
        machine = {
            "format": "blunt-mirror/machine@1", "name": "r",
            "links": [
                {"name": "base"},
                {"name": "tilt", "parent": "base", "joint": {"axis": "A", "type": "rotary", "direction": [1, 0, 0], "at": [0, 5, 9], "rapid": 9, "accel": 9}},
                {"name": "plate", "parent": "tilt", "joint": {"axis": "C", "type": "rotary", "direction": [0, 0, 1], "at": [3, 0, 0], "rapid": 9, "accel": 9}},
            ],
            "mounts": [{"name": "t", "link": "base", "takes": "tool"}, {"name": "w", "link": "plate", "takes": "work"}],
            "channels": [{"number": 1, "axes": ["A", "C"]}],
        }  # fmt: skip
        chain = Chain(MachineFile.model_validate(machine))
        rng = np.random.default_rng(1)
        values = rng.uniform(-180, 180, (50, 2))
        poses = chain.pose("plate", values)
        a = Rotation.from_euler("x", values[:, :1], degrees=True)
        both = a * Rotation.from_euler("z", values[:, 1:], degrees=True)
        np.testing.assert_allclose(poses[:, :3, :3], both.as_matrix(), atol=1e-12)
        np.testing.assert_allclose(poses[:, :3, 3], [0, 5, 9] + a.apply([3, 0, 0]), atol=1e-12)

    def test_which_pairs_are_checked(self) -> None:
        job = open_job(JOBS / "slot-clear")
        chain = Chain(job.machine)
        from bluntmirror.tools import build_assembly

        tools = {t.number: build_assembly(t) for t in job.tools.tools}
        bodies = contact_bodies(job, chain, tools, {1})
        names = {frozenset((a.label, b.label)) for a, b in pairs_of(bodies, chain, [])}
        self.assertIn(frozenset(("T1 holder", "vise")), names)
        self.assertIn(frozenset(("head", "table")), names)
        # Fixed to one link; sharing a joint; parts of one spindle.
        for pair in (("vise", "table"), ("bed", "head"), ("T1 holder", "head"), ("T1 cutter", "T1 holder")):
            self.assertNotIn(frozenset(pair), names)
        ignored = {frozenset((a.label, b.label)) for a, b in pairs_of(bodies, chain, [("vise", "T1 holder")])}
        self.assertEqual(names - ignored, {frozenset(("T1 holder", "vise"))})


class TimeAndTravel(WithFolder):
    def rows(self, program: str, **changes: object) -> list[dict[str, str]]:
        out = io.StringIO()
        write_trace(check_program(slot_job(self.folder, program, **changes)), out)
        return list(csv.DictReader(io.StringIO(out.getvalue())))

    def test_rapid_and_feed_moves_in_closed_form(self) -> None:
        rows = self.rows(HEAD + "G1 Z-5. F600.\nG0 X100.\nG4 P250\nM30\n")
        spans = [(r["kind"], float(r["t_end"]) - float(r["t_start"])) for r in rows[-3:]]
        # Feed: 25 mm at 10 mm/s under 3000 mm/s²; rapid: 100 mm at 400 mm/s under 4000 mm/s²: t = s/v + v/a.
        for (kind, span), (expected_kind, expected) in zip(
            spans, [("feed", 25 / 10 + 10 / 3000), ("rapid", 100 / 400 + 400 / 4000), ("dwell", 0.25)], strict=True
        ):
            self.assertEqual(kind, expected_kind)
            self.assertAlmostEqual(span, expected, places=5)

    def test_a_full_circle_takes_its_circumference_and_its_extremes(self) -> None:
        job = slot_job(self.folder, HEAD + "G1 Z10. F1200.\nG3 I-30. J0.\nM30\n")
        result = check_program(job)
        assert result.reel
        row = len(result.reel.motions) - 1
        self.assertAlmostEqual(result.reel.length[row], 2 * math.pi * 30)
        v, s, a = 20.0, 2 * math.pi * 30, 4000.0
        self.assertAlmostEqual(result.reel.end_time[row] - result.reel.begin_time[row], s / v + v / a, delta=0.02)
        reach = {r.axis: (r.low, r.high) for r in ranges(result.strands)}
        self.assertAlmostEqual(reach["X"][0], -305 - 60)
        self.assertAlmostEqual(reach["Y"][0], -205 - 30)

    def test_knots_stay_on_the_arc(self) -> None:
        result = check_program(slot_job(self.folder, HEAD + "G1 Z10. F1200.\nG2 X30. Y30. R-40.\nM30\n"))
        assert result.reel
        knots = make_knots(result.reel, 0.002)
        arc = knots.motion == len(result.reel.motions) - 1
        centre = result.reel.motions.centre[-1]
        middles = 0.5 * (knots.at[:-1] + knots.at[1:])[arc][:, :2]
        off = np.hypot(*(middles - centre).T) - 40.0
        self.assertLessEqual(float(np.abs(off).max()), 0.002 + 1e-9)
        np.testing.assert_array_equal(knots.at[-1], result.reel.motions.end[-1])

    def test_dog_leg_axes_each_follow_their_own_law(self) -> None:
        machine = json.loads((JOBS / "slot-clear" / "machine.json").read_text())
        machine["rapid"] = "dogleg"
        job = slot_job(self.folder, HEAD + "G0 X100. Y10.\nM30\n")
        (self.folder / "machine.json").write_text(json.dumps(machine))
        result = check_program(open_job(job.folder))
        assert result.reel
        knots = make_knots(result.reel, 0.002)
        last = len(result.reel.motions) - 1
        begin = result.reel.begin_time[last]
        for row in np.flatnonzero(knots.motion == last):
            t = knots.t1[row] - begin
            self.assertAlmostEqual(knots.at[row + 1, 0] + 305, axis_way(100, 400, 4000, t), places=6)
            self.assertAlmostEqual(knots.at[row + 1, 1] + 205, axis_way(10, 400, 4000, t), places=6)

    def test_a_thin_post_is_hit_at_full_rapid(self) -> None:
        # A 0.5 mm post in the way of a 300 mm rapid: no sampling may step over it.
        post = {"name": "post", "role": "fixture", "mount": "table", "at": [100, 0, 85],
                "shape": {"type": "box", "size": [0.5, 0.5, 40]}}  # fmt: skip
        job = slot_job(self.folder, HEAD + "G0 X-150.\nG0 X150.\nM30\n", bodies=[post])
        found = [f for f in rehearse(job).findings if f.kind == "contact.body"]
        self.assertEqual({f.line for f in found}, {8})
        self.assertTrue(all("post" in f.bodies for f in found))
        # Program zero stands over the table's (0, 0): the cutter touches when its side comes to x = 99.75.
        cutter = next(f for f in found if "T1 cutter" in f.bodies)
        self.assertGreater(cutter.amount, 0.4)


class StandingRotaryAxes(WithFolder):
    """A rotary table that does not turn in the program is judged as it stands."""

    def rehearsed(self, stands: float, program: str):  # type: ignore[no-untyped-def]
        machine = json.loads((JOBS / "slot-clear" / "machine.json").read_text())
        joint = {"axis": "C", "type": "rotary", "direction": [0, 0, 1], "rapid": 3600, "accel": 1000}
        machine["links"].append({"name": "plate", "parent": "table", "joint": joint})
        machine["mounts"][1]["link"] = "plate"
        machine["channels"][0]["axes"].append("C")
        machine["reference"]["1"]["C"] = stands
        # A bar from the plate's middle towards +X, and the blank; the cut runs along +Y, clear of the bar or through it.
        bodies = [
            {"name": "bar", "role": "fixture", "mount": "table", "at": [60, 0, 22], "shape": {"type": "box", "size": [100, 20, 36]}},
            {"name": "blank", "role": "stock", "mount": "table", "at": [60, 0, 55], "shape": {"type": "box", "size": [100, 20, 30]}},
        ]  # fmt: skip
        slot_job(self.folder, program, bodies=bodies, work_offsets={"G54": {"datum": [0, 0, 70], "mount": "table"}})
        (self.folder / "machine.json").write_text(json.dumps(machine))
        return rehearse(open_job(self.folder))

    def test_turned_by_a_quarter_the_work_lies_along_y(self) -> None:
        program = HEAD + "G0 X0. Y120.\nG1 Z-5. F900.\nY20.\nG0 Z20.\nM30\n"
        lies, stands = self.rehearsed(0.0, program), self.rehearsed(90.0, program)
        removed = [r.stocks[0].volume_before - r.stocks[0].volume_after for r in (lies, stands)]
        self.assertEqual(removed[0], 0.0)
        # From the blank's end at 110 to 20, 10 wide, 5 deep, and the cutter's half circle beyond 20.
        self.assertAlmostEqual(removed[1], 90 * 10 * 5 + math.pi * 25 / 2 * 5, delta=8)
        self.assertEqual([f.kind for f in stands.findings], [])


class Files(WithFolder):
    def test_inches_become_millimetres(self) -> None:
        tools = {"format": "blunt-mirror/tools@1", "units": "inch", "tools": [
            {"number": 1, "length": 4, "registers": {"H": 4}, "holder": {"segments": [{"diameter": 2, "length": 1}]},
             "cutter": {"type": "drill", "diameter": 0.5, "point_angle": 118, "flute_length": 2, "reach": 3}}]}  # fmt: skip
        slot_job(self.folder, HEAD)
        (self.folder / "tools.json").write_text(json.dumps(tools))
        entry = open_job(self.folder).tools.tools[0]
        self.assertEqual((entry.length, entry.registers["H"], entry.holder.segments[0].diameter), (101.6, 101.6, 50.8))
        self.assertEqual((entry.cutter.diameter, entry.cutter.point_angle), (12.7, 118))  # type: ignore[union-attr]

    def test_a_datum_offset_brings_program_zero_there(self) -> None:
        job = slot_job(self.folder, HEAD, work_offsets={"G54": {"datum": [0, 0, 65], "mount": "table"}})
        setup = check_program(job).strands[0].setup
        assert setup
        for axis, value in {"X": -305, "Y": -205, "Z": -535}.items():
            self.assertAlmostEqual(setup.work_offsets["G54"][axis], value)

    def test_a_mesh_survives_being_written_and_read(self) -> None:
        solid = meshes.tube(20, 10, 15)
        write_stl(self.folder / "a.stl", solid)
        back = read_mesh(self.folder / "a.stl")
        self.assertTrue(back.closed)
        self.assertAlmostEqual(back.volume, solid.volume, delta=1e-2)
        self.assertAlmostEqual(solid.volume, math.pi * (100 - 25) * 15, delta=1e-6)

    def test_faults_of_a_machine_are_said(self) -> None:
        machine = json.loads((JOBS / "slot-clear" / "machine.json").read_text())
        for change, says in (
            (lambda m: m["links"][1].update(parent="nowhere"), "no link 'nowhere'"),
            (lambda m: m["links"][0].update(parent="table"), "own ancestor"),
            (lambda m: m["links"][2]["joint"].update(axis="Y"), "already moves"),
            (lambda m: m["channels"][0]["axes"].append("B"), "no joint moves axis B"),
            (lambda m: m["mounts"].pop(0), "takes 'tool'"),
        ):
            slot_job(self.folder, HEAD)
            broken = json.loads(json.dumps(machine))
            change(broken)
            (self.folder / "machine.json").write_text(json.dumps(broken))
            with self.subTest(says), self.assertRaises(JobUnreadable) as caught:
                open_job(self.folder)
            self.assertIn(says, str(caught.exception))
