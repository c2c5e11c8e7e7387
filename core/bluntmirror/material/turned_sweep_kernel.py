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
from ..tools.slabs import H0, H1, HC, KIND, R0, R1, RC, RO
from .cut_kernel import _axis_place
from .pose_kernel import CLOSE_MM, LEVEL, NEWTON, corner_end, pose_meet
from .sweep_kernel import best_time, root

GOLDEN = 0.5 * (math.sqrt(5.0) - 1.0)
APART = 1e6  # added where a pose misses the ray: the search then goes where it misses by less
# The way of the tool to which the place of an end is found. Where a ray runs along a slab thinner than 0.01 mm its end goes tens of
# times as fast as the tool: this keeps it within 0.01 mm.
SEARCH_MM = 2.5e-4
CUSP_MM = 0.004  # left between two poses of a whole corner: by so much less than it sweeps may be cut
MOST_POSES = 12  # beyond, its ends are looked for as those of any other slab
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
    return corner_end(low if down < 0.0 else high, down, ro, rc, qe, qq, h, along, CLOSE_MM)


@njit(cache=True, error_model="numpy")
def corner_poses(slabs, s, ways, turns, motion):
    """At how many steps of a motion a whole corner is to be stood: two poses a step of s apart leave a cusp of s²/8r between them, r
    the smallest radius of its rounding."""
    way = math.sqrt(ways[motion, 0] ** 2 + ways[motion, 1] ** 2 + ways[motion, 2] ** 2)
    lean = math.sqrt(turns[motion, 0] ** 2 + turns[motion, 1] ** 2 + turns[motion, 2] ** 2)
    way += lean * (slabs[s, RO] + slabs[s, RC] + abs(slabs[s, HC]))
    return math.ceil(way / math.sqrt(8.0 * CUSP_MM * slabs[s, RC]) - 1e-9)


@njit(cache=True, error_model="numpy")
def corner_swept(slabs, s, tips, ways, axes, turns, motion, poses, u, v, direction, bottom, top):
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
