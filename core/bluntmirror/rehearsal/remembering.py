"""How far the pairs of bodies of an earlier rehearsal, one with the same beginning, were followed: contact goes on from there.

A program is followed in stretches (`Follower.borders`), each from the margin that those before it came to. What a pair came to at a
border depends on the two bodies, on the clearance asked for, on the axes' values up to there and on when each body is there; all of that
makes the key.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from ..contact.bodies import Body
from ..contact.program import Before, Followed, Follower, Pairs
from ..machine.screws import between
from .checkpoints import Arrays, Digest, Store, keys_at, packed, unpacked

COLUMNS = ("rows", "hit", "share", "closest")


class Remembered:
    """The memory of some pairs of bodies in a store of checkpoints."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.keys: dict[int, str] = {}
        self.upto = 0

    def followed(
        self, follower: Follower, pairs: Pairs, near: list[float], tick: Callable[[float], None] | None
    ) -> list[Followed]:
        """The pairs, followed from as far as the store knows them, and kept there."""
        found = follower.follow_all(pairs, near, tick, self.recall(follower, pairs, near))
        self.keep(found)
        return found

    def recall(self, follower: Follower, pairs: list[tuple[Body, Body]], near: list[float]) -> list[Before] | None:
        """What is known of the pairs up to the last border that the store has; None where it has none."""
        borders = follower.borders()
        if not borders:
            return None
        self.keys = keys_at(self._digest(follower, pairs, near), borders, _Chunks(follower, pairs))
        for border, key in sorted(self.keys.items(), reverse=True):
            data = self.store.get(key)
            state = unpacked(data) if data else None
            known = _known(state, border, len(pairs)) if state else None
            if known:
                self.upto = border
                return known
        return None

    def keep(self, followed: list[Followed]) -> None:
        """Put what the pairs came to at every border beyond the one that was recalled into the store."""
        ends = [end for end, _, _ in followed[0].borders] if followed else []
        for number, end in enumerate(ends):
            if end in self.keys and end > self.upto:
                befores = [seen.before(number) for seen in followed]
                state: Arrays = {
                    "margin": np.array([b.margin for b in befores]), "where": np.array([b.where for b in befores]),
                    "count": np.array([len(b.rows) for b in befores]),
                } | {name: np.concatenate([getattr(b, name) for b in befores]) for name in COLUMNS}  # fmt: skip
                self.store.put(self.keys[end], packed(state))

    @staticmethod
    def _digest(follower: Follower, pairs: list[tuple[Body, Body]], near: list[float]) -> Digest:
        digest = Digest()
        digest.take("contact", len(pairs))
        told: set[int] = set()
        turns = False
        for (a, b), asked in zip(pairs, near, strict=True):
            screws = between(follower.chain, a.link, b.link)
            digest.take(a.key, b.key, asked, screws.rows, screws.home)
            turns = turns or any(follower.high[axis] > follower.low[axis] for axis in screws.turning)
            for body in (a, b):
                if id(body) not in told:
                    told.add(id(body))
                    digest.take(
                        *(part for mesh in (*body.solids, *body.pieces) for part in (mesh.vertices, mesh.faces))
                    )
        if turns:  # how far a body reaches from an axis is reckoned over all that the axes do
            digest.take(follower.low, follower.high)
        return digest


class _Chunks:
    """What the segments from one border to the next add to a key."""

    def __init__(self, follower: Follower, pairs: list[tuple[Body, Body]]) -> None:
        bodies = {id(body): body for pair in pairs for body in pair}
        self.values = follower.values
        self.there = np.array([follower.there(body) for body in bodies.values()])

    def __call__(self, first: int, last: int) -> list[Any]:
        return [self.values[first : last + 1], np.packbits(self.there[:, first:last], axis=1)]


def _known(state: Arrays, border: int, pairs: int) -> list[Before] | None:
    """What an archive holds of so many pairs; None where it is not what `keep` puts there."""
    if any(name not in state for name in ("margin", "where", "count", *COLUMNS)) or len(state["count"]) != pairs:
        return None
    ends = np.cumsum(state["count"])
    if any(len(state[name]) != (ends[-1] if pairs else 0) for name in COLUMNS):
        return None
    known = []
    for i, end in enumerate(ends.tolist()):
        rows = slice(end - int(state["count"][i]), end)
        known.append(
            Before(border, float(state["margin"][i]), int(state["where"][i]), *(state[name][rows] for name in COLUMNS))
        )
    return known
