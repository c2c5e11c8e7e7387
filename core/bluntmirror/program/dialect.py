"""Dialects as data: which codes each carries out, in which modal groups, and which the trade knows besides.

Codes are kept as tenths (G54.1 is 541), so that they are whole numbers. Sources: ISO 6983-1 for the addresses and
preparatory functions it fixes; the rest is common practice.
"""

from __future__ import annotations

from dataclasses import dataclass

(
    MOTION, CYCLE, PLANE, DISTANCE, FEED_MODE, UNITS, COMPENSATION, LENGTH, RETURN, OFFSET, PATH, SPEED_MODE, TILT, DYNAMIC,
) = (
    "motion", "cycle", "plane", "distance", "feed mode", "units", "cutter compensation", "length offset", "cycle return",
    "work offset", "path mode", "speed mode", "tilted plane", "dynamic offset",
)  # fmt: skip

G_GROUPS: dict[int, str] = {
    **dict.fromkeys((0, 10, 20, 30), MOTION),
    **dict.fromkeys((730, 800, 810, 820, 830), CYCLE),
    **dict.fromkeys((170, 180, 190), PLANE),
    **dict.fromkeys((900, 910), DISTANCE),
    **dict.fromkeys((930, 940, 950), FEED_MODE),
    **dict.fromkeys((200, 210), UNITS),
    **dict.fromkeys((400,), COMPENSATION),
    **dict.fromkeys((430, 434, 435, 440, 490), LENGTH),
    **dict.fromkeys((980, 990), RETURN),
    **dict.fromkeys((540, 550, 560, 570, 580, 590, 541), OFFSET),
    **dict.fromkeys((610, 640), PATH),
    **dict.fromkeys((970,), SPEED_MODE),
    **dict.fromkeys((682, 690), TILT),
    **dict.fromkeys((2540, 2550), DYNAMIC),
}
G_ONE_BLOCK = frozenset({40, 90, 280, 300, 520, 530, 531, 920})
# Cancelling what was never switched on: carried out by doing nothing.
G_CANCELS = frozenset({150, 500, 501, 670})
G_KNOWN = {
    50: "high-speed mode", 51: "high-speed mode", 71: "cylindrical interpolation", 80: "look-ahead control",
    100: "offset setting", 110: "offset setting", 121: "polar interpolation", 131: "polar interpolation",
    160: "polar coordinates", 310: "skip move", 330: "thread cutting", 410: "cutter compensation",
    420: "cutter compensation", 510: "scaling", 511: "mirror image", 600: "one-way positioning",
    620: "corner override", 630: "tapping mode", 650: "macro call", 660: "modal macro call", 680: "rotation",
    740: "left-hand tapping cycle", 760: "fine boring cycle", 840: "tapping cycle",
    842: "rigid tapping cycle", 850: "boring cycle", 860: "boring cycle", 870: "back boring cycle",
    880: "boring cycle", 890: "boring cycle", 960: "constant surface speed", 1070: "cylindrical interpolation",
}  # fmt: skip

M_STOP, M_SPINDLE, M_COOLANT = "stop", "spindle", "coolant"
M_GROUPS: dict[int, str] = {
    **dict.fromkeys((0, 1, 2, 30), M_STOP),
    **dict.fromkeys((3, 4, 5, 19), M_SPINDLE),
    **dict.fromkeys((7, 8, 9), M_COOLANT),
}
M_CARRIED = frozenset({0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 19, 30, 98, 99})
M_KNOWN = {10: "clamp", 11: "unclamp", 12: "clamp", 13: "unclamp", 29: "rigid tapping"}

CYCLES = frozenset({730, 810, 820, 830})
LENGTH_LETTERS = frozenset("XYZUVWABCIJKRQ")  # a bare number here is counted in increments when the job says so
CARRIED_LETTERS = frozenset("ABCDFGHIJKLMNOPQRSTUVWXYZ")


@dataclass(frozen=True)
class Dialect:
    """G codes in tenths. `known`: codes of the trade that are reported as not carried out, with what they are."""

    name: str
    g_groups: dict[int, str]
    g_one_block: frozenset[int]
    g_cancels: frozenset[int]
    g_known: dict[int, str]
    cycles: frozenset[int]
    m_groups: dict[int, str]
    m_carried: frozenset[int]
    m_known: dict[int, str]
    letters: frozenset[str] = CARRIED_LETTERS


MILL = Dialect("iso-mill", G_GROUPS, G_ONE_BLOCK, G_CANCELS, G_KNOWN, CYCLES, M_GROUPS, M_CARRIED, M_KNOWN)

# Turning, code system A: G98 and G99 are feed modes there, G50 the limit of the spindle's speed, U W H increments.
_CONSTANT_CYCLES = dict.fromkeys((800, 830, 840, 850, 870, 880, 890), "drilling cycle with driven tools")
TURN = Dialect(
    "iso-turn",
    {
        **dict.fromkeys((0, 10, 20, 30), MOTION),
        **dict.fromkeys((170, 180, 190), PLANE),
        **dict.fromkeys((200, 210), UNITS),
        **dict.fromkeys((400,), COMPENSATION),
        **dict.fromkeys((540, 550, 560, 570, 580, 590), OFFSET),
        **dict.fromkeys((960, 970), SPEED_MODE),
        **dict.fromkeys((980, 990), FEED_MODE),
    },
    frozenset({40, 280, 300, 500, 530}),
    frozenset({490, 640, 670, 690, 800}),
    {
        71: "cylindrical interpolation", 1070: "cylindrical interpolation", 100: "offset setting", 121: "polar interpolation",
        131: "polar interpolation", 1120: "polar interpolation", 1130: "polar interpolation", 310: "skip move",
        320: "thread cutting", 330: "thread cutting", 340: "thread of changing lead", 410: "nose compensation",
        420: "nose compensation", 650: "macro call", 660: "modal macro call", 680: "mirror of two turrets",
        700: "finishing cycle", 710: "roughing cycle along Z", 720: "roughing cycle along X", 730: "repeating cycle",
        740: "face pecking cycle", 750: "grooving cycle", 760: "threading cycle", 900: "turning cycle", 920: "threading cycle",
        940: "facing cycle", 520: "local shift", **{code: name for code, name in _CONSTANT_CYCLES.items() if code != 800},
    },
    frozenset(),
    M_GROUPS,
    M_CARRIED,
    M_KNOWN,
)  # fmt: skip


def code_name(letter: str, tenths: int) -> str:
    whole, tenth = divmod(tenths, 10)
    return f"{letter}{whole}.{tenth}" if tenth else f"{letter}{whole}"
