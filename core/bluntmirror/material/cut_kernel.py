"""Cutting the rays of tiles by the sweeps of many motions, and testing in the same pass what must not touch stock.

Tiles are independent, so that they are shared out between threads; within a tile the motions come in their order. The
result is bit-identical for any number of threads, since no ray belongs to two tiles and nothing is summed across them.

    entry     one motion on one tile; its results (was stock removed, did a test meet stock) stand in arrays of their own
    set       a group of slabs with one purpose: CUT removes stock; the test sets only ask
"""

import numpy as np
from numba import njit, prange

from ..tools.assembly import H0, H1, R0, R1
from .sweep_kernel import meet

TILE = 16
WELD = 1e-4  # mm; intervals shorter than this are float noise, not stock

CUT, TEST_CUT, TEST_SHANK, TEST_HOLDER, TEST_FLUSH, TEST_NEAR, SETS = 0, 1, 2, 3, 4, 5, 6
# What a test reports: exit shift towards + and towards −, way along the motion at first touch, and the place.
SHIFT_PLUS, SHIFT_MINUS, FIRST, PLACE_U, PLACE_V, PLACE_W, FIELDS = 0, 1, 2, 3, 4, 5, 6


@njit(cache=True)
def set_box(slabs, begin, end, x0, y0, z0, dx, dy, dz, box):
    """Fill `box` (6,) with the lowest and highest x, y, z of a set's sweep."""
    radius = 0.0
    low = slabs[begin, H0]
    high = slabs[begin, H1]
    for i in range(begin, end):
        radius = max(radius, slabs[i, R0], slabs[i, R1])
        low = min(low, slabs[i, H0])
        high = max(high, slabs[i, H1])
    box[0], box[3] = min(x0, x0 + dx) - radius, max(x0, x0 + dx) + radius
    box[1], box[4] = min(y0, y0 + dy) - radius, max(y0, y0 + dy) + radius
    box[2], box[5] = min(z0, z0 + dz) + low, max(z0, z0 + dz) + high


@njit(cache=True)
def bin_motions(direction, starts, deltas, tools, sets, slabs, origin, step, counts, tiles_u, along_lo, along_hi):
    """Which tiles each motion may reach: CSR (tile_begin, entries) with the motions of each tile in order."""
    n = len(starts)
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    tiles_v = (counts[axis_v] + TILE - 1) // TILE
    total = tiles_u * tiles_v
    size = np.zeros(total + 1, np.int64)
    ranges = np.empty((n, 4), np.int64)
    box, part = np.empty(6), np.empty(6)
    for i in range(n):
        box[:3] = 1e30
        box[3:] = -1e30
        for s in range(SETS):
            begin, end = sets[tools[i], s, 0], sets[tools[i], s, 1]
            if end > begin:
                x0, y0, z0 = starts[i, 0], starts[i, 1], starts[i, 2]
                set_box(slabs, begin, end, x0, y0, z0, deltas[i, 0], deltas[i, 1], deltas[i, 2], part)
                for a in range(3):
                    box[a] = min(box[a], part[a])
                    box[a + 3] = max(box[a + 3], part[a + 3])
        ranges[i, 0] = 0
        ranges[i, 1] = -1
        ranges[i, 2] = 0
        ranges[i, 3] = -1
        if box[direction] > along_hi or box[direction + 3] < along_lo:
            continue
        u0 = max(0, int(np.floor((box[axis_u] - origin[axis_u]) / step[axis_u] - 0.5)))
        u1 = min(counts[axis_u] - 1, int(np.ceil((box[axis_u + 3] - origin[axis_u]) / step[axis_u] - 0.5)))
        v0 = max(0, int(np.floor((box[axis_v] - origin[axis_v]) / step[axis_v] - 0.5)))
        v1 = min(counts[axis_v] - 1, int(np.ceil((box[axis_v + 3] - origin[axis_v]) / step[axis_v] - 0.5)))
        if u0 > u1 or v0 > v1:
            continue
        ranges[i, 0], ranges[i, 1] = u0 // TILE, u1 // TILE
        ranges[i, 2], ranges[i, 3] = v0 // TILE, v1 // TILE
        for v in range(ranges[i, 2], ranges[i, 3] + 1):
            for u in range(ranges[i, 0], ranges[i, 1] + 1):
                size[v * tiles_u + u + 1] += 1
    tile_begin = np.cumsum(size)
    fill = tile_begin[:-1].copy()
    entries = np.empty(tile_begin[-1], np.int32)
    for i in range(n):
        for v in range(ranges[i, 2], ranges[i, 3] + 1):
            for u in range(ranges[i, 0], ranges[i, 1] + 1):
                tile = v * tiles_u + u
                entries[fill[tile]] = i
                fill[tile] += 1
    return tile_begin, entries


