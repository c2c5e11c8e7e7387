"""Threads and single passes of turning: spindle and slide locked, so that feed is lead times speed.

lead          way along the thread's axis in one turn; on a slope it belongs to the axis that goes farther
infeed        the chip keeps its section when pass n stands at Δd·√n (common practice); never less than the least depth
flank         a pass at depth t begins t·tan(α/2) farther on, so that one flank is cut (α the thread's angle)

     start ┄┄┄┄┄┄┄┄┄┄┄┄┄┄ rapid back ┄┄┄┄┄┄┐
       ┆                                   │ out
       └───────────── thread ──────────────┘
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator

from . import checks, moves
from .motions import FEED, RAPID, THREAD
from .words import Words
from .writer import Writer

MAX_PASSES, MAX_TURNS = 10_000, 100_000


def thread_to(run: Writer, axes: dict[str, float], lead: float) -> None:
    """A move locked to the spindle, to program coordinates."""
    control = run.control
    shaped = control.shaped(axes)
    ways = {axis: abs(value - control.here(axis)) for axis, value in shaped.items()}
    longest, whole = max(ways.values(), default=0.0), math.hypot(*ways.values())
    if longest == 0.0:
        return
    run.cut_since_change = True
    run.move(THREAD, shaped, feed=max(lead * abs(control.speed) * whole / longest, 1e-6))


def _lead(run: Writer, words: Words) -> float | None:
    """The lead in mm; None, reported, where there is none or no spindle to lock to."""
    control = run.control
    lead = words.value["E"] * control.unit if "E" in words else control.feed
    if lead is None:
        run.report("feed.none", "a thread without a lead: no F is set", remedy="Write the lead as F.")
        return None
    checks.check_before_cut(run)
    checks.check_offset(run)
    if control.surface_speed is not None:
        run.report_once(("thread speed", run.at), "thread.surface-speed",
                        "a thread under constant surface speed: its turns change with the diameter",
                        remedy="Cut threads at a fixed speed: G97 S.")  # fmt: skip
    if control.speed == 0.0:
        run.report_once("feed/rev", "feed.no-speed", "a thread, but no spindle speed is set", remedy="Give an S word.")
        return None
    return lead


def straight(run: Writer, words: Words, axes: dict[str, float]) -> None:
    """G32, G33; G34 with a lead that changes by K with every turn."""
    control = run.control
    lead = _lead(run, words)
    if lead is None:
        return
    if control.motion != "thread-growing":
        thread_to(run, axes, lead)
        return
    growth = run.length(words, "K") if "K" in words else 0.0
    begin = {axis: control.program_position(axis) for axis in axes}
    ways = {axis: value - begin[axis] for axis, value in axes.items()}
    longest = max(abs(way) for way in ways.values())
    if longest < 1e-9:
        return
    done = 0.0
    for turn in run.steps(MAX_TURNS, "a thread of changing lead"):
        # In one turn the way is the mean of the leads at its two ends.
        step = lead + growth * (turn + 0.5)
        if step <= 0:
            run.report("thread.lead", "the lead has shrunk to nothing before the end of the thread",
                       remedy="Shorten the thread, or lower the change of lead K.")  # fmt: skip
            return
        done = min(longest, done + step)
        thread_to(run, {axis: begin[axis] + way * done / longest for axis, way in ways.items()}, step)
        if done >= longest:
            return


# --- single passes --------------------------------------------------------------------------------------------------------


def single_pass(run: Writer, words: Words, axes: dict[str, float]) -> None:
    """G90 G92 G94 of system A, G77 G78 G79 of B: in, along, out and back to where it began. X, Z and R are kept."""
    control = run.control
    held = control.cycle_words
    held.update({axis: value for axis, value in run.absolute(axes).items() if axis in "XZ"})
    for letter in "RI":
        if letter in words:
            held["R"] = run.length(words, letter)
    if "X" not in held or "Z" not in held:
        missing = " and ".join(axis for axis in "XZ" if axis not in held)
        code = run.dialect.code_of(control.cycle)
        run.report("cycle.missing", f"{code} lacks {missing}", remedy=f"Write {missing} into its first block.")
        return
    x, z, taper = held["X"], held["Z"], held.get("R", 0.0)
    back = {axis: control.program_position(axis) for axis in "XZ"}
    if control.cycle == "thread-single":
        lead = _lead(run, words)
        if lead is not None:
            _thread_pass(run, x, z, taper, back, lead, run.dialect.settings.thread_run_out / 10.0, 0.0)
        return
    checks.check_before_cut(run)
    if control.cycle == "turn-single":
        moves.go(run, RAPID, {"X": x + taper})
        moves.go(run, FEED, {"X": x, "Z": z})
        moves.go(run, FEED, {"X": back["X"]})
        moves.go(run, RAPID, {"Z": back["Z"]})
    else:
        moves.go(run, RAPID, {"Z": z + taper})
        moves.go(run, FEED, {"X": x, "Z": z})
        moves.go(run, FEED, {"Z": back["Z"]})
        moves.go(run, RAPID, {"X": back["X"]})


def _thread_pass(
    run: Writer,
    x: float,
    z: float,
    taper: float,
    back: dict[str, float],
    lead: float,
    run_out: float,
    ahead: float,
) -> None:
    """One pass at X: in, along to Z, out over `run_out` leads at 45°, back. It begins `ahead` of its start along Z."""
    along = 1.0 if z > back["Z"] else -1.0
    out = 1.0 if back["X"] > x else -1.0
    begin = back["Z"] + along * ahead
    moves.go(run, RAPID, {"X": x + taper, "Z": begin})
    leave = min(run_out * lead, abs(z - begin))
    at = z - along * leave
    share = (at - begin) / (z - begin) if z != begin else 1.0
    thread_to(run, {"X": x + taper * (1.0 - share), "Z": at}, lead)
    if leave > 0:
        thread_to(run, {"X": x + out * leave, "Z": z}, lead)
    moves.go(run, RAPID, {"X": back["X"]})
    moves.go(run, RAPID, {"Z": back["Z"]})


# --- a whole thread -------------------------------------------------------------------------------------------------------


def depths(
    first: float, whole: float, least: float, finishing: float, spring: int, power: float = 0.5
) -> Iterator[float]:
    """The depth of every pass of a thread `whole` deep (mm): first·nᵖ down to the finishing allowance, each at least `least`
    deeper than the last, then `spring` passes at full depth (at least one where an allowance is left)."""
    rough = max(0.0, whole - finishing)
    depth = 0.0
    for n in itertools.count(1):
        depth = max(first * n**power, depth + least)
        if depth >= rough - 1e-9 or depth <= 0.0:
            break
        yield depth
    if rough > 0:
        yield rough
    yield from itertools.repeat(whole, max(spring, 1) if finishing > 0 else max(spring, 0))


def _bounded(run: Writer, depths: Iterator[float]) -> Iterator[float]:
    for depth, _ in zip(depths, run.steps(MAX_PASSES, "the thread is cut in passes"), strict=False):
        yield depth


def passes(run: Writer, words: Words) -> None:
    """G76: a thread in all its passes, in one block or two; in the o-word language by its own words."""
    if run.dialect.o_words:
        _passes_by_own_words(run, words)
        return
    control = run.control
    held = control.thread_words
    axes = run.absolute(run.axes(words))
    if not axes and not ("K" in words or "F" in words):
        if "P" in words:
            code = round(words.value["P"])
            held["spring"], held["run out"], held["angle"] = code // 10_000, code // 100 % 100 / 10.0, code % 100
        if "Q" in words:
            held["least"] = run.small(words, "Q")
        if "R" in words:
            held["finishing"] = run.length(words, "R")
        return
    one_line = "K" in words or "D" in words
    depth_letter, first_letter = ("K", "D") if one_line else ("P", "Q")
    taper = run.length(words, "I") if "I" in words else run.length(words, "R") if "R" in words and not one_line else 0.0
    missing = [letter for letter in ("Z", depth_letter, first_letter) if letter not in words and letter not in axes]
    if missing:
        run.report("cycle.missing", f"the threading cycle lacks {' and '.join(missing)}",
                   remedy="It needs where the thread ends (X Z), how deep it is and how deep its first pass.")  # fmt: skip
        return
    lead = _lead(run, words)
    if lead is None:
        return
    whole = abs(run.length(words, "K")) if one_line else run.small(words, "P")
    first = run.small(words, first_letter)
    angle = words.value.get("A", 0.0) if one_line else held.get("angle", 0.0)
    back = {axis: control.program_position(axis) for axis in "XZ"}
    root, z = axes.get("X", back["X"]), axes["Z"]
    inwards = -1.0 if root + taper < back["X"] else 1.0
    if first <= 0 or whole <= 0:
        run.report(
            "cycle.missing", "the depth of the thread and of its first pass must be above 0", remedy="Give both."
        )
        return
    cut = depths(first, whole, held.get("least", 0.0), held.get("finishing", 0.0), round(held.get("spring", 0)))
    for depth in _bounded(run, cut):
        ahead = depth * math.tan(math.radians(angle) / 2.0)
        _thread_pass(run, root - inwards * (whole - depth), z, taper, back, lead, held.get("run out", 0.0), ahead)


def _passes_by_own_words(run: Writer, words: Words) -> None:
    """P lead, Z end, I from the drive line to the crest, J first and K full depth, R degression, Q flank, H spring passes."""
    control = run.control
    missing = [letter for letter in "PZIJK" if letter not in words]
    if missing:
        run.report(
            "cycle.missing", f"the threading cycle lacks {' and '.join(missing)}", remedy="It needs P Z I J and K."
        )
        return
    if any(letter in words for letter in "EL"):
        run.not_carried_out("tapered ends (E L) of the threading cycle")
        return
    lead = words.value["P"] * control.unit
    checks.check_before_cut(run)
    checks.check_offset(run)
    if control.speed == 0.0:
        run.report_once("feed/rev", "feed.no-speed", "a thread, but no spindle speed is set", remedy="Give an S word.")
        return
    back = {axis: control.program_position(axis) for axis in "XZ"}
    z = run.absolute({"Z": run.scaled(words, "Z")})["Z"]
    crest, inwards = back["X"] + run.length(words, "I"), -1.0 if words.value["I"] < 0 else 1.0
    first, whole = run.length(words, "J"), run.length(words, "K")
    degression = max(1.0, words.value.get("R", 1.0))
    flank = math.tan(math.radians(words.value.get("Q", 0.0)))
    for depth in _bounded(run, depths(first, whole, 0.0, 0.0, round(words.value.get("H", 0.0)), 1.0 / degression)):
        _thread_pass(run, crest + inwards * depth, z, 0.0, back, lead, 0.0, depth * flank)
