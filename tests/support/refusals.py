"""What Lumek refuses, in its own words."""

from collections.abc import Callable

from lumek import LumekError


def refused(act: Callable[[], object]) -> str:
    """The name and text of the error of Lumek's that an act ends with; empty when it does not."""
    try:
        act()
    except LumekError as problem:
        return f"{type(problem).__name__}: {problem}"
    return ""
