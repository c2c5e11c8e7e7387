"""One part over several jobs: the steps of a route rehearsed in order, each with what earlier ones left.

What a step leaves is handed on as the surface of its stock with its edges, in the frame of the body: a face within float32 of where
the cut left it, an edge within 0.02 mm (`material/sharp`); the next step lays it on a grid of its own.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import astuple, dataclass
from typing import BinaryIO

import numpy as np

from ..geometry.frames import frame, inverse
from ..geometry.mesh import Mesh, joined
from ..job.carried import Cut, CutBefore
from ..job.channel import tool_number
from ..job.loading import Job
from ..job.models import Body, Carried
from ..job.route import Route
from .checkpoints import Store
from .result import Rehearsal, Side
from .run import rehearse

Progress = Callable[[str, float], None]
Key = tuple[str, str]  # step and body


@dataclass(frozen=True)
class Handed:
    """What a step hands on of a stock, in the frame of its body: what is `left` of it and who `cut` its faces, and what it was before
    its first step. `doubt`: why it may come out otherwise, said of the step; empty where it may run."""

    left: Mesh
    origin: Mesh
    cut: CutBefore
    doubt: str = ""


@dataclass(frozen=True)
class Stepped:
    """One step as it was rehearsed."""

    name: str
    result: Rehearsal


def rehearse_route(
    route: Route, progress: Progress | None = None, filmed: bool = False, quick: bool = False
) -> Iterator[Stepped]:
    """Every step, as soon as it is done. Raises JobUnreadable for a step that what is left of a part cannot go into."""
    handed: dict[Key, Handed] = {}
    for number, step in enumerate(route.file.steps):
        taken = {key: handed[key] for key in route.carries[number]}
        job = route.open(number, {key: item.left for key, item in taken.items()})
        result = rehearse_step(job, taken, _of_step(progress, step.name), filmed=filmed, quick=quick)
        handed |= {(step.name, body): item for body, item in handed_on(result, taken, step.name).items()}
        yield Stepped(step.name, result)


def rehearse_step(
    job: Job, taken: Mapping[Key, Handed], progress: Progress | None = None, store: Store | None = None, filmed: bool = True,
    quick: bool = False, side: Side = "",
) -> Rehearsal:  # fmt: skip
    """A job opened with what is left of the stocks that it takes from earlier steps; what they left in doubt is told."""
    result = rehearse(given(job, taken), progress, store, filmed, quick, side)
    tell_doubt(result, taken)
    return result


def given(job: Job, taken: Mapping[Key, Handed]) -> Job:
    """The job, which was opened with what is left of those stocks, knowing also what they were and who cut them."""
    job.origins = {key: item.origin for key, item in taken.items()}
    job.cut_before = {key: item.cut for key, item in taken.items()}
    return job


def tell_doubt(result: Rehearsal, taken: Mapping[Key, Handed]) -> None:
    if first := _in_doubt(taken):
        result.docket.add(
            "check.limit", f"its stock comes from '{first}', which {_doubt_of(first, taken)}: what is told here holds only if that "
            "step leaves what it did here", remedy=f"Put '{first}' right and verify the route again.",
        )  # fmt: skip


def handed_on(result: Rehearsal, taken: Mapping[Key, Handed], step: str) -> dict[str, Handed]:
    """What a rehearsed step of this name leaves of each of its stocks."""
    doubt = "must not run" if result.verdict == "stop" else "was only looked at quickly" if result.quick else ""
    if first := _in_doubt(taken):
        doubt = f"itself comes of '{first}', which {_doubt_of(first, taken).removeprefix('itself ')}"
    made = {}
    for body in result.job.file.bodies:
        if body.role != "stock":
            continue
        if isinstance(body.shape, Carried):
            origin = taken[body.shape.step, body.shape.body].origin.moved(frame(body.shape.at, body.shape.turn))
        else:
            origin = joined(result.job.body_meshes[body.name]).moved(inverse(frame(body.at, body.turn)))
        left, cut = _left_of(result, body, step)
        made[body.name] = Handed(left, origin, cut, doubt)
    return made


def _in_doubt(taken: Mapping[Key, Handed]) -> str:
    """The first step whose stock may come out otherwise."""
    return next((step for (step, _), item in taken.items() if item.doubt), "")


def _doubt_of(step: str, taken: Mapping[Key, Handed]) -> str:
    return next(item.doubt for (name, _), item in taken.items() if name == step and item.doubt)


def write_handed(out: BinaryIO, handed: Mapping[str, Handed]) -> None:
    """As plain arrays under the bodies' numbers, with their names."""
    arrays: dict[str, np.ndarray] = {
        "names": np.array(list(handed)),
        "doubts": np.array([h.doubt for h in handed.values()]),
    }
    for k, item in enumerate(handed.values()):
        for part, mesh in (("left", item.left), ("origin", item.origin)):
            arrays[f"{k} {part} vertices"], arrays[f"{k} {part} faces"] = mesh.vertices, mesh.faces
        arrays[f"{k} cut"] = item.cut.of_face
        arrays[f"{k} cuts"] = np.array(json.dumps([astuple(cut) for cut in item.cut.cuts]))
    np.savez(out, **arrays)  # type: ignore[arg-type]


def read_handed(source: BinaryIO) -> dict[str, Handed]:
    with np.load(source, allow_pickle=False) as kept:

        def mesh(k: int, part: str) -> Mesh:
            return Mesh(kept[f"{k} {part} vertices"], kept[f"{k} {part} faces"])

        def cut(k: int) -> CutBefore:
            return CutBefore(tuple(Cut(*row) for row in json.loads(str(kept[f"{k} cuts"]))), kept[f"{k} cut"])

        named = enumerate(zip(kept["names"], kept["doubts"], strict=True))
        return {str(name): Handed(mesh(k, "left"), mesh(k, "origin"), cut(k), str(doubt)) for k, (name, doubt) in named}


def _of_step(progress: Progress | None, name: str) -> Progress | None:
    return None if progress is None else lambda stage, share: progress(f"{name}: {stage}", share)


def _left_of(result: Rehearsal, body: Body, step: str) -> tuple[Mesh, CutBefore]:
    """What is left of a stock, in the frame of its body, and who cut its faces; the stock as it came where it was not cut at all."""
    back = inverse(frame(body.at, body.turn))
    cut = next((cut for cut in result.stocks if cut.name == body.name), None)
    if cut is None or not cut.work.removed.any():
        mesh = joined(result.job.body_meshes[body.name])
        return mesh.moved(back), cut.before if cut and cut.before else CutBefore.none(mesh)
    mesh, tags = cut.final_surface()
    known, of = np.unique(tags, return_inverse=True)
    cuts: dict[Cut, int] = {}
    number = [-1] * len(known)
    for i, tag in enumerate(known.tolist()):
        made = _cut_of(result, tag, step) if tag >= 0 else cut.before.made(tag) if cut.before else None
        if made is not None:
            number[i] = cuts.setdefault(made, len(cuts))
    return mesh.moved(back), CutBefore(tuple(cuts), np.array(number, np.int32)[of.ravel()])


def _cut_of(result: Rehearsal, motion: int, step: str) -> Cut:
    where, tool = result.reel.where(motion), result.tools.get(int(result.reel.motions.tool[motion]))
    return Cut(step, where.program, where.line, tool_number(where.tool), tool.name if tool else "")
