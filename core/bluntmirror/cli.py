"""The command line: verify, check, mend, control, calibrate, trace, poses. Exit status 0 nothing found, 1 findings, 2 the job cannot be read."""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from . import quick_start  # noqa: F401 (what it does is done when it is loaded)
from .export.trace import write_trace
from .export.verdict import render, verdict_dict
from .findings.identity import Judged
from .geometry.meshfile import write_stl
from .job import JobUnreadable, open_job
from .rehearsal import Rehearsal, Timed, check_program, rehearse

if TYPE_CHECKING:  # loaded only where a route is asked for
    from .job.route import Route

EXITS = """exit status:
  0  nothing at or above --fail-on was found
  1  something was
  2  the job cannot be read: one line says which file, which place, what is wrong and what to do
"""
JOB_HELP = "a job folder, its job.json, or a .zip of the folder"
ROUTE_HELP = "; or a route: its folder, its route.json, or a .zip (its steps are rehearsed in order, each with what the earlier left)"
TOUCHES = ("line", "register", "offset", "tool", "fixture")
LINE_SECONDS = 2.0  # between two lines of progress where there is no terminal


def _bar(stage: str, share: float) -> None:
    width = 30
    done = round(share * width)
    print(f"\r{stage:9} {'━' * done}{' ' * (width - done)} {share:4.0%}", end="", file=sys.stderr, flush=True)


class _Lines:
    """Progress for a log: a line when a stage has begun to take time, and every few seconds after that."""

    def __init__(self) -> None:
        self.last = time.monotonic()

    def __call__(self, stage: str, share: float) -> None:
        now = time.monotonic()
        if now - self.last >= LINE_SECONDS:
            self.last = now
            print(f"{stage} {share:.0%}", file=sys.stderr, flush=True)


