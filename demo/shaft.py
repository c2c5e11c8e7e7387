"""Drive shaft on the two-turret lathe, between chuck and centre: both turrets rough at once, the upper one finishes, and a steady rest
on the lower one closes on the finished diameter and follows it along the shaft.

The bar comes faced and centred. Program zero is its front face on the spindle's axis; X in diameters.
"""

from __future__ import annotations

import math

from manifold3d import Manifold

from bluntmirror.geometry.mesh import revolve

from . import hydrophone, nosecone, solids
from .lathes import QUILL, REST
from .shop import Json

NAME, MACHINE, PROGRAM, DIALECT = "Drive shaft", "tt6-72", "O7201.nc", "iso-turn"
BAR, STICK_OUT, BEHIND = 30.0, 240.0, 30.0
CENTRED = 8.0  # how deep the centre hole goes: its 60° cone opens to ⌀9.24
JOURNAL, JOURNAL_END, BODY, BODY_END = 20.0, -60.0, 25.0, -205.0
SEAT = 0.1  # what the centre's point stays off the bottom of its hole
CENTRE = round(90.0 + STICK_OUT - CENTRED + SEAT - QUILL, 3)  # of the quill
RADIUS_ON = 2 * REST  # X of the lower turret, in diameters, at which the rest stands on the spindle's axis
FIRST = -120.0  # how far the body is finished before the rest closes on it
BESIDE = 45.0  # the rest behind the tool
OFF = 0.8  # of a diameter, typed wrong
SPEED, FEED = 900, 0.14


def outline() -> list[tuple[float, float]]:
    """(r, z) of the outside from the front face on."""
    return [
        (JOURNAL - 1.0, 0.0),
        (JOURNAL, -1.0),
        (JOURNAL, JOURNAL_END),
        (BODY, JOURNAL_END),
        (BODY, BODY_END),
        (BAR, BODY_END),
    ]


def centre_hole() -> list[tuple[float, float]]:
    return [(0.0, -CENTRED), (CENTRED * math.tan(math.radians(30)), 0.0)]


def design() -> Manifold:
    profile = [*centre_hole(), *outline(), (BAR, -STICK_OUT - BEHIND), (0.0, -STICK_OUT - BEHIND)]
    return solids.solid_of(revolve([list(p) for p in profile], tolerance=0.004))


def program(flawed: bool) -> list[str]:
    return [
        "%", "O7201 (DRIVE SHAFT, UPPER TURRET)", "G21 G40 G99", "G28 U0 W0", "T0101 (ROUGH)", "M200 (CENTRE IN)", f"G97 S{SPEED} M3",
        "G0 X64. Z3. M8", "X55.", "M201 (BOTH ROUGH)", f"G1 Z{BODY_END + 0.3:.1f} F0.25", "X61.", "G0 X90.", "Z3.", "X45.6",
        f"G1 Z{JOURNAL_END + 0.2:.1f} F0.25", "X52.", "G0 X90.", "G28 U0 W0", "M202 (ROUGHED)", "T0202 (FINISH)", "G0 X44. Z2.",
        f"G1 G42 X{2 * JOURNAL - 6:.1f} F0.3", f"G1 X{2 * JOURNAL - 2:.1f} Z0. F{FEED}", f"X{2 * JOURNAL:.1f} Z-1.", f"Z{JOURNAL_END:.1f}",
        f"X{2 * BODY:.1f}", f"Z{FIRST:.1f}", f"G40 G0 X{2 * BODY + 4:.1f}", "M203 (THE REST CLOSES)", "M204 (IT FOLLOWS)", f"Z{FIRST + 0.3:.1f}",
        f"G1 X{2 * BODY:.1f}", f"Z{BODY_END:.1f}", f"X{2 * BAR + 2:.1f}", "G0 X90. M9",
        "M205 (CUT DONE)", "G28 U0 W0", "M5", "M206 (CENTRE OUT)", "M30", "%",
    ]  # fmt: skip


def second(flawed: bool) -> list[str]:
    # The rest goes at the finishing feed, in millimetres a minute.
    at, feed = FIRST + BESIDE, SPEED * FEED
    radius = RADIUS_ON + (OFF if flawed else 0.0)
    return [
        "%", "O7202 (DRIVE SHAFT, LOWER TURRET, STEADY REST AND CENTRE)", "G21 G40 G99", "G28 U0 W0", f"G1 G98 Q={CENTRE + 5:.1f} F4000.",
        f"Q={CENTRE:.1f} F400.", "M25 (CENTRE IN)", "M200", "G99 T0101 (ROUGH)", "G0 X64. Z3.", "X51.", "M201 (BOTH ROUGH)", "G4 U1.",
        f"G1 Z{BODY_END + 2:.1f} F0.25", "X61.", "G0 X90.", "G28 U0 W0", "M202 (ROUGHED)", "T0500 (STEADY REST UP)", f"G0 Z{at:.1f}",
        "M203 (THE REST CLOSES)", f"G1 G98 X{radius:.1f} F3000.", "M38", "M204 (IT FOLLOWS)", f"G1 Z{BODY_END + BESIDE:.1f} F{feed:g}",
        *([] if flawed else ["M205 (CUT DONE)"]), "M39", "G28 U0", "G28 U0 W0", "M206 (CENTRE OUT)", "M26", "G1 G98 Q=0. F4000.", "M30", "%",
    ]  # fmt: skip


def channels(flawed: bool) -> list[Json]:
    return [{"channel": 2, "main": "O7202.nc", "lines": second(flawed), "work_offsets": offsets()}]


def bodies(flawed: bool) -> list[Json]:
    bar = [*centre_hole(), (BAR, 0.0), (BAR, -STICK_OUT - BEHIND), (0.0, -STICK_OUT - BEHIND)]
    return [
        {"name": "bar", "role": "stock", "mount": "chuck", "shape": {"type": "revolve", "profile": [list(p) for p in bar]},
         "at": [0, 0, STICK_OUT]},
        {"name": "shaft", "role": "design", "mount": "chuck", "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, STICK_OUT]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    rougher, finisher, _ = nosecone.turret()
    return [rougher, finisher, rougher | {"turret": "lower"}]


def offsets() -> Json:
    return {"G54": {"datum": [0, 0, STICK_OUT], "mount": "chuck"}}


CHECKS = hydrophone.CHECKS
