"""Buoy electronics lid, second side: turned over on what the first side left, faced to 21 mm, a seat for the gasket 4 mm deep.

Program zero is the middle of what was the blank's bottom. The flawed revision was set up from a plain blank: it forgets what the first
side left.
"""

from __future__ import annotations

from manifold3d import Manifold
from shapely.geometry import box as rectangle

from . import lid, paths, solids
from .shop import Json

NAME, MACHINE, PROGRAM = "Buoy electronics lid, second side", "vm3-17", "O2102.nc"
BLANK, FACE, DEPTH = 30.0, -8.0, -12.0
SEAT = rectangle(-45, -25, 45, 25).buffer(-8).buffer(8, quad_segs=24)
TOP = 75.0  # of the blank, with its faced side on the parallels


def design() -> Manifold:
    first = lid.design().rotate([180, 0, 0]).translate([0, 0, -BLANK])
    return (first ^ solids.block(160, 120, -BLANK, FACE)) - solids.pocket(SEAT, DEPTH, FACE, fillet=1.0)


def program(flawed: bool) -> list[str]:
    post = paths.Post(2102, "BUOY LID, SECOND SIDE")
    post.call(1, "FACE", 2400)
    for level in (-3.0, -6.0, FACE):
        paths.face(post, 1, 110, [-38, 0, 38], level, 900)
    post.call(2, "ROUGH SEAT", 5200)
    post.add("G0 X0. Y0.", "G43 H2 Z10. M8")
    paths.rough_pocket(post, SEAT, [-10.0, -11.8], 8.3, 7.0)
    post.add("G0 Z40.")
    post.call(3, "FINISH SEAT", 8000)
    post.add("G0 X0. Y0.", "G43 H3 Z10. M8")
    paths.wall(post, SEAT, 5, [DEPTH], 1100)
    paths.floor(post, SEAT, 5.2, 4.5, DEPTH, 1600)
    post.add("G0 Z40.")
    return post.end()


def bodies(flawed: bool) -> list[Json]:
    vise, arm, blank, part = lid.bodies(False)
    shape: Json = {"type": "carried", "step": "op10", "body": "blank", "turn": [180, 0, 0]}
    blank = blank | {"at": [0, 0, TOP - BLANK / 2]} | ({} if flawed else {"shape": shape})
    return [vise, arm, blank, part | {"at": [0, 0, TOP]}]


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return tools
