"""Six rotary joints in a row: which values bring the end body to a pose, in closed form and by Newton's method.

    e(ξ₁ q₁) · … · e(ξ₆ q₆) · g(0) = g   ⇒   e₁ … e₆ = A = g · g(0)⁻¹

Closed form, for a wrist whose three axes meet in one point p and a second and third axis that are parallel (Paden and Kahan's
subproblems; Pieper 1968; Murray, Li & Sastry, ch. 3, from memory):

    q₁  the wrist centre A p keeps its height along u₂, which only q₁ can give it: a·cos q₁ − b·sin q₁ = c
    q₃  in the plane square to u₂ two bars of known length reach a known distance: the law of cosines
    q₂  turns the two bars onto the wrist centre
    q₄ q₅  R₄ R₅ u₆ = what is left of the direction of the last axis: where two cones meet
    q₆  turns what is left

Three square roots have two signs each: eight roots, numbered 4·s₁ + 2·s₃ + s₅. Along a way that passes no singular pose the root
stays the same.

Rows of `geometry`: the six directions (0–5), points on the axes (6–11), the upward direction (12), the front (13), the wrist centre, or
what is nearest to one (15): all with every joint at zero, seen from the body that the first axis stands on. In row 14 first the
value of the fifth joint at which its neighbours align, degrees.
"""

import math

import numpy as np

from ..compiled import njit

UP, FRONT, ALIGNED, WRIST = 12, 13, 14, 15
ROOTS = 8
HAIR = 1e-9
DONE_MM, DONE_RAD = 1e-9, 1e-12
MOST_STEPS = 40


@njit(cache=True, nogil=True)
def rotate(u, cosine, sine, x, y, z):
    """A vector turned about a unit vector u (3,)."""
    dot = (u[0] * x + u[1] * y + u[2] * z) * (1.0 - cosine)
    return (
        x * cosine + (u[1] * z - u[2] * y) * sine + u[0] * dot,
        y * cosine + (u[2] * x - u[0] * z) * sine + u[1] * dot,
        z * cosine + (u[0] * y - u[1] * x) * sine + u[2] * dot,
    )


@njit(cache=True, nogil=True)
def angle_about(u, ax, ay, az, bx, by, bz):
    """The angle that turns the part of a square to u to that of b."""
    da, db = u[0] * ax + u[1] * ay + u[2] * az, u[0] * bx + u[1] * by + u[2] * bz
    ax, ay, az = ax - da * u[0], ay - da * u[1], az - da * u[2]
    bx, by, bz = bx - db * u[0], by - db * u[1], bz - db * u[2]
    cross = u[0] * (ay * bz - az * by) + u[1] * (az * bx - ax * bz) + u[2] * (ax * by - ay * bx)
    return math.atan2(cross, ax * bx + ay * by + az * bz)


@njit(cache=True, nogil=True)
def bars_of(geometry):
    """The two bars from the second axis to the third and from there to the wrist centre, in the plane square to u₂: their vectors, their lengths
    and the angle from the first to the second. The same for every pose."""
    u2, o2, o3, p = geometry[1], geometry[7], geometry[8], geometry[WRIST]
    lx, ly, lz = o3[0] - o2[0], o3[1] - o2[1], o3[2] - o2[2]
    height = u2[0] * lx + u2[1] * ly + u2[2] * lz
    lx, ly, lz = lx - height * u2[0], ly - height * u2[1], lz - height * u2[2]
    mx, my, mz = p[0] - o3[0], p[1] - o3[1], p[2] - o3[2]
    height = u2[0] * mx + u2[1] * my + u2[2] * mz
    mx, my, mz = mx - height * u2[0], my - height * u2[1], mz - height * u2[2]
    l, m = math.sqrt(lx * lx + ly * ly + lz * lz), math.sqrt(mx * mx + my * my + mz * mz)
    return lx, ly, lz, mx, my, mz, l, m, angle_about(u2, lx, ly, lz, mx, my, mz)


@njit(cache=True, nogil=True)
def degrees_of(value):
    """Radians as degrees in (−180, 180]."""
    degrees = math.degrees(value)
    if degrees < 0.0 and degrees > -360.0:  # a remainder takes as long as a sine
        degrees += 360.0
    elif degrees < 0.0 or degrees >= 360.0:
        degrees %= 360.0
    return degrees - 360.0 if degrees > 180.0 else degrees


