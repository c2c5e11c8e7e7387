"""Rays of two solids on one lattice, laid over each other: what is in both, each end of each first moved outwards by so much."""

from ..compiled import njit

NEVER = 1e30


@njit(cache=True, error_model="numpy")
def common(
    lo_a, hi_a, first_a, count_a, low_a, high_a, lo_b, hi_b, first_b, count_b, low_b, high_b, fill, lo, hi, first, count
):
    """The intervals that are in a and in b, ray by ray, as `first`, `count` and, with `fill`, lo and hi; all ends of a are `low_a` lower
    and `high_a` higher than they stand, of b likewise. Intervals that then overlap are one. Returns how many there are."""
    n = 0
    for ray in range(len(count)):
        i, last_i = first_a[ray], first_a[ray] + count_a[ray]
        j, last_j = first_b[ray], first_b[ray] + count_b[ray]
        begin = n
        first[ray] = n
        a0, a1, i = _next(lo_a, hi_a, i, last_i, low_a, high_a)
        b0, b1, j = _next(lo_b, hi_b, j, last_j, low_b, high_b)
        while a0 < NEVER and b0 < NEVER:
            low, high = max(a0, b0), min(a1, b1)
            if high > low:
                if fill:
                    lo[n], hi[n] = low, high
                n += 1
            if a1 <= b1:
                a0, a1, i = _next(lo_a, hi_a, i, last_i, low_a, high_a)
            else:
                b0, b1, j = _next(lo_b, hi_b, j, last_j, low_b, high_b)
        count[ray] = n - begin
    return n


@njit(cache=True, error_model="numpy")
def _next(lo, hi, at, last, low, high):
    """The next interval of a ray with its ends moved, together with those that it then reaches; and where the ray goes on."""
    if at >= last:
        return NEVER, NEVER, at
    begin, end = lo[at] - low, hi[at] + high
    at += 1
    while at < last and lo[at] - low <= end:
        end = hi[at] + high
        at += 1
    return begin, end, at
