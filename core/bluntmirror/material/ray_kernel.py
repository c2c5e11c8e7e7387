"""Making rays of closed meshes: where each ray enters and leaves.

Triangles are laid on the ray lattice one after another. Whether a ray passes inside a triangle is decided by its three
edges alone: on which side of each the ray stands, told exactly and alike from either of the two triangles that share the
edge. A ray on the edge itself belongs to exactly one of them. So the crossings of a closed mesh always add up, however thin
its triangles are and however near a corner a ray passes.
"""

import numpy as np

from ..compiled import njit

EPSILON = 2.0**-53  # half the distance of 1 and the next float
# Shewchuk, Adaptive Precision Floating-Point Arithmetic and Fast Robust Geometric Predicates (1997), 4.1 (figure 21):
# where |a − b| of the two rounded products is more than this share of |a| + |b|, its sign is right.
SIDE_SURE = (3.0 + 16.0 * EPSILON) * EPSILON
SPLITTER = 2.0**27 + 1.0  # cuts a float of 53 bits into halves whose products are exact (Dekker 1971)
OUTSIDE_MM = 1e-6  # farther beyond a triangle's corners no crossing lies: what rounding says of one that stands on edge


@njit(cache=True)
def _exact_side(au, av, bu, bv, pu, pv):
    """Exact sign (−1, 0, 1) of (b − a) × (p − a): the six products of the whole expression, each as two floats without an
    error (Dekker), added up without an error (Shewchuk's expansions, 2.4)."""
    first = (bu, au, bv, bu, av, au)
    second = (pv, bv, pu, av, pu, pv)
    signs = (1.0, 1.0, -1.0, -1.0, 1.0, -1.0)
    parts = np.zeros(12)
    count = 0
    for k in range(6):
        x, y = first[k], second[k]
        high = x * y
        c = SPLITTER * x
        x_high = c - (c - x)
        c = SPLITTER * y
        y_high = c - (c - y)
        x_low, y_low = x - x_high, y - y_high
        low = x_low * y_low - (((high - x_high * y_high) - x_low * y_high) - x_high * y_low)
        for piece in (signs[k] * low, signs[k] * high):
            carry = piece
            for i in range(count):  # grows an expansion by one float: its parts do not overlap, the greatest last
                whole = carry + parts[i]
                taken = whole - carry
                parts[i] = (carry - (whole - taken)) + (parts[i] - taken)
                carry = whole
            parts[count] = carry
            count += 1
    for i in range(11, -1, -1):
        if parts[i] != 0.0:
            return 1.0 if parts[i] > 0.0 else -1.0
    return 0.0


@njit(cache=True)
def _edge(au, av, bu, bv, pu, pv):
    """p against the edge a → b: twice the area of the three, its sign exact; the same to the bit from either side, but for
    its sign."""
    if au > bu or (au == bu and av > bv):
        return -_edge_in_order(bu, bv, au, av, pu, pv)
    return _edge_in_order(au, av, bu, bv, pu, pv)


@njit(cache=True)
def _edge_in_order(au, av, bu, bv, pu, pv):
    left = (bu - au) * (pv - av)
    right = (bv - av) * (pu - au)
    value = left - right
    if abs(value) > SIDE_SURE * (abs(left) + abs(right)):
        return value
    return _exact_side(au, av, bu, bv, pu, pv) * max(abs(value), np.finfo(np.float64).tiny)


@njit(cache=True)
def _on_its_left(au, av, bu, bv, value):
    """Whether p stands left of a → b; on the line itself for one of the edge's two directions only, as if every ray stood
    beside itself by a distance in −u that is as good as nothing, and by one in −v that is nothing beside the first."""
    if value != 0.0:
        return value > 0.0
    return av < bv or (av == bv and au > bu)


