"""verdict.json, as the open contract says, and the same as text, SARIF 2.1.0 and JUnit."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any
from xml.etree import ElementTree

import numpy as np

from .. import __version__
from ..findings import CATALOGUE, RULES, Finding, Policy
from ..findings.identity import Judged, cause_of, judged
from ..job.channel import tool_key, tool_number
from ..job.models import Carried, Insert
from ..program.motions import ARC, FEED, RAPID, THREAD, WAIT
from ..rehearsal.comparing import exactness
from ..rehearsal.reaching import operations_reached
from ..rehearsal.result import CutStock, Rehearsal, Strand, Timed
from ..rehearsal.times import operation_times, savings
from ..rehearsal.travel import ranges

CUSP_DEGREES = 10  # of the sides of a cusp: passes a third of a ball's diameter apart leave it
_NOT_XML = re.compile("[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def _rounded(value: float, digits: int = 6) -> float:
    return round(float(value), digits) + 0.0


def causes(result: Timed) -> list[str]:
    """The cause of every finding in the docket's order: what tells it again in another rehearsal."""
    lines: dict[str, list[bytes]] = {}
    found = []
    for item in result.findings:
        if item.program not in lines:
            lines[item.program] = re.split(rb"\r\n|\n|\r", result.job.programs.get(item.program, b""))
        text = lines[item.program]
        block = text[item.line - 1] if 0 < item.line <= len(text) else b""
        found.append(cause_of(item, block.decode("latin-1")))
    return found


def finding_dict(item: Finding, cause: str = "", known: Sequence[Judged] = ()) -> dict[str, Any]:
    """A finding as the verdict holds it. `known`: judgements of people, of which it may inherit one."""
    judgement, doubt = judged(cause, item.point, known)
    excused = judgement is not None and not doubt and judgement.judgement != "real" and judgement.no_worse(item.amount)
    return {
        "cause": cause,
        "accepted": {"reason": judgement.reason, "by": judgement.by, "judgement": judgement.judgement}
        if excused and judgement
        else None,
        "kind": item.kind,
        "severity": item.severity,
        "channel": item.channel,
        "program": item.program,
        "line": item.line,
        "time": _rounded(item.time, 4),
        "tool": item.tool,
        "bodies": list(item.bodies),
        "axis": item.axis,
        "amount": _rounded(item.amount, 4),
        "point": [_rounded(c, 4) for c in item.point] if item.point else None,
        "count": item.count,
        "message": item.message,
        "remedy": item.remedy,
        "rule": item.rule,
        "also": [{"kind": kind, "amount": _rounded(amount, 4)} for kind, amount in item.also],
        "fix": None if item.fix is None else asdict(item.fix) | {"edits": [asdict(edit) for edit in item.fix.edits]},
    }


