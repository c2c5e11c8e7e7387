"""What the API says and takes. The web's client is generated from these."""

from datetime import datetime
from typing import Any, Literal

from ninja import Schema
from pydantic import Field, FiniteFloat

from bluntmirror.export.models import (
    AxisUse,
    ChannelTime,
    Checked,
    FindingEntry,
    MeasureResult,
    OperationReached,
    RulesRun,
    StockResult,
    Times,
    ToleranceResult,
    ToolUse,
)
from bluntmirror.job.models import Measure
from bluntmirror.program.operations import Operation
from bluntmirror.program.state import State

Severity = Literal["stop", "caution"]
RunState = Literal["queued", "running", "done", "failed", "cancelled"]
Judgement = Literal["real", "accepted", "model"]
Triple = tuple[float, float, float]


class RehearsalOut(Schema):
    id: int
    state: RunState
    quick: bool
    stage: str
    share: float
    error: str
    verdict: Literal["", "stop", "caution", "clear"]
    seconds: float | None
    created: datetime
    finished: datetime | None
    by: str
    revision: int
    stops: int
    cautions: int
    stale: str  # of a route's step: why it no longer holds


class StepOut(Schema):
    """A step of a route with the rehearsal that is shown for it."""

    name: str
    job: int
    revision: int
    rehearsal: int | None
    state: RunState | None
    verdict: Literal["", "stop", "caution", "clear"]
    seconds: float | None
    stale: str  # why that rehearsal no longer holds


class RouteOut(Schema):
    id: int
    name: str
    steps: list[StepOut]


class AcceptedOut(Schema):
    kind: str
    program: str
    line: int
    message: str
    amount: float
    judgement: Judgement
    reason: str
    by: str


class ReleaseOut(Schema):
    """`lapsed`: why it does not stand any more, empty while it does."""

    id: int
    rehearsal: int
    by: str
    at: datetime
    note: str
    accepted: list[AcceptedOut]
    lapsed: str


class ReleaseIn(Schema):
    note: str = Field(default="", max_length=2000)


class RecordLine(Schema):
    number: int
    at: datetime
    by: str
    act: str
    about: str
    said: str
    job: int | None


class RecordOut(Schema):
    lines: list[RecordLine]
    broken: int | None


class QueuedOut(Schema):
    id: int
    job: str
    revision: int
    machine: str
    by: str
    worker: str = Field(description="which machine's worker has it under way; main: the installation's own")
    state: Literal["queued", "running"]
    stage: str
    share: float
    quick: bool
    background: bool = Field(description="begun for many jobs at once: its turn is after the others of the same person")
    created: datetime
    begun: datetime | None
    place: int | None = Field(description="1: the next; null for one under way")


class SweepOut(Schema):
    id: int
    why: str
    by: str
    created: datetime
    whole: int = Field(description="how many rehearsals it is of")
    waiting: int
    running: int
    done: int
    failed: int
    cancelled: int
    stopped: int = Field(description="of those done, how many must not run as they are")
    share: float = Field(description="how far it is as a whole, 0 to 1")


class QueueOut(Schema):
    sweeps: list[SweepOut] = Field(description="many jobs rehearsed at once: under way, or over within a day")
    rehearsals: list[QueuedOut]
    others: int = Field(description="how many of other organisations wait or are under way")


class ThrownOut(Schema):
    kind: Literal["job", "route"]
    id: int
    name: str
    at: datetime
    by: str
    ends: datetime = Field(description="when it goes for good")


class RoomOut(Schema):
    kept: int = Field(description="bytes that the organisation keeps, as of a minute ago at most")
    most_kept: int = Field(description="bytes that it may keep; 0: as much as there is room for")
    waiting: int = Field(description="rehearsals of it that wait or run")
    most_waiting: int = Field(description="how many may; 0: any number")


class RevisionOut(Schema):
    id: int
    number: int
    label: str
    machine: str
    created: datetime
    by: str
    rehearsals: list[RehearsalOut]
    release: ReleaseOut | None


class JobOut(Schema):
    id: int
    name: str
    site: str = Field(description="the site that it belongs to; empty: all of them")
    route: int | None
    step: str
    revisions: list[RevisionOut]


class TriageOut(Schema):
    judgement: Judgement
    reason: str
    by: str
    at: datetime
    reopened: bool
    doubt: bool  # given to the same cause, but at another place: to be looked at again
    again: str  # why it has to be looked at again; empty where it holds


