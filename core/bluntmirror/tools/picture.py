"""A tool seen from the side: closed outlines of its parts, for a drawing beside its form.

x    beside the tip, in the mount's x direction
h    height over the tip; the gauge point stands at h = length
"""

from __future__ import annotations

from typing import Any

import numpy as np
from shapely import MultiPoint, union_all
from shapely.geometry import MultiPolygon, Polygon

from ..geometry.hull import is_convex
from ..geometry.mesh import Mesh
from .assembly import Assembly

SIMPLER_MM = 0.02
MOST_TRIANGLES = 20_000  # whose shadows are joined; of a finer model the hull is drawn


def pictured(tool: Assembly) -> list[dict[str, Any]]:
    """[{part, points: [[x, h], …]}] of insert, cutter, shank and holder, the holder's blocks as the shadows they cast."""
    parts = []
    for part, outline in tool.outlines().items():
        mirrored = [] if tool.is_turning else [(-r, h) for r, h in reversed(outline)]
        parts.append({"part": part, "points": [*outline, *mirrored]})
    for block in tool.blocks:
        for ring in _shadow(block):
            points = [(x - tool.offset[0], z + tool.length) for x, z in ring]
            parts.insert(0, {"part": "holder", "points": points})  # behind the cutter
    return parts


def _shadow(mesh: Mesh) -> list[list[tuple[float, float]]]:
    """The outlines (x, z) of a mesh seen along y."""
    flat = mesh.vertices[:, [0, 2]]
    if is_convex(mesh) or len(mesh.faces) > MOST_TRIANGLES:
        whole = MultiPoint(flat).convex_hull
    else:
        triangles = [Polygon(corners) for corners in flat[mesh.faces] if _area(corners) > 1e-9]
        whole = union_all(triangles)
    whole = whole.simplify(SIMPLER_MM)
    faces = whole.geoms if isinstance(whole, MultiPolygon) else [whole]
    return [[(float(x), float(z)) for x, z in face.exterior.coords[:-1]] for face in faces if isinstance(face, Polygon)]


def _area(corners: np.ndarray) -> float:
    (ax, az), (bx, bz), (cx, cz) = corners
    return abs(float((bx - ax) * (cz - az) - (bz - az) * (cx - ax)))
