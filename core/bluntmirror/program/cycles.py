"""Drilling, tapping and boring cycles, unrolled into the motions they are.

    initial level   where the drilling axis stood when the cycle began
    R level         where rapid ends and feed begins
    G98, G99        return to the initial level, to the R level

         rapid to the hole ──► rapid to R ──► feed to Z ──► (dwell, spindle, shift) ──► back out
             ┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄ initial
               ┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄ R          in G91 R counts from the initial level, Z from R
             ─────┐ ┌───────── work
                  └─┘───────── Z

In any plane they go along its third axis; K or L repeats them. What each does at the bottom is common practice, for
`rs274` the public-domain report's own sequence. Boring tools are shifted off the wall by Q along the plane's first axis.
"""

from __future__ import annotations

from dataclasses import dataclass

from . import checks, feeds, modes
from .motions import FEED, PLANE_AXES, RAPID, THREAD
from .words import Words
from .writer import Writer

MAX_PECKS, MAX_HOLES = 10_000, 100_000
PECKING = ("chip-break", "peck-drill")
TAPPING = ("tap", "tap-left", "tap-rigid")


def carry_out(run: Writer, words: Words, axes: dict[str, float]) -> None:
    """Carry out one block under a modal cycle."""
    control = run.control
    hole = _hole(run, words, axes)
    if hole is None:
        return
    checks.check_before_cut(run)
    checks.check_offset(run)
    for done in run.steps(MAX_HOLES, f"the cycle is repeated {hole.repeats:,} times"):
        if done >= hole.repeats:
            break
        hole.go(RAPID, hole.place())
        hole.carry_out()
    run.rapid_level = hole.level_r if control.shape is None and not control.framed else None


def _hole(run: Writer, words: Words, axes: dict[str, float]) -> Hole | None:
    """The hole that a block asks for, from its words and those held; None where something is missing."""
    control = run.control
    held, cycle, drill = control.cycle_words, control.cycle, control.drill_axis
    for letter in ("R", "Q", "I", "J"):
        if letter in words:
            held[letter] = run.length(words, letter)
    if "K" in words and cycle == "bore-back" and run.dialect.o_words:
        held["K"] = run.length(words, "K")
    if "P" in words:
        held["P"] = words.value["P"] if run.dialect.o_words else words.value["P"] / 1000.0
    if drill in axes:
        held["depth"] = axes[drill]
    missing = [name for name, key in (("R", "R"), (drill, "depth")) if key not in held]
    if (cycle in PECKING or cycle == "bore-fine") and held.get("Q", 0.0) <= 0.0:
        missing.append("Q")
    code = run.dialect.code_of(cycle)
    if missing and "told" in held and not any(name == cycle for name in words.g):
        return None  # the hole after the one where it was said
    if missing:
        held["told"] = 1.0
        run.report("cycle.missing", f"the cycle {code} lacks {' and '.join(missing)}",
                   remedy=f"Write {' and '.join(missing)} into the block that begins the cycle.")  # fmt: skip
        return None
    if control.absolute:
        level_r, bottom = held["R"], held["depth"]
    else:
        level_r = control.cycle_initial + held["R"]
        bottom = level_r + held["depth"]
    upside_down = cycle == "bore-back" and not run.dialect.o_words
    if (level_r > bottom) if upside_down else (level_r < bottom):
        word = "above" if upside_down else "below"
        run.report("cycle.level", f"the cycle's R level ({level_r:g}) lies {word} its depth ({bottom:g})",
                   amount=abs(level_r - bottom),
                   remedy=f"R is where feed begins: put it above the work, Z ({bottom:g}) below it.")  # fmt: skip
        return None
    repeats = round(words.value.get("K", 1.0)) if "K" in words and "K" not in held else round(words.value.get("L", 1.0))
    plane = {axis: value for axis, value in axes.items() if axis != drill}
    return Hole(run, cycle, drill, level_r, bottom, held, plane, max(0, repeats))


