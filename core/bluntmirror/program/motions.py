"""The table of interpreted motions: one row a motion, in columns.

end      axis values at the end of the motion, machine coordinates (mm, degrees); the start is the end before it
feed     mm/min in force, whatever units or feed mode the program uses
rpm      spindle speed, + clockwise seen from the spindle (M3), − counter-clockwise (M4), 0 still
way      length over the work where the axes' own ways do not tell it (cylindrical and polar interpolation), else 0
in_frame the way is straight, or an arc, in the snapshot's tool frame: seen from the work, not in axis values
centre   an arc's centre in the plane's two axes; `sweep` its angle in radians, + counter-clockwise in the plane;
         in axis values, or in program coordinates where the way lies in the frame
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace

import numpy as np
from numpy.typing import NDArray

from .frames import ToolFrame

RAPID, FEED, ARC, THREAD, DWELL, TOOL_CHANGE, WAIT, OTHER = range(8)
KIND_NAMES = ("rapid", "feed", "arc", "thread", "dwell", "toolchange", "wait", "other")

# The two axes of each plane, first × second = the plane's normal (ISO 841): G17 XY, G18 ZX, G19 YZ.
PLANE_AXES = ((0, 1, 2), (2, 0, 1), (1, 2, 0))


@dataclass(frozen=True)
class Snapshot:
    """What is modal at a motion. `offset` is machine minus program coordinate of each axis."""

    codes: tuple[str, ...]
    work_offset: str
    length_number: int
    length: float
    offset: tuple[float, ...]
    tool: int
    coolant: int
    inch: bool
    length_wear: float = 0.0  # of it, what the wear register adds
    radius_number: int = 0  # of the radius register that compensation uses; 0 while it is off
    radius: float = 0.0
    live: bool = False  # a driven tool turns, not the work
    frame: ToolFrame | None = None  # of a tilted plane, tip control or dynamic offset
    spindle: str = ""  # the one that is addressed, where there are several
    works: str = ""  # the work spindle that is worked at, where there are several
    per_turn: float = 0.0  # mm, of a feed per revolution of a spindle that this channel has not started itself


@dataclass
class Motions:
    """Columns of n motions over `axes` (k names)."""

    axes: tuple[str, ...]
    start: NDArray[np.float64]  # (k,)
    kind: NDArray[np.uint8]
    file: NDArray[np.int16]
    line: NDArray[np.int32]  # 1-based
    end: NDArray[np.float64]  # (n, k)
    feed: NDArray[np.float64]
    rpm: NDArray[np.float32]
    tool: NDArray[np.int32]
    exact: NDArray[np.bool_]  # comes to rest at its end (G9, G61)
    plane: NDArray[np.uint8]
    centre: NDArray[np.float64]  # (n, 2)
    sweep: NDArray[np.float64]
    seconds: NDArray[np.float64]  # of a dwell or tool change
    snapshot: NDArray[np.int32]
    in_frame: NDArray[np.bool_]
    way: NDArray[np.float64]
    snapshots: list[Snapshot] = field(default_factory=list)
    files: list[str] = field(default_factory=list)
    lane: NDArray[np.int16] | None = None  # of motions of several channels: which

    def __len__(self) -> int:
        return len(self.kind)

    def first(self, count: int) -> Motions:
        """The first motions of these."""
        columns = {name: getattr(self, name)[:count] for name in (*COLUMNS, "end", "centre")}
        return replace(self, **columns)

    @property
    def begin(self) -> NDArray[np.float64]:
        """Axis values at the start of each motion, (n, k)."""
        return np.vstack([self.start[None, :], self.end[:-1]]) if len(self) else np.zeros((0, len(self.axes)))

    @property
    def operation(self) -> NDArray[np.int64]:
        """Which operation each motion is in, counted by tool changes, (n,)."""
        begins = self.kind == TOOL_CHANGE
        if self.lane is not None:
            begins = begins | np.append(False, self.lane[1:] != self.lane[:-1])
        return np.cumsum(begins)

    def file_name(self, motion: int) -> str:
        return self.files[int(self.file[motion])]


COLUMNS = ("kind", "file", "line", "feed", "rpm", "tool", "exact", "plane", "sweep", "seconds", "snapshot",
           "in_frame", "way")  # fmt: skip
_TYPES = {
    "kind": np.uint8, "file": np.int16, "line": np.int32, "feed": np.float64, "rpm": np.float32, "tool": np.int32,
    "exact": np.bool_, "plane": np.uint8, "sweep": np.float64, "seconds": np.float64, "snapshot": np.int32,
    "in_frame": np.bool_, "way": np.float64,
}  # fmt: skip


class MotionBuilder:
    """Collects motions: single rows from the plain interpreter, whole chunks of columns from the kernel."""

    def __init__(self, axes: tuple[str, ...], start: NDArray[np.float64]) -> None:
        self.axes = axes
        self.start = start.copy()
        self.snapshots: list[Snapshot] = []
        self._known: dict[Snapshot, int] = {}
        self._rows: list[tuple[object, ...]] = []
        self._chunks: list[dict[str, np.ndarray]] = []
        self.count = 0

    def snapshot(self, snapshot: Snapshot) -> int:
        number = self._known.setdefault(snapshot, len(self.snapshots))
        if number == len(self.snapshots):
            self.snapshots.append(snapshot)
        return number

    def row(self, end: tuple[float, ...], centre: tuple[float, float], *columns: object) -> None:
        """One motion; `columns` in the order of COLUMNS."""
        self._rows.append((end, centre, *columns))
        self.count += 1

    def chunk(self, columns: dict[str, np.ndarray]) -> None:
        self._flush()
        self._chunks.append(columns)
        self.count += len(columns["kind"])

    def _flush(self) -> None:
        if not self._rows:
            return
        end, centre, *rest = zip(*self._rows, strict=True)
        columns: dict[str, np.ndarray] = {
            name: np.array(values, _TYPES[name]) for name, values in zip(COLUMNS, rest, strict=True)
        }
        columns["end"] = np.array(end, np.float64)
        columns["centre"] = np.array(centre, np.float64)
        self._chunks.append(columns)
        self._rows = []

    def done(self, files: list[str]) -> Motions:
        self._flush()
        k = len(self.axes)
        shape = {"end": (0, k), "centre": (0, 2)}
        merged: dict[str, np.ndarray] = {}
        for column in fields(Motions):
            name = column.name
            if name in ("axes", "start", "snapshots", "files", "lane"):
                continue
            parts = [chunk[name] for chunk in self._chunks]
            kind = _TYPES.get(name, np.float64)
            merged[name] = np.concatenate(parts) if parts else np.zeros(shape.get(name, 0), kind)
        return Motions(axes=self.axes, start=self.start, snapshots=self.snapshots, files=files, **merged)
