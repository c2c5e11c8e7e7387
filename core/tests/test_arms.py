"""Arms: inverse kinematics against forward ones and other libraries, the choice of a way against trying all, and the contract's rules."""

from __future__ import annotations

import copy
import io
import itertools
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import yourdfpy
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from bluntmirror.cli import main
from bluntmirror.export.poses import block_to, moves, write_csv
from bluntmirror.export.verdict import verdict_dict
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.frames import frame
from bluntmirror.job import Job, JobUnreadable, open_job
from bluntmirror.job.following import followed
from bluntmirror.job.models import MachineFile
from bluntmirror.job.urdf import from_urdf, to_urdf
from bluntmirror.machine import Chain
from bluntmirror.machine.arm import Arm, spin_of, spin_zero, spun, tool_pose
from bluntmirror.machine.choosing import Nodes, choose
from bluntmirror.rehearsal import Rehearsal, best_stand, check_program, rehearse
from bluntmirror.rehearsal.arm_room import ENOUGH_MM, Room
from bluntmirror.rehearsal.reach_field import counts, places_of
from bluntmirror.rehearsal.travel import check_travel
from bluntmirror.remedies import mend
from bluntmirror.remedies.change import write_to, written
from bluntmirror.timeline.reel import make_knots

from .arms import HEAD, HOME, JOINTS, LEANING, OFFSET_WRIST, PARALLEL, SPHERICAL, arm_job, arm_machine
from .shop import REVISIONS, SHOP, rehearsed

NAMES_OF = {"shoulder": ("front", "back"), "elbow": ("up", "down"), "wrist": ("plus", "minus")}
ARMS = {"spherical": SPHERICAL, "leaning": LEANING, "offset wrist": OFFSET_WRIST, "parallel": PARALLEL}


def arm_of(joints: list[Any], **changes: Any) -> tuple[Chain, Arm]:
    chain = Chain(MachineFile.model_validate(arm_machine(joints, shaped=False, **changes)))
    return chain, Arm(chain, chain.mounts["spindle"], chain.mounts["stand"], JOINTS)


class Inverse(unittest.TestCase):
    def test_closed_form_and_back_on_many_poses(self) -> None:
        rng = np.random.default_rng(1)
        for name in ("spherical", "leaning"):
            chain, arm = arm_of(ARMS[name])
            self.assertTrue(arm.closed)
            values = rng.uniform(-179, 179, (10_000, len(chain.axes)))
            poses = arm.poses(values)
            found, there = arm.roots(arm.wanted(poses, values))
            apart = np.abs((found - values[:, None, 1:] + 180) % 360 - 180).max(axis=2)
            self.assertLess(np.where(there, apart, np.inf).min(axis=1).max(), 1e-6, f"{name}: the values it came from")
            for root in range(8):
                again = values.copy()
                again[:, 1:] = found[:, root]
                off = np.abs(arm.poses(again) - poses)[there[:, root]]
                self.assertLess(off[:, :3, 3].max(), 1e-6, f"{name}: mm, root {root}")
            # Roots are different solutions: no two of a pose are one (but where a square root is nearly 0).
            alike = np.array([
                np.abs((found[:, a] - found[:, b] + 180) % 360 - 180).max(axis=1)[there[:, a] & there[:, b]].min()
                for a, b in itertools.combinations(range(8), 2)
            ])  # fmt: skip
            self.assertGreater(alike.min(), 1e-6)

    def test_all_solutions_by_searching_from_everywhere(self) -> None:
        """Reference: SciPy's least squares from many beginnings finds no solution that the closed form lacks."""
        _, arm = arm_of(SPHERICAL)
        rng = np.random.default_rng(4)
        for _ in range(3):
            values = np.concatenate([[0.0], rng.uniform(-120, 120, 6)])[None]
            pose = arm.poses(values)[0]
            found, there = arm.roots(arm.wanted(pose[None], values))

            def off(q: np.ndarray, pose: np.ndarray = pose) -> np.ndarray:
                here = arm.poses(np.concatenate([[0.0], q])[None])[0]
                return np.concatenate([(here[:3, 3] - pose[:3, 3]) / 1000.0, (here[:3, :3] - pose[:3, :3]).ravel()])

            known: list[np.ndarray] = []
            for seed in rng.uniform(-180, 180, (60, 6)):
                best = least_squares(off, seed, xtol=1e-13, ftol=1e-13, gtol=1e-13)
                if best.cost < 1e-18:
                    known.append((best.x + 180) % 360 - 180)
            self.assertGreater(len(known), 5)
            for q in known:
                apart = np.abs((found[0][there[0]] - q + 180) % 360 - 180).max(axis=1)
                self.assertLess(apart.min(), 1e-4)

    def test_arms_without_a_closed_form(self) -> None:
        rng = np.random.default_rng(2)
        for name in ("offset wrist", "parallel"):
            chain, arm = arm_of(ARMS[name])
            self.assertFalse(arm.closed)
            values = rng.uniform(-150, 150, (25, len(chain.axes)))
            poses = arm.poses(values)
            found, there = arm.roots(arm.wanted(poses, values))
            self.assertTrue(there.any(axis=1).all(), name)
            for root in range(8):
                again = values.copy()
                again[:, 1:] = found[:, root]
                off = np.abs(arm.poses(again) - poses)[there[:, root]]
                self.assertLess(off[:, :3, 3].max(initial=0.0), 1e-3, f"{name}: mm")
            near, good = arm.root(arm.wanted(poses, values), 0, values[:, 1:] + 0.5)
            own = arm.root_of(values[:, 1:]) == 0
            self.assertLess(np.abs(near - values[:, 1:])[own & good].max(initial=0.0), 1e-5)

    def test_forward_against_another_library_on_the_exported_chain(self) -> None:
        machine = MachineFile.model_validate(arm_machine())
        chain = Chain(machine)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "arm.urdf"
            path.write_text(to_urdf(machine))
            model = yourdfpy.URDF.load(
                str(path), build_scene_graph=True, load_meshes=False, load_collision_meshes=False
            )
        rng = np.random.default_rng(3)
        for row in rng.uniform(-150, 150, (50, 7)):
            given = {a: np.radians(v) if a != "R" else v / 1000.0 for a, v in zip(chain.axes, row, strict=True)}
            model.update_cfg([given[joint] for joint in model.actuated_joint_names])
            pose = model.get_transform("J6", "floor") * np.array([1, 1, 1, 1000.0])
            pose[3, 3] = 1.0
            np.testing.assert_allclose(pose, chain.pose("J6", row[None])[0], atol=1e-6)

    def test_singular_poses_are_those_of_the_jacobian(self) -> None:
        """Reference: the least singular value of the geometric Jacobian, by differences, with NumPy's SVD."""
        _, arm = arm_of(SPHERICAL)

        def least(q: np.ndarray) -> float:
            h = 1e-5
            columns = []
            here = arm.poses(np.concatenate([[0.0], q])[None])[0]
            for j in range(6):
                step = q.copy()
                step[j] += h
                there = arm.poses(np.concatenate([[0.0], step])[None])[0]
                turn = Rotation.from_matrix(there[:3, :3] @ here[:3, :3].T).as_rotvec()
                columns.append(np.concatenate([(there[:3, 3] - here[:3, 3]) / 700.0, turn]) / np.radians(h))
            return float(np.linalg.svd(np.array(columns).T, compute_uv=False)[-1])

        reach = -np.degrees(np.arctan2(650, 40))  # where wrist centre, third and second axis are in line
        for q in ([10, 20, 30, 40, 0, 60], [10, 20, reach, 40, 50, 60]):
            self.assertLess(arm.describe(np.array([q], float)).singular[0], 1e-4)
            self.assertLess(least(np.array(q, float)), 1e-6)
        # Over the first axis: the second joint turned until the wrist centre stands above it.
        upright = np.array([0, -12.0, 10, 20, 50, 0.0])
        low, high = -90.0, 0.0
        for _ in range(60):
            upright[1] = 0.5 * (low + high)
            centre = Chain(MachineFile.model_validate(arm_machine())).pose(
                "J5", np.concatenate([[0.0], upright])[None]
            )[0, 0, 3]
            low, high = (upright[1], high) if centre < 0 else (low, upright[1])
        self.assertLess(arm.describe(upright[None]).singular[0], 1e-4)
        self.assertLess(least(upright), 1e-6)
        rng = np.random.default_rng(8)
        q = rng.uniform(-120, 120, (400, 6))
        told, true = arm.describe(q).singular, np.array([least(row) for row in q])
        self.assertGreater(true[told > 25].min(), 0.02)  # far from singular in degrees is far in the Jacobian
        self.assertLess(true[told < 1].max(initial=0.0), 0.03)  # and near is near

    def test_postures_by_the_places_of_the_joints(self) -> None:
        """Reference: the contract's words, with points taken from the chain."""
        chain, arm = arm_of(SPHERICAL)
        rng = np.random.default_rng(6)
        values = np.concatenate([np.zeros((500, 1)), rng.uniform(-110, 110, (500, 6))], axis=1)
        told = arm.describe(values[:, 1:])
        second, third, wrist = (chain.pose(name, values)[:, :3, 3] for name in ("J2", "J3", "J5"))
        foot = second + ((third - second) * (wrist - second)).sum(1)[:, None] / ((wrist - second) ** 2).sum(1)[
            :, None
        ] * (wrist - second)
        np.testing.assert_array_equal(told.down, third[:, 2] < foot[:, 2])
        front = chain.pose("J1", values)[:, :3, 0]
        np.testing.assert_array_equal(told.back, (front * wrist).sum(1) < 0)
        np.testing.assert_array_equal(told.minus, values[:, 5] < 0)

    def test_spin_counts_from_x_and_near_it_from_y(self) -> None:
        """By hand: straight down the mount's x is along X at 0 and along Y at 90; along X it is counted from Y."""
        for d, spin, x in (([0, 0, 1], 0, [1, 0, 0]), ([0, 0, 1], 90, [0, 1, 0]), ([1, 0, 0], 0, [0, 1, 0]),
                           ([0, 1, 0], 90, [0, 0, -1])):  # fmt: skip
            direction = np.array([d], float)
            pose = spun(
                tool_pose(np.zeros((1, 3)), direction, spin_zero(direction), np.array([100.0])), np.array([float(spin)])
            )
            np.testing.assert_allclose(pose[0, :3, 0], x, atol=1e-12)
            np.testing.assert_allclose(pose[0, :3, 3], 100.0 * direction[0])
            self.assertAlmostEqual(float(spin_of(pose)[0]), spin)

    def test_six_joints_in_the_wrong_order_are_said(self) -> None:
        chain = Chain(MachineFile.model_validate(arm_machine()))
        with self.assertRaisesRegex(ValueError, "last six"):
            Arm(chain, chain.mounts["spindle"], chain.mounts["stand"], JOINTS[::-1])


