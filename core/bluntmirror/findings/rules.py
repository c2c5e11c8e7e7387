"""The rules of the program check: each one thing that can be wrong with a program, with an example that breaks it.

rule       a stable id, `group.matter`; what it finds is reported under a kind of the catalogue
example    blocks that break the rule and nothing else, after EXAMPLE_HEAD (or a head of their own)
better     the same, put right: nothing is reported

A rule can be switched off, made a caution or made a stop, for an organisation or a job; the verdict says which ran and how.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from .catalogue import CATALOGUE, Severity

Setting = Literal["off", "caution", "stop"]

EXAMPLE_HEAD = "T1 M6\nG54 G0 X0. Y0.\nS3000 M3\nG43 H1 Z50.\n"


@dataclass(frozen=True)
class Rule:
    """`fixed`: the rule cannot be switched off, since what follows its finding is not verified."""

    id: str
    kind: str
    severity: Severity
    title: str
    meaning: str
    remedy: str
    example: str
    better: str
    head: str = EXAMPLE_HEAD
    dialect: str = "iso-mill"
    fixed: bool = False


_TURN_HEAD = "T0101\nG0 X60. Z5.\nG97 S800 M3\n"
_RULES: list[Rule] = []


def _rule(id: str, kind: str, severity: Severity, title: str, meaning: str, remedy: str, example: str, better: str,
          head: str = EXAMPLE_HEAD, dialect: str = "iso-mill", fixed: bool = False) -> None:  # fmt: skip
    _RULES.append(Rule(id, kind, severity, title, meaning, remedy, example, better, head, dialect, fixed))


_rule(
    "syntax",
    "program.syntax",
    "stop",
    "Unreadable block",
    "The reader cannot make words of the block: a bad number, a letter without one, an unclosed bracket or comment.",
    "Correct the block; the column shown is where reading stopped.",
    "G0 X1.2.3",
    "G0 X1.23",
    fixed=True,
)
_rule(
    "syntax.twice",
    "program.syntax",
    "stop",
    "Letter given twice",
    "One letter stands twice in a block; which of the two counts differs from control to control.",
    "Leave one of them out, or make two blocks.",
    "G0 X1. X2.",
    "G0 X2.",
    fixed=True,
)
_rule(
    "syntax.missing",
    "program.syntax",
    "stop",
    "A code lacks what it needs",
    "A code stands without the word that tells it how far, how long or which.",
    "Add the word that is named.",
    "G4",
    "G4 P500",
    fixed=True,
)
_rule(
    "syntax.after-end",
    "program.syntax",
    "caution",
    "Text after the end",
    "Blocks stand after the end of the program that nothing reaches.",
    "Delete them, or move the end behind them.",
    "G0 Z100.\nM30\nG0 X5.",
    "G0 X5.\nG0 Z100.\nM30",
)
_rule(
    "word.unknown",
    "program.word",
    "caution",
    "Unknown code",
    "A code that neither the dialect nor the machine file knows; it is passed over.",
    "Remove the code, or give it a meaning in the dialect or the machine file.",
    "M77",
    "M8\nM9",
)
_rule(
    "word.not-carried",
    "program.word",
    "stop",
    "Code not carried out",
    "A code that the trade knows but that is not carried out here: what follows it cannot be trusted.",
    "Write it in another way, or verify this stretch by other means.",
    "G60 X5.",
    "G0 X5.",
    fixed=True,
)
_rule(
    "word.group",
    "program.word",
    "caution",
    "Two codes of one group",
    "Two codes of one modal group in a block: only the later one is in force.",
    "Leave one of them out.",
    "G0 G1 X5. F200",
    "G1 X5. F200",
)
_rule(
    "word.idle",
    "program.word",
    "caution",
    "Word without a meaning here",
    "A word that nothing in its block gives a meaning to: often a code left out before it.",
    "Remove the word, or add the code it belongs to.",
    "G0 X5. Q2.",
    "G0 X5.",
)
_rule(
    "word.axis",
    "program.word",
    "stop",
    "No such axis",
    "A word for an axis that the channel does not have: its motion is missing.",
    "Choose a machine with that axis, or take the word out.",
    "G0 A10.",
    "G0 X10.",
    fixed=True,
)
_rule(
    "arc.radii",
    "program.arc",
    "stop",
    "Arc that does not close",
    "Start and end lie on different circles about the centre.",
    "Correct the end point or I J K; check the post's number of decimals.",
    "G2 X10. Y0. I3. J0. F200",
    "G2 X6. Y0. I3. J0. F200",
    fixed=True,
)
_rule(
    "arc.centre",
    "program.arc",
    "stop",
    "Arc without centre or radius",
    "An arc with neither I J K nor R.",
    "Give the centre or the radius.",
    "G2 X10. Y0. F200",
    "G2 X10. Y0. R5. F200",
    fixed=True,
)
_rule(
    "arc.reach",
    "program.arc",
    "stop",
    "Radius too small for the arc",
    "The end is farther away than a circle of this radius reaches.",
    "Raise R to half the distance at least.",
    "G2 X10. Y0. R4. F200",
    "G2 X10. Y0. R5. F200",
    fixed=True,
)
_rule(
    "arc.chord",
    "program.arc",
    "stop",
    "Radius without a way",
    "With R the end must differ from the start: the circle through one point is not determined.",
    "Write a full circle with I J K.",
    "G2 X0. Y0. R5. F200",
    "G2 X0. Y0. I5. F200",
    fixed=True,
)
_rule(
    "arc.scaled",
    "program.arc",
    "stop",
    "Arc under unequal scaling",
    "Scaled by unequal factors, or turned out of its plane, a circle is none.",
    "Give equal factors.",
    "G51 X0. Y0. I2. J1.\nG2 X10. Y0. R5. F200\nG50",
    "G51 X0. Y0. P2.\nG2 X10. Y0. R5. F200\nG50",
    fixed=True,
)
_rule(
    "arc.plane",
    "program.arc",
    "stop",
    "Arc in a plane that the channel lacks",
    "The plane in force has an axis that this channel does not have.",
    "Choose the plane of the arc's axes.",
    "G17 G2 X50. R5. F0.1",
    "G18 G2 X50. Z0. R5. F0.1",
    head=_TURN_HEAD,
    dialect="iso-turn",
    fixed=True,
)
_rule(
    "call.missing",
    "program.call",
    "stop",
    "Subprogram missing",
    "A subprogram or macro that is not among the job's files.",
    "Add its file, or correct the number.",
    "M98 P7777",
    "G0 X5.",
    fixed=True,
)
_rule(
    "call.label",
    "program.call",
    "stop",
    "Jump target missing",
    "A jump to a block number that the program does not have.",
    "Number the block that is meant.",
    "GOTO 70",
    "GOTO 70\nN70",
    fixed=True,
)
_rule(
    "call.loop",
    "program.call",
    "stop",
    "Loop without its end",
    "DO without END, END without DO, or loops that overlap.",
    "Pair every DO with the END of its number, inner loops inside.",
    "#1=1\nWHILE [#1 LT 3] DO1\n#1=#1+1",
    "#1=1\nWHILE [#1 LT 3] DO1\n#1=#1+1\nEND1",
    fixed=True,
)
_rule(
    "call.no-return",
    "program.call",
    "caution",
    "Subprogram without a return",
    "The subprogram's text ends without M99.",
    "Add M99 at its end.",
    "M98 P8000\nM30\nO8000\nG0 X5.",
    "M98 P8000\nM30\nO8000\nG0 X5.\nM99",
)
_rule(
    "jump.twice",
    "program.call",
    "caution",
    "Block number twice",
    "A jump's target number stands more than once: which one is reached depends on where the jump stands.",
    "Give every jump target a number of its own.",
    "GOTO 70\nN70\nN70 G0 X5.",
    "GOTO 70\nN71\nN70 G0 X5.",
)
_rule(
    "macro.error",
    "program.macro",
    "stop",
    "Macro error",
    "An expression that cannot be worked out: division by zero, a root of less than nothing, a variable that is not there.",
    "Correct the expression, or set the variable before.",
    "#1=1/0",
    "#1=1/2",
    fixed=True,
)
_rule(
    "macro.vacant",
    "program.macro",
    "caution",
    "Vacant variable read",
    "A variable that was never set counts as 0 in a sum.",
    "Set it before it is used.",
    "G0 X[#101+5]",
    "#101=1.\nG0 X[#101+5]",
)
_rule(
    "macro.alarm",
    "program.macro",
    "stop",
    "Programmed alarm",
    "The program stops itself with #3000.",
    "Put right what the macro asks for.",
    "#3000=1 (WRONG SIZE)",
    "#1=1",
    fixed=True,
)
_rule(
    "macro.clock",
    "program.macro",
    "caution",
    "Clock read",
    "A clock is read, which stands at 0 in the rehearsal: what depends on it may go another way on the floor.",
    "Verify both ways, or do without the clock.",
    "#1=#3001",
    "#1=0",
)
_rule(
    "endless.limit",
    "program.endless",
    "stop",
    "More blocks than the limit",
    "Loops, jumps and calls carried out more blocks than the limit of the job.",
    "Give the loop an end, or raise the limit if the program is really that long.",
    "#1=1\nWHILE [#1 GT 0] DO1\n#1=#1+1\nEND1",
    "#1=1\nWHILE [#1 LT 9] DO1\n#1=#1+1\nEND1",
    fixed=True,
)
_rule(
    "endless.cycle",
    "program.endless",
    "stop",
    "A cycle without end in sight",
    "A cycle that repeats itself, its holes, its pecks or its passes, more often than any real one would.",
    "Correct the count, the step or the depth of the cycle.",
    "G81 Z-2. R2. L200000 F200",
    "G81 Z-2. R2. L2 F200\nG80",
    fixed=True,
)
_rule(
    "end.missing",
    "program.end",
    "stop",
    "No end",
    "The text is at its end, but the program is not: neither M2, M30 nor M99 was met. A transfer that broke off looks so.",
    "Transfer the program again, or write M30 at its end.",
    "",
    "",
    fixed=True,
)
_rule(
    "end.nothing",
    "program.end",
    "caution",
    "Moves nothing",
    "The program is carried out to its end, and no axis has moved.",
    "Check that it is the program that is meant, and that it is whole.",
    "",
    "",
)
_rule(
    "endless.state",
    "program.endless",
    "stop",
    "The same state again",
    "The program comes back to a block in the very same state: it will do so for ever.",
    "Give the loop a way out.",
    "N10 G0 X5.\nGOTO 10",
    "N10 G0 X5.",
    fixed=True,
)
_rule(
    "endless.turns",
    "program.endless",
    "stop",
    "More turns than any work needs",
    "Under tip control a motion that turns an axis is replayed in pieces of two degrees; the program asks for more turns than any real one.",
    "Correct the rotary word: its sign, its point, or the turns of a helix.",
    "",
    "",
    fixed=True,
)
_rule(
    "endless.depth",
    "program.endless",
    "stop",
    "Calls nested too deeply",
    "Subprograms call one another without an end.",
    "Take the call out of the circle.",
    "M98 P8000\nM30\nO8000\nM98 P8000\nM99",
    "M98 P8000\nM30\nO8000\nM99",
    fixed=True,
)
_rule(
    "endless.time",
    "program.endless",
    "stop",
    "Reading takes too long",
    "The program was not read to its end within the time allowed.",
    "Shorten it, or raise the limit.",
    "",
    "",
    fixed=True,
)
_rule(
    "compensation.entry",
    "program.compensation",
    "stop",
    "Compensation begins on an arc",
    "Cutter compensation must begin on a straight move.",
    "Enter on a straight move longer than the radius.",
    "G1 X10. Y0. F200\nG41 D1 G3 X20. Y10. R10.\nG1 Y40.\nG40 G1 Y50.",
    "G1 X10. Y0. F200\nG41 D1 G1 X20. Y0.\nG1 Y40.\nG40 G1 Y60.",
    fixed=True,
)
_rule(
    "compensation.exit",
    "program.compensation",
    "stop",
    "Compensation ends on an arc",
    "Cutter compensation must end on a straight move.",
    "Leave on a straight move.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG40 G3 X10. Y50. R10.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG40 G1 X10.",
    fixed=True,
)
_rule(
    "compensation.narrow",
    "program.compensation",
    "stop",
    "Too narrow for the tool",
    "An inside corner, gap or arc smaller than the tool's radius: the tool cannot follow the path.",
    "Use a smaller tool, or open the corner.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG1 X18.\nG1 Y0.\nG40 G1 X0.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG1 X-20.\nG1 Y0.\nG40 G1 X0.",
    fixed=True,
)
_rule(
    "compensation.plane",
    "program.compensation",
    "stop",
    "Plane changed under compensation",
    "The plane is changed while cutter compensation is on.",
    "Cancel it first.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG18\nG1 X0.\nG40 G1 X-20.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG40 G1 X0.\nG18\nG17",
    fixed=True,
)
_rule(
    "compensation.register",
    "program.compensation",
    "stop",
    "Compensation without a register",
    "G41 or G42 with no D ever given: the radius is 0.",
    "Write D beside it.",
    "G41 G1 X20. Y0. F200\nG1 Y40.\nG40 G1 X0.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG40 G1 X0.",
)
_rule(
    "compensation.other",
    "program.compensation",
    "caution",
    "Another tool's radius",
    "The D register is not the tool's own and holds another radius.",
    "Write the tool's own D, if no other is meant.",
    "G41 D2 G1 X20. Y0. F200\nG1 Y40.\nG40 G1 X0.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG40 G1 X0.",
)
_rule(
    "compensation.look-ahead",
    "program.compensation",
    "caution",
    "Too many moves out of the plane",
    "More moves in a row without a way in the plane than a control looks past: it cuts into the corner, or raises an alarm.",
    "Bring the moves out of the plane together, or put them before the compensation.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG1 Z49.\nG1 Z48.\nG1 Z47.\nG1 X0.\nG40 G1 X-20.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG1 Z47.\nG1 X0.\nG40 G1 X-20.",
)
_rule(
    "compensation.interrupted",
    "program.compensation",
    "stop",
    "Compensation interrupted",
    "A reference position, machine coordinates, a shift of coordinates or a cycle while cutter compensation is on.",
    "Cancel it with G40 on a straight move before.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG28 Z60.\nG0 X0.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG40 G1 X0.\nG28 Z60.",
    fixed=True,
)
_rule(
    "compensation.left-on",
    "program.compensation",
    "caution",
    "Compensation left on",
    "The program, or the tool, ends while cutter compensation is on.",
    "Cancel it with G40 on a straight move.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.",
    "G41 D1 G1 X20. Y0. F200\nG1 Y40.\nG40 G1 X0.",
)
_rule(
    "corner.size",
    "program.syntax",
    "stop",
    "Corner larger than its moves",
    "A chamfer or rounding takes more of a move than the move is long.",
    "Make it smaller.",
    "G1 X56. Z2. F0.2\nG1 X50. ,R9.\nG1 Z-5.",
    "G1 X56. Z2. F0.2\nG1 X50. ,R1.\nG1 Z-5.",
    head=_TURN_HEAD,
    dialect="iso-turn",
    fixed=True,
)
_rule(
    "corner.alone",
    "program.syntax",
    "caution",
    "Corner without a second move",
    "A chamfer or rounding after which no straight move follows.",
    "Write the move that it goes round to.",
    "G1 X50. Z2. F0.2 ,C1.",
    "G1 X50. Z2. F0.2 ,C1.\nG1 Z-20.",
    head=_TURN_HEAD,
    dialect="iso-turn",
)
_rule(
    "corner.arc",
    "program.word",
    "stop",
    "Corner beside an arc",
    "A chamfer or rounding between moves of which one is an arc is not carried out.",
    "Write its end points.",
    "G1 X50. Z2. F0.2\nG1 Z-10. ,R1.\nG2 X56. Z-13. R3.",
    "G1 X50. Z2. F0.2\nG1 Z-10.\nG2 X56. Z-13. R3.",
    head=_TURN_HEAD,
    dialect="iso-turn",
    fixed=True,
)
_rule(
    "corner.angle",
    "program.syntax",
    "stop",
    "Angle without an end",
    "A move given by its angle, whose end nothing determines.",
    "Give a coordinate, or the next move's angle and end.",
    "G1 ,A135. F0.2\nG1 X50.",
    "G1 Z-10. ,A135. F0.2\nG1 X100.",
    head=_TURN_HEAD,
    dialect="iso-turn",
    fixed=True,
)
_rule(
    "cycle.missing",
    "program.syntax",
    "stop",
    "Cycle lacks a word",
    "A cycle without the depth, R level, peck or other word that it needs.",
    "Write it into the cycle's first block.",
    "G83 Z-10. R2. F100\nG80",
    "G83 Z-10. R2. Q3. F100\nG80",
    fixed=True,
)
_rule(
    "cycle.level",
    "program.syntax",
    "stop",
    "R level below the depth",
    "Feed would begin below where it is to end.",
    "Put R above the work and Z below it.",
    "G81 Z5. R2. F100\nG80",
    "G81 Z-5. R2. F100\nG80",
    fixed=True,
)
_rule(
    "cycle.contour",
    "program.syntax",
    "stop",
    "Contour that cannot be roughed",
    "The contour of a roughing cycle has no moves, or turns back along the passes.",
    "Let it run one way from its first block to its last.",
    "G71 U2. R0.5\nG71 P10 Q20 U0.5 W0.1 F0.2\nN10 G0 X20.\nG1 Z-20.\nG1 X30. Z-10.\nN20 G1 X60.",
    "G71 U2. R0.5\nG71 P10 Q20 U0.5 W0.1 F0.2\nN10 G0 X20.\nG1 Z-20.\nG1 X30. Z-30.\nN20 G1 X60.",
    head=_TURN_HEAD,
    dialect="iso-turn",
    fixed=True,
)
_rule(
    "cycle.pocket",
    "program.syntax",
    "stop",
    "Pocket in a simple roughing cycle",
    "The contour falls back across the passes; a roughing cycle takes pockets only when its first block names both axes.",
    "Name both axes in the contour's first block, where the control has this form.",
    "G71 U2. R0.5\nG71 P10 Q20 U0.5 W0.1 F0.2\nN10 G0 X30.\nG1 Z-20.\nG1 X24. Z-24.\nN20 G1 X60. Z-40.",
    "G71 U2. R0.5\nG71 P10 Q20 U0.5 W0.1 F0.2\nN10 G0 X30. Z5.\nG1 Z-20.\nG1 X24. Z-24.\nN20 G1 X60. Z-40.",
    head=_TURN_HEAD,
    dialect="iso-turn",
)
_rule(
    "thread.surface-speed",
    "program.thread",
    "caution",
    "Thread under constant surface speed",
    "The spindle would change its speed within the thread.",
    "Cut threads at a fixed speed: G97 S.",
    "G96 S100\nG92 X48. Z-20. F1.5",
    "G92 X48. Z-20. F1.5",
    head=_TURN_HEAD,
    dialect="iso-turn",
)
_rule(
    "thread.lead",
    "program.thread",
    "stop",
    "Lead shrinks to nothing",
    "A thread of changing lead whose lead comes to 0 before its end.",
    "Shorten it, or lower K.",
    "G34 Z-60. F2. K-0.2",
    "G34 Z-20. F2. K0.1",
    head=_TURN_HEAD,
    dialect="iso-turn",
    fixed=True,
)
_rule(
    "thread.run-in",
    "program.thread",
    "caution",
    "Run-in too short",
    "The slide needs more way to come to the thread's speed than it has before the work: the first turns have a wrong pitch.",
    "Begin the thread farther off, or lower the spindle speed.",
    "",
    "",
)
_rule(
    "length.none",
    "program.length",
    "stop",
    "No length offset",
    "The tool moves into the work with no length offset active.",
    "Call G43 with the tool's H before the approach.",
    "Z50.\nG1 Z-1. F200",
    "G43 H1 Z50.\nG1 Z-1. F200",
    head="T1 M6\nG54 G0 X0. Y0.\nS3000 M3\n",
)
_rule(
    "length.other",
    "program.length",
    "stop",
    "Another tool's length offset",
    "The tool moves into the work with the length of another tool.",
    "Write the tool's own H.",
    "T2 M6\nG0 X0. Y0.\nS3000 M3\nG43 H1 Z50.\nG1 Z-1. F200",
    "T2 M6\nG0 X0. Y0.\nS3000 M3\nG43 H2 Z50.\nG1 Z-1. F200",
)
_rule(
    "feed.none",
    "program.feed",
    "stop",
    "No feed",
    "A cutting move, but no feed has been set.",
    "Give an F word at or before it.",
    "G1 X5.",
    "G1 X5. F200",
)
_rule(
    "feed.zero",
    "program.feed",
    "stop",
    "Feed of nothing",
    "F0, or less than nothing.",
    "Give a feed above 0.",
    "F200\nG1 X5. F0",
    "F200\nG1 X5. F100",
)
_rule(
    "feed.no-speed",
    "program.feed",
    "stop",
    "Feed per revolution without a speed",
    "Feed per revolution, or a thread, while no spindle speed was ever given.",
    "Give an S word.",
    "S0\nG95 G1 X5. F0.1",
    "G95 G1 X5. F0.1",
)
_rule(
    "spindle.still",
    "program.spindle",
    "caution",
    "Feed move with the spindle still",
    "A tool is moved at feed while no spindle turns.",
    "Start the spindle before.",
    "M5\nG1 X5. F200",
    "G1 X5. F200",
)
_rule(
    "spindle.speed",
    "program.spindle",
    "caution",
    "Spindle on without a speed",
    "The spindle is started, but no speed was ever given: it turns as the last program left it.",
    "Give an S word.",
    "G1 X5. F200",
    "S3000\nG1 X5. F200",
    head="T1 M6\nG54 G0 X0. Y0.\nM3\nG43 H1 Z50.\n",
)
_rule(
    "speed.machine",
    "program.speed",
    "caution",
    "Speed above the machine's",
    "A spindle speed that the machine does not reach.",
    "Lower S, or choose a machine with a faster spindle.",
    "S99000",
    "S9000",
)
_rule(
    "speed.surface",
    "program.data",
    "caution",
    "Surface speed beyond the tool's",
    "The cutting edge goes faster than the tool allows.",
    "Lower S.",
    "",
    "",
)
_rule(
    "feed.tooth",
    "program.data",
    "caution",
    "Feed per tooth beyond the tool's",
    "Each edge takes more, or less, than the tool is made for.",
    "Change F or S.",
    "",
    "",
)
_rule(
    "removal.rate",
    "program.data",
    "caution",
    "Removal rate beyond the tool's",
    "The tool takes off more in a minute than its table allows: by its true engagement, as the stock stands.",
    "Lower the feed, or the depth or width of the cut.",
    "",
    "",
)
_rule(
    "tap.pitch",
    "program.data",
    "stop",
    "Feed that is not the tap's pitch",
    "Feed and speed of a tapping cycle do not make the tap's pitch: the thread is torn, or the tap.",
    "F is S times the pitch.",
    "",
    "",
)
_rule(
    "offset.unset",
    "program.offset",
    "caution",
    "Work offset never set",
    "A work offset is used that neither job nor program sets; it counts as 0.",
    "Enter it in the job, or call the one that is meant.",
    "G59 G0 X5.",
    "G54 G0 X5.",
)
_rule(
    "register.unset",
    "program.offset",
    "caution",
    "Register never set",
    "A length, radius or geometry register is used that was never set.",
    "Enter its value, or correct the number.",
    "G43 H77",
    "G43 H1",
)
_rule(
    "register.other",
    "program.offset",
    "caution",
    "Another station's geometry",
    "T calls the geometry register of another station.",
    "Write the station's own register, if no other is meant.",
    "T0102",
    "T0101",
    head="G97 S800 M3\n",
    dialect="iso-turn",
)
_rule(
    "reference.unset",
    "program.offset",
    "caution",
    "Reference position never set",
    "The machine file does not have the reference position asked for.",
    "Give the machine that position, or correct P.",
    "G30 P4 Z0.",
    "G28 Z60.",
)
_rule(
    "tool.unknown",
    "program.tool",
    "stop",
    "Tool not in the table",
    "A tool that the table does not have: what it cuts is not verified.",
    "Add the tool, or correct T.",
    "T77 M6",
    "T2 M6",
    fixed=True,
)
_rule(
    "tool.none",
    "program.tool",
    "stop",
    "No tool in the spindle",
    "A cutting move with no tool.",
    "Call a tool first.",
    "G1 X5. F200",
    "T1 M6\nS900 M3\nG43 H1 Z50.\nG1 X5. F200",
    head="G54\n",
)
_rule(
    "tool.no-number",
    "program.tool",
    "stop",
    "Change without a tool",
    "M6 while no T has been given.",
    "Write the tool's T word.",
    "M6",
    "T1 M6",
    head="",
)
_rule(
    "tool.place",
    "program.tool",
    "stop",
    "Change away from the change position",
    "An axis is not where the machine changes tools.",
    "Send it there first.",
    "T2 M6",
    "G91 G28 Z0.\nG90\nT2 M6",
    head="T1 M6\nG54 G0 X0. Y0.\nS3000 M3\nG43 H1 Z50.\n(CHANGE AT Z0)\n",
)
_rule(
    "tool.station",
    "program.tool",
    "stop",
    "Station out of range",
    "The turret has fewer stations than T asks for.",
    "Call a station that the turret has.",
    "T1919",
    "T0202",
    head="",
    dialect="iso-turn",
)
_rule(
    "order.clamped",
    "program.order",
    "caution",
    "Clamped axis moved",
    "An axis is moved while a clamp code holds it.",
    "Unclamp it first.",
    "M10\nG0 A10.",
    "M10\nM11\nG0 A10.",
    head="(AN AXIS A, M10 CLAMPS IT, M11 FREES IT)\n",
)
_rule(
    "order.below-r",
    "program.order",
    "caution",
    "Rapid below the R level",
    "A rapid across the work below the level at which the tool's own cycles begin to feed.",
    "Raise the tool to R first.",
    "G99 G81 X5. Z-5. R2. F100\nG80\nG1 Z-1.\nG0 X20.",
    "G99 G81 X5. Z-5. R2. F100\nG80\nG0 Z2.\nG0 X20.",
)
_rule(
    "order.change",
    "program.order",
    "caution",
    "Change low beside the work",
    "A tool is changed while the old one stands below the top of the work.",
    "Retract before the change.",
    "",
    "",
)
_rule(
    "order.approach",
    "program.order",
    "caution",
    "Approach low beside the work",
    "A tool comes to the work at rapid below its top.",
    "Approach above the work, then go down.",
    "",
    "",
)
_rule(
    "order.end",
    "program.order",
    "caution",
    "End without a retract",
    "The program ends with the tool below the top of the work.",
    "Retract before the end.",
    "",
    "",
)
_rule(
    "wait.alone",
    "program.wait",
    "stop",
    "Wait mark without a partner",
    "A channel waits at a mark that no other channel reaches: it waits for ever.",
    "Give the partner the same mark.",
    "",
    "",
    fixed=True,
)
_rule(
    "wait.crossed",
    "program.wait",
    "stop",
    "Wait marks in another order",
    "Two channels wait for each other at different marks: neither goes on.",
    "Put the marks into one order.",
    "",
    "",
    fixed=True,
)

RULES: dict[str, Rule] = {rule.id: rule for rule in _RULES}


@dataclass
class Policy:
    """How the rules are set: by rule, for an organisation or a job. What is not named is as the catalogue has it."""

    settings: Mapping[str, Setting] = field(default_factory=dict)

    def of(self, rule: str) -> Setting | None:
        """The setting of a rule, None where it is as it comes. A fixed rule may be made neither milder nor go off."""
        setting = self.settings.get(rule)
        known = RULES.get(rule)
        if setting is None or known is None or (known.fixed and setting != "stop"):
            return None
        return setting

    def changed(self) -> dict[str, Setting]:
        """The settings that do change something."""
        found = {}
        for rule in sorted(self.settings):
            setting = self.of(rule)
            if setting is not None and setting != RULES[rule].severity:
                found[rule] = setting
        return found


def kind_of(name: str) -> str:
    """The kind that a rule reports under; a kind's own name stands for itself. Raises KeyError for neither."""
    return RULES[name].kind if name in RULES else CATALOGUE[name].name
