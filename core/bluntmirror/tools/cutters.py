"""Every kind of cutter as slabs: what of it cuts, what of it only guides, and how much of its face does not cut at all.

face      the lowest end; its middle is cut by a drill or a ball, but by few mills
core      the radius of the middle that does not cut: a plunge into full material would rub there
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from typing import Any

from ..job import models
from .slabs import R0, R1, Floats, arc_slab, line_slab, stacked

Rows = list[list[float]]
CAN_RAMP = math.degrees(
    math.asin(0.25)
)  # a way steeper than that is a plunge, where the table gives no angle of its own
TAP_CORE = (
    1.0825  # pitches by which the hole of an ISO metric thread is narrower than the thread (ISO 68-1: D1 = D − 2·5/8·H)
)
REAMER_CORE = 0.8  # of the diameter; a reamer takes a few tenths of a millimetre (common practice)


def cutting_slabs(cutter: models.Milling) -> Floats:
    """The part of a cutter that may touch stock, from the tip up."""
    rows = _MAKERS[cutter.type](cutter)
    top = rows[-1][2] if rows else 0.0
    straight = rows[-1][4] if rows else (cutter.diameter or 0.0) / 2.0
    flutes = cutter.flute_length
    if flutes is not None and flutes > top + 1e-9 and cutter.type not in _ENDS_ABOVE:
        rows = [*rows, line_slab(top, flutes, straight, straight)]
    return stacked(rows)


def widest(cutter: models.Milling) -> float:
    """Its diameter: as the table has it, or, of a taper or a form that says none, where its outline is widest."""
    return cutter.diameter or 2.0 * float(cutting_slabs(cutter)[:, [R0, R1]].max())


def guide_slabs(cutter: models.Milling) -> Floats:
    """What stands below the cutting part and does not cut: a counterbore's pilot."""
    if isinstance(cutter, models.Counterbore) and cutter.pilot_diameter:
        radius = cutter.pilot_diameter / 2.0
        return stacked([line_slab(0.0, cutter.pilot_length or 0.0, radius, radius)])
    return stacked([])


def core_radius(cutter: models.Milling) -> float:
    """The radius of the middle of the face that does not cut; 0 where it cuts all."""
    if cutter.core_diameter is not None:
        return cutter.core_diameter / 2.0
    neck = (cutter.shank_diameter or 0.0) / 2.0
    if isinstance(cutter, models.TSlot | models.Dovetail | models.ThreadMill):
        return min(neck, (cutter.diameter or 0.0) / 2.0)
    if isinstance(cutter, models.BoringBar):
        return neck
    if isinstance(cutter, models.Tap):
        return max(0.0, (cutter.diameter - TAP_CORE * (cutter.pitch or 0.0)) / 2.0) if cutter.pitch else 0.0
    if isinstance(cutter, models.Reamer):
        return REAMER_CORE * cutter.diameter / 2.0
    return 0.0


def _point(radius: float, angle: float, from_radius: float = 0.0, at: float = 0.0) -> list[float]:
    """A cone that opens by an included angle. A drill's point is r / tan(½ angle) high: 0.3004·D at 118°."""
    return line_slab(at, at + (radius - from_radius) / math.tan(math.radians(angle) / 2.0), from_radius, radius)


def _end_mill(cutter: models.EndMill) -> Rows:
    corner, radius = cutter.corner_radius, cutter.diameter / 2.0
    return [arc_slab(0.0, min(corner, cutter.flute_length), corner, radius - corner, corner)] if corner > 0 else []


def _ball_mill(cutter: models.BallMill) -> Rows:
    radius = cutter.diameter / 2.0
    return [arc_slab(0.0, min(radius, cutter.flute_length), radius, 0.0, radius)]


def _taper_mill(cutter: models.TaperMill) -> Rows:
    """The flank touches the corner where its normal is the flank's: at rc·(1 − sin a) over the tip, rc·cos a outside its middle."""
    corner, slope = cutter.corner_radius, math.tan(math.radians(cutter.angle))
    middle = cutter.tip_diameter / 2.0 - corner
    low = corner * (1.0 - math.sin(math.radians(cutter.angle)))
    radius = middle + corner * math.cos(math.radians(cutter.angle))
    rows = [arc_slab(0.0, low, corner, middle, corner)] if corner > 0 else []
    widest = cutter.diameter / 2.0 if cutter.diameter else math.inf
    high = min(cutter.flute_length, low + (widest - radius) / slope)
    rows.append(line_slab(low, high, radius, radius + (high - low) * slope))
    return rows


def _drill(cutter: models.Drill | models.SpotDrill) -> Rows:
    return [_point(cutter.diameter / 2.0, cutter.point_angle)] if cutter.point_angle < 180 else []


def _centre_drill(cutter: models.CentreDrill) -> Rows:
    pilot = cutter.pilot_diameter / 2.0
    rows = [_point(pilot, cutter.point_angle)] if cutter.point_angle < 180 else []
    top = rows[-1][2] if rows else 0.0
    if cutter.pilot_length > top:
        rows.append(line_slab(top, cutter.pilot_length, pilot, pilot))
    return [*rows, _point(cutter.diameter / 2.0, cutter.angle, pilot, max(top, cutter.pilot_length))]


