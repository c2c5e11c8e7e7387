"""The stock's surface as triangles: surface nets over the exact ends of the rays, brick by brick.

    node   a crossing point of the three ray families; inside or outside by the Z rays
    cell   eight nodes; where they differ, the cell has one vertex: the mean of the exact crossings on its edges
    quad   four cells around an edge whose two nodes differ; its tag is that of the ray end on the edge

Vertices depend on nothing but the rays, so that neighbouring bricks agree to the bit and the whole is watertight.
"""

import numpy as np
from numba import njit

from .cut_kernel import TILE

BRICK = 16
SPAN = BRICK + 2


@njit(cache=True)
def _slot(tiles_u, base_of, capacity_of, u, v):
    tile = (v // TILE) * tiles_u + u // TILE
    ray = (v % TILE) * TILE + u % TILE
    return tile, ray, base_of[tile] + ray * capacity_of[tile]


@njit(cache=True)
def _crossing(lo, hi, tag_lo, tag_hi, base, count, a, b, rising):
    """The ray's end between a and b; `rising` looks for a lower end (stock begins). Middle and −1 when it has none."""
    for i in range(base, base + count):
        if rising and a - 1e-4 <= lo[i] <= b + 1e-4:
            return min(max(np.float64(lo[i]), a), b), tag_lo[i]
        if not rising and a - 1e-4 <= hi[i] <= b + 1e-4:
            return min(max(np.float64(hi[i]), a), b), tag_hi[i]
    return 0.5 * (a + b), -1


@njit(cache=True)
def brick_surface(
    brick, origin, step, counts,
    lo0, hi0, tl0, th0, lo1, hi1, tl1, th1, lo2, hi2, tl2, th2,
    base0, cap0, cnt0, base1, cap1, cnt1, base2, cap2, cnt2, tiles_u0, tiles_u1, tiles_u2,
    vertices, quads, tags, places,
):  # fmt: skip
    """Surface of one brick. Writes vertices (V, 3), quads (Q, 4), tags (Q,) and the exact end of the ray behind each
    quad, places (Q, 3); returns (V, Q)."""
    n0, n1, n2 = brick[0] * BRICK - 1, brick[1] * BRICK - 1, brick[2] * BRICK - 1
    inside = np.zeros((SPAN, SPAN, SPAN), np.bool_)
    some = False
    for i in range(SPAN):
        x = n0 + i
        for j in range(SPAN):
            y = n1 + j
            if x < 0 or y < 0 or x >= counts[0] or y >= counts[1]:
                continue
            tile, ray, base = _slot(tiles_u2, base2, cap2, x, y)
            for k in range(cnt2[tile, ray]):
                a = int(np.ceil((lo2[base + k] - origin[2]) / step[2] - 0.5))
                b = int(np.floor((hi2[base + k] - origin[2]) / step[2] - 0.5))
                for z in range(max(a, n2), min(b, n2 + SPAN - 1) + 1):
                    if 0 <= z < counts[2]:
                        inside[i, j, z - n2] = True
                        some = True
    if not some:
        return 0, 0
    # First the crossings on every edge of the block, then vertices, then quads.
    total = np.zeros((SPAN, SPAN, SPAN, 3))
    number = np.zeros((SPAN, SPAN, SPAN), np.int64)
    edge_tag = np.full((SPAN, SPAN, SPAN, 3), -2, np.int64)
    edge_end = np.zeros((SPAN, SPAN, SPAN, 3))
    for i in range(SPAN):
        for j in range(SPAN):
            for k in range(SPAN):
                for axis in range(3):
                    i2, j2, k2 = i + (axis == 0), j + (axis == 1), k + (axis == 2)
                    if i2 >= SPAN or j2 >= SPAN or k2 >= SPAN or inside[i, j, k] == inside[i2, j2, k2]:
                        continue
                    x = origin[0] + (n0 + i + 0.5) * step[0]
                    y = origin[1] + (n1 + j + 0.5) * step[1]
                    z = origin[2] + (n2 + k + 0.5) * step[2]
                    rising = not inside[i, j, k]
                    u, v, w = n0 + i, n1 + j, n2 + k
                    if axis == 0:
                        tile, ray, base = _slot(tiles_u0, base0, cap0, v, w)
                        x, tag = _crossing(lo0, hi0, tl0, th0, base, cnt0[tile, ray], x, x + step[0], rising)
                    elif axis == 1:
                        tile, ray, base = _slot(tiles_u1, base1, cap1, u, w)
                        y, tag = _crossing(lo1, hi1, tl1, th1, base, cnt1[tile, ray], y, y + step[1], rising)
                    else:
                        tile, ray, base = _slot(tiles_u2, base2, cap2, u, v)
                        z, tag = _crossing(lo2, hi2, tl2, th2, base, cnt2[tile, ray], z, z + step[2], rising)
                    edge_tag[i, j, k, axis] = tag
                    edge_end[i, j, k, axis] = x if axis == 0 else y if axis == 1 else z
                    for s in range(2):
                        for t in range(2):
                            a = i - (s if axis != 0 else 0)
                            b = j - (s if axis == 0 else t if axis == 2 else 0)
                            c = k - (t if axis != 2 else 0)
                            if a >= 0 and b >= 0 and c >= 0:
                                total[a, b, c, 0] += x
                                total[a, b, c, 1] += y
                                total[a, b, c, 2] += z
                                number[a, b, c] += 1
    index = np.full((SPAN, SPAN, SPAN), -1, np.int64)
    nv = 0
    nq = 0
    corner = np.zeros((4, 3), np.int64)
    # A quad belongs to the brick that holds the lower node of its edge: nodes 1 … 16 of the block.
    for i in range(SPAN - 1):
        for j in range(SPAN - 1):
            for k in range(SPAN - 1):
                for axis in range(3):
                    tag = edge_tag[i, j, k, axis]
                    if tag == -2:
                        continue
                    # The block's border nodes belong to neighbours, but for the ghost layer below the first node.
                    if (i == 0 and n0 >= 0) or (j == 0 and n1 >= 0) or (k == 0 and n2 >= 0):
                        continue
                    fits = True
                    for q in range(4):
                        s, t = (0, 0) if q == 0 else (1, 0) if q == 1 else (1, 1) if q == 2 else (0, 1)
                        a = i - (t if axis == 1 else s if axis == 2 else 0)
                        b = j - (s if axis == 0 else t if axis == 2 else 0)
                        c = k - (t if axis == 0 else s if axis == 1 else 0)
                        if a < 0 or b < 0 or c < 0:
                            fits = False
                        corner[q, 0], corner[q, 1], corner[q, 2] = a, b, c
                    if not fits:
                        continue
                    for q in range(4):
                        a, b, c = corner[q]
                        if index[a, b, c] < 0:
                            index[a, b, c] = nv
                            for d in range(3):
                                vertices[nv, d] = total[a, b, c, d] / number[a, b, c]
                            nv += 1
                        at = q if inside[i, j, k] else 3 - q
                        quads[nq, at] = index[a, b, c]
                    tags[nq] = tag
                    places[nq, 0] = origin[0] + (n0 + i + 0.5) * step[0]
                    places[nq, 1] = origin[1] + (n1 + j + 0.5) * step[1]
                    places[nq, 2] = origin[2] + (n2 + k + 0.5) * step[2]
                    places[nq, axis] = edge_end[i, j, k, axis]
                    nq += 1
    return nv, nq