@dataclass
class Hole:
    """One hole, or one after another of a repeated cycle: levels in program coordinates of the drilling axis."""

    run: Writer
    cycle: str
    drill: str
    level_r: float
    bottom: float
    held: dict[str, float]
    plane: dict[str, float]  # the block's words of the plane
    repeats: int
    snapshot: int = -1  # of every motion once the length has come in with the first Z

    def place(self) -> dict[str, float]:
        if self.run.control.polar:
            return modes.from_polar(self.run, self.plane)
        return self.run.absolute(self.plane)

    def go(self, kind: int, axes: dict[str, float], feed: float = 0.0) -> None:
        """A straight move to program coordinates, where it moves at all."""
        run, control = self.run, self.run.control
        target = control.to_machine(control.shaped(axes))
        if target == control.machine:
            return
        if "Z" in axes:
            control.length_applied = control.length_active
        if kind != RAPID:
            run.cut_since_change = True
            feed = feed or feeds.feed_rate(run, abs(next(iter(axes.values())) - self.level_r))
        run.add(kind, target, feed, snapshot=self.snapshot)
        self.snapshot = run.snapshot() if self.snapshot < 0 and "Z" in axes else self.snapshot

    def to(self, kind: int, level: float) -> None:
        self.go(kind, {self.drill: level})

    def wait(self) -> None:
        if self.held.get("P"):
            self.run.wait(self.held["P"])

    def carry_out(self) -> None:
        control = self.run.control
        if self.cycle == "bore-back":
            (self._bore_back_by_words if self.run.dialect.o_words else self._bore_back)()
            return
        self.to(RAPID, self.level_r)
        spindle = control.spindle
        _AT_THE_HOLE[self.cycle](self)
        self.to(RAPID, max(control.cycle_initial, self.level_r) if control.return_initial else self.level_r)
        if self.cycle == "bore-fine":
            self.shift(-1)
        control.spindle = spindle

    # --- what they do from the R level on -------------------------------------------------------------------------------

    def drill_through(self) -> None:
        self.to(FEED, self.bottom)
        if self.cycle != "drill":
            self.wait()

    def pecks(self) -> None:
        clearance = self.run.dialect.settings.peck_clearance
        reached = self.level_r
        for _ in self.run.steps(MAX_PECKS, "one hole is pecked"):
            reached = max(self.bottom, reached - self.held["Q"])
            self.to(FEED, reached)
            if reached <= self.bottom:
                break
            if self.cycle == "peck-drill":
                self.to(RAPID, self.level_r)
            self.to(RAPID, min(self.level_r, reached + clearance))
        self.wait()

    def tap(self) -> None:
        """Down with the thread's own sense of turning, back with the other; spindle and axis locked both ways."""
        control = self.run.control
        in_ = -1 if self.cycle == "tap-left" else 1
        peck = self.held.get("Q", 0.0)
        reached = self.level_r
        for _ in self.run.steps(MAX_PECKS, "one hole is pecked"):
            reached = max(self.bottom, reached - peck) if peck > 0 else self.bottom
            control.spindle = in_
            self.to(THREAD, reached)
            if reached <= self.bottom:
                self.wait()
            control.spindle = -in_
            self.to(THREAD, self.level_r)
            if reached <= self.bottom:
                break
        control.spindle = in_

    def feed_out(self) -> None:
        self.to(FEED, self.bottom)
        if self.cycle == "bore-dwell":
            self.wait()
        self.to(FEED, self.level_r)

    def stop_and_out(self) -> None:
        self.to(FEED, self.bottom)
        self.wait()
        self.run.control.spindle = 0

    def fine(self) -> None:
        self.to(FEED, self.bottom)
        self.wait()
        self.run.control.spindle = 0
        self.shift(1)

    def shift(self, sign: int) -> None:
        """Off the wall by Q along the plane's first axis, and back again."""
        control = self.run.control
        axis = "XYZ"[PLANE_AXES[control.plane][0]]
        way = sign * self.run.dialect.settings.cycle_shift * self.held.get("Q", 0.0)
        if way:
            self.go(RAPID, {axis: control.program_position(axis) + way})

    def _bore_back(self) -> None:
        """Through the bore oriented and shifted, down to R; then up to Z with the spindle on."""
        control = self.run.control
        spindle = control.spindle
        control.spindle = 0
        self.shift(1)
        self.to(RAPID, self.level_r)
        self.shift(-1)
        control.spindle = spindle
        self.to(FEED, self.bottom)
        self.wait()
        control.spindle = 0
        self.shift(1)
        self.to(RAPID, control.cycle_initial)
        self.shift(-1)
        control.spindle = spindle

    def _bore_back_by_words(self) -> None:
        """RS274/NGC: I J the shift, Z below the work, K the level that the counterbore reaches."""
        control = self.run.control
        first, second = ("XYZ"[i] for i in PLANE_AXES[control.plane][:2])
        hole = {first: control.program_position(first), second: control.program_position(second)}
        aside = {first: hole[first] + self.held.get("I", 0.0), second: hole[second] + self.held.get("J", 0.0)}
        clear, spindle = max(control.cycle_initial, self.level_r), control.spindle
        self.to(RAPID, clear)
        control.spindle = 0
        self.go(RAPID, aside)
        self.to(RAPID, self.bottom)
        self.go(RAPID, hole)
        control.spindle = spindle
        self.to(FEED, self.held.get("K", self.bottom))
        self.to(FEED, self.bottom)
        control.spindle = 0
        self.go(RAPID, aside)
        self.to(RAPID, clear)
        self.go(RAPID, hole)
        control.spindle = spindle


_AT_THE_HOLE = {
    "drill": Hole.drill_through, "drill-dwell": Hole.drill_through, "peck-drill": Hole.pecks, "chip-break": Hole.pecks,
    "tap": Hole.tap, "tap-left": Hole.tap, "tap-rigid": Hole.tap, "bore": Hole.feed_out, "bore-dwell": Hole.feed_out,
    "bore-stop": Hole.stop_and_out, "bore-hand": Hole.stop_and_out, "bore-fine": Hole.fine,
}  # fmt: skip
