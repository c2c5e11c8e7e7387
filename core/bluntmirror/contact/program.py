"""Every pair of bodies followed over the whole program; touches and near misses become findings."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..compiled import compile_kernels, thread_count
from ..findings import Docket, causes
from ..geometry.box_tree import BoxTree, box_tree
from ..geometry.frames import Floats, apply, rotation_about
from ..geometry.mesh import joined
from ..job.models import PairRule
from ..machine import Chain
from ..machine.chain_kernel import AXIS, TURNS, UX, UY, UZ
from ..machine.screws import Screws, between
from ..timeline.reel import Knots, Reel
from ..timeline.steps import Standing
from .bodies import NO_PIECES, Body, closest_points, convex_pieces, parting_shift
from .convex_kernel import Pieces
from .march_kernel import CONVEX, SLID, TURNED, Seen, Triangles, Way, march
from .turning_kernel import turned_clearance

DEPTH_SAMPLES = 24
STRETCH, MOST_STRETCHES = 8192, 32  # segments; how many of them a program is followed in


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
            if a.tool and b.tool and not (a.tool != b.tool and chain.moves_against(a.link, b.link)):
                continue  # in one spindle one after the other, or fixed to one turret
            if a.while_work and b.while_work and a.spindle == b.spindle:
                # On one spindle: they turn together, so what they are counts, whether it turns or not.
                if a.while_work == b.while_work == "still" and chain.moves_against(a.link, b.link):
                    a_, b_ = (replace(body, while_work="", variant="together") for body in (a, b))
                    if not _let_be(a_, b_, chain, let_be):
                        pairs.append((a_, b_))
                continue
            if not chain.moves_against(a.link, b.link):
                continue
            if _let_be(a, b, chain, let_be):
                continue
            pairs.append((a, b))
    return pairs


def _let_be(a: Body, b: Body, chain: Chain, let_be: set[frozenset[str]]) -> bool:
    """Whether two bodies may touch: parts of the machine that share a joint, and what the machine file says."""
    if a.name == a.link and b.name == b.link and chain.adjoining(a.link, b.link):
        return True
    return bool(let_be & {frozenset((x, y)) for x in (a.name, a.label) for y in (b.name, b.label)})


NO_TRIANGLES = Triangles(np.zeros((0, 3, 3)), np.zeros((0, 6)), np.zeros((0, 2), np.int64))


def triangles_of(tree: BoxTree) -> Triangles:
    return Triangles(tree.triangles, tree.boxes, tree.nodes)


def sliding(shifts: Floats, active: np.ndarray) -> Way:
    """A way on which nothing turns: b's shifts (m + 1, 3) from a."""
    return Way(np.zeros((len(shifts), 0)), np.zeros((0, 8)), np.zeros((3, 4)), np.ascontiguousarray(shifts), 1, active)


@dataclass(frozen=True)
class Before:
    """What is known of a pair up to a segment: its margin and where that was met, and the segments that hit or came too near, with the
    columns of `march_kernel.Seen` there."""

    upto: int
    margin: float
    where: int
    rows: np.ndarray
    hit: np.ndarray
    share: Floats
    closest: Floats


@dataclass(frozen=True)
class Followed:
    """A pair followed over m segments; see `march_kernel.Seen` for hit, share and closest. `borders`: (segment, margin, where) as they
    stood where a stretch ended."""

    screws: Screws  # b's link seen from a's
    hit: np.ndarray
    share: Floats
    closest: Floats
    margin: Margin
    borders: tuple[tuple[int, float, int], ...] = ()

    def before(self, number: int) -> Before:
        """What was known at a border."""
        upto, margin, where = self.borders[number]
        rows = np.flatnonzero(self.hit[:upto])
        return Before(upto, margin, where, rows, self.hit[rows], self.share[rows], self.closest[rows])


