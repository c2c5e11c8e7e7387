"""Cutting with a tool that stands, or turns, in any direction: exact poses, never a cut too deep.

A tool's pose is its tip and its axis, both running evenly from the start of a motion to its end. At one moment a slab meets
a ray in an interval with a closed form (a cone, a cylinder or a sphere between two planes) or, for a whole corner (a disc grown by
its rounding), by Newton's steps on a convex function. Over the motion the intervals move without a jump, so that all between the
lowest low end met and the highest high end met has been swept — where the slab meets the ray in one stretch of the motion, as it
does when its axis stands still (a convex body sweeps a convex body) and, for all that matters, over the degree or two that it turns
in one piece of a way.

How an end moves is convex, too: above its chords drawn on. Where the ray is met at the start, in the middle and at the end, and at the
vertex of the parabola through the three, that tells how far an end may lie beyond these poses: hardly, on a short way. Where it
might be farther, or one of the three misses, both ends are looked for by golden section, and where the ray is missed it
goes where it is missed by less (`_missed_by`: convex, so that no meeting is lost). Every value taken is that of a true pose, so that
what is cut is never more than what the tool sweeps, and less by no more than the search leaves: two micrometres (SURE_MM).

A rounded corner is stood at so many poses that what is left between them is a cusp of 4 µm at most. A ball sweeps a capsule around the
chord of its middle's way, which stands off that way by a quarter of a micrometre at most over a piece (`Segments`), in closed form.
A cutter that runs along its own axis sweeps what it covers at its lowest place and the shaft above.

      A ·─────────· B     What comes near to a slab's axis from A to B, seen along the rays, is a stadium: of every row of
     (  ·─────────·  )    rays only those within it are asked, and of the axis only what lies where the tile still has stock.
"""

import math

import numpy as np

from ..compiled import njit, prange
from ..tools.slabs import ARC, H0, H1, HC, KIND, LINE, R0, R1, RC, RO, WHOLE
from .cut_kernel import (
    CUT,
    SETS,
    TEST_CUT,
    TEST_FLUSH,
    TEST_HOLDER,
    TEST_NEAR,
    TEST_SHANK,
    TILE,
    WELD,
    _axis_place,
    _overlaps,
    note_first,
    note_shift,
    subtract,
    tile_span,
)
from .moment_kernel import met_at_that_moment
from .sweep_kernel import best_time, root

GOLDEN = 0.5 * (math.sqrt(5.0) - 1.0)
APART = 1e6  # added where a pose misses the ray: the search then goes where it misses by less
# The way of the tool to which the place of an end is found. Where a ray runs along a slab thinner than 0.01 mm its end goes tens of
# times as fast as the tool: this keeps it within 0.01 mm.
SEARCH_MM = 2.5e-4
LEVEL = 1e-12
NEWTON = 30  # steps towards an end on a whole corner: five or six do
CLOSE_MM = (
    1e-5  # a step so short ends the search: what is left falls with its square; where the ray grazes, it is as much
)
CUSP_MM = 0.004  # left between two poses of a whole corner: by so much less than it sweeps may be cut
MOST_POSES = 12  # beyond, its ends are looked for as those of any other slab
LOOSE_MM = 0.02  # the same where the end is only a bound
CHORD_MM = 1e-5  # between two guesses of where a ray is nearest to a corner
SURE_MM = 0.002  # by so much an end may lie beyond all poses that were asked; where it might be more, it is looked for
BESIDE = 1e-9  # a way so little off the tool's axis runs along it


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


@njit(cache=True, error_model="numpy")
def _corner_end(w, down, ro, rc, qe, qq, h, along, close):
    """From a place outside, Newton's steps along the ray to where the distance from a disc of radius ro has fallen to rc. down: −1
    from below, +1 from above. Returns (reached, w). (distance² − rc² is convex in w: the steps never go past the end.)"""
    for _ in range(NEWTON):
        height = h + along * w
        ahead = qe + w - height * along
        radial = math.sqrt(max(qq + 2.0 * w * qe + w * w - height * height, 0.0))
        out = max(radial - ro, 0.0)
        over = height * height + out * out - rc * rc
        if over <= 0.0:
            return True, w
        slope = 2.0 * (height * along + (out * ahead / radial if out > 0.0 else 0.0))
        if slope * down <= 0.0:
            return False, w
        step = over / slope
        w -= step
        if abs(step) < close:
            return True, w
    return True, w


@njit(cache=True, error_model="numpy")
def _corner_slope(w, ro, qe, qq, h, along):
    """Half the slope of a ray's squared distance from a disc, at w, and that distance."""
    height = h + along * w
    ahead = qe + w - height * along
    radial = math.sqrt(max(qq + 2.0 * w * qe + w * w - height * height, 0.0))
    out = max(radial - ro, 0.0)
    return height * along + (out * ahead / radial if out > 0.0 else 0.0), math.sqrt(height * height + out * out)


@njit(cache=True, error_model="numpy")
def _corner_missed_by(ro, rc, qe, qq, h, along, measured):
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
        return _corner_missed_by(ro, rc, qe, qq, h, along, measured), 0.0, 0.0
    a, b, c = 1.0 - along * along, qe - h * along, qq - h * h - (ro + rc) * (ro + rc)
    if a > 1e-12:
        disc = b * b - a * c
        if disc < 0.0:
            return _corner_missed_by(ro, rc, qe, qq, h, along, measured), 0.0, 0.0
        half = math.sqrt(disc)
        low, high = max(low, (-b - half) / a), min(high, (-b + half) / a)
    elif c > 0.0:
        return _corner_missed_by(ro, rc, qe, qq, h, along, measured), 0.0, 0.0
    if low <= high:
        met, low = _corner_end(low, -1.0, ro, rc, qe, qq, h, along, close)
        if met:
            met, high = _corner_end(high, 1.0, ro, rc, qe, qq, h, along, close)
            if met and low <= high:
                return 0.0, low, high
    return _corner_missed_by(ro, rc, qe, qq, h, along, measured), 0.0, 0.0


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
def _grown_meet(slabs, s, aside, ahead, x, y, z, ax, ay, az, direction):
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


