"""Every call of the API's document, by everybody: signed out and in each role, on what is theirs and on what is another organisation's."""

import json
from typing import Any

from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client

from accounts import people, sites, tokens
from accounts.models import Membership, Organisation, Role, Seat
from jobs import hooks, releasing, sweeping
from jobs.models import Job, Route, RouteStep
from jobs.services import keep_in_library, take_in_path
from mirror.api import api
from mirror.rights import OPEN, RIGHTS

from .test_releases import CLEAR
from .test_server import SLOT, WithShop

NAMES = {
    "artifacts": "verdict.json",
    "program": "O1001.nc",
    "files": "job.json",
    "rules": "arcs.tiny",
    "measures": "width",
}
# The words before a number in an address that lead to a job.
OF_A_JOB = ("jobs", "routes", "revisions", "rehearsals", "findings", "releases", "verdicts", "sweeps")
PERSONAL = ("end_seat", "revoke_token")  # on what a person has, and not only the organisation
PLAIN = {"string": "x", "integer": 1, "number": 1.0, "boolean": False, "object": {}, "null": None}
FACES = [{"on": "face", "at": [0.0, 0.0, z]} for z in (0.0, 10.0)]
ASKED = {"asked": {"name": "height", "stock": "blank", "kind": "distance", "places": FACES, "nominal": 10.0}}
BODIES = dict.fromkeys(
    ("mirror_api_put_measure", "mirror_api_try_measure"), ASKED
)  # their schema takes more than the least of it
DOCUMENT = api.get_openapi_schema()


def least(schema: dict[str, Any]) -> Any:
    """The least that a schema of the document takes."""
    if "$ref" in schema:
        return least(DOCUMENT["components"]["schemas"][schema["$ref"].rpartition("/")[2]])
    if alternatives := schema.get("anyOf") or schema.get("oneOf"):
        return least(alternatives[0])
    if "enum" in schema or "const" in schema:
        return schema.get("const", schema.get("enum", [None])[0])
    if schema.get("type") == "array":
        return [least(item) for item in schema.get("prefixItems", [])] or [least(schema["items"])] * schema.get(
            "minItems", 0
        )
    if "properties" in schema:
        return {name: least(own) for name, own in schema["properties"].items() if name in schema.get("required", ())}
    if "minimum" in schema or "exclusiveMinimum" in schema:
        return schema.get("minimum", schema.get("exclusiveMinimum", 0) + 1)
    return PLAIN[schema.get("type", "object")]


