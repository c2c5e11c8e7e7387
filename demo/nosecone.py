"""Nose cone on the two-axis lathe, from bar in a three-jaw chuck: facing, roughing in levels, finishing by the nose's own path,
one groove. Program zero is the bar's front face on the spindle's axis; X in diameters.
"""

from __future__ import annotations

import math

from manifold3d import Manifold
from shapely.geometry import LineString, Polygon

from bluntmirror.geometry.mesh import revolve

from . import solids
from .shop import Json

NAME, MACHINE, PROGRAM, MOUNT, DIALECT = "Buoy nose cone", "la2-61", "O6101.nc", "chuck", "iso-turn"
STICK_OUT, BAR = 150.0, 30.0  # of the bar from the chuck's face; its radius
TIP, HALF_ANGLE, BODY, SHOULDER = 8.0, math.radians(18), 27.0, -80.0  # nose radius of the part, cone, cylinder, its end
GROOVE = (-76.0, -72.0, 24.0)  # from, to, radius at the bottom
ROUGH_NOSE, FINE_NOSE, LEFT_ON = 0.8, 0.4, 0.25
SLIP = 0.6  # of a diameter, typed wrong


def outline() -> list[tuple[float, float]]:
    """(z, r) of the part's outside from the tip to the shoulder, without the groove."""
    arc = [math.pi / 2 - HALF_ANGLE - (math.pi / 2 - HALF_ANGLE) * (1 - i / 40) for i in range(41)]
    # Angle from the axis at the sphere's centre: 0 at the tip, 90° − half angle where the cone begins.
    points = [(-TIP + TIP * math.cos(a), TIP * math.sin(a)) for a in arc]
    z, r = points[-1]
    return [*points, (z - (BODY - r) / math.tan(HALF_ANGLE), BODY), (SHOULDER, BODY)]


def design() -> Manifold:
    low, high, bottom = GROOVE
    line = outline()
    whole = [(0.0, 0.0), *[(r, z) for z, r in line], (BAR, SHOULDER), (BAR, -STICK_OUT), (0.0, -STICK_OUT)]
    part = solids.solid_of(revolve([list(p) for p in whole], tolerance=0.004))
    ring = solids.solid_of(revolve([[bottom, low], [BAR + 1, low], [BAR + 1, high], [bottom, high]], tolerance=0.004))
    return part - ring


def nose_path(distance: float) -> list[tuple[float, float]]:
    """(z, r) of a circle's centre that rolls along the outside at a distance, from the tip on."""
    line = outline()
    solid = Polygon([(1e-9, -60.0), *line, (SHOULDER, -60.0)])
    around = solid.buffer(distance, quad_segs=64).exterior
    ahead = Polygon([(SHOULDER, 0.0), (20, 0.0), (20, 60), (SHOULDER, 60)])
    cut = around.intersection(ahead)
    piece = max(cut.geoms, key=lambda g: g.length) if hasattr(cut, "geoms") else cut
    points = list(LineString(piece).simplify(0.0008).coords)
    return points if points[0][0] > points[-1][0] else points[::-1]


def block(z: float, r: float, code: str = "", feed: str = "") -> str:
    return " ".join(word for word in (code, f"X{2 * r:.3f}", f"Z{z:.3f}", feed) if word)


