"""A tool as it hangs in the spindle: cutter, shank and holder as slabs of revolution about its axis.

tip       the tool's lowest point, h = 0; h grows towards the gauge point at h = length
reach     tip to holder face
slab      the part of the tool between two heights whose radius is a line or a circular arc of h
convex    a cutting part without a waist: its sweep along a straight motion is convex too

      gauge point ┬ h = length
          holder ▐█▌  segments, stacked from the holder face up
    holder face  ▐█▌ h = reach
          shank   ║   neck or shank
                  ║  h = flute length
        cutting  ▐▌  the only part that may touch stock
            tip   V  h = 0
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..geometry.hull import is_convex
from ..geometry.mesh import Mesh, extrude, joined, revolve, segments_for
from ..job import models

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


@dataclass(frozen=True)
class Assembly:
    """Slabs (n, 8) of each part; mm."""

    number: int
    name: str
    length: float
    reach: float
    flute_length: float
    diameter: float
    cutting: Floats
    shank: Floats
    holder: Floats
    convex: bool
    turns: int  # +1 right-handed (M3 cuts), −1 left-handed
    carried_out: bool = True  # False for tools whose cut this version does not work out
    insert: Floats = field(default_factory=lambda: np.zeros((0, 2)))  # (v, 2): x, z from the tip, convex (turning)
    offset: tuple[float, float] = (0.0, 0.0)  # of the tip beside the mount's axis
    blocks: tuple[Mesh, ...] = ()  # of the holder, in the mount's frame, as its shapes draw it
    cuts_threads: bool = False  # a thread insert: locked to the spindle it leaves its outline once a turn

    @property
    def is_turning(self) -> bool:
        return len(self.insert) > 0

    @property
    def tip(self) -> tuple[float, float, float]:
        """Where the tip is in the mount's frame."""
        return (*self.offset, -self.length)

    def outlines(self) -> dict[str, list[tuple[float, float]]]:
        """The closed outlines [(r, h), …] of cutter, shank and holder, h from the tip; parts that a tool lacks are left
        out. Of a turning tool the insert's own outline, r its place beside the tip."""
        if self.is_turning:
            return {"insert": [(float(x), float(z)) for x, z in self.insert]}
        parts = {"cutter": self.cutting, "shank": self.shank, "holder": self.holder}
        return {name: _profile(slabs) for name, slabs in parts.items() if len(slabs)}

    def meshes(self) -> dict[str, Mesh]:
        """cutter, shank and holder as meshes in the frame of the tool mount: the gauge point at its origin."""
        made = {}
        if self.is_turning:
            made["insert"] = self._insert_plate()
        else:
            x, y = self.offset
            for name, outline in self.outlines().items():
                turned = revolve([[r, h - self.length] for r, h in outline])
                made[name] = Mesh(turned.vertices + [x, y, 0.0], turned.faces)
        if self.blocks:
            made["holder"] = joined([made["holder"], *self.blocks] if "holder" in made else list(self.blocks))
        return made

    def _insert_plate(self) -> Mesh:
        """The insert as a plate around the turning plane."""
        flat = extrude(self.insert.tolist(), INSERT_THICKNESS_MM)
        x, z, up = flat.vertices.T
        # x, z of the outline lie in the mount's x and z; the thickness goes along −y, the rake face at y = 0.
        vertices = np.column_stack([x + self.offset[0], self.offset[1] - INSERT_THICKNESS_MM + up, z - self.length])
        return Mesh(vertices, flat.faces[:, ::-1])

    def pieces(self) -> dict[str, list[Mesh]]:
        """The same parts in convex pieces, one a slab."""
        result: dict[str, list[Mesh]] = {"insert": [self._insert_plate()]} if self.is_turning else {}
        for name, slabs in (("cutter", self.cutting), ("shank", self.shank), ("holder", self.holder)):
            if len(slabs):
                facets = segments_for(max(r for r, _ in _profile(slabs)))
                result[name] = [
                    revolve([[r, h - self.length] for r, h in _profile(slabs[i : i + 1])], facets=facets)
                    for i in range(len(slabs))
                ]
                if self.offset != (0.0, 0.0):
                    result[name] = [Mesh(m.vertices + [*self.offset, 0.0], m.faces) for m in result[name]]
        if self.blocks:
            convex = all(is_convex(block) for block in self.blocks)
            result["holder"] = [*result.get("holder", []), *self.blocks] if convex else []
        return result


