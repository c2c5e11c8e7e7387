"""The models of job.json, machine.json and tools.json: the open contract, in code.

Lengths are marked with `LENGTH`: a file in inches is turned into millimetres by walking those marks, so that nothing past
loading ever meets an inch.

Annotations are not put off here: the library would read each of them from its text again, at every start.
"""

import itertools
import math
from functools import cache
from types import UnionType
from typing import Annotated, Any, Literal, Self, Union, get_args, get_origin

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator


class _Mark:
    """Marks a field as a length, to be scaled when its file is in inches."""


LENGTH = _Mark()
Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e9, le=1e9)]
Positive = Annotated[float, Field(allow_inf_nan=False, gt=0, le=1e9)]
Triple = tuple[Finite, Finite, Finite]
Pair = tuple[Finite, Finite]
ORIGIN = (0.0, 0.0, 0.0)


class Strict(BaseModel):
    """A field that the format does not have is an error, not something to pass over: it would be a silent omission."""

    # Built when first used: a check needs the three whole files, not each of their parts by itself.
    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)
    notes: str | None = None


# --- shapes -----------------------------------------------------------------------------------------------------------


class Placed(Strict):
    at: Annotated[Triple, LENGTH] = ORIGIN
    turn: Triple = ORIGIN


class Box(Placed):
    type: Literal["box"]
    size: Annotated[tuple[Positive, Positive, Positive], LENGTH]


class Cylinder(Placed):
    type: Literal["cylinder"]
    diameter: Annotated[Positive, LENGTH]
    length: Annotated[Positive, LENGTH]


class Tube(Placed):
    type: Literal["tube"]
    outer: Annotated[Positive, LENGTH]
    inner: Annotated[Positive, LENGTH]
    length: Annotated[Positive, LENGTH]


class MeshFile(Placed):
    type: Literal["mesh"]
    file: str


class Revolve(Placed):
    """`profile`, or a `file` (DXF) that draws it: the axis is the drawing's y axis, what is right of it counts."""

    type: Literal["revolve"]
    profile: Annotated[list[Pair], LENGTH, Field(min_length=3, max_length=10_000)] | None = None
    file: str | None = None

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.profile is None) == (self.file is None):
            raise ValueError("give either `profile` or `file`")
        return self


class Extrude(Placed):
    """`outline`, or a `file` (DXF) that draws it."""

    type: Literal["extrude"]
    outline: Annotated[list[Pair], LENGTH, Field(min_length=3, max_length=100_000)] | None = None
    file: str | None = None
    height: Annotated[Positive, LENGTH]

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.outline is None) == (self.file is None):
            raise ValueError("give either `outline` or `file`")
        return self


class Carried(Placed):
    """What an earlier step of a route left of a stock, drawn in the frame of that body as that step placed it."""

    type: Literal["carried"]
    step: str
    body: str


Shape = Annotated[Box | Cylinder | Tube | MeshFile | Revolve | Extrude | Carried, Field(discriminator="type")]

# --- machine.json -----------------------------------------------------------------------------------------------------


class Joint(Strict):
    """How a link moves against its parent. `travel`, `rapid` and `accel` are those of the slide or the turning body itself.

    A linear joint stands at its axis value; or, with `moved_by`, at the sum of the values of the axes named there, each times
    its factor: a control that makes a square Y of two slides that are not. A rotary joint with a `step` indexes: it stands at
    multiples of it only.
    """

    axis: Annotated[str, Field(min_length=1, max_length=8)]
    type: Literal["linear", "rotary"]
    direction: Triple
    at: Annotated[Triple, LENGTH] = ORIGIN
    travel: tuple[Finite, Finite] | None = None
    rapid: Positive
    accel: Positive
    rollover: Positive | None = None
    moved_by: dict[str, Finite] = {}
    step: Positive | None = None

    @model_validator(mode="after")
    def _sensible(self) -> Self:
        if sum(c * c for c in self.direction) < 1e-12:
            raise ValueError("direction has no length")
        if self.travel and self.travel[0] > self.travel[1]:
            raise ValueError("travel's first value must not be above its second")
        if self.moved_by and (self.type != "linear" or not self.moved_by.get(self.axis)):
            raise ValueError("moved_by is for linear joints and names the joint's own axis too")
        if self.step is not None and self.type != "rotary":
            raise ValueError("step is for rotary joints")
        return self

    @property
    def factors(self) -> dict[str, float]:
        """Axis → how far it moves the joint for each unit of its value."""
        return self.moved_by or {self.axis: 1.0}


class Link(Strict):
    name: Annotated[str, Field(min_length=1)]
    parent: str | None = None
    joint: Joint | None = None
    shapes: list[Shape] = []
    accessory: str | None = None  # a tool setter, catcher, rest, cover: the unit may have it off


class Mount(Strict):
    name: str
    link: str
    at: Annotated[Triple, LENGTH] = ORIGIN
    turn: Triple = ORIGIN
    takes: Literal["tool", "work", "rack"]  # rack: what hangs there is a tool that is not in use
    station: Annotated[int, Field(ge=1, le=1000)] | None = None  # of a turret or magazine


class ArmJoints(Strict):
    """Which joints reach a pose together: the six of the arm, from its foot to what it carries, and the linear ones that carry it."""

    joints: Annotated[list[str], Field(min_length=6, max_length=6)]
    rail: Annotated[list[str], Field(max_length=3)] = []

    @model_validator(mode="after")
    def _each_once(self) -> Self:
        every = [*self.joints, *self.rail]
        if len(set(every)) < len(every):
            raise ValueError("an arm's joint is listed twice")
        return self


