"""Routes: taken in, rehearsed step by step, and what a change in one step does to the others."""

import io
import json
import shutil
import tempfile
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from bluntmirror.geometry.mesh import joined
from jobs import routes, setups
from jobs.models import Job, Rehearsal, Revision, Route, Search, Tolerance
from jobs.running import begin_rehearsal
from jobs.tasks import run_next, run_rehearsal, run_search, run_tolerance

from .test_server import WithShop

SLOT = settings.ROOT / "core" / "tests" / "jobs" / "slot-clear"
BLANK = {
    "name": "blank", "role": "stock", "mount": "table", "shape": {"type": "box", "size": [140, 100, 25]}, "at": [0, 0, 52.5],
}  # fmt: skip
CARRIED = BLANK | {"shape": {"type": "carried", "step": "op10", "body": "blank"}, "turn": [180, 0, 0]}
SLOT_MM3 = 7000  # 10 wide, 5 deep, through 140


def route_zip(*steps: tuple[str, dict[str, Any]], name: str = "Both sides", program: str = "") -> SimpleUploadedFile:
    """A route of slot jobs; `program` stands in for the first step's."""
    out = io.BytesIO()
    with tempfile.TemporaryDirectory() as folder, zipfile.ZipFile(out, "w") as bundle:
        told = [{"name": step, "job": step} for step, _ in steps]
        bundle.writestr("route.json", json.dumps({"format": "blunt-mirror/route@1", "name": name, "steps": told}))
        for k, (step, body) in enumerate(steps):
            place = Path(folder) / step
            shutil.copytree(SLOT, place)
            data = json.loads((place / "job.json").read_text())
            data["bodies"] = [data["bodies"][0], body]
            data["checks"]["resolution"] = 1.0
            (place / "job.json").write_text(json.dumps(data))
            if program and not k:
                (place / "O1001.nc").write_text(program)
            for file in place.iterdir():
                bundle.writestr(f"{step}/{file.name}", file.read_bytes())
    return SimpleUploadedFile("route.zip", out.getvalue())


