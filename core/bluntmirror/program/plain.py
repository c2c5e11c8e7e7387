"""Plain blocks: axis words, I J K R and F with nothing but G0 to G3, G90 and G91 — what most blocks are.

They need no more than an offset for each axis, asked once and kept until something modal changes. What could be an error, or
needs the whole way of a block, is handed back untouched, so that every diagnostic comes from one place.
"""

from __future__ import annotations

from . import arcs, checks
from .expressions import Expression
from .motions import ARC, FEED, PLANE_AXES, RAPID
from .run import Ready
from .variables import MacroError
from .words import Plan
from .writer import Writer

_NO_CENTRE = ((0.0, 0.0), 0.0)
PLAIN_MOTIONS = ("rapid", "line", "arc-cw", "arc-ccw")


def make_ready(run: Writer) -> bool:
    """Prepare for plain blocks; False where their motions need more than an offset for each axis."""
    control, setup = run.control, run.setup
    if (
        setup.arm or control.framed or control.shape or control.polar or control.cycle or control.clamped
        or control.motion not in PLAIN_MOTIONS or control.feed_mode != "per-minute" or control.exact_mode
        or control.surface_speed is not None or run.compensation or run.corners or run.unrolled
        or run.collecting is not None or run.modal_macro or setup.shifts or setup.diameters
        or control.length_applied != control.length_active or control.ahead is not None or control.centre_absolute
        or not checks.checked(run)
    ):  # fmt: skip
        return False
    column = {axis: i for i, axis in enumerate(setup.axes) if len(axis) == 1}
    if control.c_axis != "C":
        column.pop("C", None)
    scale = {axis: 1.0 if axis in "ABC" else control.unit for axis in column}
    offset = [control.offset(axis) for axis in setup.axes]
    first, second = (control.index("XYZ"[i]) for i in PLANE_AXES[control.plane][:2])
    run.ready = Ready(column, scale, offset, control.plane, first, second, {})
    return True


def carry_out(run: Writer, plan: Plan) -> bool:
    """Carry out a plain block; False, with nothing changed, where the whole way of a block is needed."""
    ready, control = run.ready, run.control
    assert ready
    motion = plan.motion or control.motion
    absolute = control.absolute if plan.absolute is None else plan.absolute
    arc = motion == "arc-cw" or motion == "arc-ccw"
    if arc != bool(plan.centre) or (plan.absolute is not None and run.dialect.turning):
        return False
    rapid = motion == "rapid"
    if rapid and run.rapid_level is not None:
        return False
    feed: float | None = control.feed
    target = list(control.machine)
    try:
        if plan.feed is not None:
            value = _number(run, plan.feed, False, 1.0)
            if value is None or value <= 0:
                return False
            feed = value * control.unit
        for letter, item, bare in plan.moving:
            i = ready.column.get(letter)
            if i is None:
                return False
            value = _number(run, item, bare, ready.scale[letter])
            if value is None:
                continue
            if not absolute:
                value = (target[i] - ready.offset[i]) + value
            target[i] = value + ready.offset[i]
        if feed is None and not rapid and (plan.moving or arc):
            run.control.variables.vacant_read.clear()
            return False
        centre, sweep = _NO_CENTRE
        if arc:
            found = _arc(run, plan, ready, target, motion == "arc-cw")
            if found is None:
                return False
            centre, sweep = found
    except MacroError:
        control.variables.vacant_read.clear()
        return False
    if control.variables.vacant_read:
        run.tell_vacant()
    control.feed, control.motion, control.absolute = feed, motion, absolute
    if not plan.moving and not arc:
        return True
    key = (motion, absolute)
    snapshot = ready.snapshots.get(key)
    if snapshot is None:
        snapshot = ready.snapshots[key] = run.snapshot()
    control.machine = target
    if not rapid:
        run.cut_since_change = True
    run.builder.row(
        tuple(target), centre, ARC if arc else RAPID if rapid else FEED, run.file, run.at, 0.0 if rapid else feed,
        control.rpm, control.tool, False, ready.plane if arc else 0, sweep, 0.0, snapshot, False, 0.0,
    )  # fmt: skip
    return True


def _number(run: Writer, item: float | Expression, bare: bool, scale: float) -> float | None:
    """A plain block's value in mm or degrees; raises MacroError."""
    value = item if item.__class__ is float else item.work_out(run.control.variables)  # type: ignore[union-attr]
    if value is None:
        return None
    if not -1e9 < value < 1e9:
        raise MacroError("beyond what the control can hold")
    if bare and run.setup.bare_increment:
        value *= 0.0001 if run.control.inch and scale != 1.0 else 0.001
    return value * scale


def _arc(
    run: Writer, plan: Plan, ready: Ready, target: list[float], clockwise: bool
) -> tuple[tuple[float, float], float] | None:
    """Centre and sweep of a plain block's arc, in axis values; None where it is none."""
    if ready.first < 0 or ready.second < 0:
        return None
    given = dict.fromkeys("IJK", 0.0)
    for letter, item, bare in plan.centre:
        value = _number(run, item, bare, run.control.unit)
        given[letter] = 0.0 if value is None else value
    here = run.control.machine
    ends = here[ready.first], here[ready.second], target[ready.first], target[ready.second]
    if "R" in given:
        status, c1, c2, sweep, _ = arcs.arc_by_radius(*ends, given["R"], clockwise)
    else:
        one, two = ("IJK"[i] for i in PLANE_AXES[ready.plane][:2])
        status, c1, c2, sweep, _ = arcs.arc_by_centre(*ends, given[one], given[two], clockwise)
    return None if status != arcs.OK else ((c1, c2), sweep)
