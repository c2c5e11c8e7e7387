"""A block made ready to be carried out: its codes turned into meanings, once for each block of the text.

plan     what a block is, whatever the state: its meanings, its values as far as they are literal, what is wrong with it
words    what the block says this time: the plan with every expression worked out
plain    a block of axis words, I J K R and F with nothing but G0 to G3, G90 and G91: what most blocks are
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from .dialect import Dialect, code_name
from .expressions import Expression
from .meanings import ARCS, CYCLES, Meaning
from .reader import Block, Word

AXIS_LETTERS = frozenset("XYZUVWABC")
LENGTH_LETTERS = frozenset("XYZUVWABCIJKRQD")  # a bare number here is counted in increments when the job says so

# Letters that have a meaning only beside one of these; the others belong to motions, feed, speed, tool and registers.
_CYCLE_LETTERS = frozenset("RQPKLIJ")
_CONSUMES: dict[str, frozenset[str]] = {
    **dict.fromkeys(CYCLES, _CYCLE_LETTERS | {"E"}),
    **dict.fromkeys(ARCS, frozenset("IJKR")),
    "dwell": frozenset("PXUF"), "data": frozenset("LPRQDIJK"), "home-other": frozenset("P"), "offset-more": frozenset("P"),
    "tilt": frozenset("IJKPQR"), "rotate": frozenset("RIJK"), "scale": frozenset("PIJK"), 
    "tip-vector": frozenset("IJK"), "thread": frozenset("KQEP"), "thread-growing": frozenset("KQE"),
    "call": frozenset("PLQ"), "return": frozenset("P"), "continuous": frozenset("PQ"), "exact-path": frozenset("PQ"),
    "finish-contour": frozenset("PQ"), "rough-along": frozenset("PQUWRDFST"), "rough-across": frozenset("PQUWRDFST"),
    "rough-repeat": frozenset("PQUWRIKDFST"), "peck-face": frozenset("PQRIKDU"), "peck-side": frozenset("PQRIKDU"),
    "thread-passes": frozenset("PQRIJKHELDA"), "tool-number": frozenset("Q"), "length-value": frozenset("IJK"),
    "cylinder": frozenset("C"), "speed-limit": frozenset("SQ"), "compensation-left": frozenset("IJKD"),
    "compensation-right": frozenset("IJKD"), "set-position": frozenset("S"),
    "probe": frozenset("P"), "skip": frozenset("P"), "surface-speed": frozenset("PD"),
    "orient": frozenset("R"), "rigid": frozenset("P"),
}  # fmt: skip
BOUND = ("macro", "macro-modal")  # these take every letter as an argument
# Letters of a macro call → local variables (the usual assignment; I J K may come again: the second I is #7, …).
ARGUMENTS = {
    "A": 1, "B": 2, "C": 3, "I": 4, "J": 5, "K": 6, "D": 7, "E": 8, "F": 9, "H": 11, "M": 13, "Q": 17, "R": 18, "S": 19,
    "T": 20, "U": 21, "V": 22, "W": 23, "X": 24, "Y": 25, "Z": 26,
}  # fmt: skip


@dataclass(frozen=True)
class Wrong:
    """Something wrong with a block as it stands. `rule` is of the catalogue."""

    rule: str
    message: str
    severity: str | None = None
    remedy: str = ""
    surplus: str = ""  # a code that can be taken out of the block without changing what it does


@dataclass(slots=True)
class Words:
    """One block's words: meanings of its codes in the order written, the other letters' values as written."""

    g: tuple[str, ...] = ()
    m: tuple[str, ...] = ()
    own: tuple[str, ...] = ()  # codes that the machine binds, "M33"
    value: Mapping[str, float] = field(default_factory=dict)
    bare: frozenset[str] = frozenset()
    unsure: bool = False  # a code that is not carried out stands here: the block's motion is not known

    @property
    def named(self) -> list[str]:
        """Words that name an axis itself: "X2="."""
        return [letter for letter in self.value if letter[-1] == "="]

    def __contains__(self, letter: str) -> bool:
        return letter in self.value

    def without(self, letters: str) -> Words:
        kept = {k: v for k, v in self.value.items() if k not in letters}
        return Words(self.g, self.m, self.own, kept, self.bare, self.unsure)


@dataclass(slots=True)
class Plan:
    """`words` of a literal block are worked out once, when they are first asked for; for a plain block hardly ever.

    `moving`: axis letter, value or expression, whether bare; `centre`: the same of I J K and R.
    """

    block: Block | None  # None for a scanned line that nothing has asked for more than its plain plan
    literal: bool = True
    empty: bool = False
    plain: bool = False
    motion: str = ""
    absolute: bool | None = None
    moving: tuple[tuple[str, float | Expression, bool], ...] = ()
    centre: tuple[tuple[str, float | Expression, bool], ...] = ()
    feed: float | Expression | None = None
    classified: bool = False
    words: Words | None = None  # None once classified: not to be carried out
    wrong: tuple[Wrong, ...] = ()

    def classify(self, dialect: Dialect, bound: frozenset[str]) -> None:
        """`bound`: the machine's own codes, "M33"."""
        assert self.block
        items: list[tuple[str, float, Word]] = [(word.letter, word.value, word) for word in self.block.words]  # type: ignore[misc]
        words, self.wrong, broken = classify(items, dialect, bound)
        self.words = None if broken else words
        self.classified = True


