"""Workers on other machines: one that comes with a key is told, once, what it needs to reach the queue, the database and the store.

A key is made where the installation runs (`./mirror worker --invite`), never over the network: whoever has one reads everything of every organisation.
"""

import hashlib
import ipaddress
import os
import secrets

from django.conf import settings

from .stream import queue

HOLDS_SECONDS = 24 * 3600
PASSED_ON = (
    "MIRROR_MOST_MEMORY_GB", "MIRROR_MOST_MINUTES", "MIRROR_MOST_BLOCKS", "MIRROR_MOST_READING_SECONDS", "MIRROR_LOST_AFTER", "MIRROR_LOG",
    "MIRROR_MAIL", "MIRROR_MAIL_FROM", "MIRROR_CHECKPOINTS",
)  # fmt: skip


class Unreachable(Exception):
    """What a worker would be told leads nowhere from where it is: the text says what to set."""


def _place(key: str) -> str:
    return f"join:{hashlib.sha256(key.encode()).hexdigest()}"


def make() -> str:
    """A key that lets one worker join, within a day."""
    key = secrets.token_urlsafe(32)
    queue().set(_place(key), "1", ex=HOLDS_SECONDS)
    return key


def taken(key: str, address: str) -> dict[str, str] | None:
    """What the worker that has this key and asks from this address is told, in the words of its environment; None where the key holds no more.
    Raises Unreachable, and then the key holds on."""
    if not queue().exists(_place(key)):
        return None
    told = _told(address)
    return told if queue().delete(_place(key)) else None


def _is_here(address: str) -> bool:
    """Whether who asks is on this machine; not where nothing that is an address tells."""
    try:
        return ipaddress.ip_address(address).is_loopback
    except ValueError:
        return False


def _told(address: str) -> dict[str, str]:
    listens = os.environ.get("MIRROR_LISTEN", "")
    store = os.environ.get("MIRROR_STORE", "")
    if not _is_here(address):
        if not listens:
            raise Unreachable(
                "database and queue listen on loopback alone: start the installation with MIRROR_LISTEN, its address in a private network"
            )
        if not store:
            raise Unreachable(
                "the files lie in a folder of the installation's own machine: start it with MIRROR_STORE, a bucket or a folder that all have"
            )
    host = listens or settings.DATABASES["default"]["HOST"]
    database = settings.DATABASES["default"]
    return {
        "MIRROR_VERSION": os.environ.get("MIRROR_VERSION", ""),
        "MIRROR_DB_HOST": host,
        "MIRROR_DB_PORT": str(database["PORT"]),
        "MIRROR_DB_NAME": str(database["NAME"]),
        "MIRROR_DB_PASSWORD": str(database["PASSWORD"]),
        "MIRROR_QUEUE": settings.QUEUE_URL.replace("127.0.0.1", host),
        "MIRROR_STORE": store or str(settings.STORAGES["default"]["OPTIONS"]["location"]),
        **{name: os.environ[name] for name in PASSED_ON if name in os.environ},
    }
