"""Which kinds of change could clear which kinds of finding, in the order in which they are tried within one rank."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from ..case import Case
from ..proposal import Proposal
from . import blocks, clearing, holding, levels, order, poses, postures, setup, tools

Source = Callable[[Case], Iterable[Proposal]]


def proposals(case: Case) -> Iterator[Proposal]:
    """What could be tried; what the program check offers itself comes first."""
    yield from blocks.own_fix(case)
    for source in SOURCES.get(case.finding.kind, ()):
        yield from source(case)
    if case.finding.kind in TURNED:
        yield from postures.another(case)


def _room(case: Case) -> float:
    """How far the two have to go apart: out of each other, and to the clearance that the job asks for."""
    near = case.job.file.checks.near
    return case.finding.amount + (0.0 if case.finding.kind == "contact.near" else max(near, order.CLEAR_MM))


def _collision(case: Case) -> Iterator[Proposal]:
    leans = case.leans(None)
    yield from poses.as_it_came(case)
    yield from poses.along(case, _room(case), order.ROUND)
    yield from poses.left_out(case)
    yield from levels.words(case, leans, _room(case), most=4, coarse=order.ROUND)
    yield from order.retract_before(case)
    yield from order.apart(case)
    if len(case.result.strands) > 1:
        yield from order.home_before(case)
    if "holder" in " ".join(case.finding.bodies) or "shank" in " ".join(case.finding.bodies):
        yield from tools.stick_out(case, _room(case))
        yield from tools.other_tools(case)
    yield from setup.fixtures(case, _room(case))


def _rapid(case: Case) -> Iterator[Proposal]:
    leans = case.leans(None)
    yield from order.retract_before(case)
    yield from levels.words(case, leans[:1], case.finding.amount + order.clear_of(case), most=1, coarse=order.ROUND)
    yield from order.cut_on(case)
    yield from order.leave_as_it_came(case)
    yield from levels.words(case, leans[1:], case.finding.amount + order.clear_of(case), most=2, coarse=order.ROUND)
    yield from order.apart(case)
    yield from order.feed_instead(case)


def _shank(case: Case) -> Iterator[Proposal]:
    yield from tools.stick_out(case, case.finding.amount + max(case.job.file.checks.near_stock, 0.5))
    yield from tools.other_tools(case)
    yield from order.retract_before(case)


def _gouge(case: Case) -> Iterator[Proposal]:
    normal = case.gouge_normal()
    leans = case.leans(normal) if case.row >= 0 else []
    yield from tools.registers(case)
    yield from poses.along(case, case.finding.amount)
    if case.row >= 0:
        yield from levels.circles(case, case.finding.amount)
    yield from levels.words(case, leans, case.finding.amount, most=2)
    yield from levels.stretches(case, leans, case.finding.amount)
    yield from levels.arguments(case, leans, case.finding.amount)
    yield from levels.other_calls(case)
    if len(case.result.strands) > 1:
        yield from holding.deeper(case, case.finding.amount)
    yield from tools.length_register(case, case.finding.amount)


def _excess(case: Case) -> Iterator[Proposal]:
    yield from order.cut_on_to(case, clearing.places_left(case))
    yield from clearing.clearing(case)


def _travel(case: Case) -> Iterator[Proposal]:
    axis = next(
        (name for name in case.strand.setup.axes if case.strand.axis(name) == case.finding.axis), case.finding.axis
    )
    at = case.in_force(axis) if case.row >= 0 else None
    past_high = "+" in case.finding.message.partition(" limit")[0]
    sign = -1.0 if past_high else 1.0
    if at is not None:
        if case.rotary(axis):
            yield levels.Word(case, 360.0, at[0], at[1], sign * case.scale(axis), "Other way round in line")
        yield levels.Word(case, case.finding.amount, at[0], at[1], sign * case.scale(axis))
    if case.row >= 0:
        yield from levels.clamped(case, axis)
    yield from poses.left_out(case)
    yield from setup.shifted(case, case.finding.amount)


def _register(case: Case) -> Iterator[Proposal]:
    yield from tools.registers(case)


def _still(case: Case) -> Iterator[Proposal]:
    yield from blocks.spindle(case)


def _held_short(case: Case) -> Iterator[Proposal]:
    yield from holding.deeper(case, case.finding.amount)


def _early(case: Case) -> Iterator[Proposal]:
    yield from holding.dwell(case, case.finding.amount)
    yield from holding.reordered(case, 1)


def _held(case: Case) -> Iterator[Proposal]:
    yield from holding.reordered(case)


def _speed_of_grip(case: Case) -> Iterator[Proposal]:
    yield from holding.sync_before(case)


# What an arm may be rid of by reaching a stretch otherwise.
TURNED = (
    "travel.over",
    "travel.reach",
    "travel.singular",
    "travel.speed",
    "contact.body",
    "contact.near",
    "contact.shank",
)
SOURCES: dict[str, tuple[Source, ...]] = {
    "program.feed": (blocks.feed,),
    "program.compensation": (blocks.compensation,),
    "program.syntax": (blocks.cycle_word,),
    "program.call": (blocks.missing_call,),
    "program.macro": (blocks.vacant,),
    "program.word": (blocks.unknown_code,),
    "program.tool": (blocks.unknown_tool,),
    "program.wait": (holding.waits,),
    "program.spindle": (blocks.spindle,),
    "program.length": (_register,),
    "tool.register": (_register,),
    "travel.over": (_travel,),
    "travel.reach": (poses.left_out,),
    "contact.body": (_collision,),
    "contact.near": (_collision,),
    "contact.rapid": (_rapid,),
    "contact.shank": (_shank,),
    "contact.still": (_still,),
    "material.gouge": (_gouge,),
    "material.excess": (_excess,),
    "material.depth": (tools.other_tools,),
    "hold.short": (_held_short,),
    "hold.off_centre": (_held_short,),
    "hold.early": (_early,),
    "hold.left": (_held,),
    "hold.dropped": (_held,),
    "hold.pulled": (_held,),
    "hold.nothing": (_held_short, _held),
    "hold.speed": (_speed_of_grip,),
}
