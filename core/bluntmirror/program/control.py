"""The state of the virtual control: everything modal, the offset tables, and where the axes stand.

program point   as the block says it
shaped point    after mirror image, scaling and rotation
machine         axis values: the shaped point plus work offset, shifts and length, or through a tool frame
"""

from __future__ import annotations

import copy
from dataclasses import dataclass, field

from ..geometry.frames import Floats
from ..job.models import ArmJoints, Grip, MachineCode, NamedSpindle, Turret
from .dialect import Dialect, built_in
from .frames import Shape, TipSolver, TipSolvers, ToolFrame, after, into, out_of, tool_frame
from .meanings import SPEED_MODE
from .motions import PLANE_AXES
from .variables import Variables

OFFSET_NAMES = {**{f"offset-{i}": f"G{53 + i}" for i in range(1, 7)},
                **{f"offset-{i}": f"G59.{i - 6}" for i in range(7, 10)}}  # fmt: skip
PLANE_MEANINGS = ("plane-xy", "plane-zx", "plane-yz")


@dataclass(frozen=True)
class Nose:
    """A turning tool's nose: its radius, and the way from the programmed tip to its centre, in radii along Z and X."""

    radius: float
    z: float
    x: float


@dataclass
class Setup:
    """What the control holds before the program starts; lengths in mm, machine axes."""

    axes: tuple[str, ...]
    work_offsets: dict[str, dict[str, float]]  # "G54", "G54.1P3" → axis → value
    length_registers: dict[int, float]
    tools: frozenset[int]
    references: dict[int, dict[str, float]]
    change_at: dict[str, float]
    dialect: Dialect = field(default_factory=lambda: built_in("iso-mill"))
    radius_registers: dict[int, float] = field(default_factory=dict)
    noses: dict[int, Nose] = field(default_factory=dict)  # turning: tool → nose
    change_moves: bool = False
    change_seconds: float = 0.0
    change_keeps_spindle: bool = False
    max_rpm: float | None = None
    # Spindle ("" where it is the only one) → rev/min that it gains in a second; None where nobody says.
    ramps: dict[str, float | None] = field(default_factory=dict)
    coolant_seconds: float = 0.0
    variables: dict[str, float] = field(default_factory=dict)
    bare_increment: bool = False
    block_skip: frozenset[int] = frozenset()
    optional_stop: bool = False
    loops: int = 1
    air_cut: float = 0.0  # mm that every work offset is raised by along Z
    left_out: tuple[tuple[str, int, int], ...] = ()  # program, first and last line that are not carried out
    shifts: tuple[
        tuple[str, int, int, dict[str, float]], ...
    ] = ()  # program, first and last line, axis → mm added there
    diameters: frozenset[str] = frozenset()  # axes whose words are diameters
    geometry: dict[int, dict[str, float]] = field(default_factory=dict)  # tool register → axis → value (turning)
    turret: Turret | None = None
    turning_spindle: bool = False  # a spindle turns the work
    stations: dict[int, int] = field(default_factory=dict)  # tool → station of the turret
    bearing: frozenset[int] = frozenset()  # stations that bear no tool but a rest, a stop, a gripper
    solvers: TipSolvers | None = None  # None, or none at a spindle: X, Y and Z of this channel do not span space there
    works: str = ""  # the work spindle that is worked at at the start, where there are several
    codes: dict[str, MachineCode] = field(default_factory=dict)  # the machine's own M and G codes, "M10"
    wait_marks: tuple[int, int] | None = None  # first and last M code that is a wait mark
    spindles: dict[str, NamedSpindle] = field(
        default_factory=dict
    )  # of a machine that has several, C axes by their words
    addressed: str = ""  # the spindle of them that is meant at the start
    grips: dict[str, Grip] = field(default_factory=dict)
    no_tool_axes: frozenset[str] = frozenset()  # they move a slide that bears none of the channel's tools
    arm: ArmJoints | None = None
    named_axes: dict[str, str] = field(default_factory=dict)  # an axis' own name ("X2") → its name in this channel
    max_blocks: int = 2_000_000
    max_depth: int = 64
    max_seconds: float = 900.0  # of reading; a bound against programs that only the clock would end


