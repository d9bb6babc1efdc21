"""What is known for sure of a controller's state, from what it was sent.

A `Controller` that follows a capture has a value for everything; here is which of these values are the real ones. All
begin unknown, become known when an instruction says them, and unknown when something happened that may have gone one
way or another. The rule for each: what is said to be known is so in every controller, whatever its state was when the
capture began, and whether or not it took a byte that came too early.
Source: HD44780U data sheet (ADE-207-272), table 6; "Reset function"; "Function set".
"""

from lumek.twin.controller import Controller

BLANK = 0x20

TURNS = {True: (0x27, 0x4F, 0x67), False: (0x00, 0x40)}
"""Counting up, or down: the addresses after which it depends on the lines where the counter goes."""


class Known:
    """What is known of a controller.

    lines: one or two, and the font. head: whether a function set may still change these. increment, scrolls: the entry
    mode. control: display, underline, blink. shift: of the display. address: the counter, and in which memory it is.
    ddram, cgram: 1 for each byte that is known.
    """

    __slots__ = ("_in_a_row", "address", "cgram", "control", "ddram", "head", "increment", "lines", "scrolls", "shift")

    def __init__(self) -> None:
        self.forget()

    def forget(self) -> None:
        """Know nothing."""
        self.lines = self.head = self.increment = self.scrolls = self.control = self.shift = self.address = False
        self.ddram, self.cgram = bytearray(128), bytearray(64)
        self._in_a_row = 0

    def taken(self, chip: Controller, byte: int, rs: int, rw: int) -> None:
        """The controller is about to take a byte, or has read one."""
        if rs:
            self.head, self._in_a_row = True, 0
            if not rw:
                self._written(chip)
            self._moves(chip, chip.increment, self.increment)
        elif not rw:
            self._executed(chip, byte)

    def doubted(self, chip: Controller, byte: int, rs: int, rw: int) -> None:
        """It may have taken it, or not; it is as if it had not."""
        if rs:
            if not rw:
                if self.address:
                    (self.cgram if chip.in_cgram else self.ddram)[chip.address] = 0
                else:
                    self._forget_memory()
                self.shift = self.shift and self.scrolls and not chip.shift_on_write
            self.address = False
        elif not rw:
            self._maybe_executed(chip, byte)

    def _written(self, chip: Controller) -> None:
        if not self.address:
            self._forget_memory()
        elif chip.in_cgram:
            self.cgram[chip.address] = 1
            return
        else:
            self.ddram[chip.address] = 1
        if not self.scrolls or (chip.shift_on_write and not (self.increment and self.lines and self.address)):
            self.shift = False

    def _forget_memory(self) -> None:
        self.ddram, self.cgram = bytearray(128), bytearray(64)

    def _moves(self, chip: Controller, forward: bool, way_known: bool) -> None:
        turns = not chip.in_cgram and not self.lines and chip.address in TURNS[forward]
        self.address = self.address and way_known and not turns

    def _executed(self, chip: Controller, code: int) -> None:
        if not code & 0xC0 and code & 0x20:
            self._function_set(chip, code)
            return
        self.head, self._in_a_row = True, 0
        if code & 0xC0:
            self.address = True
        elif code & 0x10:
            if code & 0x08:
                self.shift = self.shift and self.lines
            else:
                self._moves(chip, bool(code & 0x04), True)
        elif code & 0x08:
            self.control = True
        elif code & 0x04:
            self.increment = self.scrolls = True
        elif code:
            self.address = self.shift = True
            if code == 1:
                self.increment = True
                self.ddram = bytearray(b"\1" * 128)

    def _function_set(self, chip: Controller, code: int) -> None:
        eight = bool(code & 0x10)
        self._in_a_row = self._in_a_row + 1 if eight and chip.eight_bit else 1
        if eight != chip.eight_bit or self._in_a_row >= 3:
            self.head = self.lines = True
        elif not self.head:
            self.lines = self.lines and self._same_lines(chip, code)
        elif not chip.function_locked:
            self.lines = True

    def _same_lines(self, chip: Controller, code: int) -> bool:
        two = bool(code & 0x08)
        return two == chip.two_lines and (two or bool(code & 0x04) == chip.tall)

    def _maybe_executed(self, chip: Controller, code: int) -> None:
        if not code & 0xC0 and code & 0x20:
            self.lines = self.lines and self._same_lines(chip, code)
            self.head, self._in_a_row = False, 0
            return
        self.head = self.head and chip.function_locked
        if code & 0xC0:
            self.address = self.address and (chip.address, chip.in_cgram) == (
                (code & 0x7F, False) if code & 0x80 else (code & 0x3F, True)
            )
        elif code & 0x10:
            if code & 0x08:
                self.shift = False
            else:
                self.address = False
        elif code & 0x08:
            same = (chip.on, chip.underline, chip.blink) == (bool(code & 4), bool(code & 2), bool(code & 1))
            self.control = self.control and same
        elif code & 0x04:
            self.increment = self.increment and chip.increment == bool(code & 2)
            self.scrolls = self.scrolls and chip.shift_on_write == bool(code & 1)
        elif code:
            self.address = self.address and chip.address == 0 and not chip.in_cgram
            self.shift = self.shift and chip.shift == 0
            if code == 1:
                self.increment = self.increment and chip.increment
                for address in range(128):
                    if chip.ddram[address] != BLANK:
                        self.ddram[address] = 0
