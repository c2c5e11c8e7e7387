"""Machine, fixtures, idle tools and other stocks against a stock, in two steps.

Clear of the outline that a blank had before the first cut is clear of all that is left of it later. What enters that outline
is stood, half a cell at a time, into the stock as it is at that moment, between the batches of cuts. Where the work turns,
outline and stock count as the bodies they sweep.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from ..contact.bodies import Body
from ..contact.program import Follower, Margin, pairs_of
from ..findings import causes
from ..geometry.distance import Solid
from ..geometry.frames import Floats, inverse
from ..geometry.mesh import Mesh, joined
from ..machine.placement import Placement
from ..machine.screws import between
from ..material.comparison import clearance_from, reach_into
from ..material.stock import CONTACT_DEPTH_MM, Stock
from ..material.swept import Rings, rings_meet, rings_of_body, rings_of_stock
from ..program.motions import TOOL_CHANGE
from .result import Rehearsal
from .scene import contact_bodies, while_spinning
from .stands import Stands

NEAR_MM = 10.0  # farther off than this a margin to the stock is told as at least this
THINNED = 4  # one ray of so many, across and along, tells that a body is no deeper in the stock than it was
DEPTH_SHARE = 0.05  # by how much at most a contact that goes on is deeper than told
MOST_MEASURED = 48  # poses of a body at which its clearance to the stock of the moment is measured


@dataclass(frozen=True)
class Entering:
    """A body that enters the outline of a blank in some segments of the program."""

    body: Body
    in_work: Stands  # its link's frame seen from the work mount
    segments: np.ndarray  # knots' segments, ascending
    swept: np.ndarray  # (segments,): whether the work turns in each
    lead: np.ndarray  # (m,): the motion of every segment that a finding belongs to
    stocks: tuple[str, ...] = ()  # where it is a stock itself: its name, and that of the stock it may meet

    @property
    def label(self) -> str:
        return self.body.label


def find_entering(
    result: Rehearsal, follower: Follower, stock: Body, stocks: list[Body], placement: Placement,
    within: tuple[int, int] | None = None, spared: Callable[[Body], np.ndarray | None] | None = None,
) -> list[Entering]:  # fmt: skip
    """What enters the outline of a blank, and when; what does not has its margin told. Of two stocks the first asks.

    `placement`: how it is carried; `within`: the segments asked about, where not all; `spared(body)`: those (m,) in which a body may
    touch it, as it grips it.
    """
    job, chain = result.job, result.chain
    used = set(np.unique(result.reel.motions.tool).tolist())
    bodies = contact_bodies(job, chain, result.tools, used, result.values)
    others = [body for body in bodies if not body.tool or body.always] + stocks[stocks.index(stock) + 1 :]
    met: dict[str, tuple[Body, list[tuple[int, bool]]]] = {}
    least: dict[str, Margin] = {}
    for blank in while_spinning(job, chain, [stock]):
        for a, b in pairs_of([*others, blank], chain, job.machine.ignore):
            if b is not blank:
                continue
            # A turret's tool may touch the work only while it is in use, and not while the turret turns.
            asked = idle(result, a.tool) if a.tool else None
            if within is not None:
                asked = np.ones(len(result.knots.motion), np.bool_) if asked is None else asked.copy()
                asked[: within[0]] = asked[within[1] :] = False
                free = spared(a) if spared else None
                asked &= True if free is None else ~free
            seen = follower.follow(a, b, job.file.checks.near_stock, asked)
            result.pairs += within is None or within[0] == 0
            touched = np.flatnonzero(seen.hit >= (1 if job.file.checks.near_stock > 0 else 2))
            if len(touched):
                kept = met.setdefault(a.label + a.variant, (a, []))[1]
                kept.extend((int(s), blank.while_work == "spins") for s in touched)
            known = least.get(a.label)
            if known is None or seen.margin.clearance < known.clearance:
                least[a.label] = seen.margin
    entered = {body.label for body, _ in met.values()}
    result.margins += [margin for label, margin in least.items() if label not in entered]
    found = []
    for body, segments in met.values():
        segments.sort()
        poses = between(chain, placement.link, body.link, placement.frame).poses
        found.append(
            Entering(
                body, Stands(result.values, poses), np.array([s for s, _ in segments]), np.array([w for _, w in segments]),
                follower.lead(body, stock),
                (body.name, stock.name) if body.role == "stock" else (),
            )
        )  # fmt: skip
    return found


def idle(result: Rehearsal, tool: int) -> np.ndarray:
    """The segments (m,) in which a tool of a turret is not in use, or its turret turns."""
    motions, lanes = result.reel.motions, result.knots.lanes
    idle = np.ones(len(lanes), np.bool_)
    for lane in lanes.T:
        idle &= (lane < 0) | (motions.tool[lane] != tool) | (motions.kind[lane] == TOOL_CHANGE)
    return idle


@dataclass(frozen=True)
class Hit:
    segment: int
    depth: float
    place: Floats  # grid frame
    share: float  # of the segment, at first touch


@dataclass
class Watch:
    """Asks, at the right moment, whether the bodies that enter a blank's outline meet the stock that is left there.

    Poses stand half a cell apart, so that what reaches a cell deep into stock cannot be stepped over. `other_stock(name,
    segment)`: the mesh of another stock, in its link's frame, as it stands before a segment.
    """

    result: Rehearsal
    name: str
    stock: Stock
    blank: Mesh  # grid frame
    grid: Floats  # the grid's frame in the work mount's
    spindle: Floats  # (3,): a point of the work spindle's axis, grid frame
    entering: list[Entering]
    machine_from_work: Stands
    other_stock: Callable[[str, int], Mesh]
    found: dict[int, list[Hit]] = field(default_factory=dict)  # body → what it met
    near: dict[int, Hit] = field(default_factory=dict)  # body → its least clearance, in `depth`, where it was not met
    asked: int = -1  # up to which segment
    _rings: Rings | None = None

    def __post_init__(self) -> None:
        self.meshes = [joined(list(item.body.solids)) for item in self.entering]
        self.solids: dict[int, Solid] = {}
        queue = [
            (int(s), i, bool(w))
            for i, item in enumerate(self.entering)
            for s, w in zip(item.segments, item.swept, strict=True)
        ]
        self.waiting = deque(sorted(queue))
        self.every = [max(1, len(item.segments) // MOST_MEASURED) for item in self.entering]
        self.turns = [0] * len(self.entering)
        self.operation = self.result.reel.motions.operation

    def go_on(self, found: dict[int, list[Hit]], near: dict[int, Hit], asked: int) -> None:
        """As if everything up to a segment had been asked about already."""
        self.found, self.near, self.asked = found, near, asked
        while self.waiting and self.waiting[0][0] <= asked:
            self.turns[self.waiting.popleft()[1]] += 1

    def change(self, segment: int, entering: list[Entering], spindle: Floats) -> None:
        """From a segment on the piece is carried otherwise: what entered it there as it was is asked about no more, others are."""
        count = len(self.entering)
        self.spindle = spindle
        self.cut()
        self.entering = [*self.entering, *entering]
        self.meshes += [joined(list(item.body.solids)) for item in entering]
        self.every += [max(1, len(item.segments) // MOST_MEASURED) for item in entering]
        self.turns += [0] * len(entering)
        more = [
            (int(s), count + i, bool(w))
            for i, item in enumerate(entering)
            for s, w in zip(item.segments, item.swept, strict=True)
            if s >= segment
        ]
        self.waiting = deque(sorted([row for row in self.waiting if row[0] < segment] + more))

    def for_piece(self, name: str, stock: Stock, segment: int) -> Watch:
        """The watch of a piece that has come off: nothing has met it yet, and nothing is asked about until it is told what enters
        its outline."""
        return Watch(
            self.result, name, stock, self.blank, self.grid, self.spindle, [], self.machine_from_work, self.other_stock, asked=segment - 1
        )  # fmt: skip

    @property
    def next(self) -> int:
        """The next segment to be asked about; far away when there is none."""
        return self.waiting[0][0] if self.waiting else np.iinfo(np.int64).max

    def ask(self, upto: int) -> None:
        """Ask about all segments up to this one, against the stock as it stands now."""
        while self.waiting and self.waiting[0][0] <= upto:
            segment = self.waiting[0][0]
            self.ask_part(segment, 0.0, 1.0, self.steps(segment))
            self.done(segment)
        self.asked = max(self.asked, upto)

    def _standing_in(self, segment: int) -> list[tuple[int, bool, Mesh]]:
        """The bodies to be asked about in a segment, whether the work turns, and their meshes; not those of which it is known
        that they collide in this motion."""
        found = []
        for at, number, swept in self.waiting:
            if at != segment:
                break
            hits, item = self.found.get(number, []), self.entering[number]
            # Between sparse knots a motion is told by its first segment; of short ones the deepest counts.
            sparse = not self.result.knots.even
            if sparse and hits and hits[-1].segment != segment and item.lead[hits[-1].segment] == item.lead[segment]:
                continue
            mesh = self.other_stock(item.stocks[0], segment) if item.stocks else self.meshes[number]
            if len(mesh.faces):
                found.append((number, swept, mesh))
        return found

    def steps(self, segment: int) -> int:
        """In how many steps of half a cell at most a segment's bodies go through it."""
        most = 0
        for number, _, mesh in self._standing_in(segment):
            a, b = (self.entering[number].in_work.at(segment, share) for share in (0.0, 1.0))
            # No point of the body goes farther than its link's origin does, and the angle turned times its distance from it.
            angle = np.arccos(np.clip(0.5 * (np.trace(a[:3, :3].T @ b[:3, :3]) - 1.0), -1.0, 1.0))
            reach = float(np.linalg.norm(mesh.vertices, axis=1).max())
            way = float(np.linalg.norm(b[:3, 3] - a[:3, 3])) + angle * reach
            most = max(most, int(np.ceil(way / (0.5 * float(self.stock.lattice.step.min())))))
        return most

    def ask_part(self, segment: int, begin: float, end: float, steps: int) -> None:
        """Ask about the poses of a part of a segment, from share to share, against the stock as it stands now."""
        to_grid = inverse(self.grid)
        count = max(1, int(np.ceil(steps * (end - begin)))) if steps else 0
        for number, swept, mesh in self._standing_in(segment):
            item = self.entering[number]
            first: Hit | None = None
            worst, known = 0.0, self._known(number, segment)
            for i in range(count + 1):
                share = begin + (end - begin) * (i / count if count else 0.0)
                met = self._met(mesh.moved(to_grid @ item.in_work.at(segment, share)), swept, max(worst, known))
                if met and met[0] > CONTACT_DEPTH_MM:
                    first = first or Hit(segment, met[0], met[1], share)
                    worst = max(worst, met[0])
            hits = self.found.setdefault(number, []) if first else self.found.get(number, [])
            if first and hits and hits[-1].segment == segment:
                hits[-1] = replace(hits[-1], depth=max(worst, hits[-1].depth))
            elif first:
                hits.append(replace(first, depth=worst))
            elif begin == 0.0 and not swept and not item.stocks and self.turns[number] % self.every[number] == 0:
                self._measure(segment, number, to_grid)

    def cut(self) -> None:
        """The stock is another than it was."""
        self._rings = None

    def done(self, segment: int) -> None:
        while self.waiting and self.waiting[0][0] <= segment:
            self.turns[self.waiting.popleft()[1]] += 1
        self.asked = max(self.asked, segment)

    def _known(self, number: int, segment: int) -> float:
        """How deep a body is known to have been in the stock in the operation of a segment: all of one operation is one cause."""
        lead = self.entering[number].lead
        hits = [
            h
            for h in self.found.get(number, [])[-MOST_MEASURED:]
            if self.operation[lead[h.segment]] == self.operation[lead[segment]]
        ]
        return max((hit.depth for hit in hits), default=0.0)

    def _met(self, body: Mesh, swept: bool, known: float) -> tuple[float, Floats] | None:
        """`known`: a depth that is told already, of which only a greater one is of interest."""
        if not swept:
            if known > THINNED * float(self.stock.lattice.step.max()):
                met = reach_into(self.stock, body, THINNED)
                if met and CONTACT_DEPTH_MM < met[0] <= (1.0 + DEPTH_SHARE) * known:
                    return met
            return reach_into(self.stock, body)
        if self._rings is None:  # of the stock as it stands: worked out once, however many poses are asked about
            self._rings = rings_of_stock(self.stock, self.spindle, self.blank)
        rings = self._rings
        if not len(rings.row):
            return None
        of_body = rings_of_body(body, self.spindle, self.stock.lattice, float(rings.r1.max()))
        return rings_meet(rings, of_body, self.stock.lattice, self.spindle) if len(of_body.row) else None

    def _measure(self, segment: int, number: int, to_grid: Floats) -> None:
        """The clearance of a body to the stock of the moment, at both ends of a segment."""
        if number not in self.solids:
            self.solids[number] = Solid.of(self.meshes[number])
        for share in (0.0, 1.0):
            pose = to_grid @ self.entering[number].in_work.at(segment, share)
            apart = clearance_from(self.stock, self.solids[number], pose, self.meshes[number].bounds, NEAR_MM)
            known = self.near.get(number)
            if known is None or apart < known.depth:
                self.near[number] = Hit(segment, apart, pose[:3, 3], share)

    def report(self) -> None:
        knots, reel, docket = self.result.knots, self.result.reel, self.result.docket
        for number, hits in self.found.items():
            item = self.entering[number]
            motion_of = np.array([item.lead[hit.segment] for hit in hits])
            depths = np.array([hit.depth for hit in hits])
            for run in causes(motion_of, reel.motions.operation[motion_of], depths, whole_operation=True):
                hit = hits[run[0]]
                depth, motion = float(depths[run].max()), int(motion_of[run[0]])
                docket.add(
                    "contact.body" if item.stocks else "contact.shank", f"{item.label} runs into {self.name}, {depth:.2f} mm deep",
                    where=reel.where(motion, knots.moment(reel, hit.segment, hit.share), int(motion_of[run[-1]])),
                    bodies=(item.label, self.name), amount=depth, count=len(np.unique(motion_of[run])),
                    point=self._in_machine(hit), remedy="Make room for it, or machine the stock there away first.",
                )  # fmt: skip
        wanted = self.result.job.file.checks.near_stock
        for number, hit in self.near.items():
            if number in self.found:
                continue
            motion, label = int(self.entering[number].lead[hit.segment]), self.entering[number].label
            self.result.margins.append(Margin(label, self.name, hit.depth, motion))
            if hit.depth < wanted:
                docket.add(
                    "contact.near", f"{label} passes {self.name} with {hit.depth:.2f} mm left; {wanted:g} mm are asked for",
                    where=reel.where(motion, knots.moment(reel, hit.segment, hit.share)), bodies=(label, self.name),
                    amount=wanted - hit.depth, point=self._in_machine(hit),
                )  # fmt: skip

    def _in_machine(self, hit: Hit) -> tuple[float, float, float]:
        pose = self.machine_from_work.at(hit.segment, hit.share) @ self.grid
        x, y, z = pose[:3, :3] @ hit.place + pose[:3, 3]
        return float(x), float(y), float(z)
