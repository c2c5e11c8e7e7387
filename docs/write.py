"""Writes what the docs say of the code, from the code: JSON Schemas and the catalogue of findings.

Run it from the root of the project: `python docs/write.py`.
"""

import inspect
import json
import sys
import textwrap
from pathlib import Path

from bluntmirror.export.models import VerdictFile
from bluntmirror.findings import CATALOGUE, RULES
from bluntmirror.job.models import JobFile, MachineFile, RouteFile, ToolsFile
from bluntmirror.program import pose_text, system_variables
from bluntmirror.program.dialect import BUILT_IN, DialectFile, Settings, built_in

DOCS = Path(__file__).parent
sys.path.insert(0, str(DOCS))
from fields import described  # noqa: E402 (it stands beside this file, whoever loads it)

MODELS = (
    ("job", JobFile),
    ("route", RouteFile),
    ("machine", MachineFile),
    ("tools", ToolsFile),
    ("verdict", VerdictFile),
    ("dialect", DialectFile),
)


def pages() -> dict[Path, str]:
    """Every file written here, with its content."""
    made = {}
    for name, model in MODELS:
        schema = json.dumps(described(model.model_json_schema()), indent=1, ensure_ascii=False)
        made[DOCS / "formats" / f"{name}.schema.json"] = schema + "\n"
    lines = [
        "# Findings", "", "Every kind of finding, how bad it is by default, what it means and what usually puts it right.",
        "", "| kind | severity | what | meaning | remedy |", "|---|---|---|---|---|",
    ]  # fmt: skip
    lines += [f"| `{k.name}` | {k.severity} | {k.title} | {k.meaning} | {k.remedy} |" for k in CATALOGUE.values()]
    lines += [
        "", "## Rules of the program check", "",
        "Each can be switched off, made a caution or made a stop, for an organisation or a job (`checks.rules`); those marked",
        "*fixed* cannot be made milder, since what follows their finding is not verified. The verdict says which ran.", "",
        "| rule | kind | severity | what | meaning | remedy | example |", "|---|---|---|---|---|---|---|",
    ]  # fmt: skip
    for rule in RULES.values():
        example = (
            "<br>".join(f"`{line}`" for line in rule.example.split("\n"))
            if rule.example
            else "(needs the work beside it)"
        )
        fixed = ", *fixed*" if rule.fixed else ""
        lines.append(f"| `{rule.id}` | `{rule.kind}` | {rule.severity}{fixed} | {rule.title} | {rule.meaning} | {rule.remedy} | "
                     f"{example} |")  # fmt: skip
    made[DOCS / "findings.md"] = "\n".join(lines) + "\n"
    made[DOCS / "language.md"] = language()
    return made


LANGUAGE = """# The NC language

What each dialect's codes mean here, and which test shows it. A dialect is a file (`core/bluntmirror/program/dialects/`,
[schema](formats/dialect.schema.json)) that gives codes their meanings; a control of your own is a file of the same form in the
job's folder, named as the program's `dialect`, that may be `based_on` one of these. A code that is not listed and that the
machine file does not bind is reported (`word.unknown`); the ones under *known* are reported as not carried out, with a stop.

## Pinned

- Order within a block: skip → offsets, planes, units, modes → tool change → spindle → coolant → other M → motion or dwell →
  end-of-block M.
- G28 in G91 with zero goes straight home. G43 H moves nothing by itself; the new length comes in with the next Z. The length
  offset stays over M6.
- Compensation goes round an outside corner on lines that are carried on to where they meet (to a right angle), or by two short
  ones round a sharper corner; `rs274` goes round on an arc. A dialect's setting `outside_corner` chooses.
- Mirror image first, then scaling, then rotation. Scaling factors are plain factors about a point.
- Polar places: under G90 the radius counts from the program's zero, under G91 from the present point.
- Turning: P, Q and D of G74, G75, G76, G71 and Q of G83 without a point are counted in 0.001 mm (common practice). The R of a
  drilling cycle goes from the initial level towards the work. Roughing follows the contour without nose compensation; finishing
  takes it into account.
- `AND`, `OR`, `XOR` work bit by bit; in `rs274` on truth values. FIX cuts towards zero; in `rs274` it rounds down.
- Clocks (#3001, #3002, #3011, #3012) stand at 0, and reading one is reported.

## Programs of poses

A program of an arm may also be a table or a text, by the ending of its file. Either is read line for line as the blocks that say the same, so that
findings, postures and the tape name its own lines. `poses JOB` writes any arm's program as a table.
What would clear a finding by other words or blocks is not offered for them; postures, registers and the set-up are.

`.csv`: a row a move, its columns by the names of the first row, in any order; a line that begins with # is a comment.

```
x y z     the tip, mm; left empty: where it is          i j k      the direction from tip to gauge point
feed      mm/min; empty or 0: a rapid                    tool       another number than before: it is changed first
speed     rev/min, clockwise; 0: the spindle stops       j1 … j6, r a joint's own value: a move of the joints
offset    G54 … G59
```

`.poses`: kept poses and moves, words parted by spaces, in small or capital letters.

```
{pose_grammar}
```

```
frame G54
tool 1                                          # the trimming cutter
spindle 12000
pose above x -130 y 0 z 50 along 0 0 1
pose wait  j1 0 j2 -20 j3 30 j4 0 j5 60 j6 0
go above
cut z -5 feed 500
cut x 130 feed 2000
go above
go wait
```

## Parameters of the virtual control

Settings of a dialect file:

"""


def language() -> str:
    """docs/language.md: every code of every dialect, its meaning and the test that shows it."""
    from tests.test_dialects import codes_of, shown

    grammar = inspect.cleandoc(pose_text.__doc__ or "").split("\n\n")[1]
    lines = [
        LANGUAGE.replace("{pose_grammar}", textwrap.dedent(grammar))
        + inspect.cleandoc(Settings.__doc__ or "").split("\n\n", 1)[1].join(["```\n", "\n```\n"])
    ]
    lines += [
        "System variables:\n\n```\n" + inspect.cleandoc(system_variables.__doc__ or "").split("\n\n", 1)[1] + "\n```\n"
    ]
    for name in BUILT_IN:
        dialect = built_in(name)
        lines += [
            f"## {name}",
            "",
            dialect.title + ".",
            "",
            "| code | group | meaning | shown by |",
            "|---|---|---|---|",
        ]
        for code in codes_of(name):
            table = dialect.g if code[0] == "G" else dialect.m
            meaning = table[round(float(code[1:]) * (10 if code[0] == "G" else 1))]
            tests = ", ".join(dict.fromkeys(shown(name, code)))
            lines.append(f"| {code} | {meaning.group or 'its block'} | {meaning.says} | {tests} |")
        known = ", ".join(f"{code} ({what})" for code, what in dialect.known.items())
        lines += ["", f"Known, not carried out: {known}.", ""]
    return "\n".join(lines)


if __name__ == "__main__":
    for file, text in pages().items():
        file.write_text(text, encoding="utf-8")
