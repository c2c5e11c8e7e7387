"""Cutting with a tool that stands, or turns, in any direction: exact poses, never a cut too deep.

A tool's pose is its tip and its axis, both running evenly from the start of a motion to its end. At one moment a slab meets
a ray in an interval with a closed form (a cone, a cylinder or a sphere between two planes). Over the motion the intervals
move without a jump, so that all between the lowest low end met and the highest high end met has been swept — where the
slab meets the ray in one stretch of the motion, as it does when its axis stands still (a convex body sweeps a convex
body) and, for all that matters, over the degree or two that it turns in one piece of a way. Both ends are looked for by
golden section, and where the ray is missed it goes where it is missed by less (`_missed_by`: convex, so that no meeting is
lost); every value taken is that of a true pose, so that what is cut is never more than what the tool sweeps, and
less by no more than the search leaves: well below a micrometre, but along a slab as thin as that.

Tori come here as cones inscribed to 0.5 µm (`facetted`), so that every slab is a LINE or a sphere.
"""

import math

import numpy as np

from ..compiled import njit, prange
from ..tools.assembly import ARC, H0, H1, HC, KIND, R0, R1, RC
from .cut_kernel import (
    CUT,
    HIGH,
    LOW,
    RADIUS,
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

GOLDEN = 0.5 * (math.sqrt(5.0) - 1.0)
APART = 1e6  # added where a pose misses the ray: the search then goes where it misses by less
# The way of the tool to which the place of an end is found. Where a ray runs along a slab thinner than 0.01 mm its end goes tens of
# times as fast as the tool: this keeps it within 0.01 mm.
SEARCH_MM = 2.5e-4
LEVEL = 1e-12


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
def pose_meet(kind, h0, h1, r0, r1, hc, rc, x, y, z, ax, ay, az, direction):
    """Interval of one slab on a ray. (x, y, z): the ray's point w = 0 seen from the tip; a: the tool's axis.

    Returns (by how much it is missed — 0 when it is met —, low, high).
    """
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
            return _missed_by(kind, h0, h1, r0, r1, hc, rc, along, ahead, height, square), 0.0, 0.0
        root = math.sqrt(-least / a)
        ra, rb = middle - root, middle + root
    elif abs(a) <= 1e-10:
        # The ray runs along the axis, or along a cone's flank: 2 b w + c ≤ 0.
        if abs(b) < 1e-12:
            if c > 0.0:
                return _missed_by(kind, h0, h1, r0, r1, hc, rc, along, ahead, height, square), 0.0, 0.0
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
        return _missed_by(kind, h0, h1, r0, r1, hc, rc, along, ahead, height, square), 0.0, 0.0
    return 0.0, start, stop


@njit(cache=True, error_model="numpy")
def _grown_meet(slabs, s, by, x, y, z, ax, ay, az, direction):
    """`pose_meet` of a slab grown by a distance on every side."""
    r0, r1 = slabs[s, R0], slabs[s, R1]
    if slabs[s, KIND] != ARC:
        slope = (r1 - r0) / (slabs[s, H1] - slabs[s, H0])
        out = by * math.sqrt(1.0 + slope * slope)
        r0, r1 = max(r0 + out - slope * by, 0.0), max(r1 + out + slope * by, 0.0)
    return pose_meet(
        slabs[s, KIND], slabs[s, H0] - by, slabs[s, H1] + by, r0, r1, slabs[s, HC], slabs[s, RC] + by, x, y, z, ax, ay, az,
        direction,
    )  # fmt: skip


@njit(cache=True, error_model="numpy")
def _pose_at(slabs, s, tips, ways, axes, turns, motion, t, px, py, pz, direction):
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
        slabs[s, KIND], slabs[s, H0], slabs[s, H1], slabs[s, R0], slabs[s, R1], slabs[s, HC], slabs[s, RC], x, y, z,
        ax, ay, az, direction,
    )  # fmt: skip


