"""A unit's times learned from the floor: what its programs took, beside what was worked out, and the constants that bring both together.

accel   a factor on every acceleration
corner  s, the corner time of the law: the higher, the faster corners are run
block   s, the least that the control takes for a block in a cut
change  s, of a tool change
sample  a job with what some of it took: the whole ("cycle"), or operations by their tool or name
told    a constant that the samples tell: were it doubled, they would show it. What they do not tell stays as it was
"""

from __future__ import annotations

import csv
import io
import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from ..geometry.frames import Floats
from ..job.channel import channel_view, tool_number
from ..job.models import MachineFile, Pace
from ..machine import Chain
from ..program.motions import TOOL_CHANGE
from .result import Strand, Timed
from .run import on_one_clock, timed_again
from .times import operation_times

NAMES = ("accel", "corner", "block", "change")
CYCLE = "cycle"
BLOCKS = (0.0005, 0.002, 0.004, 0.008, 0.016, 0.032)  # s, that the search for a block's time is begun from
ACCELS = (1.0, 0.5, 2.0)
BEGUN_FROM = 6  # of all of them, the likeliest first
STEP = 1e-4  # of a constant's logarithm, over which the slope of the times is taken
EXACT = 1e-12  # a sum of squares of relative deviations that nothing can better
PROBES = {"accel": (2.0, 0.5), "corner": (2.0, 0.5), "block": (4.0, 16.0, 64.0), "change": (2.0, 0.5)}
TELLS_SHARE = 0.005  # of all measured time: doubling a constant must move it by so much to be told
MOST_UNSURE = 0.7  # of a constant: one that is known no better than this is not told
SAME_WAY = 1e-3  # of the largest singular value of the measurements by the constants: below it two cannot be told apart
FACTORS = (0.1, 10.0)  # how far a constant may go from what it was
FINEST_S = 0.1  # a stop watch: differences below it weigh no more


class NotTold(ValueError):
    """Measurements that tell nothing; its text says why, and what would."""


@dataclass(frozen=True)
class Measured:
    """What one thing of a job took on the floor, s: "cycle", "T3", or the name of an operation."""

    what: str
    seconds: float


@dataclass(frozen=True)
class Sample:
    timed: Timed
    measured: tuple[Measured, ...]


@dataclass(frozen=True)
class Constants:
    accel: float = 1.0
    corner: float = 0.004
    block: float = 0.0
    change: float = 0.0

    @staticmethod
    def of(machine: MachineFile) -> Constants:
        pace = machine.pace or Pace()
        return Constants(1.0, pace.corner_seconds, pace.block_seconds, machine.tool_change.seconds)


@dataclass(frozen=True)
class Residual:
    """Of one measurement: as measured, as worked out before, and with the fitted constants, s."""

    job: str
    what: str
    measured: float
    before: float
    after: float


@dataclass
class Fitted:
    """`before`, `after`; `unsure`: one standard deviation of each constant that was told; `spread`: of measured from fitted times, as a share of
    them; `held`: the constants that the measurements do not tell."""

    before: Constants
    after: Constants
    unsure: dict[str, float]
    spread: float
    residuals: list[Residual]
    held: list[str] = field(default_factory=list)


def read_measured(text: str) -> list[Measured]:
    """Lines of what and seconds, by comma, semicolon or tab; seconds as a number or minutes:seconds. A first line of words is a heading.
    Raises NotTold with the line that cannot be read."""
    delimiter = next((mark for mark in ("\t", ";", ",") if mark in text), ",")
    found = []
    for number, row in enumerate(csv.reader(io.StringIO(text), delimiter=delimiter), 1):
        cells = [cell.strip() for cell in row if cell.strip()]
        if not cells:
            continue
        try:
            what, said = cells
            minutes, _, seconds = said.rpartition(":")
            value = 60.0 * float(minutes or 0) + float(seconds)
        except ValueError:
            if number == 1:
                continue
            raise NotTold(
                f"line {number}: give what it is and its seconds (T3, 94.5) or minutes (T3, 1:34.5)"
            ) from None
        if not 0.0 < value < 1e7:
            raise NotTold(f"line {number}: {value:g} s is no time that anything takes")
        found.append(Measured(what, value))
    if not found:
        raise NotTold("no times: give one a line, what it is and its seconds (cycle, 417.3)")
    return found


