"""The shop's arms: the shell cell, an arm on a rail with a rack of three tools, and the hand cell, a small arm that holds the part.

Both are drawn with every joint at zero: upper arm upright, forearm level along +x, its hand straight on.
"""

from __future__ import annotations

from typing import Any

from .links import Json, box, link, rod, rotary

JOINTS = ["J1", "J2", "J3", "J4", "J5", "J6"]


def turn(
    axis: str, direction: list[float], at: list[float], travel: list[float], degrees_s: float, accel: float
) -> Json:
    return rotary(axis, direction, at, travel, degrees_s * 60, accel)


def arm(
    foot: str, ahead: float, high: float, upper: float, fore: float, step: float, size: float, hand: list[Json]
) -> list[Json]:
    """Six links: the second axis `ahead` of the first and `high` above the foot, `upper` and `fore` long, the forearm `step` above the
    elbow; `size` scales what it is drawn of."""
    s = size
    return [
        link("column", foot, turn("J1", [0, 0, 1], [0, 0, 0], [-170, 170], 120, 400),
             rod(340 * s, high - 60 * s, [0, 0, high / 2 - 10 * s]), box([240 * s + ahead, 200 * s, 190 * s], [ahead / 2, 0, high])),
        link("upper arm", "column", turn("J2", [0, 1, 0], [ahead, 0, high], [-95, 140], 110, 350),
             box([150 * s, 110 * s, upper + 160 * s], [0, 165 * s, upper / 2]), rod(170 * s, 120 * s, [0, 165 * s, upper], [90, 0, 0])),
        link("elbow", "upper arm", turn("J3", [0, 1, 0], [0, 0, upper], [-160, 80], 120, 400),
             box([260 * s, 190 * s, 190 * s], [30 * s, 0, step / 2])),
        link("forearm", "elbow", turn("J4", [1, 0, 0], [170 * s, 0, step], [-200, 200], 200, 700),
             rod(120 * s, fore - 230 * s, [(fore - 200 * s) / 2, 0, 0], [0, 90, 0])),
        link("wrist", "forearm", turn("J5", [0, 1, 0], [fore - 170 * s, 0, 0], [-125, 125], 200, 800),
             rod(96 * s, 90 * s, [0, 0, 0], [90, 0, 0])),
        link("hand", "wrist", turn("J6", [1, 0, 0], [0, 0, 0], [-350, 350], 300, 1200), *hand),
    ]  # fmt: skip


def cell(
    name: str, links: list[Json], mounts: list[Json], rail: list[str], home: dict[str, float], **more: Any
) -> Json:
    ignore = [["elbow", "wrist"], ["forearm", "hand"], ["elbow", "hand"], *more.pop("ignore", [])]
    return {
        "format": "blunt-mirror/machine@1", "name": name, "links": links, "mounts": mounts,
        "channels": [{"number": 1, "axes": [*rail, *JOINTS], "arm": {"joints": JOINTS, "rail": rail}}],
        "reference": {"1": dict.fromkeys([*rail, *JOINTS], 0) | home}, "tool_change": {"seconds": 2.0},
        "spindle": {"max_rpm": 24000}, "ignore": ignore, **more,
    }  # fmt: skip


RACK = {1: (600.0, -820.0), 2: (600.0, -940.0), 3: (600.0, -1060.0)}  # x, y of the places; their height:
RACK_HIGH = 620.0
HOME = {"J1": -35.0, "J2": -20.0, "J3": 50.0, "J5": -30.0}  # the tool hangs straight down, beside the stand


def shell_cell() -> Json:
    """The rail runs along y, 1200 to either side; the stand's mount is 1150 before it, 550 up. The rack is beside the rail's middle."""
    # The spindle hangs square to the hand's axis: so the tool's turn about itself decides where the arm is.
    spindle = [rod(90, 60, [80, 0, 0], [0, 90, 0]), box([110, 110, 190], [150, 0, -60]), rod(64, 30, [150, 0, -170])]
    links = [
        link("floor", None, None, box([2600, 3600, 20], [500, 0, -120])),
        link("rail", "floor", None, box([90, 3000, 80], [-150, 0, -70]), box([90, 3000, 80], [150, 0, -70])),
        link("rack", "floor", None, box([60, 480, RACK_HIGH + 20], [500, -940, RACK_HIGH / 2 - 100]),
             *(box([46, 24, 16], [551, y, RACK_HIGH - 24]) for _, y in RACK.values())),
        link("stand", "floor", None, rod(260, 620, [1150, 0, 200]), box([150, 130, 42], [1150, 0, 529])),
        link("carriage", "floor", {"axis": "R", "type": "linear", "direction": [0, 1, 0], "travel": [-1200, 1200], "rapid": 60000,
                                   "accel": 1500}, box([480, 460, 50], [0, 0, 0])),
        *arm("carriage", 200, 500, 850, 800, 60, 1.0, spindle),
    ]  # fmt: skip
    mounts = [
        {"name": "spindle", "link": "hand", "at": [150, 0, -185], "takes": "tool"},
        {"name": "stand", "link": "stand", "at": [1150, 0, 550], "takes": "work"},
        *(
            {"name": f"place {n}", "link": "rack", "at": [x, y, RACK_HIGH], "takes": "rack"}
            for n, (x, y) in RACK.items()
        ),
    ]
    return cell("RC-7 unit 81", links, mounts, ["R"], HOME, ignore=[["carriage", "rail"], ["column", "rail"]])


def hand_cell() -> Json:
    """A small arm that holds the part against a spindle that stands: its face 820 before the arm's foot, 430 up, looking at it."""
    grip = [rod(70, 30, [45, 0, 0], [0, 90, 0]), box([30, 60, 60], [70, 0, 0])]
    links = [
        link("floor", None, None, box([1600, 1400, 20], [350, 0, -60])),
        link("foot", "floor", None, rod(260, 60, [0, 0, -20])),
        link("post", "floor", None, box([180, 180, 400], [980, 0, 150]), box([220, 150, 150], [950, 0, 430]),
             rod(70, 20, [830, 0, 430], [0, 90, 0])),
        *arm("foot", 110, 330, 420, 400, 40, 0.55, grip),
    ]  # fmt: skip
    mounts = [
        {"name": "spindle", "link": "post", "at": [820, 0, 430], "turn": [0, 90, 0], "takes": "tool"},
        {"name": "gripper", "link": "hand", "at": [85, 0, 0], "turn": [0, 90, 0], "takes": "work"},
    ]
    return cell("RC-3 unit 83", links, mounts, [], {"J2": -35.0, "J3": 55.0, "J5": -20.0})
