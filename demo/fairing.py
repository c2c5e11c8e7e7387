"""A fairing's nose cap in tooling foam on the gantry router: the dome under tip control with the tool square to it, ring by ring
— back and forth, for C has stops — and the draft flank by the side of an end mill. Program zero on top, in the middle.
"""

from __future__ import annotations

import math

from manifold3d import Manifold

from bluntmirror.geometry.mesh import revolve

from . import paths, solids
from .shop import Json

NAME, MACHINE, PROGRAM, MOUNT = "Fairing nose cap", "gr6-52", "O5203.nc", "table"
TOP = 150.0  # of the foam above the table
SIZE = (230.0, 230.0, 80.0)
SPHERE, RIM, DRAFT, FOOT = (
    220.0,
    88.0,
    20.0,
    -62.0,
)  # dome, radius of its rim, the flank's lean, and where the flank ends
BALL, MILL = 10.0, 8.0  # radii of T8 and T9
STEP = 4  # degrees of a ring between blocks
TYPING_SLIP = 1.2


def dome(radius: float) -> float:
    return -(SPHERE - math.sqrt(SPHERE**2 - radius**2))


EDGE = dome(RIM)


def flank(z: float) -> float:
    return RIM + (EDGE - z) * math.tan(math.radians(DRAFT))


def design() -> Manifold:
    rim = [
        [SPHERE * math.sin(a), -SPHERE * (1 - math.cos(a))]
        for a in (math.asin(RIM / SPHERE) * i / 60 for i in range(61))
    ]
    x, y, z = SIZE
    cap = solids.solid_of(revolve([*rim, [flank(FOOT), FOOT], [0, FOOT]], tolerance=0.005))
    return cap + solids.block(x, y, -z, FOOT)


def rough(post: paths.Post) -> None:
    """Levels outside dome and flank, in circles from outside in; half a millimetre stays on."""
    for level in (-6.0, -12.0, -20.0, -29.0, -38.0, -47.0, -56.0, FOOT):
        limit = math.sqrt(max(0.0, SPHERE**2 - (SPHERE + level) ** 2)) if level > EDGE else flank(level)
        near, radius = limit + MILL + 0.6, 166.0
        post.add("G0 X182. Y0.", f"Z{level:.3f}")
        while True:
            post.add(f"G1 X{radius:.3f} F4500.", f"G3 I{-radius:.3f} F6000.")
            if radius <= near + 1e-6:
                break
            radius = max(near, radius - 14.0)
        post.add("G0 Z15.")


def ring(
    post: paths.Post, radius: float, tilt: float, z: float, outward: bool, sense: int, first: float, feed: int
) -> None:
    """Once around at this radius of the tip with the tool leaning outward (or inward) by `tilt`; C from `first` on."""
    count = 360 // STEP
    for i in range(count + 1):
        c = first + sense * STEP * i
        # A positive A leans the tool towards −y of the fork; C turns that towards the place on the ring.
        at = math.radians(c - 90.0) if outward else math.radians(c + 90.0)
        words = f"X{radius * math.cos(at):.4f} Y{radius * math.sin(at):.4f} Z{z:.4f} C{c:.3f}"
        post.add(f"G1 {words} A{tilt:.4f} F{feed}." if i == 0 else words + (f" F{feed}." if i == 1 else ""))


def finish_dome(post: paths.Post, flawed: bool) -> None:
    post.add("G0 A0. C-180.", "G43.4 H8 X0. Y0. Z40. A0. C-180.", "G1 Z0. F2000.")
    first = -180.0
    rings = 17
    for k in range(1, rings + 1):
        radius = RIM * k / rings
        angle = math.asin(radius / SPHERE)
        # The ball's centre runs on a sphere a radius larger; its tip is that, less the radius, along the tool: on the dome.
        sense = 1 if first < 0 else -1
        z = dome(radius) - (TYPING_SLIP if flawed and k == 9 else 0.0)
        feed = min(3600, int(0.85 * 21_600 / 360 * 2 * math.pi * radius))  # near the middle C sets the pace
        ring(post, radius, math.degrees(angle), z, True, sense, first, feed)
        first = -first
    post.add("G0 Z60.", "G49")


def finish_flank(post: paths.Post, flawed: bool) -> None:
    lean = math.radians(DRAFT)
    low = FOOT + 0.05
    x, z = flank(low) + MILL * math.cos(lean), low + MILL * math.sin(lean)
    first = -170.0 if not flawed else -130.0
    post.add(f"G0 A0. C{first:.3f}", f"G43.4 H9 X0. Y0. Z60. A{DRAFT:g}. C{first:.3f}")
    start = math.radians(first + 90.0)
    post.add(f"X{150 * math.cos(start):.4f} Y{150 * math.sin(start):.4f}", f"Z{z:.4f}")
    ring(post, x, DRAFT, z, False, 1, first, 3000)
    post.add(f"G1 X{150 * math.cos(start):.4f} Y{150 * math.sin(start):.4f}", "G0 Z60.", "G49")


def program(flawed: bool) -> list[str]:
    post = paths.Post(5203, "FAIRING NOSE CAP")
    post.call(9, "ROUGH", 16000)
    post.add("G0 A0. C0.", "X182. Y0.", "G43 H9 Z30.")
    rough(post)
    if flawed:
        post.add("Z-3. (LEFT OVER FROM A TRIAL)", "X-182.", "Z30.")
    post.add("G0 Z60.", "G49")
    post.call(8, "DOME", 18000)
    finish_dome(post, flawed)
    post.call(9, "FLANK", 16000)
    finish_flank(post, flawed)
    post.add("M5", *post.home())
    return post.end("X0. Y0. A0. C0.")


def bodies(flawed: bool) -> list[Json]:
    return [
        {"name": "vacuum plate", "role": "fixture", "mount": MOUNT, "shape": {"type": "box", "size": [420, 420, 70]}, "at": [0, 0, 35]},
        {"name": "foam", "role": "stock", "mount": MOUNT, "shape": {"type": "box", "size": list(SIZE)}, "at": [0, 0, TOP - SIZE[2] / 2]},
        {"name": "cap", "role": "design", "mount": MOUNT, "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, TOP]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return tools


def offsets() -> Json:
    return {"G54": {"datum": [0, 0, TOP], "mount": MOUNT}}


CHECKS = {"resolution": 1.6, "gouge": 0.1, "excess": 0.9, "near": 1.0}