def machine_with(
    machine: MachineFile, constants: Constants, spread: float | None = None, measured: int = 0
) -> MachineFile:
    """The machine with other constants; accelerations by their factor."""
    links = []
    for link in machine.links:
        joint = link.joint
        links.append(
            link
            if joint is None
            else link.model_copy(update={"joint": joint.model_copy(update={"accel": joint.accel * constants.accel})})
        )
    return machine.model_copy(update={
        "links": links, "tool_change": machine.tool_change.model_copy(update={"seconds": constants.change}),
        "pace": Pace(corner_seconds=constants.corner, block_seconds=constants.block, spread=spread, measured=measured),
    })  # fmt: skip


def with_constants(timed: Timed, constants: Constants) -> Timed:
    """The same motions timed with other constants; nothing is read again."""
    machine = machine_with(timed.job.machine, constants)
    job = replace(timed.job, machine=machine)
    chain = Chain(machine)
    old = timed.job.machine.tool_change.seconds
    strands: list[Strand] = []
    for strand, entry in zip(timed.strands, job.file.programs, strict=True):
        view = channel_view(job, entry)
        own = chain if view is job else Chain(view.machine)
        motions = strand.interpreted.motions
        seconds = np.where(
            (motions.kind == TOOL_CHANGE) & (np.abs(motions.seconds - old) < 1e-9), constants.change, motions.seconds
        )
        interpreted = replace(strand.interpreted, motions=replace(motions, seconds=seconds))
        made = replace(strand, job=view, chain=own, interpreted=interpreted)
        made.reel = timed_again(made)
        strands.append(made)
    on_one_clock(strands, {strand.channel: strand.interpreted.waits for strand in strands}, timed.met)
    return Timed(job, chain, timed.tools, timed.docket, strands, timed.reel, timed.met)


def worked_out(timed: Timed, measured: Sequence[Measured]) -> Floats:
    """What each of these takes as it is timed, s. Raises NotTold for one that the job does not have."""
    rows = operation_times(timed)
    whole = max(float(strand.reel.end_time[-1]) if len(strand.reel.end_time) else 0.0 for strand in timed.strands)
    found = []
    for item in measured:
        asked = item.what.strip().lower()
        mine = [row for row in rows if asked in (f"t{tool_number(row.tool)}", row.name.strip().lower())]
        if asked == CYCLE:
            found.append(whole)
        elif mine:
            found.append(sum(row.seconds for row in mine))
        else:
            known = ", ".join(dict.fromkeys(f"T{tool_number(row.tool)}" for row in rows if row.tool))
            raise NotTold(
                f"{timed.job.name} has no '{item.what}': give {CYCLE}, a tool ({known}), or the name of an operation"
            )
    return np.array(found)