@dataclass
class Control:
    """Modal state. Modes are held by their meaning's name; the start values come from the dialect."""

    setup: Setup
    machine: list[float]  # axis values now
    motion: str = "rapid"
    cycle: str = ""  # the modal cycle in force, "" for none
    plane: int = 0  # index of PLANE_AXES
    absolute: bool = True
    centre_absolute: bool = False
    feed_mode: str = "per-minute"
    inch: bool = False
    length_mode: str = "length-off"
    length_number: int = 0
    length_active: float = 0.0
    length_applied: float = 0.0  # the length that the present program position was reckoned with
    length_at: tuple[int, int] | None = None  # file and line (from 0) of the block that called it
    return_initial: bool = True
    work_offset: str = "G54"
    exact_mode: bool = False
    feed: float | None = None  # as programmed: mm/min, mm/rev (already in mm), moves a minute
    speed: float = 0.0
    spindle: int = 0  # +1 clockwise, −1 counter-clockwise, 0 still
    coolant: str = "coolant-off"
    rigid: bool = False
    live: int = 0  # +1, −1 a driven tool of a turret turns
    surface_speed: float | None = None  # m/min while constant surface speed is on
    speed_limit: float | None = None  # rev/min
    geometry: dict[str, float] = field(default_factory=dict)  # of the tool register called by T (turning)
    compensation: str = "compensation-off"
    radius_number: int = 0
    radius: float = 0.0
    tool: int = 0
    next_tool: int | None = None
    local_shift: dict[str, float] = field(default_factory=dict)  # G52
    shift: dict[str, float] = field(default_factory=dict)  # G92
    shift_kept: dict[str, float] = field(default_factory=dict)  # left out by G92.2, for G92.3
    tip_control: str = ""  # "tip-control", "tip-vector" while it is on
    tilt: Floats | None = None  # (4, 4) of G68.2
    dynamic: bool = False
    mirror: dict[str, float] = field(default_factory=dict)  # axis → where its mirror stands
    scaling: Shape | None = None
    rotation: Shape | None = None
    turned_by: float = 0.0  # degrees, of the rotation
    polar: bool = False
    polar_place: tuple[float, float] | None = None  # radius and angle programmed last
    clamped: set[str] = field(default_factory=set)  # axes held by a clamp code of the machine
    cycle_words: dict[str, float] = field(default_factory=dict)  # the modal words of a cycle
    cycle_initial: float = 0.0
    rough_words: dict[str, float] = field(default_factory=dict)  # what the first block of a roughing cycle gives
    thread_words: dict[str, float] = field(default_factory=dict)  # and of a threading cycle
    skipped_at: dict[str, float] = field(default_factory=dict)  # where a skip move ended, program point
    work_offsets: dict[str, dict[str, float]] = field(init=False)
    lengths: dict[int, list[float]] = field(init=False)  # register → geometry, wear
    radii: dict[int, list[float]] = field(init=False)
    variables: Variables = field(init=False)
    ahead: dict[str, float] | None = (
        None  # the shaped point that the program has reached while look-ahead holds motions
    )
    parts: float = 0.0
    addressed: str = field(init=False)  # the spindle that M3 M4 M5, S and C mean, where there are several
    works: str = field(
        init=False
    )  # the last work spindle that was addressed: tip control and tilted planes are over its work
    others: dict[str, tuple[int, float]] = field(
        default_factory=dict
    )  # of the other spindles: turns (+1, 0, −1) and speed
    running: dict[str, float] = field(default_factory=dict)  # spindle → rev/min that it has got to, signed
    program_shift: dict[str, float] = field(default_factory=dict)  # of a stretch shifted by the job
    _frame_key: object = None
    _frame: ToolFrame = field(init=False)
    _shape: Shape | None = None

    def __post_init__(self) -> None:
        self.addressed, self.works = self.setup.addressed, self.setup.works
        self.variables = Variables(self.setup.variables)
        self.work_offsets = copy.deepcopy(self.setup.work_offsets)
        self.lengths = {n: [value, 0.0] for n, value in self.setup.length_registers.items()}
        self.radii = {n: [value, 0.0] for n, value in self.setup.radius_registers.items()}

    def copy(self) -> Control:
        """A control to try something on: changes to it do not reach this one."""
        twin = copy.copy(self)
        for name in ("machine", "geometry", "local_shift", "shift", "mirror", "cycle_words", "clamped"):
            setattr(twin, name, copy.copy(getattr(self, name)))
        return twin

    def address(self, name: str) -> None:
        """From now on another spindle is meant."""
        self.others[self.addressed] = self.spindle, self.speed
        self.addressed = name
        if self.setup.spindles[name].turns == "work":
            self.works = name
        self.spindle, self.speed = self.others.pop(name, (0, 0.0))

    @property
    def elsewhere(self) -> float:
        """The feed per revolution in force, mm, where the spindle meant has not been started by this channel: another may have."""
        if not self.setup.spindles or self.feed_mode != "per-revolution" or self.spindle or self.live:
            return 0.0
        return self.feed or 0.0

    @property
    def c_axis(self) -> str:
        """The axis that the word C means: that of the spindle addressed."""
        spindle = self.setup.spindles.get(self.addressed)
        return spindle.axis or "C" if spindle else "C"

    # --- offsets ------------------------------------------------------------------------------------------------------

    def index(self, axis: str) -> int:
        """The column of an axis, −1 when the channel has none of that letter."""
        return self.setup.axes.index(axis) if axis in self.setup.axes else -1

    def length_of(self, number: int) -> float:
        return sum(self.lengths.get(number, (0.0,)))

    def follow_registers(self) -> None:
        """The length in force is that of its register, which has been written."""
        if self.length_number and self.length_mode in ("length-plus", "length-minus", "tip-control", "tip-vector"):
            value = self.length_of(self.length_number)
            self.length_active = -value if self.length_mode == "length-minus" else value

    def radius_of(self, number: int) -> float:
        return sum(self.radii.get(number, (0.0,)))

    def offset(self, axis: str, length: float | None = None) -> float:
        """Machine minus shaped coordinate. The length offset acts along Z (pinned)."""
        value = self.place_shift(axis)
        if axis == "Z":
            value += self.length_active if length is None else length
        return value

    def place_shift(self, axis: str) -> float:
        """Work offset, local shift, coordinate setting and, in turning, tool geometry of an axis."""
        value = self.work_offsets.get(self.work_offset, {}).get(axis, 0.0)
        common = self.work_offsets.get("EXT")
        if common:
            value += common.get(axis, 0.0)
        if axis == "Z":
            value += self.setup.air_cut
        if self.program_shift:
            value += self.program_shift.get(axis, 0.0)
        return value + self.local_shift.get(axis, 0.0) + self.shift.get(axis, 0.0) + self.geometry.get(axis, 0.0)

    # --- mirror image, scaling, rotation ------------------------------------------------------------------------------

    @property
    def shape(self) -> Shape | None:
        """Mirror image first, then scaling, then rotation."""
        return self._shape

    def reshape(self) -> None:
        mirrored = None
        if self.mirror:
            linear = tuple(
                tuple((-1.0 if axis in self.mirror else 1.0) if axis == other else 0.0 for other in "XYZ")
                for axis in "XYZ"
            )
            shift = tuple(2.0 * self.mirror.get(axis, 0.0) for axis in "XYZ")
            mirrored = Shape(linear, shift)  # type: ignore[arg-type]
        self._shape = after(self.rotation, after(self.scaling, mirrored))

    def shaped(self, axes: dict[str, float]) -> dict[str, float]:
        """Shaped coordinates for program coordinates of some axes."""
        if self._shape is None or not any(axis in axes for axis in "XYZ"):
            return axes
        place = self._shape.apply([axes.get(axis, self.program_position(axis)) for axis in "XYZ"])
        moved = dict(zip("XYZ", place, strict=True))
        # An axis that the shape does not couple with any word stays as if not written.
        named = [i for i, axis in enumerate("XYZ") if axis in axes]
        touched = {
            axis: moved[axis] for i, axis in enumerate("XYZ") if any(self._shape.linear[i][j] != 0.0 for j in named)
        }
        return {**{axis: value for axis, value in axes.items() if axis not in "XYZ"}, **touched}

    # --- places -------------------------------------------------------------------------------------------------------

    @property
    def solver(self) -> TipSolver | None:
        """Between the work that is worked at and the tool in use; None where X, Y and Z do not span space there."""
        return self.setup.solvers.at(self.works, self.tool) if self.setup.solvers else None

    @property
    def framed(self) -> bool:
        """Whether shaped coordinates go through a tool frame rather than being axis values with an offset."""
        return self.setup.arm is None and (bool(self.tip_control) or self.tilt is not None or self.dynamic)

    def frame(self, length: float) -> ToolFrame:
        work_only = self.dynamic and not self.tip_control and self.tilt is None
        shift = tuple(self.place_shift(axis) for axis in "XYZ")
        key = (shift, None if self.tilt is None else self.tilt.tobytes(), length, work_only)
        if key != self._frame_key:  # it is asked for several times a block and seldom changes
            self._frame_key, self._frame = key, tool_frame(shift, self.tilt, length, work_only)
        return self._frame

    def place(self) -> Floats:
        """The shaped point X, Y, Z where the tip stands now, through the tool frame."""
        solver = self.solver
        assert solver
        frame = self.frame(self.length_applied)
        return into(frame, solver.zero_place(self.machine, frame.length, frame.work_only))

    def here(self, axis: str) -> float:
        """The shaped coordinate that the program has reached."""
        if self.ahead is not None and axis in self.ahead:
            return self.ahead[axis]
        if self.framed and axis in "XYZ":
            return float(self.place()["XYZ".index(axis)])
        index = self.index(axis)
        return 0.0 if index < 0 else self.machine[index] - self.offset(axis, self.length_applied)

    def program_position(self, axis: str) -> float:
        """Where the control believes the axis stands in the program's coordinates now."""
        if self._shape is None or axis not in "XYZ":
            return self.here(axis)
        return self._shape.back([self.here(other) for other in "XYZ"])["XYZ".index(axis)]

    def to_machine(self, axes: dict[str, float]) -> list[float]:
        """Machine axis values for shaped coordinates of some axes; an axis not named keeps its coordinate."""
        target = list(self.machine)
        framed = self.framed
        for axis, value in axes.items():
            if not framed or axis not in "XYZ":
                target[self.index(axis)] = value + self.offset(axis)
        if not framed or not (self.tip_control or any(axis in axes for axis in "XYZ")):
            return target
        solver = self.solver
        assert solver
        point = self.place()
        for i, axis in enumerate("XYZ"):
            point[i] = axes.get(axis, point[i])
        frame = self.frame(self.length_active if self.tip_control or "Z" in axes else self.length_applied)
        reached = solver.reach(target, out_of(frame, point), frame.length, frame.work_only)
        return target if reached is None else reached

    # --- what a screen shows ------------------------------------------------------------------------------------------

    @property
    def unit(self) -> float:
        return 25.4 if self.inch else 1.0

    @property
    def rpm(self) -> float:
        return (self.live or self.spindle) * self.speed

    @property
    def drill_axis(self) -> str:
        return "XYZ"[PLANE_AXES[self.plane][2]]

    def modes(self) -> dict[str, str]:
        """The meaning in force of every modal group, by group."""
        return {
            "motion": self.cycle or self.motion,
            "plane": PLANE_MEANINGS[self.plane],
            "distance": "absolute" if self.absolute else "increments",
            "feed mode": self.feed_mode,
            "units": "inch" if self.inch else "mm",
            "cutter compensation": self.compensation,
            "length offset": self.tip_control or self.length_mode,
            SPEED_MODE: "fixed-speed" if self.surface_speed is None else "surface-speed",
            "cycle return": "to-initial" if self.return_initial else "to-r",
            "path mode": "exact-path" if self.exact_mode else "continuous",
            **({"scaling": "scale"} if self.scaling else {}),
            **({"mirror image": "mirror"} if self.mirror else {}),
            **(
                {"rotation": "tilt" if self.tilt is not None else "rotate"}
                if self.tilt is not None or self.rotation
                else {}
            ),
            **({"polar coordinates": "polar"} if self.polar else {}),
            **({"dynamic offset": "dynamic"} if self.dynamic else {}),
        }

    def codes(self) -> tuple[str, ...]:
        """Active codes in the dialect's own numbers, as a control's screen would list them."""
        dialect = self.setup.dialect
        codes = [dialect.code_of(meaning) for meaning in self.modes().values()]
        return (*(code for code in codes if code), self.work_offset)