class TriageIn(Schema):
    judgement: Judgement
    reason: str = ""


class FindingData(FindingEntry):
    motion: int
    lastMotion: int


class AtRehearsal(Schema):
    rehearsal: int
    revision: int


class Life(Schema):
    """`first`: the first rehearsal that had it, none where this is it; `gone`: the last one without it since then."""

    first: AtRehearsal | None
    gone: AtRehearsal | None


class GoneFinding(Schema):
    kind: str
    severity: Severity
    program: str
    line: int
    message: str


class GoneSince(AtRehearsal):
    findings: list[GoneFinding]


class FindingOut(Schema):
    id: int
    title: str
    meaning: str
    data: FindingData
    triage: TriageOut | None
    life: Life | None = None


class Result(Schema):
    """The verdict without its findings."""

    time: float
    time_off: float | None = None
    channels: list[ChannelTime] | None = None  # of a machine that has several
    times: Times | None = None
    axes: list[AxisUse]
    tools: list[ToolUse]
    stock: list[StockResult]
    measures: list[MeasureResult] | None = None
    operations: list[OperationReached] | None = None  # of a machine with an arm
    checked: Checked


class RehearsalFull(RehearsalOut):
    job: int
    job_name: str
    revision_number: int
    revision_label: str
    made_from: int | None  # the number of the revision that its own was made from
    machine: str
    result: Result | None
    findings: list[FindingOut]
    gone: GoneSince | None
    artifacts: list[str]
    release: ReleaseOut | None
    not_releasable: str  # why it cannot be released; empty where it can
    route: RouteOut | None


class LineChange(Schema):
    """`old` null: a line more before this one; `new` null: the line taken out."""

    program: str
    line: int
    old: str | None
    new: str | None


class ValueChange(Schema):
    file: Literal["job", "tools"]
    path: list[str | int]
    old: float | None
    new: float


class Brought(Schema):
    kind: str
    severity: Severity
    channel: int
    program: str
    line: int
    message: str


class PicturePart(Schema):
    part: Literal["insert", "cutter", "shank", "holder"]
    points: list[tuple[float, float]]


class ToolSeen(Schema):
    """A tool's outlines before a change and after it, both over the tip, mm."""

    number: int
    name: str
    before: list[PicturePart]
    after: list[PicturePart]


class BodyMoved(Schema):
    """`by`: mm in the frame of the link that carries it."""

    body: str
    by: tuple[float, float, float]


class OfferOut(Schema):
    """A change that was tried. `cures`: false where it only moves the trouble elsewhere; `seconds`: how much longer the job takes."""

    id: int
    finding: int
    title: str
    said: str
    touches: Literal["line", "register", "offset", "tool", "fixture"]
    amount: float
    edits: list[LineChange]
    values: list[ValueChange]
    postures: list[dict[str, Any]] = []  # of an arm
    tools: list[ToolSeen] = []
    moved: list[BodyMoved] = []
    seconds: float
    clear_by: float | None
    brings: list[Brought]
    uncovers: list[Brought]
    cures: bool


class SearchOut(Schema):
    """Changes tried on a rehearsal's findings: `wanted` and `looked` are numbers of findings."""

    state: RunState | Literal["none"]
    wanted: list[int]
    looked: list[int]
    error: str
    offers: list[OfferOut]


class SearchIn(Schema):
    finding: int | None = None  # null: all


class ToleranceOut(Schema):
    """How wrong the set-up may be: how far the working out is, and what came of it."""

    state: RunState | Literal["none"]
    share: float
    error: str
    result: ToleranceResult | None


class ToleranceIn(Schema):
    reach: float = Field(default=1.0, gt=0.0, le=100.0)  # mm


class TokenOut(Schema):
    id: int
    name: str
    role: Literal["reads", "works", "releases", "administers"]
    by: str
    created: datetime
    ends: datetime
    used: datetime | None
    state: Literal["holds", "over", "revoked"]


class TokenMade(TokenOut):
    secret: str  # shown this once


class TokenIn(Schema):
    name: str = Field(max_length=100)
    role: Literal["reads", "works"] = "works"
    days: int = Field(default=365, ge=1, le=730)


class DeliveryOut(Schema):
    event: str
    at: datetime
    attempts: int
    answered: int | None
    error: str