class Follower:
    """Follows pairs over a program; trees are made once."""

    def __init__(
        self, knots: Knots, values: Floats, chain: Chain, standing: Standing, owned: list[list[int]] | None = None
    ) -> None:
        """`values` (m + 1, k): every axis of the chain at the knots; `owned`: the columns of every lane's axes."""
        compile_kernels()
        self.knots, self.chain, self.standing = knots, chain, standing
        self.values = np.ascontiguousarray(values, dtype=np.float64)
        self.low, self.high = self.values.min(axis=0), self.values.max(axis=0)
        self.trees: dict[object, BoxTree] = {}
        self.convex: dict[tuple[str, str], Pieces | None] = {}
        self.reaches: dict[tuple[tuple[str, str], int], float] = {}
        self.owned = owned or [list(range(len(chain.axes)))]  # of every lane: the columns of its axes
        self.leads: dict[tuple[tuple[str, str], tuple[str, str]], np.ndarray] = {}

    def moved(self) -> None:
        """Axis values have been changed: what was worked out from their ranges is forgotten."""
        self.low, self.high = self.values.min(axis=0), self.values.max(axis=0)
        self.reaches.clear()

    def tree(self, body: Body, turned: Floats | None = None) -> BoxTree:
        """The tree of a body in its link's frame, or turned (3, 3) about that frame's origin."""
        if turned is not None and np.array_equal(turned, np.eye(3)):
            turned = None
        key = body.key if turned is None else (body.key, turned.tobytes())
        if key not in self.trees:
            mesh = joined(body.solids)
            if turned is not None:
                pose = np.eye(4)
                pose[:3, :3] = turned
                mesh = mesh.moved(pose)
            self.trees[key] = box_tree(mesh)
        return self.trees[key]

    def pieces(self, body: Body) -> Pieces | None:
        if body.key not in self.convex:
            self.convex[body.key] = convex_pieces(body)
        return self.convex[body.key]

    @staticmethod
    def at_rest(values: Floats, chain: Chain) -> Follower:
        """Of a machine that stands: values (1, k) of every axis of the chain."""
        knots = Knots.through(np.repeat(values, 2, axis=0))
        return Follower(knots, knots.at, chain, Standing.with_tool(knots, 0))

    def there(self, body: Body) -> np.ndarray:
        """The segments (m,) in which a body is there."""
        tool = body.tool if body.tool and not body.always else None
        spins = (body.while_work == "spins") if body.while_work else None
        found = self.standing.holds(tool, body.phases, spins, body.spindle)
        if body.resting:
            found = found & ~self.standing.in_use(body.resting)
        return found if body.segments is None else found & body.segments

    def lead(self, a: Body, b: Body) -> np.ndarray:
        """For every segment (m,) the motion that a finding of a pair belongs to: that of a lane which moves one of them against the
        other then, a lane that carries the first body before others."""
        lanes = self.knots.lanes
        if lanes.shape[1] == 1:
            return self.knots.motion
        if (a.key, b.key) not in self.leads:
            columns = {int(row[AXIS]) for row in between(self.chain, a.link, b.link).rows}
            carries = [
                {
                    self.chain.axes.index(axis)
                    for step in self.chain.path_to(body.link)
                    if step.joint
                    for axis in step.joint.factors
                }
                for body in (a, b)
            ]
            lanes_of = [lane for own in carries for lane, owned in enumerate(self.owned) if own & set(owned)]
            order = list(dict.fromkeys([*lanes_of, *range(lanes.shape[1])]))
            found = self.knots.motion.copy()
            moved = np.zeros(len(found), np.bool_)
            for lane in order:
                mine = sorted(columns & set(self.owned[lane]))
                here = (lanes[:, lane] >= 0) & ~moved & (self.values[1:, mine] != self.values[:-1, mine]).any(axis=1)
                found[here] = lanes[here, lane]
                moved |= here
            # While neither moves, what brought them there still holds.
            last = np.maximum.accumulate(np.where(moved, np.arange(len(found)), -1))
            found = np.where(last >= 0, found[last], found)
            self.leads[a.key, b.key] = found
        return self.leads[a.key, b.key]

    def borders(self) -> list[int]:
        """Where stretches of a long program end: multiples of a power of two, so that one that grows a little has the same. Each stretch
        is followed from what those before it came to, and from nothing else."""
        count, step = len(self.knots.motion), STRETCH
        while count // step > MOST_STRETCHES:
            step *= 2
        return list(range(step, count, step))

    def follow(
        self, a: Body, b: Body, near: float, only: np.ndarray | None = None, before: Before | None = None
    ) -> Followed:
        """Follow a pair; `only` (m,): the segments to look at, where not all; `before`: what is known of it already."""
        screws = between(self.chain, a.link, b.link)
        active = self.there(a) & self.there(b)
        if only is not None:
            active &= only
        m = len(active)
        seen = Seen(np.zeros(m, np.int8), np.zeros(m), np.full(m, np.inf))
        at, margin, where = 0, np.inf, -1
        if before is not None:
            at, margin, where = before.upto, before.margin, before.where
            seen.hit[before.rows], seen.share[before.rows], seen.closest[before.rows] = (
                before.hit,
                before.share,
                before.closest,
            )
        how, shapes, way = self._set_out(screws, a, b, active)
        borders = []
        for end in [*(border for border in self.borders() if border > at), m]:
            margin, where = march(how, *shapes, way, near, seen, at, end, margin, where)
            borders.append((end, float(margin), int(where)))
            at = end
        motion = int(self.lead(a, b)[where]) if where >= 0 else -1
        return Followed(screws, *seen, Margin(a.label, b.label, float(margin), motion), tuple(borders))

    def _set_out(self, screws: Screws, a: Body, b: Body, active: np.ndarray) -> tuple[int, tuple[Any, ...], Way]:
        """How `march` has to ask of a pair, its shapes, and the way of b past a."""
        pa, pb = self.pieces(a), self.pieces(b)
        turned = None  # of b, where that can be done once
        if pa and pb:
            how = CONVEX
        elif any(self.high[axis] > self.low[axis] for axis in screws.turning):
            how = TURNED
        else:
            how = SLID
            turned = screws.poses(self.values[:1])[0, :3, :3]
        if how == SLID:
            way = sliding(screws.origins(self.values), active)
        else:
            way = Way(self.values, screws.rows, screws.home, *self.coordinates(screws, a, b), active)
        if pa and pb:
            return how, (NO_TRIANGLES, NO_TRIANGLES, pa, pb), way
        return how, (triangles_of(self.tree(a)), triangles_of(self.tree(b, turned)), NO_PIECES, NO_PIECES), way

    def nearest_in(
        self, stretches: Sequence[tuple[int, int]], pairs: Sequence[tuple[Body, Body]], most: float
    ) -> list[Margin | None]:
        """Of each stretch of segments [first, last) the pair that comes nearest; None where none comes nearer than `most`, mm. Told as
        margins are: to 5 % below 10 mm, to half above. Pairs that come near soon are best given first: the others then cost little."""
        least = [most] * len(stretches)
        found: list[Margin | None] = [None] * len(stretches)
        for a, b in pairs:
            active = self.there(a) & self.there(b)
            if not active.any():
                continue
            m = len(active)
            seen = Seen(np.zeros(m, np.int8), np.zeros(m), np.full(m, np.inf))
            how, shapes, way = self._set_out(between(self.chain, a.link, b.link), a, b, active)
            for k, (first, last) in enumerate(stretches):
                told, where = march(how, *shapes, way, 0.0, seen, first, last, least[k], -1)
                if where >= 0:
                    least[k] = float(told)
                    found[k] = Margin(a.label, b.label, least[k], int(self.lead(a, b)[where]))
        return found

    def follow_all(
        self, pairs: list[tuple[Body, Body]], near: list[float], tick: Callable[[float], None] | None = None,
        before: list[Before] | None = None,
    ) -> list[Followed]:  # fmt: skip
        """Every pair, shared out over as many threads as there may be: the kernels hold no lock. `before`: what is known of each already."""
        for a, b in pairs:  # what the threads share is made before they start
            if not (self.pieces(a) and self.pieces(b)):
                self.tree(a), self.tree(b)
        result: list[Followed | None] = [None] * len(pairs)
        with ThreadPoolExecutor(max_workers=thread_count()) as pool:
            waiting = {
                pool.submit(self.follow, a, b, near[i], None, before[i] if before else None): i
                for i, (a, b) in enumerate(pairs)
            }
            try:
                for done, future in enumerate(as_completed(waiting)):
                    result[waiting[future]] = future.result()
                    if tick:
                        tick((done + 1) / len(pairs))
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise
        return [followed for followed in result if followed is not None]

    def coordinates(self, screws: Screws, a: Body, b: Body) -> tuple[Floats, int]:
        """The joints' values scaled as `march_kernel.displacement` takes them, (n, c), and how many runs of linear
        joints there are."""
        runs: list[Floats] = []
        turns: list[Floats] = []
        in_run = False
        for row, on_b_side in zip(screws.rows, screws.sides, strict=True):
            column = int(row[AXIS])
            if row[TURNS] == 1.0:
                in_run = False
                if self.high[column] > self.low[column]:
                    turns.append(np.radians(self.values[:, column]) * self.reach(b if on_b_side else a, column))
                continue
            moved = np.multiply.outer(self.values[:, column], row[[UX, UY, UZ]])
            if in_run:
                runs[-1] = runs[-1] + moved
            else:
                runs.append(moved)
            in_run = True
        if not runs:
            runs.append(
                np.zeros((len(self.values), 3))
            )  # nothing but rotary axes, or nothing at all, lies between them
        columns = [*runs, *(turn[:, None] for turn in turns)]
        return np.ascontiguousarray(np.concatenate(columns, axis=1)), len(runs)

    def reach(self, body: Body, column: int) -> float:
        key = (body.key, column)
        if key not in self.reaches:
            self.reaches[key] = reach_from_axis(self.chain, body, self.chain.axes[column], self.low, self.high)
        return self.reaches[key]

    def clearance(self, a: Body, b: Body, pose: Floats, enough: float = np.inf) -> float:
        """The distance of two bodies, b's link standing in `pose` (4, 4) seen from a's; 0 where they touch, and `enough` where it is more."""
        ta, tb = self.tree(a), self.tree(b)
        pair, stack = np.zeros(2, np.int64), np.empty((256, 2), np.int64)
        return float(
            turned_clearance(
                ta.triangles, ta.boxes, ta.nodes, tb.triangles, tb.boxes, tb.nodes, pose[:3], pair, stack, enough
            )
        )

    def forget(self, body: Body) -> None:
        """Nothing of a body is kept any more: it is another one from now on."""
        self.trees.pop(body.key, None)

    def at(self, segment: int, share: float) -> Floats:
        """Axis values (1, k) at a share of a segment."""
        return np.asarray(self.values[segment] + share * (self.values[segment + 1] - self.values[segment]))[None]

    def nearest(self, a: Body, b: Body, screws: Screws, values: Floats) -> tuple[float, float, float]:
        """Where two bodies touch or come nearest, in the machine's frame: the middle of their closest points."""
        ta, tb = self.tree(a), self.tree(b)
        pair, stack = np.zeros(2, np.int64), np.empty((256, 2), np.int64)
        pose = screws.poses(values)[0]
        turned_clearance(
            ta.triangles, ta.boxes, ta.nodes, tb.triangles, tb.boxes, tb.nodes, pose[:3], pair, stack, np.inf
        )
        one, other = closest_points(ta.triangles[pair[0]], apply(pose, tb.triangles[pair[1]]))
        x, y, z = apply(self.chain.pose(a.link, values)[0], 0.5 * (one + other)[None])[0]
        return float(x), float(y), float(z)


