"""Turning: diameters, turret, surface speed, inserts and rings — against handbook formulas and closed forms."""

import math
import unittest

import numpy as np
from shapely import affinity
from shapely.geometry import MultiPolygon, Point, Polygon

from bluntmirror.contact.bodies import spun
from bluntmirror.geometry import mesh as meshes
from bluntmirror.job import models
from bluntmirror.job.models import Insert
from bluntmirror.material.ring_kernel import ring_intervals
from bluntmirror.rehearsal import check_program, rehearse
from bluntmirror.tools.assembly import INCLUDED_ANGLE, insert_outline

from .machines import Json, box, job_on, linear, link, rotary
from .test_machine import WithFolder

HEAD = "G21 G40 G99\nG28 U0 W0\n"


def lathe() -> Json:
    """X upwards, Z along machine x; a chuck with the work's Z along it; a turret of four stations about an axis along x."""
    links = [
        link("bed"),
        link("chuck", "bed", rotary("C", [-1, 0, 0], [0, 0, 0], rapid=36000),
             {"type": "cylinder", "diameter": 120, "length": 50, "at": [-25, 0, 0], "turn": [0, 90, 0]}),
        link("carriage", "bed", linear("Z", [1, 0, 0], travel=[-400, 20])),
        link("slide", "carriage", linear("X", [0, 0, 1], travel=[-180, 20])),
        link("turret", "slide", rotary("TR", [-1, 0, 0], [400, 0, 300]), box(40, 90, 90)),
    ]  # fmt: skip
    stations = []
    for i, (at, turn) in enumerate((([0, 0, -130], 0), ([0, 130, 0], 90), ([0, 0, 130], 180), ([0, -130, 0], 270))):
        stations.append(
            {"name": f"s{i + 1}", "link": "turret", "at": at, "turn": [turn, 0, 0], "takes": "tool", "station": i + 1}
        )
    return {
        "format": "blunt-mirror/machine@1", "name": "lathe", "links": links,
        "mounts": [{"name": "chuck", "link": "chuck", "turn": [0, 90, 0], "takes": "work"}, *stations],
        "channels": [{"number": 1, "axes": ["X", "Z", "C", "TR"], "diameters": ["X"]}],
        "reference": {"1": {"X": 0, "Z": 0, "C": 0, "TR": 0}}, "turret": {"axis": "TR", "stations": 4, "seconds": 0.5},
        "work_spindle": {"mount": "chuck", "axis": "C"}, "spindle": {"max_rpm": 3000}, "rapid": "straight",
        "codes": {"M33": {"does": "live", "turns": 1}, "M35": {"does": "live", "turns": 0}},
    }  # fmt: skip


TOOLS = [
    {"number": 1, "station": 1, "length": 50, "offset": [-20, 0],
     "cutter": {"type": "insert", "shape": "C", "inscribed_circle": 12.7, "nose_radius": 0.8, "lead_angle": 95},
     "holder": {"shapes": [{"type": "box", "size": [24, 20, 40], "at": [-5, -10, -20]}]}},
    {"number": 2, "station": 2, "length": 50, "cutter": {"type": "groove", "width": 4, "reach": 20}},
    {"number": 3, "station": 3, "length": 60, "cutter": {"type": "end-mill", "diameter": 8, "flute_length": 20, "reach": 40}},
]  # fmt: skip
BAR = {
    "name": "bar",
    "role": "stock",
    "mount": "chuck",
    "shape": {"type": "cylinder", "diameter": 60, "length": 100},
    "at": [0, 0, 50],
}


