"""The shop's lathes of several channels. The spindles lie along x, up is z; all drawn as they stand at their first reference.

`which` turret, the number of its channel and axes, and the side of the spindle that it stands on: +1 above, −1 below.
"""

from __future__ import annotations

import math

from .links import Json, box, linear, link, machine, rod, rotary, station_turn

SIDES = (("upper", 1, 1.0), ("lower", 2, -1.0))
UPRIGHT = {"turn": [0, 90, 0]}
THREE = (math.pi / 2, math.pi * 7 / 6, math.pi * 11 / 6)  # the angles of three jaws


def turret(
    links: list[Json],
    mounts: list[Json],
    side: tuple[str, int, float],
    face: float,
    stations: int,
    reach: float,
    home: float,
) -> None:
    """A turret with its slides: Z along the spindles, X away from them; its disc's axis lies `home` + `reach` beside them."""
    which, number, way = side
    z = way * (home + reach)
    links += [
        link(f"{which} carriage", "bed", linear(f"Z{number}", [1, 0, 0], [-470, 260], 30000, 5000),
             box([200, 160, 90], [face + 400, 330, z + way * 100])),
        link(f"{which} slide", f"{which} carriage", linear(f"X{number}", [0, 0, way], [-260, 20], 24000, 5000),
             box([120, 300, 110], [face + 470, 170, z]), rod(120, 70, [face + 440, 0, z], [0, 90, 0])),
        link(f"{which} turret", f"{which} slide", rotary(f"T{number}", [-1, 0, 0], [face + 370, 0, z], None, 36000),
             rod(2 * reach - 70, 66, [0, 0, 0], [0, 90, 0])),
    ]  # fmt: skip
    for i in range(stations):
        a = math.radians((270.0 if way > 0 else 90.0) + 360.0 / stations * i)
        at = [0.0, round(reach * math.cos(a), 6), round(reach * math.sin(a), 6)]
        mounts.append({"name": f"{which} {i + 1}", "link": f"{which} turret", "at": at, "takes": "tool", "station": i + 1,
                       "turn": station_turn(math.degrees(a) % 360.0)})  # fmt: skip


def turrets(stations: int) -> list[Json]:
    return [
        {"name": which, "axis": f"T{number}", "stations": stations, "seconds": 0.25, "channel": number}
        for which, number, _ in SIDES
    ]


def chuck_jaws(face: float, bar: float) -> list[Json]:
    """Three jaws that stand on a bar of a radius, as a fixed part of the chuck."""
    r = bar + 16
    return [
        box([28, 32, 24], [face - 14, round(r * math.cos(a), 6), round(r * math.sin(a), 6)], [math.degrees(a), 0, 0])
        for a in THREE
    ]


