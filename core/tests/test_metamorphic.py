"""The same job told otherwise comes to the same verdict: mounts and links in another order, a comment more, a subfolder,
inches, the machine turned in its room, a stock in two halves. Over every demo job, on a coarser grid."""

from __future__ import annotations

import json
import math
import multiprocessing
import shutil
import tempfile
import unittest
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from bluntmirror.job import open_job
from bluntmirror.rehearsal import rehearse

from .inches import files_in_inches
from .shop import folders

Json = dict[str, Any]
Key = tuple[str, str, int]  # kind, axis and tool
Verdict = tuple[str, Counter[Key], dict[Key, float]]
RESOLUTION = 1.5
SAME_MM, SAME_SHARE = 0.5, 0.08  # amounts of a coarse grid that stands otherwise: a third of a cell
COMMENT = "(one more comment)"


def told(folder: Path) -> Verdict:
    """The verdict; kinds, axes and tools of its findings with how often each is told; the greatest amount of each."""
    result = rehearse(open_job(folder))
    keys = [(f.kind, f.axis, f.tool) for f in result.findings]
    worst: dict[Key, float] = {}
    for key, item in zip(keys, result.findings, strict=True):
        worst[key] = max(worst.get(key, 0.0), item.amount)
    return result.verdict, Counter(keys), worst


class Told:
    """A demo job's files, to be changed and told again."""

    def __init__(self, folder: Path, at: Path) -> None:
        self.folder = at
        shutil.copytree(folder, at)
        self.job, self.machine, self.tools = (
            json.loads((at / f"{name}.json").read_text()) for name in ("job", "machine", "tools")
        )
        self.job["checks"]["resolution"] = RESOLUTION

    def written(self) -> Path:
        for name in ("job", "machine", "tools"):
            target = self.folder / (f"{name}.json" if name == "job" else self.job[name])
            target.write_text(json.dumps(getattr(self, name)))
        return self.folder


def reordered(told: Told) -> None:
    told.machine["links"].reverse()
    told.machine["mounts"].reverse()


def commented(told: Told) -> None:
    entry = told.job["programs"][0]
    for name in [entry["main"], *entry.get("library", [])]:
        file = told.folder / name
        lines = file.read_text().split("\n")
        at = next(i for i, line in enumerate(lines) if line.strip() not in ("", "%")) + 1
        file.write_text("\n".join([*lines[:at], COMMENT, *lines[at:]]))
        for posture in told.job.get("postures", []):
            if posture["program"] == name:
                posture.update({key: posture[key] + (posture[key] > at) for key in ("first", "last")})


def in_a_subfolder(told: Told) -> None:
    (told.folder / "deep").mkdir()
    entry = told.job["programs"][0]
    for name in [entry["main"], *entry.get("library", []), told.job["machine"], told.job["tools"]]:
        (told.folder / name).rename(told.folder / "deep" / name)
    entry["main"] = f"deep/{entry['main']}"
    entry["library"] = [f"deep/{name}" for name in entry.get("library", [])]
    for posture in told.job.get("postures", []):
        posture["program"] = f"deep/{posture['program']}"
    told.job["machine"], told.job["tools"] = f"deep/{told.job['machine']}", f"deep/{told.job['tools']}"


def in_inches(told: Told) -> None:
    """All three files in inches. Meshes and drawings keep their own numbers."""
    files_in_inches(told.machine, told.tools, told.job)


def turned(about: int) -> Any:
    """The whole machine stands turned by 90° in its room: root links' shapes and mounts, and the joints that hang on them."""

    def turn(told: Told) -> None:
        matrix = np.round(Rotation.from_rotvec(np.eye(3)[about] * math.pi / 2).as_matrix(), 12)

        def place(item: Json) -> None:
            item["at"] = (matrix @ item.get("at", [0, 0, 0])).tolist()
            own = Rotation.from_euler("xyz", item.get("turn", [0, 0, 0]), degrees=True).as_matrix()
            whole = Rotation.from_matrix(matrix @ own)
            # Where the middle angle is 90° one of the others is free; the library warns that it chose.
            item["turn"] = whole.as_euler("xyz", degrees=True, suppress_warnings=True).tolist()

        for link in told.machine["links"]:
            for item in link.get("shapes", []):
                place(item)
            if joint := link.get("joint"):
                joint["direction"] = (matrix @ joint["direction"]).tolist()
                joint["at"] = (matrix @ joint.get("at", [0, 0, 0])).tolist()
        for mount in told.machine["mounts"]:
            place(mount)

    return turn


def in_halves(told: Told) -> None:
    """Every stock that is a box is told as two boxes that touch."""
    for body in told.job["bodies"]:
        shape = body.get("shape") or {}
        if body["role"] == "stock" and shape.get("type") == "box":
            x, y, z = shape["size"]
            own = {"turn": shape.get("turn", [0, 0, 0])}
            at = np.array(shape.get("at", [0, 0, 0]), float)
            body["shapes"] = [
                {"type": "box", "size": [x / 2, y, z], "at": (at + [s * x / 4, 0, 0]).tolist(), **own} for s in (-1, 1)
            ]
            del body["shape"]


WAYS = {
    "reordered": reordered, "commented": commented, "turned about X": turned(0), "turned about Y": turned(1), "turned about Z": turned(2),
    "in halves": in_halves, "in inches": in_inches, "in a subfolder": in_a_subfolder,
}  # fmt: skip


def differences(number: int) -> list[str]:
    """What comes out otherwise when a demo job is told otherwise: in all ways that it can be at once, and where that makes a difference in each of
    them alone, to tell which it is. The turns go round."""
    folder = folders()[number]
    with tempfile.TemporaryDirectory() as keep:
        plain = Told(folder, Path(keep) / "plain")
        before = told(plain.written())
        # An arm's program is in the machine's own directions: turned with it, it is another.
        turn = (
            ""
            if any(channel.get("arm") for channel in plain.machine.get("channels", []))
            else f"turned about {'XYZ'[number % 3]}"
        )
        ways = [name for name in WAYS if not name.startswith("turned") or name == turn]

        def found(names: list[str]) -> list[str]:
            called = ", ".join(names)
            other = Told(folder, Path(keep) / called.replace(" ", "-"))
            for name in names:
                WAYS[name](other)
            return [
                f"{folder.parent.name}/{folder.name} {called}: {what}" for what in _apart(before, told(other.written()))
            ]

        together = found(ways)
        return together and [*together, *(what for name in ways for what in found([name]))]


def _apart(plain: Verdict, again: Verdict) -> list[str]:
    """What of two verdicts is not the same, but for what a coarse grid that stands otherwise makes of amounts."""
    if plain[:2] != again[:2]:
        return [f"{plain[:2]} → {again[:2]}"]
    return [
        f"{key} {amount} → {again[2][key]}"
        for key, amount in plain[2].items()
        if abs(again[2][key] - amount) > max(SAME_MM, SAME_SHARE * amount)
    ]


class Metamorphic(unittest.TestCase):
    def test_every_demo_job_told_otherwise(self) -> None:
        # Two at a time: what each tells does not depend on the other.
        with ProcessPoolExecutor(2, multiprocessing.get_context("spawn")) as pool:
            for found in pool.map(differences, range(len(folders()))):
                self.assertEqual(found, [])
