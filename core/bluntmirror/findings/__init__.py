"""Findings: what can be wrong, said once and in one way.

kind       a stable name, `area.matter`; the catalogue lists every one
severity   stop (do not run), caution (look first)
rule       what finds it; rules of the program check can be switched and made stricter or milder
finding    one thing wrong, with its one cause
docket     the list of a rehearsal's findings
"""

from .catalogue import CATALOGUE, Kind, Severity
from .finding import Docket, Edit, Finding, Fix, Where, verdict_of
from .grouping import causes
from .rules import RULES, Policy, Rule

__all__ = [
    "CATALOGUE", "RULES", "Docket", "Edit", "Finding", "Fix", "Kind", "Policy", "Rule", "Severity", "Where",
    "causes", "verdict_of",
]  # fmt: skip