class Channel(Strict):
    """`words`: program address → axis of a joint; an axis that none names has its own name as its word."""

    number: Annotated[int, Field(ge=1, le=16)]
    axes: Annotated[list[str], Field(min_length=1)]
    words: dict[Annotated[str, Field(pattern="^[A-Z]$")], str] = {}
    diameters: list[str] = []  # axes whose words and offsets are diameters; the joint moves half as far
    arm: ArmJoints | None = None

    @model_validator(mode="after")
    def _words_fit(self) -> Self:
        if len(set(self.axes)) < len(self.axes):
            raise ValueError("an axis is listed twice")
        for word, axis in self.words.items():
            if axis not in self.axes:
                raise ValueError(f"words: {word} names {axis}, which is none of the channel's axes")
        if len(set(self.words.values())) < len(self.words):
            raise ValueError("words: two of them name one axis")
        if double := next((a for a in self.axes if a in self.words and self.words[a] != a), None):
            raise ValueError(f"words: {double} is the name of another axis of the channel; name that one otherwise")
        return self

    @property
    def word_of(self) -> dict[str, str]:
        """Axis → the name that programs of this channel know it by."""
        return {axis: axis for axis in self.axes} | {axis: word for word, axis in self.words.items()}


class ToolChange(Strict):
    at: Annotated[dict[str, Finite], LENGTH] = {}
    seconds: Annotated[float, Field(ge=0, le=3600, allow_inf_nan=False)] = 0.0
    moves: bool = False
    keeps_spindle: bool = False  # the spindle goes on turning through M6


class MachineCode(Strict):
    """What a code of the machine's own does.

    `spindle` starts (`turns` 1 or −1) or stops (0) the named one, `address` makes it the one that M3 M4 M5, S and C mean,
    `sync` lets the first of `spindles` follow the second in speed and angle until `unsync`; `close` and `open` work a `grip`
    (`waits`: the channel stands meanwhile), `push` pushes the bar behind it out, at most `most`; `meet` is a wait mark whose
    partners are `channels`.
    `live` starts (`turns` 1 or −1) or stops (0) a turret's driven tool; `clamp` and `unclamp` hold and free `axis`; `wait`
    only takes its time (a pallet, an index that no joint models); `macro` calls the subprogram O`program`; `move` sends an
    axis that no program word moves (a name of more than one letter: a quill, a door, a catcher) `to` a value at rapid;
    `offset-turns` lets the work offset, origin and directions, turn with the rotary table (`on`) or not.
    """

    does: Literal["clamp", "unclamp", "wait", "macro", "live", "move", "offset-turns", "spindle", "address", "sync", "unsync",
                  "close", "open", "push", "meet"]  # fmt: skip
    spindle: str | None = None
    spindles: tuple[str, str] | None = None
    grip: str | None = None
    waits: bool = True
    most: Annotated[Positive | None, LENGTH] = None
    channels: list[Annotated[int, Field(ge=1, le=16)]] = []
    turns: Literal[1, -1, 0] = 0
    on: bool | None = None
    axis: str | None = None
    to: Finite | None = None
    program: Annotated[int, Field(ge=1, le=99_999_999)] | None = None
    seconds: Annotated[float, Field(ge=0, le=3600, allow_inf_nan=False)] = 0.0

    @model_validator(mode="after")
    def _complete(self) -> Self:
        if self.does in ("clamp", "unclamp", "move") and not self.axis:
            raise ValueError(f"{self.does} needs its axis")
        if self.does == "move" and (self.to is None or len(self.axis or "") < 2):
            raise ValueError("move needs where `to`, and an axis with a name of more than one letter")
        if (self.does == "offset-turns") != (self.on is not None):
            raise ValueError(
                "offset-turns needs `on`: true or false" if self.on is None else "`on` is for offset-turns"
            )
        if self.does == "macro" and not self.program:
            raise ValueError("macro needs the number of its program")
        needed = {"spindle": "spindle", "address": "spindle", "sync": "spindles", "close": "grip", "open": "grip", "push": "grip",
                  "meet": "channels"}.get(self.does)  # fmt: skip
        if needed and not getattr(self, needed):
            raise ValueError(f"{self.does} needs its `{needed}`")
        if self.does == "push" and self.most is None:
            raise ValueError("push needs the `most` that it pushes, in mm")
        return self


class Turret(Strict):
    """A turret: `axis` is the rotary joint that indexes it (a name of more than one letter, which no program word moves);
    station 1 is in use at 0°, the others follow evenly."""

    axis: Annotated[str, Field(min_length=2, max_length=8)]
    stations: Annotated[int, Field(ge=2, le=100)]
    seconds: Annotated[float, Field(ge=0, le=600, allow_inf_nan=False)] = 0.3


class NamedTurret(Turret):
    """One of several; its tools name it in tools.json, its stations are the mounts that its axis moves."""

    name: Annotated[str, Field(min_length=1)]
    channel: Annotated[int, Field(ge=1, le=16)] = 1


class NamedSpindle(Strict):
    """One of several spindles: it turns the work or the tool that hangs on its mount (whose Z is its axis)."""

    name: Annotated[str, Field(min_length=1)]
    turns: Literal["work", "tool"]
    mount: str
    axis: str | None = None  # the C axis that turns it by degrees
    max_rpm: Positive | None = None
    ramp: Positive | None = None  # rev/min that it gains or loses in a second
    channel: Annotated[int, Field(ge=1, le=16)] = 1


