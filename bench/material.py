"""What a motion costs on the rays, for every kind of cutting: CPU milliseconds a motion, beside ball finishing in the same run.

finishing  ball, bull and tapered mills over a wavy face, a quarter of a millimetre a motion
severe     five axes: the tool tilts a degree or more within each motion of the same path
roughing   long straight ways at full width: metres of path a second beside
pecking    holes drilled in pecks, with air retracts
turning    passes of an insert along a shaft, and a thread in many small steps

Every path goes in batches as a rehearsal sends them; `checked` asks after shank and holder, too.
"""

from __future__ import annotations

import itertools
import time
from collections.abc import Callable
from dataclasses import dataclass

import manifold3d
import numpy as np

from bluntmirror.geometry import mesh as meshes
from bluntmirror.job.models import ToolEntry
from bluntmirror.material.cut_kernel import CUT, TEST_CUT, TEST_FLUSH, TEST_HOLDER, TEST_SHANK
from bluntmirror.material.stock import Batch, RingBatch, RingSets, Stock, ToolSets, TurnedBatch
from bluntmirror.rehearsal.cutting import BATCH
from bluntmirror.tools import build_assembly

BLOCK = (100, 100, 50)
TOP = 25.0
HOLDER = {"segments": [{"diameter": 42, "length": 60}]}
SHANKED = {"flute_length": 12, "reach": 32}
BALL = {"type": "ball-mill", "diameter": 6, "shank_diameter": 6, **SHANKED}
BULL = {"type": "end-mill", "diameter": 6, "corner_radius": 1, "shank_diameter": 6, **SHANKED}
TAPER = {"type": "taper-mill", "tip_diameter": 6, "corner_radius": 3, "angle": 3, "shank_diameter": 8, **SHANKED}
ROUGH = {"type": "end-mill", "diameter": 12, "shank_diameter": 12, "flute_length": 26, "reach": 40}
DRILL = {"type": "drill", "diameter": 6.8, "shank_diameter": 6.8, "flute_length": 60, "reach": 65}
CHECKED = (1 << CUT) | (1 << TEST_SHANK) | (1 << TEST_HOLDER) | (1 << TEST_FLUSH)
RAPID = (1 << CUT) | (1 << TEST_SHANK) | (1 << TEST_HOLDER) | (1 << TEST_CUT)


@dataclass(frozen=True)
class Case:
    """A path (n + 1, 3) of the tip in the block's frame, the tool's axis along it (n + 1, 3) where it turns, and what is asked."""

    name: str
    cutter: dict[str, object]
    path: np.ndarray
    axis: np.ndarray | None = None
    rapid: np.ndarray | None = None


def wavy(rows: int = 100, per_row: int = 401, low: float = 23.0) -> np.ndarray:
    """Over the block to and fro, slopes up to 11°, 0.25 mm a motion, 0.2 mm between the rows."""
    path = []
    for i in range(rows):
        y = -10 + 0.2 * i
        x = np.linspace(-50, 50, per_row)[:: 1 if i % 2 == 0 else -1]
        path.append(np.column_stack([x, np.full(per_row, y), low + 1.5 * np.sin(x / 8) * np.cos(y / 11)]))
    return np.round(np.concatenate(path), 3)


def tilted(path: np.ndarray) -> np.ndarray:
    """A tool that leans 10° … 30° and goes round as it moves: about a degree a motion."""
    n = np.arange(len(path))
    lean, round_ = np.radians(20 + 10 * np.sin(n / 40)), n / 25
    return np.column_stack([np.sin(lean) * np.cos(round_), np.sin(lean) * np.sin(round_), np.cos(lean)])


def roughing() -> np.ndarray:
    path = []
    for level in np.arange(TOP - 2, TOP - 20, -2.0):
        for i in range(19):
            y = -50 + 5.4 * i
            ends = [[-58, y, level], [58, y, level]]
            path += ends if i % 2 == 0 else ends[::-1]
    return np.array(path)


