"""What is known after each stage: opened → timed → rehearsed. What a stage has is in its type."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from ..findings import Docket, Finding, verdict_of
from ..geometry.frames import Floats
from ..job import Job
from ..job.carried import CutBefore
from ..machine import Chain
from ..machine.placement import Placement
from ..machine.tip import Kinematics, Solvers
from ..program.control import Setup
from ..program.interpreted import Interpreted
from ..timeline.clock import Meeting
from ..timeline.reel import Knots, Reel
from ..timeline.steps import Standing
from ..tools import Assembly
from .arms import Settled
from .stands import Stands

if TYPE_CHECKING:  # what only a replay makes is not loaded for a check
    from ..contact.program import Margin
    from ..geometry.distance import Solid
    from ..geometry.mesh import Mesh
    from ..job.models import Measure
    from ..material.comparison import Comparison
    from ..material.film import Film
    from ..material.measures import Measured
    from ..material.stock import Stock


SLACK = 5e-4  # mm or degrees: a reading is told to a thousandth, and judged as it is told


@dataclass(frozen=True)
class Taken:
    """nominal, actual and off mm or degrees, off = actual − nominal; within: none where there is no tolerance or nothing to judge."""

    measure: Measure
    found: Measured
    nominal: float | None
    actual: float | None

    @property
    def off(self) -> float | None:
        return None if self.nominal is None or self.actual is None else self.actual - self.nominal

    @property
    def beyond(self) -> float | None:
        """How far beyond its tolerance it is; 0 within it; none where that is not known."""
        if self.measure.tolerance is None or self.off is None:
            return None
        low, high = self.measure.tolerance
        beyond = max(low - self.off, self.off - high)
        return beyond if beyond > SLACK else 0.0

    @property
    def within(self) -> bool | None:
        return None if self.beyond is None else self.beyond == 0.0


@dataclass(frozen=True)
class Spot:
    """One of the worst places of the finished part, for the list beside the deviation colours."""

    kind: str  # gouge, excess
    amount: float  # mm
    point: tuple[float, float, float]  # frame of the mount
    motion: int  # −1 where no motion shaped it
    points: Floats = field(default_factory=lambda: np.zeros((0, 3)))  # all that it is made of, grid frame


@dataclass
class PartCheck:
    """A stock beside its design; `mesh` and `solid` in the grid frame, for measures and the colours of the finished part."""

    design: str
    comparison: Comparison
    solid: Solid
    mesh: Mesh
    spots: list[Spot] = field(default_factory=list)


@dataclass(frozen=True)
class Peak:
    """A greatest value, and the motion that it was met at (−1: there is none)."""

    value: float = 0.0
    motion: int = -1


@dataclass(frozen=True)
class Engagement:
    """How hard a tool had to work, as `engagement` says; mm, mm³."""

    taken: float = 0.0
    rate: Peak = Peak()  # mm³/min
    depth: Peak = Peak()
    width: Peak = Peak()
    chip: Peak = Peak()


@dataclass
class Work:
    """What every motion (n,) took off a stock: mm³, the longest stretch along the tool, mm (0 where that is not known), and the time, s,
    and the way across the tool's axis, mm, over which it cut (the way only of tools upright in the grid)."""

    taken: Floats
    stretch: Floats
    seconds: Floats
    across: Floats

    COLUMNS = ("taken", "stretch", "seconds", "across")

    @staticmethod
    def none(n: int) -> Work:
        return Work(*(np.zeros(n) for _ in Work.COLUMNS))

    @property
    def removed(self) -> np.ndarray:
        return self.taken > 0.0

    def add(self, motion: np.ndarray, taken: Floats, stretch: Floats, seconds: Floats, across: Floats) -> None:
        """What pieces of motions took off, besides what is there."""
        for column, values in ((self.taken, taken), (self.seconds, seconds), (self.across, across)):
            np.add.at(column, motion, values)
        np.maximum.at(self.stretch, motion, stretch)


@dataclass
class CutStock:
    """What became of one stock body; `frame` takes the grid's frame to that of the mount."""

    name: str
    frame: Floats
    stock: Stock
    film: Film
    volume_before: float
    volume_after: float
    work: Work
    seconds_in_cut: dict[int, float]
    metres_in_cut: dict[int, float]
    reach_needed: dict[int, float]  # mm, of rotating tools: with so much out of the holder it stays above the blank
    machine_from_work: Stands
    part: PartCheck | None = None  # where the job has a design for this stock
    spans: list[tuple[float, Placement]] = field(
        default_factory=list
    )  # from when on (s) what carried it, and where on it
    held_by: list[str] | None = None  # the grips that carry it at the end, on a machine that has grips
    mount: str = ""  # the one that it is on at the end
    before: CutBefore | None = None  # who cut what of it in earlier steps of a route
    at_end: Floats | None = None  # its own frame in that of this mount, where it is not the one that it began on

    @property
    def final_mesh(self) -> Mesh:
        """The machined stock in the frame of its mount, with its edges."""
        return self.final_surface()[0]

    def final_surface(self) -> tuple[Mesh, np.ndarray]:
        """The same, and the tag of each of its faces (faces,): the motion that cut it."""
        return self._surface

    @cached_property
    def _surface(self) -> tuple[Mesh, np.ndarray]:
        from ..material.sharp import sharp_surface

        mesh, tags = sharp_surface(self.film)
        mesh = mesh.moved(self.frame)
        return (mesh if self.at_end is None else mesh.moved(self.at_end)), tags


