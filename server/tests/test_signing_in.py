"""The door: guesses are counted, other sites kept out, half a character is no name."""

import json
from typing import Any
from unittest import mock

import redis
from django.conf import settings

from accounts import guesses

from .test_server import WithShop


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
