"""`./mirror bench`: what is measured, beside what, and the ratio. Ratios are to be compared; seconds are not.

reading      a million plain blocks, bytes to timed motions — beside the plain interpreter, on a part of them
finishing    short ball-mill motions over a block, with holder test — beside a mesh boolean per motion
contact      a pair of bodies followed along a path — beside asking for the clearance at every sample
"""

from __future__ import annotations

import itertools
import random
import resource
import time
from collections.abc import Callable

import manifold3d
import numpy as np

from bluntmirror.contact.clearance_kernel import advance, clearance
from bluntmirror.findings import Docket
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.box_tree import box_tree
from bluntmirror.job.models import Joint, ToolEntry
from bluntmirror.material.stock import Batch, Stock, ToolSets
from bluntmirror.program.control import Setup
from bluntmirror.program.interpreter import Interpreter
from bluntmirror.program.text import ProgramText
from bluntmirror.timeline.reel import time_motions
from bluntmirror.tools import build_assembly


def seconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def row(name: str, rate: float, unit: str, yardstick: str, other: float) -> None:
    print(f"{name:12}{rate:14,.0f} {unit:12} beside {yardstick:34}{other:12,.1f}   ×{rate / other:,.1f}")


def reading() -> None:
    rng = random.Random(1)
    head = "T1 M6\nG43 H1 G54 G90 G1 X0 Y0 Z0 F500 S1000 M3\n"
    body = [
        f"X{rng.uniform(-50, 50):.3f} Y{rng.uniform(-50, 50):.3f} Z{rng.uniform(0, 9):.3f}" for _ in range(1_000_000)
    ]
    setup = Setup(("X", "Y", "Z"), {"G54": {}}, {1: 90.0}, frozenset({1}), {1: {}}, {})
    joints = [Joint(axis=a, type="linear", direction=(1, 0, 0), rapid=20_000, accel=4_000) for a in "XYZ"]

    def run(lines: list[str], fast: bool) -> None:
        data = (head + "\n".join(lines)).encode()
        motions = Interpreter(setup, [ProgramText("bench", data)], Docket(), fast=fast).run().motions
        time_motions(motions, joints, False)

    run(body[:5000], True)
    plain = 20_000 / seconds(lambda: run(body[:20_000], False))
    row("reading", 1e6 / seconds(lambda: run(body, True)), "blocks/s", "the plain interpreter", plain)


def finishing() -> None:
    cutter = {"type": "ball-mill", "diameter": 6, "flute_length": 12, "reach": 32, "shank_diameter": 6}
    holder = {"segments": [{"diameter": 42, "length": 60}]}
    tool = build_assembly(ToolEntry.model_validate({"number": 1, "cutter": cutter, "holder": holder, "length": 92}))
    sets = ToolSets.of([tool])
    x = np.linspace(-45, 45, 1000)
    rows = [
        np.column_stack(
            [x[:: 1 if i % 2 else -1], np.full(1000, -45 + 0.45 * i), 22 + 1.5 * np.sin(x / 8)[:: 1 if i % 2 else -1]]
        )
        for i in range(40)
    ]
    path = np.concatenate(rows)

    def cut(points: np.ndarray, stock: Stock) -> None:
        for begin in range(0, len(points) - 1, 2048):
            part = points[begin : begin + 2049]
            n = len(part) - 1
            tags = np.arange(begin, begin + n, dtype=np.int32)
            stock.cut(
                Batch(part[:-1].copy(), np.diff(part, axis=0), np.zeros(n, np.int64), np.full(n, 0b11101), tags), sets
            )

    cut(path[:3000], Stock(meshes.box([100, 100, 50]), 0.25))
    stock = Stock(meshes.box([100, 100, 50]), 0.25)
    rate = (len(path) - 1) / seconds(lambda: cut(path, stock))
    body = tool.meshes()["cutter"].vertices + [0, 0, tool.length]
    solid = manifold3d.Manifold.cube([100, 100, 50], True)

    def booleans() -> None:
        nonlocal solid
        for a, b in itertools.pairwise(path):
            solid -= manifold3d.Manifold.hull_points(np.concatenate([body + a, body + b]))
            solid.volume()

    row("finishing", rate, "motions/s", "a mesh boolean per motion", 15 / seconds(booleans))


def contact() -> None:
    a = box_tree(meshes.revolve([[0, 0], [8, 0], [21, 12], [21, 60], [0, 60]]))
    b = box_tree(meshes.box([200, 40, 40]))
    rng = np.random.default_rng(2)
    shifts = np.cumsum(rng.normal(0, 1.0, (100_001, 3)), axis=0) * [0.5, 0.5, 0.05] + [0, 60, -25]
    m = len(shifts) - 1

    def follow() -> None:
        hit, share, closest = np.zeros(m, np.int8), np.zeros(m), np.full(m, np.inf)
        advance(a.triangles, a.boxes, a.nodes, b.triangles, b.boxes, b.nodes, shifts, np.ones(m, np.bool_), 1.0, np.inf,
                hit, share, closest)  # fmt: skip

    def naive() -> None:
        pair, stack = np.zeros(2, np.int64), np.empty((256, 2), np.int64)
        for shift in shifts[:2000]:
            clearance(a.triangles, a.boxes, a.nodes, b.triangles, b.boxes, b.nodes, shift, pair, stack)

    follow()
    naive()
    row("contact", m / seconds(follow), "samples/s", "the clearance at every sample", 2000 / seconds(naive))


if __name__ == "__main__":
    reading()
    finishing()
    contact()
    print(f"most memory: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:,.0f} MB")
