"""What goes to the floor: the setup sheet — what to clamp where, offsets, tools, what to look at on the first part — and the tool list.

zero   program zero of a work offset: where the tip stands on the mount with X, Y, Z at 0 and no length
plan   the bodies of a mount seen along its Z, with the blank's edges measured from zero
"""

from __future__ import annotations

from html import escape
from typing import Any

import numpy as np

from ..geometry.frames import Floats
from ..job.channel import tool_key, tool_number
from ..job.models import Body, Mount, ToolEntry
from ..rehearsal.result import Rehearsal, Strand, Timed
from ..rehearsal.times import operation_times
from ..rehearsal.virtual_control import tool_mount
from .control_data import control_data
from .page import STYLE, clock, table
from .trace import safe_cell

TOOL_HEADS = (
    "tool", "turret", "station", "name", "type", "diameter", "corner_radius", "flutes", "stick_out", "stick_out_needed", "length", "H", "D",
    "seconds", "used", "operations",
)  # fmt: skip
PLAN_MM, PLAN_EDGE = 150.0, 14.0  # width of the drawing on the page, and room about it for dimensions
FILLS = {"stock": "#e9e4d6", "fixture": "#c9c4b6", "part": "#d9dfe0"}
STYLE_MORE = ".tick { width: 26mm; border-bottom: 0.2mm solid #5d6a70; }"


def tool_rows(result: Timed) -> list[dict[str, Any]]:
    """Every tool of the table, those that the programs use first in the order of their use. mm, s; none where a kind has no such measure."""
    used = [int(n) for n in dict.fromkeys(result.reel.motions.tool.tolist()) if n]
    spent = result.reel.end_time - result.reel.begin_time
    needed = {n: mm for cut in _stocks(result) for n, mm in cut.reach_needed.items()}
    names: dict[int, list[str]] = {}
    for row in operation_times(result):
        if row.name and row.name not in names.setdefault(tool_number(row.tool), []):
            names[tool_number(row.tool)].append(row.name)
    rows = []
    for entry in result.job.tools.tools:
        key = tool_key(result.job.machine, entry)
        rows.append((used.index(key) if key in used else len(used), {
            "tool": entry.number, "turret": entry.turret or "", "station": entry.station, "name": entry.name, "type": entry.cutter.type,
            **{name: getattr(entry.cutter, name, None) for name in ("diameter", "corner_radius", "flutes")},
            "stick_out": getattr(entry.cutter, "reach", None), "stick_out_needed": None if key not in needed else round(needed[key], 1),
            "length": entry.length, "H": entry.registers.get("H", entry.length), "D": _radius_register(entry),
            "seconds": round(float(spent[result.reel.motions.tool == key].sum()), 1), "used": key in used,
            "operations": ", ".join(names.get(entry.number, [])),
        }))  # fmt: skip
    return [row for _, row in sorted(rows, key=lambda pair: pair[0])]


def _stocks(result: Timed):  # type: ignore[no-untyped-def]
    return result.stocks if isinstance(result, Rehearsal) else []


def _radius_register(entry: ToolEntry) -> float | None:
    diameter = getattr(entry.cutter, "diameter", None)
    return entry.registers.get("D", 0.5 * diameter if diameter else None)


def tools_csv(result: Timed) -> str:
    def cell(value: Any) -> str:
        return "" if value is None else f"{value:g}" if isinstance(value, float) else safe_cell(str(value))

    rows = [",".join(cell(row[name]) for name in TOOL_HEADS) for row in tool_rows(result)]
    return "\n".join([",".join(TOOL_HEADS), *rows, ""])


LABEL_STYLE = """
body { margin: 8mm; max-width: none; } .labels { font-size: 0; }
.label { display: inline-block; box-sizing: border-box; width: 62mm; height: 34mm; margin: 0 2mm 2mm 0; padding: 2.5mm 3mm; border: 0.3mm solid #1d2a30;
  font-size: 9pt; vertical-align: top; overflow: hidden; break-inside: avoid; }
.label b { font-size: 17pt; line-height: 1; } .label span { float: right; text-align: right; color: #5d6a70; font-size: 7.5pt; }
.label p { margin: 0.6mm 0; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
.label td, .label th { padding: 0 2mm 0 0; font-size: 8.5pt; white-space: nowrap; }
"""


