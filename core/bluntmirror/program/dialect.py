"""Dialects: data files that give the codes of a control their meanings.

Codes are kept as tenths (G54.1 is 541), so that they are whole numbers. A dialect of a user's own is a file of the same
form, which may be `based_on` one of ours and say only what differs. Sources of ours: ISO 6983-1 for the addresses and
preparatory functions it fixes, the public-domain RS274/NGC report for `rs274`; the rest is common practice.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from .meanings import MEANINGS, Meaning

Code = Annotated[str, Field(pattern=r"^[GM]\d{1,4}(\.\d)?$")]
BUILT_IN = ("iso-mill", "iso-turn", "iso-turn-b", "rs274")


class Settings(BaseModel):
    """What controls do differently on the same code; parameters of the virtual control.

    outside_corner   compensation round an outside corner: "lines" (carried on to where they meet, two short ones round a
                     sharp one) or "arc" about the corner
    cycle_shift      the way that a boring tool is shifted off the wall, along the plane's first axis: 1 or -1
    peck_clearance   mm that a peck keeps from where the last one ended
    helix_turns      whether P in an arc block counts whole turns
    macro            "numbers" (IF GOTO, WHILE DO, G65) or "o-words" (o<name> sub, call, if, while, repeat)
    look_ahead       blocks in a row without a way in the plane that compensation can look past; more are reported
    thread_run_out   the lead's share over which a threading pass runs out, where the program does not say (tenths of a lead)
    """

    model_config = ConfigDict(extra="forbid", frozen=True)
    outside_corner: Literal["lines", "arc"] = "lines"
    cycle_shift: Literal[1, -1] = 1
    peck_clearance: Annotated[float, Field(ge=0, le=100)] = 0.5
    helix_turns: bool = False
    macro: Literal["numbers", "o-words"] = "numbers"
    look_ahead: Annotated[int, Field(ge=0, le=1000)] = 2
    thread_run_out: Annotated[float, Field(ge=0, le=99)] = 0.0


class DialectFile(BaseModel):
    """A dialect as a file. `codes`: code → meaning; `known`: codes that are reported as not carried out, with what they are;
    `start`: the meanings in force when a program begins."""

    model_config = ConfigDict(extra="forbid")
    format: Literal["blunt-mirror/dialect@1"]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    title: str = ""
    based_on: str | None = None
    turning: bool = False
    codes: dict[Code, str] = {}
    known: dict[Code, str] = {}
    start: list[str] = []
    settings: dict[str, str | float | bool] = {}

    @model_validator(mode="after")
    def _meanings_exist(self) -> DialectFile:
        for code, meaning in self.codes.items():
            if meaning not in MEANINGS:
                raise ValueError(f"codes.{code}: '{meaning}' is not a meaning; docs/language.md lists them")
        for meaning in self.start:
            if not MEANINGS.get(meaning) or not MEANINGS[meaning].group:
                raise ValueError(f"start: '{meaning}' is not a modal meaning")
        if self.based_on is not None and self.based_on not in BUILT_IN:
            raise ValueError(f"based_on: there is no dialect '{self.based_on}'")
        return self


@dataclass(frozen=True)
class Dialect:
    """`g` and `m`: code (G in tenths) → meaning; `known`: codes of the trade that this dialect does not carry out."""

    name: str
    title: str
    turning: bool
    g: dict[int, Meaning]
    m: dict[int, Meaning]
    known: dict[str, str]
    start: tuple[str, ...]
    settings: Settings
    names: dict[str, str]  # meaning → the first of its codes

    @property
    def o_words(self) -> bool:
        return self.settings.macro == "o-words"

    @property
    def increment_letters(self) -> bool:
        """Code system A of turning: increments by letters (U V W H), not by a mode."""
        return self.turning and not any(meaning.name == "increments" for meaning in self.g.values())

    def with_codes(self, codes: dict[str, str]) -> Dialect:
        """The dialect with more codes ("G160") that have meanings by name: those that a machine file binds."""
        g, m, names = dict(self.g), dict(self.m), dict(self.names)
        for code, meaning in codes.items():
            number = float(code[1:])
            if code[0] == "G":
                g[round(number * 10)] = MEANINGS[meaning]
            else:
                m[round(number)] = MEANINGS[meaning]
            names.setdefault(meaning, code)
        return replace(self, g=g, m=m, names=names)

    def code_of(self, meaning: str) -> str:
        """The code that stands for a meaning, "" where the dialect has none."""
        return self.names.get(meaning, "")


def make_dialect(file: DialectFile) -> Dialect:
    """A dialect from its file, on top of the one it is based on."""
    base = built_in(file.based_on) if file.based_on else None
    g = dict(base.g) if base else {}
    m = dict(base.m) if base else {}
    known = dict(base.known) if base else {}
    for code, meaning in file.codes.items():
        known.pop(code, None)
        if code[0] == "G":
            g[round(float(code[1:]) * 10)] = MEANINGS[meaning]
        else:
            m[round(float(code[1:]))] = MEANINGS[meaning]
    known |= file.known
    settings = Settings(**{**(base.settings.model_dump() if base else {}), **file.settings})
    start = tuple(file.start) or (base.start if base else ())
    turning = file.turning or (base.turning if base else False)
    names: dict[str, str] = {}
    for letter, table, tenths in (("G", g, 1), ("M", m, 10)):
        for number, found in table.items():
            names.setdefault(found.name, code_name(letter, number * tenths))
    title = file.title or (base.title if base else "")
    return Dialect(file.name, title, turning, g, m, known, start, settings, names)


@lru_cache
def built_in(name: str) -> Dialect:
    """One of our own dialects. Raises KeyError for another name."""
    if name not in BUILT_IN:
        raise KeyError(name)
    text = resources.files(__package__).joinpath("dialects", f"{name}.json").read_text("utf-8")
    return make_dialect(DialectFile.model_validate_json(text))


def read_dialect(data: bytes) -> Dialect:
    """A dialect file's bytes. Raises ValueError, with place and reason in one line."""
    try:
        return make_dialect(DialectFile.model_validate_json(data))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise ValueError(f"{where + ': ' if where else ''}{first['msg']}") from None
    except json.JSONDecodeError as error:  # pragma: no cover - pydantic reports it as a ValidationError
        raise ValueError(str(error)) from None


def code_name(letter: str, tenths: int) -> str:
    whole, tenth = divmod(tenths, 10)
    return f"{letter}{whole}.{tenth}" if tenth else f"{letter}{whole}"
