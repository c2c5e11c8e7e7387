"""The replay's data for a browser: a description in JSON, one binary of little-endian arrays that it points into, and the film.

The description's `arrays` name each array: type, count of items, byte offset. Positions are mm, times s.
"""

from __future__ import annotations

import io
from dataclasses import asdict
from typing import Any

import numpy as np

from ..contact.program import pairs_of
from ..findings import Docket
from ..geometry.frames import frame
from ..geometry.mesh import Mesh, joined
from ..job import Job
from ..job.channel import tool_key
from ..job.models import MachineCode, Mount
from ..machine import Chain
from ..material.brick_file import MARGIN, QUANTA
from ..material.surface_kernel import BRICK
from ..program.motions import KIND_NAMES
from ..rehearsal import Rehearsal
from ..rehearsal.handling import hand_axes, hand_home
from ..rehearsal.result import CutStock, Opened, Spot
from ..rehearsal.scene import assemblies, contact_bodies, stays, tool_name
from ..rehearsal.spindles import cutting_speeds, spindle_speeds
from ..rehearsal.virtual_control import tool_mount, work_mount
from ..timeline.clock import Meeting
from ..timeline.reel import even_knots

EVEN_MM = 0.05  # how far the replay may stand from the time law between its knots
SPOT_REACH_MM = 1.0  # from a place of a spot to a quad of its surface
DEVIATION_REACH_MM = 5.0  # deviations beyond this are shown as this
FORMAT = "blunt-mirror/replay@2"


class _Binary:
    def __init__(self) -> None:
        self.out = io.BytesIO()
        self.arrays: dict[str, dict[str, Any]] = {}

    def put(self, name: str, values: np.ndarray, kind: str) -> str:
        data = np.ascontiguousarray(values, dtype=np.dtype(kind).newbyteorder("<"))
        self.out.write(b"\0" * (-self.out.tell() % 8))
        self.arrays[name] = {"type": kind, "count": int(data.size), "offset": self.out.tell()}
        self.out.write(data.tobytes())
        return name

    def mesh(self, name: str, mesh: Mesh) -> dict[str, str]:
        return {
            "positions": self.put(f"{name}/positions", mesh.vertices, "float32"),
            "triangles": self.put(f"{name}/triangles", mesh.faces, "uint32"),
        }


def replay_data(result: Rehearsal) -> tuple[dict[str, Any], bytes, bytes]:
    """The description, the binary and the film of a finished rehearsal."""
    description, binary = _standing(result)
    _reel(result, description, binary)
    film = _stocks(result, description, binary)
    description["arrays"] = binary.arrays
    return description, binary.out.getvalue(), film


