"""Organisations and who belongs to them. Everything a user sees belongs to their organisation."""

from django.conf import settings
from django.db import models


class Organisation(models.Model):
    name = models.CharField(max_length=200, unique=True)

    def __str__(self) -> str:
        return self.name


class Site(models.Model):
    """A plant of an organisation: whoever belongs to one sees its jobs, and those that belong to none."""

    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="sites")
    name = models.CharField(max_length=100)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["organisation", "name"], name="one_site_of_a_name")]


class Role(models.TextChoices):
    """What a member may do; each may do what those before it may."""

    READS = "reads"
    WORKS = "works"
    RELEASES = "releases"
    ADMINISTERS = "administers"

    def covers(self, needed: "Role") -> bool:
        order = list(Role)
        return order.index(self) >= order.index(needed)


class Membership(models.Model):
    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="membership")
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="members")
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.WORKS)
    site = models.ForeignKey(Site, on_delete=models.RESTRICT, null=True, related_name="members")  # none: all sites


class Token(models.Model):
    """What a system of somebody's signs in with, as a digest (`tokens`); it does no more than its role, and than its owner's."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=100)
    digest = models.CharField(max_length=64, unique=True)
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.WORKS)
    created = models.DateTimeField(auto_now_add=True)
    ends = models.DateTimeField()
    used = models.DateTimeField(null=True)
    revoked = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class Invitation(models.Model):
    """Somebody asked in, by a link that is kept as a digest and holds once (`people`)."""

    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="invitations")
    mail = models.EmailField(blank=True)  # none: the link is handed over by hand
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.WORKS)
    site = models.ForeignKey(Site, on_delete=models.RESTRICT, null=True, related_name="+")
    digest = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    ends = models.DateTimeField()
    taken = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class Seat(models.Model):
    """Where somebody is signed in: the session behind it, and from where (`seats`)."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="seats")
    session = models.CharField(max_length=40, unique=True)
    address = models.CharField(max_length=45)
    browser = models.CharField(max_length=200)
    begun = models.DateTimeField(auto_now_add=True)
    seen = models.DateTimeField()

    class Meta:
        ordering = ["-seen"]


class Known(models.Model):
    """That a provider elsewhere knows somebody: a digest of its own name for them (`elsewhere`), as a database may take two for one."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="known")
    issuer = models.CharField(max_length=255)
    digest = models.CharField(max_length=64, unique=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["issuer", "user"], name="one_subject_a_person")]
