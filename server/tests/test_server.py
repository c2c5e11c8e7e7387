"""The server: who may see what, what is refused, and what survives."""

import gzip
import io
import json
import zipfile
import zlib
from contextlib import suppress
from datetime import timedelta
from pathlib import Path
from unittest import mock

import numpy as np
from asgiref.sync import async_to_sync
from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.db import OperationalError, connection
from django.test import TestCase, override_settings
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from accounts.models import Membership, Organisation
from jobs import releasing, routes, setups, standing
from jobs.models import Artifact, Finding, Job, Rehearsal, Revision
from jobs.queueing import in_order
from jobs.running import take_up_again
from jobs.services import keep_in_library, take_in_path
from jobs.tasks import _rows_kept, run_rehearsal, settle

SLOT = settings.ROOT / "core" / "tests" / "jobs" / "slot-flawed"


def zipped(folder: Path, **changes: bytes) -> SimpleUploadedFile:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as bundle:
        for file in folder.iterdir():
            bundle.writestr(file.name, changes.get(file.name.replace(".", "_"), file.read_bytes()))
    return SimpleUploadedFile("job.zip", out.getvalue())


# A password is made hard to guess by making it slow to try: no test needs that of its own.
@override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"], SETTLE_EVERY_SECONDS=0)
class WithShop(TestCase):
    def setUp(self) -> None:
        self.shop, self.other = (Organisation.objects.create(name=name) for name in ("shop", "other"))
        users = get_user_model().objects
        self.ines, self.stranger = (users.create_user(name, password="a-long-password") for name in ("ines", "max"))
        Membership.objects.create(user=self.ines, organisation=self.shop, role="administers")
        Membership.objects.create(user=self.stranger, organisation=self.other, role="administers")
        self.client.force_login(self.ines)

    def rehearse(self, revision: Revision) -> Rehearsal:
        row = Rehearsal.objects.create(revision=revision, created_by=self.ines)
        run_rehearsal(row.pk)
        row.refresh_from_db()
        return row


