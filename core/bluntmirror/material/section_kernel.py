"""Turning in the plane of z and r: what has been taken off work that spins, on lines instead of rays.

Work that spins loses whole rings, so that all rays at one place along the axis lose the same radii, and all rays along the axis at one
radius the same stretch of z. One line stands for all of them:

    row      a place along the axis: intervals of r                 X and Y rays at that z
    column   a distance from the axis: intervals of z               Z rays at that radius

there    (lines, capacity, 2) and count: where there may be stock at any angle; more than there is, never less
owed     (lines, capacity, 2), tags alike and count: what has been taken since the rays were last brought up to date, each end with the
         motion that made it

A kernel that lacks room for a line says so; doing a motion twice does nothing the second time.
"""

import math

import numpy as np

from ..compiled import njit, prange
from .cut_kernel import CUT, TILE, WELD, _overlaps, subtract_between, tile_span
from .ring_kernel import TEST, across, hull_span, ring_at

HAIR_MM3 = 1e-9
DONE, FULL, MEETS = 0, 1, 2  # what `turn_lines` ends with: all done; a line lacks room; a test meets stock


@njit(cache=True, error_model="numpy")
def _join(spans, count, line, low, high):
    """Add an interval to a line's, in order and apart. Returns whether there was room."""
    n = count[line]
    begin = 0
    while begin < n and spans[line, begin, 1] < low:
        begin += 1
    end = begin
    while end < n and spans[line, end, 0] <= high:
        low, high = min(low, spans[line, end, 0]), max(high, spans[line, end, 1])
        end += 1
    if end == begin:
        if n == spans.shape[1]:
            return False
        for i in range(n, begin, -1):
            spans[line, i, 0], spans[line, i, 1] = spans[line, i - 1, 0], spans[line, i - 1, 1]
        count[line] = n + 1
    else:
        for i in range(end, n):
            spans[line, begin + 1 + i - end, 0], spans[line, begin + 1 + i - end, 1] = (
                spans[line, i, 0],
                spans[line, i, 1],
            )
        count[line] = n - (end - begin - 1)
    spans[line, begin, 0], spans[line, begin, 1] = low, high
    return True


