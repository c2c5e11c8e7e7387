"""Postures hold for lines of a program: where its text is edited they go along with their lines."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Mapping
from typing import Any

from .models import JobFile

MOST_COMPARED = 4000  # lines of a changed stretch that are compared one by one


def line_map(before: bytes, after: bytes) -> Callable[[int], int]:
    """From a line (1, 2, …) of a text to the same line of the edited one; from one that is gone to what stands there now."""
    old, new = (text.replace(b"\r\n", b"\n").replace(b"\r", b"\n").split(b"\n") for text in (before, after))
    same = min(len(old), len(new))
    head = next((i for i in range(same) if old[i] != new[i]), same)
    tail = next((i for i in range(same - head) if old[-1 - i] != new[-1 - i]), same - head)
    a, b = old[head : len(old) - tail], new[head : len(new) - tail]
    moved: dict[int, int] = {}
    if max(len(a), len(b)) <= MOST_COMPARED:
        for _, i1, i2, j1, j2 in difflib.SequenceMatcher(None, a, b, autojunk=False).get_opcodes():
            for i in range(i1, i2):
                moved[head + i + 1] = head + min(j1 + (i - i1), max(j2 - 1, j1)) + 1

    def line(number: int) -> int:
        if number <= head:
            return number
        if number > len(old) - tail:
            return number + len(new) - len(old)
        return max(1, min(moved.get(number, head + 1), len(new)))

    return line


def followed(
    postures: list[dict[str, Any]], before: Mapping[str, bytes], after: Mapping[str, bytes]
) -> list[dict[str, Any]]:
    """Postures of the texts `after`, from those of `before`; the same list where no text of theirs was changed."""
    maps = {
        name: line_map(before[name], after[name])
        for name in {posture.get("program", "") for posture in postures}
        if name in before and name in after and before[name] != after[name]
    }
    if not maps:
        return postures
    return [
        posture | {key: maps[posture["program"]](posture[key]) for key in ("first", "last")}
        if posture.get("program") in maps
        else posture
        for posture in postures
    ]


def file_followed(file: JobFile, before: Mapping[str, bytes], after: Mapping[str, bytes]) -> JobFile:
    """The same for a job's file."""
    own = [posture.model_dump() for posture in file.postures]
    moved = followed(own, before, after)
    if moved is own:
        return file
    return file.model_copy(
        update={"postures": [type(old).model_validate(new) for old, new in zip(file.postures, moved, strict=True)]}
    )
