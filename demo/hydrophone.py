"""Hydrophone body on the mill-turn machine: the front end roughed by the head and the lower turret at once and finished, three pads
milled on it, taken over by the second spindle at full speed, cut off, its back end turned there by the lower turret and two pads
milled on that.

Channel 1 (the head, in radii) works from the bar's front face; channel 2 (diameters) on the main spindle too, by offset G54. On the
second spindle both work by G55, whose zero is the back face of the part as it is held there: its Z grows into the part.
Pads are planes: `PAD` is how far a front one leans to the axis at `PAD_AT`, their lines run across the part.
"""

from __future__ import annotations

import math

import numpy as np
from manifold3d import Manifold

from bluntmirror.geometry.mesh import revolve

from . import nosecone, solids
from .shop import Json

NAME, MACHINE, PROGRAM = "Hydrophone body", "mt9-74", "O7101.nc"
BAR, STICK_OUT = 25.0, 112.0  # radius of the bar, and how far it stands out of the main chuck
LENGTH, KERF = 70.0, 3.0
NECK, NECK_END, BODY = 21.0, -30.0, 24.0  # radius of the front end, its length, radius of the body
BACK, BACK_END = 22.0, 14.0  # radius of the back end, and how long it is
GRIPPED = 22.0  # of the front end, in the second chuck
APPROACH = -(700.0 - 90.0 - STICK_OUT) + 28.0 - GRIPPED  # W at which it holds that much: its jaws are 28 long
LEAN = 20.0  # degrees that a pad leans
FRONT_PAD, FRONT_PADS = (19.5, -8.0), (0, 120, 240)  # a point (r, z) of the plane, and the angles about the axis
BACK_PAD, BACK_PADS = (20.5, 4.0), (0, 180)  # z from the back face
MILL, ACROSS, UP = 20.0, 34.0, 2.0  # diameter; half the way across; of the mill's middle towards the end face


def pad(point: tuple[float, float], end: float, angle: float) -> Manifold:
    """What a pad takes away of the part: all beyond its plane, near it. `end` +1: it leans to the front face. The program's X
    and Y are the mount's, turned by half a turn about the axis."""
    r, z = point
    block = Manifold.cube([40.0, 60.0, 60.0], True).translate([0.0, 0.0, 30.0])  # above the plane, X along the slope
    return block.rotate([0.0, 90.0 - end * LEAN, 0.0]).translate([r, 0.0, z]).rotate([0.0, 0.0, angle + 180.0])


def design() -> Manifold:
    """The part from its front face at z = 0 down to −LENGTH."""
    profile = [(0, 0), (NECK, 0), (NECK, NECK_END), (BODY, NECK_END), (BODY, -LENGTH + BACK_END), (BACK, -LENGTH + BACK_END), (BACK, -LENGTH),
               (0, -LENGTH)]  # fmt: skip
    part = solids.solid_of(revolve([[float(r), float(z)] for r, z in profile], tolerance=0.004))
    for angle in FRONT_PADS:
        part -= pad(FRONT_PAD, 1.0, angle)
    for angle in BACK_PADS:
        part -= pad((BACK_PAD[0], BACK_PAD[1] - LENGTH), -1.0, angle)
    return part


def front_pads() -> list[str]:
    """Each in a tilted plane of its own: X across, Y up the slope to the front face, Z out of the pad."""
    lines = []
    for angle in FRONT_PADS:
        r, z = FRONT_PAD
        x, y = (r * f(math.radians(angle)) for f in (math.cos, math.sin))
        lines += [
            f"G68.2 X{x:.4f} Y{y:.4f} Z{z:.4f} I{angle + 90.0:.1f} J{90.0 - LEAN:.1f} K0", "G53.1", f"G43 H4 G0 X{-ACROSS:.1f} Y{UP:.1f} Z30.",
            "Z0.", f"G1 X{ACROSS:.1f} F800.", "G0 Z60.", "G69",
        ]  # fmt: skip
    return lines


