"""What a slab of a tool in any direction sweeps on a ray over a motion: exact poses, never more than it does.

A tool's pose is its tip and its axis, both running evenly from the start of a motion to its end. Over the motion the interval's ends
move without a jump, so that all between the lowest low end met and the highest high end met has been swept — where the slab meets the
ray in one stretch of the motion, as it does when its axis stands still (a convex body sweeps a convex body) and, for all that matters,
over the degree or two that it turns in one piece of a way.

How an end moves is convex, too: above its chords drawn on. Where the ray is met at the start, in the middle and at the end, and at the
vertex of the parabola through the three, that tells how far an end may lie beyond these poses: hardly, on a short way. Where it
might be farther, or one of the three misses, both ends are looked for by golden section, and where the ray is missed it goes where it
is missed by less, so that no meeting is lost. Every value taken is that of a true pose: what is cut is never more than what the tool
sweeps, and less by no more than the search leaves, two micrometres (SURE_MM).

A rounded corner is stood at so many poses that what is left between them is a cusp of 4 µm at most. A ball sweeps a capsule around the
chord of its middle's way, which stands off that way by a quarter of a micrometre at most over a piece (`Segments`), in closed form.
"""

import math

import numpy as np

from ..compiled import njit
from ..tools.slabs import H0, H1, HC, KIND, LINE, R0, R1, RC, RO
from .cut_kernel import WELD, _axis_place
from .pose_kernel import LEVEL, NEWTON, TINY, corner_beside, corner_end, pose_meet
from .sweep_kernel import best_time, root

GOLDEN = 0.5 * (math.sqrt(5.0) - 1.0)
APART = 1e6  # added where a pose misses the ray: the search then goes where it misses by less
# The way of the tool to which the place of an end is found. Where a ray runs along a slab thinner than 0.01 mm its end goes tens of
# times as fast as the tool: this keeps it within 0.01 mm.
SEARCH_MM = 2.5e-4
CUSP_MM = 0.004  # left between two poses of a whole corner: by so much less than it sweeps may be cut
NEAR_MM = 1e-4  # a step towards an end so short is the last: what is left falls with its square
TANGENTS = 3  # rounds of them from both ends of a ray's stretch, before it is taken for one that meets
MOST_POSES = 12  # beyond, its ends are looked for as those of any other slab
MIDDLE = MOST_POSES + 1  # the row of stands in the middle of the motion
SURE_MM = 0.002  # by so much an end may lie beyond all poses that were asked; where it might be more, it is looked for


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
def _bent(slabs, s, ways, turns, motion, missed):
    """By how much a slab may miss a ray farther, in the middle of a motion, than halfway between a moment at which it is met and one at
    which it is missed by so much. Nothing where it does not turn: the miss is convex then. Where it does, a point that runs along the ray from
    the one place to the other, at most the way, the slab's size and the miss apart, goes a bent way seen from the tool: off its chord by
    an eighth of its second derivative. Beyond a flank the miss is measured across the axis, which is farther by the flank's grade."""
    lean = math.sqrt(turns[motion, 0] ** 2 + turns[motion, 1] ** 2 + turns[motion, 2] ** 2)
    way = math.sqrt(ways[motion, 0] ** 2 + ways[motion, 1] ** 2 + ways[motion, 2] ** 2)
    high = max(abs(slabs[s, H0]), abs(slabs[s, H1]), abs(slabs[s, HC]) + slabs[s, RC])
    size = 2.0 * (max(slabs[s, R0], slabs[s, R1], slabs[s, RO] + slabs[s, RC]) + slabs[s, H1] - slabs[s, H0])
    line = slabs[s, KIND] == LINE
    grade = abs(slabs[s, R1] - slabs[s, R0]) / (slabs[s, H1] - slabs[s, H0]) if line else 0.0
    size += (1.0 + grade) * missed
    bent = 0.25 * lean * (2.0 * way + size) + 0.125 * lean * lean * (size + high + way)
    return bent * math.sqrt(1.0 + grade * grade)


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
        most = max(m0, m1)
        if 2.0 * (mm - _bent(slabs, s, ways, turns, motion, most)) > most:
            return False, 0.0, 0.0, 1.0  # nowhere does it fall to nothing
    known = 0.5 if mm == 0.0 else (0.0 if m0 == 0.0 else (1.0 if m1 == 0.0 else np.nan))
    return _searched(slabs, s, tips, ways, axes, turns, motion, steps, u, v, direction, bottom, top, known)


