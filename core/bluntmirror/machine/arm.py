"""An arm: six rotary joints in a row that together bring a tool to a pose over the work, or the work to a tool.

pose      of the tool's mount over the work, both given with every joint at zero: the directions are the machine's, the place a point
          of the machine's frame then; it rides with the work
outside   the joints between work and tool that are not the arm's: a rail, a turntable. Where they stand is given, not solved for
root      one of up to eight ways to reach a pose, the same along a way that passes no singular pose (`arm_kernel`)
posture   what a person calls it: shoulder front or back, elbow up or down, wrist plus or minus
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import for_rows
from ..geometry.frames import Floats, inverse, rotation_about
from ..job.models import Mount
from .arm_kernel import ROOTS, describe_all, improve_all, solve_all, solve_one
from .chain import Chain
from .chain_kernel import AXIS, PX, TURNS, UX
from .screws import Screws, between_mounts

MEET_MM = 1e-6  # axes that pass nearer meet
PARALLEL = 1e-9  # sine of an angle
SAME_DEG = 1e-4  # solutions nearer than this are one
SEEDS = 48  # from which all solutions of an arm without a closed form are looked for

Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Described:
    """Of n poses: back, down, minus (n,): the posture; wrist and rest (n,): degrees from a singular pose."""

    back: Bools
    down: Bools
    minus: Bools
    wrist: Floats
    rest: Floats

    @property
    def singular(self) -> Floats:
        return np.minimum(self.wrist, self.rest)


class Arm:
    """The six `joints`, in the chain's order, between a tool's mount and the work's. Values of joints (n, 6) in that order, of all axes
    (n, k) in the chain's."""

    def __init__(self, chain: Chain, tool: Mount, work: Mount, joints: Sequence[str]) -> None:
        """Raises ValueError where they are not the last six between the two, or not all rotary."""
        self.joints = tuple(joints)
        zero = np.zeros((1, len(chain.axes)))
        self.carries_tool = any(step.joint and step.joint.axis == joints[-1] for step in chain.path_to(tool.link))
        base, end = (work, tool) if self.carries_tool else (tool, work)
        self.screws: Screws = between_mounts(chain, base, end)
        names = [chain.axes[int(row[AXIS])] for row in self.screws.rows]
        if tuple(names[-6:]) != self.joints:
            raise ValueError(
                f"the arm's joints must be the last six from the {'work' if self.carries_tool else 'tool'} to what it carries, in "
                f"their order; those are {', '.join(names[-6:]) or 'none'}"
            )
        rows = self.screws.rows[-6:]
        if not (rows[:, TURNS] == 1.0).all():
            raise ValueError("the arm's joints must be rotary")
        self.columns = [chain.axes.index(name) for name in self.joints]
        self.outside = tuple(names[:-6])
        self._outside = Screws(self.screws.rows[:-6], np.ascontiguousarray(np.eye(4)[:3]), self.screws.sides[:-6])
        self._work = chain.mount_pose(work, zero)[0]
        self._base = chain.mount_pose(base, zero)[0]
        home = np.vstack([self.screws.home, [0.0, 0.0, 0.0, 1.0]])
        self._home_back = inverse(home)
        self.geometry, self.closed = _geometry(rows, home, self._base[:3, :3].T @ [0.0, 0.0, 1.0])
        self.scale = float(np.ptp(np.vstack([self.geometry[6:12], home[None, :3, 3]]), axis=0).max()) or 1.0
        self.limits = np.array([chain.joints[name].travel or (-np.inf, np.inf) for name in self.joints])
        self.rapid = np.array([chain.joints[name].rapid / 60.0 for name in self.joints])  # degrees/s

    # --- poses ----------------------------------------------------------------------------------------------------------

    def poses(self, values: Floats) -> Floats:
        """Poses (n, 4, 4) of the tool's mount for values of all axes (n, k)."""
        found = self.screws.poses(values)
        if not self.carries_tool:
            found = inverse(found)
        return np.asarray(self._work @ found)

    def wanted(self, poses: Floats, values: Floats) -> Floats:
        """What e₁ … e₆ have to be (n, 3, 4) for poses (n, 4, 4), with the outside joints as in values (n, k)."""
        target = inverse(self._work) @ poses
        if not self.carries_tool:
            target = inverse(target)
        if len(self._outside.rows):
            target = inverse(self._outside.poses(values)) @ target
        return np.ascontiguousarray((target @ self._home_back)[:, :3])

    def around(self, poses: Floats, values: Floats) -> tuple[Floats, Floats, float]:
        """`wanted` for poses turned about their own Z: left and right (n, 3, 4) and the sense (1, −1) of the turn between them."""
        left = (
            np.broadcast_to(np.eye(4), poses.shape)
            if not len(self._outside.rows)
            else inverse(self._outside.poses(values))
        )
        if self.carries_tool:
            left, right = left @ inverse(self._work) @ poses, np.broadcast_to(self._home_back, poses.shape)
        else:
            right = inverse(poses) @ self._work @ self._home_back
        return np.ascontiguousarray(left[:, :3]), np.ascontiguousarray(right[:, :3]), 1.0 if self.carries_tool else -1.0

    # --- solutions ------------------------------------------------------------------------------------------------------

    def roots(self, wanted: Floats, fourth: Floats | None = None) -> tuple[Floats, Bools]:
        """Joint values (n, 8, 6), degrees in (−180, 180], by root, and which there are (n, 8)."""
        n = len(wanted)
        found, there = np.zeros((n, ROOTS, 6)), np.zeros((n, ROOTS), np.bool_)
        for_rows(8 * n)
        solve_all(self.geometry, wanted, np.zeros(n) if fourth is None else fourth, found, there)
        if not self.closed:
            for i in range(n):
                found[i], there[i] = self._all_of(wanted[i], found[i][there[i]])
        return found, there

    def root(self, wanted: Floats, root: int, near: Floats) -> tuple[Floats, Bools]:
        """One root (n, 6) of every pose, and whether it is there (n,). `near` (n, 6): values near by, where an arm without a closed form
        begins, and for the fourth joint where any value would do."""
        n = len(wanted)
        there = np.zeros(n, np.bool_)
        if self.closed:
            found = np.zeros((n, 6))
            for_rows(n)
            solve_one(self.geometry, wanted, root, np.ascontiguousarray(near[:, 3]), found, there)
            return found, there
        found = np.array(near, float)
        for_rows(4 * n)
        improve_all(self.geometry, wanted, self.scale, found, there)
        found = _wrapped(found)
        return found, there & (self.root_of(found) == root)

    def root_of(self, q: Floats) -> NDArray[np.int64]:
        """Which root joint values (n, 6) are: of a closed form the one that gives them back, else the posture's number."""
        if not self.closed:
            told = self.describe(q)
            return 4 * told.back.astype(np.int64) + 2 * told.down + told.minus
        wanted = self.turned(q)
        found, there = self.roots(wanted, np.ascontiguousarray(q[:, 3]))
        apart = np.abs((found - q[:, None] + 180.0) % 360.0 - 180.0).max(axis=2)
        return np.asarray(np.argmin(np.where(there, apart, np.inf), axis=1))

    def turned(self, q: Floats) -> Floats:
        """e₁ … e₆ (n, 3, 4) for joint values (n, 6)."""
        result = np.broadcast_to(np.eye(4), (len(q), 4, 4)).copy()
        for s in range(6):
            step = np.broadcast_to(np.eye(4), (len(q), 4, 4)).copy()
            step[:, :3, :3] = rotation_about(self.geometry[s], q[:, s])
            point = self.geometry[6 + s]
            step[:, :3, 3] = point - step[:, :3, :3] @ point
            result = result @ step
        return np.ascontiguousarray(result[:, :3])

    def reach_left(self, wanted: Floats) -> Floats:
        """How far the wrist centre (n,) stands within what upper arm and forearm reach stretched, and what they can fold to, mm; negative
        where that lies beyond."""
        o1, o2, o3, p = (self.geometry[i] for i in (6, 7, 8, 15))
        u1, u2 = self.geometry[0], self.geometry[1]
        at = np.einsum("nij,j->ni", wanted[:, :, :3], p) + wanted[:, :, 3] - o1
        height = at @ u1
        across = float(u2 @ (p - o1))
        out = np.sqrt(np.maximum(np.einsum("ni,ni->n", at, at) - height**2 - across**2, 0.0))
        upper, fore = (float(np.linalg.norm(v - (v @ u2) * u2)) for v in (o3 - o2, p - o3))
        ahead = float(np.linalg.norm(np.cross(u1, o2 - o1 - (u2 @ (o2 - o1)) * u2)))
        rise = float(u1 @ (o2 - o1))
        # The first joint can turn the second axis towards the wrist centre or away from it: `ahead` of the first axis or behind.
        spans = np.stack([np.hypot(out - ahead, height - rise), np.hypot(out + ahead, height - rise)])
        return np.asarray(np.minimum(upper + fore - spans, spans - abs(upper - fore)).max(axis=0))

    def describe(self, q: Floats) -> Described:
        """Posture and distance from singular poses of joint values (n, 6)."""
        told = np.zeros((len(q), 5))
        for_rows(len(q))
        describe_all(self.geometry, np.ascontiguousarray(q, np.float64), told)
        return Described(told[:, 0] > 0, told[:, 1] > 0, told[:, 2] > 0, told[:, 3], told[:, 4])

    def _all_of(self, wanted: Floats, near: Floats) -> tuple[Floats, Bools]:
        """All solutions of one pose of an arm without a closed form, by posture: Newton's method from many places. Of two of one posture
        the one nearer to zero."""
        low, high = (
            np.where(np.isfinite(side), side, sign * 180.0) for side, sign in zip(self.limits.T, (-1, 1), strict=True)
        )
        seeds = np.vstack([near.reshape(-1, 6), low + _halton(SEEDS, 6) * (high - low)])
        there = np.zeros(len(seeds), np.bool_)
        for_rows(4 * len(seeds))
        improve_all(self.geometry, np.repeat(wanted[None], len(seeds), axis=0), self.scale, seeds, there)
        found, known = np.zeros((ROOTS, 6)), np.zeros(ROOTS, np.bool_)
        good = _wrapped(seeds[there])
        for q, root in zip(good, self.root_of(good).tolist() if len(good) else [], strict=True):
            if not known[root] or np.abs(q).max() < np.abs(found[root]).max() - SAME_DEG:
                found[root], known[root] = q, True
        return found, known


