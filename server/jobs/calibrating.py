"""What programs took on the floor: kept by unit, the unit's constants fitted to all of it, and a new number of its machine with them."""

import json
from typing import Any

from django.contrib.auth.models import AbstractBaseUser

from bluntmirror.export.calibration import fitted_dict
from bluntmirror.job import JobUnreadable
from bluntmirror.rehearsal import check_program
from bluntmirror.rehearsal.calibrating import Fitted, NotTold, Sample, fit, read_measured

from . import services, setups
from .models import LibraryFile, MeasuredTimes, Rehearsal
from .services import Refused

Json = dict[str, Any]
MOST_JOBS = 5  # of a unit, the last measured, that are fitted together: each is read and timed anew


def _samples(rehearsal: Rehearsal, text: str) -> list[Sample]:
    """This job as measured, and the others that were measured on the same unit, the last of each. Raises NotTold."""
    samples = [Sample(check_program(setups.opened(rehearsal.revision)), tuple(read_measured(text)))]
    seen = {rehearsal.revision.job_id}
    unit = rehearsal.revision.machine
    for row in MeasuredTimes.objects.filter(
        revision__job__organisation=rehearsal.revision.job.organisation, unit=unit
    ).select_related("revision"):
        if row.revision.job_id in seen or len(samples) >= MOST_JOBS:
            continue
        seen.add(row.revision.job_id)
        try:
            samples.append(Sample(check_program(setups.opened(row.revision)), tuple(read_measured(row.text))))
        except (JobUnreadable, NotTold):
            continue  # it cannot be opened any more: what it told is left out
    # All are timed as this job's machine says, however their own copies of it stand.
    machine = samples[0].timed.job.machine
    return [samples[0], *(sample for sample in samples[1:] if sample.timed.job.machine == machine)]


def _fitted(rehearsal: Rehearsal, text: str) -> tuple[Fitted, int]:
    try:
        samples = _samples(rehearsal, text)
        return fit(samples), sum(len(sample.measured) for sample in samples)
    except (NotTold, JobUnreadable) as error:
        raise Refused(str(error)) from error


def told(rehearsal: Rehearsal, text: str) -> Json:
    """What measured times say of the unit that this job runs on. Raises Refused."""
    found, _ = _fitted(rehearsal, text)
    return {**fitted_dict(found), "unit": rehearsal.revision.machine, "history": history(rehearsal)}


def history(rehearsal: Rehearsal) -> list[Json]:
    """The numbers of the unit's machine that were learned from measured times, the last first."""
    rows = LibraryFile.objects.filter(
        organisation=rehearsal.revision.job.organisation, kind=LibraryFile.Kind.MACHINE, name=rehearsal.revision.machine
    ).select_related("created_by")
    return [
        {"number": row.number, "at": row.created, "by": row.created_by.get_username(), "spread": pace.get("spread"), "measured": pace.get("measured", 0)}
        for row in rows.order_by("-number")
        if (pace := row.data.get("pace"))
    ]  # fmt: skip


def learn(rehearsal: Rehearsal, text: str, user: AbstractBaseUser) -> LibraryFile:
    """Keep the times, and the unit's machine with what they tell as a new number in the library. Raises Refused."""
    organisation, unit = rehearsal.revision.job.organisation, rehearsal.revision.machine
    newest = organisation.library.filter(kind=LibraryFile.Kind.MACHINE, name=unit).order_by("-number").first()
    if newest is None:
        raise Refused(f"{unit} is not in the library: add its machine file there first")
    if newest.meshes:
        raise Refused(
            f"{unit} has mesh files: put what was learned into its machine.json with the command line (calibrate --out)"
        )
    found, count = _fitted(rehearsal, text)
    data = json.loads(json.dumps(newest.data))
    for link in data["links"]:
        if link.get("joint"):
            link["joint"]["accel"] = round(link["joint"].get("accel", 0) * found.after.accel / found.before.accel, 3)
    data["tool_change"] = {**(data.get("tool_change") or {}), "seconds": round(found.after.change, 3)}
    data["pace"] = {"corner_seconds": round(found.after.corner, 6), "block_seconds": round(found.after.block, 6), "spread": round(found.spread, 5),
                    "measured": count}  # fmt: skip
    kept = services.keep_in_library(
        organisation, user, LibraryFile.Kind.MACHINE, json.dumps(data).encode(), f"{unit}.json"
    )
    MeasuredTimes.objects.create(revision=rehearsal.revision, unit=unit, text=text, by=user)
    return kept