def pecking(deep: float = 30.0, peck: float = 2.0) -> tuple[np.ndarray, np.ndarray]:
    path, rapid = [], []
    for x in np.arange(-40, 41, 10.0):
        for y in np.arange(-40, 41, 10.0):
            path.append([x, y, TOP + 5])
            rapid.append(True)
            bottom = TOP
            while bottom > TOP - deep + 1e-9:
                if bottom < TOP:
                    path.append([x, y, bottom + 0.5])
                    rapid.append(True)
                bottom -= peck
                path.append([x, y, bottom])
                rapid.append(False)
                path.append([x, y, TOP + 2])
                rapid.append(True)
    return np.array(path), np.array(rapid[1:])


def cases() -> list[Case]:
    path = wavy()
    pecks, air = pecking()
    return [
        Case("ball finishing", BALL, path), Case("bull on slopes", BULL, path), Case("taper on slopes", TAPER, path),
        Case("ball, five axes", BALL, path, tilted(path)), Case("bull, five axes", BULL, path, tilted(path)),
        Case("roughing", ROUGH, roughing()), Case("pecking", DRILL, pecks, rapid=air),
    ]  # fmt: skip


def cut(case: Case, stock: Stock, checked: bool = True) -> int:
    """The case on a stock; how many motions cut."""
    tool = build_assembly(
        ToolEntry.model_validate({"number": 1, "cutter": case.cutter, "holder": HOLDER, "length": 130})
    )
    sets = ToolSets.of([tool], facets=case.axis is not None)
    n, total = len(case.path) - 1, 0
    flags = np.full(n, CHECKED if checked else 1 << CUT)
    if case.rapid is not None:
        flags[case.rapid] = RAPID
    start, delta = case.path[:-1], np.diff(case.path, axis=0)
    for at in range(0, n, BATCH):
        rows = slice(at, min(n, at + BATCH))
        count = rows.stop - rows.start
        common = (start[rows].copy(), delta[rows].copy(), np.zeros(count, np.int64), flags[rows].copy(),
                  np.arange(rows.start, rows.stop, dtype=np.int32))  # fmt: skip
        if case.axis is None:
            total += int(stock.cut(Batch(*common), sets).removed.sum())
        else:
            axis = case.axis[rows]
            total += int(
                stock.cut(TurnedBatch(*common, axis, np.diff(case.axis, axis=0)[rows].copy()), sets).removed.sum()
            )
    return total


def turned_passes(thread: bool) -> tuple[np.ndarray, np.ndarray]:
    """Starts and changes (n, 2) of z and r: passes of 0.25 mm along a shaft, or a thread cut in steps of its lead."""
    start, delta = [], []
    if not thread:
        for r in np.arange(19.75, 12.0, -0.25):
            for z in np.arange(0.0, 60.0, 2.0):
                start.append([z, r + 0.05 * np.sin(z / 5)])
                delta.append([2.0, 0.05 * (np.sin((z + 2) / 5) - np.sin(z / 5))])
    else:
        for deep in np.arange(0.1, 0.95, 0.1):
            for z in np.arange(2.0, 50.0, 1.5):
                start.append([z, 12.0 - deep])
                delta.append([0.0, 0.0])
    return np.array(start), np.array(delta)


def turn(grid: float, thread: bool) -> tuple[int, float]:
    """Motions, and CPU seconds that they took."""
    kind = {"type": "thread-insert", "pitch": 1.5} if thread else {"type": "insert", "shape": "D", "inscribed_circle": 9.5, "nose_radius": 0.4}  # fmt: skip
    tool = build_assembly(ToolEntry.model_validate({"number": 1, "cutter": kind, "length": 60}))
    outline = np.column_stack([tool.insert[:, 1], tool.insert[:, 0]])
    sets = RingSets.of([[outline]])
    bar = meshes.cylinder(24 if thread else 40, 70)
    stock = Stock(meshes.Mesh(bar.vertices + [0, 0, 35], bar.faces), grid)
    start, delta = turned_passes(thread)
    n = len(start)
    begun = time.process_time()
    for at in range(0, n, BATCH):
        rows = slice(at, min(n, at + BATCH))
        count = rows.stop - rows.start
        stock.cut(RingBatch(start[rows], delta[rows], np.zeros(count, np.int64), np.full(count, 1 << CUT),
                            np.arange(rows.start, rows.stop, dtype=np.int32), np.zeros(3)), sets)  # fmt: skip
    return n, time.process_time() - begun


