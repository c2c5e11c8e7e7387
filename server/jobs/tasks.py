"""The worker's side: one rehearsal, with progress, heartbeat and cancel."""

import gzip
import io
import json
import logging
import tempfile
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import redis
from celery import shared_task
from celery.signals import worker_process_init
from django.conf import settings
from django.core.files.base import ContentFile
from django.db import DatabaseError, InterfaceError, OperationalError, connection, transaction
from django.utils import timezone

from bluntmirror.export import sheet
from bluntmirror.export.control_data import as_csv as control_csv
from bluntmirror.export.control_data import as_program, control_data
from bluntmirror.export.measures import as_csv
from bluntmirror.export.replay import replay_data
from bluntmirror.export.report import as_html
from bluntmirror.export.trace import write_trace
from bluntmirror.export.verdict import render, verdict_dict
from bluntmirror.geometry.meshfile import write_stl
from bluntmirror.job import Job, JobUnreadable, open_job
from bluntmirror.job.models import Measure
from bluntmirror.rehearsal import Cancelled
from bluntmirror.rehearsal import Rehearsal as Run
from bluntmirror.rehearsal.checkpoints import FolderStore, code_digest
from bluntmirror.rehearsal.measuring import packed
from bluntmirror.rehearsal.routing import Handed, handed_on, rehearse_step

from . import bounds, hooks, logs, measuring, queueing, remedying, routes, tolerating
from .desks import by_house_rules
from .models import Artifact, Finding, Rehearsal, RouteStep, Search, Tolerance
from .patience import patiently
from .stream import queue, send, stream_key

log = logging.getLogger(__name__)
FILM = "film.bin"
STREAM_SECONDS = 3600
TELL_EVERY_SECONDS = 0.15
SEARCH_PULSE_SECONDS = 1.0
LENDS_EVERY_SECONDS = 0.3
FOLLOWING = ("", "reading", "contact")  # the stages before anything is cut


@worker_process_init.connect
def _bound(**_: object) -> None:
    bounds.bound_addresses()
    bounds.stand_back()


class Teller:
    """Writes progress to the rehearsal's stream, and raises Cancelled when the user has asked for it."""

    def __init__(self, number: int) -> None:
        self.number = number
        self.queue = queue()
        self.last = 0.0

    def __call__(self, stage: str, share: float) -> None:
        now = time.monotonic()
        if now - self.last < TELL_EVERY_SECONDS:
            return
        self.last = now
        self.tell({"state": "running", "stage": stage, "share": round(share, 4)})
        row = Rehearsal.objects.filter(pk=self.number)
        try:
            row.update(stage=stage, share=share)
            asked = row.filter(cancel_asked=True).exists()
        except (OperationalError, InterfaceError):  # a lock, or away: this share is not told, a later one is
            _let_go()
            return
        if asked:
            raise Cancelled

    def tell(self, event: dict[str, object]) -> None:
        """Where nobody can be told, whoever looks asks the table."""
        key = stream_key(self.number)
        with suppress(redis.RedisError):
            self.queue.xadd(key, {"data": json.dumps(event)}, maxlen=2000)
            self.queue.expire(key, STREAM_SECONDS)

    def forget(self) -> None:
        """Numbers come again when a database is made anew; old words must not."""
        with suppress(redis.RedisError):
            self.queue.delete(stream_key(self.number))


class Heartbeat(threading.Thread):
    """Says every few seconds that the worker lives; when it falls silent the rehearsal is taken as lost. A rehearsal that takes more than it may
    is ended here, whatever it is computing."""

    def __init__(self, number: int) -> None:
        super().__init__(daemon=True)
        self.number = number
        self.over = threading.Event()
        self.begun = time.monotonic()

    def run(self) -> None:
        while not self.over.wait(settings.HEARTBEAT_SECONDS):
            # One beat may be lost, to a lock or to a database that is away for a moment; the next makes up for it.
            try:
                Rehearsal.objects.filter(pk=self.number).update(heartbeat=timezone.now())
            except DatabaseError:
                _let_go()
            if bounds.is_a_worker() and (said := bounds.exceeded(self.begun)):
                self.end(said)
        connection.close()

    def end(self, said: str) -> None:
        settle(self.number, Rehearsal.State.FAILED, said)
        Teller(self.number).tell({"state": "failed", "error": said})
        wake()
        bounds.end_this_process()


def _let_go() -> None:
    """A connection that broke does not mend itself: the next question opens another."""
    if not connection.in_atomic_block:
        connection.close()


def wake() -> None:
    """Tell the workers that a rehearsal waits."""
    send(run_next)


