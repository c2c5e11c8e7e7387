"""The material's part of a run: batches of motions through the stock, the film, and what met stock that should not."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..geometry.frames import Floats, inverse
from ..geometry.mesh import Mesh, joined
from ..material.cut_kernel import CUT, TEST_CUT, TEST_FLUSH, TEST_HOLDER, TEST_NEAR, TEST_SHANK
from ..material.film import Film
from ..material.stock import Batch, BatchResult, Stock, TooFine, ToolSets
from ..program.motions import RAPID

if TYPE_CHECKING:
    from .run import Rehearsal

BATCH = 2048
FRAMES = 400  # film frames over a program, as far as it has motions
VOLUME_AGREEMENT = 0.02  # share by which the three ray families may differ before the run says so


@dataclass
class CutStock:
    """What became of one stock body; `frame` takes the grid's frame to that of the mount."""

    name: str
    frame: Floats
    stock: Stock
    film: Film
    volume_before: float
    volume_after: float
    removed: np.ndarray  # (motions,) bool
    seconds_in_cut: dict[int, float]
    metres_in_cut: dict[int, float]

    @property
    def final_mesh(self) -> Mesh:
        """The machined stock in the frame of its mount."""
        return self.film.final_mesh().moved(self.frame)


def grid_frame(direction: Floats) -> Floats:
    """A frame of the mount whose Z stands along the tool: the mount's own when the tool already stands along its Z."""
    frame = np.eye(4)
    if abs(direction[2] - 1.0) < 1e-12:
        return frame
    helper = np.eye(3)[int(np.argmin(np.abs(direction)))]
    x = np.cross(helper, direction)
    x /= np.linalg.norm(x)
    frame[:3, 0], frame[:3, 1], frame[:3, 2] = x, np.cross(direction, x), direction
    return frame