class HookOut(Schema):
    id: int
    url: str
    events: list[str]
    created: datetime
    deliveries: list[DeliveryOut]


class HookMade(HookOut):
    secret: str  # shown this once: it signs what is sent


class HookIn(Schema):
    url: str = Field(max_length=500)
    events: list[Literal["finished", "released", "withdrawn"]] = Field(min_length=1)


class AccessOut(Schema):
    """Tokens (of somebody who administers: everybody's) and hooks of the organisation."""

    tokens: list[TokenOut]
    hooks: list[HookOut]


class JudgedOut(Schema):
    """A job that was sent in one call: its rehearsal, and its verdict (verdict.json) once it is done."""

    rehearsal: int
    revision: int
    state: RunState
    error: str
    verdict: dict[str, Any] | None


class ConstantOut(Schema):
    name: Literal["accel", "corner", "block", "change"]
    said: str
    unit: str
    before: float
    after: float
    unsure: float | None  # one standard deviation
    told: bool


class ResidualOut(Schema):
    job: str
    what: str
    measured: float
    before: float
    after: float


class LearnedBefore(Schema):
    number: int
    at: datetime
    by: str
    spread: float | None
    measured: int


class CalibrationOut(Schema):
    """What measured times tell of a unit: its constants, what is left over of each time (a share), and what was learned before."""

    unit: str
    constants: list[ConstantOut]
    spread: float
    residuals: list[ResidualOut]
    history: list[LearnedBefore]


class MeasuredIn(Schema):
    """Lines of what and its time: cycle, T3, or an operation's name; seconds or minutes:seconds."""

    text: str = Field(max_length=20_000)


class BesideOut(Schema):
    """Two parts: how far the other stands beyond the one and within it, mm; how much more volume it has, mm³; pictures of it as data URIs."""

    more: float
    less: float
    volume: float
    pictures: list[str]


class MendIn(Schema):
    offers: list[int] = Field(min_length=1, max_length=100)
    anyway: bool = False


class FilmIn(Schema):
    """From where to where of the film, bytes, each end not counted in."""

    ranges: list[tuple[int, int]] = Field(max_length=20_000)


class MeasureIn(Schema):
    """A measure to be kept; `instead_of`: the name of the one that it takes the place of, empty for a new one."""

    asked: Measure
    instead_of: str = ""


class TryIn(Schema):
    asked: Measure


class PartMeasure(Schema):
    """What is asked, as in job.json in mm, and what it reads on this rehearsal; `own`: added on the page, so it can be changed there."""

    asked: Measure
    own: bool
    read: MeasureResult


class TravelOut(Schema):
    axis: str
    least: float | None  # null: it has no end
    most: float | None
    unit: Literal["mm", "°"]


class TurnsOut(Schema):
    name: str
    most: float | None  # rev/min


class AccessoryOut(Schema):
    name: str
    on: bool


class Glance(Schema):
    kind: str
    travels: list[TravelOut]
    turns: list[TurnsOut]
    accessories: list[AccessoryOut]


class LibraryOut(Schema):
    id: int
    kind: Literal["machine", "tools", "tool", "fixture"]
    name: str
    number: int
    created: datetime
    by: str
    summary: str
    glance: Glance | None = None  # of a machine
    jobs: int = 0  # that stand on a machine of this name


class FoundOut(Schema):
    """A tool or a fixture of the library. `entry`: which of a tool table's it is; None of what is kept by itself."""

    item: int
    entry: int | None
    name: str
    summary: str
    table: str


class FoundList(Schema):
    found: list[FoundOut]
    count: int  # of all that answer to the words


class KeepIn(Schema):
    data: dict[str, Any]  # a tool as a line of its table, or a body of job.json


class ControlData(Schema):
    """What a unit's control is set to, in the machine's own units. `gains`: the rev/min that each spindle gains in a second, None where it
    takes no time; the one of a machine with a single spindle has no name."""

    rapid: Literal["straight", "dogleg"]
    corner_seconds: float
    block_seconds: float
    change_seconds: float
    change_moves: bool
    keeps_spindle: bool
    change_at: dict[str, float]
    reference: dict[str, dict[str, float]]  # 1 to 4
    gains: dict[str, float | None]
    coolant_seconds: float
    wait_marks: tuple[int, int] | None
    since: str
    work_offsets: dict[str, dict[str, float]]  # as the control on the floor holds them


