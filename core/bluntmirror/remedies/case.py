"""A finding among the programs, the tables and the space that it is in: what a change can take hold of.

row        the finding's motion in its own channel
in force   the line whose word put an axis where it stands at a motion: often lines before it, in a cycle the line that called it
calls      the lines of the main program that called the subprogram a motion is in
leans      along which words, and how far by a unit of each, the tool goes away from what it met
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..findings import Edit, Finding
from ..geometry.frames import Floats, inverse
from ..job.channel import tool_number
from ..job.models import Body, ToolEntry
from ..program.motions import PLANE_AXES, RAPID, Snapshot
from ..rehearsal.result import CutStock, Rehearsal, Strand
from ..rehearsal.virtual_control import tool_mount, work_mount
from . import lines

INCH_STEP, MM_STEP = 0.0001, 0.001
FAR_BACK = 20_000  # motions looked back over for the word in force
LEAST_LEAN = 0.3  # of a unit: a word that moves the tool less than this away from what it met is of no use


@dataclass(frozen=True)
class Line:
    program: str
    line: int
    text: str

    def to(self, new: str | None) -> Edit:
        return Edit(self.program, self.line, self.text, new)

    def before(self, new: str) -> Edit:
        return Edit(self.program, self.line, None, new)


@dataclass(frozen=True)
class Lean:
    """A word of an axis; `per_mm` of it takes the tool one millimetre away from what it met."""

    name: str
    per_mm: float


class Case:
    def __init__(self, result: Rehearsal, finding: Finding) -> None:
        self.result, self.finding, self.job = result, finding, result.job
        self.strand: Strand = result.strand_of(finding.motion) if finding.motion >= 0 else self._strand_of_channel()
        self.motions = self.strand.reel.motions
        self._texts: dict[str, list[str]] = {}
        self.row = finding.motion - self.strand.reel.first if finding.motion >= 0 else -1
        if not 0 <= self.row < len(self.motions):
            self.row = -1
        last = finding.last_motion - self.strand.reel.first
        self.last_row = last if self.row <= last < len(self.motions) else self.row

    def _strand_of_channel(self) -> Strand:
        strands = self.result.strands
        return next((s for s in strands if s.channel == self.finding.channel), strands[0])

    # --- programs -----------------------------------------------------------------------------------------------------

    def texts(self, program: str) -> list[str]:
        """The lines of a program, without their ends."""
        if program not in self._texts:
            data = self.job.programs.get(program, b"").removeprefix(b"\xef\xbb\xbf")
            text = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n").decode("latin-1")
            self._texts[program] = text.removesuffix("\n").split("\n")
        return self._texts[program]

    def line(self, program: str, number: int) -> Line | None:
        texts = self.texts(program)
        return Line(program, number, texts[number - 1]) if 1 <= number <= len(texts) else None

    @property
    def here(self) -> Line | None:
        """The line that the finding names."""
        return self.line(self.finding.program, self.finding.line)

    @property
    def main(self) -> str:
        return self.strand.job.file.programs[0].main

    def code(self, meaning: str) -> str:
        return self.strand.setup.dialect.code_of(meaning)

    @property
    def snapshot(self) -> Snapshot:
        return self.motions.snapshots[int(self.motions.snapshot[max(self.row, 0)])]

    @property
    def inch(self) -> bool:
        return bool(len(self.motions)) and bool(self.snapshot.inch)

    @property
    def step(self) -> float:
        return INCH_STEP if self.inch else MM_STEP

    @property
    def increment(self) -> bool:
        return self.job.file.bare_numbers == "increment"

    def scale(self, name: str) -> float:
        """How much a word of an axis changes for a millimetre (or degree) of the axis."""
        rotary = self.rotary(name)
        machine = self.strand.job.machine
        own = next((c for c in machine.channels if c.number == self.strand.channel), machine.channels[0])
        twice = 2.0 if name in own.diameters else 1.0
        return twice / (25.4 if self.inch and not rotary else 1.0)

    def rotary(self, name: str) -> bool:
        joint = self.strand.chain.joints.get(name)
        return joint is not None and joint.type == "rotary"

    def names(self, axis: str) -> list[str]:
        """How an axis of the program may be written: its letter, its increment on a lathe, its own name."""
        own = self.strand.axis(axis)
        found = [axis] if len(axis) == 1 or axis.endswith("=") else []
        increment = {"X": "U", "Y": "V", "Z": "W"}.get(axis)
        if increment and self.strand.setup.dialect.increment_letters:
            found.append(increment)
        if len(own) > 1 or own in "UVW":
            found.append(f"{own}=")
        return found

    def line_of(self, row: int) -> Line | None:
        return self.line(self.motions.file_name(row), int(self.motions.line[row]))

    def in_force(self, axis: str, row: int | None = None) -> tuple[Line, str] | None:
        """The line whose literal word put an axis where it stands at the end of a motion, and how it is written there."""
        at = self.row if row is None else row
        column = self.strand.setup.axes.index(axis) if axis in self.strand.setup.axes else -1
        seen: set[tuple[int, int]] = set()
        for back in range(at, max(at - FAR_BACK, -1), -1):
            place = int(self.motions.file[back]), int(self.motions.line[back])
            if place in seen:
                continue
            seen.add(place)
            line = self.line_of(back)
            if line is None:
                continue
            for name in self.names(axis):
                if lines.has(line.text, name):
                    return (line, name) if lines.find(line.text, name) else None
            if column >= 0 and back and abs(self.motions.end[back, column] - self.motions.end[back - 1, column]) > 1e-9:
                return None if int(self.motions.kind[back]) == RAPID else self._calling(axis, back)
        return None

    def _calling(self, axis: str, row: int) -> tuple[Line, str] | None:
        """The axis moved without a word of its own: in a cycle, whose word stands in the line that called it."""
        first = int(self.motions.line[row])
        program = self.motions.file_name(row)
        for number in range(first, max(first - 50, 0), -1):
            line = self.line(program, number)
            if line and lines.find(line.text, axis):
                return line, axis
        return None

    def calls(self, row: int | None = None) -> list[Line]:
        """The lines of the main program that may have called the subprogram which a motion is in, the last first."""
        at = self.row if row is None else row
        if at < 0 or self.motions.file_name(at) == self.main:
            return []
        of_main = np.flatnonzero(np.array([name == self.main for name in self.motions.files])[self.motions.file])
        earlier, later = of_main[of_main < at], of_main[of_main > at]
        first = int(self.motions.line[earlier[-1]]) if len(earlier) else 1
        last = int(self.motions.line[later[0]]) if len(later) else len(self.texts(self.main))
        found = [self.line(self.main, n) for n in range(last, first - 1, -1)]
        return [line for line in found if line and any(lines.code(line.text, code) for code in ("M98", "G65", "G66"))]

    def lines_of_span(self) -> Iterator[Line]:
        """The lines of the finding's motions, each once, in their order."""
        seen: set[tuple[int, int]] = set()
        for row in range(self.row, self.last_row + 1):
            place = int(self.motions.file[row]), int(self.motions.line[row])
            if place not in seen:
                seen.add(place)
                line = self.line_of(row)
                if line:
                    yield line

    @property
    def operation_rows(self) -> tuple[int, int]:
        """First and last motion of the operation that the finding is in."""
        operation = self.motions.operation
        rows = np.flatnonzero(operation == operation[self.row])
        return int(rows[0]), int(rows[-1])

    # --- tools and bodies ---------------------------------------------------------------------------------------------

    @property
    def tool(self) -> tuple[int, ToolEntry] | None:
        """Where the finding's tool stands in the table, and its entry."""
        own = tool_number(self.finding.tool)
        return next(((i, t) for i, t in enumerate(self.job.tools.tools) if t.number == own), None) if own else None

    @property
    def tool_of_bodies(self) -> tuple[int, ToolEntry] | None:
        """The tool that a body named in the finding belongs to, else the finding's."""
        for name in self.finding.bodies:
            for i, entry in enumerate(self.job.tools.tools):
                if name.split(" ")[0] == f"T{entry.number}":
                    return i, entry
        return self.tool

    @property
    def bodies(self) -> list[tuple[int, Body]]:
        """The job's own bodies that the finding names, with their place in the file."""
        return [(i, body) for i, body in enumerate(self.job.file.bodies) if body.name in self.finding.bodies]

    # --- space --------------------------------------------------------------------------------------------------------

    @cached_property
    def ways(self) -> dict[str, Floats]:
        return self.ways_at(self.row)

    def ways_at(self, row: int) -> dict[str, Floats]:
        """How far one millimetre of every linear axis's word moves the tool, seen from the work's mount, (3,), at a motion."""
        if row < 0:
            return {}
        chain, job = self.strand.chain, self.strand.job
        tool, work = tool_mount(job, chain, int(self.motions.tool[row])), work_mount(job, chain)
        values = self.strand.full(self.motions.end[row : row + 1])
        frame = self.motions.snapshots[int(self.motions.snapshot[row])].frame
        found: dict[str, Floats] = {}
        at = chain.tool_in_work(tool, work, values)[0, :3, 3]
        for column, axis in enumerate(self.strand.setup.axes):
            if axis not in chain.axes or self.rotary(axis):
                continue
            if frame is not None and axis in "XYZ":
                places = chain.tool_ways(tool, work, ["X", "Y", "Z"])
                found[axis] = places @ frame.matrix[:3, "XYZ".index(axis)]
                continue
            more = values.copy()
            more[0, self.strand.columns[column]] += 1.0
            found[axis] = chain.tool_in_work(tool, work, more)[0, :3, 3] - at
        return found

    @cached_property
    def turning(self) -> bool:
        """Whether the work turns under the tool: places are told by their distance from the axis."""
        machine = self.strand.job.machine
        return machine.work_spindle is not None and self.row >= 0 and not self.snapshot.live

    @cached_property
    def tool_axis(self) -> Floats:
        """Away from the work along the tool, in the work's mount."""
        chain, job = self.strand.chain, self.strand.job
        tool, work = tool_mount(job, chain, int(self.motions.tool[self.row])), work_mount(job, chain)
        values = self.strand.full(self.motions.end[self.row : self.row + 1])
        return np.asarray(chain.tool_in_work(tool, work, values)[0, :3, 2])

    def stock(self) -> CutStock | None:
        named = [cut for cut in self.result.stocks if cut.name in self.finding.bodies]
        designs = [cut for cut in self.result.stocks if cut.part and cut.part.design in self.finding.bodies]
        return next(iter([*named, *designs]), None)

    def gouge_normal(self) -> Floats | None:
        """Out of the design at the deepest place of a gouge, in the work's mount; None where the place is not known."""
        for cut in self.result.stocks:
            for spot in cut.part.spots if cut.part else []:
                if spot.kind == "gouge" and abs(spot.amount - self.finding.amount) < 1e-9 and len(spot.points):
                    assert cut.part
                    to_grid = inverse(cut.frame)
                    point = to_grid[:3, :3] @ np.array(spot.point) + to_grid[:3, 3]
                    probes = point + 0.01 * np.vstack([np.eye(3), -np.eye(3)])
                    away = cut.part.solid.distance(probes)
                    normal = away[:3] - away[3:]
                    size = float(np.linalg.norm(normal))
                    if size > 1e-9:
                        return np.asarray(cut.frame[:3, :3] @ normal / size)
        return None

    def leans(self, normal: Floats | None) -> list[Lean]:
        """Words that take the tool away along a direction of the work's mount, the best first; without one, along the tool
        first, then aside."""
        if self.turning:
            normal = self._in_turning_plane(normal)
        found: list[tuple[float, Lean]] = []
        for axis, way in self.ways.items():
            scale = self.scale(axis)
            if normal is not None:
                lean = float(way @ normal)
                if abs(lean) >= LEAST_LEAN:
                    found.append((-abs(lean), Lean(axis, scale / lean)))
            else:
                along = float(way @ self.tool_axis)
                first = -1.0 if abs(along) > LEAST_LEAN or (self.turning and axis == "X") else 0.0
                sign = 1.0 if along >= 0 or (self.turning and axis == "X") else -1.0
                found += [(first, Lean(axis, sign * scale)), (1.0, Lean(axis, -sign * scale))]
        return [lean for _, lean in sorted(found, key=lambda pair: pair[0])]

    def _in_turning_plane(self, normal: Floats | None) -> Floats | None:
        """A direction of turned work as one of the plane that the tool moves in: away from the axis, and along it."""
        if normal is None or "X" not in self.ways:
            return normal
        cut = self.stock()
        radial = self.ways["X"] / max(float(np.linalg.norm(self.ways["X"])), 1e-12)
        along = np.array([0.0, 0.0, 1.0])
        point = np.array(cut.part.spots[0].point) if cut and cut.part and cut.part.spots else radial
        for spot in cut.part.spots if cut and cut.part else []:
            if abs(spot.amount - self.finding.amount) < 1e-9:
                point = np.array(spot.point)
        out = np.array([point[0], point[1], 0.0])
        outward = float(normal @ out / max(float(np.linalg.norm(out)), 1e-12))
        return np.asarray(outward * radial + float(normal @ along) * along)

    def operation_axes(self) -> tuple[int, int, int]:
        return PLANE_AXES[int(self.motions.plane[self.row])]
