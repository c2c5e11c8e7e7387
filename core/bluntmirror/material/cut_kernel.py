"""Cutting the rays of tiles by the sweeps of many motions, and testing in the same pass what must not touch stock.

Tiles are independent, so that they are shared out between threads; within a tile the motions come in their order. The
result is bit-identical for any number of threads, since no ray belongs to two tiles and nothing is summed across them.

The kernels that go through tiles in parallel (here, `turning_kernel`, `ring_kernel`) take their arrays one by one: what is
assigned through a record within a parallel loop is lost without a word (Numba 0.68), and they do little else.

    entry     one motion on one tile; its results stand in arrays of their own: taken (entries, 4), the length of all rays that it took off
              and the longest stretch of one of them, mm, and the least and the greatest share of its way at which it passed one
              that it cut (of a tool upright in the grid, on rays along it); and whether a test met stock: only if it did does
              `result` (entries, SETS, FIELDS) hold what the tests tell of it
    set       a group of slabs with one purpose: CUT removes stock; the test sets only ask
"""

import math

import numpy as np

from ..compiled import njit, prange
from ..tools.slabs import ARC, H0, H1, HC, KIND, R0, R1, RC, RO
from .moment_kernel import met_at_that_moment
from .sweep_kernel import across, along, meet, radius_below

TILE = 16
WELD = 1e-4  # mm; intervals shorter than this are float noise, not stock

CUT, TEST_CUT, TEST_SHANK, TEST_HOLDER, TEST_FLUSH, TEST_NEAR, TEST_CORE, SETS = 0, 1, 2, 3, 4, 5, 6, 7
# What a test reports: exit shift towards + and towards −, the way of the tip at first touch (to tell earlier from later),
# and the place.
SHIFT_PLUS, SHIFT_MINUS, FIRST, PLACE_U, PLACE_V, PLACE_W, FIELDS = 0, 1, 2, 3, 4, 5, 6


ASKED = SETS  # bits from here on: which sets were asked for, whether they come near or not
# Extents of a set about the tool's axis: its largest radius, its lowest and its highest place.
RADIUS, LOW, HIGH = 0, 1, 2


@njit(cache=True, error_model="numpy")
def set_box(extents, tool, kind, x0, y0, z0, dx, dy, dz, box):
    """Fill `box` (6,) with the lowest and highest x, y, z of a set's sweep; extents (tools, SETS, 3)."""
    radius = extents[tool, kind, RADIUS]
    box[0], box[3] = min(x0, x0 + dx) - radius, max(x0, x0 + dx) + radius
    box[1], box[4] = min(y0, y0 + dy) - radius, max(y0, y0 + dy) + radius
    box[2] = min(z0, z0 + dz) + extents[tool, kind, LOW]
    box[5] = max(z0, z0 + dz) + extents[tool, kind, HIGH]


