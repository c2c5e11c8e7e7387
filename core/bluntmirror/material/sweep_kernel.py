"""Where a ray meets the volume that a slab sweeps along a straight motion: closed forms.

The tool's axis stands along Z during the motion. The tip runs from p0 to p0 + d as t goes from 0 to 1. A convex slab
sweeps a convex volume (a Minkowski sum with a segment), so that every ray meets it in one interval.

Across the tool (ray along u at lateral place v, height z), with h(t) = z − z0 − dz·t the height on the tool:

    u(t) = u0 + du·t ± √Q(t),      Q(t) = r(h(t))² − (v − v0 − dv·t)²  =  A·t² + B·t + C

for a cone, a cylinder and a sphere. Along the tool (ray along Z), with s(t) the squared distance from the axis:

    z(t) = z0 + dz·t + h(√s(t)),   h the height at which the slab reaches that radius.

Each is a straight line plus or minus the root of a quadratic; the interval's ends are its extremes over the stretch
of t in which the ray is inside the slab, found where the derivative is zero:

    (2At + B)² = d²·D / (d² − A),    D = B² − 4AC.

A torus has no such form: its functions are concave (or convex), so that the place of zero slope is found between two places of
opposite slope, by chords that close in from both sides (the Illinois rule: Dowell and Jarratt, A modified regula falsi method,
1971). What is searched is the slope times what keeps it finite, which has its zero at the same place.
"""

import math

from ..compiled import njit
from ..tools.slabs import ARC, H0, H1, HC, KIND, R0, R1, RC, RO

CLOSE_MM = 1e-6  # of a way: a chord that ends so near to the one before has its place, and at one of zero slope far less is left
MOST_CHORDS = 60  # the chords close in within six; every fifth is a halving, so that none is slow
TINY = 1e-14


@njit(cache=True, inline="always")
def root(x):
    return math.sqrt(x) if x > 0.0 else 0.0


@njit(cache=True, error_model="numpy", forceinline=True)
def best_time(d, a, b, c, ta, tb):
    """The t in [ta, tb] at which d·t + √(a·t² + b·t + c), a concave function, is greatest."""
    if abs(a) < TINY and abs(b) < TINY:
        return tb if d > 0.0 else ta
    if d == 0.0:
        if a < 0.0:
            t = -b / (2.0 * a)
        else:
            t = tb if 2.0 * a * ta + b >= 0.0 else ta
        return min(max(t, ta), tb)
    gap = d * d - a
    disc = b * b - 4.0 * a * c
    if gap <= 0.0:  # no place of zero slope: one end it is
        return tb if d * tb + root((a * tb + b) * tb + c) >= d * ta + root((a * ta + b) * ta + c) else ta
    u = root(d * d * disc / gap)
    if d > 0.0:
        u = -u
    if abs(a) > 1e-9 and u * b <= 0.0:
        t = (u - b) / (2.0 * a)
    elif abs(u + b) > TINY:
        t = (disc / gap - 4.0 * c) / (2.0 * (u + b))
    else:
        t = tb if d > 0.0 else ta
    t = min(max(t, ta), tb)
    if a > 0.0:
        # A steep cone: the root is one branch of a hyperbola, which need not have a place of zero slope in reach.
        best = d * t + root((a * t + b) * t + c)
        if d * ta + root((a * ta + b) * ta + c) > best:
            t, best = ta, d * ta + root((a * ta + b) * ta + c)
        if d * tb + root((a * tb + b) * tb + c) > best:
            t = tb
    return t


@njit(cache=True, error_model="numpy")
def slab_radius(slabs, s, h):
    if slabs[s, KIND] == ARC:
        return slabs[s, RO] + root(slabs[s, RC] * slabs[s, RC] - (h - slabs[s, HC]) * (h - slabs[s, HC]))
    return slabs[s, R0] + (slabs[s, R1] - slabs[s, R0]) * (h - slabs[s, H0]) / (slabs[s, H1] - slabs[s, H0])