@njit(cache=True, error_model="numpy")
def _sought(missed, low, high, upper):
    """What the search makes small: the low end, or the high end negated; far above both where the ray is missed."""
    if missed > 0.0:
        return APART + missed
    return -high if upper else low


@njit(cache=True, error_model="numpy")
def swept_meet(slabs, s, tips, ways, axes, turns, motion, steps, u, v, direction):
    """Interval that slab `s` sweeps on a ray over a motion. Returns (met, low, high, share of the first moment known)."""
    px, py, pz = _axis_place(direction, u, v, 0.0)
    met = False
    low, high, moment = 1e30, -1e30, 1.0
    for end in range(2):
        missed, a, b = _pose_at(slabs, s, tips, ways, axes, turns, motion, float(end), px, py, pz, direction)
        if missed == 0.0:
            met = True
            low, high = min(low, a), max(high, b)
            moment = min(moment, float(end))
    if steps == 0:
        return met, low, high, moment
    for upper in range(2):
        ta, tb = 0.0, 1.0
        t1, t2 = 1.0 - GOLDEN, GOLDEN
        missed, a, b = _pose_at(slabs, s, tips, ways, axes, turns, motion, t1, px, py, pz, direction)
        f1 = _sought(missed, a, b, upper == 1)
        if missed == 0.0:
            met = True
            low, high, moment = min(low, a), max(high, b), min(moment, t1)
        missed, a, b = _pose_at(slabs, s, tips, ways, axes, turns, motion, t2, px, py, pz, direction)
        f2 = _sought(missed, a, b, upper == 1)
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
            missed, a, b = _pose_at(slabs, s, tips, ways, axes, turns, motion, t, px, py, pz, direction)
            if missed == 0.0:
                met = True
                low, high, moment = min(low, a), max(high, b), min(moment, t)
            f = _sought(missed, a, b, upper == 1)
            if t == t1:
                f1 = f
            else:
                f2 = f
        if not met:
            break
    return met, low, high, moment


@njit(cache=True, error_model="numpy")
def turned_box(extents, tool, kind, tips, ways, axes, turns, motion, box):
    """Fill `box` (6,) with the lowest and highest x, y, z of a set's sweep."""
    radius, bottom, top = extents[tool, kind, RADIUS], extents[tool, kind, LOW], extents[tool, kind, HIGH]
    for i in range(3):
        low, high = 1e30, -1e30
        for end in range(2):
            a = axes[motion, i] + end * turns[motion, i]
            p = tips[motion, i] + end * ways[motion, i]
            side = radius * math.sqrt(max(0.0, 1.0 - a * a))
            low = min(low, p + min(a * bottom, a * top) - side)
            high = max(high, p + max(a * bottom, a * top) + side)
        # Between the ends the axis leans out of the chord by the sagitta of the angle it turns.
        lean = turns[motion, 0] ** 2 + turns[motion, 1] ** 2 + turns[motion, 2] ** 2
        slack = 0.5 * math.sqrt(lean) * radius + 0.125 * lean * max(abs(top), abs(bottom)) if lean > 0.0 else 0.0
        box[i], box[i + 3] = low - slack, high + slack


