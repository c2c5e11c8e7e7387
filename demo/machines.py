"""The shop's machines. Drawn upright: +z of the machine's frame is up, whichever axis that is.

Each builder's first lines say where its axes and pivots stand; shapes are there to be run into, and to be believed.
"""

from __future__ import annotations

import math
from typing import Any

from .arms import hand_cell, shell_cell
from .lathes import mill_turn, sliding_head, twin_spindle, two_turret
from .links import Json, box, linear, link, machine, nose, rod, rotary, station_turn, table_slots


def vertical_mill(name: str, travels: tuple[float, float, float], table: tuple[float, float], rates: Json) -> Json:
    """A cross table: the table carries X on a saddle that carries Y, the head carries Z. At the reference the spindle stands
    over the table's far right corner of travel, `clear` above the table."""
    x, y, z = travels
    length, depth = table
    clear = z + 90.0
    front = depth / 2 + y + 40.0  # of the column: the table must pass in front of it
    spindle = [x / 2, y / 2, clear]
    reach = front - y / 2 + 110
    return machine(name, [
        link("bed", None, None, box([x + 260, 2 * front, 200], [0, 0, -330]),
             box([x * 0.7, 280, clear + 800], [x / 2, front + 140, clear / 2 - 30])),
        link("saddle", "bed", linear("Y", [0, -1, 0], [-y, 0], rates["rapid"], rates["accel"]),
             box([length * 0.72, depth * 0.95, 90], [0, 0, -140])),
        link("table", "saddle", linear("X", [-1, 0, 0], [-x, 0], rates["rapid"], rates["accel"]),
             *table_slots(length, depth, 5)),
        link("head", "bed", linear("Z", [0, 0, 1], [-z, 0], rates["rapid_z"], rates["accel"]), nose(spindle),
             box([250, reach, 340], [x / 2, y / 2 - 110 + reach / 2, clear + 320]), rod(170, 220, [x / 2, y / 2, clear + 600])),
    ], [
        {"name": "spindle", "link": "head", "at": spindle, "takes": "tool"},
        {"name": "table", "link": "table", "at": [0, 0, 0], "takes": "work"},
    ], "XYZ", {"Z": 0}, rpm=rates["rpm"], seconds=rates["change"])  # fmt: skip


def trunnion_mill() -> Json:
    """The tool runs in X (ram), Y (saddle) and Z (head); the plate (C) lies in a cradle (A) between two bearings. A turns
    about the cradle's axis 30 above the plate; the spindle's face is 480 above the plate at the reference."""
    up, pivot = 480.0, 30.0
    side = [[-70, -150], [70, -150], [70, 40], [40, 75], [-40, 75], [-70, 40]]  # of a bearing block, seen along x
    return machine("TR-5 unit 40", [
        link("bed", None, None, box([1100, 1500, 160], [0, 150, -480]), box([760, 240, 1650], [0, 690, 425]),
             *({"type": "extrude", "outline": side, "height": 90, "at": [at, 0, pivot], "turn": [90, 0, 90]} for at in (-395, 305)),
             *(box([90, 140, 280], [at, 0, -260]) for at in (-350, 350))),
        link("ram", "bed", linear("X", [1, 0, 0], [-250, 250], 40000, 6000), box([320, 110, 420], [0, 515, 800])),
        link("saddle", "ram", linear("Y", [0, 1, 0], [-260, 220], 40000, 6000), box([260, 330, 360], [0, 295, 820])),
        link("head", "saddle", linear("Z", [0, 0, 1], [-460, 0], 36000, 6000), nose([0, 0, up], scale=0.85),
             box([200, 230, 330], [0, 30, up + 290])),
        link("cradle", "bed", rotary("A", [-1, 0, 0], [0, 0, pivot], [-120, 30], 18000),
             rod(120, 70, [-270, 0, 0], [0, 90, 0]), rod(120, 70, [270, 0, 0], [0, 90, 0]),
             box([46, 150, 150], [-225, 0, -60]), box([46, 150, 150], [225, 0, -60]), box([496, 170, 60], [0, 0, -150])),
        link("plate", "cradle", rotary("C", [0, 0, -1], [0, 0, -pivot], None, 36000),
             rod(150, 74, [0, 0, -76]), rod(320, 39, [0, 0, -19.5])),
    ], [
        {"name": "spindle", "link": "head", "at": [0, 0, up], "takes": "tool"},
        {"name": "plate", "link": "plate", "takes": "work"},
    ], "XYZAC", {"Z": 0}, rpm=18000, seconds=3.2, codes={
        "M10": {"does": "clamp", "axis": "A", "seconds": 0.3}, "M11": {"does": "unclamp", "axis": "A", "seconds": 0.3},
        "M12": {"does": "clamp", "axis": "C", "seconds": 0.3}, "M13": {"does": "unclamp", "axis": "C", "seconds": 0.3},
    })  # fmt: skip


