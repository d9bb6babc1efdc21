"""Emulated computers and boards whose buses, lines and pins lead to simulated panels: what Lumek is judged by.

| module | is |
|---|---|
| `computer` | a PC in QEMU with Debian's kernel, panels and sensors behind its I2C adapter and GPIO chip |
| `uno` | an ATmega328P with a firmware |
| `micro_board` | a native MicroPython behind a pseudo-terminal |
| `ftdi_chip` | what pyftdi's classes meet in place of a chip on USB |
| `adapters`, `chips` | the computer's I2C adapter and GPIO chip, and the sensors on its bus |
| `vhost_user` | how QEMU is served from this process |

Tests use them; by hand, `python tools/in_guest.py scan --bus 0` runs the command under that kernel.
"""
