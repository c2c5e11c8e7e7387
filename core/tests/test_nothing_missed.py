"""Crashes and faults that once came out clear, each by its class: what moves, spins, comes or stands still, and what was
not rehearsed at all."""

import json
import math
import unittest
from typing import Any

import numpy as np

from bluntmirror.export.verdict import verdict_dict
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.mesh import Mesh, revolve
from bluntmirror.job import JobUnreadable, open_job
from bluntmirror.material.comparison import compare
from bluntmirror.material.stock import Stock, rays_of
from bluntmirror.material.swept import rings_meet, rings_of_body, rings_of_stock
from bluntmirror.rehearsal import Rehearsal, check_program, rehearse
from bluntmirror.rehearsal.fitting import fit

from .build import HEAD, slot_job
from .machines import Json, box, job_on, linear, link, machine
from .test_lathe import BAR, TOOLS, lathe
from .test_lathe import HEAD as TURN_HEAD
from .test_machine import WithFolder


def told(result: Rehearsal, *kinds: str) -> list[tuple[str, int, tuple[str, ...], float]]:
    return [(f.kind, f.line, f.bodies, round(f.amount, 2)) for f in result.findings if not kinds or f.kind in kinds]


class Spinning(WithFolder):
    """What hangs on the work spindle counts as the body it sweeps; expected depths are r of a corner less r of the wall."""

    SQUARE = BAR | {"shape": {"type": "box", "size": [60, 60, 100]}}
    CORNER = math.hypot(30, 30)

    def run_with(self, program: str, wall: float, stock: Json, **changes: Any) -> Rehearsal:
        # A part on the bed, beside the chuck: its face stands `wall` from the axis.
        data = lathe()
        data["mounts"].append({"name": "bed", "link": "bed", "takes": "work"})
        post = {
            "name": "post",
            "role": "part",
            "mount": "bed",
            "shape": {"type": "box", "size": [20, 30, 40]},
            "at": [60, 0, -(wall + 20)],
        }
        options = {
            "programs": [{"main": "O1.nc", "dialect": "iso-turn"}], "tools": TOOLS, "bodies": [stock, post],
            "work_offsets": {"G54": {"datum": [0, 0, 100], "mount": "chuck"}}, "checks": {"resolution": 0.5, "near": 0},
        } | changes  # fmt: skip
        return rehearse(job_on(self.folder, data, TURN_HEAD + program, **options))

    def test_a_square_bar_turns_into_a_part_that_it_stands_clear_of(self) -> None:
        program = "T0101\nG97 S500 M3\nG4 X1.\nM5\nM30\n"
        for wall, hits in ((35.0, True), (42.6, False)):
            found = told(self.run_with(program, wall, self.SQUARE), "contact.shank", "contact.body")
            self.assertEqual([bodies for _, _, bodies, _ in found], [("post", "bar")] if hits else [])
            if hits:
                self.assertAlmostEqual(found[0][3], self.CORNER - 35.0, delta=0.02)
        self.assertEqual(told(self.run_with("T0101\nG4 X1.\nM30\n", 35.0, self.SQUARE), "contact.shank"), [])

    def test_once_turned_down_it_is_clear(self) -> None:
        # The corner is cut to r 34 over the post's stretch (z 50…70 of the work) while it still spins clear of r 35.
        bar = BAR | {"shape": {"type": "box", "size": [60, 60, 100]}}
        rough = "T0101\nG97 S500 M3\nG0 X100. Z5.\n" + "".join(
            f"X{2 * r}.\nG1 Z-60. F0.3\nG0 U2.\nZ5.\n" for r in range(42, 33, -1)
        )
        found = told(self.run_with(rough + "M5\nG28 U0 W0\nM30\n", 43.0, bar), "contact.shank")
        self.assertEqual([bodies for _, _, bodies, _ in found if "post" in bodies], [])

    def test_a_hole_of_the_blank_stays_open_down_to_its_point(self) -> None:
        """A 60° centre hole and a centre in it: r = t·tan 30° at t from its point, by trigonometry; rays of the grid miss the axis."""
        hole = 8.0
        outline = [(0.0, -hole), (hole * math.tan(math.radians(30)), 0.0), (12.0, 0.0), (12.0, -30.0), (0.0, -30.0)]
        blank = revolve([list(p) for p in outline], tolerance=0.002)
        stock = Stock(blank, 0.5)
        rings = rings_of_stock(stock, np.zeros(3), blank)
        height = stock.lattice.centres(2)
        for row in range(len(height)):
            want = max(0.0, (height[row] + hole) * math.tan(math.radians(30)))
            self.assertAlmostEqual(float(rings.r0[rings.row == row].min()), want, delta=0.004)
        centre = revolve([[0.0, 0.0], [20 * math.tan(math.radians(30)), 20.0], [0.0, 20.0]], tolerance=0.002)
        for off, meets in ((0.05, False), (-0.5, True)):
            pose = np.eye(4)
            pose[2, 3] = off - hole
            body = rings_of_body(centre.moved(pose), np.zeros(3), stock.lattice, 20.0)
            self.assertEqual(rings_meet(rings, body, stock.lattice, np.zeros(3)) is not None, meets, off)

    def test_rings_against_turning_the_mesh_by_small_steps(self) -> None:
        # The twin: stand the body at many angles in the stock's rays, and take the shortest shift outwards.
        blank = meshes.box([50, 36, 40])
        stock = Stock(blank, 0.5)
        wedge = Mesh(meshes.box([16, 12, 14]).vertices + [32, 3, 5], meshes.box([1, 1, 1]).faces)
        rings = rings_of_stock(stock, np.zeros(3), blank)
        of_body = rings_of_body(wedge, np.zeros(3), stock.lattice, 60.0)
        met = rings_meet(rings, of_body, stock.lattice, np.zeros(3))
        assert met
        # The stock reaches √(25² + 18²) out; the wedge begins at x 24, with y 0 within its width.
        self.assertAlmostEqual(met[0], math.hypot(25, 18) - 24.0, delta=1e-3)
        away = Mesh(wedge.vertices + [7.0, 0, 0], wedge.faces)
        self.assertIsNone(
            rings_meet(rings, rings_of_body(away, np.zeros(3), stock.lattice, 60.0), stock.lattice, np.zeros(3))
        )

    def test_jaws_that_hit_only_during_a_dwell(self) -> None:
        jaw = {
            "name": "jaw",
            "role": "fixture",
            "mount": "chuck",
            "shape": {"type": "box", "size": [20, 20, 30]},
            "at": [0, 40, 60],
        }
        program = "T0101\nG97 S500 M3\nG4 X1.\nM5\nM30\n"
        result = self.run_with(program, 40.0, BAR, bodies=[
            BAR, jaw, {"name": "post", "role": "part", "mount": "bed", "shape": {"type": "box", "size": [20, 30, 40]}, "at": [60, 0, -60]},
        ])  # fmt: skip
        self.assertEqual(
            [(f.line, f.bodies) for f in result.findings if f.kind == "contact.body"], [(5, ("jaw", "post"))]
        )


