"""trace.csv: one row per motion, with axis end values in machine coordinates."""

from __future__ import annotations

from typing import TextIO

from ..program.motions import KIND_NAMES
from ..rehearsal import Rehearsal


def write_trace(result: Rehearsal, out: TextIO) -> None:
    axes = result.reel.motions.axes if result.reel else ()
    out.write(",".join(["channel", "program", "line", "kind", "t_start", "t_end", "feed", *axes]) + "\n")
    if not result.reel:
        return
    reel, motions = result.reel, result.reel.motions
    channel = result.job.file.programs[0].channel
    columns = zip(motions.file.tolist(), motions.line.tolist(), motions.kind.tolist(), reel.begin_time.tolist(),
                  reel.end_time.tolist(), motions.feed.tolist(), motions.end.tolist(), strict=True)  # fmt: skip
    for file, line, kind, begin, end, feed, at in columns:
        values = ",".join(f"{round(value, 6) + 0.0:.6g}" if abs(value) < 1e-3 else f"{value:.6f}" for value in at)
        out.write(
            f"{channel},{motions.files[file]},{line},{KIND_NAMES[kind]},{begin:.6f},{end:.6f},{feed:.6g},{values}\n"
        )