@njit(cache=True, error_model="numpy")
def lay_rows(lo, hi, base_of, capacity_of, ray_counts, tiles_u, nu, nv, first, step, centre_u, centre_w, rows, count):
    """Add the radii at which the rays across the axis have stock to their rows. Returns whether all found room."""
    for v in range(nv):
        for u in range(nu):
            tile, ray = (v // TILE) * tiles_u + u // TILE, (v % TILE) * TILE + u % TILE
            lateral = first + u * step - centre_u
            base = base_of[tile] + ray * capacity_of[tile]
            for i in range(base, base + ray_counts[tile, ray]):
                a, b = lo[i] - centre_w, hi[i] - centre_w
                near = 0.0 if a < 0.0 < b else min(abs(a), abs(b))
                far = max(abs(a), abs(b))
                inner, outer = math.sqrt(lateral * lateral + near * near), math.sqrt(lateral * lateral + far * far)
                if not _join(rows, count, v, inner, outer):
                    return False
    return True


@njit(cache=True, error_model="numpy")
def lay_columns(lo, hi, base_of, capacity_of, ray_counts, tiles_u, nu, nv, column_of, columns, count):
    """Add where the rays along the axis have stock to their columns. Returns whether all found room."""
    for v in range(nv):
        for u in range(nu):
            tile, ray = (v // TILE) * tiles_u + u // TILE, (v % TILE) * TILE + u % TILE
            base = base_of[tile] + ray * capacity_of[tile]
            for i in range(base, base + ray_counts[tile, ray]):
                if not _join(columns, count, column_of[v * nu + u], lo[i], hi[i]):
                    return False
    return True


@njit(cache=True, error_model="numpy")
def _meets(there, count, line, low, high):
    found = False
    for i in range(count[line]):
        found = found or (high > there[line, i, 0] + WELD and low < there[line, i, 1] - WELD)
    return found


@njit(cache=True, error_model="numpy")
def _area_met(there, count, line, low, high):
    """The area of the ring between two radii, as far as a row may have stock there; mm²."""
    area = 0.0
    for i in range(count[line]):
        a, b = max(low, there[line, i, 0]), min(high, there[line, i, 1])
        if b > a:
            area += math.pi * (b * b - a * a)
    return area


@njit(cache=True, error_model="numpy")
def _take(there, count, owed, tags, owed_count, line, low, high, tag, owing):
    """Take an interval off a line. Returns whether there was room; the line is as it was where there was not."""
    if count[line] == there.shape[1] or owed_count[line] == owed.shape[1]:
        return False
    n, kept = count[line], 0
    for i in range(n):
        a, b = there[line, i, 0], there[line, i, 1]
        if b <= low or a >= high:
            there[line, kept, 0], there[line, kept, 1] = a, b
            kept += 1
            continue
        if a < low - WELD and b > high + WELD:  # the only one met: those behind move on by one
            for j in range(n, i + 1, -1):
                there[line, j, 0], there[line, j, 1] = there[line, j - 1, 0], there[line, j - 1, 1]
            there[line, i, 0], there[line, i, 1] = a, low
            there[line, i + 1, 0], there[line, i + 1, 1] = high, b
            kept = n + 1
            break
        if a < low - WELD:
            there[line, kept, 0], there[line, kept, 1] = a, low
            kept += 1
        elif b > high + WELD:
            there[line, kept, 0], there[line, kept, 1] = high, b
            kept += 1
    count[line] = kept
    if not owing:
        return True
    # An end that lies in what was taken before keeps the motion that took that.
    n, begin = owed_count[line], 0
    while begin < n and owed[line, begin, 1] < low:
        begin += 1
    end, tag_low, tag_high = begin, tag, tag
    while end < n and owed[line, end, 0] <= high:
        if owed[line, end, 0] <= low:
            low, tag_low = owed[line, end, 0], tags[line, end, 0]
        if owed[line, end, 1] >= high:
            high, tag_high = owed[line, end, 1], tags[line, end, 1]
        end += 1
    move = begin + 1 - end
    if move > 0:
        for i in range(n - 1, end - 1, -1):
            for side in range(2):
                owed[line, i + move, side], tags[line, i + move, side] = owed[line, i, side], tags[line, i, side]
    elif move < 0:
        for i in range(end, n):
            for side in range(2):
                owed[line, i + move, side], tags[line, i + move, side] = owed[line, i, side], tags[line, i, side]
    owed_count[line] = n + move
    owed[line, begin, 0], owed[line, begin, 1] = low, high
    tags[line, begin, 0], tags[line, begin, 1] = tag_low, tag_high
    return True


@njit(cache=True, error_model="numpy")
def turn_lines(
    first, last, places, ways, tools, flags, tags_of, outlines, outline_begin, extents, z_first, z_step, radii,
    rows, row_count, owed_rows, row_tags, owed_row_count, columns, column_count, owed_columns, column_tags, owed_column_count,
    owing, asking, taken,
):  # fmt: skip
    """Carry out the motions first … last on the lines. Returns (how it ended, the motion it ended at).

    places, ways (n, 2): z and r of the tip at the start, and their change; radii (columns,) rising; `owing`: what is taken is owed to
    the rays; `asking`: tests are asked, and end it where they meet stock; taken (n, 3) gets what each took off, mm³, or, where only a column tells, a
    hair more than nothing, and over how much of z and of r."""
    span = np.empty(2)
    lines = rows.shape[0]
    for motion in range(first, last):
        tool = tools[motion]
        begin, end = outline_begin[tool], outline_begin[tool + 1]
        z, r, dz, dr = places[motion, 0], places[motion, 1], ways[motion, 0], ways[motion, 1]
        z_low, z_high = min(z, z + dz) + extents[tool, 0], max(z, z + dz) + extents[tool, 1]
        r_low, r_high = min(r, r + dr) + extents[tool, 2], max(r, r + dr) + extents[tool, 3]
        reach = max(abs(r_low), abs(r_high))
        hole = r_low if r_low > 0.0 else (-r_high if r_high < 0.0 else 0.0)
        tests, cuts = asking and (flags[motion] >> TEST) & 1 == 1, (flags[motion] >> CUT) & 1 == 1
        v0 = max(0, int(np.ceil((z_low - z_first) / z_step)))
        v1 = min(lines, int(np.floor((z_high - z_first) / z_step)) + 1)
        c0, c1 = np.searchsorted(radii, hole), np.searchsorted(radii, reach, side="right")
        z_first_cut, z_last_cut, r_first_cut, r_last_cut = 1e30, -1e30, 1e30, -1e30
        for asked in range(2):  # a test asks all lines before any is cut
            if not (tests if asked == 0 else cuts):
                continue
            for v in range(v0, v1):
                if row_count[v] == 0 or not ring_at(outlines, begin, end, z, r, dz, dr, z_first + v * z_step, span):
                    continue
                if not _meets(rows, row_count, v, span[0], span[1]):
                    continue
                if asked == 0:
                    return MEETS, motion
                area = _area_met(rows, row_count, v, span[0], span[1])
                if not _take(
                    rows, row_count, owed_rows, row_tags, owed_row_count, v, span[0], span[1], tags_of[motion], owing
                ):
                    return FULL, motion
                taken[motion, 0] += area * z_step
                z_first_cut, z_last_cut = min(z_first_cut, z_first + v * z_step), max(z_last_cut, z_first + v * z_step)
                taken[motion, 1] = max(taken[motion, 1], z_last_cut - z_first_cut + z_step)
            for c in range(c0, c1):
                if column_count[c] == 0:
                    continue
                if columns[c, 0, 0] >= z_high or columns[c, column_count[c] - 1, 1] <= z_low:
                    continue
                for side in range(2):
                    level = radii[c] if side == 0 else -radii[c]
                    if level < r_low or level > r_high:
                        continue
                    if not hull_span(outlines, begin, end, z, r, dz, dr, level, True, span):
                        continue
                    if not _meets(columns, column_count, c, span[0], span[1]):
                        continue
                    if asked == 0:
                        return MEETS, motion
                    if not _take(
                        columns, column_count, owed_columns, column_tags, owed_column_count, c, span[0], span[1],
                        tags_of[motion], owing,
                    ):  # fmt: skip
                        return FULL, motion
                    taken[motion, 0] = max(taken[motion, 0], HAIR_MM3)
                    r_first_cut, r_last_cut = min(r_first_cut, radii[c]), max(r_last_cut, radii[c])
                    taken[motion, 2] = max(taken[motion, 2], r_last_cut - r_first_cut)
    return DONE, last


@njit(cache=True, error_model="numpy")
def _settle_tile(
    direction, tile, tiles_u, nu, nv, first, step, centre_u, centre_w, column_of, owed, tags, owed_count, lo, hi, tag_lo, tag_hi,
    base_of, capacity, ray_counts, tile_lo, tile_hi,
):  # fmt: skip
    """Take off a tile's rays what their lines owe. Returns whether all of them had room."""
    out = np.empty((3, 2))
    edited, whole = False, True
    for iv in range((tile // tiles_u) * TILE, min((tile // tiles_u) * TILE + TILE, nv)):
        for iu in range((tile % tiles_u) * TILE, min((tile % tiles_u) * TILE + TILE, nu)):
            line = column_of[iv * nu + iu] if direction == 2 else iv
            ray = (iv % TILE) * TILE + iu % TILE
            count = ray_counts[tile, ray]
            if owed_count[line] == 0 or count == 0:
                continue
            base = base_of[tile] + ray * capacity
            for k in range(owed_count[line]):
                low, high, tag_low, tag_high = owed[line, k, 0], owed[line, k, 1], tags[line, k, 0], tags[line, k, 1]
                found = 1
                if direction == 2:
                    out[0, 0], out[0, 1] = low, high
                else:
                    found = across(low, high, first + iu * step - centre_u, out)
                for part in range(found):
                    a, b = out[part, 0] + centre_w, out[part, 1] + centre_w
                    if not _overlaps(lo, hi, base, count, a, b):
                        continue
                    # Across the axis the far ends are the ring's outside, both of them where the ray passes within its inside.
                    tag_a = tag_low if direction == 2 or part == 1 else tag_high
                    tag_b = tag_low if direction != 2 and part == 0 and found == 2 else tag_high
                    new = subtract_between(lo, hi, tag_lo, tag_hi, base, capacity, count, a, b, tag_a, tag_b)
                    if new < 0:
                        whole = False
                        break
                    count, edited = new, True
                if not whole:
                    break
            ray_counts[tile, ray] = count
            if not whole:
                break
        if not whole:
            break
    if edited:
        tile_span(tile, lo, hi, base_of[tile], capacity, ray_counts, tile_lo, tile_hi)
    return whole


@njit(cache=True, parallel=True)
def settle(
    direction, active, whole, tiles_u, nu, nv, first, step, centre_u, centre_w, column_of, owed, tags, owed_count, lo, hi, tag_lo, tag_hi,
    base_of, capacity_of, ray_counts, tile_lo, tile_hi,
):  # fmt: skip
    """Bring the rays of the active tiles up to date; `whole` (active,) gets whether each had room for it: if not, again once it has."""
    for k in prange(len(active)):
        tile = np.int64(active[k])
        whole[k] = _settle_tile(
            direction, tile, tiles_u, nu, nv, first, step, centre_u, centre_w, column_of, owed, tags, owed_count, lo, hi, tag_lo,
            tag_hi, base_of, capacity_of[tile], ray_counts, tile_lo, tile_hi,
        )  # fmt: skip
