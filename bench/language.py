"""Reading and checking whole programs: what the language costs.

million      a million plain blocks through the whole program check of a job — beside writing the same file out
mixed        50,000 blocks of arcs by R, cycles, macros, calls and expressions through the check — beside plain reading of
             the same blocks, without carrying anything out
loops        a macro loop that counts, works out sine and cosine and moves — beside Python's own loop of the same sums
agreement    10,000 random programs through the kernel and through the plain interpreter: every column, state and finding
"""

from __future__ import annotations

import json
import math
import random
import tempfile
from collections.abc import Callable
from pathlib import Path

from tests.agreement import agreement, setup

from bluntmirror.findings import Docket
from bluntmirror.job import open_job
from bluntmirror.program.interpreter import Interpreter
from bluntmirror.program.reader import Unreadable, read_block
from bluntmirror.program.text import ProgramText
from bluntmirror.rehearsal import check_program

ROOT = Path(__file__).resolve().parent.parent
HEAD = "T1 M6\nG54 G90 G0 X0 Y0\nG43 H1 Z10. S1000 M3\nF500\n"

Seconds = Callable[[Callable[[], object]], float]
Row = Callable[[str, float, str, str, float], None]


def job_of(folder: Path, program: str) -> Path:
    source = ROOT / "core" / "tests" / "jobs" / "slot-clear"
    for name in ("machine.json", "tools.json"):
        (folder / name).write_bytes((source / name).read_bytes())
    job = json.loads((source / "job.json").read_text())
    main = job["programs"][0]["main"]
    (folder / main).write_text(program)
    (folder / "job.json").write_text(json.dumps(job))
    return folder


def mixed_program(blocks: int) -> str:
    rng = random.Random(1)
    lines: list[str] = ["#1=0"]
    while len(lines) < blocks:
        x, y = rng.uniform(-50, 50), rng.uniform(-50, 50)
        kind = rng.random()
        if kind < 0.55:
            lines.append(f"G1 X{x:.3f} Y{y:.3f}")
        elif kind < 0.75:
            lines += ["G91", f"G2 X{rng.uniform(1, 5):.3f} R{rng.uniform(5, 9):.3f}", "G90"]
        elif kind < 0.82:
            lines += [f"G99 G83 X{x:.3f} Y{y:.3f} R2. Z-6. Q2.", f"X{y:.3f}", "G80"]
        elif kind < 0.92:
            lines += ["#1=[#1+1] MOD 50", f"G1 X[#1*0.5] Y[10*SIN[#1*{rng.randint(1, 9)}]]"]
        else:
            lines.append("M98 P8000")
    return HEAD + "\n".join(lines) + "\nG0 Z50.\nM30\nO8000\nG91 G1 Z-0.5\nZ0.5\nG90\nM99\n"


def language(seconds: Seconds, row: Row) -> None:
    rng = random.Random(1)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        plain = [
            f"X{rng.uniform(-50, 50):.3f} Y{rng.uniform(-50, 50):.3f} Z{rng.uniform(0, 9):.3f}" for _ in range(10**6)
        ]
        program = HEAD + "G1\n" + "\n".join(plain) + "\nG0 Z50.\nM30\n"
        check_program(open_job(job_of(folder, HEAD + "G1\n" + "\n".join(plain[:5000]) + "\nM30\n")))
        job = open_job(job_of(folder, program))
        written = seconds(lambda: (folder / "other.nc").write_text(program))
        row("million", 1e6 / seconds(lambda: check_program(job)), "blocks/s", "writing the file", 1e6 / written)
        lines = mixed_program(50_000)
        job = open_job(job_of(folder, lines))
        reading = seconds(lambda: [_read(line) for line in lines.split("\n")])
        row("mixed", 50_000 / seconds(lambda: check_program(job)), "blocks/s", "plain reading alone", 50_000 / reading)
    count = 40_000
    loop = (
        HEAD
        + f"#1=0\nWHILE [#1 LT {count}] DO1\n#2=50*COS[#1*0.6]\n#3=50*SIN[#1*0.6]\nG1 X#2 Y#3\n#1=#1+1\nEND1\nM30\n"
    )

    def in_python() -> list[tuple[float, float]]:
        return [(50 * math.cos(math.radians(0.6 * i)), 50 * math.sin(math.radians(0.6 * i))) for i in range(count)]

    run = Interpreter(setup(), [ProgramText("a", loop.encode())], Docket())
    row("loops", 6 * count / seconds(run.run), "blocks/s", "Python's own loop (turns)", count / seconds(in_python))
    made = [0]
    spent = seconds(lambda: made.__setitem__(0, agreement(10_000)))
    print(
        f"{'agreement':11}{10_000 / spent:12,.0f} programs/s, 10,000 of them, {made[0]:,} motions: kernel and plain agree"
    )


def _read(line: str) -> object:
    try:
        return read_block(line)
    except Unreadable as error:
        return error
