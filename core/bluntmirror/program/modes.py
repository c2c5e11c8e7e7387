"""Modal codes: planes, units, modes, offsets, compensation, and what mirror image, scaling and rotation make of places.

mirror image   G51.1 X Y Z: about lines through the values given
scaling        G51 X Y Z P (or I J K): plain factors about a point, the present one where none is given (pinned)
rotation       G68 X Y R in the plane; with I J K about that axis (in space)
tilted plane   G68.2: shifted, then turned by Euler angles
polar          G16: the plane's first word is a radius, its second an angle
"""

from __future__ import annotations

import math

import numpy as np

from ..geometry.frames import rotation_about
from . import fixes, unrolled
from .control import OFFSET_NAMES, PLANE_MEANINGS
from .frames import shape_of, tilted_plane
from .meanings import CYCLES, MEANINGS
from .motions import PLANE_AXES
from .words import BOUND, Words, arguments
from .writer import Writer


def start(run: Writer) -> None:
    """The modes in force when a program begins (pinned, as the dialect lists them)."""
    control = run.control
    for name in run.dialect.start:
        _simple(run, name)
    control.feed = None


def _simple(run: Writer, name: str) -> bool:
    """Carry out a modal meaning that only sets a mode; False for the others."""
    control = run.control
    group = MEANINGS[name].group
    if group == "units":
        control.inch = name == "inch"
    elif group == "plane":
        plane = PLANE_MEANINGS.index(name)
        if plane != control.plane and run.compensation:
            run.report(
                "compensation.plane",
                "the plane is changed under cutter compensation",
                remedy="Cancel it with G40 first.",
            )
        control.plane = plane
    elif group == "distance":
        control.absolute = name == "absolute"
    elif group == "arc centres":
        control.centre_absolute = name == "centre-absolute"
    elif group == "feed mode":
        if name != control.feed_mode:
            control.feed_mode = name
            control.feed = None  # a feed in other units means nothing
            run.told.discard("feed")
    elif group == "cycle return":
        control.return_initial = name == "to-initial"
    elif group == "path mode":
        control.exact_mode = name != "continuous"
    elif group == "work offset" and name in OFFSET_NAMES:
        control.work_offset = OFFSET_NAMES[name]
    elif name == "fixed-speed":
        control.surface_speed = None
    elif group == "motion":
        control.motion = name
        control.cycle = ""
    else:
        return False
    return True


def take(run: Writer, words: Words) -> None:
    """The modal codes of a block, in the order written, then F."""
    control = run.control
    has_cycle = any(name in CYCLES for name in words.g)
    for name in words.g:
        group = MEANINGS[name].group
        if not group:
            continue
        if group == "motion":
            control.motion = name
            if not has_cycle:
                _leave_cycle(run)
        elif name == "no-cycle":
            _leave_cycle(run)
        elif group == "cycle":
            if not control.cycle:
                control.cycle_initial = control.program_position(control.drill_axis)
                control.cycle_words = {}
            control.cycle = name
        elif not _simple(run, name):
            _OTHERS[group](run, words, name)
    if "F" in words and "dwell" not in words.g and not any(name in BOUND for name in words.g):
        set_feed(run, words.value["F"])


def set_feed(run: Writer, value: float) -> None:
    control = run.control
    if value <= 0:
        run.report("feed.zero", f"F{value:g} is no feed", remedy="Give a feed above 0.")
        if control.feed is None:
            run.told.add("feed")  # the moves that follow have none for this reason
    else:
        control.feed = value if control.feed_mode == "inverse-time" else value * control.unit
        run.told.discard("feed")


def _leave_cycle(run: Writer) -> None:
    run.control.cycle = ""


# --- offsets and compensation -------------------------------------------------------------------------------------------


def _offset(run: Writer, words: Words, name: str) -> None:
    if "P" not in words:
        run.report("syntax.missing", "a further work offset needs its P number", remedy="Write G54.1 P1, P2, …")
        return
    run.control.work_offset = f"G54.1P{round(words.value['P'])}"


def _length(run: Writer, words: Words, name: str) -> None:
    control = run.control
    tip = name in ("tip-control", "tip-vector")
    control.tip_control = name if tip and solvable(run, name) else ""
    if name == "length-off" or words.value.get("H") == 0:
        control.length_mode, control.length_number, control.length_active = name, 0, 0.0
        return
    if name == "length-value":
        control.length_mode, control.length_number = name, control.tool
        control.length_active = run.length(words, "Z") if "Z" in words else 0.0
        return
    if "H" in words:
        control.length_number = round(words.value["H"])
    elif run.dialect.o_words:
        control.length_number = control.tool  # G43 without H takes the tool in the spindle (RS274/NGC)
    control.length_at = run.file, run.at - 1
    register = length_register(run, control.length_number)
    control.length_mode = name
    control.length_active = -register if name == "length-minus" else register
    if control.tip_control:
        control.length_applied = control.length_active  # where the tip is now is where the control counts from


