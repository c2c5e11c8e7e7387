"""All that an organisation has, out as a folder of open formats (`export`) or in from one (`import`)."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError, CommandParser

from accounts.models import Organisation
from accounts.refused import Refused as NoRoom
from jobs import carrying
from jobs.services import Refused

WAYS = {"export": (carrying.export, "written"), "import": (carrying.take_in, "taken in")}


class Command(BaseCommand):
    help = __doc__ or ""

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("way", choices=WAYS)
        parser.add_argument("organisation")
        parser.add_argument("folder", type=Path)

    def handle(self, *args: object, **options: object) -> None:
        carry, said = WAYS[str(options["way"])]
        name = str(options["organisation"])
        organisation = Organisation.objects.filter(name=name).first()
        if organisation is None:
            known = ", ".join(Organisation.objects.order_by("name").values_list("name", flat=True)) or "none yet"
            raise CommandError(f"there is no organisation {name} here (there are: {known})")
        try:
            counts = carry(organisation, Path(str(options["folder"])))
        except (Refused, NoRoom) as error:
            raise CommandError(str(error)) from error
        self.stdout.write(", ".join(f"{count} {what}" for what, count in counts.items()) + f" {said}")