@njit(cache=True, error_model="numpy")
def _pose_at(slabs, s, tips, ways, axes, turns, motion, t, px, py, pz, direction, measured):
    ax, ay, az = axes[motion, 0], axes[motion, 1], axes[motion, 2]
    tx, ty, tz = turns[motion, 0], turns[motion, 1], turns[motion, 2]
    if tx != 0.0 or ty != 0.0 or tz != 0.0:
        ax, ay, az = ax + t * tx, ay + t * ty, az + t * tz
        size = 1.0 / math.sqrt(ax * ax + ay * ay + az * az)
        ax, ay, az = ax * size, ay * size, az * size
    x = px - tips[motion, 0] - t * ways[motion, 0]
    y = py - tips[motion, 1] - t * ways[motion, 1]
    z = pz - tips[motion, 2] - t * ways[motion, 2]
    return pose_meet(
        slabs[s, KIND], slabs[s, H0], slabs[s, H1], slabs[s, R0], slabs[s, R1], slabs[s, HC], slabs[s, RO], slabs[s, RC], x, y, z,
        ax, ay, az, direction, measured,
    )  # fmt: skip


@njit(cache=True, error_model="numpy")
def _sought(missed, low, high, upper):
    """What the search makes small: the low end, or the high end negated; far above both where the ray is missed."""
    if missed > 0.0:
        return APART + missed
    return -high if upper else low


@njit(cache=True, error_model="numpy")
def _searched(slabs, s, tips, ways, axes, turns, motion, steps, u, v, direction, bottom, top, known):
    """`swept_meet` by golden section. known: a moment at which the ray is met, NaN where none is known."""
    px, py, pz = _axis_place(direction, u, v, 0.0)
    met, blind = False, math.isfinite(known)
    low, high, moment = 1e30, -1e30, 1.0
    for end in range(2):
        missed, a, b = _pose_at(slabs, s, tips, ways, axes, turns, motion, float(end), px, py, pz, direction, False)
        if missed == 0.0:
            met = True
            low, high = min(low, a), max(high, b)
            moment = min(moment, float(end))
    if steps == 0:
        return met, low, high, moment
    for upper in range(2):
        if met and (high >= top if upper == 1 else low <= bottom):
            continue
        ta, tb = 0.0, 1.0
        t1, t2 = 1.0 - GOLDEN, GOLDEN
        missed, a, b = _pose_at(slabs, s, tips, ways, axes, turns, motion, t1, px, py, pz, direction, not blind)
        f1 = _sought(abs(t1 - known) if blind and missed > 0.0 else missed, a, b, upper == 1)
        if missed == 0.0:
            met = True
            low, high, moment = min(low, a), max(high, b), min(moment, t1)
        missed, a, b = _pose_at(slabs, s, tips, ways, axes, turns, motion, t2, px, py, pz, direction, not blind)
        f2 = _sought(abs(t2 - known) if blind and missed > 0.0 else missed, a, b, upper == 1)
        if missed == 0.0:
            met = True
            low, high, moment = min(low, a), max(high, b), min(moment, t2)
        for _ in range(steps):
            if f1 <= f2:
                tb, t2, f2 = t2, t1, f1
                t = tb - GOLDEN * (tb - ta)
                t1 = t
            else:
                ta, t1, f1 = t1, t2, f2
                t = ta + GOLDEN * (tb - ta)
                t2 = t
            missed, a, b = _pose_at(slabs, s, tips, ways, axes, turns, motion, t, px, py, pz, direction, not blind)
            if missed == 0.0:
                met = True
                low, high, moment = min(low, a), max(high, b), min(moment, t)
            f = _sought(abs(t - known) if blind and missed > 0.0 else missed, a, b, upper == 1)
            if t == t1:
                f1 = f
            else:
                f2 = f
        if not met:
            break
    return met, low, high, moment


@njit(cache=True, error_model="numpy")
def _vertex(f0, fm, f1):
    """Where the parabola through three values at 0, ½ and 1 is least, held within what its neighbours can vouch for."""
    bend, rise = 2.0 * (f0 - 2.0 * fm + f1), -3.0 * f0 + 4.0 * fm - f1
    t = min(max(-0.5 * rise / bend, 0.15), 0.85)
    return t if abs(t - 0.5) > 0.1 else (0.4 if t < 0.5 else 0.6)


@njit(cache=True, error_model="numpy")
def _below(t, f, f0, fm, f1):
    """How far below four of its values, at 0, ½, 1 and t, a convex function can fall between them: it lies above its chords drawn on."""
    tb, b, tc, c = (t, f, 0.5, fm) if t < 0.5 else (0.5, fm, t, f)
    first, second, third = (b - f0) / tb, (c - b) / (tc - tb), (f1 - c) / (1.0 - tc)
    least = min(b - second * tb, c + second * (1.0 - tc))
    if third > first:
        # Where the chord before b, drawn on, meets the one after c.
        least = min(least, b + first * (c - b - third * (tc - tb)) / (first - third))
    return min(f0, b, c, f1) - least


