"""What is left on the design cleared by a pass more, with a tool that works beside it already.

field   the lowest places of the tip over the stretch: the design's heights dilated by the cutter, so that nothing of it is cut
level   down to the field in steps of half a diameter (common practice)
run     the part of a row that has something to take, from end to end; rows go both ways, so that walls of either direction are met

Only for tools that stand along the grid's Z, in a program whose words are plain places: elsewhere nothing is proposed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from ...findings import Edit
from ...geometry.frames import Floats, apply, inverse
from ...job import models
from ...material.corner_kernel import lowest
from ...material.corners import NOTHING, Profile, heights_of
from ...program.motions import ARC, FEED
from ...rehearsal.result import CutStock, PartCheck
from ...rehearsal.virtual_control import tool_mount, work_mount
from .. import lines
from ..case import Case
from ..change import Change, Rank
from ..proposal import Proposal

ToWords = Callable[[Sequence[float]], Floats]
COLUMNS = 20  # of the field, to a cutter's radius; up to twice as many where the tolerance asks for it
STEP_OVER = 0.4  # of the radius, between rows
PLUNGE = 1 / 3  # of the feed, going down (common practice)
ABOVE_MM = 2.0  # above what is left, at rapid
MOST_SIDE = 700  # columns of a stretch: beyond that it is an operation of its own
MOST_BLOCKS = 600
MOST_TOOLS = 3
LEAST_MM = 0.02  # less is not gone for
ALONG = 0.9999


def clearing(case: Case) -> Iterator[Proposal]:
    """A pass more, by each of the mills that the program works with, the widest first."""
    found = _left(case)
    if found is None:
        return
    cut, part, points = found
    for row, entry in _mills(case, points)[:MOST_TOOLS]:
        yield Clearing(case, cut=cut, part=part, points=points, row=row, entry=entry)


@dataclass(frozen=True)
class Clearing(Proposal):
    """The pass of one mill, worked out only when it is tried."""

    cut: CutStock | None = None
    part: PartCheck | None = None
    points: Floats | None = None
    row: int = -1
    entry: models.ToolEntry | None = None

    def change(self, amount: float) -> Change | None:
        assert self.cut and self.part and self.points is not None and self.entry
        return _Pass(self.case, self.cut, self.part, self.points, self.row, self.entry).change()


def _left(case: Case) -> tuple[CutStock, PartCheck, Floats] | None:
    """The stock, its part, and all places of the finding (grid frame)."""
    for cut in case.result.stocks:
        for spot in cut.part.spots if cut.part else []:
            if spot.kind == "excess" and abs(spot.amount - case.finding.amount) < 1e-9 and len(spot.points):
                assert cut.part
                return cut, cut.part, spot.points
    return None


def places_left(case: Case) -> Floats:
    """Where it is left, in the work's mount, (n, 3)."""
    found = _left(case)
    return apply(found[0].frame, found[2]) if found else np.zeros((0, 3))


def _mills(case: Case, points: Floats) -> list[tuple[int, models.ToolEntry]]:
    """The last cutting motion of every operation of a mill, and its tool; of one tool the last operation."""
    motions = case.strand.reel.motions
    table = {tool.number: tool for tool in case.strand.job.tools.tools}
    last: dict[int, int] = {}
    for row in np.flatnonzero(np.isin(motions.kind, (FEED, ARC))):
        last[int(motions.tool[row])] = int(row)
    mills = [
        (row, table[number]) for number, row in last.items()
        if number in table and isinstance(table[number].cutter, models.EndMill | models.BallMill)
    ]  # fmt: skip
    return sorted(mills, key=lambda pair: -pair[1].cutter.diameter)  # type: ignore[union-attr,operator]


