"""Workers on other machines: `key` makes one that lets a worker join, `reach` tells whether this one reaches all that it needs."""

import redis
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import DatabaseError, connection

from jobs import joining
from jobs.store import Away, store
from jobs.stream import queue


class Command(BaseCommand):
    help = __doc__ or ""

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("word", choices=("key", "reach"))

    def handle(self, *args: object, word: str = "", **options: object) -> None:
        if word == "key":
            self.stdout.write(joining.make())
            return
        for what, ask in (
            ("database", _database),
            ("queue", lambda: queue().ping()),
            ("store", lambda: store().room()),
        ):
            try:
                ask()
            except (DatabaseError, redis.RedisError, Away) as error:
                raise CommandError(f"the {what} is not in reach: {error}") from error


def _database() -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
