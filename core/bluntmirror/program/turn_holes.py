"""Drilling cycles of turning: along Z on the face, along X on the side. R counts from the initial level.

G83 G84 G85   drill or peck, tap, bore on the face          G87 G88 G89   the same on the side
"""

from __future__ import annotations

from . import checks
from .cycles import MAX_HOLES, MAX_PECKS, Hole
from .motions import FEED, RAPID, THREAD
from .words import Words
from .writer import Writer


class TurnHole(Hole):
    """A hole of a turning cycle; the spindle that turns may be a driven tool's."""

    def tap(self) -> None:
        control = self.run.control
        driven, work = control.live, control.spindle
        self.to(THREAD, self.bottom)
        self.wait()
        control.live, control.spindle = -driven, -work
        self.to(THREAD, self.level_r)
        control.live, control.spindle = driven, work


def drill_cycle(run: Writer, words: Words, axes: dict[str, float]) -> None:
    control = run.control
    held, cycle = control.cycle_words, control.cycle
    drill = "Z" if cycle.startswith("face") else "X"
    if not held:
        control.cycle_initial = control.program_position(drill)
    if "R" in words:
        held["R"] = run.length(words, "R")
    if "Q" in words:
        held["Q"] = run.small(words, "Q")
    if "P" in words:
        held["P"] = words.value["P"] / 1000.0
    if drill in axes:
        held["depth"] = axes[drill]
    if "depth" not in held:
        code = run.dialect.code_of(cycle)
        run.report(
            "cycle.missing",
            f"the cycle {code} lacks {drill}",
            remedy=f"Write {drill}, the depth, into its first block.",
        )
        return
    # R goes from the initial level towards the work.
    bottom = held["depth"] if control.absolute else control.cycle_initial + held["depth"]
    towards = -1.0 if bottom < control.cycle_initial else 1.0
    level_r = control.cycle_initial + towards * abs(held.get("R", 0.0))
    if towards * (bottom - level_r) < 0:
        run.report("cycle.level", f"the cycle's R level ({level_r:g}) lies beyond its depth ({bottom:g})",
                   remedy="R is the way from the initial level to where feed begins.")  # fmt: skip
        return
    checks.check_before_cut(run)
    checks.check_offset(run)
    plane = {axis: value for axis, value in axes.items() if axis != drill}
    repeats = round(words.value.get("K", words.value.get("L", 1.0)))
    hole = TurnHole(run, cycle, drill, level_r, bottom, held, plane, repeats)
    for done in run.steps(MAX_HOLES, f"the cycle is repeated {repeats:,} times"):
        if done >= repeats:
            break
        hole.go(RAPID, hole.place())
        hole.to(RAPID, level_r)
        _AT_THE_HOLE[cycle.partition("-")[2]](hole, towards)
        hole.to(RAPID, control.cycle_initial if control.return_initial else level_r)


def _drill(hole: TurnHole, towards: float) -> None:
    hole.to(FEED, hole.bottom)
    if hole.cycle.endswith("dwell"):
        hole.wait()


def _peck(hole: TurnHole, towards: float) -> None:
    step = hole.held.get("Q", 0.0)
    if step <= 0:
        hole.to(FEED, hole.bottom)
        hole.wait()
        return
    clearance = hole.run.dialect.settings.peck_clearance
    reached = hole.level_r
    for _ in hole.run.steps(MAX_PECKS, "one hole is pecked"):
        left = abs(hole.bottom - reached)
        reached = hole.bottom if left <= step else reached + towards * step
        hole.to(FEED, reached)
        if reached == hole.bottom:
            break
        hole.to(RAPID, hole.level_r)
        hole.to(RAPID, reached - towards * clearance)
    hole.wait()


def _tap(hole: TurnHole, towards: float) -> None:
    hole.tap()


def _bore(hole: TurnHole, towards: float) -> None:
    hole.to(FEED, hole.bottom)
    hole.wait()
    hole.to(FEED, hole.level_r)


def _bore_stop(hole: TurnHole, towards: float) -> None:
    hole.to(FEED, hole.bottom)
    hole.wait()


_AT_THE_HOLE = {
    "drill": _drill, "drill-dwell": _drill, "peck": _peck, "tap": _tap, "bore": _bore, "bore-stop": _bore_stop,
}  # fmt: skip