class ControlOut(Schema):
    units: Literal["mm", "inch"]
    axes: list[str]
    rotary: list[str]
    control: ControlData


class NewBody(Schema):
    """A dropped model file and what it is; placed in the frame of the machine's work mount."""

    file: str
    name: str
    role: Literal["stock", "fixture", "design", "part"]
    at: Triple = (0, 0, 0)
    turn: Triple = (0, 0, 0)


class NewJob(Schema):
    """The form of a new job: everything that is not a file."""

    name: str
    machine: int
    tools: int | None = None
    program: str
    library: list[str] = []
    dialect: Literal["iso-mill", "iso-turn", "iso-turn-b", "rs274"] = "iso-mill"
    bare_numbers: Literal["mm", "increment"] = "mm"
    block: Triple | None = None  # a box-shaped blank; its middle stands at `block_at`
    block_at: Triple = (0, 0, 0)
    bodies: list[NewBody] = []
    datum: Triple = (0, 0, 0)  # program zero, in the frame of the work mount
    resolution: float = 0.5
    gouge: float = 0.05
    excess: float = 0.3
    near: float = 1.0

    def job_file(self, mount: str) -> dict[str, Any]:
        bodies: list[dict[str, Any]] = [
            {"name": b.name, "role": b.role, "mount": mount, "shape": {"type": "mesh", "file": b.file}, "at": b.at,
             "turn": b.turn}
            for b in self.bodies
        ]  # fmt: skip
        if self.block:
            shape = {"type": "box", "size": self.block}
            bodies.append({"name": "blank", "role": "stock", "mount": mount, "shape": shape, "at": self.block_at})
        return {
            "format": "blunt-mirror/job@1", "name": self.name,
            "programs": [{"channel": 1, "main": self.program, "library": self.library, "dialect": self.dialect}],
            "bare_numbers": self.bare_numbers,
            "bodies": bodies, "work_offsets": {"G54": {"datum": self.datum, "mount": mount}},
            "checks": {"resolution": self.resolution, "gouge": self.gouge, "excess": self.excess, "near": self.near},
        }  # fmt: skip


# --- setting up and moving by hand --------------------------------------------------------------------------------------


class FaultOut(Schema):
    where: str
    what: str
    remedy: str
    pair: tuple[str, str] | None = None


class MeantIn(Schema):
    pairs: list[tuple[str, str]]


class OffsetOut(Schema):
    """A work offset worked out, what the unit's control holds, and how far the two are apart."""

    name: str
    channel: int  # 0: the whole job's
    values: dict[str, float]
    held: dict[str, float] | None
    apart: dict[str, float] | None


class CarriedFrom(Schema):
    """Where a stock of a route's step is shown from: `changed`: the step before has changed since; `uncut`: it was never rehearsed."""

    step: str
    rehearsal: int | None
    says: Literal["", "changed", "uncut"]


class ToleratedBy(Schema):
    """How wrong the setup as it was kept may be, by the newest rehearsal of it that was asked."""

    rehearsal: int
    result: ToleranceResult


class SetupOut(Schema):
    job_id: int
    job_name: str
    revision: int
    revision_number: int
    job: dict[str, Any]
    tools: dict[str, Any]
    offsets: list[OffsetOut]
    carried: list[CarriedFrom]
    tolerated: ToleratedBy | None


class JobData(Schema):
    """The job.json that a screen holds; none: as it was saved."""

    job: dict[str, Any] | None = None


class HeldPiece(Schema):
    """A piece in the hand's grips: those that hold it (the first carries it), the link that carries it, and the matrix that takes its
    place on the link it began on to that on this one."""

    piece: str
    grips: list[str]
    link: str
    matrix: list[tuple[float, float, float, float]] = Field(min_length=4, max_length=4)


class MoveIn(JobData):
    begin: list[float]
    end: list[float]
    tool: int = 0
    stop: bool = True
    held: list[HeldPiece] | None = None  # none: as they begin


class BlockIn(JobData):
    values: list[float]
    tool: int = 0
    block: str
    stop: bool = True
    channel: int = 0  # whose words they are; 0: the first program's
    held: list[HeldPiece] | None = None


