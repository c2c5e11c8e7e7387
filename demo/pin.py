"""Contact pin on the sliding-head lathe, from bar through a guide bush: turned in one pass as the headstock feeds it out, a hexagon
milled in polar interpolation, taken over and cut off, its solder cup drilled at the back-working station while the next one is begun.

Three are made of one bar; what is left is too short for a fourth. Program zero is the bar's front face; X in diameters. At the end of
every pass the part-off tool stands at the axis: the collet opens, the headstock goes back over the bar, which lies against the tool.
"""

from __future__ import annotations

import math

from manifold3d import Manifold
from shapely.geometry import Polygon

from bluntmirror.geometry.mesh import revolve

from . import solids
from .lathes import COLLET, GANG
from .shop import Json, mill

NAME, MACHINE, PROGRAM, DIALECT = "Contact pin", "sh3-73", "O7301.nc", "iso-turn"
BAR = 6.0  # radius
PIN, PIN_END, BODY, LENGTH, KERF = 3.0, -18.0, 4.6, 32.0, 2.0
HEX, HEX_END = 4.0, -24.0  # half across flats
CUP, CUP_DEEP = 2.0, 8.0  # radius of the solder cup's drill
PARTS = 3
TAKEN = LENGTH + KERF  # of bar, by every part
FRONT = GANG - COLLET  # from the collet's face to the bar's front at the start of a pass
BEHIND = PARTS * TAKEN + 18.0  # of the bar behind the collet's face at the start
GRIPPED = 12.0  # of the pin, in the second collet
TOO_FAR_BACK = 4.5  # where the flawed revision's second spindle stops
MILL = 3.0  # radius of the hexagon's end mill
SECOND = 200.0  # x of the second collet's face with its slide back


def design() -> Manifold:
    profile = [(0, 0), (PIN, 0), (PIN, PIN_END), (BODY, PIN_END), (BODY, -LENGTH), (0, -LENGTH)]
    part = solids.solid_of(revolve([[float(r), float(z)] for r, z in profile], tolerance=0.002))
    outside = Polygon(hexagon(HEX * 2)).difference(Polygon(hexagon(HEX)))
    part -= solids.prism(outside, HEX_END, PIN_END + 0.001)
    return part - solids.hole(0, 0, 2 * CUP, -CUP_DEEP, 1).rotate([180, 0, 0]).translate([0, 0, -LENGTH])


def hexagon(flat: float) -> list[tuple[float, float]]:
    corner = flat / math.cos(math.pi / 6)
    return [(corner * math.cos(math.pi / 3 * i), corner * math.sin(math.pi / 3 * i)) for i in range(6)]


def program(flawed: bool) -> list[str]:
    # The end mill's middle goes around the hexagon one radius outside, from a corner to the next.
    corners = [*hexagon(HEX + MILL), hexagon(HEX + MILL)[0]]
    around = [f"X{2 * x:.3f} C{y:.3f}" for x, y in corners]
    feed = ["G0 Z0.", "M11 (COLLET OPENS)"] if flawed else ["M11 (COLLET OPENS)", "G0 Z0."]
    return [
        "%", "O7301 (CONTACT PIN, MAIN SPINDLE)", "G21 G40 G99", "T0101 (TURN)", "G97 S4000 M3", "G0 X6. Y0. Z1.", f"G1 Z{PIN_END:.1f} F0.03",
        f"X{2 * BODY:.1f}", f"Z{-LENGTH - KERF:.1f}", "X13.", "G0 X30.", "M5", "T0505 (HEXAGON)", "G0 C0.", "G0 Z2. Y0.", "X30.", "G98 G97 S6000 M33",
        "G12.1", f"G1 {around[0]} F800.", f"Z{HEX_END:.1f} F300.", *(f"G1 {b}" for b in around[1:]), "Z2. F2000.", "X30.", "G13.1", "M34", "G99",
        "T0404 (CUT OFF)", f"G0 Y0. Z{-LENGTH - KERF:.1f}", "X14.", "M200 (TURNED AND MILLED)", "M201 (GRIPPED)", "M35 (SECOND SPINDLE FOLLOWS)",
        "G97 S3000 M3", "G4 U0.5", "G1 X-0.6 F0.03", "M202 (CUT OFF)", "M5", *feed, "M25 (BAR AGAINST THE TOOL)", "M10 (COLLET CLOSES)",
        "G0 X16.", "M203 (AWAY)", "M99", "%",
    ]  # fmt: skip


