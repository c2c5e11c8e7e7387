"""What is asked before a motion: a tool, its own length, a spindle that turns, an offset that was set, axes that are free."""

from __future__ import annotations

from ..findings import Fix
from . import fixes
from .run import Run


def checked(run: Run) -> bool:
    """Whether everything that is asked before a motion has been answered for the state as it is."""
    control, setup = run.control, run.setup
    if control.tool == 0 or control.tool not in setup.tools:
        return False
    if not run.dialect.turning and not ("length" in run.told or control.length_number == control.tool):
        return False
    if "spindle" not in run.told and not (control.spindle or control.live):
        return False
    if control.speed == 0.0 and "speed" not in run.told:
        return False
    return control.work_offset in control.work_offsets or ("offset", control.work_offset) in run.told


def check_before_cut(run: Run) -> None:
    """What must be in order before a cutting move: a tool, its own length offset, a spindle that turns."""
    control = run.control
    if run.collecting is not None:
        return
    if control.tool == 0:
        run.report_once("no tool", "tool.none", "a cutting move with no tool in the spindle")
        return
    _check_spindle(run)
    if run.dialect.turning:
        return
    if "length" not in run.told and control.tool in run.setup.tools:
        if control.length_mode == "length-off" or (
            control.length_number == 0 and control.length_mode != "length-value"
        ):
            run.told.add("length")
            run.report("length.none", f"T{control.tool} moves into the work with no length offset active",
                       remedy=f"Add G43 H{control.tool} to the approach of T{control.tool}.",
                       fix=fixes.add_length(run))  # fmt: skip
        elif control.length_number != control.tool and control.length_number in control.lengths:
            run.told.add("length")
            register, own = control.length_active, control.length_of(control.tool)
            run.report(
                "length.other",
                f"T{control.tool} moves into the work with H{control.length_number}, another tool's length offset "
                f"({abs(register):.3f} instead of {own:.3f} mm)",
                amount=abs(abs(register) - own),
                remedy=f"Write H{control.tool} instead of H{control.length_number}.",
                fix=fixes.other_length(run),
            )


def _check_spindle(run: Run) -> None:
    control = run.control
    if "spindle" in run.told or (control.speed == 0.0 and control.feed_mode == "per-revolution"):
        return  # a feed per revolution without a speed is told as such
    if run.setup.spindles and not (control.spindle or control.live):
        return  # another channel may have started it: asked when all are on one clock
    if not (control.spindle or control.live):
        run.told |= {"spindle", "speed"}
        run.report(
            "spindle.still", f"T{control.tool} is moved at feed while no spindle turns", **fixes.start_spindle(run)
        )
    elif control.speed == 0.0 and control.surface_speed is None and "speed" not in run.told:
        run.told.add("speed")
        run.report(
            "spindle.speed", "the spindle is on, but no speed was ever given", remedy="Give an S word beside M3 or M4."
        )


def check_offset(run: Run) -> None:
    name = run.control.work_offset
    if name not in run.control.work_offsets:
        run.report_once(("offset", name), "offset.unset", f"{name} was never set; it counts as 0 on every axis",
                        remedy=f"Enter {name} in the job, or call the offset that is meant.")  # fmt: skip


def check_rapid_level(run: Run, shaped: dict[str, float]) -> None:
    """A rapid across the work below the R level of this tool's cycles (common practice: R is where rapid ends)."""
    control = run.control
    drill = control.drill_axis
    assert run.rapid_level is not None
    level = min(control.here(drill), shaped.get(drill, control.here(drill)))
    across = any(axis in "XYZ" and axis != drill and abs(v - control.here(axis)) > 1e-6 for axis, v in shaped.items())
    if across and level < run.rapid_level - 1e-6 and control.here(drill) < run.rapid_level - 1e-6:
        raised = f"G0 {drill}{fixes.number_text(drill, run.rapid_level / control.unit)}"
        fix = (
            fixes.insert_line(run, run.at, raised, f"Insert {raised} before line {run.at}")
            if control.absolute
            else None
        )
        run.report_once(("below R", control.tool), "order.below-r",
                        f"T{control.tool} moves across at rapid with {drill} at {level:.3f}, below the R level of its cycles "
                        f"({run.rapid_level:.3f})", amount=run.rapid_level - level,
                        remedy=f"Raise {drill} to {run.rapid_level:g} before moving across.", fix=fix)  # fmt: skip


def check_clamped(run: Run, target: list[float]) -> None:
    for axis in sorted(run.control.clamped):
        index = run.control.index(axis)
        if index >= 0 and abs(target[index] - run.control.machine[index]) > 1e-6:
            run.report("order.clamped", f"{axis} is sent to {target[index]:.3f} while it is clamped", axis=axis,
                       remedy=f"Unclamp {axis} before it moves.", fix=_unclamp(run, axis))  # fmt: skip


def _unclamp(run: Run, axis: str) -> Fix | None:
    code = next((c for c, act in run.setup.codes.items() if act.does == "unclamp" and act.axis == axis), None)
    return fixes.insert_line(run, run.at, code, f"Insert {code} before line {run.at}") if code else None