def not_checked(result: Timed) -> list[str]:
    """What this verdict does not cover, in words; findings of the kind check.limit say the rest."""
    told = []
    bodies, stocks = result.job.file.bodies, result.stocks if isinstance(result, Rehearsal) else []
    for strand in result.cut_short:
        of = f" of channel {strand.channel}" if len(result.strands) > 1 else ""
        told.append(f"what the program{of} without an end does after its first {len(strand.reel.motions):,} motions")
    used = set(np.unique(result.reel.motions.tool).tolist())
    unhanded = sorted({
        t.number for t in result.job.tools.tools
        if isinstance(t.cutter, Insert) and t.cutter.hand is None and tool_key(result.job.machine, t) in used
    })  # fmt: skip
    if unhanded and result.job.machine.spindles:
        numbers = ", ".join(f"T{number}" for number in unhanded)
        told.append(f"the direction in which {numbers} cut: the table gives them no hand")
    if not any(body.role == "stock" for body in bodies):
        told.append("material: the job has no stock")
    elif not any(body.role == "design" for body in bodies):
        told.append("gouges and material left: the job has no design part")
    elif any(isinstance(body.shape, Carried) for body in bodies):
        told.append(
            f"what an earlier step took inside the design by less than {exactness(result.job.file.checks.resolution):.2f} mm"
        )
    elif stocks and not any(cut.part for cut in stocks):
        told.append("gouges and material left: no stock could be compared with the design")
    if any(cut.part for cut in stocks):
        # g/2 · tan θ, θ the rise of a cusp's sides: see docs/performance.md.
        grid = result.job.file.checks.resolution
        told.append(
            f"the tips of cusps between two rays: one whose sides rise at {CUSP_DEGREES}° may stand "
            f"{0.5 * grid * math.tan(math.radians(CUSP_DEGREES)):.3f} mm higher than told"
        )
    if isinstance(result, Rehearsal) and result.quick:
        told.append(
            f"material on the job's own grid of {result.quick.own:g} mm, but for {result.quick.share:.0%} of the stock: a quick look"
        )
    if result.job.file.switches.dry_run:
        told.append("material: dry run, no stock was cut")
    if result.job.file.switches.air_cut:
        told.append(f"gouges and material left: rehearsed {result.job.file.switches.air_cut:g} mm above the work")
    told += [
        f"{s.program} lines {s.first} to {s.last}: left out of this rehearsal"
        for s in result.job.file.switches.left_out
    ]
    told += [
        f"{s.program} lines {s.first} to {s.last}: as they would run; rehearsed shifted by "
        + " ".join(f"{axis}{value:+g}" for axis, value in s.by.items())
        for number, s in enumerate(result.job.file.switches.shifts)
        if any(number in strand.interpreted.shifted for strand in result.strands)
    ]
    if isinstance(result, Rehearsal):
        told += [f"contact of {a} with {b}: switched off in the job" for a, b in result.off]
    else:
        told.append("contact, travel and material: this is the program check alone")
    told.append("cutting forces, chatter and chip flow")
    return told


KINDS_OF_TIME = ("cutting", "air", "rapid", "dwell", "change", "waiting", "spindle", "coolant", "other")


def _times(result: Timed) -> dict[str, Any]:
    """Seconds by operation and kind, and what could be saved."""
    return {
        "operations": [
            {"channel": row.channel, "tool": tool_number(row.tool), "program": row.program, "line": row.line, "name": row.name,
             "begin": _rounded(row.begin, 3), **{kind: _rounded(getattr(row, kind), 3) for kind in (*KINDS_OF_TIME, "late")}}
            for row in operation_times(result)
        ],
        "savings": [
            {"kind": item.kind, "channel": item.where.channel, "tool": tool_number(item.where.tool), "program": item.where.program,
             "line": item.where.line, "last_line": item.last_line, "time": _rounded(item.where.time, 3), "seconds": _rounded(item.seconds, 2),
             "count": item.count, "amount": _rounded(item.amount, 2)}
            for item in savings(result)
        ],
    }  # fmt: skip


def _time_off(result: Timed) -> dict[str, float]:
    """How far off the time may be, where the unit's own times were measured: one standard deviation, s."""
    pace = result.job.machine.pace
    return {} if pace is None or pace.spread is None else {"time_off": _rounded(pace.spread * result.reel.seconds, 2)}


