"""Transducer bracket on the trunnion mill: a tapered boss by its flank under tip control, two leaning pads in tilted planes
with a hole square to each. Program zero in the middle of the blank's top; the blank sits in a dovetail grip.
"""

from __future__ import annotations

import math

from manifold3d import Manifold

from bluntmirror.geometry.mesh import revolve

from . import paths, solids
from .shop import Json

NAME, MACHINE, PROGRAM, MOUNT = "Transducer bracket, five sides", "tr5-40", "O4107.nc", "plate"
TOP = 155.0  # of the blank, above the plate
SIZE = (90.0, 70.0, 55.0)
FLOOR, TAPER = -18.0, 15.0  # the boss stands on the floor, its flank leans by the taper
BASE = 24.0  # the boss' radius at the floor
PAD, LEAN = 33.0, 35.0  # the pads begin at x = ±PAD and lean by LEAN
HOLE_AT, HOLE_DEPTH, WRONG_DEPTH = 7.3, -14.0, -19.0
CUTTER = 8.0  # radius of T2 and T9


def boss_radius(z: float) -> float:
    return BASE - (z - FLOOR) * math.tan(math.radians(TAPER))


def leaning(solid: Manifold, side: int) -> Manifold:
    """From a pad's own frame to the part's."""
    return solid.rotate([0, side * LEAN, 0]).translate([side * PAD, 0, FLOOR])


def design() -> Manifold:
    x, y, z = SIZE
    part = solids.block(x, y, -z, FLOOR)
    part += solids.solid_of(
        revolve([[0, FLOOR - 1], [boss_radius(FLOOR), FLOOR - 1], [BASE, FLOOR], [boss_radius(0), 0], [0, 0]])
    )
    for side in (1, -1):
        part -= leaning(solids.block(80, 100, 0, 60).translate([side * 40, 0, 0]), side)
        part -= leaning(solids.hole(side * HOLE_AT, 0, 6.6, HOLE_DEPTH, 5), side)
    return part


def rough(post: paths.Post) -> None:
    """Circles around the boss, from outside in, in three levels."""
    for level in (-6.0, -12.0, FLOOR):
        near = boss_radius(level) + CUTTER + 0.4
        radius = 62.0
        post.add("G0 X80. Y0.", f"Z{level:.3f}")
        while True:
            post.add(f"G1 X{radius:.3f} F1600.", f"G3 I{-radius:.3f} F1800.")
            if radius <= near + 1e-6:
                break
            radius = max(near, radius - 7.0)
        post.add("G0 Z10.")


def flank(post: paths.Post) -> None:
    """Around the boss with the cutter along its flank: A stays, C goes round, the tip on a circle."""
    lean = math.radians(TAPER)
    # The axis runs one radius off the flank; the cutter's lower corner comes to the floor, a hair above it.
    low = FLOOR + 0.02
    on_flank = boss_radius(low)
    x, z = on_flank + CUTTER * math.cos(lean), low + CUTTER * math.sin(lean)
    post.add("G0 X70. Y0. A0. C90.", f"G43.4 H9 X70. Y0. Z60. A-{TAPER:g}. C90.", f"Z{z:.4f}")
    for degrees in range(0, 363, 2):
        a = math.radians(degrees)
        feed = " F900." if degrees == 0 else " F1600." if degrees == 2 else ""
        post.add(
            f"{'G1 ' if not degrees else ''}X{x * math.cos(a):.4f} Y{x * math.sin(a):.4f} Z{z:.4f} C{90 + degrees}.{feed}"
        )
    post.add("G1 X80. F3000.", "G0 Z80.", "G49")


def tilted(post: paths.Post, side: int) -> None:
    post.add(f"G68.2 X{side * PAD:g}. Y0. Z{FLOOR:g}. I90. J{side * LEAN:g}. K-90.", "G53.1")


def pads(post: paths.Post, flawed: bool) -> None:
    for side in (1, -1):
        if side == 1 or not flawed:
            post.add(*post.home())
        tilted(post, side)
        y = 48.0
        post.add(f"G0 X{side * 12.0:.3f} Y{-y:.1f}", "G43 H2 Z40." if side == 1 or not flawed else "G43 H2 Z2.", "Z2.", "G1 Z0. F800.",
                 f"Y{y:.1f} F1400.", f"X{side * 1.0:.3f}", f"Y{-y:.1f}")  # fmt: skip
        if side == 1 and flawed:
            post.add("G0 Z2. (RETRACT FORGOTTEN)", "X-20. Y0.", "G49", "G69")
        else:
            post.add("G0 Z60.", "G49", "G69")
    post.add(*post.home())


def holes(post: paths.Post, flawed: bool) -> None:
    for side in (1, -1):
        depth = WRONG_DEPTH if flawed and side == -1 else HOLE_DEPTH
        tilted(post, side)
        post.add(f"G0 X{side * HOLE_AT:.3f} Y0.", "G43 H4 Z60. M8", f"G98 G83 R3. Z{depth:.3f} Q5. F400.", "G80", "G0 Z60.", "G49",
                 "G69", *post.home())  # fmt: skip


def program(flawed: bool) -> list[str]:
    post = paths.Post(4107, "TRANSDUCER BRACKET")
    post.call(2, "ROUGH AROUND THE BOSS", 5200)
    post.add("G0 A0. C0.", "X80. Y0.", "G43 H2 Z20. M8")
    rough(post)
    post.add("G0 Z60.", "G49")
    post.call(9, "FLANK OF THE BOSS", 4800)
    flank(post)
    post.call(2, "PADS", 5200)
    pads(post, flawed)
    post.call(4, "HOLES", 3600)
    holes(post, flawed)
    if flawed:
        post.add("G0 A36. (TO UNLOAD)")
    post.add("M5", "M9", *post.home())
    return post.end("X0. Y0. A0. C0.")


def bodies(flawed: bool) -> list[Json]:
    return [
        {"name": "riser", "role": "fixture", "mount": MOUNT, "shape": {"type": "cylinder", "diameter": 130, "length": 60}, "at": [0, 0, 30]},
        {"name": "dovetail grip", "role": "fixture", "mount": MOUNT, "shapes": [
            {"type": "box", "size": [84, 60, 28], "at": [0, 0, 74]},
            {"type": "box", "size": [64, 14, 14], "at": [0, 20, 94]},
            {"type": "box", "size": [64, 14, 14], "at": [0, -20, 94]},
        ]},
        {"name": "blank", "role": "stock", "mount": MOUNT, "shape": {"type": "box", "size": list(SIZE)}, "at": [0, 0, TOP - SIZE[2] / 2 + 0.0]},
        {"name": "bracket", "role": "design", "mount": MOUNT, "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, TOP]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return tools


def offsets() -> Json:
    return {"G54": {"datum": [0, 0, TOP], "mount": MOUNT}}


CHECKS = {"resolution": 0.6, "gouge": 0.05, "excess": 0.3, "near": 1.0}
