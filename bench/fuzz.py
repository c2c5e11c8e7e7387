"""Broken and odd jobs in numbers: `./mirror bench fuzz [SECONDS] [SEED]` (60 s, seed 1), `./mirror bench fuzz case NUMBER` for one of them again.

Every third case is a file for one of the readers (STL, 3MF, GLB, DXF, URDF, an archive), a few bytes of it changed. Every other is a demo job of
which one to four things are changed: a value of one of its JSON files, bytes or words of a program, bytes of a mesh or a drawing. It is opened, its
program checked, and every so often the whole of it rehearsed on a coarse grid. It may be refused, with its reason in one line, or come to a
verdict; whatever else happens is told with the case's number: another error, an end of the process, more time or memory than a case may have.
"""

from __future__ import annotations

import ctypes
import functools
import io
import json
import math
import multiprocessing
import os
import random
import resource
import shutil
import signal
import sys
import tempfile
import time
import traceback
import zipfile
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import ezdxf
import trimesh

from bluntmirror.export.verdict import render, verdict_dict
from bluntmirror.geometry.drawing import read_outline
from bluntmirror.geometry.meshfile import MeshUnreadable, read_mesh
from bluntmirror.job import JobUnreadable, open_job
from bluntmirror.job.models import MachineFile, ReadingLimits
from bluntmirror.job.urdf import NotUrdf, from_urdf, to_urdf
from bluntmirror.rehearsal import rehearse
from bluntmirror.rehearsal.run import check_program
from ops.steps import ROOT

PR_SET_PDEATHSIG = 1  # of Linux' prctl
MOST_SECONDS = 60  # of CPU for a case: what is rehearsed is small
MOST_MEMORY = 4 * 2**30  # bytes of addresses beyond what the process begins with
WHOLE = 12  # one case in so many is rehearsed, too
FILES = 3  # one in so many is a file for a reader
COARSE = 2.0  # mm
MOST_MESHES = 200_000  # bytes: larger ones slow the rest down and hold nothing else
ODD: list[Any] = [
    None, True, "", "x", "NaN", [], {}, [[]], 0, -1, 1, 1e-12, -1e-9, 1e6, 1e12, 1e300, -1e308, 2**63, 10**40, float("nan"), float("inf"),
    "\x00", "../../x", "é" * 300, [0, 0, 0], [1e9, -1e9, 0], {"type": "box"}, {"type": "mesh", "file": "job.json"},
]  # fmt: skip
WORDS = [
    "G0", "G1", "G2", "G3", "G4", "G10", "G17", "G18", "G28", "G41", "G43", "G43.4", "G49", "G53", "G54.1", "G65", "G68", "G68.2", "G76", "G81", "G83",
    "G91", "G96", "M0", "M6", "M30", "M98", "M99", "L999999", "X1e9", "Y-.", "Z#0", "I0", "R-0.", "F0", "F-1", "S1e12", "P9999", "T0", "H99", "D-1",
    "#1=#1", "#[1]=1", "WHILE[1]DO1", "END1", "GOTO1", "N1", "IF[#1EQ0]GOTO9", "(", ")", "%", "/", "O0001", "[", "]", "SQRT[-1]", "ATAN[0]/[0]", "1/0",
]  # fmt: skip

Change = Callable[[random.Random, Path], None]


def a_value(rng: random.Random, file: Path) -> None:
    """Another value at some place of a JSON file, or none, or one more."""
    data = json.loads(file.read_text())
    at, key = _somewhere(rng, data)
    how = rng.random()
    if how < 0.15:
        del at[key]
    elif how < 0.25 and isinstance(at, list):
        at.insert(int(key), at[key])
    elif isinstance(at[key], (int, float)) and not isinstance(at[key], bool) and how < 0.6:
        at[key] = rng.choice([-at[key], at[key] * 1000, at[key] / 1000, at[key] + rng.gauss(0, 30), rng.gauss(0, 1)])
    else:
        at[key] = rng.choice(ODD)
    file.write_text(json.dumps(data))


