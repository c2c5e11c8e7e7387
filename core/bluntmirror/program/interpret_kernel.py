"""The compiled twin of the plain interpreter, for runs of plain G0–G3 blocks.

It decides before it touches any state and never reports: at the first block it has any doubt about it stops, and the
plain interpreter takes that block. All modal state it depends on lives in its arrays.
"""

from __future__ import annotations

import numpy as np

from ..compiled import njit
from . import arcs
from .motions import ARC, FEED, RAPID
from .writer import Writer

sweep_of = njit(cache=True)(arcs.sweep_of)

MOTIONS = ("rapid", "line", "arc-cw", "arc-ccw")  # in the order of their codes, G0 to G3
CHUNK = 65_536  # lines a call: keeps the tick alive and the scratch columns small


@njit(cache=True)
def _by_centre(start_1, start_2, end_1, end_2, offset_1, offset_2, clockwise):
    radius = np.hypot(offset_1, offset_2)
    centre_1, centre_2 = start_1 + offset_1, start_2 + offset_2
    if radius < 1e-9:
        return False, centre_1, centre_2, 0.0
    gap = abs(np.hypot(end_1 - centre_1, end_2 - centre_2) - radius)
    sweep = sweep_of(start_1, start_2, end_1, end_2, centre_1, centre_2, clockwise)
    return gap <= 0.01, centre_1, centre_2, sweep


@njit(cache=True)
def interpret(
    line, stop, word_begin, letters, values, decimals, flags,
    state, offset, unit, bare_increment, plane,
    kind, line_out, end, feed, plane_out, centre, sweep_out, sense,
):  # fmt: skip
    """Carry out plain lines from `line` up to `stop`. Returns (next line, motions written).

    state (6,): x, y, z in machine mm, feed mm/min, motion code (tenths), 1.0 for G90. offset (3,): machine minus
    program. sense (n,): the modal motion and distance mode after each motion, motion·2 + absolute.
    """
    count = 0
    word = np.empty(26, np.float64)
    given = np.empty(26, np.bool_)
    first = np.array([0, 2, 1])[plane]
    second = np.array([1, 0, 2])[plane]
    bare_unit = 0.001 if unit == 1.0 else 0.0001
    while line < stop:
        if flags[line] == 0:
            line += 1
            continue
        if flags[line] != 1:
            break
        given[:] = False
        motion = state[4]
        absolute = state[5]
        doubt = False
        motion_codes = 0
        distance_codes = 0
        seen_other = False
        for w in range(word_begin[line], word_begin[line + 1]):
            letter = letters[w] - 65
            value = values[w]
            if letter == 13:  # N
                if seen_other:
                    doubt = True
                    break
                continue
            seen_other = True
            if letter == 6:  # G
                if value == 0.0 or value == 1.0 or value == 2.0 or value == 3.0:
                    motion = value * 10.0
                    motion_codes += 1
                elif value == 90.0 or value == 91.0:
                    absolute = 1.0 if value == 90.0 else 0.0
                    distance_codes += 1
                else:
                    doubt = True
                    break
                continue
            # X Y Z, I J K, R, F
            if not (23 <= letter <= 25 or 8 <= letter <= 10 or letter == 17 or letter == 5) or given[letter]:
                doubt = True
                break
            if letter != 5:
                if bare_increment and decimals[w] < 0:
                    value *= bare_unit
                value *= unit
            word[letter] = value
            given[letter] = True
        if doubt or motion_codes > 1 or distance_codes > 1:
            break
        arc_words = given[8] or given[9] or given[10] or given[17]
        moves = given[23] or given[24] or given[25]
        is_arc = motion >= 20.0
        if arc_words and not is_arc:
            break
        new_feed = state[3]
        if given[5]:
            if word[5] <= 0.0:
                break
            new_feed = word[5] * unit
        x, y, z = state[0], state[1], state[2]
        target = (
            (word[23] + offset[0] if absolute == 1.0 else (x - offset[0]) + word[23] + offset[0]) if given[23] else x,
            (word[24] + offset[1] if absolute == 1.0 else (y - offset[1]) + word[24] + offset[1]) if given[24] else y,
            (word[25] + offset[2] if absolute == 1.0 else (z - offset[2]) + word[25] + offset[2]) if given[25] else z,
        )
        if is_arc and (moves or arc_words):
            here = (x, y, z)
            clockwise = motion == 20.0
            if given[17]:
                break
            # The word of the plane's first and second axis: I J K stand for X Y Z.
            offset_1 = word[8 + first] if given[8 + first] else 0.0
            offset_2 = word[8 + second] if given[8 + second] else 0.0
            fine, c1, c2, sweep = _by_centre(
                here[first], here[second], target[first], target[second], offset_1, offset_2, clockwise
            )
            if not fine:
                break
            kind[count] = ARC
            centre[count, 0] = c1
            centre[count, 1] = c2
            sweep_out[count] = sweep
        elif moves:
            kind[count] = RAPID if motion == 0.0 else FEED
            centre[count, 0] = 0.0
            centre[count, 1] = 0.0
            sweep_out[count] = 0.0
        state[3] = new_feed
        state[4] = motion
        state[5] = absolute
        line += 1
        if moves or (is_arc and arc_words):
            state[0], state[1], state[2] = target
            end[count, 0], end[count, 1], end[count, 2] = target
            feed[count] = 0.0 if motion == 0.0 else new_feed
            line_out[count] = line
            plane_out[count] = plane if is_arc else 0
            sense[count] = np.int64(motion) * 2 + np.int64(absolute)
            count += 1
    return line, count


