"""What a block does beside moving: tools, spindle, coolant, the machine's own codes, registers written by the program."""

from __future__ import annotations

from ..job.models import MachineCode
from . import feeds, fixes, places
from .interpreted import Act
from .meanings import MEANINGS
from .motions import OTHER, TOOL_CHANGE
from .reader import Block
from .run import Ended
from .words import Words
from .writer import Writer

PLACE_MM = 0.01  # nearer than this an axis counts as at its change position
_TURNS = {"spindle-cw": 1, "spindle-ccw": -1, "spindle-off": 0, "orient": 0}


# --- tools ----------------------------------------------------------------------------------------------------------------


def tool_words(run: Writer, words: Words, block: Block) -> None:
    if "T" in words:
        run.control.next_tool = round(words.value["T"])
    if "change" in words.m:
        _change_tool(run, block)
    elif "tool-number" in words.m:
        if "Q" not in words:
            run.report(
                "syntax.missing", "M61 needs the number of the tool: Q", remedy="Write Q with the tool's number."
            )
        else:
            take_tool(run, round(words.value["Q"]), block)


def _change_tool(run: Writer, block: Block) -> None:
    control, setup = run.control, run.setup
    if setup.change_moves:
        run.to_axes({a: v for a, v in setup.change_at.items() if control.index(a) >= 0})
    else:
        check_change_place(run, "tool change away from the change position")
    if control.next_tool is None:
        run.report("tool.no-number", "M6 without a tool: no T was given before", remedy="Write the tool's T word.")
        return
    take_tool(run, control.next_tool, block)
    if not setup.change_keeps_spindle:
        control.spindle = 0  # it is oriented for the change, and stands until the next M3 or M4
        _run_up(run, control.addressed, 0.0)
    run.add(TOOL_CHANGE, control.machine, seconds=setup.change_seconds)


def _keep_frame(run: Writer) -> None:
    """A tool frame that is on goes over to another work or tool, unless X, Y and Z do not span space there: then it is given up."""
    control = run.control
    if control.framed and control.solver is None:
        run.not_carried_out(
            f"tip control or a tilted plane over {control.works or 'this work'}, where X, Y and Z do not span space"
        )
        control.tip_control, control.tilt, control.dynamic = "", None, False


def take_tool(run: Writer, number: int, block: Block) -> None:
    """A tool comes into use: what was asked of the last one is asked again."""
    if run.control.compensation != "compensation-off":
        run.report("compensation.left-on", "the tool is changed while cutter compensation is on",
                   remedy=f"Cancel it with {run.dialect.code_of('compensation-off')} on a straight move.")  # fmt: skip
        run.give_up_compensation()
    run.control.tool = number
    _keep_frame(run)
    run.told -= {"length", "no tool", "spindle", "speed"}
    run.rapid_level = None
    run.approach = None
    run.cut_since_change = False
    if number and number not in run.setup.tools:
        known = ", ".join(f"T{n}" for n in sorted(run.setup.tools)[:12])
        run.report("tool.unknown", f"T{number} is not in the tool table; what it cuts is not verified",
                   remedy=f"Add T{number} to the table, or call one that it has ({known or 'it is empty'}).")  # fmt: skip
        run.told |= {"length"}  # nothing can be said of the length of a tool that is not there
    run.result.operations.append((run.builder.count, run.at, number, " ".join(block.comments)))


def check_change_place(run: Writer, what: str) -> None:
    for axis, value in run.setup.change_at.items():
        index = run.control.index(axis)
        if index >= 0 and abs(run.control.machine[index] - value) > PLACE_MM:
            stands = run.control.machine[index]
            home = run.setup.references.get(1, {}).get(axis, 0.0)
            fix = None
            if abs(home - value) <= PLACE_MM and not run.dialect.turning:
                lines = f"G91 G28 {axis}0." + ("\nG90" if run.control.absolute else "")
                fix = fixes.insert_line(run, run.at, lines, f"Send {axis} home before line {run.at}")
            run.report(
                "tool.place",
                f"{what}: {axis} stands at {stands:.3f}, the change is at {value:.3f}",
                amount=abs(stands - value), axis=axis, fix=fix,
                remedy=f"Send {axis} to the change position first, for example G91 G28 {axis}0.",
            )  # fmt: skip


# --- spindle, coolant, the machine's codes --------------------------------------------------------------------------------


