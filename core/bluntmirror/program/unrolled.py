"""Codes that turn cylindrical and polar interpolation on and off (see `flat` for what they are)."""

from __future__ import annotations

from .flat import Cylinder, VirtualPlane
from .words import Words
from .writer import Writer


def cylinder(run: Writer, words: Words, name: str) -> None:
    """G7.1 C r, G107 C r: on with the cylinder's radius, off with C0."""
    run.let_go()
    if name == "cylinder-off" or words.value.get("C", 0.0) == 0.0:
        _off(run)
        return
    if run.control.index("C") < 0 or run.control.index("Z") < 0:
        run.not_carried_out("cylindrical interpolation on a channel without Z and C")
        return
    run.unrolled = Cylinder(run.control, words.value["C"] * run.control.unit)
    run.control.ahead = dict(zip(run.unrolled.names, run.unrolled.here, strict=True))


def virtual_plane(run: Writer, words: Words, name: str) -> None:
    """G12.1, G112: on; G13.1, G113: off."""
    run.let_go()
    if name == "virtual-plane-off":
        _off(run)
        return
    if run.control.index("C") < 0 or run.control.index("X") < 0:
        run.not_carried_out("polar interpolation on a channel without X and C")
        return
    run.unrolled = VirtualPlane(run.control)
    run.control.ahead = dict(zip(run.unrolled.names, run.unrolled.here, strict=True))


def _off(run: Writer) -> None:
    run.unrolled = None
    run.control.ahead = None