def length_register(run: Writer, number: int) -> float:
    if number not in run.control.lengths:
        run.report_once(("H", number), "register.unset", f"length register H{number} was never set; it counts as 0",
                        remedy=f"Enter the length for H{number}, or correct H.")  # fmt: skip
    return run.control.length_of(number)


def solvable(run: Writer, name: str) -> bool:
    """Whether this machine can carry out a code that needs X, Y and Z to span space; reported where it cannot."""
    if run.setup.arm and name == "tip-vector":
        return True
    if run.control.solver is None:
        code = run.dialect.code_of(name)
        run.not_carried_out(
            f"{code} on {'an arm' if run.setup.arm else 'a channel whose X, Y and Z do not span space'}"
        )
    return run.control.solver is not None


def _compensation(run: Writer, words: Words, name: str) -> None:
    control = run.control
    if name == "compensation-off":
        if run.compensation and not run.compensation.ending:
            run.compensation.end()
            if not run.compensation.begun:
                run.compensation.ending = False
                run.compensation.side = 0.0
                run.end_compensation()
        control.compensation = name
        return
    if run.collecting is not None:
        return  # roughing follows the contour itself (pinned); finishing takes the nose into account
    if run.dialect.turning:
        nose = run.setup.noses.get(control.tool)
        # A cutter in a turret has a radius and no nose; its centre is what is programmed.
        radius = nose.radius if nose else control.radius_of(control.tool)
        if nose is None and control.tool not in control.radii:
            run.report_once(
                ("nose", control.tool), "register.unset", f"T{control.tool} has no nose radius; it counts as 0"
            )
        first = PLANE_AXES[control.plane][0]
        across = (nose.z, nose.x) if nose and first == 2 else (nose.x, nose.z) if nose else (0.0, 0.0)
        shift = across[0] * radius, across[1] * radius
    else:
        shift = 0.0, 0.0
        if name.endswith("-value"):
            radius = 0.5 * run.length(words, "D") if "D" in words else 0.0
        else:
            if "D" in words:
                control.radius_number = round(words.value["D"])
            elif run.dialect.o_words:
                control.radius_number = control.tool
            radius = radius_register(run, control.radius_number)
    control.compensation = name
    control.radius = radius
    left = name.startswith("compensation-left")
    shape = control.shape.in_plane(*PLANE_AXES[control.plane][:2]) if control.shape else None
    if shape and not shape[1]:
        left = not left  # in a mirror image the tool is on the other side
    run.begin_compensation()
    assert run.compensation
    run.compensation.ending = False
    run.compensation.set_side(radius if left else -radius, shift)


def radius_register(run: Writer, number: int) -> float:
    control = run.control
    if number == 0:
        run.report("compensation.register", "cutter compensation without a register: D is missing",
                   remedy=f"Write D{control.tool} beside G41 or G42." if control.tool else "Write D beside G41 or G42.",
                   fix=fixes.add_word(run, f"D{control.tool}") if control.tool in control.radii else None)  # fmt: skip
    elif number not in control.radii:
        run.report_once(("D", number), "register.unset", f"radius register D{number} was never set; it counts as 0",
                        remedy=f"Enter the radius for D{number}, or correct D.")  # fmt: skip
    elif number != control.tool and control.tool in control.radii:
        own = control.radius_of(control.tool)
        if abs(own - control.radius_of(number)) > 1e-6:
            run.report("compensation.other", f"D{number} is not the register of T{control.tool}: {control.radius_of(number):.3f} "
                       f"instead of {own:.3f} mm", remedy=f"Write D{control.tool}, if no other radius is meant.",
                       fix=fixes.replace_word(run, "D", control.tool, f"Write D{control.tool}"))  # fmt: skip
    return control.radius_of(number)


# --- mirror image, scaling, rotation ------------------------------------------------------------------------------------


def _scale(run: Writer, words: Words, name: str) -> None:
    control = run.control
    if name == "scale-off":
        control.scaling = None
        control.reshape()
        return
    about = [run.scaled(words, a) if a in words else control.program_position(a) for a in "XYZ"]
    if "P" in words:
        factors = [words.value["P"]] * 3
    else:
        factors = [words.value.get(letter, 1.0) for letter in "IJK"]
    if any(factor == 0.0 for factor in factors):
        run.report("syntax.missing", "scaling by 0 leaves nothing", remedy="Give factors other than 0.")
        return
    control.scaling = shape_of(np.diag(factors), about)
    control.reshape()


