"""Clearance between bodies made of convex pieces, by their corners alone.

The difference of two convex solids is convex, and the point of it nearest to the origin tells their distance. The search
(Gilbert, Johnson & Keerthi 1988; the cases of the closest simplex after Ericson, Real-Time Collision Detection, ch. 5 and 9,
from memory) keeps up to four corners of that difference; v is their point nearest to the origin, w the corner farthest
against it. At every step

    v·w / |v|  ≤  distance  ≤  |v| ,

so that a pair that is far apart is let go after a step or two with a bound that holds.
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit

STEPS = 64
EXACT = 1e-9  # of v², where the search ends
FLAT = 1e-9  # sine below which the side that a fourth corner lies on is rounding
CENTRE_X, CENTRE_Y, CENTRE_Z, SPHERE = range(4)


class Pieces(NamedTuple):
    """A body's convex pieces: corners (n, 3); first (p + 1,): the first corner of each piece; spheres (p, 4) around them."""

    corners: NDArray[np.float64]
    first: NDArray[np.int64]
    spheres: NDArray[np.float64]


@njit(cache=True, nogil=True, error_model="numpy")
def _dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(cache=True, nogil=True, error_model="numpy")
def _keep(simplex, i, j):
    for k in range(3):
        simplex[i, k] = simplex[j, k]


@njit(cache=True, nogil=True, error_model="numpy")
def _nearest_on_segment(simplex, v):
    """Reduce two corners to those that the nearest point needs; fills v, returns how many are kept."""
    ab2 = 0.0
    along = 0.0
    for k in range(3):
        d = simplex[1, k] - simplex[0, k]
        ab2 += d * d
        along -= simplex[0, k] * d
    if along <= 0.0 or ab2 == 0.0:
        for k in range(3):
            v[k] = simplex[0, k]
        return 1
    if along >= ab2:
        _keep(simplex, 0, 1)
        for k in range(3):
            v[k] = simplex[0, k]
        return 1
    t = along / ab2
    for k in range(3):
        v[k] = simplex[0, k] + t * (simplex[1, k] - simplex[0, k])
    return 2


@njit(cache=True, nogil=True, error_model="numpy")
def _nearest_on_triangle(simplex, v):
    """The same for three corners."""
    a, b, c = simplex[0], simplex[1], simplex[2]
    d1 = d2 = d3 = d4 = d5 = d6 = 0.0
    for k in range(3):
        ab, ac = b[k] - a[k], c[k] - a[k]
        d1 -= ab * a[k]
        d2 -= ac * a[k]
        d3 -= ab * b[k]
        d4 -= ac * b[k]
        d5 -= ab * c[k]
        d6 -= ac * c[k]
    if d1 <= 0.0 and d2 <= 0.0:
        for k in range(3):
            v[k] = a[k]
        return 1
    if d3 >= 0.0 and d4 <= d3:
        _keep(simplex, 0, 1)
        for k in range(3):
            v[k] = simplex[0, k]
        return 1
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        return _nearest_on_segment(simplex, v)
    if d6 >= 0.0 and d5 <= d6:
        _keep(simplex, 0, 2)
        for k in range(3):
            v[k] = simplex[0, k]
        return 1
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        _keep(simplex, 1, 2)
        return _nearest_on_segment(simplex, v)
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        _keep(simplex, 0, 2)
        return _nearest_on_segment(simplex, v)
    total = va + vb + vc
    if total <= 0.0:  # three corners in a line
        return _nearest_on_segment(simplex, v)
    for k in range(3):
        v[k] = (va * a[k] + vb * b[k] + vc * c[k]) / total
    return 3


@njit(cache=True, nogil=True, error_model="numpy")
def _nearest_on_tetrahedron(simplex, v, face, kept):
    """The same for four corners; 4 is returned when the origin lies within. face, kept (4, 3): room to work in."""
    best = np.inf
    best_count = 4
    point = np.empty(3)
    for i in range(4):
        p, q, r, s = (i + 1) % 4, (i + 2) % 4, (i + 3) % 4, i
        nx = ny = nz = 0.0
        ux, uy, uz = simplex[q, 0] - simplex[p, 0], simplex[q, 1] - simplex[p, 1], simplex[q, 2] - simplex[p, 2]
        wx, wy, wz = simplex[r, 0] - simplex[p, 0], simplex[r, 1] - simplex[p, 1], simplex[r, 2] - simplex[p, 2]
        nx, ny, nz = uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx
        origin = -(nx * simplex[p, 0] + ny * simplex[p, 1] + nz * simplex[p, 2])
        tx, ty, tz = simplex[s, 0] - simplex[p, 0], simplex[s, 1] - simplex[p, 1], simplex[s, 2] - simplex[p, 2]
        other = nx * tx + ny * ty + nz * tz
        thick = other * other > FLAT * FLAT * (nx * nx + ny * ny + nz * nz) * (tx * tx + ty * ty + tz * tz)
        if thick and origin * other > 0.0:
            continue  # the origin lies on the inner side of this face; of four corners in a plane every face counts
        _three(face, simplex, p, q, r)
        count = _nearest_on_triangle(face, point)
        square = _dot(point, point)
        if square < best:
            best, best_count = square, count
            for k in range(3):
                v[k] = point[k]
            for j in range(3):
                _keep_from(kept, j, face, j)
    if best == np.inf:
        v[0] = v[1] = v[2] = 0.0
        return 4
    for j in range(best_count):
        _keep_from(simplex, j, kept, j)
    return best_count


