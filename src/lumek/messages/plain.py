"""Text of strangers without what only a terminal understands: escape sequences and control characters.

Source of the sequences: ECMA-48, 5.3 (C1 controls), 5.4 (control sequences), 5.6 (control strings).
"""

import re

SEQUENCES = re.compile(
    r"\x1b\[[0-?]*[ -/]*[@-~]?"  # control sequences
    r"|\x1b[PX^_\]][^\x07\x1b]*(?:\x07|\x1b\\)?"  # control strings: their end is BEL or ST
    r"|\x1b[ -/]*[0-~]?"
)
CONTROLS = re.compile("[\x00-\x09\x0b-\x1f\x7f-\x9f]")


def plain(text: str) -> tuple[str, int]:
    """Text without escape sequences and control characters, and how many of them were left out.

    Line breaks stay, and a tab becomes a blank.
    """
    if not text or (min(text) >= " " and max(text) < "\x7f"):
        return text, 0
    text, sequences = SEQUENCES.subn("", text.replace("\r\n", "\n").replace("\r", "\n").replace("\t", " "))
    text, controls = CONTROLS.subn("", text)
    return text, sequences + controls
