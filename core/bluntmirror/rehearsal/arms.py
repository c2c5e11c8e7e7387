"""The moves of an arm: which values of its joints the poses of a program take, and how they run between them.

stretch   the poses from a rapid's to the next rapid's: what the joints do there is chosen as one (`machine/choosing`)
node      a place along a stretch where the choice is made: every pose, and on long ways between two more
sample    a place where a piece of a way ends: between two samples the joints run evenly, and the tip stands off its line by no more than
          TIP_MM

The line from pose to pose is that of the tip; its direction goes the shorter great circle, in proportion to the tip's way.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ..findings import Docket
from ..geometry.frames import Floats
from ..job import Job
from ..machine import Chain
from ..machine.arm import Arm, carried, spin_of, spin_zero, spun, tool_pose
from ..machine.choosing import MOST_SPIN, Nodes, Way, choose, spins_of
from ..program.control import Setup
from ..program.interpreted import Interpreted, Target
from ..program.motions import RAPID, TOOL_CHANGE
from ..timeline.ways import Ways
from .arm_room import ENOUGH_MM, Room, room_cost
from .scene import assemblies
from .virtual_control import Arms

TIP_MM = 0.005  # a quarter of what the contract allows
GAUGE_MM = 0.02
MOST_DEGREES = 2.0  # that a joint turns within a piece
MOST_PIECES = 4000  # of one motion
NODE_MM, NODE_DEG = 20.0, 5.0  # nodes on a long way are no farther apart
LEAST_NODE_MM, LEAST_NODE_DEG = 2.0, 1.0  # nor nearer, but at its ends
MOST_ASKED = 60  # nodes of a stretch at which room is asked for
RAIL_STEPS = 40  # places of a free rail that are tried
SOLVED_DEG = 1e-7
OPPOSITE = -1.0 + 1e-7  # the cosine between two directions
POSTURE = (("shoulder", ("front", "back")), ("elbow", ("up", "down")), ("wrist", ("plus", "minus")))

Ints = NDArray[np.int64]


@dataclass
class Settled:
    """ways of the cutting moves; failed (f,): motions whose pose is not reached; of every motion (n,), infinite where it is to no pose:
    singular, the least degrees from a singular pose; room (n, 6), those of each joint within its travel; reach, mm that upper arm and
    forearm have left."""

    ways: Ways
    failed: Ints
    singular: Floats
    room: Floats
    reach: Floats
    arms: Arms
    stretches: list[tuple[int, int]] = field(default_factory=list)  # their first and last motions


@dataclass
class _Asked:
    """What a posture of the job asks of a motion."""

    spin: float = np.nan
    shoulder: int = -1
    elbow: int = -1
    wrist: int = -1
    rail: dict[str, float] = field(default_factory=dict)
    blend: float = 0.0  # mm

    @property
    def key(self) -> tuple[object, ...]:
        return (
            None if np.isnan(self.spin) else self.spin,
            self.shoulder,
            self.elbow,
            self.wrist,
            tuple(sorted(self.rail.items())),
        )


class _Unreached(Exception):
    """A motion's pose is not reached; what is said of it."""

    def __init__(self, motion: int, told: str, remedy: str, amount: float = 0.0) -> None:
        super().__init__(told)
        self.motion, self.told, self.remedy, self.amount = motion, told, remedy, amount


def settle(job: Job, chain: Chain, setup: Setup, interpreted: Interpreted, docket: Docket) -> Settled:
    """Give every motion of an arm's channel its joint values, in place; what cannot be reached is reported."""
    return _Settling(job, chain, setup, interpreted, docket).run()


