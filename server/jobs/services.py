"""Jobs taken in, composed and kept, and the library beside them. No rule of the trade lives here."""

import hashlib
import json
import tempfile
import zipfile
from pathlib import Path, PurePosixPath

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.core.files.base import ContentFile
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models import Max

from accounts.models import Membership, Organisation
from accounts.refused import Refused
from bluntmirror.geometry.mesh import Mesh, box
from bluntmirror.job import JobUnreadable

from . import aside, room, routes, seen
from .models import Job, LibraryFile, Revision, Route, RouteStep
from .reading import JobRead, LibraryRead, RouteRead, packed

MAX_FILES = 500
MAX_LIBRARY_BYTES = 5_000_000
MAX_NAME = 200
STAND_IN = box((1.0, 1.0, 1.0))  # for what an earlier step leaves, where only the files are read
Key = tuple[str, str]


class Behind(Refused):
    """Somebody has kept another revision since the one that is being saved from was opened."""


def named(files: list[UploadedFile], names: list[str]) -> None:
    """Give uploaded files the names that they have in their folder. Raises Refused where there are not as many."""
    if names and len(names) != len(files):
        raise Refused(f"{len(files)} files came with {len(names)} names")
    for file, name in zip(files, names, strict=False):
        file._name = name  # type: ignore[attr-defined]  # by `name` it would lose its folder


def _member(organisation: Organisation, user: AbstractBaseUser) -> Membership | None:
    members = Membership.objects.select_related("organisation", "site")
    return members.filter(user=user, organisation=organisation).first()  # type: ignore[misc]


def take_in(organisation: Organisation, user: AbstractBaseUser, files: list[UploadedFile], label: str = "") -> Revision:
    """A zip, or a folder's files with their relative names, as a new revision of the job named in job.json.

    Raises Refused when the upload is too large or the job cannot be read.
    """
    if not files:
        raise Refused("nothing was uploaded: drop a job folder or a zip of one")
    if len(files) > MAX_FILES:
        raise Refused(f"{len(files)} files; at most {MAX_FILES} are taken")
    if sum(f.size or 0 for f in files) > settings.MAX_UPLOAD_BYTES:
        raise Refused(f"the upload is larger than {settings.MAX_UPLOAD_BYTES // 10**6} MB")
    with tempfile.TemporaryDirectory(prefix="mirror-") as folder:
        if len(files) == 1 and (files[0].name or "").lower().endswith(".zip"):
            archive = Path(folder) / "job.zip"
            with archive.open("wb") as out:
                for chunk in files[0].chunks():
                    out.write(chunk)
        else:
            archive = Path(folder) / "job"
            for file in files:
                parts = PurePosixPath((file.name or "").replace("\\", "/"))
                if parts.is_absolute() or ".." in parts.parts:
                    raise Refused(f"the path '{file.name}' leaves the job folder")
                target = archive / parts
                target.parent.mkdir(parents=True, exist_ok=True)
                with target.open("wb") as out:
                    for chunk in file.chunks():
                        out.write(chunk)
        into = Path(folder) / "unpacked"
        route = aside.read("route", archive, into)
        return (
            take_in_route(organisation, user, route, label)
            if route
            else take_in_path(organisation, user, archive, label)
        )


