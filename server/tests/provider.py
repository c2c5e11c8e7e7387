"""A small provider of sign-ins for the tests: OpenID Connect on loopback, whose every answer can be made wrong."""

import json
import threading
import time
from base64 import b64decode, urlsafe_b64encode
from hashlib import sha256
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, unquote, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import KeySet, RSAKey

CLIENT, SECRET = "blunt mirror", "a:secret=with everything&"


class Provider:
    """`claims` are of whoever signs in next; `wrong` changes an answer by its path; `signs` the key that signs."""

    def __init__(self) -> None:
        self.key = self.signs = RSAKey.generate_key(2048, {"kid": "1", "use": "sig"})
        self.claims: dict[str, Any] = {"sub": "248289761001", "email": "ines@example.com", "email_verified": True}
        self.wrong: dict[str, Any] = {}
        self.begun: dict[str, dict[str, str]] = {}
        outer = self

        class Answers(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                outer.answer(self, "")

            def do_POST(self) -> None:
                outer.answer(self, self.rfile.read(int(self.headers["Content-Length"])).decode())

            def log_message(self, *args: Any) -> None:
                pass

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Answers)
        self.issuer = f"http://127.0.0.1:{self.server.server_address[1]}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def close(self) -> None:
        self.server.shutdown()
        self.server.server_close()

    def answer(self, handler: BaseHTTPRequestHandler, body: str) -> None:
        path = urlsplit(handler.path).path
        told: Any = {
            "/.well-known/openid-configuration": lambda: {
                "issuer": self.issuer, "authorization_endpoint": f"{self.issuer}/authorize", "token_endpoint": f"{self.issuer}/token",
                "jwks_uri": f"{self.issuer}/keys",
            },
            "/keys": lambda: KeySet([self.key]).as_dict(private=False),
            "/token": lambda: self.token(handler.headers["Authorization"], {k: v[0] for k, v in parse_qs(body).items()}),
        }[path]()  # fmt: skip
        wrong = self.wrong.get(path, told)
        text = wrong if isinstance(wrong, bytes) else json.dumps(wrong).encode()
        handler.send_response(200 if told is not None else 400)
        handler.send_header("Content-Type", "application/json")
        handler.end_headers()
        handler.wfile.write(text)

    def signed_in(self, address: str) -> str:
        """What the browser is led back to after somebody has signed in at the address that the application led to."""
        asked = {k: v[0] for k, v in parse_qs(urlsplit(address).query).items()}
        assert (
            asked["response_type"] == "code" and asked["client_id"] == CLIENT and "openid" in asked["scope"].split()
        ), asked
        self.begun["one code"] = asked
        return f"{asked['redirect_uri']}?{urlencode({'code': 'one code', 'state': asked['state']})}"

    def token(self, authorization: str, form: dict[str, str]) -> dict[str, Any] | None:
        """Once for a code, to the client it was for, with the word that the challenge was made of."""
        begun = self.begun.pop(form["code"], None)
        who = [
            unquote(part.replace("+", " "))
            for part in b64decode(authorization.removeprefix("Basic ")).decode().split(":")
        ]
        challenge = urlsafe_b64encode(sha256(form["code_verifier"].encode()).digest()).rstrip(b"=").decode()
        if (
            begun is None
            or who != [CLIENT, SECRET]
            or challenge != begun["code_challenge"]
            or form["redirect_uri"] != begun["redirect_uri"]
        ):
            return None
        now = int(time.time())
        claims = {
            "iss": self.issuer,
            "aud": CLIENT,
            "iat": now,
            "exp": now + 300,
            "nonce": begun["nonce"],
        } | self.claims
        header = {"alg": "RS256", "kid": "1"}
        return {"token_type": "Bearer", "access_token": "x", "id_token": jwt.encode(header, claims, self.signs)}
