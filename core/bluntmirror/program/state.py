"""The state of the virtual control at a block, as a screen would show it: for the read-back and for people who ask."""

from __future__ import annotations

import math
from dataclasses import dataclass

from .run import Run


@dataclass(frozen=True)
class State:
    """Lengths as typed: in the units in force, diameters where the machine has them.

    modes      active code of every modal group, by group, in the dialect's numbers
    program, machine  places by axis
    offset     the active work offset's values, by axis
    registers  H and D in force: number and value
    calls      program and line that each call under way goes back to, the outermost first
    """

    program_name: str
    line: int
    modes: dict[str, str]
    work_offset: str
    offset: dict[str, float]
    program: dict[str, float]
    machine: dict[str, float]
    tool: int
    next_tool: int | None
    registers: dict[str, tuple[int, float]]
    spindle: str
    speed: float
    surface_speed: float | None
    feed: float | None
    coolant: str
    inch: bool
    cycle_words: dict[str, float]
    variables: dict[str, float]
    calls: list[tuple[str, int]]
    frames: list[str]


def state_of(run: Run) -> State:
    control, setup = run.control, run.setup

    def typed(axis: str, value: float) -> float:
        factor = 1.0 if axis[0] in "ABC" else (2.0 if axis in setup.diameters else 1.0) / control.unit
        return round(value * factor, 6) + 0.0

    axes = [
        axis
        for axis in setup.axes
        if len(axis) == 1 or (setup.arm and not math.isnan(control.machine[control.index(axis)]))
    ]
    offset = control.work_offsets.get(control.work_offset, {})
    turns = control.live or control.spindle
    dialect = setup.dialect
    modes = {group: code for group, name in control.modes().items() if (code := dialect.code_of(name))}
    feed = control.feed
    return State(
        program_name=run.text.name,
        line=run.at,
        modes=modes,
        work_offset=control.work_offset,
        offset={axis: typed(axis, offset.get(axis, 0.0)) for axis in axes},
        program={axis: typed(axis, control.program_position(axis)) for axis in axes},
        machine={axis: typed(axis, control.machine[control.index(axis)]) for axis in axes},
        tool=control.tool,
        next_tool=control.next_tool,
        registers={
            "H": (control.length_number, round(control.length_active / control.unit, 6)),
            "D": (control.radius_number, round(control.radius / control.unit, 6)),
        },
        spindle="clockwise" if turns > 0 else "counter-clockwise" if turns < 0 else "still",
        speed=round(control.speed, 3),
        surface_speed=control.surface_speed,
        feed=None if feed is None else round(feed / (1.0 if control.feed_mode == "inverse-time" else control.unit), 6),
        coolant=control.coolant,
        inch=control.inch,
        cycle_words={key: round(value, 6) for key, value in control.cycle_words.items()} if control.cycle else {},
        variables={
            _name(key): value for key, value in sorted(control.variables.values.items(), key=lambda item: str(item[0]))
        },
        calls=[(call.text.name, call.back) for call in run.stack],
        frames=_frames(run),
    )


def _name(key: int | str) -> str:
    return f"#{key}" if isinstance(key, int) else f"#<{key}>"


def _frames(run: Run) -> list[str]:
    """What stands between the program's coordinates and the axes beside the offsets, in words."""
    control = run.control
    found = []
    if control.mirror:
        found.append(
            "mirror image about " + " ".join(f"{axis}{value:g}" for axis, value in sorted(control.mirror.items()))
        )
    if control.scaling:
        found.append("scaled by " + ", ".join(f"{control.scaling.linear[i][i]:g}" for i in range(3)))
    if control.rotation:
        found.append(f"turned by {control.turned_by:g}°")
    if control.tilt is not None:
        found.append("tilted plane, its Z along " + " ".join(f"{v:.4f}" for v in control.tilt[:3, 2]))
    if control.polar:
        found.append("places as radius and angle")
    if control.dynamic:
        found.append("the offset turns with the table")
    if control.compensation != "compensation-off":
        side = "left" if control.compensation.startswith("compensation-left") else "right"
        found.append(f"tool {side} of the path by {control.radius:g} mm")
    for name, shift in (("local shift", control.local_shift), ("present point called", control.shift)):
        if any(shift.values()):
            found.append(f"{name} " + " ".join(f"{axis}{value:g}" for axis, value in shift.items() if value))
    return found
