"""The work queue: Celery on Redis."""

import os

from celery import Celery

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mirror.settings")

app = Celery("mirror")
app.config_from_object(
    {
        "broker_url": os.environ.get("MIRROR_QUEUE", "redis://127.0.0.1:8752/0"),
        "task_ignore_result": True,
        "worker_prefetch_multiplier": 1,
        "worker_hijack_root_logger": False,
        "broker_connection_retry_on_startup": True,
        "broker_transport_options": {"visibility_timeout": 86_400},
    }
)
app.autodiscover_tasks(["jobs"])
