"""The door: guesses are counted, other sites kept out, half a character is no name."""

import json
import re
from collections.abc import Iterator
from typing import Any
from unittest import mock

import redis
from asgiref.sync import async_to_sync
from django.conf import settings
from django.test import override_settings

from accounts import guesses
from jobs.services import take_in_path
from mirror.bodies import Bounded

from .test_server import SLOT, WithShop


def forget_guesses() -> None:
    store = redis.Redis.from_url(settings.QUEUE_URL)
    for key in store.scan_iter("guesses:*"):
        store.delete(key)


class SigningIn(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.client.logout()
        forget_guesses()

    def sign_in(self, name: str = "ines", password: str = "wrong", **headers: str) -> Any:
        return self.client.post(
            "/api/sign-in",
            json.dumps({"name": name, "password": password}),
            content_type="application/json",
            headers=headers,
        )

    def test_guesses_of_one_name_have_to_wait_and_others_need_not(self) -> None:
        self.ines.set_password("tide-table-9")
        self.ines.save()
        codes = [self.sign_in().status_code for _ in range(guesses.OF_A_NAME + 1)]
        self.assertEqual(codes, [401] * guesses.OF_A_NAME + [429])
        answer = self.sign_in(password="tide-table-9")
        self.assertEqual(answer.status_code, 429, "not even the right one: else a guess would tell")
        self.assertIn("Try again in 15 minutes", answer.json()["detail"])
        self.assertEqual(self.sign_in(" INES ").status_code, 429, "the same name")
        self.assertEqual(self.sign_in("somebody").status_code, 401)

    def test_whoever_comes_in_begins_anew(self) -> None:
        self.ines.set_password("tide-table-9")
        self.ines.save()
        for _ in range(guesses.OF_A_NAME - 1):
            self.sign_in()
        self.assertEqual(self.sign_in(password="tide-table-9").status_code, 200)
        self.client.logout()
        self.assertEqual(self.sign_in().status_code, 401)

    def test_who_belongs_to_no_organisation_is_told_so(self) -> None:
        self.ines.set_password("tide-table-9")
        self.ines.save()
        self.ines.membership.delete()
        answer = self.sign_in(password="tide-table-9")
        self.assertEqual(
            (answer.status_code, self.client.get("/api/me").status_code), (403, 401), "and is not signed in"
        )
        self.assertIn("ask the administrator", answer.json()["detail"])
        self.client.force_login(self.ines)  # signed in, and taken out since
        for address in ("/api/me", "/api/jobs", "/api/library"):
            answer = self.client.get(address)
            self.assertEqual(answer.status_code, 403, address)
            self.assertIn("ask the administrator", answer.json()["detail"])

    def test_one_address_cannot_try_many_names(self) -> None:
        with mock.patch.object(guesses, "OF_AN_ADDRESS", 5):
            codes = [self.sign_in(f"name {n}").status_code for n in range(7)]
        self.assertEqual(codes, [401] * 5 + [429] * 2)

    def test_where_the_store_does_not_answer_the_password_decides(self) -> None:
        with (
            mock.patch.object(guesses, "_store", side_effect=redis.ConnectionError),
            self.assertLogs("accounts", "WARNING"),
        ):
            self.assertEqual(self.sign_in().status_code, 401)

    def test_another_sites_page_signs_nobody_in(self) -> None:
        self.ines.set_password("tide-table-9")
        self.ines.save()
        for headers in ({"Origin": "https://elsewhere.example"}, {"Sec-Fetch-Site": "cross-site"}, {"Origin": "null"}):
            self.assertEqual(self.sign_in(password="tide-table-9", **headers).status_code, 403, headers)
        self.assertEqual(self.sign_in(password="tide-table-9", Origin="http://testserver").status_code, 200)

    def test_half_a_character_is_refused(self) -> None:
        self.assertEqual(self.sign_in("\ud800").status_code, 422)


class Policy(WithShop):
    """Nothing runs in a page that did not come from here, whatever a file is called or holds."""

    def test_every_answer_carries_it(self) -> None:
        row = self.rehearse(take_in_path(self.shop, self.ines, SLOT))
        seen = set()
        for address in (
            "/",
            "/people",
            "/api/jobs",
            "/api/me",
            "/static/none.js",
            f"/api/rehearsals/{row.pk}/artifacts/verdict.json",
        ):
            said = self.client.get(address)["Content-Security-Policy"]
            self.assertIn("default-src 'none'; script-src 'self';", said, address)
            self.assertNotIn("unsafe", said)
            seen.add(re.search(r"'nonce-([^']+)'", said)[1])  # type: ignore[index]
        self.assertEqual(len(seen), 6, "a nonce holds for one answer")
        paper = self.client.get(f"/api/rehearsals/{row.pk}/artifacts/report.html")["Content-Security-Policy"]
        self.assertIn("default-src 'none'", paper)
        self.assertIn("sandbox", paper)
        self.assertNotIn("script", paper)

    def test_the_pages_own_styles_carry_its_nonce(self) -> None:
        answer = self.client.get("/")
        self.assertEqual(answer.status_code, 200, "the interface is built before these tests run")
        nonce = re.search(r"'nonce-([^']+)'", answer["Content-Security-Policy"])
        assert nonce is not None
        self.assertIn(f'content="{nonce[1]}"', answer.content.decode())


class LongBodies(WithShop):
    """What whoever is not signed in sends is refused while it comes; nothing of it is kept."""

    def sent(self, chunks: Iterator[bytes], headers: dict[str, str]) -> tuple[int, int, bool]:
        """The status, how many bytes were taken, and whether the application behind was asked to its end."""
        taken, statuses, reached = 0, [], False

        async def receive() -> dict[str, Any]:
            nonlocal taken
            part = next(chunks, b"")
            taken += len(part)
            return {"type": "http.request", "body": part, "more_body": bool(part)}

        async def send(message: dict[str, Any]) -> None:
            if message["type"] == "http.response.start":
                statuses.append(message["status"])

        async def served(scope: Any, receive: Any, send: Any) -> None:
            nonlocal reached
            while (await receive())["more_body"]:
                pass
            reached = True
            await send({"type": "http.response.start", "status": 200, "headers": []})

        scope = {"type": "http", "headers": [(k.encode(), v.encode()) for k, v in headers.items()]}
        async_to_sync(Bounded(served))(scope, receive, send)
        return statuses[0], taken, reached

    def test_long_and_signed_out(self) -> None:
        megabytes = (b"x" * 10**6 for _ in range(1500))
        self.assertEqual(self.sent(megabytes, {"content-length": "1500000000"}), (413, 0, False))
        status, taken, reached = self.sent(megabytes, {})  # in pieces, its length not told
        self.assertEqual((status, reached), (413, False))
        self.assertLessEqual(taken, 10**6)
        for headers in ({"cookie": "sessionid=guess"}, {"authorization": "Bearer guess"}, {"content-length": "-5"}):
            self.assertEqual(self.sent((b"x" * 10**6 for _ in range(9)), headers)[0], 413, headers)
        self.assertEqual(self.sent(iter([b"x" * 1000]), {}), (200, 1000, True))

    def test_long_and_signed_in(self) -> None:
        cookie = {"cookie": f"sessionid={self.client.cookies['sessionid'].value}"}
        self.assertEqual(self.sent((b"x" * 10**6 for _ in range(9)), cookie), (200, 9 * 10**6, True))
        with override_settings(MAX_UPLOAD_BYTES=0):
            status, taken, _ = self.sent((b"x" * 10**6 for _ in range(99)), cookie)
        self.assertEqual((status, taken), (413, 11 * 10**6))
