"""Blocks more, blocks apart, blocks in another order: a retract that was forgotten, an approach from another side, a park before."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ...findings import Edit
from ...geometry.frames import Floats
from ...program.motions import FEED, RAPID
from ...rehearsal.virtual_control import tool_mount, work_mount
from .. import lines
from ..case import Case, Line
from ..change import Change
from ..proposal import Once, Proposal, inserted, one_line, told

MOST_FEEDS = 4000  # looked through for the cut that ends nearest
ROUND = 100.0  # of the finest step: places that only have to be clear are written to a tenth of a millimetre
CLEAR_MM = 1.0  # above what it met, where the job asks for no clearance of its own


def clear_of(case: Case) -> float:
    return max(case.job.file.checks.near, CLEAR_MM)


def level_word(case: Case, row: int) -> tuple[str, float, str] | None:
    """The word that lifts the tool off the work, its value at the highest rapid that the operation has beside it, and how it is
    written; None where the axis is unknown or no higher place is."""
    first, last = case.operation_rows
    axis = case.strand.setup.axes[case.operation_axes()[2]] if len(case.strand.setup.axes) > 2 else ""
    if case.turning or axis not in case.strand.setup.axes:
        return None
    column = case.strand.setup.axes.index(axis)
    here = case.motions.begin[row, column]
    best: tuple[float, str] | None = None
    for near in [*range(row - 1, max(first, row - 400), -1), *range(row + 1, min(last, row + 400) + 1)]:
        if int(case.motions.kind[near]) != RAPID or case.motions.end[near, column] <= here + 1e-6:
            continue
        line = case.line_of(near)
        word = lines.find(line.text, axis) if line else None
        if line and word and not lines.code(line.text, "G53") and not lines.code(line.text, "G28"):
            best = float(case.motions.end[near, column] - here), word.text
            return axis, best[0], best[1]
    return None


def retract_before(case: Case) -> Iterator[Proposal]:
    """Lift to a rapid level that the operation has already, before the line, by a block of its own. Only before a rapid: a cut that is
    lifted cuts no more."""
    here = case.line_of(case.row) if case.row >= 0 and int(case.motions.kind[case.row]) == RAPID else None
    level = level_word(case, case.row) if here else None
    if here is None or level is None:
        return
    block = f"{case.code('rapid')} {level[0]}{level[2]}"
    yield inserted(case, here, block, f"Before line {here.line}: {block}")


def apart(case: Case) -> Iterator[Proposal]:
    """One block made two: first along the tool and then across, or the other way round."""
    here = case.line_of(case.row) if case.row >= 0 else None
    if here is None or here.program != case.finding.program:
        return
    axes = [name for name in case.strand.setup.axes if len(name) == 1 and lines.find(here.text, name)]
    if len(axes) < 2:
        return
    alone = axes[-1]
    word = lines.find(here.text, alone)
    assert word
    letter = len(lines.bare(here.text)[: word.begin].rstrip()) - 1
    rest = (here.text[:letter].rstrip() + " " + here.text[word.end :].lstrip()).strip()
    own = f"{alone}{word.text}"
    motion = case.code("rapid") if int(case.motions.kind[case.row]) == RAPID else ""
    first = (here.before(f"{motion} {own}".strip()), here.to(rest))
    yield Once(case, made=Change(f"Line {here.line}: {alone} first, then the others", edits=first))
    yield Once(
        case, made=Change(f"Line {here.line}: {alone} after the others", edits=(here.to(rest), _after(case, here, own)))
    )


def _after(case: Case, line: Line, new: str) -> Edit:
    following = case.line(line.program, line.line + 1)
    return following.before(new) if following else line.before(new)


def feed_instead(case: Case) -> Iterator[Proposal]:
    """The rapid as a cut: where it goes through stock that is to go anyhow."""
    here = case.line_of(case.row) if case.row >= 0 else None
    if here is None or any(kind == "material.gouge" for kind, _ in case.finding.also):
        return
    feed = next(
        (
            line
            for row in range(case.row, case.operation_rows[0], -1)
            if (line := case.line_of(row)) and lines.find(line.text, "F")
        ),
        None,
    )
    word = lines.find(feed.text, "F") if feed else None
    after = case.line(here.program, here.line + 1)
    if word is None or after is None:
        return
    rapid = lines.code(here.text, case.code("rapid"))
    cut = case.code("line")
    new = (
        here.text[: rapid.start()] + cut + here.text[rapid.end() :]
        if rapid
        else lines.insert_after_number(here.text, cut)
    )
    edits = [here.to(lines.add(new, f"F{word.text}"))]
    if not any(lines.code(after.text, case.code(m)) for m in ("rapid", "line", "arc-cw", "arc-ccw")):
        edits.append(after.to(lines.insert_after_number(after.text, case.code("rapid"))))
    yield Once(case, made=Change(f"Line {here.line}: at feed F{word.text} instead of rapid", edits=tuple(edits)))


@dataclass(frozen=True)
class CutOn(Proposal):
    """The last cut before a rapid goes on in its direction, until the tool is out of the blank."""

    line: Line | None = None
    name: str = ""
    sign: float = 1.0
    grows = True

    def change(self, amount: float) -> Change | None:
        assert self.line
        by = self.sign * amount * self.case.scale(self.name)
        made = lines.moved(self.line.text, self.name, by, self.case.increment, ROUND * self.case.step)
        if made is None:
            return None
        return Change(
            f"Line {self.line.line}: cut on to {self.name}{told(made[1], '')}",
            edits=(self.line.to(made[0]),),
            amount=amount,
        )


def cut_on(case: Case) -> Iterator[Proposal]:
    """The cut before a rapid, out to beyond the blank."""
    row = case.row
    while row > 0 and int(case.motions.kind[row]) == RAPID:
        row -= 1
    stock = case.stock()
    if row <= 0 or stock is None:
        return
    corners = np.vstack([mesh.vertices for mesh in case.job.body_meshes[stock.name]])
    yield from _cut_on(case, row, corners)


def cut_on_to(case: Case, points: Floats) -> Iterator[Proposal]:
    """The cuts that end nearest to what is left at some places (work mount), on beyond those."""
    if not len(points):
        return
    motions = case.motions
    feeds = np.flatnonzero(np.isin(motions.kind, (FEED,)))[-MOST_FEEDS:]
    tips = [_tip(case, int(row)) for row in feeds]
    away = np.array([float(np.linalg.norm(points - tip, axis=1).min()) for tip in tips])
    for i in np.argsort(away, kind="stable")[:3]:
        yield from _cut_on(case, int(feeds[i]), points)


def _tip(case: Case, row: int) -> Floats:
    """The tip at the end of a motion, in the work's mount."""
    number = int(case.motions.tool[row])
    chain, job = case.strand.chain, case.strand.job
    pose = chain.tool_in_work(
        tool_mount(job, chain, number), work_mount(job, chain), case.strand.full(case.motions.end[row : row + 1])
    )[0]
    length = next((tool.length for tool in job.tools.tools if tool.number == number), 0.0)
    return np.asarray(pose[:3, 3] - length * pose[:3, 2])


