"""VCD files, of Lumek's or of a logic analyser, read as samples.

The head is read by pyvcd. What follows may have millions of lines, and is read here: a line is looked up as it is.
Source: IEEE 1364, "Value change dump files".
"""

from collections.abc import Iterator, Mapping
from io import BytesIO
from pathlib import Path

from vcd.reader import TokenKind, VCDParseError, tokenize

from lumek._harmless import quoted
from lumek.captures.capture_source import UNSEEN, CaptureSource, wire_name
from lumek.captures.recorder import HOST, MARK, SIMULATED, TIMES
from lumek.errors import CaptureError

MOST_HEAD = 1 << 20
MOST_LINE = 1 << 16
BLOCK = 1 << 18

MOST_DIGITS = 25
"""Digits of a time; a longer one is refused."""

MOST_WIRES = 4096

END = b"$enddefinitions"

NOTHING: list[bytes] = []

HIGH, LOW = b"1hH", b"0lL"
"""Values of a wire; with any other nothing is known to drive it."""


class VcdFile(CaptureSource):
    """A VCD file.

    path: the file. Raises CaptureError when it is not one.
    """

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        with path.open("rb") as file:
            head = file.read(MOST_HEAD)
        at = head.find(END)
        ends = head.find(b"$end", at + len(END))
        if at < 0 or ends < 0:
            raise CaptureError(
                f"{self.name} is not a VCD file: it has no $enddefinitions in its first {MOST_HEAD} bytes"
            )
        self._begins = ends + len(b"$end")
        self._wires: dict[str, list[tuple[bytes, int]]] = {}
        self._scale = (1, 1)
        try:
            self._read_head(head[: self._begins])
        except (VCDParseError, ValueError, UnicodeDecodeError, AssertionError, IndexError, KeyError) as problem:
            raise CaptureError(
                f"{self.name}: the head of this VCD file cannot be read: {quoted(str(problem))}"
            ) from None
        self.names = list(self._wires)
        if not self.names:
            raise CaptureError(f"{self.name} has no wires")

    def _read_head(self, head: bytes) -> None:
        scopes: list[str] = []
        found: list[tuple[str, str, bytes, int]] = []
        for token in tokenize(BytesIO(head)):
            if token.kind is TokenKind.SCOPE:
                scopes.append(token.scope.ident)
            elif token.kind is TokenKind.UPSCOPE and scopes:
                scopes.pop()
            elif token.kind is TokenKind.TIMESCALE:
                number, unit = token.timescale.magnitude, token.timescale.unit.value
                self._scale = {"s": (10**9, 1), "ms": (10**6, 1), "us": (1000, 1), "ns": (1, 1), "ps": (1, 1000),
                               "fs": (1, 10**6)}[unit]  # fmt: skip
                self._scale = self._scale[0] * number, self._scale[1]
            elif token.kind is TokenKind.COMMENT and token.comment.strip().startswith(MARK):
                text = token.comment.strip()
                self.kind = next((kind for kind in (SIMULATED, HOST) if TIMES[kind] in text), self.kind)
            elif token.kind is TokenKind.VAR and token.var.type_.value not in ("real", "string", "event", "parameter"):
                size = min(token.var.size, 64)
                mark = token.var.id_code.encode()
                name = wire_name(token.var.reference)
                for bit in range(size):
                    own = name if size == 1 else f"{name}[{bit}]"
                    found.append((own, wire_name(".".join([*scopes, own])), mark, bit))
                if len(found) > MOST_WIRES:
                    raise ValueError(f"it has more than {MOST_WIRES} wires")
        short = [own for own, _, _, _ in found]
        for own, whole, mark, bit in found:
            self._wires.setdefault(own if short.count(own) == 1 else whole, []).append((mark, bit))

    def samples(self, wires: Mapping[str, int], undriven: int) -> Iterator[tuple[int, int]]:
        """See `CaptureSource.samples`."""
        table: dict[bytes, tuple[int, int]] = {}
        vectors: dict[bytes, list[tuple[int, int]]] = {}
        for name, mask in wires.items():
            for mark, bit in self._wires[name]:
                vectors.setdefault(mark, []).append((bit, mask))
        singles = {mark: bits[0][1] for mark, bits in vectors.items() if len(bits) == 1}
        for mark, mask in singles.items():
            for level in b"01xXzZuU-hHlL":
                added = self._effect(mask, level, undriven)
                for end in (b"", b"\r"):
                    table[bytes((level,)) + mark + end] = added
        scale, divisor = self._scale
        word = undriven | sum(wires.values()) << UNSEEN
        now = 0
        last: tuple[int, int] | None = None
        find = table.get
        for lines in self._blocks():
            for line in lines:
                effect = find(line)
                if effect is not None:
                    word = word & effect[0] | effect[1]
                elif line[:1] == b"#":
                    try:
                        at, after = int(line[1:] if len(line) < MOST_DIGITS else b""), NOTHING
                    except ValueError:
                        at, after = self._time(line)
                    if last is None or word != last[1]:
                        last = now, word
                        yield last
                    at = at * scale // divisor
                    if at < now:
                        raise CaptureError(f"{self.name}: time goes back, from {now} ns to {at} ns")
                    now = at
                    if after:
                        word = self._tokens(after, vectors, word, undriven)
                elif line:
                    word = self._tokens(line.split(), vectors, word, undriven)
        if last is None or word != last[1]:
            yield now, word
        self.ends_ns = now

    def _time(self, line: bytes) -> tuple[int, list[bytes]]:
        """The time of a line, in units of the file, and what else is on it."""
        digits, *after = line[1:].split() or [b""]
        if not digits.isdigit() or len(digits) > MOST_DIGITS:
            raise CaptureError(f"{self.name}: {quoted(line.decode('latin-1'))} is not a time")
        return int(digits), after

    def _tokens(
        self, tokens: list[bytes], vectors: dict[bytes, list[tuple[int, int]]], word: int, undriven: int
    ) -> int:
        """What the changes on a line make of a word, however they are spaced."""
        at = 0
        while at < len(tokens):
            token = tokens[at]
            at += 1
            if token[:1] in b"bBrRsS" and at < len(tokens):
                mark, bits = tokens[at], token[1:]
                at += 1
                if token[:1] in b"bB":
                    for bit, mask in vectors.get(mark, ()):
                        level = bits[-1 - bit : len(bits) - bit] or (bits[:1] if bits[:1] in b"xXzZ" else b"0")
                        word = self._set(word, mask, level, undriven)
            elif token[:1] in b"01xXzZuUhHlL-":
                for _, mask in vectors.get(token[1:], ())[:1]:
                    word = self._set(word, mask, token[:1], undriven)
            elif token == b"$comment":
                while at < len(tokens) and tokens[at] != b"$end":
                    at += 1
        return word

    @staticmethod
    def _effect(mask: int, level: int, undriven: int) -> tuple[int, int]:
        """What a level makes of a word: what stays of it, and what is added."""
        if level in HIGH:
            return ~(mask | mask << UNSEEN), mask
        if level in LOW:
            return ~(mask | mask << UNSEEN), 0
        return ~mask, undriven & mask | mask << UNSEEN

    def _set(self, word: int, mask: int, level: bytes, undriven: int) -> int:
        kept, added = self._effect(mask, level[0], undriven)
        return word & kept | added

    def _blocks(self) -> Iterator[list[bytes]]:
        """The lines after the head, many at a time."""
        with self.path.open("rb") as file:
            file.seek(self._begins)
            rest = b""
            while block := file.read(BLOCK):
                lines = (rest + block).split(b"\n")
                rest = lines.pop()
                if len(rest) > MOST_LINE:
                    raise CaptureError(f"{self.name}: a line has more than {MOST_LINE} bytes")
                yield lines
            if rest:
                yield [rest]
