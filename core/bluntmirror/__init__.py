"""Blunt Mirror's computation: from the files of a job to a verdict. Knows nothing of the web."""

__version__ = "0.1.0"
