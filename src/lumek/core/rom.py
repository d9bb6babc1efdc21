"""Moved to `lumek.roms.rom`."""

from lumek.roms.rom import Rom as Rom
