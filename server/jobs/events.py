"""Progress as server-sent events, straight from the rehearsal's stream; a reconnect goes on where it broke off."""

import json
from collections.abc import AsyncIterator

import redis.asyncio
from asgiref.sync import sync_to_async
from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse

from .models import Rehearsal
from .running import settle_lost
from .stream import stream_key

LISTEN_MS = 3000
OVER = {"done", "failed", "cancelled"}


def _state(number: int, user: object) -> dict[str, object] | None:
    settle_lost()
    row = Rehearsal.objects.filter(pk=number, revision__job__organisation__members__user=user).first()
    return row and {"state": row.state, "stage": row.stage, "share": row.share, "error": row.error}


async def progress_events(request: HttpRequest, number: int) -> HttpResponse | StreamingHttpResponse:
    user = await request.auser()
    if not user.is_authenticated or await sync_to_async(_state)(number, user) is None:
        return JsonResponse({"detail": "not found"}, status=404)
    last = request.headers.get("Last-Event-ID", "0")

    async def stream() -> AsyncIterator[bytes]:
        at = last
        client = redis.asyncio.Redis.from_url(settings.QUEUE_URL)
        try:
            while True:
                # Ask the table first: what ended before anyone listened is told at once, and a lost worker is noticed.
                state = await sync_to_async(_state)(number, user)
                if state is None:
                    return
                if state["state"] in OVER:
                    yield f"data: {json.dumps(state)}\n\n".encode()
                    return
                answer = await client.xread({stream_key(number): at}, block=LISTEN_MS, count=100)
                if not answer:
                    yield b": still here\n\n"
                for _, entries in answer or []:
                    for identity, fields in entries:
                        at = identity.decode()
                        yield f"id: {at}\ndata: {fields[b'data'].decode()}\n\n".encode()
        finally:
            await client.aclose()

    response = StreamingHttpResponse(stream(), content_type="text/event-stream")
    response["Cache-Control"] = "no-cache"
    return response
