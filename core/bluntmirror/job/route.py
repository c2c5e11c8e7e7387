"""Opening a route: a folder with route.json and the jobs' folders, its zip, or the route.json itself."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from ..geometry.mesh import Mesh, box
from .loading import Job, JobUnreadable, Unpacked, open_job, read_model, unzip
from .models import Body, Carried, JobFile, RouteFile

FILE = "route.json"


@dataclass
class Route:
    """`folders`: of the steps, in order. Every file of every step has been read once; `open` reads a step with what earlier ones
    left."""

    file: RouteFile
    folders: list[Path]
    carries: list[list[tuple[str, str]]]  # of each step: step and body that its stocks come from
    _unpacked: Unpacked | None = None

    def open(self, step: int, left: dict[tuple[str, str], Mesh]) -> Job:
        """Raises JobUnreadable, naming the step."""
        return _opened(self.file.steps[step].name, self.folders[step], left)


def carried_by(data: dict[str, Any]) -> list[tuple[str, str]]:
    """Step and body of every stock of a job.json that comes from an earlier step."""
    shapes = [body.get("shape") or {} for body in data.get("bodies", [])]
    return [(shape["step"], shape["body"]) for shape in shapes if shape.get("type") == "carried"]


def is_route(path: Path) -> bool:
    """Whether a path is that of a route rather than of a job."""
    if path.is_dir():
        return (path / FILE).is_file() and not (path / "job.json").is_file()
    return path.name == FILE


def open_route(path: Path) -> Route | None:
    """None for what is no route. Raises JobUnreadable."""
    if path.is_file() and path.suffix.lower() == ".zip":
        unpacked = Unpacked()
        try:
            folder = unzip(path, Path(unpacked.name))
            if is_route(folder):
                route = _load(folder.resolve())
                route._unpacked = unpacked  # the files stay as long as the route does
                return route
        except BaseException:
            unpacked.cleanup()
            raise
        unpacked.cleanup()
        return None
    if not path.exists() or not is_route(path):
        return None
    return _load((path if path.is_dir() else path.parent).resolve())


def _load(folder: Path) -> Route:
    file = read_model(folder / FILE, FILE, RouteFile)
    folders, carries = [], []
    stocks: dict[str, dict[str, Body]] = {}
    for step in file.steps:
        parts = PurePosixPath(step.job.replace("\\", "/"))
        target = (folder / parts).resolve()
        if parts.is_absolute() or ".." in parts.parts or not target.is_relative_to(folder):
            raise JobUnreadable(FILE, f"steps.{step.name}: the path '{step.job}' leaves the route's folder")
        target = target.parent if target.name == "job.json" else target
        if not (target / "job.json").is_file():
            raise JobUnreadable(FILE, f"steps.{step.name}: there is no job in '{step.job}'")
        own = read_model(target / "job.json", f"{step.job}/job.json", JobFile)
        wanted = []
        for body in own.bodies:
            if not isinstance(body.shape, Carried):
                continue
            place = f"bodies.{body.name}: shape"
            if body.shape.step not in stocks:
                later = any(other.name == body.shape.step for other in file.steps)
                said = "does not come before this one" if later else "is none of the route's"
                raise JobUnreadable(f"{step.job}/job.json", f"{place}: the step '{body.shape.step}' {said}")
            if body.shape.body not in stocks[body.shape.step]:
                raise JobUnreadable(
                    f"{step.job}/job.json", f"{place}: the step '{body.shape.step}' has no stock '{body.shape.body}'"
                )
            wanted.append((body.shape.step, body.shape.body))
        stocks[step.name] = {body.name: body for body in own.bodies if body.role == "stock"}
        folders.append(target)
        carries.append(wanted)
        _opened(
            step.name, target, dict.fromkeys(wanted, box((1.0, 1.0, 1.0)))
        )  # what is wrong with it is said before anything runs
    return Route(file, folders, carries)


def _opened(name: str, folder: Path, left: dict[tuple[str, str], Mesh]) -> Job:
    try:
        return open_job(folder, left)
    except JobUnreadable as error:
        raise JobUnreadable(f"step {name}", str(error)) from error