def horizontal_mill() -> Json:
    """The spindle lies along machine y: Z runs towards the column, Y is up, X to the left. The pallet turns about B, which stands upright
    through its middle. At the reference the spindle's face is 780 in front of B's axis and 620 above the pallet."""
    face, high = 780.0, 620.0
    return machine("HM-4 unit 31", [
        link("bed", None, None, box([1500, 2700, 180], [0, 600, -470]), box([700, 220, 60], [0, 1150, -350])),
        link("column", "bed", linear("X", [-1, 0, 0], [-330, 330], 50000, 6000), box([620, 330, 1450], [0, face + 560, 420])),
        link("head", "column", linear("Y", [0, 0, 1], [-590, 0], 50000, 6000), nose([0, face, high], [-90, 0, 0]),
             box([300, 300, 360], [0, face + 250, high])),
        link("slide", "bed", linear("Z", [0, -1, 0], [-580, 0], 50000, 6000), box([560, 620, 150], [0, 0, -305])),
        link("pallet", "slide", rotary("B", [0, 0, -1], [0, 0, 0], None, 14400),
             rod(380, 170, [0, 0, -145]), box([500, 500, 60], [0, 0, -30])),
    ], [
        {"name": "spindle", "link": "head", "at": [0, face, high], "turn": [-90, 0, 0], "takes": "tool"},
        {"name": "pallet", "link": "pallet", "takes": "work"},
    ], "XYZB", {"Y": 0, "Z": 0}, rpm=12000, seconds=3.6, codes={
        "M10": {"does": "clamp", "axis": "B", "seconds": 0.4}, "M11": {"does": "unclamp", "axis": "B", "seconds": 0.4},
    })  # fmt: skip


def two_rotary_router() -> Json:
    """A gantry over a fixed table: X along it, Y across, Z the ram; in the fork C turns about the ram, A swings the spindle
    about a pivot 210 above its face. Both have stops: the hoses in the fork allow a turn and a bit."""
    pivot, face = 900.0, 210.0
    return machine("GR-6 unit 52", [
        link("bed", None, None, *table_slots(2400, 1300, 7, 120), box([2700, 130, 560], [0, 790, -130]), box([2700, 130, 560], [0, -790, -130]),
             box([2500, 1300, 300], [0, 0, -290])),
        link("gantry", "bed", linear("X", [1, 0, 0], [-1000, 1000], 60000, 4000), box([360, 130, 900], [0, 790, 620]),
             box([360, 130, 900], [0, -790, 620]), box([300, 1710, 300], [0, 0, 1230])),
        link("carriage", "gantry", linear("Y", [0, 1, 0], [-560, 560], 60000, 4000), box([60, 380, 460], [-185, 0, 1230])),
        link("ram", "carriage", linear("Z", [0, 0, 1], [-620, 0], 30000, 3000), box([220, 220, 900], [-410, 0, pivot + 610]),
             box([90, 180, 300], [-255, 0, pivot + 700])),
        link("fork", "ram", rotary("C", [0, 0, 1], [-410, 0, pivot], [-220, 220], 21600), rod(230, 60, [0, 0, 130]),
             box([60, 110, 240], [-115, 0, -10]), box([60, 110, 240], [115, 0, -10])),
        link("spindle", "fork", rotary("A", [1, 0, 0], [0, 0, 0], [-110, 110], 21600), rod(90, 168, [0, 0, 0], [0, 90, 0]),
             rod(120, 170, [0, 0, -95]), nose([0, 0, -face], scale=0.72), rod(120, 120, [0, 0, 60])),
    ], [
        {"name": "spindle", "link": "spindle", "at": [0, 0, -face], "takes": "tool"},
        {"name": "table", "link": "bed", "takes": "work"},
    ], "XYZCA", {"Z": 0}, rpm=24000, seconds=9.0)  # fmt: skip


