"""Hydrophone body on the twin-spindle lathe: the front end roughed by both turrets at once and finished, taken over by the second
spindle at full speed, cut off, and its back end turned there by the lower turret.

Channel 1 works from the bar's front face; channel 2 on the main spindle too, by offset G54, and on the second by G55, whose zero is
the back face of the part as it is held there: its Z grows into the part. X in diameters.
"""

from __future__ import annotations

from manifold3d import Manifold

from bluntmirror.geometry.mesh import revolve

from . import nosecone, solids
from .shop import Json

NAME, MACHINE, PROGRAM, DIALECT = "Hydrophone body", "ts8-71", "O7101.nc", "iso-turn"
BAR, STICK_OUT = 25.0, 112.0  # radius of the bar, and how far it stands out of the main chuck
LENGTH, KERF = 70.0, 3.0
NECK, NECK_END, BODY = 21.0, -30.0, 24.0  # radius of the front end, its length, radius of the body
BACK, BACK_END = 22.0, 14.0  # radius of the back end, and how long it is
GRIPPED = 22.0  # of the front end, in the second chuck
APPROACH = -(700.0 - 90.0 - STICK_OUT) + 28.0 - GRIPPED  # W at which it holds that much: its jaws are 28 long


def design() -> Manifold:
    """The part from its front face at z = 0 down to −LENGTH."""
    profile = [(0, 0), (NECK, 0), (NECK, NECK_END), (BODY, NECK_END), (BODY, -LENGTH + BACK_END), (BACK, -LENGTH + BACK_END), (BACK, -LENGTH),
               (0, -LENGTH)]  # fmt: skip
    return solids.solid_of(revolve([[float(r), float(z)] for r, z in profile], tolerance=0.004))


def program(flawed: bool) -> list[str]:
    neck = 2 * NECK - (0.6 if flawed else 0.0)
    return [
        "%", "O7101 (HYDROPHONE BODY, UPPER TURRET)", "G21 G40 G99", "G28 U0 W0", "T0101 (FACE AND ROUGH)", "G97 S1400 M3", "G0 X54. Z0.",
        "G1 X-1.8 F0.15", "G0 Z2.", "M200 (BOTH ROUGH)", "X45.", f"G1 Z{NECK_END + 0.2:.1f} F0.2", "X49.", "Z-72.", "X52.", "G0 X90.", "Z4.",
        "G28 U0 W0", "M201 (ROUGHED)", "T0202 (FINISH)", "G0 X56. Z2.", f"X{neck:.2f}", f"G1 Z{NECK_END:.1f} F0.12", f"X{2 * BODY:.1f}", "Z-72.",
        "X52.", "G0 X90.", "G28 U0 W0", "M202 (FRONT END DONE)", *([] if flawed else ["M35 (SECOND SPINDLE FOLLOWS)"]), "M203 (TAKEN OVER)", "T0303 (CUT OFF)",
        f"G0 Z{-LENGTH - KERF:.1f}", "X52.", "G1 X-1. F0.08", "G0 X200.", "G28 U0 W0", "M204 (CUT OFF)", "M5", "M30", "%",
    ]  # fmt: skip


def second(flawed: bool) -> list[str]:
    park = ["Z40."] if flawed else ["G28 U0 W0"]
    return [
        "%", "O7102 (HYDROPHONE BODY, LOWER TURRET AND SECOND SPINDLE)", "G21 G40 G99", "G28 U0 W0", "M80 (MAIN SPINDLE)", "T0101 (ROUGH)",
        "G0 X54. Z4.", "M200 (BOTH ROUGH)", "X47.5", "G4 U0.2", f"G1 Z{NECK_END + 2.0:.1f} F0.2", "X52.", "G0 X90.", *park, "M201 (ROUGHED)",
        "M202 (FRONT END DONE)", "G4 U0.4", f"G0 W={APPROACH + 25.0:.1f}", f"G1 G98 W={APPROACH:.1f} F2000.", "M168 (CLOSE)", "G4 U0.8",
        "M203 (TAKEN OVER)", "M204 (CUT OFF)", "G0 G99 W=0.", *([] if not flawed else ["G28 U0 W0"]), "M36", "M81 (SECOND SPINDLE)", "G55",
        "T0202 (BACK END)", "G97 S1600 M4", "G0 X54. Z-4.", "Z0.", "G1 X-1. F0.1", "G0 Z-2.", f"X{2 * BACK:.1f}", f"G1 Z{BACK_END:.1f} F0.12",
        "X52.", "G0 X90.", "G28 U0 W0", "M5", "M30", "%",
    ]  # fmt: skip


def channels(flawed: bool) -> list[Json]:
    """Channel, file, lines and offsets of the further programs."""
    offsets = {
        "G54": {"datum": [0, 0, STICK_OUT], "mount": "main"},
        "G55": {"datum": [0, 0, 28.0 - GRIPPED + LENGTH], "mount": "second"},
    }
    return [{"channel": 2, "main": "O7102.nc", "lines": second(flawed), "work_offsets": offsets}]


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


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    rougher, finisher, groove = nosecone.turret()
    part_off = groove | {"number": 3, "station": 3, "name": "part-off 3 mm", "length": 62,
                         "cutter": {"type": "part-off", "width": KERF, "nose_radius": 0.1, "reach": 30},
                         "offset": [0, 0],
                         "holder": {"shapes": [{"type": "box", "size": [2.4, 20, 32], "at": [1.5, -10, -16]}, groove["holder"]["shapes"][1]]}}  # fmt: skip
    lower = [
        rougher | {"number": 1, "station": 1, "turret": "lower", "name": "CN rougher R0.8"},
        mirrored(finisher) | {"number": 2, "station": 2, "turret": "lower", "name": "DN finisher R0.4, left"},
    ]
    return [rougher, finisher, part_off, *lower]


def mirrored(tool: Json) -> Json:
    """The same tool for the other way along the spindle."""
    blocks = [block | {"at": [-block["at"][0], *block["at"][1:]]} for block in tool["holder"]["shapes"]]
    offset = [-tool["offset"][0], tool["offset"][1]]
    return tool | {"cutter": tool["cutter"] | {"hand": "left"}, "offset": offset, "holder": {"shapes": blocks}}


def offsets() -> Json:
    return {"G54": {"datum": [0, 0, STICK_OUT], "mount": "main"}}


CHECKS = {"resolution": 0.5, "gouge": 0.05, "excess": 0.3, "near": 1.0}