class Turning(WithFolder):
    def job(self, program: str, **changes):  # type: ignore[no-untyped-def]
        options = {
            "programs": [{"main": "O1.nc", "dialect": "iso-turn"}], "tools": TOOLS, "bodies": [BAR],
            "work_offsets": {"G54": {"datum": [0, 0, 100], "mount": "chuck"}}, "checks": {"resolution": 0.5, "near": 0},
        } | changes  # fmt: skip
        return job_on(self.folder, lathe(), HEAD + program, **options)

    def test_diameters_increments_and_geometry(self) -> None:
        result = check_program(self.job("T0101\nG97 S500 M3\nG0 X50. Z2.\nU4. W-1.\nM30\n"))
        assert result.reel
        x, z = (result.reel.motions.axes.index(a) for a in "XZ")
        rows = result.reel.motions.end[-2:]
        # At zero station 1's gauge point stands at (400, 0, 170); the tip 20 nearer to the chuck and 50 lower: (380, 0, 120).
        np.testing.assert_allclose(rows[:, x], [25 - 120, 27 - 120], atol=1e-9)
        np.testing.assert_allclose(rows[:, z], [100 + 2 - 380, 100 + 1 - 380], atol=1e-9)
        self.assertEqual(result.findings, [])

    def test_surface_speed_and_feed_per_revolution(self) -> None:
        # n = 1000 v / (π d): 188.5 m/min at d = 60 is 1000 rev/min; at d = 30 twice that; G50 and the machine's 3000 hold it.
        v = math.pi * 60
        result = check_program(
            self.job(f"T0101\nG50 S2500\nG96 S{v:.6f} M3\nG0 X60. Z5.\nG1 Z0. F0.2\nX30.\nX10.\nM30\n")
        )
        assert result.reel
        motions = result.reel.motions
        np.testing.assert_allclose(motions.rpm[-3:], [1000, 2000, 2500], rtol=1e-5)
        np.testing.assert_allclose(motions.feed[-3:], [0.2 * 1000, 0.2 * 1500, 0.2 * 2250], rtol=1e-5)

    def test_the_turret_turns_to_its_station_and_the_tool_stands_there(self) -> None:
        result = check_program(self.job("T0202\nG97 S500 M3\nG0 X40. Z-10.\nM30\n"))
        assert result.reel
        end = dict(zip(result.reel.motions.axes, result.reel.motions.end[-1], strict=True))
        self.assertAlmostEqual(end["TR"], 90.0)
        values = np.array([[end[axis] for axis in result.chain.axes]])
        tip = result.chain.mount_pose(result.chain.mounts["s2"], values)[0] @ [0, 0, -50, 1]
        np.testing.assert_allclose(tip[:3], [90, 0, 20], atol=1e-6)

    def test_turned_down_faced_and_grooved_in_closed_form(self) -> None:
        program = ("T0101\nG97 S1000 M3\nG0 X64. Z2.\nX50.\nG1 Z-40. F0.2\nX64.\nG0 Z-2.\nG1 X-1.6\nG0 Z5.\nX80.\nG28 U0 W0\n"
                   "T0202\nG0 X64. Z-20.\nG1 X40. F0.1\nG0 X64.\nG28 U0 W0\nM30\n")  # fmt: skip
        result = rehearse(self.job(program))
        self.assertEqual([(f.kind, f.message) for f in result.findings], [])
        cut = result.stocks[0]
        nose = (1 - math.pi / 4) * 0.8**2  # left in the shoulder's corner, at a radius of about 25.18
        expected = math.pi * ((900 - 625) * 40 + 625 * 2 + (625 - 400) * 4) - 2 * math.pi * 25.18 * nose
        self.assertAlmostEqual(cut.volume_before - cut.volume_after, expected, delta=0.004 * expected)

    def test_a_rapid_through_the_bar_and_a_spindle_that_stands(self) -> None:
        found = rehearse(self.job("T0101\nG97 S1000 M3\nG0 X64. Z2.\nX50.\nZ-30.\nX64.\nM30\n")).findings
        self.assertEqual([(f.kind, f.line) for f in found], [("contact.rapid", 7)])
        self.assertAlmostEqual(found[0].amount, 5.0, delta=0.3)  # 30 − 25, the shortest way out
        found = rehearse(self.job("T0101\nG0 X64. Z2.\nX50.\nG98 G1 Z-30. F200\nX64.\nM30\n")).findings
        self.assertEqual([(f.kind, f.line) for f in found], [("contact.still", 6)])

    def test_a_holder_that_follows_the_insert_too_deep_is_in_the_stock(self) -> None:
        # The shank begins 10 above the tip, its side 3 behind the insert's: plunged 12 deep it rubs.
        found = rehearse(self.job("T0101\nG97 S1000 M3\nG0 X64. Z-40.\nG1 X34. F0.1\nX64.\nM30\n")).findings
        self.assertEqual([(f.kind, f.bodies) for f in found], [("contact.shank", ("T1 holder", "bar"))])

    def test_what_turning_does_not_carry_out_is_said(self) -> None:
        found = check_program(self.job("T0101\nG97 S1000 M3\nG0 X64. Z2.\nG36\nG51.2\nM30\n")).findings
        self.assertEqual(
            [(f.kind, f.line, f.severity) for f in found], [("program.word", 6, "stop"), ("program.word", 7, "stop")]
        )

    def test_slips_of_turning_programs(self) -> None:
        for text, kind, severity, line in (
            ("T0109\n", "program.offset", "caution", 3),  # a register that was never set
            ("T0808\n", "program.tool", "stop", 3),  # a station without a tool
            ("T0101\nG0 X60. U2.\n", "program.word", "caution", 4),
            ("T0101\nG50\n", "program.syntax", "stop", 4),
            ("T0101\nG0 Y5.\n", "program.word", "stop", 4),
            ("T0101\nG97 S500 M3\nG98 G1 X58.\n", "program.feed", "stop", 5),  # a feed per minute was never set
            ("G97 S500 M3\nG1 X90. F0.1\n", "program.tool", "stop", 4),
        ):
            with self.subTest(text):
                found = [(f.kind, f.severity, f.line) for f in check_program(self.job(text + "M30\n")).findings]
                self.assertIn((kind, severity, line), found)
                self.assertLessEqual(len(found), 2, found)

    def thread_job(self, program: str, **changes):  # type: ignore[no-untyped-def]
        insert = {"type": "thread-insert", "inscribed_circle": 9.525, "nose_radius": 0, "pitch": 2}
        tools = [{"number": 2, "station": 2, "length": 50, "cutter": insert}]
        return self.job("T0202\nG97 S500 M3\n" + program, tools=tools, **changes)

    def test_a_thread_takes_its_grooves_and_no_more(self) -> None:
        """A 60 degree V of depth h once a turn: by Pappus each groove is 2π·(R − h/3)·h²·tan 30°, R the bar's radius."""
        h, turns = 1.0, 21
        # It ends where a groove is: there the way out, with the bar turning on, cuts nothing more.
        program = f"G0 X70. Z3.\nX{60 - 2 * h:g}\nG32 Z{3 - 2 * turns}. F2.\nG0 X70.\nM30\n"
        (cut,) = rehearse(self.thread_job(program, checks={"resolution": 0.2, "near": 0})).stocks
        groove = 2 * math.pi * (30 - h / 3) * h * h * math.tan(math.radians(30))
        grooves = sum(1 for k in range(turns + 1) if 3 - 2 * k < 0)  # every 2 mm from 3 before the face
        self.assertAlmostEqual(cut.volume_before - cut.volume_after, groove * grooves, delta=0.03 * groove * grooves)

    def test_a_run_in_shorter_than_the_slide_needs_is_told(self) -> None:
        """v²/2a: at 2500 rev/min a lead of 2 is 83.3 mm/s; the Z slide's acceleration and the way before the face decide."""
        accel = next(
            link["joint"]["accel"] for link in lathe()["links"] if link.get("joint") and link["joint"]["axis"] == "Z"
        )
        for speed, start, found in ((500, 3.0, []), (2500, 0.2, ["thread.run-in"]), (2500, 6.0, [])):
            needed = (2 * speed / 60) ** 2 / (2 * accel)
            program = f"G97 S{speed}\nG0 X62. Z{start:g}\nX59.\nG32 Z-20. F2.\nG0 X70.\nM30\n"
            result = check_program(self.thread_job(program))
            self.assertEqual([f.rule for f in result.docket], found, (speed, start, needed))
            for item in result.docket:
                self.assertAlmostEqual(item.amount, needed - start, 3)

    def test_an_index_near_the_work_is_told(self) -> None:
        changes = self.job("T0101\nG0 X64. Z2.\nT0202\nG28 U0 W0\nM30\n")
        machine = changes.machine.model_copy(update={"tool_change": models.ToolChange(at={"X": 0.0})})
        changes.machine = machine
        found = check_program(changes).findings
        self.assertEqual([(f.kind, f.line, f.axis) for f in found], [("program.tool", 5, "X")])

    def test_a_driven_tool_mills_while_the_work_stands_turned(self) -> None:
        # A flat across the bar at C90 with a D8 end mill from the turret, 3 deep: the segment cut off along 8 mm.
        program = "T0303\nM33\nG97 S2000\nG98\nG0 C90.\nX70. Z-20.\nG1 X54. F300\nG0 X70.\nM35\nG28 U0 W0\nM30\n"
        result = rehearse(self.job(program, checks={"resolution": 0.3, "near": 0}))
        self.assertEqual([(f.kind, f.message) for f in result.findings], [])
        cut = result.stocks[0]
        # A cylinder of radius 4 down to 27 from the axis in a bar of radius 30: ∫∫ (√(900 − y²) − 27) over the disc.
        y, x = np.meshgrid(*[np.linspace(-4, 4, 801)] * 2)
        inside = y**2 + x**2 <= 16
        expected = float((np.sqrt(900 - y[inside] ** 2) - 27).sum() * (8 / 800) ** 2)
        self.assertAlmostEqual(cut.volume_before - cut.volume_after, expected, delta=0.03 * expected)


