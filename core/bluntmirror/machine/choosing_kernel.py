"""The best way through layers of states: which spin, and which turns of the joints, at every node of a stretch.

state    a spin and a set of whole turns: joint values q[node, spin] + 360 · turns[v]
cost     of a state what it lies near to a limit or a singular pose; of a step the time that the joints take for it

Dynamic programming (Bellman 1957, from memory): the least cost to every state of a node is the least over the states of the node before
of its cost and the step's. So nothing is chosen before all that comes after it is known.
"""

import math

import numpy as np

from ..compiled import njit

MOVED, LATE = 0.2, 5.0  # what a second of each joint's way costs, and one that the feed has to wait for them
PAST = 1e6  # what a degree past a limit costs, beside ROOM a degree within it
LEAST = 1.0  # degrees: nearer than this to a limit or a singular pose is no worse


@njit(cache=True, nogil=True)
def room_cost(degrees, enough):
    """What it costs to be so near to a limit: nothing from `enough` on, the more the nearer, by the square of how near."""
    if degrees >= enough:
        return 0.0
    return (enough / max(degrees, LEAST)) ** 2 - 1.0


@njit(cache=True, nogil=True)
def limit_cost(q, turns, low, high, enough, most_past):
    """Cost of joint values q + 360 · turns (6,) by their least room within travel; past it `most_past` a degree."""
    room = math.inf
    past = 0.0
    for j in range(6):
        value = q[j] + 360.0 * turns[j]
        here = min(value - low[j], high[j] - value)
        if here < -1e-9:
            past -= here
        room = min(room, here)
    if past > 0.0:
        return most_past * (1.0 + past)
    return room_cost(room, enough)


@njit(cache=True, nogil=True)
def best_way(
    q, spins, cost, turns, place, low, high, enough, rapid, seconds, most_spin, now, weight, past, back, way, last
):
    """The cheapest way; returns its cost (infinite where there is none) and the last node that any state reaches.

    q (n, K, 6) degrees; spins (n, K) from −180 to 180, NaN where there is no such state; cost (n, K) of the states but for their turns; turns (V, 6) whole
    turns, −1, 0 or 1, and place (6, 3) what each of a joint's adds to v, −1 for one that it does not have; low, high, rapid (6,) degrees
    and degrees/s; seconds (n,) since the node before at the feed asked for; most_spin (n,) degrees that spin may change by from the
    node before; now (6,) joint values before the first node, `weight` what a second from there costs; `past` what a degree past a limit costs,
    infinite where none may be.
    Fills back (n, K·V), way (n, 2) spin and turns of each node; last (K·V,) is for work.
    """
    n, many, v_many = len(q), q.shape[1], len(turns)
    here = np.empty(many * v_many)
    for k in range(many):
        for v in range(v_many):
            s = k * v_many + v
            if math.isnan(spins[0, k]):
                here[s] = math.inf
                continue
            time, all_of = 0.0, 0.0
            for j in range(6):
                own_time = abs(q[0, k, j] + 360.0 * turns[v, j] - now[j]) / rapid[j]
                time = max(time, own_time)
                all_of += own_time
            here[s] = (
                cost[0, k] + limit_cost(q[0, k], turns[v], low, high, enough, past) + weight * (time + 0.01 * all_of)
            )
    reached = 0
    for i in range(1, n):
        last[:] = here
        here[:] = math.inf
        any_of = False
        for k in range(many):
            if math.isnan(spins[i, k]):
                continue
            own = cost[i, k]
            for before in range(many):
                spin = abs(spins[i, k] - spins[i - 1, before])
                # One way round or the other; what is no state is NaN, and neither.
                if not (spin <= most_spin[i] or 360.0 - spin <= most_spin[i]):
                    continue
                # The turns that follow those of the state before: the same places, no way round.
                for u in range(v_many):
                    base = last[before * v_many + u]
                    if base == math.inf:
                        continue
                    v, time, all_of = 0, 0.0, 0.0
                    for j in range(6):
                        way_there = q[i - 1, before, j] + 360.0 * turns[u, j] - q[i, k, j]
                        turn = round(way_there / 360.0)
                        if turn < -1 or turn > 1 or place[j, turn + 1] < 0:
                            v = -1
                            break
                        v += place[j, turn + 1]
                        own_time = abs(way_there - 360.0 * turn) / rapid[j]
                        time = max(time, own_time)
                        all_of += own_time
                    if v < 0:
                        continue
                    total = base + own + MOVED * all_of + LATE * max(0.0, time - seconds[i])
                    s = k * v_many + v
                    if total < here[s]:
                        here[s] = total
                        back[i, s] = before * v_many + u
        for k in range(many):
            for v in range(v_many):
                s = k * v_many + v
                if here[s] < math.inf:
                    here[s] += limit_cost(q[i, k], turns[v], low, high, enough, past)
                    any_of = True
        if not any_of:
            return math.inf, reached
        reached = i
    best = 0
    for s in range(1, len(here)):
        if here[s] < here[best]:
            best = s
    total = here[best]
    if total == math.inf:
        return total, reached
    s = best
    for i in range(n - 1, -1, -1):
        way[i, 0], way[i, 1] = s // v_many, s % v_many
        s = back[i, s]
    return total, reached