def twin_spindle(name: str) -> Json:
    """Two spindles that face each other along x, the second on a slide of its own; a turret above (channel 1) and one below
    (channel 2), each with Z along the spindles and X away from them. The main chuck's jaws stand on a bar of ⌀50; the second
    chuck's move."""
    face, far, stations, reach, home = 90.0, 700.0, 8, 170.0, 210.0
    tube = {"type": "tube", "outer": 176, "inner": 60, "length": 60}
    jaw = box([28, 32, 24], [-14, 0, 0])
    links = [
        link("bed", None, None, box([1700, 560, 260], [420, 60, -700]), box([1700, 160, 500], [420, 420, -340]),
             box([1700, 120, 700], [420, 560, 60]), box([330, 420, 420], [-190, 0, 0]), box([200, 300, 380], [-190, 230, -380])),
        link("main spindle", "bed", rotary("C1", [-1, 0, 0], [0, 0, 0], None, 36000),
             tube | {"at": [face - 30 - 28, 0, 0]} | UPRIGHT,
             *chuck_jaws(face, 25)),
        link("second headstock", "bed", linear("W", [1, 0, 0], [-520, 0], 24000, 4000), rod(180, 230, [far + 245, 0, 0], [0, 90, 0]),
             box([260, 130, 240], [far + 250, 150, 0]), box([300, 240, 90], [far + 250, 330, 0])),
        link("second spindle", "second headstock", rotary("C2", [1, 0, 0], [far, 0, 0], None, 36000), tube | {"at": [58, 0, 0]} | UPRIGHT),
        *(link(f"jaw {i + 1}", "second spindle", linear(f"JS{i + 1}", [0, round(math.cos(a), 9), round(math.sin(a), 9)], [-20, 20], 3000, 500),
               jaw | {"at": [14 - 28, round(36 * math.cos(a), 6), round(36 * math.sin(a), 6)], "turn": [math.degrees(a), 0, 0]})
          for i, a in enumerate(THREE)),
    ]  # fmt: skip
    mounts: list[Json] = [
        {"name": "main", "link": "main spindle", "at": [face, 0, 0], "turn": [0, 90, 0], "takes": "work"},
        {"name": "second", "link": "second spindle", "turn": [0, -90, 0], "takes": "work"},
    ]
    for side in SIDES:
        turret(links, mounts, side, face, stations, reach, home)
    axes = ["X1", "Z1", "C1", "T1", "X2", "Z2", "W", "C2", "T2"]
    data = machine(name, links, mounts, "", {}, rpm=None, seconds=0.6)
    del data["spindle"]
    return data | {
        "channels": [
            {"number": 1, "axes": ["X1", "Z1", "C1", "T1"], "words": {"X": "X1", "Z": "Z1", "C": "C1"}, "diameters": ["X1"]},
            {"number": 2, "axes": ["X2", "Z2", "W", "C2", "T2"], "words": {"X": "X2", "Z": "Z2", "C": "C2"}, "diameters": ["X2"]},
        ],
        "reference": {"1": dict.fromkeys(axes, 0)}, "rapid": "straight",
        "spindles": [
            {"name": "main spindle", "turns": "work", "mount": "main", "axis": "C1", "max_rpm": 4500, "channel": 1},
            {"name": "second spindle", "turns": "work", "mount": "second", "axis": "C2", "max_rpm": 5000, "channel": 2},
        ],
        "turrets": turrets(stations),
        "grips": [
            {"name": "main chuck", "mount": "main", "reach": [-28, 0], "holds": [20, 58], "least": 15, "seconds": 1.0, "starts": "closed"},
            {"name": "second chuck", "mount": "second", "reach": [0, 28], "holds": [20, 72], "least": 12, "seconds": 0.8, "starts": "open",
             "jaws": {"axes": ["JS1", "JS2", "JS3"], "drawn": 40}},
        ],
        "codes": {
            "M80": {"does": "address", "spindle": "main spindle"}, "M81": {"does": "address", "spindle": "second spindle"},
            "M35": {"does": "sync", "spindles": ["second spindle", "main spindle"]}, "M36": {"does": "unsync"},
            "M68": {"does": "close", "grip": "main chuck"}, "M69": {"does": "open", "grip": "main chuck"},
            "M168": {"does": "close", "grip": "second chuck", "waits": False}, "M169": {"does": "open", "grip": "second chuck"},
        },
        "wait_marks": [200, 299],
    }  # fmt: skip


def mill_turn(name: str) -> Json:
    """The same two spindles and lower turret under a milling head instead of the upper turret: it swivels about its pivot (B1: at
    0 it points down, at −90 to the main spindle, at 90 to the second) and changes its tools; X1 up, Y1 across, Z1 along the
    spindles. Both C axes are shared with channel 2."""
    data = twin_spindle(name)
    face, pivot = 90.0, 480.0
    head = [
        link("head carriage", "bed", linear("Z1", [1, 0, 0], [-560, 330], 40000, 6000), box([330, 210, 110], [face + 430, 390, 760])),
        link("head column", "head carriage", linear("Y1", [0, -1, 0], [-90, 110], 20000, 4000), box([240, 190, 420], [face + 430, 200, 770])),
        link("head ram", "head column", linear("X1", [0, 0, 1], [-470, 20], 40000, 6000), box([190, 150, 300], [face + 430, 60, 720]),
             rod(170, 60, [face + 430, 106, pivot], [90, 0, 0])),
        link("head", "head ram", rotary("B1", [0, -1, 0], [face + 430, 0, pivot], [-120, 120], 21600),
             rod(160, 150, [0, 0, 0], [90, 0, 0]), {"type": "revolve", "profile": [[0, -130], [38, -130], [42, -122], [56, -40], [60, 0], [0, 0]]}),
    ]  # fmt: skip
    data["links"] = [each for each in data["links"] if not each["name"].startswith("upper")] + head
    data["links"][0]["shapes"].append(box([1700, 120, 500], [420, 560, 660]))  # the wall that the head runs along
    data["mounts"] = [each for each in data["mounts"] if not each["name"].startswith("upper")]
    data["mounts"].append({"name": "head", "link": "head", "at": [0, 0, -130], "takes": "tool"})
    first = ["X1", "Y1", "Z1", "B1", "C1", "C2"]
    second = data["channels"][1]
    data["channels"] = [
        {"number": 1, "axes": first, "words": {"X": "X1", "Y": "Y1", "Z": "Z1", "B": "B1", "C": "C1"}},
        second,
    ]
    data["reference"] = {"1": dict.fromkeys([*first, *(axis for axis in second["axes"] if axis not in first)], 0)}
    data["turrets"] = [turret for turret in data["turrets"] if turret["name"] != "upper"]
    data["spindles"].append({"name": "head", "turns": "tool", "mount": "head", "max_rpm": 12000, "channel": 1})
    data["codes"] |= {"M79": {"does": "address", "spindle": "head"}}
    data["tool_change"] = {"at": {"X1": 0}, "seconds": 3.5, "keeps_spindle": True}
    return data


