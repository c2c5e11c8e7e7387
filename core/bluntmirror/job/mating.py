"""Placing a body by what it touches: a feature of it brought onto a feature of another, with a gap, a slide and a turn.

    onto      a face is laid against a face: normals against each other, `gap` between them
    flush     two faces in one plane: normals alike
    centre    a face's, edge's, axis' or corner's middle brought onto the other's, directions left as they are
    coaxial   an axis brought onto an axis (or a face's normal), slid by `gap` along it

All poses are frames (4, 4) of bodies in their mount's frame; features are given in that frame as the bodies stand now.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from ..geometry.features import Feature
from ..geometry.frames import Floats, rotation_about

Way = Literal["onto", "flush", "centre", "coaxial"]


class CannotMate(ValueError):
    """The features do not fit the way asked for; says why."""


def turning(start: Floats, end: Floats) -> Floats:
    """The shortest rotation (3, 3) that takes one unit vector to another; half a turn about a square axis when opposed."""
    axis = np.cross(start, end)
    sine, cosine = float(np.linalg.norm(axis)), float(start @ end)
    if sine < 1e-12:
        if cosine > 0:
            return np.eye(3)
        square = np.cross(start, np.eye(3)[int(np.argmin(np.abs(start)))])
        return rotation_about(square / np.linalg.norm(square), 180.0)
    return rotation_about(axis / sine, math.degrees(math.atan2(sine, cosine)))


def mate(
    pose: Floats, own: Feature, other: Feature, way: Way, gap: float = 0.0, turn: float = 0.0, centre: bool = False
) -> Floats:
    """The new pose of a body whose feature `own` is brought to `other`; `turn` degrees about the other's direction at the
    end; with `centre` the middles meet too, else the body slides no further than it must. Raises CannotMate."""
    p, q = np.array(own.point), np.array(other.point)
    if way == "centre":
        shift = np.eye(4)
        shift[:3, 3] = q - p
        return _turned(shift @ pose, other, q, turn)
    if own.direction is None or other.direction is None:
        raise CannotMate(
            f"'{way}' needs two faces or axes; a {own.kind if own.direction is None else other.kind} has no direction"
        )
    a, b = np.array(own.direction), np.array(other.direction)
    if way in ("onto", "flush") and not own.kind == other.kind == "face":
        raise CannotMate(f"'{way}' lays a face on a face; picked were {own.kind} and {other.kind}")
    # An axis has no sense: it turns the shorter way.
    wanted = -b if way == "onto" else b if way == "flush" else (b if float(a @ b) >= 0 else -b)
    step = np.eye(4)
    step[:3, :3] = turning(a, wanted)
    step[:3, 3] = p - step[:3, :3] @ p
    away = q - p
    along = float(away @ b) * b
    if way == "coaxial":
        step[:3, 3] += (away - along) + (along if centre else 0.0) + gap * b
    else:
        step[:3, 3] += (away if centre else along) + gap * b
    return _turned(step @ pose, other, q, turn)


def _turned(pose: Floats, other: Feature, about: Floats, degrees: float) -> Floats:
    if not degrees:
        return pose
    if other.direction is None:
        raise CannotMate(f"a {other.kind} has no direction to turn about")
    step = np.eye(4)
    step[:3, :3] = rotation_about(np.array(other.direction), degrees)
    step[:3, 3] = about - step[:3, :3] @ about
    return np.asarray(step @ pose)


def placed(pose: Floats) -> tuple[list[float], list[float]]:
    """`at` and `turn` of job.json for a frame: turns about fixed X, then Y, then Z."""
    r = pose[:3, :3]
    y = math.asin(max(-1.0, min(1.0, -float(r[2, 0]))))
    if abs(math.cos(y)) > 1e-9:
        x, z = math.atan2(r[2, 1], r[2, 2]), math.atan2(r[1, 0], r[0, 0])
    else:  # X and Z turn about one line: Z is left at zero
        x, z = math.atan2(-r[1, 2], r[1, 1]), 0.0
    return [round(float(c), 6) + 0.0 for c in pose[:3, 3]], [round(math.degrees(c), 6) + 0.0 for c in (x, y, z)]


def row(pose: Floats, direction: tuple[float, float, float], step: float, count: int) -> list[Floats]:
    """The same body repeated along a direction, the first where it stands."""
    unit = np.array(direction, float) / np.linalg.norm(direction)
    poses = []
    for i in range(count):
        shift = np.eye(4)
        shift[:3, 3] = unit * step * i
        poses.append(np.asarray(shift @ pose))
    return poses


def around(
    pose: Floats, point: tuple[float, float, float], direction: tuple[float, float, float], count: int
) -> list[Floats]:
    """The same body on every side of a tombstone: turned about an axis in equal steps, the first where it stands."""
    unit, centre = np.array(direction, float) / np.linalg.norm(direction), np.array(point, float)
    poses = []
    for i in range(count):
        step = np.eye(4)
        step[:3, :3] = rotation_about(unit, 360.0 * i / count)
        step[:3, 3] = centre - step[:3, :3] @ centre
        poses.append(np.asarray(step @ pose))
    return poses
