"""The shop's one tool crib."""

from __future__ import annotations

from typing import Any

Json = dict[str, Any]


def mill(kind: str, diameter: float, flute: float, reach: float, **more: float) -> Json:
    return {"type": kind, "diameter": diameter, "flute_length": flute, "reach": reach,
            "shank_diameter": more.pop("shank", diameter), "flutes": int(more.pop("flutes", 3)), **more}  # fmt: skip


def tool(number: int, name: str, cutter: Json, holder: float, length: float) -> Json:
    segments = [
        {"diameter": holder - 8, "to_diameter": holder, "length": 12},
        {"diameter": holder, "length": length - cutter["reach"] - 12},
    ]
    return {"number": number, "name": name, "cutter": cutter, "holder": {"segments": segments}, "length": length}


def crib() -> list[Json]:
    return [
        tool(1, "D50 face mill", mill("end-mill", 50, 8, 45, shank=40, flutes=5), 60, 110),
        tool(2, "D16 end mill", mill("end-mill", 16, 36, 52), 44, 118),
        tool(3, "D10 end mill R1", mill("end-mill", 10, 24, 40, corner_radius=1.0), 36, 104),
        tool(4, "D6.6 drill", mill("drill", 6.6, 50, 60, point_angle=118, flutes=2), 34, 128),
        tool(5, "D8 end mill", mill("end-mill", 8, 18, 30), 30, 106),
        tool(6, "D10 ball mill", mill("ball-mill", 10, 20, 44, flutes=2), 36, 112),
        tool(8, "D20 ball mill", mill("ball-mill", 20, 38, 70, flutes=2), 44, 150),
        tool(9, "D16 end mill, long", mill("end-mill", 16, 50, 90), 44, 160),
        tool(7, "D12 chamfer mill 90", mill("chamfer-mill", 12, 10, 36, tip_diameter=1.0, angle=90, flutes=4), 34, 100),
    ]


def tools_file(tools: list[Json]) -> Json:
    return {"format": "blunt-mirror/tools@1", "name": "Tool crib, mills", "tools": tools}