@njit(cache=True, error_model="numpy")
def corner_stands(slabs, s, tips, ways, axes, turns, motion, poses, stands):
    """Fill stands (MIDDLE + 1, 6) with the tool's axis and the corner's middle at the ends of so many even steps of a motion, and the last
    row with those in the middle of it."""
    hc = slabs[s, HC]
    for number in range(poses + 2):
        k, t = (number, number / max(poses, 1)) if number <= poses else (MIDDLE, 0.5)
        size = 0.0
        for i in range(3):
            stands[k, i] = axes[motion, i] + t * turns[motion, i]
            size += stands[k, i] * stands[k, i]
        size = 1.0 / math.sqrt(size)
        for i in range(3):
            stands[k, i] *= size
            stands[k, 3 + i] = tips[motion, i] + t * ways[motion, i] + hc * stands[k, i]


@njit(cache=True, error_model="numpy", forceinline=True)
def _corner_seen(stands, k, px, py, pz, direction):
    """A ray seen from a corner's middle: (q·e, q·q, height of its point 0 over the disc, share of the axis along it)."""
    ax, ay, az = stands[k, 0], stands[k, 1], stands[k, 2]
    x, y, z = px - stands[k, 3], py - stands[k, 4], pz - stands[k, 5]
    along = ax if direction == 0 else (ay if direction == 1 else az)
    ahead = x if direction == 0 else (y if direction == 1 else z)
    return ahead, x * x + y * y + z * z, x * ax + y * ay + z * az, along


@njit(cache=True, error_model="numpy")
def _surely_missed(ro, rc, length, qe, qq, h, along):
    """Whether a ray surely misses a corner and its shaft: it misses the box around them, or what their distance, convex along the ray,
    must at least be by its tangents at both ends of that box leaves no room between. (Not sure of all that do.)"""
    low, high = -1e30, 1e30
    top = max(rc, length)
    if abs(along) >= LEVEL:
        wa, wb = (-rc - h) / along, (top - h) / along
        low, high = min(wa, wb), max(wa, wb)
    elif h <= -rc or h >= top:
        return True
    a, b, c = 1.0 - along * along, qe - h * along, qq - h * h - (ro + rc) * (ro + rc)
    if a <= 1e-12:
        return c > 0.0
    disc = b * b - a * c
    if disc < 0.0:
        return True
    half = math.sqrt(disc)
    low, high = max(low, (-b - half) / a), min(high, (-b + half) / a)
    for _ in range(TANGENTS):
        if low > high:
            return True
        for side in range(2):
            w = low if side == 0 else high
            height = h + along * w
            ahead = qe + w - height * along
            radial = math.sqrt(max(qq + 2.0 * w * qe + w * w - height * height, TINY))
            out = max(radial - ro, 0.0)
            over = min(height, 0.0) if length > 0.0 else height
            beyond = over * over + out * out - rc * rc
            if beyond <= 0.0:
                return False
            slope = 2.0 * (over * along * radial + out * ahead)
            if side == 0:
                if slope >= 0.0:
                    return True
                low -= beyond * radial / slope
            else:
                if slope <= 0.0:
                    return True
                high -= beyond * radial / slope
    return low > high


