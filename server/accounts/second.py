"""The second factor: codes that go with the time (RFC 6238), and a few to keep for the day the device is lost."""

import secrets

import segno
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django_otp.plugins.otp_static.models import StaticDevice, StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice

from .refused import Refused

SPARE_CODES = 8
_NAME = "app"


def needed(user: AbstractBaseUser) -> bool:
    return TOTPDevice.objects.filter(user=user, confirmed=True).exists()


def holds(user: AbstractBaseUser, code: str) -> bool:
    """Whether a code is the one of now, or one of the spare ones, which is then used up. No code holds twice."""
    code = code.replace(" ", "").replace("-", "").lower()
    with transaction.atomic():
        device = TOTPDevice.objects.select_for_update().filter(user=user, confirmed=True).first()
        if device is not None and device.verify_token(code):
            return True
        spare = StaticDevice.objects.select_for_update().filter(user=user, confirmed=True).first()
        return spare is not None and spare.verify_token(code)


def begin(user: AbstractBaseUser) -> tuple[str, str]:
    """A new secret that holds once it is confirmed: as an address for a device, and that address as a picture (SVG). Raises Refused."""
    if needed(user):
        raise Refused("you have a second factor: turn it off first")
    TOTPDevice.objects.filter(user=user, confirmed=False).delete()
    device = TOTPDevice.objects.create(user=user, name=_NAME, confirmed=False)
    return device.config_url, segno.make(device.config_url, error="m").svg_inline(
        border=2, dark="#000", light="#fff", omitsize=True
    )


def confirm(user: AbstractBaseUser, code: str) -> list[str]:
    """Turn the second factor on with a code that the device shows; the spare codes, which nobody can read again. Raises Refused."""
    device = TOTPDevice.objects.filter(user=user, confirmed=False).first()
    if device is None:
        raise Refused("begin again: no second factor waits to be confirmed")
    if not device.verify_token(code.replace(" ", "")):
        raise Refused("the code does not hold: is the clock of the device right?")
    with transaction.atomic():
        device.confirmed = True
        device.save()
        StaticDevice.objects.filter(user=user).delete()
        spare = StaticDevice.objects.create(user=user, name=_NAME)
        codes = [secrets.token_hex(5) for _ in range(SPARE_CODES)]
        StaticToken.objects.bulk_create(StaticToken(device=spare, token=code) for code in codes)
    return codes


def take_off(user: AbstractBaseUser) -> None:
    TOTPDevice.objects.filter(user=user).delete()
    StaticDevice.objects.filter(user=user).delete()


def spare_left(user: AbstractBaseUser) -> int:
    return StaticToken.objects.filter(device__user=user).count()