def _standing(result: Opened) -> tuple[dict[str, Any], _Binary]:
    """What stands in the machine, before anything moves."""
    job, chain = result.job, result.chain
    binary = _Binary()
    bodies: list[dict[str, Any]] = []

    def body(
        name: str,
        role: str,
        link: str,
        mesh: Mesh,
        tool: int = 0,
        there: list[float] | None = None,
        rests: bool = False,
    ) -> None:
        bodies.append(
            {
                "name": name,
                "role": role,
                "link": link,
                "tool": tool,
                "there": there,
                "rests": rests,
                "mesh": binary.mesh(f"body{len(bodies)}", mesh),
            }
        )

    for name, meshes in job.link_meshes.items():
        if meshes:
            body(name, "machine", name, joined(meshes))
    for item in job.file.bodies:
        if item.role == "stock":
            continue  # the film shows it
        mount = chain.mounts[item.mount]
        standing = joined(job.body_meshes[item.name]).moved(frame(mount.at, mount.turn))
        body(
            item.name,
            item.role,
            mount.link,
            standing,
            there=_there(result, item.present) if isinstance(result, Rehearsal) else None,
        )
    mount = chain.mount_of("tool")
    mounts = {number: tool_mount(job, chain, number) for number in result.tools}
    for number, tool in result.tools.items():
        placed = frame(mounts[number].at, mounts[number].turn)
        for part, mesh in tool.meshes().items():
            body(part, "tool", mounts[number].link, mesh.moved(placed), number)
    racks = {tool_key(job.machine, entry): entry.rack for entry in job.tools.tools if entry.rack}
    for number, rack in racks.items():
        placed = frame(chain.mounts[rack].at, chain.mounts[rack].turn)
        for part, mesh in result.tools[number].meshes().items():
            body(f"{part} in {rack}", "tool", chain.mounts[rack].link, mesh.moved(placed), number, rests=True)
    called = {tool_key(job.machine, entry): tool_name(entry) for entry in job.tools.tools}
    description: dict[str, Any] = {
        "format": FORMAT,
        "job": job.name,
        "machine": job.machine.name,
        "seconds": result.reel.seconds if isinstance(result, Rehearsal) else 0.0,
        "links": [
            {"name": link.name, "parent": link.parent, "joint": link.joint.model_dump() if link.joint else None}
            for link in chain.links.values()
        ],
        "bodies": bodies,
        "kinds": list(KIND_NAMES),
        "tools": [
            {"number": t.number, "called": called.get(t.number, f"T{t.number}"), "stays": stays(job, chain, mounts[t.number]),
             "name": t.name, "diameter": t.diameter, "length": t.length, "reach": t.reach,
             "flute_length": t.flute_length, "link": mounts[t.number].link,
             "matrix": (frame(mounts[t.number].at, mounts[t.number].turn) @ frame((*t.offset, 0.0))).tolist(),
             "outline": [{"part": part, "points": points} for part, points in t.outlines().items()]}
            for t in result.tools.values()
        ],
        "turret": job.machine.turret is not None,
        "arms": [channel.arm.joints for channel in job.machine.channels if channel.arm],
        "workMount": _mount(work_mount(job, chain)),
        "toolMount": {"link": mount.link, "matrix": frame(mount.at, mount.turn).tolist()},
        "stocks": [],
        "checks": {"gouge": job.file.checks.gouge, "excess": job.file.checks.excess},
    }  # fmt: skip
    return description, binary


def _stocks(result: Rehearsal, description: dict[str, Any], binary: _Binary) -> bytes:
    """The film of every stock, one after the other, and the finished part. The description tells how long each version of a brick is,
    in the order of time, so that a page can fetch those that it shows."""
    chain, job = result.chain, result.job
    film = io.BytesIO()
    for i, cut in enumerate(result.stocks):
        final, places, areas = cut.film.final_places()
        item = next(b for b in job.file.bodies if b.name == cut.name.split("/")[0])
        work = chain.mounts[item.mount]
        versions = cut.film.versions
        lattice = cut.stock.lattice
        description["stocks"].append(
            {
                "name": cut.name,
                "link": work.link,
                "matrix": (frame(work.at, work.turn) @ cut.frame).tolist(),
                "mount": frame(work.at, work.turn).tolist(),
                "begin": cut.spans[0][0] if cut.spans else 0.0,
                # From when on what carries it, where that changes.
                "carried": [
                    {"time": time, "link": placement.link, "matrix": (placement.frame @ cut.frame).tolist()}
                    for time, placement in cut.spans[1:] or (cut.spans if "/" in cut.name else [])
                ],
                # Who cut what in earlier steps of a route: tag −2 is the first of them.
                "before": [asdict(made) for made in cut.before.cuts] if cut.before else [],
                "brick": binary.put(f"film{i}/brick", np.array([v.brick for v in versions]), "uint32"),
                "time": binary.put(f"film{i}/time", np.array([v.time for v in versions]), "float64"),
                "bytes": binary.put(f"film{i}/bytes", np.array([len(v.data) for v in versions]), "uint32"),
                "quadEnd": binary.put(f"film{i}/quadEnd", np.cumsum([v.quads for v in versions]), "uint32"),
                "film": film.tell(),
                "grid": {
                    "origin": lattice.origin.tolist(),
                    "step": lattice.step.tolist(),
                    "bricks": list(cut.film.shape),
                    "cells": BRICK,
                    "quanta": QUANTA,
                    "margin": MARGIN,
                },
                "part": _part(result, cut, i, final, places, areas, binary),
            }
        )
        for version in versions:
            film.write(version.data)
    return film.getvalue()