@njit(cache=True, error_model="numpy", forceinline=True)
def corner_near(stands, ro, rc, length, px, py, pz, direction, low, high, aside, ahead, lean, lo, hi, base, count):
    """Whether a ray may lose any of its intervals to a corner and its shaft over the motion; where not, it surely does not: grown by half
    its way, where it stands in the middle of it, it takes nothing between low and high."""
    qe, qq, h, along = _corner_seen(stands, MIDDLE, px, py, pz, direction)
    # The higher a place is on the tool, the farther a turn takes it: here it is no higher than this.
    highest = max(h + along * low, h + along * high, rc)
    ro += aside - 0.5 * lean * max(length - highest, 0.0)
    rc += ahead
    if length > 0.0:
        length += ahead
    near = False
    for i in range(base, base + count):
        if near:
            break
        side = corner_beside(hi[i] - WELD, ro, rc, length, qe, qq, h, along)
        if side < 0:
            side = corner_beside(lo[i] + WELD, ro, rc, length, qe, qq, h, along)
            near = side == 0 or (side > 0 and not _surely_missed(ro, rc, length, qe, qq, h, along))
        else:
            near = side == 0
    return near


@njit(cache=True, error_model="numpy", forceinline=True)
def corner_idle(stands, poses, ro, rc, length, px, py, pz, direction, lo, hi, base, count):
    """Whether a ray surely keeps all its intervals: of each the corner lies on the same side at every stand at which it is met."""
    idle = True
    for i in range(base, base + count):
        above, below = idle, idle
        for k in range(poses + 1):
            if not (above or below):
                break
            qe, qq, h, along = _corner_seen(stands, k, px, py, pz, direction)
            side = corner_beside(hi[i] - WELD, ro, rc, length, qe, qq, h, along)
            if side > 0:
                below = False
            elif side < 0:
                side = corner_beside(lo[i] + WELD, ro, rc, length, qe, qq, h, along)
                if side < 0:
                    above = False
                elif side == 0 or not _surely_missed(ro, rc, length, qe, qq, h, along):
                    above = below = False
            else:
                above = below = False
        idle = above or below
    return idle


@njit(cache=True, error_model="numpy")
def _corner_side(down, guess, ro, rc, length, qe, qq, h, along):
    """One end of a ray's interval in a whole corner and its shaft (down: −1 the low one, +1 the high one), by Newton's steps from a guess,
    which may lie on either side of it, or, without one (NaN) or where it leads nowhere, from a box around the two. Returns (met, w)."""
    met, w = False, 0.0
    if math.isfinite(guess):
        w = guess
        for _ in range(NEWTON):
            height = h + along * w
            ahead = qe + w - height * along
            radial = math.sqrt(max(qq + 2.0 * w * qe + w * w - height * height, TINY))
            out = max(radial - ro, 0.0)
            over = min(height, 0.0) if length > 0.0 else height
            slope = 2.0 * (over * along * radial + out * ahead)
            if slope * down <= 1e-6 * radial:
                break
            step = (over * over + out * out - rc * rc) * radial / slope
            w -= step
            if abs(step) < NEAR_MM:
                met = True
                break
    if not met:
        low, high = -1e30, 1e30
        top = max(rc, length)
        if abs(along) >= LEVEL:
            wa, wb = (-rc - h) / along, (top - h) / along
            low, high = min(wa, wb), max(wa, wb)
        elif h <= -rc or h >= top:
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
        met, w = corner_end(low if down < 0.0 else high, down, ro, rc, length, qe, qq, h, along, NEAR_MM)
        if not met:
            return False, 0.0
    if length > 0.0 and h + along * w > length:
        # It would end above the shaft: then it ends at the shaft's upper plane, or is not met at all.
        if along * down <= 0.0:
            return False, 0.0
        w = (length - h) / along
        radial = math.sqrt(max(qq + 2.0 * w * qe + w * w - length * length, 0.0))
        return radial <= ro + rc, w
    return True, w


