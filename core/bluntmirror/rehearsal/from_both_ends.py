"""One rehearsal by two workers, from both ends: each does all of it, in an order of its own, and takes from the store what the other has done.

Pairs of bodies are followed in parts, one worker beginning with the first and the other with the last; so are stocks cut. What comes out is what one
alone would come to, bit for bit, since a checkpoint is: nothing is divided up, nobody waits for anybody, and one that is lost costs time alone.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import TypeVar

from ..contact.program import Followed, Follower, Following, Pairs
from .checkpoints import Store
from .remembering import Remembered
from .result import Side

PARTS = 8
T = TypeVar("T")


def ordered(items: Sequence[T], side: Side) -> list[T]:
    return list(reversed(items)) if side == "back" else list(items)


def following(follower: Follower, store: Store | None, side: Side) -> Following:
    """How the pairs of a rehearsal are followed: from as far as the store knows them."""
    if store is None:
        return follower.follow_all
    if not side:
        return partial(Remembered(store).followed, follower)
    return partial(_in_parts, follower, store, side)


def _in_parts(
    follower: Follower, store: Store, side: Side, pairs: Pairs, near: list[float], tick: Callable[[float], None] | None
) -> list[Followed]:
    """Every pair; each part holds one of so many, since pairs that are alike lie beside each other and cost alike."""
    parts = [list(range(first, len(pairs), PARTS)) for first in range(min(PARTS, len(pairs)))]
    found: dict[int, Followed] = {}
    for part in ordered(parts, side):
        told = tick and partial(_told, tick, len(found) / len(pairs), len(part) / len(pairs))
        own = Remembered(store).followed(follower, [pairs[i] for i in part], [near[i] for i in part], told)
        found |= dict(zip(part, own, strict=True))
    return [found[i] for i in range(len(pairs))]


def _told(tick: Callable[[float], None], before: float, whole: float, share: float) -> None:
    tick(before + whole * share)
