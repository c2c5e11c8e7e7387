"""Clearance between triangle meshes, and conservative advancement of one past the other.

Between two poses of a translation no point of the moving body goes farther than the translation itself, so clearance
falls by no more than that: from a reference with clearance c, every pose displaced by less than c − w has at least w.
A displacement seen from a fixed point is convex along a straight move, so its ends bound all that is between: nothing
is stepped over, however fast or long the move.
"""

import numpy as np
from numba import njit

TOUCHING = 1e-3  # mm; surfaces nearer than this touch
STACK = 256


@njit(cache=True)
def segment_distance2(p, q, r, s):
    """Squared distance between segments pq and rs (Ericson, Real-Time Collision Detection, 5.1.9, from memory)."""
    d1 = q - p
    d2 = s - r
    w = p - r
    a = d1[0] * d1[0] + d1[1] * d1[1] + d1[2] * d1[2]
    e = d2[0] * d2[0] + d2[1] * d2[1] + d2[2] * d2[2]
    f = d2[0] * w[0] + d2[1] * w[1] + d2[2] * w[2]
    if a <= 1e-18 and e <= 1e-18:
        return w[0] * w[0] + w[1] * w[1] + w[2] * w[2]
    if a <= 1e-18:
        u = 0.0
        v = min(max(f / e, 0.0), 1.0)
    else:
        c = d1[0] * w[0] + d1[1] * w[1] + d1[2] * w[2]
        if e <= 1e-18:
            v = 0.0
            u = min(max(-c / a, 0.0), 1.0)
        else:
            b = d1[0] * d2[0] + d1[1] * d2[1] + d1[2] * d2[2]
            denominator = a * e - b * b
            u = min(max((b * f - c * e) / denominator, 0.0), 1.0) if denominator > 1e-18 else 0.0
            v = (b * u + f) / e
            if v < 0.0:
                v = 0.0
                u = min(max(-c / a, 0.0), 1.0)
            elif v > 1.0:
                v = 1.0
                u = min(max((b - c) / a, 0.0), 1.0)
    x = w[0] + u * d1[0] - v * d2[0]
    y = w[1] + u * d1[1] - v * d2[1]
    z = w[2] + u * d1[2] - v * d2[2]
    return x * x + y * y + z * z


@njit(cache=True)
def _above(t, p):
    """Squared distance from p to triangle t where p's foot lies inside it; infinite elsewhere (edges see to that)."""
    u = t[1] - t[0]
    v = t[2] - t[0]
    w = p - t[0]
    n = np.cross(u, v)
    nn = np.dot(n, n)
    if nn < 1e-24:
        return np.inf
    gamma = np.dot(np.cross(u, w), n) / nn
    beta = np.dot(np.cross(w, v), n) / nn
    if gamma < 0.0 or beta < 0.0 or gamma + beta > 1.0:
        return np.inf
    height = np.dot(w, n)
    return height * height / nn


@njit(cache=True)
def _pierces(t, p, q):
    """Whether segment pq passes through triangle t."""
    n = np.cross(t[1] - t[0], t[2] - t[0])
    a = np.dot(n, p - t[0])
    b = np.dot(n, q - t[0])
    if a * b > 0.0 or a == b:
        return False
    x = p + (a / (a - b)) * (q - p)
    for i in range(3):
        if np.dot(np.cross(t[(i + 1) % 3] - t[i], x - t[i]), n) < 0.0:
            return False
    return True


@njit(cache=True)
def triangle_distance2(a, b):
    """Squared distance between two triangles (3, 3); zero when they cross."""
    best = np.inf
    for i in range(3):
        for j in range(3):
            best = min(best, segment_distance2(a[i], a[(i + 1) % 3], b[j], b[(j + 1) % 3]))
    for i in range(3):
        best = min(best, _above(a, b[i]), _above(b, a[i]))
    for i in range(3):
        if _pierces(a, b[i], b[(i + 1) % 3]) or _pierces(b, a[i], a[(i + 1) % 3]):
            return 0.0
    return best


@njit(cache=True)
def _box_gap2(a, b, shift):
    total = 0.0
    for i in range(3):
        gap = max(b[i] + shift[i] - a[i + 3], a[i] - b[i + 3] - shift[i])
        if gap > 0.0:
            total += gap * gap
    return total


@njit(cache=True)
def clearance(tri_a, box_a, node_a, tri_b, box_b, node_b, shift, pair):
    """Least distance between mesh a and mesh b moved by `shift`; `pair` holds, and gets, the closest triangles.

    box (nodes, 6): lowest and highest corner. node (nodes, 2): children, or −first − 1 and count of a leaf.
    """
    moved = tri_b[pair[1]] + shift
    best = triangle_distance2(tri_a[pair[0]], moved)
    stack = np.empty((STACK, 2), np.int64)
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
                moved = tri_b[j] + shift
                for i in range(first_a, first_a + node_a[na, 1]):
                    d = triangle_distance2(tri_a[i], moved)
                    if d < best:
                        best = d
                        pair[0], pair[1] = i, j
            continue
        size_a = np.max(box_a[na, 3:] - box_a[na, :3])
        size_b = np.max(box_b[nb, 3:] - box_b[nb, :3])
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


@njit(cache=True)
def advance(tri_a, box_a, node_a, tri_b, box_b, node_b, shifts, active, near, known, hit, hit_share, closest):
    """Follow b past a along the polyline `shifts` (m + 1, 3); segments with `active` (m,) False are left out.

    Per segment: hit gets 2 (touch) or 1 (nearer than `near`), hit_share the share of the segment at which that first
    is so, closest the least clearance asked for there. `known`: the least clearance found so far in earlier calls.
    Returns the margin: the least clearance over all, to 5 %, and the segment it was met in.
    """
    pair = np.zeros(2, np.int64)
    margin = known
    where = -1
    reference = shifts[0].copy()
    clear = -1.0
    for i in range(len(active)):
        closest[i] = np.inf
        if not active[i]:
            continue
        a, b = shifts[i], shifts[i + 1]
        wanted = max(near, 0.95 * margin)
        if clear >= 0.0:
            away = max(np.linalg.norm(a - reference), np.linalg.norm(b - reference))
            if clear - away > wanted:
                continue
        length = np.linalg.norm(b - a)
        way = 0.0
        while True:
            share = way / length if length > 0.0 else 0.0
            here = a + share * (b - a)
            clear = clearance(tri_a, box_a, node_a, tri_b, box_b, node_b, here, pair)
            reference[:] = here
            if clear < closest[i]:
                closest[i] = clear
            if clear < margin:
                margin = clear
                where = i
            if clear <= TOUCHING:
                hit[i] = 2
                hit_share[i] = share
                break
            if clear < near and hit[i] == 0:
                hit[i] = 1
                hit_share[i] = share
            if way >= length:
                break
            wanted = max(near, 0.95 * margin)
            # Outside the wanted clearance go as far as is certified; inside it, in shares of the clearance left.
            step = clear - wanted if clear - wanted > 0.25 * clear else 0.25 * clear
            way = min(length, way + max(step, 0.5 * TOUCHING))
    return margin, where