def two_tables() -> Json:
    """Two tables that run towards each other along X, and a head over them."""
    return machine("two tables", "XYZU", [
        link("bed"), link("left", "bed", linear("U", [1, 0, 0]), box(80, 80, 20, at=(-150, 0, -10))),
        link("right", "bed", linear("X", [-1, 0, 0]), box(80, 80, 20, at=(150, 0, -10))),
        link("ram", "bed", linear("Y", [0, 1, 0])), link("head", "ram", linear("Z", [0, 0, 1]), box(60, 60, 100, at=(150, 0, 330))),
    ], {"link": "head", "at": [150, 0, 280]}, {"link": "right", "at": [150, 0, 0]},
        ) | {"ignore": []}  # fmt: skip


class StocksMeet(WithFolder):
    def run_two(self, program: str, first: Json, second: Json) -> Rehearsal:
        data = two_tables()
        data["mounts"].append({"name": "left", "link": "left", "at": [-150, 0, 0], "takes": "work"})
        data["channels"] = [{"number": 1, "axes": ["X", "Y", "Z", "U"]}]
        tools = [
            {"number": 1, "length": 90, "cutter": {"type": "end-mill", "diameter": 20, "flute_length": 30, "reach": 50}}
        ]
        text = "G21 G17 G40 G49 G80 G90 G54\nT1 M6\nS3000 M3\n" + program
        return rehearse(
            job_on(self.folder, data, text, tools=tools, bodies=[first, second], checks={"resolution": 1.0, "near": 0})
        )

    BLANKS = tuple(
        {
            "name": name,
            "role": "stock",
            "mount": mount,
            "shape": {"type": "box", "size": [60, 60, 40]},
            "at": [0, 0, 20],
        }
        for name, mount in (("one", "left"), ("two", "table"))
    )

    def test_two_blanks_run_into_each_other(self) -> None:
        # Faces stand 240 apart; U 130 and X 135 bring them 25 into each other.
        for blanks in (self.BLANKS, self.BLANKS[::-1]):
            result = self.run_two("G53 G0 U130.\nG53 G0 X135.\nM30\n", *blanks)
            found = told(result, "contact.body", "contact.shank")
            self.assertEqual([(kind, line, set(bodies)) for kind, line, bodies, _ in found if {"one", "two"} <= set(bodies)],
                             [("contact.body", 5, {"one", "two"})])  # fmt: skip
            self.assertAlmostEqual(next(a for _, _, b, a in found if {"one", "two"} <= set(b)), 25.0, delta=0.01)

    def test_what_was_cut_away_before_is_not_met(self) -> None:
        # The upper half of `two` is milled off 30 deep along its near side first; `one` hangs above its lower half.
        high = self.BLANKS[0] | {"at": [0, 0, 62], "shape": {"type": "box", "size": [60, 60, 40]}}
        mill = "G43 H1 G53 G0 X0 Y-50.\n" + "".join(
            f"G53 G0 X{-25 + step}. Y-60.\nG53 G0 Z-160.\nG53 G1 Y60. F2000\nG53 G0 Z0\n"
            for step in (0, 15, 30, 45, 60)
        )
        low = self.BLANKS[1] | {"shape": {"type": "box", "size": [60, 60, 60]}, "at": [0, 0, 30]}
        meets = self.run_two("G53 G0 U130.\nG53 G0 X135.\nM30\n", high, low)
        self.assertTrue(any({"one", "two"} <= set(b) for _, _, b, _ in told(meets, "contact.body")))
        clear = self.run_two(mill + "G53 G0 U130.\nG53 G0 X135.\nM30\n", high, low)
        self.assertFalse(any({"one", "two"} <= set(b) for _, _, b, _ in told(clear, "contact.body")), told(clear))