@njit(cache=True, nogil=True)
def solve_root(geometry, bars, wanted, root, fourth, q, sines):
    """Fill q (6,), degrees in (−180, 180], with one root for `wanted` (3, 4) = A; False where it has none. `bars`: of `bars_of`; `fourth`: degrees that
    the fourth joint takes where the fourth and sixth axes are one line, so that any would do. Also sines (3,) of the angles from a
    singular pose of wrist, elbow and shoulder."""
    u1, u2, u3, u4, u5, u6 = (geometry[0], geometry[1], geometry[2], geometry[3], geometry[4], geometry[5])
    o1, o2, p = geometry[6], geometry[7], geometry[WRIST]
    s1, s3, s5 = root // 4, (root // 2) % 2, root % 2
    wx = wanted[0, 0] * p[0] + wanted[0, 1] * p[1] + wanted[0, 2] * p[2] + wanted[0, 3]
    wy = wanted[1, 0] * p[0] + wanted[1, 1] * p[1] + wanted[1, 2] * p[2] + wanted[1, 3]
    wz = wanted[2, 0] * p[0] + wanted[2, 1] * p[1] + wanted[2, 2] * p[2] + wanted[2, 3]
    # q1
    vx, vy, vz = wx - o1[0], wy - o1[1], wz - o1[2]
    along = u1[0] * vx + u1[1] * vy + u1[2] * vz
    across = u1[0] * u2[0] + u1[1] * u2[1] + u1[2] * u2[2]
    rx, ry, rz = vx - along * u1[0], vy - along * u1[1], vz - along * u1[2]
    b = u2[0] * rx + u2[1] * ry + u2[2] * rz
    c = u2[0] * (u1[1] * rz - u1[2] * ry) + u2[1] * (u1[2] * rx - u1[0] * rz) + u2[2] * (u1[0] * ry - u1[1] * rx)
    d = u2[0] * (p[0] - o1[0]) + u2[1] * (p[1] - o1[1]) + u2[2] * (p[2] - o1[2]) - along * across
    r = math.hypot(b, c)
    if abs(d) > r * (1.0 + HAIR) + HAIR:
        return False
    lean = math.acos(min(1.0, max(-1.0, d / r))) if r > HAIR else 0.0
    q1 = -math.atan2(c, b) + (lean if s1 == 0 else -lean)
    aside = rx * rx + ry * ry + rz * rz - d * d
    c1, n1 = math.cos(q1), math.sin(q1)
    vx, vy, vz = rotate(u1, c1, -n1, vx, vy, vz)
    # The wrist centre from the second axis, in the plane square to it.
    tx, ty, tz = vx + o1[0] - o2[0], vy + o1[1] - o2[1], vz + o1[2] - o2[2]
    height = u2[0] * tx + u2[1] * ty + u2[2] * tz
    tx, ty, tz = tx - height * u2[0], ty - height * u2[1], tz - height * u2[2]
    lx, ly, lz, mx, my, mz, l, m, opened = bars
    cosine = (tx * tx + ty * ty + tz * tz - l * l - m * m) / (2.0 * l * m)
    if abs(cosine) > 1.0 + HAIR:
        return False
    sines[1] = math.sqrt(max(0.0, 1.0 - cosine * cosine))
    sines[2] = min(1.0, math.sqrt(max(0.0, aside)) / l)
    bend = math.acos(min(1.0, max(-1.0, cosine)))
    turned = (bend if s3 == 0 else -bend) - opened
    same = u3[0] * u2[0] + u3[1] * u2[1] + u3[2] * u2[2]
    q3 = turned if same > 0.0 else -turned
    mx, my, mz = rotate(u2, math.cos(turned), math.sin(turned), mx, my, mz)
    q2 = angle_about(u2, lx + mx, ly + my, lz + mz, tx, ty, tz)
    # What the first three leave of the last axis' direction: R₃ᵀ R₂ᵀ R₁ᵀ A u₆.
    gx = wanted[0, 0] * u6[0] + wanted[0, 1] * u6[1] + wanted[0, 2] * u6[2]
    gy = wanted[1, 0] * u6[0] + wanted[1, 1] * u6[1] + wanted[1, 2] * u6[2]
    gz = wanted[2, 0] * u6[0] + wanted[2, 1] * u6[1] + wanted[2, 2] * u6[2]
    c2, n2 = math.cos(q2 + turned), math.sin(q2 + turned)
    gx, gy, gz = rotate(u1, c1, -n1, gx, gy, gz)
    gx, gy, gz = rotate(u2, c2, -n2, gx, gy, gz)
    # c lies on the cone of u₆ about u₅ and on that of g about u₄.
    cos5 = u5[0] * u6[0] + u5[1] * u6[1] + u5[2] * u6[2]
    cos4 = u4[0] * gx + u4[1] * gy + u4[2] * gz
    between = u4[0] * u5[0] + u4[1] * u5[1] + u4[2] * u5[2]
    square = 1.0 - between * between
    a4, a5 = (cos4 - between * cos5) / square, (cos5 - between * cos4) / square
    left = 1.0 - (a4 * a4 + a5 * a5 + 2.0 * a4 * a5 * between)
    if left < -HAIR:
        return False
    rise = math.sqrt(max(0.0, left) / square) * (1.0 if s5 == 0 else -1.0)
    kx = a4 * u4[0] + a5 * u5[0] + rise * (u4[1] * u5[2] - u4[2] * u5[1])
    ky = a4 * u4[1] + a5 * u5[1] + rise * (u4[2] * u5[0] - u4[0] * u5[2])
    kz = a4 * u4[2] + a5 * u5[2] + rise * (u4[0] * u5[1] - u4[1] * u5[0])
    q5 = angle_about(u5, u6[0], u6[1], u6[2], kx, ky, kz)
    sines[0] = math.sqrt(max(0.0, 1.0 - cos4 * cos4))
    if sines[0] < 1e-9:
        q4 = math.radians(fourth)
    else:
        q4 = angle_about(u4, kx, ky, kz, gx, gy, gz)
    # q6: any direction square to u₆, and where A and the five bring it.
    i = 0 if abs(u6[0]) < 0.6 else 1
    ex, ey, ez = (1.0, 0.0, 0.0) if i == 0 else (0.0, 1.0, 0.0)
    dot = ex * u6[0] + ey * u6[1] + ez * u6[2]
    ex, ey, ez = ex - dot * u6[0], ey - dot * u6[1], ez - dot * u6[2]
    fx = wanted[0, 0] * ex + wanted[0, 1] * ey + wanted[0, 2] * ez
    fy = wanted[1, 0] * ex + wanted[1, 1] * ey + wanted[1, 2] * ez
    fz = wanted[2, 0] * ex + wanted[2, 1] * ey + wanted[2, 2] * ez
    fx, fy, fz = rotate(u1, c1, -n1, fx, fy, fz)
    fx, fy, fz = rotate(u2, c2, -n2, fx, fy, fz)
    fx, fy, fz = rotate(u4, math.cos(q4), -math.sin(q4), fx, fy, fz)
    fx, fy, fz = rotate(u5, math.cos(q5), -math.sin(q5), fx, fy, fz)
    q6 = angle_about(u6, ex, ey, ez, fx, fy, fz)
    for i, value in enumerate((q1, q2, q3, q4, q5, q6)):
        q[i] = degrees_of(value)
    return True


