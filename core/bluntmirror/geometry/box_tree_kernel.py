"""Building the tree of boxes: halves by the middles of the triangles along the longest side, down to small leaves."""

import numpy as np

from ..compiled import njit

LEAF = 2


@njit(cache=True)
def build(low, high):
    """Tree over boxes low, high (M, 3). Returns order (M,), boxes (N, 6), nodes (N, 2); see `box_tree.BoxTree`."""
    count = len(low)
    order = np.arange(count)
    boxes = np.empty((2 * count, 6))
    nodes = np.empty((2 * count, 2), np.int64)
    waiting = np.empty((128, 3), np.int64)  # first, last, and the place in `nodes` that waits for this node's number
    waiting[0, 0], waiting[0, 1], waiting[0, 2] = 0, count, -1
    top = 1
    total = 0
    while top > 0:
        top -= 1
        first, last, place = waiting[top, 0], waiting[top, 1], waiting[top, 2]
        number = total
        total += 1
        if place >= 0:
            nodes[place // 2, place % 2] = number
        middle_low, middle_high = np.full(3, np.inf), np.full(3, -np.inf)
        for a in range(3):
            boxes[number, a], boxes[number, a + 3] = np.inf, -np.inf
        for i in range(first, last):
            t = order[i]
            for a in range(3):
                boxes[number, a] = min(boxes[number, a], low[t, a])
                boxes[number, a + 3] = max(boxes[number, a + 3], high[t, a])
                middle = low[t, a] + high[t, a]
                middle_low[a] = min(middle_low[a], middle)
                middle_high[a] = max(middle_high[a], middle)
        if last - first <= LEAF:
            nodes[number, 0], nodes[number, 1] = -first - 1, last - first
            continue
        axis = np.argmax(middle_high - middle_low)
        members = order[first:last].copy()
        keys = low[members, axis] + high[members, axis]
        order[first:last] = members[np.argsort(keys, kind="mergesort")]
        half = first + (last - first) // 2
        waiting[top, 0], waiting[top, 1], waiting[top, 2] = half, last, 2 * number + 1
        waiting[top + 1, 0], waiting[top + 1, 1], waiting[top + 1, 2] = first, half, 2 * number
        top += 2
    return order, boxes[:total].copy(), nodes[:total].copy()
