"""JSON from outside, bounded in depth: how deep Python itself reads depends on its version, up to thousands of levels.

What walks through a document afterwards, or checks it, or writes it, would then fail in its own way.
"""

import json
from collections.abc import Iterable
from typing import Any

MOST_LEVELS = 100
"""Objects and lists within each other."""


def json_value(text: str | bytes) -> Any:
    """What a JSON text says. ValueError for what is not JSON, RecursionError for more than 100 levels."""
    value = json.loads(text)
    level = _within([value])
    for _ in range(MOST_LEVELS):
        level = [inner for outer in level for inner in _within(outer.values() if isinstance(outer, dict) else outer)]
        if not level:
            return value
    raise RecursionError(f"more than {MOST_LEVELS} levels of objects and lists within each other")


def _within(parts: Iterable[Any]) -> list[dict[str, Any] | list[Any]]:
    return [part for part in parts if isinstance(part, (dict, list))]
