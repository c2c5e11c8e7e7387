"""System variables: what a program can read, and in part write, of the virtual control. Numbers as commonly used.

#2001–#2200      length register, wear added (H1…)          #10001… geometry, #11001… wear
#12001…          radius register's geometry, #13001… its wear
#3000 #3006      alarm, stop with a message (written)       #3001 #3002 clocks, ms and h; #3011 #3012 date and time
#3901            parts counted
#4001–#4022      active G code of each group; #4107 D, #4109 F, #4111 H, #4114 N, #4119 S, #4120 T
#5001–#5009      program place at the end of the last block; #5021… machine; #5041… program place now
#5061–#5069      program place where the last skip move ended
#5201–#5209      common work offset; #5221… G54, #5241… G55, to #5321… G59
#7001…           further work offsets, 20 apart; #14001… the same

Lengths are in the units in force, diameters where the control has them. The clocks stand at the program's own time 0: the
time of a motion is only known once the whole program is read.
"""

from __future__ import annotations

from .run import Run
from .variables import MacroError

ORDER = "XYZABCUVW"
# Group numbers as commonly used, and our groups.
_GROUPS = {
    1: "motion", 2: "plane", 3: "distance", 5: "feed mode", 6: "units", 7: "cutter compensation", 8: "length offset",
    10: "cycle return", 11: "scaling", 13: "speed mode", 14: "work offset", 15: "path mode", 16: "rotation",
    17: "polar coordinates", 22: "mirror image",
}  # fmt: skip
_OFF = {
    "scaling": "scale-off",
    "rotation": "rotate-off",
    "polar coordinates": "polar-off",
    "mirror image": "mirror-off",
}


class System:
    def __init__(self, run: Run) -> None:
        self.run = run

    def read(self, number: int) -> float | None:
        """Raises MacroError for a variable that this control does not have."""
        control = self.run.control
        if table := self._register(number):
            registers, key, columns = table
            entry = registers.get(key, [0.0, 0.0])
            return sum(entry[i] for i in columns) / control.unit
        if held := self._offset(number):
            offsets, axis = held
            return offsets.get(axis, 0.0) * self._typed(axis)
        for base, place in ((5001, self._program), (5021, self._machine), (5041, self._program), (5061, self._skipped)):
            if base <= number < base + len(ORDER):
                axis = ORDER[number - base]
                return place(axis) * self._typed(axis) if control.index(axis) >= 0 else 0.0
        if 4001 <= number <= 4030:
            return self._code(number - 4000)
        single = {
            3001: 0.0, 3002: 0.0, 3011: 0.0, 3012: 0.0, 3901: control.parts, 4107: float(control.radius_number),
            4109: (control.feed or 0.0) / (1.0 if control.feed_mode == "inverse-time" else control.unit),
            4111: float(control.length_number), 4114: float(self.run.block_number()), 4119: control.speed,
            4120: float(control.tool), 4130: 0.0,
        }  # fmt: skip
        if number in single:
            if number in (3001, 3002, 3011, 3012):
                self.run.clocked = True
                self.run.report_once("clock", "macro.clock", f"#{number} is a clock: it stands at 0 in the rehearsal")
            return single[number]
        raise MacroError(f"system variable #{number} is not carried out")

    def write(self, number: int, value: float | None) -> None:
        control = self.run.control
        amount = value or 0.0
        if table := self._register(number):
            registers, key, columns = table
            entry = registers.setdefault(key, [0.0, 0.0])
            # Where the sum is written the wear stays.
            entry[columns[0]] = amount * control.unit - (entry[1] if len(columns) == 2 else 0.0)
            self.run.registers_written()
        elif held := self._offset(number, make=True):
            held[0][held[1]] = amount / self._typed(held[1])
            self.run.ready = None
        elif number == 3901:
            control.parts = amount
        elif number in (3001, 3002, 3003, 3004, 3007):
            return  # clocks, and switches of single block and overrides, which change no motion
        else:
            raise MacroError(f"system variable #{number} cannot be written")

    # ------------------------------------------------------------------------------------------------------------------

    def _typed(self, axis: str) -> float:
        """From our value to the one a person types: units in force, diameters."""
        if axis in "ABC":
            return 1.0
        return (2.0 if axis in self.run.setup.diameters else 1.0) / self.run.control.unit

    def _program(self, axis: str) -> float:
        if self.run.setup.arm:
            raise MacroError("where an arm's tip stands is not known while its program is read")
        return self.run.control.program_position(axis)

    def _machine(self, axis: str) -> float:
        if self.run.setup.arm:
            raise MacroError("where an arm's joints stand is not known while its program is read")
        return self.run.control.machine[self.run.control.index(axis)]

    def _skipped(self, axis: str) -> float:
        return self.run.control.skipped_at.get(axis, 0.0)

    def _register(self, number: int) -> tuple[dict[int, list[float]], int, tuple[int, ...]] | None:
        control = self.run.control
        for base, registers, columns in (
            (2000, control.lengths, (0, 1)), (10_000, control.lengths, (0,)), (11_000, control.lengths, (1,)),
            (12_000, control.radii, (0,)), (13_000, control.radii, (1,)),
        ):  # fmt: skip
            if base < number <= base + (200 if base == 2000 else 999):
                return registers, number - base, columns
        return None

    def _offset(self, number: int, make: bool = False) -> tuple[dict[str, float], str] | None:
        name = ""
        if 5201 <= number <= 5329:
            table, place = divmod(number - 5201, 20)
            name = "EXT" if table == 0 else f"G{53 + table}"
        elif 7001 <= number <= 7960 or 14_001 <= number <= 19_980:
            table, place = divmod(number - (7001 if number < 14_000 else 14_001), 20)
            name = f"G54.1P{table + 1}"
        if not name or place >= len(ORDER):
            return None
        offsets = self.run.control.work_offsets
        return (offsets.setdefault(name, {}) if make else offsets.get(name, {})), ORDER[place]

    def _code(self, group: int) -> float | None:
        run = self.run
        name = _GROUPS.get(group)
        if name is None:
            raise MacroError(f"system variable #{4000 + group} is not carried out")
        if name == "work offset":
            held = run.control.work_offset
            return float(held[1:].split("P")[0])
        meaning = run.control.modes().get(name) or _OFF.get(name, "")
        code = run.dialect.code_of(meaning)
        return float(code[1:]) if code else None
