"""Two parts beside each other, against the difference of two slots that are closed forms."""

import json
import struct
from pathlib import Path

import numpy as np
from django.contrib.auth import get_user_model

from accounts.models import Membership, Organisation
from jobs.models import Rehearsal
from jobs.services import take_in_path
from jobs.setups import changed

from .test_server import SLOT as FLAWED
from .test_server import WithShop

SLOT = FLAWED.parent / "slot-clear"


class Beside(WithShop):
    def two(self) -> tuple[Rehearsal, Rehearsal]:
        """A slot 140 × 10 × 5 deep, and the same one 4 deep."""
        first = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        program = (Path(SLOT) / "O1001.nc").read_bytes().replace(b"Z-5.", b"Z-4.")
        return first, self.rehearse(changed(first.revision, {"O1001.nc": program}, self.ines, "less deep"))

    def test_more_and_less_and_how_much(self) -> None:
        deep, flat = self.two()
        told = self.client.get(f"/api/rehearsals/{deep.pk}/beside/{flat.pk}").json()
        self.assertAlmostEqual(told["more"], 1.0, delta=0.02)
        self.assertAlmostEqual(told["less"], 0.0, delta=0.02)
        self.assertAlmostEqual(told["volume"], 140 * 10 * 1.0, delta=15)
        self.assertEqual(len(told["pictures"]), 2)
        back = self.client.get(f"/api/rehearsals/{flat.pk}/beside/{deep.pk}").json()
        self.assertAlmostEqual(back["less"], 1.0, delta=0.02)
        self.assertAlmostEqual(back["volume"], -told["volume"], delta=1)
        same = self.client.get(f"/api/rehearsals/{deep.pk}/beside/{deep.pk}").json()
        self.assertLess(max(same["more"], same["less"]), 0.001)

    def test_its_surface_to_be_turned_about(self) -> None:
        deep, flat = self.two()
        data = self.client.get(f"/api/rehearsals/{deep.pk}/beside/{flat.pk}/surface").content
        points, triangles = struct.unpack_from("<II", data)
        self.assertEqual(len(data), 8 + 12 * points + 16 * triangles)
        corners = np.frombuffer(data, "<f4", 3 * points, 8).reshape(-1, 3)
        faces = np.frombuffer(data, "<u4", 3 * triangles, 8 + 12 * points).reshape(-1, 3)
        away = np.frombuffer(data, "<f4", triangles, 8 + 12 * points + 12 * triangles)
        # What stands beyond the deep one and looks upwards is the flat one's floor, 140 × 10, a millimetre above the other's.
        corner = corners[faces]
        up = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])[:, 2] / 2
        floor = (away > 0.05) & (up > 0)
        self.assertAlmostEqual(up[floor].sum(), 140 * 10, delta=15)
        self.assertLess(np.ptp(corner[floor][:, :, 2]), 0.01)
        self.assertAlmostEqual(away.max(), 1.0, delta=0.02)

    def test_only_what_is_there_and_ours(self) -> None:
        deep, flat = self.two()
        Rehearsal.objects.filter(pk=flat.pk).update(state=Rehearsal.State.FAILED)
        answer = self.client.get(f"/api/rehearsals/{deep.pk}/beside/{flat.pk}")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("has no part", json.loads(answer.content)["detail"])
        stranger = get_user_model().objects.create_user("olaf", password="tide-table-9")
        Membership.objects.create(user=stranger, organisation=Organisation.objects.create(name="another shop"))
        self.client.force_login(stranger)
        self.assertEqual(self.client.get(f"/api/rehearsals/{deep.pk}/beside/{deep.pk}").status_code, 404)