def back_pads() -> list[str]:
    """Under tip control: the tool leans and the spindle stands as the pad asks, words are points of the part."""
    lines = ["G43.4 H4"]
    r, z = BACK_PAD
    lean = math.radians(LEAN)
    r, z = r - UP * math.sin(lean), z - UP * math.cos(lean)
    for angle in BACK_PADS:
        turn = math.radians(angle)
        radial, across = np.array([math.cos(turn), math.sin(turn)]), np.array([-math.sin(turn), math.cos(turn)])
        begin, end = (r * radial + side * ACROSS * across for side in (-1, 1))
        lines += [
            f"G0 X{65.0 * radial[0] - ACROSS * across[0]:.4f} Y{65.0 * radial[1] - ACROSS * across[1]:.4f} Z{z - 12.0:.4f} B{LEAN:.1f} C{-angle:.1f}",
            f"X{begin[0]:.4f} Y{begin[1]:.4f} Z{z:.4f}", f"G1 X{end[0]:.4f} Y{end[1]:.4f} F800.",
            f"G0 X{65.0 * radial[0] + ACROSS * across[0]:.4f} Y{65.0 * radial[1] + ACROSS * across[1]:.4f} Z{z - 12.0:.4f}",
        ]  # fmt: skip
    return lines


HOME = ["G49", "G91 G28 X0", "G28 Y0 Z0 B0", "G90"]


def program(flawed: bool) -> list[str]:
    neck = NECK - (0.3 if flawed else 0.0)
    return [
        "%", "O7101 (HYDROPHONE BODY, HEAD)", "G17 G21 G40 G49 G80 G90 G94", "G91 G28 X0", "G28 Y0 Z0 B0", "G90 G54", "T1 M6 (FACE AND ROUGH)",
        "M80 (MAIN SPINDLE)", "S1400 M3", "G43.4 H1", "G0 X27. Y0 Z0", "G1 X-0.9 F210.", "G0 Z2.", "M200 (BOTH ROUGH)", "X22.5",
        f"G1 Z{NECK_END + 0.2:.1f} F280.", "X24.5", "Z-72.", "X26.", "G0 X45.", "Z4.", *HOME, "M201 (ROUGHED)", "T2 M6 (FINISH)", "G43.4 H2",
        "G0 X28. Y0 Z2.", f"X{neck:.3f}", f"G1 Z{NECK_END:.1f} F170.", f"X{BODY:.1f}", "Z-72.", "X26.", "G0 X45.", *HOME, "M5",
        "M79 (HEAD)", "T4 M6 (PADS)", "S4000 M3", "M80", "G0 C0", *front_pads(), *HOME, "G0 C0", "M79", "M5", "M80", "M202 (FRONT END DONE)",
        "S1400 M3", *([] if flawed else ["M35 (SECOND SPINDLE FOLLOWS)"]), "M203 (TAKEN OVER)", "T3 M6 (CUT OFF)", "G43.4 H3",
        f"G0 Y0 Z{-LENGTH - KERF:.1f}", "X26.", "G1 X-0.5 F110.", "G0 X100.", *HOME, "M5", "M204 (CUT OFF)", "T4 M6 (PADS)", "M205 (BACK END DONE)",
        "M79", "S4000 M3", "M81 (SECOND SPINDLE)", "G55", "G0 C0", *back_pads(), *HOME, "M79", "M5", "M30", "%",
    ]  # fmt: skip


def second(flawed: bool) -> list[str]:
    park = ["Z40."] if flawed else ["G28 U0 W0"]
    return [
        "%", "O7102 (HYDROPHONE BODY, LOWER TURRET AND SECOND SPINDLE)", "G21 G40 G99", "G28 U0 W0", "M80 (MAIN SPINDLE)", "T0101 (ROUGH)",
        "G0 X54. Z4.", "M200 (BOTH ROUGH)", "X47.5", "G4 U0.2", f"G1 Z{NECK_END + 2.0:.1f} F0.2", "X52.", "G0 X90.", *park, "M201 (ROUGHED)",
        "M202 (FRONT END DONE)", "G4 U0.4", f"G0 W={APPROACH + 25.0:.1f}", f"G1 G98 W={APPROACH:.1f} F2000.", "M168 (CLOSE)", "G4 U0.8",
        "M203 (TAKEN OVER)", "M204 (CUT OFF)", "G0 G99 W=0.", *([] if not flawed else ["G28 U0 W0"]), "M36", "M81 (SECOND SPINDLE)", "G55",
        "T0202 (BACK END)", "G97 S1600 M4", "G0 X54. Z-4.", "Z0.", "G1 X-1. F0.1", "G0 Z-2.", f"X{2 * BACK:.1f}", f"G1 Z{BACK_END:.1f} F0.12",
        "X52.", "G0 X90.", "G28 U0 W0", "M5", "M205 (BACK END DONE)", "M30", "%",
    ]  # fmt: skip