class LeadIn(JobData):
    """An arm's tip is led by `shift`, mm, and the tool turned about it by `turn`, degrees, along the axes of a frame."""

    values: list[float]
    tool: int = 0
    frame: Literal["base", "part", "tool"]
    shift: Triple = (0.0, 0.0, 0.0)
    turn: Triple = (0.0, 0.0, 0.0)
    stop: bool = True
    channel: int = 0
    held: list[HeldPiece] | None = None


class ReachIn(JobData):
    """`shift`, mm along the machine's axes: how far the body is being moved from where it stands."""

    values: list[float]
    tool: int = 0
    body: str
    channel: int = 0
    shift: Triple = (0.0, 0.0, 0.0)


class ReachOut(Schema):
    """Places and directions in the frame of a link; how many postures reach each, of eight."""

    link: str
    places: list[Triple]
    directions: list[Triple]
    count: list[int]
    least: int
    mean: float


Place = tuple[FiniteFloat, FiniteFloat]


class Tried(Schema):
    """How an arm's programs went with the work shifted to a place, as it was told."""

    place: Place
    missed: int = Field(ge=0)
    ease: FiniteFloat


class StandIn(JobData):
    """Places to judge, mm along X and Y of the machine from where the work stands; those judged before. With `touch` a rehearsal
    tells instead what is touched there."""

    places: list[Place] = Field(max_length=4)
    tried: list[Tried] = Field(default=[], max_length=200)
    touch: bool = False


class StandLeast(Schema):
    amount: float
    axis: str | None
    operation: str


class Stand(Schema):
    """`lacking`: operations that do not go there; `missed`: how much of them; `ease`: the least share of what is ample, at most 1."""

    place: tuple[float, float]
    lacking: list[str]
    missed: int
    ease: float
    least: dict[str, StandLeast]


class StandOut(Schema):
    """`next`: what to judge after these; none: the search is at its end. `touched`: names of operations, place by place."""

    mount: str
    stands: list[Stand]
    next: list[tuple[float, float]]
    touched: list[list[str]]


class StoodIn(JobData):
    place: Place


class StoodOut(Schema):
    job: dict[str, Any]


class OffsetHereIn(JobData):
    values: list[float]
    tool: int = 0
    channel: int = 0


class MetOut(Schema):
    a: str
    b: str
    clearance: float
    point: Triple
    share: float


class MovedOut(Schema):
    axes: list[str]
    values: list[float]
    touching: list[MetOut]
    near: list[MetOut]
    over: list[tuple[str, float]]
    said: list[str]
    path: list[list[float]]
    told: list[str] = []
    held: list[HeldPiece] = []  # as they are by now; none: no grip was worked


class PickIn(JobData):
    body: str
    triangle: int
    point: Triple
    kind: Literal["face", "edge", "corner", "axis", "point"]
    mount: str


class FeatureOut(Schema):
    kind: Literal["face", "edge", "corner", "axis", "point"]
    point: Triple
    direction: Triple | None = None
    radius: float | None = None
    size: float | None = None


class MateIn(JobData):
    body: str
    own: FeatureOut
    other: FeatureOut
    way: Literal["onto", "flush", "centre", "coaxial"]
    gap: float = 0.0
    turn: float = 0.0
    centre: bool = False


class PlaceOut(Schema):
    at: Triple
    turn: Triple


class RepeatIn(JobData):
    body: str
    count: int
    step: float = 0.0
    direction: Triple = (1, 0, 0)
    about: Triple | None = None  # a point of the axis to go around; none: a row


class MeasureOut(Schema):
    name: str
    says: str
    value: float
    least: float
    most: float


class FixtureOut(Schema):
    name: str
    says: str
    role: Literal["fixture", "stock", "access"]
    measures: list[MeasureOut]
    sizes: list[float]


class MeasuresIn(Schema):
    measures: dict[str, float] = {}


class StockIn(JobData):
    design: str
    allowance: dict[str, float] = {}
    standard: bool = False


class StockOut(PlaceOut):
    shapes: list[dict[str, Any]]
    mount: str


class SaveIn(Schema):
    job: dict[str, Any]
    tools: dict[str, Any] | None = None
    label: str = ""
    anyway: bool = False  # though others have kept revisions since this one


class DroppedShape(Schema):
    type: Literal["mesh", "revolve", "extrude"]
    size: Triple  # of its box, mm; an extrude 1 mm high
    closed: bool


