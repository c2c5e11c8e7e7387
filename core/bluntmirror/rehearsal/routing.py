"""One part over several jobs: the steps of a route rehearsed in order, each with what earlier ones left.

What a step leaves is handed on as the surface of its stock with its edges, in the frame of the body: a face within float32 of where
the cut left it, an edge within 0.02 mm (`material/sharp`); the next step lays it on a grid of its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from ..geometry.frames import frame, inverse
from ..geometry.mesh import Mesh, joined
from ..job.models import Body
from ..job.route import Route
from .result import Rehearsal
from .run import rehearse

Progress = Callable[[str, float], None]
Left = dict[tuple[str, str], Mesh]


@dataclass(frozen=True)
class Stepped:
    """One step as it was rehearsed."""

    name: str
    result: Rehearsal


def rehearse_route(route: Route, progress: Progress | None = None, filmed: bool = False) -> Iterator[Stepped]:
    """Every step, as soon as it is done. Raises JobUnreadable for a step that what is left of a part cannot go into."""
    left: Left = {}
    origin: Left = {}  # what each of them was before its first step
    doubtful: dict[str, str] = {}  # step that stopped, or comes of one → why
    for number, step in enumerate(route.file.steps):
        job = route.open(number, left)
        job.origins = {key: origin[key] for key in route.carries[number]}
        from_doubt = [name for name, _ in route.carries[number] if name in doubtful]
        result = rehearse(job, _of_step(progress, step.name), filmed=filmed)
        if from_doubt:
            first = from_doubt[0]
            result.docket.add(
                "check.limit", f"its stock comes from '{first}', which {doubtful[first]}: what is told here holds only if that step "
                "leaves what it did here", remedy=f"Put '{first}' right and verify the route again.",
            )  # fmt: skip
            doubtful[step.name] = f"itself comes of '{first}', which {doubtful[first].removeprefix('itself ')}"
        if result.verdict == "stop" and step.name not in doubtful:
            doubtful[step.name] = "must not run"
        for body in job.file.bodies:
            if body.role == "stock":
                left[step.name, body.name] = _left_of(result, body)
                shape = body.shape
                carried = (shape.step, shape.body) if shape is not None and shape.type == "carried" else None
                back = inverse(frame(body.at, body.turn))
                made = frame(shape.at, shape.turn) if carried and shape is not None else None
                whole = (
                    origin[carried].moved(made)
                    if carried and made is not None
                    else joined(job.body_meshes[body.name]).moved(back)
                )
                origin[step.name, body.name] = whole
        yield Stepped(step.name, result)


def _of_step(progress: Progress | None, name: str) -> Progress | None:
    return None if progress is None else lambda stage, share: progress(f"{name}: {stage}", share)


def _left_of(result: Rehearsal, body: Body) -> Mesh:
    """What is left of a stock, in the frame of its body; the blank itself where it was not cut at all."""
    cut = next((cut for cut in result.stocks if cut.name == body.name), None)
    if cut is None or not cut.removed.any():
        mesh = joined(result.job.body_meshes[body.name])
    else:
        mesh = cut.final_mesh
    return mesh.moved(inverse(frame(body.at, body.turn)))