@njit(cache=True, nogil=True, error_model="numpy")
def _keep_from(to, i, source, j):
    for k in range(3):
        to[i, k] = source[j, k]


@njit(cache=True, nogil=True, error_model="numpy")
def _three(to, source, p, q, r):
    _keep_from(to, 0, source, p)
    _keep_from(to, 1, source, q)
    _keep_from(to, 2, source, r)


@njit(cache=True, nogil=True, error_model="numpy")
def _farthest(corners, first, last, x, y, z):
    best, most = first, -np.inf
    for i in range(first, last):
        d = corners[i, 0] * x + corners[i, 1] * y + corners[i, 2] * z
        if d > most:
            most, best = d, i
    return best


@njit(cache=True, nogil=True, error_model="numpy")
def convex_distance(corners_a, first_a, last_a, corners_b, first_b, last_b, pose, enough, v, simplex, face, kept):
    """Least distance between two convex pieces, b's in `pose` (3, 4): (a bound from below, from above).

    The two agree to 1e-9 of the square unless the pieces are farther apart than `enough`. v (3,): where to begin, and
    where it ended: the point of the difference nearest to the origin.
    """
    count = 0
    lower = 0.0
    square = _dot(v, v)
    if square < 1e-12:
        v[0], v[1], v[2] = 1.0, 0.0, 0.0
        square = 1.0
    upper = np.inf
    for _ in range(STEPS):
        # The corner of the difference farthest against v.
        i = _farthest(corners_a, first_a, last_a, -v[0], -v[1], -v[2])
        x = pose[0, 0] * v[0] + pose[1, 0] * v[1] + pose[2, 0] * v[2]
        y = pose[0, 1] * v[0] + pose[1, 1] * v[1] + pose[2, 1] * v[2]
        z = pose[0, 2] * v[0] + pose[1, 2] * v[1] + pose[2, 2] * v[2]
        j = _farthest(corners_b, first_b, last_b, x, y, z)
        w0 = corners_a[i, 0] - (
            pose[0, 0] * corners_b[j, 0] + pose[0, 1] * corners_b[j, 1] + pose[0, 2] * corners_b[j, 2] + pose[0, 3]
        )
        w1 = corners_a[i, 1] - (
            pose[1, 0] * corners_b[j, 0] + pose[1, 1] * corners_b[j, 1] + pose[1, 2] * corners_b[j, 2] + pose[1, 3]
        )
        w2 = corners_a[i, 2] - (
            pose[2, 0] * corners_b[j, 0] + pose[2, 1] * corners_b[j, 1] + pose[2, 2] * corners_b[j, 2] + pose[2, 3]
        )
        along = v[0] * w0 + v[1] * w1 + v[2] * w2
        size = math.sqrt(square)
        lower = max(lower, along / size)
        if lower > enough:
            return lower, max(lower, upper)
        if count > 0 and square - along <= EXACT * square:
            return lower, size
        for k in range(count):
            if simplex[k, 0] == w0 and simplex[k, 1] == w1 and simplex[k, 2] == w2:
                return lower, size
        simplex[count, 0], simplex[count, 1], simplex[count, 2] = w0, w1, w2
        count += 1
        if count == 1:
            v[0], v[1], v[2] = w0, w1, w2
        elif count == 2:
            count = _nearest_on_segment(simplex, v)
        elif count == 3:
            count = _nearest_on_triangle(simplex, v)
        else:
            count = _nearest_on_tetrahedron(simplex, v, face, kept)
            if count == 4:
                return 0.0, 0.0
        square = _dot(v, v)
        upper = math.sqrt(square)
        if square < 1e-16:
            return 0.0, 0.0
    return min(lower, upper), upper


@njit(cache=True, nogil=True, error_model="numpy")
def pieces_distance(a, b, pose, enough, memory, simplex, face, kept):
    """Least distance between two bodies of convex pieces (Pieces), b's in `pose` (3, 4): (a bound from below, from above), alike
    unless they are farther apart than `enough`. memory (pa, pb, 3): where the search of each pair of pieces ended last;
    simplex (4, 3), face, kept (3, 3): room to work in."""
    spheres_a, spheres_b = a.spheres, b.spheres
    lower, upper = enough, np.inf
    v = np.empty(3)
    for j in range(len(b.first) - 1):
        x, y, z = spheres_b[j, 0], spheres_b[j, 1], spheres_b[j, 2]
        cx = pose[0, 0] * x + pose[0, 1] * y + pose[0, 2] * z + pose[0, 3]
        cy = pose[1, 0] * x + pose[1, 1] * y + pose[1, 2] * z + pose[1, 3]
        cz = pose[2, 0] * x + pose[2, 1] * y + pose[2, 2] * z + pose[2, 3]
        for i in range(len(a.first) - 1):
            dx, dy, dz = spheres_a[i, 0] - cx, spheres_a[i, 1] - cy, spheres_a[i, 2] - cz
            gap = math.sqrt(dx * dx + dy * dy + dz * dz) - spheres_a[i, SPHERE] - spheres_b[j, SPHERE]
            if gap >= lower:
                continue
            for k in range(3):
                v[k] = memory[i, j, k]
            low, high = convex_distance(
                a.corners, a.first[i], a.first[i + 1], b.corners, b.first[j], b.first[j + 1], pose, lower, v, simplex,
                face, kept,
            )  # fmt: skip
            for k in range(3):
                memory[i, j, k] = v[k]
            if low < lower:
                lower = low
            if high < upper:
                upper = high
            if upper <= 0.0:
                return 0.0, 0.0
    return lower, max(lower, upper) if upper < np.inf else lower
