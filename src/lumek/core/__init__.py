"""The computation: from a wanted picture to instructions. No I/O, no clock, no interface code."""
