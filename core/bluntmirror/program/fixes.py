"""The smallest changes of the text that would clear a finding, where they are safe to offer."""

from __future__ import annotations

import re
from typing import Any

from ..findings import Edit, Fix
from .run import Run

_COMMENT = re.compile(r"\([^)]*\)|;.*")


def number_text(letter: str, value: float) -> str:
    """A number as it is written in a program: whole for counts, else with a point and no more decimals than it has."""
    return f"{value:.0f}" if letter in "HDTSPNLM" else f"{value:.4f}".rstrip("0")


def _bare(line: str) -> str:
    """The line with its comments blanked, so that places in it stay."""
    return _COMMENT.sub(lambda found: " " * len(found[0]), line)


def _word(line: str, letter: str) -> re.Match[str] | None:
    return re.search(rf"(?<![A-Za-z<#]){letter}\s*[+-]?[\d.][\d. ]*", _bare(line), re.IGNORECASE)


def replace_word(run: Run, letter: str, value: float, title: str, at: tuple[int, int] | None = None) -> Fix | None:
    """Another value for a literal word of a block; None where the word is worked out from variables. `at`: file and line
    (from 0) of the block, where it is not the one under way."""
    file, index = at or (run.file, run.at - 1)
    program = run.texts[file]
    text = program.line(index)
    found = _word(text, letter)
    if found is None:
        return None
    tail = " " if found[0].endswith(" ") else ""
    new = text[: found.start()] + f"{letter}{number_text(letter, value)}" + tail + text[found.end() :]
    return Fix(title, (Edit(program.name, index + 1, text, new),))


def remove_word(run: Run, word: str) -> Fix | None:
    """A word taken out of a block: a letter with whatever follows it, or a code as it is named ("G1")."""
    index = run.at - 1
    text = run.text.line(index)
    pattern = rf"(?<![A-Za-z<#]){word}\s*[+-]?[\d.][\d. ]*"
    if word[1:]:
        whole, _, tenth = word[1:].partition(".")
        pattern = rf"(?<![A-Za-z<#]){word[0]}\s*0*{whole}" + (rf"\.{tenth}" if tenth else r"(\.0*)?") + r"(?![\d.])\s*"
    found = re.search(pattern, _bare(text), re.IGNORECASE)
    if found is None:
        return None
    new = (text[: found.start()] + text[found.end() :]).rstrip()
    return Fix(f"Remove {word}", (Edit(run.text.name, index + 1, text, new or None),))


def add_word(run: Run, word: str) -> Fix:
    """A word more at the end of a block, before its comment."""
    index = run.at - 1
    text = run.text.line(index)
    end = len(_bare(text).rstrip())
    return Fix(f"Add {word}", (Edit(run.text.name, index + 1, text, f"{text[:end]} {word}{text[end:]}"),))


def readable(run: Run, index: int, message: str) -> Fix | None:
    """What makes the two commonest unreadable blocks readable: a zero for the letter O, the end of a comment."""
    text = run.text.line(index)
    if "letter O" in message:
        new = re.sub(r"(?<=[A-Za-z])[oO](?=\s*[\d.]|\s+[A-Za-z]|\s*$)", "0", text)
        return Fix("Write a zero for the letter O", (Edit(run.text.name, index + 1, text, new),))
    if "comment is not closed" in message:
        return Fix("Close the comment", (Edit(run.text.name, index + 1, text, text.rstrip() + ")"),))
    return None


def insert_line(run: Run, line: int, new: str, title: str) -> Fix:
    """A new block before a line."""
    return Fix(title, (Edit(run.text.name, line, None, new),))


def add_length(run: Run) -> Fix | None:
    """G43 into the block in which this tool first moves along Z."""
    if run.approach is None or run.approach[0] is not run.text:
        return None
    line = run.approach[1]
    text = run.text.line(line - 1)
    found = re.search(r"(?<![A-Za-z])[XYZ]\s*[+-]?[\d.]", _bare(text), re.IGNORECASE)
    if found is None:
        return None
    code = f"{run.dialect.code_of('length-plus')} H{run.control.tool}"
    new = f"{text[: found.start()]}{code} {text[found.start() :]}"
    return Fix(f"Add {code} in line {line}", (Edit(run.text.name, line, text, new),))


def other_length(run: Run) -> Fix | None:
    """The tool's own number in the block that called another's length."""
    at = run.control.length_at
    if at is None:
        return None
    tool = run.control.tool
    where = f"line {at[1] + 1}" + (f" of {run.texts[at[0]].name}" if at[0] != run.file else "")
    return replace_word(run, "H", tool, f"Write H{tool} in {where}", at)


def start_spindle(run: Run) -> dict[str, Any]:
    """Remedy, and the fix where the speed is known."""
    control = run.control
    code = run.dialect.code_of("spindle-cw")
    if control.speed > 0:
        return {
            "remedy": f"Start the spindle before this block, for example {code} beside its S word.",
            "fix": insert_line(run, run.at, code, f"Insert {code} before line {run.at}"),
        }
    return {"remedy": f"Give a speed and start the spindle before this block: S… {code}."}
