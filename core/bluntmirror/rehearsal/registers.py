"""Registers in use that do not fit their tools.

constant   what the table's other lengths differ from the true ones by, when they share it: a shop may measure from a master
           tool or from the spindle's face (common practice)
wear       a radius register may hold a correction instead of a radius, where the program has the tool's radius in it
           already: a value below WEAR_MM
"""

from __future__ import annotations

from collections import Counter

import numpy as np

from ..job.models import Insert, ToolEntry
from ..program.motions import TOOL_CHANGE
from ..tools.cutters import widest
from .result import Strand
from .virtual_control import tool_geometry

FITS_MM = 0.01 + 1e-6
WEAR_MM = 0.5


def shared_constant(entries: list[ToolEntry], number: int) -> float:
    """What the length registers of the other tools differ from their true lengths by, when more than half of them agree."""
    others = [e for e in entries if e.number != number and not isinstance(e.cutter, Insert)]
    off = [round(e.registers.get("H", e.length) - e.length, 2) for e in others]
    return _agreed(off)


def _agreed(off: list[float]) -> float:
    """What more than half of some values are; 0 where they do not agree."""
    if not off:
        return 0.0
    value, count = Counter(off).most_common(1)[0]
    return value if 2 * count > len(off) else 0.0


def check_registers(result: Strand) -> None:
    """One caution for each tool and register, at the first motion that uses it."""
    motions, entries = result.reel.motions, result.job.tools.tools
    if result.setup.dialect.turning:
        _geometry(result)
        return
    own = {e.number: e for e in entries if not isinstance(e.cutter, Insert)}
    for number in np.unique(motions.tool[motions.snapshot >= 0]).tolist():
        entry = own.get(number)
        if entry is None:
            continue
        rows = np.flatnonzero(motions.tool == number)
        by_snapshot = {int(s): rows[motions.snapshot[rows] == s] for s in np.unique(motions.snapshot[rows])}
        _length(result, entry, by_snapshot, shared_constant(entries, number))
        _radius(result, entry, by_snapshot)


def _length(result: Strand, entry: ToolEntry, rows: dict[int, np.ndarray], constant: float) -> None:
    """The tool's own length register; another tool's is told as such by the program check."""
    motions = result.reel.motions
    used = [s for s in rows if motions.snapshots[s].length_number == entry.number and motions.snapshots[s].length]
    held = {s: abs(motions.snapshots[s].length) - motions.snapshots[s].length_wear for s in used}
    wrong = [s for s in used if _misfit(held[s], entry.length, constant) > FITS_MM]
    if not wrong:
        return
    mine = np.sort(np.concatenate([rows[s] for s in wrong]))
    register = held[int(motions.snapshot[mine[0]])]
    right = entry.length + constant
    told = f"H{entry.number} holds {register:.3f}, but T{entry.number} is {entry.length:.3f} mm long"
    if constant:
        told += f" ({right:.3f} as the table's other lengths are measured)"
    result.docket.add(
        "tool.register", told, where=result.reel.where(int(mine[0]), last=int(mine[-1])), count=len(mine),
        amount=_misfit(register, entry.length, constant), remedy=f"Measure T{entry.number} again, or set H{entry.number} to {right:.3f}.",
    )  # fmt: skip


def _misfit(register: float, length: float, constant: float) -> float:
    return min(abs(register - length), abs(register - length - constant))


def _geometry(result: Strand) -> None:
    """Turning: where X and Z of a register say that the tip is, beside where it truly is; as typed, diameters where they are."""
    motions, setup = result.reel.motions, result.setup
    true, _ = tool_geometry(result.job, result.chain, setup.axes, typed=False)
    entries = {entry.number: entry for entry in result.job.tools.tools}
    off = {
        (number, axis): typed - true[number][axis] * (2.0 if axis in setup.diameters else 1.0)
        for number, entry in entries.items()
        for axis, typed in entry.registers.items()
        if axis in true[number]
    }
    for (number, axis), away in off.items():
        others = [round(far, 2) for (other, of), far in off.items() if of == axis and other != number]
        constant = _agreed(others)
        misfit = min(abs(away), abs(away - constant))
        rows = np.flatnonzero((motions.tool == number) & (motions.kind != TOOL_CHANGE))
        if misfit <= FITS_MM or not len(rows):
            continue
        held, right = entries[number].registers[axis], entries[number].registers[axis] - away + constant
        word = f"{axis} (a diameter)" if axis in setup.diameters else axis
        told = (
            f"register {number:02d} holds {word} {held:.3f}, but by its tip T{number} stands at {right - constant:.3f}"
        )
        if constant:
            told += f" ({right:.3f} as the table's others are measured)"
        result.docket.add(
            "tool.register", told, where=result.reel.where(int(rows[0]), last=int(rows[-1])), count=len(rows), amount=misfit,
            axis=axis, remedy=f"Measure T{number} again, or set {axis} of register {number:02d} to {right:.3f}.",
        )  # fmt: skip


def _radius(result: Strand, entry: ToolEntry, rows: dict[int, np.ndarray]) -> None:
    motions = result.reel.motions
    if isinstance(entry.cutter, Insert):
        return
    diameter = widest(entry.cutter)
    for s, mine in rows.items():
        snapshot = motions.snapshots[s]
        held = abs(snapshot.radius)
        if not snapshot.radius_number or held < WEAR_MM or abs(held - diameter / 2) <= FITS_MM:
            continue
        result.docket.add(
            "tool.register", f"D{snapshot.radius_number} holds {held:.3f}, but the radius of T{entry.number} is {diameter / 2:.3f} mm",
            where=result.reel.where(int(mine[0]), last=int(mine[-1])), count=len(mine), amount=abs(held - diameter / 2),
            remedy=f"Set D{snapshot.radius_number} to {diameter / 2:.3f}, or to the wear alone where the program holds the radius.",
        )  # fmt: skip
        return
