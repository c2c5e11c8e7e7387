"""How far a shift may go before two bodies touch: followed again, each time as far on as the clearance found is certain to allow.

With a quantity off by e no point of one body stands farther than e · D from where it stood against the other, D the most that 1 mm of it
shifts them against each other. So if c is left at e, nothing touches before e + c / D.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..contact.bodies import Body
from ..contact.program import Follower, clearances, pairs_of
from ..geometry.frames import Floats, frame
from ..job.channel import tool_key
from ..machine.screws import between
from ..rehearsal import Rehearsal
from ..rehearsal.entering import idle
from ..rehearsal.scene import blanks, contact_bodies
from ..tools import build_assembly
from .bounds import Bound
from .quantities import Quantity, longer
from .shifts import Shift

CERTAIN = 0.95  # of a margin: it is found to 5 %
TOUCHING_MM = 0.002
MOST_STEPS = 80


@dataclass
class Pair:
    """Two bodies and how near they come as the job stands; `only`: the segments in which they count, where not all."""

    a: Body
    b: Body
    only: np.ndarray | None
    margin: float | None = None  # None: not known yet
    near: tuple[float, np.ndarray] | None = None  # the segments in which they come so near


class Touching:
    """The pairs of a rehearsal, to be asked about shifts."""

    def __init__(self, result: Rehearsal) -> None:
        self.result = result
        job, chain = result.job, result.chain
        self.used = set(np.unique(result.reel.motions.tool).tolist())
        self.bodies = contact_bodies(job, chain, result.tools, self.used, result.values)
        pairs = pairs_of(self.bodies, chain, job.machine.ignore)
        asked = clearances(pairs, job.file.checks.near, job.file.checks.pairs)
        self.pairs = [Pair(a, b, None) for (a, b), near in zip(pairs, asked, strict=True) if near is not None]
        known = {(margin.a, margin.b): margin.clearance for margin in result.margins}
        self.entered: list[str] = []
        if not job.file.switches.dry_run and not job.machine.grips:
            self._with_blanks(known)
        for pair in self.pairs:
            names = (pair.a.label, pair.b.label)
            pair.margin = known.get(names, known.get((names[1], names[0])))
        self.follower = self._follower(result.values)
        self.origins: dict[tuple[str, str], Floats] = {}

    def _with_blanks(self, known: dict[tuple[str, str], float]) -> None:
        """What is no tool in use counts beside the blank as it was: what enters its outline is told as a limit."""
        result = self.result
        stocks = blanks(result.job, result.chain)
        others = [body for body in self.bodies if not body.tool or body.always]
        for at, stock in enumerate(stocks):
            for a, b in pairs_of([*others, *stocks[at + 1 :], stock], result.chain, result.job.machine.ignore):
                if b is not stock:
                    continue
                names = (a.label, b.label)
                if names not in known and names[::-1] not in known:
                    self.entered.append(f"{a.label} in the outline of {b.label}")
                    continue
                self.pairs.append(Pair(a, b, idle(result, a.tool) if a.tool else None))

    def _follower(self, values: Floats) -> Follower:
        result = self.result
        return Follower(
            result.knots, values, result.chain, result.standing, [strand.columns for strand in result.strands]
        )

    def bound(self, quantity: Quantity, shift: Shift, sign: float, reach: float) -> Bound:
        """How far it may be off one way, up to `reach`, before two bodies touch."""
        changed = self._changed(quantity)
        best = Bound(reach)
        most = float(np.abs(shift.knots).max(axis=0).sum())
        for pair in self.pairs:
            own = sum(changed.moves(body) for body in (pair.a, pair.b))
            if pair.margin is not None and CERTAIN * pair.margin >= (most + own) * best.amount:
                continue
            rate = self._rate(pair, shift) + own
            if rate <= 1e-9:
                continue
            if pair.margin is not None and CERTAIN * pair.margin >= rate * best.amount:
                continue
            found = self._search(pair, changed, shift, sign, rate, best.amount)
            if found is not None:
                best = found
        return best

    def _rate(self, pair: Pair, shift: Shift) -> float:
        """The most that 1 mm shifts two bodies against each other by the axes."""
        if not shift.moves:
            return 0.0
        chain, values = self.result.chain, self.result.values
        links = pair.a.link, pair.b.link
        screws = between(chain, *links)
        if links not in self.origins:
            self.origins[links] = screws.origins(values)
        moved = screws.origins(values + shift.knots) - self.origins[links]
        return float(np.sqrt((moved**2).sum(axis=1)).max(initial=0.0))

    def _search(
        self, pair: Pair, changed: Changed, shift: Shift, sign: float, rate: float, upto: float
    ) -> Bound | None:
        """The shift at which the two touch, where that is less than `upto`."""
        only = self._near(pair, rate * upto / CERTAIN)
        if not only.any():
            return None
        amount, motion = 0.0, -1
        for _ in range(MOST_STEPS):
            follower = self._follower(self.result.values + sign * amount * shift.knots)
            a, b = (changed.body(body, sign * amount) for body in (pair.a, pair.b))
            margin = follower.follow(a, b, 0.0, only).margin
            motion = margin.motion if margin.motion >= 0 else motion
            if margin.clearance < TOUCHING_MM:
                break
            amount += CERTAIN * margin.clearance / rate
            if amount >= upto:
                return None
        else:  # they slide along each other: up to here nothing touches, and it is not known what comes
            return Bound(amount)
        return Bound(amount, "contact.body", motion, (pair.a.label, pair.b.label))

    def _near(self, pair: Pair, near: float) -> np.ndarray:
        """The segments in which the two come so near, as the job stands."""
        if pair.near is None or pair.near[0] < near:
            followed = self.follower.follow(pair.a, pair.b, near, pair.only)
            pair.near = near, followed.hit > 0
            pair.margin = float(followed.margin.clearance)
        return pair.near[1]

    def _changed(self, quantity: Quantity) -> Changed:
        result = self.result
        if quantity.kind == "fixture":
            item = next(body for body in result.job.file.bodies if body.name == quantity.name)
            mount = result.chain.mounts[item.mount]
            return Slid(quantity.name, frame(mount.at, mount.turn)[:3, "XYZ".index(quantity.axis)])
        if quantity.kind == "stickout":
            return StoodOut(self, quantity.number)
        return Changed()


class Changed:
    """Bodies that are elsewhere, or others, when a quantity is off."""

    def moves(self, body: Body) -> bool:
        return False

    def body(self, body: Body, by: float) -> Body:
        return body


@dataclass
class Slid(Changed):
    """A fixture that stands elsewhere."""

    name: str
    way: Floats

    def moves(self, body: Body) -> bool:
        return body.role == "fixture" and body.name == self.name

    def body(self, body: Body, by: float) -> Body:
        if not self.moves(body) or not by:
            return body
        pose = np.eye(4)
        pose[:3, 3] = by * self.way
        return replace(
            body, solids=tuple(m.moved(pose) for m in body.solids), pieces=tuple(m.moved(pose) for m in body.pieces)
        )


@dataclass
class StoodOut(Changed):
    """A tool that stands farther out of its holder: other parts in the same mount."""

    touching: Touching
    key: int

    def moves(self, body: Body) -> bool:
        return body.tool == self.key

    def body(self, body: Body, by: float) -> Body:
        if not self.moves(body) or not by:
            return body
        result = self.touching.result
        entry = next(t for t in result.job.tools.tools if tool_key(result.job.machine, t) == self.key)
        changed = replace(build_assembly(longer(entry, by), result.tools[self.key].blocks), number=self.key)
        made = contact_bodies(result.job, result.chain, {self.key: changed}, {self.key}, result.values)
        return next((own for own in made if own.tool == self.key and own.name == body.name), body)