def speed(run: Writer, words: Words) -> None:
    control = run.control
    own = [run.setup.codes[code] for code in words.own if code in run.setup.codes]
    if any(act.does == "spindle" and act.spindle != control.addressed for act in own):
        return  # it is that spindle's
    if run.dialect.turning and "speed-limit" in words.g:
        return  # it is the limit's own
    value = abs(words.value["S"])
    if control.surface_speed is not None and "fixed-speed" not in words.g:
        control.surface_speed = value * (0.3048 if control.inch else 1.0)  # feet or metres a minute
        return
    control.speed = value
    run.told.discard("speed")
    most = run.setup.max_rpm
    if most and value > most:
        run.report("speed.machine", f"S{value:g} is above the machine's {most:g} rev/min", amount=value - most,
                   remedy=f"Lower S to {most:g}, or choose a machine with a faster spindle.",
                   fix=fixes.replace_word(run, "S", most, f"Lower S to {most:g}"))  # fmt: skip


def speed_limit(run: Writer, words: Words) -> None:
    """Turning: the spindle's limit with S; with axis words the present point is called by them."""
    if "S" in words:
        run.control.speed_limit = abs(words.value["S"])
    if any(letter in words for letter in "XYZCUVW"):
        places.set_position(run, words)
    elif "S" not in words:
        run.report(
            "syntax.missing", "neither a speed limit (S) nor a position is given", remedy="Write S, or the axes."
        )


def spindle_and_coolant(run: Writer, words: Words) -> None:
    control, coolant = run.control, run.control.coolant
    turning = [name for name in words.m if name in _TURNS]
    for name in words.m:
        if name in _TURNS:
            control.spindle = _TURNS[name]
            if control.spindle:
                run.told -= {"spindle", "speed"}
        elif MEANINGS[name].group == "coolant":
            control.coolant = name
        elif name == "rigid":
            control.rigid = True
    if turning[-1:] in (["spindle-off"], ["orient"]):
        control.rigid = False
    if run.setup.spindles and (turning or "S" in words):
        _tell_speed(run)
    if turning or "S" in words:
        _run_up(run, control.addressed, _turns_at(run))
    if control.coolant != coolant:
        _spend(run, "coolant", run.setup.coolant_seconds)
    for code in words.own:
        _machine_code(run, code, words)


def _turns_at(run: Writer) -> float:
    """The signed speed that the spindle addressed is to turn at where the slide stands; a driven tool's is nobody's to wait for here."""
    control = run.control
    if control.live:
        return control.running.get(control.addressed, 0.0)
    column = control.index("X")
    return control.spindle * (feeds.rpm_at(run, control.machine[column]) if column >= 0 else control.speed)


def _run_up(run: Writer, name: str, speed: float) -> None:
    """A spindle goes to another speed, and the program waits for it, where the machine says how fast it does."""
    running, ramp = run.control.running, run.setup.ramps.get(name)
    if ramp:
        _spend(run, "spindle", abs(speed - running.get(name, 0.0)) / ramp)
        running[name] = speed


def _spend(run: Writer, on: str, seconds: float) -> None:
    if seconds > 0.0:
        run.result.spent[run.builder.count] = on
        run.add(OTHER, run.control.machine, seconds=seconds)


def _act(run: Writer, kind: str, name: str, value: float = 0.0, other: str = "") -> None:
    run.result.acts.append(Act(kind, run.builder.count, name, run.row_line or run.at, run.text.name, value, other))


def _tell_speed(run: Writer) -> None:
    """The spindle addressed has been started, stopped or given another speed."""
    control = run.control
    if not control.live:
        _act(run, "spindle", control.addressed, control.spindle * control.speed)


def _named_spindle(run: Writer, act: MachineCode, words: Words) -> None:
    """A code of the machine starts or stops a spindle by name, with the S of its own block or the speed it had."""
    control = run.control
    name = act.spindle or ""
    if name == control.addressed:
        control.spindle = act.turns
        run.told -= {"spindle", "speed"}
        _tell_speed(run)
        _run_up(run, name, _turns_at(run))
        return
    speed = abs(words.value["S"]) if "S" in words else control.others.get(name, (0, 0.0))[1]
    most = run.setup.spindles[name].max_rpm
    if most and speed > most:
        run.report("speed.machine", f"S{speed:g} is above the {most:g} rev/min of {name}", amount=speed - most,
                   remedy=f"Lower S to {most:g}.", fix=fixes.replace_word(run, "S", most, f"Lower S to {most:g}"))  # fmt: skip
    control.others[name] = act.turns, speed
    _run_up(run, name, act.turns * speed)
    _act(run, "spindle", name, act.turns * speed)


def _grip(run: Writer, act: MachineCode) -> None:
    control, grip = run.control, run.setup.grips[act.grip or ""]
    _act(run, act.does, grip.name, act.most or 0.0)
    seconds = 0.0 if act.does == "push" else grip.seconds
    if act.waits and seconds:
        run.add(OTHER, control.machine, seconds=seconds)


