"""How a program is told what it did not ask: one line in Python's log, or printed where there is no such log."""

from lumek._harmless import harmless


def notice(text: str) -> None:
    """Tell it, as a warning of the logger "lumek"; whatever stands in it is harmless then (see `lumek._harmless`)."""
    text = harmless(text)
    try:
        from logging import getLogger
    except ImportError:  # MicroPython
        print("lumek:", text)
    else:
        getLogger("lumek").warning(text)
