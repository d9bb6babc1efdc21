"""A line of cells on one side of its row, or in the middle."""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

SIDES = "left", "centre", "right"


def aligned(line: "list[Any]", columns: int, side: str) -> "list[Any]":
    """A line with blanks around it, so that it fills its row."""
    left = {"left": 0, "centre": (columns - len(line)) // 2, "right": columns - len(line)}[side]
    return [" "] * left + line + [" "] * (columns - len(line) - left)
