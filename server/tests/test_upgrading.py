"""An installation of the first version is brought up to this one: all that was in it is there, and is shown."""

import json
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.files.storage import default_storage
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from jobs.models import Finding, Rehearsal, Triage

from .test_server import SLOT, zipped

FIRST = [("accounts", "0001_initial"), ("jobs", "0001_initial")]
VERDICT = settings.ROOT / "core" / "tests" / "golden" / "buoy-lid.2.json"
# What a verdict did not tell then.
LATER = {"times", "operations", "tolerance", "measures", "part", "time_off"}
LATER_OF_FINDINGS = {"cause", "accepted", "also", "fix", "rule"}


def migrated(targets: list[tuple[str, str]]) -> Any:
    """The tables as they were then; the models of that time."""
    MigrationExecutor(connection).migrate(targets)
    return MigrationExecutor(connection).loader.project_state(targets).apps


class Upgrading(TransactionTestCase):
    def test_from_the_first_version(self) -> None:
        latest = MigrationExecutor(connection).loader.graph.leaf_nodes()
        try:
            self._fill(migrated(FIRST))
        finally:
            migrated(latest)
        row = Rehearsal.objects.get()
        self.assertEqual((row.state, row.verdict, row.quick, row.revision.parent), ("done", "stop", False, None))
        finding, judged = Finding.objects.get(), Triage.objects.get()
        self.assertEqual(
            (finding.cause, judged.cause, judged.reason), ("contact.body · lid", "contact.body · lid", "seen")
        )
        self.client.force_login(get_user_model().objects.get(username="ines"))
        # Whoever belonged to a shop could do everything.
        self.assertEqual(self.client.get("/api/me").json()["role"], "administers")
        (job,) = self.client.get("/api/jobs").json()
        self.assertEqual((job["name"], job["revisions"][0]["label"]), ("Buoy lid", "flawed"))
        told = self.client.get(f"/api/rehearsals/{row.pk}")
        self.assertEqual(told.status_code, 200, told.content)
        self.assertEqual([item["data"]["kind"] for item in told.json()["findings"]], ["contact.body"])
        self.assertEqual(self.client.get(f"/api/rehearsals/{row.pk}/remedies").json()["state"], "none")

        self.assertEqual(self.client.get(f"/api/revisions/{row.revision.pk}/setup").status_code, 200)

    def _fill(self, then: Any) -> None:
        user = then.get_model("auth", "User").objects.create(username="ines")
        shop = then.get_model("accounts", "Organisation").objects.create(name="shop")
        then.get_model("accounts", "Membership").objects.create(user=user, organisation=shop)
        job = then.get_model("jobs", "Job").objects.create(name="Buoy lid", organisation=shop)
        revision = then.get_model("jobs", "Revision").objects.create(
            job=job,
            number=1,
            label="flawed",
            machine="VM-3",
            archive=default_storage.save("revisions/then.zip", zipped(SLOT)),
            digest="0" * 64,
            created_by=user,
        )
        verdict = json.loads(VERDICT.read_text())
        result = {name: value for name, value in verdict.items() if name not in LATER}
        result["checked"]["rules"] = {"ran": [], "off": [], "changed": {}}
        row = then.get_model("jobs", "Rehearsal").objects.create(
            revision=revision, created_by=user, state="done", verdict="stop", seconds=420.0, stops=1, result=result
        )
        told = next(item for item in verdict["findings"] if item["kind"] == "contact.body")
        told = {name: value for name, value in told.items() if name not in LATER_OF_FINDINGS}
        told |= {"motion": 0, "lastMotion": 0}
        then.get_model("jobs", "Finding").objects.create(rehearsal=row, place=0, cause="contact.body · lid", data=told)
        then.get_model("jobs", "Triage").objects.create(
            job=job, cause="contact.body · lid", judgement="real", reason="seen", amount=told["amount"], by=user
        )
