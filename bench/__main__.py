"""`./mirror bench`: what is measured, beside what, and the ratio. Ratios are to be compared; seconds are not.

reading      a million plain blocks, bytes to timed motions — beside the plain interpreter, on a part of them
language     a million blocks and a mixed program checked, macro loops, kernel against plain (see language.py)
whole run    200,000 short ball-mill motions as a job, files to verdict, with travel, contact, holder and film — beside a
             mesh boolean per motion on a part of them
cutting      the same motions through the rays alone — beside copying the rays' memory once per motion
contact      a pair of bodies followed along a path — beside asking for the clearance at every sample
turning      65 pairs past each other with a tilting head and a rotary table: contacts, near misses and least clearances
             over 100,000 samples — beside asking for the clearance at every sample
poses        the tool's pose over the work along five axes, and the axes for given tips — beside SciPy's rotations
load         many people looking and some working at once (see load.py); run alone
fuzz         broken and odd jobs in numbers: refused in one line or judged, never anything else (see fuzz.py); run alone
together     one rehearsal by one worker, and with another that helps (see sweep.py); run alone
sweep        every demo job rehearsed by one worker and by two (see sweep.py); run alone
mutants      bugs planted in our own code, each of which must turn a test red (see mutants.py); run alone, not with the others
faults       what the application stands on killed, frozen and filled while rehearsals run (see faults.py); run alone
material     every kind of cutting, a motion beside one of ball finishing (see material.py)
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
from scipy.spatial.transform import Rotation

from bench.arms import arms
from bench.channels import channels
from bench.faults import faults
from bench.fuzz import fuzz
from bench.language import language
from bench.load import load
from bench.material import material
from bench.mutants import mutants
from bench.sweep import sweep, together
from bluntmirror.contact.bodies import NO_PIECES, Body
from bluntmirror.contact.clearance_kernel import clearance
from bluntmirror.contact.march_kernel import SLID, Seen, march
from bluntmirror.contact.program import Follower, sliding, triangles_of
from bluntmirror.contact.turning_kernel import turned_clearance
from bluntmirror.findings import Docket
from bluntmirror.geometry import mesh as meshes
from bluntmirror.geometry.box_tree import box_tree
from bluntmirror.geometry.distance import Solid
from bluntmirror.geometry.meshfile import read_mesh
from bluntmirror.job import open_job
from bluntmirror.job.models import Joint, MachineFile, ToolEntry
from bluntmirror.machine import Chain
from bluntmirror.machine.screws import between, between_mounts
from bluntmirror.machine.tip import Kinematics
from bluntmirror.material.comparison import compare
from bluntmirror.material.stock import Batch, Stock, ToolSets
from bluntmirror.program.control import Setup
from bluntmirror.program.interpreter import Interpreter
from bluntmirror.program.text import ProgramText
from bluntmirror.rehearsal import rehearse
from bluntmirror.timeline.reel import Knots, time_motions
from bluntmirror.timeline.steps import Standing
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
        seen = Seen(np.zeros(m, np.int8), np.zeros(m), np.full(m, np.inf))
        march(
            SLID,
            triangles_of(a),
            triangles_of(b),
            NO_PIECES,
            NO_PIECES,
            sliding(shifts, np.ones(m, np.bool_)),
            1.0,
            seen,
            0,
            m,
            np.inf,
            -1,
        )

    def naive() -> None:
        pair, stack = np.zeros(2, np.int64), np.empty((256, 2), np.int64)
        for shift in shifts[:2000]:
            clearance(a.triangles, a.boxes, a.nodes, b.triangles, b.boxes, b.nodes, shift, pair, stack, np.inf)

    follow()
    naive()
    row("contact", m / seconds(follow), "samples/s", "the clearance at every sample", 2000 / seconds(naive))


def turning_pairs() -> tuple[Follower, list[tuple[Body, Body]]]:
    """65 pairs on a machine with tilting head and rotary table, over 100,000 samples of all five axes moving."""
    at: dict[str, list[float]] = {}
    links: list[dict[str, object]] = [{"name": "bed"}]
    for name, parent, axis, direction in (
        ("gantry", "bed", "X", [1, 0, 0]), ("ram", "gantry", "Z", [0, 0, 1]), ("head", "ram", "B", [0, 1, 0]),
        ("saddle", "bed", "Y", [0, -1, 0]), ("table", "saddle", "C", [0, 0, -1]),
    ):  # fmt: skip
        kind = "rotary" if axis in "BC" else "linear"
        at[name] = [0, 0, 500] if axis == "B" else [0, 0, 0]
        joint = {"axis": axis, "type": kind, "direction": direction, "at": at[name], "rapid": 9000, "accel": 3000}
        links.append({"name": name, "parent": parent, "joint": joint})
    machine = {
        "format": "blunt-mirror/machine@1", "name": "bench", "links": links, "channels": [{"number": 1, "axes": list("XYZBC")}],
        "mounts": [{"name": "spindle", "link": "head", "takes": "tool"}, {"name": "table", "link": "table", "takes": "work"}],
    }  # fmt: skip
    chain = Chain(MachineFile.model_validate(machine))

    def body(name: str, link: str, mesh: meshes.Mesh, place: tuple[float, float, float]) -> Body:
        return Body(name, link, (meshes.Mesh(mesh.vertices + place, mesh.faces),))

    above = [
        body("cutter", "head", meshes.cylinder(10, 30), (0, 0, -285)), body("shank", "head", meshes.cylinder(10, 20), (0, 0, -260)),
        body("holder", "head", meshes.revolve([[0, 0], [16, 0], [21, 60], [0, 60]]), (0, 0, -250)),
        body("nose", "head", meshes.cylinder(90, 60), (0, 0, -160)), body("cover", "head", meshes.box([220, 200, 300]), (0, 0, 20)),
    ]  # fmt: skip
    on_table = [body("plate", "table", meshes.cylinder(400, 40), (0, 0, -20)), body("base", "table", meshes.box([180, 120, 40]), (0, 0, 20)),
                body("block", "table", meshes.box([90, 70, 50]), (0, 0, 65))]  # fmt: skip
    for i in range(10):  # clamps with their screws around the work
        angle = 2 * np.pi * i / 10
        shape = meshes.cylinder(24, 70 if i % 2 else 55) if i % 3 else meshes.box([30, 22, 60])
        on_table.append(body(f"clamp {i}", "table", shape, (130 * np.cos(angle), 130 * np.sin(angle), 30)))
    t = np.linspace(0.0, 1.0, 100_001)
    values = np.empty((len(t), 5))
    values[:, chain.axes.index("X")] = 60 * np.sin(2 * np.pi * 40 * t)
    values[:, chain.axes.index("Y")] = 50 * np.sin(2 * np.pi * 3.3 * t)
    values[:, chain.axes.index("Z")] = -158 + 14 * np.sin(2 * np.pi * 90 * t)
    values[:, chain.axes.index("B")] = 25 * np.sin(2 * np.pi * 7 * t)
    values[:, chain.axes.index("C")] = 1800 * t
    knots = Knots.through(values)
    return Follower(knots, knots.at, chain, Standing.with_tool(knots, 0)), [(a, b) for a in above for b in on_table]


def turning() -> None:
    follower, pairs = turning_pairs()
    near = [2.0] * len(pairs)
    follower.follow_all(pairs, near)
    took = seconds(lambda: follower.follow_all(pairs, near))
    seen = follower.follow_all(pairs, near)
    touched = sum(bool((s.hit == 2).any()) for s in seen)
    close = sum(bool((s.hit == 1).any()) for s in seen)

    def naive(count: int = 300) -> None:
        for a, b in pairs:
            ta, tb = follower.tree(a), follower.tree(b)
            pair, stack = np.zeros(2, np.int64), np.empty((256, 2), np.int64)
            for pose in between(follower.chain, a.link, b.link).poses(follower.values[:count]):
                turned_clearance(
                    ta.triangles, ta.boxes, ta.nodes, tb.triangles, tb.boxes, tb.nodes, pose[:3], pair, stack, np.inf
                )

    naive(2)
    rate = 300 * len(pairs) / seconds(naive)
    samples = len(pairs) * (len(follower.values) - 1)
    row("turning", samples / took, "samples/s", "the clearance at every sample", rate)
    print(
        f"{'':11}{len(pairs)} pairs × {len(follower.values) - 1:,} samples in {took:.2f} s: {touched} touch, {close} come near"
    )


def poses() -> None:
    """Poses along a chain of five axes, and the linear axes for given tips — beside SciPy's rotations composed by hand."""
    follower, _ = turning_pairs()
    chain = follower.chain
    tool, work = chain.mount_of("tool"), chain.mount_of("work")
    screws = between_mounts(chain, work, tool)
    solver = Kinematics(chain, tool, work, chain.axes)
    values, n = follower.values, len(follower.values)
    lengths, places = np.full(n, 100.0), np.zeros((n, 3))

    def by_scipy() -> None:
        b = Rotation.from_rotvec(np.radians(np.multiply.outer(values[:, chain.axes.index("B")], [0, 1, 0])))
        c = Rotation.from_rotvec(np.radians(np.multiply.outer(values[:, chain.axes.index("C")], [0, 0, -1])))
        (c.inv() * b).as_matrix()
        c.inv().apply(b.apply([0, 0, -100]) + values[:, :3])

    screws.poses(values[:10])
    solver.reach_all(values[:10], places[:10], lengths[:10])
    other = n / seconds(by_scipy)
    row("poses", n / seconds(lambda: screws.poses(values)), "poses/s", "SciPy's rotations", other)
    row("inverse", n / seconds(lambda: solver.reach_all(values, places, lengths)), "tips/s", "SciPy's rotations", other)


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