def run_plain(run: Writer, before: int) -> bool:
    """Carry out as many plain blocks as the kernel takes, up to the line `before`; True when it took at least one."""
    control, text = run.control, run.text
    axes = run.setup.axes
    xyz = [axes.index(name) for name in "XYZ"]
    began = run.at
    stop = min(int(text.run_end[run.at]), run.at + CHUNK, before)
    lines = stop - run.at
    state = np.array(
        [
            *(control.machine[i] for i in xyz),
            control.feed,
            MOTIONS.index(control.motion) * 10.0,
            float(control.absolute),
        ]
    )
    kind, line_out = np.empty(lines, np.uint8), np.empty(lines, np.int32)
    end, feed = np.empty((lines, 3)), np.empty(lines)
    plane_out, centre, sweep = np.empty(lines, np.uint8), np.empty((lines, 2)), np.empty(lines)
    sense = np.empty(lines, np.int64)
    plane = control.plane
    run.at, count = interpret(
        run.at, stop, text.word_begin, text.letters, text.values, text.decimals, text.flags,
        state, np.array([control.offset(name) for name in "XYZ"]), control.unit, run.setup.bare_increment, plane,
        kind, line_out, end, feed, plane_out, centre, sweep, sense,
    )  # fmt: skip
    if run.at == began:
        return False
    run.result.blocks += run.at - began
    if count:
        full = np.tile(np.array(control.machine), (count, 1))
        full[:, xyz] = end[:count]
        # One snapshot for each combination of modal motion and distance mode met.
        codes = np.empty(count, np.int32)
        for value in np.unique(sense[:count]):
            control.motion, control.absolute = MOTIONS[int(value) // 20], bool(value % 2)
            codes[sense[:count] == value] = run.snapshot()
        run.builder.chunk(
            {
                "kind": kind[:count], "file": np.full(count, run.file, np.int16), "line": line_out[:count], "end": full,
                "feed": feed[:count], "rpm": np.full(count, control.rpm, np.float32),
                "tool": np.full(count, control.tool, np.int32), "exact": np.zeros(count, np.bool_),
                "plane": plane_out[:count], "centre": centre[:count], "sweep": sweep[:count],
                "seconds": np.zeros(count), "snapshot": codes, "in_frame": np.zeros(count, np.bool_),
                "way": np.zeros(count),
            }
        )  # fmt: skip
    for i, column in enumerate(xyz):
        control.machine[column] = float(state[i])
    control.feed, control.motion, control.absolute = float(state[3]), MOTIONS[int(state[4]) // 10], bool(state[5])
    if run.tick:
        run.tick(run.at / len(text))
    return True
