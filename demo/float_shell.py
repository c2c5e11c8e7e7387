"""Float shell in the shell cell: the rim trimmed and a window cut in each long wall with an end mill, then holes drilled from all four
sides; the drill is fetched from the rack in between. Program zero in the middle of the shell's floor, on the stand.
"""

from __future__ import annotations

from manifold3d import Manifold
from shapely.geometry import box as rectangle

from . import solids
from .arms import HOME
from .shop import Json, mill, tool

NAME, MACHINE, PROGRAM, MOUNT = "Float shell", "rc7-81", "P8101.nc", "stand"
X, Y, WALL, FLOOR, HIGH, OVER = 240.0, 200.0, 8.0, 10.0, 120.0, 5.0  # outer size; how much higher it is moulded
WINDOW = (-25.0, 67.0, 25.0, 73.0)  # where the middle of the end mill goes, along the wall and up
MILL, DRILL = 12.0, 8.0
LONG_HOLES, END_HOLES = ((-60.0, 62.0), (0.0, 40.0), (60.0, 62.0)), ((-55.0, 40.0), (55.0, 40.0))


def shell(high: float) -> Manifold:
    return solids.block(X, Y, 0.0, high) - solids.block(X - 2 * WALL, Y - 2 * WALL, FLOOR, high + 1)


def design() -> Manifold:
    part = shell(HIGH)
    window = solids.prism(rectangle(*WINDOW).buffer(MILL / 2, quad_segs=32), -WALL - 1, 1.0)
    for side in (1, -1):  # drawn flat, then set up on the walls at +x and −x
        part -= window.rotate([90, 0, 90 * side]).translate([side * X / 2, 0, 0])
        for at, up in LONG_HOLES:
            part -= round_hole(at, up, side, True)
        for at, up in END_HOLES:
            part -= round_hole(at, up, side, False)
    return part


def round_hole(at: float, up: float, side: int, long: bool) -> Manifold:
    """Through a wall at ±y (long) or ±x."""
    hole = Manifold.cylinder(WALL + 2, DRILL / 2, DRILL / 2, 96).translate([0, 0, -WALL - 1])
    hole = hole.rotate([-90 * side, 0, 0]) if long else hole.rotate([0, 90 * side, 0])
    return hole.translate([at, side * Y / 2, up] if long else [side * X / 2, at, up])


def joints(**values: float) -> str:
    every = {f"J{i}": 0.0 for i in range(1, 7)} | HOME | values
    return "G0 " + " ".join(f"{axis}={value:g}" for axis, value in every.items())


def beside(x: int, y: int, there: bool = True) -> list[str]:
    """Over the work, then beside it with the tool leaning: the way to and from a side."""
    over, aside = f"G0 X{x * 60:g} Y{y * 60:g} Z330 I0 J0 K1", f"G0 X{x * 240:g} Y{y * 220:g} Z260 I{x} J{y} K0.8"
    return [over, aside] if there else [aside, over]


BY_RACK = joints(J1=-78)


def fetch(number: int, away: str = "G0 Z140") -> list[str]:
    """From its place in the rack; that is a work offset of its own."""
    place = f"G5{5 + number}"
    return [
        BY_RACK,
        f"{place} G43.5 H0",
        "G0 X0 Y0 Z140 I0 J0 K1",
        "G0 Z0",
        f"T{number} M6",
        away,
        BY_RACK,
        joints(),
        "G54",
    ]


def leave(number: int) -> list[str]:
    place = f"G5{5 + number}"
    return [
        "M5",
        joints(),
        BY_RACK,
        f"{place} G43.5 H0",
        "G0 X0 Y0 Z140 I0 J0 K1",
        "G0 Z0",
        "T0 M6",
        "G0 Z140",
        BY_RACK,
    ]