class StillTime(WithFolder):
    def test_a_body_that_is_there_only_between_two_stops_without_a_move(self) -> None:
        program = HEAD + "G0 X0. Y0.\nM0\nM0\nG0 Z100.\nM30\n"
        clamp = {
            "name": "clamp",
            "role": "fixture",
            "mount": "table",
            "shape": {"type": "box", "size": [30, 30, 60]},
            "at": [0, 0, 100],
        }
        for present, hits in (([1, 2], True), ([2, None], True), ([0, 1], True), ([3, None], False)):
            slot = slot_job(self.folder, program, bodies=[clamp | {"present": present}])
            kinds = {f.kind for f in rehearse(slot).findings}
            self.assertEqual("contact.body" in kinds, hits, present)

    def test_a_tool_that_is_changed_in_and_never_moved(self) -> None:
        tall = {
            "name": "probe",
            "role": "fixture",
            "mount": "table",
            "shape": {"type": "box", "size": [30, 30, 200]},
            "at": [305, 205, 450],
        }
        result = rehearse(slot_job(self.folder, "G21\nT1 M6\nM30\n", bodies=[tall]))
        self.assertEqual([f.line for f in result.findings if f.kind == "contact.body" and "probe" in f.bodies], [2])

    def test_a_turret_that_indexes_and_a_door_that_closes(self) -> None:
        data = lathe()
        data["links"].append(
            link("door", "bed", linear("DOOR", [0, 0, -1], travel=[0, 400]), box(60, 60, 20, at=(60, 0, 200)))
        )
        data["channels"][0]["axes"].append("DOOR")
        data["reference"]["1"]["DOOR"] = 0
        data["codes"] |= {"M70": {"does": "move", "axis": "DOOR", "to": 185}}
        data["links"].append(link("arm", "bed", None, box(20, 20, 20, at=(400, -130, 300))))
        options = {
            "programs": [{"main": "O1.nc", "dialect": "iso-turn"}],
            "work_offsets": {},
            "tools": TOOLS,
            "bodies": [BAR],
            "checks": {"near": 0},
        }
        result = rehearse(job_on(self.folder, data, TURN_HEAD + "T0101\nT0202\nM70\nM30\n", **options))
        met = {frozenset(f.bodies): f.line for f in result.findings if f.kind in ("contact.body", "contact.shank")}
        self.assertTrue(any("arm" in pair and line in (3, 4) for pair, line in met.items()), met)
        self.assertIn(5, [line for pair, line in met.items() if "door" in pair])


