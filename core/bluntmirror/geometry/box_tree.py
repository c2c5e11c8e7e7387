"""A mesh's triangles in a tree of boxes: what clearance between bodies and distance to a design are asked of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import compile_kernels
from .box_tree_kernel import build
from .frames import Floats
from .mesh import Mesh


@dataclass(frozen=True)
class BoxTree:
    """triangles (M, 3, 3) sorted by leaf; boxes (N, 6): lowest and highest corner; nodes (N, 2): the two children, or
    −first − 1 and the count of triangles of a leaf; order (M,): each triangle's place in the mesh."""

    triangles: Floats
    boxes: Floats
    nodes: NDArray[np.int64]
    order: NDArray[np.int64]


def box_tree(mesh: Mesh) -> BoxTree:
    compile_kernels()  # whoever makes a tree is going to ask it much
    triangles = np.ascontiguousarray(mesh.triangles)
    low, high = triangles.min(axis=1), triangles.max(axis=1)
    order, boxes, nodes = build(low, high)
    return BoxTree(np.ascontiguousarray(triangles[order]), boxes, nodes, order)