class Choosing(unittest.TestCase):
    def nodes(self, arm: Arm, tips: np.ndarray, spin: float = np.nan) -> Nodes:
        n = len(tips)
        direction = np.tile([0.0, 0.0, 1.0], (n, 1))
        plain = tool_pose(tips, direction, spin_zero(direction), np.full(n, 105.0))
        free = np.full(n, -1, np.int8)
        return Nodes(plain, np.zeros((n, 7)), np.full(n, 0.5), np.full(n, spin), free, free.copy(), free.copy())

    def test_the_way_costs_no_more_than_any_that_is_tried(self) -> None:
        """Reference: every sequence of a coarse set of spins, its cost added up by hand."""
        _, arm = arm_of(SPHERICAL)
        rng = np.random.default_rng(7)
        now = np.array([0, -20, 30, 0, 60, 0.0])
        for _ in range(4):
            tips = np.array([900.0, 0, 500]) + np.cumsum(rng.uniform(-60, 60, (4, 3)), axis=0)
            nodes = self.nodes(arm, tips)
            way = choose(arm, nodes, now)
            assert way is not None
            self.assertEqual((way.reached, way.past), (4, False))

            def cost(spins: tuple[float, ...], nodes: Nodes = nodes, root: int = way.root) -> float:
                poses = spun(nodes.plain, np.array(spins))
                q, there = arm.root(arm.wanted(poses, nodes.values), root, np.zeros((4, 6)))
                if not there.all():
                    return np.inf
                total = 0.0
                before = now
                for i, row in enumerate(q):
                    turn = 360.0 * np.round((before - row) / 360.0)
                    row = row + np.where((row + turn >= arm.limits[:, 0]) & (row + turn <= arm.limits[:, 1]), turn, 0.0)
                    times = np.abs(row - before) / arm.rapid
                    total += (
                        times.max() + 0.01 * times.sum()
                        if i == 0
                        else 0.2 * times.sum() + 5.0 * max(0.0, times.max() - 0.5)
                    )
                    room = min((row - arm.limits[:, 0]).min(), (arm.limits[:, 1] - row).min())
                    near = float(arm.describe(row[None]).singular[0])
                    total += sum(0.0 if x >= 30 else (30 / max(x, 1.0)) ** 2 - 1 for x in (room, near))
                    before = row
                return total

            # Step by step, not over all sequences at once: 5° apart, two steps either way.
            best = min(
                cost((s, s + a, s + a + b, s + a + b + c))
                for s in range(-180, 180, 60) for a, b, c in itertools.product((-10, 0, 10), repeat=3)
            )  # fmt: skip
            self.assertLessEqual(cost(tuple(way.spin)), best + 1e-6)

    def test_nothing_is_chosen_before_what_comes_after_is_known(self) -> None:
        """A wall of costs with a gate at a spin of 0, between a begin and an end that are cheap at 90 alone."""
        _, arm = arm_of(SPHERICAL)
        n = 41
        nodes = self.nodes(arm, np.tile([900.0, 0.0, 500.0], (n, 1)))
        spins = np.arange(-180.0, 180.0, 5.0)
        nodes.cost = np.zeros((n, len(spins)))
        nodes.cost[[0, -1]] = np.where(np.abs(spins - 90) < 1, 0.0, 200.0)
        nodes.cost[n // 2] = np.where(np.abs(spins) < 1, 0.0, 1000.0)
        way = choose(arm, nodes, np.array([0, -20, 30, 0, 60, 0.0]))
        assert way is not None
        self.assertEqual([float(way.spin[i]) for i in (0, n // 2, -1)], [90.0, 0.0, 90.0])

    def test_no_joint_jumps_over_its_stop(self) -> None:
        """Round behind the arm, where its first joint would have to pass from +180 to −180: no way goes through."""
        _, arm = arm_of(SPHERICAL)
        angle = np.radians(np.linspace(160, 200, 21))
        tips = np.stack([900 * np.cos(angle), 900 * np.sin(angle), np.full(21, 500.0)], axis=1)
        nodes = self.nodes(arm, tips, 0.0)
        nodes.back[:] = 0
        way = choose(arm, nodes, np.array([150, -20, 30, 0, 60, 0.0]))
        assert way is not None
        self.assertLess(way.reached, 21)
        self.assertLessEqual(float(np.abs(np.diff(way.q[:, 0])).max()), 5.0)

    def test_a_way_that_would_wind_up_a_joint_begins_wound_back(self) -> None:
        """Once and a half round with a spin that follows: the sixth joint has 700° and must begin on the right side of it."""
        _, arm = arm_of(SPHERICAL)
        n = 109
        spin = np.linspace(-270, 270, n)
        nodes = self.nodes(arm, np.tile([900.0, 0.0, 500.0], (n, 1)))
        nodes.spin = spin
        way = choose(arm, nodes, np.array([0, -20, 30, 0, 60, 0.0]))
        assert way is not None
        self.assertEqual((way.reached, way.past), (n, False))
        self.assertAlmostEqual(abs(way.q[-1, 5] - way.q[0, 5]), 540.0, places=6)


class OnAnArm(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def job(self, program: str, machine: dict[str, Any] | None = None, **changes: Any) -> Job:
        return arm_job(self.folder, program, machine, **changes)

    def run_it(self, program: str, machine: dict[str, Any] | None = None, **changes: Any) -> Rehearsal:
        return rehearse(self.job(program, machine, **changes), filmed=False)

    def kinds(self, result: Any) -> list[tuple[str, int]]:
        return [(item.kind, item.line) for item in result.findings]


SLOT = HEAD + "G0 X-130 Y0 Z50 I0 J0 K1\nG0 Z-5\nG1 X130 F2000\nG1 Y60\nG1 X-130\nG0 Z50\n" + HOME


class Moves(OnAnArm):
    def test_a_slot_takes_its_closed_form(self) -> None:
        result = self.run_it(SLOT)
        self.assertEqual(result.verdict, "clear", result.findings)
        cut = result.stocks[0]
        # Two slots of 10 × 5 across 200; at the end of one both ends pass the block.
        self.assertAlmostEqual(cut.volume_before - cut.volume_after, 2 * 200 * 10 * 5, delta=20)
        told = verdict_dict(result)["operations"]
        self.assertEqual(
            [(o["name"], o["reachable"], o["limits"], o["singular"], o["contact"]) for o in told],
            [("T1", True, True, True, True)],
        )

    def test_the_tip_keeps_to_its_line_and_the_direction_to_the_great_circle(self) -> None:
        """Closed form: the contract's 0.02 mm, and directions in proportion to the way, at many moments between the knots."""
        program = HEAD + "G0 X-60 Y-60 Z20 I0.3 J0 K1\nG1 X60 Y40 Z35 I-0.2 J0.4 K1 F3000\n" + HOME
        timed = check_program(self.job(program))
        strand = timed.strands[0]
        knots = make_knots(strand.reel, 0.002)
        rows = np.flatnonzero(strand.reel.motions.kind[knots.motion] == 1)
        a, b = np.array([-60, -60, 20.0]), np.array([60, 40, 35.0])
        d0, d1 = (v / np.linalg.norm(v) for v in (np.array([0.3, 0, 1]), np.array([-0.2, 0.4, 1])))
        arm = strand.settled.arms.of(1) if strand.settled else None
        assert arm
        zero = np.array([1000, 0, 540.0])
        turn = np.arccos(d0 @ d1)
        for share in np.linspace(0, 1, 7):
            values = knots.at[rows] + share * (knots.at[rows + 1] - knots.at[rows])
            poses = arm.poses(strand.full(values))
            tips = poses[:, :3, 3] - 105.0 * poses[:, :3, 2] - zero
            along = (tips - a) @ (b - a) / ((b - a) @ (b - a))
            self.assertLess(np.linalg.norm(tips - a - along[:, None] * (b - a), axis=1).max(), 0.02)
            wanted = (np.sin((1 - along) * turn)[:, None] * d0 + np.sin(along * turn)[:, None] * d1) / np.sin(turn)
            self.assertLess(np.linalg.norm(poses[:, :3, 2] - wanted, axis=1).max(), 2e-4)

    def test_joint_moves_take_the_slowest_and_leave_the_others(self) -> None:
        """By hand: 90° of J1 from rest to rest at 120°/s and 400°/s²: 90/120 + 120/400 s, whatever `rapid` says."""
        machine = arm_machine() | {"rapid": "dogleg"}
        program = "G21 G90 G54\nT1 M6\nG0 J1=90 J6=40\nG0 J2=0\nM30\n"
        timed = check_program(self.job(program, machine))
        motions, reel = timed.reel.motions, timed.reel
        self.assertAlmostEqual(float(reel.end_time[1] - reel.begin_time[1]), 90 / 120 + 120 / 400, places=9)
        np.testing.assert_allclose(motions.end[2], [0, 90, 0, 30, 0, 60, 40])

    def test_words_that_an_arm_does_not_carry_out(self) -> None:
        for line, text in (
            (5, "G1 J1=10. F500"),
            (5, "G0 X0 J1=10."),
            (5, "G2 X10 Y0 R5 F500"),
            (5, "G81 X0 Y0 Z-5 R2 F100"),
        ):
            found = check_program(self.job(HEAD + text + "\nM30\n"))
            self.assertIn(("program.word", line), self.kinds(found), text)
        plain = HEAD.replace("G43.5 H1", "G43 H1") + "G0 X0 Y0\nM30\n"
        self.assertIn(("program.word", 5), self.kinds(check_program(self.job(plain))))

    def test_increments_inches_and_offsets_come_to_the_same_joints(self) -> None:
        """Metamorphic: the same poses in inches, by increments, by a typed offset, by a local shift."""

        def ends(program: str, **changes: Any) -> np.ndarray:
            return check_program(self.job(program, **changes)).reel.motions.end

        posture = [{"program": "P1.nc", "first": 1, "last": 99, "spin": 20}]
        body = "G0 X25.4 Y0 Z50.8 I0 J0.2 K1\nG1 X50.8 Y25.4 F1000\nG0 Z101.6\nM30\n"
        same = ends(HEAD + body, postures=posture)
        inches = HEAD.replace("G21", "G20") + "G0 X1. Y0. Z2. I0 J0.2 K1\nG1 X2. Y1. F39.37\nG0 Z4.\nM30\n"
        np.testing.assert_allclose(ends(inches, postures=posture), same, atol=1e-6)
        steps = HEAD + "G0 X25.4 Y0 Z50.8 I0 J0.2 K1\nG91 G1 X25.4 Y25.4 F1000\nG0 Z50.8\nM30\n"
        np.testing.assert_allclose(ends(steps, postures=posture), same, atol=1e-6)
        typed = {"G54": {"X": 1000, "Y": 0, "Z": 540}}
        np.testing.assert_allclose(ends(HEAD + body, postures=posture, work_offsets=typed), same, atol=1e-6)
        shifted = HEAD + "G52 X100 Y-30 Z5\nG0 X-74.6 Y30 Z45.8 I0 J0.2 K1\nG1 X-49.2 Y55.4 F1000\nG0 Z96.6\nM30\n"
        np.testing.assert_allclose(ends(shifted, postures=posture), same, atol=1e-6)

    def test_the_rail_and_what_it_carries_make_no_difference_to_the_place(self) -> None:
        """Metamorphic: arm and stand both 700 along the rail's direction ask for the same joints."""
        program = HEAD + "G0 X0 Y0 Z50 I0 J0 K1\nG1 X50 F1000\nM30\n"
        posture = [{"program": "P1.nc", "first": 1, "last": 99, "spin": 0, "rail": {"R": 0}}]
        here = check_program(self.job(program, postures=posture)).reel.motions.end
        moved = arm_machine()
        moved["mounts"][1]["at"] = [1000, 700, 500]
        there = check_program(self.job(program, moved, postures=[{**posture[0], "rail": {"R": 700}}])).reel.motions.end
        np.testing.assert_allclose(there[1:, 0], 700.0)
        np.testing.assert_allclose(there[1:, 1:], here[1:, 1:], atol=1e-6)

    def test_work_on_the_arm_before_a_tool_that_stands(self) -> None:
        """Metamorphic: exchange the two mounts and turn every pose round; the joints are the same."""
        program = HEAD + "G0 X0 Y0 Z50 I0 J0 K1\nG1 X40 Z20 I0.1 J0 K1 F1000\nM30\n"
        machine = arm_machine()
        machine["mounts"] = [
            {"name": "spindle", "link": "floor", "at": [900, 0, 700], "turn": [180, 0, 0], "takes": "tool"},
            {"name": "stand", "link": "J6", "at": [150, 0, 0], "turn": [0, 90, 0], "takes": "work"},
        ]
        machine["reference"] = {"1": {"J2": 0, "J3": 0, "J5": 90}}
        job = self.job(program, machine, work_offsets={"G54": {"datum": [0, 0, 40], "mount": "stand"}}, bodies=[])
        timed = check_program(job)
        strand = timed.strands[0]
        assert strand.settled
        self.assertEqual([f for f in timed.findings if f.severity == "stop"], [])
        chain, arm = strand.chain, strand.settled.arms.of(1)
        self.assertFalse(arm.carries_tool)
        # The tip over the work, taken from the chain itself: in the work's frame with all joints at zero, axes of the machine.
        zero = chain.mount_pose(chain.mounts["stand"], np.zeros((1, 7)))[0]
        for row, tip, direction in ((1, [0, 0, 50], [0, 0, 1]), (2, [40, 0, 20], [0.1, 0, 1])):
            values = strand.full(strand.reel.motions.end[row : row + 1])
            pose = chain.tool_in_work(chain.mounts["spindle"], chain.mounts["stand"], values)[0]
            seen = zero @ pose
            datum = zero @ np.array([0, 0, 40, 1.0])
            np.testing.assert_allclose(seen[:3, 3] - 105 * seen[:3, 2] - datum[:3], tip, atol=1e-6)
            np.testing.assert_allclose(seen[:3, 2], np.array(direction) / np.linalg.norm(direction), atol=1e-9)

    def test_a_turntable_takes_the_place_along(self) -> None:
        """The work turns under the tip in a cut: seen from the work the tip keeps to its line."""
        machine = arm_machine()
        machine["links"].append({"name": "plate", "parent": "floor", "joint": {
            "axis": "C", "type": "rotary", "direction": [0, 0, -1], "at": [1000, 0, 500], "rapid": 9000, "accel": 600}})  # fmt: skip
        machine["mounts"][1] |= {"link": "plate", "at": [0, 0, 0]}
        machine["channels"][0]["axes"].append("C")
        program = HEAD + "G0 X-50 Y0 Z50 I0 J0.2 K1\nG1 X50 C60 F2000\n" + HOME
        timed = check_program(
            self.job(program, machine, postures=[{"program": "P1.nc", "first": 1, "last": 99, "spin": 0}])
        )
        self.assertEqual([f for f in timed.findings if f.severity == "stop"], [])
        strand = timed.strands[0]
        knots = make_knots(strand.reel, 0.002)
        rows = np.flatnonzero(strand.reel.motions.kind[knots.motion] == 1)
        self.assertEqual(float(strand.reel.motions.end[2, -1]), 60.0)
        poses = strand.chain.tool_in_work(
            strand.chain.mounts["spindle"], strand.chain.mounts["stand"], strand.full(knots.at[rows + 1])
        )
        tips = poses[:, :3, 3] - 105 * poses[:, :3, 2]
        np.testing.assert_allclose(tips[:, 1:] - [0, 90], 0, atol=1e-6)
        self.assertAlmostEqual(float(tips[-1, 0]), 50.0)

    def test_right_round_in_a_cut_has_no_way(self) -> None:
        found = check_program(self.job(HEAD + "G0 X0 Y0 Z50 I1 J0 K0\nG1 X10 I-1 J0 K0 F500\n" + HOME))
        self.assertEqual([(f.kind, f.line) for f in found.findings if f.severity == "stop"], [("travel.reach", 6)])

    def test_an_arm_beside_another_channel(self) -> None:
        """A table of a channel of its own brings the work; both wait for each other, and their ways are on one clock."""
        machine = arm_machine()
        machine["links"].append({"name": "slide", "parent": "floor", "joint": {
            "axis": "Y", "type": "linear", "direction": [0, -1, 0], "travel": [-500, 500], "rapid": 12000, "accel": 1000}})  # fmt: skip
        machine["mounts"][1] |= {"link": "slide"}
        machine["channels"].append({"number": 2, "axes": ["Y"]})
        program = SLOT.replace("G43.5 H1", "M100\nG43.5 H1")
        self.job(program, machine)
        data = json.loads((self.folder / "job.json").read_text())
        data["programs"] = [{"channel": 1, "main": "P1.nc"}, {"channel": 2, "main": "P2.nc"}]
        (self.folder / "job.json").write_text(json.dumps(data))
        (self.folder / "P2.nc").write_text("G21 G90\nG0 Y50\nG0 Y0\nM100\nM30\n")
        result = rehearse(open_job(self.folder), filmed=False)
        self.assertEqual([item for item in result.findings if item.severity == "stop"], [])
        self.assertAlmostEqual(result.stocks[0].volume_before - result.stocks[0].volume_after, 20_000, delta=20)
        self.assertEqual([o["channel"] for o in verdict_dict(result)["operations"]], [1])


# An arm as other people draw theirs: every frame turned, a flange that is fixed, long names of which two begin alike.
URDF = """<robot name="drawn elsewhere"><link name="world"/><link name="base_link"/>{links}<link name="flange"/><link name="tool0">
<visual><origin xyz="0 0 0.05" rpy="0 0 0"/><geometry><cylinder radius="0.04" length="0.1"/></geometry></visual></link>
<joint name="stand" type="fixed"><origin xyz="0.2 -0.3 0.1" rpy="0 0 0.5"/><parent link="world"/><child link="base_link"/></joint>
{joints}
<joint name="to_flange" type="fixed"><origin xyz="0.1 0 0" rpy="0 1.5707963267948966 0"/><parent link="wrist_3_link"/><child link="flange"/></joint>
<joint name="to_tool" type="fixed"><origin xyz="0 0 0.02" rpy="0 0 0.7"/><parent link="flange"/><child link="tool0"/></joint></robot>"""
NAMES = ("shoulder_pan", "shoulder_lift", "elbow", "wrist_1", "wrist_2", "wrist_3")


def drawn_elsewhere() -> str:
    rng = np.random.default_rng(9)
    links, joints, parent = "", "", "base_link"
    for name, xyz, axis in zip(
        NAMES, ("0 0 .4", ".15 0 .1", "0 0 .7", ".3 0 .04", ".35 0 0", "0 0 0"), "zyyxyx", strict=True
    ):
        rpy = "0 0 0" if name != "elbow" else "0 0 0.9"
        wanted = {"z": [0, 0, 1], "y": [0, 1, 0], "x": [1, 0, 0]}[axis]
        if name in NAMES[2:]:  # seen from frames turned by what the elbow's joint turned
            wanted = Rotation.from_euler("z", -0.9).apply(wanted).tolist()
        if name in NAMES[3:]:
            xyz = " ".join(f"{v:.9f}" for v in Rotation.from_euler("z", -0.9).apply([float(v) for v in xyz.split()]))
        links += f'<link name="{name}_link"><visual><origin xyz="0 0 {rng.uniform(0.02, 0.05)}" rpy="0.2 0 0"/>'
        links += '<geometry><box size="0.05 0.04 0.06"/></geometry></visual></link>'
        joints += (
            f'<joint name="{name}_joint" type="revolute"><origin xyz="{xyz}" rpy="{rpy}"/><parent link="{parent}"/>'
        )
        joints += f'<child link="{name}_link"/><axis xyz="{" ".join(map(str, wanted))}"/>'
        joints += '<limit lower="-3" upper="3" velocity="2.5" effort="1"/></joint>'
        parent = f"{name}_link"
    return URDF.format(links=links, joints=joints)


class Drawn(OnAnArm):
    def test_an_arm_of_a_urdf_loads_moves_and_rehearses(self) -> None:
        """Reference: yourdfpy's forward kinematics of the very same file, at every link's shapes and at the tool's frame."""
        data = from_urdf(drawn_elsewhere())
        machine = MachineFile.model_validate(data)
        arm = machine.channels[0].arm
        assert arm
        self.assertEqual((arm.joints, arm.rail), (JOINTS, []))
        path = self.folder / "arm.urdf"
        path.write_text(drawn_elsewhere())
        model = yourdfpy.URDF.load(str(path), build_scene_graph=True, load_meshes=False)
        chain = Chain(machine)
        rng = np.random.default_rng(5)
        for row in rng.uniform(-150, 150, (20, 6)):
            model.update_cfg(dict(zip((f"{name}_joint" for name in NAMES), np.radians(row), strict=True)))
            pose = model.get_transform("tool0", "world") @ np.diag([1.0, -1.0, -1.0, 1.0])
            ours = chain.mount_pose(chain.mounts["tool"], row[None])[0]
            np.testing.assert_allclose(ours[:3, :3], pose[:3, :3], atol=1e-6)
            np.testing.assert_allclose(ours[:3, 3], 1000 * pose[:3, 3], atol=1e-3)
            for link in machine.links:
                for shape, visual in zip(link.shapes, model.link_map[link.name].visuals, strict=True):
                    there = model.get_transform(link.name, "world") @ visual.origin
                    here = chain.pose(link.name, row[None])[0] @ frame(shape.at, shape.turn)
                    np.testing.assert_allclose(here[:3, 3], 1000 * there[:3, 3], atol=1e-3)
                    np.testing.assert_allclose(here[:3, :3], there[:3, :3], atol=1e-6)
        data["mounts"][1]["at"] = [900, 300, 200]
        data["ignore"] = [[a, b] for a, b in itertools.combinations([link["name"] for link in data["links"]], 2)]
        result = self.run_it(SLOT.replace("J2=-20 J3=30 J4=0 J5=60", "J2=0 J3=0 J4=0 J5=0"), data,
                             work_offsets={"G54": {"datum": [0, 0, 40], "mount": "work"}},
                             bodies=[{"name": "blank", "role": "stock", "mount": "work", "shape": {"type": "box", "size": [200, 200, 40]},
                                      "at": [0, 0, 20]}])  # fmt: skip
        self.assertEqual([item for item in result.findings if item.kind.startswith("travel")], [])
        self.assertAlmostEqual(result.stocks[0].volume_before - result.stocks[0].volume_after, 20_000, delta=20)


class Tables(OnAnArm):
    """Programs as tables of poses."""

    def as_table(self, text: str, name: str = "rim.csv") -> Any:
        self.job(SLOT)
        data = json.loads((self.folder / "job.json").read_text())
        data["programs"] = [{"main": name}]
        (self.folder / "job.json").write_text(json.dumps(data))
        (self.folder / name).write_text(text)
        return open_job(self.folder)

    def test_a_text_of_kept_poses_says_the_same_as_the_table(self) -> None:
        """Metamorphic: table and text of one program, whose kept places are named before they are gone to, move the joints alike."""
        table = (
            "x,y,z,i,j,k,feed,tool,speed,offset,j1,j5\n-130,0,50,0,0,1,,1,8000,G54,,\n,,-5,,,,500,,,,,\n130,,,,,,2000,,,,,\n"
            ",60,,,,,2000,,,,,\n-130,0,50,0,0,1,,,,,,\n,,,,,,,,,,10,70\n"
        )
        text = (
            "# the rim\nframe g54\ntool 1\nspindle 8000\npose above x -130 y 0 z 50 along 0 0 1   # over the corner\npose wait J1 10 J5 70\n"
            "go above\ncut z -5 feed 500\nCUT X 130 feed 2000\ncut y 60\ngo above\ngo wait\n"
        )
        one, other = check_program(self.as_table(table)), check_program(self.as_table(text, "rim.poses"))
        self.assertEqual([f.kind for f in other.findings if f.severity == "stop"], [])
        moved = other.reel.motions.line[other.reel.motions.line > 6]
        self.assertEqual(list(moved), [7, 8, 9, 10, 11, 12], "a finding names the text's own line")
        self.assertEqual(len(one.reel.motions.end) - len(other.reel.motions.end), 0)
        np.testing.assert_allclose(other.reel.motions.end, one.reel.motions.end, atol=1e-9)
        np.testing.assert_allclose(other.reel.motions.feed, one.reel.motions.feed)

    def test_what_a_text_cannot_mean_says_where_and_why(self) -> None:
        for line, said in (
            ("cut x 5", "no feed was said"), ("cut x 5 feed 0", "more than 0"), ("cut j1 5 feed 9", "they do not cut"), ("go home", "no pose 'home'"),
            ("pose x x 5", "no name of a pose"), ("pose j10 x 5", "no name of a pose"), ("pose rim x 5 j1 3", "not both"), ("go x 5 x 6", "twice"),
            ("go x 5 y", "number is missing"), ("go", "is missing"), ("go along 0 1", "number is missing"), ("tool", "one word"), ("frame g60", "none of G54"),
            ("jump x 5", "none of cut"), ("go i 1", "neither x, y, z"), ("go x ?", "no number"), ("spindle 1e99", "beyond"),
        ):  # fmt: skip
            found = check_program(self.as_table(f"tool 1\n{line}\ngo x 0 y 0 z 80 along 0 0 1\n", "rim.poses")).findings
            with self.subTest(line):
                self.assertIn(
                    (2, True), [(f.line, said in f.message) for f in found if f.kind == "program.syntax"], found
                )

    def test_out_and_in_again_it_is_the_same_program(self) -> None:
        """Metamorphic: the poses of a program written as a table and read from it ask for the same joints, one for one."""
        first = check_program(self.job(SLOT.replace("G0 Z50\n" + HOME, "G0 Z50 I0.2 J0.1 K1\n" + HOME)))
        table = io.StringIO()
        write_csv(first, table)
        again = check_program(self.as_table(table.getvalue()))
        self.assertEqual([f for f in again.findings if f.severity == "stop"], [])
        np.testing.assert_allclose(again.reel.motions.end, first.reel.motions.end, atol=1e-4)
        np.testing.assert_allclose(again.reel.motions.feed, first.reel.motions.feed)
        told = moves(first)
        self.assertEqual(
            [item["tip"] for item in told if item["kind"] == "feed"], [[130, 0, -5], [130, 60, -5], [-130, 60, -5]]
        )

    def test_findings_name_the_tables_own_lines(self) -> None:
        table = "# the rim\nx,y,z,i,j,k,feed,tool,speed\n-130,0,50,0,0,1,,1,8000\n,,-5,,,,,,\n130,,,,,,2000,,\n900,0,900,0,0,1,,,\n"
        found = check_program(self.as_table(table))
        self.assertIn(("travel.reach", 6), self.kinds(found))
        self.assertEqual([item.fix for item in found.findings], [None] * len(found.findings))

    def test_what_cannot_be_read_says_where_and_why(self) -> None:
        head = "x,y,z,feed\n"
        for text, line, said in (
            ("x,y,z,colour\n1,2,3,4\n", 1, "no column 'colour'"), (head + "1,2\n", 2, "2 cells"), (head + "1,2,nan,5\n", 2, "beyond"),
            (head + "1,2,?,5\n", 2, "no number"), ("x,y,z,j1\n1,2,3,4\n", 2, "not both"),
        ):  # fmt: skip
            found = check_program(self.as_table(text)).findings
            self.assertTrue(
                any(f.kind == "program.syntax" and f.line == line and said in f.message for f in found), (text, found)
            )

    def test_from_the_command_line(self) -> None:
        self.job(SLOT)
        out = self.folder / "poses.json"
        self.assertEqual(main(["poses", str(self.folder), "--json", "--file", str(out)]), 0)
        data = json.loads(out.read_text())
        self.assertEqual((data["format"], len(data["moves"])), ("blunt-mirror/poses@1", 8))


class Postures(OnAnArm):
    PROGRAM = HEAD + "G0 X-60 Y0 Z50 I0.2 J0 K1\nG1 X60 F3000\nG1 X60 Y40\nG0 Z200\n" + HOME

    def asked(self, first: int = 5, last: int = 7, **words: Any) -> list[dict[str, Any]]:
        return [{"program": "P1.nc", "first": first, "last": last, **words}]

    def test_each_posture_is_taken_and_left_out_is_the_nearest(self) -> None:
        spin = {"spin": 10}
        plain = check_program(self.job(self.PROGRAM, postures=self.asked(**spin)))
        strand = plain.strands[0]
        assert strand.settled
        arm, now = strand.settled.arms.of(1), plain.reel.motions.end[0, 1:]
        row = plain.reel.motions.end[1, 1:]
        # Reference: all roots of the first pose, by the contract's measure.
        found, there = arm.roots(arm.wanted(arm.poses(np.concatenate([[0.0], row])[None]), np.zeros((1, 7))))
        turns = np.array(list(itertools.product((0,), (0,), (0,), (-360, 0, 360), (0,), (-360, 0, 360))), float)
        every = (found[0][there[0]][:, None] + turns).reshape(-1, 6)
        every = every[((every >= arm.limits[:, 0]) & (every <= arm.limits[:, 1])).all(axis=1)]
        self.assertAlmostEqual(
            float((np.abs(every - now) / arm.rapid).max(axis=1).min()), float((np.abs(row - now) / arm.rapid).max())
        )
        for words in (
            {"wrist": "minus"},
            {"wrist": "plus"},
            {"elbow": "up"},
            {"shoulder": "front", "elbow": "up", "wrist": "minus"},
        ):
            timed = check_program(self.job(self.PROGRAM, postures=self.asked(**spin, **words)))
            q = timed.reel.motions.end[1:4, 1:]
            told = arm.describe(q)
            for key, value in words.items():
                column = {"shoulder": told.back, "elbow": told.down, "wrist": told.minus}[key]
                self.assertTrue((column == (value in ("back", "down", "minus"))).all(), words)
            poses = arm.poses(np.concatenate([np.zeros((3, 1)), q], axis=1))
            np.testing.assert_allclose(spin_of(poses), 10.0, atol=1e-6)

    def test_a_posture_may_not_change_within_a_cut(self) -> None:
        asked = self.asked(5, 6, wrist="plus") + self.asked(7, 7, wrist="minus")
        self.assertIn(("travel.reach", 7), self.kinds(check_program(self.job(self.PROGRAM, postures=asked))))
        asked = self.asked(5, 7, wrist="plus") + self.asked(8, 8, wrist="minus")  # a G0
        self.assertEqual(
            [k for k in self.kinds(check_program(self.job(self.PROGRAM, postures=asked))) if k[0].startswith("travel")],
            [],
        )

    def test_a_spin_turns_within_a_cut_over_the_length_that_is_stated(self) -> None:
        """From −170° to 150° the shorter way, 40° back, evenly over 30 mm of the tip's way across two moves; and the same way out again. The tip
        keeps to its line, the feed to what was asked."""
        program = HEAD + "G0 X-60 Y0 Z50 I0 J0 K1\nG1 X-20 F1200\nG1 X0\nG1 X20\nG1 X70\nG1 X110\nG0 Z200\n" + HOME
        inner = self.asked(7, 9, spin=150)
        sharp = check_program(self.job(program, postures=[*self.asked(5, 10, spin=-170), *inner]))
        self.assertIn(("travel.reach", 7), self.kinds(sharp))
        self.assertIn("blend", sharp.findings[0].remedy)
        timed = check_program(self.job(program, postures=[*self.asked(5, 10, spin=-170), {**inner[0], "blend": 30}]))
        self.assertEqual(self.kinds(timed), [])
        strand = timed.strands[0]
        assert strand.settled
        arm, knots = strand.settled.arms.of(1), make_knots(strand.reel, 0.002)
        rows = np.flatnonzero(strand.reel.motions.kind[knots.motion] == 1)
        for share in (0.0, 0.3, 0.5, 1.0):
            values = knots.at[rows] + share * (knots.at[rows + 1] - knots.at[rows])
            poses = arm.poses(strand.full(values))
            x = poses[:, 0, 3] - 105.0 * poses[:, 0, 2] - 1000
            turned = (spin_of(poses) - -170.0 + 180.0) % 360.0 - 180.0
            wanted = np.interp(x, [-20, 10, 70, 100], [0, -40, -40, 0])
            # A piece over which the joints run evenly may lie across an end of the turning.
            np.testing.assert_allclose(turned, wanted, atol=0.6)
            tips = poses[:, :3, 3] - 105.0 * poses[:, :3, 2]
            self.assertLess(np.abs(tips[:, 1:] - [0, 590]).max(), 0.02)
        self.assertEqual(set(strand.reel.motions.feed[strand.reel.motions.kind == 1]), {1200.0})

    def test_a_posture_past_a_limit_is_overtravel_and_one_that_there_is_not_is_reach(self) -> None:
        result = self.run_it(self.PROGRAM, postures=self.asked(elbow="down", shoulder="front"))
        self.assertIn("travel.over", [item.kind for item in result.findings])
        self.assertNotIn("travel.reach", [item.kind for item in result.findings])
        told = verdict_dict(result)["operations"][0]
        self.assertEqual((told["reachable"], told["limits"]), (True, False))

    def test_out_of_reach_says_by_how_much(self) -> None:
        """By hand: straight up over the second axis, which stands 150 before the first; upper arm 700, forearm √(650² + 40²)."""
        far = HEAD + "G0 X-60 Y0 Z50 I0 J0 K1\nG0 X900\nG0 X0\n" + HOME
        fixed = self.asked(1, 99, rail={"R": 0})
        result = self.run_it(far, postures=fixed)
        reach = next(item for item in result.findings if item.kind == "travel.reach")
        self.assertEqual(reach.line, 6)
        # The wrist centre: 210 along the tool above the gauge point, 105 above the tip.
        out = np.hypot(1900 - 150, 590 + 105 + 210 - 450) - (700 + np.hypot(650, 40))
        self.assertAlmostEqual(reach.amount, out, places=6)
        told = verdict_dict(result)["operations"][0]
        self.assertEqual((told["reachable"], told["limits"], told["contact"]), (False, None, None))
        self.assertEqual(verdict_dict(result)["verdict"], "stop")

    def test_a_free_rail_goes_where_the_pose_is_reached(self) -> None:
        program = HEAD + "G0 X0 Y1500 Z50 I0 J0 K1\nG1 X60 F3000\nG0 Z100\n" + HOME
        free = check_program(self.job(program, bodies=[]))
        self.assertEqual(self.kinds(free), [])
        self.assertGreater(free.reel.motions.end[1, 0], 500)
        fixed = check_program(self.job(program, bodies=[], postures=self.asked(rail={"R": 0})))
        self.assertIn(("travel.reach", 5), self.kinds(fixed))
        kept = check_program(self.job(program, bodies=[], postures=self.asked(rail={"R": 1500})))
        np.testing.assert_allclose(kept.reel.motions.end[1:3, 0], 1500.0)

    def test_near_a_singular_pose_a_joint_outruns(self) -> None:
        """A line past the place where forearm and tool are in line: with the tip's speed held, J4 would have to run without bound."""
        program = HEAD + "G0 X-400 Y-40 Z300 I-1 J0 K0.02\nG1 Y40 F12000\nG0 X-500\n" + HOME
        result = self.run_it(program, bodies=[])
        self.assertIn("travel.singular", [item.kind for item in result.findings])
        self.assertFalse(verdict_dict(result)["operations"][0]["singular"])

    def test_what_a_job_cannot_mean_is_unreadable(self) -> None:
        for postures, said in (
            ([{"program": "X.nc", "first": 1, "last": 2}], "no program"),
            (self.asked(7, 5), "above last"),
            (self.asked(rail={"Q": 1}), "no rail"),
        ):
            with self.assertRaisesRegex(JobUnreadable, said):
                self.job(self.PROGRAM, postures=postures)
        machine = arm_machine()
        machine["channels"][0]["arm"]["joints"][0] = "R"
        machine["channels"][0]["arm"]["rail"] = []
        with self.assertRaisesRegex(JobUnreadable, "rotary"):
            self.job(self.PROGRAM, machine)


class Standing(OnAnArm):
    def test_a_free_spin_keeps_away_from_what_stands(self) -> None:
        """A box hangs beside the spindle: with the spin that reaches the poses soonest it runs into walls on both sides."""
        machine = arm_machine()
        machine["links"][-1]["shapes"] = [
            *machine["links"][-1]["shapes"],
            {"type": "box", "size": [60, 60, 200], "at": [150, 0, -130]},
        ]
        block = {
            "name": "blank",
            "role": "stock",
            "mount": "stand",
            "shape": {"type": "box", "size": [200, 200, 40]},
            "at": [0, 0, 20],
        }
        wall = {
            "name": "wall",
            "role": "fixture",
            "mount": "stand",
            "shape": {"type": "box", "size": [30, 300, 150]},
            "at": [-270, 0, 175],
        }
        program = SLOT.replace(HEAD, HEAD + "G0 X-130 Y0 Z500 I0 J0 K1\n").replace(
            "G0 Z50\n" + HOME, "G0 Z50\nG0 Z500\n" + HOME
        )
        stuck = self.run_it(
            program, machine, bodies=[block, wall], postures=[{"program": "P1.nc", "first": 1, "last": 99, "spin": 0}]
        )
        free = self.run_it(program, machine, bodies=[block, wall])
        self.assertIn("contact.body", [item.kind for item in stuck.findings])
        self.assertEqual([item for item in free.findings if item.kind == "contact.body"], [])

    def test_the_elbow_in_a_wall_and_a_change_that_touches(self) -> None:
        wall = {
            "name": "wall",
            "role": "fixture",
            "mount": "stand",
            "shape": {"type": "box", "size": [20, 800, 1000]},
            "at": [-480, 0, 600],
        }
        block = arm_job(self.folder, SLOT).file.bodies[0].model_dump(exclude_none=True)
        result = self.run_it(SLOT, bodies=[block, wall])
        met = [item for item in result.findings if item.kind == "contact.body"]
        self.assertTrue(met and any("wall" in item.bodies for item in met))
        self.assertFalse(verdict_dict(result)["operations"][0]["contact"])
        # Where the flange stands at the change the new tool reaches into a shelf: a contact of the line of M6.
        chain = Chain(MachineFile.model_validate(arm_machine()))
        pose = chain.mount_pose(chain.mounts["spindle"], np.array([[0, 0, -20, 30, 0, 60, 0.0]]))[0]
        tip = pose[:3, 3] - 100 * pose[:3, 2] - np.array([1000, 0, 500])
        shelf = {
            "name": "shelf",
            "role": "fixture",
            "mount": "stand",
            "shape": {"type": "box", "size": [30, 30, 30]},
            "at": tip.tolist(),
        }
        result = self.run_it("G21 G90 G54\nT1 M6\nG0 J1=90\nM30\n", bodies=[shelf])
        self.assertIn(("contact.body", 2), self.kinds(result))

    def test_low_beside_the_work_is_judged_along_the_tool(self) -> None:
        """The tool lies along X: low is farther in along −X than the block's face, and only beside the block."""
        side = HEAD + "G0 X160 Y0 Z-20 I1 J0 K0\nG1 X105 F2000\n"
        low = self.run_it(side + "G1 X95\nM30\n")
        self.assertIn("program.order", [item.kind for item in low.findings])
        high = self.run_it(side + "G1 X95\nG0 X160\nM30\n")
        self.assertNotIn("program.order", [item.kind for item in high.findings])
        away = self.run_it(side + "G0 X160\n" + HOME)
        self.assertNotIn("program.order", [item.kind for item in away.findings])
        # 400 aside of the block and below its top: an arm has the whole room to be low in.
        aside = self.run_it(side + "G0 X160\nG0 X-500 Y0 Z-100 I0 J0 K1\nM30\n")
        self.assertNotIn("program.order", [item.kind for item in aside.findings])


class Remedied(OnAnArm):
    """What would clear an arm's findings: the stretch reached otherwise."""

    PROGRAM = HEAD + "G0 X-60 Y0 Z50 I0.2 J0 K1\nG1 X60 F3000\nG1 Y40\nG0 Z200\n" + HOME

    def test_a_joint_past_its_limit_is_offered_another_posture_and_made(self) -> None:
        asked = [{"program": "P1.nc", "first": 5, "last": 7, "elbow": "down", "shoulder": "front"}]
        job = self.job(self.PROGRAM, postures=asked)
        done = mend(job)
        self.assertEqual([item for item in done.result.findings if item.severity == "stop"], [])
        change = next(offer.change for offer in done.made if offer.change.postures)
        self.assertTrue(change.postures[0].elbow == "up" or change.postures[0].spin is not None)
        # Written to the files it is the same job.
        write_to(self.folder, written(job, change))
        again = rehearse(open_job(self.folder), filmed=False)
        self.assertNotIn("travel.over", [item.kind for item in again.findings])

    def test_postures_go_along_with_their_lines(self) -> None:
        before = b"a\nb\nc\nd\ne\nf\n"
        for after, lines in (
            (b"a\nnew\nb\nc\nd\ne\nf\n", (4, 6)), (b"a\nb\nc\nd\nnew\ne\nf\n", (3, 6)), (b"b\nc\nd\ne\nf\n", (2, 4)),
            (b"a\nb\nC\nd\ne\nf\n", (3, 5)), (before + b"g\n", (3, 5)), (b"new\na\nb\nc\nnew\nd\ne\n", (4, 7)),
        ):  # fmt: skip
            moved = followed(
                [{"program": "P", "first": 3, "last": 5, "spin": 1}, {"program": "Q", "first": 1, "last": 1}],
                {"P": before},
                {"P": after},
            )
            self.assertEqual((moved[0]["first"], moved[0]["last"]), lines, after)
            self.assertEqual(moved[1], {"program": "Q", "first": 1, "last": 1})
        same = [{"program": "P", "first": 1, "last": 2}]
        self.assertIs(followed(same, {"P": before}, {"P": before}), same)


class Reached(OnAnArm):
    def test_a_field_of_reach_by_asking_every_place_alone(self) -> None:
        """Reference: each place with each spin, one at a time; places lie on the box and look outwards."""
        _, arm = arm_of(SPHERICAL)
        mesh = meshes.box([200, 160, 80]).moved(frame([1000, 300, 500]))
        places, ways = places_of(mesh, 24)
        rel = (places - [1000, 300, 500]) / [100, 80, 40]
        np.testing.assert_allclose(np.abs(rel).max(axis=1), 1.0)
        np.testing.assert_allclose((rel * ways).sum(axis=1), 1.0)
        told = counts(arm, places, ways, 105.0, np.zeros(7))
        for place, way, count in zip(places, ways, told, strict=True):
            found = set()
            for spin in range(-180, 180, 30):
                pose = spun(
                    tool_pose(place[None] + 5 * way, way[None], spin_zero(way[None]), np.array([105.0])),
                    np.array([float(spin)]),
                )
                q, there = arm.roots(arm.wanted(pose, np.zeros((1, 7))))
                for root in np.flatnonzero(there[0]):
                    options = [
                        [v for v in (a - 360, a, a + 360) if low <= v <= high]
                        for a, (low, high) in zip(q[0, root], arm.limits, strict=True)
                    ]
                    if all(options):
                        found.add(int(root))
            self.assertEqual(len(found), count)


class KeptPoses(OnAnArm):
    """A line that brings the arm to a kept pose is right if the program with it goes there."""

    def gone(self, straight: bool, units: str, ending: str = "nc") -> tuple[Any, Any]:
        """Joint values that were kept, and where the arm stands after the line: joints, or tip and direction."""
        if ending == "nc":
            program = HEAD.replace("G21", units) + "G0 X0 Y0 Z{} I0 J0 K1\nG1 X{} F{}\nM30\n".format(
                *((20, 40, 600) if units == "G21" else (0.8, 1.6, 24))
            )
            line, name = 7, "P1.nc"
        else:
            program, line, name = (
                "frame G54\ntool 1\nspindle 8000\ngo x 0 y 0 z 20 along 0 0 1\ncut x 40 feed 600\ngo z 60\n",
                6,
                "P1.poses",
            )
        (self.folder / name).write_text(program)
        job = self.job(program, programs=[{"main": name}])
        result = check_program(job)
        here = {
            axis: float(value)
            for axis, value in zip(result.reel.motions.axes, result.reel.motions.end[-1], strict=True)
        }
        kept = here | {"J1": here["J1"] + 4.0, "J5": here["J5"] + 6.0} | ({} if straight else {"R": 120.5})
        block = block_to(result, name, line, kept, 900.0 if straight else None)
        lines = program.split("\n")
        longer = "\n".join([*lines[: line - 1], block, *lines[line - 1 :]])
        (self.folder / name).write_text(longer)
        after = check_program(open_job(self.folder))
        self.assertEqual([f.message for f in after.docket.in_order() if f.severity == "stop"], [], block)
        strand = after.strands[0]
        row = int(np.flatnonzero(strand.reel.motions.line == line)[-1])
        assert strand.settled
        arm = strand.settled.arms.of(1)
        if not straight:
            end = dict(zip(strand.reel.motions.axes, strand.reel.motions.end[row].tolist(), strict=True))
            return [kept[axis] for axis in JOINTS + ["R"]], [end[axis] for axis in JOINTS + ["R"]]
        of = np.array([[kept[axis] for axis in strand.reel.motions.axes], strand.reel.motions.end[row]])
        poses = arm.poses(strand.full(of))
        self.assertAlmostEqual(float(strand.reel.motions.feed[row]), 900.0, places=1)
        return np.concatenate([poses[0, :3, 2], poses[0, :3, 3]]), np.concatenate([poses[1, :3, 2], poses[1, :3, 3]])

    def test_by_its_joints(self) -> None:
        for units, ending in (("G21", "nc"), ("G20", "nc"), ("G21", "poses")):
            kept, there = self.gone(False, units, ending)
            np.testing.assert_allclose(there, kept, atol=0.02, err_msg=f"{units} {ending}")

    def test_straight_with_the_tip(self) -> None:
        for units, ending in (("G21", "nc"), ("G20", "nc"), ("G21", "poses")):
            kept, there = self.gone(True, units, ending)
            np.testing.assert_allclose(there, kept, atol=0.03, err_msg=f"{units} {ending}")

    def test_what_cannot_be_written_says_why(self) -> None:
        result = check_program(self.job(HEAD + "G0 X0 Y0 Z20 I0 J0 K1\n" + HOME))
        here = dict(zip(result.reel.motions.axes, result.reel.motions.end[0].tolist(), strict=True))
        for line, at, why in (
            (5, here, "only a move of the joints"),
            (6, here | {"R": 777.0}, "a straight way does not move it"),
            (6, {"J9": 1.0}, "no joint 'J9'"),
        ):
            with self.assertRaisesRegex(ValueError, why):
                block_to(result, "P1.nc", line, at, 500.0)
        with self.assertRaisesRegex(ValueError, "no arm goes by"):
            block_to(result, "P2.nc", 5, here)


class Clearances(OnAnArm):
    def test_what_comes_nearest_in_each_operation(self) -> None:
        """By hand: over a post whose top lies 12 mm above program zero T1 passes with its tip 20 mm above zero, T2 with 90 mm; told to 5 %
        below 10 mm, to half above. T1 stands elsewhere while T2 works: a margin of the whole program would not do."""
        over = "G0 X60 Y0 Z{z} I0 J0 K1\nG1 X90 F2000\nG0 Z140\n"
        program = HEAD + over.format(z=20) + "T2 M6\nG43.5 H2\n" + over.format(z=90) + HOME
        bodies = [
            {
                "name": "blank",
                "role": "stock",
                "mount": "stand",
                "shape": {"type": "box", "size": [60, 60, 40]},
                "at": [0, 0, 20],
            },
            {
                "name": "post",
                "role": "fixture",
                "mount": "stand",
                "shape": {"type": "box", "size": [20, 20, 52]},
                "at": [80, 0, 26],
            },
        ]
        result = rehearse(self.job(program, arm_machine(rail=False), bodies=bodies), filmed=False)
        told = [item["least"]["clearance"] for item in verdict_dict(result)["operations"]]
        self.assertEqual([item["bodies"] for item in told], [["T1 cutter", "post"], ["T2 cutter", "post"]])
        self.assertAlmostEqual(told[0]["amount"], 8.0, delta=0.4)
        self.assertTrue(39.0 <= told[1]["amount"] <= 78.0 + 1e-6, told)
        self.assertIn(told[0]["line"], (5, 6, 7))

    def test_what_comes_nowhere_near_is_left_out(self) -> None:
        far = arm_machine(rail=False, shaped=False)
        program = HEAD + "G0 X0 Y0 Z20 I0 J0 K1\n" + HOME
        result = rehearse(self.job(program, far), filmed=False)
        self.assertNotIn("clearance", verdict_dict(result)["operations"][0]["least"])


class BestStand(OnAnArm):
    """Where the work stands best, judged by the whole program."""

    PROGRAM = HEAD + "G0 X0 Y0 Z20 I0 J0 K1\nG1 Z-5 F600\nG1 X80\nG1 Z20\n" + HOME

    def far(self, **changes: Any) -> Job:
        machine = arm_machine(rail=False)
        machine["mounts"][1] |= {"at": [1500, 0, 500], "turn": [0, 0, 90]}
        return self.job(changes.pop("program", self.PROGRAM), machine, **changes)

    def test_work_out_of_reach_comes_nearer_until_all_of_it_is_reached(self) -> None:
        job = self.far()
        tried: dict[best_stand.Place, tuple[float, ...]] = {}
        stands = {}
        while new := best_stand.following(tried):
            for place in new:
                stands[place] = best_stand.judged(job, place)
                tried[place] = stands[place].rank
        best = max(tried, key=lambda place: tried[place])
        self.assertEqual((stands[0.0, 0.0].lacking, stands[best].lacking), (["T1"], []))
        self.assertLess(best[0], 0.0)
        self.assertEqual(best_stand.touched_at(job, best), [])
        aslant = self.far(program=self.PROGRAM.replace("G1 Z20", "G0 Z20"))  # out of the cut joint by joint
        self.assertEqual(best_stand.touched_at(aslant, best), ["T1"])
        self.assertLessEqual(len(tried), best_stand.MOST_TRIED)

    def test_the_work_and_its_offsets_go_together(self) -> None:
        """The shift is the machine's; the mount is turned by 90° about Z, so that X of the machine is −Y of the mount."""
        own = {"G54": {"datum": [0, 0, 40], "mount": "stand"}, "G55": {"datum": [1, 2, 3], "mount": "spindle"}}
        moved = best_stand.moved_to(self.far(work_offsets=own), (-100.0, 30.0))
        self.assertEqual(moved.file.bodies[0].at, (30.0, 100.0, 20.0))
        self.assertEqual([moved.file.work_offsets[name].datum for name in own], [(30.0, 100.0, 40.0), (1.0, 2.0, 3.0)])  # type: ignore[union-attr]
        fresh = copy.copy(moved)
        del fresh.__dict__["body_meshes"]
        for mesh, again in zip(moved.body_meshes["blank"], fresh.body_meshes["blank"], strict=True):
            np.testing.assert_allclose(mesh.triangles, again.triangles, atol=1e-9)

    def test_a_place_for_axis_values_moves_as_the_work_does(self) -> None:
        offset = {"G54": {"X": 1500.0, "Y": 0.0, "Z": 540.0}}
        judged = [
            best_stand.judged(self.far(work_offsets=how), (-250.0, 50.0)).least
            for how in ({"G54": {"datum": [0, 0, 40], "mount": "stand"}}, offset)
        ]
        for key in ("reach", "limit", "singular"):
            self.assertAlmostEqual(judged[0][key][0].amount, judged[1][key][0].amount, places=6)

    def test_an_operation_past_a_limit_or_near_a_singular_pose_is_lacking(self) -> None:
        for key, left, lacks in (
            ("limit", -0.1, True),
            ("limit", 0.1, False),
            ("singular", 14.0, True),
            ("singular", 16.0, False),
        ):
            job = self.far()
            with (
                mock.patch.object(best_stand, "check_program"),
                mock.patch.object(best_stand, "operations_reached") as told,
            ):
                told.return_value = [mock.Mock(reachable=True, least={key: best_stand.Least(left, 0)})]
                self.assertEqual(bool(best_stand.judged(job, (0.0, 0.0)).lacking), lacks, (key, left))

    def test_work_that_the_arm_carries_stands_nowhere(self) -> None:
        machine = arm_machine(rail=False)
        machine["mounts"][1]["link"] = "J6"
        with self.assertRaisesRegex(ValueError, "the arm carries the work"):
            best_stand.standing_on(self.job(self.PROGRAM, machine))

    def test_the_search_goes_around_the_best_and_ends(self) -> None:
        """A bowl whose bottom is known: the search ends within half its last step of it."""
        bottom = np.array([130.0, -70.0])
        tried: dict[best_stand.Place, tuple[float, ...]] = {}
        while new := best_stand.following(tried):
            for place in new:
                tried[place] = best_stand.rank(place, 0, 1.0 - float(np.hypot(*(np.array(place) - bottom))) / 1000.0)
        best = max(tried, key=lambda place: tried[place])
        self.assertLessEqual(float(np.abs(np.array(best) - bottom).max()), best_stand.STEPS_MM[-1] / 2)


class RandomJobs(OnAnArm):
    def test_random_poses_are_taken_as_the_contract_says(self) -> None:
        """Reference: all roots of the pose built by hand, their posture, every whole turn within travel, the nearest by the contract's measure."""
        rng = np.random.default_rng(1)
        for n in range(24):
            machine = arm_machine((SPHERICAL, LEANING)[n % 2], rail=False, shaped=False)
            for mount in machine["mounts"]:
                mount["turn"] = rng.uniform(-180, 180, 3).tolist()
            tip, d = np.round(rng.uniform([-1500, -900, -400], [700, 900, 900]), 4), np.round(rng.normal(size=3), 6)
            spin = float(rng.uniform(-180, 180))
            wanted = {key: str(rng.choice(names)) for key, names in NAMES_OF.items() if rng.random() < 0.3}
            program = (
                HEAD + "G0 " + " ".join(f"{a}{v:.6f}" for a, v in zip("XYZIJK", [*tip, *d], strict=True)) + "\nM30\n"
            )
            posture = [{"program": "P1.nc", "first": 1, "last": 9, "spin": spin, **wanted}]
            strand = check_program(self.job(program, machine, bodies=[], postures=posture)).strands[0]
            check_travel(strand)
            told = sorted({item.kind for item in strand.docket if item.kind.startswith("travel")})
            assert strand.settled
            arm, chain, zero = strand.settled.arms.of(1), strand.chain, np.zeros((1, 6))
            d = d / np.linalg.norm(d)
            x = np.array([1.0, 0, 0]) if np.hypot(d[1], d[2]) >= np.sin(np.radians(1)) else np.array([0, 1.0, 0])
            x = x - (x @ d) * d
            x = Rotation.from_rotvec(d * np.radians(spin)).apply(x / np.linalg.norm(x))
            pose = np.eye(4)
            pose[:3, 0], pose[:3, 1], pose[:3, 2] = x, np.cross(d, x), d
            pose[:3, 3] = (chain.mount_pose(chain.mounts["stand"], zero)[0] @ [0, 0, 40, 1])[:3] + tip + 105 * d
            found, there = arm.roots(arm.wanted(pose[None], zero))
            own = arm.describe(found[0])
            is_so = {
                "back": own.back,
                "down": own.down,
                "minus": own.minus,
                "front": ~own.back,
                "up": ~own.down,
                "plus": ~own.minus,
            }
            fits = there[0] & np.all([np.ones(8, bool), *(is_so[value] for value in wanted.values())], axis=0)
            now, end = strand.reel.motions.end[0], strand.reel.motions.end[1]
            near = []
            for q in found[0][fits]:
                options = [
                    [v for v in (a - 360, a, a + 360) if low <= v <= high]
                    for a, (low, high) in zip(q, arm.limits, strict=True)
                ]
                if all(options):
                    near.append(
                        max(
                            min(abs(v - m) for v in own_) / r
                            for own_, m, r in zip(options, now, arm.rapid, strict=True)
                        )
                    )
            self.assertEqual(told, ["travel.reach"] if not fits.any() else [] if near else ["travel.over"], (n, wanted))
            if near:
                self.assertAlmostEqual(float((np.abs(end - now) / arm.rapid).max()), min(near), places=6)


class Racked(OnAnArm):
    """A tool that hangs in a rack beside the arm, taken and left there."""

    POSE = "G56 G43.5 H0\nG0 X0 Y0 Z140 I0 J0 K1\nG0 Z0\n"
    AWAY = "G0 Z140\nG0 J1=0\nM30\n"

    def machine(self) -> dict[str, Any]:
        machine = arm_machine()
        machine["links"].append(
            {
                "name": "rack",
                "parent": "floor",
                "shapes": [{"type": "box", "size": [30, 300, 300], "at": [500, -700, 350]}],
            }
        )
        machine["mounts"] += [
            {"name": f"place {n}", "link": "rack", "at": [580, -700 + 120 * n, 500], "takes": "rack"} for n in (0, 1)
        ]
        return machine

    def racked(self, program: str, **changes: Any) -> Rehearsal:
        offsets = {f"G5{6 + n}": {"datum": [0, 0, 0], "mount": f"place {n}"} for n in (0, 1)}
        self.job(program, self.machine(), work_offsets=offsets, bodies=[], **changes)
        tools = json.loads((self.folder / "tools.json").read_text())
        for tool in tools["tools"]:
            tool["rack"] = f"place {tool['number'] - 1}"
        (self.folder / "tools.json").write_text(json.dumps(tools))
        return rehearse(open_job(self.folder), filmed=False)

    def test_taken_at_its_place_and_left_there(self) -> None:
        program = "G21 G90\n" + self.POSE + "T1 M6\nG0 Z140\nG0 Z0\nT0 M6\n" + self.AWAY
        self.assertEqual(self.kinds(self.racked(program)), [])

    def test_elsewhere_it_is_told_and_so_is_a_second_one(self) -> None:
        told = self.racked("G21 G90\n" + self.POSE.replace("G0 Z0", "G0 Z20") + "T1 M6\n" + self.AWAY).findings
        self.assertEqual(
            [(item.kind, item.line, round(item.amount, 6)) for item in told if item.kind == "program.tool"],
            [("program.tool", 5, 20.0)],
        )
        told = self.racked("G21 G90\n" + self.POSE + "T1 M6\nT2 M6\n" + self.AWAY).findings
        self.assertIn(("program.tool", 6), [(item.kind, item.line) for item in told])

    def test_what_hangs_there_is_in_the_way_until_it_is_taken(self) -> None:
        """The spindle passes where T2 hangs: it touches it, unless it has taken it along."""
        aside = "G21 G90\n" + self.POSE + "T1 M6\nG0 Z140\nG0 Y120\nG0 Z20\n" + self.AWAY
        met = [item.bodies for item in self.racked(aside).findings if item.kind == "contact.body"]
        self.assertTrue(any("T2 holder in place 1" in bodies for bodies in met), met)
        taken = aside.replace("G0 Y120\nG0 Z20\n", "G0 Z0\nT0 M6\nG0 Z140\nG0 Y120\nG0 Z0\nT2 M6\nG0 Z140\nG0 Y0\n")
        self.assertEqual(
            [
                item.kind
                for item in self.racked(taken).findings
                if item.kind == "contact.body" and "T2 holder in place 1" in item.bodies
            ],
            [],
        )

    def test_a_rack_that_there_is_not_is_said(self) -> None:
        self.job(SLOT)
        tools = json.loads((self.folder / "tools.json").read_text())
        tools["tools"][0]["rack"] = "shelf"
        (self.folder / "tools.json").write_text(json.dumps(tools))
        with self.assertRaisesRegex(JobUnreadable, "no rack mount 'shelf'"):
            open_job(self.folder)


class Roominess(unittest.TestCase):
    def test_the_least_room_is_that_of_the_nearest_pair(self) -> None:
        """Against the distance of every pair by itself (`Follower.clearance`, held against a library in the tests of contact)."""
        result = rehearsed(SHOP / "float-shell" / REVISIONS[0])
        tools = {number: tool for number, tool in result.tools.items() if number}
        room = Room(result.job, result.chain, tools, set(tools), tuple(JOINTS))
        values = np.tile(result.values[:1], (60, 1))
        columns = [result.chain.axes.index(joint) for joint in JOINTS]
        values[:, columns] += np.random.default_rng(3).uniform(-140, 140, (60, 6))
        tool = next(iter(tools))
        least = room.least(values, tool)
        plain = np.full(len(values), ENOUGH_MM)
        for pair in room.pairs:
            if pair.tool in (0, tool) and not (pair.resting and pair.resting == tool):
                plain = np.minimum(
                    plain, [room._follower.clearance(pair.a, pair.b, pose) for pose in pair.screws.poses(values)]
                )
        self.assertTrue(
            0 < (plain <= 0).sum() < 60 and ((plain > 0) & (plain < ENOUGH_MM)).any(), "touching, near and free"
        )
        np.testing.assert_allclose(np.maximum(least, 0.0), np.maximum(plain, 0.0), atol=1e-9)


if __name__ == "__main__":
    unittest.main()