@njit(cache=True, error_model="numpy")
def bin_turned(
    direction, tips, ways, axes, turns, tools, flags, sets, extents, origin, step, counts, tiles_u, tile_lo, tile_hi
):
    """As `cut_kernel.bin_motions`, for tools in any direction."""
    n = len(tips)
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    total = len(tile_lo)
    tiles_v = total // tiles_u
    along_lo, along_hi = np.inf, -np.inf
    for tile in range(total):
        if tile_lo[tile] <= tile_hi[tile]:
            along_lo, along_hi = min(along_lo, tile_lo[tile]), max(along_hi, tile_hi[tile])
    size = np.zeros(total + 1, np.int64)
    ranges = np.empty((n, 4), np.int64)
    near = np.zeros(n, np.int64)
    box = np.empty(6)
    for i in range(n):
        r0, r1, r2, r3 = tiles_u, -1, tiles_v, -1
        tool = tools[i]
        for kind in range(SETS):
            if sets[tool, kind, 0] == sets[tool, kind, 1] or not (flags[i] >> kind) & 1:
                continue
            turned_box(extents, tool, kind, tips, ways, axes, turns, i, box)
            if box[direction] > along_hi or box[direction + 3] < along_lo:
                continue
            u0 = max(0, int(np.ceil((box[axis_u] - origin[axis_u]) / step[axis_u] - 0.5)))
            u1 = min(counts[axis_u] - 1, int(np.floor((box[axis_u + 3] - origin[axis_u]) / step[axis_u] - 0.5)))
            v0 = max(0, int(np.ceil((box[axis_v] - origin[axis_v]) / step[axis_v] - 0.5)))
            v1 = min(counts[axis_v] - 1, int(np.floor((box[axis_v + 3] - origin[axis_v]) / step[axis_v] - 0.5)))
            if u0 > u1 or v0 > v1:
                continue
            near[i] |= 1 << kind
            r0, r1 = min(r0, u0 // TILE), max(r1, u1 // TILE)
            r2, r3 = min(r2, v0 // TILE), max(r3, v1 // TILE)
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
def _cut_tile(
    direction, tile, tiles_u, first, last, entries, tips, ways, axes, turns, steps, tools, flags, tags, sets, extents,
    convex, slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi, removed,
    met_stock, result,
):  # fmt: skip
    """Carry out the entries first … last on one tile. Returns the entry to resume at (`last` when all are done)."""
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    tile_u0 = (tile % tiles_u) * TILE
    tile_v0 = (tile // tiles_u) * TILE
    tile_u1 = min(tile_u0 + TILE, counts[axis_u])
    tile_v1 = min(tile_v0 + TILE, counts[axis_v])
    capacity = capacity_of[tile]
    edited = False
    box = np.empty(6)
    stopped = last
    for entry in range(first, last):
        motion = entries[entry]
        tool = tools[motion]
        for kind in range(SETS - 1, -1, -1):  # tests first: they ask about the stock before this motion's own cut
            begin, end = sets[tool, kind, 0], sets[tool, kind, 1]
            if begin == end or not (flags[motion] >> kind) & 1:
                continue
            behind = kind in (TEST_SHANK, TEST_HOLDER, TEST_NEAR)
            behind = behind and turns[motion, 0] == 0.0 and turns[motion, 1] == 0.0 and turns[motion, 2] == 0.0
            behind = behind and (ways[motion, 0] != 0.0 or ways[motion, 1] != 0.0 or ways[motion, 2] != 0.0)
            cut_begin, cut_end = (sets[tool, CUT, 0], sets[tool, CUT, 1]) if behind else (0, 0)
            turned_box(extents, tool, kind, tips, ways, axes, turns, motion, box)
            if box[direction] > tile_hi[tile] or box[direction + 3] < tile_lo[tile]:
                continue
            u0 = max(tile_u0, int(np.ceil((box[axis_u] - origin[axis_u]) / step[axis_u] - 0.5)))
            u1 = min(tile_u1, int(np.floor((box[axis_u + 3] - origin[axis_u]) / step[axis_u] - 0.5)) + 1)
            v0 = max(tile_v0, int(np.ceil((box[axis_v] - origin[axis_v]) / step[axis_v] - 0.5)))
            v1 = min(tile_v1, int(np.floor((box[axis_v + 3] - origin[axis_v]) / step[axis_v] - 0.5)) + 1)
            if u0 >= u1 or v0 >= v1:
                continue
            # A cylinder around the set in the middle of the motion, grown by half its way: what misses it is not met.
            ax = axes[motion, 0] + 0.5 * turns[motion, 0]
            ay = axes[motion, 1] + 0.5 * turns[motion, 1]
            az = axes[motion, 2] + 0.5 * turns[motion, 2]
            size = math.sqrt(ax * ax + ay * ay + az * az)
            ax, ay, az = ax / size, ay / size, az / size
            wx, wy, wz = ways[motion, 0], ways[motion, 1], ways[motion, 2]
            lean = math.sqrt(turns[motion, 0] ** 2 + turns[motion, 1] ** 2 + turns[motion, 2] ** 2)
            radius, bottom, top = extents[tool, kind, RADIUS], extents[tool, kind, LOW], extents[tool, kind, HIGH]
            grown = (
                0.5 * math.sqrt(wx * wx + wy * wy + wz * wz) + 0.5 * lean * (radius + max(abs(top), abs(bottom))) + WELD
            )
            mx, my, mz = tips[motion, 0] + 0.5 * wx, tips[motion, 1] + 0.5 * wy, tips[motion, 2] + 0.5 * wz
            for iv in range(v0, v1):
                v = origin[axis_v] + (iv + 0.5) * step[axis_v]
                for iu in range(u0, u1):
                    ray = (iv - tile_v0) * TILE + iu - tile_u0
                    count = ray_counts[tile, ray]
                    if count == 0:
                        continue
                    base = base_of[tile] + ray * capacity
                    u = origin[axis_u] + (iu + 0.5) * step[axis_u]
                    px, py, pz = _axis_place(direction, u, v, 0.0)
                    missed, low, high = pose_meet(
                        0.0, bottom - grown, top + grown, radius + grown, radius + grown, 0.0, 0.0, px - mx, py - my, pz - mz,
                        ax, ay, az, direction,
                    )  # fmt: skip
                    if missed > 0.0 or not _overlaps(lo, hi, base, count, low, high):
                        continue
                    whole_low, whole_high = 1e30, -1e30
                    for s in range(begin, end):
                        # The slab itself, grown by as much, tells more closely; only then is the search worth its price.
                        missed, low, high = _grown_meet(
                            slabs, s, grown, px - mx, py - my, pz - mz, ax, ay, az, direction
                        )
                        met, moment = missed == 0.0 and _overlaps(lo, hi, base, count, low, high), 0.0
                        if met:
                            met, low, high, moment = swept_meet(
                                slabs, s, tips, ways, axes, turns, motion, steps[motion], u, v, direction
                            )
                        if kind == CUT and convex[tool]:  # one solid: the slabs' intervals are one
                            if met:
                                whole_low, whole_high = min(whole_low, low), max(whole_high, high)
                            met, low, high = s + 1 == end and whole_low < whole_high, whole_low, whole_high
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
                            stopped = entry
                            break
                        count = new
                        removed[entry] = True
                        edited = True
                    ray_counts[tile, ray] = count
                    if stopped < last:
                        break
                if stopped < last:
                    break
            if stopped < last:
                break
        if stopped < last:
            break
    if edited:
        tile_span(tile, lo, hi, base_of[tile], capacity, ray_counts, tile_lo, tile_hi)
    return stopped


@njit(cache=True, parallel=True)
def cut_turned(
    direction, active, resume, tiles_u, tile_begin, entries, tips, ways, axes, turns, steps, tools, flags, tags, sets,
    extents, convex, slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi,
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
            flags, tags, sets, extents, convex, slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of,
            ray_counts, tile_lo, tile_hi, removed, met_stock, result,
        )  # fmt: skip


@njit(cache=True, error_model="numpy")
def first_turned_through(tips, ways, axes, turns, steps, tools, slabs, cutting, point):
    """The first motion (n rows) whose cutter sweeps over a point; −1 when none does. cutting (tools, 2): slab range."""
    for i in range(len(tips)):
        for s in range(cutting[tools[i], 0], cutting[tools[i], 1]):
            met, low, high, _ = swept_meet(slabs, s, tips, ways, axes, turns, i, steps[i], point[0], point[1], 2)
            if met and low <= point[2] <= high:
                return i
    return -1
