"""One stock cut along the program: batches of motions through the rays, the film, and what is asked between the batches.

A cutting can be taken to any segment and held there, so that stocks which may meet stand at the same moment.
"""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ..geometry.frames import Floats, apply, frame, inverse
from ..geometry.mesh import Mesh, joined
from ..geometry.union import NotSolid, united
from ..job import Job
from ..job.carried import CutBefore
from ..job.models import Body, Carried
from ..machine.placement import Placement
from ..machine.screws import Screws, between
from ..material.comparison import Comparison, compare
from ..material.cut_kernel import TILE
from ..material.film import Film
from ..material.region import Region
from ..material.sharp import sharp_mesh
from ..material.stock import Batch, RingBatch, RingSets, Stock, TooFine, ToolSets, TurnedBatch
from ..material.turning_kernel import BESIDE
from ..program.motions import RAPID
from .checkpoints import Store
from .comparing import Meant, check_part, meant
from .entering import Entering, Watch
from .grid import directions, grid_frame, reach_needed
from .preparing import prepared_for
from .quick import NEARLY, closer, closer_hits, doubtful, within_tolerance
from .result import CutStock, QuickLook, Rehearsal, Work
from .resuming import Earlier, Hits, Kept, checkpoint_keys, go_on, holds, keep
from .rings import OFF_PLANE_MM
from .scene import hangs_on_spindle, spindle_of
from .segments import RING, Segments
from .stands import Stands
from .touches import report_touches
from .virtual_control import tool_mount

BATCH = 2048
FRAMES, MOST_FRAMES = 240, 1000  # film frames over a program, as far as it has motions
MOTIONS_A_FRAME = 64  # beyond FRAMES of them
MOST_PARTS = 64  # that a segment is cut in while something stands in the outline of the blank
TORN_CELLS, TORN_SHARE = (
    64,
    0.01,
)  # so many cells, and such a share of what was cut, on which the ray families do not agree
FINER_SHARE = 0.02  # of the blank's volume that the grid may lose before the run says so


def _cut_before(job: Job, body: Body) -> CutBefore | None:
    """Who cut what of a stock in earlier steps of its route; None for a blank."""
    if not isinstance(body.shape, Carried):
        return None
    return job.cut_before.get((body.shape.step, body.shape.body))


def _across(batch: Batch | RingBatch, rows: np.ndarray) -> np.ndarray:
    """How far some motions of a batch carry their tools across their own axes, mm; 0 for those of turning tools."""
    if isinstance(batch, RingBatch):
        return np.zeros(len(rows))
    if not isinstance(batch, TurnedBatch):
        return np.linalg.norm(batch.delta[rows, :2], axis=1)
    way, axis = batch.delta[rows], batch.axis[rows]
    across = np.linalg.norm(way - np.einsum("ij,ij->i", way, axis)[:, None] * axis, axis=1)
    return np.where(across < BESIDE, 0.0, across)  # along its axis, but for rounding