class Rights(WithShop):
    def belongings(self, shop: Organisation, user: User) -> dict[str, int]:
        """One of everything that has a number, of an organisation: by the word that stands before it in an address."""
        flawed, clear = (take_in_path(shop, user, folder) for folder in (SLOT, CLEAR))
        row, done = (self.rehearse(revision) for revision in (flawed, clear))
        releasing.release(done, "", user)
        finding = row.findings.first()
        machine = keep_in_library(shop, user, "machine", (SLOT / "machine.json").read_bytes(), "machine.json")
        route = Route.objects.create(organisation=shop, name="route")
        RouteStep.objects.create(
            route=route, place=0, name="one", job=Job.objects.create(organisation=shop, name="empty")
        )
        take_in_path(shop, user, SLOT, parent=None)
        route.steps.update(job=flawed.job)
        colleague = User.objects.create_user(f"colleague of {shop.name}".replace(" ", "-"))
        Membership.objects.create(user=colleague, organisation=shop, role=Role.WORKS)
        release = done.releases.first()
        assert finding and release
        sweeps = sweeping.begin(shop, user, "again", [flawed])
        sweeps[0].refresh_from_db()
        thrown = Job.objects.create(organisation=shop, name="thrown", thrown_at=release.at, thrown_by=user)
        Job.objects.filter(pk=thrown.pk).update(thrown_as=thrown.pk)
        return {
            "jobs": done.revision.job_id, "job": thrown.pk,
            "rehearsals": row.pk, "verdicts": row.pk, "beside": done.pk, "revisions": flawed.pk, "findings": finding.pk,
            "library": machine.pk, "fit": machine.pk, "swap": machine.pk, "routes": route.pk, "releases": release.pk,
            "people": colleague.pk, "invitations": people.invite(shop, user, "", Role.READS)[0].pk,
            "sites": sites.make(shop, "site").pk, "sweeps": sweeps[0].sweep_id,
            "tokens": tokens.make(user, "ci", Role.READS, 30)[0].pk, "hooks": hooks.make(shop, user, "https://a.example/b", ["finished"]).pk,
        }  # fmt: skip

    def address(self, path: str, has: dict[str, int], last: dict[str, int] | None = None) -> str:
        """An address with its numbers; `last`: whose the last of them is, where that is somebody else."""
        parts = path.split("/")
        places = [place for place, part in enumerate(parts) if part in ("{number}", "{machine}", "{other}")]
        for place in range(len(parts)):
            if place in places:
                own = last if last is not None and place == places[-1] else has
                parts[place] = str(own[parts[place - 1]])
            elif parts[place].startswith("{"):
                kinds = {"library": "machine", "basket": "job"}
                parts[place] = NAMES.get(parts[place - 1], kinds.get(parts[place - 1], "vise"))
        return "/".join(parts)

    def ask(self, client: Client, method: str, address: str, call: dict[str, Any]) -> int:
        """The status of one call, after which everything is as before."""
        content = call.get("requestBody", {}).get("content", {})
        cookies = client.cookies.copy()  # signing out and a new password change them, too
        with transaction.atomic():
            if "multipart/form-data" in content:
                schema = content["multipart/form-data"]["schema"]
                schema = (
                    DOCUMENT["components"]["schemas"][schema["$ref"].rpartition("/")[2]] if "$ref" in schema else schema
                )
                fields = {
                    name: SimpleUploadedFile("x.nc", b"M30\n") if name.startswith("file") else "{}"
                    for name in schema["required"]
                }
                answer = client.generic("GET", address) if method != "post" else client.post(address, fields)
            else:
                schema = content.get("application/json", {}).get("schema")
                body = (least(schema) if schema else {}) | BODIES.get(call["operationId"], {})
                answer = client.generic(
                    method.upper(), address, json.dumps(body), "application/json"
                )  # fmt: skip
            transaction.set_rollback(True)
        client.cookies = cookies
        return answer.status_code

    def test_every_call_by_everybody(self) -> None:
        mine, theirs = self.belongings(self.shop, self.ines), self.belongings(self.other, self.stranger)
        clients: dict[Role | None, Client] = {None: Client()}
        for role in Role:
            user = User.objects.create_user(f"who-{role}")
            Membership.objects.create(user=user, organisation=self.shop, role=role)
            clients[role] = Client()
            clients[role].force_login(user)
        own_seat, other_seat = (
            Seat.objects.create(user=user, session=f"{user.pk}" * 8, address="", browser="", seen=self.shop.members.first().user.date_joined)  # type: ignore[union-attr]
            for user in (User.objects.get(username="who-administers"), self.stranger)
        )  # fmt: skip
        mine["seats"], theirs["seats"] = own_seat.pk, other_seat.pk
        asked, names = 0, set()
        for path, calls in DOCUMENT["paths"].items():
            for method, call in calls.items():
                name = call["operationId"].split("_", 2)[2]
                names.add(name)
                if name in OPEN:
                    continue
                own, foreign = (self.address(path, has) for has in (mine, theirs))
                mixed = self.address(path, mine, theirs)
                for role, client in clients.items():
                    for address in dict.fromkeys((own, foreign, mixed)):
                        with self.subTest(call=name, role=role, address=address):
                            status = self.ask(client, method, address, call)
                            asked += 1
                            if role is None:
                                self.assertEqual(status, 401)
                            elif not role.covers(RIGHTS[name]):
                                self.assertEqual(status, 403)
                            elif address != own or (name in PERSONAL and role != Role.ADMINISTERS):
                                self.assertEqual(status, 404)
                            else:
                                self.assertIn(status, (200, 204, 409, 422))
        self.assertGreater(asked, 800)
        self.assertEqual(names, set(RIGHTS) | set(OPEN))

    def test_what_belongs_to_another_site_is_not_there(self) -> None:
        mine = self.belongings(self.shop, self.ines)
        here, there = (sites.make(self.shop, name) for name in ("Harbour works", "Dune works"))
        Job.objects.filter(organisation=self.shop).update(site=here)
        clients = []
        for site in (here, there):
            user = User.objects.create_user(f"at-{site.pk}")
            Membership.objects.create(user=user, organisation=self.shop, role=Role.RELEASES, site=site)
            clients.append(Client())
            clients[-1].force_login(user)
        asked = 0
        for path, calls in DOCUMENT["paths"].items():
            if not any(f"/{word}/{{" in path for word in OF_A_JOB):
                continue
            for method, call in calls.items():
                name = call["operationId"].split("_", 2)[2]
                if not Role.RELEASES.covers(RIGHTS[name]):
                    continue
                address = self.address(path, mine)
                with self.subTest(call=name):
                    own, other = (self.ask(client, method, address, call) for client in clients)
                    self.assertEqual(other, 404)
                    self.assertNotIn(own, (401, 403, 404))
                    asked += 1
        self.assertGreater(asked, 60)
        own, other = clients
        for address in ("/api/jobs", "/api/routes", "/api/basket"):
            self.assertEqual((len(own.get(address).json()) > 0, other.get(address).json()), (True, []), address)
        queue = other.get("/api/queue").json()
        self.assertEqual((queue["rehearsals"], queue["sweeps"]), ([], []))
        self.assertEqual(other.get(f"/api/rehearsals/{mine['rehearsals']}/events").status_code, 404)
