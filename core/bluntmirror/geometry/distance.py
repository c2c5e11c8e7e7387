"""Signed distance from points to a closed mesh: negative inside.

Near a face the sign is that of the face's normal; where the closest place is an edge or a corner, that of the
angle-weighted mean normal there, which is right for every closed mesh (Bærentzen and Aanæs, Signed distance computation
using the angle weighted pseudonormal, 2005).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .box_tree import BoxTree, box_tree
from .distance_kernel import signed_distances
from .frames import Floats
from .mesh import Mesh


@dataclass(frozen=True)
class Solid:
    """A closed mesh that can be asked how far a point stands from its surface."""

    tree: BoxTree
    normals: Floats  # (M, 7, 3): of the face, its three corners, its three edges

    @staticmethod
    def of(mesh: Mesh) -> Solid:
        tree = box_tree(mesh)
        return Solid(tree, np.ascontiguousarray(_normals(mesh)[tree.order]))

    def distance(self, points: Floats, reach: float = np.inf) -> Floats:
        """Signed distances (n,) of points (n, 3); those farther off than `reach` get ±reach."""
        points = np.ascontiguousarray(points, float)
        tree = self.tree
        return np.asarray(
            signed_distances(points, tree.triangles, tree.boxes, tree.nodes, self.normals, min(reach, 1e9))
        )


def _normals(mesh: Mesh) -> Floats:
    triangles, faces = mesh.triangles, mesh.faces
    face = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    face /= np.maximum(np.linalg.norm(face, axis=1, keepdims=True), 1e-300)
    corner = np.zeros((len(mesh.vertices), 3))
    if not len(faces):
        return np.zeros((0, 7, 3))
    for i in range(3):
        a = triangles[:, (i + 1) % 3] - triangles[:, i]
        b = triangles[:, (i + 2) % 3] - triangles[:, i]
        lengths = np.maximum(np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1), 1e-300)
        angle = np.arccos(np.clip(np.einsum("ij,ij->i", a, b) / lengths, -1, 1))
        for k in range(3):
            corner[:, k] += np.bincount(faces[:, i], angle * face[:, k], len(corner))
    result = np.empty((len(faces), 7, 3))
    result[:, 0] = face
    for i in range(3):
        result[:, 1 + i] = corner[faces[:, i]]
    begin, end = faces.reshape(-1).astype(np.int64), np.roll(faces, -1, axis=1).reshape(-1).astype(np.int64)
    # An edge is its two corners, packed into one number: those sort many times as fast as rows do.
    _, edge = np.unique(np.minimum(begin, end) * len(mesh.vertices) + np.maximum(begin, end), return_inverse=True)
    edge = edge.reshape(-1)
    total = np.column_stack([np.bincount(edge, np.repeat(face[:, i], 3)) for i in range(3)])
    result[:, 4:] = total[edge.reshape(-1, 3)]
    return result
