"""The interpreter of turning programs, code system A (`iso-turn`).

    T0101        station 01 into use, with geometry register 01; 00 takes the register back
    X U          diameters where the machine says so: the slide moves half as far
    U W H        increments of X Z C
    G50 S        the most that the spindle may turn under G96
    G96 S        surface speed in m/min: rpm = 1000·v / (π·d), d the diameter at the tip (from the definition of surface speed)
    G98 G99      feed per minute, per revolution

Cycles, threads, nose compensation and interpolation on the C axis are known and reported where they stand.
"""

from __future__ import annotations

import math

from .dialect import TURN
from .interpreter import ALTERNATIVE_FEED, Interpreter, Words
from .motions import ARC, FEED, TOOL_CHANGE
from .reader import Block

INCREMENTAL = {"U": "X", "W": "Z", "H": "C"}
LEAST_DIAMETER_MM = 0.1  # below it the surface speed's rpm is that of the limit


class TurnInterpreter(Interpreter):
    dialect = TURN

    def __init__(self, *args, **options) -> None:  # type: ignore[no-untyped-def]
        super().__init__(*args, **(options | {"fast": False}))
        self.control.turning = True
        self.control.plane = 180
        self.control.feed_mode = 950

    def _modes(self, words: Words, codes: set[int]) -> None:
        # G98 and G99 mean feed modes here; the shared code knows those as G94 and G95.
        turned = Words()
        turned.g = [{980: 940, 990: 950}.get(code, code) for code in words.g if code not in (960, 970)]
        turned.m, turned.value, turned.bare, turned.unsure = words.m, words.value, words.bare, words.unsure
        for code in (940, 950):
            if code in turned.g and code != self.control.feed_mode:
                self.control.feed_mode, self.control.feed = code, None
                self.told.discard("feed")
        if 500 in codes and "S" not in words:
            self._not_carried_out("G50 with coordinates (coordinate setting)")
        if 970 in codes:
            self.control.surface_speed = None
        super()._modes(turned, codes)

    def _scaled(self, words: Words, letter: str) -> float:
        value = super()._scaled(words, letter)
        return value / 2.0 if INCREMENTAL.get(letter, letter) in self.setup.diameters and letter in "XU" else value

    def _axes(self, words: Words) -> dict[str, float]:
        control = self.control
        found: dict[str, float] = {}
        for letter in "XYZCBUWH":
            axis = INCREMENTAL.get(letter, letter)
            if letter not in words:
                continue
            if control.index(axis) < 0:
                self.report_once(("axis", letter), "program.word", f"this channel has no axis {axis}; its words are passed "
                                 "over", severity="stop")  # fmt: skip
                continue
            if axis in found:
                self.report("program.word", f"{axis} and {letter} move one axis; the increment is taken")
            value = self._scaled(words, letter)
            found[axis] = control.program_position(axis) + value if letter in INCREMENTAL else value
        return found

    def _reference(self, words: Words, other: bool) -> None:
        # G28 U0 W0: by way of where the axes are.
        absolute = Words()
        absolute.value = {k: v for k, v in words.value.items() if k not in INCREMENTAL}
        if any(letter in words for letter in INCREMENTAL):
            for letter, axis in INCREMENTAL.items():
                if letter in words:
                    absolute.value[axis] = 0.0
            via = {INCREMENTAL[x]: self._scaled(words, x) for x in INCREMENTAL if x in words and words.value[x] != 0.0}
            if via:
                self._straight(0, self._target({a: self.control.program_position(a) + v for a, v in via.items()}))
            point = self.setup.references.get(round(words.value.get("P", 2.0)) if other else 1, {})
            self._rapid_to({axis: point.get(axis, 0.0) for axis in absolute.value if self.control.index(axis) >= 0})
            return
        super()._reference(words, other)

    def _tool_words(self, words: Words, block: Block) -> None:
        if "T" not in words:
            return
        control, setup = self.control, self.setup
        code = round(words.value["T"])
        station, register = divmod(code, 100) if code > 99 else (code, code)
        tool = next((t for t, s in setup.stations.items() if s == station), station)
        if register == 0:
            control.geometry = {}
        elif register not in setup.geometry:
            self.report("program.offset", f"geometry register {register:02d} was never set; it counts as 0")
            control.geometry = {}
        else:
            control.geometry = setup.geometry[register]
        if tool == control.tool:
            return
        self._check_change_position()
        control.tool = tool
        self.told -= {"length", "no tool"}
        if tool not in setup.tools:
            self.report("program.tool", f"station {station} holds no tool of the table; what it cuts is not verified")
        self.result.operations.append((self.builder.count, self.at, tool, " ".join(block.comments)))
        target = list(control.machine)
        seconds = setup.change_seconds
        turret = setup.turret
        if turret and control.index(turret.axis) >= 0:
            step = 360.0 / turret.stations
            column = control.index(turret.axis)
            way = math.remainder((station - 1) * step - target[column], 360.0)
            target[column] += way
            seconds = turret.seconds * max(1.0, abs(way) / step)
        self._add(TOOL_CHANGE, target, seconds=seconds)

    def _check_change_position(self) -> None:
        for axis, value in self.setup.change_at.items():
            index = self.control.index(axis)
            if index >= 0 and abs(self.control.machine[index] - value) > 0.01:
                self.report("program.tool", f"the turret is indexed away from its change position: {axis} stands at "
                            f"{self.control.machine[index]:.3f}, the change is at {value:.3f}", axis=axis)  # fmt: skip

    def _speed(self, words: Words, codes: set[int]) -> None:
        control = self.control
        if 500 in codes:
            control.speed_limit = abs(words.value["S"])
            return
        if 960 in codes or (control.surface_speed is not None and 970 not in codes):
            control.surface_speed = abs(words.value["S"]) * (0.3048 if control.inch else 1.0)
            return
        super()._speed(words, codes)

    def _rpm_at(self, x: float) -> float:
        """rev/min at a slide position of X: fixed, or what the surface speed asks for."""
        control = self.control
        if control.surface_speed is None:
            return control.speed
        diameter = abs(2.0 * (x - control.offset("X")))
        limits = [limit for limit in (control.speed_limit, self.setup.max_rpm) if limit]
        asked = 1000.0 * control.surface_speed / (math.pi * max(diameter, LEAST_DIAMETER_MM))
        return min([asked, *limits])

    def feed_rate(self, length: float) -> float:
        control = self.control
        if control.feed is not None and control.feed_mode == 950 and control.surface_speed is not None:
            return control.feed * max(self._rpm_at(control.machine[control.index("X")]), 1e-3)
        return super().feed_rate(length)

    def _add(self, kind: int, target: list[float], **options) -> None:  # type: ignore[no-untyped-def, override]
        control = self.control
        if control.surface_speed is not None and control.index("X") >= 0:
            column = control.index("X")
            control.speed = self._rpm_at(target[column])
            if kind in (FEED, ARC) and control.feed_mode == 950 and control.feed is not None:
                # Speed and feed follow the diameter along the way; its two ends give the mean.
                mean = 0.5 * (self._rpm_at(control.machine[column]) + self._rpm_at(target[column]))
                options["feed"] = max(control.feed * mean, ALTERNATIVE_FEED * 1e-3)
        super()._add(kind, target, **options)

    def _check_before_cut(self) -> None:
        if self.control.tool == 0:
            self.report_once("no tool", "program.tool", "a cutting move with no tool in use")
