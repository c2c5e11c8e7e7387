"""Where the worker tells how far a rehearsal is, and the web server listens."""

import redis
from django.conf import settings


def queue() -> redis.Redis:
    return redis.Redis.from_url(settings.QUEUE_URL)


def stream_key(number: int) -> str:
    return f"rehearsal:{number}:events"
