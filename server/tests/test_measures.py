"""Measures kept with a job: added on the page, read on whichever rehearsal, part of the next one's verdict."""

import json
from typing import Any

from jobs.services import take_in_path

from .test_server import SLOT, WithShop


class Measures(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        self.address = f"/api/rehearsals/{self.row.pk}/measures"

    def height(self, name: str = "height", **changes: Any) -> dict[str, Any]:
        body = json.loads((SLOT / "job.json").read_text())["bodies"]
        blank = next(item for item in body if item["role"] == "stock")
        x, y, z = blank["at"]
        length, width, high = blank["shape"]["size"]
        corner = [x - length / 2 + 2, y - width / 2 + 2]
        places = [{"on": "face", "at": [*corner, z + side * high / 2]} for side in (1, -1)]
        return {"name": name, "stock": blank["name"], "kind": "distance", "places": places, "nominal": high, **changes}

    def put(self, asked: dict[str, Any], instead_of: str = "") -> Any:
        body = json.dumps({"asked": asked, "instead_of": instead_of})
        return self.client.put(self.address, body, content_type="application/json")

    def test_from_the_first_try_to_the_next_verdict(self) -> None:
        tried = self.client.post(
            f"{self.address}/try", json.dumps({"asked": self.height()}), content_type="application/json"
        )
        self.assertEqual(tried.status_code, 200, tried.content)
        self.assertAlmostEqual(tried.json()["read"]["off"], 0.0, places=4)
        self.assertEqual(self.client.get(self.address).json(), [])
        self.assertEqual(self.put(self.height()).status_code, 200)
        tight = self.height("tight", nominal=self.height()["nominal"] - 0.02, tolerance=[-0.01, 0.01])
        self.assertIs(self.put(tight).json()["read"]["within"], False)
        self.assertEqual([row["read"]["name"] for row in self.client.get(self.address).json()], ["height", "tight"])
        self.assertIn("tight,", self.client.get(f"{self.address}.csv").content.decode())
        # What was rehearsed before stays as it was; the next rehearsal judges by them.
        self.row.refresh_from_db()
        assert self.row.result is not None
        self.assertIsNone(self.row.result.get("measures"))
        again = self.rehearse(self.row.revision)
        self.assertIn("material.measure", [item.data["kind"] for item in again.findings.all()])
        assert again.result is not None
        self.assertEqual([row["within"] for row in again.result["measures"]], [None, False])

    def test_renamed_changed_and_taken_away(self) -> None:
        self.put(self.height())
        self.assertEqual(self.put(self.height("tall"), "height").status_code, 200)
        self.assertEqual([row["asked"]["name"] for row in self.client.get(self.address).json()], ["tall"])
        self.assertEqual(self.client.delete(f"{self.address}/tall").status_code, 204)
        self.assertEqual(self.client.get(self.address).json(), [])

    def test_what_cannot_be_is_refused(self) -> None:
        self.put(self.height())
        for asked, instead_of, code, said in (
            (self.height(), "", 422, "already"),  # two of one name
            (self.height("other"), "gone", 422, "no longer"),
            (self.height("odd", tolerance=[1, -1]), "", 422, ""),
            (self.height("odd", places=[]), "", 422, ""),
        ):  # fmt: skip
            answer = self.put(asked, instead_of)
            self.assertEqual(answer.status_code, code, answer.content)
            self.assertIn(said, answer.content.decode())
        self.assertEqual(self.client.delete(f"{self.address}/nothing").status_code, 422)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(self.address).status_code, 404)
        self.assertEqual(self.put(self.height("theirs")).status_code, 404)
        self.assertEqual(self.client.delete(f"{self.address}/height").status_code, 404)
