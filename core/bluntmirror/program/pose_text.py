"""Programs of an arm as a text of kept poses and moves, read as the blocks that say the same, line for line.

    file       = { line }                        line = [ statement ] [ "#" what nobody carries out ]
    statement  = "pose" name target              keeps it under a name; nothing moves
               | "frame" ( "G54" … "G59" )       the work offset that places are in
               | "tool" number                   changed, where it is another one
               | "spindle" ( number | "off" )    rev/min, clockwise
               | "go" target                     a move of the joints, as fast as they can
               | "cut" target [ "feed" number ]  along a straight line, mm/min; the feed stays until another is said
    target     = name                            kept before
               | { axis number } [ "along" number number number ]
    axis       = "x" | "y" | "z"                 the tip, mm; what is left out: where it is; along: the direction from tip to gauge point
               | joint                           "j1" … "j6", "r", …: a joint's own value; not beside x, y, z, along
    name       = a letter and at least two letters, digits, "-", "_" more, and no axis

Words are parted by spaces, in small or capital letters; axes may stand in any order.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from .pose_table import DIRECTION, JOINT, PLACES, Said, as_blocks, comment, lines_of, number

NAME = re.compile(r"[a-z][a-z0-9_-]{2,59}")
STATEMENTS = {"pose", "frame", "tool", "spindle", "go", "cut"}
Row = dict[str, str]


def reader_of(name: str) -> Callable[[bytes], tuple[bytes, dict[int, str]]] | None:
    """What makes blocks of a program whose lines are poses, by the ending of its file; None where they are blocks."""
    ending = name.lower().rpartition(".")[2]
    return {"csv": as_blocks, "poses": text_as_blocks}.get(ending)


def text_as_blocks(data: bytes) -> tuple[bytes, dict[int, str]]:
    """The text's lines as blocks, and what is wrong with lines (from 0) that cannot be read."""
    lines = lines_of(data)
    blocks, wrong = [""] * len(lines), {}
    reader, last = _Reader(), -1
    for at, line in enumerate(lines):
        said, _, beside = line.partition("#")
        words = said.lower().split()
        if not words:
            blocks[at] = comment(beside)
            continue
        last = at
        try:
            blocks[at] = reader.block(words)
        except ValueError as error:
            wrong[at] = str(error)
    if last >= 0:
        blocks[last] += " M30"
    return "\n".join(blocks).encode(), wrong


class _Reader:
    def __init__(self) -> None:
        self.said, self.kept, self.feed = Said(), dict[str, Row](), ""

    def block(self, words: list[str]) -> str:
        """Raises ValueError with what is wrong with the line."""
        verb, rest = words[0], words[1:]
        if verb not in STATEMENTS:
            raise ValueError(f"'{verb}' is none of {', '.join(sorted(STATEMENTS))}")
        if verb == "pose":
            self._keep(rest)
            return ""
        if verb == "go":
            return self.said.block(self._target(rest))
        if verb == "cut":
            return self.said.block(self._cut(rest))
        if len(rest) != 1:
            raise ValueError(f"one word stands after '{verb}', not {len(rest)}")
        cell = "0" if verb == "spindle" and rest[0] == "off" else rest[0]
        return self.said.block({{"frame": "offset", "spindle": "speed"}.get(verb, verb): cell})

    def _keep(self, words: list[str]) -> None:
        name = words[0] if words else ""
        if not NAME.fullmatch(name) or JOINT.fullmatch(name):
            raise ValueError(
                f"'{name}' is no name of a pose: a letter and two more letters, digits, - or _, and no joint"
            )
        if name in self.kept:
            raise ValueError(f"a pose '{name}' is kept already")
        row = self._target(words[1:])
        Said().block(row)  # what is wrong with it is said where it is kept
        self.kept[name] = row

    def _cut(self, words: list[str]) -> Row:
        if "feed" in words:
            at = words.index("feed")
            if len(words) != at + 2:
                raise ValueError("feed is the last thing of a line, and one number")
            if not number("feed", words[-1]) > 0:
                raise ValueError(f"feed: {words[-1]} is no feed: more than 0")
            words, self.feed = words[:at], words[-1]
        if not self.feed:
            raise ValueError("no feed was said yet: cut … feed 1000")
        row = self._target(words)
        if not row.keys() & {*PLACES, *DIRECTION}:
            raise ValueError("joints go, they do not cut along a line: write go, or the tip's place")
        return {**row, "feed": self.feed}

    def _target(self, words: list[str]) -> Row:
        if len(words) == 1:
            if words[0] not in self.kept:
                raise ValueError(f"no pose '{words[0]}' was kept before this line")
            return self.kept[words[0]]
        row: Row = {}
        left = iter(words)
        for word in left:
            axes = DIRECTION if word == "along" else (word,)
            if word in DIRECTION or (word not in (*PLACES, "along") and not JOINT.fullmatch(word)):
                raise ValueError(f"'{word}' is neither x, y, z, along nor a joint")
            for axis in axes:
                value = next(left, None)
                if value is None or axis in row:
                    raise ValueError(f"'{word}' stands twice" if axis in row else f"a number is missing after '{word}'")
                row[axis] = value
        if not row:
            raise ValueError("a place, joints or the name of a kept pose is missing")
        return row
