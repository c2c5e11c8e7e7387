"""Sign-ins that fail are counted, for each name and each address; past so many the next has to wait.

The counts live in the queue's store. Where that does not answer nobody is kept out: the passwords still guard the door.
"""

import hashlib
import logging

import redis
from django.conf import settings

OF_A_NAME, OF_AN_ADDRESS = 10, 100  # within WINDOW_SECONDS
WINDOW_SECONDS = 900
ANSWERS_WITHIN_SECONDS = 1.0

log = logging.getLogger(__name__)


def _store() -> redis.Redis:
    return redis.Redis.from_url(
        settings.QUEUE_URL, socket_timeout=ANSWERS_WITHIN_SECONDS, socket_connect_timeout=ANSWERS_WITHIN_SECONDS
    )


def _keys(name: str, address: str) -> list[tuple[str, int]]:
    """Names are kept as digests: the store holds nobody's name."""
    digest = hashlib.sha256(name.strip().lower().encode("utf-8", "replace")).hexdigest()[:32]
    return [(f"guesses:name:{digest}", OF_A_NAME), (f"guesses:address:{address}", OF_AN_ADDRESS)]


def wait_for(name: str, address: str) -> int:
    """Seconds that the next try has to wait; 0 where it may be made."""
    try:
        store = _store()
        waits = [max(int(store.ttl(key)), 1) for key, most in _keys(name, address) if int(store.get(key) or 0) >= most]
    except redis.RedisError:
        log.warning("failed sign-ins could not be looked up")
        return 0
    return max(waits, default=0)


def failed(name: str, address: str) -> None:
    """One more that failed; the count ends with the window that its first one opened."""
    try:
        store = _store()
        for key, _ in _keys(name, address):
            if store.incr(key) == 1:
                store.expire(key, WINDOW_SECONDS)
    except redis.RedisError:
        log.warning("a failed sign-in could not be counted")


def succeeded(name: str, address: str) -> None:
    """Whoever comes in has nothing on their name any more; what others tried from the address stays."""
    try:
        _store().delete(_keys(name, address)[0][0])
    except redis.RedisError:
        log.warning("failed sign-ins could not be forgotten")
