"""How much an organisation may keep here, and how much of its own may wait: one of them cannot fill the disk of all."""

import time
from typing import Any

from django.conf import settings

from accounts.models import Organisation
from accounts.refused import Refused

from .models import Artifact, LibraryFile, Rehearsal, Revision
from .store import store

KNOWN_FOR_SECONDS = 60.0  # every file is looked at, so not for every question
GB = 2**30

_known: dict[int, tuple[float, int]] = {}


def files_of(organisation: Organisation) -> list[str]:
    """Names in the store of everything that is kept for it, in the basket or not."""
    rows: tuple[Any, ...] = (
        Revision.objects.filter(job__organisation=organisation).values_list("archive", flat=True),
        Artifact.objects.filter(rehearsal__revision__job__organisation=organisation).values_list("file", flat=True),
        LibraryFile.objects.filter(organisation=organisation).exclude(meshes="").values_list("meshes", flat=True),
    )
    return [name for names in rows for name in names.iterator(chunk_size=5000)]


def kept(organisation: Organisation) -> int:
    """Bytes; as of a minute ago at most."""
    at, size = _known.get(organisation.pk, (float("-inf"), 0))
    if time.monotonic() - at > KNOWN_FOR_SECONDS:
        size = store().whole_size(files_of(organisation))
        _known[organisation.pk] = time.monotonic(), size
    return size


def waiting(organisation: Organisation) -> int:
    states = (Rehearsal.State.QUEUED, Rehearsal.State.RUNNING)
    return Rehearsal.objects.filter(revision__job__organisation=organisation, state__in=states).count()


def forget() -> None:
    """Look again when next asked: something went for good."""
    _known.clear()


def to_keep(organisation: Organisation, more: int = 0) -> None:
    """Raises Refused where it may not keep so many bytes more, and says what to do."""
    most = settings.MOST_KEPT
    if not most:
        return
    if kept(organisation) + more > most:
        raise Refused(
            f"{organisation.name} keeps {kept(organisation) / GB:.2f} of the {most / GB:.3g} GB that it may keep here: throw jobs away and empty the "
            "basket, or ask whoever runs this installation for more (MIRROR_MOST_KEPT_GB)"
        )
    at, size = _known[organisation.pk]
    _known[organisation.pk] = at, size + more  # so that what comes within the minute counts


def to_wait(organisation: Organisation) -> None:
    """Raises Refused where as much waits already as may."""
    most = settings.MOST_WAITING
    if most and (now := waiting(organisation)) >= most:
        raise Refused(
            f"{now} rehearsals of {organisation.name} wait or run, and at most {most} may: cancel some in the queue, or wait for them (MIRROR_MOST_WAITING)"
        )
