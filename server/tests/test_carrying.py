"""An organisation's data out as a folder, and in again elsewhere: the same files, and nothing else than what was written."""

import csv
import json
import os
import shutil
import tempfile
from io import StringIO
from pathlib import Path

from django.core.management import CommandError, call_command
from django.test import override_settings

from bluntmirror.export.verdict import verdict_dict
from bluntmirror.job import open_job
from bluntmirror.rehearsal import rehearse
from jobs import carrying
from jobs.models import Job, LibraryFile, Measure, Revision, Triage
from jobs.services import Refused, keep_in_library, take_in_path

from .test_releases import CLEAR
from .test_routes import BLANK, CARRIED, route_zip
from .test_server import SLOT, WithShop


class Carrying(WithShop):
    def setUp(self) -> None:
        super().setUp()
        kept = tempfile.TemporaryDirectory()
        self.addCleanup(kept.cleanup)
        self.folder = Path(kept.name) / "out"
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        self.job = row.revision.job
        with tempfile.TemporaryDirectory() as name:
            changed = shutil.copytree(SLOT, Path(name) / "job")
            (changed / "note.txt").write_text("second")
            take_in_path(self.shop, self.ines, changed, "with a note", row.revision)
        self.client.post("/api/jobs", {"files": route_zip(("op10", BLANK), ("op20", CARRIED))})
        finding = row.findings.first()
        assert finding is not None
        body = json.dumps({"judgement": "accepted", "reason": "=1+1, known"})
        self.client.put(f"/api/findings/{finding.pk}/triage", body, content_type="application/json")
        Measure.objects.create(job=self.job, name="width", asked={"kind": "distance"}, by=self.ines)
        keep_in_library(self.shop, self.ines, LibraryFile.Kind.TOOLS, (CLEAR / "tools.json").read_bytes(), "tools.json")
        self.told = StringIO()

    def out(self) -> None:
        call_command("carry", "export", "shop", str(self.folder), stdout=self.told)

    def test_what_comes_in_elsewhere_is_what_went_out(self) -> None:
        self.out()
        self.assertIn("3 jobs, 4 revisions, 1 library written", self.told.getvalue())
        call_command("carry", "import", "other", str(self.folder), stdout=self.told)
        for name in (self.job.name, "Both sides, op10", "Both sides, op20"):
            before, after = (
                Revision.objects.filter(job__organisation=house, job__name=name).order_by("number")
                for house in (self.shop, self.other)
            )
            self.assertEqual(
                [(r.number, r.digest, r.label) for r in before], [(r.number, r.digest, r.label) for r in after]
            )
            self.assertEqual(before[0].archive.open("rb").read(), after[0].archive.open("rb").read())
        route = self.other.routes.get()
        self.assertEqual(
            [(s.place, s.name, s.job.name) for s in route.steps.all()],
            [(0, "op10", "Both sides, op10"), (1, "op20", "Both sides, op20")],
        )
        judged = Triage.objects.get(job__organisation=self.other)
        self.assertEqual((judged.judgement, judged.reason), ("accepted", "=1+1, known (judged by ines)"))
        self.assertEqual(Measure.objects.get(job__organisation=self.other).asked, {"kind": "distance"})
        self.assertEqual(*(LibraryFile.objects.get(organisation=house).digest for house in (self.shop, self.other)))
        again = carrying.take_in(self.other, self.folder)
        self.assertEqual(again["revisions"], 4)
        self.assertEqual(Job.objects.filter(organisation=self.other).count(), 3, "nothing is taken twice")
        self.assertEqual(Revision.objects.filter(job__organisation=self.other).count(), 4)

    def test_what_was_written_is_read_without_us(self) -> None:
        self.out()
        told = json.loads((self.folder / "organisation.json").read_text())
        first = told["jobs"][0]["revisions"][0]
        kept = json.loads((self.folder / f"{first['folder']} rehearsed" / "verdict.json").read_text())
        plain = verdict_dict(rehearse(open_job(self.folder / first["folder"]), filmed=False))
        self.assertEqual([f["cause"] for f in plain["findings"]], [f["cause"] for f in kept["findings"]])
        self.assertEqual(plain["time"], kept["time"])
        rows = list(csv.DictReader(StringIO((self.folder / "record.csv").read_text())))
        self.assertIn("accepted", " ".join(row["act"] + row["said"] for row in rows))
        for row in rows:
            self.assertFalse(row["said"].startswith("="), "no formula comes out of it")

    def test_a_folder_that_is_not_as_it_was_written_is_refused_whole(self) -> None:
        self.out()
        whole = self.folder.with_name("whole")
        self.folder.rename(whole)
        first = next((whole / "jobs").iterdir()) / "1"

        def changed(where: Path) -> None:
            (where / "O1001.nc").write_text("M30\n")

        def linked(where: Path) -> None:
            os.symlink("/etc/hostname", where / "more.txt")

        def lost(where: Path) -> None:
            shutil.rmtree(where)

        for spoil, said in ((changed, "a file has changed"), (linked, "is a link"), (lost, "no folder")):
            shutil.rmtree(self.folder, ignore_errors=True)
            shutil.copytree(whole, self.folder)
            spoil(self.folder / first.relative_to(whole))
            with self.subTest(said), self.assertRaisesRegex(CommandError, said):
                call_command("carry", "import", "other", str(self.folder))
            self.assertFalse(Job.objects.filter(organisation=self.other).exists())
        listed = self.folder / "organisation.json"
        for text, said in (
            ("{", "can be read"),
            ('{"format": "x"}', "format"),
            ('{"format": "blunt-mirror/organisation@1"}', "as `./mirror export`"),
        ):
            listed.write_text(text)
            with self.subTest(text), self.assertRaisesRegex(Refused, said):
                carrying.take_in(self.other, self.folder)
        shutil.rmtree(self.folder)
        shutil.copytree(whole, self.folder)
        with override_settings(MOST_KEPT=10), self.assertRaisesRegex(CommandError, "it may keep here"):
            call_command("carry", "import", "other", str(self.folder))
        with self.assertRaisesRegex(CommandError, "not empty"):
            call_command("carry", "export", "shop", str(self.folder))
        with self.assertRaisesRegex(CommandError, "there are: other, shop"):
            call_command("carry", "export", "nobody", str(self.folder))
