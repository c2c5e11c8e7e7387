"""One verification run: read → interpret → time → travel → contact → material → findings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np

from ..findings import Docket, Policy
from ..job import Job
from ..job.channel import channel_view, tool_key
from ..job.models import Pace, ProgramFile, Switches
from ..machine import Chain
from ..machine.tip import Solvers
from ..program.control import Setup
from ..program.interpreted import Interpreted, Wait
from ..program.interpreter import Interpreter
from ..program.motions import ARC, FEED, RAPID, THREAD, Motions
from ..program.text import ProgramText
from ..timeline.clock import Meeting, meetings, set_clock
from ..timeline.reel import Reel, time_motions
from ..timeline.score import together
from .arms import Settled, settle
from .checkpoints import Store
from .data_check import check_data, check_run_in
from .order import check_order
from .partial import check_partial
from .rack import check_places
from .registers import check_registers
from .result import MOST_UNENDING, QuickLook, Rehearsal, Side, Strand, Timed
from .scene import assemblies
from .shared import check_shared
from .spindles import check_frames, check_spindles, cutting_speeds, feeds_of_the_moment, spindle_speeds
from .virtual_control import control_setup, solvers_of
from .waits import check_waits

MOST_TURNS = 12  # of looking for the moments at which feeds take their spindle's speed
DRY_RUN_MM_MIN = 5000.0  # common practice; a parameter of the machine on the floor

Progress = Callable[[str, float], None]


class Cancelled(Exception):
    """Raised by a progress callback to end the run."""


def read_channel(
    job: Job, entry: ProgramFile, setup: Setup, docket: Docket, tick: Callable[[float], None] | None = None
) -> Interpreted:
    """Read and carry out one channel's program."""
    o_words = setup.dialect.o_words
    texts = [ProgramText(name, job.programs[name], o_words) for name in [entry.main, *entry.library]]
    return Interpreter(setup, texts, docket, entry.channel, setup.references.get(1), tick=tick).run()


def check_program(job: Job, progress: Progress | None = None) -> Timed:
    """Read and interpret the programs and time their motions on one clock: the program check and the trace."""
    tell = progress or (lambda stage, share: None)
    chain = Chain(job.machine)
    docket = Docket(policy=Policy(job.file.checks.rules))
    tools = assemblies(job)
    read: dict[int, Interpreted] = {}
    parts: list[tuple[Job, Chain, Setup, Solvers]] = []
    count = len(job.file.programs)
    for number, entry in enumerate(job.file.programs):
        view = channel_view(job, entry)
        own = chain if view is job else Chain(view.machine)
        solvers = solvers_of(view, own, entry.channel)
        setup = control_setup(view, own, entry.channel, solvers)
        tick = partial(_tell_share, tell, number, count)
        read[entry.channel] = read_channel(view, entry, setup, docket, tick)
        parts.append((view, own, setup, solvers))
    for channel in {item.channel for item in docket if item.kind == "program.endless"} & set(read):
        # It is not to be run, and has been told why: how it would go on for a million motions more is not worth waiting for.
        if len(read[channel].motions) > MOST_UNENDING:
            read[channel].end_at(MOST_UNENDING - 1)
    waits = {channel: interpreted.waits for channel, interpreted in read.items()}
    met, left = meetings(waits)
    for channel, index in left.items():  # it stands there for ever: nothing after that happens
        read[channel].end_at(waits[channel][index].motion)
    if not left:
        _check_moves(read, job.file.programs[0], docket)
    strands: list[Strand] = []
    for (view, own, setup, solvers), interpreted in zip(parts, read.values(), strict=True):
        settled = settle(view, own, setup, interpreted, docket) if setup.arm else None
        _switched(interpreted.motions, job.file.switches)
        reel = _timed(view, own, setup, solvers, interpreted, settled)
        its = {tool.number: tools[tool_key(job.machine, tool)] for tool in view.tools.tools}
        strands.append(Strand(view, own, its, docket, setup, solvers, interpreted, reel, settled))
    on_one_clock(strands, waits, met)
    keys = [{t.number: tool_key(job.machine, t) for t in strand.job.tools.tools} for strand in strands]
    reel = together([strand.reel for strand in strands], [strand.columns for strand in strands], len(chain.axes), keys)
    result = Timed(job, chain, tools, docket, strands, reel, met)
    _give_times(result)
    speeds = spindle_speeds(strands)
    for strand in strands:
        check_order(strand)
        check_places(strand)
        check_data(strand, cutting_speeds(strand, speeds))
        check_run_in(strand)
        check_registers(strand)
    for strand in strands:
        check_spindles(strand, speeds)
    check_frames(strands)
    check_waits(waits, left, docket)
    check_shared(job, docket)
    check_partial(result)
    return result


