"""What a code can mean, whatever number a dialect gives it.

meaning   what the control does on a code, by a name of our own ("line", "peck-drill")
group     the modal group a meaning belongs to: of one group only one is in force; "" acts in its own block alone

A dialect file maps its codes to these names; the interpreter knows nothing but the names.
"""

from __future__ import annotations

from dataclasses import dataclass

(
    MOTION, CYCLE, PLANE, DISTANCE, FEED_MODE, UNITS, COMPENSATION, LENGTH, RETURN, OFFSET, PATH, SPEED_MODE, SCALING, MIRROR,
    ROTATION, POLAR, DYNAMIC, MODAL_CALL, CYLINDER, VIRTUAL_PLANE, ARC_CENTRES,
) = (
    "motion", "cycle", "plane", "distance", "feed mode", "units", "cutter compensation", "length offset", "cycle return",
    "work offset", "path mode", "speed mode", "scaling", "mirror image", "rotation", "polar coordinates",
    "dynamic offset", "modal call", "cylindrical interpolation", "polar interpolation", "arc centres",
)  # fmt: skip


@dataclass(frozen=True)
class Meaning:
    """`says`: in a few plain words, for the read-back and the language's table."""

    name: str
    group: str
    says: str


def _table(*rows: tuple[str, str, str]) -> dict[str, Meaning]:
    return {name: Meaning(name, group, says) for name, group, says in rows}


