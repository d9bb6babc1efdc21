"""Moved to `lumek.ports.bit_banged`."""

from lumek.ports.bit_banged import SerialLines as SerialLines