def fit(samples: Sequence[Sample]) -> Fitted:
    """The constants of the machine that these jobs ran on. Raises NotTold.

    Least squares of the measured times' relative deviations (SciPy), the logarithms of the constants as unknowns; their standard deviations from
    the inverse of JᵀJ and the residuals' variance (as any textbook on regression).
    """
    from scipy.optimize import least_squares  # only where something is fitted

    every = [item for sample in samples for item in sample.measured]
    if not every:
        raise NotTold("nothing was measured")
    before = Constants.of(samples[0].timed.job.machine)
    measured = np.array([item.seconds for item in every])
    weight = 1.0 / np.maximum(measured, FINEST_S / 0.01)

    def times(constants: Constants) -> Floats:
        return np.concatenate(
            [worked_out(with_constants(sample.timed, constants), sample.measured) for sample in samples]
        )

    start = np.array([before.accel, before.corner, max(before.block, BLOCKS[0]), max(before.change, 0.5)])
    as_it_is = times(before)

    def constants_of(names: Sequence[str], logs: Floats) -> Constants:
        return replace(before, **dict(zip(names, np.exp(logs).tolist(), strict=True)))

    told = [name for name, value in zip(NAMES, start, strict=True) if any(
        np.abs(times(replace(before, **{name: float(value * more)})) - as_it_is).sum() > TELLS_SHARE * measured.sum() for more in PROBES[name]
    )][: max(len(every) - 1, 1)]  # fmt: skip
    while True:
        if not told:
            raise NotTold(
                "these times tell nothing of the machine's constants: measure a job with many short moves, rapids or tool changes"
            )

        def off(logs: Floats, names: tuple[str, ...] = tuple(told)) -> Floats:
            return (times(constants_of(names, logs)) - measured) * weight

        def slopes(logs: Floats, off: Callable[[Floats], Floats] = off) -> Floats:
            # The library's own steps are shares of the unknown, and vanish where a factor is 1 and its logarithm 0.
            here = off(logs)
            return np.column_stack([(off(logs + step) - here) / STEP for step in STEP * np.eye(len(logs))])

        # A block's time is not felt until it is longer than the block, and what is braked for hides behind it: so the search is begun from several.
        begins = [
            {**dict(zip(NAMES, start, strict=True)), "accel": start[0] * accel, "block": block}
            for accel, block in itertools.product(ACCELS, BLOCKS if "block" in told else (start[2],))
        ]
        costs = [float((off(np.log([begin[name] for name in told])) ** 2).sum()) for begin in begins]
        middle = np.log([start[NAMES.index(name)] for name in told])
        bounds = middle + np.log(FACTORS[0]) - 1.0, middle + np.log(FACTORS[1]) + 1.0
        if "block" in told:
            bounds[0][told.index("block")], bounds[1][told.index("block")] = (
                np.log(0.5 * BLOCKS[0]),
                np.log(2.0 * BLOCKS[-1]),
            )
        answers: list[Any] = []
        for place in np.argsort(costs)[:BEGUN_FROM]:
            first = np.log([begins[place][name] for name in told])
            answers.append(
                least_squares(off, first, slopes, bounds=bounds, x_scale=0.3, xtol=1e-12, ftol=1e-12, gtol=1e-12)
            )
            if answers[-1].cost < EXACT:
                break
        answer = min(answers, key=lambda one: float(one.cost))
        freedom = max(len(every) - len(told), 1)
        variance = max(float((answer.fun**2).sum()) / freedom, (FINEST_S / float(measured.max()) / 10.0) ** 2)
        _, sizes, ways = np.linalg.svd(answer.jac, full_matrices=False)
        if len(told) > 1 and (len(sizes) < len(told) or sizes[-1] < SAME_WAY * sizes[0]):
            told.pop(int(np.argmax(np.abs(ways[-1]))))  # two of them would do the same to all that was measured
            continue
        unsure = np.sqrt(np.maximum(np.diag(np.linalg.pinv(answer.jac.T @ answer.jac)) * variance, 0.0))
        worst = int(np.argmax(unsure))
        if unsure[worst] <= MOST_UNSURE or len(told) == 1:
            break
        told.pop(worst)
    after = constants_of(told, answer.x)
    then = times(after)
    jobs = [sample.timed.job.name for sample in samples for _ in sample.measured]
    return Fitted(
        before, after, {name: float(getattr(after, name) * sigma) for name, sigma in zip(told, unsure, strict=True)},
        float(np.sqrt((((then - measured) / measured) ** 2).sum() / freedom)),
        [Residual(job, item.what, *row) for job, item, row in zip(jobs, every, np.column_stack([measured, as_it_is, then]).tolist(), strict=True)],
        [name for name in NAMES if name not in told],
    )  # fmt: skip
