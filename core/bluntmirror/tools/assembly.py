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

from ..geometry.hull import is_convex as is_convex_mesh
from ..geometry.mesh import Mesh, extrude, joined, revolve, segments_for
from ..job import models
from .cutters import CAN_RAMP, core_radius, cutting_slabs, guide_slabs
from .slabs import H0, H1, KIND, LINE, R0, R1, is_convex, line_slab, section_points, stacked

Floats = NDArray[np.float64]

MOST_KEEN = 4  # slabs of a cutter without a rounding: a step drill's


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
    core: float = 0.0  # radius of the middle of its face, which does not cut
    ramp: float = 90.0  # degrees: the steepest way into full material that it can take

    @property
    def is_turning(self) -> bool:
        return len(self.insert) > 0

    @property
    def is_keen(self) -> bool:
        """Whether nothing of its cutter is rounded: no arc, nor a profile of so many lines that they might stand for one. An insert's nose is."""
        return not self.is_turning and len(self.cutting) <= MOST_KEEN and bool((self.cutting[:, KIND] == LINE).all())

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
            convex = all(is_convex_mesh(block) for block in self.blocks)
            result["holder"] = [*result.get("holder", []), *self.blocks] if convex else []
        return result


def _profile(slabs: Floats) -> list[tuple[float, float]]:
    """The closed outline of stacked slabs, arcs cut finely (DRAWN_MM)."""
    outline: list[tuple[float, float]] = [(0.0, float(slabs[0, H0]))]
    for i, slab in enumerate(slabs):
        if i and slab[H0] > slabs[i - 1, H1] + 1e-9:  # another part stands between these two
            outline += [(0.0, float(slabs[i - 1, H1])), (0.0, float(slab[H0]))]
        outline += [(max(0.0, float(r)), float(h)) for r, h in section_points(slab, DRAWN_MM)]
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
    cutting = cutting_slabs(cutter)
    top = float(cutting[-1, H1])
    diameter = 2.0 * float(np.max(cutting[:, [R0, R1]]))
    shank_radius = (cutter.shank_diameter or diameter) / 2.0
    shank = stacked([line_slab(top, cutter.reach, shank_radius, shank_radius)] if cutter.reach > top + 1e-9 else [])
    guide = guide_slabs(cutter)
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
        np.concatenate([guide, shank]),
        stacked(segments),
        convex=is_convex(cutting),
        turns=-1 if cutter.hand == "left" else 1,
        offset=entry.offset,
        blocks=tuple(blocks),
        core=core_radius(cutter),
        ramp=CAN_RAMP if cutter.ramp_angle is None else cutter.ramp_angle,
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
DRAWN_MM = 0.005  # by which chords of an outline that is drawn stand inside its arc
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