def _there(result: Rehearsal, present: tuple[int, int | None] | None) -> list[float] | None:
    """From when to when (s) a body that comes or goes at programmed stops is there; None where it always is."""
    if present is None:
        return None
    reel = result.strands[0].reel
    begins = [*reel.begin_time.tolist(), reel.seconds]
    stops = [0.0, *(begins[motion] for motion, _ in result.strands[0].interpreted.stops), result.reel.seconds]
    first, last = present
    return [stops[min(first, len(stops) - 1)], stops[min(last, len(stops) - 1) if last is not None else -1]]


def _part(
    result: Rehearsal, cut: CutStock, number: int, final: list[int], places: np.ndarray, areas: np.ndarray, binary: _Binary
) -> dict[str, Any] | None:  # fmt: skip
    """The finished part beside its design: a deviation for every quad of the final bricks, and the worst places, each with how much of
    the surface it takes."""
    if cut.part is None:
        return None
    deviation = cut.part.solid.distance(places, reach=DEVIATION_REACH_MM)
    checks = result.job.file.checks
    taken = spot_areas(cut.part.spots, places, areas, deviation, checks.gouge, checks.excess)
    return {
        "design": cut.part.design,
        "final": binary.put(f"film{number}/final", np.array(final), "uint32"),
        "deviation": binary.put(f"film{number}/deviation", deviation, "float32"),
        "spots": [
            {"kind": s.kind, "amount": s.amount, "point": s.point, "motion": s.motion, "area": round(float(area), 3)}
            for s, area in zip(cut.part.spots, taken, strict=True)
        ],
    }  # fmt: skip


def spot_areas(
    spots: list[Spot], places: np.ndarray, areas: np.ndarray, deviation: np.ndarray, gouge: float, excess: float
) -> np.ndarray:
    """How much of the surface each spot takes, mm²: every quad beyond tolerance goes to the spot of its kind that lies nearest."""
    taken = np.zeros(len(spots))
    for kind, beyond in (("gouge", deviation < -gouge), ("excess", deviation > excess)):
        mine = [i for i, spot in enumerate(spots) if spot.kind == kind and len(spot.points)]
        rows = np.flatnonzero(beyond)
        if not mine or not len(rows):
            continue
        from scipy.spatial import cKDTree  # only where there is something to ask

        of = np.concatenate([np.full(len(spots[i].points), i) for i in mine])
        away, nearest = cKDTree(np.concatenate([spots[i].points for i in mine])).query(places[rows])
        near = away < SPOT_REACH_MM  # what is farther belongs to a spot that is not among the worst
        np.add.at(taken, of[nearest[near]], areas[rows[near]])
    return taken


def _mount(mount: Mount) -> dict[str, Any]:
    return {"link": mount.link, "matrix": frame(mount.at, mount.turn).tolist()}


def _axis(result: Opened, axis: str) -> dict[str, Any]:
    joint = result.chain.joints[axis]
    diameters = {a for channel in result.job.machine.channels for a in channel.diameters}
    return {"name": axis, "travel": joint.travel, "type": joint.type, "diameter": axis in diameters}


