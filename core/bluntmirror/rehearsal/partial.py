"""What was not rehearsed as the program would run: left-out and shifted stretches, dry run, air cut, overrides."""

from __future__ import annotations

from .result import Timed

FULL_PER_CENT = 100.0


def check_partial(result: Timed) -> None:
    """One caution for each; with any of them a verdict is never clear."""
    switches = result.job.file.switches
    programs = result.job.file.programs
    main = programs[0].main
    channels = {name: entry.channel for entry in programs for name in (*entry.library, entry.main)}
    shifted = {number for strand in result.strands for number in strand.interpreted.shifted}

    def say(told: str, remedy: str, program: str = main, line: int = 0, amount: float = 0.0) -> None:
        result.docket.add("check.partial", told, channel=channels.get(program, programs[0].channel), program=program, line=line, remedy=remedy,
                          amount=amount)  # fmt: skip

    for stretch in switches.left_out:
        say(f"lines {stretch.first} to {stretch.last} were left out of this rehearsal", "Rehearse with them before the release.",
            stretch.program, stretch.first)  # fmt: skip
    for number, stretch in enumerate(switches.shifts):
        by = " ".join(f"{axis}{value:+g}" for axis, value in stretch.by.items())
        if number in shifted:
            told = f"lines {stretch.first} to {stretch.last} were rehearsed shifted by {by}"
        else:
            told = (
                f"lines {stretch.first} to {stretch.last} were to be shifted by {by}, but no block there has a word of "
                f"{' or '.join(stretch.by)}: nothing was shifted"
            )
        say(told, "Rehearse without the shift before the release.", stretch.program, stretch.first)
    if switches.dry_run:
        say(
            "dry run: every feed was another, and no stock was cut",
            "Rehearse at the programmed feeds before the release.",
        )
    if switches.air_cut:
        say(f"air cut: everything was rehearsed {switches.air_cut:g} mm above the work", "Rehearse at the work before the release.",
            amount=switches.air_cut)  # fmt: skip
    for what, value in (("feed", switches.feed_override), ("rapid", switches.rapid_override)):
        if value != FULL_PER_CENT:
            say(
                f"the {what} override was {value:g} %, not 100 %", "Rehearse at 100 % before the release.", amount=value
            )
