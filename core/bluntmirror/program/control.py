"""The state of the virtual control: everything modal, the offset tables, and where the axes stand."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..geometry.frames import Floats
from ..job.models import MachineCode, Turret
from .expressions import Variables
from .frames import TipSolver, ToolFrame, into, out_of, tool_frame

OFFSET_NAMES = {540: "G54", 550: "G55", 560: "G56", 570: "G57", 580: "G58", 590: "G59"}


@dataclass
class Setup:
    """What the control holds before the program starts; lengths in mm, machine axes."""

    axes: tuple[str, ...]
    work_offsets: dict[str, dict[str, float]]  # "G54", "G54.1P3" → axis → value
    length_registers: dict[int, float]
    tools: frozenset[int]
    references: dict[int, dict[str, float]]
    change_at: dict[str, float]
    change_moves: bool = False
    change_seconds: float = 0.0
    max_rpm: float | None = None
    variables: dict[str, float] = field(default_factory=dict)
    bare_increment: bool = False
    block_skip: frozenset[int] = frozenset()
    optional_stop: bool = False
    loops: int = 1
    air_cut: float = 0.0  # mm that every work offset is raised by along Z
    diameters: frozenset[str] = frozenset()  # axes whose words are diameters
    geometry: dict[int, dict[str, float]] = field(default_factory=dict)  # tool register → axis → value (turning)
    turret: Turret | None = None
    stations: dict[int, int] = field(default_factory=dict)  # tool → station of the turret
    solver: TipSolver | None = None  # None: X, Y and Z of this channel do not span space
    codes: dict[str, MachineCode] = field(default_factory=dict)  # the machine's own M and G codes, "M10"
    max_blocks: int = 2_000_000
    max_depth: int = 64


@dataclass
class Control:
    """Modal state. Groups hold their active code in tenths; the start values are pinned in the language's table."""

    setup: Setup
    machine: list[float]  # axis values now
    motion: int = 0
    cycle_code: int = 800
    plane: int = 170
    absolute: bool = True
    feed_mode: int = 940
    inch: bool = False
    length_code: int = 490
    length_number: int = 0
    length_active: float = 0.0
    length_applied: float = 0.0  # the length that the present program position was reckoned with
    return_initial: bool = True  # G98
    work_offset: str = "G54"
    exact_mode: bool = False  # G61
    feed: float | None = None  # as programmed: mm/min, mm/rev (already in mm)
    speed: float = 0.0
    spindle: int = 0  # +1 M3, −1 M4, 0 still
    coolant: int = 0  # 0 off, 7 mist, 8 flood
    turning: bool = False  # a turning dialect: G98 and G99 are feed modes
    live: int = 0  # +1, −1 a driven tool of a turret turns
    surface_speed: float | None = None  # m/min while G96 is on
    speed_limit: float | None = None  # rev/min, G50 S
    geometry: dict[str, float] = field(default_factory=dict)  # of the tool register called by T (turning)
    tool: int = 0
    next_tool: int | None = None
    local_shift: dict[str, float] = field(default_factory=dict)  # G52
    shift: dict[str, float] = field(default_factory=dict)  # G92
    tip_control: int = 0  # 434, 435 while tool-centre-point control is on
    tilt: Floats | None = None  # (4, 4) of G68.2
    dynamic: bool = False  # G254
    clamped: set[str] = field(default_factory=set)  # axes held by a clamp code of the machine
    cycle: dict[str, float] = field(default_factory=dict)  # the modal words of a cycle
    cycle_initial: float = 0.0
    variables: Variables = field(init=False)
    _frame_key: object = None
    _frame: ToolFrame = field(init=False)

    def __post_init__(self) -> None:
        self.variables = Variables(self.setup.variables)

    def index(self, axis: str) -> int:
        """The column of an axis, −1 when the channel has none of that letter."""
        return self.setup.axes.index(axis) if axis in self.setup.axes else -1

    def offset(self, axis: str, length: float | None = None) -> float:
        """Machine minus program coordinate. The length offset acts along Z (pinned)."""
        value = self.place_shift(axis)
        if axis == "Z":
            value += self.length_active if length is None else length
        return value

    def place_shift(self, axis: str) -> float:
        """Work offset, local shift, coordinate setting and, in turning, tool geometry of an axis."""
        value = self.setup.work_offsets.get(self.work_offset, {}).get(axis, 0.0)
        if axis == "Z":
            value += self.setup.air_cut
        return value + self.local_shift.get(axis, 0.0) + self.shift.get(axis, 0.0) + self.geometry.get(axis, 0.0)

    @property
    def framed(self) -> bool:
        """Whether program coordinates go through a tool frame rather than being axis values with an offset."""
        return bool(self.tip_control) or self.tilt is not None or self.dynamic

    def frame(self, length: float) -> ToolFrame:
        work_only = self.dynamic and not self.tip_control and self.tilt is None
        shift = tuple(self.place_shift(axis) for axis in "XYZ")
        key = (shift, None if self.tilt is None else self.tilt.tobytes(), length, work_only)
        if key != self._frame_key:  # it is asked for several times a block and seldom changes
            self._frame_key, self._frame = key, tool_frame(shift, self.tilt, length, work_only)
        return self._frame

    def place(self) -> Floats:
        """The program point X, Y, Z where the tip stands now, through the tool frame."""
        assert self.setup.solver
        frame = self.frame(self.length_applied)
        return into(frame, self.setup.solver.zero_place(self.machine, frame.length, frame.work_only))

    def program_position(self, axis: str) -> float:
        """Where the control believes the axis stands in the work offset now."""
        if self.framed and axis in "XYZ":
            return float(self.place()["XYZ".index(axis)])
        return self.machine[self.index(axis)] - self.offset(axis, self.length_applied)

    def to_machine(self, axes: dict[str, float]) -> list[float]:
        """Machine axis values for program coordinates of some axes; an axis not named keeps its program coordinate."""
        target = list(self.machine)
        framed = self.framed
        for axis, value in axes.items():
            if not framed or axis not in "XYZ":
                target[self.index(axis)] = value + self.offset(axis)
        if not framed or not (self.tip_control or any(axis in axes for axis in "XYZ")):
            return target
        assert self.setup.solver
        point = self.place()
        for i, axis in enumerate("XYZ"):
            point[i] = axes.get(axis, point[i])
        frame = self.frame(self.length_active if self.tip_control or "Z" in axes else self.length_applied)
        reached = self.setup.solver.reach(target, out_of(frame, point), frame.length, frame.work_only)
        return target if reached is None else reached

    @property
    def unit(self) -> float:
        return 25.4 if self.inch else 1.0

    @property
    def rpm(self) -> float:
        return (self.live or self.spindle) * self.speed

    def codes(self) -> tuple[str, ...]:
        """Active codes, as a control's screen would list them."""
        from .dialect import code_name

        if self.turning:
            return (
                code_name("G", self.motion), code_name("G", self.plane), "G20" if self.inch else "G21", "G40",
                "G98" if self.feed_mode == 940 else "G99", "G97" if self.surface_speed is None else "G96", self.work_offset,
            )  # fmt: skip
        return (
            code_name("G", self.motion if self.cycle_code == 800 else self.cycle_code),
            code_name("G", self.plane),
            "G90" if self.absolute else "G91",
            code_name("G", self.feed_mode),
            "G20" if self.inch else "G21",
            "G40",
            code_name("G", self.tip_control or self.length_code),
            "G98" if self.return_initial else "G99",
            self.work_offset,
            "G61" if self.exact_mode else "G64",
            *(["G68.2"] if self.tilt is not None else []),
            *(["G254"] if self.dynamic else []),
        )
