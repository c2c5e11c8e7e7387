"""Jobs, their immutable revisions, rehearsals with their findings, and triage.

A revision keeps the job's files as one archive, never changed. A rehearsal keeps its verdict and artifacts, never
changed once it is done. Triage belongs to the job and a cause, so that it carries over to the next rehearsal.
"""

from typing import Any

from django.conf import settings
from django.db import models

from accounts.models import Organisation, Site
from bluntmirror.findings.identity import Judged

EXACT = "utf8mb4_nopad_bin"  # names differ by case, accent and trailing blanks


class Job(models.Model):
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="jobs")
    name = models.CharField(max_length=200, db_collation=EXACT)
    site = models.ForeignKey(Site, on_delete=models.RESTRICT, null=True, related_name="jobs")  # none: of all sites
    created = models.DateTimeField(auto_now_add=True)
    # Thrown away (`basket`): its own number then, so that the name is free again; 0 while it is there.
    thrown_as = models.PositiveBigIntegerField(default=0)
    thrown_at = models.DateTimeField(null=True)
    thrown_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")

    class Meta:
        unique_together = [("organisation", "name", "thrown_as")]


class Revision(models.Model):
    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey(
        "self", on_delete=models.SET_NULL, null=True, related_name="children"
    )  # what it was made from
    label = models.CharField(max_length=200, blank=True)
    machine = models.CharField(max_length=200)
    archive = models.FileField(upload_to="revisions/%Y/%m/")
    digest = models.CharField(max_length=64)
    created = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)

    class Meta:
        unique_together = [("job", "number")]
        ordering = ["-number"]


class Route(models.Model):
    """Jobs that one part goes through in order."""

    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="routes")
    name = models.CharField(max_length=200, db_collation=EXACT)
    created = models.DateTimeField(auto_now_add=True)
    thrown_as = models.PositiveBigIntegerField(default=0)  # as of a job

    class Meta:
        unique_together = [("organisation", "name", "thrown_as")]


class RouteStep(models.Model):
    route = models.ForeignKey(Route, on_delete=models.CASCADE, related_name="steps")
    place = models.PositiveIntegerField()
    name = models.CharField(max_length=100, db_collation=EXACT)
    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="step")

    class Meta:
        unique_together = [("route", "name"), ("route", "place")]
        ordering = ["place"]


class LibraryFile(models.Model):
    """A machine or a tool table that new jobs can pick, a tool or a fixture that setups can. A change is a new number, never an edit."""

    class Kind(models.TextChoices):
        MACHINE = "machine"
        TOOLS = "tools"
        TOOL = "tool"  # one, as a line of a table
        FIXTURE = "fixture"  # a body without its place

    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="library")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    name = models.CharField(max_length=200, db_collation=EXACT)
    number = models.PositiveIntegerField()
    data = models.JSONField()
    meshes = models.FileField(upload_to="library/%Y/%m/", blank=True)  # a zip of the files that it names
    digest = models.CharField(max_length=64)
    created = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)

    class Meta:
        unique_together = [("organisation", "kind", "name", "number")]
        ordering = ["kind", "name", "-number"]


class Sweep(models.Model):
    """Rehearsals of many jobs that were begun at once, and are looked at and ended as one."""

    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE)
    why = models.CharField(max_length=200)
    created = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)

    class Meta:
        ordering = ["-id"]


