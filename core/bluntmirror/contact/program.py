"""Every pair of bodies followed over the whole program; touches and near misses become findings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..findings import Docket, causes
from ..geometry.box_tree import BoxTree, box_tree
from ..geometry.frames import Floats
from ..geometry.mesh import joined
from ..machine import Chain
from ..timeline.reel import Knots, Reel
from .bodies import Body, closest_points, parting_shift
from .clearance_kernel import advance, clearance

DEPTH_SAMPLES = 24


@dataclass(frozen=True)
class Margin:
    """The least clearance of a pair (to 5 % below 10 mm, to half above), and the motion it was met in (−1: the pair never came near enough to ask)."""

    a: str
    b: str
    clearance: float
    motion: int


def pairs_of(bodies: list[Body], chain: Chain, ignore: list[tuple[str, str]]) -> list[tuple[Body, Body]]:
    """The pairs to check: all but those that cannot move against each other, that share a joint, or that are ignored."""
    let_be = {frozenset(pair) for pair in ignore}
    pairs = []
    for i, a in enumerate(bodies):
        for b in bodies[i + 1 :]:
            if a.tool and b.tool:
                continue
            if not chain.moves_against(a.link, b.link):
                continue
            machine_parts = a.name == a.link and b.name == b.link
            if machine_parts and chain.adjoining(a.link, b.link):
                continue
            if let_be & {frozenset((x, y)) for x in (a.name, a.label) for y in (b.name, b.label)}:
                continue
            pairs.append((a, b))
    return pairs


@dataclass(frozen=True)
class Followed:
    """A pair followed over m segments; see `clearance_kernel.advance` for hit, share and closest."""

    shifts: Floats  # (m + 1, 3): b's link seen from a's
    a_at: Floats  # (m + 1, 3): a's link in the machine's frame
    hit: np.ndarray
    share: Floats
    closest: Floats
    margin: Margin


class Follower:
    """Follows pairs over a program; trees and positions are made once. The chain's joints must be linear."""

    def __init__(self, reel: Reel, knots: Knots, chain: Chain) -> None:
        self.knots, self.chain = knots, chain
        self.tool_of = reel.motions.tool[knots.motion] if len(knots.motion) else np.zeros(0, np.int32)
        self.trees: dict[str, BoxTree] = {}
        self.positions: dict[str, Floats] = {}

    def follow(self, a: Body, b: Body, near: float) -> Followed:
        for body in (a, b):
            if body.label not in self.trees:
                self.trees[body.label] = box_tree(joined(body.solids))
            if body.link not in self.positions:
                self.positions[body.link] = self.chain.pose(body.link, self.knots.at)[:, :3, 3]
        shifts = np.ascontiguousarray(self.positions[b.link] - self.positions[a.link])
        tool = a.tool or b.tool
        active = (self.tool_of == tool) if tool else np.ones(len(self.tool_of), np.bool_)
        m = len(active)
        hit, share, closest = np.zeros(m, np.int8), np.zeros(m), np.full(m, np.inf)
        ta, tb = self.trees[a.label], self.trees[b.label]
        margin, where = advance(
            ta.triangles, ta.boxes, ta.nodes, tb.triangles, tb.boxes, tb.nodes, shifts, active, near, np.inf, hit,
            share, closest,
        )  # fmt: skip
        motion = int(self.knots.motion[where]) if where >= 0 else -1
        return Followed(
            shifts, self.positions[a.link], hit, share, closest, Margin(a.label, b.label, float(margin), motion)
        )

    def nearest(self, a: Body, b: Body, shift: Floats, a_at: Floats) -> tuple[float, float, float]:
        """Where two bodies touch or come nearest, in the machine's frame: the middle of their closest points."""
        ta, tb = self.trees[a.label], self.trees[b.label]
        pair, stack = np.zeros(2, np.int64), np.empty((256, 2), np.int64)
        clearance(ta.triangles, ta.boxes, ta.nodes, tb.triangles, tb.boxes, tb.nodes, shift, pair, stack)
        one, other = closest_points(ta.triangles[pair[0]], tb.triangles[pair[1]] + shift)
        x, y, z = 0.5 * (one + other) + a_at
        return float(x), float(y), float(z)


