"""What is the turning dialects' own: diameters, incremental words, station and register, surface speed, drilling cycles.

T0101        station 01 into use, with geometry register 01; 00 takes the register back
X U          diameters where the machine says so: the slide moves half as far
U V W H      increments of X Y Z C (code system A, which has no G91)
G50 S        the most that the spindle may turn under G96 (system B: G92 S)
G96 S        surface speed in m/min: rpm = 1000·v / (π·d), d the diameter at the tip (from the definition of surface speed)
G83 … G89    along Z on the face, along X on the side; R counts from the initial level
"""

from __future__ import annotations

import math
import re
from typing import TYPE_CHECKING

from ..findings import Edit, Fix
from . import acts, moves
from .cycles import Hole
from .motions import ARC, FEED, RAPID, THREAD, TOOL_CHANGE
from .reader import Block
from .words import Words

if TYPE_CHECKING:
    from .interpreter import Interpreter

INCREMENTAL = {"U": "X", "V": "Y", "W": "Z", "H": "C"}
LEAST_DIAMETER_MM = 0.1  # below it the surface speed's rpm is that of the limit
# In these blocks U W are amounts, not increments.
_AMOUNTS = frozenset({"rough-along", "rough-across", "rough-repeat", "data", "dwell"})


def has_increments(run: Interpreter) -> bool:
    """Code system A: increments by letters."""
    return not any(meaning.name == "increments" for meaning in run.dialect.g.values())


def axis_letters(run: Interpreter, words: Words) -> list[str]:
    """The letters that may be axes; the A of a threading cycle is the thread's angle."""
    letters = [letter for letter in words.value if letter not in "UVWH" or not has_increments(run)]
    return [letter for letter in letters if letter != "A" or "thread-passes" not in words.g]


def prepared(run: Interpreter, words: Words) -> Words:
    """The block with its increments as coordinates."""
    control = run.control
    if not any(letter in words for letter in INCREMENTAL) or not has_increments(run):
        return words
    if any(name in _AMOUNTS for name in words.g):
        return words
    value, bare = dict(words.value), set(words.bare)
    for letter, axis in INCREMENTAL.items():
        if letter not in value:
            continue
        if control.index(axis) < 0:
            run.report_once(
                ("axis", letter), "word.axis", f"this channel has no axis {axis}; its words are passed over"
            )
            value.pop(letter)
            continue
        if axis in value:
            run.report("word.group", f"{axis} and {letter} move one axis; the increment is taken",
                       remedy=f"Leave {axis} or {letter} out.")  # fmt: skip
        way = value.pop(letter)
        if run.setup.bare_increment and letter in bare:
            way *= 0.0001 if control.inch and axis != "C" else 0.001
        typed = control.program_position(axis)
        if axis not in "ABC":
            typed *= (2.0 if axis in run.setup.diameters else 1.0) / control.unit
        value[axis] = typed + way
        bare.discard(axis)
    return Words(words.g, words.m, words.own, value, frozenset(bare), words.unsure)


# --- tools ----------------------------------------------------------------------------------------------------------------


def tool_words(run: Interpreter, words: Words, block: Block) -> None:
    if "T" not in words:
        return
    control, setup = run.control, run.setup
    code = round(words.value["T"])
    station, register = divmod(code, 100) if code > 99 else (code, code)
    tool = _tool_at(setup.stations, station, register)
    station = setup.stations.get(tool, station)
    if setup.turret and station > setup.turret.stations:
        run.report("tool.station", f"the turret has {setup.turret.stations} stations; T{code:04d} asks for {station}",
                   remedy=f"Call a station from 1 to {setup.turret.stations}.")  # fmt: skip
        return
    run.register = register
    if register == 0:
        control.geometry = {}
    elif register not in run.geometry:
        run.report("register.unset", f"geometry register {register:02d} was never set; it counts as 0",
                   remedy=f"Enter register {register:02d}, or correct T.")  # fmt: skip
        control.geometry = {}
    else:
        control.geometry = run.geometry[register]
        if register != station and tool in setup.geometry and control.geometry != setup.geometry[tool]:
            run.report("register.other", f"T{code:04d} takes register {register:02d} for station {station:02d}: another tool's "
                       "geometry", remedy=f"Write T{station:02d}{station:02d}, if no other is meant.",
                       fix=_own_register(run, station))  # fmt: skip
    if tool == control.tool:
        return
    acts.check_change_place(run, "the turret is indexed away from its change position")
    before = control.tool
    acts.take_tool(run, tool, block)
    target = list(control.machine)
    seconds = setup.change_seconds
    turret = setup.turret
    if turret and control.index(turret.axis) >= 0:
        step = 360.0 / turret.stations
        column = control.index(turret.axis)
        way = math.remainder((station - 1) * step - target[column], 360.0)
        target[column] += way
        # Another tool of the block that is in use already needs no indexing.
        beside = setup.stations.get(before) == station
        seconds = 0.0 if beside and way == 0.0 else turret.seconds * max(1.0, abs(way) / step)
    run.add(TOOL_CHANGE, target, seconds=seconds)


