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
        "broker_connection_max_retries": None,  # a queue that is away is waited for
        "beat_schedule_filename": os.path.join(os.environ.get("MIRROR_VAR", "var"), "chores"),
        "beat_schedule": {
            "settle": {"task": "jobs.chores.settle", "schedule": 15.0, "options": {"expires": 15.0}},
            "tidy": {"task": "jobs.chores.tidy", "schedule": 6 * 3600.0, "options": {"expires": 3600.0}},
        },
        "broker_transport_options": {"visibility_timeout": 86_400, "socket_connect_timeout": 3, "socket_timeout": 3},
        "task_publish_retry": False,  # whoever asks is not kept waiting; what waits is told of again (jobs.running)
    }
)
app.autodiscover_tasks(["jobs"])
app.autodiscover_tasks(["jobs"], related_name="chores")