class Routes(WithShop):
    def setUp(self) -> None:
        super().setUp()
        # What would go to the queue runs at once.
        delivered = mock.patch.object(run_next, "apply_async", side_effect=lambda *_, **__: run_next())
        delivered.start()
        self.addCleanup(delivered.stop)

    def take_in(self, *steps: tuple[str, dict[str, Any]], **more: str) -> int:
        answer = self.client.post(
            "/api/jobs", {"files": route_zip(*(steps or (("op10", BLANK), ("op20", CARRIED))), **more)}
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()["route"]

    def rehearse_route(self, number: int) -> list[dict[str, Any]]:
        with self.captureOnCommitCallbacks(execute=True):
            self.assertEqual(self.client.post(f"/api/routes/{number}/rehearsals").status_code, 200)
        return self.steps()

    def steps(self) -> list[dict[str, Any]]:
        return self.client.get("/api/routes").json()[0]["steps"]

    def test_one_click_rehearses_every_step_with_what_the_one_before_left(self) -> None:
        number = self.take_in()
        self.assertEqual(
            [(s["name"], s["rehearsal"], s["stale"]) for s in self.steps()], [("op10", None, ""), ("op20", None, "")]
        )
        steps = self.rehearse_route(number)
        self.assertEqual([(s["verdict"], s["stale"]) for s in steps], [("clear", "")] * 2)
        second = self.client.get(f"/api/rehearsals/{steps[1]['rehearsal']}").json()
        self.assertAlmostEqual(second["result"]["stock"][0]["volume_before"], 140 * 100 * 25 - SLOT_MM3, delta=1)
        self.assertEqual([s["rehearsal"] for s in second["route"]["steps"]], [s["rehearsal"] for s in steps])
        # The setup of the second side starts from what the first left, turned over: its slot lies below.
        revision = Revision.objects.get(pk=steps[1]["revision"])
        blank = joined(setups.opened(revision).body_meshes["blank"])
        self.assertAlmostEqual(blank.volume, 140 * 100 * 25 - SLOT_MM3, delta=10)
        told = self.client.get(f"/api/revisions/{revision.pk}/setup").json()["carried"]
        self.assertEqual(told, [{"step": "op10", "rehearsal": steps[0]["rehearsal"], "says": ""}])

    def test_a_change_in_a_step_makes_those_after_it_stale_and_undoing_it_makes_them_hold(self) -> None:
        number = self.take_in()
        before = self.rehearse_route(number)
        other = (SLOT / "O1001.nc").read_text().replace("F", "(slower) F", 1)
        answer = self.client.post(
            f"/api/revisions/{before[0]['revision']}/programs",
            {"files": SimpleUploadedFile("O1001.nc", other.encode())},
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual([s["stale"] for s in self.steps()], ["", "op10 has changed since"])
        told = self.client.get(f"/api/revisions/{before[1]['revision']}/setup").json()["carried"]
        self.assertEqual([item["says"] for item in told], ["changed"])
        # Rehearsing the second side alone rehearses the first, too.
        with self.captureOnCommitCallbacks(execute=True):
            begin_rehearsal(Revision.objects.get(pk=before[1]["revision"]), self.ines)
        after = self.steps()
        self.assertEqual([(s["verdict"], s["stale"]) for s in after], [("clear", "")] * 2)
        self.assertNotEqual(after[0]["rehearsal"], before[0]["rehearsal"])
        first = self.client.get(f"/api/rehearsals/{before[1]['rehearsal']}").json()
        self.assertEqual(first["stale"], "op10 has changed since")
        self.assertEqual(first["route"]["steps"][0]["rehearsal"], before[0]["rehearsal"])  # what it stood on then

    def test_nothing_stands_on_a_quick_look(self) -> None:
        number = self.take_in()
        first, second = (step["revision"] for step in self.steps())
        with self.captureOnCommitCallbacks(execute=True):
            look = self.client.post(f"/api/revisions/{first}/rehearsals?quick=true").json()
        told = self.client.get(f"/api/rehearsals/{look['id']}").json()
        self.assertEqual((told["quick"], told["verdict"], told["state"]), (True, "caution", "done"))
        self.assertEqual(told["result"]["checked"]["quick"]["resolution"], 1.0)
        self.assertNotIn(routes.HANDED_ON, told["artifacts"])
        with self.captureOnCommitCallbacks(execute=True):  # a look at the second side rehearses the first in full
            look = self.client.post(f"/api/revisions/{second}/rehearsals?quick=true").json()
        steps = self.steps()
        self.assertEqual([(s["verdict"], s["stale"]) for s in steps], [("clear", ""), ("caution", "")])
        told = self.client.get(f"/api/rehearsals/{look['id']}").json()
        self.assertAlmostEqual(told["result"]["stock"][0]["volume_before"], 140 * 100 * 25 - SLOT_MM3, delta=200)
        self.assertEqual([s["verdict"] for s in self.rehearse_route(number)], ["clear", "clear"])

    def test_a_route_is_told_by_its_steps_as_they_are_now(self) -> None:
        self.rehearse_route(self.take_in())
        second = routes.RouteStep.objects.get(name="op20").job
        data = self.client.get(f"/api/revisions/{routes.newest(second).pk}/setup").json()["job"]
        data["checks"]["near"] = 0.5
        body = json.dumps({"job": data, "label": "nearer"})
        saved = self.client.post(
            f"/api/revisions/{routes.newest(second).pk}/setup/save", body, content_type="application/json"
        )
        older = second.revisions.last()
        assert saved.status_code == 200 and older
        self.rehearse(older)  # an older revision again says nothing of the route
        self.assertEqual([s["state"] for s in self.steps()], ["done", None])

    def test_a_step_whose_source_fails_says_so_and_one_under_way_is_waited_for(self) -> None:
        self.take_in()
        first, second = (step.job for step in routes.RouteStep.objects.all())
        waits = Rehearsal.objects.create(revision=routes.newest(first), created_by=self.ines)
        row = Rehearsal.objects.create(revision=routes.newest(second), created_by=self.ines)
        run_rehearsal(row.pk)
        row.refresh_from_db()
        self.assertEqual(row.state, "queued")
        self.client.post(f"/api/rehearsals/{waits.pk}/cancel")
        row.refresh_from_db()
        self.assertEqual(row.state, "failed")
        self.assertIn("'op10', whose rehearsal did not end", row.error)

    def test_a_step_that_must_not_run_puts_those_after_it_in_doubt(self) -> None:
        crash = (SLOT / "O1001.nc").read_text().replace("M30", "G0 X-2000.\nM30")
        steps = self.rehearse_route(self.take_in(program=crash))
        self.assertEqual([s["verdict"] for s in steps], ["stop", "stop"])
        found = self.client.get(f"/api/rehearsals/{steps[1]['rehearsal']}").json()["findings"]
        self.assertEqual([f["data"]["kind"] for f in found], ["check.limit"])

    def test_changes_and_tolerances_are_tried_on_what_the_step_before_had_left(self) -> None:
        """The first step is in doubt, and then another; the second's rehearsal still stands on what it was given."""
        crash = (SLOT / "O1001.nc").read_text().replace("M30", "G0 X-2000.\nM30")
        first, second = self.rehearse_route(self.take_in(program=crash))
        fault = (SLOT / "O1001.nc").read_text().replace("N90 G0 Z20.", "N85 G0 X0. Y30.\nN90 G0 Z20.")
        self.put(second, fault)
        row = Rehearsal.objects.get(pk=self.rehearse_route(Route.objects.get().pk)[1]["rehearsal"])
        self.assertEqual([f.data["kind"] for f in row.findings.all()], ["check.limit", "contact.rapid"])
        self.put(first, (SLOT / "O1001.nc").read_text().replace("Z-5.", "Z-4."))
        with self.captureOnCommitCallbacks(execute=False):
            self.client.post(f"/api/rehearsals/{row.pk}/remedies", "{}", content_type="application/json")
        run_search(Search.objects.get(rehearsal=row).pk)
        found = self.client.get(f"/api/rehearsals/{row.pk}/remedies").json()
        self.assertEqual((found["state"], found["error"]), ("done", ""))
        rapid = row.findings.get(data__kind="contact.rapid")
        (offer,) = [item for item in found["offers"] if item["finding"] == rapid.pk and item["touches"] == "line"]
        with self.captureOnCommitCallbacks(execute=True):
            self.client.post(
                f"/api/rehearsals/{row.pk}/mend", {"offers": [offer["id"]]}, content_type="application/json"
            )
        steps = self.steps()
        self.assertEqual([s["verdict"] for s in steps], ["clear", "clear"])
        # Turned over, with the slot below, the second side bears what the first bore, uncut: all but the sides of a blank that is none.
        rows = [Rehearsal.objects.get(pk=step["rehearsal"]) for step in steps]
        bounds = [self.bounds(row) for row in rows]
        sides = {key for key in bounds[0] if key[0] == "blank"}
        self.assertEqual((len(sides), set(bounds[0]) - sides), (6, set(bounds[1])))
        for key, bound in bounds[1].items():
            for one, other in zip(bounds[0][key], bound, strict=True):
                self.assertAlmostEqual(one, other, delta=0.02, msg=str(key))
        row = rows[1]
        # What it stood on is gone: said, not guessed.
        for artifact in row.sources.get().artifacts.filter(name=routes.HANDED_ON):
            artifact.delete()
        with self.assertRaisesRegex(routes.Lacking, "no longer kept"):
            routes.taken_then(row)

    def bounds(self, row: Rehearsal) -> dict[tuple[str, str, str], list[float]]:
        with self.captureOnCommitCallbacks(execute=False):
            self.client.post(f"/api/rehearsals/{row.pk}/tolerance", {"reach": 0.5}, content_type="application/json")
        run_tolerance(Tolerance.objects.get(rehearsal=row).pk)
        told = self.client.get(f"/api/rehearsals/{row.pk}/tolerance").json()
        self.assertEqual((told["state"], told["error"]), ("done", ""))
        return {(q["kind"], q["name"], q["axis"]): [q[way]["amount"] for way in ("less", "more")]
                for q in told["result"]["quantities"]}  # fmt: skip

    def put(self, step: dict[str, Any], program: str) -> None:
        answer = self.client.post(
            f"/api/revisions/{step['revision']}/programs", {"files": SimpleUploadedFile("O1001.nc", program.encode())}
        )
        self.assertEqual(answer.status_code, 200, answer.content)

    def test_what_cannot_be_a_route_is_refused_and_nothing_of_it_is_kept(self) -> None:
        for steps, reason in (
            ((("op10", CARRIED),), "does not come before"),
            ((("op10", BLANK), ("op20", CARRIED | {"shape": {"type": "carried", "step": "op10", "body": "bar"}})), "no stock 'bar'"),
        ):  # fmt: skip
            answer = self.client.post("/api/jobs", {"files": route_zip(*steps)})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(reason, answer.json()["detail"])
        self.assertEqual((Job.objects.count(), routes.RouteStep.objects.count()), (0, 0))
        self.take_in()
        answer = self.client.post("/api/jobs", {"files": route_zip(("op5", BLANK), ("op10", BLANK))})
        self.assertIn("has the steps op10, op20", answer.json()["detail"])

    def test_a_route_comes_as_a_folder_too(self) -> None:
        with zipfile.ZipFile(route_zip(("op10", BLANK), ("op20", CARRIED))) as bundle:
            names = bundle.namelist()
            files = [SimpleUploadedFile(name.rpartition("/")[2], bundle.read(name)) for name in names]
        answer = self.client.post("/api/jobs", {"files": files, "names": names})
        self.assertEqual((answer.status_code, answer.json().get("step")), (200, "op10"), answer.content)
        self.assertEqual([s["name"] for s in self.steps()], ["op10", "op20"])
        answer = self.client.post("/api/jobs", {"files": [SimpleUploadedFile("job.json", b"{}")], "names": ["a", "b"]})
        self.assertEqual((answer.status_code, answer.json()["detail"]), (422, "1 files came with 2 names"))

    def test_a_step_is_changed_like_any_job_and_keeps_to_its_route(self) -> None:
        self.take_in()
        self.take_in()  # the same again is no revision
        steps = self.steps()
        self.assertEqual(Revision.objects.count(), 2)
        told = self.client.get(f"/api/revisions/{steps[1]['revision']}/setup").json()
        self.assertEqual([item["says"] for item in told["carried"]], ["uncut"])

        def save(step: str) -> tuple[int, str]:
            job = json.loads(json.dumps(told["job"]).replace('"op10"', f'"{step}"'))
            body = json.dumps({"job": job, "label": "again"})
            address = f"/api/revisions/{steps[1]['revision']}/setup/save"
            answer = self.client.post(address, body, content_type="application/json")
            return answer.status_code, answer.json().get("detail", "")

        self.assertEqual(save("op15")[0], 422)
        told["job"]["checks"]["near"] = 0.5
        self.assertEqual(save("op10"), (200, ""))

    def test_another_organisation_has_no_part_in_it(self) -> None:
        number = self.take_in()
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get("/api/routes").json(), [])
        self.assertEqual(self.client.post(f"/api/routes/{number}/rehearsals").status_code, 404)