def labels_html(result: Timed) -> str:
    """A label for every tool that the programs use, to be cut out and hung on it: three in a row on A4 and on Letter."""

    def told(value: float | None, digits: int = 3) -> str:
        return "—" if value is None else f"{value:.{digits}f}"

    drawn = []
    for row in tool_rows(result):
        if not row["used"]:
            continue
        place = " ".join(
            str(part) for part in (row["turret"], f"station {row['station']}" if row["station"] else "") if part
        )
        figures = [("length", told(row["length"])), ("H", told(row["H"])), ("D", told(row["D"])), ("out", told(row["stick_out"], 1)),
                   ("needs", told(row["stick_out_needed"], 1)), ("⌀", told(row["diameter"], 2))]  # fmt: skip
        cells = "".join(
            f"<tr>{''.join(f'<th>{name}</th><td>{value}</td>' for name, value in figures[at : at + 2])}</tr>"
            for at in range(0, len(figures), 2)
        )
        drawn.append(
            f'<div class="label"><span>{escape(result.job.name)}<br>{escape(result.job.machine.name)}</span><b>T{row["tool"]}</b>'
            f"<p>{escape(row['name'])}{escape(f', {place}' if place else '')}</p><table>{cells}</table></div>"
        )
    title = escape(f"{result.job.name}: labels of its tools")
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{title}</title><style>{STYLE}{LABEL_STYLE}</style></head>'
        f'<body><div class="labels">{"".join(drawn)}</div></body></html>\n'
    )


def zeros(strand: Strand) -> dict[str, dict[str, Floats]]:
    """Where program zero of every offset lies on every work mount that bodies stand on, (3,) mm in its frame; axes that an offset
    does not name stand at their first reference."""
    job, chain = strand.job, strand.chain
    tool = tool_mount(job, chain, 0)
    mounts = [mount for mount in chain.mounts.values() if any(body.mount == mount.name for body in job.file.bodies)]
    found: dict[str, dict[str, Floats]] = {}
    for name, values in strand.setup.work_offsets.items():
        row = strand.full(np.array([[strand.setup.references.get(1, {}).get(axis, 0.0) for axis in strand.setup.axes]]))
        for axis, value in values.items():
            if axis in strand.setup.axes:
                row[0, strand.columns[strand.setup.axes.index(axis)]] = value
        found[name] = {mount.name: chain.tool_in_work(tool, mount, row)[0, :3, 3] for mount in mounts}
    return found


def as_html(result: Timed, when: str = "", by: str = "") -> str:
    """The whole sheet, one page that needs nothing else. `when` and `by` are put under the title as given."""
    job = result.job
    head = f"{escape(job.machine.name)}{escape(f'; {when}' if when else '')}{escape(f', {by}' if by else '')}"
    programs = ", ".join(
        f"{entry.main} (channel {entry.channel})" if len(job.file.programs) > 1 else entry.main
        for entry in job.file.programs
    )
    parts = [
        f"<h1>{escape(job.name)}: setup</h1>", f'<div class="quiet">{head}</div>',
        f"<p>Program {escape(programs)}; {clock(result.reel.seconds)} a part.</p>",
        _clamped(result), plans(result), _grips(result), _offsets(result), _tools(result), _first_part(result),
    ]  # fmt: skip
    title = escape(f"{job.name}: setup")
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{title}</title><style>{STYLE}{STYLE_MORE}</style></head>'
        f"<body>{''.join(parts)}</body></html>\n"
    )


def _work_mounts(result: Timed) -> list[Mount]:
    named = {body.mount for body in result.job.file.bodies if body.role in FILLS}
    return [mount for mount in result.chain.mounts.values() if mount.name in named]


def _bounds(result: Timed, body: Body) -> Floats:
    meshes = result.job.body_meshes[body.name]
    return np.array([np.min([m.bounds[0] for m in meshes], axis=0), np.max([m.bounds[1] for m in meshes], axis=0)])


