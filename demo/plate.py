"""Transducer mounting plate: a 240 × 160 × 25 blank on a base plate between edge clamps, program zero in the middle of
the blank's top.

A spherical dish of 100 mm across carries the transducer; two pockets lighten the sides, a cable slot runs along the
front, eight screw holes go around the rim.
"""

from __future__ import annotations

import math

from manifold3d import Manifold
from shapely.affinity import translate
from shapely.geometry import LineString
from shapely.geometry import box as rectangle

from . import paths, solids
from .shop import Json

NAME, MACHINE, PROGRAM = "Transducer mounting plate", "vm5-22", "O3305.nc"
FACE, POCKET_FLOOR, SLOT_FLOOR = -1.0, -12.0, -15.0
SPHERE, DISH = 150.0, 50.0  # radius of the sphere, radius of the dish at the face
CENTRE = FACE + math.sqrt(SPHERE**2 - DISH**2)
BALL = 5.0
SIDE = rectangle(-18, -45, 18, 45).buffer(-9).buffer(9, quad_segs=24)
LEFT, RIGHT = translate(SIDE, -88, 10), translate(SIDE, 88, 10)
WEB = rectangle(-110, 24, -66, 27)  # what the flawed revision forgets to clear
SLOT = LineString([(-62, -64), (62, -64)]).buffer(5, quad_segs=32)
HOLES = [(-110.0, -70.0), (-75.0, -70.0), (75.0, -70.0), (110.0, -70.0), (110.0, 70.0), (40.0, 70.0), (-40.0, 70.0),
         (-110.0, 70.0)]  # fmt: skip
SHORT = 20.0  # how much too far the flawed revision's D8 is pushed into its holder
REGISTER_SLIP = 0.25


def design() -> Manifold:
    solid = solids.block(240, 160, -25, FACE) - solids.ball(SPHERE, CENTRE)
    for side in (LEFT, RIGHT):
        solid -= solids.pocket(side, POCKET_FLOOR, FACE, fillet=1.0)
    solid -= solids.pocket(SLOT, SLOT_FLOOR, FACE)
    for x, y in HOLES:
        solid -= solids.hole(x, y, 6.6, -20.0, FACE)
    return solid


def dish_radius(z: float) -> float:
    """The dish's radius at height z."""
    return math.sqrt(max(0.0, SPHERE**2 - (CENTRE - z) ** 2))


def rough_dish(post: paths.Post) -> None:
    post.add("(ROUGH DISH)", "G0 X4. Y0.", "Z2.")
    depth = FACE
    for level in (-3.0, -5.0, -7.0, -8.4):
        radius = dish_radius(level) - 8.0 - 0.5
        post.add("G0 X4. Y0.", f"Z{depth + 0.5:.3f}", f"G1 Z{depth:.3f} F500.", f"G3 X4. Y0. Z{level:.3f} I-4. J0. F700.",
                 "G3 I-4.")  # fmt: skip
        reached = 4.0
        while reached < radius - 1e-6:
            reached = min(radius, reached + 10.0)
            post.add(f"G1 X{reached:.3f} F1200.", f"G3 I{-reached:.3f}")
        post.add("G0 Z3.")
        depth = level


def finish_dish(post: paths.Post) -> None:
    """A circle along the edge, then parallel passes on the sphere that the ball's centre runs on."""
    inner = SPHERE - BALL
    edge = DISH * inner / SPHERE

    def tip(x: float, y: float) -> float:
        return CENTRE - math.sqrt(inner**2 - x * x - y * y) - BALL

    post.add(f"G0 X{edge:.3f} Y0.", "G43 H6 Z10. M8", "Z2.", f"G1 Z{tip(edge, 0):.3f} F400.", f"G3 I{-edge:.3f} F1500.")
    rows = 116
    for i in range(1, rows):
        y = -edge + 2 * edge * i / rows
        half = math.sqrt(edge**2 - y * y)
        count = max(2, math.ceil(2 * half / 2.2))
        xs = [-half + 2 * half * k / count for k in range(count + 1)]
        for x in xs if i % 2 else xs[::-1]:
            post.add(f"X{x:.3f} Y{y:.3f} Z{tip(x, y):.4f}" if x != xs[0 if i % 2 else -1]
                     else f"G1 X{x:.3f} Y{y:.3f} Z{tip(x, y):.4f} F1800.")  # fmt: skip
    post.add("G0 Z40.")


