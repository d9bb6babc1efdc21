"""Bytes that arrive in pieces, as lines of bounded length."""


class LineBuffer:
    """Lines that end with a line feed, a carriage return or both.

    longest: bytes of a line.
    skip_first: whether the first line is left out, because it may be the rest of one.
    """

    def __init__(self, longest: int, skip_first: bool = False) -> None:
        self._longest = longest
        self._skip = skip_first
        self._overlong = False
        self._rest = b""

    def take(self, data: bytes) -> list[bytes | None]:
        """The lines that are whole now; None for one that is too long, whose bytes are dropped."""
        *whole, rest = (self._rest + data).replace(b"\r", b"\n").split(b"\n")
        lines: list[bytes | None] = []
        for line in whole:
            if not self._skip:
                lines.append(line if len(line) <= self._longest else None)
            self._skip = self._overlong = False
        if len(rest) > self._longest:
            if not self._overlong:
                lines.append(None)
            rest, self._skip, self._overlong = b"", True, True
        self._rest = rest
        return lines

    def end(self) -> bytes:
        """What came after the last line."""
        return b"" if self._skip else self._rest
