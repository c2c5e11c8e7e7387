"""The variables of a channel.

#0              always vacant
#1–#33          local: of one call of a macro
#100–#999       common
<name>          of the o-word language: local to its sub; <_name> common
all others      system variables: places, offsets, registers, modal codes (see system_variables.py)
"""

from __future__ import annotations

from typing import Protocol

LOCALS = range(1, 34)
GREATEST = 1e15  # a value beyond it is a mistake, and would overflow further on


class MacroError(Exception):
    """An expression that can be read but not worked out: division by zero, a bad argument."""


class SystemVariables(Protocol):
    def read(self, number: int) -> float | None: ...

    def write(self, number: int, value: float | None) -> None: ...


class Variables:
    """`vacant_read` collects the variables read while vacant; `values` holds the locals of the running call and the common
    ones, by number or name."""

    def __init__(self, initial: dict[str, float], system: SystemVariables | None = None) -> None:
        self.values: dict[int | str, float] = {_key(name): value for name, value in initial.items()}
        self.system = system
        self.vacant_read: list[str] = []
        self.saved: list[dict[int | str, float]] = []

    def get(self, key: int | str) -> float | None:
        value = self.values.get(key)
        if value is not None or isinstance(key, str) or key == 0 or key in LOCALS or 100 <= key <= 999:
            return value
        if self.system is None:
            raise MacroError(f"#{key} is not a variable of this control")
        return self.system.read(key)

    def number(self, key: int | str) -> float:
        """The value as a number in a sum."""
        value = self.values.get(key)
        if value is None:
            value = self.get(key)
            if value is None:
                self.vacant_read.append(f"#<{key}>" if isinstance(key, str) else f"#{key}")
                return 0.0
        return value

    def set(self, key: int | str, value: float | None) -> None:
        if value is not None and not -GREATEST < value < GREATEST:
            raise MacroError("the value is beyond what the control can hold")
        if isinstance(key, str) or 1 <= key <= 33 or 100 <= key <= 999:
            if value is None:
                self.values.pop(key, None)
            else:
                self.values[key] = value
        elif key == 0:
            raise MacroError("#0 is always vacant and cannot be set")
        elif self.system is None:
            raise MacroError(f"#{key} is not a variable of this control")
        else:
            self.system.write(key, value)

    def enter(self, given: dict[int | str, float]) -> None:
        """A new level of locals for a macro call."""
        self.saved.append({k: v for k, v in self.values.items() if is_local(k)})
        self._replace(given)

    def leave(self) -> None:
        self._replace(self.saved.pop())

    def _replace(self, locals_: dict[int | str, float]) -> None:
        for key in [k for k in self.values if is_local(k)]:
            del self.values[key]
        self.values.update(locals_)

    @property
    def local(self) -> dict[int | str, float]:
        return {k: v for k, v in self.values.items() if is_local(k)}

    @property
    def common(self) -> dict[int | str, float]:
        return {k: v for k, v in self.values.items() if not is_local(k)}


def is_local(key: int | str) -> bool:
    return not key.startswith("_") if isinstance(key, str) else key <= 33


def _key(name: str) -> int | str:
    return int(name) if name.isdigit() else name.strip("<>").lower()