def _somewhere(rng: random.Random, data: Any) -> tuple[Any, Any]:
    """A container and a key in it, each place of the whole as likely as any other."""
    places: list[tuple[Any, Any]] = []

    def walk(node: Any) -> None:
        for key in node if isinstance(node, dict) else range(len(node)):
            places.append((node, key))
            if isinstance(node[key], (dict, list)):
                walk(node[key])

    walk(data)
    return rng.choice(places)


def a_program(rng: random.Random, file: Path) -> None:
    """Lines of a program moved, doubled, lost, or with words more or other numbers."""
    lines = file.read_bytes().decode("latin-1").split("\n")
    for _ in range(rng.randint(1, 6)):
        at = rng.randrange(len(lines))
        how = rng.randrange(6)
        if how == 0:
            lines.insert(at, " ".join(rng.choice(WORDS) for _ in range(rng.randint(1, 5))))
        elif how == 1:
            lines[at] += rng.choice(WORDS)
        elif how == 2 and len(lines) > 1:
            del lines[at]
        elif how == 3:
            lines.insert(rng.randrange(len(lines)), lines[at])
        elif how == 4:
            digits = [i for i, letter in enumerate(lines[at]) if letter.isdigit()]
            if digits:
                i = rng.choice(digits)
                lines[at] = lines[at][:i] + rng.choice(["9", "0", "-", ".", "99999", "#5"]) + lines[at][i + 1 :]
        else:
            lines = lines[: at + 1]
    file.write_bytes("\n".join(lines).encode("latin-1"))


def its_bytes(rng: random.Random, file: Path) -> None:
    """Bytes turned over, lost, doubled, or cut off."""
    data = bytearray(file.read_bytes())
    for _ in range(rng.randint(1, 8)):
        at = rng.randrange(len(data) + 1)
        how = rng.randrange(5)
        if how == 0 and data:
            data[at % len(data)] ^= 1 << rng.randrange(8)
        elif how == 1:
            data[at:at] = rng.randbytes(rng.randint(1, 9))
        elif how == 2:
            del data[at : at + rng.randint(1, 40)]
        elif how == 3:
            data[at:at] = data[at : at + rng.randint(1, 200)]
        elif rng.random() < 0.3:
            del data[at:]
    file.write_bytes(bytes(data))


def inside_of(rng: random.Random, file: Path) -> None:
    """Bytes of a file in an archive; its sums are right again."""
    with zipfile.ZipFile(file) as bundle:
        parts = {name: bundle.read(name) for name in bundle.namelist() if not name.endswith("/")}
    chosen = rng.choice(sorted(parts))
    part = file.with_name("part")
    part.write_bytes(parts[chosen])
    its_bytes(rng, part)
    parts[chosen] = part.read_bytes()
    part.unlink()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, data in parts.items():
            bundle.writestr(name, data)


@functools.cache
def seeds() -> dict[str, bytes]:
    """A sound file of every kind that a reader takes, by its ending."""
    box = trimesh.creation.box((40.0, 30.0, 20.0))
    made = {f".{kind}": _bytes(box.export(file_type=kind)) for kind in ("stl", "3mf", "glb")}
    made[".text.stl"] = _bytes(box.export(file_type="stl_ascii"))
    drawing = ezdxf.new()
    block = drawing.blocks.new("ear")
    block.add_circle((0.0, 0.0), 2.0)
    space = drawing.modelspace()
    space.add_lwpolyline([(0, 0), (40, 0, 0.4), (40, 30), (0, 30)], format="xyb", close=True)
    space.add_line((50, 0), (60, 0))
    space.add_arc((55, 0), 5, 0, 180)
    space.add_spline([(70, 0, 0), (75, 5, 0), (80, 0, 0)])
    space.add_blockref("ear", (90, 0), {"rotation": 30, "xscale": 2})
    text = io.StringIO()
    drawing.write(text)
    made[".dxf"] = text.getvalue().encode()
    machine = next(iter(sorted((ROOT / "demo" / "machines").glob("rc7*.json"))))
    made[".urdf"] = to_urdf(MachineFile.model_validate(json.loads(machine.read_text()))).encode()
    archive = io.BytesIO()
    folder = ROOT / "core" / "tests" / "jobs" / "slot-clear"
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as bundle:
        for file in sorted(folder.iterdir()):
            bundle.writestr(file.name, file.read_bytes())
    made[".zip"] = archive.getvalue()
    return made


