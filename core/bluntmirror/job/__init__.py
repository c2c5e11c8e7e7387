"""Job, machine and tool files: their models, their loading, and the errors of those that cannot be read."""

from .loading import Job, JobUnreadable, open_job

__all__ = ["Job", "JobUnreadable", "open_job"]