class NotAsItWouldRun(WithFolder):
    CUT = HEAD + "G0 X-80.\nG1 Z-5. F2000.\nX80. F800.\nG0 Z20.\nG91 G28 Z0.\nM30\n"

    def test_never_clear(self) -> None:
        stretch = {"program": "O1001.nc", "first": 9, "last": 9}
        for switches in (
            {"left_out": [stretch]}, {"shifts": [stretch | {"by": {"X": 2.0}}]}, {"dry_run": True}, {"air_cut": 30},
            {"feed_override": 50}, {"rapid_override": 25},
        ):  # fmt: skip
            result = rehearse(slot_job(self.folder, self.CUT, switches=switches))
            self.assertEqual(
                (result.verdict, [f.kind for f in result.findings]), ("caution", ["check.partial"]), switches
            )
        self.assertEqual(rehearse(slot_job(self.folder, self.CUT)).verdict, "clear")

    def test_a_shift_that_nothing_takes_up_is_told_as_such(self) -> None:
        stretch = {"program": "O1001.nc", "first": 9, "last": 9, "by": {"Z": 3.0}}
        (only,) = rehearse(slot_job(self.folder, self.CUT, switches={"shifts": [stretch]})).findings
        self.assertIn("nothing was shifted", only.message)
        shifted = rehearse(slot_job(self.folder, self.CUT, switches={"shifts": [stretch | {"first": 8}]}))
        self.assertNotIn("nothing", shifted.findings[0].message)
        # 5 mm deep became 2: 140 × 10 × 2.
        self.assertAlmostEqual(shifted.stocks[0].volume_before - shifted.stocks[0].volume_after, 2800, delta=1)