def program(flawed: bool) -> list[str]:
    post = paths.Post(3305, "TRANSDUCER PLATE")
    post.call(1, "FACE", 2400)
    paths.face(post, 1, 155, [-76, -38, 0, 38, 76], FACE, 900)

    post.call(2, "ROUGH", 5200)
    post.add("G0 X-88. Y10.", "G43 H2 Z10. M8")
    left = LEFT.difference(WEB) if flawed else LEFT
    for region in (left, RIGHT):
        paths.rough_pocket(post, region, [-3.7, -6.4, -9.1, -11.8], 8.3, 7.0)
    rough_dish(post)
    post.add("G0 Z40.")

    post.call(3, "FINISH POCKETS", 8000)
    post.add("G0 X-88. Y10.", "G43 H3 Z10. M8")
    for region in (left, RIGHT):
        paths.wall(post, region, 5, [-6.5, POCKET_FLOOR], 1100)
        paths.floor(post, region, 5.2, 4.5, POCKET_FLOOR, 1600)
    post.add("G0 Z40.")

    post.call(6, "FINISH DISH", 9000)
    finish_dish(post)

    post.call(5, "CABLE SLOT", 7000)
    post.add("G0 X-62. Y-64.", "G43 H5 Z10. M8", "Z0.")
    paths_of = list(SLOT.buffer(-4, quad_segs=32).exterior.simplify(0.002).coords)
    for level in (-4.0, -7.0, -10.0, -13.0, SLOT_FLOOR):
        post.add("G1 X-62. Y-64. F900.", f"X62. Z{level:.3f} F500.", "X-62. F900.")
        post.add(*(f"X{x:.3f} Y{y:.3f}" for x, y in paths_of))
    post.add("G0 Z40.")

    post.call(4, "DRILL", 3600)
    paths.drill(post, 4, HOLES, -20.0)
    return post.end()


def bodies(flawed: bool) -> list[Json]:
    def clamp(name: str, x: float, y: float, turned: bool) -> Json:
        size = [46, 26, 18] if turned else [26, 46, 18]
        return {"name": name, "role": "fixture", "mount": "table", "shapes": [
            {"type": "box", "size": size, "at": [x, y, 43]},
            {"type": "cylinder", "diameter": 14, "length": 6, "at": [x, y, 53.5]},
        ]}  # fmt: skip

    return [
        {"name": "base plate", "role": "fixture", "mount": "table", "shape": {"type": "box", "size": [340, 260, 34]},
         "at": [0, 0, 17]},
        clamp("left clamp", -133.5, 0, False), clamp("right clamp", 133.5, 0, False), clamp("back clamp", 0, 93.5, True),
        {"name": "front stop", "role": "fixture", "mount": "table", "shape": {"type": "box", "size": [120, 16, 16]},
         "at": [0, -88, 42]},
        {"name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [240, 160, 25]},
         "at": [0, 0, 46.5]},
        {"name": "plate", "role": "design", "mount": "table", "shape": {"type": "mesh", "file": "design.stl"},
         "at": [0, 0, 59]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    if flawed:
        for entry in tools:
            if entry["number"] == 5:
                entry["cutter"]["reach"] -= SHORT
                entry["cutter"]["flute_length"] = min(entry["cutter"]["flute_length"], entry["cutter"]["reach"])
                entry["length"] -= SHORT
            if entry["number"] == 6:
                entry["registers"] = {"H": entry["length"] - REGISTER_SLIP}
    return tools


TOP = 59.0
