"""Words of a program's line as they are written: found, read and written anew, so that nothing else in the line changes.

letter  X-12.5; a word that is worked out (X[#1+2], X#3) is no number, and is left alone
axis    X2=-12.5: an axis by its own name
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

_COMMENT = re.compile(r"\([^)]*\)|;.*")
_NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)"
_STEP = 0.001  # of what is written: mm or degrees; a tenth of it in inches


def bare(line: str) -> str:
    """The line with its comments blanked, so that places in it stay."""
    return _COMMENT.sub(lambda found: " " * len(found[0]), line)


@dataclass(frozen=True)
class Number:
    """A literal number in a line."""

    begin: int
    end: int
    text: str

    def value(self, increment: bool = False) -> float:
        """`increment`: a number without a point counts thousandths."""
        return float(self.text) * (1e-3 if increment and "." not in self.text else 1.0)


def find(line: str, name: str) -> Number | None:
    """The number of a word: of a letter, or of an axis by its own name ("X2", "W=")."""
    if len(name) == 1:
        pattern = rf"(?<![A-Za-z<#\]]){name}\s*({_NUMBER})(?![\d.]*\s*=)(?![\d.])"
    else:
        pattern = rf"(?<![A-Za-z<#\]]){name.rstrip('=')}\s*=\s*({_NUMBER})"
    found = re.search(pattern, bare(line), re.IGNORECASE)
    return Number(found.start(1), found.end(1), found[1]) if found else None


def has(line: str, name: str) -> bool:
    """Whether the line has such a word at all, literal or worked out."""
    end = r"\s*[+\-.\d\[#](?![\d.]*\s*=)" if len(name) == 1 else r"\s*="
    return re.search(rf"(?<![A-Za-z<#]){name.rstrip('=')}{end}", bare(line), re.IGNORECASE) is not None


def written(value: float, like: str, step: float = _STEP) -> str:
    """A number as this line writes its numbers: with a point, whole ones with nothing behind it, three decimals where three stood."""
    decimals = max(round(-math.log10(step)), 0)
    text = f"{value:.{max(decimals, len(like.partition('.')[2]))}f}"
    if len(like.partition(".")[2]) < decimals:
        text = text.rstrip("0")
    if not float(text):
        text = text.lstrip("-")
    return text if "." in text else f"{text}."


def moved(line: str, name: str, by: float, increment: bool = False, step: float = _STEP) -> tuple[str, float] | None:
    """The line with a word's number moved by so much, rounded to whole steps onwards, and the number; None without one."""
    found = find(line, name)
    if found is None or not by:
        return None
    exact = found.value(increment) + by
    slack = 0.05 if step <= _STEP else 0.1  # of a step: what is known no better is not rounded up for
    value = (math.ceil(exact / step - slack) if by > 0 else math.floor(exact / step + slack)) * step
    return line[: found.begin] + written(value, found.text, min(step, _STEP)) + line[found.end :], value


def count(line: str, name: str, value: int) -> str | None:
    """The line with a whole number for a word's (H, D, T, P …)."""
    found = find(line, name)
    return None if found is None else line[: found.begin] + str(value) + line[found.end :]


def add(line: str, word: str) -> str:
    """The line with a word more, before its comment."""
    end = len(bare(line).rstrip())
    return f"{line[:end]} {word}{line[end:]}" if end else word + (f" {line.strip()}" if line.strip() else "")


def insert_after_number(line: str, word: str) -> str:
    """The line with a word at its front, behind its block number."""
    number = re.match(r"\s*/?\d?\s*(?:N\s*\d+\s*)?", line, re.IGNORECASE)
    at = number.end() if number else 0
    return f"{line[:at]}{word} {line[at:]}"


def code(line: str, name: str) -> re.Match[str] | None:
    """A code as it is named ("G1", "M68") in a line."""
    letter, whole, tenth = name[0], name[1:].partition(".")[0], name[1:].partition(".")[2]
    tail = rf"\.{tenth}" if tenth else r"(?:\.0*)?"
    return re.search(rf"(?<![A-Za-z<#]){letter}\s*0*{whole}{tail}(?![\d.])", bare(line), re.IGNORECASE)
