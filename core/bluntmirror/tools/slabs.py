"""Slabs: the parts of a body of revolution between two heights, whose radius is a line or a circular arc of the height.

slab      a row of eight numbers, see the columns below; a tool's cutter, shank and holder are stacks of them
convex    a stack without a waist: its sweep along a straight motion is convex too
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

# Columns of a slab row. LINE: radius runs straight from r0 at h0 to r1 at h1. ARC: radius = ro + √(rc² − (h − hc)²),
# a sphere when ro is 0, a torus otherwise. WHOLE: a disc of radius ro at hc grown by rc on all sides, both halves of an arc.
LINE, ARC, WHOLE = 0.0, 1.0, 2.0
KIND, H0, H1, R0, R1, HC, RO, RC = range(8)


def line_slab(h0: float, h1: float, r0: float, r1: float) -> list[float]:
    return [LINE, h0, h1, r0, r1, 0.0, 0.0, 0.0]


def arc_slab(h0: float, h1: float, hc: float, ro: float, rc: float) -> list[float]:
    def radius(h: float) -> float:
        return ro + math.sqrt(max(0.0, rc * rc - (h - hc) ** 2))

    return [ARC, h0, h1, radius(h0), radius(h1), hc, ro, rc]


def stacked(rows: Sequence[list[float]]) -> Floats:
    return np.array(rows, float).reshape(-1, 8)


def is_convex(slabs: Floats) -> bool:
    """Whether the stacked slabs are one convex solid: the radius never falls and its slope never grows."""
    slope = math.inf
    for i, slab in enumerate(slabs):
        if i and abs(slab[R0] - slabs[i - 1, R1]) > 1e-9:
            return False
        first, last = _slopes(slab)
        if first > slope + 1e-9 or last < -1e-9:
            return False
        slope = last
    return True


def _slopes(slab: Floats) -> tuple[float, float]:
    if slab[KIND] == LINE:
        slope = float((slab[R1] - slab[R0]) / (slab[H1] - slab[H0]))
        return slope, slope

    def at(h: float) -> float:
        depth = float(slab[HC]) - h
        return depth / math.sqrt(max(1e-18, float(slab[RC]) ** 2 - depth**2))

    return at(float(slab[H0])), at(float(slab[H1]))


def offset_slabs(slabs: Floats, outward: float) -> Floats:
    """Slabs grown (or, with a negative value, shrunk) by a distance; slabs that vanish are left out."""
    rows = []
    for slab in slabs:
        new = slab.copy()
        new[H0] -= outward
        new[H1] += outward
        if slab[KIND] == ARC:
            new[RC] += outward
            if new[RC] <= 0:
                continue
            new[H0], new[H1] = max(new[H0], new[HC] - new[RC]), min(new[H1], new[HC] + new[RC])
            new = np.array(arc_slab(new[H0], new[H1], new[HC], new[RO], new[RC]))
        else:
            slope = (slab[R1] - slab[R0]) / (slab[H1] - slab[H0])
            grow = outward * math.sqrt(1.0 + slope * slope)
            new[R0] = max(0.0, slab[R0] + grow - slope * outward)
            new[R1] = max(0.0, slab[R1] + grow + slope * outward)
        if new[H1] > new[H0] and max(new[R0], new[R1]) > 0:
            rows.append(new)
    return np.array(rows).reshape(-1, 8)


CHORD_MM = 0.0005  # by which the chords of a section stand inside its arc


def section_points(slab: Floats, chord: float = CHORD_MM) -> Floats:
    """Points (n, 2), radius and height, along the side of a slab from its lower end to its upper."""
    if slab[KIND] == LINE:
        return np.array([[slab[R0], slab[H0]], [slab[R1], slab[H1]]])
    count = max(4, math.ceil(math.pi / 2 / (2 * math.acos(max(0.0, 1 - chord / max(slab[RC], 2 * chord))))))
    low, high = (math.asin(max(-1.0, min(1.0, (slab[h] - slab[HC]) / slab[RC]))) for h in (H0, H1))
    angles = np.linspace(low, high, count + 1)
    return np.column_stack(
        [np.maximum(slab[RO] + slab[RC] * np.cos(angles), 0.0), slab[HC] + slab[RC] * np.sin(angles)]
    )


FACET_MM = 0.0005  # by which cones inscribed in a torus stand inside it


def rounded(slabs: Floats) -> Floats:
    """The same slabs for a tool in any direction: an arc at the bottom whose other half lies within what stands above it becomes a
    whole one; of other arcs spheres stay and tori become cones inscribed in them."""
    if not len(slabs) or slabs[0, KIND] != ARC:
        return facetted(slabs)
    corner = slabs[0]
    widest = corner[RO] + corner[RC]
    above = slabs[1:]
    covered = corner[H1]
    for slab in above:
        if abs(slab[H0] - covered) > 1e-9 or min(slab[R0], slab[R1]) < widest - 1e-9:
            break
        covered = slab[H1]
    if abs(corner[H1] - corner[HC]) > 1e-9 or covered < corner[HC] + corner[RC] - 1e-9 or not len(above):
        return facetted(slabs)
    whole = corner.copy()
    whole[[KIND, H0, H1, R0, R1]] = WHOLE, corner[HC] - corner[RC], corner[HC] + corner[RC], corner[RO], widest
    return np.concatenate([whole[None], facetted(above)])


def facetted(slabs: Floats) -> Floats:
    """The same slabs with every torus as cones inscribed in it; spheres, cones and cylinders as they are."""
    rows: list[Floats] = []
    for slab in slabs:
        if slab[KIND] == LINE or slab[RO] == 0.0:
            rows.append(slab)
            continue
        low, high = (math.asin(max(-1.0, min(1.0, (slab[h] - slab[HC]) / slab[RC]))) for h in (H0, H1))
        step = 2.0 * math.acos(max(0.0, 1.0 - FACET_MM / max(float(slab[RC]), FACET_MM)))
        angles = np.linspace(low, high, max(2, math.ceil((high - low) / step)) + 1)
        heights, radii = slab[HC] + slab[RC] * np.sin(angles), slab[RO] + slab[RC] * np.cos(angles)
        rows += [
            np.array(line_slab(*map(float, part)))
            for part in zip(heights[:-1], heights[1:], radii[:-1], radii[1:], strict=True)
            if part[1] > part[0]
        ]
    return np.array(rows).reshape(-1, 8)
