"""Expressions: `[…]`, variables, functions, comparisons, in the usual order of a macro language.

numbers   function  >  * / MOD AND  >  + - OR XOR  >  EQ NE GT GE LT LE          (AND OR XOR bit by bit)
o-words   function  >  **  >  * / MOD  >  + -  >  EQ NE GT GE LT LE  >  AND OR XOR   (of truth values)

Angles are in degrees. ROUND goes to the nearest; FIX and FUP as the dialect says. A vacant variable counts as 0 in a sum,
which is reported; EQ and NE tell it from 0.

An expression is read once into a tree and turned into a Python function of the variables: macro loops run at the speed
of that function. The tree holds numbers, variables and the operations of the tables below, nothing else.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from functools import lru_cache
from typing import Any

from .variables import MacroError, Variables

Value = float | None


class ExpressionError(Exception):
    """An expression that cannot be read; `at` is the index in the stripped text."""

    def __init__(self, message: str, at: int) -> None:
        super().__init__(message)
        self.at = at


class Expression:
    """A parsed expression. `work_out` gives its value, None when it is a vacant variable alone."""

    __slots__ = ("_function", "node", "text")

    def __init__(self, text: str, node: Any) -> None:
        self.text, self.node = text, node
        self._function: Callable[[Variables], Value] | None = None

    def work_out(self, variables: Variables) -> Value:
        """Raises MacroError for what cannot be worked out."""
        function = self._function or self._compile()
        try:
            return function(variables)
        except ZeroDivisionError:
            raise MacroError("division by zero") from None
        except (ValueError, OverflowError, TypeError):
            raise MacroError(f"{self.text} cannot be worked out") from None

    def _compile(self) -> Callable[[Variables], Value]:
        self._function = _compiled(_raw(self.node))
        return self._function

    def key(self, variables: Variables) -> int | str:
        """The number or name of the variable that this is, for the left side of an assignment."""
        kind, inner = self.node
        if kind == "#name":
            return str(inner)
        if isinstance(inner, float):
            return int(inner)
        return _number(Expression(self.text, inner).work_out(variables))


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
    "FLOOR": lambda x: float(math.floor(x)),
    "CEIL": lambda x: float(math.ceil(x)),
    "LN": _checked(math.log, "LN of"),
    "EXP": _checked(math.exp, "EXP of"),
}
_FUNCTION = re.compile("|".join(sorted({*_FUNCTIONS, "EXISTS"} - {"FLOOR", "CEIL"}, key=len, reverse=True)))
_NUMBER = re.compile(r"\d+\.?\d*|\.\d+")
_VARIABLE_NUMBER = re.compile(r"\d+")
_LEVELS = {
    False: [re.compile(r"EQ|NE|GT|GE|LT|LE"), re.compile(r"\+|-|OR|XOR"), re.compile(r"\*|/|MOD|AND")],
    True: [
        re.compile(r"AND|OR|XOR"), re.compile(r"EQ|NE|GT|GE|LT|LE"), re.compile(r"\+|-"), re.compile(r"\*(?!\*)|/|MOD"),
        re.compile(r"\*\*"),
    ],
}  # fmt: skip
MAX_DEPTH = 50


def parse_expression(
    text: str, at: int, variable_only: bool = False, operand_only: bool = False, named: bool = False
) -> tuple[Expression, int]:
    """Parse from `at`; returns the expression and the index after it. `named`: the o-word language, with named variables.
    Raises ExpressionError."""
    parser = _Parser(text, at, named)
    node = parser.variable() if variable_only else parser.operand(0) if operand_only else parser.level(0, 0)
    return Expression(text[at : parser.at], node), parser.at


class _Parser:
    def __init__(self, text: str, at: int, named: bool) -> None:
        self.text, self.at, self.named = text, at, named
        self.levels = _LEVELS[named]

    def level(self, level: int, depth: int) -> Any:
        if level == len(self.levels):
            return self.operand(depth)
        left = self.level(level + 1, depth)
        while match := self.levels[level].match(self.text, self.at):
            self.at = match.end()
            operation = match[0]
            if self.named and operation in ("AND", "OR", "XOR"):
                operation = "truth-" + operation
            left = (operation, left, self.level(level + 1, depth))
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
            return self.function(match[0], depth)
        if match := _NUMBER.match(text, at):
            self.at = match.end()
            return float(match[0])
        raise ExpressionError(f"'{text[at]}' cannot stand here in an expression", at)

    def function(self, name: str, depth: int) -> Any:
        text, at = self.text, self.at
        self.at += len(name)
        if self.at >= len(text) or text[self.at] != "[":
            raise ExpressionError(f"{name} needs its argument in brackets", at)
        self.at += 1
        if name == "EXISTS":
            if not self.named:
                raise ExpressionError("EXISTS is not part of this dialect", at)
            node = self.variable(depth)
            self.close("]")
            return ("exists", node)
        node = self.level(0, depth + 1)
        second = None
        if name == "ATAN" and self.at < len(text) and text[self.at] == ",":
            self.at += 1
            second = self.level(0, depth + 1)
        self.close("]")
        if name == "ATAN" and second is None and text[self.at : self.at + 2] == "/[":
            self.at += 2
            second = self.level(0, depth + 1)
            self.close("]")
        if self.named:
            name = {"FIX": "FLOOR", "FUP": "CEIL"}.get(name, name)
        return ("atan2", node, second) if second is not None else ("call", name, node)

    def variable(self, depth: int = 0) -> Any:
        text = self.text
        if self.at >= len(text) or text[self.at] != "#":
            raise ExpressionError("a variable begins with '#'", self.at)
        self.at += 1
        if self.at < len(text) and text[self.at] == "<":
            if not self.named:
                raise ExpressionError("named variables are not part of this dialect", self.at)
            end = text.find(">", self.at)
            if end < 0:
                raise ExpressionError("'>' is missing after a variable's name", self.at)
            name = text[self.at + 1 : end].lower()
            if not name:
                raise ExpressionError("a variable's name is empty", self.at)
            self.at = end + 1
            return ("#name", name)
        if match := _VARIABLE_NUMBER.match(text, self.at):
            self.at = match.end()
            return ("#", float(match[0]))
        return ("#", self.operand(depth + 1))

    def close(self, bracket: str) -> None:
        if self.at >= len(self.text) or self.text[self.at] != bracket:
            raise ExpressionError(f"'{bracket}' is missing", self.at)
        self.at += 1


@lru_cache(maxsize=50_000)
def _compiled(source: str) -> Callable[[Variables], Value]:
    """The function of a piece of Python made by `_raw`: nothing in it comes from the program but numbers and names that
    were read as such, names as string literals."""
    return eval(f"lambda v: {source}", dict(_NAMES))


# --- from the tree to a function ----------------------------------------------------------------------------------------


def _raw(node: Any) -> str:
    """Python for a node whose vacancy matters: a variable alone, the sides of EQ and NE."""
    if isinstance(node, tuple) and node[0] == "#":
        return f"v.get({_variable(node)})"
    if isinstance(node, tuple) and node[0] == "#name":
        return f"v.get({node[1]!r})"
    return _sum(node)


def _variable(node: Any) -> str:
    return str(int(node[1])) if isinstance(node[1], float) else f"_number({_raw(node[1])})"


def _sum(node: Any) -> str:
    """Python for a node as a number: a vacant variable counts as 0 and is noted."""
    if isinstance(node, float):
        return repr(node)
    kind = node[0]
    if kind == "#":
        return f"v.number({_variable(node)})"
    if kind == "#name":
        return f"v.number({node[1]!r})"
    if kind == "neg":
        return f"(-{_sum(node[1])})"
    if kind == "call":
        return f"{node[1]}({_sum(node[2])})"
    if kind == "exists":
        return f"float({_raw(node[1])} is not None)"
    if kind == "atan2":
        return f"ATAN2({_sum(node[1])}, {_sum(node[2])})"
    if kind in ("EQ", "NE"):
        return f"float({_raw(node[1])} {'==' if kind == 'EQ' else '!='} {_raw(node[2])})"
    return _OPERATIONS[kind].format(_sum(node[1]), _sum(node[2]))


_OPERATIONS = {
    "+": "({} + {})", "-": "({} - {})", "*": "({} * {})", "/": "({} / {})", "MOD": "MOD({}, {})", "**": "POWER({}, {})",
    "AND": "float(int({}) & int({}))", "OR": "float(int({}) | int({}))", "XOR": "float(int({}) ^ int({}))",
    "truth-AND": "float(({}) != 0 and ({}) != 0)", "truth-OR": "float(({}) != 0 or ({}) != 0)",
    "truth-XOR": "float((({}) != 0) != (({}) != 0))",
    "GT": "float({} > {})", "GE": "float({} >= {})", "LT": "float({} < {})", "LE": "float({} <= {})",
}  # fmt: skip


def _power(a: float, b: float) -> float:
    value = a**b
    if isinstance(value, complex):
        raise MacroError(f"{a:g} ** {b:g} cannot be worked out")
    return value


_NAMES: dict[str, Any] = {
    "__builtins__": {}, "float": float, "int": int, "_number": _number, "POWER": _power,
    "ATAN2": lambda y, x: math.degrees(math.atan2(y, x)), "MOD": lambda a, b: a - b * math.trunc(a / b), **_FUNCTIONS,
}  # fmt: skip
