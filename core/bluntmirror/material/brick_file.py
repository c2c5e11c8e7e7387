"""A brick of the film as bytes: what the page fetches, one by one, of the moments that are looked at.

    count of vertices, count of quads      uint32, little-endian, as all that follows
    tags                                   int32 a quad
    quads                                  uint16 × 4
    vertices                               uint16 × 3: quanta of 1/2048 of a cell, from MARGIN cells below the brick's first

Deflated (zlib, RFC 1950). Quanta count from the grid's origin, so that what two bricks share is the same in both and the surface
stays closed.
"""

from __future__ import annotations

import zlib

import numpy as np
from numpy.typing import NDArray

from .surface_kernel import BRICK

QUANTA = 2048  # to a cell: half of one is 0.06 µm at a cell of 0.25 mm
MARGIN = 4  # cells; with a brick's own and a layer beyond it 25 cells of 2048 stay below 65536
LEVEL = 2  # of deflating: three times as fast as the usual one, a tenth larger

Floats = NDArray[np.float64]


def packed(
    vertices: NDArray[np.float32],
    quads: NDArray[np.uint16],
    tags: NDArray[np.int32],
    origin: Floats,
    step: Floats,
    first: NDArray[np.int64],
) -> bytes:
    """`origin` (3,) of the grid and `step` (3,), sides of a cell, in mm; `first` (3,): the brick's first cell."""
    quanta = np.rint((vertices - origin) / step * QUANTA).astype(np.int64) - (first - MARGIN) * QUANTA
    parts = (
        np.array([len(vertices), len(quads)], "<u4"), tags.astype("<i4"), quads.astype("<u2"), quanta.astype("<u2"),
    )  # fmt: skip
    return zlib.compress(b"".join(part.tobytes() for part in parts), LEVEL)


def unpacked(
    data: bytes, origin: Floats, step: Floats, first: NDArray[np.int64]
) -> tuple[Floats, NDArray[np.uint16], NDArray[np.int32]]:
    """Vertices (V, 3), quads (Q, 4) and tags (Q,) again."""
    raw = zlib.decompress(data)
    v, q = np.frombuffer(raw, "<u4", 2).tolist()
    tags = np.frombuffer(raw, "<i4", q, 8)
    quads = np.frombuffer(raw, "<u2", 4 * q, 8 + 4 * q).reshape(-1, 4)
    quanta = np.frombuffer(raw, "<u2", 3 * v, 8 + 12 * q).reshape(-1, 3)
    return (quanta.astype(np.int64) + (first - MARGIN) * QUANTA) / QUANTA * step + origin, quads, tags


def first_cell(brick: int, shape: tuple[int, ...]) -> NDArray[np.int64]:
    """The cell (3,) that a brick begins with; `shape`: bricks along X, Y and Z."""
    nx, ny, _ = shape
    return BRICK * np.array([brick % nx, brick // nx % ny, brick // (nx * ny)])
