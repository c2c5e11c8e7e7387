"""What the library tells of its machines at a glance. What a number of the library holds never changes: it is worked out once."""

from typing import Any

from django.db.models import Count, OuterRef, Subquery

from accounts.models import Membership
from bluntmirror.export.glance import glance, machine_picture
from bluntmirror.job.loading import data_in_millimetres
from bluntmirror.job.models import MachineFile

from . import seen, setups
from .models import LibraryFile, Revision

_told: "setups.Kept[dict[str, Any]]" = setups.Kept(1024)  # by the digest of its files
_drawn: "setups.Kept[bytes]" = setups.Kept(256)


def of_machine(item: LibraryFile) -> dict[str, Any] | None:
    """Kind, travels, what turns, accessories; None of a tool table."""
    if item.kind != LibraryFile.Kind.MACHINE:
        return None
    return _told.get(item.digest, lambda: glance(_in_millimetres(item)))


def picture(item: LibraryFile) -> bytes:
    """A machine with nothing on it, as PNG; empty where it has no shapes. Raises Refused."""
    return _drawn.get(item.digest, lambda: machine_picture(setups.machine_alone(item)) or b"")


def jobs_on(member: Membership) -> dict[str, int]:
    """How many of the jobs that somebody sees stand, as they are now, on a machine of each name."""
    newest = Revision.objects.filter(job=OuterRef("pk")).order_by("-number").values("machine")[:1]
    jobs = seen.jobs(member).annotate(on=Subquery(newest))
    return dict(jobs.values_list("on").annotate(Count("pk")).order_by())


def _in_millimetres(item: LibraryFile) -> MachineFile:
    return MachineFile.model_validate(data_in_millimetres(item.data, item.name, MachineFile))
