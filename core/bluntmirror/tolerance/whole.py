"""The tolerance of a rehearsal: every quantity, each way, asked of travel, bodies, stock and design."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..rehearsal import Rehearsal
from .bounds import Bound, Held, Tolerance
from .limits import travel_bound
from .material import Material
from .quantities import Quantity, quantities, sides_of
from .shifts import NotFollowed, Shift, at_knots, shift_of
from .touching import Touching

REACH_MM = 1.0
LOOKING = 0.4  # of the whole: cutting and asking all layers, before the first quantity
Tell = Callable[[str, float], None]


def tolerance(result: Rehearsal, reach: float = REACH_MM, tell: Tell | None = None) -> Tolerance:
    """How far every quantity may be off, up to `reach` mm, of a job in which nothing stops. `tell` may raise Cancelled."""
    tell = tell or (lambda stage, share: None)
    job = result.job
    made = Tolerance(reach)
    if any(item.severity == "stop" for item in result.docket):
        made.limits.append("anything: this job must not run as it is")
        return made
    if any(strand.settled for strand in result.strands):
        # A place that is off asks an arm for other joint values, perhaps another posture: no shift of those that were found.
        made.limits.append("how far anything may be off on an arm: that is not worked out yet")
        return made
    asked = list(quantities(result))
    touching = Touching(result)
    made.limits += [f"{what}: not asked how near it comes to what is left there" for what in touching.entered]
    made.limits += _left_out(result)
    materials = []
    if job.machine.grips and any(body.role == "stock" for body in job.file.bodies):
        made.limits.append("what tools and stock do to each other, and gouges: pieces change hands here")
    elif not job.file.switches.dry_run:
        for cut in result.stocks:
            material = Material(result, cut.name, reach, lambda stage, share: tell(stage, LOOKING * share))
            material.look()
            materials.append(material)
    for number, quantity in enumerate(asked):
        made.held.append(_held(result, quantity, touching, materials, reach))
        tell("tolerance", LOOKING + (1.0 - LOOKING) * (number + 1) / len(asked))
    return made


def _left_out(result: Rehearsal) -> list[str]:
    """What of the set-up is no quantity here, in words."""
    told = []
    turns = {
        axis
        for strand in result.strands
        for values in strand.setup.work_offsets.values()
        for axis, value in values.items()
        if value and axis in strand.chain.joints and strand.chain.joints[axis].type != "linear"
    }
    if turns:
        told.append(f"{', '.join(sorted(turns))} of the work offsets: only lengths are")
    drawn = [body.name for body in result.job.file.bodies if body.role == "stock" and not sides_of(body)]
    if drawn:
        told.append(f"the sides of {' and '.join(drawn)}: only a box or a round bar that stands straight has any")
    return told


def _held(result: Rehearsal, quantity: Quantity, touching: Touching, materials: list[Material], reach: float) -> Held:
    try:
        shift = _shift(result, quantity, reach)
    except NotFollowed as error:
        return Held(quantity, not_followed=str(error))
    bounds: list[Bound] = []
    ways = [material.ways(quantity, shift) for material in materials]
    for sign in (-1.0, 1.0):
        best = travel_bound(result, shift, sign, reach)
        best = best.or_(touching.bound(quantity, shift, sign, best.amount))
        for material, way in zip(materials, ways, strict=True):
            best = best.or_(material.blank_bound(quantity, sign, best.amount))
            best = best.or_(material.gouge_bound(quantity, way, sign, best.amount))
            best = best.or_(material.stock_bound(quantity, way, sign, best.amount))
        bounds.append(best)
    less, more = bounds
    return Held(quantity, less, more)


def _shift(result: Rehearsal, quantity: Quantity, reach: float) -> Shift:
    if quantity.kind in ("fixture", "blank"):
        ends = [np.zeros_like(strand.reel.motions.end) for strand in result.strands]
        return Shift(ends, at_knots(result, ends))
    return shift_of(result, quantity, reach)
