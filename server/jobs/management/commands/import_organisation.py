"""A folder of `export` taken in by an organisation."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError, CommandParser

from accounts.models import Organisation
from jobs import carrying
from jobs.services import Refused


class Command(BaseCommand):
    help = __doc__ or ""

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("folder", type=Path)
        parser.add_argument("organisation")

    def handle(self, *args: object, **options: object) -> None:
        try:
            organisation = Organisation.objects.get(name=options["organisation"])
            counts = carrying.take_in(organisation, Path(str(options["folder"])))
        except Organisation.DoesNotExist as error:
            known = ", ".join(Organisation.objects.order_by("name").values_list("name", flat=True)) or "none yet"
            raise CommandError(
                f"there is no organisation {options['organisation']} here (there are: {known})"
            ) from error
        except Refused as error:
            raise CommandError(str(error)) from error
        self.stdout.write(", ".join(f"{count} {what}" for what, count in counts.items()) + " taken in")
