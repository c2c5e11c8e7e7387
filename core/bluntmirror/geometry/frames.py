"""Frames: right-handed, as 4×4 homogeneous matrices that take points of the inner frame to the outer one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def rotation_about(direction: Sequence[float] | Floats, degrees: float | Floats) -> Floats:
    """Rotation by the right-hand rule about a unit vector; an array of angles gives (…, 3, 3).

    Rodrigues' formula: R = I + sin θ K + (1 − cos θ) K², K the cross-product matrix of the axis.
    """
    x, y, z = np.asarray(direction, float) / np.linalg.norm(direction)
    cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    angle = np.radians(np.asarray(degrees, float))[..., None, None]
    return np.eye(3) + np.sin(angle) * cross + (1.0 - np.cos(angle)) * (cross @ cross)


def frame(at: Sequence[float] = (0, 0, 0), turn: Sequence[float] = (0, 0, 0)) -> Floats:
    """The frame standing at `at` (mm), turned by `turn` (degrees about fixed X, then Y, then Z)."""
    matrix = np.eye(4)
    about_x, about_y, about_z = (rotation_about(np.eye(3)[i], turn[i]) for i in range(3))
    matrix[:3, :3] = about_z @ about_y @ about_x
    matrix[:3, 3] = at
    return matrix


def inverse(matrix: Floats) -> Floats:
    """The inverse of rigid frames (…, 4, 4): the rotation transposed, the origin turned back."""
    turned = np.swapaxes(matrix[..., :3, :3], -1, -2)
    result = np.zeros_like(matrix)
    result[..., :3, :3] = turned
    result[..., :3, 3] = -np.einsum("...ij,...j->...i", turned, matrix[..., :3, 3])
    result[..., 3, 3] = 1.0
    return result


def apply(matrix: Floats, points: Floats) -> Floats:
    """Points (N, 3) taken through one frame."""
    return np.asarray(points @ matrix[:3, :3].T + matrix[:3, 3])
