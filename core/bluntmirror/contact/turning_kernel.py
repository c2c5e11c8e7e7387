"""Conservative advancement of one body past another while rotary joints turn between them.

Take a pose q₀ in which the bodies are c apart. On the way to any pose q the joints may be moved one after the other: the
ones on a's side from the middle outwards, then the ones on b's side likewise. While a joint turns by Δθ, the body beyond
it stands to its axis as it did at q₀, so no point of it goes farther than R·|Δθ|, R the body's reach from that axis; a
joint that slides moves it by |Δs|. So

    clearance(q) ≥ c − D,    D = Σ |Δ of each run of linear joints| + Σ R |Δθ| ,

and D, a sum of norms, is convex in q: along a straight way in axis space it is no larger in between than at the ends.
Nothing is stepped over, however fast or long the move. `coordinates` below are the joints' values scaled so that D is a sum
of norms of their differences.
"""

import numpy as np

from ..compiled import njit
from ..machine.chain_kernel import place
from .clearance_kernel import STACK, TOUCHING, next_step, triangle_distance2, wanted_clearance

STILL = np.zeros(3)


@njit(cache=True, nogil=True)
def turned_box_gap2(a, b, pose):
    """Squared gap between box a (6,) and the box around b (6,) as `pose` (3, 4) turns and moves it: a lower bound."""
    total = 0.0
    for i in range(3):
        centre = pose[i, 3]
        half = 0.0
        for j in range(3):
            centre += pose[i, j] * 0.5 * (b[j] + b[j + 3])
            half += abs(pose[i, j]) * 0.5 * (b[j + 3] - b[j])
        gap = max(centre - half - a[i + 3], a[i] - centre - half)
        if gap > 0.0:
            total += gap * gap
    return total


@njit(cache=True, nogil=True)
def _moved(triangle, pose, out):
    for corner in range(3):
        x, y, z = triangle[corner, 0], triangle[corner, 1], triangle[corner, 2]
        for i in range(3):
            out[corner, i] = pose[i, 0] * x + pose[i, 1] * y + pose[i, 2] * z + pose[i, 3]


@njit(cache=True, nogil=True)
def _size(box):
    return max(box[3] - box[0], box[4] - box[1], box[5] - box[2])


@njit(cache=True, nogil=True)
def turned_clearance(tri_a, box_a, node_a, tri_b, box_b, node_b, pose, pair, stack, enough):
    """Least distance between mesh a and mesh b in `pose` (3, 4); `pair` holds, and gets, the closest triangles.

    Where the bodies are farther apart than `enough`, that much is returned: a lower bound that costs little.
    """
    moved = np.empty((3, 3))
    _moved(tri_b[pair[1]], pose, moved)
    best = min(triangle_distance2(tri_a[pair[0]], moved, STILL, np.inf), enough * enough)
    stack[0, 0] = 0
    stack[0, 1] = 0
    top = 1
    while top > 0 and best > 0.0:
        top -= 1
        na, nb = stack[top, 0], stack[top, 1]
        if turned_box_gap2(box_a[na], box_b[nb], pose) >= best:
            continue
        leaf_a, leaf_b = node_a[na, 0] < 0, node_b[nb, 0] < 0
        if leaf_a and leaf_b:
            first_a, first_b = -node_a[na, 0] - 1, -node_b[nb, 0] - 1
            for j in range(first_b, first_b + node_b[nb, 1]):
                _moved(tri_b[j], pose, moved)
                for i in range(first_a, first_a + node_a[na, 1]):
                    d = triangle_distance2(tri_a[i], moved, STILL, best)
                    if d < best:
                        best = d
                        pair[0], pair[1] = i, j
            continue
        if leaf_b or (not leaf_a and _size(box_a[na]) >= _size(box_b[nb])):
            near, far = node_a[na, 0], node_a[na, 1]
            if turned_box_gap2(box_a[near], box_b[nb], pose) > turned_box_gap2(box_a[far], box_b[nb], pose):
                near, far = far, near
            stack[top, 0], stack[top, 1] = far, nb
            stack[top + 1, 0], stack[top + 1, 1] = near, nb
        else:
            near, far = node_b[nb, 0], node_b[nb, 1]
            if turned_box_gap2(box_a[na], box_b[near], pose) > turned_box_gap2(box_a[na], box_b[far], pose):
                near, far = far, near
            stack[top, 0], stack[top, 1] = na, far
            stack[top + 1, 0], stack[top + 1, 1] = na, near
        top += 2
    return np.sqrt(best)


@njit(cache=True, nogil=True)
def displacement(u, v, runs):
    """D between two rows of coordinates: columns 3·i … 3·i + 2 of each of the `runs` of linear joints, then one for each
    rotary joint."""
    total = 0.0
    for run in range(runs):
        x, y, z = u[3 * run] - v[3 * run], u[3 * run + 1] - v[3 * run + 1], u[3 * run + 2] - v[3 * run + 2]
        total += np.sqrt(x * x + y * y + z * z)
    for i in range(3 * runs, len(u)):
        total += abs(u[i] - v[i])
    return total


@njit(cache=True, nogil=True)
def advance_turning(
    tri_a, box_a, node_a, tri_b, box_b, node_b, screws, home, values, coordinates, runs, active, near, known, hit,
    hit_share, closest,
):  # fmt: skip
    """Follow b past a along the axis values (m + 1, k); see `clearance_kernel.advance` for active … closest and what is
    returned. screws, home: b seen from a. coordinates (m + 1, c): of the same rows, as `displacement` takes them."""
    pair = np.zeros(2, np.int64)
    stack = np.empty((STACK, 2), np.int64)
    pose = np.empty((3, 4))
    reference = coordinates[0].copy()
    here = np.empty(coordinates.shape[1])
    at = np.empty(values.shape[1])
    margin = known
    where = -1
    clear = -1.0
    for i in range(len(active)):
        closest[i] = np.inf
        if not active[i]:
            continue
        wanted = wanted_clearance(near, margin)
        if clear >= 0.0:
            away = max(displacement(coordinates[i], reference, runs), displacement(coordinates[i + 1], reference, runs))
            if clear - away > wanted:
                continue
        length = displacement(coordinates[i], coordinates[i + 1], runs)
        way = 0.0
        while True:
            share = way / length if length > 0.0 else 0.0
            for j in range(len(here)):
                here[j] = coordinates[i, j] + share * (coordinates[i + 1, j] - coordinates[i, j])
            for j in range(len(at)):
                at[j] = values[i, j] + share * (values[i + 1, j] - values[i, j])
            place(screws, home, at, pose)
            # Beyond this nothing more can be learnt for the rest of the segment and a good stretch after it.
            enough = 2.0 * (wanted + length - way) + 50.0
            clear = turned_clearance(tri_a, box_a, node_a, tri_b, box_b, node_b, pose, pair, stack, enough)
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
            wanted = wanted_clearance(near, margin)
            way = min(length, way + next_step(clear, wanted))
    return margin, where
