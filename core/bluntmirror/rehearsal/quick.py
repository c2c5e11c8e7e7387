"""A quick look: all work on a coarse grid, and once more on the job's own where something was found there, or nearly.

Whoever takes one wants to know soon what is wrong. That nothing is cannot be known so: between two coarse rays anything may stand. So a
quick look is never clear, unless its grid is the job's own because the work is so small.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..geometry.frames import Floats
from ..geometry.mesh import Mesh
from ..job import Job
from ..material.comparison import Comparison, Places, Prepared, compare_within, joined_places
from ..material.cut_kernel import SETS
from ..material.region import Region
from ..material.stock import BatchResult, Stock
from .result import QuickLook, Rehearsal
from .resuming import HIT_COLUMNS, Hits

COARSER = 4.0  # times the job's grid: a motion costs a tenth there
LEAST_CELLS = 10.0  # that the least side of a blank is wide on the coarse grid
NEARLY = 0.5  # of a tolerance: places that use up more are looked at closely


def coarse_grid(job: Job) -> float:
    """The grid of a quick look at a job, mm; the job's own where its stocks are too small for a coarser one."""
    own = job.file.checks.resolution
    sides = [
        float(np.ptp(mesh.bounds, axis=0).min())
        for body in job.file.bodies
        if body.role == "stock"
        for mesh in job.body_meshes[body.name]
    ]
    return max(own, min([COARSER * own, *(side / LEAST_CELLS for side in sides)]))


def on_grid(job: Job, resolution: float) -> Job:
    """The same job on another grid."""
    checks = job.file.checks.model_copy(update={"resolution": resolution})
    return replace(job, file=job.file.model_copy(update={"checks": checks}))


def doubtful(comparison: Comparison | None, hits: Iterable[BatchResult]) -> Floats:
    """Where something was found on the coarse grid, or nearly (n, 3), in the grid's frame. The comparison's places reach down to NEARLY."""
    parts = [np.zeros((0, 3))]
    if comparison:
        parts += [comparison.gouges.points, comparison.excess.points]
    parts += [answer.place[answer.depth > 0.0] for answer in hits]
    return np.concatenate(parts)


def closer(
    coarse: Comparison, stock: Stock, region: Region, blank: Mesh, design: Mesh, gouge: float, excess: float, keen: NDArray[np.bool_]
) -> Comparison:  # fmt: skip
    """A coarse comparison with what the job's own grid tells in a region of it in its place; tolerances in mm, `keen` as in `compare`."""
    prepared = Prepared.of(stock.lattice, blank, design, coarse.solid)
    gouges, deepest, left, most = compare_within(region, stock, prepared, gouge, excess, keen)

    def both(wide: Places, narrow: Places, tolerance: float) -> Places:
        outside = ~region.holds(wide.points) & (wide.amount > tolerance)
        return joined_places([wide.only(np.flatnonzero(outside)), narrow])

    def worst(wide: float, narrow: float, tolerance: float) -> float:
        """All places beyond NEARLY lie in the region, where the finer grid knows better."""
        return narrow if wide > NEARLY * tolerance else max(wide, narrow)

    return replace(
        coarse, gouges=both(coarse.gouges, gouges, gouge), excess=both(coarse.excess, left, excess),
        gouge_max=worst(coarse.gouge_max, deepest, gouge), excess_max=worst(coarse.excess_max, most, excess),
    )  # fmt: skip


def closer_hits(coarse: Hits, fine: Hits, pieces: int) -> Hits:
    """What was met on either grid; where both tell of the same of a piece's tests, the finer one."""
    known = np.zeros((pieces, SETS), np.bool_)
    for rows, answer in fine:
        known[rows] |= answer.depth > 0.0
    every = [
        *((rows, replace(answer, depth=np.where(known[rows], 0.0, answer.depth))) for rows, answer in coarse),
        *fine,
    ]
    if not every:
        return []
    rows = np.concatenate([rows for rows, _ in every])
    told = BatchResult(*(np.concatenate([getattr(answer, name) for _, answer in every]) for name in HIT_COLUMNS))
    in_order = np.argsort(rows, kind="stable")
    return [(rows[in_order], told.only(in_order))]


def within_tolerance(coarse: Comparison | None, gouge: float, excess: float) -> Comparison | None:
    """A coarse comparison with no more than what lies beyond the tolerances."""
    if coarse is None:
        return None
    gouges, left = (
        places.only(np.flatnonzero(places.amount > tolerance))
        for places, tolerance in ((coarse.gouges, gouge), (coarse.excess, excess))
    )
    return replace(coarse, gouges=gouges, excess=left)


def tell_of(result: Rehearsal, look: QuickLook) -> None:
    """A quick look is never clear."""
    closely = (
        f", and at {look.own:g} mm where something was found or nearly ({look.share:.0%} of the stock)"
        if look.seen
        else ""
    )
    result.docket.add(
        "check.partial", f"a quick look: material was worked out at a grid of {look.grid:.3g} mm{closely}; what is thinner than that "
        "may have been missed", channel=result.strands[0].channel, program=result.job.file.programs[0].main, amount=look.grid,
        remedy="Rehearse in full before the release.",
    )  # fmt: skip