def model_data(job: Job) -> tuple[dict[str, Any], bytes]:
    """What stands on a machine before any program runs, for the screens that set it up and move it: as `replay_data`, with
    the stock as a body, and the axes with their travels and home."""
    chain = Chain(job.machine)
    result = Opened(job, chain, assemblies(job), Docket())
    description, out = _standing(result)
    for i, item in enumerate(body for body in job.file.bodies if body.role == "stock"):
        mount = chain.mounts[item.mount]
        mesh = joined(job.body_meshes[item.name]).moved(frame(mount.at, mount.turn))
        description["bodies"].append(
            {"name": item.name, "role": "stock", "link": mount.link, "tool": 0, "mesh": out.mesh(f"stock{i}", mesh)}
        )
    off = job.machine.unit.off if job.machine.unit else []
    named = dict.fromkeys(link.accessory for link in job.machine.links if link.accessory)
    description["accessories"] = [{"name": name, "on": name not in off} for name in named]
    jaws = {axis for grip in job.machine.grips if grip.jaws for axis in grip.jaws.axes}
    description["axes"] = [_axis(result, axis) | ({"jaw": True} if axis in jaws else {}) for axis in hand_axes(job)]
    description["start"] = hand_home(job, chain)
    description["channels"] = [entry.channel for entry in job.file.programs]
    description["grips"] = [
        {"name": grip.name, **{what: next((code for code, act in job.machine.codes.items() if act.does == what and act.grip == grip.name), None)
                               for what in ("close", "open")}}
        for grip in job.machine.grips if grip.kind not in ("bush", "catcher")
    ]  # fmt: skip
    description["gripped"] = _gripped(job)
    description["mounts"] = [
        {"name": m.name, "link": m.link, "takes": m.takes, "matrix": frame(m.at, m.turn).tolist(), "station": m.station}
        for m in chain.mounts.values()
    ]
    bodies = contact_bodies(job, chain, result.tools, set(result.tools))
    watched = pairs_of(bodies, chain, job.machine.ignore)
    description["contacts"] = sorted({tuple(sorted((a.label, b.label))) for a, b in watched})
    description["habits"] = _habits(job)
    description["arrays"] = out.arrays
    return description, out.out.getvalue()


def _gripped(job: Job) -> list[dict[str, Any]]:
    """Every stock on the mount of a grip that carries: how much of it stands within the grip's reach, and how far it stands out."""
    told = []
    for body in job.file.bodies:
        grip = next((g for g in job.machine.grips if g.mount == body.mount and g.kind == "chuck"), None)
        if body.role != "stock" or grip is None:
            continue
        low, high = joined(job.body_meshes[body.name]).bounds[:, 2].tolist()
        within = max(0.0, min(high, grip.reach[1]) - max(low, grip.reach[0]))
        told.append(
            {"body": body.name, "grip": grip.name, "within": within, "least": grip.least, "out": high - grip.reach[1]}
        )
    return told


def _habits(job: Job) -> dict[str, Any]:
    """What the machine's control and unit do of their own, for the machine's screen."""
    machine = job.machine
    places = [{"name": f"reference {n}", "values": point} for n, point in sorted(machine.reference.items())]
    if machine.tool_change.at:
        places.append({"name": "tool change", "values": machine.tool_change.at})
    return {
        "joints": {
            joint.axis: {"rapid": joint.rapid, "accel": joint.accel, "step": joint.step, "factors": joint.moved_by}
            for link in machine.links
            if (joint := link.joint)
        },
        "places": places,
        "rpm": machine.spindle.max_rpm,
        "codes": [{"code": code, "says": _says(act)} for code, act in sorted(machine.codes.items())],
        "ignored": machine.ignore,
    }


def _says(act: MachineCode) -> str:
    """What a code of the machine's own does, in words."""
    takes = f", {act.seconds:g} s" if act.seconds else ""
    told = {
        "clamp": f"clamps {act.axis}", "unclamp": f"frees {act.axis}", "wait": "takes its time",
        "macro": f"calls O{act.program}", "move": f"sends {act.axis} to {act.to}",
        "offset-turns": "lets the work offset turn with the table" if act.on else "ends that the work offset turns with the table",
        "spindle": f"stops {act.spindle}" if act.turns == 0 else f"{act.spindle} {'clockwise' if act.turns > 0 else 'counter-clockwise'}",
        "address": f"M3 M4 M5, S and C mean {act.spindle} from here on", "unsync": "spindles on their own again",
        "sync": " follows ".join(act.spindles or ()), "meet": "waits for channels " + ", ".join(map(str, act.channels)),
        "close": f"closes {act.grip}", "open": f"opens {act.grip}", "push": f"pushes the bar out through {act.grip}",
        "live": "stops the driven tool" if act.turns == 0 else f"driven tool {'clockwise' if act.turns > 0 else 'counter-clockwise'}",
    }  # fmt: skip
    return told[act.does] + takes


