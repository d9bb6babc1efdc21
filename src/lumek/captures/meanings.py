"""What instructions and data mean, in words, decoded here a second time.

The words of the driver's own steps are in `lumek.core.words`; this reads what any program sent.
Source: HD44780U data sheet (ADE-207-272), table 6, "Instructions".
"""

LONGEST_RUN = 40


def instruction_words(code: int) -> str:
    """What an instruction does; its highest bit that is set decides."""
    for bit, words in TABLE:
        if code & bit:
            return words(code)
    return "nothing: 0x00 is not an instruction"


def time_words(ns: float) -> str:
    """A duration with its unit: "37 us", "1.52 ms"."""
    for unit, size in (("s", 1e9), ("ms", 1e6), ("us", 1e3)):
        if abs(ns) >= size:
            return f"{ns / size:.4g} {unit}"
    return f"{ns:.4g} ns"


def data_words(characters: list[str]) -> str:
    """A run of data. characters: what each byte draws."""
    more = f" and {len(characters) - LONGEST_RUN} more" if len(characters) > LONGEST_RUN else ""
    return f"write {''.join(characters[:LONGEST_RUN])!r}{more}"


def _function_set(code: int) -> str:
    font = "5x10" if code & 0x04 and not code & 0x08 else "5x8"
    return f"function set: {8 if code & 0x10 else 4} bits, {'two lines' if code & 0x08 else 'one line'}, {font} dots"


def _shift(code: int) -> str:
    return f"shift {'display' if code & 0x08 else 'cursor'} {'right' if code & 0x04 else 'left'}"


def _control(code: int) -> str:
    on = [name for bit, name in ((4, "display"), (2, "underline"), (1, "blink")) if code & bit]
    return f"display control: {' and '.join(on) or 'nothing'} on"


def _entry(code: int) -> str:
    return f"entry mode: count {'up' if code & 2 else 'down'}{', shift the display' if code & 1 else ''}"


TABLE = (
    (0x80, lambda code: f"set DDRAM address {code & 0x7F:#04x}"),
    (0x40, lambda code: f"set CGRAM address {code & 0x3F:#04x}"),
    (0x20, _function_set),
    (0x10, _shift),
    (0x08, _control),
    (0x04, _entry),
    (0x02, lambda code: "return home"),
    (0x01, lambda code: "clear display"),
)
"""The highest bit of an instruction: its words."""