def _profile(slabs: Floats) -> list[tuple[float, float]]:
    """The closed outline of stacked slabs, arcs cut finely (0.005 mm)."""
    outline: list[tuple[float, float]] = [(0.0, float(slabs[0, H0]))]
    for slab in slabs:
        if slab[KIND] == LINE:
            steps = [(slab[R0], slab[H0]), (slab[R1], slab[H1])]
        else:
            count = max(4, math.ceil(math.pi / 2 / (2 * math.acos(max(0.0, 1 - 0.005 / max(slab[RC], 0.01))))))
            low, high = (math.asin(max(-1.0, min(1.0, (slab[h] - slab[HC]) / slab[RC]))) for h in (H0, H1))
            angles = np.linspace(low, high, count + 1)
            steps = [(slab[RO] + slab[RC] * math.cos(a), slab[HC] + slab[RC] * math.sin(a)) for a in angles]
        outline += [(max(0.0, float(r)), float(h)) for r, h in steps]
    outline.append((0.0, float(slabs[-1, H1])))
    kept = [outline[0]]
    for point in outline[1:]:
        if math.dist(point, kept[-1]) > 1e-9:
            kept.append(point)
    return kept


def build_assembly(entry: models.ToolEntry, blocks: Sequence[Mesh] = ()) -> Assembly:
    """The slabs of a tool entry; of a turning tool the insert's outline. `blocks`: the holder's shapes as meshes."""
    cutter = entry.cutter
    none = np.zeros((0, 8))
    if isinstance(cutter, models.Insert):
        return Assembly(
            entry.number, entry.name, entry.length, entry.length, 0.0, 0.0, none, none, none, True, 1,
            insert=insert_outline(cutter), offset=entry.offset, blocks=tuple(blocks), cuts_threads=cutter.type == "thread-insert",
        )  # fmt: skip
    cutting = _cutting_slabs(cutter)
    top = float(cutting[-1, H1])
    diameter = 2.0 * float(np.max(cutting[:, [R0, R1]]))
    shank_radius = (cutter.shank_diameter or diameter) / 2.0
    shank = _rows([line_slab(top, cutter.reach, shank_radius, shank_radius)] if cutter.reach > top + 1e-9 else [])
    segments, height = [], max(cutter.reach, top)
    for part in entry.holder.segments:
        to = part.to_diameter or part.diameter
        segments.append(line_slab(height, height + part.length, part.diameter / 2.0, to / 2.0))
        height += part.length
    return Assembly(
        entry.number,
        entry.name,
        entry.length,
        cutter.reach,
        top,
        diameter,
        cutting,
        shank,
        _rows(segments),
        convex=_is_convex(cutting),
        turns=-1 if cutter.hand == "left" else 1,
        offset=entry.offset,
        blocks=tuple(blocks),
    )


def insert_outline(cutter: models.Insert) -> Floats:
    """The convex outline (v, 2) of an insert, x and z from the tip, anticlockwise; the nose's arc inscribed to NOSE_MM.

    z                    The tip (+) is where the lines touching the nose along x and z meet. The edge that leads goes
    │   ╱edge            off at `lead_angle` to the feed (towards −x); the other at the included angle from it.
    │  ╱   ╲
    │ ╱     ╲
    │(nose   ╲other
    +─────────────── x
    """
    nose = cutter.nose_radius or 0.0
    if cutter.type in ("groove", "part-off"):
        width, depth = float(cutter.width or 0.0), float(cutter.reach or 4.0 * (cutter.width or 1.0))
        r = min(nose, width / 2)
        left = _arc((r, r), r, 180.0, 270.0)
        right = _arc((width - r, r), r, 270.0, 360.0)
        return np.array([*left, *right, (width, depth), (0.0, depth)])
    if cutter.type == "thread-insert":
        included, lead, length = 60.0, 60.0, float(cutter.inscribed_circle or 6.35)  # ISO 68-1: 60° thread angle
    elif cutter.shape == "R":
        r = float(cutter.inscribed_circle or 0.0) / 2
        return np.array(_arc((r, r), r, -180.0, 180.0)[:-1])
    else:
        included = INCLUDED_ANGLE[cutter.shape or "C"]
        lead = cutter.lead_angle or (90.0 - included / 2 if cutter.hand == "neutral" else 95.0)
        length = _edge_length(cutter.shape or "C", float(cutter.inscribed_circle or 0.0))
    one = np.array([-math.cos(math.radians(lead)), math.sin(math.radians(lead))])
    other = np.array([-math.cos(math.radians(lead + included)), math.sin(math.radians(lead + included))])
    # The sharp corner lies off the nose's centre, away from the insert's middle, by r / sin(half the included angle).
    middle = (one + other) / np.linalg.norm(one + other)
    centre = np.array([nose, nose])
    corner = centre - middle * nose / math.sin(math.radians(included / 2))
    begin, end = (math.degrees(math.atan2(*n[::-1])) for n in (_outward(one, middle), _outward(other, middle)))
    end += 360.0 if end < begin else 0.0
    arc = _arc(tuple(centre), nose, begin, end)
    ends = [corner + length * other, corner + length * (one + other), corner + length * one]
    if cutter.shape in ("T", "W") or cutter.type == "thread-insert":
        ends = [ends[0], ends[2]]
    outline = np.array([*arc, *ends])
    if cutter.hand == "left":
        outline = (outline * [-1.0, 1.0])[::-1]
    return outline