def _bytes(data: Any) -> bytes:
    return data if isinstance(data, bytes) else str(data).encode()


def a_file(number: int, folder: Path) -> tuple[Path, list[str]]:
    """The file of that number, and what of it was changed."""
    rng = random.Random(number)
    kind = rng.choice(sorted(seeds()))
    file = folder / f"file{kind}"
    file.write_bytes(seeds()[kind])
    change = inside_of if kind in (".3mf", ".zip") and rng.random() < 0.7 else its_bytes
    for _ in range(rng.randint(1, 3)):
        change(rng, file)
    return file, [f"{file.name}: {change.__name__}"]


def read(number: int, folder: Path) -> Ended:
    """A file read by its reader: taken, or refused with the reader's own error."""
    file, _ = a_file(number, folder)
    try:
        if file.suffix == ".dxf":
            read_outline(file)
        elif file.suffix == ".urdf":
            from_urdf(file.read_text("utf-8", "replace"))
        elif file.suffix == ".zip":
            open_job(file)
        else:
            read_mesh(file)
    except (MeshUnreadable, NotUrdf, JobUnreadable) as error:
        return Ended("refused", str(error))
    except Exception:
        return Ended("error", traceback.format_exc())
    return Ended("verdict", "taken")


@dataclass(frozen=True)
class Ended:
    """How a case ended: "refused", "verdict" or a fault, and what it says."""

    how: str
    said: str


def changed(number: int, folder: Path) -> list[str]:
    """The job of that number, in an empty folder; what of it was changed."""
    rng = random.Random(number)
    jobs = sorted((ROOT / "demo" / "jobs").glob("*/*/job.json"))
    shutil.copytree(rng.choice(jobs).parent, folder, dirs_exist_ok=True)
    told = []
    for _ in range(rng.choice([1, 1, 1, 2, 2, 4])):
        files = [file for file in sorted(folder.rglob("*")) if file.is_file() and file.stat().st_size < MOST_MESHES]
        kind = rng.random()
        if kind < 0.45:
            file = rng.choice([file for file in files if file.suffix == ".json"])
            change: Change = a_value if rng.random() < 0.93 else its_bytes
        elif kind < 0.85:
            programs = [file for file in files if file.suffix in (".nc", ".csv", ".poses")]
            file, change = rng.choice(programs or files), a_program if rng.random() < 0.9 else its_bytes
        else:
            others = [file for file in files if file.suffix not in (".json", ".nc")]
            file, change = rng.choice(others or files), its_bytes
        try:
            change(rng, file)
        except (ValueError, IndexError):  # an earlier change has left nothing to change there
            continue
        told.append(f"{file.name}: {change.__name__}")
    return told


def carried_out(number: int, folder: Path) -> Ended:
    if number % FILES == 0:
        return read(number, folder)
    changed(number, folder)
    try:
        job = open_job(folder)
        checks = job.file.checks
        job.file = job.file.model_copy(
            update={
                "limits": ReadingLimits(blocks=50_000, seconds=10),
                "checks": checks.model_copy(update={"resolution": max(checks.resolution, COARSE)}),
            }
        )
        result = rehearse(job, filmed=False) if number % WHOLE == 1 else check_program(job)
        told = render(verdict_dict(result), "json")
    except JobUnreadable as error:
        one_line = len(str(error).splitlines()) == 1 and ":" in str(error)
        return Ended("refused" if one_line else "refused in several lines", str(error))
    except MemoryError:
        return Ended("memory", traceback.format_exc())
    except Exception:
        return Ended("error", traceback.format_exc())
    if any(not math.isfinite(item.amount) for item in result.findings):
        return Ended("an amount that is none", told[:2000])
    return Ended("verdict", result.verdict)


