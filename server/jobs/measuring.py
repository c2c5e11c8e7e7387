"""Measures of finished parts: those of the job file and those added on the page, read off what a rehearsal left.

A rehearsal keeps its stocks' surfaces (`KEPT`) and never changes; measures belong to the job, and are taken anew on whichever of its
rehearsals is looked at.
"""

import functools
import gzip
import threading
from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from bluntmirror.export.measures import rows
from bluntmirror.job import Job as CoreJob
from bluntmirror.job.models import MOST_MEASURES
from bluntmirror.job.models import Measure as Asked
from bluntmirror.material.measures import Part
from bluntmirror.rehearsal.measuring import MEASURE, Kept, take

from .models import Artifact, Job, Measure, Rehearsal
from .services import Refused

KEPT = "part.npz"
Json = dict[str, Any]
_one_at_a_time = threading.Lock()  # to read a large part twice at once would take twice the memory


def with_measures(job: CoreJob, row: Job) -> CoreJob:
    """The job with the measures that were added to it on the page, under those of its file."""
    own = job.file.measures
    named = {measure.name for measure in own}
    more = [MEASURE.validate_python(item.asked) for item in row.measures.all() if item.name not in named]
    job.file = job.file.model_copy(update={"measures": [*own, *more][:MOST_MEASURES]})
    return job


def listed(row: Rehearsal) -> list[Json]:
    """Every measure of the job with what it reads on this rehearsal; `own`: it was added on the page and can be changed there."""
    kept = _kept(row)
    named = {measure.name for measure in kept.measures}
    asked = [(measure, False) for measure in kept.measures]
    for item in row.revision.job.measures.all():
        if item.name not in named:
            asked.append((MEASURE.validate_python(item.asked), True))
    return [_read(measure, kept, own) for measure, own in asked]


def tried(row: Rehearsal, measure: Asked) -> Json:
    """What a measure would read, nothing kept."""
    return _read(measure, _kept(row), True)


def put(row: Rehearsal, measure: Asked, instead_of: str, by: AbstractBaseUser) -> Json:
    """Keep a measure with the job, in place of another one of it or besides. Raises Refused."""
    job = row.revision.job
    kept = _kept(row)
    if any(measure.name == known.name for known in kept.measures):
        raise Refused(f"the job file has a measure called '{measure.name}' already; give this one another name")
    with transaction.atomic():
        Job.objects.select_for_update().get(pk=job.pk)
        old = job.measures.filter(name=instead_of or measure.name).first()
        other = job.measures.filter(name=measure.name).first()
        if (other and old and other.pk != old.pk) or (other and not instead_of):
            raise Refused(f"the job has a measure called '{measure.name}' already; give this one another name")
        if instead_of and old is None:
            raise Refused(f"the measure '{instead_of}' is no longer there: somebody has taken it away")
        if old is None and job.measures.count() + len(kept.measures) >= MOST_MEASURES:
            raise Refused(f"a job has at most {MOST_MEASURES} measures")
        made = old or Measure(job=job)
        made.name, made.asked, made.by = measure.name, measure.model_dump(mode="json"), by
        made.save()
    return _read(measure, kept, True)


def taken_away(row: Rehearsal, name: str) -> None:
    """Raises Refused for a measure that only the job file can lose."""
    found, _ = row.revision.job.measures.filter(name=name).delete()
    if not found:
        raise Refused(f"'{name}' is no measure that was added here; one of the job file is taken out there")


def _read(measure: Asked, kept: Kept, own: bool) -> Json:
    """Measuring builds trees and surfaces over the part as it needs them: one at a time."""
    part: Part | None = kept.parts.get(measure.stock)
    with _one_at_a_time:
        (told,) = rows([take(measure, part)])
    return {"asked": measure.model_dump(mode="json"), "own": own, "read": told}


def _kept(row: Rehearsal) -> Kept:
    """Raises Refused."""
    if row.state != Rehearsal.State.DONE:
        raise Refused("there is nothing to measure before the rehearsal is done")
    found = row.artifacts.filter(name=KEPT).first()
    if found is None:
        raise Refused("this rehearsal kept no surface to measure; rehearse the job again")
    with _one_at_a_time:
        return _read_kept(found.pk)


@functools.lru_cache(maxsize=2)
def _read_kept(artifact: int) -> Kept:
    found = Artifact.objects.get(pk=artifact)
    with found.file.open("rb") as source:
        return Kept.of(gzip.decompress(source.read()))
