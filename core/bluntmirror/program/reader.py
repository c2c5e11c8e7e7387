"""Reading one line strictly: letters, literal numbers, expressions, assignments, comments, block skips.

Spaces may stand anywhere outside comments, also inside a number (ISO 6983-1); lower case reads as upper case.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import NamedTuple

from .expressions import Expression, ExpressionError, parse_expression

_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)")
# Nothing but letters with literal numbers: by far most lines. It takes exactly what the loop of `read_block` takes.
_PLAIN = re.compile(r"(?:[A-Z][+-]?(?:\d+(?:\.\d*)?|\.\d+))+", re.ASCII)
_PLAIN_WORD = re.compile(r"([A-Z])([+-]?(?:\d+\.?\d*|\.\d+))", re.ASCII)
_LEFT_OUT = dict.fromkeys(map(ord, " \t\r\n\0\ufeff"))
MAX_LINE = 4000


class Unreadable(Exception):
    """A block that cannot be read; `column` is 1-based in the line as written."""

    def __init__(self, message: str, column: int) -> None:
        super().__init__(message)
        self.column = column


class Word(NamedTuple):
    letter: str
    value: float | Expression
    decimals: int = -1  # digits after the point; -1: no point written
    literal: bool = True


@dataclass(frozen=True)
class Assignment:
    target: Expression | int | str
    value: Expression


@dataclass(frozen=True)
class Block:
    words: tuple[Word, ...] = ()
    assignments: tuple[Assignment, ...] = ()
    comments: tuple[str, ...] = ()
    skip: int = 0  # 1–9: the block-skip switch that leaves this block out
    number: int | None = None  # N
    program: int | None = None  # O or :
    percent: bool = False
    control: tuple[str, ...] = field(default=())  # IF, WHILE, GOTO …: recognised, see the dialect


_CONTROL = re.compile(r"(GOTO|IF|THEN|WHILE|DO\d|END\d|ELSE)")


def read_block(line: str) -> Block:
    """Read one line. Raises Unreadable with what is wrong and the column."""
    if len(line) > MAX_LINE:
        raise Unreadable(f"the line has {len(line)} characters; at most {MAX_LINE} are read", MAX_LINE)
    text, comments = _strip(line)
    if text.startswith("%"):
        return Block(percent=True, comments=comments)
    skip = 0
    at = 0
    if text.startswith("/"):
        skip, at = 1, 1
        if len(text) > 1 and text[1] in "123456789":
            skip, at = int(text[1]), 2
    if _PLAIN.fullmatch(text, at):
        return _plain(text, at, comments, skip)
    words: list[Word] = []
    assignments: list[Assignment] = []
    number: int | None = None
    program: int | None = None

    def fail(message: str, where: int) -> Unreadable:
        columns = _columns(line)
        return Unreadable(message, columns[where] if where < len(columns) else len(line.rstrip()) + 1)

    while at < len(text):
        letter = text[at]
        if control := _CONTROL.match(text, at):
            return Block(
                tuple(words), tuple(assignments), comments, skip, number, program, control=(control[1], text[at:])
            )
        if letter == "#":
            try:
                target, end = parse_expression(text, at, variable_only=True)
                if end >= len(text) or text[end] != "=":
                    raise fail("a variable stands alone; an assignment needs '='", at)
                value, at = parse_expression(text, end + 1)
            except ExpressionError as error:
                raise fail(str(error), error.at) from None
            assignments.append(Assignment(target, value))
            continue
        if letter == ":":
            letter = "O"
        if not ("A" <= letter <= "Z"):
            raise fail(f"'{letter}' cannot begin a word", at)
        begin = at
        at += 1
        match = _NUMBER.match(text, at)
        if match:
            digits = match[0]
            at = match.end()
            if at < len(text) and (text[at] == "." or text[at] in "+-*"):
                raise fail(f"'{text[begin : at + 1]}' is not a number", begin)
            point = digits.find(".")
            word = Word(letter, float(digits), len(digits) - point - 1 if point >= 0 else -1)
        elif (at < len(text) and text[at] in "#[-+") or text[at : at + 3] in _FUNCTION_HEADS:
            try:
                expression, at = parse_expression(text, at, operand_only=True)
            except ExpressionError as error:
                raise fail(str(error), error.at) from None
            word = Word(letter, expression, literal=False)
        else:
            raise fail(f"'{letter}' has no number", begin)
        if letter == "N" and not words:
            number = int(word.value) if isinstance(word.value, float) else None
        elif letter == "O" and not words and isinstance(word.value, float):
            program = int(word.value)
        else:
            words.append(word)
    return Block(tuple(words), tuple(assignments), comments, skip, number, program)


_FUNCTION_HEADS = {"SIN", "COS", "TAN", "ASI", "ACO", "ATA", "SQR", "ABS", "ROU", "FIX", "FUP", "LN[", "EXP"}


def _plain(text: str, at: int, comments: tuple[str, ...], skip: int) -> Block:
    """The block of a text that `_PLAIN` matches from `at` on."""
    words: list[Word] = []
    number = program = None
    for letter, digits in _PLAIN_WORD.findall(text, at):
        if not words and letter == "N":
            number = int(float(digits))
        elif not words and letter == "O":
            program = int(float(digits))
        else:
            point = digits.find(".")
            words.append(Word(letter, float(digits), len(digits) - point - 1 if point >= 0 else -1))
    return Block(tuple(words), (), comments, skip, number, program)


def _strip(line: str) -> tuple[str, tuple[str, ...]]:
    """The line without spaces and comments, in upper case; the comments."""
    if "(" not in line and ")" not in line and ";" not in line:
        return line.translate(_LEFT_OUT).upper(), ()
    kept: list[str] = []
    comments: list[str] = []
    at = 0
    while at < len(line):
        c = line[at]
        if c == "(":
            end = line.find(")", at)
            if end < 0:
                raise Unreadable("a comment is not closed: ')' is missing", at + 1)
            comments.append(line[at + 1 : end].strip())
            at = end + 1
            continue
        if c == ")":
            raise Unreadable("')' without '('", at + 1)
        if c == ";":
            comments.append(line[at + 1 :].strip())
            break
        kept.append(c)
        at += 1
    return "".join(kept).translate(_LEFT_OUT).upper(), tuple(comments)


def _columns(line: str) -> list[int]:
    """The column in the line as written of each character that `_strip` leaves."""
    columns: list[int] = []
    at = 0
    while at < len(line) and line[at] != ";":
        if line[at] == "(":
            at = line.find(")", at) + 1
            continue
        if ord(line[at]) not in _LEFT_OUT:
            columns += [at + 1] * len(line[at].upper())
        at += 1
    return columns
