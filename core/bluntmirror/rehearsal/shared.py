"""Common variables (#100 to #999) that one channel writes and another reads: every channel is read with its own here, and whether a
control shares them is a matter of its parameters. It is said, since what comes of it is not what was rehearsed."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ..findings import Docket
from ..job import Job
from ..job.models import ProgramFile

COMMENT = re.compile(rb"\([^)]*\)|;[^\n]*")
WRITTEN = re.compile(rb"#(\d{3})\s*=")
READ = re.compile(rb"#(\d{3})(?!\d|\s*=)")


def check_shared(job: Job, docket: Docket) -> None:
    """One finding for each pair of channels and way, at the first line that reads."""
    programs = job.file.programs
    if len(programs) < 2:
        return
    written = {entry.channel: {number for _, _, number in _found(job, entry, WRITTEN)} for entry in programs}
    for reader in programs:
        for writer in programs:
            if writer is reader:
                continue
            theirs = written[writer.channel] - written[reader.channel]
            read = [(name, line, number) for name, line, number in _found(job, reader, READ) if number in theirs]
            if not read:
                continue
            name, line, _ = read[0]
            numbers = ", ".join(f"#{number}" for number in sorted({number for *_, number in read}))
            docket.add(
                "check.limit", f"channel {reader.channel} reads {numbers}, which channel {writer.channel} writes: each channel has variables of its "
                "own here; on a control that shares them this reads another value", severity="caution", channel=reader.channel, program=name,
                line=line, count=len(read), remedy="Give the value in the job's variables, or write it in this channel too.",
            )  # fmt: skip


def _found(job: Job, entry: ProgramFile, pattern: re.Pattern[bytes]) -> Iterator[tuple[str, int, int]]:
    """Program, line and number of every place of a channel's texts outside of comments."""
    for name in [entry.main, *entry.library]:
        for line, text in enumerate(job.programs[name].splitlines(), 1):
            if b"#" not in text:
                continue
            for match in pattern.finditer(COMMENT.sub(b"", text)):
                if int(match[1]) >= 100:
                    yield name, line, int(match[1])
