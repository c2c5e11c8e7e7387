"""The closest place on a mesh, by descent through its tree of boxes, nearest first."""

import numpy as np

from ..compiled import njit, prange

FLAT = 1e-28  # the same of one whose corners lie in a line, to the last digits of doubles
SLIVER = 1e-8  # square of height over longest edge, below which a triangle is one


@njit(cache=True)
def _on_edges(t, px, py, pz):
    """The place nearest to p on the edges of a triangle that has no area; as `closest_on_triangle`."""
    best, at = np.inf, (t[0, 0], t[0, 1], t[0, 2], 1)
    for i in range(3):
        j = (i + 1) % 3
        ux, uy, uz = t[j, 0] - t[i, 0], t[j, 1] - t[i, 1], t[j, 2] - t[i, 2]
        square = ux * ux + uy * uy + uz * uz
        along = ux * (px - t[i, 0]) + uy * (py - t[i, 1]) + uz * (pz - t[i, 2])
        s = min(1.0, max(0.0, along / square)) if square > 0.0 else 0.0
        x, y, z = t[i, 0] + s * ux, t[i, 1] + s * uy, t[i, 2] + s * uz
        d = (px - x) ** 2 + (py - y) ** 2 + (pz - z) ** 2
        if d < best:
            best, at = d, (x, y, z, 4 + i)
    return at


@njit(cache=True)
def closest_on_triangle(t, px, py, pz):
    """Closest place to p on triangle t (3, 3): (x, y, z, feature), feature 0 the face, 1–3 a corner, 4–6 the edge that
    begins at that corner (Ericson, Real-Time Collision Detection, 5.1.5, from memory)."""
    ax, ay, az = t[0, 0], t[0, 1], t[0, 2]
    bx, by, bz = t[1, 0], t[1, 1], t[1, 2]
    cx, cy, cz = t[2, 0], t[2, 1], t[2, 2]
    ux, uy, uz = bx - ax, by - ay, bz - az
    vx, vy, vz = cx - ax, cy - ay, cz - az
    d1 = ux * (px - ax) + uy * (py - ay) + uz * (pz - az)
    d2 = vx * (px - ax) + vy * (py - ay) + vz * (pz - az)
    if d1 <= 0.0 and d2 <= 0.0:
        return ax, ay, az, 1
    d3 = ux * (px - bx) + uy * (py - by) + uz * (pz - bz)
    d4 = vx * (px - bx) + vy * (py - by) + vz * (pz - bz)
    if d3 >= 0.0 and d4 <= d3:
        return bx, by, bz, 2
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        s = d1 / (d1 - d3) if d1 > d3 else 0.0  # two corners in one place have no edge
        return ax + s * ux, ay + s * uy, az + s * uz, 4
    d5 = ux * (px - cx) + uy * (py - cy) + uz * (pz - cz)
    d6 = vx * (px - cx) + vy * (py - cy) + vz * (pz - cz)
    if d6 >= 0.0 and d5 <= d6:
        return cx, cy, cz, 3
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        s = d2 / (d2 - d6) if d2 > d6 else 0.0
        return ax + s * vx, ay + s * vy, az + s * vz, 6
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        whole = (d4 - d3) + (d5 - d6)
        s = (d4 - d3) / whole if whole > 0.0 else 0.0
        return bx + s * (cx - bx), by + s * (cy - by), bz + s * (cz - bz), 5
    # Over the face. Shares of the area lose their digits on slivers: there straight down onto the plane.
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    wx, wy, wz = vx - ux, vy - uy, vz - uz
    longest = max(ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, wx * wx + wy * wy + wz * wz)
    area = nx * nx + ny * ny + nz * nz
    if area <= FLAT * longest * longest:
        return _on_edges(t, px, py, pz)
    if area < SLIVER * longest * longest:
        k = (nx * (px - ax) + ny * (py - ay) + nz * (pz - az)) / area
        return px - k * nx, py - k * ny, pz - k * nz, 0
    whole = 1.0 / (va + vb + vc)
    s, r = vb * whole, vc * whole
    return ax + ux * s + vx * r, ay + uy * s + vy * r, az + uz * s + vz * r, 0


@njit(cache=True)
def _box_distance2(box, px, py, pz):
    dx = max(box[0] - px, 0.0, px - box[3])
    dy = max(box[1] - py, 0.0, py - box[4])
    dz = max(box[2] - pz, 0.0, pz - box[5])
    return dx * dx + dy * dy + dz * dz


@njit(cache=True)
def signed_distance(px, py, pz, triangles, boxes, nodes, normals, reach, stack):
    best = np.inf
    sign = 1.0
    stack[0] = 0
    top = 1
    while top > 0:
        top -= 1
        node = stack[top]
        if _box_distance2(boxes[node], px, py, pz) >= best:
            continue
        if nodes[node, 0] >= 0:
            near, far = nodes[node, 0], nodes[node, 1]
            if _box_distance2(boxes[near], px, py, pz) > _box_distance2(boxes[far], px, py, pz):
                near, far = far, near
            stack[top], stack[top + 1] = far, near
            top += 2
            continue
        first = -nodes[node, 0] - 1
        for i in range(first, first + nodes[node, 1]):
            x, y, z, feature = closest_on_triangle(triangles[i], px, py, pz)
            wx, wy, wz = px - x, py - y, pz - z
            d = wx * wx + wy * wy + wz * wz
            if d < best:
                best = d
                n = normals[i, feature]
                sign = 1.0 if wx * n[0] + wy * n[1] + wz * n[2] >= 0.0 else -1.0
    return sign * min(np.sqrt(best), reach)


@njit(cache=True, parallel=True)
def signed_distances(points, triangles, boxes, nodes, normals, reach):
    """Signed distance of every point (n, 3), cut off at ±reach; (n,)."""
    out = np.empty(len(points))
    pieces = (len(points) + 1023) // 1024
    for piece in prange(pieces):
        stack = np.empty(256, np.int64)
        begin = np.int64(piece) * 1024
        for i in range(begin, min(begin + 1024, len(points))):
            out[i] = signed_distance(
                points[i, 0], points[i, 1], points[i, 2], triangles, boxes, nodes, normals, reach, stack
            )
    return out
