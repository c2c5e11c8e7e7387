"""Print the API's OpenAPI document; the web's client is generated from it."""

import json

from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = __doc__ or ""

    def handle(self, *args: object, **options: object) -> None:
        from mirror.api import api

        self.stdout.write(json.dumps(api.get_openapi_schema(path_prefix="/api/"), indent=1, default=str))
