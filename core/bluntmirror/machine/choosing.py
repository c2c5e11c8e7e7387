"""How an arm goes through a stretch of poses: one root for all of it, and the spin that keeps away from limits and singular poses.

stretch   poses from a rapid's to the next rapid's: the root may not change within, the spin where it is not given
node      a pose of the stretch; between two the spin runs evenly

The solution nearest to where the joints stand is taken of those that go through the whole stretch within travel; where none does, of
those that go through it; where none does that either, the one that comes farthest, and the place where it ends is told.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import for_rows
from ..geometry.frames import Floats
from .arm import Arm, Described, spun
from .arm_kernel import ROOTS, solve_spins
from .choosing_kernel import LEAST, PAST, best_way

SPIN_STEP = 5.0  # degrees, of the spins tried where it is free
MOST_SPIN = 10.0  # degrees that a free spin changes by from node to node
ENOUGH = 30.0  # degrees from a limit or a singular pose: more is no better
GIVEN_WEIGHT = 1e3  # of a second from where the joints stand, where nothing but turns is free
FREE_WEIGHT = 1.0
SMALLER = 1e-7  # of a degree of spin


@dataclass
class Nodes:
    """n poses with what is asked of them. `plain`: the tool mount's poses (n, 4, 4) at a spin of 0; values (n, k) of all axes, those of the
    arm not looked at; seconds (n,) since the node before at the feed asked for; spin (n,) degrees, NaN where it is free; back, down,
    minus (n,): 1, 0, or −1 where it is not given."""

    plain: Floats
    values: Floats
    seconds: Floats
    spin: Floats
    back: NDArray[np.int8]
    down: NDArray[np.int8]
    minus: NDArray[np.int8]
    cost: Floats | None = None  # (n, K): what else a spin costs at a node

    def __len__(self) -> int:
        return len(self.plain)

    def at(self, rows: NDArray[np.int64] | slice) -> Nodes:
        """Some of them, in that order."""
        cost = None if self.cost is None else self.cost[rows]
        return Nodes(self.plain[rows], self.values[rows], self.seconds[rows], self.spin[rows], self.back[rows], self.down[rows],
                     self.minus[rows], cost)  # fmt: skip

    @property
    def free(self) -> bool:
        return bool(np.isnan(self.spin).any())

    def fits(self, told: Described, many: int = 1) -> NDArray[np.bool_]:
        """Whether described poses, `many` for each node, are as asked."""
        good = np.ones(len(told.back), np.bool_)
        for asked, found in ((self.back, told.back), (self.down, told.down), (self.minus, told.minus)):
            each = np.repeat(asked, many)
            good &= (each < 0) | (each == found)
        return good


@dataclass(frozen=True)
class Way:
    """root, spin (n,) and q (n, 6), whole turns counted, of the nodes that are reached: all n, or the first `reached`. `past`: it goes past
    a limit. start: seconds from where the joints stood."""

    root: int
    spin: Floats
    q: Floats
    reached: int
    past: bool
    start: float
    cost: float


def spins_of(arm: Arm, nodes: Nodes) -> Floats:
    """The spins tried at every node (n, K): NaN beside one that is given. Fewer of an arm without a closed form."""
    if not nodes.free:
        return nodes.spin[:, None].copy()
    grid = np.arange(-180.0, 180.0, SPIN_STEP if arm.closed else 3 * SPIN_STEP)
    spins = np.tile(grid, (len(nodes), 1))
    given = ~np.isnan(nodes.spin)
    spins[given] = np.nan
    spins[given, 0] = nodes.spin[given]
    return spins


def whole_turns(arm: Arm) -> tuple[Floats, NDArray[np.int64]]:
    """The sets of whole turns (V, 6) that the joints' travel has room for; and what each turn (−1, 0, 1) of a joint adds to the number
    of a set, (6, 3), −1 for one that it has no room for."""
    options = [
        [turn for turn in (-1, 0, 1) if turn == 0 or (low < -180.0 - 1e-9 if turn < 0 else high > 180.0 + 1e-9)]
        for low, high in arm.limits
    ]
    place = np.full((6, 3), -1, np.int64)
    stride = 1
    for j in range(5, -1, -1):
        for number, turn in enumerate(options[j]):
            place[j, turn + 1] = number * stride
        stride *= len(options[j])
    return np.array(list(itertools.product(*options)), float), place


def choose(arm: Arm, nodes: Nodes, now: Floats, root: int | None = None) -> Way | None:
    """The way through all nodes, or as far as any comes; None where not even the first can be reached as asked. `now` (6,): where the
    joints stand; `root`: the only one that may be taken."""
    spins = spins_of(arm, nodes)
    near = _least_starts(arm, nodes, spins[:1], now)
    roots = [r for r in np.argsort(near, kind="stable").tolist() if near[r] < np.inf and root in (None, r)]
    best: tuple[tuple[float, bool, float, float], Way] | None = None
    for r in roots:
        if best and best[0][0] == -len(nodes) and not best[0][1] and best[0][2] <= near[r]:
            break  # whole, within travel, and none that is left begins nearer
        way = _through(arm, nodes, spins, now, r)
        if way is None:
            continue
        # Whole before half, within travel before past it, and then the nearest.
        rank = -way.reached, way.past, round(way.start, 9), way.cost
        if best is None or rank < best[0]:
            best = rank, way
    return best[1] if best else None


def _least_starts(arm: Arm, nodes: Nodes, spins: Floats, now: Floats) -> Floats:
    """The least seconds (8,) from where the joints stand to the first node by each root, whatever its spin; infinite where it does not
    reach it as asked."""
    first = nodes.at(slice(1))
    known = spins[0][~np.isnan(spins[0])]
    many = len(known)
    poses = spun(np.repeat(first.plain, many, axis=0), known)
    found, there = arm.roots(arm.wanted(poses, np.repeat(first.values, many, axis=0)))
    least = np.full(ROOTS, np.inf)
    turns = 360.0 * whole_turns(arm)[0]
    for root in range(ROOTS):
        good = found[there[:, root], root]
        if not len(good):
            continue
        told = arm.describe(good)
        good = good[first.fits(told, len(good))]
        if len(good):
            least[root] = (np.abs(good[:, None] + turns - now) / arm.rapid).max(axis=2).min()
    return least


def _through(arm: Arm, nodes: Nodes, spins: Floats, now: Floats, root: int) -> Way | None:
    n = len(nodes)
    q, cost = _solved(arm, nodes, spins, root, now)
    allowed = np.where(np.isfinite(cost), spins, np.nan)
    if np.isnan(allowed[0]).all():
        return None
    if nodes.cost is not None:
        cost = cost + nodes.cost
    # Of two that are as good the smaller spin: more than sums differ by from one processor to another.
    cost = cost + SMALLER * np.abs(np.nan_to_num(allowed))
    turns, place = whole_turns(arm)
    many = spins.shape[1] * len(turns)
    back, way = np.zeros((n, many), np.int32), np.zeros((n, 2), np.int64)
    for_rows(n * many)
    given = ~np.isnan(nodes.spin)
    # A free spin changes slowly; one that is given is taken as it is, whatever it costs.
    most_spin = np.where(given & np.append(False, given[:-1]), 360.0, MOST_SPIN + 0.5 * SPIN_STEP)
    weight = FREE_WEIGHT if nodes.free else GIVEN_WEIGHT
    total, last = np.inf, 0
    around = (allowed + 180.0) % 360.0 - 180.0
    for past_cost in (np.inf, PAST):  # past a limit only where nothing else goes all the way
        if total == np.inf:
            total, last = best_way(
                q, around, cost, turns, place, *arm.limits.T.copy(), ENOUGH, arm.rapid, nodes.seconds, most_spin, now, weight, past_cost,
                back, way, np.empty(many),
            )  # fmt: skip
    if total == np.inf:
        return _through(arm, nodes.at(slice(last + 1)), spins[: last + 1], now, root) if last + 1 < n else None
    rows = np.arange(n)
    chosen = q[rows, way[:, 0]] + 360.0 * turns[way[:, 1]]
    past = bool(((chosen < arm.limits[:, 0] - 1e-9) | (chosen > arm.limits[:, 1] + 1e-9)).any())
    start = float((np.abs(chosen[0] - now) / arm.rapid).max())
    return Way(root, spins[rows, way[:, 0]], chosen, n, past, start, float(total % PAST))


def _cost(singular: Floats, good: NDArray[np.bool_]) -> Floats:
    """What it costs to be so many degrees from a singular pose; infinite where there is no good solution."""
    room = np.maximum(np.nan_to_num(singular), LEAST)
    return np.where(good, np.where(room < ENOUGH, (ENOUGH / room) ** 2 - 1.0, 0.0), np.inf)


def _solved(arm: Arm, nodes: Nodes, spins: Floats, root: int, now: Floats) -> tuple[Floats, Floats]:
    """Joint values (n, K, 6) of one root, and what they cost (n, K) by their nearness to singular poses: infinite where there are none,
    or not as asked."""
    n, many = spins.shape
    q, cost = np.zeros((n, many, 6)), np.full((n, many), np.inf)
    if arm.closed:
        left, right, sense = arm.around(nodes.plain, nodes.values)
        for_rows(n * many)
        sine = np.empty((n, many))
        solve_spins(arm.geometry, left, right, sense, spins, root, q, sine)
        good = ~np.isnan(sine)
        if (nodes.back >= 0).any() or (nodes.down >= 0).any() or (nodes.minus >= 0).any():
            good &= nodes.fits(arm.describe(q.reshape(-1, 6)), many).reshape(n, many)
        return q, _cost(np.degrees(np.arcsin(np.minimum(sine, 1.0))), good)
    # Without a closed form each node begins from the one before; the first from everywhere.
    near = np.empty((many, 6))
    for k in range(many):
        if np.isnan(spins[0, k]):
            near[k] = now
            continue
        found, there = arm.roots(arm.wanted(spun(nodes.plain[:1], spins[0, k : k + 1]), nodes.values[:1]))
        near[k] = found[0, root] if there[0, root] else now
    for i in range(n):
        _solve_rows(arm, nodes, spins, root, np.array([i]), near, q, cost)
        good = np.isfinite(cost[i])
        near[good] = q[i, good]
    return q, cost


def _solve_rows(
    arm: Arm, nodes: Nodes, spins: Floats, root: int, rows: NDArray[np.int64], near: Floats, q: Floats, cost: Floats
) -> None:
    """Fill q and cost of some nodes."""
    many = spins.shape[1]
    of = np.repeat(rows, many)
    spin = spins[rows].ravel()
    asked = np.flatnonzero(~np.isnan(spin))
    if not len(asked):
        return
    of = of[asked]
    found, there = arm.root(arm.wanted(spun(nodes.plain[of], spin[asked]), nodes.values[of]), root, near[asked])
    told = arm.describe(found)
    good = there & nodes.at(of).fits(told)
    own = _cost(told.singular, good)
    q.reshape(-1, 6)[of * many + asked % many] = found
    cost.reshape(-1)[of * many + asked % many] = own