@njit(cache=True, nogil=True)
def solve_all(geometry, wanted, fourth, found, there):
    """All roots of n poses: wanted (n, 3, 4), fourth (n,); fills found (n, 8, 6) and there (n, 8)."""
    bars, sines = bars_of(geometry), np.empty(3)
    for i in range(len(wanted)):
        for root in range(ROOTS):
            there[i, root] = solve_root(geometry, bars, wanted[i], root, fourth[i], found[i, root], sines)


@njit(cache=True, nogil=True)
def solve_one(geometry, wanted, root, fourth, found, there):
    """One root of n poses: fills found (n, 6) and there (n,)."""
    bars, sines = bars_of(geometry), np.empty(3)
    for i in range(len(wanted)):
        there[i] = solve_root(geometry, bars, wanted[i], root, fourth[i], found[i], sines)


@njit(cache=True, nogil=True)
def solve_spins(geometry, left, right, sense, spins, root, found, sine):
    """One root of n poses at several spins each: wanted = left · turned about Z by sense · spin · right.

    left, right (n, 3, 4), spins (n, K) degrees, NaN for none; fills found (n, K, 6) and sine (n, K), that of the angle from the nearest
    singular pose, NaN where there is no solution.
    """
    bars, wanted, sines = bars_of(geometry), np.empty((3, 4)), np.empty(3)
    many = spins.shape[1]
    known, cosines, turns = np.full(many, math.nan), np.empty(many), np.empty(many)
    for i in range(len(left)):
        a, b = left[i], right[i]
        for k in range(many):
            sine[i, k] = math.nan
            if math.isnan(spins[i, k]):
                continue
            if spins[i, k] != known[k]:  # most nodes are asked for the same spins
                angle = math.radians(sense * spins[i, k])
                known[k], cosines[k], turns[k] = spins[i, k], math.cos(angle), math.sin(angle)
            cosine, turn = cosines[k], turns[k]
            for r in range(3):
                x, y = a[r, 0] * cosine + a[r, 1] * turn, a[r, 1] * cosine - a[r, 0] * turn
                for c in range(4):
                    wanted[r, c] = x * b[0, c] + y * b[1, c] + a[r, 2] * b[2, c]
                wanted[r, 3] += a[r, 3]
            if solve_root(geometry, bars, wanted, root, 0.0, found[i, k], sines):
                sine[i, k] = min(sines[0], min(sines[1], sines[2]))


