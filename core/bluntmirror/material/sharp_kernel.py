"""Kernels of the sharp surface (see `sharp`): where the lattice's edges are crossed, how the surface lies there, and the vertices.

A table finds a row by its key: open addressing with linear steps (Knuth, The Art of Computer Programming, volume 3, 6.4).
"""

from __future__ import annotations

import numpy as np

from ..compiled import njit, prange

BESIDE = np.array(
    [0, 1, -1, 2, -2]
)  # how many cells along its ray a neighbour may lie off: steeper is another family's to tell
UNKNOWN, VAGUE, ACROSS, GUESSED, SMOOTH, KNOWN, LENT = 0, 1, 2, 3, 4, 5, 6
GUESS = 0.3  # weight of a guessed plane beside a known one
STRAIGHT = 0.004  # cells of bend within which the neighbours and the crossing lie on one plane
BENT = 0.3  # and beyond which they do not tell a slope
SAME_PLANE = 0.004  # cells that a crossing may lie off a neighbour's plane to be of the same face
NEAR = 2  # cells in which such a neighbour is looked for
FLAT = 0.002  # share of the greatest eigenvalue below which planes do not fix a direction
OFF_CELLS = 1.0  # a vertex farther than this from the mean of its crossings is not believed
VAGUE_OFF_CELLS = 0.25  # nor one farther than this where a plane of its cell is told by other cuts alone, or by none
PAD = 8  # cells around the lattice, so that neighbours' keys stay apart
EDGE = 0.03  # `sharp` from which a vertex counts as one of an edge
CORNER = 0.5  # of a third face: how far its normal stands out of the plane of two others
SWEEPS = 6  # of Jacobi's method: a matrix of three is done after four or five


@njit(cache=True)
def edges_of(vertices, quads, places, origin, step, axis, node, sign):
    """The lattice edge behind each quad: its axis, its lower node (n, 3), and +1 where stock lies below the crossing."""
    for q in range(len(quads)):
        a, b, c, d = quads[q]
        best, longest = 0, -1.0
        facing = np.empty(3)
        for i in range(3):
            j, k = (i + 1) % 3, (i + 2) % 3
            facing[i] = (vertices[c, j] - vertices[a, j]) * (vertices[d, k] - vertices[b, k]) - (
                vertices[c, k] - vertices[a, k]
            ) * (vertices[d, j] - vertices[b, j])
        # The edge's own direction is the one along which its crossing does not stand on a node; where it does, the quad faces it.
        off = 0.0
        for i in range(3):
            cell = (places[q, i] - origin[i]) / step[i] - 0.5
            away = abs(cell - np.rint(cell))
            if away > 1e-6 and away > off:
                best, off = i, away
        if off == 0.0:
            for i in range(3):
                if abs(facing[i]) / step[i] > longest:
                    best, longest = i, abs(facing[i]) / step[i]
        for i in range(3):
            cell = (places[q, i] - origin[i]) / step[i] - 0.5
            node[q, i] = np.int64(np.floor(cell - 1e-9)) if i == best else np.int64(np.rint(cell))
        axis[q] = best
        sign[q] = 1 if facing[best] >= 0.0 else -1


@njit(cache=True)
def _slot(keys, key):
    """Where a key stands in a table, or the free place where it would. Sixteen keys that follow one another stand side by side,
    as neighbours on the lattice are asked for one after the other."""
    mask = len(keys) - 1
    run = key >> 4
    at = (((run * 0x9E3779B97F4A7C1 ^ (run >> 25)) << 4) + (key & 15)) & mask
    while keys[at] != -1 and keys[at] != key:
        at = (at + 1) & mask
    return at


@njit(cache=True)
def _edge_key(axis, sign, x, y, z, shape):
    return (((axis * 2 + (1 if sign > 0 else 0)) * shape[0] + x + PAD) * shape[1] + y + PAD) * shape[2] + z + PAD


