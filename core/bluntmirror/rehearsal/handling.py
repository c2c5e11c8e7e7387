"""Moving the virtual machine by hand: from where it stands to where it is sent, with what it meets on the way.

Nothing is kept between calls but the geometry: a panel is asked from values to values, with the pieces in the hands that hold them
(`with_held`), and answers in milliseconds.
"""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.spatial.transform import Rotation

from ..contact.bodies import Body
from ..contact.program import Follower, clearances, pairs_of
from ..findings import Docket
from ..geometry.frames import Floats, frame, inverse
from ..geometry.mesh import joined
from ..job import Job
from ..job.channel import channel_view, tool_number
from ..job.models import Grip, ProgramFile, is_rotary_word
from ..machine import Chain
from ..machine.tip import Solvers
from ..program.control import Setup
from ..program.interpreter import Interpreter
from ..program.text import ProgramText
from ..timeline.reel import Knots, make_knots, slides_of, time_motions
from ..timeline.steps import Standing
from .arms import settle
from .reach_field import Field, reach_field
from .replaying import KNOT_TOLERANCE_MM
from .scene import assemblies, blanks, contact_bodies
from .virtual_control import Arms, control_setup, solvers_of, work_mount

HAIR = 0.02  # mm or degrees


@dataclass(frozen=True)
class Met:
    """Two bodies that touch (`clearance` 0) or come nearer than asked for, and where on the way they first do."""

    a: str
    b: str
    clearance: float
    point: tuple[float, float, float]
    share: float  # of the whole way


@dataclass(frozen=True)
class HeldPiece:
    """A piece in the hand's grips: those that hold it (the first carries it), the link that carries it, and the matrix, row by row,
    that takes its place on the link it began on to that on this one."""

    piece: str
    grips: tuple[str, ...]
    link: str
    matrix: tuple[tuple[float, float, float, float], ...]

    def carried(self, chain: Chain, link: str, full: Floats) -> HeldPiece:
        """The same on another link, standing where it stands with the axes so, (1, axes)."""
        if link == self.link:
            return self
        seen = inverse(chain.pose(link, full)[0]) @ chain.pose(self.link, full)[0] @ np.array(self.matrix)
        return replace(self, link=link, matrix=_rows(seen))


def _rows(matrix: Floats) -> tuple[tuple[float, float, float, float], ...]:
    return tuple((float(a), float(b), float(c), float(d)) for a, b, c, d in matrix.tolist())


@dataclass
class Moved:
    """`values`: where the axes stand in the end (or where the first contact stopped them). `told`: what a grip that was worked holds."""

    axes: tuple[str, ...]
    values: list[float]
    touching: list[Met] = field(default_factory=list)
    near: list[Met] = field(default_factory=list)
    over: list[tuple[str, float]] = field(default_factory=list)  # axis, how far past its travel
    said: list[str] = field(default_factory=list)  # what the control reports of a typed block
    path: list[list[float]] = field(default_factory=list)  # the values passed on the way
    told: list[str] = field(default_factory=list)
    held: tuple[HeldPiece, ...] = ()  # the pieces that grips hold by now


MOST_HELD = 6  # ways in which pieces are held that are kept at hand


def _moved_to(body: Body, held: HeldPiece) -> Body:
    matrix = np.array(held.matrix)
    if held.link == body.link and (matrix == np.eye(4)).all():
        return body  # given back elsewhere, it is on the link that it began on, too
    solids, pieces = (tuple(mesh.moved(matrix) for mesh in meshes) for meshes in (body.solids, body.pieces))
    return replace(body, link=held.link, solids=solids, pieces=pieces)


@dataclass(frozen=True)
class _Control:
    """What one channel's typed blocks are carried out by."""

    job: Job
    chain: Chain
    solvers: Solvers
    setup: Setup
    channel: int

    @staticmethod
    def of(job: Job, entry: ProgramFile) -> _Control:
        view = channel_view(job, entry)
        chain = Chain(view.machine)
        solvers = solvers_of(view, chain, entry.channel)
        return _Control(view, chain, solvers, control_setup(view, chain, entry.channel, solvers), entry.channel)


def hand_axes(job: Job) -> tuple[str, ...]:
    """The axes that a hand moves: those of every channel, then those of jaws."""
    jaws = [axis for grip in job.machine.grips if grip.jaws for axis in grip.jaws.axes]
    return tuple(dict.fromkeys([axis for channel in job.machine.channels for axis in channel.axes] + jaws))


