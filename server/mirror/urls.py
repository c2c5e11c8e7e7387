"""Addresses: the API, the progress stream, and the web interface for everything else."""

from django.urls import path, re_path

from jobs.events import progress_events
from jobs.views import interface

from .api import api
from .health import alive, metrics, ready

urlpatterns = [
    path("api/rehearsals/<int:number>/events", progress_events),
    path("health", alive),
    path("ready", ready),
    path("metrics", metrics),
    path("api/", api.urls),
    re_path(r"^(?!api/|static/).*$", interface),
]
