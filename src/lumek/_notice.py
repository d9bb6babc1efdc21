"""Notices: one line in Python's log, or printed where there is no such log."""

from lumek._harmless import harmless


def notice(text: str) -> None:
    """Log a line as a warning of the logger "lumek", made harmless (see `lumek._harmless`)."""
    text = harmless(text)
    try:
        from logging import getLogger
    except ImportError:  # MicroPython
        print("lumek:", text)
    else:
        getLogger("lumek").warning(text)
