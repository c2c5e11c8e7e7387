"""A machine moved by hand, in a helper (`aside`): the panels of the jobs that were moved last are held, so that every answer comes in milliseconds."""

from collections import OrderedDict
from collections.abc import Callable
from typing import Any

import numpy as np

from accounts.refused import Refused
from bluntmirror.job import Job
from bluntmirror.rehearsal.handling import HandPanel, HeldPiece, Moved

HELD = 8  # panels; whoever asks keeps the same count
Json = dict[str, Any]
_panels: OrderedDict[str, HandPanel] = OrderedDict()


def hold(key: str, job: Job) -> None:
    """A job's panel, under a key that it is asked by from now on. Raises Refused."""
    try:
        _panels[key] = HandPanel(job)
    except ValueError as error:
        raise Refused(str(error)) from error
    while len(_panels) > HELD:
        _panels.popitem(last=False)


def asked(key: str, name: str, *words: Any) -> Any:
    """What a panel that is held answers. Raises Refused."""
    _panels.move_to_end(key)
    try:
        return ASKED[name](_panels[key], *words)
    except ValueError as error:
        raise Refused(str(error)) from error


def _check_values(panel: HandPanel, values: list[float]) -> None:
    if len(values) != len(panel.axes) or not np.isfinite(values).all():
        raise Refused(f"the machine has the axes {' '.join(panel.axes)}: give a number for each")


def move(
    panel: HandPanel, begin: list[float], end: list[float], tool: int, stop: bool, held: list[HeldPiece] | None
) -> Moved:
    for values in (begin, end):
        _check_values(panel, values)
    return panel.with_held(held).move(begin, end, tool, stop)


def lead(
    panel: HandPanel, values: list[float], tool: int, frame_of: str, shift: list[float], turn: list[float], stop: bool, channel: int,
    held: list[HeldPiece] | None,
) -> Moved:  # fmt: skip
    """An arm's tip led along the axes of a frame, and its tool turned about it."""
    panel = panel.with_held(held)
    _check_values(panel, values)
    return panel.move(values, panel.led(values, tool, frame_of, np.array(shift), np.array(turn), channel), tool, stop)


def run_block(
    panel: HandPanel, values: list[float], tool: int, block: str, stop: bool, channel: int, held: list[HeldPiece] | None
) -> Moved:
    if len(block) > 2000 or "\n" in block:
        raise Refused("one block of at most 2000 characters is run at a time")
    _check_values(panel, values)
    return panel.with_held(held).run_block(values, tool, block, stop, channel)


def reached(panel: HandPanel, values: list[float], tool: int, body: str, channel: int, shift: list[float]) -> Json:
    """How many postures of an arm reach each place of a body."""
    _check_values(panel, values)
    link, field = panel.reached(values, tool, body, channel, np.array(shift))
    return {
        "link": link, "places": np.round(field.places, 3).tolist(), "directions": np.round(field.directions, 5).tolist(),
        "count": field.count.tolist(), "least": field.least, "mean": field.mean,
    }  # fmt: skip


def offsets(panel: HandPanel) -> list[Json]:
    """Every work offset: what it is worked out to be, beside what the unit's control holds. Channel 0: the whole job's, as the first
    channel that has none of its own works them out."""
    job = panel.job
    held = job.machine.unit.work_offsets if job.machine.unit else {}
    own = {entry.channel: entry.channel if entry.work_offsets is not None else 0 for entry in job.file.programs}
    first = {of: channel for channel, of in reversed(own.items())}
    return [
        {"name": name, "channel": of, "values": {k: round(v, 6) for k, v in values.items()}, "held": held.get(name),
         "apart": {k: round(values.get(k, 0.0) - v, 6) for k, v in held[name].items()} if name in held else None}
        for of, channel in sorted(first.items()) for name, values in panel.controls[channel].setup.work_offsets.items()
    ]  # fmt: skip


def offset_here(panel: HandPanel, values: list[float], tool: int, channel: int) -> dict[str, float]:
    _check_values(panel, values)
    return panel.offset_here(values, tool, channel)


ASKED: dict[str, Callable[..., Any]] = {
    "move": move, "lead": lead, "run_block": run_block, "reached": reached, "offsets": offsets, "offset_here": offset_here,
}  # fmt: skip
FUNCTIONS: dict[str, Callable[..., Any]] = {"hold": hold, "asked": asked}
