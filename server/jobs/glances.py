"""What the library tells of its machines at a glance. What a number of the library holds never changes: it is worked out once."""

from functools import lru_cache
from typing import Any

from django.db.models import Count, OuterRef, Subquery

from accounts.models import Organisation
from bluntmirror.export.glance import glance, machine_picture
from bluntmirror.job.loading import data_in_millimetres
from bluntmirror.job.models import MachineFile

from . import setups
from .models import Job, LibraryFile, Revision

MOST_TOLD, MOST_PICTURES = 1024, 256


def of_machine(item: LibraryFile) -> dict[str, Any] | None:
    """Kind, travels, what turns, accessories; None of a tool table."""
    return _told(_Of(item)) if item.kind == LibraryFile.Kind.MACHINE else None


def picture(item: LibraryFile) -> bytes:
    """A machine with nothing on it, as PNG; empty where it has no shapes. Raises Refused."""
    return _drawn(_Of(item))


def jobs_on(organisation: Organisation) -> dict[str, int]:
    """How many jobs stand, as they are now, on a machine of each name."""
    newest = Revision.objects.filter(job=OuterRef("pk")).order_by("-number").values("machine")[:1]
    jobs = Job.objects.filter(organisation=organisation, thrown_as=0).annotate(on=Subquery(newest))
    return dict(jobs.values_list("on").annotate(Count("pk")).order_by())


class _Of:
    """A row of the library as what is kept of it goes by: its files."""

    def __init__(self, item: LibraryFile) -> None:
        self.item = item

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Of) and self.item.digest == other.item.digest

    def __hash__(self) -> int:
        return hash(self.item.digest)


@lru_cache(MOST_TOLD)
def _told(of: _Of) -> dict[str, Any]:
    return glance(MachineFile.model_validate(data_in_millimetres(of.item.data, of.item.name, MachineFile)))


@lru_cache(MOST_PICTURES)
def _drawn(of: _Of) -> bytes:
    return machine_picture(setups.machine_alone(of.item)) or b""
