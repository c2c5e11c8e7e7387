"""Which faces of a design no ray tells of; see `hidden`."""

import numpy as np

from ..compiled import njit

SPAN = 2  # cells to a box


@njit(cache=True)
def mark(lo, hi, first, count, face_lo, face_hi, nu, u, v, w, origin, step, kind, met, seen):
    """Note every face that a ray ends at, and in the box (bx, by, bz) of the place what way it looks."""
    place = np.empty(3)
    for ray in range(len(count)):
        place[u] = (ray % nu + 0.5) / SPAN
        place[v] = (ray // nu + 0.5) / SPAN
        for d in range(first[ray], first[ray] + count[ray]):
            for end in range(2):
                face = face_lo[d] if end == 0 else face_hi[d]
                place[w] = ((lo[d] if end == 0 else hi[d]) - origin[w]) / (step[w] * SPAN)
                met[face] = True
                x = min(max(int(place[0]), 0), seen.shape[0] - 1)
                y = min(max(int(place[1]), 0), seen.shape[1] - 1)
                z = min(max(int(place[2]), 0), seen.shape[2] - 1)
                seen[x, y, z] |= np.uint32(1) << np.uint32(kind[face])


@njit(cache=True)
def unlike(points, kinds, alike, origin, step, seen, none):
    """Fill none (n,): whether in the boxes around a point (n, 3) nothing was met that looks about the same way."""
    for i in range(len(points)):
        none[i] = True
        x = int(np.floor((points[i, 0] - origin[0]) / (step[0] * SPAN)))
        y = int(np.floor((points[i, 1] - origin[1]) / (step[1] * SPAN)))
        z = int(np.floor((points[i, 2] - origin[2]) / (step[2] * SPAN)))
        for a in range(max(x - 1, 0), min(x + 2, seen.shape[0])):
            for b in range(max(y - 1, 0), min(y + 2, seen.shape[1])):
                for c in range(max(z - 1, 0), min(z + 2, seen.shape[2])):
                    if seen[a, b, c] & alike[kinds[i]]:
                        none[i] = False
