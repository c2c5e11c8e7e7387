"""Tether head on the twin-spindle lathe: turned at the bar's front, then the bar is pulled by the second spindle for the next one and
the head is cut off and carried home.

The second spindle comes and stands, its chuck closes, the main chuck opens, the bar is drawn out by a part and the part-off's width,
the main chuck closes, both spindles turn as one for the cut-off. Program zero of channel 1 is the bar's front face, after the pull as
far out as the bar was drawn (G55). X in diameters.
"""

from __future__ import annotations

import math

from manifold3d import Manifold

from bluntmirror.geometry.mesh import revolve

from . import hydrophone, nosecone, solids
from .shop import Json

NAME, MACHINE, PROGRAM, DIALECT = "Tether head", "ts8-71", "O7110.nc", "iso-turn"
BAR, STICK_OUT = 25.0, 88.0
BEHIND = 100.0  # of the bar behind the main chuck's face
LENGTH, KERF = 78.0, hydrophone.KERF
PULL = LENGTH + KERF
SPIGOT, SPIGOT_END, HEAD, HEAD_END = 16.0, -22.0, 21.0, -34.0  # radii and ends, from the front face
WAIST, WAIST_END, FLANGE = 17.0, -56.0, 24.0
WAIST_BEGIN = HEAD_END - (HEAD - WAIST) / math.tan(math.radians(25))
FLANGE_BEGIN = WAIST_END - (FLANGE - WAIST)  # up at 45°
GRIPPED = 20.0  # of the spigot, in the second chuck
APPROACH = -(700.0 - 90.0 - STICK_OUT) + 28.0 - GRIPPED  # W at which it holds that much: its jaws are 28 long
TOO_FAR_BACK = 12.0  # where the flawed revision stops


def outline() -> list[tuple[float, float]]:
    """(r, z) of the outside from the front face to the back."""
    return [
        (SPIGOT - 1.0, 0.0), (SPIGOT, -1.0), (SPIGOT, SPIGOT_END), (HEAD, SPIGOT_END), (HEAD, HEAD_END), (WAIST, WAIST_BEGIN),
        (WAIST, WAIST_END), (FLANGE, FLANGE_BEGIN), (FLANGE, -LENGTH),
    ]  # fmt: skip


def design() -> Manifold:
    profile = [(0.0, 0.0), *outline(), (0.0, -LENGTH)]
    return solids.solid_of(revolve([list(p) for p in profile], tolerance=0.004))


def program(flawed: bool) -> list[str]:
    # The waist is roughed once on the finishing insert, 2 mm before its last pass.
    rough = [f"X{2 * HEAD + 1.2:.1f} Z{HEAD_END:.1f}", f"X{2 * WAIST + 4:.1f} Z{HEAD_END - 5.6:.1f}", f"Z{WAIST_END - 0.4:.1f}",
             f"X{2 * HEAD + 2.6:.1f} Z{WAIST_END - 3.5:.1f}"]  # fmt: skip
    finish = [f"X{2 * r:.3f} Z{z:.3f}" for r, z in outline()[1:]]
    return [
        "%", "O7110 (TETHER HEAD, UPPER TURRET)", "G21 G40 G99", "G28 U0 W0", "T0101 (FACE AND ROUGH)", "G97 S1400 M3", "G0 X54. Z0. M8",
        "G1 X-1.8 F0.15", "G0 Z2.", "X48.6", f"G1 Z{-LENGTH - 2.0:.1f} F0.22", "G0 U2. Z2.", "X44.6", f"G1 Z{WAIST_END - 4.0:.1f} F0.22",
        "G0 U2. Z2.", "X38.6", f"G1 Z{SPIGOT_END + 0.2:.1f} F0.22", "G0 U2. Z2.", "X33.", f"G1 Z{SPIGOT_END + 0.2:.1f} F0.22", "U14.",
        "G0 X90.", "G28 U0 W0", "T0202 (FINISH)", "G97 S1800", f"G0 X{2 * HEAD + 4:.1f} Z{HEAD_END + 2.0:.1f}", *(f"G1 {b} F0.18" for b in rough),
        "G0 U4.", "Z2.", f"G0 G42 X{2 * SPIGOT - 6.0:.1f} Z2.", f"G1 X{2 * SPIGOT - 2.0:.1f} Z0. F0.1", *finish, f"Z{-LENGTH - 3.0:.1f}",
        "G0 G40 U6.", "X90.", "G28 U0 W0", "M9", "M5", "M200 (FRONT DONE, SPINDLE STANDS)", "T0303 (CUT OFF)", "M201 (BAR PULLED)", "G55",
        "M35 (SECOND SPINDLE FOLLOWS)", "G97 S1200 M3", f"G0 Z{-LENGTH - KERF:.1f} M8", "X54.", "G4 U1.", "G1 X-1. F0.08", "G0 X200. M9", "M5",
        "G28 U0 W0", "M202 (CUT OFF)", "M30", "%",
    ]  # fmt: skip


def second(flawed: bool) -> list[str]:
    near = APPROACH + (TOO_FAR_BACK if flawed else 0.0)
    closed = ["M68 (MAIN CHUCK CLOSES)", "M201 (BAR PULLED)"]
    if flawed:  # the mark stands before the chuck has closed, and the second chuck opens before the cut-off
        closed = [*reversed(closed), "M169 (SECOND CHUCK OPENS)"]
    return [
        "%", "O7111 (TETHER HEAD, SECOND SPINDLE)", "G21 G40 G98", "G28 U0 W0", "M200 (FRONT DONE, SPINDLE STANDS)",
        f"G0 W={near + 25.0:.1f} (APPROACH)", f"G1 W={near:.1f} F2000.", "G4 U0.2", "M168 (SECOND CHUCK CLOSES)",
        "G4 U0.8", "M69 (MAIN CHUCK OPENS)", f"G1 W={near + PULL:.1f} F3000. (PULL)", *closed,
        "M202 (CUT OFF)", "M36", "G0 W=0. (HOME)", "M30", "%",
    ]  # fmt: skip


def channels(flawed: bool) -> list[Json]:
    return [{"channel": 2, "main": "O7111.nc", "lines": second(flawed), "work_offsets": offsets()}]


def bodies(flawed: bool) -> list[Json]:
    bar = {"type": "cylinder", "diameter": 2 * BAR, "length": STICK_OUT + BEHIND}
    return [
        {"name": "bar", "role": "stock", "mount": "main", "shape": bar, "at": [0, 0, (STICK_OUT - BEHIND) / 2]},
        {"name": "head", "role": "design", "mount": "main", "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, STICK_OUT]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return hydrophone.turning_tools()


def offsets() -> Json:
    return {
        "G54": {"datum": [0, 0, STICK_OUT], "mount": "main"},
        "G55": {"datum": [0, 0, STICK_OUT + PULL], "mount": "main"},
    }


CHECKS = nosecone.CHECKS