def verdict_dict(result: Timed, known: Sequence[Judged] = ()) -> dict[str, Any]:
    """The verdict. `known`: judgements about earlier findings of this job; the verdict itself does not become milder by them."""
    reel, job = result.reel, result.job
    run = result if isinstance(result, Rehearsal) else None
    stocks, margins = (run.stocks, run.margins) if run else ([], [])
    if run and run.measured:
        from .measures import rows  # loaded only where something is measured
    seconds: dict[int, float] = {}
    metres: dict[int, float] = {}
    needed: dict[int, float] = {}
    for cut in stocks:
        for number in cut.seconds_in_cut:
            seconds[number] = seconds.get(number, 0.0) + cut.seconds_in_cut[number]
            metres[number] = metres.get(number, 0.0) + cut.metres_in_cut[number]
            if number in cut.reach_needed:
                needed[number] = max(needed.get(number, 0.0), _rounded(cut.reach_needed[number], 3))
    checks, switches = job.file.checks, job.file.switches
    notes = []
    if any(strand.interpreted.looped for strand in result.strands):
        notes.append(f"the main program ends with M99 and would loop; it was run {switches.loop} time(s)")
    notes += run.notes if run else []
    notes += [
        f"{name}: up to {reel.motions.file_name(motion)} line {int(reel.motions.line[motion])} the stock was taken from an earlier "
        "rehearsal with the very same blank, tools, machine and motions"
        for name, motion in (run.resumed.items() if run else ())
    ]  # fmt: skip
    return {
        "format": "blunt-mirror/verdict@1",
        "job": job.name,
        "verdict": result.verdict,
        "findings": [finding_dict(item, cause, known) for item, cause in zip(result.findings, causes(result), strict=True)],
        "time": _rounded(reel.seconds),
        **_time_off(result),
        **({"channels": [_channel_times(strand) for strand in result.strands]} if len(job.machine.channels) > 1 else {}),
        "times": _times(result),
        "axes": [
            {"axis": r.axis, "min": _rounded(r.low), "max": _rounded(r.high), "travel": list(r.travel) if r.travel else None}
            for r in ranges(result.strands)
        ],
        "tools": [
            {"number": tool_number(n), **_turret(result, n), "time_in_cut": _rounded(seconds.get(n, 0.0), 3), "metres_in_cut": _rounded(metres.get(n, 0.0)),
             "reach_needed": needed.get(n), **_worked(run, n)}
            for n in sorted({int(t) for t in np.unique(reel.motions.tool)} - {0})
        ],
        "stock": [
            {"name": c.name, "volume_before": _rounded(c.volume_before, 3), "volume_after": _rounded(c.volume_after, 3),
             "gouge_max": _rounded(c.part.comparison.gouge_max, 4) if c.part else None,
             "excess_max": _rounded(c.part.comparison.excess_max, 4) if c.part else None,
             **({"untouched": _rounded(c.part.comparison.untouched.sum(), 1)} if c.part else {}),
             **_mass(result, c), **({} if c.held_by is None else {"held_by": c.held_by, "mount": c.mount})}
            for c in stocks
        ],
        **_operations(result),
        **({"measures": rows(run.measured)} if run and run.measured else {}),
        "checked": {
            "resolution": checks.resolution,
            **({"quick": {"resolution": run.quick.own, "share": _rounded(run.quick.share, 4)}} if run and run.quick else {}),
            "near": checks.near,
            "near_stock": checks.near_stock,
            "pairs": run.pairs if run else 0,
            "margins": [
                {"bodies": [m.a, m.b], "clearance": _rounded(m.clearance, 3), "motion": m.motion,
                 "time": _rounded(reel.end_time[m.motion], 4)}
                for m in sorted(margins, key=lambda m: (_rounded(m.clearance, 3), m.a, m.b))
                if m.motion >= 0
            ],
            "design": any(c.part for c in stocks),
            **({"timing": asdict(run.timing)} if run and run.timing else {}),
            "not_checked": not_checked(result),
            "switches": switches.model_dump(
                exclude={"notes": True, "left_out": {"__all__": {"notes"}}, "shifts": {"__all__": {"notes"}}}
            ),
            "rules": rules_run(result.docket.policy),
            "notes": notes,
        },
        "version": __version__,
    }  # fmt: skip


