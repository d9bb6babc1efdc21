"""Steps in words, for people who read a plan. Loaded when one is printed.

Source: HD44780U data sheet (ADE-207-272), table 6, "Instructions".
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from lumek.core.instructions import Step

SHOWN = 40
"""Bytes of a run of data that are written out."""

PRINTABLE = range(0x20, 0x7F)


def step_words(step: "Step") -> str:
    """What a step does: "set DDRAM address 0x40", "write 'Hive'"."""
    if not step.data:
        return f"wait {step.us} us"
    words = _data(step.data) if step.rs else instruction(step.data[0])
    if step.single:
        words = f"pulse E once: {words}"
    return words if step.enables == 1 else f"{words} (controller {'1' if step.enables == 2 else '0 and 1'})"


def instruction(code: int) -> str:
    """What an instruction does. The highest bit that is set decides."""
    if code & 0x80:
        return f"set DDRAM address {code & 0x7F:#04x}"
    if code & 0x40:
        return f"set CGRAM address {code & 0x3F:#04x}"
    if code & 0x20:
        lines = "two lines" if code & 0x08 else "one line"
        return f"function set: {'8' if code & 0x10 else '4'} bits, {lines}, {'5x10' if code & 0x04 else '5x8'} dots"
    if code & 0x10:
        return f"shift {'display' if code & 0x08 else 'cursor'} {'right' if code & 0x04 else 'left'}"
    if code & 0x08:
        parts = [name for bit, name in ((4, "display"), (2, "underline"), (1, "blink")) if code & bit]
        return f"display control: {', '.join(parts) or 'all'} {'on' if parts else 'off'}"
    if code & 0x04:
        return f"entry mode: {'increment' if code & 0x02 else 'decrement'}{', shift display' if code & 0x01 else ''}"
    return "return home" if code & 0x02 else "clear display"


def _data(data: bytes) -> str:
    more = "" if len(data) <= SHOWN else f" and {len(data) - SHOWN} more"
    data = data[:SHOWN]
    if all(byte in PRINTABLE for byte in data):
        return f"write {bytes(data).decode('ascii')!r}{more}"
    return f"write {' '.join([f'{byte:#04x}' for byte in data])}{more}"