def work(numbers: Connection, most_memory: int) -> None:
    """One case after the other, as they are asked for; whoever asks ends, and this process with them."""
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
    import bluntmirror.rehearsal.replaying  # noqa: F401  loaded before addresses are counted

    used = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (used + most_memory,) * 2)
    while (number := numbers.recv()) is not None:
        with tempfile.TemporaryDirectory(prefix="mirror-fuzz-") as folder:
            begun = time.process_time()
            ended = carried_out(number, Path(folder))
            numbers.send((ended, time.process_time() - begun))


class Worker:
    """A process that carries cases out, and another one where it ends or does not answer."""

    def __init__(self) -> None:
        self.context = multiprocessing.get_context("spawn")
        self._begin()

    def _begin(self) -> None:
        self.line, other = self.context.Pipe()
        self.process = self.context.Process(target=work, args=(other, MOST_MEMORY), daemon=True)
        self.process.start()
        other.close()

    def case(self, number: int) -> tuple[Ended, float]:
        self.line.send(number)
        begun = self._spent()
        try:
            while not self.line.poll(1.0):
                if self._spent() - begun > MOST_SECONDS:
                    self.end()
                    return Ended("endless", f"more than {MOST_SECONDS} s of CPU"), float(MOST_SECONDS)
            answer: tuple[Ended, float] = self.line.recv()
            return answer
        except EOFError:
            self.process.join()
            return Ended("died", f"ended with {self.process.exitcode}"), 0.0
        finally:
            if not self.process.is_alive():
                self._begin()

    def _spent(self) -> float:
        """Seconds of CPU that the process has taken: on a busy machine no clock tells whether a case goes on for ever."""
        words = Path(f"/proc/{self.process.pid}/stat").read_text().rpartition(")")[2].split()
        return (int(words[11]) + int(words[12])) / os.sysconf("SC_CLK_TCK")

    def end(self) -> None:
        self.process.kill()
        self.process.join()


def fuzz(words: list[str]) -> int:
    """Returns the exit status: 1 where a case came to anything but a refusal in one line or a verdict."""
    if words[:1] == ["case"]:
        return _again(int(words[1]))
    seconds, seed = float(words[0]) if words else 60.0, int(words[1]) if len(words) > 1 else 1
    ways: Counter[str] = Counter()
    faults: dict[str, list[int]] = {}
    slowest = (0.0, 0)
    worker, number, begun = Worker(), seed * 1_000_000, time.monotonic()
    try:
        while time.monotonic() - begun < seconds:
            ended, took = worker.case(number)
            slowest = max(slowest, (took, number))
            ways[ended.how if ended.how != "verdict" else ended.said] += 1
            if ended.how not in ("refused", "verdict"):
                last = ended.said.strip().splitlines()[-3:]
                faults.setdefault(f"{ended.how}: {' | '.join(part.strip() for part in last)}", []).append(number)
            number += 1
    finally:
        worker.end()
    print(
        f"fuzz: {sum(ways.values())} cases in {time.monotonic() - begun:.0f} s: {dict(ways.most_common())}; the slowest {slowest[1]}, {slowest[0]:.1f} s of CPU"
    )
    for said, numbers in sorted(faults.items(), key=lambda item: -len(item[1])):
        print(f"  {len(numbers)} × {said}\n      case {' '.join(map(str, numbers[:5]))}")
    return 1 if faults else 0


def _again(number: int) -> int:
    with tempfile.TemporaryDirectory(prefix="mirror-fuzz-") as folder:
        print("\n".join(a_file(number, Path(folder))[1] if number % FILES == 0 else changed(number, Path(folder))))
    with tempfile.TemporaryDirectory(prefix="mirror-fuzz-") as folder:
        ended = carried_out(number, Path(folder))
    print(ended.how, ended.said, sep="\n", file=sys.stderr)
    return 0 if ended.how in ("refused", "verdict") else 1
