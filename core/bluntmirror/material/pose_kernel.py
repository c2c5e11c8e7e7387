"""Where a slab of a tool in any direction meets a ray at one moment, or by how much it misses it.

A cone, a cylinder or a sphere between two planes has a closed form; a whole corner (a disc grown by its rounding) is closed in on from
outside by Newton's steps on a convex function, which never go past the end. By how much a ray is missed is convex in where it lies, so
that whoever looks for a meeting can go where it is less.
"""

import math

import numpy as np

from ..compiled import njit
from ..tools.slabs import ARC, H0, H1, HC, KIND, R0, R1, RC, RO, WHOLE

LEVEL = 1e-12
TINY = 1e-24  # of a squared distance from an axis: slopes are taken times that distance, so that it must not be 0
NEWTON = 30  # steps towards an end on a whole corner: five or six do
CLOSE_MM = (
    1e-5  # a step so short ends the search: what is left falls with its square; where the ray grazes, it is as much
)
LOOSE_MM = 0.02  # the same where the end is only a bound
CHORD_MM = 1e-5  # between two guesses of where a ray is nearest to a corner


@njit(cache=True, error_model="numpy")
def _excess(w, a, b, c, e, f, along, height, middle, half):
    """How far the ray's point w lies outside a slab: beyond its planes, or beyond its flank √(a w² + 2 b w + c) = e + f w."""
    beside = math.sqrt(max((a * w + 2.0 * b) * w + c, 0.0)) - e - f * w
    return max(abs(height + along * w - middle) - half, beside)


@njit(cache=True, error_model="numpy")
def _missed_by(kind, h0, h1, r0, r1, hc, rc, along, ahead, height, square):
    """By how much a ray misses a slab: the least over its points of how far they lie outside, beyond planes or flank.

    Each of these is convex in the point, and so is their greatest; its least over the ray is then convex in where the ray lies.
    While the tool slides past, that falls all the way to a meeting and rises all the way from it, so that a search that goes
    where it is less cannot lose a meeting, however short.
    """
    if kind == ARC:
        a, b, c, e, f = 1.0, ahead - hc * along, square - 2.0 * hc * height + hc * hc, rc, 0.0
    else:
        slope = (r1 - r0) / (h1 - h0)
        a, b, c = 1.0 - along * along, ahead - height * along, square - height * height
        e, f = r0 + slope * (height - h0), slope * along
    middle, half = 0.5 * (h0 + h1), 0.5 * (h1 - h0)
    least = np.inf
    # The least is where the flank is nearest, or where flank and a plane are equally far.
    if a > f * f and a > 1e-14:
        off = max(c - b * b / a, 0.0)
        w = -b / a + f * math.sqrt(off / (a * (a - f * f)))
        least = _excess(w, a, b, c, e, f, along, height, middle, half)
    if abs(along) >= LEVEL:
        least = min(least, _excess((middle - height) / along, a, b, c, e, f, along, height, middle, half))
        for side in (-1.0, 1.0):
            # √(a w² + 2 b w + c) = level + grade w
            level, grade = e + side * (height - middle) - half, f + side * along
            p, q, r = a - grade * grade, b - level * grade, c - level * level
            if abs(p) < 1e-14:
                if q != 0.0:
                    least = min(least, _excess(-0.5 * r / q, a, b, c, e, f, along, height, middle, half))
            elif q * q >= p * r:
                root = math.sqrt(q * q - p * r)
                least = min(least, _excess((-q - root) / p, a, b, c, e, f, along, height, middle, half))
                least = min(least, _excess((-q + root) / p, a, b, c, e, f, along, height, middle, half))
    return max(least, 1e-12)


@njit(cache=True, error_model="numpy")
def _line_missed(kind, h0, h1, r0, r1, hc, rc, along, ahead, height, square, measured):
    return _missed_by(kind, h0, h1, r0, r1, hc, rc, along, ahead, height, square) if measured else 1.0


@njit(cache=True, error_model="numpy", forceinline=True)
def corner_end(w, down, ro, rc, length, qe, qq, h, along, close):
    """From a place outside, Newton's steps along the ray to where the distance from a disc of radius ro — of the core of a shaft on it,
    where that has a length — has fallen to rc. down: −1 from below, +1 from above. Returns (reached, w).

    (distance² − rc² is convex in w: the steps never go past the end.)
    """
    for _ in range(NEWTON):
        height = h + along * w
        ahead = qe + w - height * along
        radial = math.sqrt(max(qq + 2.0 * w * qe + w * w - height * height, TINY))
        out = max(radial - ro, 0.0)
        over = min(height, 0.0) if length > 0.0 else height
        beyond = over * over + out * out - rc * rc
        if beyond <= 0.0:
            return True, w
        slope = 2.0 * (over * along * radial + out * ahead)  # times the radius: it is not 0 where there is a slope
        if slope * down <= 0.0:
            return False, w
        step = beyond * radial / slope
        w -= step
        if abs(step) < close:
            return True, w
    return True, w


