"""One cause is one finding: which motions with the same trouble belong together.

stretch   neighbouring motions with the trouble, without a clear one between them
cause     stretches of one operation that follow closely or are equally bad: a clearance plane set too low shows on every
          row; a stick-out too short, on every level
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

NEAR_MOTIONS = 20  # stretches this few motions apart have one cause
SAME_AMOUNT_MM, SAME_SHARE = 0.02, 0.05  # or those that are this nearly as bad


def causes(
    motion: NDArray, operation: NDArray, amount: NDArray[np.float64], whole_operation: bool = False
) -> list[NDArray[np.int64]]:
    """Group rows (ascending motions) by cause; returns the rows of each group.

    `whole_operation`: everything in one operation has one cause, as with a stick-out.
    """
    if not len(motion):
        return []
    breaks = np.flatnonzero((np.diff(motion) > 1) | (np.diff(operation) != 0)) + 1
    groups: list[list[NDArray[np.int64]]] = []
    worst = 0.0
    for stretch in np.split(np.arange(len(motion)), breaks):
        bad = float(amount[stretch].max())
        if groups:
            before = groups[-1][-1][-1]
            near = int(motion[stretch[0]]) - int(motion[before]) <= NEAR_MOTIONS
            alike = abs(bad - worst) <= max(SAME_AMOUNT_MM, SAME_SHARE * worst)
            if operation[stretch[0]] == operation[before] and (whole_operation or near or alike):
                groups[-1].append(stretch)
                worst = max(worst, bad)
                continue
        groups.append([stretch])
        worst = bad
    return [np.concatenate(parts) for parts in groups]
