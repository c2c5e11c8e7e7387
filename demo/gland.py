"""Cable gland plates, a family of three from one macro program: `#500` says which. Program zero in the middle of the blank's
top; the blank in the vise of the lid.

    O2450   asks which plate, calls the macros
    O2451   round a rounded rectangle under cutter compensation, A mm off it, to depth Z
    O2452   helical bore: X Y, diameter D, to depth Z in turns of Q
    O2453   holes on a circle: X Y, radius R, B of them from angle A, to depth Z
"""

from __future__ import annotations

import math

from manifold3d import Manifold
from shapely.geometry import Point
from shapely.geometry import box as rectangle

from . import lid, paths, solids
from .shop import Json

NAME, MACHINE, PROGRAM = "Cable gland plate, family of three", "vm3-17", "O2450.nc"
VARIANT = 2
STEP, BORE, CIRCLE, HOLE = -5.0, 20.0, 18.0, -16.0
BORE_DEPTH = -12.0
CENTRES = {1: [0.0], 2: [-31.0, 31.0], 3: [-38.0, 0.0, 38.0]}
BOSS = rectangle(-60, -42, 60, 42).buffer(-12).buffer(12, quad_segs=48)
TOO_DEEP = 0.6  # of the flawed revision's second bore
COUNT = 6


def design() -> Manifold:
    part = solids.block(150, 110, -24, STEP) + solids.prism(BOSS, STEP - 0.01, 0.0)
    for x in CENTRES[VARIANT]:
        part -= solids.pocket(Point(x, 0).buffer(BORE / 2, quad_segs=64), BORE_DEPTH, 0.0)
        for i in range(COUNT):
            angle = math.radians(30 + 360 / COUNT * i)
            part -= solids.hole(x + CIRCLE * math.cos(angle), CIRCLE * math.sin(angle), 6.6, HOLE, 0.0)
    return part


def program(flawed: bool) -> list[str]:
    post = paths.Post(2450, "GLAND PLATE, FAMILY")
    post.add("(#500: 1, 2 OR 3 GLANDS)", "IF [[#500 LT 1] OR [#500 GT 3]] THEN #3000=1 (NO SUCH PLATE)",
             "#501=31.", "IF [#500 EQ 3] THEN #501=38.", "#502=[#500-1]*-0.5*#501*[2-[#500 EQ 3]] (FIRST CENTRE)",
             "#503=#501*[2-[#500 EQ 3]] (FROM CENTRE TO CENTRE)")  # fmt: skip
    post.call(2, "ROUND THE PLATE", 5200)
    post.add(
        "G0 X95. Y0.", "G43 H2 Z20. M8", "F1400.", f"G65 P2451 A9. Z{STEP:g}", f"G65 P2451 A0 Z{STEP:g}", "G0 Z40."
    )
    post.call(5, "BORES", 7000)
    depth = f"[{BORE_DEPTH:g}-{TOO_DEEP:g}*#510]" if flawed else f"{BORE_DEPTH:g}"
    post.add("G0 X0. Y0.", "G43 H5 Z20. M8", "F900.", "#510=0", "WHILE [#510 LT #500] DO1",
             f"G65 P2452 X[#502+#510*#503] Y0 D{BORE:g} Z{depth} Q1.5", "#510=#510+1", "END1", "G0 Z40.")  # fmt: skip
    post.call(4, "HOLES ROUND THE BORES", 3600)
    post.add("G0 X0. Y0.", "G43 H4 Z20. M8", "F400.", f"#504={CIRCLE:g}" if not flawed else f"#504={CIRCLE:g}+#599", "#510=0", "N100",
             f"G65 P2453 X[#502+#510*#503] Y0 R#504 A30. B{COUNT} Z{HOLE:g}", "#510=#510+1", "IF [#510 LT #500] GOTO 100",
             "G80", "G0 Z40.")  # fmt: skip
    if flawed:
        post.add("G65 P2454 (ENGRAVE THE NUMBER)")
    return post.end()


def outline() -> list[str]:
    """Clockwise round the plate, the tool left of its way: outside."""
    return [
        "%", "O2451 (ROUNDED RECTANGLE 120 X 84 R12, A OFF IT, TO Z)", "#10=60+#1", "#11=42+#1", "#12=12+#1",
        "G0 X[#10+26] Y20.", "Z2.", "G1 Z#26 F2000.", "F1400.", "G41 D2 X#10 Y14.", "Y-[#11-#12]", "G2 X[#10-#12] Y-#11 R#12",
        "G1 X-[#10-#12]", "G2 X-#10 Y-[#11-#12] R#12", "G1 Y[#11-#12]", "G2 X-[#10-#12] Y#11 R#12", "G1 X[#10-#12]",
        "G2 X#10 Y[#11-#12] R#12", "G1 Y-14.", "G40 X[#10+26] Y-20.", "G0 Z5.", "M99", "%",
    ]  # fmt: skip


def bore() -> list[str]:
    return [
        "%", "O2452 (HELICAL BORE)", "#10=#7/2-4. (CENTRE OF A D8 CUTTER)", "#11=0", "G0 X[#24+#10] Y#25", "Z1.", "G1 Z0 F500.",
        "WHILE [#11 GT #26] DO2", "#11=#11-#17", "IF [#11 LT #26] THEN #11=#26", "G3 I-#10 Z#11 F900.", "END2", "G3 I-#10",
        "G1 X#24", "G0 Z5.", "M99", "%",
    ]  # fmt: skip


def circle() -> list[str]:
    return [
        "%", "O2453 (HOLES ON A CIRCLE)", "#10=0", "G0 Z3.", "WHILE [#10 LT #2] DO3", "#11=#1+360*#10/#2",
        "G99 G83 X[#24+#18*COS[#11]] Y[#25+#18*SIN[#11]] Z#26 R3. Q5. F400.", "#10=#10+1", "END3", "G80", "M99", "%",
    ]  # fmt: skip


SUBPROGRAMS = {"O2451.nc": outline, "O2452.nc": bore, "O2453.nc": circle}
VARIABLES = {"500": float(VARIANT)}


def bodies(flawed: bool) -> list[Json]:
    vise = lid.bodies(False)[0]
    return [
        vise,
        {"name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [150, 110, 24]}, "at": [0, 0, 60]},
        {"name": "gland plate", "role": "design", "mount": "table", "shape": {"type": "mesh", "file": "design.stl"}, "at": [0, 0, 72]},
    ]  # fmt: skip


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return [entry for entry in tools if entry["number"] in (2, 4, 5)]


TOP = 72.0