class _Settling:
    def __init__(self, job: Job, chain: Chain, setup: Setup, interpreted: Interpreted, docket: Docket) -> None:
        assert setup.arm
        self.job, self.chain, self.setup, self.docket = job, chain, setup, docket
        self.motions = interpreted.motions
        self.targets = {target.motion: target for target in interpreted.targets}
        self.asked = self._postures()
        self.arms = Arms(job, chain, setup.arm.joints)
        self.joints = np.array([setup.axes.index(axis) for axis in setup.arm.joints])
        # Whatever else the channel moves: its rail, a turntable. Only a rail may be chosen for.
        self.rail = {axis: i for i, axis in enumerate(setup.axes) if axis not in setup.arm.joints}
        self.chosen_for = tuple(setup.arm.rail)
        self.read = self.motions.end.copy()  # as the reader knew them: NaN where only a pose tells
        self.now = self.motions.start.copy()
        n = len(self.motions)
        self.singular, self.room, self.reach = np.full(n, np.inf), np.full((n, 6), np.inf), np.full(n, np.inf)
        self.failed: list[_Unreached] = []
        self._room: Room | None = None
        self.ways: list[tuple[int, float, Floats]] = []  # motion, length, axis values at the samples
        reference = setup.references.get(1, {})
        self._standing = np.array([reference.get(axis, 0.0) for axis in chain.axes])
        self.columns = np.array([chain.axes.index(axis) for axis in setup.axes])

    # --- the whole program ----------------------------------------------------------------------------------------------

    def run(self) -> Settled:
        motions = self.motions
        stretches = []
        for first, last in list(self._stretches()):
            if first in self.targets:
                stretches.append((first, last - 1))
                self._carry_out(list(range(first, last)))
            else:
                self._stay_or_go(first)
        self._report()
        if self.ways:
            counts = np.array([len(at) for _, _, at in self.ways])
            ways = Ways(
                np.array([motion for motion, _, _ in self.ways]), np.concatenate([[0], np.cumsum(counts)]),
                np.array([length for _, length, _ in self.ways]), np.concatenate([at for _, _, at in self.ways]),
            )  # fmt: skip
        else:
            ways = Ways.none(len(motions.axes))
        return Settled(
            ways,
            np.array([fault.motion for fault in self.failed], np.int64),
            self.singular,
            self.room,
            self.reach,
            self.arms,
            stretches,
        )

    def _stretches(self) -> Iterator[tuple[int, int]]:
        """First and last + 1 motion of every stretch; of what is none, motion by motion."""
        n = len(self.motions)
        i = 0
        while i < n:
            first, i = i, i + 1
            if first in self.targets:
                length = self.targets[first].length
                while i < n and self._goes_on(i, length):
                    i += 1
            yield first, i

    def _goes_on(self, motion: int, length: float) -> bool:
        kind, target = self.motions.kind[motion], self.targets.get(motion)
        if target is not None:
            return bool(kind != RAPID and target.length == length)
        return bool(kind != TOOL_CHANGE and np.isnan(self.read[motion][self.joints]).all() and not self._said(motion))

    def _said(self, motion: int) -> dict[str, float]:
        """The axes beside the joints that a motion's own words move."""
        before = self.read[motion - 1] if motion else self.motions.start
        return {
            axis: float(self.read[motion, column])
            for axis, column in self.rail.items()
            if self.read[motion, column] != before[column]
        }

    def _stay_or_go(self, motion: int) -> None:
        """A motion that is no pose: what its words name moves, the rest stays."""
        target = self.read[motion].copy()
        before = self.read[motion - 1] if motion else self.motions.start
        stays = np.isnan(target)
        for column in self.rail.values():
            stays[column] = target[column] == before[column]
        target[stays] = self.now[stays]
        self.motions.end[motion] = target
        self.now = target.copy()

    def _report(self) -> None:
        """One finding for each run of motions that are not reached for the same reason."""
        motions = self.motions
        runs: list[list[_Unreached]] = []
        for fault in self.failed:
            last = runs[-1][-1] if runs else None
            if last and last.remedy == fault.remedy and motions.tool[last.motion] == motions.tool[fault.motion]:
                runs[-1].append(fault)
            else:
                runs.append([fault])
        for run in runs:
            first, last_motion = run[0].motion, run[-1].motion
            self.docket.add(
                "travel.reach", run[0].told, channel=self.job.file.programs[0].channel, program=motions.file_name(first),
                line=int(motions.line[first]), tool=int(motions.tool[first]), motion=first, last_motion=last_motion,
                amount=max(fault.amount for fault in run), count=len(run), remedy=run[0].remedy,
            )  # fmt: skip

    # --- a stretch ------------------------------------------------------------------------------------------------------

    def _carry_out(self, rows: list[int]) -> None:
        """A stretch; where a pose is not reached the arm stays before it, and goes on from there."""
        waiting = [rows]
        while waiting:
            rows = waiting.pop()
            if not any(row in self.targets for row in rows):
                for row in rows:
                    self._stay_or_go(row)
                continue
            try:
                Stretch(self, rows).carry_out()
            except _Unreached as fault:
                self.failed.append(fault)
                at = rows.index(fault.motion)
                waiting += [rows[at + 1 :], [fault.motion], rows[:at]]
                self._give_up(fault.motion)

    def _give_up(self, motion: int) -> None:
        """A pose that is not reached: the arm stays."""
        del self.targets[motion]
        self.motions.in_frame[motion] = False

    def around(self) -> Room:
        """What the arm may touch, made when it is first asked for."""
        if self._room is None:
            used = set(np.unique(self.motions.tool).tolist())
            self._room = Room(self.job, self.chain, assemblies(self.job), used, self.arms.joints)
        return self._room

    def full(self, rows: Floats) -> Floats:
        """The channel's axis values over every axis of the chain."""
        full = np.tile(self._standing, (len(rows), 1))
        full[:, self.columns] = rows
        return full

    def _postures(self) -> dict[int, _Asked]:
        """What the job asks of each motion that is a pose; where two postures hold, the later one's words."""
        motions = self.motions
        rows = np.array(sorted(self.targets), np.int64)
        found = {int(row): _Asked() for row in rows}
        names = np.array(motions.files)[motions.file[rows]] if len(rows) else np.array([])
        for posture in self.job.file.postures:
            lines = motions.line[rows]
            for row in rows[(names == posture.program) & (lines >= posture.first) & (lines <= posture.last)].tolist():
                if posture.spin is not None:
                    found[row].spin, found[row].blend = posture.spin, posture.blend
                for key, said in POSTURE:
                    if (value := getattr(posture, key)) is not None:
                        setattr(found[row], key, said.index(value))
                found[row].rail.update(posture.rail)
        return found


