"""Writes the demo shop, Saltmarsh Instruments: run `python -m demo.build` from the root of the project
(`python -m demo.build NAME…` writes those jobs and routes alone).

Every job exists as released and in a flawed revision; FAULTS names each flaw by the finding that must tell it.
"""

from __future__ import annotations

import json
import shutil
import sys
from pathlib import Path

from bluntmirror.geometry.meshfile import write_stl

from . import (
    bracket,
    clip,
    fairing,
    float_shell,
    gland,
    hub,
    hydrophone,
    lid,
    lid_back,
    long_fairing,
    nosecone,
    pin,
    plate,
    sensor_plate,
    shaft,
    shells,
    tether,
    union,
)
from .machines import MACHINES
from .shop import Json, crib, tools_file
from .solids import mesh_of

ROOT = Path(__file__).parent
REVISIONS = ((False, "1-as released"), (True, "2-flawed"))
JOBS = {
    "buoy-lid": lid, "transducer-plate": plate, "transducer-bracket": bracket, "clamp-shells": shells, "fairing": fairing,
    "nose-cone": nosecone, "gland-plates": gland, "hull-union": union, "cable-clip": clip,
    "hydrophone-body": hydrophone, "buoy-hub": hub, "tether-head": tether, "drive-shaft": shaft,
    "contact-pin": pin, "float-shell": float_shell, "long-fairing": long_fairing,
    "sensor-plate": sensor_plate,
}  # fmt: skip
# A part over several jobs: the folder of each step is a job's, `flawed` where the route's second revision is.
ROUTES = {"buoy-lid": ("Buoy electronics lid, both sides", {"op10": lid, "op20": lid_back})}
ROUTE_FAULTS = {"buoy-lid": {"a second side that forgets what the first left": "material.excess"}}
FAULTS = {
    "buoy-lid": {
        "a clamp in the way": "contact.body",
        "rapid through a boss": "contact.rapid",
        "a gouge": "material.gouge",
        "X overtravel": "travel.over",
    },
    "transducer-plate": {
        "a web left standing": "material.excess",
        "a wrong length register": "material.gouge",
        "holder into a wall": "contact.shank",
    },
    "transducer-bracket": {
        "turned to the second pad without a retract": "contact.rapid",
        "a hole too deep": "material.gouge",
        "A past its limit": "travel.over",
    },
    "clamp-shells": {
        "the pallet turned without a retract": "contact.body",
        "the wrong variant on the third face": "material.gouge",
        "a strap over a hole": "contact.body",
    },
    "fairing": {
        "a rapid left over across the top": "contact.rapid",
        "a ring too deep": "material.gouge",
        "C past its stop": "travel.over",
    },
    "nose-cone": {
        "a rapid left over through the cone": "contact.rapid",
        "a diameter typed wrong": "material.gouge",
        "the spindle stopped before the groove": "contact.still",
    },
    "gland-plates": {
        "the second bore too deep": "material.gouge",
        "a variable never set": "program.macro",
        "a macro that is not there": "program.call",
    },
    "hull-union": {
        "a contour that ends nowhere": "program.call",
        "so that the finishing pass is missing": "material.excess",
        "and with it the chamfer before the thread": "material.excess",
        "the relief groove too deep": "material.gouge",
    },
    "buoy-hub": {
        "the thread milled too wide": "material.gouge",
        "the T-slot cutter held too short": "contact.shank",
        "lifted before it is out of its slot": "contact.rapid",
        "so that the slot ends too early": "material.excess",
    },
    "hydrophone-body": {
        "the neck's diameter typed wrong": "material.gouge",
        "the lower turret left where the second spindle comes": "contact.body",
        "the second spindle never told to follow": "hold.speed",
    },
    "tether-head": {
        "the wait mark before the main chuck has closed": "hold.early",
        "the second spindle stopped too far back": "hold.short",
        "the second chuck opened before the cut-off": "hold.dropped",
    },
    "drive-shaft": {
        "the steady rest closed off centre": "hold.off_centre",
        "a wait mark missing": "program.wait",
        "so that the other channel waits at the next one": "program.wait",
        "so that the rest opens while the tool still cuts": "hold.early",
    },
    "contact-pin": {
        "the headstock goes back before the collet has opened": "hold.left",
        "taken over too short": "hold.short",
        "so that it stands out and is drilled too deep": "material.gouge",
    },
    "float-shell": {
        "the wrist turned over in the cut": "travel.reach",
        "the drill drawn along the rack into its neighbour": "contact.body",
        "and the hand with it": "contact.body",
        "and the drill into the rack on the way back": "contact.body",
        "a hole out of reach": "travel.reach",
    },
    "long-fairing": {
        "a joint past its limit": "travel.over",
        "the elbow in the stand": "contact.body",
        "and the forearm with it": "contact.body",
    },
    "sensor-plate": {
        "a pose of the next size, out of reach": "travel.reach",
        "a hole from a trial, through plate and cup": "material.gouge",
        "and on into the cup": "contact.body",
    },
    # What the program check alone must find, in the order of the lines; the rehearsal adds what comes of it.
    "cable-clip": {
        "a comment left open": "syntax",
        "a spindle speed of ten times": "speed.machine",
        "GO for G0": "syntax",
        "a feed that was never given": "feed.none",
        "no length offset": "length.none",
        "a word from nowhere": "word.idle",
        "another tool's length": "length.other",
        "compensation without its register": "compensation.register",
        "compensation never cancelled": "compensation.interrupted",
        "a tool that is not there": "tool.unknown",
        "a peck cycle without its peck": "cycle.missing",
        "two motions in a block": "word.group",
        "a code of no control": "word.unknown",
        "the spindle never started": "spindle.still",
    },
}


