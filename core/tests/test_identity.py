"""Judgements find their finding again, and no other."""

import unittest

from bluntmirror.findings import Finding
from bluntmirror.findings.identity import Judged, block_words, cause_of, judged

OVER = Finding("travel.over", "X would pass", tool=1, axis="X", amount=15.0, point=(305.0, 205.0, 60.0))


class Judgements(unittest.TestCase):
    def test_a_block_is_its_words(self) -> None:
        for text in ("N98 G0 X-320. (end)", "G0X-320.", " n10  g0 x-320. ; back", "/2 N5 G0 X-320."):
            self.assertEqual(block_words(text), "G0X-320.")

    def test_the_same_is_found_and_what_only_resembles_it_is_in_doubt(self) -> None:
        cause = cause_of(OVER, "N98 G0 X-320.")
        known = [Judged(cause, (305.0, 205.0, 60.0), 15.0, "accepted", "seen")]
        near, far = (306.0, 204.0, 60.0), (100.0, 0.0, 0.0)
        for other, place, expected in (
            ("G0 X-320.", near, (True, False)), ("G0 X-320.", far, (True, True)), ("G0 X-340.", near, (True, True)),
            ("G0 X-340.", far, (False, False)),
        ):  # fmt: skip
            found, doubt = judged(cause_of(OVER, other), place, known)
            self.assertEqual((found is not None, doubt), expected, (other, place))
        gouge = Finding("material.gouge", "", tool=1)
        self.assertEqual(judged(cause_of(gouge, "G0 X-320."), near, known), (None, False))

    def test_worse_than_accepted(self) -> None:
        held = Judged("c", None, 15.0, "accepted")
        self.assertTrue(held.no_worse(16.4))
        self.assertFalse(held.no_worse(16.6))
