"""Turning: rings taken out of the rays, or asked about, while the work spins about the grid's Z through a centre.

An insert is a convex outline in the plane of z and r; over a straight motion it sweeps the hull of its outline at both
ends. What spins against it loses every point whose z and r lie in that hull:

    ray along Z, at distance r from the axis      the hull's stretch of z at r, and at −r where the insert is past the axis
    ray along X (or Y), at z, y from the axis      x² + y² = r² for the hull's stretch of r at z: two intervals, or one
"""

import math

import numpy as np

from ..compiled import njit, prange
from .cut_kernel import (
    CUT,
    FIRST,
    PLACE_U,
    PLACE_V,
    PLACE_W,
    SHIFT_MINUS,
    SHIFT_PLUS,
    TILE,
    WELD,
    _axis_place,
    length_met,
    note_met,
    note_taken,
    subtract,
    tile_span,
)

TEST = 1  # the set that only asks: see cut_kernel.TEST_CUT


@njit(cache=True, error_model="numpy")
def _edge(z0, r0, z1, r1, level, along_r, span):
    """Widen `span` (2,) by where the edge from (z0, r0) to (z1, r1) crosses a level of r (or of z)."""
    a0, a1, b0, b1 = (r0, r1, z0, z1) if along_r else (z0, z1, r0, r1)
    if (a0 < level and a1 < level) or (a0 > level and a1 > level):
        return
    if a0 == a1:
        span[0] = min(span[0], b0, b1)
        span[1] = max(span[1], b0, b1)
        return
    b = b0 + (b1 - b0) * (level - a0) / (a1 - a0)
    span[0] = min(span[0], b)
    span[1] = max(span[1], b)


@njit(cache=True, error_model="numpy")
def hull_span(outline, first, last, z, r, dz, dr, level, along_r, span):
    """Where a level of r (`along_r`) or of z crosses the hull of an outline at (z, r) and at (z + dz, r + dr).

    The sides of that hull are edges of the two outlines and ways of corners; all others lie within. Returns whether it does.
    """
    span[0], span[1] = np.inf, -np.inf
    for i in range(first, last):
        j = i + 1 if i + 1 < last else first
        zi, ri, zj, rj = z + outline[i, 0], r + outline[i, 1], z + outline[j, 0], r + outline[j, 1]
        _edge(zi, ri, zj, rj, level, along_r, span)
        _edge(zi + dz, ri + dr, zj + dz, rj + dr, level, along_r, span)
        _edge(zi, ri, zi + dz, ri + dr, level, along_r, span)
    return span[0] < span[1]


@njit(cache=True, error_model="numpy")
def ring_intervals(direction, outline, first, last, z, r, dz, dr, u, v, span, out):
    """Intervals (out (2, 2) of out (3, 2)) that the ring takes of a ray whose lateral places u, v count from the spindle's
    axis (z as it is), and in out[2, 0], for rays across the axis, the ring's inner radius. Returns how many."""
    if direction == 2:
        radius = math.sqrt(u * u + v * v)
        count = 0
        for side in range(2):
            if hull_span(outline, first, last, z, r, dz, dr, radius if side == 0 else -radius, True, span):
                if count == 1 and span[0] <= out[0, 1] and span[1] >= out[0, 0]:
                    out[0, 0], out[0, 1] = min(out[0, 0], span[0]), max(out[0, 1], span[1])
                else:
                    out[count, 0], out[count, 1] = span[0], span[1]
                    count += 1
        return count
    # u is the other lateral place, v the ray's z.
    if not ring_at(outline, first, last, z, r, dz, dr, v, span):
        return 0
    return across(span[0], span[1], u, out)


@njit(cache=True, error_model="numpy")
def ring_at(outline, first, last, z, r, dz, dr, level, span):
    """The inner and outer radius (span (2,)) of the ring at a place along the axis. Returns whether there is one."""
    if not hull_span(outline, first, last, z, r, dz, dr, level, False, span):
        return False
    inner, outer = span[0], span[1]
    if inner < 0.0:
        span[0], span[1] = (0.0, max(outer, -inner)) if outer > 0.0 else (-outer, -inner)
    return True


@njit(cache=True, error_model="numpy")
def across(inner, outer, u, out):
    """The intervals of `ring_intervals` on a ray that passes the axis at a distance u, of a ring between two radii."""
    out[2, 0] = inner
    if outer <= abs(u):
        return 0
    far = math.sqrt(outer * outer - u * u)
    if inner <= abs(u):
        out[0, 0], out[0, 1] = -far, far
        return 1
    near = math.sqrt(inner * inner - u * u)
    out[0, 0], out[0, 1] = -far, -near
    out[1, 0], out[1, 1] = near, far
    return 2


