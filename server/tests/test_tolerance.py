"""How wrong the set-up may be: asked for, worked out, kept beside its rehearsal, stopped, refused."""

import json
from typing import Any

from jobs.models import Rehearsal, Tolerance
from jobs.services import take_in_path
from jobs.tasks import run_tolerance

from .test_server import SLOT as FLAWED
from .test_server import WithShop

SLOT = FLAWED.parent / "slot-clear"


class HowWrong(WithShop):
    def ask(self, row: Rehearsal, reach: float = 0.5) -> Any:
        with self.captureOnCommitCallbacks(execute=False):
            return self.client.post(
                f"/api/rehearsals/{row.pk}/tolerance", json.dumps({"reach": reach}), content_type="application/json"
            )

    def test_asked_worked_out_and_kept(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        address = f"/api/rehearsals/{row.pk}/tolerance"
        self.assertEqual(self.client.get(address).json()["state"], "none")
        self.assertEqual(self.ask(row).json()["state"], "queued")
        setup = f"/api/revisions/{row.revision_id}/setup"
        self.assertIsNone(self.client.get(setup).json()["tolerated"])
        run_tolerance(Tolerance.objects.get(rehearsal=row).pk)
        told = self.client.get(address).json()
        self.assertEqual((told["state"], told["error"], told["result"]["reach"]), ("done", "", 0.5))
        self.assertEqual(self.client.get(setup).json()["tolerated"], {"rehearsal": row.pk, "result": told["result"]})
        kinds = {item["kind"] for item in told["result"]["quantities"]}
        self.assertEqual(kinds, {"offset", "length", "stickout", "fixture", "blank"})
        self.assertEqual(self.ask(row).json()["state"], "done")  # it stands: nothing is worked out twice
        self.assertEqual(self.ask(row, 1.0).json()["state"], "queued")  # but farther is another question

    def test_stopped_before_and_on_the_way(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        self.ask(row)
        address = f"/api/rehearsals/{row.pk}/tolerance"
        self.assertEqual(self.client.post(f"{address}/cancel").json()["state"], "cancelled")
        run_tolerance(Tolerance.objects.get(rehearsal=row).pk)  # delivered all the same
        self.assertEqual(
            self.client.get(address).json(), {"state": "cancelled", "share": 0.0, "error": "", "result": None}
        )
        self.assertEqual(self.ask(row).json()["state"], "queued")

    def test_refused_where_it_would_say_nothing(self) -> None:
        flawed = self.rehearse(take_in_path(self.shop, self.ines, FLAWED))
        answer = self.ask(flawed)
        self.assertEqual(answer.status_code, 422, answer.content)
        self.assertIn("clear what stops it", answer.json()["detail"])
        clear = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        self.assertEqual(self.ask(clear, -1.0).status_code, 422)