def plans(result: Timed) -> str:
    """Every mount that work stands on, drawn from above with its dimensions from program zero."""
    return "".join(_plan(result, mount) for mount in _work_mounts(result))


def _clamped(result: Timed) -> str:
    rows = []
    for body in result.job.file.bodies:
        if body.role not in FILLS:
            continue
        low, high = _bounds(result, body)
        size = " × ".join(f"{value:g}" for value in np.round(high - low, 3))
        made = body.material.name if body.material else ""
        stays = (
            ""
            if body.present is None
            else f"from stop {body.present[0]}" + ("" if body.present[1] is None else f" to {body.present[1]}")
        )
        rows.append(
            [
                escape(body.role),
                escape(body.name),
                escape(body.mount),
                size,
                "  ".join(f"{a:.2f}" for a in low),
                escape(made),
                escape(stays),
            ]
        )
    heads = ["", "what", "on", "size, mm", "its low corner on the mount", "material", "there"]
    shown = [i for i in range(len(heads)) if i < 5 or any(row[i] for row in rows)]
    heads, rows = [heads[i] for i in shown], [[row[i] for i in shown] for row in rows]
    return "<h2>What to clamp</h2>" + table(heads, rows) if rows else ""


def _plan(result: Timed, mount: Mount) -> str:
    """The bodies of a mount from above, and the blank's edges from the first program zero that lies there."""
    bodies = [body for body in result.job.file.bodies if body.mount == mount.name and body.role in FILLS]
    boxes = {body.name: _bounds(result, body) for body in bodies}
    low = np.min([box[0] for box in boxes.values()], axis=0)
    high = np.max([box[1] for box in boxes.values()], axis=0)
    wide = max(float((high - low)[0]), float((high - low)[1]), 1.0)
    scale = (PLAN_MM - 2 * PLAN_EDGE) / wide
    height = float((high - low)[1]) * scale + 2 * PLAN_EDGE

    def at(point: Floats) -> tuple[float, float]:
        return PLAN_EDGE + (float(point[0]) - low[0]) * scale, height - PLAN_EDGE - (float(point[1]) - low[1]) * scale

    drawn = []
    for body in sorted(bodies, key=lambda body: float(boxes[body.name][1][2])):
        (x0, y0), (x1, y1) = at(boxes[body.name][0]), at(boxes[body.name][1])
        drawn.append(
            f'<rect x="{x0:.2f}" y="{y1:.2f}" width="{x1 - x0:.2f}" height="{y0 - y1:.2f}" fill="{FILLS[body.role]}" stroke="#1d2a30" stroke-width="0.25"/>'
        )
        drawn.append(f'<text x="{x0 + 1:.2f}" y="{y1 + 3.6:.2f}">{escape(body.name)}</text>')
    stock = next((body for body in bodies if body.role == "stock"), None)
    zero = _zero_on(result, mount, boxes[stock.name] if stock else np.array([low, high]))
    if zero is not None:
        name, place = zero
        x, y = at(place)
        drawn.append(f'<path d="M{x - 3:.2f} {y:.2f}h6M{x:.2f} {y - 3:.2f}v6" stroke="#a3195b" stroke-width="0.5"/>')
        drawn.append(f'<circle cx="{x:.2f}" cy="{y:.2f}" r="1.6" fill="none" stroke="#a3195b" stroke-width="0.4"/>')
        drawn.append(f'<text x="{x + 2:.2f}" y="{y - 2:.2f}" fill="#a3195b">{escape(name)}</text>')
        if stock:
            for end in (0, 1):
                corner = boxes[stock.name][end] - place
                sx, sy = at(boxes[stock.name][end])
                drawn.append(f'<text x="{sx:.2f}" y="{height - 4:.2f}" text-anchor="middle">X {corner[0]:.2f}</text>')
                drawn.append(
                    f'<path d="M{sx:.2f} {height - 8:.2f}V{height - PLAN_EDGE + 1:.2f}" stroke="#5d6a70" stroke-width="0.2"/>'
                )
                drawn.append(f'<text x="1" y="{sy + 1:.2f}">Y {corner[1]:.2f}</text>')
            top = boxes[stock.name][1][2] - place[2]
            drawn.append(
                f'<text x="{PLAN_MM - 1:.2f}" y="4" text-anchor="end">top of {escape(stock.name)}: Z {top:.2f} from {escape(name)}</text>'
            )
    return (
        f"<h2>On {escape(mount.name)}, seen along its Z</h2>"
        f'<svg width="{PLAN_MM:.0f}mm" height="{height:.1f}mm" viewBox="0 0 {PLAN_MM:.0f} {height:.2f}" '
        f'font-size="3.1" font-family="IBM Plex Sans, DejaVu Sans, sans-serif">{"".join(drawn)}</svg>'
    )