@njit(cache=True, error_model="numpy")
def corner_poses(slabs, s, upto, ways, turns, motion):
    """At how many steps of a motion a whole corner, with its shaft if that is slab `upto`, is to be stood: two poses a step of s apart
    leave a cusp of s²/8r between them, r the smallest radius of its rounding, or that of the shaft."""
    way = math.sqrt(ways[motion, 0] ** 2 + ways[motion, 1] ** 2 + ways[motion, 2] ** 2)
    lean = math.sqrt(turns[motion, 0] ** 2 + turns[motion, 1] ** 2 + turns[motion, 2] ** 2)
    widest = slabs[s, RO] + slabs[s, RC]
    steps = (way + lean * (widest + abs(slabs[s, HC]))) / math.sqrt(8.0 * CUSP_MM * slabs[s, RC])
    if upto > s:
        steps = max(steps, (way + lean * (widest + slabs[upto, H1])) / math.sqrt(8.0 * CUSP_MM * widest))
    return math.ceil(steps - 1e-9)


@njit(cache=True, error_model="numpy")
def corner_swept(stands, poses, ro, rc, length, px, py, pz, direction, bottom, top, guess_low, guess_high):
    """`swept_meet` of a whole corner and its shaft where they stand (`corner_stands`), on the ray through p: each end of the interval by
    itself, and only until it is known to lie beyond the stock. guess_low, guess_high: near where the ends may lie, as those of the ray beside; NaN where
    none is known."""
    low, high, moment = 1e30, -1e30, 1.0
    for upper in range(2):
        down = 1.0 if upper == 1 else -1.0
        guess, end, beyond = (guess_high, -1e30, top) if upper == 1 else (guess_low, 1e30, bottom)
        found = False
        if math.isfinite(beyond):  # beyond the stock: most often one end of the two, and soon told
            for k in range(poses + 1):
                qe, qq, h, along = _corner_seen(stands, k, px, py, pz, direction)
                if corner_beside(beyond, ro, rc, length, qe, qq, h, along) == 0:
                    end, found = beyond, True
                    break
        if not found:
            for k in range(poses + 1):
                qe, qq, h, along = _corner_seen(stands, k, px, py, pz, direction)
                if found and corner_beside(end, ro, rc, length, qe, qq, h, along) * down < 0.0:
                    continue  # at this pose it ends sooner, if it is met at all
                met, w = _corner_side(down, guess, ro, rc, length, qe, qq, h, along)
                if not met:
                    continue
                guess, moment = w, min(moment, k / max(poses, 1))
                end = w if not found else (max(end, w) if upper == 1 else min(end, w))
                found = True
                if (end - beyond) * down >= 0.0:
                    break
        if not found:
            return False, 0.0, 0.0, 1.0
        if upper == 1:
            high = end
        else:
            low = end
    return low < high, low, high, moment


@njit(cache=True, error_model="numpy")
def shaft_swept(stands, poses, radius, length, px, py, pz, direction):
    """`swept_meet` of a shaft above a ball where it stands, in closed form at every stand. Returns (met, low, high)."""
    low, high = 1e30, -1e30
    for k in range(poses + 1):
        qe, qq, h, along = _corner_seen(stands, k, px, py, pz, direction)
        start, stop = -1e30, 1e30
        if abs(along) >= LEVEL:
            wa, wb = -h / along, (length - h) / along
            start, stop = min(wa, wb), max(wa, wb)
        elif h < 0.0 or h > length:
            continue
        a, b, c = 1.0 - along * along, qe - h * along, qq - h * h - radius * radius
        if a > 1e-12:
            disc = b * b - a * c
            if disc < 0.0:
                continue
            half = math.sqrt(disc)
            start, stop = max(start, (-b - half) / a), min(stop, (-b + half) / a)
        elif c > 0.0:
            continue
        if start <= stop:
            low, high = min(low, start), max(high, stop)
    return low < high, low, high


@njit(cache=True, error_model="numpy", forceinline=True)
def ball_swept(direction, cx, cy, cz, dx, dy, dz, radius, u, v):
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
