"""The report to read, print and keep: one HTML page that needs nothing else."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from typing import Any

import numpy as np

from ..findings.identity import Judged
from ..job.channel import tool_key, tool_number
from ..program.motions import ARC, FEED, KIND_NAMES, RAPID, THREAD
from ..rehearsal.result import Rehearsal, Strand, Timed
from .channels import channels, grips
from .page import STYLE, clock, mark, table
from .sheet import plans
from .verdict import WORDS, verdict_dict

MORE = "<!--more-->"  # where what has come since the rehearsal is put (`with_more`)
MOST_PICTURES = 12
PICTURED = ("contact.", "material.")  # kinds that have something to be seen
TOOL_MM, TOOL_WIDE_MM = 46.0, 24.0  # of a tool's drawing on the page


def as_html(result: Timed, when: str = "", by: str = "", known: Sequence[Judged] = ()) -> str:
    """The whole report. `when` and `by` are put under the title as given."""
    verdict = verdict_dict(result, known)
    parts = [
        f"<h1>{escape(verdict['job'])}</h1>",
        f'<div class="quiet">{escape(result.job.machine.name)}, {escape(_programs(result))}'
        f"{escape(f'; {when}' if when else '')}{escape(f', {by}' if by else '')}</div>",
        f'<div class="word {verdict["verdict"]}">{mark(verdict["verdict"])} {escape(WORDS[verdict["verdict"]])}</div>',
        _findings(verdict),
        _pictures(result),
        MORE,
        _checked(verdict),
        _axes(verdict),
        _operations(verdict),
        _margins(verdict),
        channels(result, verdict),
        grips(result),
        _tools(result, verdict),
        _tool_drawings(result, verdict),
        _stock(verdict),
        _part(result),
        _measures(verdict),
        _setup(result),
        _offsets(result),
        f'<p class="quiet">Blunt Mirror {escape(verdict["version"])}. Lengths in mm, times in min:s.</p>',
    ]
    title = escape(verdict["job"])
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{title}</title><style>{STYLE}</style></head>'
        f"<body>{''.join(parts)}</body></html>\n"
    )


def with_more(html: str, sections: Sequence[str]) -> str:
    """The report with what has come since: sections after its findings."""
    return html.replace(MORE, "".join(sections), 1)


def _programs(result: Timed) -> str:
    return ", ".join(name for entry in result.job.file.programs for name in [entry.main, *entry.library])


def _findings(verdict: dict[str, Any]) -> str:
    if not verdict["findings"]:
        return "<h2>Findings</h2><p>None.</p>"
    rows = []
    for item in verdict["findings"]:
        place = f"{escape(item['program'])} line {item['line']}, {clock(item['time'])}" if item["line"] else "setup"
        tool = f", T{item['tool']}" if item["tool"] else ""
        said = f"{escape(item['message'])}.<br><span class='remedy'>{escape(item['remedy'])}</span>"
        if item["accepted"]:
            by = f" by {item['accepted']['by']}" if item["accepted"]["by"] else ""
            said += f"<br><b>Accepted{escape(by)}:</b> {escape(item['accepted']['reason'])}"
        rows.append([f"<span class='kind'>{mark(item['severity'])} {escape(item['kind'])}</span>", place + tool, said])
    return "<h2>Findings</h2>" + table(["what", "where", "what is wrong, what would put it right"], rows)


def figure(data: bytes, said: str) -> str:
    """A picture with what it shows."""
    from .picture import as_uri

    return f'<figure><img src="{as_uri(data)}" alt="{escape(said)}"><figcaption>{escape(said)}</figcaption></figure>'


def _pictures(result: Timed) -> str:
    """Where the findings are, each from a side from which it can be seen."""
    if not isinstance(result, Rehearsal) or not result.findings:
        return ""
    from .picture import of_finding

    shown = []
    pictured = [item for item in result.findings if item.kind.startswith(PICTURED)]
    for item in pictured[:MOST_PICTURES]:
        data = of_finding(result, item)
        if data:
            place = f"{item.program} line {item.line}" if item.line else "setup"
            shown.append(figure(data, f"{item.kind}, {place}: {' and '.join(item.bodies) or item.message}"))
    rest = (
        f'<p class="quiet">The first {MOST_PICTURES} of {len(pictured)} are pictured.</p>'
        if len(pictured) > MOST_PICTURES
        else ""
    )
    return f'<div class="pictures">{"".join(shown)}</div>{rest}' if shown else ""


def _part(result: Timed) -> str:
    if not isinstance(result, Rehearsal):
        return ""
    from .picture import of_part

    shown = []
    for cut in result.stocks:
        data = of_part(result, cut)
        if data:
            told = (
                "; dark where it is gouged, lighter where material is left, beyond the tolerances" if cut.part else ""
            )
            shown.append(figure(data, f"{cut.name} as it comes out{told}"))
    return f'<div class="pictures">{"".join(shown)}</div>' if shown else ""


def _setup(result: Timed) -> str:
    if not isinstance(result, Rehearsal):
        return ""
    from .picture import of_setup

    data = of_setup(result)
    picture = (
        f'<h2>Setup</h2><div class="pictures">{figure(data, "the work as it is clamped at the start")}</div>'
        if data
        else ""
    )
    return picture + plans(result)


def _tool_drawings(result: Timed, verdict: dict[str, Any]) -> str:
    """The tools that are used as they hang, with how far they must stand out."""
    needed = {entry["number"]: entry["reach_needed"] for entry in verdict["tools"]}
    drawn = []
    for number in dict.fromkeys(result.reel.motions.tool.tolist()):
        tool = result.tools.get(number)
        if not number or tool is None or tool.is_turning:
            continue
        outlines = tool.outlines()
        high = max(h for outline in outlines.values() for _, h in outline)
        wide = max(r for outline in outlines.values() for r, _ in outline)
        scale = min(TOOL_MM / high, 0.5 * TOOL_WIDE_MM / wide)
        parts = []
        for name, outline in outlines.items():
            right = [(0.5 * TOOL_WIDE_MM + r * scale, TOOL_MM - h * scale) for r, h in outline]
            left = [(TOOL_WIDE_MM - x, y) for x, y in reversed(right)]
            points = " ".join(f"{x:.2f},{y:.2f}" for x, y in right + left)
            fill = {"cutter": "#e9e4d6", "shank": "#ffffff", "holder": "#b9c0c4"}[name]
            parts.append(f'<polygon points="{points}" fill="{fill}" stroke="#1d2a30" stroke-width="0.2"/>')
        need = needed.get(tool_number(number))
        if need is not None:
            y = TOOL_MM - need * scale
            parts.append(
                f'<path d="M0 {y:.2f}H{TOOL_WIDE_MM}" stroke="#a3195b" stroke-width="0.3" stroke-dasharray="1 0.8"/>'
            )
        told = f"T{tool_number(number)}: stands out {tool.reach:g}" + (
            "" if need is None else f", needs {need:.1f} at most"
        )
        drawn.append(
            f'<figure><svg width="{TOOL_WIDE_MM}mm" height="{TOOL_MM}mm" viewBox="0 0 {TOOL_WIDE_MM} {TOOL_MM}" role="img" aria-label="{escape(told)}">'
            f"{''.join(parts)}</svg><figcaption>{escape(told)}</figcaption></figure>"
        )
    return f'<div class="pictures tools">{"".join(drawn)}</div>' if drawn else ""


def _checked(verdict: dict[str, Any]) -> str:
    checked = verdict["checked"]
    switches = checked["switches"]
    on = [f"block skip {', '.join(map(str, switches['block_skip']))}"] if switches["block_skip"] else []
    on += ["optional stop"] if switches["optional_stop"] else []
    on += ["dry run"] if switches["dry_run"] else []
    on += [f"raised {switches['air_cut']:g} mm for an air cut"] if switches["air_cut"] else []
    on += [
        f"{name} {switches[key]:g} %"
        for name, key in (("feed", "feed_override"), ("rapid", "rapid_override"))
        if switches[key] != 100
    ]
    told = [
        f"{checked['pairs']} pairs of bodies for contact and a clearance of {checked['near']:g}",
        f"travel of {len(verdict['axes'])} axes",
        f"stock on a grid of {checked['resolution']:.3g}",
        *(["the finished part against its design"] if checked["design"] else []),
        f"switches on: {', '.join(on) or 'none'}",
    ]
    return (
        f"<h2>Checked</h2><p>{escape('; '.join(told))}.</p><p>Not checked: {escape('; '.join(checked['not_checked']))}.</p>"
        + "".join(f"<p>{escape(note)}</p>" for note in checked["notes"])
    )


def _axes(verdict: dict[str, Any]) -> str:
    rows = []
    for axis in verdict["axes"]:
        used = f"{axis['min']:.3f} … {axis['max']:.3f}"
        if axis["travel"] is None:
            rows.append([axis["axis"], used, "endless", "", ""])
            continue
        low, high = axis["travel"]
        span = max(high - low, 1e-9)
        left, right = (100 * (axis["min"] - low) / span, 100 * (high - axis["max"]) / span)
        over = ' class="over"' if left < 0 or right < 0 else ""
        bar = f'<span class="bar"><i{over} style="left:{max(0, left):.1f}%;right:{max(0, right):.1f}%"></i></span>'
        rows.append(
            [axis["axis"], used, f"{low:g} … {high:g}", f"{axis['min'] - low:.3f} and {high - axis['max']:.3f}", bar]
        )
    return "<h2>Travel used</h2>" + table(["axis", "used", "of", "left", ""], rows)


def _margins(verdict: dict[str, Any]) -> str:
    rows = [
        [f"{m['clearance']:.2f}", escape(" · ".join(m["bodies"])), clock(m["time"])]
        for m in verdict["checked"]["margins"][:12]
    ]
    return "<h2>Least clearances</h2>" + table(["mm", "between", "at"], rows, frozenset({0})) if rows else ""


def _tools(result: Timed, verdict: dict[str, Any]) -> str:
    reel = result.reel
    motions = reel.motions
    spent = reel.end_time - reel.begin_time
    use = {(entry.get("turret"), entry["number"]): entry for entry in verdict["tools"]}
    rows = []
    total = np.zeros(3)

    def needed(named: tuple[str | None, int]) -> str:
        mm = use.get(named, {}).get("reach_needed")
        return "—" if mm is None else f"{mm:.1f}"

    for number in dict.fromkeys(motions.tool.tolist()):
        mine = motions.tool == number
        cutting = float(spent[mine & np.isin(motions.kind, (FEED, ARC, THREAD))].sum())
        rapid = float(spent[mine & (motions.kind == RAPID)].sum())
        other = float(spent[mine].sum()) - cutting - rapid
        total += [cutting, rapid, other]
        if not number:
            continue
        entry = next((t for t in result.job.tools.tools if tool_key(result.job.machine, t) == number), None)
        tool = result.tools.get(number)
        named = (entry.turret if entry else None, tool_number(number))
        shown = f"T{named[1]}" + (f" {escape(named[0])}" if named[0] else "")
        register = f"{entry.registers.get('H', entry.length):.3f}" if entry else "—"
        rows.append(
            [shown, escape(entry.name if entry else "not in the table"), f"{tool.length:.3f}" if tool else "—", register,
             f"{tool.reach:g}" if tool else "—", needed(named), clock(cutting), clock(rapid), clock(other),
             f"{use[named]['metres_in_cut']:.2f}" if named in use else "—"]
        )  # fmt: skip
    rows.append(["", "<b>all</b>", "", "", "", "", *(f"<b>{clock(t)}</b>" for t in total), ""])
    heads = [
        "",
        "tool",
        "length",
        "H",
        "reach",
        "needed at most",
        "feed",
        KIND_NAMES[RAPID],
        "change, dwell",
        "m in cut",
    ]
    return (
        f"<h2>Tools and time, {clock(verdict['time'])}</h2>" + table(heads, rows, frozenset(range(2, 10))) + _work(verdict)
    )  # fmt: skip


def _operations(verdict: dict[str, Any]) -> str:
    """What every operation of an arm comes to, and what it leaves where that is least."""
    if not verdict.get("operations"):
        return ""

    def answer(value: bool | None) -> str:
        return "not judged" if value is None else "yes" if value else "<b>no</b>"

    def left(item: dict[str, Any], name: str, unit: str) -> str:
        least = item["least"].get(name)
        if not least:
            return "—"
        of = " · ".join(least["bodies"]) + ", " if "bodies" in least else f"{least['axis'] or ''} "
        return f"{least['amount']:.1f} {unit} <small>{escape(of)}line {least['line']}</small>"

    rows = [
        [f"{escape(item['name'].lower())} <small>T{item['tool']}, {escape(item['program'])} line {item['line']}</small>", answer(item["reachable"]),
         answer(item["limits"]), answer(item["singular"]), answer(item["contact"]), left(item, "reach", "mm"), left(item, "limit", "°"),
         left(item, "singular", "°"), left(item, "clearance", "mm")]
        for item in verdict["operations"]
    ]  # fmt: skip
    heads = [
        "operation",
        "reached",
        "within limits",
        "away from singular",
        "free of contact",
        "reach left",
        "to a limit",
        "to a singular pose",
        "clearance",
    ]
    return "<h2>What the arm has left</h2>" + table(heads, rows, frozenset(range(5, 9)))


def _work(verdict: dict[str, Any]) -> str:
    """What every tool took off, and where it had to work hardest."""

    def told(most: dict[str, Any] | None, digits: int) -> str:
        return (
            "—"
            if most is None
            else f"{most['most']:.{digits}f} <small>{escape(most['program'])}:{most['line']}</small>"
        )

    rows = [
        [f"T{tool['number']}" + (f" {escape(tool['turret'])}" if tool.get("turret") else ""), f"{tool['removed'] / 1000:.2f}",
         told(tool["removal_rate"], 1), told(tool["depth_of_cut"], 2), told(tool["width_of_cut"], 2), told(tool["chip"], 3)]
        for tool in verdict["tools"] if "removed" in tool
    ]  # fmt: skip
    heads = ["", "cm³ off", "most, cm³/min", "deepest cut, mm", "widest, mm", "thickest chip, mm"]
    return "<h2>What the tools took off</h2>" + table(heads, rows, frozenset(range(1, 6))) if rows else ""


def _stock(verdict: dict[str, Any]) -> str:
    def depth(value: float | None) -> str:
        return "no design" if value is None else f"{value:.3f}"

    def mass(stock: dict[str, Any]) -> str:
        named = escape(stock.get("material") or "")
        return (
            f"{named} {stock['mass_before']:.3f} → {stock['mass_after']:.3f} kg".strip()
            if "mass_after" in stock
            else named
        )

    rows = [
        [escape(s["name"]), f"{s['volume_before'] / 1000:.2f}", f"{s['volume_after'] / 1000:.2f}", depth(s["gouge_max"]),
         depth(s["excess_max"]), f"{s['untouched'] / 100:.2f}" if "untouched" in s else "—", mass(s)]
        for s in verdict["stock"]
    ]  # fmt: skip
    heads = ["stock", "cm³ before", "cm³ after", "deepest into the design", "most left on it", "never touched, cm²", ""]
    return "<h2>Stock</h2>" + table(heads, rows, frozenset(range(1, 6))) if rows else ""


def _measures(verdict: dict[str, Any]) -> str:
    def told(value: float | None, sign: str = "") -> str:
        return "—" if value is None else f"{value:{sign}.3f}"

    rows = []
    for item in verdict.get("measures", []):
        low, high = item["tolerance"] or (None, None)
        asked = "—" if low is None or high is None else f"{low:+g} … {high:+g}"
        state = {None: "", True: f"{mark('clear')} within", False: f"{mark('caution')} out of tolerance"}[
            item["within"]
        ]
        parts = item["parts"]
        said = escape(item["why"]) or ("" if parts is None else "X {:.3f} Y {:.3f} Z {:.3f}".format(*parts))
        rows.append([escape(item["name"]), escape(item["kind"]), told(item["nominal"]), told(item["actual"]), told(item["off"], "+"),
                     asked, state, said])  # fmt: skip
    heads = ["measure", "", "nominal", "actual", "off", "tolerance", "", ""]
    return "<h2>Measures</h2>" + table(heads, rows, frozenset({2, 3, 4, 5})) if rows else ""


def _of_channel(result: Timed, strand: Strand, name: str) -> str:
    return name if len(result.strands) == 1 else f"{name}, channel {strand.channel}"


def _offsets(result: Timed) -> str:
    rows = [
        [
            escape(_of_channel(result, strand, name)),
            escape("  ".join(f"{axis}{value:.3f}" for axis, value in values.items())),
        ]
        for strand in result.strands
        for name, values in strand.setup.work_offsets.items()
    ]
    return "<h2>Work offsets</h2>" + table(["", "machine values"], rows) if rows else ""
