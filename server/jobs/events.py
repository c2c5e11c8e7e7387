"""Progress as server-sent events, straight from the rehearsal's stream; a reconnect goes on where it broke off."""

import asyncio
import json
from collections import Counter
from collections.abc import AsyncIterator

import redis
import redis.asyncio
from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse

from accounts.models import Membership

from . import seen
from .models import Rehearsal
from .running import settle_lost
from .stream import stream_key

LISTEN_MS = 3000
LATER_MS = 20_000
OVER = {"done", "failed", "cancelled"}
MOST_OF_ONE = 40  # streams that one person may follow at once

_followed: Counter[int] = Counter()  # by person, in this process


def _state(number: int, user: int) -> dict[str, object] | None:
    """How a rehearsal stands; None where it is not there for this person."""
    try:
        settle_lost()
        member = Membership.objects.select_related("organisation").filter(user=user).first()
        row = Rehearsal.objects.filter(pk=number, revision__job__in=seen.jobs(member)).first() if member else None
        return row and {"state": row.state, "stage": row.stage, "share": row.share, "error": row.error}
    finally:
        _let_go()


def _let_go() -> None:
    """Give the request's connection to the database back: a stream lasts for as long as somebody looks, and connections are few."""
    if not connection.in_atomic_block:
        connection.close()


_ask = sync_to_async(_state)


async def progress_events(request: HttpRequest, number: int) -> HttpResponse | StreamingHttpResponse:
    user = await request.auser()
    await sync_to_async(_let_go)()
    if not user.is_authenticated or await _ask(number, user.pk) is None:
        return JsonResponse({"detail": "not found"}, status=404)
    last = request.headers.get("Last-Event-ID", "0")

    async def stream() -> AsyncIterator[bytes]:
        at = last
        if _followed[user.pk] >= MOST_OF_ONE:
            yield f"retry: {LATER_MS}\n\n".encode()  # the browser asks again by itself, and there is room when others have ended
            return
        client = redis.asyncio.Redis.from_url(settings.QUEUE_URL)
        _followed[user.pk] += 1
        try:
            while True:
                # The table is asked first and whenever nothing is told: what ended before anyone listened is told at once, and a lost
                # worker is noticed.
                try:
                    state = await _ask(number, user.pk)
                    if state is None:
                        return
                    if state["state"] in OVER:
                        yield _event(json.dumps(state))
                        return
                    while answer := await client.xread({stream_key(number): at}, block=LISTEN_MS, count=100):
                        for identity, fields in answer[0][1]:
                            at = identity.decode()
                            told = fields[b"data"].decode()
                            yield _event(told, at)
                            if json.loads(told)["state"] in OVER:
                                return
                except (DatabaseError, redis.RedisError):  # away for a moment: whoever looks goes on looking
                    await asyncio.sleep(LISTEN_MS / 1000)
                yield b": still here\n\n"
        finally:
            _followed[user.pk] -= 1
            await client.aclose()

    response = StreamingHttpResponse(stream(), content_type="text/event-stream")
    response["Cache-Control"] = "no-cache"
    return response


def _event(data: str, identity: str = "") -> bytes:
    return f"{f'id: {identity}' + chr(10) if identity else ''}data: {data}\n\n".encode()