@njit(cache=True, error_model="numpy")
def swept_meet(slabs, s, tips, ways, axes, turns, motion, steps, u, v, direction, bottom, top):
    """Interval that slab `s` sweeps on a ray over a motion. Returns (met, low, high, share of the first moment known). An end that is
    known to lie below `bottom` or above `top` is not looked for any closer."""
    if steps == 0:
        return _searched(slabs, s, tips, ways, axes, turns, motion, 0, u, v, direction, bottom, top, np.nan)
    px, py, pz = _axis_place(direction, u, v, 0.0)
    m0, a0, b0 = _pose_at(slabs, s, tips, ways, axes, turns, motion, 0.0, px, py, pz, direction, False)
    mm, am, bm = _pose_at(slabs, s, tips, ways, axes, turns, motion, 0.5, px, py, pz, direction, False)
    m1, a1, b1 = _pose_at(slabs, s, tips, ways, axes, turns, motion, 1.0, px, py, pz, direction, False)
    if m0 == 0.0 and mm == 0.0 and m1 == 0.0:
        low, high = min(a0, am, a1), max(b0, bm, b1)
        sure = True
        for upper in range(2):
            f0, fm, f1 = (-b0, -bm, -b1) if upper == 1 else (a0, am, a1)
            if f0 - 2.0 * fm + f1 <= SURE_MM or (high >= top if upper == 1 else low <= bottom):
                continue
            t = _vertex(f0, fm, f1)
            missed, a, b = _pose_at(slabs, s, tips, ways, axes, turns, motion, t, px, py, pz, direction, False)
            if missed > 0.0 or _below(t, -b if upper == 1 else a, f0, fm, f1) > SURE_MM:
                sure = False
                break
            low, high = min(low, a), max(high, b)
        if sure:
            return True, low, high, 0.0
    elif m0 > 0.0 and mm > 0.0 and m1 > 0.0:
        # Nowhere met, as far as seen.
        m0, a0, b0 = _pose_at(slabs, s, tips, ways, axes, turns, motion, 0.0, px, py, pz, direction, True)
        mm, am, bm = _pose_at(slabs, s, tips, ways, axes, turns, motion, 0.5, px, py, pz, direction, True)
        m1, a1, b1 = _pose_at(slabs, s, tips, ways, axes, turns, motion, 1.0, px, py, pz, direction, True)
        if 2.0 * mm > max(m0, m1):
            return (
                False,
                0.0,
                0.0,
                1.0,
            )  # by how much it is missed is convex in the moment: nowhere does it fall to nothing
    known = 0.5 if mm == 0.0 else (0.0 if m0 == 0.0 else (1.0 if m1 == 0.0 else np.nan))
    return _searched(slabs, s, tips, ways, axes, turns, motion, steps, u, v, direction, bottom, top, known)


@njit(cache=True, error_model="numpy")
def _around(slabs, s, tips, ways, axes, turns, motion, place):
    """A capsule that holds all that a slab sweeps: fills place (6,) with the ends of its axis; returns its radius, and by how much
    the slab in the middle of the motion is to be grown aside and along its axis to hold it: by half the way, and by what half the
    turn moves its farthest points."""
    ax = axes[motion, 0] + 0.5 * turns[motion, 0]
    ay = axes[motion, 1] + 0.5 * turns[motion, 1]
    az = axes[motion, 2] + 0.5 * turns[motion, 2]
    size = math.sqrt(ax * ax + ay * ay + az * az)
    ax, ay, az = ax / size, ay / size, az / size
    wx, wy, wz = ways[motion, 0], ways[motion, 1], ways[motion, 2]
    lean2 = turns[motion, 0] ** 2 + turns[motion, 1] ** 2 + turns[motion, 2] ** 2
    lean = math.sqrt(lean2)
    bottom, top, radius = slabs[s, H0], slabs[s, H1], max(slabs[s, R0], slabs[s, R1])
    if slabs[s, KIND] == WHOLE and slabs[s, RO] == 0.0:
        bottom = top = slabs[s, HC]
    high = max(abs(top), abs(bottom))
    along = wx * ax + wy * ay + wz * az
    across = math.sqrt(max(wx * wx + wy * wy + wz * wz - along * along, 0.0))
    aside = 0.5 * across + 0.5 * lean * high + 0.125 * lean2 * radius + WELD
    ahead = 0.5 * abs(along) + 0.5 * lean * radius + 0.125 * lean2 * high + WELD
    mx, my, mz = tips[motion, 0] + 0.5 * wx, tips[motion, 1] + 0.5 * wy, tips[motion, 2] + 0.5 * wz
    place[0], place[1], place[2] = mx + bottom * ax, my + bottom * ay, mz + bottom * az
    place[3], place[4], place[5] = mx + top * ax, my + top * ay, mz + top * az
    return radius + math.sqrt(aside * aside + ahead * ahead), aside, ahead


@njit(cache=True, error_model="numpy")
def _clipped(place, axis, low, high):
    """Cut the axis in place (6,) down to what lies between two levels of a coordinate. Returns whether anything does."""
    a, b = place[axis], place[axis + 3]
    if max(a, b) < low or min(a, b) > high:
        return False
    if a != b:
        ta, tb = (low - a) / (b - a), (high - a) / (b - a)
        ta, tb = max(min(ta, tb), 0.0), min(max(ta, tb), 1.0)
        for i in range(3):
            p, d = place[i], place[i + 3] - place[i]
            place[i], place[i + 3] = p + ta * d, p + tb * d
    return True


