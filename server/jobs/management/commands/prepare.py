"""Bring the tables up to date and, if asked, load the demo shop. Safe to run again and again."""

import json
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser

from accounts import people, sites
from accounts.models import Membership, Organisation, Role
from jobs import basket, calibrating, reading, record, releasing
from jobs.models import Job, LibraryFile, MeasuredTimes, Rehearsal, Release, Revision
from jobs.running import begin_rehearsal, take_up_again
from jobs.services import keep_in_library, take_in_path, take_in_route
from jobs.store import NotOurs, store
from jobs.tasks import run_rehearsal

DEMO_RELEASED, DEMO_NOTE = "Transducer bracket, five sides", "First part measured on unit 40: all within tolerance."
DEMO_TOUCHED, DEMO_TOUCHED_NOTE = "Clamp shells, mixed pallet", "Second pallet run without a finding on the floor."
DEMO_TOUCHED_TOOL, DEMO_LONGER_MM = 6, 0.35
DEMO_MEASURED, DEMO_TOOK = (
    "Buoy electronics lid, first side",
    {1: 1.02, 2: 1.05, 3: 1.06, 4: 1.1},
)  # times what is worked out
DEMO_PEOPLE = {"joost": Role.RELEASES, "marit": Role.WORKS, "sander": Role.READS}  # with the same password
DEMO_INVITED = "veerle@saltmarsh.example"
DEMO_SITES = ("Harbour works", "Dune works")
DEMO_AT_A_SITE = ("Buoy hub, T-slot and thread", "Cable clip, as generated")
DEMO_USER, DEMO_PASSWORD, DEMO_SHOP = "ines", "tide-table-9", "Saltmarsh Instruments"


class Command(BaseCommand):
    help = __doc__ or ""

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--demo", action="store_true")

    def handle(self, *args: object, **options: object) -> None:
        call_command("migrate", verbosity=0, interactive=False)
        _mark_the_store()
        take_up_again()
        basket.clear()
        if options["demo"]:
            load_demo(settings.ROOT / "demo")
            release_one()
            touch_one()
            measure_one()
            rehearse_demo()


def _mark_the_store() -> None:
    """A store that is new, or of before stores had a mark, is marked as ours; one that lacks what the tables name is another's, or not there."""
    place = store()
    try:
        place.room()
    except NotOurs as error:
        named = Revision.objects.values_list("archive", flat=True)[:1]
        if named and not any(file.name == named[0] for file in place.listed()):
            raise CommandError(
                f"{error} The tables name files that are not in it: name the store that holds them (MIRROR_STORE), or bring it back."
            ) from error
    place.mark()


def release_one() -> None:
    """One job comes up released, so that a newcomer sees what that is."""
    row = rehearsed(DEMO_RELEASED)
    if row is not None:
        sign(row, DEMO_NOTE)


def touch_one() -> None:
    """Another comes up released, and touched since: a tool of it has been measured anew in the library."""
    row = rehearsed(DEMO_TOUCHED)
    if row is None or not sign(row, DEMO_TOUCHED_NOTE):
        return
    crib = json.loads((settings.ROOT / "demo" / "tools.json").read_text())
    tool = next(tool for tool in crib["tools"] if tool["number"] == DEMO_TOUCHED_TOOL)
    tool["length"] = round(tool["length"] + DEMO_LONGER_MM, 3)
    tool["registers"] = {**tool.get("registers", {}), "H": tool["length"]}
    shop, user = row.revision.job.organisation, row.created_by
    kept = keep_in_library(shop, user, LibraryFile.Kind.TOOLS, json.dumps(crib).encode(), "tools.json")
    record.note(shop, user, "put into the library", f"{kept.name}, number {kept.number}", "tools")