def _operations(result: Timed) -> dict[str, Any]:
    """What every operation of an arm has left, where the machine has one."""
    if not any(strand.settled for strand in result.strands):
        return {}
    motions = result.reel.motions
    return {
        "operations": [
            {"name": item.operation.name, "channel": item.strand.channel, "tool": item.operation.tool, "program": item.operation.program,
             "line": item.operation.first, "reachable": item.reachable, "limits": item.limits, "singular": item.singular,
             "contact": item.contact,
             "least": {
                 name: {"amount": _rounded(least.amount, 3), **({"bodies": list(least.bodies)} if least.bodies else {"axis": least.axis or None}),
                        "line": int(motions.line[least.motion]), "time": _rounded(result.reel.end_time[least.motion], 4)}
                 for name, least in item.least.items()
             }}
            for item in operations_reached(result)
        ]
    }  # fmt: skip


def _worked(run: Rehearsal | None, key: int) -> dict[str, Any]:
    """What a tool took off and how hard it had to work; None where that is not known."""
    told = run.engagements.get(key) if run else None
    if run is None or told is None:
        return {}
    scales = {"removal_rate": (told.rate, 1e-3, 2), "depth_of_cut": (told.depth, 1.0, 3), "width_of_cut": (told.width, 1.0, 2),
              "chip": (told.chip, 1.0, 4)}  # fmt: skip
    motions = run.reel.motions
    return {
        "removed": _rounded(told.taken, 1),
        **{
            name: None if peak.motion < 0 else {
                "most": _rounded(peak.value * scale, digits), "program": motions.file_name(peak.motion), "line": int(motions.line[peak.motion]),
                "motion": peak.motion,
            }
            for name, (peak, scale, digits) in scales.items()
        },
    }  # fmt: skip


def _mass(result: Timed, cut: CutStock) -> dict[str, Any]:
    """What a stock is made of, and what it weighs before and after, kg."""
    name = cut.name.split("/")[0]  # of a piece that came off another: that other's
    body = next((b for b in result.job.file.bodies if b.name == name), None)
    if body is None or body.material is None:
        return {}
    density = body.material.density
    masses = {} if density is None else {
        f"mass_{when}": _rounded(volume * density * 1e-6, 4) for when, volume in (("before", cut.volume_before), ("after", cut.volume_after))
    }  # fmt: skip
    return {"material": body.material.name, **masses}


def _turret(result: Timed, key: int) -> dict[str, str]:
    """On which of several turrets a tool is."""
    turret = next((t.turret for t in result.job.tools.tools if tool_key(result.job.machine, t) == key), None)
    return {} if turret is None else {"turret": turret}


def _channel_times(strand: Strand) -> dict[str, Any]:
    """What a channel does with its time, in seconds: `cutting` is that of feed rows, in stock or not."""
    motions, spent = strand.reel.motions, strand.reel.end_time - strand.reel.begin_time
    cutting = float(spent[np.isin(motions.kind, (FEED, ARC, THREAD))].sum())
    rapid, waiting = (float(spent[motions.kind == kind].sum()) for kind in (RAPID, WAIT))
    told = {"time": strand.reel.seconds, "cutting": cutting, "rapid": rapid, "waiting": waiting,
            "other": float(spent.sum()) - cutting - rapid - waiting}  # fmt: skip
    return {"number": strand.channel, **{name: _rounded(max(value, 0.0)) for name, value in told.items()}}


def rules_run(policy: Policy) -> dict[str, Any]:
    changed = policy.changed()
    off = [rule for rule, setting in changed.items() if setting == "off"]
    return {
        "ran": [rule for rule in RULES if rule not in off],
        "off": off,
        "changed": {rule: setting for rule, setting in changed.items() if setting != "off"},
    }


def route_dict(name: str, steps: Sequence[tuple[str, dict[str, Any]]]) -> dict[str, Any]:
    """The verdict of a route: the worst of its steps'. `steps`: name and verdict of each."""
    order = ("clear", "caution", "stop")
    return {
        "format": "blunt-mirror/route-verdict@1",
        "route": name,
        "verdict": max((verdict["verdict"] for _, verdict in steps), key=order.index),
        "steps": [
            {"name": step, "verdict": verdict["verdict"], "findings": len(verdict["findings"]), "time": verdict["time"]}
            for step, verdict in steps
        ],
    }