class Jaws(Strict):
    """`axes`: the joints of the links that are its jaws: at value q their faces stand at diameter `drawn` + 2q."""

    axes: Annotated[list[str], Field(min_length=1, max_length=12)]
    drawn: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH]


class Grip(Strict):
    """What holds work on a mount. `reach`: the stretch along the mount's Z where it does; `holds`: least and greatest diameter;
    `least`: the least length that it has to hold; `seconds`: to open or to close."""

    name: Annotated[str, Field(min_length=1)]
    kind: Literal["chuck", "rest", "centre", "bush", "catcher"] = "chuck"
    mount: str
    reach: Annotated[Pair, LENGTH] = (0.0, 0.0)
    holds: Annotated[tuple[Annotated[float, Field(ge=0)], Positive] | None, LENGTH] = None
    least: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] = 0.0
    seconds: Annotated[float, Field(ge=0, le=600, allow_inf_nan=False)] = 0.0
    starts: Literal["open", "closed"] = "open"
    jaws: Jaws | None = None
    box: Annotated[tuple[Positive, Positive, Positive] | None, LENGTH] = None  # of a catcher, centred on its mount

    @model_validator(mode="after")
    def _complete(self) -> Self:
        if self.kind == "catcher":
            if self.box is None:
                raise ValueError("a catcher needs its `box`")
        elif self.reach[0] >= self.reach[1]:
            raise ValueError("reach: from where to where along the mount's Z it holds, the lower value first")
        if self.kind in ("chuck", "rest", "bush") and self.holds is None:
            raise ValueError(f"a {self.kind} needs `holds`: the least and the greatest diameter")
        if self.holds and self.holds[0] > self.holds[1]:
            raise ValueError("holds: the least diameter first")
        if self.jaws and self.holds is None:
            raise ValueError("jaws need `holds`: where they stand open")
        return self


class WorkSpindle(Strict):
    """A spindle that turns the work: the work mount on it (its Z is the spindle's axis), and the C axis, if it has one."""

    mount: str
    max_rpm: Positive | None = None
    axis: str | None = None


class Spindle(Strict):
    """`ramp`: the rev/min that it gains or loses in a second; left out, it takes no time to get to its speed."""

    max_rpm: Positive | None = None
    ramp: Positive | None = None


class Unit(Strict):
    """What one very machine has, beside the model it is built as. `off`: accessories that this unit lacks or has put away."""

    label: str
    serial: str = ""
    off: list[str] = []
    work_offsets: dict[
        str, Annotated[dict[str, Finite], LENGTH]
    ] = {}  # as the floor control holds them, to compare with
    since: str = ""  # when this was read off the machine


class Pace(Strict):
    """How the unit's control keeps to its time, learned from what programs took on it: `corner_seconds` of the time law, the least that a
    block of a cut takes, how far measured times are from those worked out (a share of them, one standard deviation), and how many were
    measured."""

    corner_seconds: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 0.004
    block_seconds: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.0
    spread: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] | None = None
    measured: Annotated[int, Field(ge=0)] = 0


class MachineFile(Strict):
    format: Literal["blunt-mirror/machine@1"]
    name: str
    model: str | None = None
    unit: Unit | None = None
    revision: Annotated[int, Field(ge=1)] | None = None  # of the library that it was taken from
    units: Literal["mm", "inch"] = "mm"
    links: Annotated[list[Link], Field(min_length=1, max_length=500)]
    mounts: list[Mount]
    channels: list[Channel] = [Channel(number=1, axes=["X", "Y", "Z"])]
    reference: dict[Literal["1", "2", "3", "4"], Annotated[dict[str, Finite], LENGTH]] = {}
    tool_change: ToolChange = ToolChange()
    pace: Pace | None = None
    spindle: Spindle = Spindle()
    coolant_seconds: Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)] = 0.0  # waited for, on or off
    turret: Turret | None = None
    work_spindle: WorkSpindle | None = None
    spindles: Annotated[list[NamedSpindle], Field(max_length=32)] = []
    turrets: Annotated[list[NamedTurret], Field(max_length=16)] = []
    grips: Annotated[list[Grip], Field(max_length=64)] = []
    rapid: Literal["straight", "dogleg"] = "straight"
    codes: dict[Annotated[str, Field(pattern=r"^(M\d{1,4}|G\d{1,4}(\.\d)?)$")], MachineCode] = {}
    wait_marks: tuple[Annotated[int, Field(ge=1)], Annotated[int, Field(le=9999)]] | None = (100, 199)  # M codes
    ignore: list[tuple[str, str]] = []

    @model_validator(mode="after")
    def _lists_or_one(self) -> Self:
        if self.spindles and (self.work_spindle or self.spindle.max_rpm):
            raise ValueError("give `spindles`, or `spindle` and `work_spindle`, not both")
        if self.spindles and self.spindle.ramp:
            raise ValueError("`ramp` belongs to each of the `spindles`, where they are listed")
        if self.turrets and self.turret:
            raise ValueError("give `turrets` or `turret`, not both")
        for what in (self.spindles, self.turrets, self.grips, self.channels):
            names = [getattr(item, "name", None) or getattr(item, "number", 0) for item in what]
            if double := next((name for name in names if names.count(name) > 1), None):
                raise ValueError(f"'{double}' is listed twice")
        return self