@njit(cache=True)
def crossings(triangles, axis_u, axis_v, axis_w, origin, step, counts, fill, ray_begin, places, signs, faces):
    """Lay triangles (M, 3, 3) on a lattice. First pass (fill = False) counts crossings per ray into ray_begin[ray + 1];
    the second writes their places along the ray, their direction (+1 entering) and, where `faces` has room, their triangle."""
    nu, nv = counts[axis_u], counts[axis_v]
    for t in range(len(triangles)):
        tri = triangles[t]
        au, av, aw = tri[0, axis_u], tri[0, axis_v], tri[0, axis_w]
        bu, bv, bw = tri[1, axis_u], tri[1, axis_v], tri[1, axis_w]
        cu, cv, cw = tri[2, axis_u], tri[2, axis_v], tri[2, axis_w]
        if au == bu and av == bv:
            continue  # seen along the ray it is a line or a point: it covers no ray
        u0 = max(0, int(np.floor((min(au, bu, cu) - origin[axis_u]) / step[axis_u] - 0.5)))
        u1 = min(nu - 1, int(np.ceil((max(au, bu, cu) - origin[axis_u]) / step[axis_u] - 0.5)))
        v0 = max(0, int(np.floor((min(av, bv, cv) - origin[axis_v]) / step[axis_v] - 0.5)))
        v1 = min(nv - 1, int(np.ceil((max(av, bv, cv) - origin[axis_v]) / step[axis_v] - 0.5)))
        for iv in range(v0, v1 + 1):
            pv = origin[axis_v] + (iv + 0.5) * step[axis_v]
            for iu in range(u0, u1 + 1):
                pu = origin[axis_u] + (iu + 0.5) * step[axis_u]
                e0 = _edge(bu, bv, cu, cv, pu, pv)
                e1 = _edge(cu, cv, au, av, pu, pv)
                e2 = _edge(au, av, bu, bv, pu, pv)
                left0 = _on_its_left(bu, bv, cu, cv, e0)
                if left0 != _on_its_left(cu, cv, au, av, e1) or left0 != _on_its_left(au, av, bu, bv, e2):
                    continue
                ray = iv * nu + iu
                if not fill:
                    ray_begin[ray + 1] += 1
                    continue
                low, high = min(aw, bw, cw), max(aw, bw, cw)
                w, total = e0 * aw + e1 * bw + e2 * cw, e0 + e1 + e2
                if not left0:  # summed in the order of the triangle seen from its other side, to the bit
                    w, total = e0 * aw + e2 * cw + e1 * bw, e0 + e2 + e1
                w = w / total if total != 0.0 else low
                if not low - OUTSIDE_MM <= w <= high + OUTSIDE_MM:
                    w = min(max(w, low), high)
                places[ray_begin[ray]] = w
                # For axes (u, v, w) in right-handed order the normal points along +w where the corners go round to the left.
                signs[ray_begin[ray]] = -1 if left0 else 1
                if len(faces):
                    faces[ray_begin[ray]] = t
                ray_begin[ray] += 1


@njit(cache=True)
def pair_up(ray_begin, places, signs, handed, out_lo, out_hi, out_first, out_count, faces, out_face_lo, out_face_hi):
    """Sort each ray's crossings and pair them into intervals by counting solids entered and left. A ray's intervals stand
    from out_first[ray] on, which has room for as many as it has crossings; where `faces` are given, so do the triangles of its ends.

    Returns the number of rays whose crossings did not add up (an open mesh there).
    """
    odd = 0
    for ray in range(len(ray_begin) - 1):
        a, b = ray_begin[ray], ray_begin[ray + 1]
        out_count[ray] = 0
        if a == b:
            continue
        order = np.argsort(places[a:b], kind="mergesort")
        depth = 0
        begin, opened = 0.0, 0
        count = 0
        for k in range(b - a):
            w = places[a + order[k]]
            before = depth
            depth += signs[a + order[k]] * handed
            if before <= 0 < depth:
                begin, opened = w, a + order[k]
            elif before > 0 >= depth and w > begin + 1e-4:
                at = out_first[ray] + count
                if count > 0 and begin - out_hi[at - 1] < 1e-4:
                    at -= 1
                    out_hi[at] = w
                else:
                    out_lo[at] = begin
                    out_hi[at] = w
                    count += 1
                    if len(faces):
                        out_face_lo[at] = faces[opened]
                if len(faces):
                    out_face_hi[at] = faces[a + order[k]]
        if depth != 0:
            odd += 1
        out_count[ray] = count
    return odd


@njit(cache=True)
def move_wider(pool, begin, old, to, wide, rays):
    """Move what tiles hold of a pool, each ray's `old` places from `begin` on, to where each ray has `wide` from `to` on; what is new is 0."""
    for tile in range(len(begin)):
        for ray in range(rays):
            source, place = begin[tile] + ray * old[tile], to[tile] + ray * wide[tile]
            for i in range(old[tile]):
                pool[place + i] = pool[source + i]
            for i in range(old[tile], wide[tile]):
                pool[place + i] = 0
