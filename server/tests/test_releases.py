"""Releases: what is signed, on which evidence, what takes the signature away; who may do what; the record of it all."""

import gzip
import json
import re
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext

from accounts.models import Membership, Role
from jobs import record, releasing, setups, standing
from jobs.management.commands import prepare
from jobs.models import Entry, LibraryFile, MeasuredTimes, Rehearsal, Release, Triage
from jobs.services import keep_in_library, take_in_path
from jobs.touched import LABEL
from mirror.api import api
from mirror.rights import OPEN, calls

from .test_server import SLOT, WithShop

CLEAR = SLOT.parent / "slot-clear"


class Releases(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.row = self.rehearse(take_in_path(self.shop, self.ines, CLEAR))

    def post(self, address: str, **body: Any) -> Any:
        return self.client.post(f"/api{address}", json.dumps(body), content_type="application/json")

    def lapsed(self) -> str:
        return releasing.lapsed(Release.objects.get(rehearsal__revision=self.row.revision))

    def test_the_list_of_jobs_asks_for_all_releases_at_once(self) -> None:
        def asked() -> int:
            standing._known.clear()
            with CaptureQueriesContext(connection) as queries:
                self.client.get("/api/jobs")
            return len([query for query in queries if "jobs_release" in query["sql"]])

        before = asked()
        for note in ("one", "two"):
            data = json.loads((CLEAR / "job.json").read_text()) | {"notes": note}
            setups.changed(self.row.revision, {"job.json": json.dumps(data).encode()}, self.ines, note)
        self.assertEqual(before, asked())

    def test_signed_shown_and_withdrawn(self) -> None:
        made = self.post(f"/rehearsals/{self.row.pk}/release", note="first part measured")
        self.assertEqual((made.status_code, made.json()["by"], made.json()["lapsed"]), (200, "ines", ""))
        told = self.client.get(f"/api/rehearsals/{self.row.pk}").json()
        self.assertEqual((told["release"]["note"], told["not_releasable"]), ("first part measured", ""))
        self.assertEqual(self.client.get("/api/jobs").json()[0]["revisions"][0]["release"]["id"], made.json()["id"])
        number = made.json()["id"]
        self.assertEqual(self.post(f"/releases/{number}/withdraw", note=" ").status_code, 422)
        self.assertEqual(
            self.post(f"/releases/{number}/withdraw", note="wrong clamp").json()["lapsed"],
            "withdrawn by ines: wrong clamp",
        )
        self.assertEqual(self.post(f"/releases/{number}/withdraw", note="again").status_code, 422)
        self.assertEqual([row["act"] for row in record.listed(self.shop)], ["withdrew a release", "released"])

    def test_what_is_not_current_or_not_excused_is_not_signed(self) -> None:
        flawed = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        refused = self.post(f"/rehearsals/{flawed.pk}/release")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("nobody has accepted contact", refused.json()["detail"])
        stops = [item for item in flawed.findings.all() if item.data["severity"] == "stop"]
        for item in stops:
            body = json.dumps({"judgement": "accepted", "reason": "seen at the machine"})
            self.client.put(f"/api/findings/{item.pk}/triage", body, content_type="application/json")
        made = self.post(f"/rehearsals/{flawed.pk}/release").json()
        self.assertEqual({item["reason"] for item in made["accepted"]}, {"seen at the machine"})
        # A judgement taken back takes the release along.
        self.client.delete(f"/api/findings/{stops[0].pk}/triage")
        self.assertIn("nobody has accepted", releasing.lapsed(Release.objects.get(pk=made["id"])))
        for changes, why in (
            ({"quick": True}, "quick look"), ({"quick": False, "computation": "older"}, "another version"),
            ({"computation": self.row.computation, "basis": "other"}, "no longer holds"), ({"basis": self.row.basis, "state": "failed"}, "not done"),
        ):  # fmt: skip
            Rehearsal.objects.filter(pk=self.row.pk).update(**changes)
            with self.subTest(why):
                self.assertIn(why, releasing.why_not(Rehearsal.objects.get(pk=self.row.pk)))

    def test_another_machine_or_used_tool_in_the_library_takes_it_away(self) -> None:
        machine = json.loads((CLEAR / "machine.json").read_text())
        tools = json.loads((CLEAR / "tools.json").read_text())

        def keep(kind: str, data: dict[str, Any]) -> None:
            keep_in_library(self.shop, self.ines, kind, json.dumps(data).encode(), f"{kind}.json")

        keep(LibraryFile.Kind.MACHINE, machine)
        keep(LibraryFile.Kind.TOOLS, {**tools, "name": "crib"})
        self.post(f"/rehearsals/{self.row.pk}/release")
        self.assertEqual(self.lapsed(), "")
        # A tool that the job does not have, and a tool of another name, change nothing.
        other = {**tools["tools"][0], "number": 77, "name": "another"}
        keep(LibraryFile.Kind.TOOLS, {**tools, "name": "crib", "tools": [*tools["tools"], other]})
        self.assertEqual(self.lapsed(), "")
        longer = {**tools["tools"][0], "length": 93}
        keep(LibraryFile.Kind.TOOLS, {**tools, "name": "crib", "tools": [longer]})
        self.assertEqual(self.lapsed(), "T1 D10 end mill is another in the library")
        keep(LibraryFile.Kind.TOOLS, {**tools, "name": "crib", "tools": [other]})
        self.assertEqual(self.lapsed(), "T1 D10 end mill is no more in the library")
        keep(LibraryFile.Kind.TOOLS, {**tools, "name": "crib", "notes": "as it was"})
        self.assertEqual(self.lapsed(), "")
        keep(LibraryFile.Kind.MACHINE, {**machine, "rapid": "dogleg"})
        self.assertIn("number 2, not 1", self.lapsed())

    def test_releases_of_others_are_not_there(self) -> None:
        made = self.post(f"/rehearsals/{self.row.pk}/release").json()
        stranger = Client()
        stranger.force_login(self.stranger)
        Membership.objects.filter(user=self.stranger).update(role=Role.ADMINISTERS)
        for address in (f"/api/releases/{made['id']}/withdraw", f"/api/rehearsals/{self.row.pk}/release"):
            self.assertEqual(stranger.post(address, "{}", content_type="application/json").status_code, 404)
        self.assertEqual(stranger.get("/api/record").json()["lines"], [])


class Demo(WithShop):
    def test_one_job_of_the_demo_shop_comes_up_released(self) -> None:
        self.shop.name = prepare.DEMO_SHOP
        self.shop.save()
        folder = settings.ROOT / "demo" / "jobs" / "transducer-bracket" / "1-as released"
        revision = take_in_path(self.shop, self.ines, folder)
        for _ in range(2):  # a second start changes nothing
            prepare.release_one()
        signed = Release.objects.get(rehearsal__revision=revision)
        self.assertEqual(releasing.lapsed(signed), "")
        self.assertEqual([row["act"] for row in record.listed(self.shop)], ["released"])

    def test_one_is_touched_by_a_tool_and_one_unit_has_learned(self) -> None:
        self.shop.name = prepare.DEMO_SHOP
        self.shop.save()
        demo = settings.ROOT / "demo"
        keep_in_library(self.shop, self.ines, LibraryFile.Kind.TOOLS, (demo / "tools.json").read_bytes(), "tools.json")
        for name in ("vm3-17", "hm4-31"):
            keep_in_library(
                self.shop,
                self.ines,
                LibraryFile.Kind.MACHINE,
                (demo / "machines" / f"{name}.json").read_bytes(),
                f"{name}.json",
            )
        shells, lid = (
            take_in_path(self.shop, self.ines, demo / "jobs" / name / "1-as released")
            for name in ("clamp-shells", "buoy-lid")
        )
        for _ in range(2):
            prepare.touch_one()
            prepare.measure_one()
        signed = Release.objects.get(rehearsal__revision=shells)
        self.assertIn(f"T{prepare.DEMO_TOUCHED_TOOL} D10 ball mill is another in the library", releasing.lapsed(signed))
        # The touched one with what the library holds now: another revision, rehearsed, with the tool's new length; the signed one stays.
        with self.captureOnCommitCallbacks(execute=False):
            (made,) = self.client.post("/api/touched/rehearse").json()
        row = Rehearsal.objects.get(pk=made["id"])
        self.assertEqual((row.revision.job, row.revision.parent, row.revision.label), (shells.job, shells, LABEL))
        _, tools = setups.job_data(row.revision)
        six = next(tool for tool in tools["tools"] if tool["number"] == prepare.DEMO_TOUCHED_TOOL)
        self.assertEqual((six["length"], six["registers"]["H"]), (112.35, 112.35))
        self.assertEqual(
            self.client.post(f"/api/revisions/{row.revision.pk}/with-library").status_code, 422
        )  # it has all of it
        self.assertEqual(MeasuredTimes.objects.get().revision, lid)
        learned = LibraryFile.objects.filter(name=lid.machine).order_by("-number").first()
        assert learned is not None
        self.assertEqual((learned.number, learned.data["pace"]["measured"]), (2, 5))


class History(WithShop):
    def test_a_finding_is_followed_from_its_first_rehearsal_over_those_without_it(self) -> None:
        first = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        told = self.client.get(f"/api/rehearsals/{first.pk}").json()
        self.assertEqual({item["life"]["first"] for item in told["findings"]}, {None})
        self.assertIsNone(told["gone"])
        clear = self.rehearse(
            setups.changed(first.revision, {"O1001.nc": (CLEAR / "O1001.nc").read_bytes()}, self.ines, "mended")
        )
        told = self.client.get(f"/api/rehearsals/{clear.pk}").json()
        self.assertEqual([item["message"] for item in told["gone"]["findings"]],
                         [item.data["message"] for item in first.findings.all()])  # fmt: skip
        self.assertEqual((told["gone"]["revision"], told["gone"]["rehearsal"]), (1, first.pk))
        again = self.rehearse(first.revision)
        life = self.client.get(f"/api/rehearsals/{again.pk}").json()["findings"][0]["life"]
        self.assertEqual(
            life, {"first": {"rehearsal": first.pk, "revision": 1}, "gone": {"rehearsal": clear.pk, "revision": 2}}
        )

    def test_a_judgement_that_no_longer_holds_says_why(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        item = row.findings.first()
        assert item is not None
        judged = Triage.objects.create(job=row.revision.job, cause=item.cause, point=item.data["point"], amount=item.data["amount"],
                                       judgement="accepted", reason="seen", by=self.ines)  # fmt: skip
        told = lambda: self.client.get(f"/api/rehearsals/{row.pk}").json()["findings"][0]["triage"]["again"]  # noqa: E731
        self.assertEqual(told(), "")
        x, y, z = item.data["point"]
        for changes, why in (
            ({"amount": 0.1}, "and was 0.100 when it was judged"), ({"amount": item.data["amount"], "point": [x + 30, y, z + 40]}, "50.0 mm from where"),
            ({"point": item.data["point"], "cause": item.cause + "X9"}, "in another block"),
        ):  # fmt: skip
            Triage.objects.filter(pk=judged.pk).update(**changes)
            self.assertIn(why, told())


class ControlData(WithShop):
    def test_out_with_a_rehearsal_and_back_in_as_a_revision(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, CLEAR))
        table = self.client.get(f"/api/rehearsals/{row.pk}/artifacts/control.csv")
        text = gzip.decompress(table.content).decode()
        self.assertIn("1,offset,G54,X,-305.0000", text)
        self.assertIn(
            b"G10 L2 P1", gzip.decompress(self.client.get(f"/api/rehearsals/{row.pk}/artifacts/control-1.nc").content)
        )
        address = f"/api/revisions/{row.revision.pk}/control"
        file = SimpleUploadedFile("unit17.csv", text.replace("-305.0000", "-304.5000").encode())
        told = self.client.post(address, {"file": file}).json()["revisions"][0]
        self.assertEqual(told["label"], "control data from unit17.csv")
        offsets = self.client.get(f"/api/revisions/{told['id']}/setup").json()["job"]["work_offsets"]
        self.assertEqual(offsets["G54"]["X"], -304.5)
        refused = self.client.post(address, {"file": SimpleUploadedFile("x.nc", b"G0 X1.")})
        self.assertEqual((refused.status_code, refused.json()["detail"][:5]), (422, "x.nc:"))


class Rights(WithShop):
    def test_a_foreign_page_cannot_act_for_somebody_signed_in(self) -> None:
        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.ines)
        self.assertEqual(
            strict.post("/api/rehearsals/1/release", "{}", content_type="application/json").status_code, 403
        )
        self.assertEqual(strict.get("/api/record").status_code, 200)

    def test_nobody_signed_in_gets_nothing(self) -> None:
        for name, path, operation in calls(api):
            if name not in OPEN:
                address = "/api" + re.sub(r"\{[^}]*\}", "1", path)
                for method in operation.methods:
                    self.assertEqual(Client().generic(method, address, "{}").status_code, 401, name)


