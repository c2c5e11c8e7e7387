"""verdict.json as models: what stands in it, and the JSON Schema that is published."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

Severity = Literal["stop", "caution"]
Triple = tuple[float, float, float]


class Exact(BaseModel):
    model_config = ConfigDict(extra="forbid")


class FindingEntry(Exact):
    """One thing wrong. `amount` in mm or degrees, `time` in s, `point` in the machine's frame at that time."""

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


class AxisUse(Exact):
    axis: str
    min: float
    max: float
    travel: tuple[float, float] | None


class ToolUse(Exact):
    number: int
    time_in_cut: float
    metres_in_cut: float
    reach_needed: float | None = None  # mm of stick-out that suffice above the blank; none for a tool that does not cut


class StockResult(Exact):
    name: str
    volume_before: float
    volume_after: float
    gouge_max: float | None = Field(description="deepest cut into the design, mm; null without a design")
    excess_max: float | None


class PairMargin(Exact):
    bodies: tuple[str, str]
    clearance: float
    motion: int
    time: float


class SwitchesUsed(Exact):
    block_skip: list[int]
    optional_stop: bool
    loop: int
    feed_override: float = Field(description="per cent")
    rapid_override: float = Field(description="per cent")
    dry_run: bool
    air_cut: float = Field(description="mm that the work offsets were raised by")


class Checked(Exact):
    resolution: float
    near: float
    near_stock: float
    pairs: int
    margins: list[PairMargin]
    design: bool
    not_checked: list[str]
    switches: SwitchesUsed
    notes: list[str]


class VerdictFile(Exact):
    format: Literal["blunt-mirror/verdict@1"]
    job: str
    verdict: Literal["stop", "caution", "clear"]
    findings: list[FindingEntry]
    time: float
    axes: list[AxisUse]
    tools: list[ToolUse]
    stock: list[StockResult]
    checked: Checked
    version: str
