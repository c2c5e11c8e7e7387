"""Cutting the rays of tiles by tools that stand, or turn, in any direction, and testing what must not touch stock.

What a slab sweeps on a ray is the matter of `turned_sweep_kernel`; here is asked which rays it can come to at all. A cutter that runs
along its own axis sweeps what it covers at its lowest place and the shaft above it: one pose is enough.

      A ·─────────· B     What comes near to a slab's axis from A to B is a capsule: of the axis counts only what lies where the tile
     (  ·─────────·  )    still has stock, and every row of rays is bounded by capsule and end planes before any ray is asked.
"""

import math

import numpy as np

from ..compiled import njit, prange
from ..tools.slabs import H0, H1, HC, KIND, LINE, R0, R1, RC, RO, WHOLE
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
    length_met,
    note_first,
    note_met,
    note_shift,
    note_taken,
    subtract,
    tile_span,
)
from .moment_kernel import met_at_that_moment
from .pose_kernel import grown_meet, pose_meet
from .turned_sweep_kernel import (
    MOST_POSES,
    ball_swept,
    corner_idle,
    corner_near,
    corner_poses,
    corner_stands,
    corner_swept,
    shaft_swept,
    swept_meet,
)

BESIDE = 1e-9  # a way so little off the tool's axis runs along it
SQUARE = 1e-9  # of a direction's cosine: along the rays


@njit(cache=True, error_model="numpy")
def _around(slabs, s, upto, tips, ways, axes, turns, motion, place):
    """A capsule that holds all that a slab and what stands on it up to slab `upto`, no wider, sweep: fills place (6,) with the ends of its
    axis; returns its radius, and by how much the slab in the middle of the motion is to be grown aside and along its axis to hold it: by
    half the way, and by what half the turn moves its farthest points."""
    ax = axes[motion, 0] + 0.5 * turns[motion, 0]
    ay = axes[motion, 1] + 0.5 * turns[motion, 1]
    az = axes[motion, 2] + 0.5 * turns[motion, 2]
    size = math.sqrt(ax * ax + ay * ay + az * az)
    ax, ay, az = ax / size, ay / size, az / size
    wx, wy, wz = ways[motion, 0], ways[motion, 1], ways[motion, 2]
    lean2 = turns[motion, 0] ** 2 + turns[motion, 1] ** 2 + turns[motion, 2] ** 2
    lean = math.sqrt(lean2)
    bottom, top, radius = slabs[s, H0], slabs[upto, H1], max(slabs[s, R0], slabs[s, R1])
    if slabs[s, KIND] == WHOLE:
        bottom = slabs[s, HC]
        top = top if upto > s else bottom
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
    there = max(a, b) >= low and min(a, b) <= high
    if there and a != b:
        ta, tb = (low - a) / (b - a), (high - a) / (b - a)
        ta, tb = max(min(ta, tb), 0.0), min(max(ta, tb), 1.0)
        for i in range(3):
            p, d = place[i], place[i + 3] - place[i]
            place[i], place[i + 3] = p + ta * d, p + tb * d
    return there


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
                radius, _, _ = _around(slabs, s, s, tips, ways, axes, turns, i, place)
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
                    note_met(met_stock, result, entry)
                    known = note_shift(result, entry, TEST_FLUSH, hi[i] - low, high - lo[i])
                    x, y, z = _axis_place(direction, u, v, 0.5 * (a + b))
                    note_first(result, entry, TEST_FLUSH, known, moment, x, y, z)
                continue
            from_ = low if span[0] == a else span[0]
            to = high if span[1] == b else span[1]
            a, b = span[0], span[1]
        note_met(met_stock, result, entry)
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
def _bound_row(direction, place, radius, first, step, v, least, most):
    """Fill least and most (TILE,) with bounds of what a row of rays, the tile's first at `first`, meets of the capsule around the axis
    in place (6,). Without a branch and for the whole row, so that several rays are bounded at once."""
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    cu, cv, along = place[axis_u], place[axis_v], place[direction]
    du, dv, way = place[axis_u + 3] - cu, place[axis_v + 3] - cv, place[direction + 3] - along
    per = 1.0 / (du * du + dv * dv) if du != 0.0 or dv != 0.0 else 0.0
    low, high = min(along, along + way), max(along, along + way)
    gv = v - cv
    square = radius * radius
    for u in range(TILE):
        gu = first + u * step - cu
        t = (gu * du + gv * dv) * per
        t = t if t > 0.0 else 0.0
        t = t if t < 1.0 else 1.0
        eu, ev = gu - t * du, gv - t * dv
        under = square - eu * eu - ev * ev
        missed = 1e30 if under < 0.0 else 0.0
        half = math.sqrt(abs(under))
        least[u] = low - half + missed
        most[u] = high + half - missed


