"""Who holds what: grips that close and open, pieces that change hands, are cut off, caught or dropped.

grip      holds from the end of its closing to the beginning of its opening
carries   the chuck that has held a piece longest of those that hold it now: it keeps its place in that mount's frame
moment    a segment of the knots before which something changes: all pieces are cut up to it, then what changes is looked at

    code ─┬─ seconds ─┬─ holds ──────────┬─ code
          closing     held from here     opening: held no more

What stands within a grip's reach is told from the piece as it is at that moment; so cutting and holding go side by side.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from ..contact.bodies import Body, spun
from ..contact.program import Follower
from ..findings import CATALOGUE, Where
from ..findings.grouping import SAME_SHARE
from ..geometry.frames import Floats, apply, frame, inverse
from ..geometry.hull import extremes
from ..geometry.mesh import Mesh, joined
from ..job.models import Grip, Mount
from ..machine.placement import Placement
from ..material.comparison import Components, components, separated
from ..material.stock import CONTACT_DEPTH_MM
from .comparing import designs_of
from .cutting import Cutting
from .entering import Entering, find_entering
from .grips import Events, Happening
from .result import CutStock, Rehearsal
from .scene import blanks, contact_bodies
from .spindles import Speed, spindle_speeds, spindle_ways

SUPPORTS = ("rest", "centre", "bush")  # they support, and do not carry
HAIR_MM = 0.01  # a piece that lies so little in a reach is not in it
HAIR_DEG = 0.01
OFF_CENTRE_MM = 0.05  # (contract)
APART_RPM = 0.5
MOMENT_S = 1e-6
TOUCH_MM = 0.002  # so near a bar that is pushed counts as having met a body
MOST_STEPS = 2000  # of looking for where it does
NEAR_AXIS_CELLS = 1.5  # a cut that comes so near to the axis may have parted the piece


@dataclass
class Piece:
    """A piece of stock, by whom it is held, and since when. `gone`: the catcher it lies in, or "" where nobody holds it any more."""

    cutting: Cutting
    held: dict[str, float] = field(default_factory=dict)  # grip → since when, s
    gone: str | None = None
    feed: str = ""  # the open grip behind which it lies in the bar feed
    asked_at: int = 0  # how many motions had cut it when it was last looked at for having come apart

    @property
    def name(self) -> str:
        return self.cutting.name


@dataclass
class Held:
    """That a grip held a piece from one moment to another (s)."""

    grip: str
    piece: str
    begin: float
    end: float


class Holding:
    def __init__(
        self, result: Rehearsal, follower: Follower, events: Events, tell: Callable[[str, float], None]
    ) -> None:
        self.result, self.follower, self.events, self.tell = result, follower, events, tell
        self.job, self.chain, self.docket, self.knots = result.job, result.chain, result.docket, result.knots
        self.grips = {grip.name: grip for grip in self.job.machine.grips}
        self.mounts = {name: self.chain.mounts[grip.mount] for name, grip in self.grips.items()}
        self.speeds: dict[str, Speed] = spindle_speeds(result.strands)
        self.pieces: list[Piece] = []
        self.spells: list[Held] = []  # of grips that hold, closed ones first
        self.worked: list[tuple[Happening, str]] = []  # what grips did, and the piece they did it to
        self.off_reach: set[str] = set()
        self.at = 0  # the segment up to which all has been cut
        self.bushes: dict[
            tuple[str, str], float
        ] = {}  # bush and piece that filled it → the most of its reach that was empty later
        self.left_bush: dict[tuple[str, str], Where] = {}
        self._design_places: dict[
            str, list[tuple[str, Mesh]]
        ] = {}  # mount → designs on it at the start, in its link's frame
        self.bar: dict[
            str, list[float]
        ] = {}  # grip that pushes → where the bar ends behind it at the begin of each pass

    # --- the run ------------------------------------------------------------------------------------------------------------

    def run(self) -> list[CutStock]:
        """Cut every piece to the end, with all that changes hands on the way."""
        self._begin()
        for event in self.events.in_order:
            self._cut_to(event.segment)
            self._happen(event)
        self._cut_to(len(self.knots.motion))
        for piece in list(self.pieces):  # what was milled off after the last grip was worked
            if piece.gone is None:
                self._part(piece, len(self.knots.motion))
        self._after()
        self.result.held = [
            {"grip": s.grip, "piece": s.piece, "begin": s.begin, "end": None if s.end == np.inf else s.end}
            for s in self.spells
        ]
        finished = [self._finished(piece) for piece in self.pieces]
        if any(
            event.what == "pass" for event in self.events.in_order
        ):  # what every pass does to its piece is one cause
            of = {piece.name: piece.name.split("/")[0] for piece in self.pieces}
            self.docket.merge(lambda finding: tuple(sorted(of.get(body, body) for body in finding.bodies)), SAME_SHARE)
        return finished

    def _begin(self) -> None:
        for grip in self.grips.values():
            if grip.jaws and grip.holds:
                self._stand_jaws(grip, 0, 0, grip.holds[1])
        stocks = blanks(self.job, self.chain)
        made: dict[str, Cutting] = {}
        for stock in reversed(stocks):
            cutting = Cutting.begun(self.result, stock.name, [], self.tell, None, made)
            if cutting is None:
                continue
            cutting.designs = list(zip(*designs_of(self.result, stock.name), strict=True))
            made[stock.name] = cutting
            self.pieces.insert(0, Piece(cutting))
        self._design_places = self._designs_on_mounts()
        for grip in self.grips.values():
            if grip.starts == "closed" and grip.kind != "catcher":
                self._take_hold(grip, 0.0, 0, None)
        self._look_at_the_bar(0)
        for piece in self.pieces:
            piece.cutting.watch.change(0, self._entering(piece, 0), piece.cutting._spindle())

    def _cut_to(self, segment: int) -> None:
        """Cut all pieces up to a segment; what comes apart on the way is parted when it does."""
        for piece in list(self.pieces):
            if piece.gone is not None:
                continue
            for stop in self._candidates(piece, segment):
                piece.cutting.to(stop)
                self._ask_bushes(piece, self.at, stop)
                self._part(piece, stop)
            piece.cutting.to(segment)
            self._ask_bushes(piece, self.at, segment)
        self.at = segment

    def _candidates(self, piece: Piece, segment: int) -> list[int]:
        """The segments behind cuts that may part a piece, up to one."""
        segments = piece.cutting.segments
        rows = np.arange(piece.cutting.at, len(segments.index))
        rows = rows[segments.index[rows] < segment]
        cell = float(piece.cutting.stock.lattice.step.max())
        r = segments.ring_start[rows, 1] + np.minimum(0.0, segments.ring_delta[rows, 1])
        near = rows[segments.by_insert[rows] & ~segments.rapid[rows] & (r < NEAR_AXIS_CELLS * cell)]
        last = near[np.append(segments.motion[near][1:] != segments.motion[near][:-1], True)] if len(near) else near
        return sorted({int(segments.index[row]) + 1 for row in last} - {segment})

    # --- what happens -------------------------------------------------------------------------------------------------------

    def _happen(self, event: Happening) -> None:
        for piece in list(self.pieces):
            if piece.gone is None:
                self._part(piece, event.segment)
        if event.what == "pass":
            self._begin_pass(event)
            return
        grip = self.grips[event.act.name]
        if event.what == "closed":
            self._take_hold(grip, event.time, event.segment, event)
        elif event.what == "opening":
            self._let_go(grip, event)
        elif event.what == "push":
            self._push(grip, event)

    def _take_hold(self, grip: Grip, time: float, segment: int, event: Happening | None) -> None:
        """A grip has closed, or is closed at the start (`event` None)."""
        if any(spell.grip == grip.name and spell.end == np.inf for spell in self.spells):
            return  # it holds already
        found = self._within(grip, segment)
        where = self.where(event) if event else self.result.reel.where(-1)
        if found is None:
            fallen = any(p.gone == "" and self._length(grip, p, segment) > HAIR_MM for p in self.pieces)
            if event and not fallen:  # that it fell is told already
                self.docket.add(
                    "hold.nothing", f"{grip.name} closes where no work stands within its reach", where=where
                )
            if event:
                self._stand_jaws_from(grip, event, grip.holds[0] if grip.holds else 0.0)
            return
        piece, length, diameter = found
        if event:
            self.worked.append((event, piece.name))
            self._stand_jaws_from(grip, event, diameter)
        elif grip.jaws:
            self._stand_jaws(grip, 0, 0, diameter)
        if grip.holds and grip.kind != "centre":
            beyond = max(diameter - grip.holds[1], grip.holds[0] - diameter)
            if beyond > HAIR_MM:
                self.docket.add(
                    "hold.size", f"{grip.name} closes on a diameter of {diameter:.2f} mm; it holds {grip.holds[0]:g} to {grip.holds[1]:g}",
                    where=where, bodies=(grip.name, piece.name), amount=beyond,
                )  # fmt: skip
        if grip.least - length > HAIR_MM and grip.kind not in SUPPORTS:
            self.docket.add(
                "hold.short", f"{grip.name} holds {length:.2f} mm of {piece.name}; {grip.least:g} are needed",
                where=where, bodies=(grip.name, piece.name), amount=grip.least - length,
            )  # fmt: skip
        if grip.kind in ("rest", "centre"):
            self._check_centred(grip, piece, segment, where)
        self.spells.append(Held(grip.name, piece.name, time, np.inf))
        if grip.kind != "chuck":
            return
        self._check_speed_at(grip, piece, time - MOMENT_S, where, "closes on")  # what begins when it holds comes after
        piece.held[grip.name] = time
        piece.feed = ""
        self._carry(piece, time, segment)

    def _let_go(self, grip: Grip, event: Happening) -> None:
        held = [spell for spell in self.spells if spell.grip == grip.name and spell.end == np.inf]
        self._stand_jaws_from(grip, event, grip.holds[1] if grip.holds else 0.0)
        for spell in held:
            spell.end = event.time
            piece = next(p for p in self.pieces if p.name == spell.piece)
            self.worked.append((event, piece.name))
            if grip.kind != "chuck":
                continue
            self._check_speed_at(grip, piece, event.time, self.where(event), "opens from")
            piece.held.pop(grip.name, None)
            if piece.held:
                self._carry(piece, event.time, event.segment)
            elif self._in_bar_feed(grip, piece, event.segment):
                # It lies where it was left; the grip may go back over it.
                piece.feed = grip.name
                root = self.chain.path_to(piece.cutting.placement.link)[0].name
                here = piece.cutting.placement.handed_over(self.chain, root, self.values(event.segment))
                self._hand_over(piece, event.time, event.segment, here)
            else:
                self._fall(
                    piece,
                    event.time,
                    event.segment,
                    self.where(event),
                    f"{grip.name} opens while nothing else holds {piece.name}",
                )

    def _push(self, grip: Grip, event: Happening) -> None:
        """Push the bar that lies in a grip along its Z until it meets a body."""
        link = self.mounts[grip.name].link
        lies = [p for p in self.pieces if p.gone is None and (p.feed == grip.name or p.cutting.placement.link == link)]
        reached = [
            p for p in lies if self._length(grip, p, event.segment) > 0.0 or self._in_bar_feed(grip, p, event.segment)
        ]
        if any(spell.grip == grip.name and spell.end == np.inf for spell in self.spells) or not reached:
            what = "is closed" if not reached or lies else "has no bar in it"
            self.docket.add(
                "hold.nothing", f"the bar is to be pushed through {grip.name}, which {what}", where=self.where(event)
            )
            return
        piece = reached[0]
        pose = self.chain.mount_pose(self.mounts[grip.name], self.values(event.segment)[None])[0]
        way = self._free_way(piece, grip, pose[:3, 2], event.act.value, event.segment)
        here = piece.cutting.placement
        moved = np.eye(4)
        stands = self.chain.pose(here.link, self.values(event.segment)[None])[0]
        moved[:3, 3] = way * (stands[:3, :3].T @ pose[:3, 2])
        self._hand_over(piece, event.time, event.segment, Placement(here.link, moved @ here.frame))

    def _free_way(self, piece: Piece, grip: Grip, direction: Floats, most: float, segment: int) -> float:
        """How far a piece can be pushed before it meets a body, mm: from a place whose clearance is known it may go by as much."""
        from ..geometry.shadow import Shadow  # with a library of its own that few jobs need

        values = self.values(segment)[None]
        stands = self.chain.pose(piece.cutting.placement.link, values)[0]
        bar = Shadow.of(piece.cutting.standing().moved(stands), direction, CONTACT_DEPTH_MM)
        used = {int(own.each[min(segment, own.count - 1)]) for own in self.result.standing.tools}
        spindle = self.mounts[grip.name].link
        way = most
        for body in contact_bodies(self.job, self.chain, self.result.tools, used, self.result.values):
            there = body.segments is None or bool(body.segments[min(segment, len(body.segments) - 1)])
            if (
                not there
                or body.while_work == "spins"
                or any(step.name == spindle for step in self.chain.path_to(body.link))
            ):
                continue
            standing = joined(body.solids).moved(self.chain.pose(body.link, values)[0])
            met = bar.facing(standing)
            if met is None:
                continue
            own, other = (Body(name, "", (mesh,)) for name, mesh in zip(("the bar", "before it"), met, strict=True))
            pose, gone = np.eye(4), 0.0
            for _ in range(MOST_STEPS):
                pose[:3, 3] = -gone * direction
                clear = self.follower.clearance(own, other, pose)
                if clear < TOUCH_MM or gone >= way:
                    break
                gone += max(clear, TOUCH_MM)
            way = min(way, gone)
            for each in (own, other):
                self.follower.forget(each)
        return max(0.0, way)

    # --- bar work -----------------------------------------------------------------------------------------------------------

    def _designs_on_mounts(self) -> dict[str, list[tuple[str, Mesh]]]:
        """The designs that pieces begin with, by the mount that bears them, in its link's frame."""
        mount_of = {body.name: body.mount for body in self.job.file.bodies}
        found: dict[str, list[tuple[str, Mesh]]] = {}
        for piece in self.pieces:
            for name, mesh in piece.cutting.designs or []:
                found.setdefault(mount_of[name], []).append((name, mesh.moved(piece.cutting.placement.frame)))
        return found

    def _begin_pass(self, event: Happening) -> None:
        """The program begins anew: what lies on a mount now is to become what its design says there."""
        for mount, designs in self._design_places.items():
            link = self.chain.mounts[mount].link
            piece = next((p for p in self.pieces if p.gone is None and p.cutting.placement.link == link), None)
            if piece is None:
                self.docket.add("check.limit", f"a pass begins with no piece on {mount}: what it makes is held against no design",
                                where=event.strand.reel.where(min(event.act.motion, len(event.strand.reel.motions) - 1), event.time),
                                severity="caution", remedy="Close the grip on the bar before the program begins anew.")  # fmt: skip
                continue
            own = piece.cutting.designs = list(piece.cutting.designs or [])
            for name, mesh in designs:
                placed = mesh.moved(inverse(piece.cutting.placement.frame))
                if not any(n == name and np.allclose(m.vertices, placed.vertices, atol=HAIR_MM) for n, m in own):
                    own.append((name, placed))
        self._look_at_the_bar(event.segment)

    def _look_at_the_bar(self, segment: int) -> None:
        for name in {act.grip for act in self.job.machine.codes.values() if act.does == "push" and act.grip}:
            for piece in self.pieces:
                if name in piece.held:
                    self.bar.setdefault(name, []).append(self._behind(name, piece, segment))

    def _behind(self, grip: str, piece: Piece, segment: int) -> float:
        """Where a piece ends behind, along a grip's Z."""
        z = self._seen_from(self.grips[grip], piece, segment)[:, 2]
        return float(z.min()) if len(z) else 0.0

    def _tell_of_the_bar(self) -> None:
        """How much bar a part takes, and for how many more it is enough."""
        for name, ends in self.bar.items():
            grip, taken = self.grips[name], float(np.median(np.diff(ends))) if len(ends) > 1 else 0.0
            piece = next((p for p in self.pieces if p.gone is None and name in p.held), None)
            if taken <= HAIR_MM or piece is None:
                continue
            behind = self._behind(name, piece, len(self.knots.motion))
            left = grip.reach[1] - behind
            more = max(0, int(np.floor((left - grip.least) / taken + 1e-6)))
            enough = f"enough for {more} more" if more else "too short for one more"
            self.result.notes.append(
                f"{piece.name}: every part takes {taken:.2f} mm of it; {left:.2f} mm are left behind the face of {name}, of which "
                f"{grip.least:g} must stay in it: {enough}"
            )

    def _ask_bushes(self, piece: Piece, first: int, last: int) -> None:
        """Whether a piece that fills a bush is drawn out of it, in the segments from first to last."""
        for name, grip in self.grips.items():
            if grip.kind != "bush" or last <= first:
                continue
            corners = piece.cutting.ray_ends()
            if not len(corners):
                continue
            rows = np.arange(first, last + 1)
            values = self.result.values[rows]
            seen = inverse(self.chain.mount_pose(self.mounts[name], values)) @ self.chain.pose(
                piece.cutting.placement.link, values
            )
            z = np.einsum("ni,vi->nv", seen[:, 2, :3], extremes(corners)) + seen[:, 2, 3:]
            filled = np.minimum(z.max(axis=1), grip.reach[1]) - np.maximum(z.min(axis=1), grip.reach[0])
            empty = (grip.reach[1] - grip.reach[0]) - np.maximum(filled, 0.0)
            key = (name, piece.name)
            if key not in self.bushes:
                if not (empty <= HAIR_MM).any():
                    continue
                rows, empty = rows[int(np.argmax(empty <= HAIR_MM)) :], empty[int(np.argmax(empty <= HAIR_MM)) :]
                self.bushes[key] = 0.0
            worst = float(empty.max())
            if worst > HAIR_MM and self.bushes[key] == 0.0:
                at = int(rows[int(np.argmax(empty > HAIR_MM))])
                segment = max(0, at - 1)
                links = [self.mounts[name].link, piece.cutting.placement.link]
                self.bushes[key] = worst
                self.left_bush[key] = self.result.reel.where(
                    self._lanes_that_move(segment, links), float(self.knots.t0[segment])
                )
            self.bushes[key] = max(self.bushes[key], worst if worst > HAIR_MM else 0.0)

    def _carry(self, piece: Piece, time: float, segment: int) -> None:
        """Let the chuck that has held a piece longest carry it."""
        if not piece.held:
            return
        carrier = min(piece.held, key=lambda name: (piece.held[name], list(self.grips).index(name)))
        link = self.mounts[carrier].link
        if link != piece.cutting.placement.link:
            self._hand_over(
                piece, time, segment, piece.cutting.placement.handed_over(self.chain, link, self.values(segment))
            )

    def _hand_over(self, piece: Piece, time: float, segment: int, placement: Placement) -> None:
        old = piece.cutting.placement
        piece.cutting.placement = placement
        entering = self._entering(piece, segment)
        piece.cutting.placement = old
        piece.cutting.hand_over(segment, time, placement, entering)
        spindle = piece.cutting._spindle()
        centre = piece.cutting.frame @ np.append(spindle, 1.0)
        if float(np.hypot(*centre[:2])) > OFF_CENTRE_MM and piece.name not in self.off_reach:
            self.off_reach.add(piece.name)
            self.docket.add(
                "check.limit", f"{piece.name} is held {float(np.hypot(*centre[:2])):.2f} mm beside its own axis; what is turned of it is "
                "worked out about the axis of the spindle that holds it", severity="caution", bodies=(piece.name,),
            )  # fmt: skip

    def _fall(self, piece: Piece, time: float, segment: int, where: Where, because: str) -> None:
        """Nobody holds a piece any more: a catcher takes it, or it falls."""
        catcher = self._catcher(piece, segment)
        piece.gone = catcher or ""
        if catcher:
            self.spells.append(Held(catcher, piece.name, time, np.inf))
        root = self.chain.path_to(piece.cutting.placement.link)[0].name
        stays = self.mounts[catcher].link if catcher else root
        piece.cutting.placement = piece.cutting.placement.handed_over(self.chain, stays, self.values(segment))
        piece.cutting.spans.append((time, piece.cutting.placement))
        piece.cutting.machine_from_work.change(segment, partial(piece.cutting.placement.pose, self.chain))
        piece.cutting.watch.change(segment, [], piece.cutting._spindle())
        piece.cutting.end_at(segment)
        if not catcher:
            self.docket.add(
                "hold.dropped",
                f"{because}: it falls",
                where=where,
                bodies=(piece.name,),
                remedy=self._put_right(piece, time),
            )

    def _put_right(self, piece: Piece, time: float) -> str:
        """What would have held a piece that falls: the grip that was closing, the one that opened too soon, the one that closes too late."""
        chucks = [event for event in self.events.in_order if self.grips[event.act.name].kind == "chuck"]
        if closing := [e for e in chucks if e.what == "closed" and e.begun <= time < e.ready - 1e-9]:
            first = min(closing, key=lambda e: e.ready)
            return f"Dwell {first.ready - time:.2f} s longer before this: {first.act.name} is still closing."
        let_go = {
            spell.grip
            for spell in self.spells
            if spell.piece.split("/")[0] == piece.name.split("/")[0] and spell.end < time - 1e-9
        }
        if opened := [e for e in chucks if e.what == "opening" and e.time < time - 1e-9 and e.act.name in let_go]:
            last = max(opened, key=lambda e: e.time)
            return f"Open {last.act.name} only after this: it opens in {last.act.program} line {last.act.line}, {time - last.time:.2f} s before."
        if late := [e for e in chucks if e.what == "closed" and e.begun > time]:
            first = min(late, key=lambda e: e.begun)
            return f"Close {first.act.name} first: it closes in {first.act.program} line {first.act.line}, {first.ready - time:.2f} s too late."
        return CATALOGUE["hold.dropped"].remedy

    def _catcher(self, piece: Piece, segment: int) -> str:
        """The catcher whose box the middle of a piece is in, or above."""
        place = self._middle(piece, segment)
        for name, grip in self.grips.items():
            if grip.kind != "catcher" or grip.box is None:
                continue
            pose = self.chain.mount_pose(self.mounts[name], self.values(segment)[None])[0]
            x, y, z = apply(inverse(pose), place[None])[0]
            half = np.array(grip.box) / 2.0
            if abs(x) <= half[0] and abs(y) <= half[1] and z >= -half[2]:
                return name
        return ""

    def _in_bar_feed(self, grip: Grip, piece: Piece, segment: int) -> bool:
        """Whether a piece goes on behind the reach of a grip that pushes: it lies in the bar feed, and does not fall."""
        if not any(act.does == "push" and act.grip == grip.name for act in self.job.machine.codes.values()):
            return False
        z = self._seen_from(grip, piece, segment)[:, 2]
        return bool(len(z)) and float(z.min()) < grip.reach[0] - HAIR_MM

    def _part(self, piece: Piece, segment: int) -> None:
        """Make pieces of their own of what has come off."""
        cuts = int(piece.cutting.removed.sum())
        if cuts == piece.asked_at:
            return
        piece.asked_at = cuts
        found = components(piece.cutting.stock)
        if not found.loose:
            return
        stays = self._stays(piece, found, segment)
        others = [i for i in [found.main, *found.loose] if i != stays]
        whole, designs = piece.cutting.stock, piece.cutting.designs or []
        slivers = set(range(found.volume.shape[1])) - set(others)
        given = {name: self._most_of(mesh, found, [stays, *others], piece) for name, mesh in designs}
        last = int(max(found.tag[i] for i in others))
        time = float(self.result.reel.end_time[last]) if last >= 0 else 0.0  # the cut that freed it
        where = self.result.reel.where(last, time) if last >= 0 else self.result.reel.where(-1)
        made = []
        for i in others:
            number = 1 + sum(p.name.startswith(f"{piece.name.split('/')[0]}/") for p in self.pieces)
            name = f"{piece.name.split('/')[0]}/{number}"
            own = Piece(piece.cutting.parted(name, separated(whole, found, {i}), segment, time))
            own.cutting.designs = [(n, mesh) for n, mesh in designs if given[n] == i]
            own.asked_at = int(own.cutting.removed.sum())
            own.cutting.others[name] = own.cutting
            self.pieces.append(own)
            made.append(own)
        piece.cutting.holds_only(separated(whole, found, slivers), time)
        piece.cutting.designs = [(n, mesh) for n, mesh in designs if given[n] == stays]
        spells = [spell for spell in self.spells if spell.piece == piece.name and spell.end == np.inf]
        for own in made:  # every grip goes with what it holds
            for spell in spells:
                grip = self.grips[spell.grip]
                if self._length(grip, own, segment) > max(HAIR_MM, self._length(grip, piece, segment)):
                    spell.end = time
                    self.spells.append(Held(grip.name, own.name, time, np.inf))
                    if grip.name in piece.held:
                        own.held[grip.name] = piece.held.pop(grip.name)
        for own in [piece, *made]:
            if own.held:
                before = own.cutting.placement.link
                self._carry(own, time, segment)
                if own is not piece and own.cutting.placement.link == before:
                    own.cutting.watch.change(segment, self._entering(own, segment), own.cutting._spindle())
            elif own is not piece or (any(grip.kind == "chuck" for grip in self.grips.values()) and spells):
                self._fall(own, time, segment, where, f"{own.name} is cut off while nothing holds it")

    def _stays(self, piece: Piece, found: Components, segment: int) -> int:
        """The component that keeps the name: what the grip that carries it holds most of; where none does, the largest."""
        if not piece.held:
            return found.main
        carrier = self.grips[min(piece.held, key=lambda name: (piece.held[name], list(self.grips).index(name)))]
        mount = self.mounts[carrier.name]
        seen = inverse(self.chain.mount_pose(mount, self.values(segment)[None])[0]) @ self._pose(piece, segment)

        def held(i: int) -> float:
            corners = np.array([[found.centre[i][0], found.centre[i][1], z] for z in (found.low[i], found.high[i])])
            z = np.sort(apply(seen @ piece.cutting.frame, corners)[:, 2])
            return float(min(z[1], carrier.reach[1]) - max(z[0], carrier.reach[0]))

        return max([found.main, *found.loose], key=held)

    @staticmethod
    def _most_of(mesh: Mesh, found: Components, of: list[int], piece: Piece) -> int:
        """The component that a design shares most with, by the boxes of both along the grid's Z."""
        z = mesh.moved(inverse(piece.cutting.frame)).vertices[:, 2]
        low, high = float(z.min()), float(z.max())
        return max(of, key=lambda i: min(high, float(found.high[i])) - max(low, float(found.low[i])))

    # --- what is where ------------------------------------------------------------------------------------------------------

    def values(self, segment: int) -> Floats:
        return np.asarray(self.result.values[min(segment, len(self.result.values) - 1)])

    def where(self, event: Happening) -> Where:
        """The place of the code that works a grip."""
        act, strand = event.act, event.strand
        motion = strand.reel.first + min(act.motion, len(strand.reel.motions) - 1)
        return Where(
            strand.channel,
            act.program,
            act.line,
            event.begun,
            int(strand.reel.motions.tool[motion - strand.reel.first]),
            motion,
            motion,
        )

    def _pose(self, piece: Piece, segment: int) -> Floats:
        """The piece's own frame in the machine's."""
        return np.asarray(piece.cutting.placement.pose(self.chain, self.values(segment)[None])[0])

    def _seen_from(self, grip: Grip, piece: Piece, segment: int) -> Floats:
        """The corners of a piece as it is, in the frame of a grip's mount."""
        mount = self.chain.mount_pose(self.mounts[grip.name], self.values(segment)[None])[0]
        standing = piece.cutting.standing()
        pose = self.chain.pose(piece.cutting.placement.link, self.values(segment)[None])[0]
        return apply(inverse(mount) @ pose, standing.vertices)

    def _middle(self, piece: Piece, segment: int) -> Floats:
        standing = piece.cutting.standing()
        pose = self.chain.pose(piece.cutting.placement.link, self.values(segment)[None])[0]
        low, high = standing.bounds
        return np.asarray(apply(pose, (0.5 * (low + high))[None])[0])

    def _length(self, grip: Grip, piece: Piece, segment: int) -> float:
        """How much of a piece lies within a grip's reach, along its Z."""
        seen = self._seen_from(grip, piece, segment)
        if not len(seen) or not self._surrounds(seen, grip):
            return 0.0
        return max(0.0, min(float(seen[:, 2].max()), grip.reach[1]) - max(float(seen[:, 2].min()), grip.reach[0]))

    @staticmethod
    def _surrounds(seen: Floats, grip: Grip) -> bool:
        """Whether a piece stands round the grip's axis rather than beside it."""
        low, high = seen[:, :2].min(axis=0), seen[:, :2].max(axis=0)
        room = grip.holds[1] / 2.0 if grip.holds else float(np.max(high - low))
        return bool((low < room).all() and (high > -room).all())

    def _within(self, grip: Grip, segment: int) -> tuple[Piece, float, float] | None:
        """The piece that stands within a grip's reach, how much of it, and its diameter there."""
        best: tuple[Piece, float, float] | None = None
        for piece in self.pieces:
            if piece.gone is not None:
                continue
            seen = self._seen_from(grip, piece, segment)
            if not len(seen) or not self._surrounds(seen, grip):
                continue
            low, high = float(seen[:, 2].min()), float(seen[:, 2].max())
            if grip.kind == "centre":
                ends = [z for z in (low, high) if grip.reach[0] - HAIR_MM <= z <= grip.reach[1] + HAIR_MM]
                length = 1.0 if ends else 0.0
            else:
                length = min(high, grip.reach[1]) - max(low, grip.reach[0])
            if length <= HAIR_MM or (best and length <= best[1]):
                continue
            best = piece, length, self._diameter(seen, grip, piece, segment)
        return best

    def _diameter(self, seen: Floats, grip: Grip, piece: Piece, segment: int) -> float:
        """The greatest diameter of a piece within a grip's reach, about its own axis."""
        from_axis, _ = self._axis(grip, piece, segment)
        held = seen[(seen[:, 2] > grip.reach[0] - HAIR_MM) & (seen[:, 2] < grip.reach[1] + HAIR_MM)]
        if not len(held):  # its corners lie on either side: a plain stretch between
            below, above = seen[seen[:, 2] <= grip.reach[0]], seen[seen[:, 2] >= grip.reach[1]]
            sides = [2.0 * float(np.hypot(*(part[:, :2] - from_axis).T).max()) for part in (below, above) if len(part)]
            return min(sides) if sides else 0.0
        return 2.0 * float(np.hypot(*(held[:, :2] - from_axis).T).max())

    def _axis(self, grip: Grip, piece: Piece, segment: int) -> tuple[Floats, float]:
        """Where the axis of a piece's spindle passes the middle of a grip's reach, in the grip's x and y, and how far off that is."""
        mount = self.chain.mount_pose(self.mounts[grip.name], self.values(segment)[None])[0]
        spindle = piece.cutting._spindle()
        axis = inverse(mount) @ self._pose(piece, segment) @ piece.cutting.frame
        point, way = apply(axis, spindle[None])[0], axis[:3, 2]
        if abs(way[2]) < 0.5:
            return point[:2], float(np.hypot(*point[:2]))
        at = point + (0.5 * sum(grip.reach) - point[2]) / way[2] * way
        return at[:2], float(np.hypot(*at[:2]))

    # --- checks -------------------------------------------------------------------------------------------------------------

    def _check_centred(self, grip: Grip, piece: Piece, segment: int, where: Where) -> None:
        _, off = self._axis(grip, piece, segment)
        if off > OFF_CENTRE_MM:
            self.docket.add("hold.off_centre", f"{grip.name} closes {off:.3f} mm beside the axis of {piece.name}", where=where,
                            bodies=(grip.name, piece.name), amount=off)  # fmt: skip

    def _turning(self, link_mount: Mount | str, time: float) -> Floats:
        """How a mount or link turns in space at a moment, (3,) rev/min about the machine's axes."""
        link = link_mount if isinstance(link_mount, str) else link_mount.link
        path = {step.name for step in self.chain.path_to(link)}
        for spindle in self.job.machine.spindles:
            mount = self.chain.mounts[spindle.mount]
            if spindle.turns == "work" and mount.link in path and spindle.name in self.speeds:
                return spindle_ways(self.job, self.chain)[spindle.name] * float(self.speeds[spindle.name].at(time))
        return np.zeros(3)

    def _check_speed_at(self, grip: Grip, piece: Piece, time: float, where: Where, does: str) -> None:
        """A grip that closes on, or opens from, a piece which another turns."""
        others = [name for name in piece.held if name != grip.name]
        carrier = self.mounts[others[0]].link if others else piece.cutting.placement.link
        apart = float(np.linalg.norm(self._turning(self.mounts[grip.name], time) - self._turning(carrier, time)))
        if apart > APART_RPM:
            self.docket.add(
                "hold.speed", f"{grip.name} {does} {piece.name}, which turns {apart:.0f} rev/min otherwise than its own spindle",
                where=where, bodies=(grip.name, piece.name), amount=apart,
            )  # fmt: skip

    def _after(self) -> None:
        """What is asked once it is known who held what, and when."""
        chucks = [spell for spell in self.spells if self.grips[spell.grip].kind == "chuck"]
        for i, one in enumerate(chucks):
            for other in chucks[i + 1 :]:
                begin, end = max(one.begin, other.begin), min(one.end, other.end)
                if one.piece == other.piece and one.grip != other.grip and end > begin:
                    self._check_together(one, other, begin, end)
        for (bush, piece_name), where in self.left_bush.items():
            empty = self.bushes[bush, piece_name]
            self.docket.add("hold.left", f"{piece_name} is drawn out of {bush}: {empty:.2f} mm of it are empty", where=where,
                            bodies=(bush, piece_name), amount=empty)  # fmt: skip
        for event, name in self.worked:
            self._check_early(event, name)
        self._tell_of_the_bar()

    def _rows(self, begin: float, end: float) -> np.ndarray:
        """The segments that lie in a stretch of time."""
        return np.flatnonzero((self.knots.t1 > begin + 1e-9) & (self.knots.t0 < end - 1e-9))

    def _lead(self, one: str, other: str, segment: int) -> int:
        a, b = (Body(f"grip {name}", self.mounts[name].link, ()) for name in (one, other))
        return int(self.follower.lead(a, b)[segment])

    def _check_together(self, one: Held, other: Held, begin: float, end: float) -> None:
        """Two chucks on one piece: they must stand still against each other, and turn alike."""
        rows = self._rows(begin, end)
        if not len(rows):
            return
        values = self.result.values[np.append(rows, rows[-1] + 1)]
        a, b = self.mounts[one.grip], self.mounts[other.grip]
        seen = inverse(self.chain.mount_pose(a, values)) @ self.chain.mount_pose(b, values)
        moved = np.linalg.norm(seen[:, :3, 3] - seen[0, :3, 3], axis=1)
        turned = np.degrees(
            np.arccos(np.clip(0.5 * (np.einsum("nij,ij->n", seen[:, :3, :3], seen[0, :3, :3]) - 1.0), -1.0, 1.0))
        )
        bodies = (one.grip, other.grip, one.piece)
        for amount, hair, unit in ((moved, HAIR_MM, "mm"), (turned, HAIR_DEG, "°")):
            off = np.flatnonzero(amount > hair)
            if not len(off):
                continue
            segment = int(rows[max(0, off[0] - 1)])
            self.docket.add(
                "hold.pulled", f"{one.grip} and {other.grip} both hold {one.piece} while they move {float(amount.max()):.2f} {unit} "
                "against each other", where=self.result.reel.where(self._lead(one.grip, other.grip, segment), float(self.knots.t0[segment])),
                bodies=bodies, amount=float(amount.max()),
            )  # fmt: skip
            break
        # Their spindles' speeds may change only where an event is: asked at every segment.
        apart = np.array([
            float(np.linalg.norm(self._turning(a, t) - self._turning(b, t)))
            for t in (0.5 * (np.maximum(self.knots.t0[rows], begin) + np.minimum(self.knots.t1[rows], end))).tolist()
        ])  # fmt: skip
        off = np.flatnonzero(apart > APART_RPM)
        told = any(
            f.kind == "hold.speed" and one.piece in f.bodies and {one.grip, other.grip} & set(f.bodies)
            for f in self.docket
        )
        if len(off) and not told:
            segment = int(rows[off[0]])
            self.docket.add(
                "hold.speed", f"{one.grip} and {other.grip} both hold {one.piece} and turn {float(apart.max()):.0f} rev/min apart",
                where=self.result.reel.where(int(self.knots.motion[segment]), float(self.knots.t0[segment])), bodies=bodies,
                amount=float(apart.max()),
            )  # fmt: skip

    def _check_early(self, event: Happening, name: str) -> None:
        """Nothing of what is being gripped or let go may move, be cut or be turned up before the grip has had its time."""
        grip, begun, ready = event.act.name, event.begun, event.ready
        if ready - begun < 1e-9:
            return
        piece = next((p for p in self.pieces if p.name == name), None)
        rows = self._rows(begun, ready)
        if piece is None or not len(rows):
            return
        knots, found = self.knots, []  # time, where
        at = self.result.reel.where
        mount = self.mounts[grip]
        stands = piece.cutting.machine_from_work
        for segment in rows.tolist():
            ends = [
                np.concatenate([
                    self.chain.mount_pose(mount, self.result.values[segment + k][None])[0],
                    stands.at(segment, float(k)),
                ]) for k in (0, 1)
            ]  # fmt: skip
            if np.abs(ends[1] - ends[0]).max() > 1e-6:
                time = max(float(knots.t0[segment]), begun)
                found.append(
                    (time, at(self._lanes_that_move(segment, [mount.link, piece.cutting.placement.link]), time))
                )
                break
        reel = self.result.reel
        cut = np.flatnonzero(piece.cutting.removed & (reel.begin_time < ready - 1e-9) & (reel.end_time > begun + 1e-9))
        if len(cut):
            first = int(cut[np.argmin(reel.begin_time[cut])])
            time = max(float(reel.begin_time[first]), begun)
            found.append((time, at(first, time)))
        found += self._turned_up(mount, event)
        if not found:
            return
        time, where = min(found, key=lambda each: each[0])
        if ready - time <= 1e-6:
            return
        remedy = f"Dwell {ready - time:.2f} s longer before this."
        if where.motion >= 0 and self.result.reel.begin_time[where.motion] < begun - 1e-9:  # it was under way already
            remedy = (
                f"Work {grip} only when this is done: its code stands in {event.act.program} line {event.act.line}."
            )
        self.docket.add(
            "hold.early", f"{name} is moved, cut or turned up {ready - time:.2f} s before {grip} is ready", where=where,
            bodies=(grip, name), amount=ready - time, remedy=remedy,
        )  # fmt: skip

    def _lanes_that_move(self, segment: int, links: list[str]) -> int:
        """The motion that moves one of some links in a segment."""
        columns = {
            self.chain.axes.index(axis)
            for link in links
            for step in self.chain.path_to(link)
            if step.joint
            for axis in step.joint.factors
        }
        changed = np.flatnonzero(self.result.values[segment + 1] != self.result.values[segment])
        for lane, strand in enumerate(self.result.strands):
            if columns & set(changed.tolist()) & set(strand.columns) and self.knots.lanes[segment, lane] >= 0:
                return int(self.knots.lanes[segment, lane])
        return int(self.knots.motion[segment])

    def _turned_up(self, mount: Mount, event: Happening) -> list[tuple[float, Where]]:
        """When, while a grip is not ready, its spindle is given a higher speed, and where."""
        path = {step.name for step in self.chain.path_to(mount.link)}
        found = []
        for spindle in self.job.machine.spindles:
            speed = self.speeds.get(spindle.name)
            if speed is None or spindle.turns != "work" or self.chain.mounts[spindle.mount].link not in path:
                continue
            for time, more, ask in speed.ups():
                # At the very moment of the code it counts where it does not stand before it in the same program.
                before = ask.strand is event.strand and ask.motion <= event.act.motion
                if (
                    more > APART_RPM
                    and event.begun - 1e-9 <= time < event.ready - 1e-9
                    and not (before and time < event.begun + 1e-9)
                ):
                    where = ask.strand.reel.where(min(ask.motion, len(ask.strand.reel.motions) - 1), time)
                    found.append((time, replace(where, program=ask.program, line=ask.line) if ask.line else where))
        return found

    # --- what touches ---------------------------------------------------------------------------------------------------------

    def _entering(self, piece: Piece, segment: int) -> list[Entering]:
        """What enters the outline of a piece from a segment on."""
        here = piece.cutting.placement
        stock = Body(piece.name, here.link, (self._outline(piece, segment),), role="stock")
        others = [
            Body(p.name, p.cutting.placement.link, (self._outline(p, segment),), role="stock")
            for p in self.pieces
            if p.gone is None and p is not piece and p.name > piece.name
        ]
        within = (segment, len(self.knots.motion))
        spared = partial(self._spared, piece.feed)
        return find_entering(self.result, self.follower, stock, [stock, *others], here, within, spared)

    def _outline(self, piece: Piece, segment: int) -> Mesh:
        """What holds a piece from a segment on, in its link's frame: the blank at first; later, since it only becomes less, the ring
        about its axis that holds what there is of it."""
        own = piece.cutting
        if segment == 0:
            return own.mesh.moved(own.placement.frame @ own.frame)
        axis = own.placement.frame @ own.frame
        axis = axis @ frame(tuple(own._spindle().tolist()), (0.0, 0.0, 0.0))
        return spun(own.standing(), axis)

    def _spared(self, feed: str, body: Body) -> np.ndarray | None:
        """The segments in which a body may touch a piece: the jaws of a grip while they close, hold and let go; a guide bush that is a
        link of its own; all that bears the open grip through which it lies in the bar feed, or is borne by it."""
        found: np.ndarray | None = None
        bushes = {self.mounts[name].link for name, grip in self.grips.items() if grip.kind == "bush"}
        if body.link in bushes and not any(
            m.link == body.link and m.takes == "tool" for m in self.chain.mounts.values()
        ):
            path = self.chain.path_to(body.link)
            if len(path) > 1:
                return np.ones(len(self.knots.motion), np.bool_)
        if feed:
            mount = self.mounts[feed].link
            bears = {step.name for step in self.chain.path_to(mount)[1:]}
            if body.link in bears or mount in {step.name for step in self.chain.path_to(body.link)}:
                return np.ones(len(self.knots.motion), np.bool_)
        for name, grip in self.grips.items():
            if not grip.jaws:
                continue
            axes = set(grip.jaws.axes)
            if not any(step.joint and step.joint.axis in axes for step in self.chain.path_to(body.link)):
                continue
            found = np.zeros(len(self.knots.motion), np.bool_) if found is None else found
            for event in self.events.of(name):
                if event.what == "closed":
                    later = [e.ready for e in self.events.of(name) if e.what == "opening" and e.time >= event.time]
                    end = min(later, default=np.inf)
                    found |= (self.knots.t1 > event.begun) & (self.knots.t0 < end)
            if grip.starts == "closed":
                end = min((e.ready for e in self.events.of(name) if e.what == "opening"), default=np.inf)
                found |= self.knots.t0 < end
        return found

    # --- jaws -----------------------------------------------------------------------------------------------------------------

    def _stand_jaws_from(self, grip: Grip, event: Happening, diameter: float) -> None:
        if grip.jaws:
            first = int(np.searchsorted(self.knots.t0, event.begun - 1e-9))
            last = int(np.searchsorted(self.knots.t0, event.ready - 1e-9))
            self._stand_jaws(grip, first, last, diameter)

    def _stand_jaws(self, grip: Grip, first: int, last: int, diameter: float) -> None:
        """Let the jaws come to a diameter between two knots, and stand there from then on."""
        assert grip.jaws
        values = self.result.values
        to = (diameter - grip.jaws.drawn) / 2.0
        for axis in grip.jaws.axes:
            column = self.chain.axes.index(axis)
            begin = float(values[first, column])
            if last > first:
                times = np.append(self.knots.t0, self.result.reel.seconds)
                share = (times[first : last + 1] - times[first]) / max(times[last] - times[first], 1e-12)
                values[first : last + 1, column] = begin + share * (to - begin)
            values[last:, column] = to
        self.follower.moved()

    # --- the end --------------------------------------------------------------------------------------------------------------

    def _finished(self, piece: Piece) -> CutStock:
        cut = piece.cutting.finished()
        last = len(self.knots.motion)
        carriers = [name for name in piece.held if self.grips[name].kind == "chuck"]
        cut.held_by = (
            sorted(carriers, key=lambda name: piece.held[name])
            if piece.gone is None
            else [piece.gone]
            if piece.gone
            else []
        )
        mount = self._mount_of(piece, cut.held_by)
        cut.mount = mount.name
        here = piece.cutting.placement
        placed = frame(mount.at, mount.turn)
        values = self.values(last)[None]
        at_end = inverse(self.chain.pose(mount.link, values)[0] @ placed) @ here.pose(self.chain, values)[0]
        cut.at_end = None if np.allclose(at_end, np.eye(4), atol=1e-12) else at_end
        return cut

    def _mount_of(self, piece: Piece, held_by: list[str]) -> Mount:
        """The mount that a piece is on: that of the grip which carries it, else the one that it was on last."""
        if held_by:
            return self.mounts[held_by[0]]
        for _, placement in reversed(piece.cutting.spans):
            for mount in self.chain.mounts.values():
                if mount.takes == "work" and mount.link == placement.link:
                    return mount
        name = piece.name.split("/")[0]
        return self.chain.mounts[next(b.mount for b in self.job.file.bodies if b.name == name)]


def cut_held(
    result: Rehearsal, follower: Follower, events: Events, tell: Callable[[str, float], None]
) -> list[CutStock]:
    """Every piece of stock on a machine that has grips."""
    return Holding(result, follower, events, tell).run()
