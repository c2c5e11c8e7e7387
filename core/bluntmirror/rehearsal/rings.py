"""Which pieces of the path take whole rings off work that spins, and where their outlines stand in the plane of z and r.

z, r      along the work spindle's axis and away from it; the work turns, so that all that the tool covers there goes at every angle
insert    an outline in the plane of X and the spindle: r runs along the way that X moves it
driven    a cutter that turns by itself beside the axis: standing along the axis, it covers its own outline at the distance of the
          two axes; standing across it, in a plane through the axis, the outline of its section with that plane. In any other
          stand it is not worked out here, and `Cutting` says so
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..geometry.frames import Floats
from ..geometry.hull import outline
from ..machine.screws import Screws
from ..material.cut_kernel import CUT, TEST_HOLDER, TEST_SHANK
from ..material.stock import RingSets, ToolSets
from ..tools import Assembly
from ..tools.slabs import section_points

OFF_PLANE_MM = 0.05  # so far beside the plane of X and the spindle a tool's cut is no longer what it would be in it
STRAIGHT_MM = (
    0.002  # by which the way of a driven tool in z and r may leave the straight line between the ends of a piece
)
PARALLEL = 1e-9
ALONG, AGAINST, OUTWARDS = 1, 2, 3  # how a driven tool stands: its axis along the spindle's, against it, away from it

Outlines = list[tuple[int, Floats]]  # of one tool, each with its purpose (CUT or a test)


@dataclass
class Rings:
    """Of every piece (n,): its row in `sets`, where it counts; z and r at its start and their change (n, 2); how far it stands beside
    the plane it is worked out in, mm; whether it is worked out as a ring."""

    sets: RingSets
    tool: np.ndarray
    start: Floats
    delta: Floats
    aside: Floats
    counts: np.ndarray
    centre: Floats


def stand_of(tip: Floats, axis: Floats, turn: Floats, centre: Floats) -> np.ndarray:
    """How driven tools stand (n,) beside a spindle along z through `centre`: 0 where it is none of those worked out here. On the
    axis and along it they only drill, which is no ring. tip, axis (n, 3), turn (n, 3): the axis' change."""
    beside = tip - centre
    level = np.abs(axis[:, 2])
    lateral = np.abs(beside[:, 0] * axis[:, 1] - beside[:, 1] * axis[:, 0])
    stand = np.where(axis[:, 2] > 0, ALONG, AGAINST)
    stand = np.where(level > 1.0 - PARALLEL, stand, np.where((level < 1e-6) & (lateral <= OFF_PLANE_MM), OUTWARDS, 0))
    return np.where(turn.any(axis=1), 0, stand)


def splits(tip: Floats, way: Floats, stand: np.ndarray, axis: Floats, flutes: Floats, centre: Floats) -> np.ndarray:
    """Into how many pieces ways (n, 3) of driven tools must be cut, so that r runs straight in each, and none is longer along the
    tool than its flutes: a shank then goes only where they have been."""
    q, length = _passing(tip, way, centre)
    straight = np.where(q > STRAIGHT_MM, length / (2.0 * np.sqrt(STRAIGHT_MM**2 + 2.0 * q * STRAIGHT_MM)), 1.0)
    along = np.abs(np.einsum("ij,ij->i", way, axis)) / np.maximum(flutes, 1e-6)
    count = np.maximum(np.where(stand == OUTWARDS, 1.0, straight), along)
    return np.where(stand > 0, np.maximum(np.ceil(count - 1e-9), 1.0), 1.0).astype(np.int64)


def _passing(tip: Floats, way: Floats, centre: Floats) -> tuple[Floats, Floats]:
    """How near ways come to the spindle's axis, and their length across it."""
    p, d = (tip - centre)[:, :2], way[:, :2]
    length = np.linalg.norm(d, axis=1)
    t = np.clip(-np.einsum("ij,ij->i", p, d) / np.maximum(length**2, 1e-18), 0.0, 1.0)
    return np.linalg.norm(p + t[:, None] * d, axis=1), length


def driven(
    tools: dict[int, Assembly], number: np.ndarray, stand: np.ndarray, start: Floats, delta: Floats, axis: Floats, slabs: ToolSets,
    centre: Floats,
) -> Rings:  # fmt: skip
    """The rings of driven tools; pieces whose stand is 0 count for nothing."""
    if not stand.any():
        return _none(len(number), centre)
    made: list[Outlines] = []
    row = np.zeros(len(number), np.int64)
    for n in np.unique(number[stand > 0]):
        for how in np.unique(stand[(number == n) & (stand > 0)]):
            row[(number == n) & (stand == how)] = len(made)
            made.append(_outlines(tools[int(n)], slabs, int(how)))
    q, length = _passing(start, delta, centre)
    p, d = (start - centre)[:, :2], delta[:, :2]
    forward = np.where(length[:, None] > 0, d / np.maximum(length, 1e-18)[:, None], 0.0)
    # Through the axis r changes its sign; beside it, it is a distance.
    through = (q <= STRAIGHT_MM) & (length > 0)
    r0 = np.where(through, np.einsum("ij,ij->i", p, forward), np.linalg.norm(p, axis=1))
    r1 = np.where(through, np.einsum("ij,ij->i", p + d, forward), np.linalg.norm(p + d, axis=1))
    out = axis[:, :2]
    r0 = np.where(stand == OUTWARDS, np.einsum("ij,ij->i", p, out), r0)
    r1 = np.where(stand == OUTWARDS, np.einsum("ij,ij->i", p + d, out), r1)
    return Rings(
        RingSets.with_kinds(made), row, np.column_stack([start[:, 2], r0]), np.column_stack([delta[:, 2], r1 - r0]),
        np.zeros(len(number)), stand > 0, centre,
    )  # fmt: skip