def tool_pose(tip: Floats, direction: Floats, x: Floats, length: Floats) -> Floats:
    """Poses (n, 4, 4) of the tool's mount: tip (n, 3), unit direction from tip to gauge point (n, 3), its x (n, 3) square to that,
    length (n,) mm."""
    poses = np.broadcast_to(np.eye(4), (len(tip), 4, 4)).copy()
    poses[:, :3, 0], poses[:, :3, 1], poses[:, :3, 2] = x, np.cross(direction, x), direction
    poses[:, :3, 3] = tip + length[:, None] * direction
    return poses


def spun(poses: Floats, spin: Floats) -> Floats:
    """Poses (n, 4, 4) turned about their own Z by spin (n,), degrees."""
    angle = np.radians(spin)[:, None]
    result = poses.copy()
    result[:, :3, 0] = np.cos(angle) * poses[:, :3, 0] + np.sin(angle) * poses[:, :3, 1]
    result[:, :3, 1] = np.cos(angle) * poses[:, :3, 1] - np.sin(angle) * poses[:, :3, 0]
    return result


def spin_zero(d: Floats) -> Floats:
    """Where spin counts from (n, 3), for unit directions (n, 3): the projection of X; within 1° of ±X, of Y."""
    along = np.hypot(d[:, 1], d[:, 2]) < np.sin(np.radians(1.0))
    axis = np.where(along[:, None], [0.0, 1.0, 0.0], [1.0, 0.0, 0.0])
    x = axis - np.einsum("ni,ni->n", axis, d)[:, None] * d
    return np.asarray(x / np.linalg.norm(x, axis=1)[:, None])


