"""The whole-file byte scanner: plain lines become word columns in one pass; anything else is marked for the reader.

A line is PLAIN when it consists of letters and literal numbers only. Comments, expressions, block skips, program
numbers and everything doubtful make it COMPLEX: the readable reader in `reader.py` takes it, so that every diagnostic
comes from one place.
"""

import numpy as np

from ..compiled import njit

EMPTY, PLAIN, COMPLEX = 0, 1, 2

# A mantissa below 2^53 divided by a power of ten up to 10^22 is correctly rounded (Clinger 1990): the same float
# that Python's own reading gives.
MAX_DIGITS = 15


@njit(cache=True)
def scan(data, line_begin, flags, word_begin, letters, values, decimals):
    """Scan bytes (line ends already \\n). Fills per line flags and word_begin, per word letter, value, decimals.

    data (B,) u8; line_begin (L+1,) i64; flags (L,) u8; word_begin (L+1,) i64; letters, values, decimals (W,).
    Returns the number of words written.
    """
    power = np.empty(MAX_DIGITS + 1, np.float64)
    power[0] = 1.0
    for i in range(MAX_DIGITS):
        power[i + 1] = power[i] * 10.0
    words = 0
    for line in range(line_begin.size - 1):
        word_begin[line] = words
        start = words
        at = line_begin[line]
        end = line_begin[line + 1]
        flag = EMPTY
        while at < end:
            c = data[at]
            if c == 32 or c == 9 or c == 10:
                at += 1
                continue
            if 97 <= c <= 122:
                c -= 32
            if not 65 <= c <= 90 or c == 79:  # not a letter, or O: a program number
                flag = COMPLEX
                break
            at += 1
            negative = False
            signed = False
            mantissa = np.int64(0)
            digits = 0
            places = -1
            while at < end:
                d = data[at]
                if 48 <= d <= 57:
                    mantissa = mantissa * 10 + (d - 48)
                    digits += 1
                    if places >= 0:
                        places += 1
                    if digits > MAX_DIGITS:
                        break
                elif d == 46 and places < 0:
                    places = 0
                elif (d == 45 or d == 43) and not signed and digits == 0 and places < 0:
                    signed = True
                    negative = d == 45
                elif d == 32 or d == 9 or d == 10:
                    pass
                else:
                    break
                at += 1
            if digits == 0 or digits > MAX_DIGITS:
                flag = COMPLEX
                break
            value = mantissa / power[max(places, 0)]
            letters[words] = c
            values[words] = -value if negative else value
            decimals[words] = places
            words += 1
            flag = PLAIN
        if flag == COMPLEX:
            words = start
        flags[line] = flag
    word_begin[line_begin.size - 1] = words
    return words