class DroppedOut(Schema):
    file: str  # the name it is kept under, for a shape's `file`
    stem: str
    shapes: list[DroppedShape]  # what it can be made into


class ToolIn(Schema):
    tool: dict[str, Any]


class PictureOut(Schema):
    parts: list[PicturePart]
    fault: str  # what is wrong with the tool; empty when nothing is


class AccessoriesIn(Schema):
    off: list[str]


class FitOut(Schema):
    what: str
    fits: bool
    said: str


class ProgramOut(Schema):
    name: str
    channel: int
    main: bool
    dialect: str
    text: str


class RevisionRef(Schema):
    id: int
    number: int
    label: str


class DeskOut(Schema):
    """What the script desk holds: programs, and job.json and tools.json in mm for its grids."""

    job_id: int
    job_name: str
    revision: int
    revision_number: int
    revisions: list[RevisionRef]
    programs: list[ProgramOut]
    channels: list[int]  # of the machine
    dialects: list[str]  # that a program may be written in: our own, and those of the job's files
    job: dict[str, Any]
    tools: dict[str, Any]
    rehearsal: int | None  # the last one of this revision that is done


class DeskIn(Schema):
    """Programs as edited, by name; job.json and tools.json where the grids changed them."""

    programs: dict[str, str] = {}
    job: dict[str, Any] | None = None
    tools: dict[str, Any] | None = None


class ArmJoint(Schema):
    name: str
    travel: tuple[float, float] | None
    rail: bool


class ArmLeast(Schema):
    amount: float
    axis: str | None
    line: int
    time: float


class ArmOperation(Schema):
    """`least`: reach (mm), limit and singular (degrees), of what the operation has a pose for."""

    name: str
    tool: int
    program: str
    line: int
    last: int
    reachable: bool
    least: dict[str, ArmLeast]


class ArmStretch(Schema):
    """Lines from a G0 pose to the next; begin and end, s."""

    program: str
    first: int
    last: int
    begin: float
    end: float


class ArmOut(Schema):
    """An arm's way through a program: `values` (moments × joints), `singular` degrees at each moment."""

    channel: int
    seconds: float
    joints: list[ArmJoint]
    time: list[float]
    values: list[list[float]]
    singular: list[float]
    stretches: list[ArmStretch]
    operations: list[ArmOperation]
    said: list[str]
    postures: list[dict[str, Any]]
    poses: list[dict[str, Any]]


class CheckIn(DeskIn):
    path: bool = False
    channel: int = 0  # whose path


class ProgramIn(DeskIn):
    program: str


class ExplainIn(ProgramIn):
    line: int = Field(ge=1)


class ArmBlockIn(DeskIn):
    """Joint values that a line is to bring an arm to; with `feed`, mm/min, straight with the tip."""

    program: str
    line: int = Field(ge=1)
    at: dict[str, FiniteFloat] = Field(max_length=12)
    feed: FiniteFloat | None = Field(default=None, gt=0)


class ArmBlockOut(Schema):
    block: str


class DeskSaveIn(DeskIn):
    label: str = ""
    anyway: bool = False


class PathOut(Schema):
    """The tip's way over the work; columns base64: points f32 (count + 1, 3), rapid u8, tool u16, line u32, file u8.

    `skipped`: the pieces that left-out stretches would make, f32 (m, 2, 3)."""

    points: str
    rapid: str
    tool: str
    line: str
    file: str
    count: int
    whole: bool
    skipped: str
    files: list[str]


class WaitOut(Schema):
    channel: int
    mark: int
    program: str
    line: int


class CheckOut(Schema):
    verdict: Literal["stop", "caution", "clear"]
    findings: list[FindingEntry]
    operations: list[Operation]
    seconds: float
    blocks: int
    rules: RulesRun
    lacking: list[int]
    unused: list[int]
    waits: list[WaitOut]
    path: PathOut | None


class ExplainOut(Schema):
    said: list[str]
    motions: tuple[int, int]
    before: State | None
    after: State | None


class RuleOut(Schema):
    id: str
    kind: str
    severity: Severity
    title: str
    meaning: str
    remedy: str
    example: str
    better: str
    fixed: bool
    setting: Literal["", "off", "caution", "stop"]


class RuleIn(Schema):
    setting: Literal["", "off", "caution", "stop"]
