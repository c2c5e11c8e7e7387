"""Buoy hub: a cone on a flat, a threaded bore in it, a T-slot beside it; 100 × 100 × 40 in a vise, program zero in the middle of its top.

A bull-nosed mill finishes the floor, a tapered ball the cone, level by level, down to their common fillet. The thread is M24 × 1.5:
ISO 68-1 gives a bore of D − 2·5/8·H, H = √3/2·P. It is modelled as the mill leaves it, its ends included.
"""

from __future__ import annotations

import itertools
import math

import numpy as np
from manifold3d import Manifold

from bluntmirror.geometry.mesh import revolve
from bluntmirror.job.models import ToolEntry
from bluntmirror.tools import build_assembly

from . import paths, solids
from .shop import Json, mill, tool

NAME, MACHINE, PROGRAM, TOP = "Buoy hub, T-slot and thread", "vm3-17", "O2701.nc", 86.0
LEAN = math.radians(15)  # of the cone's flank from its axis
CONE, FLOOR, FILLET = 20.0, -16.0, 2.0  # the cone's radius at the top
PITCH, THREAD = 1.5, 24.0
BORE = THREAD - 2 * 0.625 * math.sqrt(3) / 2 * PITCH
BORE_FLOOR, THREAD_FLOOR, TEETH = -24.0, -20.0, 8
SLOT_Y, SLOT_FLOOR, SLOT, UNDERCUT, LIP = (
    -36.0,
    -26.0,
    8.0,
    16.0,
    4.0,
)  # the T-slot's foot is UNDERCUT wide and LIP high
THREAD_MILL = mill("thread-mill", 14, 12, 36, shank=10, flutes=4, pitch=PITCH, teeth=TEETH)
STEP = 0.4  # between two levels on the cone


def ball_at(z: float) -> float:
    """The way from the axis of a ball of the fillet's radius that touches the cone with its tip at z."""
    return CONE - (z + FILLET) * math.tan(LEAN) + FILLET / math.cos(LEAN)


def thread_path(radius: float) -> list[tuple[float, float, float]]:
    """One turn upwards, in steps of 5°."""
    turn = [math.radians(5 * i) for i in range(73)]
    return [(radius * math.cos(a), radius * math.sin(a), THREAD_FLOOR + PITCH * a / (2 * math.pi)) for a in turn]


def _thread() -> Manifold:
    """What the teeth sweep: of every row the hulls of its places."""
    entry = {"number": 1, "length": 60, "cutter": THREAD_MILL}
    rows = build_assembly(ToolEntry.model_validate(entry)).cutting
    swept = Manifold()
    way = [(0.0, 0.0, THREAD_FLOOR), *thread_path((THREAD - THREAD_MILL["diameter"]) / 2)]
    for k in range(0, len(rows), 4):  # up, crest, down; then the root between two teeth
        up, crest, down = rows[k : k + 3]
        profile = [
            [0, up[1]],
            [up[3], up[1]],
            [crest[3], crest[1]],
            [crest[4], crest[2]],
            [down[4], down[2]],
            [0, down[2]],
        ]
        ring = revolve(profile, tolerance=0.002).vertices
        for a, b in itertools.pairwise(way):
            swept += Manifold.hull_points(np.concatenate([ring + a, ring + b]))
    return swept


def design() -> Manifold:
    middle = ball_at(FLOOR)
    arc = [
        (middle - FILLET * math.sin(a), FLOOR + FILLET * (1 - math.cos(a)))
        for a in np.linspace(0, math.pi / 2 - LEAN, 24)
    ]
    # At the top the 45° chamfer of 1 mm, down to where it meets the flank.
    low = -1.0 / (1.0 - math.tan(LEAN))
    profile = [
        (0.0, FLOOR - 1),
        (middle, FLOOR - 1),
        *arc,
        (CONE - low * math.tan(LEAN), low),
        (CONE - 1.0, 0.0),
        (0.0, 0.0),
    ]
    part = solids.block(100, 100, -40, FLOOR) + solids.solid_of(revolve([list(p) for p in profile], tolerance=0.002))
    bore = [[0, BORE_FLOOR], [BORE / 2, BORE_FLOOR], [BORE / 2, 1], [0, 1]]
    part -= solids.solid_of(revolve(bore, tolerance=0.002))
    part -= _thread()
    part -= solids.block(120, SLOT, SLOT_FLOOR, FLOOR + 1).translate([0, SLOT_Y, 0])
    return part - solids.block(120, UNDERCUT, SLOT_FLOOR, SLOT_FLOOR + LIP).translate([0, SLOT_Y, 0])


def _round(post: paths.Post, radius: float, z: float, feed: int) -> None:
    """A whole circle clockwise about the hub, come to from outside."""
    post.add(f"G1 Z{z:.3f} F1500.", f"X{radius:.3f} F{feed}.", f"G2 I{-radius:.3f}", f"G1 X{radius + 2:.3f}")


