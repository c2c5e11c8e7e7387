"""Poses along a chain as products of screws, and the linear axes that bring the tip to a point.

A joint between two bodies is a screw: a direction, and for a rotary joint a point of its axis, both seen from the base
body with every axis at zero. The pose of the end body seen from the base is then

    g(q) = e(ξ₁ q₁) · e(ξ₂ q₂) · … · e(ξₙ qₙ) · g(0)

(the product of exponentials: Brockett 1984; Murray, Li & Sastry, A Mathematical Introduction to Robotic Manipulation,
ch. 3, from memory). A joint passed from its link towards its parent turns the other way: its direction is negated.
"""

import math

import numpy as np

from ..compiled import njit

# Columns of a screw row; TURNS is 1 for a rotary joint, AXIS the column of its value.
TURNS, AXIS, UX, UY, UZ, PX, PY, PZ = range(8)


@njit(cache=True, nogil=True)
def place(screws, home, values, pose):
    """Fill `pose` (3, 4) with g(q): screws (n, 8), home (3, 4) = g(0), values (k,) in mm and degrees."""
    for i in range(3):
        for j in range(4):
            pose[i, j] = home[i, j]
    for s in range(len(screws) - 1, -1, -1):
        q = values[int(screws[s, AXIS])]
        ux, uy, uz = screws[s, UX], screws[s, UY], screws[s, UZ]
        if screws[s, TURNS] == 0.0:
            pose[0, 3] += q * ux
            pose[1, 3] += q * uy
            pose[2, 3] += q * uz
            continue
        if q == 0.0:
            continue
        angle = math.radians(q)
        sine, versine = math.sin(angle), 1.0 - math.cos(angle)
        px, py, pz = screws[s, PX], screws[s, PY], screws[s, PZ]
        for j in range(4):
            x, y, z = pose[0, j], pose[1, j], pose[2, j]
            if j == 3:
                x, y, z = x - px, y - py, z - pz
            # Rodrigues: v + sin θ (u × v) + (1 − cos θ) (u × (u × v)).
            cx, cy, cz = uy * z - uz * y, uz * x - ux * z, ux * y - uy * x
            x += sine * cx + versine * (uy * cz - uz * cy)
            y += sine * cy + versine * (uz * cx - ux * cz)
            z += sine * cz + versine * (ux * cy - uy * cx)
            if j == 3:
                x, y, z = x + px, y + py, z + pz
            pose[0, j], pose[1, j], pose[2, j] = x, y, z


@njit(cache=True, nogil=True)
def place_all(screws, home, values, poses):
    """Fill `poses` (n, 4, 4) for values (n, k)."""
    for i in range(len(values)):
        place(screws, home, values[i], poses[i, :3])
        poses[i, 3, 0] = poses[i, 3, 1] = poses[i, 3, 2] = 0.0
        poses[i, 3, 3] = 1.0


@njit(cache=True, nogil=True)
def place_origins(screws, home, values, origins):
    """Fill `origins` (n, 3) with where the end body's origin stands, for values (n, k)."""
    pose = np.empty((3, 4))
    for i in range(len(values)):
        place(screws, home, values[i], pose)
        origins[i, 0], origins[i, 1], origins[i, 2] = pose[0, 3], pose[1, 3], pose[2, 3]


@njit(cache=True, nogil=True)
def tip_of(screws, home, values, length, pose, tip):
    """Fill `tip` (3,) with the place `length` below the gauge point, seen from the base."""
    place(screws, home, values, pose)
    for i in range(3):
        tip[i] = pose[i, 3] - length * pose[i, 2]


@njit(cache=True, nogil=True)
def tips_of(screws, home, values, lengths, tips):
    """`tip_of` for n rows: values (n, k), lengths (n,), tips (n, 3)."""
    pose = np.empty((3, 4))
    for i in range(len(values)):
        tip_of(screws, home, values[i], lengths[i], pose, tips[i])


@njit(cache=True, nogil=True)
def reach_tip(screws, home, values, columns, length, wanted):
    """Set the linear axes `columns` (3,) of `values` (k,) so that the tip comes to `wanted` (3,), the other axes staying.

    With the other axes fixed the tip is an affine function of these three: exact in one step, whatever turns between
    them. Returns False, and changes nothing, where they do not span space.
    """
    pose = np.empty((3, 4))
    here, moved = np.empty(3), np.empty(3)
    matrix = np.empty((3, 3))
    kept = values.copy()
    for j in range(3):
        values[columns[j]] = 0.0
    tip_of(screws, home, values, length, pose, here)
    for j in range(3):
        values[columns[j]] = 1.0
        tip_of(screws, home, values, length, pose, moved)
        values[columns[j]] = 0.0
        for i in range(3):
            matrix[i, j] = moved[i] - here[i]
    a, b, c = matrix[0], matrix[1], matrix[2]
    det = a[0] * (b[1] * c[2] - b[2] * c[1]) - a[1] * (b[0] * c[2] - b[2] * c[0]) + a[2] * (b[0] * c[1] - b[1] * c[0])
    if abs(det) < 1e-9:
        values[:] = kept
        return False
    x, y, z = wanted[0] - here[0], wanted[1] - here[1], wanted[2] - here[2]
    values[columns[0]] = (
        x * (b[1] * c[2] - b[2] * c[1]) - a[1] * (y * c[2] - b[2] * z) + a[2] * (y * c[1] - b[1] * z)
    ) / det
    values[columns[1]] = (
        a[0] * (y * c[2] - b[2] * z) - x * (b[0] * c[2] - b[2] * c[0]) + a[2] * (b[0] * z - y * c[0])
    ) / det
    values[columns[2]] = (
        a[0] * (b[1] * z - y * c[1]) - a[1] * (b[0] * z - y * c[0]) + x * (b[0] * c[1] - b[1] * c[0])
    ) / det
    return True


@njit(cache=True, nogil=True)
def reach_tips(screws, home, values, columns, lengths, wanted):
    """`reach_tip` for n rows: values (n, k), lengths (n,), wanted (n, 3). Returns how many rows could not be solved."""
    failed = 0
    for i in range(len(values)):
        if not reach_tip(screws, home, values[i], columns, lengths[i], wanted[i]):
            failed += 1
    return failed