@njit(cache=True, error_model="numpy", forceinline=True)
def corner_beside(w, ro, rc, length, qe, qq, h, along):
    """How a ray's point w stands to a corner — a disc of radius ro grown by rc — with a shaft as wide and so long above its middle, if
    any: 0 within; else +1 where what the ray meets of it, if anything, lies above w, −1 where below. The distance from the disc, or from
    the shaft's core on it, is convex along the ray, so that its slope tells."""
    height = h + along * w
    if 0.0 < length < height:
        return -1 if along > 0.0 else 1
    ahead = qe + w - height * along
    radial = math.sqrt(max(qq + 2.0 * w * qe + w * w - height * height, TINY))
    out = max(radial - ro, 0.0)
    over = min(height, 0.0) if length > 0.0 else height
    if over * over + out * out <= rc * rc:
        return 0
    return 1 if over * along * radial + out * ahead < 0.0 else -1


@njit(cache=True, error_model="numpy")
def _corner_slope(w, ro, qe, qq, h, along):
    """Half the slope of a ray's squared distance from a disc, at w, and that distance."""
    height = h + along * w
    ahead = qe + w - height * along
    radial = math.sqrt(max(qq + 2.0 * w * qe + w * w - height * height, 0.0))
    out = max(radial - ro, 0.0)
    return height * along + (out * ahead / radial if out > 0.0 else 0.0), math.sqrt(height * height + out * out)


@njit(cache=True, error_model="numpy")
def corner_missed_by(ro, rc, qe, qq, h, along, measured):
    """By how much a ray misses a disc grown by rc: its least distance from the disc, convex in w."""
    if not measured:
        return 1.0
    reach = math.sqrt(qq) + ro + rc
    low, high = -qe - reach, -qe + reach
    below, least = _corner_slope(low, ro, qe, qq, h, along)
    above, other = _corner_slope(high, ro, qe, qq, h, along)
    least, side, last = min(least, other), 0, low
    for turn in range(NEWTON):
        w = 0.5 * (low + high) if turn % 4 == 3 or above <= below else high - above * (high - low) / (above - below)
        slope, apart = _corner_slope(w, ro, qe, qq, h, along)
        least = min(least, apart)
        if abs(w - last) < CHORD_MM:
            break
        last = w
        if slope < 0.0:
            low, below = w, slope
            if side < 0:
                above *= 0.5
            side = -1
        else:
            high, above = w, slope
            if side > 0:
                below *= 0.5
            side = 1
    return max(least - rc, 1e-12)


@njit(cache=True, error_model="numpy")
def _corner_meet(hc, ro, rc, x, y, z, ax, ay, az, direction, measured, close):
    """`pose_meet` of a whole corner: a disc of radius ro at height hc, grown by rc on all sides. A ball where ro is 0."""
    along = ax if direction == 0 else (ay if direction == 1 else az)
    ahead = x if direction == 0 else (y if direction == 1 else z)
    h = x * ax + y * ay + z * az - hc
    qe = ahead - hc * along
    qq = x * x + y * y + z * z - 2.0 * hc * (h + hc) + hc * hc
    if ro == 0.0:
        under = qe * qe - qq + rc * rc
        if under < 0.0:
            return max(math.sqrt(max(qq - qe * qe, 0.0)) - rc, 1e-12), 0.0, 0.0
        half = math.sqrt(under)
        return 0.0, -qe - half, -qe + half
    # A box of the two planes that touch it and of the cylinder around it: both ends lie within, and begin from there.
    low, high = -1e30, 1e30
    if abs(along) >= LEVEL:
        wa, wb = (-rc - h) / along, (rc - h) / along
        low, high = min(wa, wb), max(wa, wb)
    elif abs(h) >= rc:
        return corner_missed_by(ro, rc, qe, qq, h, along, measured), 0.0, 0.0
    a, b, c = 1.0 - along * along, qe - h * along, qq - h * h - (ro + rc) * (ro + rc)
    if a > 1e-12:
        disc = b * b - a * c
        if disc < 0.0:
            return corner_missed_by(ro, rc, qe, qq, h, along, measured), 0.0, 0.0
        half = math.sqrt(disc)
        low, high = max(low, (-b - half) / a), min(high, (-b + half) / a)
    elif c > 0.0:
        return corner_missed_by(ro, rc, qe, qq, h, along, measured), 0.0, 0.0
    if low <= high:
        met, low = corner_end(low, -1.0, ro, rc, 0.0, qe, qq, h, along, close)
        if met:
            met, high = corner_end(high, 1.0, ro, rc, 0.0, qe, qq, h, along, close)
            if met and low <= high:
                return 0.0, low, high
    return corner_missed_by(ro, rc, qe, qq, h, along, measured), 0.0, 0.0


