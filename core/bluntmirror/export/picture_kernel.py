"""Triangles drawn on a grid of points with their depth, the nearest in front."""

import numpy as np

from ..compiled import njit


@njit(cache=True, error_model="numpy")
def draw(corners, shades, depth, image, owner, number):
    """Draw triangles (n, 3, 3), x and y in points and z towards the eye, each in its shade (n, 3), into `image` (h, w, 3) where they are nearer
    than `depth` (h, w) says; `owner` (h, w) learns the `number` of whom they belong to."""
    high, wide = depth.shape
    for i in range(len(corners)):
        ax, ay, az = corners[i, 0, 0], corners[i, 0, 1], corners[i, 0, 2]
        bx, by, bz = corners[i, 1, 0], corners[i, 1, 1], corners[i, 1, 2]
        cx, cy, cz = corners[i, 2, 0], corners[i, 2, 1], corners[i, 2, 2]
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if abs(area) < 1e-12:
            continue
        x0, x1 = max(0, int(np.ceil(min(ax, bx, cx)))), min(wide - 1, int(np.floor(max(ax, bx, cx))))
        y0, y1 = max(0, int(np.ceil(min(ay, by, cy)))), min(high - 1, int(np.floor(max(ay, by, cy))))
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                s = ((x - ax) * (cy - ay) - (y - ay) * (cx - ax)) / area
                t = ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / area
                if s < 0.0 or t < 0.0 or s + t > 1.0:
                    continue
                z = az + s * (bz - az) + t * (cz - az)
                if z > depth[y, x]:
                    depth[y, x] = z
                    owner[y, x] = number
                    image[y, x, 0], image[y, x, 1], image[y, x, 2] = shades[i, 0], shades[i, 1], shades[i, 2]
