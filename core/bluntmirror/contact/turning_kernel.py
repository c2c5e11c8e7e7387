"""Clearance between triangle meshes of which one is turned."""

import numpy as np

from ..compiled import njit
from .clearance_kernel import triangle_distance2

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