def render_route(route: dict[str, Any], steps: Sequence[tuple[str, dict[str, Any]]], form: str) -> str:
    """A route's verdict in one of its forms; in SARIF a run and in JUnit a suite for each step."""
    if form == "json":
        return json.dumps(route, indent=1, ensure_ascii=False) + "\n"
    if form == "text":
        text = "".join(f"— {step}: {render(verdict, form)}" for step, verdict in steps)
        return f"{WORDS[route['verdict']]}\n  {route['route']}, {len(steps)} steps, {sum(v['time'] for _, v in steps):.1f} s\n{text}"
    if form == "sarif":
        runs = [json.loads(render(verdict, form)) for _, verdict in steps]
        for (step, _), run in zip(steps, runs, strict=True):
            run["runs"][0]["automationDetails"] = {"id": f"{step}/"}
        return json.dumps({**runs[0], "runs": [run["runs"][0] for run in runs]}, indent=1)
    suites = ElementTree.Element("testsuites", name=_plain(route["route"]))
    for step, verdict in steps:
        suite = ElementTree.fromstring(render(verdict, form))
        suite.set("name", _plain(f"{step}: {verdict['job']}"))
        suites.append(suite)
    return ElementTree.tostring(suites, encoding="unicode", xml_declaration=True)


WORDS = {"stop": "STOP: do not run this program", "caution": "CAUTION: look first", "clear": "CLEAR: it may run"}


def _by(item: dict[str, Any]) -> str:
    return f" by {item['accepted']['by']}" if item["accepted"]["by"] else ""


def as_text(verdict: dict[str, Any]) -> str:
    lines = [WORDS[verdict["verdict"]], f"  {verdict['job']}, {verdict['time']:.1f} s"]
    for item in verdict["findings"]:
        place = f"{item['program']}:{item['line']}" if item["line"] else item["program"]
        count = f" ({item['count']} motions)" if item["count"] > 1 else ""
        lines.append(f"{item['severity']:8}{item['kind']:18}{place}  {item['message']}{count}")
        if item["accepted"]:
            lines.append(f"{'':26}accepted{_by(item)}: {item['accepted']['reason']}")
        lines.append(f"{'':26}→ {item['remedy']}")
    for axis in verdict["axes"]:
        travel = axis["travel"] or ["no", "limit"]
        lines.append(f"axis {axis['axis']}: {axis['min']:.3f} … {axis['max']:.3f}  (travel {travel[0]} … {travel[1]})")
    for stock in verdict["stock"]:
        mass = f", {stock['mass_before']:.3f} → {stock['mass_after']:.3f} kg" if "mass_after" in stock else ""
        lines.append(f"stock {stock['name']}: {stock['volume_before']:.1f} → {stock['volume_after']:.1f} mm³{mass}")
        if stock["gouge_max"] is not None:
            lines.append(f"  against the design: deepest cut into it {stock['gouge_max']:.3f} mm, most left on it "
                         f"{stock['excess_max']:.3f} mm" + (f", {stock['untouched']:.1f} mm² of it never touched" if stock["untouched"] else ""))  # fmt: skip
    for item in verdict.get("measures", []):
        told = "not taken: " + item["why"] if item["actual"] is None else f"{item['actual']:.3f}"
        asked = "" if item["nominal"] is None else f" (nominal {item['nominal']:.3f})"
        state = {None: "", True: ", within tolerance", False: ", out of tolerance"}[item["within"]]
        lines.append(f"measure {item['name']}: {item['kind']} {told}{asked}{state}")
    checked = verdict["checked"]
    if timing := checked.get("timing"):
        lines.append(f"timing: of {timing['pairs']} pairs moved by different channels {timing['proved']} cannot touch, however late either is"
                     + (f"; of {timing['unknown']} it is not known" if timing["unknown"] else ""))  # fmt: skip
    lines.append(f"checked: {checked['pairs']} pairs of bodies, clearance {checked['near']:g} mm, material grid "
                 f"{checked['resolution']:.3g} mm")  # fmt: skip
    if told := verdict.get("tolerance"):
        from .tolerances import sentences

        lines.append(f"how wrong the set-up may be, asked up to {told['reach']:g} mm:")
        lines += [f"  {line}" for line in sentences(told)]
        lines += [f"  not asked: {what}" for what in told["not_checked"]]
    lines += [f"not checked: {what}" for what in checked["not_checked"]]
    lines += [f"note: {note}" for note in checked["notes"]]
    return "\n".join(lines) + "\n"


