"""Pictures for paper: what they show against closed forms, and that a good side is one from which the place is seen."""

from __future__ import annotations

import math
import struct
import unittest
import zlib

import numpy as np

from bluntmirror.export.picture import SIDES, Drawn, View, hidden, png
from bluntmirror.geometry.mesh import box, cylinder
from bluntmirror.job import open_job
from bluntmirror.rehearsal import rehearse

from .build import JOBS

GREY = np.array([120.0, 120.0, 120.0])


def pixels(data: bytes) -> np.ndarray:
    """A PNG of 8-bit RGB rows without filters (ISO/IEC 15948), its checksums held."""
    assert data[:8] == b"\x89PNG\r\n\x1a\n"
    at, parts, size = 8, b"", (0, 0)
    while at < len(data):
        (length,), kind = struct.unpack(">I", data[at : at + 4]), data[at + 4 : at + 8]
        body = data[at + 8 : at + 8 + length]
        assert struct.unpack(">I", data[at + 8 + length : at + 12 + length])[0] == zlib.crc32(kind + body)
        if kind == b"IHDR":
            size = struct.unpack(">II", body[:8])
        parts += body if kind == b"IDAT" else b""
        at += 12 + length
    rows = np.frombuffer(zlib.decompress(parts), np.uint8).reshape(size[1], 1 + 3 * size[0])
    assert not rows[:, 0].any()
    return rows[:, 1:].reshape(size[1], size[0], 3)


class Pictures(unittest.TestCase):
    def test_a_box_fills_the_area_of_its_shadow(self) -> None:
        """Closed form: the shadow of a box along n is Σ |nᵢ| aⱼ aₖ."""
        size = np.array([40.0, 30.0, 20.0])
        for way in SIDES:
            view = View(way, np.zeros(3), 120.0)
            image = pixels(png([Drawn(box(size.tolist()), GREY)], view, 300, 200))
            self.assertEqual(image.shape, (200, 300, 3))
            n = np.abs(way / np.linalg.norm(way))
            shadow = n[0] * size[1] * size[2] + n[1] * size[0] * size[2] + n[2] * size[0] * size[1]
            seen = (255.0 - image.astype(float).min(axis=2) > 60).sum() * (120.0 / 300) ** 2
            self.assertAlmostEqual(seen, shadow, delta=0.03 * shadow)

    def test_the_nearer_is_in_front_and_a_place_behind_is_hidden(self) -> None:
        white, black = np.full(3, 250.0), np.full(3, 20.0)
        far, near = box([30, 30, 30]), box([10, 10, 10]).moved(_at(0, -40, 0))
        front = np.array([0.0, -1.0, 0.0])
        image = pixels(png([Drawn(near, black), Drawn(far, white)], View(front, np.zeros(3), 60.0), 120, 80))
        self.assertLess(int(image[40, 60].max()), 40)
        drawn = [Drawn(near, black), Drawn(far, white)]
        self.assertTrue(hidden(drawn, np.array([0.0, -15.0, 0.0]), front))
        self.assertFalse(hidden(drawn, np.array([12.0, -15.0, 0.0]), front))
        self.assertTrue(hidden(drawn, np.array([12.0, 15.0, 0.0]), front))

    def test_a_ring_is_drawn_about_the_place(self) -> None:
        image = pixels(
            png([Drawn(cylinder(10, 10), GREY)], View(SIDES[0], np.zeros(3), 60.0), 120, 80, np.zeros(3))
        ).astype(int)
        rows, columns = np.nonzero((image[:, :, 0] - image[:, :, 1] > 70) & (image[:, :, 2] > image[:, :, 1]))
        self.assertAlmostEqual(float(np.mean(rows)), 40.0, delta=1.5)
        self.assertAlmostEqual(float(np.mean(columns)), 60.0, delta=1.5)
        self.assertGreater(len(rows), math.pi * 9)

    def test_the_report_of_a_job_with_findings_has_its_pictures(self) -> None:
        from bluntmirror.export.report import MORE, as_html, with_more

        html = as_html(rehearse(open_job(JOBS / "slot-flawed"), filmed=False))
        self.assertGreaterEqual(html.count("<img "), 3)  # a finding, the part, the setup
        self.assertEqual(html.count(MORE), 1)
        self.assertIn("<h2>Released</h2>", with_more(html, ["<h2>Released</h2>"]))


def _at(x: float, y: float, z: float) -> np.ndarray:
    pose = np.eye(4)
    pose[:3, 3] = x, y, z
    return pose


if __name__ == "__main__":
    unittest.main()