def _step_drill(cutter: models.StepDrill) -> Rows:
    rows: Rows = []
    at = 0.0
    sizes = [*cutter.steps, (cutter.diameter, math.inf)]
    for number, (diameter, end) in enumerate(sizes):
        radius, before = diameter / 2.0, sizes[number - 1][0] / 2.0 if number else 0.0
        angle = cutter.step_angle if number else cutter.point_angle
        if angle < 180:
            rows.append(_point(radius, angle, before, at))
            at = rows[-1][2]
        if at < end < math.inf:
            rows.append(line_slab(at, end, radius, radius))
            at = end
    return rows


def _counterbore(cutter: models.Counterbore) -> Rows:
    low, radius = (cutter.pilot_length or 0.0) if cutter.pilot_diameter else 0.0, cutter.diameter / 2.0
    return [line_slab(low, low + cutter.flute_length, radius, radius)]


def _chamfer_mill(cutter: models.ChamferMill) -> Rows:
    return [_point(cutter.diameter / 2.0, cutter.angle, cutter.tip_diameter / 2.0)]


def _dovetail(cutter: models.Dovetail) -> Rows:
    # `angle` from the base plane to the flank: the radius falls by h / tan(angle).
    radius, flutes = cutter.diameter / 2.0, cutter.flute_length
    return [line_slab(0.0, flutes, radius, max(0.0, radius - flutes / math.tan(math.radians(cutter.angle))))]


def _thread_mill(cutter: models.ThreadMill) -> Rows:
    """Teeth of the basic profile of ISO 68-1: flanks at 60°, H = √3/2·P. A tooth for internal threads has a crest of P/8 and reaches
    5/8·H beyond the root; one for external threads a crest of P/4.

        H │╲      ╱╲        crest, root: flats across the tooth's tip and between two teeth
          │ ╲____╱  ╲___    their sum with both flanks is one pitch
    """
    pitch, radius = cutter.pitch, cutter.diameter / 2.0
    depth = 0.625 * math.sqrt(3.0) / 2.0 * pitch
    crest = pitch / 8.0 if cutter.internal else pitch / 4.0
    flank = depth * math.tan(math.radians(30.0))
    root = pitch - crest - 2.0 * flank
    rows = max(1, math.floor((cutter.flute_length + root + 1e-9) / pitch)) if cutter.teeth is None else cutter.teeth
    made: Rows = []
    at = 0.0
    for number in range(rows):
        made.append(line_slab(at, at + flank, radius - depth, radius))
        made.append(line_slab(at + flank, at + flank + crest, radius, radius))
        made.append(line_slab(at + flank + crest, at + 2 * flank + crest, radius, radius - depth))
        at += 2 * flank + crest
        if number + 1 < rows:
            made.append(line_slab(at, at + root, radius - depth, radius - depth))
            at += root
    return made


def _lollipop(cutter: models.Lollipop) -> Rows:
    """A ball on a neck: round as far up as the neck lets it be."""
    radius, neck = cutter.diameter / 2.0, (cutter.shank_diameter or 0.0) / 2.0
    top = radius + math.sqrt(max(0.0, radius * radius - neck * neck))
    rows = [arc_slab(0.0, radius, radius, 0.0, radius)]
    return [*rows, arc_slab(radius, top, radius, 0.0, radius)] if top > radius + 1e-9 else rows


def _face_mill(cutter: models.FaceMill) -> Rows:
    """`angle` between the inserts' main edge and the face: 90° a shoulder, 45° opens by as much as it is high."""
    radius, deep, corner = cutter.diameter / 2.0, cutter.flute_length, cutter.corner_radius
    if cutter.angle < 90.0:
        return [line_slab(0.0, deep, radius, radius + deep / math.tan(math.radians(cutter.angle)))]
    return [arc_slab(0.0, min(corner, deep), corner, radius - corner, corner)] if corner > 0 else []


def _profile(cutter: models.ProfileCutter) -> Rows:
    points = cutter.profile or []
    return [line_slab(z0, z1, r0, r1) for (r0, z0), (r1, z1) in itertools.pairwise(points) if z1 > z0]


_MAKERS: dict[str, Callable[[Any], Rows]] = {
    "end-mill": _end_mill, "ball-mill": _ball_mill, "taper-mill": _taper_mill, "drill": _drill, "spot-drill": _drill,
    "centre-drill": _centre_drill, "step-drill": _step_drill, "counterbore": _counterbore, "chamfer-mill": _chamfer_mill,
    "dovetail": _dovetail, "thread-mill": _thread_mill, "lollipop": _lollipop, "face-mill": _face_mill, "profile": _profile,
    **dict.fromkeys(("t-slot", "tap", "reamer", "boring-bar"), lambda cutter: []),
}  # fmt: skip
_ENDS_ABOVE = {"profile", "thread-mill", "lollipop", "counterbore"}  # nothing cuts above their own outline
