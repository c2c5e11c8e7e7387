"""trace.csv: one row per motion, with axis end values in machine coordinates.

    channel, program, line, kind, t_start, t_end, feed, and every axis

Numbers are whole millionths of a mm, degree or second. A program's name is quoted as RFC 4180 says, and one that a spreadsheet
would take for a formula gets an apostrophe before it.
"""

from __future__ import annotations

import itertools
from typing import Any, TextIO

import numpy as np

from ..program.motions import KIND_NAMES, WAIT
from ..rehearsal.result import Timed

KERNEL_FROM = 20_000  # rows; below, the compiled writer is not worth loading
ROWS_AT_ONCE = 50_000
NUMBER_BYTES = 28  # that a number takes at most, with its comma


def safe_cell(text: str) -> str:
    """A text as a cell of a CSV file that is opened in a spreadsheet."""
    if text[:1] in ("=", "+", "-", "@", "\t", "\r"):
        text = "'" + text
    quoted = text.replace('"', '""')
    return f'"{quoted}"' if any(c in text for c in ',"\r\n') else text


def write_trace(result: Timed, out: TextIO) -> None:
    if len(result.strands) > 1:
        _write_channels(result, out)
        return
    reel, motions = result.reel, result.reel.motions
    out.write(
        ",".join(
            [
                "channel",
                "program",
                "line",
                "kind",
                "t_start",
                "t_end",
                "feed",
                *map(result.strands[0].axis, motions.axes),
            ]
        )
        + "\n"
    )
    heads = [f"{result.strands[0].channel},{safe_cell(name)}" for name in motions.files]
    if len(motions) >= KERNEL_FROM:
        write_columns(result, heads, out)
        return
    columns = zip(motions.file.tolist(), motions.line.tolist(), motions.kind.tolist(), reel.begin_time.tolist(),
                  reel.end_time.tolist(), motions.feed.tolist(), motions.end.tolist(), strict=True)  # fmt: skip
    for file, line, kind, begin, end, feed, at in columns:
        values = [number(begin), number(end), number(feed, 0), *(number(value) for value in at)]
        out.write(f"{heads[file]},{line},{KIND_NAMES[kind]},{','.join(values)}\n")


def _write_channels(result: Timed, out: TextIO) -> None:
    """The rows of all channels by the time they begin; a row fills the columns of its own channel's axes. Who came last to a
    wait mark did not wait, and has no row."""
    axes = list(dict.fromkeys(strand.axis(axis) for strand in result.strands for axis in strand.setup.axes))
    out.write(",".join(["channel", "program", "line", "kind", "t_start", "t_end", "feed", *axes]) + "\n")
    rows: list[tuple[float, int, str]] = []
    for place, strand in enumerate(result.strands):
        motions, reel = strand.reel.motions, strand.reel
        column = [axes.index(strand.axis(axis)) for axis in strand.setup.axes]
        heads = [f"{strand.channel},{safe_cell(name)}" for name in motions.files]
        columns = zip(motions.file.tolist(), motions.line.tolist(), motions.kind.tolist(), reel.begin_time.tolist(),
                      reel.end_time.tolist(), motions.feed.tolist(), motions.end.tolist(), strict=True)  # fmt: skip
        for file, line, kind, begin, end, feed, at in columns:
            if kind == WAIT and number(begin) == number(end):
                continue
            cells = [""] * len(axes)
            for i, value in zip(column, at, strict=True):
                cells[i] = number(value)
            told = ",".join([number(begin), number(end), number(feed, 0), *cells])
            rows.append((begin, place, f"{heads[file]},{line},{KIND_NAMES[kind]},{told}\n"))
    rows.sort(key=lambda row: row[:2])
    out.writelines(text for _, _, text in rows)


def number(value: float, fewest: int = 6) -> str:
    """A value in whole millionths, trailing zeros beyond `fewest` decimals left out."""
    whole = round(value * 1e6)
    left, part = divmod(abs(whole), 1_000_000)
    text = f"{'-' if whole < 0 else ''}{left}.{part:06d}"
    while len(text) - text.index(".") - 1 > fewest and text.endswith("0"):
        text = text[:-1]
    return text.rstrip(".")


def write_columns(result: Timed, heads: list[str], out: TextIO) -> None:
    from ..compiled import compile_kernels
    from . import trace_kernel

    compile_kernels()

    reel, motions = result.reel, result.reel.motions
    texts = []
    for names in (heads, KIND_NAMES):
        parts = [name.encode("utf-8", "replace") for name in names]
        texts += [np.frombuffer(b"".join(parts), np.uint8), np.cumsum([len(part) for part in parts])]
    longest = max(len(head.encode("utf-8", "replace")) for head in heads) + max(map(len, KIND_NAMES)) + 2
    buffer = np.empty(ROWS_AT_ONCE * (longest + NUMBER_BYTES * (4 + len(motions.axes))), np.uint8)
    n = len(motions)
    for first, last in itertools.pairwise([*range(0, n, ROWS_AT_ONCE), n]):
        write: Any = trace_kernel.rows
        used = write(first, last, *texts[:2], motions.file.astype(np.int64), motions.line, *texts[2:], motions.kind.astype(np.int64),
                    reel.begin_time, reel.end_time, motions.feed, motions.end, buffer)  # fmt: skip
        out.write(buffer[:used].tobytes().decode("utf-8"))
