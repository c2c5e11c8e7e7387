"""The stock's surface as triangles: surface nets over the exact ends of the rays, brick by brick.

    node   a crossing point of the three ray families; inside or outside by the Z rays
    cell   eight nodes; where they differ, the cell has one vertex: the mean of the exact crossings on its edges
    quad   four cells around an edge whose two nodes differ; its tag is that of the ray end on the edge

Vertices depend on nothing but the rays, so that neighbouring bricks agree to the bit and the whole is watertight.
"""

import numpy as np

from ..compiled import get_thread_id, njit, prange
from .cut_kernel import TILE

BRICK = 16
SPAN = BRICK + 2
CAPACITY = 2048  # vertices and quads that a brick of ordinary stock needs at most


@njit(cache=True, error_model="numpy")
def _slot(tiles_u, base_of, capacity_of, u, v):
    tile = (v // TILE) * tiles_u + u // TILE
    ray = (v % TILE) * TILE + u % TILE
    return tile, ray, base_of[tile] + ray * capacity_of[tile]


@njit(cache=True, error_model="numpy")
def _crossing(lo, hi, tag_lo, tag_hi, base, count, a, b, rising):
    """The ray's end between a and b; `rising` looks for a lower end (stock begins). Middle and −1 when it has none."""
    for i in range(base, base + count):
        if rising and a - 1e-4 <= lo[i] <= b + 1e-4:
            return min(max(np.float64(lo[i]), a), b), tag_lo[i]
        if not rising and a - 1e-4 <= hi[i] <= b + 1e-4:
            return min(max(np.float64(hi[i]), a), b), tag_hi[i]
    return 0.5 * (a + b), -1


@njit(cache=True, error_model="numpy")
def brick_surface(
    brick, origin, step, counts,
    lo0, hi0, tl0, th0, lo1, hi1, tl1, th1, lo2, hi2, tl2, th2,
    base0, cap0, cnt0, base1, cap1, cnt1, base2, cap2, cnt2, tiles_u0, tiles_u1, tiles_u2,
    inside, total, number, index, edge_of, edge_end, edge_tag, vertices, quads, tags, places,
):  # fmt: skip
    """Surface of one brick. Writes vertices (V, 3), quads (Q, 4), tags (Q,) and the exact end of the ray behind each
    quad, places (Q, 3); returns (V, Q).

    Work space, kept between calls: inside (SPAN²), total (SPAN³, 3) and number (SPAN³) zero, index (SPAN³) −1;
    edge_of (3·SPAN³, 4), edge_end and edge_tag (3·SPAN³,).
    """
    n0, n1, n2 = brick[0] * BRICK - 1, brick[1] * BRICK - 1, brick[2] * BRICK - 1
    # A column of nodes is a word of bits; where neighbouring words differ, so do the nodes.
    some = np.int64(0)
    for i in range(SPAN):
        x = n0 + i
        for j in range(SPAN):
            y = n1 + j
            word = np.int64(0)
            if 0 <= x < counts[0] and 0 <= y < counts[1]:
                tile, ray, base = _slot(tiles_u2, base2, cap2, x, y)
                for k in range(cnt2[tile, ray]):
                    a = int(np.ceil((lo2[base + k] - origin[2]) / step[2] - 0.5))
                    b = int(np.floor((hi2[base + k] - origin[2]) / step[2] - 0.5))
                    a, b = max(a, n2, 0) - n2, min(b, n2 + SPAN - 1, counts[2] - 1) - n2
                    if a <= b:
                        word |= ((np.int64(1) << (b - a + 1)) - 1) << a
            inside[i, j] = word
            some |= word
    if some == 0:
        return 0, 0
    # First the crossings on every edge of the block, then vertices, then quads.
    edges = 0
    for i in range(SPAN):
        for j in range(SPAN):
            word = inside[i, j]
            for axis in range(3):
                if axis == 0:
                    differ = word ^ inside[i + 1, j] if i + 1 < SPAN else np.int64(0)
                elif axis == 1:
                    differ = word ^ inside[i, j + 1] if j + 1 < SPAN else np.int64(0)
                else:
                    differ = (word ^ (word >> 1)) & ((np.int64(1) << (SPAN - 1)) - 1)
                k = -1
                while differ != 0:
                    k += 1
                    if (differ >> k) & 1 == 0:
                        continue
                    differ ^= np.int64(1) << k
                    here = (word >> k) & 1 == 1
                    x = origin[0] + (n0 + i + 0.5) * step[0]
                    y = origin[1] + (n1 + j + 0.5) * step[1]
                    z = origin[2] + (n2 + k + 0.5) * step[2]
                    u, v, w = n0 + i, n1 + j, n2 + k
                    if axis == 0:
                        tile, ray, base = _slot(tiles_u0, base0, cap0, v, w)
                        x, tag = _crossing(lo0, hi0, tl0, th0, base, cnt0[tile, ray], x, x + step[0], not here)
                        edge_end[edges] = x
                    elif axis == 1:
                        tile, ray, base = _slot(tiles_u1, base1, cap1, u, w)
                        y, tag = _crossing(lo1, hi1, tl1, th1, base, cnt1[tile, ray], y, y + step[1], not here)
                        edge_end[edges] = y
                    else:
                        tile, ray, base = _slot(tiles_u2, base2, cap2, u, v)
                        z, tag = _crossing(lo2, hi2, tl2, th2, base, cnt2[tile, ray], z, z + step[2], not here)
                        edge_end[edges] = z
                    edge_of[edges, 0], edge_of[edges, 1], edge_of[edges, 2], edge_of[edges, 3] = i, j, k, axis
                    edge_tag[edges] = tag
                    edges += 1
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
    nv = 0
    nq = 0
    # A quad belongs to the brick that holds the lower node of its edge: nodes 1 … 16 of the block.
    for e in range(edges):
        i, j, k, axis = edge_of[e, 0], edge_of[e, 1], edge_of[e, 2], edge_of[e, 3]
        if i >= SPAN - 1 or j >= SPAN - 1 or k >= SPAN - 1:
            continue
        # The block's border nodes belong to neighbours, but for the ghost layer below the first node.
        if (i == 0 and n0 >= 0) or (j == 0 and n1 >= 0) or (k == 0 and n2 >= 0):
            continue
        if (axis != 0 and i == 0) or (axis != 1 and j == 0) or (axis != 2 and k == 0):
            continue
        for q in range(4):
            s, t = (0, 0) if q == 0 else (1, 0) if q == 1 else (1, 1) if q == 2 else (0, 1)
            a = i - (t if axis == 1 else s if axis == 2 else 0)
            b = j - (s if axis == 0 else t if axis == 2 else 0)
            c = k - (t if axis == 0 else s if axis == 1 else 0)
            if index[a, b, c] < 0:
                index[a, b, c] = nv
                for d in range(3):
                    vertices[nv, d] = total[a, b, c, d] / number[a, b, c]
                nv += 1
            quads[nq, q if (inside[i, j] >> k) & 1 == 1 else 3 - q] = index[a, b, c]
        tags[nq] = edge_tag[e]
        places[nq, 0] = origin[0] + (n0 + i + 0.5) * step[0]
        places[nq, 1] = origin[1] + (n1 + j + 0.5) * step[1]
        places[nq, 2] = origin[2] + (n2 + k + 0.5) * step[2]
        places[nq, axis] = edge_end[e]
        nq += 1
    for e in range(edges):  # leave the work space as it was found
        for s in range(2):
            for t in range(2):
                axis = edge_of[e, 3]
                a = edge_of[e, 0] - (s if axis != 0 else 0)
                b = edge_of[e, 1] - (s if axis == 0 else t if axis == 2 else 0)
                c = edge_of[e, 2] - (t if axis != 2 else 0)
                if a >= 0 and b >= 0 and c >= 0:
                    total[a, b, c, :] = 0.0
                    number[a, b, c] = 0
                    index[a, b, c] = -1
    return nv, nq


@njit(cache=True, error_model="numpy")
def _look(vertices, tags, nv, nq):
    """A 64-bit number that differs when the surface does (FNV-1a over the bits of its numbers)."""
    look = np.uint64(14695981039346656037)
    for i in range(nv):
        for d in range(3):
            look = (look ^ np.uint64(np.float32(vertices[i, d]).view(np.uint32))) * np.uint64(1099511628211)
    for i in range(nq):
        look = (look ^ np.uint64(np.uint32(tags[i]))) * np.uint64(1099511628211)
    return look


@njit(cache=True, parallel=True, error_model="numpy")
def brick_surfaces(
    bricks, origin, step, counts,
    lo0, hi0, tl0, th0, lo1, hi1, tl1, th1, lo2, hi2, tl2, th2,
    base0, cap0, cnt0, base1, cap1, cnt1, base2, cap2, cnt2, tiles_u0, tiles_u1, tiles_u2,
    inside, total, number, index, edge_of, edge_end, edge_tag, all_vertices, all_quads, all_tags, all_places,
    vertices, quads, tags, places, size, looks,
):  # fmt: skip
    """Surfaces of bricks (n, 3), each by one thread. The work space has a first axis of one row a thread; vertices,
    quads, tags and places have n rows of CAPACITY, which a surface larger than that leaves alone.

    size (n, 2) gets the numbers of vertices and quads, looks (n,) a number that tells whether a surface has changed.
    """
    for n in prange(len(bricks)):
        t = get_thread_id()
        nv, nq = brick_surface(
            bricks[n], origin, step, counts, lo0, hi0, tl0, th0, lo1, hi1, tl1, th1, lo2, hi2, tl2, th2,
            base0, cap0, cnt0, base1, cap1, cnt1, base2, cap2, cnt2, tiles_u0, tiles_u1, tiles_u2,
            inside[t], total[t], number[t], index[t], edge_of[t], edge_end[t], edge_tag[t],
            all_vertices[t], all_quads[t], all_tags[t], all_places[t],
        )  # fmt: skip
        size[n, 0], size[n, 1] = nv, nq
        looks[n] = _look(all_vertices[t], all_tags[t], nv, nq)
        if nv <= CAPACITY and nq <= CAPACITY:
            vertices[n, :nv] = all_vertices[t, :nv]
            quads[n, :nq] = all_quads[t, :nq]
            tags[n, :nq] = all_tags[t, :nq]
            places[n, :nq] = all_places[t, :nq]