def measure_one() -> None:
    """On one unit times were measured: its machine has learned from them."""
    unit = Revision.objects.filter(job__organisation__name=DEMO_SHOP, job__name=DEMO_MEASURED, number=1).first()
    if unit is None or MeasuredTimes.objects.filter(unit=unit.machine).exists():
        return
    row = rehearsed(DEMO_MEASURED, again=True)
    if row is None or row.result is None:
        return
    lines, whole = [], 0.0
    for item in row.result["times"]["operations"]:
        seconds = sum(item[kind] for kind in ("cutting", "air", "rapid", "dwell", "change", "waiting", "other"))
        if item["tool"]:
            took = seconds * DEMO_TOOK.get(item["tool"], 1.0)
            lines.append(f"T{item['tool']}, {took:.0f}")
            whole += took
    calibrating.learn(row, "\n".join([f"cycle, {whole:.0f}", *lines]), row.created_by)


def rehearsed(name: str, again: bool = False) -> Rehearsal | None:
    """The first revision of a demo job, rehearsed here and now, since only what is done can be signed; None where it is not there, or (unless
    `again`) is released already."""
    revision = Revision.objects.filter(job__organisation__name=DEMO_SHOP, job__name=name, number=1).first()
    if revision is None or (not again and Release.objects.filter(rehearsal__revision=revision).exists()):
        return None
    row = Rehearsal.objects.create(revision=revision, created_by=User.objects.get(username=DEMO_USER))
    run_rehearsal(row.pk)
    row.refresh_from_db()
    return row


def sign(row: Rehearsal, note: str) -> bool:
    """Release a rehearsal where it can be."""
    if releasing.why_not(row):
        return False
    releasing.release(row, note, row.created_by)
    revision = row.revision
    about = f"{revision.job.name}, revision {revision.number}, rehearsal {row.pk}"
    record.note(revision.job.organisation, row.created_by, "released", about, note, revision.job_id)
    return True


def rehearse_demo() -> None:
    """Queue what was never rehearsed, quick ones first, so that a newcomer sees verdicts within a minute."""
    never = Revision.objects.filter(job__organisation__name=DEMO_SHOP, rehearsals=None)
    for revision in sorted(never, key=lambda row: row.archive.size):
        begin_rehearsal(revision, revision.created_by)


def person(shop: Organisation, name: str, role: Role) -> User:
    """Somebody of the demo shop; who is there already stays as they are."""
    user, made = User.objects.get_or_create(username=name, defaults={"email": f"{name}@saltmarsh.example"})
    if made:
        user.set_password(DEMO_PASSWORD)
        user.save()
        Membership.objects.create(user=user, organisation=shop, role=role)
    return user


def load_demo(folder: Path) -> None:
    shop, _ = Organisation.objects.get_or_create(name=DEMO_SHOP)
    user = person(shop, DEMO_USER, Role.ADMINISTERS)
    for name, role in DEMO_PEOPLE.items():
        person(shop, name, role)
    new = not shop.sites.exists()
    if new:
        for name, member in zip(DEMO_SITES, ("marit", "sander"), strict=True):
            site = sites.make(shop, name)
            Membership.objects.filter(user__username=member, organisation=shop).update(site=site)
    if not shop.invitations.exists():
        people.invite(shop, user, DEMO_INVITED, Role.WORKS)
    for machine in sorted((folder / "machines").iterdir()):
        keep_in_library(shop, user, LibraryFile.Kind.MACHINE, machine.read_bytes(), machine.name)
    keep_in_library(shop, user, LibraryFile.Kind.TOOLS, (folder / "tools.json").read_bytes(), "tools.json")
    for job in sorted((folder / "jobs").iterdir()):
        for revision in sorted(job.iterdir()):
            take_in_path(shop, user, revision, revision.name.partition("-")[2])
    if new:
        own = Job.objects.filter(organisation=shop, name__in=DEMO_AT_A_SITE)
        own.update(site=shop.sites.get(name=DEMO_SITES[0]))
    for route in sorted((folder / "routes").iterdir()):
        for revision in sorted(route.iterdir()):
            files = reading.route(revision, Path())
            assert files is not None  # they lie among the routes
            take_in_route(shop, user, files, revision.name.partition("-")[2])