def main(words: list[str] | None = None) -> int:
    plain = argparse.RawDescriptionHelpFormatter
    parser = argparse.ArgumentParser(
        prog="bluntmirror", description="May this program run?", epilog=EXITS, formatter_class=plain
    )
    commands = parser.add_subparsers(dest="word", required=True, metavar="WORD")
    for word, text in (
        ("verify", "rehearse a job — travel, contact, material — and print its verdict"),
        ("check", "the program check alone: read, interpreted and timed, nothing replayed"),
    ):
        command = commands.add_parser(word, help=text, description=text, epilog=EXITS, formatter_class=plain)
        command.add_argument("job", type=Path, metavar="JOB", help=JOB_HELP + (ROUTE_HELP if word == "verify" else ""))
        command.add_argument("--out", type=Path, metavar="DIR",
                             help="write verdict.json, report.html, setup.html (what to clamp where), tools.csv, labels.html, trace.csv and, where there "
                             "is stock, stock.stl (the machined stock in the frame of its mount, mm) and, where the job has "
                             "measures, measures.csv to this folder (default: nothing is written)")  # fmt: skip
        command.add_argument("--format", choices=["text", "json", "sarif", "junit"], default="text",
                             help="what is printed (default: %(default)s)")  # fmt: skip
        command.add_argument("--fail-on", choices=["stop", "caution"], default="stop",
                             help="the least severity that makes the exit status 1 (default: %(default)s)")  # fmt: skip
        command.add_argument("--accepted", type=Path, metavar="FILE",
                             help="judgements that excuse findings: a JSON list of "
                             '{"cause", "point", "amount", "judgement": "accepted" or "model", "reason", "by"}, the first three as '
                             "verdict.json has them; what they excuse is listed as such and does not count for the exit status "
                             "(default: none)")  # fmt: skip
        if word == "verify":
            command.add_argument("--quick", action="store_true",
                                 help="a quick look: material on a coarse grid, and on the job's own only where something was found; "
                                 "never clear (default: everything on the job's own grid)")  # fmt: skip
            command.add_argument("--tolerance", type=_reach, nargs="?", const=1.0, metavar="MM",
                                 help="how far each work offset, register, stick-out, fixture and side of the blank may be off, each way, before "
                                 "the first contact, gouge or overtravel, asked up to so many mm (without a number 1); takes up to three times "
                                 "as long (default: it is not asked)")  # fmt: skip
    mending = commands.add_parser(
        "mend", epilog=EXITS, formatter_class=plain, help="try the smallest changes that clear the findings, and write the mended job",
        description="try, finding by finding, the smallest change that clears it; each is rehearsed before it counts",
    )  # fmt: skip
    mending.add_argument("job", type=Path, metavar="JOB", help=JOB_HELP)
    mending.add_argument("--out", type=Path, metavar="DIR",
                         help="write the mended job to this folder, which must be empty or not there (default: nothing is written)")  # fmt: skip
    mending.add_argument(
        "--format", choices=["text", "json"], default="text", help="what is printed (default: %(default)s)"
    )
    mending.add_argument("--upto", choices=list(TOUCHES), default="fixture",
                         help="what a change may touch at most, in this order: lines of the program, registers, work offsets, tools, "
                         "fixtures (default: %(default)s)")  # fmt: skip
    mending.add_argument("--fail-on", choices=["stop", "caution"], default="stop",
                         help="the least severity of what is left that makes the exit status 1 (default: %(default)s)")  # fmt: skip
    control = commands.add_parser("control", epilog=EXITS, formatter_class=plain, help="offsets, registers and variables of the control",
                                  description="offsets, registers and variables: as a table, or as a program that writes them at the machine")  # fmt: skip
    control.add_argument("job", type=Path, metavar="JOB", help=JOB_HELP)
    control.add_argument(
        "--format", choices=["csv", "g10"], default="csv", help="what is printed (default: %(default)s)"
    )
    control.add_argument("--channel", type=int, default=0, metavar="N", help="of g10: whose (default: the first)")
    learning = commands.add_parser(
        "calibrate", epilog=EXITS, formatter_class=plain, help="learn a unit's accelerations, corners, block and change times from measured times",
        description="learn a unit's constants from what a job took on it: least squares, each with how sure it is, and what is left over",
    )  # fmt: skip
    learning.add_argument("job", type=Path, metavar="JOB", help=JOB_HELP)
    learning.add_argument("--measured", type=Path, metavar="FILE", required=True,
                          help="lines of what it is (cycle, T3, or an operation's name) and its time, in s or min:s")  # fmt: skip
    learning.add_argument(
        "--format", choices=["text", "json"], default="text", help="what is printed (default: %(default)s)"
    )
    learning.add_argument("--out", type=Path, metavar="FILE", help="write the job's machine with what was learned (default: nothing is written)")  # fmt: skip
    posing = commands.add_parser("poses", help="an arm's moves as a table of poses that can be read again", epilog=EXITS, formatter_class=plain,
                                 description="write an arm's moves: tip, direction, feed, tool, or the joints")  # fmt: skip
    posing.add_argument("job", metavar="JOB", help="a job folder, its job.json, or a .zip of the folder")
    posing.add_argument("--json", action="store_true", help="as JSON, with spin, joints and times (default: as CSV)")
    posing.add_argument("--file", metavar="FILE", help="where it is written (default: printed)")
    tracing = commands.add_parser("trace", help="one row per motion, as CSV", epilog=EXITS, formatter_class=plain,
                                  description="one row per motion: channel, program, line, kind, times, feed, and where every axis ends")  # fmt: skip
    tracing.add_argument("job", type=Path, metavar="JOB", help=JOB_HELP)
    tracing.add_argument("--csv", type=Path, metavar="FILE", help="the file to write (default: standard output)")
    options = parser.parse_args(words)
    try:
        return {"trace": _trace, "poses": _poses, "mend": _mend, "control": _control, "calibrate": _calibrate}.get(
            options.word, _judge
        )(options)
    except JobUnreadable as error:
        print(f"bluntmirror: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"bluntmirror: {error.filename or options.job}: {error.strerror or error}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("\nbluntmirror: stopped", file=sys.stderr)
        return 130


def _judge(options: argparse.Namespace) -> int:
    known = _judgements(options.accepted) if options.accepted else []
    if options.word == "verify" and (route := _route_of(options.job)):
        return _judge_route(route, options, known)
    job = open_job(options.job)
    on_terminal = sys.stderr.isatty()
    progress = _bar if on_terminal else _Lines()
    result: Timed = (
        rehearse(job, progress, filmed=False, quick=options.quick)
        if options.word == "verify"
        else check_program(job, progress)
    )
    verdict = verdict_dict(result, known)
    if options.word == "verify" and options.tolerance:
        if options.quick:
            raise JobUnreadable(str(options.job), "a quick look knows no tolerance: ask for it without --quick")
        verdict["tolerance"] = _tolerance(result, options.tolerance, progress)
    if on_terminal:
        print("\r\x1b[K", end="", file=sys.stderr)
    if options.out:
        _write(result, verdict, known, options.out)
    sys.stdout.write(render(verdict, options.format))
    return _status(options, [verdict])


def _reach(text: str) -> float:
    value = float(text)
    if not 0.0 < value <= 100.0:
        raise argparse.ArgumentTypeError("more than 0, at most 100 mm")
    return value


def _tolerance(result: Timed, reach: float, progress: Callable[[str, float], None]) -> dict[str, Any]:
    from .export.tolerances import tolerance_dict
    from .tolerance import tolerance

    assert isinstance(result, Rehearsal)
    return tolerance_dict(result, tolerance(result, reach, progress))


def _mend(options: argparse.Namespace) -> int:
    from .export.mending import as_text, mended_dict
    from .remedies import Rank, keep, mend

    job = open_job(options.job)
    if options.out:
        must_be_free(options.out, job.folder)
    on_terminal = sys.stderr.isatty()
    mended = mend(job, _bar if on_terminal else _Lines(), Rank[options.upto.upper()])
    if on_terminal:
        print("\r\x1b[K", end="", file=sys.stderr)
    if options.out:
        keep(mended, job, options.out)
    whole = mended_dict(mended)
    sys.stdout.write(
        json.dumps(whole, indent=1, ensure_ascii=False) + "\n" if options.format == "json" else as_text(whole)
    )
    bad = {"stop": {"stop"}, "caution": {"stop", "caution"}}[options.fail_on]
    return 1 if any(item.severity in bad for item in mended.left) else 0


def must_be_free(folder: Path, source: Path) -> None:
    """Raises JobUnreadable where a folder to be written has something in it, or lies in the one that it is a copy of."""
    if folder.resolve().is_relative_to(source.resolve()):
        raise JobUnreadable(str(folder), "it lies in the job's own folder; name one beside it")
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise JobUnreadable(str(folder), "there is something there already; name a folder that is empty, or none yet")


def _status(options: argparse.Namespace, verdicts: list[dict[str, Any]]) -> int:
    bad = {"stop": {"stop"}, "caution": {"stop", "caution"}}[options.fail_on]
    found = [item for verdict in verdicts for item in verdict["findings"]]
    return 1 if any(item["severity"] in bad and not item["accepted"] for item in found) else 0


def _write(result: Timed, verdict: dict[str, Any], known: list[Judged], folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "verdict.json").write_text(render(verdict, "json"), encoding="utf-8")
    from .export import sheet
    from .export.report import as_html

    (folder / "report.html").write_text(as_html(result, known=known), encoding="utf-8")
    (folder / "setup.html").write_text(sheet.as_html(result), encoding="utf-8")
    (folder / "tools.csv").write_text(sheet.tools_csv(result), encoding="utf-8")
    (folder / "labels.html").write_text(sheet.labels_html(result), encoding="utf-8")
    with (folder / "trace.csv").open("w", encoding="utf-8") as out:
        write_trace(result, out)
    if verdict.get("measures"):
        from .export.measures import as_csv

        (folder / "measures.csv").write_text(as_csv(verdict["measures"]), encoding="utf-8")
    stocks = result.stocks if isinstance(result, Rehearsal) else []
    for i, cut in enumerate(stocks):  # the first under the name that scripts know, the others by theirs
        name = "stock.stl" if i == 0 else f"stock-{i + 1}.stl"
        write_stl(folder / name, cut.final_mesh, f"{cut.name}: machined stock, mm, frame of its mount")


def _route_of(path: Path) -> Route | None:
    """The route at a path, where it is one; nothing of routes is loaded for what cannot be any."""
    if not (path.is_dir() or path.suffix.lower() == ".zip" or path.name == "route.json"):
        return None
    if path.is_dir() and not (path / "route.json").is_file():
        return None
    from .job.route import open_route

    return open_route(path)


def _judge_route(route: Route, options: argparse.Namespace, known: list[Judged]) -> int:
    from .export.verdict import render_route, route_dict
    from .rehearsal.routing import rehearse_route

    on_terminal = sys.stderr.isatty()
    steps: list[tuple[str, dict[str, Any]]] = []
    for done in rehearse_route(route, _bar if on_terminal else _Lines(), quick=options.quick):
        steps.append((done.name, verdict_dict(done.result, known)))
        if options.out:
            _write(done.result, steps[-1][1], known, options.out / done.name)
    if on_terminal:
        print("\r\x1b[K", end="", file=sys.stderr)
    whole = route_dict(route.file.name, steps)
    if options.out:
        (options.out / "verdict.json").write_text(render_route(whole, steps, "json"), encoding="utf-8")
    sys.stdout.write(render_route(whole, steps, options.format))
    return _status(options, [verdict for _, verdict in steps])


def _judgements(file: Path) -> list[Judged]:
    """Raises JobUnreadable."""
    try:
        rows = json.loads(file.read_text("utf-8-sig"))
        return [
            Judged(str(row["cause"]), row.get("point"), float(row["amount"]), str(row["judgement"]), str(row.get("reason", "")),
                   str(row.get("by", "")))
            for row in rows
        ]  # fmt: skip
    except (ValueError, TypeError, KeyError, AttributeError) as error:
        raise JobUnreadable(file.name, f"not a list of judgements: {error!r}") from error


def _control(options: argparse.Namespace) -> int:
    from .export.control_data import as_csv, as_program, control_data

    result = check_program(open_job(options.job))
    channels = [strand.channel for strand in result.strands]
    channel = options.channel or channels[0]
    if channel not in channels:
        raise JobUnreadable(str(options.job), f"there is no channel {channel} (it has {', '.join(map(str, channels))})")
    sys.stdout.write(as_csv(control_data(result)) if options.format == "csv" else as_program(result, channel))
    return 0


def _calibrate(options: argparse.Namespace) -> int:
    from .export.calibration import as_text, fitted_dict
    from .rehearsal.calibrating import NotTold, Sample, fit, machine_with, read_measured

    timed = check_program(open_job(options.job))
    try:
        measured = read_measured(options.measured.read_text("utf-8-sig"))
        found = fit([Sample(timed, tuple(measured))])
    except NotTold as error:
        raise JobUnreadable(options.measured.name, str(error)) from error
    told = fitted_dict(found)
    if options.out:
        machine = machine_with(timed.job.machine, found.after, round(found.spread, 5), len(measured))
        options.out.write_text(machine.model_dump_json(indent=1, exclude_none=True) + "\n", encoding="utf-8")
    sys.stdout.write(
        json.dumps(told, indent=1, ensure_ascii=False) + "\n" if options.format == "json" else as_text(told)
    )
    return 0


def _poses(options: argparse.Namespace) -> int:
    from .export.poses import write_csv, write_json

    result = check_program(open_job(Path(options.job)))
    write = write_json if options.json else write_csv
    try:
        if options.file:
            with Path(options.file).open("w", encoding="utf-8") as out:
                write(result, out)
        else:
            write(result, sys.stdout)
    except ValueError as error:
        print(f"bluntmirror: {options.job}: {error}", file=sys.stderr)
        return 2
    return 0


def _trace(options: argparse.Namespace) -> int:
    result = check_program(open_job(options.job))
    if options.csv:
        with options.csv.open("w", encoding="utf-8") as out:
            write_trace(result, out)
    else:
        write_trace(result, sys.stdout)
    for item in result.findings:
        print(f"{item.severity}: {item.program}:{item.line} {item.message}", file=sys.stderr)
    return 1 if any(item.severity == "stop" for item in result.findings) else 0


if __name__ == "__main__":
    sys.exit(main())
