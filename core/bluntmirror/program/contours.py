"""Roughing and finishing cycles of turning: a contour written once, cut in passes.

contour    the blocks from N P to N Q, as straight and circular spans in the plane Z X
level      where a pass runs: a value of X when roughing along Z, of Z when roughing across
allowance  what is left for finishing: U along X, W along Z
pocket     a stretch in which the contour falls back behind a place that was higher: cut after what lies before it

        A ┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄┄ start, and end of every pass
          ◄──── pass ────╮ 45°
          ◄── pass ──╮   │
        A'────┐      │  contour
              └──────┘
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from . import checks, feeds, moves
from .compensation import Span, turned
from .motions import ARC, FEED, RAPID
from .words import Words
from .writer import Writer

MAX_LEVELS, MAX_PECKS, MAX_BLOCKS = 20_000, 10_000, 1_000_000
HAIR_MM = 1e-6
Point = tuple[float, float]  # Z, X of the shaped contour (X as the slide's own way)


@dataclass
class Contour:
    """`approach`: whether the first block goes to the contour's begin at rapid; `both`: whether it names both axes."""

    begin: Point
    spans: list[Span]
    approach_rapid: bool
    both: bool
    last_line: int


def finish(run: Writer, words: Words) -> None:
    """G70: the contour's own blocks, then back to where it began."""
    lines = _lines(run, words)
    if lines is None:
        return
    control = run.control
    back = {axis: control.program_position(axis) for axis in "XZ"}
    resume, run.row_line = run.at, run.at
    _run_lines(run, *lines)
    run.at = resume
    run.let_go()
    if control.compensation != "compensation-off":
        run.compensation, control.ahead = None, None
        control.compensation = "compensation-off"
    control.motion = "rapid"
    moves.go(run, RAPID, back)
    run.row_line = 0


def rough(run: Writer, words: Words) -> None:
    """G71 along Z, G72 along X: in one block, or two of which the first gives depth and escape."""
    control, held = run.control, run.control.rough_words
    along = "rough-along" in words.g
    depth_letter = "U" if along else "W"
    if "P" not in words and "Q" not in words:
        if depth_letter in words:
            held["depth"] = abs(run.length(words, depth_letter))
        if "R" in words:
            held["escape"] = abs(run.length(words, "R"))
        return
    if "D" in words:
        held["depth"] = run.small(words, "D")
    if held.get("depth", 0.0) <= 0:
        run.report("cycle.missing", f"the roughing cycle has no depth of cut: {depth_letter} in its first block, or D",
                   remedy="Give the depth of one pass.")  # fmt: skip
        return
    contour = _contour(run, words)
    if contour is None:
        return
    checks.check_before_cut(run)
    checks.check_offset(run)
    allowance = _allowance(run, words)
    start = control.program_position("Z"), control.program_position("X")
    _Roughing(run, contour, allowance, start, held["depth"], held.get("escape", 0.0), 0 if along else 1).carry_out()
    run.at = max(run.at, contour.last_line + 1)


def repeat(run: Writer, words: Words) -> None:
    """G73: the contour again and again, nearer each time."""
    control, held = run.control, run.control.rough_words
    if "P" not in words and "Q" not in words:
        held["relief x"] = run.length(words, "U") if "U" in words else 0.0
        held["relief z"] = run.length(words, "W") if "W" in words else 0.0
        held["times"] = words.value.get("R", 1.0)
        return
    for letter, key in (("I", "relief x"), ("K", "relief z")):
        if letter in words:
            held[key] = run.length(words, letter)
    if "D" in words:
        held["times"] = words.value["D"]
    contour = _contour(run, words)
    if contour is None:
        return
    checks.check_before_cut(run)
    checks.check_offset(run)
    allowance = _allowance(run, words)
    back = {axis: control.program_position(axis) for axis in "XZ"}
    # A bare count; written as R3 or, on some posts, R0.003.
    times = held.get("times", 1.0)
    count = max(1, round(times if times >= 1 else times * 1000.0))
    for n in run.steps(MAX_LEVELS, f"the contour is repeated {count:,} times"):
        if n >= count:
            break
        share = 1.0 - n / (count - 1) if count > 1 else 0.0
        shift = allowance[0] + share * held.get("relief z", 0.0), allowance[1] + share * held.get("relief x", 0.0)
        _follow(run, contour, shift)
        moves.go(run, RAPID, dict(back))
    run.at = max(run.at, contour.last_line + 1)