PARTS = {
    "reading": reading, "language": lambda: language(seconds, row), "finishing": finishing, "contact": contact,
    "turning": turning, "poses": poses, "comparing": comparing, "material": material,
    "channels": lambda: channels(row), "arms": lambda: arms(seconds, row),
}  # fmt: skip

if __name__ == "__main__":
    if sys.argv[1:2] == ["mutants"]:
        sys.exit(mutants(sys.argv[2:]))
    if sys.argv[1:2] == ["fuzz"]:
        sys.exit(fuzz(sys.argv[2:]))
    if sys.argv[1:2] == ["together"]:
        sys.exit(together(sys.argv[2:]))
    if sys.argv[1:2] == ["sweep"]:
        sys.exit(sweep(sys.argv[2:]))
    if sys.argv[1:2] == ["load"]:
        sys.exit(load(sys.argv[2:], lambda folder: finishing_job(folder, finishing_path(4, 401))))
    if sys.argv[1:2] == ["faults"]:
        sys.exit(faults(sys.argv[2:], lambda folder: finishing_job(folder, finishing_path(60, 401))))
    for name in sys.argv[1:] or PARTS:
        if name not in PARTS:
            sys.exit(f"bench: there is no part '{name}'; there are {', '.join(PARTS)}")
        PARTS[name]()
