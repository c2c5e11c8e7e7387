"""What a quantity may be off one way, and what is the first to happen beyond."""

from __future__ import annotations

from dataclasses import dataclass, field

from .quantities import Quantity


@dataclass(frozen=True)
class Bound:
    """Up to `amount` mm nothing happens. `by`: the kind of what happens next (a finding's), "" where nothing is known to: it was asked no
    farther, or not followed to its end. `motion`: where, −1 where that means nothing; `bodies` (of travel: the axis) that it happens to."""

    amount: float
    by: str = ""
    motion: int = -1
    bodies: tuple[str, ...] = ()

    def or_(self, other: Bound) -> Bound:
        """The nearer of two."""
        return other if other.amount < self.amount else self


@dataclass(frozen=True)
class Held:
    """A quantity with its bounds: `less` when it is less than the job says, `more` when it is more. `not_followed`: why nothing is known
    of it."""

    quantity: Quantity
    less: Bound = Bound(0.0)
    more: Bound = Bound(0.0)
    not_followed: str = ""


@dataclass
class Tolerance:
    """How wrong a set-up may be. `reach`: mm that was asked up to; `limits`: what was not asked, in words."""

    reach: float
    held: list[Held] = field(default_factory=list)
    limits: list[str] = field(default_factory=list)