# Included angle of the corner by the shape letter (ISO 1832, from memory).
INCLUDED_ANGLE = {
    "A": 85.0, "B": 82.0, "C": 80.0, "D": 55.0, "E": 75.0, "H": 120.0, "K": 55.0, "L": 90.0, "M": 86.0, "O": 135.0,
    "P": 108.0, "S": 90.0, "T": 60.0, "V": 35.0, "W": 80.0,
}  # fmt: skip
INSERT_THICKNESS_MM = 4.0
NOSE_MM = 0.0005  # by which the nose's chords stand inside its arc


def _edge_length(shape: str, circle: float) -> float:
    """Edge length from the inscribed circle: d / sin ε of a rhomb; d·√3 of a triangle; of a trigon's corner half of that."""
    if shape == "T":
        return circle * math.sqrt(3.0)
    if shape == "W":
        return circle * math.sqrt(3.0) / 2.0
    if shape in ("H", "O", "P"):
        sides = {"H": 6, "O": 8, "P": 5}[shape]
        return circle * math.tan(math.pi / sides)
    return circle / math.sin(math.radians(INCLUDED_ANGLE[shape]))


def _outward(edge: Floats, middle: Floats) -> Floats:
    """The normal of an edge that points away from the insert's middle."""
    normal = np.array([edge[1], -edge[0]])
    return normal if float(normal @ middle) < 0 else -normal


def _arc(centre: tuple[float, float], radius: float, begin: float, end: float) -> list[tuple[float, float]]:
    if radius <= 0.0:
        return [centre]
    step = 2.0 * math.degrees(math.acos(max(0.0, 1.0 - NOSE_MM / radius)))
    angles = np.radians(np.linspace(begin, end, max(2, math.ceil(abs(end - begin) / step)) + 1))
    return [(centre[0] + radius * math.cos(a), centre[1] + radius * math.sin(a)) for a in angles]


def _rows(slabs: Sequence[list[float]]) -> Floats:
    return np.array(slabs, float).reshape(-1, 8)


def _cutting_slabs(cutter: models.Cutter) -> Floats:
    assert not isinstance(cutter, models.Insert)
    if isinstance(cutter, models.ProfileCutter):
        rows = [
            line_slab(z0, z1, r0, r1)
            for (r0, z0), (r1, z1) in zip(cutter.profile, cutter.profile[1:], strict=False)
            if z1 > z0
        ]
        return _rows(rows)
    radius, flutes = cutter.diameter / 2.0, cutter.flute_length
    if isinstance(cutter, models.BallMill):
        top = min(radius, flutes)
        rows = [arc_slab(0.0, top, radius, 0.0, radius)]
    elif isinstance(cutter, models.EndMill) and cutter.corner_radius > 0:
        corner = cutter.corner_radius
        top = min(corner, flutes)
        rows = [arc_slab(0.0, top, corner, radius - corner, corner)]
    elif isinstance(cutter, models.Drill) and cutter.point_angle < 180:
        # Height of a drill's point: r / tan(½ point angle); a 118° point is 0.3004·D high.
        top = radius / math.tan(math.radians(cutter.point_angle) / 2.0)
        rows = [line_slab(0.0, top, 0.0, radius)]
    elif isinstance(cutter, models.ChamferMill):
        small = cutter.tip_diameter / 2.0
        top = (radius - small) / math.tan(math.radians(cutter.angle) / 2.0)
        rows = [line_slab(0.0, top, small, radius)]
    elif isinstance(cutter, models.Dovetail):
        # `angle` from the base plane to the flank: the radius falls by h / tan(angle).
        small = max(0.0, radius - flutes / math.tan(math.radians(cutter.angle)))
        top = flutes
        rows = [line_slab(0.0, top, radius, small)]
    else:
        top, rows = 0.0, []
    if flutes > top + 1e-9:
        rows.append(line_slab(top, flutes, radius, radius))
    return _rows(rows)


def _is_convex(slabs: Floats) -> bool:
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