def _cut_on(case: Case, row: int, beyond: Floats) -> Iterator[Proposal]:
    """A cut on in its own direction until the whole tool is beyond some places of the work's mount."""
    line = case.line_of(row)
    step = case.motions.end[row] - case.motions.begin[row]
    column = int(np.argmax(np.abs(step)))
    axis = case.strand.setup.axes[column]
    tool = next((t for t in case.strand.job.tools.tools if t.number == int(case.motions.tool[row])), None)
    way = case.ways_at(row).get(axis)
    if line is None or tool is None or way is None or abs(step[column]) < 1e-6 or not lines.find(line.text, axis):
        return
    direction = way * np.sign(step[column])
    radius = 0.5 * (getattr(tool.cutter, "diameter", None) or 0.0)
    left = float((beyond @ direction).max()) - float(_tip(case, row) @ direction) + radius
    if left > 0:
        yield CutOn(case, left + clear_of(case), line, axis, float(np.sign(step[column])))


def leave_as_it_came(case: Case) -> Iterator[Proposal]:
    """Out along the way that the cut took in: a tool that undercuts cannot be lifted straight."""
    here = case.line_of(case.row) if case.row > 1 else None
    if here is None:
        return
    before = case.motions.begin[case.row - 1]
    step = case.motions.end[case.row - 1] - before
    column = int(np.argmax(np.abs(step)))
    axis = case.strand.setup.axes[column]
    back = case.in_force(axis, case.row - 2)
    if back is None or abs(step[column]) < 1e-6:
        return
    word = lines.find(back[0].text, back[1])
    assert word
    block = f"{case.code('line')} {axis}{word.text}"
    yield inserted(case, here, block, f"Before line {here.line}: back to {axis}{word.text}, as it came")


def home_before(case: Case) -> Iterator[Proposal]:
    """A channel sent to its reference before the last mark that it passes ahead of the finding: parked where it is in nobody's way."""
    for strand in case.result.strands:
        entry = strand.job.file.programs[0]
        texts = case.texts(entry.main)
        homes = [
            text
            for text in texts
            if lines.code(text, strand.setup.dialect.code_of("home")) and "G91" not in text.upper()
        ]
        marks = [
            wait
            for wait in strand.interpreted.waits
            if strand.reel.end_time[min(wait.motion, len(strand.reel.end_time) - 1)] <= case.finding.time + 1e-6
        ]
        if not homes or not marks or not strand.setup.dialect.increment_letters:
            continue
        block = lines.bare(homes[0]).strip()
        for mark in reversed(marks[-2:]):
            line = case.line(mark.program, mark.line)
            if line:
                yield inserted(case, line, block, f"Channel {strand.channel}, before line {line.line}: {block}")


def sooner(case: Case, line: Line | None, most: int = 3) -> Iterator[Proposal]:
    """A block before those that stand before it."""
    if line is None:
        return
    for back in range(1, most + 1):
        target = case.line(line.program, line.line - back)
        if target is None or not target.text.strip():
            return
        yield Once(case, made=Change(f"Line {line.line} before line {target.line}: {line.text.strip()}",
                                     edits=(target.before(line.text), line.to(None))))  # fmt: skip


def later(case: Case, line: Line | None, most: int = 3) -> Iterator[Proposal]:
    """A block after those that follow it."""
    if line is None:
        return
    for on in range(1, most + 1):
        target = case.line(line.program, line.line + on + 1)
        over = case.line(line.program, line.line + on)
        if target is None or over is None:
            return
        yield Once(case, made=Change(f"Line {line.line} after line {over.line}: {line.text.strip()}",
                                     edits=(line.to(None), target.before(line.text))))  # fmt: skip


def taken_out(case: Case, line: Line | None) -> Iterator[Proposal]:
    if line is not None:
        made = one_line(case, line, None, f"Take out line {line.line}: {line.text.strip()}")
        if made:
            yield made