# --- tools.json -------------------------------------------------------------------------------------------------------


class Milling(Strict):
    """A cutter that turns itself. `core_diameter`: of the middle of its face that does not cut (left out: what its kind is known for);
    `ramp_angle`: the steepest way down, in degrees, that it can take into full material all the same."""

    type: str
    diameter: Annotated[Positive, LENGTH]
    flute_length: Annotated[Positive, LENGTH]
    reach: Annotated[Positive, LENGTH]
    shank_diameter: Annotated[Positive, LENGTH] | None = None
    flutes: Annotated[int, Field(ge=1, le=200)] = 2
    hand: Literal["right", "left"] = "right"
    core_diameter: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] | None = None
    ramp_angle: Annotated[float, Field(ge=0, le=90)] | None = None

    @model_validator(mode="after")
    def _core_fits(self) -> Self:
        if self.core_diameter is not None and self.diameter is not None and self.core_diameter > self.diameter:
            raise ValueError("core_diameter, the middle of the face that does not cut, must not exceed diameter")
        return self

    @model_validator(mode="after")
    def _flutes_fit(self) -> Self:
        if self.flute_length > self.reach + 1e-9:
            raise ValueError("flute_length must not exceed reach (tip to holder face)")
        return self


class EndMill(Milling):
    type: Literal["end-mill"]
    corner_radius: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] = 0.0

    @model_validator(mode="after")
    def _corner_fits(self) -> Self:
        if self.corner_radius > self.diameter / 2 + 1e-9:
            raise ValueError("corner_radius must not exceed half the diameter")
        return self


class BallMill(Milling):
    type: Literal["ball-mill"]


class TaperMill(Milling):
    """A cone with a flat, rounded or ball tip. `tip_diameter` is that of the tip's rounding made whole (a ball's own diameter);
    `angle` is the flank's from the axis. `diameter`: where the cone ends and straight flutes go on; left out, at the flutes' end."""

    type: Literal["taper-mill"]
    diameter: Annotated[Positive, LENGTH] | None = None  # type: ignore[assignment]
    tip_diameter: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH]
    angle: Annotated[float, Field(gt=0, lt=80)]
    corner_radius: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] = 0.0

    @model_validator(mode="after")
    def _tip_fits(self) -> Self:
        if self.corner_radius > self.tip_diameter / 2 + 1e-9:
            raise ValueError("corner_radius must not exceed half the tip_diameter")
        if self.diameter is not None and self.diameter <= self.tip_diameter:
            raise ValueError("tip_diameter is the small end: it must be below diameter")
        if self.corner_radius * (1 - math.sin(math.radians(self.angle))) >= self.flute_length:
            raise ValueError("flute_length ends below the corner: the flank is not reached")
        return self


class SpotDrill(Milling):
    type: Literal["spot-drill"]
    point_angle: Annotated[float, Field(gt=0, lt=180)] = 90.0


class CentreDrill(Milling):
    """A pilot with a point, and a countersink of `angle` (included) above it."""

    type: Literal["centre-drill"]
    pilot_diameter: Annotated[Positive, LENGTH]
    pilot_length: Annotated[Positive, LENGTH]
    point_angle: Annotated[float, Field(gt=0, le=180)] = 118.0
    angle: Annotated[float, Field(gt=0, lt=180)] = 60.0

    @model_validator(mode="after")
    def _pilot_is_small(self) -> Self:
        if self.pilot_diameter >= self.diameter:
            raise ValueError("pilot_diameter must be below diameter")
        return self


class StepDrill(Milling):
    """`steps`: the smaller diameters, each with how far above the tip it ends; `diameter` is the last and largest."""

    type: Literal["step-drill"]
    steps: Annotated[list[Pair], LENGTH, Field(min_length=1, max_length=20)]
    point_angle: Annotated[float, Field(gt=0, le=180)] = 118.0
    step_angle: Annotated[float, Field(gt=0, le=180)] = 90.0

    @model_validator(mode="after")
    def _steps_rise(self) -> Self:
        sizes = [*self.steps, (self.diameter, self.flute_length)]
        if (
            any(b[0] <= a[0] or b[1] <= a[1] for a, b in itertools.pairwise(sizes))
            or sizes[0][0] <= 0
            or sizes[0][1] <= 0
        ):
            raise ValueError(
                "steps [[diameter, end above the tip], …] must grow both in diameter and in height, up to diameter and flute_length"
            )
        return self


class Counterbore(Milling):
    """A flat face that cuts; below it, where it has one, a pilot that only guides. The tip is the pilot's end."""

    type: Literal["counterbore"]
    pilot_diameter: Annotated[Positive, LENGTH] | None = None
    pilot_length: Annotated[Positive, LENGTH] | None = None

    @model_validator(mode="after")
    def _pilot_fits(self) -> Self:
        if (self.pilot_diameter is None) != (self.pilot_length is None):
            raise ValueError("a pilot needs both pilot_diameter and pilot_length")
        if self.pilot_diameter and self.pilot_diameter >= self.diameter:
            raise ValueError("pilot_diameter must be below diameter")
        if (self.pilot_length or 0.0) + self.flute_length > self.reach + 1e-9:
            raise ValueError("pilot_length and flute_length together must not exceed reach")
        return self