def make_plan(block: Block) -> Plan:
    if not (block.words or block.assignments or block.flow or block.percent):
        return Plan(block, empty=True)
    plan = Plan(block, all(word.literal for word in block.words))
    if not (block.assignments or block.flow or block.skip or block.program is not None):
        _find_plain(plan, block)
    return plan


def plan_of_columns(letters: list[int], values: list[float], decimals: list[int]) -> Plan | None:
    """The plan of a line that the scanner took, where it is a plain one: made without making its block."""
    moving: list[tuple[str, float | Expression, bool]] = []
    centre: list[tuple[str, float | Expression, bool]] = []
    motion, feed, seen, number = "", None, 0, True
    absolute = None
    for letter, value, places in zip(letters, values, decimals, strict=True):
        if letter == _G:
            if value in _PLAIN_CODES and not motion:
                motion = _PLAIN_CODES[value]
            elif (value == 90.0 or value == 91.0) and absolute is None:
                absolute = value == 90.0
            else:
                return None
            number = False
            continue
        if letter == _N:
            if not number:
                return None
            continue
        number = False
        bit = 1 << (letter - _A)
        if seen & bit:
            return None
        seen |= bit
        if bit & _AXIS_BITS:
            moving.append((_CHARACTERS[letter], value, places < 0))
        elif bit & _CENTRE_BITS:
            centre.append((_CHARACTERS[letter], value, places < 0))
        elif letter == _F:
            feed = value
        else:
            return None
    return Plan(None, True, False, True, motion, absolute, tuple(moving), tuple(centre), feed)


_A, _F, _G, _N = (ord(letter) for letter in "AFGN")
_CHARACTERS = {code: chr(code) for code in range(ord("A"), ord("Z") + 1)}
_AXIS_BITS = sum(1 << (ord(letter) - _A) for letter in AXIS_LETTERS)
_CENTRE_BITS = sum(1 << (ord(letter) - _A) for letter in "IJKR")
_PLAIN_CODES = {0.0: "rapid", 1.0: "line", 2.0: "arc-cw", 3.0: "arc-ccw"}


def _find_plain(plan: Plan, block: Block) -> None:
    moving: list[tuple[str, float | Expression, bool]] = []
    centre: list[tuple[str, float | Expression, bool]] = []
    letters = ""
    for letter, value, decimals, literal in block.words:
        if letter == "G":
            if value in _PLAIN_CODES and not plan.motion:
                plan.motion = _PLAIN_CODES[value]
            elif (value == 90.0 or value == 91.0) and plan.absolute is None:
                plan.absolute = value == 90.0
            else:
                return
            continue
        if letter in letters:
            return
        if letter in AXIS_LETTERS:
            moving.append((letter, value, literal and decimals < 0))
        elif letter in "IJKR":
            centre.append((letter, value, literal and decimals < 0))
        elif letter == "F":
            plan.feed = value
        else:
            return
        letters += letter
    plan.moving, plan.centre = tuple(moving), tuple(centre)
    plan.plain = True


