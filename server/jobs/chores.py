"""What is done from time to time, whoever looks or not."""

from celery import shared_task

from . import basket, running


@shared_task
def settle() -> None:
    """Lost rehearsals settled, and what waits told of again."""
    running.settle_now()


@shared_task
def tidy() -> None:
    """What has lain in the basket for its time goes, and files that belong to nothing."""
    basket.clear()