@njit(cache=True, nogil=True)
def turned_by(geometry, q, count, rotation, shift):
    """Fill rotation (3, 3) and shift (3,) with e₁ … e of the first `count` joints, q degrees."""
    for i in range(3):
        shift[i] = 0.0
        for j in range(3):
            rotation[i, j] = 1.0 if i == j else 0.0
    for s in range(count - 1, -1, -1):
        u, o = geometry[s], geometry[6 + s]
        cosine, sine = math.cos(math.radians(q[s])), math.sin(math.radians(q[s]))
        for j in range(3):
            rotation[0, j], rotation[1, j], rotation[2, j] = rotate(
                u, cosine, sine, rotation[0, j], rotation[1, j], rotation[2, j]
            )
        x, y, z = rotate(u, cosine, sine, shift[0] - o[0], shift[1] - o[1], shift[2] - o[2])
        shift[0], shift[1], shift[2] = x + o[0], y + o[1], z + o[2]


@njit(cache=True, nogil=True)
def newton(geometry, wanted, scale, q):
    """Improve q (6,), degrees, until e₁ … e₆ = wanted (3, 4); False where it does not come there. `scale`: mm that count as much as a
    radian. Damped least squares (Levenberg and Marquardt): where a step does not help it is taken shorter."""
    rotation, shift, at = np.empty((3, 3)), np.empty(3), np.empty(3)
    tried = np.empty(6)
    error, jacobian = np.empty(6), np.empty((6, 6))
    damping = 1e-6
    turned_by(geometry, q, 6, rotation, shift)
    here = twist(rotation, shift, wanted, scale, error)
    for _ in range(MOST_STEPS):
        if here < DONE_RAD:
            return True
        # How each joint, as those before it have moved it, turns the body and moves its origin.
        turned_by(geometry, q, 6, rotation, at)
        for s in range(6):
            turned_by(geometry, q, s, rotation, shift)
            u, o = geometry[s], geometry[6 + s]
            ux = rotation[0, 0] * u[0] + rotation[0, 1] * u[1] + rotation[0, 2] * u[2]
            uy = rotation[1, 0] * u[0] + rotation[1, 1] * u[1] + rotation[1, 2] * u[2]
            uz = rotation[2, 0] * u[0] + rotation[2, 1] * u[1] + rotation[2, 2] * u[2]
            ox = rotation[0, 0] * o[0] + rotation[0, 1] * o[1] + rotation[0, 2] * o[2] + shift[0] - at[0]
            oy = rotation[1, 0] * o[0] + rotation[1, 1] * o[1] + rotation[1, 2] * o[2] + shift[1] - at[1]
            oz = rotation[2, 0] * o[0] + rotation[2, 1] * o[1] + rotation[2, 2] * o[2] + shift[2] - at[2]
            jacobian[0, s], jacobian[1, s], jacobian[2, s] = ux, uy, uz
            jacobian[3, s] = (oy * uz - oz * uy) / scale
            jacobian[4, s] = (oz * ux - ox * uz) / scale
            jacobian[5, s] = (ox * uy - oy * ux) / scale
        better = False
        for _ in range(12):
            step = least_squares(jacobian, error, damping)
            for s in range(6):
                tried[s] = q[s] + math.degrees(step[s])
            turned_by(geometry, tried, 6, rotation, shift)
            there = twist(rotation, shift, wanted, scale, error)
            if there < here:
                q[:] = tried
                here, better = there, True
                damping = max(damping * 0.1, 1e-14)
                break
            damping *= 10.0
            turned_by(geometry, q, 6, rotation, shift)
            twist(rotation, shift, wanted, scale, error)
        if not better:
            break
    return here < 1e-9