def _outlines(tool: Assembly, slabs: ToolSets, stand: int) -> Outlines:
    """What a driven tool covers in the plane of z and r, from its tip: the tests' before the cut's."""
    found: Outlines = []
    for kind in (TEST_HOLDER, TEST_SHANK, CUT):
        first, last = slabs.sets[slabs.row[tool.number], kind]
        sides = [section_points(slab) for slab in slabs.slabs[first:last]]
        if kind == CUT and tool.convex:
            sides = [np.concatenate(sides)]
        for side in sides:
            radius, height = side[:, 0], side[:, 1]
            both = np.concatenate([radius, -radius]), np.concatenate([height, height])
            z, r = both[::-1] if stand != OUTWARDS else both
            found.append((kind, outline(np.column_stack([-z if stand == AGAINST else z, r]))))
    return found


def inserts(
    tools: dict[int, Assembly], rows: np.ndarray, number: np.ndarray, start: Floats, delta: Floats, to_grid: Floats,
    tool_from_work: dict[int, Screws], here: Callable[[int], tuple[Floats, int]], centre: Floats,
) -> Rings:  # fmt: skip
    """The rings of turning tools. `rows`: the pieces that they cut; `here(row)`: the axis values of a piece, and the column of the axis
    that is X to its channel."""
    n_all = len(number)
    if not len(rows):
        return _none(n_all, centre)
    outlines: list[Outlines] = []
    row = np.zeros(n_all, np.int64)
    aside = np.zeros(n_all)
    outward, across = np.zeros((n_all, 3)), np.zeros((n_all, 3))
    counts = np.zeros(n_all, np.bool_)
    counts[rows] = True
    for n in np.unique(number[rows]):
        tool, of = tools[int(n)], rows[number[rows] == n]
        values, column = here(int(of[0]))
        moved = values.copy()
        moved[:, column] += 1.0
        pose = to_grid @ tool_from_work[int(n)].poses(values)[0]
        way = (to_grid @ tool_from_work[int(n)].poses(moved)[0])[:3, 3] - pose[:3, 3]
        out = np.array([way[0], way[1], 0.0]) / np.linalg.norm(way[:2])
        beside = np.cross([0.0, 0.0, 1.0], out)
        # The outline's x and z lie in the mount's x and z; both must lie in the plane of the spindle and X.
        corners = tool.insert[:, :1] * pose[:3, 0] + tool.insert[:, 1:] * pose[:3, 2]
        made: Outlines = []
        for block in tool.blocks:
            placed = (block.vertices - tool.tip) @ pose[:3, :3].T
            made.append((TEST_HOLDER, outline(np.column_stack([placed[:, 2], placed @ out]))))
        row[of] = len(outlines)
        outlines.append([*made, (CUT, np.column_stack([corners[:, 2], corners @ out]))])
        aside[of] = float(np.abs(corners @ beside).max())
        outward[of], across[of] = out, beside
    begin = np.einsum("ij,ij->i", start - centre, across)
    end = begin + np.einsum("ij,ij->i", delta, across)
    aside = np.maximum(aside, np.maximum(np.abs(begin), np.abs(end)))
    r0 = np.einsum("ij,ij->i", start - centre, outward)
    r1 = r0 + np.einsum("ij,ij->i", delta, outward)
    # Beside the plane the tip is as far from the axis as it is, not as far as it is along X.
    off = aside > OFF_PLANE_MM
    r0 = np.where(off, np.copysign(np.hypot(r0, begin), r0), r0)
    r1 = np.where(off, np.copysign(np.hypot(r1, end), r1), r1)
    return Rings(
        RingSets.with_kinds(outlines), row, np.column_stack([start[:, 2], r0]), np.column_stack([delta[:, 2], r1 - r0]), aside,
        counts, centre,
    )  # fmt: skip


def _none(pieces: int, centre: Floats) -> Rings:
    nothing = np.zeros((pieces, 2))
    return Rings(
        RingSets.with_kinds([]), np.zeros(pieces, np.int64), nothing, nothing, np.zeros(pieces), np.zeros(pieces, np.bool_), centre
    )  # fmt: skip


def together(one: Rings, other: Rings) -> Rings:
    """Two that count for different pieces, as one."""
    if not other.counts.any():
        return one
    takes = other.counts
    return Rings(
        one.sets.and_then(other.sets), np.where(takes, other.tool + len(one.sets.of_tool), one.tool),
        np.where(takes[:, None], other.start, one.start), np.where(takes[:, None], other.delta, one.delta),
        np.where(takes, other.aside, one.aside), one.counts | takes, one.centre,
    )  # fmt: skip