class ThreadMill(Milling):
    """Teeth of the basic profile of ISO 68-1 over the flutes, or so many `teeth`; for internal threads, or for external ones."""

    type: Literal["thread-mill"]
    pitch: Annotated[Positive, LENGTH]
    teeth: Annotated[int, Field(ge=1, le=200)] | None = None
    internal: bool = True

    @model_validator(mode="after")
    def _pitch_fits(self) -> Self:
        if self.diameter <= 2 * 0.625 * math.sqrt(3.0) / 2.0 * self.pitch:
            raise ValueError("diameter is too small for teeth of this pitch")
        if self.pitch * ((self.teeth or 1) - 0.25) > self.flute_length + 1e-9:
            raise ValueError("flute_length is too short for its teeth")
        return self


class BoringBar(Milling):
    """A bar with one edge, set to `diameter`; the bar itself (shank_diameter) goes into the bore and does not cut."""

    type: Literal["boring-bar"]
    shank_diameter: Annotated[Positive, LENGTH]

    @model_validator(mode="after")
    def _bar_fits(self) -> Self:
        if self.shank_diameter >= self.diameter:
            raise ValueError("shank_diameter, the bar, must be below diameter, what it bores")
        return self


class Lollipop(Milling):
    """A ball on a thinner neck."""

    type: Literal["lollipop"]
    flute_length: Annotated[Positive, LENGTH] | None = None  # type: ignore[assignment]
    shank_diameter: Annotated[Positive, LENGTH]

    @model_validator(mode="after")
    def _flutes_fit(self) -> Self:
        if self.shank_diameter >= self.diameter:
            raise ValueError("shank_diameter, the neck, must be below diameter, the ball")
        if self.reach <= self.diameter:
            raise ValueError("reach (tip to holder face) must be more than the ball's diameter")
        return self


class FaceMill(Milling):
    """Inserts around a body: `diameter` at the tip, `flute_length` how deep they cut, `angle` between their edge and the face,
    `core_diameter` the middle where none of them cuts, `shank_diameter` the body above them."""

    type: Literal["face-mill"]
    angle: Annotated[float, Field(gt=0, le=90)] = 90.0
    corner_radius: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] = 0.0
    core_diameter: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH]

    @model_validator(mode="after")
    def _corner_fits(self) -> Self:
        if self.corner_radius > self.diameter / 2 or (self.corner_radius and self.angle < 90.0):
            raise ValueError("corner_radius belongs to inserts at 90°, and must not exceed half the diameter")
        return self


class Drill(Milling):
    type: Literal["drill"]
    point_angle: Annotated[float, Field(gt=0, le=180)] = 118.0


class ChamferMill(Milling):
    type: Literal["chamfer-mill"]
    tip_diameter: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] = 0.0
    angle: Annotated[float, Field(gt=0, lt=180)]

    @model_validator(mode="after")
    def _tip_is_small(self) -> Self:
        if self.tip_diameter >= self.diameter:
            raise ValueError("tip_diameter is the small end: it must be below diameter")
        return self


class TSlot(Milling):
    type: Literal["t-slot"]


class Dovetail(Milling):
    type: Literal["dovetail"]
    angle: Annotated[float, Field(gt=0, lt=90)]


class Tap(Milling):
    type: Literal["tap"]
    pitch: Annotated[Positive, LENGTH] | None = None


class Reamer(Milling):
    type: Literal["reamer"]


class ProfileCutter(Milling):
    """A form tool: its `profile`, or the drawing (DXF) that has it, the tool's axis being the drawing's y axis."""

    type: Literal["profile"]
    diameter: Annotated[Positive, LENGTH] | None = None  # type: ignore[assignment]
    flute_length: Annotated[Positive, LENGTH] | None = None  # type: ignore[assignment]
    profile: Annotated[list[Pair], LENGTH, Field(min_length=2, max_length=1000)] | None = None
    file: str | None = None

    @model_validator(mode="after")
    def _flutes_fit(self) -> Self:
        if self.profile is None:
            if self.file is None:
                raise ValueError("a profile cutter needs its profile, or the file of the drawing that has it")
            return self
        heights = [z for _, z in self.profile]
        if any(b < a for a, b in itertools.pairwise(heights)) or abs(heights[0]) > 1e-9:
            raise ValueError("profile goes from the tip (z = 0) up")
        if any(r < 0 for r, _ in self.profile):
            raise ValueError("profile radii must not be negative")
        return self


class Insert(Strict):
    """A turning tool's insert, in the plane of the mount's x and z; the tool points along −z.

    `shape` is the letter of ISO 1832; `lead_angle` the angle between the edge that leads and the feed towards −x (of a
    right-hand tool; a left-hand one is its mirror image). The tip that `length` and `offset` speak of is where the lines
    that touch the nose along x and along z meet. `width`: of a groove or part-off insert; `pitch` of a thread insert.
    """

    type: Literal["insert", "groove", "part-off", "thread-insert"]
    shape: Literal["A", "B", "C", "D", "E", "H", "K", "L", "M", "O", "P", "R", "S", "T", "V", "W"] | None = None
    inscribed_circle: Annotated[Positive, LENGTH] | None = None
    nose_radius: Annotated[float, Field(ge=0), LENGTH] | None = None
    lead_angle: Annotated[float, Field(gt=0, lt=180)] | None = None
    hand: Literal["right", "left", "neutral"] | None = None
    width: Annotated[Positive, LENGTH] | None = None
    pitch: Annotated[Positive, LENGTH] | None = None
    reach: Annotated[Positive, LENGTH] | None = None

    @model_validator(mode="after")
    def _complete(self) -> Self:
        if self.type == "insert" and (self.shape is None or self.inscribed_circle is None):
            raise ValueError("an insert needs its shape and its inscribed_circle")
        if self.type in ("groove", "part-off") and self.width is None:
            raise ValueError(f"a {self.type} insert needs its width")
        return self


