"""People: asked in, given rights, taken out, forgotten; passwords, second factors, and where they are signed in."""

import json
import re
import threading
import time
from typing import Any
from unittest import mock
from urllib.parse import urlsplit

from django.contrib.auth.models import User
from django.core import mail
from django.test import Client
from django.utils import timezone

from accounts import letters, people, seats
from accounts.models import Invitation, Membership, Role, Seat
from jobs import record
from jobs.models import Entry

from .rfc6238 import code_of
from .test_server import WithShop
from .test_signing_in import forget_guesses

PASSWORD = "spring-tide-4"


class People(WithShop):
    def setUp(self) -> None:
        super().setUp()
        forget_guesses()

    def post(self, address: str, client: Client | None = None, **body: Any) -> Any:
        return (client or self.client).post(f"/api{address}", json.dumps(body), content_type="application/json")

    def asked_in(self, role: str = "works", to: str = "") -> str:
        answer = self.post("/invitations", mail=to, role=role)
        self.assertEqual(answer.status_code, 200, answer.content)
        return str(urlsplit(answer.json()["link"]).path)

    def person(self, name: str, role: Role = Role.WORKS, to: str = "") -> tuple[User, Client]:
        client = Client()
        answer = self.post(self.asked_in(role, to), client, name=name, password=PASSWORD)
        self.assertEqual(answer.status_code, 200, answer.content)
        return User.objects.get(username=name), client

    def test_asked_in_by_a_link_that_holds_once(self) -> None:
        link = self.asked_in("reads", "wim@saltmarsh.example")
        self.assertIn(link, mail.outbox[0].body)
        guest = Client()
        told = guest.get(f"/api{link}").json()
        self.assertEqual((told["organisation"], told["role"], told["by"]), ("shop", "reads", "ines"))
        for name, password, why in (
            ("wim", "short", "10 characters"), ("wimwimwim", "wimwimwim1", "similar"), ("wim", "password123", "common"),
            ("a b", PASSWORD, "name"), ("INES", PASSWORD, "taken"), ("left-3", PASSWORD, "taken"),
        ):  # fmt: skip
            answer = self.post(link, guest, name=name, password=password)
            self.assertEqual(answer.status_code, 422, name)
            self.assertIn(why, answer.json()["detail"])
        self.assertEqual(self.post(link, guest, name="wim", password=PASSWORD).json()["role"], "reads")
        self.assertEqual(guest.get("/api/me").json()["name"], "wim")
        self.assertEqual(self.post(link, Client(), name="wim2", password=PASSWORD).status_code, 422)
        self.assertEqual(Client().get(f"/api{link}").status_code, 404)
        self.assertEqual([row["act"] for row in record.listed(self.shop)], ["came in", "asked somebody in"])
        self.assertFalse(Invitation.objects.filter(digest=link.rpartition("/")[2]).exists(), "only its digest is kept")

    def test_invitations_end_and_are_taken_back(self) -> None:
        over, back = self.asked_in(), self.asked_in()
        Invitation.objects.order_by("id").update(ends=timezone.now())
        self.assertEqual(self.post(over, Client(), name="wim", password=PASSWORD).status_code, 422)
        Invitation.objects.update(ends=timezone.now() + people.INVITED_FOR)
        number = self.client.get("/api/people").json()["invitations"][0]["id"]
        self.assertEqual(self.post(f"/invitations/{number}/withdraw").status_code, 204)
        self.assertEqual(self.post(back, Client(), name="wim", password=PASSWORD).status_code, 422)
        self.assertFalse(User.objects.filter(username="wim").exists())

    def test_links_are_not_guessed_and_who_guesses_keeps_nobody_else_out(self) -> None:
        link = self.asked_in()
        self.ines.set_password(PASSWORD)
        self.ines.save()
        with mock.patch("accounts.guesses.OF_A_NAME", 4):
            answers = [Client().get(f"/api/invited/guess{n}").status_code for n in range(6)]
            self.assertEqual(answers, [404] * 4 + [429] * 2)
            self.assertEqual(Client(REMOTE_ADDR="10.0.0.9").get(f"/api{link}").status_code, 200)
            asked = [self.post("/forgotten", Client(), name="ines").status_code for _ in range(5)]
            self.assertEqual(asked, [204] * 4 + [429])
            self.assertEqual(self.post("/sign-in", Client(), name="ines", password=PASSWORD).status_code, 200)

    def test_a_role_holds_at_once_and_somebody_always_administers(self) -> None:
        wim, his = self.person("wim", Role.READS)
        self.assertEqual(self.post("/touched/rehearse", his).status_code, 403)
        self.assertEqual(self.post(f"/people/{wim.pk}/role", role="works").json()["role"], "works")
        self.assertEqual(self.post("/touched/rehearse", his).status_code, 200)
        self.assertEqual(self.post(f"/people/{wim.pk}/role", his, role="administers").status_code, 403)
        for address, body in (
            (f"/people/{self.ines.pk}/role", {"role": "reads"}),
            (f"/people/{self.ines.pk}/take-out", {}),
        ):
            self.assertIn("somebody has to administer", self.post(address, **body).json()["detail"])
        self.post(f"/people/{wim.pk}/role", role="administers")
        self.assertEqual(self.post(f"/people/{self.ines.pk}/role", his, role="reads").status_code, 200)
        self.assertEqual(self.post("/invitations").status_code, 403)
        self.assertIn("gave another role to ines administers → reads", [
            f"{row['act']} {row['about']} {row['said']}" for row in record.listed(self.shop)
        ])  # fmt: skip

    def test_who_has_left_comes_in_no_more_by_any_way(self) -> None:
        wim, his = self.person("wim", to="wim@saltmarsh.example")
        secret = self.post("/tokens", his, name="ci", role="works", days=30).json()["secret"]
        way = people.way_back("wim")
        assert way is not None
        self.assertEqual(self.post(f"/people/{wim.pk}/take-out").json()["state"], "out")
        self.assertEqual(his.get("/api/me").status_code, 401)
        self.assertEqual(self.post("/sign-in", his, name="wim", password=PASSWORD).status_code, 401)
        self.assertEqual(Client().get("/api/jobs", headers={"Authorization": f"Bearer {secret}"}).status_code, 401)
        self.assertEqual(
            self.post(f"/new-password/{way[1]}/{way[2]}", Client(), password="ebb-and-flow-7").status_code, 422
        )
        mail.outbox.clear()
        self.post("/forgotten", Client(), name="wim")
        letters.wait()
        self.assertEqual(mail.outbox, [])
        self.assertEqual(self.post(f"/people/{wim.pk}/bring-back").json()["state"], "here")
        self.assertEqual(self.post("/sign-in", his, name="wim", password=PASSWORD).status_code, 200)
        self.assertEqual(Client().get("/api/jobs", headers={"Authorization": f"Bearer {secret}"}).status_code, 401)

    def test_who_is_forgotten_leaves_no_name_and_the_record_stays_whole(self) -> None:
        wim, his = self.person("wim", Role.ADMINISTERS, "wim@saltmarsh.example")
        self.post("/tokens", his, name="laptop", role="reads", days=30)
        self.post(f"/people/{self.ines.pk}/role", his, role="releases")
        self.post(f"/people/{self.ines.pk}/role", his, role="administers")
        self.assertEqual(len(record.listed(self.shop, "wim another role")), 2)
        self.assertEqual(self.post(f"/people/{wim.pk}/forget").status_code, 422, "who works here is not forgotten")
        self.post(f"/people/{wim.pk}/take-out")
        self.assertEqual(self.post(f"/people/{wim.pk}/forget").json()["name"], f"left-{wim.pk}")
        self.assertIsNone(record.first_broken(self.shop))
        self.assertEqual(len(record.listed(self.shop, f"left-{wim.pk} another role")), 2, "what he did stays")
        for address in ("/api/record", "/api/record.csv", "/api/people", "/api/access"):
            self.assertNotIn("wim", self.client.get(address).content.decode(), address)
        tables = (Entry, User, Invitation, Seat)
        kept = json.dumps([list(table.objects.values()) for table in tables], default=str)  # type: ignore[attr-defined]
        self.assertNotIn("wim", kept)
        self.assertEqual(self.post(f"/people/{wim.pk}/bring-back").status_code, 422)

    def test_a_second_factor_by_the_standard(self) -> None:
        _, his = self.person("wim")
        begun = self.post("/account/second", his).json()
        self.assertTrue(begun["picture"].startswith("<svg"))
        self.assertEqual(self.post("/sign-in", Client(), name="wim", password=PASSWORD).status_code, 200, "not yet on")
        self.assertEqual(self.post("/account/second/confirm", his, code="000000").status_code, 422)
        spare = self.post("/account/second/confirm", his, code=code_of(begun["address"], time.time() - 30)).json()[
            "codes"
        ]
        fresh = Client()
        self.assertEqual(self.post("/sign-in", fresh, name="wim", password=PASSWORD).status_code, 202)
        self.assertEqual(fresh.get("/api/me").status_code, 401)
        self.assertEqual(self.post("/sign-in", fresh, name="wim", password=PASSWORD, code="123").status_code, 401)
        now = code_of(begun["address"])
        self.assertEqual(self.post("/sign-in", fresh, name="wim", password=PASSWORD, code=now).status_code, 200)
        self.assertEqual(
            self.post("/sign-in", Client(), name="wim", password=PASSWORD, code=now).status_code, 401, "once"
        )
        self.assertEqual(self.post("/sign-in", Client(), name="wim", password=PASSWORD, code=spare[0]).status_code, 200)
        self.assertEqual(self.post("/sign-in", Client(), name="wim", password=PASSWORD, code=spare[0]).status_code, 401)
        self.assertEqual(self.post("/sign-in", Client(), name="wim", password="wrong", code=spare[1]).status_code, 401)
        self.assertEqual(his.get("/api/account").json()["spare"], 7)
        self.assertEqual(self.post("/account/second/off", his, code="000000").status_code, 422)
        self.assertEqual(self.post("/account/second/off", his, code=spare[1]).status_code, 204)
        self.assertEqual(self.post("/sign-in", Client(), name="wim", password=PASSWORD).status_code, 200)

    def test_wrong_codes_count_as_guesses_and_a_lost_device_is_taken_off(self) -> None:
        wim, his = self.person("wim")
        address = self.post("/account/second", his).json()["address"]
        self.post("/account/second/confirm", his, code=code_of(address, time.time() - 30))
        with mock.patch("accounts.guesses.OF_A_NAME", 3):
            codes = [
                self.post("/sign-in", Client(), name="wim", password=PASSWORD, code=f"00000{n}").status_code
                for n in range(5)
            ]
        self.assertEqual(codes, [401] * 3 + [429] * 2)
        forget_guesses()
        self.assertTrue(
            next(p for p in self.client.get("/api/people").json()["people"] if p["name"] == "wim")["second"]
        )
        self.assertEqual(self.post(f"/people/{wim.pk}/second-off", his).status_code, 403)
        self.post(f"/people/{wim.pk}/second-off")
        self.assertEqual(self.post("/sign-in", Client(), name="wim", password=PASSWORD).status_code, 200)

    def test_seats_are_listed_and_ended(self) -> None:
        _, his = self.person("wim")
        other = Client(headers={"User-Agent": "shop floor"})
        self.post("/sign-in", other, name="wim", password=PASSWORD)
        listed = his.get("/api/account").json()["seats"]
        self.assertEqual(sorted((row["browser"], row["here"]) for row in listed), [("", True), ("shop floor", False)])
        away = next(row["id"] for row in listed if not row["here"])
        self.assertEqual(self.post(f"/account/seats/{away}/end").status_code, 404, "nobody ends another's")
        self.assertEqual(self.post(f"/account/seats/{away}/end", his).status_code, 204)
        self.assertEqual((other.get("/api/me").status_code, his.get("/api/me").status_code), (401, 200))
        self.post("/sign-out", his)
        self.assertFalse(Seat.objects.filter(user__username="wim").exists())

    def test_a_new_password_signs_out_everywhere_else(self) -> None:
        _, his = self.person("wim")
        other = Client()
        self.post("/sign-in", other, name="wim", password=PASSWORD)
        self.assertEqual(self.post("/account/password", his, old="wrong", new="ebb-and-flow-7").status_code, 422)
        self.assertEqual(self.post("/account/password", his, old=PASSWORD, new="short").status_code, 422)
        self.assertEqual(self.post("/account/password", his, old=PASSWORD, new="ebb-and-flow-7").status_code, 204)
        self.assertEqual((other.get("/api/me").status_code, his.get("/api/me").status_code), (401, 200))
        self.assertEqual(len(seats.of(User.objects.get(username="wim"))), 1)

    def test_a_forgotten_password_is_set_anew_by_a_letter(self) -> None:
        _, his = self.person("wim", to="wim@saltmarsh.example")
        mail.outbox.clear()
        answers = [
            self.post("/forgotten", Client(), name=name).status_code
            for name in ("nobody", "ines", "WIM@saltmarsh.example")
        ]
        self.assertEqual(answers, [204] * 3, "the answer tells nobody who is here")
        letters.wait()
        (letter,) = mail.outbox
        link = re.search(r"/new-password/\S+", letter.body)
        assert link is not None
        self.assertEqual(self.post(link[0], Client(), password="short").status_code, 422)
        self.assertEqual(self.post(link[0], Client(), password="ebb-and-flow-7").status_code, 204)
        self.assertEqual(his.get("/api/me").status_code, 401)
        self.assertEqual(self.post(link[0], Client(), password="ebb-and-flow-8").status_code, 422, "it holds once")
        self.assertEqual(self.post("/sign-in", his, name="wim", password="ebb-and-flow-7").status_code, 200)

    def test_the_answer_does_not_wait_for_the_letter(self) -> None:
        self.person("wim", to="wim@saltmarsh.example")
        answered = threading.Event()

        def slowly(*_: object) -> int:
            self.assertTrue(answered.wait(60), "the letter is sent once the answer is there")
            return 1

        with mock.patch("accounts.letters.EmailMessage.send", slowly):
            self.assertEqual(self.post("/forgotten", Client(), name="wim").status_code, 204)
            answered.set()
            letters.wait()

    def test_a_mail_server_that_does_not_answer_takes_nothing_down(self) -> None:
        with (
            mock.patch("accounts.letters.EmailMessage.send", side_effect=OSError("refused")),
            self.assertLogs("accounts", "WARNING"),
        ):
            made = self.post("/invitations", mail="wim@saltmarsh.example").json()
        self.assertFalse(made["sent"])
        self.assertEqual(self.client.get(f"/api{urlsplit(made['link']).path}").status_code, 200)
        self.assertTrue(letters.send("wim@saltmarsh.example", "s", "t"))

    def test_those_who_do_not_administer_see_names_alone(self) -> None:
        _, his = self.person("wim")
        Membership.objects.filter(user=self.ines).update(role=Role.ADMINISTERS)
        User.objects.filter(pk=self.ines.pk).update(email="ines@saltmarsh.example")
        told = his.get("/api/people").json()
        self.assertEqual([row["name"] for row in told["people"]], ["ines", "wim"])
        self.assertNotIn("saltmarsh", json.dumps(told))
