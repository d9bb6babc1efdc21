"""A board with MicroPython, as it comes: pins and I2C by its interactive prompt.

Nothing is installed on the board: a few functions are sent to it when it is opened, and live in its memory until it
restarts. What a link sends is one call of them with a short text of what to do, waits included, so that a redraw is one
round trip. Source: MicroPython documentation, "The MicroPython Interactive Interpreter Mode (REPL)", "Raw mode": Ctrl-A
begins it; a program ends with Ctrl-D; the answer is OK, its output, Ctrl-D, its error, Ctrl-D and ">".
"""

from binascii import b2a_base64
from collections.abc import Hashable, Iterable, Mapping
from math import ceil

from lumek._harmless import quoted
from lumek.errors import NoAnswerError, PortError
from lumek.ports.usb.cable import ANSWER_S, Connection, UsbBoard

INTERRUPT, RAW, FRIENDLY, RUN = b"\x03", b"\x01", b"\x02", b"\x04"
PROMPT = b"raw REPL; CTRL-B to exit\r\n>"
WAKE_S = 5.0
USUAL_BAUD = 115_200

MOST_HELD = 900
"""Characters of what to do in one call: a board must hold it twice."""

LONGEST_REPLY = 20_000
MOST_PINS = 22

HELPERS = """
from time import sleep_us as _s
from binascii import a2b_base64 as _a
from machine import Pin as _P
_p=[]
def _d(t):
 i=0
 e=len(t)
 while i<e:
  n=t[i]-35
  i+=1
  if n<0:
   j=t.find(b'.',i)
   _s(int(t[i:j]))
   i=j+1
  elif n&2:_p[n>>2].init(_P.OUT,value=n&1)
  else:_p[n>>2].value(n&1)
def _i(t):
 for n in t:_p[n-35>>2].init(_P.IN)
 return ''.join([str(_p[n-35>>2].value()) for n in t])
def _w(a,*t):
 for n in t:
  if isinstance(n,int):_s(n)
  else:_b.writeto(a,_a(n))
"""
"""What a board is taught. In `_d` and `_i` a character means a pin and what becomes of it: code - 35 is its place
in `_p` times 4, plus 2 to make it an output, plus its level; "!" begins a wait in microseconds, which "." ends."""

WAIT = "!{}."
BECOMES_OUTPUT = 2


