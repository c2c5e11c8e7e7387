"""One verification run: read → interpret → time → travel → contact → material → findings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ..findings import Docket, Policy
from ..job import Job
from ..job.models import ProgramFile
from ..machine import Chain
from ..program.control import Setup
from ..program.interpreted import Interpreted
from ..program.interpreter import Interpreter
from ..program.motions import ARC, FEED, RAPID, THREAD
from ..program.text import ProgramText
from ..timeline.reel import time_motions
from ..tools import Assembly, build_assembly
from .checkpoints import Store
from .data_check import check_data, check_run_in
from .order import check_order
from .partial import check_partial
from .registers import check_registers
from .result import Rehearsal, Timed
from .virtual_control import control_setup, kinematics_of
from .waits import check_waits

DRY_RUN_MM_MIN = 5000.0  # common practice; a parameter of the machine on the floor

Progress = Callable[[str, float], None]


class Cancelled(Exception):
    """Raised by a progress callback to end the run."""


def assemblies(job: Job) -> dict[int, Assembly]:
    """Every tool of the table as it hangs in its mount."""
    return {
        t.number: build_assembly(t, job.solid(t.holder.shapes, f"{job.file.tools}: tool {t.number}.holder.shapes"))
        for t in job.tools.tools
    }


def read_channel(
    job: Job, entry: ProgramFile, setup: Setup, docket: Docket, tick: Callable[[float], None] | None = None
) -> Interpreted:
    """Read and carry out one channel's program."""
    o_words = setup.dialect.o_words
    texts = [ProgramText(name, job.programs[name], o_words) for name in [entry.main, *entry.library]]
    return Interpreter(setup, texts, docket, entry.channel, setup.references.get(1), tick=tick).run()


def check_program(job: Job, progress: Progress | None = None) -> Timed:
    """Read and interpret the programs and time their motions: the program check and the trace."""
    tell = progress or (lambda stage, share: None)
    chain = Chain(job.machine)
    docket = Docket(policy=Policy(job.file.checks.rules))
    entry = job.file.programs[0]
    if len(job.file.programs) > 1:
        docket.add(
            "check.limit",
            f"only channel {entry.channel} is rehearsed; the others are read and checked, but not yet replayed together",
            program=job.file.programs[1].main,
        )
    kinematics = kinematics_of(job, chain, entry.channel)
    setup = control_setup(job, chain, entry.channel, kinematics)
    interpreted = read_channel(job, entry, setup, docket, lambda share: tell("reading", share))
    others = {}
    for other in job.file.programs[1:]:
        its_setup = control_setup(job, chain, other.channel, kinematics_of(job, chain, other.channel))
        others[other.channel] = read_channel(job, other, its_setup, docket)
    _check_moves(interpreted, others, entry, docket)
    switches = job.file.switches
    motions = interpreted.motions
    if switches.dry_run:
        motions.feed[motions.feed > 0] = DRY_RUN_MM_MIN
    motions.feed *= switches.feed_override / 100.0
    reel = time_motions(
        motions, [chain.joints[axis] for axis in setup.axes], job.machine.rapid == "dogleg", kinematics,
        switches.rapid_override / 100.0, entry.channel,
    )  # fmt: skip
    result = Timed(job, chain, assemblies(job), docket, setup, kinematics, interpreted, others, reel)
    _give_times(result)
    check_order(result)
    check_data(result)
    check_run_in(result)
    check_registers(result)
    check_waits(result)
    check_partial(result)
    return result


def _check_moves(interpreted: Interpreted, others: dict[int, Interpreted], entry: ProgramFile, docket: Docket) -> None:
    """A job that comes to its end, without an error, and has moved nothing is most often not the job that was meant."""
    if any(item.severity == "stop" for item in docket):
        return
    for channel in (interpreted, *others.values()):
        motions = channel.motions
        moved = np.isin(motions.kind, (RAPID, FEED, ARC, THREAD)) | (motions.end != motions.begin).any(axis=1)
        if moved.any() or channel.ended is None:
            return
    program, line = interpreted.ended or (entry.main, 1)
    docket.add("end.nothing", "the program moves nothing: no axis leaves its place", channel=entry.channel, program=program,
               line=line)  # fmt: skip


def _give_times(result: Timed) -> None:
    """Findings of the program check know their motion; now they learn its time."""
    reel = result.reel
    for i, item in enumerate(result.docket.findings):
        if 0 <= item.motion < len(reel.begin_time):
            result.docket.findings[i] = replace(item, time=float(reel.begin_time[item.motion]))
        elif item.motion >= len(reel.begin_time):
            result.docket.findings[i] = replace(item, time=reel.seconds, motion=len(reel.begin_time) - 1)


def rehearse(job: Job, progress: Progress | None = None, store: Store | None = None, filmed: bool = True) -> Rehearsal:
    """The whole run. `progress` gets the stage's name and its share done (0–1), and may raise Cancelled; `store` (of
    `checkpoints`) keeps the stock on the way, so that a run that begins the same goes on from there. `filmed`: keep the stock through time, for a replay."""
    from .replaying import replay  # contact and material are only loaded where they are asked

    return replay(check_program(job, progress), progress, store, filmed)