def booleans(cut_before: int = 2000, asked: int = 20) -> tuple[float, float]:
    """The yardstick: CPU milliseconds that a general mesh library takes for a motion of ball finishing with a tool of 64 sides, its sweep being
    the hull of both ends. First where all are handed over at once, which tells nothing of any one of them; then where each is carried
    out, which tells what it took, on a surface that so many have cut."""
    case = cases()[0]
    tool = build_assembly(
        ToolEntry.model_validate({"number": 1, "cutter": case.cutter, "holder": HOLDER, "length": 130})
    )
    body = meshes.revolve([[r, h] for r, h in tool.outlines()["cutter"]], facets=64).vertices
    solid = manifold3d.Manifold.cube(list(BLOCK), True)
    ways = list(itertools.pairwise(case.path[: cut_before + asked + 1]))

    def sweep(one: np.ndarray, other: np.ndarray) -> manifold3d.Manifold:
        return manifold3d.Manifold.hull_points(np.concatenate([body + one, body + other]))

    begun = time.process_time()
    for way in ways[:cut_before]:
        solid -= sweep(*way)
    solid.num_tri()  # until it is asked nothing is worked out
    at_once = time.process_time() - begun
    begun = time.process_time()
    for way in ways[cut_before:]:
        solid -= sweep(*way)
        solid.num_tri()
    return 1e3 * at_once / cut_before, 1e3 * (time.process_time() - begun) / asked


def cpu(work: Callable[[], object]) -> float:
    begun = time.process_time()
    work()
    return time.process_time() - begun


def material(grids: tuple[float, ...] = (0.25,)) -> None:
    for case in cases():  # compiled code out of the cache
        cut(Case(case.name, case.cutter, case.path[:3], None if case.axis is None else case.axis[:3], None if case.rapid is None else case.rapid[:2]),
            Stock(meshes.box(BLOCK), 2.0))  # fmt: skip
    turn(2.0, False)
    for grid in grids:
        print(f"grid {grid} mm", flush=True)
        ball = 0.0
        for case in cases():
            stock = Stock(meshes.box(BLOCK), grid)
            took = cpu(lambda case=case, stock=stock: cut(case, stock))  # type: ignore[misc]
            n = len(case.path) - 1
            each = 1e3 * took / n
            ball = ball or each
            metres = np.linalg.norm(np.diff(case.path, axis=0), axis=1).sum() / 1e3
            more = f"{1e3 * took / 81:8.2f} ms a hole" if case.name == "pecking" else f"{metres / took:8.1f} m/s"
            print(
                f"  {case.name:18}{each:9.3f} ms a motion   ×{each / ball:6.2f} of ball finishing {more}   {stock.bytes / 1e6:5.0f} MB"
            )
        for thread in (False, True):
            n, took = turn(grid, thread)
            print(
                f"  {'threads' if thread else 'turning':18}{1e3 * took / n:9.3f} ms a motion   ×{1e3 * took / n / ball:6.2f} of ball finishing"
            )
        for told, each in zip(("all handed over at once", "each carried out"), booleans(), strict=True):
            print(
                f"  mesh booleans with 64 sides, {told:24}{each:9.1f} ms a motion   ×{each / ball:6.0f} of ball finishing"
            )


if __name__ == "__main__":
    import sys

    material(tuple(float(word) for word in sys.argv[1:]) or (0.25,))