def channels(flawed: bool) -> list[Json]:
    """Channel, file, lines and offsets of the further programs."""
    return [
        {"channel": 2, "main": "O7102.nc", "lines": second(flawed), "work_offsets": offsets(), "dialect": "iso-turn"}
    ]


def bodies(flawed: bool) -> list[Json]:
    bar = {"type": "cylinder", "diameter": 2 * BAR, "length": STICK_OUT + 40.0}
    return [
        {"name": "bar", "role": "stock", "mount": "main", "shape": bar, "at": [0, 0, (STICK_OUT - 40.0) / 2]},
        {
            "name": "body",
            "role": "design",
            "mount": "main",
            "shape": {"type": "mesh", "file": "design.stl"},
            "at": [0, 0, STICK_OUT],
        },
    ]


def turning_tools() -> list[Json]:
    """As they stand in a turret's first three stations."""
    rougher, finisher, groove = nosecone.turret()
    part_off = groove | {"number": 3, "station": 3, "name": "part-off 3 mm", "length": 62,
                         "cutter": {"type": "part-off", "width": KERF, "nose_radius": 0.1, "reach": 30},
                         "offset": [0, 0],
                         "holder": {"shapes": [{"type": "box", "size": [2.4, 20, 32], "at": [1.5, -10, -16]}, groove["holder"]["shapes"][1]]}}  # fmt: skip
    return [rougher, finisher, part_off]


def tools(crib: list[Json], flawed: bool) -> list[Json]:
    rougher, finisher, part_off = turning_tools()
    pads = {
        "number": 4, "name": "D20 end mill", "length": 120,
        "cutter": {"type": "end-mill", "diameter": MILL, "flute_length": 38, "reach": 60, "shank_diameter": MILL, "flutes": 4},
        "holder": {"segments": [{"diameter": 44, "length": 40}, {"diameter": 63, "length": 20}]},
    }  # fmt: skip
    lower = [
        rougher | {"number": 1, "station": 1, "turret": "lower", "name": "CN rougher R0.8"},
        mirrored(finisher) | {"number": 2, "station": 2, "turret": "lower", "name": "DN finisher R0.4, left"},
    ]
    return [*(in_head(tool) for tool in (rougher, finisher, part_off)), pads, *lower]


def in_head(tool: Json) -> Json:
    """The same tool in the head, its tip on the head's axis: tip control knows a length and nothing beside it."""
    shift = tool["offset"][0]
    blade, block = tool["holder"]["shapes"]
    moved = blade | {"at": [blade["at"][0] - shift, *blade["at"][1:]]}
    made = tool | {"offset": [0, 0], "holder": {"shapes": [moved, block]}}
    return {key: value for key, value in made.items() if key != "station"}


def mirrored(tool: Json) -> Json:
    """The same tool for the other way along the spindle."""
    blocks = [block | {"at": [-block["at"][0], *block["at"][1:]]} for block in tool["holder"]["shapes"]]
    offset = [-tool["offset"][0], tool["offset"][1]]
    return tool | {"cutter": tool["cutter"] | {"hand": "left"}, "offset": offset, "holder": {"shapes": blocks}}


def offsets() -> Json:
    return {
        "G54": {"datum": [0, 0, STICK_OUT], "mount": "main"},
        "G55": {"datum": [0, 0, 28.0 - GRIPPED + LENGTH], "mount": "second"},
    }


CHECKS = {"resolution": 0.5, "gouge": 0.05, "excess": 0.3, "near": 1.0}
