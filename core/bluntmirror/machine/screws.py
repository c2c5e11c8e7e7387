"""The way from one link to another as a row of screws: poses of one body seen from another for any axis values."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..compiled import for_rows
from ..geometry.frames import Floats, frame, inverse
from ..job.models import Link, Mount
from .chain import Chain
from .chain_kernel import place_all, place_origins


@dataclass(frozen=True)
class Screws:
    """rows (n, 8) as `chain_kernel` takes them, nearest to the base first; home (3, 4): the end body's pose with every
    axis at zero; sides (n,): True for joints on the end body's side of where the two ways meet."""

    rows: Floats
    home: Floats
    sides: np.ndarray

    def poses(self, values: Floats) -> Floats:
        """Poses (n, 4, 4) of the end body seen from the base, for axis values (n, k) in the order of the chain's axes."""
        for_rows(len(values))
        result = np.empty((len(values), 4, 4))
        place_all(self.rows, self.home, np.ascontiguousarray(values, dtype=np.float64), result)
        return result

    def origins(self, values: Floats) -> Floats:
        """Where the end body's origin stands, (n, 3)."""
        for_rows(len(values))
        result = np.empty((len(values), 3))
        place_origins(self.rows, self.home, np.ascontiguousarray(values, dtype=np.float64), result)
        return result

    @property
    def turning(self) -> np.ndarray:
        """The columns of the rotary axes on the way."""
        return self.rows[self.rows[:, 0] == 1.0, 1].astype(np.int64)


def between(chain: Chain, base: str, end: str, base_frame: Floats | None = None, end_frame: Floats | None = None) -> Screws:  # fmt: skip
    """The screws from link `base` to link `end`. The frames (4, 4) place the bodies' own origins on their links."""
    standing = inverse(_at_zero(chain, base) @ (np.eye(4) if base_frame is None else base_frame))
    up, down = chain.path_to(base), chain.path_to(end)
    while up and down and up[0].name == down[0].name:
        up, down = up[1:], down[1:]
    rows, sides = [], []
    for link, sign in [*((link, -1.0) for link in reversed(up)), *((link, 1.0) for link in down)]:
        if link.joint is None:
            continue
        joint = link.joint
        direction = standing[:3, :3] @ (sign * np.asarray(joint.direction) / np.linalg.norm(joint.direction))
        point = standing[:3, :3] @ _at_zero(chain, link)[:3, 3] + standing[:3, 3]
        for axis, factor in joint.factors.items():  # a slide moved by several axes: what each adds to its way
            rows.append([float(joint.type == "rotary"), float(chain.axes.index(axis)), *(factor * direction), *point])
            sides.append(sign > 0)
    home = standing @ _at_zero(chain, end) @ (np.eye(4) if end_frame is None else end_frame)
    return Screws(np.array(rows).reshape(-1, 8), np.ascontiguousarray(home[:3]), np.array(sides, np.bool_))


def between_mounts(chain: Chain, base: Mount, end: Mount) -> Screws:
    return between(chain, base.link, end.link, frame(base.at, base.turn), frame(end.at, end.turn))


def _at_zero(chain: Chain, link: str | Link) -> Floats:
    """A link's frame in the machine's with every axis at zero: joints stand off, but do not turn."""
    result = np.eye(4)
    for step in chain.path_to(link if isinstance(link, str) else link.name):
        if step.joint:
            result[:3, 3] += step.joint.at
    return result