def reach_from_axis(chain: Chain, body: Body, axis: str, lowest: Floats, highest: Floats) -> float:
    """How far any point of a body comes from a rotary axis, whatever the joints between the two do in a program (mm);
    lowest, highest (k,): the values that the chain's axes take in it.

    The body's points are carried outwards joint by joint: one that slides takes them to both ends of its range, one that
    turns to the middle of their circle, whose radius is kept.
    """
    centres = np.unique(np.round(joined(body.solids).vertices, 3), axis=0)
    radii = np.zeros(len(centres))
    origin = np.zeros(3)
    path = chain.path_to(body.link)
    for step in path:
        origin = origin + (step.joint.at if step.joint else 0.0)
    centres = centres + origin
    for step in reversed(path):
        joint = step.joint
        point, unit = origin, np.zeros(3)
        if joint is None:
            continue
        unit = np.asarray(joint.direction, float) / np.linalg.norm(joint.direction)
        origin = origin - np.asarray(joint.at, float)
        if joint.axis == axis:
            return float((np.linalg.norm(np.cross(centres - point, unit), axis=1) + radii).max())
        ends = np.zeros(2)  # where the joint may stand, each of the axes that move it at its worst
        for mover, factor in joint.factors.items():
            column = chain.axes.index(mover)
            ends += np.sort(factor * np.array([lowest[column], highest[column]]))
        low, high = float(ends[0]), float(ends[1])
        if joint.type == "linear":
            centres = np.concatenate(
                [centres + low * unit, centres + high * unit] if high > low else [centres + low * unit]
            )
            radii = np.tile(radii, len(centres) // len(radii))
        elif high > low:
            foot = point + np.multiply.outer((centres - point) @ unit, unit)
            radii = radii + np.linalg.norm(centres - foot, axis=1)
            centres = foot
        else:
            centres = point + (centres - point) @ rotation_about(unit, low).T
    raise ValueError(f"{body.label} is not carried by {axis}")


def clearances(pairs: list[tuple[Body, Body]], near: float, rules: Sequence[PairRule]) -> list[float | None]:
    """The clearance asked for of each pair, None for one that is switched off: the last rule that fits holds."""
    asked: list[float | None] = []
    for a, b in pairs:
        own: float | None = near
        for rule in rules:
            one, other = rule.between
            if (a.called(one) and b.called(other)) or (a.called(other) and b.called(one)):
                own = None if rule.off else near if rule.near is None else rule.near
        asked.append(own)
    return asked


Pairs = list[tuple[Body, Body]]
# How pairs are followed, each with the clearance asked for; what is told how far it has come.
Following = Callable[[Pairs, list[float], Callable[[float], None] | None], list[Followed]]


def check_contacts(
    reel: Reel, follower: Follower, pairs: list[tuple[Body, Body]], near: list[float], docket: Docket,
    tick: Callable[[float], None] | None = None, follow: Following | None = None, met: set[int] | None = None,
) -> list[Margin]:  # fmt: skip
    """Follow every pair, a tool being the first of its pair, each with the clearance `near` asks of it, by `follow` where that is given; `met` is
    filled with the motions in which any touch. Returns the margins."""
    margins = []
    all_followed = (follow or follower.follow_all)(pairs, near, tick)
    # The parts of one tool against the same body have one cause: they are told together.
    groups: dict[tuple[str, str], list[tuple[Body, Body, Followed]]] = {}
    wanted: dict[tuple[str, str], float] = {}
    for (a, b), seen, own in zip(pairs, all_followed, near, strict=True):
        margins.append(seen.margin)
        if seen.hit.any():
            names = ((a.called_tool or f"T{a.tool}") if a.tool else a.group or a.label, b.group or b.label)
            groups.setdefault(names, []).append((a, b, seen))
            wanted[names] = max(own, wanted.get(names, 0.0))
            if met is not None:
                met.update(follower.lead(a, b)[seen.hit == 2].tolist())
    least: dict[tuple[str, str], Margin] = {}  # a body that spins and stands by turns has one margin
    for margin in margins:
        known = least.get((margin.a, margin.b))
        if known is None or margin.clearance < known.clearance:
            least[margin.a, margin.b] = margin
    margins = list(least.values())
    for names, group in groups.items():
        _report(follower, reel, group, wanted[names], docket)
    return margins


def _report(
    follower: Follower, reel: Reel, group: list[tuple[Body, Body, Followed]], near: float, docket: Docket
) -> None:
    """One finding for each cause; a touch swallows the near misses around it. `group`: parts of one thing (the first of each)
    against those of another."""
    hit = np.max([seen.hit for _, _, seen in group], axis=0)
    closest = np.min([seen.closest for _, _, seen in group], axis=0)
    touched = np.flatnonzero(hit)
    motions, knots = reel.motions, follower.knots
    lead = follower.lead(*group[0][:2])
    motion_of = lead[touched]
    amount = np.where(
        hit[touched] == 2, near + 1.0, near - closest[touched]
    )  # a touch is told as one, not as a near miss
    for rows in causes(motion_of, motions.operation[motion_of], amount, whole_operation=True):
        run = touched[rows]
        level = int(hit[run].max())
        # The part that is first to touch (or come near) tells where and when.
        parts = [(a, b, seen, run[seen.hit[run] == level]) for a, b, seen in group if (seen.hit[run] == level).any()]
        parts.sort(key=lambda part: (int(part[3][0]), float(part[2].share[part[3][0]])))
        a, other, seen, segments = parts[0]
        first = int(segments[0])
        motion = int(lead[first])
        moment = knots.moment(reel, first, float(seen.share[first]))
        values = follower.at(first, float(seen.share[first]))
        names = list(dict.fromkeys(part.label for part, _, _, _ in parts))
        others = list(dict.fromkeys(beside.label for _, beside, _, _ in parts))
        met = run[hit[run] == level]
        common: dict[str, Any] = {
            "where": reel.where(motion, moment, int(lead[run[-1]])), "bodies": (*names, *others),
            "count": len(np.unique(lead[met])), "point": follower.nearest(a, other, seen.screws, values),
        }  # fmt: skip
        if level == 2:
            depth = max(_depth(follower, part, beside, followed, at) for part, beside, followed, at in parts)
            docket.add(
                "contact.body",
                f"{_listed(names)} into {' and '.join(others)}, {depth:.2f} mm deep",
                amount=depth,
                **common,
            )
        else:
            least = float(closest[run].min())
            docket.add("contact.near", f"{names[0]} passes {others[0]} with {least:.2f} mm left; {near:g} mm are asked for",
                       amount=near - least, **common)  # fmt: skip


def _listed(names: list[str]) -> str:
    return f"{names[0]} runs" if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]} run"


def _depth(follower: Follower, a: Body, b: Body, seen: Followed, segments: np.ndarray) -> float:
    """The deepest that a stands in b over some segments, by poses spread over them."""
    depth = 0.0
    chosen = segments[:: max(1, len(segments) // DEPTH_SAMPLES)]
    for segment in chosen:
        for share in np.linspace(0.0, 1.0, max(2, DEPTH_SAMPLES // min(len(chosen), DEPTH_SAMPLES) + 1)):
            pose = seen.screws.poses(follower.at(int(segment), float(share)))[0]
            depth = max(depth, parting_shift(a.solids, b.solids, pose))
    return depth