MEANINGS = _table(
    ("rapid", MOTION, "rapid"),
    ("line", MOTION, "straight cut at feed"),
    ("arc-cw", MOTION, "arc, clockwise"),
    ("arc-ccw", MOTION, "arc, counter-clockwise"),
    ("thread", MOTION, "straight move locked to the spindle: a thread"),
    ("thread-growing", MOTION, "thread whose lead changes with every turn"),
    ("no-cycle", CYCLE, "cycle off"),
    ("drill", CYCLE, "drill in one stroke"),
    ("drill-dwell", CYCLE, "drill, dwell at the bottom"),
    ("peck-drill", CYCLE, "drill in pecks, out of the hole between them"),
    ("chip-break", CYCLE, "drill in pecks, a short way back between them"),
    ("tap", CYCLE, "tap a right-hand thread"),
    ("tap-rigid", CYCLE, "tap a right-hand thread, spindle and feed locked"),
    ("tap-left", CYCLE, "tap a left-hand thread"),
    ("bore", CYCLE, "bore, feed out"),
    ("bore-stop", CYCLE, "bore, stop the spindle, rapid out"),
    ("bore-dwell", CYCLE, "bore, dwell, feed out"),
    ("bore-hand", CYCLE, "bore, dwell, stop the spindle, withdraw"),
    ("bore-back", CYCLE, "bore from behind: shift aside, go through, bore upwards"),
    ("bore-fine", CYCLE, "bore, orient, shift off the wall, rapid out"),
    ("turn-single", CYCLE, "one turning pass: in, along, out, back"),
    ("face-single", CYCLE, "one facing pass: in, across, out, back"),
    ("thread-single", CYCLE, "one threading pass: in, along, out, back"),
    ("face-drill", CYCLE, "drill along Z"),
    ("face-drill-dwell", CYCLE, "drill along Z, dwell at the bottom"),
    ("face-peck", CYCLE, "drill along Z, in pecks where Q is given"),
    ("face-tap", CYCLE, "tap along Z"),
    ("face-bore", CYCLE, "bore along Z, feed out"),
    ("face-bore-stop", CYCLE, "bore along Z, stop the spindle, rapid out"),
    ("side-peck", CYCLE, "drill along X, in pecks where Q is given"),
    ("side-tap", CYCLE, "tap along X"),
    ("side-bore", CYCLE, "bore along X, feed out"),
    ("probe", "", "straight probing move: runs to its end unless a probe model answers"),
    ("skip", "", "skip move: runs to its end unless a probe model answers"),
    ("dwell", "", "dwell"),
    ("exact-once", "", "come to rest at the end of this block"),
    ("data", "", "write offsets or registers from the program"),
    ("data-off", "", "end of data input"),
    ("home", "", "to the first reference position by way of a point"),
    ("home-other", "", "to another reference position by way of a point"),
    ("machine-coordinates", "", "in machine coordinates, this block only"),
    ("local-shift", "", "local shift of the work offset"),
    ("set-position", "", "call the present point by the values given"),
    ("set-position-off", "", "undo the values given to the present point"),
    ("set-position-pause", "", "leave out the values given to the present point, keeping them"),
    ("set-position-back", "", "bring back the values given to the present point"),
    ("speed-limit", "", "limit of the spindle speed, or the present point by the values given"),
    ("along-plane", "", "turn the rotary axes so that the tool stands along the tilted plane's Z"),
    ("macro", "", "call a macro with arguments"),
    ("finish-contour", "", "cut the contour once along itself"),
    ("rough-along", "", "rough a contour in passes along Z"),
    ("rough-across", "", "rough a contour in passes along X"),
    ("rough-repeat", "", "rough a contour by repeating it, nearer each time"),
    ("peck-face", "", "groove or peck along Z, in steps across X"),
    ("peck-side", "", "groove or peck along X, in steps along Z"),
    ("thread-passes", "", "cut a thread in passes to its depth"),
    ("plane-xy", PLANE, "plane XY"),
    ("plane-zx", PLANE, "plane ZX"),
    ("plane-yz", PLANE, "plane YZ"),
    ("inch", UNITS, "inches"),
    ("mm", UNITS, "millimetres"),
    ("absolute", DISTANCE, "coordinates absolute"),
    ("increments", DISTANCE, "coordinates as increments"),
    ("centre-absolute", ARC_CENTRES, "arc centres absolute"),
    ("centre-increments", ARC_CENTRES, "arc centres from the start"),
    ("inverse-time", FEED_MODE, "feed as moves a minute"),
    ("per-minute", FEED_MODE, "feed per minute"),
    ("per-revolution", FEED_MODE, "feed per revolution"),
    ("surface-speed", SPEED_MODE, "constant surface speed"),
    ("fixed-speed", SPEED_MODE, "fixed spindle speed"),
    ("to-initial", RETURN, "return to the initial level"),
    ("to-r", RETURN, "return to the R level"),
    ("offset-1", OFFSET, "work offset 1"),
    ("offset-2", OFFSET, "work offset 2"),
    ("offset-3", OFFSET, "work offset 3"),
    ("offset-4", OFFSET, "work offset 4"),
    ("offset-5", OFFSET, "work offset 5"),
    ("offset-6", OFFSET, "work offset 6"),
    ("offset-7", OFFSET, "work offset 7"),
    ("offset-8", OFFSET, "work offset 8"),
    ("offset-9", OFFSET, "work offset 9"),
    ("offset-more", OFFSET, "one of the further work offsets"),
    ("compensation-off", COMPENSATION, "cutter compensation off"),
    ("compensation-left", COMPENSATION, "cutter compensation, tool left of the path"),
    ("compensation-right", COMPENSATION, "cutter compensation, tool right of the path"),
    ("compensation-left-value", COMPENSATION, "cutter compensation left, by the diameter given"),
    ("compensation-right-value", COMPENSATION, "cutter compensation right, by the diameter given"),
    ("length-plus", LENGTH, "length offset added"),
    ("length-minus", LENGTH, "length offset subtracted"),
    ("length-value", LENGTH, "length offset by the values given"),
    ("length-off", LENGTH, "length offset off"),
    ("tip-control", LENGTH, "tool-centre-point control, rotary words"),
    ("tip-vector", LENGTH, "tool-centre-point control, tool vector I J K"),
    ("exact-path", PATH, "exact path, rest at every end"),
    ("exact-stop", PATH, "rest at every end"),
    ("continuous", PATH, "run through corners"),
    ("scale", SCALING, "scaling"),
    ("scale-off", SCALING, "scaling off"),
    ("mirror", MIRROR, "mirror image"),
    ("mirror-off", MIRROR, "mirror image off"),
    ("rotate", ROTATION, "coordinates turned"),
    ("tilt", ROTATION, "tilted plane"),
    ("rotate-off", ROTATION, "turned and tilted coordinates off"),
    ("polar", POLAR, "places as radius and angle"),
    ("polar-off", POLAR, "places as coordinates again"),
    ("dynamic", DYNAMIC, "dynamic offset: origin and directions turn with the table"),
    ("dynamic-off", DYNAMIC, "dynamic offset off"),
    ("macro-modal", MODAL_CALL, "call a macro after every move"),
    ("macro-modal-off", MODAL_CALL, "macro after every move off"),
    ("cylinder", CYLINDER, "cylindrical interpolation: C as a length round a cylinder"),
    ("cylinder-off", CYLINDER, "cylindrical interpolation off"),
    ("virtual-plane", VIRTUAL_PLANE, "polar interpolation: X and C as a flat plane"),
    ("virtual-plane-off", VIRTUAL_PLANE, "polar interpolation off"),
    ("nothing", "", "carried out by doing nothing"),
    # M codes
    ("stop", "", "programmed stop"),
    ("optional-stop", "", "optional stop"),
    ("end", "", "end of program"),
    ("end-rewind", "", "end of program, back to its beginning"),
    ("spindle-cw", "spindle", "spindle on, clockwise"),
    ("spindle-ccw", "spindle", "spindle on, counter-clockwise"),
    ("spindle-off", "spindle", "spindle off"),
    ("orient", "spindle", "spindle to its oriented stop"),
    ("change", "", "tool change"),
    ("tool-number", "", "call the tool in the spindle by this number"),
    ("mist", "coolant", "mist coolant on"),
    ("flood", "coolant", "coolant on"),
    ("coolant-off", "coolant", "coolant off"),
    ("rigid", "", "the next tapping is rigid"),
    ("overrides", "", "overrides may be used"),
    ("overrides-off", "", "overrides are fixed"),
    ("call", "", "call a subprogram"),
    ("return", "", "back to the caller"),
)  # fmt: skip

MILL_CYCLES = frozenset(
    {"drill", "drill-dwell", "peck-drill", "chip-break", "tap", "tap-rigid", "tap-left", "bore", "bore-stop", "bore-dwell",
     "bore-hand", "bore-back", "bore-fine"}
)  # fmt: skip
TURN_CYCLES = frozenset(
    {"face-drill", "face-drill-dwell", "face-peck", "face-tap", "face-bore", "face-bore-stop", "side-peck", "side-tap",
     "side-bore"}
)  # fmt: skip
SINGLE_PASSES = frozenset({"turn-single", "face-single", "thread-single"})
CYCLES = MILL_CYCLES | TURN_CYCLES | SINGLE_PASSES
ARCS = frozenset({"arc-cw", "arc-ccw"})
