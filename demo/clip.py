"""Cable clip, written by a text generator for a beginner: a slot, a step under compensation and four holes. The released
revision is what came of it after the check; the flawed one is as it was handed over, with the slips such programs have.
"""

from __future__ import annotations

from manifold3d import Manifold
from shapely.geometry import LineString
from shapely.geometry import box as rectangle

from . import lid, solids
from .shop import Json

NAME, MACHINE, PROGRAM = "Cable clip, as generated", "vm3-17", "O2990.nc"
SLOT = LineString([(-40, 0), (40, 0)]).buffer(4, quad_segs=48)
STEP = rectangle(-80, 30, 80, 60)
HOLES = [(-55.0, -35.0), (55.0, -35.0), (55.0, 15.0), (-55.0, 15.0)]


def design() -> Manifold:
    part = solids.block(150, 110, -24, 0)
    part -= solids.pocket(SLOT, -6.0, 0.0)
    part -= solids.prism(STEP, -4.0, 1.0)
    for x, y in HOLES:
        part -= solids.hole(x, y, 6.6, -14.0, 0.0)
    return part


def program(flawed: bool) -> list[str]:
    return GENERATED if flawed else RELEASED


# Line by line what it was meant to be, and beside it what was written where that is something else.
_PAIRS: list[tuple[str | None, str | None]] = [
    ("%", None), ("O2990 (CABLE CLIP)", None), ("G17 G21 G40 G49 G80 G90", None), ("G91 G28 Z0.", None), ("G90", None),
    ("(SLOT 8 WIDE, 6 DEEP)", "(SLOT 8 WIDE, 6 DEEP"),
    ("T5 M6", None), ("G54 S7000 M3", "G54 S70000 M3"),
    ("G0 X-40. Y0.", "GO X-40. Y0."), ("G43 H5 Z20. M8", "Z20. M8"), ("Z2.", "G0 Z2."), ("G1 Z-3. F300.", "G1 Z-3."),
    ("X40. F700.", "X40. F700. P2"), ("Z-6. F300.", None), ("X-40. F700.", None), ("G0 Z40.", None),
    ("M5", None), ("M9", None), ("G91 G28 Z0.", None), ("G90", None),
    ("(STEP 4 DEEP ALONG THE BACK)", None), ("T2 M6", None), ("S5200 M3", None), ("G0 X-95. Y20.", None), ("G43 H2 Z20. M8", "G43 H5 Z20. M8"),
    ("Z-4.", None), ("G41 D2 G1 X-85. Y30. F1200.", "G41 G1 X-85. Y30. F1200."), ("X85.", None), ("G40 G1 X95. Y20.", "X95. Y20."),
    ("G0 Z5.", None), ("X-95. Y52.", None), ("Z-4.", None), ("G1 X95. F1200.", None), ("G0 Z40.", None),
    ("M5", None), ("M9", None), ("G91 G28 Z0.", None), ("G90", None),
    ("(FOUR HOLES)", None), ("T4 M6", "T40 M6"), (None, "T4 M6"), ("S3600 M3", "S3600"), ("G0 X-55. Y-35.", None), ("G43 H4 Z20. M8", None),
    ("G99 G83 Z-14. R3. Q5. F400.", "G99 G83 Z-14. R3. F400."), ("X55.", None), ("Y15.", None), ("X-55.", None), ("G80", None),
    ("G0 Z40.", "G0 G1 Z40."), ("M5", "M55"), ("M9", None), ("G91 G28 Z0.", None), ("G28 X0. Y0.", None), ("G90", None), ("M30", None), ("%", None),
]  # fmt: skip
RELEASED = [right for right, _ in _PAIRS if right is not None]
GENERATED = [wrong if wrong is not None else right for right, wrong in _PAIRS]  # type: ignore[misc]


def bodies(flawed: bool) -> list[Json]:
    return [
        lid.bodies(False)[0],
        {"name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [150, 110, 24]}, "at": [0, 0, 60]},
        {"name": "clip", "role": "design", "mount": "table", "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, 72]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return [entry for entry in tools if entry["number"] in (2, 4, 5)]


TOP = 72.0
