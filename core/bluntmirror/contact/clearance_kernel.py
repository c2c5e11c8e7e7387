"""Clearance between triangle meshes."""

import numpy as np

from ..compiled import njit

TOUCHING = 1e-3  # mm; surfaces nearer than this touch
STACK = 256


@njit(cache=True, nogil=True)
def segment_distance2(px, py, pz, ux, uy, uz, rx, ry, rz, vx, vy, vz):
    """Squared distance between the segments p + u and r + v (Ericson, Real-Time Collision Detection, 5.1.9, from
    memory). Scalars, not arrays: this runs millions of times and must not allocate."""
    wx, wy, wz = px - rx, py - ry, pz - rz
    a = ux * ux + uy * uy + uz * uz
    e = vx * vx + vy * vy + vz * vz
    f = vx * wx + vy * wy + vz * wz
    s = 0.0
    t = 0.0
    if a <= 1e-18:
        if e > 1e-18:
            t = min(max(f / e, 0.0), 1.0)
    else:
        c = ux * wx + uy * wy + uz * wz
        if e <= 1e-18:
            s = min(max(-c / a, 0.0), 1.0)
        else:
            b = ux * vx + uy * vy + uz * vz
            denominator = a * e - b * b
            if denominator > 1e-18:
                s = min(max((b * f - c * e) / denominator, 0.0), 1.0)
            t = (b * s + f) / e
            if t < 0.0:
                t = 0.0
                s = min(max(-c / a, 0.0), 1.0)
            elif t > 1.0:
                t = 1.0
                s = min(max((b - c) / a, 0.0), 1.0)
    x = wx + s * ux - t * vx
    y = wy + s * uy - t * vy
    z = wz + s * uz - t * vz
    return x * x + y * y + z * z


@njit(cache=True, nogil=True)
def _above(t, px, py, pz):
    """Squared distance from p to triangle t where p's foot lies inside it; infinite elsewhere (edges see to that)."""
    ax, ay, az = t[0, 0], t[0, 1], t[0, 2]
    ux, uy, uz = t[1, 0] - ax, t[1, 1] - ay, t[1, 2] - az
    vx, vy, vz = t[2, 0] - ax, t[2, 1] - ay, t[2, 2] - az
    wx, wy, wz = px - ax, py - ay, pz - az
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    nn = nx * nx + ny * ny + nz * nz
    if nn < 1e-24:
        return np.inf
    gamma = ((uy * wz - uz * wy) * nx + (uz * wx - ux * wz) * ny + (ux * wy - uy * wx) * nz) / nn
    beta = ((wy * vz - wz * vy) * nx + (wz * vx - wx * vz) * ny + (wx * vy - wy * vx) * nz) / nn
    if gamma < 0.0 or beta < 0.0 or gamma + beta > 1.0:
        return np.inf
    height = wx * nx + wy * ny + wz * nz
    return height * height / nn


@njit(cache=True, nogil=True)
def _pierces(t, px, py, pz, qx, qy, qz):
    """Whether segment pq passes through triangle t."""
    ax, ay, az = t[0, 0], t[0, 1], t[0, 2]
    ux, uy, uz = t[1, 0] - ax, t[1, 1] - ay, t[1, 2] - az
    vx, vy, vz = t[2, 0] - ax, t[2, 1] - ay, t[2, 2] - az
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    a = nx * (px - ax) + ny * (py - ay) + nz * (pz - az)
    b = nx * (qx - ax) + ny * (qy - ay) + nz * (qz - az)
    if a * b > 0.0 or a == b:
        return False
    share = a / (a - b)
    return _above(t, px + share * (qx - px), py + share * (qy - py), pz + share * (qz - pz)) < np.inf