@njit(cache=True, error_model="numpy")
def bin_rings(direction, places, ways, extents, tools, centre, origin, step, counts, tiles_u, tile_lo, tile_hi):
    """Which tiles each motion's ring may reach; as `cut_kernel.bin_motions`. places, ways (n, 2): z, r and their change;
    extents (tools, 4): least and greatest z and r of each outline."""
    n = len(places)
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    total = len(tile_lo)
    tiles_v = total // tiles_u
    size = np.zeros(total + 1, np.int64)
    ranges = np.empty((n, 4), np.int64)
    for i in range(n):
        e = extents[tools[i]]
        z_lo = min(places[i, 0], places[i, 0] + ways[i, 0]) + e[0]
        z_hi = max(places[i, 0], places[i, 0] + ways[i, 0]) + e[1]
        r_lo = min(places[i, 1], places[i, 1] + ways[i, 1]) + e[2]
        r_hi = max(places[i, 1], places[i, 1] + ways[i, 1]) + e[3]
        reach = max(abs(r_lo), abs(r_hi))
        u_lo, u_hi = centre[axis_u] - reach, centre[axis_u] + reach
        if direction == 2:
            v_lo, v_hi = centre[1] - reach, centre[1] + reach
        else:
            v_lo, v_hi = z_lo, z_hi
        u0 = max(0, int(np.ceil((u_lo - origin[axis_u]) / step[axis_u] - 0.5)))
        u1 = min(counts[axis_u] - 1, int(np.floor((u_hi - origin[axis_u]) / step[axis_u] - 0.5)))
        v0 = max(0, int(np.ceil((v_lo - origin[axis_v]) / step[axis_v] - 0.5)))
        v1 = min(counts[axis_v] - 1, int(np.floor((v_hi - origin[axis_v]) / step[axis_v] - 0.5)))
        if u0 > u1 or v0 > v1:
            ranges[i, 0], ranges[i, 1], ranges[i, 2], ranges[i, 3] = 0, -1, 0, -1
            continue
        ranges[i, 0], ranges[i, 1] = u0 // TILE, u1 // TILE
        ranges[i, 2], ranges[i, 3] = v0 // TILE, min(v1 // TILE, tiles_v - 1)
        for v in range(ranges[i, 2], ranges[i, 3] + 1):
            for u in range(ranges[i, 0], ranges[i, 1] + 1):
                if tile_lo[v * tiles_u + u] <= tile_hi[v * tiles_u + u]:
                    size[v * tiles_u + u + 1] += 1
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
    return tile_begin, entries


@njit(cache=True, error_model="numpy")
def _ask(direction, u, v, low, high, lo, hi, base, count, lateral, centre_w, inner, moment, met_stock, result, entry):
    """Note how deep a ring stands in stock: along the axis either way, or away from it — then as a difference of radii."""
    for i in range(base, base + count):
        if high <= lo[i] + WELD or low >= hi[i] - WELD:
            continue
        note_met(met_stock, result, entry)
        known = result[entry, TEST, SHIFT_PLUS] > 0.0
        plus, minus = hi[i] - low, high - lo[i]
        if direction != 2:
            across = max(abs(lo[i] - centre_w), abs(hi[i] - centre_w))
            plus = minus = math.sqrt(lateral * lateral + across * across) - inner
        result[entry, TEST, SHIFT_PLUS] = max(result[entry, TEST, SHIFT_PLUS], plus)
        result[entry, TEST, SHIFT_MINUS] = max(result[entry, TEST, SHIFT_MINUS], minus)
        if not known or moment < result[entry, TEST, FIRST]:
            x, y, z = _axis_place(direction, u, v, 0.5 * (max(low, lo[i]) + min(high, hi[i])))
            result[entry, TEST, FIRST] = moment
            result[entry, TEST, PLACE_U] = x
            result[entry, TEST, PLACE_V] = y
            result[entry, TEST, PLACE_W] = z


