"""What is missing from the design and what stands beyond it, ray by ray: differences of intervals.

    missing   in the design and in the blank, but cut away          (design ∩ blank) \\ stock
    beyond    still stock, but outside the design                   stock \\ design

A stretch is told by places to be measured later: its ends where they are ends of the stock, and its middle. Each place
(ray, w, bound) carries the tag of the motion that made the end of stock nearest to it on the ray, −1 where no motion did;
`bound` is the way along the ray to the design (of `lacking`: to the blank), beyond which no distance measured there can go.
Design and blank come as `first` and `count` of every ray's intervals.
"""

import numpy as np

from ..compiled import njit


@njit(cache=True)
def _note(places, tags, at, fill, ray, w, tag, low, high):
    if fill:
        places[at, 0] = ray
        places[at, 1] = w
        places[at, 2] = min(w - low, high - w)
        tags[at] = tag
    return at + 1


@njit(cache=True)
def missing(
    lo, hi, tag_lo, tag_hi, slot, count, design_lo, design_hi, design_first, design_count, blank_lo, blank_hi, blank_first,
    blank_count, least, fill, places, tags,
):  # fmt: skip
    """Places (n, 3) in stretches of the design longer than `least` that were cut away. Returns n."""
    n = 0
    for ray in range(len(count)):
        base, stock = slot[ray], count[ray]
        for d in range(design_first[ray], design_first[ray] + design_count[ray]):
            for b in range(blank_first[ray], blank_first[ray] + blank_count[ray]):
                p = max(design_lo[d], blank_lo[b])
                q = min(design_hi[d], blank_hi[b])
                if q - p <= least:
                    continue
                # The gaps between the stock's intervals, one before each and one after the last.
                for k in range(stock + 1):
                    gap_lo = hi[base + k - 1] if k > 0 else -np.inf
                    gap_hi = lo[base + k] if k < stock else np.inf
                    g0, g1 = max(p, gap_lo), min(q, gap_hi)
                    if g1 - g0 <= least:
                        continue
                    below = tag_hi[base + k - 1] if k > 0 else -1
                    above = tag_lo[base + k] if k < stock else -1
                    if gap_lo >= p:
                        n = _note(places, tags, n, fill, ray, g0, below, design_lo[d], design_hi[d])
                    if gap_hi <= q:
                        n = _note(places, tags, n, fill, ray, g1, above, design_lo[d], design_hi[d])
                    # An end of stock beyond the design was not made by what cut this stretch.
                    tag = below if gap_lo >= p else above if gap_hi <= q else -1
                    n = _note(places, tags, n, fill, ray, 0.5 * (g0 + g1), tag, design_lo[d], design_hi[d])
    return n


@njit(cache=True)
def beyond(
    lo, hi, tag_lo, tag_hi, slot, count, design_lo, design_hi, design_first, design_count, least, fill, places, tags,
):  # fmt: skip
    """Places in stretches of stock longer than `least` outside the design. Returns their number."""
    n = 0
    for ray in range(len(count)):
        base, first, designs = slot[ray], design_first[ray], design_count[ray]
        for k in range(count[ray]):
            a, b = lo[base + k], hi[base + k]
            for d in range(designs + 1):
                gap_lo = design_hi[first + d - 1] if d > 0 else -np.inf
                gap_hi = design_lo[first + d] if d < designs else np.inf
                g0, g1 = max(a, gap_lo), min(b, gap_hi)
                if g1 - g0 <= least:
                    continue
                if gap_lo <= a:
                    n = _note(places, tags, n, fill, ray, g0, tag_lo[base + k], gap_lo, gap_hi)
                if gap_hi >= b:
                    n = _note(places, tags, n, fill, ray, g1, tag_hi[base + k], gap_lo, gap_hi)
                middle = 0.5 * (g0 + g1)
                tag = tag_lo[base + k] if middle - a < b - middle else tag_hi[base + k]
                n = _note(places, tags, n, fill, ray, middle, tag, gap_lo, gap_hi)
    return n


@njit(cache=True)
def untouched(
    lo,
    hi,
    tag_lo,
    tag_hi,
    slot,
    count,
    design_lo,
    design_hi,
    design_first,
    design_count,
    face_lo,
    face_hi,
    steep,
    least,
    cell,
    area,
):
    """Add to area (faces,) how much of every face of the design stands under stock that nothing has cut, thicker than `least`. A ray that
    ends on a face tells of as much of it as its cell is times how squarely it meets it: over the three families that makes the face.

    face_lo, face_hi: the design's faces at either end of its intervals; steep (faces,): the share of their normals along the ray."""
    for ray in range(len(count)):
        for d in range(design_first[ray], design_first[ray] + design_count[ray]):
            for k in range(slot[ray], slot[ray] + count[ray]):
                if lo[k] <= design_hi[d] < hi[k] and tag_hi[k] == -1:
                    share = steep[face_hi[d]]
                    beyond = hi[k] if d + 1 == design_first[ray] + design_count[ray] else min(hi[k], design_lo[d + 1])
                    if (beyond - design_hi[d]) * share > least:
                        area[face_hi[d]] += cell * share
                if lo[k] < design_lo[d] <= hi[k] and tag_lo[k] == -1:
                    share = steep[face_lo[d]]
                    beyond = lo[k] if d == design_first[ray] else max(lo[k], design_hi[d - 1])
                    if (design_lo[d] - beyond) * share > least:
                        area[face_lo[d]] += cell * share


