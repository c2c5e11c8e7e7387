"""Organisations and who belongs to them. Everything a user sees belongs to their organisation."""

from django.conf import settings
from django.db import models


class Organisation(models.Model):
    name = models.CharField(max_length=200, unique=True)

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="membership")
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="members")