@njit(cache=True, error_model="numpy")
def across(slabs, s, u0, v0, z0, du, dv, dz, v, z):
    """Interval on a ray along u at (v, z). Returns (met, lo, hi)."""
    height = z - z0
    gamma = v - v0
    ta, tb = 0.0, 1.0
    if dz == 0.0:
        if height < slabs[s, H0] or height > slabs[s, H1]:
            return False, 0.0, 0.0
    else:
        e0 = (height - slabs[s, H0]) / dz
        e1 = (height - slabs[s, H1]) / dz
        ta = max(0.0, min(e0, e1))
        tb = min(1.0, max(e0, e1))
        if ta > tb:
            return False, 0.0, 0.0
    if slabs[s, KIND] == ARC and dz != 0.0 and slabs[s, RO] > 0.0:
        return _across_torus(slabs, s, u0, du, dv, dz, gamma, height, ta, tb)
    if slabs[s, KIND] == ARC and dz != 0.0:
        w = height - slabs[s, HC]
        a = -(dz * dz + dv * dv)
        b = 2.0 * (w * dz + gamma * dv)
        c = slabs[s, RC] * slabs[s, RC] - w * w - gamma * gamma
        disc = b * b - 4.0 * a * c
        if disc < 0.0:
            return False, 0.0, 0.0
        half = math.sqrt(disc)
        ta = max(ta, (-b + half) / (2.0 * a))
        tb = min(tb, (-b - half) / (2.0 * a))
    else:
        if slabs[s, KIND] == ARC:
            alpha, beta = slab_radius(slabs, s, height), 0.0
        else:
            slope = (slabs[s, R1] - slabs[s, R0]) / (slabs[s, H1] - slabs[s, H0])
            alpha = slabs[s, R0] + slope * (height - slabs[s, H0])
            beta = -slope * dz
        # r(t) ≥ |γ − dv·t| is two straight conditions.
        for side in range(2):
            p = alpha - gamma if side == 0 else alpha + gamma
            q = beta + dv if side == 0 else beta - dv
            if q > 0.0:
                ta = max(ta, -p / q)
            elif q < 0.0:
                tb = min(tb, -p / q)
            elif p < 0.0:
                return False, 0.0, 0.0
        a = beta * beta - dv * dv
        b = 2.0 * (alpha * beta + gamma * dv)
        c = alpha * alpha - gamma * gamma
    if ta > tb:
        return False, 0.0, 0.0
    t = best_time(du, a, b, c, ta, tb)
    hi = u0 + du * t + root((a * t + b) * t + c)
    t = best_time(-du, a, b, c, ta, tb)
    lo = u0 + du * t - root((a * t + b) * t + c)
    return True, lo, hi


@njit(cache=True, error_model="numpy")
def _torus_slope(slabs, s, du, dv, dz, gamma, height, t):
    """How du·t + √(r² − γ(t)²) grows at t, times √(rc² − up²)·√(r² − γ²); where the ray passes outside the torus, how r − |γ|
    does, times what makes both the same at the border."""
    up, g = height - dz * t - slabs[s, HC], gamma - dv * t
    level = root(slabs[s, RC] * slabs[s, RC] - up * up)
    r = slabs[s, RO] + level
    if r < abs(g):
        return abs(g) * (up * dz + (dv if g > 0.0 else -dv) * level)
    return (du * root(r * r - g * g) + g * dv) * level + r * up * dz


@njit(cache=True, error_model="numpy")
def _torus_best(slabs, s, du, dv, dz, gamma, height, ta, tb):
    """The t in [ta, tb] at which du·t + √(r² − γ²) is greatest, or where the torus is missed by least."""
    fa = _torus_slope(slabs, s, du, dv, dz, gamma, height, ta)
    if fa <= 0.0:
        return ta
    fb = _torus_slope(slabs, s, du, dv, dz, gamma, height, tb)
    if fb >= 0.0:
        return tb
    length = math.sqrt(du * du + dv * dv + dz * dz)
    side, last, t = 0, 2.0, ta
    for turn in range(MOST_CHORDS):
        t = 0.5 * (ta + tb) if turn % 5 == 4 else tb - fb * (tb - ta) / (fb - fa)
        f = _torus_slope(slabs, s, du, dv, dz, gamma, height, t)
        if f > 0.0:
            ta, fa = t, f
            if side > 0:
                fb *= 0.5
            side = 1
        elif f < 0.0:
            tb, fb = t, f
            if side < 0:
                fa *= 0.5
            side = -1
        else:
            return t
        if abs(t - last) * length < CLOSE_MM:
            break
        last = t
    return t


