"""How wrong a set-up may be: for every offset, register, stick-out, fixture and blank how far it may be off, each way, before the first
contact, gouge or overtravel.

quantity  what may be off, and the job as it is then
shift     how that moves the axes
bound     up to where nothing happens, and what is the first to happen beyond
"""

from .bounds import Bound, Held, Tolerance
from .quantities import Quantity
from .whole import REACH_MM, tolerance

__all__ = ["REACH_MM", "Bound", "Held", "Quantity", "Tolerance", "tolerance"]