def peck(run: Writer, words: Words) -> None:
    """G74 along Z, G75 along X: in pecks of one letter's step, row by row in the other's."""
    control, held = run.control, run.control.rough_words
    axes = run.absolute(run.axes(words))
    if not axes:
        if "R" in words:
            held["peck back"] = abs(run.length(words, "R"))
        return
    checks.check_before_cut(run)
    checks.check_offset(run)
    along, across = ("Z", "X") if "peck-face" in words.g else ("X", "Z")
    step_letter, row_letter = ("Q", "P") if along == "Z" else ("P", "Q")
    if "I" in words or "K" in words:  # one block: I the step of X, K of Z
        step_letter, row_letter = ("K", "I") if along == "Z" else ("I", "K")
        take = {letter: abs(run.length(words, letter)) for letter in "IK" if letter in words}
    else:
        take = {letter: run.small(words, letter) for letter in "PQ" if letter in words}
    start = {axis: control.program_position(axis) for axis in "XZ"}
    end = {axis: axes.get(axis, start[axis]) for axis in "XZ"}
    step, row = take.get(step_letter, 0.0), take.get(row_letter, 0.0)
    clear = abs(run.length(words, "R")) if "R" in words else run.small(words, "D") if "D" in words else 0.0
    back = held.get("peck back", 0.0)
    width, depth = end[across] - start[across], end[along] - start[along]
    if width and row <= 0:
        run.report(
            "cycle.missing",
            f"the cycle has a width but no step across it ({row_letter})",
            remedy=f"Write {row_letter}.",
        )
        return
    rows = math.ceil(abs(width) / row - 1e-9) if width else 0
    for i in run.steps(MAX_PECKS, f"the cycle has {rows + 1:,} rows"):
        if i > rows:
            break
        place = start[across] + math.copysign(min(i * row, abs(width)), width) if width else start[across]
        moves.go(run, RAPID, {across: place})
        reached = 0.0
        for _ in run.steps(MAX_PECKS, "one row is pecked"):
            if abs(depth) <= reached + HAIR_MM:
                break
            reached = min(abs(depth), reached + step) if step > 0 else abs(depth)
            moves.go(run, FEED, {along: start[along] + math.copysign(reached, depth)})
            if reached < abs(depth) - HAIR_MM and back > 0:
                moves.go(run, RAPID, {along: start[along] + math.copysign(reached - back, depth)})
        if clear and i:
            moves.go(run, RAPID, {across: place - math.copysign(clear, width)})
        moves.go(run, RAPID, {along: start[along]})
    moves.go(run, RAPID, {across: start[across]})


# --- the contour ----------------------------------------------------------------------------------------------------------


def _lines(run: Writer, words: Words) -> tuple[int, int] | None:
    """The lines (from 0) that P and Q name."""
    if run.in_contour:
        run.report("cycle.contour", "a contour calls a cycle of contours: the cycle belongs outside its own contour",
                   remedy="Take the cycle out of the blocks that P and Q name.")  # fmt: skip
        return None
    found = []
    for letter in "PQ":
        if letter not in words:
            run.report("cycle.missing", f"the cycle needs {letter}, the block number of its contour's "
                       f"{'begin' if letter == 'P' else 'end'}", remedy="Number the contour's first and last block, and name both.")  # fmt: skip
            return None
        line = run.line_of(round(words.value[letter]))
        if line is None:
            run.report("call.label", f"there is no block N{words.value[letter]:g} for the contour",
                       remedy="Number the contour's first and last block.")  # fmt: skip
            return None
        found.append(line)
    if found[1] < found[0]:
        run.report("call.label", "the contour's last block stands before its first", remedy="Exchange P and Q.")
        return None
    return found[0], found[1]


def _run_lines(run: Writer, first: int, last: int) -> None:
    run.at = first
    run.in_contour = True
    try:
        depth = len(run.stack)
        for _ in run.steps(MAX_BLOCKS, "the blocks of a contour are carried out"):
            inside = len(run.stack) > depth  # in a subprogram that the contour calls
            if not inside and not first <= run.at <= last:
                break
            run.step()
    finally:
        run.in_contour = False
    if run.at != last + 1:
        run.report("cycle.contour", "a jump leaves the contour before its last block", line=last + 1,
                   remedy="Let the contour run from the block that P names to that of Q.")  # fmt: skip


