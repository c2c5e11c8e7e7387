"""What the program check finds: a word that lacks, a code out of place, a target that is not there."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...findings import Fix
from .. import lines
from ..case import Case
from ..change import Change
from ..proposal import Once, Proposal, inserted, one_line
from .levels import terms
from .order import taken_out

NEXT_LINES = 40  # looked through for a word that the block lacks


def own_fix(case: Case) -> Iterator[Proposal]:
    """What the program check offers itself."""
    fix = case.finding.fix
    if isinstance(fix, Fix):
        yield Once(case, made=Change(fix.title, edits=fix.edits))


def feed(case: Case) -> Iterator[Proposal]:
    """The feed that a block near it has."""
    here = case.here
    if here is None:
        return
    texts = case.texts(here.program)
    others = [*texts[here.line : here.line + NEXT_LINES], *texts[max(here.line - NEXT_LINES, 0) : here.line - 1][::-1]]
    for text in others:
        word = lines.find(text, "F")
        if word and word.value() > 0:
            made = one_line(
                case,
                here,
                lines.add(here.text, f"F{word.text}"),
                f"Line {here.line}: F{word.text}, as in a block beside it",
            )
            if made:
                yield made
            return


def compensation(case: Case) -> Iterator[Proposal]:
    """Compensation off on the last straight move before the block."""
    here = case.here
    if here is None:
        return
    off = case.code("compensation-off")
    for number in range(here.line, max(here.line - NEXT_LINES, 0), -1):
        line = case.line(here.program, number)
        if line is None or not any(lines.find(line.text, name) for name in ("X", "Y")):
            continue
        if any(lines.code(line.text, case.code(code)) for code in ("arc-cw", "arc-ccw")) or lines.code(
            line.text, "G28"
        ):
            continue
        made = one_line(case, line, lines.insert_after_number(line.text, off), f"Line {line.line}: {off}")
        if made:
            yield made
        if number < here.line - 6:
            return


def cycle_word(case: Case) -> Iterator[Proposal]:
    """What a cycle lacks: the peck of another cycle of the program, else one diameter (common practice)."""
    here = case.here
    found = re.search(r"lacks ([A-Z])\b", case.finding.message)
    if here is None or not found or found[1] != "Q":
        return
    pecks = [word.text for text in case.texts(here.program) if (word := lines.find(text, "Q")) and word.value() > 0]
    tool = case.tool
    diameter = getattr(tool[1].cutter, "diameter", None) if tool else None
    value = (
        pecks[0]
        if pecks
        else f"{diameter:g}."
        if diameter and diameter == round(diameter)
        else f"{diameter}"
        if diameter
        else None
    )
    if value:
        made = one_line(case, here, lines.add(here.text, f"Q{value}"), f"Line {here.line}: Q{value}")
        if made:
            yield made


def missing_call(case: Case) -> Iterator[Proposal]:
    """The number of a subprogram or block that is there and nearest to the one asked for; the call taken out."""
    here = case.here
    if here is None:
        return
    asked = re.search(r"\b([NO])(\d+)", case.finding.message)
    if asked and asked[1] == "N":
        there = sorted(
            {int(n) for text in case.texts(here.program) for n in re.findall(r"^\s*N\s*(\d+)", text)},
            key=lambda n: abs(n - int(asked[2])),
        )
        for number in there[:2]:
            new = re.sub(rf"(?<=[PQO])\s*0*{asked[2]}\b", str(number), here.text)
            made = one_line(case, here, new, f"Line {here.line}: N{number} instead of N{asked[2]}")
            if made:
                yield made
    yield from taken_out(case, here)


def vacant(case: Case) -> Iterator[Proposal]:
    """The variable that counts as 0 left out of its sum."""
    here = case.here
    found = re.search(r"#(\d+|<[^>]+>)", case.finding.message)
    if here is None or not found:
        return
    name = re.escape(found[0])
    new = re.sub(rf"\+\s*{name}(?!\d)|(?<![\d\]]){name}(?!\d)\s*\+", "", here.text, count=1)
    if new != here.text:
        made = one_line(case, here, new, f"Line {here.line}: without {found[0]}, which counts as 0")
        if made:
            yield made
    yield from terms(case, here)


def unknown_code(case: Case) -> Iterator[Proposal]:
    """The code that was passed over taken out."""
    here = case.here
    found = re.match(r"([GM]\d+(?:\.\d)?)", case.finding.message)
    if here is None or not found:
        return
    match = lines.code(here.text, found[1])
    if match:
        rest = (here.text[: match.start()].rstrip() + " " + here.text[match.end() :].lstrip()).strip()
        made = one_line(case, here, rest or None, f"Line {here.line}: without {found[1]}")
        if made:
            yield made


def unknown_tool(case: Case) -> Iterator[Proposal]:
    """The call taken out where another follows before anything is cut; a tool that the table has and no line calls."""
    here = case.here
    if here is None:
        return
    yield from taken_out(case, here)
    called = {int(float(word.text)) for text in case.texts(here.program) if (word := lines.find(text, "T"))}
    for tool in case.job.tools.tools:
        if tool.number not in called:
            new = lines.count(here.text, "T", tool.number)
            made = one_line(case, here, new, f"Line {here.line}: T{tool.number}") if new else None
            if made:
                yield made


def spindle(case: Case) -> Iterator[Proposal]:
    """The spindle started, in the cutter's direction, where its speed is given."""
    here = case.line_of(case.row) if case.row >= 0 else case.here
    if here is None:
        return
    tool = case.tool
    left = tool is not None and getattr(tool[1].cutter, "hand", None) == "left"
    codes = [case.code("spindle-cw"), case.code("spindle-ccw")]
    if left:
        codes.reverse()
    if case.row >= 0 and float(case.motions.rpm[case.row]) != 0.0:  # it turns the wrong way: the line that started it
        wrong = codes[1]
        for number in range(here.line, 0, -1):
            line = case.line(here.program, number)
            match = lines.code(line.text, wrong) if line else None
            if line and match:
                new = line.text[: match.start()] + codes[0] + line.text[match.end() :]
                made = one_line(case, line, new, f"Line {line.line}: {codes[0]} instead of {wrong}")
                if made:
                    yield made
                return
        return
    for number in range(here.line, max(here.line - 4 * NEXT_LINES, 0), -1):
        line = case.line(here.program, number)
        if line and lines.find(line.text, "S"):
            for code in codes:
                made = one_line(case, line, lines.add(line.text, code), f"Line {line.line}: {code}")
                if made:
                    yield made
            return
        if line and lines.find(line.text, "T") and number < here.line:
            break
    for code in codes[:1]:
        yield inserted(case, here, code, f"Before line {here.line}: {code}")