class Stretch:
    """A stretch of motions under way. Rows of poses stand for its motions that are poses; row 0 for where it begins."""

    def __init__(self, of: _Settling, rows: list[int]) -> None:
        self.of, self.motions, self.rows = of, of.motions, rows
        self.posed = [row for row in rows if row in of.targets]
        self.first_goes = self.motions.kind[self.posed[0]] == RAPID
        self.arm: Arm = of.arms.of(int(self.motions.tool[self.posed[0]]))
        self.length = of.targets[self.posed[0]].length
        self.now = of.now.copy()
        pose = self.arm.poses(of.full(self.now[None]))[0]
        self.tips = np.empty((len(self.posed) + 1, 3))
        self.directions = np.empty_like(self.tips)
        self.directions[0] = pose[:3, 2]
        self.tips[0] = pose[:3, 3] - self.length * pose[:3, 2]
        self.begin_pose = pose
        for i, row in enumerate(self.posed):
            target: Target = of.targets[row]
            tip, direction = np.array(target.tip), np.array(target.direction)
            self.tips[i + 1] = np.where(np.isnan(tip), self.tips[i], tip) + target.by
            self.directions[i + 1] = self.directions[i] if np.isnan(direction).any() else direction
        self._no_half_turns()
        self.asked = [of.asked[row] for row in self.posed]
        self._one_posture()
        self.turnings = self._turnings()
        self.rails = self._rails()

    def _no_half_turns(self) -> None:
        """Between opposite directions there is no shorter great circle. Raises _Unreached."""
        dots = np.einsum("ni,ni->n", self.directions[1:], self.directions[:-1])
        for i in np.flatnonzero(dots < OPPOSITE).tolist():
            if i or not self.first_goes:
                raise _Unreached(
                    self.posed[i], "the tool is to turn right round within a cut: its direction has no shorter way from one to the opposite",
                    "Give a direction in between, or turn it at a G0.",
                )  # fmt: skip

    def _one_posture(self) -> None:
        """A posture is taken at a rapid and kept: another one within the stretch is told, and not taken."""
        said = False
        for i in range(1, len(self.posed)):
            before, here = self.asked[i - 1], self.asked[i]
            kept = {}
            for key in ("shoulder", "elbow", "wrist"):
                a, b = getattr(before, key), getattr(here, key)
                if a >= 0 and b >= 0 and a != b:
                    kept[key] = a
            both = not np.isnan(before.spin) and not np.isnan(here.spin)
            if both and before.spin != here.spin and max(before.blend, here.blend) == 0.0:
                kept["spin"] = before.spin
            rail = {axis for axis in before.rail.keys() & here.rail.keys() if before.rail[axis] != here.rail[axis]}
            if kept or rail:
                self.asked[i] = replace(here, **kept, rail={**here.rail, **{axis: before.rail[axis] for axis in rail}})
                if not said:
                    said = True
                    what = " and ".join([*kept, *sorted(rail)])
                    change = (
                        "Say over how many mm it may turn (`blend`), or change it"
                        if what == "spin"
                        else "Change the posture"
                    )
                    self.of.failed.append(_Unreached(
                        self.posed[i], f"another {what} is asked for within a cut: the arm would have to leave its line; rehearsed on in the posture before",
                        f"{change} at a G0, away from the work.",
                    ))  # fmt: skip

    def _turnings(self) -> list[tuple[float, float, float, float]]:
        """Where one given spin turns into another within the stretch: from and to which place, from what and by how many degrees. It takes
        the length that either posture states, or what there is until the spin changes again."""
        passed = self._passed()
        changes = [
            i
            for i in range(1, len(self.posed))
            if not np.isnan(self.asked[i - 1].spin)
            and not np.isnan(self.asked[i].spin)
            and self.asked[i].spin != self.asked[i - 1].spin
        ]
        found = []
        for i, after in itertools.pairwise([*changes, len(self.posed)]):
            before, here = self.asked[i - 1], self.asked[i]
            free = next((k for k in range(i, after) if np.isnan(self.asked[k].spin)), after)
            end = min(passed[i] + max(before.blend, here.blend), passed[free])
            by = (here.spin - before.spin + 180.0) % 360.0 - 180.0
            found.append(
                (float(i), float(np.interp(end, passed[i : free + 1], np.arange(i, free + 1))), before.spin, by)
            )
        return found

    def _passed(self) -> Floats:
        """The tip's way, mm, to every pose from where the stretch begins (m + 1,)."""
        return np.append(0.0, np.cumsum(np.linalg.norm(np.diff(self.tips, axis=0), axis=1)))

    def _given(self, at: Floats) -> Floats:
        """The spin that is asked for at places along the stretch, NaN where none is."""
        of, _ = self._split(at)
        spin = np.array([item.spin for item in self.asked])[of]
        if self.turnings:
            passed, rows = self._passed(), np.arange(len(self.tips))
        for begin, end, before, by in self.turnings:
            turning = (at > begin) & (at < end)
            a, b, w = (np.interp(place, rows, passed) for place in (begin, end, at[turning]))
            spin[turning] = before + by * (w - a) / (b - a)
        return spin

    def _rails(self) -> Floats:
        """Where the axes beside the joints stand at the begin and at every pose, (m + 1, r): as the postures say, or the program, or as before."""
        of = self.of
        found = np.empty((len(self.posed) + 1, len(of.rail)))
        found[0] = [self.now[column] for column in of.rail.values()]
        for i, (row, asked) in enumerate(zip(self.posed, self.asked, strict=True)):
            said = {**of._said(row), **asked.rail}
            found[i + 1] = [said.get(axis, found[i, j]) for j, axis in enumerate(of.rail)]
        return found

    @property
    def rail_is_free(self) -> bool:
        return (
            bool(self.of.chosen_for)
            and self.first_goes
            and not any(asked.rail for asked in self.asked)
            and (self.rails == self.rails[0]).all()
        )

    # --- choosing -------------------------------------------------------------------------------------------------------

    def carry_out(self) -> None:
        places = self._places()
        way = self._chosen(places)
        if way is None or way.reached < len(places[0]):
            self._explain(places, way)
        assert way
        self._follow(places, way)

    def _chosen(self, places: tuple[Floats, Floats]) -> Way | None:
        way = self._choose(places)
        if not self.rail_is_free or (way is not None and way.reached == len(places[0]) and not way.past):
            return way
        kept, best = self.rails, (way, self.rails)
        for axis in self.of.chosen_for:
            column = list(self.of.rail).index(axis)
            low, high = self.of.chain.joints[axis].travel or (kept[0, column], kept[0, column])
            tried = np.linspace(low, high, RAIL_STEPS + 1)
            for value in tried[np.argsort(np.abs(tried - kept[0, column]), kind="stable")]:
                self.rails = kept.copy()
                self.rails[1:, column] = value
                found = self._choose(places)
                if found is not None and (
                    best[0] is None or (-found.reached, found.past) < (-best[0].reached, best[0].past)
                ):
                    best = found, self.rails
                if found is not None and found.reached == len(places[0]) and not found.past:
                    return found
        way, self.rails = best
        return way

    def _places(self) -> tuple[Floats, Floats]:
        """The nodes: their places along the stretch — pose i is at i, what lies a share before it at i − 1 + share — and the seconds to
        each from the one before."""
        apart = np.linalg.norm(np.diff(self.tips, axis=0), axis=1)
        turned = np.degrees(
            np.arccos(np.clip(np.einsum("ni,ni->n", self.directions[1:], self.directions[:-1]), -1.0, 1.0))
        )
        begin = 1 if self.first_goes else 0
        found, left_mm, left_deg = [float(begin)], 0.0, 0.0
        for i in range(begin, len(self.posed)):
            mm, deg = apart[i], turned[i]
            left_mm, left_deg = left_mm + mm, left_deg + deg
            same = self.asked[i].key == self.asked[max(i - 1, 0)].key and (
                i + 1 == len(self.posed) or self.asked[i + 1].key == self.asked[i].key
            )
            if i + 1 < len(self.posed) and left_mm < LEAST_NODE_MM and left_deg < LEAST_NODE_DEG and same:
                continue
            pieces = max(1, int(np.ceil(max(mm / NODE_MM, deg / NODE_DEG) - 1e-9)))
            found += [i + (k + 1) / pieces for k in range(pieces)]
            left_mm = left_deg = 0.0
        places = np.array(found)
        feed = np.array([max(self.motions.feed[row], 1e-6) for row in self.posed]) / 60.0
        passed = np.concatenate([[0.0], np.cumsum(np.maximum(apart, 1e-6) / np.append(feed[:1], feed[1:]))])
        return places, np.diff(np.interp(places, np.arange(len(passed)), passed), prepend=0.0)

    def _choose(self, places: tuple[Floats, Floats]) -> Way | None:
        nodes = self._nodes(*places)
        now = self.now[self.of.joints]
        way = choose(self.arm, nodes, now, None if self.first_goes else int(self.arm.root_of(now[None])[0]))
        if way is None or way.reached < len(nodes) or not nodes.free:
            return way
        return self._with_room(nodes, way, now)

    def _with_room(self, nodes: Nodes, way: Way, now: Floats) -> Way:
        """The way with its spins chosen once more by the room that they leave, where it has too little."""
        room, tool = self.of.around(), int(self.motions.tool[self.posed[0]])
        asked = np.unique(np.linspace(0, len(nodes) - 1, MOST_ASKED).round().astype(int))
        rows = nodes.values[asked]
        columns = self.of.columns[self.of.joints]
        rows[:, columns] = way.q[asked]
        least = room.least(rows, tool)
        if least.min() >= ENOUGH_MM or not room.pairs:
            return way
        spins = spins_of(self.arm, nodes)
        # Every third spin is asked; what lies between takes the worse of its neighbours.
        cost = np.zeros((len(asked), spins.shape[1]))
        for k in range(0, spins.shape[1], 3):
            q, there = self.arm.root(
                self.arm.wanted(spun(nodes.plain[asked], np.nan_to_num(spins[asked, k])), rows), way.root, way.q[asked]
            )
            moved = rows.copy()
            moved[:, columns] = q
            cost[:, k] = np.where(there, room_cost(room.least(moved, tool)), 0.0)
        cost[:, 1::3] = cost[:, 2::3] = np.maximum(cost[:, ::3], np.roll(cost[:, ::3], -1, axis=1))
        nearest = np.abs(np.arange(len(nodes))[:, None] - asked).argmin(axis=1)
        found = choose(self.arm, replace(nodes, cost=cost[nearest]), now, way.root)
        return found if found is not None and found.reached == len(nodes) and found.past <= way.past else way

    def _nodes(self, at: Floats, seconds: Floats) -> Nodes:
        poses, values = self.plain(at), self.values(at)
        of = np.maximum(np.ceil(at - 1e-9).astype(int) - 1, 0)  # the pose that a node leads to
        asked = [self.asked[i] for i in of]
        back, down, minus = (
            np.array([getattr(item, key) for item in asked], np.int8) for key in ("shoulder", "elbow", "wrist")
        )
        spin = self._given(at) + self._counted_from(poses)
        if not self.first_goes:  # it begins as it stands
            spin[0] = spin_of(self.begin_pose[None])[0] + self._counted_from(poses)[0]
            back[0] = down[0] = minus[0] = -1
        return Nodes(poses, values, seconds, spin, back, down, minus)

    def _counted_from(self, poses: Floats) -> Floats:
        """How far the place that spin counts from is turned about the tool against the plain poses' x, degrees (n,)."""
        zero = spin_zero(poses[:, :3, 2])
        x, y = poses[:, :3, 0], poses[:, :3, 1]
        return np.degrees(np.arctan2(np.einsum("ni,ni->n", zero, y), np.einsum("ni,ni->n", zero, x)))

    # --- along the stretch ----------------------------------------------------------------------------------------------

    def _split(self, at: Floats) -> tuple[Ints, Floats]:
        of = np.clip(np.ceil(at - 1e-9).astype(np.int64) - 1, 0, len(self.posed) - 1)
        return of, np.clip(at - of, 0.0, 1.0)

    def line(self, at: Floats) -> tuple[Floats, Floats]:
        """Tip and direction (n, 3) at places along the stretch."""
        of, share = self._split(at)
        tips = self.tips[of] + share[:, None] * (self.tips[of + 1] - self.tips[of])
        a, b = self.directions[of], self.directions[of + 1]
        angle = np.arccos(np.clip(np.einsum("ni,ni->n", a, b), -1.0, 1.0))
        sine = np.sin(angle)
        flat = sine < 1e-9
        safe = np.where(flat, 1.0, sine)
        one = np.where(flat, 1.0 - share, np.sin((1.0 - share) * angle) / safe)
        two = np.where(flat, share, np.sin(share * angle) / safe)
        directions = one[:, None] * a + two[:, None] * b
        return tips, directions / np.linalg.norm(directions, axis=1)[:, None]

    def plain(self, at: Floats) -> Floats:
        """The tool mount's poses (n, 4, 4) with an x that turns along with the direction, the shortest way."""
        if not hasattr(self, "_xs"):
            xs = np.empty_like(self.directions)
            xs[0] = spin_zero(self.directions[:1])[0]
            for i in range(len(self.posed)):
                xs[i + 1] = carried(xs[i : i + 1], self.directions[i : i + 1], self.directions[i + 1 : i + 2])[0]
            self._xs = xs
        of, _ = self._split(at)
        tips, directions = self.line(at)
        return tool_pose(
            tips, directions, carried(self._xs[of], self.directions[of], directions), np.full(len(at), self.length)
        )

    def values(self, at: Floats) -> Floats:
        """Every axis of the chain (n, k), those of the arm as they stand now."""
        return self.of.full(self.rows_of(at))

    def rows_of(self, at: Floats) -> Floats:
        """The channel's axes (n, k), those of the arm as they stand now."""
        of, share = self._split(at)
        rows = np.tile(self.now, (len(at), 1))
        for j, column in enumerate(self.of.rail.values()):
            rows[:, column] = self.rails[of, j] + share * (self.rails[of + 1, j] - self.rails[of, j])
        return rows

    def _spins(self, at: Floats, nodes: Floats, spin: Floats, poses: Floats) -> Floats:
        """Spin against the plain poses' x at places: as given, or evenly between the nodes."""
        given = self._given(at)
        return np.where(
            np.isnan(given), np.interp(at, nodes, np.unwrap(spin, period=360.0)), given + self._counted_from(poses)
        )

    def _solve(self, at: Floats, nodes: Floats, way: Way, anchor: Floats) -> tuple[Floats, NDArray[np.bool_]]:
        """Joint values (n, 6) at ascending places, whole turns counted on from `anchor` (6,), and where there are any."""
        poses = self.plain(at)
        poses = spun(poses, self._spins(at, nodes, way.spin, poses))
        wanted = self.arm.wanted(poses, self.values(at))
        near = np.empty((len(at), 6))
        rows = np.clip(np.searchsorted(nodes, at), 0, len(nodes) - 1)
        near[:] = way.q[rows]
        q, there = self.arm.root(wanted, way.root, near)
        for i in np.flatnonzero(self.arm.describe(q).wrist < SOLVED_DEG):  # any fourth joint would do: that of before
            near[i, 3] = q[i - 1, 3] if i else anchor[3]
            q[i : i + 1], there[i : i + 1] = self.arm.root(wanted[i : i + 1], way.root, near[i : i + 1])
        return np.unwrap(np.vstack([anchor, q]), axis=0, period=360.0)[1:], there

    # --- following it -----------------------------------------------------------------------------------------------------

    def _follow(self, places: tuple[Floats, Floats], way: Way) -> None:
        of, nodes = self.of, places[0]
        motions, joints = self.motions, of.joints
        anchor = way.q[0] if self.first_goes else self.now[joints]
        begin = 1 if self.first_goes else 0
        cut = np.arange(begin, len(self.posed))
        counts, q, at = (
            self._pieces(cut, nodes, way, anchor)
            if len(cut)
            else (np.zeros(0, np.int64), np.zeros((0, 6)), np.zeros(0))
        )
        ends = np.cumsum(counts)
        apart = np.linalg.norm(np.diff(self.tips, axis=0), axis=1)
        angle = np.degrees(
            np.arccos(np.clip(np.einsum("ni,ni->n", self.directions[1:], self.directions[:-1]), -1.0, 1.0))
        )
        samples = self.rows_of(at)
        samples[:, joints] = q
        now = self.now
        if self.first_goes:
            now = self.rows_of(np.array([1.0]))[0]
            now[joints] = way.q[0]
        row_of = {row: i for i, row in enumerate(self.posed)}
        for row in self.rows:
            i = row_of.get(row)
            if i is not None and i >= begin:
                part = slice(ends[i - begin] - counts[i - begin], ends[i - begin])
                length = float(apart[i]) if apart[i] > 1e-9 else float(angle[i])
                if length < 1e-9:
                    length = float(np.abs(samples[part][-1] - now).max())
                if length > 1e-12:
                    of.ways.append((row, length, samples[part]))
                else:
                    motions.in_frame[row] = False
                if of.targets[row].a_move:
                    motions.feed[row] = max(of.targets[row].a_move * length, 1e-6)
                self._note(row, samples[part])
                now = samples[part][-1]
            elif i is not None:
                self._note(row, now[None])
            motions.end[row] = now
        of.now = now.copy()

    def _note(self, row: int, samples: Floats) -> None:
        """What a motion leaves of everything that may run out, at its samples (s, k)."""
        of, q = self.of, samples[:, self.of.joints]
        of.singular[row] = float(self.arm.describe(q).singular.min())
        of.room[row] = np.minimum(q - self.arm.limits[:, 0], self.arm.limits[:, 1] - q).min(axis=0)
        of.reach[row] = float(self.arm.reach_left(self.arm.turned(q)).min())

    def _pieces(self, cut: Ints, nodes: Floats, way: Way, anchor: Floats) -> tuple[Ints, Floats, Floats]:
        """Pieces of every cutting move, joint values and places of their ends: as few as keep to the tolerances."""
        counts = np.ones(len(cut), np.int64)
        for _ in range(24):
            at = np.concatenate(
                [i + np.arange(1, 2 * c + 1) / (2 * c) for i, c in zip(cut.tolist(), counts.tolist(), strict=True)]
            )
            q, there = self._solve(at, nodes, way, anchor)
            if not there.all():
                bad = int(np.argmin(there))
                self._missed(float(at[bad]))
            # Every second place is the middle of a piece.
            ends, middles = q[1::2], q[0::2]
            before = np.vstack([anchor, ends[:-1]])
            rows = self.values(at[0::2])
            rows[:, self.of.columns[self.of.joints]] = 0.5 * (before + ends)
            off, wanted = self.arm.poses(rows), self.plain(at[0::2])
            gauge = np.linalg.norm(off[:, :3, 3] - wanted[:, :3, 3], axis=1)
            tip = np.linalg.norm(off[:, :3, 3] - self.length * off[:, :3, 2] - self.line(at[0::2])[0], axis=1)
            turned = np.abs(ends - before).max(axis=1)
            ratio = np.sqrt(np.maximum(tip / TIP_MM, gauge / GAUGE_MM))
            ratio = np.maximum(ratio, turned / MOST_DEGREES)
            worst = np.maximum.reduceat(ratio, np.cumsum(counts) - counts)
            grown = np.ceil(counts * np.clip(1.05 * worst, 1.0, 8.0)).astype(np.int64)
            grown = np.where(worst > 1.0, np.minimum(np.maximum(grown, counts + 1), MOST_PIECES), counts)
            del middles
            if (grown == counts).all():
                return counts, ends, at[1::2]
            counts = grown
        return counts, ends, at[1::2]

    # --- what is out of reach ---------------------------------------------------------------------------------------------

    def _missed(self, at: float) -> None:
        """The way of a cutting move leaves what the arm reaches in its posture. Raises _Unreached."""
        of = int(self._split(np.array([at]))[0][0])
        self._raise(of, at)

    def _explain(self, places: tuple[Floats, Floats], way: Way | None) -> None:
        """Raises _Unreached for the first node that is not reached."""
        node = 0 if way is None else way.reached
        at = float(places[0][node])
        self._raise(int(self._split(np.array([at]))[0][0]), at)

    def _raise(self, of: int, at: float) -> None:
        place = np.array([at])
        nodes = self._nodes(place, np.zeros(1)) if self.first_goes or at > 0 else None
        tip = self.tips[of + 1]
        if nodes is None:
            raise _Unreached(self.posed[of], "the move begins where the arm does not stand", "Go to its begin at a G0.")
        spins = np.arange(-180.0, 180.0, 5.0) if np.isnan(nodes.spin[0]) else nodes.spin[:1]
        poses = spun(np.repeat(nodes.plain, len(spins), axis=0), spins)
        wanted = self.arm.wanted(poses, np.repeat(nodes.values, len(spins), axis=0))
        found, there = self.arm.roots(wanted)
        named = f"X{tip[0]:.1f} Y{tip[1]:.1f} Z{tip[2]:.1f}"
        if not there.any():
            lacks = max(0.0, -float(self.arm.reach_left(wanted).max()))
            by = f": {lacks:.1f} mm beyond its reach" if lacks > 0.05 else ""
            raise _Unreached(
                self.posed[of], f"the arm does not reach this pose (tip at {named} of the machine){by}",
                "Move the work nearer, move the rail, or lean the tool otherwise.", lacks,
            )  # fmt: skip
        told = self.arm.describe(found[there])
        asked = self.asked[of]
        wants = [names[getattr(asked, key)] for key, names in POSTURE if getattr(asked, key) >= 0]
        if not nodes.fits(told, int(there.sum())).any():
            raise _Unreached(
                self.posed[of], f"the arm does not reach this pose (tip at {named} of the machine) with {', '.join(wants)}",
                "Ask for another posture at the G0 before this stretch.",
            )  # fmt: skip
        raise _Unreached(
            self.posed[of], f"the arm reaches this pose (tip at {named} of the machine) only in another posture than that in which the cut began: it would "
            f"have to leave its line{'' if not np.isnan(nodes.spin[0]) else f', or to turn more than {MOST_SPIN:g}° about the tool at once'}",
            "Begin the stretch in another posture, or part it with a G0 away from the work.",
        )  # fmt: skip