def take_in_route(organisation: Organisation, user: AbstractBaseUser, route: RouteRead, label: str = "") -> Revision:
    """Every step of a route as a revision of its job; the first step's. A route of the same name gets the revisions that are new,
    and steps more at its end. Raises Refused."""
    name, steps = route.name, route.steps
    if len(name) > MAX_NAME or not name.strip():
        raise Refused(f"route.json: name: it has {len(name)} letters; 1 to {MAX_NAME} are taken")
    with transaction.atomic():
        row, _ = Route.objects.select_for_update().get_or_create(organisation=organisation, name=name, thrown_as=0)
        known = {step.name: step for step in row.steps.select_related("job")}
        member = _member(organisation, user)
        if member and known and not seen.routes(member).filter(pk=row.pk).exists():
            raise Refused(f"there is a route {name} at another site: give this one another name")
        if [*known] != steps[: len(known)]:
            raise Refused(
                f"route.json: steps: {name} has the steps {', '.join(known)}: give a route of other steps a name of its own"
            )
        revisions = []
        for place, (step, folder) in enumerate(zip(steps, route.folders, strict=True)):
            carried = dict.fromkeys(route.carries[place], STAND_IN)
            parent = routes.newest(known[step].job) if step in known else None
            own = None if step in known else f"{name}, {step}"
            revision = take_in_path(organisation, user, folder, label, parent, carried, own)
            if step not in known:
                if RouteStep.objects.filter(job=revision.job).exists():
                    raise Refused(
                        f"route.json: steps.{step}: there is a job '{own}' already: give the route another name"
                    )
                RouteStep.objects.create(route=row, place=place, name=step, job=revision.job)
            revisions.append(revision)
    return revisions[0]


def take_in_path(
    organisation: Organisation, user: AbstractBaseUser, path: Path, label: str = "", parent: Revision | None = None,
    carried: dict[Key, Mesh] | None = None, name: str | None = None,
) -> Revision:  # fmt: skip
    """A job on disk as a new revision: of the job that `parent` belongs to, whatever its name, else of the one that is called
    exactly so (or `name`). The same files again give the revision there is. `carried` stands in for what earlier steps leave; a
    step's own new revision is asked for it. Raises Refused."""
    member = _member(organisation, user)
    site = member.site if member else None
    if path.is_dir():
        same = Revision.objects.filter(job__organisation=organisation, job__thrown_as=0, digest=packed(path)[1])
        same = (
            same.filter(job=parent.job)
            if parent
            else same.filter(job__name=name)
            if name
            else same.filter(job__step=None)
        )
        if member and not parent:
            same = same.filter(job__in=seen.jobs(member))
        if known := same.first():
            return known  # its files were read and checked when it came in
    with tempfile.TemporaryDirectory(prefix="mirror-") as folder:
        try:
            if parent and carried is None:
                carried = dict.fromkeys(routes.sources_known(parent.job, path), STAND_IN)
        except JobUnreadable as error:
            raise Refused(str(error)) from error
        job: JobRead = aside.read("job", path.resolve(), Path(folder), carried)
        archive, digest = packed(job.folder)
    called = name or job.name
    if len(called) > MAX_NAME or not called.strip():
        raise Refused(f"job.json: name: it has {len(called)} letters; 1 to {MAX_NAME} are taken")
    with transaction.atomic():
        if parent:
            row = Job.objects.select_for_update().get(pk=parent.job_id)
        else:
            row, _ = Job.objects.select_for_update().get_or_create(
                organisation=organisation, name=called, thrown_as=0, defaults={"site": site}
            )
            if member and not seen.jobs(member).filter(pk=row.pk).exists():
                raise Refused(f"there is a job {called} at another site: give this one another name")
        known = row.revisions.filter(digest=digest).first()
        if known:
            return known
        room.to_keep(organisation, len(archive))
        number = (row.revisions.aggregate(top=Max("number"))["top"] or 0) + 1
        revision = Revision(job=row, number=number, parent=parent, label=label[:200], machine=job.machine[:200], digest=digest,
                            created_by=user)  # fmt: skip
        revision.archive.save(f"{digest[:16]}.zip", ContentFile(archive), save=False)
        revision.save()
    return revision


def parent_again(revision: Revision, user: AbstractBaseUser) -> Revision:
    """What a revision was made from, kept as the newest once more. Raises Refused."""
    parent = revision.parent
    if parent is None:
        raise Refused("this revision was not made from another one: there is nothing to go back to")
    with transaction.atomic():
        row = Job.objects.select_for_update().get(pk=revision.job_id)
        newest = row.revisions.first()
        if newest is not None and newest.digest == parent.digest:
            return newest
        number = (newest.number if newest else 0) + 1
        again = Revision(job=row, number=number, parent=revision, label=f"as revision {parent.number}", machine=parent.machine,
                         digest=parent.digest, created_by=user)  # fmt: skip
        with parent.archive.open("rb") as source:
            data = source.read()
        room.to_keep(row.organisation, len(data))
        again.archive.save(f"{parent.digest[:16]}.zip", ContentFile(data), save=False)
        again.save()
    return again


