"""The character codes that are the same with every ROM.

Source: HD44780U data sheet, tables 4 and 5.
"""

BLANK = 0x20
"""The code of a cell without a dark dot."""

FIRST = 0x10
"""The first code that the ROM draws. The codes 0 to 7 show the slots, and 8 to 15 show them again."""

REPLACEMENT = "?"
"""What a cell shows for a character that has no code, no drawing and no similar letter."""
