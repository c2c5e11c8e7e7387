"""Setting up: features picked on meshes, mating, fixtures and blanks, access, the hand panel, model faults, URDF."""

import json
import math
import unittest
from dataclasses import replace
from xml.etree import ElementTree

import numpy as np
import yourdfpy
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from bluntmirror.export.replay import replay_data
from bluntmirror.export.verdict import not_checked
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.features import NoSuchFeature, pick
from bluntmirror.geometry.frames import apply, frame
from bluntmirror.geometry.mesh import Mesh
from bluntmirror.job import models
from bluntmirror.job.fixtures import LIBRARY, standard_size, stock_around
from bluntmirror.job.loading import open_job
from bluntmirror.job.mating import CannotMate, around, mate, placed, row
from bluntmirror.job.models import MachineFile
from bluntmirror.job.urdf import NotUrdf, from_urdf, to_urdf
from bluntmirror.machine import Chain
from bluntmirror.rehearsal import check_program, rehearse
from bluntmirror.rehearsal.handling import HandPanel
from bluntmirror.rehearsal.model_check import check_model

from .build import HEAD, JOBS, slot_job
from .channels import channels_job, gripping
from .machines import MACHINES, job_on, linear, link, quill_in_a_tilting_head, trunnion
from .test_lathe import TOOLS as TURNING_TOOLS
from .test_lathe import lathe
from .test_machine import WithFolder

BLOCK = meshes.box([60, 40, 20])
POST = meshes.cylinder(30, 50)


def triangle_towards(mesh: Mesh, direction: list[float]) -> int:
    a, b, c = np.moveaxis(mesh.triangles, 1, 0)
    return int(np.argmax(np.cross(b - a, c - a) @ direction))


def moved(mesh: Mesh, pose: np.ndarray) -> Mesh:
    return Mesh(apply(pose, mesh.vertices), mesh.faces)