def _mirror(run: Writer, words: Words, name: str) -> None:
    control = run.control
    named = [axis for axis in "XYZ" if axis in words]
    if name == "mirror-off":
        for axis in named or "XYZ":
            control.mirror.pop(axis, None)
    else:
        if not named:
            run.report("syntax.missing", "a mirror image needs the axes that it turns over, with their values")
        control.mirror.update({axis: run.scaled(words, axis) for axis in named})
    control.reshape()


def _rotate(run: Writer, words: Words, name: str) -> None:
    control = run.control
    if name == "rotate-off":
        control.tilt = control.rotation = None
        control.reshape()
        return
    if name == "tilt":
        _tilt(run, words)
        return
    angle = words.value.get("R", 0.0)
    if not control.absolute and control.rotation is not None and "X" not in words and "Y" not in words:
        angle += control.turned_by
    about = [run.scaled(words, a) if a in words else control.program_position(a) for a in "XYZ"]
    direction = [words.value.get(letter, 0.0) for letter in "IJK"]
    if not any(letter in words for letter in "IJK"):
        direction = [1.0 if i == PLANE_AXES[control.plane][2] else 0.0 for i in range(3)]
    if math.hypot(*direction) < 1e-9:
        run.report("syntax.missing", "the axis I J K of a rotation has no length")
        return
    turn = rotation_about(tuple(direction), angle)
    turn[np.abs(turn) < 1e-15] = 0.0
    control.turned_by = angle
    if sum(component != 0.0 for component in direction) > 1:
        # In space: circles leave the machine's planes, so that places go through a frame of their own.
        if solvable(run, name):
            control.tilt = np.eye(4)
            control.tilt[:3, :3], control.tilt[:3, 3] = turn, np.array(about) - turn @ np.array(about)
        return
    control.rotation = shape_of(turn, about)
    control.reshape()


def _tilt(run: Writer, words: Words) -> None:
    if not solvable(run, "tilt"):
        return
    if "P" in words:
        run.not_carried_out(f"{run.dialect.code_of('tilt')} with P (another way to give the plane)")
        return
    origin = [run.scaled(words, letter) if letter in words else 0.0 for letter in "XYZ"]
    euler = [words.value.get(letter, 0.0) for letter in "IJK"]
    run.control.tilt = tilted_plane(origin, euler)


def _polar(run: Writer, words: Words, name: str) -> None:
    run.control.polar = name == "polar"
    run.control.polar_place = None


def from_polar(run: Writer, axes: dict[str, float]) -> dict[str, float]:
    """Program coordinates of a block whose plane words are radius and angle.

    Under G90 the radius counts from the program's zero, under G91 from the present point; the angle under G91 from the
    angle before.
    """
    control = run.control
    first, second = ("XYZ"[i] for i in PLANE_AXES[control.plane][:2])
    rest = {axis: value for axis, value in axes.items() if axis not in (first, second)}
    if first not in axes and second not in axes:
        return run.absolute(axes)
    here = control.program_position(first), control.program_position(second)
    before = control.polar_place or (math.hypot(*here), math.degrees(math.atan2(here[1], here[0])))
    angle = axes.get(second, before[1] if control.absolute else 0.0)
    if second in axes:
        angle /= control.unit  # an angle is no length
    if control.absolute:
        radius, origin = axes.get(first, before[0]), (0.0, 0.0)
    else:
        radius, origin, angle = axes.get(first, 0.0), here, before[1] + angle
    control.polar_place = radius, angle
    slope = math.radians(angle)
    return {
        **run.absolute(rest), first: origin[0] + radius * math.cos(slope), second: origin[1] + radius * math.sin(slope),
    }  # fmt: skip


def _dynamic(run: Writer, words: Words, name: str) -> None:
    run.control.dynamic = name == "dynamic" and solvable(run, name)


def _speed_mode(run: Writer, words: Words, name: str) -> None:
    if not run.setup.turning_spindle:
        run.not_carried_out(f"{run.dialect.code_of(name)} on a machine without a spindle that turns the work")
    elif run.control.surface_speed is None:
        run.control.surface_speed = 0.0


def _modal_macro(run: Writer, words: Words, name: str) -> None:
    """G66: the macro is called after every move from the next one on."""
    if name == "macro-modal-off":
        run.modal_macro = None
    elif "P" not in words:
        run.report("syntax.missing", "G66 needs the number of the macro: P", remedy="Write P with its O number.")
    elif (number := run.program_number(words.value["P"])) is not None:
        run.modal_macro = (number, arguments(words))


_OTHERS = {
    "work offset": _offset, "length offset": _length, "cutter compensation": _compensation, "scaling": _scale,
    "mirror image": _mirror, "rotation": _rotate, "polar coordinates": _polar, "dynamic offset": _dynamic,
    "speed mode": _speed_mode, "modal call": _modal_macro, "cylindrical interpolation": unrolled.cylinder,
    "polar interpolation": unrolled.virtual_plane,
}  # fmt: skip