CHECKS = {"resolution": 0.5, "gouge": 0.05, "excess": 0.3, "near": 1.0}


def write_json(file: Path, data: Json) -> None:
    file.write_text(json.dumps(data, indent=1) + "\n")


def job_file(job, flawed: bool) -> Json:  # type: ignore[no-untyped-def]
    return {
        "format": "blunt-mirror/job@1",
        "name": job.NAME,
        "machine": "machine.json",
        "tools": "tools.json",
        "programs": [
            {
                "channel": 1,
                "main": job.PROGRAM,
                "library": sorted(getattr(job, "SUBPROGRAMS", {})),
                "dialect": getattr(job, "DIALECT", "iso-mill"),
            },
            *(
                {key: entry[key] for key in ("channel", "main", "work_offsets")}
                | {"dialect": entry.get("dialect", getattr(job, "DIALECT", "iso-mill"))}
                for entry in channels_of(job, flawed)
            ),
        ],
        "bodies": job.bodies(flawed),
        "work_offsets": job.offsets()
        if hasattr(job, "offsets")
        else {"G54": {"datum": [0, 0, job.TOP], "mount": "table"}},
        **({"variables": job.VARIABLES} if hasattr(job, "VARIABLES") else {}),
        "checks": getattr(job, "CHECKS", CHECKS),
        **({"postures": job.postures(flawed)} if hasattr(job, "postures") and job.postures(flawed) else {}),
        **({"switches": job.SWITCHES} if hasattr(job, "SWITCHES") else {}),
    }


def channels_of(job, flawed: bool) -> list[Json]:  # type: ignore[no-untyped-def]
    return job.channels(flawed) if hasattr(job, "channels") else []


def write_shop() -> None:
    """Machines, the crib and every job, from nothing."""
    for folder in ("jobs", "machines", "routes"):
        shutil.rmtree(ROOT / folder, ignore_errors=True)
    (ROOT / "machines").mkdir()
    for name, machine in MACHINES.items():
        write_json(ROOT / "machines" / f"{name}.json", machine)
    write_json(ROOT / "tools.json", tools_file(crib()))
    for name in JOBS:
        write_job(name)
    for name in ROUTES:
        write_route(name)


def write_job(name: str) -> None:
    """Both revisions of a job."""
    for flawed, revision in REVISIONS:
        write_revision(JOBS[name], flawed, ROOT / "jobs" / name / revision)


def write_route(name: str) -> None:
    """Both revisions of a route; its first steps are as released."""
    title, steps = ROUTES[name]
    for flawed, revision in REVISIONS:
        folder = ROOT / "routes" / name / revision
        for step, job in steps.items():
            write_revision(job, flawed and step == list(steps)[-1], folder / step)
        write_json(
            folder / "route.json",
            {"format": "blunt-mirror/route@1", "name": title, "steps": [{"name": step, "job": step} for step in steps]},
        )


def write_revision(job, flawed: bool, folder: Path) -> None:  # type: ignore[no-untyped-def]
    designs = job.designs() if hasattr(job, "designs") else {"design.stl": job.design()}
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    write_json(folder / "job.json", job_file(job, flawed))
    write_json(folder / "machine.json", MACHINES[job.MACHINE])
    write_json(folder / "tools.json", tools_file(job.tools(crib(), flawed)))
    for file, solid in designs.items():
        write_stl(folder / file, mesh_of(solid), job.NAME)
    (folder / job.PROGRAM).write_text("\n".join(job.program(flawed)) + "\n")
    for entry in channels_of(job, flawed):
        (folder / entry["main"]).write_text("\n".join(entry["lines"]) + "\n")
    for file, lines in getattr(job, "SUBPROGRAMS", {}).items():
        (folder / file).write_text("\n".join(lines()) + "\n")


if __name__ == "__main__":
    if sys.argv[1:]:
        for wanted in sys.argv[1:]:
            if wanted in JOBS:
                write_job(wanted)
            if wanted in ROUTES:
                write_route(wanted)
    else:
        write_shop()
