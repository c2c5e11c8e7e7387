"""The Django project. The queue is made here, so that tasks find it wherever they are called from."""

from .queue import app as celery_app

__all__ = ["celery_app"]
