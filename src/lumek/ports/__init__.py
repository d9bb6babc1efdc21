"""From states of wires to the hardware of a host. A port imports nothing of Lumek's but its errors.

A bus has `hz`, `write(address, data)`, `read(address, count)` and `wait_us(us)`; anything that has them will do.
"""