@njit(cache=True, error_model="numpy")
def bin_turned(
    direction, tips, ways, axes, turns, tools, flags, sets, slabs, origin, step, counts, tiles_u, tile_lo, tile_hi
):
    """As `cut_kernel.bin_motions`, for tools in any direction."""
    n = len(tips)
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    total = len(tile_lo)
    along_lo, along_hi = np.inf, -np.inf
    first_u, last_u, first_v, last_v = tiles_u, -1, total // tiles_u, -1
    for tile in range(total):
        if tile_lo[tile] <= tile_hi[tile]:
            along_lo, along_hi = min(along_lo, tile_lo[tile]), max(along_hi, tile_hi[tile])
            first_u, last_u = min(first_u, tile % tiles_u), max(last_u, tile % tiles_u)
            first_v, last_v = min(first_v, tile // tiles_u), max(last_v, tile // tiles_u)
    low_u, high_u = origin[axis_u] + first_u * TILE * step[axis_u], origin[axis_u] + (last_u + 1) * TILE * step[axis_u]
    low_v, high_v = origin[axis_v] + first_v * TILE * step[axis_v], origin[axis_v] + (last_v + 1) * TILE * step[axis_v]
    size = np.zeros(total + 1, np.int64)
    ranges = np.empty((n, 4), np.int64)
    near = np.zeros(n, np.int64)
    place = np.empty(6)
    for i in range(n):
        r0, r1, r2, r3 = last_u + 1, first_u - 1, last_v + 1, first_v - 1
        tool = tools[i]
        for kind in range(SETS):
            if not (flags[i] >> kind) & 1:
                continue
            for s in range(sets[tool, kind, 0], sets[tool, kind, 1]):
                radius, _, _ = _around(slabs, s, tips, ways, axes, turns, i, place)
                if not (
                    _clipped(place, direction, along_lo - radius, along_hi + radius)
                    and _clipped(place, axis_u, low_u - radius, high_u + radius)
                    and _clipped(place, axis_v, low_v - radius, high_v + radius)
                ):
                    continue
                u0 = (min(place[axis_u], place[axis_u + 3]) - radius - origin[axis_u]) / step[axis_u] - 0.5
                u1 = (max(place[axis_u], place[axis_u + 3]) + radius - origin[axis_u]) / step[axis_u] - 0.5
                v0 = (min(place[axis_v], place[axis_v + 3]) - radius - origin[axis_v]) / step[axis_v] - 0.5
                v1 = (max(place[axis_v], place[axis_v + 3]) + radius - origin[axis_v]) / step[axis_v] - 0.5
                near[i] |= 1 << kind
                r0, r1 = (
                    min(r0, max(int(np.floor(u0)) // TILE, first_u)),
                    max(r1, min(int(np.ceil(u1)) // TILE, last_u)),
                )
                r2, r3 = (
                    min(r2, max(int(np.floor(v0)) // TILE, first_v)),
                    max(r3, min(int(np.ceil(v1)) // TILE, last_v)),
                )
        ranges[i, 0], ranges[i, 1], ranges[i, 2], ranges[i, 3] = r0, r1, r2, r3
        for v in range(r2, r3 + 1):
            for u in range(r0, r1 + 1):
                tile = v * tiles_u + u
                if tile_lo[tile] <= tile_hi[tile]:
                    size[tile + 1] += 1
    tile_begin = np.cumsum(size)
    fill = tile_begin[:-1].copy()
    entries = np.empty(tile_begin[-1], np.int32)
    for i in range(n):
        for v in range(ranges[i, 2], ranges[i, 3] + 1):
            for u in range(ranges[i, 0], ranges[i, 1] + 1):
                tile = v * tiles_u + u
                if tile_lo[tile] <= tile_hi[tile]:
                    entries[fill[tile]] = i
                    fill[tile] += 1
    return tile_begin, entries, near


@njit(cache=True)
def _seen(frame, x, y, z):
    """A vector in the frame's own directions."""
    return (
        frame[0, 0] * x + frame[0, 1] * y + frame[0, 2] * z,
        frame[1, 0] * x + frame[1, 1] * y + frame[1, 2] * z,
        frame[2, 0] * x + frame[2, 1] * y + frame[2, 2] * z,
    )


@njit(cache=True, error_model="numpy")
def _note(
    direction, slabs, s, cut_begin, cut_end, flush, tips, ways, axes, motion, u, v, low, high, moment, lo, hi, base, count, met_stock,
    result, entry, kind,
):  # fmt: skip
    """Note how bad a test's meeting with stock is and where it is touched first, as `cut_kernel._test` does. cut_begin,
    cut_end: of the cutting part, where the tool keeps its direction."""
    span, frame = np.empty(2), np.empty((3, 3))
    if cut_begin < cut_end:
        _frame(axes[motion, 0], axes[motion, 1], axes[motion, 2], frame)
    for i in range(base, base + count):
        if high <= lo[i] + WELD or low >= hi[i] - WELD:
            continue
        a, b, from_, to = max(low, lo[i]), min(high, hi[i]), low, high
        if cut_begin < cut_end:
            px, py, pz = _axis_place(direction, u, v, 0.0)
            q = _seen(frame, px - tips[motion, 0], py - tips[motion, 1], pz - tips[motion, 2])
            wx, wy, wz = _axis_place(direction, 0.0, 0.0, 1.0)
            d, along_ray = _seen(frame, ways[motion, 0], ways[motion, 1], ways[motion, 2]), _seen(frame, wx, wy, wz)
            if not met_at_that_moment(slabs, s, cut_begin, cut_end, q[0], q[1], q[2], along_ray[0], along_ray[1], along_ray[2], d[0], d[1],
                                      d[2], a, b, span):  # fmt: skip
                if flush:
                    met_stock[entry] = True
                    known = note_shift(result, entry, TEST_FLUSH, hi[i] - low, high - lo[i])
                    x, y, z = _axis_place(direction, u, v, 0.5 * (a + b))
                    note_first(result, entry, TEST_FLUSH, known, moment, x, y, z)
                continue
            from_ = low if span[0] == a else span[0]
            to = high if span[1] == b else span[1]
            a, b = span[0], span[1]
        met_stock[entry] = True
        known = note_shift(result, entry, kind, hi[i] - from_, to - lo[i])
        x, y, z = _axis_place(direction, u, v, 0.5 * (a + b))
        note_first(result, entry, kind, known, moment, x, y, z)


@njit(cache=True, error_model="numpy")
def _frame(ax, ay, az, frame):
    """Rows of a frame whose z is the unit vector a."""
    size = math.sqrt(ax * ax + ay * ay + az * az)
    ax, ay, az = ax / size, ay / size, az / size
    hx, hy, hz = (1.0, 0.0, 0.0) if abs(ax) < 0.6 else (0.0, 1.0, 0.0)
    ux, uy, uz = ay * hz - az * hy, az * hx - ax * hz, ax * hy - ay * hx
    size = math.sqrt(ux * ux + uy * uy + uz * uz)
    ux, uy, uz = ux / size, uy / size, uz / size
    frame[0, 0], frame[0, 1], frame[0, 2] = ux, uy, uz
    frame[1, 0], frame[1, 1], frame[1, 2] = ay * uz - az * uy, az * ux - ax * uz, ax * uy - ay * ux
    frame[2, 0], frame[2, 1], frame[2, 2] = ax, ay, az


@njit(cache=True, error_model="numpy")
def _corner_seen(tips, ways, axes, turns, motion, t, px, py, pz, hc, direction):
    """A ray seen from a corner's middle at moment t: (q·e, q·q, height of its point 0 over the disc, share of the axis along it)."""
    ax, ay, az = (
        axes[motion, 0] + t * turns[motion, 0],
        axes[motion, 1] + t * turns[motion, 1],
        axes[motion, 2] + t * turns[motion, 2],
    )
    size = 1.0 / math.sqrt(ax * ax + ay * ay + az * az)
    ax, ay, az = ax * size, ay * size, az * size
    x = px - tips[motion, 0] - t * ways[motion, 0] - hc * ax
    y = py - tips[motion, 1] - t * ways[motion, 1] - hc * ay
    z = pz - tips[motion, 2] - t * ways[motion, 2] - hc * az
    along = ax if direction == 0 else (ay if direction == 1 else az)
    ahead = x if direction == 0 else (y if direction == 1 else z)
    return ahead, x * x + y * y + z * z, x * ax + y * ay + z * az, along


@njit(cache=True, error_model="numpy")
def _corner_side(down, guess, ro, rc, qe, qq, h, along):
    """One end of a ray's interval in a whole corner (down: −1 the low one, +1 the high one), by Newton's steps from a guess, which may
    lie on either side of it, or, without one (NaN) or where it leads nowhere, from a box around the corner. Returns (met, w)."""
    if math.isfinite(guess):
        w = guess
        for _ in range(NEWTON):
            height = h + along * w
            ahead = qe + w - height * along
            radial = math.sqrt(max(qq + 2.0 * w * qe + w * w - height * height, 0.0))
            out = max(radial - ro, 0.0)
            slope = 2.0 * (height * along + (out * ahead / radial if out > 0.0 else 0.0))
            if slope * down <= 1e-6:
                break
            step = (height * height + out * out - rc * rc) / slope
            w -= step
            if abs(step) < CLOSE_MM:
                return True, w
    low, high = -1e30, 1e30
    if abs(along) >= LEVEL:
        wa, wb = (-rc - h) / along, (rc - h) / along
        low, high = min(wa, wb), max(wa, wb)
    elif abs(h) >= rc:
        return False, 0.0
    a, b, c = 1.0 - along * along, qe - h * along, qq - h * h - (ro + rc) * (ro + rc)
    if a > 1e-12:
        disc = b * b - a * c
        if disc < 0.0:
            return False, 0.0
        half = math.sqrt(disc)
        low, high = max(low, (-b - half) / a), min(high, (-b + half) / a)
    elif c > 0.0:
        return False, 0.0
    if low > high:
        return False, 0.0
    return _corner_end(low if down < 0.0 else high, down, ro, rc, qe, qq, h, along, CLOSE_MM)


@njit(cache=True, error_model="numpy")
def _corner_poses(slabs, s, ways, turns, motion):
    """At how many steps of a motion a whole corner is to be stood: two poses a step of s apart leave a cusp of s²/8r between them, r
    the smallest radius of its rounding."""
    way = math.sqrt(ways[motion, 0] ** 2 + ways[motion, 1] ** 2 + ways[motion, 2] ** 2)
    lean = math.sqrt(turns[motion, 0] ** 2 + turns[motion, 1] ** 2 + turns[motion, 2] ** 2)
    way += lean * (slabs[s, RO] + slabs[s, RC] + abs(slabs[s, HC]))
    return math.ceil(way / math.sqrt(8.0 * CUSP_MM * slabs[s, RC]) - 1e-9)


@njit(cache=True, error_model="numpy")
def _corner_swept(slabs, s, tips, ways, axes, turns, motion, poses, u, v, direction, bottom, top):
    """`swept_meet` of a whole corner, stood at the ends of so many even steps: each end of the interval by itself, and only until it is
    known to lie beyond the stock."""
    ro, rc, hc = slabs[s, RO], slabs[s, RC], slabs[s, HC]
    px, py, pz = _axis_place(direction, u, v, 0.0)
    low, high, moment = 1e30, -1e30, 1.0
    for upper in range(2):
        down, guess, found = (1.0 if upper == 1 else -1.0), np.nan, False
        for k in range(poses + 1):
            share = k / poses if poses > 0 else 0.0
            qe, qq, h, along = _corner_seen(tips, ways, axes, turns, motion, share, px, py, pz, hc, direction)
            met, w = _corner_side(down, guess, ro, rc, qe, qq, h, along)
            if not met:
                continue
            guess, found, moment = w, True, min(moment, share)
            if upper == 0:
                low = min(low, w)
                if low <= bottom:
                    break
            else:
                high = max(high, w)
                if high >= top:
                    break
        if not found:
            return False, 0.0, 0.0, 1.0
    return low < high, low, high, moment


@njit(cache=True, error_model="numpy")
def _ball_swept(direction, cx, cy, cz, dx, dy, dz, radius, u, v):
    """The interval of a capsule on a ray: a ball whose middle goes from c by d. Returns (met, low, high, share of the way
    at which the ray comes within its radius)."""
    along = cx if direction == 0 else (cy if direction == 1 else cz)
    way = dx if direction == 0 else (dy if direction == 1 else dz)
    gu, gv = (u - cy, v - cz) if direction == 0 else ((u - cx, v - cz) if direction == 1 else (u - cx, v - cy))
    du, dv = (dy, dz) if direction == 0 else ((dx, dz) if direction == 1 else (dx, dy))
    a, b, c = -(du * du + dv * dv), 2.0 * (gu * du + gv * dv), radius * radius - gu * gu - gv * gv
    ta, tb = 0.0, 1.0
    if a > -1e-18:
        if c < 0.0:
            return False, 0.0, 0.0, 1.0
    else:
        disc = b * b - 4.0 * a * c
        if disc < 0.0:
            return False, 0.0, 0.0, 1.0
        half = math.sqrt(disc)
        ta, tb = max(ta, (-b + half) / (2.0 * a)), min(tb, (-b - half) / (2.0 * a))
        if ta > tb:
            return False, 0.0, 0.0, 1.0
    t = best_time(way, a, b, c, ta, tb)
    high = along + way * t + root((a * t + b) * t + c)
    t = best_time(-way, a, b, c, ta, tb)
    return True, along + way * t - root((a * t + b) * t + c), high, ta


@njit(cache=True, error_model="numpy")
def _bound_row(direction, place, radius, first, step, v, u0, u1, least, most):
    """Fill least and most (TILE,) with bounds of what a row of rays, u0 … u1 from the tile's first at `first`, meets of the capsule
    around the axis in place (6,). Without a branch, for all rays at once."""
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    cu, cv, along = place[axis_u], place[axis_v], place[direction]
    du, dv, way = place[axis_u + 3] - cu, place[axis_v + 3] - cv, place[direction + 3] - along
    per = 1.0 / (du * du + dv * dv) if du != 0.0 or dv != 0.0 else 0.0
    low, high = min(along, along + way), max(along, along + way)
    gv = v - cv
    for u in range(u0, u1):
        gu = first + u * step - cu
        t = min(max((gu * du + gv * dv) * per, 0.0), 1.0)
        eu, ev = gu - t * du, gv - t * dv
        under = radius * radius - eu * eu - ev * ev
        half = math.sqrt(max(under, 0.0))
        least[u] = low - half if under >= 0.0 else 1e30
        most[u] = high + half if under >= 0.0 else -1e30


@njit(cache=True, error_model="numpy")
def _bound_planes(direction, px, py, pz, mx, my, mz, bottom, top, step, u0, u1, least, most):
    """Narrow least and most to what lies between two planes across the tool's direction m, at heights bottom and top over it; p: the
    tile's first ray of the row seen from the tip."""
    along = mx if direction == 0 else (my if direction == 1 else mz)
    height = px * mx + py * my + pz * mz
    rise = step * (my if direction == 0 else mx)
    if abs(along) < 1e-6:
        for u in range(u0, u1):
            if not bottom <= height + u * rise <= top:
                least[u] = 1e30
        return
    per = 1.0 / along
    if along < 0.0:
        bottom, top = top, bottom
    for u in range(u0, u1):
        least[u] = max(least[u], (bottom - height - u * rise) * per)
        most[u] = min(most[u], (top - height - u * rise) * per)


@njit(cache=True, error_model="numpy")
def _within(direction, x, y, z, ax, ay, az, radius):
    """The stretch of a ray within a cylinder around the axis a through the origin; (x, y, z): the ray's point w = 0. Returns (met, low,
    high)."""
    along = ax if direction == 0 else (ay if direction == 1 else az)
    ahead = x if direction == 0 else (y if direction == 1 else z)
    height = x * ax + y * ay + z * az
    a, b = 1.0 - along * along, ahead - height * along
    c = x * x + y * y + z * z - height * height - radius * radius
    if a < 1e-10:
        return c <= 0.0, -1e30, 1e30
    disc = b * b - a * c
    if disc < 0.0:
        return False, 0.0, 0.0
    half = math.sqrt(disc)
    return True, (-b - half) / a, (-b + half) / a


@njit(cache=True, error_model="numpy")
def _along_itself(ways, axes, turns, motion):
    """How far a motion carries the tool along its own axis; NaN where it goes any other way, or turns."""
    if turns[motion, 0] != 0.0 or turns[motion, 1] != 0.0 or turns[motion, 2] != 0.0:
        return np.nan
    ax, ay, az = axes[motion, 0], axes[motion, 1], axes[motion, 2]
    wx, wy, wz = ways[motion, 0], ways[motion, 1], ways[motion, 2]
    way = wx * ax + wy * ay + wz * az
    off = abs(wx - way * ax) + abs(wy - way * ay) + abs(wz - way * az)
    return way if off < BESIDE * max(abs(way), 1.0) else np.nan


@njit(cache=True, error_model="numpy")
def _slab_on_tile(
    direction, tile, tile_u0, tile_v0, tile_u1, tile_v1, kind, s, ends, entry, motion, tool, shaft, tips, ways, axes, turns, steps,
    flags, tags, sets, slabs, origin, step, lo, hi, tag_lo, tag_hi, base_of, capacity, ray_counts, tile_lo, tile_hi, place, least, most, removed,
    met_stock, result,
):  # fmt: skip
    """Cut with one slab of a motion, or ask for it. shaft: the way along its own axis of a cutter that leaves nothing but its lowest
    place and the shaft above it, NaN for all others; ends: whether the slab is the shaft's last. Returns (edited, a ray lacked room)."""
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    radius, aside, ahead = _around(slabs, s, tips, ways, axes, turns, motion, place)
    if not _clipped(place, direction, tile_lo[tile] - radius, tile_hi[tile] + radius):
        return False, False
    v_low = min(place[axis_v], place[axis_v + 3]) - radius
    v_high = max(place[axis_v], place[axis_v + 3]) + radius
    v0 = max(tile_v0, int(np.ceil((v_low - origin[axis_v]) / step[axis_v] - 0.5)))
    v1 = min(tile_v1, int(np.floor((v_high - origin[axis_v]) / step[axis_v] - 0.5)) + 1)
    u_low = min(place[axis_u], place[axis_u + 3]) - radius
    u_high = max(place[axis_u], place[axis_u + 3]) + radius
    u0 = max(tile_u0, int(np.ceil((u_low - origin[axis_u]) / step[axis_u] - 0.5)))
    u1 = min(tile_u1, int(np.floor((u_high - origin[axis_u]) / step[axis_u] - 0.5)) + 1)
    if u0 >= u1 or v0 >= v1:
        return False, False
    first = origin[axis_u] + (tile_u0 + 0.5) * step[axis_u]
    ax, ay, az = axes[motion, 0], axes[motion, 1], axes[motion, 2]
    mx, my, mz = ax + 0.5 * turns[motion, 0], ay + 0.5 * turns[motion, 1], az + 0.5 * turns[motion, 2]
    size = 1.0 / math.sqrt(mx * mx + my * my + mz * mz)
    mx, my, mz = mx * size, my * size, mz * size
    tx, ty, tz = tips[motion, 0], tips[motion, 1], tips[motion, 2]
    wx, wy, wz = ways[motion, 0], ways[motion, 1], ways[motion, 2]
    hc = slabs[s, HC]
    cylinder = slabs[s, KIND] == LINE and slabs[s, R0] == slabs[s, R1]
    straight = cylinder or slabs[s, KIND] == WHOLE  # two planes and a cylinder hold it closely
    widest = max(slabs[s, R0], slabs[s, R1]) + aside
    corner = slabs[s, KIND] == WHOLE and slabs[s, RO] > 0.0
    poses = _corner_poses(slabs, s, ways, turns, motion) if corner else 0
    corner = corner and poses <= MOST_POSES
    rolls = slabs[s, KIND] == WHOLE and slabs[s, RO] == 0.0 and not math.isfinite(shaft)
    bx, by, bz = tx + hc * ax, ty + hc * ay, tz + hc * az
    ex, ey, ez = ax + turns[motion, 0], ay + turns[motion, 1], az + turns[motion, 2]
    size = 1.0 / math.sqrt(ex * ex + ey * ey + ez * ez)
    ex, ey, ez = ex * size, ey * size, ez * size
    deepest = shaft < 0.0  # a motion down its axis is lowest at its end
    longer = slabs[s, H1] + (abs(shaft) if ends else 0.0)
    lx, ly, lz = (tx + wx, ty + wy, tz + wz) if deepest else (tx, ty, tz)
    behind = kind in (TEST_SHANK, TEST_HOLDER, TEST_NEAR)
    behind = behind and turns[motion, 0] == 0.0 and turns[motion, 1] == 0.0 and turns[motion, 2] == 0.0
    behind = behind and (wx != 0.0 or wy != 0.0 or wz != 0.0)
    cut_begin, cut_end = (sets[tool, CUT, 0], sets[tool, CUT, 1]) if behind else (0, 0)
    edited = False
    for iv in range(v0, v1):
        v = origin[axis_v] + (iv + 0.5) * step[axis_v]
        _bound_row(direction, place, radius, first, step[axis_u], v, u0 - tile_u0, u1 - tile_u0, least, most)
        if not rolls:
            px, py, pz = _axis_place(direction, first, v, 0.0)
            _bound_planes(
                direction, px - tx - 0.5 * wx, py - ty - 0.5 * wy, pz - tz - 0.5 * wz, mx, my, mz, slabs[s, H0] - ahead,
                slabs[s, H1] + ahead, step[axis_u], u0 - tile_u0, u1 - tile_u0, least, most,
            )  # fmt: skip
        for iu in range(u0, u1):
            ray = (iv - tile_v0) * TILE + iu - tile_u0
            count = ray_counts[tile, ray]
            if count == 0:
                continue
            base = base_of[tile] + ray * capacity
            low, high = least[iu - tile_u0], most[iu - tile_u0]
            if low >= high or not _overlaps(lo, hi, base, count, low, high):
                continue
            u = origin[axis_u] + (iu + 0.5) * step[axis_u]
            moment = 0.0
            px, py, pz = _axis_place(direction, u, v, 0.0)
            if rolls:
                met, low, high, moment = _ball_swept(
                    direction, bx, by, bz, wx + hc * (ex - ax), wy + hc * (ey - ay), wz + hc * (ez - az),
                    slabs[s, RC], u, v,
                )  # fmt: skip
            elif math.isfinite(shaft):
                missed, low, high = pose_meet(
                    slabs[s, KIND], slabs[s, H0], longer, slabs[s, R0], slabs[s, R1], hc, slabs[s, RO], slabs[s, RC],
                    px - lx, py - ly, pz - lz, ax, ay, az, direction, False,
                )  # fmt: skip
                met = missed == 0.0
            else:
                # The slab itself, grown by half its way, tells more closely; only then is the search worth its price.
                if straight:
                    met, a, b = _within(
                        direction, px - tx - 0.5 * wx, py - ty - 0.5 * wy, pz - tz - 0.5 * wz, mx, my, mz, widest
                    )
                    if not met or not _overlaps(lo, hi, base, count, max(a, low), min(b, high)):
                        continue
                missed, low, high = (
                    (0.0, low, high)
                    if cylinder
                    else _grown_meet(
                        slabs,
                        s,
                        aside,
                        ahead,
                        px - tx - 0.5 * wx,
                        py - ty - 0.5 * wy,
                        pz - tz - 0.5 * wz,
                        mx,
                        my,
                        mz,
                        direction,
                    )
                )
                met = missed == 0.0 and _overlaps(lo, hi, base, count, low, high)
                if met and corner:
                    met, low, high, moment = _corner_swept(
                        slabs, s, tips, ways, axes, turns, motion, poses, u, v, direction,
                        lo[base] if kind == CUT else -np.inf, hi[base + count - 1] if kind == CUT else np.inf,
                    )  # fmt: skip
                elif met:
                    met, low, high, moment = swept_meet(
                        slabs, s, tips, ways, axes, turns, motion, steps[motion], u, v, direction,
                        lo[base] if kind == CUT else -np.inf, hi[base + count - 1] if kind == CUT else np.inf,
                    )  # fmt: skip
            if not met or not _overlaps(lo, hi, base, count, low, high):
                continue
            if kind != CUT:
                _note(
                    direction, slabs, s, cut_begin, cut_end, (flags[motion] >> TEST_CUT) & 1 == 0, tips, ways, axes,
                    motion, u, v, low, high, moment, lo, hi, base, count, met_stock, result, entry, kind,
                )  # fmt: skip
                continue
            new = subtract(lo, hi, tag_lo, tag_hi, base, capacity, count, low, high, tags[motion])
            if new < 0:
                return edited, True
            ray_counts[tile, ray] = new
            removed[entry] = True
            edited = True
    return edited, False


@njit(cache=True, error_model="numpy")
def _cut_tile(
    direction, tile, tiles_u, first, last, entries, tips, ways, axes, turns, steps, tools, flags, tags, sets, convex, slabs, origin,
    step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi, removed, met_stock, result,
):  # fmt: skip
    """Carry out the entries first … last on one tile. Returns the entry to resume at (`last` when all are done)."""
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    tile_u0 = (tile % tiles_u) * TILE
    tile_v0 = (tile // tiles_u) * TILE
    tile_u1 = min(tile_u0 + TILE, counts[axis_u])
    tile_v1 = min(tile_v0 + TILE, counts[axis_v])
    edited = False
    place, least, most = np.empty(6), np.empty(TILE), np.empty(TILE)
    for entry in range(first, last):
        motion = entries[entry]
        tool = tools[motion]
        way = _along_itself(ways, axes, turns, motion)
        for kind in range(SETS - 1, -1, -1):  # tests first: they ask about the stock before this motion's own cut
            begin, end = sets[tool, kind, 0], sets[tool, kind, 1]
            if begin == end or not (flags[motion] >> kind) & 1:
                continue
            shaft = way if kind == CUT and convex[tool] and slabs[end - 1, KIND] == LINE else np.nan
            for s in range(begin, end):
                cut_any, full = _slab_on_tile(
                    direction, tile, tile_u0, tile_v0, tile_u1, tile_v1, kind, s, s + 1 == end, entry, motion, tool, shaft, tips, ways,
                    axes, turns, steps, flags, tags, sets, slabs, origin, step, lo, hi, tag_lo, tag_hi, base_of, capacity_of[tile],
                    ray_counts, tile_lo, tile_hi, place, least, most, removed, met_stock, result,
                )  # fmt: skip
                edited = edited or cut_any
                if full:
                    if edited:
                        tile_span(tile, lo, hi, base_of[tile], capacity_of[tile], ray_counts, tile_lo, tile_hi)
                    return entry
    if edited:
        tile_span(tile, lo, hi, base_of[tile], capacity_of[tile], ray_counts, tile_lo, tile_hi)
    return last


@njit(cache=True, parallel=True)
def cut_turned(
    direction, active, resume, tiles_u, tile_begin, entries, tips, ways, axes, turns, steps, tools, flags, tags, sets,
    convex, slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi,
    removed, met_stock, result,
):  # fmt: skip
    """Carry out every entry of the active tiles; `resume` holds, and gets, the entry each tile goes on from.

    tips, ways (n, 3): the tip's start and its change; axes, turns (n, 3): the axis at the start and its change; steps (n,):
    of the search, 0 for a tool that stands still.
    """
    for k in prange(len(active)):
        tile = np.int64(active[k])
        resume[k] = _cut_tile(
            direction, tile, tiles_u, resume[k], tile_begin[tile + 1], entries, tips, ways, axes, turns, steps, tools,
            flags, tags, sets, convex, slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of,
            ray_counts, tile_lo, tile_hi, removed, met_stock, result,
        )  # fmt: skip


@njit(cache=True, error_model="numpy")
def first_turned_through(tips, ways, axes, turns, steps, tools, slabs, cutting, point):
    """The first motion (n rows) whose cutter sweeps over a point; −1 when none does. cutting (tools, 2): slab range."""
    for i in range(len(tips)):
        for s in range(cutting[tools[i], 0], cutting[tools[i], 1]):
            met, low, high, _ = swept_meet(
                slabs, s, tips, ways, axes, turns, i, steps[i], point[0], point[1], 2, -np.inf, np.inf
            )
            if met and low <= point[2] <= high:
                return i
    return -1
