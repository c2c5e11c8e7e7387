"""Expressions: `[…]`, variables, functions, comparisons, in the usual order of a macro language.

    function  >  * / MOD AND  >  + - OR XOR  >  EQ NE GT GE LT LE

Angles are in degrees. FIX cuts towards zero, FUP away from it, ROUND to the nearest. A vacant variable counts as 0 in
a sum, which is reported; EQ and NE tell it from 0.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any


class ExpressionError(Exception):
    """An expression that cannot be read; `at` is the index in the stripped text."""

    def __init__(self, message: str, at: int) -> None:
        super().__init__(message)
        self.at = at


class MacroError(Exception):
    """An expression that can be read but not worked out: division by zero, a bad argument."""


class Variables:
    """The numbered variables of a channel; `vacant_read` collects those read while vacant."""

    def __init__(self, initial: dict[str, float]) -> None:
        self.common = {int(k): v for k, v in initial.items() if k.isdigit()}
        self.local: dict[int, float] = {}
        self.vacant_read: list[str] = []

    def get(self, number: int) -> float | None:
        if number == 0:
            return None
        if 1 <= number <= 33:
            return self.local.get(number)
        if 100 <= number <= 999:
            return self.common.get(number)
        raise MacroError(f"system variable #{number} is not yet carried out")

    def set(self, number: int, value: float | None) -> None:
        if 1 <= number <= 33:
            store = self.local
        elif 100 <= number <= 999:
            store = self.common
        else:
            raise MacroError(f"variable #{number} cannot be set here")
        if value is None:
            store.pop(number, None)
        else:
            store[number] = value


Value = float | None


@dataclass(frozen=True)
class Expression:
    """A parsed expression. `work_out` gives its value, None when it is a vacant variable alone."""

    text: str
    node: Any

    def work_out(self, variables: Variables) -> Value:
        return _work_out(self.node, variables)

    def variable_number(self, variables: Variables) -> int:
        """For the left side of an assignment."""
        assert self.node[0] == "#"
        return _number(_work_out(self.node[1], variables))


def _number(value: Value) -> int:
    if value is None:
        raise MacroError("a vacant variable cannot number another")
    if abs(value - round(value)) > 1e-6:
        raise MacroError(f"#{value:g} is not a whole variable number")
    return round(value)


def _checked(function: Callable[[float], float], message: str) -> Callable[[float], float]:
    def call(x: float) -> float:
        try:
            return function(x)
        except (ValueError, OverflowError) as error:
            raise MacroError(f"{message} {x:g}") from error

    return call


_FUNCTIONS: dict[str, Callable[[float], float]] = {
    "SIN": lambda x: math.sin(math.radians(x)),
    "COS": lambda x: math.cos(math.radians(x)),
    "TAN": lambda x: math.tan(math.radians(x)),
    "ASIN": _checked(lambda x: math.degrees(math.asin(x)), "ASIN of"),
    "ACOS": _checked(lambda x: math.degrees(math.acos(x)), "ACOS of"),
    "ATAN": lambda x: math.degrees(math.atan(x)),
    "SQRT": _checked(math.sqrt, "SQRT of"),
    "ABS": abs,
    "ROUND": lambda x: math.copysign(math.floor(abs(x) + 0.5), x),
    "FIX": lambda x: float(math.trunc(x)),
    "FUP": lambda x: math.copysign(math.ceil(abs(x)), x),
    "LN": _checked(math.log, "LN of"),
    "EXP": _checked(math.exp, "EXP of"),
}
_FUNCTION = re.compile("|".join(sorted(_FUNCTIONS, key=len, reverse=True)))
_NUMBER = re.compile(r"\d+\.?\d*|\.\d+")
_LEVELS = [
    re.compile(r"EQ|NE|GT|GE|LT|LE"),
    re.compile(r"\+|-|OR|XOR"),
    re.compile(r"\*|/|MOD|AND"),
]
MAX_DEPTH = 50


def parse_expression(
    text: str, at: int, variable_only: bool = False, operand_only: bool = False
) -> tuple[Expression, int]:
    """Parse from `at`; returns the expression and the index after it. Raises ExpressionError."""
    parser = _Parser(text, at)
    node = parser.variable() if variable_only else parser.operand(0) if operand_only else parser.level(0, 0)
    return Expression(text[at : parser.at], node), parser.at


class _Parser:
    def __init__(self, text: str, at: int) -> None:
        self.text = text
        self.at = at

    def level(self, level: int, depth: int) -> Any:
        if level == len(_LEVELS):
            return self.operand(depth)
        left = self.level(level + 1, depth)
        while match := _LEVELS[level].match(self.text, self.at):
            self.at = match.end()
            left = (match[0], left, self.level(level + 1, depth))
        return left

    def operand(self, depth: int) -> Any:
        if depth > MAX_DEPTH:
            raise ExpressionError("brackets are nested too deeply", self.at)
        text, at = self.text, self.at
        if at >= len(text):
            raise ExpressionError("the expression ends too early", at)
        if text[at] in "+-":
            self.at += 1
            node = self.operand(depth + 1)
            return ("neg", node) if text[at] == "-" else node
        if text[at] == "[":
            self.at += 1
            node = self.level(0, depth + 1)
            self.close("]")
            return node
        if text[at] == "#":
            return self.variable(depth)
        if match := _FUNCTION.match(text, at):
            self.at = match.end()
            if self.at >= len(text) or text[self.at] != "[":
                raise ExpressionError(f"{match[0]} needs its argument in brackets", at)
            self.at += 1
            node = self.level(0, depth + 1)
            second = None
            if match[0] == "ATAN" and self.at < len(text) and text[self.at] == ",":
                self.at += 1
                second = self.level(0, depth + 1)
            self.close("]")
            if match[0] == "ATAN" and second is None and text[self.at : self.at + 2] == "/[":
                self.at += 2
                second = self.level(0, depth + 1)
                self.close("]")
            return ("atan2", node, second) if second is not None else ("call", match[0], node)
        if match := _NUMBER.match(text, at):
            self.at = match.end()
            return float(match[0])
        raise ExpressionError(f"'{text[at]}' cannot stand here in an expression", at)

    def variable(self, depth: int = 0) -> Any:
        if self.at >= len(self.text) or self.text[self.at] != "#":
            raise ExpressionError("a variable begins with '#'", self.at)
        self.at += 1
        if self.at < len(self.text) and self.text[self.at] == "<":
            raise ExpressionError("named variables are not part of this dialect", self.at)
        if match := re.compile(r"\d+").match(self.text, self.at):
            self.at = match.end()
            return ("#", float(match[0]))
        return ("#", self.operand(depth + 1))

    def close(self, bracket: str) -> None:
        if self.at >= len(self.text) or self.text[self.at] != bracket:
            raise ExpressionError(f"'{bracket}' is missing", self.at)
        self.at += 1


def _work_out(node: Any, variables: Variables) -> Value:
    if isinstance(node, float):
        return node
    kind = node[0]
    if kind == "#":
        return variables.get(_number(_work_out(node[1], variables)))

    def operand(inner: Any) -> float:
        value = _work_out(inner, variables)
        if value is None:
            variables.vacant_read.append(f"#{inner[1]:g}" if isinstance(inner[1], float) else "a variable")
            return 0.0
        return value

    if kind == "neg":
        return -operand(node[1])
    if kind == "call":
        return _FUNCTIONS[node[1]](operand(node[2]))
    if kind == "atan2":
        return math.degrees(math.atan2(operand(node[1]), operand(node[2])))
    if kind in ("EQ", "NE"):
        a, b = _work_out(node[1], variables), _work_out(node[2], variables)
        return float((a == b) == (kind == "EQ"))
    a, b = operand(node[1]), operand(node[2])
    try:
        return _OPERATIONS[kind](a, b)
    except ZeroDivisionError:
        raise MacroError("division by zero") from None
    except (ValueError, OverflowError):
        raise MacroError(f"{a:g} {kind} {b:g} cannot be worked out") from None


_OPERATIONS: dict[str, Callable[[float, float], float]] = {
    "+": lambda a, b: a + b,
    "-": lambda a, b: a - b,
    "*": lambda a, b: a * b,
    "/": lambda a, b: a / b,
    "MOD": lambda a, b: a - b * math.trunc(a / b),
    "AND": lambda a, b: float(int(a) & int(b)),
    "OR": lambda a, b: float(int(a) | int(b)),
    "XOR": lambda a, b: float(int(a) ^ int(b)),
    "GT": lambda a, b: float(a > b),
    "GE": lambda a, b: float(a >= b),
    "LT": lambda a, b: float(a < b),
    "LE": lambda a, b: float(a <= b),
}