@njit(cache=True, nogil=True)
def twist(rotation, shift, wanted, scale, error):
    """Fill error (6,) with the turn (radians, as a vector) and the way (mm / scale, at the wanted place's origin) that are left from
    a pose to the wanted one; returns its length."""
    left = np.empty((3, 3))
    for i in range(3):
        for j in range(3):
            left[i, j] = wanted[i, 0] * rotation[j, 0] + wanted[i, 1] * rotation[j, 1] + wanted[i, 2] * rotation[j, 2]
    x, y, z = 0.5 * (left[2, 1] - left[1, 2]), 0.5 * (left[0, 2] - left[2, 0]), 0.5 * (left[1, 0] - left[0, 1])
    sine = math.sqrt(x * x + y * y + z * z)
    angle = math.atan2(sine, 0.5 * (left[0, 0] + left[1, 1] + left[2, 2] - 1.0))
    if sine > 1e-12:
        x, y, z = x * angle / sine, y * angle / sine, z * angle / sine
    elif angle > 1.0:  # half a turn: any axis of it begins the way
        i = 0
        for k in range(1, 3):
            if left[k, k] > left[i, i]:
                i = k
        x, y, z = (angle if i == 0 else 0.0), (angle if i == 1 else 0.0), (angle if i == 2 else 0.0)
    error[0], error[1], error[2] = x, y, z
    for i in range(3):
        error[3 + i] = (wanted[i, 3] - shift[i]) / scale
    total = 0.0
    for i in range(6):
        total += error[i] * error[i]
    return math.sqrt(total)


@njit(cache=True, nogil=True)
def least_squares(jacobian, error, damping):
    """The step (6,) that brings J·step to the error, shortened by `damping`: (JᵀJ + damping) step = Jᵀ error, by Gauss' elimination."""
    matrix = np.empty((6, 7))
    for i in range(6):
        for j in range(6):
            total = 0.0
            for k in range(6):
                total += jacobian[k, i] * jacobian[k, j]
            matrix[i, j] = total + (damping if i == j else 0.0)
        total = 0.0
        for k in range(6):
            total += jacobian[k, i] * error[k]
        matrix[i, 6] = total
    for i in range(6):
        best = i
        for r in range(i + 1, 6):
            if abs(matrix[r, i]) > abs(matrix[best, i]):
                best = r
        if best != i:
            for j in range(7):
                matrix[i, j], matrix[best, j] = matrix[best, j], matrix[i, j]
        if abs(matrix[i, i]) < 1e-300:
            continue
        for r in range(i + 1, 6):
            factor = matrix[r, i] / matrix[i, i]
            for j in range(i, 7):
                matrix[r, j] -= factor * matrix[i, j]
    step = np.zeros(6)
    for i in range(5, -1, -1):
        total = matrix[i, 6]
        for j in range(i + 1, 6):
            total -= matrix[i, j] * step[j]
        step[i] = total / matrix[i, i] if abs(matrix[i, i]) > 1e-300 else 0.0
    return step