def check_contacts(
    reel: Reel, knots: Knots, chain: Chain, pairs: list[tuple[Body, Body]], near: float, docket: Docket, channel: int,
    tick: Callable[[float], None] | None = None,
) -> list[Margin]:  # fmt: skip
    """Follow every pair; the chain's joints must be linear. Returns the margins."""
    follower = Follower(reel, knots, chain)
    margins = []
    # The parts of one tool against the same body have one cause: they are told together.
    groups: dict[tuple[str, str], list[tuple[Body, Body, Followed]]] = {}
    for number, (a, b) in enumerate(pairs):
        if b.tool:
            a, b = b, a
        seen = follower.follow(a, b, near)
        margins.append(seen.margin)
        if seen.hit.any():
            groups.setdefault((f"T{a.tool}" if a.tool else a.label, b.label), []).append((a, b, seen))
        if tick:
            tick((number + 1) / len(pairs))
    for group in groups.values():
        _report(follower, reel, group, near, docket, channel)
    return margins


def _report(
    follower: Follower, reel: Reel, group: list[tuple[Body, Body, Followed]], near: float, docket: Docket, channel: int
) -> None:
    """One finding for each cause; a touch swallows the near misses around it. `group`: bodies a against one body b."""
    hit = np.max([seen.hit for _, _, seen in group], axis=0)
    closest = np.min([seen.closest for _, _, seen in group], axis=0)
    touched = np.flatnonzero(hit)
    motions, knots, other = reel.motions, follower.knots, group[0][1]
    motion_of = knots.motion[touched]
    amount = np.where(
        hit[touched] == 2, near + 1.0, near - closest[touched]
    )  # a touch is told as one, not as a near miss
    for rows in causes(motion_of, motions.operation[motion_of], amount, whole_operation=True):
        run = touched[rows]
        level = int(hit[run].max())
        # The part that is first to touch (or come near) tells where and when.
        parts = [(a, seen, run[seen.hit[run] == level]) for a, _, seen in group if (seen.hit[run] == level).any()]
        parts.sort(key=lambda part: (int(part[2][0]), float(part[1].share[part[2][0]])))
        a, seen, segments = parts[0]
        first = int(segments[0])
        motion = int(knots.motion[first])
        moment = knots.t0[first] + seen.share[first] * (knots.t1[first] - knots.t0[first])
        shift, a_at = (
            way[first] + seen.share[first] * (way[first + 1] - way[first]) for way in (seen.shifts, seen.a_at)
        )
        names = [part.label for part, _, _ in parts]
        met = run[hit[run] == level]
        common: dict[str, Any] = {
            "channel": channel, "program": motions.file_name(motion), "line": int(motions.line[motion]),
            "time": float(moment), "tool": int(motions.tool[motion]), "bodies": (*names, other.label), "motion": motion,
            "last_motion": int(knots.motion[run[-1]]), "count": len(np.unique(knots.motion[met])),
            "point": follower.nearest(a, other, shift, a_at),
        }  # fmt: skip
        if level == 2:
            depth = max(_depth(part, other, followed, at) for part, followed, at in parts)
            docket.add(
                "contact.body", f"{_listed(names)} into {other.label}, {depth:.2f} mm deep", amount=depth, **common
            )
        else:
            least = float(closest[run].min())
            docket.add("contact.near", f"{names[0]} passes {other.label} with {least:.2f} mm left; {near:g} mm are asked for",
                       amount=near - least, **common)  # fmt: skip


def _listed(names: list[str]) -> str:
    return f"{names[0]} runs" if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]} run"


def _depth(a: Body, b: Body, seen: Followed, segments: np.ndarray) -> float:
    """The deepest that a stands in b over some segments, by poses spread over them."""
    depth = 0.0
    chosen = segments[:: max(1, len(segments) // DEPTH_SAMPLES)]
    for segment in chosen:
        for share in np.linspace(0.0, 1.0, max(2, DEPTH_SAMPLES // min(len(chosen), DEPTH_SAMPLES) + 1)):
            shift = seen.shifts[segment] + share * (seen.shifts[segment + 1] - seen.shifts[segment])
            depth = max(depth, parting_shift(a.solids, b.solids, shift))
    return depth
