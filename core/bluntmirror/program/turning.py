"""What is the turning dialects' own: incremental words, station and register.

T0101        station 01 into use, with geometry register 01; 00 takes the register back
X U          diameters where the machine says so: the slide moves half as far
U V W H      increments of X Y Z C (code system A, which has no G91)
"""

from __future__ import annotations

import math
import re

from ..findings import Edit, Fix
from . import acts
from .motions import TOOL_CHANGE
from .reader import Block
from .words import Words
from .writer import Writer

INCREMENTAL = {"U": "X", "V": "Y", "W": "Z", "H": "C"}
# In these blocks U W are amounts, not increments.
_AMOUNTS = frozenset({"rough-along", "rough-across", "rough-repeat", "data", "dwell"})


def prepared(run: Writer, words: Words) -> Words:
    """The block with its increments as coordinates."""
    control = run.control
    if not any(letter in words for letter in INCREMENTAL) or not run.dialect.increment_letters:
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


def tool_words(run: Writer, words: Words, block: Block) -> None:
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
    bears = station in setup.bearing and tool not in setup.tools
    if bears:
        tool, register = 0, 0
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
    if tool == control.tool and not bears:
        return
    acts.check_change_place(run, "the turret is indexed away from its change position")
    before = control.tool
    acts.take_tool(run, tool, block)
    if bears:
        run.told.add("no tool")  # it is moved to its place, and cuts nothing
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


def _own_register(run: Writer, station: int) -> Fix | None:
    index = run.at - 1
    text = run.text.line(index)
    new = re.sub(r"(?<![A-Za-z])[Tt]\s*\d+", f"T{station:02d}{station:02d}", text, count=1)
    title = f"Write T{station:02d}{station:02d}"
    return Fix(title, (Edit(run.text.name, index + 1, text, new),)) if new != text else None