def two_turret(name: str) -> Json:
    """One spindle, a tailstock whose quill carries a centre, a turret above (channel 1) and one below (channel 2) that bears a
    steady rest of three rollers at its fifth station. The chuck's jaws stand on a bar of ⌀60."""
    face, stations, reach, home = 90.0, 8, 170.0, 210.0
    rest = reach + REST  # of its middle from the disc's axis
    fifth = math.radians(90.0 + 360.0 / stations * 4)
    turned = 360.0 / stations * 4
    middle = [0.0, round(rest * math.cos(fifth), 6), round(rest * math.sin(fifth), 6)]
    rollers = (-math.pi / 2, math.radians(30), math.radians(150))
    c_frame = [
        (round(r * math.cos(a), 3), round(r * math.sin(a), 3))
        for r, spread in ((88.0, 1), (62.0, -1))
        for a in (math.radians(270 + spread * (35 + 290 * i / 24)) for i in range(25))
    ]
    links = [
        link("bed", None, None, box([1700, 700, 160], [420, 130, -860]), box([1700, 130, 560], [420, 460, -500]),
             box([1700, 120, 700], [420, 560, 60]), box([330, 420, 420], [-190, 0, 0]), box([200, 300, 380], [-190, 230, -380]),
             box([210, 150, 150], [715, 0, 0]), box([210, 430, 90], [715, 290, 0])),
        link("spindle", "bed", rotary("C1", [-1, 0, 0], [0, 0, 0], None, 36000),
             {"type": "tube", "outer": 190, "inner": 66, "length": 60, "at": [face - 58, 0, 0]} | UPRIGHT, *chuck_jaws(face, 30)),
        link("quill", "bed", linear("Q", [1, 0, 0], [-240, 0], 6000, 1500), rod(60, 260, [QUILL + 220, 0, 0], [0, 90, 0]),
             {"type": "revolve", "profile": [[0, -90], [15, -90], [15, -26], [0, 0]], "at": [QUILL, 0, 0], "turn": [0, -90, 0]}),
    ]  # fmt: skip
    mounts: list[Json] = [
        {"name": "chuck", "link": "spindle", "at": [face, 0, 0], "turn": [0, 90, 0], "takes": "work"},
        {"name": "centre", "link": "quill", "at": [QUILL, 0, 0], "turn": [0, -90, 0], "takes": "work"},
    ]
    for side in SIDES:
        turret(links, mounts, side, face, stations, reach, home)
    mounts = [m for m in mounts if m["name"] != "lower 5"] + [
        {"name": "rest", "link": "lower turret", "at": middle, "turn": [0, 90, 0], "takes": "work", "station": 5}
    ]
    disc = next(each for each in links if each["name"] == "lower turret")
    disc["shapes"] += [
        {"type": "extrude", "outline": c_frame, "height": 24, "at": [-12, *middle[1:]], "turn": [90, 0, 90]},
        box([40, 60, 34], [0, round((reach - 22) * math.cos(fifth), 6), round((reach - 22) * math.sin(fifth), 6)]),
    ]
    for i, a in enumerate(rollers):
        b = a + math.radians(turned)
        way = [0, round(math.cos(b), 9), round(math.sin(b), 9)]
        links.append(link(f"roller {i + 1}", "lower turret", linear(f"R{i + 1}", way, [-30, 30], 3000, 500),
                          rod(16, 20, [0, round(middle[1] + 33 * way[1], 6), round(middle[2] + 33 * way[2], 6)], [0, 90, 0]),
                          box([14, 30, 10], [0, round(middle[1] + 50 * way[1], 6), round(middle[2] + 50 * way[2], 6)], [math.degrees(b), 0, 0])))  # fmt: skip
    axes = ["X1", "Z1", "C1", "T1", "X2", "Z2", "Q", "T2"]
    data = machine(name, links, mounts, "", {}, rpm=None, seconds=0.6)
    del data["spindle"]
    return data | {
        "channels": [
            {"number": 1, "axes": ["X1", "Z1", "C1", "T1"], "words": {"X": "X1", "Z": "Z1", "C": "C1"}, "diameters": ["X1"]},
            {"number": 2, "axes": ["X2", "Z2", "Q", "T2"], "words": {"X": "X2", "Z": "Z2"}, "diameters": ["X2"]},
        ],
        "reference": {"1": dict.fromkeys(axes, 0)}, "rapid": "straight",
        "spindles": [{"name": "spindle", "turns": "work", "mount": "chuck", "axis": "C1", "max_rpm": 3500, "channel": 1}],
        "turrets": turrets(stations),
        "grips": [
            {"name": "chuck", "mount": "chuck", "reach": [-28, 0], "holds": [30, 90], "least": 15, "seconds": 1.2, "starts": "closed"},
            {"name": "centre", "kind": "centre", "mount": "centre", "reach": [-12, 1], "seconds": 0.5, "starts": "open"},
            {"name": "steady rest", "kind": "rest", "mount": "rest", "reach": [-10, 10], "holds": [20, 70], "seconds": 1.5, "starts": "open",
             "jaws": {"axes": ["R1", "R2", "R3"], "drawn": 50}},
        ],
        "codes": {
            "M25": {"does": "close", "grip": "centre"}, "M26": {"does": "open", "grip": "centre"},
            "M38": {"does": "close", "grip": "steady rest"}, "M39": {"does": "open", "grip": "steady rest"},
        },
        "wait_marks": [200, 299],
    }  # fmt: skip