def program(flawed: bool) -> list[str]:
    lines = ["%", "O8101 (FLOAT SHELL)", "G17 G21 G40 G49 G80 G90", "(FETCH THE END MILL)", *fetch(1)]
    rim = X / 2 - WALL / 2, Y / 2 - WALL / 2
    lines += [
        "(TRIM THE RIM)", "G43.5 H1 S16000 M3", f"G0 X{-rim[0] - 24:g} Y{-rim[1]:g} Z170 I0 J0 K1", f"G0 Z{HIGH:g}",
        f"G1 X{rim[0]:g} F3000", f"Y{rim[1]:g}", f"X{-rim[0]:g}", f"Y{-rim[1] - 24:g}", "G0 Z170",
    ]  # fmt: skip
    for side in (1, -1):
        out, deep = side * (X / 2 + 60), side * (X / 2 - WALL - 2)
        first, low, last, high = WINDOW
        lines += [
            f"(WINDOW AT {'+' if side > 0 else '-'}X)", *beside(side, 0), f"G0 X{out:g} Y{first:g} Z{low:g} I{side} J0 K0",
            f"G1 X{side * (X / 2 + 3):g} F2000", f"X{deep:g} F600", f"Y{last:g} F1500", f"Z{high:g}", f"Y{first:g}", f"Z{low:g}",
            f"X{side * (X / 2 + 3):g} F3000", f"G0 X{out:g}", *beside(side, 0, False),
        ]  # fmt: skip
    lines += ["(CHANGE TO THE DRILL)", *leave(1), *fetch(2, "G0 Y-110" if flawed else "G0 Z140")]
    for side in (-1, 1):
        lines += [f"(HOLES AT {'+' if side > 0 else '-'}Y)", "G43.5 H2 S4000 M3", *beside(0, side)]
        out = side * (Y / 2 + 50)
        for at, up in LONG_HOLES:
            lines += drilled(f"X{at:g} Y", f"Z{up:g} I0 J{side} K0", side, Y, out)
        lines += beside(0, side, False)
    for side in (1, -1):
        lines += [f"(HOLES AT {'+' if side > 0 else '-'}X)", *beside(side, 0)]
        out = side * (X / 2 + 50)
        for at, up in END_HOLES:
            lines += drilled(f"Y{at:g} X", f"Z{up:g} I{side} J0 K0", side, X, out)
        lines += beside(side, 0, False)
    if flawed:
        lines += ["G0 X900 Y900 Z20 I0 J0 K1 (A HOLE FROM ANOTHER JOB)"]
    return [*lines, joints(), "M5", "M30", "%"]


def drilled(axis: str, rest: str, side: int, wide: float, out: float) -> list[str]:
    near, deep = side * (wide / 2 + 3), side * (wide / 2 - WALL - 4)
    letter = axis[-1]
    return [
        f"G0 {axis}{out:g} {rest}",
        f"G1 {letter}{near:g} F2500",
        f"{letter}{deep:g} F500",
        f"{letter}{near:g} F2500",
        f"G0 {letter}{out:g}",
    ]


def postures(flawed: bool) -> list[Json]:
    """Flawed: the wrist is asked to turn over in the middle of the rim."""
    if not flawed:
        return []
    lines = program(flawed)
    first = lines.index("(TRIM THE RIM)") + 3
    return [
        {"program": PROGRAM, "first": first, "last": first + 2, "wrist": "plus"},
        {"program": PROGRAM, "first": first + 3, "last": first + 5, "wrist": "minus"},
    ]


def bodies(flawed: bool) -> list[Json]:
    return [
        {"name": "moulding", "role": "stock", "mount": MOUNT, "shape": {"type": "mesh", "file": "moulding.stl"},
         "material": {"name": "glass-filled polymer", "density": 1.6}},
        {"name": "shell", "role": "design", "mount": MOUNT, "shape": {"type": "mesh", "file": "design.stl"}},
    ]  # fmt: skip


def designs() -> dict[str, Manifold]:
    return {"design.stl": design(), "moulding.stl": shell(HIGH + OVER)}


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return [
        tool(1, "D12 trimming mill", mill("end-mill", MILL, 30, 46), 40, 110) | {"rack": "place 1"},
        tool(2, "D8 drill", mill("drill", DRILL, 40, 58, point_angle=140, flutes=2), 36, 116) | {"rack": "place 2"},
        tool(3, "D6 end mill", mill("end-mill", 6, 18, 32), 36, 92) | {"rack": "place 3"},
    ]


def offsets() -> Json:
    racks = {f"G5{5 + n}": {"datum": [0, 0, 0], "mount": f"place {n}"} for n in (1, 2, 3)}
    return {"G54": {"datum": [0, 0, 0], "mount": MOUNT}, **racks}


CHECKS = {"resolution": 1.0, "gouge": 0.1, "excess": 0.4, "near": 2.0}