@njit(cache=True, error_model="numpy")
def _row_span(lo, hi, base, capacity, counts, tile, u0, u1, spans, row):
    """Between what places the rays of a row (those from u0 to u1 of its tile) hold stock: into spans (TILE, 2)."""
    low, high = np.inf, -np.inf
    for u in range(u0, u1):
        first, count = base + u * capacity, counts[tile, row * TILE + u]
        if count > 0:
            low, high = min(low, lo[first]), max(high, hi[first + count - 1])
    spans[row, 0], spans[row, 1] = low, high


@njit(cache=True, error_model="numpy", forceinline=True)
def _passes_row(place, axis_v, direction, radius, v, spans, row):
    """Whether a capsule around the axis in place (6,) surely passes by all stock of a row of rays."""
    beside = max(min(place[axis_v], place[axis_v + 3]) - v, v - max(place[axis_v], place[axis_v + 3]), 0.0)
    half = math.sqrt(max(radius * radius - beside * beside, 0.0))
    low = min(place[direction], place[direction + 3]) - half
    high = max(place[direction], place[direction + 3]) + half
    return low >= spans[row, 1] - WELD or high <= spans[row, 0] + WELD


@njit(cache=True, error_model="numpy")
def _bound_planes(direction, px, py, pz, mx, my, mz, bottom, top, step, least, most):
    """Narrow least and most to what lies between two planes across the tool's direction m, at heights bottom and top over it; p: the
    tile's first ray of the row seen from the tip."""
    along = mx if direction == 0 else (my if direction == 1 else mz)
    height = px * mx + py * my + pz * mz
    rise = step * (my if direction == 0 else mx)
    if abs(along) < 1e-6:
        for u in range(TILE):
            if not bottom <= height + u * rise <= top:
                least[u] = 1e30
    else:
        per = 1.0 / along
        if along < 0.0:
            bottom, top = top, bottom
        for u in range(TILE):
            a, b = (bottom - height - u * rise) * per, (top - height - u * rise) * per
            least[u] = a if a > least[u] else least[u]
            most[u] = b if b < most[u] else most[u]


