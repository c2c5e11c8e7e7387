"""The stock's surface as triangles: surface nets over the exact ends of the rays, brick by brick.

    node   a crossing point of the three ray families; inside or outside by the Z rays
    cell   eight nodes; where they differ, the cell has one vertex: the mean of the exact crossings on its edges
    quad   four cells around an edge whose two nodes differ; its tag is that of the ray end on the edge

The parallel loop takes the arrays that it fills out of their record first: what is assigned through a record within it is lost.
Vertices depend on nothing but the rays, so that neighbouring bricks agree to the bit and the whole is watertight.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..compiled import get_thread_id, njit, prange
from .cut_kernel import TILE

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
BRICK = 16
SPAN = BRICK + 2
CAPACITY = 2048  # vertices and quads that a brick of ordinary stock needs at most


class Grid(NamedTuple):
    origin: Floats
    step: Floats
    counts: Ints


class RayTable(NamedTuple):
    """The rays of one direction as `stock.Rays` holds them."""

    lo: NDArray[np.float32]
    hi: NDArray[np.float32]
    tag_lo: NDArray[np.int32]
    tag_hi: NDArray[np.int32]
    base: Ints
    capacity: NDArray[np.int32]
    count: NDArray[np.int32]
    tiles_u: int


class Space(NamedTuple):
    """Work space, a row for each thread, left as it was found: inside (SPAN²), total (SPAN³, 3) and number (SPAN³) zero,
    index (SPAN³) −1. edge_of (3·SPAN³, 4), edge_end and edge_tag (3·SPAN³,); then the surface of one brick."""

    inside: Ints
    total: Floats
    number: Ints
    index: Ints
    edge_of: Ints
    edge_end: Floats
    edge_tag: NDArray[np.int32]
    vertices: Floats
    quads: NDArray[np.uint16]
    tags: NDArray[np.int32]
    places: Floats


class Surfaces(NamedTuple):
    """Of a group of bricks, a row for each."""

    vertices: NDArray[np.float32]
    quads: NDArray[np.uint16]
    tags: NDArray[np.int32]
    places: Floats


@njit(cache=True, error_model="numpy")
def _slot(rays, u, v):
    tile = (v // TILE) * rays.tiles_u + u // TILE
    ray = (v % TILE) * TILE + u % TILE
    return tile, ray, rays.base[tile] + ray * rays.capacity[tile]


@njit(cache=True, error_model="numpy")
def _crossing(rays, u, v, a, b, rising):
    """The end of ray (u, v) between a and b; `rising` looks for a lower end (stock begins). Middle and −1 when it has none."""
    tile, ray, base = _slot(rays, u, v)
    for i in range(base, base + rays.count[tile, ray]):
        if rising and a - 1e-4 <= rays.lo[i] <= b + 1e-4:
            return min(max(np.float64(rays.lo[i]), a), b), rays.tag_lo[i]
        if not rising and a - 1e-4 <= rays.hi[i] <= b + 1e-4:
            return min(max(np.float64(rays.hi[i]), a), b), rays.tag_hi[i]
    return 0.5 * (a + b), -1


@njit(cache=True, error_model="numpy")
def brick_surface(brick, grid, x_rays, y_rays, z_rays, space, t):
    """Surface of one brick, in the row `t` of the work space. Writes vertices (V, 3), quads (Q, 4), tags (Q,) and the exact end
    of the ray behind each quad, places (Q, 3); returns (V, Q)."""
    origin, step, counts = grid.origin, grid.step, grid.counts
    inside, total, number, index = space.inside[t], space.total[t], space.number[t], space.index[t]
    edge_of, edge_end, edge_tag = space.edge_of[t], space.edge_end[t], space.edge_tag[t]
    vertices, quads, tags, places = space.vertices[t], space.quads[t], space.tags[t], space.places[t]
    n0, n1, n2 = brick[0] * BRICK - 1, brick[1] * BRICK - 1, brick[2] * BRICK - 1
    # A column of nodes is a word of bits; where neighbouring words differ, so do the nodes.
    some = np.int64(0)
    for i in range(SPAN):
        x = n0 + i
        for j in range(SPAN):
            y = n1 + j
            word = np.int64(0)
            if 0 <= x < counts[0] and 0 <= y < counts[1]:
                tile, ray, base = _slot(z_rays, x, y)
                for k in range(z_rays.count[tile, ray]):
                    a = int(np.ceil((z_rays.lo[base + k] - origin[2]) / step[2] - 0.5))
                    b = int(np.floor((z_rays.hi[base + k] - origin[2]) / step[2] - 0.5))
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
                        x, tag = _crossing(x_rays, v, w, x, x + step[0], not here)
                        edge_end[edges] = x
                    elif axis == 1:
                        y, tag = _crossing(y_rays, u, w, y, y + step[1], not here)
                        edge_end[edges] = y
                    else:
                        z, tag = _crossing(z_rays, u, v, z, z + step[2], not here)
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
def brick_surfaces(bricks, grid, x_rays, y_rays, z_rays, space, out, size, looks):
    """Surfaces of bricks (n, 3), each by one thread in a row of its own of the work space. `out` has n rows of CAPACITY, which a
    surface larger than that leaves alone.

    size (n, 2) gets the numbers of vertices and quads, looks (n,) a number that tells whether a surface has changed.
    """
    vertices, quads, tags, places = out
    for n in prange(len(bricks)):
        t = get_thread_id()
        nv, nq = brick_surface(bricks[n], grid, x_rays, y_rays, z_rays, space, t)
        size[n, 0], size[n, 1] = nv, nq
        looks[n] = _look(space.vertices[t], space.tags[t], nv, nq)
        if nv <= CAPACITY and nq <= CAPACITY:
            vertices[n, :nv] = space.vertices[t, :nv]
            quads[n, :nq] = space.quads[t, :nq]
            tags[n, :nq] = space.tags[t, :nq]
            places[n, :nq] = space.places[t, :nq]
