"""The machine: its chain of links and joints, travels, and what its control holds."""

from .chain import Chain

__all__ = ["Chain"]
