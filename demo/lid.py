"""Buoy electronics lid, first side: a 150 × 110 × 30 blank in a vise, program zero in the middle of the blank's top.

A pocket 110 × 70, 12 deep with 12 mm corners stands around a cable boss of 30 mm; six screw holes go around the rim.
"""

from __future__ import annotations

from manifold3d import Manifold
from shapely.geometry import Point
from shapely.geometry import box as rectangle

from . import paths, solids
from .shop import Json

NAME, MACHINE, PROGRAM = "Buoy electronics lid, first side", "vm3-17", "O2101.nc"
FACE, DEPTH = -1.0, -12.0
POCKET = rectangle(-55, -35, 55, 35).buffer(-12).buffer(12, quad_segs=24)
BOSS = Point(0, 0).buffer(15, quad_segs=48)
HOLES = [(-66.0, -46.0), (0.0, -46.0), (66.0, -46.0), (66.0, 46.0), (0.0, 46.0), (-66.0, 46.0)]
TYPING_SLIP = -12.35  # the flawed revision's gouge: a floor path 0.35 mm too deep


def design() -> Manifold:
    region = POCKET.difference(BOSS)
    solid = solids.block(150, 110, -30, FACE) - solids.pocket(region, DEPTH, FACE, fillet=1.0)
    for x, y in HOLES:
        solid -= solids.hole(x, y, 6.6, -24.0, FACE)
    return solid


def program(flawed: bool) -> list[str]:
    post = paths.Post(2101, "BUOY LID, FIRST SIDE")
    region = POCKET.difference(BOSS)
    post.call(1, "FACE", 2400)
    paths.face(post, 1, 110, [-38, 0, 38], FACE, 900)

    post.call(2, "ROUGH POCKET", 5200)
    post.add("G0 X0. Y0.", "G43 H2 Z10. M8")
    paths.rough_pocket(post, region, [-3.7, -6.4, -9.1, -11.8], 8.3, 7.0)
    if flawed:
        post.add("(ACROSS THE BOSS, RETRACT FORGOTTEN)", "G0 X-34. Y0.", "G1 Z-6. F900.", "G0 X34.", "G0 Z3.")
    post.add("G0 Z40.")

    post.call(3, "FINISH POCKET", 8000)
    post.add("G0 X-42. Y0.", "G43 H3 Z10. M8")
    paths.wall(post, POCKET, 5, [-6.0, DEPTH], 1100)
    for level in (-6.0, DEPTH):
        post.add("G0 X26. Y0.", f"Z{level + 1:.3f}", f"G1 Z{level:.3f} F600.", "X20. F1100.", "G2 I-20.", "G1 X26.",
                 "G0 Z3.")  # fmt: skip
    begin = len(post.lines)
    paths.floor(post, region, 5.2, 4.5, DEPTH, 1600)
    if flawed:
        third = [i for i in range(begin, len(post.lines)) if post.lines[i].startswith(f"G1 Z{DEPTH:.3f}")][2]
        post.lines[third] = f"G1 Z{TYPING_SLIP:.3f} F500."
    post.add("G0 Z40.")

    post.call(4, "DRILL", 3600)
    paths.drill(post, 4, HOLES, -24.0)
    if flawed:
        post.add("G0 X-312. Y0.")
    return post.end()


def bodies(flawed: bool) -> list[Json]:
    arm = [0, 70, 60] if flawed else [0, 92, 60]
    return [
        {"name": "vise", "role": "fixture", "mount": "table", "shapes": [
            {"type": "box", "size": [220, 240, 36], "at": [0, 0, 18]},
            {"type": "box", "size": [160, 24, 24], "at": [0, -67, 48]},
            {"type": "box", "size": [160, 24, 24], "at": [0, 67, 48]},
        ]},
        {"name": "stop arm", "role": "fixture", "mount": "table", "shape": {"type": "box", "size": [16, 20, 48]}, "at": arm},
        {"name": "blank", "role": "stock", "mount": "table", "material": {"name": "aluminium", "density": 2.7},
         "shape": {"type": "box", "size": [150, 110, 30]},
         "at": [0, 0, 61]},
        {"name": "lid", "role": "design", "mount": "table", "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, 76]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return tools


TOP = 76.0
