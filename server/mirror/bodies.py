"""Bodies of requests, bounded as they come in and before anything of them is kept."""

from collections.abc import Awaitable, Callable
from contextlib import suppress
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings

from .limits import SIGNED_OUT, signed_in

Scope = dict[str, Any]
Receive = Callable[[], Awaitable[dict[str, Any]]]
Send = Callable[[dict[str, Any]], Awaitable[None]]

AROUND = 10_000_000  # bytes that a form's parts add to what is uploaded


class TooLarge(Exception):
    """A body that is longer than its sender may send."""


class Bounded:
    """Whoever is not signed in has nothing long to say; whoever is, no more than a whole upload. What goes beyond is refused while it comes, and
    never kept."""

    def __init__(self, served: Any) -> None:
        self.served = served

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.served(scope, receive, send)
            return
        headers = {name.lower(): value.decode("latin-1") for name, value in scope["headers"]}
        told = headers.get(b"content-length", "0")
        length = int(told) if told.isdigit() else 0
        most, taken, begun, over = SIGNED_OUT, 0, False, False

        async def allow(size: int) -> None:
            nonlocal most, over
            if size > most == SIGNED_OUT and await sync_to_async(signed_in)(headers):
                most = settings.MAX_UPLOAD_BYTES + AROUND
            if size > most:
                over = True
                raise TooLarge

        async def bounded() -> dict[str, Any]:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            await allow(taken)
            return message

        async def noted(message: dict[str, Any]) -> None:
            nonlocal begun
            if over and not begun:  # what is made of half a body is no answer
                return
            begun = True
            await send(message)

        with suppress(TooLarge):
            await allow(length)
            await self.served(scope, bounded, noted)
        if over:
            if begun:  # the answer is under way: the connection ends here
                raise TooLarge
            said = f'{{"detail": "what was sent is larger than {most / 1e6:g} MB"}}'.encode()
            kind = [(b"content-type", b"application/json"), (b"connection", b"close")]
            await send({"type": "http.response.start", "status": 413, "headers": kind})
            await send({"type": "http.response.body", "body": said})
