"""Bring the tables up to date and, if asked, load the demo shop. Safe to run again and again."""

from pathlib import Path

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser

from accounts.models import Membership, Organisation, Role
from bluntmirror.job.route import open_route
from jobs import record, releasing
from jobs.models import LibraryFile, Rehearsal, Release, Revision
from jobs.running import begin_rehearsal, take_up_again
from jobs.services import keep_in_library, take_in_path, take_in_route
from jobs.tasks import run_rehearsal

DEMO_RELEASED, DEMO_NOTE = "Transducer bracket, five sides", "First part measured on unit 40: all within tolerance."
DEMO_USER, DEMO_PASSWORD, DEMO_SHOP = "ines", "tide-table-9", "Saltmarsh Instruments"


class Command(BaseCommand):
    help = __doc__ or ""

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--demo", action="store_true")

    def handle(self, *args: object, **options: object) -> None:
        call_command("migrate", verbosity=0, interactive=False)
        take_up_again()
        if options["demo"]:
            load_demo(settings.ROOT / "demo")
            release_one()
            rehearse_demo()


def release_one() -> None:
    """One job comes up released, so that a newcomer sees what that is; rehearsed here and now, since only what is done can be signed."""
    revision = Revision.objects.filter(job__organisation__name=DEMO_SHOP, job__name=DEMO_RELEASED, number=1).first()
    if revision is None or Release.objects.filter(rehearsal__revision=revision).exists():
        return
    user = get_user_model().objects.get(username=DEMO_USER)
    row = Rehearsal.objects.create(revision=revision, created_by=user)
    run_rehearsal(row.pk)
    row.refresh_from_db()
    if not releasing.why_not(row):
        releasing.release(row, DEMO_NOTE, user)
        about = f"{revision.job.name}, revision {revision.number}, rehearsal {row.pk}"
        record.note(revision.job.organisation, user, "released", about, DEMO_NOTE, revision.job_id)


def rehearse_demo() -> None:
    """Queue what was never rehearsed, quick ones first, so that a newcomer sees verdicts within a minute."""
    never = Revision.objects.filter(job__organisation__name=DEMO_SHOP, rehearsals=None)
    for revision in sorted(never, key=lambda row: row.archive.size):
        begin_rehearsal(revision, revision.created_by)


def load_demo(folder: Path) -> None:
    shop, _ = Organisation.objects.get_or_create(name=DEMO_SHOP)
    user, made = get_user_model().objects.get_or_create(username=DEMO_USER)
    if made:
        user.set_password(DEMO_PASSWORD)
        user.save()
    Membership.objects.get_or_create(user=user, organisation=shop, defaults={"role": Role.ADMINISTERS})
    for machine in sorted((folder / "machines").iterdir()):
        keep_in_library(shop, user, LibraryFile.Kind.MACHINE, machine.read_bytes(), machine.name)
    keep_in_library(shop, user, LibraryFile.Kind.TOOLS, (folder / "tools.json").read_bytes(), "tools.json")
    for job in sorted((folder / "jobs").iterdir()):
        for revision in sorted(job.iterdir()):
            take_in_path(shop, user, revision, revision.name.partition("-")[2])
    for route in sorted((folder / "routes").iterdir()):
        for revision in sorted(route.iterdir()):
            files = open_route(revision)
            assert files is not None  # they lie among the routes
            take_in_route(shop, user, files, revision.name.partition("-")[2])