def program(flawed: bool) -> list[str]:
    post = paths.Post(2701, "BUOY HUB")
    post.call(2, "ROUGH AROUND THE CONE", 5200)
    post.add("G0 X90. Y0.", "G43 H2 Z10. M8")
    for z in (-4.0, -8.0, -12.0, -15.7):
        nearest = CONE - z * math.tan(LEAN) + 8.5
        for radius in [*np.arange(72.0, nearest + 1, -9.0), nearest]:
            _round(post, radius, z, 1600)
        post.add("G0 Z3.", "X90.")

    post.call(10, "FLOOR", 6000)
    post.add("G0 X90. Y0.", "G43 H10 Z10. M8")
    for radius in [*np.arange(72.0, ball_at(FLOOR) + 5, -6.0), ball_at(FLOOR) + 4]:
        _round(post, radius, FLOOR, 1400)
    post.add("G0 Z40.")

    post.call(11, "CONE, LEVEL BY LEVEL", 11000)
    post.add("G0 X40. Y0.", "G43 H11 Z10. M8")
    for z in [*np.arange(-0.4, FLOOR, -STEP), FLOOR]:
        _round(post, ball_at(z), z, 1800)
    post.add("G0 Z40.")

    post.call(9, "BORE FOR THE THREAD", 4200)
    post.add("G0 X0. Y0.", "G43 H9 Z10. M8", "G1 Z1. F2000.")
    inside = (BORE - 16) / 2
    for z in np.arange(-3.0, BORE_FLOOR - 1, -3.0):
        post.add(f"G1 Z{z:.1f} F300.", f"X{inside:.3f} F700.", f"G3 I{-inside:.3f}", "G1 X0.")
    post.add("G0 Z40.")

    post.call(12, "M24X1.5", 3200)
    out = (THREAD - THREAD_MILL["diameter"]) / 2 + (0.3 if flawed else 0.0)
    post.add("G0 X0. Y0.", "G43 H12 Z10. M8", f"G0 Z{THREAD_FLOOR:.3f}", f"G1 X{out:.3f} F300.",
             f"G3 I{-out:.3f} Z{THREAD_FLOOR + PITCH:.3f} F450.", "G1 X0.", "G0 Z40.")  # fmt: skip

    post.call(5, "SLOT", 7000)
    post.add(f"G0 X-60. Y{SLOT_Y:.1f}", "G43 H5 Z10. M8")
    for i, z in enumerate((-19.5, -23.0, SLOT_FLOOR)):
        post.add(f"G1 Z{z:.1f} F1500.", f"X{60 if i % 2 == 0 else -60}. F900.")
    post.add("G0 Z40.")

    post.call(13, "T-SLOT", 2400)
    post.add(
        f"G0 X-65. Y{SLOT_Y:.1f}",
        "G43 H13 Z10. M8",
        f"G1 Z{SLOT_FLOOR:.1f} F1500.",
        "X65. F400." if not flawed else "X30. F400.",
        "G0 Z40.",
    )

    post.call(7, "CHAMFER", 6000)
    post.add("G0 X40. Y0.", "G43 H7 Z10. M8")
    _round(post, CONE - 1.0 + 0.5 + 3.0, -3.0, 900)
    post.add("G0 Z40.")
    return post.end()


def bodies(flawed: bool) -> list[Json]:
    return [
        {"name": "vise", "role": "fixture", "mount": "table", "shapes": [
            {"type": "box", "size": [220, 240, 36], "at": [0, 0, 18]},
            {"type": "box", "size": [160, 24, 24], "at": [0, -62, 48]},
            {"type": "box", "size": [160, 24, 24], "at": [0, 62, 48]},
        ]},
        {"name": "parallels", "role": "fixture", "mount": "table", "shapes": [
            {"type": "box", "size": [100, 8, 10], "at": [0, y, 41]} for y in (-30, 30)]},
        {"name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [100, 100, 40]}, "at": [0, 0, 66]},
        {"name": "hub", "role": "design", "mount": "table", "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, TOP]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    taper = {"type": "taper-mill", "tip_diameter": 2 * FILLET, "corner_radius": FILLET, "angle": 3, "flute_length": 22, "reach": 36,
             "shank_diameter": 8, "flutes": 2}  # fmt: skip
    short = 22 if flawed else 34
    return [
        *tools,
        tool(10, "D12 end mill R2", mill("end-mill", 12, 26, 44, corner_radius=FILLET), 36, 112),
        tool(11, "tapered ball R2, 3 degrees", taper, 30, 110),
        tool(12, "thread mill 1.5", THREAD_MILL, 30, 108),
        tool(13, "D16 T-slot cutter", mill("t-slot", UNDERCUT, LIP, short, shank=7), 44, 104),
    ]


CHECKS = {"resolution": 0.25, "gouge": 0.05, "excess": 0.1, "near": 1.0}
