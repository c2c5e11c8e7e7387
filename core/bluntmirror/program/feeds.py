"""The feed and the spindle speed of a motion, as the modes in force make them.

G94  mm/min          G95  mm/rev × rev/min          G93  the whole move F times a minute: length · F
G96  rpm = 1000·v / (π·d), d the diameter at the tip, v in m/min (from the definition of surface speed)
"""

from __future__ import annotations

import math

import numpy as np

from ..geometry.frames import Floats
from .compensation import Move
from .frames import apart, into
from .motions import ARC, FEED
from .run import Run

ALTERNATIVE_FEED = 100.0  # mm/min, so that time goes on where a program forgot its feed; reported as program.feed
LEAST_DIAMETER_MM = 0.1  # below it the surface speed's rpm is that of the limit


def feed_rate(run: Run, length: float) -> float:
    """mm/min in force; `length` is needed under inverse-time feed."""
    control = run.control
    if control.feed is None:
        if "feed" not in run.told:
            run.told.add("feed")
            run.report(
                "feed.none", "a cutting move, but no feed is set", remedy="Give an F word at or before this block."
            )
        return ALTERNATIVE_FEED
    if control.feed_mode == "per-revolution":
        if control.surface_speed is not None:
            return control.feed * max(control.speed, 1e-3)
        if control.elsewhere:
            return ALTERNATIVE_FEED  # until it is known how fast another channel lets the spindle turn
        if control.speed == 0:
            run.report_once("feed/rev", "feed.no-speed", "feed per revolution, but no spindle speed is set",
                            remedy="Give an S word, or a feed per minute.")  # fmt: skip
            return ALTERNATIVE_FEED
        return control.feed * control.speed
    if control.feed_mode == "inverse-time":
        return max(length * control.feed, 1e-6)
    return control.feed


def way(run: Run, target: list[float], begin: Floats | None, move: Move, in_frame: bool) -> float:
    """The length of a straight way: of the tip's over the work from the shaped point `begin`, or of the axes'."""
    control = run.control
    if begin is not None and in_frame and (solver := control.solver):
        frame = control.frame(control.length_applied)
        length = apart(begin, into(frame, solver.zero_place(target, frame.length, frame.work_only)))
        if length > 1e-9:
            return length
        return float(np.sqrt(sum((target[i] - control.machine[i]) ** 2 for i in run.rotary)))
    change = [b - a for a, b in zip(control.machine, target, strict=True)]
    linear = float(np.sqrt(sum(d * d for i, d in enumerate(change) if i not in run.rotary)))
    return linear if linear > 1e-12 else float(np.sqrt(sum(d * d for d in change)))


def rpm_at(run: Run, x: float) -> float:
    """rev/min at a slide position of X: fixed, or what the surface speed asks for."""
    control = run.control
    if control.surface_speed is None:
        return control.speed
    diameter = abs(2.0 * (x - control.offset("X")))
    limits = [limit for limit in (control.speed_limit, run.setup.max_rpm) if limit]
    asked = 1000.0 * control.surface_speed / (math.pi * max(diameter, LEAST_DIAMETER_MM))
    return min([asked, *limits])


def by_surface_speed(run: Run, kind: int, target: list[float], feed: float) -> tuple[float, float]:
    """Spindle speed and feed of a motion under constant surface speed: both follow the diameter along the way; the two
    ends give the mean."""
    control = run.control
    column = control.index("X")
    if column < 0:
        return control.rpm, feed
    control.speed = rpm_at(run, target[column])
    if control.running.get(control.addressed):
        control.running[control.addressed] = control.spindle * control.speed  # it follows while the slide moves
    if kind in (FEED, ARC) and control.feed_mode == "per-revolution" and control.feed is not None:
        mean = 0.5 * (rpm_at(run, control.machine[column]) + rpm_at(run, target[column]))
        feed = max(control.feed * mean, ALTERNATIVE_FEED * 1e-3)
    return control.rpm, feed