def second(flawed: bool) -> list[str]:
    # With its slide back the collet's face stands SECOND beyond the bush; the pin's front stands TAKEN out of it.
    front = GANG + TAKEN
    near = front - GRIPPED + (TOO_FAR_BACK if flawed else 0.0) - SECOND + 18.0
    return [
        "%", "O7302 (CONTACT PIN, SECOND SPINDLE)", "G21 G40 G98", "M200 (TURNED AND MILLED)", f"G0 Z2={near + 10:.1f}", f"G1 Z2={near:.1f} F1500.",
        "M168 (COLLET CLOSES)", "M201 (GRIPPED)", "M202 (CUT OFF)", "M36", "G0 Z2=0.", "M203 (AWAY)", "G97 S2500 M4", "G55 T0606 (SOLDER CUP)", "G0 Z8.", "X0.",
        f"G1 G98 Z{-CUP_DEEP:.1f} F150.", "G0 Z8.", "M5", "M169 (OVER THE TRAY)", "T0600 G54", "G0 X2=0.", "Z2=0.", "M99", "%",
    ]  # fmt: skip


def channels(flawed: bool) -> list[Json]:
    offsets = {"G54": {"X": 0, "Z": 0}, "G55": {"datum": [0, 0, 18.0 - GRIPPED + LENGTH], "mount": "second"}}
    return [{"channel": 2, "main": "O7302.nc", "lines": second(flawed), "work_offsets": offsets}]


def bodies(flawed: bool) -> list[Json]:
    bar = {"type": "cylinder", "diameter": 2 * BAR, "length": FRONT + BEHIND}
    return [
        {"name": "bar", "role": "stock", "mount": "main", "shape": bar, "at": [0, 0, (FRONT - BEHIND) / 2]},
        {"name": "pin", "role": "design", "mount": "main", "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, FRONT]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    def turning(number: int, name: str, insert: Json, shank: list[float], deep: float) -> Json:
        low, high = shank
        return {
            "number": number, "station": number, "name": name, "cutter": insert, "length": 48, "offset": [-22, 0],
            "holder": {"shapes": [{"type": "box", "size": [high - low, 12, 48 - deep], "at": [(low + high) / 2, -6, -(48 - deep) / 2]}]},
        }  # fmt: skip

    return [
        turning(1, "DN finisher R0.2", {"type": "insert", "shape": "D", "inscribed_circle": 6.35, "nose_radius": 0.2, "lead_angle": 93}, [-20, -8], 8),
        turning(4, "part-off 2 mm", {"type": "part-off", "width": KERF, "nose_radius": 0.05, "reach": 8}, [-21.8, -20.2], 9),
        {"number": 5, "station": 5, "name": "D6 end mill", "cutter": mill("end-mill", 2 * MILL, 12, 26), "length": 40,
         "holder": {"segments": [{"diameter": 16, "length": 14}]}},
        {"number": 6, "station": 6, "name": "D4 drill", "cutter": mill("drill", 2 * CUP, 20, 26, point_angle=118, flutes=2), "length": 40,
         "holder": {"segments": [{"diameter": 16, "length": 14}]}},
    ]  # fmt: skip


def offsets() -> Json:
    return {"G54": {"datum": [0, 0, FRONT], "mount": "main"}}


CHECKS = {"resolution": 0.35, "gouge": 0.05, "excess": 0.2, "near": 0.5}
SWITCHES = {"loop": PARTS}