def spin_of(poses: Floats) -> Floats:
    """The spin (n,) of poses, degrees in (−180, 180]."""
    d, x = poses[:, :3, 2], poses[:, :3, 0]
    zero = spin_zero(d)
    return np.degrees(np.arctan2(np.einsum("ni,ni->n", x, np.cross(d, zero)), np.einsum("ni,ni->n", x, zero)))


def carried(x: Floats, before: Floats, after: Floats) -> Floats:
    """x (n, 3), square to unit directions `before` (n, 3), turned along with them to `after` by the shortest way."""
    dot = np.einsum("ni,ni->n", before, after)
    share = np.einsum("ni,ni->n", x, after) / np.maximum(1.0 + dot, 1e-12)
    turned = x - share[:, None] * (before + after)
    turned[dot < -1.0 + 1e-9] = spin_zero(after[dot < -1.0 + 1e-9])  # right round: there is no shortest way
    return np.asarray(turned / np.linalg.norm(turned, axis=1)[:, None])


def _wrapped(q: Floats) -> Floats:
    return np.asarray(-((180.0 - q) % 360.0 - 180.0))


def _halton(count: int, dimensions: int) -> Floats:
    """Points that fill a cube evenly, always the same (Halton's sequence)."""
    result = np.empty((count, dimensions))
    for j, base in enumerate((2, 3, 5, 7, 11, 13)[:dimensions]):
        for i in range(count):
            value, share, left = 0.0, 1.0, i + 1
            while left:
                share /= base
                value += share * (left % base)
                left //= base
            result[i, j] = value
    return result