REST = 96.0  # from the ring of the lower turret's gauge points to the middle of the steady rest
QUILL = 520.0  # x of the centre's point with the quill drawn back


def sliding_head(name: str) -> Json:
    """A sliding headstock behind a guide bush (the bar's front at x = 0 … 40), tools in a gang above it, a second spindle on a cross
    slide that faces it, a back-working station beside, and a tray for what is done. Z of channel 1 is the headstock's: the tools stand
    still along the bar."""
    wall = 150.0
    links = [
        link("bed", None, None, box([900, 420, 80], [120, 40, -330]), box([900, 70, 420], [120, 260, -100]),
             box([40, 120, 300], [-25, 190, -140]), box([40, 560, 90], [-25, 0, -195]),
             {"type": "tube", "outer": 2 * wall, "inner": 70, "length": 30, "at": [-25, 0, 0]} | UPRIGHT),
        link("bush", "bed", None, {"type": "tube", "outer": 56, "inner": 12.1, "length": 40, "at": [-20, 0, 0]} | UPRIGHT),
        link("headstock", "bed", linear("Z1", [-1, 0, 0], [-56, 6], 24000, 6000),
             {"type": "tube", "outer": 150, "inner": 64, "length": 150, "at": [COLLET - 115, 0, 0]} | UPRIGHT, box([150, 110, 170], [COLLET - 115, 0, -160])),
        link("main spindle", "headstock", rotary("C1", [-1, 0, 0], [0, 0, 0], None, 36000),
             {"type": "tube", "outer": 58, "inner": 13, "length": 190, "at": [COLLET - 95, 0, 0]} | UPRIGHT),
        link("gang slide", "bed", linear("Y1", [0, 1, 0], [-100, 100], 24000, 6000), box([90, 260, 60], [GANG + 30, 0, 214])),
        link("gang", "gang slide", linear("X1", [0, 0, 1], [-40, 6], 24000, 6000), box([60, 236, 70], [GANG + 22, 0, 149])),
        link("cross slide", "bed", linear("Z2", [1, 0, 0], [-170, 20], 24000, 6000), box([150, 190, 60], [BACK + 150, 20, -240])),
        link("second headstock", "cross slide", linear("X2", [0, -1, 0], [-130, 6], 24000, 6000),
             rod(130, 130, [BACK + 145, 0, 0], [0, 90, 0]), box([130, 100, 150], [BACK + 145, 0, -130])),
        link("second spindle", "second headstock", rotary("C2", [1, 0, 0], [BACK, 0, 0], None, 36000),
             {"type": "tube", "outer": 46, "inner": 26, "length": 80, "at": [40, 0, 0]} | UPRIGHT),
        *(link(f"finger {i + 1}", "second spindle", linear(f"S{i + 1}", [0, round(math.cos(a), 9), round(math.sin(a), 9)], [-6, 6], 3000, 500),
               box([18, 6, 6], [-9, round(6 * math.cos(a), 6), round(6 * math.sin(a), 6)], [math.degrees(a) + 90, 0, 0]))
          for i, a in enumerate(THREE)),
        link("back station", "bed", None, box([50, 60, 60], [95, 120, 0]), box([50, 130, 40], [95, 200, 0])),
        link("tray", "bed", None, box([90, 50, 8], [BACK - 22, 120, -120])),
    ]  # fmt: skip
    gang = [
        {"name": f"gang {i + 1}", "link": "gang", "at": [GANG + 22, y, 80], "takes": "tool", "station": i + 1}
        for i, y in enumerate((-80, -40, 0, 40))
    ]
    mounts: list[Json] = [
        {"name": "main", "link": "main spindle", "at": [COLLET, 0, 0], "turn": [0, 90, 0], "takes": "work"},
        {"name": "bush", "link": "bush", "at": [0, 0, 0], "turn": [0, 90, 0], "takes": "work"},
        {"name": "second", "link": "second spindle", "turn": [0, -90, 0], "takes": "work"},
        {"name": "tray", "link": "tray", "at": [BACK - 22, 120, -96], "takes": "work"},
        *gang,
        {
            "name": "gang 5",
            "link": "gang",
            "at": [GANG + 40, 80, 32],
            "turn": [0, 90, 0],
            "takes": "tool",
            "station": 5,
        },
        {
            "name": "back 1",
            "link": "back station",
            "at": [120, 120, 0],
            "turn": [0, -90, 0],
            "takes": "tool",
            "station": 6,
        },
    ]
    axes = ["X1", "Y1", "Z1", "C1", "X2", "Z2", "C2"]
    data = machine(name, links, mounts, "", {}, rpm=None, seconds=0.3)
    del data["spindle"]
    return data | {
        "channels": [
            {"number": 1, "axes": axes[:4], "words": {"X": "X1", "Y": "Y1", "Z": "Z1", "C": "C1"}, "diameters": ["X1"]},
            {"number": 2, "axes": axes[4:], "words": {"X": "X2", "Z": "Z2", "C": "C2"}, "diameters": ["X2"]},
        ],
        "reference": {"1": dict.fromkeys(axes, 0)}, "rapid": "straight",
        "spindles": [
            {"name": "main spindle", "turns": "work", "mount": "main", "axis": "C1", "max_rpm": 10000, "channel": 1},
            {"name": "second spindle", "turns": "work", "mount": "second", "axis": "C2", "max_rpm": 8000, "channel": 2},
        ],
        "grips": [
            {"name": "main collet", "mount": "main", "reach": [-30, 0], "holds": [3, 16], "least": 15, "seconds": 0.4, "starts": "closed"},
            {"name": "guide bush", "kind": "bush", "mount": "bush", "reach": [-30, 0], "holds": [3, 16]},
            {"name": "second collet", "mount": "second", "reach": [0, 18], "holds": [3, 12], "least": 8, "seconds": 0.4, "starts": "open",
             "jaws": {"axes": ["S1", "S2", "S3"], "drawn": 6}},
            {"name": "tray", "kind": "catcher", "mount": "tray", "box": [80, 60, 40]},
        ],
        "codes": {
            "M10": {"does": "close", "grip": "main collet"}, "M11": {"does": "open", "grip": "main collet"},
            "M25": {"does": "push", "grip": "main collet", "most": 60},
            "M168": {"does": "close", "grip": "second collet"}, "M169": {"does": "open", "grip": "second collet"},
            "M33": {"does": "live", "turns": 1}, "M34": {"does": "live", "turns": 0},
            "M35": {"does": "sync", "spindles": ["second spindle", "main spindle"]}, "M36": {"does": "unsync"},
        },
        "wait_marks": [200, 299],
    }  # fmt: skip


COLLET = -110.0  # x of the main collet's face with the headstock back
GANG = 2.0  # x that the gang's tools cut at
BACK = 200.0  # x of the second collet's face with its slide back