Cutter = Annotated[
    EndMill
    | BallMill
    | TaperMill
    | FaceMill
    | Lollipop
    | Drill
    | SpotDrill
    | CentreDrill
    | StepDrill
    | Counterbore
    | ChamferMill
    | TSlot
    | Dovetail
    | ThreadMill
    | Tap
    | Reamer
    | BoringBar
    | ProfileCutter
    | Insert,
    Field(discriminator="type"),
]


class Segment(Strict):
    diameter: Annotated[Positive, LENGTH]
    to_diameter: Annotated[Positive, LENGTH] | None = None
    length: Annotated[Positive, LENGTH]


class Holder(Strict):
    """`segments` are stacked from the holder face towards the gauge point; `shapes` are drawn in the mount's frame, the
    gauge point at the origin (blocks and bars of turning tools, imported holders)."""

    segments: list[Segment] = []
    shapes: list[Shape] = []


class Limits(Strict):
    """What a tool may be asked for: least and most surface speed in m/min, feed per tooth in mm; most that it takes off, cm³/min."""

    surface_speed: tuple[Annotated[float, Field(ge=0)], Positive] | None = None
    feed_per_tooth: Annotated[tuple[Annotated[float, Field(ge=0)], Positive] | None, LENGTH] = None
    removal_rate: Positive | None = None


class ToolEntry(Strict):
    number: Annotated[int, Field(ge=0, le=99_999_999)]
    name: str = ""
    cutter: Cutter
    holder: Holder = Holder()
    length: Annotated[Positive, LENGTH]
    registers: Annotated[dict[Literal["H", "D", "X", "Y", "Z"], Finite], LENGTH] = {}
    station: Annotated[int, Field(ge=1, le=1000)] | None = None
    turret: str | None = None  # where it is mounted, of several; without, it is the first channel's
    rack: str | None = None  # the rack's mount that it hangs in while it is not in the spindle
    limits: Limits = Limits()
    offset: Annotated[Pair, LENGTH] = (0.0, 0.0)  # of the tip beside the mount's axis, along the mount's x and y

    @model_validator(mode="after")
    def _length_fits(self) -> Self:
        reach = self.cutter.reach
        if reach is not None and not isinstance(self.cutter, Insert) and self.length < reach - 1e-9:
            raise ValueError(
                f"length (tip to gauge point, {self.length:g}) must not be less than reach (tip to holder face, {reach:g})"
            )
        return self


class ToolsFile(Strict):
    format: Literal["blunt-mirror/tools@1"]
    name: str | None = None
    units: Literal["mm", "inch"] = "mm"
    tools: Annotated[list[ToolEntry], Field(max_length=5000)]

    @model_validator(mode="after")
    def _numbers_once(self) -> Self:
        seen: set[tuple[str | None, int]] = set()
        for tool in self.tools:
            if (tool.turret, tool.number) in seen:
                raise ValueError(f"tool {tool.number} is listed twice" + (f" on {tool.turret}" if tool.turret else ""))
            seen.add((tool.turret, tool.number))
        return self


# --- job.json ---------------------------------------------------------------------------------------------------------


DIALECTS = ("iso-mill", "iso-turn", "iso-turn-b", "rs274")


class Datum(Strict):
    datum: Annotated[Triple, LENGTH]
    mount: str


class ProgramFile(Strict):
    channel: Annotated[int, Field(ge=1, le=16)] = 1
    main: str
    library: list[str] = []
    dialect: str = "iso-mill"  # iso-mill, iso-turn, iso-turn-b, rs274, or a dialect file of the job ("floor-7.json")
    work_offsets: dict[str, Annotated[dict[str, Finite], LENGTH] | Datum] | None = None  # instead of the job's

    @field_validator("dialect")
    @classmethod
    def _known(cls, value: str) -> str:
        if value not in DIALECTS and not value.endswith(".json"):
            raise ValueError(f"there is no dialect '{value}': {', '.join(DIALECTS)}, or a .json file of the job")
        return value


class Material(Strict):
    """What a body is made of; density in g/cm³, which is 1e-6 kg/mm³."""

    name: str = ""
    density: Annotated[float, Field(gt=0, le=30)] | None = None


class Body(Placed):
    name: Annotated[str, Field(min_length=1)]
    role: Literal["stock", "fixture", "design", "part", "access"]
    mount: str
    shape: Shape | None = None
    shapes: list[Shape] | None = None
    # From which programmed stop (M0, or M1 when it stops) to which the body is there: [0, 1] until the first, [1, null] after.
    present: tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(ge=1)] | None] | None = None
    made_by: dict[str, Any] | None = None  # what a setup screen built it from; nothing else reads it
    material: Material | None = None
    of: str | None = None  # of a design: the piece of stock that is to become it; without, the only stock on its mount

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.shape is None) == (not self.shapes):
            raise ValueError("give either `shape` or `shapes`")
        if any(isinstance(shape, Carried) for shape in self.shapes or []):
            raise ValueError("what an earlier step left is the whole of a stock: give it as its `shape`")
        if isinstance(self.shape, Carried) and self.role != "stock":
            raise ValueError("only stock can be carried from an earlier step")
        return self