def _tool_at(stations: dict[int, int], station: int, register: int) -> int:
    """The tool that a T word calls. Of several on one block the register says which (T0313: station 3, tool 13); a tool may
    also be called by its own number, wherever it hangs."""
    here = [tool for tool, own in stations.items() if own == station]
    if register in here:
        return register
    if here:
        return station if station in here else min(here)
    return station


def _own_register(run: Interpreter, station: int) -> Fix | None:
    index = run.at - 1
    text = run.text.line(index)
    new = re.sub(r"(?<![A-Za-z])[Tt]\s*\d+", f"T{station:02d}{station:02d}", text, count=1)
    title = f"Write T{station:02d}{station:02d}"
    return Fix(title, (Edit(run.text.name, index + 1, text, new),)) if new != text else None


# --- surface speed ----------------------------------------------------------------------------------------------------------


def rpm_at(run: Interpreter, x: float) -> float:
    """rev/min at a slide position of X: fixed, or what the surface speed asks for."""
    control = run.control
    if control.surface_speed is None:
        return control.speed
    diameter = abs(2.0 * (x - control.offset("X")))
    limits = [limit for limit in (control.speed_limit, run.setup.max_rpm) if limit]
    asked = 1000.0 * control.surface_speed / (math.pi * max(diameter, LEAST_DIAMETER_MM))
    return min([asked, *limits])


def by_surface_speed(run: Interpreter, kind: int, target: list[float], feed: float) -> tuple[float, float]:
    """Spindle speed and feed of a motion under constant surface speed: both follow the diameter along the way; the two
    ends give the mean."""
    control = run.control
    column = control.index("X")
    if column < 0:
        return control.rpm, feed
    control.speed = rpm_at(run, target[column])
    if kind in (FEED, ARC) and control.feed_mode == "per-revolution" and control.feed is not None:
        mean = 0.5 * (rpm_at(run, control.machine[column]) + rpm_at(run, target[column]))
        feed = max(control.feed * mean, moves.ALTERNATIVE_FEED * 1e-3)
    return control.rpm, feed


# --- drilling on face and side ----------------------------------------------------------------------------------------------


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


def drill_cycle(run: Interpreter, words: Words, axes: dict[str, float]) -> None:
    control = run.control
    held, cycle = control.cycle_words, control.cycle
    drill = "Z" if cycle.startswith("face") else "X"
    if not held:
        control.cycle_initial = control.program_position(drill)
    if "R" in words:
        held["R"] = run.length(words, "R")
    if "Q" in words:
        held["Q"] = small(run, words, "Q")
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
    moves.check_before_cut(run)
    moves.check_offset(run)
    plane = {axis: value for axis, value in axes.items() if axis != drill}
    repeats = round(words.value.get("K", words.value.get("L", 1.0)))
    hole = TurnHole(run, cycle, drill, level_r, bottom, held, plane, repeats)
    for _ in range(max(0, min(repeats, 10_000))):
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
    for _ in range(100_000):
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


def small(run: Interpreter, words: Words, letter: str) -> float:
    """A step or depth of a turning cycle, mm: P, Q and D without a point are counted in increments of 0.001 mm or 0.0001 in,
    whatever the job says of other numbers (common practice)."""
    value = abs(words.value[letter])
    if letter in words.bare:
        value *= 0.0001 if run.control.inch else 0.001
    return value * run.control.unit
