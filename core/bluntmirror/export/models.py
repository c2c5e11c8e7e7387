"""verdict.json as models: what stands in it, and the JSON Schema that is published."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

Severity = Literal["stop", "caution"]
Triple = tuple[float, float, float]


class Exact(BaseModel):
    model_config = ConfigDict(extra="forbid")


class EditEntry(Exact):
    """A line of a program changed: `old` null inserts `new` before the line, `new` null deletes it."""

    program: str
    line: int
    old: str | None
    new: str | None


class FixEntry(Exact):
    title: str
    edits: list[EditEntry]


class AlsoEntry(Exact):
    """What comes of the same cause and is told in the finding."""

    kind: str
    amount: float


class AcceptedEntry(Exact):
    """A person's judgement that excuses the finding: accepted with a reason, or a fault of the model."""

    reason: str
    by: str
    judgement: Literal["accepted", "model"]


class FindingEntry(Exact):
    """One thing wrong. `amount` in mm or degrees, `time` in s, `point` in the machine's frame at that time."""

    cause: str = Field(description="what tells the same finding again in another rehearsal, whatever its line's number")
    accepted: AcceptedEntry | None
    kind: str
    severity: Severity
    channel: int
    program: str
    line: int = Field(description="1-based line in the file; 0 when it belongs to no line")
    time: float
    tool: int
    bodies: list[str]
    axis: str
    amount: float
    point: Triple | None
    count: int = Field(description="how many motions it spans")
    message: str
    remedy: str
    rule: str = Field(description="what found it; docs/findings.md lists the rules")
    also: list[AlsoEntry] = Field(description="what comes of the same cause and is told here")
    fix: FixEntry | None = Field(description="a change that would clear it and is safe to make, where there is one")


class AxisUse(Exact):
    axis: str
    min: float
    max: float
    travel: tuple[float, float] | None


class Most(Exact):
    """A greatest value, and where it was met."""

    most: float
    program: str
    line: int
    motion: int


class ToolUse(Exact):
    number: int
    turret: str | None = None  # where it is mounted, of several
    time_in_cut: float
    metres_in_cut: float
    reach_needed: float | None = None  # mm of stick-out that suffice above the blank; none for a tool that does not cut
    removed: float | None = Field(None, description="mm³; this and what follows of a tool that cuts at feed")
    removal_rate: Most | None = Field(None, description="cm³/min, over half a second of cutting or a whole motion")
    depth_of_cut: Most | None = Field(None, description="mm along the tool; null where it never stands along the grid")
    width_of_cut: Most | None = Field(None, description="mm across its way: what it takes off over that depth")
    chip: Most | None = Field(None, description="mm: the thickest chip at that width")


class StockResult(Exact):
    name: str
    volume_before: float
    volume_after: float
    gouge_max: float | None = Field(description="deepest cut into the design, mm; null without a design")
    excess_max: float | None
    untouched: float | None = Field(
        None, description="mm² of the design's faces under stock beyond tolerance that nothing has cut"
    )
    material: str | None = None  # as the job names it
    mass_before: float | None = Field(None, description="kg, where the job gives a density")
    mass_after: float | None = None
    held_by: list[str] | None = None  # the grips that carry it at the end (or the catcher), on a machine that has grips
    mount: str | None = None  # the one that it is on at the end


class MeasureResult(Exact):
    """A measure of the job, taken on the finished part; mm, or degrees for an angle."""

    name: str
    stock: str
    kind: Literal["diameter", "distance", "angle", "wall", "flatness"]
    nominal: float | None = Field(description="as typed, else of the design; null where neither is there")
    actual: float | None = Field(
        description="on the stock as it was cut; null where it cannot be taken, `why` says why"
    )
    off: float | None = Field(description="actual less nominal")
    tolerance: tuple[float, float] | None
    within: bool | None = Field(description="whether it is within its tolerance; null without one")
    parts: Triple | None = Field(
        description="of a distance: X, Y, Z from the first place to the second, frame of the mount"
    )
    angle: float | None = Field(description="of a distance: between the two directions, where both have one")
    form: float | None = Field(
        description="of a diameter: the wall's farthest point from the least-squares cylinder less its nearest"
    )
    facets: float | None = Field(
        description="of a design's diameter: how much less it is across the middles of its facets than through their corners, mm"
    )
    feet: list[Triple] = Field(description="what it was measured between")
    motion: int = Field(description="the motion that made most of the surface it rests on; -1 where none did")
    points: int = Field(description="ends of rays that it rests on")
    why: str