class PairRule(Strict):
    """A clearance of its own, or none at all, for some pairs. Names are of bodies, links or tool parts ("T3 holder"), or of
    groups: machine, fixture, part, tool, cutter, shank, holder, insert."""

    between: tuple[str, str]
    near: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] | None = None
    off: bool = False


class Checks(Strict):
    resolution: Annotated[Positive, LENGTH] = 0.5
    gouge: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] = 0.05
    excess: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] = 0.3
    near: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] = 1.0
    near_stock: Annotated[float, Field(ge=0, allow_inf_nan=False), LENGTH] = 0.0
    pairs: Annotated[list[PairRule], Field(max_length=1000)] = []  # the last rule that fits a pair holds
    rules: dict[str, Literal["off", "caution", "stop"]] = {}  # rules of the program check that are set otherwise


class Stretch(Strict):
    """Lines of a program, both ends counted."""

    program: str
    first: Annotated[int, Field(ge=1)]
    last: Annotated[int, Field(ge=1)]


class ShiftedStretch(Stretch):
    by: Annotated[dict[Literal["X", "Y", "Z"], Finite], LENGTH]  # axis → how much farther it goes there


class Posture(Stretch):
    """How an arm reaches the poses of a stretch; what is left out is chosen. `spin`: degrees of the tool mount's x about the tool's
    axis; `rail`: where its linear joints stand. `blend`: so many mm of the tip's way the spin turns in where it changes within a cut, at
    both ends of the stretch; 0: it changes at a G0 alone."""

    spin: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)] | None = None
    shoulder: Literal["front", "back"] | None = None
    elbow: Literal["up", "down"] | None = None
    wrist: Literal["plus", "minus"] | None = None
    rail: Annotated[dict[str, Finite], LENGTH] = {}
    blend: Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False), LENGTH] = 0.0


class KeptPose(Strict):
    """Where an arm stood that is worth going back to: axis → mm or degrees, whatever the file's units. No program knows of it."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    at: dict[str, Finite]


class ReadingLimits(Strict):
    """Where reading a program ends with a finding."""

    blocks: Annotated[int, Field(ge=1, le=100_000_000)] = 2_000_000  # carried out through jumps, loops and calls
    depth: Annotated[int, Field(ge=1, le=1000)] = 64
    seconds: Annotated[float, Field(gt=0, le=86_400)] = 900.0


class Switches(Strict):
    block_skip: list[Annotated[int, Field(ge=1, le=9)]] = []
    optional_stop: bool = False
    loop: Annotated[int, Field(ge=1, le=10_000)] = 1
    feed_override: Annotated[float, Field(gt=0, le=200, allow_inf_nan=False)] = 100.0  # per cent
    rapid_override: Annotated[float, Field(gt=0, le=100, allow_inf_nan=False)] = 100.0
    dry_run: bool = False  # every feed at DRY_RUN_MM_MIN, and no stock is cut
    air_cut: Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False), LENGTH] = (
        0.0  # the work offset raised by so much
    )
    left_out: Annotated[list[Stretch], Field(max_length=1000)] = []  # blocks that are not carried out
    shifts: Annotated[list[ShiftedStretch], Field(max_length=1000)] = []  # blocks carried out farther off


class Step(Strict):
    """One job of a route: its folder in that of the route."""

    name: Annotated[str, Field(min_length=1, max_length=100)]
    job: Annotated[str, Field(min_length=1)]


class RouteFile(Strict):
    """The jobs that one part goes through, in order."""

    format: Literal["blunt-mirror/route@1"]
    name: str
    steps: Annotated[list[Step], Field(min_length=1, max_length=100)]

    @model_validator(mode="after")
    def _names_fit(self) -> Self:
        names = [step.name for step in self.steps]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(f"two steps are called '{name}'")
            if name in (".", "..") or any(c in '/\\:*?"<>|' or ord(c) < 32 for c in name):
                raise ValueError(f"the step name '{name}' is no name that a folder can have")
        return self


class MeasurePlace(Strict):
    """Where a measure is taken: the face, axis (of a round wall), edge, corner or point of the part at a place in the frame of the
    stock's mount."""

    on: Literal["face", "axis", "edge", "corner", "point"]
    at: Annotated[Triple, LENGTH]


class _Measure(Strict):
    name: Annotated[str, Field(min_length=1, max_length=60)]
    stock: str  # a piece that is cut off it as the verdict names it

    places: Annotated[list[MeasurePlace], Field(min_length=1, max_length=2)]


def _ordered(tolerance: Pair | None) -> None:
    if tolerance is not None and tolerance[0] > tolerance[1]:
        raise ValueError("tolerance is the lower deviation, then the upper")


class SizeMeasure(_Measure):
    """`diameter` of a round wall, `distance` of two places, least thickness of a `wall`, `flatness` of a face. `nominal`: in place
    of the design's; `tolerance`: lower and upper deviation from it that are within tolerance."""

    kind: Literal["diameter", "distance", "wall", "flatness"]
    nominal: Annotated[Finite | None, LENGTH] = None
    tolerance: Annotated[Pair | None, LENGTH] = None

    @model_validator(mode="after")
    def _fits(self) -> Self:
        wanted = {"diameter": ["axis"], "wall": ["face"], "flatness": ["face"]}
        if self.kind == "distance":
            if len(self.places) != 2:
                raise ValueError("a distance is measured between two places")
        elif [place.on for place in self.places] != wanted[self.kind]:
            raise ValueError(f"{self.kind} is measured on one place, on: {wanted[self.kind][0]}")
        _ordered(self.tolerance)
        return self


