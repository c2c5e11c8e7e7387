"""Plants: what belongs to one is seen by those who belong to it, and by those who belong to all."""

import json
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.test import Client

from accounts import people, sites
from accounts.models import Membership, Role, Site
from accounts.refused import Refused
from jobs import reading
from jobs.models import Job
from jobs.services import take_in_path, take_in_route

from .test_releases import CLEAR
from .test_server import SLOT, WithShop

ROUTE = next(iter(sorted((settings.ROOT / "demo" / "routes").glob("*/*"))))


class Sites(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.harbour, self.dune = (sites.make(self.shop, name) for name in ("Harbour works", "Dune works"))
        self.joost, self.marit = (
            self.member(name, site) for name, site in (("joost", self.harbour), ("marit", self.dune))
        )

    def member(self, name: str, site: Site) -> Client:
        user = User.objects.create_user(name)
        Membership.objects.create(user=user, organisation=self.shop, role=Role.WORKS, site=site)
        client = Client()
        client.force_login(user)
        return client

    def names(self, client: Client) -> list[str]:
        return sorted(job["name"] for job in client.get("/api/jobs").json())

    def post(self, address: str, **body: Any) -> tuple[int, Any]:
        answer = self.client.post(f"/api{address}", json.dumps(body), content_type="application/json")
        return answer.status_code, answer.json() if answer.content else None

    def test_a_job_belongs_to_the_site_of_who_brought_it_until_it_is_given_to_another(self) -> None:
        joost, marit = User.objects.get(username="joost"), User.objects.get(username="marit")
        own, common = take_in_path(self.shop, joost, CLEAR).job, take_in_path(self.shop, self.ines, SLOT).job
        self.assertEqual(self.names(self.joost), sorted([own.name, common.name]))
        self.assertEqual(self.names(self.marit), [common.name])
        tag = self.marit.get("/api/jobs")["ETag"]
        self.assertEqual(self.marit.get("/api/jobs", headers={"If-None-Match": tag}).status_code, 304)
        self.assertNotEqual(self.joost.get("/api/jobs")["ETag"], tag)
        with self.assertRaisesRegex(Refused, "at another site"):
            take_in_path(self.shop, marit, CLEAR)
        self.assertEqual(own.revisions.count(), 1)
        self.assertEqual(self.post(f"/jobs/{own.pk}/site", site=self.dune.pk)[0], 204)
        self.assertEqual((self.names(self.joost), len(self.names(self.marit))), ([common.name], 2))
        self.assertEqual(self.post(f"/jobs/{own.pk}/site", site=None)[0], 204)
        self.assertEqual(self.names(self.joost), self.names(self.marit))
        self.assertEqual(self.post(f"/jobs/{own.pk}/site", site=10**6)[0], 422)
        lines = [line["about"] for line in self.client.get("/api/record").json()["lines"]]
        self.assertEqual(lines.count(own.name), 2)

    def test_a_route_goes_as_a_whole(self) -> None:
        route = reading.route(ROUTE, ROUTE)
        assert route is not None
        first = take_in_route(self.shop, User.objects.get(username="joost"), route).job
        self.assertEqual(set(Job.objects.values_list("site", flat=True)), {self.harbour.pk})
        self.assertEqual((len(self.joost.get("/api/routes").json()), self.marit.get("/api/routes").json()), (1, []))
        with self.assertRaisesRegex(Refused, "at another site"):
            take_in_route(self.shop, User.objects.get(username="marit"), route)
        self.post(f"/jobs/{first.pk}/site", site=self.dune.pk)
        self.assertEqual(set(Job.objects.values_list("site", flat=True)), {self.dune.pk})
        self.assertEqual((self.joost.get("/api/routes").json(), len(self.marit.get("/api/routes").json())), ([], 1))

    def test_the_record_tells_a_site_of_its_own(self) -> None:
        jobs = [take_in_path(self.shop, self.ines, folder).job for folder in (SLOT, CLEAR)]
        for job, site in zip(jobs, (self.harbour, self.dune), strict=True):
            self.post(f"/jobs/{job.pk}/site", site=site.pk)
        for client, seen in ((self.joost, jobs[0]), (self.marit, jobs[1])):
            self.assertEqual({line["about"] for line in client.get("/api/record").json()["lines"]}, {seen.name})
            self.assertEqual(client.get("/api/record.csv").content.count(b"\n"), 2)

    def test_who_belongs_where_is_said_by_those_who_administer_and_they_belong_to_all(self) -> None:
        joost = Membership.objects.get(user__username="joost")
        told = self.client.get("/api/people").json()
        self.assertEqual(
            [(site["name"], site["people"], site["jobs"]) for site in told["sites"]],
            [("Dune works", 1, 0), ("Harbour works", 1, 0)],
        )
        self.assertEqual(self.post(f"/people/{joost.user_id}/site", site=self.dune.pk)[1]["site"], self.dune.pk)
        self.assertEqual(self.post(f"/people/{joost.user_id}/role", role="administers")[1]["site"], None)
        self.assertEqual(self.post(f"/people/{joost.user_id}/site", site=self.dune.pk)[0], 422)
        self.assertEqual(self.post("/invitations", mail="", role="administers", site=self.dune.pk)[0], 422)
        status, invitation = self.post("/invitations", mail="", role="works", site=self.dune.pk)
        self.assertEqual((status, invitation["site"]), (200, self.dune.pk))
        user = people.accept(invitation["link"].rpartition("/")[2], "veerle", "a-long-password-9")
        self.assertEqual(Membership.objects.get(user=user).site, self.dune)

    def test_a_site_goes_only_when_nobody_and_nothing_belongs_to_it(self) -> None:
        theirs = sites.make(self.other, "Harbour works")
        self.assertEqual(self.post("/sites", name=" Harbour  works ")[0], 422)
        self.assertEqual(self.post("/sites", name=" ")[0], 422)
        for site, status in ((self.dune, 422), (theirs, 404), (sites.make(self.shop, "Pier"), 204)):
            self.assertEqual(self.post(f"/sites/{site.pk}/take-away")[0], status)
        self.assertEqual(self.post("/sites", name="Pier")[0], 200)
