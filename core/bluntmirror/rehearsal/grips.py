"""When grips are worked: what the channels' codes ask of them, in the order of the clock."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..program.interpreted import Act
from ..timeline.reel import Knots
from .result import Strand, Timed

ORDER = {
    "closed": 0,
    "opening": 1,
    "push": 2,
    "pass": 3,
}  # of what counts at one moment: who waited for a grip goes on when it holds


@dataclass
class Happening:
    """`what`: a grip has closed, begins to open, the bar is pushed, a pass of the program begins; `begun`: when its code
    stood, `time`: when it counts, `ready`: when the grip has had its seconds; `segment`: the first of the knots that comes after."""

    what: str
    act: Act
    strand: Strand
    begun: float
    time: float
    ready: float
    segment: int = 0


@dataclass
class Events:
    every: list[Happening]

    @staticmethod
    def of_channels(timed: Timed) -> Events:
        grips = {grip.name: grip for grip in timed.job.machine.grips}
        found = []
        for strand in timed.strands:
            begin = strand.reel.begin_time
            for act in strand.interpreted.acts:
                if act.kind not in ("close", "open", "push"):
                    continue
                code = float(begin[act.motion]) if act.motion < len(begin) else strand.reel.seconds
                ready = code + (0.0 if act.kind == "push" else grips[act.name].seconds)
                what = {"close": "closed", "open": "opening", "push": "push"}[act.kind]
                found.append(Happening(what, act, strand, code, ready if act.kind == "close" else code, ready))
        looping = next((strand for strand in timed.strands if strand.interpreted.passes), None)
        for motion in looping.interpreted.passes if looping else ():
            begin = looping.reel.begin_time  # type: ignore[union-attr]
            time = float(begin[motion]) if motion < len(begin) else looping.reel.seconds  # type: ignore[union-attr]
            found.append(Happening("pass", Act("pass", motion, "", 0, ""), looping, time, time, time))  # type: ignore[arg-type]
        found.sort(key=lambda event: (event.time, ORDER[event.what], event.begun))
        return Events(found)

    @property
    def in_order(self) -> list[Happening]:
        return self.every

    @property
    def moments(self) -> list[float]:
        """Times at which knots are needed."""
        return sorted({t for event in self.every for t in (event.begun, event.time, event.ready)})

    def place(self, knots: Knots) -> None:
        """Find the segment before which each counts."""
        for event in self.every:
            event.segment = int(np.searchsorted(knots.t0, event.time - 1e-9))

    def of(self, grip: str) -> list[Happening]:
        return [event for event in self.every if event.act.name == grip]