def _contour(run: Writer, words: Words) -> Contour | None:
    """The contour's spans, without moving anything. F, S, T and compensation in it count for finishing only."""
    lines = _lines(run, words)
    if lines is None:
        return None
    keep, resume, corners = run.control, run.at, run.corners
    run.control, run.collecting, run.corners = keep.copy(), [], None
    begin = keep.program_position("Z"), keep.program_position("X")
    try:
        _run_lines(run, *lines)
        if run.corners:
            run.corners.finish()
    finally:
        found, run.collecting = run.collecting or [], None
        run.control, run.at, run.corners = keep, resume, corners
        run.ready = None
    spans: list[Span] = []
    here, first = begin, None
    for move in found:
        end = move.axes.get("Z", here[0]), move.axes.get("X", here[1])
        if first is None:
            first = move
        elif math.dist(here, end) > HAIR_MM or move.kind == ARC:
            spans.append(Span(here, end, move.centre if move.kind == ARC else None, move.sweep))
        here = end
    if first is None or not spans:
        run.report(
            "cycle.contour",
            "the contour has no moves",
            remedy="P and Q must name the blocks that its moves stand between.",
        )
        return None
    start = spans[0].begin
    both = "X" in first.axes and "Z" in first.axes
    return Contour(start, spans, first.kind == RAPID, both, lines[1])


def _allowance(run: Writer, words: Words) -> Point:
    """Along Z and, as the slide's way, along X."""
    x = run.scaled(words, "U") if "U" in words else 0.0
    return (run.scaled(words, "W") if "W" in words else 0.0), x


def _moved(point: Point, shift: Point) -> Point:
    return point[0] + shift[0], point[1] + shift[1]


def _follow(run: Writer, contour: Contour, shift: Point) -> None:
    """Along the whole contour, shifted."""
    begin = _moved(contour.begin, shift)
    moves.go(run, RAPID, {"Z": begin[0], "X": begin[1]})
    for span in contour.spans:
        _cut(run, span, shift)


def _cut(run: Writer, span: Span, shift: Point) -> None:
    end = _moved(span.end, shift)
    if span.centre is None:
        moves.go(run, FEED, {"Z": end[0], "X": end[1]})
        return
    feed = feeds.feed_rate(run, abs(span.sweep) * span.radius)
    run.move(ARC, {"Z": end[0], "X": end[1]}, feed=feed, plane=1, centre=_moved(span.centre, shift), sweep=span.sweep)


# --- roughing -------------------------------------------------------------------------------------------------------------


