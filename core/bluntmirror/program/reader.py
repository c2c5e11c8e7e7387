"""Reading one line strictly: letters, literal numbers, expressions, assignments, comments, block skips.

Spaces may stand anywhere outside comments, also inside a number (ISO 6983-1); lower case reads as upper case.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
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
    target: Expression
    value: Expression


@dataclass(frozen=True)
class Flow:
    """A block that decides where to go on.

    kind    goto, if-goto, if-then, while, do, end; in the o-word language the keyword after the label
    test    the condition; of goto the target, of repeat the number, of return and endsub the value
    number  of DO and END
    label   of an o-word
    """

    kind: str
    test: Expression | None = None
    target: Expression | None = None
    then: Block | None = None
    number: int = 0
    label: str = ""
    arguments: tuple[Expression, ...] = ()


@dataclass(frozen=True)
class Block:
    words: tuple[Word, ...] = ()
    assignments: tuple[Assignment, ...] = ()
    comments: tuple[str, ...] = ()
    skip: int = 0  # 1–9: the block-skip switch that leaves this block out
    number: int | None = None  # N
    program: int | None = None  # O or :
    percent: bool = False
    flow: Flow | None = None


_NAMED = re.compile(r"[A-Z]\d{0,2}=")
_FLOW = re.compile(r"GOTO|IF|WHILE|DO(?=\d)|END(?=\d)")
_O_WORD = re.compile(
    r"O(?:<([^>]+)>|(\d+))(SUB|ENDSUB|CALL|RETURN|IF|ELSEIF|ELSE|ENDIF|WHILE|ENDWHILE|DO|REPEAT|ENDREPEAT|BREAK|CONTINUE)"
)
_COMMA_LETTERS = "CRA"


def read_block(line: str, o_words: bool = False) -> Block:
    """Read one line; `o_words` of the language with named variables. Raises Unreadable with what is wrong and the column."""
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
    try:
        return _Reading(text, at, comments, skip, o_words).block()
    except ExpressionError as error:
        columns = _columns(line)
        column = columns[error.at] if error.at < len(columns) else len(line.rstrip()) + 1
        raise Unreadable(str(error), column) from None


class _Reading:
    """One block's stripped text, from `at` on. Raises ExpressionError with the index in that text."""

    def __init__(self, text: str, at: int, comments: tuple[str, ...], skip: int, o_words: bool) -> None:
        self.text, self.at, self.comments, self.skip, self.o_words = text, at, comments, skip, o_words

    def block(self) -> Block:
        text = self.text
        words: list[Word] = []
        assignments: list[Assignment] = []
        number: int | None = None
        program: int | None = None
        flow: Flow | None = None
        while self.at < len(text) and flow is None:
            at = self.at
            if text[at] == "#":
                assignments.append(self.assignment())
            elif self.o_words and (match := _O_WORD.match(text, at)):
                flow = self.o_word(match)
            elif not self.o_words and (match := _FLOW.match(text, at)):
                flow = self.flow(match[0])
            else:
                word = self.word()
                if word.letter == "N" and not words:
                    number = int(word.value) if isinstance(word.value, float) else None
                elif word.letter == "O" and not words and isinstance(word.value, float):
                    program = int(word.value)
                else:
                    words.append(word)
        return Block(tuple(words), tuple(assignments), self.comments, self.skip, number, program, flow=flow)

    def expression(self, operand_only: bool = False) -> Expression:
        result, self.at = parse_expression(self.text, self.at, operand_only=operand_only, named=self.o_words)
        return result

    def assignment(self) -> Assignment:
        begin = self.at
        target, end = parse_expression(self.text, begin, variable_only=True, named=self.o_words)
        if end >= len(self.text) or self.text[end] != "=":
            raise ExpressionError("a variable stands alone; an assignment needs '='", begin)
        self.at = end + 1
        return Assignment(target, self.expression())

    def word(self) -> Word:
        text, begin = self.text, self.at
        letter = "O" if text[begin] == ":" else text[begin]
        at = begin + 1
        if letter == "," and text[at : at + 1] and text[at] in _COMMA_LETTERS:
            letter, at = "," + text[at], at + 1
        elif not ("A" <= letter <= "Z"):
            raise ExpressionError(f"'{letter}' cannot begin a word", begin)
        elif named := _NAMED.match(text, begin):  # an axis by its own name: the value follows like any word's
            letter, at = named[0], named.end()
        if match := _NUMBER.match(text, at):
            digits = match[0]
            self.at = match.end()
            if self.at < len(text) and (text[self.at] == "." or text[self.at] in "+-*"):
                raise ExpressionError(f"'{text[begin : self.at + 1]}' is not a number", begin)
            point = digits.find(".")
            return Word(letter, float(digits), len(digits) - point - 1 if point >= 0 else -1)
        if (at < len(text) and text[at] in "#[-+") or text[at : at + 3] in _FUNCTION_HEADS:
            self.at = at
            return Word(letter, self.expression(operand_only=True), literal=False)
        if letter in "GMXYZFSTHD" and text[at : at + 1] == "O":
            after = _NUMBER.match(text, at + 1)
            raise ExpressionError(
                f"'{letter}O{after[0] if after else ''}' has the letter O where a zero belongs", begin
            )
        raise ExpressionError(f"'{letter}' has no number", begin)

    def flow(self, keyword: str) -> Flow:
        begin = self.at
        self.at += len(keyword)
        if keyword == "GOTO":
            return Flow("goto", target=self.last(self.expression(operand_only=True)))
        if keyword in ("DO", "END"):
            number = self.loop_number()
            return self.last(Flow(keyword.lower(), number=number))
        if self.text[self.at : self.at + 1] != "[":
            raise ExpressionError(f"{keyword} needs its condition in brackets", begin)
        test = self.expression(operand_only=True)
        if keyword == "WHILE":
            if self.text[self.at : self.at + 2] != "DO":
                raise ExpressionError("WHILE needs DO with its number after the condition", self.at)
            self.at += 2
            return self.last(Flow("while", test, number=self.loop_number()))
        if self.text.startswith("GOTO", self.at):
            self.at += 4
            return Flow("if-goto", test, target=self.last(self.expression(operand_only=True)))
        if self.text.startswith("THEN", self.at):
            self.at += 4
            then = self.block()
            if not (then.words or then.assignments or then.flow):
                raise ExpressionError("THEN needs what is to be done", self.at)
            return Flow("if-then", test, then=then)
        raise ExpressionError("IF needs GOTO or THEN after its condition", self.at)

    def loop_number(self) -> int:
        digit = self.text[self.at : self.at + 1]
        if digit not in "123456789" or not digit:
            raise ExpressionError("DO and END need a number from 1 to 9", self.at)
        self.at += 1
        return int(digit)

    def last(self, item):  # type: ignore[no-untyped-def]
        """What may be followed by nothing else in its block."""
        if self.at < len(self.text):
            raise ExpressionError(f"'{self.text[self.at :][:20]}' cannot follow here", self.at)
        return item

    def o_word(self, match: re.Match[str]) -> Flow:
        label, keyword = (match[1] or match[2]).lower(), match[3].lower()
        self.at = match.end()
        values: list[Expression] = []
        while self.at < len(self.text):
            if self.text[self.at] != "[":
                raise ExpressionError(f"'{self.text[self.at]}' cannot follow here", self.at)
            values.append(self.expression(operand_only=True))
        wanted = {"if": 1, "elseif": 1, "while": 1, "repeat": 1}.get(keyword, 0)
        if keyword not in ("call", "return", "endsub") and len(values) != wanted:
            told = "a condition" if keyword != "repeat" else "a number"
            raise ExpressionError(
                f"{keyword} needs {told} in brackets" if wanted else f"{keyword} takes no value", match.end()
            )
        return Flow("o-" + keyword, values[0] if values else None, label=label, arguments=tuple(values))


_FUNCTION_HEADS = {"SIN", "COS", "TAN", "ASI", "ACO", "ATA", "SQR", "ABS", "ROU", "FIX", "FUP", "LN[", "EXP", "EXI"}


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


def block_of(letters: list[int], values: list[float], decimals: list[int]) -> Block:
    """The block of a line that the scanner took: letters as bytes, values, digits after the point (-1: no point)."""
    number = None
    at = 0
    while at < len(letters) and letters[at] == _N:
        number = int(values[at])
        at += 1
    words = [Word(_LETTERS[letters[i]], values[i], decimals[i]) for i in range(at, len(letters))]
    return Block(tuple(words), number=number)


_N = ord("N")
_LETTERS = {code: chr(code) for code in range(ord("A"), ord("Z") + 1)}


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