@dataclass
class _Pass:
    case: Case
    cut: CutStock
    part: PartCheck
    points: Floats
    row: int
    entry: models.ToolEntry

    def change(self) -> Change | None:
        motions, snapshot = self.case.motions, self.case.motions.snapshots[int(self.case.motions.snapshot[self.row])]
        after = self.case.line(motions.file_name(self.row), int(motions.line[self.row]) + 1)
        plain = snapshot.frame is None and not snapshot.radius_number and not snapshot.live
        plain = plain and self.case.code("per-minute") in snapshot.codes  # what F means
        if (
            after is None
            or not plain
            or self.case.code("increments") in snapshot.codes
            or motions.file_name(self.row) != self.case.main
        ):
            return None
        words = self._words()
        field = self._field() if words is not None else None
        if words is None or field is None:
            return None
        blocks = self._blocks(words, *field)
        if not blocks or len(blocks) > MOST_BLOCKS:
            return None
        motion_codes = [self.case.code(m) for m in ("rapid", "line", "arc-cw", "arc-ccw")]
        if not any(lines.code(after.text, code) for code in motion_codes):
            blocks.append(f"{self.case.code('line')} F{_feed_word(self._feed)}")
        edits = tuple(Edit(after.program, after.line, None, block) for block in blocks)
        title = f"Before line {after.line}: clear what is left with T{self.entry.number}, {len(blocks)} blocks"
        return Change(title, Rank.LINE, edits, amount=self.case.finding.amount)

    @property
    def _feed(self) -> float:
        """As it was last, in the units of the program."""
        return float(self.case.motions.feed[self.row]) / (25.4 if self.case.inch else 1.0)

    def _words(self) -> ToWords | None:
        """From a place of the tip in the grid's frame to X Y Z words; None where they are not as simple as that."""
        case, chain, job = self.case, self.case.strand.chain, self.case.strand.job
        tool, work = tool_mount(job, chain, self.entry.number), work_mount(job, chain)
        values = case.strand.full(case.motions.end[self.row : self.row + 1])
        pose = inverse(self.cut.frame) @ chain.tool_in_work(tool, work, values)[0]
        if pose[2, 2] < ALONG or not {"X", "Y", "Z"} <= set(case.strand.setup.axes):
            return None
        columns = [case.strand.setup.axes.index(axis) for axis in "XYZ"]
        ways = np.empty((3, 3))
        for i, column in enumerate(columns):
            more = values.copy()
            more[0, case.strand.columns[column]] += 1.0
            ways[:, i] = (inverse(self.cut.frame) @ chain.tool_in_work(tool, work, more)[0])[:3, 3] - pose[:3, 3]
        if abs(np.linalg.det(ways)) < 0.5:
            return None
        tip = pose[:3, 3] - self.entry.length * pose[:3, 2]
        snapshot = case.motions.snapshots[int(case.motions.snapshot[self.row])]
        here = np.array([case.motions.end[self.row, c] - snapshot.offset[c] for c in columns])
        back, unit = np.linalg.inv(ways), 25.4 if case.inch else 1.0
        # The program's Z is that of its register; where that is not the true length the tip is elsewhere, and so is the pass.
        return lambda place: (here + back @ (np.asarray(place) - tip)) / unit

    def _field(self) -> tuple[Floats, Floats, Floats] | None:
        """Tip heights (n, n) and the places (n,) of columns along x and y; only where something is left."""
        assembly = next(a for a in self.case.strand.tools.values() if a.number % 100_000_000 == self.entry.number)
        outline = assembly.outlines().get("cutter")
        if outline is None:
            return None
        profile = Profile.of("", outline)
        radius = profile.radius
        low, high = self.points.min(axis=0) - radius, self.points.max(axis=0) + radius
        fine = float(np.clip(0.6 * self.case.job.file.checks.excess, 0.5 * radius / COLUMNS, radius / COLUMNS))
        step = max(fine, float((high - low)[:2].max()) / MOST_SIDE)
        reach = int(np.ceil(0.5 * float((high - low)[:2].max()) / step)) + 1
        over = int(np.ceil(radius / step)) + 1
        middle = 0.5 * (low + high)
        tops, _ = heights_of(self.part.mesh, middle, reach + over, step)
        across = np.arange(-over, over + 1)
        above = profile.at(np.maximum(np.hypot(*np.meshgrid(across, across, indexing="ij")) * step - 0.75 * step, 0.0))
        tip = np.full((2 * reach + 1, 2 * reach + 1), NOTHING)
        lowest(tops, above, tip)
        x, y = (middle[axis] + (np.arange(2 * reach + 1) - reach) * step for axis in (0, 1))
        from scipy.spatial import cKDTree  # only where there is something to clear

        at = np.column_stack([np.repeat(x, len(y)), np.tile(y, len(x))])
        near = np.isfinite(cKDTree(self.points[:, :2]).query(at, distance_upper_bound=radius)[0]).reshape(tip.shape)
        floor = float(self.points[:, 2].min()) - self.case.finding.amount
        tip = np.where(near & (tip > floor - radius), np.maximum(tip, floor - radius), np.inf)
        return tip, x, y

    def _blocks(self, words: ToWords, tip: Floats, x: Floats, y: Floats) -> list[str]:
        case = self.case
        top = float(self.points[:, 2].max())
        reachable = np.isfinite(tip) & (tip < top - LEAST_MM)
        if not reachable.any():
            return []
        diameter = float(self.entry.cutter.diameter or 0.0)  # type: ignore[union-attr]
        depth = min(0.5 * diameter, float(getattr(self.entry.cutter, "flute_length", diameter) or diameter))
        lowest_tip = float(tip[reachable].min())
        levels = np.linspace(top, lowest_tip, int(np.ceil((top - lowest_tip) / depth)) + 1)[1:]
        stride = max(1, int(STEP_OVER * 0.5 * diameter / float(x[1] - x[0])))
        rapid, cut = case.code("rapid"), case.code("line")
        clear = words([x[0], y[0], top + ABOVE_MM])[2]
        decimals = 4 if case.inch else 3
        feed = self._feed
        blocks: list[str] = [f"{rapid} Z{clear:.{decimals}f}"]
        for n, level in enumerate(levels):
            for along in (0, 1) if n == len(levels) - 1 else (0,):
                heights = tip if along == 0 else tip.T
                a, b = (x, y) if along == 0 else (y, x)
                rows = [i for i in range(heights.shape[1]) if (heights[:, i] < top - LEAST_MM).any()]
                for i in [*rows[::stride], *rows[-1:]]:
                    z = np.maximum(heights[:, i], level)
                    for run in _runs(np.isfinite(heights[:, i]) & (z < top - LEAST_MM)):
                        places = [
                            words([a[j], b[i], h] if along == 0 else [b[i], a[j], h]) for j, h in _way(z[run], run)
                        ]
                        first, *rest = places
                        blocks += [
                            f"{rapid} X{first[0]:.{decimals}f} Y{first[1]:.{decimals}f}",
                            f"{cut} Z{first[2]:.{decimals}f} F{_feed_word(PLUNGE * feed)}",
                        ]
                        for place in rest:
                            blocks.append(
                                f"X{place[0]:.{decimals}f} Y{place[1]:.{decimals}f} Z{place[2]:.{decimals}f} F{_feed_word(feed)}"
                            )
                        blocks.append(f"{rapid} Z{clear:.{decimals}f}")
        return blocks


def _feed_word(feed: float) -> str:
    """Whole, but for slow ones in inches."""
    return f"{feed:.0f}." if feed >= 10.0 else f"{feed:.2f}"


def _runs(mask: np.ndarray) -> list[np.ndarray]:
    """Stretches of neighbours that hold."""
    rows = np.flatnonzero(mask)
    return [run for run in np.split(rows, np.flatnonzero(np.diff(rows) > 1) + 1) if len(run)] if len(rows) else []


def _way(z: Floats, run: np.ndarray) -> list[tuple[int, float]]:
    """A row's places and heights: up before across, across before down, since nothing is known of the design between two columns."""
    way = [(int(run[0]), float(z[0]))]
    for i in range(1, len(run)):
        before, here = float(z[i - 1]), float(z[i])
        if here > before + 1e-6:
            way += [(int(run[i - 1]), here), (int(run[i]), here)]
        else:
            way += [(int(run[i]), before), (int(run[i]), here)]
    kept = way[:1]
    for i in range(1, len(way)):
        level = i + 1 < len(way) and kept[-1][1] == way[i][1] == way[i + 1][1]
        if not level and way[i] != kept[-1]:
            kept.append(way[i])
    return kept
