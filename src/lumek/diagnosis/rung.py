"""Rungs: what was looked at, and what came of it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

Verdict = Literal["ok", "failed", "unknown"]


@dataclass(frozen=True)
class Rung:
    """One rung of the ladder.

    name: what was looked at.
    verdict: "ok", "failed", or "unknown" where nothing can tell.
    seen: what was seen.
    means: what that means; empty when all is well.
    do: what to do next.
    numbers: what was measured; each name ends with its unit.
    """

    name: str
    verdict: Verdict
    seen: str
    means: str = ""
    do: str = ""
    numbers: Mapping[str, float] = field(default_factory=dict)


def ok(name: str, seen: str, **numbers: float) -> Rung:
    """A rung that holds."""
    return Rung(name, "ok", seen, numbers=numbers)


def failed(name: str, seen: str, means: str, do: str, **numbers: float) -> Rung:
    """A rung that does not."""
    return Rung(name, "failed", seen, means, do, numbers)


def unknown(name: str, seen: str, do: str = "") -> Rung:
    """A rung that cannot be looked at."""
    return Rung(name, "unknown", seen, do=do)
