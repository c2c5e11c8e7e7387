"""Cutters over fields of heights; see `corners`.

tops     (m, m): the design over columns
above    (w, w): how high the cutter is over its tip there, infinite beyond it; w odd
tip      (n, n): the lowest place of the tip over the middle columns, n = m − w + 1
"""

import numpy as np

from ..compiled import njit


@njit(cache=True)
def lowest(tops, above, tip):
    """How low the tip may come over every column without any part of the cutter coming below the design."""
    n, w = tip.shape[0], above.shape[0]
    for u in range(w):
        for v in range(w):
            if above[u, v] < np.inf:
                for x in range(n):
                    for y in range(n):
                        tip[x, y] = max(tip[x, y], tops[x + u, y + v] - above[u, v])


@njit(cache=True)
def taken(stands, points, heights, radius, slack, every, some):
    """What a cutter takes at places of its tip (k, 3): of every place whether it takes all points (n, 3) together, of every point whether any
    does. `slack`: how much wider it is taken to be."""
    scale = (len(heights) - 1) / radius
    for k in range(len(stands)):
        for i in range(len(points)):
            if some[i] and not every[k]:
                continue
            dx, dy = stands[k, 0] - points[i, 0], stands[k, 1] - points[i, 1]
            at = max(np.sqrt(dx * dx + dy * dy) - slack, 0.0) * scale
            hit = False
            if at <= len(heights) - 1:
                low = min(int(at), len(heights) - 2)
                hit = stands[k, 2] + heights[low] + (at - low) * (heights[low + 1] - heights[low]) <= points[i, 2]
            if hit:
                some[i] = True
            else:
                every[k] = False