class MicroPythonBoard(UsbBoard):
    """A board with MicroPython, at whose prompt nothing else runs: a program of its own is interrupted.

    port, baud: see `UsbBoard`. Boards whose processor has USB itself take any speed.
    bus: the number of its I2C bus, as `machine.I2C` takes it.
    sda, scl: the pins of that bus; default: those that the board's firmware takes by itself.

    Pins are known by what `machine.Pin` takes: numbers, or names as "GP16" or "LED".
    """

    longest = 256

    def __init__(
        self,
        port: str | Connection,
        baud: int = USUAL_BAUD,
        *,
        bus: int = 0,
        sda: Hashable | None = None,
        scl: Hashable | None = None,
    ) -> None:
        self._bus = bus, sda, scl
        self._bus_hz = 0
        self._places: dict[Hashable, int] = {}
        self._outputs: set[Hashable] = set()
        self._todo: list[str] = []
        self._to: int | None = None
        self._held = 0
        self._takes_us = 0.0
        super().__init__(port, baud)

    # -- for the ports

    def claim(self, lines: Iterable[Hashable]) -> None:
        """See that the board has these pins."""
        for line in lines:
            self._place_of(line)

    def drive(self, levels: Mapping[Hashable, int]) -> None:
        """Make these pins outputs at these levels, with the next `flush`: one after the other."""
        self._to_pins()
        for line, level in levels.items():
            code = self._place_of(line) << 2 | level
            if line not in self._outputs:
                code |= BECOMES_OUTPUT
                self._outputs.add(line)
            self._hold(chr(code + 35))

    def sense(self, lines: Iterable[Hashable]) -> dict[Hashable, int]:
        """Make these pins inputs, and read them."""
        lines = list(lines)
        self.flush()
        codes = bytes((self._place_of(line) << 2) + 35 for line in lines)
        self._outputs.difference_update(lines)
        levels = self._run(f"print(_i({codes!r}))").strip()
        if len(levels) != len(lines) or set(levels) - {"0", "1"}:
            raise self._nonsense(levels)
        return {line: int(level) for line, level in zip(lines, levels, strict=True)}

    def start_bus(self, hz: int) -> None:
        """Make the I2C bus ready, at this clock."""
        self._bus_hz = hz
        self._opened()
        self._make_bus()

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device of the bus, with the next `flush`."""
        if self._to != address:
            self.flush()
            self._to = address
        text = b2a_base64(data, newline=False)
        self._takes_us += (len(data) + 1) * 9e6 / self._bus_hz
        self._hold(repr(text))

    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device of the bus."""
        self.flush()
        text = self._run(f"print(list(_b.readfrom({address},{count})))", address)
        try:
            data = bytes(int(word) for word in text.strip().strip("[]").split(","))
        except ValueError:
            raise self._nonsense(text) from None
        if len(data) != count:
            raise self._nonsense(text)
        return data

    def pause(self, us: float) -> None:
        """Let at least this many microseconds pass on the board before what follows."""
        whole = ceil(us)
        self._takes_us += whole
        self._hold(str(whole) if self._to is not None else WAIT.format(whole))

    def flush(self) -> None:
        """Have done what was held back."""
        todo, to, takes_us = self._todo, self._to, self._takes_us
        self._todo, self._to, self._held, self._takes_us = [], None, 0, 0.0
        if not todo:
            return
        call = f"_d({''.join(todo).encode()!r})" if to is None else f"_w({to},{','.join(todo)})"
        self._run(call, to, takes_us / 1e6)

    # -- the prompt

    def _to_pins(self) -> None:
        """What is held back for the bus goes first."""
        if self._to is not None:
            self.flush()

    def _hold(self, text: str) -> None:
        self._todo.append(text)
        self._held += len(text)
        if self._held >= MOST_HELD:
            to = self._to
            self.flush()
            self._to = to

    def _place_of(self, line: Hashable) -> int:
        """The place of a pin in the board's list; put there when it is new."""
        self._opened()
        place = self._places.get(line)
        if place is None:
            if len(self._places) == MOST_PINS:
                raise PortError(f"{self} takes {MOST_PINS} pins at most")
            self._run(f"_p.append(_P({line!r}))", pin=line)
            place = self._places[line] = len(self._places)
        return place

    def _make_bus(self) -> None:
        number, sda, scl = self._bus
        pins = "" if sda is None or scl is None else f",sda=_P({sda!r}),scl=_P({scl!r})"
        self._run(f"from machine import I2C as _I\n_b=_I({number}{pins},freq={self._bus_hz})")

    def _run(self, program: str, address: int | None = None, takes_s: float = 0.0, pin: Hashable = None) -> str:
        """Have a program run, and return what it prints.

        address, pin: what an error of the board is about.
        takes_s: how long it takes, beside what every call takes.
        """
        self._send(program.encode() + RUN)
        answer = b""
        end = self._elapsed() + ANSWER_S + takes_s
        while answer.count(RUN) < 2 or not answer.endswith(b">"):
            more = self._receive(4096, max(0.0, end - self._elapsed()))
            answer += more
            if not more or len(answer) > LONGEST_REPLY:
                raise self._silent()
        if not answer.startswith(b"OK"):
            raise self._nonsense(answer.decode("latin-1"))
        out, _, error = answer[2:-1].partition(RUN)
        if error := error.rstrip(RUN).strip():
            last = error.decode("utf-8", "replace").splitlines()[-1]
            if address is not None and last.startswith("OSError"):
                raise NoAnswerError(
                    f"no device acknowledges at address {address:#04x} on the I2C bus of {self} ({quoted(last)}): "
                    "check supply and wires (SDA and SCL swapped?), and the address pads"
                )
            if pin is not None:
                raise PortError(f"{self} has no pin {quoted(pin)}: it says {quoted(last)}")
            raise PortError(f"{self} cannot do this: it says {quoted(last, 200)}")
        return out.decode("utf-8", "replace")

    def _silent(self) -> PortError:
        self._lose()
        return PortError(
            f"the board at {self._place} does not answer: check that it has MicroPython, and whether another program "
            "(an editor) uses its prompt"
        )

    def _nonsense(self, text: str) -> PortError:
        self._lose()
        return PortError(f"the board at {self._place} answers {quoted(text)}, which is not what was asked for")

    def _greet(self) -> None:
        """Interrupt what runs, and teach the board; then see to pins and bus as they were before it was lost."""
        self._todo, self._to, self._held, self._outputs = [], None, 0, set()
        places, self._places = list(self._places), {}
        end = self._elapsed() + WAKE_S
        seen = b""
        while PROMPT not in seen:
            if self._elapsed() > end:
                raise self._silent()
            self._send(b"\r" + INTERRUPT + INTERRUPT + b"\r" + RAW)
            seen = b""
            while PROMPT not in seen and self._elapsed() < end and (more := self._receive(256, 0.5)):
                seen = (seen + more)[-1000:]
        self._run(HELPERS)
        for line in places:
            self._place_of(line)
        if self._bus_hz:
            self._make_bus()

    def _shut(self, device: Connection) -> None:
        try:
            device.write(FRIENDLY)
        finally:
            device.close()
