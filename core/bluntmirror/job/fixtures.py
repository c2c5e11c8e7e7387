"""Fixtures and blanks from a few measures: each entry is a name, its measures with what they mean, and the shapes they make.

Drawn standing on z = 0 of their own frame, x along the longer side; a chuck's, collet's or steady's axis is z.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

Json = dict[str, Any]


@dataclass(frozen=True)
class Measure:
    name: str
    says: str
    value: float
    least: float = 0.1
    most: float = 5000.0


@dataclass(frozen=True)
class Fixture:
    name: str
    says: str
    role: str  # fixture, stock
    measures: tuple[Measure, ...]
    draw: Callable[..., list[Json]]

    def shapes(self, given: dict[str, float]) -> list[Json]:
        """The shapes for some measures; those not given keep their usual value. Raises ValueError, naming the measure."""
        values = {}
        for measure in self.measures:
            value = float(given.get(measure.name, measure.value))
            if not (math.isfinite(value) and measure.least <= value <= measure.most):
                raise ValueError(f"{measure.says}: {value:g} is not between {measure.least:g} and {measure.most:g}")
            values[measure.name] = value
        unknown = set(given) - set(values)
        if unknown:
            raise ValueError(f"{self.name} has no measure '{sorted(unknown)[0]}'")
        return self.draw(**values)


def _box(x: float, y: float, z: float, at: tuple[float, float, float]) -> Json:
    return {"type": "box", "size": [x, y, z], "at": list(at)}


def _rod(diameter: float, length: float, at: tuple[float, float, float]) -> Json:
    return {"type": "cylinder", "diameter": diameter, "length": length, "at": list(at)}


def _vise(width: float, opening: float, jaw: float, body: float, step: float, ledge: float) -> list[Json]:
    """Jaws along x, opened along y; a step in each jaw carries the work at `step` below the jaw's top."""
    long = opening + 2 * 48.0
    shapes = [_box(width, long, body, (0, 0, body / 2))]
    for side in (-1, 1):
        y = side * (opening / 2 + ledge + (48.0 - ledge) / 2)
        shapes.append(_box(width, 48.0 - ledge, jaw, (0, y, body + jaw / 2)))
        if ledge > 0 and jaw > step:
            shapes.append(
                _box(width, ledge, jaw - step, (0, side * (opening / 2 + ledge / 2), body + (jaw - step) / 2))
            )
    return shapes


def _toe_clamp(length: float, width: float, height: float, bite: float) -> list[Json]:
    return [
        _box(length, width, height * 0.7, (0, 0, height * 0.35)),
        _box(length * 0.4, width, height * 0.3, (length * 0.3 + bite / 2, 0, height * 0.85)),
    ]


def _strap_clamp(length: float, width: float, thick: float, under: float, screw: float) -> list[Json]:
    return [
        _box(length, width, thick, (0, 0, under + thick / 2)),
        _box(width, width, under, (-length / 2 + width / 2, 0, under / 2)),
        _rod(screw, under + thick + 2.2 * screw, (0, 0, (under + thick + 2.2 * screw) / 2)),
        _rod(1.8 * screw, 0.8 * screw, (0, 0, under + thick + 0.4 * screw)),
    ]


def _plate(length: float, width: float, thick: float) -> list[Json]:
    return [_box(length, width, thick, (0, 0, thick / 2))]


def _tombstone(side: float, height: float, base: float, foot: float, sides: float) -> list[Json]:
    count = max(3, round(sides))
    reach = side / 2 / math.sin(math.pi / count) if count != 4 else side / math.sqrt(2)
    outline = [
        [
            reach * math.cos(math.pi / count + 2 * math.pi * i / count),
            reach * math.sin(math.pi / count + 2 * math.pi * i / count),
        ]
        for i in range(count)
    ]
    return [
        _box(base, base, foot, (0, 0, foot / 2)),
        {"type": "extrude", "outline": outline, "height": height, "at": [0, 0, foot]},
    ]


