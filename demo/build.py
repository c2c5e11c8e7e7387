"""Writes the demo shop's jobs: run `python -m demo.build` from the root of the project.

Buoy electronics lid, first side: a 150 × 110 × 30 blank in a vise, program zero in the middle of the blank's top. A
pocket 110 × 70 × 12 with 12 mm corners stands around a cable boss of 30 mm; six screw holes go around the rim.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

from shapely.geometry import LinearRing, Point, Polygon
from shapely.geometry import box as rectangle

JOBS = Path(__file__).parent / "jobs"

MACHINE = {
    "format": "blunt-mirror/machine@1",
    "name": "VM-3 unit 17",
    "links": [
        {"name": "bed", "shapes": [
            {"type": "box", "size": [900, 760, 200], "at": [0, 0, -300]},
            {"type": "box", "size": [420, 260, 1300], "at": [305, 660, 250]},
        ]},
        {"name": "saddle", "parent": "bed",
         "joint": {"axis": "Y", "type": "linear", "direction": [0, -1, 0], "travel": [-410, 0], "rapid": 24000, "accel": 4000},
         "shapes": [{"type": "box", "size": [520, 380, 90], "at": [0, 0, -140]}]},
        {"name": "table", "parent": "saddle",
         "joint": {"axis": "X", "type": "linear", "direction": [-1, 0, 0], "travel": [-610, 0], "rapid": 24000, "accel": 4000},
         "shapes": [{"type": "box", "size": [700, 400, 60], "at": [0, 0, -30]}]},
        {"name": "head", "parent": "bed",
         "joint": {"axis": "Z", "type": "linear", "direction": [0, 0, 1], "travel": [-510, 0], "rapid": 18000, "accel": 3000},
         "shapes": [
             {"type": "revolve", "profile": [[0, 0], [45, 0], [60, 40], [60, 130], [0, 130]], "at": [305, 205, 600]},
             {"type": "box", "size": [240, 420, 320], "at": [305, 295, 890]},
         ]},
    ],
    "mounts": [
        {"name": "spindle", "link": "head", "at": [305, 205, 600], "takes": "tool"},
        {"name": "table", "link": "table", "at": [0, 0, 0], "takes": "work"},
    ],
    "channels": [{"number": 1, "axes": ["X", "Y", "Z"]}],
    "reference": {"1": {"X": 0, "Y": 0, "Z": 0}},
    "tool_change": {"at": {"Z": 0}, "seconds": 4.0},
    "spindle": {"max_rpm": 12000},
    "rapid": "dogleg",
    "ignore": [["bed", "head"]],
}  # fmt: skip


def tool(number: int, name: str, cutter: dict[str, object], holder: float, length: float) -> dict[str, object]:
    segments = [{"diameter": holder - 8, "to_diameter": holder, "length": 12}, {"diameter": holder, "length": 38}]
    return {"number": number, "name": name, "cutter": cutter, "holder": {"segments": segments}, "length": length}


def end_mill(diameter: float, flute: float, reach: float, corner: float = 0.0) -> dict[str, object]:
    return {"type": "end-mill", "diameter": diameter, "corner_radius": corner, "flute_length": flute, "reach": reach,
            "shank_diameter": diameter, "flutes": 3}  # fmt: skip


TOOLS = {
    "format": "blunt-mirror/tools@1",
    "name": "Tool crib, mills",
    "tools": [
        tool(1, "D50 face mill", {"type": "end-mill", "diameter": 50, "flute_length": 8, "reach": 45, "shank_diameter": 40,
                                  "flutes": 5}, 60, 110),
        tool(2, "D16 end mill", end_mill(16, 36, 52), 44, 118),
        tool(3, "D10 end mill R1", end_mill(10, 24, 40, 1.0), 36, 104),
        tool(4, "D6.6 drill", {"type": "drill", "diameter": 6.6, "point_angle": 118, "flute_length": 50, "reach": 60,
                               "shank_diameter": 6.6, "flutes": 2}, 34, 128),
    ],
}  # fmt: skip

POCKET = rectangle(-55, -35, 55, 35).buffer(-12).buffer(12, quad_segs=24)
BOSS = Point(0, 0).buffer(15, quad_segs=48)
DEPTH = 12.0
HOLES = [(-66, -46), (0, -46), (66, -46), (66, 46), (0, 46), (-66, 46)]


def rings(region: Polygon, first: float, step: float) -> Iterator[list[tuple[float, float]]]:
    """Closed paths parallel to the borders of a region, from the borders inwards."""
    offset = first
    while True:
        inner = region.buffer(-offset, quad_segs=16)
        if inner.is_empty:
            return
        parts = list(inner.geoms) if hasattr(inner, "geoms") else [inner]
        for part in parts:
            for ring in [part.exterior, *part.interiors]:
                yield list(LinearRing(ring).simplify(0.002).coords)
        offset += step


def lid_program(flawed: bool) -> list[str]:
    out = ["%", "O2101 (BUOY LID, FIRST SIDE)", "G17 G21 G40 G49 G80 G90", "G91 G28 Z0.", "G90"]

    def call(number: int, name: str, speed: int) -> None:
        out.extend(["M5", "M9", "G91 G28 Z0.", "G90", f"T{number} M6 ({name})", f"G54 S{speed} M3"])

    call(1, "FACE", 2400)
    out.extend(["G0 X-110. Y-38.", "G43 H1 Z10. M8", "G1 Z-1. F2000."])
    for i, y in enumerate((-38, 0, 38)):
        out.append(f"G1 Y{y}. F900." if i else "F900.")
        out.append(f"X{110 if i % 2 == 0 else -110}.")
    out.append("G0 Z40.")

    call(2, "ROUGH POCKET", 5200)
    region = POCKET.difference(BOSS)
    paths = list(rings(region, 8.3, 7.0))[::-1]
    out.extend(["G0 X0. Y0.", "G43 H2 Z10. M8"])
    for level in (-3.7, -6.4, -9.1, -11.8):
        for path in paths:
            x, y = path[0]
            out.append(f"G0 X{x:.3f} Y{y:.3f}")
            out.append(f"Z{level + 3.2:.3f}" if level > -4 else f"Z{level + 3.0:.3f}")
            # Ramp in along the path, then go round to where the ramp began.
            ramp = path[1 : max(3, len(path) // 3)]
            for i, (px, py) in enumerate(ramp):
                out.append(f"{'G1 ' if i == 0 else ''}X{px:.3f} Y{py:.3f} Z{level + 3.0 * (1 - (i + 1) / len(ramp)):.3f}"
                           f"{' F700.' if i == 0 else ''}")  # fmt: skip
            around = path[len(ramp) + 1 :] + path[1 : len(ramp) + 1]
            for i, (px, py) in enumerate(around):
                out.append(f"X{px:.3f} Y{py:.3f}{' F1400.' if i == 0 else ''}")
            out.append("G0 Z3.")
    if flawed:
        out.extend(["(ACROSS THE BOSS, RETRACT FORGOTTEN)", "G0 X-34. Y0.", "G1 Z-6. F900.", "G0 X34.", "G0 Z3."])
    out.append("G0 Z40.")

    call(3, "FINISH POCKET", 8000)
    out.extend(["G0 X-42. Y0.", "G43 H3 Z10. M8"])
    wall = list(LinearRing(POCKET.buffer(-5, quad_segs=24).exterior).simplify(0.002).coords)
    for level in (-6.0, -DEPTH):
        x, y = wall[0]
        out.extend(
            [f"G0 X{x - 6:.3f} Y{y:.3f}", f"Z{level + 1:.3f}", f"G1 Z{level:.3f} F600.", f"X{x:.3f} Y{y:.3f} F1100."]
        )
        out.extend(f"X{px:.3f} Y{py:.3f}" for px, py in wall[1:])
        out.extend(["G0 Z3.", "G0 X26. Y0.", f"Z{level + 1:.3f}", f"G1 Z{level:.3f} F600.", "X20. F1100.", "G2 I-20.",
                    "G1 X26.", "G0 Z3."])  # fmt: skip
    for path in list(rings(region, 5.2, 4.5)):
        x, y = path[0]
        out.extend([f"G0 X{x:.3f} Y{y:.3f}", "Z-11.", f"G1 Z-{DEPTH:.3f} F500."])
        out.extend(f"X{px:.3f} Y{py:.3f}{' F1600.' if i == 0 else ''}" for i, (px, py) in enumerate(path[1:]))
        out.append("G0 Z3.")
    out.append("G0 Z40.")

    call(4, "DRILL", 3600)
    out.extend([f"G0 X{HOLES[0][0]}. Y{HOLES[0][1]}.", "G43 H4 Z40. M8", "G98 G83 R3. Z-24. Q6. F420."])
    if flawed:
        out[-1] = "G99 G83 R3. Z-24. Q6. F420. (RETURNS TO R ONLY)"
    out.extend(f"X{x}. Y{y}." for x, y in HOLES[1:])
    out.append("G80")
    out.append("G0 Z40.")
    if flawed:
        out.append("G0 X-312. Y0.")
    out.extend(["M5", "M9", "G91 G28 Z0.", "G28 X0. Y0.", "G90", "M30", "%"])
    return out


def lid_job(flawed: bool) -> dict[str, object]:
    clamp_at = [0, 70, 60] if flawed else [0, 92, 60]
    return {
        "format": "blunt-mirror/job@1",
        "name": "Buoy electronics lid, first side",
        "machine": "machine.json",
        "tools": "tools.json",
        "programs": [{"channel": 1, "main": "O2101.nc", "dialect": "iso-mill"}],
        "bodies": [
            {"name": "vise", "role": "fixture", "mount": "table", "shapes": [
                {"type": "box", "size": [220, 240, 36], "at": [0, 0, 18]},
                {"type": "box", "size": [160, 24, 24], "at": [0, -67, 48]},
                {"type": "box", "size": [160, 24, 24], "at": [0, 67, 48]},
            ]},
            {"name": "stop arm", "role": "fixture", "mount": "table",
             "shape": {"type": "box", "size": [16, 20, 48]}, "at": clamp_at},
            {"name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [150, 110, 30]},
             "at": [0, 0, 61]},
        ],
        "work_offsets": {"G54": {"datum": [0, 0, 76], "mount": "table"}},
        "checks": {"resolution": 0.5, "gouge": 0.05, "excess": 0.3, "near": 1.0},
    }  # fmt: skip


def write(folder: Path, job: dict[str, object], program: list[str], name: str) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for file, data in (("job.json", job), ("machine.json", MACHINE), ("tools.json", TOOLS)):
        (folder / file).write_text(json.dumps(data, indent=1) + "\n")
    (folder / name).write_text("\n".join(program) + "\n")


def main() -> None:
    for flawed, name in ((False, "1-as released"), (True, "2-flawed")):
        write(JOBS / "buoy-lid" / name, lid_job(flawed), lid_program(flawed), "O2101.nc")


if __name__ == "__main__":
    main()