@dataclass
class Opened:
    """A job with its machine's chain and its tools as they hang."""

    job: Job
    chain: Chain
    tools: dict[int, Assembly]
    docket: Docket

    @property
    def findings(self) -> list[Finding]:
        return self.docket.in_order()

    @property
    def verdict(self) -> str:
        return verdict_of(self.docket)


@dataclass
class Strand(Opened):
    """One channel: its program read, carried out and timed on the clock of all. Job, chain and tools are as this program knows
    them (`job/channel`): axes by their words, tools by their numbers; rows of axis values are those of the machine."""

    setup: Setup
    solvers: Solvers
    interpreted: Interpreted
    reel: Reel
    settled: Settled | None = None  # of an arm: how its poses are reached

    @property
    def channel(self) -> int:
        return self.reel.channel

    def axis(self, word: str) -> str:
        """The machine's own name of an axis of the program."""
        return self.job.renamed.get(word, word)

    @property
    def columns(self) -> list[int]:
        """The chain's column of each of the channel's axes."""
        return [self.chain.axes.index(axis) for axis in self.setup.axes]

    def solver(self, motion: int) -> Kinematics:
        """The kinematics that a motion in a frame goes through."""
        snapshot = self.reel.motions.snapshots[int(self.reel.motions.snapshot[motion])]
        found = self.solvers.at(snapshot.works, snapshot.tool)
        assert found  # no frame without one
        return found

    def full(self, rows: Floats) -> Floats:
        """Rows of the channel's axis values over every axis of the chain: axes that it does not have stay at their reference."""
        reference = self.setup.references.get(1, {})
        full = np.tile([reference.get(axis, 0.0) for axis in self.chain.axes], (len(rows), 1))
        for column, axis in enumerate(self.setup.axes):
            full[:, self.chain.axes.index(axis)] = rows[:, column]
        return full


# By oneself, or from which end a rehearsal is begun that another worker begins from the other; the front tells what it comes to.
Side = Literal["", "front", "back"]
MOST_UNENDING = 100_000  # motions that are carried out of a program without an end


@dataclass
class Timed(Opened):
    """All channels read, carried out and timed on one clock: what the program check knows. `reel`: the motions of all, with ids
    of their own; `tools` by what tells them apart in the whole machine (`job/channel.tool_key`)."""

    strands: list[Strand]
    reel: Reel
    met: list[Meeting]  # where the channels waited for each other, in order

    def at_reference(self) -> Floats:
        """Every axis of the chain at its first reference, where it begins (k,)."""
        reference = self.job.machine.reference.get("1", {})
        return np.array([reference.get(axis, 0.0) for axis in self.chain.axes])

    @property
    def cut_short(self) -> list[Strand]:
        """The channels whose programs have no end and were not carried out as far as they were read."""
        unending = {item.channel for item in self.docket if item.kind == "program.endless"}
        return [s for s in self.strands if s.channel in unending and len(s.reel.motions) == MOST_UNENDING]

    def strand_of(self, motion: int) -> Strand:
        """The channel that a motion is of; the first for −1."""
        return next(
            (s for s in self.strands if s.reel.first <= motion < s.reel.first + len(s.reel.motions)), self.strands[0]
        )


@dataclass
class Timing:
    """pairs: moved by different channels; proved: of them those that no delay can make touch; unknown: not known within the bound."""

    pairs: int = 0
    proved: int = 0
    unknown: int = 0


@dataclass
class QuickLook:
    """grid: the coarse one; own: the job's, both mm; seen, all: how many bricks of the stocks were looked at on the job's own grid."""

    grid: float
    own: float
    seen: int = 0
    all: int = 0

    @property
    def share(self) -> float:
        return min(self.seen / self.all, 1.0) if self.all else 0.0


@dataclass
class Rehearsal(Timed):
    """Everything a run found out; nothing in it changes afterwards."""

    knots: Knots
    values: Floats  # (m + 1, k): every axis of the chain at the knots
    standing: Standing
    filmed: bool = True  # whether the stock was kept through time, as a replay needs it
    margins: list[Margin] = field(default_factory=list)
    nearest: dict[tuple[int, int], Margin] = field(default_factory=dict)  # of an arm's operations: `reaching`
    pairs: int = 0
    off: list[tuple[str, str]] = field(default_factory=list)  # pairs that the job switches off
    stocks: list[CutStock] = field(default_factory=list)
    touching: set[int] = field(default_factory=set)  # the motions in which two bodies touch that are no stock
    notes: list[str] = field(default_factory=list)  # what else is to be known, in words
    held: list[dict[str, Any]] = field(
        default_factory=list
    )  # grip, piece, begin and end (s; null: to the end) of every hold
    timing: Timing | None = None  # of several channels: what another timing could make touch
    measured: list[Taken] = field(default_factory=list)
    engagements: dict[int, Engagement] = field(default_factory=dict)  # by tool, of those that cut
    quick: QuickLook | None = None  # where the material was worked out on a coarser grid than the job's
    resumed: dict[str, int] = field(default_factory=dict)  # stock → the last motion that a checkpoint had cut already