@njit(cache=True)
def normals(axis, node, sign, tag, place, step, shape, keys, rows, normal, trust):
    """Unit normals (n, 3), outwards, at the crossings whose neighbours on their own rays tell the slope; `trust` (n,) how sure
    they are: KNOWN, SMOOTH on a face that bends, GUESSED where it is too narrow for more than one neighbour, ACROSS where it is too narrow for
    any and those of other cuts go on straight enough, VAGUE where they do not, UNKNOWN.

    `keys`, `rows` (a power of two long, more than twice n): the table of crossings, filled here; keys −1 before.
    """
    n = len(axis)
    for i in range(n):
        at = _slot(keys, _edge_key(axis[i], sign[i], node[i, 0], node[i, 1], node[i, 2], shape))
        keys[at] = _edge_key(axis[i], sign[i], node[i, 0], node[i, 1], node[i, 2], shape)
        rows[at] = i
    height, has = np.empty(5), np.empty(5, np.bool_)
    for i in range(n):
        a = axis[i]
        sure = KNOWN
        slope = np.zeros(3)
        for lateral in range(3):
            if lateral == a:
                continue
            # The surface's heights over this ray and over two on either side, as far as the same cut made them.
            has[:] = False
            height[2], has[2] = place[i, a], True
            for side in (-1, 1):
                before = 0
                for far in (1, 2):
                    for k in range(5):
                        off = before * far + BESIDE[k] if far == 2 else BESIDE[k]
                        x, y, z = node[i]
                        x += (side * far if lateral == 0 else 0) + (off if a == 0 else 0)
                        y += (side * far if lateral == 1 else 0) + (off if a == 1 else 0)
                        z += (side * far if lateral == 2 else 0) + (off if a == 2 else 0)
                        at = _slot(keys, _edge_key(a, sign[i], x, y, z, shape))
                        if keys[at] != -1 and tag[rows[at]] == tag[i]:
                            height[2 + side * far], has[2 + side * far] = place[rows[at], a], True
                            before = off
                            break
                    if not has[2 + side * far]:
                        break
            least, told = np.inf, 0.0
            if has[1] and has[3]:
                bend = height[1] - 2.0 * height[2] + height[3]
                least, told = abs(bend), 0.5 * (height[3] - height[1])
                for side in (-1, 1):  # on a round face the bend goes on
                    if has[2 + 2 * side]:
                        least = min(least, abs(height[2 + 2 * side] - 2.0 * height[2 + side] + height[2] - bend))
            for side in (-1, 1):
                if has[2 + side] and has[2 + 2 * side]:
                    bend = abs(height[2 + 2 * side] - 2.0 * height[2 + side] + height[2])
                    if bend < least - 1e-9:
                        least = bend
                        # Through three points: exact to second order (the parabola's slope at its end).
                        told = side * 0.5 * (4.0 * height[2 + side] - 3.0 * height[2] - height[2 + 2 * side])
            if least > BENT * step[a]:
                if has[1] and has[3]:
                    sure = UNKNOWN  # the two lie on different faces, and which of them is this one's nothing tells
                    break
                if has[1] or has[3]:
                    sure = min(sure, GUESSED)
                    told = height[3] - height[2] if has[3] else height[2] - height[1]
                else:  # a face as narrow as a cell, one of many: as all of them go on
                    found, told = _across(i, lateral, a, node, sign, place, step, shape, keys, rows)
                    sure = min(sure, ACROSS if found else VAGUE)
            elif least > STRAIGHT * step[a]:
                sure = min(sure, SMOOTH)
            slope[lateral] = told / step[lateral]
        trust[i] = sure
        if sure != UNKNOWN:
            slope[a] = -1.0
            length = np.sqrt(slope[0] ** 2 + slope[1] ** 2 + slope[2] ** 2)
            for d in range(3):
                normal[i, d] = -sign[i] * slope[d] / length