@njit(cache=True, error_model="numpy")
def pose_meet(kind, h0, h1, r0, r1, hc, ro, rc, x, y, z, ax, ay, az, direction, measured):
    """Interval of one slab on a ray. (x, y, z): the ray's point w = 0 seen from the tip; a: the tool's axis.

    Returns (by how much it is missed — 0 when it is met, and only if `measured` a true distance —, low, high).
    """
    if kind == WHOLE:
        return _corner_meet(hc, ro, rc, x, y, z, ax, ay, az, direction, measured, CLOSE_MM)
    along = ax if direction == 0 else (ay if direction == 1 else az)
    ahead = x if direction == 0 else (y if direction == 1 else z)
    height = x * ax + y * ay + z * az
    square = x * x + y * y + z * z
    low, high, outside = -1e30, 1e30, 0.0
    if abs(along) < LEVEL:
        outside = max(h0 - height, height - h1, 0.0)
    else:
        wa, wb = (h0 - height) / along, (h1 - height) / along
        low, high = min(wa, wb), max(wa, wb)
    if kind == ARC:
        a, b = 1.0, ahead - hc * along
        c = square - 2.0 * hc * height + hc * hc - rc * rc
    else:
        slope = (r1 - r0) / (h1 - h0)
        radius, rise = r0 + slope * (height - h0), slope * along
        a = 1.0 - along * along - rise * rise
        b = ahead - height * along - radius * rise
        c = square - height * height - radius * radius
    if a > 1e-10:
        least = c - b * b / a
        middle = -b / a
        if least > 0.0 or outside > 0.0:
            return _line_missed(kind, h0, h1, r0, r1, hc, rc, along, ahead, height, square, measured), 0.0, 0.0
        root = math.sqrt(-least / a)
        ra, rb = middle - root, middle + root
    elif abs(a) <= 1e-10:
        # The ray runs along the axis, or along a cone's flank: 2 b w + c ≤ 0.
        if abs(b) < 1e-12:
            if c > 0.0:
                return _line_missed(kind, h0, h1, r0, r1, hc, rc, along, ahead, height, square, measured), 0.0, 0.0
            ra, rb = -1e30, 1e30
        elif b > 0.0:
            ra, rb = -1e30, -0.5 * c / b
        else:
            ra, rb = -0.5 * c / b, 1e30
    else:
        disc = b * b - a * c
        if disc <= 0.0:
            ra, rb = -1e30, 1e30
        else:
            root = math.sqrt(disc)
            wa, wb = (-b + root) / a, (-b - root) / a  # wa < wb, since a < 0
            # Within the slab's planes the cone is met on one side only: the one where its radius is positive.
            if high - wb >= wa - low:
                ra, rb = wb, 1e30
            else:
                ra, rb = -1e30, wa
    start, stop = max(low, ra), min(high, rb)
    if start > stop or outside > 0.0:
        return _line_missed(kind, h0, h1, r0, r1, hc, rc, along, ahead, height, square, measured), 0.0, 0.0
    return 0.0, start, stop


@njit(cache=True, error_model="numpy")
def grown_meet(slabs, s, aside, ahead, x, y, z, ax, ay, az, direction):
    """`pose_meet` of a slab grown by a distance on all sides and by another along its axis, or of something a little larger."""
    if slabs[s, KIND] == WHOLE:
        ro = slabs[s, RO] + aside
        return _corner_meet(slabs[s, HC], ro, slabs[s, RC] + ahead, x, y, z, ax, ay, az, direction, False, LOOSE_MM)
    r0, r1 = slabs[s, R0], slabs[s, R1]
    if slabs[s, KIND] != ARC:
        slope = (r1 - r0) / (slabs[s, H1] - slabs[s, H0])
        out = aside + abs(slope) * ahead
        r0, r1 = max(r0 - slope * ahead, 0.0) + out, max(r1 + slope * ahead, 0.0) + out
    return pose_meet(
        slabs[s, KIND], slabs[s, H0] - ahead, slabs[s, H1] + ahead, r0, r1, slabs[s, HC], slabs[s, RO], slabs[s, RC] + aside + ahead,
        x, y, z, ax, ay, az, direction, False,
    )  # fmt: skip
