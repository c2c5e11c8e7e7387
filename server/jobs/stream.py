"""Where the worker tells how far a rehearsal is, and the web server listens; and how the workers are told that there is something to do."""

import logging
from typing import Any

import redis
from django.conf import settings
from kombu.exceptions import KombuError

ANSWERS_WITHIN_S = 3.0
WAITING_LIST = "celery"  # where the queue keeps what no worker has taken yet

log = logging.getLogger(__name__)


def queue() -> redis.Redis:
    return redis.Redis.from_url(
        settings.QUEUE_URL, socket_timeout=ANSWERS_WITHIN_S, socket_connect_timeout=ANSWERS_WITHIN_S
    )


def stream_key(number: int) -> str:
    return f"rehearsal:{number}:events"


def send(task: Any, *words: int | str) -> None:
    """Hand a task to the workers. Where the queue does not answer it waits in the tables, and is sent later (`running.settle_lost`)."""
    try:
        task.apply_async(words, retry=False)
    except (KombuError, redis.RedisError, OSError):
        log.warning("the queue does not answer: what waits is taken up when it does")
