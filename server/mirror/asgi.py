"""The web server's entry: streams of progress are asynchronous, every other call has a thread of a pool for its time."""

import gc
import os
import re
import sys
from typing import Any

from a2wsgi import WSGIMiddleware
from django.core.asgi import get_asgi_application
from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mirror.settings")

THREADS = 64  # calls under way in one process; each thread keeps its connection to the database
SWITCH_SECONDS = 0.001  # the thread that takes requests in waits so long, at most, for one that answers
STREAMS = re.compile(r"/api/rehearsals/\d+/events")


class Served:
    """Threads that stay, with a connection that stays, answer at a third of what a new thread and connection for every call would cost."""

    def __init__(self) -> None:
        self.streams = get_asgi_application()
        self.calls = WSGIMiddleware(get_wsgi_application(), workers=THREADS)  # type: ignore[arg-type]

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        stream = scope["type"] != "http" or STREAMS.fullmatch(scope["path"])
        await (self.streams if stream else self.calls)(scope, receive, send)


def _application() -> Any:
    sys.setswitchinterval(SWITCH_SECONDS)
    served = Served()  # sets Django up, which what follows needs
    from . import urls  # noqa: F401 - with all that answers: nobody's first call waits for it
    from .bodies import Bounded

    gc.collect()
    gc.freeze()  # what is there for good is not gone through, again and again, by the collector while somebody waits
    return Bounded(served)


application = _application()