@shared_task
def run_next() -> None:
    """Carry out the rehearsal whose turn it is. Told twice, or too often, nothing is done twice."""
    try:
        if not any(run_rehearsal(number) for number in patiently(queueing.in_order)):
            return
    except BaseException:
        wake()
        raise
    wake()


def run_rehearsal(number: int) -> bool:
    """Carry out a rehearsal that waits; whether it was this one's turn: not while a step that it stands on is under way."""
    begun = patiently(lambda: _begun(number))
    if begun is None:
        return False
    with logs.under(begun[0].asked_in):
        _carry_out(*begun)
    return True


def _carry_out(rehearsal: Rehearsal, taken: dict[routes.Key, Handed], lacking: routes.Lacking | None) -> None:
    """A rehearsal that was begun, to its end; `lacking`: what it needs of a step before it and cannot have."""
    number, began = rehearsal.pk, time.monotonic()
    log.info("rehearsal begun", extra=logs.more(rehearsal=number, person=rehearsal.created_by_id))
    teller = Teller(number)
    teller.forget()
    heart = Heartbeat(number)
    heart.start()
    state, error = Rehearsal.State.DONE, ""
    try:
        if lacking:
            raise lacking
        with tempfile.TemporaryDirectory(prefix="mirror-") as folder:
            archive = Path(folder) / "job.zip"
            patiently(lambda: _fetched(rehearsal, archive))
            store = _checkpoints(rehearsal)
            opened = open_job(archive, {key: item.left for key, item in taken.items()})
            of_file = list(opened.file.measures)
            job, step = patiently(lambda: _of_the_house(opened, rehearsal))
            helped = settings.HELPS and not rehearsal.quick and not taken
            if helped:
                send(help_with, number, settings.WORKER)
            run = rehearse_step(job, taken, teller, store, quick=rehearsal.quick, side="front" if helped else "")
            teller.tell({"state": "running", "stage": "saving", "share": 1.0})
            handed = handed_on(run, taken, step.name) if step else {}
            patiently(lambda: keep(rehearsal, run, handed, of_file))
    except Cancelled:
        state = Rehearsal.State.CANCELLED
    except (routes.Lacking, JobUnreadable, MemoryError, OSError) as failure:
        state, error = Rehearsal.State.FAILED, str(failure) or type(failure).__name__
    except DatabaseError as failure:
        state, error = Rehearsal.State.FAILED, f"The database was away for too long ({failure}): run it again."
    except Exception as failure:
        state = Rehearsal.State.FAILED
        error = f"The rehearsal broke off through a fault of the program ({type(failure).__name__}: {failure})."
        raise
    finally:
        heart.over.set()
        settle(number, state, error)
        teller.tell({"state": str(state), "error": error})
        took = round(time.monotonic() - began, 2)
        log.info("rehearsal ended", extra=logs.more(rehearsal=number, state=str(state), seconds=took, error=error))
        with suppress(DatabaseError):  # whoever is to be told, the rehearsal stands
            patiently(lambda: _told(rehearsal))


class Lender:
    """Progress of a worker that helps with a rehearsal which another has: it gives way when that is over, when something waits for a worker, and
    when it would take more than a rehearsal may."""

    def __init__(self, number: int) -> None:
        self.number = number
        self.begun = self.last = time.monotonic()
        self.cuts = False

    def __call__(self, stage: str, share: float) -> None:
        if stage == "material" and not self.cuts:
            while self._stage() in FOLLOWING:  # what the other finds before it cuts is not to come from here
                time.sleep(LENDS_EVERY_SECONDS)
            self.cuts = True
        if time.monotonic() - self.last >= LENDS_EVERY_SECONDS:
            self._stage()

    def _stage(self) -> str:
        """The stage of the other. Raises Cancelled where helping is over."""
        self.last = time.monotonic()
        row = Rehearsal.objects.filter(pk=self.number, state=Rehearsal.State.RUNNING).only("stage").first()
        if row is None or queueing.in_order() or bounds.exceeded(self.begun):
            raise Cancelled
        return row.stage


@shared_task
def help_with(number: int, worker: str) -> None:
    """Work at a rehearsal that another worker has, from its other end (`bluntmirror.rehearsal.from_both_ends`). Whatever becomes of this, the
    rehearsal is not touched: it finds in the checkpoints what was done here, or does it itself."""
    if worker != settings.WORKER and not settings.CHECKPOINTS_SHARED:
        return
    try:
        lender = Lender(number)
        lender._stage()
        rehearsal = Rehearsal.objects.select_related("revision__job__organisation").get(pk=number)
        with tempfile.TemporaryDirectory(prefix="mirror-") as folder:
            archive = Path(folder) / "job.zip"
            _fetched(rehearsal, archive)
            job, _ = _of_the_house(open_job(archive), rehearsal)
            rehearse_step(job, {}, lender, _checkpoints(rehearsal), side="back")
    except Cancelled:
        return
    except Exception as failure:  # nobody waits for it
        log.warning("helping broke off", exc_info=failure, extra=logs.more(rehearsal=number))