class Inserts(unittest.TestCase):
    def test_outlines_against_shapely(self) -> None:
        for shape in "CDVSTW":
            for hand in ("right", "left"):
                cutter = Insert(
                    type="insert", shape=shape, inscribed_circle=12.7, nose_radius=0.8, lead_angle=95, hand=hand
                )
                outline = Polygon(insert_outline(cutter))
                self.assertTrue(outline.is_valid)
                self.assertAlmostEqual(outline.area, outline.convex_hull.area, places=6)
                # The nose touches the tip's lines, one radius from its centre, and rounds the corner of its included angle.
                centre = Point(0.8 if hand == "right" else -0.8, 0.8)
                if INCLUDED_ANGLE[shape] + 95 <= 180:  # neither edge reaches beyond the tip's lines
                    low_x, low_z, high_x, _ = outline.bounds
                    self.assertAlmostEqual(low_z, 0.0, delta=0.002)
                    self.assertAlmostEqual(low_x if hand == "right" else -high_x, 0.0, delta=0.002)
                grown = outline.buffer(-0.8, join_style="mitre")
                self.assertLess(grown.distance(centre), 0.003)

    def test_rings_beside_the_hull_turned_by_shapely(self) -> None:
        rng = np.random.default_rng(4)
        outline = insert_outline(
            Insert(type="insert", shape="D", inscribed_circle=9.525, nose_radius=0.4, lead_angle=93)
        )
        span, out = np.empty(2), np.empty((3, 2))
        for _ in range(300):
            z, r, dz, dr = *rng.uniform([-5, -8], [5, 20]), *rng.uniform(-10, 10, 2)
            ends = [affinity.translate(Polygon(outline), z + k * dz, r + k * dr) for k in (0, 1)]
            hull = MultiPolygon(ends).convex_hull
            direction = int(rng.integers(3))
            u, v = rng.uniform(-15, 15, 2)
            count = ring_intervals(direction, outline, 0, len(outline), z, r, dz, dr, u, v, span, out)
            w = np.linspace(-40, 40, 1601)
            if direction == 2:
                points = [(w, np.full_like(w, s * math.hypot(u, v))) for s in (1, -1)]
            else:
                radius = np.hypot(u, w)
                points = [(np.full_like(w, v), s * radius) for s in (1, -1)]
            from shapely import contains_xy

            swept = np.any([contains_xy(hull, zs, rs) for zs, rs in points], axis=0)
            told = np.zeros(len(w), bool)
            for low, high in out[:count]:
                told |= (w >= low) & (w <= high)
            self.assertLessEqual(
                int((swept != told).sum()), 4, (direction, z, r, dz, dr, u, v)
            )  # ends, to the samples' 0.05

    def test_what_a_body_sweeps_about_an_axis_holds_all_of_it(self) -> None:
        jaw = meshes.Mesh(meshes.box([20, 30, 40]).vertices + [50, 0, 10], meshes.box([1, 1, 1]).faces)
        ring = spun(jaw, np.eye(4))
        low, high = ring.bounds
        reach = math.hypot(60, 15)
        self.assertAlmostEqual(high[0], reach, delta=0.05)
        np.testing.assert_allclose((low[2], high[2]), (-10, 30), atol=1e-9)
        self.assertAlmostEqual(ring.volume, math.pi * (reach**2 - 40**2) * 40, delta=0.01 * ring.volume)