def _dovetail_grip(length: float, width: float, height: float, tail: float, angle: float) -> list[Json]:
    lean = tail / math.tan(math.radians(angle))
    shapes = [_box(length, width + 2 * lean + 40, height - tail, (0, 0, (height - tail) / 2))]
    for side in (-1, 1):
        inner, outer = width / 2, width / 2 + lean + 20
        outline = [[inner + lean, 0], [outer, 0], [outer, tail], [inner, tail]]
        outline = outline if side > 0 else [[-x, y] for x, y in outline][::-1]
        # Drawn across (y) and up (z), along x.
        shapes.append(
            {
                "type": "extrude",
                "outline": outline,
                "height": length,
                "at": [-length / 2, 0, height - tail],
                "turn": [90, 0, 90],
            }
        )
    return shapes


def _jaws(
    body: float, thick: float, grip: float, jaw: float, high: float, width: float, steps: list[tuple[float, float]]
) -> list[Json]:
    shapes = [_rod(body, thick, (0, 0, -thick / 2))]
    outline = [[0, 0], [jaw, 0]] + [[jaw - back, up * high] for back, up in steps] + [[0, high]]
    for i in range(3):
        angle = math.radians(120.0 * i + 90.0)
        r = grip / 2
        at = [r * math.cos(angle) - width / 2 * math.sin(angle), r * math.sin(angle) + width / 2 * math.cos(angle), 0.0]
        shapes.append(
            {"type": "extrude", "outline": outline, "height": width, "at": at, "turn": [90, 0, 120.0 * i + 90.0]}
        )
    return shapes


def _hard_jaws(body: float, thick: float, grip: float, jaw: float, high: float, width: float) -> list[Json]:
    return _jaws(body, thick, grip, jaw, high, width, [(0.0, 0.55), (jaw * 0.5, 0.55), (jaw * 0.5, 1.0)])


def _soft_jaws(body: float, thick: float, grip: float, jaw: float, high: float, width: float) -> list[Json]:
    return _jaws(body, thick, grip, jaw, high, width, [(0.0, 1.0)])


def _collet(nose: float, length: float, bore: float) -> list[Json]:
    return [
        {
            "type": "revolve",
            "profile": [
                [bore / 2, 0],
                [nose / 2, 0],
                [nose / 2, length * 0.6],
                [nose / 2 - length * 0.2, length],
                [bore / 2, length],
            ],
        }
    ]


def _steady(opening: float, ring: float, thick: float, roller: float) -> list[Json]:
    shapes: list[Json] = [
        {
            "type": "tube",
            "outer": opening + 2 * roller + 2 * ring,
            "inner": opening + 2 * roller,
            "length": thick,
            "at": [0, 0, thick / 2],
        }
    ]
    for i in range(3):
        angle = math.radians(90 + 120 * i)
        reach = opening / 2 + roller / 2
        shapes.append(_rod(roller, thick * 0.8, (reach * math.cos(angle), reach * math.sin(angle), thick / 2)))
    return shapes


def _tube(outer: float, inner: float, length: float) -> list[Json]:
    if inner >= outer:
        raise ValueError("a tube's bore must be smaller than its outside")
    return [{"type": "tube", "outer": outer, "inner": inner, "length": length, "at": [0, 0, length / 2]}]


def _driver(diameter: float, length: float, grip: float) -> list[Json]:
    return [_rod(diameter, length, (0, 0, length / 2)), _rod(grip, length, (0, 0, 1.5 * length))]


M = Measure
_CHUCK = (M("body", "chuck diameter", 200), M("thick", "chuck thickness", 80), M("grip", "gripped diameter", 60),
          M("jaw", "jaw depth", 40), M("high", "jaw height", 36), M("width", "jaw width", 28))  # fmt: skip
