"""The log: a line of JSON for everything that is told, with the number of the request it belongs to. What a worker tells of a rehearsal carries the
number of the request that began it."""

import json
import logging
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Any

LONGEST = 40  # letters of a number that somebody else gave

_number: ContextVar[str] = ContextVar("number", default="")


def number() -> str:
    """Of the request that is being answered, or whose work is being done; empty where there is none."""
    return _number.get()


def new() -> str:
    return secrets.token_hex(6)


@contextmanager
def under(number: str) -> Iterator[None]:
    """What is told within belongs to the request of that number."""
    before = _number.set(number)
    try:
        yield
    finally:
        _number.reset(before)


def more(**values: Any) -> dict[str, dict[str, Any]]:
    """Values that a line holds by their names: `log.info("…", extra=more(status=200))`."""
    return {"more": values}


class Lines(logging.Formatter):
    """`at` (UTC), `level`, `module`, `request`, `says`, the values of `more`, and of an error `where` it came about."""

    def format(self, record: logging.LogRecord) -> str:
        line = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(), "module": record.name, "request": number(), "says": record.getMessage(),
            **getattr(record, "more", {}),
        }  # fmt: skip
        if record.exc_info:
            line["where"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False, default=str)