def head_and_table() -> Json:
    """B tilts the head about machine y, 240 above the spindle's face; C is a round table. X carries the column, Y the table,
    Z the head's slide."""
    pivot, face = 800.0, 240.0
    return machine("HT-5 unit 44", [
        link("bed", None, None, box([1700, 1900, 200], [0, 100, -440])),
        link("saddle", "bed", linear("Y", [0, -1, 0], [-420, 420], 36000, 5000), box([760, 620, 180], [0, 0, -240])),
        link("table", "saddle", rotary("C", [0, 0, -1], [0, 0, 0], None, 18000), rod(620, 60, [0, 0, -30]), rod(420, 88, [0, 0, -104])),
        link("column", "bed", linear("X", [1, 0, 0], [-480, 480], 36000, 5000), box([560, 330, 1800], [0, 870, 580])),
        link("slide", "column", linear("Z", [0, 0, 1], [-620, 0], 30000, 4000), box([300, 420, 420], [0, 520, pivot + 40]),
             rod(230, 150, [0, 235, pivot], [90, 0, 0])),
        link("tilting head", "slide", rotary("B", [0, 1, 0], [0, 0, pivot], [-110, 110], 14400), rod(230, 250, [0, 25, 0], [90, 0, 0]),
             nose([0, 0, -face], scale=0.9), box([190, 210, 120], [0, 0, 90])),
    ], [
        {"name": "spindle", "link": "tilting head", "at": [0, 0, -face], "takes": "tool"},
        {"name": "table", "link": "table", "takes": "work"},
    ], "XYZBC", {"Z": 0}, rpm=15000, seconds=6.5)  # fmt: skip


WEDGE = math.radians(30)  # of the live lathe's Y slide to its Y


def lathe(name: str, live: bool) -> Json:
    """The spindle lies along machine x, its nose at the origin; Z runs along it, away from the chuck. The slide stands
    upright behind the work: X runs up and back at 45°, in diameters. A turret of twelve stations turns about an axis along
    x; station 1 is in use where it points at the spindle's axis. The live one adds a C axis and Y, which its control makes of
    a wedge at 30° to it and of X. A tailstock's quill comes forward on M21 and goes back on M22."""
    chuck, face, stations, reach = 210.0, 88.0, 12, 190.0
    tilt = [0.0, 0.70710678, 0.70710678]  # X+
    square = [0.0, -0.70710678, 0.70710678]  # Y+
    leaning = [math.cos(WEDGE) * y + math.sin(WEDGE) * x for x, y in zip(tilt, square, strict=True)]
    # At the reference station 1's gauge point stands 360 before the chuck's face and 150 off the spindle's axis.
    home_z, home_x = face + 430.0, 150.0
    centre = [home_z, (home_x + reach) * tilt[1], (home_x + reach) * tilt[2]]  # of the turret
    links = [
        link(
            "bed",
            None,
            None,
            box([1500, 620, 300], [380, 60, -480]),
            box([1500, 440, 300], [380, 590, -480]),
            box([1300, 90, 460], [520, 560, -90], [-45, 0, 0]),  # the slant that the carriage runs on
            box([1300, 260, 240], [520, 660, -240]),
            box([420, 560, 620], [-260, 40, -20]),
            rod(170, 60, [-20, 0, 0], [0, 90, 0]),
        ),
        link(
            "chuck",
            "bed",
            rotary("C", [-1, 0, 0], [0, 0, 0], None, 36000) if live else None,
            rod(chuck, face - 22, [face / 2 - 4, 0, 0], [0, 90, 0]),
        ),
        link(
            "carriage",
            "bed",
            linear("Z", [1, 0, 0], [-460, 30], 24000, 5000),
            box([260, 240, 120], [home_z + 190, 430, 40], [-45, 0, 0]),
        ),
    ]
    parent = "carriage"
    if live:
        links.append(
            link(
                "wedge",
                parent,
                linear("Y", leaning, [-46, 46], 12000, 3000) | {"moved_by": {"Y": round(1 / math.cos(WEDGE), 9)}},
                box([230, 120, 120], [home_z + 190, 380, 180], [-45, 0, 0]),
            )
        )
        parent = "wedge"
    links.append(
        link(
            "slide",
            parent,
            linear("X", tilt, [-165, 40], 20000, 5000)
            | ({"moved_by": {"X": 1.0, "Y": round(-math.tan(WEDGE), 9)}} if live else {}),
            box([230, 150, 150], [home_z + 150, centre[1], centre[2]], [-45, 0, 0]),
        )
    )
    disc = link("turret", "slide", rotary("TR", [-1, 0, 0], centre, None, 36000))
    disc["shapes"] = [
        {"type": "cylinder", "diameter": 2 * reach - 60, "length": 70, "at": [0, 0, 0], "turn": [0, 90, 0]}
    ]
    links.append(disc)
    links += [
        link("tailstock", "bed", None, box([220, 200, 420], [870, 0, -120]), rod(110, 40, [740, 0, 0], [0, 90, 0])),
        link("quill", "tailstock", linear("TAIL", [1, 0, 0], [-300, 0], 6000, 1500), rod(60, 300, [870, 0, 0], [0, 90, 0]),
             {"type": "revolve", "profile": [[0, -20], [12, 0], [0, 0]], "at": [720, 0, 0], "turn": [0, 90, 0]}),
    ]  # fmt: skip
    for part in links[-2:]:
        part["accessory"] = "tailstock"
    mounts: list[Json] = [{"name": "chuck", "link": "chuck", "at": [face, 0, 0], "turn": [0, 90, 0], "takes": "work"}]
    for i in range(stations):
        # In the disc's frame the gauge point of station 1 lies towards the spindle: down the slide by `reach`.
        a = math.radians(225.0 + 360.0 / stations * i)
        at = [0.0, reach * math.cos(a), reach * math.sin(a)]
        mounts.append({"name": f"station {i + 1}", "link": "turret", "at": [round(c, 6) for c in at], "takes": "tool", "station": i + 1,
                       "turn": station_turn(math.degrees(a))})  # fmt: skip
    axes = [*("XYZC" if live else "XZ"), "TR", "TAIL"]
    data = machine(name, links, mounts, "", {}, rpm=5000 if live else 4000, seconds=0.6)
    data["channels"] = [{"number": 1, "axes": axes, "diameters": ["X"]}]
    data["reference"] = {"1": dict.fromkeys(axes, 0)}
    data["turret"] = {"axis": "TR", "stations": stations, "seconds": 0.25}
    data["work_spindle"] = {"mount": "chuck", "max_rpm": 5000 if live else 4000} | ({"axis": "C"} if live else {})
    data["rapid"] = "straight"
    data["codes"] = {
        "M21": {"does": "move", "axis": "TAIL", "to": -280},
        "M22": {"does": "move", "axis": "TAIL", "to": 0},
    }
    if live:
        data["codes"] |= {"M33": {"does": "live", "turns": 1}, "M34": {"does": "live", "turns": -1}, "M35": {"does": "live", "turns": 0},
                         "M45": {"does": "wait", "seconds": 0.5}, "M46": {"does": "wait", "seconds": 0.3},
                         "M12": {"does": "clamp", "axis": "C", "seconds": 0.2}, "M13": {"does": "unclamp", "axis": "C", "seconds": 0.2}}  # fmt: skip
    return data


