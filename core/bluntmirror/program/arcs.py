"""The geometry of an arc in its plane: from the words of a block to centre and sweep.

Plain functions on floats, so that the compiled interpreter can take the very same code.
"""

import math

END_TOLERANCE_MM = 0.01  # radius difference between start and end, as the language's table says
HALF_CIRCLE_MM = 0.02  # a chord this little longer than 2R is a half circle whose numbers were rounded

ONE_POINT_MM = 1e-6

OK, RADII_DIFFER, NO_CENTRE, CHORD_TOO_LONG, NO_CHORD = 0, 1, 2, 3, 4


def sweep_of(start_1, start_2, end_1, end_2, centre_1, centre_2, clockwise):  # type: ignore[no-untyped-def]
    """The signed angle from start to end about the centre; a full turn where both are one point.

    One point to within rounding: places are sums and differences of offsets, and no control reads a millionth of a
    millimetre.
    """
    if abs(start_1 - end_1) < ONE_POINT_MM and abs(start_2 - end_2) < ONE_POINT_MM:
        return -2.0 * math.pi if clockwise else 2.0 * math.pi
    a = math.atan2(start_2 - centre_2, start_1 - centre_1)
    b = math.atan2(end_2 - centre_2, end_1 - centre_1)
    turn = (b - a) % (2.0 * math.pi)
    if turn < 1e-12:
        turn = 2.0 * math.pi
    return turn - 2.0 * math.pi if clockwise and turn < 2.0 * math.pi else -turn if clockwise else turn


def arc_by_centre(start_1, start_2, end_1, end_2, offset_1, offset_2, clockwise):  # type: ignore[no-untyped-def]
    """Centre given as an offset from the start (I J K). Returns (status, centre_1, centre_2, sweep, radius gap)."""
    radius = math.hypot(offset_1, offset_2)
    centre_1, centre_2 = start_1 + offset_1, start_2 + offset_2
    if radius < 1e-9:
        return NO_CENTRE, centre_1, centre_2, 0.0, 0.0
    gap = abs(math.hypot(end_1 - centre_1, end_2 - centre_2) - radius)
    sweep = sweep_of(start_1, start_2, end_1, end_2, centre_1, centre_2, clockwise)
    return (RADII_DIFFER if gap > END_TOLERANCE_MM else OK), centre_1, centre_2, sweep, gap


def arc_by_radius(start_1, start_2, end_1, end_2, radius, clockwise):  # type: ignore[no-untyped-def]
    """Radius given (R); negative means the arc of more than 180°. Returns as `arc_by_centre`.

    The centre stands off the chord's middle by √(R² − (c/2)²), to the left of the chord for a minor arc
    counter-clockwise, to the right for a clockwise one; the other way round for the major arc.
    """
    chord_1, chord_2 = end_1 - start_1, end_2 - start_2
    chord = math.hypot(chord_1, chord_2)
    if chord < 1e-9:
        return NO_CHORD, start_1, start_2, 0.0, 0.0
    excess = chord - 2.0 * abs(radius)
    if excess > HALF_CIRCLE_MM or radius == 0.0:
        return CHORD_TOO_LONG, start_1, start_2, 0.0, excess
    height = math.sqrt(max(0.0, radius * radius - 0.25 * chord * chord))
    side = -1.0 if clockwise == (radius > 0.0) else 1.0
    centre_1 = 0.5 * (start_1 + end_1) - side * height * chord_2 / chord
    centre_2 = 0.5 * (start_2 + end_2) + side * height * chord_1 / chord
    return OK, centre_1, centre_2, sweep_of(start_1, start_2, end_1, end_2, centre_1, centre_2, clockwise), 0.0