def _reel(result: Rehearsal, description: dict[str, Any], binary: _Binary) -> None:
    reel = result.reel
    motions = reel.motions
    several = len(result.strands) > 1
    knots = result.knots if result.knots.even else even_knots(reel, result.knots, EVEN_MM)
    if result.knots.even:  # every axis of the machine
        description["axes"] = [_axis(result, axis) for axis in result.chain.axes]
        description["start"] = result.at_reference().tolist()
        rows = np.searchsorted(result.knots.t1, reel.end_time - 1e-9, side="left")
        end = result.values[np.minimum(rows + 1, len(result.values) - 1)]
    else:
        description["axes"] = [_axis(result, axis) for axis in motions.axes]
        description["start"] = motions.start.tolist()
        end = motions.end
    rpm = motions.rpm
    if result.job.machine.spindles:
        speeds = spindle_speeds(result.strands)
        rpm = np.concatenate([cutting_speeds(strand, speeds) for strand in result.strands])
    description["files"] = motions.files
    description["snapshots"] = [
        {"codes": s.codes, "workOffset": s.work_offset, "lengthNumber": s.length_number, "length": s.length,
         "offset": s.offset, "tool": s.tool, "coolant": s.coolant, "inch": s.inch,
         "frame": {"rows": s.frame.rows, "length": s.frame.length, "workOnly": s.frame.work_only} if s.frame else None}
        for s in motions.snapshots
    ]  # fmt: skip
    description["operations"] = [
        {"motion": strand.reel.first + motion, "line": line, "tool": keys.get(tool, tool), "comment": comment, "lane": lane,
         "time": float(strand.reel.begin_time[motion]) if motion < len(strand.reel.begin_time) else strand.reel.seconds}
        for lane, strand in enumerate(result.strands)
        for keys in [{t.number: tool_key(result.job.machine, t) for t in strand.job.tools.tools}]
        for motion, line, tool, comment in strand.interpreted.operations
    ]  # fmt: skip
    if several or result.knots.even:
        description["lanes"] = _lanes(result)
        description["meetings"] = [_meeting(result, meeting) for meeting in result.met]
    if result.held:
        description["held"] = result.held
    for name, values, kind in (
        ("kind", motions.kind, "uint8"), ("file", motions.file, "uint16"), ("line", motions.line, "uint32"),
        ("end", end, "float64"), ("feed", motions.feed, "float32"), ("rpm", rpm, "float32"),
        ("tool", motions.tool, "int32"), ("snapshot", motions.snapshot, "uint32"), ("time", reel.end_time, "float64"),
    ):  # fmt: skip
        binary.put(f"motions/{name}", values, kind)
    for name, values, kind in (
        ("at", result.values if result.knots.even else knots.at, "float64"), ("motion", knots.motion, "uint32"),
        ("t0", knots.t0, "float64"), ("t1", knots.t1, "float64"),
    ):  # fmt: skip
        binary.put(f"knots/{name}", values, kind)


def _lanes(result: Rehearsal) -> list[dict[str, Any]]:
    """Every channel: its motions among all, its axes among the machine's, and where it waits."""
    lanes = []
    for strand in result.strands:
        reel = strand.reel
        waits = [
            {
                "begin": float(reel.begin_time[w.motion]),
                "end": float(reel.end_time[w.motion]),
                "mark": w.mark,
                "line": w.line,
            }
            for w in strand.interpreted.waits
            if w.motion < len(reel.begin_time)
        ]
        lanes.append(
            {"channel": strand.channel, "first": reel.first, "count": len(reel.motions), "seconds": reel.seconds,
             "program": strand.job.file.programs[0].main, "axes": strand.columns, "words": list(strand.setup.axes), "waits": waits}
        )  # fmt: skip
    return lanes


def _meeting(result: Rehearsal, meeting: Meeting) -> dict[str, Any]:
    """A meeting: its mark, and the line in every channel's program."""
    lanes = {strand.channel: lane for lane, strand in enumerate(result.strands)}
    at = []
    for channel, number in meeting.at.items():
        wait = result.strands[lanes[channel]].interpreted.waits[number]
        at.append({"lane": lanes[channel], "line": wait.line, "program": wait.program})
    return {"mark": meeting.mark, "at": at}
