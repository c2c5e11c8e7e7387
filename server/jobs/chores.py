"""What is done from time to time, whoever looks or not."""

from celery import shared_task
from django.core.management import call_command

from . import basket, running


@shared_task
def settle() -> None:
    """Lost rehearsals settled, and what waits told of again."""
    running.settle_now()


@shared_task
def tidy() -> None:
    """What has lain in the basket for its time goes, files that belong to nothing, and sessions that are over."""
    basket.clear()
    call_command("clearsessions")