@njit(cache=True)
def subtract(lo, hi, tag_lo, tag_hi, base, capacity, count, a, b, tag):
    """Take [a, b] out of a ray's intervals. Returns the new count, −1 when the capacity is too small (ray untouched)."""
    needed = count
    for i in range(base, base + count):
        if a > lo[i] + WELD and b < hi[i] - WELD:
            needed += 1
    if needed > capacity:
        return -1
    at = base
    last = base + count
    while at < last:
        low, high = lo[at], hi[at]
        if b <= low or a >= high:
            at += 1
            continue
        keep_low = a > low + WELD
        keep_high = b < high - WELD
        if keep_low and keep_high:
            for j in range(last, at + 1, -1):
                lo[j], hi[j], tag_lo[j], tag_hi[j] = lo[j - 1], hi[j - 1], tag_lo[j - 1], tag_hi[j - 1]
            last += 1
            lo[at + 1], hi[at + 1], tag_lo[at + 1], tag_hi[at + 1] = b, high, tag, tag_hi[at]
            hi[at], tag_hi[at] = a, tag
            break  # intervals are apart: nothing else is met
        if keep_low:
            hi[at], tag_hi[at] = a, tag
            at += 1
        elif keep_high:
            lo[at], tag_lo[at] = b, tag
            at += 1
        else:
            for j in range(at, last - 1):
                lo[j], hi[j], tag_lo[j], tag_hi[j] = lo[j + 1], hi[j + 1], tag_lo[j + 1], tag_hi[j + 1]
            last -= 1
    return last - base


@njit(cache=True)
def _axis_place(direction, u, v, w):
    """(x, y, z) of a place w along a ray (u, v)."""
    if direction == 0:
        return w, u, v
    if direction == 1:
        return u, w, v
    return u, v, w


@njit(cache=True)
def _test(
    direction, slabs, begin, end, x0, y0, z0, dx, dy, dz, length, u, v, lo, hi, base, count, result, entry, kind,
):  # fmt: skip
    """Ask whether any slab of a set sweeps through stock on this ray; note how bad and where."""
    for s in range(begin, end):
        met, a, b = meet(direction, slabs, s, x0, y0, z0, dx, dy, dz, u, v)
        if not met:
            continue
        for i in range(base, base + count):
            if b <= lo[i] + WELD or a >= hi[i] - WELD:
                continue
            result[entry, kind, SHIFT_PLUS] = max(result[entry, kind, SHIFT_PLUS], hi[i] - a)
            result[entry, kind, SHIFT_MINUS] = max(result[entry, kind, SHIFT_MINUS], b - lo[i])
            for end_of in range(2):
                w = max(a, lo[i]) if end_of == 0 else min(b, hi[i])
                x, y, z = _axis_place(direction, u, v, w)
                way = 0.0
                if length > 0.0:
                    way = ((x - x0) * dx + (y - y0) * dy + (z - z0) * dz) / length
                if way < result[entry, kind, FIRST]:
                    result[entry, kind, FIRST] = way
                    result[entry, kind, PLACE_U] = x
                    result[entry, kind, PLACE_V] = y
                    result[entry, kind, PLACE_W] = z


