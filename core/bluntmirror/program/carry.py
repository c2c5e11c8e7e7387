"""The motion of a block, or what its one-block code does in place of one."""

from __future__ import annotations

from . import acts, contours, cycles, modes, moves, places, poses, threads, turn_holes
from .calls import Calls
from .meanings import ARCS, SINGLE_PASSES, TURN_CYCLES
from .motions import FEED, RAPID
from .words import Words, arguments
from .writer import Writer

# Codes whose axis words are their own: no motion.
_OWN_AXES = frozenset({"tilt", "scale", "mirror", "rotate", "length-value", "cylinder", "macro-modal", "mirror-off"})


def take(run: Writer, calls: Calls, words: Words) -> None:
    """The motion of a block, or what its one-block code does in place of one."""
    control = run.control
    if "macro" in words.g:
        calls.macro(words)
        return
    for name in words.g:
        act = _INSTEAD.get(name)
        if act:
            if run.setup.arm and name in _NOT_OF_ARMS:
                run.not_carried_out(f"{run.dialect.code_of(name)} on an arm")
                return
            if name not in _HELD:
                _interrupt(run, name)
            act(run, words)
            return
    for code in words.own:
        if code[0] == "G":  # the machine binds it to a macro, or to an act that is done by now
            own = run.setup.codes[code]
            if own.does == "macro":
                calls.enter(own.program or 0, given=arguments(words))
            return
    if any(name in _OWN_AXES for name in words.g):
        return
    axes = run.axes(words)
    exact = control.exact_mode or "exact-once" in words.g
    if "machine-coordinates" in words.g:
        _interrupt(run, "machine-coordinates")
        places.in_machine_coordinates(run, axes, exact)
        return
    if run.setup.arm:
        poses.take(run, words, axes, exact)
        return
    if control.cycle:
        if axes or "R" in words or any(control.cycle == name for name in words.g):
            _interrupt(run, control.cycle)
            _cycle(run, words, axes)
        return
    if run.unrolled is not None:
        axes = run.unrolled.flat(axes)
    if control.polar and axes:
        axes = modes.from_polar(run, axes)
    else:
        axes = run.absolute(axes)
    if control.motion in ARCS:
        if axes or any(letter in words for letter in "IJKR"):
            moves.arc(run, words, axes, exact)
    elif control.motion in ("thread", "thread-growing"):
        if axes:
            threads.straight(run, words, axes)
    else:
        if control.tip_control == "tip-vector" and any(letter in words for letter in "IJK"):
            axes |= places.by_vector(run, words)
        if axes or ",A" in words:
            moves.straight(run, RAPID if control.motion == "rapid" else FEED, axes, exact, words)


def _cycle(run: Writer, words: Words, axes: dict[str, float]) -> None:
    """One block under a modal cycle."""
    cycle = run.control.cycle
    one = (
        threads.single_pass if cycle in SINGLE_PASSES
        else turn_holes.drill_cycle if cycle in TURN_CYCLES
        else cycles.carry_out
    )  # fmt: skip
    one(run, words, axes)


def _interrupt(run: Writer, name: str) -> None:
    """What cannot be done while compensation is on: it ends here, as if cancelled."""
    run.let_go()
    if run.compensation and run.compensation.begun and not run.compensation.ending and name not in _INSIDE:
        code = run.dialect.code_of(name)
        run.report("compensation.interrupted", f"{code} under cutter compensation: the control gives it up, or raises an alarm",
                   remedy="Cancel it with G40 on a straight move before.")  # fmt: skip
        run.give_up_compensation()


# Acts that look-ahead holds as it holds a motion, and those that finish under compensation may carry out.
_HELD = frozenset({"dwell"})
# What would have to know where the axes of a Cartesian machine stand.
_NOT_OF_ARMS = frozenset({"skip", "probe", "set-position", "along-plane", "finish-contour", "rough-along", "rough-across", "rough-repeat",
                          "peck-face", "peck-side", "thread-passes"})  # fmt: skip
_INSIDE = frozenset({"data", "speed-limit", "finish-contour"})


_INSTEAD = {
    "dwell": places.dwell, "home": places.reference, "home-other": places.reference, "along-plane": places.along_the_plane, "skip": places.skip,
    "probe": places.skip, "local-shift": places.local_shift, "set-position": places.set_position, "set-position-off": places.position_off,
    "set-position-pause": places.position_pause, "set-position-back": places.position_back, "data": acts.data,
    "speed-limit": acts.speed_limit, "finish-contour": contours.finish, "rough-along": contours.rough,
    "rough-across": contours.rough, "rough-repeat": contours.repeat, "peck-face": contours.peck,
    "peck-side": contours.peck, "thread-passes": threads.passes,
}  # fmt: skip
