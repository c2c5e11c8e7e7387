"""Moving the virtual machine by hand: from where it stands to where it is sent, with what it meets on the way.

Nothing is kept between calls but the geometry: a panel is asked from values to values, and answers in milliseconds.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..contact.program import Follower, clearances, pairs_of
from ..findings import Docket
from ..geometry.frames import Floats
from ..job import Job
from ..job.channel import channel_view
from ..job.models import is_rotary_word
from ..machine import Chain
from ..program.interpreter import Interpreter
from ..program.text import ProgramText
from ..timeline.reel import Knots, make_knots, slides_of, time_motions
from ..timeline.steps import Standing
from .replaying import KNOT_TOLERANCE_MM
from .run import assemblies
from .scene import blanks, contact_bodies
from .virtual_control import control_setup, kinematics_of

HAIR = 0.02  # mm or degrees


@dataclass(frozen=True)
class Met:
    """Two bodies that touch (`clearance` 0) or come nearer than asked for, and where on the way they first do."""

    a: str
    b: str
    clearance: float
    point: tuple[float, float, float]
    share: float  # of the whole way


@dataclass
class Moved:
    """`values`: where the axes stand in the end (or where the first contact stopped them)."""

    axes: tuple[str, ...]
    values: list[float]
    touching: list[Met] = field(default_factory=list)
    near: list[Met] = field(default_factory=list)
    over: list[tuple[str, float]] = field(default_factory=list)  # axis, how far past its travel
    said: list[str] = field(default_factory=list)  # what the control reports of a typed block
    path: list[list[float]] = field(default_factory=list)  # the values passed on the way


class HandPanel:
    """One job's machine, with what is clamped on it, under the hand."""

    def __init__(self, job: Job) -> None:
        job = channel_view(job, job.file.programs[0])
        self.job, self.chain = job, Chain(job.machine)
        self.tools = assemblies(job)
        channel = job.file.programs[0].channel
        self.kinematics = kinematics_of(job, self.chain, channel)
        self.setup = control_setup(job, self.chain, channel, self.kinematics)
        self.channel = channel
        every = set(self.tools)
        self.bodies = contact_bodies(job, self.chain, self.tools, every)
        self.bodies += blanks(job, self.chain)
        self.pairs = [
            pair for pair in pairs_of(self.bodies, self.chain, job.machine.ignore)
            if not any(body.while_work == "spins" for body in pair)
        ]  # fmt: skip
        self.home = [float(self.setup.references.get(1, {}).get(axis, 0.0)) for axis in self.setup.axes]
        self._follower: Follower | None = None
        self.at_rest = {frozenset(pair) for pair in self.touching_at_rest()}

    def _full(self, rows: Floats) -> Floats:
        reference = self.setup.references.get(1, {})
        full = np.tile([reference.get(axis, 0.0) for axis in self.chain.axes], (len(rows), 1))
        for column, axis in enumerate(self.setup.axes):
            full[:, self.chain.axes.index(axis)] = rows[:, column]
        return full

    def move(self, begin: list[float], end: list[float], tool: int = 0, stop: bool = True) -> Moved:
        """Every axis straight from `begin` to `end`; with `stop` the way ends where two bodies first touch."""
        return self._along(np.array([begin, end], float), tool, stop)

    def _along(self, rows: Floats, tool: int, stop: bool) -> Moved:
        m = len(rows) - 1
        answer = Moved(self.setup.axes, rows[-1].tolist(), path=rows.tolist())
        follower = self._prepared(self._knots(rows), tool)
        near = clearances(self.pairs, self.job.file.checks.near, self.job.file.checks.pairs)
        asked = [(pair, own) for pair, own in zip(self.pairs, near, strict=True) if own is not None]
        # What touches already may be moved away from: such a pair is asked again from a hair farther on.
        size = float(np.abs(rows[1] - rows[0]).max())
        later = rows.copy()
        later[0] += (rows[1] - rows[0]) * min(1.0, HAIR / size if size else 0.0)
        met: list[tuple[float, int, Met]] = []
        for (a, b), own in asked:
            if frozenset((a.label, b.label)) in self.at_rest or any(
                t.tool not in (0, tool) and not t.always for t in (a, b)
            ):
                continue
            seen = follower.follow(a, b, own)
            if seen.hit[0] == 2 and seen.share[0] == 0.0:
                seen = self._prepared(self._knots(later), tool).follow(a, b, own)
            for level in (2, 1):
                hits = np.flatnonzero(seen.hit == level)
                if len(hits):
                    first = int(hits[0])
                    share = float((first + seen.share[first]) / m)
                    point = follower.nearest(a, b, seen.screws, follower.at(first, float(seen.share[first])))
                    clearance = 0.0 if level == 2 else float(seen.closest[hits].min())
                    met.append((share, level, Met(a.label, b.label, clearance, point, share)))
                    break
        answer.touching = [item for _, level, item in sorted(met, key=lambda m: m[0]) if level == 2]
        answer.near = [item for _, level, item in sorted(met, key=lambda m: m[0]) if level == 1]
        if stop and answer.touching:
            place = answer.touching[0].share * m
            segment = min(int(place), m - 1)
            answer.values = (rows[segment] + (place - segment) * (rows[segment + 1] - rows[segment])).tolist()
            answer.path = [*rows[: segment + 1].tolist(), answer.values]
            # What lies beyond the stop was not met.
            reached = answer.touching[0].share + 1e-9
            answer.touching = [item for item in answer.touching if item.share <= reached]
            answer.near = [item for item in answer.near if item.share <= reached]
        answer.over = self._past(np.array(answer.path))
        return answer

    def _past(self, rows: Floats) -> list[tuple[str, float]]:
        """The axes that leave their travel on a way, and by how much."""
        found = []
        rows = rows @ slides_of([self.chain.joints[axis] for axis in self.setup.axes])
        for column, axis in enumerate(self.setup.axes):
            travel = self.chain.joints[axis].travel
            if travel:
                past = max(travel[0] - float(rows[:, column].min()), float(rows[:, column].max()) - travel[1])
                if past > 1e-9:
                    found.append((axis, past))
        return found

    def _knots(self, rows: Floats) -> Knots:
        return Knots.through(self._full(rows))

    def _prepared(self, knots: Knots, tool: int) -> Follower:
        """A follower for these knots that shares the trees and pieces made before."""
        follower = Follower(knots, knots.at, self.chain, Standing.with_tool(knots, tool))
        if self._follower:
            follower.trees, follower.convex = self._follower.trees, self._follower.convex
        self._follower = follower
        return follower

    def touching_at_rest(self) -> list[tuple[str, str]]:
        """Pairs that touch where the machine stands when it is switched on: faults of the model, or meant to."""
        follower = self._prepared(self._knots(np.array([self.home, self.home])), 0)
        return [
            (a.label, b.label)
            for a, b in self.pairs
            if not (a.tool or b.tool) and (follower.follow(a, b, 0.0).hit == 2).any()
        ]

    def run_block(self, values: list[float], tool: int, block: str, stop: bool = True) -> Moved:
        """A typed block, carried out from where the axes stand with this tool in use."""
        docket = Docket()
        start = dict(zip(self.setup.axes, values, strict=True))
        run = Interpreter(
            self.setup,
            [ProgramText("typed", f"{block}\nM30\n".encode(), self.setup.dialect.o_words)],
            docket,
            self.channel,
            start,
        )
        run.control.tool = tool
        # A block typed by hand may cut without having called a length offset first: the hand knows.
        run.told |= {"length", "no tool", "feed", "spindle", "speed", ("offset", "G54")}
        motions = run.run().motions
        said = [f"{item.message}" for item in docket]
        if not len(motions):
            return Moved(self.setup.axes, values, said=said)
        joints = [self.chain.joints[axis] for axis in self.setup.axes]
        reel = time_motions(motions, joints, self.job.machine.rapid == "dogleg", self.kinematics)
        rows = make_knots(reel, KNOT_TOLERANCE_MM).at
        answer = self._along(rows if len(rows) > 1 else np.array([values, values]), int(motions.tool[-1]), stop)
        answer.said = said
        return answer

    def offset_here(self, values: list[float], tool: int) -> dict[str, float]:
        """What a work offset must hold, as it is typed at the control, for the program's zero to be where the tip stands now:
        machine values less the tool's length or geometry, diameters where the machine has them; rotary axes that stand at
        zero are left out."""
        geometry = self.setup.geometry.get(tool, {})
        length = 0.0 if geometry else self.setup.length_registers.get(tool, 0.0)
        held = {}
        for axis, value in zip(self.setup.axes, values, strict=True):
            if len(axis) > 1 or (is_rotary_word(axis) and value == 0.0):
                continue
            own = value - geometry.get(axis, 0.0) - (length if axis == "Z" else 0.0)
            held[axis] = round(own * (2.0 if axis in self.setup.diameters else 1.0), 6)
        return held