class Server(WithShop):
    def test_nothing_without_signing_in(self) -> None:
        self.client.logout()
        for address in ("/api/jobs", "/api/me", "/api/rehearsals/1", "/api/rehearsals/1/events"):
            self.assertIn(self.client.get(address).status_code, (401, 404))

    def test_writing_needs_the_forgery_token(self) -> None:
        from django.test import Client

        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.ines)
        self.assertEqual(strict.post("/api/sign-out").status_code, 403)

    def test_a_file_lost_from_the_store_is_told_where_it_is_missed_and_hides_nothing_else(self) -> None:
        rows = [
            self.rehearse(take_in_path(self.shop, self.ines, folder)) for folder in (SLOT, SLOT.parent / "slot-clear")
        ]
        lost, torn = (Path(row.revision.archive.path) for row in rows)
        lost.unlink()
        torn.write_bytes(torn.read_bytes()[:100])
        for table in (routes._carries, routes._tell, releasing._own_tools):
            table.cache_clear()
        setups._jobs.items.clear()
        with self.assertLogs("jobs.routes", "ERROR"):
            told = self.client.get("/api/jobs")
        self.assertEqual((told.status_code, len(told.json())), (200, 2))
        with self.assertLogs("mirror.api", "ERROR"):
            for row, said in zip(rows, ("is no longer in the store", "is damaged"), strict=True):
                answer = self.client.get(f"/api/revisions/{row.revision.pk}/setup")
                self.assertEqual(answer.status_code, 500)
                self.assertIn(said, answer.json()["detail"])
                self.assertIn("backup", answer.json()["detail"])
        again = self.rehearse(rows[0].revision)
        self.assertEqual(again.state, "failed")
        self.assertIn("./mirror restore", again.error)
        # What was rehearsed stands; what of it is lost says so, too.
        self.assertEqual(self.client.get(f"/api/rehearsals/{rows[0].pk}").status_code, 200)
        Path(rows[0].artifacts.get(name="replay.bin").file.path).unlink()
        with self.assertLogs("mirror.api", "ERROR"):
            self.assertIn(
                "no longer in the store",
                self.client.get(f"/api/rehearsals/{rows[0].pk}/artifacts/replay.bin").json()["detail"],
            )

    def test_the_list_asks_no_more_for_many_than_for_one_and_says_when_nothing_has_changed(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))

        def asked() -> tuple[int, str]:
            standing._known.clear()  # it may be a second old where a worker has changed something
            with CaptureQueriesContext(connection) as queries:
                answer = self.client.get("/api/jobs")
            return len(queries), answer["ETag"]

        one, tag = asked()
        with mock.patch.object(standing, "HOLDS_S", 1e9):  # what a person does is seen at once, whatever is held
            self.assertEqual(self.client.get("/api/jobs", headers={"If-None-Match": tag}).status_code, 304)
            self.client.post(f"/api/jobs/{row.revision.job_id}/throw-away")
            thrown = self.client.get("/api/jobs", headers={"If-None-Match": tag})
            self.assertEqual((thrown.status_code, thrown.json()), (200, []))
            self.client.post(f"/api/basket/job/{row.revision.job_id}/bring-back")
            back = self.client.get("/api/jobs", headers={"If-None-Match": thrown["ETag"]})
            self.assertEqual((back.status_code, len(back.json())), (200, 1))
        tags = [asked()[1]]
        clear = take_in_path(self.shop, self.ines, SLOT.parent / "slot-clear")
        tags.append(asked()[1])
        again = Rehearsal.objects.create(revision=clear, created_by=self.ines)
        tags.append(asked()[1])
        for change in (
            {"state": "running", "begun": timezone.now(), "heartbeat": timezone.now()}, {"share": 0.5},
            {"state": "done", "finished": timezone.now()},
        ):  # fmt: skip
            Rehearsal.objects.filter(pk=again.pk).update(**change)
            tags.append(asked()[1])
        finding = row.findings.first()
        assert finding
        body = json.dumps({"judgement": "accepted", "reason": "known"})
        self.client.put(f"/api/findings/{finding.pk}/triage", body, content_type="application/json")
        tags.append(asked()[1])
        self.ines.username = "inez"
        self.ines.save()
        many, last = asked()
        self.assertEqual(len({*tags, last}), len(tags) + 1, "each change is seen")
        self.assertEqual(self.client.get("/api/jobs", headers={"If-None-Match": tag}).status_code, 200)
        self.assertLessEqual(many, one)

    def test_an_upload_becomes_a_job_once(self) -> None:
        for _ in range(2):
            answer = self.client.post("/api/jobs", {"files": zipped(SLOT)})
            self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual([len(j["revisions"]) for j in self.client.get("/api/jobs").json()], [1])
        changed = zipped(SLOT, O1001_nc=b"O1001\nM30\n")
        self.assertEqual(len(self.client.post("/api/jobs", {"files": changed}).json()["revisions"]), 2)

    def test_what_cannot_be_read_is_refused_with_its_reason(self) -> None:
        broken = zipped(SLOT, machine_json=b'{"format": "x"}')
        answer = self.client.post("/api/jobs", {"files": broken})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("machine.json", answer.json()["detail"])
        self.assertEqual(Revision.objects.count(), 0)

    def test_another_organisation_sees_nothing(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        finding = row.findings.first()
        assert finding
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get("/api/jobs").json(), [])
        body = json.dumps({"judgement": "real"})
        for method, address in (
            ("get", f"/api/rehearsals/{row.pk}"), ("get", f"/api/rehearsals/{row.pk}/artifacts/verdict.json"),
            ("get", f"/api/rehearsals/{row.pk}/events"), ("get", f"/api/rehearsals/{row.pk}/program/O1001.nc"),
            ("post", f"/api/revisions/{row.revision_id}/rehearsals"), ("post", f"/api/rehearsals/{row.pk}/cancel"),
            ("put", f"/api/findings/{finding.pk}/triage"),
        ):  # fmt: skip
            answer = (
                getattr(self.client, method)(address, body, content_type="application/json")
                if method != "get"
                else self.client.get(address)
            )
            self.assertEqual(answer.status_code, 404, address)

    def test_a_rehearsal_gives_verdict_findings_and_artifacts(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        self.assertEqual((row.state, row.verdict), ("done", "stop"), row.error)
        full = self.client.get(f"/api/rehearsals/{row.pk}").json()
        self.assertEqual([f["data"]["kind"] for f in full["findings"]], ["contact.rapid", "travel.over"])
        answer = self.client.get(f"/api/rehearsals/{row.pk}/artifacts/replay.json")
        self.assertEqual((answer.status_code, answer["Content-Encoding"]), (200, "gzip"))
        self.assertIn("N94", self.client.get(f"/api/rehearsals/{row.pk}/program/O1001.nc").content.decode())
        self.assertEqual(self.client.get(f"/api/rehearsals/{row.pk}/program/../settings.py").status_code, 404)

    def test_triage_carries_over_and_reopens_when_worse(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        over = row.findings.get(data__kind="travel.over")

        def judge(**body: str) -> int:
            return self.client.put(
                f"/api/findings/{over.pk}/triage", json.dumps(body), content_type="application/json"
            ).status_code

        self.assertEqual(judge(judgement="accepted"), 422)  # not without a reason
        self.assertEqual(judge(judgement="accepted", reason="stops are moved for this job"), 200)
        worse = (SLOT / "O1001.nc").read_bytes().replace(b"X-320.", b"X-340.")
        for program, reopened in ((None, False), (worse, True)):
            answer = self.client.post(
                "/api/jobs", {"files": zipped(SLOT, **({"O1001_nc": program} if program else {}))}
            )
            again = self.rehearse(Revision.objects.get(pk=answer.json()["revisions"][0]["id"]))
            findings = self.client.get(f"/api/rehearsals/{again.pk}").json()["findings"]
            triage = next(f for f in findings if f["data"]["kind"] == "travel.over")["triage"]
            self.assertEqual(
                (triage["judgement"], triage["reopened"], triage["doubt"]), ("accepted", reopened, reopened)
            )
        verdict = self.client.get(f"/api/rehearsals/{row.pk + 1}/artifacts/verdict.json")
        told = json.loads(gzip.decompress(verdict.content))["findings"]
        accepted = [f["accepted"] for f in told if f["kind"] == "travel.over"]
        self.assertEqual(accepted, [{"reason": "stops are moved for this job", "by": "ines", "judgement": "accepted"}])

    def test_a_judgement_does_not_slide_onto_another_finding_of_its_kind(self) -> None:
        # Two overtravels of X: the first is accepted; once it is mended, the second is not.
        two = (
            (SLOT / "O1001.nc")
            .read_bytes()
            .replace(
                b"N98 G0 X-320. Y0.",
                b"G0 Z100.\nN98 G0 X-320. Y0.\nG0 X0.\nG91 G28 Z0.\nG90\nT1 M6\nG0 X-330. Y0.\nG0 X0.",
            )
        )
        mended = two.replace(b"X-320.", b"X-20.")
        told = {}
        for name, program in (("two", two), ("mended", mended)):
            answer = self.client.post("/api/jobs", {"files": zipped(SLOT, O1001_nc=program)})
            row = self.rehearse(Revision.objects.get(pk=answer.json()["revisions"][0]["id"]))
            over = list(row.findings.filter(data__kind="travel.over"))
            if name == "two":
                body = json.dumps({"judgement": "accepted", "reason": "seen"})
                self.client.put(f"/api/findings/{over[0].pk}/triage", body, content_type="application/json")
            full = self.client.get(f"/api/rehearsals/{row.pk}").json()["findings"]
            told[name] = [f["triage"] for f in full if f["data"]["kind"] == "travel.over"]
        self.assertEqual([bool(t) and not t["doubt"] for t in told["two"]], [True, False])
        self.assertTrue(all(t is None or t["doubt"] for t in told["mended"]), told)

    def test_the_library_numbers_what_changes_and_refuses_what_it_cannot_read(self) -> None:
        raw = (SLOT / "machine.json").read_bytes()

        def add(data: bytes, kind: str = "machine") -> tuple[int, dict]:
            answer = self.client.post(f"/api/library/{kind}", {"file": SimpleUploadedFile("m.json", data)})
            return answer.status_code, answer.json()

        numbers = [add(data)[1]["number"] for data in (raw, raw, raw.replace(b"12000", b"9000"))]
        self.assertEqual(numbers, [1, 1, 2])
        for data, kind, says in (
            (b"{", "machine", "not valid JSON"),
            (raw, "tools", "format"),
            (raw, "poems", "no 'poems'"),
        ):
            code, told = add(data, kind)
            self.assertEqual(code, 422)
            self.assertIn(says, told["detail"])
        row = self.client.get("/api/library").json()[0]
        kept = self.client.get(f"/api/library/{row['id']}/file")
        self.assertIn(b"9000", kept.content)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get("/api/library").json(), [])
        self.assertEqual(self.client.get(f"/api/library/{row['id']}/file").status_code, 404)

    def test_a_job_composed_of_parts(self) -> None:
        machine = keep_in_library(self.shop, self.ines, "machine", (SLOT / "machine.json").read_bytes(), "machine.json")
        tools = keep_in_library(self.shop, self.ines, "tools", (SLOT / "tools.json").read_bytes(), "tools.json")

        def compose(spec: dict, *files: SimpleUploadedFile) -> tuple[int, dict]:
            answer = self.client.post("/api/jobs/new", {"spec": json.dumps(spec), "files": list(files)})
            return answer.status_code, answer.json()

        spec = {"name": "made", "machine": machine.pk, "tools": tools.pk, "program": "O1001.nc", "block": [140, 100, 25],
                "block_at": [0, 0, 52.5], "datum": [0, 0, 65]}  # fmt: skip
        program = SimpleUploadedFile("O1001.nc", (SLOT / "O1001.nc").read_bytes())
        code, job = compose(spec, program)
        self.assertEqual(code, 200, job)
        row = self.rehearse(Revision.objects.get(pk=job["revisions"][0]["id"]))
        self.assertEqual([f.data["kind"] for f in row.findings.all()], ["contact.rapid", "travel.over"])
        for change, says in (
            ({"tools": None}, "no tools"),
            ({"program": "O2.nc"}, "O2.nc"),
            ({"block": [1, 2]}, "block"),
        ):
            program.seek(0)
            code, told = compose({**spec, **change}, program)
            self.assertEqual(code, 422)
            self.assertIn(says, told["detail"])

    def test_what_waited_or_ran_at_a_stop_is_settled_at_the_next_start(self) -> None:
        revision = take_in_path(self.shop, self.ines, SLOT)
        ran, waited = (
            Rehearsal.objects.create(revision=revision, created_by=self.ines, state=s) for s in ("running", "queued")
        )
        with mock.patch("jobs.running.wake") as waked:
            take_up_again()
        ran.refresh_from_db()
        self.assertEqual(ran.state, "failed")
        waked.assert_called_once_with()
        self.assertEqual(in_order(), [waited.pk])

    def test_the_client_is_made_from_the_document_as_it_is(self) -> None:
        out = io.StringIO()
        call_command("openapi", stdout=out)
        kept = (settings.ROOT / "web" / "src" / "api" / "openapi.json").read_text()
        self.assertEqual(json.loads(out.getvalue()), json.loads(kept), "run ./mirror client")

    def test_a_silent_worker_means_failed_and_a_clock_that_was_set_nothing(self) -> None:
        revision = take_in_path(self.shop, self.ines, SLOT)
        hour, clock = timedelta(hours=1), mock.Mock()
        rows = {
            name: Rehearsal.objects.create(revision=revision, created_by=self.ines, state="running", heartbeat=timezone.now() + by)
            for name, by in (("beats, an hour behind", -hour), ("silent", timedelta()), ("silent, an hour ahead", hour))
        }  # fmt: skip

        def told() -> dict[str, dict[str, str]]:
            return {name: self.client.get(f"/api/rehearsals/{row.pk}").json() for name, row in rows.items()}

        with mock.patch("jobs.pulse.time", clock):
            clock.monotonic.return_value = 1000.0
            self.assertEqual({answer["state"] for answer in told().values()}, {"running"})
            clock.monotonic.return_value += settings.LOST_AFTER_SECONDS + 1
            Rehearsal.objects.filter(pk=rows["beats, an hour behind"].pk).update(heartbeat=timezone.now() - 2 * hour)
            answers = told()
        self.assertEqual([answer["state"] for answer in answers.values()], ["running", "failed", "failed"])
        self.assertIn("run it again", answers["silent"]["error"])

    def test_cancel_before_and_during(self) -> None:
        revision = take_in_path(self.shop, self.ines, SLOT)
        waiting = Rehearsal.objects.create(revision=revision, created_by=self.ines)
        self.assertEqual(self.client.post(f"/api/rehearsals/{waiting.pk}/cancel").json()["state"], "cancelled")
        run_rehearsal(waiting.pk)
        self.assertEqual(Finding.objects.count(), 0)
        asked = Rehearsal.objects.create(revision=revision, created_by=self.ines, cancel_asked=True)
        run_rehearsal(asked.pk)
        asked.refresh_from_db()
        self.assertEqual(asked.state, "cancelled")


class Uploads(WithShop):
    """What is refused at the door, each with one reason, and nothing kept of it."""

    def refused(self, *files: SimpleUploadedFile) -> str:
        answer = self.client.post("/api/jobs", {"files": list(files)})
        self.assertEqual(answer.status_code, 422, answer.content)
        self.assertEqual((Revision.objects.count(), Job.objects.count()), (0, 0))
        return str(answer.json()["detail"])

    def test_a_folders_files_with_their_names(self) -> None:
        files = [SimpleUploadedFile(file.name, file.read_bytes()) for file in SLOT.iterdir()]
        answer = self.client.post("/api/jobs", {"files": files})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(answer.json()["revisions"][0]["machine"], "VM-3 unit 17")

    def test_a_folder_keeps_its_folders(self) -> None:
        data = json.loads((SLOT / "job.json").read_text())
        data["programs"][0]["main"] = "nc/O1001.nc"
        made = {"job.json": json.dumps(data).encode(), "nc/O1001.nc": (SLOT / "O1001.nc").read_bytes()}
        made |= {name: (SLOT / name).read_bytes() for name in ("machine.json", "tools.json")}
        files = [SimpleUploadedFile(name.rpartition("/")[2], content) for name, content in made.items()]
        answer = self.client.post("/api/jobs", {"files": files, "names": list(made)})
        self.assertEqual(answer.status_code, 200, answer.content)
        revision = answer.json()["revisions"][0]["id"]
        kept = self.client.get(f"/api/revisions/{revision}/files/nc/O1001.nc")
        self.assertEqual(kept.content, made["nc/O1001.nc"])
        for out in ("../O1001.nc", "/etc/O1001.nc"):
            refused = self.client.post("/api/jobs", {"files": files[:1], "names": [out]})
            self.assertEqual((refused.status_code, "leaves the job folder" in refused.json()["detail"]), (422, True))

    def test_no_job_in_it(self) -> None:
        self.assertIn("job.json", self.refused(SimpleUploadedFile("O1.nc", b"M30")))

    def test_archives_that_are_none_or_play_tricks(self) -> None:
        self.assertIn("not a zip", self.refused(SimpleUploadedFile("job.zip", b"PK\x03\x04nonsense")))
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as bundle:
            bundle.writestr("../../evil.json", "{}")
        self.assertIn("leaves the job folder", self.refused(SimpleUploadedFile("job.zip", out.getvalue())))
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
            bundle.writestr("job.json", b" " * 40_000_000)
        self.assertIn("suspicious", self.refused(SimpleUploadedFile("job.zip", out.getvalue())))

    def test_too_many_and_too_large(self) -> None:
        with mock.patch("jobs.services.MAX_FILES", 3):
            self.assertIn("at most 3", self.refused(*[SimpleUploadedFile(f"{i}.nc", b"M30") for i in range(4)]))
        with self.settings(MAX_UPLOAD_BYTES=1000):
            self.assertIn("larger than", self.refused(SimpleUploadedFile("job.zip", b"0" * 2000)))

    def test_a_mesh_that_is_none(self) -> None:
        job = json.loads((SLOT / "job.json").read_text())
        job["bodies"][0]["shape"] = {"type": "mesh", "file": "vise.stl"}
        files = [SimpleUploadedFile(f.name, f.read_bytes()) for f in SLOT.iterdir() if f.name != "job.json"]
        files += [SimpleUploadedFile("job.json", json.dumps(job).encode()), SimpleUploadedFile("vise.stl", b"no mesh")]
        self.assertIn("vise.stl", self.refused(*files))


class Running(WithShop):
    def test_everything_of_a_rehearsal_can_be_fetched_and_never_changes(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        names = self.client.get(f"/api/rehearsals/{row.pk}").json()["artifacts"]
        wanted = {"replay.json", "replay.bin", "trace.csv", "verdict.json", "verdict.sarif", "verdict.xml", "report.html",
                  "stock.stl", "film.bin", "part.npz", "setup.html", "tools.csv", "labels.html", "control.csv", "control-1.nc"}  # fmt: skip
        self.assertEqual(set(names), wanted)
        for name in names:
            answer = self.client.get(f"/api/rehearsals/{row.pk}/artifacts/{name}")
            data = answer.content if name == "film.bin" else gzip.decompress(answer.content)
            self.assertIn("immutable", answer["Cache-Control"])
            if name == "verdict.json":
                self.assertEqual([f["kind"] for f in json.loads(data)["findings"]], ["contact.rapid", "travel.over"])
            if name == "report.html":
                self.assertIn(b"STOP: do not run this program", data)
        run_rehearsal(row.pk)  # delivered once more
        self.assertEqual(row.artifacts.count(), len(wanted))
        self.assertEqual(Finding.objects.filter(rehearsal=row).count(), 2)

    def test_the_replay_points_into_its_binary(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        description, binary = (
            gzip.decompress(self.client.get(f"/api/rehearsals/{row.pk}/artifacts/replay.{end}").content)
            for end in ("json", "bin")
        )
        size = {"uint8": 1, "uint16": 2, "uint32": 4, "int32": 4, "float32": 4, "float64": 8}
        told = json.loads(description)
        for name, place in told["arrays"].items():
            self.assertEqual(place["offset"] % 8, 0, name)
            self.assertLessEqual(place["offset"] + place["count"] * size[place["type"]], len(binary), name)
        motions = told["arrays"]["motions/time"]["count"]
        self.assertEqual(told["arrays"]["motions/end"]["count"], motions * len(told["axes"]))
        film = told["stocks"][0]
        self.assertEqual(told["arrays"][film["brick"]]["count"], told["arrays"][film["time"]]["count"])

        # A brick of the film by itself: it unpacks, with as many quads as the description says.
        def array(name: str, kind: str) -> np.ndarray:
            place = told["arrays"][name]
            return np.frombuffer(binary, kind, place["count"], place["offset"])

        sizes, quad_ends = array(film["bytes"], "<u4"), array(film["quadEnd"], "<u4")
        ends = film["film"] + np.cumsum(sizes)
        address = f"/api/rehearsals/{row.pk}/film"
        last = [int(ends[-1] - sizes[-1]), int(ends[-1])]
        answer = self.client.post(
            address, json.dumps({"ranges": [[0, int(sizes[0])], last]}), content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200)
        quads = int.from_bytes(zlib.decompress(answer.content[int(sizes[0]) :])[4:8], "little")
        self.assertEqual(quads, int(quad_ends[-1]) - int(quad_ends[-2]))
        for ranges in ([[0, int(ends[-1]) + 1]], [[5, 1]], [[0, int(sizes[0])]] * 100_000):
            answer = self.client.post(address, json.dumps({"ranges": ranges}), content_type="application/json")
            self.assertEqual(answer.status_code, 422)
        self.client.force_login(self.stranger)
        self.assertEqual(
            self.client.post(address, json.dumps({"ranges": []}), content_type="application/json").status_code, 404
        )

    def test_a_fault_of_the_program_is_one_clear_failed_state(self) -> None:
        revision = take_in_path(self.shop, self.ines, SLOT)
        for failure, says in ((MemoryError("choose a coarser resolution"), "coarser"), (OSError(28, "No space left on device"), "space"),
                              (ZeroDivisionError("x"), "fault of the program")):  # fmt: skip
            row = Rehearsal.objects.create(revision=revision, created_by=self.ines)
            with mock.patch("jobs.tasks.rehearse_step", side_effect=failure), suppress(ZeroDivisionError):
                run_rehearsal(row.pk)
            row.refresh_from_db()
            self.assertEqual(row.state, "failed")
            self.assertIn(says, row.error)
            self.assertEqual(row.findings.count() + row.artifacts.count(), 0)

    def test_a_result_whose_answer_was_lost_is_kept_once(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        before = list(row.artifacts.values_list("pk", "file"))
        _rows_kept(row, mock.Mock(findings=[1]), {}, [Artifact(rehearsal=row, name="x")])
        self.assertEqual((list(row.artifacts.values_list("pk", "file")), row.findings.count() > 0), (before, True))

    def test_half_a_result_is_no_result(self) -> None:
        row = Rehearsal.objects.create(revision=take_in_path(self.shop, self.ines, SLOT), created_by=self.ines)
        with mock.patch("jobs.tasks.replay_data", side_effect=OSError(28, "No space left on device")):
            run_rehearsal(row.pk)
        row.refresh_from_db()
        self.assertEqual((row.state, row.verdict, row.artifacts.count(), row.findings.count()), ("failed", "", 0, 0))

    def test_a_lock_at_the_end_is_waited_out(self) -> None:
        row = Rehearsal.objects.create(
            revision=take_in_path(self.shop, self.ines, SLOT), created_by=self.ines, state="running"
        )
        real, calls = Rehearsal.objects.filter, []

        def locked(*args: object, **words: object):  # type: ignore[no-untyped-def]
            calls.append(words)
            if len(calls) < 3:
                raise OperationalError(1213, "Deadlock found")
            return real(*args, **words)

        with mock.patch.object(Rehearsal.objects, "filter", locked), mock.patch("jobs.patience.time.sleep"):
            settle(row.pk, "done", "")
        row.refresh_from_db()
        self.assertEqual((row.state, len(calls)), ("done", 3))

    def test_events_of_what_is_over_are_told_at_once(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        answer = self.client.get(f"/api/rehearsals/{row.pk}/events")
        self.assertEqual(answer["Content-Type"], "text/event-stream")

        async def first() -> bytes:
            async for part in answer:
                return bytes(part)
            return b""

        self.assertIn(b'"state": "done"', async_to_sync(first)())

    def test_signing_in_and_out(self) -> None:
        self.client.logout()
        for password, status in (("wrong", 401), ("a-long-password", 200)):
            body = json.dumps({"name": "ines", "password": password})
            self.assertEqual(
                self.client.post("/api/sign-in", body, content_type="application/json").status_code, status
            )
        self.assertEqual(
            self.client.get("/api/me").json(), {"name": "ines", "organisation": "shop", "role": "administers"}
        )
        self.client.post("/api/sign-out")
        self.assertEqual(self.client.get("/api/me").status_code, 401)

    def test_judging_needs_words_that_mean_something(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        finding = row.findings.first()
        assert finding
        address = f"/api/findings/{finding.pk}/triage"
        for body in ({"judgement": "perhaps"}, {"judgement": "accepted", "reason": "  "}, {}):
            self.assertEqual(
                self.client.put(address, json.dumps(body), content_type="application/json").status_code, 422
            )
        self.client.put(
            address,
            json.dumps({"judgement": "model", "reason": "the vise is drawn too large"}),
            content_type="application/json",
        )
        told = self.client.get(f"/api/rehearsals/{row.pk}").json()["findings"][0]["triage"]
        self.assertEqual((told["judgement"], told["by"]), ("model", "ines"))
        self.client.delete(address)
        self.assertIsNone(self.client.get(f"/api/rehearsals/{row.pk}").json()["findings"][0]["triage"])


class Deployment(TestCase):
    def test_production_settings_pass_the_frameworks_own_check(self) -> None:
        import os
        import secrets
        import subprocess
        import sys

        env = dict(os.environ) | {"MIRROR_TLS": "1", "MIRROR_SECRET": secrets.token_urlsafe(50)}
        words = [sys.executable, "server/manage.py", "check", "--deploy", "--fail-level", "WARNING"]
        done = subprocess.run(words, cwd=settings.ROOT, env=env, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr)