@njit(cache=True)
def _cut_tile(
    direction, tile, tiles_u, first, last, entries, starts, deltas, lengths, tools, flags, tags, sets, convex, slabs,
    origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi, removed, result,
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
    stopped = last
    box = np.empty(6)
    for entry in range(first, last):
        motion = entries[entry]
        x0, y0, z0 = starts[motion, 0], starts[motion, 1], starts[motion, 2]
        dx, dy, dz = deltas[motion, 0], deltas[motion, 1], deltas[motion, 2]
        tool = tools[motion]
        for kind in range(SETS - 1, -1, -1):  # tests first: they ask about the stock before this motion's own cut
            begin, end = sets[tool, kind, 0], sets[tool, kind, 1]
            if begin == end or not (flags[motion] >> kind) & 1:
                continue
            set_box(slabs, begin, end, x0, y0, z0, dx, dy, dz, box)
            if box[direction] > tile_hi[tile] or box[direction + 3] < tile_lo[tile]:
                continue
            u0 = max(tile_u0, int(np.ceil((box[axis_u] - origin[axis_u]) / step[axis_u] - 0.5)))
            u1 = min(tile_u1, int(np.floor((box[axis_u + 3] - origin[axis_u]) / step[axis_u] - 0.5)) + 1)
            v0 = max(tile_v0, int(np.ceil((box[axis_v] - origin[axis_v]) / step[axis_v] - 0.5)))
            v1 = min(tile_v1, int(np.floor((box[axis_v + 3] - origin[axis_v]) / step[axis_v] - 0.5)) + 1)
            for iv in range(v0, v1):
                v = origin[axis_v] + (iv + 0.5) * step[axis_v]
                for iu in range(u0, u1):
                    ray = (iv - tile_v0) * TILE + iu - tile_u0
                    count = ray_counts[tile, ray]
                    if count == 0:
                        continue
                    base = base_of[tile] + ray * capacity
                    if box[direction] >= hi[base + count - 1] or box[direction + 3] <= lo[base]:
                        continue
                    u = origin[axis_u] + (iu + 0.5) * step[axis_u]
                    if kind != CUT:
                        _test(direction, slabs, begin, end, x0, y0, z0, dx, dy, dz, lengths[motion], u, v, lo, hi, base, count,
                              result, entry, kind)  # fmt: skip
                        continue
                    low, high = 1e30, -1e30
                    for s in range(begin, end):
                        met, a, b = meet(direction, slabs, s, x0, y0, z0, dx, dy, dz, u, v)
                        if not met:
                            continue
                        if convex[tool]:
                            low, high = min(low, a), max(high, b)
                            continue
                        new = _take(lo, hi, tag_lo, tag_hi, base, capacity, count, a, b, tags[motion], removed, entry)
                        if new < 0:
                            stopped = entry
                            break
                        count = new
                        edited = True
                    if convex[tool] and low < high:
                        new = _take(
                            lo, hi, tag_lo, tag_hi, base, capacity, count, low, high, tags[motion], removed, entry
                        )
                        if new < 0:
                            stopped = entry
                        else:
                            edited = edited or removed[entry]
                            count = new
                    if stopped < last:
                        break
                    ray_counts[tile, ray] = count
                if stopped < last:
                    break
            if stopped < last:
                break
        if stopped < last:
            break
    if edited:
        low, high = 1e30, -1e30
        for ray in range(TILE * TILE):
            count = ray_counts[tile, ray]
            if count > 0:
                base = base_of[tile] + ray * capacity
                low = min(low, lo[base])
                high = max(high, hi[base + count - 1])
        tile_lo[tile] = low
        tile_hi[tile] = high
    return stopped


@njit(cache=True)
def _take(lo, hi, tag_lo, tag_hi, base, capacity, count, a, b, tag, removed, entry):
    """Subtract, and note when stock was really there."""
    touched = False
    for i in range(base, base + count):
        if b > lo[i] + WELD and a < hi[i] - WELD:
            touched = True
            break
    if not touched:
        return count
    new = subtract(lo, hi, tag_lo, tag_hi, base, capacity, count, a, b, tag)
    if new >= 0:
        removed[entry] = True
    return new


@njit(cache=True, parallel=True)
def cut(
    direction, active, resume, tiles_u, tile_begin, entries, starts, deltas, lengths, tools, flags, tags, sets, convex,
    slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi,
    removed, result,
):  # fmt: skip
    """Carry out every entry of the active tiles; `resume` holds, and gets, the entry each tile goes on from."""
    for k in prange(len(active)):
        tile = np.int64(active[k])
        resume[k] = _cut_tile(
            direction, tile, tiles_u, resume[k], tile_begin[tile + 1], entries, starts, deltas, lengths, tools, flags,
            tags, sets, convex, slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts,
            tile_lo, tile_hi, removed, result,
        )  # fmt: skip
