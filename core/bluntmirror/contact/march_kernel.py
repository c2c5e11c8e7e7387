"""Conservative advancement: one body followed past another along a whole program, stepping over nothing.

Take a pose q₀ in which the bodies are c apart. No point of the moving body goes farther on the way to a pose q than

    D(q₀, q) = Σ |Δ of each run of linear joints| + Σ R |Δθ| ,

R the body's reach from the axis of each rotary joint (see `displacement`), so clearance(q) ≥ c − D; and D, a sum of norms, is
convex along a straight way in axis space: its ends bound all that is between. From q₀ on the march goes as far as this is
certified to stay outside the clearance that is wanted, asks again there, and so on, however fast or long the move.

How the clearance at one pose is asked is all that differs between bodies:

    CONVEX   of convex pieces, by their corners          (`convex_kernel`)
    TURNED   triangles, while joints turn between them   (`turning_kernel`)
    SLID     triangles, where nothing turns              (`clearance_kernel`)
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..machine.chain_kernel import place
from .clearance_kernel import STACK, TOUCHING, clearance
from .convex_kernel import pieces_distance
from .turning_kernel import turned_clearance

CONVEX, TURNED, SLID = range(3)
CLOSE = 10.0  # mm; margins below this are found to 5 %, larger ones to half
SAME = 1e-6  # mm; a margin no smaller than this is the same, and the first motion with it is told


class Triangles(NamedTuple):
    """A body's triangles in a tree of boxes (see `box_tree`)."""

    triangles: NDArray[np.float64]
    boxes: NDArray[np.float64]
    nodes: NDArray[np.int64]


class Way(NamedTuple):
    """What is gone: m segments between m + 1 knots.

    values (m + 1, k): every axis of the chain; screws, home: b seen from a.
    coordinates (m + 1, c): of the same knots, as `displacement` takes them, and the runs of linear joints in them.
    active (m,): segments to look at.
    """

    values: NDArray[np.float64]
    screws: NDArray[np.float64]
    home: NDArray[np.float64]
    coordinates: NDArray[np.float64]
    runs: int
    active: NDArray[np.bool_]


class Seen(NamedTuple):
    """What is found, per segment: hit 2 (touch) or 1 (nearer than asked), the share of the segment at which that first is so,
    the least clearance asked for there."""

    hit: NDArray[np.int8]
    share: NDArray[np.float64]
    closest: NDArray[np.float64]


@njit(cache=True, nogil=True)
def displacement(u, v, runs):
    """D between two rows of coordinates: columns 3·i … 3·i + 2 of each of the `runs` of linear joints, then one for each
    rotary joint, its angle times the body's reach.

    The joints may be moved one after the other: the ones on a's side from the middle outwards, then the ones on b's side
    likewise. While a joint turns by Δθ, the body beyond it stands to its axis as it did at q₀, so no point of it goes farther
    than R·|Δθ|; a run of joints that slide moves it by the length of their sum.
    """
    total = 0.0
    for run in range(runs):
        x, y, z = u[3 * run] - v[3 * run], u[3 * run + 1] - v[3 * run + 1], u[3 * run + 2] - v[3 * run + 2]
        total += np.sqrt(x * x + y * y + z * z)
    for i in range(3 * runs, len(u)):
        total += abs(u[i] - v[i])
    return total


@njit(cache=True, nogil=True)
def _wanted(near, margin):
    """The clearance that has to be certified: `near`, and the margin to 5 % where it is small, to half where not."""
    return max(near, 0.95 * margin if margin < CLOSE else max(0.5 * margin, 0.95 * CLOSE))


@njit(cache=True, nogil=True)
def _next_step(clear, wanted):
    """How far a body may go on: as far as is certified outside the wanted clearance, in shares of what is left inside."""
    step = clear - wanted if clear - wanted > 0.25 * clear else 0.25 * clear
    return max(step, 0.5 * TOUCHING)


@njit(cache=True, nogil=True, error_model="numpy")
def march(how, a, b, convex_a, convex_b, way, near, seen, first, last, margin, where):
    """Follow b past a over the segments first … last; margin, where: of those before.

    `a`, `b`: Triangles; `convex_a`, `convex_b`: Pieces; those that `how` does not ask may be empty.

    Fills `seen`; returns the margin (the least clearance over all: to 5 % below 10 mm, to half above) and the segment in which
    it was first met, −1 where none was looked at.
    """
    pair, stack = np.zeros(2, np.int64), np.empty((STACK, 2), np.int64)
    memory = np.zeros((len(convex_a.first) - 1, len(convex_b.first) - 1, 3))
    simplex, face, kept = np.empty((4, 3)), np.empty((3, 3)), np.empty((3, 3))
    pose = np.empty((3, 4))
    values, coordinates, runs = way.values, way.coordinates, way.runs
    reference = coordinates[first].copy()
    here, at = np.empty(coordinates.shape[1]), np.empty(values.shape[1])
    clear = -1.0
    for i in range(first, last):
        seen.closest[i] = np.inf
        if not way.active[i]:
            continue
        wanted = _wanted(near, margin)
        if clear >= 0.0:
            away = max(displacement(coordinates[i], reference, runs), displacement(coordinates[i + 1], reference, runs))
            if clear - away > wanted:
                continue
        length = displacement(coordinates[i], coordinates[i + 1], runs)
        gone = 0.0
        while True:
            share = gone / length if length > 0.0 else 0.0
            for j in range(len(here)):
                here[j] = coordinates[i, j] + share * (coordinates[i + 1, j] - coordinates[i, j])
            if how != SLID:
                for j in range(len(at)):
                    at[j] = values[i, j] + share * (values[i + 1, j] - values[i, j])
                place(way.screws, way.home, at, pose)
            # Beyond this nothing more can be learnt for the rest of the segment and a good stretch after it.
            enough = 2.0 * (wanted + length - gone) + 50.0
            if how == CONVEX:
                clear, told = pieces_distance(convex_a, convex_b, pose, enough, memory, simplex, face, kept)
            elif how == TURNED:
                clear = told = turned_clearance(
                    a.triangles, a.boxes, a.nodes, b.triangles, b.boxes, b.nodes, pose, pair, stack, enough
                )
            else:
                clear = told = clearance(
                    a.triangles, a.boxes, a.nodes, b.triangles, b.boxes, b.nodes, here, pair, stack, enough
                )
            reference[:] = here
            seen.closest[i] = min(seen.closest[i], told)
            if told < margin - SAME:
                margin, where = told, i
            if told <= TOUCHING:
                seen.hit[i], seen.share[i] = 2, share
                break
            if told < near and seen.hit[i] == 0:
                seen.hit[i], seen.share[i] = 1, share
            if gone >= length:
                break
            wanted = _wanted(near, margin)
            gone = min(length, gone + _next_step(clear, wanted))
    return margin, where