@njit(cache=True, error_model="numpy")
def _across_torus(slabs, s, u0, du, dv, dz, gamma, height, ta, tb):
    lo, hi = 0.0, 0.0
    for end in range(2):
        sign = 1.0 if end == 0 else -1.0
        t = _torus_best(slabs, s, sign * du, dv, dz, gamma, height, ta, tb)
        r, g = slab_radius(slabs, s, height - dz * t), gamma - dv * t
        if r < abs(g):
            return False, 0.0, 0.0
        if end == 0:
            hi = u0 + du * t + root(r * r - g * g)
        else:
            lo = u0 + du * t - root(r * r - g * g)
    return True, lo, hi


@njit(cache=True, error_model="numpy")
def _height_at(slabs, s, distance):
    """The lowest height at which a slab whose radius grows reaches this distance from the axis."""
    if distance <= slabs[s, R0]:
        return slabs[s, H0]
    if slabs[s, KIND] == ARC:
        out = distance - slabs[s, RO]
        return slabs[s, HC] - root(slabs[s, RC] * slabs[s, RC] - out * out)
    return slabs[s, H0] + (distance - slabs[s, R0]) * (slabs[s, H1] - slabs[s, H0]) / (slabs[s, R1] - slabs[s, R0])


@njit(cache=True, error_model="numpy")
def radius_below(slabs, begin, end, height):
    """The largest radius that a growing set of slabs has at or below a height."""
    for s in range(begin, end):
        if height < slabs[s, H1]:
            return slab_radius(slabs, s, max(height, slabs[s, H0]))
    return slabs[end - 1, R1]


@njit(cache=True, error_model="numpy")
def _lower_end(slabs, s, dz, a, b, c, t):
    return dz * t + _height_at(slabs, s, root((a * t + b) * t + c))


@njit(cache=True, error_model="numpy")
def _lower_slope(slabs, s, dz, a, b, c, t):
    """Slope of dz·t + hc − √(rc² − out²), times 2·distance·√…; under the flat middle the axis' own rise, as it is at its border."""
    distance = root((a * t + b) * t + c)
    out = distance - slabs[s, RO]
    if out <= 0.0:
        return dz * 2.0 * slabs[s, RO] * slabs[s, RC]
    return dz * 2.0 * distance * root(slabs[s, RC] * slabs[s, RC] - out * out) + out * (2.0 * a * t + b)


@njit(cache=True, error_model="numpy")
def _torus_lowest(slabs, s, dz, a, b, c, ta, tb):
    """The t in [ta, tb] at which a torus that passes over a Z ray is lowest on it."""
    fa = _lower_slope(slabs, s, dz, a, b, c, ta)
    if fa >= 0.0:
        return ta
    fb = _lower_slope(slabs, s, dz, a, b, c, tb)
    if fb <= 0.0:
        return tb
    length = math.sqrt(a + dz * dz)
    side, last, t = 0, 2.0, ta
    for turn in range(MOST_CHORDS):
        t = 0.5 * (ta + tb) if turn % 5 == 4 else tb - fb * (tb - ta) / (fb - fa)
        f = _lower_slope(slabs, s, dz, a, b, c, t)
        if f < 0.0:
            ta, fa = t, f
            if side > 0:
                fb *= 0.5
            side = 1
        elif f > 0.0:
            tb, fb = t, f
            if side < 0:
                fa *= 0.5
            side = -1
        else:
            return t
        if abs(t - last) * length < CLOSE_MM:
            break
        last = t
    return t


