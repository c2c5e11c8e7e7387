"""Changes that clear findings: tried in the worker, offered, made as a revision, and undone."""

import json
from typing import Any

from django.test import Client

from jobs.models import Offered, Rehearsal, Search
from jobs.services import take_in_path
from jobs.tasks import run_search

from .test_server import SLOT, WithShop

FLAWED = SLOT.parent / "slot-flawed"


class Remedies(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.row = self.rehearse(take_in_path(self.shop, self.ines, FLAWED))
        self.address = f"/api/rehearsals/{self.row.pk}"

    def post(self, address: str, body: dict[str, Any] | None = None) -> Any:
        return self.client.post(address, json.dumps(body or {}), content_type="application/json")

    def tried(self, finding: int | None = None) -> dict[str, Any]:
        with self.captureOnCommitCallbacks(execute=False):
            self.assertEqual(self.post(f"{self.address}/remedies", {"finding": finding}).status_code, 200)
        run_search(Search.objects.get(rehearsal=self.row).pk)
        found: dict[str, Any] = self.client.get(f"{self.address}/remedies").json()
        return found

    def test_from_a_finding_to_the_revision_without_it_and_back(self) -> None:
        self.assertEqual(self.client.get(f"{self.address}/remedies").json()["state"], "none")
        finding = self.row.findings.first()
        assert finding is not None
        found = self.tried(finding.pk)
        self.assertEqual((found["state"], found["looked"], found["error"]), ("done", [finding.pk], ""))
        offer = found["offers"][0]
        self.assertTrue((offer["cures"] and offer["edits"]) or offer["values"])
        with self.captureOnCommitCallbacks(execute=False):
            made = self.post(f"{self.address}/mend", {"offers": [offer["id"]]})
        self.assertEqual(made.status_code, 200, made.content)
        row = self.rehearse(Rehearsal.objects.get(pk=made.json()["id"]).revision)
        self.assertEqual((row.revision.parent, row.revision.label), (self.row.revision, offer["title"]))
        self.assertNotIn(finding.cause, [item.cause for item in row.findings.all()])
        self.assertLess(row.findings.count(), self.row.findings.count())
        # Back: the files of before, as the newest revision, beside the mended one.
        with self.captureOnCommitCallbacks(execute=False):
            again = self.post(f"/api/revisions/{row.revision.pk}/back").json()
        revision = Rehearsal.objects.get(pk=again["id"]).revision
        self.assertEqual((revision.digest, revision.number), (self.row.revision.digest, row.revision.number + 1))
        self.assertEqual(self.client.get(f"/api/rehearsals/{again['id']}").json()["made_from"], row.revision.number)

    def test_all_findings_together_and_what_meddles_is_refused(self) -> None:
        found = self.tried()
        self.assertEqual(set(found["looked"]), set(self.row.findings.values_list("pk", flat=True)))
        one = Offered.objects.filter(finding__rehearsal=self.row).first()
        assert one is not None
        other = Offered.objects.create(finding=one.finding, place=9, data=one.data)
        refused = self.post(f"{self.address}/mend", {"offers": [one.pk, other.pk]})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("change the same place", refused.json()["detail"])
        self.assertEqual(self.post(f"{self.address}/mend", {"offers": [10**6]}).status_code, 422)

    def test_what_cannot_be_tried_is_told(self) -> None:
        quick = Rehearsal.objects.create(revision=self.row.revision, created_by=self.ines, quick=True, state="done")
        refused = self.post(f"/api/rehearsals/{quick.pk}/remedies")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("in full", refused.json()["detail"])
        self.assertEqual(self.post(f"{self.address}/remedies", {"finding": 10**6}).status_code, 422)
        self.assertEqual(self.post(f"/api/revisions/{self.row.revision.pk}/back").status_code, 422)
        # A search that waits is cancelled at once; the worker then leaves it alone.
        with self.captureOnCommitCallbacks(execute=False):
            self.post(f"{self.address}/remedies")
        self.assertEqual(self.post(f"{self.address}/remedies/cancel").json()["state"], "cancelled")
        run_search(Search.objects.get(rehearsal=self.row).pk)
        self.assertEqual(Offered.objects.count(), 0)
        self.assertIn(Client().get(f"{self.address}/remedies").status_code, (401, 404))

    def test_what_the_computation_finds_otherwise_now_is_not_mended(self) -> None:
        self.row.findings.filter(place=0).update(data={**self.row.findings.get(place=0).data, "line": 9999})
        found = self.tried()
        self.assertEqual(found["state"], "failed")
        self.assertIn("rehearse the job again", found["error"])
