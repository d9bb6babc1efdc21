"""Emulated computers and boards whose buses, lines and pins lead to simulated panels: what Lumek is judged by.

| module | is |
|---|---|
| `computer` | a PC in QEMU with Debian's kernel, panels and sensors behind its I2C adapter and GPIO chip |
| `uno` | an ATmega328P with a firmware |
| `micro_board` | a native MicroPython behind a pseudo-terminal |

Tests use them; by hand, `python tools/in_guest.py scan --bus 0` runs the command under that kernel.
"""
