"""The shop's machines and its one tool crib."""

from __future__ import annotations

from typing import Any

Json = dict[str, Any]


def vertical_mill(name: str, travels: tuple[float, float, float], table: tuple[float, float], rates: Json) -> Json:
    """A vertical mill with a cross table: the table carries X on a saddle that carries Y, the head carries Z.

    At the reference the spindle stands over the table's far right corner of travel, `nose` above the table.
    """
    x, y, z = travels
    length, depth = table
    nose = z + 90.0
    front = depth / 2 + y + 40.0  # of the column: the table must pass in front of it
    spindle = [x / 2, y / 2, nose]
    slots = 5
    pitch = depth / slots
    strips: list[Json] = [{"type": "box", "size": [length, depth, 38], "at": [0, 0, -41]}]
    for i in range(slots):
        strips.append(
            {"type": "box", "size": [length, pitch - 14, 22], "at": [0, (i - slots // 2) * pitch, -11]},
        )
    linear = {"type": "linear", "accel": rates["accel"]}
    return {
        "format": "blunt-mirror/machine@1",
        "name": name,
        "links": [
            {"name": "bed", "shapes": [
                {"type": "box", "size": [x + 260, 2 * front, 200], "at": [0, 0, -330]},
                {"type": "box", "size": [x * 0.7, 280, nose + 800], "at": [x / 2, front + 140, nose / 2 - 30]},
            ]},
            {"name": "saddle", "parent": "bed",
             "joint": {**linear, "axis": "Y", "direction": [0, -1, 0], "travel": [-y, 0], "rapid": rates["rapid"]},
             "shapes": [{"type": "box", "size": [length * 0.72, depth * 0.95, 90], "at": [0, 0, -140]}]},
            {"name": "table", "parent": "saddle",
             "joint": {**linear, "axis": "X", "direction": [-1, 0, 0], "travel": [-x, 0], "rapid": rates["rapid"]},
             "shapes": strips},
            {"name": "head", "parent": "bed",
             "joint": {**linear, "axis": "Z", "direction": [0, 0, 1], "travel": [-z, 0], "rapid": rates["rapid_z"]},
             "shapes": [
                 {"type": "revolve", "profile": [[0, 0], [42, 0], [44, 3], [44, 26], [62, 60], [62, 150], [0, 150]],
                  "at": spindle},
                 {"type": "box", "size": [250, front - y / 2 + 110, 340], "at": [x / 2, (front + y / 2 - 110) / 2, nose + 320]},
                 {"type": "cylinder", "diameter": 170, "length": 220, "at": [x / 2, y / 2, nose + 600]},
             ]},
        ],
        "mounts": [
            {"name": "spindle", "link": "head", "at": spindle, "takes": "tool"},
            {"name": "table", "link": "table", "at": [0, 0, 0], "takes": "work"},
        ],
        "channels": [{"number": 1, "axes": ["X", "Y", "Z"]}],
        "reference": {"1": {"X": 0, "Y": 0, "Z": 0}},
        "tool_change": {"at": {"Z": 0}, "seconds": rates["change"]},
        "spindle": {"max_rpm": rates["rpm"]},
        "rapid": "dogleg",
    }  # fmt: skip


MACHINES = {
    "vm3-17": vertical_mill(
        "VM-3 unit 17", (610, 410, 510), (700, 400),
        {"rapid": 24000, "rapid_z": 18000, "accel": 4000, "change": 4.0, "rpm": 12000},
    ),
    "vm5-22": vertical_mill(
        "VM-5 unit 22", (1050, 530, 560), (1200, 520),
        {"rapid": 36000, "rapid_z": 30000, "accel": 5000, "change": 2.8, "rpm": 14000},
    ),
}  # fmt: skip


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
        tool(7, "D12 chamfer mill 90", mill("chamfer-mill", 12, 10, 36, tip_diameter=1.0, angle=90, flutes=4), 34, 100),
    ]


def tools_file(tools: list[Json]) -> Json:
    return {"format": "blunt-mirror/tools@1", "name": "Tool crib, mills", "tools": tools}
