"""Readings: sensor values with their flaws, and where they come from."""

from lumek.readings.reading import Reading

__all__ = ["Reading"]
