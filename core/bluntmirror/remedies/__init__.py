"""Remedies: changes that clear a finding, each tried before it is offered.

change     lines of programs and numbers of tables, made in a loaded job or in its files
proposal   one kind of change that could help, with how much of it is tried first (`kinds`: which for which finding)
offer      a change that was tried and clears its finding, with what it costs
"""

from .change import Change, Rank, Value, applied, together, written
from .mending import Mended, keep, mend
from .trying import Offer, Trials

__all__ = ["Change", "Mended", "Offer", "Rank", "Trials", "Value", "applied", "keep", "mend", "together", "written"]
