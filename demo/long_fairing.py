"""Long fairing in the shell cell: a channel as long as the rail, its flanges drilled and its ends slotted in two areas; the arm drives
along between them. Program zero in the middle of the channel, on the stand's long table.
"""

from __future__ import annotations

from manifold3d import Manifold
from shapely.geometry import box as rectangle

from . import solids
from .float_shell import fetch, joints
from .shop import Json, mill, tool

NAME, MACHINE, PROGRAM, MOUNT = "Long fairing", "rc7-81", "P8102.nc", "stand"
LONG, WIDE, FLANGE, WALL, HIGH = 1500.0, 200.0, 50.0, 6.0, 70.0
UNDER = 60.0  # of the table's top above the stand
MILL = 10.0
AREAS = (-1, 1)
HOLES = (280.0, 420.0, 560.0)  # along the flange, from the middle
SLOT = 600.0, 690.0  # along the top, from the middle
RAIL = 600.0  # where the arm stands for an area
TOO_FAR, DOWN = "A JOINT TYPED WRONG", "DOWN BESIDE THE STAND, AND ROUND"


def channel() -> Manifold:
    """A hat: a flange at either side, two walls, and a top."""
    half = WIDE / 2
    outer = rectangle(-half, 0, half, HIGH).union(rectangle(-half - FLANGE, 0, half + FLANGE, WALL))
    inner = rectangle(-half + WALL, -1, half - WALL, HIGH - WALL)
    return solids.prism(outer.difference(inner), -LONG / 2, LONG / 2).rotate([90, 0, 0])


def design() -> Manifold:
    part = channel()
    for side in AREAS:
        first, last = (side * at for at in SLOT)
        slot = rectangle(-0.01, min(first, last), 0.01, max(first, last)).buffer(MILL / 2, quad_segs=32)
        part -= solids.prism(slot, HIGH - WALL - 1, HIGH + 1)
        for at in HOLES:
            for flange in (-1, 1):
                hole = Manifold.cylinder(WALL + 2, MILL / 2, MILL / 2, 96)
                part -= hole.translate([flange * (WIDE / 2 + FLANGE / 2), side * at, -1.0])
    return part


def program(flawed: bool) -> list[str]:
    lines = ["%", "O8102 (LONG FAIRING)", "G17 G21 G40 G49 G80 G90", "(FETCH THE END MILL)", *fetch(1)]
    over = 260.0
    for side in AREAS:
        lines += [f"(AREA AT {'+' if side > 0 else '-'}Y)", joints(J1=0), f"G0 R={side * RAIL:g}", "G43.5 H1 S16000 M3"]
        first, last = (side * at for at in SLOT)
        lines += [
            f"G0 X0 Y{first:g} Z{over:g} I0 J0 K1", f"G0 Z{HIGH + 30:g}", f"G1 Z{HIGH + 2:g} F3000", f"Z{HIGH - WALL - 1:g} F400",
            f"Y{last:g} F2500", f"Z{HIGH + 30:g} F6000", f"G0 Z{over:g}",
        ]  # fmt: skip
        for flange in (-1, 1):
            for at in HOLES:
                lines += [
                    f"G0 X{flange * (WIDE / 2 + FLANGE / 2):g} Y{side * at:g} Z{over:g} I0 J0 K1", f"G0 Z{HIGH + 30:g}",
                    f"G1 Z{WALL + 4:g} F6000", "Z-2 F500", f"Z{HIGH + 30:g} F6000", f"G0 Z{over:g}",
                ]  # fmt: skip
        if flawed and side < 0:
            lines += [f"({TOO_FAR})", joints(J1=0, J6=355), joints(J1=0)]
        if flawed and side > 0:
            lines += [f"({DOWN})", joints(J1=60), "G0 R=0", joints(J1=60, J2=115, J3=-120), joints(J1=0, J2=115, J3=-120),
                      joints(J1=60, J2=115, J3=-120), joints(J1=60)]  # fmt: skip
    return [*lines, joints(J1=0), "G0 R=0", joints(), "M5", "M30", "%"]


def postures(flawed: bool) -> list[Json]:
    """Where the rail stands for each area."""
    lines = program(flawed)
    begins = [lines.index(f"(AREA AT {'+' if side > 0 else '-'}Y)") + 1 for side in AREAS]
    ends = [begins[1] - 1, len(lines)]
    return [
        {"program": PROGRAM, "first": first, "last": last, "rail": {"R": side * RAIL}}
        for side, first, last in zip(AREAS, begins, ends, strict=True)
    ]


def bodies(flawed: bool) -> list[Json]:
    table = {"name": "long table", "role": "fixture", "mount": MOUNT,
             "shapes": [{"type": "box", "size": [360, 1560, 30], "at": [0, 0, UNDER - 27]}]}  # fmt: skip
    rests = [{"type": "box", "size": [60, 900, 40], "at": [0, 0, UNDER + 20]}]
    return [
        table, {"name": "plug", "role": "fixture", "mount": MOUNT, "shapes": rests},
        {"name": "channel", "role": "stock", "mount": MOUNT, "shape": {"type": "mesh", "file": "channel.stl"}, "at": [0, 0, UNDER],
         "material": {"name": "glass-filled polymer", "density": 1.6}},
        {"name": "fairing", "role": "design", "mount": MOUNT, "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, UNDER]},
    ]  # fmt: skip


def designs() -> dict[str, Manifold]:
    return {"design.stl": design(), "channel.stl": channel()}


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return [tool(1, "D10 end mill", mill("end-mill", MILL, 26, 40), 36, 104) | {"rack": "place 1"}]


def offsets() -> Json:
    return {"G54": {"datum": [0, 0, UNDER], "mount": MOUNT}, "G56": {"datum": [0, 0, 0], "mount": "place 1"}}


CHECKS = {"resolution": 2.0, "gouge": 0.15, "excess": 0.6, "near": 2.0}