def cut_program(
    result: Rehearsal, name: str, tool_in_work: Floats, machine_from_work: Floats, channel: int,
    tick: Callable[[float], None],
) -> CutStock | None:  # fmt: skip
    """Cut one stock body. `tool_in_work` (m + 1, 4, 4): the tool mount seen from the work mount at every knot."""
    job, docket = result.job, result.docket
    reel, knots = result.reel, result.knots
    assert reel and knots
    frame = grid_frame(tool_in_work[0, :3, 2])
    mesh = joined(job.body_meshes[name]).moved(inverse(frame))
    try:
        stock = Stock(mesh, job.file.checks.resolution)
    except TooFine as error:
        docket.add("check.limit", f"{name}: {error}", bodies=(name,))
        return None
    if stock.open_rays:
        docket.add("check.limit", f"the stock '{name}' is not a closed solid: {stock.open_rays} rays through it do not "
                   "add up", bodies=(name,), remedy="Repair the mesh so that it is closed.")  # fmt: skip
    sets = ToolSets.of(list(result.tools.values()), job.file.checks.near_stock)
    gauge = tool_in_work[:, :3, 3] @ frame[:3, :3]
    segments = _Segments(result, gauge, sets)
    film = Film(stock)
    film.shoot(0.0)
    before = stock.volume
    n = len(reel.motions)
    removed = np.zeros(n, np.bool_)
    hits: list[tuple[np.ndarray, BatchResult]] = []
    count = len(segments.motion)
    size = max(1, min(BATCH, -(-count // FRAMES)))
    begin = 0
    while begin < count:
        rows = slice(begin, min(count, begin + size))
        batch = segments.batch(rows)
        answer = stock.cut(batch, sets)
        if answer.removed.any():
            removed[np.unique(batch.tag[answer.removed])] = True
            low, high = segments.box(rows, answer.removed)
            film.shoot(float(segments.time[rows][-1]), low, high)
        if (answer.depth > 0).any():
            met = np.flatnonzero((answer.depth > 0).any(axis=1))
            hits.append((np.arange(rows.start, rows.stop)[met], _only(answer, met)))
        begin = rows.stop
        tick(begin / count)
    volumes = stock.volumes
    spread = max(volumes) - min(volumes)
    if spread > VOLUME_AGREEMENT * max(before - min(volumes), 1.0) and spread > 1e-3 * before:
        docket.add("check.limit", f"{name}: the volume left differs by {spread:.0f} mm³ between ray directions; details "
                   "are finer than the resolution", severity="caution", bodies=(name,),
                   remedy="Choose a finer resolution.")  # fmt: skip
    _report(result, name, segments, hits, frame, machine_from_work, channel)
    cutting = removed & (reel.motions.kind != RAPID)
    duration = reel.end_time - reel.begin_time
    tools = {int(t) for t in np.unique(reel.motions.tool) if t}
    return CutStock(
        name, frame, stock, film, before, stock.volume, removed,
        {t: float(duration[cutting & (reel.motions.tool == t)].sum()) for t in tools},
        {t: float(reel.length[cutting & (reel.motions.tool == t)].sum() / 1000.0) for t in tools},
    )  # fmt: skip


def _only(answer: BatchResult, rows: np.ndarray) -> BatchResult:
    return BatchResult(answer.removed[rows], answer.depth[rows], answer.first[rows], answer.place[rows])


class _Segments:
    """The knots' segments that have a known tool, as tip motions in the grid's frame."""

    def __init__(self, result: Rehearsal, gauge: Floats, sets: ToolSets) -> None:
        assert result.reel and result.knots
        motions, knots = result.reel.motions, result.knots
        tool_number = motions.tool[knots.motion]
        usable = {n for n, tool in result.tools.items() if tool.carried_out}
        keep = np.isin(tool_number, list(usable))
        self.motion = knots.motion[keep]
        number = tool_number[keep]
        self.t0, self.time = knots.t0[keep], knots.t1[keep]
        length = np.zeros(len(number))
        turns = np.ones(len(number))
        self.tool = np.zeros(len(number), np.int64)
        self.reach = np.zeros((len(number), 3))  # radius, lowest and highest place of the cutting part
        for n in np.unique(number):
            rows, tool = number == n, result.tools[int(n)]
            length[rows], turns[rows], self.tool[rows] = tool.length, tool.turns, sets.row[int(n)]
            self.reach[rows] = [tool.diameter / 2, 0.0, tool.flute_length]
        lift = np.zeros((len(number), 3))
        lift[:, 2] = length
        self.index = np.flatnonzero(keep)
        self.start = gauge[:-1][keep] - lift
        self.delta = (gauge[1:] - gauge[:-1])[keep]
        rapid = motions.kind[self.motion] == RAPID
        still = motions.rpm[self.motion] * turns <= 0
        self.rapid, self.still = rapid, still & ~rapid
        test_cut = rapid | still
        self.flags = np.full(len(number), (1 << CUT) | (1 << TEST_SHANK) | (1 << TEST_HOLDER), np.int64)
        self.flags |= np.where(test_cut, 1 << TEST_CUT, 0)
        self.flags |= np.where(rapid, 0, 1 << TEST_FLUSH)
        if result.job.file.checks.near_stock > 0:
            self.flags |= 1 << TEST_NEAR

    def batch(self, rows: slice) -> Batch:
        return Batch(self.start[rows], self.delta[rows], self.tool[rows], self.flags[rows], self.motion[rows])

    def box(self, rows: slice, removed: np.ndarray) -> tuple[Floats, Floats]:
        """The box that the cutting parts of the segments which removed stock sweep."""
        start, end = self.start[rows][removed], (self.start + self.delta)[rows][removed]
        reach = self.reach[rows][removed]
        low, high = np.minimum(start, end), np.maximum(start, end)
        side = np.column_stack([reach[:, 0], reach[:, 0]])
        low[:, :2] -= side
        high[:, :2] += side
        high[:, 2] += reach[:, 2]
        return low.min(axis=0), high.max(axis=0)


def _report(
    result: Rehearsal, name: str, segments: _Segments, hits: list[tuple[np.ndarray, BatchResult]], frame: Floats,
    machine_from_work: Floats, channel: int,
) -> None:  # fmt: skip
    """One finding for each stretch of neighbouring motions with the same trouble."""
    if not hits:
        return
    reel = result.reel
    assert reel
    motions, docket = reel.motions, result.docket
    rows = np.concatenate([index for index, _ in hits])
    depth = np.concatenate([answer.depth for _, answer in hits])
    first = np.concatenate([answer.first for _, answer in hits])
    place = np.concatenate([answer.place for _, answer in hits])
    body_depth = np.maximum(depth[:, TEST_SHANK], depth[:, TEST_HOLDER])
    troubles = [
        ("contact.rapid", (depth[:, TEST_CUT] > 0) & segments.rapid[rows], TEST_CUT, ("cutter",)),
        ("contact.still", (depth[:, TEST_CUT] > 0) & segments.still[rows], TEST_CUT, ("cutter",)),
        ("contact.shank", body_depth > 0, TEST_SHANK, ()),
        ("material.depth", (depth[:, TEST_FLUSH] > 0) & (body_depth == 0), TEST_FLUSH, ("shank",)),
        ("contact.near", (depth[:, TEST_NEAR] > 0) & (body_depth == 0), TEST_NEAR, ("holder",)),
    ]
    for kind, mask, test, parts in troubles:
        met = np.flatnonzero(mask)
        if not len(met):
            continue
        motion_of = segments.motion[rows[met]]
        tool_of = motions.tool[motion_of]
        # A stretch goes on through motions that touch nothing for a moment, as long as the tool stays the same.
        breaks = np.flatnonzero((np.diff(motion_of) > 1) | (np.diff(tool_of) != 0)) + 1
        if kind in ("material.depth", "contact.near"):
            breaks = np.flatnonzero(np.diff(tool_of) != 0) + 1
        for run in np.split(met, breaks):
            row, at = int(rows[run[0]]), int(run[0])
            motion = int(segments.motion[row])
            number = int(motions.tool[motion])
            tool = result.tools[number]
            test_of = test
            names = parts
            if kind == "contact.shank":
                names = tuple(
                    p for p, t in (("shank", TEST_SHANK), ("holder", TEST_HOLDER)) if (depth[run, t] > 0).any()
                )
                test_of = TEST_HOLDER if depth[at, TEST_HOLDER] > depth[at, TEST_SHANK] else TEST_SHANK
                amount = float(body_depth[run].max())
            else:
                amount = float(depth[run, test].max())
            length = float(np.linalg.norm(segments.delta[row]))
            front = tool.diameter / 2 if segments.delta[row][:2].any() else 0.0
            share = min(1.0, max(0.0, (first[at, test_of] - front) / length)) if length else 0.0
            time = segments.t0[row] + share * (segments.time[row] - segments.t0[row])
            to_machine = machine_from_work[segments.index[row]] @ frame
            x, y, z = to_machine[:3, :3] @ place[at, test_of] + to_machine[:3, 3]
            bodies = tuple(f"T{number} {part}" for part in names) + (name,)
            docket.add(
                kind, _said(kind, number, names, name, amount, tool.flute_length), channel=channel,
                program=motions.file_name(motion), line=int(motions.line[motion]), time=float(time), tool=number,
                bodies=bodies, amount=amount, count=len(np.unique(segments.motion[rows[run]])),
                point=(float(x), float(y), float(z)), motion=motion, last_motion=int(segments.motion[rows[run[-1]]]),
            )  # fmt: skip


def _said(kind: str, tool: int, parts: tuple[str, ...], stock: str, amount: float, flutes: float) -> str:
    if kind == "contact.rapid":
        return f"T{tool} goes through {stock} at rapid, {amount:.2f} mm deep"
    if kind == "contact.still":
        return f"T{tool} cuts {stock} with the spindle still or turning the wrong way, {amount:.2f} mm deep"
    if kind == "contact.shank":
        return f"the {' and '.join(parts)} of T{tool} run into {stock}, {amount:.2f} mm deep"
    if kind == "material.depth":
        return f"T{tool} is engaged deeper than its flutes are long ({flutes:g} mm)"
    return f"shank or holder of T{tool} comes closer to {stock} than asked for"
