"""The rehearsal: from a job to its verdict."""

from .result import Rehearsal
from .run import Cancelled, check_program, rehearse

__all__ = ["Cancelled", "Rehearsal", "check_program", "rehearse"]