class PairMargin(Exact):
    bodies: tuple[str, str]
    clearance: float
    motion: int
    time: float


class Lines(Exact):
    program: str
    first: int
    last: int


class ShiftedLines(Lines):
    by: dict[str, float]


class RulesRun(Exact):
    """Which rules of the program check ran. `changed`: those set otherwise than they come, by job or organisation."""

    ran: list[str]
    off: list[str]
    changed: dict[str, Literal["caution", "stop"]]


class SwitchesUsed(Exact):
    block_skip: list[int]
    optional_stop: bool
    loop: int
    feed_override: float = Field(description="per cent")
    rapid_override: float = Field(description="per cent")
    dry_run: bool
    air_cut: float = Field(description="mm that the work offsets were raised by")
    left_out: list[Lines] = Field(description="blocks that were not carried out")
    shifts: list[ShiftedLines] = Field(description="blocks that were carried out shifted")


class TimingResult(Exact):
    """Of the pairs that different channels move: how many no delay between common wait marks can make touch."""

    pairs: int
    proved: int
    unknown: int


class QuickLookAt(Exact):
    """A quick look: `resolution` of Checked is its coarse grid."""

    resolution: float
    share: float


class Checked(Exact):
    resolution: float
    quick: QuickLookAt | None = None  # where it was no more than a quick look
    near: float
    near_stock: float
    pairs: int
    margins: list[PairMargin]
    design: bool
    timing: TimingResult | None = None  # of several channels
    not_checked: list[str]
    switches: SwitchesUsed
    rules: RulesRun
    notes: list[str]


class ChannelTime(Exact):
    """What a channel does with its time, in seconds."""

    number: int
    time: float
    cutting: float  # of feed rows, in stock or not
    rapid: float
    waiting: float
    other: float


class OperationEntry(Exact):
    """What an operation does with its time, in seconds."""

    channel: int
    tool: int
    program: str
    line: int
    name: str
    begin: float
    cutting: float
    air: float
    rapid: float
    dwell: float
    change: float
    waiting: float
    spindle: float = 0.0  # running up and down
    coolant: float = 0.0
    other: float
    late: float


class SavingEntry(Exact):
    kind: Literal["air", "high"]
    channel: int
    tool: int
    program: str
    line: int
    last_line: int
    time: float
    seconds: float
    count: int
    amount: float


class Times(Exact):
    operations: list[OperationEntry]
    savings: list[SavingEntry]


class LeastLeft(Exact):
    amount: float
    axis: str | None
    line: int
    time: float


class LeastClear(Exact):
    amount: float
    bodies: tuple[str, str]
    line: int
    time: float


class LeastOf(Exact):
    reach: LeastLeft | None = None
    limit: LeastLeft | None = None
    singular: LeastLeft | None = None
    clearance: LeastClear | None = None


class OperationReached(Exact):
    """What an operation of an arm comes to; what was not judged is null."""

    name: str
    channel: int
    tool: int
    program: str
    line: int
    reachable: bool
    limits: bool | None
    singular: bool | None
    contact: bool | None
    least: LeastOf


class ToleranceBound(Exact):
    amount: float
    by: str | None
    bodies: list[str]
    program: str | None
    line: int | None
    time: float | None


class ToleranceOf(Exact):
    kind: Literal["offset", "length", "geometry", "radius", "stickout", "fixture", "blank"]
    name: str
    axis: str | None
    channel: int
    tool: int | None
    diameter: bool
    less: ToleranceBound | None
    more: ToleranceBound | None
    not_followed: str | None


class ToleranceResult(Exact):
    reach: float
    quantities: list[ToleranceOf]
    not_checked: list[str]


class VerdictFile(Exact):
    format: Literal["blunt-mirror/verdict@1"]
    job: str
    verdict: Literal["stop", "caution", "clear"]
    findings: list[FindingEntry]
    time: float
    time_off: float | None = None  # of a machine whose times were measured
    channels: list[ChannelTime] | None = None  # of a machine that has several
    times: Times | None = None
    axes: list[AxisUse]
    tools: list[ToolUse]
    stock: list[StockResult]
    operations: list[OperationReached] | None = None  # of a machine with an arm
    measures: list[MeasureResult] | None = None  # of a job that has any
    tolerance: ToleranceResult | None = None  # where it was asked for
    checked: Checked
    version: str
