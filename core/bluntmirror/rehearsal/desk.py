"""What the script desk asks of a job: its check with operations and path, and one block explained.

Nothing here replays material or contact, so that a check on the fly costs little more than the reading.
"""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass, field, replace

import numpy as np

from ..findings import Docket
from ..geometry.frames import Floats
from ..geometry.hull import extremes
from ..job import Job
from ..job.channel import channel_view
from ..machine import Chain
from ..program.interpreter import Interpreter
from ..program.motions import ARC, FEED, THREAD, Motions
from ..program.operations import Operation, find_operations
from ..program.read_back import read_back
from ..program.state import State
from ..program.text import ProgramText
from ..timeline.reel import Knots, make_knots, time_motions
from .arms import Settled, settle
from .order import tops_along
from .result import Strand, Timed
from .run import check_program
from .virtual_control import control_setup, solvers_of, tool_mount, work_mount

PATH_TOLERANCE_MM = 0.02
MOST_PATH_POINTS = 400_000


@dataclass(frozen=True)
class Explained:
    said: list[str]
    before: State | None
    after: State | None
    motions: tuple[int, int]


@dataclass
class Path:
    """The tip's way over the work. `points` (n + 1, 3) mm in the work mount's frame; `rapid` (no cutting move), `tool`, `line` and `file` of
    each of the n pieces between them; `whole` false where a very long program is shown in part."""

    points: Floats
    rapid: np.ndarray
    tool: np.ndarray
    line: np.ndarray
    file: np.ndarray
    whole: bool = True


