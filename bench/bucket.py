"""A stand-in for a store elsewhere that speaks the S3 protocol, on loopback and in memory, which can be made slow or failing while it is in use."""

from __future__ import annotations

import logging
import threading
import time
import urllib.request
from collections.abc import Callable, Iterable
from contextlib import contextmanager
from typing import Any

import boto3
from moto.server import DomainDispatcherApplication, create_backend_app
from werkzeug.serving import make_server

logging.getLogger("werkzeug").setLevel(logging.ERROR)
KEY, SECRET, BUCKET = "stand-in", "stand-in-secret", "kept"


class Elsewhere:
    """The store; `slow`: seconds before each answer, `failing`: one answer in so many is a 503."""

    def __init__(self) -> None:
        self.slow, self.failing, self.asked = 0.0, 0, 0
        self.within = DomainDispatcherApplication(create_backend_app)
        self.port = 0
        self._begin()
        self.empty()

    def _begin(self) -> None:
        self.server = make_server("127.0.0.1", self.port, self._answer, threaded=True)
        self.port = self.server.port
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def _answer(self, asked: dict[str, Any], begin: Callable[..., Any]) -> Iterable[bytes]:
        self.asked += 1
        time.sleep(self.slow)
        if self.failing and self.asked % self.failing == 0:
            begin("503 Slow Down", [("Content-Type", "application/xml")])
            return [b"<Error><Code>SlowDown</Code><Message>later</Message></Error>"]
        return self.within(asked, begin)

    def empty(self) -> None:
        """As it was at first: one bucket with nothing in it."""
        urllib.request.urlopen(f"{self.reached_at}/moto-api/reset", b"").close()
        known = {"aws_access_key_id": KEY, "aws_secret_access_key": SECRET, "region_name": "us-east-1"}
        boto3.client("s3", endpoint_url=self.reached_at, **known).create_bucket(Bucket=BUCKET)

    @property
    def address(self) -> str:
        return f"s3://{KEY}:{SECRET}@127.0.0.1:{self.port}/{BUCKET}?tls=0"

    @property
    def reached_at(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    @contextmanager
    def gone(self) -> Any:
        """Nobody listens; what is kept is there afterwards."""
        self._end()
        try:
            yield
        finally:
            self._begin_again()

    def _begin_again(self) -> None:
        for _ in range(50):
            try:
                self._begin()
                break
            except OSError:  # the port may be held for a moment
                time.sleep(0.1)

    def _end(self) -> None:
        self.server.shutdown()
        self.server.server_close()

    close = _end
