"""From the levels of SCL and SDA to what goes over an I2C bus.

The levels come as samples (see `lumek.captures.pulses`) whose words have `SCL` and `SDA`. Of SDA and SCL that change in
one sample, as between two samples, SDA changed while SCL was low: no bus would be so misused as to say start or stop
with both at once.
Source: UM10204, "START and STOP conditions", "Byte format", "Acknowledge (ACK) and Not Acknowledge (NACK)".
"""

from collections.abc import Iterable, Iterator
from typing import NamedTuple

SCL, SDA = 1, 2

START, ADDRESS, BYTE, STOP, BROKEN = "start", "address", "byte", "stop", "broken"


class OnBus(NamedTuple):
    """Something that happened on the bus.

    time_ns: when it was over.
    kind: START (also a repeated one), ADDRESS, BYTE, STOP; BROKEN is a byte that a start or stop cut off.
    value: the address with its direction bit, or the byte.
    acknowledged: whether the byte was.
    """

    time_ns: int
    kind: str
    value: int = 0
    acknowledged: bool = True


def on_bus(samples: Iterable[tuple[int, int]]) -> Iterator[OnBus]:
    """What goes over a bus. Bits before the first start belong to nothing, and are left out."""
    old = SCL | SDA
    count, bits = -1, 0
    kind = BYTE
    for at, word in samples:
        changed = word ^ old
        if changed & SCL:
            if count >= 0:
                if word & SCL:
                    if count < 9:
                        # Data is valid while SCL is high: what it is when SCL rises.
                        bits = bits << 1 | (word >> 1 & 1)
                        count += 1
                elif count == 9:
                    yield OnBus(at, kind, bits >> 1, not bits & 1)
                    count = bits = 0
                    kind = BYTE
        elif changed & SDA and word & SCL:
            # SCL is high: a start or a stop. The bit that was counted as it rose was none.
            if count > 1:
                yield OnBus(at, BROKEN, bits >> 1, False)
            if word & SDA:
                yield OnBus(at, STOP)
                count = -1
            else:
                yield OnBus(at, START)
                count = bits = 0
                kind = ADDRESS
        old = word
