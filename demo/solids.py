"""Design parts as closed meshes, by solid booleans of plain shapes. Z0 is the top of the blank."""

from __future__ import annotations

import math

import numpy as np
from manifold3d import CrossSection, Manifold
from shapely.geometry import Polygon
from shapely.geometry.polygon import orient

from bluntmirror.geometry.mesh import Mesh, revolve

from .paths import parts

FILLET_STEPS = 16


def prism(region: Polygon, low: float, high: float) -> Manifold:
    solid = Manifold()
    for part in parts(region):
        part = orient(part)
        outlines = [np.array(part.exterior.coords)[:-1], *(np.array(hole.coords)[:-1] for hole in part.interiors)]
        solid += CrossSection(outlines).extrude(high - low).translate([0, 0, low])
    return solid


def block(x: float, y: float, low: float, high: float) -> Manifold:
    return Manifold.cube([x, y, high - low], True).translate([0, 0, (low + high) / 2])


def pocket(region: Polygon, floor: float, top: float, fillet: float = 0.0) -> Manifold:
    """What a pocket takes away: vertical walls, the floor's corner rounded by a tool of that corner radius.

    The fillet is a stack of thin prisms whose middles lie on the round, so that it stands off by a few hundredths.
    """
    solid = prism(region, floor + fillet, top + 1.0)
    for i in range(FILLET_STEPS if fillet else 0):
        a, b, m = (math.pi / 2 * (i + s) / FILLET_STEPS for s in (0, 1, 0.5))
        low, high = (floor + fillet * (1 - math.cos(t)) for t in (a, b))
        inward = fillet * (1 - math.sin(m))
        solid += prism(region.buffer(-inward, quad_segs=16), low, high + 1e-3)
    return solid


def hole(x: float, y: float, diameter: float, tip: float, top: float, point_angle: float = 118.0) -> Manifold:
    r = diameter / 2
    shoulder = tip + r / math.tan(math.radians(point_angle / 2))
    return solid_of(revolve([[0, tip], [r, shoulder], [r, top + 1], [0, top + 1]])).translate([x, y, 0])


def ball(radius: float, centre: float) -> Manifold:
    """A sphere about (0, 0, centre); only a shallow cap of it is used, so its facets are fine near the bottom."""
    angles = np.concatenate([np.linspace(0, 0.4, 41), np.linspace(0.4, math.pi, 12)[1:]])
    profile = [[radius * math.sin(a), centre - radius * math.cos(a)] for a in angles]
    return solid_of(revolve(profile, tolerance=0.02))


def solid_of(mesh: Mesh) -> Manifold:
    import manifold3d

    return Manifold(manifold3d.Mesh(mesh.vertices.astype(np.float32), mesh.faces.astype(np.uint32)))


def mesh_of(solid: Manifold) -> Mesh:
    data = solid.to_mesh()
    return Mesh(np.asarray(data.vert_properties, float)[:, :3], np.asarray(data.tri_verts, np.int32))
