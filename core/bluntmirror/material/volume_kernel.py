"""How much stock there is, and whether the three ray families tell the same body.

A ray of each family runs through the middle of every cell. Along each the share of the cell that is stock is known exactly:
f_x, f_y, f_z. Where a surface crosses the cell squarely to x, f_x is the cell's true share, while f_y and f_z are 0 or 1, as
the middle lies inside or outside. So the shares that are neither 0 nor 1 tell the cell's volume, in their mean; and whether
the middle itself is stock must be the same for all three.
"""

import numpy as np

from ..compiled import njit, prange

TILE = 16
HAIR = 1e-6
CLOSE = 0.02  # mm; a middle this near to an end is not asked: grazing surfaces move ends along the ray


@njit(cache=True)
def _end_cell(a, b, c, step, share, inside, clear):
    """Lay the interval from a to b, in cells, on a cell that may hold one of its ends."""
    share[c] += max(0.0, min(b, c + 1.0) - max(a, float(c)))
    if a <= c + 0.5 <= b:
        inside[c] = True
    if abs(a - c - 0.5) * step < CLOSE or abs(b - c - 0.5) * step < CLOSE:
        clear[c] = False


@njit(cache=True)
def _spread(lo, hi, begin, end, origin, step, count, share, inside, clear):
    """Lay a ray's intervals on its cells: the share of each that is stock, whether its middle is, and whether that is far
    enough from every end to be sure of."""
    share[:count] = 0.0
    inside[:count] = False
    clear[:count] = True
    for i in range(begin, end):
        a, b = (lo[i] - origin) / step, (hi[i] - origin) / step
        first, last = max(0, int(np.floor(a))), min(count - 1, int(np.floor(b)))
        # Further from both ends a cell is full, and its middle clear of them.
        near = 2 + int(CLOSE / step)
        full, over = min(first + near, last + 1), max(last + 1 - near, first)
        for c in range(first, full):
            _end_cell(a, b, c, step, share, inside, clear)
        for c in range(full, over):
            share[c] += 1.0
            inside[c] = True
        for c in range(max(full, over), last + 1):
            _end_cell(a, b, c, step, share, inside, clear)


@njit(cache=True)
def _ray(base, capacity, counts, tiles_u, u, v):
    """Begin and end of a ray's intervals in the pool."""
    tile = (v // TILE) * tiles_u + u // TILE
    local = (v % TILE) * TILE + u % TILE
    begin = base[tile] + local * np.int64(capacity[tile])
    return begin, begin + counts[tile, local]


@njit(cache=True)
def _share(fx, fy, fz):
    """A cell's true share, from what the rays through its middle say."""
    total, known = 0.0, 0
    for f in (fx, fy, fz):
        if HAIR < f < 1.0 - HAIR:
            total += f
            known += 1
    return total / known if known > 0 else (fx + fy + fz) / 3.0


@njit(cache=True)
def _common(lo, hi, base, capacity, counts, nu, nv, tiles_u):
    """What all rays of each tile have of stock alike, from and to; nothing where one of them has other than one interval."""
    begins, ends = np.full(len(base), -np.inf), np.full(len(base), np.inf)
    for v in range(nv):
        for u in range(nu):
            tile = (v // TILE) * tiles_u + u // TILE
            begin, end = _ray(base, capacity, counts, tiles_u, u, v)
            if end - begin != 1:
                begins[tile], ends[tile] = np.inf, -np.inf
            else:
                begins[tile], ends[tile] = max(begins[tile], lo[begin]), min(ends[tile], hi[begin])
    return begins, ends


@njit(cache=True, parallel=True)
def layers(
    origin, step, counts,
    lo_x, hi_x, base_x, capacity_x, count_x, tiles_x,
    lo_y, hi_y, base_y, capacity_y, count_y, tiles_y,
    lo_z, hi_z, base_z, capacity_z, count_z, tiles_z,
):  # fmt: skip
    """Volume in cells of every layer across Y, and the cells of it whose middles the families do not agree on, (ny, 2)."""
    nx, ny, nz = counts[0], counts[1], counts[2]
    result = np.zeros((ny, 2))
    begins, ends = _common(lo_y, hi_y, base_y, capacity_y, count_y, nx, nz, tiles_y)
    for y_ in prange(ny):
        y = np.int64(y_)
        # X rays of this layer stand at (y, z), Z rays at (x, y): a whole layer of both; Y rays are read cell by cell.
        fx, ix, cx = np.zeros((nz, nx)), np.zeros((nz, nx), np.bool_), np.ones((nz, nx), np.bool_)
        fz, iz, cz = np.zeros((nx, nz)), np.zeros((nx, nz), np.bool_), np.ones((nx, nz), np.bool_)
        for z in range(nz):
            begin, end = _ray(base_x, capacity_x, count_x, tiles_x, y, z)
            _spread(lo_x, hi_x, begin, end, origin[0], step[0], nx, fx[z], ix[z], cx[z])
        for x in range(nx):
            begin, end = _ray(base_z, capacity_z, count_z, tiles_z, x, y)
            _spread(lo_z, hi_z, begin, end, origin[2], step[2], nz, fz[x], iz[x], cz[x])
        low, high = origin[1] + y * step[1], origin[1] + (y + 1) * step[1]
        middle = 0.5 * (low + high)
        volume, apart = 0.0, 0.0
        for z in range(nz):
            for first in range(0, nx, TILE):
                tile = (z // TILE) * tiles_y + first // TILE
                # Deep within what all of a tile's rays have, no Y ray needs to be read.
                full = begins[tile] < low - CLOSE and ends[tile] > high + CLOSE
                for x in range(first, min(first + TILE, nx)):
                    if full:
                        if fx[z, x] == 1.0 and fz[x, z] == 1.0 and ix[z, x] and iz[x, z]:
                            volume += 1.0
                            continue
                        fy, iy, cy = 1.0, True, True
                    else:
                        begin, end = _ray(base_y, capacity_y, count_y, tiles_y, x, z)
                        fy, iy, cy = 0.0, False, True
                        for i in range(begin, end):
                            if lo_y[i] < high and hi_y[i] > low:
                                fy += (min(hi_y[i], high) - max(lo_y[i], low)) / step[1]
                                iy = iy or lo_y[i] <= middle <= hi_y[i]
                            cy = cy and abs(lo_y[i] - middle) >= CLOSE and abs(hi_y[i] - middle) >= CLOSE
                    volume += _share(fx[z, x], fy, fz[x, z])
                    if cx[z, x] and cy and cz[x, z] and not (ix[z, x] == iy and iy == iz[x, z]):
                        apart += 1.0
        result[y, 0], result[y, 1] = volume, apart
    return result
