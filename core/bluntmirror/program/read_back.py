"""A block said in plain words: what its codes do, where the tool goes, how fast, what is worked out."""

from __future__ import annotations

import math

import numpy as np

from .control import Setup
from .meanings import ARCS, CYCLES, MEANINGS
from .motions import ARC, DWELL, FEED, KIND_NAMES, PLANE_AXES, RAPID, THREAD, TOOL_CHANGE, Motions
from .reader import Block, Unreadable
from .state import State
from .words import make_plan

_MOVES = {RAPID: "rapid", FEED: "straight cut", ARC: "arc", THREAD: "thread"}
_SILENT = {"rapid", "line", "thread", "nothing", "call", "return", "change", "end", "end-rewind"} | ARCS


def number(value: float) -> str:
    """A number for people: three decimals at most, a real minus sign."""
    text = f"{value:.3f}".rstrip("0").rstrip(".")
    return ("−" + text[1:]) if text.startswith("-") and text != "-0" else text.removeprefix("-")


def places(values: dict[str, float]) -> str:
    return ", ".join(f"{axis} {number(value)}" for axis, value in values.items())


def read_back(
    block: Block | Unreadable,
    setup: Setup,
    before: State | None,
    after: State | None,
    motions: Motions | None,
    rows: tuple[int, int],
    seconds: float = 0.0,
    above: float | None = None,
) -> list[str]:
    """Sentences, without full stops. `rows`: the motions that the block made; `above`: mm that the tip is over the top of the
    work at its end, below it negative; None where that means nothing."""  # fmt: skip
    if isinstance(block, Unreadable):
        return [f"cannot be read: {block}"]
    if before is None or after is None:
        return ["nothing reaches this block"]
    said: list[str] = []
    if block.skip:
        said.append(f"left out while block skip {block.skip} is on")
    for assignment in block.assignments:
        name = assignment.target.text
        value = after.variables.get(name if name.startswith("#<") else f"#{name[1:]}")
        said.append(f"{name} becomes {'vacant' if value is None else number(value)}")
    plan = make_plan(block)
    words = None
    if plan.literal and block.words:
        plan.classify(setup.dialect, frozenset(setup.codes))
        words = plan.words
    if words is not None:
        said += _codes(words.g, words.m, words.own, setup, after)
        if "T" in words and "change" not in words.m:
            said.append(f"tool {number(words.value['T'])} is called")
        if "S" in words and after.surface_speed is None and not any(name.startswith("spindle-c") for name in words.m):
            said.append(f"spindle {after.spindle}, {number(after.speed)} rev/min")
        if "call" in words.m or "macro" in words.g:
            said.append(
                f"calls O{words.value.get('P', 0):.0f}" + (f", {words.value['L']:.0f} times" if "L" in words else "")
            )
        if "return" in words.m:
            said.append(
                f"back to {after.program_name}, line {after.line + 1}" if before.calls else "back to the beginning"
            )
        if "end" in words.m or "end-rewind" in words.m:
            said.append("end of the program")
    if block.flow:
        said.append(_flow(block, after))
    if motions is not None and rows[1] > rows[0]:
        said.append(_motion(motions, rows, before, after, seconds, above))
    elif after.feed is not None and after.feed != before.feed:
        said.append(f"feed {number(after.feed)}")
    said += [f"({comment})" for comment in block.comments]
    return said or ["nothing to do"]


def _codes(g: tuple[str, ...], m: tuple[str, ...], own: tuple[str, ...], setup: Setup, after: State) -> list[str]:
    said = []
    for name in g:
        group = MEANINGS[name].group
        if name in _SILENT or name in CYCLES:
            continue
        if group == "work offset":
            said.append(f"work offset {after.work_offset} ({places(after.offset)})")
        elif group == "length offset" and name != "length-off":
            h, value = after.registers["H"]
            said.append(f"{MEANINGS[name].says}: H{h}, {number(value)}")
        elif group == "cutter compensation" and name != "compensation-off":
            d, value = after.registers["D"]
            said.append(f"{MEANINGS[name].says}: " + (f"D{d}, " if d else "") + f"radius {number(value)}")
        else:
            said.append(MEANINGS[name].says)
    for name in m:
        if name == "change":
            said.append(f"tool {after.tool} into use")
        elif name not in _SILENT and not (name.startswith("spindle-") and name != "spindle-off"):
            said.append(MEANINGS[name].says)
        elif name.startswith("spindle-"):
            said.append(f"spindle on, {after.spindle}, {number(after.speed)} rev/min")
    for code in own:
        act = setup.codes.get(code)
        said.append(
            f"wait mark {code}"
            if act is None or act.does == "meet"
            else f"{code}: {act.does} {act.axis or act.spindle or act.grip or act.program or ''}".rstrip()
        )
    return said


def _flow(block: Block, after: State) -> str:
    assert block.flow
    flow = block.flow
    asked = f" {flow.test.text}" if flow.test else ""
    kind = flow.kind.removeprefix("o-").replace("-", " ")
    return f"{kind}{asked}: goes on at line {after.line + 1}"


def _motion(
    motions: Motions, rows: tuple[int, int], before: State, after: State, seconds: float, above: float | None
) -> str:
    first, last = rows
    kinds = motions.kind[first:last]
    moving = np.flatnonzero(np.isin(kinds, list(_MOVES)))
    took = f", {seconds:.1f} s"
    if not len(moving):
        name = KIND_NAMES[int(kinds[0])]
        if int(kinds[0]) == DWELL:
            return f"dwells {number(float(motions.seconds[first]))} s"
        return "tool change" + took if int(kinds[0]) == TOOL_CHANGE else name
    moved = {axis: value for axis, value in after.program.items() if value != before.program.get(axis)}
    where = f" to {places(moved)}" if moved else ""
    if len(moving) > 1:
        cuts = int(np.isin(kinds, (FEED, ARC, THREAD)).sum())
        return f"{len(moving)} moves, {cuts} of them cutting, ending{where or ' where it began'}{took}"
    kind, row = int(kinds[moving[0]]), first + int(moving[0])
    text = _MOVES[kind] + where
    if kind == ARC:
        one, two = PLANE_AXES[int(motions.plane[row])][:2]
        here = motions.begin[row]
        axes = motions.axes
        radius = (
            math.dist((here[axes.index("XYZ"[one])], here[axes.index("XYZ"[two])]), motions.centre[row])
            if not motions.in_frame[row]
            else 0.0
        )
        sense = "counter-clockwise" if motions.sweep[row] > 0 else "clockwise"
        text = (
            f"arc {sense}{where}"
            + (f", radius {number(radius)}" if radius else "")
            + f", {abs(math.degrees(motions.sweep[row])):.1f}°"
        )
    if kind != RAPID:
        text += f", at {number(float(motions.feed[row]))} mm/min"
    text += took
    if above is not None and after.tool:
        place = f"{number(abs(above))} mm {'above' if above >= 0 else 'below'} the top of the work"
        text += f"; tool {after.tool} {'stays' if kind == RAPID else 'ends'} {place}"
    return text