def _machine_code(run: Writer, code: str, words: Words) -> None:
    control = run.control
    act = run.setup.codes.get(code)
    if act is None:
        return  # a wait mark: at the end of the block
    if act.does == "spindle":
        _named_spindle(run, act, words)
    elif act.does == "address":
        if act.spindle != control.addressed:
            control.address(act.spindle or "")
            run.told -= {"spindle", "speed"}
            _keep_frame(run)
    elif act.does == "sync":
        follower, leader = act.spindles or ("", "")
        _act(run, "sync", follower, other=leader)
    elif act.does == "unsync":
        _act(run, "unsync", "")
    elif act.does in ("close", "open", "push"):
        _grip(run, act)
    elif act.does == "live":
        control.live = act.turns
        run.told -= {"spindle", "speed"}
    elif act.does == "move" and control.index(act.axis or "") >= 0:
        assert act.axis and act.to is not None
        run.to_axes({act.axis: act.to})
    elif act.does in ("clamp", "unclamp"):
        assert act.axis
        (control.clamped.add if act.does == "clamp" else control.clamped.discard)(act.axis)
    if act.seconds:
        run.add(OTHER, control.machine, seconds=act.seconds)


# --- alarms and registers ---------------------------------------------------------------------------------------------------


def alarm(run: Writer, key: int | str, value: float | None, comments: tuple[str, ...]) -> None:
    """#3000 raises an alarm, #3006 stops with a message."""
    text = " ".join(comments) or f"number {value:g}" if value is not None else " ".join(comments)
    if key == 3006:
        run.result.stops.append((run.builder.count, f"M0 {text}".strip()))
        return
    run.report("macro.alarm", f"the program raises its own alarm: {text}", remedy="Put right what the macro asks for.")
    raise Ended


def data(run: Writer, words: Words) -> None:
    """G10: write work offsets and registers from the program.

    L2 P0–P6 (0 the common one), L20 P1… the further ones; in the o-word language L20 makes the present point the value
    given and L1 the tool table. L10 length and L11 its wear, L12 radius and L13 its wear.
    """
    control = run.control
    kind = round(words.value.get("L", -1.0))
    number = round(words.value.get("P", -1.0))
    if kind in (2, 20):
        _data_offset(run, words, kind, number)
    elif kind in (10, 11, 12, 13) and not run.dialect.o_words:
        if "R" not in words or number < 1:
            run.report("syntax.missing", f"G10 L{kind} needs the register P and its value R", remedy="Write P and R.")
            return
        table = control.lengths if kind < 12 else control.radii
        entry = table.setdefault(number, [0.0, 0.0])
        column = kind % 2
        value = run.length(words, "R")
        entry[column] = value if control.absolute else entry[column] + value
    elif kind == 1 and run.dialect.o_words and number >= 1:
        if "Z" in words:
            control.lengths[number] = [run.scaled(words, "Z"), 0.0]
        if "R" in words:
            control.radii[number] = [run.length(words, "R"), 0.0]
    elif kind < 0 and run.dialect.turning and number >= 0:
        _turning_register(run, words, number)
    else:
        run.not_carried_out(f"G10 L{kind if kind >= 0 else '?'}")
    run.registers_written()


def _data_offset(run: Writer, words: Words, kind: int, number: int) -> None:
    control = run.control
    present = kind == 20 and run.dialect.o_words
    if kind == 20 and not present:
        name = f"G54.1P{number}"
    elif number == 0:
        name = control.work_offset if run.dialect.o_words else "EXT"
    elif 1 <= number <= 9 and (number <= 6 or run.dialect.o_words):
        name = f"G{53 + number}" if number <= 6 else f"G59.{number - 6}"
    else:
        run.report("syntax.missing", f"G10 L{kind} needs P: which offset is meant", remedy="Write P0 to P6.")
        return
    held = control.work_offsets.setdefault(name, {})
    for axis, value in run.axes(words).items():
        if present:
            # The present point gets the value given under this offset.
            base = sum(shift.get(axis, 0.0) for shift in (control.local_shift, control.shift, control.geometry))
            length = control.length_applied if axis == "Z" else 0.0
            held[axis] = control.machine[control.index(axis)] - base - length - value
        else:
            held[axis] = value if control.absolute else held.get(axis, 0.0) + value
    run.told.discard(("offset", name))


def _turning_register(run: Writer, words: Words, number: int) -> None:
    """G10 P X Z R: P1… geometry, P10001… wear of a turning tool's register; U W add."""
    register = number % 10_000
    held: dict[str, float] = dict(run.geometry.get(register, {}))
    for letter, axis, adds in (("X", "X", False), ("Z", "Z", False), ("U", "X", True), ("W", "Z", True)):
        if letter in words:
            value = run.scaled(words, letter)
            held[axis] = held.get(axis, 0.0) + value if adds or number > 10_000 else value
    run.geometry[register] = held
    if run.register == register:
        run.control.geometry = held
