"""The material's part of a run: batches of motions through the stock, the film, and what met stock that should not."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from ..findings import causes
from ..geometry.frames import Floats, inverse
from ..geometry.mesh import Mesh, joined
from ..machine.screws import Screws
from ..material.comparison import reach_into
from ..material.cut_kernel import TEST_CUT, TEST_FLUSH, TEST_HOLDER, TEST_NEAR, TEST_SHANK
from ..material.film import Film
from ..material.stock import CONTACT_DEPTH_MM, BatchResult, Stock, TooFine, ToolSets
from ..program.motions import RAPID
from .checkpoints import Digest, Store, keys_at, packed, places, unpacked
from .comparing import check_part
from .result import CutStock, Rehearsal
from .segments import Segments
from .stands import Stands

BATCH = 2048
FRAMES = 240  # film frames over a program, as far as it has motions
OFF_PLANE_MM = 0.05
MOST_AT_ONCE = 4_000_000  # heights worked out in one go
VOLUME_AGREEMENT = 0.02  # share by which the three ray families may differ before the run says so


@dataclass(frozen=True)
class Entering:
    """A body of the machine or a fixture that enters the outline of the blank in some segments of the program."""

    label: str
    solids: tuple[Mesh, ...]
    in_work: Stands  # its link's frame seen from the work mount
    segments: np.ndarray  # knots' segments, ascending


def grid_frame(directions: Floats) -> Floats:
    """A frame of the mount whose Z stands along the tool where it cuts most. directions (n, 3): of the tool, seen from the
    mount, at n knots.

    Where the tool keeps to one direction that is it; where it turns, only a direction of the mount's own axes is taken, so
    that the sides of a blank stay along the rays.
    """
    known, counts = np.unique(np.round(directions, 9), axis=0, return_counts=True)
    if len(known) > 1:
        square = np.abs(known).max(axis=1) > 1.0 - 1e-9
        if not square.any():
            return np.eye(4)
        known, counts = known[square], counts[square]
    direction = known[np.argmax(counts)]
    frame = np.eye(4)
    if abs(direction[2] - 1.0) < 1e-12:
        return frame
    direction = direction / np.linalg.norm(direction)
    helper = np.eye(3)[int(np.argmin(np.abs(direction)))]
    x = np.cross(helper, direction)
    x /= np.linalg.norm(x)
    frame[:3, 0], frame[:3, 1], frame[:3, 2] = x, np.cross(direction, x), direction
    return frame


def _reach_needed(result: Rehearsal, blank: Mesh, segments: Segments, removed: np.ndarray) -> dict[int, float]:
    """How far below the top of the blank, seen along the tool, the tip of every rotating tool cuts: the stick-out that
    suffices wherever it goes in beside what is still there."""
    assert result.reel
    try:
        corners = blank.vertices[ConvexHull(blank.vertices).vertices]
    except QhullError:  # a flat blank: told as no closed solid
        corners = blank.vertices
    number = result.reel.motions.tool[segments.motion]
    found = {}
    for n in np.unique(number[removed[segments.motion]]):
        rows = np.flatnonzero((number == n) & removed[segments.motion])
        if result.tools[int(n)].is_turning:
            continue
        deepest = 0.0
        for part in np.array_split(rows, max(1, len(rows) * len(corners) // MOST_AT_ONCE)):
            for share in (0.0, 1.0):
                axis = segments.axis[part] + share * segments.turn[part]
                tip = segments.start[part] + share * segments.delta[part]
                top = (axis @ corners.T).max(axis=1)
                deepest = max(deepest, float((top - np.einsum("ij,ij->i", axis, tip)).max(initial=0.0)))
        found[int(n)] = deepest
    return found


def _directions(result: Rehearsal, tool_from_work: dict[int, Screws], values: Floats) -> Floats:
    """The direction of the tool in use, seen from the work mount, at the begin of every segment."""
    assert result.reel and result.knots
    number = result.reel.motions.tool[result.knots.motion]
    parts = [s.poses(values[:-1][number == n])[:, :3, 2] for n, s in tool_from_work.items() if (number == n).any()]
    return np.concatenate(parts) if parts else np.array([[0.0, 0.0, 1.0]])


def cut_program(
    result: Rehearsal, name: str, tool_from_work: dict[int, Screws], values: Floats, machine_from_work: Stands, channel: int,
    spins: np.ndarray, entering: list[Entering], tell: Callable[[str, float], None], store: Store | None = None,
) -> CutStock | None:  # fmt: skip
    """Cut one stock body. `tool_from_work`: every tool's mount seen from the work mount; `values` (m + 1, k): every axis of
    the chain at the knots; `spins` (motions,): whether the work spins; `store`: of checkpoints, to go on from the last one
    that an earlier run has in common with this one."""
    job, docket = result.job, result.docket
    reel, knots = result.reel, result.knots
    assert reel and knots
    turning = any(result.tools[n].is_turning for n in tool_from_work)
    frame = np.eye(4) if turning else grid_frame(_directions(result, tool_from_work, values))
    mesh = joined(job.body_meshes[name]).moved(inverse(frame))
    try:
        stock = Stock(mesh, job.file.checks.resolution)
    except TooFine as error:
        docket.add("check.limit", f"{name}: {error}", bodies=(name,))
        return None
    if stock.open_rays:
        docket.add("check.limit", f"the stock '{name}' is not a closed solid: {stock.open_rays} rays through it do not "
                   "add up", bodies=(name,), remedy="Repair the mesh so that it is closed.")  # fmt: skip
    tools = list(result.tools.values())
    sets, facets = (ToolSets.of(tools, job.file.checks.near_stock, facets=turned) for turned in (False, True))
    segments = Segments(result, tool_from_work, frame, values, sets, facets, spins)
    _turning_limits(result, name, segments)
    film = Film(stock)
    film.shoot(0.0)
    at_first = stock.volumes
    before = stock.volume
    n = len(reel.motions)
    removed = np.zeros(n, np.bool_)
    hits: list[tuple[np.ndarray, BatchResult]] = []
    count = len(segments.motion)
    size = max(1, min(BATCH, -(-count // FRAMES)))
    watch = _Watch(result, name, stock, entering, frame, machine_from_work, channel)
    keys = _checkpoint_keys(result, name, mesh, frame, segments, entering, values) if store else {}
    begin = _go_on(store, keys, stock, film, removed, hits, watch)
    if begin:
        result.resumed[name] = int(segments.motion[begin - 1])
    due = [place for place in keys if place > begin]
    while begin < count:
        watch.ask(int(segments.index[begin]))
        end = min(count, begin + size, int(np.searchsorted(segments.index, watch.next)), *due[:1])
        rows = slice(begin, segments.run_end(begin, end))
        batch, counted_in = segments.batch(rows)
        answer = stock.cut(batch, counted_in)
        if answer.removed.any():
            removed[np.unique(batch.tag[answer.removed])] = True
            low, high = segments.box(rows, answer.removed)
            film.shoot(float(segments.time[rows][-1]), low, high)
        if (answer.depth > 0).any():
            met = np.flatnonzero((answer.depth > 0).any(axis=1))
            hits.append((np.arange(rows.start, rows.stop)[met], _only(answer, met)))
        begin = rows.stop
        if store and due and begin == due[0]:
            state = {"stock": stock, "film": film.state, "removed": removed[: int(segments.motion[begin - 1]) + 1], "hits": hits,
                     "found": watch.found, "asked": watch.asked}  # fmt: skip
            store.put(keys[due.pop(0)], packed(state))
        tell("material", begin / count)
    watch.ask(len(knots.motion))
    watch.report()
    # The three families must agree on what was taken away; and on the blank itself, which may be thinner than the grid.
    taken = np.subtract(at_first, stock.volumes)
    spread = float(np.ptp(taken))
    if np.ptp(at_first) > VOLUME_AGREEMENT * before:
        spread = max(spread, float(np.ptp(stock.volumes)))
    if spread > VOLUME_AGREEMENT * max(float(taken.max()), 1.0) and spread > 1e-3 * before:
        docket.add("check.limit", f"{name}: the volume left differs by {spread:.0f} mm³ between ray directions; details "
                   "are finer than the resolution", severity="caution", bodies=(name,),
                   remedy="Choose a finer resolution.")  # fmt: skip
    _report(result, name, segments, hits, frame, machine_from_work, channel)
    cutting = removed & (reel.motions.kind != RAPID)
    duration = reel.end_time - reel.begin_time
    used = {int(t) for t in np.unique(reel.motions.tool) if t}
    cut = CutStock(
        name, frame, stock, film, before, stock.volume, removed,
        {t: float(duration[cutting & (reel.motions.tool == t)].sum()) for t in used},
        {t: float(reel.length[cutting & (reel.motions.tool == t)].sum() / 1000.0) for t in used},
        _reach_needed(result, mesh, segments, removed), machine_from_work,
    )  # fmt: skip
    tell("part", 0.0)
    if job.file.switches.air_cut:  # raised above the work it was never meant to become the part
        return cut
    check_part(result, cut, mesh, segments, channel)
    return cut


def _checkpoint_keys(
    result: Rehearsal,
    name: str,
    mesh: Mesh,
    frame: Floats,
    segments: Segments,
    entering: list[Entering],
    values: Floats,
) -> dict[int, str]:
    """The key of every place at which a checkpoint is due: all that the stock there depends on."""
    job = result.job
    digest = Digest()
    digest.take(name, mesh.vertices, mesh.faces, job.file.checks.resolution, job.file.checks.near_stock, frame,
                job.machine.model_dump(mode="json"))  # fmt: skip
    for sets in (segments.upright_sets, segments.turned_sets):
        digest.take(sets.slabs, sets.sets, sets.extents)
    digest.take(segments.ring_sets.outlines, segments.ring_sets.begin, segments.centre)
    asked: list[tuple[int, int]] = []
    for number, body in enumerate(entering):
        digest.take(body.label, *(array for solid in body.solids for array in (solid.vertices, solid.faces)))
        asked += [(int(segment), number) for segment in body.segments]
    asked.sort()

    def chunk(first: int, last: int) -> list[object]:
        rows = slice(first, last)
        low, high = (int(segments.index[first]) if first else 0), int(segments.index[last])
        return [
            segments.start[rows], segments.delta[rows], segments.axis[rows], segments.turn[rows], segments.tool[rows],
            segments.flags[rows], segments.motion[rows], segments.time[rows], segments.index[rows], segments.ring_start[rows],
            segments.ring_delta[rows], values[low : high + 2], [item for item in asked if low <= item[0] <= high],
        ]  # fmt: skip

    return keys_at(digest, places(len(segments.motion)), chunk)


def _go_on(
    store: Store | None, keys: dict[int, str], stock: Stock, film: Film, removed: np.ndarray,
    hits: list[tuple[np.ndarray, BatchResult]], watch: _Watch,
) -> int:  # fmt: skip
    """Bring everything to where it stood at the last checkpoint that the store has; how many pieces that is."""
    if store is None:
        return 0
    for place, key in sorted(keys.items(), reverse=True):
        data = store.get(key)
        state = unpacked(data) if data else None
        if state is None:
            continue
        stock.rays = state["stock"].rays
        film.state = state["film"]
        removed[: len(state["removed"])] = state["removed"]
        hits += state["hits"]
        watch.go_on(state["found"], state["asked"])
        return place
    return 0


def _turning_limits(result: Rehearsal, name: str, segments: Segments) -> None:
    """What turning is not worked out here is said."""
    if segments.off_plane > OFF_PLANE_MM:
        result.docket.add(
            "check.limit", f"{name}: a turning tool stands {segments.off_plane:.2f} mm beside the plane of X and the spindle; "
            "its cut is worked out as if it stood in it", severity="caution", bodies=(name,),
        )  # fmt: skip
    beside = segments.spins & ~segments.by_insert & ~segments.rapid
    away = np.linalg.norm((segments.start - segments.centre)[:, :2], axis=1)
    if (beside & (away > OFF_PLANE_MM)).any():
        motion = int(segments.motion[np.flatnonzero(beside & (away > OFF_PLANE_MM))[0]])
        motions = result.reel.motions if result.reel else None
        assert motions
        result.docket.add(
            "check.limit", f"{name} spins while a tool that is no insert works beside its axis; only what the tool covers "
            "where it stands is taken off", program=motions.file_name(motion), line=int(motions.line[motion]), bodies=(name,),
        )  # fmt: skip


class _Watch:
    """Asks, at the right moment, whether the bodies that enter the blank's outline meet the stock that is left there.

    Poses stand half a cell apart, so that what reaches a cell deep into stock cannot be stepped over.
    """

    def __init__(
        self, result: Rehearsal, stock_name: str, stock: Stock, entering: list[Entering], frame: Floats,
        machine_from_work: Stands, channel: int,
    ) -> None:  # fmt: skip
        self.result, self.name, self.stock, self.frame, self.channel = result, stock_name, stock, frame, channel
        self.machine_from_work = machine_from_work
        self.meshes = [joined(list(body.solids)) for body in entering]
        self.entering = entering
        self.waiting = deque(sorted((int(s), i) for i, body in enumerate(entering) for s in body.segments))
        self.found: dict[int, list[tuple[int, float, Floats, float]]] = {}  # body → (segment, depth, place, share)
        self.asked = -1  # up to which segment

    def go_on(self, found: dict[int, list[tuple[int, float, Floats, float]]], asked: int) -> None:
        """As if everything up to a segment had been asked about already."""
        self.found, self.asked = found, asked
        while self.waiting and self.waiting[0][0] <= asked:
            self.waiting.popleft()

    @property
    def next(self) -> int:
        """The next segment to be asked about; far away when there is none."""
        return self.waiting[0][0] if self.waiting else np.iinfo(np.int64).max

    def ask(self, upto: int) -> None:
        """Ask about all segments up to this one, against the stock as it stands now."""
        self.asked = max(self.asked, upto)
        while self.waiting and self.waiting[0][0] <= upto:
            segment, number = self.waiting.popleft()
            hits = self.found.get(number, [])
            knots = self.result.knots
            assert knots
            if hits and knots.motion[hits[-1][0]] == knots.motion[segment]:
                continue  # this motion is known to collide
            self._ask(segment, number)

    def _ask(self, segment: int, number: int) -> None:
        body, to_grid = self.entering[number], inverse(self.frame)
        a, b = (to_grid @ body.in_work.at(segment, share) for share in (0.0, 1.0))
        # No point of the body goes farther than its link's origin does, and the angle turned times its distance from it.
        angle = np.arccos(np.clip(0.5 * (np.trace(a[:3, :3].T @ b[:3, :3]) - 1.0), -1.0, 1.0))
        reach = float(np.linalg.norm(self.meshes[number].vertices, axis=1).max())
        way = float(np.linalg.norm(b[:3, 3] - a[:3, 3])) + angle * reach
        half_cell = 0.5 * float(self.stock.lattice.step.min())
        steps = max(1, int(np.ceil(way / half_cell)))
        worst, at, share = 0.0, np.zeros(3), 0.0
        for i in range(steps + 1):
            pose = to_grid @ body.in_work.at(segment, i / steps)
            met = reach_into(self.stock, self.meshes[number].moved(pose))
            if met and met[0] > CONTACT_DEPTH_MM:
                if not worst:
                    at, share = met[1], i / steps
                worst = max(worst, met[0])
        if worst:
            self.found.setdefault(number, []).append((segment, worst, at, share))

    def report(self) -> None:
        knots, reel = self.result.knots, self.result.reel
        assert knots and reel
        for number, hits in self.found.items():
            motion_of = np.array([knots.motion[segment] for segment, *_ in hits])
            depths = np.array([depth for _, depth, *_ in hits])
            for run in causes(motion_of, reel.motions.operation[motion_of], depths, whole_operation=True):
                segment, _, at, share = hits[run[0]]
                depth = float(depths[run].max())
                motion, label = int(motion_of[run[0]]), self.entering[number].label
                pose = self.machine_from_work.at(segment, share) @ self.frame
                x, y, z = pose[:3, :3] @ at + pose[:3, 3]
                self.result.docket.add(
                    "contact.shank", f"{label} runs into {self.name}, {depth:.2f} mm deep", channel=self.channel,
                    program=reel.motions.file_name(motion), line=int(reel.motions.line[motion]),
                    time=float(knots.t0[segment] + share * (knots.t1[segment] - knots.t0[segment])),
                    tool=int(reel.motions.tool[motion]), bodies=(label, self.name), amount=depth,
                    count=len(np.unique(motion_of[run])), point=(float(x), float(y), float(z)), motion=motion,
                    last_motion=int(motion_of[run[-1]]), remedy="Make room for it, or machine the stock there away first.",
                )  # fmt: skip


def _only(answer: BatchResult, rows: np.ndarray) -> BatchResult:
    return BatchResult(answer.removed[rows], answer.depth[rows], answer.place[rows])


def _report(
    result: Rehearsal, name: str, segments: Segments, hits: list[tuple[np.ndarray, BatchResult]], frame: Floats,
    machine_from_work: Stands, channel: int,
) -> None:  # fmt: skip
    """One finding for each stretch of neighbouring motions with the same trouble."""
    if not hits:
        return
    reel = result.reel
    assert reel
    motions, docket = reel.motions, result.docket
    operation = motions.operation
    rows = np.concatenate([index for index, _ in hits])
    depth = np.concatenate([answer.depth for _, answer in hits])
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
        amount_of = body_depth[met] if kind == "contact.shank" else depth[met, test]
        whole = kind not in ("contact.rapid", "contact.still")
        for group in causes(motion_of, operation[motion_of], amount_of, whole):
            run = met[group]
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
            share = segments.first_touch(row, test_of, place[at, test_of])
            time = segments.t0[row] + share * (segments.time[row] - segments.t0[row])
            to_machine = machine_from_work.at(*segments.segment_share(row, share)) @ frame
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
        return f"the {' and '.join(parts)} of T{tool} {'run' if len(parts) > 1 else 'runs'} into {stock}, {amount:.2f} mm deep"
    if kind == "material.depth":
        return f"T{tool} is engaged deeper than its flutes are long ({flutes:g} mm)"
    return f"shank or holder of T{tool} comes closer to {stock} than asked for"