class Features(unittest.TestCase):
    def test_a_face_an_edge_a_corner(self) -> None:
        top = pick(BLOCK, triangle_towards(BLOCK, [0, 0, 1]), np.array([3, 2, 10]), "face")
        self.assertEqual((top.point, top.direction), ((0, 0, 10), (0, 0, 1)))
        self.assertAlmostEqual(top.size or 0, 2400)
        edge = pick(BLOCK, 0, np.array([3, 19, 9.5]), "edge")
        np.testing.assert_allclose(np.abs(edge.direction), (1, 0, 0), atol=1e-9)  # type: ignore[arg-type]
        np.testing.assert_allclose(edge.point, (0, 20, 10), atol=1e-6)
        corner = pick(BLOCK, 0, np.array([28, -18, 9]), "corner")
        np.testing.assert_allclose(corner.point, (30, -20, 10), atol=1e-6)

    @given(st.integers(0, 10_000))
    @settings(max_examples=30)
    def test_an_axis_wherever_it_leans(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        pose = np.eye(4)
        pose[:3, :3] = Rotation.random(random_state=seed).as_matrix()
        pose[:3, 3] = rng.uniform(-200, 200, 3)
        tube = moved(meshes.tube(50, 30, 40), pose)
        a, b, c = np.moveaxis(tube.triangles, 1, 0)
        across = np.abs(np.cross(b - a, c - a) @ pose[:3, 2])
        wall = int(rng.choice(np.flatnonzero(across < 1e-6)))
        found = pick(tube, wall, a[wall], "axis")
        self.assertAlmostEqual(abs(float(np.array(found.direction) @ pose[:3, 2])), 1.0, places=7)
        np.testing.assert_allclose(found.point, pose[:3, 3], atol=1e-3)
        self.assertLess(min(abs((found.radius or 0) - r) for r in (15, 25)), 0.02)

    def test_a_flat_wall_has_no_axis(self) -> None:
        with self.assertRaisesRegex(NoSuchFeature, "flat"):
            pick(BLOCK, 0, np.zeros(3), "axis")


class Mating(unittest.TestCase):
    """Against hand geometry."""

    def features(self, pose: np.ndarray, towards: list[float]):  # type: ignore[no-untyped-def]
        body = moved(BLOCK, pose)
        return pick(body, triangle_towards(body, towards), body.vertices[0], "face")

    def test_a_block_laid_on_a_table_with_a_gap(self) -> None:
        pose = frame((13, -7, 90), (0, 0, 25))
        bottom = self.features(pose, [0, 0, -1])
        table = pick(BLOCK, triangle_towards(BLOCK, [0, 0, 1]), np.zeros(3), "face")  # its top at z = 10
        at, turn = placed(mate(pose, bottom, table, "onto", gap=2.0))
        np.testing.assert_allclose(at, (13, -7, 10 + 2 + 10), atol=1e-6)  # slid no further than it must
        np.testing.assert_allclose(turn, (0, 0, 25), atol=1e-6)
        at, _ = placed(mate(pose, bottom, table, "onto", centre=True))
        np.testing.assert_allclose(at, (0, 0, 20), atol=1e-6)

    def test_its_side_laid_down_turns_it(self) -> None:
        side = self.features(np.eye(4), [1, 0, 0])
        table = pick(BLOCK, triangle_towards(BLOCK, [0, 0, 1]), np.zeros(3), "face")
        pose = mate(np.eye(4), side, table, "onto", centre=True)
        np.testing.assert_allclose(pose[:3, :3] @ [1, 0, 0], [0, 0, -1], atol=1e-9)
        np.testing.assert_allclose(pose[:3, 3], [0, 0, 10 + 30], atol=1e-6)

    def test_coaxial_keeps_the_axes_sense_and_slides_by_the_stick_out(self) -> None:
        pose = frame((5, 6, 7), (30, 0, 0))
        post, hole = moved(POST, pose), moved(meshes.tube(80, 30.2, 20), frame((100, 0, 50)))
        wall = next(
            t
            for t in range(len(post.faces))
            if abs(np.cross(*(post.triangles[t][1:] - post.triangles[t][0])) @ pose[:3, 2]) < 1e-6
        )
        inner = next(t for t in range(len(hole.faces)) if np.hypot(*(hole.triangles[t].mean(axis=0)[:2] - [100, 0])) < 16
                     and np.ptp(hole.triangles[t][:, 2]) > 1)  # fmt: skip
        result = mate(
            pose,
            pick(post, wall, np.zeros(3), "axis"),
            pick(hole, inner, np.zeros(3), "axis"),
            "coaxial",
            gap=12.0,
            centre=True,
        )
        np.testing.assert_allclose(result[:3, 3], (100, 0, 62), atol=2e-3)
        np.testing.assert_allclose(result[:3, 2], (0, 0, 1), atol=1e-6)

    def test_what_does_not_fit_is_said(self) -> None:
        face, corner = self.features(np.eye(4), [0, 0, 1]), pick(BLOCK, 0, np.zeros(3), "corner")
        with self.assertRaisesRegex(CannotMate, "no direction"):
            mate(np.eye(4), corner, face, "onto")

    def test_rows_and_all_faces_of_a_tombstone(self) -> None:
        poses = row(frame((1, 2, 3)), (0, 2, 0), 50.0, 3)
        np.testing.assert_allclose([p[:3, 3] for p in poses], [(1, 2, 3), (1, 52, 3), (1, 102, 3)])
        sides = around(frame((0, 100, 40), (90, 0, 180)), (0, 0, 0), (0, 0, 1), 4)
        np.testing.assert_allclose(
            [p[:3, 3] for p in sides], [(0, 100, 40), (-100, 0, 40), (0, -100, 40), (100, 0, 40)], atol=1e-9
        )

    @given(st.integers(0, 10_000))
    @settings(max_examples=50)
    def test_at_and_turn_say_the_same_pose(self, seed: int) -> None:
        pose = np.eye(4)
        pose[:3, :3] = Rotation.random(random_state=seed).as_matrix()
        pose[:3, 3] = np.random.default_rng(seed).uniform(-500, 500, 3)
        np.testing.assert_allclose(frame(*placed(pose)), pose, atol=1e-6)
        square = frame((0, 0, 0), (90 * (seed % 4), 90, 90 * (seed % 3)))  # where X and Z turn about one line
        np.testing.assert_allclose(frame(*placed(square)), square, atol=1e-6)


class Fixtures(WithFolder):
    def test_every_fixture_is_closed_and_stands_as_drawn(self) -> None:
        job = slot_job(self.folder, HEAD)
        for fixture in LIBRARY.values():
            shapes = models.Body.model_validate(
                {"name": "x", "role": "fixture", "mount": "t", "shapes": fixture.shapes({})}
            ).shapes
            assert shapes
            for mesh in job.solid(shapes, fixture.name):
                self.assertTrue(mesh.closed, fixture.name)
                self.assertGreater(mesh.volume, 0.0, fixture.name)

    def test_a_vise_opens_as_wide_as_asked_and_refuses_nonsense(self) -> None:
        shapes = LIBRARY["vise"].shapes({"opening": 70, "ledge": 5})
        inner = [abs(s["at"][1]) - s["size"][1] / 2 for s in shapes[1:]]
        self.assertAlmostEqual(min(inner), 35.0)
        for given_, says in (({"opening": -3}, "opening"), ({"opening": math.nan}, "opening"), ({"mouth": 3}, "mouth")):
            with self.assertRaisesRegex(ValueError, says):
                LIBRARY["vise"].shapes(given_)

    def test_stock_from_a_part_and_standard_sizes(self) -> None:
        shapes, at = stock_around([[-10, -20, -5], [30, 20, 15]], {"z+": 2, "x-": 1})
        self.assertEqual((shapes[0]["size"], at), ([41.0, 40.0, 22.0], [9.5, 0.0, -5.0]))
        self.assertEqual(standard_size([41.0, 40.0, 22.0]), [41.0, 40.0, 25.0])
        self.assertIsNone(standard_size([900, 800, 700]))

    def test_what_stands_in_a_driver_s_way_is_named(self) -> None:
        bodies = [
            {"name": "stop", "role": "fixture", "mount": "table", "at": [0, 100, 40], "shape": {"type": "box", "size": [20, 20, 80]}},
            {"name": "driver", "role": "access", "mount": "table", "at": [14, 100, 60], "shape": {"type": "cylinder", "diameter": 12, "length": 40}},
            {"name": "free driver", "role": "access", "mount": "table", "at": [60, 100, 60], "shape": {"type": "cylinder", "diameter": 12, "length": 40}},
        ]  # fmt: skip
        found = [
            f
            for f in rehearse(slot_job(self.folder, HEAD + "M30\n", bodies=bodies)).findings
            if f.kind == "setup.access"
        ]
        self.assertEqual([f.bodies for f in found], [("driver", "stop")])
        self.assertAlmostEqual(found[0].amount, 2.0, delta=0.02)  # 10 + 6 − 14

    def test_a_clamp_is_there_only_between_its_stops(self) -> None:
        def clamp(name: str, present: list) -> dict:  # type: ignore[type-arg]
            return {"name": name, "role": "fixture", "mount": "table", "at": [100, 0, 85], "present": present,
                    "shape": {"type": "box", "size": [10, 10, 40]}}  # fmt: skip

        program = HEAD + "G0 X150.\nM0\nG0 X0.\nM30\n"  # passes over it at Z20, into it
        for present, lines in (([0, 1], {7}), ([1, None], {9}), ([2, None], set())):
            result = rehearse(slot_job(self.folder, program, bodies=[clamp("clamp", present)]))
            self.assertEqual({f.line for f in result.findings if f.kind == "contact.body"}, lines)
            assert result.reel
            stop = result.reel.end_time[
                np.flatnonzero(result.reel.motions.line == 7)[-1]
            ]  # the move before M0 ends there
            shown = {(0, 1): [0.0, stop], (1, None): [stop, result.reel.seconds], (2, None): [result.reel.seconds] * 2}
            there = next(b["there"] for b in replay_data(result)[0]["bodies"] if b["name"] == "clamp")
            np.testing.assert_allclose(there, shown[tuple(present)])

    def test_a_pair_with_its_own_clearance_or_none(self) -> None:
        post = {
            "name": "post",
            "role": "fixture",
            "mount": "table",
            "at": [100, 9, 85],
            "shape": {"type": "box", "size": [2, 2, 40]},
        }
        for rules, kinds in (
            ([], []),
            ([{"between": ["cutter", "post"], "near": 4.0}], ["contact.near"]),
            ([{"between": ["tool", "fixture"], "near": 4.0}, {"between": ["post", "tool"], "off": True}], []),
        ):
            checks = {"resolution": 0.5, "near": 1.0, "pairs": rules}
            job = slot_job(self.folder, HEAD + "G0 X150.\nM30\n", bodies=[post], checks=checks)
            self.assertEqual([f.kind for f in rehearse(job).findings if f.kind.startswith("contact")], kinds, rules)


class RunWith(WithFolder):
    """The switches of the operator's panel."""

    PROGRAM = HEAD + "G0 X-60.\nG1 Z-2. F600.\nX60.\nG0 Z20.\nM30\n"

    def run_with(self, **switches: object):  # type: ignore[no-untyped-def]
        return rehearse(slot_job(self.folder, self.PROGRAM, switches=switches))

    def test_feed_and_rapid_at_half_take_twice_as_long(self) -> None:
        plain, feed, rapid = self.run_with(), self.run_with(feed_override=50), self.run_with(rapid_override=50)
        spans = [r.reel.end_time[-3] - r.reel.end_time[-4] for r in (plain, feed)]
        self.assertAlmostEqual(spans[1] / spans[0], 2.0, delta=0.02)
        self.assertEqual(feed.reel.motions.feed.max(), 300.0)
        # 60 mm at 400 mm/s and 4000 mm/s²: s/v + v/a; at half the speed s/(v/2) + (v/2)/a.
        approach = [r.reel.end_time[-4] - r.reel.end_time[-5] for r in (plain, rapid)]
        way = 60.0
        self.assertAlmostEqual(approach[0], way / 400 + 400 / 4000, places=3)
        self.assertAlmostEqual(approach[1], way / 200 + 200 / 4000, places=3)

    def test_raised_for_an_air_cut_nothing_is_cut_and_that_is_said(self) -> None:
        raised = self.run_with(air_cut=50.0)
        self.assertEqual(raised.stocks[0].volume_after, raised.stocks[0].volume_before)
        self.assertIn("rehearsed 50 mm above the work", " ".join(not_checked(raised)))
        self.assertGreater(self.run_with().stocks[0].volume_before - self.run_with().stocks[0].volume_after, 1000)

    def test_a_dry_run_cuts_no_stock_and_that_is_said(self) -> None:
        dry = self.run_with(dry_run=True)
        self.assertEqual((dry.stocks, dry.reel.motions.feed.max()), ([], 5000.0))
        self.assertIn("dry run", " ".join(not_checked(dry)))


class Panel(WithFolder):
    def test_moved_into_a_contact_and_back(self) -> None:
        panel = HandPanel(open_job(JOBS / "slot-clear"))
        self.assertEqual(panel.at_rest, set())
        down = panel.move([-305, -205, 0], [-305, -205, -500], tool=1)
        self.assertEqual([{m.a, m.b} for m in down.touching], [{"T1 cutter", "blank"}])  # not what lay behind it
        # Blank's top at 65, gauge 600 above the table at Z0, tool 92 long: they touch at Z = 65 + 92 − 600.
        self.assertAlmostEqual(down.values[2], -443.0, delta=0.01)
        self.assertEqual(panel.move(down.values, [-305, -205, -100], tool=1).values, [-305, -205, -100])

    def test_overtravel_near_and_a_typed_block(self) -> None:
        panel = HandPanel(open_job(JOBS / "slot-clear"))
        self.assertEqual(panel.move([0, 0, 0], [5, 0, 0]).over, [("X", 5.0)])
        near = panel.move([-305, -205, 0], [-305, -205, -442.5], tool=1)
        self.assertEqual(
            (near.touching, {frozenset((m.a, m.b)) for m in near.near}), ([], {frozenset(("T1 cutter", "blank"))})
        )
        typed = panel.run_block([-305, -205, 0], 1, "G91 G0 X10. Y-5.")
        np.testing.assert_allclose(typed.values, [-295, -210, 0])
        self.assertEqual(panel.run_block([0, 0, 0], 1, "G0 X").values, [0, 0, 0])
        self.assertTrue(panel.run_block([0, 0, 0], 1, "G0 X").said)
        self.assertEqual(panel.offset_here([-305, -205, -443], 1), {"X": -305, "Y": -205, "Z": -535})


class GripsByHand(WithFolder):
    """The twin-spindle machine of the tests: axes of both channels, and jaws that come to what they find."""

    def panel(self) -> HandPanel:
        jaws = [
            linear(f"J{i}", [0, math.cos(a), math.sin(a)], travel=[-40, 40])
            for i, a in enumerate((math.pi / 2, math.pi * 7 / 6, math.pi * 11 / 6))
        ]
        machine = gripping(**{"sub chuck": {"jaws": {"axes": ["J0", "J1", "J2"], "drawn": 60}}})
        for i, joint in enumerate(jaws):
            way = joint["direction"]
            at = [-10, round(45 * way[1], 6), round(45 * way[2], 6)]  # 30 high: its face at 30 from the axis
            machine["links"].append(link(f"jaw {i}", "sub", joint, {"type": "cylinder", "diameter": 8, "length": 30, "at": at,
                                                                   "turn": [math.degrees(math.atan2(way[2], way[1])) - 90, 0, 0]}))  # fmt: skip
        return HandPanel(channels_job(self.folder, machine, {1: "M30\n", 2: "M30\n"}))

    def test_every_channel_and_every_grip(self) -> None:
        panel = self.panel()
        self.assertEqual(panel.axes, ("X1", "Z1", "C1", "TU", "X2", "Z2", "W", "C2", "TL", "J0", "J1", "J2"))
        place = {axis: i for i, axis in enumerate(panel.axes)}
        self.assertEqual([panel.home[place[f"J{i}"]] for i in range(3)], [10.0] * 3)  # open at ⌀80: (80 − 60) / 2
        # A block is in the words of its channel: W is the second one's.
        there = panel.run_block(panel.home, 0, "G0 W=-445.", channel=2)
        self.assertEqual((there.values[place["W"]], there.touching), (-445.0, []))
        # The bar ends at x = 150, the chuck's face stands at 155, its jaws hold from 135 on: 15 of 20 mm, ⌀60.
        closed = panel.run_block(there.values, 0, "M210", channel=2)
        self.assertEqual((closed.touching, closed.said), ([], []))
        self.assertRegex(
            closed.told[0], r"^sub chuck holds bar: ⌀60\.0\d over 15\.00 mm$"
        )  # the mesh's corners stand a hair outside
        for i in range(3):
            self.assertAlmostEqual(closed.values[place[f"J{i}"]], 0.0, delta=0.01)
        opened = panel.run_block(closed.values, 0, "M211", channel=1)
        self.assertEqual([opened.values[place[f"J{i}"]] for i in range(3)], [10.0] * 3)
        nothing = panel.run_block(panel.home, 0, "M210", channel=2)
        self.assertEqual(nothing.said, ["sub chuck closes where no work stands within its reach"])
        # Driven on, the bar runs into the chuck's face and the hand is stopped there.
        self.assertAlmostEqual(
            panel.run_block(there.values, 0, "G0 W=-460.", channel=2).values[place["W"]], -450.0, delta=0.01
        )

    def test_a_piece_goes_with_the_grip_that_has_it_and_back(self) -> None:
        panel = self.panel()
        place = {axis: i for i, axis in enumerate(panel.axes)}
        self.assertEqual(
            [(item.piece, item.grips, item.link) for item in panel.held], [("bar", ("main chuck",), "main")]
        )
        there = panel.run_block(panel.home, 0, "G0 W=-445.", channel=2)
        closed = panel.run_block(there.values, 0, "M210", channel=2)
        self.assertEqual([(item.grips, item.link) for item in closed.held], [(("main chuck", "sub chuck"), "main")])
        opened = panel.with_held(closed.held).run_block(closed.values, 0, "M11", channel=1)
        self.assertEqual([(item.grips, item.link) for item in opened.held], [(("sub chuck",), "sub")])
        self.assertEqual(
            opened.told, ["main chuck is open", "bar goes with sub chuck from here on", "bar is not asked against main: it is drawn out of there"]
        )  # fmt: skip
        drawn = panel.with_held(opened.held)
        back = drawn.run_block(opened.values, 0, "G0 W=0.", channel=2)
        self.assertEqual((back.values[place["W"]], back.touching), (0.0, []))

        def tip(of: HandPanel, x: float, r: float) -> list[str]:
            # The insert's tip of T1 stands at (400, 190) with all axes at zero; it comes down from beside the bar.
            to = dict(zip(of.axes, back.values, strict=True)) | {"Z1": x - 400.0}
            begin, end = ([{**to, "X1": radius - 190.0}[axis] for axis in of.axes] for radius in (45.0, r))
            return sorted({met.b if met.a != "bar" else met.a for met in of.move(begin, end, 1).touching})

        # The bar lay from 0 to 150 and lies from 445 to 595 now.
        self.assertEqual((tip(panel, 100, 20), tip(drawn, 100, 20)), (["bar"], []))
        self.assertEqual((tip(panel, 545, 20), tip(drawn, 545, 20)), ([], ["bar"]))
        # Given back it lies where it lay; let go by both it is held by nobody.
        again = drawn.run_block(back.values, 0, "G0 W=-445.", channel=2)
        gripped = drawn.run_block(again.values, 0, "M10", channel=1)
        freed = panel.with_held(gripped.held).run_block(gripped.values, 0, "M211", channel=2)
        self.assertEqual([(item.grips, item.link) for item in freed.held], [(("main chuck",), "main")])
        np.testing.assert_allclose(np.array(freed.held[0].matrix), np.eye(4), atol=1e-9)
        # Given back 10 mm farther out, it lies there: on the link it began on, and not where it began.
        farther = drawn.run_block(back.values, 0, "G0 W=-435.", channel=2)
        gripped = drawn.run_block(farther.values, 0, "M10", channel=1)
        out = panel.with_held(panel.with_held(gripped.held).run_block(gripped.values, 0, "M211", channel=2).held)
        self.assertEqual((out.held[0].grips, out.held[0].link), (("main chuck",), "main"))
        self.assertEqual((tip(panel, 155, 20), tip(out, 155, 20)), ([], ["bar"]))
        nobody = panel.with_held(freed.held).run_block(freed.values, 0, "M11", channel=1)
        self.assertEqual(nobody.said, ["bar is held by nobody"])
        with self.assertRaisesRegex(ValueError, "are not those of this job"):
            panel.with_held([replace(panel.held[0], piece="rod")])
        with self.assertRaisesRegex(ValueError, "bar cannot be held so"):
            panel.with_held([replace(panel.held[0], link="nowhere")])


class KeptOffset(WithFolder):
    def test_an_offset_kept_on_a_lathe_is_what_brings_the_tip_there(self) -> None:
        options = {"programs": [{"main": "O1.nc", "dialect": "iso-turn"}], "tools": TURNING_TOOLS, "bodies": []}
        program = "G21 G40 G99\nG28 U0 W0\nT0101\nG0 X0 Z0\nM30\n"
        panel = HandPanel(job_on(self.folder, lathe(), program, **options, work_offsets={}))
        stands = {"X": -70.0, "Z": -120.0, "C": 0.0, "TR": 0.0}
        held = panel.offset_here([stands[axis] for axis in panel.setup.axes], 1)
        self.assertEqual(set(held), {"X", "Z"})
        # Under that offset the program's X0 Z0 brings every axis back to where it stood.
        result = check_program(job_on(self.folder, lathe(), program, **options, work_offsets={"G54": held}))
        assert result.reel
        end = dict(zip(result.reel.motions.axes, result.reel.motions.end[-1], strict=True))
        for axis in "XZ":
            self.assertAlmostEqual(end[axis], stands[axis], places=6)


class ModelFaults(WithFolder):
    def faults(self, **changes) -> list[str]:  # type: ignore[no-untyped-def]
        machine = trunnion() | changes
        return [f"{f.where}: {f.what}" for f in check_model(job_on(self.folder, machine, "M30\n"))]

    def test_a_sound_model_has_none(self) -> None:
        for name in ("trunnion", "router", "head and table"):
            self.assertEqual(check_model(job_on(self.folder, name, "M30\n")), [], name)

    def test_each_fault_is_named(self) -> None:
        def turned(axis: str) -> list[dict]:  # type: ignore[type-arg]
            links = json.loads(json.dumps(trunnion()["links"]))
            for entry in links:
                if entry["joint"] and entry["joint"]["axis"] == axis:
                    entry["joint"]["direction"] = [-c for c in entry["joint"]["direction"]]
            return links

        self.assertIn("left-handed", self.faults(links=turned("X"))[0])
        self.assertIn("left-handedly about Z", self.faults(links=turned("C"))[0])
        self.assertTrue(any("into the work" in f for f in self.faults(links=turned("Z"))))
        self.assertIn("outside its travel", self.faults(tool_change={"at": {"Z": 900}})[0])
        links = json.loads(json.dumps(trunnion()["links"]))
        links[0]["shapes"] = [{"type": "box", "size": [400, 400, 60], "at": [0, 0, 20]}]
        self.assertTrue(any(f.startswith("bed and plate") for f in self.faults(links=links)))


class Urdf(unittest.TestCase):
    def test_ours_come_back_whole(self) -> None:
        # What no reader of URDF knows of: slides moved together, an index, an accessory, a shape drawn in a file.
        odd = quill_in_a_tilting_head()
        odd["links"][4]["joint"]["step"] = 5
        odd["links"][1] |= {
            "accessory": "rest",
            "notes": "put away in winter",
            "shapes": [{"type": "revolve", "file": "rest.dxf"}],
        }
        odd["codes"] = {"M21": {"does": "clamp", "axis": "B"}}
        for data in (*MACHINES.values(), odd):
            machine = MachineFile.model_validate(data)
            self.assertEqual(MachineFile.model_validate(from_urdf(to_urdf(machine))), machine)

    def test_forward_kinematics_as_a_reader_of_urdf_has_them(self) -> None:
        rng = np.random.default_rng(2)
        for data in MACHINES.values():
            machine = MachineFile.model_validate(data)
            chain = Chain(machine)
            tree = ElementTree.ElementTree(ElementTree.fromstring(to_urdf(machine)))
            path = f"/tmp/{rng.integers(1 << 40)}.urdf"
            tree.write(path)
            robot = yourdfpy.URDF.load(
                path, build_scene_graph=True, load_meshes=False, build_collision_scene_graph=False
            )
            for _ in range(20):
                values = {axis: float(rng.uniform(-100, 100)) for axis in chain.axes}
                robot.update_cfg({
                    axis: v / 1000 if chain.joints[axis].type == "linear" else math.radians(v) for axis, v in values.items()
                })  # fmt: skip
                row_ = np.array([[values[axis] for axis in chain.axes]])
                for name in chain.links:
                    pose = robot.get_transform(name, robot.base_link)
                    ours = chain.pose(name, row_)[0]
                    np.testing.assert_allclose(pose[:3, :3], ours[:3, :3], atol=1e-9)
                    np.testing.assert_allclose(pose[:3, 3] * 1000, ours[:3, 3], atol=1e-6)

    def test_bad_ones_are_one_clear_error(self) -> None:
        for text, says in (
            ("<robot", "not XML"), ("<sdf/>", "<robot>"), ("<!DOCTYPE x><robot/>", "document types"),
            ('<robot><link name="a"/><joint name="X" type="floating"><parent link="a"/><child link="a"/></joint></robot>', "floating"),
            ('<robot><link name="a"/><joint name="X" type="fixed"><parent link="a"/><child link="q"/></joint></robot>', "not there"),
        ):  # fmt: skip
            with self.assertRaisesRegex(NotUrdf, says):
                from_urdf(text)