def classify(
    items: list[tuple[str, float, Word]], dialect: Dialect, bound: frozenset[str]
) -> tuple[Words, tuple[Wrong, ...], bool]:
    """The words of a block with their values known; what is wrong with it; whether it must not be carried out."""
    g: list[str] = []
    m: list[str] = []
    own: list[str] = []
    value: dict[str, float] = {}
    bare: set[str] = set()
    wrong: list[Wrong] = []
    groups: dict[str, tuple[Meaning, str]] = {}
    unsure = False
    for letter, number, word in items:
        if letter in "GM":
            name, meaning, fault = _meaning(letter, number, dialect, bound)
            if fault:
                wrong.append(fault)
                unsure = unsure or fault.rule == "word.not-carried"
                continue
            if meaning is None:
                own.append(name)
                continue
            if meaning.group:
                before = groups.get(meaning.group)
                if before and before[0] is not meaning:
                    wrong.append(Wrong("word.group", f"{before[1]} and {name} are both of the {meaning.group} group; the later "
                                       "one is taken", remedy=f"Leave {before[1]} or {name} out.", surplus=before[1]))  # fmt: skip
                groups[meaning.group] = (meaning, name)
            (g if letter == "G" else m).append(meaning.name)
        elif letter in value:
            # Several I J K are arguments of a macro call; anywhere else a letter stands once.
            if letter in "IJK" and any(name in BOUND for name in g):
                extra = next(n for n in range(2, 12) if f"{letter}{n}" not in value)
                value[f"{letter}{extra}"] = number
                continue
            wrong.append(
                Wrong("syntax.twice", f"{letter} is given twice", remedy=f"Leave one of the two {letter} words out.")
            )
            return Words(), tuple(wrong), True
        else:
            value[letter] = number
            if word.literal and word.decimals < 0:
                bare.add(letter)
    return Words(tuple(g), tuple(m), tuple(own), value, frozenset(bare), unsure), tuple(wrong), False


def _meaning(
    letter: str, number: float, dialect: Dialect, bound: frozenset[str]
) -> tuple[str, Meaning | None, Wrong | None]:
    tenths = round(number * 10)
    whole = letter == "G" or tenths % 10 == 0
    name = code_name(letter, tenths)
    if abs(tenths - number * 10) > 1e-6 or not whole:
        return (
            name,
            None,
            Wrong("word.unknown", f"{letter}{number:g} is not a code of this dialect; it was passed over"),
        )
    if name in bound:
        return name, None, None
    meaning = dialect.g.get(tenths) if letter == "G" else dialect.m.get(tenths // 10)
    if meaning is not None:
        return name, meaning, None
    if name in dialect.known:
        told = f"{name} ({dialect.known[name]}): not carried out; what follows cannot be trusted"
        return name, None, Wrong("word.not-carried", told)
    return name, None, Wrong("word.unknown", f"{name} is not a code of this dialect; it was passed over",
                             remedy=f"Remove {name}, or give it a meaning in the dialect or the machine file.")  # fmt: skip


def idle_letters(
    words: Words, motion: str, cycle: str, tip_vector: bool, turning: bool, comma: bool = True
) -> list[str]:
    """Letters that nothing in the block gives a meaning to. `motion` and `cycle` are those in force in it."""
    if any(name in BOUND for name in words.g) or words.own:
        return []
    served: set[str] = set("FSTHDN")
    for name in (*words.g, *words.m, *((cycle,) if cycle else (motion,))):
        served |= _CONSUMES.get(name, frozenset())
    if tip_vector:
        served |= set("IJK")
    idle = []
    for letter in words.value:
        if letter in served or letter in AXIS_LETTERS or letter[-1] == "=":
            continue
        if letter[0] == "," and motion in ("line", "arc-cw", "arc-ccw"):
            continue
        idle.append(letter)
    return idle


def arguments(words: Words) -> dict[int | str, float]:
    """Local variables of a macro call by its letters."""
    given: dict[int | str, float] = {}
    for letter, value in words.value.items():
        if letter in ARGUMENTS:
            given[ARGUMENTS[letter]] = value
        elif letter[0] in "IJK" and letter[1:].isdigit():
            given[ARGUMENTS[letter[0]] + 3 * (int(letter[1:]) - 1)] = value
    return given


def axis_letters(words: Words, dialect: Dialect) -> list[str]:
    """The letters that may be axes. In code system A of turning U V W H are increments; the A of a threading cycle is the
    thread's angle."""
    letters = [letter for letter in words.value if letter in AXIS_LETTERS]
    if not dialect.turning:
        return letters
    if dialect.increment_letters:
        letters = [letter for letter in letters if letter not in "UVW"]
    return [letter for letter in letters if letter != "A" or "thread-passes" not in words.g]
