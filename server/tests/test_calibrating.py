"""Measured times: what they tell, kept as a new number of the unit's machine, with its history; refused with the line that is wrong."""

import json
from typing import Any

from jobs.models import LibraryFile, MeasuredTimes
from jobs.services import keep_in_library, take_in_path

from .test_server import SLOT as FLAWED
from .test_server import WithShop

SLOT = FLAWED.parent / "slot-clear"


class Learning(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        machine = json.loads((SLOT / "machine.json").read_text())
        keep_in_library(self.shop, self.ines, LibraryFile.Kind.MACHINE, json.dumps(machine).encode(), "machine.json")

    def post(self, what: str, text: str) -> Any:
        return self.client.post(
            f"/api/rehearsals/{self.row.pk}/{what}", json.dumps({"text": text}), content_type="application/json"
        )

    def test_told_learned_and_used(self) -> None:
        seconds = self.row.seconds or 0.0
        text = f"cycle, {seconds + 6.0:.2f}\nT1, {seconds + 6.0 - 3.0:.2f}"
        told = self.post("measured", text).json()
        self.assertEqual((told["unit"], told["history"], len(told["residuals"])), (self.row.revision.machine, [], 2))
        self.assertTrue(any(item["told"] and item["unsure"] is not None for item in told["constants"]))
        self.assertFalse(MeasuredTimes.objects.exists())  # only looked at
        kept = self.post("calibration", text).json()
        item = LibraryFile.objects.get(pk=kept["id"])
        self.assertEqual((item.number, item.data["pace"]["measured"]), (2, 2))
        self.assertEqual(MeasuredTimes.objects.get().unit, self.row.revision.machine)
        again = self.post("measured", text).json()
        self.assertEqual([(entry["number"], entry["measured"]) for entry in again["history"]], [(2, 2)])
        # Under the job its time is the measured one, with how far off it may be.
        self.client.post(f"/api/revisions/{self.row.revision.pk}/swap/{item.pk}")
        row = self.rehearse(self.row.revision.job.revisions.order_by("-number").first())
        self.assertLess(abs((row.seconds or 0.0) - seconds - 6.0), 0.6 * 6.0)
        self.assertIsNotNone((row.result or {}).get("time_off"))

    def test_what_cannot_be_read_or_tells_nothing_says_so(self) -> None:
        for text, said in (("T1, fast\nT2, slow", "line 2"), ("T77, 5", "has no 'T77'"), ("", "no times")):
            answer = self.post("measured", text)
            self.assertEqual(answer.status_code, 422, answer.content)
            self.assertIn(said, answer.json()["detail"])
