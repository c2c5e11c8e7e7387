"""What a rehearsal found out."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..contact.program import Margin
from ..findings import Docket, Finding, verdict_of
from ..geometry.distance import Solid
from ..geometry.frames import Floats
from ..geometry.mesh import Mesh
from ..job import Job
from ..machine import Chain
from ..machine.tip import Kinematics
from ..material.comparison import Comparison
from ..material.film import Film
from ..material.stock import Stock
from ..program.control import Setup
from ..program.interpreter import Interpreted
from ..timeline.reel import Knots, Reel
from ..tools import Assembly
from .stands import Stands


@dataclass(frozen=True)
class Spot:
    """One of the worst places of the finished part, for the list beside the deviation colours."""

    kind: str  # gouge, excess
    amount: float  # mm
    point: tuple[float, float, float]  # frame of the mount
    motion: int  # −1 where no motion shaped it


@dataclass
class PartCheck:
    """A stock beside its design; `solid` in the grid frame, for the colours of the finished part."""

    design: str
    comparison: Comparison
    solid: Solid
    spots: list[Spot] = field(default_factory=list)


@dataclass
class CutStock:
    """What became of one stock body; `frame` takes the grid's frame to that of the mount."""

    name: str
    frame: Floats
    stock: Stock
    film: Film
    volume_before: float
    volume_after: float
    removed: np.ndarray  # (motions,) bool
    seconds_in_cut: dict[int, float]
    metres_in_cut: dict[int, float]
    reach_needed: dict[int, float]  # mm, of rotating tools: with so much out of the holder it stays above the blank
    machine_from_work: Stands
    part: PartCheck | None = None  # where the job has a design for this stock

    @property
    def final_mesh(self) -> Mesh:
        """The machined stock in the frame of its mount."""
        return self.film.final_mesh().moved(self.frame)


@dataclass
class Rehearsal:
    """Everything a run found out; nothing in it changes afterwards."""

    job: Job
    chain: Chain
    tools: dict[int, Assembly]
    docket: Docket
    interpreted: Interpreted | None = None
    others: dict[int, Interpreted] = field(default_factory=dict)  # the further channels, read but not replayed
    reel: Reel | None = None
    knots: Knots | None = None
    margins: list[Margin] = field(default_factory=list)
    pairs: int = 0
    off: list[tuple[str, str]] = field(default_factory=list)  # pairs that the job switches off
    stocks: list[CutStock] = field(default_factory=list)
    resumed: dict[str, int] = field(default_factory=dict)  # stock → the last motion that a checkpoint had cut already
    setup: Setup | None = None
    kinematics: Kinematics | None = None

    @property
    def findings(self) -> list[Finding]:
        return self.docket.in_order()

    @property
    def verdict(self) -> str:
        return verdict_of(self.docket)
