"""The log: lines of JSON that belong together by the number of a request, and hold nothing that is secret."""

import json
import logging
from io import StringIO
from unittest import mock

from jobs import logs, tasks
from jobs.logs import Lines
from jobs.models import Rehearsal
from jobs.services import take_in_path

from .test_releases import CLEAR
from .test_server import WithShop


class Log(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.told = StringIO()
        handler = logging.StreamHandler(self.told)
        handler.setFormatter(Lines())
        for name in ("mirror", "jobs"):
            logger = logging.getLogger(name)
            replaced = mock.patch.object(logger, "handlers", [handler])
            replaced.start()
            self.addCleanup(replaced.stop)
            self.addCleanup(logger.setLevel, logger.level)
            logger.setLevel(logging.INFO)

    def lines(self) -> list[dict[str, object]]:
        return [json.loads(line) for line in self.told.getvalue().splitlines()]

    def test_a_request_has_a_number_in_the_answer_and_in_the_log(self) -> None:
        first = self.client.get("/api/jobs")
        (line,) = self.lines()
        self.assertEqual(line["request"], first["X-Request-Number"])
        self.assertEqual((line["call"], line["status"], line["person"]), ("api/jobs", 200, self.ines.pk))
        self.assertEqual(logs.number(), "", "it ends with the request")
        kept = self.client.get("/api/jobs", headers={"X-Request-Number": "of-a-proxy-17"})
        self.assertEqual(kept["X-Request-Number"], "of-a-proxy-17")
        odd = self.client.get("/api/jobs", headers={"X-Request-Number": 'x" \n{'})
        self.assertRegex(odd["X-Request-Number"], r"^[0-9a-f]{12}$")

    def test_what_an_address_holds_is_told_only_where_it_is_a_number(self) -> None:
        self.client.get("/api/invited/what-only-a-letter-says")
        self.client.get("/api/rehearsals/4711")
        self.assertNotIn("only-a-letter", self.told.getvalue())
        self.assertIn("4711", json.dumps(self.lines()[-1]["numbers"]))

    def test_a_fault_is_told_with_its_number_and_its_place(self) -> None:
        with mock.patch("mirror.api.standing.standing", side_effect=KeyError("gone")):
            answer = self.client.get("/api/jobs")
        self.assertEqual(answer.status_code, 500)
        self.assertIn(answer["X-Request-Number"], answer.json()["detail"])
        (fault,) = (line for line in self.lines() if line["level"] == "error")
        self.assertEqual((fault["request"], fault["says"]), (answer["X-Request-Number"], "KeyError: 'gone'"))
        self.assertIn("api.py", str(fault["where"]))

    def test_what_a_worker_does_belongs_to_the_request_that_asked_for_it(self) -> None:
        revision = take_in_path(self.shop, self.ines, CLEAR)
        with mock.patch("jobs.running.wake"):
            asked = self.client.post(
                f"/api/revisions/{revision.pk}/rehearsals", headers={"X-Request-Number": "asked-for-here"}
            )
        self.assertTrue(tasks.run_rehearsal(asked.json()["id"]))
        begun, ended = (line for line in self.lines() if line["module"] == "jobs.tasks")
        self.assertEqual({begun["request"], ended["request"]}, {"asked-for-here"})
        self.assertEqual((ended["rehearsal"], ended["state"]), (Rehearsal.objects.get().pk, "done"))
