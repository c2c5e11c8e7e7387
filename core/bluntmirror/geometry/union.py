"""Several solids made one: faces that lie inside another of them go away, so that distances are to the outside only."""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d
import numpy as np

from .mesh import Mesh, joined


class NotSolid(ValueError):
    """A mesh that encloses no volume, so that it cannot be united with others."""


def united(meshes: Sequence[Mesh]) -> Mesh:
    """The union of closed meshes. Raises NotSolid when one of them is not closed."""
    if len(meshes) == 1:
        return meshes[0]
    solids = []
    for mesh in meshes:
        solid = manifold3d.Manifold(
            manifold3d.Mesh64(np.ascontiguousarray(mesh.vertices), mesh.faces.astype(np.uint64))
        )
        if solid.status() != manifold3d.Error.NoError:
            raise NotSolid(f"a shape of {len(mesh.faces)} triangles is not closed")
        solids.append(solid)
    data = manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add).to_mesh64()
    if not len(data.tri_verts):
        return joined(meshes)
    return Mesh(np.asarray(data.vert_properties, float)[:, :3], np.asarray(data.tri_verts, np.int32))
