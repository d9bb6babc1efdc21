"""What is checked before power is applied. Each check is a pure function from a hookup to what it finds.

`connections` has those of lines, addresses and sizes, `volts` those of levels, `loads` those of ohms and milliamperes.
"""

import warnings

from lumek._harmless import harmless, quoted
from lumek.errors import CheckError, HookupWarning
from lumek.hookup.checks.connections import address, board, header, lines, roles, size, speed
from lumek.hookup.checks.findings import Finding
from lumek.hookup.checks.loads import backlight, contrast, darkness, drive, supply_budget
from lumek.hookup.checks.volts import bus_level, logic_level, pullups, ratings, shifter, tolerance
from lumek.hookup.file import Hookup

CANNOT_BE_DRIVEN = {"roles", "lines", "header", "size", "address", "speed"}
BREAKS_WHEN_DRIVEN = {"tolerance", "drive"}
"""Checks whose errors keep a panel from being attached."""


def check(hookup: Hookup) -> list[Finding]:
    """All that the checks find, in the order in which one would mend it."""
    return [finding for one in CHECKS for finding in one(hookup)]


def refuse(hookup: Hookup, real: bool) -> None:
    """Raise CheckError for what cannot be driven; on real hardware also for what driving would break.

    There any other error is a HookupWarning: the wires are as they are, and whoever knows better may go on.
    """
    errors = [finding for finding in check(hookup) if finding.severity == "error"]
    for finding in errors:
        of = f", panel {quoted(finding.panel)}" if len(hookup.panels) > 1 and finding.panel else ""
        text = f"{hookup.source}{of}: {finding.says} ({finding.because}); 'lumek hookup {hookup.source}' lists all"
        if finding.check in CANNOT_BE_DRIVEN or (real and finding.check in BREAKS_WHEN_DRIVEN):
            raise CheckError(text)
        if real:
            warnings.warn(harmless(text), HookupWarning, stacklevel=4)


CHECKS = (
    roles, lines, header, board, size, address, speed,
    ratings, tolerance, logic_level, shifter, bus_level, pullups, backlight, drive, darkness, contrast, supply_budget,
)  # fmt: skip