class Rehearsal(models.Model):
    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="rehearsals")
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED, db_index=True)
    quick = models.BooleanField(default=False)  # a quick look: nothing stands on it
    stage = models.CharField(max_length=40, blank=True)
    share = models.FloatField(default=0.0)
    error = models.TextField(blank=True)
    cancel_asked = models.BooleanField(default=False)
    verdict = models.CharField(max_length=10, blank=True)
    seconds = models.FloatField(null=True)
    stops = models.PositiveIntegerField(default=0)
    cautions = models.PositiveIntegerField(default=0)
    result = models.JSONField(null=True)
    asked_in = models.CharField(max_length=40, blank=True)  # the number of the request that began it (`logs`)
    computation = models.CharField(max_length=40, blank=True)  # the digest of the code that worked it out
    basis = models.CharField(max_length=64, blank=True)  # its revision and the steps its stocks came from (`routes`)
    sources = models.ManyToManyField("self", symmetrical=False, related_name="used_by", blank=True)
    background = models.BooleanField(
        default=False
    )  # nobody waits for it: its turn is after the others of the same person
    sweep = models.ForeignKey(Sweep, on_delete=models.SET_NULL, null=True, related_name="rehearsals")
    begun = models.DateTimeField(null=True, db_index=True)
    worker = models.CharField(max_length=100, blank=True)  # which machine's worker has it, or had
    heartbeat = models.DateTimeField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    finished = models.DateTimeField(null=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)

    class Meta:
        ordering = ["-id"]


class Artifact(models.Model):
    """A file of a rehearsal; `packed` ones are stored gzipped."""

    rehearsal = models.ForeignKey(Rehearsal, on_delete=models.CASCADE, related_name="artifacts")
    name = models.CharField(max_length=60)
    media_type = models.CharField(max_length=60)
    packed = models.BooleanField(default=False)
    file = models.FileField(upload_to="artifacts/%Y/%m/")

    class Meta:
        unique_together = [("rehearsal", "name")]


class Finding(models.Model):
    rehearsal = models.ForeignKey(Rehearsal, on_delete=models.CASCADE, related_name="findings")
    place = models.PositiveIntegerField()  # its place in the docket
    cause = models.CharField(max_length=300)
    data = models.JSONField()

    class Meta:
        ordering = ["place"]
        unique_together = [("rehearsal", "place")]

    @property
    def told(self) -> dict[str, Any]:
        """Its data with what an older build did not keep yet."""
        later = {"cause": self.cause, "accepted": None, "also": [], "fix": None, "rule": self.data["kind"]}
        return later | self.data


class Search(models.Model):
    """Changes tried on a rehearsal's findings, one finding after the other. `wanted` and `looked`: which findings are to be looked at,
    and which have been; with neither offers nor `looked` a finding waits."""

    rehearsal = models.OneToOneField(Rehearsal, on_delete=models.CASCADE, related_name="search")
    state = models.CharField(max_length=10, choices=Rehearsal.State.choices, default=Rehearsal.State.QUEUED)
    wanted = models.JSONField(default=list)
    looked = models.JSONField(default=list)
    worker = models.CharField(max_length=100, blank=True)
    error = models.TextField(blank=True)
    cancel_asked = models.BooleanField(default=False)
    heartbeat = models.DateTimeField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)


class Tolerance(models.Model):
    """How wrong the set-up of a rehearsal may be, asked up to `reach` mm; `result` as the verdict has it."""

    rehearsal = models.OneToOneField(Rehearsal, on_delete=models.CASCADE, related_name="tolerance")
    reach = models.FloatField()
    state = models.CharField(max_length=10, choices=Rehearsal.State.choices, default=Rehearsal.State.QUEUED)
    share = models.FloatField(default=0.0)
    result = models.JSONField(null=True)
    worker = models.CharField(max_length=100, blank=True)
    error = models.TextField(blank=True)
    cancel_asked = models.BooleanField(default=False)
    heartbeat = models.DateTimeField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)


class Offered(models.Model):
    """A change that was tried and clears a finding, or that only moves the trouble elsewhere."""

    finding = models.ForeignKey(Finding, on_delete=models.CASCADE, related_name="offers")
    place = models.PositiveIntegerField()
    data = models.JSONField()

    class Meta:
        ordering = ["place"]
        unique_together = [("finding", "place")]


