"""The web server's entry."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mirror.settings")
application = get_asgi_application()