class Registers(WithFolder):
    def check(self, program: str, **tool: Any) -> list[tuple[str, float]]:
        slot_job(self.folder, program)
        file = self.folder / "tools.json"
        data = json.loads(file.read_text())
        data["tools"] = [data["tools"][0] | {"number": 1 + i} | own for i, own in enumerate(tool.pop("tools", [tool]))]
        file.write_text(json.dumps(data))
        return [
            (f.kind, round(f.amount, 3))
            for f in check_program(open_job(self.folder)).findings
            if f.kind != "program.order"
        ]

    CUT = NotAsItWouldRun.CUT

    def test_a_length_that_is_not_the_tools(self) -> None:
        for tools, expected in (
            ([{"registers": {"H": 93}}], [("tool.register", 1.0)]),
            ([{"registers": {"H": 92.01}}], []),
            # Three tools measured from a master: all 50 short; one of them wrong by 2 beside that.
            ([{"registers": {"H": 42}}, {"registers": {"H": 42}}, {"registers": {"H": 42}}], []),
            ([{"registers": {"H": 44}}, {"registers": {"H": 42}}, {"registers": {"H": 42}}], [("tool.register", 2.0)]),
        ):  # fmt: skip
            self.assertEqual(self.check(self.CUT, tools=tools), expected, tools)

    def test_wear_is_no_misfit(self) -> None:
        self.assertEqual(self.check(self.CUT.replace("T1 M6", "G10 L11 P1 R-0.05\nT1 M6")), [])

    def test_a_radius_that_is_neither_the_tools_nor_a_wear(self) -> None:
        cut = self.CUT.replace("X80. F800.", "G41 D1 X-60. F800.\nX60.\nG40 X80.")
        for held, expected in ((6.0, [("tool.register", 1.0)]), (5.0, []), (0.1, [])):
            self.assertEqual(self.check(cut, registers={"H": 92, "D": held}), expected, held)

    def test_a_geometry_that_is_not_the_turning_tools(self) -> None:
        """By length and offset T1's tip stands at X 100 (a diameter: 2 · 50) and Z 20, T2's at 100 and 0, T3's at 120 and 0."""
        program = TURN_HEAD + "T0101\nG97 S500 M3\nG0 X70. Z5.\nM30\n"
        options = {
            "programs": [{"main": "O1.nc", "dialect": "iso-turn"}],
            "bodies": [BAR],
            "work_offsets": {"G54": {"datum": [0, 0, 100], "mount": "chuck"}},
        }
        fits: list[dict[str, float]] = [{"X": 100, "Z": 20}, {"X": 100, "Z": 0}, {"X": 120, "Z": 0}]
        for own, others, expected in (
            ({}, 0, []), ({"X": 101}, 0, [("X", 1.0)]), ({"Z": 19.5}, 0, [("Z", 0.5)]), ({"X": 100.01, "Z": 20.01}, 0, []),
            ({"Z": -30}, -50, []),  # every Z measured from a master tool
            ({"Z": -29}, -50, [("Z", 1.0)]),
        ):  # fmt: skip
            registers = [fits[0] | own, *({**fit, "Z": fit["Z"] + others} for fit in fits[1:])]
            tools = [tool | {"registers": held} for tool, held in zip(TOOLS, registers, strict=True)]
            found = check_program(job_on(self.folder, lathe(), program, tools=tools, **options)).findings
            self.assertEqual([(f.axis, round(f.amount, 6)) for f in found if f.kind == "tool.register"], expected, own)

    def test_a_tool_shorter_than_its_reach_cannot_be(self) -> None:
        with self.assertRaisesRegex(JobUnreadable, "must not be less than reach"):
            self.check(self.CUT, length=30)

    def test_the_least_feed_per_tooth_is_asked_too_but_not_of_a_plunge(self) -> None:
        # F800 at S6000 with 4 teeth: 0.0333 mm a tooth.
        limits = {"feed_per_tooth": [0.05, 0.2]}
        self.assertEqual(self.check(self.CUT, limits=limits), [("program.data", round(0.05 - 800 / 24000, 3))])
        self.assertEqual(
            self.check(self.CUT.replace("Z-5. F2000.", "Z-5. F100.").replace("F800.", "F2000."), limits=limits), []
        )


class Rays(unittest.TestCase):
    def test_none_of_many_intervals_is_lost(self) -> None:
        """A comb of 90 fins, 1 mm wide with 1 mm gaps, its gap 81 milled 0.1 mm to the side."""
        outline = [[0, 0], [180, 0], [180, 3]]
        for right in range(179, 0, -2):
            outline += [[right, 3], [right, 10], [right - 1, 10], [right - 1, 3]]
        comb = meshes.extrude(outline[:-1], 6)
        stock = Stock(comb, 0.25)
        self.assertEqual(int(rays_of(comb, stock.lattice, 0).count.max()), 90)
        self.assertAlmostEqual(stock.volume / comb.volume, 1.0, delta=1e-3)
        for fin in (10, 81):
            blank = meshes.extrude([[0, 0], [180, 0], [180, 10], [0, 10]], 6)
            made = [p if not (abs(p[0] - 2 * fin) < 0.1 and p[1] > 2) else [p[0] - 0.1, p[1]] for p in outline[:-1]]
            seen = compare(Stock(meshes.extrude(made, 6), 0.25), blank, comb, 0.05, 0.3)
            self.assertAlmostEqual(seen.gouge_max + seen.excess_max, 0.1, delta=0.002, msg=str(fin))

    def test_walls_thinner_than_the_grid_have_their_volume(self) -> None:
        for thick in (0.1, 0.3, 0.4, 0.7):
            for turn in ([60, 20, thick], [60, thick, 20], [thick, 60, 20]):
                base = Mesh(meshes.box([64, 64, 4]).vertices - [0, 0, 12], meshes.box([1, 1, 1]).faces)
                whole = meshes.joined([base, meshes.box(turn)])
                wall = Stock(whole, 0.5).volume - 64 * 64 * 4
                overlap = 0.0 if turn[2] <= 20 else (turn[2] - 20) / 2
                true = float(np.prod(turn)) * (1 - overlap / turn[2])
                self.assertAlmostEqual(wall / true, 1.0, delta=0.03, msg=str(turn))

    def test_the_measured_excess_does_not_depend_on_the_tolerance(self) -> None:
        blank = meshes.box([40, 30, 10])
        design = Mesh(meshes.box([40, 30, 10.0 - 0.0204]).vertices, meshes.box([1, 1, 1]).faces)
        for tolerance in (0.004, 0.02, 0.3):
            seen = compare(Stock(blank, 0.5), blank, design, 0.05, tolerance)
            self.assertAlmostEqual(seen.excess_max, 0.0102, places=4)


