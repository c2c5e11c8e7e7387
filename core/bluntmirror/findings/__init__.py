"""Findings: what can be wrong, said once and in one way.

kind       a stable name, `area.matter`; the catalogue lists every one
severity   stop (do not run), caution (look first)
finding    one thing wrong, with its one cause
docket     the list of a rehearsal's findings
"""

from .catalogue import CATALOGUE, Kind, Severity
from .finding import Docket, Finding, verdict_of
from .grouping import causes

__all__ = ["CATALOGUE", "Docket", "Finding", "Kind", "Severity", "causes", "verdict_of"]