LIBRARY: dict[str, Fixture] = {
    f.name: f
    for f in (
        Fixture("vise", "Vise with stepped jaws", "fixture", (
            M("width", "jaw width", 125), M("opening", "opening", 80), M("jaw", "jaw height", 45), M("body", "body height", 55),
            M("step", "step below the jaw's top", 8), M("ledge", "step width", 4, 0)), _vise),
        Fixture("toe-clamp", "Toe clamp", "fixture", (
            M("length", "length", 60), M("width", "width", 30), M("height", "height", 28), M("bite", "bite", 6, 0)), _toe_clamp),
        Fixture("strap-clamp", "Strap clamp with screw and heel", "fixture", (
            M("length", "length", 90), M("width", "width", 28), M("thick", "thickness", 16), M("under", "height under the strap", 30),
            M("screw", "screw diameter", 12)), _strap_clamp),
        Fixture("plate", "Plate", "fixture", (M("length", "length", 300), M("width", "width", 200), M("thick", "thickness", 25)), _plate),
        Fixture("tombstone", "Tombstone", "fixture", (
            M("side", "side of a face", 200), M("height", "height", 400), M("base", "side of the foot", 320), M("foot", "foot thickness", 30),
            M("sides", "faces", 4, 3, 12)), _tombstone),
        Fixture("dovetail-grip", "Dovetail grip", "fixture", (
            M("length", "length", 80), M("width", "tail width at the top", 40), M("height", "height", 60), M("tail", "tail height", 5),
            M("angle", "tail angle", 60, 30, 85)), _dovetail_grip),
        Fixture("chuck-hard", "Three-jaw chuck, hard jaws", "fixture", _CHUCK, _hard_jaws),
        Fixture("chuck-soft", "Three-jaw chuck, soft jaws", "fixture", _CHUCK, _soft_jaws),
        Fixture("collet", "Collet nose", "fixture", (M("nose", "nose diameter", 80), M("length", "length", 40), M("bore", "bore", 30)), _collet),
        Fixture("steady", "Steady rest", "fixture", (
            M("opening", "work diameter", 60), M("ring", "ring wall", 25), M("thick", "thickness", 30), M("roller", "roller diameter", 24)), _steady),
        Fixture("driver", "Driver's room above a screw", "access", (
            M("diameter", "shaft diameter", 12), M("length", "shaft length", 80), M("grip", "grip diameter", 34)), _driver),
        Fixture("box", "Box", "stock", (M("length", "along x", 100), M("width", "along y", 80), M("height", "along z", 30)),
                lambda length, width, height: [_box(length, width, height, (0, 0, height / 2))]),
        Fixture("bar", "Round bar", "stock", (M("diameter", "diameter", 50), M("length", "length", 120)),
                lambda diameter, length: [_rod(diameter, length, (0, 0, length / 2))]),
        Fixture("tube", "Tube", "stock", (M("outer", "outside", 60), M("inner", "bore", 40), M("length", "length", 100)), _tube),
    )
}  # fmt: skip

# Common stock sizes in mm: flat bar as width × thickness, round bar as diameter (common practice; preferred numbers).
FLATS = [
    (w, t)
    for w in (20, 25, 30, 40, 50, 60, 80, 100, 120, 150, 200)
    for t in (5, 6, 8, 10, 12, 15, 20, 25, 30, 40, 50, 60)
    if t <= w
]
ROUNDS = [
    6,
    8,
    10,
    12,
    14,
    16,
    18,
    20,
    22,
    25,
    28,
    30,
    32,
    35,
    36,
    40,
    45,
    50,
    55,
    60,
    65,
    70,
    75,
    80,
    90,
    100,
    110,
    120,
    140,
    150,
]


def stock_around(bounds: Any, allowance: dict[str, float]) -> tuple[list[Json], list[float]]:
    """A box around a part's box (2, 3) with an allowance per face (x−, x+, y−, y+, z−, z+): its shapes, drawn on z = 0, and
    where its frame stands in the part's. Raises ValueError for an allowance that is no length."""
    low, high = ([float(c) for c in corner] for corner in bounds)
    for key, value in allowance.items():
        if key not in ("x-", "x+", "y-", "y+", "z-", "z+") or not (math.isfinite(value) and 0 <= value <= 1000):
            raise ValueError(f"the allowance {key} of {value:g} is no length between 0 and 1000")
    for i, axis in enumerate("xyz"):
        low[i] -= allowance.get(f"{axis}-", 0.0)
        high[i] += allowance.get(f"{axis}+", 0.0)
    size = [b - a for a, b in zip(low, high, strict=True)]
    shapes = [_box(size[0], size[1], size[2], (0, 0, size[2] / 2))]
    return shapes, [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]]


def standard_size(size: list[float]) -> list[float] | None:
    """The smallest flat of the list that holds a box's two smaller sides; its length as it is. None when none does."""
    order = sorted(range(3), key=lambda i: size[i])
    thin, wide = size[order[0]], size[order[1]]
    fits = [(w, t) for w, t in FLATS if t >= thin - 1e-9 and w >= wide - 1e-9]
    if not fits:
        return None
    w, t = min(fits, key=lambda f: f[0] * f[1])
    result = list(size)
    result[order[0]], result[order[1]] = float(t), float(w)
    return result