@njit(cache=True, error_model="numpy")
def _along_growing(slabs, s, z0, dx, dy, dz, x, y):
    """Interval on a Z ray at (x, y), seen from the tip, of a slab whose radius does not fall with height."""
    a = dx * dx + dy * dy
    b = -2.0 * (x * dx + y * dy)
    c = x * x + y * y
    outer = slabs[s, R1] * slabs[s, R1]
    ta, tb = 0.0, 1.0
    if a < TINY:
        if c > outer:
            return False, 0.0, 0.0
    else:
        disc = b * b - 4.0 * a * (c - outer)
        if disc < 0.0:
            return False, 0.0, 0.0
        half = math.sqrt(disc)
        ta = max(0.0, (-b - half) / (2.0 * a))
        tb = min(1.0, (-b + half) / (2.0 * a))
        if ta > tb:
            return False, 0.0, 0.0
    hi = z0 + slabs[s, H1] + max(dz * ta, dz * tb)
    if slabs[s, R1] == slabs[s, R0]:
        return True, z0 + slabs[s, H0] + min(dz * ta, dz * tb), hi
    if a < TINY:
        t = tb if dz < 0.0 else ta
        return True, z0 + _lower_end(slabs, s, dz, a, b, c, t), hi
    nearest = min(max(-b / (2.0 * a), ta), tb)
    if dz == 0.0:
        return True, z0 + _lower_end(slabs, s, dz, a, b, c, nearest), hi
    if slabs[s, KIND] == ARC and slabs[s, RO] > 0.0:
        t = _torus_lowest(slabs, s, dz, a, b, c, ta, tb)
        return True, z0 + _lower_end(slabs, s, dz, a, b, c, t), hi
    if slabs[s, KIND] == ARC:
        t = best_time(-dz, -a, -b, slabs[s, RC] * slabs[s, RC] - c, ta, tb)
    else:
        # Least of k·dz·t + √s(t): a convex function, zero slope where (2at + b)² = l²(4ac − b²)/(a − l²).
        line = dz * (slabs[s, R1] - slabs[s, R0]) / (slabs[s, H1] - slabs[s, H0])
        gap = a - line * line
        if gap <= 0.0:
            t = ta if line > 0.0 else tb
        else:
            u = root(line * line * (4.0 * a * c - b * b) / gap)
            t = ((-u if line > 0.0 else u) - b) / (2.0 * a)
            t = min(max(t, ta), tb)
    # Inside the slab's small end the surface is flat: there the lowest place is at the border of that stretch.
    inner = slabs[s, R0] * slabs[s, R0]
    disc = b * b - 4.0 * a * (c - inner)
    if slabs[s, R0] > 0.0 and disc > 0.0:
        half = math.sqrt(disc)
        sa = max(ta, (-b - half) / (2.0 * a))
        sb = min(tb, (-b + half) / (2.0 * a))
        if sa <= sb:
            t = min(t, sa) if dz > 0.0 else max(t, sb)
    return True, z0 + _lower_end(slabs, s, dz, a, b, c, t), hi


@njit(cache=True, error_model="numpy")
def along(slabs, s, x0, y0, z0, dx, dy, dz, x, y):
    """Interval on a Z ray at (x, y). Returns (met, lo, hi)."""
    if slabs[s, R1] >= slabs[s, R0]:
        return _along_growing(slabs, s, z0, dx, dy, dz, x - x0, y - y0)
    # A slab that narrows upwards is one that grows, seen upside down.
    turned = slabs[s : s + 1].copy()
    turned[0, H0], turned[0, H1] = -slabs[s, H1], -slabs[s, H0]
    turned[0, R0], turned[0, R1] = slabs[s, R1], slabs[s, R0]
    turned[0, HC] = -slabs[s, HC]
    met, lo, hi = _along_growing(turned, 0, -z0, dx, dy, -dz, x - x0, y - y0)
    return met, -hi, -lo


@njit(cache=True, error_model="numpy")
def meet(direction, slabs, s, x0, y0, z0, dx, dy, dz, u, v):
    """Interval of slab `s` of `slabs` (n, 8) swept from (x0, y0, z0) by (dx, dy, dz), on a ray.

    direction 0: X ray at (u, v) = (y, z); 1: Y ray at (x, z); 2: Z ray at (x, y). Scalars and an index rather than
    rows: a row taken out of an array is counted by all threads in one place, and they would wait for each other.
    """
    if direction == 0:
        return across(slabs, s, x0, y0, z0, dx, dy, dz, u, v)
    if direction == 1:
        return across(slabs, s, y0, x0, z0, dy, dx, dz, u, v)
    return along(slabs, s, x0, y0, z0, dx, dy, dz, u, v)


@njit(cache=True, error_model="numpy")
def first_through(starts, deltas, tools, slabs, cutting, point):
    """The first motion (n rows) whose cutter sweeps over a point; −1 when none does. cutting (tools, 2): slab range."""
    x, y, z = point[0], point[1], point[2]
    for i in range(len(starts)):
        for s in range(cutting[tools[i], 0], cutting[tools[i], 1]):
            met, lo, hi = along(
                slabs, s, starts[i, 0], starts[i, 1], starts[i, 2], deltas[i, 0], deltas[i, 1], deltas[i, 2], x, y
            )
            if met and lo <= z <= hi:
                return i
    return -1
