"""From states of wires to the hardware of a host. A port imports nothing of Lumek's but its errors.

Anything that has these will do as a port:

| port | has |
|---|---|
| bus (I2C) | `hz`, `write(address, data)`, `read(address, count)`, `wait_us(us)` |
| lines (GPIO) | `drive(levels)`, `sense(lines)`, `wait_us(us)` |
| serial (to a shift register) | `send(data)`, with a latch pulse after each byte, `wait_us(us)` |
| channel (PWM, LED) | `dim(fraction)`; a light `offers` more: see `lumek.lights` |

What a port may offer besides: a bus the `longest` transfer that it carries, in bytes, and, to a scan, `quick(address)`,
a call without a byte, and `owner(address)`, the driver that has a device; lines `drive_ns`, the time that a call takes
at least, `slow_to_sense`, whether reading takes longer than a panel does, and `claim(lines)`, which gets all lines of a
panel at once; a serial port `state_us`, the time from one latch pulse to the next at least; any of them `flush()`, when
it holds back what it is given: links and lights call it when they are done. Links keep the levels of the port's outputs
in its `lumek_shared`.
"""
