"""The files of a store with an address (`MIRROR_STORE`), out to a folder or in from one: for backups, and for moving from one store to another."""

import shutil
from pathlib import Path

from django.core.files import File
from django.core.files.storage import default_storage
from django.core.management.base import BaseCommand, CommandError, CommandParser

from jobs.store import Lost, store


class Command(BaseCommand):
    help = __doc__ or ""

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("way", choices=("out", "in"))
        parser.add_argument("folder", type=Path)

    def handle(self, *args: object, way: str = "", folder: Path = Path(), **options: object) -> None:
        if way == "out":
            for file in store().listed():
                place = folder / file.name
                place.parent.mkdir(parents=True, exist_ok=True)
                try:
                    with default_storage.open(file.name) as source, place.open("wb") as kept:
                        shutil.copyfileobj(source, kept)
                except Lost:
                    place.unlink(missing_ok=True)  # deleted for good this moment
            return
        if next(iter(store().listed()), None) is not None:
            raise CommandError("there are files in the store already: name an empty one (MIRROR_STORE)")
        store().mark()
        for path in sorted(folder.rglob("*")):
            if path.is_file():
                name = path.relative_to(folder).as_posix()
                with path.open("rb") as source:
                    if default_storage.save(name, File(source)) != name:
                        raise CommandError(f"{name} cannot be kept under its name")