def ask_if_behind(revision: Revision, anyway: bool) -> None:
    """Raises Behind where other revisions have been kept since this one, unless the person has said to go on."""
    newer = revision.job.revisions.filter(number__gt=revision.number).select_related("created_by").order_by("-number")
    if newer and not anyway:
        told = ", ".join(f"revision {row.number} by {row.created_by.get_username()}" for row in newer[:3])
        raise Behind(f"since revision {revision.number} was opened, {told} {'was' if len(newer) == 1 else 'were'} kept: look at what "
                     "changed first, or keep yours beside it")  # fmt: skip


def keep_in_library(
    organisation: Organisation, user: AbstractBaseUser, kind: str, raw: bytes, shown: str
) -> LibraryFile:
    """A machine, a tool table, a tool or a fixture as a new number of its name; the same content again gives the one there is.

    Each may come as a zip of its KIND.json with the files it names, a machine as URDF, too. Raises Refused when it cannot be
    read, or names files that did not come with it.
    """
    if len(raw) > MAX_LIBRARY_BYTES:
        raise Refused(f"{shown}: larger than {MAX_LIBRARY_BYTES // 10**6} MB")
    with tempfile.TemporaryDirectory(prefix="mirror-") as folder:
        read: LibraryRead = aside.read("library", str(kind), raw, shown, Path(folder))
    raw, meshes, name = read.raw, read.meshes, read.name[:200]
    digest = hashlib.sha256(raw + meshes).hexdigest()
    with transaction.atomic():
        Organisation.objects.select_for_update().get(pk=organisation.pk)  # one at a time, so that numbers follow
        known = LibraryFile.objects.filter(organisation=organisation, kind=kind, name=name)
        same = known.filter(digest=digest).first()
        if same:
            return same
        room.to_keep(organisation, len(raw) + len(meshes))
        number = (known.aggregate(top=Max("number"))["top"] or 0) + 1
        item = LibraryFile(
            organisation=organisation, kind=kind, name=name, number=number, data=json.loads(raw.decode("utf-8-sig")),
            digest=digest, created_by=user,
        )  # fmt: skip
        if meshes:
            item.meshes.save(f"{digest[:16]}.zip", ContentFile(meshes), save=False)
        item.save()
        return item


def compose(
    organisation: Organisation, user: AbstractBaseUser, job: dict[str, object], machine: LibraryFile, tools: LibraryFile | None,
    files: list[UploadedFile],
) -> Revision:  # fmt: skip
    """A new job from a machine and tools of the library and dropped files; `job` is the rest of job.json.

    Raises Refused like `take_in`; tools.json among the files stands in for the library's.
    """
    names = {(file.name or "").lower() for file in files}
    if names & {"job.json", "machine.json"}:
        raise Refused("a job.json or machine.json among the files: drop the whole folder on the page of jobs instead")
    if tools is None and "tools.json" not in names:
        raise Refused("no tools: pick a tool table or drop a tools.json")
    made = [("machine.json", machine.data), ("job.json", {**job, "machine": "machine.json", "tools": "tools.json"})]
    if "tools.json" not in names and tools is not None:
        made.append(("tools.json", tools.data))
    made[0] = ("machine.json", machine.data | {"revision": machine.number})
    more = [ContentFile(json.dumps(data, indent=1).encode(), name=name) for name, data in made]
    if machine.meshes:
        with machine.meshes.open("rb") as source, zipfile.ZipFile(source) as bundle:
            more += [ContentFile(bundle.read(name), name=name) for name in bundle.namelist()]
    return take_in(organisation, user, [*files, *more], "composed")  # type: ignore[list-item]