def _geometry(rows: Floats, home: Floats, up: Floats) -> tuple[Floats, bool]:
    """Six screws as `arm_kernel` takes them, and whether the closed form holds."""
    u, o = rows[:, UX : UX + 3].copy(), rows[:, PX : PX + 3].copy()
    size = float(np.ptp(np.vstack([o, home[None, :3, 3]]), axis=0).max()) or 1.0
    centre, apart = _meeting(u[3:], o[3:])
    parallel = float(np.linalg.norm(np.cross(u[1], u[2]))) < PARALLEL
    closed = parallel and apart < MEET_MM * max(1.0, size / 1000.0) and np.linalg.norm(np.cross(u[3], u[4])) > PARALLEL
    if abs(float(u[0] @ u[1])) > 1.0 - PARALLEL:
        closed = False  # then the first joint moves nothing along the second axis
    if closed:
        o[3:] = centre
    else:  # what is near to a wrist centre: on the fifth axis, nearest to the fourth
        centre = _nearest(u[4], o[4], u[3], o[3])
    geometry = np.zeros((16, 3))
    geometry[:6], geometry[6:12], geometry[12], geometry[15] = u, o, up, centre
    front = np.cross(u[1], u[0])
    if np.linalg.norm(front) > PARALLEL:
        front /= np.linalg.norm(front)
        ahead = next((float(front @ (p - o[0])) for p in (centre, o[1]) if abs(front @ (p - o[0])) > 1e-6 * size), 1.0)
        geometry[13] = front if ahead > 0 else -front
    geometry[14, 0] = _aligned(u[3], u[4], u[5])
    return geometry, bool(closed)


def _meeting(u: Floats, o: Floats) -> tuple[Floats, float]:
    """The point nearest to several axes, and how far the farthest of them passes it."""
    matrix, right = np.zeros((3, 3)), np.zeros(3)
    for direction, point in zip(u, o, strict=True):
        square = np.eye(3) - np.outer(direction, direction)
        matrix += square
        right += square @ point
    centre = np.asarray(np.linalg.lstsq(matrix, right, rcond=None)[0], np.float64)
    off = [np.linalg.norm(np.cross(direction, centre - point)) for direction, point in zip(u, o, strict=True)]
    return centre, float(max(off))


def _nearest(u: Floats, o: Floats, v: Floats, p: Floats) -> Floats:
    """The point of the axis u through o nearest to the axis v through p."""
    between = float(u @ v)
    square = 1.0 - between * between
    if square < PARALLEL:
        return o
    apart = p - o
    return np.asarray(o + (float(apart @ u) - between * float(apart @ v)) / square * u)


def _aligned(u4: Floats, u5: Floats, u6: Floats) -> float:
    """The value of the fifth joint, nearest to zero, at which fourth and sixth axis are parallel (or as near as they come)."""
    a, b = u6 - (u5 @ u6) * u5, u4 - (u5 @ u4) * u5
    if np.linalg.norm(a) < PARALLEL or np.linalg.norm(b) < PARALLEL:
        return 0.0
    angle = float(np.degrees(np.arctan2(u5 @ np.cross(a, b), a @ b)))
    return (
        min(((angle + 180.0 * k + 180.0) % 360.0 - 180.0 for k in (0, 1)), key=lambda value: (abs(value), value)) + 0.0
    )