@njit(cache=True, error_model="numpy")
def _cut_tile(
    direction, tile, tiles_u, first, last, entries, places, ways, tools, flags, tags, outlines, outline_begin, extents, centre,
    origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi, taken, met_stock, result,
):  # fmt: skip
    """Carry out the entries first … last on one tile. Returns the entry to resume at (`last` when all are done)."""
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    tile_u0 = (tile % tiles_u) * TILE
    tile_v0 = (tile // tiles_u) * TILE
    capacity = capacity_of[tile]
    span, ring, out = np.empty(2), np.empty(2), np.empty((3, 2))
    centre_w = centre[direction] if direction != 2 else 0.0
    edited = False
    for entry in range(first, last):
        motion = entries[entry]
        tool = tools[motion]
        begin, end = outline_begin[tool], outline_begin[tool + 1]
        z, r, dz, dr = places[motion, 0], places[motion, 1], ways[motion, 0], ways[motion, 1]
        z_lo, z_hi = min(z, z + dz) + extents[tool, 0], max(z, z + dz) + extents[tool, 1]
        r_lo, r_hi = min(r, r + dr) + extents[tool, 2], max(r, r + dr) + extents[tool, 3]
        reach = max(abs(r_lo), abs(r_hi))
        hole = r_lo if r_lo > 0.0 else (-r_hi if r_hi < 0.0 else 0.0)
        if direction == 2 and (z_hi <= tile_lo[tile] or z_lo >= tile_hi[tile]):
            continue
        for iv in range(tile_v0, min(tile_v0 + TILE, counts[axis_v])):
            v = origin[axis_v] + (iv + 0.5) * step[axis_v]
            # Rays across the axis at one place along it meet the same ring.
            if direction != 2 and (v < z_lo or v > z_hi or not ring_at(outlines, begin, end, z, r, dz, dr, v, ring)):
                continue
            for iu in range(tile_u0, min(tile_u0 + TILE, counts[axis_u])):
                ray = (iv - tile_v0) * TILE + iu - tile_u0
                count = ray_counts[tile, ray]
                if count == 0:
                    continue
                base = base_of[tile] + ray * capacity
                u = origin[axis_u] + (iu + 0.5) * step[axis_u]
                lateral = u - centre[axis_u]
                other = v - centre[1] if direction == 2 else v
                if direction == 2:
                    away = math.sqrt(lateral * lateral + other * other)
                    if away > reach or away < hole or lo[base] >= z_hi or hi[base + count - 1] <= z_lo:
                        continue
                    found = ring_intervals(direction, outlines, begin, end, z, r, dz, dr, lateral, other, span, out)
                else:
                    if abs(lateral) >= ring[1]:
                        continue
                    widest = max(abs(lo[base] - centre_w), abs(hi[base + count - 1] - centre_w))
                    if lateral * lateral + widest * widest <= ring[0] * ring[0]:
                        continue  # all that stands on this ray lies within the ring
                    found = across(ring[0], ring[1], lateral, out)
                for k in range(found):
                    low, high = out[k, 0] + centre_w, out[k, 1] + centre_w
                    length = length_met(lo, hi, base, count, low, high)
                    if length <= 0.0:
                        continue
                    if (flags[motion] >> TEST) & 1:
                        _ask(
                            direction, u, v, low, high, lo, hi, base, count, lateral, centre_w, out[2, 0], float(motion),
                            met_stock, result, entry,
                        )  # fmt: skip
                    if (flags[motion] >> CUT) & 1:
                        new = subtract(lo, hi, tag_lo, tag_hi, base, capacity, count, low, high, tags[motion])
                        if new < 0:
                            ray_counts[tile, ray] = count  # what was taken off this ray before stays taken
                            return entry
                        count = new
                        note_taken(taken, entry, length, 0.5)
                        edited = True
                ray_counts[tile, ray] = count
    if edited:
        tile_span(tile, lo, hi, base_of[tile], capacity, ray_counts, tile_lo, tile_hi)
    return last


@njit(cache=True, parallel=True)
def cut_rings(
    direction, active, resume, tiles_u, tile_begin, entries, places, ways, tools, flags, tags, outlines, outline_begin, extents, centre,
    origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi, taken, met_stock,
    result,
):  # fmt: skip
    """Carry out every entry of the active tiles; `resume` holds, and gets, the entry each tile goes on from.

    places, ways (n, 2): z and r of the tip at the start of each motion, and their change; outlines (v, 2): z, r from the
    tip; centre (3,): a point of the spindle's axis.
    """
    for k in prange(len(active)):
        tile = np.int64(active[k])
        resume[k] = _cut_tile(
            direction, tile, tiles_u, resume[k], tile_begin[tile + 1], entries, places, ways, tools, flags, tags, outlines,
            outline_begin, extents, centre, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo,
            tile_hi, taken, met_stock, result,
        )  # fmt: skip
