"""The rehearsal: from a job to its verdict."""

from .run import Cancelled, Rehearsal, check_program, rehearse

__all__ = ["Cancelled", "Rehearsal", "check_program", "rehearse"]