@njit(cache=True, nogil=True)
def triangle_distance2(a, b, shift, limit):
    """Squared distance between triangle a and triangle b (3, 3) moved by `shift`; zero when they cross.

    `limit` is returned when their boxes alone are that far apart.
    """
    apart = 0.0
    for i in range(3):
        a_low, a_high = min(a[0, i], a[1, i], a[2, i]), max(a[0, i], a[1, i], a[2, i])
        b_low, b_high = min(b[0, i], b[1, i], b[2, i]) + shift[i], max(b[0, i], b[1, i], b[2, i]) + shift[i]
        gap = max(b_low - a_high, a_low - b_high)
        if gap > 0.0:
            apart += gap * gap
    if apart >= limit:
        return limit
    sx, sy, sz = shift[0], shift[1], shift[2]
    best = limit
    for i in range(3):
        i2 = (i + 1) % 3
        for j in range(3):
            j2 = (j + 1) % 3
            d = segment_distance2(
                a[i, 0], a[i, 1], a[i, 2], a[i2, 0] - a[i, 0], a[i2, 1] - a[i, 1], a[i2, 2] - a[i, 2],
                b[j, 0] + sx, b[j, 1] + sy, b[j, 2] + sz, b[j2, 0] - b[j, 0], b[j2, 1] - b[j, 1], b[j2, 2] - b[j, 2],
            )  # fmt: skip
            best = min(best, d)
        best = min(best, _above(a, b[i, 0] + sx, b[i, 1] + sy, b[i, 2] + sz))
        best = min(best, _above(b, a[i, 0] - sx, a[i, 1] - sy, a[i, 2] - sz))
    if apart > 0.0:
        return best
    for i in range(3):
        j = (i + 1) % 3
        if _pierces(a, b[i, 0] + sx, b[i, 1] + sy, b[i, 2] + sz, b[j, 0] + sx, b[j, 1] + sy, b[j, 2] + sz):
            return 0.0
        if _pierces(b, a[i, 0] - sx, a[i, 1] - sy, a[i, 2] - sz, a[j, 0] - sx, a[j, 1] - sy, a[j, 2] - sz):
            return 0.0
    return best


@njit(cache=True, nogil=True)
def _box_gap2(a, b, shift):
    total = 0.0
    for i in range(3):
        gap = max(b[i] + shift[i] - a[i + 3], a[i] - b[i + 3] - shift[i])
        if gap > 0.0:
            total += gap * gap
    return total


@njit(cache=True, nogil=True)
def _size(box):
    return max(box[3] - box[0], box[4] - box[1], box[5] - box[2])


@njit(cache=True, nogil=True)
def clearance(tri_a, box_a, node_a, tri_b, box_b, node_b, shift, pair, stack, enough):
    """Least distance between mesh a and mesh b moved by `shift`; `pair` holds, and gets, the closest triangles. Where the
    bodies are farther apart than `enough`, that much is returned: a lower bound that costs little.

    box (nodes, 6): lowest and highest corner. node (nodes, 2): children, or −first − 1 and count of a leaf.
    """
    best = min(triangle_distance2(tri_a[pair[0]], tri_b[pair[1]], shift, np.inf), enough * enough)
    stack[0, 0] = 0
    stack[0, 1] = 0
    top = 1
    while top > 0 and best > 0.0:
        top -= 1
        na, nb = stack[top, 0], stack[top, 1]
        if _box_gap2(box_a[na], box_b[nb], shift) >= best:
            continue
        leaf_a, leaf_b = node_a[na, 0] < 0, node_b[nb, 0] < 0
        if leaf_a and leaf_b:
            first_a, first_b = -node_a[na, 0] - 1, -node_b[nb, 0] - 1
            for j in range(first_b, first_b + node_b[nb, 1]):
                for i in range(first_a, first_a + node_a[na, 1]):
                    d = triangle_distance2(tri_a[i], tri_b[j], shift, best)
                    if d < best:
                        best = d
                        pair[0], pair[1] = i, j
            continue
        size_a = _size(box_a[na])
        size_b = _size(box_b[nb])
        if leaf_b or (not leaf_a and size_a >= size_b):
            near, far = node_a[na, 0], node_a[na, 1]
            if _box_gap2(box_a[near], box_b[nb], shift) > _box_gap2(box_a[far], box_b[nb], shift):
                near, far = far, near
            stack[top, 0], stack[top, 1] = far, nb
            stack[top + 1, 0], stack[top + 1, 1] = near, nb
        else:
            near, far = node_b[nb, 0], node_b[nb, 1]
            if _box_gap2(box_a[na], box_b[near], shift) > _box_gap2(box_a[na], box_b[far], shift):
                near, far = far, near
            stack[top, 0], stack[top, 1] = na, far
            stack[top + 1, 0], stack[top + 1, 1] = na, near
        top += 2
    return np.sqrt(best)
