"""Programs of an arm as a table of poses: CSV, a row a move, read as the blocks that say the same.

Columns, in any order, by the names of the first row that is no comment:

    x y z       the tip, mm; left empty: where it is            i j k       the direction from tip to gauge point
    feed        mm/min; empty or 0: a rapid                      tool        another number than before: it is changed first
    speed       rev/min, clockwise; 0: the spindle stops         j1 … j6, r  a joint's own value: a move of the joints
    offset      G54 … G59

A row becomes the block of the same line, so that findings name the table's own lines. A line that begins with # is a comment.
"""

from __future__ import annotations

import csv
import io
import math
import re

PLACES, DIRECTION = ("x", "y", "z"), ("i", "j", "k")
JOINT = re.compile(r"[a-z]\d{0,2}")
KNOWN = {*PLACES, *DIRECTION, "feed", "tool", "speed", "offset"}
FIRST = "G21 G17 G90 G94"


def lines_of(data: bytes) -> list[str]:
    return data.decode("utf-8", "replace").replace("\r\n", "\n").replace("\r", "\n").split("\n")


def comment(text: str) -> str:
    """As a block holds it."""
    said = text.strip().replace("(", "[").replace(")", "]")
    return f"({said})" if said else ""


def as_blocks(data: bytes) -> tuple[bytes, dict[int, str]]:
    """The table's lines as blocks, and what is wrong with lines (from 0) that cannot be read."""
    lines = lines_of(data)
    blocks, wrong = [""] * len(lines), {}
    heads: list[str] | None = None
    last, before = -1, Said()
    for number, line in enumerate(lines):
        text = line.strip()
        if not text or text.startswith("#"):
            blocks[number] = comment(text[1:])
            continue
        cells = [cell.strip() for cell in next(csv.reader(io.StringIO(line)))]
        if heads is None:
            heads = [cell.lower() for cell in cells]
            strange = next((head for head in heads if head not in KNOWN and not JOINT.fullmatch(head)), None)
            if strange is not None or len(set(heads)) < len(heads):
                wrong[number] = (
                    f"there is no column '{strange}' in a table of poses"
                    if strange is not None
                    else "a column is named twice"
                )
                break
            continue
        try:
            blocks[number] = before.block(dict(zip(heads, cells, strict=True)))
        except ValueError as error:
            wrong[number] = (
                str(error)
                if "zip()" not in str(error)
                else f"the row has {len(cells)} cells, the first one {len(heads)}"
            )
        last = number
    if heads is None:
        wrong.setdefault(0, "the table has no row with the names of its columns")
    if last >= 0:
        blocks[last] += " M30"
    return "\n".join(blocks).encode(), wrong


class Said:
    """What was said before and need not be said again, by rows of a table and by lines of a text."""

    def __init__(self) -> None:
        self.begun, self.tool, self.speed, self.offset = False, 0, 0.0, "G54"

    def block(self, row: dict[str, str]) -> str:
        """The block that says what a row says, its cells by their columns. Raises ValueError with what is wrong with it."""
        values = {head: number(head, cell) for head, cell in row.items() if cell and head != "offset"}
        words = [] if self.begun else [FIRST]
        offset = row.get("offset", "").upper() or self.offset
        if not re.fullmatch(r"G5[4-9]", offset):
            raise ValueError(f"'{offset}' is none of G54 … G59")
        if offset != self.offset or not self.begun:
            words.append(offset)
        tool = round(values.pop("tool", self.tool))
        changes = tool != self.tool
        if changes:
            words.append(f"T{tool} M6")
        speed = values.pop("speed", 0.0 if changes else self.speed)
        if speed != self.speed or (changes and speed):
            words.append(f"S{_said(speed)} M3" if speed else "M5")
        feed = values.pop("feed", 0.0)
        pose = {head: values.pop(head) for head in (*PLACES, *DIRECTION) if head in values}
        if pose and values:
            raise ValueError("a row moves the tool or the joints, not both")
        if pose:
            words.append(f"G43.5 H{tool}")
            words += [f"{head.upper()}{_said(value)}" for head, value in pose.items()]
        words += [f"{head.upper()}={_said(value)}" for head, value in values.items()]
        words.append(f"G1 F{_said(feed)}" if feed else "G0")
        self.begun, self.tool, self.speed, self.offset = True, tool, speed, offset
        return " ".join(words)


def number(head: str, cell: str) -> float:
    try:
        value = float(cell)
    except ValueError:
        raise ValueError(f"{head}: '{cell}' is no number") from None
    if not math.isfinite(value) or abs(value) > 1e9:
        raise ValueError(f"{head}: '{cell}' is beyond what a control can hold")
    return value


def _said(value: float) -> str:
    text = f"{value:.6f}".rstrip("0")
    return text if not text.endswith(".") else f"{text}0"