def _zero_on(result: Timed, mount: Mount, about: Floats) -> tuple[str, Floats] | None:
    """The first program zero that lies in or near a box on a mount."""
    reach = float((about[1] - about[0]).max())
    for strand in result.strands:
        for name, places in zeros(strand).items():
            place = places.get(mount.name)
            if place is not None and (place > about[0] - reach).all() and (place < about[1] + reach).all():
                return name, place
    return None


def _grips(result: Timed) -> str:
    rows = [
        [escape(grip.name), escape(grip.kind), escape(grip.mount), "" if grip.holds is None else f"⌀ {grip.holds[0]:g} … {grip.holds[1]:g}",
         f"{grip.least:g}" if grip.least else "", escape(grip.starts)]
        for grip in result.job.machine.grips
    ]  # fmt: skip
    return "<h2>Grips</h2>" + table(["", "", "on", "holds, mm", "at least, mm", "starts"], rows) if rows else ""


def _offsets(result: Timed) -> str:
    typed: dict[tuple[int, str], list[str]] = {}
    for row in control_data(result):
        if row.what == "offset":
            typed.setdefault((row.channel, row.name), []).append(f"{row.word} {row.value:.3f}")
    rows = [
        [escape(name if len(result.strands) == 1 else f"{name}, channel {channel}"), escape("   ".join(words)), '<div class="tick">&nbsp;</div>']
        for (channel, name), words in typed.items()
    ]  # fmt: skip
    return "<h2>Offsets</h2>" + table(["", "as typed at the control", "found"], rows) if rows else ""


def _tools(result: Timed) -> str:
    rows = []
    for row in tool_rows(result):
        if not row["used"]:
            continue
        needed = "—" if row["stick_out_needed"] is None else f"{row['stick_out_needed']:.1f}"
        rows.append([f"T{row['tool']}" + (f" {escape(row['turret'])}" if row["turret"] else ""), escape(row["name"]), escape(row["operations"].lower()),
                     "—" if row["stick_out"] is None else f"{row['stick_out']:g}", needed, f"{row['length']:.3f}", f"{row['H']:.3f}",
                     "—" if row["D"] is None else f"{row['D']:g}", '<div class="tick">&nbsp;</div>'])  # fmt: skip
    heads = ["", "tool", "does", "stick-out", "at least", "length", "H", "D", "measured"]
    return "<h2>Tools</h2>" + table(heads, rows, frozenset(range(3, 8))) if rows else ""


def _first_part(result: Timed) -> str:
    parts = []
    measures = result.job.file.measures
    if measures:
        rows = [
            [escape(m.name), escape(m.kind), "—" if m.nominal is None else f"{m.nominal:g}",
             "—" if m.tolerance is None else f"{m.tolerance[0]:+g} … {m.tolerance[1]:+g}", '<div class="tick">&nbsp;</div>']
            for m in measures
        ]  # fmt: skip
        parts.append(
            "<h2>First part</h2>" + table(["measure", "", "nominal", "tolerance", "found"], rows, frozenset({2, 3}))
        )
    found = [
        [
            escape(item.severity),
            escape(f"{item.program} line {item.line}" if item.line else "setup"),
            escape(item.message),
        ]
        for item in result.findings
    ]
    if found:
        parts.append("<h2>Look at</h2>" + table(["", "", ""], found))
    return "".join(parts)