@njit(cache=True, nogil=True)
def describe(geometry, q, told):
    """Fill told (5,) for joint values q (6,): whether the shoulder is turned away (1: back), the elbow is down, the wrist is minus; the
    least angle from a singular pose, degrees: of the wrist, and of elbow and shoulder."""
    rotation, shift = np.empty((3, 3)), np.empty(3)
    u1, u2 = geometry[0], geometry[1]
    o1, o2, o3, p = geometry[6], geometry[7], geometry[8], geometry[WRIST]
    up, front = geometry[UP], geometry[FRONT]
    # The wrist centre as the second to fourth joints place it, seen from the first link.
    turned_by(geometry, q, 4, rotation, shift)
    wx = rotation[0, 0] * p[0] + rotation[0, 1] * p[1] + rotation[0, 2] * p[2] + shift[0] - o1[0]
    wy = rotation[1, 0] * p[0] + rotation[1, 1] * p[1] + rotation[1, 2] * p[2] + shift[1] - o1[1]
    wz = rotation[2, 0] * p[0] + rotation[2, 1] * p[1] + rotation[2, 2] * p[2] + shift[2] - o1[2]
    c1, n1 = math.cos(math.radians(q[0])), math.sin(math.radians(q[0]))
    wx, wy, wz = rotate(u1, c1, -n1, wx, wy, wz)
    told[0] = 1.0 if front[0] * wx + front[1] * wy + front[2] * wz < 0.0 else 0.0
    # Upper arm and forearm in the plane square to the second axis.
    lx, ly, lz = rotate(
        u2, math.cos(math.radians(q[1])), math.sin(math.radians(q[1])), o3[0] - o2[0], o3[1] - o2[1], o3[2] - o2[2]
    )
    height = u2[0] * lx + u2[1] * ly + u2[2] * lz
    lx, ly, lz = lx - height * u2[0], ly - height * u2[1], lz - height * u2[2]
    sx, sy, sz = wx + o1[0] - o2[0], wy + o1[1] - o2[1], wz + o1[2] - o2[2]
    height = u2[0] * sx + u2[1] * sy + u2[2] * sz
    sx, sy, sz = sx - height * u2[0], sy - height * u2[1], sz - height * u2[2]
    span2 = sx * sx + sy * sy + sz * sz
    share = (lx * sx + ly * sy + lz * sz) / max(span2, 1e-12)
    ax, ay, az = rotate(u1, c1, -n1, up[0], up[1], up[2])
    told[1] = 1.0 if ax * (lx - share * sx) + ay * (ly - share * sy) + az * (lz - share * sz) < 0.0 else 0.0
    turn = (q[4] - geometry[ALIGNED, 0]) % 360.0
    told[2] = 1.0 if turn > 180.0 else 0.0
    # Angles from singular poses: the fourth and sixth axes in line, the arm stretched, the wrist centre over the first axis.
    u4, u5, u6 = geometry[3], geometry[4], geometry[5]
    kx, ky, kz = rotate(u5, math.cos(math.radians(q[4])), math.sin(math.radians(q[4])), u6[0], u6[1], u6[2])
    cx, cy, cz = u4[1] * kz - u4[2] * ky, u4[2] * kx - u4[0] * kz, u4[0] * ky - u4[1] * kx
    told[3] = math.degrees(math.asin(min(1.0, math.sqrt(cx * cx + cy * cy + cz * cz))))
    fx, fy, fz = sx - lx, sy - ly, sz - lz
    l2, f2 = lx * lx + ly * ly + lz * lz, fx * fx + fy * fy + fz * fz
    cx, cy, cz = ly * fz - lz * fy, lz * fx - lx * fz, lx * fy - ly * fx
    elbow = math.degrees(math.asin(min(1.0, math.sqrt((cx * cx + cy * cy + cz * cz) / max(l2 * f2, 1e-12)))))
    along = u1[0] * wx + u1[1] * wy + u1[2] * wz
    across = u2[0] * wx + u2[1] * wy + u2[2] * wz
    aside = wx * wx + wy * wy + wz * wz - along * along - across * across
    shoulder = math.degrees(math.asin(min(1.0, math.sqrt(max(aside, 0.0) / max(l2, 1e-12)))))
    told[4] = min(elbow, shoulder)


@njit(cache=True, nogil=True)
def describe_all(geometry, q, told):
    """`describe` for n rows: q (n, 6), told (n, 5)."""
    for i in range(len(q)):
        describe(geometry, q[i], told[i])


@njit(cache=True, nogil=True)
def improve_all(geometry, wanted, scale, q, there):
    """`newton` for n rows: wanted (n, 3, 4), q (n, 6); fills there (n,)."""
    for i in range(len(q)):
        there[i] = newton(geometry, wanted[i], scale, q[i])