class Blanks(WithFolder):
    def test_a_blank_that_lacks_part_of_the_design(self) -> None:
        slot = [
            {"type": "box", "size": [140, 100, 19.5], "at": [0, 0, 49.75]},
            *({"type": "box", "size": [140, 45, 25], "at": [0, s * 27.5, 52.5]} for s in (-1, 1)),
        ]
        part = [{"type": "box", "size": [140, 100, 20], "at": [0, 0, 50]}, *slot[1:]]
        bodies = [
            {"name": "blank", "role": "stock", "mount": "table", "shapes": slot},
            {"name": "part", "role": "design", "mount": "table", "shapes": part},
        ]
        result = rehearse(slot_job(self.folder, "G21\nG0 Z-1.\nM30\n", bodies=bodies))
        found = told(result, "material.blank")
        self.assertEqual([(bodies, amount) for _, _, bodies, amount in found], [(("part", "blank"), 0.5)])
        point = next(f.point for f in result.findings if f.kind == "material.blank")
        assert point
        self.assertLess(abs(point[1]), 5.01)


class Machines(WithFolder):
    def test_two_tools_on_one_block(self) -> None:
        tools = [*TOOLS, TOOLS[0] | {"number": 13, "station": 1, "offset": [20, 0]}]
        options = {
            "programs": [{"main": "O1.nc", "dialect": "iso-turn"}],
            "tools": tools,
            "bodies": [BAR],
            "work_offsets": {},
        }
        for word in ("T0113", "T1313"):
            result = check_program(
                job_on(self.folder, lathe(), TURN_HEAD + f"T0101\n{word}\nG97 S500 M3\nG0 X70. Z5.\nM30\n", **options)
            )
            self.assertEqual([f.rule for f in result.findings if f.kind == "program.tool"], [], word)
            self.assertEqual(result.reel.motions.tool[-1], 13)
            turret = result.reel.motions.axes.index("TR")
            self.assertEqual(float(np.ptp(result.reel.motions.end[:, turret])), 0.0)

    def test_a_lathe_job_does_not_fit_a_mill(self) -> None:
        job = job_on(self.folder, lathe(), TURN_HEAD + "T0303\nM33\nG97 S500\nG98\nG1 Z-1. F100\nM35\nT0101\nM30\n", tools=TOOLS, bodies=[BAR], work_offsets={},
                     programs=[{"main": "O1.nc", "dialect": "iso-turn"}])  # fmt: skip
        mill = open_job(slot_job(self.folder, "M30\n").folder).machine
        unfit = {item.what for item in fit(job, mill) if not item.fits}
        self.assertLessEqual({"language", "work spindle", "driven tools"}, unfit)
        self.assertEqual(
            [
                i.said
                for i in fit(job, job.machine)
                if not i.fits and i.what in ("language", "work spindle", "driven tools")
            ],
            [],
        )

    def test_margins_do_not_list_what_is_meant_to_touch(self) -> None:
        options = {"programs": [{"main": "O1.nc", "dialect": "iso-turn"}], "tools": TOOLS, "bodies": [BAR],
                   "work_offsets": {"G54": {"datum": [0, 0, 100], "mount": "chuck"}}, "checks": {"near": 0}}  # fmt: skip
        result = rehearse(
            job_on(
                self.folder,
                lathe(),
                TURN_HEAD + "T0101\nG97 S500 M3\nG0 X64. Z2.\nX56.\nG1 Z-20. F0.2\nG28 U0 W0\nM30\n",
                **options,
            )
        )
        cut = [
            m["clearance"] for m in verdict_dict(result)["checked"]["margins"] if m["bodies"] == ["T1 insert", "bar"]
        ]
        self.assertTrue(all(clearance > 100 for clearance in cut), cut)  # while it is not in use, far off