def _checkpoints(rehearsal: Rehearsal) -> FolderStore:
    return FolderStore(settings.CHECKPOINTS / str(rehearsal.revision.job.organisation_id))


def _fetched(rehearsal: Rehearsal, archive: Path) -> None:
    with rehearsal.revision.archive.open("rb") as source:
        archive.write_bytes(source.read())


def _begun(number: int) -> tuple[Rehearsal, dict[routes.Key, Handed], routes.Lacking | None] | None:
    """A rehearsal whose turn it is, with what it takes from steps before it or what is lacking of that; None where it is not its turn."""
    rehearsal = Rehearsal.objects.select_related("revision__job").filter(pk=number).first()
    if rehearsal is None:
        return None
    taken: dict[routes.Key, Handed] = {}
    sources: list[Rehearsal] = []
    lacking = None
    try:
        taken, sources = routes.taken_by(rehearsal.revision)
    except routes.NotYet:
        return None  # when the step it waits for has ended
    except routes.Lacking as error:
        lacking = error
    now = timezone.now()
    basis, code = routes.basis_of(rehearsal.revision), code_digest()
    with transaction.atomic():
        begun = Rehearsal.objects.filter(pk=number, state=Rehearsal.State.QUEUED)
        if not begun.update(
            state=Rehearsal.State.RUNNING,
            heartbeat=now,
            begun=now,
            worker=settings.WORKER,
            basis=basis,
            computation=code,
        ):
            return None  # cancelled while it waited, or taken up by another worker
        rehearsal.sources.set(sources)
    return rehearsal, taken, lacking


def _of_the_house(job: Job, rehearsal: Rehearsal) -> tuple[Job, RouteStep | None]:
    """A job with the rules of its organisation and the measures kept with it, and the step of a route that it is."""
    of = rehearsal.revision.job
    return (
        measuring.with_measures(by_house_rules(job, of.organisation), of),
        None if rehearsal.quick else routes.step_of(of),
    )


@transaction.atomic
def _told(rehearsal: Rehearsal) -> None:
    hooks.finished(rehearsal)


def _beside(kind: Any, number: int, what: str, work: Callable[[int, Path, Callable[[str, float], None]], None]) -> None:
    """Carry out what is worked out beside a rehearsal (a `Search`, a `Tolerance`), and settle how it ended."""
    begun = kind.objects.filter(pk=number, state=Rehearsal.State.QUEUED)
    if not begun.update(state=Rehearsal.State.RUNNING, heartbeat=timezone.now(), worker=settings.WORKER, error=""):
        return  # cancelled while it waited, or delivered twice
    state, error = Rehearsal.State.DONE, ""
    last = time.monotonic()

    def pulse(stage: str, share: float) -> None:
        nonlocal last
        if time.monotonic() - last < SEARCH_PULSE_SECONDS:
            return
        last = time.monotonic()
        with suppress(DatabaseError):
            row = kind.objects.filter(pk=number)
            row.update(heartbeat=timezone.now(), **({"share": share} if kind is Tolerance else {}))
            if row.filter(cancel_asked=True).exists():
                raise Cancelled

    try:
        with tempfile.TemporaryDirectory(prefix="mirror-") as folder:
            work(number, Path(folder), pulse)
    except Cancelled:
        state = Rehearsal.State.CANCELLED
    except (JobUnreadable, MemoryError, OSError) as failure:
        state, error = Rehearsal.State.FAILED, str(failure) or type(failure).__name__
    except Exception as failure:
        state = Rehearsal.State.FAILED
        error = f"{what} broke off through a fault of the program ({type(failure).__name__}: {failure})."
        raise
    finally:
        kind.objects.filter(pk=number, state=Rehearsal.State.RUNNING).update(state=state, error=error)


@shared_task
def run_search(number: int) -> None:
    """Try changes on a rehearsal's findings."""
    _beside(Search, number, "Trying changes", remedying.search)


@shared_task
def run_tolerance(number: int) -> None:
    """Work out how wrong the set-up of a rehearsal may be."""
    _beside(Tolerance, number, "Working out the tolerance", tolerating.work_out)