def program(flawed: bool) -> list[str]:
    lines = ["%", "O6101 (BUOY NOSE CONE)", "G21 G40 G99", "G28 U0 W0"]
    lines += ["T0101 (ROUGH)", "G50 S3600", "G96 S240 M3", "G0 X66. Z3. M8", "Z0.", "G1 X-1.8 F0.2", "G0 Z2."]
    keep = nose_path(LEFT_ON + ROUGH_NOSE)
    curve = LineString([*keep, (SHOULDER + 0.3, BODY + 5)])
    r = BAR
    while r > 4.0:
        r = max(r - 2.0, 3.9)
        met = curve.intersection(LineString([(-90, r + ROUGH_NOSE), (10, r + ROUGH_NOSE)]))
        if met.is_empty:
            continue
        ends = [p.x for p in met.geoms] if hasattr(met, "geoms") else [met.x]
        z = max(max(ends) - ROUGH_NOSE, SHOULDER + LEFT_ON)
        if z > 1.0:
            continue
        lines += [f"G0 X{2 * r:.3f}", f"G1 Z{z + 0.05:.3f} F0.25", "U1. W0.5", "G0 Z2."]
    if flawed:
        lines += ["X30. (LEFT OVER FROM A TRIAL)", "Z-40.", "X70.", "Z2."]
    lines += ["G0 X80.", "G28 U0 W0", "T0202 (FINISH)", "G50 S4000", "G96 S320 M3", "G0 X-0.8 Z3."]
    path = [(max(z - FINE_NOSE, SHOULDER), r - FINE_NOSE) for z, r in nose_path(FINE_NOSE)]
    lines += [block(path[0][0] + 0.6, path[0][1], "G0"), block(*path[0], "G1", "F0.12")]
    for i, (z, r) in enumerate(path[1:]):
        slip = SLIP / 2 if flawed and i == len(path) - 4 else 0.0
        lines.append(block(z, r - slip))
    lines += [f"Z{SHOULDER - 0.0:.3f}", "U8.", "G0 X80.", "G28 U0 W0"]
    low, high, bottom = GROOVE
    lines += ["M5"] if flawed else []
    lines += ["T0303 (GROOVE)", "G97 S900" if flawed else "G97 S900 M3", f"G0 X62. Z{low:.3f}", f"G1 X{2 * bottom + 0.2:.3f} F0.08", "G0 X62.",
              f"Z{high - 3.0:.3f}", f"G1 X{2 * bottom:.3f} F0.08", f"Z{low:.3f}", "G0 X80.", "G28 U0 W0", "M5", "M9", "M30", "%"]  # fmt: skip
    return lines


def bodies(flawed: bool) -> list[Json]:
    jaw = [[0, 0], [34, 0], [34, 20], [18, 20], [18, 36], [0, 36]]  # outwards from the bar, along the spindle
    jaws = []
    for i in range(3):
        angle = 120.0 * i + 90.0
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        # Drawn in x (outwards) and y (along), 26 thick; stood up so that y runs along the spindle.
        at = [BAR * c - 13 * s, BAR * s + 13 * c, 0.0]
        jaws.append({"type": "extrude", "outline": jaw, "height": 26, "at": at, "turn": [90, 0, angle]})
    bar = {"type": "cylinder", "diameter": 2 * BAR, "length": STICK_OUT, "at": [0, 0, STICK_OUT / 2]}
    return [
        {"name": "jaws", "role": "fixture", "mount": MOUNT, "shapes": jaws},
        {"name": "bar", "role": "stock", "mount": MOUNT, "shape": bar},
        {"name": "cone", "role": "design", "mount": MOUNT, "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, STICK_OUT]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return turret()


def turret() -> list[Json]:
    def turning(number: int, name: str, insert: Json, x: float, shank_x: list[float], deep: float) -> Json:
        low, high = shank_x
        return {
            "number": number, "station": number, "name": name, "cutter": insert, "length": 48, "offset": [x, 0],
            "holder": {"shapes": [
                {"type": "box", "size": [high - low, 20, 48 - deep], "at": [(low + high) / 2, -10, -(48 - deep) / 2]},
                {"type": "box", "size": [54, 60, 34], "at": [0, 0, 17]},
            ]},
        }  # fmt: skip

    return [
        turning(1, "CN rougher R0.8", {"type": "insert", "shape": "C", "inscribed_circle": 12.7, "nose_radius": ROUGH_NOSE, "lead_angle": 95},
                -22, [-19, 3], 9),
        turning(2, "DN finisher R0.4", {"type": "insert", "shape": "D", "inscribed_circle": 9.525, "nose_radius": FINE_NOSE, "lead_angle": 93},
                -22, [-20, 2], 12),
        turning(3, "groove 3 mm", {"type": "groove", "width": 3.0, "nose_radius": 0.2, "reach": 14}, -1.5, [-10, 14], 16),
    ]  # fmt: skip


def offsets() -> Json:
    return {"G54": {"datum": [0, 0, STICK_OUT], "mount": MOUNT}}


CHECKS = {"resolution": 0.5, "gouge": 0.05, "excess": 0.3, "near": 1.0}
