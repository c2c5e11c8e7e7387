"""Material left where no tool of the table could have taken it: what is said of it, and how round a cutter would be that could."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..geometry.distance import Solid
from ..geometry.frames import Floats, apply
from ..geometry.mesh import Mesh
from ..job import models
from ..job.channel import tool_key
from ..material.corners import Profile, about, left_by, turned_to, within
from ..tools.slabs import R0, R1
from .result import Rehearsal
from .scene import tool_name
from .segments import RING, Segments

ABOUT = 1.5  # times what is left: how far about the worst place the corner is asked
MORE_MM = 0.02  # beyond the tolerance, before a point counts as left
ALIKE_DEGREES = 3.0
MOST_SIDES = 12  # that a place is looked at from; of a program that works from more nothing is said
FARTHEST = 2.0  # times the slimmest mill's radius: no farther about it than that
HALVINGS = 6
LEAST_RADIUS_MM = 0.05  # of a cutter that is advised
SLIMMER = 0.85
ACROSS = 9  # points on a side of the box in which a radius is decided
WAIST_MM = 0.01  # narrower than that below the rest it comes in beneath nothing
PLUNGING = (
    models.Drill,
    models.Reamer,
    models.Tap,
    models.SpotDrill,
    models.CentreDrill,
    models.StepDrill,
    models.Counterbore,
)


class Corners:
    """Asks of places of one stock whether any tool could have made them, from where the program works."""

    def __init__(self, result: Rehearsal, segments: Segments, design: Mesh, solid: Solid, blank: Mesh) -> None:
        checks = result.job.file.checks
        self.design, self.solid, self.blank = design, solid, Solid.of(blank)
        self.gouge, self.excess = checks.gouge, checks.excess
        upright = segments.mode != RING
        self.sides = _apart(segments.axis[upright]) if upright.any() else np.zeros((0, 3))
        self.cutters = sorted(_profiles(result), key=lambda cutter: -cutter.radius)

    def said_of(self, place: Floats, amount: float) -> tuple[str, str]:
        """Why no tool of the table could take what is left at a place (grid frame), and what would help; empty where one could, or where
        that is not known."""
        if len(self.sides) > MOST_SIDES:  # from one of so many it may well be reached
            return "", ""
        mills = [cutter for cutter in self.cutters if not cutter.plunges]
        if not mills:
            return "", ""
        points = self._beyond(about(place, min(ABOUT * amount, FARTHEST * mills[-1].radius)), MORE_MM)
        if not len(points):
            return "", ""
        looks = [_Look.from_(side, self.design) for side in self._towards(place)]
        left = points
        for cutter in self.cutters:
            for look in looks:
                stays = look.left(cutter, left, self.gouge)
                if stays is None:
                    return "", ""
                left = left[stays]
                if not len(left):
                    return "", ""
        radius = self._would(looks, left, mills[-1].radius)
        told = f"no tool of the table can take it from where the program works: {mills[-1].name}, the slimmest, has a radius of {mills[-1].radius:g}"
        return told, (
            f"Take a cutter with a radius of {np.floor(100 * radius) / 100:g} or less there, or have the design made rounder."
            if radius >= LEAST_RADIUS_MM
            else "Reach it from another side, or in another setup."
        )

    def _beyond(self, points: Floats, more: float = 0.0) -> Floats:
        """Those of some points that lie farther off the design than the tolerance, and where there was ever anything to take."""
        points = points[self.solid.distance(points) > self.excess + more]
        return points[self.blank.distance(points) < 0.0] if len(points) else points

    def _towards(self, place: Floats) -> Floats:
        """All sides, first those that the surface of the design looks to there."""
        step = 1e-3
        beside = self.solid.distance(place + step * np.concatenate([np.eye(3), -np.eye(3)]))
        outwards = beside[:3] - beside[3:]
        return np.asarray(self.sides[np.argsort(-(self.sides @ outwards), kind="stable")])

    def _would(self, looks: list[_Look], left: Floats, too_wide: float) -> float:
        """The radius of a ball that leaves no more than the tolerance; 0 where none is found. What a slimmer one leaves lies in what a
        wider one left, so that the points come closer together where it is decided."""
        low, high = left.min(axis=0), left.max(axis=0)
        margin = ABOUT * float(np.linalg.norm(high - low)) / ACROSS
        low, high = low - margin, high + margin
        least, most = 0.0, too_wide
        for _ in range(HALVINGS):
            radius = 0.5 * (least + most)
            if radius < float((high - low).min()) / ACROSS:  # so slim a one would have to come many times
                break
            stay = self._left_by_ball(radius, looks, within(low, high, ACROSS))
            if len(stay):
                most = radius
                wide = (high - low) / (ACROSS - 1)
                low, high = stay.min(axis=0) - wide, stay.max(axis=0) + wide
            else:
                least = radius
        for _ in range(HALVINGS):  # what so few points passed over
            if not least or not len(self._left_by_ball(least, looks, within(low, high, 2 * ACROSS))):
                break
            least *= SLIMMER
        return least

    def _left_by_ball(self, radius: float, looks: list[_Look], points: Floats) -> Floats:
        points = self._beyond(points)
        for look in looks:
            stays = look.left(Profile.ball(radius), points, 0.0, -1) if len(points) else None
            points = points if stays is None else points[stays]
        return points


@dataclass(frozen=True)
class _Look:
    """A design as it stands with Z along a direction, and the frame (4, 4) that takes points there."""

    design: Mesh
    turn: Floats

    @staticmethod
    def from_(side: Floats, design: Mesh) -> _Look:
        turn = turned_to(side)
        return _Look(design.moved(turn), turn)

    def left(self, cutter: Profile, points: Floats, gouge: float, doubt: int = 1) -> Any:
        """`left_by` of points in the grid's frame."""
        return left_by(cutter, self.design, apply(self.turn, points), gouge, doubt)


def _profiles(result: Rehearsal) -> Iterator[Profile]:
    """Every tool of the table that turns, once of each shape."""
    seen = set()
    for entry in result.job.tools.tools:
        assembly = result.tools[tool_key(result.job.machine, entry)]
        outline = assembly.outlines().get("cutter")
        if outline is None or (shape := tuple(outline)) in seen:
            continue
        seen.add(shape)
        rounds = np.concatenate([assembly.cutting, assembly.shank])[:, [R0, R1]]
        waist = bool((rounds.min(axis=1) < np.maximum.accumulate(rounds.max(axis=1)) - WAIST_MM)[1:].any())
        yield Profile.of(tool_name(entry), outline, isinstance(entry.cutter, PLUNGING), waist)


def _apart(axes: Floats) -> Floats:
    """Directions (n, 3) of which no two are alike; of very many no more than one beyond MOST_SIDES."""
    left = axes / np.linalg.norm(axes, axis=1, keepdims=True)
    found: list[Floats] = []
    while len(left) and len(found) <= MOST_SIDES:
        found.append(left[0])
        left = left[left @ left[0] < np.cos(np.radians(ALIKE_DEGREES))]
    return np.array(found).reshape(-1, 3)
