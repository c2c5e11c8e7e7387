"""Signing in through a provider elsewhere, against a small one on loopback."""

import json
from typing import Any
from unittest import mock

from django.contrib.auth.models import User
from django.test import override_settings
from joserfc.jwk import RSAKey

from accounts import elsewhere, people, second
from accounts.models import Known

from .provider import CLIENT, SECRET, Provider
from .test_server import WithShop


class Elsewhere(WithShop):
    def setUp(self) -> None:
        super().setUp()
        self.provider = Provider()
        self.addCleanup(self.provider.close)
        named = {"issuer": self.provider.issuer, "client": CLIENT, "secret": SECRET, "name": "the yard's account"}
        settings = override_settings(OPENID=named)
        settings.enable()
        self.addCleanup(settings.disable)
        self.client.logout()
        self.ines.email = "Ines@Example.com"
        self.ines.save()

    def come(self, change: Any = lambda address: address) -> str:
        """Go to the provider, sign in there, and come back; what is said at the door."""
        away = self.client.get("/api/elsewhere/begin")
        self.assertEqual(away.status_code, 302)
        if not away["Location"].startswith(self.provider.issuer):
            return self.said()
        back = change(self.provider.signed_in(away["Location"]))
        self.assertEqual(self.client.get(back)["Location"], "/")
        return self.said()

    def said(self) -> str:
        return str(self.client.get("/api/elsewhere").json()["said"])

    def is_in(self) -> bool:
        return self.client.get("/api/me").status_code == 200

    def test_by_a_verified_address_first_and_by_the_providers_name_from_then_on(self) -> None:
        self.assertEqual(
            self.client.get("/api/elsewhere").json(), {"name": "the yard's account", "said": "", "code": False}
        )
        self.provider.claims["sub"] = "A subject"
        self.assertEqual(self.come(), "")
        self.assertEqual(self.client.get("/api/me").json()["name"], "ines")
        self.assertEqual(self.ines.seats.count(), 1)  # type: ignore[attr-defined]
        self.client.logout()
        self.provider.claims |= {"email": "ines@new.example", "email_verified": False}
        self.assertEqual(self.come(), "")
        self.assertTrue(self.is_in())
        # Somebody else at the provider who is given the old address is not her, nor is one whose name there differs by its letters' case.
        for sub in ("another", "a subject"):
            self.client.logout()
            self.provider.claims = {"sub": sub, "email": "ines@example.com", "email_verified": True}
            self.assertIn("begin it again", self.come())
            self.assertFalse(self.is_in())

    def test_whoever_has_left_comes_in_no_more_and_is_forgotten_here(self) -> None:
        self.come()
        self.client.logout()
        self.ines.is_active = False
        self.ines.save()
        self.assertIn("not a member here", self.come())
        self.assertFalse(self.is_in())
        people.forget(self.ines.membership)  # type: ignore[attr-defined]
        self.assertEqual(Known.objects.count(), 0)

    def test_strangers_and_unproved_addresses_stay_out(self) -> None:
        for claims, why in (
            ({"email": "nobody@example.com"}, "Nobody here has the address nobody@example.com"),
            ({"email": "inés@example.com"}, "Nobody here has the address inés@example.com"),
            ({"email_verified": False}, "no address of yours that it has verified"),
            ({"email_verified": "true"}, "no address of yours that it has verified"),
            ({"email": ""}, "no address of yours that it has verified"),
        ):
            with self.subTest(claims), mock.patch.dict(self.provider.claims, claims):
                self.assertIn(why, self.come())
                self.assertFalse(self.is_in())
        with self.assertRaisesRegex(
            elsewhere.Refused, "Nobody here has"
        ):  # half a pair of UTF-16, which no database takes
            elsewhere._first_time({"iss": "x", "sub": "y", "email": "\ud800@example.com", "email_verified": True})
        User.objects.create_user("ines too", "ines@example.com", "x")
        self.assertIn("Several people here", self.come())
        self.assertEqual(Known.objects.count(), 0)

    def test_a_token_that_is_not_for_this_sign_in_lets_nobody_in(self) -> None:
        """OpenID Connect Core 1.0, 3.1.3.7: issuer, audience, authorized party, time, nonce and signature."""
        for claims in (
            {"iss": "https://other.example"}, {"aud": "another client"}, {"aud": [CLIENT, "another"]}, {"azp": "another client"},
            {"exp": 1_000_000_000}, {"exp": None}, {"nonce": "another"}, {"sub": None}, {"iat": None},
        ):  # fmt: skip
            with self.subTest(claims), mock.patch.dict(self.provider.claims, claims):
                self.assertEqual(self.come(), elsewhere.AWAY)
                self.assertFalse(self.is_in())
        self.provider.signs = RSAKey.generate_key(2048, {"kid": "1"})
        self.assertEqual(self.come(), elsewhere.AWAY)
        self.assertFalse(self.is_in())
        unsigned = "eyJhbGciOiJub25lIn0.e30."
        self.provider.wrong["/token"] = {"id_token": unsigned}
        self.assertEqual(self.come(), elsewhere.AWAY)

    def test_a_way_back_that_nobody_here_has_begun_lets_nobody_in(self) -> None:
        self.assertEqual(self.client.get("/api/elsewhere/back?code=x&state=y")["Location"], "/")
        self.assertEqual(self.said(), elsewhere.ANEW)
        for state in ("x", "%C3%A9"):
            self.assertEqual(
                self.come(lambda back, state=state: back.replace("state=", f"state={state}")), elsewhere.ANEW
            )
        self.assertEqual(
            self.come(lambda back: back.replace("code=one+code", "error=access_denied")),
            "The provider has not let you in.",
        )
        # A way back holds once.
        self.assertEqual(self.come(), "")
        self.client.logout()
        away = self.provider.signed_in(self.client.get("/api/elsewhere/begin")["Location"])
        with mock.patch("accounts.elsewhere.time.time", return_value=4e9):
            self.client.get(away)
        self.assertEqual(self.said(), elsewhere.ANEW)
        self.assertFalse(self.is_in())

    def test_a_provider_that_answers_nonsense_is_said_and_nothing_else_suffers(self) -> None:
        for path, answer in (
            ("/.well-known/openid-configuration", {}), ("/.well-known/openid-configuration", b"<html>"), ("/keys", []), ("/token", {}),
            ("/.well-known/openid-configuration", {"issuer": "https://other.example"}), ("/token", b"x" * 2_000_000), ("/keys", {"keys": [{"kty": "?"}]}),
        ):  # fmt: skip
            elsewhere._forget()
            with self.subTest(path, answer=str(answer)[:40]), mock.patch.dict(self.provider.wrong, {path: answer}):
                self.assertEqual(self.come(), elsewhere.AWAY)
                self.assertFalse(self.is_in())
        plain = {"issuer": self.provider.issuer} | dict.fromkeys(
            ("authorization_endpoint", "token_endpoint", "jwks_uri"), "http://example.com/x"
        )
        elsewhere._forget()
        with mock.patch.dict(self.provider.wrong, {"/.well-known/openid-configuration": plain}):
            self.assertEqual(self.come(), elsewhere.AWAY)
        elsewhere._forget()
        self.provider.close()
        self.assertEqual(self.come(), elsewhere.AWAY)
        signed = self.client.post(
            "/api/sign-in", json.dumps({"name": "ines", "password": "a-long-password"}), content_type="application/json"
        )
        self.assertEqual(signed.status_code, 200)

    def test_a_second_factor_of_ones_own_is_wanted_all_the_same(self) -> None:
        with (
            mock.patch.object(second, "needed", return_value=True),
            mock.patch.object(second, "holds", side_effect=lambda _, code: code == "123456"),
        ):
            self.assertEqual(self.come(), "")
            self.assertFalse(self.is_in())
            self.assertTrue(self.client.get("/api/elsewhere").json()["code"])

            def give(code: str) -> Any:
                return self.client.post(
                    "/api/elsewhere/code", json.dumps({"code": code}), content_type="application/json"
                )

            self.assertEqual(give("000000").status_code, 401)
            self.assertEqual(give("123456").status_code, 200)
            self.assertTrue(self.is_in())
            self.client.logout()
            self.assertEqual(give("123456").status_code, 403, "nobody is half in")

    def test_where_none_is_named_there_is_none(self) -> None:
        with override_settings(OPENID={"issuer": "", "client": "", "secret": "", "name": "x"}):
            self.assertEqual(self.client.get("/api/elsewhere").json()["name"], "")
            self.assertEqual(self.client.get("/api/elsewhere/begin")["Location"], "/")
            self.assertIn("No provider", self.said())
