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
MIXED, FULL, EMPTY = 0, 1, 2
CLOSE = 0.02  # mm; a middle this near to an end is not asked: grazing surfaces move ends along the ray


@njit(cache=True)
def _spread(lo, hi, begin, end, origin, step, from_, count, share, inside, clear):
    """Lay a ray's intervals on `count` of its cells, of which the first is `from_`: the share of each that is stock, whether its middle is, and
    whether that is far enough from every end to be sure of."""
    share[:count] = 0.0
    inside[:count] = False
    clear[:count] = True
    near = 2 + int(CLOSE / step)
    for i in range(begin, end):
        a, b = (lo[i] - origin) / step, (hi[i] - origin) / step
        first, last = int(np.floor(a)), int(np.floor(b))
        for c in range(max(from_, first), min(from_ + count, last + 1)):
            at = c - from_
            if (
                c >= first + near and c <= last - near
            ):  # so far from both ends a cell is full, and its middle clear of them
                share[at] += 1.0
                inside[at] = True
                continue
            share[at] += max(0.0, min(b, c + 1.0) - max(a, float(c)))
            if a <= c + 0.5 <= b:
                inside[at] = True
            if abs(a - c - 0.5) * step < CLOSE or abs(b - c - 0.5) * step < CLOSE:
                clear[at] = False


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


@njit(cache=True, parallel=True)
def _blocks(lo, hi, base, capacity, counts, nu, nv, tiles_u, origin, step, n):
    """What every block of TILE cells along a tile's rays is, (tiles, blocks): FULL where all of the tile's rays have stock all through it,
    and EMPTY where none has; MIXED else. What ends at the block's own end is CLOSE to no middle, but of a very fine grid."""
    blocks = (n + TILE - 1) // TILE
    beyond = -HAIR * step if 0.5 * step > CLOSE else CLOSE
    kinds = np.zeros((len(base), blocks), np.uint8)
    for tile_ in prange(len(base)):
        tile = np.int64(tile_)
        u0, v0 = (tile % tiles_u) * TILE, (tile // tiles_u) * TILE
        covered, touched = np.zeros(blocks, np.int64), np.zeros(blocks, np.bool_)
        rays = 0
        for v in range(v0, min(v0 + TILE, nv)):
            for u in range(u0, min(u0 + TILE, nu)):
                rays += 1
                begin, end = _ray(base, capacity, counts, tiles_u, u, v)
                for i in range(begin, end):
                    first = max(0, int(np.floor((lo[i] - beyond - origin) / step / TILE)))
                    last = min(blocks - 1, int(np.floor((hi[i] + beyond - origin) / step / TILE)))
                    for block in range(first, last + 1):
                        touched[block] = True
                        low, high = origin + block * TILE * step, origin + min((block + 1) * TILE, n) * step
                        if lo[i] <= low - beyond and hi[i] >= high + beyond:
                            covered[block] += 1
        for block in range(blocks):
            if covered[block] == rays:
                kinds[tile, block] = FULL
            elif not touched[block]:
                kinds[tile, block] = EMPTY
    return kinds


@njit(cache=True, parallel=True)
def layers(
    origin, step, counts,
    lo_x, hi_x, base_x, capacity_x, count_x, tiles_x,
    lo_y, hi_y, base_y, capacity_y, count_y, tiles_y,
    lo_z, hi_z, base_z, capacity_z, count_z, tiles_z,
):  # fmt: skip
    """Volume in cells of every layer across Y, and the cells of it whose middles the families do not agree on, (ny, 2).

    A layer is worked out in blocks of a tile's width and height. Where all rays through one tell that it is full, or that it is empty, no
    cell of it is looked at."""
    nx, ny, nz = counts[0], counts[1], counts[2]
    result = np.zeros((ny, 2))
    along_x = _blocks(lo_x, hi_x, base_x, capacity_x, count_x, ny, nz, tiles_x, origin[0], step[0], nx)
    along_y = _blocks(lo_y, hi_y, base_y, capacity_y, count_y, nx, nz, tiles_y, origin[1], step[1], ny)
    along_z = _blocks(lo_z, hi_z, base_z, capacity_z, count_z, nx, ny, tiles_z, origin[2], step[2], nz)
    for y_ in prange(ny):
        y = np.int64(y_)
        fx, ix, cx = (
            np.zeros((TILE, TILE)),
            np.zeros((TILE, TILE), np.bool_),
            np.ones((TILE, TILE), np.bool_),
        )  # by z, then x
        fz, iz, cz = (
            np.zeros((TILE, TILE)),
            np.zeros((TILE, TILE), np.bool_),
            np.ones((TILE, TILE), np.bool_),
        )  # by x, then z
        low, high = origin[1] + y * step[1], origin[1] + (y + 1) * step[1]
        middle = 0.5 * (low + high)
        whole, volume, apart = 0, 0.0, 0
        for z0 in range(0, nz, TILE):
            deep = min(TILE, nz - z0)
            for x0 in range(0, nx, TILE):
                wide = min(TILE, nx - x0)
                tx, ty, tz = x0 // TILE, y // TILE, z0 // TILE
                of_y = along_y[tz * tiles_y + tx, ty]
                if along_x[tz * tiles_x + ty, tx] == of_y and of_y == along_z[ty * tiles_z + tx, tz] and of_y != MIXED:
                    whole += deep * wide if of_y == FULL else 0
                    continue
                for z in range(deep):
                    begin, end = _ray(base_x, capacity_x, count_x, tiles_x, y, z0 + z)
                    _spread(lo_x, hi_x, begin, end, origin[0], step[0], x0, wide, fx[z], ix[z], cx[z])
                for x in range(wide):
                    begin, end = _ray(base_z, capacity_z, count_z, tiles_z, x0 + x, y)
                    _spread(lo_z, hi_z, begin, end, origin[2], step[2], z0, deep, fz[x], iz[x], cz[x])
                for z in range(deep):
                    for x in range(wide):
                        fy, iy, cy = 1.0, True, True
                        if of_y != FULL:
                            begin, end = _ray(base_y, capacity_y, count_y, tiles_y, x0 + x, z0 + z)
                            fy, iy = 0.0, False
                            for i in range(begin, end):
                                if lo_y[i] < high and hi_y[i] > low:
                                    fy += (min(hi_y[i], high) - max(lo_y[i], low)) / step[1]
                                    iy = iy or lo_y[i] <= middle <= hi_y[i]
                                cy = cy and abs(lo_y[i] - middle) >= CLOSE and abs(hi_y[i] - middle) >= CLOSE
                        volume += _share(fx[z, x], fy, fz[x, z])
                        if cx[z, x] and cy and cz[x, z] and not (ix[z, x] == iy and iy == iz[x, z]):
                            apart += 1
        result[y, 0], result[y, 1] = whole + volume, apart
    return result
