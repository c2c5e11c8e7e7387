"""Who comes first to a point within one motion: a tool's cutting part, or its neck, shank or holder behind it.

The stock that a body meets is the stock as it is at that moment. Tests ask before the motion's own cut; a point that the
cutting part sweeps first is gone when the body comes there, and is no contact: a neck runs in the hole its own flutes make.

In the tool's frame (its axis z) a point stands at q − t·d, t from 0 to 1. It is in a slab while its height is between h0 and h1
and its distance from the axis is at most R(h); both are quadratics in t, so that the first such t has a closed form.
"""

import math

from ..compiled import njit
from ..tools.slabs import ARC, H0, H1, HC, KIND, R0, R1, RC, RO

NEVER = 2.0
INSET = 1e-4  # the ends are asked a hair inside, where closed forms are sure
SAMPLES = 17  # points of an overlap that are asked, both its ends among them
LEAD_MM = 0.02  # by how much of the way the cutting part may come later and still count as first: its tests are shrunk by a hair


@njit(cache=True, error_model="numpy")
def _first_in(slabs, s, qx, qy, qz, dx, dy, dz):
    """The first t in [0, 1] at which a point is inside of slab s; NEVER when it is not. A torus counts as the cone inside it."""
    h0, h1 = slabs[s, H0], slabs[s, H1]
    begin, end = 0.0, 1.0
    if dz == 0.0:
        if qz < h0 or qz > h1:
            return NEVER
    else:
        one, other = (qz - h0) / dz, (qz - h1) / dz
        begin, end = max(begin, min(one, other)), min(end, max(one, other))
        if begin > end:
            return NEVER
    if slabs[s, KIND] == ARC and slabs[s, RO] == 0.0:
        z = qz - slabs[s, HC]
        a = dx * dx + dy * dy + dz * dz
        b = -2.0 * (qx * dx + qy * dy + z * dz)
        c = qx * qx + qy * qy + z * z - slabs[s, RC] * slabs[s, RC]
    else:
        slope = (slabs[s, R1] - slabs[s, R0]) / (h1 - h0) if h1 > h0 else 0.0
        radius = slabs[s, R0] + slope * (qz - h0)
        a = dx * dx + dy * dy - slope * slope * dz * dz
        b = -2.0 * (qx * dx + qy * dy) + 2.0 * slope * dz * radius
        c = qx * qx + qy * qy - radius * radius
    if (a * begin + b) * begin + c <= 0.0:
        return begin
    if abs(a) < 1e-14:
        if b >= 0.0:
            return NEVER
        t = -c / b
        return t if begin <= t <= end else NEVER
    root = b * b - 4.0 * a * c
    if root < 0.0:
        return NEVER
    root = math.sqrt(root)
    # The root at which the value falls through zero comes first, whichever way the parabola opens.
    t = (-b - root) / (2.0 * a)
    return t if begin <= t <= end else NEVER


@njit(cache=True, error_model="numpy")
def first_inside(slabs, begin, end, qx, qy, qz, dx, dy, dz):
    """The first t in [0, 1] at which a point is inside of any of some slabs; NEVER when it is not."""
    first = NEVER
    for s in range(begin, end):
        first = min(first, _first_in(slabs, s, qx, qy, qz, dx, dy, dz))
    return first


@njit(cache=True, error_model="numpy")
def met_at_that_moment(
    slabs, s, cut_begin, cut_end, qx, qy, qz, ux, uy, uz, dx, dy, dz, low, high, out
):  # fmt: skip
    """Where slab s meets stock between `low` and `high` of a ray that the motion's own cut has not taken away before.

    (qx, qy, qz) + w·(ux, uy, uz) is the ray in the tool's frame at the start. Fills out (2,) with the lowest and highest place
    met; returns False where there is none.
    """
    length = math.sqrt(dx * dx + dy * dy + dz * dz)
    met = False
    for k in range(SAMPLES):
        w = low + (high - low) * min(max(k / (SAMPLES - 1.0), INSET), 1.0 - INSET)
        x, y, z = qx + w * ux, qy + w * uy, qz + w * uz
        body = _first_in(slabs, s, x, y, z, dx, dy, dz)
        cut = first_inside(slabs, cut_begin, cut_end, x, y, z, dx, dy, dz)
        if cut <= 1.0 and (body > 1.0 or (cut - body) * length <= LEAD_MM):
            continue
        place = low if k == 0 else high if k == SAMPLES - 1 else w
        if not met:
            out[0], out[1] = place, place
        met = True
        out[0], out[1] = min(out[0], place), max(out[1], place)
    return met