@dataclass
class _Roughing:
    """`deep`: 0 when passes run along Z at levels of X, 1 when they run along X at levels of Z. Points are (Z, X)."""

    run: Writer
    contour: Contour
    allowance: Point
    start: Point
    depth: float
    escape: float
    deep: int

    def carry_out(self) -> None:
        run = self.run
        spans = [_shifted(span, self.allowance) for span in self.contour.spans]
        self.level_axis, self.way_axis = (1, 0) if self.deep == 0 else (0, 1)
        begin, end = spans[0].begin, spans[-1].end
        lv, wy = self.level_axis, self.way_axis
        self.inwards = -1.0 if begin[lv] < self.start[lv] else 1.0
        self.onwards = -1.0 if end[wy] < begin[wy] else 1.0
        if not self._fits(spans):
            return
        bottom = max((self.inwards * level for span in spans for level in _reach(span, lv)), default=0.0)
        level = self.start[lv]
        before: float | None = None
        for _ in run.steps(MAX_LEVELS, "the contour is roughed in levels"):
            level += self.inwards * self.depth
            if self.inwards * level >= bottom - HAIR_MM:
                break
            self._pass(spans, level, before)
            before = level
        self._to(RAPID, begin[lv], self.start[wy])
        moves.go(run, RAPID, {"Z": begin[0], "X": begin[1]})
        for span in spans:
            _cut(run, span, (0.0, 0.0))
        moves.go(run, RAPID, {"Z": self.start[0], "X": self.start[1]})

    def _fits(self, spans: list[Span]) -> bool:
        """Whether the contour goes one way along the passes, and whether it may fall back across them."""
        run, ok = self.run, True
        for span in spans:
            if self.onwards * (span.end[self.way_axis] - span.begin[self.way_axis]) < -HAIR_MM:
                run.report("cycle.contour", f"the contour turns back along {'ZX'[self.deep]}: it cannot be roughed in passes",
                           remedy="Let the contour run one way, and cut the rest in an operation of its own.")  # fmt: skip
                return False
            if (
                self.inwards * (span.end[self.level_axis] - span.begin[self.level_axis]) > HAIR_MM
                and not self.contour.both
            ):
                ok = False
        if not ok:
            letters = "X Z" if self.deep == 0 else "Z X"
            run.report("cycle.pocket", "the contour falls back into a pocket; a roughing cycle takes pockets only when the first "
                       f"block of its contour names both axes ({letters})",
                       remedy="Name both axes in the contour's first block, if the control has this form.")  # fmt: skip
        return True

    def _pass(self, spans: list[Span], level: float, before: float | None) -> None:
        """Every stretch of a level in which the contour lies deeper."""
        cuts = self._stretches(spans, level)
        for number, (begin, end) in enumerate(cuts):
            if number == 0 and begin is None:
                self._to(RAPID if self.contour.approach_rapid else FEED, level, self.start[self.way_axis])
            else:
                assert begin is not None
                # Into the pocket down its own slope, from where the level before reached it.
                above = level - self.inwards * self.depth if before is None else before
                earlier = [b for b, _ in self._stretches(spans, above) if b is not None]
                entry = min(earlier, key=lambda w: abs(w - begin)) if earlier else begin
                self._to(RAPID, self.start[self.level_axis], self._way())
                self._to(RAPID, self.start[self.level_axis], entry)
                self._to(RAPID, above - self.inwards * min(self.escape, self.depth), entry)
                self._to(FEED, above, entry)
                self._to(FEED, level, begin)
            self._to(FEED, level, end)
            self._to(FEED, level - self.inwards * self.escape, end - self.onwards * self.escape)
            self._to(
                RAPID, level - self.inwards * self.escape, begin if begin is not None else self.start[self.way_axis]
            )
        if len(cuts) > 1 or (cuts and cuts[0][0] is not None):
            self._to(RAPID, self.start[self.level_axis], self._way())
            self._to(RAPID, self.start[self.level_axis], self.start[self.way_axis])

    def _way(self) -> float:
        return self.run.control.program_position("ZX"[self.way_axis])

    def _stretches(self, spans: list[Span], level: float) -> list[tuple[float | None, float]]:
        """Where along a level the contour lies deeper: (from, to); from None: from the start of the passes."""
        found: list[tuple[float | None, float]] = []
        open_: float | None = None
        deeper = self.inwards * (spans[0].begin[self.level_axis] - level) > HAIR_MM
        started = deeper
        for span in spans:
            for way, into in _crossings(span, level, self.level_axis, self.inwards):
                if into and not deeper:
                    deeper, open_, started = True, way, False
                elif not into and deeper:
                    deeper = False
                    found.append((None if started else open_, way))
                    started = False
        if deeper:
            found.append((None if started else open_, spans[-1].end[self.way_axis]))
        return found

    def _to(self, kind: int, level: float, way: float) -> None:
        point = (way, level) if self.deep == 0 else (level, way)
        moves.go(self.run, kind, {"Z": point[0], "X": point[1]})


def _shifted(span: Span, shift: Point) -> Span:
    centre = None if span.centre is None else _moved(span.centre, shift)
    return Span(_moved(span.begin, shift), _moved(span.end, shift), centre, span.sweep)


def _reach(span: Span, axis: int) -> list[float]:
    """The values of an axis that a span's extremes may have."""
    values = [span.begin[axis], span.end[axis]]
    if span.centre is not None:
        for sign in (-1.0, 1.0):
            top = list(span.centre)
            top[axis] += sign * span.radius
            if abs(turned(span, span.begin, (top[0], top[1]))) <= abs(span.sweep) + 1e-12:
                values.append(top[axis])
    return values


def _crossings(span: Span, level: float, axis: int, inwards: float) -> list[tuple[float, bool]]:
    """Where a span crosses a level, in its order, and whether it goes deeper there."""
    other = 1 - axis
    a, b = inwards * (span.begin[axis] - level), inwards * (span.end[axis] - level)
    if span.centre is None:
        if (a > HAIR_MM) == (b > HAIR_MM):
            return []
        share = a / (a - b)
        return [(span.begin[other] + share * (span.end[other] - span.begin[other]), b > a)]
    height = level - span.centre[axis]
    square = span.radius**2 - height**2
    if square <= 0:
        return []
    found = []
    for sign in (-1.0, 1.0):
        point = [0.0, 0.0]
        point[axis], point[other] = level, span.centre[other] + sign * math.sqrt(square)
        way = turned(span, span.begin, (point[0], point[1]))
        if HAIR_MM < abs(way) < abs(span.sweep) - HAIR_MM or (
            abs(way) <= abs(span.sweep) and (a > HAIR_MM) != (b > HAIR_MM)
        ):
            u = span.direction((point[0], point[1]))
            found.append((abs(way), point[other], inwards * u[axis] > 0))
    return [(place, into) for _, place, into in sorted(found)]