class Record(WithShop):
    def test_it_is_searched_proved_and_never_changed(self) -> None:
        for act in ("kept", "released", "judged"):
            record.note(self.shop, self.ines, act, "lid, revision 2", "=1+1")
        record.note(self.other, self.stranger, "kept", "theirs")
        self.assertEqual([row["number"] for row in record.listed(self.shop)], [3, 2, 1])
        self.assertEqual([row["act"] for row in record.listed(self.shop, "INES judged")], ["judged"])
        self.assertIsNone(record.first_broken(self.shop))
        row = Entry.objects.get(organisation=self.shop, number=2)
        with self.assertRaises(TypeError):
            row.save()
        with self.assertRaises(TypeError):
            row.delete()
        table = self.client.get("/api/record.csv").content.decode().splitlines()
        self.assertEqual(len(table), 4)
        self.assertTrue(table[1].endswith(",'=1+1"))
        # What is changed or taken out behind its back shows.
        Entry.objects.filter(pk=row.pk).update(said="otherwise")
        self.assertEqual(self.client.get("/api/record").json()["broken"], 2)
        Entry.objects.filter(pk=row.pk).update(said="=1+1")
        Entry.objects.filter(organisation=self.shop, number=1)._raw_delete("default")
        self.assertEqual(record.first_broken(self.shop), 1)
