"""What a cutter that comes from one side cannot take out of a corner, whatever its way.

The design seen from that side is a field of heights; the lowest place of the tip over every column is the field dilated by the cutter's own
shape (Serra, Image Analysis and Mathematical Morphology, 1982). Between the columns a cutter is taken to be slimmer where it must not cut and
thicker where it should, so that what is told to stay stays; or the other way round, so that what is told to go goes.

    profile    of a cutter: the height of its lowest part over the tip at a distance from its axis
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import Mesh
from .corner_kernel import lowest, taken
from .stock import Lattice, rays_of

Floats = NDArray[np.float64]
COLUMNS = 24  # to a cutter's radius
SAMPLES = 65  # of a profile
NOTHING = -1e9  # mm: so deep a tip goes where nothing of the design is


@dataclass(frozen=True)
class Profile:
    """radius mm; heights (SAMPLES,) from the axis outwards; plunges: it only goes down its own axis; undercuts: it is narrower further up."""

    name: str
    radius: float
    heights: Floats
    plunges: bool = False
    undercuts: bool = False

    @staticmethod
    def of(
        name: str, outline: Sequence[tuple[float, float]], plunges: bool = False, undercuts: bool = False
    ) -> Profile:
        """From a closed outline [(r, h), …]."""
        radius = max(r for r, _ in outline)
        at = np.linspace(0.0, radius, SAMPLES)
        heights = np.full(SAMPLES, np.inf)
        for (r0, h0), (r1, h1) in itertools.pairwise([*outline, outline[0]]):
            low, high = min(r0, r1), max(r0, r1)
            on = (at >= low - 1e-12) & (at <= high + 1e-12)
            share = np.clip((at - r0) / (r1 - r0), 0.0, 1.0) if r1 != r0 else np.where(h0 <= h1, 0.0, 1.0)
            heights = np.where(on, np.minimum(heights, h0 + share * (h1 - h0)), heights)
        return Profile(name, radius, heights, plunges, undercuts)

    @staticmethod
    def ball(radius: float) -> Profile:
        at = np.linspace(0.0, radius, SAMPLES)
        return Profile("", radius, radius - np.sqrt(np.maximum(radius**2 - at**2, 0.0)))

    def at(self, distance: Floats) -> Floats:
        """The height at distances from the axis; infinite beyond the radius."""
        found = np.interp(distance, np.linspace(0.0, self.radius, SAMPLES), self.heights)
        return np.where(distance <= self.radius, found, np.inf)


def heights_of(design: Mesh, middle: Floats, half: int, step: float) -> tuple[Floats, bool]:
    """The top of a design (seen along −Z) over (2·half + 1)² columns about a place, −inf where there is none; whether
    any column has a gap."""
    low = middle - (half + 0.5) * step
    counts = np.array([2 * half + 1, 2 * half + 1, 1], np.int64)
    lattice = Lattice(np.array([low[0], low[1], design.bounds[0, 2]]), np.array([step, step, 1.0]), counts)
    laid = rays_of(design, lattice, 2)
    tops = np.full(len(laid.count), -np.inf)
    some = laid.count > 0
    tops[some] = laid.hi[laid.first[some] + laid.count[some] - 1]
    return tops.reshape(counts[1], counts[0]).T, bool((laid.count > 1).any())


def left_by(cutter: Profile, design: Mesh, points: Floats, gouge: float, doubt: int = 1) -> NDArray[np.bool_] | None:
    """Which of some points (n, 3) a cutter along Z cannot take away without cutting deeper than `gouge` into a design
    that stands in the same frame, (n,); None where it might come in beneath an overhang. `doubt`: +1 tells less than truly stays, −1 more."""
    step = cutter.radius / COLUMNS
    slack = doubt * step / np.sqrt(2.0)
    low, high = points.min(axis=0), points.max(axis=0)
    middle, span = 0.5 * (low + high), 0.5 * float((high - low)[:2].max())
    reach = COLUMNS + int(np.ceil(span / step)) + 1  # of the tip, in columns
    tops, gaps = heights_of(design, middle, reach + COLUMNS + 1, step)
    if gaps and cutter.undercuts:
        return None
    n, over = 2 * reach + 1, COLUMNS + 1
    tip = np.full((n, n), NOTHING)
    across = np.arange(-over, over + 1)
    above = cutter.at(np.maximum(np.hypot(*np.meshgrid(across, across, indexing="ij")) * step + slack + gouge, 0.0))
    lowest(tops, above, tip)
    tip -= gouge
    x, y = (middle[axis] + (np.arange(n) - reach) * step for axis in (0, 1))
    stands = np.column_stack([np.repeat(x, n), np.tile(y, n), tip.reshape(-1)])
    stands = stands[np.hypot(*(stands - middle)[:, :2].T) <= cutter.radius + 2.0 * (span + step)]
    every, some = np.ones(len(stands), np.bool_), np.zeros(len(points), np.bool_)
    taken(stands, points, cutter.heights, cutter.radius, slack, every, some)
    return np.full(len(points), not every.any()) if cutter.plunges else ~some


def about(place: Floats, radius: float, across: int = 9) -> Floats:
    """Points in a ball about a place, (n, 3)."""
    offsets = within(np.full(3, -1.0), np.full(3, 1.0), across)
    return np.asarray(place + radius * offsets[np.linalg.norm(offsets, axis=1) <= 1.0 + 1e-9])


def within(low: Floats, high: Floats, across: int) -> Floats:
    """Points in a box, (across³, 3)."""
    axes = [np.linspace(a, b, across) for a, b in zip(low, high, strict=True)]
    return np.array(np.meshgrid(*axes)).T.reshape(-1, 3)


def turned_to(direction: Floats) -> Floats:
    """A frame (4, 4) that takes the grid's points to one whose Z is a direction."""
    z = direction / np.linalg.norm(direction)
    x = np.cross(np.eye(3)[int(np.argmin(np.abs(z)))], z)
    x /= np.linalg.norm(x)
    made = np.eye(4)
    made[:3, :3] = x, np.cross(z, x), z
    return made
