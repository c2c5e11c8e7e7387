"""The report on paper: every page with its feet, judgements, tolerance and release as they are now; nothing fetched from elsewhere."""

import io
import json

from pypdf import PdfReader

from jobs.models import Rehearsal, Tolerance
from jobs.releasing import release
from jobs.services import take_in_path
from jobs.tasks import run_tolerance

from .test_server import SLOT as FLAWED
from .test_server import WithShop

SLOT = FLAWED.parent / "slot-clear"
MM = 72 / 25.4


class Paper(WithShop):
    def pages(self, row: Rehearsal, query: str = "") -> PdfReader:
        answer = self.client.get(f"/api/rehearsals/{row.pk}/report.pdf{query}")
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        self.assertEqual(answer["Content-Type"], "application/pdf")
        return PdfReader(io.BytesIO(answer.content))

    def text(self, reader: PdfReader) -> str:
        return " ".join(" ".join(page.extract_text() for page in reader.pages).split())

    def test_every_page_says_what_it_is_of(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, FLAWED))
        reader = self.pages(row)
        self.assertGreaterEqual(len(reader.pages), 2)
        for number, page in enumerate(reader.pages, 1):
            said = page.extract_text()
            self.assertIn(f"{number} of {len(reader.pages)}", said)
            self.assertIn(row.revision.digest[:16], said)
            self.assertAlmostEqual(float(page.mediabox.width), 210 * MM, delta=0.5)  # ISO 216
            self.assertAlmostEqual(float(page.mediabox.height), 297 * MM, delta=0.5)
        whole = self.text(reader)
        for item in row.findings.all():
            self.assertIn(item.data["kind"], whole)
        for word in (
            "STOP: do not run this program",
            "Not checked",
            "Travel used",
            "Least clearances",
            "Tools and time",
            "Setup",
            "Not released",
        ):
            self.assertIn(word, whole)
        self.assertGreaterEqual(sum(len(page.images) for page in reader.pages), 3)  # a finding, the part, the setup

    def test_letter(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        box = self.pages(row, "?paper=letter").pages[0].mediabox
        self.assertEqual((round(float(box.width)), round(float(box.height))), (612, 792))  # 8½ × 11 in, ANSI Y14.1
        self.assertEqual(self.client.get(f"/api/rehearsals/{row.pk}/report.pdf?paper=A0").status_code, 422)

    def test_what_has_come_since(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        self.assertIn("Not released", self.text(self.pages(row)))
        with self.captureOnCommitCallbacks(execute=False):
            self.client.post(
                f"/api/rehearsals/{row.pk}/tolerance", json.dumps({"reach": 0.5}), content_type="application/json"
            )
        run_tolerance(Tolerance.objects.get(rehearsal=row).pk)
        release(row, "first batch only", self.ines)
        whole = self.text(self.pages(row))
        self.assertIn("How wrong the set-up may be, asked up to 0.5 mm", whole)
        self.assertIn("work offset G54 X", whole)
        self.assertIn("first batch only", whole)

    def test_names_are_text_and_nothing_is_fetched(self) -> None:
        """A job's name is what somebody typed: it may neither end the page's rules nor bring in a file."""
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        job = row.revision.job
        job.name = 'Lid "; } body { display: none } <img src="file:///etc/hostname">'
        job.save()
        whole = self.text(self.pages(row))
        self.assertIn("Travel used", whole)
        self.assertIn("display: none", whole)