@njit(cache=True, error_model="numpy")
def bin_motions(
    direction, starts, deltas, tools, flags, sets, extents, origin, step, counts, tiles_u, tile_lo, tile_hi
):
    """Which tiles each motion may reach: CSR (tile_begin, entries) with the motions of each tile in order, and which sets
    of each motion come near enough to count (n,), bits as in `flags`, and which were asked for, from bit ASKED on.

    A set counts only where it comes into the box that the stock still fills: a holder that stays above it costs nothing.
    """
    n = len(starts)
    axis_u = 1 if direction == 0 else 0
    axis_v = 1 if direction == 2 else 2
    tiles_v = (counts[axis_v] + TILE - 1) // TILE
    total = tiles_u * tiles_v
    along_lo, along_hi = np.inf, -np.inf
    first_u, last_u, first_v, last_v = tiles_u, -1, tiles_v, -1
    for tile in range(total):
        if tile_lo[tile] <= tile_hi[tile]:
            along_lo, along_hi = min(along_lo, tile_lo[tile]), max(along_hi, tile_hi[tile])
            first_u, last_u = min(first_u, tile % tiles_u), max(last_u, tile % tiles_u)
            first_v, last_v = min(first_v, tile // tiles_u), max(last_v, tile // tiles_u)
    size = np.zeros(total + 1, np.int64)
    ranges = np.empty((n, 4), np.int64)
    near = np.zeros(n, np.int64)
    box = np.empty(6)
    for i in range(n):
        r0, r1, r2, r3 = last_u + 1, first_u - 1, last_v + 1, first_v - 1
        tool = tools[i]
        near[i] = flags[i] << ASKED
        for kind in range(SETS):
            if sets[tool, kind, 0] == sets[tool, kind, 1] or not (flags[i] >> kind) & 1:
                continue
            set_box(
                extents,
                tool,
                kind,
                starts[i, 0],
                starts[i, 1],
                starts[i, 2],
                deltas[i, 0],
                deltas[i, 1],
                deltas[i, 2],
                box,
            )
            if box[direction] > along_hi or box[direction + 3] < along_lo:
                continue
            u0 = max(first_u * TILE, int(np.ceil((box[axis_u] - origin[axis_u]) / step[axis_u] - 0.5)))
            u1 = min((last_u + 1) * TILE - 1, int(np.floor((box[axis_u + 3] - origin[axis_u]) / step[axis_u] - 0.5)))
            v0 = max(first_v * TILE, int(np.ceil((box[axis_v] - origin[axis_v]) / step[axis_v] - 0.5)))
            v1 = min((last_v + 1) * TILE - 1, int(np.floor((box[axis_v + 3] - origin[axis_v]) / step[axis_v] - 0.5)))
            if u0 > u1 or v0 > v1:
                continue
            near[i] |= 1 << kind
            r0, r1 = min(r0, u0 // TILE), max(r1, u1 // TILE)
            r2, r3 = min(r2, v0 // TILE), max(r3, v1 // TILE)
        ranges[i, 0], ranges[i, 1], ranges[i, 2], ranges[i, 3] = r0, r1, r2, r3
        for v in range(r2, r3 + 1):
            for u in range(r0, r1 + 1):
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
    return tile_begin, entries, near


@njit(cache=True, error_model="numpy", forceinline=True)
def part(lo, hi, tag_lo, tag_hi, at, last, a, b, tag_a, tag_b):
    """Part the interval at a place of a ray's, which end at `last`, in two: [a, b] is taken out of its midst."""
    for j in range(last, at + 1, -1):
        lo[j], hi[j], tag_lo[j], tag_hi[j] = lo[j - 1], hi[j - 1], tag_lo[j - 1], tag_hi[j - 1]
    lo[at + 1], hi[at + 1], tag_lo[at + 1], tag_hi[at + 1] = b, hi[at], tag_b, tag_hi[at]
    hi[at], tag_hi[at] = a, tag_a


@njit(cache=True, error_model="numpy")
def subtract_between(lo, hi, tag_lo, tag_hi, base, capacity, count, a, b, tag_a, tag_b):
    """`subtract` where different motions made the two ends."""
    # Intervals are apart, and in order: [a, b] parts one in two at most, and what begins beyond b is not met.
    fits = True
    if count == capacity:
        for i in range(base, base + count):
            if a > lo[i] + WELD and b < hi[i] - WELD:
                fits = False
    at = base
    last = base + count
    while fits and at < last and lo[at] < b:
        high = hi[at]
        if a >= high:
            at += 1
            continue
        keep_low = a > lo[at] + WELD
        keep_high = b < high - WELD
        if keep_low and keep_high:
            part(lo, hi, tag_lo, tag_hi, at, last, a, b, tag_a, tag_b)
            last += 1
            break  # nothing else is met
        if keep_low:
            hi[at], tag_hi[at] = a, tag_a
            at += 1
        elif keep_high:
            lo[at], tag_lo[at] = b, tag_b
            at += 1
        else:
            for j in range(at, last - 1):
                lo[j], hi[j], tag_lo[j], tag_hi[j] = lo[j + 1], hi[j + 1], tag_lo[j + 1], tag_hi[j + 1]
            last -= 1
    return last - base if fits else -1


@njit(cache=True, error_model="numpy")
def subtract(lo, hi, tag_lo, tag_hi, base, capacity, count, a, b, tag):
    """Take [a, b] out of a ray's intervals. Returns the new count, −1 when the capacity is too small (ray untouched)."""
    return subtract_between(lo, hi, tag_lo, tag_hi, base, capacity, count, a, b, tag, tag)


@njit(cache=True, error_model="numpy", forceinline=True)
def _axis_place(direction, u, v, w):
    """(x, y, z) of a place w along a ray (u, v)."""
    if direction == 0:
        return w, u, v
    if direction == 1:
        return u, w, v
    return u, v, w


@njit(cache=True, error_model="numpy")
def note_met(met_stock, result, entry):
    """Note that a test of an entry met stock. What it is told holds nothing before: most entries never meet any."""
    if not met_stock[entry]:
        met_stock[entry] = True
        for kind in range(result.shape[1]):
            for field in range(result.shape[2]):
                result[entry, kind, field] = 0.0


@njit(cache=True, error_model="numpy")
def note_shift(result, entry, kind, up, down):
    """Note the ways out along a ray; returns whether something had been noted before."""
    known = result[entry, kind, SHIFT_PLUS] > 0.0
    result[entry, kind, SHIFT_PLUS] = max(result[entry, kind, SHIFT_PLUS], up)
    result[entry, kind, SHIFT_MINUS] = max(result[entry, kind, SHIFT_MINUS], down)
    return known


@njit(cache=True, error_model="numpy")
def note_first(result, entry, kind, known, way, x, y, z):
    """Note a place of contact when it is touched before what was noted so far."""
    if not known or way < result[entry, kind, FIRST]:
        result[entry, kind, FIRST] = way
        result[entry, kind, PLACE_U], result[entry, kind, PLACE_V], result[entry, kind, PLACE_W] = x, y, z


@njit(cache=True, error_model="numpy")
def _test(
    direction, slabs, begin, end, cut_begin, cut_end, flush, x0, y0, z0, dx, dy, dz, length, u, v, lo, hi, base, count,
    met_stock, result, entry, kind,
):  # fmt: skip
    """Ask whether any slab of a set sweeps through stock on this ray; note how bad and where it is touched first.

    cut_begin, cut_end: the slabs of the cutting part, for sets that come behind it (none: cut_begin = cut_end). What only
    stands where those have cut before it in this very motion is no contact; with `flush` it is noted as a cut deeper than the
    flutes are long.
    """
    across_way = math.sqrt(dx * dx + dy * dy)
    span = np.empty(2)
    qx, qy, qz = _axis_place(direction, u, v, 0.0)
    ux, uy, uz = _axis_place(direction, 0.0, 0.0, 1.0)
    for s in range(begin, end):
        radius = max(slabs[s, R0], slabs[s, R1])
        met, a, b = meet(direction, slabs, s, x0, y0, z0, dx, dy, dz, u, v)
        if not met:
            continue
        for i in range(base, base + count):
            if b <= lo[i] + WELD or a >= hi[i] - WELD:
                continue
            low, high, from_, to = max(a, lo[i]), min(b, hi[i]), a, b
            if cut_begin < cut_end and length > 0.0:
                if not met_at_that_moment(
                    slabs, s, cut_begin, cut_end, qx - x0, qy - y0, qz - z0, ux, uy, uz, dx, dy, dz, low, high, span
                ):
                    if flush:
                        note_met(met_stock, result, entry)
                        known = note_shift(result, entry, TEST_FLUSH, hi[i] - a, b - lo[i])
                        x, y, z = _axis_place(direction, u, v, 0.5 * (low + high))
                        note_first(result, entry, TEST_FLUSH, known, 0.0, x, y, z)
                    continue
                from_ = a if span[0] == low else span[0]  # a body that goes on beyond the stock has to go all the way
                to = b if span[1] == high else span[1]
                low, high = span[0], span[1]
            note_met(met_stock, result, entry)
            known = note_shift(result, entry, kind, hi[i] - from_, to - lo[i])
            for end_of in range(2):
                w = low if end_of == 0 else high
                x, y, z = _axis_place(direction, u, v, w)
                # How far the tip has come when the front of the slab reaches the place, as if it were upright there.
                way = 0.0
                if across_way > 0.0:
                    ahead = ((x - x0) * dx + (y - y0) * dy) / across_way
                    aside2 = (x - x0) * (x - x0) + (y - y0) * (y - y0) - ahead * ahead
                    way = ahead - math.sqrt(max(radius * radius - aside2, 0.0))
                elif length > 0.0:
                    way = (z - z0) * dz / length
                note_first(result, entry, kind, known, way, x, y, z)
                known = True


@njit(cache=True, error_model="numpy", forceinline=True)
def _overlaps(lo, hi, base, count, a, b):
    """Whether [a, b] takes something out of a ray's intervals."""
    found = False
    for i in range(base, base + count):
        found = found or (b > lo[i] + WELD and a < hi[i] - WELD)
    return found


@njit(cache=True, error_model="numpy", forceinline=True)
def length_met(lo, hi, base, count, a, b):
    """The length of what [a, b] takes out of a ray's intervals; 0 where that is nothing but float noise."""
    length = 0.0
    for i in range(base, base + count):
        if b > lo[i] + WELD and a < hi[i] - WELD:
            length += min(b, hi[i]) - max(a, lo[i])
    return length


@njit(cache=True, error_model="numpy")
def note_taken(taken, entry, length, share):
    """Note that a ray lost a length at a share of the motion's way."""
    taken[entry, 0] += length
    taken[entry, 1] = max(taken[entry, 1], length)
    taken[entry, 2] = min(taken[entry, 2], max(share, 0.0))
    taken[entry, 3] = max(taken[entry, 3], min(share, 1.0))


@njit(cache=True, error_model="numpy")
def _cut_along(
    slabs, begin, end, radius, high_end, x0, y0, z0, dx, dy, dz, first_x, step_x, first_y, step_y, u0, u1, v0, v1,
    lo, hi, tag_lo, tag_hi, base, capacity, counts, tops, tag, bound, taken, entry,
):  # fmt: skip
    """Cut a convex cutter's sweep out of a tile's Z rays. Returns whether a ray lacked room; `taken` gets what came off.

    u0 … v1 count from the tile's first ray, which stands at (first_x, first_y). Most rays under a cutter have been cut as
    deep before. A bound tells so, worked out for a row at a time without a branch: the lowest height of the tip's way,
    and how high the cutter's first slab is at the ray's distance from that way. tops (256,): the upper end of every ray.
    """
    per_way = 1.0 / (dx * dx + dy * dy) if dx != 0.0 or dy != 0.0 else 0.0
    lowest = min(z0, z0 + dz)
    arc = slabs[begin, KIND] == ARC
    h0, r0, r1 = slabs[begin, H0], slabs[begin, R0], slabs[begin, R1]
    hc, ro, rc2 = slabs[begin, HC], slabs[begin, RO], slabs[begin, RC] * slabs[begin, RC]
    rise = (slabs[begin, H1] - h0) / (r1 - r0) if r1 > r0 else 0.0
    radius2 = radius * radius
    # With nothing but a shaft above its first slab, a tool that keeps its height or its place leaves just that bound.
    exact = dz == 0.0 or (dx == 0.0 and dy == 0.0)
    for s in range(begin + 1, end):
        exact = exact and slabs[s, R1] <= slabs[begin, R1]
    top = max(z0, z0 + dz) + high_end
    for v in range(v0, v1):
        y = first_y + v * step_y - y0
        for u in range(u0, u1):
            x = first_x + u * step_x - x0
            t = min(max((x * dx + y * dy) * per_way, 0.0), 1.0)
            ex, ey = x - t * dx, y - t * dy
            d2 = ex * ex + ey * ey
            d = min(math.sqrt(d2), r1)
            if arc:
                out = max(d - ro, 0.0)
                least = lowest + hc - math.sqrt(max(rc2 - out * out, 0.0))
            else:
                least = lowest + h0 + max(d - r0, 0.0) * rise
            bound[u] = least if d2 <= radius2 else 1e30
        for u in range(u0, u1):
            ray = v * TILE + u
            if bound[u] >= tops[ray] - WELD:
                continue
            at = base + ray * capacity
            count = counts[ray]
            x, y_at = first_x + u * step_x, first_y + v * step_y
            low, high = 1e30, -1e30
            if exact:
                low, high = bound[u], top
                last = at + count - 1
                # From above, as most often: no more than its upper end is lowered.
                if low > lo[last] + WELD and high >= hi[last] - WELD:
                    note_taken(taken, entry, min(high, hi[last]) - low, ((x - x0) * dx + (y_at - y0) * dy) * per_way)
                    hi[last], tag_hi[last] = low, tag
                    tops[ray] = hi[last]
                    continue
            else:
                for s in range(begin, end):
                    if s > begin and slabs[s, R1] <= slabs[s - 1, R1]:
                        high += slabs[s, H1] - slabs[s - 1, H1]  # a cylinder above: no deeper, only taller
                        continue
                    met, a, b = along(slabs, s, x0, y0, z0, dx, dy, dz, x, y_at)
                    if met:
                        low, high = min(low, a), max(high, b)
            length = length_met(lo, hi, at, count, low, high) if low < high else 0.0
            if length <= 0.0:
                continue
            count = subtract(lo, hi, tag_lo, tag_hi, at, capacity, count, low, high, tag)
            if count < 0:
                return True
            counts[ray] = count
            note_taken(taken, entry, length, ((x - x0) * dx + (y_at - y0) * dy) * per_way)
            tops[ray] = hi[at + count - 1] if count > 0 else -1e30
    return False


@njit(cache=True, error_model="numpy")
def _cut_across(
    slabs, begin, end, w0, l0, z0, dw, dl, dz, first_u, step_u, first_z, step_z, u0, u1, v0, v1,
    lo, hi, tag_lo, tag_hi, base, capacity, counts, tag, taken, entry,
):  # fmt: skip
    """The same for X or Y rays: w runs along the ray, l is the other lateral axis. The bound is the box of the widest
    part of the cutter at the row's height, narrowed by the ray's distance from the way."""
    w_min, w_max = min(w0, w0 + dw), max(w0, w0 + dw)
    l_min, l_max = min(l0, l0 + dl), max(l0, l0 + dl)
    lowest = min(z0, z0 + dz)
    keeps = dw == 0.0 and dl == 0.0
    for v in range(v0, v1):
        z = first_z + v * step_z
        widest = radius_below(slabs, begin, end, z - lowest)
        for u in range(u0, u1):
            ray = v * TILE + u
            count = counts[ray]
            l = first_u + u * step_u
            off = max(l_min - l, l - l_max, 0.0)
            if count == 0 or off >= widest:
                continue
            at = base + ray * capacity
            half = math.sqrt(widest * widest - off * off)
            a, b = w_min - half, w_max + half
            last = at + count - 1
            met_at = at  # the first that ends beyond a, or the last; if that begins beyond b so do all that follow
            while met_at < last and a >= hi[met_at] - WELD:
                met_at += 1
            if a >= hi[met_at] - WELD or b <= lo[met_at] + WELD:
                continue
            low, high = a, b  # a tool that keeps its place takes just that
            keep_low, keep_high = a > lo[met_at] + WELD, b < hi[met_at] - WELD
            if keeps and keep_low and keep_high and count < capacity:
                part(lo, hi, tag_lo, tag_hi, met_at, last + 1, a, b, tag, tag)
                counts[ray] = count + 1
                note_taken(taken, entry, b - a, 0.5)
                continue
            if keeps and keep_low and not keep_high and (met_at == last or b < hi[met_at + 1] - WELD):
                # A gap that is there already grows wider: the end before it, and the beginning behind it if that is met.
                length = min(b, hi[met_at]) - a
                hi[met_at], tag_hi[met_at] = a, tag
                if met_at < last and b > lo[met_at + 1] + WELD:
                    length += b - lo[met_at + 1]
                if met_at < last and b > lo[met_at + 1]:
                    lo[met_at + 1], tag_lo[met_at + 1] = b, tag
                note_taken(taken, entry, length, 0.5)
                continue
            if not keeps:
                low, high = 1e30, -1e30
                for s in range(begin, end):
                    met, a, b = across(slabs, s, w0, l0, z0, dw, dl, dz, l, z)
                    if met:
                        low, high = min(low, a), max(high, b)
            length = length_met(lo, hi, at, count, low, high) if low < high else 0.0
            if length <= 0.0:
                continue
            count = subtract(lo, hi, tag_lo, tag_hi, at, capacity, count, low, high, tag)
            if count < 0:
                return True
            counts[ray] = count
            note_taken(taken, entry, length, 0.5)
    return False


@njit(cache=True, error_model="numpy")
def tile_span(tile, lo, hi, base, capacity, ray_counts, tile_lo, tile_hi):
    """Note how far along its rays the stock of a tile still reaches."""
    low, high = 1e30, -1e30
    for ray in range(TILE * TILE):
        count = ray_counts[tile, ray]
        if count > 0:
            low = min(low, lo[base + ray * capacity])
            high = max(high, hi[base + ray * capacity + count - 1])
    tile_lo[tile] = low
    tile_hi[tile] = high


@njit(cache=True, error_model="numpy")
def _cut_tile(
    direction, tile, tiles_u, first, last, entries, starts, deltas, lengths, tools, flags, tags, sets, extents, convex, slabs,
    origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi, taken, met_stock,
    result,
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
    bound = np.empty(TILE)
    tile_counts = ray_counts[tile]
    tops = np.empty(TILE * TILE)
    for ray in range(TILE * TILE):
        tops[ray] = hi[base_of[tile] + ray * capacity + tile_counts[ray] - 1] if tile_counts[ray] > 0 else -1e30
    # A tool that goes up and down in one place covers each time what it has covered there: only what it has not is cut.
    there, there_x, there_y, there_low, there_high, there_asked = -1, 0.0, 0.0, 0.0, 0.0, 0
    for entry in range(first, last):
        motion = entries[entry]
        x0, y0, z0 = starts[motion, 0], starts[motion, 1], starts[motion, 2]
        dx, dy, dz = deltas[motion, 0], deltas[motion, 1], deltas[motion, 2]
        tool = tools[motion]
        asked = (flags[motion] >> ASKED) | (1 << TEST_CUT)  # what was cut there can meet no cutter
        low, high, deeper = min(z0, z0 + dz), max(z0, z0 + dz), False
        # Where the tip has not been before: what it sweeps from there is all that can meet stock.
        new_low, new_high = low, high
        cut_z, cut_dz = z0, dz
        upright = dx == 0.0 and dy == 0.0
        again = upright and tool == there and x0 == there_x and y0 == there_y and asked & ~there_asked == 0
        if again and low <= there_high and high >= there_low:
            if low >= there_low and high <= there_high:
                continue
            if dz < 0.0 and high <= there_high:
                deeper = True
                cut_z, cut_dz = there_low, low - there_low
            if low >= there_low:
                new_low = there_high
            elif high <= there_high:
                new_high = there_low
            low, high = min(low, there_low), max(high, there_high)
            asked = there_asked
        for kind in range(SETS - 1, -1, -1):  # tests first: they ask about the stock before this motion's own cut
            begin, end = sets[tool, kind, 0], sets[tool, kind, 1]
            if begin == end or not (flags[motion] >> kind) & 1:
                continue
            behind = kind in (TEST_SHANK, TEST_HOLDER, TEST_NEAR)
            cut_begin, cut_end = (sets[tool, CUT, 0], sets[tool, CUT, 1]) if behind else (0, 0)
            if kind == CUT:  # the last of all: what is asked is asked of the whole motion
                z0, dz = cut_z, cut_dz
            set_box(extents, tool, kind, x0, y0, new_low, dx, dy, new_high - new_low, box)
            if deeper and kind == CUT and convex[tool]:
                # Above where it is widest it takes nothing more than it has.
                for s in range(begin, end):
                    if slabs[s, R1] >= extents[tool, kind, RADIUS]:
                        box[5] = z0 + (slabs[s, H0] if slabs[s, R0] >= slabs[s, R1] else slabs[s, H1])
                        break
            if box[direction] > tile_hi[tile] or box[direction + 3] < tile_lo[tile]:
                continue
            u0 = max(tile_u0, int(np.ceil((box[axis_u] - origin[axis_u]) / step[axis_u] - 0.5)))
            u1 = min(tile_u1, int(np.floor((box[axis_u + 3] - origin[axis_u]) / step[axis_u] - 0.5)) + 1)
            v0 = max(tile_v0, int(np.ceil((box[axis_v] - origin[axis_v]) / step[axis_v] - 0.5)))
            v1 = min(tile_v1, int(np.floor((box[axis_v + 3] - origin[axis_v]) / step[axis_v] - 0.5)) + 1)
            if kind == CUT and convex[tool]:
                first_u = origin[axis_u] + (tile_u0 + 0.5) * step[axis_u]
                first_v = origin[axis_v] + (tile_v0 + 0.5) * step[axis_v]
                if direction == 2:
                    full = _cut_along(
                        slabs, begin, end, extents[tool, kind, RADIUS], extents[tool, kind, HIGH], x0, y0, z0, dx, dy, dz,
                        first_u, step[0], first_v, step[1], u0 - tile_u0, u1 - tile_u0, v0 - tile_v0, v1 - tile_v0,
                        lo, hi, tag_lo, tag_hi, base_of[tile], capacity, tile_counts, tops, tags[motion], bound, taken, entry,
                    )  # fmt: skip
                else:
                    w0, l0, dw, dl = (x0, y0, dx, dy) if direction == 0 else (y0, x0, dy, dx)
                    full = _cut_across(
                        slabs, begin, end, w0, l0, z0, dw, dl, dz, first_u, step[axis_u], first_v, step[2],
                        u0 - tile_u0, u1 - tile_u0, v0 - tile_v0, v1 - tile_v0, lo, hi, tag_lo, tag_hi, base_of[tile],
                        capacity, tile_counts, tags[motion], taken, entry,
                    )  # fmt: skip
                edited = edited or taken[entry, 0] > 0.0
                if full:
                    stopped = entry
                    break
                continue
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
                        _test(direction, slabs, begin, end, cut_begin, cut_end, (flags[motion] >> TEST_CUT) & 1 == 0, x0, y0, z0,
                              dx, dy, dz, lengths[motion], u, v, lo, hi, base, count, met_stock, result, entry, kind)  # fmt: skip
                        continue
                    for s in range(begin, end):
                        met, low, high = meet(direction, slabs, s, x0, y0, z0, dx, dy, dz, u, v)
                        length = length_met(lo, hi, base, count, low, high) if met else 0.0
                        if length <= 0.0:
                            continue
                        new = subtract(lo, hi, tag_lo, tag_hi, base, capacity, count, low, high, tags[motion])
                        if new < 0:
                            stopped = entry
                            break
                        count = new
                        share = 0.5
                        if direction == 2 and (dx != 0.0 or dy != 0.0):
                            share = ((u - x0) * dx + (v - y0) * dy) / (dx * dx + dy * dy)
                        note_taken(taken, entry, length, share)
                        edited = True
                    tile_counts[ray] = count
                    tops[ray] = hi[base + count - 1] if count > 0 else -1e30
                    if stopped < last:
                        break
                if stopped < last:
                    break
            if stopped < last:
                break
        if stopped < last:
            break
        # What met stock once meets it again: only what was free of it is known to be.
        there = tool if upright and not met_stock[entry] else -1
        there_x, there_y, there_low, there_high, there_asked = x0, y0, low, high, asked
    if edited:
        tile_span(tile, lo, hi, base_of[tile], capacity, ray_counts, tile_lo, tile_hi)
    return stopped


@njit(cache=True, parallel=True)
def cut(
    direction, active, resume, tiles_u, tile_begin, entries, starts, deltas, lengths, tools, flags, tags, sets, extents,
    convex, slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts, tile_lo, tile_hi,
    taken, met_stock, result,
):  # fmt: skip
    """Carry out every entry of the active tiles; `resume` holds, and gets, the entry each tile goes on from."""
    for k in prange(len(active)):
        tile = np.int64(active[k])
        resume[k] = _cut_tile(
            direction, tile, tiles_u, resume[k], tile_begin[tile + 1], entries, starts, deltas, lengths, tools, flags,
            tags, sets, extents, convex, slabs, origin, step, counts, lo, hi, tag_lo, tag_hi, base_of, capacity_of, ray_counts,
            tile_lo, tile_hi, taken, met_stock, result,
        )  # fmt: skip
