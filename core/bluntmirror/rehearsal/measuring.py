"""The measures kept with a job, taken on the part as it was machined: nominal beside actual, within tolerance or not."""

from __future__ import annotations

import io
import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import TypeAdapter

from ..geometry.mesh import Mesh
from ..job.models import Measure
from ..material import ends
from ..material.measures import Measured, Part, Place
from .result import CutStock, Rehearsal, Taken

MEASURE: TypeAdapter[Measure] = TypeAdapter(Measure)


def part_of(cut: CutStock) -> Part:
    """A cut stock as it can be measured, in the frame of the mount that it began on."""
    design = cut.part.mesh.moved(cut.frame) if cut.part else None
    return Part(ends.Ends.of(cut.stock).moved(cut.frame), design)


def take(measure: Measure, part: Part | None) -> Taken:
    if part is None:
        return Taken(
            measure, Measured(None, None, f"there is no stock '{measure.stock}' at the end"), measure.nominal, None
        )
    found = part.measure(measure.kind, [Place(place.on, np.array(place.at)) for place in measure.places])
    of_design = found.nominal.value if found.nominal else None
    nominal = of_design if measure.nominal is None else measure.nominal
    return Taken(measure, found, nominal, found.actual.value if found.actual else None)


def measure_parts(result: Rehearsal) -> None:
    """Take every measure of the job; what is out of tolerance or cannot be taken is a finding."""
    parts: dict[str, Part] = {}
    for measure in result.job.file.measures:
        cut = next((cut for cut in result.stocks if cut.name == measure.stock), None)
        if cut is not None and cut.name not in parts:
            parts[cut.name] = part_of(cut)
        taken = take(measure, parts.get(measure.stock))
        result.measured.append(taken)
        _tell(result, taken, cut)


def _tell(result: Rehearsal, taken: Taken, cut: CutStock | None) -> None:
    measure = taken.measure
    bodies = tuple([cut.name] if cut else [])
    if taken.actual is None:
        result.docket.add(
            "check.limit", f"the measure '{measure.name}' was not taken: {taken.found.why}", severity="caution", bodies=bodies,
            remedy="Point at its places again on the part as it is now.",
        )  # fmt: skip
        return
    if taken.nominal is None and measure.tolerance is not None:
        result.docket.add(
            "check.limit", f"the measure '{measure.name}' has a tolerance and nothing to hold it against: no design stands there",
            severity="caution", bodies=bodies, remedy="Give the measure its nominal value.",
        )  # fmt: skip
    if not taken.beyond:
        return
    assert taken.nominal is not None and measure.tolerance is not None and taken.found.actual is not None
    unit = "°" if measure.kind == "angle" else " mm"
    motion = taken.found.actual.tag
    where = result.reel.where(motion, float(result.reel.end_time[motion]) if motion >= 0 else result.reel.seconds)
    low, high = measure.tolerance
    result.docket.add(
        "material.measure", f"{measure.name}: {measure.kind} {taken.actual:.3f}{unit} where {taken.nominal:.3f} {low:+g} {high:+g} is asked for, "
        f"{taken.beyond:.3f} beyond", where=where, bodies=bodies, amount=taken.beyond,
    )  # fmt: skip


def packed(result: Rehearsal, measures: Sequence[Measure]) -> bytes:
    """Every stock at its end with its design, and the job file's own measures: what is needed to measure it later, without the job."""
    arrays: dict[str, Any] = {"measures": np.array(json.dumps([measure.model_dump() for measure in measures]))}
    for i, cut in enumerate(result.stocks):
        arrays |= {f"{i}.name": np.array(cut.name), f"{i}.frame": cut.frame}
        arrays |= {f"{i}.{name}": array for name, array in ends.packed(cut.stock).items()}
        if cut.part:
            arrays |= {f"{i}.vertices": cut.part.mesh.vertices, f"{i}.faces": cut.part.mesh.faces}
    out = io.BytesIO()
    np.savez(out, **arrays)
    return out.getvalue()


@dataclass(frozen=True)
class Kept:
    """What `packed` made: the parts by the stocks' names, and the job file's own measures."""

    parts: dict[str, Part]
    measures: list[Measure]

    @staticmethod
    def of(data: bytes) -> Kept:
        parts = {}
        with np.load(io.BytesIO(data), allow_pickle=False) as held:
            for i in (name.removesuffix(".name") for name in held.files if name.endswith(".name")):
                own = {name.removeprefix(f"{i}."): held[name] for name in held.files if name.startswith(f"{i}.")}
                design = Mesh(own["vertices"], own["faces"]).moved(own["frame"]) if "vertices" in own else None
                parts[str(own["name"])] = Part(ends.unpacked(own).moved(own["frame"]), design)
            measures = [MEASURE.validate_python(entry) for entry in json.loads(str(held["measures"]))]
        return Kept(parts, measures)
