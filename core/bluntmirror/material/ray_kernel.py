"""Making rays of closed meshes: where each ray enters and leaves.

Triangles are laid on the ray lattice one after another. Whether a ray passes inside a triangle is decided by edge
functions of its two lateral coordinates, each worked out with the edge's ends in one fixed order, so that two
triangles sharing an edge agree to the bit; a ray on the edge itself belongs to exactly one of them.
"""

import numpy as np

from ..compiled import njit


@njit(cache=True)
def _edge(au, av, bu, bv, pu, pv):
    """Sign of p against the edge a → b, the same to the bit (but for its sign) from either side."""
    swap = au > bu or (au == bu and av > bv)
    if swap:
        value = (au - bu) * (pv - bv) - (av - bv) * (pu - bu)
        return -value
    return (bu - au) * (pv - av) - (bv - av) * (pu - au)


@njit(cache=True)
def _counts_edge(au, av, bu, bv, value):
    """Whether a point on the edge's line counts as inside: true for one of the two directions of every edge."""
    if value != 0.0:
        return value > 0.0
    return av < bv or (av == bv and au > bu)


@njit(cache=True)
def crossings(triangles, axis_u, axis_v, axis_w, origin, step, counts, fill, ray_begin, places, signs):
    """Lay triangles (M, 3, 3) on a lattice. First pass (fill = False) counts crossings per ray into ray_begin[ray + 1];
    the second writes their places along the ray and their direction (+1 entering)."""
    nu, nv = counts[axis_u], counts[axis_v]
    for t in range(len(triangles)):
        tri = triangles[t]
        au, av, aw = tri[0, axis_u], tri[0, axis_v], tri[0, axis_w]
        bu, bv, bw = tri[1, axis_u], tri[1, axis_v], tri[1, axis_w]
        cu, cv, cw = tri[2, axis_u], tri[2, axis_v], tri[2, axis_w]
        area = (bu - au) * (cv - av) - (bv - av) * (cu - au)
        if area == 0.0:
            continue
        sign = 1
        if area < 0.0:
            bu, bv, bw, cu, cv, cw = cu, cv, cw, bu, bv, bw
            sign = -1
            area = -area
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
                if not (
                    _counts_edge(bu, bv, cu, cv, e0)
                    and _counts_edge(cu, cv, au, av, e1)
                    and _counts_edge(au, av, bu, bv, e2)
                ):
                    continue
                ray = iv * nu + iu
                if not fill:
                    ray_begin[ray + 1] += 1
                    continue
                total = e0 + e1 + e2
                places[ray_begin[ray]] = (e0 * aw + e1 * bw + e2 * cw) / total
                # For axes (u, v, w) in right-handed order the normal points along +w where the area is positive.
                signs[ray_begin[ray]] = -sign
                ray_begin[ray] += 1


@njit(cache=True)
def pair_up(ray_begin, places, signs, handed, out_lo, out_hi, out_first, out_count):
    """Sort each ray's crossings and pair them into intervals by counting solids entered and left. A ray's intervals stand
    from out_first[ray] on, which has room for as many as it has crossings.

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
        begin = 0.0
        count = 0
        for k in range(b - a):
            w = places[a + order[k]]
            before = depth
            depth += signs[a + order[k]] * handed
            if before <= 0 < depth:
                begin = w
            elif before > 0 >= depth and w > begin + 1e-4:
                at = out_first[ray] + count
                if count > 0 and begin - out_hi[at - 1] < 1e-4:
                    out_hi[at - 1] = w
                else:
                    out_lo[at] = begin
                    out_hi[at] = w
                    count += 1
        if depth != 0:
            odd += 1
        out_count[ray] = count
    return odd
