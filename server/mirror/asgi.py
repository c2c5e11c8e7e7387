"""The web server's entry."""

import os
from typing import Any

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mirror.settings")


def _application() -> Any:
    served = get_asgi_application()  # sets Django up, which what follows needs
    from .bodies import Bounded

    return Bounded(served)


application = _application()
