"""What checks find, and how bad it is.

An *error* cannot work, or can break something; a *warning* is outside of a data sheet, and may work or not; a *note* is
to be known; *ok* is listed too, with its numbers.
"""

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

Severity = Literal["ok", "note", "warning", "error"]


@dataclass(frozen=True)
class Finding:
    """What a check says.

    check: its name.
    panel: whom it is about; empty for all.
    says: what was found, with its numbers.
    because: the reason, and its source.
    numbers: what was compared; each name ends with its unit.
    """

    check: str
    severity: Severity
    panel: str
    says: str
    because: str
    numbers: Mapping[str, float]


Findings = Iterator[Finding]


def tally(findings: list[Finding]) -> str:
    """How many there are of each severity, in words."""
    count = Counter(finding.severity for finding in findings)
    words: list[tuple[Severity, str]] = [("ok", "ok"), ("note", "notes"), ("warning", "warnings"), ("error", "errors")]
    return ", ".join(f"{count[one]} {one if count[one] == 1 else several}" for one, several in words)
