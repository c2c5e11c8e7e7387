"""Tools: cutters and holders as solids of revolution, and the registers that the control keeps for them."""

from .assembly import Assembly, build_assembly

__all__ = ["Assembly", "build_assembly"]
