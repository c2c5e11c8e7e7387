"""Rows of trace.csv as bytes: whole millionths, written digit by digit. `trace.py` says what stands in a row."""

import numpy as np

from ..compiled import njit

COMMA, POINT, MINUS, ZERO, NEWLINE = 44, 46, 45, 48, 10
MILLION = 1_000_000


@njit(cache=True)
def _number(out, at, value, fewest):
    """Write a value with six decimals, trailing zeros beyond `fewest` left out. Returns where to go on."""
    whole = np.int64(np.rint(value * MILLION))
    if whole < 0:
        out[at] = MINUS
        at += 1
        whole = -whole
    left, part = whole // MILLION, whole % MILLION
    digits = 1
    limit = np.int64(10)
    while digits < 18 and left >= limit:
        digits += 1
        limit *= 10
    for i in range(digits - 1, -1, -1):
        out[at + i] = ZERO + left % 10
        left //= 10
    at += digits
    decimals = 6
    while decimals > fewest and part % 10 == 0:
        part //= 10
        decimals -= 1
    if decimals == 0:
        return at
    out[at] = POINT
    at += 1
    for i in range(decimals - 1, -1, -1):
        out[at + i] = ZERO + part % 10
        part //= 10
    return at + decimals


@njit(cache=True)
def _text(out, at, text, begin, end):
    for i in range(begin, end):
        out[at] = text[i]
        at += 1
    return at


@njit(cache=True)
def rows(first, last, heads, head_ends, of_head, line, kinds, kind_ends, kind, begin, end, feed, values, out):
    """Write the rows first … last into `out` (bytes). heads, kinds: texts one after another, `…_ends` where each ends. Returns
    how many bytes were written."""
    at = 0
    for row in range(first, last):
        h, k = of_head[row], kind[row]
        at = _text(out, at, heads, head_ends[h - 1] if h > 0 else 0, head_ends[h])
        out[at] = COMMA
        at = _number(out, at + 1, float(line[row]), 0)
        out[at] = COMMA
        at = _text(out, at + 1, kinds, kind_ends[k - 1] if k > 0 else 0, kind_ends[k])
        out[at] = COMMA
        at = _number(out, at + 1, begin[row], 6)
        out[at] = COMMA
        at = _number(out, at + 1, end[row], 6)
        out[at] = COMMA
        at = _number(out, at + 1, feed[row], 0)
        for column in range(values.shape[1]):
            out[at] = COMMA
            at = _number(out, at + 1, values[row, column], 6)
        out[at] = NEWLINE
        at += 1
    return at