def with_unit(machine: Json, model: str, label: str, **more: Any) -> Json:
    """The model as one very machine: what it is called on the floor, and what it has."""
    return machine | {"model": model, "unit": {"label": label, "serial": f"SI-{label.zfill(3)}", **more}}


def with_tool_setter(machine: Json, at: list[float]) -> Json:
    """A tool setter at a corner of the table, which a unit may have off."""
    setter = link(
        "tool setter",
        "table",
        None,
        box([50, 40, 30], [at[0], at[1], at[2] + 15]),
        rod(18, 40, [at[0], at[1], at[2] + 50]),
    )
    return machine | {"links": [*machine["links"], setter | {"accessory": "tool setter"}]}


MACHINES: dict[str, Json] = {
    # What unit 17's control was read to hold stands two hundredths low in Z against the datum of the lid.
    "vm3-17": with_unit(
        with_tool_setter(vertical_mill("VM-3 unit 17", (610, 410, 510), (700, 400),
                                       {"rapid": 24000, "rapid_z": 18000, "accel": 4000, "change": 4.0, "rpm": 12000}), [-320, 170, 0]),
        "VM-3", "17", off=[], since="2026-11-20", work_offsets={"G54": {"X": -305.0, "Y": -205.0, "Z": -524.02}},
    ),
    "vm5-22": vertical_mill("VM-5 unit 22", (1050, 530, 560), (1200, 520),
                            {"rapid": 36000, "rapid_z": 30000, "accel": 5000, "change": 2.8, "rpm": 14000}),
    "hm4-31": horizontal_mill(),
    "tr5-40": trunnion_mill(),
    "ht5-44": head_and_table(),
    "gr6-52": two_rotary_router(),
    "la2-61": lathe("LA-2 unit 61", live=False),
    "ly4-63": lathe("LY-4 unit 63", live=True),
    "ts8-71": twin_spindle("TS-8 unit 71"),
    "mt9-74": mill_turn("MT-9 unit 74"),
    "tt6-72": two_turret("TT-6 unit 72"),
    "sh3-73": sliding_head("SH-3 unit 73"),
    "rc7-81": shell_cell(),
    "rc3-83": hand_cell(),
}  # fmt: skip