@njit(cache=True)
def join(parent, a, b):
    """Union by path halving."""
    while parent[a] != a:
        parent[a] = parent[parent[a]]
        a = parent[a]
    while parent[b] != b:
        parent[b] = parent[parent[b]]
        b = parent[b]
    if a != b:
        parent[max(a, b)] = min(a, b)


@njit(cache=True)
def join_neighbours(parent, first, lo, hi, slot, count, number, nu, nv):
    """Join intervals of neighbouring rays of one family that overlap. `number[ray]`: the first interval's number."""
    for v in range(nv):
        for u in range(nu):
            ray = v * nu + u
            for other in (ray + 1 if u + 1 < nu else -1, ray + nu if v + 1 < nv else -1):
                if other < 0:
                    continue
                i, j = 0, 0
                while i < count[ray] and j < count[other]:
                    a, b = slot[ray] + i, slot[other] + j
                    if min(hi[a], hi[b]) > max(lo[a], lo[b]):
                        join(parent, first + number[ray] + i, first + number[other] + j)
                    if hi[a] < hi[b]:
                        i += 1
                    else:
                        j += 1


@njit(cache=True)
def join_crossing(
    parent, first_z, lo_z, hi_z, slot_z, count_z, number_z, nx, ny, first, lo, hi, slot, count, number, lateral, origin,
    step, counts,
):  # fmt: skip
    """Join each Z interval with the X (lateral 0) or Y (lateral 1) interval that crosses it at its middle node."""
    for y in range(ny):
        for x in range(nx):
            ray = y * nx + x
            for k in range(count_z[ray]):
                middle = 0.5 * (lo_z[slot_z[ray] + k] + hi_z[slot_z[ray] + k])
                z = int(np.floor((middle - origin[2]) / step[2]))
                height = origin[2] + (z + 0.5) * step[2]
                if z < 0 or z >= counts[2] or height < lo_z[slot_z[ray] + k] or height > hi_z[slot_z[ray] + k]:
                    continue
                along = origin[lateral] + ((x if lateral == 0 else y) + 0.5) * step[lateral]
                other = z * ny + y if lateral == 0 else z * nx + x
                for j in range(count[other]):
                    if lo[slot[other] + j] <= along <= hi[slot[other] + j]:
                        join(parent, first_z + number_z[ray] + k, first + number[other] + j)


@njit(cache=True)
def flatten(parent):
    for i in range(len(parent)):
        root = i
        while parent[root] != root:
            root = parent[root]
        parent[i] = root


@njit(cache=True)
def lacking(lo, hi, first, count, of_lo, of_hi, of_first, of_count, least, fill, places, tags):
    """Places in stretches of a design (lo … count) longer than `least` that a blank (of_lo … of_count) does not have: both
    ends and the middle. Returns their number."""
    n = 0
    for ray in range(len(count)):
        begin, blanks = of_first[ray], of_count[ray]
        for d in range(first[ray], first[ray] + count[ray]):
            for b in range(blanks + 1):
                gap_lo = of_hi[begin + b - 1] if b > 0 else -np.inf
                gap_hi = of_lo[begin + b] if b < blanks else np.inf
                g0, g1 = max(lo[d], gap_lo), min(hi[d], gap_hi)
                if g1 - g0 > least:
                    for w in (g0, 0.5 * (g0 + g1), g1):
                        n = _note(places, tags, n, fill, ray, w, -1, gap_lo, gap_hi)
    return n


@njit(cache=True)
def overlap(lo, hi, slot, count, other_lo, other_hi, other_first, other_count):
    """How far another solid's intervals reach into the stock's on the same rays.

    Returns (met, shift up, shift down, ray, w): the shifts along the ray that would part the two, and a place of
    contact on the ray where the longer of the overlaps is.
    """
    up, down, where, place, longest = 0.0, 0.0, -1, 0.0, 0.0
    for ray in range(len(count)):
        for j in range(other_first[ray], other_first[ray] + other_count[ray]):
            for k in range(slot[ray], slot[ray] + count[ray]):
                a, b = max(lo[k], other_lo[j]), min(hi[k], other_hi[j])
                if b - a <= 1e-4:
                    continue
                up = max(up, hi[k] - other_lo[j])
                down = max(down, other_hi[j] - lo[k])
                if b - a > longest:
                    longest, where, place = b - a, ray, 0.5 * (a + b)
    return where >= 0, up, down, where, place