@njit(cache=True, error_model="numpy", forceinline=True)
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
def _stands_on_corner(slabs, s, above):
    """Whether a slab is a shaft as wide as the whole corner below it: the two are one convex body."""
    if slabs[s, KIND] != WHOLE or slabs[above, KIND] != LINE:
        return False
    widest = slabs[s, RO] + slabs[s, RC]
    upright = abs(slabs[above, R0] - widest) < 1e-9 and abs(slabs[above, R1] - widest) < 1e-9
    return upright and abs(slabs[above, H0] - slabs[s, HC]) < 1e-9


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
def _cut_tile(
    direction, tile, tiles_u, first, last, entries, tips, ways, axes, turns, steps, tools, flags, tags, sets, convex, slabs, origin,
    step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi, taken, met_stock, result,
):  # fmt: skip
    """Carry out the entries first … last on one tile. Returns the entry to resume at (`last` when all are done)."""
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    tile_u0 = (tile % tiles_u) * TILE
    tile_v0 = (tile // tiles_u) * TILE
    tile_u1 = min(tile_u0 + TILE, counts[axis_u])
    tile_v1 = min(tile_v0 + TILE, counts[axis_v])
    edited, capacity = False, capacity_of[tile]
    place, least, most = np.empty(6), np.empty(TILE), np.empty(TILE)
    stands = np.empty((MOST_POSES + 2, 6))
    spans = np.full((TILE, 2), np.nan)  # of every row of rays, where known: what is cut only narrows them
    lost = np.empty(TILE * TILE)  # to one motion, of every ray
    ends = np.empty((TILE, 2))  # where the corner ended on the rays of the rows before
    for entry in range(first, last):
        motion = entries[entry]
        tool = tools[motion]
        way = _along_itself(ways, axes, turns, motion)
        lean = math.sqrt(turns[motion, 0] ** 2 + turns[motion, 1] ** 2 + turns[motion, 2] ** 2)
        for kind in range(SETS - 1, -1, -1):  # tests first: they ask about the stock before this motion's own cut
            begin, end = sets[tool, kind, 0], sets[tool, kind, 1]
            if begin == end or not (flags[motion] >> kind) & 1:
                continue
            # The way along its own axis of a cutter that leaves nothing but its lowest place and the shaft above it.
            shaft = np.nan
            if (
                kind == CUT
                and convex[tool]
                and slabs[end - 1, KIND] == LINE
                and slabs[end - 1, R0] == slabs[end - 1, R1]
            ):
                shaft = way
            # Along the tool what all parts of the cutter take off one ray is how deep it stands in the stock.
            straight = kind == CUT and lean == 0.0 and abs(axes[motion, direction]) > 1.0 - SQUARE
            if straight:
                lost[:] = 0.0
            joined = begin
            for s in range(begin, end):
                if s < joined:
                    continue  # gone through with the corner below it
                upto, poses = s, 0
                if slabs[s, KIND] == WHOLE:
                    if s + 1 < end and math.isnan(shaft) and _stands_on_corner(slabs, s, s + 1):
                        poses = corner_poses(slabs, s, s + 1, ways, turns, motion)
                        if poses <= MOST_POSES:
                            upto, joined = s + 1, s + 2
                    if upto == s:
                        poses = corner_poses(slabs, s, s, ways, turns, motion)
                radius, aside, ahead = _around(slabs, s, upto, tips, ways, axes, turns, motion, place)
                if not _clipped(place, direction, tile_lo[tile] - radius, tile_hi[tile] + radius):
                    continue
                side_u = side_v = radius
                if slabs[s, KIND] == WHOLE:  # a disc that lies flat reaches less far across itself
                    more = radius - slabs[s, RO] - slabs[s, RC]
                    mu, mv = (
                        axes[motion, axis_u] + 0.5 * turns[motion, axis_u],
                        axes[motion, axis_v] + 0.5 * turns[motion, axis_v],
                    )
                    side_u = slabs[s, RO] * math.sqrt(max(1.0 - mu * mu, 0.0)) + slabs[s, RC] + more
                    side_v = slabs[s, RO] * math.sqrt(max(1.0 - mv * mv, 0.0)) + slabs[s, RC] + more
                v_low = min(place[axis_v], place[axis_v + 3]) - side_v
                v_high = max(place[axis_v], place[axis_v + 3]) + side_v
                v0 = max(tile_v0, int(np.ceil((v_low - origin[axis_v]) / step[axis_v] - 0.5)))
                v1 = min(tile_v1, int(np.floor((v_high - origin[axis_v]) / step[axis_v] - 0.5)) + 1)
                u_low = min(place[axis_u], place[axis_u + 3]) - side_u
                u_high = max(place[axis_u], place[axis_u + 3]) + side_u
                u0 = max(tile_u0, int(np.ceil((u_low - origin[axis_u]) / step[axis_u] - 0.5)))
                u1 = min(tile_u1, int(np.floor((u_high - origin[axis_u]) / step[axis_u] - 0.5)) + 1)
                if u0 >= u1 or v0 >= v1:
                    continue
                edge = origin[axis_u] + (tile_u0 + 0.5) * step[axis_u]  # of the tile: its first ray
                ax, ay, az = axes[motion, 0], axes[motion, 1], axes[motion, 2]
                mx, my, mz = ax + 0.5 * turns[motion, 0], ay + 0.5 * turns[motion, 1], az + 0.5 * turns[motion, 2]
                size = 1.0 / math.sqrt(mx * mx + my * my + mz * mz)
                mx, my, mz = mx * size, my * size, mz * size
                tx, ty, tz = tips[motion, 0], tips[motion, 1], tips[motion, 2]
                wx, wy, wz = ways[motion, 0], ways[motion, 1], ways[motion, 2]
                hc = slabs[s, HC]
                cylinder = slabs[s, KIND] == LINE and slabs[s, R0] == slabs[s, R1]
                widest = max(slabs[s, R0], slabs[s, R1]) + aside
                length = slabs[upto, H1] - hc if upto > s else 0.0
                corner = slabs[s, KIND] == WHOLE and slabs[s, RO] > 0.0 and poses <= MOST_POSES
                whole = math.isnan(shaft) and (corner or upto > s)
                ro, rc = slabs[s, RO], slabs[s, RC]
                if corner or upto > s:
                    ends[:] = np.nan
                    corner_stands(slabs, s, tips, ways, axes, turns, motion, poses, stands)
                rolls = slabs[s, KIND] == WHOLE and slabs[s, RO] == 0.0 and not math.isfinite(shaft)
                bx, by, bz = tx + hc * ax, ty + hc * ay, tz + hc * az
                ex, ey, ez = ax + turns[motion, 0], ay + turns[motion, 1], az + turns[motion, 2]
                size = 1.0 / math.sqrt(ex * ex + ey * ey + ez * ez)
                ex, ey, ez = ex * size, ey * size, ez * size
                deepest = shaft < 0.0  # a motion down its axis is lowest at its end
                longer = slabs[s, H1] + (abs(shaft) if s + 1 == end else 0.0)
                lx, ly, lz = (tx + wx, ty + wy, tz + wz) if deepest else (tx, ty, tz)
                behind = kind in (TEST_SHANK, TEST_HOLDER, TEST_NEAR)
                behind = behind and turns[motion, 0] == 0.0 and turns[motion, 1] == 0.0 and turns[motion, 2] == 0.0
                behind = behind and (wx != 0.0 or wy != 0.0 or wz != 0.0)
                cut_begin, cut_end = (sets[tool, CUT, 0], sets[tool, CUT, 1]) if behind else (0, 0)
                if rolls and upto == s:  # the way of its middle bounds a ball as closely as can be
                    place[0], place[1], place[2] = bx, by, bz
                    place[3], place[4], place[5] = (
                        bx + wx + hc * (ex - ax),
                        by + wy + hc * (ey - ay),
                        bz + wz + hc * (ez - az),
                    )
                    radius = slabs[s, RC]
                for iv in range(v0, v1):
                    v, row = origin[axis_v] + (iv + 0.5) * step[axis_v], iv - tile_v0
                    if math.isnan(spans[row, 0]):
                        first_of_row = base_of[tile] + row * TILE * capacity
                        _row_span(lo, hi, first_of_row, capacity, ray_counts, tile, 0, tile_u1 - tile_u0, spans, row)
                    if _passes_row(place, axis_v, direction, radius, v, spans, row):
                        continue
                    _bound_row(direction, place, radius, edge, step[axis_u], v, least, most)
                    if not rolls:
                        px, py, pz = _axis_place(direction, edge, v, 0.0)
                        _bound_planes(
                            direction, px - tx - 0.5 * wx, py - ty - 0.5 * wy, pz - tz - 0.5 * wz, mx, my, mz, slabs[s, H0] - ahead,
                            slabs[upto, H1] + ahead, step[axis_u], least, most,
                        )  # fmt: skip
                    beside_low, beside_high = np.nan, np.nan  # where the corner ends on the ray before
                    for iu in range(u0, u1):
                        ray = row * TILE + iu - tile_u0
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
                        met = True
                        if whole and corner and not corner_near(
                            stands, ro, rc, length, px, py, pz, direction, low, high, aside, ahead, lean, lo, hi, base,
                            count,
                        ):  # fmt: skip
                            continue
                        if whole and corner_idle(
                            stands,
                            poses,
                            slabs[s, RO],
                            slabs[s, RC],
                            length,
                            px,
                            py,
                            pz,
                            direction,
                            lo,
                            hi,
                            base,
                            count,
                        ):
                            continue
                        if rolls:
                            bottom, top = low, high
                            met, low, high, moment = ball_swept(
                                direction, bx, by, bz, wx + hc * (ex - ax), wy + hc * (ey - ay), wz + hc * (ez - az),
                                slabs[s, RC], u, v,
                            )  # fmt: skip
                            # The shaft above it counts where it may take more than the ball does.
                            if whole and (
                                not met
                                or _overlaps(lo, hi, base, count, bottom, low)
                                or _overlaps(lo, hi, base, count, high, top)
                            ):
                                more, a, b = shaft_swept(stands, poses, slabs[s, RC], length, px, py, pz, direction)
                                if more:
                                    low, high = (min(low, a), max(high, b)) if met else (a, b)
                                    met = True
                        elif math.isfinite(shaft):
                            missed, low, high = pose_meet(
                                slabs[s, KIND], slabs[s, H0], longer, slabs[s, R0], slabs[s, R1], hc, slabs[s, RO], slabs[s, RC],
                                px - lx, py - ly, pz - lz, ax, ay, az, direction, False,
                            )  # fmt: skip
                            met = missed == 0.0
                        elif corner:
                            # An end that may lie beyond the stock is asked about there first.
                            bottom, top = lo[base], hi[base + count - 1]
                            bottom = bottom if kind == CUT and low <= bottom else -np.inf
                            top = top if kind == CUT and high >= top else np.inf
                            if not math.isfinite(beside_low):
                                beside_low = ends[iu - tile_u0, 0]
                            if not math.isfinite(beside_high):
                                beside_high = ends[iu - tile_u0, 1]
                            met, low, high, moment = corner_swept(
                                stands, poses, ro, rc, length, px, py, pz, direction, bottom, top, beside_low,
                                beside_high,
                            )  # fmt: skip
                            if met and low != bottom:
                                beside_low = ends[iu - tile_u0, 0] = low
                            if met and high != top:
                                beside_high = ends[iu - tile_u0, 1] = high
                        else:
                            # The slab itself, grown by half its way, tells more closely; only then is the search worth its price.
                            if cylinder:
                                met, a, b = _within(
                                    direction,
                                    px - tx - 0.5 * wx,
                                    py - ty - 0.5 * wy,
                                    pz - tz - 0.5 * wz,
                                    mx,
                                    my,
                                    mz,
                                    widest,
                                )
                                low, high = max(a, low), min(b, high)
                            else:
                                missed, low, high = grown_meet(
                                    slabs, s, aside, ahead, px - tx - 0.5 * wx, py - ty - 0.5 * wy, pz - tz - 0.5 * wz, mx, my, mz,
                                    direction,
                                )  # fmt: skip
                                met = missed == 0.0
                            if met and _overlaps(lo, hi, base, count, low, high):
                                met, low, high, moment = swept_meet(
                                    slabs, s, tips, ways, axes, turns, motion, steps[motion], u, v, direction,
                                    lo[base] if kind == CUT else -np.inf, hi[base + count - 1] if kind == CUT else np.inf,
                                )  # fmt: skip
                            else:
                                met = False
                        length = length_met(lo, hi, base, count, low, high) if met else 0.0
                        if length <= 0.0:
                            continue
                        if kind != CUT:
                            _note(
                                direction, slabs, s, cut_begin, cut_end, (flags[motion] >> TEST_CUT) & 1 == 0, tips, ways, axes,
                                motion, u, v, low, high, moment, lo, hi, base, count, met_stock, result, entry, kind,
                            )  # fmt: skip
                            continue
                        new = subtract(lo, hi, tag_lo, tag_hi, base, capacity, count, low, high, tags[motion])
                        if new < 0:
                            if edited:
                                tile_span(tile, lo, hi, base_of[tile], capacity, ray_counts, tile_lo, tile_hi)
                            return entry
                        ray_counts[tile, ray] = new
                        spans[row, 0] = np.nan
                        if straight:
                            du, dv = (wy, wz) if direction == 0 else ((wx, wz) if direction == 1 else (wx, wy))
                            gu = u - (ty if direction == 0 else tx)
                            gv = v - (ty if direction == 2 else tz)
                            sideways = du * du + dv * dv
                            note_taken(
                                taken,
                                entry,
                                length,
                                (gu * du + gv * dv) / sideways if sideways > BESIDE * BESIDE else 0.5,
                            )
                            lost[ray] += length
                            taken[entry, 1] = max(taken[entry, 1], lost[ray])
                        else:
                            taken[entry, 0] += length
                        edited = True
    if edited:
        tile_span(tile, lo, hi, base_of[tile], capacity, ray_counts, tile_lo, tile_hi)
    return last


@njit(cache=True, parallel=True)
def cut_turned(
    direction, active, resume, tiles_u, tile_begin, entries, tips, ways, axes, turns, steps, tools, flags, tags, sets,
    convex, slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi,
    taken, met_stock, result,
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
            ray_counts, tile_lo, tile_hi, taken, met_stock, result,
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
