"""The paper for the floor: program zero by hand calculation, the tool list, and a sheet of every demo job."""

from __future__ import annotations

import csv
import io
import tempfile
import unittest
from html.parser import HTMLParser
from pathlib import Path

import numpy as np

from bluntmirror.export.channels import channels, grips
from bluntmirror.export.page import clock
from bluntmirror.export.sheet import as_html, labels_html, tool_rows, tools_csv, zeros
from bluntmirror.export.verdict import verdict_dict
from bluntmirror.job import open_job
from bluntmirror.job.models import Datum
from bluntmirror.rehearsal import check_program

from .build import HEAD, slot_job
from .shop import SHOP, folders, rehearsed


class Text(HTMLParser):
    def __init__(self, page: str) -> None:
        super().__init__()
        self.words: list[str] = []
        self.feed(page)

    def handle_data(self, data: str) -> None:
        self.words.append(data)


class Sheet(unittest.TestCase):
    def test_program_zero_is_where_the_tip_stands_at_zero(self) -> None:
        # Gauge point over (305, 205, 600) with all axes at 0; the table carries −X −Y, the head +Z: X −305 Y −205 Z −535 is (0, 0, 65).
        with tempfile.TemporaryDirectory() as folder:
            (strand,) = check_program(slot_job(Path(folder), HEAD + "M30\n")).strands
            np.testing.assert_allclose(zeros(strand)["G54"]["table"], [0, 0, 65], atol=1e-9)
            page = as_html(check_program(open_job(Path(folder))))
        told = " ".join(Text(page).words)
        for said in (
            "X -70.00",
            "X 70.00",
            "Y -50.00",
            "Y 50.00",
            "top of blank: Z 0.00 from G54",
            "140 × 100 × 25",
            "X -305.000",
        ):
            self.assertIn(said, told)

    def test_a_datum_of_a_demo_job_is_found_again(self) -> None:
        found = 0
        for name in ("buoy-lid", "nose-cone", "transducer-bracket", "hydrophone-body"):
            job = open_job(SHOP / name / "1-as released")
            strand = check_program(job).strands[0]
            for offset, value in job.file.work_offsets.items():
                if isinstance(value, Datum) and value.mount in zeros(strand)[offset]:
                    np.testing.assert_allclose(zeros(strand)[offset][value.mount], value.datum, atol=1e-6)
                    found += 1
        self.assertGreaterEqual(found, 4)

    def test_tools_used_come_first_with_the_stick_out_that_suffices(self) -> None:
        result = rehearsed(SHOP / "buoy-lid" / "1-as released")
        rows = tool_rows(result)
        used = [row for row in rows if row["used"]]
        self.assertEqual([row["tool"] for row in used], [1, 2, 3, 4])
        self.assertEqual(rows[: len(used)], used)
        for row in used:
            self.assertLessEqual(row["stick_out_needed"], row["stick_out"])
        self.assertAlmostEqual(sum(row["seconds"] for row in used), result.reel.seconds, delta=10.0)
        listed = list(csv.DictReader(io.StringIO(tools_csv(result))))
        self.assertEqual([row["tool"] for row in listed], [str(row["tool"]) for row in rows])
        words = Text(labels_html(result)).words
        self.assertEqual(
            [word for word in words if word in {"T1", "T2", "T3", "T4", "T5"}], ["T1", "T2", "T3", "T4"]
        )  # one of each that is used
        for row in used:
            self.assertIn(f"{row['length']:.3f}", words)
            self.assertIn(f"{row['stick_out']:.1f}", words)

    def test_every_demo_job_has_a_sheet_and_names_are_only_text(self) -> None:
        for folder in folders():
            page = as_html(rehearsed(folder), "29 November", "ines")
            told = " ".join(Text(page).words)
            for body in rehearsed(folder).job.file.bodies:
                if body.role in ("stock", "fixture"):
                    self.assertIn(body.name, told)
        with tempfile.TemporaryDirectory() as name:
            job = slot_job(Path(name), HEAD + "M30\n", name="<script>alert(1)</script>")
            self.assertNotIn("<script", as_html(check_program(job)))


class Report(unittest.TestCase):
    def test_who_waits_for_whom_and_when_pieces_change_hands(self) -> None:
        result = rehearsed(SHOP / "hydrophone-body" / "1-as released")
        verdict = verdict_dict(result)
        words = Text(channels(result, verdict)).words
        told = dict.fromkeys((1, 2), 0.0)
        for at, word in enumerate(words):
            if word.startswith("mark "):
                told[int(words[at - 1].removeprefix("channel "))] += float(words[at + 3])
        for channel in verdict["channels"]:  # the sum of what is told of each mark
            self.assertAlmostEqual(told[channel["number"]], channel["waiting"], delta=0.06 * len(words))
            self.assertIn(clock(channel["waiting"]), words)
        self.assertGreater(sum(told.values()), 1.0)
        page = Text(grips(result)).words
        closing = [act for strand in result.strands for act in strand.interpreted.acts if act.kind in ("close", "open")]
        self.assertEqual(sum(word in ("has closed", "opens") for word in page), len(closing))
        self.assertIn(f"{closing[0].program} line {closing[0].line}", page)
        self.assertEqual(
            channels(lid := rehearsed(SHOP / "buoy-lid" / "1-as released"), verdict_dict(lid)) + grips(lid), ""
        )


if __name__ == "__main__":
    unittest.main()
