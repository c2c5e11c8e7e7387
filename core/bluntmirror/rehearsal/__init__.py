"""The rehearsal: from a job to its verdict."""

from .result import Rehearsal, Timed
from .run import Cancelled, check_program, rehearse

__all__ = ["Cancelled", "Rehearsal", "Timed", "check_program", "rehearse"]