def as_sarif(verdict: dict[str, Any]) -> str:
    kinds = sorted({item["kind"] for item in verdict["findings"]})
    levels = {"stop": "error", "caution": "warning"}
    return json.dumps(
        {
            "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
            "version": "2.1.0",
            "runs": [
                {
                    "tool": {
                        "driver": {
                            "name": "Blunt Mirror",
                            "version": verdict["version"],
                            "rules": [
                                {"id": k, "shortDescription": {"text": CATALOGUE[k].title},
                                 "fullDescription": {"text": CATALOGUE[k].meaning}, "help": {"text": CATALOGUE[k].remedy}}
                                for k in kinds
                            ],
                        }
                    },
                    "results": [
                        {
                            "ruleId": item["kind"],
                            "level": levels[item["severity"]],
                            "message": {"text": f"{item['message']}. {item['remedy']}"},
                            "locations": [
                                {"physicalLocation": {
                                    "artifactLocation": {"uri": item["program"] or "job.json"},
                                    "region": {"startLine": max(1, item["line"])},
                                }}
                            ],
                            "partialFingerprints": {"cause/v1": item["cause"]},
                            **({"suppressions": [{"kind": "external", "status": "accepted", "justification": item["accepted"]["reason"]}]}
                               if item["accepted"] else {}),
                        }
                        for item in verdict["findings"]
                    ],
                }
            ],
        },
        indent=1,
    )  # fmt: skip


def _plain(text: str) -> str:
    """A text without what XML 1.0 cannot hold (control characters, lone surrogates)."""
    return _NOT_XML.sub("\N{REPLACEMENT CHARACTER}", text)


def as_junit(verdict: dict[str, Any]) -> str:
    """One test case per kind that can be found; a kind with findings has failed."""
    by_kind: dict[str, list[dict[str, Any]]] = {}
    for item in verdict["findings"]:
        by_kind.setdefault(item["kind"], []).append(item)
    failing = {
        kind for kind, items in by_kind.items() if any(i["severity"] == "stop" and not i["accepted"] for i in items)
    }
    failures = len(failing)
    suite = ElementTree.Element(
        "testsuite", name=_plain(verdict["job"]), tests=str(len(CATALOGUE)), failures=str(failures)
    )
    for kind, entry in CATALOGUE.items():
        case = ElementTree.SubElement(suite, "testcase", classname="bluntmirror", name=f"{kind}: {entry.title}")
        for item in by_kind.get(kind, []):
            text = _plain(f"{item['program']}:{item['line']} {item['message']}. {item['remedy']}")
            if item["accepted"]:
                ElementTree.SubElement(case, "system-out").text = _plain(
                    f"accepted{_by(item)}: {item['accepted']['reason']}: {text}"
                )
            elif item["severity"] == "stop":
                ElementTree.SubElement(case, "failure", message=_plain(item["message"])).text = text
            else:
                ElementTree.SubElement(case, "system-out").text = text
    return ElementTree.tostring(suite, encoding="unicode", xml_declaration=True)


def render(verdict: dict[str, Any], form: str) -> str:
    """The verdict in one of its forms; what UTF-8 cannot hold of names in it is replaced."""
    if form == "json":
        text = json.dumps(verdict, indent=1, ensure_ascii=False) + "\n"
    else:
        text = {"text": as_text, "sarif": as_sarif, "junit": as_junit}[form](verdict)
    return text.encode("utf-8", "replace").decode()
