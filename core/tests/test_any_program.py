"""Any program at all goes through the whole run: never a crash, never a hang, and what is said of it hangs together."""

import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bluntmirror.export.replay import replay_data
from bluntmirror.export.report import as_html
from bluntmirror.export.verdict import render, verdict_dict
from bluntmirror.rehearsal import rehearse

from .build import HEAD, slot_job

number = st.one_of(
    st.integers(-120, 120).map(str),
    st.floats(-90, 90).map(lambda x: f"{x:.3f}"),
    st.sampled_from(["0", "-0.", "1e3", "99999", ""]),
)
word = st.tuples(st.sampled_from("XYZXYZXYZIJKRFSTPQLHDN"), number).map("".join)
g_codes = [0, 1, 2, 3, 4, 17, 18, 19, 20, 21, 28, 30, 40, 41, 43, 49, 52, 53, 54, 55, 61, 64, 65, 68, 73, 80, 81, 82, 83, 84, 90,
           91, 92, 93, 94, 95, 98, 99, 999]  # fmt: skip
m_codes = [0, 1, 3, 4, 5, 6, 8, 9, 30, 98, 99]
code = st.one_of(
    st.sampled_from(g_codes).map("G{}".format),
    st.sampled_from(m_codes).map("M{}".format),
    st.sampled_from(["T1", "T2", "(", "%", "/", "#1=2", "GOTO"]),
)
block = st.lists(st.one_of(code, word), max_size=5).map(" ".join)


class AnyProgram(unittest.TestCase):
    @given(st.lists(block, max_size=25))
    @settings(max_examples=40)
    def test_from_text_to_every_form_of_the_verdict(self, blocks: list[str]) -> None:
        with tempfile.TemporaryDirectory() as folder:
            design = {
                "name": "part",
                "role": "design",
                "mount": "table",
                "at": [0, 0, 50],
                "shape": {"type": "box", "size": [140, 100, 20]},
            }
            vise = {
                "name": "vise",
                "role": "fixture",
                "mount": "table",
                "at": [0, 0, 20],
                "shape": {"type": "box", "size": [200, 120, 40]},
            }
            blank = {
                "name": "blank",
                "role": "stock",
                "mount": "table",
                "at": [0, 0, 52.5],
                "shape": {"type": "box", "size": [140, 100, 25]},
            }
            job = slot_job(
                Path(folder), HEAD + "\n".join(blocks), bodies=[vise, blank, design], checks={"resolution": 4.0}
            )
            result = rehearse(job)
        reel = result.reel
        assert reel and result.knots
        self.assertTrue(np.isfinite(reel.end_time).all() and (np.diff(reel.end_time) >= 0).all())
        self.assertTrue(np.isfinite(result.knots.at).all())
        verdict = verdict_dict(result)
        # The axes' ranges hold every knot of the path, arcs and dog-legs too.
        for axis, values in zip(reel.motions.axes, result.knots.at.T, strict=True):
            used = next(entry for entry in verdict["axes"] if entry["axis"] == axis)
            self.assertGreaterEqual(float(values.min()), used["min"] - 0.01)
            self.assertLessEqual(float(values.max()), used["max"] + 0.01)
        lines = len((HEAD + "\n".join(blocks)).split("\n")) + 1
        for item in verdict["findings"]:
            self.assertTrue(0 <= item["line"] <= lines and item["message"] and item["remedy"], item)
            self.assertTrue(math.isfinite(item["amount"]) and item["amount"] >= 0, item)
            self.assertTrue(0 <= item["time"] <= verdict["time"] + 1e-3, item)
        severities = {item["severity"] for item in verdict["findings"]}
        self.assertEqual(verdict["verdict"], "stop" if "stop" in severities else "caution" if severities else "clear")
        for stock in verdict["stock"]:
            self.assertLessEqual(stock["volume_after"], stock["volume_before"] + 1e-6)
        for form in ("text", "json", "sarif", "junit"):
            render(verdict, form)
        as_html(result)
        json.dumps(replay_data(result)[0])
