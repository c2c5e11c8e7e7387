"""The time law: trapezoids of speed under per-axis speed and acceleration, with look-ahead over whole runs.

Three passes over a run of cutting motions (the classic look-ahead, as in any textbook on motion control):

    junction   the speed at which the corner between two motions may be run: the jump of every axis's speed stays
               below what its acceleration makes in the corner time
    backward   from the end, v_in ≤ √(v_out² + 2·a·s): every motion can still be braked
    forward    from the start, the same for speeding up

then every motion is a trapezoid (or triangle) from v_in over v_peak to v_out.
"""

import math

import numpy as np

from ..compiled import njit


@njit(cache=True)
def trapezoid(length, v_in, v_out, v_max, accel):
    """Peak speed and duration of one move from v_in to v_out; lengths mm, speeds mm/s."""
    if length <= 0.0:
        return v_in, 0.0
    peak = math.sqrt(max(0.0, accel * length + 0.5 * (v_in * v_in + v_out * v_out)))
    peak = max(min(peak, v_max), v_in, v_out)
    ramps = (2.0 * peak * peak - v_in * v_in - v_out * v_out) / (2.0 * accel)
    time = (2.0 * peak - v_in - v_out) / accel
    if peak > 0.0:
        time += max(0.0, length - ramps) / peak
    return peak, time


@njit(cache=True)
def time_law(length, v_limit, accel, tangent_in, tangent_out, links, axis_accel, corner_seconds):
    """Speeds and durations of n path motions.

    length, v_limit, accel (n,); tangents (n, k): axis change per mm at start and end; links (n,): True where a
    motion may run on into the next one without a stop. Returns v_in, v_out, v_peak, duration, each (n,).
    Motions of no length take no time and pass the speed through.
    """
    n = length.size
    k = axis_accel.size
    v_in, v_out = np.zeros(n), np.zeros(n)
    v_peak, duration = np.zeros(n), np.zeros(n)
    # Junction speed at the end of each motion towards the next one that has a length.
    before = -1
    for i in range(n):
        if length[i] <= 0.0:
            if before >= 0 and not links[i]:
                before = -1
            continue
        if before >= 0 and links[before]:
            v = min(v_limit[before], v_limit[i])
            for axis in range(k):
                jump = abs(tangent_out[before, axis] - tangent_in[i, axis])
                if jump > 1e-12:
                    v = min(v, axis_accel[axis] * corner_seconds / jump)
            v_out[before] = v
            v_in[i] = v
        before = i
    following = 0.0
    linked = -1
    for i in range(n - 1, -1, -1):
        if length[i] <= 0.0:
            continue
        if linked >= 0 and v_out[i] > 0.0:
            v_out[i] = min(v_out[i], following)
        v_in[i] = min(v_in[i], math.sqrt(v_out[i] * v_out[i] + 2.0 * accel[i] * length[i]))
        following = v_in[i]
        linked = i
    before = -1
    for i in range(n):
        if length[i] <= 0.0:
            continue
        if before >= 0:
            v_in[i] = min(v_in[i], v_out[before])
        v_out[i] = min(v_out[i], math.sqrt(v_in[i] * v_in[i] + 2.0 * accel[i] * length[i]))
        v_peak[i], duration[i] = trapezoid(length[i], v_in[i], v_out[i], v_limit[i], accel[i])
        before = i
    return v_in, v_out, v_peak, duration


@njit(cache=True)
def way_at(time, length, v_in, v_out, v_peak, accel, duration):
    """How far along its length a motion is, `time` after its start."""
    if time >= duration:
        return length
    up = (v_peak - v_in) / accel
    if time <= up:
        return v_in * time + 0.5 * accel * time * time
    down = (v_peak - v_out) / accel
    left = duration - time
    if left <= down:
        return length - (v_out * left + 0.5 * accel * left * left)
    return 0.5 * (v_in + v_peak) * up + v_peak * (time - up)


@njit(cache=True)
def time_at(way, length, v_in, v_out, v_peak, accel, duration):
    """The inverse of `way_at`: when a motion has come `way` along its length."""
    if way >= length:
        return duration
    if way <= 0.0:
        return 0.0
    up = (v_peak - v_in) / accel
    up_way = 0.5 * (v_in + v_peak) * up
    if way <= up_way:
        return (math.sqrt(v_in * v_in + 2.0 * accel * way) - v_in) / accel
    down_way = 0.5 * (v_out + v_peak) * (v_peak - v_out) / accel
    left = length - way
    if left <= down_way:
        return duration - (math.sqrt(v_out * v_out + 2.0 * accel * left) - v_out) / accel
    return up + (way - up_way) / v_peak


@njit(cache=True)
def moments_of_ramps(laws, tolerance, first, times, shares):
    """Moments between which a motion taken as even leaves its law by less than `tolerance` (mm): a chord of a ramp stands off by
    a·dt²/8, what lies between the ramps is even.

    laws (n, 6): as `way_at` takes them. first (n + 1,): with times of no length it is filled, so that those of motion i stand from
    first[i] on, its end the last of them; else times and the shares of its length done by then are.
    """
    for i in range(len(laws)):
        length, v_in, v_out, v_peak, accel, whole = laws[i]
        step = math.sqrt(8.0 * tolerance / accel)
        place, last = first[i], 0.0
        for ramp in range(2):
            seconds = (v_peak - v_in) / accel if ramp == 0 else (v_peak - v_out) / accel
            begin = 0.0 if ramp == 0 else whole - seconds
            count = max(1, math.ceil(seconds / step))
            for k in range(count + 1):
                at = k * ((whole - begin if ramp else seconds) / count) + begin
                at = min(max(np.rint(at * 1e12) / 1e12, 0.0), whole)
                if at <= last:
                    continue
                if len(times):
                    times[place], shares[place] = at, way_at(at, length, v_in, v_out, v_peak, accel, whole) / length
                place, last = place + 1, at
        place = max(place, first[i] + 1)
        if len(times):
            times[place - 1], shares[place - 1] = whole, 1.0
        else:
            first[i + 1] = place
