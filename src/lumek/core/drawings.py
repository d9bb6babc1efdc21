"""The drawings that Lumek brings: 8 rows of 5 dots for characters that a ROM may lack.

Packed, a drawing is five bytes, in which its eight rows of five bits follow each other.
"""

from lumek.core.drawing_table import CHARACTERS, DOTS
from lumek.core.letters import same_shape

SIZE = 5


def drawing_of(character: str) -> bytes | None:
    """The eight rows of a character's drawing, as CGRAM takes them, or None when there is none."""
    if len(character) != 1:
        return None
    at = CHARACTERS.find(character)
    if at < 0:
        at = CHARACTERS.find(same_shape(character) or "\0")
    return None if at < 0 else unpacked(DOTS[SIZE * at : SIZE * at + SIZE])


def packed(rows: bytes) -> bytes:
    """Five bytes from eight rows."""
    bits = 0
    for row in rows:
        bits = bits << 5 | row
    return bits.to_bytes(SIZE, "big")


def unpacked(data: bytes) -> bytes:
    """Eight rows from five bytes."""
    bits = int.from_bytes(data, "big")
    return bytes([bits >> shift & 0x1F for shift in range(35, -1, -5)])