class Triage(models.Model):
    class Judgement(models.TextChoices):
        REAL = "real"
        ACCEPTED = "accepted"
        MODEL = "model"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="triage")
    cause = models.CharField(max_length=300)
    point = models.JSONField(null=True)  # where in the machine it lay: two causes that read alike are told apart by it
    judgement = models.CharField(max_length=10, choices=Judgement.choices)
    reason = models.TextField(blank=True)
    amount = models.FloatField(default=0.0)  # how bad it was when judged: worse later reopens it
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        indexes = [models.Index(fields=["job", "cause"])]

    @property
    def judged(self) -> Judged:
        return Judged(self.cause, self.point, self.amount, self.judgement, self.reason, self.by.get_username())


class Measure(models.Model):
    """A measure that goes with a job from rehearsal to rehearsal: what is asked, never what was read."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="measures")
    name = models.CharField(max_length=60, db_collation=EXACT)
    asked = models.JSONField()  # as in job.json, mm
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        unique_together = [("job", "name")]
        ordering = ["id"]


class MeasuredTimes(models.Model):
    """What a revision's job took on a unit, as somebody typed or pasted it."""

    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="measured_times")
    unit = models.CharField(max_length=200, db_collation=EXACT)
    text = models.TextField()
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)

    class Meta:
        ordering = ["-id"]


class Release(models.Model):
    """A person's signature that a revision may run, on the evidence of one rehearsal. `rests_on`: what of the library it was held
    against; `accepted`: the findings that were accepted, and why. Whether it stands is worked out anew (`releasing.lapsed`)."""

    rehearsal = models.ForeignKey(Rehearsal, on_delete=models.PROTECT, related_name="releases")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    note = models.TextField(blank=True)
    rests_on = models.JSONField()
    accepted = models.JSONField()
    withdrawn_at = models.DateTimeField(null=True)
    withdrawn_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    withdrawn_why = models.TextField(blank=True)

    class Meta:
        ordering = ["-id"]


class Entry(models.Model):
    """One line of the record of who did what. Each holds a digest of itself and of the line before, so that none can be changed or
    taken out unseen; the application never does either."""

    organisation = models.ForeignKey(Organisation, on_delete=models.PROTECT, related_name="record")
    number = models.PositiveIntegerField()
    at = models.DateTimeField()
    by = models.CharField(max_length=150)
    act = models.CharField(max_length=40)
    about = models.CharField(max_length=300)
    said = models.TextField(blank=True)
    job = models.PositiveBigIntegerField(null=True)  # its number: the job itself may be gone
    digest = models.CharField(max_length=64)

    class Meta:
        unique_together = [("organisation", "number")]
        ordering = ["-number"]

    def save(self, *args: Any, **more: Any) -> None:
        if self.pk is not None:
            raise TypeError("a line of the record is never changed")
        super().save(*args, **more)

    def delete(self, *args: Any, **more: Any) -> Any:
        raise TypeError("a line of the record is never taken out")


class RuleSetting(models.Model):
    """A rule of the program check that an organisation sets otherwise than it comes."""

    class Setting(models.TextChoices):
        OFF = "off"
        CAUTION = "caution"
        STOP = "stop"

    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="rules")
    rule = models.CharField(max_length=60)
    setting = models.CharField(max_length=10, choices=Setting.choices)

    class Meta:
        unique_together = [("organisation", "rule")]


class Hook(models.Model):
    """An address of another system that is told when a rehearsal has finished or a release was signed or withdrawn."""

    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="hooks")
    url = models.URLField(max_length=500)
    secret = models.CharField(max_length=64)
    events = models.JSONField()  # of "finished", "released", "withdrawn"
    created = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["id"]


class Delivery(models.Model):
    """One thing that a hook is told, and how that went."""

    hook = models.ForeignKey(Hook, on_delete=models.CASCADE, related_name="deliveries")
    event = models.CharField(max_length=12)
    body = models.JSONField()
    at = models.DateTimeField(auto_now_add=True)
    attempts = models.PositiveIntegerField(default=0)
    answered = models.PositiveIntegerField(null=True)  # the HTTP status; null while nobody has answered
    error = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["-id"]