def _tell_share(tell: Progress, number: int, count: int, share: float) -> None:
    tell("reading", (number + share) / count)


def _switched(motions: Motions, switches: Switches) -> None:
    """The operator's feeds in place of the program's."""
    if switches.dry_run:
        motions.feed[motions.feed > 0] = DRY_RUN_MM_MIN
    motions.feed *= switches.feed_override / 100.0


def _timed(
    view: Job, chain: Chain, setup: Setup, solvers: Solvers, interpreted: Interpreted, settled: Settled | None
) -> Reel:
    pace = view.machine.pace or Pace()
    return time_motions(
        interpreted.motions, [chain.joints[axis] for axis in setup.axes], view.machine.rapid == "dogleg" and settled is None, solvers,
        view.file.switches.rapid_override / 100.0, view.file.programs[0].channel, pace.corner_seconds, pace.block_seconds,
        settled.ways if settled else None,
    )  # fmt: skip


def timed_again(strand: Strand) -> Reel:
    """A channel's motions timed as its machine says now."""
    return _timed(strand.job, strand.chain, strand.setup, strand.solvers, strand.interpreted, strand.settled)


def on_one_clock(strands: list[Strand], waits: dict[int, list[Wait]], met: list[Meeting]) -> None:
    """Shift every channel's times to where the waits let it go on. A feed per revolution of a spindle that another channel has
    started takes its speed at the moment: found by turns, since it moves the moments that follow."""
    if len(strands) == 1:
        return
    for _ in range(MOST_TURNS):
        set_clock({strand.channel: strand.reel for strand in strands}, waits, met)
        speeds = spindle_speeds(strands)
        changed = [strand for strand in strands if feeds_of_the_moment(strand, speeds)]
        if not changed:
            return
        for strand in strands:
            strand.reel = timed_again(strand)
    set_clock({strand.channel: strand.reel for strand in strands}, waits, met)


def _check_moves(read: dict[int, Interpreted], entry: ProgramFile, docket: Docket) -> None:
    """A job that comes to its end, without an error, and has moved nothing is most often not the job that was meant."""
    if any(item.severity == "stop" for item in docket):
        return
    for channel in read.values():
        motions = channel.motions
        moved = np.isin(motions.kind, (RAPID, FEED, ARC, THREAD)) | (motions.end != motions.begin).any(axis=1)
        if moved.any() or channel.acts or channel.ended is None:
            return
    program, line = next(iter(read.values())).ended or (entry.main, 1)
    docket.add("end.nothing", "the program moves nothing: no axis leaves its place", channel=entry.channel, program=program,
               line=line)  # fmt: skip


def _give_times(result: Timed) -> None:
    """Findings of the programs' reading know their motion in their channel; now they learn its id and its time."""
    reels = {strand.channel: strand.reel for strand in result.strands}
    for i, item in enumerate(result.docket.findings):
        reel = reels.get(item.channel)
        if reel is None or item.motion < 0:
            continue
        count = len(reel.begin_time)
        if item.motion < count:
            time, motion = float(reel.begin_time[item.motion]), item.motion
        else:
            time, motion = reel.seconds, count - 1
        last = motion if item.motion >= count else item.last_motion
        result.docket.findings[i] = replace(
            item,
            time=time,
            motion=reel.first + motion if count else -1,
            last_motion=reel.first + last if last >= 0 else last,
        )


def rehearse(
    job: Job, progress: Progress | None = None, store: Store | None = None, filmed: bool = True, quick: bool = False,
    side: Side = "",
) -> Rehearsal:  # fmt: skip
    """The whole run. `progress` gets the stage's name and its share done (0–1), and may raise Cancelled; `store` (of
    `checkpoints`) keeps the stock on the way, so that a run that begins the same goes on from there. `filmed`: keep the stock through time,
    for a replay. `quick`: on a coarse grid first, and on the job's own only where something was found.
    `side`: another worker does the same from the other end (`from_both_ends`)."""
    from .replaying import replay  # contact and material are only loaded where they are asked

    look = None
    if quick:
        from .quick import coarse_grid, on_grid

        grid, own = coarse_grid(job), job.file.checks.resolution
        if grid > own:
            look, job = QuickLook(grid, own), on_grid(job, grid)
    return replay(check_program(job, progress), progress, store, filmed, look, side)
