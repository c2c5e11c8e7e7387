"""Hull union on the two-axis lathe, from bar: roughed and finished by cycles along one written contour, a relief groove by a
grooving cycle, an M42x2 thread by a threading cycle. Program zero is the bar's front face on the spindle's axis; X in diameters.

ISO 68-1: the thread is 17/24 of H = √3/2·P deep, 1.2269 mm at a pitch of 2.
"""

from __future__ import annotations

import math

from manifold3d import Manifold
from shapely.geometry import Polygon

from bluntmirror.geometry.mesh import revolve

from . import nosecone, solids
from .shop import Json

NAME, MACHINE, PROGRAM, MOUNT, DIALECT = "Hull union M42x2", "la2-61", "O6240.nc", "chuck", "iso-turn"
STICK_OUT, BAR = 120.0, 30.0
PITCH = 2.0
DEPTH = round(17 / 24 * math.sqrt(3) / 2 * PITCH, 4)
START = 8.0  # of the thread, before the face
THREAD_END, RELIEF_END, RELIEF = -24.0, -30.0, 19.0  # the relief groove from −30 to −24, to a radius of 19
COLLAR, SHOULDER = 27.0, -52.0
INSERT_TIP = 0.1  # nose radius of the threading insert


def outline() -> list[tuple[float, float]]:
    """(r, z) of the outside from the axis at the face to the shoulder, without groove and thread."""
    fillet = [(25.0 - 2.0 * math.cos(a), -44.0 - 2.0 * math.sin(a)) for a in (math.pi / 2 * i / 24 for i in range(25))]
    return [
        (0.0, 0.0),
        (20.0, 0.0),
        (21.0, -1.0),
        (21.0, -30.0),
        (23.0, -30.0),
        *fillet,
        (COLLAR, -46.0),
        (COLLAR, SHOULDER),
    ]


def design() -> Manifold:
    profile = [*outline(), (BAR, SHOULDER), (BAR, -STICK_OUT), (0.0, -STICK_OUT)]
    part = solids.solid_of(revolve([list(p) for p in profile], tolerance=0.004))
    ring = [[RELIEF, RELIEF_END], [BAR + 1, RELIEF_END], [BAR + 1, THREAD_END], [RELIEF, THREAD_END]]
    part -= solids.solid_of(revolve(ring, tolerance=0.004))
    root = 21.0 - DEPTH
    lean = math.tan(math.radians(30))
    grooves = []
    for turn in range(1, 40):
        z = START - DEPTH * lean - turn * PITCH + 1e-6  # one flank is cut: the last pass begins that much farther on
        if z < THREAD_END - PITCH or z > 1.0:
            continue
        # Flanks at 60° that touch a nose of INSERT_TIP whose lowest point is the root.
        centre = root + INSERT_TIP
        sharp = centre - INSERT_TIP / math.sin(math.radians(30))
        half = (22.0 - sharp) * lean
        vee = Polygon([(sharp, z + INSERT_TIP), (22.0, z + INSERT_TIP - half), (22.0, z + INSERT_TIP + half)])
        low = vee.intersection(Polygon([(root, z - 9), (23, z - 9), (23, z + 9), (root, z + 9)]))
        grooves.append(solids.solid_of(revolve([list(p) for p in low.exterior.coords[:-1]], tolerance=0.004)))
    for groove in grooves:
        part -= groove
    return part


def program(flawed: bool) -> list[str]:
    contour = ["N100 G0 X-0.8", "G1 Z0. F0.15", "X40.", "X42. Z-1.", "Z-30.", "X46.", "Z-44.", "G2 X50. Z-46. R2.", "G1 X54.", "Z-52.",
               "N200 X62."]  # fmt: skip
    lines = ["%", "O6240 (HULL UNION M42X2)", "G21 G40 G99", "G28 U0 W0"]
    lines += ["T0101 (ROUGH)", "G50 S3200", "G96 S220 M3", "G0 X64. Z4. M8", "G71 U2. R0.8", "G71 P100 Q200 U0.6 W0.15 F0.28", *contour,
              "G0 X90.", "G28 U0 W0"]  # fmt: skip
    lines += ["T0202 (FINISH)", "G50 S3600", "G96 S300 M3", "G0 X64. Z4.", "G42", "G70 P100 Q200" if not flawed else "G70 P100 Q210", "G40",
              "G0 X90.", "G28 U0 W0"]  # fmt: skip
    deep = 2 * RELIEF - (0.8 if flawed else 0.0)
    lines += ["T0303 (RELIEF GROOVE)", "G97 S900 M3", "G0 X48. Z-30.", "G75 R0.3", f"G75 X{deep:.3f} Z-27. P1500 Q1500 F0.08", "G0 X90.",
              "G28 U0 W0"]  # fmt: skip
    root = 42.0 - 2 * DEPTH
    lines += ["T0404 (THREAD)", "G97 S800 M3", f"G0 X46. Z{START:g}", "G76 P020060 Q80 R0.04",
              f"G76 X{root:.4f} Z-27. P{DEPTH * 1000:.0f} Q350 F{PITCH:g}", "G0 X90.", "G28 U0 W0", "M5", "M9", "M30", "%"]  # fmt: skip
    return lines


def bodies(flawed: bool) -> list[Json]:
    jaws, bar, part = nosecone.bodies(False)
    bar = bar | {"shape": {"type": "cylinder", "diameter": 2 * BAR, "length": STICK_OUT}, "at": [0, 0, STICK_OUT / 2]}
    return [jaws, bar, part | {"name": "union", "at": [0, 0, STICK_OUT]}]


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    rougher, finisher, groove = nosecone.turret()
    thread = {
        "number": 4, "station": 4, "name": "thread 60 degrees",
        "cutter": {"type": "thread-insert", "inscribed_circle": 6.35, "nose_radius": INSERT_TIP, "pitch": PITCH},
        "length": 48, "offset": [0, 0],
        "holder": {"shapes": [
            {"type": "box", "size": [18, 20, 40], "at": [0, -10, -20]},
            {"type": "box", "size": [54, 60, 34], "at": [0, 0, 17]},
        ]},
    }  # fmt: skip
    return [rougher, finisher, groove, thread]


def offsets() -> Json:
    return {"G54": {"datum": [0, 0, STICK_OUT], "mount": MOUNT}}


CHECKS = {"resolution": 0.4, "gouge": 0.08, "excess": 0.3, "near": 1.0}