@njit(cache=True)
def _across(i, lateral, a, node, sign, place, step, shape, keys, rows):
    """Whether the surface goes on across a crossing and its two neighbours, whatever cut them, and its slope there per cell."""
    height, found = np.zeros(2), 0
    for side in (-1, 1):
        for k in range(5):
            x, y, z = node[i]
            x += (side if lateral == 0 else 0) + (BESIDE[k] if a == 0 else 0)
            y += (side if lateral == 1 else 0) + (BESIDE[k] if a == 1 else 0)
            z += (side if lateral == 2 else 0) + (BESIDE[k] if a == 2 else 0)
            at = _slot(keys, _edge_key(a, sign[i], x, y, z, shape))
            if keys[at] != -1:
                height[(side + 1) // 2] = place[rows[at], a]
                found += 1
                break
    if found < 2 or abs(height[0] - 2.0 * place[i, a] + height[1]) > BENT * step[a]:
        return False, 0.0
    return True, 0.5 * (height[1] - height[0])


@njit(cache=True, parallel=True)
def lend_planes(axis, node, sign, tag, place, step, shape, keys, rows, normal, trust):
    """Where a crossing's own neighbours do not tell its slope, a plane of the same cut nearby that it lies on does."""
    hair = SAME_PLANE * max(step[0], step[1], step[2])
    for i in prange(len(axis)):  # only planes that are KNOWN are read, and none becomes KNOWN
        if trust[i] >= KNOWN:
            continue
        least = np.inf
        for a in range(3):
            for dx in range(-NEAR, NEAR + 1):
                for dy in range(-NEAR, NEAR + 1):
                    for dz in range(-NEAR, NEAR + 1):
                        for way in (-1, 1):
                            at = _slot(
                                keys, _edge_key(a, way, node[i, 0] + dx, node[i, 1] + dy, node[i, 2] + dz, shape)
                            )
                            if keys[at] == -1:
                                continue
                            j = rows[at]
                            if trust[j] != KNOWN or tag[j] != tag[i] or normal[j, axis[i]] * sign[i] <= 0.0:
                                continue
                            off, away = 0.0, 0.0
                            for d in range(3):
                                gap = place[i, d] - place[j, d]
                                off += normal[j, d] * gap
                                away += gap * gap
                            if abs(off) <= hair and away < least:
                                least = away
                                for d in range(3):
                                    normal[i, d] = normal[j, d]
                                trust[i] = LENT


@njit(cache=True)
def number_cells(axis, node, shape, keys, rows, quads, sign):
    """Number the cells that crossings touch; quads (n, 4) of their numbers, seen from outside counter-clockwise."""
    count = 0
    for i in range(len(axis)):
        a = axis[i]
        b, c = (a + 1) % 3, (a + 2) % 3
        for q in range(4):
            x, y, z = node[i]
            back_b, back_c = q == 1 or q == 2, q >= 2
            x -= (1 if back_b and b == 0 else 0) + (1 if back_c and c == 0 else 0)
            y -= (1 if back_b and b == 1 else 0) + (1 if back_c and c == 1 else 0)
            z -= (1 if back_b and b == 2 else 0) + (1 if back_c and c == 2 else 0)
            key = ((x + PAD) * shape[1] + y + PAD) * shape[2] + z + PAD
            at = _slot(keys, key)
            if keys[at] == -1:
                keys[at], rows[at] = key, count
                count += 1
            quads[i, q if sign[i] > 0 else 3 - q] = rows[at]
    return count


@njit(cache=True)
def solve(quads, axis, place, normal, trust, step, believed, vertices, sharp):
    """The vertex of every cell: the point nearest to all planes through its crossings, from their mean on. `sharp` (n,): how
    much its planes fix it across the first: 0 on a face, more on an edge or in a corner. Beside planes that are trusted less than `believed` a vertex
    stays near that mean."""
    n = len(vertices)
    number, fixed, vague = np.zeros(n, np.int64), np.zeros(n, np.int64), np.zeros(n, np.bool_)
    mean, right, matrix = np.zeros((n, 3)), np.zeros((n, 3)), np.zeros((n, 6))
    for i in range(len(quads)):
        for q in range(4):
            v = quads[i, q]
            number[v] += 1
            for d in range(3):
                mean[v, d] += place[i, d]
    for v in range(n):
        for d in range(3):
            mean[v, d] /= number[v]
    for i in range(len(quads)):
        if trust[i] == UNKNOWN:
            continue
        # A plane is told the better the squarer its ray meets it.
        weight = normal[i, axis[i]] ** 2 * (GUESS if trust[i] <= GUESSED else 1.0)
        x, y, z = normal[i]
        for q in range(4):
            v = quads[i, q]
            fixed[v] += 1
            vague[v] |= trust[i] < believed
            height = x * (place[i, 0] - mean[v, 0]) + y * (place[i, 1] - mean[v, 1]) + z * (place[i, 2] - mean[v, 2])
            right[v, 0] += weight * x * height
            right[v, 1] += weight * y * height
            right[v, 2] += weight * z * height
            matrix[v, 0] += weight * x * x
            matrix[v, 1] += weight * y * y
            matrix[v, 2] += weight * z * z
            matrix[v, 3] += weight * x * y
            matrix[v, 4] += weight * y * z
            matrix[v, 5] += weight * z * x
    a, turn = np.empty((3, 3)), np.empty((3, 3))
    for v in range(n):
        for d in range(3):
            vertices[v, d] = mean[v, d]
        if fixed[v] == 0:
            continue
        a[0, 0], a[1, 1], a[2, 2] = matrix[v, 0], matrix[v, 1], matrix[v, 2]
        a[0, 1] = a[1, 0] = matrix[v, 3]
        a[1, 2] = a[2, 1] = matrix[v, 4]
        a[0, 2] = a[2, 0] = matrix[v, 5]
        _diagonalise(a, turn)
        greatest = max(a[0, 0], a[1, 1], a[2, 2])
        sharp[v] = (a[0, 0] + a[1, 1] + a[2, 2] - greatest) / greatest
        floor = FLAT * greatest
        most = VAGUE_OFF_CELLS if vague[v] else OFF_CELLS
        while floor < greatest:
            shift = np.zeros(3)
            least = np.inf
            for k in range(3):
                if a[k, k] <= floor:
                    continue
                least = min(least, a[k, k])
                along = (turn[0, k] * right[v, 0] + turn[1, k] * right[v, 1] + turn[2, k] * right[v, 2]) / a[k, k]
                for d in range(3):
                    shift[d] += along * turn[d, k]
            if abs(shift[0]) <= most * step[0] and abs(shift[1]) <= most * step[1] and abs(shift[2]) <= most * step[2]:
                for d in range(3):
                    vertices[v, d] += shift[d]
                break
            floor = least  # the direction that the planes fix least is left out


@njit(cache=True)
def outreach(quads, normal, factor):
    """How many times farther out a vertex can stand than the faces that meet in it, (n,): where two meet that turn by φ, 1 / cos(φ/2);
    √3 where three do, as in the corner of a box, which is the farthest of those about square."""
    n = len(factor)
    far = np.zeros((3, n, 3))  # a normal of each vertex, the one farthest from it, and the one farthest from that
    for turn in range(3):
        least = np.full(n, np.inf)
        for i in range(len(quads)):
            for q in range(4):
                v, dot = quads[i, q], 0.0
                if turn > 0:
                    for d in range(3):
                        dot += normal[i, d] * far[turn - 1, v, d]
                if dot < least[v]:
                    least[v] = dot
                    far[turn, v] = normal[i]
    for v in range(n):
        dot = far[1, v, 0] * far[2, v, 0] + far[1, v, 1] * far[2, v, 1] + far[1, v, 2] * far[2, v, 2]
        factor[v] = min(1.0 / np.sqrt(max(0.5 + 0.5 * dot, 1e-9)), np.sqrt(3.0))
    for i in range(len(quads)):
        for q in range(4):
            v = quads[i, q]
            ax, ay, az = far[1, v]
            bx, by, bz = far[2, v]
            out = (
                normal[i, 0] * (ay * bz - az * by)
                + normal[i, 1] * (az * bx - ax * bz)
                + normal[i, 2] * (ax * by - ay * bx)
            )
            if abs(out) > CORNER:
                factor[v] = np.sqrt(3.0)


@njit(cache=True)
def _diagonalise(a, turn):
    """A symmetric matrix (3, 3) turned into its eigenvalues on the diagonal, the eigenvectors as columns of `turn`, in place
    (cyclic Jacobi: Golub and Van Loan, Matrix Computations, 8.5)."""
    turn[:] = 0.0
    turn[0, 0] = turn[1, 1] = turn[2, 2] = 1.0
    for _ in range(SWEEPS):
        for p in range(2):
            for q in range(p + 1, 3):
                if a[p, q] == 0.0:
                    continue
                tau = (a[q, q] - a[p, p]) / (2.0 * a[p, q])
                t = (1.0 if tau >= 0.0 else -1.0) / (abs(tau) + np.sqrt(1.0 + tau * tau))
                c = 1.0 / np.sqrt(1.0 + t * t)
                s = t * c
                for k in range(3):
                    one, two = a[k, p], a[k, q]
                    a[k, p], a[k, q] = c * one - s * two, s * one + c * two
                for k in range(3):
                    one, two = a[p, k], a[q, k]
                    a[p, k], a[q, k] = c * one - s * two, s * one + c * two
                for k in range(3):
                    one, two = turn[k, p], turn[k, q]
                    turn[k, p], turn[k, q] = c * one - s * two, s * one + c * two


@njit(cache=True)
def split(quads, axis, place, vertices, sharp, faces):
    """Each quad into two triangles: along the edge, where two of its opposite vertices lie on one; else so that they come
    nearer to its crossing."""
    for i in range(len(quads)):
        a, b, c, d = quads[i]
        edge_one, edge_two = min(sharp[a], sharp[c]), min(sharp[b], sharp[d])
        one = min(_gap(vertices, a, b, c, axis[i], place[i]), _gap(vertices, a, c, d, axis[i], place[i]))
        two = min(_gap(vertices, b, c, d, axis[i], place[i]), _gap(vertices, b, d, a, axis[i], place[i]))
        if max(edge_one, edge_two) > EDGE and abs(edge_one - edge_two) > 0.5 * EDGE:
            first = edge_one > edge_two
        else:
            first = one <= two + 1e-9
        if first:
            faces[2 * i, 0], faces[2 * i, 1], faces[2 * i, 2] = a, b, c
            faces[2 * i + 1, 0], faces[2 * i + 1, 1], faces[2 * i + 1, 2] = a, c, d
        else:
            faces[2 * i, 0], faces[2 * i, 1], faces[2 * i, 2] = b, c, d
            faces[2 * i + 1, 0], faces[2 * i + 1, 1], faces[2 * i + 1, 2] = b, d, a


@njit(cache=True)
def _gap(vertices, a, b, c, axis, point):
    """How far along an axis a triangle passes from a point; ∞ where it does not lie over it."""
    j, k = (axis + 1) % 3, (axis + 2) % 3
    bx, by = vertices[b, j] - vertices[a, j], vertices[b, k] - vertices[a, k]
    cx, cy = vertices[c, j] - vertices[a, j], vertices[c, k] - vertices[a, k]
    area = bx * cy - by * cx
    if abs(area) < 1e-15:
        return np.inf
    px, py = point[j] - vertices[a, j], point[k] - vertices[a, k]
    s, t = (px * cy - py * cx) / area, (bx * py - by * px) / area
    if s < -1e-9 or t < -1e-9 or s + t > 1.0 + 1e-9:
        return np.inf
    height = (
        vertices[a, axis] + s * (vertices[b, axis] - vertices[a, axis]) + t * (vertices[c, axis] - vertices[a, axis])
    )
    return abs(height - point[axis])