class AngleMeasure(_Measure):
    """The angle of two faces, edges or axes; `nominal` and `tolerance` in degrees."""

    kind: Literal["angle"]
    nominal: Finite | None = None
    tolerance: Pair | None = None

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if len(self.places) != 2 or any(place.on in ("corner", "point") for place in self.places):
            raise ValueError("an angle is measured between two places that have directions: faces, axes or edges")
        _ordered(self.tolerance)
        return self


Measure = Annotated[SizeMeasure | AngleMeasure, Field(discriminator="kind")]
MOST_MEASURES = 500


class JobFile(Strict):
    format: Literal["blunt-mirror/job@1"]
    name: str
    units: Literal["mm", "inch"] = "mm"
    machine: str
    tools: str
    programs: Annotated[list[ProgramFile], Field(min_length=1, max_length=16)]
    bodies: Annotated[list[Body], Field(max_length=500)] = []
    work_offsets: dict[str, Annotated[dict[str, Finite], LENGTH] | Datum] = {}
    variables: dict[Annotated[str, Field(pattern=r"^(\d+|<[^>]+>|[A-Za-z_]\w*)$")], Finite] = {}
    bare_numbers: Literal["mm", "increment"] = "mm"
    switches: Switches = Switches()
    checks: Checks = Checks()
    measures: Annotated[list[Measure], Field(max_length=MOST_MEASURES)] = []
    postures: Annotated[
        list[Posture], Field(max_length=10_000)
    ] = []  # of arms; where two hold for a line, the later one's words
    poses: Annotated[list[KeptPose], Field(max_length=500)] = []
    limits: ReadingLimits = ReadingLimits()

    @model_validator(mode="after")
    def _names_once(self) -> Self:
        names = [b.name for b in self.bodies]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(f"two bodies are called '{name}'")
        return self


# --- units ------------------------------------------------------------------------------------------------------------


def _times(value: Any, factor: float) -> Any:
    if isinstance(value, bool) or value is None or isinstance(value, str):
        return value
    if isinstance(value, int | float):
        return value * factor
    if isinstance(value, dict):
        return {key: _times(item, factor) for key, item in value.items()}
    return type(value)(_times(item, factor) for item in value)


def is_rotary_word(axis: str) -> bool:
    """A, B, C, and B1, C2 of a second one."""
    return axis[0] in "ABC" and (len(axis) == 1 or axis[1:].isdigit())


def _machine_positions(machine: MachineFile, factor: float) -> dict[str, Any]:
    """Positions of axes in millimetres: those of axes that turn stay degrees, whatever their names."""
    linear = {link.joint.axis for link in machine.links if link.joint and link.joint.type == "linear"}

    def moved(values: dict[str, float]) -> dict[str, float]:
        return {axis: value * factor if axis in linear else value for axis, value in values.items()}

    changes: dict[str, Any] = {"reference": {number: moved(values) for number, values in machine.reference.items()}}
    if "tool_change" in machine.model_fields_set:
        changes["tool_change"] = machine.tool_change.model_copy(update={"at": moved(machine.tool_change.at)})
    if "codes" in machine.model_fields_set:
        changes["codes"] = {
            code: scaled.model_copy(update={"to": scaled.to * factor})
            if scaled.to is not None and scaled.axis in linear
            else scaled
            for code, scaled in in_millimetres(machine.codes, factor).items()
        }
    return changes


@cache
def _lengths(kind: type[BaseModel]) -> frozenset[str]:
    """The fields of a model that are marked as lengths. A mark inside an optional (`Annotated[…, LENGTH] | None`) is a mark of
    the field: pydantic keeps it with the alternative, not with the field."""

    def marked(annotation: Any) -> bool:
        if LENGTH in getattr(annotation, "__metadata__", ()):
            return True
        return get_origin(annotation) in (Union, UnionType) and any(map(marked, get_args(annotation)))

    return frozenset(
        name for name, info in kind.model_fields.items() if LENGTH in info.metadata or marked(info.annotation)
    )


def in_millimetres(model: Any, factor: float) -> Any:
    """A copy of a model in which every field marked as a length is multiplied by the factor; what the file leaves out keeps
    its default, which is in millimetres whatever the file's units."""
    if isinstance(model, list | tuple):
        return type(model)(in_millimetres(item, factor) for item in model)
    if isinstance(model, dict):
        return {key: in_millimetres(item, factor) for key, item in model.items()}
    if not isinstance(model, BaseModel):
        return model
    changes: dict[str, Any] = {}
    for name in type(model).model_fields:
        if name not in model.model_fields_set:
            continue
        value = getattr(model, name)
        if name in _lengths(type(model)):
            changes[name] = _times(value, factor)
        elif name in ("reference", "work_offsets") and value is not None:
            changes[name] = {
                key: in_millimetres(axes, factor)
                if isinstance(axes, BaseModel)
                else {a: v if is_rotary_word(a) else v * factor for a, v in axes.items()}
                for key, axes in value.items()
            }
        else:
            changes[name] = in_millimetres(value, factor)
    if isinstance(model, MachineFile):
        changes |= _machine_positions(model, factor)
    if isinstance(model, Joint) and model.type == "linear":
        changes |= {
            "travel": _times(model.travel, factor),
            "rapid": model.rapid * factor,
            "accel": model.accel * factor,
        }
    return model.model_copy(update=changes)
