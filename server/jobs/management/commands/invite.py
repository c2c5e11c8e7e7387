"""A link for the first person of an organisation, who administers it."""

from django.core.management.base import BaseCommand, CommandParser

from accounts import people
from accounts.models import Organisation, Role


class Command(BaseCommand):
    help = __doc__ or ""

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("organisation")
        parser.add_argument("port", type=int)

    def handle(self, *args: object, **options: object) -> None:
        organisation, _ = Organisation.objects.get_or_create(name=str(options["organisation"]).strip()[:200])
        _, secret = people.invite(organisation, None, "", Role.ADMINISTERS)
        self.stdout.write(f"http://127.0.0.1:{options['port']}/invited/{secret}\n(it holds once, for seven days)")
