"""`./mirror bench`: what is measured, beside what, and the ratio. Ratios are to be compared; seconds are not.

reading      a million plain blocks, bytes to timed motions — beside the plain interpreter, on a part of them
whole run    200,000 short ball-mill motions as a job, files to verdict, with travel, contact, holder and film — beside a
             mesh boolean per motion on a part of them
cutting      the same motions through the rays alone — beside copying the rays' memory once per motion
contact      a pair of bodies followed along a path — beside asking for the clearance at every sample
comparing    a machined stock against its design — beside the exact distance of every end
"""

from __future__ import annotations

import itertools
import json
import random
import resource
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import manifold3d
import numpy as np

from bluntmirror.contact.clearance_kernel import advance, clearance
from bluntmirror.findings import Docket
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.box_tree import box_tree
from bluntmirror.geometry.distance import Solid
from bluntmirror.geometry.meshfile import read_mesh
from bluntmirror.job import open_job
from bluntmirror.job.models import Joint, ToolEntry
from bluntmirror.material.comparison import compare
from bluntmirror.material.stock import Batch, Stock, ToolSets
from bluntmirror.program.control import Setup
from bluntmirror.program.interpreter import Interpreter
from bluntmirror.program.text import ProgramText
from bluntmirror.rehearsal import rehearse
from bluntmirror.timeline.reel import time_motions
from bluntmirror.tools import Assembly, build_assembly

ROOT = Path(__file__).resolve().parent.parent
BALL = {"type": "ball-mill", "diameter": 6, "flute_length": 12, "reach": 32, "shank_diameter": 6}
TOOL = {"number": 1, "cutter": BALL, "holder": {"segments": [{"diameter": 42, "length": 60}]}, "length": 92}
BLOCK = (100, 100, 50)
GRID = 0.25


def seconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def row(name: str, rate: float, unit: str, yardstick: str, other: float) -> None:
    print(f"{name:11}{rate:12,.0f} {unit:10} beside {yardstick:36}{other:12,.1f}   ×{rate / other:,.1f}", flush=True)


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


def finishing_path(rows: int = 500, per_row: int = 401) -> np.ndarray:
    """Tip places of a wavy finishing cut over the block, in the block's own frame: 50 m in steps of 0.25 mm."""
    path = []
    for i in range(rows):
        y = -50 + 100 * i / (rows - 1)
        x = np.linspace(-50, 50, per_row)[:: 1 if i % 2 == 0 else -1]
        path.append(np.column_stack([x, np.full(per_row, y), 23 + 1.5 * np.sin(x / 8) * np.cos(y / 11)]))
    return np.round(np.concatenate(path), 3)


def finishing_job(folder: Path, path: np.ndarray) -> None:
    source = ROOT / "core" / "tests" / "jobs" / "slot-clear"
    (folder / "machine.json").write_bytes((source / "machine.json").read_bytes())
    (folder / "tools.json").write_text(json.dumps({"format": "blunt-mirror/tools@1", "tools": [TOOL]}))
    job = {
        "format": "blunt-mirror/job@1", "name": "bench", "machine": "machine.json", "tools": "tools.json",
        "programs": [{"main": "O1.nc"}],
        "bodies": [
            {"name": "vise", "role": "fixture", "mount": "table", "at": [0, 0, 20], "shape": {"type": "box", "size": [200, 120, 40]}},
            {"name": "blank", "role": "stock", "mount": "table", "at": [0, 0, 65], "shape": {"type": "box", "size": BLOCK}},
        ],
        "work_offsets": {"G54": {"datum": [0, 0, 65], "mount": "table"}},
        "checks": {"resolution": GRID, "near": 1.0},
    }  # fmt: skip
    (folder / "job.json").write_text(json.dumps(job))
    head = ["T1 M6", "G54 G90 G0 X-50 Y-50 S9000 M3", "G43 H1 Z40.", "G1 Z25. F2000."]
    body = [f"X{x:.3f} Y{y:.3f} Z{z:.3f}" for x, y, z in path.tolist()]
    (folder / "O1.nc").write_text("\n".join([*head, *body, "G0 Z40.", "G91 G28 Z0.", "M30"]))


def booleans_a_second(tool: Assembly, path: np.ndarray) -> float:
    body = tool.meshes()["cutter"].vertices + [0, 0, tool.length]
    solid = manifold3d.Manifold.cube(list(BLOCK), True)

    def work() -> None:
        nonlocal solid
        for a, b in itertools.pairwise(path):
            solid -= manifold3d.Manifold.hull_points(np.concatenate([body + a, body + b]))
            solid.volume()

    return (len(path) - 1) / seconds(work)


def cut(path: np.ndarray, stock: Stock, sets: ToolSets) -> None:
    for begin in range(0, len(path) - 1, 1024):
        part = path[begin : begin + 1025]
        n = len(part) - 1
        tags = np.arange(begin, begin + n, dtype=np.int32)
        stock.cut(
            Batch(part[:-1].copy(), np.diff(part, axis=0), np.zeros(n, np.int64), np.full(n, 0b11101), tags), sets
        )


def finishing() -> None:
    tool = build_assembly(ToolEntry.model_validate(TOOL))
    path = finishing_path()
    booleans = booleans_a_second(tool, path[:481])  # a short part: it only slows down later
    with tempfile.TemporaryDirectory() as folder:
        finishing_job(Path(folder), path[:3000])
        rehearse(open_job(Path(folder)))  # compiled code out of the cache
        finishing_job(Path(folder), path)
        rate = len(path) / seconds(lambda: rehearse(open_job(Path(folder))))
    row("whole run", rate, "motions/s", "a mesh boolean per motion", booleans)
    print(f"{'':11}most memory so far: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:,.0f} MB")
    sets, stock = ToolSets.of([tool]), Stock(meshes.box(BLOCK), GRID)
    memory = np.zeros(stock.bytes, np.uint8)
    copies = 20 / seconds(lambda: [memory.copy() for _ in range(20)])
    row(
        "cutting",
        (len(path) - 1) / seconds(lambda: cut(path, stock, sets)),
        "motions/s",
        "a copy of all rays per motion",
        copies,
    )


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


def comparing() -> None:
    """A finished part, as most are: nearly everything within tolerance."""
    design = read_mesh(ROOT / "demo" / "jobs" / "buoy-lid" / "1-as released" / "design.stl")
    blank = meshes.Mesh(meshes.box([150, 110, 30]).vertices - [0, 0, 15], meshes.box([1, 1, 1]).faces)
    stock = Stock(design, GRID)
    solid = Solid.of(design)
    places = stock.lattice.origin + np.random.default_rng(4).uniform(0, 30, (50_000, 3))
    compare(stock, blank, design, 0.05, 0.3)
    each = len(places) / seconds(lambda: solid.distance(places))
    ends = sum(2 * int(rays.count.sum()) for rays in stock.rays)
    rate = ends / seconds(lambda: compare(stock, blank, design, 0.05, 0.3))
    row("comparing", rate, "ends/s", "the distance of every end", each)


PARTS = {"reading": reading, "finishing": finishing, "contact": contact, "comparing": comparing}

if __name__ == "__main__":
    for name in sys.argv[1:] or PARTS:
        if name not in PARTS:
            sys.exit(f"bench: there is no part '{name}'; there are {', '.join(PARTS)}")
        PARTS[name]()