def hand_home(job: Job, chain: Chain) -> list[float]:
    """Every axis of the hand at its first reference; jaws open, as far as nothing begins closed."""
    reference = job.machine.reference.get("1", {})
    jaws = {
        axis: (grip.holds[1] - grip.jaws.drawn) / 2.0
        for grip in job.machine.grips if grip.jaws and grip.holds and grip.starts == "open" for axis in grip.jaws.axes
    }  # fmt: skip
    return [float(reference.get(axis, jaws.get(axis, 0.0))) for axis in hand_axes(job)]


class HandPanel:
    """One job's machine, with what is clamped on it, under the hand: the axes of all channels, and those of jaws."""

    def __init__(self, job: Job) -> None:
        self.job, self.chain = job, Chain(job.machine)
        self.tools = assemblies(job)
        self.axes = hand_axes(job)
        self.controls = {entry.channel: _Control.of(job, entry) for entry in job.file.programs}
        first = self.controls[job.file.programs[0].channel]
        self.setup, self.renamed = first.setup, first.job.renamed
        every = set(self.tools)
        self.bodies = contact_bodies(job, self.chain, self.tools, every)
        self.bodies += blanks(job, self.chain)
        self.pairs = [
            pair for pair in pairs_of(self.bodies, self.chain, job.machine.ignore)
            if not any(body.while_work == "spins" for body in pair)
        ]  # fmt: skip
        self.home = hand_home(job, self.chain)
        self._follower: Follower | None = None
        self.at_rest = {frozenset(pair) for pair in self.touching_at_rest()}
        self.held = self._held_at_start()
        self._others: dict[tuple[HeldPiece, ...], HandPanel] = {self.held: self}

    def _held_at_start(self) -> tuple[HeldPiece, ...]:
        """Every stock that may change hands, in the grip that begins closed on its mount."""
        machine = self.job.machine
        closed = {grip.mount: grip.name for grip in machine.grips if grip.kind == "chuck" and grip.starts == "closed"}
        return tuple(
            HeldPiece(body.name, (closed[body.mount],) if body.mount in closed else (), machine_link, _rows(np.eye(4)))
            for body in self.job.file.bodies if body.role == "stock" and machine.grips
            for machine_link in [self.chain.mounts[body.mount].link]
        )  # fmt: skip

    def with_held(self, held: Sequence[HeldPiece] | None) -> HandPanel:
        """The panel with the pieces in other hands; None: as they begin. Raises ValueError for what the job does not have."""
        wanted = self.held if held is None else tuple(held)
        if wanted not in self._others:
            if len(self._others) > MOST_HELD:
                self._others = {self.held: self}
            self._others[wanted] = self._handed(wanted)
        return self._others[wanted]

    def _handed(self, held: tuple[HeldPiece, ...]) -> HandPanel:
        if {item.piece for item in held} != {item.piece for item in self.held}:
            raise ValueError("the pieces are not those of this job")
        links, grips = {link.name for link in self.job.machine.links}, {grip.name for grip in self.job.machine.grips}
        for item in held:
            if item.link not in links or not set(item.grips) <= grips or not np.isfinite(np.array(item.matrix)).all():
                raise ValueError(f"{item.piece} cannot be held so")
        made = copy(self)
        by_piece = {item.piece: item for item in held}
        made.bodies = [
            _moved_to(body, by_piece[body.name]) if body.role == "stock" and body.name in by_piece else body
            for body in self.bodies
        ]
        made.pairs = [
            pair for pair in pairs_of(made.bodies, self.chain, self.job.machine.ignore)
            if not any(body.while_work == "spins" for body in pair)
        ]  # fmt: skip
        made.held, made._follower = held, None
        made.at_rest = self.at_rest | {
            frozenset((item.piece, body.label))
            for item in held
            for body in made.bodies
            if body.link in self._lets_go(item) | self._holds(item)
        }
        return made

    def _holds(self, item: HeldPiece) -> set[str]:
        """The links that bear a grip that holds a piece beside its carrier, and the jaws of all that hold it."""
        holding = [grip for grip in self.job.machine.grips if grip.name in item.grips]
        jaws = {axis for grip in holding if grip.jaws for axis in grip.jaws.axes}
        mounts = [self.chain.mounts[grip.mount].link for grip in holding if grip.name in item.grips[1:]]
        bearing = {step.name for link in mounts for step in self.chain.path_to(link)[1:]}
        return bearing | {link.name for link in self.job.machine.links if link.joint and link.joint.axis in jaws}

    def _lets_go(self, item: HeldPiece) -> set[str]:
        """The links that bear the grip that a piece began in, once others have it: it lies in its open jaws, and is drawn out of them."""
        first = next(body for body in self.job.file.bodies if body.name == item.piece)
        grip = next((g for g in self.job.machine.grips if g.mount == first.mount and g.kind == "chuck"), None)
        if grip is None or grip.name in item.grips:
            return set()
        return {step.name for step in self.chain.path_to(self.chain.mounts[first.mount].link)[1:]}

    def _full(self, rows: Floats) -> Floats:
        reference = self.job.machine.reference.get("1", {})
        full = np.tile([reference.get(axis, 0.0) for axis in self.chain.axes], (len(rows), 1))
        for column, axis in enumerate(self.axes):
            full[:, self.chain.axes.index(axis)] = rows[:, column]
        return full

    def move(self, begin: list[float], end: list[float], tool: int = 0, stop: bool = True) -> Moved:
        """Every axis straight from `begin` to `end`; with `stop` the way ends where two bodies first touch."""
        return self._along(np.array([begin, end], float), tool, stop)

    def arm_of(self, channel: int = 0) -> Arms | None:
        """The arm of a channel (0: the first program's), where it has one."""
        own = self.controls.get(channel) or next(iter(self.controls.values()))
        return Arms(own.job, own.chain, own.setup.arm.joints) if own.setup.arm else None

    def led(
        self, values: list[float], tool: int, frame: str, shift: Floats, turn: Floats, channel: int = 0
    ) -> list[float]:
        """Axis values with the tip led by `shift` (3,) mm, then the tool turned about it by `turn` (3,) degrees, about the axes of a
        frame: base, part, tool. The arm keeps its posture. Raises ValueError where it does not reach that, or there is no arm."""
        arms = self.arm_of(channel)
        if arms is None:
            raise ValueError("this channel has no arm")
        arm, full = arms.of(tool), self._full(np.array([values]))
        pose = arm.poses(full)[0]
        entry = next((t for t in self.job.tools.tools if t.number == tool_number(tool)), None)
        length = entry.length if entry else 0.0
        work = self.chain.mount_pose(work_mount(self.job, self.chain), np.zeros_like(full))[0]
        axes = {"base": np.eye(3), "part": work[:3, :3], "tool": pose[:3, :3]}[frame]
        tip = pose[:3, 3] - length * pose[:3, 2] + axes @ shift
        about = Rotation.from_rotvec(axes @ turn, degrees=True).as_matrix()
        wanted = np.eye(4)
        wanted[:3, :3] = about @ pose[:3, :3]
        wanted[:3, 3] = tip + length * wanted[:3, 2]
        now = full[:, arm.columns]
        q, there = arm.root(arm.wanted(wanted[None], full), int(arm.root_of(now)[0]), now)
        if not there[0]:
            raise ValueError("the arm does not reach that in its posture")
        q = now + (q - now + 180.0) % 360.0 - 180.0
        result = list(values)
        for column, value in zip(arm.columns, q[0].tolist(), strict=True):
            result[self.axes.index(self.chain.axes[column])] = value
        return result

    def reached(self, values: list[float], tool: int, body: str, channel: int, shift: Floats) -> tuple[str, Field]:
        """How many postures reach each place of a body of the job, from where the other axes stand; the link that carries it, in whose
        frame the field's places are. `shift` (3,): how far the body is moved from there along the machine's axes, mm. Raises
        ValueError where there is no arm or no such body."""
        arms = self.arm_of(channel)
        item = next((b for b in self.job.file.bodies if b.name == body), None)
        if arms is None or item is None:
            raise ValueError("this channel has no arm" if arms is None else f"there is no body '{body}'")
        entry = next((t for t in self.job.tools.tools if t.number == tool_number(tool)), None)
        mount, full = self.chain.mounts[item.mount], self._full(np.array([values]))
        # An arm that carries the work is asked with that at zero, where poses are given.
        zero = np.zeros_like(full)
        mesh = joined(self.job.body_meshes[body]).moved(frame(shift.tolist()) @ self.chain.mount_pose(mount, zero)[0])
        field = reach_field(arms.of(tool), mesh, entry.length if entry else 0.0, full[0])
        back = inverse(self.chain.pose(mount.link, zero))[0]
        return mount.link, replace(
            field, places=field.places @ back[:3, :3].T + back[:3, 3], directions=field.directions @ back[:3, :3].T
        )

    def _along(self, rows: Floats, tool: int, stop: bool, spared: frozenset[str] = frozenset()) -> Moved:
        """`spared`: bodies that may touch stock on this way."""
        m = len(rows) - 1
        answer = Moved(self.axes, rows[-1].tolist(), path=rows.tolist())
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
            if spared and {a.role, b.role} & {"stock"} and {a.label, b.label} & spared:
                continue
            seen = follower.follow(a, b, own)
            if seen.hit[0] == 2 and seen.share[0] == 0.0 and self._grips(a, b):
                continue  # jaws that stand on the work
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
        rows = rows @ slides_of([self.chain.joints[axis] for axis in self.axes])
        for column, axis in enumerate(self.axes):
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

    def run_block(self, values: list[float], tool: int, block: str, stop: bool = True, channel: int = 0) -> Moved:
        """A typed block of a channel (0: the first program's), carried out from where the axes stand with this tool in use; then the
        grips that it works."""
        docket = Docket()
        own = self.controls.get(channel) or next(iter(self.controls.values()))
        stands = dict(zip(self.axes, values, strict=True))
        words = own.setup.axes
        columns = [self.axes.index(own.job.renamed.get(word, word)) for word in words]
        start = {word: stands[self.axes[column]] for word, column in zip(words, columns, strict=True)}
        run = Interpreter(
            own.setup,
            [ProgramText("typed", f"{block}\nM30\n".encode(), own.setup.dialect.o_words)],
            docket,
            own.channel,
            start,
        )
        run.control.tool = tool
        # A block typed by hand may cut without having called a length offset first: the hand knows.
        run.told |= {"length", "no tool", "feed", "spindle", "speed", ("offset", "G54")}
        read = run.run()
        motions = read.motions
        said = [f"{item.message}" for item in docket]
        answer = Moved(self.axes, values, said=said)
        if len(motions):
            joints = [own.chain.joints[axis] for axis in words]
            settled = settle(own.job, own.chain, own.setup, read, docket) if own.setup.arm else None
            said = [f"{item.message}" for item in docket]
            ways = settled.ways if settled else None
            reel = time_motions(motions, joints, self.job.machine.rapid == "dogleg", own.solvers, ways=ways)
            knots = make_knots(reel, KNOT_TOLERANCE_MM).at
            rows = np.tile(np.array(values, float), (max(len(knots), 2), 1))
            if len(knots) > 1:
                rows[:, columns] = knots
            answer = self._along(rows, int(motions.tool[-1]), stop)
            answer.said = said
        for act in read.acts:
            if act.kind in ("close", "open") and not answer.touching:
                self._work(answer, act.name, act.kind == "close", tool, stop)
        return answer

    def _work(self, answer: Moved, name: str, closes: bool, tool: int, stop: bool) -> None:
        """Close or open a grip from where the axes stand; what stands within its reach is told, and its jaws come to it."""
        grip = next(grip for grip in self.job.machine.grips if grip.name == name)
        found = self._within(grip, answer.values) if closes else None
        if closes and found is None:
            answer.said.append(f"{name} closes where no work stands within its reach")
        elif found:
            piece, length, diameter = found
            answer.told.append(f"{name} holds {piece}: ⌀{diameter:.2f} over {length:.2f} mm")
            if grip.least > length:
                answer.said.append(f"{name} holds {length:.2f} mm of {piece}; {grip.least:g} are needed")
            if grip.holds and not grip.holds[0] - HAIR <= diameter <= grip.holds[1] + HAIR:
                answer.said.append(f"{name} closes on ⌀{diameter:.2f}; it holds {grip.holds[0]:g} to {grip.holds[1]:g}")
        else:
            answer.told.append(f"{name} is open")
        answer.held = self._holding(answer, grip, found[0] if found else None)
        if not grip.jaws or not grip.holds:
            return
        to = (found[2] if found else grip.holds[0]) if closes else grip.holds[1]
        end = list(answer.values)
        for axis in grip.jaws.axes:
            end[self.axes.index(axis)] = (to - grip.jaws.drawn) / 2.0
        jaws = frozenset(
            body.label for body in self.bodies
            if any(step.joint and step.joint.axis in grip.jaws.axes for step in self.chain.path_to(body.link))
        )  # fmt: skip
        moved = self._along(np.array([answer.values, end]), tool, stop, jaws)
        answer.path += moved.path
        answer.values, answer.touching, answer.near = moved.values, moved.touching, answer.near + moved.near
        answer.over += moved.over

    def _holding(self, answer: Moved, grip: Grip, gripped: str | None) -> tuple[HeldPiece, ...]:
        """Who holds what once a grip has closed on a piece (None: has opened, or closed on nothing). The piece goes with the grip that
        has held it longest; where it changes hands that is told."""
        full = self._full(np.array([answer.values]))
        made = []
        for item in answer.held or self.held:
            grips = tuple(name for name in item.grips if name != grip.name) + (
                (grip.name,) if item.piece == gripped else ()
            )
            now = replace(item, grips=grips)
            if grips and grips[0] != (item.grips[0] if item.grips else ""):
                first = next(g for g in self.job.machine.grips if g.name == grips[0])
                if first.kind == "chuck":
                    now = now.carried(self.chain, self.chain.mounts[first.mount].link, full)
                    answer.told.append(f"{item.piece} goes with {first.name} from here on")
                    if left := sorted(self._lets_go(now)):
                        answer.told.append(
                            f"{item.piece} is not asked against {', '.join(left)}: it is drawn out of there"
                        )
            elif item.grips and not grips:
                answer.said.append(f"{item.piece} is held by nobody")
            made.append(now)
        return tuple(made)

    def _grips(self, a: Body, b: Body) -> bool:
        """Whether one of two bodies is a jaw and the other stock."""
        jaws = {axis for grip in self.job.machine.grips if grip.jaws for axis in grip.jaws.axes}
        return any(
            one.role == "stock"
            and any(step.joint and step.joint.axis in jaws for step in self.chain.path_to(other.link))
            for one, other in ((a, b), (b, a))
        )

    def _within(self, grip: Grip, values: list[float]) -> tuple[str, float, float] | None:
        """The stock that stands in a grip's reach: its name, the length within and the greatest diameter there."""
        row = self._full(np.array([values]))
        mount = self.chain.mount_pose(self.chain.mounts[grip.mount], row)[0]
        best: tuple[str, float, float] | None = None
        for body in self.bodies:
            if body.role != "stock" or body.while_work == "spins":
                continue
            seen = joined(list(body.solids)).moved(inverse(mount) @ self.chain.pose(body.link, row)[0])
            z = seen.vertices[:, 2]
            length = min(float(z.max()), grip.reach[1]) - max(float(z.min()), grip.reach[0])
            if length > HAIR and (best is None or length > best[1]):
                # Of every face that reaches into it the corners, wherever they lie along it: round work has none between its ends.
                faces = seen.triangles
                inside = (faces[:, :, 2].max(axis=1) >= grip.reach[0]) & (faces[:, :, 2].min(axis=1) <= grip.reach[1])
                best = (
                    body.label,
                    length,
                    2.0 * float(np.hypot(faces[inside][:, :, 0], faces[inside][:, :, 1]).max(initial=0.0)),
                )
        return best

    def offset_here(self, values: list[float], tool: int, channel: int = 0) -> dict[str, float]:
        """What a work offset of a channel (0: the first) must hold, as it is typed at the control, for the program's zero to be where
        the tip stands now: machine values less the tool's length or geometry, diameters where the machine has them; rotary axes that
        stand at zero are left out. Raises ValueError for a channel that has no program."""
        if channel and channel not in self.controls:
            raise ValueError(f"no program runs in channel {channel}")
        control = self.controls[channel or self.job.file.programs[0].channel]
        setup, number = control.setup, tool_number(tool)
        geometry = setup.geometry.get(number, {})
        length = 0.0 if geometry else setup.length_registers.get(number, 0.0)
        held = {}
        for axis in setup.axes:
            value = values[self.axes.index(control.job.renamed.get(axis, axis))]
            if len(axis) > 1 or (is_rotary_word(axis) and value == 0.0):
                continue
            own = value - geometry.get(axis, 0.0) - (length if axis == "Z" else 0.0)
            held[axis] = round(own * (2.0 if axis in setup.diameters else 1.0), 6)
        return held