class Cutting:
    """The cutting of one stock, from its blank to what is left."""

    def __init__(
        self, result: Rehearsal, name: str, entering: list[Entering], tell: Callable[[str, float], None],
        store: Store | None, others: dict[str, Cutting],
    ) -> None:  # fmt: skip
        """`others`: the cuttings of stocks that come after this one. Raises TooFine."""
        job, chain = result.job, result.chain
        self.result, self.name, self.tell, self.store, self.others = result, name, tell, store, others
        self.entering = entering
        body = next(b for b in job.file.bodies if b.name == name)
        self.placement = Placement.on(chain.mounts[body.mount])
        tool_from_work = self.tools_from_work()
        turning = any(result.tools[n].is_turning for n in tool_from_work) or hangs_on_spindle(
            job, chain, self.placement.link
        )
        self.frame = np.eye(4) if turning else grid_frame(directions(result, tool_from_work))
        self.mesh = joined(job.body_meshes[name]).moved(inverse(self.frame))
        self.cut_before = _cut_before(job, body)
        tags = self.cut_before.tags if self.cut_before else None
        self.stock = Stock(self.mesh, job.file.checks.resolution, tags)
        tools = list(result.tools.values())
        sets, facets = (ToolSets.of(tools, job.file.checks.near_stock, facets=turned) for turned in (False, True))
        self.sets = sets, facets
        self.segments = Segments(result, tool_from_work, self.frame, sets, facets, self._spindle_name())
        self.film = Film(self.stock, result.filmed)
        self.work = Work.none(len(result.reel.motions))
        self.hits: Hits = []
        self.machine_from_work = Stands(result.values, partial(self.placement.pose, chain))
        self.watch = Watch(result, name, self.stock, self.mesh, self.frame, self._spindle(), entering, self.machine_from_work,
                           self._other_stock)  # fmt: skip
        self.keys = checkpoint_keys(result, name, self.mesh, tags, self.frame, self.segments, entering) if store else {}
        self.kept = Kept()
        self.at = go_on(store, self.keys, self.stock, self.film, self.work, self.hits, self.watch, self.kept)
        if not self.at:  # else a checkpoint knows of the blank
            self.film.shoot(0.0)
            self.kept.blank = self.stock.volume
        self.before = self.kept.blank
        self.earlier = Earlier(store, self.kept.key, len(self.keys)) if store and self.at and result.filmed else None
        if self.earlier:
            self.earlier.go_on(self.film)
        if self.at:
            result.resumed[name] = int(self.segments.motion[self.at - 1])
        self.due = [place for place in self.keys if place > self.at]
        self.moments = self._moments() if result.filmed else np.zeros(0, np.int64)
        self.begun_at = 0.0  # s: from when on it is a piece of its own
        self.spans: list[tuple[float, Placement]] = [(0.0, self.placement)]
        self.ends: int | None = None  # the segment from which on it is out of the machine
        self.entire = True  # until a piece comes off it
        self.whole = True  # until something could not be carried out
        self._mesh: tuple[int, Mesh] | None = None  # motions that cut, and its mesh then in the grid's frame
        self._standing: tuple[Mesh, Placement, Mesh] | None = (
            None  # that, how it was carried, and its mesh in the link's frame
        )
        self.designs: list[tuple[str, Mesh]] | None = (
            None  # of a piece that is held: what it is to become; None: as the mounts say
        )

    @property
    def removed(self) -> np.ndarray:
        """Which motions took stock off, (motions,)."""
        return self.work.removed

    def _moments(self) -> np.ndarray:
        """The pieces that begin a motion which a finding is of, as far as it is known before anything is cut: there the film has the stock
        as it is at that very moment, however long a frame is."""
        motions = [item.motion for item in self.result.docket if item.motion >= 0]
        own = self.segments.motion
        begins = np.flatnonzero(np.isin(own, motions) & (np.diff(own, prepend=-1) != 0))
        return begins[:MOST_FRAMES]

    def caught_up(self) -> Cutting:
        """Of a stock that nothing has been cut of yet: the same from as far as another worker of this rehearsal has brought it meanwhile."""
        if not (self.store and self.due and holds(self.store, self.keys[self.due[0]], self.film)):
            return self
        resumed = dict(self.result.resumed)  # what was there when this rehearsal began is an earlier one's
        made = Cutting(self.result, self.name, self.entering, self.tell, self.store, self.others)
        self.result.resumed.clear()
        self.result.resumed.update(resumed)
        made.moments = self.moments  # of what was found before any stock was cut
        return made

    @staticmethod
    def begun(
        result: Rehearsal, name: str, entering: list[Entering], tell: Callable[[str, float], None],
        store: Store | None, others: dict[str, Cutting],
    ) -> Cutting | None:  # fmt: skip
        """A cutting with the limits of its blank told; None where the grid would be too fine."""
        try:
            made = Cutting(result, name, entering, tell, store, others)
        except TooFine as error:
            result.docket.add("check.limit", f"{name}: {error}", bodies=(name,))
            return None
        made._tell_of_the_blank()
        return made

    def tools_from_work(self) -> dict[int, Screws]:
        """The mount of every tool in use, seen from the piece as it is carried now."""
        result, chain = self.result, self.result.chain
        used = sorted(set(np.unique(result.reel.motions.tool).tolist()) & set(result.tools))
        mounts = {n: tool_mount(result.job, chain, n) for n in used}
        here = self.placement
        return {n: between(chain, here.link, m.link, here.frame, frame(m.at, m.turn)) for n, m in mounts.items()}

    def _spindle_name(self) -> str:
        turns = spindle_of(self.result.job, self.result.chain, self.placement.link)
        return turns[0] if turns else ""

    def _spindle(self) -> Floats:
        """A point of the work spindle's axis, in the grid's frame."""
        chain, spindle = self.result.chain, spindle_of(self.result.job, self.result.chain, self.placement.link)
        if spindle is None:
            return np.zeros(3)
        zero = np.zeros((1, len(chain.axes)))
        seen = inverse(self.placement.pose(chain, zero)[0]) @ chain.mount_pose(spindle[1], zero)[0]
        return np.asarray((inverse(self.frame) @ seen)[:3, 3])

    def _other_stock(self, name: str, segment: int) -> Mesh:
        """Another stock as it stands before a segment, in its link's frame."""
        other = self.others.get(name)
        if other is None:  # its grid was too fine: it stays what it was
            job, chain = self.result.job, self.result.chain
            body = next(b for b in job.file.bodies if b.name == name)
            mount = chain.mounts[body.mount]
            return joined(job.body_meshes[name]).moved(frame(mount.at, mount.turn))
        other.to(segment)
        return other.standing()

    def standing(self) -> Mesh:
        """The stock as it stands, in its link's frame: the blank's own mesh while nothing is cut."""
        cuts = int(self.removed.sum())
        if self._mesh is None or self._mesh[0] != cuts:
            self._mesh = cuts, sharp_mesh(self.film) if cuts or self.begun_at > 0.0 else self.mesh
        mesh = self._mesh[1]
        if self._standing is None or self._standing[0] is not mesh or self._standing[1] is not self.placement:
            self._standing = mesh, self.placement, mesh.moved(self.placement.frame @ self.frame)
        return self._standing[2]

    def ray_ends(self) -> Floats:
        """Where the stock begins and ends on the rays along its grid's Z (n, 3), in its link's frame."""
        rays = self.stock.rays[2]
        u, v, slot = rays.ends()
        x, y = (self.stock.lattice.centres(axis)[place] for axis, place in ((0, u), (1, v)))
        points = np.concatenate([np.column_stack([x, y, pool[slot].astype(float)]) for pool in (rays.lo, rays.hi)])
        return apply(self.placement.frame @ self.frame, points)

    def hand_over(self, segment: int, time: float, placement: Placement, entering: list[Entering]) -> None:
        """From a segment on something else carries the piece: all that follows is seen anew. `entering`: what enters its outline
        from there on."""
        self.placement = placement
        self.spans.append((time, placement))
        later = Segments(
            self.result, self.tools_from_work(), self.frame, *self.sets, self._spindle_name(), self._spindle()
        )
        self.segments = self.segments.then(later, segment)
        self.machine_from_work.change(segment, partial(placement.pose, self.result.chain))
        self.watch.change(segment, entering, self._spindle())

    def parted(self, name: str, stock: Stock, segment: int, time: float) -> Cutting:
        """A piece of its own that has come off this one: it has been through all that this one has."""
        made = copy(self)
        made.name, made.stock, made.begun_at, made.entire = name, stock, time, False
        made.film = Film(stock, self.result.filmed)
        made.film.shoot(time)
        made.work, made.hits = Work.none(len(self.removed)), []
        made.spans = [(time, self.placement)]
        made.before, made._mesh, made.keys, made.due, made.store = stock.volume, None, {}, [], None
        made.watch = self.watch.for_piece(name, stock, segment)
        made.machine_from_work = copy(self.machine_from_work)
        made.machine_from_work.own()
        return made

    def holds_only(self, stock: Stock, time: float) -> None:
        """What came off is a piece of its own now."""
        self.stock = self.film.stock = self.watch.stock = stock
        self.entire = False
        self.watch.cut()
        self._mesh = None
        self.film.shoot(time)

    def end_at(self, segment: int) -> None:
        """Nothing cuts it from a segment on: it has left."""
        self.ends = segment

    def to(self, segment: int) -> None:
        """Cut on up to a segment of the knots."""
        self._cut(int(np.searchsorted(self.segments.index, segment)))

    def _cut(self, upto: int) -> None:
        segments, watch = self.segments, self.watch
        count = len(segments.motion)
        frames = min(max(FRAMES, count // MOTIONS_A_FRAME), MOST_FRAMES)
        size = max(1, min(BATCH, -(-count // frames))) if self.result.filmed else BATCH
        while self.at < upto and self.whole:
            here = int(segments.index[self.at])
            watch.ask(here - 1)
            if watch.next == here:  # something stands in the outline of the blank while this segment cuts
                rows = slice(
                    self.at,
                    min(segments.run_end(self.at, count), int(np.searchsorted(segments.index, here, side="right"))),
                )
                self._cut_watched(here, rows)
            else:
                shown = np.searchsorted(self.moments, self.at, side="right")
                end = min(upto, self.at + size, int(np.searchsorted(segments.index, watch.next)), *self.due[:1],
                          *self.moments[shown : shown + 1].tolist())  # fmt: skip
                rows = slice(self.at, segments.run_end(self.at, end))
                self._take(np.arange(rows.start, rows.stop), *segments.batch(rows))
            self.at = rows.stop
            if self.store and self.due and self.at >= self.due[0]:
                due = self.due.pop(0)
                if self.at == due:
                    keep(self.store, self.keys[due], self.stock, self.film, self.work, self.hits, watch, self.kept)
                if self.earlier:
                    self.earlier.go_on(self.film)
            self.tell("material", self.at / count)

    def _cut_watched(self, segment: int, rows: slice) -> None:
        """Cut a segment part by part, each body asked at the poses of a part before that is cut: what one tool has cut
        away a moment ago, another that follows it in the same motion does not meet."""
        steps = self.watch.steps(segment)
        parts = max(1, min(steps, MOST_PARTS))
        for part in range(parts):
            begin, end = part / parts, (part + 1) / parts
            self.watch.ask_part(segment, begin, end, steps)
            at, first, last = self.segments.within(rows, begin, end)
            if len(at) and self.whole:
                self._take(at, *self.segments.batch(at, first, last), last - first)
        self.watch.done(segment)

    def _take(
        self, rows: np.ndarray, batch: Batch | RingBatch, counted_in: ToolSets | RingSets, part: Floats | None = None
    ) -> None:
        """Carry out pieces (or such a part of each) on the stock, and keep what came of it."""
        segments = self.segments
        try:
            answer = self.stock.cut(batch, counted_in)
        except MemoryError as error:
            self.whole = False
            self.result.docket.add("check.limit", f"{self.name}: {error}; from here on it is not cut", bodies=(self.name,),
                                   where=self.result.reel.where(int(segments.motion[rows[0]])), remedy="Choose a coarser resolution.")  # fmt: skip
            return
        if answer.removed.any():
            self.watch.cut()
            cut = np.flatnonzero(answer.removed)
            share = answer.engaged[cut]
            across = _across(batch, cut)
            seconds = segments.time[rows[cut]] - segments.t0[rows[cut]]
            if part is not None:
                seconds = seconds * part[cut]
            self.work.add(batch.tag[cut], answer.taken[cut], answer.stretch[cut], share * seconds, share * across)
            low, high = segments.box(rows, answer.removed)
            self.film.shoot(float(segments.time[rows[-1]]), low, high)
        met = np.flatnonzero((answer.depth > 0).any(axis=1))
        if len(met):
            self.hits.append((rows[met], answer.only(met)))

    def finished(self) -> CutStock:
        """Cut to the end, report what was met, and compare with the design."""
        result, segments, name = self.result, self.segments, self.name
        if self.ends is None:
            self._cut(len(segments.motion))
        self.watch.ask(len(result.knots.motion))
        self.watch.report()
        after, torn = self.stock.measured()
        self._self_test(after, torn)
        self._turning_limits()
        to_be, comparison = self._beside_the_design()
        report_touches(result, name, segments, self.hits, self.frame, self.machine_from_work)
        reel = result.reel
        cutting = self.removed & (reel.motions.kind != RAPID)
        duration = reel.end_time - reel.begin_time
        used = {int(t) for t in np.unique(reel.motions.tool) if t}
        cut = CutStock(
            name, self.frame, self.stock, self.film, self.before, after, self.work,
            {t: float(duration[cutting & (reel.motions.tool == t)].sum()) for t in used},
            {t: float(reel.length[cutting & (reel.motions.tool == t)].sum() / 1000.0) for t in used},
            reach_needed(result, self.mesh, segments, self.removed), self.machine_from_work, spans=self.spans,
            before=self.cut_before,
        )  # fmt: skip
        if not result.job.file.switches.air_cut:  # raised above the work it was never meant to become the part
            check_part(result, cut, self.mesh, segments, to_be, comparison, self.designs is not None)
        return cut

    def _beside_the_design(self) -> tuple[Meant | None, Comparison | None]:
        """What it was to become and how it differs; in a quick look once more on the job's own grid, with what is met there."""
        result, checks = self.result, self.result.job.file.checks
        self.tell("part", 0.0)
        to_be = None if result.job.file.switches.air_cut else meant(result, self.name, self.frame, self.designs)
        comparison = None
        if to_be:
            prepared = prepared_for(self.store, self.stock.lattice, self.mesh, to_be.design)
            nearly = NEARLY if result.quick else 1.0
            comparison = compare(
                self.stock, self.mesh, to_be.design, checks.gouge, checks.excess, prepared, nearly, _keen(result)
            )
        if result.quick:
            comparison = self._look_closer(result.quick, to_be, comparison)
        return to_be, comparison

    def _look_closer(self, look: QuickLook, to_be: Meant | None, coarse: Comparison | None) -> Comparison | None:
        """Cut once more, on the job's own grid, where the coarse one found something or nearly."""
        checks = self.result.job.file.checks
        look.all += int(np.prod(np.ceil(np.ptp(self.mesh.bounds, axis=0) / (look.own * TILE))))
        points = doubtful(coarse, [answer for _, answer in self.hits])
        if not self.entire or not len(points):
            return within_tolerance(coarse, checks.gouge, checks.excess)
        try:
            stock = Stock(self.mesh, look.own, self.cut_before.tags if self.cut_before else None)
            rings = bool((self.segments.mode[: self.at] == RING).any())  # their section is of all of the work
            region = Region.whole(stock.lattice) if rings else Region.around(stock.lattice, points)
            region.leave(stock)
            hits = self._cut_again(stock)
        except (TooFine, MemoryError):  # the coarse grid's word stands
            return within_tolerance(coarse, checks.gouge, checks.excess)
        look.seen += int(region.filled.sum())
        self.hits = closer_hits(self.hits, hits, len(self.segments.motion))
        if to_be is None or coarse is None:
            return None
        return closer(coarse, stock, region, self.mesh, to_be.design, checks.gouge, checks.excess, _keen(self.result))

    def _cut_again(self, stock: Stock) -> Hits:
        """Cut another stock the same way; what was met."""
        hits: Hits = []
        at = 0
        while at < self.at:
            rows = slice(at, self.segments.run_end(at, min(at + BATCH, self.at)))
            answer = stock.cut(*self.segments.batch(rows))
            met = np.flatnonzero((answer.depth > 0).any(axis=1))
            if len(met):
                hits.append((np.arange(rows.start, rows.stop)[met], answer.only(met)))
            at = rows.stop
            self.tell("a closer look", at / self.at)
        return hits

    # --- what is not carried out, or only in part --------------------------------------------------------------------------

    def _tell_of_the_blank(self) -> None:
        docket, name = self.result.docket, self.name
        if self.stock.open_rays:
            docket.add("check.limit", f"the stock '{name}' is not a closed solid: {self.stock.open_rays} rays through it do not "
                       "add up", bodies=(name,), remedy="Repair the mesh so that it is closed.")  # fmt: skip
            return
        if np.ptp(self.stock.volumes) <= FINER_SHARE * self.before:
            return  # the families agree on the blank: nothing of it lies between the rays
        try:
            true = united(self.result.job.body_meshes[name]).volume
        except NotSolid:
            return
        if abs(self.before - true) > FINER_SHARE * true:
            docket.add("check.limit", f"{name}: the grid holds {self.before:.0f} of its {true:.0f} mm³; details of it are finer than "
                       "the resolution", severity="caution", bodies=(name,), remedy="Choose a finer resolution.")  # fmt: skip

    def _self_test(self, after: float, torn: int) -> None:
        """The three families must tell one body: a cut that one of them lost is a fault of this program."""
        cell = float(np.prod(self.stock.lattice.step))
        taken = max(self.before - after, 0.0) / cell
        if torn > TORN_CELLS and torn > TORN_SHARE * taken:
            self.result.docket.add(
                "check.limit", f"{self.name}: the ray families do not agree on {torn * cell:.0f} mm³ of what is left; the cut "
                "stock cannot be trusted", bodies=(self.name,),
                remedy="Choose another resolution, and report this job: it is a fault of the computation.",
            )  # fmt: skip

    def _turning_limits(self) -> None:
        """What turning is not worked out here is said."""
        segments, name, reel = self.segments, self.name, self.result.reel
        cut = self.removed[segments.motion]
        off = np.flatnonzero(cut & (segments.aside > OFF_PLANE_MM))
        if len(off):
            self.result.docket.add(
                "check.limit", f"{name}: a turning tool stands {float(segments.aside[off].max()):.2f} mm beside the plane of X and the "
                "spindle; its cut is worked out as if its outline stood in it, as far from the axis as the tip is", severity="caution",
                bodies=(name,), where=reel.where(int(segments.motion[off[0]]), last=int(segments.motion[off[-1]])),
            )  # fmt: skip
        beside = segments.spins & (segments.mode != RING)
        away = np.linalg.norm((segments.start - segments.centre)[:, :2], axis=1)
        found = np.flatnonzero(cut & beside & (away > OFF_PLANE_MM))
        if len(found):
            motion = int(segments.motion[found[0]])
            self.result.docket.add(
                "check.limit", f"{name} spins while a tool stands neither along its axis nor straight across it; only what the tool covers "
                "where it stands is taken off", program=reel.motions.file_name(motion), line=int(reel.motions.line[motion]),
                bodies=(name,),
            )  # fmt: skip


def _keen(result: Rehearsal) -> NDArray[np.bool_]:
    """Of which motions (n,) the tool's cutter has nothing rounded."""
    keen = [number for number, tool in result.tools.items() if tool.is_keen]
    return np.isin(result.reel.motions.tool, keen)