def settle(number: int, state: str, error: str) -> None:
    """Write how a rehearsal ended; a lock or a database that is away is waited out, since nobody else would write it."""
    patiently(
        lambda: Rehearsal.objects.filter(pk=number, state=Rehearsal.State.RUNNING).update(
            state=state, error=error, finished=timezone.now(), share=1.0
        )
    )


def keep(rehearsal: Rehearsal, run: Run, handed: dict[str, Handed], measures: list[Measure]) -> None:
    """Store the verdict, the findings with their causes, and the artifacts; of a route's step what it hands on. `measures`: those of
    the job file."""
    known = [item.judged for item in rehearsal.revision.job.triage.select_related("by")]
    verdict = verdict_dict(run, known)
    description, binary, film = replay_data(run)
    trace = io.StringIO()
    write_trace(run, trace)
    files = {
        "replay.json": ("application/json", json.dumps(description).encode()),
        "replay.bin": ("application/octet-stream", binary),
        "trace.csv": ("text/csv", trace.getvalue().encode()),
        "verdict.json": ("application/json", render(verdict, "json").encode()),
        "verdict.sarif": ("application/json", render(verdict, "sarif").encode()),
        "report.html": (
            "text/html",
            as_html(run, f"{timezone.now():%d %B %Y, %H:%M} UTC", rehearsal.created_by.get_username(), known).encode(),
        ),
        "verdict.xml": ("application/xml", render(verdict, "junit").encode()),
    }
    day = f"{timezone.now():%d %B %Y, %H:%M} UTC"
    files["setup.html"] = ("text/html", sheet.as_html(run, day, rehearsal.created_by.get_username()).encode())
    files["tools.csv"] = ("text/csv", sheet.tools_csv(run).encode())
    files["labels.html"] = ("text/html", sheet.labels_html(run).encode())
    files["control.csv"] = ("text/csv", control_csv(control_data(run)).encode())
    for strand in run.strands:
        files[f"control-{strand.channel}.nc"] = ("text/plain", as_program(run, strand.channel).encode())
    if verdict.get("measures"):
        files["measures.csv"] = ("text/csv", as_csv(verdict["measures"]).encode())
    if handed:
        files[routes.HANDED_ON] = ("application/octet-stream", routes.handed_file(handed))
    if run.stocks:
        files[measuring.KEPT] = ("application/octet-stream", packed(run, measures))
        with tempfile.NamedTemporaryFile(suffix=".stl") as out:
            write_stl(Path(out.name), run.stocks[0].final_mesh)
            files["stock.stl"] = ("model/stl", Path(out.name).read_bytes())
    artifacts = [
        Artifact(rehearsal=rehearsal, name=name, media_type=media_type, packed=True)
        for name, (media_type, _) in files.items()
    ]
    # Its bricks are packed one by one already: any of them can be read without the others.
    artifacts.append(Artifact(rehearsal=rehearsal, name=FILM, media_type="application/octet-stream"))
    # The files first: a slow store would hold the rows, and with them the heartbeat, for as long as it takes.
    try:
        for artifact in artifacts:
            data = gzip.compress(files[artifact.name][1], 5) if artifact.packed else film
            shown = f"{rehearsal.pk}-{artifact.name}{'.gz' if artifact.packed else ''}"
            artifact.file.save(shown, ContentFile(data), save=False)
        patiently(lambda: _rows_kept(rehearsal, run, verdict, artifacts))
    except BaseException:
        for artifact in artifacts:
            with suppress(OSError):  # what stays belongs to nothing, and goes after a day
                artifact.file.delete(save=False)
        raise


def _rows_kept(rehearsal: Rehearsal, run: Run, verdict: dict[str, Any], artifacts: list[Artifact]) -> None:
    """The rows of a result, whose files are kept already; a second time nothing, where only the answer to the first was lost."""
    with transaction.atomic():
        if Rehearsal.objects.filter(pk=rehearsal.pk, result__isnull=False).exists():
            return
        Artifact.objects.bulk_create(artifacts)
        for place, item in enumerate(run.findings):
            data_of = verdict["findings"][place] | {"motion": item.motion, "lastMotion": item.last_motion}
            Finding.objects.create(rehearsal=rehearsal, place=place, cause=data_of["cause"], data=data_of)
        Rehearsal.objects.filter(pk=rehearsal.pk).update(
            verdict=verdict["verdict"],
            seconds=verdict["time"],
            stops=sum(f["severity"] == "stop" for f in verdict["findings"]),
            cautions=sum(f["severity"] == "caution" for f in verdict["findings"]),
            result={k: v for k, v in verdict.items() if k != "findings"},
        )
