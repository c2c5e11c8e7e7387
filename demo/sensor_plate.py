"""Sensor plate in the hand cell: the small arm holds the plate and leads it past a spindle that stands; its edges are trimmed and
holes drilled through it. Program zero in the middle of the plate's free face.
"""

from __future__ import annotations

from manifold3d import Manifold

from . import solids
from .shop import Json, mill, tool

NAME, MACHINE, PROGRAM, MOUNT = "Sensor plate", "rc3-83", "P8301.nc", "gripper"
SIDE, THICK, OVER = 120.0, 10.0, 2.0  # the plate's sides; what is trimmed off each
MILL = 8.0
HOLES = ((-40.0, -40.0), (40.0, -40.0), (40.0, 40.0), (-40.0, 40.0))


def design() -> Manifold:
    part = solids.block(SIDE, SIDE, -THICK, 0.0)
    for x, y in HOLES:
        part -= Manifold.cylinder(THICK + 2, MILL / 2, MILL / 2, 96).translate([x, y, -THICK - 1])
    return part


def program(flawed: bool) -> list[str]:
    """The plate's frame at zero lies along the machine's: its free face looks along the hand, +x."""
    lines = ["%", "O8301 (SENSOR PLATE)", "G17 G21 G40 G49 G80 G90", "G54 T1 M6", "S12000 M3", "G43.5 H1"]

    def at(x: float, y: float, z: float) -> str:
        # The plate's x lies along −z of the machine, its z along +x (the gripper's mount is turned so).
        return f"X{z:g} Y{y:g} Z{-x:g}"

    edge = SIDE / 2 + MILL / 2
    lines += ["(TRIM THE EDGES)", f"G0 {at(-edge, -edge - 20, 40)} I1 J0 K0", f"G0 {at(-edge, -edge - 20, -THICK - 1)}"]
    lines += [f"G1 {at(-edge, edge, -THICK - 1)} F1500", f"G1 {at(edge, edge, -THICK - 1)}", f"G1 {at(edge, -edge, -THICK - 1)}",
              f"G1 {at(-edge - 20, -edge, -THICK - 1)}", f"G0 {at(-edge - 20, -edge, 40)}"]  # fmt: skip
    lines += ["(DRILL)"]
    for x, y in HOLES:
        lines += [f"G0 {at(x, y, 20)}", f"G1 {at(x, y, 2)} F2000",
                  f"G1 {at(x, y, -THICK - 2)} F300",
                  f"G1 {at(x, y, 2)} F4000", f"G0 {at(x, y, 20)}"]  # fmt: skip
    if flawed:
        lines += [f"G0 {at(0, 0, 20)} (FROM A TRIAL)", f"G1 {at(0, 0, 2)} F2000", f"G1 {at(0, 0, -THICK - 5)} F300", f"G1 {at(0, 0, 20)} F4000"]  # fmt: skip
        lines += [f"G0 {at(0, 0, 40)}", f"G0 {at(0, 900, 40)} (OF THE NEXT SIZE)"]
    return [*lines, f"G0 {at(0, 0, 120)}", "G0 J1=0 J2=-35 J3=55 J4=0 J5=-20 J6=0", "M5", "M30", "%"]


def bodies(flawed: bool) -> list[Json]:
    side = SIDE + 2 * OVER
    return [
        {"name": "suction cup", "role": "fixture", "mount": MOUNT, "shape": {"type": "cylinder", "diameter": 60, "length": 30}, "at": [0, 0, 15]},
        {"name": "blank", "role": "stock", "mount": MOUNT, "shape": {"type": "box", "size": [side, side, THICK]}, "at": [0, 0, 30 + THICK / 2]},
        {"name": "plate", "role": "design", "mount": MOUNT, "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, 30 + THICK]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return [tool(1, "D8 end mill", mill("end-mill", MILL, 20, 34), 32, 92)]


def offsets() -> Json:
    return {"G54": {"datum": [0, 0, 30 + THICK], "mount": MOUNT}}


CHECKS = {"resolution": 0.8, "gouge": 0.1, "excess": 0.3, "near": 2.0}
