"""Where something stands: in the frame of a link, which carries it."""

from __future__ import annotations

from dataclasses import dataclass

from ..geometry.frames import Floats, frame, inverse
from ..job.models import Mount
from .chain import Chain


@dataclass(frozen=True)
class Placement:
    """frame (4, 4): a body's own frame in that of the link."""

    link: str
    frame: Floats

    @staticmethod
    def on(mount: Mount) -> Placement:
        return Placement(mount.link, frame(mount.at, mount.turn))

    def pose(self, chain: Chain, values: Floats) -> Floats:
        """Frames (n, 4, 4) in the machine's frame."""
        return chain.pose(self.link, values) @ self.frame

    def handed_over(self, chain: Chain, link: str, values: Floats) -> Placement:
        """The same place, carried by another link from now on; values (k,): every axis as it stands."""
        row = values[None]
        return Placement(link, inverse(chain.pose(link, row)[0]) @ self.pose(chain, row)[0])