@dataclass
class Desk:
    """One job's programs under check."""

    job: Job
    result: Timed = field(init=False)

    def check(self) -> Timed:
        self.result = check_program(self.job)
        return self.result

    def operations(self) -> list[Operation]:
        """Those of every channel, channel by channel."""
        found = []
        for strand, entry in zip(self.result.strands, self.job.file.programs, strict=True):
            out = [(s.first, s.last) for s in self.job.file.switches.left_out if s.program == entry.main]
            text = ProgramText(entry.main, self.job.programs[entry.main], strand.setup.dialect.o_words)
            found += find_operations(strand.interpreted, text, strand.reel.begin_time, strand.reel.end_time, out)
        return found

    def strand(self, channel: int) -> Strand:
        """A channel as it was checked; the first where there is none of that number."""
        return next((strand for strand in self.result.strands if strand.channel == channel), self.result.strands[0])

    def path(self, channel: int = 0) -> Path | None:
        """The path of a channel without material: arcs true, cycles unrolled, rapids straight from end to end."""
        result = self.strand(channel)
        if not len(result.reel.motions):
            return None
        knots = make_knots(replace(result.reel, dogleg=False), PATH_TOLERANCE_MM)
        whole = len(knots.motion) <= MOST_PATH_POINTS
        if not whole:
            cut = MOST_PATH_POINTS
            knots = Knots(knots.at[: cut + 1], knots.motion[:cut], knots.t0[:cut], knots.t1[:cut], knots.phase[:cut])
        motions = result.reel.motions
        points = tips(result, knots.at, np.append(motions.tool[knots.motion[0]], motions.tool[knots.motion]))
        return Path(
            points, ~np.isin(motions.kind[knots.motion], (FEED, ARC, THREAD)), motions.tool[knots.motion], motions.line[knots.motion],
            motions.file[knots.motion], whole,
        )  # fmt: skip

    def skipped(self, channel: int = 0) -> Floats:
        """The pieces of way that the left-out stretches would make, (m, 2, 3) mm in the work mount's frame."""
        switches = self.job.file.switches
        nothing = np.zeros((0, 2, 3))
        if not switches.left_out:
            return nothing
        job = copy(self.job)  # with the meshes already worked out
        job.file = job.file.model_copy(update={"switches": switches.model_copy(update={"left_out": []})})
        whole = Desk(job)
        whole.check()
        reel, path = whole.strand(channel).reel, whole.path(channel)
        if path is None:
            return nothing
        files = reel.motions.files
        out = np.zeros(len(path.line), np.bool_)
        for stretch in switches.left_out:
            if stretch.program in files:
                here = path.file == files.index(stretch.program)
                out |= here & (path.line >= stretch.first) & (path.line <= stretch.last)
        return np.stack([path.points[:-1][out], path.points[1:][out]], axis=1)

    def explain(self, program: str, line: int) -> Explained:
        """A block (line from 1) in words, with the state before and after its first carrying out."""
        entry = next((e for e in self.job.file.programs if program in (e.main, *e.library)), self.job.file.programs[0])
        job = channel_view(self.job, entry)
        chain = Chain(job.machine)
        solvers = solvers_of(job, chain, entry.channel)
        setup = control_setup(job, chain, entry.channel, solvers)
        texts = [ProgramText(name, job.programs[name], setup.dialect.o_words) for name in [entry.main, *entry.library]]
        run = Interpreter(setup, texts, Docket(), entry.channel, setup.references.get(1))
        run.watch(program, line)
        rows = [0, 0]
        result = run.run()
        settled = settle(job, chain, setup, result, Docket()) if setup.arm else None
        text = next(t for t in texts if t.name == program)
        block = text.block(line - 1) if 0 < line <= len(text) else text.block(0)
        if len(run.seen) < 2:
            return Explained(read_back(block, setup, None, None, None, (0, 0)), None, None, (0, 0))
        before, after = run.seen
        motions = result.motions
        file = texts.index(text)
        mine = np.flatnonzero((motions.line == line) & (motions.file == file))
        if len(mine):
            rows = [int(mine[0]), int(mine[-1]) + 1]
        seconds, above = 0.0, None
        if settled:
            before, after = (
                _with_joints(state, motions, row, settled)
                for state, row in ((before, rows[0] - 1), (after, rows[1] - 1))
            )
        if rows[1] > rows[0]:
            joints = [chain.joints[axis] for axis in setup.axes]
            reel = time_motions(
                motions, joints, job.machine.rapid == "dogleg", solvers, ways=settled.ways if settled else None
            )
            seconds = float(reel.end_time[rows[1] - 1] - reel.begin_time[rows[0]])
            above = self._above(job, chain, setup.axes, motions, rows[1] - 1)
        said = read_back(block, setup, before, after, motions, (rows[0], rows[1]), seconds, above)
        return Explained(said, before, after, (rows[0], rows[1]))

    @staticmethod
    def _above(job: Job, chain: Chain, axes: tuple[str, ...], motions: Motions, row: int) -> float | None:
        """How far the tip is above the top of the stock at the end of a motion; None where that means nothing."""
        tool = next((t for t in job.tools.tools if t.number == int(motions.tool[row])), None)
        work = work_mount(job, chain)
        stock = [b for b in job.file.bodies if b.role == "stock" and chain.mounts[b.mount].link == work.link]
        if tool is None or not stock or job.machine.work_spindle:
            return None
        values = np.array([[job.machine.reference.get("1", {}).get(axis, 0.0) for axis in chain.axes]])
        for column, axis in enumerate(axes):
            values[0, chain.axes.index(axis)] = motions.end[row, column]
        pose = chain.tool_in_work(tool_mount(job, chain, tool.number), work, values)[0]
        to_work = np.linalg.inv(chain.mount_pose(work, values)[0])
        corners = []
        for body in stock:
            moved = to_work @ chain.mount_pose(chain.mounts[body.mount], values)[0]
            corners += [extremes(mesh.moved(moved).vertices) for mesh in job.body_meshes[body.name]]
        top = tops_along(corners, pose[None, :3, 2])[0]
        return float(pose[:3, 3] @ pose[:3, 2] - tool.length - top)


def _with_joints(state: State, motions: Motions, row: int, settled: Settled) -> State:
    """A state of an arm with the joint values that its poses came to, and the place of its tip, as of the end of a motion."""
    values = motions.end[row] if 0 <= row < len(motions) else motions.start
    machine = dict(zip(motions.axes, (round(float(v), 6) + 0.0 for v in values), strict=True))
    return replace(state, machine=machine, program={})


def tips(result: Strand, rows: Floats, tool: np.ndarray) -> Floats:
    """The tip's place over the work for rows of axis values with a tool each, (n, 3)."""
    chain, job = result.chain, result.job
    full = result.full(rows)
    work = work_mount(job, chain)
    points = np.zeros((len(rows), 3))
    entries = {entry.number: entry for entry in job.tools.tools}
    for number in np.unique(tool).tolist():
        mine = tool == number
        entry = entries.get(number)
        mount = tool_mount(job, chain, number) if entry else chain.mount_of("tool")
        own = np.array([*(entry.offset if entry else (0.0, 0.0)), -(entry.length if entry else 0.0)])
        pose = chain.tool_in_work(mount, work, full[mine])
        points[mine] = pose[:, :3, :3] @ own + pose[:, :3, 3]
    return points
